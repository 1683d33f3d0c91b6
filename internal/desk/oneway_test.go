package desk_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"
)

// Revisions are made in one place, of checked changes. Whoever finds a second way here has found a way past the checks.
func TestOneWayIn(t *testing.T) {
	calls := 0
	err := filepath.WalkDir("../..", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.Name() == "node_modules" {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			s, ok := n.(*ast.SelectorExpr)
			if !ok || s.Sel.Name != "AppendRevisions" {
				return true
			}
			calls++
			if !strings.HasSuffix(filepath.ToSlash(path), "internal/desk/checked.go") {
				t.Errorf("%s makes a revision past the checks", path)
			}
			return true
		})
		return nil
	})
	if err != nil || calls != 1 {
		t.Errorf("%d calls record revisions, want 1 (%v)", calls, err)
	}
}

// Package internal_test holds the shape of the house: what may stand on what, how large a room may grow, how wide a
// line.
package internal_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"
)

// The most lines that a room may have, without its tests, and columns that a line may have.
const (
	mostLines   = 6000
	mostColumns = 120
)

// goFiles calls f with every Go file of the project, by its path from here.
func goFiles(t *testing.T, f func(path, text string)) {
	t.Helper()
	err := filepath.WalkDir("..", func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if entry.IsDir() && (entry.Name() == "node_modules" || path != ".." && strings.HasPrefix(entry.Name(), ".")) {
			return filepath.SkipDir
		}
		if entry.IsDir() || !strings.HasSuffix(path, ".go") {
			return nil
		}
		text, err := os.ReadFile(path)
		if err == nil {
			f(filepath.ToSlash(path), string(text))
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// A room that has grown past what one person keeps in mind is two rooms.
func TestRoomsStaySmall(t *testing.T) {
	lines := map[string]int{}
	goFiles(t, func(path, text string) {
		if !strings.HasSuffix(path, "_test.go") {
			lines[filepath.Dir(path)] += strings.Count(text, "\n")
		}
	})
	if len(lines) < 40 {
		t.Fatalf("only %d rooms were found", len(lines))
	}
	for room, n := range lines {
		if n > mostLines {
			t.Errorf("%s has %d lines, more than %d", strings.TrimPrefix(room, "../"), n, mostLines)
		}
	}
}

// Lines fit beside each other, but for literals and tags, which a line break would change.
func TestLinesAreShort(t *testing.T) {
	goFiles(t, func(path, text string) {
		lines := strings.Split(text, "\n")
		long := map[int]bool{}
		for i, line := range lines {
			if utf8.RuneCountInString(line) > mostColumns {
				long[i+1] = true
			}
		}
		if len(long) == 0 {
			return
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, text, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(file, func(n ast.Node) bool {
			l, ok := n.(*ast.BasicLit)
			if ok && l.Kind == token.STRING && utf8.RuneCountInString(l.Value) > 24 {
				for at := set.Position(l.Pos()).Line; at <= set.Position(l.End()).Line; at++ {
					delete(long, at)
				}
			}
			return true
		})
		for at := range long {
			t.Errorf("%s:%d is wider than %d columns", strings.TrimPrefix(path, "../"), at, mostColumns)
		}
	})
}

// The heart is pure: it imports nothing of the house but itself, and reads no clock, file, network or database.
func TestCoreIsPure(t *testing.T) {
	impure := map[string]bool{
		"os": true, "net": true, "net/http": true, "io/fs": true, "database/sql": true, "gorm.io/gorm": true,
		"math/rand": true, "math/rand/v2": true, "log": true, "log/slog": true,
	}
	seen := 0
	goFiles(t, func(path, text string) {
		if !strings.HasPrefix(path, "../internal/core/") || strings.HasSuffix(path, "_test.go") {
			return
		}
		seen++
		file, err := parser.ParseFile(token.NewFileSet(), path, text, 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, i := range file.Imports {
			name, _ := strconv.Unquote(i.Path.Value)
			if impure[name] || strings.HasPrefix(name, "fachwerk/") && !strings.HasPrefix(name, "fachwerk/internal/core/") {
				t.Errorf("%s imports %s", strings.TrimPrefix(path, "../"), name)
			}
		}
		ast.Inspect(file, func(n ast.Node) bool {
			if s, ok := n.(*ast.SelectorExpr); ok && s.Sel.Name == "Now" {
				if x, ok := s.X.(*ast.Ident); ok && x.Name == "time" {
					t.Errorf("%s reads the clock", strings.TrimPrefix(path, "../"))
				}
			}
			return true
		})
	})
	if seen < 60 {
		t.Fatalf("only %d files of the heart were found", seen)
	}
}

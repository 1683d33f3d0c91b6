package code

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// Every code is in the list, once, and the documentation tells what it means.
func TestEveryCodeIsListedAndTold(t *testing.T) {
	file, err := parser.ParseFile(token.NewFileSet(), "code.go", nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	var declared []Code
	ast.Inspect(file, func(n ast.Node) bool {
		if v, ok := n.(*ast.ValueSpec); ok {
			for _, x := range v.Values {
				if l, ok := x.(*ast.BasicLit); ok {
					text, _ := strconv.Unquote(l.Value)
					declared = append(declared, Code(text))
				}
			}
		}
		return true
	})
	if !slices.Equal(declared, All) {
		t.Errorf("declared are %v, listed %v", declared, All)
	}
	told, err := os.ReadFile("../../../docs/refusals.md")
	if err != nil {
		t.Fatal(err)
	}
	for i, c := range All {
		if slices.Contains(All[:i], c) {
			t.Errorf("%q is listed twice", c)
		}
		if !strings.Contains(string(told), "| `"+string(c)+"` |") {
			t.Errorf("docs/refusals.md does not tell what %q means", c)
		}
	}
}

package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// Every mutant can still be made: what it changes stands once in its file.
func TestEveryMutantCanBeMade(t *testing.T) {
	seen := map[string]bool{}
	for _, m := range mutants {
		data, err := os.ReadFile(filepath.Join("..", "..", m.file))
		if n := strings.Count(string(data), m.find); err != nil || n != 1 || m.find == m.put {
			t.Errorf("%s (%s): it stands there %d times, %v", m.what, m.file, n, err)
		}
		if seen[m.what] {
			t.Errorf("%s: twice in the list", m.what)
		}
		seen[m.what] = true
	}
}

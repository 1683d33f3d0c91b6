// Package binary builds the program for tests that run it.
package binary

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
)

// built is the program's file, built once for all tests of a package.
var built = sync.OnceValues(func() (string, error) {
	folder, err := os.MkdirTemp("", "fachwerk-test")
	if err != nil {
		return "", err
	}
	file := filepath.Join(folder, "fachwerk")
	if out, err := exec.Command("go", "build", "-o", file, "fachwerk/cmd/fachwerk").CombinedOutput(); err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	return file, nil
})

// File gives the program's file.
func File(t *testing.T) string {
	t.Helper()
	file, err := built()
	if err != nil {
		t.Fatal(err)
	}
	return file
}

// Main runs a package's tests, and removes the program afterwards.
func Main(m *testing.M) {
	code := m.Run()
	if file, err := built(); err == nil {
		_ = os.RemoveAll(filepath.Dir(file))
	}
	os.Exit(code)
}

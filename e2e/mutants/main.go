// Command mutants changes the program in small, plausible ways, one at a time, and runs the tests that ought to notice.
// What survives shows what no test looks at. The changes are in list.go; go test's overlay puts each in, so that the
// files stay as they are.
//
// With arguments, only the mutants are run that have one of them in their file's name or in what they do.
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
)

// mutant is one change, with the packages whose tests ought to notice it.
type mutant struct {
	what  string // what is wrong in the changed program
	file  string
	find  string // stands in the file once
	put   string
	tests string
}

// wanted is the share of mutants that the tests must kill, in percent.
const wanted = 95

func main() {
	var list []mutant
	for _, m := range mutants {
		chosen := len(os.Args) < 2
		for _, word := range os.Args[1:] {
			chosen = chosen || strings.Contains(m.file+" "+m.what, word)
		}
		if chosen {
			list = append(list, m)
		}
	}
	folder, err := os.MkdirTemp("", "mutants")
	if err != nil {
		fail(err)
	}
	defer os.RemoveAll(folder)
	results := make([]string, len(list))
	next := make(chan int)
	var wait sync.WaitGroup
	for range max(1, runtime.NumCPU()) {
		wait.Go(func() {
			for i := range next {
				results[i] = try(list[i], filepath.Join(folder, fmt.Sprint(i)))
				fmt.Printf("%-8s %s (%s)\n", results[i], list[i].what, list[i].file)
			}
		})
	}
	for i := range list {
		next <- i
	}
	close(next)
	wait.Wait()
	killed := 0
	for _, r := range results {
		if r == "killed" {
			killed++
		}
	}
	fmt.Printf(
		"%d of %d mutants are killed, %d %% (wanted: %d)\n",
		killed,
		len(list),
		100*killed/max(1, len(list)),
		wanted,
	)
	if 100*killed < wanted*len(list) {
		os.Exit(1)
	}
}

// try tells what became of a mutant: killed, SURVIVED, or invalid if it cannot be made or does not compile.
func try(m mutant, folder string) string {
	text, err := os.ReadFile(m.file)
	if err != nil || strings.Count(string(text), m.find) != 1 {
		return "invalid"
	}
	path, err := filepath.Abs(m.file)
	if err != nil {
		return "invalid"
	}
	changed, overlay := filepath.Join(folder, filepath.Base(m.file)), filepath.Join(folder, "overlay.json")
	data, err := json.Marshal(map[string]any{"Replace": map[string]string{path: changed}})
	if err != nil || os.MkdirAll(folder, 0o700) != nil ||
		os.WriteFile(changed, []byte(strings.Replace(string(text), m.find, m.put, 1)), 0o600) != nil ||
		os.WriteFile(overlay, data, 0o600) != nil {
		return "invalid"
	}
	if exec.Command("go", "build", "-overlay", overlay, "./"+filepath.Dir(m.file)).Run() != nil {
		return "invalid"
	}
	args := append([]string{"test", "-overlay", overlay, "-failfast", "-timeout", "5m"}, strings.Fields(m.tests)...)
	test := exec.Command("go", args...)
	// Enough designs to see a mistake by, in less time; and programs that tests build are changed as well.
	test.Env = append(os.Environ(), "FACHWERK_DESIGNS=60", "GOFLAGS=-overlay="+overlay)
	if test.Run() != nil {
		return "killed"
	}
	return "SURVIVED"
}

func fail(err error) {
	fmt.Fprintln(os.Stderr, err)
	os.Exit(1)
}

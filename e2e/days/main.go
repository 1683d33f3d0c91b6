// Days makes the walks on days to come: with a clock of the machine, and of the browser, that is ahead by so many days.
// A walk that passes today and fails on one of them depends on when it is made.
//
//	go run ./e2e/days [-from 1] [-to 400] [-run TestARequest]
//
// On each day the hour is another, so that all hours are had too. The clock that is put ahead is the one that
// time.Now reads: the walks are built with a standard library in which it adds what FACHWERK_AHEAD says.
package main

import (
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

const (
	reads = "\tsec, nsec, mono := runtimeNow()\n"
	ahead = `package time

import "syscall"

var ahead = func() int64 {
	text, _ := syscall.Getenv("FACHWERK_AHEAD")
	d, _ := ParseDuration(text)
	return int64(d / Second)
}()
`
)

func main() {
	from := flag.Int("from", 1, "the first day, counted from today")
	to := flag.Int("to", 400, "the last day")
	which := flag.String("run", "", "only the walks whose names match")
	flag.Parse()
	folder, err := os.MkdirTemp("", "fachwerk-days")
	if err != nil {
		log.Fatal(err)
	}
	failed, err := walk(folder, *from, *to, *which)
	if err := errors.Join(err, os.RemoveAll(folder)); err != nil {
		log.Fatal(err)
	}
	if len(failed) > 0 {
		log.Fatalf("walks failed on %d of %d days: %s", len(failed), *to-*from+1, strings.Join(failed, ", "))
	}
	fmt.Printf("all walks pass on each of %d days\n", *to-*from+1)
}

// walk makes the walks on each day, and gives the days on which one failed.
func walk(folder string, from, to int, which string) (failed []string, err error) {
	binary, err := build(folder)
	if err != nil {
		return nil, err
	}
	for i := from; i <= to; i++ {
		by := time.Duration(i)*24*time.Hour + time.Duration(i*7%24)*time.Hour
		day := time.Now().Add(by).Format("2006-01-02 15:04")
		c := exec.Command(binary, "-test.timeout", "60m", "-test.parallel", "4", "-test.run", which)
		c.Dir, c.Env = "e2e", append(os.Environ(), "FACHWERK_AHEAD="+by.String())
		out, err := c.CombinedOutput()
		var exit *exec.ExitError
		switch {
		case errors.As(err, &exit):
			failed = append(failed, day)
			fmt.Printf("%s failed\n%s\n", day, out)
		case err != nil:
			return nil, err
		default:
			fmt.Println(day, "passed")
		}
	}
	return failed, nil
}

// build makes the test binary of the walks with a clock that can be put ahead, and gives where it is.
func build(folder string) (string, error) {
	root, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return "", err
	}
	library := filepath.Join(strings.TrimSpace(string(root)), "src", "time")
	text, err := os.ReadFile(filepath.Join(library, "time.go"))
	if err != nil {
		return "", err
	}
	if strings.Count(string(text), reads) != 1 {
		return "", errors.New("time.Now of this Go reads its clock in another way: say here how")
	}
	shifted := filepath.Join(folder, "time.go")
	added := filepath.Join(folder, "ahead.go")
	overlay, err := json.Marshal(map[string]any{"Replace": map[string]string{
		filepath.Join(library, "time.go"):  shifted,
		filepath.Join(library, "ahead.go"): added,
	}})
	if err != nil {
		return "", err
	}
	binary, replaced := filepath.Join(folder, "walks"), filepath.Join(folder, "overlay.json")
	err = errors.Join(
		os.WriteFile(shifted, []byte(strings.Replace(string(text), reads, reads+"\tsec += ahead\n", 1)), 0o600),
		os.WriteFile(added, []byte(ahead), 0o600),
		os.WriteFile(replaced, overlay, 0o600),
	)
	if err != nil {
		return "", err
	}
	c := exec.Command("go", "test", "-c", "-vet=off", "-overlay", replaced, "-o", binary, "./e2e")
	c.Stdout, c.Stderr = os.Stdout, os.Stderr
	return binary, c.Run()
}

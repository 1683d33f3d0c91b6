package main

import (
	"fmt"
	"os"
	"strings"
	"time"

	"fachwerk/e2e/browser"
)

func must(err error) {
	if err != nil {
		fmt.Println("ERR", err)
	}
}

// usage: look user path[|name] ...
func main() {
	day := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	dir, _ := os.MkdirTemp("", "look")
	url, _, stop, err := browser.Demo(dir, day)
	must(err)
	defer stop()
	p, end, err := browser.Launch(url, 1280, 800)
	must(err)
	defer end()
	must(p.SignIn(os.Args[1], "tidewater-lantern"))
	for i, a := range os.Args[2:] {
		parts := strings.Split(a, "|")
		if strings.HasPrefix(a, "click:") {
			f := strings.SplitN(strings.TrimPrefix(a, "click:"), "~", 2)
			must(p.Click(f[0], f[1]))
			continue
		}
		if strings.HasPrefix(a, "type:") {
			f := strings.SplitN(strings.TrimPrefix(a, "type:"), "~", 2)
			must(p.Type(f[0], f[1]))
			continue
		}
		if strings.HasPrefix(a, "press:") {
			must(p.Press(strings.TrimPrefix(a, "press:")))
			continue
		}
		if strings.HasPrefix(a, "wait:") {
			must(p.Wait(strings.TrimPrefix(a, "wait:")))
			continue
		}
		if strings.HasPrefix(a, "eval:") {
			_, err := browser.Eval[any](p, strings.TrimPrefix(a, "eval:"))
			must(err)
			continue
		}
		if parts[0] != "-" {
			must(p.Open(parts[0]))
		}
		must(p.Settled())
		name := fmt.Sprintf("%02d", i)
		if len(parts) > 1 {
			name = parts[1]
		}
		must(p.Shot("/tmp/look/" + name + ".png"))
	}
	for _, c := range p.Complaints() {
		fmt.Println("CONSOLE", c)
	}
}

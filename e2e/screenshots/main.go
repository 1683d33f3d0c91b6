// The program screenshots makes the pictures of the documentation from the demo organisation, as of a fixed day.
package main

import (
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"time"

	"fachwerk/e2e/browser"
	"fachwerk/internal/desk"
)

// day is the day of all pictures.
var day = time.Date(2026, 11, 23, 9, 14, 0, 0, time.UTC)

// picture is a main view: the file, the address, what must be seen before, and what is done first.
type picture struct {
	file, path, selector, text string
	act                        func(p *browser.Page) error
}

// ofOwner are the views as the owner sees them, ofManager those of a line manager.
var (
	ofOwner = []picture{
		{"frame", "/", "h2", "Permission sets", nil},
		{"frame-focus", "/?focus=role:gate-clerk", "[role=option]", "North gate crew", nil},
		{"frame-paths", "/?focus=user:tomasz.oyelaran&second=permission:quaybook:gate:admit", "[role=option]", "Gate clerk", nil},
		{"person", "/people/tomasz.oyelaran?permission=quaybook:gate:override", "p", "Held at Terminal 1", nil},
		{"why-not", "/people/noor.tamsin?permission=quaybook:berth-plan:view", "p", "does not hold it", nil},
		{"people", "/people?q=" + url.QueryEscape(`title co "crane" and area eq "terminal-1"`), "[data-id]", "Crane driver", nil},
		{"role", "/roles/site-manager", "main", "Kept out", func(p *browser.Page) error {
			return browser.Steps(func() error { return p.Click(`[data-brick="quaybook:gate:override"]`, "override") }, func() error { return p.See("main", "In your draft") })
		}},
		{"group", "/groups/north-gate-crew", "main", "Held by hand as well", func(p *browser.Page) error {
			return browser.Steps(func() error { return p.Click("section[aria-label=Draft] button", "Open") }, func() error { return p.Click("button", "Discard all") }, func() error { return p.See("section[aria-label=Draft]", "No draft") })
		}},
		{"catalogue", "/systems/quaybook", "main", "Supplied sets", nil},
		{"delegation", "/delegations", "li", "Ruben Adeyemi may", nil},
		{"finder", "/", "h2", "Permission sets", func(p *browser.Page) error {
			return browser.Steps(func() error { return p.Click("header button", "Find") }, func() error { return p.Type("Find, or ask", "who can override gates at Terminal 1") }, func() error { return p.See("#found", "11 people") })
		}},
		{"who", "/who?what=quaybook:gate:override&by=role:night-cover", "main", "by Night cover", nil},
		{"compare", "/compare?things=user:tomasz.oyelaran,user:noor.tamsin,role:gate-lead", "[data-answer]", "differences", nil},
		{"reviews", "/reviews/3?view=progress", "main", "Remind", nil},
		{"history", "/history", "p", "Revision 60", func(p *browser.Page) error {
			return browser.Steps(func() error { return p.Click("#revision-58 button", "Before and after") }, func() error { return p.See("#revision-58", "added") })
		}},
		{"draft", "/?focus=role:night-cover", "[role=option]", "Night cover", func(p *browser.Page) error {
			return browser.Steps(
				func() error { return p.Type("Filter groups", "north-gate-crew") },
				func() error { return p.Wait("document.querySelectorAll('#bay-group [data-row]').length === 1") },
				func() error {
					return p.Drag("#bay-group [role=option]", "North gate crew", "#bay-role [role=option]", "Night cover")
				},
				func() error { return p.Choose("Where", "at Terminal 1") },
				func() error { return p.Click("button", "Put into the draft") },
				func() error { return p.Click("section[aria-label=Draft] button", "Open") },
				func() error { return p.See("h2", "Who gains") },
			)
		}},
		{"night", "/?focus=group:gate-crews", "[role=option]", "Gate crews", func(p *browser.Page) error {
			_, err := browser.Eval[bool](p, "(document.documentElement.dataset.theme = 'night', true)")
			return err
		}},
	}
	ofManager = []picture{
		{"review", "/reviews/3?view=desk", "h2", "Should", func(p *browser.Page) error {
			return browser.Steps(func() error { return p.Click("ul button", "Tomasz Oyelaran") }, func() error { return p.See("h2", "Should Tomasz") })
		}},
	}
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: screenshots FOLDER")
		os.Exit(2)
	}
	if err := run(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(folder string) (err error) {
	temp, err := os.MkdirTemp("", "fachwerk-screenshots")
	if err != nil {
		return err
	}
	defer os.RemoveAll(temp)
	address, _, stop, err := browser.Demo(temp, day)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, stop()) }()
	page, end, err := browser.Launch(address, 1280, 800)
	if err != nil {
		return err
	}
	defer end()
	err = browser.Steps(
		func() error { return page.Open("/") },
		func() error { return page.See("button", "Signe Halloran") },
		func() error { return page.Shot(filepath.Join(folder, "sign-in.png")) },
		func() error { return page.SignIn("signe.halloran", desk.DemoPassword) },
	)
	if err != nil {
		return err
	}
	if err := take(page, folder, ofOwner); err != nil {
		return err
	}
	if err := browser.Steps(page.SignOut, func() error { return page.SignIn("mireille.aster", desk.DemoPassword) }); err != nil {
		return err
	}
	return take(page, folder, ofManager)
}

func take(page *browser.Page, folder string, pictures []picture) error {
	for _, p := range pictures {
		steps := []func() error{
			func() error { return page.Open(p.path) },
			func() error { return page.See(p.selector, p.text) },
		}
		if p.act != nil {
			steps = append(steps, func() error { return p.act(page) })
		}
		steps = append(steps, page.Settled, func() error { return page.Shot(filepath.Join(folder, p.file+".png")) })
		if err := browser.Steps(steps...); err != nil {
			return fmt.Errorf("%s: %w", p.file, err)
		}
	}
	return nil
}

// The program screenshots makes the pictures of the documentation from the demo organisation, as of a fixed day.
package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"time"

	"fachwerk/e2e/browser"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
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
		{"today", "/", "section[aria-label='Loose ends']", "Outliers", nil},
		{"frame-focus", "/frame?focus=role:gate-clerk", "[role=option]", "North gate crew", nil},
		{"person", "/people/tomasz.oyelaran?permission=quaybook:gate:override", "p", "Held at Terminal 1", nil},
		{
			"people",
			"/people?q=" + url.QueryEscape(`title co "crane" and area eq "terminal-1"`),
			"[data-id]",
			"Crane driver",
			nil,
		},
		{"role", "/roles/site-manager", "main", "Kept out", func(p *browser.Page) error {
			return browser.Steps(
				func() error { return p.Click(`[data-brick="quaybook:gate:override"]`, "override") },
				func() error { return p.See("main", "In your draft") },
			)
		}},
		{"catalogue", "/systems/quaybook", "main", "Supplied sets", nil},
		{"upgrade", "/upgrade", "main", "Choose a catalogue", func(p *browser.Page) error {
			return browser.Steps(
				func() error { return p.Upload("Catalogue to import", nextCatalogue) },
				func() error { return p.See("[data-upgrade]", "4.3") },
			)
		}},
		{"import", "/import", "main", "Drop a file here", func(p *browser.Page) error {
			return browser.Steps(
				func() error { return p.Upload("File to import", "e2e/screenshots/new-starters.csv") },
				func() error { return p.Click("[data-verdict=error]", "error") },
				func() error { return p.See("[data-row=error]", "Terminal 3") },
				func() error {
					return p.Wait("[...document.querySelectorAll('[data-row]')].every(e => e.dataset.row === 'error')")
				},
			)
		}},
		{"worklist", "/worklists", "main", "Night crew", func(p *browser.Page) error {
			return browser.Steps(
				func() error { return p.Click("main a", "Night crew") },
				func() error { return p.See("[data-worklist=ready]", "Joins Terminal 2 gate crew") },
			)
		}},
		{"delegation", "/delegations/keepers-whole", "section[aria-label='What would lower it']", "not too high", nil},
		{"leaving", "/people/ulla.tannahill/leaving", "form", "no successor yet", func(p *browser.Page) error {
			return browser.Steps(
				func() error { return p.Pick("Who takes over Quay hand", "Mireille Aster") },
				func() error { return p.Pick("Who takes over Terminal 2 gate crew", "Ruben Adeyemi") },
				func() error { return p.See("form", "1 thing has no successor yet") },
			)
		}},
		{"seats", "/seats", "[data-seat]", "hoistkeeper:part:view", nil},
		{"who", "/who?what=quaybook:gate:override&by=role:night-cover", "main", "by Night cover", nil},
		{"findings", "/findings", "ul[aria-label=Findings]", "Conflicts of duties", nil},
		{"reviews", "/reviews/3?view=progress", "main", "Remind", nil},
		{"history", "/history", "p", "Revision 60", func(p *browser.Page) error {
			return browser.Steps(
				func() error { return p.Click("#revision-58 button", "Before and after") },
				func() error { return p.See("#revision-58", "added") },
			)
		}},
		{"draft", "/frame?focus=role:night-cover", "[role=option]", "Night cover", func(p *browser.Page) error {
			return browser.Steps(
				func() error { return p.Type("Filter groups", "north-gate-crew") },
				func() error { return p.Wait("document.querySelectorAll('#bay-group [data-row]').length === 1") },
				func() error {
					return p.Drag(
						"#bay-group [role=option]",
						"North gate crew",
						"#bay-role [role=option]",
						"Night cover",
					)
				},
				func() error { return p.Choose("Where", "at Terminal 1") },
				func() error { return p.Click("button", "Put into the draft") },
				func() error { return p.Click("section[aria-label=Draft] button", "Open") },
				func() error { return p.See("h2", "Who gains") },
			)
		}},
	}
	ofManager = []picture{
		{"own", "/own", "section[aria-label='About you']", "You asked for", nil},
		{"review", "/reviews/3?view=desk", "h2", "Should", func(p *browser.Page) error {
			return browser.Steps(
				func() error { return p.Click("ul button", "Tomasz Oyelaran") },
				func() error { return p.See("h2", "Should Tomasz") },
			)
		}},
	}
)

// nextCatalogue is the file that the next version of Quaybook's catalogue is written to.
var nextCatalogue string

// writeCatalogue writes the next version of Quaybook's catalogue: a permission comes, one is renamed, one becomes
// more dangerous, one goes.
func writeCatalogue(d *model.Design) error {
	old, _ := d.Systems.Find("quaybook")
	next := change.Clone(old)
	next.Version = "4.3"
	const gone = "quaybook:surcharge:view"
	rename := func(keys []string) (out []string) {
		for _, k := range keys {
			switch k {
			case "quaybook:gate:override":
				out = append(out, "quaybook:gate:bypass")
			case gone, "quaybook:surcharge:edit":
			default:
				out = append(out, k)
			}
		}
		return out
	}
	next.Permissions = nil
	for _, p := range old.Permissions {
		if key := rename([]string{p.Key}); key != nil {
			p := *p
			p.Key, p.Implies = key[0], rename(p.Implies)
			if p.Key == "quaybook:gate:admit" {
				p.Risk = 2
			}
			next.Permissions = append(next.Permissions, &p)
		}
	}
	const drone = "quaybook:drone:launch"
	next.Permissions = append(
		next.Permissions,
		&model.Permission{Key: drone, Label: "Launch the quay drone", Class: model.Write, Risk: 2},
	)
	var sets []*model.Set
	for _, s := range d.Sets {
		if s.System == "quaybook" {
			s = change.Clone(s)
			if s.Version, s.Permissions = next.Version, rename(s.Permissions); s.ID == "quaybook-bookings" {
				s.Permissions = append(s.Permissions, drone)
			}
			sets = append(sets, s)
		}
	}
	data, err := json.Marshal(
		map[string]any{
			"system":  next,
			"sets":    sets,
			"renames": map[string]string{"quaybook:gate:override": "quaybook:gate:bypass"},
		},
	)
	if err != nil {
		return err
	}
	return os.WriteFile(nextCatalogue, data, 0o600)
}

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
	address, served, stop, err := browser.Demo(temp, browser.NewClock(day))
	if err != nil {
		return err
	}
	if err := served.CountFindings(); err != nil { // as the server does by itself
		return errors.Join(err, stop())
	}
	nextCatalogue = filepath.Join(temp, "quaybook-4.3.json")
	if err := writeCatalogue(served.Design()); err != nil {
		return errors.Join(err, stop())
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
		func() error { return page.SignIn("signe.halloran", demo.Password) },
	)
	if err != nil {
		return err
	}
	if err := take(page, folder, ofOwner); err != nil {
		return err
	}
	if err := browser.Steps(page.SignOut, func() error {
		return page.SignIn("mireille.aster", demo.Password)
	}); err != nil {
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

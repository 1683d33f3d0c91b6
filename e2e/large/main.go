// Large walks through the interface of a made-up organisation of 100,000 people in a real browser, and prints how
// long the page takes to show what a key asked for: the server's time and the drawing.
//
//	go run ./e2e/large [-users 100000]
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log"
	"os"
	"slices"
	"time"

	"fachwerk/e2e/browser"
	"fachwerk/internal/core/model"
	"fachwerk/internal/door/server"
	"fachwerk/internal/generate"
)

// step is a key and what it asks for: an action in the page, and an expression that is true once its answer is shown.
type step struct {
	name, path, ready string
	act, shown        string
}

// typed puts a text into the field with a label, as one key would.
func typed(label, text string) string {
	return typedInto(fmt.Sprintf(`input[aria-label=%q]`, label), text)
}

func typedInto(selector, text string) string {
	return fmt.Sprintf(
		`(() => { const e = document.querySelector(%q);
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(e, %q); e.dispatchEvent(new Event('input', { bubbles: true })) })()`,
		selector,
		text,
	)
}

// finder is where the finder is typed into, once it is open.
const finder = `[role="dialog"] input`

// rows is true once the list shows rows that all have a text.
func rows(text string) string {
	return fmt.Sprintf(
		`(() => { const all = [...document.querySelectorAll('[data-rows] [data-id]')]; return all.length > 0 && all.every(e => e.innerText.includes(%q)) })()`,
		text,
	)
}

var steps = []step{
	{
		"a list of people, by a word",
		"/people",
		`document.querySelectorAll('[data-rows] [data-id]').length > 5`,
		typed("Filter people", "okonedo"),
		rows("Okonedo"),
	},
	{
		"a list of people, by a filter",
		"/people",
		`document.querySelectorAll('[data-rows] [data-id]').length > 5`,
		typed("Filter people", `title eq "Title 3"`),
		rows("Title 3"),
	},
	{
		"a list of people, sorted",
		"/people",
		`document.querySelectorAll('[data-rows] [data-id]').length > 5`,
		`[...document.querySelectorAll('th button')].find(e => e.innerText.startsWith('Department')).click()`,
		`document.querySelector('th[aria-sort]')?.innerText.startsWith('Department') && !document.querySelector('[data-rows] [data-id]')?.innerText.includes('…')`,
	},
	{
		"the frame, filtered",
		"/frame",
		`document.querySelectorAll('#bay-role [data-row]').length > 5`,
		typed("Filter roles", "r0012"),
		`document.querySelectorAll('#bay-role [data-row]').length === 1`,
	},
	{
		"the frame, a role in focus",
		"/frame",
		`document.querySelectorAll('#bay-role [data-row]').length > 5`,
		`document.querySelector('#bay-role [data-row]').click()`,
		`location.search.includes('focus=role') && document.querySelectorAll('svg path').length > 3`,
	},
	{
		"the finder, a name",
		"/people",
		`document.querySelectorAll('[data-rows] [data-id]').length > 5`,
		typedInto(finder, "ingrid okonedo"),
		`document.querySelector('[role="dialog"]')?.innerText.includes('Okonedo')`,
	},
	{
		"a person's sheet",
		"/people/p00777",
		`document.querySelectorAll('[data-brick]').length > 5`,
		`document.querySelector('[data-brick]').click()`,
		`document.querySelector('[aria-label="Behind the wall"]').innerText.includes('by')`,
	},
}

func main() {
	log.SetFlags(0)
	users := flag.Int("users", 100_000, "how many people the organisation has")
	flag.Parse()
	server.ShareProcessors()
	if err := run(*users); err != nil {
		log.Fatal(err)
	}
}

func run(users int) (err error) {
	dir, err := os.MkdirTemp("", "large")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	design := generate.Design(generate.Options{Users: users, Seed: 1})
	owner := design.Users[slices.IndexFunc(design.Users, func(u *model.User) bool {
		return u.State == "active" && u.Until.IsZero() && u.From.IsZero()
	})]
	url, d, stop, err := browser.Serve(dir, generate.Day, design)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, stop()) }()
	if _, err := d.MakeOwner(owner.ID); err != nil {
		return err
	}
	link, err := d.PasswordLink(owner.ID)
	if err != nil {
		return err
	}
	if _, err := d.SetPassword(context.Background(), link, "walk the walk", "test"); err != nil {
		return err
	}
	p, closed, err := browser.Launch(url, 1280, 800)
	if err != nil {
		return err
	}
	defer closed()
	if err := p.SignIn(owner.UserName, "walk the walk"); err != nil {
		return err
	}
	fmt.Printf("%-34s %10s %10s\n", fmt.Sprintf("%d people, milliseconds", users), "first", "then")
	for _, s := range steps {
		var took []time.Duration
		for range 4 {
			one, err := measure(p, s)
			if err != nil {
				return fmt.Errorf("%s: %w", s.name, err)
			}
			took = append(took, one)
		}
		fmt.Printf("%-34s %10.0f %10.0f\n", s.name, took[0].Seconds()*1000, slices.Min(took[1:]).Seconds()*1000)
	}
	return nil
}

// measure makes a step and gives the time until the frame after the one in which its answer stands.
func measure(p *browser.Page, s step) (time.Duration, error) {
	if err := browser.Steps(func() error { return p.Open(s.path) }, func() error { return p.Wait(s.ready) }); err != nil {
		return 0, err
	}
	if s.name == "the finder, a name" {
		if err := browser.Steps(func() error {
			return p.PressControl("k")
		}, func() error { return p.Wait("document.querySelector('" + finder + "')") }); err != nil {
			return 0, err
		}
	}
	ms, err := browser.EvalAsync[float64](
		p,
		fmt.Sprintf(`new Promise((done, fail) => { const start = performance.now(); %s;
		const look = () => { if (%s) requestAnimationFrame(() => done(performance.now() - start)); else if (performance.now() - start > 20000) fail('in vain'); else setTimeout(look, 4) };
		look() })`, s.act, s.shown),
	)
	return time.Duration(ms * float64(time.Millisecond)), err
}

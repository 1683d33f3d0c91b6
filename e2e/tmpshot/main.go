package main

import (
	"fmt"
	"os"
	"time"

	"fachwerk/e2e/browser"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
)

var day = time.Date(2026, 11, 23, 9, 14, 0, 0, time.UTC)

func check(err error) {
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
}

func main() {
	dir, _ := os.MkdirTemp("", "shot")
	url, d, stop, err := browser.Demo(dir, day)
	check(err)
	defer stop()
	who := desk.Actor{User: "signe.halloran"}
	_ = who
	p, quit, err := browser.Launch(url, 1280, 800)
	check(err)
	defer quit()
	check(p.SignIn("signe.halloran", demo.Password))
	head, err := d.NewWorklist(who, "Night crew of Terminal 2")
	check(err)
	_, err = d.Gather(who, head.ID, people.Source{Of: &desk.End{Kind: "role", ID: "gate-clerk"}})
	check(err)
	_, err = d.Gather(who, head.ID, people.Source{Text: "noor.tamsin; Tomas Oyelaran; nobody.here\nkx-9999\nRuben Adeyemi"})
	check(err)
	steps := []worklist.Step{
		{Do: worklist.Assign, Roles: []string{"site-manager", "gate-clerk"}, Area: "terminal-2", Until: day.AddDate(0, 3, 0).Truncate(24 * time.Hour)},
		{Do: worklist.Join, Groups: []string{"north-gate-crew"}},
		{Do: worklist.Unlock},
	}
	check(d.AlterWorklist(who, head.ID, people.Alteration{Steps: &steps, Leave: []string{"noor.tamsin"}}))
	shots := os.Args[1:]
	for _, s := range shots {
		switch s {
		case "list":
			check(p.Open("/worklists"))
			check(p.Settled())
		case "work":
			check(p.Open("/worklists/" + head.ID))
			check(p.See("[data-worklist=ready]", ""))
			check(p.Settled())
		case "people":
			check(p.Open("/people?q=crane"))
			check(p.See("[data-id]", ""))
			check(p.Click("[data-place='2'] input", ""))
			check(p.Settled())
			check(p.Click("button", "Gather these"))
			check(p.Settled())
		case "role":
			check(p.Open("/roles/gate-clerk"))
			check(p.Settled())
		case "log":
			check(p.Click("button", "Put into the draft"))
			check(p.Settled())
			dr, err := d.Draft(who)
			check(err)
			ap, err := d.Apply(desk.Actor{User: "signe.halloran", Proven: day}, "for the night", dr.Stamp)
			check(err)
			check(p.Open("/worklists/log/" + ap.Runs[0]))
			check(p.Settled())
		case "step":
			check(p.Click("button", "Add a step"))
			check(p.Settled())
		case "assign":
			check(p.Click("[data-do=assign]", "Assign"))
			check(p.Settled())
		}
		check(p.Shot("/tmp/" + s + ".png"))
	}
}

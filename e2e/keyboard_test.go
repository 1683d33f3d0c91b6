package e2e

import (
	"testing"

	"fachwerk/e2e/browser"
)

// Each piece of work of the tour, with the hands on the keyboard alone.
func TestTheTourByKeys(t *testing.T) {
	for _, piece := range []struct {
		name, who, at string
		work          func(s *steps)
	}{
		{"Today", "signe.halloran", "/", func(s *steps) {
			s.wait("document.activeElement.matches('[data-line]')")
			s.press(browser.Down, browser.Down, browser.Up)
			s.press(browser.Enter)
			s.wait("location.pathname !== '/'")
		}},
		{"a person's sheet", "signe.halloran", "/people/noor.tamsin", func(s *steps) {
			s.see("[data-brick]", "view")
			s.tab("(quaybook:barrier:view", 40)
			s.press(browser.Right)
			s.press(browser.Enter)
			s.wait("location.search.includes('permission=')")
			s.see("main", "held")
		}},
		{"a role's workshop", "signe.halloran", "/roles/gate-clerk", func(s *steps) {
			s.see("[data-brick]", "view")
			s.tab("Find on the wall", 60)
			s.press("gate:override")
			s.wait("document.querySelectorAll('[data-brick]').length === 1")
			s.tab("override", 12)
			s.press(" ")
			s.see("section[aria-label=Draft]", "1 change")
			s.wait(`document.querySelector('[data-brick="quaybook:gate:override"]').dataset.state === 'given'`)
		}},
		{"a question", "signe.halloran", "/who", func(s *steps) {
			s.tab("Ask about", 30)
			s.press("gate:override")
			s.see("[role=option]", "quaybook:gate:override")
			s.press(browser.Enter)
			s.see("[data-answer]", "17 people")
			s.tab("Keep it so", 20)
		}},
		{"another day", "signe.halloran", "/people/eilidh.gallowmoor", func(s *steps) {
			s.see("main", "Crane driver")
			s.tab("When", 30)
			s.press(browser.Enter)
			s.on("When")
			s.press("12.11.2026", browser.Enter)
			s.see("section", "As it was on 12 Nov 2026")
			s.see("main", "Trainee")
		}},
		{"coming", "signe.halloran", "/people", func(s *steps) {
			s.tab("Invite …", 60)
			s.press(browser.Enter)
			s.on("Name")
			s.press("Nia Cairn")
			s.tab("Put into the draft", 40)
			s.press(browser.Enter)
			s.see("section[aria-label=Draft]", "Nia Cairn")
		}},
		{"seats", "signe.halloran", "/seats", func(s *steps) {
			s.see("[data-pool]", "Quaybook Standard")
			s.tab("Quaybook Standard", 40)
			s.press(browser.Enter)
			s.tab("Put into the draft", 20)
			s.press(browser.Enter)
			s.see("section[aria-label=Draft]", "1 change")
		}},
		{"a finding", "signe.halloran", "/findings", func(s *steps) {
			s.see("main", "The most serious first")
			s.tab("Duplicates of a group", 60)
			s.press(browser.Enter)
			s.wait("location.search.includes('kind=')")
			s.tab("Choose all", 90)
			s.press(browser.Enter)
			s.tab("Repair in the draft", 4)
			s.press(browser.Enter)
			s.see("section[aria-label=Draft]", "6 changes")
		}},
		{"asking", "mireille.aster", "/own?all=1", func(s *steps) {
			s.see("[data-brick]", "edit")
			s.tab("I need to", 60)
			s.press("berth-plan:edit")
			s.see("[role=option]", "quaybook:berth-plan:edit")
			s.press(browser.Enter)
			s.see("[role=dialog]", "I need")
			s.tab("What you need it for", 20)
			s.press("I plan the berths")
			s.tab("Ask for it", 20)
			s.press(browser.Enter)
			s.see("[role=status]", "You asked for")
		}},
		{"leaving", "signe.halloran", "/going", func(s *steps) {
			s.tab("Who leaves", 40)
			s.press("ulla tannahill")
			s.see("[role=option]", "Ulla Tannahill")
			s.press(browser.Enter)
			s.see("h1", "Ulla Tannahill leaves after")
			s.tab("Who takes over Quay hand", 60)
			s.press("mireille aster")
			s.see("[role=option]", "Mireille Aster")
			s.press(browser.Enter)
			s.see("form", "Mireille Aster")
		}},
		{"a delegation", "signe.halloran", "/delegations", func(s *steps) {
			s.see("main", "What could come of it")
			s.tab("New delegation", 60)
			s.press(browser.Enter)
			s.see("form", "may")
			s.tab("Name", 40)
		}},
		{"a promise", "signe.halloran", "/guarantees", func(s *steps) {
			s.tab("New guarantee", 60)
			s.press(browser.Enter)
			s.see("[role=dialog]", "A promise about who may hold what")
			s.on("Name")
			s.press("Overrides")
			s.tab("Which people", 3)
			s.press(browser.Enter)
			s.tab("Members of the group", 3)
			s.press("bookkeepers")
			s.see("[role=option]", "Bookkeepers")
			s.press(browser.Enter)
			s.see("button[aria-label^='Which people']", "Bookkeepers")
			s.press(browser.Esc)
			s.on("Which people")
			s.tab("Which permissions", 2)
			s.press(browser.Enter)
			s.press("tallyroom:payment:release")
			s.see("[role=option]", "tallyroom:payment:release")
			s.press(browser.Enter)
			s.see("button[aria-label^='Which permissions']", "tallyroom:payment:release")
			s.press(browser.Esc)
			s.tab("Put into the draft", 10)
			s.press(browser.Enter)
			s.see("section[aria-label=Draft]", "Overrides")
		}},
		{"a review", "signe.halloran", "/reviews", func(s *steps) {
			s.tab("What: what", 60)
			s.press(browser.Enter)
			s.press("night cover")
			s.see("[role=option]", "Night cover")
			s.press(browser.Enter)
			s.see("button[aria-label^='What:']", "Night cover")
			s.press(browser.Esc)
			s.tab("Open the review", 60)
			s.press(browser.Enter)
			s.see("main", "Remind those who are behind")
		}},
		{"the history", "signe.halloran", "/history", func(s *steps) {
			s.see("main", "Revision 60")
			s.tab("Undo", 40)
			s.press(browser.Enter)
			s.see("section[aria-label=Draft]", "1 change")
		}},
	} {
		t.Run(piece.name, func(t *testing.T) {
			s := walk(t, 1280, 800)
			s.signIn(piece.who)
			s.open(piece.at)
			piece.work(s)
		})
	}
}

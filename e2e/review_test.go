package e2e

import (
	"fmt"
	"testing"

	"fachwerk/e2e/browser"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/review"
)

// TestAReviewFromOpeningToReport opens a review by sentence, decides it at the desk and in the grid by key, hands
// one on, reminds, closes it with what is undecided revoked, settles what came by a group, and reads the report.
func TestAReviewFromOpeningToReport(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/reviews")
	s.click("form[aria-label='Open a review'] button", "Who decides")
	s.click("label", "one person for all")
	s.pick("Reviewer", "Mireille Aster")
	s.shut()
	s.click("form[aria-label='Open a review'] button", "What: what")
	s.pick("Role", "Gate clerk")
	s.shut()
	s.see("p", "42 items for 1 reviewer")
	s.click("form[aria-label='Open a review'] button", "Where: anywhere")
	s.pick("Area", "Terminal 1")
	s.shut()
	s.see("p", "21 items for 1 reviewer")
	s.click("form[aria-label='Open a review'] button", "What happens to undecided items")
	s.click("label", "is revoked")
	s.shut()
	s.typeInto("Name of the review", "Gates, autumn")
	s.click("button", "Open the review")
	s.see("h1", "Gates, autumn")
	s.see("main", "21 of 21 missing")
	s.click("button", "Remind those who are behind")
	s.see("[role=status]", "1 reminder is in the outbox")
	s.click("main button", "Mireille Aster: Gates, autumn")
	s.see("[role=dialog]", "Dear Mireille Aster")
	s.press(browser.Esc)
	s.must(s.SignOut())

	// The reviewer: one at a time by key, with the evidence; one handed on.
	s.signIn("mireille.aster")
	s.see("main", "Decide 21 items of Gates, autumn")
	s.click("header a", "Reviews 31 waiting")
	s.see("h1", "Reviews")
	s.click("a", "Gates, autumn")
	s.click("ul[aria-label=Items] button", "Tomasz Oyelaran")
	s.see("main", "Held since")
	s.see("main", "What stays all the same")
	s.see("main", "by North gate crew, North Harbour staff")
	s.press("r")
	s.wait("document.activeElement.tagName === 'INPUT'")
	s.press("moved to the quay", browser.Enter)
	s.see("ul[aria-label=Items] button", "✕ revoked")
	s.wait("document.activeElement.tagName !== 'INPUT'")
	s.press("k")
	s.see("ul[aria-label=Items] button", "✓ kept")
	s.press("u")
	s.press("h")
	s.see("[role=dialog]", "Hand on")
	s.typeInto("To", "ruben ade")
	s.wait("document.querySelector('ul[aria-label=People]:not([aria-busy=true])')") // what is found moves no more
	s.click("[role=dialog] button", "Ruben Adeyemi")
	s.typeInto("A word why", "he knows the quays")
	s.click("[role=dialog] button", "Hand on to Ruben Adeyemi")
	s.see("[role=status]", "for Ruben Adeyemi to decide")

	// What is decided is not decided otherwise by a stray key.
	s.click("ul[aria-label=Items] button", "Tomasz Oyelaran")
	s.press("k")
	s.see("[role=status]", "This is revoked already. Take that back first")
	s.see("ul[aria-label=Items] button", "✕ revoked")

	// The grid: all that are alike at once.
	s.click("[role=tab]", "As a grid")
	s.see("[role=grid]", "Against it")
	s.must(s.Settled())
	s.click("[data-item]", "Kofi Ostrov")
	s.press("a")
	s.wait("document.querySelectorAll('[data-item] input:checked').length > 3")
	s.wait(
		"document.querySelectorAll('[data-item] input:disabled').length > 0",
	) // what is not alike cannot be picked with them
	s.press("k")
	s.wait("document.querySelectorAll('[data-item] input:checked').length === 0")
	s.choose("Which items", "all items")
	s.wait("[...document.querySelectorAll('[data-item]')].filter(e => e.innerText.includes('✓ kept')).length > 3")
	s.must(s.SignOut())

	// The opener closes it: direct ones go in one revision, the others go to the owner of the crew.
	s.signIn("signe.halloran")
	s.open("/reviews")
	s.click("a", "Gates, autumn")
	s.click("button", "Close the review")
	s.see("[role=dialog]", "revoked, as was chosen at opening")
	s.see("[role=dialog]", "Tomasz Oyelaran loses Gate clerk at Terminal 1")
	s.see("[role=dialog]", "left to the owners")
	s.click("[role=dialog] button", "Close it")
	s.see("[role=status]", "left for somebody to do")
	s.see("main", "Left to be done by hand")
	s.must(s.SignOut())
	s.signIn("mireille.aster")
	s.open("/reviews")
	s.see("main", "For you to settle")
	s.click("li", "Tomasz Oyelaran")
	s.click("li a", "Settle")
	s.see("h2", "Take the person out")
	s.see("section[aria-label='Take the person out']", "1 person loses something")
	s.see("section[aria-label='Remove the grant from the group']", "people lose something")
	s.wait("[...document.querySelectorAll('section[aria-label=\"Leave it\"] button')].every(b => b.disabled)")
	s.click("section[aria-label='Take the person out'] button", "Take the person out")
	s.see("[role=alert]", "This takes effect at once, as a revision of yours: 1 person loses something")
	s.click("[role=alert] button", "Do it")
	s.see("[role=status]", "Settled by revision 62")
	s.must(s.SignOut())

	// The report's figures are links to its items.
	s.signIn("oona.brandvold")
	s.open("/reviews")
	s.click("a", "Gates, autumn")
	s.see("main", "✓ taken out of the group")
	s.open("/api/reviews/4/report.html")
	s.see("body", "revoked by a decision")
	s.see("body", "taken out of the group")
	s.wait(
		"[...document.querySelectorAll('a[href^=\"#item-\"]')].length > 20 && " +
			"[...document.querySelectorAll('a[href^=\"#item-\"]')].every(a => document.querySelector(a.getAttribute('href')))",
	)
	figures, err := browser.Eval[bool](
		s.Page,
		"[...document.querySelectorAll('.sum tr')].slice(1, 5).every(r => Number(r.cells[0].innerText) === "+
			"r.querySelectorAll('a').length)",
	)
	s.must(err)
	if !figures {
		t.Error("a figure of the report is not the number of its items")
	}
}

// TestALongReview goes through more items than come at once: by key from one to the next, to the last of the grid, and
// what is alike in one step, wherever it stands.
func TestALongReview(t *testing.T) {
	s := walk(t, 1280, 800)
	opened, err := s.desk.OpenReview(
		desk.Actor{User: "signe.halloran"},
		review.NewReview{Area: "north-harbour", Risk: 1, By: "person", Person: "ruben.adeyemi"},
	)
	if err != nil || opened.Items < 250 {
		t.Fatalf("a review of %+v: %v", opened, err)
	}
	his := opened.Items - opened.Mine // but for what is about himself, which falls to who opened it
	s.signIn("ruben.adeyemi")
	s.open(fmt.Sprintf("/reviews/%d", opened.ID))
	s.see("section[aria-label='The item']", "Item 1 of")
	s.press("k")
	s.see("section[aria-label='The item']", "Item 2 of")
	s.wait("document.querySelectorAll('ul[aria-label=Items] li').length < 60") // only what is in sight
	s.wait("(document.querySelector('ul[aria-label=Items]').parentElement.scrollTop = 1e6, true)")
	s.wait("[...document.querySelectorAll('ul[aria-label=Items] li')].at(-1).innerText.includes('undecided')")
	s.click("ul[aria-label=Items] li:last-of-type button", "")
	last := fmt.Sprintf("Item %d of %d", his, his)
	s.see("section[aria-label='The item']", last)
	s.press("k") // the next one that is undecided is near the top again
	s.see("section[aria-label='The item']", "Item 2 of")

	s.click("[role=tab]", "As a grid")
	s.wait("document.querySelectorAll('[data-item]').length > 10")
	s.choose("Which items", "all items")
	s.wait("document.querySelector('[data-place=\"0\"][data-item]')")
	s.click("[data-place='0'] td:nth-child(2)", "")
	s.press(browser.End)
	s.wait(fmt.Sprintf("document.querySelector('[data-place=\"%d\"][data-item][data-chosen]')", his-1))
	s.see("[data-chosen]", "✓ kept")
	s.press(browser.Home)
	s.wait("document.querySelector('[data-place=\"0\"][data-item][data-chosen]')")
	many, alike := mostAlike(t, s, opened.ID)
	s.wait(fmt.Sprintf(`(e => (e.scrollTop = e.scrollHeight * %d / %d - 100,
		!!document.querySelector('[data-place="%[1]d"][data-item]')))(document.querySelector('[data-place]').closest('.overflow-auto'))`,
		many, his))
	// undecided, and like more others than stand in sight
	s.click(fmt.Sprintf("[data-place='%d'] td:nth-child(2)", many), "")
	s.click("button", "Take all alike")
	s.see("button", "Keep 1")
	s.see("button", fmt.Sprintf("Keep %d", alike))
	s.click("button", "Keep 1")
	s.see(fmt.Sprintf("[data-place='%d']", many), "✓ kept")
}

// mostAlike gives the place of an undecided item of Ruben's that is like most others, and how many these are with it.
func mostAlike(t *testing.T, s *steps, id int) (place, alike int) {
	t.Helper()
	v, err := s.desk.Items(desk.Actor{User: "ruben.adeyemi"}, id, review.ItemsAsk{Limit: 1000})
	if err != nil {
		t.Fatal(err)
	}
	count := map[string]int{}
	for _, i := range v.Rows {
		if i.Decision == "" {
			count[i.Like]++
		}
	}
	for n, i := range v.Rows {
		if i.Decision == "" && count[i.Like] > alike {
			place, alike = n, count[i.Like]
		}
	}
	if alike < 50 {
		t.Fatalf("no more than %d items are alike", alike)
	}
	return place, alike
}

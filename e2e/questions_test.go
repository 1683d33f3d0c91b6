package e2e

import (
	"testing"
	"time"

	"fachwerk/e2e/browser"
)

// TestQuestions asks who can do something, narrows the answer to what some have in common, sets two of them side by
// side and on another day, and gives somebody what they lack by the smallest repair.
func TestQuestions(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")

	// From the finder to the page.
	s.must(s.PressControl("k"))
	s.typeInto("Find, or ask", "who can override gates")
	s.click("[role=dialog] [role=option]", "Who can override gate")
	s.wait("location.pathname === '/who'")
	s.see("[data-answer]", "17 people")
	s.click("section[aria-label='By role or set'] button", "Night cover")
	s.see("main", "8 by Night cover")
	s.wait("document.querySelectorAll('[data-row]').length === 8")
	s.choose("Where", "Terminal 2")
	s.see("main", "Nobody can.")
	s.choose("Where", "Whole organisation")
	s.wait("document.querySelectorAll('[data-row]').length === 8")
	s.click("main button[aria-label='Show all again']", "✕")
	s.wait("document.querySelectorAll('[data-row]').length > 8")
	// Wider: the object, then the whole system.
	s.click("main button", "gate")
	s.see("[data-answer]", "of 4 permissions")
	s.click("main button", "quaybook")
	s.see("[data-answer]", "92 people")
	s.wait("[...document.querySelectorAll('main a[download]')].map(a => a.textContent).join() === 'CSV,XLSX'")
	s.pick("Ask about", "tallyroom:payment:release")
	s.see("[data-answer]", "Release payment")
	s.pick("Ask about", "gangway:timetable:view")
	s.see("[data-answer]", "whoever is not signed in can do it too, by the group Public")

	// Before anything is asked, the page tells where to begin.
	s.open("/who")
	s.see("section[aria-label^='Critical']", "18 people")
	s.click("section[aria-label^='Critical'] li button", "quaybook:gate:override")
	s.see("[data-answer]", "17 people")
	s.open("/who")
	s.click("section[aria-label='Whole systems'] li button", "Quaybook")
	s.see("[data-answer]", "92 people")

	// Side by side: asked in the finder, or gathered on the page.
	s.must(s.PressControl("k"))
	s.typeInto("Find, or ask", "compare tomasz oyelaran with noor")
	s.click("[role=dialog] [role=option]", "How do Tomasz Oyelaran and Noor Tamsin differ?")
	s.see("[data-answer]", "4 differences")
	s.click("main button", "Begin anew")
	s.see("main", "Choose two to eight things")
	s.pick("Set beside", "Tomasz Oyelaran")
	s.see("[data-begun]", "Tomasz Oyelaran: choose what to set beside it")
	s.pick("Set beside", "Noor Tamsin")
	s.see("[data-answer]", "4 differences; 28 permissions are held alike")
	s.pick("Set beside", "Gate lead")
	s.wait("document.querySelectorAll('thead th').length === 4")
	s.click("thead button[aria-label='Take out Gate lead']", "✕")
	s.see("[data-answer]", "4 differences")
	s.click("main label", "what all of them hold")
	s.wait("document.querySelectorAll('[data-difference]').length === 32")
	s.wait("location.search.includes('things=user%3Atomasz.oyelaran%2Cuser%3Anoor.tamsin')")

	// What fits a need, and a role that fits exactly.
	s.click("main nav a", "Closest fit")
	s.see("main", "Name what somebody needs")
	s.typeInto("Paste keys", "quaybook:gate:admit quaybook:gate:override; quaybook:barrier:open, quaybook:gohst:open")
	s.click("main button", "Add 4")
	s.see("[role=alert]", "No system has quaybook:gohst:open")
	s.click("[role=alert] button", "Leave out")
	s.pick("Needed permission", "quaybook:gate-log:export")
	s.see("[aria-label='What is needed']", "7 permissions")
	s.wait(
		"document.querySelector('[data-fit]').innerText.includes('Gate lead') && " +
			"document.querySelector('[data-fit]').innerText.includes('gives all 7')",
	)
	s.see("[data-fit]", "Night cover with Gate clerk")
	s.click("[data-fit] button", "A role that fits")
	s.see("[role=dialog]", "keeps out 7 permissions that would be too much")
	s.typeInto("Name", "Gate, narrowly")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "Gate, narrowly")
	s.see("main", "Kept out 7")
	s.open("/fit")
	s.click("section[aria-label=Draft] button", "Open")
	s.click("button", "Discard all")
	s.see("section[aria-label=Draft]", "No draft")

	// What somebody lacks, and what would give it.
	s.open("/people/noor.tamsin?all=1&permission=quaybook:gate:override")
	s.see("section[aria-label=Repairs]", "What would give it at Terminal 2")
	s.see("[data-repair]", "Smallest: Noor Tamsin gets Night cover at Terminal 2")
	s.see("[data-repair]", "Nothing else, for nobody else.")
	s.click("[data-repair] button", "Draft")
	s.see("main", "Held at Terminal 2, by 1 way")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("covers the nights at Terminal 2")
	s.brick("quaybook:gate:override", "held at Terminal 2")

	// What they have had over time, and by which revision.
	s.open("/people/tomasz.oyelaran?tab=time")
	s.wait("document.querySelectorAll('[data-band]').length === 9")
	s.click("[data-band] button[aria-label^='Gate override']", "")
	s.see("main", "Began on")
	s.see("main a", "revision 58")
	s.click("main button", "3 months")
	s.wait("document.querySelectorAll('[data-band]').length === 9")
}

// TestEnterWaitsForTheAnswer presses Enter before what was typed is answered: what is taken is the first of what is
// found then, not of what stood there.
func TestEnterWaitsForTheAnswer(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.must(s.PressControl("k"))
	s.typeInto("Find, or ask", "gate")
	s.see("[role=dialog] [role=option]", "Gate clerk")
	s.must(s.Slow(500 * time.Millisecond))
	s.typeInto("Find, or ask", "tomasz oyelaran")
	s.press(browser.Enter)
	s.wait("location.pathname === '/people/tomasz.oyelaran'")

	s.must(s.Slow(0))
	s.open("/compare")
	s.must(s.Slow(500 * time.Millisecond))
	s.typeInto("Set beside", "noor tamsin")
	s.press(browser.Enter)
	s.wait("decodeURIComponent(location.search) === '?things=user:noor.tamsin'")
	s.must(s.Slow(2 * time.Second))
	// Whoever types on did not mean what stood there.
	s.typeInto("Set beside", "gate")
	s.press(browser.Enter, " lead", browser.Enter)
	s.wait("decodeURIComponent(location.search) === '?things=user:noor.tamsin,role:gate-lead'")
}

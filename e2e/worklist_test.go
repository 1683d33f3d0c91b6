package e2e

import (
	"testing"

	"fachwerk/e2e/browser"
)

// From a pasted list in which some are not recognised, over steps and rows, to the log of what became of each, and
// one undo of it all; by keys where keys do.
func TestAWorklist(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.click("header a", "People")
	s.click("nav a", "Worklists")
	s.see("main", "Night crew for Terminal 2")
	s.click("button", "New worklist")
	s.see("main", "Nobody is on the list yet")
	s.typeInto(
		"People, one a line or separated",
		"tomasz.oyelaran; Kofi Ostrov\nnoor.tamsin, Tomas Oyelaran\nnobody.here\nkx-9999\nwho is that\nRuben "+
			"Adeyemy\nLucia Fenwick <lucia.fenwick@skerryhaven.example>",
	)
	s.click("button", "Gather these")
	s.see("[role=status]", "4 came onto the list; 5 not recognised")
	s.see("section[aria-label='Not recognised']", "did you mean Ruben Adeyemi")
	s.click("[data-meant]", "Ruben Adeyemi")
	s.see("section[aria-label='Not recognised']", "Not recognised: 4")
	s.click("button[aria-label='Done with it: kx-9999']", "")
	s.see("section[aria-label='Not recognised']", "Not recognised: 3")
	s.see("main", "5 people")

	s.click("button", "Add a step")
	s.click("[data-do=assign]", "Assign")
	s.pick("Roles and sets", "Quay hand")
	s.choose("Where", "at Terminal 2")
	s.click("[role=dialog] button", "Add the step")
	s.see("section[aria-label=Steps]", "Assign Quay hand at Terminal 2")
	s.click("button", "Add a step")
	s.click("[data-do=join]", "Put into groups")
	s.pick("Groups", "Terminal 2 gate crew")
	s.click("[role=dialog] button", "Add the step")
	s.see("[data-worklist=ready] section[aria-label=Steps]", "Put into Terminal 2 gate crew")
	s.see("[data-id='noor.tamsin'] [data-outcome=does]", "Is assigned Quay hand at Terminal 2")

	// One is left out, one comes off the list; neither is changed.
	s.click("[data-id='ruben.adeyemi'] td", "Ruben")
	s.see("section[aria-label='The person']", "Ruben Adeyemi")
	s.click("button", "Leave out of the steps")
	s.see("[data-result=left]", "1 left out")
	s.click("[data-id='lucia.fenwick'] td", "Lucia")
	s.see("section[aria-label='The person']", "Lucia Fenwick")
	s.click("button", "Off the list")
	s.see("main", "4 people")
	s.click("button", "Put into the draft")
	s.see("section[aria-label=Draft]", "1 change")
	s.see("[data-worklist=ready]", "already so") // what the draft does is laid beneath
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("a crew for the second terminal")
	s.click("[role=status] a", "What became of each")
	s.see("h1", "Worklist of")
	s.see("main", "3 people")
	s.see("[data-id='kofi.ostrov'] [data-outcome=does]", "Joins Terminal 2 gate crew")
	s.gone("[data-id]", "Ruben Adeyemi")
	s.click("header a", "revision 61")
	s.see("#revision-61", "a crew for the second terminal")
	s.open("/groups/terminal-2-gate-crew")
	s.see("main", "Kofi Ostrov")
	// Rows chosen in a list, by Space and by Shift with the arrows, are gathered on the same list.
	s.open("/people?q=pettersvold")
	s.see("[data-place='1']", "Pettersvold")
	s.typeInto("Filter people", "crane")
	s.see("[data-place='2']", "Crane driver")
	s.click("input[aria-label='Choose Aino Brisk']", "")
	s.press(browser.Down, browser.Down, " ")
	s.see("button", "2 chosen")
	s.must(s.PressShift(browser.Down))
	s.must(s.PressShift(browser.Down))
	s.see("button", "4 chosen")
	s.click("button", "Gather these")
	s.click("[role=menuitem]", "Worklist of")
	s.see("[role=status]", "4 came onto the list")
	s.click("[role=status] a", "Worklist of")
	s.see("main", "8 people")

	// All of it goes back by one undo, from its log.
	s.open("/worklists")
	s.see("main", "Signe Halloran")
	s.click("main li:has(a[href*='/log/']) a", "Worklist of")
	s.click("button", "Undo all of it")
	s.see("section[aria-label=Draft]", "1 change")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("not after all")
	s.open("/groups/terminal-2-gate-crew")
	s.see("h1", "Terminal 2 gate crew")
	s.see("main", "Members")
	s.gone("[data-member]", "Kofi Ostrov")

	// To throw the list away is said to be no deletion of anybody, and is none.
	s.open("/worklists")
	s.click(
		"main li:has(a[href*='/worklists/']):not(:has(a[href*='/log/'])) button",
		"Delete the list",
	) // the last changed
	s.see("[role=dialog]", "Nobody on it is changed or deleted")
	s.click("[role=dialog] button", "Delete the list")
	s.gone("main section:first-of-type a", "Worklist of")
	s.see("main", "Night crew for Terminal 2")
	s.open("/people/tomasz.oyelaran")
	s.see("main", "active")
}

// The same with the hands on the keyboard alone, from the list of worklists to the draft.
func TestAWorklistByKeys(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/worklists")
	s.see("main", "Night crew for Terminal 2")
	s.tab("Skip to the page", 1)
	s.press(browser.Enter)
	s.tab("New worklist", 12)
	s.press(browser.Enter)
	s.see("main", "Nobody is on the list yet")
	s.tab("People, one a line", 30)
	s.press("tomasz.oyelaran, noor.tamsin, Ruben Adeyemy")
	s.tab("Gather these", 3)
	s.press(browser.Enter)
	s.see("[role=status]", "2 came onto the list; 1 not recognised")
	s.tab("Ruben Adeyemi", 8)
	s.press(browser.Enter)
	s.see("main", "3 people")

	// A step, with what it assigns picked as it is typed; the focus comes back to where it was.
	s.tab("Add a step", 20)
	s.press(browser.Enter)
	s.see("[role=dialog]", "It applies to everybody on the list")
	s.on("Assign")
	s.press(browser.Enter)
	s.on("Roles and sets")
	s.press("quay hand")
	s.wait("document.querySelector('[role=option]')?.innerText.includes('Quay hand')")
	s.press(browser.Enter)
	s.see("[role=dialog]", "Quay hand")
	s.tab("Add the step", 20)
	s.press(browser.Enter)
	s.see("[data-worklist=ready] section[aria-label=Steps]", "Assign Quay hand")
	s.on("Add a step")

	// The rows are one stop; whoever is stood on is told in full, and can be left out or taken off.
	s.tab("✓ Is assigned Quay hand", 6)
	s.press(browser.Home, browser.Down)
	s.see("section[aria-label='The person']", "Quay hand")
	s.tab("Leave out of the steps", 6)
	s.press(browser.Enter)
	s.see("[data-result=left]", "1 left out")
	s.on("Take in again")
	s.tab("Off the list", 2)
	s.press(browser.Enter)
	s.see("main", "2 people")

	s.open("/worklists")
	s.see("main", "Worklist of")
	s.tab("Skip to the page", 1)
	s.press(browser.Enter)
	s.tab("Worklist of", 16)
	s.press(browser.Enter)
	s.see("[data-worklist=ready] main, [data-worklist=ready]", "2 people")
	s.tab("Put into the draft", 30)
	s.press(browser.Enter)
	s.see("section[aria-label=Draft]", "1 change")
}

package e2e

import "testing"

// Somebody who moves is given what the new place gives and leaves behind what was of the old one; somebody who comes is
// given what their peers hold.
func TestAMoverAndAComer(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/people/tomasz.oyelaran")
	s.click("button", "Do ▾")
	s.click("[role=menuitem]", "Moves …")
	s.see("form", "A directory tells the title, department, manager")
	s.click("button[aria-label='Take out Terminal 1']", "")
	s.pick("Home", "Terminal 2")
	s.see("section[aria-label='What is given']", "12 peers at Terminal 2")
	s.wait("document.querySelector(\"section[aria-label='What is given'] input[aria-label='Terminal 2 gate " +
		"crew']\")?.checked")
	s.wait("document.querySelector(\"section[aria-label='What is left behind'] input[aria-label='North gate " +
		"crew']\")?.checked")
	s.see("section[aria-label='What is left behind']", "Night cover at the home of each")
	s.click("form button", "Put into the draft")
	s.click("section[aria-label=Draft] button", "Apply")
	s.see("section[aria-label='The draft and its impact']", "Tomasz Oyelaran leaves North gate crew")
	s.see("section[aria-label='The draft and its impact']", "Tomasz Oyelaran joins Terminal 2 gate crew")
	s.apply("he moves to Terminal 2")
	s.see("header", "Terminal 2")
	s.open("/people/tomasz.oyelaran?all=1")
	s.brick("quaybook:gate:admit", "held at Terminal 2")

	s.open("/invitations")
	s.click("button", "Invite …")
	s.typeInto("Name", "Ada Lindgren-Moe")
	s.typeInto("Title", "Ticket clerk")
	s.pick("Home area", "Ferries")
	s.wait("document.querySelector(\"section[aria-label='What peers hold'] input[aria-label='Gangway till']\")?.checked")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "Ada Lindgren-Moe")
	s.see("header", "Gangway till")
	s.see("section[aria-label='Behind the wall']", "Ticket office")
}

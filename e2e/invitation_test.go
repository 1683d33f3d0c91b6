package e2e

import (
	"testing"
	"time"

	"fachwerk/e2e/browser"
)

// An invitation from the list to the first day: somebody who is there already is told while they are typed, the invited
// person sees who invites them into what, makes a passkey and is in, and the list says so. What they are given is so at
// an area and until a day of its own, be it a role that was made on the way.
func TestAnInvitation(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/invitations")
	s.see("main", "7 invitations")
	s.click("[data-count=returned]", "1 returned")
	s.see("[data-id]", "Anouk Valderhaug")
	s.see("section[aria-label='The invitation']", "there is no such mailbox")
	s.click("button", "7 invitations")
	s.see("[data-id='petra.lind']", "opened")

	s.click("button", "Invite …")
	s.typeInto("Name", "Tomas Oyelaran")
	s.see("section[aria-label='There already']", "has a name like this")
	s.see("section[aria-label='There already']", "Gate clerk")
	s.typeInto("Name", "Ada Lindgren-Moe")
	s.gone("section[aria-label='There already']", "Tomasz")
	s.typeInto("E-mail", "ada@skerryhaven.example")
	s.pick("Home area", "Terminal 2")
	s.pick("Roles and sets at once", "Gate clerk")
	s.click("[role=dialog] button", "Make a role")
	s.see("[role=dialog] h2", "New role")
	s.typeInto("Name", "Yard help")
	s.pick("Built on", "Quay hand")
	s.pick("Gives", "quaybook:gate:override")
	s.click("[role=dialog] button", "Put into the draft")
	s.gone("[role=dialog] h2", "New role")
	s.see("[aria-label='What they are given'] li", "Yard help")
	s.see("[role=dialog] h2", "Invite")
	s.must(s.Choose("Where Yard help counts", "at Terminal 1"))
	s.must(s.SetDate("Until when Yard help is given", time.Date(2027, 6, 30, 0, 0, 0, 0, time.UTC)))
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "Ada Lindgren-Moe")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("a new hand at the gate")

	s.open("/invitations?state=to-send")
	s.typeInto("Find an invitation", "ada")
	s.see("[data-id]", "Gate clerk at Terminal 2")
	for _, g := range s.desk.Design().Assignments {
		if g.Subject.User == "ada.lindgren-moe" && g.Role == "yard-help" &&
			(g.Area != "terminal-1" || g.Until.Format(time.DateOnly) != "2027-06-30") {
			t.Errorf("Yard help is given at %s until %s", g.Area, g.Until)
		}
	}
	s.click("button", "Make a link …")
	s.click("[role=dialog] button", "Invite once more")
	s.see("[role=dialog]", "Link, until 30 Nov 2026")
	link, err := browser.Eval[string](s.Page, "new URL(document.querySelector('[role=dialog] input').value).pathname")
	s.must(err)

	ada := s.another(1280, 800)
	ada.must(ada.Authenticator())
	ada.open(link)
	ada.see("form", "Signe Halloran invites you to Skerryhaven Harbour Authority")
	ada.see("form", "Gate clerk at Terminal 2")
	ada.see("form", "Yard help at Terminal 1")
	ada.see("[aria-label='What you will be able to do']", "Crewtide")
	s.press(browser.Esc)
	s.open("/invitations?state=opened")
	s.see("[data-id]", "Ada Lindgren-Moe")
	s.click("[data-id] td", "Ada Lindgren-Moe")
	s.see("section[aria-label='The invitation']", "opened 23 Nov 2026")
	s.click("button", "Seven more days")
	s.see("[role=status]", "1 invitation valid for seven more days")
	ada.click("button", "Sign in with a passkey instead")
	ada.see("main, body", "You can sign in with it alone")
	ada.see("[aria-label='Recovery codes'] li", "-")
	ada.click("button", "I have them")
	ada.see("header", "Ada Lindgren-Moe")
	ada.Refusals = true
	ada.open(link)
	ada.see("[role=alert]", "used or has run out")
	s.open("/invitations?state=accepted")
	s.see("[data-id]", "Ada Lindgren-Moe")
}

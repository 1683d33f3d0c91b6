package e2e

import (
	"testing"

	"fachwerk/e2e/browser"
)

// An invitation from the list to the first day: somebody who is there already is told while they are typed, the invited
// person sees who invites them into what, sets a password and is in, and the list says so.
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
	s.pick("Roles at once", "Gate clerk")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "Ada Lindgren-Moe")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("a new hand at the gate")

	s.open("/invitations?state=to-send")
	s.typeInto("Find among the invited", "ada")
	s.see("[data-id]", "Gate clerk at Terminal 2")
	s.click("button", "Make a link …")
	s.click("[role=dialog] button", "Invite once more")
	s.see("[role=dialog]", "Link, until 30 Nov 2026")
	link, err := browser.Eval[string](s.Page, "new URL(document.querySelector('[role=dialog] input').value).pathname")
	s.must(err)

	ada := s.another(1280, 800)
	ada.open(link)
	ada.see("form", "Signe Halloran invites you to Skerryhaven Harbour Authority")
	ada.see("form", "As Gate clerk at Terminal 2")
	ada.see("[aria-label='What you will be able to do']", "Crewtide")
	s.press(browser.Esc)
	s.open("/invitations?state=opened")
	s.see("[data-id]", "Ada Lindgren-Moe")
	s.click("[data-id] td", "Ada Lindgren-Moe")
	s.see("section[aria-label='The invitation']", "opened 23 Nov 2026")
	s.click("button", "Seven more days")
	s.see("[role=status]", "1 invitation good for seven more days")
	ada.typeInto("New password, 12 characters or more", "eleven quiet cormorants")
	ada.click("button", "Set it and come in")
	ada.see("header", "Ada Lindgren-Moe")
	s.open("/invitations?state=accepted")
	s.see("[data-id]", "Ada Lindgren-Moe")
}

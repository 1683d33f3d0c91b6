package e2e

import (
	"testing"
	"time"

	"fachwerk/e2e/browser"
)

// A request from the why-not to the end of its term: a line manager asks for what a brick says she lacks; the owner
// sees what it comes to, shortens it and grants it; seven days before its end she is written to, it ends by itself, and
// she asks again.
func TestARequest(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("mireille.aster")
	s.open("/own?all=1")
	s.click("[data-brick='quaybook:berth-plan:edit']", "")
	s.see("section[aria-label='About you']", "does not hold it")
	s.click("button", "Ask for it …")
	s.see("[role=dialog]", "Quaybook: planning")
	s.see("[role=dialog] button[disabled]", "Ask for it")
	s.typeInto("What you need it for", "I plan the berths while Wren is away")
	s.click("[role=dialog] button", "Ask for it")
	s.see("[role=status]", "You asked for")
	s.click("[role=status] a", "Follow it")
	s.see("article", "waits")
	s.see("article", "for quaybook:berth-plan:edit")

	owner := s.another(1280, 800)
	owner.signIn("signe.halloran")
	owner.see("header", "waiting")
	owner.open("/requests")
	owner.click("nav[aria-label=Requests] a", "Quaybook: planning")
	owner.see("article", "I plan the berths while Wren is away")
	owner.see("article", "gains")
	owner.must(owner.Choose("Which records", "records of their line"))
	owner.see("article button:not([disabled])", "Grant it")
	owner.click("article button", "Grant it")
	owner.see("[role=status]", "Mireille Aster is told")
	owner.see("article", "Granted by revision 61")
	owner.open("/history")
	owner.see("li", "grants request 4 of Mireille Aster")

	s.open("/letters")
	s.see("nav[aria-label=Letters]", "Granted:")
	// The board offers ninety days, of which the last is included.
	ends := s.clock.Now().Add(91 * 24 * time.Hour).Truncate(24 * time.Hour)
	s.later(ends.Add(-6*24*time.Hour), "mireille.aster")
	s.open("/letters")
	s.click("nav[aria-label=Letters] a", "“Quaybook: planning” at Terminal 1") // the latest is on top
	s.see("article", "ask for it again")
	again, err := browser.Eval[string](s.Page,
		"document.querySelector('article').innerText.match(/\\/own\\?again=\\d+/)[0]")
	s.must(err)
	s.open(again)
	s.see("section[aria-label='About you']", "Do you still need it then?")
	s.click("button", "Ask again …")
	s.wait(`document.querySelector('[role=dialog] textarea')?.value === 'I plan the berths while Wren is away'`)
	s.click("[role=dialog] button", "Ask for it")
	s.see("[role=status]", "You asked for")
	s.later(ends.Add(time.Hour), "mireille.aster")
	s.open("/own?all=1&permission=quaybook:berth-plan:edit")
	s.see("section[aria-label='About you']", "It was given until")
}

package e2e

import (
	"testing"

	"fachwerk/e2e/browser"
	"fachwerk/internal/desk"
)

// What is taken out is put back on the spot, and a draft that was discarded comes back.
func TestPutBackAndRestored(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/people/noor.tamsin")
	s.click("button[aria-label='Take Noor Tamsin out of Terminal 2 gate crew']", "")
	s.see("section[aria-label=Draft]", "1 change")
	s.click("button", "Put back")
	s.see("section[aria-label=Draft]", "No draft")

	s.open("/people/ulla.tannahill")
	s.click("button[aria-label^='Take away Roster planner']", "")
	s.see("section[aria-label=Draft]", "1 change")
	s.click("button[aria-label^='Put Roster planner']", "")
	s.see("section[aria-label=Draft]", "No draft")

	s.click("button[aria-label^='Take away Roster planner']", "")
	s.click("section[aria-label=Draft] button", "Open")
	s.click("button", "Discard all")
	s.see("section[aria-label=Draft]", "No draft")
	s.open("/roles") // it waits wherever one goes
	s.click("section[aria-label=Draft] button", "Bring back 1 discarded change")
	s.see("section[aria-label=Draft]", "Ulla Tannahill loses Roster planner")
	s.gone("button", "discarded change")
}

// TestADraftTellsAll assigns a set that counts in part only over the whole organisation to forty people: what is
// withheld is told before and after, and what is not told at first opens.
func TestADraftTellsAll(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/people/noor.tamsin")
	s.click("button", "Assign …")
	s.pick("Roles and sets", "Quaybook: reader")
	const withheld = "1 permission of Quaybook: reader counts only over the whole organisation"
	s.see("[role=dialog]", withheld)
	s.choose("Where", "over the whole organisation")
	s.gone("[role=dialog] p", withheld)
	s.choose("Where", "at Terminal 2")
	s.see("[role=dialog]", withheld)
	s.click("[role=dialog] button", "Put into the draft")
	s.see("section", "Draft · 1 change")

	assigned, err := browser.EvalAsync[bool](s.Page, `fetch("/api/lists/user?limit=40&q=" +
		encodeURIComponent('title eq "Crane driver"')).then(r => r.json()).then(l => fetch("/api/draft/assign",
		{method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({
			subjects: l.rows.map(r => ({kind: "user", id: r.id})), targets: [{kind: "set", id: "quaybook-reader"}],
			terms: {area: "terminal-1"}})})).then(r => r.ok)`)
	if err != nil || !assigned {
		t.Fatal("forty people are not assigned anything", err)
	}
	s.open("/people")
	s.click("section button", "Open")
	s.see("[data-open]", "not in these 41 assignments")
	s.wait("[...document.querySelectorAll('[data-open] ol > li')].at(-1).querySelectorAll('p').length === 30")
	s.click("[data-open] ol button", "and 10 more")
	s.wait("[...document.querySelectorAll('[data-open] ol > li')].at(-1).querySelectorAll('p').length === 40")
}

// TestARefusalGoes: what was refused is told until something is done; and what was just drafted is taken away as if it
// had never been.
func TestARefusalGoes(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/people/noor.tamsin")
	s.click("button", "Assign …")
	s.pick("Roles and sets", "Gate lead")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("section[aria-label=Draft]", "Noor Tamsin gets Gate lead at Terminal 2")
	s.click("button[aria-label^='Take away Gate lead']", "")
	s.see("section[aria-label=Draft]", "No draft")

	s.open("/history")
	s.click("#revision-60 button", "Undo")
	s.see("[role=status]", "The undo of revision 60 is in your draft")
	s.Refusals = true
	s.click("#revision-60 button", "Undo")
	s.see("[role=alert]", "is already in your draft")
	s.click("section[aria-label=Draft] button", "Open")
	s.click("[data-open] button", "Take out")
	s.gone("[role=alert]", "is already in your draft")
}

// TestWhatTakesLongIsToldAndStopped applies a draft while somebody else's change is being made: it says that it goes
// on, is stopped with nothing changed, and is done once it has its turn.
func TestWhatTakesLongIsToldAndStopped(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/people/noor.tamsin")
	s.click("button[aria-label='Take Noor Tamsin out of Terminal 2 gate crew']", "")
	s.click("section[aria-label=Draft] button", "Open")
	s.see("section", "Draft · 1 change")
	before := s.desk.Revision()
	hold := func() (letGo func()) {
		held, over := make(chan struct{}), make(chan struct{})
		go func() {
			_ = s.desk.Writing(func(*desk.House) error { close(held); <-over; return nil })
		}()
		<-held
		return func() { close(over) }
	}

	letGo := hold()
	s.typeInto("Why", "she has moved")
	s.press(browser.Enter)
	s.see("div", "Still at work: 2 s")
	s.Refusals = true
	s.click("button", "Stop")
	s.see("button", "Stopping …")
	letGo()
	s.see("[role=alert]", "stopped before it was done. Nothing was changed.")
	s.gone("div", "Still at work")
	if now := s.desk.Revision(); now != before {
		t.Errorf("revision %d was made though it was stopped", now)
	}
	s.Refusals = false

	letGo = hold()
	s.click("button", "Apply 1 change")
	s.see("div", "Still at work: 2 s")
	letGo()
	s.see("[role=status]", "is applied")
	s.gone("div", "Still at work")
	s.see("section[aria-label=Draft]", "No draft")
}

package e2e

import "testing"

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

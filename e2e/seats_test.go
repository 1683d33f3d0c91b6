package e2e

import "testing"

// Seats that lie idle come free through a worklist, and the next free one goes to who has waited longest; whoever
// assigns a role is told who has no seat for it.
func TestSeats(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/seats")
	s.see("[data-pool='hoistkeeper-seat']", "58 of 58 taken · 0 free")
	s.see("section[aria-label='Hoistkeeper seat']", "No seat is free")
	s.see("[data-seat='hadiza.mbeki-rowe']", "hoistkeeper:part:view")
	s.click("[data-pool='gangway-till']", "Gangway till")
	s.click("fieldset button", "Idle 3")
	s.click("button", "Gather them to free the seats …")
	s.see("main", "Gives back the seat of Gangway till")
	s.click("button", "Put into the draft")
	s.see("section[aria-label=Draft]", "1 change")
	s.click("section[aria-label=Draft] button", "Apply")
	s.see("section[aria-label='The draft and its impact']", "Frees 3 seats of Gangway till")
	s.apply("nobody used them")
	s.open("/seats?licence=gangway-till")
	s.see("[data-pool='gangway-till']", "34 of 42 taken · 8 free")

	s.open("/seats?licence=quaybook-planner&part=waiting")
	s.see("ol li", "1 ")
	s.typeInto("How many seats", "3")
	s.click("button", "Put into the draft")
	s.see("section[aria-label=Draft]", "is given to")
	s.see("[data-pool='quaybook-planner']", "42 of 42 taken · 0 free")
	s.click("section[aria-label=Draft] button", "Open")
	s.click("button", "Discard all")

	s.open("/roles/berth-planner")
	s.see("header", "Needs a seat of Quaybook Planner")
	s.click("button", "Assign …")
	s.pick("People and groups", "North gate crew")
	s.see("[role=dialog]", "have no seat of Quaybook Planner, which it needs; 3 are free")
}

package e2e

import (
	"testing"
	"time"
)

// Somebody leaves at the end of the month, with a role, a group and their people to hand over: all of it has
// successors, they keep what they have until the day, it ends by itself, and they come back whole.
func TestALeaver(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/going")
	s.see("main", "Nobody is due to leave")
	s.pick("Who leaves", "Ulla Tannahill")
	s.see("h1", "Ulla Tannahill leaves after")
	s.see("form", "3 things have no successor yet")
	s.pick("Who takes over Quay hand", "Mireille Aster")
	s.pick("Who takes over Terminal 2 gate crew", "Ruben Adeyemi")
	s.click("form button", "The rest to Dragan Inverlyne")
	s.see("form", "Everything has a successor")
	s.see("section[aria-label='Reports to them by a directory']", "Viggo Hesketh")
	s.pick("Who is given Roster planner at Terminal 1", "Dragan Inverlyne")
	s.see("section[aria-label='What happens']", "A seat of Quaybook Standard comes free")
	s.must(s.SetDate("The last day", day.AddDate(0, 0, 4)))
	s.click("form button", "Put into the draft")
	s.see("[role=status]", "is in your draft")
	s.click("section[aria-label=Draft] button", "Apply")
	s.see("section[aria-label='The draft and its impact']", "Quay hand: owner becomes Mireille Aster, was Ulla Tannahill")
	s.apply("she moves to the south")

	s.open("/people/ulla.tannahill")
	s.see("section[aria-label='Behind the wall']", "Leaves: the account is deactivated")
	s.brick("quaybook:gate:admit", "held")
	s.open("/going")
	s.see("section[aria-label='Will leave']", "Ulla Tannahill")
	s.open("/roles/quay-hand")
	s.see("header", "Owned by Mireille Aster")
	s.open("/people/ulla.tannahill?when=" + day.AddDate(0, 0, 6).Format(time.DateOnly))
	s.see("h1 ~ span", "not live")

	s.later(day.AddDate(0, 0, 6), "signe.halloran")
	s.open("/going")
	s.see("section[aria-label='Have left within 90 days']", "Ulla Tannahill")
	s.open("/history")
	s.see("li", "Ulla Tannahill has left, as Signe Halloran planned it")
	s.open("/people/ulla.tannahill")
	s.see("h1 ~ span", "deactivated")
	s.click("button", "Do ▾")
	s.click("[role=menuitem]", "Bring back")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("she stays after all")
	s.brick("quaybook:gate:admit", "held")
	s.see("header", "Quaybook Standard")
}

package e2e

import (
	"testing"
	"time"

	"fachwerk/e2e/browser"
)

// Days are read as people write them, told as they were read, and picked in a calendar by keys; what is no day says
// why. The last day is still in.
func TestDaysAreTypedAndPicked(t *testing.T) {
	s := walk(t, 1280, 800) // it is Monday, 23 November 2026
	s.signIn("signe.halloran")
	s.open("/people/noor.tamsin")
	s.click("button", "Assign")
	s.pick("Roles and sets", "Gate clerk")
	for typed, want := range map[string]string{
		"2026-12-19": "2026-12-19", "19.12.": "2026-12-19", "19.12": "2026-12-19", "19. 12. 2027": "2027-12-19",
		"1.11.": "2027-11-01", "29.2.": "2028-02-29", "3/4/2027": "2027-04-03", "3/4/27": "2027-04-03",
		"19 dec": "2026-12-19", "19th of December 2027": "2027-12-19", "December 19, 2027": "2027-12-19",
		"Sat, 19 December 2026": "2026-12-19", "1 nov": "2027-11-01",
		"today": "2026-11-23", "tomorrow": "2026-11-24", "in 90 days": "2027-02-21", "90 days": "2027-02-21",
		"+10": "2026-12-03", "in 2 weeks": "2026-12-07", "in a month": "2026-12-23", "in 3 months": "2027-02-23",
		"in 1 year": "2027-11-23", "end of march": "2027-03-31", "end of march 2028": "2028-03-31",
		"end of november": "2026-11-30", "end of the month": "2026-11-30", "end of next month": "2026-12-31",
		"end of quarter": "2026-12-31", "end of year": "2026-12-31", "end of week": "2026-11-29",
		"friday": "2026-11-27", "next monday": "2026-11-30",
	} {
		s.typeInto("Until", typed)
		s.see("input[aria-label=Until][data-day='"+want+"']", "")
		s.see("[id$=told]", "that day included")
	}
	for typed, why := range map[string]string{
		"31.2.2027": "February 2027 has 28 days", "12.13.": "There is no month 13", "soon": "Write a day like",
		"in some days": "is not a date that is understood here", "2027-02-30": "February 2027 has 28 days",
	} {
		s.typeInto("Until", typed)
		s.see("[id$=told]", why)
		s.see("input[aria-label=Until][data-day=''][aria-invalid]", "")
	}
	// What is no day keeps the board from being sent, and stays as it was typed.
	s.click("[role=dialog] button", "Put into the draft")
	s.see("[role=dialog] input[aria-label=Until]:invalid", "")

	s.typeInto("Until", "end of march")
	s.press(browser.Down)
	s.see("[aria-label=Calendar]", "March 2027")
	s.press(browser.Left) // from the 31st to the 30th
	s.see("[aria-label=Calendar] button:focus", "30")
	s.press(browser.Enter)
	s.see("input[aria-label=Until][data-day='2027-03-30']:focus", "")
	s.wait("document.querySelector('input[aria-label=Until]').value === '30 Mar 2027'")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("section[aria-label=Draft]", "until the end of 30 March 2027")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("until the spring")
	until := time.Date(2027, 3, 31, 0, 0, 0, 0, time.UTC)
	found := false
	for _, a := range s.desk.Design().Assignments {
		found = found || a.Subject.User == "noor.tamsin" && a.Role == "gate-clerk" && a.Until.Equal(until)
	}
	if !found {
		t.Errorf("nothing of Noor Tamsin ends at %s", until)
	}
}

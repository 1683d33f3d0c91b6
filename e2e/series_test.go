package e2e

import (
	"strings"
	"testing"
	"time"

	"fachwerk/e2e/browser"
)

// A review that returns by itself, from its sentence to what came of its first round: who has not used the system is
// found the day before, only these are asked about, and what nobody decides is revoked at the end.
func TestASeriesOfReviews(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/reviews")
	s.click("form[aria-label='Open a review'] button", "What: what")
	s.pick("System", "Gangway")
	s.shut()
	s.click("button", "once")
	s.click("label", "by itself, again and again")
	s.see("form[aria-label='Open a review']", "Say from which day it returns")
	s.must(s.SetDate("From which day", time.Date(2026, 12, 19, 0, 0, 0, 0, time.UTC)))
	s.shut()
	s.click("button", "whether they use it or not")
	s.click("label", "only who has not used the system")
	s.shut()
	s.click("button", "is kept")
	s.click("label", "is revoked")
	s.shut()
	s.see("form[aria-label='Open a review']", "who has not used it for 90 days")
	s.see("form[aria-label='Open a review']", "Rounds open 19 Dec 2026, 19 Mar 2027")
	s.see("form[aria-label='Open a review']", "Today: ")
	s.typeInto("Name of the review", "Tills nobody uses")
	s.press(browser.Enter)
	s.see("h1", "Tills nobody uses")
	s.see("main", "Every 3 months from 19 Dec 2026, the day before finding who has not used it for 90 days")
	s.see("section[aria-label='Round by round']", "No round has been due yet")
	s.click("button", "Pause")
	s.see("main", "paused since 23 Nov 2026")
	s.click("button", "Resume")
	s.see("main", "next 19 Dec 2026")

	s.later(time.Date(2026, 12, 18, 9, 0, 0, 0, time.UTC), "signe.halloran")
	s.open("/series/3")
	s.see("[data-round='2026-12-19']", "discovery 18 Dec 2026 found ")
	s.later(time.Date(2026, 12, 19, 8, 20, 0, 0, time.UTC), "signe.halloran")
	s.open("/series/3")
	s.see("[data-round='2026-12-19']", "undecided")
	s.click("[data-round] a", "19 Dec 2026")
	s.see("h1", "Tills nobody uses, 19 December 2026")
	s.later(time.Date(2027, 1, 9, 9, 0, 0, 0, time.UTC), "signe.halloran")
	s.open("/reviews")
	s.see("section li", "1 round")
	s.click("a", "Tills nobody uses")
	s.see("[data-round='2026-12-19']", "closed 9 Jan 2027")
	s.see("[data-round='2026-12-19']", "0 kept")
	list, err := s.desk.Store.Rounds(3)
	s.must(err)
	items, err := s.desk.Store.ReviewItems(list[0].Review, "")
	s.must(err)
	for _, i := range items {
		if i.Decision != "revoke" || !strings.Contains(i.Reason, "Undecided at the end") {
			t.Errorf("%s keeps %s%s: %q", i.User, i.Role, i.Set, i.Reason)
		}
	}
	if len(list) != 1 || len(items) == 0 || len(items) != list[0].Items {
		t.Errorf("there are %d rounds, the first with %d items", len(list), len(items))
	}
}

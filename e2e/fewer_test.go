package e2e

import (
	"testing"

	"fachwerk/internal/core/index"
)

// What was given piece by piece to one after another becomes one role by way of a rule, and nobody gains or loses by
// it.
func TestFewerRoles(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/roles")
	s.click("a", "Fewer roles")
	s.see("main", "11 roles and sets in 49 assignments become 9 in 31")
	s.see("li", "9 of 9 people with the title Maintenance fitter")
	s.click("form button", "exactly the same")
	s.click("label", "almost the same")
	s.shut()
	s.click("button", "Look again")
	s.see("main", "become 9 in 31")
	s.click("form button", "almost the same")
	s.click("label", "exactly the same")
	s.shut()
	s.click("button", "Look again")
	s.click("label", "where a title says exactly who")
	s.click("button", "Put it into the draft")
	s.see("section[aria-label=Draft]", "nobody’s access changes")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("one role in place of three sets each")
	s.open("/fewer")
	s.see("main", "None is worthwhile")
	s.open("/groups?q=All+who+are")
	s.click("a", "All who are Maintenance fitter")
	s.see("main", "Maintenance fitter, Lanternlog")
	for _, u := range []string{"ingrid.wolnik", "tomasz.corvane"} {
		if !s.desk.Present().Index.Allowed(u, "lanternlog:incident:record", index.Record{}, s.desk.Now()) {
			t.Errorf("%s lost something", u)
		}
	}
}

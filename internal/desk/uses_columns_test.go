package desk_test

import (
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk/view"
)

// What people use stands in lists: sorted by, filtered by, and empty where it is not known.
func TestUsesInLists(t *testing.T) {
	d, _ := openDemo(t)
	list := func(q view.Listing) *view.List {
		t.Helper()
		q.Limit = 500
		return must[*view.List](t)(d.List(signe, q))
	}
	roles := list(view.Listing{Kind: model.KindRole, Sort: "used", Down: true})
	if got := roles.Rows[0].ID; got != "basics" || cell(t, roles, got, "used").Text == "" {
		t.Errorf("the role that most people use is %s: %+v", got, cell(t, roles, got, "used"))
	}
	unused := list(view.Listing{Kind: model.KindRole, Query: "used eq 0"})
	if len(unused.Rows) == 0 || len(unused.Rows) == len(roles.Rows) {
		t.Errorf("of %d roles nobody uses %d", len(roles.Rows), len(unused.Rows))
	}
	for _, r := range unused.Rows {
		if c := cell(t, unused, r.ID, "used"); c.Text != "0" {
			t.Errorf("%s is used by %q", r.ID, c.Text)
		}
	}
	people := list(view.Listing{Kind: model.KindUser, Sort: "lastUse"})
	var last time.Time
	for _, r := range people.Rows {
		text := cell(t, people, r.ID, "lastUse").Text
		if text == "" {
			continue
		}
		at, err := time.Parse("2 Jan 2006", text)
		if err != nil || at.Before(last) {
			t.Fatalf("%s, who last used something on %s, comes after %s", r.ID, text, last)
		}
		last = at
	}
	if last.IsZero() {
		t.Error("nothing tells when people last used something")
	}
}

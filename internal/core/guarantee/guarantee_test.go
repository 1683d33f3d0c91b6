package guarantee_test

import (
	"fmt"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/generate"
)

// What a guarantee promises, and how it is broken, is said so that somebody who knows the organisation understands it.
func TestWords(t *testing.T) {
	now := time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)
	count := 1
	d := model.Build(&model.Design{
		Organisation: &model.Organisation{Name: "Small"},
		Areas:        model.Table[*model.Area]{{ID: "top", Name: "Top"}, {ID: "t1", Name: "Terminal 1", Parent: "top"}},
		Systems: model.Table[*model.System]{{ID: "s", Name: "S", Permissions: []*model.Permission{
			{Key: "s:gate:open"}, {Key: "s:gate:view"},
		}}},
		Roles:  model.Table[*model.Role]{{ID: "clerk", Name: "Clerk", Permissions: []string{"s:gate:open"}}},
		Groups: model.Table[*model.Group]{{ID: "crew", Name: "Crew", Users: []string{"ann"}}},
		Users: model.Table[*model.User]{
			{ID: "ann", UserName: "ann", DisplayName: "Ann"},
			{ID: "bea", UserName: "bea", DisplayName: "Bea", From: now.AddDate(0, 1, 0)},
		},
		Assignments: model.Table[*model.Assignment]{
			{ID: "1", Subject: model.Subject{Group: "crew"}, Role: "clerk", Area: "t1"},
			{ID: "2", Subject: model.Subject{User: "bea"}, Role: "clerk", Reach: model.ReachLine},
			{ID: "3", Subject: model.Subject{User: "bea"}, Role: "clerk", Area: "t1"},
		},
		Guarantees: model.Table[*model.Guarantee]{
			{ID: "1", Name: "None", Type: model.Nobody, Permissions: []string{"s:*"}},
			{ID: "2", Name: "Some", Type: model.Only, Permissions: []string{"s:gate:*"}, People: &model.People{Group: "crew"}},
			{ID: "3", Name: "Few", Type: model.AtMost, Count: &count, Permissions: []string{"s:gate:open"}, Area: "t1"},
			{ID: "4", Name: "Enough", Type: model.AtLeast, Count: &count, Permissions: []string{"s:gate:view", "s:gate:open"},
				People: &model.People{Area: "t1"}},
		},
	})
	v := ahead.Of(index.Compile(d))
	for i, want := range [][2]string{
		{"Nobody holds s:* anywhere in the organisation.",
			"“None” is not kept: Ann holds s:gate:open at Terminal 1, by “Clerk”, given to Crew; Bea holds s:gate:open at " +
				"Terminal 1, by “Clerk”, from 4 April 2026 12:00 on; Bea holds s:gate:open over the whole organisation for " +
				"records of their own line, by “Clerk”, from 4 April 2026 12:00 on."},
		{"Nobody but Crew holds s:gate:* anywhere in the organisation.",
			"“Some” is not kept: Bea holds s:gate:open at Terminal 1, by “Clerk”, from 4 April 2026 12:00 on; Bea holds " +
				"s:gate:open over the whole organisation for records of their own line, by “Clerk”, from 4 April 2026 12:00 on."},
		{"At most 1 person holds s:gate:open at all of Terminal 1.",
			"“Few” is not kept: 2 people hold s:gate:open at Terminal 1, from 4 April 2026 12:00 on, and at most 1 may: Ann, " +
				"Bea."},
		{"At least 1 of those at home in Terminal 1 hold each of s:gate:open, s:gate:view over the whole organisation.",
			"“Enough” is not kept: nobody holds s:gate:open over the whole organisation, and at least 1 are to; nobody " +
				"holds s:gate:view over the whole organisation, and at least 1 are to."},
	} {
		g := d.Guarantees[i]
		if says := guarantee.Promise(d, g); says != want[0] {
			t.Errorf("it promises\n%s\nwant\n%s", says, want[0])
		}
		if says := guarantee.Broken(v, g, guarantee.Of(v, g, now)); says != want[1] {
			t.Errorf("it says\n%s\nwant\n%s", says, want[1])
		}
	}
}

// BenchmarkSmallChange checks 200 guarantees against one assignment more in an organisation of 100,000 people; beside
// it, what it takes to bring the index and what is looked at ahead up to date.
func BenchmarkSmallChange(b *testing.B) {
	d := generate.Design(generate.Options{Users: 100_000, Seed: 1})
	count := 100_000
	types := []model.GuaranteeType{model.Only, model.Nobody, model.AtMost}
	for n := range 200 {
		s := d.Systems[n%len(d.Systems)]
		g := &model.Guarantee{
			ID: fmt.Sprintf("w%03d", n), Name: "W", Type: types[n%3],
			Permissions: []string{s.Permissions[n%len(s.Permissions)].Key},
			People:      &model.People{Area: d.Areas[n%len(d.Areas)].ID},
		}
		if guarantee.Counts(g) {
			g.Count = &count
		}
		d.Guarantees = append(d.Guarantees, g)
	}
	x := index.Compile(d)
	before := ahead.Of(x)
	after := d.With([]model.Edit{{Kind: model.KindAssignment, ID: "more", After: &model.Assignment{
		ID: "more", Subject: model.Subject{User: d.Users[7].ID}, Role: d.Roles[3].ID,
	}}})
	b.Run("index", func(b *testing.B) {
		for range b.N {
			before.Next(x.Update(after))
		}
	})
	view := before.Next(x.Update(after))
	b.Run("guarantees", func(b *testing.B) {
		for range b.N {
			guarantee.Worse(before, view, generate.Day)
		}
	})
	var edits []model.Edit
	for n, u := range d.Users[:15_000] {
		a := &model.Assignment{ID: fmt.Sprintf("more%d", n), Subject: model.Subject{User: u.ID}, Role: d.Roles[3].ID}
		edits = append(edits, model.Edit{Kind: model.KindAssignment, ID: a.ID, After: a})
	}
	many := before.Next(x.Update(d.With(edits)))
	b.Run("guarantees, 15,000 assignments", func(b *testing.B) {
		for range b.N {
			guarantee.Worse(before, many, generate.Day)
		}
	})
}

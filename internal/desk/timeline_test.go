package desk_test

import (
	"slices"
	"testing"
	"time"

	"fachwerk/internal/desk/view"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// TestTimeline holds a person's bands against the assignments that reached them on each day, as the views of those
// days tell.
func TestTimeline(t *testing.T) {
	d, _ := openDemo(t)
	from, until := today.AddDate(-1, 0, 0), today.AddDate(0, 6, 0)
	ended, began := 0, 0
	for _, u := range must[*view.List](t)(d.List(signe, view.Listing{Kind: model.KindUser, Limit: 30})).Rows {
		user := u.ID
		line := must[*view.Timeline](t)(d.Timeline(signe, user, from, until))
		if len(line.Bands) == 0 && must[*view.Person](t)(d.Person(signe, user, "")).Live {
			t.Errorf("%s has never had anything", user)
		}
		for _, b := range line.Bands {
			for i, s := range b.Spans {
				if s.Until != nil && !s.From.Before(*s.Until) || i > 0 && !b.Spans[i-1].Until.Before(s.From) ||
					(s.Until == nil) != (s.Ended == nil) {
					t.Errorf("%s has %s in spans that make no sense: %+v", user, b.Target.Name, b.Spans)
				}
				if s.Began != nil && (s.Began.Revision > 0) == s.Began.Set {
					t.Errorf("%s: %s began by %+v", user, b.Target.Name, s.Began)
				}
				if s.Ended != nil {
					ended++
				}
				if s.Began != nil {
					began++
				}
			}
		}
		for day := from.AddDate(0, 0, 1); day.Before(until); day = day.AddDate(0, 0, 31) {
			at := signe
			at.When = day
			person := must[*view.Person](t)(d.Person(at, user, ""))
			var want, got []string
			for _, g := range person.Assignments {
				if g.By == nil && (g.Terms.From == nil || !day.Before(*g.Terms.From)) &&
					(g.Terms.Until == nil || day.Before(*g.Terms.Until)) &&
					person.State == string(model.UserActive) {
					want = append(want, g.Target.Name)
				}
			}
			for _, b := range line.Bands {
				for _, s := range b.Spans {
					if !day.Before(s.From) && (s.Until == nil || day.Before(*s.Until)) {
						if b.Group == nil {
							got = append(got, b.Target.Name)
						} else if !slices.ContainsFunc(person.Groups, func(g view.Membership) bool { return g.Group == *b.Group }) {
							t.Errorf("on %s %s was not in %s", day.Format(time.DateOnly), user, b.Group.Name)
						}
					}
				}
			}
			slices.Sort(want)
			slices.Sort(got)
			if want, got = slices.Compact(want), slices.Compact(got); !slices.Equal(want, got) {
				t.Errorf("on %s %s had %v, the bands say %v", day.Format(time.DateOnly), user, want, got)
			}
		}
	}
	if began == 0 || ended == 0 {
		t.Errorf("%d spans began and %d ended: too few to prove anything", began, ended)
	}
	_, err := d.Timeline(signe, "ghost", from, until)
	refused(t, err, desk.NotFound, "no person")
	_, err = d.Timeline(signe, "noor.tamsin", until, from)
	refused(t, err, desk.Invalid, "begin before")
	_, err = d.Timeline(desk.Actor{User: "noor.tamsin"}, "noor.tamsin", from, until)
	refused(t, err, desk.NotAllowed, "")
}

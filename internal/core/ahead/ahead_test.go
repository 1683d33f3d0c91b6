package ahead_test

import (
	"maps"
	"slices"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Whoever is in a group that gives rights in Fachwerk, or a delegation, has these: at once or later, directly or by
// nesting, but not once it has ended.
func TestPrivilegedGroups(t *testing.T) {
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	grant := func(group, set string, from, until time.Time) *model.Assignment {
		return &model.Assignment{
			ID: group, Subject: model.Subject{Group: group}, Set: set, From: from, Until: until,
			Reach: model.ReachArea, Mode: model.Full,
		}
	}
	d := &model.Design{
		Organisation: &model.Organisation{Name: "Harbour"},
		Areas:        model.Table[*model.Area]{{ID: "top", Name: "Top"}},
		Sets:         model.Table[*model.Set]{{ID: "plain", Name: "Plain"}},
		Groups: model.Table[*model.Group]{
			{ID: "below", Name: "Below heads, two deep"},
			{ID: "between", Name: "Between", Groups: []string{"below"}},
			{ID: "ended", Name: "Ended"},
			{ID: "heads", Name: "Heads", Groups: []string{"between"}},
			{ID: "later", Name: "Later"},
			{ID: "nothing", Name: "Nothing"},
			{ID: "stewards", Name: "Stewards"},
		},
		Assignments: model.Table[*model.Assignment]{
			grant("ended", model.SetAuditor, time.Time{}, now),
			grant("heads", model.SetAuditor, time.Time{}, time.Time{}),
			grant("later", model.SetAuditor, now.AddDate(0, 1, 0), time.Time{}),
			grant("nothing", "plain", time.Time{}, time.Time{}),
		},
		Delegations: model.Table[*model.Delegation]{
			{ID: "d", Delegate: model.Subject{Group: "stewards"}, People: model.People{Area: "top"}, Actions: []string{"lock"}},
		},
	}
	got := slices.Sorted(maps.Keys(ahead.Of(index.Compile(model.Build(d))).Privileged(now)))
	if want := []string{"below", "between", "heads", "later", "stewards"}; !slices.Equal(got, want) {
		t.Errorf("privileged are %v, want %v", got, want)
	}
}

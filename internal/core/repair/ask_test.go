package repair

import (
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// What alters more than what the person has is not for them to ask for, whatever comes with it.
func TestWhatCanBeAskedFor(t *testing.T) {
	was := &model.Group{ID: "crew", Name: "Crew", Users: []string{"ann"}}
	joined, renamed := model.Clone(was), model.Clone(was)
	joined.Users = []string{"ann", "cy"}
	renamed.Users, renamed.Name = joined.Users, "Another"
	role := &model.Role{ID: "clerk", Name: "Clerk", Excludes: []string{"s:gate:view"}}
	lifted := model.Clone(role)
	lifted.Excludes = nil
	given := func(user string) change.Op {
		a := &model.Assignment{ID: "a", Subject: model.Subject{User: user}, Role: "clerk"}
		return change.Op{Kind: model.KindAssignment, ID: "a", After: a}
	}
	locked := &model.User{ID: "cy", State: model.UserLocked}
	seated, unlocked := model.Clone(locked), model.Clone(locked)
	seated.Licences, unlocked.State = []string{"seat"}, model.UserActive
	user := func(after *model.User) change.Op {
		return change.Op{Kind: model.KindUser, ID: "cy", Before: locked, After: after}
	}
	join := change.Op{Kind: model.KindGroup, ID: "crew", Before: was, After: joined}
	for name, c := range map[string]struct {
		ops  []change.Op
		want int // steps; 0: it cannot be asked for
	}{
		"a role":                  {[]change.Op{given("cy")}, 1},
		"a role and a seat":       {[]change.Op{given("cy"), user(seated)}, 2},
		"a group":                 {[]change.Op{join}, 1},
		"a role for another":      {[]change.Op{given("ann")}, 0},
		"a group that is renamed": {[]change.Op{{Kind: model.KindGroup, ID: "crew", Before: was, After: renamed}}, 0},
		"a role that gives more": {[]change.Op{given("cy"),
			{Kind: model.KindRole, ID: "clerk", Before: role, After: lifted}}, 0},
		"an account that is opened": {[]change.Op{given("cy"), user(unlocked)}, 0},
		"nothing":                   {nil, 0},
	} {
		steps, ok := (&Repair{Ops: c.ops}).Steps("cy")
		if ok != (c.want > 0) || ok && len(steps) != c.want {
			t.Errorf("%s: %+v, %t, want %d steps", name, steps, ok, c.want)
		}
	}
}

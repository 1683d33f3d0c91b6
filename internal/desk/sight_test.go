package desk_test

import (
	"cmp"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"
)

// put makes changes by bea, who owns the small organisation.
func put(t *testing.T, d *rooms.Desk, edits ...model.Object) {
	t.Helper()
	owner := desk.Actor{User: "bea", Proven: now}
	for _, o := range edits {
		before := d.Design().Get(o.Kind(), o.Ident())
		if _, err := d.Put(owner, before, o); err != nil {
			t.Fatal(err)
		}
	}
	applyAll(t, d, owner)
}

// Whoever was an administrator when something was drafted, and is only a delegate now, sees of its impact what a
// delegate sees: nobody, and no conflict, that is out of sight.
func TestAnImpactTellsADelegateOfNobodyElse(t *testing.T) {
	d, _ := open(t)
	put(t, d, &model.Conflict{ID: "gates", Name: "Gates", Items: []model.Item{
		{Role: "night"}, {Permission: "s:gate:view"}, {Role: "fixed"}, // which nobody in sight has
	}, Where: model.Anywhere})
	kay := desk.Actor{User: "kay"}
	// Everybody at t1 and t2 gets something, and so breaks the conflict.
	draft := must[*desk.Draft](t)(d.Put(kay, nil, &model.Assignment{
		ID: "new", Subject: model.Subject{Group: model.Everyone}, Role: "night", Reach: model.ReachArea, Mode: model.Full,
	}))
	if draft.Gaining < 5 || len(draft.Conflicts) < 4 {
		t.Fatalf(
			"to an administrator, %d people gain and %d come to break something",
			draft.Gaining,
			len(draft.Conflicts),
		)
	}
	owner := desk.Actor{User: "bea", Proven: now}
	must[*desk.Draft](t)(d.Put(owner, nil, &model.Delegation{
		ID: "site", Name: "Site", Delegate: model.Subject{User: "kay"}, People: model.People{Area: "t1"},
		Actions: []string{"assign", "lock"}, Roles: []string{"clerk"}, Area: "t1",
	}))
	must[*desk.Draft](
		t,
	)(
		d.Cut(owner, desk.End{Kind: "user", ID: "kay"}, desk.End{Kind: "set", ID: model.SetAdministrator}, ""),
	)
	applyAll(t, d, owner)
	seen := must[*desk.Draft](t)(d.Draft(kay))
	if len(seen.Edits) != 1 {
		t.Fatalf("the draft has %d acts", len(seen.Edits))
	}
	inSight := []string{"cy", "kay"}
	for _, p := range seen.People {
		if !slices.Contains(inSight, p.User.ID) {
			t.Errorf("a delegate is told that %s gains something", p.User.ID)
		}
	}
	if seen.Gaining > len(inSight) || seen.Gaining == 0 {
		t.Errorf("a delegate is told that %d people gain something", seen.Gaining)
	}
	for _, c := range seen.Conflicts {
		// Of the conflict she sees nothing: a role that it counts is out of sight.
		t.Errorf("a delegate is told of %+v", c)
	}
}

// What members hold by hand is tidied away only where their group gives as much, for as long.
func TestTidyingTakesNothingAway(t *testing.T) {
	soon, late := now.AddDate(0, 1, 0), now.AddDate(0, 2, 0)
	for name, c := range map[string]struct {
		group, hand model.Assignment
		tidied      bool
	}{
		"the same":                  {model.Assignment{}, model.Assignment{}, true},
		"read-only in the group":    {model.Assignment{Mode: model.ReadOnly}, model.Assignment{}, false},
		"read-only by hand":         {model.Assignment{}, model.Assignment{Mode: model.ReadOnly}, true},
		"both read-only":            {model.Assignment{Mode: model.ReadOnly}, model.Assignment{Mode: model.ReadOnly}, true},
		"the group's ends":          {model.Assignment{Until: late}, model.Assignment{}, false},
		"the group's ends earlier":  {model.Assignment{Until: soon}, model.Assignment{Until: late}, false},
		"the group's ends later":    {model.Assignment{Until: late}, model.Assignment{Until: soon}, true},
		"the group's begins later":  {model.Assignment{From: soon}, model.Assignment{}, false},
		"the group's begins before": {model.Assignment{From: soon}, model.Assignment{From: late}, true},
		"the group's is elsewhere":  {model.Assignment{Area: "t2"}, model.Assignment{Area: "t1"}, false},
		"the group's is above":      {model.Assignment{}, model.Assignment{Area: "t1"}, true},
		"the group's is for own":    {model.Assignment{Reach: model.ReachOwn}, model.Assignment{}, false},
	} {
		d, _ := open(t)
		group, hand := c.group, c.hand
		group.ID, group.Subject, group.Role = "g", model.Subject{Group: "crew"}, "lead"
		hand.ID, hand.Subject, hand.Role = "h", model.Subject{User: "cy"}, "lead"
		put(t, d, &group, &hand)
		_, err := d.Tidy(desk.Actor{User: "bea"}, "crew")
		if tidied := err == nil; tidied != c.tidied {
			t.Errorf("%s: it is tidied away: %v (%v)", name, tidied, err)
		}
	}
}

// A clock that is set back dates no revision before the one that it follows.
func TestAClockThatIsSetBack(t *testing.T) {
	_, s := open(t)
	clock := now
	d, err := rooms.Open(s, func() time.Time { return clock })
	if err != nil {
		t.Fatal(err)
	}
	role := func(id string) {
		t.Helper()
		who := desk.Actor{User: "bea", Proven: clock}
		draft := must[*desk.Draft](t)(d.Put(who, nil, &model.Role{ID: id, Name: id}))
		must[*desk.Applied](t)(d.Apply(who, "test", draft.Stamp))
	}
	clock = now.Add(time.Hour)
	role("first")
	clock = now.Add(-time.Hour)
	role("second")
	var last time.Time
	for n := 1; n <= d.Revision(); n++ {
		r, err := s.Revision(n)
		if err != nil {
			t.Fatal(err)
		}
		if r.At.Before(last) {
			t.Errorf("revision %d is of %s, after one of %s", n, r.At, last)
		}
		last = r.At
	}
	if !last.Equal(now.Add(time.Hour)) {
		t.Errorf("the last one is of %s", last)
	}
}

// What a delegate sees mentions nothing that they do not see.
func TestAPartMentionsNothingElse(t *testing.T) {
	d, _ := openDemo(t)
	h, parts := d.Present(), 0
	for _, u := range h.Design().Users {
		a := delegation.Of(h.Ahead(), u.ID, d.Now())
		if a.Empty() {
			continue
		}
		parts++
		part := a.PartOf(h.Index, nil)
		for _, o := range part.Users {
			_, there := h.Design().Users.Find(o.Manager)
			if _, seen := part.Users.Find(o.Manager); there && !seen {
				t.Errorf("what %s sees tells that %s reports to %s, whom they do not see", u.ID, o.ID, o.Manager)
			}
		}
		for _, p := range model.Errors(model.Check(part)) {
			if !strings.HasSuffix(p.Path, ".manager") {
				t.Errorf("what %s sees mentions what they do not: %s (%s)", u.ID, p.Message, p.Path)
			}
		}
	}
	if parts < 10 {
		t.Errorf("only %d people are delegates", parts)
	}
}

// An edit of somebody whose manager is out of sight leaves the manager alone, unless the manager is what is edited.
func TestEditsOfWhatIsSeenInPart(t *testing.T) {
	d, _ := open(t)
	put(t, d, &model.Delegation{
		ID: "d", Name: "D", Delegate: model.Subject{User: "dan"}, People: model.People{Area: "t1"},
		Actions: []string{"edit", "move"},
	}, altered(d, model.KindUser, "lou", func(u *model.User) { u.Area, u.State = "t1", model.UserActive }))
	seen := must[*view.Person](t)(d.Person(dan, "cy", "")).Object
	if seen.Manager == "ann" {
		t.Errorf("the manager is out of sight, and told: %q", seen.Manager)
	}
	for _, manager := range []string{"", "lou"} {
		after := model.Clone(seen)
		after.JobTitle, after.Manager = "Hand", cmp.Or(manager, seen.Manager)
		draft := must[*desk.Draft](t)(d.Put(dan, seen, after))
		if len(draft.Blocks) > 0 {
			t.Errorf("with the manager %q: %v", manager, draft.Blocks)
		}
		must[*desk.Applied](t)(d.Apply(dan, "a course", draft.Stamp))
		u, _ := d.Present().Design().Users.Find("cy")
		if want := cmp.Or(manager, "ann"); u.Manager != want || u.JobTitle != "Hand" {
			t.Errorf("the manager is %q, want %q; the title is %q", u.Manager, want, u.JobTitle)
		}
		seen = model.Clone(seen)
		seen.JobTitle = "Hand"
	}
}

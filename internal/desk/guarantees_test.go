package desk_test

import (
	"strings"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"
)

// promise makes a strict guarantee that only those at home in Terminal 1 open gates.
func promise(t *testing.T, d *rooms.Desk, lax bool) *model.Guarantee {
	t.Helper()
	dan := change.Clone(d.Design().Get(model.KindUser, "dan").(*model.User))
	dan.Area = "t1"
	g := &model.Guarantee{
		ID: "gates", Name: "Gates stay at Terminal 1", Type: model.Only, Permissions: []string{"s:gate:open"},
		People: &model.People{Area: "t1"}, Lax: model.Lax(lax),
	}
	put(t, d, dan, g)
	return g
}

func night(id, user string) *model.Assignment {
	return &model.Assignment{
		ID: id, Subject: model.Subject{User: user}, Role: "night", Area: "t1", Reach: model.ReachArea, Mode: model.Full,
	}
}

// A change that would break a strict guarantee is refused at every door but a directory's, by whoever comes, at once or
// at an instant to come, and the refusal says which promise, who, and by which way.
func TestNoDoorBreaksAGuarantee(t *testing.T) {
	d, _ := open(t)
	g := promise(t, d, false)
	owner := desk.Actor{User: "bea", Proven: now}
	later := night("later", "ann")
	later.From = now.AddDate(0, 3, 0)
	moved := change.Clone(d.Design().Get(model.KindUser, "cy").(*model.User))
	moved.Area = "t2"
	clerk := change.Clone(d.Design().Get(model.KindRole, "clerk").(*model.Role))
	clerk.Permissions = []string{"s:gate:open"}
	crew := change.Clone(d.Design().Get(model.KindGroup, "crew").(*model.Group))
	crew.Users = []string{"ann", "cy"}
	for what, c := range map[string]struct {
		put  []model.Object
		says string
	}{
		"given now": {[]model.Object{night("x", "ann")},
			"“Gates stay at Terminal 1” is not kept: Ann holds s:gate:open at Terminal 1, by “Night”"},
		"given later":        {[]model.Object{later}, "from 1 "},
		"to who is locked":   {[]model.Object{night("x", "lou")}, "Lou holds s:gate:open"},
		"who holds it moves": {[]model.Object{moved}, "Cy holds s:gate:open"},
		"by a role and a group": {[]model.Object{clerk, crew},
			"Ann holds s:gate:open at Terminal 1, by “Clerk”, given to Crew"},
		"to whoever comes": {[]model.Object{&model.Assignment{ID: "p", Subject: model.Subject{Group: model.Public},
			Role: "night"}}, "someone who is not signed in holds s:gate:open over the whole organisation, by “Night”, given " +
			"to anybody"},
	} {
		must[*desk.Draft](t)(d.Discard(owner))
		var draft *desk.Draft
		for _, o := range c.put {
			draft = must[*desk.Draft](t)(d.Put(owner, d.Design().Get(o.Kind(), o.Ident()), o))
		}
		if what == "given later" {
			c.says = "from " + model.Day(later.From) + " on"
		}
		if all := strings.Join(draft.Blocks, "\n"); !strings.Contains(all, c.says) {
			t.Errorf("%s: the draft is blocked by %q, which does not say %q", what, all, c.says)
		}
		if len(draft.Promises) != 1 || !draft.Promises[0].Strict || draft.Promises[0].Guarantee.ID != g.ID {
			t.Errorf("%s: the draft tells of %+v", what, draft.Promises)
		}
		_, err := d.Apply(owner, "why not", draft.Stamp)
		refused(t, err, desk.Invalid, "is not kept")
	}
	must[*desk.Draft](t)(d.Discard(owner))
	// The command line is a door too.
	full := d.Design().With([]model.Edit{{Kind: model.KindAssignment, ID: "x", After: night("x", "ann")}})
	refused(t, d.Load(full, desk.Replace, "test"), desk.NotAllowed, "is not kept")
	if err := d.Load(full, desk.Force, "test"); err != nil {
		t.Errorf("with force: %v", err)
	}
	// Now that it is broken, what makes it no worse goes through, and what does is refused still.
	put(t, d, &model.Area{ID: "t3", Name: "Terminal 3", Parent: "top"})
	x := change.Clone(d.Design().Get(model.KindAssignment, "x").(*model.Assignment))
	x.Reason = "as before"
	put(t, d, x)
	wider := change.Clone(x)
	wider.Area = ""
	if draft := must[*desk.Draft](t)(drafted(t, d, owner, wider)); len(draft.Blocks) == 0 {
		t.Error("what is broken already can be made worse")
	}
	sheet := must[*view.GuaranteeSheet](t)(d.Guarantee(eve, g.ID))
	if sheet.Kept.Now != 1 || sheet.Kept.Broken[0].User.ID != "ann" || sheet.Kept.Later != 0 {
		t.Errorf("the sheet says %+v", sheet.Kept)
	}
}

// One that is not strict is told, and the change can be applied. A guarantee that is broken when it is written can be
// written; a directory's change goes through, and breaks it.
func TestGuaranteesThatAreOnlyTold(t *testing.T) {
	d, _ := open(t)
	promise(t, d, true)
	owner := desk.Actor{User: "bea", Proven: now}
	draft := must[*desk.Draft](t)(drafted(t, d, owner, night("x", "ann")))
	if len(draft.Blocks) > 0 || len(draft.Promises) != 1 || draft.Promises[0].Strict {
		t.Errorf("told only: %+v, blocked by %q", draft.Promises, draft.Blocks)
	}
	applyAll(t, d, owner)
	strict := change.Clone(d.Design().Get(model.KindGuarantee, "gates").(*model.Guarantee))
	strict.Lax = false
	put(t, d, strict)
	kept := must[*view.Kept](t)(d.TryGuarantee(bea, strict))
	if kept.Now != 1 {
		t.Errorf("tried, it is broken by %+v", kept.Broken)
	}
	if kept = must[*view.Kept](t)(d.TryGuarantee(bea,
		&model.Guarantee{Name: "x", Type: model.AtMost, Permissions: []string{"s:*"}})); kept.Trouble == "" {
		t.Error("one that counts is tried without a count")
	}
	count := 2
	if kept = must[*view.Kept](t)(d.TryGuarantee(bea,
		&model.Guarantee{Name: "x", Type: model.AtLeast, Count: &count, Permissions: []string{"s:gate:*"}})); kept.Now != 2 ||
		kept.Names != 2 {
		t.Errorf("at least two over the whole organisation: %+v", kept)
	}
	_, err := d.TryGuarantee(dan, strict)
	refused(t, err, desk.NotAllowed, "See the design")

	put(
		t,
		d,
		&model.Assignment{
			ID:      "fed",
			Subject: model.Subject{Group: "fed"},
			Role:    "night",
			Area:    "t1",
			Reach:   model.ReachArea,
			Mode:    model.Full,
		},
		altered(d, model.KindUser, "kay", func(u *model.User) { u.Source = model.Directory }),
	)
	_, err = d.Feed(directory.Speaker{Name: "Harbour directory"}, func(f *directory.Request) error {
		group := change.Clone(f.Design().Get(model.KindGroup, "fed").(*model.Group))
		group.Users = []string{"kay"}
		_, err := f.Put(group, []byte("fed"))
		return err
	})
	if err != nil || len(guarantee.Now(d.Present().Ahead(), strict, now)) != 2 {
		t.Errorf("what a directory brings: %v", err)
	}
}

// A delegate is told that a promise would be broken, and nothing of whom else it is about.
func TestAGuaranteeTellsADelegateNothing(t *testing.T) {
	d, _ := open(t)
	promise(t, d, false)
	put(t, d, &model.Delegation{
		ID: "site", Name: "Site", Delegate: model.Subject{User: "dan"}, People: model.People{Filter: `userName eq "ann"`},
		Actions: []string{"assign"}, Roles: []string{"night"}, Area: "t1",
	})
	draft := must[*desk.Draft](t)(drafted(t, d, dan, night("x", "ann")))
	all := strings.Join(draft.Blocks, "\n")
	if !strings.Contains(all, "would break a promise") || strings.Contains(all, "Gates stay") || len(draft.Promises) != 0 {
		t.Errorf("a delegate is told %q and %+v", all, draft.Promises)
	}
	_, err := d.Guarantee(dan, "gates")
	refused(t, err, desk.NotFound, "no guarantee")
}

package desk_test

import (
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"
)

// altered is a copy of an object of a desk's design with something changed.
func altered[T model.Object](d *rooms.Desk, kind model.Kind, id string, do func(T)) T {
	o := model.Clone(d.Design().Get(kind, id)).(T)
	do(o)
	return o
}

// change drafts an object as it is to be, by somebody, in an empty draft.
func drafted(t *testing.T, d *rooms.Desk, who desk.Actor, o model.Object) (*desk.Draft, error) {
	t.Helper()
	if _, err := d.Discard(who); err != nil {
		t.Fatal(err)
	}
	return d.Put(who, d.Design().Get(o.Kind(), o.Ident()), o)
}

// blocked sees that a draft cannot be applied, and says why.
func blocked(t *testing.T, d *rooms.Desk, who desk.Actor, o model.Object, says string) {
	t.Helper()
	draft, err := drafted(t, d, who, o)
	if err == nil && !strings.Contains(strings.Join(draft.Blocks, "\n"), says) ||
		err != nil && !strings.Contains(err.Error(), says) {
		t.Errorf("%s %s: %v, %+v; want that it says %q", o.Kind(), o.Ident(), err, draft, says)
	}
}

// The last owner is one who lasts: neither an end of their validity or assignment, nor a later begin, gets round that.
func TestTheLastOwnerLasts(t *testing.T) {
	d, _ := open(t)
	bea := desk.Actor{User: "bea", Proven: now}
	soon := now.Add(6 * time.Second)
	blocked(t, d, bea, altered(d, model.KindUser, "bea", func(u *model.User) { u.Until = soon }), "last live person")
	blocked(t, d, bea, altered(d, model.KindUser, "bea", func(u *model.User) { u.From = soon }), "last live person")
	blocked(
		t,
		d,
		bea,
		altered(d, model.KindAssignment, "owner", func(a *model.Assignment) { a.Until = soon }),
		"last live person",
	)
	must[*desk.Draft](t)(d.Discard(bea))
	// An owner for a day does not make the lasting one dispensable.
	put(t, d, &model.Assignment{
		ID: "day", Subject: model.Subject{User: "ann"}, Set: model.SetOwner, Until: now.AddDate(0, 0, 1),
		Reach: model.ReachArea, Mode: model.Full,
	})
	draft := must[*desk.Draft](t)(d.Delete(bea, model.KindAssignment, "owner", nil))
	if !strings.Contains(strings.Join(draft.Blocks, ""), "last live person") {
		t.Errorf("with an owner for a day, the lasting one may go: %v", draft.Blocks)
	}
}

// Rights in Fachwerk that begin later, or that somebody will hold once they are live, need a proof as those of now do.
func TestWhatIsCriticalIsSoAtAnyInstant(t *testing.T) {
	d, _ := open(t)
	unproven := desk.Actor{User: "bea", Proven: now.Add(-time.Hour)}
	gives := func(user, set string, do func(a *model.Assignment)) *model.Assignment {
		a := &model.Assignment{
			ID:      "new",
			Subject: model.Subject{User: user},
			Set:     set,
			Reach:   model.ReachArea,
			Mode:    model.Full,
		}
		do(a)
		return a
	}
	nothing := func(*model.Assignment) {}
	put(t, d, &model.User{ID: "ivy", UserName: "ivy", DisplayName: "Ivy", State: model.UserInvited},
		&model.Role{ID: "deleg", Name: "Delegates", Permissions: []string{model.EditDelegations}})
	for name, c := range map[string]struct {
		o    model.Object
		says string // empty: not critical
	}{
		"at once": {gives("ann", model.SetOwner, nothing), "Ann gains full rights"},
		"in five seconds": {gives("ann", model.SetOwner, func(a *model.Assignment) {
			a.From = now.Add(5 * time.Second)
		}), "in Fachwerk, from 4 March 2026"},
		"for an hour": {gives("ann", model.SetOwner, func(a *model.Assignment) {
			a.Until = now.Add(time.Hour)
		}), "Ann gains"},
		"to somebody invited": {gives("ivy", model.SetOwner, nothing), "in Fachwerk, once live"},
		"to somebody locked":  {gives("lou", model.SetAdministrator, nothing), "Lou gains"},
		"one grave right": {&model.Assignment{ID: "new", Subject: model.Subject{User: "ann"}, Role: "deleg",
			Reach: model.ReachArea, Mode: model.Full}, "“Delegate”"},
		"to look only": {gives("ann", model.SetAuditor, nothing), ""},
		"what is over": {gives("ann", model.SetOwner, func(a *model.Assignment) { a.Until = now.Add(-time.Hour) }), ""},
		"another sign-in": {altered(d, model.KindUser, "ann", func(u *model.User) {
			u.Email = "ann@small.example"
		}), "How Ann signs in"},
		"another title": {altered(d, model.KindUser, "ann", func(u *model.User) { u.JobTitle = "Clerk" }), ""},
		"a delegation": {&model.Delegation{
			ID: "d", Name: "D", Delegate: model.Subject{User: "ann"}, People: model.People{Area: "t1"},
			Actions: []string{"lock"},
		}, "is changed"},
	} {
		draft := must[*desk.Draft](t)(drafted(t, d, unproven, c.o))
		said := strings.Join(draft.Critical, "\n")
		if c.says == "" && said != "" || c.says != "" && !strings.Contains(said, c.says) {
			t.Errorf("%s: critical is %q, want %q", name, said, c.says)
		}
		_, err := d.Apply(unproven, "a test", draft.Stamp)
		if c.says == "" {
			if err != nil {
				t.Errorf("%s: %v", name, err)
			}
			back := d.Design().Get(c.o.Kind(), "new")
			if back != nil {
				draft := must[*desk.Draft](t)(d.Delete(unproven, c.o.Kind(), "new", nil))
				must[*desk.Applied](t)(d.Apply(unproven, "back", draft.Stamp))
			}
			continue
		}
		refused(t, err, desk.Unproven, "")
	}
}

// Nobody hands on, or touches the account of somebody who holds, a right in Fachwerk that they do not hold, now or
// later.
func TestNobodyTouchesWhoHoldsMore(t *testing.T) {
	d, _ := open(t)
	kay := desk.Actor{User: "kay", Proven: now} // an administrator, who makes no delegations and no tokens
	for _, do := range map[string]func(u *model.User){
		"state":       func(u *model.User) { u.State = model.UserLocked },
		"validity":    func(u *model.User) { u.From = now.AddDate(0, 0, 1) },
		"e-mail":      func(u *model.User) { u.Email = "mine@small.example" },
		"user name":   func(u *model.User) { u.UserName = "gone" },
		"external id": func(u *model.User) { u.ExternalID = "e-7" },
	} {
		blocked(t, d, kay, altered(d, model.KindUser, "bea", do), "which you do not, so you change neither")
	}
	if draft := must[*desk.Draft](t)(drafted(t, d, kay, altered(d, model.KindUser, "bea", func(u *model.User) {
		u.JobTitle = "Head"
	}))); len(
		draft.Blocks,
	) > 0 {
		t.Errorf("her title is not hers to change: %v", draft.Blocks)
	}
	if draft := must[*desk.Draft](t)(drafted(t, d, kay, altered(d, model.KindUser, "eve", func(u *model.User) {
		u.State = model.UserLocked
	}))); len(
		draft.Blocks,
	) > 0 {
		t.Errorf("who holds less cannot be locked: %v", draft.Blocks)
	}
	later := &model.Assignment{
		ID: "later", Subject: model.Subject{User: "kay"}, Set: model.SetOwner, From: now.AddDate(1, 0, 0),
		Reach: model.ReachArea, Mode: model.Full,
	}
	blocked(t, d, kay, later, "which you do not hold yourself")
}

// A directory gives no right in Fachwerk, but by a group that an owner handed to it, and changes nobody's sign-in who
// holds one.
func TestADirectoryGivesNoRights(t *testing.T) {
	d, _ := open(t)
	fill := func(id, user string) error {
		_, err := d.Feed(directory.Speaker{Name: "dir"}, func(f *directory.Request) error {
			g, _ := f.Design().Groups.Find(id)
			g = model.Clone(g)
			g.Users = append(g.Users, user)
			_, err := f.Put(g, nil)
			return err
		})
		return err
	}
	for _, id := range []string{"ann", "dan"} {
		put(t, d, altered(d, model.KindUser, id, func(u *model.User) { u.Source = model.Directory }))
	}
	// kay could assign, but she is no owner, so she does not let the directory say who holds what she gives.
	gives := &model.Assignment{
		ID:      "fed-audit",
		Subject: model.Subject{Group: "fed"},
		Set:     model.SetAuditor,
		Reach:   model.ReachArea,
		Mode:    model.Full,
	}
	blocked(t, d, desk.Actor{User: "kay", Proven: now}, gives, "only an owner hands it over")
	if err := fill("fed", "ann"); err != nil {
		t.Fatal(err)
	}
	put(t, d, gives)
	if err := fill("fed", "dan"); err != nil {
		t.Errorf("a group that an owner handed over: %v", err)
	}
	// By a title, it would come round the back.
	put(
		t,
		d,
		&model.Group{ID: "heads", Name: "Heads", Type: model.Rule, Rule: `title eq "head"`},
		&model.Assignment{
			ID:      "heads-own",
			Subject: model.Subject{Group: "heads"},
			Set:     model.SetOwner,
			Reach:   model.ReachArea,
			Mode:    model.Full,
		},
		altered(d, model.KindUser, "cy", func(u *model.User) { u.Source = model.Directory }),
		altered(d, model.KindUser, "kay", func(u *model.User) { u.Source = model.Directory }),
	)
	speaker := directory.Speaker{Name: "dir"}
	alter := func(id string, do func(u *model.User)) error {
		_, err := d.Feed(speaker, func(f *directory.Request) error {
			u, _ := f.Design().Users.Find(id)
			u = model.Clone(u)
			do(u)
			_, err := f.Put(u, nil)
			return err
		})
		return err
	}
	refused(
		t,
		alter("cy", func(u *model.User) { u.JobTitle = "Head" }),
		desk.NotAllowed,
		"no right in Fachwerk comes by a directory",
	)
	refused(t, alter("kay", func(u *model.User) { u.Email = "other@small.example" }), desk.NotAllowed, "how they sign in")
	for _, state := range []model.UserState{model.UserDeactivated, model.UserActive} {
		if err := alter("kay", func(u *model.User) { u.State = state }); err != nil {
			t.Errorf("to %s: %v", state, err)
		}
	}
	speaker.SignIns = true // an owner has let it
	if err := alter("kay", func(u *model.User) { u.Email = "other@small.example" }); err != nil {
		t.Errorf("a directory that may: %v", err)
	}
	refused(
		t,
		alter("cy", func(u *model.User) { u.JobTitle = "Head" }),
		desk.NotAllowed,
		"no right in Fachwerk comes by a directory",
	)
}

// Another day and other eyes lend nothing: what one may do is what one may do now.
func TestLookingWidensNothing(t *testing.T) {
	d, _ := open(t)
	put(t, d, &model.Delegation{
		ID: "later", Name: "Later", Delegate: model.Subject{User: "ann"}, People: model.People{Area: "top"},
		Actions: []string{"lock"},
		From:    now.AddDate(1, 0, 0),
	}, &model.Delegation{
		ID: "now", Name: "Now", Delegate: model.Subject{User: "dan"}, People: model.People{Area: "t1"},
		Actions: []string{"lock"},
	})
	_, err := d.List(desk.Actor{User: "ann", When: now.AddDate(1, 1, 0)}, view.Listing{Kind: model.KindUser, Limit: 10})
	refused(t, err, desk.NotAllowed, "See the design")
	if l := must[*view.List](t)(d.List(desk.Actor{User: "dan", When: now.AddDate(1, 1, 0)},
		view.Listing{Kind: model.KindUser, Limit: 10})); l.Total != 2 {
		t.Errorf("next year he sees %d people", l.Total)
	}
	// eve looks through the owner's eyes, and has no right more by it.
	for _, r := range must[*account.Me](t)(d.Me(desk.Actor{User: "eve", As: "bea"})).Rights {
		if r == model.EditDelegations || r == model.ManageTokens || r == model.EditDesign {
			t.Errorf("through an owner's eyes, an auditor has the right %s", r)
		}
	}
}

// The impact tells what begins later and what somebody will hold once they are live, as such.
func TestTheImpactTellsWhatComesLater(t *testing.T) {
	d, _ := open(t)
	bea := desk.Actor{User: "bea", Proven: now}
	soon := now.AddDate(0, 1, 0)
	must[*desk.Draft](
		t,
	)(
		d.Put(bea, nil, &model.User{ID: "ivy", UserName: "ivy", DisplayName: "Ivy", State: model.UserInvited}),
	)
	must[*desk.Draft](t)(d.Put(bea, nil, &model.Assignment{
		ID: "ivy", Subject: model.Subject{User: "ivy"}, Role: "clerk", Area: "t1", Reach: model.ReachArea, Mode: model.Full,
	}))
	draft := must[*desk.Draft](t)(d.Put(bea, nil, &model.Assignment{
		ID: "ann", Subject: model.Subject{Group: "crew"}, Role: "night", Area: "t2", From: soon, Reach: model.ReachArea,
		Mode: model.Full,
	}))
	if draft.Gaining != 0 || len(draft.Later) != 2 {
		t.Fatalf("now %d gain, later %+v", draft.Gaining, draft.Later)
	}
	ivy, cy := draft.Later[0], draft.Later[1]
	if ivy.User.ID != "ivy" || ivy.Live || ivy.From != nil || len(ivy.Gains) != 1 ||
		ivy.Gains[0].Permission != "s:gate:view" {
		t.Errorf("once live: %+v", ivy)
	}
	if cy.User.ID != "cy" || !cy.Live || cy.From == nil || !cy.From.Equal(soon) || len(cy.Gains) != 2 ||
		cy.Gains[0].Area.ID != "t2" {
		t.Errorf("later: %+v", cy)
	}
}

// A conflict that somebody will come to break, later or once they are live, is told in the impact, once.
func TestConflictsToCome(t *testing.T) {
	d, _ := open(t)
	put(t, d, &model.Conflict{
		ID: "both", Name: "Both", Items: []model.Item{{Role: "lead"}, {Permission: "s:gate:open"}}, Limit: 1,
		Where: model.SameArea,
	})
	lead := func(id, user string, from time.Time) *model.Assignment {
		return &model.Assignment{
			ID: id, Subject: model.Subject{User: user}, Role: "lead", Area: "t1", From: from, Reach: model.ReachArea,
			Mode: model.Full,
		}
	}
	soon, later := now.AddDate(0, 1, 0), now.AddDate(0, 2, 0)
	for _, c := range []struct {
		what string
		put  []model.Object
		user string
		from time.Time
		live bool
	}{
		{"now", []model.Object{lead("x", "cy", time.Time{})}, "cy", time.Time{}, true},
		{"now, and something else later", []model.Object{
			lead("x", "cy", time.Time{}),
			&model.Assignment{
				ID: "xn", Subject: model.Subject{User: "cy"}, Role: "night", From: later, Reach: model.ReachArea, Mode: model.Full,
			},
		}, "cy", time.Time{}, true},
		{"later", []model.Object{lead("x", "cy", later)}, "cy", later, true},
		{"sooner than before", []model.Object{lead("y", "cy", soon)}, "cy", soon, true},
		{"not sooner", []model.Object{lead("z", "cy", later)}, "", time.Time{}, false},
		{"once unlocked", []model.Object{
			lead("l", "lou", time.Time{}),
			&model.Assignment{ID: "ln", Subject: model.Subject{User: "lou"}, Role: "night", Reach: model.ReachArea,
				Mode: model.Full},
		}, "lou", time.Time{}, false},
	} {
		draft := must[*desk.Draft](t)(drafted(t, d, bea, c.put[0]))
		for _, o := range c.put[1:] {
			draft = must[*desk.Draft](t)(d.Put(bea, nil, o))
		}
		if c.user == "" && len(draft.Conflicts) > 0 || c.user != "" && (len(draft.Conflicts) != 1 ||
			draft.Conflicts[0].User.ID != c.user || draft.Conflicts[0].Live != c.live ||
			(draft.Conflicts[0].From == nil) != c.from.IsZero() || !c.from.IsZero() && !draft.Conflicts[0].From.Equal(c.from)) {
			t.Errorf("%s: the conflicts are %+v", c.what, draft.Conflicts)
		}
		if strings.HasPrefix(c.what, "now") {
			must[*desk.Draft](t)(d.Discard(bea))
			continue
		}
		must[*desk.Applied](t)(d.Apply(desk.Actor{User: "bea", Proven: now}, "why", draft.Stamp))
	}
}

package desk_test

import (
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/rooms"
)

// Ways in that once were open, each beside a neighbour that is permitted.

// administratorsByTitle gives whoever has a title the administrator's rights, by a rule group, and gives a directory a
// group of people who may be given nothing.
func administratorsByTitle(t *testing.T, d *rooms.Desk) {
	t.Helper()
	put(t, d,
		&model.Group{ID: "heads", Name: "Heads", Type: model.Rule, Rule: `title eq "head of access"`},
		&model.Assignment{ID: "heads-rights", Subject: model.Subject{Group: "heads"}, Set: model.SetAdministrator,
			Reach: model.ReachArea, Mode: model.Full},
	)
}

// says has a directory say of somebody what do makes of them, and gives its refusal.
func says(d *rooms.Desk, id string, do func(u *model.User)) error {
	_, err := d.Feed(directory.Speaker{Name: "Directory"}, func(f *directory.Request) error {
		u, ok := f.Design().Users.Find(id)
		if !ok {
			u = &model.User{UserName: id, DisplayName: id, Source: model.Directory}
		}
		u = change.Clone(u)
		do(u)
		_, err := f.Put(u, nil)
		return err
	})
	return err
}

// A directory that plants a right in somebody who is deactivated, to bring them back later, gives a right.
func TestADirectoryMakesNoAdministratorsInTwoActs(t *testing.T) {
	d, _ := open(t)
	administratorsByTitle(t, d)
	state := func(s model.UserState) func(*model.User) { return func(u *model.User) { u.State = s } }
	head := func(u *model.User) { u.JobTitle = "Head of access" }

	err := says(d, "mole", func(u *model.User) { head(u); state(model.UserDeactivated)(u) })
	refused(t, err, desk.NotAllowed, "no right in Fachwerk comes by a directory")
	if err := says(d, "mole", state(model.UserActive)); err != nil {
		t.Fatal(err)
	}
	mole, _ := d.Design().Users.Find("mole")
	if mole == nil {
		t.Fatal("somebody without rights is not added")
	}
	for _, do := range []func(*model.User){state(model.UserDeactivated), func(u *model.User) { u.JobTitle = "Clerk" }} {
		if err := says(d, "mole", do); err != nil {
			t.Fatal(err)
		}
	}
	refused(t, says(d, "mole", head), desk.NotAllowed, "no right in Fachwerk comes by a directory")
	// Nor by an end of the validity that lies in the past, or a beginning that lies ahead.
	for _, do := range []func(*model.User){
		func(u *model.User) { u.Until = now.AddDate(0, 0, -1); head(u) },
		func(u *model.User) { u.State, u.From = model.UserActive, now.AddDate(1, 0, 0); head(u) },
	} {
		refused(t, says(d, "mole", do), desk.NotAllowed, "no right in Fachwerk comes by a directory")
	}
	if err := says(d, "mole", state(model.UserActive)); err != nil {
		t.Errorf("somebody without rights is not brought back: %v", err)
	}
}

// What somebody deactivated would hold is given when it is planted, and again by whoever wakes them.
func TestPlantingInSomebodyAsleepIsGiving(t *testing.T) {
	d, _ := open(t)
	put(t, d, altered(d, model.KindUser, "dan", func(u *model.User) {
		u.State, u.Source = model.UserDeactivated, model.Directory
	}))
	owners := &model.Assignment{ID: "dan-owner", Subject: model.Subject{User: "dan"}, Set: model.SetOwner,
		Reach: model.ReachArea, Mode: model.Full}
	kay := desk.Actor{User: "kay", Proven: now}
	blocked(t, d, kay, owners, "which you do not hold yourself")
	draft := must[*desk.Draft](t)(drafted(t, d, desk.Actor{User: "bea"}, owners))
	_, err := d.Apply(desk.Actor{User: "bea"}, "planted", draft.Stamp)
	refused(t, err, desk.Unproven, "password")
	must[*desk.Applied](t)(d.Apply(desk.Actor{User: "bea", Proven: now}, "planted", draft.Stamp))

	// An administrator who holds less does not wake them, and an owner proves who they are first.
	awake := altered(d, model.KindUser, "dan", func(u *model.User) { u.State, u.Source = model.UserActive, model.Local })
	blocked(t, d, kay, awake, "which you do not")
	draft = must[*desk.Draft](t)(drafted(t, d, desk.Actor{User: "bea"}, awake))
	_, err = d.Apply(desk.Actor{User: "bea"}, "woken", draft.Stamp)
	refused(t, err, desk.Unproven, "password")

	// The directory that keeps them brings them back: what they hold was given by an owner.
	if err := says(d, "dan", func(u *model.User) { u.State = model.UserActive }); err != nil {
		t.Error(err)
	}
}

// Somebody becomes a delegate by a group only by whoever may delegate; a directory makes nobody one.
func TestDelegatesByAGroup(t *testing.T) {
	d, _ := open(t)
	put(t, d,
		&model.Group{ID: "stewards", Name: "Stewards", Type: model.Rule, Rule: `title eq "steward"`},
		&model.Group{ID: "wardens", Name: "Wardens"},
		&model.Delegation{ID: "s", Name: "S", Delegate: model.Subject{Group: "stewards"}, People: model.People{Area: "t1"},
			Actions: []string{"lock"}},
		&model.Delegation{ID: "w", Name: "W", Delegate: model.Subject{Group: "wardens"}, People: model.People{Area: "t1"},
			Actions: []string{"assign"}, Roles: []string{"night"}, Area: "t1"},
	)
	kay := desk.Actor{User: "kay", Proven: now}
	blocked(t, d, kay, altered(d, model.KindGroup, "wardens", func(g *model.Group) { g.Users = []string{"dan"} }),
		"to which something is delegated")
	blocked(t, d, kay, altered(d, model.KindUser, "dan", func(u *model.User) { u.JobTitle = "Steward" }),
		"to which something is delegated")
	blocked(t, d, kay, altered(d, model.KindGroup, "stewards", func(g *model.Group) { g.Rule = `userName pr` }),
		"to which something is delegated")
	must[*desk.Draft](t)(drafted(t, d, kay, altered(d, model.KindUser, "dan", func(u *model.User) { u.JobTitle = "Clerk" })))
	put(t, d, altered(d, model.KindGroup, "wardens", func(g *model.Group) { g.Users = []string{"dan"} })) // by an owner

	refused(t, says(d, "mole", func(u *model.User) { u.JobTitle = "Steward" }), desk.NotAllowed, "would become a delegate")
	if err := says(d, "mole", func(u *model.User) { u.JobTitle = "Clerk" }); err != nil {
		t.Error(err)
	}
}

// A token does nothing that its maker could not do, at any moment: neither when its person comes to hold more, nor when
// its maker comes to hold less.
func TestATokenDoesNoMoreThanItsMaker(t *testing.T) {
	d, _ := open(t)
	put(t, d,
		&model.Role{ID: "keys", Name: "Keys", Permissions: []string{model.ManageTokens, model.ViewDesign}},
		&model.Assignment{ID: "ann-keys", Subject: model.Subject{User: "ann"}, Role: "keys", Reach: model.ReachArea,
			Mode: model.Full},
		&model.Delegation{ID: "site", Name: "Site", Delegate: model.Subject{User: "dan"}, People: model.People{Area: "t1"},
			Actions: []string{"edit"}},
	)
	token := func(maker string) desk.Actor {
		made := must[*account.MadeToken](t)(d.AddToken(desk.Actor{User: maker, Proven: now},
			account.NewToken{Name: "Tool of " + maker, Purpose: "api", User: "dan"}))
		if _, err := d.Program(made.Secret, "api"); err != nil {
			t.Fatal(err)
		}
		return desk.Actor{User: "dan", Token: "Tool of " + maker, Maker: maker}
	}
	anns, beas := token("ann"), token("bea")
	titled := func(title string) *model.User {
		return altered(d, model.KindUser, "cy", func(u *model.User) { u.JobTitle = title })
	}
	// The assignment is critical, so that dan could touch cy only if he held it too.
	put(t, d, &model.Assignment{ID: "dan-all", Subject: model.Subject{User: "dan"}, Role: "night", Reach: model.ReachArea,
		Mode: model.Full})

	// By dan's delegation: what ann could not do, her token does not do either.
	blocked(t, d, anns, titled("Hand"), "Edit people")
	draft := must[*desk.Draft](t)(drafted(t, d, beas, titled("Hand")))
	must[*desk.Applied](t)(d.Apply(beas, "by the owner's token", draft.Stamp))

	// By a right that dan comes to hold later.
	put(t, d, &model.Assignment{ID: "dan-admin", Subject: model.Subject{User: "dan"}, Set: model.SetAdministrator,
		Reach: model.ReachArea, Mode: model.Full})
	blocked(t, d, anns, titled("Deckhand"), "Edit people")
	draft = must[*desk.Draft](t)(drafted(t, d, beas, titled("Deckhand")))
	must[*desk.Applied](t)(d.Apply(beas, "by the owner's token", draft.Stamp))

	// In person: what is dan's own to do is done by no program that somebody else let in.
	refused(t, d.SetLetters(beas, account.Letters{}), desk.NotAllowed, "in person")
	own := desk.Actor{User: "dan", Token: "Dan's own"}
	if err := d.SetLetters(own, account.Letters{}); err != nil {
		t.Error(err)
	}
	refused(t, d.EndSession(own, "", ""), desk.NotAllowed, "No program changes how Dan gets in")

	// The maker holds less, or is not live: the token sleeps, says why, and wakes with them.
	secret := must[*account.MadeToken](t)(d.AddToken(desk.Actor{User: "ann", Proven: now},
		account.NewToken{Name: "Gate", Purpose: "decisions"})).Secret
	ann, _ := d.Design().Users.Find("ann")
	put(t, d, altered(d, model.KindUser, "ann", func(u *model.User) { u.State = model.UserLocked }))
	_, err := d.Program(secret, "decisions")
	refused(t, err, desk.NotSignedIn, "The token “Gate” sleeps: Ann, who made it, is not live")
	_, err = d.See(anns)
	refused(t, err, desk.NotSignedIn, "sleeps")
	put(t, d, ann)
	if _, err := d.Program(secret, "decisions"); err != nil {
		t.Error(err)
	}
	draft = must[*desk.Draft](t)(d.Delete(desk.Actor{User: "bea", Proven: now}, model.KindAssignment, "ann-keys", nil))
	must[*desk.Applied](t)(d.Apply(desk.Actor{User: "bea", Proven: now}, "no longer", draft.Stamp))
	_, err = d.Program(secret, "decisions")
	refused(t, err, desk.NotSignedIn, "does not see the design")

	// An owner takes it over, and nobody else.
	bea := desk.Actor{User: "bea", Proven: now}
	for _, v := range must[[]account.Token](t)(d.Tokens(bea)) {
		if v.Name != "Gate" {
			continue
		}
		if v.Asleep == "" {
			t.Error("the list does not say that a token sleeps")
		}
		refused(t, d.TakeToken(kay, v.ID), desk.NotAllowed, "Manage tokens")
		if err := d.TakeToken(bea, v.ID); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := d.Program(secret, "decisions"); err != nil {
		t.Error(err)
	}
}

// A directory's token works as long as its maker is an owner.
func TestADirectorysTokenSleepsWithItsOwner(t *testing.T) {
	d, _ := open(t)
	put(t, d, &model.Assignment{ID: "kay-owner", Subject: model.Subject{User: "kay"}, Set: model.SetOwner,
		Reach: model.ReachArea, Mode: model.Full})
	secret := must[*account.MadeToken](t)(d.AddToken(desk.Actor{User: "kay", Proven: now},
		account.NewToken{Name: "Directory", Purpose: "scim"})).Secret
	if _, err := d.Program(secret, "scim"); err != nil {
		t.Fatal(err)
	}
	draft := must[*desk.Draft](t)(d.Delete(desk.Actor{User: "bea", Proven: now}, model.KindAssignment, "kay-owner", nil))
	must[*desk.Applied](t)(d.Apply(desk.Actor{User: "bea", Proven: now}, "no longer", draft.Stamp))
	_, err := d.Program(secret, "scim")
	refused(t, err, desk.NotSignedIn, "no longer an owner")
}

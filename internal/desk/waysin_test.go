package desk_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/store"
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
	clerk := altered(d, model.KindUser, "dan", func(u *model.User) { u.JobTitle = "Clerk" })
	must[*desk.Draft](t)(drafted(t, d, kay, clerk))
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

// A link ends when what its person holds of Fachwerk, or is delegated to them, grows; who was shown it does not come in
// by it as somebody who holds more.
func TestALinkEndsWhenItsPersonHoldsMore(t *testing.T) {
	d, s := open(t)
	bea := desk.Actor{User: "bea", Proven: now}
	kay := desk.Actor{User: "kay", Proven: now}
	invite := func(id string) string {
		t.Helper()
		put(t, d, &model.User{ID: id, UserName: id, DisplayName: id, State: model.UserInvited, Email: id + "@small.example"})
		i := must[*account.Invitation](t)(d.Invite(kay, id, ""))
		return strings.TrimPrefix(i.Link, "/welcome/")
	}
	comesIn := func(link string) error {
		_, err := d.SetPassword(t.Context(), link, "seven grey herons", "192.0.2.1")
		return err
	}
	put(t, d, &model.Group{ID: "stewards", Name: "Stewards"},
		&model.Delegation{ID: "s", Name: "S", Delegate: model.Subject{Group: "stewards"}, People: model.People{Area: "t1"},
			Actions: []string{"lock"}})
	given := func(user, set string) model.Object {
		return &model.Assignment{ID: user + "-" + set, Subject: model.Subject{User: user}, Set: set, Reach: model.ReachArea,
			Mode: model.Full}
	}
	for id, grows := range map[string][]model.Object{
		"one": {given("one", model.SetAuditor)},
		"two": {&model.Group{ID: "stewards", Name: "Stewards", Users: []string{"two"}}},
		"three": {&model.Delegation{ID: "t", Name: "T", Delegate: model.Subject{User: "three"}, Actions: []string{"lock"},
			People: model.People{Area: "t2"}}},
	} {
		link := invite(id)
		put(t, d, grows...)
		refused(t, comesIn(link), desk.NotFound, "has been used or has run out")
	}
	link := invite("four")
	put(t, d, given("four", "see"))
	if err := comesIn(link); err != nil {
		t.Errorf("a link ended though its person holds nothing more of Fachwerk: %v", err)
	}

	// A new one is shown to somebody who holds as much.
	_, err := d.Invite(kay, "two", "")
	refused(t, err, desk.NotAllowed, "Something is delegated to two")
	again := must[*account.Invitation](t)(d.Invite(bea, "two", ""))
	if err := comesIn(strings.TrimPrefix(again.Link, "/welcome/")); err != nil {
		t.Error(err)
	}

	// By letter, it goes out by itself; and so does one for a new password.
	invite("five")
	put(t, d, altered(d, model.KindUser, "ann", func(u *model.User) { u.Email = "ann@small.example" }))
	link = must[string](t)(d.PasswordLink("ann"))
	d.Mail = true
	for user, grows := range map[string]string{"five": "Your way into Small", "ann": "password"} {
		before := len(lettersTo(t, s, user))
		put(t, d, given(user, model.SetAuditor))
		letters := lettersTo(t, s, user)
		if len(letters) != before+1 || !strings.Contains(strings.Join(letters, "\n"), grows) {
			t.Errorf("to %s went %d letters, then %q", user, before, letters)
		}
	}
	refused(t, comesIn(link), desk.NotFound, "has been used or has run out")
}

// Nobody chooses who decides about them, and handing on takes no decision away.
func TestHandingOnTakesNoDecisionAway(t *testing.T) {
	d, _ := open(t)
	bea, ann, kay := desk.Actor{User: "bea", Proven: now}, desk.Actor{User: "ann"}, desk.Actor{User: "kay", Proven: now}
	put(t, d, &model.Assignment{ID: "bea-night", Subject: model.Subject{User: "bea"}, Role: "night",
		Reach: model.ReachArea, Mode: model.Full})
	r := must[*review.Review](t)(d.OpenReview(bea, review.NewReview{Role: "night", By: "person", Person: "ann"}))
	items := itemsOf(t, d, ann, r.ID)
	own, other := itemAbout(t, items, "bea"), itemAbout(t, items, "dan")
	for _, i := range []review.ReviewItem{own, other} {
		must[*review.ReviewItem](t)(d.Decide(ann, i.ID, "revoke", "not needed"))
	}
	_, err := d.HandOn(bea, own.ID, "kay", "be kind")
	refused(t, err, desk.NotAllowed, "Nobody chooses who decides about their own access")
	handed := must[*review.ReviewItem](t)(d.HandOn(bea, other.ID, "kay", "look again"))
	if handed.Reviewer.ID != "kay" || handed.Decision != "revoke" || handed.By.ID != "ann" {
		t.Errorf("handed on, it is %+v", handed)
	}
	_, err = d.Decide(kay, other.ID, "", "")
	refused(t, err, desk.NotAllowed, "Ann decided this, and that counts until you decide it anew")
	if anew := must[*review.ReviewItem](t)(d.Decide(kay, other.ID, "keep", "")); anew.Decision != "keep" {
		t.Errorf("decided anew, it is %+v", anew)
	}
	trail := must[*review.ItemDetail](t)(d.ReviewItem(bea, other.ID)).Trail
	if len(trail) != 3 || trail[0].Decision != "revoke" || trail[2].Decision != "keep" {
		t.Errorf("the trail is %+v", trail)
	}
	must[*review.ReviewItem](t)(d.Decide(kay, other.ID, "", "")) // whoever decided can think again
}

// Where two decide, two do, though the first hands the item to the second.
func TestTwoDecideThoughOneHandsToTheOther(t *testing.T) {
	d, _ := open(t)
	bea, ann, kay := desk.Actor{User: "bea", Proven: now}, desk.Actor{User: "ann"}, desk.Actor{User: "kay"}
	r := must[*review.Review](t)(d.OpenReview(bea, review.NewReview{
		Role: "night", By: "person", Person: "ann", Second: &review.Second{By: "person", Person: "kay"},
	}))
	item := itemAbout(t, itemsOf(t, d, ann, r.ID), "dan")
	must[*review.ReviewItem](t)(d.HandOn(ann, item.ID, "kay", ""))
	once := must[*review.ReviewItem](t)(d.Decide(kay, item.ID, "keep", ""))
	if once.Decision != "" || once.Reviewer.ID != "ann" || once.Stage != 1 {
		t.Errorf("kept once, it is %+v", once)
	}
	if twice := must[*review.ReviewItem](t)(d.Decide(ann, item.ID, "keep", "")); twice.Decision != "keep" {
		t.Errorf("kept twice, it is %+v", twice)
	}
}

// Through other eyes is seen what both may see: to see the design does not show what reviews ask of others.
func TestOtherEyesShowNoReviews(t *testing.T) {
	d, _ := open(t)
	put(t, d,
		&model.Role{ID: "seer", Name: "Seer", Permissions: []string{model.ViewDesign}},
		&model.Assignment{ID: "cy-seer", Subject: model.Subject{User: "cy"}, Role: "seer", Reach: model.ReachArea,
			Mode: model.Full},
		&model.Delegation{ID: "site", Name: "Site", Delegate: model.Subject{User: "dan"}, People: model.People{Area: "top"},
			Actions: []string{"review"}},
	)
	bea := desk.Actor{User: "bea", Proven: now}
	r := must[*review.Review](t)(d.OpenReview(bea, review.NewReview{Role: "night"}))
	item := itemsOf(t, d, ann, r.ID)[0].ID
	must[*review.Series](t)(d.MakeSeries(bea, returning(now)))

	sees := func(who desk.Actor) (reviews, items, series, waiting int) {
		t.Helper()
		if v, err := d.Items(who, r.ID, review.ItemsAsk{Limit: 10}); err == nil {
			items = v.Total
		}
		if _, err := d.ReviewItem(who, item); err == nil {
			items++
		}
		if ids, err := d.Alike(who, item); err == nil {
			items += len(ids)
		}
		me := must[*account.Me](t)(d.Me(who))
		return len(must[[]review.Review](t)(d.Reviews(who, ""))), items, len(must[[]review.Series](t)(d.AllSeries(who))),
			me.Waiting + me.Tasks
	}
	for _, eyes := range []string{"ann", "bea"} {
		if reviews, items, series, waiting := sees(desk.Actor{User: "cy", As: eyes}); reviews+items+series+waiting > 0 {
			t.Errorf("who sees the design alone sees, as %s, %d reviews, %d items, %d series, %d that wait",
				eyes, reviews, items, series, waiting)
		}
	}
	// Who sees reviews too sees what the reviewer does.
	if reviews, items, _, waiting := sees(desk.Actor{User: "eve", As: "ann"}); reviews == 0 || items == 0 || waiting == 0 {
		t.Errorf("an auditor sees, as ann, %d reviews, %d items, %d that wait", reviews, items, waiting)
	}
	if _, items, _, _ := sees(ann); items == 0 {
		t.Error("a reviewer sees nothing")
	}
}

// What a delegate does to somebody names nothing of what hangs on it out of their sight, and a reference to what they
// do not see is refused as one to nothing.
func TestWhatHangsOnSomebodyIsNotNamed(t *testing.T) {
	d, _ := open(t)
	put(t, d,
		&model.Delegation{ID: "secret-d", Name: "Secret", Delegate: model.Subject{User: "cy"}, Actions: []string{"lock"},
			People: model.People{Area: "t2"}},
		&model.Role{ID: "secret-r", Name: "Secret", Owner: "cy"},
		altered(d, model.KindUser, "lou", func(u *model.User) { u.Manager = "cy" }),
		&model.Delegation{ID: "site", Name: "Site", Delegate: model.Subject{User: "dan"}, People: model.People{Area: "t1"},
			Actions: model.DelegableActions, Roles: []string{"clerk", "night"}, Area: "t1"},
		&model.Assignment{ID: "dan-all", Subject: model.Subject{User: "dan"}, Role: "night", Reach: model.ReachArea,
			Mode: model.Full},
	)
	_, err := d.DraftLeaving(dan, people.LeavingPlan{User: "cy", On: now.AddDate(0, 0, 3)})
	refused(t, err, desk.NotAllowed, "This would also change something that is not among what is delegated to you")
	_, gone := d.Delete(dan, model.KindUser, "cy", nil)
	for _, err := range []error{err, gone} {
		e := (*desk.Error)(nil)
		if !errors.As(err, &e) || strings.Contains(strings.Join(append(e.Problems, e.Message), " "), "ecret") ||
			strings.Contains(strings.Join(append(e.Problems, e.Message), " "), "lou") {
			t.Errorf("somebody who leaves is refused with %+v", err)
		}
	}
	managed := func(by string) string {
		t.Helper()
		_, err := drafted(t, d, dan, altered(d, model.KindUser, "cy", func(u *model.User) { u.Manager = by }))
		if err == nil {
			t.Fatalf("cy reports to %s", by)
		}
		return strings.ReplaceAll(err.Error(), by, "-")
	}
	if hidden, nobody := managed("lou"), managed("zed"); hidden != nobody {
		t.Errorf("a hidden manager is refused with %q, nobody with %q", hidden, nobody)
	}
}

// However much is entered before, what is of weight is written, and what is left out is counted.
func TestTheSecurityLogIsNotBlinded(t *testing.T) {
	d, s, clock := clocked(t)
	kay := desk.Actor{User: "kay", From: "192.0.2.1"}
	for range 90 {
		d.Happened(kay.By(desk.EventDownload, "exportList"))
		d.Happened(kay.By(desk.EventRefused, "something"))
	}
	whole := kay.By(desk.EventDownload, "exportModel")
	whole.Weighs = true
	for range 70 {
		d.Happened(whole)
		d.Happened(kay.By(desk.EventToken, "a token"))
	}
	*clock = clock.Add(time.Minute)
	d.CountLeftOut()
	count := map[string]int{}
	for _, e := range must[[]store.Event](t)(s.Events(store.EventSearch{}, 0, 1000)) {
		count[e.What+" "+e.Text]++
	}
	for what, want := range map[string]int{
		"download exportList": 60, "refused something": 60, "download exportModel": 70, "token-made a token": 70,
		"download exportList 30 more in the minute from 2026-03-04T12:00:00Z were left out": 1,
		"refused 30 more in the minute from 2026-03-04T12:00:00Z were left out":             1,
	} {
		if count[what] != want {
			t.Errorf("%q is entered %d times, want %d", what, count[what], want)
		}
	}
}

// A delegate who may assign for so many days never has somebody hold something longer than that from now on, though one
// assignment begins where another ends.
func TestNoChainGoesOnBeyondTheDays(t *testing.T) {
	d, _ := open(t)
	days := 30
	put(t, d, &model.Delegation{ID: "site", Name: "Site", Delegate: model.Subject{User: "dan"},
		People: model.People{Area: "t1"}, Actions: []string{"assign"}, Roles: []string{"clerk"}, Area: "t1", MaxDays: &days})
	put(t, d, &model.Assignment{ID: "dan-all", Subject: model.Subject{User: "dan"}, Role: "night", Reach: model.ReachArea,
		Mode: model.Full})
	given := func(from, until int) *model.Assignment {
		return &model.Assignment{ID: "new", Subject: model.Subject{User: "cy"}, Role: "clerk", Area: "t1",
			Reach: model.ReachArea, Mode: model.Full, From: now.AddDate(0, 0, from), Until: now.AddDate(0, 0, until)}
	}
	draft := must[*desk.Draft](t)(drafted(t, d, dan, given(10, 30)))
	if len(draft.Blocks) > 0 {
		t.Errorf("within the days: %q", draft.Blocks)
	}
	blocked(t, d, dan, given(30, 60), "at most 30 days")
	blocked(t, d, dan, given(29, 31), "at most 30 days")
}

// A directory puts nobody into its groups whom it does not keep, neither by name nor by a group.
func TestADirectoryFillsItsGroupsWithItsOwn(t *testing.T) {
	d, _ := open(t)
	fills := func(do func(g *model.Group)) error {
		_, err := d.Feed(directory.Speaker{Name: "Directory"}, func(f *directory.Request) error {
			g := &model.Group{Name: "Ours", ExternalID: "ours", Source: model.Directory}
			for _, known := range f.Design().Groups {
				if known.ExternalID == "ours" {
					g = change.Clone(known)
				}
			}
			do(g)
			_, err := f.Put(g, nil)
			return err
		})
		return err
	}
	if err := says(d, "own", func(*model.User) {}); err != nil {
		t.Fatal(err)
	}
	if err := fills(func(g *model.Group) { g.Users = []string{"own"} }); err != nil {
		t.Fatal(err)
	}
	refused(t, fills(func(g *model.Group) { g.Users = append(g.Users, "dan") }), desk.NotAllowed, "“Dan” is kept by hand")
	refused(t, fills(func(g *model.Group) { g.Groups = []string{"crew"} }), desk.NotAllowed, "“Crew” is kept by hand")
	// Whom somebody put in by hand, meanwhile, stays.
	put(t, d, altered(d, model.KindUser, "own", func(u *model.User) { u.Source = model.Local }))
	if err := fills(func(g *model.Group) { g.Name = "Ours too" }); err != nil {
		t.Error(err)
	}
}

// A user name that looks like somebody else's is refused, by every door but the operator's; names in plain letters are
// told apart.
func TestUserNamesThatLookAlike(t *testing.T) {
	d, _ := open(t)
	person := func(name string) *model.User {
		return &model.User{ID: "new", UserName: name, DisplayName: "New", State: model.UserInvited}
	}
	for _, name := range []string{"kаy", "ＫＡＹ", "b\u0435a"} { // Cyrillic, full-width
		blocked(t, d, bea, person(name), "looks like")
	}
	for _, name := range []string{"k\u200bay", "kay\u200d", "kay\ufeff"} {
		blocked(t, d, bea, person(name), "not seen")
	}
	refused(t, says(d, "kаy", func(*model.User) {}), desk.NotAllowed, "looks like")
	for _, name := range []string{"kayl", "kayI", "kay1", "åse", "нина"} {
		draft := must[*desk.Draft](t)(drafted(t, d, bea, person(name)))
		if len(draft.Blocks) > 0 {
			t.Errorf("%s: %q", name, draft.Blocks)
		}
	}
}

// An open house ends with what it was of.
func TestAnOpenHouseEnds(t *testing.T) {
	d, s := openDemo(t)
	page := d.SignInPage()
	if len(page.Demo) == 0 || page.DemoPassword == "" {
		t.Fatal("the demo lets nobody in, so this proves nothing")
	}
	if _, err := d.SignIn(t.Context(), "signe.halloran", page.DemoPassword, "192.0.2.1"); err != nil {
		t.Fatal(err)
	}
	if err := d.EndOpenHouse(); err != nil {
		t.Fatal(err)
	}
	_, err := d.SignIn(t.Context(), "signe.halloran", page.DemoPassword, "192.0.2.1")
	refused(t, err, desk.NotSignedIn, "not right")
	if box := must[*account.Mailbox](t)(d.Mailbox(signe)); box.Everybody {
		t.Error("everybody's letters are shown still")
	}
	if again := reopen(t, s).SignInPage(); len(again.Demo) > 0 {
		t.Error("started anew, it is open")
	}
}

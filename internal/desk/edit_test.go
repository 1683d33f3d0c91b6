package desk_test

import (
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/desk/edit"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

func roleOf(t *testing.T, d *rooms.Desk, who desk.Actor, id string) *model.Role {
	t.Helper()
	return must[*view.BundleSheet](t)(d.Bundle(who, model.KindRole, id, "")).Role
}

func TestPuttingObjects(t *testing.T) {
	d, _ := open(t)
	draft := must[*desk.Draft](
		t,
	)(
		d.Put(bea, nil, &model.Role{Name: "Gate lead, Terminal 1", Inherits: []string{"clerk"}}),
	)
	if !slices.Equal(told(draft), []string{"Gate lead, Terminal 1 is added as a role, inheriting Clerk"}) &&
		len(told(draft)) == 0 {
		t.Errorf("the draft says %q", told(draft))
	}
	made := roleOf(t, d, bea, "gate-lead-terminal-1")
	if !slices.Equal(made.Inherits, []string{"clerk"}) || made.State != model.Active {
		t.Errorf("the role is made as %+v", made)
	}
	must[*desk.Draft](t)(d.Put(bea, nil, &model.Role{Name: "Gate lead, Terminal 1"}))
	roleOf(t, d, bea, "gate-lead-terminal-1-2") // a second of the name gets another id
	must[*desk.Draft](t)(d.Put(bea, nil, &model.Group{Name: "каюта"}))
	_, err := d.Put(bea, nil, &model.Role{ID: "clerk", Name: "Another"})
	refused(t, err, desk.Conflict, "already")
	for name, o := range map[string]model.Object{
		"without a name":    &model.Role{Name: ""},
		"a broken id":       &model.Role{ID: "Über", Name: "X"},
		"a wrong rule":      &model.Group{Name: "R", Type: model.Rule, Rule: "title eq"},
		"a missing manager": &model.User{UserName: "x", DisplayName: "X", Manager: "ghost"},
		"a taken user name": &model.User{UserName: "CY", DisplayName: "X"},
		"a wrong state":     &model.User{UserName: "x", DisplayName: "X", State: "asleep"},
	} {
		before := must[*desk.Draft](t)(d.Draft(bea))
		if _, err := d.Put(bea, nil, o); err == nil {
			t.Errorf("%s is taken", name)
		} else {
			refused(t, err, desk.Invalid, "")
		}
		if after := must[*desk.Draft](t)(d.Draft(bea)); after.Stamp != before.Stamp {
			t.Errorf("%s leaves something in the draft", name)
		}
	}
	_, err = d.Put(
		kay,
		nil,
		&model.Delegation{
			Name:     "D",
			Delegate: model.Subject{User: "cy"},
			People:   model.People{Area: "t1"},
			Actions:  []string{"lock"},
		},
	)
	refused(t, err, desk.NotAllowed, "Delegate")
	clerk := roleOf(t, d, bea, "clerk")
	renamed := change.Clone(clerk)
	renamed.ID = "other"
	_, err = d.Put(bea, clerk, renamed)
	refused(t, err, desk.Invalid, "cannot be changed")
	_, err = d.Put(bea, clerk, clerk)
	refused(t, err, desk.Invalid, "Nothing was changed")
	_, err = d.Put(bea, &model.Role{ID: "gone", Name: "Gone"}, &model.Role{ID: "gone", Name: "Back"})
	refused(t, err, desk.NotFound, "any longer")
}

func TestTwoWhoTouchTheSame(t *testing.T) {
	d, _ := open(t)
	clerk := roleOf(t, d, bea, "clerk")
	edited := func(do func(r *model.Role)) *model.Role { r := change.Clone(clerk); do(r); return r }
	must[*desk.Draft](t)(d.Put(bea, clerk, edited(func(r *model.Role) { r.Name, r.Owner = "Gate clerk", "ann" })))
	must[*desk.Draft](
		t,
	)(
		d.Put(
			kay,
			clerk,
			edited(func(r *model.Role) { r.Name, r.Description = "Clerk at the gate", "Lets vehicles in" }),
		),
	)
	applyAll(t, d, bea)

	draft := must[*desk.Draft](t)(d.Draft(kay))
	if len(draft.Edits) != 1 || len(draft.Edits[0].Meanwhile) != 1 {
		t.Fatalf("kay is not told: %+v", draft.Edits)
	}
	m := draft.Edits[0].Meanwhile[0]
	if m.Who != "Bea" || m.Revision != 2 || m.Object.Name != "Gate clerk" || len(m.Clashes) != 1 ||
		!strings.Contains(m.Clashes[0], "Name of the role") ||
		!strings.Contains(text(m.Sentences[0])+text(m.Sentences[len(m.Sentences)-1]), "Gate clerk") {
		t.Errorf("kay is told %+v", m)
	}
	if len(draft.Blocks) != 1 || !strings.Contains(draft.Blocks[0], "keep yours") {
		t.Errorf("the draft is blocked by %q", draft.Blocks)
	}
	_, err := d.Apply(kay, "mine", draft.Stamp)
	refused(t, err, desk.Invalid, "keep yours")
	draft = must[*desk.Draft](t)(d.KeepMine(kay, draft.Edits[0].ID))
	if len(draft.Blocks) != 0 || len(draft.Edits[0].Meanwhile) != 0 {
		t.Fatalf("kept, it is still blocked: %+v", draft)
	}
	applyAll(t, d, kay)
	if r := roleOf(t, d, bea, "clerk"); r.Name != "Clerk at the gate" || r.Owner != "ann" ||
		r.Description != "Lets vehicles in" {
		t.Errorf("what became of both is %+v", r)
	}
	// What was edited on a page that others have overtaken is merged, unless both changed the same.
	stale := change.Clone(clerk)
	stale.Permissions = []string{"s:gate:view"}
	must[*desk.Draft](t)(d.Put(bea, clerk, stale))
	if r := roleOf(t, d, bea, "clerk"); r.Name != "Clerk at the gate" || len(r.Permissions) != 1 {
		t.Errorf("merged: %+v", r)
	}
	discarded := must[*desk.Draft](t)(d.Discard(bea))
	if len(discarded.Edits) != 0 {
		t.Fatalf("the draft is %+v", discarded.Edits)
	}
	clash := change.Clone(clerk)
	clash.Name = "A third name"
	draft = must[*desk.Draft](t)(d.Put(bea, clerk, clash))
	if len(draft.Blocks) != 1 || len(draft.Edits) != 1 || len(draft.Edits[0].Meanwhile) != 1 ||
		len(draft.Edits[0].Meanwhile[0].Clashes) != 1 {
		t.Fatalf("saved on an overtaken page: %+v", draft)
	}
	_, err = d.Apply(bea, "mine", draft.Stamp)
	refused(t, err, desk.Invalid, "keep yours")
	if draft = must[*desk.Draft](t)(d.KeepMine(bea, draft.Edits[0].ID)); len(draft.Blocks) != 0 {
		t.Errorf("kept, it is still blocked: %v", draft.Blocks)
	}
	applyAll(t, d, bea)
	if r := roleOf(t, d, bea, "clerk"); r.Name != "A third name" || r.Description != "Lets vehicles in" {
		t.Errorf("what became of it is %+v", r)
	}
	_, err = d.KeepMine(kay, "none")
	refused(t, err, desk.NotFound, "not in your draft")
}

func TestDeletingDealsWithWhatHangsOnIt(t *testing.T) {
	d, _ := open(t)
	mentions := must[[]edit.Mention](t)(d.Mentions(bea, model.KindRole, "clerk"))
	byField := map[string]edit.Mention{}
	for _, m := range mentions {
		byField[m.From+"."+m.Field] = m
	}
	if m := byField["assignment.role"]; m.Count != 1 || m.Taken != "deleted" || !m.Instead ||
		m.Refs[0].Name != "Crew – Clerk, at Terminal 1" {
		t.Errorf("what is assigned: %+v", m)
	}
	if m := byField["role.inherits"]; m.Count != 1 || m.Taken != "out" || m.Refs[0].Name != "Lead" {
		t.Errorf("what inherits: %+v", m)
	}
	draft := must[*desk.Draft](
		t,
	)(
		d.Delete(bea, model.KindRole, "clerk", []edit.MentionChoice{{From: "assignment", Field: "role", To: "night"}}),
	)
	if draft.Losing != 0 || draft.Gaining != 0 || len(draft.Blocks) != 0 {
		t.Errorf("night instead of clerk: %d lose, %d gain, %q", draft.Losing, draft.Gaining, draft.Blocks)
	}
	must[*desk.Draft](t)(d.Discard(bea))
	if draft := must[*desk.Draft](t)(d.Delete(bea, model.KindRole, "clerk", nil)); draft.Losing != 0 &&
		draft.Losing != 1 {
		t.Errorf("without another: %d lose", draft.Losing)
	}
	applyAll(t, d, bea)
	if _, err := d.Bundle(bea, model.KindRole, "clerk", ""); err == nil {
		t.Error("the role is still there")
	}
	for _, c := range []struct {
		kind  model.Kind
		id    string
		cause desk.Cause
		says  string
	}{
		{model.KindArea, "top", desk.Invalid, "whole organisation"},
		{model.KindSet, model.SetOwner, desk.Invalid, "built in"}, {model.KindRole, "none", desk.NotFound, "no role"},
		{model.KindRole, "fixed", desk.NotAllowed, "protected"}, {model.KindSet, "supplied", desk.NotAllowed, "supplied"},
	} {
		_, err := d.Delete(bea, c.kind, c.id, nil)
		refused(t, err, c.cause, c.says)
	}
	_, err := d.Delete(
		bea,
		model.KindRole,
		"night",
		[]edit.MentionChoice{{From: "assignment", Field: "role", To: "night"}},
	)
	refused(t, err, desk.Invalid, "in its own place")
	_, err = d.Mentions(bea, model.KindRole, "none")
	refused(t, err, desk.NotFound, "no role")
}

func TestCriticalChangesAskForThePassword(t *testing.T) {
	d, _ := open(t)
	link := must[string](t)(d.PasswordLink("bea"))
	must[desk.Actor](t)(d.SetPassword(t.Context(), link, "a long password", "test"))
	for name, step := range map[string]func() error{
		"full rights": func() error {
			return second(d.Put(bea, nil, &model.Assignment{Subject: model.Subject{User: "cy"}, Set: model.SetOwner}))
		},
		"deleting a person": func() error { return second(d.Delete(bea, model.KindUser, "dan", nil)) },
		"a delegation": func() error {
			return second(d.Put(bea, nil,
				&model.Delegation{Name: "D", Delegate: model.Subject{User: "cy"}, People: model.People{Area: "t1"},
					Actions: []string{"lock"}}))
		},
	} {
		if err := step(); err != nil {
			t.Fatal(name, err)
		}
		draft := must[*desk.Draft](t)(d.Draft(bea))
		if len(draft.Critical) == 0 {
			t.Errorf("%s is not called critical", name)
		}
		late := desk.Actor{User: "bea", Proven: now.Add(-11 * time.Minute)}
		_, err := d.Apply(late, "why", draft.Stamp)
		refused(t, err, desk.Unproven, "ten minutes")
		refused(t, d.Prove(bea, "another one"), desk.NotAllowed, "not your password")
		if err := d.Prove(bea, "a long password"); err != nil {
			t.Error(err)
		}
		if name == "a delegation" {
			must[*desk.Applied](
				t,
			)(
				d.Apply(desk.Actor{User: "bea", Proven: now.Add(-9 * time.Minute)}, "why", draft.Stamp),
			)
		} else {
			must[*desk.Draft](t)(d.Discard(bea))
		}
	}
	must[*desk.Draft](t)(d.Join(bea, end("user", "dan"), end("group", "crew"), edit.JoinTerms{}))
	if draft := must[*desk.Draft](t)(d.Draft(bea)); len(draft.Critical) != 0 {
		t.Errorf("a membership is critical: %q", draft.Critical)
	}
	applyAll(t, d, bea)
}

func TestAssigningMany(t *testing.T) {
	d, _ := open(t)
	draft := must[*desk.Draft](
		t,
	)(
		d.AssignMany(
			bea,
			[]desk.End{end("user", "cy"), end("user", "dan"), end("group", "all")},
			[]desk.End{end("role", "night"), end("set", "see")},
			edit.JoinTerms{Area: "t1"},
		),
	)
	if len(draft.Edits) != 1 || len(told(draft)) != 4 { // cy and dan have night at t1 already
		t.Errorf("drafted: %q", told(draft))
	}
	_, err := d.AssignMany(
		bea,
		[]desk.End{end("user", "cy")},
		[]desk.End{end("role", "night")},
		edit.JoinTerms{Area: "t1"},
	)
	refused(t, err, desk.Conflict, "already")
	_, err = d.AssignMany(bea, []desk.End{end("role", "night")}, []desk.End{end("user", "cy")}, edit.JoinTerms{})
	refused(t, err, desk.Invalid, "assigned to a person or group")
	_, err = d.AssignMany(bea, []desk.End{end("user", "zed")}, []desk.End{end("role", "night")}, edit.JoinTerms{})
	refused(t, err, desk.NotFound, "no person")
	_, err = d.AssignMany(
		bea,
		[]desk.End{end("user", "cy")},
		[]desk.End{end("role", "night")},
		edit.JoinTerms{Area: "moon"},
	)
	refused(t, err, desk.NotFound, "no area")
}

// The delegates of the demo see their part, may do what is delegated, and are refused the rest with the rule and
// the object named.
func TestDelegates(t *testing.T) {
	d, _ := openDemo(t)
	if l := must[*view.List](t)(d.List(ruben, view.Listing{Kind: model.KindUser, Limit: 1})); l.Total != 141 {
		t.Errorf("Ruben sees %d people", l.Total)
	}
	if l := must[*view.List](t)(d.List(ruben,
		view.Listing{Kind: model.KindRole, Mine: "assign", Limit: 10})); !slices.Equal(
		rowNames(l),
		[]string{"Berth planner", "Gate clerk", "Night cover", "Quay hand"},
	) {
		t.Errorf("he may assign %v", rowNames(l))
	}
	if l := must[*view.List](t)(d.List(ruben,
		view.Listing{Kind: model.KindUser, Mine: "assign", Limit: 500})); slices.Contains(
		rowNames(l),
		"Ruben Adeyemi",
	) ||
		l.Total != 140 {
		t.Errorf("he may assign to %d", l.Total)
	}
	for _, err := range []error{second(d.Person(ruben, "halima.corvane", "")),
		second(d.Bundle(ruben, model.KindRole, "payments-lead", "")), second(d.Area(ruben, "ferries")),
		second(d.Group(ruben, "payments-office", "")), second(d.Delegation(ruben, "ticketing"))} {
		refused(t, err, desk.NotFound, "no ")
	}
	_, err := d.History(ruben, view.HistorySearch{Limit: 1})
	refused(t, err, desk.NotAllowed, "See the history")
	mine := must[[]view.DelegationSheet](t)(d.Delegations(ruben))
	if len(mine) != 1 || !mine[0].Mine || mine[0].May || mine[0].Covers.Count != 140 || mine[0].Covers.Gives != 39 {
		t.Errorf("what he may do: %+v", mine)
	}
	until := today.AddDate(0, 2, 0)
	give := func(who desk.Actor, user, role, area string, until *time.Time) error {
		return second(
			d.AssignMany(
				who,
				[]desk.End{end("user", user)},
				[]desk.End{end("role", role)},
				edit.JoinTerms{Area: area, Until: until},
			),
		)
	}
	if err := give(ruben, "noor.tamsin", "night-cover", "terminal-2", &until); err != nil {
		t.Fatal(err)
	}
	draft := must[*desk.Draft](t)(d.Draft(ruben))
	if draft.Gaining != 1 || len(draft.People) != 1 || len(draft.Blocks) != 0 {
		t.Errorf("his draft: %+v", draft)
	}
	p := must[*view.Person](t)(d.Person(ruben, "noor.tamsin", ""))
	if len(p.Assignments) != 1 || p.Assignments[0].Draft != "new" || !slices.Contains(p.May, "assign") ||
		slices.Contains(p.May, "lock") ||
		p.Whole {
		t.Errorf("Noor's sheet as he drafts: %+v %v", p.Assignments, p.May)
	}
	must[*desk.Applied](t)(d.Apply(ruben, "cover at night", draft.Stamp))
	if !allowed(d, "noor.tamsin", "quaybook:gate:override", "terminal-2") {
		t.Error("what he assigned is not there")
	}
	for _, c := range []struct {
		err  error
		says string
	}{
		{give(ruben, "noor.tamsin", "quay-hand", "terminal-2", nil), "at most 90 days"},
		{give(ruben, "ruben.adeyemi", "gate-clerk", "north-harbour", &until), "Nobody acts on themselves"},
		{second(d.Join(ruben, end("user", "noor.tamsin"), end("group", "north-gate-crew"), edit.JoinTerms{})), "membership"},
		{second(d.Cut(ruben, end("group", "north-gate-crew"), end("role", "gate-clerk"), "")), "not to a group"},
		{second(d.Put(ruben, nil, &model.Role{Name: "Mine"})), "cannot be changed through a delegation"},
		{second(d.Put(ruben, nil,
			&model.Delegation{Name: "D", Delegate: model.Subject{User: "noor.tamsin"}, People: model.People{Area: "terminal-2"},
				Actions: []string{"lock"}})), "cannot be changed through a delegation"},
		{second(d.Delete(ruben, model.KindUser, "noor.tamsin", nil)), "cannot be deleted"},
		{second(d.Put(ruben, nil, &model.User{UserName: "x", DisplayName: "X", Area: "ferries", State: model.UserInvited})),
			"There is no area \"ferries\""},
		{second(d.Tick(ruben, model.KindRole, "gate-clerk", []string{"quaybook:tariff:publish"}, true)),
			"cannot be changed through a delegation"},
	} {
		refused(t, c.err, desk.NotAllowed, c.says)
	}
	// What is out of his sight is refused as what does not exist is, letter by letter.
	for _, c := range [][2]error{
		{give(ruben, "noor.tamsin", "payments-lead", "terminal-2", &until),
			give(ruben, "noor.tamsin", "ghost-lead", "terminal-2", &until)},
		{give(ruben, "halima.corvane", "gate-clerk", "north-harbour", &until),
			give(ruben, "nobody.corvane", "gate-clerk", "north-harbour", &until)},
		{give(ruben, "noor.tamsin", "gate-clerk", "ferries", &until),
			give(ruben, "noor.tamsin", "gate-clerk", "nowhere", &until)},
		{second(d.Cut(ruben, end("user", "halima.corvane"), end("role", "gate-clerk"), "")),
			second(d.Cut(ruben, end("user", "nobody"), end("role", "gate-clerk"), ""))},
		{second(d.Delete(ruben, model.KindRole, "payments-lead", nil)),
			second(d.Delete(ruben, model.KindRole, "ghost", nil))},
		{second(d.Tidy(ruben, "payments-office")), second(d.Tidy(ruben, "ghost"))},
		{second(d.Tick(ruben, model.KindRole, "payments-lead", nil, true)),
			second(d.Tick(ruben, model.KindRole, "ghost", nil, true))},
		{
			second(d.Put(ruben, &model.User{ID: "halima.corvane"}, &model.User{ID: "halima.corvane", DisplayName: "H"})),
			second(d.Put(ruben, &model.User{ID: "ghost"}, &model.User{ID: "ghost", DisplayName: "H"})),
		},
		{second(d.DraftUndo(ruben, 12)), second(d.DraftUndo(ruben, 9999))},
		{second(d.ReviewItem(ruben, 1)), second(d.ReviewItem(ruben, 99999))},
	} {
		shape := func(err error) string {
			return regexp.MustCompile(`"[^"]*"|\d+`).ReplaceAllString(err.Error(), "*")
		}
		if c[0] == nil || c[1] == nil || shape(c[0]) != shape(c[1]) {
			t.Errorf("what is hidden is refused as %v, what is not there as %v", c[0], c[1])
		}
	}
	if draft := must[*desk.Draft](t)(d.Draft(ruben)); len(draft.Edits) != 0 {
		t.Errorf("what was refused left %q", told(draft))
	}
	must[*desk.Draft](
		t,
	)(
		d.Put(
			ruben,
			nil,
			&model.User{UserName: "new.hand", DisplayName: "New Hand", Area: "terminal-1", State: model.UserInvited},
		),
	)
	must[*desk.Draft](t)(d.Discard(ruben))
	// The ticketing lead changes members where she could assign what the group gives; the service desk locks.
	if !must[*view.GroupSheet](t)(d.Group(lucia, "ticket-office", "")).MayAdd ||
		must[*view.GroupSheet](t)(d.Group(lucia, "ferries-staff", "")).MayAdd {
		t.Error("the ticketing lead is offered the wrong groups")
	}
	joined := must[*view.List](t)(d.List(lucia,
		view.Listing{Kind: model.KindUser, Query: `title eq "Purser"`, Mine: "membership", Limit: 1})).Rows[0].ID
	must[*desk.Draft](t)(d.Join(lucia, end("user", joined), end("group", "ticket-office"), edit.JoinTerms{}))
	desk8 := must[*view.List](t)(d.List(signe,
		view.Listing{Kind: model.KindUser, Query: `title eq "Service desk"`, Limit: 1})).Rows[0].ID
	service := desk.Actor{User: desk8}
	clerk := must[*view.Person](t)(d.Person(service, "esperance.brisk", ""))
	locked := change.Clone(clerk.Object)
	locked.State = model.UserLocked
	must[*desk.Draft](t)(d.Put(service, clerk.Object, locked))
	critical := must[*view.Person](t)(d.Person(service, "tomasz.oyelaran", ""))
	if len(critical.May) != 0 {
		t.Errorf("on somebody who holds something critical, the service desk is offered %v", critical.May)
	}
	again := change.Clone(critical.Object)
	again.State = model.UserLocked
	_, err = d.Put(service, critical.Object, again)
	refused(t, err, desk.NotAllowed, "holds the critical permission")
	must[*desk.Draft](t)(d.Discard(service))
	gone := change.Clone(clerk.Object)
	gone.State = model.UserDeactivated
	_, err = d.Put(service, clerk.Object, gone)
	refused(t, err, desk.NotAllowed, "deactivate")
	// A delegation that covers reviews opens one over its people.
	r := must[*review.Review](t)(d.OpenReview(ruben, review.NewReview{Role: "night-cover"}))
	detail := must[*review.ReviewDetail](t)(d.Review(ruben, r.ID, ""))
	if !detail.All || !detail.MayRun || r.Items == 0 ||
		slices.ContainsFunc(itemsOf(t, d, ruben, r.ID),
			func(i review.ReviewItem) bool { return i.Subject.ID == ruben.User }) {
		t.Errorf("his review: %+v", r)
	}
	_, err = d.OpenReview(lucia, review.NewReview{Role: "night-cover"})
	refused(t, err, desk.NotAllowed, "Run reviews")
	try := must[*view.Coverage](
		t,
	)(
		d.TryDelegation(signe, &model.Delegation{ID: "t", People: model.People{Filter: `area eq "nowhere`}}),
	)
	if try.Trouble == "" {
		t.Error("a broken filter of a delegation is not told")
	}
}

// Somebody new and what they get are one act: it is taken out as one, and where one part is refused, all is.
func TestEngaging(t *testing.T) {
	d, _ := open(t)
	fay := &model.User{UserName: "fay", DisplayName: "Fay", State: model.UserInvited}
	draft := must[*desk.Draft](t)(d.Engage(
		bea,
		fay,
		[]edit.EngageGrant{{To: end("role", "night"), Terms: edit.JoinTerms{Area: "t1"}}, {To: end("set", "see")}},
		[]string{"crew"},
	))
	if len(draft.Edits) != 1 || !slices.Equal(told(draft), []string{
		"Fay is added as a person", "Fay gets Night at Terminal 1", "Fay gets See over the whole organisation",
		"Fay joins Crew",
	}) {
		t.Errorf("drafted: %q", told(draft))
	}
	if fay.ID != "" {
		t.Errorf("what was handed in was given the id %q", fay.ID)
	}
	for name, targets := range map[string][]desk.End{
		"a group cannot be given": {end("role", "night"), end("group", "all")},
		"nor what is not there":   {end("role", "none")},
	} {
		var grants []edit.EngageGrant
		for _, to := range targets {
			grants = append(grants, edit.EngageGrant{To: to})
		}
		if _, err := d.Engage(bea, &model.User{UserName: "gus", DisplayName: "Gus"}, grants, nil); err == nil {
			t.Errorf("%s: it is taken", name)
		}
	}
	_, err := d.Engage(bea, &model.User{UserName: "gus", DisplayName: "Gus"}, nil, []string{"rule"})
	refused(t, err, desk.Invalid, "by a rule")
	if after := must[*desk.Draft](t)(d.Draft(bea)); after.Stamp != draft.Stamp {
		t.Error("what was refused left something in the draft")
	}
	_, err = d.Engage(bea, &model.User{ID: "cy", UserName: "cyr", DisplayName: "Cyr"}, nil, nil)
	refused(t, err, desk.Conflict, "already")
}

// Before many are assigned to many, it is told who has what already, and how many will have it.
func TestLookingBeforeAssigning(t *testing.T) {
	d, _ := open(t)
	put(t, d, &model.Role{ID: "old", Name: "Old", State: model.Retired})
	subjects := []desk.End{end("user", "cy"), end("user", "dan"), end("user", "ann"), end("group", "crew")}
	targets := []desk.End{end("role", "night"), end("role", "old")}
	look := must[*edit.AssignLook](t)(d.LookAssign(bea, subjects, targets, edit.JoinTerms{Area: "t1"}))
	if look.Pairs != 8 || look.Already != 2 || len(look.Who) != 2 || look.Who[0].Subject.ID != "cy" ||
		len(look.Retired) != 1 || look.Retired[0].ID != "old" {
		t.Errorf("it would do %+v", look)
	}
	if len(look.Targets) != 2 || look.Targets[0].Before != 2 || look.Targets[0].After != 3 {
		t.Errorf("before and after: %+v", look.Targets)
	}
	draft := must[*desk.Draft](t)(d.Draft(bea))
	if len(draft.Edits) != 0 {
		t.Error("looking leaves something in the draft")
	}
	_, err := d.LookAssign(bea, subjects, []desk.End{end("role", "none")}, edit.JoinTerms{})
	refused(t, err, desk.NotFound, "")
	put(t, d, &model.Delegation{
		ID: "d", Name: "Terminal 1", Delegate: model.Subject{User: "ann"}, People: model.People{Area: "t1"},
		Actions: []string{"assign"}, Roles: []string{"night"}, Area: "t1",
	})
	part := must[*edit.AssignLook](t)(
		d.LookAssign(ann, []desk.End{end("user", "cy")}, []desk.End{end("role", "night")}, edit.JoinTerms{Area: "t1"}))
	if part.Already != 1 || len(part.Targets) != 0 {
		t.Errorf("a delegate is told %+v", part)
	}
	_, err = d.LookAssign(ann, []desk.End{end("user", "dan")}, []desk.End{end("role", "night")},
		edit.JoinTerms{Area: "t1"})
	refused(t, err, desk.NotFound, "")
}

package desk_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/desk/intake"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/store"
)

// Of an act of many things the first are told, and how many more there are; nothing of it is lost.
func TestALargeActIsToldInShort(t *testing.T) {
	d, _ := openDemo(t)
	var rows strings.Builder
	rows.WriteString("Name;E-mail;Role;State\n")
	for i := range 300 {
		fmt.Fprintf(&rows, "Ilse Marrow %d;ilse%d@x.example;Gate clerk;active\n", i, i)
	}
	im := must[*intake.Import](t)(d.BeginImport(signe, "x.csv", "people", []byte(rows.String())))
	tried(t, d, im.ID, "")
	draft := must[*desk.Draft](t)(d.DraftImport(signe, im.ID))
	if e := draft.Edits[0]; len(e.Sentences) != 30 || e.More != 570 || draft.Gaining != 300 ||
		len(draft.People) != 200 {
		t.Errorf(
			"%d sentences and %d more; %d gain, of whom %d are named",
			len(draft.Edits[0].Sentences),
			draft.Edits[0].More,
			draft.Gaining,
			len(draft.People),
		)
	}
	must[*desk.Applied](t)(d.Apply(signe, "the season begins", draft.Stamp))
	if n := len(d.Design().Users); n != 720 {
		t.Errorf("there are %d people", n)
	}
	// So are the reasons against it.
	auditor := must[*intake.Import](
		t,
	)(
		d.BeginImport(oona, "y.csv", "people", []byte(strings.ReplaceAll(rows.String(), "Ilse", "Else"))),
	)
	for {
		if v := must[*intake.Import](t)(d.Import(oona, auditor.ID, "", "", 0, 1)); v.State == "ready" {
			break
		}
	}
	_, err := d.DraftImport(oona, auditor.ID)
	refused(t, err, desk.NotAllowed, "")
	if e := err.(*desk.Error); len(e.Problems) > 51 {
		t.Errorf("%d reasons are given", len(e.Problems))
	}
}

// A file is laid on what there is when it is drafted, also if that is no longer what it was tried on: what came
// meanwhile is not made twice.
func TestADraftBeneathAFile(t *testing.T) {
	d, _ := openDemo(t)
	im := must[*intake.Import](
		t,
	)(
		d.BeginImport(
			signe,
			"x.csv",
			"people",
			[]byte("Name;E-mail;Role\nAd One;ad@x.example;Gate clerk\nBo Two;bo@x.example;Gate clerk\n"),
		),
	)
	tried(t, d, im.ID, "")
	edda := desk.Actor{User: "edda.rosenvik"}
	draft := must[*desk.Draft](
		t,
	)(
		d.Put(
			edda,
			nil,
			&model.User{
				UserName:    "ad",
				DisplayName: "Ad One",
				Email:       "ad@x.example",
				State:       model.UserActive,
				Source:      model.Local,
			},
		),
	)
	must[*desk.Applied](t)(d.Apply(edda, "he is here already", draft.Stamp))
	must[*desk.Draft](t)(d.DraftImport(signe, im.ID))
	draft = must[*desk.Draft](t)(d.Draft(signe))
	must[*desk.Applied](t)(d.Apply(signe, "the others", draft.Stamp))
	count := 0
	for _, u := range d.Design().Users {
		if u.Email == "ad@x.example" {
			count++
		}
	}
	if count != 1 || d.Design().Get(model.KindUser, "bo") == nil {
		t.Errorf("Ad is here %d times", count)
	}
}

// A step that is refused leaves the draft that is shown as it was.
func TestARefusedStepChangesNothing(t *testing.T) {
	d, _ := openDemo(t)
	role, _ := d.Design().Roles.Find("gate-clerk")
	renamed := change.Clone(role)
	renamed.Name = "Clerk at the gate"
	before := must[*desk.Draft](t)(d.Put(signe, role, renamed))
	other := change.Clone(role)
	other.Name = "Gatekeeper"
	_, err := d.Put(signe, role, other)
	refused(t, err, desk.Conflict, "drafted something else")
	_, err = d.Put(signe, nil, &model.Role{ID: "gate-clerk", Name: "Again"})
	refused(t, err, desk.Conflict, "already")
	supplied, _ := d.Design().Sets.Find("quaybook-gates")
	edited := change.Clone(supplied)
	edited.Name = "Mine"
	_, err = d.Put(signe, supplied, edited)
	refused(t, err, desk.NotAllowed, "supplied")
	after := must[*desk.Draft](t)(d.Draft(signe))
	if len(after.Edits) != 1 || after.Stamp != before.Stamp {
		t.Errorf("the draft is %+v", after.Edits)
	}
	// What is put back by hand leaves nothing behind.
	must[*desk.Draft](t)(d.Tick(signe, model.KindRole, "night-cover", []string{"quaybook:berth-plan:view"}, true))
	if d := must[*desk.Draft](t)(d.Tick(signe, model.KindRole, "night-cover", []string{"quaybook:berth-plan:view"},
		false)); len(
		d.Edits,
	) != 1 {
		t.Errorf("there are %d acts", len(d.Edits))
	}
}

// An impact depends on the time: one that is shown for long is weighed anew.
func TestADraftIsWeighedAnewAfterAWhile(t *testing.T) {
	now := today
	s, err := store.Open(t.TempDir()+"/x.db", false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	if err := demo.Fill(s, today); err != nil {
		t.Fatal(err)
	}
	d := must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return now }))
	a := &model.Assignment{
		Subject: model.Subject{User: "noor.tamsin"},
		Role:    "night-cover",
		Area:    "terminal-2",
		Reach:   model.ReachArea,
		Mode:    model.Full,
		Until:   today.Add(time.Minute),
	}
	if draft := must[*desk.Draft](t)(d.Put(signe, nil, a)); draft.Gaining != 1 {
		t.Fatalf("%d gain", draft.Gaining)
	}
	now = today.Add(2 * time.Minute)
	if draft := must[*desk.Draft](t)(d.Draft(signe)); draft.Gaining != 0 {
		t.Errorf("when the assignment has ended, %d gain", draft.Gaining)
	}
}

// Tables of lists hold numbers and instants as such, not as they are shown.
func TestTablesOfListsAreTyped(t *testing.T) {
	d, _ := openDemo(t)
	column := func(tab *table.Table, title string) int {
		t.Helper()
		for i, c := range tab.Columns {
			if c.Title == title {
				return i
			}
		}
		t.Fatalf("no column %q in %v", title, tab.Columns)
		return 0
	}
	people := must[*table.Table](
		t,
	)(
		d.ListTable(signe, view.Listing{Kind: model.KindUser, Query: `userType eq "seasonal"`}),
	)
	if len(people.Rows) == 0 {
		t.Fatal("there is no seasonal staff")
	}
	for _, r := range people.Rows {
		if _, is := r[column(people, "until")].(time.Time); !is {
			t.Errorf("%v ends at %T", r[1], r[column(people, "until")])
		}
		if _, is := r[column(people, "groups")].(int); !is {
			t.Errorf("%v is in %T groups", r[1], r[column(people, "groups")])
		}
	}
	licences := must[*table.Table](t)(d.ListTable(signe, view.Listing{Kind: model.KindLicence}))
	for _, r := range licences.Rows {
		if _, is := r[column(licences, "seats")].(int); !is && r[column(licences, "seats")] != "unlimited" {
			t.Errorf("%v has %v seats", r[1], r[column(licences, "seats")])
		}
	}
	delegations := must[*table.Table](
		t,
	)(
		d.ListTable(
			signe,
			view.Listing{
				Kind:    model.KindDelegation,
				Query:   "night cover",
				Columns: []string{"delegate", "actions", "people", "roles", "groups", "whole", "area", "days", "until"},
			},
		),
	)
	found := false
	for _, r := range delegations.Rows {
		if r[1] == "Nights at Terminal 1" {
			found = true
			if r[column(delegations, "roles")] != "Night cover" || r[column(delegations, "at most days")] != 30 ||
				r[column(delegations, "delegate")] != "Mireille Aster" ||
				r[column(delegations, "within")] != "Terminal 1" {
				t.Errorf("the delegation is %v", r)
			}
		}
	}
	if !found || len(delegations.Rows) != 2 {
		t.Errorf("with these words there are %v", delegations.Rows)
	}
}

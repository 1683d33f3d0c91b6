package desk_test

import (
	"strings"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

func TestWhatADirectoryFeedsIsNotEditedByHand(t *testing.T) {
	d, _ := openDemo(t)
	noor, _ := d.Design().Users.Find("noor.tamsin")
	edited := change.Clone(noor)
	edited.JobTitle = "Gate lead"
	_, err := d.Put(signe, noor, edited)
	refused(t, err, desk.NotAllowed, "comes from a directory, and so does what was changed here (title)")
	edited.Source = model.Local
	draft := must[*desk.Draft](t)(d.Put(signe, noor, edited))
	must[*desk.Applied](t)(d.Apply(signe, "the directory is wrong", draft.Stamp))
	edited.Area = "terminal-1"
	crew, _ := d.Design().Groups.Find("terminal-1-staff")
	more := change.Clone(crew)
	more.Users = append(more.Users, "noor.tamsin")
	_, err = d.Put(signe, crew, more)
	refused(t, err, desk.NotAllowed, "(members)")

	// The directory speaks again: by one revision, in its name, that can be undone by hand.
	before := d.Revision()
	_, err = d.Feed("Harbour directory", func(f *desk.Feed) error {
		u, _ := f.Design().Users.Find("noor.tamsin")
		again := change.Clone(u)
		again.JobTitle, again.Source = "Clerk", model.Directory
		_, err := f.Put(again, []byte("kept"))
		return err
	})
	if err != nil || d.Revision() != before+1 {
		t.Fatalf("%v, revision %d after %d", err, d.Revision(), before)
	}
	p := must[*desk.Person](t)(d.Person(signe, "noor.tamsin", ""))
	if p.Object.JobTitle != "Clerk" || p.Lock == nil || !strings.Contains(p.Lock.Why, "“Harbour directory” keeps this person (last heard of on 23 November 2026)") {
		t.Errorf("the sheet says %q, %+v", p.Object.JobTitle, p.Lock)
	}
	draft = must[*desk.Draft](t)(d.DraftUndo(signe, before+1))
	must[*desk.Applied](t)(d.Apply(signe, "no", draft.Stamp))
	if u, _ := d.Design().Users.Find("noor.tamsin"); u.JobTitle != "Gate lead" || u.Source != model.Local {
		t.Errorf("undone: %+v", u)
	}
}

func TestWhomADirectoryDeletes(t *testing.T) {
	d, _ := openDemo(t)
	leave := func(id string) error {
		_, err := d.Feed("Harbour directory", func(f *desk.Feed) error { return f.Leave(id) })
		return err
	}
	if err := leave("noor.tamsin"); err != nil {
		t.Fatal(err)
	}
	p := must[*desk.Person](t)(d.Person(signe, "noor.tamsin", ""))
	if p.State != "deactivated" || len(p.Assignments) == 0 && len(p.Groups) == 0 || p.Lock == nil || !strings.Contains(p.Lock.Why, "has deleted this person") {
		t.Errorf("the sheet is %s %+v", p.State, p.Lock)
	}
	refused(t, leave("nobody"), desk.NotFound, "no user")
	remove := func(id string) error {
		_, err := d.Feed("Harbour directory", func(f *desk.Feed) error { return f.Remove(id) })
		return err
	}
	refused(t, remove("nothing"), desk.NotFound, "no group")
	refused(t, remove("ticket-office"), desk.Conflict, "while a delegation rests on it")
	if err := remove("buyers"); err != nil { // what was given to it goes too
		t.Fatal(err)
	}
	if refs := d.Design().References(model.KindGroup, "buyers"); len(refs) > 0 || d.Design().Get(model.KindGroup, "buyers") != nil {
		t.Errorf("the group is mentioned by %+v", refs)
	}
	// A request is whole or not at all.
	before := d.Revision()
	_, err := d.Feed("Harbour directory", func(f *desk.Feed) error {
		if err := f.Leave("tomasz.oyelaran"); err != nil {
			return err
		}
		return f.Leave("nobody")
	})
	refused(t, err, desk.NotFound, "no user")
	if d.Revision() != before || !d.Live("tomasz.oyelaran") {
		t.Error("half a request was carried out")
	}
}

package desk_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
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

	// What was taken over never becomes the directory's again unasked.
	speaks := func(f *directory.Request) error {
		u, _ := f.Design().Users.Find("noor.tamsin")
		again := change.Clone(u)
		again.JobTitle, again.Source = "Clerk", model.Directory
		_, err := f.Put(again, []byte("kept"))
		return err
	}
	_, err = d.Feed(directory.Speaker{Name: "Harbour directory"}, speaks)
	refused(t, err, desk.NotAllowed, "kept by hand in Fachwerk")
	noor, _ = d.Design().Users.Find("noor.tamsin")
	handed := change.Clone(noor)
	handed.Source = model.Directory
	draft = must[*desk.Draft](t)(d.Put(signe, noor, handed))
	must[*desk.Applied](t)(d.Apply(signe, "the directory is right after all", draft.Stamp))
	_, err = d.Feed(directory.Speaker{Name: "Another directory"}, speaks)
	refused(t, err, desk.NotAllowed, "kept by another directory")

	// It speaks again: by one revision, in its name, that can be undone by hand.
	before := d.Revision()
	_, err = d.Feed(directory.Speaker{Name: "Harbour directory"}, speaks)
	if err != nil || d.Revision() != before+1 {
		t.Fatalf("%v, revision %d after %d", err, d.Revision(), before)
	}
	p := must[*view.Person](t)(d.Person(signe, "noor.tamsin", ""))
	if p.Object.JobTitle != "Clerk" || p.Lock == nil ||
		!strings.Contains(p.Lock.Why, "“Harbour directory” keeps this person (last heard of on 23 November 2026)") {
		t.Errorf("the sheet says %q, %+v", p.Object.JobTitle, p.Lock)
	}
	draft = must[*desk.Draft](t)(d.DraftUndo(signe, before+1))
	must[*desk.Applied](t)(d.Apply(signe, "no", draft.Stamp))
	if u, _ := d.Design().Users.Find("noor.tamsin"); u.JobTitle != "Gate lead" || u.Source != model.Directory {
		t.Errorf("undone: %+v", u)
	}
}

func TestWhomADirectoryDeletes(t *testing.T) {
	d, _ := openDemo(t)
	leave := func(id string) error {
		_, err := d.Feed(directory.Speaker{Name: "Harbour directory"}, func(f *directory.Request) error {
			return f.Leave(id)
		})
		return err
	}
	if err := leave("noor.tamsin"); err != nil {
		t.Fatal(err)
	}
	p := must[*view.Person](t)(d.Person(signe, "noor.tamsin", ""))
	if p.State != "deactivated" || len(p.Assignments) == 0 && len(p.Groups) == 0 || p.Lock == nil ||
		!strings.Contains(p.Lock.Why, "has deleted this person") {
		t.Errorf("the sheet is %s %+v", p.State, p.Lock)
	}
	refused(t, leave("nobody"), desk.NotFound, "no user")
	for _, id := range []string{"ticket-office", "buyers"} {
		g, _ := d.Design().Groups.Find(id)
		g = change.Clone(g)
		g.Source = model.Directory
		must[*desk.Draft](t)(d.Put(signe, d.Design().Get(model.KindGroup, id), g))
	}
	applyAll(t, d, desk.Actor{User: signe.User, Proven: today})
	remove := func(id string) error {
		_, err := d.Feed(directory.Speaker{Name: "Harbour directory"}, func(f *directory.Request) error {
			return f.Remove(id)
		})
		return err
	}
	refused(t, remove("bookkeepers"), desk.NotAllowed, "kept by hand")
	refused(t, remove("nothing"), desk.NotFound, "no group")
	refused(t, remove("ticket-office"), desk.Conflict, "while a delegation rests on it")
	if err := remove("buyers"); err != nil { // what was given to it goes too
		t.Fatal(err)
	}
	if refs := d.Design().References(model.KindGroup, "buyers"); len(refs) > 0 ||
		d.Design().Get(model.KindGroup, "buyers") != nil {
		t.Errorf("the group is mentioned by %+v", refs)
	}
	// A request is whole or not at all.
	before := d.Revision()
	_, err := d.Feed(directory.Speaker{Name: "Harbour directory"}, func(f *directory.Request) error {
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

// What directories keep, and whom they have deleted with what is still tied to them; a draft is marked, and leaves
// the figures as they are.
func TestDirectories(t *testing.T) {
	d, s := openDemo(t)
	look := func(all bool, offset, limit int) *directory.Directories {
		t.Helper()
		return must[*directory.Directories](t)(d.Directories(signe, all, offset, limit))
	}
	v := look(false, 0, 100)
	if len(v.Directories) != 1 || v.Directories[0].Name != "Harbour directory" || v.Directories[0].Made == nil ||
		v.Directories[0].People < 300 ||
		v.Directories[0].Groups != 24 ||
		v.Directories[0].Gone != 3 ||
		v.Total != 3 ||
		v.Left != 3 {
		t.Fatalf("they are %+v, %d, %d", v.Directories, v.Total, v.Left)
	}
	if l := v.Leavers; l[0].User.ID != "birgitta.ostrov" || !l[0].When.After(l[1].When) || l[1].Owns != 1 ||
		l[1].Owned[0].Name != "Invoice writer" ||
		l[1].Groups != 2 {
		t.Errorf("who was deleted: %+v", l)
	}
	// Another one, which has a token and has done nothing yet; and one that has no token any longer.
	if _, err := d.MakeToken(account.NewToken{Name: "Pilots' register", Purpose: "scim"}); err != nil {
		t.Fatal(err)
	}
	// of somebody who is not here counts nothing
	if err := s.SaveFed(store.Fed{Kind: "user", ID: "ghost", By: "Nobody's"}); err != nil {
		t.Fatal(err)
	}
	if err := s.SaveFed(store.Fed{Kind: "user", ID: "mireille.aster", By: "Ferry office"}); err != nil {
		t.Fatal(err)
	}
	*d = *must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return today }))
	_, err := d.Feed(
		directory.Speaker{Name: "Ferry office"},
		func(f *directory.Request) error { return f.Leave("mireille.aster") },
	)
	if err != nil {
		t.Fatal(err)
	}
	v = look(false, 0, 1)
	var names []string
	for _, x := range v.Directories {
		names = append(names, x.Name)
	}
	if !slices.Equal(names, []string{"Ferry office", "Harbour directory", "Pilots' register"}) ||
		v.Directories[0].Made != nil ||
		v.Directories[0].Gone != 1 ||
		v.Directories[2].Heard != nil ||
		v.Directories[2].People != 0 {
		t.Errorf("now they are %+v", v.Directories)
	}
	if l := v.Leavers; len(l) != 1 || v.Total != 4 || l[0].User.ID != "mireille.aster" || l[0].Reports == 0 ||
		l[0].Delegations != 1 ||
		l[0].Grants == 0 ||
		l[0].Owns != 3 ||
		len(l[0].Owned) != 3 {
		t.Errorf("the latest is %+v of %d", l, v.Total)
	}
	if l := look(false, 3, 5).Leavers; len(l) != 1 || l[0].User.ID != "yusuf.denholm" {
		t.Errorf("the last page is %+v", l)
	}
	if l := look(false, 99, 5).Leavers; len(l) != 0 {
		t.Errorf("beyond the last page is %+v", l)
	}

	// Drafted, they are marked and stay; applied, they are gone.
	draft := must[*desk.Draft](t)(d.Delete(signe, model.KindUser, "yusuf.denholm", nil))
	if v = look(false, 0, 10); v.Total != 4 || v.Leavers[3].Draft != "gone" || !v.Leavers[3].Left {
		t.Errorf("drafted: %+v", v.Leavers)
	}
	must[*desk.Applied](t)(d.Apply(desk.Actor{User: signe.User, Proven: today}, "left for good", draft.Stamp))
	if v = look(true, 0, 10); v.Total != 3 || len(v.Leavers) != 3 {
		t.Errorf("applied: %+v", v.Leavers)
	}
	// Brought back by hand, they are told as what they are; with nothing tied, they are told only if all are asked for.
	birgitta, _ := d.Design().Users.Find("birgitta.ostrov")
	back := change.Clone(birgitta)
	back.State, back.Source = model.UserActive, model.Local
	must[*desk.Draft](t)(d.Put(signe, birgitta, back))
	for _, g := range d.Design().Groups {
		if slices.Contains(g.Users, "birgitta.ostrov") {
			after := change.Clone(g)
			after.Source, after.Users = model.Local, slices.DeleteFunc(
				after.Users,
				func(u string) bool { return u == "birgitta.ostrov" },
			)
			draft = must[*desk.Draft](t)(d.Put(signe, g, after))
		}
	}
	must[*desk.Applied](t)(d.Apply(desk.Actor{User: signe.User, Proven: today}, "she is back", draft.Stamp))
	if v = look(true, 0, 10); v.Total != 3 || v.Left != 2 || v.Leavers[1].State != "active" || v.Leavers[1].Left {
		t.Errorf("back again: %+v", v.Leavers)
	}
	if v = look(false, 0, 10); len(v.Leavers) != 2 {
		t.Errorf("with something left: %+v", v.Leavers)
	}

	past := signe
	past.When = today.AddDate(0, -1, 0)
	_, err = d.Directories(past, false, 0, 10)
	refused(t, err, desk.Invalid, "only as of now")
	_, err = d.Directories(ruben, false, 0, 10)
	refused(t, err, desk.NotAllowed, "See the design")
}

package desk_test

import (
	"path/filepath"
	"strconv"
	"sync"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/exchange/rows"
	"fachwerk/internal/store"
)

// hires has a directory bring in one more person, who has nothing to do with anything else.
func hires(t *testing.T, d *rooms.Desk, n int) {
	t.Helper()
	name := "hired-" + strconv.Itoa(n)
	if _, err := d.Feed(directory.Speaker{Name: "Harbour directory"}, func(f *directory.Request) error {
		_, err := f.Put(&model.User{ID: name, UserName: name, DisplayName: name, State: model.UserActive,
			Source: model.Directory}, nil)
		return err
	}); err != nil {
		t.Error(err)
	}
}

// Whoever looked at a draft applies it, whatever a directory does meanwhile to others; but not once anything has
// changed that the draft does or comes to.
func TestAStampHoldsForWhatWasLookedAt(t *testing.T) {
	d, _ := openDemo(t)
	grant := func(role, area string) *model.Assignment {
		return &model.Assignment{Subject: model.Subject{User: "noor.tamsin"}, Role: role, Area: area, Reach: model.ReachArea,
			Mode: model.Full}
	}
	draft := must[*desk.Draft](t)(d.Put(signe, nil, grant("night-cover", "terminal-2")))
	for n := range 20 {
		hires(t, d, n)
	}
	must[*desk.Applied](t)(d.Apply(signe, "nights", draft.Stamp))

	edda := desk.Actor{User: "edda.rosenvik"}
	by := func(what string, do func()) {
		t.Helper()
		draft := must[*desk.Draft](t)(d.Put(signe, nil, grant("night-cover", "ro-ro-ramp")))
		if draft.Gaining != 1 {
			t.Fatalf("%s: before, %d gain", what, draft.Gaining)
		}
		do()
		_, err := d.Apply(signe, "nights", draft.Stamp)
		refused(t, err, desk.Conflict, "has changed since you looked")
		again := must[*desk.Draft](t)(d.Draft(signe))
		if again.Stamp == draft.Stamp {
			t.Errorf("%s: the stamp stays", what)
		}
		must[*desk.Draft](t)(d.Discard(signe))
	}
	apply := func(edited model.Object, alter func(o model.Object)) {
		t.Helper()
		after := change.Clone(edited)
		alter(after)
		draft := must[*desk.Draft](t)(d.Put(edda, edited, after))
		must[*desk.Applied](t)(d.Apply(edda, "meanwhile", draft.Stamp))
	}
	by("the role gives more", func() {
		role, _ := d.Design().Roles.Find("night-cover")
		apply(role, func(o model.Object) {
			r := o.(*model.Role)
			r.Permissions = append(r.Permissions, lacked(d, "noor.tamsin"))
		})
	})
	by("the person cannot sign in", func() {
		noor, _ := d.Design().Users.Find("noor.tamsin")
		apply(noor, func(o model.Object) { o.(*model.User).State = model.UserLocked })
	})
}

// lacked is a permission that needs no licence and that somebody lacks.
func lacked(d *rooms.Desk, user string) string {
	for _, o := range d.Design().Systems {
		for _, p := range o.Permissions {
			if o.ID != model.OwnSystem && o.Licence == "" && p.Licence == "" && p.Implies == nil &&
				!d.Present().Index.Allowed(user, p.Key, index.Record{}, today) {
				return p.Key
			}
		}
	}
	return ""
}

// two opens the same database twice, as two processes do.
func two(t *testing.T) (a, b *rooms.Desk) {
	t.Helper()
	file := filepath.Join(t.TempDir(), "x.db")
	made := func(fill bool) *rooms.Desk {
		s, err := store.Open(file, false)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = s.Close() })
		if fill {
			if err := demo.Fill(s, today); err != nil {
				t.Fatal(err)
			}
		}
		return must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return today }))
	}
	return made(true), made(false)
}

// What one process applies stops no other: every way to change something is done anew on what came first. Nothing of
// either is lost, and both come to the same design.
func TestAnotherProcessStopsNobody(t *testing.T) {
	a, b := two(t)
	n := 0
	meanwhile := func() { // before each step, the other process has applied something that this one has not seen
		n++
		hires(t, a, n)
	}
	link := ""
	for _, step := range []struct {
		what string
		do   func() error
	}{
		{"an owner is made", func() error { _, err := b.MakeOwner("noor.tamsin"); return err }},
		{"a file is brought in", func() error {
			trial, _, err := b.ImportFile("x.csv", []byte("Name;E-mail;Role\nAd One;ad@x.example;Gate clerk\n"), "people",
				rows.Reading{}, nil, intake.Options{}, true)
			if err == nil && trial.Counts[intake.Wrong] > 0 {
				t.Errorf("the trial is %+v", trial)
			}
			return err
		}},
		{"somebody is invited", func() error {
			return rowsApplied(b, "edda.rosenvik",
				&model.User{ID: "ilse", UserName: "ilse", DisplayName: "Ilse", State: model.UserInvited, Source: model.Local})
		}},
		{"the link is made", func() (err error) { link, err = b.PasswordLink("ilse"); return err }},
		{"the invitation is accepted", func() error {
			_, err := b.SetPassword(t.Context(), link, "seven grey herons", "192.0.2.1")
			return err
		}},
		{"a directory speaks", func() error { hires(t, b, 1000); return nil }},
	} {
		meanwhile()
		if err := step.do(); err != nil {
			t.Errorf("%s: %v", step.what, err)
		}
	}
	meanwhile()
	if err := b.Follow(); err != nil {
		t.Fatal(err)
	}
	if a.Revision() != b.Revision() || written(t, a.Design()) != written(t, b.Design()) {
		t.Errorf("one is at revision %d, the other at %d, or their designs are not the same", a.Revision(), b.Revision())
	}
	fresh := must[*rooms.Desk](t)(rooms.Open(b.Store, func() time.Time { return today }))
	if written(t, fresh.Design()) != written(t, b.Design()) {
		t.Error("what was taken in step by step is not what the database holds")
	}
	u, _ := fresh.Design().Users.Find("ilse")
	if u == nil || u.State != model.UserActive {
		t.Errorf("whoever accepted is %+v", u)
	}
	if _, err := b.SignIn(t.Context(), "ilse", "seven grey herons", "192.0.2.1"); err != nil {
		t.Errorf("whoever accepted cannot sign in: %v", err)
	}
}

// rowsApplied drafts and applies a new object for somebody.
func rowsApplied(d *rooms.Desk, user string, o model.Object) error {
	who := desk.Actor{User: user}
	draft, err := d.Put(who, nil, o)
	if err != nil {
		return err
	}
	_, err = d.Apply(who, "new", draft.Stamp)
	return err
}

// While one process applies a hundred revisions a second, another gets through.
func TestNobodyStarves(t *testing.T) {
	a, b := two(t)
	stop := make(chan struct{})
	var wait sync.WaitGroup
	wait.Go(func() {
		tick := time.NewTicker(time.Second / 100)
		defer tick.Stop()
		for n := 0; ; n++ {
			select {
			case <-stop:
				return
			case <-tick.C:
				hires(t, a, n)
			}
		}
	})
	for i := range 15 {
		name := "newcomer-" + strconv.Itoa(i)
		if err := rowsApplied(b, "edda.rosenvik",
			&model.User{ID: name, UserName: name, DisplayName: name, State: model.UserActive, Source: model.Local}); err != nil {
			t.Errorf("draft %d: %v", i, err)
		}
	}
	close(stop)
	wait.Wait()
	if err := a.Follow(); err != nil {
		t.Fatal(err)
	}
	for i := range 15 {
		if a.Design().Get(model.KindUser, "newcomer-"+strconv.Itoa(i)) == nil {
			t.Errorf("draft %d is lost", i)
		}
	}
}

package desk_test

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"reflect"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/modelfile"
	"fachwerk/internal/generate"
	"fachwerk/internal/store"
)

// A desk of many people begins with the snapshot that was kept, and takes in what came since; without one, or with one
// that is damaged, it begins with the database. It is the same desk each time.
func TestADeskBeginsWithItsSnapshot(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s, err := store.Open(file, false)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	var text bytes.Buffer
	if err := generate.Write(&text, generate.Options{Users: 12_000, Seed: 1}); err != nil {
		t.Fatal(err)
	}
	design, _, err := modelfile.Read(&text)
	if err != nil || design == nil {
		t.Fatal(err)
	}
	d := reopen(t, s)
	if err := d.Load(design, desk.Begin, "test"); err != nil {
		t.Fatal(err)
	}
	kept := func() (at int64) {
		t.Helper()
		if err := d.KeepSnapshot(context.Background()); err != nil {
			t.Fatal(err)
		}
		info, err := os.Stat(file + ".index")
		if err != nil {
			t.Fatal(err)
		}
		return info.ModTime().UnixNano()
	}
	first := kept()
	somebody := *d.Design().Users[77]
	somebody.JobTitle = "Title 1"
	group := *d.Design().Groups[5]
	group.Type, group.Rule, group.Users, group.Groups = model.Rule, `title eq "Title 1"`, nil, nil
	for _, o := range []model.Object{&somebody, &group} {
		if err := desk.Again(func() error {
			return d.Operate(d.Present(), []change.Op{change.Put(d.Design(), o)}, "a change")
		}); err != nil {
			t.Fatal(err)
		}
	}
	if again := kept(); again != first {
		t.Error("a snapshot is kept anew though little has changed")
	}
	same := func(what string) {
		t.Helper()
		o := reopen(t, s)
		if o.Revision() != d.Revision() || len(change.Difference(o.Design(), d.Design())) > 0 {
			t.Errorf("%s: the design of revision %d is not that of %d", what, o.Revision(), d.Revision())
		}
		x, y := d.Present().Index, o.Present().Index
		if !reflect.DeepEqual(y.Members(group.ID), x.Members(group.ID)) || len(x.Members(group.ID)) < 2 {
			t.Errorf("%s: the members of a group by a rule are %d, want %d", what, len(y.Members(group.ID)),
				len(x.Members(group.ID)))
		}
		for i := 0; i < len(d.Design().Users); i += 100 {
			u := d.Design().Users[i].ID
			if !reflect.DeepEqual(y.Effective(u, now), x.Effective(u, now)) {
				t.Errorf("%s: what %s holds is not the same", what, u)
			}
		}
	}
	same("with a snapshot")
	// What the snapshot says is what the desk begins with: here, of a design that the database never had.
	lie := *d.Design()
	lie.Organisation = &model.Organisation{Name: "Another"}
	if err := s.KeepSnapshot(d.Revision(), lie.Pack, d.Present().Index.Pack); err != nil {
		t.Fatal(err)
	}
	if name := reopen(t, s).Design().Organisation.Name; name != "Another" {
		t.Errorf("the snapshot is not what the desk begins with: %s", name)
	}
	if err := os.Truncate(file+".index", 1<<20); err != nil {
		t.Fatal(err)
	}
	same("with a damaged one")
	if err := os.Remove(file + ".index"); err != nil {
		t.Fatal(err)
	}
	same("with none")
	small, o := open(t)
	if err := small.KeepSnapshot(context.Background()); err != nil {
		t.Error(err)
	}
	if _, _, err := o.Snapshot(2); err == nil {
		t.Error("a snapshot is kept of a small design")
	}
}

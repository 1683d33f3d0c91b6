package store_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"syscall"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// A snapshot is given back as it was kept, and counts only for the record and the program that it was kept of.
func TestASnapshotCountsOnlyForItsRecord(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	defer s.Close()
	apply(t, s, change.Put(current(t, s), person("ann", "one")))
	apply(t, s, change.Put(current(t, s), person("ann", "two")))
	sections := [][]string{{"one", "", strings.Repeat("two", 1<<20)}, {"three"}}
	keep := func(revision int) error {
		var write []store.Section
		for _, pieces := range sections {
			write = append(write, func(emit func([]byte) error) error {
				for _, p := range pieces {
					if err := emit([]byte(p)); err != nil {
						return err
					}
				}
				return nil
			})
		}
		return s.KeepSnapshot(revision, write...)
	}
	if _, _, err := s.Snapshot(2); !errors.Is(err, store.ErrNotFound) {
		t.Fatalf("before there is one: %v", err)
	}
	if err := keep(2); err != nil {
		t.Fatal(err)
	}
	revision, pieces, err := s.Snapshot(2)
	if err != nil || revision != 2 || !reflect.DeepEqual(pieces, sections) {
		t.Fatalf("what is given is of revision %d, in %d sections: %v", revision, len(pieces), err)
	}
	info, err := os.Stat(file + ".index")
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the file can be read by others: %v %v", info.Mode(), err)
	}
	whole, err := os.ReadFile(file + ".index")
	if err != nil {
		t.Fatal(err)
	}
	with := func(data []byte, do func()) {
		t.Helper()
		if err := os.WriteFile(file+".index", data, 0o600); err != nil {
			t.Fatal(err)
		}
		do()
	}
	refused := func(what string, want error) func() {
		return func() {
			t.Helper()
			if _, _, err := s.Snapshot(2); err == nil || want != nil && !errors.Is(err, want) {
				t.Errorf("%s: %v", what, err)
			}
		}
	}
	for _, cut := range []int{0, 10, 60, 120, len(whole) / 2, len(whole) - 1} {
		with(whole[:cut], refused("cut off", nil))
	}
	const head = len("FACHWERK INDEX 1\n")
	for _, c := range []struct {
		what string
		at   int
		want error
	}{
		{"another kind of file", 0, nil},
		{"another program", head + 5, store.ErrNotFound},
		{"a revision that there is not", head + 32 + 1, store.ErrNotFound},
		{"another chain", head + 32 + 8 + 1 + 3, store.ErrNotFound},
		{"a damaged piece", len(whole) / 2, nil},
	} {
		altered := append([]byte{}, whole...)
		altered[c.at] ^= 1
		with(altered, refused(c.what, c.want))
	}
	// The same number, but another record: as after a backup was put in its place and other revisions followed.
	with(whole, func() {})
	other := filepath.Join(t.TempDir(), "y.db")
	o := open(t, other)
	defer o.Close()
	apply(t, o, change.Put(current(t, o), person("ann", "one")))
	apply(t, o, change.Put(current(t, o), person("ann", "three")))
	if err := os.Link(file+".index", other+".index"); err != nil {
		t.Fatal(err)
	}
	if _, _, err := o.Snapshot(2); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("of another record: %v", err)
	}
}

// What is broken off leaves the snapshot that there is; what another process is keeping is left to it.
func TestASnapshotIsWholeOrNotThere(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	defer s.Close()
	apply(t, s, change.Put(current(t, s), person("ann", "one")))
	write := func(text string, err error) store.Section {
		return func(emit func([]byte) error) error { return errors.Join(emit([]byte(text)), err) }
	}
	is := func(want string) {
		t.Helper()
		if _, pieces, err := s.Snapshot(1); err != nil || pieces[0][0] != want {
			t.Errorf("the snapshot is %v (%v), want %q", pieces, err, want)
		}
	}
	if err := s.KeepSnapshot(1, write("first", nil)); err != nil {
		t.Fatal(err)
	}
	stopped := errors.New("stopped")
	if err := s.KeepSnapshot(1, write("second", stopped)); !errors.Is(err, stopped) {
		t.Errorf("what was broken off gives %v", err)
	}
	is("first")
	if _, err := os.Stat(file + ".index.new"); !os.IsNotExist(err) {
		t.Errorf("what was broken off is left: %v", err)
	}
	f, err := os.OpenFile(file+".index.new", os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		t.Fatal(err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX); err != nil {
		t.Fatal(err)
	}
	if err := s.KeepSnapshot(1, write("third", nil)); err != nil {
		t.Error(err)
	}
	is("first")
	if _, err := f.WriteString("half of one that was killed, longer than what comes"); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	if err := s.KeepSnapshot(1, write("fourth", nil)); err != nil {
		t.Fatal(err)
	}
	is("fourth")
}

// A revision of many operations, of every sort, is recorded as one of few: the design follows, and the chain holds.
func TestARevisionOfManyOperations(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	defer s.Close()
	const many = 4_701 // more than are written at once, and no round number of those
	id := func(i int) string { return fmt.Sprintf("p%05d", i) }
	var ops []change.Op
	members := map[string][]string{}
	d := current(t, s)
	for i := range many {
		ops = append(ops, change.Put(d, person(id(i), "one")))
		members[fmt.Sprintf("g%d", i%7)] = append(members[fmt.Sprintf("g%d", i%7)], id(i))
	}
	group := func(name string) *model.Group {
		return &model.Group{ID: name, Name: name, Type: model.Static, Source: model.Local, Users: members[name]}
	}
	for name := range members {
		ops = append(ops, change.Put(d, group(name)))
	}
	recorded := func(revision int) {
		t.Helper()
		want := change.Lay(current(t, s), ops)
		apply(t, s, ops...)
		if !reflect.DeepEqual(current(t, s), want) {
			t.Errorf("revision %d: the design is not what its operations make", revision)
		}
		if p, err := s.Verify(""); err != nil || p.Revisions != revision {
			t.Errorf("revision %d: the chain is %+v, %v", revision, p, err)
		}
		if change, err := s.Change(revision, 0); err != nil || len(change) != len(ops) {
			t.Errorf("revision %d: %d operations are recorded of %d (%v)", revision, len(change), len(ops), err)
		}
	}
	recorded(1)
	d, ops = current(t, s), nil
	for i := range many { // some go, some change, and the groups keep most of their lists
		switch {
		case i%2 == 1:
			ops = append(ops, change.Delete(d.Get(model.KindUser, id(i))))
		case i%3 == 0:
			ops = append(ops, change.Put(d, person(id(i), "two")))
		}
	}
	for name, list := range members {
		members[name] = list[1:]
		ops = append(ops, change.Put(d, group(name)))
	}
	recorded(2)
}

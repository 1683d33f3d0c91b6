package store_test

import (
	"errors"
	"path/filepath"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

var start = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

func open(t *testing.T, file string) *store.Store {
	t.Helper()
	s, err := store.Open(file, false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func person(id, title string) *model.User {
	return &model.User{ID: id, UserName: id, DisplayName: id, JobTitle: title, State: model.UserActive, Source: model.Local}
}

// apply makes the next revision, a minute after the last.
func apply(t *testing.T, s *store.Store, ops ...change.Op) int {
	t.Helper()
	n, err := s.Last()
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Apply(store.Revision{Number: n + 1, At: start.Add(time.Duration(n) * time.Minute), WhoName: "test", Why: "test"}, ops, nil); err != nil {
		t.Fatal(err)
	}
	return n + 1
}

func current(t *testing.T, s *store.Store) *model.Design {
	t.Helper()
	d, _, err := s.Design()
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func TestDesignSurvivesClosing(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	level := 2.0
	full := person("ann", "Clerk")
	full.Qualifications = []model.Qualification{{Type: "crane", Level: &level, Until: start}}
	full.LastUse = map[string]time.Time{"s": start}
	full.Until = start.AddDate(1, 0, 0)
	hidden := &model.Group{ID: "g", Name: "G", Unlisted: true, Users: []string{"ann"}, Type: model.Static, Source: model.Local}
	apply(t, s, change.Op{Kind: model.KindOrganisation, ID: "organisation", After: &model.Organisation{Name: "N"}}, change.Op{Kind: model.KindUser, ID: "ann", After: full}, change.Op{Kind: model.KindGroup, ID: "g", After: hidden})
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	d := current(t, open(t, file))
	if !change.Equal(d.Get(model.KindUser, "ann"), full) || !change.Equal(d.Get(model.KindGroup, "g"), hidden) || d.Organisation.Name != "N" {
		t.Errorf("what came back is %+v %+v %+v", d.Get(model.KindUser, "ann"), d.Get(model.KindGroup, "g"), d.Organisation)
	}
}

func TestARevisionIsWholeOrNotAtAll(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "Clerk")})
	failure := errors.New("the outcome cannot be kept")
	ops := []change.Op{{Kind: model.KindUser, ID: "bea", After: person("bea", "")}, {Kind: model.KindUser, ID: "ann", Before: person("ann", "Clerk")}}
	err := s.Apply(store.Revision{Number: 2, At: start}, ops, func(*store.Store) error { return failure })
	if !errors.Is(err, failure) {
		t.Errorf("the error is %v", err)
	}
	if d := current(t, s); len(d.Users) != 1 || d.Users[0].ID != "ann" {
		t.Errorf("half of the revision stands: %v", d.Users)
	}
	if n, _ := s.Last(); n != 1 {
		t.Errorf("the last revision is %d", n)
	}
}

func TestRevisionsFollowOneAnother(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "")})
	for _, number := range []int{1, 3} {
		if err := s.Apply(store.Revision{Number: number, At: start}, nil, nil); !errors.Is(err, store.ErrMoved) {
			t.Errorf("revision %d after 1: %v", number, err)
		}
	}
}

func TestThePastCanBeComputed(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	clerk, lead := person("ann", "Clerk"), person("ann", "Lead")
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: clerk})
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: clerk, After: lead}, change.Op{Kind: model.KindUser, ID: "bea", After: person("bea", "")})
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: lead})
	for minutes, want := range map[int][]string{-1: nil, 0: {"ann Clerk"}, 1: {"ann Lead", "bea "}, 2: {"bea "}, 99: {"bea "}} {
		d, _, err := s.DesignAt(start.Add(time.Duration(minutes) * time.Minute))
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, u := range d.Users {
			got = append(got, u.ID+" "+u.JobTitle)
		}
		if len(got) != len(want) || len(got) > 0 && got[0] != want[0] {
			t.Errorf("after %d minutes the people are %v, want %v", minutes, got, want)
		}
	}
}

func TestLaterTouchesAreFound(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	clerk, lead := person("ann", "Clerk"), person("ann", "Lead")
	first := apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: clerk}, change.Op{Kind: model.KindUser, ID: "bea", After: person("bea", "")})
	second := apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: clerk, After: lead})
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: lead, After: clerk})
	later, err := s.LaterOn(first)
	if err != nil || len(later) != 1 || later[0] != (store.Touch{Kind: model.KindUser, ObjectID: "ann", Revision: second}) {
		t.Errorf("later on: %v %v", later, err)
	}
	if later, _ := s.LaterOn(3); len(later) != 0 {
		t.Errorf("after the last: %v", later)
	}
	ops, err := s.Change(second, 0)
	if err != nil || len(ops) != 1 || !change.Equal(ops[0].Before, clerk) || !change.Equal(ops[0].After, lead) {
		t.Errorf("the change is %+v %v", ops, err)
	}
}

func TestLinksAreGoodOnceAndForATime(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	for _, hash := range []string{"once", "late"} {
		if err := s.SaveLink(store.Link{Hash: hash, User: "ann", Expires: start.Add(time.Hour)}); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.UseLink("late", start.Add(time.Hour), store.Credential{User: "ann", Hash: "h"}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a link that has run out: %v", err)
	}
	if err := s.UseLink("once", start, store.Credential{User: "ann", Hash: "h"}); err != nil {
		t.Error(err)
	}
	if err := s.UseLink("once", start, store.Credential{User: "ann", Hash: "other"}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a link that has been used: %v", err)
	}
	if c, err := s.Credential("ann"); err != nil || c.Hash != "h" {
		t.Errorf("the credential is %+v %v", c, err)
	}
}

func TestSessionsRunOut(t *testing.T) {
	s := store.Sessions{Store: open(t, filepath.Join(t.TempDir(), "x.db"))}
	if err := s.Commit("live", []byte("a"), time.Now().Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	if err := s.Commit("dead", []byte("b"), time.Now().Add(-time.Hour)); err != nil {
		t.Fatal(err)
	}
	if data, ok, err := s.Find("live"); err != nil || !ok || string(data) != "a" {
		t.Errorf("%s %v %v", data, ok, err)
	}
	if _, ok, _ := s.Find("dead"); ok {
		t.Error("a session that has run out is found")
	}
	if err := s.Delete("live"); err != nil {
		t.Fatal(err)
	}
	if _, ok, _ := s.Find("live"); ok {
		t.Error("a session that has ended is found")
	}
}

func TestOpenRefusesWhatIsNotThere(t *testing.T) {
	folder := t.TempDir()
	if _, err := store.Open(filepath.Join(folder, "none.db"), true); err == nil {
		t.Error("a missing database is opened")
	}
	if _, err := store.Open(folder, true); err == nil {
		t.Error("a folder is opened")
	}
}

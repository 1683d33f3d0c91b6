package store

import (
	"path/filepath"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// What was given lately is what came after the first revision, within the time that is asked about, and was not taken
// away since. What was set aside is so until its day, unless that was taken back.
func TestGivenLatelyAndSetAside(t *testing.T) {
	s, err := Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	day := time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)
	user := func(id string) *model.User { return &model.User{ID: id, UserName: id, DisplayName: id} }
	group := func(users ...string) *model.Group { return &model.Group{ID: "g", Name: "G", Users: users} }
	grant := func(id string) *model.Assignment {
		return &model.Assignment{ID: id, Subject: model.Subject{User: "ann"}, Set: model.SetAuditor}
	}
	put := func(before, after model.Object) change.Op {
		o := after
		if o == nil {
			o = before
		}
		return change.Op{Kind: o.Kind(), ID: o.Ident(), Before: before, After: after}
	}
	for n, ops := range [][]change.Op{
		{put(nil, user("ann")), put(nil, grant("first")), put(nil, group("ann"))},
		{put(nil, user("bea")), put(nil, grant("old"))},
		{put(nil, grant("kept")), put(nil, grant("taken")), put(group("ann"), group("ann", "bea"))},
		{put(grant("taken"), nil), put(group("ann", "bea"), group("bea"))},
		{put(nil, grant("later"))},
	} {
		if err := s.AppendRevisions(Step{Revision: Revision{Number: n + 1, At: day.AddDate(0, 0, 10*n), WhoName: "x"},
			Ops: ops}); err != nil {
			t.Fatal(err)
		}
	}
	given, err := s.GivenSince(day.AddDate(0, 0, 15), day.AddDate(0, 0, 35))
	if err != nil {
		t.Fatal(err)
	}
	if len(given.Assignments) != 1 || !given.Assignments["kept"] || len(given.Users) != 0 ||
		len(given.Members) != 1 || !given.Members[[2]string{"g", "bea"}] {
		t.Errorf("given lately is %+v", given)
	}
	all, err := s.GivenSince(day.AddDate(-1, 0, 0), day.AddDate(1, 0, 0))
	if err != nil || all.Assignments["first"] || !all.Assignments["later"] || all.Users["ann"] || !all.Users["bea"] {
		t.Errorf("of all that was given is told %+v: %v", all, err)
	}

	aside := func(finding string, until time.Time, at time.Time) Aside {
		return Aside{Finding: finding, Until: until, Reason: "x", By: "ann", At: at}
	}
	if err := s.SetAside([]Aside{
		aside("a", day.AddDate(0, 1, 0), day), aside("b", day.AddDate(0, 1, 0), day),
		aside("b", time.Time{}, day.AddDate(0, 0, 2)),
	}); err != nil {
		t.Fatal(err)
	}
	for at, want := range map[int]int{-1: 0, 0: 2, 1: 2, 2: 1, 40: 0} {
		if list, err := s.Asides(day.AddDate(0, 0, at)); err != nil || len(list) != want {
			t.Errorf("%d days on, %d are set aside, want %d: %v", at, len(list), want, err)
		}
	}
	if err := s.w.Exec("DELETE FROM asides").Error; err == nil {
		t.Error("what was set aside can be made to have never been")
	}
}

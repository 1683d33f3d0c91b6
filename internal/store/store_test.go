package store_test

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
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
	return &model.User{
		ID:          id,
		UserName:    id,
		DisplayName: id,
		JobTitle:    title,
		State:       model.UserActive,
		Source:      model.Local,
	}
}

// apply makes the next revision, a minute after the last.
func apply(t *testing.T, s *store.Store, ops ...change.Op) int {
	t.Helper()
	n, err := s.Last()
	if err != nil {
		t.Fatal(err)
	}
	if err := s.AppendRevisions(store.Step{Revision: store.Revision{Number: n + 1,
		At: start.Add(time.Duration(n) * time.Minute), WhoName: "test", Why: "test"}, Ops: ops}); err != nil {
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
	full.Until = start.AddDate(1, 0, 0)
	hidden := &model.Group{
		ID:       "g",
		Name:     "G",
		Unlisted: true,
		Users:    []string{"ann"},
		Type:     model.Static,
		Source:   model.Local,
	}
	apply(
		t,
		s,
		change.Op{Kind: model.KindOrganisation, ID: "organisation", After: &model.Organisation{Name: "N"}},
		change.Op{Kind: model.KindUser, ID: "ann", After: full},
		change.Op{Kind: model.KindGroup, ID: "g", After: hidden},
	)
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	d := current(t, open(t, file))
	if !change.Equal(d.Get(model.KindUser, "ann"), full) || !change.Equal(d.Get(model.KindGroup, "g"), hidden) ||
		d.Organisation.Name != "N" {
		t.Errorf(
			"what came back is %+v %+v %+v",
			d.Get(model.KindUser, "ann"),
			d.Get(model.KindGroup, "g"),
			d.Organisation,
		)
	}
}

func TestARevisionIsWholeOrNotAtAll(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "Clerk")})
	failure := errors.New("the outcome cannot be kept")
	ops := []change.Op{
		{Kind: model.KindUser, ID: "bea", After: person("bea", "")},
		{Kind: model.KindUser, ID: "ann", Before: person("ann", "Clerk")},
	}
	err := s.AppendRevisions(
		store.Step{
			Revision: store.Revision{Number: 2, At: start},
			Ops:      ops,
			Along:    func(*store.Store) error { return failure },
		},
	)
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
		if err := s.AppendRevisions(store.Step{Revision: store.Revision{Number: number, At: start}}); !errors.Is(
			err,
			store.ErrMoved,
		) {
			t.Errorf("revision %d after 1: %v", number, err)
		}
	}
}

func TestThePastCanBeComputed(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	clerk, lead := person("ann", "Clerk"), person("ann", "Lead")
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: clerk})
	apply(
		t,
		s,
		change.Op{Kind: model.KindUser, ID: "ann", Before: clerk, After: lead},
		change.Op{Kind: model.KindUser, ID: "bea", After: person("bea", "")},
	)
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: lead})
	now, last, err := s.Design()
	if err != nil {
		t.Fatal(err)
	}
	for minutes, want := range map[int][]string{-1: nil, 0: {"ann Clerk"}, 1: {"ann Lead", "bea "}, 2: {"bea "},
		99: {"bea "}} {
		at := start.Add(time.Duration(minutes) * time.Minute)
		d, revision, err := s.DesignAt(now, last, at)
		if err != nil {
			t.Fatal(err)
		}
		if n, err := s.RevisionAt(at); err != nil || n != revision || n != min(3, minutes+1) {
			t.Errorf("after %d minutes the revision is %d or %d, %v", minutes, revision, n, err)
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
	first := apply(
		t,
		s,
		change.Op{Kind: model.KindUser, ID: "ann", After: clerk},
		change.Op{Kind: model.KindUser, ID: "bea", After: person("bea", "")},
	)
	second := apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: clerk, After: lead})
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: lead, After: clerk})
	later, err := s.LaterOn(first)
	if err != nil || len(later) != 1 ||
		later[0] != (store.Touch{Kind: model.KindUser, ObjectID: "ann", Revision: second}) {
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
	for hash, user := range map[string]string{"once": "ann", "late": "bob"} {
		if err := s.SaveLink(store.Link{Hash: hash, User: user, Expires: start.Add(time.Hour)}); err != nil {
			t.Fatal(err)
		}
	}
	setting := func(hash string) func(*store.Store) error {
		return func(s *store.Store) error { return s.SetPassword(store.Credential{User: "ann", Hash: hash}, start, "") }
	}
	if err := s.UseLink("late", start.Add(time.Hour), setting("h")); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a link that has run out: %v", err)
	}
	if err := s.UseLink("once", start, setting("h")); err != nil {
		t.Error(err)
	}
	if err := s.UseLink("once", start, setting("other")); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a link that has been used: %v", err)
	}
	// A new one ends those before.
	for _, hash := range []string{"first", "second"} {
		if err := s.SaveLink(store.Link{Hash: hash, User: "cy", Expires: start.Add(time.Hour)}); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.Link("first", start); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a link that a later one ended: %v", err)
	}
	if _, err := s.Link("second", start); err != nil {
		t.Error(err)
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

func TestTheRecordIsSearched(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	crew := func(users ...string) *model.Group {
		return &model.Group{ID: "crew", Name: "Crew", Users: users, Type: model.Static, Source: model.Local}
	}
	give := &model.Assignment{ID: "a1", Subject: model.Subject{User: "ann"}, Role: "r"}
	for n, step := range []struct {
		who, why string
		op       change.Op
	}{
		{"sue", "a first one", change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "")}},
		{"sue", "100% of the crew", change.Op{Kind: model.KindGroup, ID: "crew", After: crew("ann", "bea")}},
		{"", "from the tide",
			change.Op{Kind: model.KindGroup, ID: "crew", Before: crew("ann", "bea"), After: crew("ann", "bea", "cy")}},
		{"tom", "gives", change.Op{Kind: model.KindAssignment, ID: "a1", After: give}},
		{"tom", "out of the crew",
			change.Op{Kind: model.KindGroup, ID: "crew", Before: crew("ann", "bea", "cy"), After: crew("bea", "cy")}},
	} {
		name := step.who
		if name == "" {
			name = "Operator"
		}
		if err := s.AppendRevisions(store.Step{Revision: store.Revision{Number: n + 1,
			At: start.Add(time.Duration(n) * time.Hour), Who: step.who, WhoName: name, Why: step.why},
			Ops: []change.Op{step.op}}); err != nil {
			t.Fatal(err)
		}
	}
	for name, c := range map[string]struct {
		search store.Search
		want   []int
	}{
		"all":            {store.Search{}, []int{5, 4, 3, 2, 1}},
		"of a kind":      {store.Search{Kind: "group"}, []int{5, 3, 2}},
		"of one":         {store.Search{Kind: "user", ID: "ann"}, []int{1}},
		"about a person": {store.Search{User: "ann"}, []int{5, 4, 2, 1}}, // not the third, which lists cy
		"about cy":       {store.Search{User: "cy"}, []int{3}},
		"by a person":    {store.Search{Who: "tom"}, []int{5, 4}},
		"by an operator": {store.Search{Who: "Operator"}, []int{3}},
		"by words":       {store.Search{Words: "crew out"}, []int{5}},
		"a percent sign": {store.Search{Words: "100%"}, []int{2}},
		"no wildcard":    {store.Search{Words: "1_0"}, nil},
		"in a time":      {store.Search{From: start.Add(time.Hour), Until: start.Add(3 * time.Hour)}, []int{3, 2}},
		"all of it":      {store.Search{Kind: "group", Who: "sue", Words: "crew"}, []int{2}},
	} {
		list, err := s.Revisions(c.search, 0, 10)
		if err != nil {
			t.Fatal(name, err)
		}
		var got []int
		for _, r := range list {
			got = append(got, r.Number)
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
	if r, err := s.LastOn(model.KindGroup, "crew", 0); err != nil || r.Number != 5 {
		t.Errorf("the crew was last touched by %d, %v", r.Number, err)
	}
	if _, err := s.LastOn(model.KindGroup, "crew", 5); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("after the last: %v", err)
	}
	came, err := s.CameWith(model.KindAssignment, "a1", "ghost")
	if err != nil {
		t.Fatal(err)
	}
	if r, known := came("a1"); !known || r.Number != 4 {
		t.Errorf("a1 came with %v", r)
	}
	if r, known := came("ghost"); known {
		t.Errorf("what never was came with %v", r)
	}
	joined, err := s.Joinings("crew")
	if err != nil || joined["cy"].Number != 3 || joined["bea"].Number != 2 {
		t.Errorf("they joined by %v, %v", joined, err)
	}
}

func TestTokens(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	for i, name := range []string{"second", "first", "decides"} {
		purpose := "scim"
		if name == "decides" {
			purpose = "decisions"
		}
		if err := s.SaveToken(store.Token{Hash: name, Name: name, Purpose: purpose,
			Made: start.AddDate(0, 0, -i)}); err != nil {
			t.Fatal(err)
		}
	}
	list, err := s.Tokens("scim")
	if err != nil || len(list) != 2 || list[0].Name != "first" || list[1].Name != "second" {
		t.Errorf("those for directories are %v, %v", list, err)
	}
	if err := s.SaveToken(store.Token{Hash: "first", Name: "again"}); err == nil {
		t.Error("one hash is kept twice")
	}
	if one, err := s.Token("decides"); err != nil || one.Purpose != "decisions" {
		t.Errorf("by its hash it is %v, %v", one, err)
	}
	if _, err := s.Token("ghost"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a token that was never made: %v", err)
	}
}

// A draft is known by its hash without being read, and what did not change in it is not written again.
func TestDrafts(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	x, y, z := store.NewDraftEdit(
		[]byte(`{"id":"x"}`),
	), store.NewDraftEdit(
		[]byte(`{"id":"y"}`),
	), store.NewDraftEdit(
		[]byte(`{"id":"z"}`),
	)
	seen := map[string]bool{}
	for _, edits := range [][]store.DraftEdit{nil, {x}, {x, y}, {y, x}, {z}, {x, z, y}, {z, y}} {
		if err := s.SaveDraft("ann", edits); err != nil {
			t.Fatal(err)
		}
		want := store.HashOf(edits)
		if seen[want] || (want == "") != (edits == nil) {
			t.Errorf("hashes do not tell drafts apart: %q", want)
		}
		seen[want] = true
		if got, err := s.DraftHash("ann"); err != nil || got != want {
			t.Errorf("the hash is %q, want %q (%v)", got, want, err)
		}
		kept, err := s.Draft("ann")
		if err != nil || len(kept) != len(edits) {
			t.Fatalf("the draft has %d acts, want %d (%v)", len(kept), len(edits), err)
		}
		for i := range kept {
			if string(kept[i].Value) != string(edits[i].Value) {
				t.Errorf("act %d is %s, want %s", i, kept[i].Value, edits[i].Value)
			}
		}
		if other, err := s.Draft("bea"); err != nil || len(other) > 0 {
			t.Errorf("somebody else has %v, %v", other, err)
		}
	}
	if err := s.DropDraft("ann"); err != nil {
		t.Fatal(err)
	}
	if got, err := s.DraftHash("ann"); err != nil || got != "" {
		t.Errorf("dropped, the hash is %q, %v", got, err)
	}
}

// A use that is kept late does not bring back a token that was withdrawn meanwhile.
func TestAWithdrawnTokenStaysSo(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	one := store.Token{Hash: "h", Name: "x", Purpose: "api", Made: start}
	if err := s.SaveToken(one); err != nil {
		t.Fatal(err)
	}
	one.Ended = &start
	later := start.Add(time.Hour)
	if err := errors.Join(s.AlterToken(one), s.SeenToken("h", later)); err != nil {
		t.Fatal(err)
	}
	kept, err := s.Token("h")
	if err != nil || kept.Ended == nil || kept.Used == nil || !kept.Used.Equal(later) {
		t.Errorf("kept is %+v, %v", kept, err)
	}
}

// What changed since a revision leads to the current design, however often an object was changed, and whatever was
// deleted; if it is too much, that is told, and nothing is left out.
func TestWhatChangedSince(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	defer s.Close()
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "Clerk")},
		change.Op{Kind: model.KindUser, ID: "bo", After: person("bo", "Lead")})
	was, n, err := s.Design()
	if err != nil {
		t.Fatal(err)
	}
	before := model.Object(person("ann", "Clerk"))
	for i := range 20 {
		after := person("ann", fmt.Sprintf("Clerk %d", i))
		apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: before, After: after})
		before = after
	}
	apply(t, s, change.Op{Kind: model.KindUser, ID: "bo", Before: person("bo", "Lead")},
		change.Op{Kind: model.KindUser, ID: "cy", After: person("cy", "Clerk")})
	edits, now, err := s.Since(n, 22)
	if err != nil || now != n+21 || len(edits) != 3 {
		t.Fatalf("%d edits lead to revision %d, %v", len(edits), now, err)
	}
	if left := change.Difference(was.With(edits), current(t, s)); len(left) > 0 {
		t.Errorf("with them, %d objects are not what they are", len(left))
	}
	if edits, now, err := s.Since(n, 21); err != nil || edits != nil || now != n+21 {
		t.Errorf("too much: %d edits, revision %d, %v", len(edits), now, err)
	}
	if edits, now, err := s.Since(now, 5); err != nil || len(edits) != 0 || now != n+21 {
		t.Errorf("nothing: %d edits, revision %d, %v", len(edits), now, err)
	}
}

// A round is begun, opened, missed and handed on once, whoever does it; with a review that was opened for nothing,
// nothing of it stays.
func TestARoundIsDoneOnce(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	id, err := s.AddSeries(store.Series{Value: []byte("{}"), Owner: "ann", Made: start, Since: start})
	if err != nil {
		t.Fatal(err)
	}
	round, err := s.AddRound(store.Round{Series: id, Opens: start, Found: []byte("[1]")})
	if err != nil {
		t.Fatal(err)
	}
	again, err := s.AddRound(store.Round{Series: id, Opens: start.In(time.FixedZone("x", 3600)), Found: []byte("[2]")})
	if err != nil || again.ID != round.ID || string(again.Found) != "[1]" {
		t.Errorf("begun again: %+v %v", again, err)
	}
	opens := func() error {
		r := round
		_, err := s.AddReview(store.Review{Name: "r", Opened: start}, []store.ReviewItem{{User: "ann"}}, nil,
			func(s *store.Store, review int) error {
				r.Opened, r.Review = &start, review
				return s.OpenRound(r)
			})
		return err
	}
	if err := opens(); err != nil {
		t.Fatal(err)
	}
	for what, err := range map[string]error{"opened": opens(), "missed": s.MissRound(round.ID)} {
		if !errors.Is(err, store.ErrTaken) {
			t.Errorf("a round that is open is %s: %v", what, err)
		}
	}
	if list, err := s.Reviews(); err != nil || len(list) != 1 {
		t.Errorf("there are %d reviews %v", len(list), err)
	}
	if err := s.EscalateRound(round.ID, start); err != nil {
		t.Error(err)
	}
	if err := s.EscalateRound(round.ID, start); !errors.Is(err, store.ErrTaken) {
		t.Errorf("handed on twice: %v", err)
	}
}

// Of many, what is known is read on from where it ended: what came after that, and what came anew, is told as if each
// were asked for by name.
func TestComingsOfMany(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	var ids []string
	number := 0
	record := func(ops ...change.Op) {
		t.Helper()
		number++
		if err := s.AppendRevisions(store.Step{Revision: store.Revision{Number: number,
			At: start.Add(time.Duration(number) * time.Hour), WhoName: "Operator"}, Ops: ops}); err != nil {
			t.Fatal(err)
		}
	}
	came := func(id string) change.Op { return change.Op{Kind: model.KindUser, ID: id, After: person(id, "")} }
	var first []change.Op
	for i := range 1000 {
		ids = append(ids, fmt.Sprintf("p%04d", i))
		first = append(first, came(ids[i]))
	}
	compare := func(want map[string]int) {
		t.Helper()
		many, err := s.CameWith(model.KindUser, append([]string{"ghost"}, ids...)...)
		if err != nil {
			t.Fatal(err)
		}
		for _, id := range []string{ids[0], ids[500], "late", "ghost"} {
			r, known := many(id)
			if known != (want[id] > 0) || r.Number != want[id] {
				t.Errorf("after %d revisions, %s came with %d, want %d", number, id, r.Number, want[id])
			}
			if one, err := s.CameWith(model.KindUser, id); err != nil {
				t.Error(err)
			} else if o, is := one(id); is != known || o.Number != r.Number || !o.At.Equal(r.At) {
				t.Errorf("alone, %s came with %v, among many with %v", id, o, r)
			}
		}
	}
	record(first...)
	compare(map[string]int{ids[0]: 1, ids[500]: 1})
	record(change.Op{Kind: model.KindUser, ID: ids[0], Before: person(ids[0], ""), After: person(ids[0], "x")})
	ids = append(ids, "late")
	record(came("late"))
	compare(map[string]int{ids[0]: 1, ids[500]: 1, "late": 3})
	record(change.Op{Kind: model.KindUser, ID: ids[500], Before: person(ids[500], "")})
	record(came(ids[500]))
	compare(map[string]int{ids[0]: 1, ids[500]: 5, "late": 3})
}

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

// What directories feed is kept beside the design: replaced by the same key, dropped, and there again after closing.
func TestFed(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	all := func(s *store.Store) (out []string) {
		t.Helper()
		list, err := s.AllFed()
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range list {
			out = append(out, fmt.Sprint(f.Kind, " ", f.ID, " ", f.By, " ", string(f.Extra), " ", f.Gone, " ", f.Updated.UTC().Format(time.DateOnly)))
		}
		slices.Sort(out)
		return out
	}
	if err := s.SaveFed(); err != nil || len(all(s)) != 0 {
		t.Errorf("nothing is kept as %v, %v", all(s), err)
	}
	if err := s.SaveFed(store.Fed{Kind: "user", ID: "ann", By: "one", Extra: []byte("{}"), Updated: start}, store.Fed{Kind: "group", ID: "ann", By: "one", Updated: start}); err != nil {
		t.Fatal(err)
	}
	if err := s.SaveFed(store.Fed{Kind: "user", ID: "ann", By: "two", Gone: true, Updated: start.AddDate(0, 0, 1)}); err != nil {
		t.Fatal(err)
	}
	want := []string{"group ann one  false 2026-03-04", "user ann two  true 2026-03-05"}
	if got := all(s); !slices.Equal(got, want) {
		t.Errorf("kept: %q", got)
	}
	many := make([]store.Fed, 1201) // more than go into one statement
	for i := range many {
		many[i] = store.Fed{Kind: "user", ID: fmt.Sprintf("u%04d", i), By: "one", Updated: start}
	}
	if err := s.SaveFed(many...); err != nil {
		t.Fatal(err)
	}
	if err := s.DropFed("group", "ann"); err != nil {
		t.Fatal(err)
	}
	if err := s.DropFed("group", "ghost"); err != nil {
		t.Errorf("what is not kept is dropped with %v", err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if got := all(open(t, file)); len(got) != 1202 || got[0] != want[1] {
		t.Errorf("after closing there are %d, the first %q", len(got), got[0])
	}
}

// Spans tell when something came and was last changed, also if it went in between.
func TestSpans(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	ann, bea := person("ann", ""), person("bea", "")
	later := person("ann", "Lead")
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: ann})
	apply(t, s, change.Op{Kind: model.KindUser, ID: "bea", After: bea}, change.Op{Kind: model.KindGroup, ID: "ann", After: &model.Group{ID: "ann", Name: "Ann", Type: model.Static, Source: model.Local}})
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: ann, After: later})
	apply(t, s, change.Op{Kind: model.KindUser, ID: "bea", Before: bea})
	minute := func(n int) time.Time { return start.Add(time.Duration(n) * time.Minute) }
	for _, c := range []struct {
		kind model.Kind
		ids  []string
		want map[string]store.Span
	}{
		{model.KindUser, nil, map[string]store.Span{"ann": {First: minute(0), Last: minute(2)}, "bea": {First: minute(1), Last: minute(3)}}},
		{model.KindUser, []string{"bea", "ghost"}, map[string]store.Span{"bea": {First: minute(1), Last: minute(3)}}},
		{model.KindGroup, nil, map[string]store.Span{"ann": {First: minute(1), Last: minute(1)}}},
		{model.KindRole, nil, map[string]store.Span{}},
	} {
		got, err := s.Spans(c.kind, c.ids...)
		if err != nil || len(got) != len(c.want) {
			t.Errorf("%s %v: %v, %v", c.kind, c.ids, got, err)
		}
		for id, want := range c.want {
			if !got[id].First.Equal(want.First) || !got[id].Last.Equal(want.Last) {
				t.Errorf("%s %s spans %v, want %v", c.kind, id, got[id], want)
			}
		}
	}
}

// Whoever follows the record gets what came after, earliest first, and no more than asked for.
func TestRevisionsAfter(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	for i := range 7 {
		id := fmt.Sprint("u", i)
		apply(t, s, change.Op{Kind: model.KindUser, ID: id, After: person(id, "")})
	}
	for _, c := range []struct {
		after, limit int
		want         []int
	}{{0, 3, []int{1, 2, 3}}, {3, 100, []int{4, 5, 6, 7}}, {6, 1, []int{7}}, {7, 10, nil}, {99, 10, nil}} {
		list, err := s.RevisionsAfter(c.after, c.limit)
		if err != nil {
			t.Fatal(err)
		}
		var got []int
		for _, r := range list {
			got = append(got, r.Number)
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("after %d, at most %d: %v, want %v", c.after, c.limit, got, c.want)
		}
	}
}

func TestTokens(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	for i, name := range []string{"second", "first", "decides"} {
		purpose := "scim"
		if name == "decides" {
			purpose = "decisions"
		}
		if err := s.SaveToken(store.Token{Hash: name, Name: name, Purpose: purpose, Made: start.AddDate(0, 0, -i)}); err != nil {
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

// A draft is known by its hash without being read, also one that a program kept that knew of no hashes.
func TestDrafts(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	if d, err := s.Draft("ann"); err != nil || d.User != "ann" || d.Edits != nil || d.Hash != "" {
		t.Errorf("without one, the draft is %+v, %v", d, err)
	}
	hashIs := func(want string) {
		t.Helper()
		if got, err := s.DraftHash("ann"); err != nil || got != want {
			t.Errorf("the hash is %q, want %q (%v)", got, want, err)
		}
	}
	hashIs("")
	edits := []byte(`[{"id":"x"}]`)
	hash := store.HashOf(edits)
	if hash == "" || hash == store.HashOf([]byte(`[{"id":"y"}]`)) || store.HashOf(nil) != "" {
		t.Errorf("hashes do not tell drafts apart: %q", hash)
	}
	if err := s.SaveDraft(store.Draft{User: "ann", Edits: edits, Hash: hash, Updated: start}); err != nil {
		t.Fatal(err)
	}
	hashIs(hash)
	if err := s.SaveDraft(store.Draft{User: "ann", Edits: edits, Updated: start}); err != nil { // as before there were hashes
		t.Fatal(err)
	}
	hashIs(hash)
	if d, err := s.Draft("ann"); err != nil || d.Hash != hash || string(d.Edits) != string(edits) {
		t.Errorf("the draft is %+v, %v", d, err)
	}
	if err := s.DropDraft("ann"); err != nil {
		t.Fatal(err)
	}
	hashIs("")
}

// A link is good once, until it runs out; and then a password can be given.
func TestLinksAndPasswords(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	if _, err := s.Credential("ann"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("without a password: %v", err)
	}
	if err := s.SaveLink(store.Link{Hash: "l", User: "ann", Expires: start.Add(time.Hour)}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Link("l", start.Add(time.Hour)); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("when it has run out: %v", err)
	}
	if err := s.UseLink("l", start.Add(time.Hour), store.Credential{User: "ann", Hash: "late"}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("used too late: %v", err)
	}
	if l, err := s.Link("l", start); err != nil || l.User != "ann" {
		t.Errorf("looked at, it is %v, %v", l, err)
	}
	if err := s.UseLink("l", start, store.Credential{User: "ann", Hash: "good"}); err != nil {
		t.Fatal(err)
	}
	if err := s.UseLink("l", start, store.Credential{User: "ann", Hash: "twice"}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("used twice: %v", err)
	}
	if c, err := s.Credential("ann"); err != nil || c.Hash != "good" {
		t.Errorf("the password is %v, %v", c, err)
	}
}

func TestSessions(t *testing.T) {
	s := store.Sessions{Store: open(t, filepath.Join(t.TempDir(), "x.db"))}
	now := time.Now()
	if err := s.Commit("old", []byte("gone"), now.Add(-time.Hour)); err != nil {
		t.Fatal(err)
	}
	if err := s.Commit("new", []byte("here"), now.Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	for token, want := range map[string]string{"new": "here", "old": "", "ghost": ""} {
		data, found, err := s.Find(token)
		if err != nil || found != (want != "") || string(data) != want {
			t.Errorf("%s is %q, %v, %v", token, data, found, err)
		}
	}
	if err := s.Commit("new", []byte("changed"), now.Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	if data, _, _ := s.Find("new"); string(data) != "changed" {
		t.Errorf("kept again, it is %q", data)
	}
	if err := s.Delete("new"); err != nil {
		t.Fatal(err)
	}
	if _, found, err := s.Find("new"); found || err != nil {
		t.Errorf("ended, it is found: %v, %v", found, err)
	}
}

// A step and what goes along with it are one: a later revision than another program's is refused.
func TestTheRecordHasNoGaps(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "")})
	for _, number := range []int{1, 3} {
		err := s.Apply(store.Step{Revision: store.Revision{Number: number, At: start}, Ops: []change.Op{{Kind: model.KindUser, ID: "bea", After: person("bea", "")}}})
		if !errors.Is(err, store.ErrMoved) {
			t.Errorf("revision %d after 1 is answered %v", number, err)
		}
	}
	if n, err := s.Last(); err != nil || n != 1 || current(t, s).Get(model.KindUser, "bea") != nil {
		t.Errorf("the last is %d, %v", n, err)
	}
}

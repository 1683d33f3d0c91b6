package store_test

import (
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
			out = append(
				out,
				fmt.Sprint(
					f.Kind,
					" ",
					f.ID,
					" ",
					f.By,
					" ",
					string(f.Extra),
					" ",
					f.Gone,
					" ",
					f.Updated.UTC().Format(time.DateOnly),
				),
			)
		}
		slices.Sort(out)
		return out
	}
	if err := s.SaveFed(); err != nil || len(all(s)) != 0 {
		t.Errorf("nothing is kept as %v, %v", all(s), err)
	}
	if err := s.SaveFed(store.Fed{Kind: "user", ID: "ann", By: "one", Extra: []byte("{}"), Updated: start},
		store.Fed{Kind: "group", ID: "ann", By: "one", Updated: start}); err != nil {
		t.Fatal(err)
	}
	if err := s.SaveFed(store.Fed{Kind: "user", ID: "ann", By: "two", Gone: true,
		Updated: start.AddDate(0, 0, 1)}); err != nil {
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
	apply(
		t,
		s,
		change.Op{Kind: model.KindUser, ID: "bea", After: bea},
		change.Op{
			Kind:  model.KindGroup,
			ID:    "ann",
			After: &model.Group{ID: "ann", Name: "Ann", Type: model.Static, Source: model.Local},
		},
	)
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: ann, After: later})
	apply(t, s, change.Op{Kind: model.KindUser, ID: "bea", Before: bea})
	minute := func(n int) time.Time { return start.Add(time.Duration(n) * time.Minute) }
	for _, c := range []struct {
		kind model.Kind
		ids  []string
		want map[string]store.Span
	}{
		{model.KindUser, nil,
			map[string]store.Span{"ann": {First: minute(0), Last: minute(2)}, "bea": {First: minute(1), Last: minute(3)}}},
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

package store_test

import (
	"database/sql"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// Of a list of hundreds the record keeps what changed in it, and yet gives every operation, and the design of every
// day, as it was: whatever was added, taken out, renamed, deleted and made anew in between.
func TestTheRecordKeepsWhatChangedInLongLists(t *testing.T) {
	const people, revisions = 400, 150
	file := filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	r := rand.New(rand.NewPCG(1, 2))
	var all []string
	first := []change.Op{}
	for i := range people {
		id := fmt.Sprintf("p%03d", i)
		all = append(all, id)
		first = append(first, change.Op{Kind: model.KindUser, ID: id, After: person(id, "Clerk")})
	}
	apply(t, s, first...)
	designs := []*model.Design{current(t, s)} // after each revision
	for len(designs) < revisions {
		d := designs[len(designs)-1]
		before := d.Get(model.KindGroup, "crew")
		var after model.Object
		g, there := before.(*model.Group)
		switch {
		case !there:
			after = &model.Group{ID: "crew", Name: "Crew", Users: slices.Clone(all[:people-50])}
		case r.IntN(40) == 0:
			after = nil
		default:
			g = model.Clone(g)
			u := all[r.IntN(people)]
			if i, in := slices.BinarySearch(g.Users, u); in {
				g.Users = slices.Delete(g.Users, i, i+1)
			} else {
				g.Users = slices.Insert(g.Users, i, u)
			}
			if r.IntN(5) == 0 {
				g.Name = fmt.Sprintf("Crew %d", len(designs))
			}
			after = g
		}
		op := change.Op{Kind: model.KindGroup, ID: "crew", Before: before, After: after}
		apply(t, s, op)
		designs = append(designs, change.Lay(d, []change.Op{op}))
		if len(designs)%9 == 0 { // the design is what the record leads to, though that keeps parts of lists
			if err := s.Present(); err != nil {
				t.Fatal(err)
			}
		}
	}
	now := current(t, s)
	for i, want := range designs {
		n := i + 1
		got, number, err := s.DesignAt(now, revisions, start.Add(time.Duration(i)*time.Minute))
		if err != nil || number != n ||
			!change.Equal(got.Get(model.KindGroup, "crew"), want.Get(model.KindGroup, "crew")) {
			t.Fatalf("the design of revision %d is another, of %d (%v)", n, number, err)
		}
		if i == 0 {
			continue
		}
		ops, err := s.Change(n, 0)
		if err != nil || len(ops) != 1 {
			t.Fatalf("revision %d: %v, %v", n, ops, err)
		}
		if was := designs[i-1].Get(model.KindGroup, "crew"); !change.Equal(ops[0].Before, was) ||
			!change.Equal(ops[0].After, want.Get(model.KindGroup, "crew")) {
			t.Fatalf("the operation of revision %d is another", n)
		}
		told, err := s.Told(n, 0)
		if err != nil {
			t.Fatal(err)
		}
		names := change.NamesIn(want)
		if got, want := said(told, names), said(ops, names); !slices.Equal(got, want) {
			t.Errorf("of revision %d it is told %v, want %v", n, got, want)
		}
	}
	db, err := sql.Open("sqlite", file)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var short, long int
	if err := db.QueryRow(`SELECT count(*) FILTER (WHERE length("after") < 300), count(*) FROM operations
		WHERE kind = 'group' AND "after" IS NOT NULL`).Scan(&short, &long); err != nil {
		t.Fatal(err)
	}
	if short*10 < long*9 {
		t.Errorf("of %d operations only %d are short", long, short)
	}
}

func said(ops []change.Op, names change.Names) (out []string) {
	for _, s := range change.Sentences(ops, names) {
		out = append(out, s.String())
	}
	return out
}

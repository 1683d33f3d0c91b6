package store_test

import (
	"database/sql"
	"errors"
	"path/filepath"
	"slices"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// What is written into the design beside the record is found, whatever it is, and put back.
func TestTheDesignIsWhatTheRecordLeadsTo(t *testing.T) {
	for name, c := range map[string]struct {
		sql   string
		finds []string
	}{
		"nothing": {"SELECT 1", nil},
		"an owner put in": {`INSERT INTO objects (kind, id, value) VALUES ('assignment', 'mole', CAST('{"id":"mole",
			"subject":{"user":"ann"},"set":"fachwerk-owner"}' AS BLOB))`, []string{"assignment mole"}},
		"a title altered": {`UPDATE objects SET value = CAST(replace(CAST(value AS TEXT), 'Clerk', 'Boss') AS BLOB)
			WHERE id = 'ann'`, []string{"user ann"}},
		"somebody taken out": {`DELETE FROM objects WHERE id = 'bea'`, []string{"user bea"}},
		"somebody who was deleted": {`INSERT INTO objects SELECT kind, 'cy', CAST(replace(CAST(value AS TEXT), 'ann', 'cy')
			AS BLOB) FROM objects WHERE id = 'ann'`, []string{"user cy"}},
		"a member taken out of a long group": {`UPDATE objects SET value = CAST(replace(CAST(value AS TEXT), '"p001",', '')
			AS BLOB) WHERE id = 'crew'`, []string{"group crew"}},
		"one under the name of another": {`UPDATE objects SET value = (SELECT value FROM objects WHERE id = 'ann')
			WHERE id = 'bea'`, []string{"user bea"}},
	} {
		t.Run(name, func(t *testing.T) {
			file := filepath.Join(t.TempDir(), "x.db")
			s := open(t, file)
			var crew []string
			var many []change.Op
			for i := range 200 {
				id := "p" + string(rune('0'+i/100)) + string(rune('0'+i/10%10)) + string(rune('0'+i%10))
				crew = append(crew, id)
				many = append(many, change.Op{Kind: model.KindUser, ID: id, After: person(id, "Hand")})
			}
			ann, bea, cy := person("ann", "Hand"), person("bea", "Clerk"), person("cy", "Clerk")
			group := &model.Group{ID: "crew", Name: "Crew", Users: crew[:199]}
			all := &model.Group{ID: "crew", Name: "Crew", Users: crew}
			apply(t, s, append(many, change.Op{Kind: model.KindUser, ID: "ann", After: ann},
				change.Op{Kind: model.KindUser, ID: "bea", After: bea}, change.Op{Kind: model.KindUser, ID: "cy", After: cy},
				change.Op{Kind: model.KindGroup, ID: "crew", After: group})...)
			apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", Before: ann, After: person("ann", "Clerk")},
				change.Op{Kind: model.KindUser, ID: "cy", Before: cy},
				change.Op{Kind: model.KindGroup, ID: "crew", Before: group, After: all})
			want := current(t, s)
			db, err := sql.Open("sqlite", file)
			if err != nil {
				t.Fatal(err)
			}
			if _, err := db.Exec(c.sql); err != nil {
				t.Fatal(err)
			}
			if err := db.Close(); err != nil {
				t.Fatal(err)
			}
			var found []string
			_, err = s.Verify("")
			if altered := (*store.ErrAltered)(nil); errors.As(err, &altered) {
				for _, a := range altered.Objects {
					found = append(found, string(a.Kind)+" "+a.ID)
				}
			} else if err != nil {
				t.Fatal(err)
			}
			if !slices.Equal(found, c.finds) {
				t.Errorf("found %v, want %v", found, c.finds)
			}
			back, err := s.PutBack()
			if err != nil || len(back) != len(c.finds) {
				t.Errorf("put back %v: %v", back, err)
			}
			if _, err := s.Verify(""); err != nil {
				t.Errorf("put back, it is altered still: %v", err)
			}
			if edits := change.Difference(want, current(t, s)); len(edits) > 0 {
				t.Errorf("put back, the design differs by %v", edits)
			}
		})
	}
}

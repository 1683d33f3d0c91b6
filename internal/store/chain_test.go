package store_test

import (
	"database/sql"
	"errors"
	"path/filepath"
	"strings"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// recorded is a database with a few revisions and entries of the security log.
func recorded(t *testing.T) (file string, p store.Proof) {
	t.Helper()
	file = filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	for n := 1; n <= 4; n++ {
		g := &model.Group{ID: "g" + string(rune('0'+n)), Name: "G", Users: []string{"ann", "bob"}}
		step := store.Step{
			Revision: store.Revision{Number: n, At: start, Who: "ann", WhoName: "Ann", Why: "for a test"},
			Ops: []change.Op{
				{Kind: model.KindGroup, ID: g.ID, After: g},
			},
		}
		if err := s.AppendRevisions(step); err != nil {
			t.Fatal(err)
		}
	}
	for _, what := range []string{"sign-in", "sign-in-failed", "sign-out"} {
		if err := s.Log(store.Event{At: start, What: what, Who: "ann", From: "192.0.2.1", Text: "a test"}); err != nil {
			t.Fatal(err)
		}
	}
	p, err := s.Verify("")
	if err != nil || p.Revisions != 4 || p.Events != 3 || len(p.RevisionHead) != 64 || p.RevisionHead == p.SecurityHead {
		t.Fatalf("what was written is proven as %+v, %v", p, err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	return file, p
}

// Whatever is altered, left out or put in afterwards is found, and where.
func TestTheChainsShowWhatWasAltered(t *testing.T) {
	for name, c := range map[string]struct{ sql, says string }{
		"a reason":            {`UPDATE revisions SET why = 'another' WHERE number = 2`, "revision 2"},
		"who did it":          {`UPDATE revisions SET who = 'bob' WHERE number = 3`, "revision 3"},
		"a value":             {`UPDATE operations SET "after" = CAST(replace(CAST("after" AS TEXT), 'bob', 'eve') AS BLOB) WHERE revision = 2`, "revision 2"},
		"an operation":        {`DELETE FROM operations WHERE revision = 4`, "revision 4"},
		"a revision":          {`DELETE FROM revisions WHERE number = 3`, "revision 3 is missing"},
		"a hash":              {`UPDATE revisions SET hash = 'f' || substr(hash, 2) WHERE number = 1`, "revision 1"},
		"an entry of the log": {`DROP TRIGGER events_no_UPDATE; UPDATE events SET who = 'bob' WHERE id = 2`, "entry 2"},
		"one left out": {`DROP TRIGGER events_no_DELETE; DELETE FROM events WHERE id = 2`,
			"entry 2 of the security log is missing"},
	} {
		file, _ := recorded(t)
		alter(t, file, strings.Split(c.sql, "; ")...)
		s := open(t, file)
		if _, err := s.Verify(""); !errors.Is(err, store.ErrBroken) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s altered: %v, want that it says %q", name, err, c.says)
		}
	}
}

// A head that was kept elsewhere is found in the chain that goes on from it, and not in one that was written anew.
func TestAHeadThatWasKept(t *testing.T) {
	file, p := recorded(t)
	s := open(t, file)
	if err := s.Log(store.Event{At: start, What: "sign-in", Who: "bob"}); err != nil {
		t.Fatal(err)
	}
	for head, want := range map[string]bool{p.RevisionHead: true, p.SecurityHead: true, strings.Repeat("0", 64): false} {
		if got, err := s.Verify(head); err != nil || got.Contains != want {
			t.Errorf("the head %.8s is contained: %v, %v", head, got.Contains, err)
		}
	}
}

// The log and the decisions of reviews are added to, and nothing else.
func TestWhatIsAppendOnly(t *testing.T) {
	file, _ := recorded(t)
	db, err := sql.Open("sqlite", "file:"+file)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec(`INSERT INTO decisions (item, decision) VALUES (1, 'keep')`); err != nil {
		t.Fatal(err)
	}
	for _, sql := range []string{
		`UPDATE events SET text = ''`, `DELETE FROM events`, `UPDATE decisions SET decision = 'revoke'`,
		`DELETE FROM decisions`,
	} {
		if _, err := db.Exec(sql); err == nil || !strings.Contains(err.Error(), "stays as it is") {
			t.Errorf("%s: %v", sql, err)
		}
	}
}

// Entries that differ only in where one value ends and the next begins are not alike in the chain.
func TestEntriesAreNotAlike(t *testing.T) {
	heads := map[string]bool{}
	for _, e := range []store.Event{{Who: "ann", From: "192.0.2.1"}, {Who: "ann1", From: "92.0.2.1"},
		{Who: "", From: "ann192.0.2.1"}} {
		s := open(t, filepath.Join(t.TempDir(), "x.db"))
		e.At, e.What, e.Text = start, "sign-in", "a test"
		if err := s.Log(e); err != nil {
			t.Fatal(err)
		}
		p, err := s.Verify("")
		if err != nil || heads[p.SecurityHead] {
			t.Errorf("%+v has the head %s of another: %v", e, p.SecurityHead, err)
		}
		heads[p.SecurityHead] = true
	}
}

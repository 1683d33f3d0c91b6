package main

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/exchange/modelfile"
	"fachwerk/internal/store"
)

// A database of each version of the schema, made by the program of its time, opens and keeps all that it holds, and is
// worked on: what is drafted there is applied, the rest of the review decided, and the record verified.
func TestDatabasesOfOlderPrograms(t *testing.T) {
	for schema := range len(commits) {
		schema++
		t.Run(fmt.Sprintf("schema %d", schema), func(t *testing.T) {
			t.Parallel()
			db, kept := unpacked(t, schema)
			if kept.Schema != schema || kept.Commit != commits[schema] {
				t.Fatalf("it was made by %s, schema %d", kept.Commit, kept.Schema)
			}
			s, err := store.Open(db, true)
			if err != nil {
				t.Fatal(err)
			}
			copied, err := os.Stat(fmt.Sprintf("%s.schema-%d", db, schema))
			if err != nil || copied.Mode().Perm() != 0o600 {
				t.Errorf("the copy of what it was is %v, %v", copied, err)
			}
			t.Cleanup(func() { _ = s.Close() })
			day := time.Date(2026, 12, 3, 9, 0, 0, 0, time.UTC)
			d, err := rooms.Open(s, func() time.Time { return day })
			if err != nil {
				t.Fatal(err)
			}
			for _, holds := range []struct {
				what string
				test func(*testing.T, *rooms.Desk, *store.Store, Kept)
			}{
				{"the design", sameDesign}, {"the record", record}, {"last uses", uses}, {"who comes in", comesIn},
				{"the draft", openDraft}, {"the review", halfDecided}, {"what there was since", since},
			} {
				t.Run(holds.what, func(t *testing.T) { holds.test(t, d, s, kept) })
			}
			t.Run("verified", func(t *testing.T) { record(t, d, s, kept) })
		})
	}
}

// unpacked puts a kept database into a folder of the test.
func unpacked(t *testing.T, schema int) (db string, kept Kept) {
	t.Helper()
	read := func(suffix string) []byte {
		names, err := filepath.Glob(filepath.Join("testdata", fmt.Sprintf("%02d-*%s.gz", schema, suffix)))
		if err != nil || len(names) != 1 {
			t.Fatalf("of schema %d there are %v: make it by go run ./e2e/older %d", schema, names, schema)
		}
		data, err := os.ReadFile(names[0])
		if err != nil {
			t.Fatal(err)
		}
		z, err := gzip.NewReader(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		data, err = io.ReadAll(z)
		if err != nil {
			t.Fatal(err)
		}
		return data
	}
	if err := json.Unmarshal(read(".json"), &kept); err != nil {
		t.Fatal(err)
	}
	db = filepath.Join(t.TempDir(), "older.db")
	if err := os.WriteFile(db, read(".db"), 0o600); err != nil {
		t.Fatal(err)
	}
	return db, kept
}

// sameDesign compares with what the program of its time exported, object by object.
func sameDesign(t *testing.T, d *rooms.Desk, _ *store.Store, kept Kept) {
	was, problems, err := modelfile.Read(bytes.NewReader(kept.Export))
	if err != nil || was == nil {
		t.Fatalf("its own export is no longer read: %v, %v", problems, err)
	}
	for _, u := range was.Users {
		u.LastUse = nil // kept beside the design since, see uses
	}
	for _, op := range change.Difference(was, d.Design()) {
		t.Errorf("%s %s was %+v and is %+v", op.Kind, op.ID, op.Before, op.After)
	}
	if n := len(d.Design().Users); n != 9 {
		t.Errorf("there are %d people", n)
	}
}

func record(t *testing.T, _ *rooms.Desk, s *store.Store, _ Kept) {
	if proof, err := s.Verify(""); err != nil || proof.Revisions < 3 {
		t.Errorf("it is not sound: %+v, %v", proof, err)
	}
}

// uses are the last ones that the organisation was given with.
func uses(t *testing.T, d *rooms.Desk, _ *store.Store, _ Kept) {
	for user, at := range map[string]string{"noor": "2026-11-02T07:30:00Z", "tomas": "2026-05-11T22:05:00Z",
		"ulla": "2026-10-30T12:00:00Z"} {
		got, ok := d.Uses.Last(user, "quaybook")
		if !ok || got.UTC().Format(time.RFC3339) != at {
			t.Errorf("%s used Quaybook last at %v, and not at %s", user, got, at)
		}
	}
}

// comesIn has people and programs come in by what they have: a password, a link, a token.
func comesIn(t *testing.T, d *rooms.Desk, _ *store.Store, kept Kept) {
	for _, user := range []string{"signe", "ola"} {
		if who, err := d.SignIn(t.Context(), user, password, "192.0.2.1"); err != nil || who.User != user {
			t.Errorf("%s does not come in by the password: %v", user, err)
		}
	}
	for purpose, token := range kept.Tokens {
		if of, err := d.Program(token, purpose); err != nil || of.Name != "for-"+purpose {
			t.Errorf("the token for %s lets in nobody: %v", purpose, err)
		}
	}
	if _, err := d.Welcome(kept.Link); err != nil {
		t.Errorf("the link of who is invited is lost: %v", err)
	}
	if who, err := d.SetPassword(t.Context(), kept.Link, "nine terns over the quay", "192.0.2.1"); err != nil ||
		who.User != "nia" {
		t.Errorf("nobody comes in by the link: %v", err)
	}
}

var signe = desk.Actor{User: "signe", Proven: time.Date(2026, 12, 3, 9, 0, 0, 0, time.UTC)}

// openDraft finds the act that was drafted, and applies it.
func openDraft(t *testing.T, d *rooms.Desk, _ *store.Store, _ Kept) {
	draft, err := d.Draft(signe)
	if err != nil || len(draft.Edits) != 1 {
		t.Fatalf("the draft is %+v, %v", draft, err)
	}
	if _, err := d.Apply(signe, "as was drafted", draft.Stamp); err != nil {
		t.Fatal(err)
	}
	per, _ := d.Design().Users.Find("per")
	if per.JobTitle != "Berth inspector" {
		t.Errorf("per is %q", per.JobTitle)
	}
}

// halfDecided finds the review with its one decision, has the other half decided, closes it, and looks at what came of
// it.
func halfDecided(t *testing.T, d *rooms.Desk, _ *store.Store, _ Kept) {
	list, err := d.Reviews(signe, "")
	if err != nil || len(list) != 1 || list[0].Closed != nil {
		t.Fatalf("the reviews are %+v, %v", list, err)
	}
	items, err := d.Items(signe, list[0].ID, review.ItemsAsk{Limit: 10})
	if err != nil || items.Total != 2 {
		t.Fatalf("the items are %+v, %v", items, err)
	}
	i := slices.IndexFunc(items.Rows, func(i review.ReviewItem) bool { return i.Decision == "revoke" })
	if i < 0 || items.Rows[i].Reason != "no longer needed" || items.Rows[1-i].Decision != "" {
		t.Fatalf("the decisions are %+v", items.Rows)
	}
	if _, err := d.Decide(signe, items.Rows[1-i].ID, "keep", "needed"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.CloseReview(signe, list[0].ID, "nobody else is here"); err != nil {
		t.Fatal(err)
	}
	left := 0
	for _, id := range []string{"a2", "a4"} {
		if d.Design().Get(model.KindAssignment, id) != nil {
			left++
		}
	}
	if left != 1 {
		t.Errorf("of two assignments, of which one was revoked, %d are left", left)
	}
	if today, err := d.Today(signe); err != nil || today == nil {
		t.Errorf("Today: %v", err)
	}
}

// since finds what later programs keep, where the program could do it.
func since(t *testing.T, d *rooms.Desk, s *store.Store, kept Kept) {
	could := func(what string) bool { return !slices.Contains(kept.Refused, what) }
	requests, err := d.Requests(desk.Actor{User: "ola"})
	if err != nil || could("a request") != (len(requests.Mine) == 1) {
		t.Errorf("the requests are %+v, %v", requests, err)
	}
	lists, err := d.Worklists(signe)
	if err != nil || could("a worklist") != (len(lists.Lists) == 1) {
		t.Errorf("the worklists are %+v, %v", lists, err)
	}
	series, err := d.AllSeries(signe)
	if err != nil || could("a series") != (len(series) == 1) {
		t.Errorf("the series are %+v, %v", series, err)
	}
	absence, err := d.Absent(signe)
	if err != nil || could("an absence") != (absence != nil && absence.Instead.ID == "ruben") {
		t.Errorf("the absence is %+v, %v", absence, err)
	}
	letters, err := d.Letters(signe)
	if err != nil || could("letters") == letters.Reminders {
		t.Errorf("the letters are %+v, %v", letters, err)
	}
}

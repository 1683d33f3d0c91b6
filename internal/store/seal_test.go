package store_test

import (
	"database/sql"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"fachwerk/internal/store"
)

// What lets people in, what is set and what was decided is sealed as it is written; what is written beside the program
// is found, also where the triggers are dropped first.
func TestWhatIsSealed(t *testing.T) {
	now := time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)
	for name, c := range map[string]struct {
		sql   string
		finds []string
	}{
		"nothing":          {"SELECT 1", nil},
		"a use":            {"UPDATE tokens SET used = '2026-01-01'; UPDATE factors SET step = 7, used = '2026-01-01'", nil},
		"a password":       {"UPDATE credentials SET hash = 'mine' WHERE user = 'ann'", []string{`the password of "ann"`}},
		"a new password":   {"INSERT INTO credentials (user, hash) VALUES ('cy', 'mine')", []string{`the password of "cy"`}},
		"a factor":         {"DELETE FROM factors WHERE id = 'f'", []string{`the second factors of "ann"`}},
		"a tie":            {"UPDATE identities SET user = 'bea'", []string{`the ties to the identity provider of "ann"`, `the ties to the identity provider of "bea"`}},
		"whose a token is": {`UPDATE tokens SET user = 'bea'`, []string{`the token of "h"`}},
		"an ended token":   {`UPDATE tokens SET ended = NULL`, []string{`the token of "h"`}},
		"a setting":        {`UPDATE settings SET value = 'no' WHERE name = 'demo'`, []string{`the setting of "demo"`}},
		"a decision": {`DROP TRIGGER decisions_no_UPDATE; UPDATE decisions SET decision = 'keep'`,
			[]string{`the decisions on the review item of "1"`}},
		"what stands of a decision": {`UPDATE review_items SET decision = 'keep' WHERE id = 1`,
			[]string{`the decisions on the review item of "1"`}},
		"a decision that nobody made": {`UPDATE review_items SET decision = 'keep' WHERE id = 2`,
			[]string{`the decisions on the review item of "2"`}},
	} {
		t.Run(name, func(t *testing.T) {
			file := filepath.Join(t.TempDir(), "x.db")
			s := open(t, file)
			decided := store.ReviewItem{
				ID: 1, User: "ann", Role: "r", Reviewer: "bea", Decision: "revoke", By: "bea", Decided: &now,
			}
			_, err := s.AddReview(store.Review{Name: "R", Opened: now, Due: now}, []store.ReviewItem{
				{User: "ann", Role: "r", Reviewer: "bea"}, {User: "cy", Role: "r", Reviewer: "bea"},
			}, nil, nil)
			if err := errors.Join(err,
				s.SaveCredential(store.Credential{User: "ann", Hash: "x"}),
				s.SetPassword(store.Credential{User: "bea", Hash: "y"}, now, ""),
				s.SaveFactors("ann", "", store.Factor{ID: "f", User: "ann", Kind: "passkey", Made: now},
					store.Factor{ID: "r", User: "ann", Kind: "recovery", Data: []byte("code"), Made: now}),
				s.UseRecovery("ann", "code"),
				s.SaveIdentity(store.Identity{Issuer: "i", Subject: "s", User: "ann", Since: now}),
				s.SaveToken(store.Token{Hash: "h", Name: "T", Purpose: "api", User: "ann", Made: now}),
				s.AlterToken(store.Token{Hash: "h", By: "bea", Ended: &now}),
				s.SetSetting("demo", "yes"),
				s.DecideAll([]store.ReviewItem{decided}, []store.Decision{{Item: 1, Decision: "revoke", By: "bea", At: now}}),
			); err != nil {
				t.Fatal(err)
			}
			if _, err := s.Verify(""); err != nil {
				t.Fatalf("before anything is altered: %v", err)
			}
			db, err := sql.Open("sqlite", file)
			if err == nil {
				_, err = db.Exec(c.sql)
				err = errors.Join(err, db.Close())
			}
			if err != nil {
				t.Fatal(err)
			}
			var found []string
			_, err = s.Verify("")
			if unsealed := (*store.ErrUnsealed)(nil); errors.As(err, &unsealed) {
				for _, u := range unsealed.Things {
					found = append(found, u.String())
				}
			} else if err != nil {
				t.Fatal(err)
			}
			if !slices.Equal(found, c.finds) {
				t.Errorf("found %q, want %q", found, c.finds)
			}
			if _, err := s.Reseal(name == "a decision"); err != nil {
				t.Fatal(err)
			}
			if _, err := s.Verify(""); err != nil {
				t.Errorf("decided upon, it is altered still: %v", err)
			}
			if _, err := s.Credential("cy"); !errors.Is(err, store.ErrNotFound) {
				t.Errorf("a password that was put in lets somebody in still: %v", err)
			}
		})
	}
	// The chain of seals itself.
	file := filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	for n := range 3 {
		if err := s.SetSetting("n", fmt.Sprint(n)); err != nil {
			t.Fatal(err)
		}
	}
	db, err := sql.Open("sqlite", file)
	if err == nil {
		_, err = db.Exec("DELETE FROM seals WHERE id = 2")
		err = errors.Join(err, db.Close())
	}
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Verify(""); !errors.Is(err, store.ErrBroken) {
		t.Errorf("a seal that is missing: %v", err)
	}
}

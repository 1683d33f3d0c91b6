package store_test

import (
	"bytes"
	"database/sql"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/store"
)

// alter runs statements on a database file, past the store.
func alter(t *testing.T, file string, statements ...string) {
	t.Helper()
	db, err := sql.Open("sqlite", file)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for _, s := range statements {
		if _, err := db.Exec(s); err != nil {
			t.Fatalf("%s: %v", s, err)
		}
	}
}

// What is not a database of this program's, or of a later one's, is refused and stays as it is, to the byte.
func TestForeignFilesAreLeftAlone(t *testing.T) {
	for name, c := range map[string]struct {
		make func(file string)
		want string
	}{
		"text": {func(file string) {
			_ = os.WriteFile(file, []byte("Dear diary, today I wrote a letter."), 0o600)
		}, "not a database"},
		"foreign": {func(file string) { alter(t, file, "CREATE TABLE birds (name text)") }, "another program"},
		"marked": {func(file string) {
			alter(t, file, "PRAGMA application_id = 7", "CREATE TABLE objects (name text)")
		}, "another program"},
		"newer": {func(file string) {
			_ = open(t, file).Close()
			alter(t, file, "PRAGMA user_version = 99", "PRAGMA wal_checkpoint(TRUNCATE)")
		}, "newer Fachwerk (schema 99"},
		"folder": {func(file string) { _ = os.Mkdir(file, 0o700) }, "folder"},
	} {
		t.Run(name, func(t *testing.T) {
			file := filepath.Join(t.TempDir(), "x.db")
			c.make(file)
			before, _ := os.ReadFile(file)
			s, err := store.Open(file, false)
			if err == nil {
				_ = s.Close()
			}
			if err == nil || !strings.Contains(err.Error(), c.want) {
				t.Errorf("it is opened with %v, want %q", err, c.want)
			}
			if after, _ := os.ReadFile(file); !bytes.Equal(before, after) {
				t.Error("it was written to")
			}
		})
	}
}

// A database that the first programs made, who marked none and kept a draft as one text, opens with all that it
// holds, and a copy of it lies beside it.
func TestOlderDatabasesOpen(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "Clerk")})
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	alter(
		t,
		file,
		"DROP TABLE draft_edits",
		"CREATE TABLE drafts (user text PRIMARY KEY, edits blob, updated datetime)",
		`INSERT INTO drafts VALUES ('ann', '[{"id":"x"},{"id":"y"}]', '2026-01-01'), ('bea', NULL, '2026-01-01')`,
		"PRAGMA application_id = 0",
		"PRAGMA user_version = 0",
	)
	s = open(t, file)
	if d := current(t, s); len(d.Users) != 1 {
		t.Errorf("there are %d people", len(d.Users))
	}
	edits, err := s.Draft("ann")
	if err != nil || len(edits) != 2 || string(edits[1].Value) != `{"id":"y"}` {
		t.Errorf("the draft is %d acts, %v", len(edits), err)
	}
	if hash, err := s.DraftHash("ann"); err != nil || hash != store.HashOf(edits) {
		t.Errorf("its hash is %q, %v", hash, err)
	}
	copied := file + ".schema-1"
	if info, err := os.Stat(copied); err != nil || info.Mode().Perm() != 0o600 {
		t.Fatalf("the copy: %v, %v", info, err)
	}
	db, err := sql.Open("sqlite", copied)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var n int
	if err := db.QueryRow("SELECT count(*) FROM drafts").Scan(&n); err != nil || n != 2 {
		t.Errorf("the copy has %d drafts, %v", n, err)
	}
	if again := open(t, file); again == nil {
		t.Error("it does not open again")
	}
}

// Last uses that an earlier program kept in the design are kept beside it, and the record still proves itself.
func TestUsesOfAnEarlierProgram(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "Clerk")})
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	alter(t, file, "DROP TABLE uses", "PRAGMA user_version = 10",
		`UPDATE objects SET value = replace(value, '"displayName"',
			'"lastUse":{"s":"2026-05-01T08:00:00Z","t":"2026-06-01T08:00:00Z"},"displayName"') WHERE id = 'ann'`)
	s = open(t, file)
	used := map[string]string{}
	if err := s.Uses(0, func(u use.Use) { used[u.User+" "+u.What] = u.At.Format(time.RFC3339) }); err != nil {
		t.Fatal(err)
	}
	if want := map[string]string{"ann s": "2026-05-01T08:00:00Z", "ann t": "2026-06-01T08:00:00Z"}; !maps.Equal(used,
		want) {
		t.Errorf("uses are %v, want %v", used, want)
	}
	if ann, _ := current(t, s).Users.Find("ann"); ann == nil || ann.LastUse != nil || ann.JobTitle != "Clerk" {
		t.Errorf("the design has %+v", ann)
	}
	if _, err := s.Verify(""); err != nil {
		t.Error(err)
	}
}

// A later use stays, whoever kept it and when; what was kept since an instant is found.
func TestUsesNeverGoBackward(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	save := func(at, now time.Time, what ...string) {
		t.Helper()
		var list []use.Use
		for _, w := range what {
			list = append(list, use.Use{User: "ann", What: w, At: at})
		}
		if err := s.SaveUses(list, now); err != nil {
			t.Fatal(err)
		}
	}
	save(start, start, "s", "s:a:b")
	save(start.Add(-time.Hour), start.Add(time.Minute), "s")
	save(start.Add(time.Hour), start.Add(2*time.Minute), "s:a:b")
	for since, want := range map[time.Duration]string{0: "s +0s, s:a:b +1h0m0s", 90 * time.Second: "s:a:b +1h0m0s"} {
		var got []string
		if err := s.Uses(start.Add(since).Unix(), func(u use.Use) {
			got = append(got, fmt.Sprintf("%s +%s", u.What, u.At.Sub(start)))
		}); err != nil {
			t.Fatal(err)
		}
		if slices.Sort(got); strings.Join(got, ", ") != want {
			t.Errorf("kept since %s: %q, want %s", since, got, want)
		}
	}
}

func TestWhereADatabaseMayLie(t *testing.T) {
	for _, name := range []string{"a?b.db", "a#b.db", "100%.db", "%41.db", "with a blank.db", "x.db?mode=ro"} {
		file := filepath.Join(t.TempDir(), name)
		s := open(t, file)
		apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "Clerk")})
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
		info, err := os.Stat(file)
		if err != nil || info.Mode().Perm() != 0o600 || info.Size() == 0 {
			t.Errorf("%q: %v, %v", name, info, err)
		}
		if s := open(t, file); len(current(t, s).Users) != 1 {
			t.Errorf("%q lost what was in it", name)
		}
	}
}

// Who may read a file that is there already, is for whoever made it to say.
func TestOldFilesKeepTheirMode(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	if err := os.WriteFile(file, nil, 0o640); err != nil {
		t.Fatal(err)
	}
	if err := open(t, file).Close(); err != nil {
		t.Fatal(err)
	}
	if info, _ := os.Stat(file); info.Mode().Perm() != 0o640 {
		t.Errorf("its mode is %v now", info.Mode())
	}
}

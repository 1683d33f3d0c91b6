package store_test

import (
	"database/sql"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	_ "modernc.org/sqlite"

	"fachwerk/internal/store"
)

const otherFile = "FACHWERK_OTHER_FILE"

// TestAnotherProgram is no test of its own: it is the other program of the test below, which opens the file, reads of
// it, and closes it, as any tool for SQLite does.
func TestAnotherProgram(t *testing.T) {
	file := os.Getenv(otherFile)
	if file == "" {
		return
	}
	db, err := sql.Open("sqlite", file)
	if err != nil {
		t.Fatal(err)
	}
	var n int
	if err := db.QueryRow("SELECT count(*) FROM revisions").Scan(&n); err != nil {
		t.Fatal(err)
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
}

// Another program that opens and closes the file stops nothing, also after the server was asked whether it is ready: the
// locks on the file are still held, so that its log stays.
func TestAnotherProgramOpensTheFile(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s, err := store.Open(file, false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	write := func(what string) {
		t.Helper()
		if err := s.Log(store.Event{At: time.Now(), What: what}); err != nil {
			t.Fatal(err)
		}
	}
	write("before")
	if err := s.Ready(); err != nil {
		t.Fatal(err)
	}
	for round := range 3 {
		if round == 1 { // as a second desk in the same process does
			again, err := store.Open(file, true)
			if err != nil {
				t.Fatal(err)
			}
			if err := again.Close(); err != nil {
				t.Fatal(err)
			}
		}
		other := exec.Command(os.Args[0], "-test.run", "^TestAnotherProgram$")
		other.Env = append(os.Environ(), otherFile+"="+file)
		if out, err := other.CombinedOutput(); err != nil {
			t.Fatalf("%v: %s", err, out)
		}
		if _, err := os.Stat(file + "-wal"); err != nil {
			t.Errorf("the log is gone: %v", err)
		}
		write("after")
		if err := s.Ready(); err != nil {
			t.Error(err)
		}
	}
}

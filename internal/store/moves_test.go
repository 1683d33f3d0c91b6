package store_test

import (
	"compress/gzip"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// moves are what must not be broken off halfway, on the files of a folder.
var moves = map[string]func(folder string) error{
	"backup": func(folder string) error {
		_, err := store.Backup(filepath.Join(folder, "x.db"), filepath.Join(folder, "copy.db"))
		return err
	},
	"restore": func(folder string) error {
		_, err := store.Restore(filepath.Join(folder, "x.db"), filepath.Join(folder, "good.db"))
		return err
	},
	"ready": func(folder string) error {
		s, err := store.Open(filepath.Join(folder, "x.db"), true)
		if err != nil {
			return err
		}
		if err := s.Ready(); err != nil {
			return fmt.Errorf("before the disk is full: %w", err)
		}
		if err := syscall.Setrlimit(syscall.RLIMIT_FSIZE, &syscall.Rlimit{Cur: 512, Max: 512}); err != nil {
			return err
		}
		s.ProbeAnew()
		return s.Ready()
	},
	"migrate": func(folder string) error {
		s, err := store.Open(filepath.Join(folder, "old.db"), true)
		if err == nil {
			err = s.Close()
		}
		return err
	},
}

// TestMain makes a move instead of the tests, where it is told to: in a process that is killed at a step of it.
func TestMain(m *testing.M) {
	name, folder, found := strings.Cut(os.Getenv("FACHWERK_MOVE"), " in ")
	if !found {
		os.Exit(m.Run())
	}
	end, _ := strconv.Atoi(os.Getenv("FACHWERK_MOVE_ENDS"))
	if most, _ := strconv.ParseUint(os.Getenv("FACHWERK_MOVE_MOST"), 10, 64); most > 0 {
		if err := syscall.Setrlimit(syscall.RLIMIT_FSIZE, &syscall.Rlimit{Cur: most, Max: most}); err != nil {
			fmt.Println("the disk is not made smaller:", err)
			os.Exit(2)
		}
	}
	n := 0
	store.AtEachStep(func(step string) {
		if n++; n == end {
			fmt.Println("ends at:", step)
			_ = syscall.Kill(os.Getpid(), syscall.SIGKILL)
		}
	})
	if err := moves[name](folder); err != nil {
		fmt.Println("refused:", err)
		os.Exit(1)
	}
	os.Exit(0)
}

// move makes a move in a process that is killed at its nth step, and tells at which; "" if it came to its end.
func move(t *testing.T, name, folder string, n int, more ...string) (step string, err error) {
	t.Helper()
	c := exec.Command(os.Args[0])
	c.Env = append(os.Environ(), "FACHWERK_MOVE="+name+" in "+folder, "FACHWERK_MOVE_ENDS="+strconv.Itoa(n))
	c.Env = append(c.Env, more...)
	out, err := c.CombinedOutput()
	if _, step, killed := strings.Cut(string(out), "ends at: "); killed {
		return strings.TrimSpace(step), nil
	}
	if err != nil {
		err = fmt.Errorf("%w: %s", err, out)
	}
	return "", err
}

// before makes what the moves begin with: x.db, of 3 people, of whom one stands in the log alone, as after a kill; a
// backup good.db, of one person; and old.db, which the first programs made.
func before(t *testing.T) (folder string) {
	t.Helper()
	folder = t.TempDir()
	in := func(name string) string { return filepath.Join(folder, name) }
	good := open(t, in("good.db"))
	apply(t, good, change.Op{Kind: model.KindUser, ID: "bea", After: person("bea", "Clerk")})
	live := open(t, in("live.db"))
	for _, id := range []string{"ann", "cy", "dan"} {
		apply(t, live, change.Op{Kind: model.KindUser, ID: id, After: person(id, "Clerk")})
		if id == "cy" {
			alter(t, in("live.db"), "PRAGMA wal_checkpoint(PASSIVE)")
		}
	}
	put(t, in("live.db"), in("x.db"))
	put(t, in("live.db-wal"), in("x.db-wal"))
	if err := errors.Join(good.Close(), live.Close()); err != nil {
		t.Fatal(err)
	}
	names, _ := filepath.Glob("../../e2e/older/testdata/01-*.db.gz")
	if len(names) != 1 {
		t.Fatalf("the oldest database is %v", names)
	}
	packed, err := os.Open(names[0])
	if err != nil {
		t.Fatal(err)
	}
	defer packed.Close()
	z, err := gzip.NewReader(packed)
	if err != nil {
		t.Fatal(err)
	}
	data, err := io.ReadAll(z)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(in("old.db"), data, 0o600); err != nil {
		t.Fatal(err)
	}
	return folder
}

func put(t *testing.T, from, to string) {
	t.Helper()
	data, err := os.ReadFile(from)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(to, data, 0o600); err != nil {
		t.Fatal(err)
	}
}

// peopleIn opens a database, which must be sound, and counts the people in it.
func peopleIn(t *testing.T, file string) int {
	t.Helper()
	s, err := store.Open(file, true)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if _, err := s.Verify(""); err != nil {
		t.Error(err)
	}
	return len(current(t, s).Users)
}

// Wherever a backup, a restore or a migration is killed: what lies under a good name is whole, nothing that was
// acknowledged is lost, and the same move, made again, comes to its end.
func TestMovesAreWholeOrNot(t *testing.T) {
	killed, begin := 0, before(t)
	for name, check := range map[string]func(t *testing.T, folder, step string){
		"backup": func(t *testing.T, folder, _ string) {
			copied := filepath.Join(folder, "copy.db")
			if info, err := os.Stat(copied); err == nil {
				if _, err := store.Prove(copied); err != nil || info.Mode().Perm() != 0o600 {
					t.Errorf("the backup is %v, %v", info.Mode(), err)
				}
				if err := os.Remove(copied); err != nil { // a backup does not take the place of one
					t.Fatal(err)
				}
			}
			if partial, err := os.Stat(copied + ".partial"); err == nil && partial.Mode().Perm() != 0o600 {
				t.Errorf("others can read what is on its way: %v", partial.Mode())
			}
			if n := peopleIn(t, filepath.Join(folder, "x.db")); n != 3 {
				t.Errorf("%d people are left", n)
			}
		},
		"restore": func(t *testing.T, folder, step string) {
			file := filepath.Join(folder, "x.db")
			if _, err := os.Stat(file); err != nil {
				t.Errorf("there is no file: %v", err)
			}
			switch n := peopleIn(t, file); {
			case n == 3:
			case n == 1:
				if before := peopleIn(t, file+".replaced"); before != 3 {
					t.Errorf("what was replaced keeps %d people", before)
				}
				for _, part := range []string{"", "-wal", "-shm"} { // done: a second restore would be of something else
					_ = os.Remove(file + ".replaced" + part)
				}
			default:
				t.Errorf("%d people are there: neither those before nor those of the backup", n)
			}
		},
		"migrate": func(t *testing.T, folder, step string) {
			file := filepath.Join(folder, "old.db")
			copied, err := os.Stat(file + ".schema-1")
			switch {
			case errors.Is(err, fs.ErrNotExist):
				var version int
				db, err := sql.Open("sqlite", file)
				if err == nil {
					err = errors.Join(db.QueryRow("PRAGMA user_version").Scan(&version), db.Close())
				}
				if err != nil || version != 0 {
					t.Errorf("it is of schema %d, without a copy: %v", version, err)
				}
			case err != nil || copied.Mode().Perm() != 0o600:
				t.Errorf("the copy is %v, %v", copied, err)
			default:
				if _, err := store.Prove(file + ".schema-1"); err != nil {
					t.Errorf("the copy: %v", err)
				}
			}
			if n := peopleIn(t, file); n != 9 {
				t.Errorf("%d people are left", n)
			}
			if kept, _ := filepath.Glob(file + ".schema-1*"); len(kept) != 1 {
				t.Errorf("beside it there are %v", kept)
			}
		},
	} {
		t.Run(name, func(t *testing.T) {
			for n := 1; ; n++ {
				folder := t.TempDir()
				if err := os.CopyFS(folder, os.DirFS(begin)); err != nil {
					t.Fatal(err)
				}
				step, err := move(t, name, folder, n)
				if err != nil {
					t.Fatal(err)
				}
				if step == "" {
					if n < 5 {
						t.Errorf("it has %d steps", n-1)
					}
					return
				}
				killed++
				t.Run(fmt.Sprintf("killed at %d, %s", n, step), func(t *testing.T) {
					check(t, folder, step)
					if _, err := move(t, name, folder, 0); err != nil {
						t.Errorf("again: %v", err)
					}
				})
			}
		})
	}
	t.Logf("%d steps were tried", killed)
	if killed < 35 {
		t.Errorf("%d steps were tried", killed)
	}
}

// Where the disk is full, a copy is not kept, nothing of it lies there, and no migration goes on without one.
func TestAFullDiskLeavesNoHalfCopy(t *testing.T) {
	for name, left := range map[string]string{"backup": "copy.db*", "restore": "x.db.*", "migrate": "old.db.*"} {
		folder := before(t)
		_, err := move(t, name, folder, 0, "FACHWERK_MOVE_MOST=65536")
		if err == nil || !strings.Contains(err.Error(), "full") && !strings.Contains(err.Error(), "I/O") {
			t.Errorf("%s on a full disk: %v", name, err)
		}
		lying, err := filepath.Glob(filepath.Join(folder, left))
		if err != nil {
			t.Fatal(err)
		}
		for _, name := range lying {
			if !strings.HasSuffix(name, ".lease") {
				t.Errorf("%s lies there", name)
			}
		}
		if n := peopleIn(t, filepath.Join(folder, "x.db")); n != 3 {
			t.Errorf("after %s, %d people are left", name, n)
		}
		if n := peopleIn(t, filepath.Join(folder, "old.db")); n != 9 {
			t.Errorf("after %s, %d people are left of the oldest", name, n)
		}
	}
}

// What is damaged is replaced too: its log, which cannot be folded in, is kept with it, and never taken for that of
// what comes.
func TestADamagedDatabaseIsReplaced(t *testing.T) {
	folder := before(t)
	file := filepath.Join(folder, "x.db")
	if err := os.WriteFile(file, []byte(strings.Repeat("no database ", 1000)), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := store.Restore(file, filepath.Join(folder, "good.db")); err != nil {
		t.Fatal(err)
	}
	if n := peopleIn(t, file); n != 1 {
		t.Errorf("%d people are there, and not those of the backup", n)
	}
	if log, err := os.Stat(file + ".replaced-wal"); err != nil || log.Size() == 0 {
		t.Errorf("the log of what was replaced is not kept: %v", err)
	}
}

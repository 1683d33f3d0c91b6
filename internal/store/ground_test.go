package store_test

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// locked tells whether this process holds a lock on a file. SQLite holds one on its database as long as it is open, so
// that another program that closes it leaves the log alone.
func locked(t *testing.T, file string) bool {
	t.Helper()
	info, err := os.Stat(file)
	if err != nil {
		t.Fatal(err)
	}
	locks, err := os.ReadFile("/proc/locks")
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(locks)) {
		f := strings.Fields(line)
		if len(f) > 5 && f[4] == fmt.Sprint(os.Getpid()) &&
			strings.HasSuffix(f[5], fmt.Sprintf(":%d", info.Sys().(*syscall.Stat_t).Ino)) {
			return true
		}
	}
	return false
}

// Nothing in the process opens the database but SQLite: whoever closes it drops the locks of the whole process, and the
// next program that opens and closes the file takes its log away, whereupon nothing can be recorded.
func TestTheLocksOnTheFileStay(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s, err := store.Open(file, false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	if err := s.Log(store.Event{At: time.Now(), What: "something"}); err != nil {
		t.Fatal(err)
	}
	if !locked(t, file) {
		t.Fatal("an open database is not locked, so this proves nothing")
	}
	for what, do := range map[string]func() error{
		"asked whether it is ready": s.Ready,
		"opened a second time": func() error {
			again, err := store.Open(file, true)
			if err != nil {
				return err
			}
			return again.Close()
		},
		"copied": func() error { return store.Copy(file, filepath.Join(t.TempDir(), "copy.db")) },
		"proven": func() error { return s.Whole() },
	} {
		if err := do(); err != nil {
			t.Error(err)
		}
		if !locked(t, file) {
			t.Errorf("%s, the database is no longer locked", what)
		}
	}
}

// A server says that it is not ready, and why, where nothing can be written, and where other bytes were copied into the
// file beneath it, though both leave the file itself in its place.
func TestReadyTriesItself(t *testing.T) {
	if _, err := move(t, "ready", before(t), 0); err == nil || !strings.Contains(err.Error(), "writes: ") ||
		strings.Contains(err.Error(), "before the disk is full") {
		t.Errorf("on a full disk: %v", err)
	}
	file := filepath.Join(t.TempDir(), "x.db")
	s := open(t, file)
	apply(t, s, change.Op{Kind: model.KindUser, ID: "ann", After: person("ann", "Clerk")})
	alter(t, file, "PRAGMA wal_checkpoint(TRUNCATE)")
	if err := s.Ready(); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, bytes.Repeat([]byte("other bytes "), 20_000), 0o600); err != nil {
		t.Fatal(err)
	}
	s.ProbeAnew()
	var unusable *store.Unusable
	if err := s.Ready(); !errors.As(err, &unusable) {
		t.Errorf("with other bytes in the file: %v", err)
	}
}

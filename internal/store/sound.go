package store

import (
	"errors"
	"fmt"
	"os"
	"syscall"

	"gorm.io/gorm"
	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// Copy writes a copy of the database in a file, as it is at one instant, to another that is not there yet. Servers and
// commands may use the database meanwhile.
func Copy(file, to string) error { return copyOf(file, to, file) }

// copyOf is [Copy] to a file that belongs to the owner of another.
func copyOf(file, to, owner string) error {
	fail := func(err error) error { return fmt.Errorf("the database %s: %w", file, err) }
	if _, err := recognise(file); err != nil {
		return fail(err)
	}
	db, err := dial(file, 1, readerCache)
	if err != nil {
		return fail(err)
	}
	s := &Store{db: db, w: db}
	if err := errors.Join(copyInto(db, to, owner), s.Close()); err != nil {
		return fail(Explained(err))
	}
	return nil
}

// copyInto writes a copy of a database that is open, as it is at one instant, to a file that is not there yet; it is on
// the disk when this returns. The file can be read by nobody else from its first byte on, and belongs to whoever
// another file does.
func copyInto(db *gorm.DB, to, owner string) error {
	f, err := os.OpenFile(to, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	defer f.Close()
	at("the copy is begun")
	if err := belong(f, owner); err != nil {
		return err
	}
	if err := db.Exec("VACUUM INTO ?", to).Error; err != nil {
		return err
	}
	at("the copy is written")
	// SQLite leaves it to the operating system when the copy reaches the disk.
	return f.Sync()
}

// belong gives a file to the owner of another, where that is somebody else.
func belong(f *os.File, as string) error {
	info, err := os.Stat(as)
	if err != nil {
		return err
	}
	of, ok := info.Sys().(*syscall.Stat_t)
	if !ok || int(of.Uid) == os.Geteuid() && int(of.Gid) == os.Getegid() {
		return nil
	}
	if err := f.Chown(int(of.Uid), int(of.Gid)); err != nil && os.Geteuid() == 0 {
		return err
	}
	return nil // who is not root keeps what they make
}

// Prove proves a database that nobody has open: its pages, and its chains as [Store.Verify] does. One of an older
// program is not brought up to date for it, so of one without chains only the pages are proven.
func Prove(file string) (p Proof, err error) {
	version, err := recognise(file)
	if err != nil {
		return p, err
	}
	db, err := dial(file, 1, readerCache, "query_only(1)")
	if err != nil {
		return p, err
	}
	s := &Store{db: db, w: db}
	defer func() { err = errors.Join(err, s.Close()) }()
	if err := s.Whole(); err != nil {
		return p, err
	}
	if version < len(steps) {
		return p, nil
	}
	return s.Verify("")
}

// Whole proves the pages of a database, and what SQLite knows of how they belong together.
func (s *Store) Whole() error {
	var said []string
	if err := s.db.Raw("PRAGMA quick_check(3)").Scan(&said).Error; err != nil {
		return Explained(err)
	}
	if len(said) == 1 && said[0] == "ok" {
		return nil
	}
	return fmt.Errorf("the file is damaged (%q): %s", said, remedy)
}

// remedy is what can be done about a file that is damaged.
const remedy = "put a backup in place by fachwerk restore; if there is none, fachwerk export may still read the design"

// Explained says of an error of SQLite what can be done, where the file is damaged.
func Explained(err error) error {
	var s *sqlite.Error
	if errors.As(err, &s) {
		switch s.Code() & 0xff {
		case sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB:
			return fmt.Errorf("the file is damaged (%w): %s", err, remedy)
		}
	}
	return err
}

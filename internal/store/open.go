package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/model"

	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
	sqlitedb "modernc.org/sqlite" // the SQLite that runs, in Go: the program builds without a C compiler
	sqlite3 "modernc.org/sqlite/lib"
)

// Store is an open database. It can be used by many goroutines at once: they read side by side, and write one after
// another.
type Store struct {
	db *gorm.DB // to read
	w  *gorm.DB // to write; within a transaction, both are that transaction

	ground  *ground  // nil within a transaction, which looks at it by itself
	comings *comings // nil within a transaction, which may yet come to nothing
}

// applicationID is how a file says that it is a database of Fachwerk: "FACH".
const applicationID = 0x46414348

// Page caches, in KiB, bounded in sum: one connection that writes, and some that read.
const (
	readers     = 6
	readerCache = 24 << 10
	writerCache = 96 << 10
)

// Open opens the database in a file, and makes it unless mustExist. A file that is something else, or was written
// by a newer program, is refused before anything is written to it; one of an older program is brought up to date,
// after a copy was put beside it.
func Open(file string, mustExist bool) (*Store, error) {
	fail := func(err error) (*Store, error) { return nil, fmt.Errorf("the database %s: %w", file, Explained(err)) }
	if err := settle(file); err != nil {
		return fail(err)
	}
	version, err := recognise(file)
	switch {
	case errors.Is(err, fs.ErrNotExist) && !mustExist:
		if f, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL, 0o600); err != nil {
			return fail(err)
		} else if err := f.Close(); err != nil {
			return fail(err)
		}
	case err != nil:
		return fail(err)
	}
	// FULL: what was acknowledged outlives a loss of power, not only a kill.
	w, err := dial(file, 1, writerCache, "journal_mode(WAL)", "synchronous(FULL)", "foreign_keys(1)")
	if err != nil {
		return fail(err)
	}
	s := &Store{
		db: w, w: w,
		ground:  &ground{file: file, seen: map[string]fs.FileInfo{}},
		comings: &comings{of: map[model.Kind]*known{}, revisions: map[int]Revision{}},
	}
	if err := s.ground.guard(w); err != nil {
		_, err = fail(err)
		return nil, errors.Join(err, s.Close())
	}
	if err := s.migrate(file, version); err != nil {
		_, err = fail(err)
		return nil, errors.Join(err, s.Close())
	}
	if s.db, err = dial(file, readers, readerCache, "query_only(1)"); err != nil {
		s.db = w
		_, err = fail(err)
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// dial opens connections to a file, at most so many at once, each with a page cache of so many KiB.
func dial(file string, connections, cache int, pragmas ...string) (*gorm.DB, error) {
	path, err := filepath.Abs(file)
	if err != nil {
		return nil, err
	}
	q := url.Values{
		"_txlock":      {"immediate"},
		"_time_format": {"sqlite"},
		"_pragma":      append(pragmas, "busy_timeout(10000)", fmt.Sprintf("cache_size(-%d)", cache)),
	}
	if slices.Contains(pragmas, "query_only(1)") {
		q.Set("_txlock", "deferred")
	}
	dsn := "file:" + (&url.URL{Path: path}).EscapedPath() + "?" + q.Encode()
	db, err := gorm.Open(sqlite.New(sqlite.Config{DriverName: "sqlite", DSN: dsn}), &gorm.Config{
		Logger:                 logger.Default.LogMode(logger.Silent),
		SkipDefaultTransaction: true,
		NowFunc:                func() time.Time { return time.Now().UTC() },
	})
	if err != nil {
		return nil, err
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	return db, nil
}

// recognise gives the version of the schema in a file, 0 if nothing is in it yet. It writes nothing, and opens the file
// by SQLite alone (see [Store.Ready]).
func recognise(file string) (version int, err error) {
	info, err := os.Stat(file)
	switch {
	case err != nil:
		return 0, err
	case info.IsDir():
		return 0, errors.New("it is a folder: name a file in it")
	case info.Size() == 0:
		return 0, nil
	}
	db, err := dial(file, 1, 1<<10, "query_only(1)")
	if err != nil {
		return 0, err
	}
	defer (&Store{db: db, w: db}).Close()
	var id int
	var tables []string
	if err := errors.Join(db.Raw("PRAGMA application_id").Scan(&id).Error,
		db.Raw("PRAGMA user_version").Scan(&version).Error,
		db.Raw("SELECT name FROM sqlite_master WHERE type = 'table'").Scan(&tables).Error); err != nil {
		if of := (*sqlitedb.Error)(nil); errors.As(err, &of) && of.Code()&0xff == sqlite3.SQLITE_NOTADB {
			return 0, errors.New("the file is not a database: it was left as it is")
		}
		return 0, err
	}
	all := " " + strings.Join(tables, " ") + " "
	switch {
	case id == applicationID && version > len(steps):
		return 0, fmt.Errorf(
			"it was written by a newer Fachwerk (schema %d; this one knows up to %d): use that one. The file was left as it is",
			version,
			len(steps),
		)
	case id == applicationID:
		return version, nil
	case id == 0 && version == 0 && len(tables) == 0:
		return 0, nil
	case id == 0 && version == 0 && strings.Contains(all, " objects ") && strings.Contains(all, " revisions ") &&
		strings.Contains(all, " operations "):
		return 1, nil // the first programs marked nothing
	}
	return 0, errors.New("it is the database of another program: name another file. This one was left as it is")
}

// Close ends the use of the database.
func (s *Store) Close() (err error) {
	for _, db := range []*gorm.DB{s.db, s.w} {
		pool, e := db.DB()
		if e == nil {
			e = pool.Close()
		}
		err = errors.Join(err, e)
	}
	return err
}

// Within is the store for one request: what is read of it ends with the request. What is written does not, so that
// nobody is left to guess whether it was. Without a request, it is the store itself.
func (s *Store) Within(ctx context.Context) *Store {
	if ctx == nil {
		return s
	}
	return &Store{s.db.WithContext(ctx), s.w, s.ground, s.comings}
}

// within is the store as a transaction sees it.
func within(tx *gorm.DB) *Store { return &Store{db: tx, w: tx} }

// read runs do on the database as it is at one moment.
func (s *Store) read(do func(tx *gorm.DB) error) error { return s.db.Transaction(do) }

// Together runs do in one transaction: all that it writes is kept, or nothing.
func (s *Store) Together(do func(s *Store) error) error {
	return s.write(func(tx *gorm.DB) error { return do(within(tx)) })
}

// write runs do in one transaction: all that it writes is kept, or nothing.
func (s *Store) write(do func(tx *gorm.DB) error) error {
	err := s.w.Transaction(do)
	if err == nil && s.ground != nil {
		err = s.ground.holds() // while it was written, too, it was this file
	}
	return err
}

package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"sync"
	"time"

	"golang.org/x/sys/unix"
	"gorm.io/gorm"
	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// Unusable is why nothing can be recorded any longer: for who asked for a change, and for whom the server is watched
// by.
type Unusable struct{ Reason string }

func (u *Unusable) Error() string { return u.Reason }

// ground is the files that a store stands on. SQLite goes on with a file that was removed or replaced beneath it, and
// what it writes is gone when the program ends; so nothing is written before the files were looked at.
type ground struct {
	file string
	sync.Mutex
	seen map[string]fs.FileInfo // as they were first seen, by name

	probing sync.Mutex
	probed  time.Time // when the probe was last written and read back
}

// holds tells whether the files are still those that were opened.
func (g *ground) holds() error {
	g.Lock()
	defer g.Unlock()
	for _, name := range []string{g.file, g.file + "-wal"} { // the log comes with the first write, and then stays
		now, err := os.Stat(name)
		was := g.seen[name]
		switch {
		case errors.Is(err, fs.ErrNotExist) && was == nil:
		case errors.Is(err, fs.ErrNotExist):
			return &Unusable{fmt.Sprintf("The file %s was removed while Fachwerk runs, so nothing can be recorded any longer: "+
				"stop it, and put a backup in place by fachwerk restore.", name)}
		case err != nil:
			return &Unusable{fmt.Sprintf("The file %s cannot be reached, so nothing can be recorded: %s.", name, err)}
		case was == nil:
			g.seen[name] = now
		case !os.SameFile(was, now):
			return &Unusable{fmt.Sprintf("The file %s was replaced while Fachwerk runs, so nothing can be recorded any longer: "+
				"stop it, move the file away, and put it in place by fachwerk restore: beside it lies the log of the one before.", name)}
		}
	}
	return nil
}

// guard has every write of a database look at its ground first.
func (g *ground) guard(db *gorm.DB) error {
	look := func(tx *gorm.DB) {
		if err := g.holds(); err != nil {
			_ = tx.AddError(err)
		}
	}
	const name = "fachwerk:ground"
	return errors.Join(
		db.Callback().Create().Before("gorm:create").Register(name, look),
		db.Callback().Update().Before("gorm:update").Register(name, look),
		db.Callback().Delete().Before("gorm:delete").Register(name, look),
		db.Callback().Raw().Before("gorm:raw").Register(name, look),
	)
}

// probe is a row of the store's own, by which it finds out whether rows can be written and read.
type probe struct {
	ID int `gorm:"primaryKey;autoIncrement:false"`
	At time.Time
}

// How often, at most, the row is written, and for how long whoever writes otherwise is waited for.
const (
	probeEvery = 5 * time.Second
	probeWaits = 2 * time.Second
)

// Ready tells whether what is asked for can be read and recorded: a row of its own is written and read back, unless
// that was done in the last five seconds. If not, the error is an [Unusable], which begins with what does not work.
func (s *Store) Ready() error {
	if err := s.ground.holds(); err != nil {
		return err
	}
	// The file is never opened here but by SQLite: to close it would drop the locks that the whole process holds on it
	// (POSIX, fcntl), and then another program that opens and closes it would take its log away.
	if err := unix.Access(s.ground.file, unix.W_OK); err != nil {
		return &Unusable{fmt.Sprintf("writes: the file %s cannot be written: %s.", s.ground.file, err)}
	}
	s.ground.probing.Lock()
	defer s.ground.probing.Unlock()
	if time.Since(s.ground.probed) < probeEvery {
		return nil
	}
	now := time.Now().UTC()
	if err := s.probeWrite(now); err != nil {
		why := "The database cannot be written: " + err.Error() + "."
		if known, ok := WhyUnusable(err); ok {
			why = known
		}
		return &Unusable{"writes: " + why}
	}
	if err := s.probeRead(); err != nil {
		return &Unusable{fmt.Sprintf("reads: the database cannot be read: %s.", Explained(err))}
	}
	s.ground.probed = now
	return nil
}

// probeWrite writes the row. That somebody else writes for long is no fault.
func (s *Store) probeWrite(now time.Time) error {
	ctx, cancel := context.WithTimeout(context.Background(), probeWaits)
	defer cancel()
	err := s.w.WithContext(ctx).Save(&probe{1, now}).Error
	if err != nil && ctx.Err() != nil {
		return nil
	}
	return err
}

// probeRead reads the row by a connection of its own: others have pages in their memory that may be no longer in the
// file.
func (s *Store) probeRead() error {
	db, err := dial(s.ground.file, 1, 1<<10, "query_only(1)")
	if err != nil {
		return err
	}
	var list []probe
	return errors.Join(db.Find(&list).Error, (&Store{db: db, w: db}).Close())
}

// WhyUnusable tells whether an error means that nothing can be recorded at all, and why.
func WhyUnusable(err error) (reason string, is bool) {
	var u *Unusable
	var s *sqlite.Error
	switch {
	case errors.As(err, &u):
		return u.Reason, true
	case !errors.As(err, &s):
		return "", false
	}
	switch s.Code() & 0xff { // the rest says more exactly which
	case sqlite3.SQLITE_FULL:
		return "The disk that holds the database is full, so nothing was recorded. Make room, then do it again.", true
	case sqlite3.SQLITE_READONLY, sqlite3.SQLITE_PERM:
		return "The database cannot be written, so nothing was recorded: its file or folder is read-only.", true
	case sqlite3.SQLITE_BUSY:
		return "Another program has held the database's file for more than ten seconds, so nothing was recorded. " +
			"End it, then do it again.", true
	case sqlite3.SQLITE_IOERR:
		return "The disk that holds the database fails, so nothing was recorded. The log of the server says more.", true
	}
	return "", false
}

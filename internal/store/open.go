package store

import (
	"context"
	"encoding/json"
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
	"fachwerk/internal/core/use"

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

// steps bring a database from one version of the schema to the next; the first makes it out of nothing, or
// completes what the first programs made.
var steps = []func(tx *gorm.DB) error{
	func(tx *gorm.DB) error {
		return tx.AutoMigrate(
			&object{},
			&Revision{},
			&operation{},
			&Credential{},
			&Link{},
			&Token{},
			&session{},
			&setting{},
			&Review{},
			&ReviewItem{},
			&ReviewTask{},
			&Letter{},
			&Fed{},
		)
	},
	// Drafts are kept act by act.
	func(tx *gorm.DB) error {
		if err := tx.AutoMigrate(&DraftEdit{}); err != nil || !tx.Migrator().HasTable("drafts") {
			return err
		}
		var old []struct {
			User  string
			Edits []byte
		}
		if err := tx.Table("drafts").Select("user", "edits").Find(&old).Error; err != nil {
			return err
		}
		for _, d := range old {
			edits, err := splitDraft(d.User, d.Edits)
			if err != nil {
				return fmt.Errorf("the draft of %s: %w", d.User, err)
			}
			if len(edits) == 0 {
				continue
			}
			if err := tx.CreateInBatches(edits, 200).Error; err != nil {
				return err
			}
		}
		return tx.Migrator().DropTable("drafts")
	},
	// The record keeps of long lists what changed in them.
	func(tx *gorm.DB) error { return tx.AutoMigrate(&operation{}) },
	// The record is a chain, and so is the security log; decisions of reviews are added and never altered; sign-ins are
	// kept one by one, and links say what they are for.
	func(tx *gorm.DB) error {
		if err := tx.AutoMigrate(&Revision{}, &Event{}, &Review{}, &Decision{}, &SignedIn{}, &Factor{}, &Identity{}, &Link{},
			&Token{}); err != nil {
			return err
		}
		for _, table := range []string{"events", "decisions"} {
			if err := appendOnly(tx, table); err != nil {
				return err
			}
		}
		if err := tx.Exec(`INSERT INTO decisions (item, decision, reason, "by", at)
			SELECT id, decision, reason, "by", decided FROM review_items WHERE decision <> '' AND decided IS NOT NULL`).Error; err != nil {
			return err
		}
		if err := withoutLinks(tx); err != nil {
			return err
		}
		return rechain(tx)
	},
	// An owner lets a directory change the sign-in of those with rights; people choose which letters they get.
	func(tx *gorm.DB) error { return tx.AutoMigrate(&Token{}, &Declined{}) },
	// Items of reviews are counted and told in brief without a look at their evidence.
	func(tx *gorm.DB) error {
		return tx.Exec(`CREATE INDEX IF NOT EXISTS idx_review_items_brief
			ON review_items (review, reviewer, decision, decided, user, role, "set", "by")`).Error
	},
	// Worklists, and what came of them.
	func(tx *gorm.DB) error { return tx.AutoMigrate(&Worklist{}, &Run{}) },
	// Letters are sent. Those that were written before are not: nobody expects them any longer.
	func(tx *gorm.DB) error {
		if err := tx.AutoMigrate(&Letter{}); err != nil {
			return err
		}
		return tx.Model(&Letter{}).Where("1 = 1").Update("state", LetterKept).Error
	},
	// Invitations are kept one by one.
	func(tx *gorm.DB) error { return tx.AutoMigrate(&Invitation{}) },
	// People ask for things, and leave; what was given for a time ends by itself.
	func(tx *gorm.DB) error { return tx.AutoMigrate(&Request{}, &Coming{}, &Leaving{}, &Letter{}, &Told{}) },
	// Last uses are kept beside the design, no longer in it.
	func(tx *gorm.DB) error {
		if err := tx.AutoMigrate(&lastUse{}); err != nil {
			return err
		}
		return usesOf(tx)
	},
	// Reviews return by themselves.
	func(tx *gorm.DB) error { return tx.AutoMigrate(&Series{}, &Round{}) },
	// Items of reviews are ordered by doubt, found by person, and tell to whom they were handed; so do tasks.
	func(tx *gorm.DB) error {
		if err := tx.AutoMigrate(&ReviewItem{}, &Decision{}, &ReviewTask{}); err != nil {
			return err
		}
		if err := tx.Exec(`DROP INDEX IF EXISTS idx_review_items_brief`).Error; err != nil {
			return err
		}
		return tx.Exec(`CREATE INDEX idx_review_items_brief
			ON review_items (review, reviewer, decision, decided, user, role, "set", "by", doubt)`).Error
	},
	// Findings are set aside.
	func(tx *gorm.DB) error {
		if err := tx.AutoMigrate(&Aside{}); err != nil {
			return err
		}
		return appendOnly(tx, "asides")
	},
	// What was answered to a program that may ask the same again.
	func(tx *gorm.DB) error { return tx.AutoMigrate(&Answer{}) },
	// Reviews ask about more than access, some twice, and people are away; they have looked at revisions up to one.
	func(tx *gorm.DB) error {
		if err := tx.AutoMigrate(&Review{}, &ReviewItem{}, &Absence{}, &Looked{}); err != nil {
			return err
		}
		for _, sql := range []string{
			`UPDATE reviews SET ask = '', second_by = '', second_person = '', second_risk = 0 WHERE ask IS NULL`,
			`UPDATE review_items SET "of" = '', keeps = '', maker = '', second = '', stage = 0 WHERE "of" IS NULL`,
			`DROP INDEX IF EXISTS idx_review_items_brief`,
			`CREATE INDEX idx_review_items_brief
				ON review_items (review, reviewer, decision, decided, user, role, "set", "by", doubt, "of", keeps, handed_by, stage)`,
			`CREATE INDEX IF NOT EXISTS idx_review_items_role ON review_items (role, decided)`,
			`CREATE INDEX IF NOT EXISTS idx_review_items_set ON review_items ("set", decided)`,
		} {
			if err := tx.Exec(sql).Error; err != nil {
				return err
			}
		}
		return nil
	},
	// What was loose at the ends of weeks is kept, and so are versions of catalogues to be adopted later.
	func(tx *gorm.DB) error { return tx.AutoMigrate(&FindingCount{}, &KeptCatalogue{}) },
	// From where people signed in; and seals on what changes by no revision.
	func(tx *gorm.DB) error {
		if err := tx.AutoMigrate(&Place{}, &Seal{}); err != nil {
			return err
		}
		return sealEverything(tx)
	},
}

// usesOf takes the last uses out of the people of an earlier program. Their values stay as they were recorded.
func usesOf(tx *gorm.DB) error {
	var list []object
	if err := tx.Where("kind = ? AND value LIKE '%\"lastUse\"%'", string(model.KindUser)).Find(&list).Error; err != nil {
		return err
	}
	var uses []use.Use
	for _, o := range list {
		var told struct {
			LastUse map[string]time.Time `json:"lastUse"`
		}
		if err := json.Unmarshal(o.Value, &told); err != nil {
			return fmt.Errorf("the person %s: %w", o.ID, err)
		}
		for system, at := range told.LastUse {
			uses = append(uses, use.Use{User: o.ID, What: system, At: at})
		}
	}
	return within(tx).SaveUses(uses, time.Unix(1, 0))
}

// migrate brings the database up to date, in one transaction. Where something is in it already, a copy is put
// beside the file first.
func (s *Store) migrate(file string, version int) error {
	if version == len(steps) {
		return nil
	}
	if version > 0 {
		copied := fmt.Sprintf("%s.schema-%d", file, version)
		if _, err := os.Stat(copied); errors.Is(err, fs.ErrNotExist) {
			if err := s.w.Exec("VACUUM INTO ?", copied).Error; err != nil {
				return fmt.Errorf("no copy of it can be made, so it was left as it is: %w", err)
			}
			if err := os.Chmod(copied, 0o600); err != nil {
				return err
			}
		}
	}
	first := version
	if version == 1 { // what the first programs made may lack a column or a table that later ones of them had
		first = 0
	}
	return s.w.Transaction(func(tx *gorm.DB) error {
		for _, step := range steps[first:] {
			if err := step(tx); err != nil {
				return err
			}
		}
		if err := tx.Exec(fmt.Sprintf("PRAGMA application_id = %d", applicationID)).Error; err != nil {
			return err
		}
		return tx.Exec(fmt.Sprintf("PRAGMA user_version = %d", len(steps))).Error
	})
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

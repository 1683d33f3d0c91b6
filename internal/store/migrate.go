package store

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"reflect"
	"strings"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"

	"gorm.io/gorm"
)

// steps bring a database from one version of the schema to the next; the first makes it out of nothing, or
// completes what the first programs made.
var steps = []func(tx *gorm.DB) error{
	func(tx *gorm.DB) error {
		return tables(tx,
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
		if err := tables(tx, &DraftEdit{}); err != nil || !tx.Migrator().HasTable("drafts") {
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
	func(tx *gorm.DB) error { return tables(tx, &operation{}) },
	// The record is a chain, and so is the security log; decisions of reviews are added and never altered; sign-ins are
	// kept one by one, and links say what they are for.
	func(tx *gorm.DB) error {
		if err := tables(tx, &Revision{}, &Event{}, &Review{}, &Decision{}, &SignedIn{}, &Factor{}, &Identity{}, &Link{},
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
	func(tx *gorm.DB) error { return tables(tx, &Token{}, &Declined{}) },
	// Items of reviews are counted and told in brief without a look at their evidence.
	func(tx *gorm.DB) error {
		return tx.Exec(`CREATE INDEX IF NOT EXISTS idx_review_items_brief
			ON review_items (review, reviewer, decision, decided, user, role, "set", "by")`).Error
	},
	// Worklists, and what came of them.
	func(tx *gorm.DB) error { return tables(tx, &Worklist{}, &Run{}) },
	// Letters are sent. Those that were written before are not: nobody expects them any longer.
	func(tx *gorm.DB) error {
		if err := tables(tx, &Letter{}); err != nil {
			return err
		}
		return tx.Model(&Letter{}).Where("1 = 1").Update("state", LetterKept).Error
	},
	// Invitations are kept one by one.
	func(tx *gorm.DB) error { return tables(tx, &Invitation{}) },
	// People ask for things, and leave; what was given for a time ends by itself.
	func(tx *gorm.DB) error { return tables(tx, &Request{}, &Coming{}, &Leaving{}, &Letter{}, &Told{}) },
	// Last uses are kept beside the design, no longer in it.
	func(tx *gorm.DB) error {
		if err := tables(tx, &lastUse{}); err != nil {
			return err
		}
		return usesOf(tx)
	},
	// Reviews return by themselves.
	func(tx *gorm.DB) error { return tables(tx, &Series{}, &Round{}) },
	// Items of reviews are ordered by doubt, found by person, and tell to whom they were handed; so do tasks.
	func(tx *gorm.DB) error {
		if err := tables(tx, &ReviewItem{}, &Decision{}, &ReviewTask{}); err != nil {
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
		if err := tables(tx, &Aside{}); err != nil {
			return err
		}
		return appendOnly(tx, "asides")
	},
	// What was answered to a program that may ask the same again.
	func(tx *gorm.DB) error { return tables(tx, &Answer{}) },
	// Reviews ask about more than access, some twice, and people are away; they have looked at revisions up to one.
	func(tx *gorm.DB) error {
		if err := tables(tx, &Review{}, &ReviewItem{}, &Absence{}, &Looked{}); err != nil {
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
	func(tx *gorm.DB) error { return tables(tx, &FindingCount{}, &KeptCatalogue{}) },
	// From where people signed in; and seals on what changes by no revision.
	func(tx *gorm.DB) error {
		if err := tables(tx, &Place{}, &Seal{}); err != nil {
			return err
		}
		return sealEverything(tx)
	},
	// What earlier steps left undone where the first programs had made the rows: NULL in columns that came later, and
	// last uses that were not found. A program of the time before revisions were hashed cannot break the chain any
	// longer: it is refused.
	func(tx *gorm.DB) error {
		if err := tables(tx, allRows...); err != nil {
			return err
		}
		if err := usesOf(tx); err != nil {
			return err
		}
		return tx.Exec(`CREATE TRIGGER IF NOT EXISTS revisions_hashed BEFORE INSERT ON revisions WHEN NEW.hash IS NULL
			BEGIN SELECT raise(ABORT, 'this database is of a newer Fachwerk: use that one'); END`).Error
	},
}

// allRows are all kinds of rows.
var allRows = []any{
	&object{}, &Revision{}, &operation{}, &Credential{}, &Link{}, &Token{}, &session{}, &setting{}, &Review{},
	&ReviewItem{}, &ReviewTask{}, &Letter{}, &Fed{}, &DraftEdit{}, &Event{}, &Decision{}, &SignedIn{}, &Factor{},
	&Identity{}, &Declined{}, &Worklist{}, &Run{}, &Invitation{}, &Request{}, &Coming{}, &Leaving{}, &Told{}, &lastUse{},
	&Series{}, &Round{}, &Aside{}, &Answer{}, &Absence{}, &Looked{}, &FindingCount{}, &KeptCatalogue{}, &Place{}, &Seal{},
	&probe{},
}

// usesOf takes the last uses out of the people of an earlier program. Their values stay as they were recorded.
func usesOf(tx *gorm.DB) error {
	var list []object
	if err := tx.Where("kind = ? AND instr(CAST(value AS TEXT), ?) > 0", string(model.KindUser), `"lastUse"`).Find(&list).Error; err != nil {
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
// beside the file first, and nothing is done without one.
func (s *Store) migrate(file string, version int) error {
	if version == len(steps) {
		return nil
	}
	if version > 0 {
		if err := s.keepBefore(file, version); err != nil {
			return fmt.Errorf("no copy of it can be made, so it was left as it is: %w", err)
		}
	}
	first := version
	if version == 1 { // what the first programs made may lack a column or a table that later ones of them had
		first = 0
	}
	at("the copy is kept")
	return s.w.Transaction(func(tx *gorm.DB) error {
		for _, step := range steps[first:] {
			at("before a step of the schema")
			if err := step(tx); err != nil {
				return err
			}
		}
		at("before the schema's number")
		if err := tx.Exec(fmt.Sprintf("PRAGMA application_id = %d", applicationID)).Error; err != nil {
			return err
		}
		return tx.Exec(fmt.Sprintf("PRAGMA user_version = %d", len(steps))).Error
	})
}

// keepBefore keeps the database as it is beside its file, as FILE.schema-N; or under another number after that, if
// something else is kept there from an earlier time.
func (s *Store) keepBefore(file string, version int) error {
	made := file + ".copying"
	if err := Remove(made); err != nil {
		return err
	}
	if err := copyInto(s.w, made, file); err != nil {
		return errors.Join(err, Remove(made))
	}
	if _, err := Prove(made); err != nil {
		return errors.Join(err, Remove(made))
	}
	for n := 1; ; n++ {
		name := fmt.Sprintf("%s.schema-%d", file, version)
		if n > 1 {
			name = fmt.Sprintf("%s-%d", name, n)
		}
		same, err := sameContent(made, name)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			at("before the copy has its name")
			return rename(made, name)
		case err != nil:
			return err
		case same:
			return Remove(made)
		}
	}
}

// tables makes or completes the tables of some kinds of rows. A column that comes to rows that are there already holds
// in them what an absent value is in Go, since nothing here reads NULL but where a pointer is.
func tables(tx *gorm.DB, rows ...any) error {
	if err := tx.AutoMigrate(rows...); err != nil {
		return err
	}
	return filled(tx, rows...)
}

// filled has no row of some kinds hold NULL where Go knows none.
func filled(tx *gorm.DB, rows ...any) error {
	for _, row := range rows {
		of := gorm.Statement{DB: tx}
		if err := of.Parse(row); err != nil {
			return err
		}
		table := of.Schema.Table
		var sets, lacks []string
		for _, f := range of.Schema.Fields {
			zero, ok := zeros[f.FieldType.Kind()]
			if f.DBName == "" || !ok || f.PrimaryKey {
				continue
			}
			column := fmt.Sprintf("%q", f.DBName)
			sets = append(sets, fmt.Sprintf("%s = coalesce(%s, %s)", column, column, zero))
			lacks = append(lacks, column+" IS NULL")
		}
		if len(sets) == 0 {
			continue
		}
		var guards []string // of a table to which rows are only added
		if err := tx.Raw("SELECT name FROM sqlite_master WHERE type = 'trigger' AND tbl_name = ? AND name LIKE '%_no_UPDATE'",
			table).Scan(&guards).Error; err != nil {
			return err
		}
		for _, g := range guards {
			if err := tx.Exec(fmt.Sprintf("DROP TRIGGER %q", g)).Error; err != nil {
				return err
			}
		}
		if err := tx.Exec(fmt.Sprintf("UPDATE %q SET %s WHERE %s", table, strings.Join(sets, ", "),
			strings.Join(lacks, " OR "))).Error; err != nil {
			return err
		}
		if len(guards) > 0 {
			if err := appendOnly(tx, table); err != nil {
				return err
			}
		}
	}
	return nil
}

// zeros are, in SQL, what absent values of Go's kinds are.
var zeros = map[reflect.Kind]string{
	reflect.String: "''", reflect.Bool: "0", reflect.Int: "0", reflect.Int64: "0", reflect.Int32: "0", reflect.Uint64: "0",
	reflect.Float64: "0",
}

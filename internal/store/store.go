// Package store keeps designs, their revisions, drafts, reviews and sign-ins in one SQLite file, through GORM.
// Questions of access are never asked of it: it hands out whole designs, and takes one revision at a time.
package store

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// object is one object of the current design, in the form of the model file.
type object struct {
	Kind  string `gorm:"primaryKey"`
	ID    string `gorm:"primaryKey"`
	Value []byte
}

// Revision is an applied change in the record.
type Revision struct {
	Number  int       `gorm:"primaryKey;autoIncrement:false"`
	At      time.Time // UTC
	Who     string    // a user's id, or empty for an operator or a program
	WhoName string    // what that user, operator or program was called then
	Why     string
	Undoes  int    // the revision that this one undoes, or 0
	Size    int    // how many operations it has
	Hash    string // of the chain up to here, in hex
}

// operation is one operation of a revision; its values are in the form of the model file, empty if there is none.
type operation struct {
	Revision int    `gorm:"primaryKey;autoIncrement:false"`
	Seq      int    `gorm:"primaryKey;autoIncrement:false"`
	Kind     string `gorm:"index:operation_object,priority:1"`
	ObjectID string `gorm:"index:operation_object,priority:2"`
	Before   []byte
	After    []byte
	Reduced  string // the lists of which both values lack what they have in common (see reduce)
}

// Credential lets a user sign in by password.
type Credential struct {
	User string `gorm:"primaryKey"`
	Hash string
}

// Link is a link, good once, to set a password. Only the hash of its secret is kept.
type Link struct {
	Hash    string `gorm:"primaryKey"`
	User    string `gorm:"index"`
	For     string // what it is for: "invitation" or "password"
	Expires time.Time
}

// Identity is somebody as an identity provider knows them.
type Identity struct {
	Issuer  string `gorm:"primaryKey"`
	Subject string `gorm:"primaryKey"`
	User    string `gorm:"index"`
	Since   time.Time
}

// Factor is something beside the password by which somebody shows who they are.
type Factor struct {
	ID   string `gorm:"primaryKey"`
	User string `gorm:"index"`
	Kind string // "code": time codes; "passkey"; "recovery": one code that is good once
	Name string
	Data []byte // the secret of time codes, a passkey's public credential as JSON, or the hash of a recovery code
	Made time.Time
	Used *time.Time
	Step int64 // of time codes: the last step that was used, so that no code is good twice
}

// SignedIn is one signing in of somebody, until it ends.
type SignedIn struct {
	ID    string `gorm:"primaryKey"`
	User  string `gorm:"index"`
	At    time.Time
	From  string // the address
	Agent string // the program that was used, as it calls itself
	Seen  time.Time
	Ended *time.Time
}

// Declined tells that a person does not want letters of a kind.
type Declined struct {
	User string `gorm:"primaryKey"`
	Kind string `gorm:"primaryKey"` // of package post
}

// TableName keeps the plural from being made of a participle.
func (Declined) TableName() string { return "declined" }

// Token lets a program in. Only the hash of its secret is kept.
type Token struct {
	Hash    string `gorm:"primaryKey"`
	Name    string
	Purpose string
	User    string // whom the program acts as, if it is for the application's API
	SignIns bool   // a directory may change how people with rights in Fachwerk sign in
	Made    time.Time
	By      string     // who made it: a user's id, or empty for an operator
	Expires *time.Time // nil: never
	Used    *time.Time // when it was last used, to the hour or so; nil: never
	Ended   *time.Time // when it was withdrawn
}

// session is a signed-in browser.
type session struct {
	Token  string `gorm:"primaryKey"`
	Data   []byte
	Expiry time.Time `gorm:"index"`
}

// setting is a fact about the database, such as that it holds the demo.
type setting struct {
	Name  string `gorm:"primaryKey"`
	Value string
}

// Last gives the number of the last revision, 0 if there is none.
func (s *Store) Last() (int, error) { return last(s.db) }

func last(db *gorm.DB) (n int, err error) {
	err = db.Model(&Revision{}).Select("coalesce(max(number), 0)").Scan(&n).Error
	return n, err
}

// Design reads the current design and the number of its revision.
func (s *Store) Design() (d *model.Design, revision int, err error) {
	err = s.read(func(tx *gorm.DB) error {
		if revision, err = last(tx); err != nil {
			return err
		}
		d = &model.Design{}
		rows, err := tx.Model(&object{}).Rows()
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			var kind, id string
			var value []byte
			if err := rows.Scan(&kind, &id, &value); err != nil {
				return err
			}
			o, err := model.Decode(model.Kind(kind), value)
			if err != nil {
				return fmt.Errorf("the database holds a broken %s %q: %w", kind, id, err)
			}
			d.Add(o)
		}
		return rows.Err()
	})
	if err != nil {
		return nil, 0, err
	}
	return model.Build(d), revision, nil
}

// Since gives what has changed since a revision, as edits that lead to the current design, and its number. If that took
// more than so many operations, there are no edits: it is quicker to read the whole design.
func (s *Store) Since(revision, most int) (edits []model.Edit, now int, err error) {
	err = s.read(func(tx *gorm.DB) error {
		if now, err = last(tx); err != nil || now <= revision {
			return err
		}
		n, err := within(tx).OperationsSince(revision, most+1)
		if err != nil || n > most {
			return err
		}
		// The inner order keeps SQLite from going through the index of all objects.
		rows, err := tx.Raw(`SELECT o.kind, o.object_id, c.value FROM
			(SELECT DISTINCT kind, object_id FROM
				(SELECT kind, object_id FROM operations WHERE revision > ? ORDER BY revision LIMIT ?)) o
			LEFT JOIN objects c ON c.kind = o.kind AND c.id = o.object_id`, revision, most).Rows()
		if err != nil {
			return err
		}
		defer rows.Close()
		edits = []model.Edit{}
		for rows.Next() {
			var kind, id string
			var value []byte
			if err := rows.Scan(&kind, &id, &value); err != nil {
				return err
			}
			e := model.Edit{Kind: model.Kind(kind), ID: id}
			if value != nil {
				if e.After, err = model.Decode(e.Kind, value); err != nil {
					return fmt.Errorf("the database holds a broken %s %q: %w", kind, id, err)
				}
			}
			edits = append(edits, e)
		}
		return rows.Err()
	})
	return edits, now, err
}

// ErrMoved tells that a revision was applied by somebody else since the design was read.
var ErrMoved = errors.New("the design has moved on")

// Step is a revision to record, with its change. Along does more within the transaction; it may be nil.
type Step struct {
	Revision Revision
	Ops      []change.Op
	Along    func(*Store) error
}

// Also has something more done in the same transaction, after what is done along with the step already.
func (s *Step) Also(do func(*Store) error) {
	along := s.Along
	s.Along = func(s *Store) error {
		if along != nil {
			if err := along(s); err != nil {
				return err
			}
		}
		return do(s)
	}
}

// AppendRevisions records revisions one after another and makes their changes to the current design, in one
// transaction: all or none. It fails with [ErrMoved] unless their numbers are the next ones.
func (s *Store) AppendRevisions(steps ...Step) error {
	return s.write(func(tx *gorm.DB) error {
		n, err := last(tx)
		if err != nil {
			return err
		}
		var previous string
		if err := tx.Model(&Revision{}).Where("number = ?", n).Select("hash").Limit(1).Scan(&previous).Error; err != nil {
			return err
		}
		for i, step := range steps {
			r, ops := step.Revision, change.Compact(step.Ops)
			if r.Number != n+1+i {
				return ErrMoved
			}
			r.Size = len(ops)
			chain := r.head(previous)
			if err := record(tx, chain, r.Number, ops); err != nil {
				return err
			}
			r.Hash = chain.hex()
			previous = r.Hash
			if err := tx.Create(&r).Error; err != nil {
				return err
			}
			if step.Along != nil {
				if err := step.Along(within(tx)); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// batch is how many rows are written at once.
const batch = 2000

// Search narrows the record: to what touched one object, or any of a kind, or concerned a person; to what somebody
// did; and to words in the reason. What is empty does not narrow.
type Search struct {
	Kind, ID string
	User     string // a person who is touched, or to or from whom something was given
	Who      string // a user's id, or an operator's or program's name
	Words    string
	From     time.Time
	Until    time.Time
}

// about narrows operations to those that a search for an object, or for a person, finds.
func (search Search) about() (all []func(operations *gorm.DB) *gorm.DB) {
	if search.Kind != "" {
		all = append(all, func(q *gorm.DB) *gorm.DB {
			if search.ID != "" {
				q = q.Where("object_id = ?", search.ID)
			}
			return q.Where("kind = ?", search.Kind)
		})
	}
	if search.User != "" {
		to, listed := `%"user":"`+like(search.User)+`"%`, `%"`+like(search.User)+`"%`
		all = append(all, func(q *gorm.DB) *gorm.DB {
			return q.Where(`(kind = 'user' AND object_id = ?
				OR kind = 'assignment' AND (CAST("before" AS TEXT) LIKE ? ESCAPE '\' OR CAST("after" AS TEXT) LIKE ? ESCAPE '\')
				OR kind = 'group' AND (coalesce(CAST("before" AS TEXT), '') LIKE ? ESCAPE '\') <>
					(coalesce(CAST("after" AS TEXT), '') LIKE ? ESCAPE '\'))`, search.User, to, to, listed, listed)
		})
	}
	return all
}

// Revisions gives a page of the record, latest first: at most limit revisions with numbers below before (0: from
// the last on).
func (s *Store) Revisions(search Search, before, limit int) (out []Revision, err error) {
	q := s.db.Order("number desc").Limit(limit)
	if before > 0 {
		q = q.Where("number < ?", before)
	}
	for _, about := range search.about() {
		q = q.Where("number IN (?)", about(s.db.Model(&operation{}).Select("revision")))
	}
	if search.Who != "" {
		q = q.Where("who = ? OR who_name = ?", search.Who, search.Who)
	}
	for _, w := range strings.Fields(search.Words) {
		pattern := "%" + like(w) + "%"
		q = q.Where(`why LIKE ? ESCAPE '\' OR who_name LIKE ? ESCAPE '\'`, pattern, pattern)
	}
	if !search.From.IsZero() {
		q = q.Where("at >= ?", search.From.UTC())
	}
	if !search.Until.IsZero() {
		q = q.Where("at < ?", search.Until.UTC())
	}
	return out, q.Find(&out).Error
}

// RevisionsAfter gives the revisions with numbers above a number, earliest first, at most limit of them.
func (s *Store) RevisionsAfter(number, limit int) (out []Revision, err error) {
	return out, s.db.Where("number > ?", number).Order("number").Limit(limit).Find(&out).Error
}

// like escapes what has a meaning in a pattern.
func like(s string) string { return strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(s) }

// Revision gives one revision; [ErrNotFound] if there is none of that number.
func (s *Store) Revision(n int) (r Revision, err error) { return r, first(s.db, &r, "number = ?", n) }

// Change gives the operations of a revision, at most limit of them (0: all).
func (s *Store) Change(revision, limit int) ([]change.Op, error) {
	return s.operations(revision, limit, s.restore)
}

// Told gives the operations of a revision as [Store.Change] does, but for what long lists have in common before and
// after: enough to tell what changed, at less cost.
func (s *Store) Told(revision, limit int) ([]change.Op, error) {
	return s.operations(revision, limit, operation.op)
}

// ToldOf is [Store.Told], but of the object or the person alone whom a search is for, if it is for one.
func (s *Store) ToldOf(search Search, revision, limit int) ([]change.Op, error) {
	return s.operations(revision, limit, operation.op, search.about()...)
}

func (s *Store) operations(
	revision, limit int, read func(operation) (change.Op, error), about ...func(*gorm.DB) *gorm.DB,
) ([]change.Op, error) {
	q := s.db.Where("revision = ?", revision).Order("seq")
	for _, narrow := range about {
		q = narrow(q)
	}
	if limit > 0 {
		q = q.Limit(limit)
	}
	var rows []operation
	if err := q.Find(&rows).Error; err != nil {
		return nil, err
	}
	ops := make([]change.Op, len(rows))
	for i, row := range rows {
		var err error
		if ops[i], err = read(row); err != nil {
			return nil, fmt.Errorf("the database holds a broken operation of revision %d: %w", revision, err)
		}
	}
	return ops, nil
}

// LaterOn finds, for each object that a revision touched, the first later revision that touched it too.
func (s *Store) LaterOn(revision int) (out []Touch, err error) {
	return out, s.db.Raw(`SELECT a.kind, a.object_id, min(b.revision) AS revision FROM operations a
		JOIN operations b ON b.kind = a.kind AND b.object_id = a.object_id AND b.revision > a.revision
		WHERE a.revision = ? GROUP BY a.kind, a.object_id ORDER BY a.kind, a.object_id`, revision).Scan(&out).Error
}

// Touching gives the revisions after one that changed an object, the earliest first.
func (s *Store) Touching(kind model.Kind, id string, after int) (out []int, err error) {
	return out, s.db.Model(&operation{}).Where("kind = ? AND object_id = ? AND revision > ?", kind, id, after).
		Distinct().Order("revision").Pluck("revision", &out).Error
}

// Touch is an object that a revision changed.
type Touch struct {
	Kind     model.Kind
	ObjectID string
	Revision int
}

// DesignAt gives a design, which is that of a revision, as it was at an earlier instant and its revision then, by
// undoing what came later (docs/semantics.md, §10). Before the first revision it is empty, and the revision 0.
func (s *Store) DesignAt(d *model.Design, revision int, at time.Time) (*model.Design, int, error) {
	var later []operation
	earliest, err := s.RevisionAt(at)
	if err != nil || earliest >= revision {
		return d, revision, err
	}
	err = s.db.Where("revision > ? AND revision <= ?", earliest, revision).
		Order("revision desc, seq desc").
		Find(&later).
		Error
	if err != nil {
		return nil, 0, err
	}
	type key struct{ kind, id string }
	then := map[key]model.Object{}
	for _, row := range later {
		k := key{row.Kind, row.ObjectID}
		now, undone := then[k]
		if !undone {
			now = d.Get(model.Kind(row.Kind), row.ObjectID)
		}
		if then[k], err = row.undo(now); err != nil {
			return nil, 0, fmt.Errorf("the database holds a broken operation of revision %d: %w", row.Revision, err)
		}
	}
	edits := make([]model.Edit, 0, len(then))
	for k, o := range then {
		edits = append(edits, model.Edit{Kind: model.Kind(k.kind), ID: k.id, After: o})
	}
	return d.With(edits), earliest, nil
}

// RevisionAt gives the number of the last revision that was applied at or before an instant; 0 if there is none.
func (s *Store) RevisionAt(at time.Time) (n int, err error) {
	err = s.db.Model(&Revision{}).Where("at <= ?", at.UTC()).Select("coalesce(max(number), 0)").Scan(&n).Error
	return n, err
}

// named is how many things a query names one by one.
const named = 500

// revisions gives revisions by number, each read once.
func (s *Store) revisions() func(n int) (Revision, error) {
	known := map[int]Revision{}
	return func(n int) (Revision, error) {
		if r, ok := known[n]; ok {
			return r, nil
		}
		r, err := s.Revision(n)
		known[n] = r
		return r, err
	}
}

// Joinings gives, for each user listed in a group, the last revision that listed them.
func (s *Store) Joinings(group string) (map[string]Revision, error) {
	var rows []operation
	if err := s.db.Where("kind = ? AND object_id = ?", string(model.KindGroup),
		group).Order("revision").Find(&rows).Error; err != nil {
		return nil, err
	}
	at := map[string]int{}
	for _, row := range rows {
		op, err := change.FromValues(model.KindGroup, group, row.Before, row.After)
		if err != nil {
			return nil, err
		}
		listed := func(o model.Object) []string {
			if g, ok := o.(*model.Group); ok {
				return g.Users
			}
			return nil
		}
		before := listed(op.Before)
		for _, u := range listed(op.After) {
			if _, was := slices.BinarySearch(before, u); !was {
				at[u] = row.Revision
			}
		}
	}
	revisions := s.revisions()
	out := map[string]Revision{}
	for u, n := range at {
		r, err := revisions(n)
		if err != nil {
			return nil, err
		}
		out[u] = r
	}
	return out, nil
}

// LastOn gives the last revision after a number that touched an object; [ErrNotFound] if there is none.
func (s *Store) LastOn(kind model.Kind, id string, after int) (r Revision, err error) {
	return r, s.db.Where("number = (SELECT max(revision) FROM operations WHERE kind = ? AND object_id = ? AND revision "+
		"> ?)", string(kind), id, after).
		Take(&r).
		Error
}

// ErrNotFound tells that there is no such row.
var ErrNotFound = gorm.ErrRecordNotFound

func first[T any](db *gorm.DB, to *T, where ...any) error {
	return db.Take(to, where...).Error
}

// Setting gives a fact about the database; empty if it is not set.
func (s *Store) Setting(name string) (string, error) {
	var v setting
	err := first(s.db, &v, "name = ?", name)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return v.Value, err
}

// SetSetting keeps a fact about the database.
func (s *Store) SetSetting(name, value string) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Save(&setting{name, value}).Error; err != nil {
			return err
		}
		return seal(tx, "setting", name)
	})
}

// Undone tells which revisions were undone, and by which.
func (s *Store) Undone() (map[int]int, error) {
	var list []Revision
	if err := s.db.Where("undoes > 0").Find(&list).Error; err != nil {
		return nil, err
	}
	m := make(map[int]int, len(list))
	for _, r := range list {
		m[r.Undoes] = r.Number
	}
	return m, nil
}

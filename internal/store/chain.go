package store

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"time"

	"gorm.io/gorm"
)

// The record of revisions and the security log are chains: each entry keeps the SHA-256 of the hash before it and of
// itself, in a canonical form. So whoever knows a later hash can tell whether anything before it was altered,
// left out or put in.

// Event is an entry of the security log: something that touches who gets in, or was kept out.
type Event struct {
	ID   int `gorm:"primaryKey"`
	At   time.Time
	What string // a word of [EventKinds]
	Who  string `gorm:"index"` // a user's id, or a program's or operator's name; empty if nobody is known
	From string // the address that it came from; empty for the server itself
	Text string // in words
	Hash string // of the chain up to here, in hex
}

// link is the hash of an entry that stands after another.
type link struct {
	hash.Hash
	room *[]byte // for what it takes in at once
}

func linkAfter(previous string) link {
	l := link{sha256.New(), new([]byte)}
	l.text(previous)
	return l
}

// text adds a value with its length before it, so that no two lists of values look alike.
func (l link) text(values ...string) {
	all := (*l.room)[:0]
	for _, v := range values {
		all = withLength(all, v)
	}
	l.Write(all)
	*l.room = all
}

func withLength[T string | []byte](to []byte, v T) []byte {
	return append(binary.BigEndian.AppendUint64(to, uint64(len(v))), v...)
}

func (l link) hex() string { return hex.EncodeToString(l.Sum(nil)) }

// instant is the canonical form of an instant: RFC 3339 in UTC.
func instant(t time.Time) string { return t.UTC().Format(time.RFC3339Nano) }

func (e Event) linked(previous string) string {
	l := linkAfter(previous)
	l.text(instant(e.At), e.What, e.Who, e.From, e.Text)
	return l.hex()
}

// head begins the hash of a revision; its operations follow.
func (r Revision) head(previous string) link {
	l := linkAfter(previous)
	l.text(fmt.Sprint(r.Number), instant(r.At), r.Who, r.WhoName, r.Why, fmt.Sprint(r.Undoes))
	return l
}

// operation adds an operation as it is kept.
func (l link) operation(kind, id string, before, after []byte, reduced string) {
	all := withLength(withLength((*l.room)[:0], kind), id)
	all = withLength(withLength(withLength(all, before), after), reduced)
	l.Write(all)
	*l.room = all
}

// chainRevisions gives every revision the hash that it should have, in order. From is the hash of the one before the
// first of them.
func chainRevisions(tx *gorm.DB, do func(r Revision, hash string) error) error {
	type row struct {
		Revision
		Kind, ObjectID, Reduced *string
		Before, After           []byte
	}
	rows, err := tx.Raw(`SELECT r.number, r.at, r.who, r.who_name, r.why, r.undoes, r.size, r.hash,
		o.kind, o.object_id, o."before", o."after", o.reduced
		FROM revisions r LEFT JOIN operations o ON o.revision = r.number ORDER BY r.number, o.seq`).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	var at *Revision
	var l link
	previous := ""
	finish := func() error {
		if at == nil {
			return nil
		}
		previous = l.hex()
		return do(*at, previous)
	}
	value := func(s *string) string {
		if s == nil {
			return ""
		}
		return *s
	}
	for rows.Next() {
		var x row
		if err := rows.Scan(&x.Number, &x.At, &x.Who, &x.WhoName, &x.Why, &x.Undoes, &x.Size, &x.Hash,
			&x.Kind, &x.ObjectID, &x.Before, &x.After, &x.Reduced); err != nil {
			return err
		}
		if at == nil || at.Number != x.Number {
			if err := finish(); err != nil {
				return err
			}
			r := x.Revision
			at, l = &r, r.head(previous)
		}
		if x.Kind != nil {
			l.operation(*x.Kind, value(x.ObjectID), x.Before, x.After, value(x.Reduced))
		}
	}
	if err := rows.Err(); err != nil {
		return err
	}
	return finish()
}

// rechain gives all revisions their hashes, of a database that had none or of an invented past that was retold.
func rechain(tx *gorm.DB) error {
	type hashed struct {
		Number int
		Hash   string
	}
	var all []hashed
	if err := chainRevisions(tx, func(r Revision, hash string) error {
		all = append(all, hashed{r.Number, hash})
		return nil
	}); err != nil {
		return err
	}
	for start := 0; start < len(all); start += batch {
		data, err := json.Marshal(all[start:min(start+batch, len(all))])
		if err != nil {
			return err
		}
		if err := tx.Exec(`UPDATE revisions SET hash = j.value ->> 'Hash' FROM json_each(?) j
			WHERE revisions.number = j.value ->> 'Number'`, string(data)).Error; err != nil {
			return err
		}
	}
	return nil
}

// Proof is what a proven chain ends with.
type Proof struct {
	Revisions, Events          int
	RevisionHead, SecurityHead string // the last hashes; empty if there is nothing
	Contains                   bool   // the hash that was asked about is in one of the chains
}

// ErrBroken tells that a chain does not hold together.
var ErrBroken = errors.New("the chain is broken")

// Verify proves both chains from their beginnings, and that the present design is the one that the record leads to; and
// it looks for a hash that was kept elsewhere. It is [ErrBroken], with the place, if an entry is not what its hash
// says, or one is missing, [ErrAltered] if the design is another, and [ErrUnsealed] if what is sealed beside it is.
func (s *Store) Verify(contains string) (p Proof, err error) {
	err = s.read(func(tx *gorm.DB) error {
		if err := chainRevisions(tx, func(r Revision, hash string) error {
			if p.Revisions++; r.Number != p.Revisions {
				return fmt.Errorf("%w: revision %d is missing", ErrBroken, p.Revisions)
			}
			if r.Hash != hash {
				return fmt.Errorf("%w: revision %d, of %s by %s, is not what was recorded, or the one before it is not",
					ErrBroken, r.Number, instant(r.At), r.WhoName)
			}
			p.RevisionHead, p.Contains = hash, p.Contains || hash == contains
			return nil
		}); err != nil {
			return err
		}
		rows, err := tx.Model(&Event{}).Order("id").Rows()
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			var e Event
			if err := tx.ScanRows(rows, &e); err != nil {
				return err
			}
			if p.Events++; e.ID != p.Events {
				return fmt.Errorf("%w: entry %d of the security log is missing", ErrBroken, p.Events)
			}
			if e.Hash != e.linked(p.SecurityHead) {
				return fmt.Errorf("%w: entry %d of the security log, of %s, is not what was recorded, or the one before it is not",
					ErrBroken, e.ID, instant(e.At))
			}
			p.SecurityHead, p.Contains = e.Hash, p.Contains || e.Hash == contains
		}
		if err := errors.Join(rows.Err(), rows.Close()); err != nil {
			return err
		}
		altered, err := within(tx).altered()
		if err == nil && len(altered) > 0 {
			err = &ErrAltered{altered}
		}
		if err != nil {
			return err
		}
		things, err := within(tx).unsealed()
		if err == nil && len(things) > 0 {
			err = &ErrUnsealed{things}
		}
		return err
	})
	return p, err
}

// Log adds entries to the security log.
func (s *Store) Log(events ...Event) error {
	return s.write(func(tx *gorm.DB) error {
		var last Event
		if err := tx.Order("id desc").Limit(1).Find(&last).Error; err != nil {
			return err
		}
		for i := range events {
			e := &events[i]
			e.ID, e.At = last.ID+1, e.At.UTC()
			e.Hash = e.linked(last.Hash)
			last = *e
		}
		return tx.CreateInBatches(events, 100).Error
	})
}

// EventSearch narrows the security log. What is empty does not narrow.
type EventSearch struct {
	What, Who, Words string
	From, Until      time.Time
}

// Events gives a page of the security log, latest first: at most limit entries with ids below before (0: from the
// last on).
func (s *Store) Events(q EventSearch, before, limit int) (out []Event, err error) {
	db := s.db.Order("id desc").Limit(limit)
	if before > 0 {
		db = db.Where("id < ?", before)
	}
	if q.What != "" {
		db = db.Where("what = ?", q.What)
	}
	if q.Who != "" {
		db = db.Where("who = ?", q.Who)
	}
	if q.Words != "" {
		pattern := "%" + like(q.Words) + "%"
		db = db.Where(
			`text LIKE ? ESCAPE '\' OR "from" LIKE ? ESCAPE '\' OR who LIKE ? ESCAPE '\'`,
			pattern,
			pattern,
			pattern,
		)
	}
	if !q.From.IsZero() {
		db = db.Where("at >= ?", q.From.UTC())
	}
	if !q.Until.IsZero() {
		db = db.Where("at < ?", q.Until.UTC())
	}
	return out, db.Find(&out).Error
}

// appendOnly refuses to alter or delete the rows of a table.
func appendOnly(tx *gorm.DB, table string) error {
	for _, what := range []string{"UPDATE", "DELETE"} {
		if err := tx.Exec(fmt.Sprintf(`CREATE TRIGGER IF NOT EXISTS %[1]s_no_%[2]s BEFORE %[2]s ON %[1]s
			BEGIN SELECT raise(ABORT, 'what is in %[1]s stays as it is'); END`, table, what)).Error; err != nil {
			return err
		}
	}
	return nil
}

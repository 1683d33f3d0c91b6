package store

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"gorm.io/gorm"
)

// What lets people and programs in, what is set, and what reviews decided changes by no revision. So a chain of its own
// says of each owner of such rows (a person, a token, a setting, an item of a review) what they are: whoever alters a
// row beside it is found out, as one who alters the record is.

// Seal is an entry of that chain: what some rows are from then on.
type Seal struct {
	ID    int    `gorm:"primaryKey"`
	What  string `gorm:"index:seal_of,priority:1"` // a name of [sealed]
	Owner string `gorm:"index:seal_of,priority:2"`
	Sum   string // the SHA-256 of the rows, in hex; empty: there are none
	Hash  string // of the chain up to here, in hex
}

func (s Seal) linked(previous string) string {
	l := linkAfter(previous)
	l.text(fmt.Sprint(s.ID), s.What, s.Owner, s.Sum)
	return l.hex()
}

// sealed are the rows that are sealed, by what they are: a query that gives the owner of each and its values, those of
// one owner together, where {COLUMN} stands for: of these owners. What merely tells that something was used is left
// out.
var sealed = map[string]string{
	"password":       `SELECT user, json_array(hash) FROM credentials WHERE {user}`,
	"second factors": `SELECT user, json_array(id, kind, hex(data)) FROM factors WHERE {user} ORDER BY user, id`,
	"ties to the identity provider": `SELECT user, json_array(issuer, subject) FROM identities WHERE {user}
		ORDER BY user, issuer, subject`,
	"token":   `SELECT hash, json_array(name, purpose, user, sign_ins, made, "by", expires, ended) FROM tokens WHERE {hash}`,
	"setting": `SELECT name, json_array(value) FROM settings WHERE {name}`,
	sealDecisions: `SELECT owner, v FROM (
		SELECT item AS owner, id AS n, json_array(decision, reason, "by", handed, at) AS v FROM decisions WHERE {item}
		UNION ALL SELECT id, 9223372036854775807, json_array(decision, "by", decided) FROM review_items
		WHERE {id} AND (decision <> '' OR EXISTS (SELECT 1 FROM decisions d WHERE d.item = review_items.id)))
		ORDER BY owner, n`,
}

var ofOwners = regexp.MustCompile(`\{(\w+)\}`)

const sealDecisions = "decisions on the review item"

// lets are the rows that let somebody in: what was put in beside the chain can be taken away.
var lets = map[string]string{
	"password": "DELETE FROM credentials WHERE user = ?", "second factors": "DELETE FROM factors WHERE user = ?",
	"ties to the identity provider": "DELETE FROM identities WHERE user = ?", "token": "DELETE FROM tokens WHERE hash = ?",
	"setting": "DELETE FROM settings WHERE name = ?",
}

// sums gives the sum of the rows of each owner; of some owners alone if any are named.
func (s *Store) sums(what string, owners ...string) (map[string]string, error) {
	query, args := ofOwners.ReplaceAllString(sealed[what], "TRUE"), []any{}
	if len(owners) > 0 {
		list, err := json.Marshal(owners)
		if err != nil {
			return nil, err
		}
		query = ofOwners.ReplaceAllStringFunc(sealed[what], func(column string) string {
			args = append(args, string(list))
			return strings.Trim(column, "{}") + ` IN (SELECT value FROM json_each(?))`
		})
	}
	rows, err := s.db.Raw(query, args...).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	links := map[string]link{}
	for rows.Next() {
		var owner, value string
		if err := rows.Scan(&owner, &value); err != nil {
			return nil, err
		}
		l, ok := links[owner]
		if !ok {
			l = link{sha256.New(), new([]byte)}
			links[owner] = l
		}
		l.text(value)
	}
	out := make(map[string]string, len(links))
	for owner, l := range links {
		out[owner] = hex.EncodeToString(l.Sum(nil))
	}
	return out, rows.Err()
}

// seal says what the rows of some owners are from now on. It is called within the transaction that alters them.
func seal(tx *gorm.DB, what string, owners ...string) error {
	var last Seal
	if err := tx.Order("id desc").Limit(1).Find(&last).Error; err != nil {
		return err
	}
	for part := range slices.Chunk(slices.Compact(slices.Sorted(slices.Values(owners))), 2000) {
		sums, err := within(tx).sums(what, part...)
		if err != nil {
			return err
		}
		list := make([]Seal, len(part))
		for i, owner := range part {
			list[i] = Seal{ID: last.ID + 1, What: what, Owner: owner, Sum: sums[owner]}
			list[i].Hash = list[i].linked(last.Hash)
			last = list[i]
		}
		if err := tx.CreateInBatches(list, 500).Error; err != nil {
			return err
		}
	}
	return nil
}

// sealEverything seals what there is, of a database that had no seals.
func sealEverything(tx *gorm.DB) error {
	for _, what := range slices.Sorted(maps.Keys(sealed)) {
		sums, err := within(tx).sums(what)
		if err != nil {
			return err
		}
		if err := seal(tx, what, slices.Collect(maps.Keys(sums))...); err != nil {
			return err
		}
	}
	return nil
}

// Unsealed is something that is not what its seal says.
type Unsealed struct{ What, Owner string }

func (u Unsealed) String() string { return fmt.Sprintf("the %s of %q", u.What, u.Owner) }

// ErrUnsealed tells that what lets people in, what is set or what was decided was altered beside its chain.
type ErrUnsealed struct{ Things []Unsealed }

func (e *ErrUnsealed) Error() string {
	var said []string
	for _, u := range e.Things[:min(len(e.Things), alteredShown)] {
		said = append(said, u.String())
	}
	if more := len(e.Things) - len(said); more > 0 {
		said = append(said, fmt.Sprintf("and %d more", more))
	}
	return "altered beside the program: " + strings.Join(said, "; ") + ". Find out who could write to the file, then take " +
		"away what was put in by fachwerk mend --as recorded, or let it stand by fachwerk mend --as found"
}

// unsealed gives what is not what its seal says, and proves the chain of seals.
func (s *Store) unsealed() (out []Unsealed, err error) {
	rows, err := s.db.Model(&Seal{}).Order("id").Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	last := map[Unsealed]string{}
	var before Seal
	for rows.Next() {
		var e Seal
		if err := s.db.ScanRows(rows, &e); err != nil {
			return nil, err
		}
		if e.ID != before.ID+1 || e.Hash != e.linked(before.Hash) {
			return nil, fmt.Errorf("%w: seal %d is not what was recorded, or the one before it is not", ErrBroken, e.ID)
		}
		last[Unsealed{e.What, e.Owner}], before = e.Sum, e
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return nil, err
	}
	for what := range sealed {
		sums, err := s.sums(what)
		if err != nil {
			return nil, err
		}
		for owner, sum := range sums {
			if u := (Unsealed{what, owner}); last[u] != sum {
				out = append(out, u)
			}
			delete(last, Unsealed{what, owner})
		}
	}
	for u, sum := range last { // of these there are no rows any longer
		if sum != "" {
			out = append(out, u)
		}
	}
	slices.SortFunc(out, func(a, b Unsealed) int { return strings.Compare(a.String(), b.String()) })
	return out, nil
}

// Reseal lets what was altered beside the chain of seals stand; or, of what lets somebody in, takes it away, so that
// they get in by a new link. Decisions of reviews are never taken away. It gives what it was about.
func (s *Store) Reseal(stands bool) (altered []Unsealed, err error) {
	return altered, s.write(func(tx *gorm.DB) error {
		if altered, err = within(tx).unsealed(); err != nil {
			return err
		}
		for _, u := range altered {
			if remove := lets[u.What]; !stands && remove != "" {
				if err := tx.Exec(remove, u.Owner).Error; err != nil {
					return err
				}
			}
			if err := seal(tx, u.What, u.Owner); err != nil {
				return err
			}
		}
		return nil
	})
}

package store

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"fachwerk/internal/core/model"
)

// Altered is an object of the present design that is not what the record says.
type Altered struct {
	Kind            model.Kind
	ID              string
	Recorded, Found model.Object // nil: there is none
}

// String says it in words.
func (a Altered) String() string {
	switch {
	case a.Recorded == nil:
		return fmt.Sprintf("the %s %q is in the design, and the record knows nothing of it", a.Kind.Word(), a.ID)
	case a.Found == nil:
		return fmt.Sprintf("the %s %q is missing from the design, and the record has it", a.Kind.Word(), a.ID)
	}
	return fmt.Sprintf("the %s %q is not what the record says", a.Kind.Word(), a.ID)
}

// ErrAltered tells that the present design is not the one that the record leads to.
type ErrAltered struct{ Objects []Altered }

// alteredShown is how many objects are named.
const alteredShown = 5

func (e *ErrAltered) Error() string {
	var said []string
	for _, a := range e.Objects[:min(len(e.Objects), alteredShown)] {
		said = append(said, a.String())
	}
	if more := len(e.Objects) - len(said); more > 0 {
		said = append(said, fmt.Sprintf("and %d more", more))
	}
	return "the design was altered beside the record: " + strings.Join(said, "; ") +
		". Find out who could write to the file, then put back what the record says by fachwerk mend --as recorded, " +
		"or record what was found by fachwerk mend --as found"
}

// Present compares the present design with the one that the record leads to, object by object. It is [ErrAltered] if
// they differ. It takes a look at the last operation of each object, however long the record is.
func (s *Store) Present() error {
	return s.read(func(tx *gorm.DB) error {
		altered, err := within(tx).altered()
		if err == nil && len(altered) > 0 {
			err = &ErrAltered{altered}
		}
		return err
	})
}

// lastOf gives the last operation of an object, of which kind and id are named in SQL.
const lastOf = `(SELECT %s FROM operations o WHERE o.kind = %s AND o.object_id = %s
	ORDER BY o.revision DESC, o.seq DESC LIMIT 1)`

func (s *Store) altered() (out []Altered, err error) {
	// Most are kept in the same bytes as they were recorded. Of the others, long lists are recorded by what changed in
	// them, or an earlier program wrote fields in another order.
	var differ []object
	if err := s.db.Raw(`SELECT c.kind, c.id, c.value FROM objects c
		WHERE CAST(c.value AS BLOB) IS NOT CAST(` + fmt.Sprintf(lastOf, `o."after"`, "c.kind", "c.id") + ` AS BLOB)`).
		Scan(&differ).Error; err != nil {
		return nil, err
	}
	for _, o := range differ {
		a := Altered{Kind: model.Kind(o.Kind), ID: o.ID}
		if a.Recorded, err = s.recorded(o.Kind, o.ID); err != nil {
			return nil, err
		}
		if a.Found, err = model.Decode(a.Kind, o.Value); err != nil {
			return nil, fmt.Errorf("the design holds a broken %s %q: %w", o.Kind, o.ID, err)
		}
		if a.Recorded == nil || !model.Same(a.Recorded, a.Found) {
			out = append(out, a)
		}
	}
	var missing []operation
	if err := s.db.Raw(`SELECT k.kind, k.object_id FROM (SELECT DISTINCT kind, object_id FROM operations) k
		WHERE NOT EXISTS (SELECT 1 FROM objects c WHERE c.kind = k.kind AND c.id = k.object_id)
		AND ` + fmt.Sprintf(lastOf, `o."after"`, "k.kind", "k.object_id") + ` IS NOT NULL`).Scan(&missing).Error; err != nil {
		return nil, err
	}
	for _, o := range missing {
		a := Altered{Kind: model.Kind(o.Kind), ID: o.ObjectID}
		if a.Recorded, err = s.recorded(o.Kind, o.ObjectID); err != nil {
			return nil, err
		}
		out = append(out, a)
	}
	return out, nil
}

// recorded gives an object as the record says that it is now; nil if there is none. It begins with the last operation
// that is kept whole, and does again what came since.
func (s *Store) recorded(kind, id string) (now model.Object, err error) {
	var rows []operation
	if err := s.db.Where("kind = ? AND object_id = ?", kind, id).
		Where(`(revision, seq) >= (SELECT revision, seq FROM operations WHERE kind = ? AND object_id = ? AND
			coalesce(reduced, '') = '' ORDER BY revision DESC, seq DESC LIMIT 1)`, kind, id).
		Order("revision, seq").Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, row := range rows {
		op, err := row.op()
		if err != nil {
			return nil, err
		}
		if row.Reduced != "" && now == nil {
			return nil, errors.New("the record of the " + kind + " " + id + " begins in its midst")
		}
		now = whole(op.Kind, row.Reduced, op.After, op.Before, now)
	}
	return now, nil
}

// PutBack makes the present design what the record says, and gives what that alters.
func (s *Store) PutBack() (altered []Altered, err error) {
	return altered, s.write(func(tx *gorm.DB) error {
		if altered, err = within(tx).altered(); err != nil {
			return err
		}
		for _, a := range altered {
			if a.Recorded == nil {
				err = tx.Exec("DELETE FROM objects WHERE kind = ? AND id = ?", string(a.Kind), a.ID).Error
			} else {
				var value []byte
				if value, err = json.Marshal(a.Recorded); err == nil {
					err = tx.Exec("INSERT OR REPLACE INTO objects (kind, id, value) VALUES (?, ?, ?)", string(a.Kind), a.ID, value).Error
				}
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

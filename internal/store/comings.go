package store

import (
	"sync"

	"gorm.io/gorm"

	"fachwerk/internal/core/model"
)

// comings is with which revision objects last came, by kind, as far as anybody has asked for many of a kind. The record
// only grows, so what is known is read on from where it ends.
type comings struct {
	mu        sync.Mutex
	of        map[model.Kind]*known
	revisions map[int]Revision
}

type known struct {
	upTo int            // the last revision that was read
	by   map[string]int // the revision's number, by the object's id
}

// ReadComings reads ahead with which revisions objects of some kinds came, so that whoever asks for many need not wait.
func (s *Store) ReadComings(kinds ...model.Kind) error {
	if s.comings == nil {
		return nil
	}
	s.comings.mu.Lock()
	defer s.comings.mu.Unlock()
	for _, kind := range kinds {
		if _, err := s.readOn(kind); err != nil {
			return err
		}
	}
	return nil
}

// CameWith tells with which revisions some objects of a kind last came: what it gives is asked for each by its id, and
// is false for one of which no coming is recorded.
func (s *Store) CameWith(kind model.Kind, ids ...string) (func(id string) (Revision, bool), error) {
	by := map[string]int{}
	revisions := map[int]Revision{}
	switch {
	case len(ids) == 0:
	case len(ids) <= named || s.comings == nil: // so few are sooner asked for by name
		q := comingsOf(s.db, kind)
		if len(ids) <= named {
			q = q.Where("object_id IN ?", ids)
		}
		if err := scanComings(q, by); err != nil {
			return nil, err
		}
		if err := s.tell(by, revisions); err != nil {
			return nil, err
		}
	default:
		s.comings.mu.Lock()
		defer s.comings.mu.Unlock()
		k, err := s.readOn(kind)
		if err != nil {
			return nil, err
		}
		for _, id := range ids {
			if n, came := k.by[id]; came {
				by[id] = n
			}
		}
		if err := s.tell(by, s.comings.revisions); err != nil {
			return nil, err
		}
		for _, n := range by {
			revisions[n] = s.comings.revisions[n]
		}
	}
	return func(id string) (Revision, bool) {
		n, came := by[id]
		return revisions[n], came
	}, nil
}

// comingsOf asks for the operations by which objects of a kind came.
func comingsOf(db *gorm.DB, kind model.Kind) *gorm.DB {
	return db.Model(&operation{}).
		Select("object_id, max(revision) AS revision").
		Where("kind = ? AND (before IS NULL OR length(before) = 0)", string(kind)).
		Group("object_id")
}

func scanComings(q *gorm.DB, by map[string]int) error {
	rows, err := q.Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var id string
		var n int
		if err := rows.Scan(&id, &n); err != nil {
			return err
		}
		by[id] = n
	}
	return rows.Err()
}

// readOn reads the comings of a kind on to the end of the record. The lock of comings must be held.
func (s *Store) readOn(kind model.Kind) (*known, error) {
	k := s.comings.of[kind]
	if k == nil {
		k = &known{by: map[string]int{}}
		s.comings.of[kind] = k
	}
	return k, s.read(func(tx *gorm.DB) error {
		var last int
		err := tx.Model(&Revision{}).Select("coalesce(max(number), 0)").Scan(&last).Error
		if err == nil && last > k.upTo {
			if err = scanComings(comingsOf(tx, kind).Where("revision > ?", k.upTo), k.by); err == nil {
				k.upTo = last
			}
		}
		return err
	})
}

// tell reads the revisions that some objects came with, but for those that are there.
func (s *Store) tell(by map[string]int, revisions map[int]Revision) error {
	for _, n := range by {
		if _, there := revisions[n]; there {
			continue
		}
		r, err := s.Revision(n)
		if err != nil {
			return err
		}
		revisions[n] = r
	}
	return nil
}

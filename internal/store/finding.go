package store

import (
	"time"

	"gorm.io/gorm/clause"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// Aside is that somebody set a finding aside until a day, or took that back. Such entries are added and never altered.
type Aside struct {
	ID      int       `gorm:"primaryKey"`
	Finding string    `gorm:"index"` // its name
	Until   time.Time // zero: no longer
	Reason  string
	By      string // a user's id
	At      time.Time
}

// SetAside keeps that findings are set aside, or no longer.
func (s *Store) SetAside(list []Aside) error { return s.w.CreateInBatches(list, 200).Error }

// Asides gives of each finding that is set aside at an instant the entry that does so, by the finding's name.
func (s *Store) Asides(at time.Time) (map[string]Aside, error) {
	var list []Aside
	if err := s.db.Where("at <= ?", at.UTC()).Order("id").Find(&list).Error; err != nil {
		return nil, err
	}
	out := map[string]Aside{}
	for _, a := range list {
		if a.Until.After(at) {
			out[a.Finding] = a
		} else {
			delete(out, a.Finding)
		}
	}
	return out, nil
}

// FindingCount is how many findings of a kind there were at the end of a day, without those set aside. That a day was
// counted at all is told by an entry of no kind.
type FindingCount struct {
	Day   string `gorm:"primaryKey"` // like 2006-01-02
	Kind  string `gorm:"primaryKey"`
	Count int
}

// CountFindings keeps how many findings there were at the end of a day, by kind; what was kept before stays.
func (s *Store) CountFindings(day string, counts map[string]int) error {
	list := []FindingCount{{Day: day, Count: len(counts)}}
	for kind, n := range counts {
		list = append(list, FindingCount{day, kind, n})
	}
	return s.w.Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(list, 200).Error
}

// FindingCounts gives what was kept of some days: of each that was counted, how many findings of each kind there were.
func (s *Store) FindingCounts(days []string) (map[string]map[string]int, error) {
	var list []FindingCount
	if err := s.db.Where("day IN ?", days).Find(&list).Error; err != nil {
		return nil, err
	}
	out := map[string]map[string]int{}
	for _, c := range list {
		if out[c.Day] == nil {
			out[c.Day] = map[string]int{}
		}
		if c.Kind != "" {
			out[c.Day][c.Kind] = c.Count
		}
	}
	return out, nil
}

// Given is what was given after an instant, and not taken away again since: assignments, members of groups by group and
// user, and people. What the first revision brought is no part of it: it was so before the record began.
type Given struct {
	Assignments map[string]bool
	Members     map[[2]string]bool
	Users       map[string]bool
}

// GivenSince gives what was given after one instant and up to another.
func (s *Store) GivenSince(at, to time.Time) (Given, error) {
	out := Given{map[string]bool{}, map[[2]string]bool{}, map[string]bool{}}
	rows, err := s.db.Model(&operation{}).
		Select("kind", "object_id", "before", "after").
		Joins("JOIN revisions ON revisions.number = operations.revision").
		Where("revisions.number > 1 AND revisions.at > ? AND revisions.at <= ? AND kind IN ?", at.UTC(), to.UTC(),
			[]string{string(model.KindAssignment), string(model.KindGroup), string(model.KindUser)}).
		Order("operations.revision, operations.seq").Rows()
	if err != nil {
		return out, err
	}
	defer rows.Close()
	for rows.Next() {
		var kind model.Kind
		var id string
		var before, after []byte
		if err := rows.Scan(&kind, &id, &before, &after); err != nil {
			return out, err
		}
		switch {
		case kind == model.KindGroup:
			op, err := change.FromValues(kind, id, before, after)
			if err != nil {
				return out, err
			}
			was, is := members(op.Before), members(op.After)
			for u := range is {
				if !was[u] {
					out.Members[[2]string{id, u}] = true
				}
			}
			for u := range was {
				if !is[u] {
					delete(out.Members, [2]string{id, u})
				}
			}
		case len(before) > 0 && len(after) > 0:
		case kind == model.KindAssignment && len(before) == 0:
			out.Assignments[id] = true
		case kind == model.KindAssignment:
			delete(out.Assignments, id)
		case len(before) == 0:
			out.Users[id] = true
		}
	}
	return out, rows.Err()
}

func members(o model.Object) map[string]bool {
	out := map[string]bool{}
	if g, ok := o.(*model.Group); ok {
		for _, u := range g.Users {
			out[u] = true
		}
	}
	return out
}

// ReviewedSince gives of what reviews decided about after one instant and up to another: the people, and the role or
// set.
func (s *Store) ReviewedSince(at, to time.Time) (out [][3]string, err error) {
	rows, err := s.db.Table("review_items i").Joins("JOIN reviews r ON r.id = i.review").
		Select(`DISTINCT i."user", CASE WHEN i.role = '' AND i."set" = '' THEN r.role ELSE i.role END, i."set"`).
		Where(`i.decision <> '' AND i."of" = '' AND i.decided > ? AND i.decided <= ?`, at.UTC(), to.UTC()).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var r [3]string
		if err := rows.Scan(&r[0], &r[1], &r[2]); err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	return out, rows.Err()
}

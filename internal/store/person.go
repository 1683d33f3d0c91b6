package store

import (
	"errors"
	"time"

	"gorm.io/gorm/clause"
)

// Absence is that somebody is away for a time, and who decides in their place.
type Absence struct {
	User    string `gorm:"primaryKey"`
	Instead string
	From    time.Time
	Until   time.Time
	Begun   bool // what waited for them was handed on
}

// SaveAbsence keeps when somebody is away next, in place of what was kept; with an empty substitute, that they are not.
func (s *Store) SaveAbsence(a Absence) error {
	if a.Instead == "" {
		return s.w.Delete(&Absence{User: a.User}).Error
	}
	return s.w.Clauses(clause.OnConflict{UpdateAll: true}).Create(&a).Error
}

// Absences gives the absences that are not over at an instant, by person.
func (s *Store) Absences(at time.Time) (map[string]Absence, error) {
	var list []Absence
	err := s.db.Where("until > ?", at.UTC()).Find(&list).Error
	out := make(map[string]Absence, len(list))
	for _, a := range list {
		out[a.User] = a
	}
	return out, err
}

// Undecided gives the undecided items of open reviews that are for somebody.
func (s *Store) Undecided(reviewer string) ([]ReviewItem, error) {
	return itemsOf(s.db.Where("reviewer = ? AND decision = '' AND review IN (SELECT id FROM reviews WHERE closed IS NULL)",
		reviewer))
}

// Looked is up to which revision somebody has looked at what changed.
type Looked struct {
	User     string `gorm:"primaryKey"`
	Revision int
	At       time.Time
}

// LookedAt gives up to which revision somebody has looked; zero if they never have.
func (s *Store) LookedAt(user string) (l Looked, err error) {
	if err = first(s.db, &l, "user = ?", user); errors.Is(err, ErrNotFound) {
		return Looked{User: user}, nil
	}
	return l, err
}

// Look keeps up to which revision somebody has looked.
func (s *Store) Look(l Looked) error {
	return s.w.Clauses(clause.OnConflict{UpdateAll: true}).Create(&l).Error
}

package store

import (
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Series is a review that returns by itself.
type Series struct {
	ID      int    `gorm:"primaryKey"`
	Value   []byte // its sentence, recurrence and discovery, as JSON
	Owner   string // who made it, or took it over; rounds are theirs
	Made    time.Time
	Since   time.Time // openings up to then are none of its
	Paused  *time.Time
	Ended   *time.Time
	Trouble string // what kept it from opening or closing a round, the last time that this was due; empty if nothing did
}

// Round is one time that a series came due. No two are of the same series and instant, whoever works it.
type Round struct {
	ID         int       `gorm:"primaryKey"`
	Series     int       `gorm:"uniqueIndex:round_of_series,priority:1"`
	Opens      time.Time `gorm:"uniqueIndex:round_of_series,priority:2"` // when it is to open, UTC
	Discovered *time.Time
	Found      []byte     // whom the discovery found, as JSON
	Opened     *time.Time // when it was opened, or recorded as one without items
	Late       bool       // it was opened well after it was due
	Missed     bool       // it was never opened, since the next one was due by then
	Review     int        `gorm:"index"` // 0: there was nothing to ask
	Items      int
	Escalated  *time.Time // when what was undecided went to the fallback
}

// AddSeries keeps a new series, and gives its id.
func (s *Store) AddSeries(one Series) (int, error) {
	err := s.w.Create(&one).Error
	return one.ID, err
}

// SaveSeries keeps a series as it is now. What it is about is kept by whoever changes it; its rounds stay.
func (s *Store) SaveSeries(one Series) error { return s.w.Save(&one).Error }

// AllSeries gives all series, the latest first.
func (s *Store) AllSeries() (out []Series, err error) {
	return out, s.db.Order("id desc").Find(&out).Error
}

// Series gives one series; [ErrNotFound] if there is none of that id.
func (s *Store) Series(id int) (one Series, err error) { return one, first(s.db, &one, "id = ?", id) }

// SeriesTrouble keeps what keeps a series from going on; empty: nothing does any longer.
func (s *Store) SeriesTrouble(id int, trouble string) error {
	return s.w.Model(&Series{}).Where("id = ?", id).Update("trouble", trouble).Error
}

// Rounds gives the rounds of a series, or of all if it is 0, the latest first.
func (s *Store) Rounds(series int) (out []Round, err error) {
	q := s.db.Order("opens desc, id desc")
	if series != 0 {
		q = q.Where("series = ?", series)
	}
	return out, q.Find(&out).Error
}

// AddRound keeps a round, unless there is one of the same series and instant; it gives the one that there is then.
func (s *Store) AddRound(r Round) (Round, error) {
	r.Opens = r.Opens.UTC()
	err := s.write(func(tx *gorm.DB) error {
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&r).Error; err != nil {
			return err
		}
		return first(tx, &r, "series = ? AND opens = ?", r.Series, r.Opens)
	})
	return r, err
}

// ErrTaken tells that another process has done it already.
var ErrTaken = errors.New("this was done already")

// OpenRound notes that a round has opened, once: [ErrTaken] if it has.
func (s *Store) OpenRound(r Round) error {
	return claimed(s.w.Model(&Round{}).Where("id = ? AND opened IS NULL AND NOT missed", r.ID).
		Select("Opened", "Late", "Review", "Items").Updates(&r))
}

// MissRound notes that a round is not opened any longer.
func (s *Store) MissRound(id int) error {
	return claimed(s.w.Model(&Round{}).Where("id = ? AND opened IS NULL AND NOT missed", id).Update("missed", true))
}

// EscalateRound notes that what was undecided in a round went to the fallback, once: [ErrTaken] if it has.
func (s *Store) EscalateRound(id int, at time.Time) error {
	return claimed(s.w.Model(&Round{}).Where("id = ? AND escalated IS NULL", id).Update("escalated", at.UTC()))
}

func claimed(done *gorm.DB) error {
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrTaken
	}
	return done.Error
}

package store

import (
	"errors"
	"time"

	"gorm.io/gorm"
)

// Answer is what was answered to a change that came with a key, so that the same again gives the same answer.
type Answer struct {
	Who      string `gorm:"primaryKey"` // whose draft it did not touch: the person's, or that of the program for them
	Key      string `gorm:"primaryKey"`
	Asked    string // a hash of what was asked
	Revision int
	Value    []byte // the answer, as JSON
	At       time.Time
}

// AnswersKept is for how long an answer is given again.
const AnswersKept = 7 * 24 * time.Hour

// Answered gives what was answered to somebody's key, or [ErrNotFound].
func (s *Store) Answered(who, key string, now time.Time) (a Answer, err error) {
	err = s.db.Where("who = ? AND key = ? AND at > ?", who, key, now.Add(-AnswersKept)).Take(&a).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		err = ErrNotFound
	}
	return a, err
}

// KeepAnswer keeps an answer, and forgets what is too old.
func (s *Store) KeepAnswer(a Answer) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Where("at <= ?", a.At.Add(-AnswersKept)).Delete(&Answer{}).Error; err != nil {
			return err
		}
		return tx.Create(&a).Error
	})
}

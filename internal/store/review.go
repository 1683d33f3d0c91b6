package store

import (
	"time"

	"gorm.io/gorm"
)

// Review is a campaign to confirm access to a role.
type Review struct {
	ID       int `gorm:"primaryKey"`
	Name     string
	Role     string
	Area     string
	Opener   string
	Opened   time.Time
	Due      time.Time
	Closed   *time.Time
	Revision int // the one that closing made, or 0
}

// ReviewItem is one question of a review.
type ReviewItem struct {
	ID       int `gorm:"primaryKey"`
	Review   int `gorm:"index"`
	User     string
	Reviewer string   `gorm:"index"`
	Direct   []string `gorm:"serializer:json"`
	Groups   []string `gorm:"serializer:json"`
	Decision string   // "", "keep" or "revoke"
	Reason   string
	Decided  *time.Time
	By       string
}

// AddReview keeps a new review with its items, and gives its id.
func (s *Store) AddReview(r Review, items []ReviewItem) (int, error) {
	err := s.db.Transaction(func(tx *gorm.DB) error {
		if err := tx.Create(&r).Error; err != nil {
			return err
		}
		for i := range items {
			items[i].Review = r.ID
		}
		if len(items) == 0 {
			return nil
		}
		return tx.CreateInBatches(items, 200).Error
	})
	return r.ID, err
}

// Reviews gives all reviews, latest first.
func (s *Store) Reviews() (out []Review, err error) {
	return out, s.db.Order("id desc").Find(&out).Error
}

// Review gives one review; [ErrNotFound] if there is none of that id.
func (s *Store) Review(id int) (r Review, err error) { return r, first(s.db, &r, "id = ?", id) }

// ReviewItems gives a review's items, or with a reviewer only that person's.
func (s *Store) ReviewItems(review int, reviewer string) (out []ReviewItem, err error) {
	q := s.db.Where("review = ?", review).Order("id")
	if reviewer != "" {
		q = q.Where("reviewer = ?", reviewer)
	}
	return out, q.Find(&out).Error
}

// ReviewItem gives one item; [ErrNotFound] if there is none of that id.
func (s *Store) ReviewItem(id int) (i ReviewItem, err error) { return i, first(s.db, &i, "id = ?", id) }

// Decide keeps a decision on an item; [ErrNotFound] if its review is not open.
func (s *Store) Decide(i ReviewItem) error {
	done := s.db.Model(&ReviewItem{}).Where("id = ? AND review IN (SELECT id FROM reviews WHERE closed IS NULL)", i.ID).
		Select("Decision", "Reason", "Decided", "By").Updates(&i)
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrNotFound
	}
	return done.Error
}

// CloseReview ends a review; [ErrNotFound] if it is not open.
func (s *Store) CloseReview(id int, at time.Time, revision int) error {
	done := s.db.Model(&Review{}).Where("id = ? AND closed IS NULL", id).Updates(map[string]any{"closed": at, "revision": revision})
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrNotFound
	}
	return done.Error
}

// Waiting counts the items of open reviews that a reviewer has not decided.
func (s *Store) Waiting(reviewer string) (int, error) {
	var n int64
	err := s.db.Model(&ReviewItem{}).Where("reviewer = ? AND decision = '' AND review IN (SELECT id FROM reviews WHERE closed IS NULL)", reviewer).Count(&n).Error
	return int(n), err
}

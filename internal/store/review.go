package store

import (
	"time"

	"gorm.io/gorm"
)

// Review is a campaign to confirm access.
type Review struct {
	ID   int `gorm:"primaryKey"`
	Name string
	// What it asks about; what is empty does not narrow.
	System string
	Role   string
	Set    string
	Group  string
	Area   string
	Risk   int
	Filter string
	// Who decides.
	DecidedBy string // "manager", "owner" or "person"
	Person    string
	Fallback  string
	Fate      string // what becomes of undecided items: "keep" or "revoke"
	Opener    string
	Opened    time.Time
	Due       time.Time
	Reminded  *time.Time // when stragglers were last reminded
	Closed    *time.Time
	Revision  int // the one that closing made, or 0
}

// ReviewItem is one question of a review: should this person keep this role or set?
type ReviewItem struct {
	ID       int `gorm:"primaryKey"`
	Review   int `gorm:"index"`
	User     string
	Role     string
	Set      string
	Reviewer string   `gorm:"index"`
	HandedBy string   // who handed it on to the reviewer, if anybody did
	Note     string   // what they said
	Direct   []string `gorm:"serializer:json"`
	Groups   []string `gorm:"serializer:json"`
	Given    []string `gorm:"serializer:json"` // assignments to the groups
	Evidence []byte   // as it stood when the review was opened, as JSON
	Decision string   // "", "keep" or "revoke"
	Reason   string
	Decided  *time.Time
	By       string
}

// ReviewTask asks the owner of a group what becomes of an item that was revoked but comes by the group.
type ReviewTask struct {
	ID       int `gorm:"primaryKey"`
	Review   int `gorm:"index"`
	Item     int
	User     string
	Role     string
	Set      string
	Group    string
	Given    []string `gorm:"serializer:json"` // the assignments to the group
	Owner    string   `gorm:"index"`
	Decision string   // "", "person", "grant" or "leave"
	Reason   string
	Decided  *time.Time
	By       string
	Revision int // the one that it made, or 0
}

// Letter is a mail in the outbox.
type Letter struct {
	ID      int `gorm:"primaryKey"`
	Written time.Time
	User    string `gorm:"index"`
	To      string // the address; empty if the person has none
	Subject string
	Body    string
	Review  int `gorm:"index"` // what it is about, or 0
}

// AddReview keeps a new review with its items, and gives its id.
func (s *Store) AddReview(r Review, items []ReviewItem) (int, error) {
	err := s.write(func(tx *gorm.DB) error {
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

// DecideAll keeps the decisions on items, or to whom they were handed, all or none; [ErrNotFound] if the review of one is not open.
func (s *Store) DecideAll(items []ReviewItem) error {
	return s.write(func(tx *gorm.DB) error {
		for _, i := range items {
			done := tx.Model(&ReviewItem{}).Where("id = ? AND review IN (SELECT id FROM reviews WHERE closed IS NULL)", i.ID).
				Select("Decision", "Reason", "Decided", "By", "Reviewer", "HandedBy", "Note").Updates(&i)
			if done.Error == nil && done.RowsAffected == 0 {
				return ErrNotFound
			}
			if done.Error != nil {
				return done.Error
			}
		}
		return nil
	})
}

// CloseReview ends a review, with the items that its fate decides, and what it leaves to do; [ErrNotFound] if it is not open.
func (s *Store) CloseReview(id int, at time.Time, revision int, fated []ReviewItem, tasks []ReviewTask, letters []Letter) error {
	return s.write(func(tx *gorm.DB) error {
		if err := (&Store{tx, tx}).DecideAll(fated); err != nil {
			return err
		}
		done := tx.Model(&Review{}).Where("id = ? AND closed IS NULL", id).Updates(map[string]any{"closed": at, "revision": revision})
		if done.Error == nil && done.RowsAffected == 0 {
			return ErrNotFound
		}
		if done.Error != nil {
			return done.Error
		}
		if len(tasks) > 0 {
			if err := tx.CreateInBatches(tasks, 200).Error; err != nil {
				return err
			}
		}
		if len(letters) > 0 {
			return tx.CreateInBatches(letters, 200).Error
		}
		return nil
	})
}

// Waiting counts the items of open reviews that a reviewer has not decided.
func (s *Store) Waiting(reviewer string) (int, error) {
	var n int64
	err := s.db.Model(&ReviewItem{}).Where("reviewer = ? AND decision = '' AND review IN (SELECT id FROM reviews WHERE closed IS NULL)", reviewer).Count(&n).Error
	return int(n), err
}

// Tasks gives the tasks of a review, or with an owner those that wait for that person.
func (s *Store) Tasks(review int, owner string) (out []ReviewTask, err error) {
	q := s.db.Order("id")
	if review > 0 {
		q = q.Where("review = ?", review)
	}
	if owner != "" {
		q = q.Where("owner = ? AND decision = ''", owner)
	}
	return out, q.Find(&out).Error
}

// Task gives one task; [ErrNotFound] if there is none of that id.
func (s *Store) Task(id int) (t ReviewTask, err error) { return t, first(s.db, &t, "id = ?", id) }

// SettleTask keeps what was decided on a task; [ErrNotFound] if it had been settled.
func (s *Store) SettleTask(t ReviewTask) error {
	done := s.w.Model(&ReviewTask{}).Where("id = ? AND decision = ''", t.ID).Select("Decision", "Reason", "Decided", "By", "Revision").Updates(&t)
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrNotFound
	}
	return done.Error
}

// Remind puts letters into the outbox and keeps when a review's stragglers were reminded.
func (s *Store) Remind(review int, at time.Time, letters []Letter) error {
	return s.write(func(tx *gorm.DB) error {
		if len(letters) > 0 {
			if err := tx.CreateInBatches(letters, 200).Error; err != nil {
				return err
			}
		}
		return tx.Model(&Review{}).Where("id = ?", review).Update("reminded", at).Error
	})
}

// Write puts a letter into the outbox.
func (s *Store) Write(l Letter) error { return s.w.Create(&l).Error }

// Letters gives the letters about a review, latest first.
func (s *Store) Letters(review int) (out []Letter, err error) {
	return out, s.db.Where("review = ?", review).Order("id desc").Find(&out).Error
}

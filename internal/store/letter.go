package store

import (
	"time"

	"gorm.io/gorm"
)

// Letter is a mail in the outbox, and what became of it.
type Letter struct {
	ID      int `gorm:"primaryKey"`
	Written time.Time
	User    string `gorm:"index"` // whom it is to
	To      string // the address; empty if the person has none
	Subject string
	Body    string
	Review  int    `gorm:"index"` // what it is about, or 0
	Kind    string // which letters it is one of
	Link    string // which link it brings, that is made when it is sent; empty if none
	By      string // who caused it; empty if nobody did
	Daily   bool   // it goes with all others of the day to the same person

	State   string    `gorm:"index:letter_due,priority:1;default:waiting"`
	Due     time.Time `gorm:"index:letter_due,priority:2"` // when it is to be sent, or tried again
	Tries   int
	Sent    *time.Time
	Trouble string // why it was not sent, the last time it was tried
}

// What becomes of a letter.
const (
	LetterWaits    = "waiting"
	LetterSending  = "sending"  // it is being handed over
	LetterSent     = "sent"     // a server has taken it
	LetterReturned = "returned" // the server knows no such address
	LetterGivenUp  = "given-up" // it was tried too often, or came too late
	LetterKept     = "kept"     // it was written before letters were sent
)

// Write puts a letter into the outbox.
func (s *Store) Write(l Letter) error { return s.WriteAll([]Letter{l}) }

// WriteAll puts letters into the outbox.
func (s *Store) WriteAll(list []Letter) error {
	if len(list) == 0 {
		return nil
	}
	for i := range list {
		l := &list[i]
		if l.State == "" {
			l.State = LetterWaits
		}
		if l.Due.IsZero() {
			l.Due = l.Written
		}
	}
	return s.w.CreateInBatches(list, 500).Error
}

// Letters gives the letters about a review, latest first.
func (s *Store) Letters(review int) (out []Letter, err error) {
	return out, s.db.Where("review = ?", review).Order("id desc").Find(&out).Error
}

// Letter gives one letter; [ErrNotFound] if there is none.
func (s *Store) Letter(id int) (l Letter, err error) { return l, first(s.db, &l, "id = ?", id) }

// LettersTo gives the last letters to a person, or to anybody, latest first.
func (s *Store) LettersTo(user string, most int) (out []Letter, err error) {
	q := s.db.Order("id desc").Limit(most)
	if user != "" {
		q = q.Where("user = ?", user)
	}
	return out, q.Find(&out).Error
}

// TakeLetters gives letters that are due, at most so many, the longest due first, and notes that they are being sent.
// With a letter of the day come all others to the same person that wait for theirs.
func (s *Store) TakeLetters(now time.Time, most int) (out []Letter, err error) {
	err = s.write(func(tx *gorm.DB) error {
		err := tx.Where("state = ? AND due <= ?", LetterWaits, now.UTC()).Order("due, id").Limit(most).Find(&out).Error
		if err != nil || len(out) == 0 {
			return err
		}
		var due []int
		var daily []string
		for _, l := range out {
			due = append(due, l.ID)
			if l.Daily {
				daily = append(daily, l.User)
			}
		}
		if len(daily) > 0 {
			var more []Letter
			err := tx.Where("state = ? AND daily AND user IN ? AND id NOT IN ?", LetterWaits, daily, due).
				Order("id").Find(&more).Error
			if err != nil {
				return err
			}
			out = append(out, more...)
		}
		ids := make([]int, len(out))
		for i := range out {
			ids[i] = out[i].ID
		}
		return tx.Model(&Letter{}).Where("id IN ?", ids).Update("state", LetterSending).Error
	})
	return out, err
}

// SettleLetter keeps what became of a letter.
func (s *Store) SettleLetter(l Letter) error {
	return s.w.Model(&Letter{}).Where("id = ?", l.ID).
		Select("State", "Due", "Tries", "Sent", "Trouble").Updates(&l).Error
}

// ReturnLetters has letters wait again that were being sent when the program ended; it tells how many.
func (s *Store) ReturnLetters() (int, error) {
	done := s.w.Model(&Letter{}).Where("state = ?", LetterSending).Update("state", LetterWaits)
	return int(done.RowsAffected), done.Error
}

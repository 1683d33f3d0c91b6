package store

import "time"

// Request is something that somebody asked for.
type Request struct {
	ID       int    `gorm:"primaryKey"`
	User     string `gorm:"index"` // who asks, for themselves
	At       time.Time
	Value    []byte // what is asked for, why, and what was said to it, as JSON
	State    string `gorm:"index"`
	Settled  *time.Time
	By       string     // who settled it
	Revision int        `gorm:"index"` // by which it was granted; 0: it was not
	Ends     *time.Time // when what was granted ends
	Told     *time.Time // when the person was told that it ends
}

// What becomes of a request.
const (
	RequestOpen      = "open"
	RequestGranted   = "granted"
	RequestRefused   = "refused"
	RequestWithdrawn = "withdrawn"
)

// AddRequest keeps a new request, and gives it its number.
func (s *Store) AddRequest(r *Request) error { return s.w.Create(r).Error }

// Request gives a request; [ErrNotFound] if there is none of that number.
func (s *Store) Request(id int) (r Request, err error) { return r, first(s.db, &r, "id = ?", id) }

// OpenRequests gives all requests that nobody has settled, the oldest first.
func (s *Store) OpenRequests() (out []Request, err error) {
	return out, s.db.Where("state = ?", RequestOpen).Order("id").Find(&out).Error
}

// RequestsOf gives the last requests that somebody made, or settled for others, latest first.
func (s *Store) RequestsOf(user string, most int) (out []Request, err error) {
	return out, s.db.Where(`user = ? OR "by" = ?`, user, user).Order("id desc").Limit(most).Find(&out).Error
}

// GrantedBy gives the requests that some revisions granted, in their order.
func (s *Store) GrantedBy(revisions ...int) (out []Request, err error) {
	return out, s.db.Where("revision IN ?", revisions).Order("id").Find(&out).Error
}

// RequestsMade tells how many requests somebody has made since an instant.
func (s *Store) RequestsMade(user string, since time.Time) (n int64, err error) {
	return n, s.db.Model(&Request{}).Where("user = ? AND at > ?", user, since.UTC()).Count(&n).Error
}

// SaidOfRequest keeps what was said to a request that is open; it tells whether it still was.
func (s *Store) SaidOfRequest(id int, value []byte) (bool, error) {
	done := s.w.Model(&Request{}).Where("id = ? AND state = ?", id, RequestOpen).Update("value", value)
	return done.RowsAffected == 1, done.Error
}

// SettleRequest keeps what became of a request that is open; it tells whether it still was.
func (s *Store) SettleRequest(r Request) (bool, error) {
	done := s.w.Model(&Request{}).Where("id = ? AND state = ?", r.ID, RequestOpen).
		Select("State", "Settled", "By", "Revision", "Ends", "Value").Updates(&r)
	return done.RowsAffected == 1, done.Error
}

// RequestsEnding gives what was granted and ends before an instant, of which nobody was told yet.
func (s *Store) RequestsEnding(before time.Time) (out []Request, err error) {
	return out, s.db.Where("state = ? AND ends <= ? AND told IS NULL", RequestGranted, before.UTC()).
		Order("ends, id").Find(&out).Error
}

// RequestsGranted gives what was granted and ends after an instant and before another.
func (s *Store) RequestsGranted(after, before time.Time) (out []Request, err error) {
	return out, s.db.Where("state = ? AND ends > ? AND ends <= ?", RequestGranted, after.UTC(),
		before.UTC()).Find(&out).Error
}

// ToldOfEnding keeps that the person was told that what a request gave them ends.
func (s *Store) ToldOfEnding(id int, at time.Time) error {
	return s.w.Model(&Request{}).Where("id = ?", id).Update("told", at.UTC()).Error
}

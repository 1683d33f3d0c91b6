package store

import "time"

// placeDays is for how many days it is kept from where somebody signed in; PlaceKept is the same as a time.
const (
	placeDays = 90
	PlaceKept = placeDays * 24 * time.Hour
)

// Place is from where somebody signed in, hashed, and when last.
type Place struct {
	User  string `gorm:"primaryKey"`
	Place string `gorm:"primaryKey"`
	At    time.Time
}

// SavePlace keeps from where somebody signed in.
func (s *Store) SavePlace(p Place) error { return s.w.Save(&p).Error }

// Place gives when somebody last signed in from a place; [ErrNotFound] if they never did.
func (s *Store) Place(user, place string) (p Place, err error) {
	return p, first(s.db, &p, "user = ? AND place = ?", user, place)
}

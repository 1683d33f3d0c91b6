package store

import (
	"time"

	"gorm.io/gorm/clause"
)

// KeptCatalogue is a version of a system's catalogue that was brought in to be adopted later; of a system there is one
// at most.
type KeptCatalogue struct {
	System  string `gorm:"primaryKey"` // its id
	Name    string // of the file
	Data    []byte
	Version string // as it was said beside the file
	By      string // a user's id; empty for an operator
	At      time.Time
}

// KeepCatalogue keeps a version of a catalogue, in place of the one that was kept of the same system.
func (s *Store) KeepCatalogue(k *KeptCatalogue) error {
	return s.w.Clauses(clause.OnConflict{UpdateAll: true}).Create(k).Error
}

// KeptCatalogues gives the versions of catalogues that were kept at or before an instant and still are, by system.
func (s *Store) KeptCatalogues(at time.Time) (list []KeptCatalogue, err error) {
	return list, s.db.Where("at <= ?", at.UTC()).Order("system").Find(&list).Error
}

// DropCatalogue keeps the version of a system no longer; it tells whether there was one.
func (s *Store) DropCatalogue(system string) (bool, error) {
	done := s.w.Delete(&KeptCatalogue{}, "system = ?", system)
	return done.RowsAffected > 0, done.Error
}

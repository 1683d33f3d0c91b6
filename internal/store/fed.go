package store

import (
	"time"

	"gorm.io/gorm/clause"

	"fachwerk/internal/core/model"
)

// Fed is what the record keeps of a person or group that a directory feeds, beside the design.
type Fed struct {
	Kind    string `gorm:"primaryKey"`
	ID      string `gorm:"primaryKey"`
	By      string // the name of the token that it last came by
	Extra   []byte // what the directory keeps of it and a design has no place for, as the directory's door wrote it
	Gone    bool   // the directory has deleted it
	Updated time.Time
}

// TableName keeps the plural from being made of a participle.
func (Fed) TableName() string { return "fed" }

// AllFed gives what is kept of all that directories feed.
func (s *Store) AllFed() (out []Fed, err error) { return out, s.db.Find(&out).Error }

// SaveFed keeps something of what directories feed, in place of what was kept of the same before.
func (s *Store) SaveFed(list ...Fed) error {
	if len(list) == 0 {
		return nil
	}
	return s.w.Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(list, 500).Error
}

// DropFed forgets what was kept of something.
func (s *Store) DropFed(kind, id string) error { return s.w.Delete(&Fed{Kind: kind, ID: id}).Error }

// Span is when something came, and when it was last changed.
type Span struct{ First, Last time.Time }

// Spans tells of objects of a kind when they came and were last changed; of all of the kind if no ids are given.
func (s *Store) Spans(kind model.Kind, ids ...string) (map[string]Span, error) {
	touched := s.db.Table("operations").
		Where("kind = ?", kind).
		Select("object_id, min(revision) AS first, max(revision) AS last").
		Group("object_id")
	if len(ids) > 0 {
		touched = touched.Where("object_id IN ?", ids)
	}
	var rows []struct {
		ObjectID    string
		First, Last time.Time
	}
	err := s.db.Table("(?) AS o", touched).
		Joins("JOIN revisions a ON a.number = o.first").
		Joins("JOIN revisions b ON b.number = o.last").
		Select("o.object_id, a.at AS first, b.at AS last").
		Scan(&rows).
		Error
	out := make(map[string]Span, len(rows))
	for _, r := range rows {
		out[r.ObjectID] = Span{r.First, r.Last}
	}
	return out, err
}

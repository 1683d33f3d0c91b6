package store

import (
	"time"

	"gorm.io/gorm/clause"

	"fachwerk/internal/core/use"
)

// lastUse is the latest use of a thing by a person that is known.
type lastUse struct {
	User  string `gorm:"primaryKey"`
	What  string `gorm:"primaryKey"` // a system's id, or a permission's key
	At    int64  // nanoseconds since 1970
	Noted int64  `gorm:"index"` // when it was kept, in seconds since 1970
}

func (lastUse) TableName() string { return "uses" }

// SaveUses keeps uses, as of now; a later one that is kept stays.
func (s *Store) SaveUses(list []use.Use, now time.Time) error {
	if len(list) == 0 {
		return nil
	}
	rows := make([]lastUse, len(list))
	for i, u := range list {
		rows[i] = lastUse{u.User, u.What, u.At.UnixNano(), now.Unix()}
	}
	return s.Together(func(s *Store) error {
		return s.w.Clauses(clause.OnConflict{
			Columns: []clause.Column{{Name: "user"}, {Name: "what"}},
			DoUpdates: clause.Set{
				{Column: clause.Column{Name: "at"}, Value: clause.Expr{SQL: "max(uses.at, excluded.at)"}},
				{Column: clause.Column{Name: "noted"}, Value: clause.Expr{SQL: "excluded.noted"}},
			},
		}).CreateInBatches(rows, 500).Error
	})
}

// Uses gives the uses that were kept since an instant, in seconds since 1970; 0: all.
func (s *Store) Uses(since int64, each func(use.Use)) error {
	rows, err := s.db.Model(&lastUse{}).Where("noted >= ?", since).Select("user", "what", "at").Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var u use.Use
		var at int64
		if err := rows.Scan(&u.User, &u.What, &at); err != nil {
			return err
		}
		u.At = time.Unix(0, at).UTC()
		each(u)
	}
	return rows.Err()
}

package store

import (
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Worklist is people whom somebody has gathered, with steps that are to be done to them.
type Worklist struct {
	ID      string `gorm:"primaryKey"`
	User    string `gorm:"index"` // whose it is
	Name    string
	Changed time.Time
	Value   []byte // people, steps and who is left out, as JSON
}

// Run is a worklist that was put into a draft or carried out: what it did to each person.
type Run struct {
	ID       string `gorm:"primaryKey"`
	User     string `gorm:"index"` // who did it
	List     string // the worklist's name
	Made     time.Time
	Revision int        // by which it was applied; 0: not yet, or there was nothing to apply
	Applied  *time.Time // when it was applied or carried out
	Value    []byte     // the steps and rows, as JSON
}

// Worklists gives somebody's worklists, the last changed first, without what is in them.
func (s *Store) Worklists(user string) (out []Worklist, err error) {
	return out, s.db.Omit("value").Where("user = ?", user).Order("changed desc, id").Find(&out).Error
}

// Worklist gives a worklist of somebody's; [ErrNotFound] if they have none of that id.
func (s *Store) Worklist(user, id string) (w Worklist, err error) {
	return w, first(s.db, &w, "user = ? AND id = ?", user, id)
}

// SaveWorklist keeps a worklist in place of what was kept of it.
func (s *Store) SaveWorklist(w Worklist) error {
	return s.w.Clauses(clause.OnConflict{UpdateAll: true}).Create(&w).Error
}

// DropWorklist forgets a worklist; its runs stay.
func (s *Store) DropWorklist(user, id string) error {
	return s.w.Where("user = ? AND id = ?", user, id).Delete(&Worklist{}).Error
}

// SaveRun keeps what a worklist does, as it is put into the draft.
func (s *Store) SaveRun(r Run) error { return s.w.Create(&r).Error }

// Run gives a run; [ErrNotFound] if there is none of that id.
func (s *Store) Run(id string) (r Run, err error) { return r, first(s.db, &r, "id = ?", id) }

// Runs gives the runs that were applied or carried out, the last first, without their rows: those of somebody, or of
// everybody.
func (s *Store) Runs(user string, most int) (out []Run, err error) {
	q := s.db.Omit("value").Where("applied IS NOT NULL").Order("applied desc, id").Limit(most)
	if user != "" {
		q = q.Where("user = ?", user)
	}
	return out, q.Find(&out).Error
}

// RunApplied keeps by which revision a run was applied, and when, and what it came to; 0 if there was nothing to apply.
func (s *Store) RunApplied(id string, revision int, at time.Time, value []byte) error {
	return s.w.Model(&Run{}).Where("id = ?", id).
		Updates(map[string]any{"revision": revision, "applied": at.UTC(), "value": value}).Error
}

// idleRunDays is for how long a run is kept that nobody applies.
const idleRunDays = 90

// dropIdleRuns forgets runs that never came to be applied, once they are old.
func dropIdleRuns(tx *gorm.DB, before time.Time) error {
	return tx.Where("applied IS NULL AND made < ?", before).Delete(&Run{}).Error
}

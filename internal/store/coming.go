package store

import (
	"time"

	"gorm.io/gorm/clause"
)

// Coming is something that is to happen by itself at an instant.
type Coming struct {
	ID       int       `gorm:"primaryKey"`
	At       time.Time `gorm:"index"`
	Do       string    // what
	User     string    `gorm:"index"` // to whom
	Object   string    // of a membership that ends: the group; of who leaves: the plan
	By       string    // who had it so
	Since    int       // the revision by which they had
	Request  int       // what it comes of, or 0
	Done     *time.Time
	Revision int    // that it made; 0: none was needed
	Trouble  string // why it could not be done
}

// What happens by itself.
const (
	ComingLeave = "leave-group" // somebody is taken out of a group
	ComingGo    = "go"          // somebody leaves
)

// AddComing keeps what is to happen.
func (s *Store) AddComing(list ...Coming) error {
	if len(list) == 0 {
		return nil
	}
	return s.w.CreateInBatches(list, 500).Error
}

// ComingDue gives what is to have happened by an instant and has not, the earliest first.
func (s *Store) ComingDue(now time.Time) (out []Coming, err error) {
	return out, s.db.Where("done IS NULL AND at <= ?", now.UTC()).Order("at, id").Find(&out).Error
}

// ComingTo gives what is to happen to somebody, the earliest first.
func (s *Store) ComingTo(user string) (out []Coming, err error) {
	return out, s.db.Where("user = ? AND done IS NULL", user).Order("at, id").Find(&out).Error
}

// ComingOf gives what is to happen of one sort with an object, the earliest first.
func (s *Store) ComingOf(do, object string) (out []Coming, err error) {
	return out, s.db.Where("do = ? AND object = ? AND done IS NULL", do, object).Order("at, id").Find(&out).Error
}

// SettleComing keeps what became of it.
func (s *Store) SettleComing(c Coming) error {
	return s.w.Model(&Coming{}).Where("id = ?", c.ID).Select("Done", "Revision", "Trouble").Updates(&c).Error
}

// Leaving is how somebody leaves, as it was planned, and what came of it.
type Leaving struct {
	ID       string `gorm:"primaryKey"`
	User     string `gorm:"index"`
	By       string // who planned it
	Made     time.Time
	On       time.Time // the day
	Revision int       // by which the plan was applied; 0: it lies in a draft
	State    string
	Value    []byte // what it cuts short, what it took on the day, and who takes items of reviews over, as JSON
}

// How a leaving stands.
const (
	LeavingDrafted = "drafted"
	LeavingPlanned = "planned"
	LeavingGone    = "gone"   // the day has come
	LeavingCalled  = "called" // it was called off, or the person was brought back
)

// SaveLeaving keeps a leaving in place of what was kept of it.
func (s *Store) SaveLeaving(l Leaving) error {
	return s.w.Clauses(clause.OnConflict{UpdateAll: true}).Create(&l).Error
}

// Leaving gives a leaving; [ErrNotFound] if there is none of that id.
func (s *Store) Leaving(id string) (l Leaving, err error) { return l, first(s.db, &l, "id = ?", id) }

// LeavingOf gives the last leaving of somebody that was applied and not called off; [ErrNotFound] if there is none.
func (s *Store) LeavingOf(user string) (l Leaving, err error) {
	return l, s.db.Where("user = ? AND state IN ?", user, []string{LeavingPlanned, LeavingGone}).
		Order("revision desc").Take(&l).Error
}

// Leavings gives those that were applied and not called off, of a day after an instant, the earliest first.
func (s *Store) Leavings(after time.Time) (out []Leaving, err error) {
	return out, s.db.Where(`"on" > ? AND state IN ?`, after.UTC(), []string{LeavingPlanned, LeavingGone}).
		Order(`"on", user`).Find(&out).Error
}

// HandItems gives the undecided items of open reviews that wait for somebody to others to decide, and the unsettled
// tasks of closed ones: to one person, but never to whom an item is about; those stay.
func (s *Store) HandItems(from, to, by, note string) error {
	open := s.w.Model(&Review{}).Select("id").Where("closed IS NULL")
	err := s.w.Model(&ReviewItem{}).
		Where(`reviewer = ? AND decision = '' AND "user" <> ? AND review IN (?)`, from, to, open).
		Updates(map[string]any{"reviewer": to, "handed_by": by, "note": note}).Error
	if err != nil {
		return err
	}
	return s.w.Model(&ReviewTask{}).Where("owner = ? AND decision = ''", from).Update("owner", to).Error
}

// ReturnItems gives what waits in open reviews for people who are deleted to the fallback of each review, or to who
// opened it; never to whom an item is about, of which they stay.
func (s *Store) ReturnItems(by string, users ...string) error {
	const to = `(SELECT CASE WHEN fallback IN ? THEN opener ELSE fallback END FROM reviews WHERE id = review_items.review)`
	if len(users) == 0 {
		return nil
	}
	return s.w.Exec(
		`UPDATE review_items SET reviewer = `+to+`, handed_by = ?, note = 'deleted'
		WHERE reviewer IN ? AND decision = '' AND "user" <> `+to+`
		AND review IN (SELECT id FROM reviews WHERE closed IS NULL)`,
		users, by, users, users,
	).Error
}

// Told keeps what somebody was told once.
type Told struct {
	What string `gorm:"primaryKey"`
	At   time.Time
}

// Untold gives which of some things nobody was told yet.
func (s *Store) Untold(what []string) (out []string, err error) {
	for n := 0; n < len(what); n += 10_000 {
		part := what[n:min(len(what), n+10_000)]
		var told []string
		if err := s.db.Model(&Told{}).Where("what IN ?", part).Pluck("what", &told).Error; err != nil {
			return nil, err
		}
		known := map[string]bool{}
		for _, w := range told {
			known[w] = true
		}
		for _, w := range part {
			if !known[w] {
				out = append(out, w)
			}
		}
	}
	return out, nil
}

// Tell keeps that somebody was told some things, with the letters that tell it.
func (s *Store) Tell(at time.Time, what []string, letters []Letter) error {
	if len(what) == 0 {
		return nil
	}
	rows := make([]Told, len(what))
	for i, w := range what {
		rows[i] = Told{w, at.UTC()}
	}
	return s.Together(func(s *Store) error {
		if err := s.w.Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(rows, 500).Error; err != nil {
			return err
		}
		return s.WriteAll(letters)
	})
}

package store

import (
	"cmp"
	"encoding/json"
	"errors"
	"slices"
	"strconv"
	"time"

	"gorm.io/gorm"
)

// Review is a campaign to confirm access.
type Review struct {
	ID   int `gorm:"primaryKey"`
	Name string
	Ask  string // what it asks; empty: about access
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
	// Who decides a second time about what the first would keep, if it is of that risk or more.
	SecondBy     string // as DecidedBy; empty: nobody
	SecondPerson string
	SecondRisk   int
	Fate         string // what becomes of undecided items: "keep" or "revoke"
	Opener       string
	Opened       time.Time
	Due          time.Time
	Reminded     *time.Time // when stragglers were last reminded
	Closed       *time.Time
	Revision     int // the one that closing made, or 0
	// Alone is why an owner let one person open, decide and close it; empty if that was not so.
	Alone string
}

// Decision is one decision on an item of a review. Decisions are added and never altered, so that what was decided
// before can be told.
type Decision struct {
	ID       int    `gorm:"primaryKey"`
	Item     int    `gorm:"index"`
	Decision string // "", if the one before it was taken back
	Reason   string
	By       string // a user's id; empty: the fate of what nobody decided
	Handed   string // to whom the item was handed on, if this is no decision but that; Reason is the word with it
	At       time.Time
}

// ReviewItem is one question of a review: should this person keep this role or set?
type ReviewItem struct {
	ID       int    `gorm:"primaryKey"`
	Review   int    `gorm:"index"`
	User     string `gorm:"index"`
	Role     string
	Set      string
	Reviewer string   `gorm:"index"`
	HandedBy string   // who handed it on to the reviewer, if anybody did
	Note     string   // what they said
	Direct   []string `gorm:"serializer:json"`
	Groups   []string `gorm:"serializer:json"`
	Given    []string `gorm:"serializer:json"` // assignments to the groups
	Evidence []byte   // as it stood when the review was opened, as JSON
	Doubt    int      // how much of it speaks against keeping it
	Decision string   // "", "keep" or "revoke"
	Reason   string
	Decided  *time.Time
	By       string
	// Of a review that asks about something else than access.
	Of    string // what it is about, as kind:id
	Keeps string // what that keeps, as kind:id
	Maker string // of what is set aside: who did
	// Second decides once the first reviewer would keep it; Stage is 1 from then on.
	Second string
	Stage  int
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
	Former   string   // the owner who did not settle it in time, if it was handed on
	Decision string   // "", "person", "grant" or "leave"
	Reason   string
	Decided  *time.Time
	By       string
	Revision int // the one that it made, or 0
}

// AddReview keeps a new review with its items, decided ones with their decisions, and the letters that ask for
// decisions, and gives its id. Along does more in the same transaction; it and what writes the letters may be nil.
func (s *Store) AddReview(
	r Review, items []ReviewItem, write func(id int) []Letter, along func(s *Store, id int) error,
) (int, error) {
	err := s.write(func(tx *gorm.DB) error {
		if err := tx.Create(&r).Error; err != nil {
			return err
		}
		if along != nil {
			if err := along(within(tx), r.ID); err != nil {
				return err
			}
		}
		for i := range items {
			items[i].Review = r.ID
		}
		var letters []Letter
		if write != nil {
			letters = write(r.ID)
		}
		if err := within(tx).WriteAll(letters); err != nil || len(items) == 0 {
			return err
		}
		if err := tx.CreateInBatches(items, 200).Error; err != nil {
			return err
		}
		var decisions []Decision
		for _, i := range items {
			if i.Decision != "" && i.Decided != nil {
				decisions = append(
					decisions,
					Decision{Item: i.ID, Decision: i.Decision, Reason: i.Reason, By: i.By, At: *i.Decided},
				)
			}
		}
		if err := within(tx).addDecisions(decisions); err != nil || len(decisions) == 0 {
			return err
		}
		return sealItems(tx, slices.DeleteFunc(slices.Clone(items), func(i ReviewItem) bool { return i.Decision == "" }))
	})
	return r.ID, err
}

// Reviews gives all reviews, latest first.
func (s *Store) Reviews() (out []Review, err error) {
	return out, s.db.Order("id desc").Find(&out).Error
}

// ReviewCount is how far a review has come, and what of it is one person's.
type ReviewCount struct {
	Review                   int
	Items, Kept, Revoked     int
	Mine, Waiting            int // the person's items, and those of them that are not decided
	Tasks, Settled, OwnTasks int
}

// ReviewCounts counts the items and tasks of every review as they stood at an instant, by review.
func (s *Store) ReviewCounts(person string, at time.Time) (map[int]ReviewCount, error) {
	var items, tasks []ReviewCount
	at = at.UTC()
	out := map[int]ReviewCount{}
	err := s.read(func(tx *gorm.DB) error {
		if err := tx.Raw(`SELECT review, count(*) AS items, sum(decision = 'keep' AND done) AS kept, sum(decision = 'revoke' AND done) AS revoked,
			sum(reviewer = ?) AS mine, sum(reviewer = ? AND NOT (decision <> '' AND done)) AS waiting
			FROM (SELECT review, decision, reviewer,
				(decided IS NULL OR decided <= ?) AS done FROM review_items) GROUP BY review`, person, person, at).Scan(&items).Error; err != nil {
			return err
		}
		return tx.Raw(`SELECT review, count(*) AS tasks, sum(decision <> '' AND (decided IS NULL OR decided <= ?)) AS settled, sum(owner = ?) AS own_tasks
			FROM review_tasks GROUP BY review`, at, person).
			Scan(&tasks).
			Error
	})
	for _, n := range items {
		out[n.Review] = n
	}
	for _, t := range tasks {
		n := out[t.Review]
		n.Tasks, n.Settled, n.OwnTasks = t.Tasks, t.Settled, t.OwnTasks
		out[t.Review] = n
	}
	return out, err
}

// Reviewed gives the people whom the items of each review are about.
func (s *Store) Reviewed() (map[int][]string, error) {
	var rows []ReviewItem
	err := s.db.Model(&ReviewItem{}).Distinct("review", "user").Find(&rows).Error
	out := map[int][]string{}
	for _, r := range rows {
		out[r.Review] = append(out[r.Review], r.User)
	}
	return out, err
}

// Review gives one review; [ErrNotFound] if there is none of that id.
func (s *Store) Review(id int) (r Review, err error) { return r, first(s.db, &r, "id = ?", id) }

// ReviewItems gives a review's items, or with a reviewer only that person's.
func (s *Store) ReviewItems(review int, reviewer string) ([]ReviewItem, error) {
	q := s.db.Where("review = ?", review)
	if reviewer != "" {
		q = q.Where("reviewer = ?", reviewer)
	}
	return itemsOf(q)
}

// ItemsByID gives some items, by id.
func (s *Store) ItemsByID(ids []int) ([]ReviewItem, error) {
	return itemsOf(s.db.Where("id IN ?", ids))
}

// ItemsInBrief gives a review's items without note, reason, evidence, and the assignments and groups that give what
// they are about.
func (s *Store) ItemsInBrief(review int) (out []ReviewItem, err error) {
	rows, err := s.db.Model(&ReviewItem{}).
		Select("id", "user", "role", "set", "reviewer", "decision", "decided", "by", "doubt", "of", "keeps", "handed_by",
			"stage").
		Where("review = ?", review).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		i := ReviewItem{Review: review}
		if err := rows.Scan(
			&i.ID, &i.User, &i.Role, &i.Set, &i.Reviewer, &i.Decision, &i.Decided, &i.By, &i.Doubt, &i.Of, &i.Keeps,
			&i.HandedBy, &i.Stage,
		); err != nil {
			return nil, err
		}
		out = append(out, i)
	}
	slices.SortFunc(out, func(a, b ReviewItem) int { return a.ID - b.ID }) // the index has them by reviewer
	return out, rows.Err()
}

// Revoked gives whose, and of what, the items of a review are that were revoked.
func (s *Store) Revoked(review int) (out []ReviewItem, err error) {
	return out, s.db.Model(&ReviewItem{}).Select("user", "role", "set", "direct", "of", "keeps").
		Where("review = ? AND decision = 'revoke'", review).Find(&out).Error
}

// itemsOf reads items, by id.
func itemsOf(q *gorm.DB) (out []ReviewItem, err error) {
	rows, err := q.Model(&ReviewItem{}).
		Select("id", "review", "user", "role", "set", "reviewer", "handed_by", "note", "direct", "groups", "given",
			"evidence", "decision", "reason", "decided", "by", "doubt", "of", "keeps", "maker", "second", "stage").
		Order("id").Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() { // by hand: there can be very many
		var i ReviewItem
		var direct, groups, given []byte
		if err := rows.Scan(&i.ID, &i.Review, &i.User, &i.Role, &i.Set, &i.Reviewer, &i.HandedBy, &i.Note, &direct,
			&groups, &given,
			&i.Evidence, &i.Decision, &i.Reason, &i.Decided, &i.By, &i.Doubt, &i.Of, &i.Keeps, &i.Maker, &i.Second,
			&i.Stage); err != nil {
			return nil, err
		}
		for _, list := range []struct {
			text []byte
			to   *[]string
		}{{direct, &i.Direct}, {groups, &i.Groups}, {given, &i.Given}} {
			if len(list.text) > 0 {
				if err := json.Unmarshal(list.text, list.to); err != nil {
					return nil, err
				}
			}
		}
		out = append(out, i)
	}
	return out, rows.Err()
}

// ReviewItem gives one item; [ErrNotFound] if there is none of that id.
func (s *Store) ReviewItem(id int) (i ReviewItem, err error) { return i, first(s.db, &i, "id = ?", id) }

// DecideAll keeps the decisions on items, or to whom they were handed, all or none, beside those that were made
// before; [ErrNotFound] if the review of one is not open.
func (s *Store) DecideAll(items []ReviewItem, decisions []Decision) error {
	return s.write(func(tx *gorm.DB) error {
		if err := within(tx).addDecisions(decisions); err != nil {
			return err
		}
		// Prepared once: who goes away may leave behind some ten thousand.
		alter, err := tx.Statement.ConnPool.PrepareContext(tx.Statement.Context, `UPDATE review_items
			SET decision = ?, reason = ?, decided = ?, "by" = ?, reviewer = ?, second = ?, handed_by = ?, note = ?, stage = ?
			WHERE id = ? AND review IN (SELECT id FROM reviews WHERE closed IS NULL)`)
		if err != nil {
			return err
		}
		defer func() { _ = alter.Close() }()
		for _, i := range items {
			done, err := alter.ExecContext(tx.Statement.Context,
				i.Decision, i.Reason, i.Decided, i.By, i.Reviewer, i.Second, i.HandedBy, i.Note, i.Stage, i.ID)
			if err != nil {
				return err
			}
			if n, err := done.RowsAffected(); err != nil || n == 0 {
				return cmp.Or(err, ErrNotFound)
			}
		}
		return sealItems(tx, items)
	})
}

// sealItems seals what was decided about some items.
func sealItems(tx *gorm.DB, items []ReviewItem) error {
	owners := make([]string, len(items))
	for n, i := range items {
		owners[n] = strconv.Itoa(i.ID)
	}
	return seal(tx, sealDecisions, owners...)
}

func (s *Store) addDecisions(list []Decision) error {
	if len(list) == 0 {
		return nil
	}
	return s.w.CreateInBatches(list, 200).Error
}

// Decisions gives all decisions on an item, in the order in which they were made.
func (s *Store) Decisions(item int) (out []Decision, err error) {
	return out, s.db.Where("item = ?", item).Order("id").Find(&out).Error
}

// DecisionsOf gives all decisions on the items of a review, in the order in which they were made.
func (s *Store) DecisionsOf(review int) (out []Decision, err error) {
	return out, s.db.Where("item IN (SELECT id FROM review_items WHERE review = ?)", review).Order("id").Find(&out).Error
}

// DecidedItem is a decision that stands, on an item of a review.
type DecidedItem struct {
	Review          int
	Name            string // of the review
	User, Role, Set string
	Decision        string // "keep" or "revoke"
	Reason, By      string
	At              time.Time
}

// Lately gives the latest decision on each of what a review asked about, be it about a person, or, with a role or set,
// about that: by person, role and set. Decisions after an instant do not count.
func (s *Store) Lately(user, role, set string, at time.Time) (out []DecidedItem, err error) {
	q := s.db.Table("review_items i").Joins("JOIN reviews r ON r.id = i.review").
		Select(`i.review, r.name, i."user", coalesce(nullif(i.role, ''), CASE WHEN i."set" = '' THEN r.role ELSE '' END) AS role,
			i."set", i.decision, i.reason, i."by", max(i.decided) AS at`).
		Where(`i.decision <> '' AND i.decided <= ? AND i."of" = ''`, at.UTC()).
		Group(`i."user", 4, i."set"`).Order(`i."user", 4, i."set"`)
	if user != "" {
		q = q.Where(`i."user" = ?`, user)
	}
	if role != "" {
		q = q.Where("i.role = ? OR i.role = '' AND r.role = ?", role, role)
	}
	if set != "" {
		q = q.Where(`i."set" = ?`, set)
	}
	rows, err := q.Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var i DecidedItem
		var at string
		if err := rows.Scan(&i.Review, &i.Name, &i.User, &i.Role, &i.Set, &i.Decision, &i.Reason, &i.By, &at); err != nil {
			return nil, err
		}
		if i.At, err = instantOf(at); err != nil {
			return nil, err
		}
		out = append(out, i)
	}
	return out, rows.Err()
}

// LastReviewed gives when reviews last decided about what some people have, or who has some roles or sets, by id. Of is
// "user", "role" or "set"; decisions after an instant do not count.
func (s *Store) LastReviewed(of string, ids []string, at time.Time) (map[string]time.Time, error) {
	out := map[string]time.Time{}
	if len(ids) == 0 {
		return out, nil
	}
	rows, err := s.db.Raw(`SELECT "`+of+`", max(decided) FROM review_items WHERE "`+of+`" IN ?
		AND decision <> '' AND "of" = '' AND decided <= ? GROUP BY 1`, ids, at.UTC()).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id, text string
		if err := rows.Scan(&id, &text); err != nil {
			return nil, err
		}
		if out[id], err = instantOf(text); err != nil {
			return nil, err
		}
	}
	return out, rows.Err()
}

// instantOf reads an instant as an aggregate gives it, which has no type.
func instantOf(text string) (time.Time, error) {
	return time.Parse("2006-01-02 15:04:05.999999999-07:00", text)
}

// TakenAway gives when closed reviews last took roles and sets away from people, by person, role and set.
func (s *Store) TakenAway() (map[[3]string]time.Time, error) {
	rows, err := s.db.Table("review_items i").Joins("JOIN reviews r ON r.id = i.review").
		Select(`i."user", i.role, i."set", r.closed`).
		Where("i.decision = 'revoke' AND r.closed IS NOT NULL").Order("r.closed").Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[[3]string]time.Time{}
	for rows.Next() {
		var of [3]string
		var at time.Time
		if err := rows.Scan(&of[0], &of[1], &of[2], &at); err != nil {
			return nil, err
		}
		out[of] = at
	}
	return out, rows.Err()
}

// DecidedAbout tells whether a revision carries out what a review decided about a person: its outcome, or a task that
// it left.
func (s *Store) DecidedAbout(revision int, user string) (about bool, err error) {
	err = s.db.Raw(`SELECT EXISTS (SELECT 1 FROM review_items i JOIN reviews r ON r.id = i.review
			WHERE r.revision = ? AND i.user = ? AND i.decision = 'revoke')
		OR EXISTS (SELECT 1 FROM review_tasks WHERE revision = ? AND user = ?)`, revision, user, revision,
		user).Scan(&about).Error
	return about, err
}

// CloseReview ends a review, with the items that its fate decides, and what it leaves to do; [ErrNotFound] if it is
// not open.
func (s *Store) CloseReview(
	id int,
	at time.Time,
	revision int,
	alone string,
	fated []ReviewItem,
	tasks []ReviewTask,
	letters []Letter,
) error {
	return s.write(func(tx *gorm.DB) error {
		s := within(tx)
		var kept []Decision
		for _, i := range fated {
			kept = append(kept, Decision{Item: i.ID, Decision: i.Decision, Reason: i.Reason, At: at})
		}
		if err := s.DecideAll(fated, kept); err != nil {
			return err
		}
		done := tx.Model(&Review{}).
			Where("id = ? AND closed IS NULL", id).
			Updates(map[string]any{"closed": at, "revision": revision, "alone": alone})
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
		return within(tx).WriteAll(letters)
	})
}

// Waiting counts the items of open reviews that a reviewer has not decided.
func (s *Store) Waiting(reviewer string) (int, error) {
	var n int64
	err := s.db.Model(&ReviewItem{}).
		Where("reviewer = ? AND decision = '' AND review IN (SELECT id FROM reviews WHERE closed IS NULL)", reviewer).
		Count(&n).
		Error
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

// LateTasks gives the tasks that are not settled, nor handed on, of reviews that were closed before an instant.
func (s *Store) LateTasks(before time.Time) (out []ReviewTask, err error) {
	return out, s.db.Where("decision = '' AND coalesce(former, '') = ''").
		Where("review IN (SELECT id FROM reviews WHERE closed < ?)", before.UTC()).Order("id").Find(&out).Error
}

// HandTasksOn keeps who is to settle tasks now in place of whom, with the letters that say so. One that was settled
// meanwhile stays as it is.
func (s *Store) HandTasksOn(tasks []ReviewTask, letters []Letter) error {
	return s.write(func(tx *gorm.DB) error {
		for _, t := range tasks {
			if err := tx.Model(&ReviewTask{}).Where("id = ? AND decision = ''", t.ID).
				Select("Owner", "Former").Updates(&t).Error; err != nil {
				return err
			}
		}
		return within(tx).WriteAll(letters)
	})
}

// Task gives one task; [ErrNotFound] if there is none of that id.
func (s *Store) Task(id int) (t ReviewTask, err error) { return t, first(s.db, &t, "id = ?", id) }

// SettleTask keeps what was decided on a task; [ErrNotFound] if it had been settled.
func (s *Store) SettleTask(t ReviewTask) error {
	done := s.w.Model(&ReviewTask{}).
		Where("id = ? AND decision = ''", t.ID).
		Select("Decision", "Reason", "Decided", "By", "Revision").
		Updates(&t)
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrNotFound
	}
	return done.Error
}

// Remind puts letters into the outbox and keeps when a review's stragglers were reminded.
func (s *Store) Remind(review int, at time.Time, letters []Letter) error {
	return s.write(func(tx *gorm.DB) error {
		if err := within(tx).WriteAll(letters); err != nil {
			return err
		}
		return tx.Model(&Review{}).Where("id = ?", review).Update("reminded", at).Error
	})
}

// Declined gives the people who do not want letters of a kind.
func (s *Store) Declined(kind string) (map[string]bool, error) {
	var list []Declined
	err := s.db.Where("kind = ?", kind).Find(&list).Error
	out := make(map[string]bool, len(list))
	for _, d := range list {
		out[d.User] = true
	}
	return out, err
}

// DeclinedBy gives the kinds of letters that a person does not want.
func (s *Store) DeclinedBy(user string) (kinds []string, err error) {
	return kinds, s.db.Model(&Declined{}).Where("user = ?", user).Order("kind").Pluck("kind", &kinds).Error
}

// Decline keeps which kinds of letters a person does not want, in place of what was kept before.
func (s *Store) Decline(user string, kinds ...string) error {
	return s.write(func(tx *gorm.DB) error {
		if err := tx.Where("user = ?", user).Delete(&Declined{}).Error; err != nil {
			return err
		}
		for _, k := range kinds {
			if err := tx.Create(&Declined{user, k}).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// Backlog counts what waits for somebody.
type Backlog struct {
	Letters int // to be sent
	Items   int // of open reviews, undecided
	Overdue int // those of them whose review was due
	Tasks   int // undecided
}

// Backlog counts what waits at an instant.
func (s *Store) Backlog(now time.Time) (Backlog, error) {
	var letters, items, overdue, tasks int64
	undecided := func() *gorm.DB {
		return s.db.Model(&ReviewItem{}).Joins("JOIN reviews ON reviews.id = review_items.review").
			Where("reviews.closed IS NULL AND review_items.decision = ''")
	}
	err := errors.Join(
		s.db.Model(&Letter{}).Where("state IN ?", []string{LetterWaits, LetterSending}).Count(&letters).Error,
		undecided().Count(&items).Error,
		undecided().Where("reviews.due < ?", now).Count(&overdue).Error,
		s.db.Model(&ReviewTask{}).Where("decision = ''").Count(&tasks).Error,
	)
	return Backlog{int(letters), int(items), int(overdue), int(tasks)}, err
}

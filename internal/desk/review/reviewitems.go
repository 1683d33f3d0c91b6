package review

import (
	"cmp"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// ReviewItems is a window into those items of a review that its viewer may see.
type ReviewItems struct {
	Rows  []ReviewItem `json:"rows"`
	Total int          `json:"total"`
	First int          `json:"first" doc:"The place of the first that is yours and undecided; if there is none, of the first that is yours; else 0"`
	Next  int          `json:"next" doc:"The place of the next that is yours and undecided, behind the one asked for and then from the top; -1 if there is none"`
}

// ItemsAsk says which items of a review are asked for.
type ItemsAsk struct {
	Where  string
	Only   string // "", "open" or "mine"
	After  int    // the place of which the next is asked for
	Offset int
	Limit  int
}

// ReviewOutcome is what closing a review now would do.
type ReviewOutcome struct {
	Sentences [][]desk.Phrase `json:"sentences" doc:"As many as were asked for"`
	Total     int             `json:"total" doc:"How many there are"`
	ToOwners  int             `json:"toOwners" doc:"How many tasks it would leave to the owners of groups that give what was revoked"`
	ByHand    int             `json:"byHand" doc:"How many tasks it would leave of what only a person can carry out"`
	Asides    int             `json:"asides" doc:"How many findings would no longer be set aside"`
	Spare     []SpareSeats    `json:"spare" doc:"Seats that nobody would need any longer, by licence"`
}

// SpareSeats are seats of a licence that people would keep and need no longer.
type SpareSeats struct {
	Licence desk.Ref `json:"licence"`
	Seats   int      `json:"seats"`
}

// Items gives a window into those items of a review that somebody may see, the most doubtful first.
func (d *Reviewer) Items(who desk.Actor, id int, ask ItemsAsk) (*ReviewItems, error) {
	l, err := d.look(who, id, ask.Where)
	if err != nil {
		return nil, err
	}
	mine := func(i store.ReviewItem) bool { return i.Reviewer == d.self(l.h, who) }
	open := func(i store.ReviewItem) bool { return mine(i) && i.Decision == "" }
	items := slices.DeleteFunc(l.items, func(i store.ReviewItem) bool {
		return ask.Only == "mine" && !mine(i) || ask.Only == "open" && i.Decision != ""
	})
	// The doubtful come first, and what is alike together. The order does not change as they are decided.
	slices.SortStableFunc(items, func(a, b store.ReviewItem) int {
		return cmp.Or(b.Doubt-a.Doubt, strings.Compare(a.Role, b.Role), strings.Compare(a.Set, b.Set))
	})
	v := &ReviewItems{Rows: []ReviewItem{}, Total: len(items), First: slices.IndexFunc(items, open), Next: -1}
	if v.First < 0 {
		v.First = max(0, slices.IndexFunc(items, mine))
	}
	after := min(max(0, ask.After+1), len(items))
	if v.Next = slices.IndexFunc(items[after:], open); v.Next >= 0 {
		v.Next += after
	} else {
		v.Next = slices.IndexFunc(items[:max(0, after-1)], open)
	}
	from := min(ask.Offset, len(items))
	var ids []int
	for _, i := range items[from:min(from+ask.Limit, len(items))] {
		ids = append(ids, i.ID)
	}
	rows, err := d.Reading(who).ItemsByID(ids)
	if err != nil {
		return nil, err
	}
	_, rows, _ = asOf(l.now, l.r, rows, nil)
	place := make(map[int]int, len(ids))
	for n, id := range ids {
		place[id] = n
	}
	slices.SortFunc(rows, func(a, b store.ReviewItem) int { return place[a.ID] - place[b.ID] })
	for _, i := range rows {
		v.Rows = append(v.Rows, d.item(l.h, l.r, i, who))
	}
	return v, nil
}

// decidedAtOnce is how many items one decision is made about, at most.
const decidedAtOnce = 1000

// Alike gives those items of somebody's own in a review that are undecided and alike one of them, by id; no more than
// one decision takes.
func (d *Reviewer) Alike(who desk.Actor, item int) ([]int, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	one, err := d.Reading(who).ReviewItem(item)
	if err != nil || one.Reviewer != d.self(h, who) {
		return nil, desk.Refuse(desk.NotFound, "There is no review item %d of yours.", item)
	}
	r, err := d.Reading(who).Review(one.Review)
	if err != nil {
		return nil, err
	}
	items, err := d.Reading(who).ItemsInBrief(r.ID)
	if err != nil {
		return nil, err
	}
	var near []int // what may be alike, which only its evidence tells
	for _, i := range items {
		if i.Decision == "" && i.Reviewer == d.self(h, who) && i.Role == one.Role && i.Set == one.Set {
			near = append(near, i.ID)
		}
	}
	like, out := d.item(h, r, one, who).Like, []int{}
	for some := range slices.Chunk(near, 200) {
		read, err := d.Reading(who).ItemsByID(some)
		if err != nil {
			return nil, err
		}
		for _, i := range read {
			if d.item(h, r, i, who).Like == like {
				out = append(out, i.ID)
			}
		}
		if len(out) >= decidedAtOnce {
			return out[:decidedAtOnce], nil
		}
	}
	return out, nil
}

// Outcome tells what closing a review now would do, in so many sentences at most. Who may not close it is refused.
func (d *Reviewer) Outcome(who desk.Actor, id, most int) (*ReviewOutcome, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	r, items, err := d.run(h, who, id)
	if err != nil {
		return nil, err
	}
	v := &ReviewOutcome{Sentences: [][]desk.Phrase{}, Spare: []SpareSeats{}}
	if r.Closed != nil {
		return v, nil
	}
	revoked := revokedOf(r, items)
	ops := review.Revoke(h.Design(), revoked)
	v.Sentences = desk.Sentences(change.Sentences(ops, change.NamesIn(h.Design())))
	v.Total = len(v.Sentences)
	v.Sentences = v.Sentences[:min(v.Total, most)]
	for _, i := range revoked {
		v.ToOwners += len(i.Groups)
		if review.ByHand(h.Design(), i) {
			v.ByHand++
		}
		if i.Keeps.Kind == review.KindAside {
			v.Asides++
		}
	}
	after, problems := change.Apply(h.Design(), ops)
	if len(model.Errors(problems)) > 0 {
		return v, nil // that it cannot be is told when it is closed
	}
	spare := change.CountsOf(h.Index, h.Index.Update(after), ops, d.Now()).Spare
	for _, l := range h.Design().Licences {
		if spare[l.ID] > 0 {
			v.Spare = append(v.Spare, SpareSeats{h.Ref(model.KindLicence, l.ID), spare[l.ID]})
		}
	}
	return v, nil
}

// run reads a review and its items for whoever may remind in it and close it.
func (d *Reviewer) run(h *desk.House, who desk.Actor, id int) (store.Review, []store.ReviewItem, error) {
	r, items, _, err := d.reviewParts(id)
	if err == nil && !d.mayRunReview(h, who, r) {
		if _, err = d.look(who, id, ""); err == nil { // they see it, so are told what they lack
			err = d.Need(h, who, model.RunReviews)
		}
	}
	return r, items, err
}

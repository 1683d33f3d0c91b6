package review

import (
	"slices"
	"strings"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// Decide keeps a reviewer's decision on an item: "keep", "revoke" with a reason, or "" to take the decision back.
func (d *Reviewer) Decide(who desk.Actor, item int, decision, reason string) (*ReviewItem, error) {
	list, err := d.DecideMany(who, []int{item}, decision, reason)
	if err != nil {
		return nil, err
	}
	return &list[0], nil
}

// DecideMany keeps one decision on several items, which must be alike: the same role or set, held by the same kind
// of way, with the same weight against it. Either all are decided or none.
func (d *Reviewer) DecideMany(who desk.Actor, ids []int, decision, reason string) ([]ReviewItem, error) {
	h := d.Present()
	if err := d.InPerson(h, who); err != nil {
		return nil, err
	}
	reason = strings.TrimSpace(reason)
	if decision == decisionRevoke && reason == "" {
		return nil, desk.Refuse(desk.Invalid, "Say why it is revoked: whoever loses it will ask.")
	}
	now := d.Now()
	var items []store.ReviewItem
	var kept []store.Decision
	out := []ReviewItem{}
	like, own := "", review.NewChooser(h.Index, now, nil)
	for n, id := range ids {
		i, err := d.Reading(who).ReviewItem(id)
		if err != nil {
			return nil, desk.Missing(err, "There is no review item %d.", id)
		}
		back := decision == "" && i.Stage == second && i.Decision == "" && i.HandedBy == who.User
		if i.Reviewer != who.User && !back {
			return nil, d.notYours(h, who, i)
		}
		r, err := d.Reading(who).Review(i.Review)
		if err != nil {
			return nil, err
		}
		if r.Closed != nil {
			return nil, desk.Refuse(desk.NotFound, "This review is closed: its decisions stand.")
		}
		it := itemOf(r, i)
		if own.Own(it)(who.User) {
			return nil, desk.Refuse(desk.NotAllowed, "Nobody decides about their own access.")
		}
		if decision == "" && !back && i.By != "" && i.By != who.User {
			return nil, desk.Refuse(desk.NotAllowed, "%s decided this, and that counts until you decide it anew.",
				h.Ref(model.KindUser, i.By).Name)
		}
		if i.Stage == second && !back {
			first, err := d.firstKeeper(i)
			if err != nil {
				return nil, err
			}
			if first == who.User {
				return nil, desk.Refuse(desk.NotAllowed, "You decided this the first time: somebody else decides once more.")
			}
		}
		v := d.item(h, r, i, who)
		if n > 0 && v.Like != like && decision != "" {
			return nil, desk.Refuse(
				desk.Invalid,
				"The item about %s is not like the others: decide it by itself.",
				v.Subject.Name,
			)
		}
		like = v.Like
		kept = append(kept, store.Decision{Item: i.ID, Decision: decision, Reason: reason, By: who.User, At: now})
		i.Decision, i.Reason, i.By, i.Decided = decision, reason, who.User, &now
		switch {
		case back:
			i.Reviewer, i.HandedBy, i.Note, i.Stage = who.User, "", "", 0
		case decision == decisionKeep && d.twice(h, r, &i, it, who.User):
			i.Reviewer, i.HandedBy, i.Note, i.Stage = i.Second, who.User, strings.TrimSpace("Kept. "+reason), second
			i.Decision = ""
			kept = append(kept, store.Decision{Item: i.ID, Reason: i.Note, By: who.User, Handed: i.Second, At: now})
		}
		if i.Decision == "" {
			i.Reason, i.By, i.Decided = "", "", nil
		}
		items = append(items, i)
		out = append(out, d.item(h, r, i, who))
	}
	if err := d.Store.DecideAll(items, kept); err != nil {
		return nil, desk.Missing(err, "This review is closed: its decisions stand.")
	}
	return out, nil
}

// second is the stage of an item that its first reviewer would keep.
const second = 1

// twice tells whether somebody else decides once more about an item that somebody would keep, and names them in it: the
// second reviewer; or, where that is whoever decided first (it was handed to them, they stand in, or they are the
// fallback) or cannot decide, who had the item before, the fallback, or who opened the review.
func (d *Reviewer) twice(h *desk.House, r store.Review, i *store.ReviewItem, it review.Item, by string) bool {
	if i.Second == "" || i.Stage == second {
		return false
	}
	own := review.NewChooser(h.Index, d.Now(), nil).Own(it)
	for _, user := range []string{i.Second, i.HandedBy, r.Fallback, r.Opener} {
		if user != "" && user != by && h.Index.Live(user, d.Now()) && !own(user) {
			i.Second = user
			return true
		}
	}
	return false
}

// firstKeeper gives who kept an item the first time, so that it went to the second: whoever it is handed to from there
// on, they do not decide it again.
func (d *Reviewer) firstKeeper(i store.ReviewItem) (string, error) {
	steps, err := d.Store.Decisions(i.ID)
	for n := len(steps) - 1; n > 0; n-- {
		if steps[n].Handed == i.Second && steps[n-1].Decision == decisionKeep && steps[n-1].By == steps[n].By {
			return steps[n].By, err
		}
	}
	return "", err
}

// notYours refuses an item that is for somebody else: by name to who sees reviews, and otherwise as one that does not
// exist.
func (d *Reviewer) notYours(h *desk.House, who desk.Actor, i store.ReviewItem) error {
	if !d.May(h, who, model.ViewReviews) && i.HandedBy != who.User {
		return desk.Refuse(desk.NotFound, "There is no review item %d.", i.ID)
	}
	return desk.Refuse(
		desk.NotAllowed,
		"The item about %s is for %s to decide.",
		subjectOf(h, itemOf(store.Review{}, i)).Name,
		h.Ref(model.KindUser, i.Reviewer).Name,
	)
}

// HandOn gives an item to somebody else to decide, with a word why; never to, or by, the person whom it is about. What
// was decided counts until it is decided anew.
func (d *Reviewer) HandOn(who desk.Actor, item int, to, note string) (*ReviewItem, error) {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return nil, err
	}
	i, err := d.Reading(who).ReviewItem(item)
	if err != nil {
		return nil, desk.Missing(err, "There is no review item %d.", item)
	}
	r, err := d.Reading(who).Review(i.Review)
	if err != nil {
		return nil, err
	}
	own := review.NewChooser(h.Index, d.Now(), nil).Own(itemOf(r, i))
	name := d.Named(h, who, model.KindUser, to).Name
	switch {
	case (i.Reviewer != who.User || who.Maker != "") && !d.mayRunReview(h, who, r):
		return nil, d.notYours(h, who, i)
	case r.Closed != nil:
		return nil, desk.Refuse(desk.NotFound, "This review is closed: its decisions stand.")
	case own(who.User):
		return nil, desk.Refuse(desk.NotAllowed, "Nobody chooses who decides about their own access.")
	case own(to):
		return nil, desk.Refuse(
			desk.Invalid,
			"Nobody decides about their own access, so it cannot be handed to %s.",
			name,
		)
	case !h.Index.Live(to, d.Now()):
		return nil, desk.Refuse(desk.Invalid, "%s is not known, or not live, so could not decide it.", name)
	case to == i.Reviewer:
		return nil, desk.Refuse(desk.Invalid, "%s already has it.", name)
	}
	i.HandedBy, i.Note, i.Reviewer = who.User, strings.TrimSpace(note), to
	step := store.Decision{Item: i.ID, Reason: i.Note, By: who.User, Handed: to, At: d.Now()}
	if err := d.Store.DecideAll([]store.ReviewItem{i}, []store.Decision{step}); err != nil {
		return nil, desk.Missing(err, "This review is closed: its decisions stand.")
	}
	v := d.item(h, r, i, who)
	return &v, nil
}

// Colleague is somebody to whom an item can be handed.
type Colleague struct {
	User desk.Ref `json:"user"`
	Note string   `json:"note"`
}

// decides tells whether review items can come to somebody: as a manager, or as an owner.
func decides(d *model.Design, user string) bool {
	return slices.ContainsFunc(d.Users, func(u *model.User) bool { return u.Manager == user }) ||
		slices.ContainsFunc(d.Roles, func(r *model.Role) bool { return r.Owner == user }) ||
		slices.ContainsFunc(d.Sets, func(s *model.Set) bool { return s.Owner == user }) ||
		slices.ContainsFunc(d.Groups, func(g *model.Group) bool { return g.Owner == user })
}

// handsOn refuses whoever has no item to hand on, nor could have one: they are told nobody's name.
func (d *Reviewer) handsOn(h *desk.House, who desk.Actor) error {
	mine, err := d.Store.Waiting(d.self(h, who))
	if err == nil && mine == 0 && !d.May(h, who, model.ViewReviews) && !decides(h.Design(), d.self(h, who)) {
		err = desk.Refuse(desk.NotAllowed,
			"No item waits for you, nor could one come to you, so there is none to hand on.")
	}
	return err
}

const colleaguesShown = 20

// Colleagues finds live people by words, for a reviewer who would hand an item on or is away: a reviewer need not see
// the design, but knows people's names.
func (d *Reviewer) Colleagues(who desk.Actor, words string) ([]Colleague, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	if err := d.handsOn(h, who); err != nil {
		return nil, err
	}
	out := []Colleague{}
	wanted := strings.Fields(model.Fold(words))
	for _, e := range h.Entries(model.KindUser) {
		if len(out) == colleaguesShown {
			break
		}
		if e.Node.ID != who.Eyes() && h.Index.Live(e.Node.ID, d.Now()) &&
			!slices.ContainsFunc(wanted, func(w string) bool { return !strings.Contains(e.Sort, w) }) {
			out = append(out, Colleague{h.Ref(model.KindUser, e.Node.ID), h.Note(e.Node)})
		}
	}
	return out, nil
}

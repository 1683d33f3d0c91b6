package desk

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/store"
)

// Review is a campaign to confirm access to a role, with how far it has come.
type Review struct {
	ID       int        `json:"id"`
	Name     string     `json:"name"`
	Role     Ref        `json:"role"`
	Area     Ref        `json:"area"`
	Opener   Ref        `json:"opener"`
	Opened   time.Time  `json:"opened"`
	Due      time.Time  `json:"due"`
	Closed   *time.Time `json:"closed,omitempty"`
	Revision int        `json:"revision,omitempty" doc:"The revision that closing made, if any"`
	Items    int        `json:"items"`
	Kept     int        `json:"kept"`
	Revoked  int        `json:"revoked"`
	Mine     int        `json:"mine" doc:"How many of the items are yours to decide"`
	Waiting  int        `json:"waiting" doc:"How many of these you have not decided"`
}

// ReviewItem asks whether a person should keep a role, with what is needed to decide.
type ReviewItem struct {
	ID       int       `json:"id"`
	User     Ref       `json:"user"`
	Note     string    `json:"note" doc:"Title and home area of the person"`
	Reviewer Ref       `json:"reviewer"`
	Mine     bool      `json:"mine"`
	Direct   []Terms   `json:"direct" doc:"Assignments to the person, which go away if the role is revoked"`
	Groups   []Ref     `json:"groups" doc:"Groups that give the person the role too; these stay"`
	Loses    []Holding `json:"loses" doc:"What really goes away if it is revoked"`
	Decision string    `json:"decision" enum:",keep,revoke"`
	Reason   string    `json:"reason,omitempty"`
	By       *Ref      `json:"by,omitempty"`
}

// ReviewDetail is a review with those items that its viewer may see.
type ReviewDetail struct {
	Review  Review       `json:"review"`
	Items   []ReviewItem `json:"items"`
	MayRun  bool         `json:"mayRun" doc:"The viewer may close it"`
	Outcome [][]Part     `json:"outcome" doc:"What closing it now would do, in sentences"`
}

func (h *house) review(r store.Review, items []store.ReviewItem, who Actor) Review {
	v := Review{ID: r.ID, Name: r.Name, Role: h.ref(model.KindRole, r.Role), Area: h.area(r.Area), Opener: h.ref(model.KindUser, r.Opener), Opened: r.Opened, Due: r.Due, Closed: r.Closed, Revision: r.Revision, Items: len(items)}
	for _, i := range items {
		switch i.Decision {
		case decisionKeep:
			v.Kept++
		case decisionRevoke:
			v.Revoked++
		}
		if i.Reviewer == who.eyes() {
			v.Mine++
			if i.Decision == "" && r.Closed == nil {
				v.Waiting++
			}
		}
	}
	return v
}

// The decisions on an item.
const (
	decisionKeep   = "keep"
	decisionRevoke = "revoke"
)

// waiting counts the items that wait for a person's decision.
func (d *Desk) waiting(who Actor) (int, error) { return d.store.Waiting(who.eyes()) }

// Reviews gives those reviews that a person may see, latest first: all, or those with items of the person's own.
func (d *Desk) Reviews(who Actor) ([]Review, error) {
	h := d.house.Load()
	all := d.need(h, who, model.ViewReviews) == nil
	if !all && !h.index.Live(who.User, d.now()) {
		return nil, refuse(NotSignedIn, "Sign in first.")
	}
	list, err := d.store.Reviews()
	if err != nil {
		return nil, err
	}
	out := []Review{}
	for _, r := range list {
		items, err := d.store.ReviewItems(r.ID, "")
		if err != nil {
			return nil, err
		}
		if v := h.review(r, items, who); all || v.Mine > 0 {
			out = append(out, v)
		}
	}
	return out, nil
}

// Review gives one review.
func (d *Desk) Review(who Actor, id int) (*ReviewDetail, error) {
	h := d.house.Load()
	r, err := d.store.Review(id)
	if err != nil {
		return nil, missing(err, "There is no review %d.", id)
	}
	items, err := d.store.ReviewItems(id, "")
	if err != nil {
		return nil, err
	}
	v := &ReviewDetail{Review: h.review(r, items, who), MayRun: d.may(h, who, model.RunReviews), Items: []ReviewItem{}, Outcome: [][]Part{}}
	if err := d.need(h, who, model.ViewReviews); err != nil {
		if v.Review.Mine == 0 || !h.index.Live(who.User, d.now()) {
			return nil, err
		}
		items = slices.DeleteFunc(items, func(i store.ReviewItem) bool { return i.Reviewer != who.User })
	}
	for _, i := range items {
		v.Items = append(v.Items, d.item(h, i, who))
	}
	if v.MayRun && r.Closed == nil {
		v.Outcome = sentences(change.Sentences(review.Revoke(h.design(), revoked(items)), change.NamesIn(h.design())))
	}
	return v, nil
}

func (d *Desk) item(h *house, i store.ReviewItem, who Actor) ReviewItem {
	v := ReviewItem{ID: i.ID, User: h.ref(model.KindUser, i.User), Note: h.note(index.Node{Kind: model.KindUser, ID: i.User}), Reviewer: h.ref(model.KindUser, i.Reviewer),
		Mine: i.Reviewer == who.User, Direct: []Terms{}, Groups: []Ref{}, Decision: i.Decision, Reason: i.Reason}
	for _, id := range i.Direct {
		if a, ok := h.design().Assignments.Find(id); ok {
			v.Direct = append(v.Direct, h.terms(a))
		}
	}
	for _, g := range i.Groups {
		v.Groups = append(v.Groups, h.ref(model.KindGroup, g))
	}
	now := d.now()
	v.Loses = h.holdings(change.Beyond(h.index, h.index.Widest(i.User, now), h.index.Without(i.User, i.Direct, now)))
	if i.By != "" {
		by := h.ref(model.KindUser, i.By)
		v.By = &by
	}
	return v
}

func revoked(items []store.ReviewItem) (out []review.Item) {
	for _, i := range items {
		if i.Decision == decisionRevoke {
			out = append(out, review.Item{User: i.User, Direct: i.Direct, Groups: i.Groups})
		}
	}
	return out
}

// NewReview says what to review.
type NewReview struct {
	Role string     `json:"role" minLength:"1"`
	Area string     `json:"area,omitempty" doc:"Only assignments that count somewhere in this area; all if absent"`
	Name string     `json:"name,omitempty" maxLength:"200" doc:"Named after the role if absent"`
	Due  *time.Time `json:"due,omitempty" doc:"In three weeks if absent"`
}

// ReviewPreview is what opening a review would ask, and whom.
type ReviewPreview struct {
	Items     int   `json:"items"`
	ByHand    int   `json:"byHand" doc:"How many of these hold the role by an assignment of their own"`
	Reviewers []Ref `json:"reviewers"`
	Fallback  int   `json:"fallback" doc:"How many have no manager who could decide, so that the opener does"`
}

// prepare selects the items of a review and finds who decides each.
func (d *Desk) prepare(who Actor, n NewReview) (*house, []store.ReviewItem, error) {
	h, err := d.enter(who, model.RunReviews)
	if err != nil {
		return nil, nil, err
	}
	role, ok := h.design().Roles.Find(n.Role)
	if !ok {
		return nil, nil, refuse(NotFound, "There is no role %q.", n.Role)
	}
	if n.Area != "" && h.design().Get(model.KindArea, n.Area) == nil {
		return nil, nil, refuse(NotFound, "There is no area %q.", n.Area)
	}
	now := d.now()
	fallbacks := append([]string{who.User, role.Owner}, h.index.Owners(now)...)
	var items []store.ReviewItem
	for _, i := range review.Items(h.index, n.Role, n.Area, now) {
		items = append(items, store.ReviewItem{User: i.User, Reviewer: review.Reviewer(h.index, i.User, now, fallbacks...), Direct: i.Direct, Groups: i.Groups})
	}
	return h, items, nil
}

// PreviewReview tells what opening a review would ask, and whom.
func (d *Desk) PreviewReview(who Actor, n NewReview) (*ReviewPreview, error) {
	h, items, err := d.prepare(who, n)
	if err != nil {
		return nil, err
	}
	p := &ReviewPreview{Items: len(items), Reviewers: []Ref{}}
	seen := map[string]bool{}
	for _, i := range items {
		if len(i.Direct) > 0 {
			p.ByHand++
		}
		if u, _ := h.design().Users.Find(i.User); u.Manager != i.Reviewer {
			p.Fallback++
		}
		if !seen[i.Reviewer] {
			seen[i.Reviewer] = true
			p.Reviewers = append(p.Reviewers, h.ref(model.KindUser, i.Reviewer))
		}
	}
	slices.SortFunc(p.Reviewers, func(a, b Ref) int { return strings.Compare(a.Name, b.Name) })
	return p, nil
}

// OpenReview opens a review of a role with the managers as reviewers.
func (d *Desk) OpenReview(who Actor, n NewReview) (*Review, error) {
	h, items, err := d.prepare(who, n)
	if err != nil {
		return nil, err
	}
	if len(items) == 0 {
		return nil, refuse(Invalid, "Nobody is assigned this role there, so there is nothing to review.")
	}
	for _, i := range items {
		if i.Reviewer == "" {
			return nil, refuse(Invalid, "Nobody but %s could decide about %s: give them a manager first.", h.ref(model.KindUser, i.User).Name, h.ref(model.KindUser, i.User).Name)
		}
	}
	r := store.Review{Name: cmp.Or(strings.TrimSpace(n.Name), "Review of "+h.ref(model.KindRole, n.Role).Name), Role: n.Role, Area: n.Area, Opener: who.User, Opened: d.now(), Due: d.now().AddDate(0, 0, 21)}
	if n.Due != nil {
		if !n.Due.After(d.now()) {
			return nil, refuse(Invalid, "The review would be due before it opens: choose a later day.")
		}
		r.Due = n.Due.UTC()
	}
	if r.ID, err = d.store.AddReview(r, items); err != nil {
		return nil, err
	}
	v := h.review(r, items, who)
	return &v, nil
}

// Decide keeps a reviewer's decision on an item: "keep", "revoke" with a reason, or "" to take the decision back.
func (d *Desk) Decide(who Actor, item int, decision, reason string) (*ReviewItem, error) {
	h := d.house.Load()
	if !h.index.Live(who.User, d.now()) {
		return nil, refuse(NotSignedIn, "Sign in first.")
	}
	i, err := d.store.ReviewItem(item)
	if err != nil {
		return nil, missing(err, "There is no review item %d.", item)
	}
	if i.Reviewer != who.User {
		return nil, refuse(NotAllowed, "This item is for %s to decide.", h.ref(model.KindUser, i.Reviewer).Name)
	}
	if i.User == who.User {
		return nil, refuse(NotAllowed, "Nobody decides about their own access.")
	}
	now := d.now()
	i.Decision, i.Reason, i.By, i.Decided = decision, strings.TrimSpace(reason), who.User, &now
	if decision == "" {
		i.Reason, i.By, i.Decided = "", "", nil
	}
	if err := d.store.Decide(i); err != nil {
		return nil, missing(err, "This review is closed: its decisions stand.")
	}
	v := d.item(h, i, who)
	return &v, nil
}

// CloseReview ends a review and takes away, in one revision, the direct assignments that were revoked.
func (d *Desk) CloseReview(who Actor, id int) (*Review, error) {
	d.write.Lock()
	defer d.write.Unlock()
	h, err := d.enter(who, model.RunReviews)
	if err != nil {
		return nil, err
	}
	r, err := d.store.Review(id)
	if err != nil {
		return nil, missing(err, "There is no review %d.", id)
	}
	if r.Closed != nil {
		return nil, refuse(Conflict, "This review is closed already.")
	}
	items, err := d.store.ReviewItems(id, "")
	if err != nil {
		return nil, err
	}
	now := d.now()
	ops := review.Revoke(h.design(), revoked(items))
	if len(ops) == 0 {
		err = d.store.CloseReview(id, now, 0)
	} else {
		after, problems := change.Apply(h.design(), ops)
		if after == nil {
			return nil, problemsOf(problems)
		}
		if blocks := d.forbidden(h, who, change.Weigh(h.index, index.Compile(after), ops, now)); len(blocks) > 0 {
			return nil, &Error{Cause: Invalid, Message: "The outcome of this review cannot be applied.", Problems: blocks}
		}
		h, err = d.apply(h, after, ops, applied{who: who, why: "Outcome of “" + r.Name + "”", along: func(s *store.Store, revision int) error {
			return s.CloseReview(id, now, revision)
		}})
	}
	if err != nil {
		return nil, missing(err, "This review is closed already.")
	}
	if r, err = d.store.Review(id); err != nil {
		return nil, err
	}
	v := h.review(r, items, who)
	return &v, nil
}

// reviewsTouched names the open reviews that ask about a role or an assignment that a change touches.
func (d *Desk) reviewsTouched(ops []change.Op) (names []string, err error) {
	list, err := d.store.Reviews()
	if err != nil {
		return nil, err
	}
	for _, r := range list {
		if r.Closed != nil {
			continue
		}
		touches := slices.ContainsFunc(ops, func(o change.Op) bool {
			for _, v := range []model.Object{o.Before, o.After} {
				if a, ok := v.(*model.Assignment); ok && a.Role == r.Role {
					return true
				}
			}
			return o.Kind == model.KindRole && o.ID == r.Role
		})
		if touches {
			names = append(names, r.Name)
		}
	}
	return names, nil
}

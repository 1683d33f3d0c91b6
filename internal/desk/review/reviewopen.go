package review

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// NewReview says what to review, and who decides.
type NewReview struct {
	Ask      review.Ask `json:"ask,omitempty" enum:",groups,roles,delegations,exceptions,accounts" doc:"What is asked: about access if absent; else what groups give, what makes up roles, delegations, exceptions with what is set aside, or accounts without use"`
	Name     string     `json:"name,omitempty" maxLength:"200" doc:"Named after what it asks about if absent"`
	System   string     `json:"system,omitempty" doc:"Only roles and sets that give something of this system"`
	Role     string     `json:"role,omitempty"`
	Set      string     `json:"set,omitempty"`
	Group    string     `json:"group,omitempty" doc:"Only what comes by this group"`
	Area     string     `json:"area,omitempty" doc:"Only assignments that count somewhere in this area"`
	Risk     int        `json:"risk,omitempty" minimum:"0" maximum:"3" doc:"Only what gives something of at least this risk"`
	Filter   string     `json:"filter,omitempty" maxLength:"20000" doc:"Only people whom this filter matches (RFC 7644)"`
	By       string     `json:"by,omitempty" enum:",manager,owner,person" doc:"Who decides; the managers if absent"`
	Person   string     `json:"person,omitempty" doc:"Who decides, if it is one person"`
	Fallback string     `json:"fallback,omitempty" doc:"Who decides where there is nobody else; the opener if absent"`
	Second   *Second    `json:"second,omitempty" doc:"Who decides once more about what the first would keep"`
	Fate     string     `json:"fate,omitempty" enum:",keep,revoke" doc:"What becomes of what is undecided at the end; kept if absent"`
	Due      *time.Time `json:"due,omitempty" doc:"In three weeks if absent"`

	only  map[string]bool                    // the people who are asked about; nil: all
	along func(s *store.Store, id int) error // what is kept with it
}

// Second says who decides once more about what the first reviewer would keep.
type Second struct {
	By     string `json:"by" enum:"manager,owner,person"`
	Person string `json:"person,omitempty" doc:"Who, if it is one person"`
	Risk   int    `json:"risk,omitempty" minimum:"0" maximum:"3" doc:"Only about what gives something of at least this risk"`
}

func (n NewReview) scope() review.Scope {
	return review.Scope{
		Ask:    n.Ask,
		System: n.System,
		Role:   n.Role,
		Set:    n.Set,
		Group:  n.Group,
		Area:   n.Area,
		Risk:   n.Risk,
		Filter: strings.TrimSpace(n.Filter),
	}
}

// ReviewPreview is what opening a review would ask, and whom.
type ReviewPreview struct {
	About     []desk.Phrase `json:"about"`
	Items     int           `json:"items"`
	People    int           `json:"people" doc:"How many people these are about"`
	ByHand    int           `json:"byHand" doc:"How many items would go away by themselves if revoked"`
	Doubtful  int           `json:"doubtful" doc:"Against how many items something speaks"`
	Reviewers []Straggler   `json:"reviewers"`
	Twice     int           `json:"twice" doc:"How many items a second reviewer decides as well, if they are kept"`
	Fallback  int           `json:"fallback" doc:"How many items come to the fallback, since nobody else could decide"`
	Nobody    []desk.Ref    `json:"nobody" doc:"People about whom nobody could decide; then it cannot be opened"`
	Trouble   string        `json:"trouble,omitempty" doc:"Why it cannot be opened so: the filter over people, or that it asks too much"`
	At        int           `json:"at"`
}

// prepare selects the items of a review and finds who decides each; nothing may be open to whom.
func (d *Reviewer) prepare(who desk.Actor, n NewReview) (*desk.House, []store.ReviewItem, *ReviewPreview, error) {
	h, asked, p, err := d.asks(who, n)
	if err != nil {
		return nil, nil, nil, err
	}
	items, err := d.spread(h, who, n, asked, p)
	return h, items, p, err
}

// asks selects the items of a review, for somebody who may ask them. If it cannot be opened so, there are none, and
// the preview says why.
func (d *Reviewer) asks(who desk.Actor, n NewReview) (*desk.House, []review.Item, *ReviewPreview, error) {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return nil, nil, nil, err
	}
	whole := d.May(h, who, model.RunReviews)
	authority := d.Authority(h, who)
	if !whole && n.Ask != review.AskAccess { // a delegate reviews what people are given
		return nil, nil, nil, d.Need(h, who, model.RunReviews)
	}
	if !whole &&
		!slices.ContainsFunc(
			authority.Delegations(),
			func(g *model.Delegation) bool { return slices.Contains(g.Actions, delegation.Review) },
		) {
		return nil, nil, nil, d.Need(h, who, model.RunReviews)
	}
	scope := n.scope()
	p := &ReviewPreview{Reviewers: []Straggler{}, Nobody: []desk.Ref{}}
	known := d.InSight(h, who)
	for _, person := range n.decidingPeople() {
		if !whole && person != who.User && known.Get(model.KindUser, person) == nil {
			return nil, nil, nil, desk.Refuse(desk.NotFound, "There is no person %q.", person)
		}
	}
	if err := scope.Check(known); err != nil {
		if broken := (*filter.Error)(nil); errors.As(err, &broken) {
			trouble, at := desk.TroubleIn(scope.Filter, errors.Unwrap(err))
			p.Trouble, p.At = "The filter over people cannot be read: "+trouble, at
			return h, nil, p, nil
		}
		return nil, nil, nil, desk.Refuse(desk.NotFound, "%s.", desk.Upper(err.Error()))
	}
	p.About = scopeWords(h, scope)
	now := d.Now()
	var covers func(*model.User) bool
	if !whole {
		covers = func(u *model.User) bool {
			return authority.Check(delegation.Act{Action: delegation.Review, User: u}) == nil
		}
	}
	if n.only != nil {
		covered := covers
		covers = func(u *model.User) bool { return n.only[u.ID] && (covered == nil || covered(u)) }
	}
	facts, err := d.facts(h, n.Ask)
	if err != nil {
		return nil, nil, nil, err
	}
	asked, more := review.Items(h.Index, scope, facts, now, covers)
	if more {
		p.Trouble = fmt.Sprintf("This would ask about more than %d items, more than anybody decides with care: "+
			"choose a smaller area, a system or a greater risk.", review.MostItems)
	}
	if n.Ask == review.AskAccounts {
		if asked, err = d.settled(asked); err != nil {
			return nil, nil, nil, err
		}
	}
	return h, asked, p, nil
}

// spread finds who decides each item of a review.
func (d *Reviewer) spread(
	h *desk.House, who desk.Actor, n NewReview, asked []review.Item, p *ReviewPreview,
) (items []store.ReviewItem, err error) {
	now := d.Now()
	deciders := review.Deciders{By: n.By, Person: n.Person, Fallback: cmp.Or(n.Fallback, who.User)}
	away, err := d.away(now)
	if err != nil {
		return nil, err
	}
	chooser := review.NewChooser(h.Index, now, away, append([]string{who.User}, h.Index.Owners(now)...)...)
	people := map[string]bool{}
	decider := map[string]struct { // of each person's items, where it does not hang on what these are about
		who   string
		first bool
	}{}
	risk := review.Risks(h.Index)
	for at, i := range asked {
		if at%1000 == 0 && who.Gone() != nil { // superseded: a preview is asked for with every key
			return nil, who.Gone()
		}
		d, known := decider[i.User]
		if !known || deciders.By == review.ByOwner || n.Ask != review.AskAccess {
			d.who, d.first = chooser.Reviewer(i, deciders)
			decider[i.User] = d
		}
		reviewer, first := d.who, d.first
		if reviewer == "" {
			if u := subjectOf(h, i); len(p.Nobody) == 0 || p.Nobody[len(p.Nobody)-1] != u { // its items come together
				p.Nobody = append(p.Nobody, u)
			}
		} else if !first {
			p.Fallback++
		}
		if i.User != "" {
			people[i.User] = true
		}
		if len(i.Direct) > 0 {
			p.ByHand++
		}
		item := rowOf(i)
		item.Reviewer = reviewer
		if n.Second != nil && risk(i) >= n.Second.Risk {
			second := review.Deciders{By: n.Second.By, Person: n.Second.Person}
			if item.Second = chooser.Second(i, second, reviewer); item.Second != "" {
				p.Twice++
			}
		}
		items = append(items, item)
	}
	p.Items, p.People = len(items), len(people)
	p.Reviewers = stragglers(h, items)
	return items, nil
}

// rowOf is what is kept of an item that is asked.
func rowOf(i review.Item) store.ReviewItem {
	return store.ReviewItem{
		User: i.User, Role: i.Role, Set: i.Set, Direct: i.Direct, Groups: i.Groups, Given: i.Given,
		Of: kept(i.Of), Keeps: kept(i.Keeps), Maker: i.Maker,
	}
}

// scalesOf gives scales for the items of a house.
func scalesOf(h *desk.House, now time.Time) *review.Scales {
	s := &desk.Sight{House: h, Present: h, At: now}
	posts := desk.Counted(s, "posts", func() *review.Posts { return review.PostsOf(h.Index, now) })
	return review.NewScales(h.Index, h.Uses, posts, view.Violations(s), now)
}

// PreviewReview tells what opening a review would ask, and whom.
func (d *Reviewer) PreviewReview(who desk.Actor, n NewReview) (*ReviewPreview, error) {
	h, items, p, err := d.prepare(who, n)
	if err != nil {
		return nil, err
	}
	now := d.Now()
	scales := scalesOf(h, now)
	for n, i := range items {
		if n%1000 == 0 && who.Gone() != nil {
			return nil, who.Gone()
		}
		e := scales.Weigh(itemOf(store.Review{}, i))
		if len(e.Doubts(now)) > 0 {
			p.Doubtful++
		}
	}
	return p, nil
}

// decidingPeople gives the people whom a review names by their ids.
func (n NewReview) decidingPeople() (out []string) {
	for _, person := range []string{n.Person, n.Fallback, cmp.Or(n.Second, &Second{}).Person} {
		if person != "" {
			out = append(out, person)
		}
	}
	return out
}

// nobody tells whether a person is to decide who is not named, or not there.
func (n NewReview) nobody(h *desk.House) bool {
	missing := func(by, person string) bool {
		return by == review.ByPerson && h.Design().Get(model.KindUser, person) == nil
	}
	return missing(n.By, n.Person) || n.Second != nil && missing(n.Second.By, n.Second.Person)
}

// OpenReview opens a review.
func (d *Reviewer) OpenReview(who desk.Actor, n NewReview) (*Review, error) {
	h, items, p, err := d.prepare(who, n)
	switch {
	case err != nil:
		return nil, err
	case p.Trouble != "":
		return nil, desk.Refuse(desk.Invalid, "%s", p.Trouble)
	case n.nobody(h):
		return nil, desk.Refuse(desk.Invalid, "Say which person decides.")
	case len(items) == 0:
		return nil, desk.Refuse(desk.Invalid, "That covers nothing, so there is nothing to review.")
	case len(p.Nobody) > 0:
		return nil, desk.Refuse(
			desk.Invalid,
			"Nobody but %s could decide about %s: name a fallback, or give them a manager first.",
			p.Nobody[0].Name,
			p.Nobody[0].Name,
		)
	}
	scope := n.scope()
	name := strings.TrimSpace(n.Name)
	if name == "" {
		about := plain(scopeWords(h, scope))
		if scope == (review.Scope{Role: scope.Role, Area: scope.Area}) && scope.Role != "" {
			about = strings.TrimPrefix(about, "the role ")
		}
		name = "Review of " + about
	}
	r := store.Review{
		Name:   name,
		Ask:    string(scope.Ask),
		System: scope.System,
		Role:   scope.Role,
		Set:    scope.Set,
		Group:  scope.Group,
		Area:   scope.Area,
		Risk:   scope.Risk,
		Filter: scope.Filter,
		DecidedBy: cmp.Or(
			n.By,
			review.ByManager,
		),
		Person:   n.Person,
		Fallback: cmp.Or(n.Fallback, who.User),
		Fate:     cmp.Or(n.Fate, decisionKeep),
		Opener:   who.User,
		Opened:   d.Now(),
		Due:      d.Now().AddDate(0, 0, 21),
	}
	if n.Second != nil {
		r.SecondBy, r.SecondPerson, r.SecondRisk = n.Second.By, n.Second.Person, n.Second.Risk
	}
	if n.Due != nil {
		if !n.Due.After(d.Now()) {
			return nil, desk.Refuse(desk.Invalid, "The review would be due before it opens: choose a later day.")
		}
		r.Due = n.Due.UTC()
	}
	if err := d.gather(h, items); err != nil {
		return nil, err
	}
	declined, err := d.Store.Declined(post.Reminders)
	if err != nil {
		return nil, err
	}
	declined[who.User] = true // who opens it knows
	write := func(id int) []store.Letter {
		r.ID = id
		return d.reminders(h, r, items, declined, false)
	}
	if _, err = d.Store.AddReview(r, items, write, n.along); err != nil {
		return nil, err
	}
	d.keepAsked(r, items) // else the next step of a draft would wait for it
	v := progressOf(h, r, countsOf(r, items, nil, d.self(h, who)), who, d.Now())
	return &v, nil
}

// gather keeps the evidence with new items.
func (d *Reviewer) gather(h *desk.House, items []store.ReviewItem) error {
	now := d.Now()
	scales := scalesOf(h, now)
	joinings := map[string]map[string]store.Revision{}
	var direct []string
	for _, i := range items {
		direct = append(direct, i.Direct...)
	}
	given, err := d.Store.CameWith(model.KindAssignment, direct...)
	if err != nil {
		return err
	}
	revoked, err := d.Store.TakenAway()
	if err != nil {
		return err
	}
	made, err := d.made(items)
	if err != nil {
		return err
	}
	above := nesting(h)
	for n := range items {
		i := &items[n]
		w := scales.Weigh(itemOf(store.Review{}, *i))
		e := Evidence{
			Used:      w.Used,
			Never:     w.Never,
			LastUse:   desk.Optional(w.LastUse),
			Peers:     w.Peers,
			Alike:     w.Alike,
			Gives:     w.Gives,
			Risk:      w.Risk,
			Conflicts: []desk.Ref{},
			Doubts:    append([]string{}, w.Doubts(now)...),
			Beside:    w.Beside,
			Holders:   w.Holders,
			Lately:    w.Lately,
			Tells:     w.Tells,
			Ends:      desk.Optional(w.Ends),
			Needless:  w.Needless,
		}
		if !w.LastUse.IsZero() {
			e.IdleDays = int(now.Sub(w.LastUse).Hours() / 24)
		}
		for _, c := range w.Conflicts {
			e.Conflicts = append(e.Conflicts, h.Ref(model.KindConflict, c))
		}
		if err := d.sinceWhen(h, i, &e, given, joinings, above); err != nil {
			return err
		}
		if r, known := made[i.Of]; known {
			e.Since, e.GivenBy, e.GivenWhy = &r.At, r.WhoName, r.Why
		}
		if e.Since != nil {
			w.Since = *e.Since
		}
		// What a group gives was perhaps never taken away; what is by hand and younger was given again.
		if at, ok := revoked[[3]string{i.User, i.Role, i.Set}]; ok && len(i.Direct) > 0 && i.Of == "" && !w.Since.Before(at) {
			w.Revoked, e.Revoked = at, &at
		}
		i.Doubt = w.Doubt(now)
		if s, clear := w.Suggest(now); clear {
			e.Suggested, e.Because = decisionRevoke, s.Why
			if s.Keep {
				e.Suggested = decisionKeep
			}
		}
		data, err := json.Marshal(e)
		if err != nil {
			return err
		}
		i.Evidence = data
	}
	return nil
}

// made tells of what items are about as a whole, a delegation or an account, when and by whom it was made.
func (d *Reviewer) made(items []store.ReviewItem) (map[string]store.Revision, error) {
	ids := map[model.Kind][]string{}
	for _, i := range items {
		if of := targetFrom(i.Of); i.Keeps == "" && i.Of != "" {
			ids[of.Kind] = append(ids[of.Kind], of.ID)
		}
	}
	out := map[string]store.Revision{}
	for kind, list := range ids {
		came, err := d.Store.CameWith(kind, list...)
		if err != nil {
			return nil, err
		}
		for _, id := range list {
			if r, known := came(id); known {
				out[kept(review.Target{Kind: kind, ID: id})] = r
			}
		}
	}
	return out, nil
}

// sinceWhen reads from the record since when an item is held, and who gave it and why.
func (d *Reviewer) sinceWhen(
	h *desk.House,
	i *store.ReviewItem,
	e *Evidence,
	given func(id string) (store.Revision, bool),
	joinings map[string]map[string]store.Revision,
	above func(group string) map[string]bool,
) error {
	tell := func(r store.Revision, why string) {
		if e.Since == nil || r.At.Before(*e.Since) {
			at := r.At
			e.Since, e.GivenBy, e.GivenWhy = &at, r.WhoName, cmp.Or(why, r.Why)
		}
	}
	for _, id := range i.Direct {
		if r, known := given(id); known {
			a, _ := h.Design().Assignments.Find(id)
			tell(r, a.Reason)
		}
	}
	if len(i.Direct) > 0 || i.Of != "" {
		return nil
	}
	for _, g := range h.Index.GroupsOf(i.User) { // the listings by which the person is in the groups
		if !g.Direct || !slices.ContainsFunc(i.Groups, func(given string) bool { return above(g.Group)[given] }) {
			continue
		}
		if joinings[g.Group] == nil {
			list, err := d.Store.Joinings(g.Group)
			if err != nil {
				return err
			}
			joinings[g.Group] = list
		}
		if r, ok := joinings[g.Group][i.User]; ok {
			tell(r, "")
		}
	}
	return nil
}

// nesting gives a group with all groups that nest it, whichever is asked for.
func nesting(h *desk.House) func(group string) map[string]bool {
	in := map[string][]string{}
	for _, g := range h.Design().Groups {
		for _, c := range g.Groups {
			in[c] = append(in[c], g.ID)
		}
	}
	known := map[string]map[string]bool{}
	return func(group string) map[string]bool {
		if all, ok := known[group]; ok {
			return all
		}
		all := map[string]bool{group: true}
		for todo := []string{group}; len(todo) > 0; {
			g := todo[len(todo)-1]
			todo = todo[:len(todo)-1]
			for _, up := range in[g] {
				if !all[up] {
					all[up] = true
					todo = append(todo, up)
				}
			}
		}
		known[group] = all
		return all
	}
}

// Package ceiling says what could come of a delegation: not only what delegates hold, but all that they, and whoever
// they could make a delegate, could bring about by acts that the rules permit (docs/semantics.md, §9).
package ceiling

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Step is one act of a chain.
type Step struct {
	By         string // who acts: a user's id; empty: somebody new
	Action     string // of a delegation
	Person     string // to whom it is done; empty: somebody new
	Kind       model.Kind
	ID         string // what is given: a role, a set, a group, a licence; empty: nothing
	Mode       model.Mode
	Delegation string // the id of the one that lets them
}

// Brick is what somebody could come to hold.
type Brick struct {
	index.Holding
	Held   bool   // the delegate holds it as widely
	Listed bool   // a delegation's own list of roles and sets lets it be assigned
	Person string // one who could come to hold it; empty: somebody new
	Chain  []Step // the shortest way there
}

// TooHigh tells that a delegate could bring about for somebody what they neither hold nor could assign.
func (b *Brick) TooHigh() bool { return !b.Held && !b.Listed }

// Ceiling is all that a delegate could bring about, beyond what people hold, or will hold by what is written.
type Ceiling struct {
	User string
	// Bricks are by permission, area and reach. Of what another brick includes that takes no longer, nothing is told.
	Bricks []Brick
	// Empowered are those who could come to be delegates.
	Empowered []string
	// Unlimited is a right in Fachwerk that the delegate holds and by which designs are changed: there is no ceiling
	// then, and no bricks are told. Empty: none.
	Unlimited string

	f *finder
}

// TooHigh gives the bricks by which the ceiling is too high.
func (c *Ceiling) TooHigh() (out []Brick) {
	for _, b := range c.Bricks {
		if b.TooHigh() {
			out = append(out, b)
		}
	}
	return out
}

// Raises tells whether a delegation by itself lets its delegate bring about more than it lists; of one that does not,
// no ceiling is too high.
func Raises(g *model.Delegation) bool {
	return g.GroupsWhole && slices.Contains(g.Actions, delegation.Membership) ||
		slices.ContainsFunc(g.Actions, func(a string) bool {
			return a == delegation.Seat || a == delegation.Deactivate || a == delegation.Lock || a == delegation.Invite
		})
}

// Of finds the ceiling of a person at t; nothing is in it if nothing is delegated to them.
func Of(v *ahead.View, user string, t time.Time) *Ceiling {
	x := v.Now()
	f := &finder{
		v: v, x: x, d: x.Design(), t: t,
		high: map[string]bool{}, mine: map[string]bool{}, blocked: map[string]bool{}, asked: map[string]bool{},
		needs: map[string]bool{}, lacks: map[string][]string{}, seats: map[string]*Step{},
		covered: map[string][]string{}, people: map[string][]*filter.Filter{},
		carries: map[*model.Assignment][]index.Holding{}, held: map[string]map[string][]index.Holding{},
	}
	out := &Ceiling{User: user, f: f}
	me := &actor{users: []string{user}, alone: user, chains: map[string][]Step{}, reach: map[string][]string{}}
	if x.Live(user, t) {
		for _, g := range f.d.Delegations {
			if f.lasts(g.Until) && (g.Delegate.User == user || g.Delegate.Group != "" && x.InGroup(user, g.Delegate.Group)) {
				me.given = append(me.given, g)
				me.chains[g.ID] = nil
			}
		}
	}
	if len(me.given) == 0 {
		return out
	}
	for _, s := range v.Present(user, ahead.Grave(f.d), t) {
		if p, ok := f.d.Permission(s.Permission); ok && p.Class == model.Admin && s.Area == f.d.Root() {
			out.Unlimited = s.Permission
			return out
		}
	}
	f.begin(user)
	f.actors = []*actor{me}
	for {
		f.sources = f.sources[:0]
		f.seat, f.lock = f.names(delegation.Seat), f.names(delegation.Lock)
		for _, a := range f.actors {
			for _, g := range a.given {
				f.gather(a, g)
			}
		}
		if !f.empower() {
			break
		}
	}
	if len(f.actors) > 1 {
		out.Empowered = f.actors[1].users
	}
	out.Bricks = f.bricks(user)
	return out
}

// actor is somebody who acts by delegations, or any of several people, who are not told apart.
type actor struct {
	users  []string // sorted
	alone  string   // the only one, who cannot act on themselves
	given  []*model.Delegation
	chains map[string][]Step   // how they come to each delegation, by its id
	reach  map[string][]string // whom they may act on by each delegation, by its id
}

// population are people to whom an act can be done.
type population struct {
	people []string // sorted; nil if it is somebody new
	fresh  bool
	via    []Step // the acts by which they come within reach, and whoever acts to the delegation
}

// source is an act, or two, that gives people something.
type source struct {
	step   Step                       // without the person
	of     []population               // the nearest first
	done   map[*model.Assignment]bool // of each: all that it gives somebody is told
	gives  []index.Holding
	listed bool // it is an assignment of what a delegation lists
	// or what it gives a person, by assignment
	each func(person string, do func(g *model.Assignment, holds []index.Holding))
}

type finder struct {
	v       *ahead.View
	x       *index.Index
	d       *model.Design
	t       time.Time
	high    map[string]bool     // what puts people above others
	holds   []index.Span        // what the delegate holds of it
	mine    map[string]bool     // the permissions of these
	most    index.Bundle        // all that puts people above others
	blocked map[string]bool     // people who stand above the delegate, of whom delegations cover
	asked   map[string]bool     // of which delegations that is known
	needs   map[string]bool     // permissions that need a licence
	highs   []string            // the same, sorted
	seat    bool                // somebody can give licences
	lock    bool                // somebody can change when people are valid
	covered map[string][]string // whom delegations cover now, by delegation
	people  map[string][]*filter.Filter
	carries map[*model.Assignment][]index.Holding // what assignments carry
	held    map[string]map[string][]index.Holding // what people hold, or will hold, by person and permission
	seats   map[string]*Step                      // how somebody is given a licence
	bare    string                                // somebody without any licence
	lacks   map[string][]string                   // the licences that they lack, by permission
	actors  []*actor                              // the delegate, and whoever could come to be one
	sources []*source
}

func (f *finder) lasts(until time.Time) bool { return until.IsZero() || f.t.Before(until) }

func (f *finder) begin(user string) {
	f.highs = ahead.High(f.d)
	slices.Sort(f.highs)
	for _, key := range f.highs {
		f.high[key] = true
	}
	if i := slices.IndexFunc(f.d.Users, func(u *model.User) bool { return len(u.Licences) == 0 }); i >= 0 {
		f.bare = f.d.Users[i].ID
	}
	f.most = f.v.Live().Just(f.highs)
	for _, s := range f.v.Present(user, f.highs, f.t) {
		f.holds = append(f.holds, s)
		f.mine[s.Permission] = true
	}
	for _, l := range f.d.Licences {
		for _, key := range f.x.Needing(l.ID) {
			f.needs[key] = true
		}
	}
}

// bar finds out who of the people whom a delegation covers stands above the delegate. Whoever they could make a
// delegate does not, so holds no more of what puts people above others; whom it bars, it bars for these too.
func (f *finder) bar(g *model.Delegation) {
	if f.asked[g.ID] {
		return
	}
	f.asked[g.ID] = true
	people := f.coveredBy(g)
	above := make([]bool, len(people))
	// Most who are above the delegate hold by now what the delegate does not hold anywhere.
	others := slices.DeleteFunc(slices.Clone(f.highs), func(key string) bool { return f.mine[key] })
	holding := f.v.Live().FirstHolding(people, others, len(people), f.t)
	fan.Out(len(people), func(_, from, to int) {
		for i := from; i < to; i++ {
			if u, ok := f.d.Users.Find(people[i]); ok && u.State != model.UserDeactivated &&
				model.In(f.t, u.From, u.Until) {
				if _, is := slices.BinarySearch(holding, people[i]); is {
					above[i] = true
					continue
				}
			}
			spans := f.v.SpansOf(people[i], f.most, f.t)
			above[i] = slices.ContainsFunc(spans, func(s index.Span) bool { return !f.mine[s.Permission] }) ||
				len(spans) > 0 && len(f.v.Beyond(spans, f.holds, f.t)) > 0
		}
	})
	for i, is := range above {
		if is {
			f.blocked[people[i]] = true
		}
	}
}

// coveredBy gives whom a delegation covers now, sorted.
func (f *finder) coveredBy(g *model.Delegation) []string {
	all, known := f.covered[g.ID]
	if !known {
		all = delegation.Covered(f.x, g)
		f.covered[g.ID] = all
	}
	return all
}

// names tells whether a delegation of any actor names an action.
func (f *finder) names(action string) bool {
	return slices.ContainsFunc(f.actors, func(a *actor) bool {
		return slices.ContainsFunc(a.given, func(g *model.Delegation) bool { return slices.Contains(g.Actions, action) })
	})
}

// reach gives whom a delegation covers now and an actor may act on, sorted.
func (f *finder) reach(a *actor, g *model.Delegation) []string {
	f.bar(g)
	if a.reach[g.ID] == nil {
		a.reach[g.ID] = slices.DeleteFunc(slices.Clone(f.coveredBy(g)), func(p string) bool {
			return p == a.alone || f.blocked[p]
		})
	}
	return a.reach[g.ID]
}

// filtersOf gives the filters that say whom a delegation covers; none if it is an area, or a group whose members are
// listed.
func (f *finder) filtersOf(g *model.Delegation) []*filter.Filter {
	list, known := f.people[g.ID]
	if known {
		return list
	}
	text := g.People.Filter
	if o, ok := f.d.Groups.Find(g.People.Group); ok && o.Type == model.Rule {
		text = o.Rule
	}
	if text != "" {
		if parsed, err := filter.Parse(text); err == nil {
			list = append(list, parsed)
		}
	}
	f.people[g.ID] = list
	return list
}

// sets are the attributes that each action lets a delegate set; to state and validity no rule of a group answers.
var sets = map[string][]string{
	delegation.Edit: {"displayName", "title", "department", "userType", "qualifications"},
	delegation.Move: {"area", "manager"},
	delegation.Seat: {"licences"},
}

// free gives the attributes that an actor can set of people who are there.
func free(a *actor) (out []string) {
	for _, g := range a.given {
		for _, action := range g.Actions {
			out = append(out, sets[action]...)
		}
	}
	return out
}

// populations gives to whom an actor can do what a delegation lets them, the nearest first.
func (f *finder) populations(a *actor, g *model.Delegation) (out []population) {
	chain := a.chains[g.ID]
	out = append(out, population{people: f.reach(a, g), via: chain})
	for _, b := range f.actors {
		for _, o := range b.given {
			near := b.chains[o.ID]
			if slices.Contains(o.Actions, delegation.Invite) && (o == g ||
				filter.Satisfiable(slices.Concat(f.filtersOf(o), f.filtersOf(g)), nil, nil)) {
				step := Step{By: b.by(o), Action: delegation.Invite, Delegation: o.ID}
				out = append(out, population{fresh: true, via: joined(chain, near, step)})
			}
			// Nobody changes whom their own delegations cover; but one can for another.
			if o == g || len(f.actors) == 1 || a == b && a.alone != "" {
				continue
			}
			if step, can := f.brings(o, g); can {
				step.By, step.Person = b.by(o), first(f.reach(b, o))
				people := slices.DeleteFunc(slices.Clone(f.reach(b, o)), func(p string) bool {
					return p == a.alone || f.blocked[p]
				})
				out = append(out, population{people: people, via: joined(chain, near, step)})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b population) int { return cmp.Compare(len(a.via), len(b.via)) })
	return slices.DeleteFunc(out, func(p population) bool { return !p.fresh && len(p.people) == 0 })
}

// brings gives the act by which somebody could bring people of one delegation into those of another; without who does
// it, and to whom.
func (f *finder) brings(from, into *model.Delegation) (step Step, can bool) {
	if o, ok := f.d.Groups.Find(into.People.Group); ok && slices.Contains(from.Actions, delegation.Membership) {
		for _, g := range from.Groups {
			if slices.Contains(f.x.Nesting(g), o.ID) {
				return Step{Action: delegation.Membership, Kind: model.KindGroup, ID: g, Delegation: from.ID}, true
			}
		}
	}
	for _, action := range []string{delegation.Edit, delegation.Move, delegation.Seat} {
		if slices.Contains(from.Actions, action) {
			return Step{Action: action, Delegation: from.ID}, true
		}
	}
	return Step{}, false
}

// gather finds what an actor could give by a delegation.
func (f *finder) gather(a *actor, g *model.Delegation) {
	of := f.populations(a, g)
	if len(of) == 0 {
		return
	}
	by := a.by(g)
	for _, action := range g.Actions {
		switch action {
		case delegation.Assign:
			for _, kind := range []model.Kind{model.KindRole, model.KindSet} {
				ids := g.Roles
				if kind == model.KindSet {
					ids = g.Sets
				}
				for _, id := range ids {
					for _, mode := range []model.Mode{model.Full, model.ReadOnly} {
						gives := f.assigned(g, f.x.Content(kind, id), mode)
						f.sources = append(f.sources, &source{
							step: Step{By: by, Action: action, Kind: kind, ID: id, Mode: mode, Delegation: g.ID},
							of:   of, gives: gives, listed: true,
						})
						if len(gives) == len(f.x.Content(kind, id)) {
							break // in the other mode, it gives no more
						}
					}
				}
			}
		case delegation.Membership:
			if !g.GroupsWhole {
				break // what such a group gives can be assigned too, by the same delegate (rule 2)
			}
			for _, id := range g.Groups {
				f.membership(a, g, id, of)
			}
		case delegation.Invite: // what everybody has, somebody new has too
			s := &source{step: Step{By: by, Action: action, Delegation: g.ID}, of: []population{
				{fresh: true, via: a.chains[g.ID]},
			}}
			for _, id := range []string{model.Everyone, model.Public} {
				for _, grant := range f.x.GrantsTo(id) {
					if f.lasts(grant.Until) {
						s.gives = append(s.gives, f.carried(grant)...)
					}
				}
			}
			f.sources = append(f.sources, s)
		case delegation.Seat:
			s := &source{step: Step{By: by, Action: action, Delegation: g.ID}, of: of, done: map[*model.Assignment]bool{}}
			if s.each = f.unlicensed(s.done); s.each != nil {
				f.sources = append(f.sources, s)
			}
		case delegation.Deactivate, delegation.Lock:
			s := &source{step: Step{By: by, Action: action, Delegation: g.ID}, of: of, done: map[*model.Assignment]bool{}}
			s.each = func(p string, do func(*model.Assignment, []index.Holding)) { f.awoken(p, action, s.done, do) }
			f.sources = append(f.sources, s)
		}
	}
}

// assigned gives what an assignment of a role or set could give by a delegation. Nobody is put above whoever acts (rule
// 6), so one that carries what does so is made only where, as far and in a mode in which these hold it, or without a
// licence for it.
func (f *finder) assigned(
	g *model.Delegation, content []string, mode model.Mode,
) (out []index.Holding) {
	root := f.d.Root()
	within := cmp.Or(g.Area, root)
	areas := []string{within}
	for _, s := range f.holds {
		if f.x.Covers(within, s.Area) {
			areas = append(areas, s.Area)
		}
	}
	if within == root { // below the whole organisation, what counts only there is not carried
		for _, o := range f.d.Areas {
			if o.Parent == root {
				areas = append(areas, o.ID)
			}
		}
	}
	slices.Sort(areas)
	for _, area := range slices.Compact(areas) {
		for _, reach := range []model.Reach{model.ReachArea, model.ReachLine, model.ReachOwn} {
			kept, ok := f.below(f.carrying(content, area, reach, mode))
			switch {
			case !ok:
			case len(kept) == len(content) && area == within && reach == model.ReachArea: // anything narrower is part of it
				return kept
			default:
				out = append(out, kept...)
			}
		}
	}
	return out
}

// below leaves of what would be given to somebody what puts nobody above an actor; it is not given at all if somebody
// would be put above them without a licence.
func (f *finder) below(given []index.Holding) (kept []index.Holding, ok bool) {
	for _, h := range given {
		if !f.high[h.Permission] || f.covers(h) {
			kept = append(kept, h)
		} else if !f.needs[h.Permission] {
			return nil, false
		}
	}
	return kept, true
}

// membership finds what somebody could be given by a group whose members a delegation lets one choose whatever it
// gives.
func (f *finder) membership(a *actor, g *model.Delegation, id string, of []population) {
	o, ok := f.d.Groups.Find(id)
	if !ok || o.Type == model.Static && o.Source == model.Directory {
		return // the directory keeps its members
	}
	s := &source{step: Step{
		By: a.by(g), Action: delegation.Membership, Kind: model.KindGroup, ID: id, Delegation: g.ID,
	}, of: of}
	if o.Type == model.Rule {
		if s.of = f.intoRule(g, o, of); len(s.of) == 0 {
			return
		}
	}
	for _, grant := range f.x.GrantsTo(id) {
		if !f.lasts(grant.Until) {
			continue
		}
		kept, ok := f.below(f.carried(grant))
		if !ok {
			return
		}
		s.gives = append(s.gives, kept...)
	}
	f.sources = append(f.sources, s)
}

// intoRule leaves of some populations whom an actor could bring into a group that finds its members by a rule.
func (f *finder) intoRule(g *model.Delegation, o *model.Group, of []population) (out []population) {
	rule, err := filter.Parse(o.Rule)
	if err != nil {
		return nil
	}
	filters := append(slices.Clone(f.filtersOf(g)), rule)
	var attributes []string
	for _, b := range f.actors {
		attributes = append(attributes, free(b)...)
	}
	able := len(attributes) > 0
	attributes = append(attributes, "active", "state") // which come to be others by themselves
	for _, p := range of {
		if p.fresh {
			if filter.Satisfiable(filters, nil, nil) {
				out = append(out, p)
			}
			continue
		}
		people := p.people
		if len(p.people) <= mostAsked {
			people = slices.DeleteFunc(slices.Clone(p.people), func(id string) bool {
				u, ok := f.d.Users.Find(id)
				return !ok || !filter.Satisfiable(filters, index.Person(f.d, u), attributes)
			})
		}
		if p.people = people; len(people) > 0 && able {
			out = append(out, p)
		}
	}
	return out
}

// mostAsked is how many people are asked about one by one; of more it is taken that it can be.
const mostAsked = 2000

// covers tells whether an actor holds something that puts people above others as widely as it would be given.
func (f *finder) covers(h index.Holding) bool {
	return slices.ContainsFunc(f.holds, func(s index.Span) bool { return f.x.Includes(s.Holding, h) })
}

// carried gives what an assignment carries (§6), whoever has it.
func (f *finder) carried(a *model.Assignment) []index.Holding {
	list, known := f.carries[a]
	if !known {
		kind, id, _ := strings.Cut(a.Grant(), ":")
		list = f.carrying(f.x.Content(model.Kind(kind), id), cmp.Or(a.Area, f.d.Root()), a.Reach, a.Mode)
		f.carries[a] = list
	}
	return list
}

func (f *finder) carrying(content []string, area string, reach model.Reach, mode model.Mode) (out []index.Holding) {
	whole := area == f.d.Root() && reach == model.ReachArea
	for _, key := range content {
		p, ok := f.d.Permission(key)
		if !ok || mode == model.ReadOnly && p.Class != model.Read || !p.Span.IsZero() && !whole {
			continue
		}
		out = append(out, index.Holding{Permission: key, Area: area, Reach: reach})
	}
	return out
}

// unlicensed tells of a person what a licence would give them: what their grants carry, and they have no licence for.
// They get none by which they would come to stand above whoever gives it.
func (f *finder) unlicensed(
	done map[*model.Assignment]bool,
) func(person string, do func(*model.Assignment, []index.Holding)) {
	if len(f.needs) == 0 {
		return nil
	}
	needing := map[*model.Assignment][]index.Holding{} // what each carries that needs a licence
	needs := func(g *model.Assignment) []index.Holding {
		list, known := needing[g]
		if !known {
			if f.lasts(g.Until) {
				for _, h := range f.carried(g) {
					if f.needs[h.Permission] {
						list = append(list, h)
					}
				}
			}
			needing[g] = list
		}
		return list
	}
	return func(person string, do func(*model.Assignment, []index.Holding)) {
		u, ok := f.d.Users.Find(person)
		if !ok {
			return
		}
		grants := f.v.Live().GrantsFor(person)
		if !slices.ContainsFunc(grants, func(g *model.Assignment) bool { return !done[g] && len(needs(g)) > 0 }) {
			return
		}
		lacks := map[string][]string{} // the licences that are lacking, by permission
		lacking := func(h index.Holding) []string {
			list, known := lacks[h.Permission]
			if !known {
				list = f.lacking(u, h.Permission)
				lacks[h.Permission] = list
			}
			return list
		}
		var barred [][]string
		for _, g := range grants {
			for _, h := range needs(g) {
				if f.high[h.Permission] && !f.covers(h) && f.counts(g, u) && len(lacking(h)) > 0 {
					barred = append(barred, lacking(h))
				}
			}
		}
		for _, g := range grants {
			if done[g] || len(needs(g)) == 0 {
				continue
			}
			var gives []index.Holding
			for _, h := range needs(g) {
				if list := lacking(h); len(list) > 0 && !slices.ContainsFunc(barred, func(licences []string) bool {
					return !slices.ContainsFunc(licences, func(l string) bool { return !slices.Contains(list, l) })
				}) {
					gives = append(gives, h)
				}
			}
			do(g, gives)
		}
	}
}

// counts tells whether an assignment will count for somebody as they are; not if that can be changed.
func (f *finder) counts(g *model.Assignment, u *model.User) bool { return !f.lock && f.meets(g, u) }

// meets tells whether an assignment will count for somebody within their validity; not for who is deactivated.
func (f *finder) meets(g *model.Assignment, u *model.User) bool {
	if u.State == model.UserDeactivated {
		return false
	}
	from, until := f.t, g.Until
	for _, at := range []time.Time{g.From, u.From} {
		if at.After(from) {
			from = at
		}
	}
	if until.IsZero() || !u.Until.IsZero() && u.Until.Before(until) {
		until = u.Until
	}
	return until.IsZero() || from.Before(until)
}

// lacking gives the licences that somebody lacks for a permission.
func (f *finder) lacking(u *model.User, permission string) (out []string) {
	if !f.needs[permission] {
		return nil
	}
	if f.bare == "" { // everybody has one
		return f.x.NeedsLicences(u.ID, permission)
	}
	required, known := f.lacks[permission]
	if !known {
		required = f.x.NeedsLicences(f.bare, permission)
		f.lacks[permission] = required
	}
	if len(u.Licences) == 0 {
		return required
	}
	for _, l := range required {
		if !f.x.HasLicence(u.ID, l) {
			out = append(out, l)
		}
	}
	return out
}

// awoken tells what somebody would hold who is brought back, or whose validity is changed; nothing if they would stand
// above whoever does it.
func (f *finder) awoken(
	person, action string, done map[*model.Assignment]bool, do func(*model.Assignment, []index.Holding),
) {
	u, ok := f.d.Users.Find(person)
	if !ok || u.State == model.UserDeleted || action == delegation.Deactivate && u.State != model.UserDeactivated ||
		action == delegation.Lock && u.From.IsZero() && u.Until.IsZero() {
		return
	}
	// With another validity, somebody holds less at a time.
	if !f.lock && len(f.v.Beyond(f.v.Latent(person, f.highs, f.t), f.holds, f.t)) > 0 {
		return
	}
	for _, g := range f.v.Live().GrantsFor(person) {
		if done[g] || !f.lasts(g.Until) || action == delegation.Lock && f.meets(g, u) {
			continue // or they will hold it as they are
		}
		var gives []index.Holding
		for _, h := range f.carried(g) {
			if !f.high[h.Permission] || f.covers(h) {
				gives = append(gives, h)
			}
		}
		do(g, gives)
	}
}

// empower finds delegations that somebody could come to have, and tells whether there were any that are not known yet.
func (f *finder) empower() (more bool) {
	var others *actor
	if len(f.actors) > 1 {
		others = f.actors[1]
	} else {
		others = &actor{chains: map[string][]Step{}}
	}
	known := func(g *model.Delegation) bool {
		_, is := others.chains[g.ID]
		return is
	}
	users := map[string]bool{}
	for _, u := range others.users {
		users[u] = true
	}
	has := func(g *model.Delegation, chain []Step, people ...string) {
		for _, u := range people {
			more = more || !users[u]
			users[u] = true
		}
		was, is := others.chains[g.ID]
		if !is {
			more = true
			others.given = append(others.given, g)
		}
		if !is || len(chain) < len(was) {
			others.chains[g.ID] = chain
		}
	}
	for _, s := range f.sources {
		switch s.step.Action {
		case delegation.Membership:
			above := f.x.Nesting(s.step.ID)
			for _, g := range f.d.Delegations {
				if slices.Contains(above, g.Delegate.Group) && f.lasts(g.Until) {
					for _, p := range s.of {
						has(g, s.chain(p, first(p.people)), p.people...)
					}
				}
			}
		case delegation.Deactivate, delegation.Lock: // whoever is live again is a delegate again
			for _, p := range s.of {
				for _, u := range p.people {
					if f.x.Live(u, f.t) {
						continue
					}
					for _, g := range f.d.Delegations {
						if f.lasts(g.Until) && f.isDelegate(u, g) {
							has(g, s.chain(p, u), u)
						}
					}
				}
			}
		}
	}
	if len(others.given) == 0 || !more {
		return false
	}
	others.users = others.users[:0]
	for u := range users {
		others.users = append(others.users, u)
	}
	slices.Sort(others.users)
	// Whoever is made a delegate may be one already, by other delegations.
	for _, g := range f.d.Delegations {
		if known(g) || !f.lasts(g.Until) {
			continue
		}
		if slices.ContainsFunc(others.users, func(u string) bool { return f.isDelegate(u, g) }) {
			others.given = append(others.given, g)
			others.chains[g.ID] = others.chains[others.given[0].ID]
		}
	}
	others.reach = map[string][]string{}
	f.actors = []*actor{f.actors[0], others}
	return true
}

// isDelegate tells whether a delegation is given to somebody, once they are live.
func (f *finder) isDelegate(user string, g *model.Delegation) bool {
	return g.Delegate.User == user || g.Delegate.Group != "" && f.v.Live().InGroup(user, g.Delegate.Group)
}

// chain is the way to what a source gives somebody.
func (s *source) chain(p population, person string) []Step {
	step := s.step
	if step.Person = person; p.fresh {
		step.Person = ""
	}
	return joined(p.via, nil, step)
}

// joined puts ways one after another; what is in both is done once.
func joined(a, b []Step, last ...Step) []Step {
	out := slices.Clone(a)
	for _, s := range slices.Concat(b, last) {
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}

// by is who acts by a delegation: of several, whom the way to it made a delegate.
func (a *actor) by(g *model.Delegation) string {
	if chain := a.chains[g.ID]; len(chain) > 0 {
		return chain[len(chain)-1].Person
	}
	return first(a.users)
}

func first(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return list[0]
}

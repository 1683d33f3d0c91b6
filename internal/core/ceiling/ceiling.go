// Package ceiling says what could come of a delegation: not only what delegates hold, but all that they, and whoever
// they could make a delegate, could bring about by acts that the rules permit (docs/semantics.md, §9).
package ceiling

import (
	"slices"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/delegation"
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
		needs: map[string]bool{}, lacks: map[string]map[string][]string{}, requires: map[string][]string{},
		seats:   map[string]*Step{},
		covered: map[string][]string{}, people: map[string][]*filter.Filter{},
		loads: map[*model.Assignment]*load{}, alike: map[loadKey]*load{}, contents: map[string][]part{},
		held: map[string]map[string][]index.Holding{},
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
	highs   []string            // what puts people above others, sorted
	seat    bool                // somebody can give licences
	lock    bool                // somebody can change when people are valid
	covered map[string][]string // whom delegations cover now, by delegation
	people  map[string][]*filter.Filter
	loads   map[*model.Assignment]*load // what assignments carry
	alike   map[loadKey]*load

	contents map[string][]part                     // what roles and sets give
	held     map[string]map[string][]index.Holding // what people hold, or will hold, by person and permission
	seats    map[string]*Step                      // how somebody is given a licence
	lacks    map[string]map[string][]string        // the licences that are lacking, by those one has and by permission

	requires map[string][]string // the licences that permissions need
	actors   []*actor            // the delegate, and whoever could come to be one
	sources  []*source
}

func (f *finder) lasts(until time.Time) bool { return until.IsZero() || f.t.Before(until) }

func (f *finder) begin(user string) {
	f.highs = ahead.High(f.d)
	slices.Sort(f.highs)
	for _, key := range f.highs {
		f.high[key] = true
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

package ceiling

import (
	"cmp"
	"slices"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// population are people to whom an act can be done.
type population struct {
	people []string // sorted; nil if it is somebody new
	fresh  bool
	via    []Step // the acts by which they come within reach, and whoever acts to the delegation
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
	fan.Out(len(people), func(_, from, to int) {
		holding := f.v.Live().FirstHolding(people[from:to], others, to-from, f.t)
		for i := from; i < to; i++ {
			if _, is := slices.BinarySearch(holding, people[i]); is {
				above[i] = true
				continue
			}
			spans := f.v.LatentOf(people[i], f.most, f.t)
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

// free gives the attributes that an actor can set of people who are there.
func free(a *actor) (out []string) {
	for _, g := range a.given {
		for _, action := range g.Actions {
			if action != delegation.Invite { // which is of somebody new
				out = append(out, delegation.Sets[action]...)
			}
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

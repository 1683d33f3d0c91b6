package rules

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/ceiling"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// walkers are who may act in a search for what a delegate could bring about: they, and whoever has come to have a
// delegation that they did not have.
func walkers(first, v *ahead.View, delegate string) (out []string) {
	had := func(v *ahead.View, user string) map[string]bool {
		of := map[string]bool{}
		for _, g := range delegation.Of(v, user, now).Delegations() {
			of[g.ID] = true
		}
		return of
	}
	for _, u := range v.Now().Design().Users {
		was := had(first, u.ID)
		for g := range had(v, u.ID) {
			if u.ID == delegate || !was[g] {
				out = append(out, u.ID)
				break
			}
		}
	}
	return out
}

// takes tells whether a change takes something from people: the ceiling is about acts that only add.
func takes(o change.Op) bool {
	if o.Before == nil {
		return false
	}
	switch after := o.After.(type) {
	case nil:
		return true
	case *model.Assignment:
		return true
	case *model.Group:
		return slices.ContainsFunc(o.Before.(*model.Group).Users, func(u string) bool {
			return !slices.Contains(after.Users, u)
		})
	case *model.User:
		before := o.Before.(*model.User)
		return after.State != model.UserActive && before.State != after.State ||
			slices.ContainsFunc(before.Licences, func(l string) bool { return !slices.Contains(after.Licences, l) })
	}
	return false
}

// leaves tells whether a change takes a person out of a group, whose rule finds them no longer.
func leaves(v, next *ahead.View, user string) bool {
	return slices.ContainsFunc(v.Now().Design().Groups, func(g *model.Group) bool {
		return v.Live().InGroup(user, g.ID) && !next.Live().InGroup(user, g.ID)
	})
}

// Whatever a delegate, or whoever becomes one by them, brings about act by act, through the very functions that permit
// acts, lies within the ceiling.
func TestNothingIsAboveTheCeiling(t *testing.T) {
	acts, reached, empowered := 0, 0, 0
	tried, done := 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		if d = r.empowering(d); d != x.Design() {
			x = x.Update(d)
		}
		first := ahead.Of(x)
		for _, delegate := range everybody(d) {
			if delegation.Of(first, delegate, now).Empty() {
				continue
			}
			c := ceiling.Of(first, delegate, now)
			if c.Unlimited != "" {
				continue
			}
			if high := c.TooHigh(); len(high) > 0 && !slices.ContainsFunc(delegation.Of(first, delegate, now).Delegations(),
				ceiling.Raises) && !slices.ContainsFunc(d.Delegations, func(g *model.Delegation) bool {
				return g.From.After(now) && ceiling.Raises(g) // or one that comes to be in force
			}) {
				t.Fatalf("no delegation of %s lets them bring about more than it lists, but for %v", delegate, high[0])
			}
			for walk := range 6 {
				at, v := d, first
				for n := range 8 {
					who := pick(r, walkers(first, v, delegate))
					a := delegation.Of(v, who, now)
					if a.Empty() {
						break
					}
					if who != delegate {
						empowered++
					}
					op := r.try(at, a.Part())
					switch o := op.After.(type) {
					case *model.Assignment:
						o.ID = fmt.Sprintf("new%d", n)
						op = change.Put(at, o)
					case *model.Group:
						if o.Type == model.Static && o.Source == model.Directory {
							continue
						}
					}
					after, _ := change.Apply(at, []change.Op{op})
					if after == nil || takes(op) {
						continue
					}
					next := v.Next(v.Now().Update(after))
					if aboveAtFirst(first, next, op, who) || len(a.Judge([]change.Op{op}, next)) > 0 || leaves(v, next, op.ID) {
						continue
					}
					acts++
					at, v = after, next
					for _, u := range at.Users {
						for _, s := range v.AllSpans(u.ID, now) {
							if !c.Contains(u.ID, s.Holding) {
								t.Fatalf("by %s, in walk %d, %s comes to hold %v by %v, which the ceiling of %s does not contain",
									who, walk, u.ID, s.Holding, told(d, op), delegate)
							}
							if !holds(first, u.ID, s.Holding) {
								reached++
							}
						}
					}
				}
			}
			for _, b := range c.Bricks {
				if did, can := replay(first, d, b); can {
					tried++
					if did {
						done++
					}
				}
			}
		}
	})
	if acts < 1000 || reached < 500 || empowered < 50 {
		t.Errorf("only %d acts were permitted, %d by others; %d holdings came of them", acts, empowered, reached)
	}
	if done*10 < tried*4 {
		t.Errorf("of %d chains, only %d can be carried out as they are told", tried, done)
	}
	t.Logf("%d acts, %d of them by whoever became a delegate; of %d chains, %d can be carried out as they are told",
		acts, empowered, tried, done)
}

// empowering makes some groups of a delegation, whose members it lets one choose whole, delegates themselves.
func (r random) empowering(d *model.Design) *model.Design {
	var groups []string
	for _, g := range d.Delegations {
		if o, ok := d.Groups.Find(g.Delegate.Group); ok && o.Type == model.Static {
			groups = append(groups, o.ID)
		}
	}
	if len(groups) == 0 || !r.chance(60) {
		return d
	}
	g := change.Clone(pick(r, d.Delegations))
	g.GroupsWhole = true
	g.Groups = append(g.Groups, pick(r, groups))
	g.Actions = append(g.Actions, delegation.Membership)
	after, _ := change.Apply(d, []change.Op{change.Put(d, g)})
	if after == nil {
		return d
	}
	return after
}

// replay carries out the acts of a chain as they are told, and tells whether somebody holds the brick then; not if one
// of the acts says not how people come to be found by a filter.
func replay(v *ahead.View, d *model.Design, b ceiling.Brick) (did, can bool) {
	for n, s := range b.Chain {
		u, ok := d.Users.Find(s.Person)
		if !ok {
			return false, false
		}
		var op change.Op
		switch s.Action {
		case delegation.Assign:
			a := &model.Assignment{
				ID: fmt.Sprintf("chain%d", n), Subject: model.Subject{User: u.ID}, Area: b.Area, Reach: b.Reach, Mode: s.Mode,
			}
			if a.Role = s.ID; s.Kind == model.KindSet {
				a.Role, a.Set = "", s.ID
			}
			if g, _ := d.Delegations.Find(s.Delegation); g.MaxDays != nil {
				a.Until = now.AddDate(0, 0, *g.MaxDays)
			}
			if a.Area == d.Root() {
				a.Area = ""
			}
			op = change.Put(d, a)
		case delegation.Membership:
			g, _ := d.Groups.Find(s.ID)
			if g.Type == model.Rule {
				return false, false
			}
			g = change.Clone(g)
			g.Users = append(slices.Clone(g.Users), u.ID)
			slices.Sort(g.Users)
			g.Users = slices.Compact(g.Users)
			op = change.Put(d, g)
		case delegation.Seat:
			c := change.Clone(u)
			c.Licences = append(slices.Clone(c.Licences), v.Now().NeedsLicences(u.ID, b.Permission)...)
			slices.Sort(c.Licences)
			op = change.Put(d, c)
		case delegation.Deactivate, delegation.Lock:
			c := change.Clone(u)
			if s.Action == delegation.Lock {
				c.From, c.Until = time.Time{}, time.Time{}
			} else {
				c.State = model.UserActive
			}
			op = change.Put(d, c)
		default:
			return false, false
		}
		after, _ := change.Apply(d, []change.Op{op})
		if after == nil {
			return false, true
		}
		next := v.Next(v.Now().Update(after))
		if len(delegation.Of(v, s.By, now).Judge([]change.Op{op}, next)) > 0 {
			return false, true
		}
		d, v = after, next
	}
	return holds(v, b.Person, b.Holding), true
}

func holds(v *ahead.View, user string, h index.Holding) bool {
	return slices.ContainsFunc(v.AllSpans(user, now), func(s index.Span) bool { return v.Now().Includes(s.Holding, h) })
}

// aboveAtFirst tells whether somebody whom an operation is about stands above who acts, by what that one held before
// anything was done (rule 6 is judged on that), or comes to.
func aboveAtFirst(first, next *ahead.View, op change.Op, who string) bool {
	high := ahead.High(first.Now().Design())
	mine := first.Present(who, high, now)
	above := func(user string) bool {
		return slices.ContainsFunc([]*ahead.View{first, next}, func(v *ahead.View) bool {
			return len(v.Beyond(v.Latent(user, high, now), mine, now)) > 0
		})
	}
	switch o := op.After.(type) {
	case *model.Assignment:
		return above(o.Subject.User)
	case *model.User:
		return above(o.ID)
	case *model.Group:
		return slices.ContainsFunc(o.Users, func(u string) bool {
			return !slices.Contains(op.Before.(*model.Group).Users, u) && above(u)
		})
	}
	return false
}

// Package ahead says what a design will give: to people who are live now and to those who will be, at every instant
// to come (docs/semantics.md, §9 and §10). What gates a change is asked of it, so that nobody gets by waiting what
// would be refused today.
package ahead

import (
	"maps"
	"slices"
	"sync"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// View is a design together with the same design in which everybody who is not deleted is live.
type View struct {
	now  *index.Index
	live *index.Index
	all  func() index.Bundle             // of every permission
	high func() ([]string, index.Bundle) // [High], of the design of now
}

// Of looks ahead in a design.
func Of(x *index.Index) *View { return view(x, x.Update(awake(nil, x.Design()))) }

func view(now, live *index.Index) *View {
	return &View{
		now: now, live: live,
		all: sync.OnceValue(func() index.Bundle {
			return live.Just(keys(live.Design(), func(*model.Permission) bool { return true }))
		}),
		high: sync.OnceValues(func() ([]string, index.Bundle) {
			keys := High(now.Design())
			return keys, now.Just(keys)
		}),
	}
}

// Next looks ahead in another design, which has much in common with that of v; it costs what the two differ by.
func (v *View) Next(x *index.Index) *View {
	switch {
	case x == v.now:
		return v
	case 2*len(v.live.Design().Users) < len(x.Design().Users): // it has more in common with itself
		return Of(x)
	}
	return view(x, v.live.Update(awake(v, x.Design())))
}

// awake is a design in which everybody who is not deleted is active, with no bounds to their validity. People who
// are the same as in a view have the same object, so that an index need not look at them again.
func awake(v *View, d *model.Design) *model.Design {
	var were, are model.Table[*model.User]
	if v != nil {
		were, are = v.now.Design().Users, v.live.Design().Users
	}
	out := *d
	out.Users = make(model.Table[*model.User], len(d.Users))
	at := 0
	for i, u := range d.Users {
		for at < len(were) && were[at].ID < u.ID {
			at++
		}
		switch {
		case at < len(were) && were[at] == u:
			out.Users[i] = are[at]
		case u.State == model.UserDeleted, u.State == model.UserActive && u.From.IsZero() && u.Until.IsZero():
			out.Users[i] = u
		default:
			c := *u
			c.State, c.From, c.Until = model.UserActive, time.Time{}, time.Time{}
			out.Users[i] = &c
		}
	}
	return &out
}

// Now is the index of the design as it is.
func (v *View) Now() *index.Index { return v.now }

// Live is the index of the design in which everybody who is not deleted is live.
func (v *View) Live() *index.Index { return v.live }

// Spans gives what a user holds, or will hold by what is already written, of some permissions, from t on. Somebody
// who is invited, locked or not yet valid is taken as they will be when live. Somebody deactivated or deleted holds
// nothing: to bring them back is an act of its own.
func (v *View) Spans(user string, keys []string, t time.Time) []index.Span {
	return v.spans(user, func() index.Bundle { return v.live.Just(keys) }, t)
}

// SpansOf is [View.Spans] of a bundle of [View.Live], for who asks it of many.
func (v *View) SpansOf(user string, of index.Bundle, t time.Time) []index.Span {
	return v.spans(user, func() index.Bundle { return of }, t)
}

// AllSpans is [View.Spans] of every permission that there is.
func (v *View) AllSpans(user string, t time.Time) []index.Span { return v.spans(user, v.all, t) }

func (v *View) spans(user string, of func() index.Bundle, t time.Time) (out []index.Span) {
	u, ok := v.now.Design().Users.Find(user)
	if !ok || u.State == model.UserDeactivated || u.State == model.UserDeleted || !u.Until.IsZero() && !t.Before(u.Until) {
		return nil
	}
	for _, s := range v.live.Ahead(user, of(), t) {
		s.From, s.Until = later(s.From, u.From), sooner(s.Until, u.Until)
		if s.From.Before(t) {
			s.From = time.Time{}
		}
		if begins := later(s.From, t); s.Until.IsZero() || begins.Before(s.Until) {
			out = append(out, s)
		}
	}
	return out
}

// Latent gives what a user holds of some permissions from t on, or would if they were live: whatever their state and
// the bounds of their validity, unless they are deleted. It is the one reading by which what people hold before a
// change is compared with what they hold after it (docs/semantics.md, §10).
func (v *View) Latent(user string, keys []string, t time.Time) []index.Span {
	return v.LatentOf(user, v.live.Just(keys), t)
}

// AllLatent is [View.Latent] of every permission that there is.
func (v *View) AllLatent(user string, t time.Time) []index.Span { return v.LatentOf(user, v.all(), t) }

// LatentOf is [View.Latent] of a bundle of [View.Live], for who asks it of many.
func (v *View) LatentOf(user string, of index.Bundle, t time.Time) []index.Span {
	if u, ok := v.now.Design().Users.Find(user); !ok || u.State == model.UserDeleted {
		return nil
	}
	out := v.live.Ahead(user, of, t)
	for i := range out {
		if !out[i].From.After(t) {
			out[i].From = time.Time{} // when it began is of no matter any longer
		}
	}
	return out
}

func later(a, b time.Time) time.Time {
	if a.Before(b) {
		return b
	}
	return a
}

// sooner is the earlier of two ends, of which a missing one is unbounded.
func sooner(a, b time.Time) time.Time {
	if a.IsZero() || !b.IsZero() && b.Before(a) {
		return b
	}
	return a
}

// Beyond gives those of some spans that others do not cover at every instant from t on: at some instant, none of the
// others gives the same permission over an area, and with a reach, that include it. Each is told from the first such
// instant on. The areas are those of v.
func (v *View) Beyond(spans, others []index.Span, t time.Time) (out []index.Span) {
	same := make(map[index.Span]bool, len(others)) // most spans are as they were, which is told at once
	of := map[string][]index.Span{}                // by permission: only these can cover one
	for _, o := range others {
		same[o] = true
		of[o.Permission] = append(of[o.Permission], o)
	}
	for _, s := range spans {
		if same[s] {
			continue
		}
		var wider []index.Span
		// Whether it is covered can change only where one of the others begins or ends.
		instants := []time.Time{later(s.From, t)}
		for _, o := range of[s.Permission] {
			if v.now.Includes(o.Holding, s.Holding) {
				wider = append(wider, o)
				instants = append(instants, o.From, o.Until)
			}
		}
		slices.SortFunc(instants, time.Time.Compare)
		for _, at := range instants {
			if at.Before(t) || !model.In(at, s.From, s.Until) {
				continue
			}
			if !slices.ContainsFunc(wider, func(o index.Span) bool { return model.In(at, o.From, o.Until) }) {
				if s.From = at; at.Equal(t) {
					s.From = time.Time{}
				}
				out = append(out, s)
				break
			}
		}
	}
	return out
}

// Comparison compares what two designs will give, person by person. It is for one goroutine at a time.
type Comparison struct {
	before, after *View
	scope         *index.Scope // nil: anything can differ
}

// Compare prepares to compare many people.
func Compare(before, after *View) *Comparison {
	scope, _ := index.ScopeOf(before.live, after.live)
	return &Comparison{before, after, scope}
}

// Gains gives what somebody comes to hold from t on, of every permission, as [View.Beyond] tells it.
func (c *Comparison) Gains(user string, t time.Time) []index.Span {
	if c.scope == nil || c.bounded(user) {
		return c.after.Beyond(c.after.AllSpans(user, t), c.before.AllSpans(user, t), t)
	}
	of := c.scope.Of(user)
	return c.after.Beyond(c.after.SpansOf(user, of, t), c.before.SpansOf(user, of, t), t)
}

// bounded tells that somebody's own state, or the bounds of their validity, are not the same.
func (c *Comparison) bounded(user string) bool {
	was, had := c.before.now.Design().Users.Find(user)
	is, has := c.after.now.Design().Users.Find(user)
	return had != has || had && has && was != is &&
		(was.State != is.State || !was.From.Equal(is.From) || !was.Until.Equal(is.Until))
}

// Present gives what a user holds at t of some permissions, as spans without an end: what somebody may do now is
// what they may do, whenever that ends.
func (v *View) Present(user string, keys []string, t time.Time) []index.Span {
	return v.present(user, v.now.Just(keys), t)
}

// High gives what is [High] in the design of now, and what a user holds of that at t, as [View.Present] does.
func (v *View) High(user string, t time.Time) ([]string, []index.Span) {
	keys, of := v.high()
	return keys, v.present(user, of, t)
}

func (v *View) present(user string, of index.Bundle, t time.Time) (out []index.Span) {
	if !v.now.Live(user, t) {
		return nil
	}
	for _, s := range v.now.Ahead(user, of, t) {
		if model.In(t, s.From, s.Until) {
			out = append(out, index.Span{Holding: s.Holding})
		}
	}
	return out
}

// Gains gives what a change from one design to another gives people of some permissions from t on, by person: what they
// hold after it, or would if they were live, and did not before; and all that whoever is woken by it holds.
func Gains(before, after *View, keys []string, t time.Time) map[string][]index.Span {
	out := Planted(before, after, keys, t)
	of := after.live.Just(keys)
	for _, id := range Woken(before, after, t) {
		if held := after.LatentOf(id, of, t); len(held) > 0 {
			out[id] = held
		}
	}
	return out
}

// Planted is [Gains], without what those hold who are woken: they were given that before.
func Planted(before, after *View, keys []string, t time.Time) map[string][]index.Span {
	out := map[string][]index.Span{}
	had, has := before.live.Just(keys), after.live.Just(keys)
	for _, id := range after.live.GivenAhead(has, t) {
		if gained := after.Beyond(after.LatentOf(id, has, t), before.LatentOf(id, had, t), t); len(gained) > 0 {
			out[id] = gained
		}
	}
	return out
}

// Delegated gives whom a change from one design to another makes delegates of what has not ended at t, by person: the
// groups that they come into to which something is delegated. What is delegated to a person by name is not counted: a
// change of that is one of a delegation. Everybody who is not deleted is taken as live.
func Delegated(before, after *View, t time.Time) map[string][]string {
	out := map[string][]string{}
	seen := map[string]bool{}
	for _, g := range after.now.Design().Delegations {
		group := g.Delegate.Group
		if group == "" || seen[group] || !g.Until.IsZero() && !t.Before(g.Until) {
			continue
		}
		seen[group] = true
		for _, user := range after.live.Members(group) {
			if u, ok := after.now.Design().Users.Find(user); ok && u.State != model.UserDeleted &&
				!before.live.InGroup(user, group) {
				out[user] = append(out[user], group)
			}
		}
	}
	return out
}

// Outgrown tells whether a change from one design to another gives somebody a right in Fachwerk, from t on, that they
// did not hold, or delegates more to them than was, whether they are live or not.
func Outgrown(before, after *View, user string, t time.Time) bool {
	rights := Rights(after.now.Design())
	if len(after.Beyond(after.Latent(user, rights, t), before.Latent(user, rights, t), t)) > 0 {
		return true
	}
	had := before.Delegations(user, t)
	return slices.ContainsFunc(after.Delegations(user, t), func(g *model.Delegation) bool {
		return !slices.ContainsFunc(had, func(o *model.Delegation) bool { return o == g || model.Same(o, g) })
	})
}

// Delegations gives what is delegated to somebody who is not deleted, or would be if they were live, and has not ended
// at t.
func (v *View) Delegations(user string, t time.Time) (out []*model.Delegation) {
	if u, ok := v.now.Design().Users.Find(user); !ok || u.State == model.UserDeleted {
		return nil
	}
	for _, g := range v.now.Design().Delegations {
		if (g.Until.IsZero() || t.Before(g.Until)) &&
			(g.Delegate.User == user || g.Delegate.Group != "" && v.live.InGroup(user, g.Delegate.Group)) {
			out = append(out, g)
		}
	}
	return out
}

// Woken gives the people, sorted, who are live at an instant from t on by the design after a change, and were not at
// that instant by the one before, though they were there and not deleted.
func Woken(before, after *View, t time.Time) (out []string) {
	were := before.now.Design().Users
	at := 0
	for _, is := range after.now.Design().Users {
		for at < len(were) && were[at].ID < is.ID {
			at++
		}
		if at == len(were) || were[at] == is || were[at].ID != is.ID {
			continue
		}
		was := were[at]
		ended := !is.Until.IsZero() && !t.Before(is.Until)
		longer := !was.Until.IsZero() && (is.Until.IsZero() || is.Until.After(was.Until))
		sooner := was.From.After(t) && is.From.Before(was.From)
		if was.State != model.UserDeleted && is.State == model.UserActive && !ended &&
			(was.State != model.UserActive || longer || sooner) {
			out = append(out, is.ID)
		}
	}
	return out
}

// LastingOwners gives the ids of the live people who hold every right of Fachwerk's own system over the whole
// organisation, with no end and no coming begin on any link of the way, sorted (§9).
func (v *View) LastingOwners(t time.Time) (out []string) {
	rights := Rights(v.now.Design())
	root := v.now.Design().Root()
	for _, id := range v.now.GivenAhead(v.now.Just(rights), t) {
		u, _ := v.now.Design().Users.Find(id)
		if !v.now.Live(id, t) || !u.Until.IsZero() {
			continue
		}
		held := map[string]bool{}
		for _, s := range v.now.Ahead(id, v.now.Just(rights), t) {
			if s.Until.IsZero() && !t.Before(s.From) && s.Area == root && s.Reach == model.ReachArea {
				held[s.Permission] = true
			}
		}
		if len(held) == len(rights) {
			out = append(out, id)
		}
	}
	return out
}

// Entrusted gives the ids of groups that a directory keeps and that give, by nesting too, a right in Fachwerk or a
// delegation, which has not ended at t; sorted.
func (v *View) Entrusted(t time.Time) (out []string) {
	giving := v.Privileged(t)
	for _, g := range v.now.Design().Groups {
		if giving[g.ID] && g.Source == model.Directory {
			out = append(out, g.ID)
		}
	}
	return out
}

// Privileged gives the groups that give rights in Fachwerk, or a delegation, by nesting or not, at t or later.
func (v *View) Privileged(t time.Time) map[string]bool {
	d := v.now.Design()
	giving := map[string]bool{}
	for _, a := range v.now.Carrying(v.now.Just(Rights(d))) {
		if a.Subject.Group != "" && (a.Until.IsZero() || t.Before(a.Until)) {
			giving[a.Subject.Group] = true
		}
	}
	for _, g := range d.Delegations {
		if g.Delegate.Group != "" && (g.Until.IsZero() || t.Before(g.Until)) {
			giving[g.Delegate.Group] = true
		}
	}
	for todo := slices.Collect(maps.Keys(giving)); len(todo) > 0; todo = todo[1:] {
		if g, ok := d.Groups.Find(todo[0]); ok {
			for _, child := range g.Groups {
				if !giving[child] {
					giving[child] = true
					todo = append(todo, child)
				}
			}
		}
	}
	return giving
}

// Gives tells whether a group, by nesting too, gives a permission by an assignment that has not ended at t.
func (v *View) Gives(group, permission string, t time.Time) bool {
	above := v.now.Nesting(group)
	return slices.ContainsFunc(v.now.Carrying(v.now.Just([]string{permission})), func(a *model.Assignment) bool {
		return slices.Contains(above, a.Subject.Group) && (a.Until.IsZero() || t.Before(a.Until))
	})
}

// Rights gives the permissions of Fachwerk's own system.
func Rights(d *model.Design) []string {
	return keys(d, func(p *model.Permission) bool { return true }, model.OwnSystem)
}

// Grave gives the rights in Fachwerk whose giving is critical (§10): the critical ones, and those that let one change
// a design.
func Grave(d *model.Design) []string {
	return keys(d, func(p *model.Permission) bool { return p.Risk == 3 || p.Class == model.Admin }, model.OwnSystem)
}

// High gives what puts somebody above those who do not hold it (§9, rule 6): critical permissions of any system, and
// every right in Fachwerk.
func High(d *model.Design) (out []string) {
	return keys(d, func(p *model.Permission) bool {
		system, _, _, _ := model.CutKey(p.Key)
		return p.Risk == 3 || system == model.OwnSystem
	})
}

// keys gives the permissions that fit, of some systems or of all.
func keys(d *model.Design, fits func(*model.Permission) bool, systems ...string) (out []string) {
	for _, s := range d.Systems {
		if len(systems) > 0 && !slices.Contains(systems, s.ID) {
			continue
		}
		for _, p := range s.Permissions {
			if fits(p) {
				out = append(out, p.Key)
			}
		}
	}
	return out
}

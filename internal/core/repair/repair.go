// Package repair finds the smallest changes by which a person comes to have a permission that they lack
// (docs/semantics.md, §7), and tells what else each would do.
package repair

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Repair is a change after which the permission is allowed.
type Repair struct {
	Ops    []change.Op
	Extra  []index.Holding // what else the person gains
	Others int             // how many other people gain something
	Losing int             // how many people lose something
	Impact *change.Impact
}

// Most bounds how many repairs are given, and how many of each sort are tried.
const Most = 8

// span is for how long something that has ended is given again, if nothing else is said.
const span = 90 * 24 * time.Hour

// Find gives the repairs for a person, a permission and a record at t, the smallest first: those by which fewest
// others gain, no conflict comes up, and the person gains least beside. It is empty if the permission is allowed
// already, or if one of them does not exist. Each is well-formed, and has been tried.
func Find(x *index.Index, user, permission string, r index.Record, t time.Time) []Repair {
	f := finder{x: x, user: user, permission: permission, record: r, t: t}
	u, ok := x.Design().Users.Find(user)
	_, known := x.Design().Permission(permission)
	if !ok || !known || u.State == model.UserDeleted || x.Allowed(user, permission, r, t) {
		return nil
	}
	f.person = u
	f.lift()
	f.join()
	f.assign()
	f.weigh()
	slices.SortStableFunc(f.found, func(a, b Repair) int {
		return cmp.Or(
			cmp.Compare(a.Others, b.Others),
			cmp.Compare(clashes(a), clashes(b)),
			cmp.Compare(len(a.Extra), len(b.Extra)),
			cmp.Compare(len(a.Ops), len(b.Ops)),
		)
	})
	all := slices.Clone(f.found)
	f.found = slices.DeleteFunc(f.found, func(r Repair) bool {
		return slices.ContainsFunc(all, func(other Repair) bool { return other.less(r) })
	})
	return f.found[:min(len(f.found), Most)]
}

// less tells whether a repair is a part of another, which then does more than is needed.
func (r *Repair) less(than Repair) bool {
	return len(r.Ops) < len(than.Ops) && !slices.ContainsFunc(r.Ops, func(o change.Op) bool {
		return !slices.ContainsFunc(than.Ops, func(p change.Op) bool {
			return o.Kind == p.Kind && o.ID == p.ID && change.Equal(o.After, p.After)
		})
	})
}

func clashes(r Repair) (n int) {
	for _, c := range r.Impact.Conflicts {
		if !c.Cleared && !c.Excepted {
			n++
		}
	}
	return n + len(r.Impact.Licences)
}

type finder struct {
	x                *index.Index
	user, permission string
	person           *model.User
	record           index.Record
	t                time.Time
	tried            []trial
	found            []Repair
}

// trial is a change that may be a repair.
type trial struct {
	name  string // the same of those that are the same
	ops   []change.Op
	after *model.Design
}

// edit is a change that is being put together.
type edit struct {
	d    *model.Design
	list []model.Object
}

// object gives a thing of the change to be altered: a copy of what the design has, once for each.
func object[T model.Object](e *edit, o T) T {
	for _, known := range e.list {
		if known.Kind() == o.Kind() && known.Ident() == o.Ident() {
			return known.(T)
		}
	}
	c := change.Clone(o)
	e.list = append(e.list, c)
	return c
}

// try takes a change in, to be weighed. What is needed of the account comes with it.
func (f *finder) try(e *edit) {
	f.account(e)
	var ops []change.Op
	name := ""
	for _, o := range e.list {
		op := change.Put(e.d, o)
		if change.Equal(op.Before, op.After) {
			continue
		}
		ops = append(ops, op)
		name += fmt.Sprint(op.Kind, " ", op.ID, " ")
		if op.Before == nil {
			a := o.(*model.Assignment)
			name += a.Role + a.Set + a.Area
		}
	}
	if len(ops) == 0 || slices.ContainsFunc(f.tried, func(t trial) bool { return t.name == name }) {
		return
	}
	t := trial{name: name, ops: ops}
	t.after, _ = change.Apply(e.d, ops)
	f.tried = append(f.tried, t)
}

// weigh keeps those trials that do what they should, in their order. Each takes an index of its own, so they are
// weighed side by side.
func (f *finder) weigh() {
	found := make([]*Repair, len(f.tried))
	fan.Out(len(found), func(_, from, to int) {
		for i := from; i < to; i++ {
			if f.tried[i].after != nil {
				found[i] = f.weighed(f.tried[i])
			}
		}
	})
	for _, r := range found {
		if r != nil {
			f.found = append(f.found, *r)
		}
	}
}

// weighed is what a trial comes to; nil if it is no repair.
func (f *finder) weighed(t trial) *Repair {
	y := f.x.Update(t.after)
	if !y.Allowed(f.user, f.permission, f.record, f.t) {
		return nil
	}
	r := &Repair{Ops: t.ops, Impact: change.CountsOf(f.x, y, t.ops, f.t)}
	if r.Impact.Lockout {
		return nil
	}
	r.Losing = r.Impact.Losing
	for _, p := range r.Impact.People {
		switch {
		case p.User == f.user:
			r.Extra = slices.DeleteFunc(
				r.Impact.Tell(f.user)[0].Gains,
				func(h index.Holding) bool { return h.Permission == f.permission },
			)
		case p.Gained > 0:
			r.Others++
		}
	}
	return r
}

// account makes the person live, and licensed for the permission.
func (f *finder) account(e *edit) {
	if missing := f.x.NeedsLicences(f.user, f.permission); len(missing) > 0 {
		u := object(e, f.person)
		for _, l := range missing {
			if !slices.Contains(u.Licences, l) {
				u.Licences = append(u.Licences, l)
			}
		}
	}
	if f.x.Live(f.user, f.t) {
		return
	}
	u := object(e, f.person)
	u.State = model.UserActive
	if f.t.Before(u.From) {
		u.From = time.Time{}
	}
	if !u.Until.IsZero() && !f.t.Before(u.Until) {
		u.Until = f.t.Add(span).Truncate(24 * time.Hour)
	}
}

// lift clears what stands in the ways that there are, those first that least stands against.
func (f *finder) lift() {
	attempts := f.x.Attempts(f.user, f.permission, f.record, f.t)
	slices.SortStableFunc(
		attempts,
		func(a, b index.Attempt) int { return cmp.Compare(len(a.Obstacles), len(b.Obstacles)) },
	)
	for _, a := range attempts[:min(len(attempts), 2*Most)] {
		e := &edit{d: f.x.Design()}
		for _, s := range a.Way.Steps {
			f.clear(e, s)
		}
		for _, o := range a.Obstacles {
			f.grant(e, a.Way.Assignment, o)
		}
		f.try(e)
	}
}

// clear lifts what stands against a way in one of its steps.
func (f *finder) clear(e *edit, s index.Step) {
	switch {
	case s.Blocked == "":
	case s.Kind == model.KindSet:
		set, _ := e.d.Sets.Find(s.ID)
		object(e, set).State = model.Active
	case s.Blocked == index.Retired:
		role, _ := e.d.Roles.Find(s.ID)
		object(e, role).State = model.Active
	default:
		role, _ := e.d.Roles.Find(s.ID)
		r := object(e, role)
		r.Excludes = slices.DeleteFunc(
			r.Excludes,
			func(key string) bool { return slices.Contains(f.x.Standing([]string{key}), f.permission) },
		)
	}
}

// grant lifts what stands against an assignment as a whole.
func (f *finder) grant(e *edit, was *model.Assignment, o index.Obstacle) {
	switch o {
	case index.NotYet:
		object(e, was).From = time.Time{}
	case index.NoLonger:
		object(e, was).Until = f.t.Add(span).Truncate(24 * time.Hour)
	case index.IsReadOnly:
		object(e, was).Mode = model.Full
	case index.WholeOnly:
		a := object(e, was)
		a.Area, a.Reach = "", model.ReachArea
	case index.OutOfReach:
		a := object(e, was)
		a.Reach = model.ReachArea
		if !f.x.Covers(a.Area, f.record.Area) {
			a.Area = f.record.Area
		}
	}
}

// join puts the person into a group that has the permission there.
func (f *finder) join() {
	type candidate struct {
		group *model.Group
		gives int
	}
	var all []candidate
	d := f.x.Design()
	for _, n := range f.x.Giving(f.permission) {
		for _, a := range f.x.GrantsOf(n.Kind, n.ID) {
			g, ok := d.Groups.Find(a.Subject.Group)
			if !ok || g.Type == model.Rule || g.Source == model.Directory || !model.In(f.t, a.From, a.Until) ||
				a.Reach != model.ReachArea ||
				!f.x.Covers(a.Area, f.record.Area) ||
				f.x.InGroup(f.user, g.ID) ||
				slices.ContainsFunc(all, func(c candidate) bool { return c.group == g }) {
				continue
			}
			all = append(all, candidate{g, len(f.x.Carried(f.x.GrantsTo(g.ID), f.t))})
		}
	}
	slices.SortStableFunc(all, func(a, b candidate) int { return cmp.Compare(a.gives, b.gives) })
	for _, c := range all[:min(len(all), Most)] {
		e := &edit{d: d}
		g := object(e, c.group)
		g.Users = append(g.Users, f.user)
		f.try(e)
	}
}

// assign gives the person a role or set, just there.
func (f *finder) assign() {
	type candidate struct {
		index.Node
		gives int
	}
	var all []candidate
	d := f.x.Design()
	for _, n := range f.x.Giving(f.permission) {
		all = append(all, candidate{n, len(f.x.Content(n.Kind, n.ID))})
	}
	slices.SortStableFunc(all, func(a, b candidate) int { return cmp.Compare(a.gives, b.gives) })
	area := f.record.Area
	if p, _ := d.Permission(f.permission); p.Span == model.SpanOrganisation || area == d.Root() {
		area = ""
	}
	for _, c := range all[:min(len(all), Most)] {
		a := &model.Assignment{
			ID:      freshID(d, f.user),
			Subject: model.Subject{User: f.user},
			Area:    area,
			Reach:   model.ReachArea,
			Mode:    model.Full,
		}
		if c.Kind == model.KindRole {
			a.Role = c.ID
		} else {
			a.Set = c.ID
		}
		f.try(&edit{d: d, list: []model.Object{a}})
	}
}

// freshID is the id of an assignment that the design has not.
func freshID(d *model.Design, user string) string {
	for n := 1; ; n++ {
		id := fmt.Sprintf("%.50s-repair-%d", user, n)
		if _, taken := d.Assignments.Find(id); !taken {
			return id
		}
	}
}

// Package peers tells what people of one job hold: most of them, or only some. Somebody who comes can be given what
// most have; somebody who moves leaves behind what is of the old job only.
package peers

import (
	"cmp"
	"slices"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Job is what peers have in common. What is empty is not asked for.
type Job struct {
	Title, Department string
	Area              string // they are at home there or below
}

// Of gives the live people of a job, without one, by place in the design. Nobody has the job that asks for nothing.
func Of(x *index.Index, j Job, without string, t time.Time) (out []*model.User) {
	if j.Title == "" && j.Department == "" {
		return nil
	}
	for _, u := range x.Design().Users {
		if u.ID != without && (j.Title == "" || u.JobTitle == j.Title) &&
			(j.Department == "" || u.Department == j.Department) && (j.Area == "" || x.Covers(j.Area, u.Area)) &&
			x.Live(u.ID, t) {
			out = append(out, u)
		}
	}
	return out
}

// Thing is something that a person holds in a way of its own: a role or set by hand, a group, a licence.
type Thing struct {
	Kind model.Kind // role, set, group or licence
	ID   string
	// Of a role or set: where and how. Home means at the person's own home, whatever that is.
	Home  bool
	Area  string
	Reach model.Reach
	Mode  model.Mode
}

// Share is how many of some people hold a thing.
type Share struct {
	Thing
	N int
	// ByItself tells that nobody gives it: a rule or a directory says who is in the group.
	ByItself bool
}

// Most tells whether at least half of so many people hold it.
func (s *Share) Most(of int) bool { return 2*s.N >= of }

// Holds gives what a person holds at t, each thing once.
func Holds(x *index.Index, u *model.User, t time.Time) (out []Thing) {
	add := func(thing Thing) {
		if !slices.Contains(out, thing) {
			out = append(out, thing)
		}
	}
	for _, a := range x.GrantsOfUser(u.ID) {
		if !model.In(t, a.From, a.Until) {
			continue
		}
		thing := GivenAt(a, u.Area)
		add(thing)
	}
	for _, g := range x.GroupsOf(u.ID) {
		if g.Direct && g.Group != model.Everyone && g.Group != model.Public {
			add(Thing{Kind: model.KindGroup, ID: g.Group})
		}
	}
	for _, l := range u.Licences {
		add(Thing{Kind: model.KindLicence, ID: l})
	}
	return out
}

// GivenAt is what an assignment gives to somebody with a home.
func GivenAt(a *model.Assignment, home string) Thing {
	thing := Thing{Kind: model.KindRole, ID: a.Role, Area: a.Area, Reach: a.Reach, Mode: a.Mode}
	if a.Role == "" {
		thing.Kind, thing.ID = model.KindSet, a.Set
	}
	if a.Area != "" && a.Area == home {
		thing.Home, thing.Area = true, ""
	}
	return thing
}

// Shares gives what some people hold at t, what most hold first; what as many hold by kind and id.
func Shares(x *index.Index, people []*model.User, t time.Time) (out []Share) {
	n := map[Thing]int{}
	for _, u := range people {
		for _, thing := range Holds(x, u, t) {
			n[thing]++
		}
	}
	for thing, n := range n {
		s := Share{Thing: thing, N: n}
		if g, ok := x.Design().Groups.Find(thing.ID); ok && thing.Kind == model.KindGroup {
			s.ByItself = g.Type == model.Rule || g.Source == model.Directory
		}
		out = append(out, s)
	}
	rank := func(k model.Kind) int {
		return slices.Index([]model.Kind{model.KindGroup, model.KindRole, model.KindSet, model.KindLicence}, k)
	}
	slices.SortFunc(out, func(a, b Share) int {
		return cmp.Or(b.N-a.N, rank(a.Kind)-rank(b.Kind), cmp.Compare(a.ID, b.ID), cmp.Compare(a.Area, b.Area),
			cmp.Compare(a.Reach, b.Reach), cmp.Compare(a.Mode, b.Mode))
	})
	return out
}

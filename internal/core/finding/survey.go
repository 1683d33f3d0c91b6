package finding

import (
	"cmp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
)

// Survey is all that is loose in a design at an instant. What is loose in the next design is found from it by what
// differs, which after a small change is hundreds of times as quick.
type Survey struct {
	s     *search
	parts [][]Finding // by kind, in the order of [Kinds]
}

// Look finds all that is loose in a design at t. The view is of the index.
func Look(v *ahead.View, f Facts, t time.Time) *Survey {
	s := newSearch(v, f, t)
	s.from, s.until = s.d.Steady(t)
	return &Survey{s, s.find(Kinds)}
}

// Next finds all that is loose in the next design: what [Look] finds, but for uses and days, of which it may know what
// was so [UsesFor] ago.
func (y *Survey) Next(v *ahead.View, f Facts, t time.Time) *Survey {
	s := newSearch(v, f, t)
	if s.since = sinceOf(y, s); s.since != nil {
		s.stay()
	} else {
		s.from, s.until = s.d.Steady(t)
	}
	parts := s.find(Kinds)
	s.since = nil // the designs before are not needed any longer
	return &Survey{s, parts}
}

// All gives what was found, kind by kind in the order of [Kinds], the gravest first, and then by what it is about.
func (y *Survey) All() []Finding { return slices.Concat(y.parts...) }

// All gives everything that is loose in a design at t, of some kinds or, if none are named, of all, in the order of
// [Survey.All]. The view is of the index.
func All(v *ahead.View, f Facts, t time.Time, kinds ...Kind) []Finding {
	return slices.Concat(newSearch(v, f, t).find(slices.DeleteFunc(slices.Clone(Kinds), func(a About) bool {
		return len(kinds) > 0 && !slices.Contains(kinds, a.Kind)
	}))...)
}

// UsesFor is for how long uses count as they were found, which are noted without end and are no part of the design, and
// the days until something ends.
const UsesFor = time.Minute

// search is a design that is looked through at one instant.
type search struct {
	x *index.Index
	v *ahead.View
	d *model.Design
	Facts
	t time.Time
	// In which nothing begins or ends; zero: without end. It may be shorter than that.
	from, until time.Time
	since       *since             // nil: everything is looked for from nothing
	rows        func() *index.Rows // who holds what of high and critical risk
	// What a role or set gives: of which systems, and which bits of the rows.
	gives func(kind model.Kind, id string) map[string]bool
	risks func(kind model.Kind, id string) []int
	remember
}

// remember is what kinds found out that the next search goes on from. Each is written by one kind alone.
type remember struct {
	duties  []duty.Violation
	counts  []int32                                 // how many hold each critical permission, by the bits of the rows
	waits   model.Column[*model.User, []string]     // for want of which licences something is withheld
	lacking map[string]int                          // from how many, of each licence
	decided map[string][]uint64                     // of people: what reviews decided about, as rows
	missing model.Column[*model.Assignment, string] // of assignments: somebody who would miss it
	ends    map[string]bool                         // of what ends soon: whether somebody loses something
	gone    map[string]*model.User                  // those who are locked, deactivated or deleted
	reports map[string]int                          // of managers: how many live people they have
	usesAt  time.Time                               // as of when uses count
}

func newSearch(v *ahead.View, f Facts, t time.Time) *search {
	s := &search{x: v.Now(), v: v, d: v.Now().Design(), Facts: f, t: t}
	s.Limits = s.Limits.OrUsual()
	if s.Uses == nil {
		s.Uses = use.NewBook()
	}
	s.usesAt = t
	s.rows = sync.OnceValue(func() *index.Rows {
		if s.Rows != nil {
			return s.Rows
		}
		if s.since != nil {
			return s.since.was.rows().Next(s.x, s.since.touched, t)
		}
		return s.x.Rows(OfRisk(s.d, 2), t)
	})
	s.gives = known(func(kind model.Kind, id string) map[string]bool {
		systems := map[string]bool{}
		for _, key := range s.x.Content(kind, id) {
			systems[use.SystemOf(key)] = true
		}
		return systems
	})
	bits := sync.OnceValue(func() map[string]int {
		out := map[string]int{}
		for n, key := range s.rows().Keys() {
			out[key] = n
		}
		return out
	})
	s.risks = known(func(kind model.Kind, id string) (out []int) {
		for _, key := range s.x.Content(kind, id) {
			if n, is := bits()[key]; is {
				out = append(out, n)
			}
		}
		return out
	})
	return s
}

// known keeps what is found out about things, which many ask about at once.
func known[T any](of func(kind model.Kind, id string) T) func(kind model.Kind, id string) T {
	var all sync.Map
	return func(kind model.Kind, id string) T {
		v, ok := all.Load(Object{kind, id})
		if !ok {
			v, _ = all.LoadOrStore(Object{kind, id}, of(kind, id))
		}
		return v.(T)
	}
}

// find looks for some kinds, side by side.
func (s *search) find(kinds []About) [][]Finding {
	parts := make([][]Finding, len(kinds))
	var next atomic.Int64
	fan.Out(fan.Parts(), func(_, _, _ int) {
		for n := int(next.Add(1)) - 1; n < len(kinds); n = int(next.Add(1)) - 1 {
			kind := kinds[n].Kind
			fresh := kinds[n].find(s)
			for i := range fresh {
				f := &fresh[i]
				f.Kind = kind
				if f.id == "" {
					f.id = f.ID()
				}
				f.in = s
			}
			if !slices.IsSortedFunc(fresh, before) {
				slices.SortFunc(fresh, before)
			}
			parts[n] = fresh
		}
	})
	return parts
}

// before orders findings of one kind.
func before(a, b Finding) int { return cmp.Or(b.Weight-a.Weight, strings.Compare(a.id, b.id)) }

// stay tells how long things stay as they are: as long as they did before, but for what differs.
func (s *search) stay() {
	some := &model.Design{Conflicts: s.d.Conflicts, Delegations: s.d.Delegations, Users: s.changedPeople()}
	for id := range s.since.grants {
		if a, ok := s.d.Assignments.Find(id); ok {
			some.Assignments = append(some.Assignments, a)
		}
	}
	s.from, s.until = some.Steady(s.t)
	was := s.since.was
	if was.from.After(s.from) {
		s.from = was.from
	}
	if s.until.IsZero() || !was.until.IsZero() && was.until.Before(s.until) {
		s.until = was.until
	}
}

// since is what differs from a design that was looked through before.
type since struct {
	was     *search
	parts   map[Kind][]Finding
	touched []string            // who may hold something else, or be it otherwise; by id, sorted
	people  map[string]bool     // those, and whose account is another
	grants  map[string]bool     // assignments that are there in one of the two only, or otherwise
	groups  map[string][]string // groups that any of the touched are in, or were; with those who are
	owned   map[string]bool     // groups, sets and roles that are there in one of the two only, or otherwise
	posts   map[post]bool       // those of whose people any may be otherwise
	// reviewed are people about whom reviews decided something else.
	reviewed map[string]bool
	uses     bool // they have counted for too long
}

// touchedMost is how many people may be touched in any design, before looking at everybody is as quick; in one of many
// people, half of them.
const touchedMost = 64

// sinceOf tells what differs; nil if that would not help.
func sinceOf(y *Survey, s *search) *since {
	was := y.s
	if was.Limits != s.Limits || s.t.Before(was.from) || !was.until.IsZero() && !s.t.Before(was.until) {
		return nil
	}
	touched, known := index.Touched(was.x, s.x)
	if !known || len(touched) > max(touchedMost, len(s.d.Users)/2) {
		return nil
	}
	out := &since{
		was: was, parts: map[Kind][]Finding{}, touched: touched, people: map[string]bool{}, grants: map[string]bool{},
		groups: map[string][]string{}, posts: map[post]bool{}, owned: map[string]bool{}, reviewed: map[string]bool{},
		uses: s.t.Sub(was.usesAt).Abs() >= UsesFor || s.Uses != was.Uses,
	}
	for n, part := range y.parts {
		out.parts[Kinds[n].Kind] = part
	}
	if !out.uses {
		s.usesAt = was.usesAt
	}
	for _, u := range touched {
		out.people[u] = true
		for _, g := range was.x.GroupsOf(u) {
			if _, is := out.groups[g.Group]; !is {
				out.groups[g.Group] = nil
			}
		}
		for _, g := range s.x.GroupsOf(u) {
			out.groups[g.Group] = append(out.groups[g.Group], u)
		}
	}
	differing(was.d.Users, s.d.Users, out.people)
	differing(was.d.Assignments, s.d.Assignments, out.grants)
	differing(was.d.Groups, s.d.Groups, out.owned)
	differing(was.d.Sets, s.d.Sets, out.owned)
	differing(was.d.Roles, s.d.Roles, out.owned)
	return out
}

// differing notes what is in one of two tables only, or otherwise in both.
func differing[T model.Keyed](was, is model.Table[T], in map[string]bool) {
	model.EachChange(was, is, func(i, j int) {
		if i >= 0 {
			in[was[i].Ident()] = true
		}
		if j >= 0 {
			in[is[j].Ident()] = true
		}
	})
}

// kept gives the findings of a kind from before that are as they were.
func (c *since) kept(kind Kind, keep func(f *Finding) bool) []Finding {
	list := c.parts[kind]
	out := make([]Finding, 0, len(list)+8)
	for i := range list {
		if keep(&list[i]) {
			out = append(out, list[i])
		}
	}
	return out
}

// same tells whether some kinds of object are what they were.
func (s *search) same(kinds ...model.Kind) bool {
	return s.since != nil && !slices.ContainsFunc(kinds, func(k model.Kind) bool {
		was, is := s.since.was.d, s.d
		switch k {
		case model.KindSet:
			return !slices.Equal(was.Sets, is.Sets)
		case model.KindRole:
			return !slices.Equal(was.Roles, is.Roles)
		case model.KindGroup:
			return !slices.Equal(was.Groups, is.Groups)
		case model.KindConflict:
			return !slices.Equal(was.Conflicts, is.Conflicts)
		case model.KindGuarantee:
			return !slices.Equal(was.Guarantees, is.Guarantees)
		case model.KindDelegation:
			return !slices.Equal(was.Delegations, is.Delegations)
		}
		return true
	})
}

// ofEach gives what is found of each of some people, side by side: of everybody, or of those of whom something may be
// otherwise, beside what was found of the others. A finding's first object is the person.
func (s *search) ofEach(kind Kind, of func(u *model.User) []Finding) []Finding {
	if s.since == nil {
		return each(len(s.d.Users), func(i int) []Finding { return of(s.d.Users[i]) })
	}
	return append(s.since.kept(kind, func(f *Finding) bool { return !s.since.people[f.Objects[0].ID] }),
		s.anew(of)...)
}

// anew gives what is found of each of those of whom something may be otherwise.
func (s *search) anew(of func(u *model.User) []Finding) []Finding {
	people := s.changedPeople()
	return each(len(people), func(i int) []Finding { return of(people[i]) })
}

// changedPeople are those of whom something may be otherwise, as far as they are still there.
func (s *search) changedPeople() (out []*model.User) {
	for id := range s.since.people {
		if u, ok := s.d.Users.Find(id); ok {
			out = append(out, u)
		}
	}
	return out
}

// untouched tells whether nothing of somebody is otherwise than before.
func (s *search) untouched(user string) bool { return s.since != nil && !s.since.people[user] }

// daysCount tells whether how long ago or far ahead something is must be looked at again of everybody.
func (s *search) daysCount() bool { return s.since == nil || s.since.uses }

// ofOwn gives what is found of each assignment to a person, as [search.ofEach] does. A finding names its assignment.
func (s *search) ofOwn(kind Kind, of func(a *model.Assignment) []Finding) []Finding {
	if s.since == nil {
		return each(len(s.d.Assignments), func(i int) []Finding {
			if a := s.d.Assignments[i]; a.Subject.User != "" {
				return of(a)
			}
			return nil
		})
	}
	return append(s.since.kept(kind, func(f *Finding) bool { return s.stands(f.grant) }),
		s.anew(func(u *model.User) (out []Finding) {
			for _, a := range s.x.GrantsOfUser(u.ID) {
				out = append(out, of(a)...)
			}
			return out
		})...)
}

// stands tells whether an assignment is what it was, and so is the person to whom it is, if it is to one.
func (s *search) stands(a *model.Assignment) bool {
	return !s.since.grants[a.ID] && !s.since.people[a.Subject.User]
}

// name is what an object is called.
func (s *search) name(kind model.Kind, id string) string {
	switch {
	case kind == model.KindGroup && id == model.Everyone:
		return "Everyone"
	case kind == model.KindGroup && id == model.Public:
		return "Public"
	case kind == index.KindPermission:
		return id
	}
	if o := s.d.Get(kind, id); o != nil {
		return o.Title()
	}
	return id
}

// target is what an assignment gives.
func target(a *model.Assignment) (model.Kind, string) {
	if a.Role != "" {
		return model.KindRole, a.Role
	}
	return model.KindSet, a.Set
}

// given says what an assignment gives to whom and where.
func (s *search) given(a *model.Assignment) string {
	kind, id := target(a)
	to := s.name(model.KindUser, a.Subject.User)
	if a.Subject.Group != "" {
		to = s.name(model.KindGroup, a.Subject.Group)
	}
	where, _ := a.Extent(func(id string) string { return s.name(model.KindArea, id) })
	return "“" + s.name(kind, id) + "” of " + to + ", " + where
}

func (s *search) inForce(a *model.Assignment) bool { return model.In(s.t, a.From, a.Until) }

// revoke is the repair that ends an assignment.
func (s *search) revoke(a *model.Assignment) []Repair {
	return []Repair{{"Take it away.", []change.Op{change.Delete(a)}}}
}

// deletion is the repair that deletes an object, and all mentions of it.
func (s *search) deletion(kind model.Kind, id string) []Repair {
	return []Repair{{"Delete it.", change.Release(s.d, kind, id, nil)}}
}

// each calls do with parts of n numbers, side by side, and gives all that these find.
func each(n int, do func(i int) []Finding) []Finding {
	parts := make([][]Finding, fan.Parts())
	fan.Out(n, func(p, from, to int) {
		for i := from; i < to; i++ {
			parts[p] = append(parts[p], do(i)...)
		}
	})
	return slices.Concat(parts...)
}

package index

import (
	"slices"
	"time"

	"fachwerk/internal/core/model"
)

// Some is a question about some permissions, at some places: whatever counts somewhere in Area, or anywhere if it
// is empty.
type Some struct {
	Keys []string
	Area string
}

// some is a question, ready to be asked of one person after another.
type some struct {
	*Index
	words   []word
	systems mark
	at      int32
	t       time.Time
}

func (x *Index) some(q Some, t time.Time) (some, bool) {
	wanted := x.bitsOf(q.Keys)
	at, ok := x.area(q.Area)
	return some{x, wordsOf(wanted.Words(), nil), x.markOf(wanted), at, t}, ok
}

// meets tells whether a grant in force carries some of the permissions to a place of interest.
func (s *some) meets(g *grant) bool {
	if !s.near(g.area, s.at) || !g.in(s.t) {
		return false
	}
	words := s.shapes[g.shape].words
	for _, w := range s.words {
		if words[w.at]&w.bits != 0 {
			return true
		}
	}
	return false
}

// WhoHolds gives the live people who effectively hold some of the permissions at t, by id; nil if there is no such
// area.
func (x *Index) WhoHolds(q Some, t time.Time) []string {
	s, ok := x.some(q, t)
	if !ok {
		return nil
	}
	return s.who(s.held)
}

// Lacking gives the live people to whom a grant in force at t gives less than it carries since they lack a licence,
// by id: those of whom [Index.WaitsFor] names it.
func (x *Index) Lacking(licence string, t time.Time) []string {
	l, ok := x.design.Licences.Position(licence)
	if !ok {
		return nil
	}
	needing := x.needing(licence)
	s := some{x, wordsOf(needing.Words(), nil), x.markOf(needing), 0, t}
	s.at, _ = x.area("")
	return s.who(func(u int) bool { return !x.holdsLicence(u, l) })
}

// FirstHolding gives the first of some people who effectively hold some of the permissions at t, at most so many.
func (x *Index) FirstHolding(people, keys []string, most int, t time.Time) (out []string) {
	s, ok := x.some(Some{Keys: keys}, t)
	if !ok {
		return nil
	}
	for _, id := range people {
		if len(out) == most {
			break
		}
		if u, known := x.userOf.Find(id); known && x.live(u, t) && s.held(u) {
			out = append(out, id)
		}
	}
	return out
}

// who gives the live people to whom grants in force carry some of the permissions and who fit, by id.
func (s *some) who(fits func(u int) bool) []string {
	x := s.Index
	found := x.reach()
	each := func(of *contents, grants []grant) {
		exact := of.exact.Words()
		if !slices.ContainsFunc(s.words, func(w word) bool { return exact[w.at]&w.bits != 0 }) {
			return
		}
		for i := range grants {
			if g := &grants[i]; s.meets(g) {
				found.add(g)
			}
		}
	}
	for i := range x.roles {
		each(&x.roles[i].contents, x.roles[i].grants)
	}
	for i := range x.sets {
		each(&x.sets[i].contents, x.sets[i].grants)
	}
	all := found.people()
	for u, ok := all.NextSet(0); ok; u, ok = all.NextSet(u + 1) {
		if !x.live(int(u), s.t) || !fits(int(u)) {
			all.Clear(u)
		}
	}
	return x.idsOf(all)
}

// held tells whether a live user is licensed for something that a grant carries.
func (s *some) held(u int) (held bool) {
	licensed := s.licensed(u).Words()
	s.grantsIn(u, &s.systems, func(g *grant) bool {
		if s.meets(g) {
			words := s.shapes[g.shape].words
			for _, w := range s.words {
				held = held || words[w.at]&w.bits&licensed[w.at] != 0
			}
		}
		return !held
	})
	return held
}

// HeldOf gives which of the permissions a person effectively holds at t, widest only, and by which assignments, in
// the order in which the person has them.
func (x *Index) HeldOf(user string, q Some, t time.Time) (held []Holding, by []*model.Assignment) {
	u, ok := x.userOf.Find(user)
	s, known := x.some(q, t)
	if !ok || !known || !x.live(u, t) {
		return nil, nil
	}
	held, _ = s.widest(user, &pieces{})
	licensed := x.licensed(u).Words()
	x.grantsIn(u, &s.systems, func(g *grant) bool {
		if !s.meets(g) {
			return true
		}
		words := x.shapes[g.shape].words
		for _, w := range s.words {
			if words[w.at]&w.bits&licensed[w.at] != 0 {
				by = append(by, g.Assignment)
				break
			}
		}
		return true
	})
	return held, by
}

// widest gives which of the permissions a person effectively holds, widest only, and whether grants in force carry
// some for which the person lacks a licence. The memory is used again.
func (s *some) widest(user string, p *pieces) (held []Holding, missing bool) {
	u, ok := s.userOf.Find(user)
	if !ok {
		return nil, false
	}
	p.take(s.Index, u, s.words, &s.systems, s.t)
	p.list = slices.DeleteFunc(p.list, func(of piece) bool { return !s.near(of.area, s.at) })
	return p.x.unpack(p.beyond(&pieces{}, nil)), slices.ContainsFunc(p.missing, func(bits uint64) bool {
		return bits != 0
	})
}

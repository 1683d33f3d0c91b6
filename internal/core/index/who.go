package index

import (
	"slices"
	"time"

	"fachwerk/internal/core/model"
)

// Some is a question about some permissions, at some places: whatever counts somewhere in Area, or anywhere if it is empty.
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

// WhoHolds gives the live people who effectively hold some of the permissions at t, by id; nil if there is no such area.
func (x *Index) WhoHolds(q Some, t time.Time) []string {
	s, ok := x.some(q, t)
	if !ok {
		return nil
	}
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
		if !x.live(int(u), t) || !s.held(int(u)) {
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

// HeldOf gives which of the permissions a person effectively holds at t, widest only, and by which assignments, in the order in which the person has them.
func (x *Index) HeldOf(user string, q Some, t time.Time) (held []Holding, by []*model.Assignment) {
	u, ok := x.userOf.find(user)
	s, known := x.some(q, t)
	if !ok || !known || !x.live(u, t) {
		return nil, nil
	}
	var p pieces
	p.take(x, u, s.words, &s.systems, t)
	near := p.list[:0]
	for _, piece := range p.list {
		if x.near(piece.area, s.at) {
			near = append(near, piece)
		}
	}
	p.list = near
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
	return p.beyond(&pieces{}), by
}

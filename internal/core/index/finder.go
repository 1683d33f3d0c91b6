package index

import (
	mathbits "math/bits"
	"slices"
	"time"
)

// A Finder finds where people hold some permissions and roles. What is the same for all people is looked up once, so
// that each costs little. It may be used by several goroutines, each with a copy of its own.
type Finder struct {
	x       *Index
	words   []word
	systems mark
	roles   map[int32][]string // by shape: which of the roles it gives, by itself or by inheritance
	p       pieces
}

// Find prepares a finder of permissions, by key, and of roles, by id.
func (x *Index) Find(permissions, roles []string) Finder {
	wanted := x.bitsOf(permissions)
	f := Finder{x: x, words: wordsOf(wanted.Words(), nil), systems: x.markOf(wanted)}
	if len(roles) == 0 {
		return f
	}
	gives := make([][]string, len(x.design.Roles)) // by role: itself, if it is wanted, and what it inherits
	for _, id := range roles {
		first, ok := x.design.Roles.Position(id)
		if !ok {
			continue
		}
		seen := map[int]bool{first: true}
		for todo := []int{first}; len(todo) > 0; {
			r := todo[len(todo)-1]
			todo = todo[:len(todo)-1]
			gives[r] = append(gives[r], id)
			for _, heir := range x.roles[r].heirs {
				if !seen[heir] {
					seen[heir] = true
					todo = append(todo, heir)
				}
			}
		}
	}
	f.roles = map[int32][]string{}
	for key, shape := range x.shapeOf {
		if r, ok := x.design.Roles.Position(key.role); ok && len(gives[r]) > 0 {
			f.roles[shape] = gives[r]
		}
	}
	return f
}

// Where gives the areas over which a user holds each permission effectively, with any reach, and those where a role is
// held (docs/semantics.md, §8), at t; each area once. What is not held is left out.
func (f *Finder) Where(user string, t time.Time) (permissions, roles map[string][]string) {
	x := f.x
	u, ok := x.userOf.Find(user)
	if !ok {
		return nil, nil
	}
	permissions, roles = map[string][]string{}, map[string][]string{}
	add := func(to map[string][]string, id, area string) {
		if !slices.Contains(to[id], area) {
			to[id] = append(to[id], area)
		}
	}
	f.p.take(x, u, f.words, &f.systems, t)
	for _, s := range f.p.list {
		for n, w := range f.p.words {
			for bits := s.bits[n]; bits != 0; bits &= bits - 1 {
				key := x.permissions[64*int(w.at)+mathbits.TrailingZeros64(bits)].Key
				add(permissions, key, x.design.Areas[s.area].ID)
			}
		}
	}
	if len(f.roles) == 0 {
		return permissions, roles
	}
	x.grantsOf(u, func(g *grant) bool {
		if ids := f.roles[g.shape]; len(ids) > 0 && g.in(t) {
			for _, id := range ids {
				add(roles, id, x.design.Areas[g.area].ID)
			}
		}
		return true
	})
	return permissions, roles
}

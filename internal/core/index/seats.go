package index

import (
	"iter"
	mathbits "math/bits"
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// needing is what cannot be held without a licence, or one that covers it.
func (x *Index) needing(licence string) *bitset.BitSet {
	out := x.bits()
	if l, ok := x.licences.Find(licence); ok {
		for k := range eachBit(x.needed[l].classes) {
			out.InPlaceUnion(x.classes[k].permissions)
		}
	}
	return out
}

// eachBit gives the places of the bits that are set in the words of a bit set.
func eachBit(words []uint64) iter.Seq[int] {
	return func(yield func(int) bool) {
		for i, bits := range words {
			for ; bits != 0; bits &= bits - 1 {
				if !yield(64*i + mathbits.TrailingZeros64(bits)) {
					return
				}
			}
		}
	}
}

// licencesOf gives the licences that classes of permissions need, but for those that are covered, by place in the
// design.
func (x *Index) licencesOf(covered map[int]bool, each func(needed func(class))) []string {
	needed := make([]bool, len(x.design.Licences))
	n := 0
	each(func(c class) {
		for _, l := range c.needs {
			if !needed[l] && !covered[l] {
				needed[l] = true
				n++
			}
		}
	})
	if n == 0 {
		return nil
	}
	out := make([]string, 0, n)
	for l, is := range needed {
		if is {
			out = append(out, x.design.Licences[l].ID)
		}
	}
	return out
}

// licencesNeeded gives the licences that some permissions need, but for those that are covered.
func (x *Index) licencesNeeded(permissions *bitset.BitSet, covered map[int]bool) []string {
	return x.licencesOf(covered, func(needed func(class)) {
		for _, c := range x.classes {
			if len(c.needs) > 0 && meet(c.permissions.Words(), permissions.Words()) {
				needed(c)
			}
		}
	})
}

// licencesLacking gives the licences that a user, or nobody, lacks for some permissions.
func (x *Index) licencesLacking(u int, permissions *bitset.BitSet) []string {
	if u == nobody {
		return x.licencesNeeded(permissions, nil)
	}
	return x.licencesNeeded(permissions, x.covering[x.people.at(u).profile])
}

// Needing gives the permissions that cannot be held without a licence, or one that covers it, sorted: those that need
// it, and those that imply such a one.
func (x *Index) Needing(licence string) []string { return x.keysOf(x.needing(licence)) }

// Lacks gives what grants in force at t carry to a live user and withhold since they lack a licence, sorted.
func (x *Index) Lacks(user, licence string, t time.Time) []string {
	lacked := x.lackedBy(user, t)
	lacked.InPlaceIntersection(x.needing(licence))
	return x.keysOf(lacked)
}

// LicencesFor gives the licences without which not all that a role or set gives can be held, by place in the design.
func (x *Index) LicencesFor(kind model.Kind, id string) []string {
	if c := x.contentOf(kind, id); c != nil {
		return x.licencesNeeded(c, nil)
	}
	return nil
}

// NeedsLicences gives the licences that a permission's user needs and a person, or [Anonymous], has not, nor any that
// covers them; by place in the design.
func (x *Index) NeedsLicences(user, permission string) []string {
	u, ok := x.user(user)
	p, known := x.permissionOf.Find(permission)
	if !ok || !known {
		return nil
	}
	return x.licencesLacking(u, x.bits().Set(uint(p)))
}

// WaitsFor gives the licences without which grants in force at t give a user less than they carry, by place in the
// design.
func (x *Index) WaitsFor(user string, t time.Time) []string {
	u, ok := x.userOf.Find(user)
	if !ok || !x.live(u, t) {
		return nil
	}
	profile := x.people.at(u).profile
	missing := x.classesCarried(u, &x.lacking[profile], t)
	return x.licencesOf(x.covering[profile], func(needed func(class)) {
		for k := range eachBit(missing) {
			needed(x.classes[k])
		}
	})
}

// Uses gives the licences that something which a live user effectively holds at t needs, be it that they have the
// licence or one that covers it; by place in the design.
func (x *Index) Uses(user string, t time.Time) []string {
	u, ok := x.userOf.Find(user)
	if !ok || !x.live(u, t) {
		return nil
	}
	var systems mark
	have := x.covering[x.people.at(u).profile]
	for l := range have {
		systems.join(&x.needed[l].systems)
	}
	carried := x.classesCarried(u, &systems, t)
	return x.licencesOf(nil, func(needed func(class)) {
		for k := range eachBit(carried) {
			if !slices.ContainsFunc(x.classes[k].needs, func(l int) bool { return !have[l] }) {
				needed(x.classes[k])
			}
		}
	})
}

// classesCarried gives the classes of permissions of which grants in force at t carry something to a user, of those
// that need a licence, as the words of a bit set. Groups that carry nothing of some systems are passed over.
func (x *Index) classesCarried(u int, systems *mark, t time.Time) []uint64 {
	carried := x.noClasses()
	x.grantsIn(u, systems, func(g *grant) bool {
		if g.in(t) {
			for k, bits := range x.shapes[g.shape].classes {
				carried[k] |= bits
			}
		}
		return true
	})
	return carried
}

// GrantsNeeding gives the grants in force at t that carry to a user something that needs a licence.
func (x *Index) GrantsNeeding(user, licence string, t time.Time) (out []*model.Assignment) {
	u, ok := x.userOf.Find(user)
	l, known := x.licences.Find(licence)
	if !ok || !known {
		return nil
	}
	need := &x.needed[l]
	x.grantsIn(u, &need.systems, func(g *grant) bool {
		if g.in(t) {
			for k, bits := range x.shapes[g.shape].classes {
				if bits&need.classes[k] != 0 {
					out = append(out, g.Assignment)
					break
				}
			}
		}
		return true
	})
	return out
}

// HasLicence tells whether a user sits on a seat of a licence, or of one that covers it.
func (x *Index) HasLicence(user, licence string) bool {
	u, ok := x.userOf.Find(user)
	l, known := x.design.Licences.Position(licence)
	return ok && known && x.holdsLicence(u, l)
}

// SeatsUsed tells how many seats of each licence people sit on. It must not be altered.
func (x *Index) SeatsUsed() map[string]int { return x.seats }

// meet tells whether two bit sets of the same length, in words, have a bit in common.
func meet(a, b []uint64) bool {
	for i, bits := range a {
		if bits&b[i] != 0 {
			return true
		}
	}
	return false
}

package index

import (
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// needing is what cannot be held without a licence, or one that covers it.
func (x *Index) needing(licence string) *bitset.BitSet {
	out := x.bits()
	l, ok := x.design.Licences.Position(licence)
	if !ok {
		return out
	}
	for p := range x.permissions {
		if slices.ContainsFunc(x.implied[p], func(q int) bool { return x.licenceOf[q] == l }) {
			out.Set(uint(p))
		}
	}
	return out
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

// LicencesFor gives the licences without which not all that a role or set gives can be held, in the order of the design.
func (x *Index) LicencesFor(kind model.Kind, id string) (out []string) {
	content := x.bitsOf(x.Content(kind, id))
	for _, l := range x.design.Licences {
		if x.needing(l.ID).IntersectionCardinality(content) > 0 {
			out = append(out, l.ID)
		}
	}
	return out
}

// HasLicence tells whether a user sits on a seat of a licence, or of one that covers it.
func (x *Index) HasLicence(user, licence string) bool {
	u, ok := x.userOf.find(user)
	l, known := x.design.Licences.Position(licence)
	return ok && known && x.holdsLicence(u, l)
}

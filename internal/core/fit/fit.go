// Package fit finds the roles and sets that fit a need most closely: alone, or up to three together.
package fit

import (
	"cmp"
	"math/bits"
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Fit is one or more roles and sets that give what is needed, or most of it.
type Fit struct {
	Bundles []index.Node
	Missing []string // what is needed and they do not give, sorted
	Excess  []string // what they give and is not needed, sorted
	Weight  int      // of the excess: see [Weights]
}

// Weights say how heavy a permission is that is not needed, by its risk: one that is critical is worse than twenty
// that are harmless.
var Weights = [4]int{1, 3, 9, 27}

// Most bounds how many are combined, and how many fits are given.
const (
	MostTogether = 3
	MostFits     = 12
)

// candidates bounds how many roles and sets are tried together; those come in that give most of the need for the
// least excess and, of a need that is not long, for each permission the lightest that give it.
const (
	candidates = 60
	forEach    = 3
	long       = 40
)

// Closest gives the roles and sets that fit the need most closely, and their combinations: those first that lack
// least, and among these the ones whose excess weighs least, then the simplest. Permissions that needed ones imply
// are needed too. A combination none of which could be left out is given only. The kinds say what may be used. It
// is nil if nothing gives any of it.
func Closest(x *index.Index, need []string, kinds ...model.Kind) []Fit {
	wanted := x.Of(need)
	var useful []candidate
	for _, b := range x.Bundles() {
		if n := b.Shared(wanted); n > 0 && slices.Contains(kinds, b.Kind) &&
			!strings.HasPrefix(b.ID, model.OwnSystem+"-") {
			useful = append(useful, candidate{b, b.Within(wanted), n, x.Cost(b.Without(wanted), Weights)})
		}
	}
	useful = lightest(x, useful, wanted)
	s := search{x: x, wanted: wanted, size: wanted.Count()}
	for i := range useful {
		s.consider(&useful[i])
		for j := i + 1; j < len(useful); j++ {
			if !s.consider(&useful[i], &useful[j]) {
				continue
			}
			for k := j + 1; k < len(useful); k++ {
				s.consider(&useful[i], &useful[j], &useful[k])
			}
		}
	}
	return s.fits()
}

type candidate struct {
	index.Bundle
	covers        []uint64 // what it gives of the need, as the words of a bit set
	gives, weight int
}

// lightest keeps the candidates that can be in a good fit.
func lightest(x *index.Index, all []candidate, wanted index.Bundle) []candidate {
	slices.SortStableFunc(all, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(a.weight*b.gives, b.weight*a.gives), cmp.Compare(b.gives, a.gives))
	})
	if len(all) <= candidates {
		return all
	}
	kept := map[index.Node]bool{}
	for _, c := range all[:candidates/2] {
		kept[c.Node] = true
	}
	keys := x.Keys(wanted)
	for _, key := range keys[:min(len(keys), long)] {
		n := 0
		for _, c := range all {
			if n < forEach && x.Has(c.Bundle, key) {
				kept[c.Node] = true
				n++
			}
		}
	}
	all = slices.DeleteFunc(all, func(c candidate) bool { return !kept[c.Node] })
	return all[:min(len(all), candidates)]
}

// search keeps the best of what it considers.
type search struct {
	x      *index.Index
	wanted index.Bundle
	size   int
	best   []scored
}

type scored struct {
	bundles         []index.Bundle
	missing, weight int
}

func order(a, b scored) int {
	return cmp.Or(
		cmp.Compare(a.missing, b.missing),
		cmp.Compare(a.weight, b.weight),
		cmp.Compare(len(a.bundles), len(b.bundles)),
	)
}

// covered is how much of the need some candidates give together, without one of them.
func covered(list []*candidate, without int) (n int) {
	for w := range list[0].covers {
		all := uint64(0)
		for i, c := range list {
			if i != without {
				all |= c.covers[w]
			}
		}
		n += bits.OnesCount64(all)
	}
	return n
}

// consider takes a combination in if each of it is of use. It tells whether one more could be.
func (s *search) consider(list ...*candidate) (more bool) {
	covers := covered(list, -1)
	if len(list) > 1 {
		for i := range list {
			if covered(list, i) == covers {
				return false // it could be left out
			}
		}
	}
	one := scored{missing: s.size - covers}
	if len(s.best) == MostFits && one.missing > s.best[MostFits-1].missing {
		return true
	}
	for _, c := range list {
		one.bundles = append(one.bundles, c.Bundle)
	}
	one.weight = s.x.Cost(index.Union(one.bundles...).Without(s.wanted), Weights)
	at, _ := slices.BinarySearchFunc(s.best, one, func(a, b scored) int { return cmp.Or(order(a, b), -1) })
	s.best = slices.Insert(s.best, at, one)
	s.best = s.best[:min(len(s.best), MostFits)]
	return one.missing > 0
}

func (s *search) fits() (out []Fit) {
	for _, b := range s.best {
		f := Fit{Weight: b.weight}
		for _, one := range b.bundles {
			f.Bundles = append(f.Bundles, one.Node)
		}
		all := index.Union(b.bundles...)
		f.Missing, f.Excess = s.x.Keys(s.wanted.Without(all)), s.x.Keys(all.Without(s.wanted))
		out = append(out, f)
	}
	return out
}

// Role is a new role that gives exactly the need: it inherits the roles and includes the sets of a fit, has what
// they lack of its own, and keeps out what they have too much.
func Role(x *index.Index, id, name string, f Fit) *model.Role {
	r := &model.Role{ID: id, Name: name, Permissions: f.Missing, Excludes: f.Excess}
	for _, b := range f.Bundles {
		if b.Kind == model.KindRole {
			r.Inherits = append(r.Inherits, b.ID)
		} else {
			r.Sets = append(r.Sets, b.ID)
		}
	}
	return r
}

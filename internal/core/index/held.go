package index

import (
	"iter"
	mathbits "math/bits"
	"slices"
	"time"

	"fachwerk/internal/core/model"
)

// stretch is a part of somebody's effective permissions: all that grants of one area and reach give. A person has
// few of them, and many permissions, so what compares areas and reaches is done once for a stretch.
type stretch struct {
	area  int32
	wide  uint8
	words []uint64 // a bit set of permissions
	used  []uint64 // which of the words may be other than zero
}

// each calls do with the words that may be other than zero.
func (s *stretch) each(do func(at int, word *uint64)) {
	for i, used := range s.used {
		for ; used != 0; used &= used - 1 {
			at := 64*i + mathbits.TrailingZeros64(used)
			do(at, &s.words[at])
		}
	}
}

func (s *stretch) count() (n int) {
	for i, used := range s.used {
		for ; used != 0; used &= used - 1 {
			n += mathbits.OnesCount64(s.words[64*i+mathbits.TrailingZeros64(used)])
		}
	}
	return n
}

// permissions gives the numbers of the permissions.
func (s *stretch) permissions(yield func(p int) bool) {
	for i, used := range s.used {
		for ; used != 0; used &= used - 1 {
			at := 64*i + mathbits.TrailingZeros64(used)
			for bits := s.words[at]; bits != 0; bits &= bits - 1 {
				if !yield(64*at + mathbits.TrailingZeros64(bits)) {
					return
				}
			}
		}
	}
}

// gatherer makes stretches for one person after another, in the same memory.
type gatherer struct {
	*Index
	list []stretch // in use; behind them, cleared, those to use again
	// place of the stretch of an area and reach in the list, one up; 0: none yet.
	place []int32
}

// of gives the stretches of a user at t, each once, which stay as they are until the next call. Some assignments
// can be left out.
func (s *gatherer) of(u int, t time.Time, without []string) []stretch {
	s.clear()
	if u != nobody && !s.live(u, t) {
		return nil
	}
	s.grantsOf(u, func(g *grant) bool {
		if g.in(t) && (u != nobody || g.wide == wholeArea) && (len(without) == 0 || !slices.Contains(without, g.ID)) {
			s.add(g)
		}
		return true
	})
	licensed := s.licensed(u).Words()
	for i := range s.list {
		one := &s.list[i]
		for k, used := range one.used {
			for ; used != 0; used &= used - 1 {
				at := 64*k + mathbits.TrailingZeros64(used)
				one.words[at] &= licensed[at]
			}
		}
	}
	return s.list
}

func (s *gatherer) clear() {
	if s.place == nil {
		s.place = make([]int32, 3*len(s.spans))
	}
	for i := range s.list {
		one := &s.list[i]
		s.place[3*one.area+int32(one.wide)] = 0
		for k, used := range one.used {
			for ; used != 0; used &= used - 1 {
				one.words[64*k+mathbits.TrailingZeros64(used)] = 0
			}
			one.used[k] = 0
		}
	}
	s.list = s.list[:0]
}

// add adds what a grant carries.
func (s *gatherer) add(g *grant) {
	at := &s.place[3*g.area+int32(g.wide)]
	if *at == 0 {
		if n := len(s.list); n < cap(s.list) && s.list[:n+1][n].words != nil {
			s.list = s.list[:n+1]
		} else {
			words := s.words()
			s.list = append(s.list, stretch{words: make([]uint64, words), used: make([]uint64, (words+63)/64)})
		}
		*at = int32(len(s.list))
		one := &s.list[*at-1]
		one.area, one.wide = g.area, g.wide
	}
	one := &s.list[*at-1]
	for _, w := range s.shapes[g.shape].some {
		one.words[w.at] |= w.bits
		one.used[w.at>>6] |= 1 << (w.at & 63)
	}
}

func (x *Index) stretches(u int, t time.Time, without []string) []stretch {
	return (&gatherer{Index: x}).of(u, t, without)
}

// includes tells whether what is held over one area, with a reach, includes the same over another.
func (x *Index) includes(area int32, wide uint8, other int32, narrow uint8) bool {
	return wide >= narrow && x.covers(area, other)
}

// widestOf takes out of each stretch what another one includes whole.
func (x *Index) widestOf(list []stretch) []stretch {
	out := make([]stretch, len(list))
	for i, s := range list {
		out[i] = s
		owned := false
		for j := range list {
			o := &list[j]
			if i == j || !x.includes(o.area, o.wide, s.area, s.wide) {
				continue
			}
			if !owned {
				out[i].words, owned = slices.Clone(s.words), true
			}
			out[i].each(func(at int, word *uint64) { *word &^= o.words[at] })
		}
	}
	return out
}

// holdings tells stretches permission by permission, sorted by permission, area and reach.
func (x *Index) holdings(list []stretch) []Holding { return x.unpack(x.packed(list)) }

// packed is that before it is sorted and unpacked.
func (x *Index) packed(list []stretch) []uint64 {
	n := 0
	for i := range list {
		n += list[i].count()
	}
	packed := make([]uint64, 0, n)
	for i := range list {
		tail := tailOf(list[i].area, list[i].wide)
		for p := range list[i].permissions {
			packed = append(packed, uint64(x.rank[p])<<32|tail)
		}
	}
	return packed
}

// tailOf is the lower half of a packed holding. Areas stand by id in the design, so that numbers sort as texts do.
func tailOf(area int32, wide uint8) uint64 { return uint64(area)<<2 | uint64(wholeArea-wide) }

// unpack makes holdings of numbers of 64 bits, which sort as the holdings do: above, the rank of the permission;
// below, the area; last, the reach.
func (x *Index) unpack(packed []uint64) []Holding {
	if len(packed) == 0 {
		return nil
	}
	slices.Sort(packed)
	out := make([]Holding, len(packed))
	for i, k := range packed {
		out[i] = Holding{x.permissions[x.byRank[k>>32]].Key, x.design.Areas[uint32(k)>>2].ID, reaches[k&3]}
	}
	return out
}

// reaches are the reaches in the order of their texts, which is that from the widest to the narrowest.
var reaches = []model.Reach{model.ReachArea, model.ReachLine, model.ReachOwn}

// wholeArea is the width of the widest reach.
const wholeArea = 2

// width orders the reaches. A person's own records are part of those of the line.
func width(r model.Reach) int {
	switch r {
	case model.ReachOwn:
		return 0
	case model.ReachLine:
		return 1
	}
	return wholeArea
}

// Given is a part of somebody's effective permissions: all that is held over one area, with one reach.
type Given struct {
	Area  string
	Reach model.Reach
	held  *stretch
	index *Index
}

// Count is how many permissions these are.
func (g Given) Count() int { return g.held.count() }

// Permissions gives their keys, in the order of the systems.
func (g Given) Permissions() iter.Seq[string] {
	return func(yield func(string) bool) {
		for p := range g.held.permissions {
			if !yield(g.index.permissions[p].Key) {
				return
			}
		}
	}
}

// EachUser gives the effective permissions at t (§7) of one user after another, by id, of which each [Given] is true
// only until the next. Users without any are left out. It is one of n parts, so that several can be gone through at
// once: part 0 has those users who come first, and part 0 of 1 everybody.
func (x *Index) EachUser(part, n int, t time.Time) iter.Seq2[*model.User, []Given] {
	return func(yield func(*model.User, []Given) bool) {
		s := &gatherer{Index: x}
		var out []Given
		for u := x.people.n * part / n; u < x.people.n*(part+1)/n; u++ {
			out = out[:0]
			list := s.of(u, t, nil)
			for i := range list {
				if p := &list[i]; p.count() > 0 {
					out = append(out, Given{x.design.Areas[p.area].ID, reaches[wholeArea-p.wide], p, x})
				}
			}
			if len(out) > 0 && !yield(x.design.Users[u], out) {
				return
			}
		}
	}
}

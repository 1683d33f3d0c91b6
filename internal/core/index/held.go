package index

import (
	"iter"
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// stretch is a part of somebody's effective permissions: all that grants of one area and reach give. A person has few of them, and many
// permissions, so what compares areas and reaches is done once for a stretch.
type stretch struct {
	area  int
	reach model.Reach
	bits  *bitset.BitSet
}

// gatherer makes stretches for one person after another, in the same memory.
type gatherer struct {
	*Index
	list  []stretch
	spare []*bitset.BitSet
}

// of gives the stretches of a user at t, each once, which stay as they are until the next call. Some assignments can be left out.
func (s *gatherer) of(u int, t time.Time, without []string) []stretch {
	for i := range s.list {
		s.spare = append(s.spare, s.list[i].bits.ClearAll())
	}
	s.list = s.list[:0]
	if u != nobody && !s.live(u, t) {
		return nil
	}
	s.grantsOf(u, func(g *grant) bool {
		if model.In(t, g.From, g.Until) && (u != nobody || g.Reach == model.ReachArea) && !slices.Contains(without, g.ID) {
			s.at(g.area, g.Reach).InPlaceUnion(s.carried(g))
		}
		return true
	})
	licensed := s.licensed(u)
	for i := range s.list {
		s.list[i].bits.InPlaceIntersection(licensed)
	}
	return s.list
}

func (s *gatherer) at(area int, reach model.Reach) *bitset.BitSet {
	for i := range s.list {
		if s.list[i].area == area && s.list[i].reach == reach {
			return s.list[i].bits
		}
	}
	var bits *bitset.BitSet
	if n := len(s.spare); n > 0 {
		bits, s.spare = s.spare[n-1], s.spare[:n-1]
	} else {
		bits = s.bits()
	}
	s.list = append(s.list, stretch{area, reach, bits})
	return bits
}

func (x *Index) stretches(u int, t time.Time, without []string) []stretch {
	return (&gatherer{Index: x}).of(u, t, without)
}

// widestOf takes out of each stretch what another one includes whole.
func (x *Index) widestOf(list []stretch) []stretch {
	out := make([]stretch, 0, len(list))
	for i, s := range list {
		var bits *bitset.BitSet
		for j, o := range list {
			if i != j && x.covers(o.area, s.area) && width(o.reach) >= width(s.reach) {
				if bits == nil {
					bits = s.bits.Clone()
				}
				bits.InPlaceDifference(o.bits)
			}
		}
		if bits == nil {
			bits = s.bits
		}
		out = append(out, stretch{s.area, s.reach, bits})
	}
	return out
}

// holdings tells stretches permission by permission, sorted by permission, area and reach.
func (x *Index) holdings(list []stretch) []Holding {
	n := uint(0)
	for _, s := range list {
		n += s.bits.Count()
	}
	// Areas stand by id in the design, so that numbers sort as texts do.
	packed := make([]uint64, 0, n)
	for _, s := range list {
		tail := uint64(s.area)<<2 | uint64(2-width(s.reach))
		for p, ok := s.bits.NextSet(0); ok; p, ok = s.bits.NextSet(p + 1) {
			packed = append(packed, uint64(x.rank[p])<<32|tail)
		}
	}
	return x.unpack(packed)
}

// unpack makes holdings of numbers of 64 bits, which sort as the holdings do: above, the rank of the permission; below, the area; last, the reach.
func (x *Index) unpack(packed []uint64) []Holding {
	if packed == nil {
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

// Given is a part of somebody's effective permissions: all that is held over one area, with one reach.
type Given struct {
	Area        string
	Reach       model.Reach
	permissions *bitset.BitSet
	index       *Index
}

// Count is how many permissions these are.
func (g Given) Count() int { return int(g.permissions.Count()) }

// Permissions gives their keys, in the order of the systems.
func (g Given) Permissions() iter.Seq[string] {
	return func(yield func(string) bool) {
		for p, ok := g.permissions.NextSet(0); ok && yield(g.index.permissions[p].Key); p, ok = g.permissions.NextSet(p + 1) {
		}
	}
}

// Everybody gives the effective permissions at t (§7) of one user after another, by id, of which each [Given] is true only until the next. Users without
// any are left out.
func (x *Index) Everybody(t time.Time) iter.Seq2[*model.User, []Given] {
	return func(yield func(*model.User, []Given) bool) {
		x.everybody(0, len(x.design.Users), t, yield)
	}
}

// everybody goes through a part of the users.
func (x *Index) everybody(from, to int, t time.Time, yield func(*model.User, []Given) bool) {
	s := &gatherer{Index: x}
	var out []Given
	for u := from; u < to; u++ {
		out = out[:0]
		for _, p := range s.of(u, t, nil) {
			if p.bits.Any() {
				out = append(out, Given{x.design.Areas[p.area].ID, p.reach, p.bits, x})
			}
		}
		if len(out) > 0 && !yield(x.design.Users[u], out) {
			return
		}
	}
}

package index

import (
	mathbits "math/bits"
	"time"

	"github.com/bits-and-blooms/bitset"
)

// worker compares one person after another, in the same memory.
type worker struct {
	*comparison
	differ  *bitset.BitSet // the permissions that can differ
	last    *bitset.BitSet // those of the person before, whom most resemble
	all     *bitset.BitSet // those of anybody
	words   []word         // the words of these
	systems mark           // their systems
	watches bool           // whether some are watched
	was, is pieces
	packed  []uint64 // what the person gains, and then loses
	summing summing
}

// compare compares a person, who may be missing from either side.
func (w *worker) compare(i, j int) (d Difference) {
	b, a := w.before, w.after
	if w.differ == nil {
		w.differ, w.last = b.bits(), b.bits()
		w.was.cuts.kept, w.is.cuts.kept = make([]cut, len(b.shapes)), make([]cut, len(a.shapes))
	}
	held := w.scope(i, j)
	if !w.differ.Equal(w.last) {
		w.differ.CopyFull(w.last)
		w.all.InPlaceUnion(w.differ)
		w.words, w.systems, w.watches = wordsOf(
			w.differ.Words(),
			w.words[:0],
		), b.markOf(
			w.differ,
		), w.differ.IntersectionCardinality(
			w.watched,
		) > 0
		w.was.cuts.round++
		w.is.cuts.round++
	}
	d.Watched = held || w.watches
	w.was.take(b, i, w.words, &w.systems, w.t)
	w.is.take(a, j, w.words, &w.systems, w.t)
	if j >= 0 {
		d.User = a.design.Users[j].ID
	} else {
		d.User = b.design.Users[i].ID
	}
	w.packed = w.is.beyond(&w.was, w.packed[:0])
	d.Gained = len(w.packed)
	w.packed = w.was.beyond(&w.is, w.packed)
	d.Lost = len(w.packed) - d.Gained
	if w.sums {
		w.summing.packed(a, w.packed[:d.Gained])
		w.summing.between()
		w.summing.packed(b, w.packed[d.Gained:])
		d.Sum = w.summing.sum()
	}
	var lacked *bitset.BitSet // what is withheld and was not
	for k, word := range w.words {
		if bits := w.is.missing[k] &^ w.was.missing[k]; bits != 0 {
			if lacked == nil {
				lacked = a.bits()
			}
			lacked.Words()[word.at] = bits
		}
	}
	if lacked != nil {
		d.Waits = a.licencesLacking(j, lacked)
	}
	return d
}

// scope finds out in which permissions a person can differ; held tells that the assignments themselves do.
func (w *worker) scope(i, j int) (held bool) {
	w.differ.ClearAll()
	if i < 0 || j < 0 || accountDiffers(w.before.design.Users[i], w.after.design.Users[j]) {
		for _, side := range []struct {
			x *Index
			u int
		}{{w.before, i}, {w.after, j}} {
			if side.u >= 0 {
				side.x.grantsOf(side.u, func(g *grant) bool { w.differ.InPlaceUnion(side.x.carried(g)); return true })
			}
		}
		return true
	}
	add := func(t *touch) {
		if t != nil {
			w.differ.InPlaceUnion(t.bits)
			held = held || t.held
		}
	}
	if len(w.users) > 0 {
		add(w.users[w.after.design.Users[j].ID])
	}
	was, is := w.before.people.at(int(i)).groups, w.after.people.at(int(j)).groups
	for len(was) > 0 || len(is) > 0 {
		switch {
		case len(is) == 0 || len(was) > 0 && common(w.ofBefore, was[0]) < common(w.ofAfter, is[0]):
			w.differ.InPlaceUnion(w.whole(0, was[0]))
			held, was = true, was[1:]
		case len(was) == 0 || common(w.ofAfter, is[0]) < common(w.ofBefore, was[0]):
			w.differ.InPlaceUnion(w.whole(1, is[0]))
			held, is = true, is[1:]
		default:
			add(w.groups[common(w.ofAfter, is[0])])
			was, is = was[1:], is[1:]
		}
	}
	return held
}

// pieces are a person's effective permissions as [stretch] has them, but only some words of the bits.
type pieces struct {
	x       *Index
	words   []word // of the permissions of interest
	list    []piece
	missing []uint64 // what grants in force carry and the person is not licensed for
	all     []uint64
	cuts    cuts
	above   [][]uint64 // what includes one of the pieces
}

type piece struct {
	area int32
	wide uint8
	bits []uint64
}

func (p *pieces) take(x *Index, u int, words []word, systems *mark, t time.Time) {
	p.x, p.words, p.list, p.all = x, words, p.list[:0], p.all[:0]
	p.missing = append(p.missing[:0], make([]uint64, len(words))...)
	if u < 0 || !x.live(u, t) {
		return
	}
	licensed := x.licensed(u).Words()
	x.grantsIn(u, systems, func(g *grant) bool {
		carried := p.cuts.of(x.shapes[g.shape].words, g.shape, words)
		if len(carried) == 0 || !g.in(t) {
			return true
		}
		bits := p.at(g.area, g.wide)
		for _, c := range carried {
			allowed := licensed[words[c.at].at]
			bits[c.at] |= c.bits & allowed
			p.missing[c.at] |= c.bits &^ allowed
		}
		return true
	})
}

func (p *pieces) at(area int32, wide uint8) []uint64 {
	for i := range p.list {
		if p.list[i].area == area && p.list[i].wide == wide {
			return p.list[i].bits
		}
	}
	start := len(p.all)
	if cap(p.all) < start+len(p.words) {
		p.all, start = make([]uint64, 0, 64*len(p.words)), 0 // what is in the old memory stays there
	}
	p.all = p.all[:start+len(p.words)]
	bits := p.all[start:]
	clear(bits)
	p.list = append(p.list, piece{area, wide, bits})
	return bits
}

// has tells whether there is a piece over the same area, with the same reach, that includes another one. So it is with
// most of what somebody holds before and after a change.
func (p *pieces) has(s piece) bool {
	for _, o := range p.list {
		if o.area != s.area || o.wide != s.wide {
			continue
		}
		for n, bits := range s.bits {
			if bits&^o.bits[n] != 0 {
				return false
			}
		}
		return true
	}
	return false
}

// wordsOf appends those words of a set that are not empty.
func wordsOf(words []uint64, to []word) []word {
	for k, bits := range words {
		if bits != 0 {
			to = append(to, word{int32(k), bits})
		}
	}
	return to
}

// beyond appends the widest of the pieces that none of the others includes, as unpack takes them.
func (p *pieces) beyond(others *pieces, packed []uint64) []uint64 {
	for i, s := range p.list {
		if others.has(s) {
			continue
		}
		p.above = p.above[:0]
		for j, o := range p.list {
			if i != j && p.x.includes(o.area, o.wide, s.area, s.wide) {
				p.above = append(p.above, o.bits)
			}
		}
		for _, o := range others.list {
			if p.x.includes(o.area, o.wide, s.area, s.wide) {
				p.above = append(p.above, o.bits)
			}
		}
		tail := tailOf(s.area, s.wide)
		for n, w := range p.words {
			bits := s.bits[n]
			for _, above := range p.above {
				if bits == 0 {
					break
				}
				bits &^= above[n]
			}
			for ; bits != 0; bits &= bits - 1 {
				packed = append(packed, uint64(p.x.rank[64*int(w.at)+mathbits.TrailingZeros64(bits)])<<32|tail)
			}
		}
	}
	return packed
}

// cuts tells what shapes carry of the words of interest.
type cuts struct {
	kept  []cut // by shape; nil if nothing is kept, as for few questions
	round int   // how often the words became others
	last  []word
}

type cut struct {
	words []word // at is the place among the words of interest
	round int    // for which words
}

// of gives what a shape, by its number, carries of some words; it stays as it is until the next call.
func (c *cuts) of(carried []uint64, shape int32, words []word) []word {
	if c.kept == nil {
		c.last = cutOf(carried, words, c.last[:0])
		return c.last
	}
	s := &c.kept[shape]
	if s.round != c.round {
		s.round, s.words = c.round, cutOf(carried, words, s.words[:0])
	}
	return s.words
}

// cutOf appends what is carried of some words.
func cutOf(carried []uint64, words, to []word) []word {
	for n, w := range words {
		if bits := carried[w.at] & w.bits; bits != 0 {
			to = append(to, word{int32(n), bits})
		}
	}
	return to
}

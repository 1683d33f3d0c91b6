package index

import (
	mathbits "math/bits"
	"runtime"
	"slices"
	"sync"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// Difference is what one person gains and loses between two designs.
type Difference struct {
	User string
	// Gains are those of the widest new holdings that no old one includes; Losses those of the widest old ones that no new one includes. Both are sorted.
	Gains, Losses []Holding
	// Waits are the licences for lack of which a grant gives less than it carries, and did not before.
	Waits []string
	// Watched tells that something can have changed that was to be watched.
	Watched bool
}

// Differences gives everybody whose effective permissions at t can differ between two indexes, by id; of some the difference is empty. Whoever is left out
// holds the same, by the same assignments in both. Watched says which permissions are of special interest; role assignments always are.
func Differences(before, after *Index, watched []string, t time.Time) []Difference {
	b, a := before.design, after.design
	if !slices.Equal(b.Systems, a.Systems) || !slices.Equal(b.Licences, a.Licences) || !slices.Equal(b.Areas, a.Areas) {
		return differencesOfAll(before, after, t)
	}
	c := comparison{before: before, after: after, t: t, watched: before.bitsOf(watched)}
	c.gather()
	type pair struct{ i, j int }
	var pairs []pair
	eachPair(b.Users, a.Users, func(i, j int) { pairs = append(pairs, pair{i, j}) })
	// Several parts at once; each keeps its order.
	parts := make([][]Difference, runtime.GOMAXPROCS(0))
	var wait sync.WaitGroup
	for n := range parts {
		wait.Go(func() {
			w := worker{comparison: &c}
			for _, p := range pairs[len(pairs)*n/len(parts) : len(pairs)*(n+1)/len(parts)] {
				if d, differs := w.compare(p.i, p.j); differs {
					parts[n] = append(parts[n], d)
				}
			}
		})
	}
	wait.Wait()
	return slices.Concat(parts...)
}

// differencesOfAll compares everybody permission by permission, for designs whose permissions or areas are not the same.
func differencesOfAll(before, after *Index, t time.Time) (out []Difference) {
	eachPair(before.design.Users, after.design.Users, func(i, j int) {
		id := ""
		if j >= 0 {
			id = after.design.Users[j].ID
		} else {
			id = before.design.Users[i].ID
		}
		was, is := before.Widest(id, t), after.Widest(id, t)
		d := Difference{User: id, Gains: Beyond(before, is, was), Losses: Beyond(after, was, is), Watched: true}
		waited := before.WaitsFor(id, t)
		d.Waits = slices.DeleteFunc(after.WaitsFor(id, t), func(l string) bool { return slices.Contains(waited, l) })
		out = append(out, d)
	})
	return out
}

// Beyond gives those holdings that none of the others includes, in the areas of x, the index that the others are of. Both lists are
// sorted by permission.
func Beyond(x *Index, holdings, others []Holding) (out []Holding) {
	j := 0
	for _, h := range holdings {
		for j < len(others) && others[j].Permission < h.Permission {
			j++
		}
		included := false
		for k := j; k < len(others) && others[k].Permission == h.Permission && !included; k++ {
			included = others[k] == h || x.Includes(others[k], h)
		}
		if !included {
			out = append(out, h)
		}
	}
	return out
}

// comparison is what two indexes with the same permissions, licences and areas differ in, as far as it is shared by many people.
type comparison struct {
	before, after *Index
	t             time.Time
	watched       *bitset.BitSet

	users  map[string]*touch // what assignments to a user differ in, by id
	groups []*touch          // and those to a group, by its common number
	// The groups of both designs have common numbers, in the order of each.
	ofBefore, ofAfter []int
	wholes            [2][]*bitset.BitSet // all that the assignments to a group carry, before and after; made when it is asked for
	mu                sync.Mutex
}

// touch tells which permissions assignments can give otherwise than before.
type touch struct {
	bits *bitset.BitSet
	held bool // another role is assigned, or over another area, or for another time
}

func (c *comparison) gather() {
	b, a := c.before, c.after
	c.users = map[string]*touch{}
	c.ofBefore, c.ofAfter = make([]int, len(b.parents)), make([]int, len(a.parents))
	n := 0
	eachPair(b.design.Groups, a.design.Groups, func(i, j int) {
		if i >= 0 {
			c.ofBefore[i] = n
		}
		if j >= 0 {
			c.ofAfter[j] = n
		}
		n++
	})
	for k := range 2 { // everyone and public
		c.ofBefore[len(b.design.Groups)+k], c.ofAfter[len(a.design.Groups)+k] = n, n
		n++
	}
	c.groups = make([]*touch, n)
	c.wholes = [2][]*bitset.BitSet{make([]*bitset.BitSet, len(b.parents)), make([]*bitset.BitSet, len(a.parents))}
	inherits := roleLines(b.design.Roles, a.design.Roles)
	type pair struct{ before, after int32 }
	shapes := map[pair]*bitset.BitSet{} // what two shapes differ in; nil if in nothing
	eachPair(b.design.Assignments, a.design.Assignments, func(i, j int) {
		switch {
		case i < 0:
			c.touch(a, a.grants[j], a.carried(a.grants[j]), true)
		case j < 0:
			c.touch(b, b.grants[i], b.carried(b.grants[i]), true)
		case b.grants[i].Assignment != a.grants[j].Assignment:
			c.touch(b, b.grants[i], b.carried(b.grants[i]), true)
			c.touch(a, a.grants[j], a.carried(a.grants[j]), true)
		default:
			was, is := b.grants[i], a.grants[j]
			key := pair{was.shape, is.shape}
			bits, known := shapes[key]
			if !known {
				if before, after := b.carried(was), a.carried(is); before != after && !before.Equal(after) {
					bits = before.SymmetricDifference(after)
				}
				shapes[key] = bits
			}
			if held := inherits[was.Role]; bits != nil || held {
				c.touch(a, is, bits, held)
			}
		}
	})
}

// roleLines gives the roles that do not inherit what they did, with all that inherit these.
func roleLines(before, after model.Table[*model.Role]) map[string]bool {
	changed := map[string]bool{}
	if slices.Equal(before, after) {
		return changed
	}
	eachPair(before, after, func(i, j int) {
		switch {
		case i < 0:
			changed[after[j].ID] = true
		case j < 0:
			changed[before[i].ID] = true
		case before[i] != after[j] && !slices.Equal(before[i].Inherits, after[j].Inherits):
			changed[after[j].ID] = true
		}
	})
	for more := len(changed) > 0; more; {
		more = false
		for _, table := range []model.Table[*model.Role]{before, after} {
			for _, r := range table {
				if !changed[r.ID] && slices.ContainsFunc(r.Inherits, func(p string) bool { return changed[p] }) {
					changed[r.ID], more = true, true
				}
			}
		}
	}
	return changed
}

func (c *comparison) touch(x *Index, g *grant, bits *bitset.BitSet, held bool) {
	var at *touch
	if g.Subject.User != "" {
		if at = c.users[g.Subject.User]; at == nil {
			at = &touch{bits: x.bits()}
			c.users[g.Subject.User] = at
		}
	} else {
		n := x.groups[g.Subject.Group]
		if x == c.before {
			n = c.ofBefore[n]
		} else {
			n = c.ofAfter[n]
		}
		if at = c.groups[n]; at == nil {
			at = &touch{bits: x.bits()}
			c.groups[n] = at
		}
	}
	if bits != nil {
		at.bits.InPlaceUnion(bits)
	}
	at.held = at.held || held
}

// whole is all that the assignments to a group carry.
func (c *comparison) whole(side, group int) *bitset.BitSet {
	c.mu.Lock()
	defer c.mu.Unlock()
	bits := c.wholes[side][group]
	if bits == nil {
		x := []*Index{c.before, c.after}[side]
		bits = x.bits()
		for _, g := range x.toGroup[group] {
			bits.InPlaceUnion(x.carried(g))
		}
		c.wholes[side][group] = bits
	}
	return bits
}

// worker compares one person after another, in the same memory.
type worker struct {
	*comparison
	differ  *bitset.BitSet
	words   []int // the places of the words of permissions that can differ
	was, is pieces
}

// compare compares a person, who may be missing from either side.
func (w *worker) compare(i, j int) (d Difference, differs bool) {
	b, a := w.before, w.after
	if w.differ == nil {
		w.differ = b.bits()
	}
	differs, held := w.scope(i, j)
	if !differs {
		return d, false
	}
	d.Watched = held || w.differ.IntersectionCardinality(w.watched) > 0
	w.words = wordsOf(w.differ, w.words[:0])
	w.was.take(b, i, w.words, w.t)
	w.is.take(a, j, w.words, w.t)
	if j >= 0 {
		d.User = a.design.Users[j].ID
	} else {
		d.User = b.design.Users[i].ID
	}
	d.Gains, d.Losses = w.is.beyond(&w.was), w.was.beyond(&w.is)
	for k := range w.words {
		if w.is.missing[k]&^w.was.missing[k] != 0 {
			waited := b.WaitsFor(d.User, w.t)
			d.Waits = slices.DeleteFunc(a.WaitsFor(d.User, w.t), func(l string) bool { return slices.Contains(waited, l) })
			break
		}
	}
	return d, true
}

// scope finds out in which permissions a person can differ; held tells that the assignments themselves do.
func (w *worker) scope(i, j int) (differs, held bool) {
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
		return true, true
	}
	add := func(t *touch) {
		if t != nil {
			w.differ.InPlaceUnion(t.bits)
			differs, held = true, held || t.held
		}
	}
	if len(w.users) > 0 {
		add(w.users[w.after.design.Users[j].ID])
	}
	was, is := w.before.memberOf[i], w.after.memberOf[j]
	for len(was) > 0 || len(is) > 0 {
		switch {
		case len(is) == 0 || len(was) > 0 && w.ofBefore[was[0]] < w.ofAfter[is[0]]:
			w.differ.InPlaceUnion(w.whole(0, was[0]))
			differs, held, was = true, true, was[1:]
		case len(was) == 0 || w.ofAfter[is[0]] < w.ofBefore[was[0]]:
			w.differ.InPlaceUnion(w.whole(1, is[0]))
			differs, held, is = true, true, is[1:]
		default:
			add(w.groups[w.ofAfter[is[0]]])
			was, is = was[1:], is[1:]
		}
	}
	return differs, held
}

// accountDiffers tells whether what a person can hold differs by the account itself.
func accountDiffers(a, b *model.User) bool {
	return a != b && (a.State != b.State || !a.From.Equal(b.From) || !a.Until.Equal(b.Until) || !slices.Equal(a.Licences, b.Licences))
}

// pieces are a person's effective permissions as [stretch] has them, but only some words of the bits.
type pieces struct {
	x       *Index
	words   []int
	list    []piece
	missing []uint64 // what grants in force carry and the person is not licensed for
	all     []uint64
}

type piece struct {
	area  int
	reach model.Reach
	bits  []uint64
}

func (p *pieces) take(x *Index, u int, words []int, t time.Time) {
	p.x, p.words, p.list, p.all = x, words, p.list[:0], p.all[:0]
	p.missing = append(p.missing[:0], make([]uint64, len(words))...)
	if u < 0 || !x.live(u, t) {
		return
	}
	licensed := x.licensed(u).Words()
	x.grantsOf(u, func(g *grant) bool {
		carried := x.carried(g).Words()
		some := uint64(0)
		for _, k := range words {
			some |= carried[k]
		}
		if some == 0 || !model.In(t, g.From, g.Until) {
			return true
		}
		bits := p.at(g.area, g.Reach)
		for n, k := range words {
			bits[n] |= carried[k] & licensed[k]
			p.missing[n] |= carried[k] &^ licensed[k]
		}
		return true
	})
}

func (p *pieces) at(area int, reach model.Reach) []uint64 {
	for i := range p.list {
		if p.list[i].area == area && p.list[i].reach == reach {
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
	p.list = append(p.list, piece{area, reach, bits})
	return bits
}

// AreasOf gives the areas over which a user holds some permissions at t, with any reach, by permission; each once. What is not held is left out.
func (x *Index) AreasOf(user string, keys []string, t time.Time) map[string][]string {
	u, ok := x.users[user]
	if !ok {
		return nil
	}
	wanted := x.bitsOf(keys)
	var p pieces
	p.take(x, u, wordsOf(wanted, nil), t)
	out := map[string][]string{}
	for _, s := range p.list {
		area := x.design.Areas[s.area].ID
		for n, k := range p.words {
			for bits := s.bits[n] & wanted.Words()[k]; bits != 0; bits &= bits - 1 {
				key := x.permissions[64*k+mathbits.TrailingZeros64(bits)].Key
				if !slices.Contains(out[key], area) {
					out[key] = append(out[key], area)
				}
			}
		}
	}
	return out
}

// wordsOf appends the places of those words of a set that are not empty.
func wordsOf(b *bitset.BitSet, to []int) []int {
	for k, word := range b.Words() {
		if word != 0 {
			to = append(to, k)
		}
	}
	return to
}

// beyond gives the widest of the pieces that none of the others includes.
func (p *pieces) beyond(others *pieces) []Holding {
	var packed []uint64
	for n, k := range p.words {
		for i, s := range p.list {
			bits := s.bits[n]
			if bits == 0 {
				continue
			}
			tail := uint64(s.area)<<2 | uint64(2-width(s.reach))
			for j, o := range p.list {
				if i != j && p.x.covers(o.area, s.area) && width(o.reach) >= width(s.reach) {
					bits &^= o.bits[n]
				}
			}
			for _, o := range others.list {
				if p.x.covers(o.area, s.area) && width(o.reach) >= width(s.reach) {
					bits &^= o.bits[n]
				}
			}
			for ; bits != 0; bits &= bits - 1 {
				packed = append(packed, uint64(p.x.rank[64*k+mathbits.TrailingZeros64(bits)])<<32|tail)
			}
		}
	}
	return p.x.unpack(packed)
}

// eachPair walks two tables together and calls do with the places of what has the same id, -1 for what one of them lacks.
func eachPair[T model.Object](a, b model.Table[T], do func(i, j int)) {
	i, j := 0, 0
	for i < len(a) || j < len(b) {
		switch {
		case j == len(b) || i < len(a) && a[i].Ident() < b[j].Ident():
			do(i, -1)
			i++
		case i == len(a) || b[j].Ident() < a[i].Ident():
			do(-1, j)
			j++
		default:
			do(i, j)
			i++
			j++
		}
	}
}

// bitsOf is the permissions with some keys; those that no system has are left out.
func (x *Index) bitsOf(keys []string) *bitset.BitSet {
	b := x.bits()
	for _, i := range lookup(x.permissionOf, keys) {
		b.Set(uint(i))
	}
	return b
}

package fit

import (
	"cmp"
	"container/heap"
	"slices"
	"sync"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/fan"
)

// Price says what a proposal of roles weighs against what: how dear it is to look after one more role and one more
// assignment, and how bad it is if somebody would hold a permission too much, or lack one. What is covered by an
// assignment is worth Under, each permission.
type Price struct {
	Role       float64
	Assignment float64
	Over       float64
	Under      float64
	// Almost lets proposed roles give too much and too little at these prices; otherwise they give exactly what people
	// hold.
	Almost bool
}

// Usual is a price at which a role pays that saves ten assignments.
var Usual = Price{Role: 10, Assignment: 1, Over: 3, Under: 1}

// Mined is a role that was found in what people hold.
type Mined struct {
	Keys []int // what it gives, by number, ascending
	Rows []int // who would have it, by number, ascending
}

// Shares at which something is taken for a part of a role where a role need not fit exactly.
const (
	together = 0.93 // of those who hold nearly all of it, so many hold the part
	nearly   = 0.8  // of it is held by whoever is taken for a holder
)

// firstLooks are the shares of those who hold one permission of a role that must hold another, round by round. The
// first are high: two roles that most of their holders have together are told apart by the few who have one of them
// only. The last find roles of few people among many who hold a part of it by chance.
var firstLooks = []float64{0.93, 0.93, 0.8, 0.65, 0.5}

// Mine finds few roles that give all rows together what each holds. A row is a set of permissions, by number below
// width. Where close is given, it completes what a role gives with what cannot be left out of it.
//
// It is a greedy cover of a binary matrix by rectangles, in the manner of role mining by the neighbourhoods of
// permissions (A. Ene, W. Horne et al., "Fast exact and heuristic methods for role minimization problems", SACMAT
// 2008): a candidate for each permission is what all who hold it have in common, or with Almost what most of them have
// (J. Vaidya, V. Atluri, J. Warner, "RoleMiner: mining roles using subset enumeration", CCS 2006, allow for such
// noise); the one that saves most at the price comes first, then the next of what is left.
func Mine(rows []*bitset.BitSet, width int, price Price, close func(*bitset.BitSet)) []Mined {
	return mine(rows, width, price, close, func() bool { return false })
}

// mine is [Mine], which ends early, with whatever it has found, once stopped says so.
func mine(
	rows []*bitset.BitSet, width int, price Price, close func(*bitset.BitSet), stopped func() bool,
) []Mined {
	m := newMatrix(rows, width, price, close)
	m.stopped = stopped
	for _, share := range firstLooks {
		if stopped() {
			return nil
		}
		if !m.price.Almost {
			share = 1
		}
		if !m.cover(m.candidates(share)) && !m.price.Almost {
			break
		}
	}
	if price.Almost {
		for range retellings {
			if stopped() {
				return nil
			}
			m = m.again()
			m.retell()
		}
		m = m.again()
	}
	return m.pruned()
}

// again covers all rows anew by the roles that were found: some that came first are needless beside those that came
// later.
func (m *matrix) again() *matrix {
	var sets []*bitset.BitSet
	for _, role := range m.mined {
		sets = append(sets, role.keys)
	}
	next := newMatrix(m.rows, len(m.holders), m.price, m.close)
	next.stopped = m.stopped
	next.cover(sets)
	return next
}

// retellings is how often roles are told anew by those who have them.
const retellings = 3

// retell leaves out of each role what its other holders do not have: a permission is told of it by those to whom no
// other of their roles gives that permission, and stays if most of these hold it. So what is only held beside a role by
// way of another goes out of it.
func (m *matrix) retell() {
	of := make([][]int, len(m.rows)) // by row: its roles
	for i, role := range m.mined {
		for _, r := range role.rows {
			of[r] = append(of[r], i)
		}
	}
	next := make([]*bitset.BitSet, len(m.mined))
	fan.Out(len(m.mined), func(_, from, to int) {
		have, told := make([]int, len(m.openBy)), make([]int, len(m.openBy))
		for i := from; i < to; i++ {
			role := m.mined[i]
			clear(have)
			clear(told)
			for _, r := range role.rows {
				rest := role.keys.Clone()
				for _, j := range of[r] {
					if j != i {
						rest.InPlaceDifference(m.mined[j].keys)
					}
				}
				for k, ok := rest.NextSet(0); ok; k, ok = rest.NextSet(k + 1) {
					told[k]++
					if m.rows[r].Test(k) {
						have[k]++
					}
				}
			}
			next[i] = role.keys.Clone()
			for k, n := range told {
				if n >= fewestTelling && 2*have[k] < n {
					next[i].Clear(uint(k))
				}
			}
		}
	})
	for i := range m.mined {
		m.mined[i].keys = next[i]
	}
}

// fewestTelling is how many holders at least tell whether a permission belongs to a role.
const fewestTelling = 3

// matrix is what rows hold, and what of it is not covered yet, by column too.
type matrix struct {
	price   Price
	close   func(*bitset.BitSet)
	rows    []*bitset.BitSet
	holders [][]int32 // by permission: which rows hold it
	open    []*bitset.BitSet
	openBy  []*bitset.BitSet // by permission: of which rows it is not covered
	mined   []mined
	counts  sync.Pool // of *[]int32, by row, all zero
	stopped func() bool
}

type mined struct {
	keys *bitset.BitSet
	rows []int
}

func newMatrix(rows []*bitset.BitSet, width int, price Price, close func(*bitset.BitSet)) *matrix {
	m := &matrix{
		price: price, close: close, rows: rows, holders: make([][]int32, width), openBy: make([]*bitset.BitSet, width),
		open: make([]*bitset.BitSet, len(rows)),
	}
	m.counts.New = func() any {
		counts := make([]int32, len(rows))
		return &counts
	}
	for k := range m.openBy {
		m.openBy[k] = bitset.New(uint(len(rows)))
	}
	for r, row := range rows {
		m.open[r] = row.Clone()
		for k, ok := row.NextSet(0); ok; k, ok = row.NextSet(k + 1) {
			m.holders[k] = append(m.holders[k], int32(r))
			m.openBy[k].Set(uint(r))
		}
	}
	return m
}

// candidates gives what could be roles: of each permission that is not covered somewhere, what those who hold it there
// have in common.
func (m *matrix) candidates(share float64) []*bitset.BitSet {
	found := make([]*bitset.BitSet, len(m.openBy))
	fan.Out(len(m.openBy), func(_, from, to int) {
		counts := make([]int, len(m.openBy))
		for k := from; k < to; k++ {
			if m.openBy[k].Any() {
				found[k] = m.around(m.openBy[k], share, counts)
			}
		}
	})
	seen := map[string]bool{}
	return slices.DeleteFunc(found, func(c *bitset.BitSet) bool {
		if c == nil || c.None() || seen[c.String()] {
			return true
		}
		seen[c.String()] = true
		return false
	})
}

// around gives what a share of some rows have in common; with Almost, looked at once more among those who hold nearly
// all of that.
func (m *matrix) around(seed *bitset.BitSet, share float64, counts []int) *bitset.BitSet {
	c := m.common(seed, counts, share)
	if !m.price.Almost {
		return c
	}
	support, size := bitset.New(uint(len(m.rows))), float64(c.Count())
	m.sharing(c, func(r, held int) {
		if float64(held) >= nearly*size {
			support.Set(uint(r))
		}
	})
	if support.Any() {
		c = m.common(support, counts, together)
	}
	if m.close != nil {
		m.close(c)
	}
	return c
}

// common gives the permissions that a share of some rows hold.
func (m *matrix) common(rows *bitset.BitSet, counts []int, share float64) *bitset.BitSet {
	clear(counts)
	n := 0
	for r, ok := rows.NextSet(0); ok; r, ok = rows.NextSet(r + 1) {
		n++
		row := m.rows[r]
		for k, ok := row.NextSet(0); ok; k, ok = row.NextSet(k + 1) {
			counts[k]++
		}
	}
	out := bitset.New(uint(len(counts)))
	for k, c := range counts {
		if c > 0 && float64(c) >= share*float64(n) {
			out.Set(uint(k))
		}
	}
	return out
}

// sharing tells, row by row, how much of a set it holds; rows that hold none of it are left out.
func (m *matrix) sharing(set *bitset.BitSet, tell func(row, held int)) {
	pooled := m.counts.Get().(*[]int32)
	counts := *pooled
	var touched []int32
	for k, ok := set.NextSet(0); ok; k, ok = set.NextSet(k + 1) {
		for _, r := range m.holders[k] {
			if counts[r]++; counts[r] == 1 {
				touched = append(touched, r)
			}
		}
	}
	for _, r := range touched {
		tell(int(r), int(counts[r]))
		counts[r] = 0
	}
	m.counts.Put(pooled)
}

// gain tells what a role saves, and which rows would have it: those for which it pays.
func (m *matrix) gain(set *bitset.BitSet) (saves float64, rows []int) {
	size := int(set.Count())
	saves = -m.price.Role
	m.sharing(set, func(r, held int) {
		if held < size && !m.price.Almost {
			return
		}
		fresh := m.open[r].IntersectionCardinality(set)
		pays := m.price.Under*float64(fresh) - m.price.Over*float64(size-held) - m.price.Assignment
		if pays > 0 {
			saves += pays
			rows = append(rows, r)
		}
	})
	slices.Sort(rows)
	return saves, rows
}

// cover takes the candidates that save most, one after another, until none saves anything; false if none did.
func (m *matrix) cover(candidates []*bitset.BitSet) (some bool) {
	weighed := make(queue, len(candidates))
	fan.Out(len(candidates), func(_, from, to int) {
		for i := from; i < to && !m.stopped(); i++ {
			saves, _ := m.gain(candidates[i])
			weighed[i] = scoredSet{saves, i, candidates[i]}
		}
	})
	heap.Init(&weighed)
	for len(weighed) > 0 && !m.stopped() {
		top := weighed[0]
		saves, rows := m.gain(top.set)
		if saves <= 0 {
			heap.Pop(&weighed)
			continue
		}
		// What a candidate saves only ever gets less, so the first that still saves what was thought is the best.
		if len(weighed) > 1 && saves < top.saves && !weighed.stays(saves) {
			weighed[0].saves = saves
			heap.Fix(&weighed, 0)
			continue
		}
		heap.Pop(&weighed)
		m.take(top.set, rows)
		some = true
	}
	return some
}

// take makes a candidate a role of some rows.
func (m *matrix) take(set *bitset.BitSet, rows []int) {
	m.mined = append(m.mined, mined{set, rows})
	for _, r := range rows {
		covered := m.open[r].Intersection(set)
		for k, ok := covered.NextSet(0); ok; k, ok = covered.NextSet(k + 1) {
			m.openBy[k].Clear(uint(r))
		}
		m.open[r].InPlaceDifference(set)
	}
}

// pruned leaves out of each row the roles that the others make needless, and then the roles that nobody has.
func (m *matrix) pruned() []Mined {
	of := make([][]int, len(m.rows)) // by row: its roles
	for i, role := range m.mined {
		for _, r := range role.rows {
			of[r] = append(of[r], i)
		}
	}
	left := make([][]int, len(m.mined)) // by role: its rows
	for r, roles := range of {
		// The one that adds least is looked at first.
		slices.SortStableFunc(roles, func(a, b int) int {
			return cmp.Compare(m.mined[a].keys.Count(), m.mined[b].keys.Count())
		})
		kept := slices.Clone(roles)
		for _, i := range roles {
			rest := bitset.New(uint(len(m.openBy)))
			for _, j := range kept {
				if j != i {
					rest.InPlaceUnion(m.mined[j].keys)
				}
			}
			if m.rows[r].Intersection(m.mined[i].keys).DifferenceCardinality(rest) == 0 {
				kept = slices.DeleteFunc(kept, func(j int) bool { return j == i })
			}
		}
		for _, i := range kept {
			left[i] = append(left[i], r)
		}
	}
	var out []Mined
	for i, role := range m.mined {
		if len(left[i]) == 0 {
			continue
		}
		one := Mined{Rows: left[i]}
		for k, ok := role.keys.NextSet(0); ok; k, ok = role.keys.NextSet(k + 1) {
			one.Keys = append(one.Keys, int(k))
		}
		out = append(out, one)
	}
	return out
}

// queue has candidates, the one that saves most on top.
type queue []scoredSet

type scoredSet struct {
	saves float64
	place int // so that equal ones come in the same order every time
	set   *bitset.BitSet
}

func (q queue) Len() int { return len(q) }
func (q queue) Less(i, j int) bool {
	return q[i].saves > q[j].saves || q[i].saves == q[j].saves && q[i].place < q[j].place
}
func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *queue) Push(x any)   { *q = append(*q, x.(scoredSet)) }
func (q *queue) Pop() any {
	last := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return last
}

// stays tells whether the top would stay the top if it saved less.
func (q queue) stays(saves float64) bool {
	for i := 1; i < min(3, len(q)); i++ {
		if q[i].saves > saves {
			return false
		}
	}
	return true
}

// Package byid finds the numbers of things by their ids.
package byid

import (
	"hash/maphash"
	"sync/atomic"
)

// Numbers finds the numbers of things by their ids. Where a design changes often and little is asked between, to
// make a table for every change would be most of the work: one that can search makes it only once enough has been
// asked.
type Numbers struct {
	made     atomic.Pointer[table]
	search   func(id string) (n int, ok bool) // nil: the table was made at once
	make     func() *table
	patience atomic.Int32 // how often it searches before it makes the table
}

// table keeps the ids side by side in memory of its own, so that to find one of a hundred thousand costs far fewer
// cache misses than in a map, whose keys lie anywhere; a decision looks up three.
type table struct {
	slots []slot // a power of two of them, at most two thirds full
	text  []byte // all ids
	ends  []int32
}

// slot is empty if its number is zero.
type slot struct {
	tag uint32 // the upper half of the hash
	n   int32  // the number, one up
}

var seed = maphash.MakeSeed()

// New makes the numbers of n things. Of those with the same id, the last is found.
func New(n int, id func(i int) string) *Numbers {
	d := &Numbers{}
	d.made.Store(newTable(n, id))
	return d
}

// Searched makes those of n things that can be searched: their ids are sorted.
func Searched(n int, id func(i int) string, search func(id string) (int, bool)) *Numbers {
	d := &Numbers{search: search, make: func() *table { return newTable(n, id) }}
	d.patience.Store(int32(n / 16)) // then as much time has gone into searching as the table takes
	return d
}

func newTable(n int, id func(i int) string) *table {
	size := 4
	for 2*size < 3*n {
		size *= 2
	}
	d := &table{slots: make([]slot, size), ends: make([]int32, 1, n+1)}
	for i := range n {
		s := id(i)
		d.text = append(d.text, s...)
		d.ends = append(d.ends, int32(len(d.text)))
		at, tag, _ := d.probe(s)
		d.slots[at] = slot{tag, int32(i) + 1}
	}
	return d
}

// probe gives the place of the slot that has an id or, if there is none, of the empty one where it would be.
func (d *table) probe(id string) (at uint64, tag uint32, found bool) {
	h := maphash.String(seed, id)
	mask := uint64(len(d.slots) - 1)
	tag = uint32(h >> 32)
	for at = h & mask; ; at = (at + 1) & mask {
		switch s := d.slots[at]; {
		case s.n == 0:
			return at, tag, false
		case s.tag == tag && string(d.text[d.ends[s.n-1]:d.ends[s.n]]) == id:
			return at, tag, true
		}
	}
}

// Find gives the number of what has an id.
func (d *Numbers) Find(id string) (n int, ok bool) {
	t := d.made.Load()
	if t == nil {
		switch left := d.patience.Add(-1); {
		case left == 0:
			t = d.make()
			d.made.Store(t)
		default: // others search on while one makes the table
			if n, ok = d.search(id); !ok {
				n = -1
			}
			return n, ok
		}
	}
	at, _, ok := t.probe(id)
	return int(t.slots[at].n) - 1, ok
}

// Number gives the number of what is known to be there; -1 if it is not.
func (d *Numbers) Number(id string) int {
	n, _ := d.Find(id)
	return n
}

// All gives the numbers of those of some ids that are there.
func (d *Numbers) All(ids []string) []int {
	if len(ids) == 0 {
		return nil
	}
	out := make([]int, 0, len(ids))
	for _, id := range ids {
		if i, ok := d.Find(id); ok {
			out = append(out, i)
		}
	}
	return out
}

// Package sorted changes many sorted lists at once, and gathers numbers into sorted lists.
package sorted

import (
	"cmp"
	"math/bits"
	"slices"
)

// Entry is an item of the list at a place.
type Entry[T any] struct {
	At   int32
	Item T
}

// Splice changes some of n sorted lists: what drop names goes, what add has comes in. Entries for one list come in
// its order. A list that changes is written anew; it may be shared with another index.
func Splice[T any](n int, list func(i int) *[]T, drop, add []Entry[T], compare func(a, b T) int) {
	drop, add = byPlace(n, drop), byPlace(n, add)
	cut := func(from *[]Entry[T], at int32) []Entry[T] {
		k := 0
		for k < len(*from) && (*from)[k].At == at {
			k++
		}
		own := (*from)[:k]
		*from = (*from)[k:]
		return own
	}
	for len(drop)+len(add) > 0 {
		at := int32(n)
		for _, l := range [][]Entry[T]{drop, add} {
			if len(l) > 0 {
				at = min(at, l[0].At)
			}
		}
		out, in := cut(&drop, at), cut(&add, at)
		to := list(int(at))
		merged := make([]T, 0, max(0, len(*to)+len(in)-len(out)))
		for _, item := range *to {
			if len(out) > 0 && compare(out[0].Item, item) == 0 {
				out = out[1:]
				continue
			}
			for len(in) > 0 && compare(in[0].Item, item) < 0 {
				merged, in = append(merged, in[0].Item), in[1:]
			}
			merged = append(merged, item)
		}
		for _, e := range in {
			merged = append(merged, e.Item)
		}
		*to = merged
	}
}

// byPlace sorts entries by the list that they are for, of n, and keeps the order within each.
func byPlace[T any](n int, entries []Entry[T]) []Entry[T] {
	if slices.IsSortedFunc(entries, func(a, b Entry[T]) int { return cmp.Compare(a.At, b.At) }) {
		return entries
	}
	if len(entries) < n/16 {
		slices.SortStableFunc(entries, func(a, b Entry[T]) int { return cmp.Compare(a.At, b.At) })
		return entries
	}
	next := make([]int32, n+1)
	for _, e := range entries {
		next[e.At+1]++
	}
	for i := range n {
		next[i+1] += next[i]
	}
	out := make([]Entry[T], len(entries))
	for _, e := range entries {
		out[next[e.At]] = e
		next[e.At]++
	}
	return out
}

// Numbers is a set of small numbers that is filled and emptied many times. To empty it costs what is in it, and not how
// large the numbers are.
type Numbers struct {
	words []uint64
	some  []uint64 // of words: whether there is anything in them
}

// NewNumbers gives an empty set of numbers below n.
func NewNumbers(n int) *Numbers {
	words := n/64 + 1
	return &Numbers{make([]uint64, words), make([]uint64, words/64+1)}
}

// Add puts a number in.
func (t *Numbers) Add(i int32) {
	w := i >> 6
	t.words[w] |= 1 << (i & 63)
	t.some[w>>6] |= 1 << (w & 63)
}

// Drain empties the set and appends what was in it, sorted.
func (t *Numbers) Drain(to []int32) []int32 {
	for k, some := range t.some {
		for ; some != 0; some &= some - 1 {
			w := k<<6 | bits.TrailingZeros64(some)
			for word := t.words[w]; word != 0; word &= word - 1 {
				to = append(to, int32(w<<6|bits.TrailingZeros64(word)))
			}
			t.words[w] = 0
		}
		t.some[k] = 0
	}
	return to
}

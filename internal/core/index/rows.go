package index

import (
	"iter"
	mathbits "math/bits"
	"slices"
	"sync"
	"time"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/model"
)

// EachPerson asks something about everybody of a design, side by side.
func EachPerson[T any](d *model.Design, of func(u *model.User) T) model.Column[*model.User, T] {
	list := make([]T, len(d.Users))
	fan.Out(len(list), func(_, from, to int) {
		for i := from; i < to; i++ {
			list[i] = of(d.Users[i])
		}
	})
	return model.NewColumn(d.Users, list)
}

// Rows tells which of some permissions everybody effectively holds at an instant, anywhere and to whatever reach: a bit
// set of these, nil if none. A row must not be altered.
type Rows struct {
	keys []string // sorted; their places are the bits of a row
	model.Column[*model.User, []uint64]
}

// Rows looks at everybody, for some permissions that there are.
func (x *Index) Rows(keys []string, t time.Time) *Rows {
	keys = slices.Compact(slices.Sorted(slices.Values(keys)))
	workers := sync.Pool{New: func() any { return x.rower(keys) }}
	return &Rows{keys, EachPerson(x.design, func(u *model.User) []uint64 {
		w := workers.Get().(*rower)
		defer workers.Put(w)
		return w.row(u.ID, t)
	})}
}

// Next is the rows of another index, which has the same permissions, by those whom what differs touches: see [Touched].
// Nothing must begin or end between the instants of both.
func (r *Rows) Next(x *Index, touched []string, t time.Time) *Rows {
	next, w := r.Beside(x.design.Users), x.rower(r.keys)
	for _, id := range touched {
		next.Set(id, w.row(id, t))
	}
	return &Rows{r.keys, next}
}

// Keys are the permissions that are told of, sorted. They must not be altered.
func (r *Rows) Keys() []string { return r.keys }

// Bits gives a row of some permissions.
func (r *Rows) Bits(keys []string) []uint64 {
	out := make([]uint64, (len(r.keys)+63)/64)
	for _, key := range keys {
		if n, ok := slices.BinarySearch(r.keys, key); ok {
			out[n/64] |= 1 << (n % 64)
		}
	}
	return out
}

// EachBit gives the places of the bits of a row that are set.
func EachBit(row []uint64) iter.Seq[int] { return eachBit(row) }

// rower makes rows, one after another in the same memory.
type rower struct {
	*Index
	wanted  []uint64
	systems mark
	held    []uint64
	place   []int32 // of permissions that are wanted: their bit in a row
	words   int     // of a row
}

func (x *Index) rower(keys []string) *rower {
	wanted := x.bitsOf(keys)
	w := &rower{
		Index: x, wanted: wanted.Words(), systems: x.markOf(wanted), held: make([]uint64, len(wanted.Words())),
		place: make([]int32, len(x.permissions)), words: (len(keys) + 63) / 64,
	}
	for i, key := range keys {
		if p, ok := x.permissionOf.find(key); ok {
			w.place[p] = int32(i)
		}
	}
	return w
}

func (w *rower) row(user string, t time.Time) (row []uint64) {
	u, ok := w.userOf.find(user)
	if !ok || !w.live(u, t) {
		return nil
	}
	clear(w.held)
	w.grantsIn(u, &w.systems, func(g *grant) bool {
		if g.in(t) {
			for _, s := range w.shapes[g.shape].some {
				w.held[s.at] |= s.bits
			}
		}
		return true
	})
	licensed := w.licensed(u).Words()
	for at, bits := range w.held {
		for bits &= w.wanted[at] & licensed[at]; bits != 0; bits &= bits - 1 {
			if row == nil {
				row = make([]uint64, w.words)
			}
			n := w.place[64*at+mathbits.TrailingZeros64(bits)]
			row[n/64] |= 1 << (n % 64)
		}
	}
	return row
}

package index

import (
	"iter"
	mathbits "math/bits"
	"slices"
	"sync/atomic"
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
	w := x.rower(keys)
	return &Rows{keys, EachPerson(x.design, func(u *model.User) []uint64 { return w.row(u.ID, t) })}
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

// rower makes rows. What a shape carries, and a profile of licences allows, is put into the form of a row once, by
// whoever needs it first.
type rower struct {
	*Index
	wanted   []uint64
	systems  mark
	place    []int32 // of permissions that are wanted: their bit in a row
	words    int     // of a row
	carried  []atomic.Pointer[[]word]
	licensed []atomic.Pointer[[]uint64]
}

func (x *Index) rower(keys []string) *rower {
	wanted := x.bitsOf(keys)
	w := &rower{
		Index: x, wanted: wanted.Words(), systems: x.markOf(wanted), place: make([]int32, len(x.permissions)),
		words: (len(keys) + 63) / 64, carried: make([]atomic.Pointer[[]word], len(x.shapes)),
		licensed: make([]atomic.Pointer[[]uint64], len(x.profiles)),
	}
	for i, key := range keys {
		if p, ok := x.permissionOf.Find(key); ok {
			w.place[p] = int32(i)
		}
	}
	return w
}

func (w *rower) row(user string, t time.Time) (row []uint64) {
	u, ok := w.userOf.Find(user)
	if !ok || !w.live(u, t) {
		return nil
	}
	w.grantsIn(u, &w.systems, func(g *grant) bool {
		if carried := w.carriedBy(g.shape); len(carried) > 0 && g.in(t) {
			if row == nil {
				row = make([]uint64, w.words)
			}
			for _, c := range carried {
				row[c.at] |= c.bits
			}
		}
		return true
	})
	some := uint64(0)
	if row != nil {
		for at, bits := range w.licensedTo(w.people.at(u).profile) {
			row[at] &= bits
			some |= row[at]
		}
	}
	if some == 0 {
		return nil
	}
	return row
}

func (w *rower) carriedBy(shape int32) []word {
	if known := w.carried[shape].Load(); known != nil {
		return *known
	}
	row := make([]uint64, w.words)
	for _, s := range w.shapes[shape].some {
		w.put(row, int(s.at), s.bits)
	}
	some := wordsOf(row, nil)
	w.carried[shape].Store(&some)
	return some
}

func (w *rower) licensedTo(profile int32) []uint64 {
	if known := w.licensed[profile].Load(); known != nil {
		return *known
	}
	row := make([]uint64, w.words)
	for at, bits := range w.profiles[profile].Words() {
		w.put(row, at, bits)
	}
	w.licensed[profile].Store(&row)
	return row
}

// put notes in a row those of a word of permissions that are wanted.
func (w *rower) put(row []uint64, at int, bits uint64) {
	for bits &= w.wanted[at]; bits != 0; bits &= bits - 1 {
		n := w.place[64*at+mathbits.TrailingZeros64(bits)]
		row[n/64] |= 1 << (n % 64)
	}
}

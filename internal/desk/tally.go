package desk

import (
	"slices"
	"sync"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// tallies are what was counted of a house, so that the next key that is pressed need not count it again. They stand
// until something begins or ends.
type tallies struct {
	sync.Mutex
	last *tally
}

// tally is what is known of a house while nothing begins or ends.
type tally struct {
	steady
	known  sync.Map
	asking sync.Mutex
	asked  []answer // those that were asked for last come last
}

// answer is what is told of a question.
type answer struct {
	question string
	tell     any
}

// askedMost is how many answers are kept of a house: as many as people may go back and forth between. There are more
// questions than there is room for answers.
const askedMost = 32

// steady is a time in which nothing begins or ends.
type steady struct{ from, until time.Time } // zero: without end

func (t steady) has(at time.Time) bool {
	return !at.Before(t.from) && (t.until.IsZero() || at.Before(t.until))
}

// tally gives what is known of a house at an instant.
func (h *House) tally(at time.Time) *tally {
	t := &h.tallies
	t.Lock()
	defer t.Unlock()
	if t.last == nil || !t.last.has(at) {
		t.last = &tally{}
		t.last.from, t.last.until = h.Design().Steady(at)
	}
	return t.last
}

// Counted gives what is told of a house under a name, and counts it the first time. It must follow from the design and
// from what is in force, not from how long ago something was.
func Counted[T any](s *Sight, name string, count func() T) T {
	return counted(s.tally(s.At), name, count)
}

func counted[T any](t *tally, name string, count func() T) T {
	v, ok := t.known.Load(name)
	if !ok {
		v, _ = t.known.LoadOrStore(name, sync.OnceValue(count))
	}
	return v.(func() T)()
}

// Asked is [Counted] for what somebody asks for in their own words: only of the last questions the answers are kept.
func Asked[T any](s *Sight, question string, find func() T) T {
	return asked(s.tally(s.At), question, func() any { return sync.OnceValue(find) }).(func() T)()
}

// Found is [Asked] for what can fail, or be given up: only what is found is kept.
func Found[T any](s *Sight, question string, find func() (T, error)) (T, error) {
	t := s.tally(s.At)
	if known := asked(t, question, nil); known != nil {
		return known.(func() T)(), nil
	}
	v, err := find()
	if err == nil {
		asked(t, question, func() any { return func() T { return v } })
	}
	return v, err
}

// asked gives what tells the answer to a question, which is then the last that was asked. If there is none, that is
// made, unless there is nothing to make it: then there is none.
func asked(t *tally, question string, begin func() any) any {
	t.asking.Lock()
	defer t.asking.Unlock()
	one := answer{question, nil}
	if n := slices.IndexFunc(t.asked, func(a answer) bool { return a.question == question }); n >= 0 {
		one = t.asked[n]
		t.asked = slices.Delete(t.asked, n, n+1)
	} else if begin == nil {
		return nil
	} else {
		one.tell = begin()
		t.asked = t.asked[max(0, len(t.asked)+1-askedMost):]
	}
	t.asked = append(t.asked, one)
	return one.tell
}

// followed is what was counted of a house person by person. It is handed on to the houses that come of this one, which
// count anew only those whom a change touches.
type followed struct {
	index *index.Index
	steady
	value any
}

// Followed is [Counted] for what follows, of each person by itself, from their account and from what is assigned to
// them: where it was counted of the house before, next brings that up to the house that is seen, by the people for
// whom either may be another. It must leave what it is given as it is.
func Followed[T any](
	s *Sight, name string, count func() T, next func(before T, was *index.Index, touched []string) T,
) T {
	t := s.tally(s.At)
	return counted(t, name, func() T {
		value, known := followOn(s, name, next)
		if !known {
			value = count()
		}
		s.follow.Store(name, followed{s.Index, t.steady, value})
		return value
	})
}

// followOn brings up to a house what was counted of one before; false if that does not tell.
func followOn[T any](
	s *Sight, name string, next func(before T, was *index.Index, touched []string) T,
) (value T, known bool) {
	v, ok := s.follow.Load(name)
	if !ok {
		return value, false
	}
	before := v.(followed)
	if !before.has(s.At) {
		return value, false
	}
	touched, known := s.touchedSince(before.index)
	if !known {
		return value, false
	}
	return next(before.value.(T), before.index, touched), true
}

// touchedMost is which part of all people may be touched at most: of more, all are counted as quickly.
const touchedMost = 8

// touchedSince gives whom what differs between an index and that of a house touches; false if that may be anybody, or
// very many.
func (h *House) touchedSince(x *index.Index) ([]string, bool) {
	type answer struct {
		users []string
		known bool
	}
	v, ok := h.touched.Load(x)
	if !ok {
		v, _ = h.touched.LoadOrStore(x, sync.OnceValue(func() (a answer) {
			a.users, a.known = index.Touched(x, h.Index)
			a.known = a.known && len(a.users) <= len(h.Design().Users)/touchedMost
			return a
		}))
	}
	a := v.(func() answer)()
	return a.users, a.known
}

// Settle lets go of the designs before, once what is followed has been brought up to this one.
func (h *House) Settle() { h.touched.Clear() }

// kept is what was counted of a house and no instant changes: it follows from the areas and from all of some kinds.
type kept struct {
	of    []model.Kind
	value any
}

// Kept is [Counted] for what no instant changes. Whatever is counted of areas and of some kinds alone is kept as long
// as these are the same; if none are named, as long as the house stands.
func Kept[T any](s *Sight, name string, of []model.Kind, count func() T) T {
	v, ok := s.kept.Load(name)
	if !ok {
		v, _ = s.kept.LoadOrStore(name, kept{of, sync.OnceValue(count)})
	}
	return v.(kept).value.(func() T)()
}

// inherit takes over from another house its lists of those kinds that are the same in both, what was counted of such
// kinds alone, and what was counted person by person.
func (h *House) inherit(from *House) *House {
	from.follow.Range(func(name, v any) bool {
		h.follow.Store(name, v)
		return true
	})
	from.listing.Lock()
	defer from.listing.Unlock()
	a, b := from.Design(), h.Design()
	if !slices.Equal(a.Areas, b.Areas) {
		return h
	}
	same := map[model.Kind]bool{
		model.KindUser:       slices.Equal(a.Users, b.Users),
		model.KindGroup:      slices.Equal(a.Groups, b.Groups),
		model.KindRole:       slices.Equal(a.Roles, b.Roles),
		model.KindSet:        slices.Equal(a.Sets, b.Sets),
		model.KindLicence:    slices.Equal(a.Licences, b.Licences),
		index.KindPermission: slices.Equal(a.Systems, b.Systems),
		model.KindArea:       true,
	}
	h.lists = map[model.Kind][]Entry{}
	for kind, list := range from.lists {
		if same[kind] {
			h.lists[kind] = list
		}
	}
	if list := from.lists[model.KindUser]; list != nil {
		h.earlier = &earlierPeople{a.Users, list}
	} else {
		h.earlier = from.earlier
	}
	from.kept.Range(func(name, v any) bool {
		k := v.(kept)
		if len(k.of) > 0 && !slices.ContainsFunc(k.of, func(kind model.Kind) bool { return !same[kind] }) {
			h.kept.Store(name, k)
		}
		return true
	})
	return h
}

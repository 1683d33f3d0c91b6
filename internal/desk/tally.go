package desk

import (
	"slices"
	"sync"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// tallies are what was counted of a house, so that the next key that is pressed need not count it again. It stands
// until something begins or ends.
type tallies struct {
	sync.Mutex
	from, until time.Time // in which nothing does; zero: without end
	known       *sync.Map
}

// known gives what is known of a house at an instant.
func (h *House) known(at time.Time) *sync.Map {
	t := &h.tallies
	t.Lock()
	defer t.Unlock()
	if t.known == nil || at.Before(t.from) || !t.until.IsZero() && !at.Before(t.until) {
		t.from, t.until = h.Design().Steady(at)
		t.known = &sync.Map{}
	}
	return t.known
}

// Counted gives what is told of a house under a name, and counts it the first time. It must follow from the design and
// from what is in force, not from how long ago something was.
func Counted[T any](s *Sight, name string, count func() T) T {
	known := s.known(s.At)
	v, ok := known.Load(name)
	if !ok {
		v, _ = known.LoadOrStore(name, sync.OnceValue(count))
	}
	return v.(func() T)()
}

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

// inheritLists takes over from another house its lists of those kinds that are the same in both, and what was counted
// of such kinds alone.
func (h *House) inheritLists(from *House) *House {
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

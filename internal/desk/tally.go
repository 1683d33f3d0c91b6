package desk

import (
	"slices"
	"sync"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// tallies are what was counted of a house, so that the next key that is pressed need not count it again. What is in
// force can change with every instant; what was counted stands for the minute in which it was.
type tallies struct {
	sync.Mutex
	minute time.Time
	known  *sync.Map
}

// at gives what is known at an instant.
func (t *tallies) at(at time.Time) *sync.Map {
	t.Lock()
	defer t.Unlock()
	if minute := at.Truncate(time.Minute); t.known == nil || !t.minute.Equal(minute) {
		t.minute, t.known = minute, &sync.Map{}
	}
	return t.known
}

// Counted gives what is told of a house under a name, and counts it the first time.
func Counted[T any](s *Sight, name string, count func() T) T {
	known := s.tallies.at(s.At)
	v, ok := known.Load(name)
	if !ok {
		v, _ = known.LoadOrStore(name, sync.OnceValue(count))
	}
	return v.(func() T)()
}

// inheritLists takes over the lists of another house for those kinds that are the same in both.
func (h *House) inheritLists(from *House) *House {
	from.listing.Lock()
	defer from.listing.Unlock()
	a, b := from.Design(), h.Design()
	if !slices.Equal(a.Areas, b.Areas) {
		return h
	}
	same := map[model.Kind]bool{
		model.KindUser: slices.Equal(
			a.Users,
			b.Users,
		), model.KindGroup: slices.Equal(a.Groups, b.Groups), model.KindRole: slices.Equal(a.Roles, b.Roles),
		model.KindSet: slices.Equal(
			a.Sets,
			b.Sets,
		), index.KindPermission: slices.Equal(a.Systems, b.Systems), model.KindArea: true,
	}
	h.lists = map[model.Kind][]Entry{}
	for kind, list := range from.lists {
		if same[kind] {
			h.lists[kind] = list
		}
	}
	return h
}

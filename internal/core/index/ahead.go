package index

import (
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// Span is something that is held over a stretch of time.
type Span struct {
	Holding
	From, Until time.Time // [From, Until); zero: unbounded
}

// Just is the bundle of some permissions and nothing else. Keys that the catalogue does not have take no part.
func (x *Index) Just(keys []string) Bundle { return Bundle{bits: x.bitsOf(keys)} }

// Ahead gives what assignments that have not ended at t give a user of some permissions, and when: those in force
// and those that begin later. Whether the user is live is not asked.
func (x *Index) Ahead(user string, of Bundle, t time.Time) (out []Span) {
	return x.AheadBy(user, of, t, nil)
}

// AheadBy is [Index.Ahead], but of some assignments only; of all if by is nil.
func (x *Index) AheadBy(user string, of Bundle, t time.Time, by func(*model.Assignment) bool) (out []Span) {
	u, ok := x.userOf.Find(user)
	if !ok {
		return nil
	}
	some := bitset.New(of.bits.Len())
	licensed := x.licensed(u)
	systems := x.markOf(of.bits)
	x.grantsIn(u, &systems, func(g *grant) bool {
		if ended(g.Assignment, t) || by != nil && !by(g.Assignment) {
			return true
		}
		of.bits.CopyFull(some)
		some.InPlaceIntersection(x.carried(g))
		some.InPlaceIntersection(licensed)
		for p, ok := some.NextSet(0); ok; p, ok = some.NextSet(p + 1) {
			held := Holding{x.permissions[p].Key, x.design.Areas[g.area].ID, reaches[wholeArea-g.wide]}
			out = append(out, Span{held, g.From, g.Until})
		}
		return true
	})
	return out
}

// Alongside tells whether the groups of a user, together, carry all the permissions that an assignment to that user
// carries, be it elsewhere or at another time: if not, they do not give all of it.
func (x *Index) Alongside(a *model.Assignment) bool {
	u, ok := x.userOf.Find(a.Subject.User)
	if !ok {
		return false
	}
	given := &x.shapes[x.shapeOf[x.keyOf(a)]]
	if len(given.some) == 0 {
		return false
	}
	var room [roomFor]word
	missing := x.allowed(u, given, room[:0])
	for _, g := range x.people.at(u).groups {
		if len(missing) == 0 {
			break
		}
		if !x.marks[g].meets(&given.mark) {
			continue
		}
		for i := range x.groups.at(int(g)).grants {
			missing = besides(missing, x.shapes[x.groups.at(int(g)).grants[i].shape].words)
		}
	}
	return len(missing) == 0
}

// Begins gives the instants after t at which something that a user is given begins, each once, in order. Whether the
// user is live is not asked.
func (x *Index) Begins(user string, t time.Time) (out []time.Time) {
	u, ok := x.userOf.Find(user)
	if !ok {
		return nil
	}
	x.grantsIn(u, nil, func(g *grant) bool {
		if g.timed && g.From.After(t) && (g.Until.IsZero() || g.From.Before(g.Until)) {
			out = append(out, g.From)
		}
		return true
	})
	slices.SortFunc(out, time.Time.Compare)
	return slices.CompactFunc(out, time.Time.Equal)
}

// GivenAhead gives the ids of all to whom [Index.Ahead] gives something, sorted.
func (x *Index) GivenAhead(of Bundle, t time.Time) []string {
	found := x.reach()
	x.eachCarrying(of, func(g *grant) {
		if !ended(g.Assignment, t) {
			found.add(g)
		}
	})
	ids := x.idsOf(found.people())
	return slices.DeleteFunc(ids, func(id string) bool { return len(x.Ahead(id, of, t)) == 0 })
}

// Carrying gives the assignments, in force or not, that carry any of some permissions.
func (x *Index) Carrying(of Bundle) (out []*model.Assignment) {
	x.eachCarrying(of, func(g *grant) { out = append(out, g.Assignment) })
	return out
}

func (x *Index) eachCarrying(of Bundle, do func(*grant)) {
	each := func(c *contents, grants []grant) {
		if c.exact.IntersectionCardinality(of.bits) == 0 {
			return
		}
		for i := range grants {
			if g := &grants[i]; x.carried(g).IntersectionCardinality(of.bits) > 0 {
				do(g)
			}
		}
	}
	for i := range x.roles {
		each(&x.roles[i].contents, x.roles[i].grants)
	}
	for i := range x.sets {
		each(&x.sets[i].contents, x.sets[i].grants)
	}
}

// ended tells whether an assignment is over at t.
func ended(a *model.Assignment, t time.Time) bool { return !a.Until.IsZero() && !t.Before(a.Until) }

// Nesting gives the groups that a group is nested in, by whatever way, and the group itself first.
func (x *Index) Nesting(group string) (out []string) {
	g, ok := x.groupOf.Find(group)
	if !ok {
		return nil
	}
	seen := map[int]bool{g: true}
	for todo := []int{g}; len(todo) > 0; todo = todo[1:] {
		if todo[0] < len(x.design.Groups) {
			out = append(out, x.design.Groups[todo[0]].ID)
		}
		for _, p := range x.groups.at(todo[0]).parents {
			if !seen[int(p)] {
				seen[int(p)] = true
				todo = append(todo, int(p))
			}
		}
	}
	return out
}

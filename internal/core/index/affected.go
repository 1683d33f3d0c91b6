package index

import (
	"slices"
	"sync"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/model"
)

// Difference is what one person gains and loses between two designs.
type Difference struct {
	User string
	// Gained and Lost are how many of the widest new holdings no old one includes, and how many of the widest old ones
	// no new one includes.
	Gained, Lost int
	// Sum stands for exactly these; nothing where they were only counted.
	Sum Sum
	// Waits are the licences for lack of which something is withheld that was not withheld before.
	Waits []string
	// Watched tells that something can have changed that was to be watched.
	Watched bool
}

// Told is what one person gains and loses between two designs: of a [Difference], which holdings. Both are sorted.
type Told struct {
	User          string
	Gains, Losses []Holding
}

// Differences gives everybody whose effective permissions at t can differ between two indexes, by id; of some the
// difference is empty. Whoever is left out holds the same, by the same assignments in both. Watched says which
// permissions are of special interest; role assignments always are. Touched are those of them that somebody can hold
// otherwise, sorted.
func Differences(before, after *Index, watched []string, t time.Time) (list []Difference, touched []string) {
	return differences(before, after, watched, t, true)
}

// Counts is [Differences] without sums.
func Counts(before, after *Index, watched []string, t time.Time) (list []Difference, touched []string) {
	return differences(before, after, watched, t, false)
}

func differences(before, after *Index, watched []string, t time.Time, sums bool) ([]Difference, []string) {
	b, a := before.design, after.design
	if !alike(b, a) {
		return cross(before, after, t).differences(watched, sums)
	}
	c := comparison{before: before, after: after, t: t, watched: before.bitsOf(watched), sums: sums}
	c.gather()
	type pair struct{ i, j int }
	var pairs []pair
	people := c.touched()
	model.EachPair(b.Users, a.Users, func(i, j int) {
		if i < 0 || j < 0 || people.Test(uint(j)) || accountDiffers(b.Users[i], a.Users[j]) ||
			!c.sameGroups(before.people.at(int(i)).groups, after.people.at(int(j)).groups) {
			pairs = append(pairs, pair{i, j})
		}
	})
	// Several parts at once; each keeps its order.
	parts := make([][]Difference, fan.Parts())
	differ := before.bits()
	fan.Out(len(pairs), func(n, from, to int) {
		w := worker{comparison: &c, all: before.bits()}
		for _, p := range pairs[from:to] {
			parts[n] = append(parts[n], w.compare(p.i, p.j))
		}
		c.mu.Lock()
		defer c.mu.Unlock()
		differ.InPlaceUnion(w.all)
	})
	differ.InPlaceIntersection(c.watched)
	return slices.Concat(parts...), before.keysOf(differ)
}

// Tell tells what some people gain and lose at t between two indexes, in their order.
func Tell(before, after *Index, users []string, t time.Time) []Told {
	out := make([]Told, len(users))
	if !alike(before.design, after.design) {
		fan.Out(len(users), func(_, from, to int) {
			for n, id := range users[from:to] {
				was, is := before.Widest(id, t), after.Widest(id, t)
				out[from+n] = Told{id, Beyond(before, is, was), Beyond(after, was, is)}
			}
		})
		return out
	}
	c := comparison{before: before, after: after, t: t, watched: before.bits()}
	c.gather()
	fan.Out(len(users), func(_, from, to int) {
		w := worker{comparison: &c, all: before.bits()}
		for n, id := range users[from:to] {
			out[from+n].User = id
			if i, j := before.numberOf(id), after.numberOf(id); i != nobody || j != nobody {
				d := w.compare(i, j)
				out[from+n].Gains, out[from+n].Losses = after.unpack(w.packed[:d.Gained]), before.unpack(w.packed[d.Gained:])
			}
		}
	})
	return out
}

// numberOf is the number of a user; nobody if there is none of that id.
func (x *Index) numberOf(user string) int {
	if u, ok := x.userOf.Find(user); ok {
		return u
	}
	return nobody
}

// Scope tells, person by person, what can differ between two indexes. It is for one goroutine at a time.
type Scope struct{ w worker }

// ScopeOf compares two indexes; false if their designs differ in permissions, licences or areas, so that it may be
// anything.
func ScopeOf(before, after *Index) (*Scope, bool) {
	if !alike(before.design, after.design) {
		return nil, false
	}
	c := &comparison{before: before, after: after, watched: before.bits()}
	c.gather()
	return &Scope{worker{comparison: c, differ: before.bits()}}, true
}

// Of gives the permissions that a user can hold otherwise, at whatever instant: of anything else, the same assignments
// give the same in both. It stays as it is until the next call, and is of every index whose design has the same
// permissions.
func (s *Scope) Of(user string) Bundle {
	i, j := s.w.before.numberOf(user), s.w.after.numberOf(user)
	if i == nobody && j == nobody {
		s.w.differ.ClearAll()
	} else {
		s.w.scope(i, j)
	}
	return Bundle{bits: s.w.differ}
}

// Touched gives the ids of everybody to whom something is assigned otherwise, in force or not, or whose licences, state
// or validity are others, between two designs; false if these differ in permissions, licences or areas, so that it may
// be anybody.
func Touched(before, after *Index) (users []string, known bool) {
	b, a := before.design, after.design
	if !alike(b, a) {
		return nil, false
	}
	c := comparison{before: before, after: after, watched: before.bits()}
	c.gather()
	people := c.touched()
	model.EachPair(b.Users, a.Users, func(i, j int) {
		switch {
		case i < 0:
			users = append(users, a.Users[j].ID)
		case j < 0 || people.Test(uint(j)) || accountDiffers(b.Users[i], a.Users[j]) ||
			!c.sameGroups(before.people.at(int(i)).groups, after.people.at(int(j)).groups):
			users = append(users, b.Users[i].ID)
		}
	})
	return users, true
}

// Beyond gives those holdings that none of the others includes, in the areas of x, the index that the others are
// of. Both lists are sorted by permission.
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

// comparison is what two indexes with the same permissions, licences and areas differ in, as far as it is shared by
// many people.
type comparison struct {
	before, after *Index
	t             time.Time
	watched       *bitset.BitSet
	sums          bool // of what is gained and lost, not only how much

	users  map[string]*touch // what assignments to a user differ in, by id
	groups []*touch          // and those to a group, by its common number
	// The groups of both designs have common numbers, in the order of each. Both are nil if the groups are the same.
	ofBefore, ofAfter []int32
	// all that the assignments to a group carry, before and after; made when it is asked for
	wholes [2][]*bitset.BitSet
	mu     sync.Mutex
}

// touch tells which permissions assignments can give otherwise than before.
type touch struct {
	bits *bitset.BitSet
	held bool // another role is assigned, or over another area, or for another time
}

func (c *comparison) gather() {
	b, a := c.before, c.after
	c.users = map[string]*touch{}
	n := c.number()
	c.groups = make([]*touch, n)
	c.wholes = [2][]*bitset.BitSet{make([]*bitset.BitSet, b.groups.n), make([]*bitset.BitSet, a.groups.n)}
	model.EachChange(b.design.Assignments, a.design.Assignments, func(i, j int) {
		if i >= 0 {
			c.touchBy(b, b.design.Assignments[i])
		}
		if j >= 0 {
			c.touchBy(a, a.design.Assignments[j])
		}
	})
	// Assignments that are the same can carry something else.
	for n := range a.shapes {
		now := &a.shapes[n]
		key := now.key
		if key == (shapeKey{}) {
			continue
		}
		m, known := int32(n), n < len(b.shapes) && b.shapes[n].key == key
		if !known {
			m, known = b.shapeOf[key]
		}
		if !known || len(now.words) == 0 || &b.shapes[m].words[0] == &now.words[0] ||
			slices.Equal(b.shapes[m].words, now.words) {
			continue
		}
		size := b.readable.Len()
		bits := bitset.FromWithLength(size, b.shapes[m].words).
			SymmetricDifference(bitset.FromWithLength(size, now.words))
		grants, _, _ := a.target(key)
		for i := range grants {
			if int(grants[i].shape) == n {
				c.touch(a, grants[i].Assignment, bits, false)
			}
		}
	}
	for id := range roleLines(b.design.Roles, a.design.Roles) {
		if i, ok := a.design.Roles.Position(id); ok {
			for _, g := range a.roles[i].grants {
				c.touch(a, g.Assignment, nil, true)
			}
		}
	}
}

// number gives the groups of both designs common numbers, and tells how many there are.
func (c *comparison) number() (n int) {
	b, a := c.before.design.Groups, c.after.design.Groups
	if model.MovesOf(b, a) == nil {
		return c.after.groups.n
	}
	c.ofBefore, c.ofAfter = make([]int32, c.before.groups.n), make([]int32, c.after.groups.n)
	model.EachPair(b, a, func(i, j int) {
		if i >= 0 {
			c.ofBefore[i] = int32(n)
		}
		if j >= 0 {
			c.ofAfter[j] = int32(n)
		}
		n++
	})
	for k := range builtIn {
		c.ofBefore[len(b)+k], c.ofAfter[len(a)+k] = int32(n), int32(n)
		n++
	}
	return n
}

// common is the common number of a group.
func common(of []int32, g int32) int32 {
	if of == nil {
		return g
	}
	return of[g]
}

// sameGroups tells whether somebody is in the same groups in both designs.
func (c *comparison) sameGroups(was, is []int32) bool {
	if len(was) != len(is) {
		return false
	}
	if c.ofBefore == nil && len(was) > 0 && &was[0] == &is[0] {
		return true
	}
	for k := range was {
		if common(c.ofBefore, was[k]) != common(c.ofAfter, is[k]) {
			return false
		}
	}
	return true
}

// touched is the users, by their numbers afterwards, whom assignments reach that are touched.
func (c *comparison) touched() *bitset.BitSet {
	r := c.after.reach()
	for id := range c.users {
		if j, ok := c.after.userOf.Find(id); ok {
			r.users.Set(uint(j))
		}
	}
	for g := range c.after.groups.n {
		if c.groups[common(c.ofAfter, int32(g))] != nil {
			r.group(g)
		}
	}
	return r.people()
}

// touchBy notes all that an assignment carries as touched.
func (c *comparison) touchBy(x *Index, a *model.Assignment) {
	key := x.keyOf(a)
	c.touch(x, a, bitset.FromWithLength(x.readable.Len(), x.shapes[x.shapeOf[key]].words), true)
}

// roleLines gives the roles that do not inherit what they did, with all that inherit these.
func roleLines(before, after model.Table[*model.Role]) map[string]bool {
	changed := map[string]bool{}
	if slices.Equal(before, after) {
		return changed
	}
	model.EachPair(before, after, func(i, j int) {
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

func (c *comparison) touch(x *Index, a *model.Assignment, bits *bitset.BitSet, held bool) {
	var at *touch
	if a.Subject.User != "" {
		if at = c.users[a.Subject.User]; at == nil {
			at = &touch{bits: x.bits()}
			c.users[a.Subject.User] = at
		}
	} else {
		of := c.ofAfter
		if x == c.before {
			of = c.ofBefore
		}
		n := common(of, int32(x.groupOf.Number(a.Subject.Group)))
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
func (c *comparison) whole(side int, group int32) *bitset.BitSet {
	c.mu.Lock()
	defer c.mu.Unlock()
	bits := c.wholes[side][group]
	if bits == nil {
		x := []*Index{c.before, c.after}[side]
		bits = x.bits()
		for i := range x.groups.at(int(group)).grants {
			bits.InPlaceUnion(x.carried(&x.groups.at(int(group)).grants[i]))
		}
		c.wholes[side][group] = bits
	}
	return bits
}

// accountDiffers tells whether what a person can hold differs by the account itself.
func accountDiffers(a, b *model.User) bool {
	return a != b &&
		(a.State != b.State || !a.From.Equal(b.From) || !a.Until.Equal(b.Until) || !slices.Equal(a.Licences, b.Licences))
}

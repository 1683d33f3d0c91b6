package index

import (
	"maps"
	"slices"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/byid"
	"fachwerk/internal/core/model"
)

// contents is what a set or role gives.
type contents struct {
	exact  *bitset.BitSet // content of the rules (§2, §3)
	loose  *bitset.BitSet // what it would give if nothing in it were excluded or retired
	barred *bitset.BitSet // of a role that excludes something: all that this keeps out; nil of others
	// bent tells, if loose is more than exact, which permissions have a way through that only an exclusion stands
	// against, only a retirement, or both; nil where there are none.
	bent [3]*bitset.BitSet
}

// What a way through a role or set can meet, as places in bent.
const (
	byExclusion = iota
	byRetirement
	byBoth
)

func (c *contents) same(o *contents) bool {
	return c.exact == o.exact && c.loose == o.loose && c.barred == o.barred && c.bent == o.bent
}

// contents brings sets and roles up to date, and the shapes of the grants of them.
func (u *update) contents() {
	d, old := u.design, u.old.design
	if slices.Equal(d.Sets, old.Sets) && slices.Equal(d.Roles, old.Roles) {
		return
	}
	setsTo, rolesTo := model.MovesOf(old.Sets, d.Sets), model.MovesOf(old.Roles, d.Roles)
	u.Index.sets, u.Index.roles = placed(u.old.sets, setsTo, len(d.Sets)), placed(u.old.roles, rolesTo, len(d.Roles))
	other := map[shapeKey]bool{} // of whose roles and sets grants may give something else
	differ := func(key shapeKey, was, is *contents) {
		if !was.same(is) {
			other[key] = true
		}
	}
	model.EachChange(old.Sets, d.Sets, func(i, j int) {
		if j < 0 {
			other[shapeKey{set: old.Sets[i].ID}] = true
			return
		}
		s := &u.sets[j]
		was := s.contents
		s.contents = keep(u.setContents(d.Sets[j]), was)
		differ(shapeKey{set: d.Sets[j].ID}, &was, &s.contents)
	})
	model.EachChange(old.Roles, d.Roles, func(i, j int) {
		if j < 0 {
			other[shapeKey{role: old.Roles[i].ID}] = true
		}
	})
	same := u.join(setsTo != nil || rolesTo != nil)
	done := make([]bool, len(d.Roles))
	var role func(i int)
	role = func(i int) {
		if done[i] {
			return
		}
		done[i] = true
		r := &u.roles[i]
		for _, p := range r.inherits {
			role(p)
		}
		if same[i] && !slices.ContainsFunc(r.sets, func(s int) bool { return other[shapeKey{set: d.Sets[s].ID}] }) &&
			!slices.ContainsFunc(r.inherits, func(p int) bool { return other[shapeKey{role: d.Roles[p].ID}] }) {
			return
		}
		was := r.contents
		r.contents = keep(u.roleContents(i), was)
		differ(shapeKey{role: d.Roles[i].ID}, &was, &r.contents)
	}
	for i := range d.Roles {
		role(i)
	}
	u.reshape(other)
}

// placed gives things in their new places.
func placed[T any](old []T, to model.Moves, n int) []T {
	if to == nil {
		return slices.Clone(old)
	}
	out := make([]T, n)
	for i, j := range to {
		if j >= 0 {
			out[j] = old[i]
		}
	}
	return out
}

// join finds which roles hold which sets and inherit which roles; all anew if some have moved. It tells which roles
// are made of the same as before.
func (u *update) join(moved bool) (same []bool) {
	d, old := u.design, u.old.design
	same = make([]bool, len(d.Roles))
	for i := range same {
		same[i] = !moved
	}
	again := moved
	var setOf, roleOf *byid.Numbers
	walk := model.EachChange[*model.Role]
	if moved {
		walk = model.EachPair[*model.Role]
	}
	walk(old.Roles, d.Roles, func(i, j int) {
		if j < 0 {
			return
		}
		if setOf == nil {
			setOf, roleOf = positions(d.Sets), positions(d.Roles)
		}
		r := &u.roles[j]
		was := *r
		r.sets, r.inherits = setOf.All(d.Roles[j].Sets), roleOf.All(d.Roles[j].Inherits)
		again = again || !slices.Equal(was.sets, r.sets) || !slices.Equal(was.inherits, r.inherits)
		same[j] = i >= 0 && old.Roles[i] == d.Roles[j] && u.gatheredOfSame(i, j)
	})
	if !again {
		return same
	}
	for i, users := range reverse(func(i int) []int { return u.roles[i].sets }, len(d.Roles), len(d.Sets)) {
		u.sets[i].users = users
	}
	for i, heirs := range reverse(func(i int) []int { return u.roles[i].inherits }, len(d.Roles), len(d.Roles)) {
		u.roles[i].heirs = heirs
	}
	return same
}

// gatheredOfSame tells whether a role that is the same is made of the same sets and roles, whatever these give now.
func (u *update) gatheredOfSame(i, j int) bool {
	was, is := &u.old.roles[i], &u.roles[j]
	o, d := u.old.design, u.design
	return slices.EqualFunc(was.sets, is.sets, func(a, b int) bool { return o.Sets[a].ID == d.Sets[b].ID }) &&
		slices.EqualFunc(was.inherits, is.inherits, func(a, b int) bool { return o.Roles[a].ID == d.Roles[b].ID })
}

// keep gives the old contents if the new ones are the same, so that what hangs on them can stay as it is.
func keep(c, old contents) contents {
	share := func(b **bitset.BitSet, old *bitset.BitSet) {
		if *b != nil && old != nil && (*b).Equal(old) {
			*b = old
		}
	}
	share(&c.exact, old.exact)
	share(&c.loose, old.loose)
	share(&c.barred, old.barred)
	for k := range c.bent {
		share(&c.bent[k], old.bent[k])
	}
	return c
}

func (u *update) setContents(s *model.Set) contents {
	all := u.closure(s.Permissions)
	if s.State == model.Retired {
		return contents{exact: u.bits(), loose: all, bent: [3]*bitset.BitSet{byRetirement: all}}
	}
	return contents{exact: all, loose: all}
}

func (u *update) roleContents(i int) contents {
	r := u.design.Roles[i]
	c := contents{exact: u.closure(r.Permissions)}
	c.loose = c.exact.Clone()
	gather := func(o *contents) {
		c.exact.InPlaceUnion(o.exact)
		c.loose.InPlaceUnion(o.loose)
		for k := range c.bent {
			join(&c.bent[k], o.bent[k])
		}
	}
	for _, s := range u.roles[i].sets {
		gather(&u.sets[s].contents)
	}
	for _, p := range u.roles[i].inherits {
		gather(&u.roles[p].contents)
	}
	if len(r.Excludes) > 0 {
		c.barred = u.upward(r.Excludes)
	}
	switch {
	case r.State == model.Retired:
		join(&c.bent[byRetirement], c.exact)
		join(&c.bent[byBoth], c.bent[byExclusion])
		c.exact, c.bent[byExclusion] = u.bits(), nil
	case c.barred != nil:
		join(&c.bent[byExclusion], c.exact.Intersection(c.barred))
		c.exact.InPlaceDifference(c.barred)
		if retired := c.bent[byRetirement]; retired != nil {
			join(&c.bent[byBoth], retired.Intersection(c.barred))
			retired.InPlaceDifference(c.barred)
		}
	}
	if c.exact.Equal(c.loose) {
		c.loose = c.exact
	}
	return c
}

// join adds b to a set that may not be there yet.
func join(to **bitset.BitSet, b *bitset.BitSet) {
	switch {
	case b == nil || b.None():
	case *to == nil:
		*to = b.Clone()
	default:
		(*to).InPlaceUnion(b)
	}
}

// shape is what grants give that are of the same role or set, in the same mode and, as far as it matters, over the
// same.
type shape struct {
	words []uint64 // what it carries (§6), as the words of a bit set
	some  []word   // those of the words that are not empty
	mark  mark     // of which systems it carries something
	// The classes of permissions, by need of licences, of which it carries something, as the words of a bit set; those
	// that need none are left out.
	classes []uint64
	given   contents // what the role or set gives
	key     shapeKey
}

type word struct {
	at   int32
	bits uint64
}

type shapeKey struct {
	role, set          string
	readOnly, narrowed bool
}

// reshape brings the shapes of the grants of some roles and sets up to date, and the marks of the groups with them.
// The keys name just the role or set.
func (u *update) reshape(of map[shapeKey]bool) {
	own(&u.shapes, u.old.shapes)
	own(&u.marks, u.old.marks)
	owned := false
	for key := range of {
		list, given, ok := u.target(key)
		for k := range 4 {
			key.readOnly, key.narrowed = k&1 != 0, k&2 != 0
			n, known := u.shapeOf[key]
			switch {
			case !known:
			case !ok:
				if !owned {
					u.shapeOf, owned = maps.Clone(u.shapeOf), true
				}
				delete(u.shapeOf, key)
				u.shapes[n] = shape{}
			default:
				u.shapes[n] = u.newShape(key, *given)
			}
		}
		for i := range list {
			if g := &list[i]; g.Subject.User == "" {
				at := u.old.groupOf.Number(g.Subject.Group)
				u.marks[at] = u.markOfGrants(u.old.groups.at(at).grants)
			}
		}
	}
}

// target is the grants of a role or set, and what it gives.
func (x *Index) target(key shapeKey) (grants []grant, given *contents, ok bool) {
	if key.role != "" {
		if i, ok := x.design.Roles.Position(key.role); ok {
			return x.roles[i].grants, &x.roles[i].contents, true
		}
	} else if i, ok := x.design.Sets.Position(key.set); ok {
		return x.sets[i].grants, &x.sets[i].contents, true
	}
	return nil, nil, false
}

func (u *update) newShape(key shapeKey, given contents) shape {
	carried := given.exact.Clone()
	if key.readOnly {
		carried.InPlaceIntersection(u.readable)
	}
	if key.narrowed {
		carried.InPlaceDifference(u.restricted)
	}
	words := carried.Words()
	some := slices.Clip(wordsOf(words, nil))
	return shape{
		words: words, some: some, mark: u.markOf(carried), classes: u.classesOf(some), given: given, key: key,
	}
}

// classesOf gives the classes of permissions that need licences and of which there are some, as the words of a bit
// set.
func (l *licensing) classesOf(some []word) []uint64 {
	classes := l.noClasses()
	for k := range l.classes {
		of := l.classes[k].permissions.Words()
		if len(l.classes[k].needs) > 0 &&
			slices.ContainsFunc(some, func(w word) bool { return of[w.at]&w.bits != 0 }) {
			classes[k/64] |= 1 << (k % 64)
		}
	}
	return classes
}

func (u *update) markOfGrants(list []grant) (m mark) {
	for i := range list {
		m.join(&u.shapes[list[i].shape].mark)
	}
	return m
}

// carries tells whether a grant gives a permission to those who are licensed for it (§6).
func (x *Index) carries(g *grant, p int) bool {
	return x.shapes[g.shape].words[p>>6]&(1<<(p&63)) != 0
}

// carried is what a grant gives to those who are licensed for it (§6).
func (x *Index) carried(g *grant) *bitset.BitSet {
	return bitset.FromWithLength(x.readable.Len(), x.shapes[g.shape].words)
}

func has(b *bitset.BitSet, p int) bool { return b.Test(uint(p)) }

package index

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/byid"
	"fachwerk/internal/core/model"
)

// catalogue is the permissions of all systems.
type catalogue struct {
	permissions  []*model.Permission
	rank, byRank []int32 // the place of its key among all keys, and back
	permissionOf *byid.Numbers
	systemOf     []int32
	implied      [][]int        // cl({p}), with p, sorted
	licenceOf    []int          // the licence that a permission's user needs, or -1
	restricted   *bitset.BitSet // span = organisation
	readable     *bitset.BitSet // class = read

	permissionMarks []mark12
}

func newCatalogue(d *model.Design) *catalogue {
	c := &catalogue{}
	licences := positions(d.Licences)
	for i, s := range d.Systems {
		for _, p := range s.Permissions {
			c.systemOf = append(c.systemOf, int32(i))
			c.permissions = append(c.permissions, p)
			needs := p.Licence
			if needs == "" {
				needs = s.Licence
			}
			l := -1
			if needs != "" {
				l = licences.Number(needs)
			}
			c.licenceOf = append(c.licenceOf, l)
		}
	}
	c.permissionOf = byid.New(len(c.permissions), func(i int) string { return c.permissions[i].Key })
	c.rank, c.byRank = make([]int32, len(c.permissions)), make([]int32, len(c.permissions))
	for i := range c.byRank {
		c.byRank[i] = int32(i)
	}
	slices.SortFunc(
		c.byRank,
		func(a, b int32) int { return strings.Compare(c.permissions[a].Key, c.permissions[b].Key) },
	)
	for r, i := range c.byRank {
		c.rank[i] = int32(r)
	}
	c.restricted, c.readable = c.bits(), c.bits()
	c.implied, c.permissionMarks = make([][]int, len(c.permissions)), make([]mark12, len(c.permissions))
	for i, p := range c.permissions {
		c.permissionMarks[i] = markOfID(p.Key)
		if p.Span == model.SpanOrganisation {
			c.restricted.Set(uint(i))
		}
		if p.Class == model.Read {
			c.readable.Set(uint(i))
		}
		c.close(i)
	}
	return c
}

func (c *catalogue) bits() *bitset.BitSet { return bitset.New(uint(len(c.permissions))) }

// words is how many words the permissions take as a bit set.
func (c *catalogue) words() int { return len(c.readable.Words()) }

// close computes cl({i}). Implication is acyclic.
func (c *catalogue) close(i int) []int {
	if c.implied[i] == nil {
		all := []int{i}
		for _, j := range c.permissionOf.All(c.permissions[i].Implies) {
			all = append(all, c.close(j)...)
		}
		slices.Sort(all)
		c.implied[i] = slices.Compact(all)
	}
	return c.implied[i]
}

// closure is cl of a list of keys; dangling keys give nothing.
func (c *catalogue) closure(keys []string) *bitset.BitSet {
	b := c.bits()
	for _, i := range c.permissionOf.All(keys) {
		for _, j := range c.implied[i] {
			b.Set(uint(j))
		}
	}
	return b
}

// upward is up of a list of keys: all that cannot stand without some member. What implies a permission is of its
// system.
func (c *catalogue) upward(keys []string) *bitset.BitSet {
	b := c.bits()
	wanted := c.permissionOf.All(keys)
	if len(wanted) == 0 {
		return b
	}
	of := map[int32]bool{}
	for _, w := range wanted {
		of[c.systemOf[w]] = true
	}
	for i, all := range c.implied {
		if !of[c.systemOf[i]] {
			continue
		}
		if slices.ContainsFunc(wanted, func(w int) bool { _, found := slices.BinarySearch(all, w); return found }) {
			b.Set(uint(i))
		}
	}
	return b
}

// bitsOf is the permissions with some keys; those that no system has are left out.
func (c *catalogue) bitsOf(keys []string) *bitset.BitSet {
	b := c.bits()
	for _, i := range c.permissionOf.All(keys) {
		b.Set(uint(i))
	}
	return b
}

// keysOf gives the keys of some permissions, sorted.
func (c *catalogue) keysOf(b *bitset.BitSet) []string {
	keys := make([]string, 0, b.Count())
	for p, ok := b.NextSet(0); ok; p, ok = b.NextSet(p + 1) {
		keys = append(keys, c.permissions[p].Key)
	}
	slices.Sort(keys)
	return keys
}

// mark tells roughly of which systems something carries permissions: one bit for each 256th system. Of a system
// that it has not, nothing is carried, and most grants need not be looked at.
type mark [4]uint64

func (m *mark) add(system int32)        { m[system>>6&3] |= 1 << (system & 63) }
func (m *mark) might(system int32) bool { return m[system>>6&3]&(1<<(system&63)) != 0 }

func (m *mark) meets(o *mark) bool { return m[0]&o[0]|m[1]&o[1]|m[2]&o[2]|m[3]&o[3] != 0 }

func (m *mark) join(o *mark) {
	for k, bits := range o {
		m[k] |= bits
	}
}

// markOf is the mark of some permissions.
func (c *catalogue) markOf(b *bitset.BitSet) (m mark) {
	for p, ok := b.NextSet(0); ok; p, ok = b.NextSet(p + 1) {
		m.add(c.systemOf[p])
	}
	return m
}

// licensing is what licences allow. There are few combinations of licences that people have; each is a profile.
type licensing struct {
	licences  *byid.Numbers
	covered   [][]int // of licences: those that it covers, transitively, with itself
	classes   []class
	needed    []need           // of licences
	known     map[string]int32 // profiles by their licences
	profiles  []*bitset.BitSet
	covering  []map[int]bool // of profiles: the licences that it has or covers
	lacking   []mark         // of profiles: the systems of which it does not allow something
	noLicence int32          // the profile of someone without any
}

// class is permissions that need the same licences, and so are allowed together.
type class struct {
	needs       []int
	permissions *bitset.BitSet
	systems     mark
}

// need is where a licence is needed.
type need struct {
	classes []uint64 // the classes of permissions that need it, as the words of a bit set
	systems mark     // of these
}

func newLicensing(d *model.Design, c *catalogue) *licensing {
	n := len(d.Licences)
	l := &licensing{
		licences: positions(d.Licences), covered: make([][]int, n), needed: make([]need, n), known: map[string]int32{},
	}
	for i := range l.covered { // covers may have cycles
		seen, todo := map[int]bool{i: true}, []int{i}
		for len(todo) > 0 {
			at := todo[len(todo)-1]
			todo = todo[:len(todo)-1]
			l.covered[i] = append(l.covered[i], at)
			for _, m := range l.licences.All(d.Licences[at].Covers) {
				if !seen[m] {
					seen[m] = true
					todo = append(todo, m)
				}
			}
		}
	}
	byNeeds := map[string]int{}
	for i := range c.permissions {
		var needs []int
		for _, j := range c.implied[i] {
			if l := c.licenceOf[j]; l >= 0 && !slices.Contains(needs, l) {
				needs = append(needs, l)
			}
		}
		slices.Sort(needs)
		key := fmt.Sprint(needs)
		k, ok := byNeeds[key]
		if !ok {
			k = len(l.classes)
			byNeeds[key] = k
			l.classes = append(l.classes, class{needs: needs, permissions: c.bits()})
		}
		l.classes[k].systems.add(c.systemOf[i])
		l.classes[k].permissions.Set(uint(i))
	}
	for i := range l.needed {
		l.needed[i].classes = l.noClasses()
	}
	for k := range l.classes {
		for _, i := range l.classes[k].needs {
			l.needed[i].classes[k/64] |= 1 << (k % 64)
			l.needed[i].systems.join(&l.classes[k].systems)
		}
	}
	l.add(nil, c)
	return l
}

// noClasses is room for the classes of permissions, as the words of a bit set.
func (l *licensing) noClasses() []uint64 { return make([]uint64, (len(l.classes)+63)/64) }

// add makes a profile of some licences.
func (l *licensing) add(held []string, c *catalogue) int32 {
	have := map[int]bool{}
	for _, i := range l.licences.All(held) {
		for _, m := range l.covered[i] {
			have[m] = true
		}
	}
	b := c.bits()
	var lacks mark
	for i := range l.classes {
		k := &l.classes[i]
		if !slices.ContainsFunc(k.needs, func(need int) bool { return !have[need] }) {
			b.InPlaceUnion(k.permissions)
		} else {
			lacks.join(&k.systems)
		}
	}
	n := int32(len(l.profiles))
	l.known[strings.Join(held, " ")] = n
	l.profiles = append(l.profiles, b)
	l.covering = append(l.covering, have)
	l.lacking = append(l.lacking, lacks)
	return n
}

// clone is a licensing to which profiles can be added.
func (l *licensing) clone() *licensing {
	n := *l
	n.known, n.profiles, n.covering = maps.Clone(l.known), slices.Clone(l.profiles), slices.Clone(l.covering)
	n.lacking = slices.Clone(l.lacking)
	return &n
}

// profile is the number of the profile of some licences.
func (u *update) profile(held []string) int32 {
	if len(held) == 0 {
		return u.noLicence
	}
	key := held[0]
	if len(held) > 1 {
		key = strings.Join(held, " ")
	}
	if n, ok := u.known[key]; ok {
		return n
	}
	if u.licensing == u.old.licensing {
		u.licensing = u.licensing.clone()
	}
	return u.licensing.add(held, u.catalogue)
}

// tree is the areas.
type tree struct {
	areas *byid.Numbers
	spans []interval // in preorder of the tree
	root  int32

	areaMarks []mark12
}

type interval struct{ in, out int }

func newTree(d *model.Design) *tree {
	x := &tree{areas: positions(d.Areas)}
	children := make([][]int, len(d.Areas))
	x.areaMarks = make([]mark12, len(d.Areas))
	for i, a := range d.Areas {
		x.areaMarks[i] = markOfID(a.ID)
		if a.Parent == "" {
			x.root = int32(i)
			continue
		}
		p := x.areas.Number(a.Parent)
		children[p] = append(children[p], i)
	}
	x.spans = make([]interval, len(d.Areas))
	clock := 0
	var walk func(i int)
	walk = func(i int) {
		x.spans[i].in = clock
		clock++
		for _, c := range children[i] {
			walk(c)
		}
		x.spans[i].out = clock
	}
	walk(int(x.root))
	return x
}

// covers tells whether area a is b or lies above it (§4).
func (x *tree) covers(a, b int32) bool {
	return x.spans[a].in <= x.spans[b].in && x.spans[b].in < x.spans[a].out
}

// near tells whether what counts in one area counts somewhere in the other.
func (x *tree) near(a, b int32) bool { return x.covers(a, b) || x.covers(b, a) }

// area is the number of an area; an empty id means the root.
func (x *tree) area(id string) (int32, bool) {
	if id == "" {
		return x.root, true
	}
	i, ok := x.areas.Find(id)
	return int32(i), ok
}

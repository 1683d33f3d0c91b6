package index

import (
	"fmt"
	"maps"
	mathbits "math/bits"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/model"
)

// Difference is what one person gains and loses between two designs.
type Difference struct {
	User string
	// Gains are those of the widest new holdings that no old one includes; Losses those of the widest old ones that no
	// new one includes. Both are sorted.
	Gains, Losses []Holding
	// Gained and Lost are how many these are.
	Gained, Lost int
	// Waits are the licences for lack of which something is withheld that was not withheld before.
	Waits []string
	// Watched tells that something can have changed that was to be watched.
	Watched bool
}

// Differences gives everybody whose effective permissions at t can differ between two indexes, by id; of some the
// difference is empty. Whoever is left out holds the same, by the same assignments in both. Watched says which
// permissions are of special interest; role assignments always are. Touched are those of them that somebody can hold
// otherwise, sorted.
func Differences(before, after *Index, watched []string, t time.Time) (list []Difference, touched []string) {
	return differences(before, after, watched, t, false)
}

// Counts is [Differences] without telling what is gained and lost, only how much.
func Counts(before, after *Index, watched []string, t time.Time) (list []Difference, touched []string) {
	return differences(before, after, watched, t, true)
}

func differences(
	before, after *Index, watched []string, t time.Time, counted bool,
) (list []Difference, touched []string) {
	b, a := before.design, after.design
	if !alike(b, a) {
		return differencesAcross(before, after, watched, t)
	}
	c := comparison{before: before, after: after, t: t, watched: before.bitsOf(watched), counted: counted}
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

// differencesAcross compares designs whose permissions, licences or areas are not the same, so that their indexes
// have other numbers for these. Whose account changed is compared whole; who may only be concerned since something is
// assigned otherwise, or permissions are others, by what that is about.
func differencesAcross(before, after *Index, watched []string, t time.Time) ([]Difference, []string) {
	c := crossing{
		before: before, after: after, t: t,
		whole: map[string]bool{}, assigned: map[string][]int32{}, keys: map[string]bool{},
		carriedAt: map[string]int32{}, shapes: map[shapeIn]int32{},
	}
	c.accounts()
	c.places()
	c.grants()
	c.permissions()
	// What is asked about people, by what concerns them: on either side.
	ask := func(keys []string) *[2]some {
		b, _ := before.some(Some{Keys: keys}, t)
		a, _ := after.some(Some{Keys: keys}, t)
		return &[2]some{b, a}
	}
	ofKeys := ask(slices.Sorted(maps.Keys(c.keys)))
	concerned := maps.Clone(c.whole)
	for u := range c.assigned {
		concerned[u] = true
	}
	for _, s := range ofKeys {
		for _, u := range s.who(func(int) bool { return true }) { // licensed for them or not
			concerned[u] = true
		}
	}
	watches := func(keys map[string]bool) (some []string) {
		return slices.DeleteFunc(slices.Clone(watched), func(key string) bool { return !keys[key] })
	}
	byKeys := len(watches(c.keys)) > 0
	users := slices.Sorted(maps.Keys(concerned))
	parts := make([][]Difference, fan.Parts())
	fan.Out(len(users), func(p, from, to int) {
		var of pieces
		asked := map[string]*[2]some{} // by whom the same is assigned otherwise
		for _, id := range users[from:to] {
			d := Difference{User: id, Watched: byKeys || c.whole[id] || len(c.assigned[id]) > 0}
			var was, is []Holding
			waits := true
			if c.whole[id] {
				was, is = before.Widest(id, t), after.Widest(id, t)
			} else {
				sides := ofKeys
				if by := c.assigned[id]; len(by) > 0 {
					slices.Sort(by)
					by = slices.Compact(by)
					name := fmt.Sprint(by)
					if sides = asked[name]; sides == nil {
						sides = ask(c.about(by))
						asked[name] = sides
					}
				}
				was, _ = sides[0].widest(id, &of)
				is, waits = sides[1].widest(id, &of)
			}
			d.Gains, d.Losses = Beyond(before, is, was), Beyond(after, was, is)
			d.Gained, d.Lost = len(d.Gains), len(d.Losses)
			if waits {
				d.Waits = newWaits(before, after, id, t)
			}
			parts[p] = append(parts[p], d)
		}
	})
	touched := slices.Clone(watched)
	if len(c.whole) == 0 {
		carried := maps.Clone(c.keys)
		for _, keys := range c.carried {
			for _, key := range keys {
				carried[key] = true
			}
		}
		touched = watches(carried)
	}
	slices.Sort(touched)
	return slices.Concat(parts...), slices.Compact(touched)
}

// newWaits gives the licences for lack of which something is withheld from somebody that was not before: it was not
// carried, or they had a licence for it. Whoever waited for a licence already waits for it for more.
func newWaits(before, after *Index, user string, t time.Time) []string {
	is := after.lackedBy(user, t)
	if is.None() {
		return nil
	}
	was := before.lackedBy(user, t)
	for p, ok := is.NextSet(0); ok; p, ok = is.NextSet(p + 1) {
		if q, known := before.permissionOf.find(after.permissions[p].Key); known && was.Test(uint(q)) {
			is.Clear(p)
		}
	}
	u, _ := after.userOf.find(user)
	return after.licencesLacking(u, is)
}

// crossing gathers who can be concerned by a change across permissions, licences and areas.
type crossing struct {
	before, after *Index
	t             time.Time
	whole         map[string]bool // people to be compared whole
	keys          map[string]bool // permissions that are not the same, or are given by other roles and sets
	// People to whom something is assigned otherwise, by other groups too: by what, as numbers of lists in carried.
	assigned  map[string][]int32
	carried   [][]string       // keys that assignments carry, each list once
	carriedAt map[string]int32 // the number of each list
	shapes    map[shapeIn]int32
}

// shapeIn is a shape of one of two indexes.
type shapeIn struct {
	*Index
	shape int32
}

// about gives the permissions that a person can hold otherwise to whom these are assigned otherwise, by their numbers.
func (c *crossing) about(by []int32) []string {
	keys := maps.Clone(c.keys)
	for _, n := range by {
		for _, key := range c.carried[n] {
			keys[key] = true
		}
	}
	return slices.Sorted(maps.Keys(keys))
}

// subject gives a person, or the members of a group.
func subject(x *Index, s model.Subject) []string {
	if s.User != "" {
		return []string{s.User}
	}
	return x.Members(s.Group)
}

// otherwise takes in some people to whom assignments in x are not what they were.
func (c *crossing) otherwise(users []string, x *Index, by ...*model.Assignment) {
	for _, a := range by {
		n := c.carry(x, a)
		for _, u := range users {
			if of := c.assigned[u]; len(of) == 0 || of[len(of)-1] != n {
				c.assigned[u] = append(of, n)
			}
		}
	}
}

// carry gives the number of the list of what an assignment carries.
func (c *crossing) carry(x *Index, a *model.Assignment) int32 {
	of := shapeIn{x, x.shapeOf[x.keyOf(a)]}
	n, known := c.shapes[of]
	if known {
		return n
	}
	keys := x.keysOf(bitset.FromWithLength(x.readable.Len(), x.shapes[of.shape].words))
	name := strings.Join(keys, "\x00")
	if n, known = c.carriedAt[name]; !known {
		n = int32(len(c.carried))
		c.carried, c.carriedAt[name] = append(c.carried, keys), n
	}
	c.shapes[of] = n
	return n
}

// accounts takes in those who changed themselves, and those who came into groups or left them.
func (c *crossing) accounts() {
	b, a := c.before.design, c.after.design
	model.EachChange(b.Users, a.Users, func(i, j int) {
		if i >= 0 {
			c.whole[b.Users[i].ID] = true
		}
		if j >= 0 {
			c.whole[a.Users[j].ID] = true
		}
	})
	model.EachChange(b.Groups, a.Groups, func(i, j int) {
		// Who is in it before and after has by it what they had, unless that is assigned otherwise.
		var was, is []string
		if i >= 0 {
			was = c.before.Members(b.Groups[i].ID)
		}
		if j >= 0 {
			is = c.after.Members(a.Groups[j].ID)
		}
		if left := without(was, is); len(left) > 0 {
			c.otherwise(left, c.before, c.before.GrantsTo(b.Groups[i].ID)...)
		}
		if came := without(is, was); len(came) > 0 {
			c.otherwise(came, c.after, c.after.GrantsTo(a.Groups[j].ID)...)
		}
	})
}

// without gives those of some ids that are not among others. Both are sorted.
func without(some, others []string) (out []string) {
	for _, id := range some {
		if _, both := slices.BinarySearch(others, id); !both {
			out = append(out, id)
		}
	}
	return out
}

// places takes in those who are given something over the whole organisation, if that is another area now. Wherever else
// an area comes to lie, whoever is given something there is given it there still.
func (c *crossing) places() {
	if c.before.design.Root() == c.after.design.Root() {
		return
	}
	for _, x := range []*Index{c.before, c.after} {
		for _, g := range x.design.Assignments {
			if g.Area == "" {
				for _, u := range subject(x, g.Subject) {
					c.whole[u] = true
				}
			}
		}
	}
}

// grants takes in those to whom something is assigned otherwise.
func (c *crossing) grants() {
	b, a := c.before.design, c.after.design
	model.EachChange(b.Assignments, a.Assignments, func(i, j int) {
		if i >= 0 {
			g := b.Assignments[i]
			c.otherwise(subject(c.before, g.Subject), c.before, g)
		}
		if j >= 0 {
			g := a.Assignments[j]
			c.otherwise(subject(c.after, g.Subject), c.after, g)
		}
	})
	for id := range roleLines(b.Roles, a.Roles) { // they have other roles by their role
		for _, x := range []*Index{c.before, c.after} {
			if i, ok := x.design.Roles.Position(id); ok {
				for _, g := range x.roles[i].grants {
					c.otherwise(subject(x, g.Subject), x, g.Assignment)
				}
			}
		}
	}
}

// permissions finds which permissions are not the same, or are given otherwise by roles and sets.
func (c *crossing) permissions() {
	b, a := c.before.design, c.after.design
	licences := !slices.EqualFunc(
		b.Licences,
		a.Licences,
		func(l, m *model.Licence) bool { return l.ID == m.ID && slices.Equal(l.Covers, m.Covers) },
	)
	of := func(d *model.Design) map[string]*model.Permission {
		m := map[string]*model.Permission{}
		for _, s := range d.Systems {
			for _, p := range s.Permissions {
				q := *p
				if q.Licence == "" {
					q.Licence = s.Licence
				}
				m[q.Key] = &q
			}
		}
		return m
	}
	was, is := of(b), of(a)
	for _, m := range []map[string]*model.Permission{was, is} {
		for key, p := range m {
			o, q := was[key], is[key]
			if o == nil || q == nil || o.Class != q.Class || o.Span != q.Span || o.Licence != q.Licence ||
				!slices.Equal(o.Implies, q.Implies) ||
				licences && p.Licence != "" {
				c.keys[key] = true
			}
		}
	}
	differ := func(kind model.Kind, id string) {
		before, after := c.before.Content(kind, id), c.after.Content(kind, id)
		if slices.Equal(before, after) {
			return
		}
		for _, pair := range [][2][]string{{before, after}, {after, before}} {
			for _, key := range pair[0] {
				if _, both := slices.BinarySearch(pair[1], key); !both {
					c.keys[key] = true
				}
			}
		}
	}
	for _, d := range []*model.Design{b, a} {
		for _, r := range d.Roles {
			differ(model.KindRole, r.ID)
		}
		for _, s := range d.Sets {
			differ(model.KindSet, s.ID)
		}
	}
	// What needs a licence needs it for all that it implies.
	for _, x := range []*Index{c.before, c.after} {
		for _, key := range x.Standing(slices.Collect(maps.Keys(c.keys))) {
			c.keys[key] = true
		}
	}
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
	counted       bool // what is gained and lost is not told, only how much

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
	if movesOf(b, a) == nil {
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
		if j, ok := c.after.userOf.find(id); ok {
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
		n := common(of, int32(x.groupOf.number(a.Subject.Group)))
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

// worker compares one person after another, in the same memory.
type worker struct {
	*comparison
	differ  *bitset.BitSet // the permissions that can differ
	last    *bitset.BitSet // those of the person before, whom most resemble
	all     *bitset.BitSet // those of anybody
	words   []word         // the words of these
	systems mark           // their systems
	watches bool           // whether some are watched
	was, is pieces
	packed  []uint64 // what the person gains, and then loses
}

// cuts tells what shapes carry of the words of interest.
type cuts struct {
	kept  []cut // by shape; nil if nothing is kept, as for few questions
	round int   // how often the words became others
	last  []word
}

type cut struct {
	words []word // at is the place among the words of interest
	round int    // for which words
}

// of gives what a shape, by its number, carries of some words; it stays as it is until the next call.
func (c *cuts) of(carried []uint64, shape int32, words []word) []word {
	if c.kept == nil {
		c.last = cutOf(carried, words, c.last[:0])
		return c.last
	}
	s := &c.kept[shape]
	if s.round != c.round {
		s.round, s.words = c.round, cutOf(carried, words, s.words[:0])
	}
	return s.words
}

// cutOf appends what is carried of some words.
func cutOf(carried []uint64, words, to []word) []word {
	for n, w := range words {
		if bits := carried[w.at] & w.bits; bits != 0 {
			to = append(to, word{int32(n), bits})
		}
	}
	return to
}

// compare compares a person, who may be missing from either side.
func (w *worker) compare(i, j int) (d Difference) {
	b, a := w.before, w.after
	if w.differ == nil {
		w.differ, w.last = b.bits(), b.bits()
		w.was.cuts.kept, w.is.cuts.kept = make([]cut, len(b.shapes)), make([]cut, len(a.shapes))
	}
	held := w.scope(i, j)
	if !w.differ.Equal(w.last) {
		w.differ.CopyFull(w.last)
		w.all.InPlaceUnion(w.differ)
		w.words, w.systems, w.watches = wordsOf(
			w.differ.Words(),
			w.words[:0],
		), b.markOf(
			w.differ,
		), w.differ.IntersectionCardinality(
			w.watched,
		) > 0
		w.was.cuts.round++
		w.is.cuts.round++
	}
	d.Watched = held || w.watches
	w.was.take(b, i, w.words, &w.systems, w.t)
	w.is.take(a, j, w.words, &w.systems, w.t)
	if j >= 0 {
		d.User = a.design.Users[j].ID
	} else {
		d.User = b.design.Users[i].ID
	}
	w.packed = w.is.beyond(&w.was, w.packed[:0])
	d.Gained = len(w.packed)
	w.packed = w.was.beyond(&w.is, w.packed)
	d.Lost = len(w.packed) - d.Gained
	if !w.counted {
		d.Gains, d.Losses = a.unpack(w.packed[:d.Gained]), b.unpack(w.packed[d.Gained:])
	}
	var lacked *bitset.BitSet // what is withheld and was not
	for k, word := range w.words {
		if bits := w.is.missing[k] &^ w.was.missing[k]; bits != 0 {
			if lacked == nil {
				lacked = a.bits()
			}
			lacked.Words()[word.at] = bits
		}
	}
	if lacked != nil {
		d.Waits = a.licencesLacking(j, lacked)
	}
	return d
}

// scope finds out in which permissions a person can differ; held tells that the assignments themselves do.
func (w *worker) scope(i, j int) (held bool) {
	w.differ.ClearAll()
	if i < 0 || j < 0 || accountDiffers(w.before.design.Users[i], w.after.design.Users[j]) {
		for _, side := range []struct {
			x *Index
			u int
		}{{w.before, i}, {w.after, j}} {
			if side.u >= 0 {
				side.x.grantsOf(side.u, func(g *grant) bool { w.differ.InPlaceUnion(side.x.carried(g)); return true })
			}
		}
		return true
	}
	add := func(t *touch) {
		if t != nil {
			w.differ.InPlaceUnion(t.bits)
			held = held || t.held
		}
	}
	if len(w.users) > 0 {
		add(w.users[w.after.design.Users[j].ID])
	}
	was, is := w.before.people.at(int(i)).groups, w.after.people.at(int(j)).groups
	for len(was) > 0 || len(is) > 0 {
		switch {
		case len(is) == 0 || len(was) > 0 && common(w.ofBefore, was[0]) < common(w.ofAfter, is[0]):
			w.differ.InPlaceUnion(w.whole(0, was[0]))
			held, was = true, was[1:]
		case len(was) == 0 || common(w.ofAfter, is[0]) < common(w.ofBefore, was[0]):
			w.differ.InPlaceUnion(w.whole(1, is[0]))
			held, is = true, is[1:]
		default:
			add(w.groups[common(w.ofAfter, is[0])])
			was, is = was[1:], is[1:]
		}
	}
	return held
}

// accountDiffers tells whether what a person can hold differs by the account itself.
func accountDiffers(a, b *model.User) bool {
	return a != b &&
		(a.State != b.State || !a.From.Equal(b.From) || !a.Until.Equal(b.Until) || !slices.Equal(a.Licences, b.Licences))
}

// pieces are a person's effective permissions as [stretch] has them, but only some words of the bits.
type pieces struct {
	x       *Index
	words   []word // of the permissions of interest
	list    []piece
	missing []uint64 // what grants in force carry and the person is not licensed for
	all     []uint64
	cuts    cuts
	above   [][]uint64 // what includes one of the pieces
}

type piece struct {
	area int32
	wide uint8
	bits []uint64
}

func (p *pieces) take(x *Index, u int, words []word, systems *mark, t time.Time) {
	p.x, p.words, p.list, p.all = x, words, p.list[:0], p.all[:0]
	p.missing = append(p.missing[:0], make([]uint64, len(words))...)
	if u < 0 || !x.live(u, t) {
		return
	}
	licensed := x.licensed(u).Words()
	x.grantsIn(u, systems, func(g *grant) bool {
		carried := p.cuts.of(x.shapes[g.shape].words, g.shape, words)
		if len(carried) == 0 || !g.in(t) {
			return true
		}
		bits := p.at(g.area, g.wide)
		for _, c := range carried {
			allowed := licensed[words[c.at].at]
			bits[c.at] |= c.bits & allowed
			p.missing[c.at] |= c.bits &^ allowed
		}
		return true
	})
}

func (p *pieces) at(area int32, wide uint8) []uint64 {
	for i := range p.list {
		if p.list[i].area == area && p.list[i].wide == wide {
			return p.list[i].bits
		}
	}
	start := len(p.all)
	if cap(p.all) < start+len(p.words) {
		p.all, start = make([]uint64, 0, 64*len(p.words)), 0 // what is in the old memory stays there
	}
	p.all = p.all[:start+len(p.words)]
	bits := p.all[start:]
	clear(bits)
	p.list = append(p.list, piece{area, wide, bits})
	return bits
}

// has tells whether there is a piece over the same area, with the same reach, that includes another one. So it is with
// most of what somebody holds before and after a change.
func (p *pieces) has(s piece) bool {
	for _, o := range p.list {
		if o.area != s.area || o.wide != s.wide {
			continue
		}
		for n, bits := range s.bits {
			if bits&^o.bits[n] != 0 {
				return false
			}
		}
		return true
	}
	return false
}

// wordsOf appends those words of a set that are not empty.
func wordsOf(words []uint64, to []word) []word {
	for k, bits := range words {
		if bits != 0 {
			to = append(to, word{int32(k), bits})
		}
	}
	return to
}

// beyond appends the widest of the pieces that none of the others includes, as unpack takes them.
func (p *pieces) beyond(others *pieces, packed []uint64) []uint64 {
	for i, s := range p.list {
		if others.has(s) {
			continue
		}
		p.above = p.above[:0]
		for j, o := range p.list {
			if i != j && p.x.includes(o.area, o.wide, s.area, s.wide) {
				p.above = append(p.above, o.bits)
			}
		}
		for _, o := range others.list {
			if p.x.includes(o.area, o.wide, s.area, s.wide) {
				p.above = append(p.above, o.bits)
			}
		}
		tail := tailOf(s.area, s.wide)
		for n, w := range p.words {
			bits := s.bits[n]
			for _, above := range p.above {
				if bits == 0 {
					break
				}
				bits &^= above[n]
			}
			for ; bits != 0; bits &= bits - 1 {
				packed = append(packed, uint64(p.x.rank[64*int(w.at)+mathbits.TrailingZeros64(bits)])<<32|tail)
			}
		}
	}
	return packed
}

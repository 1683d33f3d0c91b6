package index

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/model"
)

// cross compares designs whose permissions, licences or areas are not the same, so that their indexes have other
// numbers for these. Whose account changed is compared whole; who may only be concerned since something is assigned
// otherwise, or permissions are others, by what that is about.
func cross(before, after *Index, t time.Time) *crossing {
	c := &crossing{
		before: before, after: after, t: t,
		whole: map[string]bool{}, assigned: map[string][]int32{}, keys: map[string]bool{},
		carriedAt: map[string]int32{}, shapes: map[shapeIn]int32{},
	}
	c.accounts()
	c.places()
	c.grants()
	c.permissions()
	c.ofKeys = c.ask(slices.Sorted(maps.Keys(c.keys)))
	return c
}

// ask asks what people hold of some permissions, on either side.
func (c *crossing) ask(keys []string) *[2]some {
	b, _ := c.before.some(Some{Keys: keys}, c.t)
	a, _ := c.after.some(Some{Keys: keys}, c.t)
	return &[2]some{b, a}
}

// differences is [Differences] across, or [Counts].
func (c *crossing) differences(watched []string, sums bool) ([]Difference, []string) {
	concerned := maps.Clone(c.whole)
	for u := range c.assigned {
		concerned[u] = true
	}
	for _, s := range c.ofKeys {
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
		w := crossWorker{crossing: c, asked: map[string]*[2]some{}, gather: map[*Index]*gatherer{
			c.before: {Index: c.before}, c.after: {Index: c.after},
		}}
		var summing summing
		for _, id := range users[from:to] {
			d := Difference{User: id, Watched: byKeys || c.whole[id] || len(c.assigned[id]) > 0}
			if was, is := w.live(c.before, id), w.live(c.after, id); c.whole[id] && (!was || !is) {
				// All of it is gained, or lost: so many can come or go at once that it is not unpacked.
				gains, losses := w.all(c.after, id, is), w.all(c.before, id, was)
				d.Gained, d.Lost = len(gains), len(losses)
				if sums {
					summing.packed(c.after, gains)
					summing.between()
					summing.packed(c.before, losses)
				}
			} else {
				told := w.tell(id)
				d.Gained, d.Lost = len(told.Gains), len(told.Losses)
				if sums {
					summing.holdings(c.after, told.Gains)
					summing.between()
					summing.holdings(c.before, told.Losses)
				}
			}
			if sums {
				d.Sum = summing.sum()
			}
			if w.waits {
				d.Waits = newWaits(c.before, c.after, id, c.t)
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

// crossWorker compares one person after another, in the same memory.
type crossWorker struct {
	*crossing
	of    pieces
	asked map[string]*[2]some // by whom the same is assigned otherwise
	waits bool                // of the last person: whether something may be withheld from them

	gather map[*Index]*gatherer
}

// live tells whether somebody can hold anything.
func (w *crossWorker) live(x *Index, id string) bool {
	u := x.numberOf(id)
	return u != nobody && x.live(u, w.t)
}

// all is the widest of what somebody live holds, packed.
func (w *crossWorker) all(x *Index, id string, live bool) []uint64 {
	w.waits = true
	if !live {
		return nil
	}
	return x.packed(x.widestOf(w.gather[x].of(x.numberOf(id), w.t, nil)))
}

func (w *crossWorker) tell(id string) Told {
	var was, is []Holding
	w.waits = true
	if w.whole[id] {
		was, is = w.before.Widest(id, w.t), w.after.Widest(id, w.t)
	} else {
		sides := w.ofKeys
		if by := w.assigned[id]; len(by) > 0 {
			by = slices.Compact(slices.Sorted(slices.Values(by)))
			name := fmt.Sprint(by)
			if sides = w.asked[name]; sides == nil {
				sides = w.ask(w.about(by))
				w.asked[name] = sides
			}
		}
		was, _ = sides[0].widest(id, &w.of)
		is, w.waits = sides[1].widest(id, &w.of)
	}
	return Told{id, Beyond(w.before, is, was), Beyond(w.after, was, is)}
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
		if q, known := before.permissionOf.Find(after.permissions[p].Key); known && was.Test(uint(q)) {
			is.Clear(p)
		}
	}
	u, _ := after.userOf.Find(user)
	return after.licencesLacking(u, is)
}

// crossing gathers who can be concerned by a change across permissions, licences and areas.
type crossing struct {
	before, after *Index
	t             time.Time
	whole         map[string]bool // people to be compared whole
	keys          map[string]bool // permissions that are not the same, or are given by other roles and sets
	ofKeys        *[2]some        // what people hold of these
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
	if len(c.whole) > 0 {
		users = slices.DeleteFunc(slices.Clone(users), func(u string) bool { return c.whole[u] })
	}
	if len(users) == 0 {
		return
	}
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

package index

import (
	"cmp"
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// Bays are the kinds of thing that beams run between, in the order from people down to permissions.
var Bays = []model.Kind{model.KindUser, model.KindGroup, model.KindRole, model.KindSet, KindPermission}

// Node names one thing in a bay. A permission's id is its key.
type Node struct {
	Kind model.Kind
	ID   string
}

// Relation says what a beam stands for.
type Relation string

const (
	Member   Relation = "member"   // a person in a group
	Nested   Relation = "nested"   // a group in a group
	Assigned Relation = "assigned" // a role or set given to a person or group
	Inherits Relation = "inherits" // a role that inherits a role
	Includes Relation = "includes" // a set in a role
	Gives    Relation = "gives"    // a permission in a set, or of a role's own
)

// Beam is a direct connection, from the end nearer to people to the one nearer to permissions.
type Beam struct {
	From, To    Node
	Relation    Relation
	Assignments []*model.Assignment // of a beam that is Assigned, in force at the time asked about
}

// Connected is a thing that a focus is connected with.
type Connected struct {
	Node
	// Through is how much passes: permissions through what lies between the focus and the permissions, people through
	// what lies between people and the focus.
	Through int
	// Downward tells that Through counts permissions.
	Downward bool
}

// Picture is everything that is connected with a focus, or lies on a path between two.
type Picture struct {
	// by bay: what most passes through first; people and permissions beside what they are joined to
	Nodes map[model.Kind][]Connected
	Beams []Beam
}

// node is a Node by number, in the space of its bay.
type node struct{ bay, i int }

const (
	bayUser = iota
	bayGroup
	bayRole
	baySet
	bayPermission
)

func (x *Index) node(n Node) (node, bool) {
	i, ok := 0, false
	bay := slices.Index(Bays, n.Kind)
	switch bay {
	case bayUser:
		i, ok = x.userOf.Find(n.ID)
	case bayGroup:
		i, ok = x.groupOf.Find(n.ID)
	case bayRole:
		i, ok = x.design.Roles.Position(n.ID)
	case baySet:
		i, ok = x.design.Sets.Position(n.ID)
	case bayPermission:
		i, ok = x.permissionOf.Find(n.ID)
	}
	return node{bay, i}, ok
}

func (x *Index) named(n node) Node {
	id := ""
	switch n.bay {
	case bayUser:
		id = x.design.Users[n.i].ID
	case bayGroup:
		id = x.groupID(n.i)
	case bayRole:
		id = x.design.Roles[n.i].ID
	case baySet:
		id = x.design.Sets[n.i].ID
	case bayPermission:
		id = x.permissions[n.i].Key
	}
	return Node{Bays[n.bay], id}
}

// Connect gives what a focus is connected with at t: upward all that leads to it, downward all that it leads to.
// Only what counts somewhere in the area where is followed (empty: anywhere). With a second focus, only what lies
// on paths between the two. ok is false if a focus or the area does not exist.
func (x *Index) Connect(focus Node, second *Node, where string, t time.Time) (p *Picture, ok bool) {
	at, ok := x.area(where)
	start, known := x.node(focus)
	if !ok || !known {
		return nil, false
	}
	w := &web{Index: x, at: at, t: t}
	down, up := w.flow(start)
	keep := map[node]bool{start: true}
	for n := range down {
		keep[n] = true
	}
	for n := range up {
		keep[n] = true
	}
	top, bottom := start, start
	if second != nil {
		other, known := x.node(*second)
		if !known {
			return nil, false
		}
		otherDown, otherUp := w.flow(other)
		keep = map[node]bool{start: true, other: true}
		switch {
		case down[other] || otherUp[start]:
			between(keep, down, otherUp)
			bottom = other
		case up[other] || otherDown[start]:
			between(keep, up, otherDown)
			top, bottom = other, start
		}
	}
	return w.picture(keep, top, bottom), true
}

func between(keep, a, b map[node]bool) {
	for n := range a {
		if b[n] {
			keep[n] = true
		}
	}
}

// web is the beams that count at one area and time.
type web struct {
	*Index
	at int32
	t  time.Time
}

func (w *web) counts(g *grant) bool {
	return g.in(w.t) && w.near(g.area, w.at)
}

// flow follows the beams from a node both ways. Permissions are reached downward only if they truly arrive, and a
// permission is followed upward only along what truly carries it to live people.
func (w *web) flow(start node) (down, up map[node]bool) {
	down, up = map[node]bool{}, map[node]bool{}
	w.down(start, down)
	delivered := w.delivered(start)
	for p, ok := delivered.NextSet(0); ok; p, ok = delivered.NextSet(p + 1) {
		down[node{bayPermission, int(p)}] = true
	}
	if start.bay == bayPermission {
		w.upOf(start.i, up)
	} else {
		w.up(start, up, -1)
	}
	delete(down, start)
	delete(up, start)
	return down, up
}

func (w *web) down(n node, seen map[node]bool) {
	visit := func(bay int, list []int) {
		for _, i := range list {
			if m := (node{bay, i}); !seen[m] {
				seen[m] = true
				w.down(m, seen)
			}
		}
	}
	granted := func(list []grant) {
		for i := range list {
			if g := &list[i]; w.counts(g) {
				if m := w.targetNode(g); !seen[m] {
					seen[m] = true
					w.down(m, seen)
				}
			}
		}
	}
	switch n.bay {
	case bayUser:
		visit(bayGroup, ints(w.people.at(int(n.i)).direct))
		granted(w.people.at(int(n.i)).grants)
	case bayGroup:
		visit(bayGroup, ints(w.groups.at(int(n.i)).parents))
		granted(w.groups.at(int(n.i)).grants)
	case bayRole:
		visit(bayRole, w.roles[n.i].inherits)
		visit(baySet, w.roles[n.i].sets)
	}
}

func (w *Index) targetNode(g *grant) node {
	if g.Role != "" {
		r, _ := w.design.Roles.Position(g.Role)
		return node{bayRole, r}
	}
	s, _ := w.design.Sets.Position(g.Set)
	return node{baySet, s}
}

func (w *web) subjectNode(g *grant) node {
	if g.Subject.User != "" {
		return node{bayUser, w.userOf.Number(g.Subject.User)}
	}
	return node{bayGroup, w.groupOf.Number(g.Subject.Group)}
}

// delivered is the permissions that a node gives.
func (w *web) delivered(n node) *bitset.BitSet {
	b := w.bits()
	switch n.bay {
	case bayUser:
		if !w.live(n.i, w.t) {
			return b
		}
		for _, g := range w.grantList(n.i) {
			if w.counts(g) {
				b.InPlaceUnion(w.carried(g))
			}
		}
		b.InPlaceIntersection(w.licensed(n.i))
	case bayGroup:
		seen := map[node]bool{n: true}
		w.down(n, seen)
		for m := range seen {
			if m.bay != bayGroup {
				continue
			}
			for i := range w.groups.at(int(m.i)).grants {
				if g := &w.groups.at(int(m.i)).grants[i]; w.counts(g) {
					b.InPlaceUnion(w.carried(g))
				}
			}
		}
	case bayRole:
		return w.roles[n.i].exact
	case baySet:
		return w.sets[n.i].exact
	case bayPermission:
		b.Set(uint(n.i))
	}
	return b
}

// upOf follows a permission upward to the people who hold it.
func (w *web) upOf(p int, seen map[node]bool) {
	for s := range w.sets {
		if w.sets[s].exact.Test(uint(p)) {
			w.enter(node{baySet, s}, seen, p)
		}
	}
	for r, role := range w.design.Roles {
		if len(role.Permissions) > 0 && w.roles[r].exact.Test(uint(p)) && w.closure(role.Permissions).Test(uint(p)) {
			w.enter(node{bayRole, r}, seen, p)
		}
	}
}

func (w *web) enter(n node, seen map[node]bool, p int) {
	if seen[n] || p >= 0 && n.bay == bayUser && (!w.live(n.i, w.t) || !w.licensed(n.i).Test(uint(p))) ||
		p >= 0 && n.bay == bayRole && !w.roles[n.i].exact.Test(uint(p)) {
		return
	}
	seen[n] = true
	w.up(n, seen, p)
}

// up follows beams towards people; p, if it is not negative, is the permission that must pass.
func (w *web) up(n node, seen map[node]bool, p int) {
	granted := func(list []grant) {
		for i := range list {
			if g := &list[i]; w.counts(g) && (p < 0 || w.carries(g, p)) {
				w.enter(w.subjectNode(g), seen, p)
			}
		}
	}
	switch n.bay {
	case bayGroup:
		for _, g := range w.groups.at(int(n.i)).children {
			w.enter(node{bayGroup, int(g)}, seen, p)
		}
		for _, u := range w.groups.at(int(n.i)).members {
			w.enter(node{bayUser, int(u)}, seen, p)
		}
	case bayRole:
		granted(w.Index.roles[n.i].grants)
		for _, r := range w.Index.roles[n.i].heirs {
			w.enter(node{bayRole, r}, seen, p)
		}
	case baySet:
		granted(w.Index.sets[n.i].grants)
		for _, r := range w.Index.sets[n.i].users {
			w.enter(node{bayRole, r}, seen, p)
		}
	}
}

// picture counts what passes through the groups, roles and sets that are kept, and gives the beams between what is
// kept.
func (w *web) picture(keep map[node]bool, top, bottom node) *Picture {
	pic := &Picture{Nodes: map[model.Kind][]Connected{}}
	_, above := w.flow(bottom)
	delivered := w.delivered(top)
	for n := range keep {
		c := Connected{Node: w.named(n)}
		switch {
		case n.bay == bayUser || n.bay == bayPermission: // one of each
		case above[n]:
			c.Through = w.peopleThrough(n, keep)
		default:
			c.Downward, c.Through = true, int(w.delivered(n).IntersectionCardinality(delivered))
		}
		pic.Nodes[c.Kind] = append(pic.Nodes[c.Kind], c)
	}
	for _, list := range pic.Nodes {
		slices.SortFunc(list, func(a, b Connected) int {
			return cmp.Or(cmp.Compare(b.Through, a.Through), cmp.Compare(a.ID, b.ID))
		})
	}
	pic.Beams = w.beams(keep, delivered)
	pic.uncross()
	return pic
}

// uncross puts people and permissions in the order of what they are joined to, so that few beams cross.
func (p *Picture) uncross() {
	place := map[Node]int{}
	for _, kind := range Bays[1:4] {
		for i, n := range p.Nodes[kind] {
			place[n.Node] = i
		}
	}
	first := map[Node]int{}
	beside := func(n, other Node) {
		if at, ok := place[other]; ok {
			if best, seen := first[n]; !seen || at < best {
				first[n] = at
			}
		}
	}
	for _, b := range p.Beams {
		beside(b.From, b.To)
		beside(b.To, b.From)
	}
	for _, kind := range []model.Kind{model.KindUser, KindPermission} {
		slices.SortStableFunc(
			p.Nodes[kind],
			func(a, b Connected) int { return cmp.Compare(first[a.Node], first[b.Node]) },
		)
	}
}

// peopleThrough counts the kept people who lead to a node.
func (w *web) peopleThrough(n node, keep map[node]bool) int {
	seen := map[node]bool{}
	w.up(n, seen, -1)
	count := 0
	for m := range seen {
		if m.bay == bayUser && keep[m] {
			count++
		}
	}
	return count
}

// beams gives the direct connections among the kept nodes, in the order of their ends.
func (w *web) beams(keep map[node]bool, delivered *bitset.BitSet) (beams []Beam) {
	link := func(from, to node, relation Relation) {
		if keep[from] && keep[to] {
			beams = append(beams, Beam{From: w.named(from), To: w.named(to), Relation: relation})
		}
	}
	for n := range keep {
		switch n.bay {
		case bayUser:
			for _, g := range w.people.at(int(n.i)).direct {
				link(n, node{bayGroup, int(g)}, Member)
			}
			beams = append(beams, w.assigned(n, w.people.at(int(n.i)).grants, keep)...)
		case bayGroup:
			for _, g := range w.groups.at(int(n.i)).parents {
				link(n, node{bayGroup, int(g)}, Nested)
			}
			beams = append(beams, w.assigned(n, w.groups.at(int(n.i)).grants, keep)...)
		case bayRole:
			for _, r := range w.roles[n.i].inherits {
				link(n, node{bayRole, r}, Inherits)
			}
			for _, s := range w.roles[n.i].sets {
				link(n, node{baySet, s}, Includes)
			}
			own := w.closure(w.design.Roles[n.i].Permissions)
			own.InPlaceIntersection(w.roles[n.i].exact)
			w.gives(n, own, delivered, link)
		case baySet:
			w.gives(n, w.sets[n.i].exact, delivered, link)
		}
	}
	slices.SortFunc(beams, func(a, b Beam) int {
		return cmp.Or(
			cmp.Compare(a.From.Kind, b.From.Kind),
			cmp.Compare(a.From.ID, b.From.ID),
			cmp.Compare(a.To.Kind, b.To.Kind),
			cmp.Compare(a.To.ID, b.To.ID),
		)
	})
	return beams
}

func (w *web) gives(n node, content, delivered *bitset.BitSet, link func(from, to node, relation Relation)) {
	for p, ok := content.NextSet(0); ok; p, ok = content.NextSet(p + 1) {
		if delivered.Test(p) {
			link(n, node{bayPermission, int(p)}, Gives)
		}
	}
}

func (w *web) assigned(n node, list []grant, keep map[node]bool) (beams []Beam) {
	at := map[node]int{}
	for i := range list {
		g := &list[i]
		to := w.targetNode(g)
		if !w.counts(g) || !keep[to] {
			continue
		}
		j, there := at[to]
		if !there {
			j = len(beams)
			at[to] = j
			beams = append(beams, Beam{From: w.named(n), To: w.named(to), Relation: Assigned})
		}
		beams[j].Assignments = append(beams[j].Assignments, g.Assignment)
	}
	return beams
}

func ints(list []int32) []int {
	out := make([]int, len(list))
	for i, n := range list {
		out[i] = int(n)
	}
	return out
}

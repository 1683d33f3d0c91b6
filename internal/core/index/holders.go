package index

import (
	"iter"
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// Holders gives the live people whom a role, set or permission reaches at t, sorted by id: who is assigned the
// role, or one that inherits it; who is assigned the set, or a role that includes it; who effectively holds the
// permission. Nil if there is no such thing.
func (x *Index) Holders(kind model.Kind, id string, t time.Time) []string {
	all := x.holders(kind, id, t)
	if all == nil {
		return nil
	}
	return x.idsOf(all)
}

// People is a set of people, by their places in the design.
type People struct{ bits *bitset.BitSet }

// HeldBy gives whom [Index.Holders] gives, as a set.
func (x *Index) HeldBy(kind model.Kind, id string, t time.Time) People {
	return People{x.holders(kind, id, t)}
}

// MembersOf gives whom [Index.Members] gives, as a set.
func (x *Index) MembersOf(group string) People {
	g, ok := x.groupOf.Find(group)
	if !ok {
		return People{}
	}
	r := x.reach()
	r.group(g)
	return People{r.people()}
}

// Those gives some people, by id, as a set; who is not in the design is left out.
func (x *Index) Those(users []string) People {
	out := bitset.New(uint(x.people.n))
	for _, id := range users {
		if place, ok := x.design.Users.Position(id); ok {
			out.Set(uint(place))
		}
	}
	return People{out}
}

// And gives who is in both.
func (p People) And(q People) People {
	if p.bits == nil || q.bits == nil {
		return People{}
	}
	return People{p.bits.Intersection(q.bits)}
}

// Len is how many they are.
func (p People) Len() int {
	if p.bits == nil {
		return 0
	}
	return int(p.bits.Count())
}

// Compare puts sets in an order in which those of the same people stand together: 0 tells that two are the same.
func (p People) Compare(q People) int {
	words := func(s People) []uint64 {
		if s.bits == nil {
			return nil
		}
		list := s.bits.Words()
		for len(list) > 0 && list[len(list)-1] == 0 {
			list = list[:len(list)-1]
		}
		return list
	}
	return slices.Compare(words(p), words(q))
}

// InAny is how many of them are in at least one of some sets.
func (p People) InAny(sets ...People) int {
	all := People{bitset.New(0)}
	for _, q := range sets {
		if q.bits != nil {
			all.bits.InPlaceUnion(q.bits)
		}
	}
	return p.And(all).Len()
}

// Has tells whether the person at a place is one of them.
func (p People) Has(place int) bool { return p.bits != nil && p.bits.Test(uint(place)) }

// All gives their places, in order.
func (p People) All() iter.Seq[int] {
	return func(yield func(int) bool) {
		if p.bits == nil {
			return
		}
		for u, ok := p.bits.NextSet(0); ok; u, ok = p.bits.NextSet(u + 1) {
			if !yield(int(u)) {
				return
			}
		}
	}
}

// Carries tells whether an assignment carries anything (§6), whoever has it.
func (x *Index) Carries(a *model.Assignment) bool {
	return slices.ContainsFunc(x.shapes[x.shapeOf[x.keyOf(a)]].words, func(w uint64) bool { return w != 0 })
}

// Missed tells whether somebody live would hold less at t without an assignment that is in force: whether something of
// it comes by no other one that counts wherever it does. It names one who would.
func (x *Index) Missed(a *model.Assignment, t time.Time) (user string, is bool) {
	if !model.In(t, a.From, a.Until) {
		return "", false
	}
	if a.Subject.User != "" {
		u, ok := x.userOf.Find(a.Subject.User)
		return a.Subject.User, ok && x.missed(u, a, t)
	}
	g, ok := x.groupOf.Find(a.Subject.Group)
	if !ok {
		return "", false
	}
	for g := range x.below(g) {
		for _, u := range x.groups.at(g).members {
			if x.missed(int(u), a, t) {
				return x.design.Users[u].ID, true
			}
		}
	}
	return "", false
}

// below gives a group and all that are nested in it, each once.
func (x *Index) below(group int) iter.Seq[int] {
	return func(yield func(g int) bool) {
		if len(x.groups.at(group).children) == 0 {
			yield(group)
			return
		}
		seen := map[int]bool{group: true}
		for todo := []int{group}; len(todo) > 0; todo = todo[1:] {
			if !yield(todo[0]) {
				return
			}
			for _, c := range x.groups.at(todo[0]).children {
				if !seen[int(c)] {
					seen[int(c)] = true
					todo = append(todo, int(c))
				}
			}
		}
	}
}

// MissedBy tells whether a user would hold less at t without an assignment that is in force, as [Index.Missed] does.
func (x *Index) MissedBy(user string, a *model.Assignment, t time.Time) bool {
	u, ok := x.userOf.Find(user)
	return ok && model.In(t, a.From, a.Until) && x.missed(u, a, t)
}

// HasHolders tells whether [Index.Holders] gives anybody, of a role or set.
func (x *Index) HasHolders(kind model.Kind, id string, t time.Time) bool {
	n, ok := x.node(Node{kind, id})
	if !ok {
		return false
	}
	reaches := func(g grant) bool { return g.in(t) && x.reachesLive(&g, t) }
	var roles []int
	switch kind {
	case model.KindRole:
		roles = []int{n.i}
	case model.KindSet:
		if slices.ContainsFunc(x.sets[n.i].grants, reaches) {
			return true
		}
		roles = x.sets[n.i].users
	}
	return slices.ContainsFunc(x.heirs(roles), func(r int) bool {
		return slices.ContainsFunc(x.roles[r].grants, reaches)
	})
}

// reachesLive tells whether a grant is to somebody live: whether the user is, or any member of the group.
func (x *Index) reachesLive(g *grant, t time.Time) bool {
	if g.Subject.User != "" {
		return x.live(x.userOf.Number(g.Subject.User), t)
	}
	for c := range x.below(x.groupOf.Number(g.Subject.Group)) {
		if slices.ContainsFunc(x.groups.at(c).members, func(u int32) bool { return x.live(int(u), t) }) {
			return true
		}
	}
	return false
}

// GiveNothing gives the groups that give nothing at t or later, by what they are nested in either, by place in the
// design.
func (x *Index) GiveNothing(t time.Time) (out []*model.Group) {
	gives := make([]bool, x.groups.n)
	for g := range gives {
		grants := x.groups.at(g).grants
		gives[g] = slices.ContainsFunc(grants, func(g grant) bool { return !ended(g.Assignment, t) })
	}
	for g, group := range x.design.Groups {
		if !slices.ContainsFunc(x.groups.at(g).above, func(up int32) bool { return gives[up] }) {
			out = append(out, group)
		}
	}
	return out
}

// missed asks of one user what [Index.Missed] asks of all.
func (x *Index) missed(u int, a *model.Assignment, t time.Time) bool {
	if !x.live(u, t) {
		return false
	}
	area, _ := x.area(a.Area)
	wide := uint8(width(a.Reach))
	given := &x.shapes[x.shapeOf[x.keyOf(a)]]
	var room [roomFor]word
	rest := x.allowed(u, given, room[:0])
	has := false // whether the user has it at all
	x.grantsIn(u, &given.mark, func(g *grant) bool {
		switch {
		case g.Assignment == a || g.ID == a.ID:
			has = true
		case g.wide >= wide && g.in(t) && x.covers(g.area, area):
			rest = besides(rest, x.shapes[g.shape].words)
		}
		return len(rest) > 0
	})
	return has && len(rest) > 0
}

// roomFor is how many words most roles and sets give something of, so that these need no memory of their own.
const roomFor = 32

// allowed appends the words of what a shape carries of which the licences of a user allow something.
func (x *Index) allowed(u int, s *shape, to []word) []word {
	licensed := x.licensed(u).Words()
	for _, w := range s.some {
		if w.bits &= licensed[w.at]; w.bits != 0 {
			to = append(to, w)
		}
	}
	return to
}

// besides takes out of words, in place, what a shape of some words carries.
func besides(of []word, carried []uint64) []word {
	if len(carried) == 0 {
		return of
	}
	left := of[:0]
	for _, w := range of {
		if w.bits &^= carried[w.at]; w.bits != 0 {
			left = append(left, w)
		}
	}
	return left
}

// idsOf gives the ids of some users, sorted.
func (x *Index) idsOf(users *bitset.BitSet) []string {
	out := make([]string, 0, users.Count())
	for u, ok := users.NextSet(0); ok; u, ok = users.NextSet(u + 1) {
		out = append(out, x.design.Users[u].ID)
	}
	return out
}

// HolderCount is how many people [Index.Holders] gives.
func (x *Index) HolderCount(kind model.Kind, id string, t time.Time) int {
	if all := x.holders(kind, id, t); all != nil {
		return int(all.Count())
	}
	return 0
}

func (x *Index) holders(kind model.Kind, id string, t time.Time) *bitset.BitSet {
	found := x.reach()
	inForce := func(list []grant) {
		for i := range list {
			if g := &list[i]; g.in(t) {
				found.add(g)
			}
		}
	}
	fits := func(int) bool { return true }
	switch kind {
	case model.KindRole:
		i, ok := x.design.Roles.Position(id)
		if !ok {
			return nil
		}
		for _, r := range x.heirs([]int{i}) {
			inForce(x.roles[r].grants)
		}
	case model.KindSet:
		i, ok := x.design.Sets.Position(id)
		if !ok {
			return nil
		}
		inForce(x.sets[i].grants)
		for _, r := range x.heirs(x.sets[i].users) {
			inForce(x.roles[r].grants)
		}
	case KindPermission:
		p, ok := x.permissionOf.Find(id)
		if !ok {
			return nil
		}
		x.carrying(p, func(g *grant) {
			if g.in(t) {
				found.add(g)
			}
		})
		fits = func(u int) bool { return x.licensed(u).Test(uint(p)) }
	default:
		return nil
	}
	all := found.people()
	for u, ok := all.NextSet(0); ok; u, ok = all.NextSet(u + 1) {
		if !x.live(int(u), t) || !fits(int(u)) {
			all.Clear(u)
		}
	}
	return all
}

// carrying calls do with every grant that carries a permission.
func (x *Index) carrying(p int, do func(g *grant)) {
	each := func(of *contents, grants []grant) {
		if !has(of.exact, p) {
			return
		}
		for i := range grants {
			if g := &grants[i]; x.carries(g, p) {
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

// reached gathers whom grants reach. Each group is gone through once, however many grants lead to it.
type reached struct {
	*Index
	users  *bitset.BitSet
	groups *bitset.BitSet
	todo   []int
}

func (x *Index) reach() *reached {
	return &reached{Index: x, users: bitset.New(uint(x.people.n)), groups: bitset.New(uint(x.groups.n))}
}

func (r *reached) add(g *grant) {
	if g.Subject.User != "" {
		r.users.Set(uint(r.Index.userOf.Number(g.Subject.User)))
		return
	}
	r.group(r.Index.groupOf.Number(g.Subject.Group))
}

func (r *reached) group(g int) {
	if !r.groups.Test(uint(g)) {
		r.groups.Set(uint(g))
		r.todo = append(r.todo, g)
	}
}

// people gives everybody who has been reached.
func (r *reached) people() *bitset.BitSet {
	for len(r.todo) > 0 {
		g := r.todo[len(r.todo)-1]
		r.todo = r.todo[:len(r.todo)-1]
		for _, u := range r.Index.groups.at(int(g)).members {
			r.users.Set(uint(u))
		}
		for _, c := range r.Index.groups.at(int(g)).children {
			r.group(int(c))
		}
	}
	return r.users
}

// heirs gives some roles with all that inherit them, each once.
func (x *Index) heirs(roles []int) []int {
	out := slices.Clone(roles)
	seen := map[int]bool{}
	for _, r := range out {
		seen[r] = true
	}
	for i := 0; i < len(out); i++ {
		for _, r := range x.roles[out[i]].heirs {
			if !seen[r] {
				seen[r] = true
				out = append(out, r)
			}
		}
	}
	return out
}

// Closure gives cl of some keys (§1), sorted; keys that no system has are left out.
func (x *Index) Closure(keys []string) []string { return x.keysOf(x.closure(keys)) }

// Standing gives up of some keys (§1): all that cannot stand without one of them, sorted.
func (x *Index) Standing(keys []string) []string { return x.keysOf(x.upward(keys)) }

// Carried gives what assignments carry that are in force at t (§6), whoever has them: the widest only, sorted.
func (x *Index) Carried(assignments []*model.Assignment, t time.Time) []Holding {
	s := &gatherer{Index: x}
	s.clear()
	for _, a := range assignments {
		if now, ok := x.design.Assignments.Find(a.ID); ok && model.In(t, a.From, a.Until) {
			area, _ := x.area(now.Area)
			s.add(&grant{shape: x.shapeOf[x.keyOf(now)], area: area, wide: uint8(width(now.Reach))})
		}
	}
	return x.holdings(x.widestOf(s.list))
}

// GrantsOf gives every assignment of a role or set, in force or not, by id.
func (x *Index) GrantsOf(kind model.Kind, id string) []*model.Assignment {
	n, ok := x.node(Node{kind, id})
	switch {
	case ok && kind == model.KindRole:
		return assignments(x.roles[n.i].grants)
	case ok && kind == model.KindSet:
		return assignments(x.sets[n.i].grants)
	}
	return nil
}

// GrantsOfUser gives every assignment to a user directly, by id.
func (x *Index) GrantsOfUser(user string) []*model.Assignment {
	if u, ok := x.userOf.Find(user); ok {
		return assignments(x.people.at(int(u)).grants)
	}
	return nil
}

// GrantsFor gives every assignment that a user has, in force or not: to the user directly, and to all groups that
// the user is in.
func (x *Index) GrantsFor(user string) (out []*model.Assignment) {
	if u, ok := x.userOf.Find(user); ok {
		x.grantsOf(u, func(g *grant) bool { out = append(out, g.Assignment); return true })
	}
	return out
}

func assignments(list []grant) []*model.Assignment {
	out := make([]*model.Assignment, len(list))
	for i, g := range list {
		out[i] = g.Assignment
	}
	return out
}

// Licensed gives the permissions that need a licence and for which this one is enough, or those that it covers; sorted.
func (x *Index) Licensed(licence string) []string {
	l, ok := x.licences.Find(licence)
	if !ok {
		return nil
	}
	all := x.bits()
	for _, c := range x.classes {
		if len(c.needs) > 0 &&
			!slices.ContainsFunc(c.needs, func(need int) bool { return !slices.Contains(x.covered[l], need) }) {
			all.InPlaceUnion(c.permissions)
		}
	}
	return x.keysOf(all)
}

// Bundle is what a role or set gives, as a set of permissions to be compared with others of the same index.
type Bundle struct {
	Node
	bits *bitset.BitSet
}

// Bundles gives what roles and sets give that give anything.
func (x *Index) Bundles() (out []Bundle) {
	for i := range x.roles {
		if b := x.roles[i].exact; b.Any() {
			out = append(out, Bundle{Node{model.KindRole, x.design.Roles[i].ID}, b})
		}
	}
	for i := range x.sets {
		if b := x.sets[i].exact; b.Any() {
			out = append(out, Bundle{Node{model.KindSet, x.design.Sets[i].ID}, b})
		}
	}
	return out
}

// Of is the bundle of some permissions and all that these imply.
func (x *Index) Of(keys []string) Bundle { return Bundle{bits: x.closure(keys)} }

// Union is what several bundles give together.
func Union(list ...Bundle) Bundle {
	all := list[0].bits.Clone()
	for _, b := range list[1:] {
		all.InPlaceUnion(b.bits)
	}
	return Bundle{bits: all}
}

// Has tells whether a bundle gives a permission.
func (x *Index) Has(b Bundle, permission string) bool {
	p, ok := x.permissionOf.Find(permission)
	return ok && has(b.bits, p)
}

// Shared is how many permissions two bundles share.
func (b Bundle) Shared(o Bundle) int { return int(b.bits.IntersectionCardinality(o.bits)) }

// Within is which of the permissions of another bundle a bundle gives, by place among these, as the words of a bit set.
func (b Bundle) Within(o Bundle) []uint64 {
	words := make([]uint64, (o.Count()+63)/64)
	n := 0
	for p, ok := o.bits.NextSet(0); ok; p, ok = o.bits.NextSet(p + 1) {
		if b.bits.Test(p) {
			words[n/64] |= 1 << (n % 64)
		}
		n++
	}
	return words
}

// Count is how many permissions a bundle gives.
func (b Bundle) Count() int { return int(b.bits.Count()) }

// Without is what a bundle gives and another does not.
func (b Bundle) Without(o Bundle) Bundle { return Bundle{bits: b.bits.Difference(o.bits)} }

// Keys gives the keys of a bundle's permissions, sorted.
func (x *Index) Keys(b Bundle) []string { return x.keysOf(b.bits) }

// Cost adds up what a bundle's permissions weigh, by their risk.
func (x *Index) Cost(b Bundle, byRisk [4]int) (sum int) {
	for p, ok := b.bits.NextSet(0); ok; p, ok = b.bits.NextSet(p + 1) {
		sum += byRisk[x.permissions[p].Risk]
	}
	return sum
}

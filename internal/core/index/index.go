// Package index compiles a design into a form that answers every question of access in memory: who holds what, where,
// by which way, and why not. An index is immutable; any number of goroutines may ask it at once. It does not depend on the time: the instant
// asked about comes with each question.
//
// The rules are those of docs/semantics.md; section numbers in comments refer to it.
package index

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/model"
)

// Index is a compiled design. Objects are numbered by their place in the design's tables; permissions run through
// all systems.
type Index struct {
	design *model.Design

	permissions  []*model.Permission
	rank, byRank []int32 // of permissions: the place of its key among all keys, and back
	permissionOf map[string]int
	systemOf     []int32        // of permissions
	implied      [][]int        // cl({p}), with p, sorted
	licenceOf    []int          // the licence that a permission's user needs, or -1
	restricted   *bitset.BitSet // span = organisation
	readable     *bitset.BitSet // class = read
	sets, roles  []contents     // §2, §3
	areas        map[string]int // position in the tables, by id
	spans        []interval     // of areas, in preorder of the tree
	root         int
	users        map[string]int // by id
	byName       map[string]int // by folded userName, of users not deleted
	groups       map[string]int // by id; everyone and public follow the design's own
	parents      [][]int        // of groups: the groups that list them
	direct       [][]int        // of users: the groups that list or find them, sorted
	memberOf     [][]int        // of users: all groups, through nesting; sorted
	size         []int          // of groups: how many members, through nesting
	manager      []int          // of users, or -1
	shapes       []shape        // what grants give, shared by those alike
	shapeOf      map[shapeKey]int32
	grants       []*grant   // of assignments
	toUser       [][]*grant // of users: their own assignments
	toGroup      [][]*grant // of groups: theirs
	marks        []mark     // of groups: of which systems these carry something
	profiles     []*bitset.BitSet
	covering     []map[int]bool // of profiles: the licences that it has or covers
	profileOf    []int          // of users: which of the profiles says what their licences allow
	noLicence    int            // the profile of someone without any
	roleSets     [][]int
	roleInherits [][]int
	up           upward
}

// upward is the relations of the design read towards people.
type upward struct {
	heirs    [][]int    // of roles: the roles that inherit them
	users    [][]int    // of sets: the roles that include them
	roles    [][]*grant // of roles: the grants of them
	sets     [][]*grant // of sets: the grants of them
	members  [][]int    // of groups: the users listed or found
	children [][]int    // of groups: the groups that they list
}

// contents is what a set or role gives.
type contents struct {
	exact  *bitset.BitSet // content of the rules
	loose  *bitset.BitSet // what it would give if nothing in it were excluded or retired
	barred *bitset.BitSet // of a role that excludes something: all that this keeps out; nil of others
}

type interval struct{ in, out int }

// grant is an assignment, ready for questions.
type grant struct {
	*model.Assignment
	shape int32
	area  int
}

// shape is what grants give that are of the same role or set, in the same mode and, as far as it matters, over the same.
type shape struct {
	carried *bitset.BitSet // §6
	given   *contents      // what the role or set gives
	mark    mark           // of which systems it carries something
}

type shapeKey struct {
	role, set          string
	readOnly, narrowed bool
}

// mark tells roughly of which systems grants carry something: one bit for each 256th system. Of a system that it has not, they carry nothing, and most
// grants need not be looked at.
type mark [4]uint64

func (m *mark) add(system int32)        { m[system>>6&3] |= 1 << (system & 63) }
func (m *mark) might(system int32) bool { return m[system>>6&3]&(1<<(system&63)) != 0 }

// Compile builds the index of a design, which must be well-formed.
func Compile(d *model.Design) *Index {
	x := &Index{design: d}
	x.compilePermissions()
	x.compileContents()
	x.compileAreas()
	x.compilePeople()
	x.compileGroups()
	x.compileGrants()
	x.compileLicences()
	x.compileUpward()
	return x
}

// Design is the design that the index was compiled from.
func (x *Index) Design() *model.Design { return x.design }

func positions[T model.Object](t model.Table[T]) map[string]int {
	m := make(map[string]int, len(t))
	for i, o := range t {
		m[o.Ident()] = i
	}
	return m
}

func lookup(m map[string]int, ids []string) []int {
	out := make([]int, 0, len(ids))
	for _, id := range ids {
		if i, ok := m[id]; ok {
			out = append(out, i)
		}
	}
	return out
}

func (x *Index) bits() *bitset.BitSet { return bitset.New(uint(len(x.permissions))) }

func (x *Index) compilePermissions() {
	x.permissionOf = map[string]int{}
	licences := positions(x.design.Licences)
	for i, s := range x.design.Systems {
		for _, p := range s.Permissions {
			x.systemOf = append(x.systemOf, int32(i))
			x.permissionOf[p.Key] = len(x.permissions)
			x.permissions = append(x.permissions, p)
			needs := p.Licence
			if needs == "" {
				needs = s.Licence
			}
			l := -1
			if needs != "" {
				l = licences[needs]
			}
			x.licenceOf = append(x.licenceOf, l)
		}
	}
	x.rank, x.byRank = make([]int32, len(x.permissions)), make([]int32, len(x.permissions))
	for i := range x.byRank {
		x.byRank[i] = int32(i)
	}
	slices.SortFunc(x.byRank, func(a, b int32) int { return strings.Compare(x.permissions[a].Key, x.permissions[b].Key) })
	for r, i := range x.byRank {
		x.rank[i] = int32(r)
	}
	x.restricted, x.readable = x.bits(), x.bits()
	x.implied = make([][]int, len(x.permissions))
	for i, p := range x.permissions {
		if p.Span == model.SpanOrganisation {
			x.restricted.Set(uint(i))
		}
		if p.Class == model.Read {
			x.readable.Set(uint(i))
		}
		x.close(i)
	}
}

// close computes cl({i}). Implication is acyclic.
func (x *Index) close(i int) []int {
	if x.implied[i] == nil {
		c := []int{i}
		for _, j := range lookup(x.permissionOf, x.permissions[i].Implies) {
			c = append(c, x.close(j)...)
		}
		slices.Sort(c)
		x.implied[i] = slices.Compact(c)
	}
	return x.implied[i]
}

// closure is cl of a list of keys; dangling keys give nothing.
func (x *Index) closure(keys []string) *bitset.BitSet {
	b := x.bits()
	for _, i := range lookup(x.permissionOf, keys) {
		for _, j := range x.implied[i] {
			b.Set(uint(j))
		}
	}
	return b
}

// upward is up of a list of keys: all that cannot stand without some member. What implies a permission is of its system.
func (x *Index) upward(keys []string) *bitset.BitSet {
	b := x.bits()
	wanted := lookup(x.permissionOf, keys)
	if len(wanted) == 0 {
		return b
	}
	for i, c := range x.implied {
		if slices.ContainsFunc(wanted, func(w int) bool { _, found := slices.BinarySearch(c, w); return found }) {
			b.Set(uint(i))
		}
	}
	return b
}

func (x *Index) compileContents() {
	setOf, roleOf := positions(x.design.Sets), positions(x.design.Roles)
	x.sets = make([]contents, len(x.design.Sets))
	for i, s := range x.design.Sets {
		x.sets[i].loose = x.closure(s.Permissions)
		x.sets[i].exact = x.sets[i].loose
		if s.State == model.Retired {
			x.sets[i].exact = x.bits()
		}
	}
	n := len(x.design.Roles)
	x.roles, x.roleSets, x.roleInherits = make([]contents, n), make([][]int, n), make([][]int, n)
	for i, r := range x.design.Roles {
		x.roleSets[i], x.roleInherits[i] = lookup(setOf, r.Sets), lookup(roleOf, r.Inherits)
	}
	var role func(i int) contents
	role = func(i int) contents {
		if x.roles[i].exact != nil {
			return x.roles[i]
		}
		r := x.design.Roles[i]
		exact := x.closure(r.Permissions)
		loose := exact.Clone()
		for _, s := range x.roleSets[i] {
			exact.InPlaceUnion(x.sets[s].exact)
			loose.InPlaceUnion(x.sets[s].loose)
		}
		for _, p := range x.roleInherits[i] {
			c := role(p)
			exact.InPlaceUnion(c.exact)
			loose.InPlaceUnion(c.loose)
		}
		var barred *bitset.BitSet
		if len(r.Excludes) > 0 {
			barred = x.upward(r.Excludes)
			exact.InPlaceDifference(barred)
		}
		if r.State == model.Retired {
			exact = x.bits()
		}
		x.roles[i] = contents{exact, loose, barred}
		return x.roles[i]
	}
	for i := range x.design.Roles {
		role(i)
	}
}

func (x *Index) compileAreas() {
	x.areas = positions(x.design.Areas)
	children := make([][]int, len(x.design.Areas))
	for i, a := range x.design.Areas {
		if a.Parent == "" {
			x.root = i
			continue
		}
		p := x.areas[a.Parent]
		children[p] = append(children[p], i)
	}
	x.spans = make([]interval, len(x.design.Areas))
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
	walk(x.root)
}

// covers tells whether area a is b or lies above it (§4).
func (x *Index) covers(a, b int) bool {
	return x.spans[a].in <= x.spans[b].in && x.spans[b].in < x.spans[a].out
}

// area is the number of an area; an empty id means the root.
func (x *Index) area(id string) (int, bool) {
	if id == "" {
		return x.root, true
	}
	i, ok := x.areas[id]
	return i, ok
}

func (x *Index) compilePeople() {
	x.users = positions(x.design.Users)
	x.byName = make(map[string]int, len(x.design.Users))
	x.manager = make([]int, len(x.design.Users))
	for i, u := range x.design.Users {
		if u.State != model.UserDeleted {
			x.byName[model.Fold(u.UserName)] = i
		}
		x.manager[i] = -1
		if m, ok := x.users[u.Manager]; ok {
			x.manager[i] = m
		}
	}
}

// inLine tells whether owner is u or stands below u.
func (x *Index) inLine(owner, u int) bool {
	for owner >= 0 {
		if owner == u {
			return true
		}
		owner = x.manager[owner]
	}
	return false
}

// Person is what filters see of a user (§5).
func Person(d *model.Design, u *model.User) *filter.Person {
	area := u.Area
	if area == "" {
		area = d.Root()
	}
	p := &filter.Person{
		ID: u.ID, UserName: u.UserName, DisplayName: u.DisplayName, Email: u.Email, Title: u.JobTitle, Department: u.Department, UserType: u.UserType,
		Active: u.State == model.UserActive, Manager: u.Manager, Area: area, State: string(u.State), Licences: u.Licences,
	}
	for _, q := range u.Qualifications {
		p.Qualifications = append(p.Qualifications, filter.Qualification{Type: q.Type, Level: q.Level, Until: q.Until})
	}
	return p
}

func (x *Index) compileGroups() {
	d := x.design
	x.groups = positions(d.Groups)
	n := len(d.Groups)
	everyone, public := n, n+1
	x.groups[model.Everyone], x.groups[model.Public] = everyone, public
	x.parents = make([][]int, n+2)
	x.direct = make([][]int, len(d.Users))
	var crowd *filter.Crowd
	for i, g := range d.Groups {
		for _, child := range lookup(x.groups, g.Groups) {
			x.parents[child] = append(x.parents[child], i)
		}
		if g.Type != model.Rule {
			for _, u := range lookup(x.users, g.Users) {
				x.direct[u] = append(x.direct[u], i)
			}
			continue
		}
		rule, err := filter.Parse(g.Rule)
		if err != nil {
			continue // a well-formed design has none
		}
		if crowd == nil {
			people := make([]*filter.Person, len(d.Users))
			for j, u := range d.Users {
				people[j] = Person(d, u)
			}
			crowd = filter.NewCrowd(people)
		}
		found := crowd.Match(rule)
		for j, ok := found.NextSet(0); ok; j, ok = found.NextSet(j + 1) {
			if d.Users[j].State != model.UserDeleted {
				x.direct[j] = append(x.direct[j], i)
			}
		}
	}
	above := make([][]int, n+2)
	var climb func(i int) []int
	climb = func(i int) []int {
		if above[i] == nil {
			a := []int{i}
			for _, p := range x.parents[i] {
				a = append(a, climb(p)...)
			}
			slices.Sort(a)
			above[i] = slices.Compact(a)
		}
		return above[i]
	}
	x.memberOf, x.size = make([][]int, len(d.Users)), make([]int, n+2)
	for u := range d.Users {
		if d.Users[u].State == model.UserActive {
			x.direct[u] = append(x.direct[u], everyone)
		}
		x.direct[u] = append(x.direct[u], public)
		var all []int
		for _, g := range x.direct[u] {
			all = append(all, climb(g)...)
		}
		slices.Sort(all)
		x.memberOf[u] = slices.Clip(slices.Compact(all))
		for _, g := range x.memberOf[u] {
			x.size[g]++
		}
	}
}

func (x *Index) compileGrants() {
	d := x.design
	x.toUser, x.toGroup = make([][]*grant, len(d.Users)), make([][]*grant, len(d.Groups)+2)
	x.grants, x.shapeOf = make([]*grant, len(d.Assignments)), map[shapeKey]int32{}
	for i, a := range d.Assignments {
		g := x.grant(a)
		x.grants[i] = g
		if a.Subject.User != "" {
			u := x.users[a.Subject.User]
			x.toUser[u] = append(x.toUser[u], g)
		} else {
			to := x.groups[a.Subject.Group]
			x.toGroup[to] = append(x.toGroup[to], g)
		}
	}
	x.marks = make([]mark, len(x.toGroup))
	for g := range x.toGroup {
		x.marks[g] = x.markOf(g)
	}
}

// grant makes a grant of an assignment.
func (x *Index) grant(a *model.Assignment) *grant {
	area, _ := x.area(a.Area)
	key := shapeKey{a.Role, a.Set, a.Mode == model.ReadOnly, area != x.root || a.Reach != model.ReachArea}
	n, ok := x.shapeOf[key]
	if !ok {
		n = int32(len(x.shapes))
		x.shapeOf[key], x.shapes = n, append(x.shapes, x.newShape(key))
	}
	return &grant{a, n, area}
}

func (x *Index) newShape(key shapeKey) shape {
	given := x.target(key.role, key.set)
	s := shape{carried: given.exact.Clone(), given: given}
	if key.readOnly {
		s.carried.InPlaceIntersection(x.readable)
	}
	if key.narrowed {
		s.carried.InPlaceDifference(x.restricted)
	}
	for p, ok := s.carried.NextSet(0); ok; p, ok = s.carried.NextSet(p + 1) {
		s.mark.add(x.systemOf[p])
	}
	return s
}

func (x *Index) markOf(group int) (m mark) {
	for _, g := range x.toGroup[group] {
		for k, bits := range x.shapes[g.shape].mark {
			m[k] |= bits
		}
	}
	return m
}

// carried is what a grant gives to those who are licensed for it (§6).
func (x *Index) carried(g *grant) *bitset.BitSet { return x.shapes[g.shape].carried }

// target is what a role or set gives.
func (x *Index) target(role, set string) *contents {
	if role != "" {
		i, _ := x.design.Roles.Position(role)
		return &x.roles[i]
	}
	i, _ := x.design.Sets.Position(set)
	return &x.sets[i]
}

func (x *Index) compileLicences() {
	licences := positions(x.design.Licences)
	covered := make([][]int, len(x.design.Licences)) // transitive, with itself; covers may have cycles
	for i := range covered {
		seen, todo := map[int]bool{i: true}, []int{i}
		for len(todo) > 0 {
			l := todo[len(todo)-1]
			todo = todo[:len(todo)-1]
			covered[i] = append(covered[i], l)
			for _, m := range lookup(licences, x.design.Licences[l].Covers) {
				if !seen[m] {
					seen[m] = true
					todo = append(todo, m)
				}
			}
		}
	}
	// Permissions that need the same licences are allowed together; there are few such classes.
	type class struct {
		needs       []int
		permissions *bitset.BitSet
	}
	var classes []*class
	byNeeds := map[string]*class{}
	for i := range x.permissions {
		var needs []int
		for _, j := range x.implied[i] {
			if l := x.licenceOf[j]; l >= 0 && !slices.Contains(needs, l) {
				needs = append(needs, l)
			}
		}
		slices.Sort(needs)
		key := fmt.Sprint(needs)
		if byNeeds[key] == nil {
			byNeeds[key] = &class{needs, x.bits()}
			classes = append(classes, byNeeds[key])
		}
		byNeeds[key].permissions.Set(uint(i))
	}
	known := map[string]int{}
	profile := func(held []string) int {
		key := strings.Join(held, " ")
		if p, ok := known[key]; ok {
			return p
		}
		have := map[int]bool{}
		for _, l := range lookup(licences, held) {
			for _, m := range covered[l] {
				have[m] = true
			}
		}
		b := x.bits()
		for _, c := range classes {
			if !slices.ContainsFunc(c.needs, func(l int) bool { return !have[l] }) {
				b.InPlaceUnion(c.permissions)
			}
		}
		known[key] = len(x.profiles)
		x.profiles = append(x.profiles, b)
		x.covering = append(x.covering, have)
		return known[key]
	}
	x.noLicence = profile(nil)
	x.profileOf = make([]int, len(x.design.Users))
	for i, u := range x.design.Users {
		x.profileOf[i] = profile(u.Licences)
	}
}

func (x *Index) compileUpward() {
	d := x.design
	x.up = upward{heirs: reverse(x.roleInherits, len(d.Roles)), users: reverse(x.roleSets, len(d.Sets)), members: reverse(x.direct, len(x.parents)), children: reverse(x.parents, len(x.parents)),
		roles: make([][]*grant, len(d.Roles)), sets: make([][]*grant, len(d.Sets))}
	for _, g := range x.grants {
		if t := x.targetNode(g); t.bay == bayRole {
			x.up.roles[t.i] = append(x.up.roles[t.i], g)
		} else {
			x.up.sets[t.i] = append(x.up.sets[t.i], g)
		}
	}
}

// reverse turns a relation round: of each of n things, those that name it.
func reverse(of [][]int, n int) [][]int {
	out := make([][]int, n)
	for i, list := range of {
		for _, j := range list {
			out[j] = append(out[j], i)
		}
	}
	return out
}

// live tells whether a user can hold anything at t (§5).
func (x *Index) live(u int, t time.Time) bool {
	p := x.design.Users[u]
	return p.State == model.UserActive && model.In(t, p.From, p.Until)
}

// grantsOf calls yield with every assignment to a user or to a group that the user is in, in force or not, until it
// gives false. The user nobody stands for someone who is not signed in.
func (x *Index) grantsOf(u int, yield func(g *grant) bool) {
	each := func(list []*grant) bool {
		for _, g := range list {
			if !yield(g) {
				return false
			}
		}
		return true
	}
	if u == nobody {
		each(x.toGroup[x.groups[model.Public]])
		return
	}
	if !each(x.toUser[u]) {
		return
	}
	for _, g := range x.memberOf[u] {
		if !each(x.toGroup[g]) {
			return
		}
	}
}

// nobody is the number of someone who is not signed in.
const nobody = -1

func (x *Index) licensed(u int) *bitset.BitSet {
	if u == nobody {
		return x.profiles[x.noLicence]
	}
	return x.profiles[x.profileOf[u]]
}

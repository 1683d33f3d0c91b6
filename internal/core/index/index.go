// Package index compiles a design into a form that answers every question of access in memory: who holds what,
// where, by which way, and why not. An index is immutable; any number of goroutines may ask it at once. It does not
// depend on the time: the instant asked about comes with each question.
//
// The rules are those of docs/semantics.md; section numbers in comments refer to it. What makes the answers fast is
// told in docs/performance.md.
package index

import (
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/byid"
	"fachwerk/internal/core/model"
)

// Index is a compiled design. Objects are numbered by their place in the design's tables; permissions run through
// all systems. The built-in groups everyone and public follow the design's own.
//
// Indexes of designs that have much in common share it: whatever an index holds is never altered once it is built.
type Index struct {
	design *model.Design
	*catalogue
	*tree
	*licensing
	sets    []set
	roles   []role
	shapes  []shape // what grants give, shared by those alike; one that nothing gives any longer is empty
	shapeOf map[shapeKey]int32
	userOf  *byid.Numbers  // by id
	names   names          // by folded userName, of users not deleted
	seats   map[string]int // of licences: how many people sit on
	people  paged[person]
	groupOf *byid.Numbers // by id
	groups  paged[group]
	marks   []mark // of groups: of which systems their grants carry something
}

// set is a permission set.
type set struct {
	contents
	users  []int // the roles that include it
	grants []grant
}

// role is a role with those next to it.
type role struct {
	contents
	sets, inherits, heirs []int
	grants                []grant
}

// person is a user. The account itself is needed only where validity or words are asked for.
type person struct {
	groups           []int32 // all groups, through nesting; sorted
	grants           []grant // the person's own
	direct           []int32 // the groups that list or find the person, sorted
	user             *model.User
	manager, profile int32 // -1: none; which of the profiles says what the licences allow
	active, timed    bool  // timed: valid only from or until an instant
}

// group is a group with those next to it.
type group struct {
	grants            []grant
	parents, children []int32 // the groups that list it, and those that it lists
	above             []int32 // itself and all groups that it is nested in, sorted
	members           []int32 // the users listed or found, sorted
	size              int32   // how many members, through nesting
	rule              matcher // of a rule group
}

// grant is an assignment, ready for questions.
type grant struct {
	*model.Assignment
	shape, area int32
	wide        uint8 // the reach, as a [width]
	timed       bool  // given only from or until an instant
}

// in tells whether a grant is in force at t.
func (g *grant) in(t time.Time) bool { return !g.timed || model.In(t, g.From, g.Until) }

// Compile builds the index of a design, which must be well-formed.
func Compile(d *model.Design) *Index { return empty(d).Update(d) }

// empty is the index of a design in which there is nothing but the systems, licences and areas of another.
func empty(d *model.Design) *Index {
	x := &Index{
		design:    &model.Design{Systems: d.Systems, Licences: d.Licences, Areas: d.Areas},
		catalogue: newCatalogue(d),
		tree:      newTree(d),
	}
	x.licensing = newLicensing(d, x.catalogue)
	x.names, x.userOf, x.seats = newNames(nil), byid.New(0, nil), map[string]int{}
	x.groups, x.marks = newPaged[group](builtIn), make([]mark, builtIn)
	return x
}

// Update builds the index of another design, which must be well-formed, from that of one that it has much in common
// with: objects that are the same in both are not looked at again. The result is what [Compile] gives.
func (x *Index) Update(d *model.Design) *Index {
	if !alike(x.design, d) {
		return Compile(d)
	}
	y, _ := x.update(d, func(u *update) error { u.groups(); return nil }) // which cannot fail
	return y
}

// update builds the index of another design with the same systems, licences and areas. Groups brings the groups up to
// date, and who is in them.
func (x *Index) update(d *model.Design, groups func(*update) error) (*Index, error) {
	y := *x
	y.design, y.people, y.groups = d, x.people.copied(), x.groups.copied()
	u := &update{Index: &y, old: x}
	u.contents()
	u.people()
	if err := groups(u); err != nil {
		return nil, err
	}
	u.assignments()
	return &y, nil
}

// alike tells whether two designs have the same permissions, licences and areas, so that their indexes have the
// same numbers for these. What systems, areas and licences are called, and how many seats there are, makes no
// difference.
func alike(a, b *model.Design) bool {
	return slices.EqualFunc(a.Systems, b.Systems, func(s, o *model.System) bool {
		if s == o {
			return true
		}
		called := *o
		called.Name, called.Description, called.Supplier, called.Version = s.Name, s.Description, s.Supplier, s.Version
		return model.Same(s, &called)
	}) &&
		slices.EqualFunc(
			a.Licences,
			b.Licences,
			func(l, m *model.Licence) bool { return l == m || l.ID == m.ID && slices.Equal(l.Covers, m.Covers) },
		) &&
		slices.EqualFunc(
			a.Areas,
			b.Areas,
			func(c, d *model.Area) bool { return c == d || c.ID == d.ID && c.Parent == d.Parent },
		)
}

// update makes an index of another. Its steps build on each other, in the order in which they stand in [Index.update].
type update struct {
	*Index // which is being made
	old    *Index
	moved  model.Moves // where the users of old are now
	stale  []bool      // of users: whether the groups they are in must be gathered anew
}

// Design is the design that the index was compiled from.
func (x *Index) Design() *model.Design { return x.design }

func positions[T model.Object](t model.Table[T]) *byid.Numbers {
	return byid.Searched(len(t), func(i int) string { return t[i].Ident() }, t.Position)
}

// reverse turns a relation round: of each of n things, those that name it.
func reverse(of func(i int) []int, m, n int) [][]int {
	out := make([][]int, n)
	for i := range m {
		for _, j := range of(i) {
			out[j] = append(out[j], i)
		}
	}
	return out
}

// live tells whether a user can hold anything at t (§5).
func (x *Index) live(u int, t time.Time) bool {
	p := x.people.at(u)
	return p.active && (!p.timed || model.In(t, p.user.From, p.user.Until))
}

// grantsOf calls yield with every assignment to a user or to a group that the user is in, in force or not, until it
// gives false. The user nobody stands for someone who is not signed in.
func (x *Index) grantsOf(u int, yield func(g *grant) bool) { x.grantsIn(u, nil, yield) }

// grantsIn is grantsOf, but may leave out groups that carry nothing of some systems; nil leaves out none.
func (x *Index) grantsIn(u int, systems *mark, yield func(g *grant) bool) {
	each := func(list []grant) bool {
		for i := range list {
			if !yield(&list[i]) {
				return false
			}
		}
		return true
	}
	if u == nobody {
		each(x.groups.at(int(x.public())).grants)
		return
	}
	p := x.people.at(u)
	if !each(p.grants) {
		return
	}
	for _, g := range p.groups {
		if (systems == nil || x.marks[g].meets(systems)) && !each(x.groups.at(int(g)).grants) {
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
	return x.profiles[x.people.at(int(u)).profile]
}

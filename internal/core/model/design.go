package model

import (
	"slices"
	"strings"
)

// Table is the objects of one kind, sorted by id, each id once.
type Table[T Object] []T

// Find gives the object with an id.
func (t Table[T]) Find(id string) (T, bool) {
	i, ok := t.Position(id)
	if !ok {
		var none T
		return none, false
	}
	return t[i], true
}

// Position gives the place of the object with an id, or the place where it would stand.
func (t Table[T]) Position(id string) (int, bool) {
	return slices.BinarySearchFunc(t, id, func(o T, id string) int { return strings.Compare(o.Ident(), id) })
}

// Keyed is an object that is the same only as itself.
type Keyed interface {
	Object
	comparable
}

// EachChange is EachPair for what is not the same in both.
func EachChange[T Keyed](a, b Table[T], do func(i, j int)) {
	start := 0
	for start < len(a) && start < len(b) && a[start] == b[start] {
		start++
	}
	end := 0 // how many are the same from behind
	for end < len(a)-start && end < len(b)-start && a[len(a)-1-end] == b[len(b)-1-end] {
		end++
	}
	EachPair(a[start:len(a)-end], b[start:len(b)-end], func(i, j int) {
		if i >= 0 && j >= 0 && a[start+i] == b[start+j] {
			return
		}
		if i >= 0 {
			i += start
		}
		if j >= 0 {
			j += start
		}
		do(i, j)
	})
}

// EachPair walks two tables together and calls do with the places of what has the same id, -1 for what one of them
// lacks.
func EachPair[T Keyed](a, b Table[T], do func(i, j int)) {
	i, j := 0, 0
	for i < len(a) || j < len(b) {
		switch {
		case i < len(a) && j < len(b) && a[i] == b[j]:
			do(i, j)
			i++
			j++
		case j == len(b) || i < len(a) && a[i].Ident() < b[j].Ident():
			do(i, -1)
			i++
		case i == len(a) || b[j].Ident() < a[i].Ident():
			do(-1, j)
			j++
		default:
			do(i, j)
			i++
			j++
		}
	}
}

// Moves tells where the objects of a table have gone: -1 if they are gone altogether. It is nil if all stand where
// they did. Those that stay keep their order.
type Moves []int32

// To gives the place where what stood at i stands now, -1 if it is gone.
func (m Moves) To(i int) int {
	if m == nil {
		return i
	}
	return int(m[i])
}

// List gives a sorted list of places anew, without those that are gone.
func (m Moves) List(old []int32) []int32 {
	if m == nil || len(old) == 0 {
		return old
	}
	out := make([]int32, 0, len(old))
	for _, i := range old {
		if to := m[i]; to >= 0 {
			out = append(out, to)
		}
	}
	return out
}

// MovesOf compares two tables.
func MovesOf[T Keyed](old, now Table[T]) (m Moves) {
	if len(old) == len(now) {
		same := true
		for i := range old {
			if same = old[i] == now[i] || old[i].Ident() == now[i].Ident(); !same {
				break
			}
		}
		if same {
			return nil
		}
	}
	m = make(Moves, len(old))
	EachPair(old, now, func(i, j int) {
		if i >= 0 {
			m[i] = int32(j)
		}
	})
	return m
}

// Design is one whole access design. It always holds Fachwerk's own system with its supplied sets, and a root area.
// It is immutable: build it with [Build], alter it with [Design.With].
type Design struct {
	Organisation *Organisation
	Licences     Table[*Licence]
	Areas        Table[*Area]
	Systems      Table[*System]
	Sets         Table[*Set]
	Roles        Table[*Role]
	Groups       Table[*Group]
	Users        Table[*User]
	Assignments  Table[*Assignment]
	Conflicts    Table[*Conflict]
	Guarantees   Table[*Guarantee]
	Delegations  Table[*Delegation]

	built bool // it has what every design has
	sound bool // [Check] has found no error in it
}

// ImplicitRoot is the id of the root area of a design whose author named no areas.
const ImplicitRoot = "root"

// BuildSound is [Build] of what [Check] has found no error in, which then need not be looked at again.
func BuildSound(d *Design) *Design {
	d = Build(d)
	d.sound = true
	return d
}

// Build completes lists of objects, in any order, into a design: it fills in defaults, sorts, and adds what every
// design has. What it is given must have passed [Check]; the objects become the design's own.
func Build(d *Design) *Design {
	d.built = true
	if d.Organisation == nil {
		d.Organisation = &Organisation{}
	}
	if d.Root() == "" {
		d.Areas = append(slices.Clip(d.Areas), implicitRoot(d))
	}
	if _, found := slices.BinarySearchFunc(d.Systems, OwnSystem, func(s *System, id string) int {
		return strings.Compare(s.ID, id)
	}); !found {
		d.Systems = append(slices.Clip(d.Systems), ownSystem())
		d.Sets = append(slices.Clip(d.Sets), ownSets()...)
	}
	for _, k := range tables {
		k.table(d).finish()
	}
	root := d.Root()
	for _, u := range d.Users {
		dropRoot(u, root)
	}
	for _, a := range d.Assignments {
		dropRoot(a, root)
	}
	for _, g := range d.Guarantees {
		dropRoot(g, root)
	}
	for _, g := range d.Delegations {
		dropRoot(g, root)
	}
	return d
}

// dropRoot forgets a mention of the root where an absent area means it.
func dropRoot(o Object, root string) {
	var area *string
	switch o := o.(type) {
	case *User:
		area = &o.Area
	case *Assignment:
		area = &o.Area
	case *Guarantee:
		area = &o.Area
	case *Delegation:
		area = &o.Area
	default:
		return
	}
	if *area == root {
		*area = ""
	}
}

// Complete gives an object, which must be nobody else's, the form that it has in the design: with defaults filled in,
// lists sorted, and no mention of the root where an absent area means it.
func (d *Design) Complete(o Object) {
	o.normalise()
	d.DropRoot(o)
}

// DropRoot has an object, which must be nobody else's, mention no area where the root is meant, as in the design.
func (d *Design) DropRoot(o Object) { dropRoot(o, d.Root()) }

func implicitRoot(d *Design) *Area { return &Area{ID: ImplicitRoot, Name: d.Organisation.Name} }

// HasImplicitRoot tells whether the design's author named no areas and nothing has come to need one since.
func (d *Design) HasImplicitRoot() bool {
	if d.Organisation == nil || len(d.Areas) != 1 || *d.Areas[0] != *implicitRoot(d) {
		return false
	}
	return !slices.ContainsFunc(d.Groups, func(g *Group) bool { return g.Area != "" }) &&
		!slices.ContainsFunc(d.Guarantees, func(g *Guarantee) bool { return g.People != nil && g.People.Area != "" }) &&
		!slices.ContainsFunc(d.Delegations, func(g *Delegation) bool { return g.People.Area != "" })
}

// Root is the id of the root area.
func (d *Design) Root() string {
	for _, a := range d.Areas {
		if a.Parent == "" {
			return a.ID
		}
	}
	return ""
}

// Permission finds a permission by its key.
func (d *Design) Permission(key string) (*Permission, bool) {
	system, _, ok := strings.Cut(key, ":")
	if !ok {
		return nil, false
	}
	s, ok := d.Systems.Find(system)
	if !ok {
		return nil, false
	}
	i, ok := slices.BinarySearchFunc(
		s.Permissions,
		key,
		func(p *Permission, key string) int { return strings.Compare(p.Key, key) },
	)
	if !ok {
		return nil, false
	}
	return s.Permissions[i], true
}

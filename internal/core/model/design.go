package model

import (
	"maps"
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

// EachPair walks two tables together and calls do with the places of what has the same id, -1 for what one of them lacks.
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
	Delegations  Table[*Delegation]

	built bool // it has what every design has
}

// ImplicitRoot is the id of the root area of a design whose author named no areas.
const ImplicitRoot = "root"

// Build completes lists of objects, in any order, into a design: it fills in defaults, sorts, and adds what every design has. What
// it is given must have passed [Check]; the objects become the design's own.
func Build(d *Design) *Design {
	d.built = true
	if d.Organisation == nil {
		d.Organisation = &Organisation{}
	}
	if d.Root() == "" {
		d.Areas = append(slices.Clip(d.Areas), implicitRoot(d))
	}
	if _, found := slices.BinarySearchFunc(d.Systems, OwnSystem, func(s *System, id string) int { return strings.Compare(s.ID, id) }); !found {
		d.Systems = append(slices.Clip(d.Systems), ownSystem())
		d.Sets = append(slices.Clip(d.Sets), ownSets()...)
	}
	finish(&d.Licences)
	finish(&d.Areas)
	finish(&d.Systems)
	finish(&d.Sets)
	finish(&d.Roles)
	finish(&d.Groups)
	finish(&d.Users)
	finish(&d.Assignments)
	finish(&d.Conflicts)
	finish(&d.Delegations)
	root := d.Root()
	for _, u := range d.Users {
		dropRoot(u, root)
	}
	for _, a := range d.Assignments {
		dropRoot(a, root)
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
	case *Delegation:
		area = &o.Area
	default:
		return
	}
	if *area == root {
		*area = ""
	}
}

func implicitRoot(d *Design) *Area { return &Area{ID: ImplicitRoot, Name: d.Organisation.Name} }

// HasImplicitRoot tells whether the design's author named no areas and nothing has come to need one since.
func (d *Design) HasImplicitRoot() bool {
	if d.Organisation == nil || len(d.Areas) != 1 || *d.Areas[0] != *implicitRoot(d) {
		return false
	}
	return !slices.ContainsFunc(d.Groups, func(g *Group) bool { return g.Area != "" }) &&
		!slices.ContainsFunc(d.Delegations, func(g *Delegation) bool { return g.People.Area != "" })
}

func finish[T Object](t *Table[T]) {
	for _, o := range *t {
		o.normalise()
	}
	if !slices.IsSortedFunc(*t, byID[T]) {
		slices.SortFunc(*t, byID[T])
	}
}

func byID[T Object](a, b T) int { return strings.Compare(a.Ident(), b.Ident()) }

// Root is the id of the root area.
func (d *Design) Root() string {
	for _, a := range d.Areas {
		if a.Parent == "" {
			return a.ID
		}
	}
	return ""
}

// Get gives the object of a kind with an id, or nil.
func (d *Design) Get(kind Kind, id string) Object {
	switch kind {
	case KindOrganisation:
		return d.Organisation
	case KindLicence:
		return find(d.Licences, id)
	case KindArea:
		return find(d.Areas, id)
	case KindSystem:
		return find(d.Systems, id)
	case KindSet:
		return find(d.Sets, id)
	case KindRole:
		return find(d.Roles, id)
	case KindGroup:
		return find(d.Groups, id)
	case KindUser:
		return find(d.Users, id)
	case KindAssignment:
		return find(d.Assignments, id)
	case KindConflict:
		return find(d.Conflicts, id)
	case KindDelegation:
		return find(d.Delegations, id)
	}
	return nil
}

// find keeps a missing object from becoming an interface that is not nil.
func find[T Object](t Table[T], id string) Object {
	if o, ok := t.Find(id); ok {
		return o
	}
	return nil
}

// All calls do with every object that the design's author made, kind by kind in the order of [Kinds]; what is built in is left out.
func (d *Design) All(do func(Object)) {
	if d.Organisation != nil {
		do(d.Organisation)
	}
	each(d.Licences, do)
	if !d.HasImplicitRoot() {
		each(d.Areas, do)
	}
	each(d.Systems, do)
	each(d.Sets, do)
	each(d.Roles, do)
	each(d.Groups, do)
	each(d.Users, do)
	each(d.Assignments, do)
	each(d.Conflicts, do)
	each(d.Delegations, do)
}

func each[T Object](t Table[T], do func(Object)) {
	for _, o := range t {
		if !BuiltIn(o.Kind(), o.Ident()) {
			do(o)
		}
	}
}

// Add puts an object into a design that is being gathered for [Check] and [Build].
func (d *Design) Add(o Object) {
	switch o := o.(type) {
	case *Organisation:
		d.Organisation = o
	case *Licence:
		d.Licences = append(d.Licences, o)
	case *Area:
		d.Areas = append(d.Areas, o)
	case *System:
		d.Systems = append(d.Systems, o)
	case *Set:
		d.Sets = append(d.Sets, o)
	case *Role:
		d.Roles = append(d.Roles, o)
	case *Group:
		d.Groups = append(d.Groups, o)
	case *User:
		d.Users = append(d.Users, o)
	case *Assignment:
		d.Assignments = append(d.Assignments, o)
	case *Conflict:
		d.Conflicts = append(d.Conflicts, o)
	case *Delegation:
		d.Delegations = append(d.Delegations, o)
	}
}

// Edit replaces the object of a kind and an id by another, or removes it if After is nil.
type Edit struct {
	Kind  Kind
	ID    string
	After Object
}

// With gives the design that results from edits made in order; the receiver stays as it is, and what no edit names
// is shared. The result has not been checked.
func (d *Design) With(edits []Edit) *Design {
	last := map[Kind]map[string]Object{}
	root := d.Root()
	for _, e := range edits {
		if e.After != nil {
			dropRoot(e.After, root)
		}
		if last[e.Kind] == nil {
			last[e.Kind] = map[string]Object{}
		}
		last[e.Kind][e.ID] = e.After
	}
	n := *d
	for kind, edits := range last {
		switch kind {
		case KindOrganisation:
			implicit := n.HasImplicitRoot()
			n.Organisation, _ = edits[string(KindOrganisation)].(*Organisation)
			if implicit {
				n.Areas = nil // made anew below, with the new name
			}
		case KindLicence:
			n.Licences = merge(n.Licences, edits)
		case KindArea:
			n.Areas = merge(n.Areas, edits)
		case KindSystem:
			n.Systems = merge(n.Systems, edits)
		case KindSet:
			n.Sets = merge(n.Sets, edits)
		case KindRole:
			n.Roles = merge(n.Roles, edits)
		case KindGroup:
			n.Groups = merge(n.Groups, edits)
		case KindUser:
			n.Users = merge(n.Users, edits)
		case KindAssignment:
			n.Assignments = merge(n.Assignments, edits)
		case KindConflict:
			n.Conflicts = merge(n.Conflicts, edits)
		case KindDelegation:
			n.Delegations = merge(n.Delegations, edits)
		}
	}
	if n.Organisation == nil {
		n.Organisation = &Organisation{}
	}
	if len(n.Areas) == 0 {
		n.Areas = Table[*Area]{implicitRoot(&n)}
	}
	return &n
}

func merge[T Object](t Table[T], edits map[string]Object) Table[T] {
	out := make(Table[T], 0, len(t)+len(edits))
	for _, id := range slices.Sorted(maps.Keys(edits)) {
		i, found := t.Position(id)
		out, t = append(out, t[:i]...), t[i:]
		if found {
			t = t[1:]
		}
		if o := edits[id]; o != nil {
			o.normalise()
			out = append(out, o.(T))
		}
	}
	return append(out, t...)
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
	i, ok := slices.BinarySearchFunc(s.Permissions, key, func(p *Permission, key string) int { return strings.Compare(p.Key, key) })
	if !ok {
		return nil, false
	}
	return s.Permissions[i], true
}

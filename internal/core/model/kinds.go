package model

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// description is what there is to know of a kind: what is said of it here, and nowhere else. Its fields describe
// themselves, by the tags of the kind's struct (see [Field]).
type description struct {
	kind  Kind
	word  string // in the interface's words; the kind itself if empty
	fresh func() Object
	table func(*Design) table // nil for the organisation, of which there is one
}

// descriptions lists every kind, in the order of [Kinds].
var descriptions = []description{
	{kind: KindOrganisation, fresh: func() Object { return &Organisation{} }},
	{
		kind:  KindLicence,
		fresh: func() Object { return &Licence{} },
		table: in(func(d *Design) *Table[*Licence] { return &d.Licences }),
	},
	{
		kind:  KindArea,
		fresh: func() Object { return &Area{} },
		table: in(func(d *Design) *Table[*Area] { return &d.Areas }),
	},
	{
		kind:  KindSystem,
		fresh: func() Object { return &System{} },
		table: in(func(d *Design) *Table[*System] { return &d.Systems }),
	},
	{
		kind:  KindSet,
		word:  "permission set",
		fresh: func() Object { return &Set{} },
		table: in(func(d *Design) *Table[*Set] { return &d.Sets }),
	},
	{
		kind:  KindRole,
		fresh: func() Object { return &Role{} },
		table: in(func(d *Design) *Table[*Role] { return &d.Roles }),
	},
	{
		kind:  KindGroup,
		fresh: func() Object { return &Group{} },
		table: in(func(d *Design) *Table[*Group] { return &d.Groups }),
	},
	{
		kind:  KindUser,
		word:  "person",
		fresh: func() Object { return &User{} },
		table: in(func(d *Design) *Table[*User] { return &d.Users }),
	},
	{kind: KindAssignment, fresh: func() Object { return &Assignment{} },
		table: in(func(d *Design) *Table[*Assignment] { return &d.Assignments })},
	{kind: KindConflict, fresh: func() Object { return &Conflict{} },
		table: in(func(d *Design) *Table[*Conflict] { return &d.Conflicts })},
	{kind: KindGuarantee, fresh: func() Object { return &Guarantee{} },
		table: in(func(d *Design) *Table[*Guarantee] { return &d.Guarantees })},
	{kind: KindDelegation, fresh: func() Object { return &Delegation{} },
		table: in(func(d *Design) *Table[*Delegation] { return &d.Delegations })},
}

// Kinds lists every kind in an order in which each refers only to kinds before it, but for users (managers, owners).
var Kinds = func() (out []Kind) {
	for _, k := range descriptions {
		out = append(out, k.kind)
	}
	return out
}()

// tables are the kinds of which a design has a table.
var tables = descriptions[1:]

func describe(kind Kind) (description, bool) {
	for _, k := range descriptions {
		if k.kind == kind {
			return k, true
		}
	}
	return description{}, false
}

// Plural is the name of a kind's list in a model file; it is also how error paths begin.
func (k Kind) Plural() string {
	if k == KindOrganisation {
		return string(k)
	}
	return string(k) + "s"
}

// Word is the kind in the interface's words.
func (k Kind) Word() string {
	if d, ok := describe(k); ok && d.word != "" {
		return d.word
	}
	return string(k)
}

// New gives an empty object of a kind, or an error if there is no such kind.
func New(kind Kind) (Object, error) {
	if d, ok := describe(kind); ok {
		return d.fresh(), nil
	}
	return nil, fmt.Errorf("there is no kind of object %q", kind)
}

// table is a [Table] of whatever kind.
type table interface {
	get(id string) Object
	each(do func(Object))
	add(Object)
	merge(edits map[string]Object)
	count() int
	walk(do func(Object)) // as each, but what is built in too
	finish()
	sized(n int)         // makes it a list of n objects that are yet to be put in their places
	put(i int, o Object) // puts one in its place
}

type tableOf[T Object] struct{ t *Table[T] }

func in[T Object](of func(*Design) *Table[T]) func(*Design) table {
	return func(d *Design) table { return tableOf[T]{of(d)} }
}

func (t tableOf[T]) get(id string) Object {
	if o, ok := t.t.Find(id); ok {
		return o
	}
	return nil // not a missing T, which would be an interface that is not nil
}

func (t tableOf[T]) each(do func(Object)) {
	for _, o := range *t.t {
		if !BuiltIn(o.Kind(), o.Ident()) {
			do(o)
		}
	}
}

func (t tableOf[T]) walk(do func(Object)) {
	for _, o := range *t.t {
		do(o)
	}
}

func (t tableOf[T]) add(o Object) { *t.t = append(*t.t, o.(T)) }

// finish normalises and sorts.
func (t tableOf[T]) finish() {
	for _, o := range *t.t {
		o.normalise()
	}
	if !slices.IsSortedFunc(*t.t, byID[T]) {
		slices.SortFunc(*t.t, byID[T])
	}
}

func (t tableOf[T]) sized(n int) { *t.t = make(Table[T], n) }

func (t tableOf[T]) put(i int, o Object) { (*t.t)[i] = o.(T) }

func (t tableOf[T]) count() int { return len(*t.t) }

// merge replaces the objects with some ids by others, or removes them where there is none.
func (t tableOf[T]) merge(edits map[string]Object) {
	old := *t.t
	out := make(Table[T], 0, len(old)+len(edits))
	for _, id := range slices.Sorted(maps.Keys(edits)) {
		i, found := old.Position(id)
		out, old = append(out, old[:i]...), old[i:]
		if found {
			old = old[1:]
		}
		if o := edits[id]; o != nil {
			o.normalise()
			out = append(out, o.(T))
		}
	}
	*t.t = append(out, old...)
}

func byID[T Object](a, b T) int { return strings.Compare(a.Ident(), b.Ident()) }

// Get gives the object of a kind with an id, or nil.
func (d *Design) Get(kind Kind, id string) Object {
	if kind == KindOrganisation {
		return d.Organisation
	}
	if k, ok := describe(kind); ok {
		return k.table(d).get(id)
	}
	return nil
}

// Count is how many objects of a kind there are, with what is built in.
func (d *Design) Count(kind Kind) int {
	if kind == KindOrganisation {
		return 1
	}
	if k, ok := describe(kind); ok {
		return k.table(d).count()
	}
	return 0
}

// All calls do with every object that the design's author made, kind by kind in the order of [Kinds]; what is built
// in is left out.
func (d *Design) All(do func(Object)) {
	if d.Organisation != nil {
		do(d.Organisation)
	}
	for _, k := range tables {
		if k.kind != KindArea || !d.HasImplicitRoot() {
			k.table(d).each(do)
		}
	}
}

// EachListed calls do with the objects of a kind, as they stand in its list, what is built in included.
func (d *Design) EachListed(kind Kind, do func(Object)) {
	if k, ok := describe(kind); ok && kind != KindOrganisation {
		k.table(d).walk(do)
	}
}

// Add puts an object into a design that is being gathered for [Check] and [Build].
func (d *Design) Add(o Object) {
	if organisation, is := o.(*Organisation); is {
		d.Organisation = organisation
		return
	}
	if k, ok := describe(o.Kind()); ok {
		k.table(d).add(o)
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
	newRoot := false // whether an area comes that is the root, in place of the one that nobody named
	for _, e := range edits {
		if last[e.Kind] == nil {
			last[e.Kind] = map[string]Object{}
		}
		last[e.Kind][e.ID] = e.After
	}
	for id, o := range last[KindArea] {
		if a, is := o.(*Area); is && a.Parent == "" && id != ImplicitRoot {
			newRoot = true
		}
	}
	n := *d
	n.sound = false
	implicit := d.HasImplicitRoot()
	if e, edited := last[KindOrganisation]; edited {
		n.Organisation, _ = e[string(KindOrganisation)].(*Organisation)
	}
	if n.Organisation == nil {
		n.Organisation = &Organisation{}
	}
	switch {
	case implicit && newRoot:
		n.Areas = nil
	case implicit && n.Organisation != d.Organisation:
		n.Areas = Table[*Area]{implicitRoot(&n)}
	}
	if areas := last[KindArea]; areas != nil {
		tableOf[*Area]{&n.Areas}.merge(areas)
	}
	if len(n.Areas) == 0 {
		n.Areas = Table[*Area]{implicitRoot(&n)}
	}
	root := n.Root()
	for _, k := range tables {
		edits := last[k.kind]
		if edits == nil || k.kind == KindArea {
			continue
		}
		for _, o := range edits {
			if o != nil {
				dropRoot(o, root)
			}
		}
		k.table(&n).merge(edits)
	}
	return &n
}

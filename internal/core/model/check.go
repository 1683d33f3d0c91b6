package model

import (
	"fmt"
	"iter"
	"regexp"
	"slices"
	"strings"

	"fachwerk/internal/core/code"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
)

// Problem is one thing that is wrong with a design, or a warning about it.
type Problem struct {
	Code    code.Code
	Kind    Kind
	ID      string // of the object that it is about; may be empty
	Path    string // the place, as in a model file: roles[3].inherits[0]
	Message string
	Warning bool
	Names   []Named // the other objects that it names
}

// Named is an object that a problem names.
type Named struct {
	Kind Kind
	ID   string
}

// naming adds an object that a problem names.
func (p *Problem) naming(kind Kind, id string) *Problem {
	p.Names = append(p.Names, Named{kind, id})
	return p
}

// String is the problem in one line, beginning with its path.
func (p Problem) String() string {
	if p.Warning {
		return p.Path + ": warning: " + p.Message
	}
	return p.Path + ": " + p.Message
}

// Errors gives the problems that are not mere warnings.
func Errors(problems []Problem) []Problem {
	return slices.DeleteFunc(slices.Clone(problems), func(p Problem) bool { return p.Warning })
}

var idForm = regexp.MustCompile(`^[a-z0-9][a-z0-9._-]{0,63}$`)

// ValidID tells whether a text has the form of an id.
func ValidID(id string) bool { return idForm.MatchString(id) }

// IDFrom makes an id of a name: its letters and digits, with hyphens between; empty if it has none that an id can have.
func IDFrom(name string) string {
	var b strings.Builder
	gap := false
	for _, r := range strings.ToLower(name) {
		if 'a' <= r && r <= 'z' || '0' <= r && r <= '9' || r == '.' || r == '_' {
			if gap && b.Len() > 0 {
				b.WriteByte('-')
			}
			gap = false
			b.WriteRune(r)
		} else {
			gap = true
		}
		if b.Len() >= 56 {
			break
		}
	}
	id := strings.Trim(b.String(), "._-")
	if !ValidID(id) {
		return ""
	}
	return id
}

// Fold makes texts equal that differ only in case.
func Fold(s string) string { return filter.Fold(s) }

// Check tells everything that is wrong with a design, list by list: ids, references, relations that
// must be acyclic, and the rules that each kind has. Lists may be in any order and may lack what is built in; paths
// count positions in the lists as they are given.
func Check(d *Design) []Problem {
	c := &checker{d: d}
	c.gather()
	c.organisation()
	c.licences()
	c.areas()
	c.systems()
	return c.rest()
}

// CheckChange tells what is wrong with a design that was made from one that nothing was wrong with, by
// [Design.With]: the errors are those of [Check], though of a cycle another link may be named, and warnings are
// told only of what has changed. That nothing mentions what is gone must have been seen to.
func CheckChange(before, after *Design) []Problem {
	if after.sound {
		return nil
	}
	c := &checker{d: after, before: before, only: map[Kind][]int{}}
	c.narrow()
	if before.Organisation != after.Organisation || !slices.Equal(before.Systems, after.Systems) ||
		!slices.Equal(before.Licences, after.Licences) || !slices.Equal(before.Areas, after.Areas) {
		c.organisation() // these are few
		c.licences()
		c.areas()
		c.systems()
	}
	return c.rest()
}

// rest checks all but what everything hangs on, the kinds side by side.
func (c *checker) rest() []Problem {
	kinds := []func(*checker){
		(*checker).sets, (*checker).roles, (*checker).groups, (*checker).users,
		(*checker).assignments, (*checker).conflicts, (*checker).guarantees, (*checker).delegations,
	}
	found := make([][]Problem, len(kinds))
	_ = fan.Each(len(kinds), func(i int) error { // which cannot fail
		own := *c
		own.problems, own.visitor = nil, nil
		kinds[i](&own)
		found[i] = own.problems
		return nil
	})
	return append(c.problems, slices.Concat(found...)...)
}

type checker struct {
	d        *Design
	visitor  *visitor // made when values are first looked at
	place    at       // where it looks
	problems []Problem
	before   *Design        // which nothing was wrong with; nil if nothing is known
	only     map[Kind][]int // then the positions of what is not the same; nil: everything is to be checked

	key                                                         func(key string) *Permission
	systems_, licences_, sets_, roles_, groups_, users_, areas_ ids
	root                                                        string
	parent                                                      map[string]string // of areas
}

// ids gives the first position of an id in the list.
type ids func(id string) (int, bool)

// checked gives what is to be checked of a list.
func checked[T Object](c *checker, kind Kind, t Table[T]) iter.Seq2[int, T] {
	if c.only == nil {
		return slices.All(t)
	}
	return func(yield func(int, T) bool) {
		for _, i := range c.only[kind] {
			if !yield(i, t[i]) {
				return
			}
		}
	}
}

func (c *checker) say(a at, what code.Code, format string, args ...any) *Problem {
	c.problems = append(
		c.problems,
		Problem{Code: what, Kind: a.kind, ID: a.id, Path: a.String(), Message: fmt.Sprintf(format, args...)},
	)
	return &c.problems[len(c.problems)-1]
}

func (c *checker) warn(a at, what code.Code, format string, args ...any) {
	c.say(a, what, format, args...).Warning = true
}

func (c *checker) gather() {
	c.licences_, c.areas_ = index(c.d.Licences), index(c.d.Areas)
	c.systems_, c.sets_ = with(index(c.d.Systems), OwnSystem), index(c.d.Sets)
	c.roles_, c.groups_, c.users_ = index(c.d.Roles), index(c.d.Groups), index(c.d.Users)
	keys := map[string]*Permission{}
	for _, list := range [][]*System{c.d.Systems, {ownSystem()}} {
		for _, s := range list {
			for _, p := range s.Permissions {
				if _, twice := keys[p.Key]; !twice {
					keys[p.Key] = p
				}
			}
		}
	}
	c.key = func(key string) *Permission { return keys[key] }
	for _, s := range ownSets() {
		c.sets_ = with(c.sets_, s.ID)
	}
	if len(c.d.Areas) == 0 {
		c.areas_, c.root = with(c.areas_, ImplicitRoot), ImplicitRoot
	}
	c.placeAreas()
}

func (c *checker) placeAreas() {
	c.parent = make(map[string]string, len(c.d.Areas))
	for _, a := range c.d.Areas {
		c.parent[a.ID] = a.Parent
		if a.Parent == "" && c.root == "" {
			c.root = a.ID
		}
	}
}

func index[T Object](t Table[T]) ids {
	m := make(map[string]int, len(t))
	for i, o := range t {
		if _, twice := m[o.Ident()]; !twice {
			m[o.Ident()] = i
		}
	}
	return func(id string) (int, bool) { i, ok := m[id]; return i, ok }
}

// with adds an id that need not be in the list, and then has no position.
func with(known ids, more string) ids {
	return func(id string) (int, bool) {
		i, ok := known(id)
		if !ok && id == more {
			return -1, true
		}
		return i, ok
	}
}

// narrow finds what is not the same as before, so that only that is checked. The lists are sorted, and have what is
// built in.
func (c *checker) narrow() {
	c.licences_, c.areas_, c.systems_, c.sets_ = c.d.Licences.known(), c.d.Areas.known(), c.d.Systems.known(),
		c.d.Sets.known()
	c.roles_, c.groups_, c.users_ = c.d.Roles.known(), c.d.Groups.known(), c.d.Users.known()
	c.key = func(key string) *Permission { p, _ := c.d.Permission(key); return p }
	c.placeAreas()
	change(c, KindSet, c.before.Sets, c.d.Sets)
	change(c, KindRole, c.before.Roles, c.d.Roles)
	change(c, KindGroup, c.before.Groups, c.d.Groups)
	change(c, KindUser, c.before.Users, c.d.Users)
	change(c, KindAssignment, c.before.Assignments, c.d.Assignments)
	change(c, KindConflict, c.before.Conflicts, c.d.Conflicts)
	change(c, KindGuarantee, c.before.Guarantees, c.d.Guarantees)
	change(c, KindDelegation, c.before.Delegations, c.d.Delegations)
	// What is given to a group must lie within its home.
	moved := map[string]bool{}
	if !slices.EqualFunc(c.before.Areas, c.d.Areas, func(a, b *Area) bool {
		return a.ID == b.ID && a.Parent == b.Parent
	}) {
		for _, g := range c.d.Groups {
			moved[g.ID] = g.Area != ""
		}
	}
	for _, i := range c.only[KindGroup] {
		g := c.d.Groups[i]
		if was, ok := c.before.Groups.Find(g.ID); ok && was.Area != g.Area {
			moved[g.ID] = true
		}
	}
	if len(moved) == 0 {
		return
	}
	c.only[KindAssignment] = nil
	for i, x := range c.d.Assignments {
		j, there := c.before.Assignments.Position(x.ID)
		if moved[x.Subject.Group] || !there || c.before.Assignments[j] != x {
			c.only[KindAssignment] = append(c.only[KindAssignment], i)
		}
	}
}

func change[T Keyed](c *checker, kind Kind, before, after Table[T]) {
	EachChange(before, after, func(_, j int) {
		if j >= 0 {
			c.only[kind] = append(c.only[kind], j)
		}
	})
}

// knownOf gives the positions in a list. One of a whole check may be in any order.
func knownOf[T Object](c *checker, t Table[T]) ids {
	if c.only == nil {
		return index(t)
	}
	return t.known()
}

func (t Table[T]) known() ids {
	return func(id string) (int, bool) {
		i, ok := t.Position(id)
		return i, ok
	}
}

func (c *checker) id(a at, i int, known ids, reserved ...string) {
	switch first, ok := known(a.id); {
	case !ValidID(a.id):
		c.say(
			a.field("id"),
			code.IDForm,
			"expected an id of 1 to 64 lower-case letters, digits, dots, dashes and underscores that begins with a letter or "+
				"digit, not %q",
			a.id,
		)
	case slices.Contains(reserved, a.id):
		c.say(a.field("id"), code.BuiltIn, "%q is built in and cannot be defined: choose another id", a.id)
	case ok && first != i:
		c.say(a.field("id"), code.Taken, "%q is the id of %s[%d] already: choose another", a.id, a.kind.Plural(), first)
	}
}

func (c *checker) name(a at, field, value string) {
	if strings.TrimSpace(value) == "" {
		c.say(a.field(field), code.Empty, "expected a text that is not empty")
	}
}

func (c *checker) value(a at, field, value string) {
	if err := oneOf(string(a.kind)+"."+field, value); err != nil {
		c.say(a.field(field), code.Value, "%s", err)
	}
}

// ref checks an optional reference.
func (c *checker) ref(a at, to Kind, id string, known ids) bool {
	if id == "" {
		return false
	}
	if _, ok := known(id); !ok {
		c.say(a, code.Unknown, "expected the id of %s; there is no %s %q", article(to), to, id).naming(to, id)
		return false
	}
	return true
}

func (c *checker) refs(a at, to Kind, list []string, known ids) {
	for i, id := range list {
		if id == "" {
			c.say(a.element(i), code.Empty, "expected the id of %s, not an empty text", article(to))
			continue
		}
		c.ref(a.element(i), to, id, known)
	}
}

func article(k Kind) string {
	if k == KindArea || k == KindAssignment {
		return "an " + string(k)
	}
	return "a " + string(k)
}

// acyclic names the first cycle that each object closes in a relation; of a kind, if its objects are what is related.
func (c *checker) acyclic(kind Kind, n int, where func(i int) at, known ids, to func(i int) []string, relation string) {
	const fresh, open, done = 0, 1, 2
	state := make([]uint8, n)
	var stack []int
	var visit func(i int)
	visit = func(i int) {
		state[i] = open
		stack = append(stack, i)
		for _, id := range to(i) {
			j, ok := known(id)
			if !ok || j < 0 {
				continue
			}
			switch state[j] {
			case fresh:
				visit(j)
			case open:
				var names []string
				for _, k := range stack[slices.Index(stack, j):] {
					names = append(names, where(k).id)
				}
				p := c.say(
					where(i),
					code.Cycle,
					"closes a cycle of %s: %s → %s",
					relation,
					strings.Join(names, " → "),
					names[0],
				)
				for _, id := range names {
					p.naming(where(i).kind, id)
				}
			}
		}
		stack = stack[:len(stack)-1]
		state[i] = done
	}
	start := func(i int) {
		if state[i] == fresh {
			visit(i)
		}
	}
	if c.only == nil || kind == "" {
		for i := range n {
			start(i)
		}
	}
	for _, i := range c.only[kind] { // what is new goes through something that has changed
		start(i)
	}
}

func (c *checker) organisation() {
	if o := c.d.Organisation; o == nil || strings.TrimSpace(o.Name) == "" {
		c.say(
			at{kind: KindOrganisation, id: string(KindOrganisation), path: "name"},
			code.Empty,
			"expected the organisation's name, a text that is not empty",
		)
	}
}

func (c *checker) licences() {
	for i, l := range c.d.Licences {
		a := place(KindLicence, i, l.ID)
		c.id(a, i, c.licences_)
		c.name(a, "name", l.Name)
		if l.Seats != nil && *l.Seats < 0 {
			c.say(a.field("seats"), code.Value, "expected a whole number of 0 or more, not %d", *l.Seats)
		}
		c.refs(a.field("covers"), KindLicence, l.Covers, c.licences_)
	}
}

func (c *checker) areas() {
	roots := 0
	for i, x := range c.d.Areas {
		a := place(KindArea, i, x.ID)
		c.id(a, i, c.areas_)
		c.name(a, "name", x.Name)
		if x.Parent == "" {
			if roots++; roots > 1 {
				c.say(
					a.field("parent"),
					code.Root,
					"only one area may be without a parent, and %q is already: name the area that this one lies in",
					c.root,
				)
			}
		}
		c.ref(a.field("parent"), KindArea, x.Parent, c.areas_)
	}
	if len(c.d.Areas) > 0 && roots == 0 {
		c.say(
			at{kind: KindArea, path: "areas"},
			code.Root,
			"expected exactly one area without a parent, the whole organisation; every area has one",
		)
	}
	c.acyclic(
		"", // all of them: they are few
		len(c.d.Areas),
		func(i int) at { return place(KindArea, i, c.d.Areas[i].ID).field("parent") },
		c.areas_,
		func(i int) []string { return []string{c.d.Areas[i].Parent} },
		"areas",
	)
}

// covers tells whether area a is b or above b; areas that are not defined cover nothing. Cycles end the walk.
func (c *checker) covers(a, b string) bool {
	for range len(c.d.Areas) + 1 {
		if a == b {
			return true
		}
		if b = c.parent[b]; b == "" {
			return false
		}
	}
	return false
}

func (c *checker) groups() {
	for i, g := range checked(c, KindGroup, c.d.Groups) {
		a := place(KindGroup, i, g.ID)
		c.id(a, i, c.groups_, Everyone, Public)
		c.name(a, "name", g.Name)
		c.ref(a.field("owner"), KindUser, g.Owner, c.users_)
		c.value(a, "source", string(g.Source))
		c.value(a, "kind", string(g.Type))
		c.ref(a.field("area"), KindArea, g.Area, c.areas_)
		c.refs(a.field("users"), KindUser, g.Users, c.users_)
		c.refs(a.field("groups"), KindGroup, g.Groups, c.groups_)
		if g.Type == Rule {
			if len(g.Users)+len(g.Groups) > 0 {
				c.say(
					a,
					code.Either,
					"a group of kind rule finds its members by its rule: leave out users and groups, or make it static",
				)
			}
			if strings.TrimSpace(g.Rule) == "" {
				c.say(
					a.field("rule"),
					code.Either,
					"expected the filter that finds the members of a group of kind rule",
				)
			} else {
				c.filter(a.field("rule"), g.Rule)
			}
		} else if g.Rule != "" {
			c.say(a.field("rule"), code.Either, "a static group has no rule: leave it out, or make the group's kind rule")
		}
	}
	externalID := func(g *Group) string { return g.ExternalID }
	unique(
		c,
		KindGroup,
		c.d.Groups,
		c.was().Groups,
		distinct[*Group]{
			"externalId",
			"",
			externalID,
			func(g *Group, text string) bool { return g.ExternalID == text },
			externalID,
		},
	)
	c.acyclic(
		KindGroup,
		len(c.d.Groups),
		func(i int) at { return place(KindGroup, i, c.d.Groups[i].ID).field("groups") },
		c.groups_,
		func(i int) []string { return c.d.Groups[i].Groups },
		"nested groups",
	)
}

// distinct is a field whose texts must differ.
type distinct[T any] struct {
	field, remark string
	of            func(o T) string            // the text by which an object is compared; empty: by none
	is            func(o T, text string) bool // whether that is such a text
	written       func(o T) string            // the text as it is written
}

// unique tells where texts that must differ are the same; before is the list as it was. The list is gone through
// once, since it can be very long.
func unique[T Keyed](c *checker, kind Kind, t, before Table[T], fields ...distinct[T]) {
	type looked struct {
		distinct[T]
		wanted map[string]bool // what new texts there are, if not all is checked
		only   string          // the one that there is
		seen   map[string]int
	}
	var look []looked
	for _, f := range fields {
		l := looked{distinct: f, wanted: map[string]bool{}, seen: map[string]int{}}
		for _, i := range c.only[kind] {
			was := ""
			if o, there := before.Find(t[i].Ident()); there {
				was = f.of(o)
			}
			if now := f.of(t[i]); now != "" && now != was {
				l.only, l.wanted[now] = now, true
			}
		}
		if c.only == nil || len(l.wanted) > 0 {
			look = append(look, l)
		}
	}
	if len(look) == 0 {
		return
	}
	for i, o := range t {
		for _, l := range look {
			if len(l.wanted) == 1 && !l.is(o, l.only) { // mostly one is new among very many
				continue
			}
			text := l.of(o)
			if text == "" || c.only != nil && !l.wanted[text] {
				continue
			}
			if first, twice := l.seen[text]; twice {
				c.say(place(kind, i, o.Ident()).field(l.field), code.Taken, "%q is the %s of “%s” already%s", l.written(o),
					l.field, t[first].Title(), l.remark).
					naming(kind, t[first].Ident())
				continue
			}
			l.seen[text] = i
		}
	}
}

func (c *checker) filter(a at, text string) {
	if _, err := filter.Parse(text); err != nil {
		c.say(a, code.Filter, "%s", err)
	}
}

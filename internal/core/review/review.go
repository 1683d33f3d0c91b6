// Package review selects what an access review asks about, finds who decides, gathers the evidence, and turns
// decisions into changes.
package review

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
)

// Scope says what a review asks, and about what: whatever fits all of it. What is empty does not narrow. What is said
// of assignments here goes for access; other asks read it as near to that as they can, and know fewer fields.
type Scope struct {
	Ask    Ask
	System string // roles and sets that give something of this system
	Role   string // this role
	Set    string // this set
	Group  string // what comes by this group, to its members
	Area   string // what counts somewhere in this area
	Risk   int    // roles and sets that give something of at least this risk
	Filter string // people whom this filter matches (RFC 7644)
}

// Empty tells that a scope asks about all access there is, which no review does.
func (s Scope) Empty() bool { return s == Scope{} }

// Check gives what is wrong with a scope in a design, or nil.
func (s Scope) Check(d *model.Design) error {
	known, ok := fields[s.Ask]
	if !ok {
		return fmt.Errorf("nothing is called %q that a review could ask", s.Ask)
	}
	for _, name := range s.narrows() {
		if !slices.Contains(known, name) {
			return fmt.Errorf("a review of %s is not narrowed by a %s", s.Ask, name)
		}
	}
	for _, ref := range []struct {
		kind model.Kind
		id   string
	}{{model.KindSystem, s.System}, {model.KindRole, s.Role}, {model.KindSet, s.Set}, {model.KindGroup, s.Group},
		{model.KindArea, s.Area}} {
		if ref.id != "" && ref.id != model.Everyone && ref.id != model.Public && d.Get(ref.kind, ref.id) == nil {
			return fmt.Errorf("there is no %s %q", ref.kind.Word(), ref.id)
		}
	}
	if s.Filter != "" {
		if _, err := filter.Parse(s.Filter); err != nil {
			return fmt.Errorf("the filter over people cannot be read: %w", err)
		}
	}
	return nil
}

// Item is one question of a review: should this person keep this role, or this set? Or, of another ask, should what it
// is about keep what it says?
type Item struct {
	User   string   // the person; of other asks, whom it is about, if that is one person
	Role   string   // or
	Set    string   // a single set
	Direct []string // assignments that go away if it is revoked: to the person, or to the group that it is about
	Groups []string // groups by whose assignments the person has it too; these stay
	Given  []string // the assignments to these groups

	Of    Target // of other asks than access, what it is about
	Keeps Target // what that keeps: part of a role, what a group gives; empty: that it is there at all
	Maker string // of what is set aside, who did
}

// Target names what an item is about.
func (i Item) Target() (model.Kind, string) {
	switch {
	case i.Of != Target{}:
		return i.Keeps.Kind, i.Keeps.ID
	case i.Role != "":
		return model.KindRole, i.Role
	}
	return model.KindSet, i.Set
}

// MostItems is how many items one review may have: more than anybody can be asked with a clear head.
const MostItems = 50_000

// Items gives the items of a review at t: of one that asks about access, an item for every live person and every role
// or set that the person is assigned within the scope, by person and then by role and set. Where covers is given, only
// people whom it lets in are asked about. If there are more than [MostItems], it gives none and says so.
func Items(
	x *index.Index, scope Scope, f Facts, t time.Time, covers func(*model.User) bool,
) (items []Item, more bool) {
	if scope.Ask == AskAccess {
		return access(x, scope, t, covers)
	}
	if items = about(x, scope, f, t, covers); len(items) > MostItems {
		return nil, true
	}
	return items, false
}

// access gives the items of a review that asks about access.
func access(x *index.Index, scope Scope, t time.Time, covers func(*model.User) bool) (items []Item, more bool) {
	d := x.Design()
	var people *filter.Filter
	if scope.Filter != "" {
		f, err := filter.Parse(scope.Filter)
		if err != nil {
			return nil, false
		}
		people = f
	}
	asked := make([]int8, len(d.Users)) // by place: 1 if they are asked about, -1 if not
	asks := func(place int) bool {
		if asked[place] == 0 {
			u := d.Users[place]
			asked[place] = -1
			if (covers == nil || covers(u)) && x.Live(u.ID, t) && (people == nil || people.Match(index.Person(d, u))) {
				asked[place] = 1
			}
		}
		return asked[place] > 0
	}
	by := map[Target]map[string]*Item{}
	n := 0
	item := func(u string, a *model.Assignment) *Item {
		of := by[given(a)]
		if of == nil {
			of = map[string]*Item{}
			by[given(a)] = of
		}
		if of[u] == nil {
			of[u] = &Item{User: u, Role: a.Role, Set: a.Set}
			n++
		}
		return of[u]
	}
	grouped := map[*model.Assignment]bool{} // given by the group of the scope
	if scope.Group != "" {
		for _, a := range x.GrantsTo(scope.Group) {
			grouped[a] = true
		}
	}
	touches := touching(x, scope)
	fits := map[Target]bool{}        // whether a role or set is in the scope
	members := map[string][]string{} // of groups: those who are asked about
	membersOf := func(group string) []string {
		list, known := members[group]
		if !known {
			for place := range x.MembersOf(group).All() {
				if asks(place) && (scope.Group == "" || x.InGroup(d.Users[place].ID, scope.Group)) {
					list = append(list, d.Users[place].ID)
				}
			}
			members[group] = list
		}
		return list
	}
	for _, a := range d.Assignments {
		if !model.In(t, a.From, a.Until) || scope.Role != "" && a.Role != scope.Role ||
			scope.Set != "" && a.Set != scope.Set ||
			scope.Group != "" && !grouped[a] ||
			!x.Near(a.Area, scope.Area) {
			continue
		}
		what := given(a)
		if _, known := fits[what]; !known {
			fits[what] = touches(what)
		}
		if !fits[what] {
			continue
		}
		if n > MostItems {
			return nil, true
		}
		if a.Subject.User != "" {
			if place, ok := d.Users.Position(a.Subject.User); ok && asks(place) {
				i := item(a.Subject.User, a)
				i.Direct = append(i.Direct, a.ID)
			}
			continue
		}
		for _, u := range membersOf(a.Subject.Group) {
			i := item(u, a)
			i.Given = append(i.Given, a.ID)
			if !slices.Contains(i.Groups, a.Subject.Group) {
				i.Groups = append(i.Groups, a.Subject.Group)
			}
		}
	}
	if n > MostItems {
		return nil, true
	}
	for _, of := range by {
		for _, i := range of {
			items = append(items, *i)
		}
	}
	slices.SortFunc(items, func(a, b Item) int {
		return cmp.Or(strings.Compare(a.User, b.User), strings.Compare(a.Role, b.Role), strings.Compare(a.Set, b.Set))
	})
	return items, false
}

// touching tells of roles, sets and permissions whether they have to do with the system and the risk of a scope.
func touching(x *index.Index, scope Scope) func(Target) bool {
	if scope.System == "" && scope.Risk == 0 {
		return func(Target) bool { return true }
	}
	d, of := x.Design(), scope.System+":"
	fits := func(key string) bool {
		p, known := d.Permission(key) // a role may name one that no catalogue has
		return (scope.System == "" || strings.HasPrefix(key, of)) && (scope.Risk == 0 || known && p.Risk >= scope.Risk)
	}
	var keys []string
	for _, s := range d.Systems {
		if scope.System != "" && s.ID != scope.System {
			continue
		}
		for _, p := range s.Permissions {
			if fits(p.Key) {
				keys = append(keys, p.Key)
			}
		}
	}
	wanted := x.Just(keys)
	return func(t Target) bool {
		if t.Kind == index.KindPermission {
			return fits(t.ID)
		}
		return x.Gives(t.Kind, t.ID, wanted)
	}
}

// given is what an assignment gives.
func given(a *model.Assignment) Target {
	kind, id := (Item{Role: a.Role, Set: a.Set}).Target()
	return Target{kind, id}
}

// Evidence is what helps to decide an item, apart from the record.
type Evidence struct {
	Gives     int       // how many permissions it gives
	Risk      int       // the greatest risk among these
	LastUse   time.Time // when the person last used one of its systems; zero: never, or not known
	Used      bool      // whether any use of these systems by the person is known
	Never     bool      // of these systems uses are known, but none by the person
	Peers     int       // how many live people have the same title and department, without the person
	Alike     int       // how many of these are assigned the same
	Conflicts []string  // conflicts that the person breaks, to which it adds
	Beside    bool      // what is given by hand comes by a group too, for as long and as wide
	Since     time.Time // since when it is held; zero if the record does not tell. Weigh leaves it to the caller
	Revoked   time.Time // when a review last took it away; zero if none did. Weigh leaves it to the caller

	// Of items that are not about what a person is assigned.
	Holders  int       // how many live people have it: the members of a group, the holders of a role
	Lately   int       // how many of these used what it gives within [IdleAfter] days
	Tells    bool      // whether any use of what it gives is known
	Ends     time.Time // when it ends by itself; zero: never
	Needless bool      // of an exception: nothing that it excepts is the case
}

// Scales gather the evidence for items of one design at one instant. What items have in common is found out once.
// They are for one goroutine.
type Scales struct {
	x       *index.Index
	uses    *use.Book
	t       time.Time
	targets map[Target]*target
	*Posts
	breaches map[string][]duty.Violation
	risks    func(Item) int
	held     map[Target]index.People // see holders
	lately   *Lately
}

// Posts tells who have the same title and department, and how many of these are live.
type Posts struct {
	posts []int // by place of a person in the design: which post it is; 0 for none
	peers []int // by post: how many live people have it
}

// PostsOf looks at everybody in a design at t.
func PostsOf(x *index.Index, t time.Time) *Posts {
	type post struct{ title, department string }
	s := &Posts{make([]int, len(x.Design().Users)), make([]int, 1)}
	numbers := map[post]int{}
	for i, u := range x.Design().Users {
		p := post{u.JobTitle, u.Department}
		if p.title == "" {
			continue
		}
		n, known := numbers[p]
		if !known {
			n = len(s.peers)
			numbers[p], s.peers = n, append(s.peers, 0)
		}
		s.posts[i] = n
		if x.Live(u.ID, t) {
			s.peers[n]++
		}
	}
	return s
}

// Target is what an item is about.
type Target struct {
	Kind model.Kind
	ID   string
}

// target is what there is to know of one for all its items.
type target struct {
	keys    []string
	risk    int
	systems []string
	holders index.People
	alike   map[int]int // by post: how many of the people in it hold it
}

// NewScales gives scales for the items of a design at t. The posts and the breaches are all that there are then.
func NewScales(
	x *index.Index, uses *use.Book, posts *Posts, breaches []duty.Violation, t time.Time,
) *Scales {
	s := &Scales{
		x:        x,
		uses:     uses,
		t:        t,
		targets:  map[Target]*target{},
		risks:    Risks(x),
		held:     map[Target]index.People{},
		Posts:    posts,
		breaches: map[string][]duty.Violation{},
	}
	for _, v := range breaches {
		s.breaches[v.User] = append(s.breaches[v.User], v)
	}
	return s
}

func (s *Scales) target(i Item) *target {
	kind, id := i.Target()
	at := Target{kind, id}
	if known := s.targets[at]; known != nil {
		return known
	}
	w := &target{keys: keys(s.x, at), alike: map[int]int{}}
	for _, key := range w.keys {
		p, _ := s.x.Design().Permission(key)
		w.risk = max(w.risk, p.Risk)
		if system, _, _ := strings.Cut(key, ":"); !slices.Contains(w.systems, system) {
			w.systems = append(w.systems, system)
		}
	}
	w.holders = s.x.HeldBy(kind, id, s.t)
	for place := range w.holders.All() {
		w.alike[s.posts[place]]++
	}
	s.targets[at] = w
	return w
}

// Weigh gathers the evidence for an item.
func (s *Scales) Weigh(i Item) Evidence {
	if (i.Of != Target{}) {
		return s.weighOther(i)
	}
	w := s.target(i)
	e := Evidence{Gives: len(w.keys), Risk: w.risk, Beside: beside(s.x, i)}
	place, ok := s.x.Design().Users.Position(i.User)
	if !ok {
		return e
	}
	u := s.x.Design().Users[place]
	for _, system := range w.systems {
		if at, used := s.uses.Last(u.ID, system); used {
			e.Used = true
			if at.After(e.LastUse) {
				e.LastUse = at
			}
		}
		e.Never = e.Never || s.uses.Known(system)
	}
	e.Never = e.Never && !e.Used
	if p := s.posts[place]; p != 0 {
		e.Peers, e.Alike = s.peers[p], w.alike[p]
		if s.x.Live(u.ID, s.t) {
			e.Peers--
		}
		if w.holders.Has(place) {
			e.Alike--
		}
	}
	for _, v := range s.breaches[u.ID] {
		if slices.ContainsFunc(v.Items, func(c model.Item) bool {
			if c.Permission == "" {
				return c.Role == i.Role
			}
			_, gives := slices.BinarySearch(w.keys, c.Permission)
			return gives
		}) {
			e.Conflicts = append(e.Conflicts, v.Conflict)
		}
	}
	return e
}

// IdleAfter is after how many days without use something counts as not used.
const IdleAfter = 90

// Doubts says in words what speaks against keeping an item; nothing if nothing does.
func (e Evidence) Doubts(t time.Time) (out []string) {
	if e.Used && e.LastUse.Before(t.AddDate(0, 0, -IdleAfter)) {
		out = append(out, fmt.Sprintf("not used for %d days", int(t.Sub(e.LastUse).Hours()/24)))
	}
	if e.Tells && e.Lately*10 <= e.Holders {
		out = append(out, fmt.Sprintf("used by %d of %d within %d days", e.Lately, e.Holders, IdleAfter))
	}
	if e.Needless {
		out = append(out, "it is not needed")
	}
	if e.Peers >= fewestPeers && e.Alike*5 <= e.Peers {
		out = append(out, fmt.Sprintf("only %d of %d peers have it", e.Alike, e.Peers))
	}
	if len(e.Conflicts) > 0 {
		out = append(out, "it adds to a conflict")
	}
	return out
}

// Outcome says what really goes away from a person if some assignments end for them, and what of the item's role or
// set stays by another way. Both are the widest only.
func Outcome(x *index.Index, i Item, ended []string, t time.Time) (goes, stays []index.Holding) {
	before, after := x.Widest(i.User, t), x.Without(i.User, ended, t)
	goes = index.Beyond(x, before, after)
	kind, id := i.Target()
	keys := x.Content(kind, id)
	for _, h := range after {
		if _, of := slices.BinarySearch(keys, h.Permission); of {
			stays = append(stays, h)
		}
	}
	return goes, stays
}

// TakePersonOut gives the change after which a person is no longer in a group: out of it, and out of every group
// nested in it by which they are. It is an error if one of these finds its members by a rule, comes from the
// directory or is built in; the error says which.
func TakePersonOut(x *index.Index, user, group string) ([]change.Op, error) {
	d := x.Design()
	var ops []change.Op
	seen := map[string]bool{}
	var leave func(id string) error
	leave = func(id string) error {
		if seen[id] || !x.InGroup(user, id) {
			return nil
		}
		seen[id] = true
		g, ok := d.Groups.Find(id)
		switch {
		case !ok:
			return fmt.Errorf("%s is built in: everybody is in it", x.GroupName(id))
		case g.Type == model.Rule:
			return fmt.Errorf("%s finds its members by a rule", g.Name)
		}
		if slices.Contains(g.Users, user) {
			if g.Source == model.Directory {
				return fmt.Errorf("%s comes from the directory, which keeps its members", g.Name)
			}
			after := change.Clone(g)
			after.Users = slices.DeleteFunc(after.Users, func(u string) bool { return u == user })
			ops = append(ops, change.Put(d, after))
		}
		for _, child := range g.Groups {
			if err := leave(child); err != nil {
				return err
			}
		}
		return nil
	}
	if err := leave(group); err != nil {
		return nil, err
	}
	return ops, nil
}

// TakeGrantOff gives the change that ends assignments to a group, as far as these still exist.
func TakeGrantOff(d *model.Design, assignments []string) []change.Op {
	return Revoke(d, []Item{{Direct: assignments}})
}

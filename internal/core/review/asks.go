package review

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
)

// Ask is what a review asks.
type Ask string

// The asks. What a revocation comes to is said by [Revoke].
const (
	AskAccess      Ask = ""            // whether people keep the roles and sets that they are assigned
	AskGroups      Ask = "groups"      // whether groups go on giving what is assigned to them, and keep their rules
	AskRoles       Ask = "roles"       // whether roles go on giving the sets, roles and permissions that make them up
	AskDelegations Ask = "delegations" // whether delegations go on
	AskExceptions  Ask = "exceptions"  // whether people stay excepted from conflicts, and findings set aside
	AskAccounts    Ask = "accounts"    // whether people who use nothing keep their accounts
)

// What an item can ask about that is no kind of a design.
const (
	KindRule  model.Kind = "rule"  // how a group finds its members: the id is the filter
	KindAside model.Kind = "aside" // that a finding is set aside: the id is the finding's name
)

// fields are what narrows each ask, besides what a scope always has; a scope that narrows by something else is wrong.
var fields = map[Ask][]string{
	AskAccess:      {"system", "role", "set", "group", "area", "risk", "filter"},
	AskGroups:      {"system", "role", "set", "group", "area", "risk"},
	AskRoles:       {"system", "role", "set", "risk"},
	AskDelegations: {"group", "area"},
	AskExceptions:  {"area", "filter"},
	AskAccounts:    {"area", "filter"},
}

// narrows names what narrows a scope.
func (s Scope) narrows() (out []string) {
	for _, f := range []struct {
		name string
		set  bool
	}{
		{"system", s.System != ""},
		{"role", s.Role != ""},
		{"set", s.Set != ""},
		{"group", s.Group != ""},
		{"area", s.Area != ""},
		{"risk", s.Risk != 0},
		{"filter", s.Filter != ""},
	} {
		if f.set {
			out = append(out, f.name)
		}
	}
	return out
}

// Facts are what a review asks about and no design tells.
type Facts struct {
	Uses   *use.Book
	Asides []Aside
}

// Aside is a finding that is set aside.
type Aside struct {
	Finding string // its name
	Of      Target // what it is about, first of all
	By      string // who set it aside
}

// about gives the items of a review that does not ask about access; they come by what they are about.
func about(x *index.Index, scope Scope, f Facts, t time.Time, covers func(*model.User) bool) (items []Item) {
	d := x.Design()
	switch scope.Ask {
	case AskGroups:
		items = ofGroups(x, scope, t)
	case AskRoles:
		items = ofRoles(x, scope)
	case AskDelegations:
		for _, g := range d.Delegations {
			if !lasts(g.Until, t) || scope.Group != "" && g.Delegate.Group != scope.Group ||
				!x.Near(g.Area, scope.Area) {
				continue
			}
			items = append(items, Item{User: g.Delegate.User, Of: Target{model.KindDelegation, g.ID}})
		}
	case AskExceptions:
		asks := peopleIn(x, scope, covers)
		for _, c := range d.Conflicts {
			for _, e := range c.Exceptions {
				if lasts(e.Until, t) && asks(e.User) {
					of, keeps := Target{model.KindConflict, c.ID}, Target{model.KindUser, e.User}
					items = append(items, Item{User: e.User, Of: of, Keeps: keeps})
				}
			}
		}
		if len(scope.narrows()) == 0 && covers == nil {
			for _, a := range f.Asides {
				items = append(items, Item{Of: a.Of, Keeps: Target{KindAside, a.Finding}, Maker: a.By})
			}
		}
	case AskAccounts:
		asks := peopleIn(x, scope, covers)
		for _, u := range d.Users {
			if x.Live(u.ID, t) && asks(u.ID) && idle(x, f.Uses, u.ID, t) {
				items = append(items, Item{User: u.ID, Of: Target{model.KindUser, u.ID}})
			}
		}
	}
	slices.SortFunc(items, func(a, b Item) int {
		return cmp.Or(
			strings.Compare(string(a.Of.Kind), string(b.Of.Kind)), strings.Compare(a.Of.ID, b.Of.ID),
			strings.Compare(string(a.Keeps.Kind), string(b.Keeps.Kind)), strings.Compare(a.Keeps.ID, b.Keeps.ID),
			slices.Compare(a.Direct, b.Direct),
		)
	})
	return items
}

// lasts tells whether what ends at some time, if at all, is not over yet.
func lasts(until, t time.Time) bool { return until.IsZero() || t.Before(until) }

// peopleIn tells of people, by id, whether a scope asks about them: at home in its area, and matched by its filter.
func peopleIn(x *index.Index, scope Scope, covers func(*model.User) bool) func(user string) bool {
	d := x.Design()
	people, err := filter.Parse(scope.Filter)
	if scope.Filter == "" {
		people, err = nil, nil
	}
	return func(user string) bool {
		u, ok := d.Users.Find(user)
		return ok && err == nil && (scope.Area == "" || x.Covers(scope.Area, u.Area)) &&
			(people == nil || people.Match(index.Person(d, u))) && (covers == nil || covers(u))
	}
}

// idle tells whether somebody used nothing within [IdleAfter] days, though uses of something that they hold are known.
func idle(x *index.Index, uses *use.Book, user string, t time.Time) bool {
	for _, at := range uses.Systems(user) {
		if !at.Before(t.AddDate(0, 0, -IdleAfter)) {
			return false
		}
	}
	return slices.ContainsFunc(x.GrantsFor(user), func(a *model.Assignment) bool {
		kind, id := (Item{Role: a.Role, Set: a.Set}).Target()
		return slices.ContainsFunc(x.Content(kind, id), func(key string) bool { return uses.Known(use.SystemOf(key)) })
	})
}

// ofGroups asks of each assignment to a group whether it goes on, and of each group with a rule whether that does.
func ofGroups(x *index.Index, scope Scope, t time.Time) (items []Item) {
	touches := touching(x, scope)
	for _, a := range x.Design().Assignments {
		g := a.Subject.Group
		if g == "" || !lasts(a.Until, t) || scope.Group != "" && g != scope.Group ||
			scope.Role != "" && a.Role != scope.Role ||
			scope.Set != "" && a.Set != scope.Set || !x.Near(a.Area, scope.Area) ||
			!touches(given(a)) {
			continue
		}
		items = append(items, Item{Of: Target{model.KindGroup, g}, Keeps: given(a), Direct: []string{a.ID}})
	}
	if narrows := scope.narrows(); len(narrows) > 1 || len(narrows) == 1 && scope.Group == "" {
		return items // a rule gives nothing by itself
	}
	for _, g := range x.Design().Groups {
		if g.Type == model.Rule && (scope.Group == "" || g.ID == scope.Group) {
			items = append(items, Item{Of: Target{model.KindGroup, g.ID}, Keeps: Target{KindRule, g.Rule}})
		}
	}
	return items
}

// ofRoles asks of each part of an active role whether the role still gives it.
func ofRoles(x *index.Index, scope Scope) (items []Item) {
	touches := touching(x, scope)
	for _, r := range x.Design().Roles {
		if r.State != model.Active || scope.Role != "" && r.ID != scope.Role {
			continue
		}
		part := func(kind model.Kind, list []string) {
			for _, id := range list {
				keeps := Target{kind, id}
				if (scope.Set == "" || keeps == Target{model.KindSet, scope.Set}) && touches(keeps) {
					items = append(items, Item{Of: Target{model.KindRole, r.ID}, Keeps: keeps})
				}
			}
		}
		part(model.KindSet, r.Sets)
		part(model.KindRole, r.Inherits)
		part(index.KindPermission, r.Permissions)
	}
	return items
}

// keys are the permissions that something gives which an item asks about.
func keys(x *index.Index, of Target) []string {
	switch of.Kind {
	case index.KindPermission:
		if _, known := x.Design().Permission(of.ID); !known {
			return []string{} // a role may name one that no catalogue has: it gives nothing
		}
		return []string{of.ID}
	case model.KindRole, model.KindSet:
		return x.Content(of.Kind, of.ID)
	}
	return nil
}

// Risks tells of items the greatest risk of what they are about: of a delegation, of what it lets be assigned; of an
// exception, of what the conflict counts. Where nothing tells, it is the greatest there is.
func Risks(x *index.Index) func(Item) int {
	d := x.Design()
	known := map[Target]int{}
	return func(i Item) int {
		kind, id := i.Target()
		at := Target{kind, id}
		if kind == "" || kind == model.KindUser || kind == KindRule || kind == KindAside {
			at = i.Of
		}
		risk, found := known[at]
		if found {
			return risk
		}
		var all []string
		switch o := d.Get(at.Kind, at.ID).(type) {
		case *model.Role, *model.Set:
			all = keys(x, at)
		case *model.Group:
			for _, a := range x.GrantsTo(o.ID) {
				all = append(all, x.Content(Item{Role: a.Role, Set: a.Set}.Target())...)
			}
		case *model.Delegation:
			for _, r := range o.Roles {
				all = append(all, x.Content(model.KindRole, r)...)
			}
			for _, s := range o.Sets {
				all = append(all, x.Content(model.KindSet, s)...)
			}
		default:
			if all = keys(x, at); all == nil {
				risk = 3 // critical
			}
		}
		for _, key := range all {
			p, _ := d.Permission(key)
			risk = max(risk, p.Risk)
		}
		known[at] = risk
		return risk
	}
}

// Deciders says who decides a review's items.
type Deciders struct {
	By       string // ByManager, ByOwner or ByPerson
	Person   string // of ByPerson
	Fallback string // decides where there is nobody else
}

// Who decides: the manager of the person; the owner of the role, set or group; or one person for all.
const (
	ByManager = "manager"
	ByOwner   = "owner"
	ByPerson  = "person"
)

// Chooser finds who decides the items of one review. What items have in common is found out once. It is for one
// goroutine.
type Chooser struct {
	x      *index.Index
	t      time.Time
	away   func(user string) (instead string, away bool)
	others []string
	own    map[Target]func(user string) bool
}

// NewChooser makes a chooser for a design at t. Others decide where nobody is named who could. Who is away is
// represented by whom they chose; away may be nil.
func NewChooser(x *index.Index, t time.Time, away func(user string) (string, bool), others ...string) *Chooser {
	return &Chooser{x: x, t: t, away: away, others: others, own: map[Target]func(string) bool{}}
}

// Reviewer gives who decides an item: whom the deciders name, or else the fallback, or else the first of others who
// is live; never somebody whose own access it is about. It is empty if there is nobody. first tells that it is whom the
// deciders name.
func (c *Chooser) Reviewer(i Item, who Deciders) (reviewer string, first bool) {
	named := c.named(i, who)
	for n, u := range slices.Concat(named, []string{who.Fallback}, c.others) {
		if u := c.present(i, u); u != "" {
			return u, n < len(named)
		}
	}
	return "", false
}

// Second gives who decides an item once the first reviewer would keep it; empty if nobody else does.
func (c *Chooser) Second(i Item, who Deciders, first string) string {
	for _, u := range append(c.named(i, who), who.Fallback) {
		if u := c.present(i, u); u != "" && u != first {
			return u
		}
	}
	return ""
}

// present gives somebody, or who represents them, if they can decide an item; else nobody.
func (c *Chooser) present(i Item, user string) string {
	if c.away != nil {
		if instead, away := c.away(user); away {
			user = instead
		}
	}
	if user == "" || c.Own(i)(user) || !c.x.Live(user, c.t) {
		return ""
	}
	return user
}

// named gives whom the deciders name for an item, the first of them first.
func (c *Chooser) named(i Item, who Deciders) (named []string) {
	d := c.x.Design()
	owner := func(of Target) {
		switch o := d.Get(of.Kind, of.ID).(type) {
		case *model.Role:
			named = append(named, o.Owner)
		case *model.Set:
			named = append(named, o.Owner)
		case *model.Group:
			named = append(named, o.Owner)
		}
	}
	switch {
	case who.By == ByPerson:
		named = append(named, who.Person)
	case who.By != ByOwner && i.User != "":
		if u, ok := d.Users.Find(i.User); ok {
			named = append(named, u.Manager)
		}
	case i.Of != Target{}:
		owner(i.Of)
		if g, ok := d.Delegations.Find(i.Of.ID); ok && i.Of.Kind == model.KindDelegation {
			owner(Target{model.KindGroup, g.Delegate.Group})
		}
	default:
		kind, id := i.Target()
		owner(Target{kind, id})
		for _, g := range i.Groups {
			owner(Target{model.KindGroup, g})
		}
	}
	return named
}

// Own tells of people, by id, whether an item is about their own access: nobody decides about that. What everybody has
// is nobody's own.
func (c *Chooser) Own(i Item) func(user string) bool {
	if i.Keeps.Kind == KindAside {
		return func(user string) bool { return user == i.Maker }
	}
	switch i.Of.Kind {
	case "", model.KindUser, model.KindConflict:
		return func(user string) bool { return user == i.User }
	}
	own := c.own[i.Of]
	if own == nil {
		own = c.ownOf(i.Of)
		c.own[i.Of] = own
	}
	return own
}

func (c *Chooser) ownOf(of Target) func(user string) bool {
	d := c.x.Design()
	switch of.Kind {
	case model.KindGroup:
		if of.ID != model.Everyone && of.ID != model.Public {
			return func(user string) bool { return c.x.InGroup(user, of.ID) }
		}
	case model.KindRole:
		held := c.x.HeldBy(of.Kind, of.ID, c.t)
		if !slices.ContainsFunc(d.Users, func(u *model.User) bool {
			place, _ := d.Users.Position(u.ID)
			return c.x.Live(u.ID, c.t) && !held.Has(place)
		}) {
			break
		}
		return func(user string) bool {
			place, ok := d.Users.Position(user)
			return ok && held.Has(place)
		}
	case model.KindDelegation:
		if g, ok := d.Delegations.Find(of.ID); ok {
			return func(user string) bool {
				return user == g.Delegate.User || g.Delegate.Group != "" && c.x.InGroup(user, g.Delegate.Group)
			}
		}
	}
	return func(string) bool { return false }
}

// ByHand tells whether only somebody can carry out the revocation of an item: nobody can tell what a rule should be in
// place of what it is, and a directory says who of those it keeps is there.
func ByHand(d *model.Design, i Item) bool {
	if i.Keeps.Kind == KindRule {
		return true
	}
	u, ok := d.Users.Find(i.Of.ID)
	return i.Of.Kind == model.KindUser && ok && u.Source == model.Directory
}

// Stands tells whether what an item asks about is still so. Of access, and of what is set aside, a design does not tell
// it.
func Stands(d *model.Design, i Item) bool {
	if i.Keeps.Kind == KindRule {
		g, ok := d.Groups.Find(i.Of.ID)
		return ok && g.Type == model.Rule && g.Rule == i.Keeps.ID
	}
	if i.Of.Kind == model.KindUser {
		u, ok := d.Users.Find(i.Of.ID)
		return ok && u.State == model.UserActive
	}
	return len(Revoke(d, []Item{i})) > 0
}

// Revoke gives the change that carries out what was revoked, as far as it is still so: direct assignments end, roles
// lose parts, delegations and exceptions are gone, accounts are deactivated. What [ByHand] names is left out, and so is
// what is set aside, which is not in a design.
func Revoke(d *model.Design, items []Item) []change.Op {
	var ops []change.Op
	var order []Target
	altered := map[Target]model.Object{} // objects of which several items can take something away
	alter := func(of Target) model.Object {
		if altered[of] == nil {
			before := d.Get(of.Kind, of.ID)
			if before == nil {
				return nil
			}
			order, altered[of] = append(order, of), change.Clone(before)
		}
		return altered[of]
	}
	for _, i := range items {
		switch {
		case i.Of.Kind == "" || i.Of.Kind == model.KindGroup:
			for _, id := range i.Direct {
				if a, ok := d.Assignments.Find(id); ok {
					ops = append(ops, change.Delete(a))
				}
			}
		case ByHand(d, i) || i.Keeps.Kind == KindAside:
		case i.Of.Kind == model.KindDelegation:
			if g, ok := d.Delegations.Find(i.Of.ID); ok {
				ops = append(ops, change.Delete(g))
			}
		default:
			switch o := alter(i.Of).(type) {
			case *model.Role:
				without(o, i.Keeps)
			case *model.Conflict:
				o.Exceptions = slices.DeleteFunc(o.Exceptions, func(e model.Exception) bool { return e.User == i.Keeps.ID })
			case *model.User:
				if o.State == model.UserActive {
					o.State = model.UserDeactivated
				}
			}
		}
	}
	for _, of := range order {
		if op := change.Put(d, altered[of]); !change.Equal(op.Before, op.After) {
			ops = append(ops, op)
		}
	}
	return ops
}

// without takes a part out of a role.
func without(r *model.Role, part Target) {
	list := map[model.Kind]*[]string{
		model.KindSet: &r.Sets, model.KindRole: &r.Inherits, index.KindPermission: &r.Permissions,
	}[part.Kind]
	if list != nil {
		*list = slices.DeleteFunc(*list, func(id string) bool { return id == part.ID })
	}
}

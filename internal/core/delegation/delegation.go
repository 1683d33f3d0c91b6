// Package delegation says what a delegate may do, and which part of a design a delegate sees (docs/semantics.md, §9).
package delegation

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// The actions that a delegation can name, as [model.DelegableActions] lists them.
const (
	Invite     = "invite"
	Edit       = "edit"
	Lock       = "lock"
	Deactivate = "deactivate"
	Assign     = "assign"
	Revoke     = "revoke"
	Membership = "membership"
	Review     = "review"
)

// verbs are the actions in a sentence after "may not".
var verbs = map[string]string{
	Invite:     "invite",
	Edit:       "edit",
	Lock:       "lock or unlock",
	Deactivate: "deactivate or bring back",
	Assign:     "assign to",
	Revoke:     "revoke from",
	Membership: "change the memberships of",
	Review:     "review",
}

// Authority is what one person may do by delegation at one instant. One that is nil or empty permits nothing.
type Authority struct {
	x       *index.Index
	user    string
	at      time.Time
	given   []*model.Delegation
	filters map[string]*filter.Filter // of delegations, by id
}

// Of gives what a person may do by the delegations that are in force for them at t.
func Of(x *index.Index, user string, t time.Time) *Authority {
	a := &Authority{x: x, user: user, at: t, filters: map[string]*filter.Filter{}}
	if !x.Live(user, t) {
		return a
	}
	for _, d := range x.Design().Delegations {
		if !model.In(t, d.From, d.Until) ||
			d.Delegate.User != user && (d.Delegate.Group == "" || !x.InGroup(user, d.Delegate.Group)) {
			continue
		}
		if d.People.Filter != "" {
			f, err := filter.Parse(d.People.Filter)
			if err != nil {
				continue // a well-formed design has none
			}
			a.filters[d.ID] = f
		}
		a.given = append(a.given, d)
	}
	return a
}

// Delegations gives the delegations in force, by id.
func (a *Authority) Delegations() []*model.Delegation { return a.given }

// Empty tells that nothing is delegated.
func (a *Authority) Empty() bool { return a == nil || len(a.given) == 0 }

// covers tells whether one of the delegations is about a person as they stand in a design.
func (a *Authority) covers(x *index.Index, d *model.Delegation, u *model.User) bool {
	switch {
	case u.State == model.UserDeleted:
		return false
	case d.People.Group != "":
		return x.InGroup(u.ID, d.People.Group)
	case d.People.Filter != "":
		return a.filters[d.ID].Match(index.Person(x.Design(), u))
	}
	return x.Covers(d.People.Area, u.Area)
}

// People gives the ids of those whom a delegation covers, without the delegate, sorted.
func (a *Authority) People(d *model.Delegation) (out []string) {
	for _, u := range a.x.Design().Users {
		if u.ID != a.user && a.covers(a.x, d, u) {
			out = append(out, u.ID)
		}
	}
	return out
}

// Covered gives the ids of all whom a delegation is about, in force or not, sorted; nobody if its filter is no filter.
func Covered(x *index.Index, d *model.Delegation) (out []string) {
	a := &Authority{x: x, filters: map[string]*filter.Filter{}}
	if d.People.Filter != "" {
		f, err := filter.Parse(d.People.Filter)
		if err != nil {
			return nil
		}
		a.filters[d.ID] = f
	}
	return a.People(d)
}

// Reaches tells whether some delegation in force names an action and covers a person, whatever else it asks.
func (a *Authority) Reaches(action string, u *model.User) bool {
	if a.Empty() || u.ID == a.user {
		return false
	}
	return slices.ContainsFunc(a.given, func(d *model.Delegation) bool {
		return slices.Contains(d.Actions, action) && a.covers(a.x, d, u)
	})
}

// Act is one thing that somebody would do to one person.
type Act struct {
	Action string
	User   *model.User // as they stand, or as they would
	// Of an assignment: what is given or taken, where, and from and until when.
	Assignment *model.Assignment
	// Of a membership: the group.
	Group string
}

// Refused says why an act is not permitted: which rule of the delegation that comes nearest stands against it.
type Refused struct {
	Delegation string // its id; empty if none comes near
	Reason     string // a sentence that names the objects
}

func (r *Refused) Error() string { return r.Reason }

// Check gives nil if one delegation in force covers all of an act, or else why not. Nobody acts on themselves
// through a delegation, nor on a person who holds a critical permission that the delegate does not hold.
func (a *Authority) Check(act Act) *Refused { return a.check(a.x, act) }

// check is [Authority.Check] for a person as they stand in x.
func (a *Authority) check(x *index.Index, act Act) *Refused {
	name := act.User.DisplayName
	if a.Empty() {
		return &Refused{
			Reason: fmt.Sprintf("Nothing that is delegated to you lets you %s %s.", verbs[act.Action], name),
		}
	}
	if act.User.ID == a.user {
		return &Refused{Reason: "Nobody acts on themselves through a delegation, and " + name + " is you."}
	}
	nearest, far := &Refused{}, -1
	for _, d := range a.given {
		stage, why := a.against(x, d, act)
		if why == "" {
			// Only now, so that nobody learns from a refusal what people hold who are not theirs to see.
			if p := a.Above(act.User.ID); p != "" {
				return &Refused{
					d.ID,
					fmt.Sprintf(
						"%s holds the critical permission %s, which you do not hold, so you may not act on them through a delegation.",
						name,
						p,
					),
				}
			}
			return nil
		}
		if stage > far {
			nearest, far = &Refused{
				d.ID,
				fmt.Sprintf("Your delegation “%s” does not cover this: %s.", d.Name, why),
			}, stage
		}
	}
	return nearest
}

// Above gives a critical permission that a person holds and the delegate does not; empty if there is none.
func (a *Authority) Above(user string) string {
	mine := map[string]bool{}
	for _, h := range a.x.Effective(a.user, a.at) {
		mine[h.Permission] = true
	}
	for _, h := range a.x.Effective(user, a.at) {
		if p, ok := a.x.Design().Permission(h.Permission); ok && p.Risk == 3 && !mine[h.Permission] {
			return h.Permission
		}
	}
	return ""
}

// against says what of a delegation stands against an act, and how far the act got; empty if nothing does.
func (a *Authority) against(x *index.Index, d *model.Delegation, act Act) (int, string) {
	name := act.User.DisplayName
	if !slices.Contains(d.Actions, act.Action) {
		return 0, fmt.Sprintf("it does not let you %s anybody (the action “%s”)", verbs[act.Action], act.Action)
	}
	if !a.covers(x, d, act.User) {
		return 1, name + " is not among the people whom it names"
	}
	switch act.Action {
	case Assign, Revoke:
		return a.grantAgainst(d, act.Assignment, act.Action == Assign)
	case Membership:
		return a.groupAgainst(d, act)
	}
	return 9, ""
}

// grantAgainst says what of a delegation stands against giving or taking an assignment.
func (a *Authority) grantAgainst(d *model.Delegation, g *model.Assignment, give bool) (int, string) {
	design := a.x.Design()
	what, listed := "", false
	if g.Role != "" {
		listed = slices.Contains(d.Roles, g.Role)
		what = "the role “" + titleOf(design, model.KindRole, g.Role) + "”"
	} else {
		listed = slices.Contains(d.Sets, g.Set)
		what = "the permission set “" + titleOf(design, model.KindSet, g.Set) + "”"
	}
	switch {
	case !listed:
		return 2, what + " is not among those that it names"
	case !a.x.Covers(d.Area, g.Area):
		where := titleOf(design, model.KindArea, g.Area)
		if g.Area == "" {
			where = "the whole organisation"
		}
		return 3, fmt.Sprintf("it holds within %s, and %s lies outside", titleOf(design, model.KindArea, d.Area), where)
	case give && d.MaxDays != nil:
		from := a.at
		if g.From.After(from) {
			from = g.From
		}
		most := from.AddDate(0, 0, *d.MaxDays)
		if g.Until.IsZero() || g.Until.After(most) {
			return 4, fmt.Sprintf(
				"it lets you assign for at most %d days, so %s must end by %s",
				*d.MaxDays,
				what,
				change.Day(most),
			)
		}
	}
	return 9, ""
}

// groupAgainst says what of a delegation stands against changing a person's membership of a group.
func (a *Authority) groupAgainst(d *model.Delegation, act Act) (int, string) {
	name := titleOf(a.x.Design(), model.KindGroup, act.Group)
	if !slices.Contains(d.Groups, act.Group) {
		return 2, "the group “" + name + "” is not among those that it names"
	}
	if d.GroupsWhole {
		return 9, ""
	}
	for _, g := range a.x.GrantsTo(act.Group) {
		if !g.Until.IsZero() && !g.Until.After(a.at) {
			continue
		}
		possible := slices.ContainsFunc(a.given, func(other *model.Delegation) bool {
			if !slices.Contains(other.Actions, Assign) || !a.covers(a.x, other, act.User) {
				return false
			}
			_, why := a.grantAgainst(other, g, true)
			return why == ""
		})
		if !possible {
			what := titleOf(a.x.Design(), model.KindRole, g.Role)
			if g.Role == "" {
				what = titleOf(a.x.Design(), model.KindSet, g.Set)
			}
			return 3, fmt.Sprintf(
				"the group “%s” gives “%s”, which you could not assign on these terms yourself, and the group is not handed over whole",
				name,
				what,
			)
		}
	}
	return 9, ""
}

// Assignable tells whether a delegation by itself lets its delegate assign all of some assignments at t, on their
// own terms, to somebody whom it is about. What has ended takes no part.
func Assignable(x *index.Index, d *model.Delegation, grants []*model.Assignment, t time.Time) bool {
	a := &Authority{x: x, at: t}
	return slices.Contains(d.Actions, Assign) && !slices.ContainsFunc(grants, func(g *model.Assignment) bool {
		if !g.Until.IsZero() && !g.Until.After(t) {
			return false
		}
		_, why := a.grantAgainst(d, g, true)
		return why != ""
	})
}

func titleOf(d *model.Design, kind model.Kind, id string) string {
	if kind == model.KindArea && id == "" {
		id = d.Root()
	}
	if kind == model.KindGroup && id == model.Everyone {
		return "Everyone"
	}
	if o := d.Get(kind, id); o != nil {
		return o.Title()
	}
	return id
}

// CheckOp gives nil if an operation of a change does only what one delegation or another permits, or else why not.
// After is the design with the whole change made; nil if that is not well-formed.
func (a *Authority) CheckOp(op change.Op, after *index.Index) *Refused {
	if a.Empty() {
		return &Refused{Reason: "Nothing is delegated to you."}
	}
	switch op.Kind {
	case model.KindAssignment:
		for _, side := range []struct {
			action string
			value  model.Object
		}{{Revoke, op.Before}, {Assign, op.After}} {
			if side.value == nil {
				continue
			}
			g := side.value.(*model.Assignment)
			if g.Subject.User == "" {
				return &Refused{
					Reason: fmt.Sprintf(
						"A delegation lets one assign to people; “%s” is a group.",
						titleOf(a.x.Design(), model.KindGroup, g.Subject.Group),
					),
				}
			}
			if r := a.onPerson(Act{Action: side.action, Assignment: g}, g.Subject.User, after); r != nil {
				return r
			}
		}
		return nil
	case model.KindGroup:
		return a.checkGroup(op, after)
	case model.KindUser:
		return a.checkUser(op, after)
	}
	return &Refused{
		Reason: fmt.Sprintf(
			"%s cannot be changed through a delegation: a delegation is about people, what is assigned to them, and the members of groups.",
			upper(change.Title(op)),
		),
	}
}

// onPerson checks an act on a person as they stand before a change, and as they stand after it: a change may not
// bring somebody into reach.
func (a *Authority) onPerson(act Act, user string, after *index.Index) *Refused {
	found := false
	for _, x := range []*index.Index{a.x, after} {
		if x == nil {
			continue
		}
		u, ok := x.Design().Users.Find(user)
		if !ok {
			continue
		}
		found, act.User = true, u
		if r := a.check(x, act); r != nil {
			return r
		}
	}
	if !found {
		return &Refused{Reason: fmt.Sprintf("There is no person %q.", user)}
	}
	return nil
}

func (a *Authority) checkGroup(op change.Op, after *index.Index) *Refused {
	before, ok1 := op.Before.(*model.Group)
	now, ok2 := op.After.(*model.Group)
	if !ok1 || !ok2 {
		return &Refused{
			Reason: upper(
				change.Title(op),
			) + " cannot be made or deleted through a delegation, only its members changed.",
		}
	}
	rest := change.Clone(now)
	rest.Users = before.Users
	if !change.Equal(before, rest) {
		return &Refused{
			Reason: upper(
				change.Title(op),
			) + ": only which people are listed in it can be changed through a delegation.",
		}
	}
	for _, lists := range [][2][]string{{before.Users, now.Users}, {now.Users, before.Users}} {
		for _, u := range lists[1] {
			if slices.Contains(lists[0], u) {
				continue
			}
			if r := a.onPerson(Act{Action: Membership, Group: op.ID}, u, after); r != nil {
				return r
			}
		}
	}
	return nil
}

func (a *Authority) checkUser(op change.Op, after *index.Index) *Refused {
	before, existed := op.Before.(*model.User)
	now, exists := op.After.(*model.User)
	if !exists || now.State == model.UserDeleted {
		return &Refused{Reason: upper(change.Title(op)) + " cannot be deleted through a delegation, only deactivated."}
	}
	if !existed {
		if now.State != model.UserInvited {
			return &Refused{
				Reason: now.DisplayName + " can only be invited through a delegation: they become active when they accept.",
			}
		}
		act := Act{Action: Invite, User: now}
		if after == nil {
			return a.check(a.x, act)
		}
		return a.onPerson(act, now.ID, after)
	}
	var actions []string
	if before.State != now.State {
		states := []model.UserState{before.State, now.State}
		switch {
		case slices.Contains(states, model.UserInvited) || slices.Contains(states, model.UserDeleted):
			return &Refused{Reason: now.DisplayName + " becomes active by accepting the invitation, not by an edit."}
		case slices.Contains(states, model.UserDeactivated):
			actions = append(actions, Deactivate)
			if slices.Contains(states, model.UserLocked) {
				actions = append(actions, Lock)
			}
		default:
			actions = append(actions, Lock)
		}
	}
	rest := change.Clone(now)
	rest.State = before.State
	if !change.Equal(before, rest) {
		actions = append(actions, Edit)
	}
	for _, action := range actions {
		if r := a.onPerson(Act{Action: action}, now.ID, after); r != nil {
			return r
		}
	}
	return nil
}

func upper(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

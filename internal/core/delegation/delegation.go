// Package delegation says what a delegate may do, and which part of a design a delegate sees (docs/semantics.md, §9).
package delegation

import (
	"fmt"
	"slices"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// The actions that a delegation can name, as [model.DelegableActions] lists them.
const (
	Invite     = "invite"
	Edit       = "edit"
	Move       = "move"
	Lock       = "lock"
	Deactivate = "deactivate"
	Seat       = "seat"
	Assign     = "assign"
	Revoke     = "revoke"
	Membership = "membership"
	Review     = "review"
)

// verbs are the actions in a sentence after "may not".
var verbs = map[string]string{
	Invite:     "invite",
	Edit:       "edit",
	Move:       "move, or change the manager of",
	Lock:       "lock or unlock, or change the validity of",
	Deactivate: "deactivate or bring back",
	Seat:       "give licences to or take them from",
	Assign:     "assign to",
	Revoke:     "revoke from",
	Membership: "change the memberships of",
	Review:     "review",
}

// Authority is what one person may do by delegation at one instant. One that is nil or empty permits nothing.
type Authority struct {
	view    *ahead.View
	x       *index.Index // the design as it is
	user    string
	at      time.Time
	given   []*model.Delegation
	filters map[string]*filter.Filter // of delegations, by id
	own     []*model.Delegation       // those given to the user that have not ended, in force or to come
	holds   []index.Span              // what the user holds of what puts people above others
	high    []string                  // the permissions that do
	seen    *model.Design             // what the user sees; made when it is first asked for
}

// Of gives what a person may do by the delegations that are in force for them at t, which must be now: authority is
// always that of now.
func Of(v *ahead.View, user string, t time.Time) *Authority {
	x := v.Now()
	a := &Authority{view: v, x: x, user: user, at: t, filters: map[string]*filter.Filter{}}
	if !x.Live(user, t) {
		return a
	}
	for _, d := range x.Design().Delegations {
		if !d.Until.IsZero() && !t.Before(d.Until) ||
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
		a.own = append(a.own, d)
		if model.In(t, d.From, d.Until) {
			a.given = append(a.given, d)
		}
	}
	if len(a.given) > 0 {
		a.high, a.holds = v.High(user, t)
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

// Refused says why an act is not permitted: which rule of the delegation that comes nearest stands against it. It
// names nothing that the delegate does not see.
type Refused struct {
	Delegation string // its id; empty if none comes near
	Reason     string // a sentence that names the objects
}

func (r *Refused) Error() string { return r.Reason }

// Check gives nil if one delegation in force covers all of an act on a person as they stand, or else why not: rules
// 1, 2 and 6.
func (a *Authority) Check(act Act) *Refused { return a.check(act, a.view) }

// check is [Authority.Check] for a person as they stand in each of some designs: one delegation must cover the act in
// all of them.
func (a *Authority) check(act Act, in ...*ahead.View) *Refused {
	name := act.User.DisplayName
	if a.Empty() {
		return &Refused{Reason: fmt.Sprintf("Nothing that is delegated to you lets you %s %s.", verbs[act.Action], name)}
	}
	if act.User.ID == a.user {
		return &Refused{Reason: "Nobody acts on themselves through a delegation, and " + name + " is you."}
	}
	nearest, far := &Refused{}, -1
	for _, d := range a.given {
		stage, why := 9, ""
		for _, v := range in {
			stage, why = a.against(v.Now(), d, act)
			if why != "" {
				break
			}
		}
		if why == "" {
			// Only now, so that nobody learns from a refusal what people hold who are not theirs to see.
			for _, v := range in {
				if r := a.below(v, act.User.ID); r != nil {
					r.Delegation = d.ID
					return r
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

// below refuses a person who holds, or would hold when live, what puts them above the delegate (rule 6).
func (a *Authority) below(v *ahead.View, user string) *Refused {
	high := v.Beyond(v.Latent(user, a.high, a.at), a.holds, a.at)
	if len(high) == 0 {
		return nil
	}
	u, _ := v.Now().Design().Users.Find(user)
	verb := "holds"
	if high[0].From.After(a.at) || !v.Now().Live(user, a.at) {
		verb = "will hold"
	}
	what := "the critical permission " + high[0].Permission
	if system, _, _, _ := model.CutKey(high[0].Permission); system == model.OwnSystem {
		what = "the right in Fachwerk " + high[0].Permission
	} else if _, seen := a.sight().Permission(high[0].Permission); !seen {
		what = "a critical permission"
	}
	return &Refused{Reason: fmt.Sprintf(
		"%s %s %s, which you do not hold as widely, so you may not act on them through a delegation.",
		u.DisplayName, verb, what,
	)}
}

// Above tells whether a person holds, or will hold, what puts them above the delegate.
func (a *Authority) Above(user string) bool { return a.below(a.view, user) != nil }

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
		return a.groupAgainst(x, d, act)
	}
	return 9, ""
}

// grantAgainst says what of a delegation stands against giving or taking an assignment.
func (a *Authority) grantAgainst(d *model.Delegation, g *model.Assignment, give bool) (int, string) {
	what, listed := "", false
	if g.Role != "" {
		listed = slices.Contains(d.Roles, g.Role)
		what = a.called(model.KindRole, g.Role)
	} else {
		listed = slices.Contains(d.Sets, g.Set)
		what = a.called(model.KindSet, g.Set)
	}
	switch {
	case !listed:
		return 2, what + " is not among those that it names"
	case !a.x.Covers(d.Area, g.Area):
		where := "the whole organisation"
		if g.Area != "" {
			where = a.called(model.KindArea, g.Area)
		}
		return 3, fmt.Sprintf("it holds within %s, and %s lies outside", a.called(model.KindArea, d.Area), where)
	case give && d.MaxDays != nil:
		most := a.at.AddDate(0, 0, *d.MaxDays) // from now, so that no later assignment goes on where this one ends
		if g.Until.IsZero() || g.Until.After(most) {
			return 4, fmt.Sprintf(
				"it lets you assign for at most %d days, so %s must end by %s",
				*d.MaxDays,
				what,
				model.LastDay(most),
			)
		}
	}
	return 9, ""
}

// groupAgainst says what of a delegation stands against changing a person's membership of a group (rule 2). A group
// that gives a delegation, by nesting too, gives what cannot be assigned.
func (a *Authority) groupAgainst(x *index.Index, d *model.Delegation, act Act) (int, string) {
	name := a.called(model.KindGroup, act.Group)
	if !slices.Contains(d.Groups, act.Group) {
		return 2, name + " is not among those that it names"
	}
	if d.GroupsWhole {
		return 9, ""
	}
	above := x.Nesting(act.Group)
	for _, g := range x.Design().Delegations {
		if slices.Contains(above, g.Delegate.Group) && (g.Until.IsZero() || a.at.Before(g.Until)) {
			return 3, name + " gives a delegation, which cannot be assigned, and the group is not handed over whole"
		}
	}
	for _, g := range x.GrantsTo(act.Group) {
		if !g.Until.IsZero() && !g.Until.After(a.at) {
			continue
		}
		if !a.mayAssign(x, g, act.User) {
			what := a.called(model.KindRole, g.Role)
			if g.Role == "" {
				what = a.called(model.KindSet, g.Set)
			}
			return 3, fmt.Sprintf(
				"%s gives %s, which you could not assign on these terms yourself, and the group is not handed over whole",
				name,
				what,
			)
		}
	}
	return 9, ""
}

// mayAssign tells whether some delegation lets one give a person the same as an assignment does, on its terms.
func (a *Authority) mayAssign(x *index.Index, g *model.Assignment, u *model.User) bool {
	return slices.ContainsFunc(a.given, func(d *model.Delegation) bool {
		if !slices.Contains(d.Actions, Assign) || !a.covers(x, d, u) {
			return false
		}
		_, why := a.grantAgainst(d, g, true)
		return why == ""
	})
}

// called names an object as the delegate knows it: by its name if they see it, or else by the id that they gave.
func (a *Authority) called(kind model.Kind, id string) string {
	if kind == model.KindArea && id == "" {
		id = a.x.Design().Root()
	}
	switch kind {
	case model.KindArea:
		if o := a.sight().Get(kind, id); o != nil {
			return o.Title()
		}
		return "that area"
	case model.KindRole, model.KindSet, model.KindGroup:
		word := map[model.Kind]string{model.KindRole: "role", model.KindSet: "permission set", model.KindGroup: "group"}[kind]
		if o := a.sight().Get(kind, id); o != nil {
			return "the " + word + " “" + o.Title() + "”"
		}
		return "that " + word
	}
	return id
}

// sight is what the delegate sees.
func (a *Authority) sight() *model.Design {
	if a.seen == nil {
		a.seen = &model.Design{Organisation: a.x.Design().Organisation}
		if !a.Empty() {
			a.seen = a.Part()
		}
	}
	return a.seen
}

// Assignable tells whether a delegation by itself lets its delegate assign all of some assignments at t, on their
// own terms, to somebody whom it is about. What has ended takes no part.
func Assignable(x *index.Index, d *model.Delegation, grants []*model.Assignment, t time.Time) bool {
	a := &Authority{x: x, at: t, seen: x.Design()}
	return slices.Contains(d.Actions, Assign) && !slices.ContainsFunc(grants, func(g *model.Assignment) bool {
		if !g.Until.IsZero() && !g.Until.After(t) {
			return false
		}
		_, why := a.grantAgainst(d, g, true)
		return why != ""
	})
}

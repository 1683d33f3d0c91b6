package worklist

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// Result is what a step comes to for one person.
type Result string

// The results.
const (
	Done    Result = "does"    // it does something
	Already Result = "already" // it is so already
	Not     Result = "not"     // it is not possible, or was left out
)

// Outcome is what a step comes to for one person, in words.
type Outcome struct {
	Result Result
	Said   string
}

// Row is what the steps come to for one person, in their order.
type Row struct {
	User     string
	Outcomes []Outcome
}

// At is a step, by its place, done to a person. Step -1 is all of them.
type At struct {
	User string
	Step int
}

// Act is what one step does to one object for one person. Of the account it has the operation, as if the steps before
// were done.
type Act struct {
	At
	Kind model.Kind
	ID   string
	Op   change.Op
}

// Trial is what a worklist would do.
type Trial struct {
	Rows  []Row
	Ops   []change.Op // all that the rows do together
	Acts  []Act       // the same, person by person and step by step; of a deletion, only that of the account
	After []At        // what is carried out once these are applied, in order
}

// often is how many people are tried between two looks at whether to go on.
const often = 500

// Try tells what steps, in their order, would do to people of a design. Each step must be one with which nothing is
// [Step.Wrong]. What stands in but is left out, for the reason given there. Going is told how many people have been
// tried, and tells whether to go on; if not, there is no trial.
func Try(d *model.Design, people []string, steps []Step, but map[At]string, going func(done int) bool) (*Trial, bool) {
	t := newTrying(d, people)
	t.trial.Rows = make([]Row, len(people))
	for i, id := range people {
		t.trial.Rows[i] = Row{User: id, Outcomes: make([]Outcome, len(steps))}
	}
	for n := range steps {
		for i, id := range people {
			if i%often == 0 && !going((n*len(people)+i)/len(steps)) {
				return nil, false
			}
			at := At{id, n}
			t.trial.Rows[i].Outcomes[n] = t.one(at, &steps[n], cmp.Or(but[at], but[At{id, -1}]))
		}
	}
	t.finish(steps)
	return t.trial, true
}

type trying struct {
	d      *model.Design
	trial  *Trial
	is     map[string]*model.User         // who people become; nobody else is here
	given  map[string][]*model.Assignment // what people are assigned, by now
	listed map[string][]string            // the groups that list people, by now
	joined map[string]map[string]bool     // by group: who comes, and who goes
	seats  map[string]int                 // taken by now
	ids    map[string]bool                // of new assignments
	hangs  map[string]map[string]int      // what hangs on people: how many, by how it is said
	leaves map[string]int                 // who is deleted, by which step
	takes  map[string]bool                // who takes over from them
	under  map[string][]string            // who reports to people, by now; nil until it matters
	to     map[string]string              // to whom people report who are not on the list, where that changes
	acts   map[string][]Act
}

func newTrying(d *model.Design, people []string) *trying {
	t := &trying{
		d:      d,
		trial:  &Trial{},
		is:     map[string]*model.User{},
		given:  map[string][]*model.Assignment{},
		listed: map[string][]string{},
		joined: map[string]map[string]bool{},
		seats:  d.SeatsUsed(),
		ids:    map[string]bool{},
		leaves: map[string]int{},
		takes:  map[string]bool{},
		to:     map[string]string{},
		acts:   map[string][]Act{},
	}
	for _, id := range people {
		if u, ok := d.Users.Find(id); ok {
			t.is[id] = u
		}
	}
	for _, a := range d.Assignments {
		if t.is[a.Subject.User] != nil {
			t.given[a.Subject.User] = append(t.given[a.Subject.User], a)
		}
	}
	for _, g := range d.Groups {
		for _, u := range g.Users {
			if t.is[u] != nil {
				t.listed[u] = append(t.listed[u], g.ID)
			}
		}
	}
	return t
}

// one tries a step on a person, unless there is a reason to leave it out.
func (t *trying) one(at At, s *Step, why string) Outcome {
	u := t.is[at.User]
	switch {
	case why != "":
		return Outcome{Not, why}
	case u == nil:
		return not("There is nobody of this id any longer.")
	case u.State == model.UserDeleted:
		if n, leaves := t.leaves[at.User]; leaves {
			return not("Step %d deletes the account.", n+1)
		}
		return not("Has been deleted.")
	}
	return t.step(at, s, u)
}

func does(format string, args ...any) Outcome { return Outcome{Done, fmt.Sprintf(format, args...)} }
func not(format string, args ...any) Outcome  { return Outcome{Not, fmt.Sprintf(format, args...)} }
func already(format string, args ...any) Outcome {
	return Outcome{Already, fmt.Sprintf(format, args...)}
}

func (t *trying) step(at At, s *Step, u *model.User) Outcome {
	switch s.Do {
	case Assign:
		return t.assign(at, s, u)
	case Revoke:
		return t.revoke(at, s)
	case Join, Leave:
		return t.membership(at, s)
	case Set, Validity, Qualify, Unqualify:
		return t.account(at, s, u)
	case Seat, Unseat:
		return t.seat(at, s, u)
	case Lock, Unlock, Deactivate, BringBack, Cancel:
		return t.state(at, s.Do, u)
	case Delete:
		return t.leave(at, s, u)
	case Invite:
		if u.State != model.UserInvited {
			return not("Is %s, and waits for no invitation.", u.State)
		}
		t.trial.After = append(t.trial.After, at)
		return does("Is sent the invitation once more; earlier links end.")
	case SignOut:
		t.trial.After = append(t.trial.After, at)
		return does("Is signed out everywhere.")
	case NewPassword:
		switch {
		case u.State != model.UserActive:
			return not("Is %s: only who is active sets a new password.", u.State)
		case u.Email == "":
			return not("Has no e-mail address for the letter.")
		}
		t.trial.After = append(t.trial.After, at)
		return does("Is asked for a new password, by a letter to %s.", u.Email)
	}
	return not("There is no step %q.", s.Do)
}

// put keeps what a step makes of an account.
func (t *trying) put(at At, after *model.User) {
	before := t.is[at.User]
	t.move(at.User, t.manager(at.User), after.Manager)
	delete(t.to, at.User)
	t.is[at.User] = after
	before.TakeSeats(t.seats, -1)
	after.TakeSeats(t.seats, 1)
	t.act(at, change.Op{Kind: model.KindUser, ID: at.User, Before: before, After: after})
}

func (t *trying) act(at At, op change.Op) {
	t.acts[at.User] = append(t.acts[at.User], Act{at, op.Kind, op.ID, op})
}

// names tells what some things are called; of many, how many there are.
func (t *trying) names(kind model.Kind, many string, ids []string) string {
	if len(ids) > 3 {
		return fmt.Sprintf("%d %s", len(ids), many)
	}
	called := make([]string, len(ids))
	for i, id := range ids {
		called[i] = id
		if o := t.d.Get(kind, id); o != nil {
			called[i] = o.Title()
		}
	}
	return strings.Join(called, ", ")
}

func (t *trying) assign(at At, s *Step, u *model.User) Outcome {
	var roles, sets []string
	held, retired := 0, ""
	area := s.Area
	if s.Home {
		area = u.Area
	}
	if area == t.d.Root() {
		area = ""
	}
	give := func(role, set string, active bool, title string) {
		a := &model.Assignment{
			Subject: model.Subject{User: at.User},
			Role:    role,
			Set:     set,
			Area:    area,
			Reach:   cmp.Or(s.Reach, model.ReachArea),
			Mode:    cmp.Or(s.Mode, model.Full),
			From:    s.From,
			Until:   s.Until,
			Reason:  strings.TrimSpace(s.Reason),
		}
		switch {
		case !active:
			retired = cmp.Or(retired, title)
		case slices.ContainsFunc(t.given[at.User], func(b *model.Assignment) bool { return b.Key() == a.Key() }):
			held++
		default:
			a.ID = t.newID(a)
			t.given[at.User] = append(t.given[at.User], a)
			t.act(at, change.Op{Kind: model.KindAssignment, ID: a.ID, After: a})
			if role != "" {
				roles = append(roles, role)
			} else {
				sets = append(sets, set)
			}
		}
	}
	for _, id := range s.Roles {
		r, _ := t.d.Roles.Find(id)
		give(id, "", r.State == model.Active, r.Name)
	}
	for _, id := range s.Sets {
		set, _ := t.d.Sets.Find(id)
		give("", id, set.State == model.Active, set.Name)
	}
	new := len(roles) + len(sets)
	switch all := len(s.Roles) + len(s.Sets); {
	case new == 0 && retired != "":
		return not("“%s” is retired and gives nothing.", retired)
	case new == 0:
		return already("Is assigned all of it on these terms.")
	default:
		var what []string
		if len(roles) > 0 {
			what = append(what, t.names(model.KindRole, "roles", roles))
		}
		if len(sets) > 0 {
			what = append(what, t.names(model.KindSet, "sets", sets))
		}
		said := "Is assigned " + strings.Join(what, " and ")
		if area != "" {
			said += " at " + t.names(model.KindArea, "areas", []string{area})
		}
		if held > 0 {
			said += fmt.Sprintf("; %d of %d are held already", held, all)
		}
		if retired != "" {
			said += "; “" + retired + "” is retired and left out"
		}
		return does("%s.", said)
	}
}

// newID makes the id of an assignment that is to be: the same whenever the same is tried.
func (t *trying) newID(a *model.Assignment) string {
	h := fnv.New64a()
	_, _ = fmt.Fprintf(h, "%+v", a.Key())
	base := fmt.Sprintf("w-%012x", h.Sum64()>>16)
	id := base
	for n := 2; t.ids[id] || t.d.Get(model.KindAssignment, id) != nil; n++ {
		id = fmt.Sprintf("%s-%d", base, n)
	}
	t.ids[id] = true
	return id
}

func (t *trying) revoke(at At, s *Step) Outcome {
	any := len(s.Roles)+len(s.Sets) == 0
	n := 0
	var what []string
	t.given[at.User] = slices.DeleteFunc(slices.Clone(t.given[at.User]), func(a *model.Assignment) bool {
		if !any && !slices.Contains(s.Roles, a.Role) && !slices.Contains(s.Sets, a.Set) {
			return false
		}
		n++
		if a.Role != "" {
			what = append(what, t.names(model.KindRole, "", []string{a.Role}))
		} else {
			what = append(what, t.names(model.KindSet, "", []string{a.Set}))
		}
		t.act(at, change.Delete(a))
		return true
	})
	slices.Sort(what)
	switch what = slices.Compact(what); {
	case n == 0:
		return already("Is assigned nothing of it by hand.")
	case len(what) > 3:
		return does("Loses %d assignments.", n)
	}
	return does("Loses the assignment of %s.", strings.Join(what, ", "))
}

func (t *trying) membership(at At, s *Step) Outcome {
	groups := s.Groups
	in := t.listed[at.User]
	if s.Do == Leave && len(groups) == 0 {
		groups = slices.DeleteFunc(slices.Clone(in), func(g string) bool { return unlisted(t.d, g) != "" })
	}
	var moved []string
	for _, g := range groups {
		if slices.Contains(in, g) == (s.Do == Join) {
			continue
		}
		moved = append(moved, g)
		if t.joined[g] == nil {
			t.joined[g] = map[string]bool{}
		}
		t.act(at, change.Op{Kind: model.KindGroup, ID: g})
		t.joined[g][at.User] = s.Do == Join
	}
	in = slices.DeleteFunc(slices.Clone(in), func(g string) bool { return s.Do == Leave && slices.Contains(moved, g) })
	if s.Do == Join {
		in = append(in, moved...)
	}
	t.listed[at.User] = in
	called := t.names(model.KindGroup, "groups", moved)
	switch {
	case len(moved) == 0 && s.Do == Join:
		return already("Is in all of these groups.")
	case len(moved) == 0:
		return already("Is listed in none of these groups.")
	case s.Do == Join:
		return does("Joins %s.", called)
	}
	return does("Leaves %s.", called)
}

// states say from which states a step leads to which, and what is said.
var states = map[Do]struct {
	from []model.UserState
	to   model.UserState
	said string
}{
	Lock:       {[]model.UserState{model.UserActive}, model.UserLocked, "Is locked."},
	Unlock:     {[]model.UserState{model.UserLocked}, model.UserActive, "Is unlocked."},
	Deactivate: {[]model.UserState{model.UserActive, model.UserLocked}, model.UserDeactivated, "Is deactivated."},
	BringBack:  {[]model.UserState{model.UserDeactivated}, model.UserActive, "Is brought back."},
	Cancel:     {[]model.UserState{model.UserInvited}, model.UserDeactivated, "The invitation is cancelled."},
}

// handed are the fields in which a successor takes the place of whoever is deleted, by kind, and how that is said.
var handed = []struct {
	kind             model.Kind
	field, one, many string
}{
	{model.KindRole, "owner", "role owned", "roles owned"},
	{model.KindSet, "owner", "permission set owned", "permission sets owned"},
	{model.KindGroup, "owner", "group owned", "groups owned"},
	{model.KindUser, "manager", "person managed", managed},
	{model.KindDelegation, "delegate", "delegation", "delegations"},
}

// managed is how it is said that people report to somebody.
const managed = "people managed"

// finish puts the change together.
func (t *trying) finish(steps []Step) {
	var ops []change.Op
	for _, r := range t.trial.Rows {
		t.trial.Acts = append(t.trial.Acts, t.acts[r.User]...)
		for _, a := range t.acts[r.User] {
			if a.Kind != model.KindGroup && steps[a.Step].Do != Delete { // both are put together below
				ops = append(ops, a.Op)
			}
		}
	}
	for _, id := range slices.Sorted(maps.Keys(t.joined)) {
		if op, changed := t.group(id); changed {
			ops = append(ops, op)
		}
	}
	ops = change.Compact(ops)
	if len(t.leaves) > 0 {
		leaving := map[string][]change.Choice{}
		for id, n := range t.leaves {
			leaving[id] = []change.Choice{}
			for _, h := range handed {
				leaving[id] = append(leaving[id], change.Choice{From: h.kind, Field: h.field, To: steps[n].Successor})
			}
		}
		ops = change.Compact(append(ops, change.ReleaseAll(change.Lay(t.d, ops), model.KindUser, leaving)...))
	}
	t.trial.Ops = ops
	t.trial.After = slices.DeleteFunc(t.trial.After, func(a At) bool { _, leaves := t.leaves[a.User]; return leaves })
}

// group is what becomes of the list of a group's members.
func (t *trying) group(id string) (op change.Op, changed bool) {
	was, _ := t.d.Groups.Find(id)
	after := change.Clone(was)
	after.Users = slices.DeleteFunc(after.Users, func(u string) bool {
		stays, moves := t.joined[id][u]
		return moves && !stays
	})
	listed := make(map[string]bool, len(after.Users))
	for _, u := range after.Users {
		listed[u] = true
	}
	for u, joins := range t.joined[id] {
		if joins && !listed[u] {
			after.Users = append(after.Users, u)
		}
	}
	slices.Sort(after.Users)
	return change.Op{Kind: model.KindGroup, ID: id, Before: was, After: after}, !change.Equal(was, after)
}

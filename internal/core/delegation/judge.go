package delegation

import (
	"fmt"
	"iter"
	"slices"
	"strings"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Judge says why the operations of a change are not the delegate's to make; nothing if they are. After is the design
// with the whole change made, or nil if that is not well-formed. Every rule is asked of the design before the change
// and of the one after it.
func (a *Authority) Judge(ops []change.Op, after *ahead.View) (out []*Refused) {
	j := a.judging(after)
	for _, op := range ops {
		if r := j.op(op); r != nil {
			out = append(out, r)
		}
	}
	return out
}

// JudgeMembers is Judge of a change of a group's members, one by one: why each is not the delegate's to put in or take
// out, by their ids.
func (a *Authority) JudgeMembers(op change.Op, after *ahead.View) map[string]*Refused {
	out := map[string]*Refused{}
	j := a.judging(after)
	before, existed := op.Before.(*model.Group)
	now, exists := op.After.(*model.Group)
	if !existed || !exists {
		return out
	}
	for user := range moved(before, now) {
		if r := j.member(op.ID, user); r != nil {
			out[user] = r
		}
	}
	return out
}

func (a *Authority) judging(after *ahead.View) *judge {
	j := &judge{a, after, []*ahead.View{a.view}}
	if after != nil {
		j.both = append(j.both, after)
	}
	return j
}

type judge struct {
	*Authority
	after *ahead.View
	both  []*ahead.View // the designs before and after, as far as there is one
}

func refuse(format string, args ...any) *Refused {
	return &Refused{Reason: fmt.Sprintf(format, args...)}
}

// unknown is what is said of something that the delegate does not see, whether it exists or not.
func unknown(kind model.Kind, id string) *Refused {
	return refuse("There is no %s %q.", kind.Word(), id)
}

// hidden is said of a change to something that is there and that the delegate does not see. They need not have named
// it: it may hang on what they did, as what somebody owns does who is deleted.
func hidden() *Refused {
	return refuse("This would also change something that is not among what is delegated to you.")
}

func (j *judge) op(op change.Op) *Refused {
	if j.Empty() {
		return refuse("Nothing is delegated to you.")
	}
	switch op.Kind {
	case model.KindAssignment:
		return j.assignment(op)
	case model.KindGroup:
		return j.group(op)
	case model.KindUser:
		return j.account(op)
	}
	if op.Before != nil && j.sight().Get(op.Kind, op.ID) == nil {
		return hidden()
	}
	return refuse(
		"%s cannot be changed through a delegation: a delegation is about people, what is assigned to them, and the "+
			"members of groups.",
		upper(change.Title(op)),
	)
}

// assignment asks for the right to take what was, and to give what is to be.
func (j *judge) assignment(op change.Op) *Refused {
	for _, side := range []struct {
		action string
		value  model.Object
	}{{Revoke, op.Before}, {Assign, op.After}} {
		if side.value == nil {
			continue
		}
		g := side.value.(*model.Assignment)
		if op.Before != nil && j.sight().Get(model.KindAssignment, op.ID) == nil {
			return hidden()
		}
		if g.Subject.User == "" {
			return refuse("A delegation lets one assign to people, not to a group.")
		}
		for _, ref := range []struct {
			kind model.Kind
			id   string
		}{{model.KindRole, g.Role}, {model.KindSet, g.Set}, {model.KindArea, g.Area}} {
			if ref.id != "" && j.sight().Get(ref.kind, ref.id) == nil {
				return unknown(ref.kind, ref.id)
			}
		}
		if r := j.person(Act{Action: side.action, Assignment: g}, g.Subject.User); r != nil {
			return r
		}
	}
	return nil
}

// person asks whether an act on somebody is covered, as they stand before the change and after it.
func (j *judge) person(act Act, id string) *Refused {
	var in []*ahead.View
	for _, v := range j.both {
		if u, ok := v.Now().Design().Users.Find(id); ok {
			in, act.User = append(in, v), u
		}
	}
	if len(in) == 0 || !j.knows(id) {
		return unknown(model.KindUser, id)
	}
	return j.check(act, in...)
}

// knows tells whether the delegate sees a person, who may be new.
func (j *judge) knows(id string) bool {
	return j.x.Design().Get(model.KindUser, id) == nil || j.sight().Get(model.KindUser, id) != nil
}

// group lets only the people who are listed in a group change.
func (j *judge) group(op change.Op) *Refused {
	before, existed := op.Before.(*model.Group)
	now, exists := op.After.(*model.Group)
	if existed && j.sight().Get(model.KindGroup, op.ID) == nil {
		return hidden()
	}
	if !existed || !exists {
		return refuse("%s cannot be made or deleted through a delegation, only its members changed.", upper(change.Title(op)))
	}
	rest := change.Clone(now)
	rest.Users = before.Users
	if !change.Equal(before, rest) {
		return refuse("%s: only which people are listed in it can be changed through a delegation.", upper(change.Title(op)))
	}
	for user := range moved(before, now) {
		if r := j.member(op.ID, user); r != nil {
			return r
		}
	}
	return nil
}

// moved gives the people who are listed in only one of two states of a group.
func moved(before, now *model.Group) iter.Seq[string] {
	return func(yield func(user string) bool) {
		for _, lists := range [][2][]string{{before.Users, now.Users}, {now.Users, before.Users}} {
			had := set(lists[0])
			for _, u := range lists[1] {
				if !had[u] && !yield(u) {
					return
				}
			}
		}
	}
}

// member asks whether somebody may be put into a group, or taken out of it.
func (j *judge) member(group, user string) *Refused {
	if r := j.person(Act{Action: Membership, Group: group}, user); r != nil {
		return r
	}
	return j.reach(user)
}

func set(list []string) map[string]bool {
	out := make(map[string]bool, len(list))
	for _, id := range list {
		out[id] = true
	}
	return out
}

// actionsOf gives the actions that a change of a person takes, or says what cannot be changed through a delegation.
func actionsOf(before, now *model.User) (actions []string, r *Refused) {
	add := func(action string) {
		if !slices.Contains(actions, action) {
			actions = append(actions, action)
		}
	}
	if before.State != now.State {
		states := []model.UserState{before.State, now.State}
		switch {
		case before.State == model.UserInvited && now.State == model.UserDeactivated:
			add(Invite) // the invitation is cancelled
		case slices.Contains(states, model.UserInvited) || slices.Contains(states, model.UserDeleted):
			return nil, refuse("%s becomes active by accepting the invitation, not by an edit.", now.DisplayName)
		case slices.Contains(states, model.UserDeactivated):
			add(Deactivate)
			if slices.Contains(states, model.UserLocked) {
				add(Lock)
			}
		default:
			add(Lock)
		}
	}
	if !before.From.Equal(now.From) || !before.Until.Equal(now.Until) {
		add(Lock)
	}
	if before.Area != now.Area || before.Manager != now.Manager {
		add(Move)
	}
	if !slices.Equal(before.Licences, now.Licences) {
		add(Seat)
	}
	if before.Email != now.Email {
		if before.State != model.UserInvited || now.State != model.UserInvited {
			return nil, refuse(
				"The e-mail address of %s is not changed through a delegation once they have accepted their invitation.",
				before.DisplayName,
			)
		}
		add(Invite)
	}
	rest := change.Clone(now)
	rest.State, rest.From, rest.Until = before.State, before.From, before.Until
	rest.Area, rest.Manager, rest.Licences, rest.Email = before.Area, before.Manager, before.Licences, before.Email
	if !change.Equal(before, rest) {
		rest.DisplayName, rest.JobTitle, rest.Department = before.DisplayName, before.JobTitle, before.Department
		rest.UserType, rest.Qualifications = before.UserType, before.Qualifications
		if !change.Equal(before, rest) {
			return nil, refuse(
				"Of %s, the user name, the external id, who keeps the account and last uses are not changed through a delegation.",
				before.DisplayName,
			)
		}
		add(Edit)
	}
	return actions, nil
}

func (j *judge) account(op change.Op) *Refused {
	before, existed := op.Before.(*model.User)
	now, exists := op.After.(*model.User)
	if existed && !j.knows(op.ID) {
		return hidden()
	}
	if !exists || now.State == model.UserDeleted {
		return refuse("%s cannot be deleted through a delegation, only deactivated.", upper(change.Title(op)))
	}
	var actions []string
	if existed {
		var r *Refused
		if actions, r = actionsOf(before, now); r != nil {
			return r
		}
	} else {
		switch {
		case now.State != model.UserInvited:
			return refuse("%s can only be invited through a delegation: they become active when they accept.", now.DisplayName)
		case j.isOwn(now.Email):
			return refuse("%s has your own e-mail address: nobody acts on themselves, under another name either.",
				now.DisplayName)
		case now.ExternalID != "" || now.Source == model.Directory:
			return refuse("Through a delegation, %s is invited without an external id or a directory.", now.DisplayName)
		}
		actions = append(actions, Invite)
		if len(now.Licences) > 0 {
			actions = append(actions, Seat)
		}
		before = &model.User{}
	}
	if r := j.names(before, now); r != nil {
		return r
	}
	if existed && before.Email != now.Email && j.isOwn(now.Email) {
		return refuse("That is your own e-mail address: nobody acts on themselves, under another name either.")
	}
	if !existed && j.after == nil {
		return nil // that the design is not well-formed stands against it, and there is nobody yet to be asked about
	}
	for _, action := range actions {
		if r := j.person(Act{Action: action, User: now}, now.ID); r != nil {
			return r
		}
	}
	if r := j.joins(now); r != nil {
		return r
	}
	if existed {
		if r := j.reach(now.ID); r != nil {
			return r
		}
	}
	if now.Manager != "" && now.Manager != before.Manager {
		return j.line(now)
	}
	return nil
}

// isOwn tells whether an e-mail address is the delegate's.
func (j *judge) isOwn(email string) bool {
	u, _ := j.x.Design().Users.Find(j.Authority.user)
	return email != "" && strings.EqualFold(strings.TrimSpace(email), strings.TrimSpace(u.Email))
}

// names refuses an area, manager or licence that comes in by a change and is not seen.
func (j *judge) names(before, now *model.User) *Refused {
	if now.Area != before.Area && now.Area != "" && j.sight().Get(model.KindArea, now.Area) == nil {
		return unknown(model.KindArea, now.Area)
	}
	if now.Manager != before.Manager && now.Manager != "" && !j.knows(now.Manager) {
		return unknown(model.KindUser, now.Manager)
	}
	for _, l := range now.Licences {
		if !slices.Contains(before.Licences, l) && j.sight().Get(model.KindLicence, l) == nil {
			return unknown(model.KindLicence, l)
		}
	}
	return nil
}

// joins refuses what brings a person into a rule group, by any attribute but state and validity, that is not covered
// as a membership of it (rule 3). Somebody invited is judged as they will be when live.
func (j *judge) joins(u *model.User) *Refused {
	if j.after == nil {
		return nil
	}
	for _, g := range j.after.Now().Design().Groups {
		if g.Type != model.Rule || !j.after.Live().InGroup(u.ID, g.ID) {
			continue
		}
		if _, is := j.x.Design().Users.Find(u.ID); is && j.view.Live().InGroup(u.ID, g.ID) || !j.hangs(g.ID) {
			continue
		}
		if r := j.person(Act{Action: Membership, Group: g.ID}, u.ID); r != nil {
			return refuse(
				"This would bring %s, by its rule, into %s, whose members are not yours to choose or hold more than you could "+
					"assign.",
				u.DisplayName,
				j.aGroup(g.ID),
			)
		}
	}
	return nil
}

// aGroup names a group if the delegate sees it.
func (j *judge) aGroup(id string) string {
	if j.sight().Get(model.KindGroup, id) != nil {
		return j.called(model.KindGroup, id)
	}
	return "a group"
}

// hangs tells whether something is given by a group, or by one that it is nested in: an assignment or a delegation,
// in force or to come.
func (j *judge) hangs(group string) bool {
	for _, v := range j.both {
		x := v.Now()
		if slices.ContainsFunc(
			x.GrantsTo(group),
			func(g *model.Assignment) bool { return g.Until.IsZero() || j.at.Before(g.Until) },
		) {
			return true
		}
		above := x.Nesting(group)
		if slices.ContainsFunc(x.Design().Delegations, func(d *model.Delegation) bool {
			return slices.Contains(above, d.Delegate.Group) && (d.Until.IsZero() || j.at.Before(d.Until))
		}) {
			return true
		}
	}
	return false
}

// reach refuses what changes which of the delegate's own delegations cover a person (rule 4).
func (j *judge) reach(id string) *Refused {
	if j.after == nil {
		return nil
	}
	was, ok := j.x.Design().Users.Find(id)
	is, stays := j.after.Now().Design().Users.Find(id)
	if !ok || !stays {
		return nil // somebody new is invited into the people of a delegation
	}
	for _, d := range j.own {
		if j.covers(j.x, d, was) != j.covers(j.after.Now(), d, is) {
			return &Refused{d.ID, fmt.Sprintf(
				"This would change whether your own delegation “%s” covers %s, which nobody does through a delegation.",
				d.Name,
				is.DisplayName,
			)}
		}
	}
	return nil
}

// line refuses a manager who would come to hold, over a person's records, what the delegate could not assign to them;
// likewise whoever stands above that manager (rule 5).
func (j *judge) line(u *model.User) *Refused {
	if j.after == nil {
		return nil
	}
	for _, v := range j.both {
		seen := map[string]bool{}
		d := v.Now().Design()
		for id := u.Manager; id != "" && !seen[id]; {
			seen[id] = true
			m, ok := d.Users.Find(id)
			if !ok {
				break
			}
			if j.unassignable(v, m) {
				return refuse(
					"%s would report to somebody who, directly or above that, holds permissions over the records of their line "+
						"which you could not assign.",
					u.DisplayName,
				)
			}
			id = m.Manager
		}
	}
	return nil
}

// unassignable tells whether a person holds, or would hold when live, something with reach line that the delegate could
// not assign to them.
func (j *judge) unassignable(v *ahead.View, m *model.User) bool {
	lines := slices.DeleteFunc(v.AllLatent(m.ID, j.at), func(s index.Span) bool {
		return s.Reach != model.ReachLine
	})
	if len(lines) == 0 {
		return false
	}
	if m.ID == j.user || j.below(v, m.ID) != nil {
		return true // nobody assigns to themselves, nor to who stands above them
	}
	return slices.ContainsFunc(lines, func(s index.Span) bool { return !j.mayGive(v.Now(), s, m) })
}

// mayGive tells whether a role or set that the delegate may assign to a person gives a permission over an area, with
// reach line, for as long.
func (j *judge) mayGive(x *index.Index, s index.Span, m *model.User) bool {
	for _, d := range j.given {
		if !slices.Contains(d.Actions, Assign) || !j.covers(x, d, m) {
			continue
		}
		try := func(kind model.Kind, id string, g model.Assignment) bool {
			_, gives := slices.BinarySearch(x.Content(kind, id), s.Permission)
			g.Area, g.From, g.Until = s.Area, s.From, s.Until
			_, why := j.grantAgainst(d, &g, true)
			return gives && why == ""
		}
		for _, id := range d.Roles {
			if try(model.KindRole, id, model.Assignment{Role: id}) {
				return true
			}
		}
		for _, id := range d.Sets {
			if try(model.KindSet, id, model.Assignment{Set: id}) {
				return true
			}
		}
	}
	return false
}

func upper(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

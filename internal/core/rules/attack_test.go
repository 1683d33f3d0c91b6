package rules

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// attack is what a delegate tries: a change from one design to another, at an instant. Its methods read §9 plainly.
type attack struct {
	before, after plain
	delegate      string
	t             time.Time
}

// awake is a design in which everybody who is not deleted is live at all times.
func (p plain) awake() plain {
	d := *p.Design
	d.Users = nil
	for _, u := range p.Users {
		c := *u
		if c.State != model.UserDeleted {
			c.State, c.From, c.Until = model.UserActive, time.Time{}, time.Time{}
		}
		d.Users = append(d.Users, &c)
	}
	return plain{&d}
}

// instants are t and all at which anything of a design begins or ends after it.
func (p plain) instants(t time.Time) []time.Time {
	out := []time.Time{t}
	add := func(list ...time.Time) {
		for _, x := range list {
			if x.After(t) {
				out = append(out, x)
			}
		}
	}
	for _, u := range p.Users {
		add(u.From, u.Until)
	}
	for _, a := range p.Assignments {
		add(a.From, a.Until)
	}
	return out
}

// ever is what somebody who is not deleted holds at t or later by what is written, or would if they were live.
func (p plain) ever(user string, t time.Time) map[index.Holding]bool {
	out := map[index.Holding]bool{}
	if u, ok := p.Users.Find(user); !ok || u.State == model.UserDeleted {
		return out
	}
	as := p.awake()
	for _, at := range p.instants(t) {
		for h := range as.effective(user, at) {
			out[h] = true
		}
	}
	return out
}

var widths = map[model.Reach]int{model.ReachOwn: 0, model.ReachLine: 1, model.ReachArea: 2}

// above says whether somebody holds, or will, what puts them above the delegate (rule 6).
func (k attack) above(p plain, user string) bool {
	for h := range p.ever(user, k.t) {
		if p.permission(h.Permission).Risk < 3 && !strings.HasPrefix(h.Permission, model.OwnSystem+":") {
			continue
		}
		covered := false
		for mine := range k.before.effective(k.delegate, k.t) {
			covered = covered ||
				mine.Permission == h.Permission && p.covers(mine.Area, h.Area) && widths[mine.Reach] >= widths[h.Reach]
		}
		if !covered {
			return true
		}
	}
	return false
}

// may says whether one delegation covers an act on somebody, in both designs (rules 1, 2 and 6).
func (k attack) may(act delegation.Act, user string) bool {
	u, ok := k.before.Users.Find(k.delegate)
	if !ok || !k.before.live(u, k.t) || user == k.delegate {
		return false
	}
	there := 0
	for _, p := range []plain{k.before, k.after} {
		if _, ok := p.Users.Find(user); ok {
			there++
			if k.above(p, user) {
				return false
			}
		}
	}
	return there > 0 && slices.ContainsFunc(k.before.Delegations, func(g *model.Delegation) bool {
		if !k.before.given(g, k.delegate, k.t) || !slices.Contains(g.Actions, act.Action) {
			return false
		}
		for _, p := range []plain{k.before, k.after} {
			if u, ok := p.Users.Find(user); ok {
				act.User = u
				if !p.about(g, u) || !p.inside(g, k.delegate, act, k.t) {
					return false
				}
			}
		}
		return true
	})
}

// permitted says whether all six rules let the delegate make a change.
func (k attack) permitted(ops []change.Op) bool {
	for _, o := range ops {
		ok := false
		switch o.Kind {
		case model.KindAssignment:
			ok = k.assigning(o)
		case model.KindGroup:
			ok = k.listing(o)
		case model.KindUser:
			ok = k.person(o)
		}
		if !ok {
			return false
		}
	}
	return true
}

func (k attack) assigning(o change.Op) bool {
	for action, side := range map[string]model.Object{delegation.Revoke: o.Before, delegation.Assign: o.After} {
		if a, ok := side.(*model.Assignment); ok &&
			(a.Subject.User == "" || !k.may(delegation.Act{Action: action, Assignment: a}, a.Subject.User)) {
			return false
		}
	}
	return true
}

func (k attack) listing(o change.Op) bool {
	was, ok1 := o.Before.(*model.Group)
	is, ok2 := o.After.(*model.Group)
	if !ok1 || !ok2 {
		return false
	}
	for _, u := range slices.Concat(was.Users, is.Users) {
		if slices.Contains(was.Users, u) == slices.Contains(is.Users, u) {
			continue
		}
		if !k.may(delegation.Act{Action: delegation.Membership, Group: is.ID}, u) || !k.keepsReach(u) {
			return false
		}
	}
	return true
}

// keepsReach is rule 4.
func (k attack) keepsReach(user string) bool {
	was, ok1 := k.before.Users.Find(user)
	is, ok2 := k.after.Users.Find(user)
	for _, g := range k.before.Delegations {
		own := g.Delegate.User == k.delegate || g.Delegate.Group != "" && k.before.member(k.delegate, g.Delegate.Group)
		if own && (g.Until.IsZero() || g.Until.After(k.t)) && ok1 && ok2 && k.before.about(g, was) != k.after.about(g, is) {
			return false
		}
	}
	return true
}

func (k attack) person(o change.Op) bool {
	was, existed := o.Before.(*model.User)
	is, exists := o.After.(*model.User)
	if !exists || is.State == model.UserDeleted {
		return false
	}
	var needs []string
	if !existed {
		if is.State != model.UserInvited {
			return false
		}
		was = &model.User{}
		needs = append(needs, delegation.Invite)
	} else {
		switch {
		case was.State == is.State:
		case was.State == model.UserInvited && is.State == model.UserDeactivated:
			needs = append(needs, delegation.Invite)
		case was.State == model.UserInvited || is.State == model.UserInvited || was.State == model.UserDeleted:
			return false
		default:
			for _, s := range []model.UserState{was.State, is.State} {
				if s == model.UserDeactivated {
					needs = append(needs, delegation.Deactivate)
				} else if s == model.UserLocked {
					needs = append(needs, delegation.Lock)
				}
			}
		}
		if was.JobTitle != is.JobTitle {
			needs = append(needs, delegation.Edit)
		}
		if was.Area != is.Area || was.Manager != is.Manager {
			needs = append(needs, delegation.Move)
		}
		if !was.From.Equal(is.From) || !was.Until.Equal(is.Until) {
			needs = append(needs, delegation.Lock)
		}
	}
	if !slices.Equal(was.Licences, is.Licences) {
		needs = append(needs, delegation.Seat)
	}
	for _, action := range needs {
		if !k.may(delegation.Act{Action: action}, is.ID) {
			return false
		}
	}
	return k.staysOut(is) && k.keepsReach(is.ID) && (is.Manager == "" || is.Manager == was.Manager || k.mayLead(is))
}

// staysOut is rule 3.
func (k attack) staysOut(u *model.User) bool {
	was, existed := k.before.awake().Users.Find(u.ID)
	is, _ := k.after.awake().Users.Find(u.ID)
	for _, g := range k.after.Groups {
		if g.Type != model.Rule || !k.after.awake().matches(g.Rule, is) || existed && k.before.awake().matches(g.Rule, was) {
			continue
		}
		hangs := slices.ContainsFunc(k.after.Assignments, func(a *model.Assignment) bool {
			return k.after.leadsTo(g.ID, a.Subject.Group) && (a.Until.IsZero() || a.Until.After(k.t))
		}) || slices.ContainsFunc(k.after.Delegations, func(d *model.Delegation) bool {
			return k.after.leadsTo(g.ID, d.Delegate.Group) && (d.Until.IsZero() || d.Until.After(k.t))
		})
		if hangs && !k.may(delegation.Act{Action: delegation.Membership, Group: g.ID}, u.ID) {
			return false
		}
	}
	return true
}

// mayLead is rule 5: the new manager, and all above, hold nothing over their line that could not be assigned to them.
func (k attack) mayLead(u *model.User) bool {
	for _, p := range []plain{k.before, k.after} {
		for id := u.Manager; id != ""; {
			m, ok := p.Users.Find(id)
			if !ok {
				break
			}
			for _, a := range p.Assignments {
				if !k.lineMayBeGiven(p, a, m) {
					return false
				}
			}
			id = m.Manager
		}
	}
	return true
}

func (k attack) lineMayBeGiven(p plain, a *model.Assignment, m *model.User) bool {
	as := p.awake()
	given := a.Subject.User == m.ID || a.Subject.Group != "" && as.member(m.ID, a.Subject.Group)
	begins := k.t
	if a.From.After(begins) {
		begins = a.From
	}
	over := !a.Until.IsZero() && !begins.Before(a.Until)
	if !given || a.Reach != model.ReachLine || over || m.State == model.UserDeleted {
		return true
	}
	for key := range p.carried(a) {
		if !p.licensed(m.ID, key) {
			continue
		}
		if m.ID == k.delegate || k.above(p, m.ID) ||
			!slices.ContainsFunc(k.before.Delegations, func(g *model.Delegation) bool {
				if !k.before.given(g, k.delegate, k.t) || !slices.Contains(g.Actions, delegation.Assign) || !p.about(g, m) {
					return false
				}
				like := model.Assignment{Area: a.Area, From: a.From, Until: a.Until}
				return slices.ContainsFunc(g.Roles, func(r string) bool {
					like.Role, like.Set = r, ""
					return p.role(r)[key] && p.mayAssign(g, &like, k.t)
				}) || slices.ContainsFunc(g.Sets, func(s string) bool {
					like.Role, like.Set = "", s
					return p.set(s)[key] && p.mayAssign(g, &like, k.t)
				})
			}) {
			return false
		}
	}
	return true
}

// try makes a change that a delegate might try on people: of those that they see, and sometimes of others.
func (r random) try(d *model.Design, part *model.Design) change.Op {
	person := func() *model.User {
		if r.chance(80) {
			return pick(r, part.Users)
		}
		return pick(r, d.Users)
	}
	edited := func(do func(*model.User)) change.Op {
		u, _ := d.Users.Find(person().ID)
		u = change.Clone(u)
		do(u)
		return change.Put(d, u)
	}
	switch r.IntN(9) {
	case 0:
		return edited(func(u *model.User) { u.JobTitle = pick(r, titles) })
	case 1:
		return edited(func(u *model.User) { u.Area = pick(r, part.Areas).ID })
	case 2:
		return edited(func(u *model.User) {
			if m := pick(r, part.Users).ID; m < u.ID { // so that the line stays acyclic
				u.Manager = m
			}
		})
	case 3:
		return edited(func(u *model.User) {
			u.State = pick(r, []model.UserState{model.UserActive, model.UserLocked, model.UserDeactivated, model.UserInvited})
		})
	case 4:
		return edited(func(u *model.User) { u.From, u.Until = r.instant(), r.instant() })
	case 5:
		if len(part.Licences) == 0 {
			break
		}
		return edited(func(u *model.User) { u.Licences = []string{pick(r, part.Licences).ID} })
	case 6:
		u := &model.User{
			ID:          "u9",
			UserName:    "Name-u9",
			DisplayName: "u9",
			State:       model.UserInvited,
			JobTitle:    pick(r, titles),
		}
		u.Area = pick(r, part.Areas).ID
		if r.chance(30) {
			u.Manager = pick(r, part.Users).ID
		}
		return change.Put(d, u)
	case 7:
		named := pick(r, d.Groups).ID
		if own := pick(r, part.Delegations).Groups; len(own) > 0 && r.chance(80) {
			named = pick(r, own)
		}
		g, _ := d.Groups.Find(named)
		g = change.Clone(g)
		if u := person().ID; g.Type == model.Static {
			if i := slices.Index(g.Users, u); i >= 0 {
				g.Users = slices.DeleteFunc(slices.Clone(g.Users), func(o string) bool { return o == u })
			} else {
				g.Users = append(slices.Clone(g.Users), u)
			}
		}
		return change.Put(d, g)
	}
	a := &model.Assignment{
		ID: "new", Subject: model.Subject{User: person().ID}, Role: pick(r, d.Roles).ID, Reach: model.ReachArea,
		Mode: model.Full,
	}
	if r.chance(50) {
		a.Until = now.AddDate(0, 0, r.IntN(100))
	}
	if r.chance(50) {
		a.Area = pick(r, d.Areas).ID
	}
	return change.Put(d, a)
}

// Whatever a delegate tries, alone or in two acts at once, is permitted exactly where the six rules of §9 read plainly
// permit it. So nobody ever holds by it what no rule allowed.
func TestNobodyGetsMoreThanTheRulesAllow(t *testing.T) {
	permitted, refused := map[model.Kind]int{}, map[model.Kind]int{}
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		view := ahead.Of(x)
		for _, delegate := range everybody(d) {
			a := delegation.Of(view, delegate, now)
			if a.Empty() {
				continue
			}
			part := a.Part()
			for range 20 {
				ops := []change.Op{r.try(d, part)}
				if r.chance(25) {
					ops = change.Compact(append(ops, r.try(change.Lay(d, ops), part)))
				}
				after, _ := change.Apply(d, ops)
				// The root area that was named is none, so an operation can come to nothing.
				ops = slices.DeleteFunc(ops, func(o change.Op) bool { return len(told(d, o)) == 0 })
				if after == nil || len(ops) == 0 {
					continue
				}
				against := a.Judge(ops, view.Next(x.Update(after)))
				want := attack{plain{d}, plain{after}, delegate, now}.permitted(ops)
				if (len(against) == 0) != want {
					var what []string
					for _, o := range ops {
						what = append(what, strings.Join(told(d, o), "; "))
					}
					t.Fatalf(
						"%s: %q %+v %+v\nrefused: %v, want permitted: %v",
						delegate,
						what,
						ops[0].Before,
						ops[0].After,
						against,
						want,
					)
				}
				if kind := ops[0].Kind; want {
					permitted[kind]++
				} else {
					refused[kind]++
				}
			}
		}
	})
	for _, kind := range []model.Kind{model.KindUser, model.KindGroup, model.KindAssignment} {
		if permitted[kind] < 12 || refused[kind] < 100 {
			t.Errorf("of %s %d were permitted and %d refused: too few to prove anything", kind, permitted[kind], refused[kind])
		}
	}
}

// told says in words what an operation does.
func told(d *model.Design, o change.Op) (out []string) {
	for _, s := range change.Sentences([]change.Op{o}, change.NamesIn(d)) {
		out = append(out, s.String())
	}
	return out
}

// Package leaving finds what somebody leaves behind who goes, and makes the change by which all that they have ends on
// a day and others take the rest over.
package leaving

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// Duty is an object that names somebody in a field, by which they answer for it: as its owner, as a manager, as a
// delegate.
type Duty struct {
	Kind  model.Kind
	ID    string
	Field string
}

// fields are those that make a duty.
var fields = map[model.Kind]string{
	model.KindRole: "owner", model.KindSet: "owner", model.KindGroup: "owner", model.KindUser: "manager",
	model.KindDelegation: "delegate",
}

// Duties gives what somebody answers for, by kind in the order of the model file and then by id. Of whom they manage,
// it is those whose manager no directory tells.
func Duties(d *model.Design, user string) (out []Duty) {
	d.EachNaming(model.KindUser, func(o model.Object) {
		if fields[o.Kind()] == "" { // as with most, which are assignments
			return
		}
		if u, is := o.(*model.User); is && (u.State == model.UserDeleted || u.Source == model.Directory) {
			return
		}
		model.EachMention(o, model.KindUser, func(field, id string) {
			if duty := (Duty{o.Kind(), o.Ident(), field}); id == user && field == fields[o.Kind()] &&
				!slices.Contains(out, duty) {
				out = append(out, duty)
			}
		})
	})
	rank := func(k model.Kind) int {
		return slices.Index([]model.Kind{
			model.KindRole, model.KindSet, model.KindGroup, model.KindUser, model.KindDelegation,
		}, k)
	}
	slices.SortFunc(out, func(a, b Duty) int { return cmp.Or(rank(a.Kind)-rank(b.Kind), cmp.Compare(a.ID, b.ID)) })
	return out
}

// Told gives who reports to somebody by what a directory tells, sorted.
func Told(d *model.Design, user string) (out []string) {
	for _, u := range d.Users {
		if u.Manager == user && u.Source == model.Directory && u.State != model.UserDeleted {
			out = append(out, u.ID)
		}
	}
	return out
}

// ByHand gives what is assigned to somebody by hand and has not ended at t, by id.
func ByHand(d *model.Design, user string, t time.Time) (out []*model.Assignment) {
	for _, a := range d.Assignments {
		if a.Subject.User == user && (a.Until.IsZero() || t.Before(a.Until)) {
			out = append(out, a)
		}
	}
	return out
}

// Plan says when somebody leaves, and who takes over what.
type Plan struct {
	User string
	On   time.Time // from when on they have nothing any longer
	// Who takes over each duty; the others stay without anybody: owners and managers are taken away, and delegations end.
	Duties map[Duty]string
	// Who is given what they were assigned by hand, from that day on, by its id.
	Grants map[string]string
}

// Before is what a plan cuts short, so that it can be given back.
type Before struct {
	Until  time.Time            // of the account
	Grants map[string]time.Time // when assignments would have ended, by id; zero: never
}

// Ops gives the change that a plan makes at t. Whoever leaves keeps all that they have until the day; who answers for
// what becomes so at once, since they can still be asked. What is wrong with the plan is a sentence.
func (p *Plan) Ops(d *model.Design, t time.Time) (ops []change.Op, before Before, wrong string) {
	leaver, ok := d.Users.Find(p.User)
	switch {
	case !ok || leaver.State == model.UserDeleted:
		return nil, before, "There is nobody of this id any longer."
	case !t.Before(p.On):
		return nil, before, "Choose a day to come."
	case !leaver.From.IsZero() && !leaver.From.Before(p.On):
		return nil, before, leaver.DisplayName + " begins only on " + model.Day(leaver.From) + "."
	}
	for _, to := range p.successors() {
		if wrong := p.unfit(d, leaver, to); wrong != "" {
			return nil, before, wrong
		}
	}
	for _, duty := range Duties(d, p.User) {
		ops = append(ops, p.hand(d, leaver, duty)...)
	}
	before = Before{leaver.Until, map[string]time.Time{}}
	for _, a := range ByHand(d, p.User, t) {
		if to := p.Grants[a.ID]; to != "" {
			given := change.Clone(a)
			given.ID, given.Subject = fresh(d, ops, a.ID), model.Subject{User: to}
			if given.From.Before(p.On) {
				given.From = p.On
			}
			if given.Until.IsZero() || given.From.Before(given.Until) {
				ops = append(ops, change.Put(d, given))
			}
		}
		switch {
		case !a.Until.IsZero() && !p.On.Before(a.Until): // it ends before
		case !a.From.Before(p.On): // it begins only then, when they are gone
		default:
			ends := change.Clone(a)
			ends.Until = p.On
			before.Grants[a.ID] = a.Until
			ops = append(ops, change.Put(d, ends))
		}
	}
	gone := change.Clone(leaver)
	if gone.Until.IsZero() || p.On.Before(gone.Until) {
		gone.Until = p.On
		ops = append(ops, change.Put(d, gone))
	}
	return change.Compact(ops), before, ""
}

func (p *Plan) successors() (out []string) {
	for _, to := range p.Duties {
		out = append(out, to)
	}
	for _, to := range p.Grants {
		out = append(out, to)
	}
	slices.Sort(out)
	return slices.DeleteFunc(slices.Compact(out), func(id string) bool { return id == "" })
}

// unfit says why somebody takes nothing over; empty if they can.
func (p *Plan) unfit(d *model.Design, leaver *model.User, to string) string {
	u, ok := d.Users.Find(to)
	switch {
	case !ok:
		return fmt.Sprintf("There is no person %q.", to)
	case to == p.User:
		return leaver.DisplayName + " cannot take over from themselves."
	case u.State == model.UserDeleted || u.State == model.UserDeactivated:
		return u.DisplayName + " is " + string(u.State) + ", and takes nothing over."
	case !u.Until.IsZero() && !p.On.Before(u.Until):
		return u.DisplayName + " leaves on " + model.LastDay(u.Until) + ", and takes nothing over."
	}
	return ""
}

// hand gives the change that hands one duty over.
func (p *Plan) hand(d *model.Design, leaver *model.User, duty Duty) []change.Op {
	to := p.Duties[duty]
	o := d.Get(duty.Kind, duty.ID)
	switch was := o.(type) {
	case *model.Delegation:
		var ops []change.Op
		if to != "" {
			given := change.Clone(was)
			given.ID, given.Delegate = fresh(d, nil, was.ID), model.Subject{User: to}
			if given.From.Before(p.On) {
				given.From = p.On
			}
			if given.Until.IsZero() || given.From.Before(given.Until) {
				ops = append(ops, change.Put(d, given))
			}
		}
		if was.From.Before(p.On) && (was.Until.IsZero() || p.On.Before(was.Until)) {
			ends := change.Clone(was)
			ends.Until = p.On
			ops = append(ops, change.Put(d, ends))
		}
		return ops
	case *model.User:
		after := change.Clone(was)
		if after.Manager = to; to == was.ID { // who takes over as a manager reports to whom the leaver did
			after.Manager = leaver.Manager
		}
		return []change.Op{change.Put(d, after)}
	}
	after := change.Clone(o)
	model.Rename(after, duty.Field, model.KindUser, map[string]string{p.User: to})
	return []change.Op{change.Put(d, after)}
}

// fresh makes an id for what goes on as a copy, the same whenever the same is planned.
func fresh(d *model.Design, ops []change.Op, id string) string {
	for n := 2; ; n++ {
		next := fmt.Sprintf("%.50s-%d", id, n)
		for _, k := range []model.Kind{model.KindAssignment, model.KindDelegation} {
			if d.Get(k, next) != nil || slices.ContainsFunc(ops, func(o change.Op) bool { return o.Kind == k && o.ID == next }) {
				next = ""
				break
			}
		}
		if next != "" {
			return next
		}
	}
}

// End gives the change that is made on the day itself: the account is deactivated, its seats come free, and the groups
// that list the person no longer do. Groups that a directory keeps are left to it.
func End(d *model.Design, user string) (ops []change.Op) {
	u, ok := d.Users.Find(user)
	if !ok || u.State == model.UserDeleted {
		return nil
	}
	gone := change.Clone(u)
	gone.State, gone.Licences = model.UserDeactivated, nil
	ops = append(ops, change.Put(d, gone))
	for _, g := range d.Groups {
		if g.Source == model.Directory || !slices.Contains(g.Users, user) {
			continue
		}
		after := change.Clone(g)
		after.Users = slices.DeleteFunc(after.Users, func(id string) bool { return id == user })
		ops = append(ops, change.Put(d, after))
	}
	return change.Compact(ops)
}

// Gone is what [End] took.
type Gone struct {
	Licences []string
	Groups   []string
}

// Taken gives what a change by [End] takes from somebody.
func Taken(ops []change.Op, user string) (g Gone) {
	for _, o := range ops {
		switch was := o.Before.(type) {
		case *model.User:
			g.Licences = was.Licences
		case *model.Group:
			if slices.Contains(was.Users, user) {
				g.Groups = append(g.Groups, was.ID)
			}
		}
	}
	return g
}

// Back gives the change that brings somebody back who has left on a day, with all that ended then and was not given to
// others. What cannot come back is told in sentences: seats that are taken, groups that there are no longer.
func Back(d *model.Design, user string, on time.Time, before Before, gone Gone) (ops []change.Op, not []string) {
	u, ok := d.Users.Find(user)
	if !ok || u.State == model.UserDeleted {
		return nil, []string{"There is nobody of this id any longer."}
	}
	back := change.Clone(u)
	if back.State == model.UserDeactivated {
		back.State = model.UserActive
	}
	if back.Until.Equal(on) {
		back.Until = before.Until
	}
	seats := d.SeatsUsed()
	for _, id := range gone.Licences {
		l, ok := d.Licences.Find(id)
		switch {
		case slices.Contains(back.Licences, id):
		case !ok:
			not = append(not, "The licence "+id+" is there no longer.")
		case l.Seats != nil && seats[id] >= *l.Seats:
			not = append(not, "No seat of "+l.Name+" is free.")
		default:
			back.Licences = append(back.Licences, id)
		}
	}
	slices.Sort(back.Licences)
	ops = append(ops, change.Put(d, back))
	for _, id := range gone.Groups {
		g, ok := d.Groups.Find(id)
		switch {
		case !ok:
			not = append(not, "The group "+id+" is there no longer.")
		case g.Source == model.Directory || g.Type == model.Rule:
			not = append(not, "“"+g.Name+"” lists nobody by hand any longer.")
		case !slices.Contains(g.Users, user):
			after := change.Clone(g)
			after.Users = append(after.Users, user)
			slices.Sort(after.Users)
			ops = append(ops, change.Put(d, after))
		}
	}
	for _, a := range d.Assignments {
		until, cut := before.Grants[a.ID]
		if cut && a.Subject.User == user && a.Until.Equal(on) {
			after := change.Clone(a)
			after.Until = until
			ops = append(ops, change.Put(d, after))
		}
	}
	ops = slices.DeleteFunc(ops, func(o change.Op) bool { return change.Equal(o.Before, o.After) })
	return change.Compact(ops), not
}

package change

import (
	"maps"
	"slices"
	"time"

	"fachwerk/internal/core/model"
)

// Choice says what becomes of those mentions of a deleted object that stand in one field of one kind of object: they name another object of its kind, or
// are taken out.
type Choice struct {
	From  model.Kind
	Field string
	To    string // empty: taken out
}

// Taken tells what taking a mention out means.
type Taken string

// What becomes of an object when its mention of a deleted one is taken out.
const (
	TakenOut  Taken = "out"     // the mention goes, the rest stays
	TakenUp   Taken = "up"      // the mention moves to what the deleted object lies in or reports to
	TakenAway Taken = "deleted" // the object has no sense without it, and is deleted too
)

// TakingOut tells what taking out a mention means, by the kind and the field that it stands in.
func TakingOut(from model.Kind, field string) Taken {
	switch from {
	case model.KindAssignment:
		return TakenAway // without its area it would count everywhere
	case model.KindDelegation:
		if field == "delegate" || field == "people" || field == "area" {
			return TakenAway
		}
	case model.KindSet:
		if field == "system" {
			return TakenAway
		}
	case model.KindArea, model.KindGroup:
		if field == "parent" || field == "area" {
			return TakenUp
		}
	case model.KindUser:
		if field == "area" || field == "manager" {
			return TakenUp
		}
	}
	return TakenOut
}

// Release gives the change that deletes an object and deals with everything that mentions it, by the choices; what no choice is about is taken out. A
// deleted person is kept in the state "deleted", without licences, so that the record can name them (§5).
func Release(d *model.Design, kind model.Kind, id string, choices []Choice) []Op {
	r := &releaser{now: d, choices: choices}
	r.release(kind, id)
	return Compact(r.ops)
}

type releaser struct {
	now     *model.Design
	choices []Choice
	ops     []Op
}

func (r *releaser) do(op Op) {
	r.ops = append(r.ops, op)
	r.now = Lay(r.now, []Op{op})
}

func (r *releaser) release(kind model.Kind, id string) {
	gone := r.now.Get(kind, id)
	if gone == nil {
		return
	}
	for _, m := range r.now.References(kind, id) {
		now := r.now.Get(m.From.Kind(), m.From.Ident())
		if now == nil {
			continue // deleted for another mention
		}
		to := ""
		for _, c := range r.choices {
			if c.From == now.Kind() && c.Field == m.Field {
				to = c.To
			}
		}
		if to == "" && TakingOut(now.Kind(), m.Field) == TakenAway {
			r.release(now.Kind(), now.Ident())
			continue
		}
		if to == "" && TakingOut(now.Kind(), m.Field) == TakenUp {
			to = above(gone)
		}
		after := Clone(now)
		rename(after, m.Field, id, to)
		if c, is := after.(*model.Conflict); is && len(c.Items) <= int(c.Limit) {
			r.do(Delete(now)) // nobody could break it any longer
			continue
		}
		r.do(Put(r.now, after))
	}
	gone = r.now.Get(kind, id)
	if u, is := gone.(*model.User); is {
		after := Clone(u)
		after.State, after.Licences, after.Manager = model.UserDeleted, nil, ""
		r.do(Put(r.now, after))
		return
	}
	r.do(Delete(gone))
}

// above is what a deleted object hands its dependants to.
func above(o model.Object) string {
	switch o := o.(type) {
	case *model.Area:
		return o.Parent
	case *model.User:
		return o.Manager
	}
	return ""
}

// rename makes a field of an object that mentions one object mention another, or none.
func rename(o model.Object, field, from, to string) {
	one := func(s *string) {
		if *s == from {
			*s = to
		}
	}
	many := func(list *[]string) {
		*list = slices.DeleteFunc(*list, func(s string) bool { return s == from })
		if to != "" && !slices.Contains(*list, to) {
			*list = append(*list, to)
			slices.Sort(*list)
		}
	}
	switch o := o.(type) {
	case *model.Licence:
		many(&o.Covers)
	case *model.Area:
		one(&o.Parent)
	case *model.System:
		if field == "licence" {
			one(&o.Licence)
		}
		for _, p := range o.Permissions {
			if field == "permissions" {
				one(&p.Licence)
			}
		}
	case *model.Set:
		switch field {
		case "owner":
			one(&o.Owner)
		case "system":
			one(&o.System)
		case "copyOf":
			o.CopyOf = nil
		}
	case *model.Role:
		switch field {
		case "owner":
			one(&o.Owner)
		case "sets":
			many(&o.Sets)
		case "inherits":
			many(&o.Inherits)
		}
	case *model.Group:
		switch field {
		case "owner":
			one(&o.Owner)
		case "area":
			one(&o.Area)
		case "users":
			many(&o.Users)
		case "groups":
			many(&o.Groups)
		}
	case *model.User:
		switch field {
		case "area":
			one(&o.Area)
		case "manager":
			if one(&o.Manager); o.Manager == o.ID {
				o.Manager = "" // nobody reports to themselves
			}
		case "licences":
			many(&o.Licences)
		case "lastUse":
			maps.DeleteFunc(o.LastUse, func(system string, _ time.Time) bool { return system == from })
		}
	case *model.Assignment:
		switch field {
		case "subject":
			one(&o.Subject.User)
			one(&o.Subject.Group)
		case "role":
			one(&o.Role)
		case "set":
			one(&o.Set)
		case "area":
			one(&o.Area)
		}
	case *model.Conflict:
		if field == "exceptions" {
			o.Exceptions = slices.DeleteFunc(o.Exceptions, func(e model.Exception) bool { return e.User == from })
			return
		}
		for i := range o.Items {
			one(&o.Items[i].Role)
		}
		o.Items = slices.DeleteFunc(o.Items, func(i model.Item) bool { return i == model.Item{} })
		o.Items = slices.CompactFunc(o.Items, func(a, b model.Item) bool { return a == b })
	case *model.Delegation:
		switch field {
		case "delegate":
			one(&o.Delegate.User)
			one(&o.Delegate.Group)
		case "people":
			one(&o.People.Group)
			one(&o.People.Area)
		case "roles":
			many(&o.Roles)
		case "sets":
			many(&o.Sets)
		case "groups":
			many(&o.Groups)
		case "area":
			one(&o.Area)
		}
	}
}

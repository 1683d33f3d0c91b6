package change

import (
	"maps"
	"slices"

	"fachwerk/internal/core/model"
)

// Choice says what becomes of those mentions of a deleted object that stand in one field of one kind of object:
// they name another object of its kind, or are taken out.
type Choice struct {
	From  model.Kind
	Field string
	To    string // empty: taken out
}

// Release gives the change that deletes an object and deals with everything that mentions it, by the choices; what
// no choice is about is taken out. A deleted person is kept in the state "deleted", without licences, so that the
// record can name them (§5).
func Release(d *model.Design, kind model.Kind, id string, choices []Choice) []Op {
	return ReleaseAll(d, kind, map[string][]Choice{id: choices})
}

// ReleaseAll is Release of several objects of a kind, each with its choices, as one change. A choice may not name one
// of them. It costs one look at the design, whatever there are.
func ReleaseAll(d *model.Design, kind model.Kind, leaving map[string][]Choice) []Op {
	r := &releaser{base: d, now: map[object]model.Object{}}
	r.leave(kind, leaving)
	return Compact(r.ops)
}

// object names one of a design.
type object struct {
	kind model.Kind
	id   string
}

type releaser struct {
	base *model.Design
	now  map[object]model.Object // what became of some objects; nil: deleted
	ops  []Op
}

// get gives an object as it is by now.
func (r *releaser) get(o object) model.Object {
	if now, is := r.now[o]; is {
		return now
	}
	return r.base.Get(o.kind, o.id)
}

func (r *releaser) put(before, after model.Object) {
	o := object{before.Kind(), before.Ident()}
	r.now[o] = after
	r.ops = append(r.ops, Op{o.kind, o.id, before, after})
}

// leave takes objects of a kind away: first what mentions them, then themselves.
func (r *releaser) leave(kind model.Kind, leaving map[string][]Choice) {
	there := map[string]model.Object{}
	for id := range leaving {
		if o := r.get(object{kind, id}); o != nil {
			there[id] = o
		}
	}
	above := func(id string) string { // what a deleted object hands its dependants to, that stays
		for there[id] != nil {
			id = aboveOf(there[id])
		}
		return id
	}
	away := map[model.Kind]map[string][]Choice{} // what has no sense without them
	r.base.EachNaming(kind, func(o model.Object) {
		now := r.get(object{o.Kind(), o.Ident()})
		if now == nil || o.Kind() == kind && there[o.Ident()] != nil {
			return
		}
		to := map[string]map[string]string{} // by field
		gone := false
		model.EachMention(now, kind, func(field, id string) {
			if there[id] == nil {
				return
			}
			other := ""
			for _, c := range leaving[id] {
				if c.From == now.Kind() && c.Field == field {
					other = c.To
				}
			}
			switch becomes := model.FieldOf(now.Kind(), field).Gone; {
			case other != "":
			case becomes == model.GoneAway:
				gone = true
			case becomes == model.GoneUp:
				other = above(id)
			}
			if to[field] == nil {
				to[field] = map[string]string{}
			}
			to[field][id] = other
		})
		switch {
		case gone:
			if away[now.Kind()] == nil {
				away[now.Kind()] = map[string][]Choice{}
			}
			away[now.Kind()][now.Ident()] = nil
		case len(to) > 0:
			after := Clone(now)
			for field, ids := range to {
				model.Rename(after, field, kind, ids)
			}
			if c, is := after.(*model.Conflict); is && len(c.Items) <= int(c.Limit) {
				after = nil // nobody could break it any longer
			}
			r.put(now, after)
		}
	})
	for _, k := range slices.Sorted(maps.Keys(away)) {
		r.leave(k, away[k])
	}
	for _, id := range slices.Sorted(maps.Keys(there)) {
		last := r.get(object{kind, id})
		if u, is := last.(*model.User); is {
			after := Clone(u)
			after.State, after.Licences, after.Manager = model.UserDeleted, nil, ""
			r.put(last, after)
		} else if last != nil {
			r.put(last, nil)
		}
	}
}

func aboveOf(o model.Object) string {
	switch o := o.(type) {
	case *model.Area:
		return o.Parent
	case *model.User:
		return o.Manager
	}
	return ""
}

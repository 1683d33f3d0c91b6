package change

import "fachwerk/internal/core/model"

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
	leaving := r.now.Get(kind, id)
	if leaving == nil {
		return
	}
	for _, m := range r.now.References(kind, id) {
		now := r.now.Get(m.From.Kind(), m.From.Ident())
		if now == nil {
			continue // deleted for another mention
		}
		to, gone := "", model.FieldOf(now.Kind(), m.Field).Gone
		for _, c := range r.choices {
			if c.From == now.Kind() && c.Field == m.Field {
				to = c.To
			}
		}
		if to == "" && gone == model.GoneAway {
			r.release(now.Kind(), now.Ident())
			continue
		}
		if to == "" && gone == model.GoneUp {
			to = above(leaving)
		}
		after := Clone(now)
		model.Rename(after, m.Field, kind, id, to)
		if c, is := after.(*model.Conflict); is && len(c.Items) <= int(c.Limit) {
			r.do(Delete(now)) // nobody could break it any longer
			continue
		}
		r.do(Put(r.now, after))
	}
	leaving = r.now.Get(kind, id)
	if u, is := leaving.(*model.User); is {
		after := Clone(u)
		after.State, after.Licences, after.Manager = model.UserDeleted, nil, ""
		r.do(Put(r.now, after))
		return
	}
	r.do(Delete(leaving))
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

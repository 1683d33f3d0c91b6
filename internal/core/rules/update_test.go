package rules

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"testing"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// TestUpdateIsCompile leads an index from design to design, by edits and by leaps, and holds it against one that is
// compiled anew.
func TestUpdateIsCompile(t *testing.T) {
	leap := 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		if leap++; leap%3 != 0 { // there is much to ask of each
			return
		}
		other := newRandom(r.Uint64()).design(t)
		for step := range 4 {
			was := answers(x)
			if step%2 == 0 {
				d = r.mixed(d, other)
			} else {
				for _, op := range r.edits(d, 1+r.IntN(3)) {
					d = d.With([]model.Edit{{Kind: op.Kind, ID: op.ID, After: op.After}})
				}
			}
			y := x.Update(d)
			if got, want := answers(y), answers(index.Compile(d)); !reflect.DeepEqual(got, want) {
				for i := range want {
					if !reflect.DeepEqual(got[i], want[i]) {
						t.Errorf("step %d: the updated index answers\n%v\nthe compiled one\n%v", step, got[i], want[i])
					}
				}
				return
			}
			if !reflect.DeepEqual(answers(x), was) {
				t.Errorf("step %d: the update altered the index it started from", step)
			}
			x = y
		}
	})
}

// mixed is a design with objects of two: some the same as in the first, some as in the second, some gone.
func (r random) mixed(a, b *model.Design) *model.Design {
	n := *a
	n.Sets, n.Roles, n.Groups, n.Users = mix(
		r,
		a.Sets,
		b.Sets,
	), mix(
		r,
		a.Roles,
		b.Roles,
	), mix(
		r,
		a.Groups,
		b.Groups,
	), mix(
		r,
		a.Users,
		b.Users,
	)
	n.Assignments = slices.DeleteFunc(mix(r, a.Assignments, b.Assignments), func(s *model.Assignment) bool {
		return s.Subject.User != "" && n.Get(model.KindUser, s.Subject.User) == nil ||
			s.Subject.Group != "" && !model.BuiltIn(model.KindGroup, s.Subject.Group) &&
				n.Get(model.KindGroup, s.Subject.Group) == nil ||
			s.Role != "" && n.Get(model.KindRole, s.Role) == nil || s.Set != "" && n.Get(model.KindSet, s.Set) == nil
	})
	return model.Build(&n)
}

func mix[T model.Object](r random, a, b model.Table[T]) (out model.Table[T]) {
	for _, table := range []model.Table[T]{a, b} {
		for _, o := range table {
			i, taken := out.Position(o.Ident())
			if taken || r.chance(40) && !model.BuiltIn(o.Kind(), o.Ident()) {
				continue
			}
			out = slices.Insert(out, i, o)
		}
	}
	return out
}

// answers is what an index says to every kind of question about everything.
func answers(x *index.Index) (out []string) {
	d := x.Design()
	say := func(what string, values ...any) { out = append(out, fmt.Sprintf("%s: %+v", what, values)) }
	keys := allKeys(d)
	find := x.Find(keys, idsOf(d.Roles))
	used := maps.Clone(x.SeatsUsed())
	maps.DeleteFunc(used, func(_ string, n int) bool { return n == 0 })
	say("seats", used)
	for _, at := range times() {
		for _, u := range everybody(d) {
			say(u+" holds", x.Effective(u, at), x.Widest(u, at), x.WaitsFor(u, at), x.Live(u, at))
			held, given := find.Where(u, at)
			say(u+" holds where", held, given)
			wall, _ := x.Wall(u, "area1", at)
			for _, b := range wall {
				say(u+" wall", b.Permission.Key, b.Held, b.Withheld)
			}
			for i, key := range keys {
				record := index.Record{Area: fmt.Sprintf("area%d", i%6), Owner: fmt.Sprintf("u%d", i%8)}
				say(u+" may "+key, x.Allowed(u, key, record, at))
				for _, reason := range x.WhyNot(u, key, record, at) {
					say(u+" may not "+key, reason.Obstacle, reason.Text)
				}
			}
		}
		for _, k := range keys {
			say(k+" held by", x.Holders(index.KindPermission, k, at))
		}
		for _, o := range d.Roles {
			say(o.ID+" held by", x.Holders(model.KindRole, o.ID, at))
		}
		for _, o := range d.Sets {
			say(o.ID+" held by", x.Holders(model.KindSet, o.ID, at))
		}
	}
	for _, u := range d.Users {
		id, _ := x.UserID("name-" + u.ID)
		say(u.ID, x.GroupsOf(u.ID), x.GrantsOfUser(u.ID), id)
	}
	for _, o := range d.Roles {
		say(o.ID, x.Content(model.KindRole, o.ID), x.GrantsOf(model.KindRole, o.ID))
	}
	for _, o := range d.Sets {
		say(o.ID, x.Content(model.KindSet, o.ID), x.GrantsOf(model.KindSet, o.ID))
	}
	for _, g := range append(ids("g", 7), model.Everyone, model.Public) {
		say(g, x.Members(g), x.Size(g), x.GrantsTo(g))
	}
	pic, _ := x.Connect(index.Node{Kind: model.KindUser, ID: "u1"}, nil, "", now)
	say("around u1", pic != nil)
	return out
}

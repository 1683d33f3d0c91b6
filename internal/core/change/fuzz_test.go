package change_test

import (
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// edited makes changes of a design out of bytes, some of an object twice.
func edited(d *model.Design, from []byte) (ops []change.Op) {
	texts := []string{"", "a", "b", "Gate clerk"}
	lists := [][]string{nil, {"ann"}, {"bea"}, {"ann", "bea"}}
	for len(from) >= 3 {
		what, which, value := from[0], from[1], from[2]
		from = from[3:]
		text, list := texts[value%4], lists[value/4%4]
		var o model.Object
		id := []string{"ann", "bea", "new"}[which%3]
		now := change.Lay(d, ops)
		switch what % 4 {
		case 0:
			u, ok := now.Users.Find(id)
			if ok {
				u = change.Clone(u)
			} else {
				u = &model.User{ID: id, UserName: id, DisplayName: id}
			}
			u.JobTitle, u.Department = text, texts[value/16%4]
			o = u
		case 1:
			id = []string{"crew", "new"}[which%2]
			g, ok := now.Groups.Find(id)
			if ok {
				g = change.Clone(g)
			} else {
				g = &model.Group{ID: id, Name: id}
			}
			g.Users, g.Description = list, text
			o = g
		case 2:
			id = []string{"clerk", "new"}[which%2]
			r, ok := now.Roles.Find(id)
			if ok {
				r = change.Clone(r)
			} else {
				r = &model.Role{ID: id, Name: id}
			}
			r.Description, r.Owner = text, texts[value/16%4]
			o = r
		default:
			kind := []model.Kind{model.KindUser, model.KindGroup, model.KindRole}[value%3]
			if before := now.Get(kind, id); before != nil {
				ops = append(ops, change.Op{Kind: kind, ID: id, Before: before})
			}
			continue
		}
		ops = append(ops, change.Put(now, o))
	}
	return ops
}

// FuzzChange lays changes on a design, takes them back, and lays them on what others changed: what is inverted is as it
// was before, compacting changes nothing of the outcome, rebasing on the same design changes nothing at all, and what
// is rebased on another one begins where that one is, with a clash wherever a field is not what either made of it.
func FuzzChange(f *testing.F) {
	f.Add([]byte{0, 0, 1, 1, 0, 5}, []byte{0, 0, 2})
	f.Add([]byte{3, 0, 0, 0, 2, 7}, []byte{2, 0, 17, 2, 1, 3})
	f.Add([]byte{1, 1, 13, 1, 1, 4, 3, 2, 1}, []byte{1, 0, 9, 3, 1, 0})
	f.Fuzz(func(t *testing.T, mine, theirs []byte) {
		if len(mine) > 60 || len(theirs) > 60 {
			return
		}
		d := design(t)
		a, b := edited(d, mine), edited(d, theirs)
		same := func(what string, x, y *model.Design) {
			t.Helper()
			if left := change.Difference(x, y); len(left) > 0 {
				t.Fatalf("%s: %d objects differ, the first is the %s %s", what, len(left), left[0].Kind, left[0].ID)
			}
		}
		after := change.Lay(d, a)
		same("compacted", after, change.Lay(d, change.Compact(a)))
		same("taken back", d, change.Lay(after, change.Invert(a)))
		again, clashes := change.Rebase(d, a)
		if len(clashes) > 0 {
			t.Fatalf("on the same design there are clashes: %v", clashes)
		}
		same("rebased on the same", after, change.Lay(d, again))
		other := change.Lay(d, b)
		moved, clashes := change.Rebase(other, a)
		now := map[[2]string]model.Object{}
		for _, o := range moved {
			key := [2]string{string(o.Kind), o.ID}
			before, touched := now[key]
			if !touched {
				before = other.Get(o.Kind, o.ID)
			}
			if !change.Equal(before, o.Before) {
				t.Fatalf("rebased, an operation on the %s %s does not begin where the design is", o.Kind, o.ID)
			}
			now[key] = o.After
		}
		// What only one side touched is as that side made it.
		touched := map[[2]string]bool{}
		for _, o := range b {
			touched[[2]string{string(o.Kind), o.ID}] = true
		}
		for _, o := range change.Compact(a) {
			if key := [2]string{string(o.Kind), o.ID}; !touched[key] {
				if !change.Equal(change.Lay(other, moved).Get(o.Kind, o.ID), o.After) {
					t.Fatalf("nobody else touched the %s %s, and it is not as it was made", o.Kind, o.ID)
				}
				for _, c := range clashes {
					if c.Kind == o.Kind && c.ID == o.ID {
						t.Fatalf("nobody else touched the %s %s, and it clashes: %s", o.Kind, o.ID, c.Message)
					}
				}
			}
		}
	})
}

package index

import (
	"slices"

	"fachwerk/internal/core/model"
)

// Affected gives the ids of all people whose effective permissions can differ between two indexes, sorted. It may name some whose
// permissions do not differ, but leaves out nobody whose do.
func Affected(before, after *Index) []string {
	b, a := before.design, after.design
	everybody := !slices.Equal(b.Systems, a.Systems) || !slices.Equal(b.Licences, a.Licences) || !slices.Equal(b.Areas, a.Areas)
	users, groups := map[string]bool{}, map[string]bool{}
	touch := func(g *grant) {
		if g.Subject.User != "" {
			users[g.Subject.User] = true
		} else {
			groups[g.Subject.Group] = true
		}
	}
	if !everybody {
		eachPair(b.Assignments, a.Assignments, func(i, j int) {
			switch {
			case i < 0:
				touch(after.grants[j])
			case j < 0:
				touch(before.grants[i])
			case before.grants[i].Assignment != after.grants[j].Assignment || !before.carried(before.grants[i]).Equal(after.carried(after.grants[j])):
				touch(before.grants[i])
				touch(after.grants[j])
			}
		})
	}
	var out []string
	eachPair(b.Users, a.Users, func(i, j int) {
		switch {
		case i < 0:
			out = append(out, a.Users[j].ID)
		case j < 0:
			out = append(out, b.Users[i].ID)
		case everybody || b.Users[i] != a.Users[j] || users[b.Users[i].ID] || before.differs(i, after, j, groups):
			out = append(out, b.Users[i].ID)
		}
	})
	return out
}

// differs tells whether a user's groups differ, or one of them is among those touched.
func (x *Index) differs(i int, after *Index, j int, touched map[string]bool) bool {
	if len(x.memberOf[i]) != len(after.memberOf[j]) {
		return true
	}
	for k, g := range x.memberOf[i] {
		id := x.groupStep(g).ID
		if id != after.groupStep(after.memberOf[j][k]).ID || touched[id] {
			return true
		}
	}
	return false
}

// eachPair walks two tables together and calls do with the places of what has the same id, -1 for what one of them lacks.
func eachPair[T model.Object](a, b model.Table[T], do func(i, j int)) {
	i, j := 0, 0
	for i < len(a) || j < len(b) {
		switch {
		case j == len(b) || i < len(a) && a[i].Ident() < b[j].Ident():
			do(i, -1)
			i++
		case i == len(a) || b[j].Ident() < a[i].Ident():
			do(-1, j)
			j++
		default:
			do(i, j)
			i++
			j++
		}
	}
}

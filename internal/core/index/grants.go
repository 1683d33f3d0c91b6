package index

import (
	"maps"
	"slices"
	"strings"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/sorted"
)

// assignments brings the grants up to date: those to users and groups, and those of roles and sets.
func (u *update) assignments() {
	d, old := u.design.Assignments, u.old.design.Assignments
	if slices.Equal(d, old) {
		return
	}
	g := &granting{update: u}
	own(&u.shapes, u.old.shapes)
	if u.shapeOf = maps.Clone(u.shapeOf); u.shapeOf == nil {
		u.shapeOf = map[shapeKey]int32{}
	}
	model.EachChange(old, d, func(i, j int) {
		if i >= 0 {
			g.note(&g.drop, grant{Assignment: old[i]})
		}
		if j >= 0 {
			g.note(&g.add, u.grant(d[j]))
		}
	})
	own(&u.Index.roles, u.old.roles)
	own(&u.Index.sets, u.old.sets)
	own(&u.marks, u.old.marks)
	sorted.Splice(
		u.Index.people.n,
		func(i int) *[]grant { return &u.Index.people.edit(i).grants },
		g.drop.users,
		g.add.users,
		byAssignment,
	)
	sorted.Splice(
		u.Index.groups.n,
		func(i int) *[]grant { return &u.Index.groups.edit(i).grants },
		g.drop.groups,
		g.add.groups,
		byAssignment,
	)
	sorted.Splice(
		len(u.roles),
		func(i int) *[]grant { return &u.roles[i].grants },
		g.drop.roles,
		g.add.roles,
		byAssignment,
	)
	sorted.Splice(
		len(u.sets),
		func(i int) *[]grant { return &u.sets[i].grants },
		g.drop.sets,
		g.add.sets,
		byAssignment,
	)
	for _, list := range [][]sorted.Entry[grant]{g.drop.groups, g.add.groups} {
		last := int32(-1)
		for _, e := range list {
			if e.At != last {
				u.marks[e.At], last = u.markOfGrants(u.Index.groups.at(int(e.At)).grants), e.At
			}
		}
	}
}

// own makes a list one that may be written to.
func own[T any](list *[]T, old []T) {
	if len(*list) > 0 && len(old) > 0 && &(*list)[0] == &old[0] {
		*list = slices.Clone(*list)
	}
}

func byAssignment(a, b grant) int {
	if a.Assignment == b.Assignment {
		return 0
	}
	return strings.Compare(a.ID, b.ID)
}

// granting is the assignments that come and go, by what they are to and of.
type granting struct {
	*update
	add, drop struct{ users, groups, roles, sets []sorted.Entry[grant] }
}

func (g *granting) note(to *struct{ users, groups, roles, sets []sorted.Entry[grant] }, a grant) {
	put := func(list *[]sorted.Entry[grant], i int, ok bool) {
		if ok { // what it was to or of may be gone too
			*list = append(*list, sorted.Entry[grant]{At: int32(i), Item: a})
		}
	}
	if a.Subject.User != "" {
		i, ok := g.userOf.Find(a.Subject.User)
		put(&to.users, i, ok)
	} else {
		i, ok := g.groupOf.Find(a.Subject.Group)
		put(&to.groups, i, ok)
	}
	if a.Role != "" {
		i, ok := g.design.Roles.Position(a.Role)
		put(&to.roles, i, ok)
	} else {
		i, ok := g.design.Sets.Position(a.Set)
		put(&to.sets, i, ok)
	}
}

// grant makes a grant of an assignment.
func (u *update) grant(a *model.Assignment) grant {
	area, _ := u.area(a.Area)
	key := u.keyOf(a)
	n, ok := u.shapeOf[key]
	if !ok {
		_, given, _ := u.target(key)
		n = int32(len(u.shapes))
		u.shapeOf[key], u.shapes = n, append(u.shapes, u.newShape(key, *given))
	}
	return grant{a, n, area, uint8(width(a.Reach)), !a.From.IsZero() || !a.Until.IsZero()}
}

func (x *Index) keyOf(a *model.Assignment) shapeKey {
	area, _ := x.area(a.Area)
	return shapeKey{a.Role, a.Set, a.Mode == model.ReadOnly, area != x.root || a.Reach != model.ReachArea}
}

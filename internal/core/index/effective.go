package index

import (
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// Anonymous is the user id that stands for someone who is not signed in. It is no valid id, so no user has it.
const Anonymous = ""

// Record is what a permission is asked about: where it lies and whose it is. An empty area means the root; an empty
// owner means nobody in particular.
type Record struct {
	Area  string
	Owner string
}

// Holding is one element of a person's effective permissions (§7): a permission, and the area and reach of the grant
// that gives it.
type Holding struct {
	Permission string
	Area       string
	Reach      model.Reach
}

// UserID resolves a user's id, or else userName without regard to case, to the id.
func (x *Index) UserID(name string) (string, bool) {
	if _, ok := x.userOf.Find(name); ok {
		return name, true
	}
	if i, ok := x.names()[model.Fold(name)]; ok {
		return x.design.Users[i].ID, true
	}
	return "", false
}

// user is the number of a user, or of nobody for [Anonymous].
func (x *Index) user(id string) (int, bool) {
	if id == Anonymous {
		return nobody, true
	}
	u, ok := x.userOf.Find(id)
	return u, ok
}

// Allowed tells whether a user, or [Anonymous], may use a permission on a record at t (§7). What does not exist is
// never allowed.
func (x *Index) Allowed(user, permission string, r Record, t time.Time) bool {
	u, ok := x.user(user)
	p, known := x.permissionOf.Find(permission)
	if !ok || !known || u != nobody && !x.live(u, t) || !x.licensed(u).Test(uint(p)) {
		return false
	}
	area, ok := x.area(r.Area)
	if !ok {
		return false
	}
	owner := nobody
	if r.Owner != "" {
		if owner, ok = x.userOf.Find(r.Owner); !ok {
			return false
		}
	}
	system := x.systemOf[p]
	gives := func(list []grant) bool {
		for i := range list {
			if g := &list[i]; x.carries(g, p) && x.covers(g.area, area) && x.reaches(g.wide, u, owner) && g.in(t) {
				return true
			}
		}
		return false
	}
	if u == nobody {
		return gives(x.groups.at(int(x.public())).grants)
	}
	for _, g := range x.people.at(int(u)).groups {
		if x.marks[g].might(system) && gives(x.groups.at(int(g)).grants) {
			return true
		}
	}
	return gives(x.people.at(int(u)).grants)
}

// reaches tells whether a reach of u's includes records of an owner.
func (x *Index) reaches(wide uint8, u, owner int) bool {
	switch wide {
	case 0:
		return u != nobody && owner == u
	case 1:
		return u != nobody && x.inLine(owner, u)
	}
	return true
}

// inLine tells whether owner is u or stands below u.
func (x *Index) inLine(owner, u int) bool {
	for owner >= 0 {
		if owner == u {
			return true
		}
		owner = int(x.people.at(int(owner)).manager)
	}
	return false
}

// Without gives what [Index.Widest] would give if the person did not have some assignments.
func (x *Index) Without(user string, assignments []string, t time.Time) []Holding {
	u, ok := x.user(user)
	if !ok {
		return nil
	}
	return x.holdings(x.widestOf(x.stretches(u, t, assignments)))
}

// Effective gives a person's effective permissions at t (§7), or those of [Anonymous], each once, sorted by
// permission, area and reach; nil for a user who does not exist.
func (x *Index) Effective(user string, t time.Time) []Holding {
	u, ok := x.user(user)
	if !ok || u != nobody && !x.live(u, t) {
		return nil
	}
	return x.holdings(x.stretches(u, t, nil))
}

// Widest gives those of a person's effective permissions that no other one includes: what is held over an area says
// nothing more of the areas within it, nor of single records there.
func (x *Index) Widest(user string, t time.Time) []Holding { return x.Without(user, nil, t) }

// HasAny tells whether a live user effectively holds anything at t.
func (x *Index) HasAny(user string, t time.Time) (has bool) {
	u, ok := x.userOf.Find(user)
	if ok && x.live(u, t) {
		x.grantsIn(u, nil, func(g *grant) bool {
			has = g.in(t) && meet(x.shapes[g.shape].words, x.licensed(u).Words())
			return !has
		})
	}
	return has
}

// Includes tells whether everything that b allows its holder, a allows too. A person's own records are part of
// those of the line. Areas that the design does not have include nothing.
func (x *Index) Includes(a, b Holding) bool {
	if width(a.Reach) < width(b.Reach) || a.Permission != b.Permission {
		return false
	}
	ia, ok := x.areas.Find(a.Area)
	if !ok || a.Area == b.Area {
		return ok
	}
	ib, known := x.areas.Find(b.Area)
	return known && x.covers(int32(ia), int32(ib))
}

// Covers tells whether area a is area b or lies above it; an empty id means the root.
func (x *Index) Covers(a, b string) bool {
	i, ok := x.area(a)
	j, known := x.area(b)
	return ok && known && x.covers(i, j)
}

// Near tells whether what counts in one area counts somewhere in the other; an empty id means the root.
func (x *Index) Near(a, b string) bool { return x.Covers(a, b) || x.Covers(b, a) }

// Live tells whether a user exists and is live at t.
func (x *Index) Live(user string, t time.Time) bool {
	u, ok := x.userOf.Find(user)
	return ok && x.live(u, t)
}

// WholeHolders gives the live users who hold all of the given permissions over the whole organisation at t, by id.
func (x *Index) WholeHolders(permissions []string, t time.Time) []string {
	var out []string
	if len(permissions) == 0 {
		for u, p := range x.design.Users {
			if x.live(u, t) {
				out = append(out, p.ID)
			}
		}
		return out
	}
	// Who holds one of them somewhere is soon found, and mostly few.
	for _, id := range x.Holders(KindPermission, permissions[0], t) {
		if !slices.ContainsFunc(permissions, func(p string) bool { return !x.Allowed(id, p, Record{}, t) }) {
			out = append(out, id)
		}
	}
	return out
}

// Owners gives the live users who hold every right of Fachwerk's own system over the whole organisation (§9).
func (x *Index) Owners(t time.Time) []string {
	own, _ := x.design.Systems.Find(model.OwnSystem)
	keys := make([]string, 0, len(own.Permissions))
	for _, p := range own.Permissions {
		keys = append(keys, p.Key)
	}
	return x.WholeHolders(keys, t)
}

// Members gives the ids of a group's transitive members (§5), sorted; nil if there is no such group.
func (x *Index) Members(group string) []string {
	if of := x.MembersOf(group); of.bits != nil {
		return x.idsOf(of.bits)
	}
	return nil
}

// InGroup tells whether a user is a transitive member of a group (§5).
func (x *Index) InGroup(user, group string) bool {
	u, ok := x.userOf.Find(user)
	g, known := x.groupOf.Find(group)
	if !ok || !known {
		return false
	}
	_, in := slices.BinarySearch(x.people.at(int(u)).groups, int32(g))
	return in
}

// GrantsTo gives every assignment that the members of a group have by it: those to the group, and to groups that
// nest it.
func (x *Index) GrantsTo(group string) (out []*model.Assignment) {
	g, ok := x.groupOf.Find(group)
	if !ok {
		return nil
	}
	seen := map[int]bool{g: true}
	for todo := []int{g}; len(todo) > 0; {
		at := todo[0]
		todo = todo[1:]
		for _, g := range x.groups.at(int(at)).grants {
			out = append(out, g.Assignment)
		}
		for _, p := range x.groups.at(int(at)).parents {
			if !seen[int(p)] {
				seen[int(p)] = true
				todo = append(todo, int(p))
			}
		}
	}
	return out
}

// Size is how many transitive members a group has; 0 if there is no such group.
func (x *Index) Size(group string) int {
	g, ok := x.groupOf.Find(group)
	if !ok {
		return 0
	}
	return int(x.groups.at(int(g)).size)
}

// Content gives the keys that a set or role gives (§2, §3), sorted; nil if there is none such.
func (x *Index) Content(kind model.Kind, id string) []string {
	if c := x.contentOf(kind, id); c != nil {
		return x.keysOf(c)
	}
	return nil
}

// Gives tells whether a set or role gives one of some permissions (§2, §3).
func (x *Index) Gives(kind model.Kind, id string, of Bundle) bool {
	c := x.contentOf(kind, id)
	return c != nil && c.IntersectionCardinality(of.bits) > 0
}

// Narrowed tells that an assignment counts only at an area, or to a narrower reach than that of the area.
func (x *Index) Narrowed(a *model.Assignment) bool { return x.keyOf(a).narrowed }

// WholeOnly gives the permissions of what an assignment gives that it carries only if it is not [Index.Narrowed]: they
// count over the whole organisation or not at all (§6). Sorted.
func (x *Index) WholeOnly(a *model.Assignment) []string {
	c := x.contentOf(model.KindRole, a.Role)
	if a.Role == "" {
		c = x.contentOf(model.KindSet, a.Set)
	}
	if c == nil {
		return nil
	}
	c = c.Intersection(x.restricted)
	if a.Mode == model.ReadOnly {
		c.InPlaceIntersection(x.readable)
	}
	return x.keysOf(c)
}

// contentOf is what a role or set gives; nil if there is none.
func (x *Index) contentOf(kind model.Kind, id string) *bitset.BitSet {
	switch kind {
	case model.KindSet:
		if i, ok := x.design.Sets.Position(id); ok {
			return x.sets[i].exact
		}
	case model.KindRole:
		if i, ok := x.design.Roles.Position(id); ok {
			return x.roles[i].exact
		}
	}
	return nil
}

// GroupOf is a group that somebody is in.
type GroupOf struct {
	Group  string
	Direct bool // listed or found by the group itself, not only through a nested one
}

// GroupsOf gives the groups that a user is in, direct ones first, then by place in the design; the built-in ones last.
func (x *Index) GroupsOf(user string) []GroupOf {
	u, ok := x.userOf.Find(user)
	if !ok {
		return nil
	}
	var out []GroupOf
	for _, direct := range []bool{true, false} {
		for _, g := range x.people.at(int(u)).groups {
			if _, is := slices.BinarySearch(x.people.at(int(u)).direct, g); is == direct {
				out = append(out, GroupOf{x.groupID(int(g)), direct})
			}
		}
	}
	return out
}

// lackedBy is what grants in force at t carry to a user, who is not licensed for it.
func (x *Index) lackedBy(user string, t time.Time) *bitset.BitSet {
	out := x.bits()
	u, ok := x.userOf.Find(user)
	if !ok || !x.live(u, t) {
		return out
	}
	profile := x.people.at(u).profile
	words := out.Words()
	x.grantsIn(u, &x.lacking[profile], func(g *grant) bool {
		if g.in(t) {
			for _, w := range x.shapes[g.shape].some {
				words[w.at] |= w.bits
			}
		}
		return true
	})
	out.InPlaceDifference(x.profiles[profile])
	return out
}

package model

import (
	"maps"
	"slices"
	"strings"

	"fachwerk/internal/core/code"
	"fachwerk/internal/core/filter"
)

func (c *checker) users() {
	for i, u := range checked(c, KindUser, c.d.Users) {
		a := place(KindUser, i, u.ID)
		c.id(a, i, c.users_)
		c.values(a, u)
		c.name(a, "userName", u.UserName)
		c.name(a, "displayName", u.DisplayName)
		c.ref(a.field("area"), KindArea, u.Area, c.areas_)
		c.ref(a.field("manager"), KindUser, u.Manager, c.users_)
		c.refs(a.field("licences"), KindLicence, u.Licences, c.licences_)
		for j, q := range u.Qualifications {
			c.name(a.field("qualifications").element(j), "type", q.Type)
		}
		c.value(a, "state", string(u.State))
		c.value(a, "source", string(u.Source))
		for _, system := range slices.Sorted(maps.Keys(u.LastUse)) {
			c.ref(a.field("lastUse."+system), KindSystem, system, c.systems_)
		}
		if !u.From.IsZero() && !u.Until.IsZero() && !u.From.Before(u.Until) {
			c.warn(a.field("until"), code.Never, "ends before it begins, so this person is never live")
		}
	}
	externalID := func(u *User) string { return u.ExternalID }
	unique(
		c,
		KindUser,
		c.d.Users,
		c.was().Users,
		distinct[*User]{"userName", " (case does not count)", func(u *User) string {
			if u.State == UserDeleted {
				return ""
			}
			return Fold(u.UserName)
		}, func(u *User, text string) bool {
			return filter.Folds(u.UserName, text)
		}, func(u *User) string { return u.UserName }},
		distinct[*User]{
			"externalId",
			"",
			externalID,
			func(u *User, text string) bool { return u.ExternalID == text },
			externalID,
		},
	)
	c.managers()
}

// was is the design before, or an empty one.
func (c *checker) was() *Design {
	if c.before == nil {
		return &Design{}
	}
	return c.before
}

// managers finds cycles in the reporting lines. Each person has one manager at most, so no recursion is needed
// however long a line is.
func (c *checker) managers() {
	next := func(i int) int {
		if m := c.d.Users[i].Manager; m != "" {
			if j, ok := c.users_(m); ok {
				return j
			}
		}
		return -1
	}
	walks := map[int]int{} // by user: who began the walk that came by first
	for i := range checked(c, KindUser, c.d.Users) {
		for j := i; j >= 0; {
			if _, been := walks[j]; been {
				break
			}
			walks[j] = i
			to := next(j)
			if by, been := walks[to]; to >= 0 && been && by == i {
				var names []string
				for k := to; ; k = next(k) {
					if names = append(names, c.d.Users[k].ID); k == j {
						break
					}
				}
				p := c.say(
					place(KindUser, j, c.d.Users[j].ID).field("manager"),
					code.Cycle,
					"closes a cycle of managers: %s → %s",
					strings.Join(names, " → "),
					names[0],
				)
				for _, id := range names {
					p.naming(KindUser, id)
				}
			}
			j = to
		}
	}
}

func (c *checker) assignments() {
	seen := knownOf(c, c.d.Assignments)
	for i, x := range checked(c, KindAssignment, c.d.Assignments) {
		a := place(KindAssignment, i, x.ID)
		c.id(a, i, seen)
		c.values(a, x)
		c.subject(a.field("subject"), x.Subject, Everyone, Public)
		switch {
		case x.Role != "" && x.Set != "":
			c.say(a, code.Either, "expected either a role or a set, not both")
		case x.Role == "" && x.Set == "":
			c.say(a, code.Either, "expected a role or a set to assign")
		}
		c.ref(a.field("role"), KindRole, x.Role, c.roles_)
		c.ref(a.field("set"), KindSet, x.Set, c.sets_)
		known := x.Area == "" || c.ref(a.field("area"), KindArea, x.Area, c.areas_)
		c.value(a, "reach", string(x.Reach))
		c.value(a, "mode", string(x.Mode))
		if g, ok := c.groups_(x.Subject.Group); ok && known {
			if home := c.d.Groups[g].Area; home != "" && !c.covers(home, orRoot(x.Area, c.root)) {
				c.say(
					a.field("area"),
					code.Misplaced,
					"the group %q has the home area %q and can be granted only there or below",
					x.Subject.Group,
					home,
				)
			}
		}
		if !x.From.IsZero() && !x.Until.IsZero() && !x.From.Before(x.Until) {
			c.warn(a.field("until"), code.Never, "ends before it begins, so it is never in force")
		}
	}
}

func orRoot(area, root string) string {
	if area == "" {
		return root
	}
	return area
}

func (c *checker) subject(a at, s Subject, builtIn ...string) {
	switch {
	case (s.User == "") == (s.Group == ""):
		c.say(a, code.Either, "expected either a user or a group")
	case s.User != "":
		c.ref(a.field("user"), KindUser, s.User, c.users_)
	case !slices.Contains(builtIn, s.Group):
		c.ref(a.field("group"), KindGroup, s.Group, c.groups_)
	}
}

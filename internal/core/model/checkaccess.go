package model

import (
	"slices"
	"strconv"
	"strings"

	"fachwerk/internal/core/code"
)

func (c *checker) permissions(a at, keys []string) {
	for i, key := range keys {
		c.permission(a.element(i), key)
	}
}

func (c *checker) permission(a at, key string) {
	if c.key(key) == nil {
		c.warn(a, code.Dangling, "dangling: no system has a permission %q; it gives nothing", key)
	}
}

func (c *checker) systems() {
	for i, s := range c.d.Systems {
		if c.d.built && BuiltIn(KindSystem, s.ID) {
			continue
		}
		a := place(KindSystem, i, s.ID)
		c.id(a, i, c.systems_, OwnSystem)
		c.name(a, "name", s.Name)
		c.ref(a.field("licence"), KindLicence, s.Licence, c.licences_)
		position := make(map[string]int, len(s.Permissions))
		for j, p := range s.Permissions {
			pa := a.field("permissions").element(j)
			system, _, _, ok := CutKey(p.Key)
			first, twice := position[p.Key]
			switch {
			case !ok || strings.ContainsFunc(p.Key, isSpace):
				c.say(pa.field("key"), code.IDForm, "expected a key of the form system:object:action, not %q", p.Key)
			case system != s.ID:
				c.say(
					pa.field("key"),
					code.IDForm,
					"expected a key that begins with the system's id, %s:…, not %q",
					s.ID,
					p.Key,
				)
			case twice:
				c.say(
					pa.field("key"),
					code.Taken,
					"%q is the key of permissions[%d] of this system already",
					p.Key,
					first,
				)
			}
			if !twice {
				position[p.Key] = j
			}
			if err := oneOf("permission.class", string(p.Class)); err != nil {
				c.say(pa.field("class"), code.Value, "%s", err)
			}
			if err := oneOf("permission.span", string(p.Span)); err != nil {
				c.say(pa.field("span"), code.Value, "%s", err)
			}
			if p.Risk < 0 || p.Risk > 3 {
				c.say(
					pa.field("risk"),
					code.Value,
					"expected 0 (none), 1 (elevated), 2 (high) or 3 (critical), not %d",
					p.Risk,
				)
			}
			c.ref(pa.field("licence"), KindLicence, p.Licence, c.licences_)
			c.implications(pa.field("implies"), s, p)
		}
		c.acyclic("", len(s.Permissions), func(j int) at {
			at := a.field("permissions").element(j).field("implies")
			at.id = s.Permissions[j].Key
			return at
		}, func(key string) (int, bool) {
			j, ok := position[key]
			return j, ok
		}, func(j int) []string { return s.Permissions[j].Implies }, "implied permissions")
	}
}

func isSpace(r rune) bool { return r <= ' ' || r == 0x7f || r == 0xa0 }

func (c *checker) implications(a at, s *System, p *Permission) {
	for k, key := range p.Implies {
		system, _, _ := strings.Cut(key, ":")
		q := c.key(key)
		switch _, known := c.systems_(system); {
		case system != s.ID && (q != nil || known):
			c.say(
				a.element(k),
				code.Foreign,
				"expected a permission of the same system, %s; %q is another system's",
				s.ID,
				key,
			)
		case q == nil:
			c.permission(a.element(k), key)
		case p.Class.IsZero() && !q.Class.IsZero():
			c.say(
				a.element(k),
				code.Implies,
				"a read permission may imply only read permissions; %q is of class %s",
				key,
				q.Class,
			)
		case p.Span.IsZero() && !q.Span.IsZero():
			c.say(
				a.element(k),
				code.Implies,
				"a permission of span area may imply only permissions of span area; %q is of span %s",
				key,
				q.Span,
			)
		}
	}
}

func (c *checker) sets() {
	for i, s := range checked(c, KindSet, c.d.Sets) {
		if c.d.built && BuiltIn(KindSet, s.ID) {
			continue
		}
		a := place(KindSet, i, s.ID)
		if strings.HasPrefix(s.ID, ownPrefix) {
			c.say(
				a.field("id"),
				code.BuiltIn,
				"ids of sets that begin with %q are reserved for Fachwerk's own sets: choose another",
				ownPrefix,
			)
		} else {
			c.id(a, i, c.sets_)
		}
		c.name(a, "name", s.Name)
		if s.System == OwnSystem {
			c.say(
				a.field("system"),
				code.BuiltIn,
				"the system %q is built in and supplies its own sets: leave it out",
				OwnSystem,
			)
		}
		c.ref(a.field("system"), KindSystem, s.System, c.systems_)
		if s.CopyOf != nil {
			if s.CopyOf.Set == "" {
				c.say(a.field("copyOf.set"), code.Empty, "expected the id of a set, not an empty text")
			}
			c.ref(a.field("copyOf.set"), KindSet, s.CopyOf.Set, c.sets_)
		}
		c.ref(a.field("owner"), KindUser, s.Owner, c.users_)
		c.value(a, "state", string(s.State))
		c.permissions(a.field("permissions"), s.Permissions)
	}
}

func (c *checker) roles() {
	for i, r := range checked(c, KindRole, c.d.Roles) {
		a := place(KindRole, i, r.ID)
		c.id(a, i, c.roles_)
		c.name(a, "name", r.Name)
		c.ref(a.field("owner"), KindUser, r.Owner, c.users_)
		c.value(a, "state", string(r.State))
		c.refs(a.field("sets"), KindSet, r.Sets, c.sets_)
		c.refs(a.field("inherits"), KindRole, r.Inherits, c.roles_)
		c.permissions(a.field("permissions"), r.Permissions)
		c.permissions(a.field("excludes"), r.Excludes)
	}
	c.acyclic(
		KindRole,
		len(c.d.Roles),
		func(i int) at { return place(KindRole, i, c.d.Roles[i].ID).field("inherits") },
		c.roles_,
		func(i int) []string { return c.d.Roles[i].Inherits },
		"inherited roles",
	)
}

func (c *checker) conflicts() {
	seen := knownOf(c, c.d.Conflicts)
	for i, x := range checked(c, KindConflict, c.d.Conflicts) {
		a := place(KindConflict, i, x.ID)
		c.id(a, i, seen)
		c.values(a, x)
		c.name(a, "name", x.Name)
		for j, item := range x.Items {
			ia := a.field("items").element(j)
			switch {
			case (item.Permission == "") == (item.Role == ""):
				c.say(ia, code.Either, "expected either a permission or a role")
			case item.Role != "":
				c.ref(ia.field("role"), KindRole, item.Role, c.roles_)
			default:
				c.permission(ia.field("permission"), item.Permission)
			}
		}
		if x.Limit < 0 {
			c.say(a.field("limit"), code.Value, "expected a whole number of 0 or more, not %d", x.Limit)
		}
		c.value(a, "where", string(x.Where))
		for j, e := range x.Exceptions {
			ea := a.field("exceptions").element(j)
			if e.User == "" {
				c.say(ea.field("user"), code.Empty, "expected the id of a user, not an empty text")
			}
			c.ref(ea.field("user"), KindUser, e.User, c.users_)
			c.name(ea, "reason", e.Reason)
		}
	}
}

func (c *checker) guarantees() {
	seen := knownOf(c, c.d.Guarantees)
	for i, x := range checked(c, KindGuarantee, c.d.Guarantees) {
		a := place(KindGuarantee, i, x.ID)
		c.id(a, i, seen)
		c.values(a, x)
		c.name(a, "name", x.Name)
		if x.Type == "" {
			c.say(a.field("kind"), code.Empty, "expected one of %s", quoteAll(Values["guarantee.kind"]))
		}
		c.value(a, "kind", string(x.Type))
		counts := x.Type == AtMost || x.Type == AtLeast
		switch {
		case counts && x.Count == nil:
			c.say(a.field("count"), code.Empty, "expected how many people: %q counts them", x.Type)
		case !counts && x.Count != nil && slices.Contains(Values["guarantee.kind"], string(x.Type)):
			c.say(a.field("count"), code.Either, "expected no count: %q does not count people", x.Type)
		case x.Count != nil && *x.Count < 0:
			c.say(a.field("count"), code.Value, "expected a whole number of 0 or more, not %d", *x.Count)
		}
		if len(x.Permissions) == 0 {
			c.say(a.field("permissions"), code.Empty, "expected at least one permission to promise about")
		}
		for j, key := range x.Permissions {
			c.pattern(a.field("permissions").element(j), key)
		}
		if x.People != nil {
			c.people(a.field("people"), *x.People, with(with(c.groups_, Everyone), Public))
		}
		c.ref(a.field("area"), KindArea, x.Area, c.areas_)
	}
}

// pattern checks what names permissions in a guarantee: a key, or all of an object or a system.
func (c *checker) pattern(a at, pattern string) {
	all, every := strings.CutSuffix(pattern, Every)
	if !every {
		c.permission(a, pattern)
		return
	}
	named := strings.TrimSuffix(all, Every)
	if strings.Count(named, ":") > 1 || strings.Contains(named, "*") || named == "" {
		c.say(a, code.Value, "expected a permission's key, “system:object:*” or “system:*”, not %q", pattern)
		return
	}
	system, _, _ := strings.Cut(named, ":")
	if _, ok := c.systems_(system); !ok && system != OwnSystem {
		c.warn(a, code.Dangling, "dangling: there is no system %q; nothing is promised about it", system)
	}
}

// people checks which people a delegation or a guarantee is about.
func (c *checker) people(a at, p People, groups ids) {
	given := 0
	for _, v := range []string{p.Group, p.Filter, p.Area} {
		if v != "" {
			given++
		}
	}
	if given != 1 {
		c.say(a, code.Either, "expected exactly one of group, filter and area")
	}
	c.ref(a.field("group"), KindGroup, p.Group, groups)
	if p.Filter != "" {
		c.filter(a.field("filter"), p.Filter)
	}
	c.ref(a.field("area"), KindArea, p.Area, c.areas_)
}

func (c *checker) delegations() {
	seen := knownOf(c, c.d.Delegations)
	for i, x := range checked(c, KindDelegation, c.d.Delegations) {
		a := place(KindDelegation, i, x.ID)
		c.id(a, i, seen)
		c.values(a, x)
		c.name(a, "name", x.Name)
		c.subject(a.field("delegate"), x.Delegate)
		c.people(a.field("people"), x.People, c.groups_)
		has := func(action string) bool { return slices.Contains(x.Actions, action) }
		if has("edit") && !has("move") && !has("seat") {
			c.warn(a.field("actions"), code.Narrower, "“edit” changes name, title, department, kind and qualifications "+
				"only: "+
				"the home area and the manager take “move”, licences “seat”, the validity “lock”")
		}
		for j, action := range x.Actions {
			if !slices.Contains(DelegableActions, action) {
				c.say(
					a.field("actions").element(j),
					code.Value,
					"expected one of %s, not %q",
					quoteAll(DelegableActions),
					action,
				)
			}
		}
		c.refs(a.field("roles"), KindRole, x.Roles, c.roles_)
		c.refs(a.field("sets"), KindSet, x.Sets, c.sets_)
		c.refs(a.field("groups"), KindGroup, x.Groups, c.groups_)
		c.ref(a.field("area"), KindArea, x.Area, c.areas_)
		if x.MaxDays != nil && *x.MaxDays < 1 {
			c.say(a.field("maxDays"), code.Value, "expected a whole number of days, 1 or more, not %d", *x.MaxDays)
		}
	}
}

func quoteAll(values []string) string {
	q := make([]string, len(values))
	for i, v := range values {
		q[i] = strconv.Quote(v)
	}
	return strings.Join(q, ", ")
}

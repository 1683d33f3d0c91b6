package rules

import (
	"maps"
	"slices"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// plain answers questions by reading the rules as they stand, with no thought for speed. Each method names its
// section of docs/semantics.md.
type plain struct{ *model.Design }

type keys map[string]bool

func (p plain) permission(key string) *model.Permission {
	for _, s := range p.Systems {
		for _, q := range s.Permissions {
			if q.Key == key {
				return q
			}
		}
	}
	return nil
}

// cl is the closure under implies (§1).
func (p plain) cl(list []string) keys {
	out := keys{}
	todo := slices.Clone(list)
	for len(todo) > 0 {
		key := todo[0]
		todo = todo[1:]
		if q := p.permission(key); q != nil && !out[key] {
			out[key] = true
			todo = append(todo, q.Implies...)
		}
	}
	return out
}

// up is all that cannot stand without some member (§1).
func (p plain) up(list []string) keys {
	out := keys{}
	for _, s := range p.Systems {
		for _, q := range s.Permissions {
			closed := p.cl([]string{q.Key})
			if slices.ContainsFunc(list, func(x string) bool { return closed[x] }) {
				out[q.Key] = true
			}
		}
	}
	return out
}

// set and role are the contents (§2, §3).
func (p plain) set(id string) keys {
	s, _ := p.Sets.Find(id)
	if s.State == model.Retired {
		return keys{}
	}
	return p.cl(s.Permissions)
}

func (p plain) role(id string) keys {
	r, _ := p.Roles.Find(id)
	out := keys{}
	if r.State == model.Retired {
		return out
	}
	add := func(more keys) {
		for k := range more {
			out[k] = true
		}
	}
	for _, s := range r.Sets {
		add(p.set(s))
	}
	for _, i := range r.Inherits {
		add(p.role(i))
	}
	add(p.cl(r.Permissions))
	for k := range p.up(r.Excludes) {
		delete(out, k)
	}
	return out
}

// covers says whether an area is another or lies above it (§4).
func (p plain) covers(a, b string) bool {
	a, b = p.area(a), p.area(b)
	for b != "" {
		if a == b {
			return true
		}
		x, ok := p.Areas.Find(b)
		if !ok {
			return false
		}
		b = x.Parent
	}
	return false
}

func (p plain) area(id string) string {
	if id == "" {
		return p.Root()
	}
	return id
}

// within reads a half-open interval: from its beginning on, up to its end without it.
func within(t, from, until time.Time) bool {
	begun := from.IsZero() || t.Equal(from) || t.After(from)
	ended := !until.IsZero() && (t.Equal(until) || t.After(until))
	return begun && !ended
}

func (p plain) live(u *model.User, t time.Time) bool {
	return u.State == model.UserActive && within(t, u.From, u.Until)
}

// line is a user and everyone below (§5).
func (p plain) line(u, owner string) bool {
	for owner != "" {
		if owner == u {
			return true
		}
		x, _ := p.Users.Find(owner)
		owner = x.Manager
	}
	return false
}

// member says whether a user is in members*(g) (§5).
func (p plain) member(user, group string) bool {
	u, _ := p.Users.Find(user)
	switch group {
	case model.Everyone:
		return u.State == model.UserActive
	case model.Public:
		return true
	}
	g, _ := p.Groups.Find(group)
	if g.Type == model.Rule {
		return p.matches(g.Rule, u)
	}
	return slices.Contains(g.Users, user) ||
		slices.ContainsFunc(g.Groups, func(n string) bool { return p.member(user, n) })
}

// applies, carried and licensed are as §6 defines them.
func (p plain) applies(a *model.Assignment, user string, t time.Time) bool {
	if !within(t, a.From, a.Until) {
		return false
	}
	if user == index.Anonymous {
		return a.Subject.Group == model.Public
	}
	return a.Subject.User == user || a.Subject.Group != "" && p.member(user, a.Subject.Group)
}

func (p plain) carried(a *model.Assignment) keys {
	var all keys
	if a.Role != "" {
		all = p.role(a.Role)
	} else {
		all = p.set(a.Set)
	}
	out := keys{}
	for k := range all {
		q := p.permission(k)
		if a.Mode == model.ReadOnly && q.Class != model.Read {
			continue
		}
		if q.Span == model.SpanOrganisation && (p.area(a.Area) != p.Root() || a.Reach != model.ReachArea) {
			continue
		}
		out[k] = true
	}
	return out
}

func (p plain) licensed(user, key string) bool {
	for q := range p.cl([]string{key}) {
		needs := p.needs(q)
		if needs == "" {
			continue
		}
		if _, ok := p.Users.Find(user); !ok || !p.licensedFor(user, needs) {
			return false
		}
	}
	return true
}

// needs gives the licence that a permission's user needs, by itself; empty if none.
func (p plain) needs(key string) string {
	if needs := p.permission(key).Licence; needs != "" {
		return needs
	}
	for _, s := range p.Systems {
		if slices.ContainsFunc(s.Permissions, func(x *model.Permission) bool { return x.Key == key }) {
			return s.Licence
		}
	}
	return ""
}

// withheld is what assignments carry to somebody who is not licensed for it.
func (p plain) withheld(user string, t time.Time) keys {
	out := keys{}
	u, ok := p.Users.Find(user)
	if !ok || !p.live(u, t) {
		return out
	}
	for _, a := range p.Assignments {
		if !p.applies(a, user, t) {
			continue
		}
		for k := range p.carried(a) {
			if !p.licensed(user, k) {
				out[k] = true
			}
		}
	}
	return out
}

// waits gives the licences for lack of which something is withheld from somebody that was not before, sorted.
func (p plain) waits(before plain, user string, t time.Time) []string {
	was, needed := before.withheld(user, t), keys{}
	for k := range p.withheld(user, t) {
		if was[k] {
			continue
		}
		for q := range p.cl([]string{k}) {
			if p.needs(q) != "" && !p.licensedFor(user, p.needs(q)) {
				needed[p.needs(q)] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(needed))
}

func (p plain) licensedFor(user, licence string) bool {
	u, _ := p.Users.Find(user)
	return slices.ContainsFunc(u.Licences, func(l string) bool { return p.licenceCovers(l, licence, map[string]bool{}) })
}

func (p plain) licenceCovers(l, needs string, seen map[string]bool) bool {
	if l == needs {
		return true
	}
	if seen[l] {
		return false
	}
	seen[l] = true
	x, _ := p.Licences.Find(l)
	return slices.ContainsFunc(x.Covers, func(c string) bool { return p.licenceCovers(c, needs, seen) })
}

// effective is §7.
func (p plain) effective(user string, t time.Time) map[index.Holding]bool {
	out := map[index.Holding]bool{}
	if user != index.Anonymous {
		u, ok := p.Users.Find(user)
		if !ok || !p.live(u, t) {
			return out
		}
	}
	for _, a := range p.Assignments {
		if !p.applies(a, user, t) || user == index.Anonymous && a.Reach != model.ReachArea {
			continue
		}
		for k := range p.carried(a) {
			if p.licensed(user, k) {
				out[index.Holding{Permission: k, Area: p.area(a.Area), Reach: a.Reach}] = true
			}
		}
	}
	return out
}

// allowed is §7.
func (p plain) allowed(user, key string, r index.Record, t time.Time) bool {
	if p.permission(key) == nil {
		return false
	}
	if _, ok := p.Areas.Find(p.area(r.Area)); !ok {
		return false
	}
	if _, ok := p.Users.Find(r.Owner); r.Owner != "" && !ok {
		return false
	}
	for h := range p.effective(user, t) {
		if h.Permission != key || !p.covers(h.Area, r.Area) {
			continue
		}
		switch h.Reach {
		case model.ReachOwn:
			if r.Owner != "" && r.Owner == user {
				return true
			}
		case model.ReachLine:
			if r.Owner != "" && p.line(user, r.Owner) {
				return true
			}
		default:
			return true
		}
	}
	return false
}

// violates is §8: the conflicts that a user breaks, exceptions left out of account.
func (p plain) violates(user string, t time.Time) (out []string) {
	u, ok := p.Users.Find(user)
	if !ok || !p.live(u, t) {
		return nil
	}
	heldAt := func(i model.Item, area string) bool { // area "*": anywhere
		if i.Role != "" {
			return slices.ContainsFunc(p.Assignments, func(a *model.Assignment) bool {
				return a.Role != "" && p.builtOn(a.Role, i.Role) && p.applies(a, user, t) &&
					(area == "*" || p.covers(a.Area, area))
			})
		}
		for h := range p.effective(user, t) {
			if h.Permission == i.Permission && (area == "*" || p.covers(h.Area, area)) {
				return true
			}
		}
		return false
	}
	for _, c := range p.Conflicts {
		places := []string{"*"}
		if c.Where == model.SameArea {
			places = nil
			for _, a := range p.Areas {
				places = append(places, a.ID)
			}
		}
		if slices.ContainsFunc(places, func(area string) bool {
			n := 0
			for _, i := range c.Items {
				if heldAt(i, area) {
					n++
				}
			}
			return n > int(c.Limit)
		}) {
			out = append(out, c.ID)
		}
	}
	return out
}

// builtOn says whether a role is another or inherits it.
func (p plain) builtOn(role, other string) bool {
	if role == other {
		return true
	}
	r, _ := p.Roles.Find(role)
	return slices.ContainsFunc(r.Inherits, func(i string) bool { return p.builtOn(i, other) })
}

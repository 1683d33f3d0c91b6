package delegation

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Part gives the part of the design that the delegate sees: the people, groups, roles, sets and areas that the
// delegations name, and what is needed to understand those. The people who are seen hold in it what they hold in
// the whole. It is well-formed, but that it still names managers who are not seen: rules look at them.
//
// A group that is not listed, but gives somebody who is seen something, stands in it without its name.
func (a *Authority) Part() *model.Design { return a.PartOf(a.x, nil) }

// PartOf gives the part of another design that the delegate may see by the authority of now: as it would be after a
// change, or as it was. Where within is given, only people are seen whom it has.
func (a *Authority) PartOf(x *index.Index, within *model.Design) *model.Design {
	d := x.Design()
	p := &part{
		whole:    d,
		x:        x,
		users:    map[string]bool{a.user: true},
		groups:   map[string]bool{},
		roles:    map[string]bool{},
		sets:     map[string]bool{},
		systems:  map[string]bool{model.OwnSystem: true},
		licences: map[string]bool{},
		areas:    map[string]bool{d.Root(): true},
		stands:   map[string]string{},
	}
	own := map[string]bool{}
	for _, g := range a.given {
		own[g.ID] = true
		for _, u := range d.Users {
			if u.ID != a.user && a.covers(x, g, u) && (within == nil || within.Get(model.KindUser, u.ID) != nil) {
				p.users[u.ID] = true
			}
		}
		p.group(g.People.Group)
		p.group(g.Delegate.Group)
		for _, id := range g.Groups {
			p.group(id)
		}
		for _, id := range g.Roles {
			p.role(id)
		}
		for _, id := range g.Sets {
			p.set(id)
		}
		for _, area := range d.Areas {
			if x.Covers(g.Area, area.ID) || g.People.Area != "" && x.Covers(g.People.Area, area.ID) {
				p.area(area.ID)
			}
		}
	}
	for id := range p.users {
		u, ok := d.Users.Find(id)
		if !ok {
			continue // of a design of the past, in which the delegate was not there yet
		}
		for _, g := range x.GroupsOf(id) {
			p.group(g.Group)
		}
		p.area(u.Area)
		for _, l := range u.Licences {
			p.licence(l)
		}
	}
	for _, g := range d.Assignments {
		if p.concerns(g) {
			p.role(g.Role)
			p.set(g.Set)
			p.area(g.Area)
		}
	}
	for id := range p.groups {
		g, _ := d.Groups.Find(id)
		p.area(g.Area)
	}
	for id := range p.systems {
		s, _ := d.Systems.Find(id)
		p.licence(s.Licence)
		for _, q := range s.Permissions {
			p.licence(q.Licence)
		}
	}
	return p.cut(own)
}

// part gathers the ids of what is seen.
type part struct {
	whole                                                *model.Design
	x                                                    *index.Index
	users, groups, roles, sets, systems, licences, areas map[string]bool
	stands                                               map[string]string // of people who are mentioned and not seen
}

func (p *part) group(id string) {
	if p.whole.Get(model.KindGroup, id) != nil {
		p.groups[id] = true
	}
}

func (p *part) role(id string) {
	r, ok := p.whole.Roles.Find(id)
	if !ok || p.roles[id] {
		return
	}
	p.roles[id] = true
	for _, s := range r.Sets {
		p.set(s)
	}
	for _, r := range r.Inherits {
		p.role(r)
	}
	p.keys(r.Permissions)
}

func (p *part) set(id string) {
	s, ok := p.whole.Sets.Find(id)
	if !ok || p.sets[id] {
		return
	}
	p.sets[id] = true
	if s.System != "" {
		p.systems[s.System] = true
	}
	p.keys(s.Permissions)
}

// keys takes in the systems of permissions, whole: a wall shows what is not held too.
func (p *part) keys(keys []string) {
	for _, key := range keys {
		system, _, _ := strings.Cut(key, ":")
		if p.whole.Get(model.KindSystem, system) != nil {
			p.systems[system] = true
		}
	}
}

func (p *part) licence(id string) {
	l, ok := p.whole.Licences.Find(id)
	if !ok || p.licences[id] {
		return
	}
	p.licences[id] = true
	for _, c := range l.Covers {
		p.licence(c)
	}
}

// area takes in an area with what it lies in.
func (p *part) area(id string) {
	for id != "" && !p.areas[id] {
		p.areas[id] = true
		a, _ := p.whole.Areas.Find(id)
		id = a.Parent
	}
}

// concerns tells whether an assignment is to somebody who is seen.
func (p *part) concerns(g *model.Assignment) bool {
	return p.users[g.Subject.User] || p.groups[g.Subject.Group] || g.Subject.Group == model.Everyone ||
		g.Subject.Group == model.Public
}

// cut makes the design: what is not seen is gone, and no longer mentioned.
func (p *part) cut(delegations map[string]bool) *model.Design {
	d := p.whole
	hidden := p.hide(delegations)
	var edits []model.Edit
	drop := func(o model.Object) { edits = append(edits, model.Edit{Kind: o.Kind(), ID: o.Ident()}) }
	keep := func(o, altered model.Object) {
		if !change.Equal(o, altered) {
			edits = append(
				edits,
				model.Edit{Kind: o.Kind(), ID: o.Ident()},
				model.Edit{Kind: altered.Kind(), ID: altered.Ident(), After: altered},
			)
		}
	}
	person := func(id string) string {
		if p.users[id] {
			return id
		}
		return ""
	}
	only := func(list []string, seen map[string]bool) []string {
		return slices.DeleteFunc(slices.Clone(list), func(id string) bool { return !seen[id] })
	}
	d.All(func(o model.Object) {
		switch o := o.(type) {
		case *model.Licence:
			if !p.licences[o.ID] {
				drop(o)
			}
		case *model.Area:
			if !p.areas[o.ID] {
				drop(o)
			}
		case *model.System:
			if !p.systems[o.ID] {
				drop(o)
			}
		case *model.Set:
			if !p.sets[o.ID] {
				drop(o)
				return
			}
			c := *o
			c.Owner = person(o.Owner)
			if c.CopyOf != nil && !p.sets[c.CopyOf.Set] {
				c.CopyOf = nil
			}
			keep(o, &c)
		case *model.Role:
			if !p.roles[o.ID] {
				drop(o)
				return
			}
			c := *o
			c.Owner = person(o.Owner)
			keep(o, &c)
		case *model.Group:
			if !p.groups[o.ID] {
				drop(o)
				return
			}
			c := *o
			c.Owner, c.Users, c.Groups = person(o.Owner), only(o.Users, p.users), only(o.Groups, p.groups)
			if id, is := hidden[o.ID]; is {
				c.ID, c.Name, c.Description, c.ExternalID = id, "A group that is not listed", "", ""
			}
			c.Rule = p.rule(o.Rule)
			for i, g := range c.Groups {
				if id, is := hidden[g]; is {
					c.Groups[i] = id
				}
			}
			keep(o, &c)
		case *model.User:
			if !p.users[o.ID] {
				drop(o)
				return
			}
			c := *o
			c.Manager = p.stand(o.Manager)
			keep(o, &c)
		case *model.Assignment:
			if !p.concerns(o) {
				drop(o)
				return
			}
			if id, is := hidden[o.Subject.Group]; is {
				c := *o
				c.Subject.Group = id
				keep(o, &c)
			}
		case *model.Conflict:
			if slices.ContainsFunc(o.Items, func(i model.Item) bool {
				system, _, _ := strings.Cut(i.Permission, ":")
				return i.Role != "" && !p.roles[i.Role] || i.Role == "" && !p.systems[system]
			}) {
				drop(o)
				return
			}
			c := *o
			c.Exceptions = slices.DeleteFunc(slices.Clone(o.Exceptions), func(e model.Exception) bool {
				return !p.users[e.User]
			})
			keep(o, &c)
		case *model.Guarantee:
			drop(o) // what is promised about all says more of others than a delegate sees
		case *model.Delegation:
			if !delegations[o.ID] {
				drop(o)
				return
			}
			c := *o
			c.People.Filter = p.rule(o.People.Filter)
			keep(o, &c)
		}
	})
	return d.With(edits)
}

// stand gives somebody's id, or, for somebody who is not seen, one that stands for theirs and tells nothing.
func (p *part) stand(id string) string {
	if id == "" || p.users[id] {
		return id
	}
	if p.stands[id] == "" {
		p.stands[id] = fmt.Sprintf("not-shown-%d", len(p.stands)+1)
	}
	return p.stands[id]
}

// rule gives a filter that matches the same people, of those who are seen, and names nobody else.
func (p *part) rule(text string) string {
	if text == "" {
		return ""
	}
	return filter.Rewrite(text, func(t filter.Term) string {
		named := ""
		switch t.Attribute {
		case "id", "manager":
			if _, ok := p.whole.Users.Find(t.Value); ok {
				named = t.Value
			}
		case "userName":
			named, _ = p.x.UserID(t.Value)
		}
		switch {
		case t.Operator != "eq" && t.Operator != "ne":
			if t.Attribute == "manager" { // of an id that stands for another, it would say something else
				return p.led(t.Text)
			}
		case named != "" && !p.users[named]:
			stands, _ := json.Marshal(p.stand(named))
			return t.Attribute + " " + t.Operator + " " + string(stands)
		}
		return ""
	})
}

// led says by the ids of those who are seen what a comparison says by those of their managers.
func (p *part) led(comparison string) string {
	f, err := filter.Parse(comparison)
	if err != nil {
		return ""
	}
	var terms []string
	for _, u := range p.whole.Users {
		if p.users[u.ID] && f.Match(&filter.Person{Manager: u.Manager}) {
			id, _ := json.Marshal(u.ID)
			terms = append(terms, "id eq "+string(id))
		}
	}
	if terms == nil {
		return "not (id pr)"
	}
	return "(" + strings.Join(terms, " or ") + ")"
}

// hide gives groups that are not listed an id that tells nothing, but for those that the delegations name.
func (p *part) hide(delegations map[string]bool) map[string]string {
	named := map[string]bool{}
	for id := range delegations {
		g, ok := p.whole.Delegations.Find(id)
		if !ok {
			continue
		}
		named[g.People.Group], named[g.Delegate.Group] = true, true
		for _, other := range g.Groups {
			named[other] = true
		}
	}
	hidden := map[string]string{}
	for _, g := range p.whole.Groups {
		if p.groups[g.ID] && bool(g.Unlisted) && !named[g.ID] {
			hidden[g.ID] = fmt.Sprintf("not-listed-%d", len(hidden)+1)
		}
	}
	return hidden
}

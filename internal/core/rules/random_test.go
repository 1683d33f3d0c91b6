// Package rules holds only tests: the rules of docs/semantics.md read plainly and slowly, and random designs,
// against which everything in the core is held.
package rules

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"fachwerk/internal/core/model"
)

// now is the instant that random designs are asked about; their validities lie around it.
var now = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

// random makes designs that are well-formed and full of everything that the rules speak of.
type random struct {
	*rand.Rand
	seed uint64
}

func newRandom(seed uint64) random { return random{rand.New(rand.NewPCG(seed, 99)), seed} }

func (r random) chance(percent int) bool { return r.IntN(100) < percent }

func pick[T any](r random, list []T) T { return list[r.IntN(len(list))] }

// some gives a few of a list, in any order, perhaps none.
func some[T any](r random, list []T, most int) (out []T) {
	for range r.IntN(most + 1) {
		if len(list) > 0 {
			out = append(out, pick(r, list))
		}
	}
	return out
}

func (r random) instant() time.Time {
	switch r.IntN(5) {
	case 0:
		return now.Add(time.Duration(r.IntN(200)-100) * time.Hour)
	case 1:
		return now // the very edge of an interval
	}
	return time.Time{}
}

func ids(prefix string, n int) []string {
	out := make([]string, n)
	for i := range out {
		out[i] = fmt.Sprintf("%s%d", prefix, i)
	}
	return out
}

// design makes a random design. It is small, so that a failure can be read.
func (r random) design(t testing.TB) *model.Design {
	d := &model.Design{Organisation: &model.Organisation{Name: "Random"}}
	licences, areas := ids("l", 3), ids("area", 6)
	for _, id := range licences {
		d.Add(&model.Licence{ID: id, Name: id, Covers: some(r, licences, 1)})
	}
	for i, id := range areas {
		a := &model.Area{ID: id, Name: id}
		if i > 0 {
			a.Parent = areas[r.IntN(i)]
		}
		d.Add(a)
	}
	keys := r.systems(d, licences)
	keysToo := append(
		[]string{"gone:object:action", model.ViewDesign},
		keys...) // one that dangles, and one that is built in

	users, groups, roles, sets := ids("u", 8), ids("g", 7), ids("r", 6), ids("s", 6)
	state := func() model.Lifecycle {
		if r.chance(15) {
			return model.Retired
		}
		return model.Active
	}
	for i, id := range sets {
		o := &model.Set{ID: id, Name: id, State: state(), Permissions: some(r, keysToo, 4)}
		if i > 3 {
			o.CopyOf = &model.CopyOf{Set: sets[0]}
		}
		d.Add(o)
	}
	for i, id := range roles {
		d.Add(
			&model.Role{
				ID:          id,
				Name:        id,
				State:       state(),
				Sets:        some(r, sets, 2),
				Inherits:    some(r, roles[:i], 2),
				Permissions: some(r, keysToo, 1),
				Excludes:    some(r, keysToo, 1),
			},
		)
	}
	r.users(d, users, areas, licences)
	r.groups(d, groups, users, areas)
	r.assignments(d, users, groups, roles, sets, areas)
	r.conflicts(d, users, roles, keys)
	r.delegations(d, users, groups, roles, sets, areas)
	newRandom(r.seed+1<<32).guarantees(d, groups, areas, keys)
	if problems := model.Errors(model.Check(d)); len(problems) > 0 {
		t.Fatalf("the random design is not well-formed: %v", problems)
	}
	return model.Build(d)
}

func (r random) systems(d *model.Design, licences []string) (keys []string) {
	for _, system := range []string{"alpha", "beta"} {
		s := &model.System{ID: system, Name: system}
		if r.chance(30) {
			s.Licence = pick(r, licences)
		}
		for i := range 8 {
			p := &model.Permission{
				Key:   fmt.Sprintf("%s:o%d:a%d", system, i/3, i),
				Class: pick(r, []model.Class{model.Read, model.Read, model.Write, model.Admin}),
				Span:  pick(r, []model.Span{model.SpanArea, model.SpanArea, model.SpanOrganisation}),
			}
			if r.chance(20) {
				p.Licence = pick(r, licences)
			}
			if r.chance(25) {
				p.Risk = 3
			}
			for _, q := range s.Permissions { // only what came before, so it stays acyclic
				if r.chance(25) && !(p.Class == model.Read && q.Class != model.Read) &&
					!(p.Span == model.SpanArea && q.Span != model.SpanArea) {
					p.Implies = append(p.Implies, q.Key)
				}
			}
			s.Permissions = append(s.Permissions, p)
			keys = append(keys, p.Key)
		}
		d.Add(s)
	}
	return keys
}

var titles = []string{"", "Gate clerk", "gate CLERK", "Pilot"}

func (r random) users(d *model.Design, users, areas, licences []string) {
	states := []model.UserState{
		model.UserActive,
		model.UserActive,
		model.UserActive,
		model.UserActive,
		model.UserInvited,
		model.UserLocked,
		model.UserDeactivated,
		model.UserDeleted,
	}
	for i, id := range users {
		u := &model.User{
			ID:          id,
			UserName:    "Name-" + id,
			DisplayName: id,
			JobTitle:    pick(r, titles),
			State:       pick(r, states),
			Licences:    some(r, licences, 2),
		}
		if r.chance(70) {
			u.Area = pick(r, areas)
		}
		if i > 0 && r.chance(70) {
			u.Manager = users[r.IntN(i)]
		}
		if r.chance(25) {
			u.From, u.Until = r.instant(), r.instant()
		}
		if r.chance(40) {
			level := float64(r.IntN(5))
			u.Qualifications = append(
				u.Qualifications,
				model.Qualification{Type: "crane", Level: &level, Until: r.instant()},
			)
		}
		d.Add(u)
	}
}

func (r random) groups(d *model.Design, groups, users, areas []string) {
	for i, id := range groups {
		g := &model.Group{ID: id, Name: id}
		if r.chance(30) {
			g.Type, g.Rule = model.Rule, pick(r, filters)
		} else {
			g.Users, g.Groups = some(r, users, 4), some(r, groups[:i], 2)
		}
		if r.chance(15) {
			g.Area = pick(r, areas)
		}
		d.Add(g)
	}
}

func (r random) assignments(d *model.Design, users, groups, roles, sets, areas []string) {
	homes := map[string]string{}
	for _, g := range d.Groups {
		homes[g.ID] = g.Area
	}
	for _, id := range ids("x", 14) {
		a := &model.Assignment{
			ID:    id,
			Reach: pick(r, []model.Reach{model.ReachArea, model.ReachArea, model.ReachLine, model.ReachOwn}),
			Mode:  pick(r, []model.Mode{model.Full, model.Full, model.ReadOnly}),
		}
		switch r.IntN(10) {
		case 0:
			a.Subject.Group = model.Everyone
		case 1:
			a.Subject.Group = model.Public
		case 2, 3, 4:
			a.Subject.User = pick(r, users)
		default:
			a.Subject.Group = pick(r, groups)
		}
		if r.chance(60) {
			a.Area = pick(r, areas)
		}
		if home := homes[a.Subject.Group]; home != "" {
			a.Area = home
		}
		if r.chance(75) {
			a.Role = pick(r, roles)
		} else {
			a.Set = pick(r, append([]string{model.SetAuditor}, sets...))
		}
		if r.chance(25) {
			a.From, a.Until = r.instant(), r.instant()
		}
		d.Add(a)
	}
}

func (r random) conflicts(d *model.Design, users, roles, keys []string) {
	for _, id := range ids("c", 4) {
		c := &model.Conflict{
			ID:    id,
			Name:  id,
			Where: pick(r, []model.Where{model.SameArea, model.Anywhere}),
			Limit: model.Limit(1 + r.IntN(2)),
		}
		for range 2 + r.IntN(3) {
			if r.chance(50) {
				c.Items = append(c.Items, model.Item{Role: pick(r, roles)})
			} else {
				c.Items = append(c.Items, model.Item{Permission: pick(r, keys)})
			}
		}
		if r.chance(40) {
			c.Exceptions = append(
				c.Exceptions,
				model.Exception{
					User:   pick(r, users),
					Until:  now.Add(time.Duration(r.IntN(3)-1) * time.Hour),
					Reason: "for now",
				},
			)
		}
		d.Add(c)
	}
}

func (r random) delegations(d *model.Design, users, groups, roles, sets, areas []string) {
	for _, id := range ids("d", 5) {
		g := &model.Delegation{
			ID:          id,
			Name:        id,
			Actions:     some(r, model.DelegableActions, 8),
			Roles:       some(r, roles, 4),
			Sets:        some(r, sets, 2),
			Groups:      some(r, groups, 4),
			GroupsWhole: r.chance(30),
		}
		if g.Delegate.User = pick(r, users); r.chance(40) {
			g.Delegate = model.Subject{Group: pick(r, groups)}
		}
		switch r.IntN(3) {
		case 0:
			g.People.Group = pick(r, groups)
		case 1:
			g.People.Filter = pick(r, filters)
		default:
			g.People.Area = pick(r, areas)
		}
		if r.chance(50) {
			g.Area = pick(r, areas)
		}
		if r.chance(40) {
			days := 1 + r.IntN(90)
			g.MaxDays = &days
		}
		if r.chance(20) {
			g.From, g.Until = r.instant(), r.instant()
		}
		g.Actions = append(g.Actions, pick(r, model.DelegableActions))
		d.Add(g)
	}
}

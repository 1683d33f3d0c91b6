// Package duty finds breaches of the separation of duties (docs/semantics.md, §8).
package duty

import (
	"maps"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Violation is a conflict that a person breaks.
type Violation struct {
	User     string
	Conflict string
	Area     string       // where the items meet; empty for a conflict that counts anywhere
	Items    []model.Item // those held there, in the order of the conflict
	Excepted bool         // an exception lets the person
}

// A Looker looks for the conflicts that people break, at one instant.
type Looker struct {
	x         *index.Index
	t         time.Time
	conflicts []*model.Conflict
	where     index.Finder
}

// Look prepares to look at many people. Each goroutine needs one of its own.
func Look(x *index.Index, t time.Time) *Looker { return LookFor(x, x.Design().Conflicts, t) }

// LookFor is [Look], but for some conflicts only.
func LookFor(x *index.Index, conflicts []*model.Conflict, t time.Time) *Looker {
	return &Looker{x, t, conflicts, x.Find(items(conflicts))}
}

// Of gives the conflicts that a user breaks, each once, at the first area where its items meet, in the order of the
// design. Someone who is not live holds nothing, so breaks nothing.
func (l *Looker) Of(user string) []Violation { return l.among(user, l.conflicts) }

func (l *Looker) among(user string, conflicts []*model.Conflict) []Violation {
	if len(conflicts) == 0 || !l.x.Live(user, l.t) {
		return nil
	}
	permissions, roles := l.where.Where(user, l.t)
	var out []Violation
	for _, c := range conflicts {
		at := func(i model.Item) []string {
			if i.Role != "" {
				return roles[i.Role]
			}
			return permissions[i.Permission]
		}
		area, held := meet(l.x, c, at)
		if held == nil {
			continue
		}
		v := Violation{User: user, Conflict: c.ID, Area: area, Items: held}
		for _, e := range c.Exceptions {
			v.Excepted = v.Excepted || e.User == user && l.t.Before(e.Until)
		}
		out = append(out, v)
	}
	return out
}

// Of gives the conflicts that one user breaks at t, as a [Looker] does.
func Of(x *index.Index, user string, t time.Time) []Violation { return Look(x, t).Of(user) }

// items gives what conflicts are made of.
func items(conflicts []*model.Conflict) (permissions, roles []string) {
	for _, c := range conflicts {
		for _, i := range c.Items {
			if i.Role != "" {
				roles = append(roles, i.Role)
			} else {
				permissions = append(permissions, i.Permission)
			}
		}
	}
	return permissions, roles
}

// meet finds an area where more items of a conflict are held than its limit allows. What is held at an area is held
// in all below it, so items that meet anywhere meet at one of the areas where they are given.
func meet(x *index.Index, c *model.Conflict, at func(model.Item) []string) (string, []model.Item) {
	if c.Where == model.Anywhere {
		held := slices.DeleteFunc(slices.Clone(c.Items), func(i model.Item) bool { return len(at(i)) == 0 })
		if len(held) > int(c.Limit) {
			return "", held
		}
		return "", nil
	}
	for _, candidate := range c.Items {
		for _, area := range at(candidate) {
			held := slices.DeleteFunc(slices.Clone(c.Items), func(i model.Item) bool {
				return !slices.ContainsFunc(at(i), func(given string) bool { return x.Covers(given, area) })
			})
			if len(held) > int(c.Limit) {
				return area, held
			}
		}
	}
	return "", nil
}

// All gives every violation of every user at t, by user and then by conflict.
func All(x *index.Index, t time.Time) []Violation { return Among(x, x.Design().Conflicts, t) }

// Next gives what [All] gives of x, from what it gave of an index before and the people, by id, of whom something else
// may be true (see [index.Touched]). Nothing must begin or end between the instants of both.
func Next(before []Violation, was, x *index.Index, touched []string, t time.Time) []Violation {
	if !slices.Equal(was.Design().Conflicts, x.Design().Conflicts) {
		return All(x, t)
	}
	out := slices.DeleteFunc(slices.Clone(before), func(v Violation) bool {
		_, anew := slices.BinarySearch(touched, v.User)
		return anew
	})
	l := Look(x, t)
	for _, u := range touched {
		out = append(out, l.Of(u)...)
	}
	slices.SortStableFunc(out, func(a, b Violation) int { return strings.Compare(a.User, b.User) })
	return out
}

// Among is [All], but of some conflicts only. It costs what it takes to find the holders of each item; only those who
// hold enough of them are looked at one by one.
func Among(x *index.Index, conflicts []*model.Conflict, t time.Time) []Violation {
	people := x.Design().Users
	suspects := map[int][]*model.Conflict{}
	held := make([]int, len(people)) // how many items of a conflict each person holds
	for _, c := range conflicts {
		clear(held)
		for _, i := range c.Items {
			kind, id := model.KindRole, i.Role
			if id == "" {
				kind, id = index.KindPermission, i.Permission
			}
			for u := range x.HeldBy(kind, id, t).All() {
				if held[u]++; held[u] == int(c.Limit)+1 {
					suspects[u] = append(suspects[u], c)
				}
			}
		}
	}
	places := slices.Sorted(maps.Keys(suspects))
	parts := make([][]Violation, fan.Parts())
	l := LookFor(x, conflicts, t)
	fan.Out(len(places), func(p, from, to int) {
		mine := *l
		for _, u := range places[from:to] {
			parts[p] = append(parts[p], mine.among(people[u].ID, suspects[u])...)
		}
	})
	return slices.Concat(parts...)
}

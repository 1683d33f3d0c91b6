// Package review selects what an access review asks about, finds who decides, and turns decisions into a change.
package review

import (
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Item is one question of a review: should this person keep this role?
type Item struct {
	User   string
	Direct []string // assignments of the role to the person, which go away if it is revoked
	Groups []string // groups whose assignments give the person the role too; these stay
}

// Items gives an item for everyone live who is assigned a role at t, by id. Only assignments that count somewhere in the area where are looked
// at; an empty one means the whole organisation.
func Items(x *index.Index, role, where string, t time.Time) []Item {
	byUser := map[string]*Item{}
	item := func(u string) *Item {
		if byUser[u] == nil {
			byUser[u] = &Item{User: u}
		}
		return byUser[u]
	}
	for _, a := range x.Design().Assignments {
		if a.Role != role || !model.In(t, a.From, a.Until) || !x.Covers(a.Area, where) && !x.Covers(where, a.Area) {
			continue
		}
		if a.Subject.User != "" {
			i := item(a.Subject.User)
			i.Direct = append(i.Direct, a.ID)
			continue
		}
		for _, u := range x.Members(a.Subject.Group) {
			if i := item(u); !slices.Contains(i.Groups, a.Subject.Group) {
				i.Groups = append(i.Groups, a.Subject.Group)
			}
		}
	}
	var out []Item
	for _, i := range byUser {
		if x.Live(i.User, t) {
			out = append(out, *i)
		}
	}
	slices.SortFunc(out, func(a, b Item) int { return strings.Compare(a.User, b.User) })
	return out
}

// Reviewer gives who decides about a person: the manager, or else the first of the fallbacks who is live; never the
// person. It is empty if there is nobody.
func Reviewer(x *index.Index, user string, t time.Time, fallbacks ...string) string {
	candidates := fallbacks
	if u, ok := x.Design().Users.Find(user); ok {
		candidates = append([]string{u.Manager}, fallbacks...)
	}
	for _, c := range candidates {
		if c != "" && c != user && x.Live(c, t) {
			return c
		}
	}
	return ""
}

// Revoke gives the change that takes away the direct assignments of items that were revoked, as far as these still
// exist.
func Revoke(d *model.Design, items []Item) []change.Op {
	var ops []change.Op
	for _, i := range items {
		for _, id := range i.Direct {
			if a, ok := d.Assignments.Find(id); ok {
				ops = append(ops, change.Delete(a))
			}
		}
	}
	return ops
}

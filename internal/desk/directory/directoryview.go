package directory

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
)

// Directory is one that feeds people and groups, or may.
type Directory struct {
	Name   string     `json:"name" doc:"Its token's"`
	Made   *time.Time `json:"made,omitempty" doc:"When its token was made; absent if it has none any longer"`
	Heard  *time.Time `json:"heard,omitempty" doc:"When it last changed something; absent if it never has"`
	People int        `json:"people" doc:"How many it keeps"`
	Groups int        `json:"groups"`
	Gone   int        `json:"gone" doc:"How many people it has deleted, who are deactivated here"`
}

// Leaver is a person whom a directory has deleted, and what is still tied to them. It counts for nothing while they
// are deactivated.
type Leaver struct {
	User    desk.Ref   `json:"user"`
	State   string     `json:"state"`
	By      string     `json:"by" doc:"The directory"`
	When    time.Time  `json:"when"`
	Draft   string     `json:"draft,omitempty" enum:"new,changed,gone"`
	Left    bool       `json:"left" doc:"Anything is"`
	Grants  int        `json:"grants" doc:"Assignments given by hand"`
	Groups  int        `json:"groups" doc:"Groups that list them"`
	Owns    int        `json:"owns" doc:"Roles, sets and groups that they own"`
	Owned   []desk.Ref `json:"owned" doc:"At most 100 of these"`
	Reports int        `json:"reports" doc:"People who report to them"`
	// Delegations are those that are given to them by name.
	Delegations int `json:"delegations"`
}

// Directories are all that feed people and groups, and a window into those whom they have deleted.
type Directories struct {
	Directories []Directory `json:"directories"`
	Leavers     []Leaver    `json:"leavers" doc:"Latest first"`
	Total       int         `json:"total" doc:"How many people directories have deleted, who are still accounts here"`
	Left        int         `json:"left" doc:"How many of these something is still tied to"`
}

// Directories gives what directories keep here, and whom they have deleted; if not all, only those to whom
// something is still tied.
func (d *Keeper) Directories(who desk.Actor, all bool, offset, limit int) (*Directories, error) {
	if _, err := d.Enter(who, model.ViewDesign); err != nil {
		return nil, err
	}
	if !who.When.IsZero() {
		return nil, desk.Refuse(desk.Invalid, "What directories keep is known only as of now, not for another day.")
	}
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	known, err := d.Known()
	if err != nil {
		return nil, err
	}
	tokens, err := d.Store.Tokens("scim")
	if err != nil {
		return nil, err
	}
	byName := map[string]*Directory{}
	of := func(name string) *Directory {
		if byName[name] == nil {
			byName[name] = &Directory{Name: name}
		}
		return byName[name]
	}
	for _, t := range tokens {
		of(t.Name).Made = &t.Made
	}
	leavers := map[string]*Leaver{}
	for _, f := range known.all() {
		o := s.Present.Design().Get(model.Kind(f.Kind), f.ID)
		if o == nil {
			continue
		}
		v := of(f.By)
		if v.Heard == nil || f.Updated.After(*v.Heard) {
			v.Heard = &f.Updated
		}
		u, isUser := o.(*model.User)
		switch {
		case !isUser:
			v.Groups++
		case !f.Gone:
			v.People++
		case u.State != model.UserDeleted:
			v.Gone++
			leavers[f.ID] = &Leaver{
				User:  s.Ref(model.KindUser, f.ID),
				State: string(u.State),
				By:    f.By,
				When:  f.Updated,
				Draft: view.Drafted(s, index.Node{Kind: model.KindUser, ID: f.ID}),
				Owned: []desk.Ref{},
			}
		}
	}
	if len(leavers) > 0 {
		tied(s, leavers)
	}
	out := &Directories{Directories: []Directory{}, Leavers: []Leaver{}, Total: len(leavers)}
	for _, v := range byName {
		out.Directories = append(out.Directories, *v)
	}
	slices.SortFunc(
		out.Directories,
		func(a, b Directory) int { return strings.Compare(model.Fold(a.Name), model.Fold(b.Name)) },
	)
	for _, l := range leavers {
		if l.Left = l.Grants+l.Groups+l.Owns+l.Reports+l.Delegations > 0; l.Left {
			out.Left++
		}
		if l.Left || all {
			out.Leavers = append(out.Leavers, *l)
		}
	}
	slices.SortFunc(out.Leavers, func(a, b Leaver) int {
		return cmp.Or(
			b.When.Compare(a.When),
			strings.Compare(a.User.Name, b.User.Name),
			strings.Compare(a.User.ID, b.User.ID),
		)
	})
	n := len(out.Leavers)
	out.Leavers = out.Leavers[min(offset, n):min(offset+limit, n)]
	return out, nil
}

// ownedShown is how many of the things that a leaver owns are named.
const ownedShown = 100

// tied counts what is still tied to people, in one walk through the design, without a draft.
func tied(s *desk.Sight, leavers map[string]*Leaver) {
	d := s.Present.Design()
	count := func(user string, add func(l *Leaver)) {
		if l := leavers[user]; l != nil {
			add(l)
		}
	}
	owned := func(o model.Object) func(l *Leaver) {
		return func(l *Leaver) {
			if l.Owns++; len(l.Owned) < ownedShown {
				l.Owned = append(l.Owned, s.Ref(o.Kind(), o.Ident()))
			}
		}
	}
	for _, o := range d.Roles {
		count(o.Owner, owned(o))
	}
	for _, o := range d.Sets {
		count(o.Owner, owned(o))
	}
	for _, o := range d.Groups {
		count(o.Owner, owned(o))
		for _, u := range o.Users {
			count(u, func(l *Leaver) { l.Groups++ })
		}
	}
	for _, u := range d.Users {
		if u.State != model.UserDeleted {
			count(u.Manager, func(l *Leaver) { l.Reports++ })
		}
	}
	for _, a := range d.Assignments {
		count(a.Subject.User, func(l *Leaver) { l.Grants++ })
	}
	for _, g := range d.Delegations {
		count(g.Delegate.User, func(l *Leaver) { l.Delegations++ })
	}
}

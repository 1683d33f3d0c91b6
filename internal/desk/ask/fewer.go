package ask

import (
	"errors"
	"fmt"

	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/fit"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// FewerAsk asks for fewer roles in place of what people were given by hand.
type FewerAsk struct {
	System string `json:"system,omitempty" doc:"Only what gives something of this system"`
	Area   string `json:"area,omitempty" doc:"Only what counts at this area or below"`
	Filter string `json:"filter,omitempty" maxLength:"20000" doc:"Only people whom this filter matches (RFC 7644)"`
	Almost bool   `json:"almost,omitempty" doc:"People may come to hold a little too much and too little, at the prices below; otherwise exactly what they hold"`
	// What is weighed against what.
	Role       float64 `json:"role,omitempty" minimum:"0" maximum:"1000" doc:"How dear one more role is; 10 if absent"`
	Assignment float64 `json:"assignment,omitempty" minimum:"0" maximum:"1000" doc:"How dear one more assignment is; 1 if absent"`
	Over       float64 `json:"over,omitempty" minimum:"0" maximum:"1000" doc:"How bad a permission is that somebody would hold too much; 3 if absent"`
	Under      float64 `json:"under,omitempty" minimum:"0" maximum:"1000" doc:"How bad one is that somebody would lack; 1 if absent"`
}

// FewerAnswer is a proposal of roles.
type FewerAnswer struct {
	Trouble     string         `json:"trouble,omitempty" doc:"Why nothing can be said: the filter cannot be read"`
	At          int            `json:"at"`
	Roles       []ProposedRole `json:"roles" doc:"Those of most people first"`
	Before      FewerTally     `json:"before"`
	After       FewerTally     `json:"after"`
	Left        int            `json:"left" doc:"Assignments that stay as they are: no role that pays gives the same"`
	Over        int            `json:"over" doc:"How many permissions people would hold too much, each person's counted"`
	Under       int            `json:"under" doc:"How many they would lack"`
	Beside      []RolesBeside  `json:"beside" doc:"Roles that stand side by side; at most 1,000"`
	MoreBesides int            `json:"moreBesides"`
}

// FewerTally counts what is to be looked after.
type FewerTally struct {
	Bundles     int `json:"bundles" doc:"Roles and sets that are assigned"`
	Assignments int `json:"assignments"`
}

// ProposedRole is a role of a proposal.
type ProposedRole struct {
	Name        string          `json:"name"`
	Existing    *desk.Ref       `json:"existing,omitempty" doc:"A role that there is and that gives just this"`
	Permissions []FitPermission `json:"permissions"`
	People      []desk.Ref      `json:"people" doc:"Who would have it; at most 1,000"`
	Count       int             `json:"count" doc:"How many people"`
	Places      int             `json:"places" doc:"How many assignments of it there would be"`
	Replaces    []desk.Ref      `json:"replaces" doc:"Roles and sets in place of which it is assigned, alone or with others"`
	Like        *LikeWhom       `json:"like,omitempty" doc:"Whom those who would have it resemble most"`
}

// LikeWhom is whom people resemble.
type LikeWhom struct {
	Title      string `json:"title"`
	Department string `json:"department,omitempty"`
	Have       int    `json:"have" doc:"How many of those would have it"`
	Of         int    `json:"of" doc:"How many of those there are"`
	Filter     string `json:"filter" doc:"By which a rule group would find them"`
	Exact      bool   `json:"exact" doc:"That finds exactly those who would have it"`
}

// RolesBeside are two roles that stand side by side.
type RolesBeside struct {
	A   desk.Ref `json:"a"`
	B   desk.Ref `json:"b"`
	How string   `json:"how" enum:"same,within,together" doc:"They give the same; the second gives all that the first gives; nobody has one without the other"`
}

const (
	fewerPeopleShown = 1000
	besidesShown     = 1000
)

func (a FewerAsk) price() fit.Price {
	p := fit.Usual
	p.Almost = a.Almost
	for _, set := range []struct {
		to   *float64
		from float64
	}{{&p.Role, a.Role}, {&p.Assignment, a.Assignment}, {&p.Over, a.Over}, {&p.Under, a.Under}} {
		if set.from > 0 {
			*set.to = set.from
		}
	}
	return p
}

// propose makes a proposal for somebody who sees the whole design.
func (d *Finder) propose(who desk.Actor, ask FewerAsk) (*desk.Sight, *fit.Fewer, error) {
	s, err := d.wide(who)
	if err != nil {
		return nil, nil, err
	}
	for _, ref := range []struct {
		kind model.Kind
		id   string
	}{{model.KindSystem, ask.System}, {model.KindArea, ask.Area}} {
		if ref.id != "" && s.Design().Get(ref.kind, ref.id) == nil {
			return nil, nil, desk.Refuse(desk.NotFound, "There is no %s %q.", ref.kind.Word(), ref.id)
		}
	}
	f, err := desk.Found(s, fmt.Sprintf("fewer roles %+v", ask), func() (*fit.Fewer, error) {
		among := fit.Among{System: ask.System, Area: ask.Area, Filter: ask.Filter}
		return fit.Propose(s.Index, among, ask.price(), func() bool { return who.Gone() != nil })
	})
	if errors.Is(err, fit.ErrStopped) {
		err = who.Gone()
	}
	return s, f, err
}

// Fewer proposes fewer roles in place of what people were given by hand.
func (d *Finder) Fewer(who desk.Actor, ask FewerAsk) (*FewerAnswer, error) {
	out := &FewerAnswer{Roles: []ProposedRole{}, Beside: []RolesBeside{}}
	s, f, err := d.propose(who, ask)
	if broken := (*filter.Error)(nil); errors.As(err, &broken) {
		out.Trouble, out.At = desk.TroubleIn(ask.Filter, err)
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	out.Before, out.After = FewerTally(f.Before), FewerTally(f.After)
	out.Left, out.Over, out.Under = f.Left, f.Over, f.Under
	for _, p := range f.Roles {
		v := ProposedRole{
			Name: p.Role.Name, Permissions: fitPermissions(s.House, p.Keys), People: []desk.Ref{}, Places: len(p.Places),
			Replaces: []desk.Ref{},
		}
		if !p.New {
			v.Existing = s.Optional(model.KindRole, p.Role.ID)
		}
		seen := map[string]bool{}
		for _, at := range p.Places {
			if !seen[at.User] && len(v.People) < fewerPeopleShown {
				v.People = append(v.People, s.Ref(model.KindUser, at.User))
			}
			seen[at.User] = true
		}
		v.Count = len(seen)
		for _, n := range p.Replaces {
			v.Replaces = append(v.Replaces, s.Ref(n.Kind, n.ID))
		}
		if l := p.Like; l.Filter != "" {
			v.Like = &LikeWhom{l.Title, l.Department, l.Have, l.Of, l.Filter, l.Exact}
		}
		out.Roles = append(out.Roles, v)
	}
	beside := desk.Counted(s, "roles side by side", func() []fit.Beside { return fit.Alike(s.Index, s.At) })
	for _, b := range beside[:min(len(beside), besidesShown)] {
		out.Beside = append(out.Beside, RolesBeside{s.Ref(model.KindRole, b.A), s.Ref(model.KindRole, b.B), b.How})
	}
	out.MoreBesides = len(beside) - len(out.Beside)
	return out, nil
}

// DraftFewer puts a proposal into the draft, as one act. With groups, those whom a filter finds exactly become a rule
// group that is assigned the role.
func (d *Finder) DraftFewer(who desk.Actor, ask FewerAsk, groups bool) (*desk.Draft, error) {
	s, f, err := d.propose(who, ask)
	if err != nil {
		var broken *filter.Error
		if errors.As(err, &broken) {
			return nil, desk.Refuse(desk.Invalid, "The filter cannot be read: %s", err)
		}
		return nil, err
	}
	if len(f.Roles) == 0 {
		return nil, desk.Refuse(desk.Invalid, "No role that is worth having gives the same, so there is nothing to change.")
	}
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		made := map[string]bool{}
		p.Add(0, f.Change(groups, func(o model.Object) {
			desk.NameObject(s.Design(), o)
			for base, n := o.Ident(), 2; made[string(o.Kind())+":"+o.Ident()]; n++ {
				model.SetIdent(o, base+"-"+desk.Itoa(n))
			}
			made[string(o.Kind())+":"+o.Ident()] = true
		})...)
		return nil
	})
}

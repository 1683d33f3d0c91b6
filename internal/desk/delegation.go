package desk

import (
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// DelegationSheet is a delegation with what it covers now.
type DelegationSheet struct {
	Ref        Ref               `json:"ref"`
	Delegation *model.Delegation `json:"delegation"`
	Delegate   Ref               `json:"delegate"`
	Delegates  int               `json:"delegates" doc:"How many people it makes delegates"`
	Actions    []string          `json:"actions"`
	People     []Part            `json:"people" doc:"Whom it is about, in words"`
	Roles      []Ref             `json:"roles"`
	Sets       []Ref             `json:"sets"`
	Groups     []Ref             `json:"groups"`
	Area       Ref               `json:"area"`
	Whole      bool              `json:"whole" doc:"It holds over the whole organisation"`
	Terms      string            `json:"terms" doc:"From and until when it holds, in words; empty if it always does"`
	Force      string            `json:"force" enum:"now,coming,ended"`
	Draft      string            `json:"draft,omitempty" enum:"new,changed,gone"`
	May        bool              `json:"may" doc:"The viewer may edit it"`
	Mine       bool              `json:"mine" doc:"It is given to the viewer"`
	Covers     Coverage          `json:"covers"`
}

// Coverage is what a delegation covers now.
type Coverage struct {
	Trouble string `json:"trouble,omitempty" doc:"What is wrong with its filter"`
	At      int    `json:"at"`
	Count   int    `json:"count" doc:"How many people it is about"`
	People  []Ref  `json:"people" doc:"At most 100 of them, by name"`
	Above   []Ref  `json:"above" doc:"Those of them who hold a critical permission that no delegate of it holds, so are out of reach; at most 100"`
	Areas   []Ref  `json:"areas" doc:"The areas that it holds in"`
	Gives   int    `json:"gives" doc:"How many permissions its roles and sets give, and the groups whose members may be changed"`
	Risk    int    `json:"risk" doc:"The greatest risk among these"`
	// Closed are those of its groups whose members cannot be changed, since they hold what could not be assigned.
	Closed []Ref `json:"closed"`
}

const coveredShown = 100

// Delegations gives every delegation that somebody sees, by name.
func (d *Viewer) Delegations(who Actor) ([]DelegationSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	out := []DelegationSheet{}
	for _, g := range s.design().Delegations {
		out = append(out, s.delegation(d, who, g))
	}
	for _, g := range s.present.design().Delegations {
		if s.design().Get(model.KindDelegation, g.ID) == nil {
			out = append(out, s.delegation(d, who, g))
		}
	}
	slices.SortStableFunc(out, func(a, b DelegationSheet) int {
		return strings.Compare(model.Fold(a.Ref.Name), model.Fold(b.Ref.Name))
	})
	return out, nil
}

// Delegation gives one delegation.
func (d *Viewer) Delegation(who Actor, id string) (*DelegationSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	g, ok := s.either(model.KindDelegation, id).(*model.Delegation)
	if !ok {
		return nil, refuse(NotFound, "There is no delegation %q.", id)
	}
	v := s.delegation(d, who, g)
	return &v, nil
}

func (s *sight) refs(kind model.Kind, ids []string) []Ref {
	out := make([]Ref, len(ids))
	for i, id := range ids {
		out[i] = s.ref(kind, id)
	}
	return out
}

func (s *sight) delegation(d *Viewer, who Actor, g *model.Delegation) DelegationSheet {
	v := DelegationSheet{Ref: Ref{string(model.KindDelegation), g.ID, g.Name}, Delegation: g, Delegate: s.subject(g.Delegate), Delegates: 1, Actions: g.Actions, Roles: s.refs(model.KindRole, g.Roles), Sets: s.refs(model.KindSet, g.Sets), Groups: s.refs(model.KindGroup, g.Groups),
		Area: s.area(g.Area), Whole: g.Area == "", Force: "now", Draft: s.drafted(index.Node{Kind: model.KindDelegation, ID: g.ID}), May: d.editable(s, who, model.KindDelegation), Mine: g.Delegate.User == who.eyes() || g.Delegate.Group != "" && s.index.InGroup(who.eyes(), g.Delegate.Group)}
	if g.Delegate.Group != "" {
		v.Delegates = s.index.Size(g.Delegate.Group)
	}
	if g.From.After(s.at) {
		v.Force = "coming"
	} else if !model.In(s.at, g.From, g.Until) {
		v.Force = "ended"
	}
	v.Terms = strings.TrimPrefix(strings.TrimPrefix(s.terms(&model.Assignment{From: g.From, Until: g.Until}).Note, "whole organisation"), " · ")
	switch {
	case g.People.Group != "":
		r := s.ref(model.KindGroup, g.People.Group)
		v.People = []Part{{Text: "the members of "}, {r.Name, r.Kind, r.ID}}
	case g.People.Filter != "":
		v.People = []Part{{Text: "people with "}, {Text: g.People.Filter, Kind: "filter"}}
	default:
		r := s.area(g.People.Area)
		v.People = []Part{{Text: "people of "}, {r.Name, r.Kind, r.ID}}
	}
	v.Covers = s.covers(g)
	return v
}

// criticalHeld gives which critical permissions people hold, by who holds any.
func (s *sight) criticalHeld() map[string][]string {
	return counted(s, "critical", func() map[string][]string {
		var keys []string
		for _, o := range s.design().Systems {
			for _, p := range o.Permissions {
				if p.Risk == 3 {
					keys = append(keys, p.Key)
				}
			}
		}
		return s.index.HeldAmong(keys, s.at)
	})
}

// covers tells what a delegation covers now.
func (s *sight) covers(g *model.Delegation) Coverage {
	c := Coverage{People: []Ref{}, Above: []Ref{}, Areas: []Ref{}, Closed: []Ref{}}
	if g.People.Filter != "" {
		if _, err := filter.Parse(g.People.Filter); err != nil {
			c.Trouble, c.At = troubleIn(g.People.Filter, err)
		}
	}
	people := delegation.Covered(s.index, g)
	delegates := []string{g.Delegate.User}
	if g.Delegate.Group != "" {
		delegates = s.index.Members(g.Delegate.Group)
	}
	critical := s.criticalHeld()
	holds := map[string]bool{} // what some delegate holds of what is critical
	for _, u := range delegates {
		for _, key := range critical[u] {
			holds[key] = true
		}
	}
	for _, u := range people {
		if g.Delegate.User == u {
			continue // nobody acts on themselves
		}
		c.Count++
		if len(c.People) < coveredShown {
			c.People = append(c.People, s.ref(model.KindUser, u))
		}
		if len(c.Above) < coveredShown && slices.ContainsFunc(critical[u], func(key string) bool { return !holds[key] }) {
			c.Above = append(c.Above, s.ref(model.KindUser, u))
		}
	}
	byName := func(a, b Ref) int { return strings.Compare(model.Fold(a.Name), model.Fold(b.Name)) }
	slices.SortStableFunc(c.People, byName)
	slices.SortStableFunc(c.Above, byName)
	for _, a := range s.design().Areas {
		if s.index.Covers(g.Area, a.ID) {
			c.Areas = append(c.Areas, s.ref(model.KindArea, a.ID))
		}
	}
	var keys []string
	for _, r := range g.Roles {
		keys = append(keys, s.index.Content(model.KindRole, r)...)
	}
	for _, o := range g.Sets {
		keys = append(keys, s.index.Content(model.KindSet, o)...)
	}
	if slices.Contains(g.Actions, delegation.Membership) {
		for _, id := range g.Groups {
			grants := s.index.GrantsTo(id)
			if !g.GroupsWhole && !delegation.Assignable(s.index, g, grants, s.at) {
				c.Closed = append(c.Closed, s.ref(model.KindGroup, id))
				continue
			}
			for _, h := range s.index.Carried(grants, s.at) {
				keys = append(keys, h.Permission)
			}
		}
	}
	slices.Sort(keys)
	keys = slices.Compact(keys)
	c.Gives, c.Risk = len(keys), s.riskOf(keys)
	return c
}

// TryDelegation tells what a delegation would cover, as it is written.
func (d *Viewer) TryDelegation(who Actor, g *model.Delegation) (*Coverage, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	c := s.covers(change.Clone(g))
	return &c, nil
}

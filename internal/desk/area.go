package desk

import (
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// AreaSheet is the sheet of an area.
type AreaSheet struct {
	Ref         Ref         `json:"ref"`
	Area        *model.Area `json:"area"`
	May         bool        `json:"may"`
	Draft       string      `json:"draft,omitempty" enum:"new,changed,gone"`
	Path        []Ref       `json:"path" doc:"What it lies in, from the whole organisation down"`
	Below       []AreaBelow `json:"below" doc:"What lies in it, each after the one that it lies in"`
	People      int         `json:"people" doc:"At home here or below"`
	Here        []Grant     `json:"here" doc:"Assignments at this very area, at most 500"`
	HereCount   int         `json:"hereCount" doc:"How many these are"`
	Above       []Grant     `json:"above" doc:"Assignments at areas that it lies in, which count here too, at most 500"`
	AboveCount  int         `json:"aboveCount" doc:"How many these are"`
	Contacts    []Grant     `json:"contacts" doc:"Assignments that name a contact of this area"`
	Groups      []Ref       `json:"groups" doc:"Groups whose home it is"`
	Delegations []Ref       `json:"delegations" doc:"Delegations that hold here, or are about the people here"`
}

// AreaBelow is an area within another.
type AreaBelow struct {
	Ref    Ref    `json:"ref"`
	Type   string `json:"type,omitempty"`
	Depth  int    `json:"depth" doc:"1 for what lies in it directly"`
	People int    `json:"people"`
	Grants int    `json:"grants"`
}

// grantsShown bounds how many assignments a sheet lists one by one.
const grantsShown = 500

// Area gives the sheet of an area.
func (d *Viewer) Area(who Actor, id string) (*AreaSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	o, ok := s.either(model.KindArea, id).(*model.Area)
	if !ok {
		return nil, refuse(NotFound, "There is no area %q.", id)
	}
	a := &AreaSheet{Ref: Ref{string(model.KindArea), id, o.Name}, Area: o, May: d.editable(s, who, model.KindArea), Draft: s.drafted(index.Node{Kind: model.KindArea, ID: id}), People: s.atHome(id),
		Path: []Ref{}, Below: []AreaBelow{}, Here: []Grant{}, Above: []Grant{}, Contacts: []Grant{}, Groups: []Ref{}, Delegations: []Ref{}}
	for p := o.Parent; p != ""; {
		up, ok := s.either(model.KindArea, p).(*model.Area)
		if !ok {
			break
		}
		a.Path = append(a.Path, Ref{string(model.KindArea), p, up.Name})
		p = up.Parent
	}
	slices.Reverse(a.Path)
	s.below(a, id, 1)
	present := &sight{house: s.present, present: s.present, at: s.at}
	for _, g := range merged(s.grantsAt(id), present.grantsAt(id)) {
		a.HereCount++
		if len(a.Here) < grantsShown {
			a.Here = append(a.Here, s.grant(d, who, g))
		}
		if g.Contact {
			a.Contacts = append(a.Contacts, s.grant(d, who, g))
		}
	}
	for _, up := range a.Path {
		for _, g := range merged(s.grantsAt(up.ID), present.grantsAt(up.ID)) {
			a.AboveCount++
			if len(a.Above) < grantsShown {
				a.Above = append(a.Above, s.grant(d, who, g))
			}
		}
	}
	for _, g := range s.design().Groups {
		if g.Area == id {
			a.Groups = append(a.Groups, s.ref(model.KindGroup, g.ID))
		}
	}
	for _, g := range s.design().Delegations {
		if areaOr(s.index, g.Area) == id || g.People.Area == id {
			a.Delegations = append(a.Delegations, s.ref(model.KindDelegation, g.ID))
		}
	}
	return a, nil
}

func (s *sight) below(a *AreaSheet, id string, depth int) {
	var list []*model.Area
	for _, c := range s.design().Areas {
		if c.Parent == id {
			list = append(list, c)
		}
	}
	slices.SortStableFunc(list, func(a, b *model.Area) int { return strings.Compare(a.Name, b.Name) })
	for _, c := range list {
		a.Below = append(a.Below, AreaBelow{s.ref(model.KindArea, c.ID), c.Type, depth, s.atHome(c.ID), len(s.grantsAt(c.ID))})
		s.below(a, c.ID, depth+1)
	}
}

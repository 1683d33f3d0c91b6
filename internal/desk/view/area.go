package view

import (
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// AreaSheet is the sheet of an area.
type AreaSheet struct {
	Ref         desk.Ref    `json:"ref"`
	Area        *model.Area `json:"area"`
	May         bool        `json:"may"`
	Draft       string      `json:"draft,omitempty" enum:"new,changed,gone"`
	Path        []desk.Ref  `json:"path" doc:"What it lies in, from the whole organisation down"`
	Below       []AreaBelow `json:"below" doc:"What lies in it, each after the one that it lies in"`
	People      int         `json:"people" doc:"At home here or below"`
	Here        []Grant     `json:"here" doc:"Assignments at this very area, at most 500"`
	HereCount   int         `json:"hereCount" doc:"How many these are"`
	Above       []Grant     `json:"above" doc:"Assignments at areas that it lies in, which count here too, at most 500"`
	AboveCount  int         `json:"aboveCount" doc:"How many these are"`
	Contacts    []Grant     `json:"contacts" doc:"Assignments that name a contact of this area"`
	Groups      []desk.Ref  `json:"groups" doc:"Groups whose home it is"`
	Delegations []desk.Ref  `json:"delegations" doc:"Delegations that hold here, or are about the people here"`
}

// AreaBelow is an area within another.
type AreaBelow struct {
	Ref    desk.Ref `json:"ref"`
	Type   string   `json:"type,omitempty"`
	Depth  int      `json:"depth" doc:"1 for what lies in it directly"`
	People int      `json:"people"`
	Grants int      `json:"grants"`
}

// grantsShown bounds how many assignments a sheet lists one by one.
const grantsShown = 500

// Area gives the sheet of an area.
func (d *Viewer) Area(who desk.Actor, id string) (*AreaSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	o, ok := Either(s, model.KindArea, id).(*model.Area)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no area %q.", id)
	}
	a := &AreaSheet{
		Ref:         desk.Ref{Kind: string(model.KindArea), ID: id, Name: o.Name},
		Area:        o,
		May:         d.editable(s, who, model.KindArea),
		Draft:       Drafted(s, index.Node{Kind: model.KindArea, ID: id}),
		People:      AtHome(s, id),
		Path:        []desk.Ref{},
		Below:       []AreaBelow{},
		Here:        []Grant{},
		Above:       []Grant{},
		Contacts:    []Grant{},
		Groups:      []desk.Ref{},
		Delegations: []desk.Ref{},
	}
	for p := o.Parent; p != ""; {
		up, ok := Either(s, model.KindArea, p).(*model.Area)
		if !ok {
			break
		}
		a.Path = append(a.Path, desk.Ref{Kind: string(model.KindArea), ID: p, Name: up.Name})
		p = up.Parent
	}
	slices.Reverse(a.Path)
	below(s, a, id, 1)
	present := &desk.Sight{House: s.Present, Present: s.Present, At: s.At}
	for _, g := range merged(grantsAt(s, id), grantsAt(present, id)) {
		a.HereCount++
		if len(a.Here) < grantsShown {
			a.Here = append(a.Here, GrantOf(s, d, who, g))
		}
		if g.Contact {
			a.Contacts = append(a.Contacts, GrantOf(s, d, who, g))
		}
	}
	for _, up := range a.Path {
		for _, g := range merged(grantsAt(s, up.ID), grantsAt(present, up.ID)) {
			a.AboveCount++
			if len(a.Above) < grantsShown {
				a.Above = append(a.Above, GrantOf(s, d, who, g))
			}
		}
	}
	for _, g := range s.Design().Groups {
		if g.Area == id {
			a.Groups = append(a.Groups, s.Ref(model.KindGroup, g.ID))
		}
	}
	for _, g := range s.Design().Delegations {
		if desk.AreaOr(s.Index, g.Area) == id || g.People.Area == id {
			a.Delegations = append(a.Delegations, s.Ref(model.KindDelegation, g.ID))
		}
	}
	return a, nil
}

func below(s *desk.Sight, a *AreaSheet, id string, depth int) {
	var list []*model.Area
	for _, c := range s.Design().Areas {
		if c.Parent == id {
			list = append(list, c)
		}
	}
	slices.SortStableFunc(list, func(a, b *model.Area) int { return strings.Compare(a.Name, b.Name) })
	for _, c := range list {
		a.Below = append(
			a.Below,
			AreaBelow{s.Ref(model.KindArea, c.ID), c.Type, depth, AtHome(s, c.ID), len(grantsAt(s, c.ID))},
		)
		below(s, a, c.ID, depth+1)
	}
}

package view

import (
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/finding"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// DelegationSheet is a delegation with what it covers now.
type DelegationSheet struct {
	Ref        desk.Ref          `json:"ref"`
	Delegation *model.Delegation `json:"delegation"`
	Delegate   desk.Ref          `json:"delegate"`
	Delegates  int               `json:"delegates" doc:"How many people it makes delegates"`
	Actions    []string          `json:"actions"`
	People     []desk.Phrase     `json:"people" doc:"Whom it is about, in words"`
	Roles      []desk.Ref        `json:"roles"`
	Sets       []desk.Ref        `json:"sets"`
	Groups     []desk.Ref        `json:"groups"`
	Area       desk.Ref          `json:"area"`
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
	Trouble string     `json:"trouble,omitempty" doc:"What is wrong with its filter"`
	At      int        `json:"at"`
	Count   int        `json:"count" doc:"How many people it is about"`
	People  []desk.Ref `json:"people" doc:"At most 100 of them, by name"`
	Above   []desk.Ref `json:"above" doc:"Those of them who hold a critical permission that no delegate of it holds, so are out of reach; at most 100"`
	Areas   []desk.Ref `json:"areas" doc:"The areas that it holds in"`
	Gives   int        `json:"gives" doc:"How many permissions its roles and sets give, and the groups whose members may be changed"`
	Risk    int        `json:"risk" doc:"The greatest risk among these"`
	// Closed are those of its groups whose members cannot be changed, since they hold what could not be assigned.
	Closed []desk.Ref `json:"closed"`
	// BackDoors are the rule groups into which its people could be brought by its actions, which is then refused. They
	// are told of one delegation, not of many.
	BackDoors []BackDoor `json:"backDoors"`
}

// BackDoor is a rule group that gives something, and into which people could be brought by actions of a delegation.
type BackDoor struct {
	Group   desk.Ref `json:"group"`
	Actions []string `json:"actions"`
}

const coveredShown = 100

// Delegations gives every delegation that somebody sees, by name.
func (d *Viewer) Delegations(who desk.Actor) ([]DelegationSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	out := []DelegationSheet{}
	list := s.Design().Delegations
	fan.Out(len(list), func(_, from, to int) { // what they cover is counted side by side
		for _, g := range list[from:to] {
			coversNow(s, g)
		}
	})
	for _, g := range list {
		out = append(out, delegationSheet(s, d, who, g))
	}
	for _, g := range s.Present.Design().Delegations {
		if s.Design().Get(model.KindDelegation, g.ID) == nil {
			out = append(out, delegationSheet(s, d, who, g))
		}
	}
	slices.SortStableFunc(out, func(a, b DelegationSheet) int {
		return strings.Compare(model.Fold(a.Ref.Name), model.Fold(b.Ref.Name))
	})
	return out, nil
}

// Delegation gives one delegation.
func (d *Viewer) Delegation(who desk.Actor, id string) (*DelegationSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	g, ok := Either(s, model.KindDelegation, id).(*model.Delegation)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no delegation %q.", id)
	}
	v := delegationSheet(s, d, who, g)
	v.Covers.BackDoors = backDoors(s, g)
	return &v, nil
}

func refs(s *desk.Sight, kind model.Kind, ids []string) []desk.Ref {
	out := make([]desk.Ref, len(ids))
	for i, id := range ids {
		out[i] = s.Ref(kind, id)
	}
	return out
}

func delegationSheet(s *desk.Sight, d *Viewer, who desk.Actor, g *model.Delegation) DelegationSheet {
	v := DelegationSheet{
		Ref:        desk.Ref{Kind: string(model.KindDelegation), ID: g.ID, Name: g.Name},
		Delegation: g,
		Delegate:   s.Subject(g.Delegate),
		Delegates:  1,
		Actions:    g.Actions,
		Roles:      refs(s, model.KindRole, g.Roles),
		Sets:       refs(s, model.KindSet, g.Sets),
		Groups:     refs(s, model.KindGroup, g.Groups),
		Area: s.Area(
			g.Area,
		),
		Whole: g.Area == "",
		Force: "now",
		Draft: Drafted(s, index.Node{Kind: model.KindDelegation, ID: g.ID}),
		May:   d.editable(s, who, model.KindDelegation),
		Mine:  g.Delegate.User == who.Eyes() || g.Delegate.Group != "" && s.Index.InGroup(who.Eyes(), g.Delegate.Group),
	}
	if g.Delegate.Group != "" {
		v.Delegates = s.Index.Size(g.Delegate.Group)
	}
	if g.From.After(s.At) {
		v.Force = "coming"
	} else if !model.In(s.At, g.From, g.Until) {
		v.Force = "ended"
	}
	v.Terms = s.Terms(&model.Assignment{From: g.From, Until: g.Until}).How
	v.People = peopleWords(s, g.People)
	v.Covers = coversNow(s, g)
	return v
}

// coversNow is what a delegation of the design covers.
func coversNow(s *desk.Sight, g *model.Delegation) Coverage {
	return desk.Counted(s, "covers "+g.ID, func() Coverage { return covers(s, g) })
}

// coveredBy gives the people whom a delegation is about, as [delegation.Covered] does; by area without looking at
// everybody.
func coveredBy(s *desk.Sight, g *model.Delegation) []string {
	if g.People.Area == "" {
		return delegation.Covered(s.Index, g)
	}
	at := desk.Kept(s, "people by home", []model.Kind{model.KindUser}, func() map[string][]string {
		out := map[string][]string{}
		for _, u := range s.Design().Users {
			if u.State != model.UserDeleted {
				home := desk.AreaOr(s.Index, u.Area)
				out[home] = append(out[home], u.ID)
			}
		}
		return out
	})
	var out []string
	for _, a := range s.Design().Areas {
		if s.Index.Covers(g.People.Area, a.ID) {
			out = append(out, at[a.ID]...)
		}
	}
	slices.Sort(out)
	return out
}

// RiskRows tells who holds what of high and critical risk.
func RiskRows(s *desk.Sight) *index.Rows {
	return desk.Followed(s, "what is of risk", func() *index.Rows {
		return s.Index.Rows(finding.OfRisk(s.Design(), 2), s.At)
	}, func(before *index.Rows, _ *index.Index, touched []string) *index.Rows {
		return before.Next(s.Index, touched, s.At)
	})
}

// above gives those of some people who hold a critical permission that none of the delegates holds, at most so many.
func above(s *desk.Sight, people, delegates []string, most int) (out []string) {
	rows := RiskRows(s)
	beyond := rows.Bits(finding.OfRisk(s.Design(), 3))
	for _, id := range delegates {
		for at, bits := range rows.Of(id) {
			beyond[at] &^= bits
		}
	}
	for _, id := range people {
		if len(out) == most {
			break
		}
		for at, bits := range rows.Of(id) {
			if bits&beyond[at] != 0 {
				out = append(out, id)
				break
			}
		}
	}
	return out
}

// covers tells what a delegation covers now.
func covers(s *desk.Sight, g *model.Delegation) Coverage {
	c := Coverage{
		People:    []desk.Ref{},
		Above:     []desk.Ref{},
		Areas:     []desk.Ref{},
		Closed:    []desk.Ref{},
		BackDoors: []BackDoor{},
	}
	if g.People.Filter != "" {
		if _, err := filter.Parse(g.People.Filter); err != nil {
			c.Trouble, c.At = desk.TroubleIn(g.People.Filter, err)
		}
	}
	people := coveredBy(s, g)
	delegates := []string{g.Delegate.User}
	if g.Delegate.Group != "" {
		delegates = s.Index.Members(g.Delegate.Group)
	}
	people = slices.DeleteFunc(people, func(u string) bool { return u == g.Delegate.User }) // nobody acts on themselves
	c.Count = len(people)
	c.People = refs(s, model.KindUser, people[:min(len(people), coveredShown)])
	c.Above = refs(s, model.KindUser, above(s, people, delegates, coveredShown))
	byName := func(a, b desk.Ref) int { return strings.Compare(model.Fold(a.Name), model.Fold(b.Name)) }
	slices.SortStableFunc(c.People, byName)
	slices.SortStableFunc(c.Above, byName)
	for _, a := range s.Design().Areas {
		if s.Index.Covers(g.Area, a.ID) {
			c.Areas = append(c.Areas, s.Ref(model.KindArea, a.ID))
		}
	}
	var keys []string
	for _, r := range g.Roles {
		keys = append(keys, s.Index.Content(model.KindRole, r)...)
	}
	for _, o := range g.Sets {
		keys = append(keys, s.Index.Content(model.KindSet, o)...)
	}
	if slices.Contains(g.Actions, delegation.Membership) {
		for _, id := range g.Groups {
			grants := s.Index.GrantsTo(id)
			if !g.GroupsWhole && !delegation.Assignable(s.Index, g, grants, s.At) {
				c.Closed = append(c.Closed, s.Ref(model.KindGroup, id))
				continue
			}
			for _, h := range s.Index.Carried(grants, s.At) {
				keys = append(keys, h.Permission)
			}
		}
	}
	slices.Sort(keys)
	keys = slices.Compact(keys)
	c.Gives, c.Risk = len(keys), riskOf(s.House, keys)
	return c
}

// TryDelegation tells what a delegation would cover, as it is written.
func (d *Viewer) TryDelegation(who desk.Actor, g *model.Delegation) (*Coverage, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	g = change.Clone(g)
	c := covers(s, g)
	c.BackDoors = backDoors(s, g)
	return &c, nil
}

// backDoors gives the rule groups into which people could be brought by a delegation, as far as they are seen.
func backDoors(s *desk.Sight, g *model.Delegation) []BackDoor {
	out := []BackDoor{}
	for _, b := range delegation.BackDoors(s.Ahead(), g, s.At) {
		if s.Design().Get(model.KindGroup, b.Group) != nil {
			out = append(out, BackDoor{s.Ref(model.KindGroup, b.Group), b.Actions})
		}
	}
	return out
}

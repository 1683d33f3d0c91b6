package view

import (
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// GroupMember is a member of a group.
type GroupMember struct {
	User  desk.Ref  `json:"user"`
	Note  string    `json:"note"`
	State string    `json:"state"`
	Way   string    `json:"way" enum:"listed,rule,nested"`
	Via   *desk.Ref `json:"via,omitempty" doc:"The nested group that brings them in"`
	Draft string    `json:"draft,omitempty" enum:"new,cut"`
	May   bool      `json:"may" doc:"The viewer may take them out"`
	// Ends is when they leave the group, or the organisation, as is known now.
	Ends *time.Time `json:"ends,omitempty"`
}

// GroupSheet is the sheet of a group.
type GroupSheet struct {
	Ref       desk.Ref      `json:"ref"`
	Group     *model.Group  `json:"group,omitempty" doc:"Absent if it is built in"`
	Owner     *desk.Ref     `json:"owner,omitempty"`
	Home      *desk.Ref     `json:"home,omitempty"`
	Lock      *Lock         `json:"lock,omitempty" doc:"Why its members cannot be edited here"`
	May       bool          `json:"may"`
	MayAdd    bool          `json:"mayAdd" doc:"The viewer may change which people are listed"`
	Draft     string        `json:"draft,omitempty" enum:"new,changed,gone"`
	Size      int           `json:"size"`
	Members   []GroupMember `json:"members" doc:"At most 2000"`
	Nests     []desk.Ref    `json:"nests"`
	NestedIn  []desk.Ref    `json:"nestedIn"`
	Grants    []Grant       `json:"grants" doc:"To it, and to groups that nest it"`
	Elsewhere int           `json:"elsewhere" doc:"How many grants are left out, since they do not count in the area"`
	Systems   []WallPanel   `json:"systems" doc:"What these give a member, licences aside"`
	Redundant []Grant       `json:"redundant" doc:"What members hold by hand that the group gives too"`
	UsedBy    []desk.Ref    `json:"usedBy" doc:"Delegations that name it"`
}

const membersShown = 2000

// Group gives the sheet of a group; if an area is given, with those grants only that count somewhere there.
func (d *Viewer) Group(who desk.Actor, id, where string) (*GroupSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if err := s.HasArea(where); err != nil {
		return nil, err
	}
	o := Either(s, model.KindGroup, id)
	builtIn := id == model.Everyone || id == model.Public
	if o == nil && !builtIn {
		return nil, desk.Refuse(desk.NotFound, "There is no group %q.", id)
	}
	g := &GroupSheet{
		Ref:       s.Ref(model.KindGroup, id),
		May:       d.editable(s, who, model.KindGroup),
		Draft:     Drafted(s, index.Node{Kind: model.KindGroup, ID: id}),
		Size:      s.Index.Size(id),
		Members:   []GroupMember{},
		Nests:     []desk.Ref{},
		NestedIn:  []desk.Ref{},
		Grants:    []Grant{},
		Redundant: []Grant{},
		UsedBy:    []desk.Ref{},
	}
	if builtIn {
		g.Lock = &Lock{Why: "It is built in: its members follow from the people there are."}
	} else {
		g.Group = o.(*model.Group)
		g.Ref.Name = g.Group.Name
		d.describe(s, g)
	}
	g.MayAdd = g.Lock == nil && g.Draft != "gone" &&
		(g.May || s.Draft != nil && mine(s, index.Node{Kind: model.KindGroup, ID: id}, "membership") && !s.Whole &&
			s.Authority != nil)
	members(s, g, id)
	if err := d.ends(s, who, g); err != nil {
		return nil, err
	}
	above := map[string]bool{}
	for _, a := range merged(s.Index.GrantsTo(id), s.Present.Index.GrantsTo(id)) {
		if !near(s, a.Area, where) {
			g.Elsewhere++
			continue
		}
		v := GrantOf(s, d, who, a)
		if a.Subject.Group != id {
			r := s.Ref(model.KindGroup, a.Subject.Group)
			v.By = &r
			above[r.ID] = true
		}
		g.Grants = append(g.Grants, v)
	}
	for _, p := range s.Design().Groups {
		if slices.Contains(p.Groups, id) {
			g.NestedIn = append(g.NestedIn, s.Ref(model.KindGroup, p.ID))
		}
	}
	for _, a := range Redundant(s.Index, id) {
		g.Redundant = append(g.Redundant, GrantOf(s, d, who, a))
	}
	for _, r := range References(s, model.KindGroup, id) {
		if r.From.Kind() == model.KindDelegation {
			g.UsedBy = append(g.UsedBy, Mentioned(s.House, r.From))
		}
	}
	g.Systems = given(s, s.Index.Carried(s.Index.GrantsTo(id), s.At))
	return g, nil
}

// ends tells when members will be members no longer.
func (d *Viewer) ends(s *desk.Sight, who desk.Actor, g *GroupSheet) error {
	list, err := d.Reading(who).ComingOf(store.ComingLeave, g.Ref.ID)
	coming := map[string]time.Time{}
	for _, c := range list {
		coming[c.User] = c.At
	}
	for i := range g.Members {
		m := &g.Members[i]
		until, ends := coming[m.User.ID]
		if u, ok := s.Design().Users.Find(m.User.ID); ok && !u.Until.IsZero() && (!ends || u.Until.Before(until)) {
			until, ends = u.Until, true
		}
		if ends && s.At.Before(until) {
			m.Ends = &until
		}
	}
	return err
}

func (d *Viewer) describe(s *desk.Sight, g *GroupSheet) {
	if g.Group.Owner != "" {
		r := s.Ref(model.KindUser, g.Group.Owner)
		g.Owner = &r
	}
	if g.Group.Area != "" {
		r := s.Area(g.Group.Area)
		g.Home = &r
	}
	for _, c := range g.Group.Groups {
		g.Nests = append(g.Nests, s.Ref(model.KindGroup, c))
	}
	switch {
	case g.Group.Source == model.Directory:
		g.Lock = d.fedLock(
			model.KindGroup,
			g.Group.ID,
			"its name and its members come from there.",
			"Nest it in a group of your own, and list further people there.",
		)
	case g.Group.Type == model.Rule:
		g.Lock = &Lock{Why: "It finds its members by a rule.", Instead: "Change the rule, or what the rule looks at."}
	}
}

// members lists a group's members by name, and by which way each is in.
func members(s *desk.Sight, g *GroupSheet, id string) {
	all := s.Index.Members(id)
	for _, u := range s.Present.Index.Members(id) {
		if s.Draft != nil && !s.Index.InGroup(u, id) {
			all = append(all, u)
		}
	}
	may := g.MayAdd
	for _, u := range all[:min(len(all), membersShown)] {
		o, ok := Either(s, model.KindUser, u).(*model.User)
		if !ok {
			continue
		}
		m := GroupMember{
			User:  desk.Ref{Kind: string(model.KindUser), ID: u, Name: o.DisplayName},
			Note:  s.Note(index.Node{Kind: model.KindUser, ID: u}),
			State: string(o.State),
			Way:   "nested",
		}
		switch {
		case !s.Index.InGroup(u, id):
			m.Draft, m.Way = "cut", "listed"
		case g.Group == nil || g.Group.Type == model.Rule:
			m.Way = "rule"
		case slices.Contains(g.Group.Users, u):
			m.Way, m.May = "listed", may
		default:
			for _, c := range g.Group.Groups {
				if s.Index.InGroup(u, c) {
					r := s.Ref(model.KindGroup, c)
					m.Via = &r
					break
				}
			}
		}
		if s.Draft != nil && m.Draft == "" && !s.Present.Index.InGroup(u, id) {
			m.Draft = "new"
		}
		g.Members = append(g.Members, m)
	}
	slices.SortStableFunc(g.Members, func(a, b GroupMember) int {
		return strings.Compare(model.Fold(a.User.Name), model.Fold(b.User.Name))
	})
}

// Redundant gives the assignments by hand of a group's members that the group gives them too, on terms as wide.
func Redundant(x *index.Index, group string) (out []*model.Assignment) {
	given := x.GrantsTo(group)
	for _, a := range x.Design().Assignments {
		if a.Subject.User == "" || !x.InGroup(a.Subject.User, group) {
			continue
		}
		if slices.ContainsFunc(given, func(g *model.Assignment) bool {
			return g.Role == a.Role && g.Set == a.Set &&
				x.Includes(
					index.Holding{Area: desk.AreaOr(x, g.Area), Reach: g.Reach},
					index.Holding{Area: desk.AreaOr(x, a.Area), Reach: a.Reach},
				) &&
				(g.Mode == model.Full || a.Mode == model.ReadOnly) &&
				(g.From.IsZero() || !a.From.IsZero() && !g.From.After(a.From)) &&
				(g.Until.IsZero() || !a.Until.IsZero() && !g.Until.Before(a.Until))
		}) {
			out = append(out, a)
		}
	}
	return out
}

package desk

import (
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// GroupMember is a member of a group.
type GroupMember struct {
	User  Ref    `json:"user"`
	Note  string `json:"note"`
	State string `json:"state"`
	Way   string `json:"way" enum:"listed,rule,nested"`
	Via   *Ref   `json:"via,omitempty" doc:"The nested group that brings them in"`
	Draft string `json:"draft,omitempty" enum:"new,cut"`
	May   bool   `json:"may" doc:"The viewer may take them out"`
}

// GroupSheet is the sheet of a group.
type GroupSheet struct {
	Ref       Ref           `json:"ref"`
	Group     *model.Group  `json:"group,omitempty" doc:"Absent if it is built in"`
	Owner     *Ref          `json:"owner,omitempty"`
	Home      *Ref          `json:"home,omitempty"`
	Lock      *Lock         `json:"lock,omitempty" doc:"Why its members cannot be edited here"`
	May       bool          `json:"may"`
	MayAdd    bool          `json:"mayAdd" doc:"The viewer may change which people are listed"`
	Draft     string        `json:"draft,omitempty" enum:"new,changed,gone"`
	Size      int           `json:"size"`
	Members   []GroupMember `json:"members" doc:"At most 2000"`
	Nests     []Ref         `json:"nests"`
	NestedIn  []Ref         `json:"nestedIn"`
	Grants    []Grant       `json:"grants" doc:"To it, and to groups that nest it"`
	Elsewhere int           `json:"elsewhere" doc:"How many grants are left out, since they do not count in the area"`
	Systems   []WallPanel   `json:"systems" doc:"What these give a member, licences aside"`
	Redundant []Grant       `json:"redundant" doc:"What members hold by hand that the group gives too"`
	UsedBy    []Ref         `json:"usedBy" doc:"Delegations that name it"`
}

const membersShown = 2000

// Group gives the sheet of a group; if an area is given, with those grants only that count somewhere there.
func (d *Viewer) Group(who Actor, id, where string) (*GroupSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	if err := s.hasArea(where); err != nil {
		return nil, err
	}
	o := s.either(model.KindGroup, id)
	builtIn := id == model.Everyone || id == model.Public
	if o == nil && !builtIn {
		return nil, refuse(NotFound, "There is no group %q.", id)
	}
	g := &GroupSheet{Ref: s.ref(model.KindGroup, id), May: d.editable(s, who, model.KindGroup), Draft: s.drafted(index.Node{Kind: model.KindGroup, ID: id}), Size: s.index.Size(id),
		Members: []GroupMember{}, Nests: []Ref{}, NestedIn: []Ref{}, Grants: []Grant{}, Redundant: []Grant{}, UsedBy: []Ref{}}
	if builtIn {
		g.Lock = &Lock{Why: "It is built in: its members follow from the people there are."}
	} else {
		g.Group = o.(*model.Group)
		g.Ref.Name = g.Group.Name
		d.describe(s, g)
	}
	g.MayAdd = g.Lock == nil && g.Draft != "gone" && (g.May || s.draft != nil && s.mine(index.Node{Kind: model.KindGroup, ID: id}, "membership") && !s.whole && s.authority != nil)
	s.members(g, id)
	above := map[string]bool{}
	for _, a := range merged(s.index.GrantsTo(id), s.present.index.GrantsTo(id)) {
		if !s.near(a.Area, where) {
			g.Elsewhere++
			continue
		}
		v := s.grant(d, who, a)
		if a.Subject.Group != id {
			r := s.ref(model.KindGroup, a.Subject.Group)
			v.By = &r
			above[r.ID] = true
		}
		g.Grants = append(g.Grants, v)
	}
	for _, p := range s.design().Groups {
		if slices.Contains(p.Groups, id) {
			g.NestedIn = append(g.NestedIn, s.ref(model.KindGroup, p.ID))
		}
	}
	for _, a := range redundant(s.index, id) {
		g.Redundant = append(g.Redundant, s.grant(d, who, a))
	}
	for _, r := range s.design().References(model.KindGroup, id) {
		if r.From.Kind() == model.KindDelegation {
			g.UsedBy = append(g.UsedBy, s.mentioned(r.From))
		}
	}
	g.Systems = s.given(s.index.Carried(s.index.GrantsTo(id), s.at))
	return g, nil
}

func (d *Viewer) describe(s *sight, g *GroupSheet) {
	if g.Group.Owner != "" {
		r := s.ref(model.KindUser, g.Group.Owner)
		g.Owner = &r
	}
	if g.Group.Area != "" {
		r := s.area(g.Group.Area)
		g.Home = &r
	}
	for _, c := range g.Group.Groups {
		g.Nests = append(g.Nests, s.ref(model.KindGroup, c))
	}
	switch {
	case g.Group.Source == model.Directory:
		g.Lock = d.fedLock(model.KindGroup, g.Group.ID, "its name and its members come from there.", "Nest it in a group of your own, and list further people there.")
	case g.Group.Type == model.Rule:
		g.Lock = &Lock{Why: "It finds its members by a rule.", Instead: "Change the rule, or what the rule looks at."}
	}
}

// members lists a group's members by name, and by which way each is in.
func (s *sight) members(g *GroupSheet, id string) {
	all := s.index.Members(id)
	for _, u := range s.present.index.Members(id) {
		if s.draft != nil && !s.index.InGroup(u, id) {
			all = append(all, u)
		}
	}
	may := g.MayAdd
	for _, u := range all[:min(len(all), membersShown)] {
		o, ok := s.either(model.KindUser, u).(*model.User)
		if !ok {
			continue
		}
		m := GroupMember{User: Ref{string(model.KindUser), u, o.DisplayName}, Note: s.note(index.Node{Kind: model.KindUser, ID: u}), State: string(o.State), Way: "nested"}
		switch {
		case !s.index.InGroup(u, id):
			m.Draft, m.Way = "cut", "listed"
		case g.Group == nil || g.Group.Type == model.Rule:
			m.Way = "rule"
		case slices.Contains(g.Group.Users, u):
			m.Way, m.May = "listed", may
		default:
			for _, c := range g.Group.Groups {
				if s.index.InGroup(u, c) {
					r := s.ref(model.KindGroup, c)
					m.Via = &r
					break
				}
			}
		}
		if s.draft != nil && m.Draft == "" && !s.present.index.InGroup(u, id) {
			m.Draft = "new"
		}
		g.Members = append(g.Members, m)
	}
	slices.SortStableFunc(g.Members, func(a, b GroupMember) int {
		return strings.Compare(model.Fold(a.User.Name), model.Fold(b.User.Name))
	})
}

// redundant gives the assignments by hand of a group's members that the group gives them too, on terms as wide.
func redundant(x *index.Index, group string) (out []*model.Assignment) {
	given := x.GrantsTo(group)
	for _, a := range x.Design().Assignments {
		if a.Subject.User == "" || !x.InGroup(a.Subject.User, group) {
			continue
		}
		if slices.ContainsFunc(given, func(g *model.Assignment) bool {
			return g.Role == a.Role && g.Set == a.Set && x.Includes(index.Holding{Area: areaOr(x, g.Area), Reach: g.Reach}, index.Holding{Area: areaOr(x, a.Area), Reach: a.Reach}) &&
				(g.Mode == model.Full || a.Mode == model.ReadOnly) &&
				(g.From.IsZero() || !a.From.IsZero() && !g.From.After(a.From)) && (g.Until.IsZero() || !a.Until.IsZero() && !g.Until.Before(a.Until))
		}) {
			out = append(out, a)
		}
	}
	return out
}

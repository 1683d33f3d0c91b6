package desk

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// CatalogueBrick is a permission in a system's catalogue.
type CatalogueBrick struct {
	Key         string `json:"key"`
	Action      string `json:"action"`
	Label       string `json:"label,omitempty"`
	Description string `json:"description,omitempty"`
	Class       string `json:"class" enum:"read,write,admin"`
	Risk        int    `json:"risk"`
	Whole       bool   `json:"whole" doc:"Cannot be limited to an area"`
	Holders     int    `json:"holders"`
}

// CatalogueCourse is an object of a system.
type CatalogueCourse struct {
	Object string           `json:"object"`
	Bricks []CatalogueBrick `json:"bricks"`
}

// CatalogueModule is a module of a system.
type CatalogueModule struct {
	Name    string            `json:"name"`
	Courses []CatalogueCourse `json:"courses"`
}

// Pool is a licence with its seats.
type Pool struct {
	Licence Ref   `json:"licence"`
	Seats   *int  `json:"seats,omitempty"`
	Used    int   `json:"used"`
	Idle    int   `json:"idle" doc:"Seats whose holder has not used the system for 90 days"`
	Covers  []Ref `json:"covers"`
	Lacking int   `json:"lacking" doc:"People whom a grant gives less than it carries, since they have no seat"`
}

// SystemSheet is the sheet of a system: its catalogue.
type SystemSheet struct {
	Ref     Ref               `json:"ref"`
	System  *model.System     `json:"system"`
	May     bool              `json:"may" doc:"The viewer may edit it"`
	Draft   string            `json:"draft,omitempty" enum:"new,changed,gone"`
	Modules []CatalogueModule `json:"modules"`
	Sets    []Layer           `json:"sets" doc:"Supplied with it"`
	Pools   []Pool            `json:"pools"`
	Roles   []Layer           `json:"roles" doc:"Roles that give something of it, most first; Gives counts only this system's"`
}

// idleAfter is after how many days without use a seat counts as idle.
const idleAfter = 90

// System gives the sheet of a system.
func (d *Viewer) System(who Actor, id string) (*SystemSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	o, ok := s.either(model.KindSystem, id).(*model.System)
	if !ok {
		return nil, refuse(NotFound, "There is no system %q.", id)
	}
	v := &SystemSheet{Ref: Ref{string(model.KindSystem), id, o.Name}, System: o, May: d.editable(s, who, model.KindSystem) && id != model.OwnSystem, Draft: s.drafted(index.Node{Kind: model.KindSystem, ID: id}), Modules: []CatalogueModule{}, Sets: []Layer{}, Pools: []Pool{}, Roles: []Layer{}}
	licences := []string{}
	needs := func(l string) {
		if l != "" && !slices.Contains(licences, l) {
			licences = append(licences, l)
		}
	}
	needs(o.Licence)
	for _, p := range o.Permissions {
		needs(p.Licence)
		_, object, action, _ := model.Parts(p.Key)
		i := slices.IndexFunc(v.Modules, func(m CatalogueModule) bool { return m.Name == p.Module })
		if i < 0 {
			i = len(v.Modules)
			v.Modules = append(v.Modules, CatalogueModule{Name: p.Module})
		}
		m := &v.Modules[i]
		if len(m.Courses) == 0 || m.Courses[len(m.Courses)-1].Object != object {
			m.Courses = append(m.Courses, CatalogueCourse{Object: object})
		}
		c := &m.Courses[len(m.Courses)-1]
		c.Bricks = append(c.Bricks, CatalogueBrick{p.Key, action, p.Label, p.Description, string(p.Class), p.Risk, p.Span == model.SpanOrganisation, s.holderCount(index.KindPermission, p.Key)})
	}
	for _, m := range v.Modules {
		for _, c := range m.Courses {
			slices.SortStableFunc(c.Bricks, func(a, b CatalogueBrick) int {
				return cmp.Or(cmp.Compare(classRank[a.Class], classRank[b.Class]), cmp.Compare(a.Risk, b.Risk))
			})
		}
	}
	for _, l := range s.design().Licences {
		if slices.ContainsFunc(l.Covers, func(c string) bool { return slices.Contains(licences, c) }) {
			needs(l.ID)
		}
	}
	for _, l := range licences {
		v.Pools = append(v.Pools, s.pool(l))
	}
	for _, o := range s.suppliedBy(id) {
		v.Sets = append(v.Sets, s.layer(model.KindSet, o.ID))
	}
	for _, r := range s.design().Roles {
		n := 0
		for _, k := range s.index.Content(model.KindRole, r.ID) {
			if strings.HasPrefix(k, id+":") {
				n++
			}
		}
		if n > 0 {
			l := s.layer(model.KindRole, r.ID)
			l.Gives = n
			v.Roles = append(v.Roles, l)
		}
	}
	slices.SortStableFunc(v.Roles, func(a, b Layer) int { return b.Gives - a.Gives })
	return v, nil
}

// LicenceSheet is a licence with its seats.
type LicenceSheet struct {
	Ref     Ref            `json:"ref"`
	Licence *model.Licence `json:"licence"`
	Pool    Pool           `json:"pool"`
	May     bool           `json:"may" doc:"The viewer may edit it"`
	Draft   string         `json:"draft,omitempty" enum:"new,changed,gone"`
	Systems []Ref          `json:"systems" doc:"Systems that need it, or some permission of which does"`
	Taken   []Seat         `json:"taken" doc:"At most 200, the longest idle first"`
	Without []Ref          `json:"without" doc:"Who holds something that needs it, and has no seat; at most 200"`
}

// Seat is a licence in somebody's hands.
type Seat struct {
	User    Ref        `json:"user"`
	LastUse *time.Time `json:"lastUse,omitempty" doc:"When they last used a system that needs it, if that is known"`
	Idle    bool       `json:"idle" doc:"That is more than 90 days ago"`
	user    *model.User
}

// Licence gives the sheet of a licence.
func (d *Viewer) Licence(who Actor, id string) (*LicenceSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	l, ok := s.either(model.KindLicence, id).(*model.Licence)
	if !ok {
		return nil, refuse(NotFound, "There is no licence %q.", id)
	}
	v := &LicenceSheet{Ref: Ref{string(model.KindLicence), id, l.Name}, Licence: l, May: d.editable(s, who, model.KindLicence), Draft: s.drafted(index.Node{Kind: model.KindLicence, ID: id}), Systems: []Ref{}, Taken: []Seat{}, Without: []Ref{}}
	for _, o := range s.neededBy(id) {
		v.Systems = append(v.Systems, s.ref(model.KindSystem, o.ID))
	}
	if s.design().Get(model.KindLicence, id) != nil {
		v.Pool = s.pool(id)
		taken, without := s.seats(id)
		for _, seat := range taken[:min(len(taken), holdersShown)] {
			seat.User = s.ref(model.KindUser, seat.user.ID)
			v.Taken = append(v.Taken, seat)
		}
		for _, u := range without[:min(len(without), holdersShown)] {
			v.Without = append(v.Without, s.ref(model.KindUser, u.ID))
		}
	} else {
		v.Pool = Pool{Licence: v.Ref, Seats: l.Seats, Covers: []Ref{}}
	}
	return v, nil
}

// seating is who takes the seats of a licence, and who goes without.
type seating struct {
	taken   []Seat
	without []*model.User
}

// pool counts what [sight.seats] tells, of a licence that the design has.
func (s *sight) pool(id string) Pool {
	l, _ := s.design().Licences.Find(id)
	p := Pool{Licence: s.ref(model.KindLicence, id), Seats: l.Seats, Used: s.seatsUsed()[id], Covers: []Ref{}}
	for _, c := range l.Covers {
		p.Covers = append(p.Covers, s.ref(model.KindLicence, c))
	}
	taken, without := s.seats(id)
	for _, seat := range taken {
		if seat.Idle {
			p.Idle++
		}
	}
	p.Lacking = len(without)
	return p
}

// neededBy gives the systems that need a licence, or some permission of which does.
func (s *sight) neededBy(licence string) (out []*model.System) {
	for _, o := range s.design().Systems {
		if o.Licence == licence || slices.ContainsFunc(o.Permissions, func(p *model.Permission) bool { return p.Licence == licence }) {
			out = append(out, o)
		}
	}
	return out
}

// seats gives who takes a seat of a licence, the longest idle first, and who goes without though a grant needs it; each by name.
func (s *sight) seats(licence string) (taken []Seat, without []*model.User) {
	all := counted(s, "seats of "+licence, func() seating {
		taken, without := s.seatsNow(licence)
		return seating{taken, without}
	})
	return all.taken, all.without
}

func (s *sight) seatsNow(licence string) (taken []Seat, without []*model.User) {
	systems, limit := s.neededBy(licence), s.at.AddDate(0, 0, -idleAfter)
	for _, u := range s.design().Users {
		if slices.Contains(u.Licences, licence) && u.State != model.UserDeactivated && u.State != model.UserDeleted {
			seat := Seat{user: u}
			for _, o := range systems {
				if used, ok := u.LastUse[o.ID]; ok && (seat.LastUse == nil || used.After(*seat.LastUse)) {
					seat.LastUse = &used
				}
			}
			seat.Idle = seat.LastUse != nil && seat.LastUse.Before(limit)
			taken = append(taken, seat)
		}
	}
	for _, id := range s.index.Lacking(licence, s.at) {
		u, _ := s.design().Users.Find(id)
		without = append(without, u)
	}
	byName := func(a, b *model.User) int {
		return strings.Compare(model.Fold(a.DisplayName), model.Fold(b.DisplayName))
	}
	slices.SortFunc(without, byName)
	slices.SortFunc(taken, func(a, b Seat) int {
		if a.Idle && b.Idle {
			return cmp.Or(a.LastUse.Compare(*b.LastUse), byName(a.user, b.user))
		}
		return cmp.Or(cmp.Compare(boolRank(b.Idle), boolRank(a.Idle)), byName(a.user, b.user))
	})
	return taken, without
}

// PermissionSheet is the sheet of a permission.
type PermissionSheet struct {
	Ref        Ref           `json:"ref"`
	System     Ref           `json:"system"`
	Object     string        `json:"object"`
	Action     string        `json:"action"`
	Label      string        `json:"label,omitempty"`
	About      string        `json:"about,omitempty"`
	Module     string        `json:"module,omitempty"`
	Class      string        `json:"class"`
	Risk       int           `json:"risk"`
	Whole      bool          `json:"whole" doc:"Cannot be limited to an area"`
	Licence    *Ref          `json:"licence,omitempty"`
	Catalogue  *model.System `json:"catalogue" doc:"The system with all its permissions, as it is edited"`
	May        bool          `json:"may" doc:"The viewer may edit it"`
	Implies    []Ref         `json:"implies" doc:"What it cannot do without, all the way down"`
	ImpliedBy  []Ref         `json:"impliedBy" doc:"What cannot do without it"`
	Sets       []Layer       `json:"sets" doc:"Sets that give it"`
	Roles      []Layer       `json:"roles" doc:"Roles that give it"`
	ExcludedBy []Ref         `json:"excludedBy" doc:"Roles that keep it out"`
	Conflicts  []Ref         `json:"conflicts"`
	Holders    int           `json:"holders"`
	People     []Ref         `json:"people" doc:"Who holds it, at most 200, by name"`
}

const holdersShown = 200

// firstByName gives the first of some people by name.
func (s *sight) firstByName(users []string, most int) []Ref {
	place := counted(s, "places by name", func() map[string]int {
		places := make(map[string]int, len(s.design().Users))
		for i, e := range s.entries(model.KindUser) {
			places[e.node.ID] = i
		}
		return places
	})
	sorted := slices.SortedFunc(slices.Values(users), func(a, b string) int { return cmp.Compare(place[a], place[b]) })
	return s.refs(model.KindUser, sorted[:min(len(sorted), most)])
}

// Permission gives the sheet of a permission, with who holds it somewhere in an area (empty: anywhere).
func (d *Viewer) Permission(who Actor, key, where string) (*PermissionSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	if err := s.hasArea(where); err != nil {
		return nil, err
	}
	p, ok := s.design().Permission(key)
	if !ok {
		return nil, refuse(NotFound, "No system has a permission %q.", key)
	}
	system, object, action, _ := model.Parts(key)
	v := &PermissionSheet{Ref: s.ref(index.KindPermission, key), System: s.ref(model.KindSystem, system), Object: object, Action: action, Label: p.Label, About: p.Description, Module: p.Module, Class: string(p.Class), Risk: p.Risk, Whole: p.Span == model.SpanOrganisation,
		Implies: []Ref{}, ImpliedBy: []Ref{}, Sets: []Layer{}, Roles: []Layer{}, ExcludedBy: []Ref{}, Conflicts: []Ref{}, People: []Ref{}}
	owner, _ := s.design().Systems.Find(system)
	v.Catalogue, v.May = owner, d.editable(s, who, model.KindSystem) && system != model.OwnSystem
	if l := cmp.Or(p.Licence, owner.Licence); l != "" {
		r := s.ref(model.KindLicence, l)
		v.Licence = &r
	}
	for _, k := range s.index.Closure([]string{key}) {
		if k != key {
			v.Implies = append(v.Implies, s.ref(index.KindPermission, k))
		}
	}
	for _, k := range s.index.Standing([]string{key}) {
		if k != key {
			v.ImpliedBy = append(v.ImpliedBy, s.ref(index.KindPermission, k))
		}
	}
	gives := map[string]bool{}
	for _, n := range s.index.Giving(key) {
		if n.Kind == model.KindSet {
			v.Sets = append(v.Sets, s.layer(n.Kind, n.ID))
		} else {
			gives[n.ID] = true
			v.Roles = append(v.Roles, s.layer(n.Kind, n.ID))
		}
	}
	for _, o := range s.design().Roles {
		if len(o.Excludes) > 0 && !gives[o.ID] && slices.Contains(s.index.Standing(o.Excludes), key) {
			v.ExcludedBy = append(v.ExcludedBy, s.ref(model.KindRole, o.ID))
		}
	}
	for _, c := range s.design().Conflicts {
		if slices.ContainsFunc(c.Items, func(i model.Item) bool { return i.Permission == key }) {
			v.Conflicts = append(v.Conflicts, s.ref(model.KindConflict, c.ID))
		}
	}
	holders := s.index.WhoHolds(index.Some{Keys: []string{key}, Area: where}, s.at)
	v.Holders = len(holders)
	v.People = s.firstByName(holders, holdersShown)
	return v, nil
}

// holdsAt tells whether somebody holds a permission somewhere in an area.
func (s *sight) holdsAt(user, key, where string) bool {
	return len(s.index.HeldAt(user, key, where, s.at)) > 0
}

package view

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
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
	Licence desk.Ref   `json:"licence"`
	Seats   *int       `json:"seats,omitempty"`
	Used    int        `json:"used" doc:"Seats of people whom the viewer sees"`
	Others  int        `json:"others" doc:"Seats of people whom the viewer, a delegate, does not see"`
	Idle    int        `json:"idle" doc:"Seats whose holder has not used the system for 90 days"`
	Covers  []desk.Ref `json:"covers"`
	Lacking int        `json:"lacking" doc:"People whom a grant gives less than it carries, since they have no seat"`
}

// SystemSheet is the sheet of a system: its catalogue.
type SystemSheet struct {
	Ref     desk.Ref          `json:"ref"`
	System  *model.System     `json:"system"`
	May     bool              `json:"may" doc:"The viewer may edit it"`
	Draft   string            `json:"draft,omitempty" enum:"new,changed,gone"`
	Modules []CatalogueModule `json:"modules"`
	Sets    []Layer           `json:"sets" doc:"Supplied with it"`
	Pools   []Pool            `json:"pools"`
	Roles   []Layer           `json:"roles" doc:"Roles that give something of it, most first; Gives counts only this system's"`
}

// System gives the sheet of a system.
func (d *Viewer) System(who desk.Actor, id string) (*SystemSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	o, ok := Either(s, model.KindSystem, id).(*model.System)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no system %q.", id)
	}
	v := &SystemSheet{
		Ref:     desk.Ref{Kind: string(model.KindSystem), ID: id, Name: o.Name},
		System:  o,
		May:     d.editable(s, who, model.KindSystem) && id != model.OwnSystem,
		Draft:   Drafted(s, index.Node{Kind: model.KindSystem, ID: id}),
		Modules: []CatalogueModule{},
		Sets:    []Layer{},
		Pools:   []Pool{},
		Roles:   []Layer{},
	}
	licences := []string{}
	needs := func(l string) {
		if l != "" && !slices.Contains(licences, l) {
			licences = append(licences, l)
		}
	}
	needs(o.Licence)
	for _, p := range o.Permissions {
		needs(p.Licence)
		_, object, action, _ := model.CutKey(p.Key)
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
		c.Bricks = append(
			c.Bricks,
			CatalogueBrick{
				p.Key,
				action,
				p.Label,
				p.Description,
				string(p.Class),
				p.Risk,
				p.Span == model.SpanOrganisation,
				HolderCount(s, index.KindPermission, p.Key),
			},
		)
	}
	for _, m := range v.Modules {
		for _, c := range m.Courses {
			slices.SortStableFunc(c.Bricks, func(a, b CatalogueBrick) int {
				return cmp.Or(cmp.Compare(classRank[a.Class], classRank[b.Class]), cmp.Compare(a.Risk, b.Risk))
			})
		}
	}
	for _, l := range s.Design().Licences {
		if slices.ContainsFunc(l.Covers, func(c string) bool { return slices.Contains(licences, c) }) {
			needs(l.ID)
		}
	}
	for _, l := range licences {
		v.Pools = append(v.Pools, d.pool(s, l, seats(s, l, review.IdleAfter)))
	}
	for _, o := range suppliedBy(s, id) {
		v.Sets = append(v.Sets, layer(s, model.KindSet, o.ID))
	}
	for _, r := range s.Design().Roles {
		n := 0
		for _, k := range s.Index.Content(model.KindRole, r.ID) {
			if strings.HasPrefix(k, id+":") {
				n++
			}
		}
		if n > 0 {
			l := layer(s, model.KindRole, r.ID)
			l.Gives = n
			v.Roles = append(v.Roles, l)
		}
	}
	slices.SortStableFunc(v.Roles, func(a, b Layer) int { return b.Gives - a.Gives })
	return v, nil
}

// LicenceSheet is a licence with its seats.
type LicenceSheet struct {
	Ref     desk.Ref       `json:"ref"`
	Licence *model.Licence `json:"licence"`
	Pool    Pool           `json:"pool"`
	May     bool           `json:"may" doc:"The viewer may edit it"`
	Draft   string         `json:"draft,omitempty" enum:"new,changed,gone"`
	Systems []desk.Ref     `json:"systems" doc:"Systems that need it, or some permission of which does"`
	Taken   []Seat         `json:"taken" doc:"At most 200, the longest idle first"`
	Without []desk.Ref     `json:"without" doc:"Who holds something that needs it, and has no seat; at most 200"`
}

// Seat is a licence in somebody's hands.
type Seat struct {
	User    desk.Ref   `json:"user"`
	LastUse *time.Time `json:"lastUse,omitempty" doc:"When they last used a system that needs it, if that is known"`
	Never   bool       `json:"never,omitempty" doc:"Uses of these systems are known, but none by this person"`
	Idle    bool       `json:"idle" doc:"It was not used for 90 days"`
	user    *model.User
}

// Licence gives the sheet of a licence.
func (d *Viewer) Licence(who desk.Actor, id string) (*LicenceSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	l, ok := Either(s, model.KindLicence, id).(*model.Licence)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no licence %q.", id)
	}
	v := &LicenceSheet{
		Ref:     desk.Ref{Kind: string(model.KindLicence), ID: id, Name: l.Name},
		Licence: l,
		May:     d.editable(s, who, model.KindLicence),
		Draft:   Drafted(s, index.Node{Kind: model.KindLicence, ID: id}),
		Systems: []desk.Ref{},
		Taken:   []Seat{},
		Without: []desk.Ref{},
	}
	for _, o := range neededBy(s, id) {
		v.Systems = append(v.Systems, s.Ref(model.KindSystem, o.ID))
	}
	if s.Design().Get(model.KindLicence, id) != nil {
		taken, without := seats(s, id, review.IdleAfter), waiting(s, id)
		v.Pool = d.pool(s, id, taken)
		for _, seat := range taken[:min(len(taken), holdersShown)] {
			seat.User = s.Ref(model.KindUser, seat.user.ID)
			v.Taken = append(v.Taken, seat)
		}
		for _, u := range without[:min(len(without), holdersShown)] {
			v.Without = append(v.Without, s.Ref(model.KindUser, u.ID))
		}
	} else {
		v.Pool = Pool{Licence: v.Ref, Seats: l.Seats, Covers: []desk.Ref{}}
	}
	return v, nil
}

// pool counts what [seats] gives, of a licence that the design has.
func (d *Viewer) pool(s *desk.Sight, id string, taken []Seat) Pool {
	l, _ := s.Design().Licences.Find(id)
	p := Pool{
		Licence: s.Ref(model.KindLicence, id), Seats: l.Seats, Used: len(taken),
		Lacking: lackers(s)[id], Covers: []desk.Ref{}, Others: d.seatsOfOthers(s, id),
	}
	for _, c := range l.Covers {
		p.Covers = append(p.Covers, s.Ref(model.KindLicence, c))
	}
	for _, seat := range taken {
		if seat.Idle {
			p.Idle++
		}
	}
	return p
}

// seatsOfOthers counts the seats of people whom a delegate does not see. That much of them is told, since it is
// what is left of a pool.
func (d *Viewer) seatsOfOthers(s *desk.Sight, licence string) int {
	if s.Authority == nil {
		return 0
	}
	return d.Present().Index.SeatsUsed()[licence] - s.Present.Index.SeatsUsed()[licence]
}

// neededBy gives the systems that need a licence, or some permission of which does.
func neededBy(s *desk.Sight, licence string) (out []*model.System) {
	for _, o := range s.Design().Systems {
		if o.Licence == licence ||
			slices.ContainsFunc(o.Permissions, func(p *model.Permission) bool { return p.Licence == licence }) {
			out = append(out, o)
		}
	}
	return out
}

// seats gives who takes a seat of a licence, the longest idle first and then by name. Idle is who has not used it for
// so many days, where uses of it are known.
func seats(s *desk.Sight, licence string, days int) (taken []Seat) {
	what, known := usesOf(s, licence)
	if !known {
		what = nil
	}
	limit := s.At.AddDate(0, 0, -days)
	for _, u := range seated(s)[licence] {
		seat := Seat{user: u, LastUse: lastUse(s.House, u.ID, what, s.At), Never: known}
		seat.Never = seat.Never && seat.LastUse == nil
		seat.Idle = seat.Never || seat.LastUse != nil && seat.LastUse.Before(limit)
		taken = append(taken, seat)
	}
	slices.SortStableFunc(taken, func(a, b Seat) int {
		if a.Idle && b.Idle {
			return a.when().Compare(b.when())
		}
		return cmp.Compare(boolRank(b.Idle), boolRank(a.Idle))
	})
	return taken
}

// when is when the seat was last used; before all time if never.
func (s Seat) when() (at time.Time) {
	if s.LastUse != nil {
		at = *s.LastUse
	}
	return at
}

// seated gives who takes a seat of each licence, by name.
func seated(s *desk.Sight) map[string][]*model.User {
	return desk.Kept(s, "seated", []model.Kind{model.KindUser}, func() map[string][]*model.User {
		out := map[string][]*model.User{}
		for _, e := range s.Entries(model.KindUser) {
			u := s.Design().Users[e.Place]
			for _, l := range u.Licences {
				if u.State != model.UserDeactivated {
					out[l] = append(out[l], u)
				}
			}
		}
		return out
	})
}

// waiting gives who goes without a licence though a grant needs it, by name.
func waiting(s *desk.Sight, licence string) []*model.User {
	return desk.Counted(s, "waiting for "+licence, func() (without []*model.User) {
		users, lacks := s.Design().Users, lacking(s).All()
		n, ok := s.Design().Licences.Position(licence)
		for _, e := range s.Entries(model.KindUser) {
			if ok && lacks[e.Place].has(n) {
				without = append(without, users[e.Place])
			}
		}
		return without
	})
}

// lackers counts who goes without each licence though a grant needs it.
func lackers(s *desk.Sight) map[string]int {
	return desk.Counted(s, "how many lack each licence", func() map[string]int {
		d, out := s.Design(), map[string]int{}
		counts := make([]int, len(d.Licences))
		for _, lacks := range lacking(s).All() {
			for n := range index.EachBit(lacks) {
				counts[n]++
			}
		}
		for n, l := range d.Licences {
			out[l.ID] = counts[n]
		}
		return out
	})
}

// lacking gives the licences for want of which something is withheld from each person.
func lacking(s *desk.Sight) licencesOfEach {
	return eachLicences(s, "licences that are lacked", func(u *model.User) []string {
		return s.Index.WaitsFor(u.ID, s.At)
	})
}

// licences is some of them, as bits by their place in the design.
type licences []uint64

func (l licences) has(n int) bool { return n/64 < len(l) && l[n/64]>>(n%64)&1 == 1 }

// licencesOfEach is licences of each person.
type licencesOfEach = model.Column[*model.User, licences]

// eachLicences gives licences of each person, found person by person.
func eachLicences(s *desk.Sight, name string, of func(u *model.User) []string) licencesOfEach {
	d := s.Design()
	bits := func(u *model.User) (out licences) {
		for _, id := range of(u) {
			if n, ok := d.Licences.Position(id); ok {
				if out == nil {
					out = make(licences, (len(d.Licences)+63)/64)
				}
				out[n/64] |= 1 << (n % 64)
			}
		}
		return out
	}
	return desk.Followed(s, name, func() licencesOfEach { return index.EachPerson(d, bits) },
		func(before licencesOfEach, _ *index.Index, touched []string) licencesOfEach {
			out := before.Beside(d.Users)
			for _, id := range touched {
				if u, ok := d.Users.Find(id); ok {
					out.Set(id, bits(u))
				}
			}
			return out
		})
}

// PermissionSheet is the sheet of a permission.
type PermissionSheet struct {
	Ref        desk.Ref      `json:"ref"`
	System     desk.Ref      `json:"system"`
	Object     string        `json:"object"`
	Action     string        `json:"action"`
	Label      string        `json:"label,omitempty"`
	About      string        `json:"about,omitempty"`
	Module     string        `json:"module,omitempty"`
	Class      string        `json:"class"`
	Risk       int           `json:"risk"`
	Whole      bool          `json:"whole" doc:"Cannot be limited to an area"`
	Licence    *desk.Ref     `json:"licence,omitempty"`
	Catalogue  *model.System `json:"catalogue" doc:"The system with all its permissions, as it is edited"`
	May        bool          `json:"may" doc:"The viewer may edit it"`
	Implies    []desk.Ref    `json:"implies" doc:"What it cannot do without, all the way down"`
	ImpliedBy  []desk.Ref    `json:"impliedBy" doc:"What cannot do without it"`
	Sets       []Layer       `json:"sets" doc:"Sets that give it"`
	Roles      []Layer       `json:"roles" doc:"Roles that give it"`
	ExcludedBy []desk.Ref    `json:"excludedBy" doc:"Roles that keep it out"`
	Conflicts  []desk.Ref    `json:"conflicts"`
	Holders    int           `json:"holders"`
	People     []desk.Ref    `json:"people" doc:"Who holds it, at most 200, by name"`
}

const holdersShown = 200

// placesByName gives the place of everybody in the order of names.
func placesByName(s *desk.Sight) map[string]int {
	return desk.Kept(s, "places by name", []model.Kind{model.KindUser}, func() map[string]int {
		places := make(map[string]int, len(s.Design().Users))
		for i, e := range s.Entries(model.KindUser) {
			places[e.Node.ID] = i
		}
		return places
	})
}

// firstByName gives the first of some people by name.
func firstByName(s *desk.Sight, users []string, most int) []desk.Ref {
	place := placesByName(s)
	places := make([]int, len(users))
	for i, u := range users {
		places[i] = place[u]
	}
	slices.Sort(places)
	all, first := s.Entries(model.KindUser), []string{}
	for _, at := range places[:min(len(places), most)] {
		first = append(first, all[at].Node.ID)
	}
	return refs(s, model.KindUser, first)
}

// Permission gives the sheet of a permission, with who holds it somewhere in an area (empty: anywhere).
func (d *Viewer) Permission(who desk.Actor, key, where string) (*PermissionSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if err := s.HasArea(where); err != nil {
		return nil, err
	}
	p, ok := s.Design().Permission(key)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "No system has a permission %q.", key)
	}
	system, object, action, _ := model.CutKey(key)
	v := &PermissionSheet{
		Ref:        s.Ref(index.KindPermission, key),
		System:     s.Ref(model.KindSystem, system),
		Object:     object,
		Action:     action,
		Label:      p.Label,
		About:      p.Description,
		Module:     p.Module,
		Class:      string(p.Class),
		Risk:       p.Risk,
		Whole:      p.Span == model.SpanOrganisation,
		Implies:    []desk.Ref{},
		ImpliedBy:  []desk.Ref{},
		Sets:       []Layer{},
		Roles:      []Layer{},
		ExcludedBy: []desk.Ref{},
		Conflicts:  []desk.Ref{},
		People:     []desk.Ref{},
	}
	owner, _ := s.Design().Systems.Find(system)
	v.Catalogue, v.May = owner, d.editable(s, who, model.KindSystem) && system != model.OwnSystem
	if l := cmp.Or(p.Licence, owner.Licence); l != "" {
		r := s.Ref(model.KindLicence, l)
		v.Licence = &r
	}
	for _, k := range s.Index.Closure([]string{key}) {
		if k != key {
			v.Implies = append(v.Implies, s.Ref(index.KindPermission, k))
		}
	}
	for _, k := range s.Index.Standing([]string{key}) {
		if k != key {
			v.ImpliedBy = append(v.ImpliedBy, s.Ref(index.KindPermission, k))
		}
	}
	gives := map[string]bool{}
	for _, n := range s.Index.Giving(key) {
		if n.Kind == model.KindSet {
			v.Sets = append(v.Sets, layer(s, n.Kind, n.ID))
		} else {
			gives[n.ID] = true
			v.Roles = append(v.Roles, layer(s, n.Kind, n.ID))
		}
	}
	for _, o := range s.Design().Roles {
		if len(o.Excludes) > 0 && !gives[o.ID] && slices.Contains(s.Index.Standing(o.Excludes), key) {
			v.ExcludedBy = append(v.ExcludedBy, s.Ref(model.KindRole, o.ID))
		}
	}
	for _, c := range s.Design().Conflicts {
		if slices.ContainsFunc(c.Items, func(i model.Item) bool { return i.Permission == key }) {
			v.Conflicts = append(v.Conflicts, s.Ref(model.KindConflict, c.ID))
		}
	}
	holders := s.Index.WhoHolds(index.Some{Keys: []string{key}, Area: where}, s.At)
	v.Holders = len(holders)
	v.People = firstByName(s, holders, holdersShown)
	return v, nil
}

// HoldsAt tells whether somebody holds a permission somewhere in an area.
func HoldsAt(s *desk.Sight, user, key, where string) bool {
	return len(s.Index.HeldAt(user, key, where, s.At)) > 0
}

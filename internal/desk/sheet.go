package desk

import (
	"cmp"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Layer is one thing that a role or set is built of.
type Layer struct {
	Ref   Ref    `json:"ref"`
	Note  string `json:"note"`
	State string `json:"state" enum:"active,retired"`
	Gives int    `json:"gives" doc:"How many permissions it brings"`
	Alone int    `json:"alone" doc:"How many of these nothing else in the stack brings"`
	Draft string `json:"draft,omitempty" enum:"new"`
}

// LayerBrick is a permission on the wall of a role or set.
type LayerBrick struct {
	Key         string `json:"key"`
	Action      string `json:"action"`
	Label       string `json:"label,omitempty"`
	Description string `json:"description,omitempty"`
	Class       string `json:"class" enum:"read,write,admin"`
	Risk        int    `json:"risk"`
	Whole       bool   `json:"whole" doc:"Cannot be limited to an area"`
	State       string `json:"state" enum:"given,excluded,none"`
	Layers      []Ref  `json:"layers" doc:"Which parts of the stack bring it; the role or set itself if it is its own"`
	Implied     bool   `json:"implied" doc:"Given only since something else that is given needs it"`
	Draft       string `json:"draft,omitempty" enum:"new,cut"`
}

// LayerCourse is an object on that wall.
type LayerCourse struct {
	Object string       `json:"object"`
	Module string       `json:"module,omitempty"`
	Bricks []LayerBrick `json:"bricks"`
}

// LayerPanel is a system on that wall.
type LayerPanel struct {
	System  Ref           `json:"system"`
	Given   int           `json:"given"`
	Total   int           `json:"total"`
	Courses []LayerCourse `json:"courses"`
}

// Grant is an assignment, seen from one of its ends.
type Grant struct {
	Subject Ref    `json:"subject"`
	Target  Ref    `json:"target"`
	Terms   Terms  `json:"terms"`
	People  int    `json:"people" doc:"How many get it by this"`
	By      *Ref   `json:"by,omitempty" doc:"The group above by which it comes, if it comes by nesting"`
	Force   string `json:"force" enum:"now,coming,ended"`
	Draft   string `json:"draft,omitempty" enum:"new,changed,cut"`
	May     bool   `json:"may" doc:"The viewer may take it away"`
}

// Lock says why something cannot be edited, and what to do instead.
type Lock struct {
	Why     string `json:"why"`
	Instead string `json:"instead"`
}

// Drift is how an own set differs from the one that it was begun as a copy of.
type Drift struct {
	Original Ref      `json:"original"`
	Copied   string   `json:"copied,omitempty" doc:"The version that was copied"`
	Now      string   `json:"now,omitempty" doc:"The version that is supplied now"`
	Missing  []string `json:"missing" doc:"What the original gives and the copy does not"`
	Extra    []string `json:"extra" doc:"What the copy gives and the original does not"`
}

// BundleSheet is the sheet of a role or of a permission set.
type BundleSheet struct {
	Ref       Ref          `json:"ref"`
	Role      *model.Role  `json:"role,omitempty"`
	Set       *model.Set   `json:"set,omitempty"`
	Owner     *Ref         `json:"owner,omitempty"`
	State     string       `json:"state" enum:"active,retired"`
	Lock      *Lock        `json:"lock,omitempty"`
	May       bool         `json:"may" doc:"The viewer may edit it"`
	Draft     string       `json:"draft,omitempty" enum:"new,changed,gone"`
	Layers    []Layer      `json:"layers"`
	Excluded  []string     `json:"excluded" doc:"What the role keeps out by itself"`
	Systems   []LayerPanel `json:"systems"`
	Given     int          `json:"given"`
	Dangerous []LayerBrick `json:"dangerous" doc:"What it gives of high and critical risk"`
	Dangling  []string     `json:"dangling" doc:"Keys in it that no system has"`
	Holders   int          `json:"holders" doc:"How many people have it"`
	Grants    []Grant      `json:"grants"`
	UsedBy    []Ref        `json:"usedBy" doc:"Roles that build on it, and delegations and conflicts that name it"`
	Drift     *Drift       `json:"drift,omitempty"`
}

// Bundle gives the sheet of a role or set.
func (d *Desk) Bundle(who Actor, kind model.Kind, id string) (*BundleSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	o := s.either(kind, id)
	if o == nil || kind != model.KindRole && kind != model.KindSet {
		return nil, refuse(NotFound, "There is no %s %q.", kind.Word(), id)
	}
	b := &BundleSheet{Ref: Ref{string(kind), id, o.Title()}, Draft: s.drafted(index.Node{Kind: kind, ID: id}), Layers: []Layer{}, Excluded: []string{}, Dangerous: []LayerBrick{}, Dangling: []string{}, Grants: []Grant{}, UsedBy: []Ref{},
		Holders: s.index.HolderCount(kind, id, s.at), May: d.editable(s, who, kind)}
	owner := ""
	var keys []string
	switch o := o.(type) {
	case *model.Role:
		b.Role, owner, b.State = o, o.Owner, string(o.State)
		keys = slices.Concat(o.Permissions, o.Excludes)
		for _, r := range o.Inherits {
			b.Layers = append(b.Layers, s.layer(model.KindRole, r))
		}
		for _, x := range o.Sets {
			b.Layers = append(b.Layers, s.layer(model.KindSet, x))
		}
		b.Excluded = append(b.Excluded, o.Excludes...)
		if o.Protected {
			b.Lock = &Lock{"It is protected.", "Make a role that inherits it, and add or exclude there: what changes here flows through."}
		}
	case *model.Set:
		b.Set, owner, b.State = o, o.Owner, string(o.State)
		keys = o.Permissions
		if o.System != "" {
			b.Lock = &Lock{"It is supplied with " + s.ref(model.KindSystem, o.System).Name + " and changes only with the next version.", "Make an own set beside it with what it lacks, and put both into a role: upgrades then flow through."}
		}
		if o.CopyOf != nil {
			b.Drift = s.drift(o)
		}
	}
	if owner != "" {
		r := s.ref(model.KindUser, owner)
		b.Owner = &r
	}
	for _, k := range keys {
		if _, ok := s.design().Permission(k); !ok {
			b.Dangling = append(b.Dangling, k)
		}
	}
	s.wallOf(b, o)
	for _, a := range s.grantsOf(kind, id) {
		b.Grants = append(b.Grants, s.grant(d, who, a))
	}
	for _, r := range s.design().References(kind, id) {
		if k := r.From.Kind(); k == model.KindRole || k == model.KindDelegation || k == model.KindConflict {
			b.UsedBy = append(b.UsedBy, s.mentioned(r.From))
		}
	}
	return b, nil
}

// either gives an object as drafted, or as it is if the draft deletes it.
func (s *sight) either(kind model.Kind, id string) model.Object {
	if o := s.design().Get(kind, id); o != nil {
		return o
	}
	return s.present.design().Get(kind, id)
}

// editable tells whether somebody may edit objects of a kind, here and now.
func (d *Desk) editable(s *sight, who Actor, kind model.Kind) bool {
	return s.draft != nil && d.may(s.present, who, model.RightToEdit(kind))
}

func (s *sight) layer(kind model.Kind, id string) Layer {
	l := Layer{Ref: s.ref(kind, id), Note: s.note(index.Node{Kind: kind, ID: id}), State: string(model.Active), Gives: len(s.index.Content(kind, id))}
	switch o := s.design().Get(kind, id).(type) {
	case *model.Role:
		l.State = string(o.State)
	case *model.Set:
		l.State = string(o.State)
	}
	return l
}

// wallOf lays the bricks of a role or set: every permission of the systems that it touches, with which layer gives it.
func (s *sight) wallOf(b *BundleSheet, o model.Object) {
	kind, id := o.Kind(), o.Ident()
	given := s.index.Content(kind, id)
	before := s.present.index.Content(kind, id)
	layers := map[string][]Ref{}
	bring := func(ref Ref, keys []string) {
		for _, k := range keys {
			layers[k] = append(layers[k], ref)
		}
	}
	var own []string
	switch o := o.(type) {
	case *model.Role:
		own = o.Permissions
		for _, r := range o.Inherits {
			bring(s.ref(model.KindRole, r), s.index.Content(model.KindRole, r))
		}
		for _, x := range o.Sets {
			bring(s.ref(model.KindSet, x), s.index.Content(model.KindSet, x))
		}
	case *model.Set:
		own = o.Permissions
	}
	bring(b.Ref, s.index.Closure(own))
	for i, l := range b.Layers {
		for k := range layers {
			if len(layers[k]) == 1 && layers[k][0] == l.Ref {
				b.Layers[i].Alone++
			}
		}
	}
	b.Given, b.Systems = len(given), []LayerPanel{}
	touched := map[string]bool{}
	for k := range layers {
		system, _, _ := strings.Cut(k, ":")
		touched[system] = true
	}
	for _, system := range s.design().Systems {
		panel := LayerPanel{System: s.ref(model.KindSystem, system.ID), Total: len(system.Permissions), Courses: []LayerCourse{}}
		for _, p := range system.Permissions {
			_, object, action, _ := model.Parts(p.Key)
			brick := LayerBrick{Key: p.Key, Action: action, Label: p.Label, Description: p.Description, Class: string(p.Class), Risk: p.Risk, Whole: p.Span == model.SpanOrganisation, State: "none", Layers: layers[p.Key]}
			if brick.Layers == nil {
				brick.Layers = []Ref{}
			}
			_, is := slices.BinarySearch(given, p.Key)
			_, was := slices.BinarySearch(before, p.Key)
			switch {
			case is:
				brick.State = "given"
				panel.Given++
				brick.Implied = len(brick.Layers) == 1 && brick.Layers[0] == b.Ref && !slices.Contains(own, p.Key)
			case len(brick.Layers) > 0:
				brick.State = "excluded"
			}
			if s.draft != nil && is != was {
				if brick.Draft = "new"; was {
					brick.Draft = "cut"
				}
			}
			if is && p.Risk >= 2 {
				b.Dangerous = append(b.Dangerous, brick)
			}
			if len(panel.Courses) == 0 || panel.Courses[len(panel.Courses)-1].Object != object {
				panel.Courses = append(panel.Courses, LayerCourse{Object: object, Module: p.Module})
			}
			course := &panel.Courses[len(panel.Courses)-1]
			course.Bricks = append(course.Bricks, brick)
		}
		for _, c := range panel.Courses {
			slices.SortStableFunc(c.Bricks, func(a, b LayerBrick) int {
				return cmp.Or(cmp.Compare(classRank[a.Class], classRank[b.Class]), cmp.Compare(a.Risk, b.Risk))
			})
		}
		byModule(panel.Courses)
		b.Systems = append(b.Systems, panel)
	}
	slices.SortStableFunc(b.Systems, func(a, b LayerPanel) int {
		return cmp.Or(boolRank(touched[b.System.ID])-boolRank(touched[a.System.ID]), cmp.Compare(b.Given, a.Given))
	})
	slices.SortStableFunc(b.Dangerous, func(a, b LayerBrick) int { return b.Risk - a.Risk })
}

// byModule puts the objects of a module together, the modules in the order in which they first come.
func byModule(courses []LayerCourse) {
	order := map[string]int{}
	for _, c := range courses {
		if _, seen := order[c.Module]; !seen {
			order[c.Module] = len(order)
		}
	}
	slices.SortStableFunc(courses, func(a, b LayerCourse) int { return order[a.Module] - order[b.Module] })
}

func boolRank(b bool) int {
	if b {
		return 1
	}
	return 0
}

func (s *sight) drift(o *model.Set) *Drift {
	original, ok := s.design().Sets.Find(o.CopyOf.Set)
	if !ok {
		return nil
	}
	dr := &Drift{Original: s.ref(model.KindSet, original.ID), Copied: o.CopyOf.Version, Now: original.Version, Missing: []string{}, Extra: []string{}}
	mine, theirs := s.index.Closure(o.Permissions), s.index.Closure(original.Permissions)
	for _, k := range theirs {
		if !slices.Contains(mine, k) {
			dr.Missing = append(dr.Missing, k)
		}
	}
	for _, k := range mine {
		if !slices.Contains(theirs, k) {
			dr.Extra = append(dr.Extra, k)
		}
	}
	return dr
}

// grantsOf gives the assignments of a role or set, those too that the draft cuts.
func (s *sight) grantsOf(kind model.Kind, id string) []*model.Assignment {
	return merged(s.index.GrantsOf(kind, id), s.present.index.GrantsOf(kind, id))
}

// merged gives the first list, and after it those of the second that the first has not.
func merged(now, before []*model.Assignment) []*model.Assignment {
	out := slices.Clone(now)
	for _, a := range before {
		if !slices.ContainsFunc(now, func(b *model.Assignment) bool { return a.ID == b.ID }) {
			out = append(out, a)
		}
	}
	return out
}

// grant tells of an assignment; the viewer is who.
func (s *sight) grant(d *Desk, who Actor, a *model.Assignment) Grant {
	h := s.house
	g := Grant{Force: "now", May: d.mayRevoke(s, who, a)}
	if a.From.After(s.at) {
		g.Force = "coming"
	} else if !model.In(s.at, a.From, a.Until) {
		g.Force = "ended"
	}
	now, still := s.design().Assignments.Find(a.ID)
	was, before := s.present.design().Assignments.Find(a.ID)
	switch {
	case !still:
		g.Draft, h = "cut", s.present
	case !before:
		g.Draft = "new"
	case now != was && !change.Equal(now, was):
		g.Draft = "changed"
	}
	g.Subject, g.Target, g.Terms, g.People = h.subject(a.Subject), h.target(a), h.terms(a), 1
	if a.Subject.User == "" {
		g.People = h.index.Size(a.Subject.Group)
	}
	return g
}

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
	Systems   []WallPanel   `json:"systems" doc:"What these give a member, licences aside"`
	Redundant []Grant       `json:"redundant" doc:"What members hold by hand that the group gives too"`
	UsedBy    []Ref         `json:"usedBy" doc:"Delegations that name it"`
}

const membersShown = 2000

// Group gives the sheet of a group.
func (d *Desk) Group(who Actor, id string) (*GroupSheet, error) {
	s, err := d.see(who)
	if err != nil {
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
		g.Lock = &Lock{"It is built in: its members follow from the people there are.", ""}
	} else {
		g.Group = o.(*model.Group)
		g.Ref.Name = g.Group.Name
		s.describe(g)
	}
	g.MayAdd = g.Lock == nil && g.Draft != "gone" && (g.May || s.draft != nil && s.mine(index.Node{Kind: model.KindGroup, ID: id}, "membership") && !s.whole && s.authority != nil)
	s.members(g, id)
	above := map[string]bool{}
	for _, a := range merged(s.index.GrantsTo(id), s.present.index.GrantsTo(id)) {
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

func (s *sight) describe(g *GroupSheet) {
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
		g.Lock = &Lock{"It comes from the directory, which keeps its members.", "Nest it in a group of your own, and list further people there."}
	case g.Group.Type == model.Rule:
		g.Lock = &Lock{"It finds its members by a rule.", "Change the rule, or what the rule looks at."}
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

// given makes holdings a wall on which only what is held stands.
func (s *sight) given(list []index.Holding) []WallPanel {
	held := map[string][]index.Holding{}
	for _, h := range list {
		held[h.Permission] = append(held[h.Permission], h)
	}
	var bricks []index.Brick
	for _, system := range s.design().Systems {
		for _, p := range system.Permissions {
			bricks = append(bricks, index.Brick{Permission: p, Held: held[p.Key]})
		}
	}
	return s.panels(bricks)
}

// AreaSheet is the sheet of an area.
type AreaSheet struct {
	Ref         Ref         `json:"ref"`
	Area        *model.Area `json:"area"`
	May         bool        `json:"may"`
	Draft       string      `json:"draft,omitempty" enum:"new,changed,gone"`
	Path        []Ref       `json:"path" doc:"What it lies in, from the whole organisation down"`
	Below       []AreaBelow `json:"below" doc:"What lies in it, each after the one that it lies in"`
	People      int         `json:"people" doc:"At home here or below"`
	Here        []Grant     `json:"here" doc:"Assignments at this very area"`
	Above       []Grant     `json:"above" doc:"Assignments at areas that it lies in, which count here too"`
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

// Area gives the sheet of an area.
func (d *Desk) Area(who Actor, id string) (*AreaSheet, error) {
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
	for _, g := range merged(s.design().Assignments, s.present.design().Assignments) {
		at := areaOr(s.index, g.Area)
		switch v := s.grant(d, who, g); {
		case at == id:
			a.Here = append(a.Here, v)
			if g.Contact {
				a.Contacts = append(a.Contacts, v)
			}
		case s.index.Covers(at, id):
			a.Above = append(a.Above, v)
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
func (d *Desk) System(who Actor, id string) (*SystemSheet, error) {
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
		c.Bricks = append(c.Bricks, CatalogueBrick{p.Key, action, p.Label, p.Description, string(p.Class), p.Risk, p.Span == model.SpanOrganisation, s.index.HolderCount(index.KindPermission, p.Key, s.at)})
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
		v.Pools = append(v.Pools, s.pool(l, id))
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
}

// Licence gives the sheet of a licence.
func (d *Desk) Licence(who Actor, id string) (*LicenceSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	l, ok := s.either(model.KindLicence, id).(*model.Licence)
	if !ok {
		return nil, refuse(NotFound, "There is no licence %q.", id)
	}
	v := &LicenceSheet{Ref: Ref{string(model.KindLicence), id, l.Name}, Licence: l, May: d.editable(s, who, model.KindLicence), Draft: s.drafted(index.Node{Kind: model.KindLicence, ID: id}), Systems: []Ref{}}
	for _, o := range s.design().Systems {
		if o.Licence == id || slices.ContainsFunc(o.Permissions, func(p *model.Permission) bool { return p.Licence == id }) {
			v.Systems = append(v.Systems, s.ref(model.KindSystem, o.ID))
		}
	}
	system := ""
	if len(v.Systems) > 0 {
		system = v.Systems[0].ID
	}
	if s.design().Get(model.KindLicence, id) != nil {
		v.Pool = s.pool(id, system)
	} else {
		v.Pool = Pool{Licence: v.Ref, Seats: l.Seats, Covers: []Ref{}}
	}
	return v, nil
}

func (s *sight) pool(id, system string) Pool {
	l, _ := s.design().Licences.Find(id)
	p := Pool{Licence: s.ref(model.KindLicence, id), Seats: l.Seats, Used: change.SeatsUsed(s.design())[id], Covers: []Ref{}}
	for _, c := range l.Covers {
		p.Covers = append(p.Covers, s.ref(model.KindLicence, c))
	}
	for _, u := range s.design().Users {
		if slices.Contains(u.Licences, id) && u.State != model.UserDeactivated && u.State != model.UserDeleted {
			if used, ok := u.LastUse[system]; ok && used.Before(s.at.AddDate(0, 0, -idleAfter)) {
				p.Idle++
			}
		}
		if slices.Contains(s.index.WaitsFor(u.ID, s.at), id) {
			p.Lacking++
		}
	}
	return p
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

// Permission gives the sheet of a permission, with who holds it somewhere in an area (empty: anywhere).
func (d *Desk) Permission(who Actor, key, where string) (*PermissionSheet, error) {
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
	for _, o := range s.design().Sets {
		if slices.Contains(s.index.Content(model.KindSet, o.ID), key) {
			v.Sets = append(v.Sets, s.layer(model.KindSet, o.ID))
		}
	}
	for _, o := range s.design().Roles {
		if slices.Contains(s.index.Content(model.KindRole, o.ID), key) {
			v.Roles = append(v.Roles, s.layer(model.KindRole, o.ID))
		} else if slices.Contains(s.index.Standing(o.Excludes), key) {
			v.ExcludedBy = append(v.ExcludedBy, s.ref(model.KindRole, o.ID))
		}
	}
	for _, c := range s.design().Conflicts {
		if slices.ContainsFunc(c.Items, func(i model.Item) bool { return i.Permission == key }) {
			v.Conflicts = append(v.Conflicts, s.ref(model.KindConflict, c.ID))
		}
	}
	holders := slices.DeleteFunc(s.index.Holders(index.KindPermission, key, s.at), func(u string) bool { return where != "" && !s.holdsAt(u, key, where) })
	v.Holders = len(holders)
	for _, u := range holders {
		v.People = append(v.People, s.ref(model.KindUser, u))
	}
	slices.SortFunc(v.People, func(a, b Ref) int { return strings.Compare(model.Fold(a.Name), model.Fold(b.Name)) })
	v.People = v.People[:min(len(v.People), holdersShown)]
	return v, nil
}

// holdsAt tells whether somebody holds a permission somewhere in an area.
func (s *sight) holdsAt(user, key, where string) bool {
	return slices.ContainsFunc(s.index.Effective(user, s.at), func(h index.Holding) bool {
		return h.Permission == key && (s.index.Covers(h.Area, where) || s.index.Covers(where, h.Area))
	})
}

// ConflictSheet is a conflict with who breaks it.
type ConflictSheet struct {
	Ref        Ref             `json:"ref"`
	Conflict   *model.Conflict `json:"conflict"`
	May        bool            `json:"may"`
	Draft      string          `json:"draft,omitempty" enum:"new,changed,gone"`
	Items      []Ref           `json:"items"`
	Exceptions []Waiver        `json:"exceptions"`
	Breakers   []Breaker       `json:"breakers"`
}

// Waiver is an exception of a conflict.
type Waiver struct {
	User   Ref    `json:"user"`
	Until  string `json:"until"`
	Reason string `json:"reason"`
	Ended  bool   `json:"ended"`
}

// Breaker is somebody who breaks a conflict.
type Breaker struct {
	User     Ref      `json:"user"`
	Area     *Ref     `json:"area,omitempty" doc:"Where the items meet; anywhere if absent"`
	Items    []string `json:"items"`
	Excepted bool     `json:"excepted"`
}

// Conflict gives the sheet of a conflict.
func (d *Desk) Conflict(who Actor, id string) (*ConflictSheet, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	c, ok := s.either(model.KindConflict, id).(*model.Conflict)
	if !ok {
		return nil, refuse(NotFound, "There is no conflict %q.", id)
	}
	v := &ConflictSheet{Ref: Ref{string(model.KindConflict), id, c.Name}, Conflict: c, May: d.editable(s, who, model.KindConflict), Draft: s.drafted(index.Node{Kind: model.KindConflict, ID: id}), Items: []Ref{}, Exceptions: []Waiver{}, Breakers: []Breaker{}}
	for _, i := range c.Items {
		if i.Role != "" {
			v.Items = append(v.Items, s.ref(model.KindRole, i.Role))
		} else {
			v.Items = append(v.Items, s.ref(index.KindPermission, i.Permission))
		}
	}
	for _, e := range c.Exceptions {
		v.Exceptions = append(v.Exceptions, Waiver{s.ref(model.KindUser, e.User), change.Day(e.Until), e.Reason, !s.at.Before(e.Until)})
	}
	for _, b := range s.breakers(id) {
		br := Breaker{User: s.ref(model.KindUser, b.User), Items: s.items(b.Items), Excepted: b.Excepted}
		if b.Area != "" {
			r := s.area(b.Area)
			br.Area = &r
		}
		v.Breakers = append(v.Breakers, br)
	}
	return v, nil
}

// violations gives every violation there is, found once for each view.
func (s *sight) violations() []duty.Violation {
	if s.broken == nil {
		list := duty.All(s.index, s.at)
		s.broken = &list
	}
	return *s.broken
}

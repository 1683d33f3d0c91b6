package view

import (
	"cmp"
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// LayerBrick is a permission on the wall of a role or set.
type LayerBrick struct {
	Key         string     `json:"key"`
	Action      string     `json:"action"`
	Label       string     `json:"label,omitempty"`
	Description string     `json:"description,omitempty"`
	Class       string     `json:"class" enum:"read,write,admin"`
	Risk        int        `json:"risk"`
	Whole       bool       `json:"whole" doc:"Cannot be limited to an area"`
	State       string     `json:"state" enum:"given,excluded,none"`
	Layers      []desk.Ref `json:"layers" doc:"Which parts of the stack bring it; the role or set itself if it is its own"`
	Implied     bool       `json:"implied" doc:"Given only since something else that is given needs it"`
	Draft       string     `json:"draft,omitempty" enum:"new,cut"`
}

// LayerCourse is an object on that wall.
type LayerCourse struct {
	Object string       `json:"object"`
	Module string       `json:"module,omitempty"`
	Bricks []LayerBrick `json:"bricks"`
}

// LayerPanel is a system on that wall.
type LayerPanel struct {
	System  desk.Ref      `json:"system"`
	Given   int           `json:"given"`
	Total   int           `json:"total"`
	Courses []LayerCourse `json:"courses"`
}

// Drift is how an own set differs from the one that it was begun as a copy of.
type Drift struct {
	Original desk.Ref `json:"original"`
	Copied   string   `json:"copied,omitempty" doc:"The version that was copied"`
	Now      string   `json:"now,omitempty" doc:"The version that is supplied now"`
	Missing  []string `json:"missing" doc:"What the original gives and the copy does not"`
	Extra    []string `json:"extra" doc:"What the copy gives and the original does not"`
}

// BundleSheet is the sheet of a role or of a permission set.
type BundleSheet struct {
	Ref       desk.Ref     `json:"ref"`
	Role      *model.Role  `json:"role,omitempty"`
	Set       *model.Set   `json:"set,omitempty"`
	Owner     *desk.Ref    `json:"owner,omitempty"`
	State     string       `json:"state" enum:"active,retired"`
	Lock      *Lock        `json:"lock,omitempty"`
	May       bool         `json:"may" doc:"The viewer may edit it"`
	Draft     string       `json:"draft,omitempty" enum:"new,changed,gone"`
	Layers    []Layer      `json:"layers"`
	Excluded  []string     `json:"excluded" doc:"What the role keeps out by itself"`
	Systems   []LayerPanel `json:"systems"`
	Given     int          `json:"given"`
	Dangerous []LayerBrick `json:"dangerous" doc:"What it gives of high and critical risk"`
	Licences  []desk.Ref   `json:"licences" doc:"Licences without which not all of it can be held"`
	Dangling  []string     `json:"dangling" doc:"Keys in it that no system has"`
	Holders   int          `json:"holders" doc:"How many people have it"`
	Usage     *Usage       `json:"usage,omitempty" doc:"How many of these used it lately; absent if nothing is known of its use"`
	Grants    []Grant      `json:"grants"`
	Elsewhere int          `json:"elsewhere" doc:"How many grants are left out, since they do not count in the area"`
	UsedBy    []desk.Ref   `json:"usedBy" doc:"Roles that build on it, and delegations and conflicts that name it"`
	Drift     *Drift       `json:"drift,omitempty"`
}

// Bundle gives the sheet of a role or set; if an area is given, with those grants only that count somewhere there.
func (d *Viewer) Bundle(who desk.Actor, kind model.Kind, id, where string) (*BundleSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if err := s.HasArea(where); err != nil {
		return nil, err
	}
	o := Either(s, kind, id)
	if o == nil || kind != model.KindRole && kind != model.KindSet {
		return nil, desk.Refuse(desk.NotFound, "There is no %s %q.", kind.Word(), id)
	}
	b := &BundleSheet{
		Ref:       desk.Ref{Kind: string(kind), ID: id, Name: o.Title()},
		Draft:     Drafted(s, index.Node{Kind: kind, ID: id}),
		Layers:    []Layer{},
		Excluded:  []string{},
		Dangerous: []LayerBrick{},
		Licences:  []desk.Ref{},
		Dangling:  []string{},
		Grants:    []Grant{},
		UsedBy:    []desk.Ref{},
		Holders:   HolderCount(s, kind, id),
		Usage:     usageOf(s, kind, id),
		May:       d.editable(s, who, kind),
	}
	owner := ""
	var keys []string
	switch o := o.(type) {
	case *model.Role:
		b.Role, owner, b.State = o, o.Owner, string(o.State)
		keys = slices.Concat(o.Permissions, o.Excludes)
		for _, r := range o.Inherits {
			b.Layers = append(b.Layers, layer(s, model.KindRole, r))
		}
		for _, x := range o.Sets {
			b.Layers = append(b.Layers, layer(s, model.KindSet, x))
		}
		b.Excluded = append(b.Excluded, o.Excludes...)
		if o.Protected {
			b.Lock = &Lock{Why: "It is protected.", Instead: "Make a role that inherits it, and add or exclude there: what " +
				"changes here flows through."}
		}
	case *model.Set:
		b.Set, owner, b.State = o, o.Owner, string(o.State)
		keys = o.Permissions
		if o.System != "" {
			b.Lock = &Lock{Why: "It is supplied with " + s.Ref(model.KindSystem, o.System).Name + " and changes only with " +
				"the next version.", Instead: "Make an own set beside it with what it lacks, and put both into a role: upgrades " +
				"then flow through."}
		}
		if o.CopyOf != nil {
			b.Drift = drift(s, o)
		}
	}
	if owner != "" {
		r := s.Ref(model.KindUser, owner)
		b.Owner = &r
	}
	for _, k := range keys {
		if _, ok := s.Design().Permission(k); !ok {
			b.Dangling = append(b.Dangling, k)
		}
	}
	wallOf(s, b, o)
	for _, a := range grantsOf(s, kind, id) {
		if !near(s, a.Area, where) {
			b.Elsewhere++
			continue
		}
		b.Grants = append(b.Grants, GrantOf(s, d, who, a))
	}
	for _, r := range References(s, kind, id) {
		if k := r.From.Kind(); k == model.KindRole || k == model.KindDelegation || k == model.KindConflict {
			b.UsedBy = append(b.UsedBy, Mentioned(s.House, r.From))
		}
	}
	return b, nil
}

// wallOf lays the bricks of a role or set: every permission of the systems that it touches, with which layer gives it.
func wallOf(s *desk.Sight, b *BundleSheet, o model.Object) {
	kind, id := o.Kind(), o.Ident()
	given := s.Index.Content(kind, id)
	before := s.Present.Index.Content(kind, id)
	layers := map[string][]desk.Ref{}
	bring := func(ref desk.Ref, keys []string) {
		for _, k := range keys {
			layers[k] = append(layers[k], ref)
		}
	}
	var own []string
	switch o := o.(type) {
	case *model.Role:
		own = o.Permissions
		for _, r := range o.Inherits {
			bring(s.Ref(model.KindRole, r), s.Index.Content(model.KindRole, r))
		}
		for _, x := range o.Sets {
			bring(s.Ref(model.KindSet, x), s.Index.Content(model.KindSet, x))
		}
	case *model.Set:
		own = o.Permissions
	}
	bring(b.Ref, s.Index.Closure(own))
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
	for _, system := range s.Design().Systems {
		panel := LayerPanel{
			System:  s.Ref(model.KindSystem, system.ID),
			Total:   len(system.Permissions),
			Courses: []LayerCourse{},
		}
		for _, p := range system.Permissions {
			_, object, action, _ := model.CutKey(p.Key)
			brick := LayerBrick{
				Key:         p.Key,
				Action:      action,
				Label:       p.Label,
				Description: p.Description,
				Class:       string(p.Class),
				Risk:        p.Risk,
				Whole:       p.Span == model.SpanOrganisation,
				State:       "none",
				Layers:      layers[p.Key],
			}
			if brick.Layers == nil {
				brick.Layers = []desk.Ref{}
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
			if s.Draft != nil && is != was {
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
	for _, l := range s.Index.LicencesFor(model.Kind(b.Ref.Kind), b.Ref.ID) {
		b.Licences = append(b.Licences, s.Ref(model.KindLicence, l))
	}
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

func drift(s *desk.Sight, o *model.Set) *Drift {
	original, ok := s.Design().Sets.Find(o.CopyOf.Set)
	if !ok {
		return nil
	}
	dr := &Drift{
		Original: s.Ref(model.KindSet, original.ID),
		Copied:   o.CopyOf.Version,
		Now:      original.Version,
		Missing:  []string{},
		Extra:    []string{},
	}
	mine, theirs := s.Index.Closure(o.Permissions), s.Index.Closure(original.Permissions)
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

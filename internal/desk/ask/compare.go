package ask

import (
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/exchange/table"
)

// mostCompared is how many things can stand side by side.
const mostCompared = 8

// Compared is one of the things that are compared.
type Compared struct {
	Ref         desk.Ref   `json:"ref"`
	When        *time.Time `json:"when,omitempty" doc:"The instant at which it is looked at, if not the one that everything is"`
	Day         string     `json:"day,omitempty" doc:"When, as it was asked for"`
	Permissions int        `json:"permissions" doc:"How many it holds or gives"`
}

// Difference is a permission, as each of the things holds or gives it.
type Difference struct {
	Key    string           `json:"key"`
	Action string           `json:"action"`
	Label  string           `json:"label,omitempty"`
	Risk   int              `json:"risk"`
	Alike  bool             `json:"alike" doc:"All hold it, and equally far"`
	Held   [][]desk.Holding `json:"held" doc:"By each of the things; empty: not at all"`
}

// DifferenceCourse is what differs within an object.
type DifferenceCourse struct {
	Object string       `json:"object"`
	Rows   []Difference `json:"rows"`
}

// DifferencePanel is the differences within a system.
type DifferencePanel struct {
	System  desk.Ref           `json:"system"`
	Objects []DifferenceCourse `json:"objects"`
}

// Comparison is how things differ in what they hold or give.
type Comparison struct {
	Things  []Compared        `json:"things"`
	Same    int               `json:"same" doc:"How many permissions all hold alike"`
	Differ  int               `json:"differ" doc:"How many they do not"`
	Systems []DifferencePanel `json:"systems"`
}

// side is a thing that is compared, where it is looked at.
type side struct {
	*desk.Sight
	Compared
	held map[string][]index.Holding
}

// Compare sets two to eight people, groups, roles, sets or licences side by side, or one of them at several times.
// A thing is named kind:id, or kind:id@day. Unless all is asked for, only what differs is given.
func (d *Finder) Compare(who desk.Actor, things []string, all bool) (*Comparison, error) {
	if len(things) == 0 || len(things) > mostCompared {
		return nil, desk.Refuse(desk.Invalid, "Choose up to eight things to compare, not %d.", len(things))
	}
	var sides []side
	for _, t := range things {
		one, err := d.side(who, t)
		if err != nil {
			return nil, err
		}
		sides = append(sides, one)
	}
	c := &Comparison{Things: []Compared{}, Systems: []DifferencePanel{}}
	for _, s := range sides {
		c.Things = append(c.Things, s.Compared)
	}
	for _, system := range systemsOf(sides) {
		panel := DifferencePanel{System: desk.Ref{Kind: string(model.KindSystem), ID: system.ID, Name: system.Name}}
		for _, p := range system.Permissions {
			row := Difference{Key: p.Key, Label: p.Label, Risk: p.Risk, Alike: true}
			some := false
			for _, s := range sides {
				held := s.held[p.Key]
				some, row.Alike = some || len(held) > 0, row.Alike && slices.Equal(held, sides[0].held[p.Key])
				row.Held = append(row.Held, s.Holdings(held))
			}
			switch {
			case !some:
				continue
			case row.Alike:
				c.Same++
			default:
				c.Differ++
			}
			if row.Alike && !all {
				continue
			}
			var object string
			_, object, row.Action, _ = model.CutKey(p.Key)
			if n := len(panel.Objects); n == 0 || panel.Objects[n-1].Object != object {
				panel.Objects = append(panel.Objects, DifferenceCourse{Object: object})
			}
			course := &panel.Objects[len(panel.Objects)-1]
			course.Rows = append(course.Rows, row)
		}
		if panel.Objects != nil {
			c.Systems = append(c.Systems, panel)
		}
	}
	return c, nil
}

// side looks at one thing.
func (d *Finder) side(who desk.Actor, thing string) (s side, err error) {
	kind, id, _ := strings.Cut(thing, ":")
	id, day, dated := strings.Cut(id, "@")
	if !slices.Contains(
		[]model.Kind{model.KindUser, model.KindGroup, model.KindRole, model.KindSet, model.KindLicence},
		model.Kind(kind),
	) {
		return s, desk.Refuse(
			desk.Invalid,
			"Compare people, groups, roles, sets or licences, each named like role:gate-clerk or "+
				"user:noor.tamsin@2026-01-31, not %q.",
			thing,
		)
	}
	if dated {
		if who.When, err = d.Instant(day); err != nil {
			return s, err
		}
	}
	if s.Sight, err = d.See(who); err != nil {
		return s, err
	}
	e := desk.End{Kind: kind, ID: id}
	if err := desk.Exists(s.Design(), e); err != nil {
		return s, err
	}
	s.Ref, s.held = s.Sight.Ref(model.Kind(kind), id), map[string][]index.Holding{}
	if dated {
		at := s.At
		s.When, s.Day = &at, day
	}
	for _, h := range holdingsOf(s.Sight, e) {
		s.held[h.Permission] = append(s.held[h.Permission], h)
	}
	s.Permissions = len(s.held)
	return s, nil
}

// systemsOf gives the systems of all sides, by id, each with all permissions that any side has in it.
func systemsOf(sides []side) []*model.System {
	all := map[string]*model.System{}
	for _, s := range sides {
		for _, system := range s.Design().Systems {
			known, ok := all[system.ID]
			if !ok {
				all[system.ID] = system
				continue
			}
			if known == system {
				continue
			}
			joined := *known
			joined.Permissions = slices.Clone(known.Permissions)
			for _, p := range system.Permissions {
				if !slices.ContainsFunc(known.Permissions, func(q *model.Permission) bool { return q.Key == p.Key }) {
					joined.Permissions = append(joined.Permissions, p)
				}
			}
			slices.SortFunc(
				joined.Permissions,
				func(a, b *model.Permission) int { return strings.Compare(a.Key, b.Key) },
			)
			all[system.ID] = &joined
		}
	}
	out := make([]*model.System, 0, len(all))
	for _, s := range all {
		out = append(out, s)
	}
	slices.SortFunc(out, func(a, b *model.System) int { return strings.Compare(a.ID, b.ID) })
	return out
}

// holdingsOf gives what a thing holds or gives; what a role or set gives, or a licence allows, counts over the
// whole organisation.
func holdingsOf(s *desk.Sight, e desk.End) (out []index.Holding) {
	everywhere := func(keys []string) {
		for _, k := range keys {
			out = append(out, index.Holding{Permission: k, Area: s.Design().Root(), Reach: model.ReachArea})
		}
	}
	switch kind := model.Kind(e.Kind); kind {
	case model.KindUser:
		return s.Index.Widest(e.ID, s.At)
	case model.KindGroup:
		return s.Index.Carried(s.Index.GrantsTo(e.ID), s.At)
	case index.KindPermission:
		everywhere([]string{e.ID})
	case model.KindLicence:
		everywhere(s.Index.Licensed(e.ID))
	default:
		everywhere(s.Index.Content(kind, e.ID))
	}
	return out
}

// CompareTable is a comparison as a table: permissions as rows, things as columns.
func (d *Finder) CompareTable(who desk.Actor, things []string, all bool) (*table.Table, error) {
	c, err := d.Compare(who, things, all)
	if err != nil {
		return nil, err
	}
	t := &table.Table{
		Name: "Comparison",
		Columns: []table.Column{
			{Title: "system", Width: 22},
			{Title: "object", Width: 20},
			{Title: "action", Width: 16},
			{Title: "permission", Width: 34},
			{Title: "what it does", Width: 40},
			{Title: "risk", Width: 10},
		},
	}
	for _, s := range c.Things {
		title := s.Ref.Name
		if s.Day != "" {
			title += ", " + s.Day
		}
		t.Columns = append(t.Columns, table.Column{Title: title, Width: 28})
	}
	for _, panel := range c.Systems {
		for _, course := range panel.Objects {
			for _, r := range course.Rows {
				row := []any{panel.System.Name, course.Object, r.Action, r.Key, r.Label, desk.Risks[r.Risk]}
				for _, held := range r.Held {
					row = append(row, view.Over(held))
				}
				t.Rows = append(t.Rows, row)
			}
		}
	}
	return t, nil
}

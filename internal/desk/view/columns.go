package view

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
)

// column is a column of a kind's list. Values are computed only for what is shown, sorted or filtered by.
type column struct {
	id, name string
	kind     filter.Type
	cell     func(s *desk.Sight, id string) Cell
	value    func(s *desk.Sight, id string) any // what it sorts and filters by; the cell's text if nil
	passing  bool                               // it follows from uses, so what it sorts by is kept for nobody
}

func (c column) of(s *desk.Sight, id string) any {
	if c.value != nil {
		return c.value(s, id)
	}
	return c.cell(s, id).Text
}

// The makers of columns: of a text, of a thing that is named, of a number, and of an instant.
func textColumn[T model.Object](id, name string, kind filter.Type, get func(s *desk.Sight, o T) string) column {
	return column{
		id:   id,
		name: name,
		kind: kind,
		cell: func(s *desk.Sight, key string) Cell { return Cell{Text: get(s, object[T](s, key))} },
	}
}

func refColumn[T model.Object](id, name string, get func(s *desk.Sight, o T) desk.Ref) column {
	cell := func(s *desk.Sight, key string) Cell {
		r := get(s, object[T](s, key))
		return Cell{Text: r.Name, Kind: r.Kind, ID: r.ID}
	}
	return column{
		id:    id,
		name:  name,
		kind:  filter.Exact,
		cell:  cell,
		value: func(s *desk.Sight, key string) any { return cell(s, key).ID },
	}
}

func numberColumn(id, name string, get func(s *desk.Sight, key string) int) column {
	return column{id: id, name: name, kind: filter.Number, cell: func(s *desk.Sight, key string) Cell {
		n := get(s, key)
		c := Cell{Text: desk.Grouped(n), typed: n}
		if n == 0 {
			c.Tone = "quiet"
		}
		return c
	}, value: func(s *desk.Sight, key string) any { return float64(get(s, key)) }}
}

func dayColumn[T model.Object](id, name string, get func(o T) time.Time) column {
	return column{id: id, name: name, kind: filter.Instant, cell: func(s *desk.Sight, key string) Cell {
		t := get(object[T](s, key))
		if t.IsZero() {
			return Cell{}
		}
		c := Cell{Text: t.Format("2 Jan 2006"), typed: t}
		if t.Before(s.At) {
			c.Tone = "bad"
		}
		return c
	}, value: func(s *desk.Sight, key string) any { return get(object[T](s, key)) }}
}

// object gives the object of a row; a group that is built in has none in the design, and is made up.
func object[T model.Object](s *desk.Sight, id string) T {
	var none T
	kind := none.Kind()
	if o := s.Design().Get(kind, id); o != nil {
		return o.(T)
	}
	made, _ := model.New(kind)
	return made.(T)
}

func optionalRef(s *desk.Sight, kind model.Kind, id string) desk.Ref {
	if id == "" {
		return desk.Ref{}
	}
	return s.Ref(kind, id)
}

func lifecycleCell(state model.Lifecycle) Cell {
	if state == model.Retired {
		return Cell{Text: string(state), Tone: "warn"}
	}
	return Cell{Text: string(model.Active), Tone: "quiet"}
}

func riskCell(risk int) Cell {
	c := Cell{Text: desk.Risks[risk]}
	if risk == 3 {
		c.Tone = "bad"
	} else if risk > 0 {
		c.Tone = "warn"
	}
	return c
}

// riskOf is the greatest risk among some permissions.
func riskOf(h *desk.House, keys []string) int {
	most := 0
	for _, k := range keys {
		if p, ok := h.Design().Permission(k); ok {
			most = max(most, p.Risk)
		}
	}
	return most
}

func riskColumn(kind model.Kind) column {
	get := func(s *desk.Sight, id string) int { return riskOf(s.House, s.Index.Content(kind, id)) }
	return column{
		id:    "risk",
		name:  "Risk",
		kind:  filter.Number,
		cell:  func(s *desk.Sight, id string) Cell { return riskCell(get(s, id)) },
		value: func(s *desk.Sight, id string) any { return float64(get(s, id)) },
	}
}

func holdersColumn(kind model.Kind) column {
	return numberColumn("holders", "Held by", func(s *desk.Sight, id string) int { return HolderCount(s, kind, id) })
}

// usedColumn is how many of those who have something used anything of it lately; empty where no use of it is known.
func usedColumn(kind model.Kind) column {
	cell := func(s *desk.Sight, id string) Cell {
		used := usageOf(s, kind, id)
		if used == nil {
			return Cell{}
		}
		c := Cell{Text: desk.Itoa(used.Used), typed: used.Used}
		if used.Used == 0 {
			c.Tone = "warn"
		}
		return c
	}
	value := func(s *desk.Sight, id string) any {
		if used := usageOf(s, kind, id); used != nil {
			return float64(used.Used)
		}
		return nil
	}
	return column{id: "used", name: "Used lately", kind: filter.Number, passing: true, cell: cell, value: value}
}

// lastUseColumn is when somebody last used anything, as far as that is known and seen.
var lastUseColumn = column{id: "lastUse", name: "Last used", kind: filter.Instant, passing: true,
	cell: func(s *desk.Sight, id string) Cell {
		last := lastUseOf(s, id)
		if last == nil {
			return Cell{}
		}
		c := Cell{Text: last.Format("2 Jan 2006"), typed: *last}
		if last.Before(s.At.AddDate(0, 0, -review.IdleAfter)) {
			c.Tone = "warn"
		}
		return c
	},
	value: func(s *desk.Sight, id string) any {
		if last := lastUseOf(s, id); last != nil {
			return *last
		}
		return time.Time{}
	},
}

// lastUseOf is when somebody last used a system that is seen.
func lastUseOf(s *desk.Sight, user string) *time.Time {
	var what []string
	for system := range s.Uses.Systems(user) {
		if _, seen := s.Design().Systems.Find(system); seen {
			what = append(what, system)
		}
	}
	return lastUse(s.House, user, what, s.At)
}

func givesColumn(kind model.Kind) column {
	return numberColumn(
		"permissions",
		"Permissions",
		func(s *desk.Sight, id string) int { return len(s.Index.Content(kind, id)) },
	)
}

// columns are those of each kind's list, after the name.
var columns = map[model.Kind][]column{
	model.KindUser: {
		{id: "state", name: "State", kind: filter.Text, cell: func(s *desk.Sight, id string) Cell {
			u := object[*model.User](s, id)
			switch {
			case s.Index.Live(id, s.At):
				return Cell{Text: string(u.State), Tone: "good"}
			case u.State == model.UserActive:
				return Cell{Text: "not live", Tone: "warn"}
			}
			return Cell{Text: string(u.State), Tone: "warn"}
		}},
		textColumn("title", "Title", filter.Text, func(_ *desk.Sight, u *model.User) string { return u.JobTitle }),
		textColumn(
			"department",
			"Department",
			filter.Text,
			func(_ *desk.Sight, u *model.User) string { return u.Department },
		),
		refColumn("area", "Home", func(s *desk.Sight, u *model.User) desk.Ref { return s.Area(u.Area) }),
		refColumn("manager", "Reports to", func(s *desk.Sight, u *model.User) desk.Ref {
			if _, seen := s.Design().Users.Find(u.Manager); !seen {
				return desk.Ref{} // a delegate need not see everybody's
			}
			return s.Ref(model.KindUser, u.Manager)
		}),
		numberColumn(
			"groups",
			"Groups",
			func(s *desk.Sight, id string) int { return max(0, len(s.Index.GroupsOf(id))-2) },
		),
		numberColumn("hand", "By hand", func(s *desk.Sight, id string) int { return len(s.Index.GrantsOfUser(id)) }),
		lastUseColumn,
		dayColumn("until", "Until", func(u *model.User) time.Time { return u.Until }),
	},
	model.KindGroup: {
		{id: "kind", name: "Kind", kind: filter.Text, cell: func(s *desk.Sight, id string) Cell {
			return Cell{Text: cmp.Or(s.Note(index.Node{Kind: model.KindGroup, ID: id}), "listed"), Tone: "quiet"}
		}},
		numberColumn("members", "Members", func(s *desk.Sight, id string) int { return s.Index.Size(id) }),
		numberColumn("grants", "Grants", func(s *desk.Sight, id string) int { return len(s.Index.GrantsTo(id)) }),
		refColumn(
			"area",
			"Home",
			func(s *desk.Sight, g *model.Group) desk.Ref { return optionalRef(s, model.KindArea, g.Area) },
		),
		refColumn(
			"owner",
			"Owner",
			func(s *desk.Sight, g *model.Group) desk.Ref { return optionalRef(s, model.KindUser, g.Owner) },
		),
		textColumn(
			"description",
			"What for",
			filter.Text,
			func(_ *desk.Sight, g *model.Group) string { return g.Description },
		),
	},
	model.KindRole: {
		{id: "state", name: "State", kind: filter.Text, cell: func(s *desk.Sight, id string) Cell {
			return lifecycleCell(object[*model.Role](s, id).State)
		}},
		givesColumn(model.KindRole), riskColumn(model.KindRole), holdersColumn(model.KindRole), usedColumn(model.KindRole),
		numberColumn(
			"excludes",
			"Excludes",
			func(s *desk.Sight, id string) int { return len(object[*model.Role](s, id).Excludes) },
		),
		refColumn(
			"owner",
			"Owner",
			func(s *desk.Sight, r *model.Role) desk.Ref { return optionalRef(s, model.KindUser, r.Owner) },
		),
		textColumn(
			"description",
			"What for",
			filter.Text,
			func(_ *desk.Sight, r *model.Role) string { return r.Description },
		),
	},
	model.KindSet: {
		{id: "state", name: "State", kind: filter.Text, cell: func(s *desk.Sight, id string) Cell {
			return lifecycleCell(object[*model.Set](s, id).State)
		}},
		{id: "origin", name: "Origin", kind: filter.Text, cell: func(s *desk.Sight, id string) Cell {
			return Cell{Text: s.Note(index.Node{Kind: model.KindSet, ID: id}), Tone: "quiet"}
		}},
		refColumn(
			"system",
			"System",
			func(s *desk.Sight, o *model.Set) desk.Ref { return optionalRef(s, model.KindSystem, o.System) },
		),
		givesColumn(model.KindSet), riskColumn(model.KindSet), holdersColumn(model.KindSet), usedColumn(model.KindSet),
		textColumn(
			"description",
			"What for",
			filter.Text,
			func(_ *desk.Sight, o *model.Set) string { return o.Description },
		),
	},
	index.KindPermission: {
		permissionColumn("label", "Label", func(p *model.Permission) string { return p.Label }),
		permissionColumn("module", "Module", func(p *model.Permission) string { return p.Module }),
		permissionColumn("class", "Class", func(p *model.Permission) string { return string(p.Class) }),
		{
			id:    "risk",
			name:  "Risk",
			kind:  filter.Number,
			cell:  func(s *desk.Sight, id string) Cell { return riskCell(riskOf(s.House, []string{id})) },
			value: func(s *desk.Sight, id string) any { return float64(riskOf(s.House, []string{id})) },
		},
		permissionColumn("span", "Span", func(p *model.Permission) string { return string(p.Span) }),
		holdersColumn(index.KindPermission),
		permissionColumn("description", "What it does", func(p *model.Permission) string { return p.Description }),
	},
	model.KindArea: {
		textColumn("kind", "Kind", filter.Text, func(_ *desk.Sight, a *model.Area) string { return a.Type }),
		refColumn(
			"parent",
			"Lies in",
			func(s *desk.Sight, a *model.Area) desk.Ref { return optionalRef(s, model.KindArea, a.Parent) },
		),
		numberColumn("people", "At home", func(s *desk.Sight, id string) int { return AtHome(s, id) }),
		numberColumn("grants", "Grants here", func(s *desk.Sight, id string) int { return len(grantsAt(s, id)) }),
	},
	model.KindSystem: {
		textColumn("version", "Version", filter.Text, func(_ *desk.Sight, o *model.System) string { return o.Version }),
		textColumn(
			"supplier",
			"Supplier",
			filter.Text,
			func(_ *desk.Sight, o *model.System) string { return o.Supplier },
		),
		numberColumn(
			"permissions",
			"Permissions",
			func(s *desk.Sight, id string) int { return len(object[*model.System](s, id).Permissions) },
		),
		numberColumn("sets", "Supplied sets", func(s *desk.Sight, id string) int { return len(suppliedBy(s, id)) }),
		refColumn(
			"licence",
			"Licence",
			func(s *desk.Sight, o *model.System) desk.Ref { return optionalRef(s, model.KindLicence, o.Licence) },
		),
		textColumn(
			"description",
			"What it is",
			filter.Text,
			func(_ *desk.Sight, o *model.System) string { return o.Description },
		),
	},
	model.KindDelegation: {
		refColumn(
			"delegate",
			"Delegate",
			func(s *desk.Sight, g *model.Delegation) desk.Ref { return s.Subject(g.Delegate) },
		),
		textColumn(
			"actions",
			"May",
			filter.Text,
			func(_ *desk.Sight, g *model.Delegation) string { return strings.Join(g.Actions, ", ") },
		),
		textColumn(
			"people",
			"Whom",
			filter.Text,
			func(s *desk.Sight, g *model.Delegation) string { return s.People(g.People) },
		),
		numberColumn(
			"covers",
			"People",
			func(s *desk.Sight, id string) int { return coverage(s, object[*model.Delegation](s, id)) },
		),
		refColumn("area", "Within", func(s *desk.Sight, g *model.Delegation) desk.Ref { return s.Area(g.Area) }),
		dayColumn("until", "Until", func(g *model.Delegation) time.Time { return g.Until }),
	},
	model.KindConflict: {
		textColumn(
			"items",
			"Not together",
			filter.Text,
			func(s *desk.Sight, c *model.Conflict) string { return strings.Join(ItemNames(s.House, c.Items), " + ") },
		),
		numberColumn(
			"limit",
			"At most",
			func(s *desk.Sight, id string) int { return int(object[*model.Conflict](s, id).Limit) },
		),
		textColumn("where", "Counts", filter.Text, func(_ *desk.Sight, c *model.Conflict) string {
			if c.Where == model.Anywhere {
				return "anywhere"
			}
			return "in one area"
		}),
		numberColumn("broken", "Broken by", func(s *desk.Sight, id string) int { return len(breakers(s, id)) }),
		numberColumn(
			"exceptions",
			"Exceptions",
			func(s *desk.Sight, id string) int { return len(object[*model.Conflict](s, id).Exceptions) },
		),
	},
	model.KindGuarantee: {
		textColumn("promise", "Promise", filter.Text, func(s *desk.Sight, g *model.Guarantee) string {
			return guarantee.Promise(s.Design(), g)
		}),
		textColumn("strict", "Strict", filter.Text, func(_ *desk.Sight, g *model.Guarantee) string {
			if g.Lax {
				return "told only"
			}
			return "strict"
		}),
		numberColumn("broken", "Broken", func(s *desk.Sight, id string) int {
			return brokenNow(s, object[*model.Guarantee](s, id))
		}),
	},
	model.KindLicence: {
		{id: "seats", name: "Seats", kind: filter.Number, cell: func(s *desk.Sight, id string) Cell {
			if n := object[*model.Licence](s, id).Seats; n != nil {
				return Cell{Text: desk.Grouped(*n), typed: *n}
			}
			return Cell{Text: "unlimited", Tone: "quiet"}
		}, value: func(s *desk.Sight, id string) any {
			if n := object[*model.Licence](s, id).Seats; n != nil {
				return float64(*n)
			}
			return nil
		}},
		numberColumn("used", "Taken", func(s *desk.Sight, id string) int { return len(seated(s)[id]) }),
		numberColumn(
			"covers",
			"Covers",
			func(s *desk.Sight, id string) int { return len(object[*model.Licence](s, id).Covers) },
		),
	},
}

// spares are further columns of each kind's list, shown only if they are asked for.
var spares = map[model.Kind][]column{
	model.KindUser: {
		textColumn(
			"userName",
			"User name",
			filter.Text,
			func(_ *desk.Sight, u *model.User) string { return u.UserName },
		),
		textColumn("email", "E-mail", filter.Text, func(_ *desk.Sight, u *model.User) string { return u.Email }),
		textColumn("userType", "Type", filter.Text, func(_ *desk.Sight, u *model.User) string { return u.UserType }),
		textColumn(
			"licences",
			"Licences",
			filter.Text,
			func(s *desk.Sight, u *model.User) string { return s.Names(model.KindLicence, u.Licences) },
		),
		textColumn(
			"externalId",
			"External id",
			filter.Exact,
			func(_ *desk.Sight, u *model.User) string { return u.ExternalID },
		),
		dayColumn("from", "From", func(u *model.User) time.Time { return u.From }),
	},
	model.KindGroup: {
		textColumn(
			"source",
			"Source",
			filter.Text,
			func(_ *desk.Sight, g *model.Group) string { return string(g.Source) },
		),
		textColumn(
			"nests",
			"Nests",
			filter.Text,
			func(s *desk.Sight, g *model.Group) string { return s.Names(model.KindGroup, g.Groups) },
		),
		textColumn("rule", "Rule", filter.Text, func(_ *desk.Sight, g *model.Group) string { return g.Rule }),
		textColumn(
			"externalId",
			"External id",
			filter.Exact,
			func(_ *desk.Sight, g *model.Group) string { return g.ExternalID },
		),
	},
	model.KindRole: {
		textColumn(
			"inherits",
			"Inherits",
			filter.Text,
			func(s *desk.Sight, r *model.Role) string { return s.Names(model.KindRole, r.Inherits) },
		),
		textColumn(
			"sets",
			"Permission sets",
			filter.Text,
			func(s *desk.Sight, r *model.Role) string { return s.Names(model.KindSet, r.Sets) },
		),
	},
	model.KindSet: {
		textColumn("version", "Version", filter.Text, func(_ *desk.Sight, o *model.Set) string { return o.Version }),
		refColumn(
			"owner",
			"Owner",
			func(s *desk.Sight, o *model.Set) desk.Ref { return optionalRef(s, model.KindUser, o.Owner) },
		),
	},
	index.KindPermission: {
		{id: "licence", name: "Licence", kind: filter.Text, cell: func(s *desk.Sight, key string) Cell {
			p, ok := s.Design().Permission(key)
			if !ok {
				return Cell{}
			}
			return Cell{Text: optionalRef(s, model.KindLicence, p.Licence).Name}
		}},
		{id: "implies", name: "Cannot do without", kind: filter.Text, cell: func(s *desk.Sight, key string) Cell {
			p, ok := s.Design().Permission(key)
			if !ok {
				return Cell{}
			}
			return Cell{Text: strings.Join(p.Implies, ", ")}
		}},
	},
	model.KindDelegation: {
		textColumn(
			"roles",
			"Roles",
			filter.Text,
			func(s *desk.Sight, g *model.Delegation) string { return s.Names(model.KindRole, g.Roles) },
		),
		textColumn(
			"sets",
			"Permission sets",
			filter.Text,
			func(s *desk.Sight, g *model.Delegation) string { return s.Names(model.KindSet, g.Sets) },
		),
		textColumn(
			"groups",
			"Groups",
			filter.Text,
			func(s *desk.Sight, g *model.Delegation) string { return s.Names(model.KindGroup, g.Groups) },
		),
		textColumn(
			"whole",
			"Groups whole",
			filter.Text,
			func(_ *desk.Sight, g *model.Delegation) string { return map[bool]string{true: "yes"}[g.GroupsWhole] },
		),
		numberColumn("days", "At most days", func(s *desk.Sight, id string) int {
			if n := object[*model.Delegation](s, id).MaxDays; n != nil {
				return *n
			}
			return 0
		}),
		dayColumn("from", "From", func(g *model.Delegation) time.Time { return g.From }),
	},
	model.KindArea: {
		textColumn("contacts", "Contacts", filter.Text, func(s *desk.Sight, a *model.Area) string {
			out := []string{}
			for _, g := range grantsAt(s, a.ID) {
				if g.Contact {
					out = append(out, s.Subject(g.Subject).Name)
				}
			}
			return strings.Join(out, ", ")
		}),
	},
}

// allColumns are those of each kind's list with the spare ones, and its id as the last.
var allColumns = func() map[model.Kind][]column {
	m := map[model.Kind][]column{}
	for kind, list := range columns {
		id := column{
			id:   "id",
			name: "Id",
			kind: filter.Exact,
			cell: func(_ *desk.Sight, id string) Cell { return Cell{Text: id, Tone: "quiet"} },
		}
		m[kind] = append(slices.Concat(list, spares[kind]), id)
	}
	return m
}()

// examples are filters for each list, to learn from.
var examples = map[model.Kind][]string{
	model.KindUser: {
		`title co "crane" and area eq "terminal-1"`,
		`state ne "active"`,
		`qualifications[type eq "crane" and level ge 3]`,
		`lastUse[system eq "gangway"].at lt "2026-09-01T00:00:00Z"`,
		`groups eq "skerryhaven-staff" and not (roles eq "gate-clerk")`,
	},
	model.KindGroup:        {`members eq 0`, `grants gt 2 and members lt 10`, `kind co "rule"`},
	model.KindRole:         {`holders eq 0`, `risk ge 2 and holders gt 20`, `excludes gt 0`},
	model.KindSet:          {`holders eq 0`, `origin sw "own"`, `risk eq 3`},
	index.KindPermission:   {`risk ge 2 and holders gt 20`, `class eq "admin"`, `span eq "organisation"`},
	model.KindArea:         {`people gt 20`, `kind eq "terminal"`},
	model.KindSystem:       {`permissions gt 30`},
	model.KindDelegation:   {`actions co "assign"`, `covers gt 50`},
	model.KindConflict:     {`broken gt 0`},
	model.KindGuarantee:    {`broken gt 0`},
	model.KindLicence:      {`used gt 20`},
	model.KindAssignment:   nil,
	model.KindOrganisation: nil,
}

func permissionColumn(id, name string, get func(p *model.Permission) string) column {
	return column{id: id, name: name, kind: filter.Text, cell: func(s *desk.Sight, key string) Cell {
		if p, ok := s.Design().Permission(key); ok {
			return Cell{Text: get(p)}
		}
		return Cell{}
	}}
}

// schemas are what filters over each list may name. Filters over people are those of rules, and more.
var schemas = func() map[model.Kind]*filter.Schema {
	m := map[model.Kind]*filter.Schema{}
	for kind, list := range allColumns {
		attributes := []filter.Attribute{{Name: "name", Type: filter.Text}}
		for _, c := range list {
			attributes = append(attributes, filter.Attribute{Name: c.id, Type: c.kind})
		}
		m[kind] = filter.NewSchema(attributes...)
	}
	m[model.KindUser] = filter.Listed
	return m
}()

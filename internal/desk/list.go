package desk

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/table"
)

// ListColumn is a column of a list. Its id is the attribute that a filter names.
type ListColumn struct {
	ID      string `json:"id"`
	Name    string `json:"name"`
	Numeric bool   `json:"numeric"`
	Spare   bool   `json:"spare" doc:"Shown only if it is asked for"`
}

// Cell is what stands in one column of a row.
type Cell struct {
	Text string `json:"text"`
	Kind string `json:"kind,omitempty" doc:"If it names a thing: its kind"`
	ID   string `json:"id,omitempty"`
	Tone string `json:"tone,omitempty" enum:"good,bad,warn,quiet"`
}

// ListRow is one thing of a list.
type ListRow struct {
	ID    string `json:"id"`
	Name  string `json:"name"`
	Cells []Cell `json:"cells" doc:"One for each column but the name"`
	Draft string `json:"draft,omitempty" enum:"new,changed,gone" doc:"What the draft makes of it"`
}

// List is a window into a list.
type List struct {
	Columns  []ListColumn `json:"columns" doc:"Those of the cells; the first is the name"`
	Offered  []ListColumn `json:"offered" doc:"All that can be asked for"`
	Total    int          `json:"total"`
	Matching int          `json:"matching"`
	Rows     []ListRow    `json:"rows"`
	Filter   bool         `json:"filter" doc:"What was typed was understood as a filter (RFC 7644), not as words"`
	Trouble  string       `json:"trouble,omitempty" doc:"What is wrong with the filter"`
	At       int          `json:"at" doc:"Where the trouble begins, in characters from 0"`
	Examples []string     `json:"examples" doc:"Filters that this list understands"`
}

// Listing is what a list is asked for.
type Listing struct {
	Kind          model.Kind
	Query         string   // words, or a filter
	Columns       []string // the columns to show, by id, besides the name; those that are not spare if empty
	Sort          string   // a column's id; by name if empty
	Down          bool     // the greatest first
	Where         string   // an area
	Mine          string   // only those that a delegate may do this to, as in [model.DelegableActions]
	Offset, Limit int
}

// column is a column of a kind's list. Values are computed only for what is shown, sorted or filtered by.
type column struct {
	id, name string
	kind     filter.Type
	cell     func(s *sight, id string) Cell
	value    func(s *sight, id string) any // what it sorts and filters by; the cell's text if nil
}

func (c column) of(s *sight, id string) any {
	if c.value != nil {
		return c.value(s, id)
	}
	return c.cell(s, id).Text
}

// The makers of columns: of a text, of a thing that is named, of a number, and of an instant.
func textColumn[T model.Object](id, name string, kind filter.Type, get func(s *sight, o T) string) column {
	return column{id: id, name: name, kind: kind, cell: func(s *sight, key string) Cell { return Cell{Text: get(s, object[T](s, key))} }}
}

func refColumn[T model.Object](id, name string, get func(s *sight, o T) Ref) column {
	cell := func(s *sight, key string) Cell {
		r := get(s, object[T](s, key))
		return Cell{Text: r.Name, Kind: r.Kind, ID: r.ID}
	}
	return column{id: id, name: name, kind: filter.Exact, cell: cell, value: func(s *sight, key string) any { return cell(s, key).ID }}
}

func numberColumn(id, name string, get func(s *sight, key string) int) column {
	return column{id: id, name: name, kind: filter.Number, cell: func(s *sight, key string) Cell {
		n := get(s, key)
		c := Cell{Text: grouped(n)}
		if n == 0 {
			c.Tone = "quiet"
		}
		return c
	}, value: func(s *sight, key string) any { return float64(get(s, key)) }}
}

func dayColumn[T model.Object](id, name string, get func(o T) time.Time) column {
	return column{id: id, name: name, kind: filter.Instant, cell: func(s *sight, key string) Cell {
		t := get(object[T](s, key))
		if t.IsZero() {
			return Cell{}
		}
		c := Cell{Text: t.Format("2 Jan 2006")}
		if t.Before(s.at) {
			c.Tone = "bad"
		}
		return c
	}, value: func(s *sight, key string) any { return get(object[T](s, key)) }}
}

// object gives the object of a row; a group that is built in has none in the design, and is made up.
func object[T model.Object](s *sight, id string) T {
	var none T
	kind := none.Kind()
	if o := s.design().Get(kind, id); o != nil {
		return o.(T)
	}
	made, _ := model.New(kind)
	return made.(T)
}

func (s *sight) optionalRef(kind model.Kind, id string) Ref {
	if id == "" {
		return Ref{}
	}
	return s.ref(kind, id)
}

// grouped writes a number with commas.
func grouped(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

func lifecycleCell(state model.Lifecycle) Cell {
	if state == model.Retired {
		return Cell{Text: string(state), Tone: "warn"}
	}
	return Cell{Text: string(model.Active), Tone: "quiet"}
}

func riskCell(risk int) Cell {
	c := Cell{Text: risks[risk]}
	if risk == 3 {
		c.Tone = "bad"
	} else if risk > 0 {
		c.Tone = "warn"
	}
	return c
}

// riskOf is the greatest risk among some permissions.
func (h *house) riskOf(keys []string) int {
	most := 0
	for _, k := range keys {
		if p, ok := h.design().Permission(k); ok {
			most = max(most, p.Risk)
		}
	}
	return most
}

func riskColumn(kind model.Kind) column {
	get := func(s *sight, id string) int { return s.riskOf(s.index.Content(kind, id)) }
	return column{id: "risk", name: "Risk", kind: filter.Number, cell: func(s *sight, id string) Cell { return riskCell(get(s, id)) }, value: func(s *sight, id string) any { return float64(get(s, id)) }}
}

func holdersColumn(kind model.Kind) column {
	return numberColumn("holders", "Held by", func(s *sight, id string) int { return s.holderCount(kind, id) })
}

func givesColumn(kind model.Kind) column {
	return numberColumn("permissions", "Permissions", func(s *sight, id string) int { return len(s.index.Content(kind, id)) })
}

// columns are those of each kind's list, after the name.
var columns = map[model.Kind][]column{
	model.KindUser: {
		{id: "state", name: "State", kind: filter.Text, cell: func(s *sight, id string) Cell {
			u := object[*model.User](s, id)
			switch {
			case s.index.Live(id, s.at):
				return Cell{Text: string(u.State), Tone: "good"}
			case u.State == model.UserActive:
				return Cell{Text: "not live", Tone: "warn"}
			}
			return Cell{Text: string(u.State), Tone: "warn"}
		}},
		textColumn("title", "Title", filter.Text, func(_ *sight, u *model.User) string { return u.JobTitle }),
		textColumn("department", "Department", filter.Text, func(_ *sight, u *model.User) string { return u.Department }),
		refColumn("area", "Home", func(s *sight, u *model.User) Ref { return s.area(u.Area) }),
		refColumn("manager", "Reports to", func(s *sight, u *model.User) Ref {
			if _, seen := s.design().Users.Find(u.Manager); !seen {
				return Ref{} // a delegate need not see everybody's
			}
			return s.ref(model.KindUser, u.Manager)
		}),
		numberColumn("groups", "Groups", func(s *sight, id string) int { return max(0, len(s.index.GroupsOf(id))-2) }),
		numberColumn("hand", "By hand", func(s *sight, id string) int { return len(s.index.GrantsOfUser(id)) }),
		dayColumn("until", "Until", func(u *model.User) time.Time { return u.Until }),
	},
	model.KindGroup: {
		{id: "kind", name: "Kind", kind: filter.Text, cell: func(s *sight, id string) Cell {
			return Cell{Text: cmp.Or(s.note(index.Node{Kind: model.KindGroup, ID: id}), "listed"), Tone: "quiet"}
		}},
		numberColumn("members", "Members", func(s *sight, id string) int { return s.index.Size(id) }),
		numberColumn("grants", "Grants", func(s *sight, id string) int { return len(s.index.GrantsTo(id)) }),
		refColumn("area", "Home", func(s *sight, g *model.Group) Ref { return s.optionalRef(model.KindArea, g.Area) }),
		refColumn("owner", "Owner", func(s *sight, g *model.Group) Ref { return s.optionalRef(model.KindUser, g.Owner) }),
		textColumn("description", "What for", filter.Text, func(_ *sight, g *model.Group) string { return g.Description }),
	},
	model.KindRole: {
		{id: "state", name: "State", kind: filter.Text, cell: func(s *sight, id string) Cell {
			return lifecycleCell(object[*model.Role](s, id).State)
		}},
		givesColumn(model.KindRole), riskColumn(model.KindRole), holdersColumn(model.KindRole),
		numberColumn("excludes", "Excludes", func(s *sight, id string) int { return len(object[*model.Role](s, id).Excludes) }),
		refColumn("owner", "Owner", func(s *sight, r *model.Role) Ref { return s.optionalRef(model.KindUser, r.Owner) }),
		textColumn("description", "What for", filter.Text, func(_ *sight, r *model.Role) string { return r.Description }),
	},
	model.KindSet: {
		{id: "state", name: "State", kind: filter.Text, cell: func(s *sight, id string) Cell {
			return lifecycleCell(object[*model.Set](s, id).State)
		}},
		{id: "origin", name: "Origin", kind: filter.Text, cell: func(s *sight, id string) Cell {
			return Cell{Text: s.note(index.Node{Kind: model.KindSet, ID: id}), Tone: "quiet"}
		}},
		refColumn("system", "System", func(s *sight, o *model.Set) Ref { return s.optionalRef(model.KindSystem, o.System) }),
		givesColumn(model.KindSet), riskColumn(model.KindSet), holdersColumn(model.KindSet),
		textColumn("description", "What for", filter.Text, func(_ *sight, o *model.Set) string { return o.Description }),
	},
	index.KindPermission: {
		permissionColumn("label", "Label", func(p *model.Permission) string { return p.Label }),
		permissionColumn("module", "Module", func(p *model.Permission) string { return p.Module }),
		permissionColumn("class", "Class", func(p *model.Permission) string { return string(p.Class) }),
		{id: "risk", name: "Risk", kind: filter.Number, cell: func(s *sight, id string) Cell { return riskCell(s.riskOf([]string{id})) },
			value: func(s *sight, id string) any { return float64(s.riskOf([]string{id})) }},
		permissionColumn("span", "Span", func(p *model.Permission) string { return string(p.Span) }),
		holdersColumn(index.KindPermission),
		permissionColumn("description", "What it does", func(p *model.Permission) string { return p.Description }),
	},
	model.KindArea: {
		textColumn("kind", "Kind", filter.Text, func(_ *sight, a *model.Area) string { return a.Type }),
		refColumn("parent", "Lies in", func(s *sight, a *model.Area) Ref { return s.optionalRef(model.KindArea, a.Parent) }),
		numberColumn("people", "At home", func(s *sight, id string) int { return s.atHome(id) }),
		numberColumn("grants", "Grants here", func(s *sight, id string) int { return len(s.grantsAt(id)) }),
	},
	model.KindSystem: {
		textColumn("version", "Version", filter.Text, func(_ *sight, o *model.System) string { return o.Version }),
		textColumn("supplier", "Supplier", filter.Text, func(_ *sight, o *model.System) string { return o.Supplier }),
		numberColumn("permissions", "Permissions", func(s *sight, id string) int { return len(object[*model.System](s, id).Permissions) }),
		numberColumn("sets", "Supplied sets", func(s *sight, id string) int { return len(s.suppliedBy(id)) }),
		refColumn("licence", "Licence", func(s *sight, o *model.System) Ref { return s.optionalRef(model.KindLicence, o.Licence) }),
		textColumn("description", "What it is", filter.Text, func(_ *sight, o *model.System) string { return o.Description }),
	},
	model.KindDelegation: {
		refColumn("delegate", "Delegate", func(s *sight, g *model.Delegation) Ref { return s.subject(g.Delegate) }),
		textColumn("actions", "May", filter.Text, func(_ *sight, g *model.Delegation) string { return strings.Join(g.Actions, ", ") }),
		textColumn("people", "Whom", filter.Text, func(s *sight, g *model.Delegation) string { return s.people(g.People) }),
		numberColumn("covers", "People", func(s *sight, id string) int { return s.coverage(object[*model.Delegation](s, id)) }),
		refColumn("area", "Within", func(s *sight, g *model.Delegation) Ref { return s.area(g.Area) }),
		dayColumn("until", "Until", func(g *model.Delegation) time.Time { return g.Until }),
	},
	model.KindConflict: {
		textColumn("items", "Not together", filter.Text, func(s *sight, c *model.Conflict) string { return strings.Join(s.items(c.Items), " + ") }),
		numberColumn("limit", "At most", func(s *sight, id string) int { return int(object[*model.Conflict](s, id).Limit) }),
		textColumn("where", "Counts", filter.Text, func(_ *sight, c *model.Conflict) string {
			if c.Where == model.Anywhere {
				return "anywhere"
			}
			return "in one area"
		}),
		numberColumn("broken", "Broken by", func(s *sight, id string) int { return len(s.breakers(id)) }),
		numberColumn("exceptions", "Exceptions", func(s *sight, id string) int { return len(object[*model.Conflict](s, id).Exceptions) }),
	},
	model.KindLicence: {
		{id: "seats", name: "Seats", kind: filter.Number, cell: func(s *sight, id string) Cell {
			if n := object[*model.Licence](s, id).Seats; n != nil {
				return Cell{Text: grouped(*n)}
			}
			return Cell{Text: "unlimited", Tone: "quiet"}
		}, value: func(s *sight, id string) any {
			if n := object[*model.Licence](s, id).Seats; n != nil {
				return float64(*n)
			}
			return nil
		}},
		numberColumn("used", "Taken", func(s *sight, id string) int { return s.seatsUsed()[id] }),
		numberColumn("covers", "Covers", func(s *sight, id string) int { return len(object[*model.Licence](s, id).Covers) }),
	},
}

// spares are further columns of each kind's list, shown only if they are asked for.
var spares = map[model.Kind][]column{
	model.KindUser: {
		textColumn("userName", "User name", filter.Text, func(_ *sight, u *model.User) string { return u.UserName }),
		textColumn("email", "E-mail", filter.Text, func(_ *sight, u *model.User) string { return u.Email }),
		textColumn("userType", "Type", filter.Text, func(_ *sight, u *model.User) string { return u.UserType }),
		textColumn("licences", "Licences", filter.Text, func(s *sight, u *model.User) string { return s.names(model.KindLicence, u.Licences) }),
		textColumn("externalId", "External id", filter.Exact, func(_ *sight, u *model.User) string { return u.ExternalID }),
		dayColumn("from", "From", func(u *model.User) time.Time { return u.From }),
	},
	model.KindGroup: {
		textColumn("source", "Source", filter.Text, func(_ *sight, g *model.Group) string { return string(g.Source) }),
		textColumn("nests", "Nests", filter.Text, func(s *sight, g *model.Group) string { return s.names(model.KindGroup, g.Groups) }),
		textColumn("rule", "Rule", filter.Text, func(_ *sight, g *model.Group) string { return g.Rule }),
		textColumn("externalId", "External id", filter.Exact, func(_ *sight, g *model.Group) string { return g.ExternalID }),
	},
	model.KindRole: {
		textColumn("inherits", "Inherits", filter.Text, func(s *sight, r *model.Role) string { return s.names(model.KindRole, r.Inherits) }),
		textColumn("sets", "Permission sets", filter.Text, func(s *sight, r *model.Role) string { return s.names(model.KindSet, r.Sets) }),
	},
	model.KindSet: {
		textColumn("version", "Version", filter.Text, func(_ *sight, o *model.Set) string { return o.Version }),
		refColumn("owner", "Owner", func(s *sight, o *model.Set) Ref { return s.optionalRef(model.KindUser, o.Owner) }),
	},
	index.KindPermission: {
		{id: "licence", name: "Licence", kind: filter.Text, cell: func(s *sight, key string) Cell {
			p, ok := s.design().Permission(key)
			if !ok {
				return Cell{}
			}
			return Cell{Text: s.optionalRef(model.KindLicence, p.Licence).Name}
		}},
		{id: "implies", name: "Cannot do without", kind: filter.Text, cell: func(s *sight, key string) Cell {
			p, ok := s.design().Permission(key)
			if !ok {
				return Cell{}
			}
			return Cell{Text: strings.Join(p.Implies, ", ")}
		}},
	},
	model.KindArea: {
		textColumn("contacts", "Contacts", filter.Text, func(s *sight, a *model.Area) string {
			out := []string{}
			for _, g := range s.grantsAt(a.ID) {
				if g.Contact {
					out = append(out, s.subject(g.Subject).Name)
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
		id := column{id: "id", name: "Id", kind: filter.Exact, cell: func(_ *sight, id string) Cell { return Cell{Text: id, Tone: "quiet"} }}
		m[kind] = append(slices.Concat(list, spares[kind]), id)
	}
	return m
}()

// names lists things by name.
func (h *house) names(kind model.Kind, ids []string) string {
	out := make([]string, len(ids))
	for i, id := range ids {
		out[i] = h.ref(kind, id).Name
	}
	return strings.Join(out, ", ")
}

// examples are filters for each list, to learn from.
var examples = map[model.Kind][]string{
	model.KindUser:         {`title co "crane" and area eq "terminal-1"`, `state ne "active"`, `qualifications[type eq "crane" and level ge 3]`},
	model.KindGroup:        {`members eq 0`, `grants gt 2 and members lt 10`, `kind co "rule"`},
	model.KindRole:         {`holders eq 0`, `risk ge 2 and holders gt 20`, `excludes gt 0`},
	model.KindSet:          {`holders eq 0`, `origin sw "own"`, `risk eq 3`},
	index.KindPermission:   {`risk ge 2 and holders gt 20`, `class eq "admin"`, `span eq "organisation"`},
	model.KindArea:         {`people gt 20`, `kind eq "terminal"`},
	model.KindSystem:       {`permissions gt 30`},
	model.KindDelegation:   {`actions co "assign"`, `covers gt 50`},
	model.KindConflict:     {`broken gt 0`},
	model.KindLicence:      {`used gt 20`},
	model.KindAssignment:   nil,
	model.KindOrganisation: nil,
}

func permissionColumn(id, name string, get func(p *model.Permission) string) column {
	return column{id: id, name: name, kind: filter.Text, cell: func(s *sight, key string) Cell {
		if p, ok := s.design().Permission(key); ok {
			return Cell{Text: get(p)}
		}
		return Cell{}
	}}
}

// schemas are what filters over each list may name. Filters over people are those of rules.
var schemas = func() map[model.Kind]*filter.Schema {
	m := map[model.Kind]*filter.Schema{}
	for kind, list := range allColumns {
		attributes := []filter.Attribute{{Name: "name", Type: filter.Text}}
		for _, c := range list {
			attributes = append(attributes, filter.Attribute{Name: c.id, Type: c.kind})
		}
		m[kind] = filter.NewSchema(attributes...)
	}
	m[model.KindUser] = filter.People
	return m
}()

// List gives a window into the list of a kind.
func (d *Desk) List(who Actor, q Listing) (*List, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	kinds, ok := allColumns[q.Kind]
	if !ok {
		return nil, refuse(NotFound, "There is no list of %q.", q.Kind)
	}
	if err := s.hasArea(q.Where); err != nil {
		return nil, err
	}
	l := &List{Columns: []ListColumn{{ID: "name", Name: "Name"}}, Offered: []ListColumn{}, Rows: []ListRow{}, Examples: examples[q.Kind]}
	for _, id := range q.Columns {
		if !slices.ContainsFunc(kinds, func(c column) bool { return c.id == id }) {
			return nil, refuse(Invalid, "The list has no column %q to show.", id)
		}
	}
	var shown []column
	for i, c := range kinds {
		told := ListColumn{c.id, c.name, c.kind == filter.Number && c.id != "risk", i >= len(columns[q.Kind])}
		l.Offered = append(l.Offered, told)
		if slices.Contains(q.Columns, c.id) || len(q.Columns) == 0 && !told.Spare {
			shown, l.Columns = append(shown, c), append(l.Columns, told)
		}
	}
	fits, err := s.fits(q, l)
	if err != nil {
		return nil, err
	}
	all, err := s.inOrder(q, kinds)
	if err != nil {
		return nil, err
	}
	found := all
	if l.Total = len(all); q.Query != "" || q.Where != "" || q.Mine != "" {
		l.Total, found = 0, nil
		for _, e := range all {
			if !s.inArea(e.node, q.Where) || !s.mine(e.node, q.Mine) {
				continue
			}
			l.Total++
			if fits(e) {
				found = append(found, e)
			}
		}
	}
	l.Matching = len(found)
	found = found[min(q.Offset, len(found)):min(q.Offset+q.Limit, len(found))]
	if slices.ContainsFunc(shown, func(c column) bool { return c.id == "holders" }) {
		s.countHolders(q.Kind, found)
	}
	for _, e := range found {
		r := ListRow{ID: e.node.ID, Name: e.name, Cells: make([]Cell, len(shown)), Draft: s.drafted(e.node)}
		for i, c := range shown {
			r.Cells[i] = c.cell(s, e.node.ID)
		}
		l.Rows = append(l.Rows, r)
	}
	return l, nil
}

// ListTable gives everything that a list has, as it is filtered and sorted, for other programs.
func (d *Desk) ListTable(who Actor, q Listing) (*table.Table, error) {
	q.Offset, q.Limit = 0, math.MaxInt32
	l, err := d.List(who, q)
	if err != nil {
		return nil, err
	}
	if l.Trouble != "" {
		return nil, refuse(Invalid, "The filter cannot be read: %s.", l.Trouble)
	}
	t := &table.Table{Name: q.Kind.Plural(), Columns: []table.Column{{Title: "id", Width: 24}}}
	for _, c := range l.Columns {
		width := 22.0
		switch {
		case c.ID == "name":
			width = 32
		case c.ID == "description":
			width = 60
		case c.Numeric:
			width = 12
		}
		t.Columns = append(t.Columns, table.Column{Title: strings.ToLower(c.Name), Width: width})
	}
	for _, r := range l.Rows {
		row := []any{r.ID, r.Name}
		for i, c := range r.Cells {
			n, err := strconv.Atoi(strings.ReplaceAll(c.Text, ",", ""))
			if l.Columns[i+1].Numeric && err == nil {
				row = append(row, n)
			} else {
				row = append(row, c.Text)
			}
		}
		t.Rows = append(t.Rows, row)
	}
	return t, nil
}

// fits tells words from a filter, and gives what finds the rows.
func (s *sight) fits(q Listing, l *List) (func(e entry) bool, error) {
	schema, text := schemas[q.Kind], strings.TrimSpace(q.Query)
	if l.Filter = schema.Looks(text); !l.Filter {
		words := strings.Fields(model.Fold(text))
		return func(e entry) bool { return e.has(words) }, nil
	}
	f, err := schema.Parse(text)
	if err != nil {
		l.Trouble, l.At = troubleIn(text, err)
		return func(entry) bool { return false }, nil
	}
	if q.Kind == model.KindUser {
		return s.matching(f), nil
	}
	byID := map[string]column{}
	for _, c := range allColumns[q.Kind] {
		byID[c.id] = c
	}
	return func(e entry) bool {
		return f.MatchRow(func(name string) []any {
			switch name {
			case "name":
				return []any{e.name}
			}
			v := byID[name].of(s, e.node.ID)
			if v == nil {
				return nil
			}
			return []any{v}
		})
	}, nil
}

// inOrder gives all rows in the order that is asked for.
func (s *sight) inOrder(q Listing, kinds []column) ([]entry, error) {
	all := s.entries(q.Kind)
	if q.Sort != "" && q.Sort != "name" {
		i := slices.IndexFunc(kinds, func(c column) bool { return c.id == q.Sort })
		if i < 0 {
			return nil, refuse(Invalid, "The list has no column %q to sort by.", q.Sort)
		}
		return s.sorted(q.Kind, kinds[i], q.Down), nil
	}
	if q.Down {
		all = slices.Clone(all)
		slices.Reverse(all)
	}
	return all, nil
}

// order gives rows, which come by name, in the order of a column.
func (s *sight) order(rows []entry, c column, down bool) []entry {
	type keyed struct {
		entry
		num  float64
		text string
	}
	list := make([]keyed, len(rows))
	for j, e := range rows {
		list[j].entry = e
		switch v := c.of(s, e.node.ID).(type) {
		case float64:
			list[j].num = v
		case time.Time:
			if list[j].num = float64(v.Unix()); v.IsZero() {
				list[j].num = float64(1 << 60) // no end comes last
			}
		default:
			list[j].text = model.Fold(c.cell(s, e.node.ID).Text)
		}
	}
	slices.SortStableFunc(list, func(a, b keyed) int {
		order := cmp.Or(cmp.Compare(a.num, b.num), strings.Compare(a.text, b.text))
		if down {
			return -order
		}
		return order
	})
	out := make([]entry, len(rows))
	for j := range list {
		out[j] = list[j].entry
	}
	return out
}

// inArea tells whether a thing has to do with an area: people who are at home there, groups that can be used there, roles and sets of which an assignment counts
// there, areas in it or around it.
func (s *sight) inArea(n index.Node, where string) bool {
	if where == "" {
		return true
	}
	switch n.Kind {
	case model.KindUser:
		return s.index.Covers(where, object[*model.User](s, n.ID).Area)
	case model.KindGroup:
		return s.near(object[*model.Group](s, n.ID).Area, where)
	case model.KindArea:
		return s.near(n.ID, where)
	case model.KindDelegation:
		return s.near(object[*model.Delegation](s, n.ID).Area, where)
	case model.KindRole, model.KindSet:
		return slices.ContainsFunc(s.index.GrantsOf(n.Kind, n.ID), func(a *model.Assignment) bool { return s.near(a.Area, where) })
	}
	return true
}

// near tells whether something that counts in one area counts somewhere in another; an empty area to look at has everything.
func (s *sight) near(area, where string) bool {
	return where == "" || s.index.Covers(area, where) || s.index.Covers(where, area)
}

// mine tells whether a delegate may do something to or with a thing: act on a person, assign a role or set, change the members of a group. Whoever holds the right
// themselves may do it to all.
func (s *sight) mine(n index.Node, action string) bool {
	if action == "" || s.whole || s.authority == nil {
		return true
	}
	for _, g := range s.authority.Delegations() {
		if !slices.Contains(g.Actions, action) {
			continue
		}
		switch n.Kind {
		case model.KindRole:
			if slices.Contains(g.Roles, n.ID) {
				return true
			}
		case model.KindSet:
			if slices.Contains(g.Sets, n.ID) {
				return true
			}
		case model.KindGroup:
			if slices.Contains(g.Groups, n.ID) {
				return true
			}
		case model.KindArea:
			if s.index.Covers(g.Area, n.ID) {
				return true
			}
		case model.KindUser:
			if u, ok := s.design().Users.Find(n.ID); ok && s.authority.Reaches(action, u) {
				return true
			}
		}
	}
	return false
}

// drafted tells what somebody's draft makes of a thing.
func (s *sight) drafted(n index.Node) string {
	if s.present == s.house {
		return ""
	}
	before, after := s.present.design().Get(n.Kind, n.ID), s.design().Get(n.Kind, n.ID)
	switch {
	case n.Kind == index.KindPermission || before == nil && after == nil:
		return ""
	case before == nil:
		return "new"
	case after == nil:
		return "gone"
	case !change.Equal(before, after):
		return "changed"
	}
	return ""
}

// suppliedBy gives the sets that are supplied with a system.
func (s *sight) suppliedBy(system string) (out []*model.Set) {
	for _, o := range s.design().Sets {
		if o.System == system {
			out = append(out, o)
		}
	}
	return out
}

// people says in words whom a delegation is about.
func (h *house) people(p model.People) string {
	switch {
	case p.Group != "":
		return "members of " + h.ref(model.KindGroup, p.Group).Name
	case p.Filter != "":
		return "people with " + p.Filter
	}
	return "people of " + h.area(p.Area).Name
}

// coverage counts the people whom a delegation is about.
func (s *sight) coverage(g *model.Delegation) int { return len(delegation.Covered(s.index, g)) }

// items names what a conflict counts.
func (h *house) items(list []model.Item) []string {
	out := []string{}
	for _, i := range list {
		if i.Role != "" {
			out = append(out, h.ref(model.KindRole, i.Role).Name)
		} else {
			out = append(out, i.Permission)
		}
	}
	return out
}

// breakers gives who breaks a conflict, with or without an exception.
func (s *sight) breakers(conflict string) (out []duty.Violation) {
	for _, v := range s.violations() {
		if v.Conflict == conflict {
			out = append(out, v)
		}
	}
	return out
}

package desk

import (
	"cmp"
	"math"
	"slices"
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
	// typed is what a table for other programs has in place of the text: a number or an instant.
	typed any
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

// List gives a window into the list of a kind.
func (d *Viewer) List(who Actor, q Listing) (*List, error) {
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
func (d *Viewer) ListTable(who Actor, q Listing) (*table.Table, error) {
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
		for _, c := range r.Cells {
			row = append(row, cmp.Or(c.typed, any(c.Text)))
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
	case after == nil || deleted(after) && !deleted(before):
		return "gone"
	case !change.Equal(before, after):
		return "changed"
	}
	return ""
}

// deleted tells whether an object is a person who is deleted: the record keeps them.
func deleted(o model.Object) bool {
	u, is := o.(*model.User)
	return is && u.State == model.UserDeleted
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

// mentioned names an object; an assignment by who gets what.
func (h *house) mentioned(o model.Object) Ref {
	ref := h.ref(o.Kind(), o.Ident())
	if a, is := o.(*model.Assignment); is {
		ref.Name = h.subject(a.Subject).Name + " – " + h.target(a).Name + ", " + h.terms(a).Note
	}
	return ref
}

package view

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk"
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
	Choice        bool     // only what something new can be given or said of: nobody who is deactivated
	Offset, Limit int
}

// List gives a window into the list of a kind.
func (d *Viewer) List(who desk.Actor, q Listing) (*List, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	kinds, ok := allColumns[q.Kind]
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no list of %q.", q.Kind)
	}
	if err := s.HasArea(q.Where); err != nil {
		return nil, err
	}
	l := &List{
		Columns:  []ListColumn{{ID: "name", Name: "Name"}},
		Offered:  []ListColumn{},
		Rows:     []ListRow{},
		Examples: examples[q.Kind],
	}
	for _, id := range q.Columns {
		if !slices.ContainsFunc(kinds, func(c column) bool { return c.id == id }) {
			return nil, desk.Refuse(desk.Invalid, "The list has no column %q to show.", id)
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
	fits, err := fits(s, q, l)
	if err != nil {
		return nil, err
	}
	all, err := inOrder(s, q, kinds)
	if err != nil {
		return nil, err
	}
	found := asked(s, q, l, all, fits)
	if words := strings.Fields(model.Fold(q.Query)); q.Choice && !l.Filter && len(words) > 0 && q.Sort == "" {
		found = bestFirst(found, words)
	}
	l.Matching = len(found)
	found = found[min(q.Offset, len(found)):min(q.Offset+q.Limit, len(found))]
	if slices.ContainsFunc(shown, func(c column) bool { return c.id == "holders" }) {
		countHolders(s, q.Kind, found)
	}
	for _, e := range found {
		r := ListRow{ID: e.Node.ID, Name: e.Name, Cells: make([]Cell, len(shown)), Draft: Drafted(s, e.Node)}
		for i, c := range shown {
			r.Cells[i] = c.cell(s, e.Node.ID)
		}
		l.Rows = append(l.Rows, r)
	}
	return l, nil
}

// bestFirst puts those first whose name fits what is typed best: a word may be found elsewhere, in a state or a title.
func bestFirst(found []desk.Entry, words []string) []desk.Entry {
	by := map[int][]desk.Entry{}
	for _, e := range found {
		n := e.Score(words)
		by[n] = append(by[n], e)
	}
	out := make([]desk.Entry, 0, len(found))
	for _, n := range slices.Backward(slices.Sorted(maps.Keys(by))) {
		out = append(out, by[n]...)
	}
	return out
}

// asked gives the things of a list that are asked for, and counts all that there are.
func asked(s *desk.Sight, q Listing, l *List, all []desk.Entry, fits func(e desk.Entry) bool) (found []desk.Entry) {
	if l.Total = len(all); q.Query == "" && q.Where == "" && q.Mine == "" && !q.Choice {
		return all
	}
	l.Total = 0
	for _, e := range all {
		if !inArea(s, e.Node, q.Where) || !mine(s, e.Node, q.Mine) || q.Choice && gone(s, e) {
			continue
		}
		l.Total++
		if fits(e) {
			found = append(found, e)
		}
	}
	return found
}

// gone tells of somebody that they are deactivated.
func gone(s *desk.Sight, e desk.Entry) bool {
	return e.Node.Kind == model.KindUser && s.Design().Users[e.Place].State == model.UserDeactivated
}

// Found gives the ids of all things of a list that are asked for, in its order; what is wrong with a filter is refused.
func (d *Viewer) Found(s *desk.Sight, q Listing) (ids []string, err error) {
	l := &List{}
	fits, err := fits(s, q, l)
	if err != nil {
		return nil, err
	}
	if l.Trouble != "" {
		return nil, desk.Refuse(desk.Invalid, "The filter cannot be read: %s.", l.Trouble)
	}
	all, err := inOrder(s, q, allColumns[q.Kind])
	if err != nil {
		return nil, err
	}
	for _, e := range asked(s, q, l, all, fits) {
		ids = append(ids, e.Node.ID)
	}
	return ids, nil
}

// ListTable gives everything that a list has, as it is filtered and sorted, for other programs.
func (d *Viewer) ListTable(who desk.Actor, q Listing) (*table.Table, error) {
	q.Offset, q.Limit = 0, math.MaxInt32
	l, err := d.List(who, q)
	if err != nil {
		return nil, err
	}
	if l.Trouble != "" {
		return nil, desk.Refuse(desk.Invalid, "The filter cannot be read: %s.", l.Trouble)
	}
	t := &table.Table{Name: q.Kind.Plural(), Columns: []table.Column{{Title: "id", Width: 24}}}
	ids := -1 // of the cells; the ids stand in front anyway
	for i, c := range l.Columns {
		if c.ID == "id" {
			ids = i - 1
			continue
		}
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
			if i == ids {
				continue
			}
			row = append(row, cmp.Or(c.typed, any(c.Text)))
		}
		t.Rows = append(t.Rows, row)
	}
	return t, nil
}

// fits tells words from a filter, and gives what finds the rows.
func fits(s *desk.Sight, q Listing, l *List) (func(e desk.Entry) bool, error) {
	schema, text := schemas[q.Kind], strings.TrimSpace(q.Query)
	if l.Filter = schema.Looks(text); !l.Filter {
		words := strings.Fields(model.Fold(text))
		return func(e desk.Entry) bool { return e.Has(words) }, nil
	}
	f, err := schema.Ask(text)
	if err != nil {
		l.Trouble, l.At = desk.TroubleIn(text, err)
		return func(desk.Entry) bool { return false }, nil
	}
	switch {
	case q.Kind == model.KindUser && f.More():
		return func(e desk.Entry) bool {
			u := s.Design().Users[e.Place]
			p := index.Person(s.Design(), u)
			p.More = moreOf(s, u.ID)
			return f.Match(p)
		}, nil
	case q.Kind == model.KindUser:
		return matching(s, f), nil
	}
	byID := map[string]column{}
	for _, c := range allColumns[q.Kind] {
		byID[c.id] = c
	}
	return func(e desk.Entry) bool {
		return f.MatchRow(func(name string) []any {
			switch name {
			case "name":
				return []any{e.Name}
			}
			v := byID[name].of(s, e.Node.ID)
			if v == nil {
				return nil
			}
			return []any{v}
		})
	}, nil
}

// moreOf gives what filters over lists see of somebody beyond what rules do, as far as it is in sight.
func moreOf(s *desk.Sight, user string) filter.Row {
	return func(attribute string) (out []any) {
		switch attribute {
		case "groups":
			for _, g := range s.Index.GroupsOf(user) {
				out = append(out, g.Group)
			}
		case "roles":
			for _, a := range s.Index.GrantsFor(user) {
				if a.Role != "" && model.In(s.At, a.From, a.Until) {
					out = append(out, a.Role)
				}
			}
		case "lastUse":
			for _, u := range s.Uses.Of(user) {
				system, permission := use.SystemOf(u.What), u.What
				if system == u.What {
					permission = ""
				}
				if s.Design().Get(model.KindSystem, system) == nil {
					continue
				}
				out = append(out, filter.Row(func(part string) []any {
					return []any{map[string]any{"system": system, "permission": permission, "at": u.At}[part]}
				}))
			}
		}
		return out
	}
}

// inOrder gives all rows in the order that is asked for.
func inOrder(s *desk.Sight, q Listing, kinds []column) ([]desk.Entry, error) {
	all := s.Entries(q.Kind)
	if q.Sort != "" && q.Sort != "name" {
		i := slices.IndexFunc(kinds, func(c column) bool { return c.id == q.Sort })
		if i < 0 {
			return nil, desk.Refuse(desk.Invalid, "The list has no column %q to sort by.", q.Sort)
		}
		return sorted(s, q.Kind, kinds[i], q.Down), nil
	}
	if q.Down {
		all = slices.Clone(all)
		slices.Reverse(all)
	}
	return all, nil
}

// order gives rows, which come by name, in the order of a column.
func order(s *desk.Sight, rows []desk.Entry, c column, down bool) []desk.Entry {
	type keyed struct {
		desk.Entry
		num  float64
		text string
	}
	ordered := func(a, b keyed) int {
		order := cmp.Or(cmp.Compare(a.num, b.num), strings.Compare(a.text, b.text))
		if down {
			return -order
		}
		return order
	}
	parts := make([][]keyed, fan.Parts())
	fan.Out(len(rows), func(p, from, to int) {
		list := make([]keyed, to-from)
		for j, e := range rows[from:to] {
			k := &list[j]
			k.Entry = e
			var v any
			if c.value != nil {
				v = c.value(s, e.Node.ID)
			}
			switch v := v.(type) {
			case float64:
				k.num = v
			case time.Time:
				if k.num = float64(v.Unix()); v.IsZero() {
					k.num = float64(1 << 60) // no end comes last
				}
			default:
				k.text = model.Fold(c.cell(s, e.Node.ID).Text)
			}
		}
		slices.SortStableFunc(list, ordered)
		parts[p] = list
	})
	out := make([]desk.Entry, 0, len(rows))
	for _, k := range fan.Merged(parts, ordered) {
		out = append(out, k.Entry)
	}
	return out
}

// inArea tells whether a thing has to do with an area: people who are at home there, groups that can be used there,
// roles and sets of which an assignment counts there, areas in it or around it.
func inArea(s *desk.Sight, n index.Node, where string) bool {
	if where == "" {
		return true
	}
	switch n.Kind {
	case model.KindUser:
		return s.Index.Covers(where, object[*model.User](s, n.ID).Area)
	case model.KindGroup:
		return near(s, object[*model.Group](s, n.ID).Area, where)
	case model.KindArea:
		return near(s, n.ID, where)
	case model.KindDelegation:
		return near(s, object[*model.Delegation](s, n.ID).Area, where)
	case model.KindRole, model.KindSet:
		return slices.ContainsFunc(
			s.Index.GrantsOf(n.Kind, n.ID),
			func(a *model.Assignment) bool { return near(s, a.Area, where) },
		)
	}
	return true
}

// near tells whether something that counts in one area counts somewhere in another; an empty area to look at has
// everything.
func near(s *desk.Sight, area, where string) bool {
	return where == "" || s.Index.Near(area, where)
}

// mine tells whether a delegate may do something to or with a thing: act on a person, assign a role or set, change
// the members of a group. Whoever holds the right themselves may do it to all.
func mine(s *desk.Sight, n index.Node, action string) bool {
	if action == "" || s.Whole || s.Authority == nil {
		return true
	}
	for _, g := range s.Authority.Delegations() {
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
			if s.Index.Covers(g.Area, n.ID) {
				return true
			}
		case model.KindUser:
			if u, ok := s.Design().Users.Find(n.ID); ok && s.Authority.Reaches(action, u) {
				return true
			}
		}
	}
	return false
}

// Drafted tells what somebody's draft makes of a thing.
func Drafted(s *desk.Sight, n index.Node) string {
	if s.Present == s.House {
		return ""
	}
	before, after := s.Present.Design().Get(n.Kind, n.ID), s.Design().Get(n.Kind, n.ID)
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
func suppliedBy(s *desk.Sight, system string) (out []*model.Set) {
	for _, o := range s.Design().Sets {
		if o.System == system {
			out = append(out, o)
		}
	}
	return out
}

// coverage counts the people whom a delegation is about.
func coverage(s *desk.Sight, g *model.Delegation) int { return len(delegation.Covered(s.Index, g)) }

// ItemNames names what a conflict counts.
func ItemNames(h *desk.House, list []model.Item) []string {
	out := []string{}
	for _, i := range list {
		if i.Role != "" {
			out = append(out, h.Ref(model.KindRole, i.Role).Name)
		} else {
			out = append(out, i.Permission)
		}
	}
	return out
}

// breakers gives who breaks a conflict, with or without an exception.
func breakers(s *desk.Sight, conflict string) (out []duty.Violation) {
	for _, v := range Violations(s) {
		if v.Conflict == conflict {
			out = append(out, v)
		}
	}
	return out
}

// Mentioned names an object; an assignment by who gets what.
func Mentioned(h *desk.House, o model.Object) desk.Ref {
	ref := h.Ref(o.Kind(), o.Ident())
	if a, is := o.(*model.Assignment); is {
		ref.Name = h.Subject(a.Subject).Name + " – " + Target(h, a).Name + ", " + h.Terms(a).Note
	}
	return ref
}

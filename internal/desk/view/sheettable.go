package view

import (
	"slices"
	"strings"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
)

// SheetTable gives what a sheet is mainly about, for other programs: what a person holds, what a role or set gives,
// who is in a group, who has a licence, what a system's catalogue has.
func (d *Viewer) SheetTable(who desk.Actor, kind model.Kind, id string) (*table.Table, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	o := s.Design().Get(kind, id)
	if o == nil {
		return nil, desk.Refuse(desk.NotFound, "There is no %s %q.", kind.Word(), id)
	}
	t := &table.Table{Name: o.Title()}
	switch kind {
	case model.KindUser:
		t.Columns = append(
			permissionColumns(),
			table.Column{Title: "where", Width: 28},
			table.Column{Title: "records", Width: 10},
		)
		holdings := s.Index.Effective(id, s.At)
		for _, h := range holdings {
			t.Rows = append(
				t.Rows,
				append(
					permissionCells(s, h.Permission),
					s.Area(h.Area).Name,
					map[model.Reach]string{model.ReachArea: "all", model.ReachLine: "of the line", model.ReachOwn: "own"}[h.Reach],
				),
			)
		}
	case model.KindRole, model.KindSet:
		t.Columns = permissionColumns()
		for _, key := range s.Index.Content(kind, id) {
			t.Rows = append(t.Rows, permissionCells(s, key))
		}
	case model.KindSystem:
		t.Columns = append(permissionColumns(), table.Column{Title: "held by", Width: 9})
		for _, p := range o.(*model.System).Permissions {
			t.Rows = append(t.Rows, append(permissionCells(s, p.Key), HolderCount(s, "permission", p.Key)))
		}
	case model.KindGroup:
		t.Columns = append(personColumns(), table.Column{Title: "listed", Width: 10})
		for _, u := range s.Index.Members(id) {
			_, listed := slices.BinarySearch(o.(*model.Group).Users, u)
			t.Rows = append(
				t.Rows,
				append(personCells(s, u), map[bool]string{true: "itself", false: "by another way"}[listed]),
			)
		}
	case model.KindLicence:
		t.Columns = personColumns()
		for _, u := range s.Design().Users {
			if slices.Contains(u.Licences, id) {
				t.Rows = append(t.Rows, personCells(s, u.ID))
			}
		}
	case model.KindArea:
		t.Columns = personColumns()
		for _, u := range s.Design().Users {
			if s.Index.Covers(id, u.Area) {
				t.Rows = append(t.Rows, personCells(s, u.ID))
			}
		}
	case model.KindConflict:
		t.Columns = append(
			personColumns(),
			table.Column{Title: "what meets", Width: 50},
			table.Column{Title: "excepted", Width: 10},
		)
		for _, v := range breakers(s, id) {
			t.Rows = append(
				t.Rows,
				append(
					personCells(s, v.User),
					strings.Join(ItemNames(s.House, v.Items), "; "),
					map[bool]string{true: "yes"}[v.Excepted],
				),
			)
		}
	default:
		return nil, desk.Refuse(desk.NotFound, "The sheet of a %s cannot be had as a table.", kind.Word())
	}
	return t, nil
}

func permissionColumns() []table.Column {
	return []table.Column{
		{Title: "system", Width: 18},
		{Title: "object", Width: 20},
		{Title: "action", Width: 16},
		{Title: "permission", Width: 34},
		{Title: "what it does", Width: 36},
		{Title: "class", Width: 8},
		{Title: "risk", Width: 10},
	}
}

func permissionCells(s *desk.Sight, key string) []any {
	system, object, action, _ := model.CutKey(key)
	p, ok := s.Design().Permission(key)
	if !ok {
		return []any{system, object, action, key, nil, nil, nil}
	}
	return []any{
		s.Ref(model.KindSystem, system).Name,
		object,
		action,
		key,
		p.Label,
		string(p.Class),
		desk.Risks[min(max(p.Risk, 0), 3)],
	}
}

func personColumns() []table.Column {
	return []table.Column{
		{Title: "id", Width: 24},
		{Title: "name", Width: 28},
		{Title: "user name", Width: 30},
		{Title: "title", Width: 22},
		{Title: "department", Width: 20},
		{Title: "home area", Width: 22},
		{Title: "state", Width: 12},
	}
}

func personCells(s *desk.Sight, id string) []any {
	u, ok := s.Design().Users.Find(id)
	if !ok {
		return []any{id, nil, nil, nil, nil, nil, nil}
	}
	return []any{
		u.ID,
		strings.TrimSpace(u.DisplayName),
		u.UserName,
		u.JobTitle,
		u.Department,
		s.Area(u.Area).Name,
		string(u.State),
	}
}

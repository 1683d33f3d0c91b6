package view

import (
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
)

// exported is what somebody sees who may take all of it out.
func (d *Viewer) exported(who desk.Actor) (*desk.Sight, error) {
	if err := d.MayExport(who); err != nil {
		return nil, err
	}
	return d.See(who)
}

// AssignmentsTable gives every assignment, with the columns that files of assignments are brought in by.
func (d *Viewer) AssignmentsTable(who desk.Actor) (*table.Table, error) {
	s, err := d.exported(who)
	if err != nil {
		return nil, err
	}
	t := &table.Table{Name: "assignments", Columns: []table.Column{
		{Title: "id", Width: 20}, {Title: "who", Width: 26}, {Title: "role", Width: 26}, {Title: "area", Width: 20},
		{Title: "reach", Width: 8}, {Title: "mode", Width: 10}, {Title: "from", Width: 18}, {Title: "until", Width: 18},
		{Title: "reason", Width: 40},
	}}
	for _, a := range s.Design().Assignments {
		target := a.Role
		if a.Set != "" {
			if target = a.Set; s.Design().Get(model.KindRole, a.Set) != nil {
				target = "set:" + a.Set // for there is a role that is called so too
			}
		}
		t.Rows = append(t.Rows, []any{
			a.ID, a.Subject.User + a.Subject.Group, target, a.Area, string(a.Reach), string(a.Mode), instant(a.From),
			instant(a.Until), a.Reason,
		})
	}
	return t, nil
}

// UsesTable gives when people last used what, as far as it is known, with the columns that files of last uses are
// brought in by.
func (d *Viewer) UsesTable(who desk.Actor) (*table.Table, error) {
	s, err := d.exported(who)
	if err != nil {
		return nil, err
	}
	t := &table.Table{Name: "last uses", Columns: []table.Column{
		{Title: "person", Width: 26}, {Title: "system", Width: 34}, {Title: "last used", Width: 20},
	}}
	for _, u := range s.Design().Users {
		list := s.Uses.Of(u.ID)
		slices.SortFunc(list, func(a, b use.Use) int { return strings.Compare(a.What, b.What) })
		for _, one := range list {
			if s.Design().Get(model.KindSystem, use.SystemOf(one.What)) != nil {
				t.Rows = append(t.Rows, []any{u.ID, one.What, one.At})
			}
		}
	}
	return t, nil
}

// instant is an instant as a cell has it; none, if there is none.
func instant(at time.Time) any {
	if at.IsZero() {
		return nil
	}
	return at
}

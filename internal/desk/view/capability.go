package view

import (
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
)

// Capability is a permission in the table of what licences, roles and sets can do.
type Capability struct {
	Key     string `json:"key"`
	Object  string `json:"object"`
	Action  string `json:"action"`
	Label   string `json:"label,omitempty"`
	Class   string `json:"class"`
	Risk    int    `json:"risk"`
	Holders int    `json:"holders" doc:"How many people hold it"`
	By      []int  `json:"by" doc:"The columns that give it or, of a licence, are enough for it"`
}

// Capabilities is a system's table: permissions as rows; licences, roles and sets as columns.
type Capabilities struct {
	System  desk.Ref     `json:"system"`
	Columns []Layer      `json:"columns" doc:"With how many of the permissions each gives"`
	Rows    []Capability `json:"rows"`
}

// Capabilities gives the table of what each licence, role and set can do in a system. Kinds says which are wanted:
// licence, role, set (supplied) and own (own sets); all but the last if it is empty.
func (d *Viewer) Capabilities(who desk.Actor, system string, kinds []string) (*Capabilities, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	o, ok := s.Design().Systems.Find(system)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no system %q.", system)
	}
	if len(kinds) == 0 {
		kinds = []string{"licence", "role", "set"}
	}
	c := &Capabilities{System: s.Ref(model.KindSystem, system), Columns: []Layer{}, Rows: []Capability{}}
	var gives []map[string]bool
	column := func(ref desk.Ref, keys []string) {
		in := map[string]bool{}
		for _, k := range keys {
			if strings.HasPrefix(k, system+":") {
				in[k] = true
			}
		}
		if len(in) > 0 {
			c.Columns, gives = append(c.Columns, Layer{Ref: ref, Gives: len(in)}), append(gives, in)
		}
	}
	if slices.Contains(kinds, "licence") {
		for _, l := range s.Design().Licences {
			column(s.Ref(model.KindLicence, l.ID), s.Index.Licensed(l.ID))
		}
	}
	if slices.Contains(kinds, "role") {
		for _, r := range s.Design().Roles {
			column(s.Ref(model.KindRole, r.ID), s.Index.Content(model.KindRole, r.ID))
		}
	}
	for _, x := range s.Design().Sets {
		if x.System != "" && slices.Contains(kinds, "set") || x.System == "" && slices.Contains(kinds, "own") {
			column(s.Ref(model.KindSet, x.ID), s.Index.Content(model.KindSet, x.ID))
		}
	}
	for _, p := range o.Permissions {
		_, object, action, _ := model.CutKey(p.Key)
		row := Capability{
			Key:     p.Key,
			Object:  object,
			Action:  action,
			Label:   p.Label,
			Class:   string(p.Class),
			Risk:    p.Risk,
			Holders: HolderCount(s, index.KindPermission, p.Key),
			By:      []int{},
		}
		for i, in := range gives {
			if in[p.Key] {
				row.By = append(row.By, i)
			}
		}
		c.Rows = append(c.Rows, row)
	}
	return c, nil
}

// CapabilityTable gives the same for other programs.
func (d *Viewer) CapabilityTable(who desk.Actor, system string, kinds []string) (*table.Table, error) {
	c, err := d.Capabilities(who, system, kinds)
	if err != nil {
		return nil, err
	}
	t := &table.Table{
		Name:    "Capabilities of " + c.System.Name,
		Columns: append(permissionColumns()[1:], table.Column{Title: "held by", Width: 8}),
	}
	for _, x := range c.Columns {
		t.Columns = append(
			t.Columns,
			table.Column{Title: x.Ref.Name + " (" + model.Kind(x.Ref.Kind).Word() + ")", Width: 14},
		)
	}
	for _, r := range c.Rows {
		row := []any{r.Object, r.Action, r.Key, r.Label, r.Class, desk.Risks[min(max(r.Risk, 0), 3)], r.Holders}
		for i, x := range c.Columns {
			switch {
			case !slices.Contains(r.By, i):
				row = append(row, nil)
			case x.Ref.Kind == string(model.KindLicence):
				row = append(row, "allows")
			default:
				row = append(row, "gives")
			}
		}
		t.Rows = append(t.Rows, row)
	}
	return t, nil
}

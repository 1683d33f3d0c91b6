// Package catalogue reads a version of a system's catalogue: as JSON, in the form that the model file has for a
// system and its supplied sets, or as a table with a row for each permission.
package catalogue

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/upgrade"
	"fachwerk/internal/exchange/rows"
	out "fachwerk/internal/exchange/table"
)

// Read reads a catalogue of the system with an id, in a version; what is empty is as the file has it. A table tells
// no version, and the system's id only in its keys.
func Read(name string, data []byte, id, version string) (*upgrade.Catalogue, error) {
	var c *upgrade.Catalogue
	var err error
	if text := bytes.TrimSpace(bytes.TrimPrefix(data, []byte("\ufeff"))); bytes.HasPrefix(text, []byte("{")) {
		c, err = object(text)
	} else {
		c, err = table(name, data, id)
	}
	if err != nil {
		return nil, err
	}
	s := c.System
	s.ID, s.Version = cmp.Or(s.ID, id), cmp.Or(version, s.Version)
	if id != "" && s.ID != id {
		return nil, fmt.Errorf("the file is the catalogue of the system %q, not of %q", s.ID, id)
	}
	if !model.ValidID(s.ID) {
		return nil, fmt.Errorf("system.id: expected an id, not %q", s.ID)
	}
	if s.ID == model.OwnSystem {
		return nil, errors.New("the catalogue of Fachwerk itself comes with the program")
	}
	for i, p := range s.Permissions {
		if system, _, _, ok := model.CutKey(p.Key); !ok || system != s.ID {
			return nil, fmt.Errorf("permissions[%d].key: expected a key like %s:object:action, not %q", i, s.ID, p.Key)
		}
	}
	for _, set := range c.Sets {
		set.System = s.ID
		if set.Version == "" {
			set.Version = s.Version
		}
	}
	return c, nil
}

// object reads JSON: {"system": …, "sets": […], "renames": {"old key": "new key"}}, or a model file of one system.
func object(data []byte) (*upgrade.Catalogue, error) {
	var in struct {
		Format  string            `json:"format"`
		System  json.RawMessage   `json:"system"`
		Systems []json.RawMessage `json:"systems"`
		Sets    []json.RawMessage `json:"sets"`
		Renames map[string]string `json:"renames"`
	}
	if err := json.Unmarshal(data, &in); err != nil {
		return nil, fmt.Errorf("the file is not the JSON of a catalogue: %w", err)
	}
	if in.System == nil && len(in.Systems) == 1 {
		in.System = in.Systems[0]
	}
	if in.System == nil {
		return nil, fmt.Errorf(
			"expected one system, as “system” or as the only one of “systems”, not %d",
			len(in.Systems),
		)
	}
	o, err := model.Decode(model.KindSystem, in.System)
	if err != nil {
		return nil, err
	}
	c := &upgrade.Catalogue{System: o.(*model.System), Renames: in.Renames}
	for i, raw := range in.Sets {
		o, err := model.Decode(model.KindSet, raw)
		if err != nil {
			return nil, fmt.Errorf("sets[%d]: %w", i, err)
		}
		s := o.(*model.Set)
		if s.System != "" && s.System != c.System.ID {
			continue // of another system, in a model file
		}
		if s.System == "" && in.Format != "" {
			continue // an own set, in a model file
		}
		if !model.ValidID(s.ID) {
			return nil, fmt.Errorf("sets[%d].id: expected an id, not %q", i, s.ID)
		}
		c.Sets = append(c.Sets, s)
	}
	return c, nil
}

// columns are what a table of permissions can have, by the words that head them.
var columns = map[string][]string{
	"key": {
		"key",
		"permission",
	}, "object": {"object", "entity"}, "action": {"action", "operation", "verb"}, "label": {"label", "name", "title"},
	"description": {"description", "what it does"},
	"module": {
		"module",
		"area",
	}, "class": {"class", "kind", "type"}, "risk": {"risk", "danger"}, "span": {"span", "scope"},
	"implies": {"implies", "needs", "requires"}, "licence": {"licence", "license"},
	"sets": {"sets", "set", "permission sets", "supplied sets"}, "was": {"was", "renamed from", "old key"},
}

var risks = []string{"none", "elevated", "high", "critical"}

// heads tells of a cell whether it heads a column of a catalogue.
func heads(cell string) bool {
	for _, words := range columns {
		if slices.ContainsFunc(words, func(w string) bool { return intake.Plain(w) == intake.Plain(cell) }) {
			return true
		}
	}
	return false
}

func table(name string, data []byte, system string) (*upgrade.Catalogue, error) {
	file, err := rows.Read(name, data, rows.Reading{Heads: heads})
	if err != nil {
		return nil, err
	}
	at := map[string]int{}
	for i, h := range file.Header {
		for field, words := range columns {
			if _, taken := at[field]; !taken &&
				slices.ContainsFunc(words, func(w string) bool { return intake.Plain(w) == intake.Plain(h) }) {
				at[field] = i
			}
		}
	}
	_, keys := at["key"]
	_, objects := at["object"]
	_, actions := at["action"]
	if !keys && !(objects && actions) {
		return nil, fmt.Errorf(
			"expected a column “key”, or “object” and “action”; the file has %s",
			strings.Join(file.Header, ", "),
		)
	}
	c := &upgrade.Catalogue{System: &model.System{ID: system}, Renames: map[string]string{}, Bare: true}
	for _, field := range []string{"label", "description", "module", "class", "risk", "span", "implies", "licence"} {
		if _, told := at[field]; !told {
			c.Silent = append(c.Silent, field)
		}
	}
	if _, told := at["sets"]; told {
		c.Sets = []*model.Set{}
	}
	sets := map[string]*model.Set{}
	for n, row := range file.Rows {
		cell := func(field string) string {
			if i, ok := at[field]; ok && i < len(row) {
				return strings.TrimSpace(row[i])
			}
			return ""
		}
		fail := func(field, expected string) error {
			return fmt.Errorf("line %d, %s: expected %s, not %q", file.Lines[n], field, expected, cell(field))
		}
		p := &model.Permission{
			Key:         cell("key"),
			Label:       cell("label"),
			Description: cell("description"),
			Module:      cell("module"),
			Licence:     cell("licence"),
			Class:       model.Class(strings.ToLower(cell("class"))),
			Span:        model.Span(strings.ToLower(cell("span"))),
		}
		if p.Key == "" && cell("object")+cell("action") == "" {
			continue
		}
		whole := func(key string) string {
			if strings.Count(key, ":") == 1 && c.System.ID != "" {
				return c.System.ID + ":" + key
			}
			return key
		}
		if p.Key == "" {
			p.Key = cell("object") + ":" + cell("action")
		}
		p.Key = whole(p.Key)
		of, _, _, ok := model.CutKey(p.Key)
		if !ok && c.System.ID == "" && cell("key") == "" {
			return nil, errors.New(
				"the table does not say of which system it is: choose the system, or write whole keys like system:object:action",
			)
		}
		if !ok {
			return nil, fail("key", "a key like system:object:action")
		}
		if c.System.ID == "" {
			c.System.ID = of
		}
		for field, value := range map[string]string{"permission.class": string(p.Class), "permission.span": string(p.Span)} {
			if value != "" && !slices.Contains(model.Values[field], value) {
				return nil, fail(
					strings.TrimPrefix(field, "permission."),
					"one of "+strings.Join(model.Values[field], ", "),
				)
			}
		}
		if risk := strings.ToLower(cell("risk")); risk != "" {
			if p.Risk = slices.Index(risks, risk); p.Risk < 0 {
				if p.Risk, err = strconv.Atoi(risk); err != nil || p.Risk < 0 || p.Risk > 3 {
					return nil, fail("risk", "0 to 3, or none, elevated, high or critical")
				}
			}
		}
		for _, k := range split(cell("implies")) {
			p.Implies = append(p.Implies, whole(k))
		}
		if old := cell("was"); old != "" {
			c.Renames[whole(old)] = p.Key
		}
		for _, called := range split(cell("sets")) {
			id := model.IDFrom(called)
			if id == "" {
				return nil, fail("sets", "the ids of sets")
			}
			if sets[id] == nil {
				sets[id] = &model.Set{ID: id, Name: called}
				c.Sets = append(c.Sets, sets[id])
			}
			sets[id].Permissions = append(sets[id].Permissions, p.Key)
		}
		c.System.Permissions = append(c.System.Permissions, p)
	}
	o, err := json.Marshal(c.System)
	if err != nil {
		return nil, err
	}
	whole, err := model.Decode(model.KindSystem, o) // with what is so unless it is said otherwise
	if err != nil {
		return nil, err
	}
	c.System = whole.(*model.System)
	return c, nil
}

// Template is a table to fill in, with an example: a permission that is only seen, one that cannot do without it,
// and one that has a new key.
func Template() *out.Table {
	t := &out.Table{
		Name: "catalogue",
		Columns: []out.Column{
			{Title: "key", Width: 30},
			{Title: "label", Width: 26},
			{Title: "description", Width: 44},
			{Title: "module"},
			{Title: "class", Width: 8},
			{Title: "risk", Width: 10},
			{Title: "span", Width: 14},
			{Title: "implies", Width: 26},
			{Title: "licence"},
			{Title: "sets", Width: 30},
			{Title: "was", Width: 26},
		},
	}
	for i := range t.Columns {
		t.Columns[i].Kind = out.Text
	}
	for _, row := range [][]string{
		{"shuttleboard:shuttle:view", "See shuttles", "Where each shuttle is, and who drives it.", "Shuttles", "read",
			"none", "area", "", "", "shuttleboard-reader; shuttleboard-desk", ""},
		{"shuttleboard:shuttle:send", "Send a shuttle", "", "Shuttles", "write", "elevated", "area",
			"shuttleboard:shuttle:view", "", "shuttleboard-desk", ""},
		{"shuttleboard:timetable:publish", "Publish the timetable", "Everybody sees it at once.", "Timetables", "write",
			"high", "organisation", "", "", "shuttleboard-desk", "shuttleboard:timetable:print"},
	} {
		cells := make([]any, len(row))
		for i, c := range row {
			cells[i] = c
		}
		t.Rows = append(t.Rows, cells)
	}
	return t
}

func split(cell string) []string {
	return strings.FieldsFunc(cell, func(r rune) bool { return r == ';' || r == '|' || r == ' ' || r == '\n' })
}

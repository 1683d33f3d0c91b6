package scim

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/model"
)

// Error is what is wrong with a request, as RFC 7644 §3.12 has it.
type Error struct {
	Status int
	Type   string // the scimType; may be empty
	Detail string
}

func (e *Error) Error() string { return e.Detail }

// Bad is an error in what was sent.
func Bad(kind, format string, args ...any) *Error {
	return &Error{http.StatusBadRequest, kind, fmt.Sprintf(format, args...)}
}

// Resource is a person or group as JSON has it, its attributes named as the schemas write them, those of an
// extension within an object by the schema's id.
type Resource map[string]any

// get gives an attribute's value; nil if it has none.
func (t *Type) get(r Resource, p place) any {
	if !p.extended {
		return r[p.Name]
	}
	inner, _ := r[t.Extension()].(map[string]any)
	return inner[p.Name]
}

// set gives an attribute a value; nil takes it away.
func (t *Type) set(r Resource, p place, v any) {
	if list, is := v.([]any); is && len(list) == 0 {
		v = nil
	}
	to := map[string]any(r)
	if p.extended {
		inner, _ := r[t.Extension()].(map[string]any)
		if inner == nil {
			inner = map[string]any{}
		}
		r[t.Extension()], to = inner, inner
	}
	if v == nil {
		delete(to, p.Name)
		if p.extended && len(to) == 0 {
			delete(r, t.Extension())
		}
		return
	}
	to[p.Name] = v
}

// Read reads a resource that a directory sends whole. Attributes that no schema has, and those that are not the
// directory's to set, are left out.
func (t *Type) Read(data []byte) (Resource, error) {
	var in map[string]any
	if err := decode(data, &in); err != nil {
		return nil, err
	}
	r := Resource{}
	claimed := false
	for name, v := range in {
		switch {
		case strings.EqualFold(name, "schemas"):
			claimed = true
			if err := t.claims(v); err != nil {
				return nil, err
			}
		case t.extended != nil && strings.EqualFold(name, t.Extension()):
			inner, is := v.(map[string]any)
			if !is {
				return nil, Bad("invalidValue", "%s: expected an object, not %s", name, shown(v))
			}
			for name, v := range inner {
				if err := t.take(r, t.Extension()+":"+name, v); err != nil {
					return nil, err
				}
			}
		default:
			if err := t.take(r, name, v); err != nil {
				return nil, err
			}
		}
	}
	if !claimed { // RFC 7643 §3
		return nil, Bad("invalidValue", "schemas: is missing; expected %q among them", t.schema.ID)
	}
	return r, t.complete(r)
}

// take takes an attribute over as it was sent.
func (t *Type) take(r Resource, name string, v any) error {
	p, known := t.find(name)
	if !known || p.Mutability == "readOnly" {
		return nil
	}
	v, err := p.read(p.Name, v)
	if err == nil {
		t.set(r, p, v)
	}
	return err
}

// claims checks the schemas that a resource says it has.
func (t *Type) claims(v any) error {
	list, is := v.([]any)
	if !is ||
		!slices.ContainsFunc(
			list,
			func(s any) bool { text, _ := s.(string); return strings.EqualFold(text, t.schema.ID) },
		) {
		return Bad("invalidValue", "schemas: expected %q among them, not %s", t.schema.ID, shown(v))
	}
	return nil
}

// complete checks that nothing is missing.
func (t *Type) complete(r Resource) error {
	for _, a := range t.schema.Attributes {
		if s, _ := r[a.Name].(string); a.Required && strings.TrimSpace(s) == "" {
			return Bad("invalidValue", "%s: a text is required", a.Name)
		}
	}
	return nil
}

// read gives a value of the attribute as it is kept; nil for none.
func (a *Attribute) read(where string, v any) (any, error) {
	if v == nil || !a.Multi {
		return a.one(where, v)
	}
	list, is := v.([]any)
	if !is {
		list = []any{v} // a single value is often sent alone
	}
	out := []any{}
	seen := map[string]bool{} // what has been there already, as JSON
	first := -1               // the primary value
	for i, v := range list {
		one, err := a.one(fmt.Sprintf("%s[%d]", where, i), v)
		if err != nil {
			return nil, err
		}
		if one == nil {
			continue
		}
		text, err := json.Marshal(one)
		if err != nil || seen[string(text)] {
			continue
		}
		seen[string(text)] = true
		if m, is := one.(map[string]any); is && m["primary"] == true {
			if first >= 0 {
				return nil, Bad("invalidValue", "%s: only one value can be primary", where)
			}
			first = i
		}
		out = append(out, one)
	}
	return out, nil
}

func (a *Attribute) one(where string, v any) (any, error) {
	switch v := v.(type) {
	case nil:
		return nil, nil
	case map[string]any:
		if a.Parts == nil {
			break
		}
		out := map[string]any{}
		for name, value := range v {
			part, known := a.part(name)
			if !known || part.Mutability == "readOnly" {
				continue
			}
			one, err := part.one(where+"."+part.Name, value)
			if err != nil {
				return nil, err
			}
			if one != nil {
				out[part.Name] = one
			}
		}
		if len(out) == 0 {
			return nil, nil
		}
		return out, nil
	case bool:
		if a.Type == "boolean" {
			return v, nil
		}
	case string:
		if part, has := a.part("value"); has { // the value alone
			one, err := part.one(where, v)
			if one == nil || err != nil {
				return nil, err
			}
			return map[string]any{part.Name: one}, nil
		}
		switch {
		case a.Type == "boolean" && strings.EqualFold(v, "true"):
			return true, nil
		case a.Type == "boolean" && strings.EqualFold(v, "false"):
			return false, nil
		case a.Type != "boolean" && a.Parts == nil:
			if v == "" {
				return nil, nil
			}
			return v, nil
		}
	}
	expected := map[string]string{"boolean": "true or false", "complex": "an object"}[a.Type]
	return nil, Bad("invalidValue", "%s: expected %s, not %s", where, cmp.Or(expected, "a text"), shown(v))
}

func shown(v any) string {
	data, _ := json.Marshal(v)
	if len(data) > 80 {
		return string(data[:80]) + "…"
	}
	return string(data)
}

// decode reads one JSON value and nothing else.
func decode(data []byte, to any) error {
	d := json.NewDecoder(bytes.NewReader(data))
	err := d.Decode(to)
	if err == nil && d.More() {
		err = fmt.Errorf("more follows after the end")
	}
	if err != nil {
		return Bad("invalidSyntax", "the request is not the JSON that was expected: %s", inWords(err))
	}
	return nil
}

// Decode reads what was sent as JSON.
func Decode(data []byte, to any) error { return decode(data, to) }

// inWords says what is wrong with JSON, without the names that the program has for it.
func inWords(err error) string {
	var wrong *json.UnmarshalTypeError
	if !errors.As(err, &wrong) {
		return err.Error()
	}
	expected := "an object"
	switch wrong.Type.Kind() {
	case reflect.String:
		expected = "a text"
	case reflect.Slice:
		expected = "a list"
	case reflect.Bool:
		expected = "true or false"
	case reflect.Int:
		expected = "a whole number"
	}
	found, _, _ := strings.Cut(wrong.Value, " ") // of a number it tells which
	found = cmp.Or(map[string]string{
		"array": "a list", "object": "an object", "string": "a text", "number": "a number", "bool": "true or false",
	}[found], found)
	where := ""
	if wrong.Field != "" {
		where = wrong.Field + ": "
	}
	return where + "expected " + expected + ", not " + found
}

// clone copies a value as deep as it goes.
func clone(v any) any {
	switch v := v.(type) {
	case map[string]any:
		m := make(map[string]any, len(v))
		for k, e := range v {
			m[k] = clone(e)
		}
		return m
	case []any:
		l := make([]any, len(v))
		for i, e := range v {
			l[i] = clone(e)
		}
		return l
	}
	return v
}

// Row gives a filter the resource's values.
func (t *Type) Row(r Resource) filter.Row {
	return func(name string) []any {
		p, ok := t.find(name)
		if !ok {
			return nil
		}
		v := t.get(r, p)
		list, is := v.([]any)
		if !is {
			list = []any{v}
		}
		var out []any
		for _, v := range list {
			if v := p.valued(v); v != nil {
				out = append(out, v)
			}
		}
		return out
	}
}

// valued makes a value one that filters compare.
func (a *Attribute) valued(v any) any {
	switch v := v.(type) {
	case map[string]any:
		return a.row(v)
	case string:
		if a.Type == "dateTime" {
			at, err := model.ParseInstant(v)
			if err != nil {
				return nil
			}
			return at
		}
	}
	return v
}

func (a *Attribute) row(v map[string]any) filter.Row {
	return func(name string) []any {
		part, ok := a.part(name)
		if !ok || v[part.Name] == nil {
			return nil
		}
		return []any{part.valued(v[part.Name])}
	}
}

// Filter reads a filter over resources of the kind.
func (t *Type) Filter(text string) (*filter.Filter, error) {
	t.once.Do(t.prepare)
	f, err := t.filter.Ask(text)
	if err != nil {
		return nil, Bad("invalidFilter", "filter: %s", err)
	}
	return f, nil
}

// Sorter gives a comparison of resources by an attribute: values as filters order them, the first or primary of
// several; who has none comes last, or first if the order is descending (RFC 7644 §3.4.2.3).
func (t *Type) Sorter(by string, descending bool) (func(a, b Resource) int, error) {
	t.once.Do(t.prepare)
	path, err := t.filter.ParsePath(by)
	if err != nil || path.Filtered() {
		return nil, Bad("invalidPath", "sortBy: expected the name of an attribute, not %q", by)
	}
	p, _ := t.find(path.Attribute)
	leaf := p.Attribute
	name := path.Part
	if leaf.Parts != nil && name == "" {
		name = "value"
	}
	if name != "" {
		leaf, _ = leaf.part(name)
		if leaf == nil {
			return nil, Bad("invalidPath", "sortBy: %s has parts; name one of them", p.Name)
		}
	}
	key := func(r Resource) string {
		v := t.get(r, p)
		if list, is := v.([]any); is {
			v = list[0]
			for _, e := range list {
				if m, is := e.(map[string]any); is && m["primary"] == true {
					v = e
				}
			}
		}
		if m, is := v.(map[string]any); is {
			v = m[name]
		}
		if v == nil {
			return ""
		}
		if s := fmt.Sprint(v); leaf.Exact {
			return s
		} else {
			return filter.Fold(s)
		}
	}
	return func(a, b Resource) int {
		x, y := key(a), key(b)
		c := strings.Compare(x, y)
		if (x == "") != (y == "") {
			c = -c
		}
		if descending {
			return -c
		}
		return c
	}, nil
}

// Choice says which attributes are to be answered with (RFC 7644 §3.9).
type Choice struct {
	Only    []string
	Without []string
}

// Wants tells whether an attribute can be in the answer at all, so that it need not be computed otherwise.
func (c Choice) Wants(name string) bool {
	about := func(n string) bool {
		n = n[strings.LastIndex(n, ":")+1:]
		n, _, _ = strings.Cut(n, ".")
		return strings.EqualFold(n, name)
	}
	if len(c.Only) > 0 {
		return slices.ContainsFunc(c.Only, about)
	}
	return !slices.ContainsFunc(
		c.Without,
		func(n string) bool { return about(n) && !strings.Contains(n[strings.LastIndex(n, ":")+1:], ".") },
	)
}

// Choose gives those attributes of a resource that are to be answered with.
func (t *Type) Choose(r Resource, c Choice) Resource {
	if len(c.Only) == 0 && len(c.Without) == 0 {
		return r
	}
	out := Resource{"schemas": r["schemas"], "id": r["id"]}
	if len(c.Only) > 0 {
		for _, name := range c.Only {
			t.pick(r, name, func(p place, part *Attribute, v any) {
				if part == nil {
					t.set(out, p, v)
					return
				}
				t.set(out, p, merged(t.get(out, p), only(v, part.Name)))
			})
		}
		return out
	}
	maps.Copy(out, clone(map[string]any(r)).(map[string]any))
	for _, name := range c.Without {
		t.pick(out, name, func(p place, part *Attribute, v any) {
			switch {
			case p.Returned == "always":
			case part == nil:
				t.set(out, p, nil)
			default:
				for _, e := range each(v) {
					delete(e, part.Name)
				}
			}
		})
	}
	return out
}

// pick hands over each attribute that has a value and that a name is about: one, a part of one, or all of a schema.
func (t *Type) pick(r Resource, name string, do func(p place, part *Attribute, v any)) {
	if t.extended != nil && strings.EqualFold(name, t.Extension()) {
		for i := range t.extended.Attributes {
			p := place{&t.extended.Attributes[i], true}
			if v := t.get(r, p); v != nil {
				do(p, nil, v)
			}
		}
		return
	}
	main, sub := name, ""
	if p, ok := t.find(name); !ok || p.Attribute == nil {
		if i := strings.LastIndex(name, "."); i > strings.LastIndex(name, ":") {
			main, sub = name[:i], name[i+1:]
		}
	}
	p, ok := t.find(main)
	if !ok {
		return
	}
	v := t.get(r, p)
	if v == nil {
		return
	}
	if sub == "" {
		do(p, nil, v)
	} else if part, has := p.part(sub); has {
		do(p, part, v)
	}
}

// each gives the objects that a value is or lists.
func each(v any) (out []map[string]any) {
	switch v := v.(type) {
	case map[string]any:
		return []map[string]any{v}
	case []any:
		for _, e := range v {
			if m, is := e.(map[string]any); is {
				out = append(out, m)
			}
		}
	}
	return out
}

// only gives a value with one part alone.
func only(v any, part string) any {
	cut := func(m map[string]any) map[string]any {
		if m[part] == nil {
			return map[string]any{}
		}
		return map[string]any{part: m[part]}
	}
	if m, is := v.(map[string]any); is {
		return cut(m)
	}
	out := []any{}
	for _, m := range each(v) {
		out = append(out, cut(m))
	}
	return out
}

// merged joins the parts of two values of the same shape.
func merged(a, b any) any {
	if a == nil {
		return b
	}
	x, y := each(a), each(b)
	for i := range x {
		maps.Copy(x[i], y[i])
	}
	return a
}

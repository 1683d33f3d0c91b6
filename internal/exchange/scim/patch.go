package scim

import (
	"encoding/json"
	"maps"
	"reflect"
	"slices"
	"strings"

	"fachwerk/internal/core/filter"
)

// patching is one operation of a PATCH.
type patching struct {
	Op    string `json:"op"`
	Path  string `json:"path"`
	Value any    `json:"value"`
	given bool   // a value, be it null
}

// UnmarshalJSON reads an operation, and whether it has a value.
func (o *patching) UnmarshalJSON(data []byte) error {
	type plain patching
	var names map[string]json.RawMessage
	if err := json.Unmarshal(data, (*plain)(o)); err != nil {
		return err
	}
	if err := json.Unmarshal(data, &names); err != nil {
		return err
	}
	for name := range names {
		o.given = o.given || strings.EqualFold(name, "value")
	}
	return nil
}

// Patch gives what a PATCH (RFC 7644 §3.5.2) makes of a resource, which stays as it is.
func (t *Type) Patch(r Resource, data []byte) (Resource, error) {
	var in struct {
		Schemas    []string   `json:"schemas"`
		Operations []patching `json:"Operations"`
	}
	if err := decode(data, &in); err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(in.Schemas, func(s string) bool { return strings.EqualFold(s, PatchSchema) }) {
		return nil, Bad("invalidValue", "schemas: expected %q", PatchSchema)
	}
	if len(in.Operations) == 0 {
		return nil, Bad("invalidValue", "Operations: expected at least one operation")
	}
	t.once.Do(t.prepare)
	out := Resource(clone(map[string]any(r)).(map[string]any))
	for _, o := range in.Operations {
		if err := t.patch(out, o); err != nil {
			return nil, err
		}
	}
	return out, t.complete(out)
}

func (t *Type) patch(r Resource, o patching) error {
	op := strings.ToLower(o.Op)
	if op != "add" && op != "replace" && op != "remove" {
		return Bad("invalidSyntax", "op: expected add, replace or remove, not %q", o.Op)
	}
	if op != "remove" && !o.given { // §3.5.2.1 and §3.5.2.3
		return Bad("invalidValue", "value: is missing, and an %s needs one", op)
	}
	path := strings.TrimSpace(o.Path)
	whole := t.extended != nil && strings.EqualFold(strings.TrimSuffix(path, ":"), t.Extension())
	switch {
	case path == "" && op == "remove":
		return Bad("noTarget", "path: a remove must name what to remove")
	case whole && op == "remove":
		delete(r, t.Extension())
		return nil
	case path == "" || whole:
		in, is := o.Value.(map[string]any)
		if !is {
			return Bad(
				"invalidValue",
				"value: without a path, expected an object of attributes, not %s",
				shown(o.Value),
			)
		}
		return t.patchEach(r, op, in, whole)
	}
	p, err := t.filter.ParsePath(path)
	if err != nil {
		return Bad("invalidPath", "path: %s", err)
	}
	at, _ := t.find(p.Attribute)
	leaf := at.Attribute
	if p.Part != "" {
		if leaf, _ = at.part(p.Part); leaf == nil {
			return Bad("invalidPath", "path: %s has no part %q", at.Name, p.Part)
		}
	}
	if at.Mutability == "readOnly" || leaf.Mutability == "readOnly" {
		return Bad("mutability", "%s is not the directory's to set", path)
	}
	if p.Part != "" && leaf.Mutability == "immutable" && op != "add" {
		return Bad("mutability", "%s stays what it is: take the whole value out and add another", path)
	}
	if op == "remove" && leaf.Required {
		return Bad("mutability", "%s is required and cannot be removed", path)
	}
	return t.alter(r, op, p, at, o.Value)
}

// patchEach adds or replaces each of the attributes in an object. What no schema has, and what is not the
// directory's to set, is passed over.
func (t *Type) patchEach(r Resource, op string, in map[string]any, extended bool) error {
	for _, name := range slices.Sorted(maps.Keys(in)) {
		v := in[name]
		if inner, is := v.(map[string]any); is && t.extended != nil && strings.EqualFold(name, t.Extension()) {
			if err := t.patchEach(r, op, inner, true); err != nil {
				return err
			}
			continue
		}
		if extended && !strings.HasPrefix(strings.ToLower(name), "urn:") {
			name = t.Extension() + ":" + name
		}
		p, err := t.filter.ParsePath(name)
		if err != nil || p.Filtered() {
			continue
		}
		at, _ := t.find(p.Attribute)
		leaf := at.Attribute
		if p.Part != "" {
			leaf, _ = at.part(p.Part)
		}
		if leaf == nil || at.Mutability == "readOnly" || leaf.Mutability == "readOnly" ||
			strings.EqualFold(at.Name, "schemas") {
			continue
		}
		if err := t.alter(r, op, p, at, v); err != nil {
			return err
		}
	}
	return nil
}

// alter carries out an operation on one attribute.
func (t *Type) alter(r Resource, op string, p filter.Path, at place, value any) error {
	now := t.get(r, at)
	if value == nil && op != "remove" && !p.Filtered() {
		op = "remove" // null takes the value away (RFC 7643 §2.5)
		if at.Required && p.Part == "" {
			return Bad("mutability", "%s is required and cannot be removed", at.Name)
		}
	}
	switch {
	case at.Multi:
		list, _ := now.([]any)
		after, err := t.alterList(op, p, at.Attribute, list, value)
		if err == nil {
			t.set(r, at, after)
		}
		return err
	case p.Filtered():
		return Bad("invalidPath", "path: %s has one value only, so no bracket can choose among them", at.Name)
	case op == "remove" && p.Part == "":
		t.set(r, at, nil)
		return nil
	case at.Parts == nil:
		v, err := at.read(at.Name, value)
		if err == nil {
			t.set(r, at, v)
		}
		return err
	}
	parts, _ := now.(map[string]any)
	if parts == nil || p.Part == "" && at.empty(value) {
		parts = map[string]any{}
	}
	if err := at.alterParts(op, p.Part, parts, value); err != nil {
		return err
	}
	if len(parts) == 0 {
		t.set(r, at, nil)
	} else {
		t.set(r, at, parts)
	}
	return nil
}

// empty tells whether a value refers to nothing, by which directories take a reference away.
func (a *Attribute) empty(value any) bool {
	if _, refers := a.part("value"); !refers {
		return false
	}
	if m, is := value.(map[string]any); is {
		for name, v := range m {
			if strings.EqualFold(name, "value") {
				return v == nil || v == ""
			}
		}
		return false
	}
	return value == ""
}

// alterParts changes a value that has parts: one part, or those that are named.
func (a *Attribute) alterParts(op, part string, parts map[string]any, value any) error {
	if part != "" {
		leaf, _ := a.part(part)
		delete(parts, leaf.Name)
		if op == "remove" {
			return nil
		}
		v, err := leaf.one(a.Name+"."+leaf.Name, value)
		if v != nil {
			parts[leaf.Name] = v
		}
		return err
	}
	v, err := a.one(a.Name, value)
	if err != nil {
		return err
	}
	in, _ := value.(map[string]any)
	for name, e := range in { // a part that is null goes
		if leaf, known := a.part(name); known && e == nil {
			delete(parts, leaf.Name)
		}
	}
	if m, is := v.(map[string]any); is {
		maps.Copy(parts, m)
	}
	return nil
}

// alterList changes an attribute that has several values.
func (t *Type) alterList(op string, p filter.Path, a *Attribute, list []any, value any) ([]any, error) {
	about := func(v any) bool {
		m, is := v.(map[string]any)
		return is && p.Matches(a.row(m))
	}
	touched := map[int]bool{}
	switch {
	case p.Part != "" || p.Filtered() && op != "remove":
		for i, v := range list {
			if !about(v) {
				continue
			}
			touched[i] = true
			m := v.(map[string]any)
			if op == "replace" && p.Part == "" {
				clear(m)
			}
			if err := a.alterParts(op, p.Part, m, value); err != nil {
				return nil, err
			}
		}
		if len(touched) == 0 {
			made, ok := p.Equal()
			if op != "add" || !ok {
				return nil, Bad("noTarget", "path: no value of %s is meant by it", a.Name)
			}
			if err := a.alterParts(op, p.Part, made, value); err != nil {
				return nil, err
			}
			touched[len(list)] = true
			list = append(list, made)
		}
		list = slices.DeleteFunc(list, func(v any) bool { m, is := v.(map[string]any); return is && len(m) == 0 })
	case op == "remove":
		return a.remove(p, list, value, about)
	default:
		read, err := a.read(a.Name, value)
		if err != nil {
			return nil, err
		}
		more, _ := read.([]any)
		if op == "replace" {
			return more, nil
		}
		for _, v := range more {
			if i := slices.IndexFunc(list, func(o any) bool { return same(o, v) }); i >= 0 {
				list[i] = merged(list[i], v)
				touched[i] = true
				continue
			}
			touched[len(list)] = true
			list = append(list, v)
		}
	}
	return onePrimary(list, touched), nil
}

// same tells whether two values of a list stand for one: they are equal, or name the same under the same type.
func same(a, b any) bool {
	x, is := a.(map[string]any)
	y, are := b.(map[string]any)
	if !is || !are {
		return reflect.DeepEqual(a, b)
	}
	if x["value"] == nil || y["value"] == nil {
		return reflect.DeepEqual(a, b)
	}
	return x["value"] == y["value"] && (x["type"] == y["type"] || x["type"] == nil || y["type"] == nil)
}

// remove takes values out of a list: those that a filter matches; those that are given as the value, as some
// directories do; or all.
func (a *Attribute) remove(p filter.Path, list []any, value any, about func(any) bool) ([]any, error) {
	if p.Filtered() {
		before := len(list)
		list = slices.DeleteFunc(list, about)
		if len(list) == before && a.Name != "members" { // who is not in a group is out of it
			return nil, Bad("noTarget", "path: no value of %s is meant by it", a.Name)
		}
		return list, nil
	}
	if value == nil {
		return nil, nil
	}
	read, err := a.read(a.Name, value)
	if err != nil {
		return nil, err
	}
	gone, _ := read.([]any)
	return slices.DeleteFunc(
		list,
		func(v any) bool { return slices.ContainsFunc(gone, func(g any) bool { return same(v, g) }) },
	), nil
}

// onePrimary keeps one value primary: when a touched one is, the others no longer are (RFC 7644 §3.5.2).
func onePrimary(list []any, touched map[int]bool) []any {
	newest := -1
	for i, v := range list {
		if m, is := v.(map[string]any); is && m["primary"] == true && touched[i] {
			newest = i
		}
	}
	for i, v := range list {
		if m, is := v.(map[string]any); is && newest >= 0 && i != newest && m["primary"] == true {
			delete(m, "primary")
		}
	}
	return list
}

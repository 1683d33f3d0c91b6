package model

import (
	"reflect"
	"slices"
	"strings"
	"time"
)

// Field is one field of a kind of object, or of a part of one. What it is follows from the tags of the struct:
//
//   - json: its name in the model file, and in everything that is told of it; one that is never left out is
//     required;
//   - ref: the kind of object, or "permission", that it names, by id or key;
//   - names: what an object does with what the field names, as "lists them";
//   - only: nothing else can be named instead of what is deleted;
//   - gone: what becomes of the object if what the field names is deleted and nothing else is named instead (see
//     [Gone]);
//   - said: the field in words, if these are not its name;
//   - means: in words, what it means if it is left out;
//   - joins, leaves: how a sentence tells that something comes into a list or goes; "|" stands for what it is;
//   - fed: a directory says what it holds, of what it keeps.
type Field struct {
	Name     string
	Ref      Kind
	Names    string
	Only     bool
	Gone     Gone
	Said     string
	Means    string
	Joins    string
	Leaves   string
	Fed      bool
	Required bool

	index int
	parts *layout // of a struct, or of the structs in a list
}

// Gone tells what becomes of an object when something that it names is deleted.
type Gone string

const (
	GoneOut  Gone = "out"     // the mention goes, the rest stays
	GoneUp   Gone = "up"      // the mention moves to what the deleted object lies in or reports to
	GoneAway Gone = "deleted" // the object has no sense without it, and is deleted too
)

// layout is the fields of a struct.
type layout struct {
	fields []Field
	refs   map[Kind]bool // what is named in it, at any depth
}

var layouts = map[reflect.Type]*layout{}

func init() {
	for _, k := range descriptions {
		layoutOf(reflect.TypeOf(k.fresh()).Elem())
	}
}

// layoutOf describes a struct; nil for what is told as one value.
func layoutOf(t reflect.Type) *layout {
	if t.Kind() != reflect.Struct || t == reflect.TypeFor[time.Time]() {
		return nil
	}
	if l := layouts[t]; l != nil {
		return l
	}
	l := &layout{refs: map[Kind]bool{}}
	layouts[t] = l
	for i := range t.NumField() {
		f := t.Field(i)
		name, options, _ := strings.Cut(f.Tag.Get("json"), ",")
		field := Field{
			Name:  name,
			Ref:   Kind(f.Tag.Get("ref")),
			Names: f.Tag.Get("names"),
			Only:  f.Tag.Get("only") != "",
			Gone:  GoneOut,
			Said:  f.Tag.Get("said"),
			Means: f.Tag.Get("means"),
			Joins: f.Tag.Get(
				"joins",
			),
			Leaves:   f.Tag.Get("leaves"),
			Fed:      f.Tag.Get("fed") != "",
			Required: options == "",
			index:    i,
		}
		if gone := f.Tag.Get("gone"); gone != "" {
			field.Gone = Gone(gone)
		}
		if field.Said == "" {
			field.Said = name
		}
		within := f.Type
		for within.Kind() == reflect.Slice || within.Kind() == reflect.Pointer {
			within = within.Elem()
		}
		if field.parts = layoutOf(within); field.parts != nil {
			for k := range field.parts.refs {
				l.refs[k] = true
			}
		}
		if field.Ref != "" {
			l.refs[field.Ref] = true
		}
		l.fields = append(l.fields, field)
	}
	return l
}

// Fields describes a kind: its fields, in the order of the model file.
func Fields(kind Kind) []Field {
	k, ok := describe(kind)
	if !ok {
		return nil
	}
	return layouts[reflect.TypeOf(k.fresh()).Elem()].fields
}

// FieldsIn describes the fields of a struct that is an object of a kind, or a part of one; nothing of what is told
// as one value.
func FieldsIn(t reflect.Type) []Field {
	if l := layouts[t]; l != nil {
		return l.fields
	}
	return nil
}

// In gives the field's value in a struct that has it.
func (f *Field) In(v reflect.Value) reflect.Value { return v.Field(f.index) }

// FieldOf describes one field of a kind; of one that it does not have, only the name is told.
func FieldOf(kind Kind, name string) Field {
	for _, f := range Fields(kind) {
		if f.Name == name {
			return f
		}
	}
	return Field{Name: name, Said: name, Gone: GoneOut}
}

// Parts describes what a field is made of, if it holds a struct, or a list of them.
func (f Field) Parts() []Field {
	if f.parts == nil {
		return nil
	}
	return f.parts.fields
}

// list gives a field's value if it is a list of texts.
func (f Field) list(o Object) []string {
	list, _ := reflect.ValueOf(o).Elem().Field(f.index).Interface().([]string)
	return list
}

// Lists gives, of a field that is a list of texts, what it holds in two objects of its kind; nothing for one that
// is nil.
func (f Field) Lists(a, b Object) (inA, inB []string) {
	if a != nil {
		inA = f.list(a)
	}
	if b != nil {
		inB = f.list(b)
	}
	return inA, inB
}

// WithList gives an object like another, but for what this field, a list of texts, holds. It shares all else with it.
func (f Field) WithList(o Object, list []string) Object {
	out := reflect.New(reflect.TypeOf(o).Elem())
	out.Elem().Set(reflect.ValueOf(o).Elem())
	out.Elem().Field(f.index).Set(reflect.ValueOf(list))
	return out.Interface().(Object)
}

func valueOf(o Object) (reflect.Value, *layout) {
	v := reflect.ValueOf(o).Elem()
	return v, layouts[v.Type()]
}

// Same tells whether two objects, either of which may be nil, say the same: whether the model file would have the
// same of them.
func Same(a, b Object) bool {
	if a == nil || b == nil || a == b {
		return a == b
	}
	v, l := valueOf(a)
	w, m := valueOf(b)
	return l == m && sameFields(v, w, l)
}

func sameFields(v, w reflect.Value, l *layout) bool {
	for _, f := range l.fields {
		if !same(v.Field(f.index), w.Field(f.index)) {
			return false
		}
	}
	return true
}

type zeroer interface{ IsZero() bool }

func same(v, w reflect.Value) bool {
	switch v.Kind() {
	case reflect.String, reflect.Int, reflect.Bool, reflect.Float64:
		if v.Equal(w) {
			return true
		}
		a, ok := v.Interface().(zeroer) // a default is the same as nothing
		return ok && a.IsZero() && w.Interface().(zeroer).IsZero()
	case reflect.Pointer:
		if v.IsNil() || w.IsNil() {
			return v.IsNil() && w.IsNil()
		}
		return v.Pointer() == w.Pointer() || same(v.Elem(), w.Elem())
	case reflect.Slice:
		if v.Len() != w.Len() {
			return false
		}
		if list, is := v.Interface().([]string); is {
			return slices.Equal(list, w.Interface().([]string))
		}
		for i := range v.Len() {
			if !same(v.Index(i), w.Index(i)) {
				return false
			}
		}
		return true
	case reflect.Map:
		if v.Len() != w.Len() {
			return false
		}
		for i := v.MapRange(); i.Next(); {
			if other := w.MapIndex(i.Key()); !other.IsValid() || !same(i.Value(), other) {
				return false
			}
		}
		return true
	}
	if at, is := v.Interface().(time.Time); is {
		return at.Equal(w.Interface().(time.Time))
	}
	return sameFields(v, w, layouts[v.Type()])
}

// visitor is shown what is in an object; what is empty or zero is passed over.
type visitor struct {
	instant func(t time.Time)
	text    func(field, text string)
	list    func(field string, length int)
	path    []byte // the place in the object that is being shown
}

// each goes through all instants, texts and lists in an object.
func (v *visitor) each(o reflect.Value, field string) {
	within := func(s step, o reflect.Value, field string) {
		n := len(v.path)
		v.path = s.append(v.path)
		v.each(o, field)
		v.path = v.path[:n]
	}
	switch o.Kind() {
	case reflect.String:
		if o.Len() > 0 {
			v.text(field, o.String())
		}
	case reflect.Pointer:
		if !o.IsNil() {
			v.each(o.Elem(), field)
		}
	case reflect.Slice:
		v.list(field, o.Len())
		for i := range o.Len() {
			within(step{element: i}, o.Index(i), field)
		}
	case reflect.Map:
		v.list(field, o.Len())
		for i := o.MapRange(); i.Next(); {
			within(step{field: i.Key().String()}, i.Value(), field)
		}
	case reflect.Struct:
		if o.Type() == reflect.TypeFor[time.Time]() {
			if !o.IsZero() {
				v.instant(o.Interface().(time.Time))
			}
			return
		}
		l := layouts[o.Type()]
		for i := range l.fields {
			within(step{field: l.fields[i].Name}, o.Field(l.fields[i].index), l.fields[i].Name)
		}
	}
}

// Clone is a copy of an object that may be altered before it becomes part of a design.
func Clone[T Object](o T) T {
	v := reflect.ValueOf(o)
	out := reflect.New(v.Type().Elem())
	out.Elem().Set(copied(v.Elem()))
	c := out.Interface().(T)
	c.normalise()
	return c
}

func copied(v reflect.Value) reflect.Value {
	out := reflect.New(v.Type()).Elem()
	out.Set(v)
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			out.Set(reflect.New(v.Type().Elem()))
			out.Elem().Set(copied(v.Elem()))
		}
	case reflect.Slice:
		if !v.IsNil() {
			out.Set(reflect.MakeSlice(v.Type(), v.Len(), v.Len()))
			if v.Type().Elem().Kind() == reflect.String {
				reflect.Copy(out, v)
				break
			}
			for i := range v.Len() {
				out.Index(i).Set(copied(v.Index(i)))
			}
		}
	case reflect.Map:
		if !v.IsNil() {
			out.Set(reflect.MakeMapWithSize(v.Type(), v.Len()))
			for i := v.MapRange(); i.Next(); {
				out.SetMapIndex(i.Key(), i.Value())
			}
		}
	case reflect.Struct:
		if l := layouts[v.Type()]; l != nil {
			for _, f := range l.fields {
				out.Field(f.index).Set(copied(v.Field(f.index)))
			}
		}
	}
	return out
}

// SetIdent gives a new object its id.
func SetIdent(o Object, id string) {
	if f := reflect.ValueOf(o).Elem().FieldByName("ID"); f.IsValid() {
		f.SetString(id)
	}
}

package model

import (
	"reflect"
	"slices"
)

// Reference is a mention of one object in another.
type Reference struct {
	From  Object
	Field string
}

// References gives everything in a design that mentions the object of a kind with an id, by kind and id of what
// mentions it.
func (d *Design) References(kind Kind, id string) (out []Reference) {
	for _, k := range tables {
		if !layouts[reflect.TypeOf(k.fresh()).Elem()].refs[kind] {
			continue
		}
		k.table(d).each(func(o Object) {
			if o.Kind() == kind && o.Ident() == id {
				return
			}
			for _, field := range Mentions(o, kind, id) {
				out = append(out, Reference{o, field})
			}
		})
	}
	return out
}

// Mentions gives the fields in which an object mentions the object of a kind with an id, or a permission with a
// key, each once.
func Mentions(o Object, kind Kind, id string) (fields []string) {
	v, l := valueOf(o)
	if id == "" || !l.refs[kind] {
		return nil
	}
	for i := range l.fields {
		f := &l.fields[i]
		if f.Ref != kind && f.parts == nil {
			continue // as most; there can be very many objects
		}
		if f.names(v.Field(f.index), kind, id) {
			fields = append(fields, f.Name)
		}
	}
	return fields
}

// names tells whether a field's value names an object.
func (f *Field) names(v reflect.Value, kind Kind, id string) bool {
	switch v.Kind() {
	case reflect.String:
		return f.Ref == kind && v.String() == id
	case reflect.Map:
		return f.Ref == kind && v.MapIndex(reflect.ValueOf(id)).IsValid()
	case reflect.Pointer:
		return !v.IsNil() && f.names(v.Elem(), kind, id)
	case reflect.Struct:
		if f.parts == nil || !f.parts.refs[kind] {
			return false
		}
		return slices.ContainsFunc(f.parts.fields, func(p Field) bool { return p.names(v.Field(p.index), kind, id) })
	case reflect.Slice:
		if f.Ref == kind && v.Type().Elem().Kind() == reflect.String {
			return slices.Contains(v.Interface().([]string), id)
		}
		if f.parts == nil || !f.parts.refs[kind] {
			return false
		}
		for i := range v.Len() {
			if f.names(v.Index(i), kind, id) {
				return true
			}
		}
	}
	return false
}

// Rename makes a field of an object that mentions one object mention another of its kind, or nothing if to is
// empty: what stands in a list or beside something else then goes out of it. The object is altered.
func Rename(o Object, field string, kind Kind, id, to string) {
	v, l := valueOf(o)
	for i := range l.fields {
		if f := &l.fields[i]; f.Name == field {
			f.rename(v.Field(f.index), kind, id, to)
		}
	}
	if u, is := o.(*User); is && u.Manager == u.ID {
		u.Manager = "" // nobody reports to themselves
	}
}

// rename tells whether the value named the object and now names nothing.
func (f *Field) rename(v reflect.Value, kind Kind, id, to string) (emptied bool) {
	switch v.Kind() {
	case reflect.String:
		if f.Ref == kind && v.String() == id {
			v.SetString(to)
			return to == ""
		}
	case reflect.Map:
		if f.Ref == kind {
			v.SetMapIndex(reflect.ValueOf(id), reflect.Value{}) // what was said of one says nothing of another
		}
	case reflect.Pointer:
		if !v.IsNil() && f.rename(v.Elem(), kind, id, to) {
			v.SetZero()
		}
	case reflect.Struct:
		if f.parts == nil {
			return false
		}
		for i := range f.parts.fields {
			p := &f.parts.fields[i]
			emptied = p.rename(v.Field(p.index), kind, id, to) || emptied
		}
		return emptied
	case reflect.Slice:
		f.renameIn(v, kind, id, to)
	}
	return false
}

// renameIn renames in a list: what names nothing any longer goes out, and what is there twice becomes one.
func (f *Field) renameIn(v reflect.Value, kind Kind, id, to string) {
	if !f.names(v, kind, id) {
		return
	}
	if f.Ref == kind && v.Type().Elem().Kind() == reflect.String {
		list := slices.DeleteFunc(slices.Clone(v.Interface().([]string)), func(s string) bool { return s == id })
		if to != "" && !slices.Contains(list, to) {
			list = append(list, to)
			slices.Sort(list)
		}
		v.Set(reflect.ValueOf(list))
		return
	}
	out := reflect.MakeSlice(v.Type(), 0, v.Len())
	for i := range v.Len() {
		e := v.Index(i)
		if e.Kind() == reflect.Pointer { // such a part can do without
			f.rename(e.Elem(), kind, id, to)
		} else if f.rename(e, kind, id, to) {
			continue
		}
		twice := false
		for j := range out.Len() {
			twice = twice || same(out.Index(j), e)
		}
		if !twice {
			out = reflect.Append(out, e)
		}
	}
	v.Set(out)
}

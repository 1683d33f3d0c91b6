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
	d.EachNaming(kind, func(o Object) {
		if o.Kind() == kind && o.Ident() == id {
			return
		}
		for _, field := range Mentions(o, kind, id) {
			out = append(out, Reference{o, field})
		}
	})
	return out
}

// EachNaming calls do with every object of a kind that can name objects of another, by kind and id.
func (d *Design) EachNaming(kind Kind, do func(o Object)) {
	for _, k := range tables {
		if layouts[reflect.TypeOf(k.fresh()).Elem()].refs[kind] {
			k.table(d).each(do)
		}
	}
}

// EachMention calls do with the ids, or keys, of a kind that an object names, and the fields in which it does; the same
// can come more than once.
func EachMention(o Object, kind Kind, do func(field, id string)) {
	v, l := valueOf(o)
	if !l.refs[kind] {
		return
	}
	for i := range l.fields {
		f := &l.fields[i]
		if f.Ref != kind && f.parts == nil {
			continue // as most; there can be very many objects
		}
		f.each(v.Field(f.index), kind, func(id string) { do(f.Name, id) })
	}
}

// Mentions gives the fields in which an object mentions the object of a kind with an id, or a permission with a
// key, each once.
func Mentions(o Object, kind Kind, id string) (fields []string) {
	if id == "" {
		return nil
	}
	EachMention(o, kind, func(field, named string) {
		if named == id && (len(fields) == 0 || fields[len(fields)-1] != field) {
			fields = append(fields, field)
		}
	})
	return fields
}

// each calls do with what a field's value names of a kind.
func (f *Field) each(v reflect.Value, kind Kind, do func(id string)) {
	switch v.Kind() {
	case reflect.String:
		if f.Ref == kind && v.Len() > 0 {
			do(v.String())
		}
	case reflect.Pointer:
		if !v.IsNil() {
			f.each(v.Elem(), kind, do)
		}
	case reflect.Struct:
		if f.parts == nil || !f.parts.refs[kind] {
			return
		}
		for i := range f.parts.fields {
			p := &f.parts.fields[i]
			p.each(v.Field(p.index), kind, do)
		}
	case reflect.Slice:
		if f.Ref == kind && v.Type().Elem().Kind() == reflect.String {
			for _, id := range v.Interface().([]string) {
				do(id)
			}
			return
		}
		if f.parts == nil || !f.parts.refs[kind] {
			return
		}
		for i := range v.Len() {
			f.each(v.Index(i), kind, do)
		}
	}
}

// Rename makes a field of an object that mentions some objects of a kind mention others in their place, or nothing
// where that is empty: what stands in a list or beside something else then goes out of it. The object is altered.
func Rename(o Object, field string, kind Kind, to map[string]string) {
	v, l := valueOf(o)
	for i := range l.fields {
		if f := &l.fields[i]; f.Name == field {
			f.rename(v.Field(f.index), kind, to)
		}
	}
	if u, is := o.(*User); is && u.Manager == u.ID {
		u.Manager = "" // nobody reports to themselves
	}
}

// rename tells whether the value named one of the objects and now names nothing.
func (f *Field) rename(v reflect.Value, kind Kind, to map[string]string) (emptied bool) {
	switch v.Kind() {
	case reflect.String:
		if f.Ref != kind {
			return false
		}
		if other, is := to[v.String()]; is {
			v.SetString(other)
			return other == ""
		}
	case reflect.Pointer:
		if !v.IsNil() && f.rename(v.Elem(), kind, to) {
			v.SetZero()
		}
	case reflect.Struct:
		if f.parts == nil {
			return false
		}
		for i := range f.parts.fields {
			p := &f.parts.fields[i]
			emptied = p.rename(v.Field(p.index), kind, to) || emptied
		}
		return emptied
	case reflect.Slice:
		f.renameIn(v, kind, to)
	}
	return false
}

// renameIn renames in a list: what names nothing any longer goes out, and what is there twice becomes one.
func (f *Field) renameIn(v reflect.Value, kind Kind, to map[string]string) {
	named := false
	f.each(v, kind, func(id string) {
		_, is := to[id]
		named = named || is
	})
	if !named {
		return
	}
	if f.Ref == kind && v.Type().Elem().Kind() == reflect.String {
		var list, others []string
		for _, id := range v.Interface().([]string) {
			if other, is := to[id]; !is {
				list = append(list, id)
			} else if other != "" {
				others = append(others, other)
			}
		}
		if len(others) > 0 {
			list = append(list, others...)
			slices.Sort(list)
			list = slices.Compact(list)
		}
		v.Set(reflect.ValueOf(list))
		return
	}
	out := reflect.MakeSlice(v.Type(), 0, v.Len())
	for i := range v.Len() {
		e := v.Index(i)
		if e.Kind() == reflect.Pointer { // such a part can do without
			f.rename(e.Elem(), kind, to)
		} else if f.rename(e, kind, to) {
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

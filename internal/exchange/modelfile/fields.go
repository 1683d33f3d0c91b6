package modelfile

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"time"

	"fachwerk/internal/core/model"
)

// read reads a struct, which is an object or a part of one, by its description: its fields, and which of them are
// required.
func (r *reader) read(v reflect.Value) error {
	form := r.formOf(v.Type())
	required := form.required
	if r.nameless {
		required = slices.DeleteFunc(slices.Clone(required), func(name string) bool { return name == "id" })
	}
	return r.object(func(name string) (bool, error) {
		i := slices.IndexFunc(form.fields, func(f model.Field) bool { return f.Name == name })
		if i < 0 {
			return false, nil
		}
		return true, r.field(&form.fields[i], form.fields[i].In(v))
	}, required...)
}

// form is what is known of a type of struct.
type form struct {
	fields   []model.Field
	required []string
}

func (r *reader) formOf(t reflect.Type) *form {
	if f := r.forms[t]; f != nil {
		return f
	}
	f := &form{fields: model.FieldsIn(t)}
	for i := range f.fields {
		if f.fields[i].Required {
			f.required = append(f.required, f.fields[i].Name)
		}
	}
	if r.forms == nil {
		r.forms = map[reflect.Type]*form{}
	}
	r.forms[t] = f
	return f
}

// field reads what a field holds.
func (r *reader) field(f *model.Field, v reflect.Value) error {
	switch to := v.Addr().Interface().(type) {
	case *time.Time:
		return r.instant(to)
	case *[]string:
		return r.texts(to)
	case *model.Unlisted:
		listed := true
		err := r.flag(&listed)
		*to = model.Unlisted(!listed)
		return err
	case *model.Lax:
		strict := true
		err := r.flag(&strict)
		*to = model.Lax(!strict)
		return err
	case *model.Limit:
		n := 1
		err := r.integer(&n)
		if n < 1 {
			r.say(fmt.Sprintf("expected a whole number of 1 or more, not %d", n))
		}
		*to = model.Limit(n)
		return err
	case *int:
		return r.integer(to)
	case *bool:
		return r.flag(to)
	case *float64:
		return r.number("a number", func(raw string) (err error) { *to, err = strconv.ParseFloat(raw, 64); return err })
	case *map[string]time.Time:
		*to = map[string]time.Time{}
		return r.object(func(name string) (bool, error) {
			var t time.Time
			err := r.instant(&t)
			(*to)[name] = t
			return true, err
		})
	}
	switch v.Kind() {
	case reflect.Struct:
		return r.read(v)
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		return r.field(f, v.Elem())
	case reflect.Slice:
		return r.list(func() error {
			e := reflect.New(v.Type().Elem()).Elem()
			err := r.field(f, e)
			v.Set(reflect.Append(v, e))
			return err
		})
	}
	s, err := r.text()
	// The empty text, which stands for a default or for nothing in memory, is not allowed in a file.
	if _, enumerated := v.Interface().(interface{ IsZero() bool }); err == nil && s != nil && *s == "" &&
		(enumerated || f.Ref != "") {
		r.say("expected a value, not an empty text")
	}
	if s != nil {
		v.SetString(*s)
	}
	return err
}

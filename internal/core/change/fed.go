package change

import (
	"reflect"
	"slices"

	"fachwerk/internal/core/model"
)

// Fed gives the fields by which an operation gainsays the directory that an object comes from. That mentions of
// what is no longer there go out does not, nor does taking the object over, so that it is kept by hand from then
// on.
func Fed(o Op, after *model.Design) (list []string) {
	if o.Before == nil || o.After == nil || source(o.Before) != model.Directory || source(o.After) != model.Directory {
		return nil
	}
	if u, is := o.After.(*model.User); is && u.State == model.UserDeleted {
		return nil // whoever is deleted reports to nobody
	}
	was, is := fields(o.Before), fields(o.After)
	for _, field := range model.Fields(o.Kind) {
		if !field.Fed {
			continue
		}
		f := field.Name
		before, now := was[f], is[f]
		switch f {
		case "users", "manager":
			before, now = staying(before, after, model.KindUser), staying(now, after, model.KindUser)
		case "groups":
			before, now = staying(before, after, model.KindGroup), staying(now, after, model.KindGroup)
		}
		if f == "manager" && before == nil {
			continue // whoever is named instead
		}
		if !reflect.DeepEqual(before, now) && !(empty(before) && empty(now)) {
			list = append(list, f)
		}
	}
	return list
}

func source(o model.Object) model.Source {
	switch o := o.(type) {
	case *model.User:
		return o.Source
	case *model.Group:
		return o.Source
	}
	return ""
}

func empty(v any) bool {
	list, is := v.([]any)
	return v == nil || is && len(list) == 0
}

// staying gives those mentions that name what is still there.
func staying(v any, d *model.Design, kind model.Kind) any {
	there := func(id any) bool {
		s, _ := id.(string)
		o := d.Get(kind, s)
		u, is := o.(*model.User)
		return o != nil && !(is && u.State == model.UserDeleted)
	}
	switch v := v.(type) {
	case string:
		if there(v) {
			return v
		}
		return nil
	case []any:
		return slices.DeleteFunc(slices.Clone(v), func(id any) bool { return !there(id) })
	}
	return v
}

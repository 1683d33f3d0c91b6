package model

import "slices"

// Reference is a mention of one object in another.
type Reference struct {
	From  Object
	Field string
}

// References gives everything in a design that mentions the object of a kind with an id, by kind and id of what mentions it.
func (d *Design) References(kind Kind, id string) (out []Reference) {
	d.All(func(o Object) {
		if o.Kind() == kind && o.Ident() == id {
			return
		}
		for _, field := range Mentions(o, kind, id) {
			out = append(out, Reference{o, field})
		}
	})
	return out
}

// Mentions gives the fields in which an object mentions the object of a kind with an id, each once.
func Mentions(o Object, kind Kind, id string) (fields []string) {
	if id == "" {
		return nil
	}
	one := func(name string, to Kind, mentioned string) {
		if to == kind && mentioned == id && !slices.Contains(fields, name) {
			fields = append(fields, name)
		}
	}
	list := func(name string, to Kind, ids []string) {
		if to == kind && slices.Contains(ids, id) && !slices.Contains(fields, name) {
			fields = append(fields, name)
		}
	}
	switch o := o.(type) {
	case *Licence:
		list("covers", KindLicence, o.Covers)
	case *Area:
		one("parent", KindArea, o.Parent)
	case *System:
		one("licence", KindLicence, o.Licence)
		for _, p := range o.Permissions {
			one("permissions", KindLicence, p.Licence)
		}
	case *Set:
		one("system", KindSystem, o.System)
		one("owner", KindUser, o.Owner)
		if o.CopyOf != nil {
			one("copyOf", KindSet, o.CopyOf.Set)
		}
	case *Role:
		one("owner", KindUser, o.Owner)
		list("sets", KindSet, o.Sets)
		list("inherits", KindRole, o.Inherits)
	case *Group:
		one("owner", KindUser, o.Owner)
		one("area", KindArea, o.Area)
		list("users", KindUser, o.Users)
		list("groups", KindGroup, o.Groups)
	case *User:
		one("area", KindArea, o.Area)
		one("manager", KindUser, o.Manager)
		list("licences", KindLicence, o.Licences)
		for system := range o.LastUse {
			one("lastUse", KindSystem, system)
		}
	case *Assignment:
		one("subject", KindUser, o.Subject.User)
		one("subject", KindGroup, o.Subject.Group)
		one("role", KindRole, o.Role)
		one("set", KindSet, o.Set)
		one("area", KindArea, o.Area)
	case *Conflict:
		for _, i := range o.Items {
			one("items", KindRole, i.Role)
		}
		for _, e := range o.Exceptions {
			one("exceptions", KindUser, e.User)
		}
	case *Delegation:
		one("delegate", KindUser, o.Delegate.User)
		one("delegate", KindGroup, o.Delegate.Group)
		one("people", KindGroup, o.People.Group)
		one("people", KindArea, o.People.Area)
		list("roles", KindRole, o.Roles)
		list("sets", KindSet, o.Sets)
		list("groups", KindGroup, o.Groups)
		one("area", KindArea, o.Area)
	}
	return fields
}

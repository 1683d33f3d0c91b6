package model

// Reference is a mention of one object in another.
type Reference struct {
	From  Object
	Field string
}

// References gives everything in a design that mentions the object of a kind with an id, by kind and id of what mentions it.
func (d *Design) References(kind Kind, id string) (out []Reference) {
	d.eachReference(func(from Object, field string, to Kind, ids ...string) {
		if to != kind || from.Kind() == kind && from.Ident() == id {
			return
		}
		for _, i := range ids {
			if i == id {
				out = append(out, Reference{from, field})
				return
			}
		}
	})
	return out
}

// eachReference calls do with the ids of a kind that each field of each object mentions; some may be empty.
func (d *Design) eachReference(do func(from Object, field string, to Kind, ids ...string)) {
	for _, o := range d.Licences {
		do(o, "covers", KindLicence, o.Covers...)
	}
	for _, o := range d.Areas {
		do(o, "parent", KindArea, o.Parent)
	}
	for _, o := range d.Systems {
		do(o, "licence", KindLicence, o.Licence)
		for _, p := range o.Permissions {
			do(o, "permissions", KindLicence, p.Licence)
		}
	}
	for _, o := range d.Sets {
		do(o, "system", KindSystem, o.System)
		do(o, "owner", KindUser, o.Owner)
		if o.CopyOf != nil {
			do(o, "copyOf", KindSet, o.CopyOf.Set)
		}
	}
	for _, o := range d.Roles {
		do(o, "owner", KindUser, o.Owner)
		do(o, "sets", KindSet, o.Sets...)
		do(o, "inherits", KindRole, o.Inherits...)
	}
	for _, o := range d.Groups {
		do(o, "owner", KindUser, o.Owner)
		do(o, "area", KindArea, o.Area)
		do(o, "users", KindUser, o.Users...)
		do(o, "groups", KindGroup, o.Groups...)
	}
	for _, o := range d.Users {
		do(o, "area", KindArea, o.Area)
		do(o, "manager", KindUser, o.Manager)
		do(o, "licences", KindLicence, o.Licences...)
		for system := range o.LastUse {
			do(o, "lastUse", KindSystem, system)
		}
	}
	for _, o := range d.Assignments {
		do(o, "subject", KindUser, o.Subject.User)
		do(o, "subject", KindGroup, o.Subject.Group)
		do(o, "role", KindRole, o.Role)
		do(o, "set", KindSet, o.Set)
		do(o, "area", KindArea, o.Area)
	}
	for _, o := range d.Conflicts {
		for _, i := range o.Items {
			do(o, "items", KindRole, i.Role)
		}
		for _, e := range o.Exceptions {
			do(o, "exceptions", KindUser, e.User)
		}
	}
	for _, o := range d.Delegations {
		do(o, "delegate", KindUser, o.Delegate.User)
		do(o, "delegate", KindGroup, o.Delegate.Group)
		do(o, "people", KindGroup, o.People.Group)
		do(o, "people", KindArea, o.People.Area)
		do(o, "roles", KindRole, o.Roles...)
		do(o, "sets", KindSet, o.Sets...)
		do(o, "groups", KindGroup, o.Groups...)
		do(o, "area", KindArea, o.Area)
	}
}

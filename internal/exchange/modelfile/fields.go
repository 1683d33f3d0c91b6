package modelfile

import (
	"fmt"
	"strconv"
	"time"

	"fachwerk/internal/core/model"
)

// The fields of each kind of object, as the format has them.

func (r *reader) read(o model.Object) error {
	switch o := o.(type) {
	case *model.Licence:
		return r.object(func(name string) (bool, error) {
			switch name {
			case "id":
				return text(r, &o.ID)
			case "name":
				return text(r, &o.Name)
			case "seats":
				o.Seats = new(int)
				return r.integer(o.Seats)
			case "covers":
				return r.texts(&o.Covers)
			}
			return false, nil
		}, "id", "name")
	case *model.Area:
		return r.object(func(name string) (bool, error) {
			switch name {
			case "id":
				return text(r, &o.ID)
			case "name":
				return text(r, &o.Name)
			case "kind":
				return text(r, &o.Type)
			case "parent":
				return value(r, &o.Parent)
			}
			return false, nil
		}, "id", "name")
	case *model.System:
		return r.system(o)
	case *model.Set:
		return r.set(o)
	case *model.Role:
		return r.role(o)
	case *model.Group:
		return r.group(o)
	case *model.User:
		return r.user(o)
	case *model.Assignment:
		return r.assignment(o)
	case *model.Conflict:
		return r.conflict(o)
	case *model.Delegation:
		return r.delegation(o)
	}
	return fmt.Errorf("modelfile: cannot read a %s", o.Kind())
}

func (r *reader) system(o *model.System) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "supplier":
			return text(r, &o.Supplier)
		case "version":
			return text(r, &o.Version)
		case "licence":
			return value(r, &o.Licence)
		case "permissions":
			return true, r.list(func() error {
				p := &model.Permission{}
				o.Permissions = append(o.Permissions, p)
				return r.permission(p)
			})
		}
		return false, nil
	}, "id", "name", "permissions")
}

func (r *reader) permission(p *model.Permission) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "key":
			return text(r, &p.Key)
		case "label":
			return text(r, &p.Label)
		case "description":
			return text(r, &p.Description)
		case "module":
			return text(r, &p.Module)
		case "class":
			return value(r, &p.Class)
		case "risk":
			return r.integer(&p.Risk)
		case "span":
			return value(r, &p.Span)
		case "implies":
			return r.texts(&p.Implies)
		case "licence":
			return value(r, &p.Licence)
		}
		return false, nil
	}, "key")
}

func (r *reader) set(o *model.Set) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "system":
			return value(r, &o.System)
		case "version":
			return text(r, &o.Version)
		case "copyOf":
			o.CopyOf = &model.CopyOf{}
			return true, r.object(func(name string) (bool, error) {
				switch name {
				case "set":
					return text(r, &o.CopyOf.Set)
				case "version":
					return text(r, &o.CopyOf.Version)
				}
				return false, nil
			}, "set")
		case "owner":
			return value(r, &o.Owner)
		case "state":
			return value(r, &o.State)
		case "permissions":
			return r.texts(&o.Permissions)
		}
		return false, nil
	}, "id", "name", "permissions")
}

func (r *reader) role(o *model.Role) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "owner":
			return value(r, &o.Owner)
		case "state":
			return value(r, &o.State)
		case "protected":
			return r.flag(&o.Protected)
		case "sets":
			return r.texts(&o.Sets)
		case "inherits":
			return r.texts(&o.Inherits)
		case "permissions":
			return r.texts(&o.Permissions)
		case "excludes":
			return r.texts(&o.Excludes)
		}
		return false, nil
	}, "id", "name")
}

func (r *reader) group(o *model.Group) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "owner":
			return value(r, &o.Owner)
		case "externalId":
			return text(r, &o.ExternalID)
		case "source":
			return value(r, &o.Source)
		case "area":
			return value(r, &o.Area)
		case "listed":
			listed := true
			known, err := r.flag(&listed)
			o.Unlisted = model.Unlisted(!listed)
			return known, err
		case "kind":
			return value(r, &o.Type)
		case "users":
			return r.texts(&o.Users)
		case "groups":
			return r.texts(&o.Groups)
		case "rule":
			return text(r, &o.Rule)
		}
		return false, nil
	}, "id", "name")
}

func (r *reader) user(o *model.User) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "userName":
			return text(r, &o.UserName)
		case "displayName":
			return text(r, &o.DisplayName)
		case "email":
			return text(r, &o.Email)
		case "title":
			return text(r, &o.JobTitle)
		case "department":
			return text(r, &o.Department)
		case "userType":
			return text(r, &o.UserType)
		case "externalId":
			return text(r, &o.ExternalID)
		case "area":
			return value(r, &o.Area)
		case "manager":
			return value(r, &o.Manager)
		case "licences":
			return r.texts(&o.Licences)
		case "qualifications":
			return true, r.list(func() error {
				var q model.Qualification
				err := r.object(func(name string) (bool, error) {
					switch name {
					case "type":
						return text(r, &q.Type)
					case "level":
						q.Level = new(float64)
						return r.number("a number", func(raw string) (err error) { *q.Level, err = strconv.ParseFloat(raw, 64); return err })
					case "until":
						return r.instant(&q.Until)
					}
					return false, nil
				}, "type")
				o.Qualifications = append(o.Qualifications, q)
				return err
			})
		case "state":
			return value(r, &o.State)
		case "from":
			return r.instant(&o.From)
		case "until":
			return r.instant(&o.Until)
		case "source":
			return value(r, &o.Source)
		case "lastUse":
			o.LastUse = map[string]time.Time{}
			return true, r.object(func(name string) (bool, error) {
				var t time.Time
				known, err := r.instant(&t)
				o.LastUse[name] = t
				return known, err
			})
		}
		return false, nil
	}, "id", "userName", "displayName")
}

func (r *reader) subject(to *model.Subject) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "user":
			return text(r, &to.User)
		case "group":
			return text(r, &to.Group)
		}
		return false, nil
	})
}

func (r *reader) assignment(o *model.Assignment) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "subject":
			return true, r.subject(&o.Subject)
		case "role":
			return value(r, &o.Role)
		case "set":
			return value(r, &o.Set)
		case "area":
			return value(r, &o.Area)
		case "reach":
			return value(r, &o.Reach)
		case "mode":
			return value(r, &o.Mode)
		case "from":
			return r.instant(&o.From)
		case "until":
			return r.instant(&o.Until)
		case "reason":
			return text(r, &o.Reason)
		case "contact":
			return r.flag(&o.Contact)
		}
		return false, nil
	}, "id", "subject")
}

func (r *reader) conflict(o *model.Conflict) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "description":
			return text(r, &o.Description)
		case "items":
			return true, r.list(func() error {
				var item model.Item
				err := r.object(func(name string) (bool, error) {
					switch name {
					case "permission":
						return text(r, &item.Permission)
					case "role":
						return text(r, &item.Role)
					}
					return false, nil
				})
				o.Items = append(o.Items, item)
				return err
			})
		case "limit":
			n := 1
			known, err := r.integer(&n)
			if n < 1 {
				r.say(fmt.Sprintf("expected a whole number of 1 or more, not %d", n))
			}
			o.Limit = model.Limit(n)
			return known, err
		case "where":
			return value(r, &o.Where)
		case "exceptions":
			return true, r.list(func() error {
				var e model.Exception
				err := r.object(func(name string) (bool, error) {
					switch name {
					case "user":
						return text(r, &e.User)
					case "until":
						return r.instant(&e.Until)
					case "reason":
						return text(r, &e.Reason)
					}
					return false, nil
				}, "user", "until", "reason")
				o.Exceptions = append(o.Exceptions, e)
				return err
			})
		}
		return false, nil
	}, "id", "name", "items")
}

func (r *reader) delegation(o *model.Delegation) error {
	return r.object(func(name string) (bool, error) {
		switch name {
		case "id":
			return text(r, &o.ID)
		case "name":
			return text(r, &o.Name)
		case "delegate":
			return true, r.subject(&o.Delegate)
		case "people":
			return true, r.object(func(name string) (bool, error) {
				switch name {
				case "group":
					return text(r, &o.People.Group)
				case "filter":
					return text(r, &o.People.Filter)
				case "area":
					return text(r, &o.People.Area)
				}
				return false, nil
			})
		case "actions":
			return r.texts(&o.Actions)
		case "roles":
			return r.texts(&o.Roles)
		case "sets":
			return r.texts(&o.Sets)
		case "groups":
			return r.texts(&o.Groups)
		case "groupsWhole":
			return r.flag(&o.GroupsWhole)
		case "area":
			return value(r, &o.Area)
		case "maxDays":
			o.MaxDays = new(int)
			return r.integer(o.MaxDays)
		case "from":
			return r.instant(&o.From)
		case "until":
			return r.instant(&o.Until)
		}
		return false, nil
	}, "id", "name", "delegate", "people", "actions")
}

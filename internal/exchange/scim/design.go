package scim

import (
	"cmp"
	"encoding/json"
	"slices"
	"strings"

	"fachwerk/internal/core/model"
)

// Extra is what a directory keeps of a person beyond what a design has.
type Extra struct {
	Derived bool     `json:"derived,omitempty"` // the name that is shown was made of the name's parts
	Rest    Resource `json:"rest,omitempty"`
}

// ReadExtra reads what [Extra.Bytes] wrote.
func ReadExtra(data []byte) (e Extra) {
	if len(data) > 0 && json.Unmarshal(data, &e) != nil {
		return Extra{}
	}
	return e
}

// Bytes writes the extra for the store; nothing if there is none.
func (e Extra) Bytes() []byte {
	if !e.Derived && len(e.Rest) == 0 {
		return nil
	}
	data, err := json.Marshal(e)
	if err != nil {
		panic(err) // it came as JSON
	}
	return data
}

// FromUser gives the resource that a user is. A whole one has what is made of other attributes, too; without that
// it can be changed and read back.
func FromUser(u *model.User, e Extra, whole bool) Resource {
	r := Resource{}
	for name, v := range e.Rest {
		r[name] = clone(v)
	}
	r["schemas"] = []any{CoreUser}
	r["id"], r["userName"], r["active"] = u.ID, u.UserName, u.State == model.UserActive
	put(r, "externalId", u.ExternalID)
	put(r, "title", u.JobTitle)
	put(r, "userType", u.UserType)
	if whole || !e.Derived {
		put(r, "displayName", u.DisplayName)
	}
	if name, _ := r["name"].(map[string]any); whole && name["formatted"] == nil {
		if name == nil {
			name = map[string]any{}
		}
		name["formatted"] = u.DisplayName
		r["name"] = name
	}
	if mailOf(r) != u.Email {
		delete(r, "emails")
		if u.Email != "" {
			r["emails"] = []any{map[string]any{"value": u.Email, "type": "work", "primary": true}}
		}
	}
	more, _ := r[Enterprise].(map[string]any)
	if more == nil {
		more = map[string]any{}
	}
	put(more, "department", u.Department)
	if u.Manager != "" {
		more["manager"] = map[string]any{"value": u.Manager}
	}
	if len(more) > 0 {
		r[Enterprise] = more
		r["schemas"] = []any{CoreUser, Enterprise}
	}
	return r
}

func put(to map[string]any, name, value string) {
	if value != "" {
		to[name] = value
	}
}

func textOf(r map[string]any, name string) string { s, _ := r[name].(string); return s }

// mailOf gives the address to use: the primary one, or the first.
func mailOf(r Resource) string {
	best := ""
	for _, m := range each(r["emails"]) {
		if v := textOf(m, "value"); v != "" && (best == "" || m["primary"] == true) {
			best = v
		}
	}
	return best
}

// nameOf makes a name to show of its parts.
func nameOf(r Resource) string {
	name, _ := r["name"].(map[string]any)
	var parts []string
	for _, p := range []string{"givenName", "middleName", "familyName"} {
		if s := textOf(name, p); s != "" {
			parts = append(parts, s)
		}
	}
	return cmp.Or(textOf(name, "formatted"), strings.Join(parts, " "), textOf(r, "nickName"), textOf(r, "userName"))
}

// ToUser gives the user that a resource makes of one, and what a directory keeps beyond that. What a design has and
// a directory has not, such as licences, stays. Accounts that a directory opens are active, those that it closes
// are deactivated; a lock that was set here stays, and so does an end.
func ToUser(r Resource, was *model.User) (*model.User, Extra) {
	u := *was
	u.Source = model.Directory
	u.UserName, u.ExternalID, u.JobTitle, u.UserType = textOf(
		r,
		"userName",
	), textOf(
		r,
		"externalId",
	), textOf(
		r,
		"title",
	), textOf(
		r,
		"userType",
	)
	u.Email = mailOf(r)
	more, _ := r[Enterprise].(map[string]any)
	u.Department = textOf(more, "department")
	manager, _ := more["manager"].(map[string]any)
	u.Manager = textOf(manager, "value")
	e := Extra{Rest: Resource{}}
	u.DisplayName = textOf(r, "displayName")
	if u.DisplayName == "" {
		u.DisplayName, e.Derived = nameOf(r), true
	}
	switch active, told := r["active"].(bool); {
	case told && !active:
		if u.State != model.UserDeleted {
			u.State = model.UserDeactivated
		}
	case told || was.ID == "":
		if u.State == model.UserDeactivated || u.State == model.UserInvited || u.State == "" {
			u.State = model.UserActive
		}
	}
	for _, a := range userSchema.Attributes {
		switch a.Name {
		case "userName", "displayName", "title", "userType", "active", "groups":
			continue
		}
		if v := r[a.Name]; v != nil {
			e.Rest[a.Name] = clone(v)
		}
	}
	rest := map[string]any{}
	for name, v := range more {
		if name != "department" && name != "manager" {
			rest[name] = clone(v)
		}
	}
	if len(rest) > 0 {
		e.Rest[Enterprise] = rest
	}
	return &u, e
}

// FromGroup gives the resource that a group is; those that it lists only if they are wanted.
func FromGroup(g *model.Group, members bool) Resource {
	r := Resource{"schemas": []any{CoreGroup}, "id": g.ID, "displayName": g.Name}
	put(r, "externalId", g.ExternalID)
	if !members {
		return r
	}
	var list []any
	for _, id := range g.Users {
		list = append(list, map[string]any{"value": id, "type": "User"})
	}
	for _, id := range g.Groups {
		list = append(list, map[string]any{"value": id, "type": "Group"})
	}
	if list != nil {
		r["members"] = list
	}
	return r
}

// ToGroup gives the group that a resource makes of one. A member without a type is looked up: known tells which
// kinds of thing have an id.
func ToGroup(r Resource, was *model.Group, known func(id string) (user, group bool)) (*model.Group, error) {
	g := *was
	g.Source = model.Directory
	g.Name, g.ExternalID = textOf(r, "displayName"), textOf(r, "externalId")
	if g.Type == model.Rule {
		if r["members"] != nil {
			return nil, Bad("mutability", "members: %q finds its members by a rule, so they cannot be set", was.Name)
		}
		return &g, nil
	}
	g.Users, g.Groups = nil, nil
	for i, m := range each(r["members"]) {
		id := textOf(m, "value")
		user, group := known(id)
		switch kind := textOf(m, "type"); {
		case group && strings.EqualFold(kind, "Group") || group && !user && kind == "":
			g.Groups = append(g.Groups, id)
		case user && (kind == "" || strings.EqualFold(kind, "User")):
			g.Users = append(g.Users, id)
		default:
			return nil, Bad(
				"invalidValue",
				"members[%d]: there is no %s %q",
				i,
				strings.ToLower(cmp.Or(kind, "user or group")),
				id,
			)
		}
	}
	slices.Sort(g.Users)
	slices.Sort(g.Groups)
	g.Users, g.Groups = slices.Compact(g.Users), slices.Compact(g.Groups)
	return &g, nil
}

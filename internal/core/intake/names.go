package intake

import (
	"slices"
	"strings"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/naming"
)

// names finds everything that rows can name.
type names struct {
	users, groups, roles, targets, areas, licences, systems, states *naming.Finder
}

func resolver(d *model.Design) *names {
	n := &names{
		naming.New("person"),
		naming.New("group"),
		naming.New("role"),
		naming.New("role or permission set"),
		naming.New("area"),
		naming.New("licence"),
		naming.New("system"),
		naming.New("state"),
	}
	for _, u := range d.Users {
		if u.State != model.UserDeleted {
			n.users.Add(u.ID, u.DisplayName, u.UserName, u.Email, u.ExternalID)
		}
	}
	for _, g := range d.Groups {
		n.groups.Add(g.ID, g.Name, g.ExternalID)
	}
	for _, r := range d.Roles {
		if r.State == model.Active {
			n.roles.Add(r.ID, r.Name)
		}
		n.targets.Add("role:"+r.ID, r.Name, r.ID)
	}
	for _, s := range d.Sets {
		n.targets.Add("set:"+s.ID, s.Name, s.ID)
	}
	for _, a := range d.Areas {
		n.areas.Add(a.ID, a.Name)
	}
	for _, l := range d.Licences {
		n.licences.Add(l.ID, l.Name)
	}
	for _, s := range d.Systems {
		n.systems.Add(s.ID, s.Name)
	}
	for _, s := range []model.UserState{model.UserInvited, model.UserActive, model.UserLocked, model.UserDeactivated} {
		n.states.Add(string(s), string(s))
	}
	for _, word := range []string{"yes", "enabled", "true", "current"} {
		n.states.Also(string(model.UserActive), word)
	}
	for _, word := range []string{"no", "inactive", "disabled", "false", "left", "terminated"} {
		n.states.Also(string(model.UserDeactivated), word)
	}
	return n
}

// split gives the values of a cell that can hold several.
func split(cell string) (out []string) {
	for one := range strings.FieldsFuncSeq(cell, func(r rune) bool { return r == ';' || r == '|' || r == '\n' }) {
		if one = strings.TrimSpace(one); one != "" {
			out = append(out, one)
		}
	}
	return out
}

// splitFor is split for a cell that names things, which may stand with commas between, if all of them are things.
func splitFor(cell string, in ...*naming.Finder) (out []string) {
	found := func(text string) bool {
		return slices.ContainsFunc(in, func(f *naming.Finder) bool { return len(f.Called(text)) > 0 })
	}
	for _, one := range split(cell) {
		parts := strings.Split(one, ",")
		if found(one) || len(parts) == 1 || slices.ContainsFunc(parts, func(p string) bool {
			return strings.TrimSpace(p) != "" && !found(p)
		}) {
			out = append(out, one)
			continue
		}
		for _, p := range parts {
			if p = strings.TrimSpace(p); p != "" {
				out = append(out, p)
			}
		}
	}
	return out
}

package intake

import (
	"fmt"
	"strings"
	"time"

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
			n.targets.Add("role:"+r.ID, r.Name, r.ID)
		}
	}
	for _, s := range d.Sets {
		if s.State == model.Active {
			n.targets.Add("set:"+s.ID, s.Name, s.ID)
		}
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

// forms are how instants and days are written, the unmistakable ones first.
var forms = []string{
	time.RFC3339,
	"2006-01-02T15:04:05",
	"2006-01-02 15:04:05",
	"2006-01-02 15:04",
	time.DateOnly,
	"02.01.2006 15:04",
	"02.01.2006",
	"2.1.2006",
	"2 January 2006",
	"2 Jan 2006",
	"2006/01/02",
	"20060102150405Z",
	"20060102",
}

// instant reads an instant; a day is its beginning in UTC. With slashes, days and months cannot be told apart, so
// only a year in front is understood.
func instant(text string) (time.Time, error) {
	for _, f := range forms {
		if t, err := time.Parse(f, strings.TrimSpace(text)); err == nil {
			if !model.InYears(t) {
				return time.Time{}, fmt.Errorf("“%s” lies outside the years 1 to 9999", text)
			}
			return t.UTC(), nil
		}
	}
	return time.Time{}, fmt.Errorf("“%s” is no day like 2026-01-31 or 31.01.2026", text)
}

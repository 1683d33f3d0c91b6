package delegation

import (
	"slices"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/model"
)

// BackDoor is a rule group on which something hangs, and into which people of a delegation could be brought by what
// its actions change. Rule 3 refuses each act that would, unless the group is named.
type BackDoor struct {
	Group   string
	Actions []string // of the delegation
}

// Sets are the attributes of people that each action lets a delegate set, as the rules of groups name them; to state
// and validity no membership answers (§9, rule 3).
var Sets = map[string][]string{
	Edit: {"displayName", "title", "department", "userType", "qualifications"},
	Move: {"area", "manager"},
	Seat: {"licences"},
	Invite: {
		"displayName", "title", "department", "userType", "qualifications", "area", "manager", "userName", "emails",
	},
}

// BackDoors gives the rule groups into which people could be brought by the actions of a delegation, and which it does
// not name for changing their members; in the order of the design.
func BackDoors(v *ahead.View, d *model.Delegation, t time.Time) (out []BackDoor) {
	a := &Authority{view: v, x: v.Now(), at: t}
	j := &judge{Authority: a, both: []*ahead.View{v}}
	named := slices.Contains(d.Actions, Membership)
	for _, g := range v.Now().Design().Groups {
		if g.Type != model.Rule || named && slices.Contains(d.Groups, g.ID) || !j.hangs(g.ID) {
			continue
		}
		f, err := filter.Parse(g.Rule)
		if err != nil {
			continue // a well-formed design has none
		}
		looks := f.Attributes()
		door := BackDoor{Group: g.ID}
		for _, action := range []string{Invite, Edit, Move, Seat} {
			if slices.Contains(d.Actions, action) &&
				slices.ContainsFunc(Sets[action], func(name string) bool { return slices.Contains(looks, name) }) {
				door.Actions = append(door.Actions, action)
			}
		}
		if door.Actions != nil {
			out = append(out, door)
		}
	}
	return out
}

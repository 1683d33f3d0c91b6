package repair

import (
	"cmp"
	"slices"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
)

// Steps gives a repair as steps that are done to the person alone: what is assigned to them, groups that they join,
// seats that they are given. There are none if it does anything else, such as to alter what others hold too, or to
// bring an account back: that is not for the person to ask for.
func (r *Repair) Steps(user string) (steps []worklist.Step, ok bool) {
	for _, op := range r.Ops {
		var s worklist.Step
		switch after := op.After.(type) {
		case *model.Assignment:
			if after.Subject.User != user {
				return nil, false
			}
			s = worklist.Step{Do: worklist.Assign, Area: after.Area, Reach: after.Reach, Mode: after.Mode, Until: after.Until}
			if after.Role != "" {
				s.Roles = []string{after.Role}
			} else {
				s.Sets = []string{after.Set}
			}
		case *model.Group:
			before, is := op.Before.(*model.Group)
			if !is {
				return nil, false
			}
			without := change.Clone(after)
			without.Users = slices.DeleteFunc(without.Users, func(u string) bool { return u == user })
			if !change.Equal(before, without) {
				return nil, false
			}
			s = worklist.Step{Do: worklist.Join, Groups: []string{op.ID}}
		case *model.User:
			before, is := op.Before.(*model.User)
			if !is || op.ID != user {
				return nil, false
			}
			seated := change.Clone(before)
			if seated.Licences = after.Licences; !change.Equal(seated, after) {
				return nil, false
			}
			s = worklist.Step{Do: worklist.Seat, Licences: slices.DeleteFunc(slices.Clone(after.Licences), func(l string) bool {
				return slices.Contains(before.Licences, l)
			})}
		default:
			return nil, false
		}
		steps = append(steps, s)
	}
	// Seats come first, so that what is assigned counts at once.
	slices.SortStableFunc(steps, func(a, b worklist.Step) int {
		return cmp.Compare(slices.Index(asked, a.Do), slices.Index(asked, b.Do))
	})
	return steps, len(steps) > 0
}

// asked are the steps that somebody can ask for, in the order in which they are done.
var asked = []worklist.Do{worklist.Seat, worklist.Join, worklist.Assign}

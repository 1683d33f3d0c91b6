package ceiling

import (
	"cmp"
	"slices"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/model"
)

// Lowering is a change of a delegation by which a ceiling is less too high: an action is taken away, a group is left
// out, or none is handed over whole any longer.
type Lowering struct {
	Before, After *model.Delegation
	Action, Group string
	Left          int // by how many permissions the ceiling is still too high
}

// mostLowerings bounds how many changes are tried.
const mostLowerings = 10

// Lower tries to take the acts off the ways to what makes the ceiling too high, one at a time, and gives the changes by
// which it is lower, those first that leave least. It ends early once stop says so.
func (c *Ceiling) Lower(stop func() bool) (out []Lowering) {
	now := c.Beyond()
	for _, l := range c.lowerings() {
		if stop() {
			return out
		}
		d := c.f.d
		after, _ := change.Apply(d, []change.Op{{
			Kind: model.KindDelegation, ID: l.Before.ID, Before: l.Before, After: l.After,
		}})
		if after == nil {
			continue // such as a delegation without an action
		}
		if l.Left = Of(c.f.v.Next(c.f.x.Update(after)), c.User, c.f.t).Beyond(); l.Left < now {
			out = append(out, l)
		}
	}
	slices.SortStableFunc(out, func(a, b Lowering) int { return cmp.Compare(a.Left, b.Left) })
	return out
}

// Beyond counts the permissions by which the ceiling is too high.
func (c *Ceiling) Beyond() int {
	keys := map[string]bool{}
	for _, b := range c.TooHigh() {
		keys[b.Permission] = true
	}
	return len(keys)
}

func (c *Ceiling) lowerings() (out []Lowering) {
	done := map[[3]string]bool{}
	add := func(g *model.Delegation, action, group string, alter func(g *model.Delegation)) {
		key := [3]string{g.ID, action, group}
		if done[key] || len(out) == mostLowerings {
			return
		}
		done[key] = true
		after := change.Clone(g)
		alter(after)
		out = append(out, Lowering{Before: g, After: after, Action: action, Group: group})
	}
	act := func(g *model.Delegation, action string) {
		add(g, action, "", func(g *model.Delegation) {
			g.Actions = slices.DeleteFunc(g.Actions, func(a string) bool { return a == action })
		})
	}
	for _, b := range c.TooHigh() {
		for _, step := range b.Chain {
			g, ok := c.f.d.Delegations.Find(step.Delegation)
			switch {
			case !ok:
			case step.Action == delegation.Membership:
				add(g, "", "", func(g *model.Delegation) { g.GroupsWhole = false })
				add(g, "", step.ID, func(g *model.Delegation) {
					g.Groups = slices.DeleteFunc(g.Groups, func(id string) bool { return id == step.ID })
				})
				if o, ok := c.f.d.Groups.Find(step.ID); ok && o.Type == model.Rule {
					for _, action := range []string{delegation.Edit, delegation.Move} { // by which its rule is met
						if slices.Contains(g.Actions, action) {
							act(g, action)
						}
					}
				}
			default:
				act(g, step.Action)
			}
		}
	}
	return out
}

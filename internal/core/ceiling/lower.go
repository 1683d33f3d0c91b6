package ceiling

import (
	"cmp"
	"slices"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/model"
)

// Lowering is a change by which a ceiling is less too high, and by which nobody gains anything: an act is taken off a
// delegation, a group is left out of it, or none is handed over whole any longer; or a group that is handed over lets
// nobody in any longer for what the delegates can set of them.
type Lowering struct {
	Op         change.Op
	Delegation *model.Delegation // as it is
	Action     string            // that is taken away
	Group      string            // that is left out, or has another rule
	Rule       string            // the other rule
	Left       int               // by how many permissions the ceiling is still too high
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
		after, _ := change.Apply(c.f.d, []change.Op{l.Op})
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
	done := map[[4]string]bool{}
	add := func(l Lowering, after model.Object) {
		key := [4]string{l.Delegation.ID, l.Action, l.Group, l.Rule}
		if !done[key] && len(out) < mostLowerings {
			done[key] = true
			l.Op = change.Put(c.f.d, after)
			out = append(out, l)
		}
	}
	of := func(l Lowering, alter func(g *model.Delegation)) {
		after := change.Clone(l.Delegation)
		alter(after)
		add(l, after)
	}
	act := func(g *model.Delegation, action string) {
		of(Lowering{Delegation: g, Action: action}, func(g *model.Delegation) {
			g.Actions = slices.DeleteFunc(g.Actions, func(a string) bool { return a == action })
		})
	}
	for _, b := range c.TooHigh() {
		for _, step := range b.Chain {
			g, ok := c.f.d.Delegations.Find(step.Delegation)
			switch {
			case !ok:
			case step.Action == delegation.Membership:
				of(Lowering{Delegation: g}, func(g *model.Delegation) { g.GroupsWhole = false })
				of(Lowering{Delegation: g, Group: step.ID}, func(g *model.Delegation) {
					g.Groups = slices.DeleteFunc(g.Groups, func(id string) bool { return id == step.ID })
				})
				o, ok := c.f.d.Groups.Find(step.ID)
				if !ok || o.Type != model.Rule {
					break
				}
				for _, action := range []string{delegation.Edit, delegation.Move} { // by which its rule is met
					if slices.Contains(g.Actions, action) {
						act(g, action)
					}
				}
				var sets []string
				for _, a := range c.f.actors {
					sets = append(sets, free(a)...)
				}
				if rule := filter.Without(o.Rule, sets); rule != "" {
					after := change.Clone(o)
					after.Rule = rule
					add(Lowering{Delegation: g, Group: o.ID, Rule: rule}, after)
				}
			default:
				act(g, step.Action)
			}
		}
	}
	return out
}

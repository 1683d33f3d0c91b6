package finding

import (
	"fmt"
	"slices"

	"fachwerk/internal/core/ceiling"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// delegatesAsked is of how many people to whom one delegation is given, through a group, the ceilings are found.
const delegatesAsked = 20

// highCeilings are delegates who could bring about what they neither hold nor could assign (§9).
func highCeilings(s *search) (out []Finding) {
	asked := map[string]bool{}
	for _, g := range s.d.Delegations {
		if !ceiling.Raises(g) {
			continue
		}
		delegates := []string{g.Delegate.User}
		if g.Delegate.Group != "" {
			delegates = s.x.Members(g.Delegate.Group)
		}
		for _, user := range delegates[:min(len(delegates), delegatesAsked)] {
			if asked[user] {
				continue
			}
			asked[user] = true
			c := ceiling.Of(s.v, user, s.t)
			if high := c.TooHigh(); len(high) > 0 {
				out = append(out, s.highCeiling(c, high))
			}
		}
	}
	return out
}

func (s *search) highCeiling(c *ceiling.Ceiling, high []ceiling.Brick) Finding {
	u, _ := s.d.Users.Find(c.User)
	weight := 2
	var delegations, keys []string
	for _, b := range high {
		if p, ok := s.d.Permission(b.Permission); ok && p.Risk >= 2 {
			weight = 3
		}
		keys = append(keys, b.Permission)
		for _, step := range b.Chain {
			delegations = append(delegations, step.Delegation)
		}
	}
	slices.Sort(delegations)
	keys = slices.Compact(keys)
	objects := []Object{{model.KindUser, c.User}}
	for _, id := range slices.Compact(delegations) {
		objects = append(objects, Object{model.KindDelegation, id})
	}
	whom := "somebody new"
	if p, ok := s.d.Users.Find(high[0].Person); ok {
		whom = p.DisplayName
	}
	says := fmt.Sprintf("%s could bring about for others %d permissions that they neither hold nor could assign: %s for %s",
		u.DisplayName, len(keys), keys[0], whom)
	if len(keys) == 1 {
		says = fmt.Sprintf("%s could bring about %s for %s, which they neither hold nor could assign", u.DisplayName, keys[0],
			whom)
	} else {
		says += ", for one"
	}
	says += "."
	told := func(*search) string { return says }
	return Finding{Weight: weight, Objects: objects, says: told, repairs: func(*search) (out []Repair) {
		for _, l := range c.Lower(func() bool { return false }) {
			says := "Hand no group over whole in “" + l.Delegation.Name + "”"
			switch {
			case l.Rule != "":
				says = "Let nobody into “" + s.name(model.KindGroup, l.Group) + "” for what can be set of them: its rule is then " +
					l.Rule
			case l.Action != "":
				says = "Take the act “" + l.Action + "” off “" + l.Delegation.Name + "”"
			case l.Group != "":
				says = "Leave “" + s.name(model.KindGroup, l.Group) + "” out of “" + l.Delegation.Name + "”"
			}
			if l.Left > 0 {
				says += fmt.Sprintf("; %d permissions are left", l.Left)
			}
			out = append(out, Repair{says, []change.Op{l.Op}})
		}
		return out
	}}
}

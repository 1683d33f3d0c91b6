package desk

import (
	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/model"
)

// Promise is a guarantee that a change would break, or make worse.
type Promise struct {
	Guarantee Ref    `json:"guarantee"`
	Strict    bool   `json:"strict" doc:"The change cannot be applied; otherwise it is told only"`
	Says      string `json:"says" doc:"Who would hold what, where, by which way and from when on"`
}

// promises gives the guarantees that the change would break, or make worse, now or at an instant to come, with all that
// does so, by guarantee (docs/semantics.md, §12).
func (c *checked) promises() []guarantee.Breach {
	if c.After == nil || len(c.Ops) == 0 {
		return nil
	}
	if !c.promised {
		c.breaches, c.promised = guarantee.Worse(c.house.Ahead(), c.ahead(), c.at), true
	}
	return c.breaches
}

// eachBroken calls do with every guarantee that the change would break, in order.
func (c *checked) eachBroken(do func(g *model.Guarantee, breaches []guarantee.Breach)) {
	list := c.promises()
	for len(list) > 0 {
		n := 1
		for n < len(list) && list[n].Guarantee == list[0].Guarantee {
			n++
		}
		if g, ok := c.After.Guarantees.Find(list[0].Guarantee); ok {
			do(g, list[:n])
		}
		list = list[n:]
	}
}

// unkept tells which strict guarantees the change would break.
func (c *checked) unkept() (out []said) {
	c.eachBroken(func(g *model.Guarantee, breaches []guarantee.Breach) {
		if g.Lax {
			return
		}
		message := guarantee.Broken(c.ahead(), g, breaches)
		if c.partial {
			message = "This would break a promise about who may hold what, which is made for the whole organisation."
		}
		s := said{message: message}
		for _, b := range breaches {
			if b.User != "" {
				s.about = append(s.about, object{model.KindUser, b.User})
			}
		}
		out = append(out, s)
	})
	return out
}

// promisesOf tells somebody who sees the design as s which guarantees a draft would break.
func (c *checked) promisesOf(s *Sight) []Promise {
	out := []Promise{}
	if c == nil {
		return out
	}
	c.eachBroken(func(g *model.Guarantee, breaches []guarantee.Breach) {
		if s.knows(model.KindGuarantee, g.ID) {
			out = append(out, Promise{
				Guarantee: Ref{Kind: string(model.KindGuarantee), ID: g.ID, Name: g.Name},
				Strict:    !bool(g.Lax),
				Says:      guarantee.Broken(c.ahead(), g, breaches),
			})
		}
	})
	return out
}

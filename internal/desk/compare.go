package desk

import (
	"slices"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Difference is a permission that two things do not hold alike.
type Difference struct {
	Key    string    `json:"key"`
	Object string    `json:"object"`
	Action string    `json:"action"`
	Label  string    `json:"label,omitempty"`
	Risk   int       `json:"risk"`
	Left   []Holding `json:"left"`
	Right  []Holding `json:"right"`
}

// DifferencePanel is the differences within a system.
type DifferencePanel struct {
	System Ref          `json:"system"`
	Rows   []Difference `json:"rows"`
}

// Comparison is how two things differ in what they hold or give.
type Comparison struct {
	Left    Ref               `json:"left"`
	Right   Ref               `json:"right"`
	Same    int               `json:"same" doc:"How many permissions both hold alike"`
	Systems []DifferencePanel `json:"systems"`
}

// Compare sets two people, groups, roles or sets side by side: what each holds or gives where the other does not, or not as far.
func (d *Desk) Compare(who Actor, left, right End) (*Comparison, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	if err := exists(s.design(), left, right); err != nil {
		return nil, err
	}
	sides := [2]map[string][]index.Holding{}
	for i, e := range []End{left, right} {
		sides[i] = map[string][]index.Holding{}
		for _, h := range s.holdingsOf(e) {
			sides[i][h.Permission] = append(sides[i][h.Permission], h)
		}
	}
	c := &Comparison{Left: s.ref(model.Kind(left.Kind), left.ID), Right: s.ref(model.Kind(right.Kind), right.ID), Systems: []DifferencePanel{}}
	for _, system := range s.design().Systems {
		panel := DifferencePanel{System: s.ref(model.KindSystem, system.ID)}
		for _, p := range system.Permissions {
			l, r := sides[0][p.Key], sides[1][p.Key]
			if slices.Equal(l, r) {
				if len(l) > 0 {
					c.Same++
				}
				continue
			}
			_, object, action, _ := model.Parts(p.Key)
			panel.Rows = append(panel.Rows, Difference{p.Key, object, action, p.Label, p.Risk, s.holdings(l), s.holdings(r)})
		}
		if panel.Rows != nil {
			c.Systems = append(c.Systems, panel)
		}
	}
	return c, nil
}

// holdingsOf gives what a thing holds or gives; what a role or set gives counts over the whole organisation.
func (s *sight) holdingsOf(e End) (out []index.Holding) {
	switch kind := model.Kind(e.Kind); kind {
	case model.KindUser:
		return s.index.Widest(e.ID, s.at)
	case model.KindGroup:
		return s.index.Carried(s.index.GrantsTo(e.ID), s.at)
	case index.KindPermission:
		return []index.Holding{{Permission: e.ID, Area: s.design().Root(), Reach: model.ReachArea}}
	default:
		for _, k := range s.index.Content(kind, e.ID) {
			out = append(out, index.Holding{Permission: k, Area: s.design().Root(), Reach: model.ReachArea})
		}
	}
	return out
}

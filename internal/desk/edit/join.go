package edit

import (
	"crypto/rand"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// JoinTerms is how far and how long an assignment counts; other beams have no terms.
type JoinTerms struct {
	Area   string     `json:"area,omitempty" doc:"The area's id; the whole organisation if absent"`
	Reach  string     `json:"reach,omitempty" enum:"area,line,own"`
	Mode   string     `json:"mode,omitempty" enum:"full,read-only"`
	From   *time.Time `json:"from,omitempty"`
	Until  *time.Time `json:"until,omitempty"`
	Reason string     `json:"reason,omitempty" maxLength:"500"`
}

// pair is two ends in the order from people down to permissions.
type pair struct{ upper, lower desk.End }

// arrange puts two ends in order. Two of a kind stay as they are given: the first goes into or builds on the second.
func arrange(a, b desk.End) pair {
	rank := func(e desk.End) int { return slices.Index(index.Bays, model.Kind(e.Kind)) }
	if rank(a) > rank(b) {
		a, b = b, a
	}
	return pair{a, b}
}

// Join puts a beam between two things into the draft: a membership, a nesting, an inclusion, or an assignment on terms.
func (d *Editor) Join(who desk.Actor, a, b desk.End, terms JoinTerms) (*desk.Draft, error) {
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		base := p.Base()
		if err := desk.Exists(p.Seen(), a, b); err != nil {
			return err
		}
		if err := within(p.Seen(), terms); err != nil {
			return err
		}
		op, err := join(base, arrange(a, b), terms)
		if err != nil {
			return err
		}
		p.Add(0, op)
		return nil
	})
}

func join(d *model.Design, p pair, terms JoinTerms) (change.Op, error) {
	if p.upper == p.lower {
		return change.Op{}, desk.Refuse(desk.Invalid, "A thing cannot be joined to itself.")
	}
	if isSubject(p.upper) && isGrantable(p.lower) {
		return assign(d, grantsGiven(d, p.upper), p, terms)
	}
	return member(d, p, func(list *[]string, id string) error {
		if slices.Contains(*list, id) {
			return desk.Refuse(desk.Conflict, "They are already joined.")
		}
		*list = append(slices.Clone(*list), id)
		slices.Sort(*list)
		return nil
	})
}

func isSubject(e desk.End) bool {
	return e.Kind == string(model.KindUser) || e.Kind == string(model.KindGroup)
}
func isGrantable(e desk.End) bool {
	return e.Kind == string(model.KindRole) || e.Kind == string(model.KindSet)
}

// grantsGiven gives what some subjects are assigned already.
func grantsGiven(d *model.Design, subjects ...desk.End) map[model.GrantKey]bool {
	of := map[model.Subject]bool{}
	for _, e := range subjects {
		if e.Kind == string(model.KindUser) {
			of[model.Subject{User: e.ID}] = true
		} else {
			of[model.Subject{Group: e.ID}] = true
		}
	}
	given := map[model.GrantKey]bool{}
	for _, a := range d.Assignments {
		if of[a.Subject] {
			given[a.Key()] = true
		}
	}
	return given
}

// within refuses an area that is not seen, or not there.
func within(seen *model.Design, terms JoinTerms) error {
	if terms.Area != "" && seen.Get(model.KindArea, terms.Area) == nil {
		return desk.Refuse(desk.NotFound, "There is no area %q.", terms.Area)
	}
	return nil
}

// assign gives one end of a pair what the other gives, unless it is given already.
func assign(d *model.Design, given map[model.GrantKey]bool, p pair, terms JoinTerms) (change.Op, error) {
	a := &model.Assignment{
		Area:   terms.Area,
		Reach:  model.Reach(terms.Reach),
		Mode:   model.Mode(terms.Mode),
		Reason: strings.TrimSpace(terms.Reason),
	}
	if a.Area == d.Root() {
		a.Area = ""
	}
	if a.Reach == "" {
		a.Reach = model.ReachArea
	}
	if a.Mode == "" {
		a.Mode = model.Full
	}
	if terms.From != nil {
		a.From = terms.From.UTC()
	}
	if terms.Until != nil {
		a.Until = terms.Until.UTC()
	}
	if !a.From.IsZero() && !a.Until.IsZero() && !a.From.Before(a.Until) {
		return change.Op{}, desk.Refuse(desk.Invalid, "The assignment would end before it begins: choose a later end.")
	}
	if p.upper.Kind == string(model.KindUser) {
		a.Subject.User = p.upper.ID
	} else {
		a.Subject.Group = p.upper.ID
	}
	if p.lower.Kind == string(model.KindRole) {
		a.Role = p.lower.ID
	} else {
		a.Set = p.lower.ID
	}
	if given[a.Key()] {
		return change.Op{}, desk.Refuse(desk.Conflict, "This is already assigned, on the same terms.")
	}
	a.ID = "a-" + strings.ToLower(rand.Text()[:12])
	return change.Put(d, a), nil
}

// member alters the list in which one thing names another.
func member(d *model.Design, p pair, alter func(list *[]string, id string) error) (change.Op, error) {
	type kinds = [2]string
	var changed model.Object
	var err error
	switch (kinds{p.upper.Kind, p.lower.Kind}) {
	case kinds{"user", "group"}, kinds{"group", "group"}:
		var g *model.Group
		if g, err = fillable(d, p.lower.ID); err != nil {
			return change.Op{}, err
		}
		if p.upper.ID == model.Everyone || p.upper.ID == model.Public {
			return change.Op{}, desk.Refuse(desk.Invalid, "A built-in group cannot be nested in another.")
		}
		g = change.Clone(g)
		if changed = g; p.upper.Kind == "user" {
			err = alter(&g.Users, p.upper.ID)
		} else {
			err = alter(&g.Groups, p.upper.ID)
		}
	case kinds{"role", "role"}, kinds{"role", "set"}, kinds{"role", "permission"}:
		r, _ := d.Roles.Find(p.upper.ID)
		r = change.Clone(r)
		changed = r
		switch p.lower.Kind {
		case "role":
			err = alter(&r.Inherits, p.lower.ID)
		case "set":
			err = alter(&r.Sets, p.lower.ID)
		default:
			err = alter(&r.Permissions, p.lower.ID)
		}
	case kinds{"set", "permission"}:
		s, _ := d.Sets.Find(p.upper.ID)
		s = change.Clone(s)
		changed = s
		err = alter(&s.Permissions, p.lower.ID)
	case kinds{"user", "user"}:
		return change.Op{}, desk.Refuse(desk.Invalid, "Two people cannot be joined: put both into a group.")
	case kinds{"user", "permission"}, kinds{"group", "permission"}:
		return change.Op{}, desk.Refuse(
			desk.Invalid,
			"A permission is not given by itself: assign a role or a permission set that has it.",
		)
	default:
		return change.Op{}, desk.Refuse(
			desk.Invalid,
			"Nothing runs between a %s and a %s directly.",
			model.Kind(p.upper.Kind).Word(),
			model.Kind(p.lower.Kind).Word(),
		)
	}
	if err != nil {
		return change.Op{}, err
	}
	return change.Put(d, changed), nil
}

// fillable gives a group whose members are listed here.
func fillable(d *model.Design, id string) (*model.Group, error) {
	g, ok := d.Groups.Find(id)
	if !ok {
		return nil, desk.Refuse(
			desk.Invalid,
			"The group %q is built in: its members follow from the people there are.",
			id,
		)
	}
	if g.Type == model.Rule {
		return nil, desk.Refuse(
			desk.Invalid,
			"“%s” finds its members by a rule: change the rule, or the person.",
			g.Name,
		)
	}
	if g.Source == model.Directory {
		return nil, desk.Refuse(
			desk.Invalid,
			"“%s” comes from the directory, which keeps its members.",
			g.Name,
		)
	}
	return g, nil
}

// Cut takes the beam between two things out, in the draft. With an assignment's id only that one; otherwise all
// assignments between the two.
func (d *Editor) Cut(who desk.Actor, a, b desk.End, assignment string) (*desk.Draft, error) {
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		base := p.Base()
		if err := desk.Exists(p.Seen(), a, b); err != nil {
			return err
		}
		pr := arrange(a, b)
		if isSubject(pr.upper) && isGrantable(pr.lower) {
			var ops []change.Op
			for _, x := range base.Assignments {
				if between(x, pr) && (assignment == "" || x.ID == assignment) {
					ops = append(ops, change.Delete(x))
				}
			}
			if len(ops) == 0 {
				return desk.Refuse(
					desk.NotFound,
					"There is no assignment between these two to cut. What comes through a group is cut at the group.",
				)
			}
			for _, op := range ops {
				p.Add(0, op)
			}
			return nil
		}
		op, err := member(base, pr, func(list *[]string, id string) error {
			i := slices.Index(*list, id)
			if i < 0 {
				return desk.Refuse(
					desk.NotFound,
					"These two are not joined directly: cut the beam where it is fastened.",
				)
			}
			*list = slices.Delete(slices.Clone(*list), i, i+1)
			return nil
		})
		if err != nil {
			return err
		}
		p.Add(0, op)
		return nil
	})
}

// PutBack leaves an assignment as it is that the draft takes away or alters.
func (d *Editor) PutBack(who desk.Actor, assignment string) (*desk.Draft, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		was := s.Present.Design().Get(model.KindAssignment, assignment)
		if was == nil {
			return desk.Refuse(desk.NotFound, "There is no assignment %q to put back.", assignment)
		}
		op := change.Put(p.Base(), was)
		if op.Before != nil && change.Equal(op.Before, op.After) {
			return desk.Refuse(desk.Conflict, "The draft leaves this assignment as it is.")
		}
		p.Add(0, op)
		return nil
	})
}

// between tells whether an assignment runs between the two ends of a pair.
func between(a *model.Assignment, p pair) bool {
	subject := p.upper.Kind == string(model.KindUser) && a.Subject.User == p.upper.ID ||
		p.upper.Kind == string(model.KindGroup) && a.Subject.Group == p.upper.ID
	target := p.lower.Kind == string(model.KindRole) && a.Role == p.lower.ID ||
		p.lower.Kind == string(model.KindSet) && a.Set == p.lower.ID
	return subject && target
}

package finding

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// byHandToo are assignments to a person that give nothing that the person's groups do not give, at no instant to come.
func byHandToo(s *search) []Finding {
	return each(len(s.d.Assignments), func(i int) []Finding {
		a := s.d.Assignments[i]
		if a.Subject.User == "" || !a.Until.IsZero() && !s.t.Before(a.Until) || !s.x.Live(a.Subject.User, s.t) {
			return nil
		}
		if !s.x.Alongside(a) { // so it is with most, and told soon
			return nil
		}
		kind, id := target(a)
		of := s.x.Just(s.x.Content(kind, id))
		byHand := s.x.AheadBy(a.Subject.User, of, s.t, func(b *model.Assignment) bool { return b.ID == a.ID })
		if len(byHand) == 0 { // it gives nothing at all, which is told as such
			return nil
		}
		groups := map[string]bool{}
		byGroups := s.x.AheadBy(a.Subject.User, of, s.t, func(b *model.Assignment) bool {
			if b.Subject.Group != "" {
				groups[b.Subject.Group] = true
			}
			return b.Subject.Group != ""
		})
		if len(byGroups) == 0 || len(s.v.Beyond(byHand, byGroups, s.t)) > 0 {
			return nil
		}
		var names []string
		for g := range groups {
			names = append(names, s.name(model.KindGroup, g))
		}
		slices.Sort(names)
		return []Finding{{
			Weight:  1,
			Objects: []Object{{model.KindAssignment, a.ID}, {model.KindUser, a.Subject.User}, {kind, id}},
			Says: fmt.Sprintf("%s is given by hand, and their groups give all of it as well: %s.",
				s.given(a), some(names)),
			repairs: func() []Repair { return []Repair{s.revoke(a)} },
		}}
	})
}

// givesNothing are assignments in force by whose end nobody would lose anything.
func givesNothing(s *search) []Finding {
	return each(len(s.d.Assignments), func(i int) []Finding {
		a := s.d.Assignments[i]
		if !s.inForce(a) {
			return nil
		}
		kind, id := target(a)
		why := ""
		switch {
		case s.x.Carries(a) && s.missed(a):
			return nil
		case len(s.x.Content(kind, id)) == 0:
			why = "what it gives is empty, or retired"
		case !s.x.Carries(a):
			why = "what it gives cannot be limited to an area, and it is"
			if a.Area == "" {
				why = "in its mode nothing of it is left"
			}
		default:
			why = "whoever has it holds all of it without it"
		}
		return []Finding{{
			Weight:  1,
			Objects: []Object{{model.KindAssignment, a.ID}, {kind, id}},
			Says:    s.given(a) + ", gives nothing: " + why + ".",
			repairs: func() []Repair { return []Repair{s.revoke(a)} },
		}}
	})
}

// missed tells whether somebody would lose something at t without an assignment.
func (s *search) missed(a *model.Assignment) bool {
	return a.Subject.Group == model.Public && s.losesUnknown(a) || s.x.Missed(a, s.t)
}

// losesUnknown tells whether someone who is not signed in holds less without an assignment to everybody.
func (s *search) losesUnknown(a *model.Assignment) bool {
	held := s.x.Effective(index.Anonymous, s.t)
	var others []*model.Assignment
	for _, b := range s.x.GrantsTo(model.Public) {
		if b.ID != a.ID {
			others = append(others, b)
		}
	}
	without := s.x.Carried(others, s.t)
	return slices.ContainsFunc(held, func(h index.Holding) bool {
		return !slices.ContainsFunc(without, func(o index.Holding) bool { return s.x.Includes(o, h) })
	})
}

// endings are what ends within 30 days, and by which somebody loses something.
func endings(s *search) (out []Finding) {
	limit := s.t.AddDate(0, 0, soon)
	near := func(until time.Time) bool { return until.After(s.t) && !until.After(limit) }
	out = each(len(s.d.Assignments), func(i int) []Finding {
		a := s.d.Assignments[i]
		if !near(a.Until) || !a.From.IsZero() && !a.From.Before(a.Until) {
			return nil
		}
		last := a.Until.Add(-time.Nanosecond)
		if !s.x.Missed(a, last) {
			return nil
		}
		kind, id := target(a)
		objects := []Object{{model.KindAssignment, a.ID}, {kind, id}}
		if a.Subject.User != "" {
			objects = append(objects, Object{model.KindUser, a.Subject.User})
		} else {
			objects = append(objects, Object{model.KindGroup, a.Subject.Group})
		}
		return []Finding{{Weight: 2, Objects: objects, Says: s.given(a) + ", ends on " + model.Day(a.Until) + "."}}
	})
	for _, u := range s.d.Users {
		if u.State == model.UserActive && near(u.Until) && len(s.x.Widest(u.ID, u.Until.Add(-time.Nanosecond))) > 0 {
			out = append(out, Finding{
				Weight: 2, Objects: []Object{{model.KindUser, u.ID}},
				Says: fmt.Sprintf("%s is valid until %s only.", u.DisplayName, model.Day(u.Until)),
			})
		}
	}
	for _, g := range s.d.Delegations {
		if near(g.Until) {
			out = append(out, Finding{
				Weight: 2, Objects: []Object{{model.KindDelegation, g.ID}},
				Says: "The delegation “" + g.Name + "” ends on " + model.Day(g.Until) + ".",
			})
		}
	}
	return append(out, s.qualificationsEnding(near)...)
}

// qualificationsEnding are qualifications that end soon and without which somebody is no longer in a group that gives
// them something.
func (s *search) qualificationsEnding(near func(time.Time) bool) (out []Finding) {
	rules := s.rulesAbout("qualifications")
	if len(rules) == 0 {
		return nil
	}
	for _, u := range s.d.Users {
		for n, q := range u.Qualifications {
			if !near(q.Until) || !s.x.Live(u.ID, s.t) {
				continue
			}
			without := model.Clone(u)
			without.Qualifications = slices.Delete(without.Qualifications, n, n+1)
			now, then := index.Person(s.d, u), index.Person(s.d, without)
			for _, r := range rules {
				if !r.rule.Match(now) || r.rule.Match(then) || !s.givesMore(u.ID, r.group) {
					continue
				}
				out = append(out, Finding{
					Weight:  2,
					Objects: []Object{{model.KindUser, u.ID}, {model.KindGroup, r.group}},
					Says: fmt.Sprintf("The qualification “%s” of %s ends on %s, and with it they leave %s.", q.Type,
						u.DisplayName, model.Day(q.Until), s.name(model.KindGroup, r.group)),
				})
				break
			}
		}
	}
	return out
}

// givesMore tells whether somebody would lose something without all that a group, and what it is nested in, gives.
func (s *search) givesMore(user, group string) bool {
	var ids []string
	for _, g := range s.x.Nesting(group) {
		for _, a := range s.x.GrantsTo(g) {
			ids = append(ids, a.ID)
		}
	}
	return len(index.Beyond(s.x, s.x.Widest(user, s.t), s.x.Without(user, ids, s.t))) > 0
}

// rulesAbout gives the groups whose rule asks about something.
func (s *search) rulesAbout(attribute string) (out []ruled) {
	for _, g := range s.d.Groups {
		if g.Type == model.Rule && strings.Contains(g.Rule, attribute) {
			if f := parsed(g.Rule); f != nil {
				out = append(out, ruled{g.ID, f})
			}
		}
	}
	return out
}

// ruled is a group with its rule.
type ruled struct {
	group string
	rule  *filter.Filter
}

// parsed reads a rule; nil if it is none, to which [model.Check] sees.
func parsed(rule string) *filter.Filter {
	f, err := filter.Parse(rule)
	if err != nil {
		return nil
	}
	return f
}

package finding

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// byHandToo are assignments to a person that give nothing that the person's groups do not give, at no instant to come.
func byHandToo(s *search) []Finding {
	return s.ofOwn(ByHandToo, func(a *model.Assignment) []Finding {
		if !a.Until.IsZero() && !s.t.Before(a.Until) || !s.x.Live(a.Subject.User, s.t) {
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
		return []Finding{{
			Weight:  1,
			Objects: []Object{{model.KindAssignment, a.ID}, {model.KindUser, a.Subject.User}, {kind, id}},
			grant:   a,
			says: func(s *search) string {
				var names []string
				for g := range groups {
					names = append(names, s.name(model.KindGroup, g))
				}
				slices.Sort(names)
				return fmt.Sprintf("%s is given by hand, and their groups give all of it as well: %s.", s.given(a), some(names))
			},
			repairs: func(s *search) []Repair { return s.revoke(a) },
		}}
	})
}

// givesNothing are assignments in force by whose end nobody would lose anything.
func givesNothing(s *search) []Finding {
	// Who would miss an assignment still does, as long as nothing of theirs is otherwise.
	missing := make([]string, len(s.d.Assignments))
	s.missing = model.NewColumn(s.d.Assignments, missing)
	of := func(i int) []Finding {
		a := s.d.Assignments[i]
		if !s.inForce(a) {
			return nil
		}
		user, missed := s.missed(a)
		if missed && s.x.Carries(a) {
			missing[i] = user
			return nil
		}
		kind, id := target(a)
		return []Finding{{
			Weight:  1,
			Objects: []Object{{model.KindAssignment, a.ID}, {kind, id}},
			grant:   a,
			says: func(s *search) string {
				why := "whoever has it holds all of it without it"
				switch {
				case len(s.x.Content(kind, id)) == 0:
					why = "what it gives is empty, or retired"
				case !s.x.Carries(a) && a.Area == "":
					why = "in its mode nothing of it is left"
				case !s.x.Carries(a):
					why = "what it gives cannot be limited to an area, and it is"
				}
				return s.given(a) + ", gives nothing: " + why + "."
			},
			repairs: func(s *search) []Repair { return s.revoke(a) },
		}}
	}
	if s.since == nil {
		return each(len(s.d.Assignments), of)
	}
	copy(missing, s.since.was.missing.Beside(s.d.Assignments).All())
	var anew, touched []int // of whom everybody is asked, and those alone who are touched
	for i, a := range s.d.Assignments {
		switch {
		case s.asksAnew(a):
			anew = append(anew, i)
		case a.Subject.User != "" || !s.passed(a.Subject.Group) || missing[i] != "" && s.untouched(missing[i]):
		case missing[i] != "":
			anew = append(anew, i)
		case s.inForce(a) && s.x.Carries(a):
			touched = append(touched, i)
		}
	}
	told := map[string]bool{} // of which something else may be told than before
	for _, i := range anew {
		told[s.d.Assignments[i].ID], missing[i] = true, ""
	}
	fresh := each(len(anew), func(n int) []Finding { return of(anew[n]) })
	// What nobody missed can be missed by those alone who are touched.
	each(len(touched), func(n int) []Finding {
		a := s.d.Assignments[touched[n]]
		users := s.since.groups[a.Subject.Group]
		if u := slices.IndexFunc(users, func(u string) bool { return s.x.MissedBy(u, a, s.t) }); u >= 0 {
			missing[touched[n]] = users[u]
		}
		return nil
	})
	for _, i := range touched {
		told[s.d.Assignments[i].ID] = missing[i] != ""
	}
	return append(s.since.kept(GivesNothing, func(f *Finding) bool {
		return s.stands(f.grant) && !told[f.grant.ID]
	}), fresh...)
}

// asksAnew tells whether it must be asked of everybody whether they would lose something without an assignment.
func (s *search) asksAnew(a *model.Assignment) bool {
	return !s.stands(a) || a.Subject.Group == model.Public
}

// passed tells whether a group has members who are touched, or had.
func (s *search) passed(group string) bool {
	_, is := s.since.groups[group]
	return is
}

// missed tells whether somebody would lose something at t without an assignment, and who, if that is somebody known.
func (s *search) missed(a *model.Assignment) (user string, is bool) {
	if a.Subject.Group == model.Public && s.losesUnknown(a) {
		return "", true
	}
	return s.x.Missed(a, s.t)
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
	limit := s.t.AddDate(0, 0, s.Limits.Soon)
	near := func(until time.Time) bool { return until.After(s.t) && !until.After(limit) }
	s.ends = map[string]bool{}
	var mu sync.Mutex
	// loses asks whether somebody loses something by an end, unless it was asked and nothing of it is otherwise.
	loses := func(name string, stands bool, ask func() bool) bool {
		is, known := false, false
		if stands {
			is, known = s.since.was.ends[name]
		}
		if !known {
			is = ask()
		}
		mu.Lock()
		defer mu.Unlock()
		s.ends[name] = is
		return is
	}
	out = each(len(s.d.Assignments), func(i int) []Finding {
		a := s.d.Assignments[i]
		if !near(a.Until) || !a.From.IsZero() && !a.From.Before(a.Until) {
			return nil
		}
		stands := s.since != nil && s.stands(a) && !s.passed(a.Subject.Group)
		if !loses("assignment:"+a.ID, stands, func() bool {
			_, missed := s.x.Missed(a, a.Until.Add(-time.Nanosecond))
			return missed
		}) {
			return nil
		}
		kind, id := target(a)
		objects := []Object{{model.KindAssignment, a.ID}, {kind, id}}
		if a.Subject.User != "" {
			objects = append(objects, Object{model.KindUser, a.Subject.User})
		} else {
			objects = append(objects, Object{model.KindGroup, a.Subject.Group})
		}
		return []Finding{{
			Weight: 2, Objects: objects,
			says: func(s *search) string { return s.given(a) + ", ends on " + model.LastDay(a.Until) + "." },
		}}
	})
	people := []*model.User(s.d.Users)
	if !s.daysCount() && s.same(model.KindGroup) {
		out = append(out, s.since.kept(Ending, func(f *Finding) bool { return f.by != "" && !s.since.people[f.by] })...)
		people = s.changedPeople()
	}
	for _, u := range people {
		if u.State == model.UserActive && near(u.Until) && loses("user:"+u.ID, s.untouched(u.ID), func() bool {
			return s.x.HasAny(u.ID, u.Until.Add(-time.Nanosecond))
		}) {
			out = append(out, Finding{
				Weight: 2, Objects: []Object{{model.KindUser, u.ID}}, by: u.ID,
				says: func(s *search) string {
					return fmt.Sprintf("%s is valid until %s only.", s.name(model.KindUser, u.ID), model.Until(u.Until))
				},
			})
		}
	}
	for _, g := range s.d.Delegations {
		if near(g.Until) {
			out = append(out, Finding{
				Weight: 2, Objects: []Object{{model.KindDelegation, g.ID}},
				says: func(*search) string {
					return "The delegation “" + g.Name + "” ends on " + model.LastDay(g.Until) + "."
				},
			})
		}
	}
	return append(out, s.qualificationsEnding(people, near, loses)...)
}

// qualificationsEnding are qualifications of some people that end soon and without which somebody is no longer in a
// group that gives them something.
func (s *search) qualificationsEnding(
	people []*model.User, near func(time.Time) bool, loses func(name string, stands bool, ask func() bool) bool,
) (out []Finding) {
	rules := s.rulesAbout("qualifications")
	if len(rules) == 0 {
		return nil
	}
	for _, u := range people {
		for n, q := range u.Qualifications {
			if !near(q.Until) || !s.x.Live(u.ID, s.t) {
				continue
			}
			without := model.Clone(u)
			without.Qualifications = slices.Delete(without.Qualifications, n, n+1)
			now, then := index.Person(s.d, u), index.Person(s.d, without)
			for _, r := range rules {
				if !r.rule.Match(now) || r.rule.Match(then) ||
					!loses("user:"+u.ID+" group:"+r.group, s.untouched(u.ID), func() bool { return s.givesMore(u.ID, r.group) }) {
					continue
				}
				out = append(out, Finding{
					Weight:  2,
					Objects: []Object{{model.KindUser, u.ID}, {model.KindGroup, r.group}},
					by:      u.ID,
					says: func(s *search) string {
						return fmt.Sprintf("The qualification “%s” of %s ends on %s, and with it they leave %s.", q.Type,
							s.name(model.KindUser, u.ID), model.LastDay(q.Until), s.name(model.KindGroup, r.group))
					},
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

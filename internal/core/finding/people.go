package finding

import (
	"fmt"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/series"
	"fachwerk/internal/core/use"
)

// dormant are people who hold something of a system, did not use it within the days, and were not given it within
// these.
func dormant(s *search) []Finding {
	gives := map[Object]map[string]bool{} // of roles and sets that are assigned: of which systems they give something
	for _, a := range s.d.Assignments {
		kind, id := target(a)
		what := Object{kind, id}
		if gives[what] != nil {
			continue
		}
		gives[what] = map[string]bool{}
		for _, key := range s.x.Content(kind, id) {
			gives[what][use.SystemOf(key)] = true
		}
	}
	return each(len(s.d.Systems), func(n int) (out []Finding) {
		system := s.d.Systems[n]
		for _, f := range series.Idle(s.x, s.Uses, system.ID, s.Days, s.t) {
			grants := slices.DeleteFunc(s.x.GrantsFor(f.User), func(a *model.Assignment) bool {
				kind, id := target(a)
				return !s.inForce(a) || !gives[Object{kind, id}][system.ID]
			})
			if !slices.ContainsFunc(grants, func(a *model.Assignment) bool { return !s.recent(f.User, a) }) {
				continue
			}
			says := fmt.Sprintf("%s has never used %s.", s.name(model.KindUser, f.User), system.Name)
			if !f.Last.IsZero() {
				says = fmt.Sprintf("%s last used %s %d days ago.", s.name(model.KindUser, f.User), system.Name,
					int(s.t.Sub(f.Last).Hours()/24))
			}
			out = append(out, Finding{
				Weight:  2,
				Objects: []Object{{model.KindUser, f.User}, {model.KindSystem, system.ID}},
				Says:    says,
				repairs: func() []Repair {
					var ops []change.Op
					for _, a := range grants {
						if a.Subject.User == f.User {
							ops = append(ops, change.Delete(a))
						}
					}
					if len(ops) == 0 {
						return nil
					}
					return []Repair{{"Take away what they have of it by hand.", ops}}
				},
			})
		}
		return out
	})
}

// recent tells whether somebody was given something within the days: it was assigned, or began, or they came into the
// group, or came at all.
func (s *search) recent(user string, a *model.Assignment) bool {
	limit := s.t.AddDate(0, 0, -s.Days)
	u, _ := s.d.Users.Find(user)
	return s.Recently.Users[user] || u.From.After(limit) || s.Recently.Assignments[a.ID] || a.From.After(limit) ||
		a.Subject.Group != "" && s.lately(user, a.Subject.Group)
}

// lately tells whether somebody came into a group within the days, by all ways by which they are in it.
func (s *search) lately(user, group string) bool {
	if len(s.Recently.Members) == 0 {
		return false
	}
	ways := 0
	for _, g := range s.x.GroupsOf(user) {
		if !g.Direct || !slices.Contains(s.x.Nesting(g.Group), group) {
			continue
		}
		if !s.Recently.Members[[2]string{g.Group, user}] {
			return false
		}
		ways++
	}
	return ways > 0
}

// idleSeats are people on a seat who used nothing within the days that needs it, or a licence that it covers.
func idleSeats(s *search) []Finding {
	limit := s.t.AddDate(0, 0, -s.Days)
	type needs struct {
		keys, systems map[string]bool
	}
	by := map[string]needs{} // of licences of which it is known whether they are used
	for _, l := range s.d.Licences {
		keys, systems := map[string]bool{}, map[string]bool{}
		known := false
		for covered := range s.covered(l.ID) {
			for _, key := range s.x.Needing(covered) {
				keys[key], systems[use.SystemOf(key)] = true, true
				known = known || s.Uses.Known(use.SystemOf(key))
			}
		}
		if known {
			by[l.ID] = needs{keys, systems}
		}
	}
	return each(len(s.d.Users), func(i int) (out []Finding) {
		u := s.d.Users[i]
		if len(u.Licences) == 0 || !s.x.Live(u.ID, s.t) {
			return nil
		}
		uses := s.Uses.Of(u.ID)
		for _, l := range u.Licences {
			of, known := by[l]
			if !known || slices.ContainsFunc(uses, func(one use.Use) bool {
				system := use.SystemOf(one.What)
				// That a system was used tells of its permissions only where nothing more exact is known.
				used := of.keys[one.What] || one.What == system && of.systems[system] && !s.Uses.Detailed(system)
				return used && !one.At.Before(limit)
			}) {
				continue
			}
			out = append(out, Finding{
				Weight:  1,
				Objects: []Object{{model.KindUser, u.ID}, {model.KindLicence, l}},
				Says: fmt.Sprintf("%s sits on a seat of %s and used nothing that needs it for %d days.", u.DisplayName,
					s.name(model.KindLicence, l), s.Days),
				repairs: func() []Repair {
					after := change.Clone(u)
					after.Licences = slices.DeleteFunc(slices.Clone(after.Licences), func(id string) bool { return id == l })
					return []Repair{{"Free the seat.", []change.Op{change.Put(s.d, after)}}}
				},
			})
		}
		return out
	})
}

// covered is a licence with all that it covers.
func (s *search) covered(licence string) map[string]bool {
	out := map[string]bool{licence: true}
	for todo := []string{licence}; len(todo) > 0; todo = todo[1:] {
		if l, ok := s.d.Licences.Find(todo[0]); ok {
			for _, c := range l.Covers {
				if !out[c] {
					out[c] = true
					todo = append(todo, c)
				}
			}
		}
	}
	return out
}

// seatsWanted are licences for want of which something is withheld from people.
func seatsWanted(s *search) (out []Finding) {
	used := s.x.SeatsUsed()
	waits := make([][]string, len(s.d.Users))
	fan.Out(len(s.d.Users), func(_, from, to int) {
		for i, u := range s.d.Users[from:to] {
			waits[from+i] = s.x.WaitsFor(u.ID, s.t)
		}
	})
	lacking := map[string][]string{}
	for i, list := range waits {
		for _, l := range list {
			lacking[l] = append(lacking[l], s.d.Users[i].ID)
		}
	}
	for _, l := range s.d.Licences {
		waiting := lacking[l.ID]
		if len(waiting) == 0 {
			continue
		}
		free := "there is no end to its seats"
		weight := 2
		if l.Seats != nil {
			n := max(0, *l.Seats-used[l.ID])
			free = fmt.Sprintf("%d of its %d seats are free", n, *l.Seats)
			if n == 0 {
				weight = 3
			}
		}
		who := fmt.Sprintf("%d people lack %s", len(waiting), l.Name)
		if len(waiting) == 1 {
			who = s.name(model.KindUser, waiting[0]) + " lacks " + l.Name
		}
		out = append(out, Finding{
			Weight: weight, Objects: []Object{{model.KindLicence, l.ID}},
			Says: who + ", so something is withheld; " + free + ".",
		})
	}
	return out
}

// post is what peers have in common.
type post struct{ title, department string }

// outliers are people who by hand hold something of risk that fewer than one in twenty of their peers hold.
func outliers(s *search) []Finding {
	number, live := map[post]int{}, []int{0}
	posts := make([]int, len(s.d.Users)) // 0: none, or not live
	for i, u := range s.d.Users {
		p := post{u.JobTitle, u.Department}
		if p.title == "" || !s.x.Live(u.ID, s.t) {
			continue
		}
		n, known := number[p]
		if !known {
			n = len(live)
			number[p], live = n, append(live, 0)
		}
		posts[i] = n
		live[n]++
	}
	// Of each permission of risk that something by hand can give: who holds it, and how many of each post.
	type holders struct {
		of     index.People
		alike  []int32
		reason int
	}
	held := map[string]*holders{}
	contents := map[Object][]string{}
	for _, a := range s.d.Assignments {
		if a.Subject.User == "" || !s.inForce(a) {
			continue
		}
		kind, id := target(a)
		what := Object{kind, id}
		if _, known := contents[what]; known {
			continue
		}
		contents[what] = []string{}
		for _, key := range s.x.Content(kind, id) {
			p, ok := s.d.Permission(key)
			if !ok || p.Risk < 2 {
				continue
			}
			contents[what] = append(contents[what], key)
			if held[key] == nil {
				h := &holders{of: s.risky()[key], alike: make([]int32, len(live)), reason: p.Risk}
				for place := range h.of.All() {
					h.alike[posts[place]]++
				}
				held[key] = h
			}
		}
	}
	return each(len(s.d.Assignments), func(i int) []Finding {
		a := s.d.Assignments[i]
		place, ok := s.d.Users.Position(a.Subject.User)
		if a.Subject.User == "" || !ok || !s.inForce(a) || posts[place] == 0 {
			return nil
		}
		peers := live[posts[place]] - 1
		if peers < outlierPeers {
			return nil
		}
		kind, id := target(a)
		rare := slices.DeleteFunc(slices.Clone(contents[Object{kind, id}]), func(key string) bool {
			h := held[key]
			return !h.of.Has(place) || (int(h.alike[posts[place]])-1)*outlierOf >= peers
		})
		if len(rare) == 0 {
			return nil
		}
		carried := s.x.Carried([]*model.Assignment{a}, s.t)
		var keys []string
		risk, alike := 0, 0
		for _, key := range rare {
			h := held[key]
			carries := slices.ContainsFunc(carried, func(c index.Holding) bool { return c.Permission == key })
			if n := int(h.alike[posts[place]]) - 1; carries {
				keys, risk, alike = append(keys, key), max(risk, h.reason), max(alike, n)
			}
		}
		if len(keys) == 0 {
			return nil
		}
		return []Finding{{
			Weight:  risk,
			Objects: []Object{{model.KindUser, a.Subject.User}, {model.KindAssignment, a.ID}, {kind, id}},
			Says: fmt.Sprintf(
				"%s has by hand what hardly anybody of the %d others with the same title and department has: %s, by “%s”.",
				s.name(model.KindUser, a.Subject.User),
				peers,
				some(keys),
				s.name(kind, id),
			),
			repairs: func() []Repair { return []Repair{s.revoke(a)} },
		}}
	})
}

// named is how many things a sentence names one by one.
const named = 3

// some names the first of many things.
func some(list []string) string {
	out := strings.Join(list[:min(len(list), named)], ", ")
	if more := len(list) - named; more > 0 {
		out += fmt.Sprintf(" and %d more", more)
	}
	return out
}

// ofRisk are the permissions of at least some risk.
func (s *search) ofRisk(risk int) (out []string) {
	for _, system := range s.d.Systems {
		for _, p := range system.Permissions {
			if p.Risk >= risk {
				out = append(out, p.Key)
			}
		}
	}
	return out
}

// unreviewed are people who hold something critical of which no item of a review decided within a year.
func unreviewed(s *search) []Finding {
	decided := map[string]map[string]bool{}
	contents := map[Object][]string{}
	for _, r := range s.Reviewed {
		what := Object{model.KindRole, r.Role}
		if r.Role == "" {
			what = Object{model.KindSet, r.Set}
		}
		if _, known := contents[what]; !known {
			contents[what] = s.x.Content(what.Kind, what.ID)
		}
		if decided[r.User] == nil {
			decided[r.User] = map[string]bool{}
		}
		for _, key := range contents[what] {
			decided[r.User][key] = true
		}
	}
	keys := s.ofRisk(3)
	slices.Sort(keys)
	// Of each person the first few, and how many there are.
	first, counts := make([][named]int, len(s.d.Users)), make([]int, len(s.d.Users))
	for n, key := range keys {
		for place := range s.risky()[key].All() {
			if len(decided) > 0 && decided[s.d.Users[place].ID][key] {
				continue
			}
			if counts[place] < named {
				first[place][counts[place]] = n
			}
			counts[place]++
		}
	}
	return each(len(s.d.Users), func(place int) []Finding {
		u := s.d.Users[place]
		if counts[place] == 0 {
			return nil
		}
		var told []string
		for _, n := range first[place][:min(counts[place], named)] {
			told = append(told, keys[n])
		}
		what := some(told)
		if more := counts[place] - len(told); more > 0 {
			what += fmt.Sprintf(" and %d more", more)
		}
		return []Finding{{
			Weight:  2,
			Objects: []Object{{model.KindUser, u.ID}},
			Says: fmt.Sprintf(
				"%s holds %s, which is critical, and no review decided about that within a year.",
				u.DisplayName,
				what,
			),
		}}
	})
}

// leftOvers are people who are locked, deactivated or deleted and answer for something still.
func leftOvers(s *search) (out []Finding) {
	answers := map[string][]string{}
	gone := map[string]*model.User{}
	for _, u := range s.d.Users {
		if u.State == model.UserLocked || u.State == model.UserDeactivated || u.State == model.UserDeleted {
			gone[u.ID] = u
		}
	}
	add := func(id, what string) {
		if gone[id] != nil {
			answers[id] = append(answers[id], what)
		}
	}
	for _, o := range s.d.Sets {
		add(o.Owner, "owns the set “"+o.Name+"”")
	}
	for _, o := range s.d.Roles {
		add(o.Owner, "owns the role “"+o.Name+"”")
	}
	for _, o := range s.d.Groups {
		add(o.Owner, "owns the group “"+o.Name+"”")
	}
	reports := map[string]int{}
	for _, u := range s.d.Users {
		if u.Manager != "" && gone[u.Manager] != nil && s.x.Live(u.ID, s.t) {
			reports[u.Manager]++
		}
	}
	for id, n := range reports {
		if n == 1 {
			add(id, "is the manager of one live person")
		} else {
			add(id, fmt.Sprintf("is the manager of %d live people", n))
		}
	}
	for _, g := range s.d.Delegations {
		if g.Until.IsZero() || s.t.Before(g.Until) {
			add(g.Delegate.User, "is the delegate of “"+g.Name+"”")
		}
	}
	for id, u := range gone {
		if u.State == model.UserLocked { // nobody else who is gone sits on one
			for _, l := range u.Licences {
				add(id, "sits on a seat of "+s.name(model.KindLicence, l))
			}
		}
	}
	for id, list := range answers {
		u := gone[id]
		out = append(out, Finding{
			Weight:  2,
			Objects: []Object{{model.KindUser, id}},
			Says:    fmt.Sprintf("%s is %s and still %s.", u.DisplayName, u.State, some(list)),
		})
	}
	return out
}

// noManagers are people about whom managers would decide, and who have none that is live.
func noManagers(s *search) (out []Finding) {
	for _, u := range s.d.Users {
		if !s.Managed[u.ID] || !s.x.Live(u.ID, s.t) || u.Manager != "" && s.x.Live(u.Manager, s.t) {
			continue
		}
		says := u.DisplayName + " has no manager"
		if u.Manager != "" {
			says = "The manager of " + u.DisplayName + ", " + s.name(model.KindUser, u.Manager) + ", is not live"
		}
		out = append(out, Finding{
			Weight:  1,
			Objects: []Object{{model.KindUser, u.ID}},
			Says:    says + ", and a review asks managers about them: their items come to the fallback.",
		})
	}
	return out
}

func invitationsOver(s *search) (out []Finding) {
	for id, how := range s.Over {
		if u, ok := s.d.Users.Find(id); ok && u.State == model.UserInvited {
			out = append(out, Finding{
				Weight: 1, Objects: []Object{{model.KindUser, id}}, Says: "The invitation of " + u.DisplayName + " " + how + ".",
				repairs: func() []Repair { return []Repair{s.deletion(model.KindUser, id)} },
			})
		}
	}
	return out
}

func brokenDuties(s *search) (out []Finding) {
	for _, v := range duty.All(s.x, s.t) {
		if v.Excepted {
			continue
		}
		var items []string
		for _, i := range v.Items {
			if i.Role != "" {
				items = append(items, "“"+s.name(model.KindRole, i.Role)+"”")
			} else {
				items = append(items, i.Permission)
			}
		}
		where := ""
		if v.Area != "" && v.Area != s.d.Root() {
			where = " at " + s.name(model.KindArea, v.Area)
		}
		out = append(out, Finding{
			Weight:  3,
			Objects: []Object{{model.KindUser, v.User}, {model.KindConflict, v.Conflict}},
			Says: fmt.Sprintf("%s holds %s together%s, against “%s”.", s.name(model.KindUser, v.User),
				strings.Join(items, " and "), where, s.name(model.KindConflict, v.Conflict)),
		})
	}
	return out
}

func exceptionsEnding(s *search) (out []Finding) {
	for _, c := range s.d.Conflicts {
		for _, e := range c.Exceptions {
			if !s.t.Before(e.Until) || e.Until.After(s.t.AddDate(0, 0, soon)) {
				continue
			}
			out = append(out, Finding{
				Weight:  2,
				Objects: []Object{{model.KindConflict, c.ID}, {model.KindUser, e.User}},
				Says: fmt.Sprintf("The exception of %s from “%s” ends on %s.", s.name(model.KindUser, e.User), c.Name,
					model.Day(e.Until)),
			})
		}
	}
	return out
}

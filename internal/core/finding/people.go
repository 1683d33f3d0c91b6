package finding

import (
	"fmt"
	"maps"
	mathbits "math/bits"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/series"
	"fachwerk/internal/core/use"
)

// dormant are people who hold something of a system, did not use it within the days, and were not given it within
// these.
func dormant(s *search) []Finding {
	if s.daysCount() {
		return each(len(s.d.Systems), func(n int) (out []Finding) {
			system := s.d.Systems[n].ID
			for _, f := range series.Idle(s.x, s.Uses, system, s.Limits.Idle, s.t) {
				out = append(out, s.dormantOn(f, system)...)
			}
			return out
		})
	}
	limit := s.t.AddDate(0, 0, -s.Limits.Idle)
	return s.ofEach(Dormant, func(u *model.User) (out []Finding) {
		of := map[string]bool{}
		for _, h := range s.x.Effective(u.ID, s.t) {
			of[use.SystemOf(h.Permission)] = true
		}
		for system := range of {
			if last, used := s.Uses.Last(u.ID, system); s.Uses.Known(system) && (!used || last.Before(limit)) {
				out = append(out, s.dormantOn(series.Found{User: u.ID, Last: last}, system)...)
			}
		}
		return out
	})
}

// dormantOn finds that somebody who does not use a system is dormant, unless they were given it lately.
func (s *search) dormantOn(who series.Found, system string) []Finding {
	user := who.User
	if !slices.ContainsFunc(s.x.GrantsFor(user), func(a *model.Assignment) bool {
		return s.inForce(a) && s.gives(target(a))[system] && !s.recent(user, a)
	}) {
		return nil
	}
	return []Finding{{
		Weight:  2,
		Objects: []Object{{model.KindUser, user}, {model.KindSystem, system}},
		says: func(s *search) string {
			if who.Last.IsZero() {
				return fmt.Sprintf("%s has never used %s.", s.name(model.KindUser, user), s.name(model.KindSystem, system))
			}
			return fmt.Sprintf("%s last used %s %d days ago.", s.name(model.KindUser, user), s.name(model.KindSystem, system),
				int(s.t.Sub(who.Last).Hours()/24))
		},
		repairs: func(s *search) []Repair {
			var ops []change.Op
			for _, a := range s.x.GrantsOfUser(user) {
				if s.inForce(a) && s.gives(target(a))[system] {
					ops = append(ops, change.Delete(a))
				}
			}
			if len(ops) == 0 {
				return nil
			}
			return []Repair{{"Take away what they have of it by hand.", ops}}
		},
	}}
}

// recent tells whether somebody was given something within the days: it was assigned, or began, or they came into the
// group, or came at all.
func (s *search) recent(user string, a *model.Assignment) bool {
	limit := s.t.AddDate(0, 0, -s.Limits.Idle)
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
	limit := s.t.AddDate(0, 0, -s.Limits.Idle)
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
	of := func(u *model.User) (out []Finding) {
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
				says: func(s *search) string {
					return fmt.Sprintf("%s sits on a seat of %s and used nothing that needs it for %d days.",
						s.name(model.KindUser, u.ID), s.name(model.KindLicence, l), s.Limits.Idle)
				},
				repairs: func(s *search) []Repair {
					now, _ := s.d.Users.Find(u.ID)
					after := change.Clone(now)
					after.Licences = slices.DeleteFunc(slices.Clone(after.Licences), func(id string) bool { return id == l })
					return []Repair{{"Free the seat.", []change.Op{change.Put(s.d, after)}}}
				},
			})
		}
		return out
	}
	if s.since != nil && s.since.uses {
		return each(len(s.d.Users), func(i int) []Finding { return of(s.d.Users[i]) })
	}
	return s.ofEach(SeatIdle, of)
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
	count := func(lists [][]string, by int) {
		for _, list := range lists {
			for _, l := range list {
				s.lacking[l] += by
			}
		}
	}
	if s.since == nil {
		s.lacking = map[string]int{}
		s.waits = index.EachPerson(s.d, func(u *model.User) []string { return s.x.WaitsFor(u.ID, s.t) })
		count(s.waits.All(), 1)
	} else {
		was := s.since.was
		s.waits, s.lacking = was.waits.Beside(s.d.Users), maps.Clone(was.lacking)
		for _, u := range s.since.touched {
			s.waits.Set(u, s.x.WaitsFor(u, s.t))
			count([][]string{was.waits.Of(u)}, -1)
			count([][]string{s.waits.Of(u)}, 1)
		}
	}
	used := s.x.SeatsUsed()
	for _, l := range s.d.Licences {
		waiting := s.lacking[l.ID]
		if waiting == 0 {
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
		out = append(out, Finding{
			Weight: weight, Objects: []Object{{model.KindLicence, l.ID}},
			says: func(s *search) string {
				who := fmt.Sprintf("%d people lack %s", waiting, l.Name)
				if waiting == 1 {
					alone := slices.IndexFunc(s.waits.All(), func(list []string) bool { return slices.Contains(list, l.ID) })
					who = s.d.Users[alone].DisplayName + " lacks " + l.Name
				}
				return who + ", so something is withheld; " + free + "."
			},
		})
	}
	return out
}

// post is what peers have in common.
type post struct{ title, department string }

func postOf(u *model.User) post { return post{u.JobTitle, u.Department} }

// outliers are people who by hand hold something of risk that fewer than one in twenty of their peers hold. They are
// looked for post by post.
func outliers(s *search) []Finding {
	posts := s.posts()
	out := each(len(posts), func(n int) []Finding { return s.outliersAmong(posts[n]) })
	if s.since == nil {
		return out
	}
	return append(s.since.kept(Outlier, func(f *Finding) bool {
		u, ok := s.d.Users.Find(f.Objects[0].ID)
		return ok && !s.since.posts[postOf(u)] // of these posts everybody was looked at
	}), out...)
}

// fewPosts tells whether a post is one of those of whose people any may be otherwise. Of few, comparing is quicker than
// looking up.
func (s *search) fewPosts() func(p post) bool {
	if s.since == nil {
		return nil
	}
	if list := slices.Collect(maps.Keys(s.since.posts)); len(list) < 8 {
		return func(p post) bool { return slices.Contains(list, p) }
	}
	return func(p post) bool { return s.since.posts[p] }
}

// posts gives the live people of each post that has enough of them; of those posts of whose people any may be
// otherwise.
func (s *search) posts() (out [][]*model.User) {
	by := map[post][]*model.User{}
	if s.since != nil {
		was := s.since.was
		for id := range s.since.people {
			before, _ := was.d.Users.Find(id)
			now, _ := s.d.Users.Find(id)
			if before == now && slices.Equal(was.rows().Of(id), s.rows().Of(id)) &&
				slices.Equal(was.x.GrantsOfUser(id), s.x.GrantsOfUser(id)) {
				continue // whatever is otherwise is of no risk
			}
			for _, u := range []*model.User{before, now} {
				if u != nil {
					s.since.posts[postOf(u)] = true
				}
			}
		}
	}
	few := s.fewPosts()
	for _, u := range s.d.Users {
		p := postOf(u)
		if p.title == "" || s.since != nil && !few(p) {
			continue
		}
		if s.x.Live(u.ID, s.t) {
			by[p] = append(by[p], u)
		}
	}
	for _, people := range by {
		if len(people) > s.Limits.Peers {
			out = append(out, people)
		}
	}
	return out
}

// outliersAmong finds those among the live people of one post.
func (s *search) outliersAmong(people []*model.User) (out []Finding) {
	rows := s.rows()
	alike := make([]int, len(rows.Keys())) // how many hold each
	for _, u := range people {
		for n := range index.EachBit(rows.Of(u.ID)) {
			alike[n]++
		}
	}
	peers := len(people) - 1
	for _, u := range people {
		row := rows.Of(u.ID)
		for _, a := range s.x.GrantsOfUser(u.ID) {
			if row == nil || !s.inForce(a) {
				continue
			}
			var rare []int
			for _, n := range s.risks(target(a)) {
				if row[n/64]>>(n%64)&1 == 1 && (alike[n]-1)*s.Limits.Rare < peers {
					rare = append(rare, n)
				}
			}
			if len(rare) == 0 {
				continue
			}
			carried := s.x.Carried([]*model.Assignment{a}, s.t)
			var keys []string
			risk := 0
			for _, n := range rare {
				key := rows.Keys()[n]
				if slices.ContainsFunc(carried, func(c index.Holding) bool { return c.Permission == key }) {
					p, _ := s.d.Permission(key)
					keys, risk = append(keys, key), max(risk, p.Risk)
				}
			}
			if len(keys) == 0 {
				continue
			}
			kind, id := target(a)
			out = append(out, Finding{
				Weight:  risk,
				Objects: []Object{{model.KindUser, u.ID}, {model.KindAssignment, a.ID}, {kind, id}},
				says: func(s *search) string {
					return fmt.Sprintf("%s has by hand what hardly anybody of the %d others with the same title and department has: "+
						"%s, by “%s”.", s.name(model.KindUser, u.ID), peers, some(keys), s.name(kind, id))
				},
				repairs: func(s *search) []Repair { return s.revoke(a) },
			})
		}
	}
	return out
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

// OfRisk gives the permissions of a design of at least some risk.
func OfRisk(d *model.Design, risk int) (out []string) {
	for _, system := range d.Systems {
		for _, p := range system.Permissions {
			if p.Risk >= risk {
				out = append(out, p.Key)
			}
		}
	}
	return out
}

// unreviewed are people who hold something critical of which no item of a review has decided for long.
func unreviewed(s *search) []Finding {
	rows := s.rows()
	critical := s.critical()
	s.decided = s.decidedRows()
	of := func(u *model.User) []Finding {
		var first []string
		count := 0
		decided := s.decided[u.ID]
		for at, bits := range rows.Of(u.ID) {
			bits &= critical[at]
			if decided != nil {
				bits &^= decided[at]
			}
			for rest := bits; rest != 0 && len(first) < named; rest &= rest - 1 {
				first = append(first, rows.Keys()[64*at+mathbits.TrailingZeros64(rest)])
			}
			count += mathbits.OnesCount64(bits)
		}
		if count == 0 {
			return nil
		}
		return []Finding{{
			Weight:  2,
			Objects: []Object{{model.KindUser, u.ID}},
			says: func(s *search) string {
				what := some(first)
				if more := count - len(first); more > 0 {
					what += fmt.Sprintf(" and %d more", more)
				}
				return fmt.Sprintf("%s holds %s, which is critical, and no review has decided about that in the last %d days.",
					s.name(model.KindUser, u.ID), what, s.Limits.Review)
			},
		}}
	}
	if s.since != nil {
		for _, side := range []map[string][]uint64{s.decided, s.since.was.decided} {
			for user := range side {
				if !slices.Equal(s.decided[user], s.since.was.decided[user]) {
					s.since.reviewed[user] = true
				}
			}
		}
		out := s.since.kept(Unreviewed, func(f *Finding) bool {
			return !s.since.people[f.Objects[0].ID] && !s.since.reviewed[f.Objects[0].ID]
		})
		for user := range s.since.reviewed {
			if u, ok := s.d.Users.Find(user); ok && !s.since.people[user] {
				out = append(out, of(u)...)
			}
		}
		return append(out, s.anew(of)...)
	}
	return s.ofEach(Unreviewed, of)
}

// critical gives which bits of the rows are of critical risk, as a row.
func (s *search) critical() []uint64 { return s.rows().Bits(OfRisk(s.d, 3)) }

// decidedRows tells about what of high and critical risk reviews decided, of each person about whom any did.
func (s *search) decidedRows() map[string][]uint64 {
	words := (len(s.rows().Keys()) + 63) / 64
	out := map[string][]uint64{}
	for _, r := range s.Reviewed {
		row := out[r.User]
		if row == nil {
			row = make([]uint64, words)
			out[r.User] = row
		}
		for _, n := range s.risks(target(&model.Assignment{Role: r.Role, Set: r.Set})) {
			row[n/64] |= 1 << (n % 64)
		}
	}
	return out
}

// leftOvers are people who are locked, deactivated or deleted and answer for something still.
func leftOvers(s *search) (out []Finding) {
	answers := map[string][]string{}
	people := []*model.User(s.d.Users)
	s.gone = map[string]*model.User{}
	if s.since != nil {
		s.gone = maps.Clone(s.since.was.gone)
		for id := range s.since.people {
			delete(s.gone, id)
		}
		people = s.changedPeople()
	}
	for _, u := range people {
		if u.State == model.UserLocked || u.State == model.UserDeactivated || u.State == model.UserDeleted {
			s.gone[u.ID] = u
		}
	}
	gone := s.gone
	add := func(id, what string) { answers[id] = append(answers[id], what) }
	owner := func(id, kind, name string) {
		if gone[id] != nil {
			add(id, "owns the "+kind+" “"+name+"”")
		}
	}
	for _, o := range s.d.Sets {
		owner(o.Owner, "set", o.Name)
	}
	for _, o := range s.d.Roles {
		owner(o.Owner, "role", o.Name)
	}
	for _, o := range s.d.Groups {
		owner(o.Owner, "group", o.Name)
	}
	s.countReports()
	for id := range gone {
		switch n := s.reports[id]; n {
		case 0:
		case 1:
			add(id, "is the manager of one live person")
		default:
			add(id, fmt.Sprintf("is the manager of %d live people", n))
		}
	}
	for _, g := range s.d.Delegations {
		if gone[g.Delegate.User] != nil && (g.Until.IsZero() || s.t.Before(g.Until)) {
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
			says: func(*search) string {
				return fmt.Sprintf("%s is %s and still %s.", u.DisplayName, u.State, some(list))
			},
		})
	}
	return out
}

// countReports counts the live people of each manager.
func (s *search) countReports() {
	count := func(x *index.Index, u *model.User, t time.Time, by int) {
		if u.Manager != "" && x.Live(u.ID, t) {
			s.reports[u.Manager] += by
		}
	}
	if s.since == nil {
		s.reports = map[string]int{}
		for _, u := range s.d.Users {
			count(s.x, u, s.t, 1)
		}
		return
	}
	was := s.since.was
	s.reports = maps.Clone(was.reports)
	for id := range s.since.people {
		if u, ok := was.d.Users.Find(id); ok {
			count(was.x, u, was.t, -1)
		}
		if u, ok := s.d.Users.Find(id); ok {
			count(s.x, u, s.t, 1)
		}
	}
}

// noManagers are people about whom managers would decide, and who have none that is live.
func noManagers(s *search) (out []Finding) {
	if len(s.Managed) == 0 {
		return nil
	}
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
			says: func(*search) string {
				return says + ", and a review asks managers about them: their items come to the fallback."
			},
		})
	}
	return out
}

func invitationsOver(s *search) (out []Finding) {
	for id, how := range s.Over {
		if u, ok := s.d.Users.Find(id); ok && u.State == model.UserInvited {
			out = append(out, Finding{
				Weight: 1, Objects: []Object{{model.KindUser, id}},
				says:    func(*search) string { return "The invitation of " + u.DisplayName + " " + how + "." },
				repairs: func(s *search) []Repair { return s.deletion(model.KindUser, id) },
			})
		}
	}
	return out
}

func brokenDuties(s *search) (out []Finding) {
	if s.since == nil {
		s.duties = duty.All(s.x, s.t)
	} else {
		s.duties = duty.Next(s.since.was.duties, s.since.was.x, s.x, s.since.touched, s.t)
	}
	all := !s.same(model.KindConflict)
	if !all {
		out = s.since.kept(BrokenDuty, func(f *Finding) bool { return !s.since.people[f.Objects[0].ID] })
	}
	for _, v := range s.duties {
		if v.Excepted || !all && !s.since.people[v.User] {
			continue
		}
		out = append(out, Finding{
			Weight:  3,
			Objects: []Object{{model.KindUser, v.User}, {model.KindConflict, v.Conflict}},
			says: func(s *search) string {
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
				return fmt.Sprintf("%s holds %s together%s, against “%s”.", s.name(model.KindUser, v.User),
					strings.Join(items, " and "), where, s.name(model.KindConflict, v.Conflict))
			},
		})
	}
	return out
}

func exceptionsEnding(s *search) (out []Finding) {
	for _, c := range s.d.Conflicts {
		for _, e := range c.Exceptions {
			if !s.t.Before(e.Until) || e.Until.After(s.t.AddDate(0, 0, s.Limits.Soon)) {
				continue
			}
			out = append(out, Finding{
				Weight:  2,
				Objects: []Object{{model.KindConflict, c.ID}, {model.KindUser, e.User}},
				says: func(s *search) string {
					return fmt.Sprintf("The exception of %s from “%s” ends on %s.", s.name(model.KindUser, e.User), c.Name,
						model.LastDay(e.Until))
				},
			})
		}
	}
	return out
}

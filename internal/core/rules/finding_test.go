package rules

import (
	"cmp"
	"maps"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/finding"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
)

// loose is what a plain reading of §13 finds, by kind and the first of what each is about.
type loose map[string]bool

func (l loose) say(kind finding.Kind, about ...string) {
	l[string(kind)+" "+strings.Join(about, " ")] = true
}

// includes tells whether one of some holdings includes another.
// soon is from how many days on an end is near here; another number than the usual one.
const soon = 17

func (p plain) includes(list map[index.Holding]bool, h index.Holding) bool {
	for o := range list {
		if o.Permission == h.Permission && p.covers(o.Area, h.Area) && widths[o.Reach] >= widths[h.Reach] {
			return true
		}
	}
	return false
}

// without is a design without some assignments.
func (p plain) without(drop func(*model.Assignment) bool) plain {
	d := *p.Design
	d.Assignments = slices.DeleteFunc(slices.Clone(d.Assignments), drop)
	return plain{&d}
}

// loses tells whether somebody holds less at an instant in another design, which lacks one assignment.
func (p plain) loses(other plain, a *model.Assignment, user string, at time.Time) bool {
	if !p.applies(a, user, at) { // nothing else is missing in the other
		return false
	}
	then := other.effective(user, at)
	for h := range p.effective(user, at) {
		if !other.includes(then, h) {
			return true
		}
	}
	return false
}

// holders are the live people whom a role or set reaches.
func (p plain) reached(of func(a *model.Assignment) bool) (out []string) {
	for _, u := range p.Users {
		if p.live(u, now) && slices.ContainsFunc(p.Assignments, func(a *model.Assignment) bool {
			return of(a) && p.applies(a, u.ID, now)
		}) {
			out = append(out, u.ID)
		}
	}
	return out
}

// builds tells whether a role is another, or inherits it.
func (p plain) builds(role, on string) bool {
	if role == on {
		return true
	}
	r, ok := p.Roles.Find(role)
	return ok && slices.ContainsFunc(r.Inherits, func(i string) bool { return p.builds(i, on) })
}

// brings tells whether a role includes a set, or builds on one that does.
func (p plain) brings(role, set string) bool {
	r, ok := p.Roles.Find(role)
	return ok && (slices.Contains(r.Sets, set) ||
		slices.ContainsFunc(r.Inherits, func(i string) bool { return p.brings(i, set) }))
}

// above gives a group and all that it is nested in.
func (p plain) nestedIn(group string) map[string]bool {
	out := map[string]bool{group: true}
	for range p.Groups {
		for _, g := range p.Groups {
			for child := range maps.Clone(out) {
				if slices.Contains(g.Groups, child) {
					out[g.ID] = true
				}
			}
		}
	}
	return out
}

func (p plain) things(out loose) {
	for _, g := range p.Groups {
		if !slices.ContainsFunc(p.Users, func(u *model.User) bool { return p.member(u.ID, g.ID) }) {
			out.say(finding.EmptyGroup, g.ID)
		}
		above := p.nestedIn(g.ID)
		idle := !slices.ContainsFunc(p.Assignments, func(a *model.Assignment) bool {
			return above[a.Subject.Group] && (a.Until.IsZero() || now.Before(a.Until))
		})
		for _, d := range p.Delegations {
			idle = idle && d.Delegate.Group != g.ID && d.People.Group != g.ID && !slices.Contains(d.Groups, g.ID)
		}
		for _, w := range p.Guarantees {
			idle = idle && (w.People == nil || w.People.Group != g.ID)
		}
		if idle {
			out.say(finding.IdleGroup, g.ID)
		}
	}
	owned := func(o model.Object, owner string) {
		u, ok := p.Users.Find(owner)
		if !ok || !p.live(u, now) {
			out.say(finding.Ownerless, o.Ident())
		}
	}
	for _, g := range p.Groups {
		owned(g, g.Owner)
	}
	for i, r := range p.Roles {
		owned(r, r.Owner)
		if len(p.reached(func(a *model.Assignment) bool { return a.Role != "" && p.builds(a.Role, r.ID) })) == 0 {
			out.say(finding.UnheldRole, r.ID)
		}
		for _, o := range p.Roles[i+1:] {
			a, b := p.role(r.ID), p.role(o.ID)
			both := 0
			for k := range a {
				if b[k] {
					both++
				}
			}
			if r.State != model.Retired && o.State != model.Retired && len(a) >= 5 && len(b) >= 5 &&
				both*10 >= 9*(len(a)+len(b)-both) {
				out.say(finding.NearRoles, r.ID, o.ID)
			}
		}
	}
	for _, x := range p.Sets {
		if model.BuiltIn(model.KindSet, x.ID) {
			continue
		}
		if x.System == "" {
			owned(x, x.Owner)
		}
		if len(
			p.reached(func(a *model.Assignment) bool { return a.Set == x.ID || a.Role != "" && p.brings(a.Role, x.ID) }),
		) == 0 {
			out.say(finding.UnusedSet, x.ID)
		}
		if original, ok := p.Sets.Find(copied(x)); ok && !maps.Equal(p.cl(x.Permissions), p.cl(original.Permissions)) {
			out.say(finding.Drifted, x.ID, original.ID)
		}
	}
	gone := func(o model.Object, keys ...string) {
		for _, k := range keys {
			if k != "" && p.permission(k) == nil && !strings.HasSuffix(k, ":*") {
				out.say(finding.Dangling, o.Ident())
			}
		}
	}
	for _, x := range p.Sets {
		if !model.BuiltIn(model.KindSet, x.ID) {
			gone(x, x.Permissions...)
		}
	}
	for _, r := range p.Roles {
		gone(r, slices.Concat(r.Permissions, r.Excludes)...)
	}
	for _, c := range p.Conflicts {
		for _, i := range c.Items {
			gone(c, i.Permission)
		}
	}
	for _, w := range p.Guarantees {
		gone(w, w.Permissions...)
	}
}

func copied(x *model.Set) string {
	if x.CopyOf == nil {
		return ""
	}
	return x.CopyOf.Set
}

func (p plain) people(out loose, book *use.Book, days int) {
	since := now.AddDate(0, 0, -days)
	for _, u := range p.Users {
		live := p.live(u, now)
		held := p.effective(u.ID, now)
		if live {
			for _, s := range p.Systems {
				has := false
				for h := range held {
					has = has || strings.HasPrefix(h.Permission, s.ID+":")
				}
				last, known := book.Last(u.ID, s.ID)
				if !has || !book.Known(s.ID) || known && !last.Before(since) {
					continue
				}
				if u.From.After(since) ||
					!slices.ContainsFunc(p.Assignments, func(a *model.Assignment) bool { // all of it began lately
						gives := p.role
						id := a.Role
						if a.Set != "" {
							gives, id = p.set, a.Set
						}
						touches := false
						for k := range gives(id) {
							touches = touches || strings.HasPrefix(k, s.ID+":")
						}
						return touches && p.applies(a, u.ID, now) && !a.From.After(since)
					}) {
					continue
				}
				out.say(finding.Dormant, u.ID, s.ID)
			}
			for _, l := range u.Licences {
				var about []string
				for _, s := range p.Systems {
					for _, q := range s.Permissions {
						for c := range p.cl([]string{q.Key}) {
							if p.needs(c) != "" && p.licenceCovers(l, p.needs(c), map[string]bool{}) {
								about = append(about, s.ID)
							}
						}
					}
				}
				if !slices.ContainsFunc(about, book.Known) {
					continue
				}
				if !slices.ContainsFunc(about, func(s string) bool {
					last, known := book.Last(u.ID, s)
					return known && !last.Before(since)
				}) {
					out.say(finding.SeatIdle, u.ID, l)
				}
			}
		}
		var reports, owns, delegate bool
		for _, o := range p.Users {
			reports = reports || o.Manager == u.ID && p.live(o, now)
		}
		for _, g := range p.Groups {
			owns = owns || g.Owner == u.ID
		}
		for _, d := range p.Delegations {
			delegate = delegate || d.Delegate.User == u.ID && (d.Until.IsZero() || now.Before(d.Until))
		}
		switch u.State {
		case model.UserLocked, model.UserDeactivated, model.UserDeleted:
			if reports || owns || delegate || u.State == model.UserLocked && len(u.Licences) > 0 {
				out.say(finding.LeftOver, u.ID)
			}
		case model.UserActive:
			if u.Until.After(now) && !u.Until.After(now.AddDate(0, 0, soon)) && len(p.effective(u.ID, u.Until.Add(-1))) > 0 {
				out.say(finding.Ending, u.ID)
			}
		}
		for _, id := range p.violates(u.ID, now) {
			c, _ := p.Conflicts.Find(id)
			if !slices.ContainsFunc(
				c.Exceptions,
				func(e model.Exception) bool { return e.User == u.ID && now.Before(e.Until) },
			) {
				out.say(finding.BrokenDuty, u.ID, id)
			}
		}
		critical := false
		for h := range held {
			critical = critical || p.permission(h.Permission).Risk == 3
		}
		if critical {
			out.say(finding.Unreviewed, u.ID)
		}
	}
	for _, s := range p.Systems {
		for _, q := range s.Permissions {
			var who []string
			for _, u := range p.Users {
				for h := range p.effective(u.ID, now) {
					if h.Permission == q.Key {
						who = append(who, u.ID)
						break
					}
				}
			}
			if q.Risk == 3 && len(who) == 1 {
				out.say(finding.SingleHolder, q.Key, who[0])
			}
		}
	}
	for _, l := range p.Licences {
		if slices.ContainsFunc(p.Users, func(u *model.User) bool { return slices.Contains(p.lacks(u.ID), l.ID) }) {
			out.say(finding.SeatWanted, l.ID)
		}
	}
	for _, c := range p.Conflicts {
		for _, e := range c.Exceptions {
			if now.Before(e.Until) && !e.Until.After(now.AddDate(0, 0, soon)) {
				out.say(finding.ExceptionEnding, c.ID, e.User)
			}
		}
	}
}

// lacks gives the licences for want of which something in force is withheld from somebody.
func (p plain) lacks(user string) (out []string) {
	u, _ := p.Users.Find(user)
	if !p.live(u, now) {
		return nil
	}
	for k := range p.withheld(user, now) {
		for c := range p.cl([]string{k}) {
			if l := p.needs(c); l != "" && !p.licensedFor(user, l) {
				out = append(out, l)
			}
		}
	}
	return out
}

func (p plain) grants(out loose) {
	for _, a := range p.Assignments {
		without := p.without(func(b *model.Assignment) bool { return b.ID == a.ID })
		users := append([]string{index.Anonymous}, names(p.Design)...)
		if within(now, a.From, a.Until) &&
			!slices.ContainsFunc(users, func(u string) bool { return p.loses(without, a, u, now) }) {
			out.say(finding.GivesNothing, a.ID)
		}
		if a.Until.After(now) && !a.Until.After(now.AddDate(0, 0, soon)) &&
			slices.ContainsFunc(names(p.Design), func(u string) bool { return p.loses(without, a, u, a.Until.Add(-1)) }) {
			out.say(finding.Ending, a.ID)
		}
		if a.Subject.User == "" || !a.Until.IsZero() && !now.Before(a.Until) {
			continue
		}
		u, _ := p.Users.Find(a.Subject.User)
		alone := p.without(func(b *model.Assignment) bool { return b.ID != a.ID })
		groups := p.without(func(b *model.Assignment) bool { return b.Subject.Group == "" })
		gives, more := false, false
		// Whether they are live then is not asked: who is live now is taken as such.
		alone, groups = alone.awake(), groups.awake()
		for _, at := range p.instants(now) {
			held := groups.effective(u.ID, at)
			for h := range alone.effective(u.ID, at) {
				gives = true
				more = more || !p.includes(held, h)
			}
		}
		if p.live(u, now) && gives && !more {
			out.say(finding.ByHandToo, a.ID)
		}
	}
	for _, d := range p.Delegations {
		if d.Until.After(now) && !d.Until.After(now.AddDate(0, 0, soon)) {
			out.say(finding.Ending, d.ID)
		}
	}
}

// What is found is what a plain reading of §13 finds.
func TestFindingsAreReadPlainly(t *testing.T) {
	found := map[finding.Kind]int{}
	told := map[finding.Kind]int{ // how many of the objects say which finding it is
		finding.Dormant: 2, finding.SeatIdle: 2, finding.BrokenDuty: 2, finding.NearRoles: 2, finding.Drifted: 2,
		finding.SingleHolder: 2, finding.ExceptionEnding: 2,
	}
	left := []finding.Kind{
		finding.Outlier,
		finding.BrokenGuarantee,
		finding.HighCeiling,
		finding.NoManager,
		finding.UpgradeWaiting,
		finding.InvitationOver,
	}
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		book := use.NewBook()
		for range 6 {
			book.Note(
				use.Use{
					User: pick(r, d.Users).ID,
					What: pick(r, []string{"alpha", "beta"}),
					At:   now.Add(-time.Duration(r.IntN(9)) * 24 * time.Hour),
				},
			)
		}
		const days = 4
		want := loose{}
		p := plain{d}
		p.things(want)
		p.people(want, book, days)
		p.grants(want)
		got := loose{}
		limits := finding.Thresholds{Idle: days, Soon: soon}
		for _, f := range finding.All(ahead.Of(x), finding.Facts{Uses: book, Limits: limits}, now) {
			if slices.Contains(left, f.Kind) {
				continue
			}
			var about []string
			for _, o := range f.Objects[:max(1, told[f.Kind])] {
				about = append(about, o.ID)
			}
			if f.Kind == finding.Ending && f.Objects[len(f.Objects)-1].Kind == model.KindGroup &&
				f.Objects[0].Kind == model.KindUser {
				continue // a qualification
			}
			got.say(f.Kind, about...)
			found[f.Kind]++
			if !strings.HasSuffix(f.Says(), ".") {
				t.Errorf("%s is no sentence: %q", f.Kind, f.Says())
			}
		}
		for k := range want {
			if !got[k] {
				t.Errorf("%s is not found", k)
			}
		}
		for k := range got {
			if !want[k] {
				t.Errorf("%s is found, and is not so", k)
			}
		}
	})
	if designs >= 150 {
		for _, a := range finding.Kinds {
			if !slices.Contains(left, a.Kind) && found[a.Kind] < 5 {
				t.Errorf("of %s there are %d: too few to prove anything", a.Kind, found[a.Kind])
			}
		}
	}
}

// What is found in a design after many changes, from what was found before, is what is found in it from nothing.
func TestFindingsGoOnFromChangeToChange(t *testing.T) {
	came := map[finding.Kind]int{}
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		book := use.NewBook()
		facts := finding.Facts{
			Uses: book, Limits: finding.Thresholds{Idle: 4, Soon: soon}, Recently: finding.Recently{Users: map[string]bool{}},
		}
		at := now
		y := finding.Look(ahead.Of(x), facts, at)
		for range 6 {
			after, _ := change.Apply(d, r.edits(d, 1+r.IntN(3)))
			if after == nil {
				continue
			}
			if r.chance(30) {
				facts.Reviewed = append(slices.Clone(facts.Reviewed), finding.Reviewed{
					User: pick(r, d.Users).ID, Role: pick(r, d.Roles).ID,
				})
			}
			if r.chance(20) { // far enough for uses to count anew, and at times for something to begin or end
				at = at.Add(time.Duration(1+r.IntN(40)) * time.Hour)
				book.Note(use.Use{User: pick(r, d.Users).ID, What: "alpha", At: at})
			}
			d, x = after, x.Update(after)
			y = y.Next(ahead.Of(x), facts, at)
			want := map[string]finding.Finding{}
			for _, f := range finding.All(ahead.Of(index.Compile(d)), facts, at) {
				want[f.ID()] = f
			}
			list := y.All()
			for _, f := range list {
				w, is := want[f.ID()]
				switch {
				case !is:
					t.Errorf("%s is found, and is not so", f.ID())
				case f.Weight != w.Weight || f.Says() != w.Says() || len(f.Repairs()) != len(w.Repairs()):
					t.Errorf("%s is told as\n%d %s\nand is\n%d %s", f.ID(), f.Weight, f.Says(), w.Weight, w.Says())
				}
				delete(want, f.ID())
				came[f.Kind]++
			}
			for id := range want {
				t.Errorf("%s is not found", id)
			}
			if !slices.IsSortedFunc(list, func(a, b finding.Finding) int {
				return cmp.Or(place(a.Kind)-place(b.Kind), b.Weight-a.Weight, strings.Compare(a.ID(), b.ID()))
			}) {
				t.Error("they are out of order")
			}
		}
	})
	for _, kind := range []finding.Kind{
		finding.BrokenDuty, finding.Unreviewed, finding.SingleHolder, finding.Dormant, finding.SeatWanted, finding.SeatIdle,
		finding.Ending, finding.ByHandToo, finding.GivesNothing, finding.UnheldRole, finding.NearRoles,
	} {
		if designs >= 150 && came[kind] < 20 {
			t.Errorf("of %s there were %d: too few to prove anything", kind, came[kind])
		}
	}
}

// place is where a kind of finding stands among all.
func place(k finding.Kind) int {
	return slices.IndexFunc(finding.Kinds, func(a finding.About) bool { return a.Kind == k })
}

// The duties that are broken, and what licences are lacked, follow from what was found before by those who are touched.
func TestWhoIsNotTouchedIsAsBefore(t *testing.T) {
	changed := 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		before := duty.All(x, now)
		for range 5 {
			after, _ := change.Apply(d, r.edits(d, 1+r.IntN(2)))
			if after == nil {
				continue
			}
			y := x.Update(after)
			touched, known := index.Touched(x, y)
			if !known {
				t.Fatal("the same catalogue, and it is not known who is touched")
			}
			for _, u := range after.Users {
				if slices.Contains(touched, u.ID) {
					continue
				}
				if a, b := x.WaitsFor(u.ID, now), y.WaitsFor(u.ID, now); !slices.Equal(a, b) {
					t.Errorf("%s is not touched, and waits for %v after %v", u.ID, b, a)
				}
				if a, b := x.Uses(u.ID, now), y.Uses(u.ID, now); !slices.Equal(a, b) {
					t.Errorf("%s is not touched, and uses %v after %v", u.ID, b, a)
				}
			}
			next, want := duty.Next(before, x, y, touched, now), duty.All(y, now)
			if !reflect.DeepEqual(next, want) && len(next)+len(want) > 0 {
				t.Errorf("the duties that are broken are %+v, want %+v", next, want)
			}
			if !reflect.DeepEqual(next, before) {
				changed++
			}
			d, x, before = after, y, next
		}
	})
	if designs >= 150 && changed < 50 {
		t.Errorf("%d changes broke or mended a duty: too few to prove anything", changed)
	}
}

package rules

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// permits reads §9 plainly, rules 1, 2 and 6 for one act on somebody as they stand: whether one delegation in force
// covers all of it.
func (p plain) permits(delegate string, act delegation.Act, t time.Time) bool {
	return attack{p, p, delegate, t}.may(act, act.User.ID)
}

func (p plain) given(g *model.Delegation, delegate string, t time.Time) bool {
	return model.In(t, g.From, g.Until) &&
		(g.Delegate.User == delegate || g.Delegate.Group != "" && p.member(delegate, g.Delegate.Group))
}

// about says whether a delegation is about a person.
func (p plain) about(g *model.Delegation, u *model.User) bool {
	if u.State == model.UserDeleted {
		return false
	}
	if g.People.Group != "" {
		return p.member(u.ID, g.People.Group)
	}
	if g.People.Filter != "" {
		return p.matches(g.People.Filter, u)
	}
	return p.covers(p.area(g.People.Area), p.area(u.Area))
}

// inside says whether what an act gives, takes or changes lies within a delegation.
func (p plain) inside(g *model.Delegation, delegate string, act delegation.Act, t time.Time) bool {
	switch act.Action {
	case delegation.Assign:
		return p.mayAssign(g, act.Assignment, t)
	case delegation.Revoke:
		free := *g
		free.MaxDays = nil
		return p.mayAssign(&free, act.Assignment, t)
	case delegation.Membership:
		if !slices.Contains(g.Groups, act.Group) {
			return false
		}
		for _, o := range p.Delegations {
			if !g.GroupsWhole && p.leadsTo(act.Group, o.Delegate.Group) && (o.Until.IsZero() || o.Until.After(t)) {
				return false
			}
		}
		for _, a := range p.Assignments {
			if g.GroupsWhole || !p.leadsTo(act.Group, a.Subject.Group) || !a.Until.IsZero() && !a.Until.After(t) {
				continue
			}
			could := slices.ContainsFunc(p.Delegations, func(o *model.Delegation) bool {
				return p.given(o, delegate, t) && slices.Contains(o.Actions, delegation.Assign) &&
					p.about(o, act.User) &&
					p.mayAssign(o, a, t)
			})
			if !could {
				return false
			}
		}
	}
	return true
}

func (p plain) mayAssign(g *model.Delegation, a *model.Assignment, t time.Time) bool {
	if a.Role != "" && !slices.Contains(g.Roles, a.Role) || a.Set != "" && !slices.Contains(g.Sets, a.Set) ||
		!p.covers(p.area(g.Area), p.area(a.Area)) {
		return false
	}
	if g.MaxDays == nil {
		return true
	}
	return !a.Until.IsZero() && !a.Until.After(t.AddDate(0, 0, *g.MaxDays))
}

// leadsTo says whether the members of a group are members of another, which is it or nests it.
func (p plain) leadsTo(group, other string) bool {
	return other != "" && (group == other || p.nests(other, group))
}

// nests says whether a group is nested in another, at any depth.
func (p plain) nests(outer, inner string) bool {
	o, ok := p.Groups.Find(outer)
	return ok && o.Type == model.Static &&
		slices.ContainsFunc(o.Groups, func(n string) bool { return n == inner || p.nests(n, inner) })
}

func TestActsArePermittedAsThePlainReadingSays(t *testing.T) {
	permitted := 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		p := plain{d}
		for _, delegate := range everybody(d) {
			a := delegation.Of(ahead.Of(x), delegate, now)
			for range 25 {
				act := delegation.Act{
					Action: pick(r, model.DelegableActions),
					User:   pick(r, d.Users),
					Group:  pick(r, d.Groups).ID,
				}
				if act.Action == delegation.Assign || act.Action == delegation.Revoke {
					act.Assignment = &model.Assignment{ID: "new", Role: pick(r, d.Roles).ID}
					if r.chance(40) {
						act.Assignment.Area = pick(r, d.Areas).ID
					}
					if r.chance(60) {
						act.Assignment.Until = now.AddDate(0, 0, r.IntN(100))
					}
					if r.chance(20) {
						act.Assignment.Role, act.Assignment.Set = "", pick(r, d.Sets).ID
					}
				}
				refused := a.Check(act)
				if want := p.permits(delegate, act, now); (refused == nil) != want {
					t.Fatalf(
						"%s %ss %s (%+v, group %s): %v, want permitted: %v",
						delegate,
						act.Action,
						act.User.ID,
						act.Assignment,
						act.Group,
						refused,
						want,
					)
				}
				if refused == nil {
					permitted++
				} else if refused.Reason == "" {
					t.Fatalf("a refusal without a reason: %+v", act)
				}
			}
		}
	})
	if permitted < 100 {
		t.Errorf("only %d acts were permitted: the random delegations try nothing", permitted)
	}
}

func TestADelegatesPartTellsTheTruth(t *testing.T) {
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		for _, delegate := range everybody(d) {
			a := delegation.Of(ahead.Of(x), delegate, now)
			if a.Empty() {
				continue
			}
			part := a.Part()
			for _, problem := range model.Errors(model.Check(part)) {
				if !managerOf(problem) {
					t.Fatalf("the part of %s is not well-formed: %v", delegate, problem)
				}
			}
			for _, u := range d.Users {
				if _, seen := part.Users.Find(u.ID); seen {
					continue
				}
				part.All(func(o model.Object) {
					data, err := json.Marshal(o)
					if err != nil {
						t.Fatal(err)
					}
					if id, _ := json.Marshal(u.ID); model.Mentions(o, model.KindUser, u.ID) != nil ||
						strings.Contains(strings.ReplaceAll(string(data), `\"`, `"`), string(id)) {
						t.Fatalf("the part of %s tells of %s, whom they do not see: %s", delegate, u.ID, data)
					}
				})
			}
			px := index.Compile(part)
			covered := map[string]bool{delegate: true}
			for _, g := range a.Delegations() {
				for _, u := range a.People(g) {
					covered[u] = true
				}
			}
			for _, u := range d.Users {
				_, seen := part.Users.Find(u.ID)
				if seen != covered[u.ID] {
					t.Fatalf("%s sees %s: %v, want %v", delegate, u.ID, seen, covered[u.ID])
				}
				if !seen {
					continue
				}
				if whole, there := x.Effective(u.ID, now), px.Effective(u.ID, now); !slices.Equal(whole, there) {
					t.Fatalf("%s holds %v in the part of %s, and %v in the whole", u.ID, there, delegate, whole)
				}
			}
			for _, g := range part.Delegations {
				if !slices.ContainsFunc(a.Delegations(), func(o *model.Delegation) bool { return o.ID == g.ID }) {
					t.Fatalf("%s sees the delegation %s of others", delegate, g.ID)
				}
			}
		}
	})
}

// managerOf tells whether a problem is only that a manager is not seen, for whom something else stands.
func managerOf(p model.Problem) bool {
	return p.Kind == model.KindUser && len(p.Path) > 8 && p.Path[len(p.Path)-8:] == ".manager"
}

func TestHoldersAreThePlainReading(t *testing.T) {
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		p := plain{d}
		for _, at := range times() {
			for _, key := range allKeys(d) {
				var want []string
				for _, u := range d.Users {
					for h := range p.effective(u.ID, at) {
						if h.Permission == key {
							want = append(want, u.ID)
							break
						}
					}
				}
				if got := x.Holders(index.KindPermission, key, at); !slices.Equal(got, want) && len(got)+len(want) > 0 {
					t.Fatalf("%s is held by %v, want %v", key, got, want)
				}
			}
			for _, role := range d.Roles {
				var want []string
				for _, u := range d.Users {
					if p.live(u, at) && slices.ContainsFunc(d.Assignments, func(a *model.Assignment) bool {
						return a.Role != "" && (a.Role == role.ID || p.builtOn(a.Role, role.ID)) &&
							p.applies(a, u.ID, at)
					}) {
						want = append(want, u.ID)
					}
				}
				if got := x.Holders(model.KindRole, role.ID, at); !slices.Equal(got, want) && len(got)+len(want) > 0 {
					t.Fatalf("the role %s is held by %v, want %v", role.ID, got, want)
				}
			}
		}
	})
}

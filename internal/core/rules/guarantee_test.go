package rules

import (
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// roused is a design in which everybody who is invited or locked is active; their validity is as it was.
func (p plain) roused() plain {
	d := *p.Design
	d.Users = nil
	for _, u := range p.Users {
		c := *u
		if c.State == model.UserInvited || c.State == model.UserLocked {
			c.State = model.UserActive
		}
		d.Users = append(d.Users, &c)
	}
	return plain{&d}
}

// promised tells whether a guarantee's people have somebody among them, as they are when live (§12).
func (p plain) promised(g *model.Guarantee, user string) bool {
	if g.People == nil {
		return true
	}
	if user == index.Anonymous {
		return g.People.Group == model.Public
	}
	live := p.awake()
	u, ok := live.Users.Find(user)
	if !ok {
		return false
	}
	switch {
	case g.People.Group != "":
		return live.member(user, g.People.Group)
	case g.People.Filter != "":
		return live.matches(g.People.Filter, u)
	}
	return p.covers(g.People.Area, u.Area)
}

// named gives the permissions that a guarantee is about.
func (p plain) named(g *model.Guarantee) (out []string) {
	for _, s := range p.Systems {
		for _, q := range s.Permissions {
			parts := strings.Split(q.Key, ":")
			if slices.Contains(g.Permissions, q.Key) || slices.Contains(g.Permissions, parts[0]+":*") ||
				slices.Contains(g.Permissions, parts[0]+":"+parts[1]+":*") {
				out = append(out, q.Key)
			}
		}
	}
	return out
}

// held is what people hold in one design, each asked once.
type held struct {
	plain
	known map[string]map[index.Holding]bool
}

func (p plain) held() held { return held{p, map[string]map[index.Holding]bool{}} }

func (h held) of(user string, t time.Time) map[index.Holding]bool {
	id := user + t.Format(time.RFC3339)
	if h.known[id] == nil {
		h.known[id] = h.effective(user, t)
	}
	return h.known[id]
}

// promise is a guarantee over one design, with who its people are.
type promise struct {
	*model.Guarantee
	people map[string]bool
	about  []string
}

func (p plain) promise(g *model.Guarantee) promise {
	out := promise{g, map[string]bool{}, p.named(g)}
	for _, u := range append([]string{index.Anonymous}, names(p.Design)...) {
		out.people[u] = p.promised(g, u)
	}
	return out
}

// against gives what somebody holds at t against a guarantee that nobody, or only some, may.
func (p held) against(g promise, user string, t time.Time) (out []index.Holding) {
	if g.Type == model.Nobody && !g.people[user] || g.Type == model.Only && g.people[user] {
		return nil
	}
	for h := range p.of(user, t) {
		if slices.Contains(g.about, h.Permission) && (p.covers(g.Area, h.Area) || p.covers(h.Area, g.Area)) {
			out = append(out, h)
		}
	}
	return out
}

// counted gives how many of a guarantee's people hold a permission at t, at its area whole.
func (p held) counted(g promise, key string, t time.Time) (n int) {
	for _, u := range p.Users {
		if !g.people[u.ID] {
			continue
		}
		for h := range p.of(u.ID, t) {
			if h.Permission == key && h.Reach == model.ReachArea && p.covers(h.Area, g.Area) {
				n++
				break
			}
		}
	}
	return n
}

// whole is a design as a guarantee looks at it: with those roused who are not live, unless it wants at least so many.
func whole(g *model.Guarantee, as, roused held) held {
	if g.Type == model.AtLeast {
		return as
	}
	return roused
}

func breaks(g promise, n int) bool {
	return g.Type == model.AtMost && n > *g.Count || g.Type == model.AtLeast && n < *g.Count
}

// keyOf names what a breach is about.
func keyOf(b guarantee.Breach) string { return b.Guarantee + " " + b.Permission + " " + b.User }

// from is when a breach begins, where now is told as nothing.
func from(at time.Time) time.Time {
	if at.Equal(now) {
		return time.Time{}
	}
	return at
}

// What breaks a guarantee, and from when on, is what a plain reading of §12 says at every instant to come.
func TestGuaranteesAreReadPlainly(t *testing.T) {
	broken, later := map[model.GuaranteeType]int{}, 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		p, v := plain{d}.held(), ahead.Of(x)
		users := append([]string{index.Anonymous}, names(d)...)
		roused := p.roused().held()
		for _, o := range d.Guarantees {
			g := p.promise(o)
			whole := whole(o, p, roused)
			want, at := map[string]time.Time{}, map[string]bool{}
			for _, when := range slices.SortedFunc(slices.Values(p.instants(now)), time.Time.Compare) {
				for _, key := range g.about {
					if guarantee.Counts(g.Guarantee) {
						id := g.ID + " " + key + " "
						if _, known := want[id]; !known && breaks(g, whole.counted(g, key, when)) {
							want[id] = from(when)
						}
						if when.Equal(now) && breaks(g, p.counted(g, key, when)) {
							at[id] = true
						}
					}
				}
				for _, u := range users {
					for _, h := range roused.against(g, u, when) {
						if id := g.ID + " " + h.Permission + " " + u; !guarantee.Counts(g.Guarantee) {
							if _, known := want[id]; !known {
								want[id] = from(when)
							}
						}
					}
					for _, h := range p.against(g, u, when) {
						if when.Equal(now) && !guarantee.Counts(g.Guarantee) {
							at[g.ID+" "+h.Permission+" "+u] = true
						}
					}
				}
			}
			got, present := map[string]time.Time{}, map[string]bool{}
			for _, b := range guarantee.Of(v, o, now) {
				if known, twice := got[keyOf(b)]; !twice || b.From.Before(known) {
					got[keyOf(b)] = b.From
				}
			}
			for _, b := range guarantee.Now(v, o, now) {
				present[keyOf(b)] = true
			}
			if !maps.EqualFunc(got, want, time.Time.Equal) {
				t.Errorf("%+v is broken by %v, want %v", o, got, want)
			}
			if !maps.Equal(present, at) {
				t.Errorf("%+v is broken now by %v, want %v", o, present, at)
			}
			if len(want) > 0 {
				broken[g.Type]++
			}
			for _, when := range want {
				if !when.IsZero() {
					later++
				}
			}
		}
	})
	if designs >= 150 && (len(broken) < 4 || later < 10) {
		t.Errorf("broken were %v, %d later: too few to prove anything", broken, later)
	}
}

// What a change makes worse is what holds after it and did not before, at the same instant.
func TestChangesThatBreakGuarantees(t *testing.T) {
	worse, kept := 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		ops := r.edits(d, 2+r.IntN(5))
		if r.chance(20) { // the guarantee itself is another
			g := change.Clone(pick(r, d.Guarantees))
			g.People, g.Permissions = nil, some(r, allKeys(d), 3)
			if len(g.Permissions) > 0 {
				ops = append(ops, change.Put(d, g))
			}
		}
		after, problems := change.Apply(d, ops)
		if after == nil {
			t.Fatal(problems)
		}
		before := ahead.Of(x)
		got := map[string]bool{}
		for _, b := range guarantee.Worse(before, before.Next(x.Update(after)), now) {
			got[keyOf(b)] = true
		}
		p, q := plain{d}.held(), plain{after}.held()
		want := map[string]bool{}
		instants := append(p.instants(now), q.instants(now)...)
		users := append([]string{index.Anonymous}, names(after)...)
		pr, qr := p.roused().held(), q.roused().held()
		for _, o := range after.Guarantees {
			g, gWas := q.promise(o), p.promise(o)
			pw, qw := whole(o, p, pr), whole(o, q, qr)
			for _, when := range instants {
				for _, key := range g.about {
					if !guarantee.Counts(g.Guarantee) {
						continue
					}
					is, was := qw.counted(g, key, when), pw.counted(gWas, key, when)
					if breaks(g, is) && (g.Type == model.AtMost && is > was || g.Type == model.AtLeast && is < was) {
						want[g.ID+" "+key+" "] = true
					}
				}
				for _, u := range users {
					if guarantee.Counts(g.Guarantee) {
						break
					}
					was := pr.against(gWas, u, when)
					for _, h := range qr.against(g, u, when) {
						if !slices.ContainsFunc(was, func(o index.Holding) bool { return x.Includes(o, h) }) {
							want[g.ID+" "+h.Permission+" "+u] = true
						}
					}
				}
			}
		}
		if !maps.Equal(got, want) {
			t.Errorf("%d operations make worse %v, want %v", len(ops), got, want)
		}
		worse += len(want)
		if len(want) == 0 {
			kept++
		}
	})
	if designs >= 150 && (worse < 30 || kept < 20) {
		t.Errorf("%d made worse, %d changes that broke nothing: too few to prove anything", worse, kept)
	}
}

func names(d *model.Design) (out []string) {
	for _, u := range d.Users {
		out = append(out, u.ID)
	}
	return out
}

func (r random) guarantees(d *model.Design, groups, areas, keys []string) {
	for _, id := range ids("w", 4) {
		g := &model.Guarantee{
			ID: id, Name: id, Lax: model.Lax(r.chance(30)),
			Type: pick(r, []model.GuaranteeType{model.Nobody, model.Only, model.AtMost, model.AtLeast}),
		}
		if guarantee.Counts(g) {
			n := r.IntN(3)
			g.Count = &n
		}
		g.Permissions = append(some(r, keys, 2), pick(r, append([]string{"alpha:*", "gone:*"}, keys...)))
		if key := pick(r, keys); r.chance(30) {
			g.Permissions = append(g.Permissions, key[:strings.LastIndex(key, ":")]+":*")
		}
		if r.chance(60) {
			g.Area = pick(r, areas)
		}
		switch r.IntN(4) {
		case 0:
			g.People = &model.People{Group: pick(r, append([]string{model.Everyone, model.Public}, groups...))}
		case 1:
			g.People = &model.People{Filter: pick(r, filters)}
		case 2:
			g.People = &model.People{Area: pick(r, areas)}
		}
		d.Add(g)
	}
}

package rules

import (
	"os"
	"slices"
	"strconv"
	"testing"
	"time"

	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// designs is how many random designs each property is held against: 150, or as FACHWERK_DESIGNS says.
var designs = func() int {
	if n, err := strconv.Atoi(os.Getenv("FACHWERK_DESIGNS")); err == nil && n > 0 {
		return n
	}
	return 150
}()

// each calls do with random designs, in subtests that name their seed.
func each(t *testing.T, do func(t *testing.T, r random, d *model.Design, x *index.Index)) {
	for seed := range uint64(designs) {
		r := newRandom(seed)
		d := r.design(t)
		do(t, r, d, index.Compile(d))
		if t.Failed() {
			t.Fatalf("seed %d", seed)
		}
	}
}

// everybody is all users, someone not signed in, and someone who does not exist.
func everybody(d *model.Design) []string {
	out := []string{index.Anonymous, "nobody-here"}
	for _, u := range d.Users {
		out = append(out, u.ID)
	}
	return out
}

func allKeys(d *model.Design) []string {
	out := []string{"gone:object:action"}
	for _, s := range d.Systems {
		for _, p := range s.Permissions {
			out = append(out, p.Key)
		}
	}
	return out
}

func times() []time.Time { return []time.Time{now, now.Add(-40 * time.Hour), now.Add(40 * time.Hour)} }

func TestEffectiveIsThePlainReading(t *testing.T) {
	held := 0
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		for _, at := range times() {
			for _, u := range everybody(d) {
				want := plain{d}.effective(u, at)
				got := x.Effective(u, at)
				held += len(got)
				for _, h := range got {
					if !want[h] {
						t.Errorf("%s at %s: %v should not be effective", u, at, h)
					}
					delete(want, h)
				}
				for h := range want {
					t.Errorf("%s at %s: %v is missing", u, at, h)
				}
			}
		}
	})
	if designs >= 150 && held < 10_000 {
		t.Errorf("the random designs give only %d permissions: too few to prove anything", held)
	}
}

func TestAllowedTraceAndWhyNotAgree(t *testing.T) {
	answers := map[bool]int{}
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		people, all := everybody(d), allKeys(d)
		areas := []string{"", "no-such-area"}
		for _, a := range d.Areas {
			areas = append(areas, a.ID)
		}
		for range 120 {
			u, p := pick(r, people), pick(r, all)
			if held := x.Effective(u, now); len(held) > 0 && r.chance(70) {
				p = pick(r, held).Permission
			}
			rec := index.Record{Area: pick(r, areas)}
			if r.chance(50) {
				rec.Owner = pick(r, people[1:])
			}
			at := pick(r, times())
			want := plain{d}.allowed(u, p, rec, at)
			answers[want]++
			if got := x.Allowed(u, p, rec, at); got != want {
				t.Errorf("allowed(%q, %s, %+v, %s) = %v, want %v", u, p, rec, at, got, want)
			}
			ways, _ := x.Trace(u, p, &rec, at)
			known := rec.Area != "no-such-area"
			if known && (len(ways) > 0) != want && rec.Owner != "nobody-here" {
				t.Errorf("trace(%q, %s, %+v) has %d ways, allowed is %v", u, p, rec, len(ways), want)
			}
			for _, w := range ways {
				checkWay(t, d, u, p, w, at)
			}
			if reasons := x.WhyNot(u, p, rec, at); (len(reasons) == 0) != want {
				t.Errorf("why-not(%q, %s, %+v) has %d reasons, allowed is %v", u, p, rec, len(reasons), want)
			}
		}
	})
	if answers[true] < 500 || answers[false] < 500 {
		t.Errorf("the questions are too one-sided: %v", answers)
	}
}

// checkWay walks a way and sees that each joint really holds.
func checkWay(t *testing.T, d *model.Design, user, permission string, w index.Way, at time.Time) {
	t.Helper()
	last := w.Steps[len(w.Steps)-1]
	if last.Kind != index.KindPermission || last.ID != permission {
		t.Errorf("a way to %s ends at %v", permission, last)
	}
	if !(plain{d}).applies(w.Assignment, user, at) {
		t.Errorf("a way of %s runs over %s, which does not apply", user, w.Assignment.ID)
	}
	for i := 1; i < len(w.Steps); i++ {
		from, to := w.Steps[i-1], w.Steps[i]
		ok := true
		switch from.Kind {
		case model.KindUser:
			ok = to.Kind == model.KindGroup && (plain{d}).member(from.ID, to.ID) ||
				to.Kind == model.KindAssignment && w.Assignment.Subject.User == from.ID
		case model.KindGroup:
			if to.Kind == model.KindGroup {
				g, _ := d.Groups.Find(to.ID)
				ok = slices.Contains(g.Groups, from.ID)
			} else {
				ok = w.Assignment.Subject.Group == from.ID
			}
		case model.KindAssignment:
			ok = w.Assignment.Role == to.ID || w.Assignment.Set == to.ID
		case model.KindRole:
			r, _ := d.Roles.Find(from.ID)
			ok = slices.Contains(r.Inherits, to.ID) || slices.Contains(r.Sets, to.ID) ||
				slices.Contains(r.Permissions, to.ID)
			ok = ok && (plain{d}).role(from.ID)[permission]
		case model.KindSet:
			s, _ := d.Sets.Find(from.ID)
			ok = slices.Contains(s.Permissions, to.ID) && s.State == model.Active
		case index.KindPermission:
			ok = slices.Contains((plain{d}).permission(from.ID).Implies, to.ID)
		}
		if !ok {
			t.Errorf("a way of %s to %s takes a step that does not exist: %v → %v", user, permission, from, to)
		}
	}
}

// countWays counts the chains of §7 by going through all of them.
func (p plain) countWays(user, permission string, at time.Time) (n int) {
	var keyWays func(list []string) int
	keyWays = func(list []string) (n int) {
		for _, k := range slices.Compact(slices.Sorted(slices.Values(list))) {
			switch q := p.permission(k); {
			case q == nil || !p.cl([]string{k})[permission]:
			case k == permission:
				n++
			default:
				n += keyWays(q.Implies)
			}
		}
		return n
	}
	setWays := func(id string) int {
		if !p.set(id)[permission] {
			return 0
		}
		s, _ := p.Sets.Find(id)
		return keyWays(s.Permissions)
	}
	var roleWays func(id string) int
	roleWays = func(id string) (n int) {
		if !p.role(id)[permission] {
			return 0
		}
		r, _ := p.Roles.Find(id)
		n = keyWays(r.Permissions)
		for _, s := range r.Sets {
			n += setWays(s)
		}
		for _, i := range r.Inherits {
			n += roleWays(i)
		}
		return n
	}
	var nestings func(group string) int
	nestings = func(group string) (n int) {
		g, ok := p.Groups.Find(group)
		if !ok || g.Type == model.Rule {
			if p.member(user, group) {
				return 1
			}
			return 0
		}
		if slices.Contains(g.Users, user) {
			n++
		}
		for _, c := range g.Groups {
			n += nestings(c)
		}
		return n
	}
	for _, a := range p.Assignments {
		if !p.applies(a, user, at) || !p.carried(a)[permission] {
			continue
		}
		heads := 1
		if a.Subject.Group != "" {
			heads = nestings(a.Subject.Group)
		}
		if a.Role != "" {
			n += heads * roleWays(a.Role)
		} else {
			n += heads * setWays(a.Set)
		}
	}
	return n
}

func TestTraceIsComplete(t *testing.T) {
	several := 0
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		for _, u := range d.Users {
			for _, p := range allKeys(d) {
				ways, cut := x.Trace(u.ID, p, nil, now)
				want := 0
				if (plain{d}).live(u, now) && (plain{d}).permission(p) != nil && (plain{d}).licensed(u.ID, p) {
					want = plain{d}.countWays(u.ID, p, now)
				}
				if cut && want <= index.MaxWays || !cut && len(ways) != want {
					t.Errorf("%s has %d ways to %s, want %d (cut: %v)", u.ID, len(ways), p, want, cut)
				}
				if want > 1 {
					several++
				}
			}
		}
	})
	if designs >= 150 && several < 500 {
		t.Errorf("only %d permissions were held by several ways: too few to prove anything", several)
	}
}

func TestWidestSaysTheSame(t *testing.T) {
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		for _, u := range everybody(d) {
			all, widest := x.Effective(u, now), x.Widest(u, now)
			for _, h := range all {
				if !slices.ContainsFunc(widest, func(w index.Holding) bool { return x.Includes(w, h) }) {
					t.Errorf("%s holds %v, but nothing among the widest includes it", u, h)
				}
			}
			for i, w := range widest {
				if !slices.Contains(all, w) {
					t.Errorf("%s does not hold %v", u, w)
				}
				for j, other := range widest {
					if i != j && x.Includes(other, w) {
						t.Errorf("%s: %v is included in %v, so it is not among the widest", u, w, other)
					}
				}
			}
		}
	})
}

func TestWallShowsWhatIsHeld(t *testing.T) {
	withheld := 0
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		for _, u := range d.Users {
			bricks, ok := x.Wall(u.ID, "", now)
			if !ok || len(bricks) != len(allKeys(d))-1 {
				t.Fatalf("the wall of %s has %d bricks", u.ID, len(bricks))
			}
			held := map[string]bool{}
			for h := range (plain{d}).effective(u.ID, now) {
				held[h.Permission] = true
			}
			for _, b := range bricks {
				if (len(b.Held) > 0) != held[b.Permission.Key] {
					t.Errorf("%s: the brick %s says %v", u.ID, b.Permission.Key, b.Held)
				}
				reasons := x.Withheld(u.ID, b.Permission.Key, now)
				if (b.Withheld != "") != (len(reasons) > 0) || len(reasons) > 0 && reasons[0].Obstacle != b.Withheld {
					t.Errorf("%s: the brick %s is withheld as %q, by %+v", u.ID, b.Permission.Key, b.Withheld, reasons)
				}
				if len(reasons) > 0 {
					withheld++
					if len(b.Held) > 0 {
						t.Errorf("%s: the brick %s is held and withheld", u.ID, b.Permission.Key)
					}
					if reasons[0].Way == nil || reasons[0].Obstacle == index.NotAssigned {
						t.Errorf("%s: the brick %s is withheld without a way: %+v", u.ID, b.Permission.Key, reasons[0])
					}
				}
			}
		}
	})
	if designs >= 150 && withheld < 500 {
		t.Errorf("only %d bricks were withheld: too few to prove anything", withheld)
	}
}

func TestContentAndMembersAreThePlainReading(t *testing.T) {
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		same := func(what string, got []string, want keys) {
			if len(got) != len(want) || slices.ContainsFunc(got, func(k string) bool { return !want[k] }) {
				t.Errorf("%s gives %v, want %v", what, got, want)
			}
		}
		for _, s := range d.Sets {
			same(s.ID, x.Content(model.KindSet, s.ID), plain{d}.set(s.ID))
		}
		for _, r := range d.Roles {
			same(r.ID, x.Content(model.KindRole, r.ID), plain{d}.role(r.ID))
			for k := range (plain{d}).cl(x.Content(model.KindRole, r.ID)) {
				if !slices.Contains(x.Content(model.KindRole, r.ID), k) {
					t.Errorf("the content of %s is not closed: %s is missing", r.ID, k)
				}
			}
		}
		for _, g := range append(groupIDs(d), model.Everyone, model.Public) {
			want := keys{}
			for _, u := range d.Users {
				if (plain{d}).member(u.ID, g) {
					want[u.ID] = true
				}
			}
			same(g, x.Members(g), want)
			if x.Size(g) != len(want) {
				t.Errorf("%s has the size %d, want %d", g, x.Size(g), len(want))
			}
		}
	})
}

func groupIDs(d *model.Design) (out []string) {
	for _, g := range d.Groups {
		out = append(out, g.ID)
	}
	return out
}

func TestViolationsAreThePlainReading(t *testing.T) {
	found, excepted := 0, 0
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		for _, u := range d.Users {
			var got []string
			for _, v := range duty.Of(x, u.ID, now) {
				got = append(got, v.Conflict)
				c, _ := d.Conflicts.Find(v.Conflict)
				want := slices.ContainsFunc(
					c.Exceptions,
					func(e model.Exception) bool { return e.User == u.ID && now.Before(e.Until) },
				)
				if v.Excepted != want {
					t.Errorf("%s breaks %s, excepted %v, want %v", u.ID, v.Conflict, v.Excepted, want)
				}
				if v.Excepted {
					excepted++
				}
			}
			found += len(got)
			if want := (plain{d}).violates(u.ID, now); !slices.Equal(got, want) {
				t.Errorf("%s breaks %v, want %v", u.ID, got, want)
			}
		}
	})
	if designs >= 150 && (found < 100 || excepted == 0) {
		t.Errorf("%d violations, %d of them excepted: too few to prove anything", found, excepted)
	}
}

// TestConnectTellsTheTruth holds the frame against the plain reading: who is shown to hold a permission holds it,
// and what is shown beneath a person is what the person holds.
func TestConnectTellsTheTruth(t *testing.T) {
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		for _, key := range allKeys(d)[1:] {
			pic, ok := x.Connect(index.Node{Kind: index.KindPermission, ID: key}, nil, "", now)
			if !ok {
				t.Fatalf("%s is not found", key)
			}
			shown := map[string]bool{}
			for _, n := range pic.Nodes[model.KindUser] {
				shown[n.ID] = true
			}
			for _, u := range d.Users {
				holds := false
				for h := range (plain{d}).effective(u.ID, now) {
					holds = holds || h.Permission == key
				}
				if holds != shown[u.ID] {
					t.Errorf("%s: %s is shown %v, holds it %v", key, u.ID, shown[u.ID], holds)
				}
			}
		}
		for _, u := range d.Users {
			pic, _ := x.Connect(index.Node{Kind: model.KindUser, ID: u.ID}, nil, "", now)
			held := keys{}
			for h := range (plain{d}).effective(u.ID, now) {
				held[h.Permission] = true
			}
			if got := len(pic.Nodes[index.KindPermission]); got != len(held) {
				t.Errorf("%s: %d permissions are shown, %d are held", u.ID, got, len(held))
			}
			nodes := map[index.Node]bool{}
			for _, list := range pic.Nodes {
				for _, n := range list {
					nodes[n.Node] = true
				}
			}
			for _, b := range pic.Beams {
				if !nodes[b.From] || !nodes[b.To] {
					t.Errorf("%s: a beam hangs in the air: %v", u.ID, b)
				}
			}
		}
	})
}

// TestWhoHoldsIsThePlainReading asks about several permissions at once, at some area.
func TestWhoHoldsIsThePlainReading(t *testing.T) {
	found := 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		for range 4 {
			q := index.Some{Keys: some(r, allKeys(d), 4), Area: pick(r, append(ids("area", 6), ""))}
			at := pick(r, times())
			got := x.WhoHolds(q, at)
			for _, u := range d.Users {
				var want []index.Holding
				for _, h := range x.Widest(u.ID, at) {
					if slices.Contains(q.Keys, h.Permission) && (plain{d}).effective(u.ID, at)[h] &&
						(x.Covers(h.Area, q.Area) || x.Covers(q.Area, h.Area)) {
						want = append(want, h)
					}
				}
				held, by := x.HeldOf(u.ID, q, at)
				if !slices.Equal(held, want) || slices.Contains(got, u.ID) != (len(want) > 0) ||
					(len(by) > 0) != (len(want) > 0) {
					t.Errorf("%s holds %v of %v by %d assignments, want %v", u.ID, held, q, len(by), want)
				}
				// Without these assignments nothing of it is left.
				var without []string
				for _, a := range by {
					without = append(without, a.ID)
				}
				for _, h := range x.Without(u.ID, without, at) {
					if slices.Contains(q.Keys, h.Permission) && (x.Covers(h.Area, q.Area) || x.Covers(q.Area, h.Area)) {
						t.Errorf("%s holds %v without %v too", u.ID, h, without)
					}
				}
				found += len(held)
			}
		}
	})
	if designs >= 150 && found < 300 {
		t.Errorf("%d holdings are too few to prove anything", found)
	}
}

package rules

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// object gives some object of a design that may be edited, or a new one.
func (r random) edit(d *model.Design) change.Op {
	switch r.IntN(8) {
	case 0:
		u := change.Clone(pick(r, d.Users))
		u.JobTitle, u.Licences = pick(r, titles), some(r, ids("l", 3), 2)
		return change.Put(d, u)
	case 1:
		u := change.Clone(pick(r, d.Users))
		u.State = pick(r, []model.UserState{model.UserActive, model.UserLocked, model.UserDeactivated})
		return change.Put(d, u)
	case 2:
		g := change.Clone(pick(r, d.Groups))
		if g.Type == model.Static {
			g.Users = some(r, ids("u", 8), 4)
		}
		return change.Put(d, g)
	case 3:
		return change.Delete(pick(r, d.Assignments))
	case 4:
		role := change.Clone(pick(r, d.Roles))
		role.Permissions, role.Excludes = some(r, allKeys(d), 2), some(r, allKeys(d), 1)
		return change.Put(d, role)
	case 5:
		for _, s := range d.Sets {
			if s.System == "" && r.chance(50) {
				s = change.Clone(s)
				s.Permissions = some(r, allKeys(d), 4)
				return change.Put(d, s)
			}
		}
		fallthrough
	case 6:
		c := change.Clone(pick(r, d.Conflicts))
		c.Limit++
		return change.Put(d, c)
	}
	return change.Put(
		d,
		&model.Assignment{
			ID:      "new",
			Subject: model.Subject{User: pick(r, d.Users).ID},
			Role:    pick(r, d.Roles).ID,
			Reach:   model.ReachArea,
			Mode:    model.Full,
		},
	)
}

// edits makes a change of a few operations, each on what the ones before it made.
func (r random) edits(d *model.Design, n int) (ops []change.Op) {
	now := d
	for range n {
		op := r.edit(now)
		ops = append(ops, op)
		now = now.With([]model.Edit{{Kind: op.Kind, ID: op.ID, After: op.After}})
	}
	return ops
}

// written is a design in a form that can be compared.
func written(t *testing.T, d *model.Design) string {
	t.Helper()
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	d.All(func(o model.Object) {
		if err := enc.Encode([]any{o.Kind(), o}); err != nil {
			t.Fatal(err)
		}
	})
	return b.String()
}

func TestApplyThenInvertIsNothing(t *testing.T) {
	applied := 0
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		was := written(t, d)
		ops := r.edits(d, 1+r.IntN(5))
		after, problems := change.Apply(d, ops)
		if after == nil {
			t.Fatalf("a good change is refused: %v", problems)
		}
		applied++
		if written(t, d) != was {
			t.Error("applying a change altered the design it was applied to")
		}
		back, problems := change.Apply(after, change.Invert(ops))
		if back == nil {
			t.Fatalf("the inverse is refused: %v", problems)
		}
		if got := written(t, back); got != was {
			t.Errorf("undone, the design is\n%s\nwant\n%s", got, was)
		}
		compact, _ := change.Apply(d, change.Compact(ops))
		if compact == nil || written(t, compact) != written(t, after) {
			t.Error("compacted, the change does something else")
		}
		if diff := change.Difference(d, after); len(diff) > len(ops) {
			t.Errorf("the difference has %d operations, the change %d", len(diff), len(ops))
		} else if again, _ := change.Apply(d, diff); again == nil || written(t, again) != written(t, after) {
			t.Error("the difference between the two designs does not lead from one to the other")
		}
	})
	if applied == 0 {
		t.Error("nothing was applied")
	}
}

func TestOperationsSurviveBeingWritten(t *testing.T) {
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		ops := r.edits(d, 4)
		data, err := json.Marshal(ops)
		if err != nil {
			t.Fatal(err)
		}
		var read []change.Op
		if err := json.Unmarshal(data, &read); err != nil {
			t.Fatal(err)
		}
		for i, o := range ops {
			if read[i].Kind != o.Kind || read[i].ID != o.ID || !change.Equal(read[i].Before, o.Before) ||
				!change.Equal(read[i].After, o.After) {
				t.Errorf("operation %d is read as %+v, was %+v", i, read[i], o)
			}
		}
	})
}

func TestImpactIsThePlainDifference(t *testing.T) {
	gains, losses := 0, 0
	summing := newSums()
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		ops := r.edits(d, 1+r.IntN(3))
		after, problems := change.Apply(d, ops)
		if after == nil {
			t.Fatal(problems)
		}
		y := index.Compile(after)
		told, all := map[string]index.Told{}, []string{}
		impact := change.ImpactOf(x, y, ops, now)
		for _, p := range impact.People {
			all = append(all, p.User)
		}
		for i, p := range impact.Tell(all...) {
			told[p.User] = p
			gains, losses = gains+len(p.Gains), losses+len(p.Losses)
			if n := impact.People[i]; p.User != n.User || len(p.Gains) != n.Gained || len(p.Losses) != n.Lost {
				t.Errorf("%+v is counted as %+v", p, n)
			}
			summing.hold(t, p, impact.People[i].Sum)
		}
		for _, u := range d.Users {
			was, is := plain{d}.effective(u.ID, now), plain{after}.effective(u.ID, now)
			p := told[u.ID]
			agree(t, u.ID+" gains", p.Gains, is, was, y)
			agree(t, u.ID+" loses", p.Losses, was, is, x)
			before, then := plain{d}.violates(u.ID, now), plain{after}.violates(u.ID, now)
			for _, c := range impact.Conflicts {
				if c.User == u.ID && !c.Cleared && !slices.Contains(then, c.Conflict) ||
					c.User == u.ID && c.Cleared && !slices.Contains(before, c.Conflict) {
					t.Errorf("%s: the impact tells of the conflict %s, which is not so", u.ID, c.Conflict)
				}
			}
			for _, id := range then {
				if !slices.Contains(before, id) &&
					!slices.ContainsFunc(
						impact.Conflicts,
						func(c change.ConflictImpact) bool { return c.User == u.ID && c.Conflict == id && !c.Cleared },
					) {
					t.Errorf("%s comes to break %s, and the impact does not tell", u.ID, id)
				}
			}
		}
	})
	if designs >= 150 && (gains < 60 || losses < 60) {
		t.Errorf("%d gains and %d losses: too few to prove anything", gains, losses)
	}
}

// sums are sums with what they are of, and turned round.
type sums struct {
	of  map[index.Sum]string
	sum map[string]index.Sum
}

func newSums() sums { return sums{map[index.Sum]string{}, map[string]index.Sum{}} }

// hold holds a sum against those there were: it is that of the same gains and losses, and of no others.
func (s sums) hold(t *testing.T, told index.Told, sum index.Sum) {
	t.Helper()
	text := fmt.Sprintf("%q %q", told.Gains, told.Losses)
	if other, known := s.of[sum]; known && other != text {
		t.Errorf("%s and %s have one sum", text, other)
	}
	if other, known := s.sum[text]; known && other != sum {
		t.Errorf("%s has two sums", text)
	}
	s.of[sum], s.sum[text] = text, sum
}

// agree holds told gains (or losses) against what is in one set of effective permissions and included in none of
// the other.
func agree(t *testing.T, what string, told []index.Holding, in, out map[index.Holding]bool, x *index.Index) {
	t.Helper()
	new := func(h index.Holding) bool {
		for o := range out {
			if x.Includes(o, h) {
				return false
			}
		}
		return true
	}
	for _, h := range told {
		if !in[h] || !new(h) {
			t.Errorf("%s %v, it is told, but that is not so", what, h)
		}
	}
	for h := range in {
		if new(h) && !slices.ContainsFunc(told, func(g index.Holding) bool { return x.Includes(g, h) }) {
			t.Errorf("%s %v, and it is not told", what, h)
		}
	}
}

// TestDifferencesAreThoseOfTheHoldings compares two designs person by person, and holds what is told together
// against it.
func TestDifferencesAreThoseOfTheHoldings(t *testing.T) {
	seen, left := 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		after, _ := change.Apply(d, r.edits(d, 1+r.IntN(3)))
		y := index.Compile(after)
		told := map[string]index.Difference{}
		differences, touched := index.Differences(x, y, allKeys(d)[:3], now)
		for _, diff := range differences {
			told[diff.User] = diff
		}
		lists := map[string]index.Told{}
		for _, l := range index.Tell(x, y, idsOf(after.Users), now) {
			lists[l.User] = l
		}
		for _, u := range after.Users {
			diff, is := told[u.ID]
			was, then := x.Widest(u.ID, now), y.Widest(u.ID, now)
			gains, losses := index.Beyond(x, then, was), index.Beyond(y, was, then)
			list := lists[u.ID]
			if !slices.Equal(list.Gains, gains) || !slices.Equal(list.Losses, losses) ||
				diff.Gained != len(gains) || diff.Lost != len(losses) {
				t.Errorf("%s gains %v and loses %v; told are %v and %v, counted %d and %d", u.ID, gains, losses,
					list.Gains, list.Losses, diff.Gained, diff.Lost)
			}
			untold(t, slices.Concat(gains, losses), allKeys(d)[:3], touched)
			if waits := (plain{after}).waits(plain{d}, u.ID, now); !slices.Equal(diff.Waits, waits) {
				t.Errorf("%s comes to wait for %v; told is %v", u.ID, waits, diff.Waits)
			}
			if !diff.Watched {
				keys, roles := allKeys(d)[:3], idsOf(d.Roles)
				before, after := x.Find(keys, roles), y.Find(keys, roles)
				held, given := before.Where(u.ID, now)
				holds, gives := after.Where(u.ID, now)
				if !maps.EqualFunc(held, holds, slices.Equal) || !maps.EqualFunc(given, gives, slices.Equal) {
					t.Errorf("%s holds what is watched otherwise, and it is not told", u.ID)
				}
			}
			if is {
				seen++
			} else {
				left++
			}
		}
	})
	if designs >= 150 && (seen < 100 || left < 100) {
		t.Errorf("%d were compared and %d left out: too few to prove anything", seen, left)
	}
}

// untold says of what is held otherwise and was watched, but is not told as touched.
func untold(t *testing.T, held []index.Holding, watched, touched []string) {
	t.Helper()
	for _, h := range held {
		if slices.Contains(watched, h.Permission) && !slices.Contains(touched, h.Permission) {
			t.Errorf("%v is held otherwise, and only %v are told as touched", h, touched)
		}
	}
}

// TestRebaseKeepsBothSides lets two people draft on one design: what does not clash of either is in the outcome.
func TestRebaseKeepsBothSides(t *testing.T) {
	merged, clashed := 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		mine, theirs := r.edits(d, 2), r.edits(d, 2)
		theirsApplied, _ := change.Apply(d, theirs)
		moved, clashes := change.Rebase(theirsApplied, mine)
		if len(clashes) > 0 {
			clashed++
			return
		}
		both, problems := change.Apply(theirsApplied, moved)
		if both == nil {
			t.Fatalf("a change that was laid anew without a clash is refused: %v", problems)
		}
		merged++
		for _, o := range change.Compact(mine) {
			if (o.After == nil) != (both.Get(o.Kind, o.ID) == nil) {
				t.Errorf("my %s %s is lost", o.Kind, o.ID)
			}
		}
		same, clashes := change.Rebase(d, mine)
		if len(clashes) > 0 {
			t.Errorf("on the design it was drafted on, a change clashes: %v", clashes)
		}
		if a, _ := change.Apply(d, same); a == nil || written(t, a) != written(t, d.With(editsOf(mine))) {
			t.Error("laid anew where it was, a change does something else")
		}
	})
	if designs >= 150 && (merged < 50 || clashed == 0) {
		t.Errorf("%d merged, %d clashed: too few to prove anything", merged, clashed)
	}
}

func editsOf(ops []change.Op) (out []model.Edit) {
	for _, o := range ops {
		out = append(out, model.Edit{Kind: o.Kind, ID: o.ID, After: o.After})
	}
	return out
}

func TestEveryChangeIsToldInSentences(t *testing.T) {
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		for _, o := range change.Compact(r.edits(d, 3)) {
			told := change.Sentences([]change.Op{o}, change.NamesIn(d))
			if len(told) == 0 {
				t.Errorf("nothing is told of %+v → %+v", o.Before, o.After)
			}
			for _, s := range told {
				if len(strings.Fields(s.String())) < 3 {
					t.Errorf("%q is no sentence", s)
				}
			}
		}
	})
}

func TestReleaseLeavesNothingThatNamesTheDeleted(t *testing.T) {
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		for range 6 {
			var gone model.Object
			switch r.IntN(7) {
			case 0:
				gone = pick(r, d.Users)
			case 1:
				gone = pick(r, d.Groups)
			case 2:
				gone = pick(r, d.Roles)
			case 3:
				gone = pick(r, d.Sets)
			case 4:
				gone = pick(r, d.Areas)
			case 5:
				gone = pick(r, d.Licences)
			default:
				gone = pick(r, d.Systems)
			}
			if gone.Ident() == d.Root() && gone.Kind() == model.KindArea || model.BuiltIn(gone.Kind(), gone.Ident()) {
				continue
			}
			var choices []change.Choice
			for _, m := range d.References(gone.Kind(), gone.Ident()) {
				if instead := other(r, d, gone); instead != "" && r.chance(40) && gone.Kind() != model.KindArea &&
					gone.Kind() != model.KindSystem {
					choices = append(choices, change.Choice{From: m.From.Kind(), Field: m.Field, To: instead})
				}
			}
			after := change.Lay(d, change.Release(d, gone.Kind(), gone.Ident(), choices))
			if refs := after.References(gone.Kind(), gone.Ident()); len(refs) > 0 {
				t.Fatalf(
					"%s %s is gone, and still named by %s %s in %s",
					gone.Kind(),
					gone.Ident(),
					refs[0].From.Kind(),
					refs[0].From.Ident(),
					refs[0].Field,
				)
			}
			if u, isUser := after.Get(gone.Kind(), gone.Ident()).(*model.User); isUser {
				if u.State != model.UserDeleted || len(u.Licences) > 0 {
					t.Fatalf("%s is kept as %+v", gone.Ident(), u)
				}
			} else if after.Get(gone.Kind(), gone.Ident()) != nil {
				t.Fatalf("%s %s is still there", gone.Kind(), gone.Ident())
			}
			for _, problem := range model.Errors(model.Check(after)) {
				if len(
					choices,
				) == 0 { // a chosen replacement can close a cycle, or stand in a place where it may not; that is then told
					t.Fatalf("after deleting %s %s: %v", gone.Kind(), gone.Ident(), problem)
				}
			}
		}
	})
}

// other gives another object of the same kind.
func other(r random, d *model.Design, gone model.Object) string {
	var list []string
	d.All(func(o model.Object) {
		if o.Kind() == gone.Kind() && o.Ident() != gone.Ident() {
			list = append(list, o.Ident())
		}
	})
	if len(list) == 0 {
		return ""
	}
	return pick(r, list)
}

func TestTickingGivesAndTakes(t *testing.T) {
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		for range 10 {
			keys := slices.DeleteFunc(
				some(r, allKeys(d), 3),
				func(k string) bool { _, known := d.Permission(k); return !known },
			)
			if len(keys) == 0 {
				continue
			}
			give := r.chance(50)
			role, set := change.Clone(pick(r, d.Roles)), change.Clone(pick(r, d.Sets))
			if model.BuiltIn(model.KindSet, set.ID) {
				continue
			}
			role.State, set.State = model.Active, model.Active
			base := change.Lay(d, []change.Op{change.Put(d, role), change.Put(d, set)})
			x := index.Compile(base)
			after := change.Lay(
				base,
				[]change.Op{
					change.Put(base, change.TickRole(x, role, keys, give)),
					change.Put(base, change.TickSet(x, set, keys, give)),
				},
			)
			for kind, id := range map[model.Kind]string{model.KindRole: role.ID, model.KindSet: set.ID} {
				before, now := x.Content(kind, id), index.Compile(after).Content(kind, id)
				for _, k := range keys {
					if slices.Contains(now, k) != give {
						t.Fatalf("%s %s after ticking %s %v: %v", kind, id, k, give, now)
					}
				}
				touched := x.Closure(keys)
				if !give {
					touched = x.Closure(x.Standing(keys)) // with what was only there since these need it
				}
				for _, k := range before {
					if !give && !slices.Contains(now, k) && !slices.Contains(touched, k) && kind == model.KindRole {
						t.Fatalf("role %s lost %s too, which stands without %v", id, k, keys)
					}
				}
				for _, k := range now {
					if !give && !slices.Contains(before, k) {
						t.Fatalf("%s %s came to give %s by taking %v away", kind, id, k, keys)
					}
				}
			}
		}
	})
}

// TestCheckChangeIsCheck spoils designs, and holds the check of just what changed against that of the whole.
func TestCheckChangeIsCheck(t *testing.T) {
	good, bad := 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		for range 6 {
			after := d
			for range 1 + r.IntN(2) {
				o := r.spoiled(after)
				after = after.With([]model.Edit{{Kind: o.Kind(), ID: o.Ident(), After: o}})
			}
			whole, part := model.Errors(model.Check(after)), model.Errors(model.CheckChange(d, after))
			if bad += len(whole); len(whole) == 0 {
				good++
			}
			if got, want := places(part), places(whole); !slices.Equal(got, want) {
				t.Errorf("the check of the change says %v, that of the whole %v", part, whole)
			}
		}
	})
	if designs >= 150 && (good < 50 || bad < 300) {
		t.Errorf("%d good designs and %d errors: too few to prove anything", good, bad)
	}
}

// places are where problems are, once each. Of a cycle each link is as good.
func places(problems []model.Problem) (out []string) {
	for _, p := range problems {
		at := p.Path + ": " + p.Message
		if strings.Contains(p.Message, "cycle") {
			at = string(p.Kind) + " cycle"
		}
		if !slices.Contains(out, at) {
			out = append(out, at)
		}
	}
	slices.Sort(out)
	return out
}

// spoiled is an object of a design, or a new one, with something else in it that may be wrong.
func (r random) spoiled(d *model.Design) model.Object {
	user := func() string { return pick(r, append(ids("u", 8), "gone", "gone-too")) }
	group := func() string { return pick(r, append(ids("g", 7), "gone", model.Everyone)) }
	area := func() string { return pick(r, append(ids("area", 6), "gone", "")) }
	role := func() string { return pick(r, append(ids("r", 6), "gone")) }
	switch r.IntN(10) {
	case 0:
		u := change.Clone(pick(r, d.Users))
		switch r.IntN(5) {
		case 0:
			u.UserName = pick(r, []string{"NAME-u3", "fresh", ""})
		case 1:
			u.ExternalID, u.State = "same", pick(r, []model.UserState{model.UserActive, model.UserDeleted, "asleep"})
		case 2:
			u.Manager = user()
		case 3:
			u.ID, u.UserName, u.Area = "u9", "name-u1", area()
		default:
			u.Licences = append(u.Licences, "gone")
		}
		return u
	case 1:
		g := change.Clone(pick(r, d.Groups))
		switch r.IntN(4) {
		case 0:
			g.Groups = append(g.Groups, group())
		case 1:
			g.Area = area()
		case 2:
			g.Users, g.ExternalID = append(g.Users, user()), "same"
		default:
			g.Type, g.Rule = model.Rule, pick(r, append(slices.Clone(filters), "title eq"))
		}
		return g
	case 2:
		x := change.Clone(pick(r, d.Roles))
		x.Inherits, x.Owner = append(x.Inherits, role()), pick(r, []string{"", "u1", "gone"})
		return x
	case 3:
		s := change.Clone(pick(r, d.Sets))
		for model.BuiltIn(model.KindSet, s.ID) {
			s = change.Clone(pick(r, d.Sets))
		}
		s.Name, s.System = pick(r, []string{"", "Some"}), pick(r, []string{"", "alpha", "gone"})
		return s
	case 4:
		a := change.Clone(pick(r, d.Assignments))
		a.Area, a.Subject = area(), model.Subject{Group: group()}
		return a
	case 5:
		c := change.Clone(pick(r, d.Conflicts))
		c.Items = append(c.Items, model.Item{Role: role()})
		return c
	case 6:
		a := change.Clone(pick(r, d.Areas))
		a.Parent, a.Name = area(), pick(r, []string{"", "Some"})
		return a
	case 7:
		l := change.Clone(pick(r, d.Licences))
		seats := r.IntN(4) - 1
		l.Seats, l.Covers = &seats, append(l.Covers, pick(r, []string{l.ID, "gone"}))
		return l
	case 8:
		s := change.Clone(pick(r, d.Systems))
		for model.BuiltIn(model.KindSystem, s.ID) {
			s = change.Clone(pick(r, d.Systems))
		}
		s.Licence, s.Permissions = pick(r, []string{"", "gone"}), s.Permissions[:r.IntN(len(s.Permissions)+1)]
		return s
	}
	g := change.Clone(pick(r, d.Delegations))
	g.Groups, g.Area = append(g.Groups, group()), area()
	return g
}

// Of several who go at once, nothing is left that names one, and what they hand on comes to who stays.
func TestSeveralAreReleasedTogether(t *testing.T) {
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		leaving := map[string][]change.Choice{}
		for range 1 + r.IntN(4) {
			leaving[pick(r, d.Users).ID] = nil
		}
		after := change.Lay(d, change.ReleaseAll(d, model.KindUser, leaving))
		for id := range leaving {
			if refs := after.References(model.KindUser, id); len(refs) > 0 {
				t.Fatalf("%s is gone, and still named by %v in %s", id, refs[0].From, refs[0].Field)
			}
			if u, _ := after.Users.Find(id); u.State != model.UserDeleted {
				t.Fatalf("%s is %s", id, u.State)
			}
		}
		for _, u := range after.Users {
			if _, goes := leaving[u.ID]; goes {
				continue
			}
			was, _ := d.Users.Find(u.ID)
			above := was.Manager
			for _, goes := leaving[above]; goes; _, goes = leaving[above] {
				m, _ := d.Users.Find(above)
				above = m.Manager
			}
			if u.Manager != above {
				t.Fatalf("%s reports to %q, not to %q", u.ID, u.Manager, above)
			}
		}
		if wrong := model.Errors(model.Check(after)); len(wrong) > 0 {
			t.Fatal(wrong[0])
		}
	})
}

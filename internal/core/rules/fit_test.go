package rules

import (
	"cmp"
	"errors"
	"maps"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/fit"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// TestClosestFitIsTheBest tries every combination of up to three roles and sets, and holds the closest fits against
// the best of these.
func TestClosestFitIsTheBest(t *testing.T) {
	whole, partly := 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		need := some(r, allKeys(d), 5)
		got := fit.Closest(x, need, model.KindRole, model.KindSet)
		wanted := plain{d}.cl(need)
		weight := func(keys map[string]bool) (sum int) {
			for key := range keys {
				if p, _ := d.Permission(key); !wanted[key] {
					sum += fit.Weights[p.Risk]
				}
			}
			return sum
		}
		type bundle struct {
			node  index.Node
			gives map[string]bool
		}
		var all []bundle
		for _, o := range d.Roles {
			all = append(all, bundle{index.Node{Kind: model.KindRole, ID: o.ID}, set(x.Content(model.KindRole, o.ID))})
		}
		for _, o := range d.Sets {
			if !model.BuiltIn(model.KindSet, o.ID) {
				all = append(
					all,
					bundle{index.Node{Kind: model.KindSet, ID: o.ID}, set(x.Content(model.KindSet, o.ID))},
				)
			}
		}
		least, lightest := len(wanted), 0
		try := func(list ...bundle) {
			union := map[string]bool{}
			for _, b := range list {
				for key := range b.gives {
					union[key] = true
				}
			}
			missing := 0
			for key := range wanted {
				if !union[key] {
					missing++
				}
			}
			if w := weight(union); missing < least || missing == least && w < lightest {
				least, lightest = missing, w
			}
		}
		for i, a := range all {
			try(a)
			for j, b := range all[i+1:] {
				try(a, b)
				for _, c := range all[i+j+2:] {
					try(a, b, c)
				}
			}
		}
		if least == len(wanted) {
			if len(got) > 0 {
				t.Errorf("nothing gives any of %v, and %v is told to fit", need, got)
			}
			return
		}
		if len(got) == 0 || len(got[0].Missing) != least || got[0].Weight != lightest {
			t.Fatalf("for %v the best lacks %d and weighs %d; told is %+v", need, least, lightest, got)
		}
		for i, f := range got {
			if i > 0 &&
				(len(f.Missing) < len(got[i-1].Missing) || len(f.Missing) == len(got[i-1].Missing) && f.Weight < got[i-1].Weight) {
				t.Errorf("a closer fit stands behind one that is less so: %+v", got)
			}
			union := map[string]bool{}
			for _, n := range f.Bundles {
				for _, key := range x.Content(n.Kind, n.ID) {
					union[key] = true
				}
			}
			for key := range wanted {
				if union[key] == slices.Contains(f.Missing, key) {
					t.Errorf("%v: %s is told wrongly", f, key)
				}
			}
			for key := range union {
				if wanted[key] == slices.Contains(f.Excess, key) {
					t.Errorf("%v: %s is told wrongly", f, key)
				}
			}
			// The role that is proposed gives just what is needed.
			after := d.With(
				[]model.Edit{{Kind: model.KindRole, ID: "fitted", After: fit.Role(x, "fitted", "Fitted", f)}},
			)
			if gives := set(index.Compile(after).Content(model.KindRole, "fitted")); len(gives) != len(wanted) ||
				slices.ContainsFunc(keysOf(gives), func(key string) bool { return !wanted[key] }) {
				t.Errorf("the role of %+v gives %v, wanted are %v", f, gives, wanted)
			}
		}
		if least == 0 {
			whole++
		} else {
			partly++
		}
	})
	if designs >= 150 && (whole < 12 || partly < 40) {
		t.Errorf("%d fit wholly and %d partly: too few to prove anything", whole, partly)
	}
}

func set(keys []string) map[string]bool {
	out := map[string]bool{}
	for _, k := range keys {
		out[k] = true
	}
	return out
}

func keysOf(m map[string]bool) (out []string) {
	for k := range m {
		out = append(out, k)
	}
	return out
}

// TestFewerRolesGiveTheSame proposes roles in place of what people were given by hand, and holds what everybody then
// holds against what they held, read plainly, now and later, conflicts too.
func TestFewerRolesGiveTheSame(t *testing.T) {
	proposed, rewritten, grouped := 0, 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		var ops []change.Op
		for n := range 40 {
			a := &model.Assignment{
				ID: "by-hand-" + strconv.Itoa(n), Subject: model.Subject{User: pick(r, d.Users).ID}, Reach: model.ReachArea,
				Mode: pick(r, []model.Mode{model.Full, model.Full, model.Full, model.ReadOnly}),
			}
			if r.chance(20) {
				a.Area = pick(r, d.Areas).ID
			}
			if r.chance(60) {
				a.Role = pick(r, d.Roles).ID
			} else {
				a.Set = pick(r, d.Sets).ID
			}
			ops = append(ops, change.Put(d, a))
		}
		d, problems := change.Apply(d, ops)
		if d == nil {
			t.Fatal(problems)
		}
		x := index.Compile(d)
		price := fit.Price{Role: 1, Assignment: 0.5, Over: 1, Under: 1}
		f, err := fit.Propose(x, fit.Among{}, price, nil)
		if err != nil {
			t.Fatal(err)
		}
		if f.Over+f.Under > 0 {
			t.Errorf("exactly the same is %d too much and %d too little", f.Over, f.Under)
		}
		made := 0
		groups := r.chance(50)
		ops = f.Change(groups, func(o model.Object) {
			made++
			model.SetIdent(o, "made-"+strconv.Itoa(made))
		})
		after, problems := change.Apply(d, ops)
		if after == nil || len(model.Errors(problems)) > 0 {
			t.Fatal(problems)
		}
		for _, at := range []time.Time{now, now.AddDate(0, 0, 20)} {
			for _, u := range d.Users {
				was, is := plain{d}.effective(u.ID, at), plain{after}.effective(u.ID, at)
				if !reflect.DeepEqual(was, is) {
					t.Fatalf("%s held %v and holds %v", u.ID, was, is)
				}
			}
			broken := func(x *index.Index) (out []duty.Violation) {
				for _, v := range duty.All(x, at) {
					v.Area = "" // of several places, any is told
					out = append(out, v)
				}
				return out
			}
			if was, is := broken(x), broken(index.Compile(after)); !reflect.DeepEqual(was, is) {
				t.Fatalf("conflicts were violated as %v and are as %v", was, is)
			}
		}
		// The figures are those of the change.
		if !groups && len(after.Assignments)-len(d.Assignments) != f.After.Assignments-f.Before.Assignments {
			t.Errorf("%d assignments become %d, told is %+v and %+v", len(d.Assignments), len(after.Assignments), f.Before,
				f.After)
		}
		proposed += len(f.Roles)
		if len(ops) > 0 {
			rewritten++
		}
		for _, p := range f.Roles {
			if groups && p.New && p.Like.Exact {
				grouped++
			}
		}
	})
	if proposed < designs/2 || rewritten < designs/4 {
		t.Errorf("only %d roles are proposed, for %d designs", proposed, rewritten)
	}
	t.Logf("%d roles for %d designs, %d of them by groups", proposed, rewritten, grouped)
}

// TestRolesSideBySide holds the roles that stand side by side against every pair of roles, read plainly. Some roles are
// there twice.
func TestRolesSideBySide(t *testing.T) {
	found := map[string]int{}
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		var ops []change.Op
		for n, role := range d.Roles[:min(3, len(d.Roles))] {
			if n > 0 && r.chance(50) {
				continue
			}
			twin := model.Clone(role)
			twin.ID, twin.Name, twin.Protected, twin.State = role.ID+"-twin", role.Name+" again", false, model.Active
			ops = append(ops, change.Put(d, twin))
			for i, u := range d.Users[:min(1+n, len(d.Users))] {
				for _, id := range []string{role.ID, twin.ID} {
					ops = append(ops, change.Put(d, &model.Assignment{
						ID: id + "-" + strconv.Itoa(i), Subject: model.Subject{User: u.ID}, Role: id,
						Reach: model.ReachArea, Mode: model.Full,
					}))
				}
			}
		}
		d, problems := change.Apply(d, ops)
		if d == nil {
			t.Fatal(problems)
		}
		p := plain{d}
		holds := func(role string) (out []string) {
			for _, u := range d.Users {
				if p.live(u, now) && slices.ContainsFunc(d.Assignments, func(a *model.Assignment) bool {
					return a.Role != "" && p.builds(a.Role, role) && p.applies(a, u.ID, now)
				}) {
					out = append(out, u.ID)
				}
			}
			return out
		}
		var active []*model.Role
		gives, holders := map[string]keys{}, map[string][]string{}
		for _, o := range d.Roles {
			if o.State == model.Active {
				active = append(active, o)
				gives[o.ID], holders[o.ID] = p.role(o.ID), holds(o.ID)
			}
		}
		var want []fit.Beside
		first := func(of *model.Role, like func(o *model.Role) bool) *model.Role {
			return active[slices.IndexFunc(active, func(o *model.Role) bool { return o == of || like(o) })]
		}
		for _, b := range active {
			if a := first(b, func(o *model.Role) bool { return maps.Equal(gives[o.ID], gives[b.ID]) }); a != b &&
				len(gives[b.ID]) > 0 {
				want = append(want, fit.Beside{A: a.ID, B: b.ID, How: fit.BesideSame})
			}
			a := first(b, func(o *model.Role) bool { return slices.Equal(holders[o.ID], holders[b.ID]) })
			if a != b && len(holders[b.ID]) > 1 && !slices.Contains(a.Inherits, b.ID) && !slices.Contains(b.Inherits, a.ID) {
				want = append(want, fit.Beside{A: a.ID, B: b.ID, How: fit.BesideTogether})
			}
			for _, a := range active {
				inside := len(gives[a.ID]) > 1 && len(gives[a.ID]) < len(gives[b.ID]) && !slices.Contains(b.Inherits, a.ID)
				for k := range gives[a.ID] {
					inside = inside && gives[b.ID][k]
				}
				if inside {
					want = append(want, fit.Beside{A: a.ID, B: b.ID, How: fit.BesideWithin})
				}
			}
		}
		slices.SortFunc(want, func(a, b fit.Beside) int {
			return cmp.Or(strings.Compare(a.How, b.How), strings.Compare(a.A, b.A), strings.Compare(a.B, b.B))
		})
		got := fit.Alike(index.Compile(d), now)
		if !slices.Equal(got, want) {
			t.Fatalf("side by side are\n%v\nwant\n%v", got, want)
		}
		for _, b := range got {
			found[b.How]++
		}
	})
	for _, how := range []string{fit.BesideSame, fit.BesideTogether, fit.BesideWithin} {
		if found[how] == 0 {
			t.Errorf("no two roles were ever %s", how)
		}
	}
}

// TestAProposalStops gives a proposal up while it is made.
func TestAProposalStops(t *testing.T) {
	asked := 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		if f, err := fit.Propose(x, fit.Among{}, fit.Usual, func() bool { asked++; return true }); f != nil ||
			!errors.Is(err, fit.ErrStopped) {
			t.Fatalf("it went on: %v, %v", f, err)
		}
	})
	if asked == 0 {
		t.Error("it never asked whether it is to go on")
	}
}

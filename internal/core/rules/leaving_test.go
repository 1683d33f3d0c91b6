package rules

import (
	"slices"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/leaving"
	"fachwerk/internal/core/model"
)

// Whoever leaves has until the day what they had, and nothing from then on; who takes over answers for what they did
// and is given what was to be theirs; and brought back, the leaver has at every instant what they would have had.
func TestWhoLeavesHasNothingAndComesBackWhole(t *testing.T) {
	left, handed, given, back := 0, 0, 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		user := pick(r, d.Users).ID
		plan := &leaving.Plan{User: user, On: now.Add(time.Duration(1+r.IntN(90)) * time.Hour)}
		ops, before, wrong := plan.Ops(d, now)
		if wrong != "" {
			return
		}
		after, problems := change.Apply(d, ops)
		if after == nil {
			t.Fatal(problems[0])
		}
		left++
		y := index.Compile(after)
		instants := []time.Time{now, plan.On.Add(-time.Second), plan.On, plan.On.Add(time.Hour), now.Add(2000 * time.Hour)}
		for range 4 {
			instants = append(instants, now.Add(time.Duration(r.IntN(200))*time.Hour))
		}
		for _, at := range instants {
			has := y.Effective(user, at)
			switch {
			case at.Before(plan.On) && len(leaving.Duties(d, user)) == 0 && !slices.Equal(has, x.Effective(user, at)):
				t.Fatalf("%s has otherwise before the day, at %s: %v, was %v", user, at, has, x.Effective(user, at))
			case !at.Before(plan.On) && len(has) > 0:
				t.Fatalf("%s has %v after they left", user, has)
			}
		}
		for _, duty := range leaving.Duties(after, user) {
			g, is := after.Get(duty.Kind, duty.ID).(*model.Delegation)
			if !is || g.From.Before(plan.On) && (g.Until.IsZero() || plan.On.Before(g.Until)) {
				t.Fatalf("%s still answers for %+v", user, duty)
			}
		}

		// On the day, and back: without duties, all is as it was.
		end := leaving.End(after, user)
		gone := change.Lay(after, end)
		taken := leaving.Taken(end, user)
		if u, _ := gone.Users.Find(user); u.State != model.UserDeactivated || len(u.Licences) > 0 {
			t.Fatalf("%s has left as %+v", user, u)
		}
		for _, g := range gone.Groups {
			if g.Source != model.Directory && slices.Contains(g.Users, user) {
				t.Fatalf("%s is still in %s", user, g.ID)
			}
		}
		was, _ := d.Users.Find(user)
		returns, not := leaving.Back(gone, user, plan.On, before, taken)
		if len(leaving.Duties(d, user)) == 0 && len(not) == 0 && was.State == model.UserActive {
			back++
			again := index.Compile(change.Lay(gone, returns))
			for _, at := range instants[2:] {
				if has, had := again.Effective(user, at), x.Effective(user, at); !at.Before(plan.On) && !slices.Equal(has, had) {
					t.Fatalf("%s is brought back with %v, had %v", user, has, had)
				}
			}
		}

		// With successors.
		to := pick(r, d.Users).ID
		plan.Duties, plan.Grants = map[leaving.Duty]string{}, map[string]string{}
		for _, duty := range leaving.Duties(d, user) {
			plan.Duties[duty] = to
		}
		for _, a := range leaving.ByHand(d, user, now) {
			plan.Grants[a.ID] = to
		}
		ops, _, wrong = plan.Ops(d, now)
		if wrong != "" {
			return
		}
		if after, _ = change.Apply(d, ops); after == nil {
			return // a circle of managers, which the draft tells
		}
		z := index.Compile(after)
		for duty := range plan.Duties {
			o := after.Get(duty.Kind, duty.ID)
			names := duty.ID == to // who takes over as a manager reports to whom the leaver did
			model.EachMention(o, model.KindUser, func(field, id string) {
				names = names || field == duty.Field && id == to
			})
			if duty.Kind != model.KindDelegation && !names {
				t.Fatalf("%s does not answer for %+v: %+v", to, duty, o)
			}
			handed++
		}
		for id := range plan.Grants {
			a, _ := d.Assignments.Find(id)
			at := plan.On
			if at.Before(a.From) {
				at = a.From
			}
			if !model.In(at, a.From, a.Until) {
				continue
			}
			given++
			if !slices.ContainsFunc(z.GrantsOfUser(to), func(b *model.Assignment) bool {
				return b.Role == a.Role && b.Set == a.Set && b.Area == a.Area && b.Mode == a.Mode && b.Reach == a.Reach &&
					b.Until.Equal(a.Until) && model.In(at, b.From, b.Until) && !b.From.Before(plan.On)
			}) {
				t.Fatalf("%s is not given %+v from %s on: %+v", to, a, at, z.GrantsOfUser(to))
			}
		}
	})
	if left == 0 || handed == 0 || given == 0 || back == 0 {
		t.Errorf("%d left, %d duties and %d grants were handed over, %d came back: not enough to tell", left, handed, given,
			back)
	}
}

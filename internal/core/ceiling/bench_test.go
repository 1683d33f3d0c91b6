package ceiling_test

import (
	"testing"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/ceiling"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/generate"
)

// BenchmarkCeiling finds the ceiling of a delegate over 10,000 people of the generated organisation, who assigns,
// chooses the members of groups handed over whole, gives seats and brings people back.
func BenchmarkCeiling(b *testing.B) {
	d := generate.Design(generate.Options{Users: 100_000, Seed: 1})
	g := &model.Delegation{
		ID: "wide", Name: "Wide", Delegate: model.Subject{User: d.Users[7].ID},
		People: model.People{Group: "wide"}, GroupsWhole: true,
		Actions: []string{
			delegation.Assign, delegation.Deactivate, delegation.Edit, delegation.Invite, delegation.Lock,
			delegation.Membership, delegation.Seat,
		},
	}
	wide := &model.Group{ID: "wide", Name: "Wide", Type: model.Static}
	for _, u := range d.Users[1000:11_000] {
		wide.Users = append(wide.Users, u.ID)
	}
	for _, r := range d.Roles[:40] {
		g.Roles = append(g.Roles, r.ID)
	}
	for _, o := range d.Groups[:60] {
		g.Groups = append(g.Groups, o.ID)
	}
	d.Groups, d.Delegations = append(d.Groups, wide), append(d.Delegations, g)
	d = model.Build(d)
	v := ahead.Of(index.Compile(d))
	for b.Loop() {
		c := ceiling.Of(v, g.Delegate.User, now)
		if len(c.Bricks) == 0 {
			b.Fatal("nothing could come of it")
		}
		b.ReportMetric(float64(len(c.Bricks)), "bricks")
		b.ReportMetric(float64(len(c.TooHigh())), "too-high")
	}
}

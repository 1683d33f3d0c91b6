package view

import (
	"context"
	"slices"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// Warm counts ahead what the first question about the present design would otherwise wait for, as somebody sees it who
// sees all of it: lists and whatever no instant changes; of everything also what is in force, which costs seconds of a
// large design. It ends early once nobody needs it any longer: ctx is over, or there is another revision.
func (d *Viewer) Warm(ctx context.Context, everything bool) {
	h := d.Present()
	s := &desk.Sight{House: h, Present: h, At: d.Now(), Whole: true}
	steps := []func(){
		func() { crowdOf(s).Arrange("title", "department", "userType", "area", "state", "active", "manager") },
		func() { placesByName(s) },
		func() { AtHome(s, "") },
		func() { seated(s) },
		func() { s.Ahead() },
		// What is counted person by person is brought up to each revision by few, once it was counted.
		func() { Violations(s) },
		func() { lackers(s) },
		func() { dispensableFor(s, 0) },
		func() { RiskRows(s) },
	}
	for _, kind := range slices.Concat(index.Bays, Findable) {
		steps = append(steps, func() { s.Entries(kind) })
	}
	if everything {
		// whoever asks for them is told why not
		steps = append(steps, func() { _ = d.Store.ReadComings(model.KindUser, model.KindAssignment) })
		for _, kind := range []model.Kind{model.KindRole, model.KindSet} {
			steps = append(steps, func() { countHolders(s, kind, s.Entries(kind)) })
		}
		for _, g := range s.Design().Delegations {
			steps = append(steps, func() { coversNow(s, g) })
		}
	}
	for _, step := range steps {
		if ctx.Err() != nil || d.Present() != h {
			return
		}
		step()
	}
	h.Settle()
}

// Findable are the kinds of thing that can be found, those first that are looked for most.
var Findable = []model.Kind{
	model.KindUser,
	model.KindRole,
	model.KindGroup,
	model.KindSet,
	index.KindPermission,
	model.KindArea,
	model.KindSystem,
	model.KindDelegation,
	model.KindConflict,
	model.KindGuarantee,
	model.KindLicence,
}

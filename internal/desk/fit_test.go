package desk_test

import (
	"slices"
	"testing"

	"fachwerk/internal/desk/ask"

	"fachwerk/internal/desk"
)

func TestFit(t *testing.T) {
	d, _ := openDemo(t)
	need := []string{
		"quaybook:gate:admit",
		"quaybook:gate:override",
		"quaybook:barrier:open",
		" quaybook:gate-log:export",
		"quaybook:ghost:open",
		"",
	}
	a := must[*ask.FitAnswer](t)(d.Fit(signe, ask.FitAsk{Need: need, Roles: true}))
	if len(a.Need) != 7 || !slices.Equal(a.Unknown, []string{"quaybook:ghost:open"}) {
		t.Errorf("needed are %v, unknown %v", a.Need, a.Unknown)
	}
	if len(a.Fits) == 0 || len(a.Fits[0].Bundles) != 1 || a.Fits[0].Bundles[0].Name != "Gate lead" ||
		len(a.Fits[0].Missing) != 0 ||
		len(a.Fits[0].Excess) != 7 {
		t.Fatalf("the closest is %+v", a.Fits)
	}
	for _, f := range a.Fits {
		if slices.ContainsFunc(f.Bundles, func(b desk.Ref) bool { return b.Kind != "role" }) {
			t.Errorf("a set was used: %v", f.Bundles)
		}
		if !slices.IsSortedFunc(f.Excess, func(a, b ask.FitPermission) int { return b.Risk - a.Risk }) ||
			len(f.Excess) > 0 && f.Risk != f.Excess[0].Risk {
			t.Errorf("too much is %v, up to %d", f.Excess, f.Risk)
		}
	}
	// Like a person, without some; the role that is proposed can be drafted.
	like := must[*ask.FitAnswer](
		t,
	)(
		d.Fit(
			signe,
			ask.FitAsk{
				Like:    "noor.tamsin",
				Without: []string{"gangway:departure:view", "gangway:timetable:view"},
				Roles:   true,
				Sets:    true,
			},
		),
	)
	if len(like.Need) != 29 || len(like.Fits) == 0 || len(like.Fits[0].Missing) != 0 {
		t.Fatalf("like Noor, %d are needed, and %+v fits", len(like.Need), like.Fits)
	}
	role := like.Fits[0].Role
	role.Name = "Like Noor"
	draft := must[*desk.Draft](t)(d.Put(signe, nil, role))
	if len(draft.Edits) != 1 || len(draft.Blocks) > 0 {
		t.Errorf("the draft is %+v", draft)
	}
	c := must[*ask.Comparison](t)(d.Compare(signe, []string{"role:like-noor", "user:noor.tamsin"}, true))
	if c.Things[0].Permissions != 29 {
		t.Errorf("the drafted role gives %d permissions", c.Things[0].Permissions)
	}
	_, err := d.Fit(signe, ask.FitAsk{Like: "ghost", Roles: true})
	refused(t, err, desk.NotFound, "no person")
	if none := must[*ask.FitAnswer](t)(d.Fit(signe, ask.FitAsk{Need: need})); len(none.Fits) != 0 {
		t.Errorf("without roles and sets, %v fits", none.Fits)
	}
}

package desk_test

import (
	"slices"
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/survey"
)

// What somebody comes back to: what waits for them and nobody else, the most pressing first, and what others changed.
func TestToday(t *testing.T) {
	d, _ := openDemo(t)
	of := func(who desk.Actor) *survey.Today {
		t.Helper()
		return must[*survey.Today](t)(d.Today(who))
	}
	kinds := func(v *survey.Today) (out []string) {
		for _, w := range v.Waits {
			out = append(out, w.Kind)
		}
		return out
	}
	before := of(signe)
	if got := kinds(before); !slices.Equal(got, []string{"request", "letter", "invitation", "worklist"}) {
		t.Errorf("for the owner there waits %v", got)
	}
	if before.Looked != nil || len(before.Changes) == 0 || before.Latest != 60 {
		t.Errorf("what changed of late: %+v", before)
	}
	for _, c := range before.Changes {
		if c.Who == "Signe Halloran" {
			t.Errorf("she is told what she did herself: %+v", c)
		}
	}

	// A review waits for its reviewer until they have decided, and then for whoever closes it.
	r := must[*review.Review](t)(d.OpenReview(signe, review.NewReview{
		Name: "Gates", Role: "gate-clerk", Area: "terminal-1", By: "person", Person: "oona.brandvold",
	}))
	oona := desk.Actor{User: "oona.brandvold"}
	v := of(oona)
	if len(v.Waits) == 0 || v.Waits[0].Kind != "review" || v.Waits[0].Name != "Gates" || v.Waits[0].Count != r.Items {
		t.Errorf("for the reviewer there waits %+v", v.Waits)
	}
	for _, i := range itemsOf(t, d, oona, r.ID) {
		must[*review.ReviewItem](t)(d.Decide(oona, i.ID, "keep", ""))
	}
	if v := of(oona); slices.Contains(kinds(v), "review") {
		t.Errorf("all is decided, and there waits %+v", v.Waits)
	}
	if got := kinds(of(signe)); !slices.Contains(got, "close") {
		t.Errorf("it can be closed, and there waits %v", got)
	}

	// What was looked at is not told again, and what lies in the draft is.
	if err := d.LookAt(signe, before.Latest); err != nil {
		t.Fatal(err)
	}
	must[*desk.Draft](t)(drafted(t, d, signe, &model.Assignment{
		ID: "new", Subject: model.Subject{User: "oona.brandvold"}, Role: "harbour-reader", Until: today.AddDate(0, 0, 9),
	}))
	v = of(signe)
	if v.Looked == nil || len(v.Changes) > 0 || !slices.Contains(kinds(v), "draft") {
		t.Errorf("after she has looked: %+v", v)
	}
	applyAll(t, d, signe)
	if v := of(signe); len(v.Changes) > 0 {
		t.Errorf("her own change is told: %+v", v.Changes)
	}
	v = of(oona)
	if len(v.Ends) != 1 || v.Ends[0].Target.ID != "harbour-reader" {
		t.Errorf("what ends soon for her: %+v", v.Ends)
	}
	refused(t, d.LookAt(signe, 1000), desk.Invalid, "no revision 1000 yet")

	// A delegate is told of nothing that is not theirs: no history, no invitations of others.
	v = of(lucia)
	if len(v.Changes) > 0 || slices.Contains(kinds(v), "invitation") {
		t.Errorf("a delegate is told %+v", v)
	}
}

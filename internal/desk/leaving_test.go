package desk_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// leavable is the small organisation with somebody who answers for much: cy owns the crew and a role, manages dan, is a
// delegate, decides in a review, holds a role by hand, and sits on a seat.
func leavable(t *testing.T) (*rooms.Desk, *store.Store, *time.Time) {
	t.Helper()
	d, s, clock := clocked(t)
	one := 1
	get := func(kind model.Kind, id string) model.Object { return model.Clone(d.Present().Design().Get(kind, id)) }
	crew, night := get(model.KindGroup, "crew").(*model.Group), get(model.KindRole, "night").(*model.Role)
	cy, dan := get(model.KindUser, "cy").(*model.User), get(model.KindUser, "dan").(*model.User)
	crew.Owner, night.Owner, dan.Manager = "cy", "cy", "cy"
	cy.Licences = []string{"seat"}
	put(t, d, &model.Licence{ID: "seat", Name: "Seat", Seats: &one}, crew, night, cy, dan, &model.Delegation{
		ID: "gates", Name: "Gates", Delegate: model.Subject{User: "cy"}, People: model.People{Area: "t2"},
		Actions: []string{"assign"}, Roles: []string{"clerk"}, Area: "t2",
	})
	must[*review.Review](t)(d.OpenReview(desk.Actor{User: "bea"}, review.NewReview{Role: "night", By: "manager"}))
	return d, s, clock
}

// Somebody leaves on a day: others take over at once what they answered for, all that they have ends on the day, their
// seat comes free; and they come back with all of it, but for what others took over.
func TestALeaving(t *testing.T) {
	d, s, clock := leavable(t)
	owner := desk.Actor{User: "bea", Proven: now}
	l := must[*people.LeavingPerson](t)(d.Leaver(owner, "cy"))
	var duties []string
	for _, duty := range l.Duties {
		duties = append(duties, duty.Field+" "+duty.Name)
	}
	if want := []string{"owner Night", "owner Crew", "manager Dan", "delegate Gates"}; !slices.Equal(duties, want) {
		t.Errorf("the duties are %q, want %q", duties, want)
	}
	if len(l.Grants) != 1 || len(l.Groups) != 1 || len(l.Seats) != 1 || l.Items != 1 || l.Manager.ID != "ann" {
		t.Errorf("they leave behind %+v", l)
	}
	on := time.Date(2026, 3, 31, 0, 0, 0, 0, time.UTC)
	plan := people.LeavingPlan{User: "cy", On: on, Items: "ann",
		Grants: []people.LeavingHandGrant{{ID: "cy-night", To: "dan"}}}
	for _, duty := range l.Duties {
		plan.Duties = append(plan.Duties, people.LeavingHandOver{Kind: duty.Kind, ID: duty.ID, To: "ann"})
	}
	must[*desk.Draft](t)(d.DraftLeaving(owner, plan))
	if waiting := must[int](t)(s.Waiting("cy")); waiting != 1 {
		t.Error("a review changes hands before the plan is applied")
	}
	planned := applyAll(t, d, owner)

	at := func(instant time.Time) {
		t.Helper()
		*clock = instant
		if err := d.EndDue(); err != nil {
			t.Fatal(err)
		}
	}
	design := func() *model.Design { return d.Present().Design() }
	crew, _ := design().Groups.Find("crew")
	dan, _ := design().Users.Find("dan")
	if crew.Owner != "ann" || dan.Manager != "ann" || must[int](t)(s.Waiting("cy")) != 0 ||
		must[int](t)(s.Waiting("ann")) != 2 {
		t.Error("not all that they answered for is in other hands")
	}
	at(on.Add(-time.Minute))
	if !allowed(d, "cy", "s:gate:open", "t1") || !allowed(d, "cy", "s:gate:view", "t1") {
		t.Error("they lose something before the day")
	}
	sheet := must[*view.Person](t)(d.Person(owner, "cy", ""))
	if len(sheet.Coming) != 1 || !strings.HasPrefix(sheet.Coming[0].Said, "Leaves") || !sheet.Coming[0].At.Equal(on) {
		t.Errorf("the sheet tells of %+v", sheet.Coming)
	}
	members := must[*view.GroupSheet](t)(d.Group(owner, "crew", "")).Members
	if len(members) != 1 || members[0].Ends == nil || !members[0].Ends.Equal(on) {
		t.Errorf("the group tells of %+v", members)
	}
	list := must[[]people.LeavingPlanned](t)(d.Leavers(owner))
	if len(list) != 1 || list[0].Gone || list[0].Revision != planned.Revision {
		t.Errorf("who leaves: %+v", list)
	}

	at(on)
	cy, _ := design().Users.Find("cy")
	crew, _ = design().Groups.Find("crew")
	record := must[store.Revision](t)(s.Revision(d.Revision()))
	if cy.State != model.UserDeactivated || len(cy.Licences) > 0 || len(crew.Users) > 0 ||
		allowed(d, "cy", "s:gate:open", "t1") {
		t.Errorf("on the day: %+v, in the crew %v", cy, crew.Users)
	}
	if record.WhoName != "Fachwerk, by itself" ||
		record.Why != "Cy has left, as Bea planned it with revision "+desk.Itoa(planned.Revision) {
		t.Errorf("the record says %+v", record)
	}
	delegations := d.Present().Index.Design().Delegations
	if i := slices.IndexFunc(delegations, func(g *model.Delegation) bool { return g.Delegate.User == "ann" }); i < 0 ||
		!delegations[i].From.Equal(on) || !delegations[i].Until.IsZero() {
		t.Errorf("the delegations are %+v", delegations)
	}
	list = must[[]people.LeavingPlanned](t)(d.Leavers(owner))
	if len(list) != 1 || !list[0].Gone {
		t.Errorf("who has left: %+v", list)
	}
	revision := d.Revision()
	at(on.Add(time.Hour))
	if d.Revision() != revision {
		t.Error("it happened twice")
	}

	// Back, in part: the seat is another's by then.
	other := model.Clone(must[*model.User](t)(find(design(), "dan")))
	other.Licences = []string{"seat"}
	put(t, d, other)
	draft := must[*desk.Draft](t)(d.BringBack(owner, "cy"))
	if len(draft.Edits) != 1 {
		t.Errorf("the draft is %+v", draft.Edits)
	}
	applyAll(t, d, owner)
	cy, _ = design().Users.Find("cy")
	crew, _ = design().Groups.Find("crew")
	if cy.State != model.UserActive || !cy.Until.IsZero() || len(cy.Licences) > 0 || !slices.Contains(crew.Users, "cy") ||
		!allowed(d, "cy", "s:gate:open", "t1") || crew.Owner != "ann" {
		t.Errorf("brought back: %+v, the crew is %+v", cy, crew)
	}
	if list := must[[]people.LeavingPlanned](t)(d.Leavers(owner)); len(list) != 0 {
		t.Errorf("who leaves, after all: %+v", list)
	}
	_, err := d.BringBack(owner, "cy")
	refused(t, err, desk.Conflict, "neither leaves nor has left")
}

func find(d *model.Design, id string) (*model.User, error) {
	u, ok := d.Users.Find(id)
	if !ok {
		return nil, store.ErrNotFound
	}
	return u, nil
}

// A leaving that is undone or called off before the day leaves everybody where they are.
func TestALeavingIsCalledOff(t *testing.T) {
	d, _, clock := leavable(t)
	owner := desk.Actor{User: "bea", Proven: now}
	on := now.AddDate(0, 0, 20)
	plan := people.LeavingPlan{User: "cy", On: on}
	for name, call := range map[string]func() error{
		"undone":     func() error { _, err := d.DraftUndo(owner, d.Revision()); return err },
		"called off": func() error { _, err := d.BringBack(owner, "cy"); return err },
	} {
		must[*desk.Draft](t)(d.DraftLeaving(owner, plan))
		applyAll(t, d, owner)
		if err := call(); err != nil {
			t.Fatal(name, err)
		}
		applyAll(t, d, owner)
		if list := must[[]people.LeavingPlanned](t)(d.Leavers(owner)); len(list) != 0 {
			t.Errorf("%s, %+v leave", name, list)
		}
	}
	*clock = on
	revision := d.Revision()
	if err := d.EndDue(); err != nil || d.Revision() != revision || !allowed(d, "cy", "s:gate:open", "t1") {
		t.Errorf("somebody leaves all the same (%v)", err)
	}
}

// Nobody plans what they could not do, and nobody leaves who is the last to hold every right.
func TestWhoMayHaveSomebodyLeave(t *testing.T) {
	d, _, _ := leavable(t)
	put(t, d, &model.Delegation{
		ID: "doors", Name: "Doors", Delegate: model.Subject{User: "ann"}, People: model.People{Area: "t1"},
		Actions: []string{"lock"}, Area: "t1",
	})
	fay := desk.Actor{User: "fay"}
	put(t, d, &model.User{ID: "gus", UserName: "gus", DisplayName: "Gus", Area: "t1"},
		&model.User{ID: "fay", UserName: "fay", DisplayName: "Fay"}, &model.Delegation{
			ID: "exits", Name: "Exits", Delegate: model.Subject{User: "fay"}, People: model.People{Area: "t1"},
			Actions: []string{"lock", "deactivate", "seat", "assign", "revoke", "membership"}, Roles: []string{"night", "clerk"},
			Groups: []string{"crew"}, GroupsWhole: true, Area: "t1",
		})
	on := now.AddDate(0, 0, 20)
	for _, c := range []struct {
		who   desk.Actor
		plan  people.LeavingPlan
		cause desk.Cause
		says  string
	}{
		{eve, people.LeavingPlan{User: "cy", On: on}, desk.NotAllowed, ""},
		{dan, people.LeavingPlan{User: "cy", On: on}, desk.NotAllowed, ""},
		{ann, people.LeavingPlan{User: "dan", On: on}, desk.NotFound, "There is no person"}, // out of sight
		{ann, people.LeavingPlan{User: "cy", On: on}, desk.NotAllowed, ""},                  // locks, but does not deactivate
		// to have it end is theirs, the day is not
		{ann, people.LeavingPlan{User: "gus", On: on}, desk.NotAllowed, "deactivate"},
		{eve, people.LeavingPlan{User: "cy", On: on, Items: "eve"}, desk.NotAllowed, ""},
		// lets people go, and runs no review
		{fay, people.LeavingPlan{User: "cy", On: on, Items: "fay"}, desk.NotAllowed, "Run reviews"},
		{desk.Actor{User: "bea", Proven: now}, people.LeavingPlan{User: "bea", On: on}, desk.NotAllowed, "every right"},
		{desk.Actor{User: "bea", Proven: now}, people.LeavingPlan{User: "cy", On: now}, desk.Invalid, "a day to come"},
		{
			desk.Actor{User: "bea", Proven: now},
			people.LeavingPlan{User: "cy", On: on, Duties: []people.LeavingHandOver{{Kind: "group", ID: "crew", To: "cy"}}},
			desk.Invalid, "from themselves",
		},
		{
			desk.Actor{User: "bea", Proven: now},
			people.LeavingPlan{User: "cy", On: on, Duties: []people.LeavingHandOver{{Kind: "group", ID: "crew", To: "nobody"}}},
			desk.NotFound, "There is no person",
		},
		{
			desk.Actor{User: "bea", Proven: now},
			people.LeavingPlan{User: "cy", On: on, Items: "lou"}, desk.Invalid, "is not live",
		},
	} {
		_, err := d.DraftLeaving(c.who, c.plan)
		refused(t, err, c.cause, c.says)
	}
}

// What waits in reviews for somebody who is deleted comes to the fallback of the review.
func TestItemsOfWhoIsDeletedAreDecided(t *testing.T) {
	d, s, _ := leavable(t)
	owner := desk.Actor{User: "bea", Proven: now}
	if n := must[int](t)(s.Waiting("cy")); n != 1 {
		t.Fatalf("%d items wait for cy", n)
	}
	must[*desk.Draft](t)(d.Delete(owner, model.KindUser, "cy", nil))
	applyAll(t, d, owner)
	if n, fallback := must[int](t)(s.Waiting("cy")), must[int](t)(s.Waiting("bea")); n != 0 || fallback != 1 {
		t.Errorf("%d items wait for who is deleted, %d for the fallback", n, fallback)
	}
}

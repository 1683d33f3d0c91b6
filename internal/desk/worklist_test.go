package desk_test

import (
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/store"
)

// newList begins a worklist of somebody's with people and steps.
func newList(t *testing.T, d *rooms.Desk, who desk.Actor, text string, steps ...worklist.Step) string {
	t.Helper()
	head := must[*people.Head](t)(d.NewWorklist(who, ""))
	must[*people.Gathered](t)(d.Gather(who, head.ID, people.Source{Text: text}))
	if err := d.AlterWorklist(who, head.ID, people.Alteration{Steps: &steps}); err != nil {
		t.Fatal(err)
	}
	return head.ID
}

// look waits until a worklist has been tried.
func look(t *testing.T, d *rooms.Desk, who desk.Actor, id string, q people.Window) *people.Worklist {
	t.Helper()
	q.Limit = 100
	for {
		if w := must[*people.Worklist](t)(d.Worklist(who, id, q)); w.State != "working" {
			return w
		}
	}
}

// rowsOf tells each row in short: whom it is about, its result, and what each step says.
func rowsOf(w *people.Worklist) (out []string) {
	for _, r := range w.Rows {
		line := r.User.ID + " " + r.Result
		for _, o := range r.Outcomes {
			line += "; " + o.Said
		}
		out = append(out, line)
	}
	return out
}

func TestAWorklistFromATextToItsLogAndBack(t *testing.T) {
	d, _ := open(t)
	owner := desk.Actor{User: "bea", Proven: now}
	head := must[*people.Head](t)(d.NewWorklist(owner, "  Night crew "))
	got := must[*people.Gathered](
		t,
	)(
		d.Gather(owner, head.ID, people.Source{Text: "Ann, cy; lou\nDaan\nnobody at all\nann"}),
	)
	if got.Added != 3 || len(got.Unclear) != 2 || got.Unclear[0].Meant == nil || got.Unclear[0].Meant.ID != "dan" {
		t.Fatalf("gathered: %+v", got)
	}
	got = must[*people.Gathered](t)(d.Gather(owner, head.ID, people.Source{Of: &desk.End{Kind: "role", ID: "night"}}))
	if got.Added != 1 || got.Already != 1 {
		t.Errorf("of the holders of a role: %+v", got)
	}
	got = must[*people.Gathered](t)(d.Gather(owner, head.ID, people.Source{Query: `state eq "locked"`}))
	if got.Added != 0 || got.Already != 1 {
		t.Errorf("by a filter: %+v", got)
	}
	_, err := d.Gather(owner, head.ID, people.Source{Query: `state eq`})
	refused(t, err, desk.Invalid, "cannot be read")
	steps := []worklist.Step{
		{Do: worklist.Assign, Roles: []string{"clerk", "night"}, Area: "t1"},
		{Do: worklist.Join, Groups: []string{"crew"}},
		{Do: worklist.Unlock},
	}
	if err := d.AlterWorklist(owner, head.ID, people.Alteration{Steps: &steps, Leave: []string{"ann"}}); err != nil {
		t.Fatal(err)
	}
	w := look(t, d, owner, head.ID, people.Window{})
	want := []string{
		"ann left; Left out.; Left out.; Left out.",
		"cy does; Is assigned Clerk at Terminal 1; 1 of 2 are held already.; Is in all of these groups.; Is active already.",
		"lou does; Is assigned Clerk, Night at Terminal 1.; Joins Crew.; Is unlocked.",
		"dan does; Is assigned Clerk at Terminal 1; 1 of 2 are held already.; Joins Crew.; Is active already.",
	}
	if rows := rowsOf(w); !slices.Equal(rows, want) {
		t.Errorf("the rows are\n%s", strings.Join(rows, "\n"))
	}
	if len(w.Unclear) != 2 || w.Counts["does"] != 3 || w.Counts["not"] != 0 || w.Counts["left"] != 1 || !w.Changes ||
		w.Name != "Night crew" || w.Gaining != 1 {
		t.Errorf("the worklist: %+v", w)
	}
	if only := look(t, d, owner, head.ID, people.Window{Result: "left"}); only.Match != 1 ||
		only.Rows[0].User.ID != "ann" {
		t.Errorf("those left out: %+v", only.Rows)
	}
	before := d.Design()
	draft := must[*desk.Draft](t)(d.DraftWorklist(owner, head.ID))
	if len(draft.Edits) != 1 || d.Design() != before {
		t.Fatalf("the draft has %d acts", len(draft.Edits))
	}
	if heads := must[*people.Heads](t)(d.Worklists(owner)); len(heads.Runs) != 0 {
		t.Error("what is only drafted is logged as done")
	}
	if w := look(t, d, owner, head.ID, people.Window{}); w.Changes { // laid on the draft, all is so
		t.Errorf("once it is in the draft it still does %+v", rowsOf(w))
	}
	applied := must[*desk.Applied](t)(d.Apply(owner, "for the night", draft.Stamp))
	if len(applied.Runs) != 1 {
		t.Fatalf("applied: %+v", applied)
	}
	log := must[*people.Log](t)(d.WorklistLog(owner, applied.Runs[0], people.Window{Limit: 10}))
	if log.Revision != applied.Revision || log.Match != 3 || log.Counts["does"] != 3 ||
		log.Steps[0] != "Assign Clerk, Night at Terminal 1" ||
		log.Rows[1].Outcomes[2].Said != "Is unlocked." ||
		log.Rows[1].Gains != 2 {
		t.Errorf("the log: %+v", log)
	}
	file := must[*table.Table](t)(d.WorklistTable(owner, applied.Runs[0]))
	if len(file.Rows) != 3 || file.Rows[2][2] != "Is assigned Clerk at Terminal 1; 1 of 2 are held already." {
		t.Errorf("the table: %v", file.Rows)
	}
	_, err = d.WorklistLog(kay, applied.Runs[0], people.Window{Limit: 10})
	if err != nil {
		t.Errorf("who reads the history: %v", err)
	}
	_, err = d.WorklistLog(cy, applied.Runs[0], people.Window{Limit: 10})
	refused(t, err, desk.NotFound, "no such log")
	again := must[*people.Heads](t)(d.Worklists(owner))
	if len(again.Lists) != 1 || len(again.Runs) != 1 {
		t.Errorf("kept: %+v", again)
	}
	_, err = d.Worklist(kay, head.ID, people.Window{})
	refused(t, err, desk.NotFound, "no such worklist")
	if err := d.DropWorklist(owner, head.ID); err != nil {
		t.Fatal(err)
	}
	undo := must[*desk.Draft](t)(d.DraftUndo(owner, applied.Revision))
	must[*desk.Applied](t)(d.Apply(owner, "back", undo.Stamp))
	if rest := change.Difference(before, d.Design()); len(rest) != 0 {
		t.Errorf("one undo leaves %d differences", len(rest))
	}
}

// What stands in the way of one person keeps nobody else: rights, circles, the last owner.
func TestWhatMayNotBeDoneIsLeftOutOfAWorklist(t *testing.T) {
	d, _ := open(t)
	put(t, d,
		&model.Group{ID: "chiefs", Name: "Chiefs"},
		&model.Assignment{ID: "chiefs", Subject: model.Subject{Group: "chiefs"}, Set: model.SetOwner},
		&model.Delegation{
			ID: "cy", Name: "Of Terminal 1", Delegate: model.Subject{User: "cy"}, People: model.People{Area: "t1"},
			Actions: []string{"lock", "edit", "assign"}, Roles: []string{"clerk"}, Area: "t1",
		},
		&model.User{ID: "fay", UserName: "fay", DisplayName: "Fay", Area: "t1"},
		&model.User{ID: "gus", UserName: "gus", DisplayName: "Gus", Area: "t1"},
		&model.Assignment{ID: "gus", Subject: model.Subject{User: "gus"}, Set: model.SetAuditor},
	)
	cases := []struct {
		who  desk.Actor
		text string
		step worklist.Step
		want []string
	}{
		{kay, "bea, ann", worklist.Step{Do: worklist.Lock}, []string{
			"bea not; This would take away the last live person", "ann does; Is locked.",
		}},
		{kay, "dan, ann", worklist.Step{Do: worklist.Join, Groups: []string{"chiefs"}}, []string{
			"dan not; Dan would gain fachwerk", "ann not; Ann would gain fachwerk",
		}},
		{bea, "bea, ann", worklist.Step{Do: worklist.Deactivate}, []string{
			"bea not; This would take away the last live person", "ann does; Is deactivated.",
		}},
		{bea, "ann, eve", worklist.Step{Do: worklist.Set, Field: "manager", Value: "cy"}, []string{
			"ann not; Would report to themselves by Cy.", "eve does; The manager becomes “Cy”.",
		}},
		{cy, "fay, gus, ann", worklist.Step{Do: worklist.Lock}, []string{"fay does; Is locked.", "gus not; "}},
		{cy, "fay, gus", worklist.Step{Do: worklist.Assign, Roles: []string{"clerk"}, Area: "t1"}, []string{
			"fay does; Is assigned Clerk at Terminal 1.", "gus not; ",
		}},
		{cy, "fay", worklist.Step{Do: worklist.SignOut}, []string{"fay not; This needs the right"}},
		{cy, "fay", worklist.Step{Do: worklist.Delete}, []string{"fay not; The person \"Fay\" cannot be deleted"}},
	}
	for _, c := range cases {
		c.who.Proven = now
		id := newList(t, d, c.who, c.text, c.step)
		w := look(t, d, c.who, id, people.Window{})
		rows := rowsOf(w)
		if len(rows) != len(c.want) {
			t.Errorf("%s by %s: the rows are %q", c.step.Do, c.who.User, rows)
			continue
		}
		for i, want := range c.want {
			if !strings.HasPrefix(rows[i], want) {
				t.Errorf("%s by %s: %q, want %q", c.step.Do, c.who.User, rows[i], want)
			}
		}
		if w.Stop != "" {
			t.Errorf("%s by %s stops: %s", c.step.Do, c.who.User, w.Stop)
		}
		if !w.Changes {
			continue
		}
		before := d.Design()
		must[*desk.Draft](t)(d.DraftWorklist(c.who, id))
		applyAll(t, d, c.who)
		for _, r := range w.Rows {
			was, _ := before.Users.Find(r.User.ID)
			is, _ := d.Design().Users.Find(r.User.ID)
			if r.Result == "not" && was != is {
				t.Errorf("%s by %s: %s was not possible for %s, and done", c.step.Do, c.who.User, c.step.Do, r.User.ID)
			}
		}
		must[*desk.Draft](t)(d.DraftUndo(bea2, d.Present().Revision))
		applyAll(t, d, bea2)
	}
}

var bea2 = desk.Actor{User: "bea", Proven: now}

// A delegate who names somebody out of sight is told what is told of who does not exist.
func TestAWorklistTellsNothingOfWhoIsOutOfSight(t *testing.T) {
	d, _ := open(t)
	put(t, d, &model.Delegation{
		ID: "cy", Name: "Of Terminal 1", Delegate: model.Subject{User: "cy"}, People: model.People{Area: "t2"},
		Actions: []string{"lock"}, Area: "t2",
	}, &model.User{ID: "fay", UserName: "fay", DisplayName: "Fay", Area: "t2"})
	head := must[*people.Head](t)(d.NewWorklist(cy, ""))
	got := must[*people.Gathered](t)(d.Gather(cy, head.ID, people.Source{Text: "Eve\nEvf\nfay"}))
	if got.Added != 1 || len(got.Unclear) != 2 || got.Unclear[0].Meant != nil || got.Unclear[1].Meant != nil {
		t.Errorf("by a text: %+v", got)
	}
	got = must[*people.Gathered](t)(d.Gather(cy, head.ID, people.Source{People: []string{"eve", "nobody", "fay"}}))
	if got.Added != 0 || got.Already != 1 || len(got.Unclear) != 2 {
		t.Errorf("by ids: %+v", got)
	}
	_, err := d.Gather(cy, head.ID, people.Source{Of: &desk.End{Kind: "role", ID: "fixed"}})
	refused(t, err, desk.NotFound, "no role")
	steps := []worklist.Step{{Do: worklist.Join, Groups: []string{"fed"}}}
	if err := d.AlterWorklist(cy, head.ID, people.Alteration{Steps: &steps}); err != nil {
		t.Fatal(err)
	}
	w := look(t, d, cy, head.ID, people.Window{})
	if w.Steps[0].Wrong != `There is no group "fed".` || w.Stop == "" {
		t.Errorf("a step with a group out of sight: %+v", w)
	}
	_, err = d.DraftWorklist(cy, head.ID)
	refused(t, err, desk.Invalid, "no group")
}

// Seats are given as far as there are any, in the order of the list; a person who is deleted hands on what hangs on
// them.
func TestStepsOfAWorklist(t *testing.T) {
	d, s := open(t)
	seats := 2
	put(
		t,
		d,
		&model.Licence{ID: "full", Name: "Full", Seats: &seats},
		&model.User{
			ID:          "dan",
			UserName:    "dan",
			DisplayName: "Dan",
			Manager:     "ann",
			Licences:    []string{"full"},
			Email:       "dan@small.example",
		},
	)
	owner := desk.Actor{User: "bea", Proven: now}
	do := func(text string, steps ...worklist.Step) []string {
		t.Helper()
		return rowsOf(look(t, d, owner, newList(t, d, owner, text, steps...), people.Window{}))
	}
	for _, c := range []struct {
		steps []worklist.Step
		text  string
		want  []string
	}{
		{[]worklist.Step{{Do: worklist.Seat, Licences: []string{"full"}}}, "dan, cy, ann", []string{
			"dan already; Has the seat already.", "cy does; Is given a seat of Full.",
			"ann not; No seat of Full is free: all 2 are taken.",
		}},
		{[]worklist.Step{{Do: worklist.Unseat}, {Do: worklist.Seat, Licences: []string{"full"}}}, "dan", []string{
			"dan does; Gives back the seat of Full.; Is given a seat of Full.",
		}},
		{[]worklist.Step{{Do: worklist.Delete}}, "ann, cy", []string{
			"ann not; Leaves behind 2 people managed: name a successor.", "cy does; Is deleted.",
		}},
		{[]worklist.Step{{Do: worklist.Delete, Successor: "cy"}}, "ann, cy", []string{
			"ann does; Is deleted; Cy takes over 2 people managed.", "cy not; Cannot be their own successor.",
		}},
		{[]worklist.Step{{Do: worklist.NewPassword}, {Do: worklist.SignOut}}, "dan, cy", []string{
			"dan does; Is asked for a new password, by a letter to dan@small.example.; Is signed out everywhere.",
			"cy not; Has no e-mail address for the letter.; Is signed out everywhere.",
		}},
		{[]worklist.Step{{Do: worklist.Leave}, {Do: worklist.Revoke}}, "cy", []string{
			"cy does; Leaves Crew.; Loses the assignment of Night.",
		}},
		{[]worklist.Step{{Do: worklist.Join, Groups: []string{"rule"}}}, "cy", []string{"cy none"}},
	} {
		if got := do(c.text, c.steps...); !slices.Equal(got, c.want) {
			t.Errorf("%+v comes to %q", c.steps, got)
		}
	}
	// What is no change of the design is done at once.
	id := newList(t, d, owner, "dan, cy", worklist.Step{Do: worklist.NewPassword})
	run := must[*people.Done](t)(d.CarryOutWorklist(owner, id))
	letters := countLetters(t, s)
	log := must[*people.Log](t)(d.WorklistLog(owner, run.ID, people.Window{Limit: 10}))
	if letters != 1 || log.Revision != 0 || log.Counts["does"] != 1 || log.Counts["not"] != 1 {
		t.Errorf("%d letters; the log: %+v", letters, log)
	}
	_, err := d.CarryOutWorklist(owner, newList(t, d, owner, "cy", worklist.Step{Do: worklist.Lock}))
	refused(t, err, desk.Conflict, "put them into the draft")
}

// Two at once look at one worklist while it is altered, and see what is so.
func TestAWorklistIsTriedAnewOnWhatThereIs(t *testing.T) {
	d, _ := open(t)
	owner := desk.Actor{User: "bea", Proven: now}
	id := newList(t, d, owner, "cy", worklist.Step{Do: worklist.Lock})
	if w := look(t, d, owner, id, people.Window{}); w.Counts["does"] != 1 {
		t.Fatalf("%+v", w.Counts)
	}
	put(t, d, &model.User{ID: "cy", UserName: "cy", DisplayName: "Cy", State: model.UserLocked})
	if w := look(t, d, owner, id, people.Window{}); w.Counts["already"] != 1 {
		t.Errorf("once somebody else has locked them: %+v", rowsOf(w))
	}
	_, err := d.DraftWorklist(owner, id)
	refused(t, err, desk.Conflict, "nothing to put into the draft")
}

func countLetters(t *testing.T, s *store.Store) int {
	t.Helper()
	b := must[store.Backlog](t)(s.Backlog(now))
	return b.Letters
}

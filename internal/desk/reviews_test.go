package desk_test

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/store"

	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/report"
	"fachwerk/internal/exchange/table"
)

// itemsOf gives all items of a review that somebody may see.
func itemsOf(t *testing.T, d *rooms.Desk, who desk.Actor, id int) []review.ReviewItem {
	t.Helper()
	v := must[*review.ReviewItems](t)(d.Items(who, id, review.ItemsAsk{Limit: 1000}))
	if len(v.Rows) != v.Total {
		t.Fatalf("of %d items there came %d", v.Total, len(v.Rows))
	}
	return v.Rows
}

func itemAbout(t *testing.T, items []review.ReviewItem, user string) review.ReviewItem {
	t.Helper()
	i := slices.IndexFunc(items, func(i review.ReviewItem) bool { return i.Subject.ID == user })
	if i < 0 {
		t.Fatalf("no item is about %s", user)
	}
	return items[i]
}

func TestWhatAReviewAsks(t *testing.T) {
	d, _ := openDemo(t)
	preview := func(n review.NewReview) *review.ReviewPreview {
		t.Helper()
		return must[*review.ReviewPreview](t)(d.PreviewReview(signe, n))
	}
	for name, c := range map[string]struct {
		ask   review.NewReview
		about string
	}{
		"a system": {review.NewReview{System: "tallyroom"}, "what gives something of Tallyroom"},
		"a set":    {review.NewReview{Set: "gate-override"}, "the permission set Gate override"},
		"a group":  {review.NewReview{Group: "north-gate-crew"}, "what comes by the group North gate crew"},
		"an area":  {review.NewReview{Area: "ms-gannet"}, "all access at MS Gannet"},
		"a risk":   {review.NewReview{Risk: 3, Area: "finance"}, "what is of critical risk at Finance"},
		"a filter": {review.NewReview{Filter: `userType eq "contractor"`},
			`all access, of people with userType eq "contractor"`},
		"all of it": {review.NewReview{Role: "gate-clerk", System: "quaybook", Risk: 2, Area: "terminal-1",
			Filter: `title eq "Gate clerk"`},
			`the role Gate clerk, what gives something of Quaybook, what is of high risk or more at Terminal 1, of people with title eq "Gate clerk"`},
	} {
		p := preview(c.ask)
		if p.Items == 0 || p.People == 0 || len(p.Reviewers) == 0 || text(p.About) != c.about {
			t.Errorf("by %s: %d items about %q", name, p.Items, text(p.About))
		}
	}
	if p := preview(review.NewReview{Filter: "title eq"}); p.Trouble == "" || p.Items != 0 {
		t.Errorf("a broken filter: %+v", p)
	}
	byOwner := preview(review.NewReview{Role: "gate-clerk", By: "owner"})
	if len(byOwner.Reviewers) != 1 || byOwner.Reviewers[0].Reviewer.Name != "Mireille Aster" {
		t.Errorf("decided by the owner: %+v", byOwner.Reviewers)
	}
	byOne := preview(
		review.NewReview{Role: "gate-clerk", By: "person", Person: "tomasz.oyelaran", Fallback: "ruben.adeyemi"},
	)
	if len(byOne.Reviewers) != 2 || byOne.Fallback != 1 { // he does not decide about himself
		t.Errorf("decided by one: %+v, %d by the fallback", byOne.Reviewers, byOne.Fallback)
	}
	for says, n := range map[string]review.NewReview{"no role": {Role: "x"}, "no system": {System: "x"},
		"no group": {Group: "x"}, "no area": {Area: "x"}, "no permission set": {Set: "x"}} {
		_, err := d.PreviewReview(signe, n)
		refused(t, err, desk.NotFound, says)
	}
	_, err := d.OpenReview(signe, review.NewReview{Role: "gate-clerk", By: "person"})
	refused(t, err, desk.Invalid, "which person")
	_, err = d.OpenReview(signe, review.NewReview{Filter: "title eq"})
	refused(t, err, desk.Invalid, "cannot be read")
	_, err = d.OpenReview(signe, review.NewReview{Role: "storm-watch"})
	refused(t, err, desk.Invalid, "nothing to review")
}

func TestEvidenceOfItems(t *testing.T) {
	d, _ := openDemo(t)
	r := must[*review.Review](t)(d.OpenReview(signe, review.NewReview{Role: "gate-clerk", Area: "terminal-1"}))
	items := itemsOf(t, d, signe, r.ID)
	tomasz := itemAbout(t, items, "tomasz.oyelaran")
	if e := tomasz.Evidence; e.Since == nil || e.GivenBy == "" || !e.Used || e.Peers != 41 || e.Alike == 0 ||
		e.Risk != 2 ||
		!tomasz.ByHand ||
		len(tomasz.Groups) != 1 {
		t.Errorf("about Tomasz: %+v %+v", tomasz, tomasz.Evidence)
	}
	idle := 0
	for _, i := range items {
		if len(i.Evidence.Doubts) > 0 && strings.Contains(i.Evidence.Doubts[0], "not used for") {
			idle++
		}
	}
	if idle == 0 {
		t.Error("nobody has been idle")
	}
	inside := must[*review.ItemDetail](t)(d.ReviewItem(signe, tomasz.ID))
	if len(inside.Direct) != 1 || len(inside.Given) != 1 || len(inside.Loses) != 0 || len(inside.Stays) == 0 ||
		len(inside.LosesAll) == 0 ||
		!slices.ContainsFunc(inside.StaysBy, func(r desk.Ref) bool { return r.Name == "North gate crew" }) {
		t.Errorf(
			"if revoked from Tomasz: loses %d, stays %d by %+v, with the owner's help loses %d",
			len(inside.Loses),
			len(inside.Stays),
			inside.StaysBy,
			len(inside.LosesAll),
		)
	}
}

func TestDecidingManyAndHandingOn(t *testing.T) {
	d, _ := openDemo(t)
	there := must[*review.ReviewDetail](t)(d.Review(signe, 3, "terminal-1"))
	here := must[*review.ReviewItems](t)(d.Items(signe, 3, review.ItemsAsk{Where: "terminal-1"})).Total
	gone := must[[]review.Review](t)(d.Reviews(signe, "ferries"))
	if here+there.Elsewhere != there.Review.Items || there.Elsewhere == 0 || len(gone) != 1 || gone[0].ID != 2 {
		t.Errorf("at Terminal 1 it has %d items, elsewhere %d; the ferries have %+v", here, there.Elsewhere, gone)
	}
	items := itemsOf(t, d, mireille, 3)
	byLike := map[string][]int{}
	for _, i := range items {
		byLike[i.Like] = append(byLike[i.Like], i.ID)
	}
	if len(byLike) < 2 {
		t.Fatalf("all items are alike: %v", byLike)
	}
	var all []int
	for _, ids := range byLike {
		all = append(all, ids[0])
	}
	_, err := d.DecideMany(mireille, all, "keep", "")
	refused(t, err, desk.Invalid, "not like the others")
	if me := must[*account.Me](t)(d.Me(mireille)); me.Waiting != len(items) {
		t.Error("what was refused decided something")
	}
	like := itemAbout(t, items, "kofi.ostrov").Like
	if done := must[[]review.ReviewItem](t)(d.DecideMany(mireille, byLike[like], "keep", "")); len(
		done,
	) != len(
		byLike[like],
	) ||
		done[0].Decision != "keep" ||
		done[0].By.ID != mireille.User {
		t.Errorf("decided together: %+v", done)
	}
	must[[]review.ReviewItem](
		t,
	)(
		d.DecideMany(mireille, append(slices.Clone(byLike[like]), all...), "", ""),
	) // taking back needs no likeness
	item := itemAbout(t, items, "tomasz.oyelaran")
	for _, c := range []struct {
		who   desk.Actor
		to    string
		cause desk.Cause
		says  string
	}{
		{mireille, "tomasz.oyelaran", desk.Invalid, "own access"}, {mireille, mireille.User, desk.Invalid, "already"},
		{mireille, "femi.cairnduff", desk.Invalid, "not live"}, {lucia, "ruben.adeyemi", desk.NotFound, "no review item"},
	} {
		_, err := d.HandOn(c.who, item.ID, c.to, "")
		refused(t, err, c.cause, c.says)
	}
	must[*review.ReviewItem](t)(d.Decide(mireille, item.ID, "keep", ""))
	handed := must[*review.ReviewItem](t)(d.HandOn(mireille, item.ID, "ruben.adeyemi", "he knows better"))
	if handed.Reviewer.ID != ruben.User || handed.HandedBy.ID != mireille.User ||
		handed.HandNote != "he knows better" ||
		handed.Decision != "keep" || handed.By.ID != mireille.User { // which counts until Ruben decides anew
		t.Errorf("handed on: %+v", handed)
	}
	_, err = d.Decide(mireille, item.ID, "keep", "")
	refused(t, err, desk.NotAllowed, "for Ruben Adeyemi to decide")
	must[*review.ReviewItem](t)(d.Decide(ruben, item.ID, "keep", ""))
	var trail []string
	for _, s := range must[*review.ItemDetail](t)(d.ReviewItem(ruben, item.ID)).Trail {
		step := s.By.ID + " " + s.Decision
		if s.HandedTo != nil {
			step += "to " + s.HandedTo.ID + ": " + s.Reason
		}
		trail = append(trail, step)
	}
	if want := []string{
		mireille.User + " keep", mireille.User + " to " + ruben.User + ": he knows better", ruben.User + " keep",
	}; !slices.Equal(trail[max(0, len(trail)-3):], want) {
		t.Errorf("its trail is %q, which should end with %q", trail, want)
	}
	if found := must[[]review.Colleague](t)(d.Colleagues(mireille, "ruben ade")); len(found) != 1 ||
		found[0].User.ID != ruben.User {
		t.Errorf("found: %+v", found)
	}
	_, err = d.Colleagues(desk.Actor{User: "kofi.ostrov"}, "ruben")
	refused(t, err, desk.NotAllowed, "No item waits")
}

// TestFromOpeningToReport takes a review with direct and group-given revocations to its end: one revision, tasks
// for the owner, each settled another way, and a report whose figures are its items.
func TestFromOpeningToReport(t *testing.T) {
	d, _ := openDemo(t)
	r := must[*review.Review](
		t,
	)(
		d.OpenReview(
			signe,
			review.NewReview{
				Name:   "Gates",
				Role:   "gate-clerk",
				Area:   "terminal-1",
				By:     "person",
				Person: ruben.User,
				Fate:   "revoke",
			},
		),
	)
	if r.Fate != "revoke" || r.Deciders != "Ruben Adeyemi" {
		t.Errorf("opened as %+v", r)
	}
	items := itemsOf(t, d, ruben, r.ID)
	undecided := []string{"tomasz.oyelaran", "kofi.ostrov"}
	revoked := []string{"deniz.eriksrud", "ingrid.nakawa"}
	for _, i := range items {
		switch {
		case slices.Contains(revoked, i.Subject.ID):
			must[*review.ReviewItem](t)(d.Decide(ruben, i.ID, "revoke", "moved to the quay"))
		case !slices.Contains(undecided, i.Subject.ID):
			must[*review.ReviewItem](t)(d.Decide(ruben, i.ID, "keep", ""))
		}
	}
	n := must[int](t)(d.Remind(signe, r.ID))
	detail := must[*review.ReviewDetail](t)(d.Review(signe, r.ID, ""))
	if n != 1 || len(detail.Letters) != 2 || detail.Letters[0].To.ID != ruben.User ||
		!strings.Contains(detail.Letters[0].Body, "2 of your") ||
		!strings.Contains(detail.Letters[1].Subject, "21 items wait") ||
		detail.Review.Reminded == nil {
		t.Errorf("%d reminders: %+v", n, detail.Letters)
	}
	if err := d.RemindDue(); err != nil { // not yet, nor twice
		t.Fatal(err)
	}
	if again := must[*review.ReviewDetail](t)(d.Review(signe, r.ID, "")); len(again.Letters) != 2 {
		t.Errorf("reminded %d times", len(again.Letters))
	}
	outcome := must[*review.ReviewOutcome](t)(d.Outcome(signe, r.ID, 200))
	if len(outcome.Sentences) != 2 || outcome.Total != 2 || outcome.ToOwners != 4 ||
		detail.Reviewers[0].Waiting != 2 { // Deniz and Tomasz hold it by hand, all four by the crew
		t.Errorf("closing would do %d, and leave %d to owners", outcome.Total, outcome.ToOwners)
	}
	_, err := d.Outcome(ruben, r.ID, 200)
	refused(t, err, desk.NotAllowed, "Run reviews")
	_, err = d.CloseReview(ruben, r.ID, "")
	refused(t, err, desk.NotAllowed, "Run reviews")
	closed := must[*review.Review](t)(d.CloseReview(signe, r.ID, ""))
	if closed.Revision != 61 || closed.Revoked != 4 || closed.Tasks != 4 || closed.Settled != 0 {
		t.Errorf("closed as %+v", closed)
	}
	if !allowed(d, "tomasz.oyelaran", "quaybook:gate:admit", "terminal-1") {
		t.Error("what a group gives went away by itself")
	}
	if list := must[*review.ReviewDetail](t)(d.Review(signe, r.ID, "")).Reviewers; list[0].Waiting != 2 {
		t.Errorf("what the fate decided is counted as decided by somebody: %+v", list)
	}

	// The owner of the crew has four tasks.
	if me := must[*account.Me](t)(d.Me(mireille)); me.Tasks != 4 {
		t.Errorf("%d tasks wait for the owner of the crew", me.Tasks)
	}
	tasks := must[[]review.ReviewTask](t)(d.Tasks(mireille))
	about := func(user string) review.ReviewTask {
		return tasks[slices.IndexFunc(tasks, func(t review.ReviewTask) bool { return t.Subject.ID == user })]
	}
	task := must[*review.TaskDetail](t)(d.Task(mireille, about("tomasz.oyelaran").ID))
	if len(task.Choices) != 3 || task.Choices[0].Losing != 1 || task.Choices[1].Losing < 15 ||
		task.Choices[2].Losing != 0 ||
		task.Task.Why != "Undecided at the end; that was its fate" {
		t.Errorf("the choices are %+v", task.Choices)
	}
	_, err = d.Task(lucia, task.Task.ID)
	refused(t, err, desk.NotFound, "no task")
	_, err = d.SettleTask(oona, task.Task.ID, "person", "")
	refused(t, err, desk.NotAllowed, "Mireille Aster to settle")
	_, err = d.SettleTask(mireille, task.Task.ID, "leave", "")
	refused(t, err, desk.Invalid, "Say why")
	if done := must[*review.ReviewTask](t)(d.SettleTask(mireille, task.Task.ID, "person", "")); done.Revision != 62 ||
		done.Decision != "person" {
		t.Errorf("settled as %+v", done)
	}
	if allowed(d, "tomasz.oyelaran", "quaybook:gate:admit", "terminal-1") ||
		!allowed(d, "kofi.ostrov", "quaybook:gate:admit", "terminal-1") {
		t.Error("taking Tomasz out did something else")
	}
	_, err = d.SettleTask(mireille, task.Task.ID, "leave", "no")
	refused(t, err, desk.Conflict, "already settled")
	must[*review.ReviewTask](t)(d.SettleTask(mireille, about("kofi.ostrov").ID, "leave", "still needed for a week"))
	if done := must[*review.ReviewTask](t)(d.SettleTask(mireille, about("ingrid.nakawa").ID, "grant",
		"")); done.Revision != 63 {
		t.Errorf("the grant taken off: %+v", done)
	}
	if allowed(d, "yusuf.wexley", "quaybook:gate:admit", "terminal-1") {
		t.Error("the grant is still on the group")
	}
	if left := must[[]review.ReviewTask](t)(d.Tasks(mireille)); len(left) != 0 { // Deniz came by the same grant
		t.Errorf("%d tasks are left", len(left))
	}

	// What became of it is told of each: who is out, whom the owner left in, and what was given again since.
	became := func() map[string]review.After {
		out := map[string]review.After{}
		for _, a := range must[*review.Afterwards](t)(d.Afterwards(oona, r.ID)).Rows {
			out[a.Subject.ID] = a
		}
		return out
	}
	after := became()
	if len(after) != 4 || after["tomasz.oyelaran"].State != "partly" || // what all staff of the harbour may do stays
		!strings.Contains(after["deniz.eriksrud"].Note, "by North Harbour staff") ||
		after["kofi.ostrov"].State != "partly" { // the grant went off the group, though he had been left in it
		t.Errorf("what became of it: %+v", after)
	}
	for _, a := range []*model.Assignment{
		{ID: "again", Subject: model.Subject{User: "tomasz.oyelaran"}, Role: "gate-clerk", Area: "terminal-1"},
		// not asked about
		{ID: "elsewhere", Subject: model.Subject{User: "kofi.ostrov"}, Role: "gate-clerk", Area: "terminal-2"},
	} {
		must[*desk.Draft](t)(drafted(t, d, signe, a))
		applyAll(t, d, signe)
	}
	if after := became(); after["tomasz.oyelaran"].State != "back" || after["tomasz.oyelaran"].By.ID != signe.User ||
		after["kofi.ostrov"].State != "partly" {
		t.Errorf("what became of it, once it was given again: %+v", after)
	}
	if open := must[*review.Afterwards](t)(d.Afterwards(oona, 3)); len(open.Rows) != 0 {
		t.Errorf("of an open review something became: %+v", open)
	}
	_, err = d.Afterwards(lucia, r.ID)
	refused(t, err, desk.NotFound, "There is no review")

	v := must[*report.Review](t)(d.ReviewReport(oona, r.ID))
	if len(
		v.Of(report.Kept),
	)+len(
		v.Of(report.Revoked),
	)+len(
		v.Of(report.Fated),
	)+len(
		v.Of(report.Undecided),
	) != len(
		v.Items,
	) ||
		len(v.Of(report.Revoked)) != 2 ||
		len(v.Of(report.Fated)) != 2 ||
		len(v.Of(report.Undecided)) != 0 {
		t.Errorf(
			"the figures are %d kept, %d revoked, %d by fate, of %d",
			len(v.Of(report.Kept)),
			len(v.Of(report.Revoked)),
			len(v.Of(report.Fated)),
			len(v.Items),
		)
	}
	if len(v.Settled("person out")) != 1 || len(v.Settled("grant off")) != 2 || len(v.Settled("left")) != 1 ||
		len(v.Settled("open")) != 0 {
		t.Errorf("the tasks are %+v", v.Tasks)
	}
	var page bytes.Buffer
	if err := report.HTML(&page, *v); err != nil {
		t.Fatal(err)
	}
	for _, f := range v.Of(report.Fated) {
		if !strings.Contains(page.String(), fmt.Sprintf(`href="#item-%d"`, f.Number)) ||
			!strings.Contains(page.String(), fmt.Sprintf(`id="item-%d"`, f.Number)) {
			t.Errorf("item %d cannot be traced in the report", f.Number)
		}
	}
	if items := report.Table(*v); len(items.Rows) != len(v.Items) || items.Columns[1].Title != "person" ||
		items.Rows[0][1] != v.Items[0].Person ||
		items.Rows[0][8] != v.Items[0].Decided {
		t.Errorf("the table has %d rows: %v", len(items.Rows), items.Rows[0])
	}
	list := must[*table.Table](t)(d.ReviewsTable(oona, ""))
	if len(list.Rows) != 4 || list.Rows[0][0] != r.ID || list.Rows[0][9] != len(v.Items) ||
		list.Rows[0][7] != v.Closed {
		t.Errorf("the list of reviews as a table: %v", list.Rows)
	}
	if len(v.Heads) != 2 || v.Heads[0].Revision != 60 || v.Heads[1].Revision != 61 || len(v.Heads[1].Hash) != 64 {
		t.Errorf("the record stood at %+v", v.Heads)
	}
	if len(v.Steps) != len(v.Items) { // each was decided once, two of them by fate
		t.Errorf("%d decisions on %d items", len(v.Steps), len(v.Items))
	}
	_, err = d.ReviewReport(mireille, r.ID)
	refused(t, err, desk.NotAllowed, "See reviews")

	// The last word of reviews is told to whoever may see these.
	person := must[*review.Lately](t)(d.Lately(oona, model.KindUser, "tomasz.oyelaran"))
	role := must[*review.Lately](t)(d.Lately(oona, model.KindRole, "gate-clerk"))
	if person.Last == nil || person.Last.Review != r.ID || role.Last == nil ||
		role.Last.Kept != len(v.Of(report.Kept)) || role.Last.Revoked != 4 {
		t.Errorf("last reviewed: %+v and %+v", person.Last, role.Last)
	}
	told := 0
	for _, w := range slices.Concat(person.Words, role.Words) {
		if w.User == "tomasz.oyelaran" && w.Target.ID == "gate-clerk" {
			told++
			if w.Decision != "revoke" || w.By != nil || w.Reason == "" || w.Review != r.ID {
				t.Errorf("the last word about Tomasz is %+v", w)
			}
		}
	}
	if own := must[*review.Lately](t)(d.Lately(mireille, model.KindUser, "kofi.ostrov")); told != 2 || own.Last != nil {
		t.Errorf("it is told %d times, and to who may not see reviews: %+v", told, own.Last)
	}

	// The next review of the same knows what the last one decided.
	next := must[*review.Review](t)(d.OpenReview(signe,
		review.NewReview{Role: "gate-clerk", Area: "terminal-1", By: "person", Person: ruben.User}))
	list2 := itemsOf(t, d, ruben, next.ID)
	if e := itemAbout(t, list2, "tomasz.oyelaran").Evidence; e.Revoked == nil || e.Suggested != "" {
		t.Errorf("what was revoked and given again has the evidence %+v", e)
	}
	kept := false
	for _, i := range list2 { // the doubtful come first
		kept = kept || i.Evidence.Suggested == "keep"
		if kept && i.Evidence.Suggested == "revoke" {
			t.Errorf("what is doubtful about %s comes after what is not", i.Subject.ID)
		}
	}
	if !kept {
		t.Error("nothing is suggested to be kept")
	}
}

// However the items of a review are cut into windows, together they are all of it; and what is next is what one has not
// decided, behind where one stands and then from the top.
func TestWindowsOfAReview(t *testing.T) {
	d, _ := openDemo(t)
	all := itemsOf(t, d, signe, 3)
	ask := func(a review.ItemsAsk) *review.ReviewItems {
		t.Helper()
		return must[*review.ReviewItems](t)(d.Items(mireille, 3, a))
	}
	mine := slices.DeleteFunc(slices.Clone(all), func(i review.ReviewItem) bool { return i.Reviewer.ID != mireille.User })
	if len(mine) < 4 || len(mine) == len(all) {
		t.Fatalf("%d of %d items are hers: too few, or all", len(mine), len(all))
	}
	var ids []int
	for offset := 0; offset <= len(mine); offset += 3 {
		v := ask(review.ItemsAsk{Offset: offset, Limit: 3})
		if v.Total != len(mine) || len(v.Rows) > 3 {
			t.Errorf("from %d: %d rows of %d", offset, len(v.Rows), v.Total)
		}
		for _, i := range v.Rows {
			ids = append(ids, i.ID)
		}
	}
	if !slices.EqualFunc(ids, mine, func(id int, i review.ReviewItem) bool { return id == i.ID }) {
		t.Errorf("the windows have %v, all of hers are %d", ids, len(mine))
	}
	if v := ask(review.ItemsAsk{Offset: 1 << 40, Limit: 3}); len(v.Rows) != 0 || v.Total != len(mine) {
		t.Errorf("behind the end there are %d rows", len(v.Rows))
	}
	if v := must[*review.ReviewItems](t)(d.Items(signe, 3, review.ItemsAsk{Only: "mine", Limit: 9})); v.Total != 0 ||
		v.Next != -1 {
		t.Errorf("of hers Signe has %+v", v)
	}

	must[*review.ReviewItem](t)(d.Decide(mireille, mine[0].ID, "keep", ""))
	must[*review.ReviewItem](t)(d.Decide(mireille, mine[2].ID, "keep", ""))
	for after, want := range map[int]int{-1: 1, 0: 1, 1: 3, 2: 3, len(mine) - 1: 1, 1 << 40: 1} {
		if v := ask(review.ItemsAsk{After: after}); v.First != 1 || v.Next != want {
			t.Errorf("the first is %d, and behind %d comes %d, want %d", v.First, after, v.Next, want)
		}
	}
	if v := ask(review.ItemsAsk{Only: "open", Limit: 1}); v.Total != len(mine)-2 || v.Rows[0].ID != mine[1].ID {
		t.Errorf("%d are undecided, the first is %d", v.Total, v.Rows[0].ID)
	}
	past := mireille
	past.When = today.AddDate(0, 0, -1)
	if v := must[*review.ReviewItems](t)(d.Items(past, 3, review.ItemsAsk{Only: "open"})); v.Total != len(mine) {
		t.Errorf("yesterday %d were undecided", v.Total)
	}

	// One to which others' items are alike, too.
	at := slices.IndexFunc(mine[3:], func(i review.ReviewItem) bool {
		return slices.ContainsFunc(all, func(o review.ReviewItem) bool {
			return o.Like == i.Like && o.Reviewer.ID != mireille.User && o.Decision == ""
		})
	})
	one := mine[3+at]
	var like []int
	for _, i := range mine {
		if i.Like == one.Like && i.ID != mine[0].ID && i.ID != mine[2].ID {
			like = append(like, i.ID)
		}
	}
	slices.Sort(like)
	if got := must[[]int](t)(d.Alike(mireille, one.ID)); at < 0 || !slices.Equal(got, like) {
		t.Errorf("alike are %v, want %v", got, like)
	}
	_, err := d.Alike(signe, one.ID)
	refused(t, err, desk.NotFound, "of yours")
	for _, i := range mine[1:] {
		if i.ID != mine[2].ID {
			must[*review.ReviewItem](t)(d.Decide(mireille, i.ID, "keep", ""))
		}
	}
	if v := ask(review.ItemsAsk{After: 1}); v.Next != -1 || v.First != 0 {
		t.Errorf("all is decided, and next is %d, first %d", v.Next, v.First)
	}
}

// Nobody decides about themselves, even where an item stands as theirs to decide.
func TestNobodyDecidesAboutThemselves(t *testing.T) {
	d, s := openDemo(t)
	r := must[*review.Review](t)(d.OpenReview(signe, review.NewReview{Role: "night-cover"}))
	items := must[[]store.ReviewItem](t)(s.ReviewItems(r.ID, ""))
	items[0].Reviewer = items[0].User
	if err := s.DecideAll(items[:1], nil); err != nil {
		t.Fatal(err)
	}
	_, err := d.Decide(desk.Actor{User: items[0].User}, items[0].ID, "keep", "")
	refused(t, err, desk.NotAllowed, "their own access")
}

func TestRemindersGoOutNearTheEnd(t *testing.T) {
	_, s := openDemo(t)
	at := today
	d := must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return at }))
	soon := today.AddDate(0, 0, 4)
	closed := must[*review.Review](t)(d.OpenReview(signe, review.NewReview{Role: "gate-clerk", Due: &soon}))
	must[*review.Review](t)(d.CloseReview(signe, closed.ID, ""))
	defer func() {
		detail := must[*review.ReviewDetail](t)(d.Review(signe, closed.ID, ""))
		for _, l := range detail.Letters {
			if l.Subject != "" && detail.Review.Reminded != nil {
				t.Errorf("of a review that is closed somebody is reminded: %s", l.Subject)
			}
		}
		if detail.Review.Reminded != nil {
			t.Error("a review that is closed reminds")
		}
	}()
	r := must[*review.Review](t)(d.OpenReview(signe, review.NewReview{Role: "night-cover", Due: &soon}))
	missing := must[*review.ReviewDetail](t)(d.Review(signe, r.ID, "")).Reviewers
	declines := desk.Actor{User: missing[0].Reviewer.ID}
	if err := d.SetLetters(declines, account.Letters{Tasks: true}); err != nil {
		t.Fatal(err)
	}
	opened := len(must[*review.ReviewDetail](t)(d.Review(signe, r.ID, "")).Letters)
	for _, days := range []int{0, 0, 2, 2, 3} {
		at = today.AddDate(0, 0, days)
		if err := d.RemindDue(); err != nil {
			t.Fatal(err)
		}
	}
	detail := must[*review.ReviewDetail](t)(d.Review(signe, r.ID, ""))
	if len(missing) < 2 || opened != len(missing) || len(detail.Letters)-opened != len(missing)-1 {
		t.Errorf("%d letters as it is opened, then %d to %d reviewers, one of whom wants none", opened,
			len(detail.Letters)-opened, len(missing))
	}
	if n := must[int](t)(d.Remind(signe, r.ID)); n != len(missing) {
		t.Errorf("by hand, %d of %d are reminded", n, len(missing))
	}
	_, err := d.Remind(mireille, r.ID)
	refused(t, err, desk.NotAllowed, "Run reviews")
	must[*review.Review](t)(d.CloseReview(signe, r.ID, ""))
	_, err = d.Remind(signe, r.ID)
	refused(t, err, desk.Conflict, "closed")
}

// What the owner of a group does not settle in three weeks goes to whoever opened the review, once, with a letter; who
// it is about gets none of it.
func TestLateTasksAreHandedOn(t *testing.T) {
	_, s := openDemo(t)
	at := today
	d := must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return at }))
	r := must[*review.Review](t)(d.OpenReview(signe, review.NewReview{
		Role: "gate-clerk", Area: "terminal-1", By: "person", Person: ruben.User,
	}))
	for _, user := range []string{"kofi.ostrov", "ingrid.nakawa"} {
		must[*review.ReviewItem](t)(d.Decide(ruben, itemAbout(t, itemsOf(t, d, ruben, r.ID), user).ID, "revoke", "moved"))
	}
	must[*review.Review](t)(d.CloseReview(signe, r.ID, ""))
	mine := must[[]review.ReviewTask](t)(d.Tasks(mireille))
	if len(mine) != 2 {
		t.Fatalf("the owner of the crew has %d tasks", len(mine))
	}
	must[*review.ReviewTask](t)(d.SettleTask(mireille, mine[0].ID, "leave", "needed for a week"))
	letters := func() int { return len(must[*review.ReviewDetail](t)(d.Review(signe, r.ID, "")).Letters) }
	before := letters()
	for _, c := range []struct{ days, hers, his, letters int }{{21, 1, 0, 0}, {22, 0, 1, 1}, {60, 0, 1, 1}} {
		at = today.AddDate(0, 0, c.days)
		if c.days == 22 {
			at = at.Add(time.Hour)
		}
		if err := d.TasksDue(); err != nil {
			t.Fatal(err)
		}
		hers, opener := must[[]review.ReviewTask](t)(d.Tasks(mireille)), must[[]review.ReviewTask](t)(d.Tasks(signe))
		if len(hers) != c.hers || len(opener) != c.his || letters()-before != c.letters {
			t.Errorf("after %d days the owner has %d, who opened it %d, and %d letters went out", c.days, len(hers),
				len(opener), letters()-before)
		}
		if c.his == 1 && (opener[0].Former == nil || opener[0].Former.ID != mireille.User || !opener[0].May) {
			t.Errorf("handed on as %+v", opener[0])
		}
	}
	task := must[[]review.ReviewTask](t)(d.Tasks(signe))[0]
	if done := must[*review.ReviewTask](t)(d.SettleTask(signe, task.ID, "person", "")); done.Decision != "person" {
		t.Errorf("settled as %+v", done)
	}
}

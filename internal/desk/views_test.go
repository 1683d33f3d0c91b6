package desk_test

import (
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/demo"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/edit"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

func names(rows []view.Row) (out []string) {
	for _, r := range rows {
		out = append(out, r.Name)
	}
	return out
}

func TestBays(t *testing.T) {
	d, _ := open(t)
	bay := must[*view.Bay](t)(d.Bay(bea, "user", view.View{}, "", 0, 100))
	if bay.Total != 7 || bay.Matching != 7 || bay.Connected != 0 || !slices.IsSorted(names(bay.Rows)) {
		t.Errorf("without a focus: %+v", bay)
	}
	bay = must[*view.Bay](t)(d.Bay(bea, "user", view.View{Focus: "role:night"}, "", 0, 100))
	if bay.Connected != 2 || !slices.Equal(names(bay.Rows)[:2], []string{"Cy", "Dan"}) || !bay.Rows[0].Connected ||
		bay.Rows[2].Connected {
		t.Errorf("those joined to the focus are not on top: %v", names(bay.Rows))
	}
	bay = must[*view.Bay](t)(d.Bay(bea, "user", view.View{Focus: "role:night"}, "TERMINAL 1", 0, 100)) // cy's home
	if bay.Total != 7 || !slices.Equal(names(bay.Rows), []string{"Cy"}) {
		t.Errorf("filtered: %v", names(bay.Rows))
	}
	if bay = must[*view.Bay](t)(d.Bay(bea, "user", view.View{Where: "t1"}, "", 0, 100)); !slices.Equal(
		names(bay.Rows),
		[]string{"Cy"},
	) ||
		bay.Total != 7 {
		t.Errorf("at home at Terminal 1: %v", names(bay.Rows))
	}
	if bay = must[*view.Bay](t)(d.Bay(bea, "user", view.View{}, "", 5, 100)); len(bay.Rows) != 2 {
		t.Errorf("the window from 5 has %d rows", len(bay.Rows))
	}
	if bay = must[*view.Bay](t)(d.Bay(bea, "user", view.View{}, "", 99, 100)); len(bay.Rows) != 0 {
		t.Errorf("the window beyond the end has %d rows", len(bay.Rows))
	}
	_, err := d.Bay(bea, "area", view.View{}, "", 0, 10)
	refused(t, err, desk.NotFound, "no bay")
	for _, v := range []view.View{{Focus: "nonsense"}, {Focus: "area:t1"}} {
		_, err := d.Bay(bea, "user", v, "", 0, 10)
		refused(t, err, desk.Invalid, "kind:id")
	}
	_, err = d.Bay(bea, "user", view.View{Focus: "role:none"}, "", 0, 10)
	refused(t, err, desk.NotFound, "no role")
	_, err = d.Bay(bea, "user", view.View{Where: "moon"}, "", 0, 10)
	refused(t, err, desk.NotFound, "no area")
}

func beams(p *view.Picture) (out []string) {
	for _, b := range p.Beams {
		out = append(out, strings.TrimSpace(b.From.ID+" "+b.Relation+" "+b.To.ID+" "+b.Draft))
	}
	slices.Sort(out)
	return out
}

func TestPictures(t *testing.T) {
	d, _ := open(t)
	p := must[*view.Picture](t)(d.Picture(bea, view.View{Focus: "user:cy"}))
	want := []string{
		"clerk includes see",
		"crew assigned clerk",
		"crew nested all",
		"cy assigned night",
		"cy member crew",
		"cy member everyone",
		"cy member public",
		"night includes open",
		"open gives s:gate:open",
		"open gives s:gate:view",
		"see gives s:gate:view",
	}
	if got := beams(p); !slices.Equal(got, want) {
		t.Errorf("the beams around cy are\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	p = must[*view.Picture](t)(d.Picture(bea, view.View{Focus: "user:cy", Second: "permission:s:gate:open"}))
	if got := beams(p); !slices.Equal(
		got,
		[]string{"cy assigned night", "night includes open", "open gives s:gate:open"},
	) ||
		p.Apart {
		t.Errorf("the paths are %v", got)
	}
	p = must[*view.Picture](t)(d.Picture(bea, view.View{Focus: "permission:s:gate:open", Second: "user:ann"}))
	if !p.Apart || len(p.Beams) != 0 {
		t.Errorf("ann has a path to the gate: %v", beams(p))
	}
	// At Terminal 2 nothing counts that was given at Terminal 1.
	p = must[*view.Picture](t)(d.Picture(bea, view.View{Focus: "user:cy", Where: "t2"}))
	if p.Counts["permission"] != 0 || p.Counts["role"] != 0 {
		t.Errorf("at Terminal 2: %v", p.Counts)
	}
	// What is drafted shows as such, what is cut stays in sight.
	must[*desk.Draft](t)(d.Cut(bea, end("user", "cy"), end("role", "night"), ""))
	must[*desk.Draft](t)(d.Join(bea, end("user", "cy"), end("role", "lead"), edit.JoinTerms{}))
	got := beams(must[*view.Picture](t)(d.Picture(bea, view.View{Focus: "user:cy"})))
	for _, want := range []string{"cy assigned night cut", "cy assigned lead new", "crew assigned clerk"} {
		if !slices.Contains(got, want) {
			t.Errorf("the drafted picture lacks %q: %v", want, got)
		}
	}
	if other := beams(must[*view.Picture](t)(d.Picture(eve, view.View{Focus: "user:cy"}))); slices.Contains(
		other,
		"cy assigned lead new",
	) {
		t.Error("eve sees what bea drafts")
	}
}

func TestPersonSheet(t *testing.T) {
	d, _ := open(t)
	p := must[*view.Person](t)(d.Person(eve, "cy", ""))
	if p.Manager == nil || p.Manager.Name != "Ann" || !p.Live || p.Area.Name != "Terminal 1" ||
		len(p.Assignments) != 1 ||
		len(p.Groups) != 4 {
		t.Errorf("the sheet is %+v", p)
	}
	panel := p.Systems[0]
	if panel.System.ID != "s" || panel.Held != 2 || panel.Total != 2 || len(panel.Courses) != 1 {
		t.Fatalf("the first panel is %+v", panel)
	}
	first, second := panel.Courses[0].Bricks[0], panel.Courses[0].Bricks[1]
	if first.Action != "view" || first.State != "held" || first.Note != "Terminal 1" || second.Action != "open" ||
		second.Risk != 3 {
		t.Errorf("the bricks are %+v %+v", first, second)
	}
	if p = must[*view.Person](t)(d.Person(cy, "cy", "t2")); p.Systems[0].Held != 0 {
		t.Errorf("at Terminal 2, cy sees %+v", p.Systems[0])
	}
	_, err := d.Person(bea, "zed", "")
	refused(t, err, desk.NotFound, "no person")
	_, err = d.Person(bea, "cy", "moon")
	refused(t, err, desk.NotFound, "no area")
}

func TestTraces(t *testing.T) {
	d, _ := open(t)
	trace := must[*view.Trace](t)(d.Trace(bea, "cy", "s:gate:view", ""))
	if len(trace.Ways) != 2 || len(trace.WhyNot) != 0 || len(trace.Held) != 1 {
		t.Fatalf("the trace is %+v", trace)
	}
	hand := slices.IndexFunc(trace.Ways, func(w view.Way) bool { return w.Cut != nil })
	if hand < 0 || trace.Ways[hand].Cut.Assignment != "cy-night" {
		t.Errorf("the way by hand is not to be cut: %+v", trace.Ways)
	}
	trace = must[*view.Trace](t)(d.Trace(bea, "cy", "s:gate:view", "t2"))
	if len(trace.WhyNot) != 1 || trace.WhyNot[0].Obstacle != string(index.OutOfReach) || trace.WhyNot[0].Way == nil {
		t.Errorf("at Terminal 2: %+v", trace.WhyNot)
	}
	trace = must[*view.Trace](t)(d.Trace(bea, "ann", "s:gate:open", ""))
	if len(trace.WhyNot) != 1 || trace.WhyNot[0].Obstacle != string(index.NotAssigned) {
		t.Errorf("ann: %+v", trace.WhyNot)
	}
	_, err := d.Trace(bea, "cy", "s:none:view", "")
	refused(t, err, desk.NotFound, "No system has")
}

func TestReviewFromOpeningToOutcome(t *testing.T) {
	d, s := open(t)
	preview := must[*review.ReviewPreview](t)(d.PreviewReview(bea, review.NewReview{Role: "night"}))
	if preview.Items != 2 || preview.ByHand != 2 || preview.Fallback != 0 || len(preview.Reviewers) != 1 ||
		preview.Reviewers[0].Reviewer.Name != "Ann" {
		t.Errorf("the preview is %+v", preview)
	}
	r := must[*review.Review](t)(d.OpenReview(bea, review.NewReview{Role: "night"}))
	if me := must[*account.Me](t)(d.Me(ann)); me.Waiting != 2 {
		t.Errorf("%d items wait for ann", me.Waiting)
	}
	if list := must[[]review.Review](t)(d.Reviews(cy, "")); len(list) != 0 {
		t.Error("cy sees a review that asks about cy")
	}
	_, err := d.Review(cy, r.ID, "")
	refused(t, err, desk.NotFound, "There is no review")
	detail := must[*review.ReviewDetail](t)(d.Review(ann, r.ID, ""))
	_, err = d.Items(cy, r.ID, review.ItemsAsk{Limit: 10})
	refused(t, err, desk.NotFound, "There is no review")
	items := itemsOf(t, d, ann, r.ID)
	if len(items) != 2 || detail.MayRun || !items[0].Mine {
		t.Fatalf("ann sees %+v with %+v", detail, items)
	}
	one := items[0]
	if inside := must[*review.ItemDetail](t)(d.ReviewItem(ann, one.ID)); one.Subject.ID != "cy" ||
		len(inside.Direct) != 1 ||
		len(inside.Loses) != 1 ||
		inside.Loses[0].Permission != "s:gate:open" ||
		len(inside.Stays) != 1 ||
		inside.Stays[0].Permission != "s:gate:view" ||
		len(inside.StaysBy) != 1 ||
		inside.StaysBy[0].Name != "Crew" {
		t.Errorf(
			"if revoked, cy loses %+v: seeing the gate stays %+v by the crew %+v",
			inside.Loses,
			inside.Stays,
			inside.StaysBy,
		)
	}
	_, err = d.ReviewItem(cy, one.ID)
	refused(t, err, desk.NotFound, "no review item")
	_, err = d.Decide(bea, one.ID, "revoke", "mine now")
	refused(t, err, desk.NotAllowed, "for Ann to decide")
	_, err = d.Decide(ann, one.ID, "revoke", " ")
	refused(t, err, desk.Invalid, "Say why")
	must[*review.ReviewItem](t)(d.Decide(ann, one.ID, "revoke", "no nights any longer"))
	must[*review.ReviewItem](t)(d.Decide(ann, items[1].ID, "revoke", "a slip"))
	if item := must[*review.ReviewItem](t)(d.Decide(ann, items[1].ID, "", "")); item.Decision != "" ||
		item.By != nil {
		t.Errorf("taken back, the decision is %+v", item)
	}
	must[*review.ReviewItem](t)(d.Decide(ann, items[1].ID, "keep", ""))
	_, err = d.CloseReview(ann, r.ID, "")
	refused(t, err, desk.NotAllowed, "Run reviews")
	if outcome := must[*review.ReviewOutcome](t)(d.Outcome(kay, r.ID, 200)).Sentences; len(outcome) != 1 ||
		text(outcome[0]) != "Cy loses Night at Terminal 1" {
		t.Errorf("the outcome would be %v", outcome)
	}
	draft := must[*desk.Draft](t)(d.Cut(kay, end("user", "dan"), end("role", "night"), ""))
	if !slices.Equal(draft.Reviews, []string{"Review of Night"}) {
		t.Errorf("the draft touches the reviews %v", draft.Reviews)
	}
	closed := must[*review.Review](t)(d.CloseReview(kay, r.ID, ""))
	if closed.Revision != 2 || closed.Kept != 1 || closed.Revoked != 1 || closed.Closed == nil {
		t.Errorf("closed as %+v", closed)
	}
	if allowed(d, "cy", "s:gate:open", "t1") || !allowed(d, "cy", "s:gate:view", "t1") ||
		!allowed(d, "dan", "s:gate:open", "t1") {
		t.Error("closing did something else than was decided")
	}
	_, err = d.Decide(ann, one.ID, "keep", "")
	refused(t, err, desk.NotFound, "closed")
	_, err = d.CloseReview(kay, r.ID, "")
	refused(t, err, desk.Conflict, "already closed")
	if history := must[[]view.Revision](t)(d.History(eve,
		view.HistorySearch{Limit: 1})); history[0].Why != "Outcome of “Review of Night”" {
		t.Errorf("the history says %q", history[0].Why)
	}
	if d = reopen(t, s); allowed(d, "cy", "s:gate:open", "t1") {
		t.Error("the outcome is lost")
	}
}

func TestReviewersAreNeverThemselves(t *testing.T) {
	d, _ := open(t)
	must[*desk.Draft](t)(d.Join(bea, end("user", "bea"), end("role", "night"), edit.JoinTerms{}))
	must[*desk.Draft](t)(d.Join(bea, end("user", "ann"), end("role", "night"), edit.JoinTerms{}))
	applyAll(t, d, bea)
	_, err := d.OpenReview(bea, review.NewReview{Role: "night"})
	refused(t, err, desk.Invalid, "Nobody but Bea")
	r := must[*review.Review](t)(d.OpenReview(kay, review.NewReview{Role: "night"}))
	for _, i := range itemsOf(t, d, kay, r.ID) {
		if i.Reviewer.ID == i.Subject.ID {
			t.Errorf("%s decides about themselves", i.Subject.Name)
		}
		if i.Subject.ID == "ann" && i.Reviewer.ID != "kay" {
			t.Errorf("ann has no manager, so the opener decides, not %s", i.Reviewer.Name)
		}
	}
	_, err = d.OpenReview(bea, review.NewReview{Role: "none"})
	refused(t, err, desk.NotFound, "no role")
	_, err = d.OpenReview(bea, review.NewReview{Role: "lead"})
	refused(t, err, desk.Invalid, "nothing to review")
	early := now.AddDate(0, 0, -1)
	_, err = d.OpenReview(kay, review.NewReview{Role: "night", Due: &early})
	refused(t, err, desk.Invalid, "due before it opens")
}

func TestClosingAReviewLocksNobodyOut(t *testing.T) {
	d, _ := open(t)
	role := &model.Role{ID: "boss", Name: "Boss", Sets: []string{model.SetOwner}}
	full := model.Build(
		&model.Design{Organisation: &model.Organisation{Name: "Small"}, Roles: model.Table[*model.Role]{role},
			Users: model.Table[*model.User]{
				{ID: "ann", UserName: "ann", DisplayName: "Ann"},
				{ID: "bea", UserName: "bea", DisplayName: "Bea", Manager: "ann"},
				{ID: "kay", UserName: "kay", DisplayName: "Kay"},
			},
			Assignments: model.Table[*model.Assignment]{
				{ID: "b", Subject: model.Subject{User: "bea"}, Role: "boss"},
				{ID: "k", Subject: model.Subject{User: "kay"}, Set: model.SetAdministrator},
			}},
	)
	if err := d.Load(full, desk.Replace, "test"); err != nil {
		t.Fatal(err)
	}
	r := must[*review.Review](t)(d.OpenReview(bea, review.NewReview{Role: "boss"}))
	item := itemsOf(t, d, ann, r.ID)[0]
	must[*review.ReviewItem](t)(d.Decide(ann, item.ID, "revoke", "not needed"))
	_, err := d.CloseReview(kay, r.ID, "")
	refused(t, err, desk.NotAllowed, "last live person")
	if must[*review.ReviewDetail](t)(d.Review(bea, r.ID, "")).Review.Closed != nil {
		t.Error("the review is closed all the same")
	}
}

// FuzzFind types whatever into the finder: there is an answer, not longer than it may be, and each thing that is found
// is there.
func FuzzFind(f *testing.F) {
	for _, text := range []string{"who can override gates at terminal 1", "why can't noor edit rates",
		"what can ruben do", "a", "who can", "ﬀ İ \x00", "who can can at at"} {
		f.Add(text)
	}
	s, err := store.Open(filepath.Join(f.TempDir(), "x.db"), false)
	if err != nil {
		f.Fatal(err)
	}
	f.Cleanup(func() { _ = s.Close() })
	if err := demo.Fill(s, today); err != nil {
		f.Fatal(err)
	}
	d, err := rooms.Open(s, func() time.Time { return today })
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, who := range []desk.Actor{signe, {User: "mireille.aster"}} {
			found, err := d.Find(who, text)
			if err != nil || found == nil || len(found) > 40 {
				t.Fatalf("%q is answered by %d things, %v", text, len(found), err)
			}
			for _, x := range found {
				if x.Name == "" || x.Kind != "question" && d.Design().Get(model.Kind(x.Kind), x.ID) == nil &&
					x.Kind != "permission" && x.ID != model.Everyone && x.ID != model.Public {
					t.Fatalf("%q finds %+v, which is not there", text, x)
				}
			}
		}
	})
}

// An operator's question is answered in lines: how it was read, the answer, and how else it could be read.
func TestQuestionsInLines(t *testing.T) {
	d, _ := openDemo(t)
	for question, want := range map[string][]string{
		"who can override gates at Terminal 1?": {
			"Who can override gate (quaybook:gate:override) at Terminal 1?", "11 people can.",
			"  Tomasz Oyelaran (tomasz.oyelaran), at Terminal 1: by Night cover, by hand; by Gate override, by hand",
		},
		"why can't Noor Tamsin edit rates": {
			"Why can’t Noor Tamsin change booking: rate (quaybook:booking.rate:edit)?", "It is not held there:",
			"  No assignment carries it.",
		},
		"can Tomasz Oyelaran override gates at Terminal 1": {"It is held:", "  by Gate override, by hand, at Terminal 1"},
		"what can Oona Brandvold do":                       {"  fachwerk:design:view over the whole organisation"},
	} {
		lines := must[[]string](t)(d.Plainly(question))
		for _, w := range want {
			if !slices.Contains(lines, w) {
				t.Errorf("%s\n%s\ndoes not say %q", question, strings.Join(lines, "\n"), w)
			}
		}
	}
	for _, question := range []string{"", "?", "hello", "compare Noor with Tomasz"} {
		_, err := d.Plainly(question)
		refused(t, err, desk.Invalid, "no question")
	}
}

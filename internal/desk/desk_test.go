package desk_test

import (
	"errors"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/edit"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

var now = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

// design is a small organisation: bea owns it, kay keeps access, eve audits, cy and dan work under ann.
func design() *model.Design {
	assign := func(id string, s model.Subject, role, set, area string) *model.Assignment {
		return &model.Assignment{ID: id, Subject: s, Role: role, Set: set, Area: area}
	}
	user := func(u string) model.Subject { return model.Subject{User: u} }
	return model.Build(&model.Design{
		Organisation: &model.Organisation{Name: "Small"},
		Areas: model.Table[*model.Area]{
			{ID: "top", Name: "Top"},
			{ID: "t1", Name: "Terminal 1", Parent: "top"},
			{ID: "t2", Name: "Terminal 2", Parent: "top"},
		},
		Systems: model.Table[*model.System]{
			{
				ID:   "s",
				Name: "S",
				Permissions: []*model.Permission{
					{Key: "s:gate:view"},
					{Key: "s:gate:open", Class: model.Write, Risk: 3, Implies: []string{"s:gate:view"}},
				},
			},
		},
		Sets: model.Table[*model.Set]{
			{ID: "see", Name: "See", Permissions: []string{"s:gate:view"}},
			{ID: "open", Name: "Open", Permissions: []string{"s:gate:open"}},
			{ID: "supplied", Name: "Supplied", System: "s", Permissions: []string{"s:gate:view"}},
		},
		Roles: model.Table[*model.Role]{
			{ID: "clerk", Name: "Clerk", Sets: []string{"see"}},
			{ID: "lead", Name: "Lead", Inherits: []string{"clerk"}},
			{ID: "night", Name: "Night", Sets: []string{"open"}},
			{ID: "fixed", Name: "Fixed", Protected: true},
		},
		Groups: model.Table[*model.Group]{
			{ID: "crew", Name: "Crew", Users: []string{"cy"}},
			{ID: "all", Name: "All crews", Groups: []string{"crew"}},
			{
				ID:   "rule",
				Name: "By rule",
				Type: model.Rule,
				Rule: `title pr`,
			},
			{ID: "fed", Name: "Fed", Source: model.Directory},
		},
		Users: model.Table[*model.User]{
			{
				ID:          "ann",
				UserName:    "Ann",
				DisplayName: "Ann",
			}, {ID: "bea", UserName: "bea", DisplayName: "Bea"},
			{ID: "cy", UserName: "cy", DisplayName: "Cy", Manager: "ann", Area: "t1"},
			{ID: "dan", UserName: "dan", DisplayName: "Dan", Manager: "ann"},
			{
				ID:          "eve",
				UserName:    "eve",
				DisplayName: "Eve",
			}, {ID: "kay", UserName: "kay", DisplayName: "Kay"},
			{ID: "lou", UserName: "lou", DisplayName: "Lou", State: model.UserLocked},
		},
		Assignments: model.Table[*model.Assignment]{
			assign(
				"owner",
				user("bea"),
				"",
				model.SetOwner,
				"",
			), assign("keeper", user("kay"), "", model.SetAdministrator, ""),
			assign("auditor", user("eve"), "", model.SetAuditor, ""),
			assign(
				"crew-clerk",
				model.Subject{Group: "crew"},
				"clerk",
				"",
				"t1",
			), assign("cy-night", user("cy"), "night", "", "t1"), assign("dan-night", user("dan"), "night", "", "t1"),
		},
	})
}

var (
	ann, bea, cy, dan, eve, kay = desk.Actor{
		User: "ann",
	}, desk.Actor{
		User: "bea",
	}, desk.Actor{
		User: "cy",
	}, desk.Actor{
		User: "dan",
	}, desk.Actor{
		User: "eve",
	}, desk.Actor{
		User: "kay",
	}
	stranger = desk.Actor{}
)

func open(t *testing.T) (*rooms.Desk, *store.Store) {
	t.Helper()
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	d := reopen(t, s)
	if err := d.Load(design(), desk.Begin, "test"); err != nil {
		t.Fatal(err)
	}
	return d, s
}

func reopen(t *testing.T, s *store.Store) *rooms.Desk {
	t.Helper()
	d, err := rooms.Open(s, func() time.Time { return now })
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func end(kind, id string) desk.End { return desk.End{Kind: kind, ID: id} }

// must gives a value, or ends the test.
func must[T any](t *testing.T) func(T, error) T {
	return func(v T, err error) T {
		t.Helper()
		if err != nil {
			var e *desk.Error
			if errors.As(err, &e) {
				t.Fatalf("%v %v", err, e.Problems)
			}
			t.Fatal(err)
		}
		return v
	}
}

// refused sees that something was refused, for a cause, with a word in the message or the problems.
func refused(t *testing.T, err error, cause desk.Cause, says string) {
	t.Helper()
	var e *desk.Error
	if !errors.As(err, &e) || e.Cause != cause || !strings.Contains(e.Message+strings.Join(e.Problems, "\n"), says) {
		t.Errorf("the answer is %#v, want a refusal for cause %s that says %q", err, cause, says)
	}
}

func applyAll(t *testing.T, d *rooms.Desk, who desk.Actor) *desk.Applied {
	t.Helper()
	draft := must[*desk.Draft](t)(d.Draft(who))
	return must[*desk.Applied](t)(d.Apply(who, "a test", draft.Stamp))
}

func text(sentence []desk.Phrase) string {
	s := ""
	for _, p := range sentence {
		s += p.Text
	}
	return s
}

func told(draft *desk.Draft) (out []string) {
	for _, e := range draft.Edits {
		for _, s := range e.Sentences {
			out = append(out, text(s))
		}
	}
	return out
}

func allowed(d *rooms.Desk, user, permission, area string) bool {
	q := view.Question{User: user, Known: true, Permission: permission}
	q.Record.Area = area
	a, err := d.Ask(q, false)
	return err == nil && a.Allowed
}

func TestSignIn(t *testing.T) {
	d, _ := open(t)
	// Who is locked sets no password; the one that lou has was set before.
	link := must[string](t)(d.PasswordLink("lou"))
	_, err := d.SetPassword(t.Context(), link, "quite long enough", "test")
	refused(t, err, desk.NotFound, "used or has run out")
	put(t, d, altered(d, model.KindUser, "lou", func(u *model.User) { u.State = model.UserActive }))
	for _, u := range []string{"bea", "lou"} {
		link := must[string](t)(d.PasswordLink(u))
		if _, err := d.SetPassword(t.Context(), link, "short", "test"); err == nil {
			t.Error("a short password is taken")
		}
		must[desk.Actor](t)(d.SetPassword(t.Context(), link, "quite long enough", "test"))
		_, err := d.SetPassword(t.Context(), link, "quite long enough too", "test")
		refused(t, err, desk.NotFound, "used or has run out")
	}
	put(t, d, altered(d, model.KindUser, "lou", func(u *model.User) { u.State = model.UserLocked }))
	if who, err := d.SignIn(t.Context(), " BEA ", "quite long enough", "test"); err != nil || who.User != "bea" {
		t.Errorf("bea is let in as %v, %v", who, err)
	}
	for _, c := range [][3]string{{"bea", "wrong password", "not right"}, {"nobody", "quite long enough", "not right"},
		{"ann", "quite long enough", "not right"}, {"lou", "quite long enough", "not active"}, {"", "", "not right"}} {
		_, err := d.SignIn(t.Context(), c[0], c[1], "test")
		refused(t, err, desk.NotSignedIn, c[2])
	}
}

func TestWhoMayWhat(t *testing.T) {
	d, _ := open(t)
	for _, c := range []struct {
		what string
		ask  func(who desk.Actor) error
		may  []desk.Actor
	}{
		{"see the frame", func(w desk.Actor) error {
			_, err := d.Bay(w, "user", view.View{}, "", 0, 10)
			return err
		}, []desk.Actor{bea, kay, eve}},
		{"see a picture", func(w desk.Actor) error {
			_, err := d.Picture(w, view.View{Focus: "role:clerk"})
			return err
		}, []desk.Actor{bea, kay, eve}},
		{"see another's sheet", func(w desk.Actor) error {
			_, err := d.Person(w, "ann", "")
			return err
		}, []desk.Actor{bea, kay, eve, ann}},
		{"see another's trace", func(w desk.Actor) error {
			_, err := d.Trace(w, "ann", "s:gate:view", "")
			return err
		}, []desk.Actor{bea, kay, eve, ann}},
		{"see the history", func(w desk.Actor) error {
			_, err := d.History(w, view.HistorySearch{Limit: 10})
			return err
		}, []desk.Actor{bea, kay, eve}},
		{"draft", func(w desk.Actor) error {
			_, err := d.Join(w, end("user", "dan"), end("group", "crew"), edit.JoinTerms{})
			return err
		}, []desk.Actor{bea, kay}},
		{"plan a review", func(w desk.Actor) error {
			_, err := d.PreviewReview(w, review.NewReview{Role: "night"})
			return err
		}, []desk.Actor{bea, kay}},
		{"see areas", func(w desk.Actor) error {
			_, err := d.Areas(w)
			return err
		}, []desk.Actor{bea, kay, eve, ann, cy, dan}},
		{"know oneself", func(w desk.Actor) error {
			_, err := d.Me(w)
			return err
		}, []desk.Actor{bea, kay, eve, ann, cy, dan}},
	} {
		for _, who := range []desk.Actor{ann, bea, cy, dan, eve, kay, stranger, {User: "lou"}, {User: "none"}} {
			err := c.ask(who)
			if may := slices.Contains(c.may, who); may != (err == nil) {
				t.Errorf("%q may %s: %v, but the answer is %v", who.User, c.what, may, err)
			}
		}
	}
	_, err := d.Join(eve, end("user", "dan"), end("group", "crew"), edit.JoinTerms{})
	refused(t, err, desk.NotAllowed, "fachwerk:design:edit")
}

func TestJoinAndCut(t *testing.T) {
	until := now.AddDate(0, 1, 0)
	for _, c := range []struct {
		a, b  desk.End
		terms edit.JoinTerms
		want  string
	}{
		{end("user", "dan"), end("group", "crew"), edit.JoinTerms{}, "Dan joins Crew"},
		{end("group", "crew"), end("user", "dan"), edit.JoinTerms{}, "Dan joins Crew"}, // from either end
		{end("group", "fed"), end("group", "crew"), edit.JoinTerms{}, "Fed is nested in Crew"},
		{end("role", "clerk"), end("user", "dan"),
			edit.JoinTerms{Area: "t2", Reach: "own", Mode: "read-only", Until: &until},
			"Dan gets Clerk at Terminal 2, for their own records, read-only, until 4 April 2026 12:00"},
		{end("group", "everyone"), end("set", "see"), edit.JoinTerms{Area: "top"},
			"Everyone gets See over the whole organisation"},
		{end("role", "night"), end("role", "clerk"), edit.JoinTerms{}, "what Clerk gives is inherited by Night"},
		{end("set", "open"), end("role", "clerk"), edit.JoinTerms{}, "Open is included in Clerk"},
		{end("permission", "s:gate:open"), end("role", "clerk"), edit.JoinTerms{}, "s:gate:open is put into Clerk"},
		{end("set", "see"), end("permission", "s:gate:open"), edit.JoinTerms{}, "s:gate:open is put into See"},
	} {
		d, _ := open(t)
		draft := must[*desk.Draft](t)(d.Join(bea, c.a, c.b, c.terms))
		if got := told(draft); !slices.Equal(got, []string{c.want}) {
			t.Errorf("it is drafted as %q, want %q", got, c.want)
		}
		// What was just joined can be cut again, which leaves nothing behind.
		if draft = must[*desk.Draft](t)(d.Cut(bea, c.a, c.b, "")); len(draft.Edits) != 0 {
			t.Errorf("cut again, %q leaves %q", c.want, told(draft))
		}
	}
}

func TestWhatCannotBeJoined(t *testing.T) {
	d, _ := open(t)
	early := now.AddDate(0, -1, 0)
	for _, c := range []struct {
		a, b  desk.End
		terms edit.JoinTerms
		cause desk.Cause
		says  string
	}{
		{end("user", "dan"), end("user", "cy"), edit.JoinTerms{}, desk.Invalid, "put both into a group"},
		{end("user", "dan"), end("permission", "s:gate:view"), edit.JoinTerms{}, desk.Invalid,
			"assign a role or a permission set"},
		{end("set", "see"), end("set", "open"), edit.JoinTerms{}, desk.Invalid, "Nothing runs between"},
		{end("user", "cy"), end("group", "crew"), edit.JoinTerms{}, desk.Conflict, "already joined"},
		{end("user", "dan"), end("group", "rule"), edit.JoinTerms{}, desk.Invalid, "by a rule"},
		{end("user", "dan"), end("group", "fed"), edit.JoinTerms{}, desk.Invalid, "from the directory"},
		{end("user", "dan"), end("group", "everyone"), edit.JoinTerms{}, desk.Invalid, "built in"},
		{end("group", "everyone"), end("group", "crew"), edit.JoinTerms{}, desk.Invalid, "built-in group cannot be nested"},
		{end("role", "fixed"), end("set", "see"), edit.JoinTerms{}, desk.NotAllowed, "protected"},
		{end("set", "supplied"), end("permission", "s:gate:open"), edit.JoinTerms{}, desk.NotAllowed,
			"supplied with its system"},
		{end("role", "clerk"), end("role", "clerk"), edit.JoinTerms{}, desk.Invalid, "to itself"},
		{end("user", "zed"), end("group", "crew"), edit.JoinTerms{}, desk.NotFound, "no person"},
		{end("user", "dan"), end("role", "clerk"), edit.JoinTerms{Area: "moon"}, desk.NotFound, "no area"},
		{end("user", "dan"), end("role", "clerk"), edit.JoinTerms{From: &now, Until: &early}, desk.Invalid,
			"end before it begins"},
		{end("user", "dan"), end("role", "night"), edit.JoinTerms{Area: "t1"}, desk.Conflict, "already assigned"},
	} {
		_, err := d.Join(bea, c.a, c.b, c.terms)
		refused(t, err, c.cause, c.says)
	}
	_, err := d.Cut(bea, end("user", "cy"), end("role", "clerk"), "")
	refused(t, err, desk.NotFound, "cut at the group")
	_, err = d.Cut(bea, end("user", "dan"), end("group", "crew"), "")
	refused(t, err, desk.NotFound, "not joined directly")
	if draft := must[*desk.Draft](t)(d.Draft(bea)); len(draft.Edits) != 0 {
		t.Errorf("what was refused left %q in the draft", told(draft))
	}
	// A cycle is found when the draft is laid, which then stays as it was.
	_, err = d.Join(bea, end("role", "clerk"), end("role", "lead"), edit.JoinTerms{})
	refused(t, err, desk.Invalid, "cycle of inherited roles")
	if draft := must[*desk.Draft](t)(d.Draft(bea)); len(draft.Edits) != 0 {
		t.Errorf("what was refused left %q in the draft", told(draft))
	}
}

func TestDraftLookApplyUndo(t *testing.T) {
	d, s := open(t)
	must[*desk.Draft](t)(d.Join(bea, end("user", "dan"), end("group", "crew"), edit.JoinTerms{}))
	if allowed(d, "dan", "s:gate:view", "t2") {
		t.Fatal("dan is allowed more than the example says")
	}
	d = reopen(t, s) // a draft outlives the server
	draft := must[*desk.Draft](t)(d.Join(bea, end("group", "crew"), end("role", "clerk"), edit.JoinTerms{Area: "t2"}))
	if draft.Gaining != 2 || draft.Losing != 0 || len(draft.People) != 2 || len(draft.Blocks) != 0 {
		t.Fatalf("the impact is %+v", draft)
	}
	if g := draft.People[0].Gains; len(g) != 1 || g[0].Permission != "s:gate:view" || g[0].Area.Name != "Terminal 2" {
		t.Errorf("the gains are %+v", g)
	}
	if other := must[*desk.Draft](t)(d.Draft(kay)); len(other.Edits) != 0 {
		t.Error("kay sees bea's draft")
	}
	_, err := d.Apply(bea, " ", draft.Stamp)
	refused(t, err, desk.Invalid, "reason")
	_, err = d.Apply(bea, "why", "another stamp")
	refused(t, err, desk.Conflict, "changed since you looked")
	done := applyAll(t, d, bea)
	if done.Revision != 2 || !allowed(d, "dan", "s:gate:view", "t2") || !allowed(d, "cy", "s:gate:view", "t2") {
		t.Errorf("applied as %+v, but the gate stays shut", done)
	}
	if draft := must[*desk.Draft](t)(d.Draft(bea)); len(draft.Edits) != 0 {
		t.Error("what was applied stays in the draft")
	}
	_, err = d.Apply(bea, "again", draft.Stamp)
	refused(t, err, desk.Invalid, "nothing in the draft")
	d = reopen(t, s)
	if !allowed(d, "dan", "s:gate:view", "t2") {
		t.Error("what was acknowledged is lost")
	}

	history := must[[]view.Revision](t)(d.History(eve, view.HistorySearch{Limit: 10}))
	if len(history) != 2 || history[0].Number != 2 || history[0].Who != "Bea" || history[0].Why != "a test" ||
		len(history[0].Sentences) != 2 {
		t.Fatalf("the history is %+v", history)
	}

	draft = must[*desk.Draft](t)(d.DraftUndo(bea, 2))
	if draft.Losing != 2 || draft.Edits[0].Undoes != 2 {
		t.Errorf("the undo is drafted as %+v", draft)
	}
	_, err = d.DraftUndo(bea, 2)
	refused(t, err, desk.Conflict, "already in your draft")
	applyAll(t, d, bea)
	if allowed(d, "dan", "s:gate:view", "t2") {
		t.Error("undone, dan is still allowed")
	}
	history = must[[]view.Revision](t)(d.History(eve, view.HistorySearch{Limit: 10}))
	if history[0].Undoes != 2 || history[1].UndoneBy != 3 {
		t.Errorf("the history does not tell of the undo: %+v", history[:2])
	}
	_, err = d.DraftUndo(bea, 2)
	refused(t, err, desk.Conflict, "Revision 3 changed")
	_, err = d.DraftUndo(bea, 99)
	refused(t, err, desk.NotFound, "no revision 99")
}

// A draft is warned of what prevents nothing but is probably a mistake, as far as the draft has to do with it.
func TestADraftIsWarned(t *testing.T) {
	d, _ := openDemo(t)
	role := &model.Role{Name: "Night watch", Permissions: []string{"quaybook:gate:view", "quaybook:gate:opne"}}
	draft := must[*desk.Draft](t)(d.Put(signe, nil, role))
	want := []desk.Warning{{
		Thing: desk.Ref{Kind: "role", ID: "night-watch", Name: "Night watch"},
		Said:  `No system has a permission "quaybook:gate:opne"; it gives nothing.`,
	}}
	if !slices.Equal(draft.Warnings, want) || len(draft.Blocks) > 0 {
		t.Errorf("warned of %+v, blocked by %q", draft.Warnings, draft.Blocks)
	}
	must[*desk.Applied](t)(d.Apply(signe, "for the nights", draft.Stamp))
	was, _ := d.Design().Roles.Find("night-watch")
	mended := change.Clone(was)
	mended.Permissions = []string{"quaybook:gate:view"}
	if draft = must[*desk.Draft](t)(d.Put(signe, was, mended)); len(draft.Warnings) > 0 {
		t.Errorf("mended, it is warned of %+v", draft.Warnings)
	}
}

func TestTakeOutAndDiscard(t *testing.T) {
	d, _ := open(t)
	first := must[*desk.Draft](t)(d.Join(bea, end("user", "dan"), end("group", "crew"), edit.JoinTerms{}))
	must[*desk.Draft](t)(d.Join(bea, end("user", "ann"), end("group", "crew"), edit.JoinTerms{}))
	draft := must[*desk.Draft](t)(d.TakeOut(bea, first.Edits[0].ID)) // of two on the same group
	if got := told(draft); !slices.Equal(got, []string{"Ann joins Crew"}) || len(draft.Blocks) > 0 {
		t.Errorf("what is left is %q, blocked by %q", got, draft.Blocks)
	}
	_, err := d.TakeOut(bea, first.Edits[0].ID)
	refused(t, err, desk.NotFound, "not in your draft")
	if draft = must[*desk.Draft](t)(d.Discard(bea)); len(draft.Edits) != 0 || draft.Discarded != 1 {
		t.Errorf("discarded, the draft holds %q, and %d can be restored", told(draft), draft.Discarded)
	}
}

// What was discarded comes back behind what was drafted since, once, and only as far as it would be permitted now.
func TestWhatWasDiscardedIsRestored(t *testing.T) {
	d, _ := open(t)
	must[*desk.Draft](t)(d.Join(bea, end("user", "dan"), end("group", "crew"), edit.JoinTerms{}))
	must[*desk.Draft](t)(d.Discard(bea))
	must[*desk.Draft](t)(d.Discard(bea)) // of nothing: what was discarded before is kept
	must[*desk.Draft](t)(d.Join(bea, end("user", "ann"), end("group", "crew"), edit.JoinTerms{}))
	if n := must[*desk.Draft](t)(d.Draft(kay)).Discarded; n != 0 {
		t.Errorf("somebody else could restore %d", n)
	}
	draft := must[*desk.Draft](t)(d.Restore(bea))
	if got := told(draft); !slices.Equal(got, []string{"Ann joins Crew", "Dan joins Crew"}) || len(draft.Blocks) > 0 {
		t.Errorf("restored, the draft holds %q, blocked by %q", got, draft.Blocks)
	}
	_, err := d.Restore(bea)
	refused(t, err, desk.NotFound, "Nothing that was discarded")

	// Who has lost the right meanwhile restores nothing.
	must[*desk.Draft](t)(d.Join(kay, end("user", "eve"), end("group", "crew"), edit.JoinTerms{}))
	must[*desk.Draft](t)(d.Discard(kay))
	must[*desk.Draft](t)(d.Discard(bea))
	draft = must[*desk.Draft](t)(d.Cut(bea, end("user", "kay"), end("set", model.SetAdministrator), ""))
	must[*desk.Applied](t)(d.Apply(bea, "no longer", draft.Stamp))
	_, err = d.Restore(kay)
	refused(t, err, desk.NotAllowed, "")
	if draft = must[*desk.Draft](t)(d.Draft(bea)); draft.Discarded != 0 {
		t.Errorf("after a change is applied, %d can be restored", draft.Discarded)
	}
	draft = must[*desk.Draft](t)(d.DraftUndo(bea, d.Present().Revision))
	must[*desk.Applied](t)(d.Apply(desk.Actor{User: "bea", Proven: now}, "after all", draft.Stamp))
	if draft = must[*desk.Draft](t)(d.Restore(kay)); !slices.Equal(told(draft), []string{"Eve joins Crew"}) {
		t.Errorf("with the right again, what is restored is %q", told(draft))
	}
}

// What the draft takes away is put back, and leaves nothing behind; so does taking away one of several that it gives.
func TestPutBack(t *testing.T) {
	d, _ := open(t)
	draft := must[*desk.Draft](t)(d.Cut(bea, end("user", "dan"), end("role", "night"), ""))
	if got := told(draft); len(got) != 1 {
		t.Fatalf("cut, the draft holds %q", got)
	}
	if draft = must[*desk.Draft](t)(d.PutBack(bea, "dan-night")); len(draft.Edits) != 0 {
		t.Errorf("put back, the draft holds %q", told(draft))
	}
	_, err := d.PutBack(bea, "dan-night")
	refused(t, err, desk.Conflict, "leaves this assignment as it is")
	_, err = d.PutBack(bea, "none")
	refused(t, err, desk.NotFound, "no assignment")

	draft = must[*desk.Draft](t)(d.AssignMany(bea, []desk.End{end("user", "ann"), end("user", "eve")},
		[]desk.End{end("role", "night")}, edit.JoinTerms{}))
	if len(draft.Edits) != 1 || len(draft.Edits[0].Sentences) != 2 {
		t.Fatalf("assigned, the draft holds %q", told(draft))
	}
	draft = must[*desk.Draft](t)(d.Cut(bea, end("user", "eve"), end("role", "night"), ""))
	if got := told(draft); len(draft.Edits) != 1 || !slices.Equal(got, []string{"Ann gets Night over the whole organisation"}) {
		t.Errorf("one of two taken away, the draft holds %q", got)
	}
	if again := must[*desk.Draft](t)(d.Draft(bea)); !slices.Equal(told(again), told(draft)) {
		t.Errorf("read again, the draft holds %q", told(again))
	}
}

func TestTwoDraftsOnOneThing(t *testing.T) {
	d, _ := open(t)
	must[*desk.Draft](t)(d.Join(bea, end("user", "dan"), end("group", "crew"), edit.JoinTerms{}))
	must[*desk.Draft](t)(d.Join(kay, end("user", "ann"), end("group", "crew"), edit.JoinTerms{}))
	stale := must[*desk.Draft](t)(d.Draft(bea)).Stamp
	applyAll(t, d, kay)
	_, err := d.Apply(bea, "why", stale)
	refused(t, err, desk.Conflict, "changed since you looked")
	applyAll(t, d, bea)
	if !allowed(d, "ann", "s:gate:view", "t1") || !allowed(d, "dan", "s:gate:view", "t1") {
		t.Error("one of the two memberships is lost")
	}
	// The same beam, cut by both: the second has nothing left to do. Cut and altered: the second is told.
	must[*desk.Draft](t)(d.Cut(bea, end("role", "lead"), end("role", "clerk"), ""))
	must[*desk.Draft](t)(d.Cut(kay, end("role", "lead"), end("role", "clerk"), ""))
	applyAll(t, d, kay)
	draft := must[*desk.Draft](t)(d.Draft(bea))
	if len(draft.Blocks) > 0 || len(draft.Edits) != 1 || len(draft.Edits[0].Sentences) != 0 {
		t.Errorf("what somebody did already is drafted as %+v", draft)
	}
}

func TestNobodyIsLockedOutAndNobodyRaisesThemselves(t *testing.T) {
	d, _ := open(t)
	draft := must[*desk.Draft](t)(d.Cut(bea, end("user", "bea"), end("set", model.SetOwner), ""))
	if len(draft.Blocks) == 0 || !strings.Contains(draft.Blocks[0], "last live person") {
		t.Errorf("the blocks are %q", draft.Blocks)
	}
	_, err := d.Apply(bea, "why", draft.Stamp)
	refused(t, err, desk.Invalid, "last live person")
	// kay may assign, but not what kay does not hold.
	draft = must[*desk.Draft](t)(d.Join(kay, end("user", "kay"), end("set", model.SetOwner), edit.JoinTerms{}))
	if len(draft.Blocks) == 0 || !strings.Contains(strings.Join(draft.Blocks, " "), "cannot hand it on") {
		t.Errorf("the blocks are %q", draft.Blocks)
	}
	_, err = d.Apply(kay, "why", draft.Stamp)
	refused(t, err, desk.Invalid, model.EditDelegations)
	// Nor by the way of a role that somebody else holds.
	must[*desk.Draft](t)(d.Discard(kay))
	must[*desk.Draft](t)(d.Join(kay, end("role", "night"), end("permission", model.ManageTokens), edit.JoinTerms{}))
	must[*desk.Draft](t)(d.Join(kay, end("user", "cy"), end("role", "night"), edit.JoinTerms{}))
	draft = must[*desk.Draft](t)(d.Draft(kay))
	if !strings.Contains(strings.Join(draft.Blocks, " "), "Cy would gain "+model.ManageTokens) {
		t.Errorf("the blocks are %q", draft.Blocks)
	}
}

func TestAnotherProcessIsFollowed(t *testing.T) {
	d, s := open(t)
	other := reopen(t, s)
	u, err := other.MakeOwner("ANN")
	if err != nil || u.ID != "ann" {
		t.Fatal(u, err)
	}
	if _, err := other.MakeOwner("ann"); err != nil || must[*account.Me](t)(other.Me(ann)).Revision != 2 {
		t.Errorf("making an owner twice: %v", err)
	}
	if err := d.Follow(); err != nil {
		t.Fatal(err)
	}
	if me := must[*account.Me](t)(d.Me(ann)); me.Revision != 2 || len(me.Rights) < 8 {
		t.Errorf("followed, ann is %+v", me)
	}
	// What was applied elsewhere and does not concern a draft does not stand against it, seen or not.
	draft := must[*desk.Draft](t)(d.Join(bea, end("user", "dan"), end("group", "crew"), edit.JoinTerms{}))
	if _, err := other.MakeOwner("cy"); err != nil {
		t.Fatal(err)
	}
	must[*desk.Applied](t)(d.Apply(bea, "why", draft.Stamp))
	if n := d.Revision(); n != 4 {
		t.Errorf("both applied, the revision is %d", n)
	}
}

func TestLoad(t *testing.T) {
	d, _ := open(t)
	refused(t, d.Load(design(), desk.Begin, "again"), desk.Conflict, "--replace")
	smaller := model.Build(
		&model.Design{
			Organisation: &model.Organisation{Name: "Other"},
			Users:        model.Table[*model.User]{{ID: "bea", UserName: "bea", DisplayName: "Bea"}},
		},
	)
	refused(t, d.Load(smaller, desk.Replace, "nobody is left"), desk.NotAllowed, "last live person")
	boss := &model.Assignment{
		ID:      "boss",
		Subject: model.Subject{User: "bea"},
		Set:     model.SetOwner,
		Reach:   model.ReachArea,
		Mode:    model.Full,
	}
	smaller = smaller.With([]model.Edit{{Kind: model.KindAssignment, ID: boss.ID, After: boss}})
	if err := d.Load(smaller, desk.Replace, "anew"); err != nil {
		t.Fatal(err)
	}
	if got := d.Design(); got.Organisation.Name != "Other" || len(got.Users) != 1 || len(got.Roles) != 0 {
		t.Errorf("replaced, the design is %+v", got)
	}
}

func TestTokens(t *testing.T) {
	d, _ := open(t)
	for purpose, user := range map[string]string{"decisions": "", "scim": "", "api": "bea"} {
		text := must[string](t)(d.MakeToken(account.NewToken{Name: "test", Purpose: purpose, User: user}))
		for _, p := range account.Purposes {
			token, err := d.Program(text, p)
			if (err == nil) != (p == purpose) || err == nil && token.User != user {
				t.Errorf("a token for %s is good for %s: %v", purpose, p, err)
			}
		}
	}
	if _, err := d.Program("made up", "api"); err == nil {
		t.Error("a made-up token is good")
	}
	if _, err := d.MakeToken(account.NewToken{Name: "test", Purpose: "api", User: "zed"}); err == nil {
		t.Error("a token acts as nobody")
	}
}

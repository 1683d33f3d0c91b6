package desk_test

import (
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/finding"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/survey"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/store"
)

// The demo organisation has something loose of nearly every kind; a finding is mended by the draft, many at once, and
// goes away; one that is set aside is told as such until its day, with who did so and why.
func TestFindings(t *testing.T) {
	d, s := openDemo(t)
	all := must[*survey.Findings](t)(d.Findings(signe, survey.Wanted{Limit: 500}))
	counts := map[string]int{}
	for _, k := range all.Kinds {
		counts[k.Kind] = k.Count
	}
	for _, a := range finding.Kinds {
		if counts[string(a.Kind)] == 0 {
			t.Errorf("the demo has nothing of %s", a.Kind)
		}
	}
	if !slices.IsSortedFunc(all.Rows, func(a, b survey.FindingRow) int { return b.Weight - a.Weight }) {
		t.Error("the gravest are not first")
	}
	ask := func(w survey.Wanted) *survey.Findings {
		w.Limit = 500
		return must[*survey.Findings](t)(d.Findings(signe, w))
	}
	about := ask(survey.Wanted{About: "guarantee:few-change-bank-details"})
	if about.Match != 1 || about.Rows[0].Kind != "broken-guarantee" || about.Rows[0].Weight != 2 {
		t.Errorf("about the guarantee: %+v", about.Rows)
	}
	if heavy := ask(survey.Wanted{Weight: 3}); heavy.Match == 0 ||
		slices.ContainsFunc(heavy.Rows, func(r survey.FindingRow) bool { return r.Weight < 3 }) {
		t.Errorf("of weight 3: %d", heavy.Match)
	}

	// Two are mended at once, by one draft.
	owner := desk.Actor{User: signe.User, Proven: today}
	too := ask(survey.Wanted{Kind: "by-hand-too"})
	if too.Match < 2 {
		t.Fatalf("by hand beside a group: %+v", too.Rows)
	}
	ids := []string{too.Rows[0].ID, too.Rows[1].ID}
	draft := must[*desk.Draft](t)(d.RepairFindings(owner, ids, 0))
	if len(draft.Edits) != 2 || draft.Losing != 0 {
		t.Errorf("the repair of what the groups give as well: %d edits, %d lose", len(draft.Edits), draft.Losing)
	}
	applyAll(t, d, owner)
	if after := ask(survey.Wanted{Kind: "by-hand-too"}); after.Match != too.Match-2 {
		t.Errorf("%d are left of %d", after.Match, too.Match)
	}
	_, err := d.RepairFindings(owner, ids, 0)
	refused(t, err, desk.NotFound, "not loose any longer")
	_, err = d.RepairFindings(owner, []string{about.Rows[0].ID}, 0)
	refused(t, err, desk.Invalid, "no such repair")

	// Set aside.
	guarantee := []string{about.Rows[0].ID}
	until := today.AddDate(0, 1, 0)
	for _, c := range []struct {
		who    desk.Actor
		until  time.Time
		reason string
		cause  desk.Cause
		says   string
	}{
		{signe, until, " ", desk.Invalid, "Say why"},
		{signe, today.AddDate(0, 0, -1), "x", desk.Invalid, "past"},
		{signe, today.AddDate(2, 0, 0), "x", desk.Invalid, "a year at most"},
		{oona, until, "x", desk.NotAllowed, "Edit the design"},
	} {
		refused(t, d.SetFindingsAside(c.who, guarantee, c.until, c.reason), c.cause, c.says)
	}
	if err := d.SetFindingsAside(signe, guarantee, until, "the bank waits until spring"); err != nil {
		t.Fatal(err)
	}
	if now := ask(survey.Wanted{Kind: "broken-guarantee"}); now.Match != 0 || now.Kinds[0].Aside != 1 {
		t.Errorf("set aside, it is told still: %+v", now.Kinds[0])
	}
	aside := ask(survey.Wanted{Kind: "broken-guarantee", Aside: true})
	if aside.Match != 1 || aside.Rows[0].Aside.By.ID != signe.User ||
		aside.Rows[0].Aside.Reason != "the bank waits until spring" {
		t.Errorf("what is set aside: %+v", aside.Rows)
	}
	if list := must[map[string]store.Aside](t)(s.Asides(until)); len(list) != 0 {
		t.Errorf("on its day it is set aside still: %+v", list)
	}
	if err := d.SetFindingsAside(signe, guarantee, time.Time{}, ""); err != nil {
		t.Fatal(err)
	}
	if now := ask(survey.Wanted{Kind: "broken-guarantee"}); now.Match != 1 {
		t.Error("taken back, it is set aside still")
	}
	rows := must[*table.Table](t)(d.FindingsTable(oona, survey.Wanted{Kind: "ownerless"}))
	if len(rows.Rows) != counts["ownerless"] || rows.Rows[0][0] != "ownerless" {
		t.Errorf("as a table there are %d rows", len(rows.Rows))
	}
}

// A delegate is told of their own people, and of nothing that says more than who these are and what they do not use.
func TestFindingsOfADelegate(t *testing.T) {
	d, _ := openDemo(t)
	part := must[*survey.Findings](t)(d.Findings(ruben, survey.Wanted{Limit: 500}))
	whole := must[*survey.Findings](t)(d.Findings(signe, survey.Wanted{Limit: 500, Kind: "seat-idle"}))
	if len(part.Kinds) != 3 {
		t.Errorf("a delegate is told of the kinds %+v", part.Kinds)
	}
	for _, r := range part.Rows {
		if d.Design().Get(model.KindUser, r.Objects[0].ID) == nil ||
			!strings.Contains("dormant seat-idle invitation-over", r.Kind) {
			t.Errorf("a delegate is told %+v", r)
		}
	}
	seats := slices.DeleteFunc(slices.Clone(part.Rows), func(r survey.FindingRow) bool { return r.Kind != "seat-idle" })
	if len(seats) >= whole.Match || len(part.Rows) == 0 {
		t.Errorf("of %d idle seats a delegate is told of %d; in all of %d", whole.Match, len(seats), len(part.Rows))
	}
	_, err := d.Findings(desk.Actor{User: "noor.tamsin"}, survey.Wanted{})
	refused(t, err, desk.NotAllowed, "See the design")
}

// On Mondays owners are written to about what is loose of what they own, once: who does not see the design is told
// nothing of anybody.
func TestOwnersAreWrittenToOnceAWeek(t *testing.T) {
	at := today
	for at.Weekday() != time.Tuesday {
		at = at.AddDate(0, 0, 1)
	}
	d, s := openDemoBy(t, func() time.Time { return at })
	design := d.Design()
	owner := func(f survey.FindingRow) (out []string) {
		for _, o := range f.Objects {
			switch x := design.Get(model.Kind(o.Kind), o.ID).(type) {
			case *model.Role:
				out = append(out, x.Owner)
			case *model.Group:
				out = append(out, x.Owner)
			case *model.Set:
				out = append(out, x.Owner)
			}
		}
		return out
	}
	written := func() map[string]string {
		out := map[string]string{}
		for _, l := range must[[]store.Letter](t)(s.LettersTo("", 1000)) {
			if l.Kind == "finding" {
				if out[l.User] != "" {
					t.Errorf("%s is written to twice", l.User)
				}
				out[l.User] = l.Body
			}
		}
		return out
	}
	for ; at.Weekday() != time.Monday; at = at.AddDate(0, 0, 1) {
		if err := d.FindingsDue(); err != nil {
			t.Fatal(err)
		}
	}
	if letters := written(); len(letters) > 0 {
		t.Fatalf("on other days %d letters are written", len(letters))
	}
	all := must[*survey.Findings](t)(d.Findings(signe, survey.Wanted{Limit: 5000}))
	for range 2 {
		if err := d.FindingsDue(); err != nil {
			t.Fatal(err)
		}
	}
	letters := written()
	sees := func(user string) bool { return d.May(d.Present(), desk.Actor{User: user}, model.ViewDesign) }
	told, kept := 0, 0
	for _, f := range all.Rows {
		for user, body := range letters {
			is := strings.Contains(body, "- "+f.Says)
			mine := slices.Contains(owner(f), user)
			about := slices.Contains([]string{"unheld-role", "unused-set", "empty-group", "idle-group", "near-roles",
				"dangling", "drifted"}, f.Kind)
			switch {
			case is && (!mine || !about && !sees(user)):
				t.Errorf("%s is told %q", user, f.Says)
			case is:
				told++
			case mine && !about && !sees(user):
				kept++
			}
		}
	}
	if told < 1 || kept < 1 {
		t.Errorf("%d are told and %d kept back: too few to prove anything", told, kept)
	}

	no := false
	for user := range letters {
		if err := d.SetLetters(desk.Actor{User: user}, account.Letters{Findings: &no}); err != nil {
			t.Fatal(err)
		}
	}
	at = at.AddDate(0, 0, 7)
	if err := d.FindingsDue(); err != nil {
		t.Fatal(err)
	}
	if again := written(); len(again) != len(letters) { // who had one gets no second
		t.Errorf("who wants none is written to: %d letters after %d", len(again), len(letters))
	}
}

// The ends of the weeks past are counted once, as they were then, as far back as the record goes.
func TestFindingsOfWeeksPast(t *testing.T) {
	d, _ := openDemo(t)
	ask := func(who desk.Actor) *survey.Findings {
		return must[*survey.Findings](t)(d.Findings(who, survey.Wanted{Limit: 1}))
	}
	if v := ask(signe); len(v.Weeks) != 0 {
		t.Fatalf("before anything is counted: %v", v.Weeks)
	}
	for range 2 { // the second time there is nothing left to count
		if err := d.CountFindings(); err != nil {
			t.Fatal(err)
		}
	}
	v := ask(signe)
	if len(v.Weeks) != 12 || v.Weeks[0] != "2026-09-06" || v.Weeks[11] != "2026-11-22" {
		t.Fatalf("the weeks: %v", v.Weeks)
	}
	changed := 0
	for i, week := range []string{"2026-09-06", "2026-11-01"} {
		end := must[time.Time](t)(time.ParseInLocation(time.DateOnly, week, d.Zone())).AddDate(0, 0, 1)
		at := slices.Index(v.Weeks, week)
		then := ask(desk.Actor{User: signe.User, When: end})
		if i == 1 && !slices.Equal(then.Weeks, v.Weeks[:at+1]) {
			t.Errorf("on %v one sees the weeks %v", end, then.Weeks)
		}
		for n, k := range then.Kinds {
			if got := v.Kinds[n].Weeks[at]; got != k.Count {
				t.Errorf("at the end of %s there were %d of %s, %d are told", week, k.Count, k.Kind, got)
			}
			if k.Count != v.Kinds[n].Count {
				changed++
			}
		}
	}
	if changed == 0 {
		t.Error("nothing ever changed: this shows nothing")
	}
	// What is set aside now was not set aside then.
	last := v.Kinds[0].Weeks[11]
	rows := must[*survey.Findings](t)(d.Findings(signe, survey.Wanted{Kind: v.Kinds[0].Kind, Limit: 1})).Rows
	if err := d.SetFindingsAside(signe, []string{rows[0].ID}, today.AddDate(0, 1, 0), "later"); err != nil {
		t.Fatal(err)
	}
	if err := d.CountFindings(); err != nil {
		t.Fatal(err)
	}
	if now := ask(signe).Kinds[0]; now.Weeks[11] != last {
		t.Errorf("a week past was counted anew: %+v", now)
	}
	if v := ask(ruben); len(v.Weeks) != 0 || len(v.Kinds[0].Weeks) != 0 {
		t.Errorf("a delegate is told how much was loose everywhere: %+v", v)
	}
}

// Where the record begins within the weeks past, only those are counted that it tells of.
func TestWeeksBeforeTheRecordAreNotCounted(t *testing.T) {
	at := now
	s := must[*store.Store](t)(store.Open(filepath.Join(t.TempDir(), "young.db"), false))
	t.Cleanup(func() { s.Close() })
	d := must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return at }))
	if err := d.Load(design(), desk.Begin, "made"); err != nil {
		t.Fatal(err)
	}
	if err := d.CountFindings(); err != nil {
		t.Fatal(err)
	}
	if v := must[*survey.Findings](t)(d.Findings(bea, survey.Wanted{Limit: 1})); len(v.Weeks) != 0 {
		t.Errorf("before the first week is over: %v", v.Weeks)
	}
	at = now.AddDate(0, 0, 13) // a Tuesday
	if err := d.CountFindings(); err != nil {
		t.Fatal(err)
	}
	v := must[*survey.Findings](t)(d.Findings(bea, survey.Wanted{Limit: 1}))
	if !slices.Equal(v.Weeks, []string{"2026-03-08", "2026-03-15"}) {
		t.Errorf("thirteen days on: %v", v.Weeks)
	}
}

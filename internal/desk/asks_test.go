package desk_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	coreReview "fachwerk/internal/core/review"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/ask"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/exchange/report"
)

// askedOf opens a review that one person decides, and gives it with its items.
func askedOf(t *testing.T, d *rooms.Desk, n review.NewReview) (*review.Review, []review.ReviewItem) {
	t.Helper()
	n.By, n.Person = "person", mireille.User
	r := must[*review.Review](t)(d.OpenReview(signe, n))
	return r, itemsOf(t, d, signe, r.ID)
}

// itemThat gives the item whose question has some words in it.
func itemThat(t *testing.T, items []review.ReviewItem, words string) review.ReviewItem {
	t.Helper()
	for _, i := range items {
		if strings.Contains(text(i.Question), words) {
			return i
		}
	}
	t.Fatalf("nothing asks %q", words)
	return review.ReviewItem{}
}

func TestReviewsOfMoreThanAccess(t *testing.T) {
	d, _ := openDemo(t)
	for _, c := range []struct {
		ask      review.NewReview
		question string
		took     func(*model.Design) bool
	}{
		{review.NewReview{Ask: coreReview.AskGroups, Group: "north-gate-crew"}, "go on giving", func(d *model.Design) bool {
			return !slices.ContainsFunc(d.Assignments, func(a *model.Assignment) bool {
				return a.Subject.Group == "north-gate-crew"
			})
		}},
		{review.NewReview{Ask: coreReview.AskRoles, Role: "gate-clerk"}, "go on giving", func(d *model.Design) bool {
			r, _ := d.Roles.Find("gate-clerk")
			return len(r.Sets)+len(r.Permissions)+len(r.Inherits) == 0
		}},
		{review.NewReview{Ask: coreReview.AskDelegations, Area: "it"}, "keep the delegation", func(d *model.Design) bool {
			_, there := d.Delegations.Find("keepers-whole")
			return !there
		}},
		{review.NewReview{Ask: coreReview.AskExceptions}, "stay excepted from", func(d *model.Design) bool {
			return !slices.ContainsFunc(d.Conflicts, func(c *model.Conflict) bool { return len(c.Exceptions) > 0 })
		}},
		{review.NewReview{Ask: coreReview.AskAccounts}, "keep their account", nil},
	} {
		r, items := askedOf(t, d, c.ask)
		first := itemThat(t, items, c.question)
		detail := must[*review.ItemDetail](t)(d.ReviewItem(signe, first.ID))
		if detail.Effect == nil || detail.Effect.Trouble != "" || len(detail.Effect.Sentences) == 0 {
			t.Errorf("%s: a revocation of “%s” would do %+v", c.ask.Ask, text(first.Question), detail.Effect)
		}
		if (detail.Ceiling != nil) != (c.ask.Ask == coreReview.AskDelegations) {
			t.Errorf("%s: the ceiling is %+v", c.ask.Ask, detail.Ceiling)
		}
		for _, i := range items {
			if i.Reviewer.ID == mireille.User {
				must[*review.ReviewItem](t)(d.Decide(mireille, i.ID, "revoke", "not needed"))
			} else if _, err := d.Decide(desk.Actor{User: i.Reviewer.ID}, i.ID, "revoke", "not needed"); err != nil {
				t.Fatal(err)
			}
		}
		closer := signe
		if c.ask.Ask == coreReview.AskDelegations { // to change them is critical, whoever decided it
			_, err := d.CloseReview(closer, r.ID, "")
			refused(t, err, desk.Unproven, "password once more")
			closer.Proven = d.Now()
		}
		closed := must[*review.Review](t)(d.CloseReview(closer, r.ID, "there are only two of us"))
		if closed.Revoked != len(items) || closed.Revision == 0 {
			t.Errorf("%s: closed as %+v", c.ask.Ask, closed)
		}
		now := d.Present().Design()
		if c.took != nil && !c.took(now) {
			t.Errorf("%s: what was revoked is still there", c.ask.Ask)
		}
		if u, _ := now.Users.Find(first.Subject.ID); c.took == nil && u.State != model.UserDeactivated {
			t.Errorf("%s: %s is %s", c.ask.Ask, u.ID, u.State)
		}
		for _, a := range must[*review.Afterwards](t)(d.Afterwards(signe, r.ID)).Rows {
			if a.State != "gone" {
				t.Errorf("%s: %s of %s: %s", c.ask.Ask, a.Keeps, a.Subject.Name, a.State)
			}
		}
		if rep := must[*report.Review](t)(d.ReviewReport(signe, r.ID)); len(rep.Items) != len(items) ||
			rep.Items[0].Access == "" || rep.Items[0].Person == "" {
			t.Errorf("%s: the report tells %+v", c.ask.Ask, rep.Items)
		}
	}
}

func TestDecidedTwice(t *testing.T) {
	d, _ := openDemo(t)
	r := must[*review.Review](t)(d.OpenReview(signe, review.NewReview{
		Role: "gate-clerk", Area: "terminal-1", By: "person", Person: ruben.User,
		Second: &review.Second{By: "person", Person: mireille.User},
	}))
	if r.Deciders != "Ruben Adeyemi, and then Mireille Aster" {
		t.Errorf("%q decide", r.Deciders)
	}
	items := itemsOf(t, d, ruben, r.ID)
	one := itemAbout(t, items, "kofi.ostrov")
	if one.Second == nil || one.Second.ID != mireille.User {
		t.Fatalf("%+v is decided once", one)
	}
	kept := must[*review.ReviewItem](t)(d.Decide(ruben, one.ID, "keep", ""))
	if kept.Decision != "" || kept.Reviewer.ID != mireille.User || kept.Stage != 1 {
		t.Errorf("kept by the first, it is %+v", kept)
	}
	_, err := d.Decide(ruben, one.ID, "revoke", "no")
	refused(t, err, desk.NotAllowed, "Mireille Aster to decide")
	back := must[*review.ReviewItem](t)(d.Decide(ruben, one.ID, "", "")) // they can think again until the second decides
	if back.Reviewer.ID != ruben.User || back.Stage != 0 {
		t.Errorf("taken back, it is %+v", back)
	}
	must[*review.ReviewItem](t)(d.Decide(ruben, one.ID, "keep", ""))
	if done := must[*review.ReviewItem](t)(d.Decide(mireille, one.ID, "keep", "")); done.Decision != "keep" ||
		done.By.ID != mireille.User {
		t.Errorf("kept by both, it is %+v", done)
	}
	_, err = d.Decide(ruben, one.ID, "", "")
	refused(t, err, desk.NotAllowed, "Mireille Aster to decide")
	// By no way does it come back to whoever decided it first.
	must[*review.ReviewItem](t)(d.HandOn(mireille, one.ID, ruben.User, "you know better"))
	_, err = d.Decide(ruben, one.ID, "keep", "")
	refused(t, err, desk.NotAllowed, "decided this the first time")
	must[*review.ReviewItem](t)(d.HandOn(signe, one.ID, mireille.User, ""))
	must[*review.ReviewItem](t)(d.Decide(mireille, one.ID, "keep", ""))
	// What the first revokes, nobody is asked about again.
	other := itemAbout(t, items, "yusuf.wexley")
	if gone := must[*review.ReviewItem](t)(d.Decide(ruben, other.ID, "revoke",
		"left the crew")); gone.Decision != "revoke" ||
		gone.Reviewer.ID != ruben.User {
		t.Errorf("revoked by the first, it is %+v", gone)
	}
	var said []string
	for _, s := range must[*review.ItemDetail](t)(d.ReviewItem(signe, one.ID)).Trail {
		said = append(said, s.By.ID+" "+s.Decision)
	}
	if want := []string{"ruben.adeyemi keep", "ruben.adeyemi ", "ruben.adeyemi ", "ruben.adeyemi keep", "ruben.adeyemi ",
		"mireille.aster keep", "mireille.aster ", "signe.halloran ", "mireille.aster keep"}; !slices.Equal(said, want) {
		t.Errorf("the trail is %q", said)
	}
}

func TestAway(t *testing.T) {
	_, s := openDemo(t)
	clock := today
	d := must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return clock }))
	last := 0
	open := func() []review.ReviewItem {
		r := must[*review.Review](t)(d.OpenReview(signe, review.NewReview{
			Role: "gate-clerk", Area: "terminal-1", By: "person", Person: ruben.User,
		}))
		last = r.ID
		return itemsOf(t, d, signe, r.ID)
	}
	open()
	first := last
	_, err := d.BeAbsent(ruben, review.NewAbsence{Instead: ruben.User, Until: clock.AddDate(0, 0, 9)})
	refused(t, err, desk.Invalid, "away yourself")
	_, err = d.BeAbsent(ruben, review.NewAbsence{Instead: "kofi.ostrov"})
	refused(t, err, desk.Invalid, "until which day")
	begins := clock.AddDate(0, 0, 2)
	a := must[*review.Absence](t)(d.BeAbsent(ruben, review.NewAbsence{
		Instead: "kofi.ostrov", From: begins, Until: begins.AddDate(0, 0, 7),
	}))
	if a.Begun || a.Instead.ID != "kofi.ostrov" {
		t.Errorf("away: %+v", a)
	}
	if i := itemAbout(t, open(), "yusuf.wexley"); i.Reviewer.ID != ruben.User {
		t.Errorf("before it begins, %s decides", i.Reviewer.ID)
	}
	clock = begins.Add(time.Hour)
	if err := d.AbsencesDue(); err != nil {
		t.Fatal(err)
	}
	for _, i := range itemsOf(t, d, signe, first) {
		want := "kofi.ostrov"
		if i.Subject.ID == want { // nobody decides about their own
			want = ruben.User
		}
		if i.Reviewer.ID != want {
			t.Errorf("about %s, %s decides", i.Subject.ID, i.Reviewer.ID)
		}
	}
	if i := itemAbout(t, open(), "yusuf.wexley"); i.Reviewer.ID != "kofi.ostrov" {
		t.Errorf("while it lasts, %s decides", i.Reviewer.ID)
	}
	clock = begins.AddDate(0, 0, 8)
	if i := itemAbout(t, open(), "yusuf.wexley"); i.Reviewer.ID != ruben.User {
		t.Errorf("once it is over, %s decides", i.Reviewer.ID)
	}
	if a := must[*review.Absence](t)(d.Absent(ruben)); a != nil {
		t.Errorf("still away: %+v", a)
	}
}

// The finder knows when what it finds was last reviewed.
func TestTheFinderTellsOfReviews(t *testing.T) {
	d, _ := openDemo(t)
	for text, want := range map[string]string{"refund clerk": "reviewed ", "customs officer": ""} {
		found := must[[]ask.Found](t)(d.Find(signe, text))
		if len(found) == 0 || strings.Contains(found[0].Note, "reviewed ") != (want != "") {
			t.Errorf("%q finds %+v", text, found[:1])
		}
	}
	if found := must[[]ask.Found](t)(d.Find(lucia, "refund clerk")); len(found) == 0 ||
		strings.Contains(found[0].Note, "reviewed") {
		t.Errorf("a delegate is told %+v", found)
	}
}

// The discoveries of three series find exactly those who sit on the demo's eleven unused seats.
func TestDiscoveriesFindTheUnusedSeats(t *testing.T) {
	d, _ := openDemo(t)
	found := map[string]bool{}
	for licence, system := range map[string]string{
		"quaybook-standard": "quaybook", "ladingbook-seat": "ladingbook", "gangway-till": "gangway",
	} {
		trial := must[*review.SeriesTrial](t)(d.TrySeries(signe, review.NewSeries{
			Review: review.NewReview{System: system, Filter: `licences eq "` + licence + `"`},
			Rule:   "FREQ=MONTHLY;INTERVAL=3", From: "2026-12-19T08:00", Days: 21,
			Discover: &review.Discovery{Days: 90, Ahead: 1},
		}))
		if trial.Trouble != "" || trial.Preview.Items == 0 {
			t.Errorf("of %s: %+v", licence, trial)
		}
		for _, f := range trial.Found {
			found[licence+" "+f.User.ID] = true
		}
	}
	if len(found) != 11 {
		t.Errorf("%d unused seats are found, want 11: %v", len(found), found)
	}
}

package desk_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/store"
)

// returning is a review of what gives something of s, every three months, for who has not used it for 90 days.
func returning(from time.Time) review.NewSeries {
	return review.NewSeries{
		Review: review.NewReview{Name: "Unused", System: "s", Fallback: "bea", Fate: "revoke"},
		Rule:   "FREQ=MONTHLY;INTERVAL=3", From: from.Format("2006-01-02T15:04"), Days: 20, Escalate: 50,
		Discover: &review.Discovery{Days: 90, Ahead: 2},
	}
}

// askedIn gives the items of a review: whose, of what, who decides, and how it is decided.
func askedIn(t *testing.T, s *store.Store, id int) (out []string) {
	t.Helper()
	for _, i := range must[[]store.ReviewItem](t)(s.ReviewItems(id, "")) {
		out = append(out, strings.TrimSpace(fmt.Sprintf("%s %s%s by %s %s", i.User, i.Role, i.Set, i.Reviewer, i.Decision)))
	}
	return out
}

// A year of a series, day by day, worked by two servers: each round discovers, opens, hands on and closes once, and
// only those are asked about who have not used the system nor were given it lately.
func TestAYearOfASeries(t *testing.T) {
	d, s, clock := clocked(t)
	other := must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return *clock }))
	first := now.AddDate(0, 0, 100)
	d.Uses.Note(use.Use{User: "dan", What: "s", At: now})
	for _, u := range []string{"bea", "eve", "kay", "ann"} { // who hold nothing of it, or only what nobody asks about
		d.Uses.Note(use.Use{User: u, What: "s", At: now.AddDate(2, 0, 0)})
	}
	if err := d.KeepUses(); err != nil {
		t.Fatal(err)
	}
	made := must[*review.Series](t)(d.MakeSeries(kay, returning(first)))
	if len(made.Next) != 6 || !made.Next[0].Equal(first) || !made.May || made.Owner.ID != "kay" {
		t.Errorf("made: %+v", made)
	}
	var opened []string
	work := func() {
		t.Helper()
		for _, server := range []*rooms.Desk{d, other, d} {
			if err := errors.Join(server.Follow(), server.KeepUses(), server.SeriesDue()); err != nil {
				t.Fatal(err)
			}
		}
	}
	for day := range 365 {
		*clock = now.AddDate(0, 0, day)
		if day < 170 { // dan goes on using it, and then no longer
			d.Uses.Note(use.Use{User: "dan", What: "s", At: *clock})
		}
		work()
		for _, r := range must[[]store.Round](t)(s.Rounds(0)) {
			if r.Opened != nil && r.Opened.Equal(*clock) {
				opened = append(opened, fmt.Sprintf("%d: %s", day, strings.Join(askedIn(t, s, r.Review), ", ")))
				if day == 100 { // Ann decides one of the two
					item := must[[]store.ReviewItem](t)(s.ReviewItems(r.Review, ""))[0].ID
					must[*review.ReviewItem](t)(d.Decide(ann, item, "keep", "needed"))
				}
			}
		}
		switch day {
		case 109, 110: // half of the time: what is undecided goes to the fallback
			want := map[int]string{109: "cy night by ann", 110: "cy night by bea"}[day]
			if items := askedIn(t, s, 1); !slices.Equal(items, []string{"cy clerk by ann keep", want}) {
				t.Errorf("on day %d the items are %q", day, items)
			}
		case 119, 120:
			if _, held := d.Design().Assignments.Find("cy-night"); held != (day == 119) {
				t.Errorf("on day %d cy has nights by hand: %v", day, held)
			}
		}
	}
	if want := []string{
		"100: cy clerk by ann, cy night by ann", "192: cy clerk by ann", "283: cy clerk by ann, dan night by ann",
	}; !slices.Equal(opened, want) {
		t.Errorf("opened were %q, want %q", opened, want)
	}
	var rounds []string
	for _, r := range must[*review.Series](t)(d.OneSeries(kay, made.ID)).Rounds {
		rounds = append(rounds,
			fmt.Sprintf("found %d, of %d kept %d, revoked %d, have %d; late %v, closed %s", r.Found, r.Items,
				r.Kept, r.Revoked, r.CameBack, r.Late, r.Closed.Sub(*r.Opened)))
	}
	if want := []string{
		"found 2, of 2 kept 0, revoked 2, have 1; late false, closed 480h0m0s", // the crew still gives cy the one
		"found 1, of 1 kept 0, revoked 1, have 1; late false, closed 480h0m0s",
		"found 1, of 2 kept 1, revoked 1, have 0; late false, closed 480h0m0s",
	}; !slices.Equal(rounds, want) {
		t.Errorf("the rounds are\n%s\nwant\n%s", strings.Join(rounds, "\n"), strings.Join(want, "\n"))
	}
	list := must[[]store.Revision](t)(s.Revisions(store.Search{}, 0, 10))
	if !strings.Contains(list[0].Why, "closed by itself") || list[0].Number != 3 {
		t.Errorf("the record says %+v", list[0])
	}

	// A clock set back, a pause and a new start do nothing again.
	*clock = now.AddDate(0, 0, 101)
	work()
	d = must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return *clock }))
	*clock = now.AddDate(0, 0, 370)
	must[*review.Series](t)(d.AlterSeries(kay, made.ID, review.Altered{Does: "pause"}))
	*clock = now.AddDate(0, 0, 400)
	work()
	if n := len(must[[]store.Round](t)(s.Rounds(0))); n != 3 {
		t.Errorf("there are %d rounds", n)
	}
	resumed := must[*review.Series](t)(d.AlterSeries(kay, made.ID, review.Altered{Does: "resume"}))
	if !resumed.Next[0].Equal(first.AddDate(1, 0, 0)) && !resumed.Next[0].Equal(first.AddDate(0, 12, 0)) {
		t.Errorf("after the pause the next round opens %s", resumed.Next[0])
	}
	// A server that was down opens the last round that is due, once, and says that it is late.
	*clock = first.AddDate(0, 19, 0)
	work()
	var states []string
	shown := must[*review.Series](t)(d.OneSeries(kay, made.ID)).Rounds
	if len(shown) != 6 { // but none of the pause
		t.Errorf("there are %d rounds, want 6", len(shown))
	}
	for _, r := range shown[:3] {
		states = append(states, fmt.Sprintf("late %v missed %v opened %v", r.Late, r.Missed, r.Opened != nil))
	}
	if want := []string{
		"late true missed false opened true", "late false missed true opened false", "late false missed true opened false",
	}; !slices.Equal(states, want) {
		t.Errorf("after a long time the rounds are %q", states)
	}
}

// A series goes on by the right that whose it is has now: without it nothing opens or closes, who is concerned is told,
// and somebody with the right takes it over. Whoever decided all of a round alone does not have it close by itself.
func TestASeriesIsByTheRightOfNow(t *testing.T) {
	d, s, clock := clocked(t)
	n := returning(now.AddDate(0, 0, 1))
	n.Discover, n.Escalate = nil, 0
	n.Review.By, n.Review.Person = "person", "kay"
	made := must[*review.Series](t)(d.MakeSeries(kay, n))
	step := func(days int) string {
		t.Helper()
		*clock = clock.AddDate(0, 0, days)
		if err := d.SeriesDue(); err != nil {
			t.Fatal(err)
		}
		return must[*review.Series](t)(d.OneSeries(bea, made.ID)).Trouble
	}
	if trouble := step(1); trouble != "" {
		t.Errorf("it cannot open: %s", trouble)
	}
	for _, i := range must[[]store.ReviewItem](t)(s.ReviewItems(1, "")) {
		must[*review.ReviewItem](t)(d.Decide(kay, i.ID, "revoke", "away"))
	}
	if trouble := step(20); !strings.Contains(trouble, "made every decision alone") {
		t.Errorf("all was decided alone: %q", trouble)
	}
	if len(d.Design().Assignments) != 6 {
		t.Error("what one person decided alone was carried out by itself")
	}
	put(t, d, altered(d, model.KindAssignment, "keeper", func(a *model.Assignment) { a.Until = *clock }))
	if trouble := step(80); !strings.Contains(trouble, "cannot be opened") {
		t.Errorf("who may run no reviews any longer opens one: %q", trouble)
	}
	if n := len(must[[]store.Review](t)(s.Reviews())); n != 1 {
		t.Errorf("there are %d reviews", n)
	}
	_, err := d.AlterSeries(kay, made.ID, review.Altered{Does: "take-over"})
	refused(t, err, desk.NotAllowed, "Run reviews")
	must[*review.Series](t)(d.AlterSeries(bea, made.ID, review.Altered{Does: "take-over"}))
	if trouble := step(0); strings.Contains(trouble, "cannot be opened") {
		t.Errorf("taken over, it cannot open: %s", trouble)
	}
	if list := must[[]store.Review](t)(s.Reviews()); len(list) != 2 || list[0].Opener != "bea" {
		t.Errorf("the reviews are %+v", list)
	}
	_, err = d.OneSeries(cy, made.ID)
	refused(t, err, desk.NotFound, "There is no series")
	_, err = d.MakeSeries(cy, n)
	refused(t, err, desk.NotAllowed, "Run reviews")
	for why, spoil := range map[string]func(n *review.NewSeries){
		"recurrence rule":   func(n *review.NewSeries) { n.Rule = "each month" },
		"once a day":        func(n *review.NewSeries) { n.Rule = "FREQ=HOURLY" },
		"would ever open":   func(n *review.NewSeries) { n.Rule = "FREQ=DAILY;UNTIL=20200101T000000Z" },
		"which system":      func(n *review.NewSeries) { n.Review.System, n.Discover = "", &review.Discovery{Days: 9} },
		"name a fallback":   func(n *review.NewSeries) { n.Review.Fallback, n.Escalate = "", 50 },
		"what is asked":     func(n *review.NewSeries) { n.Review.System = "" },
		"first round opens": func(n *review.NewSeries) { n.From = "soon" },
		"which person":      func(n *review.NewSeries) { n.Review.Person = "nobody" },
		"cannot be read":    func(n *review.NewSeries) { n.Review.Filter = "title is x" },
		`no system "none"`:  func(n *review.NewSeries) { n.Review.System = "none" },
	} {
		wrong := n
		spoil(&wrong)
		_, err := d.MakeSeries(bea, wrong)
		if err == nil || !strings.Contains(strings.ToLower(err.Error()), strings.ToLower(why)) {
			t.Errorf("want %q, is %v", why, err)
		}
	}
}

// A discovery finds who has not used the system, those first who never did, at most so many; not who was given it
// lately, nor who came lately.
func TestWhomADiscoveryFinds(t *testing.T) {
	d, _, clock := clocked(t)
	n := returning(now.AddDate(1, 0, 0))
	found := func() (out []string) {
		t.Helper()
		trial := must[*review.SeriesTrial](t)(d.TrySeries(kay, n))
		for _, f := range trial.Found {
			out = append(out, f.User.ID)
		}
		if len(out) != trial.People || trial.Preview.People != len(out) {
			t.Errorf("of %q are told %d, and asked about %d", out, trial.People, trial.Preview.People)
		}
		return out
	}
	*clock = now.AddDate(0, 0, 100)
	if got := found(); got != nil {
		t.Errorf("nothing is known of any use, and found are %q", got)
	}
	d.Uses.Note(use.Use{User: "dan", What: "s", At: now})
	put(t, d, &model.Assignment{ID: "eve-night", Subject: model.Subject{User: "eve"}, Role: "night"},
		&model.User{ID: "ivy", UserName: "ivy", DisplayName: "Ivy"},
		&model.Assignment{ID: "ivy-night", Subject: model.Subject{User: "ivy"}, Role: "night"})
	if got := found(); !slices.Equal(got, []string{"cy", "dan"}) {
		t.Errorf("found are %q", got)
	}
	n.Discover.Most = 1
	if got := found(); !slices.Equal(got, []string{"cy"}) {
		t.Errorf("at most one: %q", got)
	}
	n.Discover.Most = 0
	*clock = clock.AddDate(0, 0, 91)
	if got := found(); !slices.Equal(got, []string{"cy", "eve", "ivy", "dan"}) {
		t.Errorf("later, found are %q", got)
	}
}

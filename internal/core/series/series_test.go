package series_test

import (
	"slices"
	"strings"
	"testing"
	"time"
	_ "time/tzdata"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/series"
	"fachwerk/internal/core/use"
)

// Rounds open at the same time of day by the clock on the wall, whatever daylight saving does; on days that a month has
// not, none opens.
func TestWhenRoundsOpen(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	from := time.Date(2026, 12, 19, 8, 0, 0, 0, zone)
	for rule, want := range map[string]string{
		"FREQ=MONTHLY;INTERVAL=3":             "2026-12-19T07:00 2027-03-19T07:00 2027-06-19T06:00 2027-09-19T06:00",
		"RRULE:FREQ=YEARLY;COUNT=2":           "2026-12-19T07:00 2027-12-19T07:00",
		"FREQ=MONTHLY;BYMONTHDAY=31":          "2026-12-31T07:00 2027-01-31T07:00 2027-03-31T06:00 2027-05-31T06:00",
		"FREQ=MONTHLY;BYDAY=1MO":              "2027-01-04T07:00 2027-02-01T07:00 2027-03-01T07:00 2027-04-05T06:00",
		"FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29": "2028-02-29T07:00 2032-02-29T07:00 2036-02-29T07:00 2040-02-29T07:00",
		"FREQ=WEEKLY;UNTIL=20261227T000000":   "2026-12-19T07:00 2026-12-26T07:00",
	} {
		r, err := series.Parse(rule, from, zone)
		if err != nil {
			t.Errorf("%s: %v", rule, err)
			continue
		}
		var got []string
		for _, at := range r.Next(from.Add(-time.Second), 4) {
			got = append(got, at.Format("2006-01-02T15:04"))
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s opens %s, want %s", rule, got, want)
		}
		first := r.Next(from.Add(-time.Second), 1)[0]
		if in := r.Within(first, first, 9); len(in) != 0 {
			t.Errorf("%s: after an opening and up to it lies %v", rule, in)
		}
		if in := r.Within(first.Add(-time.Second), first, 9); len(in) != 1 {
			t.Errorf("%s: up to an opening lies %v", rule, in)
		}
	}
	for rule, why := range map[string]string{
		"": "no recurrence rule", "every month": "no recurrence rule", "FREQ=HOURLY": "once a day",
		"FREQ=SECONDLY":         "once a day",
		"FREQ=DAILY;BYHOUR=1,2": "once a day", "DTSTART:20200101T000000Z\nRRULE:FREQ=DAILY": "the rule alone",
	} {
		if _, err := series.Parse(rule, from, zone); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%q: %v, want %q", rule, err, why)
		}
	}
}

// Idle is who holds something of a system, is live, and has not used it; nobody, where no use of it is known.
func TestWhoIsIdle(t *testing.T) {
	now := time.Date(2026, 12, 18, 8, 0, 0, 0, time.UTC)
	given := func(user string) *model.Assignment {
		return &model.Assignment{ID: user, Subject: model.Subject{User: user}, Set: "see"}
	}
	d := model.Build(&model.Design{
		Organisation: &model.Organisation{Name: "Small"},
		Systems: model.Table[*model.System]{{ID: "s", Name: "S",
			Permissions: []*model.Permission{{Key: "s:gate:view"}}}},
		Sets: model.Table[*model.Set]{{ID: "see", Name: "See", Permissions: []string{"s:gate:view"}}},
		Users: model.Table[*model.User]{
			{ID: "ann", UserName: "ann", DisplayName: "Ann"}, {ID: "bea", UserName: "bea", DisplayName: "Bea"},
			{ID: "cy", UserName: "cy", DisplayName: "Cy"}, {ID: "dan", UserName: "dan", DisplayName: "Dan"},
			{ID: "lou", UserName: "lou", DisplayName: "Lou", State: model.UserLocked},
		},
		Assignments: model.Table[*model.Assignment]{given("ann"), given("bea"), given("cy"), given("lou")},
	})
	x, uses := index.Compile(d), use.NewBook()
	if got := series.Idle(x, uses, "s", 90, now); got != nil {
		t.Errorf("nothing is known of any use, and idle are %v", got)
	}
	uses.Note(
		use.Use{User: "ann", What: "s", At: now.AddDate(0, 0, -90)},
		use.Use{User: "bea", What: "s", At: now.AddDate(0, 0, -91)},
		use.Use{User: "dan", What: "s", At: now.AddDate(-1, 0, 0)},
		use.Use{User: "lou", What: "s", At: now.AddDate(-1, 0, 0)},
	)
	want := []series.Found{{User: "cy"}, {User: "bea", Last: now.AddDate(0, 0, -91)}}
	if got := series.Idle(x, uses, "s", 90, now); !slices.Equal(got, want) {
		t.Errorf("idle are %v, want %v", got, want)
	}
	if got := series.Idle(x, uses, "none", 90, now); got != nil {
		t.Errorf("of no system, idle are %v", got)
	}
}

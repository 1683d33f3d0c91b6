package review

import (
	"testing"
	"time"

	"fachwerk/internal/store"
)

// Reviewers are written to at half time, three days before the end, and every second day from then on; never twice for
// one reason.
func TestWhenReviewersAreReminded(t *testing.T) {
	opened := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	day := func(n int) time.Time { return opened.AddDate(0, 0, n) }
	for _, c := range []struct {
		length, reminded, now int // in days from the opening; reminded 0: not yet
		want                  bool
	}{
		{20, 0, 1, false},
		{20, 0, 9, false},
		{20, 0, 10, true}, // half time
		{20, 10, 11, false},
		{20, 0, 16, true}, // the half was missed, and is made up for
		{20, 10, 16, false},
		{20, 10, 17, true}, // three days before
		{20, 17, 18, false},
		{20, 17, 19, true},
		{20, 19, 21, true}, // late
		{2, 0, 1, false},   // a short one: they were written to as it was opened
		{2, 0, 2, true},
	} {
		r := store.Review{Opened: opened, Due: day(c.length)}
		if at := day(c.reminded); c.reminded > 0 {
			r.Reminded = &at
		}
		if got := reminds(r, day(c.now)); got != c.want {
			t.Errorf("of %d days, reminded on day %d: on day %d %t, want %t", c.length, c.reminded, c.now, got, c.want)
		}
	}
}

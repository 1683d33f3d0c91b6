// Package series is reviews that return by themselves (docs/semantics.md, §14): when their rounds open, and whom the
// discovery before each finds.
package series

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/teambition/rrule-go"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/use"
)

// Recurrence says when rounds open: a rule (RFC 5545, §3.3.10) from a first day, in a time zone.
type Recurrence struct{ set *rrule.Set }

// Parse reads a recurrence rule like FREQ=MONTHLY;INTERVAL=3. From is when the first round may open; its time of day,
// in the zone, is that of all. Rules that return within a day, or bring their own begin, are refused.
func Parse(rule string, from time.Time, zone *time.Location) (*Recurrence, error) {
	rule = strings.TrimSpace(rule)
	if strings.ContainsAny(rule, "\r\n") || strings.Contains(strings.ToUpper(rule), "DTSTART") {
		return nil, errors.New("give the rule alone, like FREQ=MONTHLY;INTERVAL=3, and its first day apart")
	}
	o, err := rrule.StrToROptionInLocation(strings.TrimPrefix(rule, "RRULE:"), zone)
	switch {
	case err != nil:
		return nil, fmt.Errorf("%q is no recurrence rule (RFC 5545, §3.3.10): %w", rule, err)
	case o.Freq > rrule.DAILY || len(o.Byhour)+len(o.Byminute)+len(o.Bysecond) > 0:
		return nil, errors.New("a review returns once a day at most: use FREQ=DAILY, WEEKLY, MONTHLY or YEARLY")
	}
	o.Dtstart = from.In(zone)
	if most := o.Dtstart.AddDate(yearsMost, 0, 0); o.Until.IsZero() || o.Until.After(most) {
		o.Until = most // a rule that no day fits is not looked for until the end of the calendar
	}
	r, err := rrule.NewRRule(*o)
	if err != nil {
		return nil, fmt.Errorf("%q is no recurrence rule (RFC 5545, §3.3.10): %w", rule, err)
	}
	set := &rrule.Set{}
	set.RRule(r)
	return &Recurrence{set}, nil
}

// yearsMost is for how many years a series returns.
const yearsMost = 50

// Next gives the first openings after an instant, at most so many; fewer if the rule ends.
func (r *Recurrence) Next(after time.Time, most int) []time.Time {
	out := []time.Time{}
	for len(out) < most {
		t := r.set.After(after, false)
		if t.IsZero() {
			break
		}
		out = append(out, t.UTC())
		after = t
	}
	return out
}

// Within gives the openings after one instant and up to another, the last so many.
func (r *Recurrence) Within(after, to time.Time, most int) []time.Time {
	var out []time.Time
	for _, t := range r.set.Between(after, to, true) {
		if t.After(after) {
			out = append(out, t.UTC())
		}
	}
	return out[max(0, len(out)-most):]
}

// Found is somebody whom a discovery found, with what it found.
type Found struct {
	User string    `json:"user"`
	Last time.Time `json:"last,omitzero"` // when they last used the system; zero: never
}

// Idle gives the live people who hold something of a system at t and have not used it for so many days, those who never
// did first, then by how long ago. Where no use of the system is known at all, nobody is said not to use it. They are
// dormant (docs/semantics.md, §11) unless they were given what they hold within these days.
func Idle(x *index.Index, uses *use.Book, system string, days int, t time.Time) (out []Found) {
	if !uses.Known(system) {
		return nil
	}
	o, ok := x.Design().Systems.Find(system)
	if !ok {
		return nil
	}
	var keys []string
	for _, p := range o.Permissions {
		keys = append(keys, p.Key)
	}
	limit := t.AddDate(0, 0, -days)
	for _, u := range x.WhoHolds(index.Some{Keys: keys}, t) {
		if last, known := uses.Last(u, system); !known || last.Before(limit) {
			out = append(out, Found{u, last})
		}
	}
	slices.SortStableFunc(out, func(a, b Found) int { return a.Last.Compare(b.Last) })
	return out
}

package survey

import (
	"errors"
	"slices"
	"time"

	"fachwerk/internal/core/finding"
	"fachwerk/internal/desk"
)

// trendWeeks is of how many weeks past a trend tells.
const trendWeeks = 12

// countedBack is up to how many people weeks are counted that were over before anybody counted: each takes a design of
// its own.
const countedBack = 50_000

// weekEnds gives the last days of the weeks that ended before an instant, Sundays, the oldest first.
func weekEnds(at time.Time, zone *time.Location) (out []time.Time) {
	y, m, day := at.In(zone).Date()
	last := time.Date(y, m, day, 0, 0, 0, 0, zone)
	for last = last.AddDate(0, 0, -1); last.Weekday() != time.Sunday; last = last.AddDate(0, 0, -1) {
	}
	for i := range trendWeeks {
		out = append(out, last.AddDate(0, 0, 7*(i-trendWeeks+1)))
	}
	return out
}

// CountFindings keeps how many findings there were at the end of each of the weeks past, as far as that is not kept
// yet and the record goes back to it. It is meant to be called now and again.
func (d *Surveyor) CountFindings() error {
	weeks := weekEnds(d.Now(), d.Zone())
	if len(d.Present().Design().Users) > countedBack {
		weeks = weeks[trendWeeks-1:]
	}
	kept, err := d.Store.FindingCounts(named(weeks))
	if err != nil {
		return err
	}
	for _, week := range weeks {
		day := week.Format(time.DateOnly)
		if kept[day] != nil {
			continue
		}
		counts, err := d.countsAt(week.AddDate(0, 0, 1))
		if refused := (*desk.Error)(nil); errors.As(err, &refused) && refused.Cause == desk.NotFound {
			continue // the record begins later
		}
		if err == nil {
			err = d.Store.CountFindings(day, counts)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// countsAt counts what was loose at an instant past, without what was set aside then.
func (d *Surveyor) countsAt(at time.Time) (map[string]int, error) {
	past, err := d.Past.At(d.Desk, at)
	if err != nil {
		return nil, err
	}
	f, err := d.facts(past, at)
	if err != nil {
		return nil, err
	}
	asides, err := d.Store.Asides(at)
	if err != nil {
		return nil, err
	}
	counts := map[string]int{}
	for _, found := range finding.All(past.Ahead(), f, at) {
		if _, aside := asides[found.ID()]; !aside {
			counts[string(found.Kind)]++
		}
	}
	return counts, nil
}

// trend fills in how many findings there were at the ends of the weeks past that are kept.
func (d *Surveyor) trend(who desk.Actor, s *desk.Sight, v *Findings) error {
	days := named(weekEnds(s.At, d.Zone()))
	kept, err := d.Reading(who).FindingCounts(days)
	if err != nil {
		return err
	}
	days = slices.DeleteFunc(days, func(day string) bool { return kept[day] == nil })
	v.Weeks = days
	for i := range v.Kinds {
		for _, day := range days {
			v.Kinds[i].Weeks = append(v.Kinds[i].Weeks, kept[day][v.Kinds[i].Kind])
		}
	}
	return nil
}

func named(days []time.Time) (out []string) {
	for _, d := range days {
		out = append(out, d.Format(time.DateOnly))
	}
	return out
}

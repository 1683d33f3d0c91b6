package model_test

import (
	"testing"
	"time"

	"fachwerk/internal/core/model"
)

// An end names the last day that is still in, where the organisation is; an end within a day names the instant.
func TestEndsNameTheLastDay(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	defer func(was *time.Location) { model.Zone = was }(model.Zone)
	for _, c := range []struct {
		zone             *time.Location
		at               string
		day, last, until string
	}{
		{time.UTC, "2027-01-01T00:00:00Z", "1 January 2027", "31 December 2026", "the end of 31 December 2026"},
		{time.UTC, "2027-01-01T08:30:00Z", "1 January 2027 08:30", "1 January 2027 08:30", "1 January 2027 08:30"},
		{oslo, "2026-12-31T23:00:00Z", "1 January 2027", "31 December 2026", "the end of 31 December 2026"},
		{oslo, "2027-01-01T00:00:00Z", "1 January 2027 01:00", "1 January 2027 01:00", "1 January 2027 01:00"},
		{oslo, "2026-06-30T22:00:00Z", "1 July 2026", "30 June 2026", "the end of 30 June 2026"},
	} {
		model.Zone = c.zone
		at, err := time.Parse(time.RFC3339, c.at)
		if err != nil {
			t.Fatal(err)
		}
		if day, last, until := model.Day(at), model.LastDay(at), model.Until(at); day != c.day || last != c.last ||
			until != c.until {
			t.Errorf("%s in %s is told as %q, %q and %q", c.at, c.zone, day, last, until)
		}
	}
}

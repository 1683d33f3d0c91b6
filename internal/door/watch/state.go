package watch

import (
	"log/slog"

	"github.com/prometheus/client_golang/prometheus"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/store"
)

// state tells what there is when it is asked.
type state struct {
	desk  *rooms.Desk
	store *store.Store
}

var (
	objects = prometheus.NewDesc("fachwerk_design_objects",
		"Objects of the design that decisions are made by.", []string{"kind"}, nil)
	revision = prometheus.NewDesc("fachwerk_revision", "The revision that decisions are made by.", nil, nil)
	applied  = prometheus.NewDesc("fachwerk_revision_applied_timestamp_seconds",
		"When that revision was applied, in seconds since 1970.", nil, nil)
	ready = prometheus.NewDesc("fachwerk_ready",
		"1 if what is asked for can be read and recorded, as /readyz tells; else 0.", nil, nil)
	waiting = prometheus.NewDesc("fachwerk_work_waiting", "What waits: letters to be sent; items of open reviews to be "+
		"decided, and those of them that are overdue; tasks of closed reviews to be settled.", []string{"what"}, nil)
)

// Describe is part of [prometheus.Collector].
func (s *state) Describe(to chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{objects, revision, applied, ready, waiting} {
		to <- d
	}
}

// Collect is part of [prometheus.Collector].
func (s *state) Collect(to chan<- prometheus.Metric) {
	gauge := func(d *prometheus.Desc, value float64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, value, labels...)
	}
	h := s.desk.Present()
	for _, kind := range model.Kinds {
		if kind != model.KindOrganisation {
			gauge(objects, float64(h.Design().Count(kind)), string(kind))
		}
	}
	gauge(revision, float64(h.Revision))
	if !h.At.IsZero() {
		gauge(applied, float64(h.At.Unix()))
	}
	up := 1.0
	if s.store.Ready() != nil {
		up = 0
	}
	gauge(ready, up)
	w, err := s.store.Backlog(s.desk.Now())
	if err != nil {
		slog.Error("what waits cannot be counted", "error", err)
		return
	}
	for what, n := range map[string]int{
		"letters": w.Letters, "review-items": w.Items, "overdue-review-items": w.Overdue, "tasks": w.Tasks,
	} {
		gauge(waiting, float64(n), what)
	}
}

// Package watch tells whoever runs the server what goes on in it: a line in the log for each request, and measures as
// Prometheus reads them (docs/operating.md lists both).
package watch

import (
	"cmp"
	"log/slog"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/store"
)

// Watch counts what goes on in one server.
type Watch struct {
	registry  *prometheus.Registry
	requests  *prometheus.CounterVec
	seconds   *prometheus.HistogramVec
	decisions *prometheus.CounterVec
	refusals  *prometheus.CounterVec
	letters   *prometheus.CounterVec
	events    *prometheus.CounterVec
	sound     *prometheus.GaugeVec
}

// New makes a watch over a desk and its store. It is told of security events from then on.
func New(d *rooms.Desk, s *store.Store, version string) *Watch {
	counter := func(name, help string, labels ...string) *prometheus.CounterVec {
		return prometheus.NewCounterVec(prometheus.CounterOpts{Name: name, Help: help}, labels)
	}
	w := &Watch{
		registry: prometheus.NewRegistry(),
		requests: counter("fachwerk_http_requests_total", "Requests answered.", "route", "method", "status"),
		seconds: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name:    "fachwerk_http_request_seconds",
			Help:    "How long requests took to be answered.",
			Buckets: []float64{0.001, 0.003, 0.01, 0.03, 0.1, 0.3, 1, 3, 10},
		}, []string{"route"}),
		decisions: counter("fachwerk_decisions_total", "Access decisions made for programs.", "decision"),
		refusals:  counter("fachwerk_refusals_total", "Requests refused or failed, by code (docs/refusals.md).", "code"),
		letters:   counter("fachwerk_letters_total", "Letters that were tried, by what became of them.", "state"),
		events:    counter("fachwerk_security_events_total", "What the security log is told, by kind.", "what"),
		sound: prometheus.NewGaugeVec(prometheus.GaugeOpts{
			Name: "fachwerk_record_sound",
			Help: "1 if the database was whole and its chains unbroken when they were last proven, else 0.",
		}, nil),
	}
	built := prometheus.NewGauge(prometheus.GaugeOpts{
		Name: "fachwerk_build_info", Help: "Always 1; its label is the version.",
		ConstLabels: prometheus.Labels{"version": version},
	})
	built.Set(1)
	w.registry.MustRegister(
		w.requests, w.seconds, w.decisions, w.refusals, w.letters, w.events, w.sound, built, &state{d, s},
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
	)
	// What has not happened yet is 0 and not absent: alerts can be written against it.
	for _, decision := range []string{"allowed", "denied"} {
		w.decisions.WithLabelValues(decision)
	}
	for _, what := range desk.EventKinds {
		w.events.WithLabelValues(what)
	}
	for _, state := range []string{store.LetterSent, store.LetterWaits, store.LetterReturned, store.LetterGivenUp} {
		w.letters.WithLabelValues(state)
	}
	d.Watched = func(e desk.Event) { w.events.WithLabelValues(e.What).Inc() }
	return w
}

// Handler answers with the measures, in the text format of Prometheus.
func (w *Watch) Handler() http.Handler {
	return promhttp.HandlerFor(w.registry, promhttp.HandlerOpts{
		ErrorLog: slog.NewLogLogger(slog.Default().Handler(), slog.LevelError),
	})
}

// Letter counts a letter that was tried, by what became of it.
func (w *Watch) Letter(state string) { w.letters.WithLabelValues(state).Inc() }

// Proven takes in whether the database was found sound. Until then, that is not measured.
func (w *Watch) Proven(sound bool) {
	value := 0.0
	if sound {
		value = 1
	}
	w.sound.WithLabelValues().Set(value)
}

// Requests counts requests and logs each, within [inner.Numbered]. The log has their route and not their address, which
// can hold a link's secret or somebody's name.
func (w *Watch) Requests(next http.Handler) http.Handler {
	return http.HandlerFunc(func(to http.ResponseWriter, r *http.Request) {
		began := time.Now()
		ctx, outcome := r.Context(), inner.OutcomeOf(r.Context())
		written := middleware.NewWrapResponseWriter(to, r.ProtoMajor)
		next.ServeHTTP(written, r)
		took, status, route := time.Since(began), cmp.Or(written.Status(), http.StatusOK), routeOf(r)
		w.requests.WithLabelValues(route, methodOf(r), strconv.Itoa(status)).Inc()
		if !slices.Contains(endless, route) {
			w.seconds.WithLabelValues(route).Observe(took.Seconds())
		}
		if outcome.Allowed > 0 {
			w.decisions.WithLabelValues("allowed").Add(float64(outcome.Allowed))
		}
		if outcome.Denied > 0 {
			w.decisions.WithLabelValues("denied").Add(float64(outcome.Denied))
		}
		if status >= 400 {
			w.refusals.WithLabelValues(cmp.Or(string(outcome.Code), strconv.Itoa(status))).Inc()
		}
		level := levelOf(route, status)
		if log := slog.Default(); log.Enabled(ctx, level) {
			args := []any{
				"method", methodOf(r), "route", route, "status", status, "bytes", written.BytesWritten(),
				"ms", float64(took.Microseconds()) / 1000, "request", middleware.GetReqID(ctx),
			}
			if outcome.Code != "" {
				args = append(args, "code", outcome.Code)
			}
			log.Log(ctx, level, "request", args...)
		}
	})
}

// endless are the routes that are answered for as long as somebody listens.
var endless = []string{"/api/revisions/events", "/copies/v1/feed"}

// pages is the route of the application's page and its files.
const pages = "page"

// routeOf gives the pattern that a request was answered by, of which there are a known number.
func routeOf(r *http.Request) string {
	if c := chi.RouteContext(r.Context()); c != nil {
		if p := c.RoutePattern(); p != "" && p != "/*" {
			return p
		}
	}
	return pages
}

// methodOf gives the method of a request; whatever is no usual one is told as one, since anybody can make some up.
func methodOf(r *http.Request) string {
	if slices.Contains(methods, r.Method) {
		return r.Method
	}
	return "other"
}

var methods = []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"}

// levelOf tells how important it is that a request was answered. Programs ask for decisions and probes by the thousand.
func levelOf(route string, status int) slog.Level {
	switch {
	case status >= 500:
		return slog.LevelWarn
	case route == pages,
		len(route) > 8 && route[:8] == "/access/",
		route == "/livez",
		route == "/readyz",
		route == "/healthz":
		return slog.LevelDebug
	}
	return slog.LevelInfo
}

// Package server puts all doors of a desk into one HTTP handler.
package server

import (
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"fachwerk/internal/core/code"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/api"
	"fachwerk/internal/door/authzen"
	"fachwerk/internal/door/copies"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/scim"
	"fachwerk/internal/door/watch"
	"fachwerk/internal/door/web"
	"fachwerk/internal/store"
)

// Version is the version of the program, as its interfaces tell it.
const Version = "0.1.0"

// shallow keeps JSON from being nested deeper than it may be, but for decisions, which see to it themselves: it takes
// time there.
func shallow(next http.Handler) http.Handler {
	looked := inner.Shallow(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/access/") {
			next.ServeHTTP(w, r)
			return
		}
		looked.ServeHTTP(w, r)
	})
}

// maxBody bounds what any request may send, in bytes, but for files that are brought in.
const maxBody = 8 << 20

// Server answers everything: the application, its API, the decision API, and that for directories.
type Server struct {
	http.Handler
	API   *api.API     // for its description
	Watch *watch.Watch // for its measures, which are served on an address of their own
}

// New makes the server of a desk. Under an outside address with a path, it is reached by that path, whether a proxy
// takes it off or not.
func New(d *rooms.Desk, s *store.Store, files fs.FS, outside inner.Outside) *Server {
	return build(d, s, files, outside, nil)
}

// NewCopy makes the server of a desk that is a copy of another server's: it answers from the design, and refuses all
// else. Its store holds nothing that is to be kept.
func NewCopy(d *rooms.Desk, s *store.Store, files fs.FS, outside inner.Outside, c *copies.Copy) *Server {
	return build(d, s, files, outside, c)
}

func build(d *rooms.Desk, s *store.Store, files fs.FS, outside inner.Outside, c *copies.Copy) *Server {
	r := chi.NewRouter()
	seen := watch.New(d, s, Version)
	r.Use(inner.Numbered, seen.Requests, outside.Addressed, outside.Headed, inner.Guard, timed, bounded,
		shallow, copies.Revisioned(d))
	if c != nil {
		r.Use(c.Guard)
	}
	r.Use(middleware.Compress(5), inner.Head(endless...))
	for _, first := range programs {
		r.HandleFunc(first, nowhere)
		r.HandleFunc(first+"/*", nowhere)
	}
	for _, p := range probes {
		r.HandleFunc(p+"/*", nowhere)
	}
	r.MethodNotAllowed(nowhere)
	r.Get("/livez", func(w http.ResponseWriter, _ *http.Request) { probed(w, nil, "") })
	ready := func(w http.ResponseWriter, _ *http.Request) {
		switch {
		case c == nil:
			probed(w, s.Ready(), "")
		case d.Revision() == 0:
			probed(w, errors.New("nothing has come from the first yet"), "")
		default:
			probed(w, nil, c.State())
		}
	}
	r.Get("/readyz", ready)
	r.Get("/healthz", ready)
	a := api.New(r, d, store.Sessions{Store: s}, outside, Version)
	authzen.Mount(r, d, outside)
	scim.Mount(r, d, outside, maxBody)
	copies.Mount(r, d, s)
	r.NotFound(web.Handler(files, outside.Path()).ServeHTTP)
	return &Server{below(outside.Path(), r), a, seen}
}

// below takes the path off under which the server is reached from outside.
func below(path string, next http.Handler) http.Handler {
	if path == "" {
		return next
	}
	taken := http.StripPrefix(path, next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == path:
			http.Redirect(w, r, path+"/", http.StatusPermanentRedirect)
		case strings.HasPrefix(r.URL.Path, path+"/"):
			taken.ServeHTTP(w, r)
		default:
			next.ServeHTTP(w, r)
		}
	})
}

// programs is how the addresses begin that are for programs: of these, an unknown one is not the application's page.
var programs = []string{
	"/api", "/access", "/scim", "/copies", "/.well-known", "/health", "/metrics", "/debug",
}

// probes are the addresses at which the server is watched.
var probes = []string{"/livez", "/readyz", "/healthz"}

// nowhere answers for an address that programs ask and that there is not, or not by that method.
func nowhere(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "application/problem+json")
	if allowed := strings.Join(inner.Allowed(r, programs...), ", "); allowed != "" {
		inner.OutcomeOf(r.Context()).Code = code.Method
		w.Header().Set("Allow", allowed)
		w.WriteHeader(http.StatusMethodNotAllowed)
		_, _ = fmt.Fprintf(w, `{"title":"Method Not Allowed","status":405,"code":%q,"detail":%q}`+"\n", code.Method,
			"This address does not understand "+r.Method+", but "+allowed+".")
		return
	}
	inner.OutcomeOf(r.Context()).Code = code.NotFound
	w.WriteHeader(http.StatusNotFound)
	_, _ = fmt.Fprintf(w, `{"title":"Not Found","status":404,"code":%q,"detail":%q}`+"\n", code.NotFound,
		"There is no such address; of the API, /api/openapi.json lists them all.")
}

// probed answers whoever watches the server: 200 and ok, with what more there is to say, or 503 and why not.
func probed(w http.ResponseWriter, why error, more string) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	if why != nil {
		w.WriteHeader(http.StatusServiceUnavailable)
		_, _ = fmt.Fprintln(w, why)
		return
	}
	_, _ = fmt.Fprintln(w, strings.TrimSuffix("ok: "+more, ": "))
}

// longest is how long an answer may take to be written, but for streams that do not end.
const longest = 10 * time.Minute

// endless are the addresses whose answers go on for as long as somebody listens.
var endless = []string{"/api/revisions/events", "/copies/v1/feed"}

// timed ends the writing of an answer that nobody reads.
func timed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !slices.Contains(endless, r.URL.Path) {
			_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(longest)) // tests' recorders have none
		}
		next.ServeHTTP(w, r)
	})
}

// bounded keeps requests from being larger than they may be.
func bounded(next http.Handler) http.Handler {
	most := func(bytes int64) http.Handler { return middleware.RequestSize(bytes)(next) }
	usual, larger := most(
		maxBody,
	), map[string]http.Handler{
		"/api/imports":       most(api.MaxImport),
		"/api/upgrades":      most(api.MaxCatalogue),
		"/api/draft/upgrade": most(api.MaxCatalogue),
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if h := larger[r.URL.Path]; h != nil && r.Method == http.MethodPost {
			h.ServeHTTP(w, r)
			return
		}
		usual.ServeHTTP(w, r)
	})
}

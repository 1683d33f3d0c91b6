// Package api is the application's own HTTP API under /api: what the interface uses, and programs that act for a person. It is described by
// OpenAPI 3.1 at /api/openapi.json; errors are problem details (RFC 9457).
package api

import (
	"context"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/httprate"

	"fachwerk/internal/desk"
)

// API serves the application's API of one desk.
type API struct {
	desk     *desk.Desk
	sessions *scs.SessionManager
	huma     huma.API
}

// sessionUser is the key of a session's user.
const sessionUser = "user"

// How long a browser stays signed in: over a working day, less if it is left alone.
const (
	sessionLife = 12 * time.Hour
	sessionIdle = 2 * time.Hour
)

// New makes the API and puts it on a router. Sessions are kept in sessions.
func New(r chi.Router, d *desk.Desk, sessions scs.Store, version string) *API {
	a := &API{desk: d, sessions: scs.New()}
	a.sessions.Store = sessions
	a.sessions.Lifetime, a.sessions.IdleTimeout = sessionLife, sessionIdle
	a.sessions.Cookie.Name = "fachwerk"
	a.sessions.Cookie.HttpOnly = true
	a.sessions.Cookie.SameSite = http.SameSiteLaxMode
	a.sessions.HashTokenInStore = true

	huma.DefaultArrayNullable = false // no list that the desk gives is ever null
	config := huma.DefaultConfig("Fachwerk", version)
	config.OpenAPIPath = "/api/openapi"
	config.DocsPath = ""
	config.SchemasPath = ""
	config.CreateHooks = nil
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"session": {Type: "apiKey", In: "cookie", Name: "fachwerk", Description: "The cookie that signing in sets."},
		"token":   {Type: "http", Scheme: "bearer", Description: "A token made with --for api; it acts as a named user."},
	}
	config.Security = []map[string][]string{{"session": {}}, {"token": {}}}
	r.Group(func(r chi.Router) {
		r.Use(http.NewCrossOriginProtection().Handler)
		r.Use(a.sessions.LoadAndSave)
		r.Use(limitSignIn)
		a.huma = humachi.New(r, config)
		a.register()
	})
	return a
}

// OpenAPI is the description of the API, as JSON.
func (a *API) OpenAPI() ([]byte, error) { return a.huma.OpenAPI().MarshalJSON() }

// limitSignIn slows down whoever guesses passwords: 20 tries a minute from one address.
func limitSignIn(next http.Handler) http.Handler {
	address := func(r *http.Request) (string, error) {
		host, _, err := net.SplitHostPort(r.RemoteAddr)
		return host, err
	}
	limited := httprate.LimitBy(20, time.Minute, address, httprate.WithLimitHandler(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusTooManyRequests)
		_, _ = w.Write([]byte(`{"title":"Too Many Requests","status":429,"detail":"Too many tries to sign in. Wait a minute, then try again."}`))
	}))(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost && (r.URL.Path == "/api/session" || strings.HasPrefix(r.URL.Path, "/api/welcome/")) {
			limited.ServeHTTP(w, r)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// failure makes an error of the desk a problem document.
func failure(err error) error {
	var e *desk.Error
	if !errors.As(err, &e) {
		slog.Error("request failed", "error", err)
		return huma.Error500InternalServerError("Something went wrong in Fachwerk; the log of the server says more. Nothing was changed.")
	}
	status := map[desk.Cause]int{desk.NotSignedIn: 401, desk.NotAllowed: 403, desk.NotFound: 404, desk.Invalid: 422, desk.Conflict: 409}[e.Cause]
	var details []error
	for _, p := range e.Problems {
		details = append(details, &huma.ErrorDetail{Message: p})
	}
	return huma.NewError(status, e.Message, details...)
}

// actorKey keeps who acts in a request's context.
type actorKey struct{}

func actor(ctx context.Context) desk.Actor {
	who, _ := ctx.Value(actorKey{}).(desk.Actor)
	return who
}

// identify finds who acts: the session's user, or the user that a token acts as.
func (a *API) identify(ctx huma.Context, next func(huma.Context)) {
	who := desk.Actor{}
	if text, ok := strings.CutPrefix(ctx.Header("Authorization"), "Bearer "); ok {
		if t, valid := a.desk.Program(text, "api"); valid {
			who.User = t.User
		}
	} else {
		who.User = a.sessions.GetString(ctx.Context(), sessionUser)
	}
	next(huma.WithValue(ctx, actorKey{}, who))
}

// body is a response that has only a body.
type body[T any] struct{ Body T }

// answer makes what the desk gives a response.
func answer[T any](v T, err error) (*body[T], error) {
	if err != nil {
		return nil, failure(err)
	}
	return &body[T]{v}, nil
}

// none is a response without a body.
type none struct{}

type operation struct {
	id, method, path, summary string
	public                    bool
}

// on registers one operation.
func on[I, O any](a *API, o operation, handler func(ctx context.Context, in *I) (*O, error)) {
	op := huma.Operation{OperationID: o.id, Method: o.method, Path: o.path, Summary: o.summary, Middlewares: huma.Middlewares{a.identify}}
	if o.public {
		op.Security = []map[string][]string{}
	}
	huma.Register(a.huma, op, handler)
}

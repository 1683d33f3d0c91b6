// Package scim is the door for directories: a SCIM 2.0 server (RFC 7644) over the people and groups of the design.
// Every request that changes something is one revision, by the name of the token that was shown.
package scim

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"mime"
	"net/http"
	"strconv"
	"strings"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/inner"

	"github.com/go-chi/chi/v5"

	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/scim"
)

// Root is where the server stands.
const Root = "/scim/v2"

type server struct {
	desk    *rooms.Desk
	outside inner.Outside
	maxBody int64
}

// Mount puts the server into a router. No request may be larger than maxBody bytes.
func Mount(r chi.Router, d *rooms.Desk, outside inner.Outside, maxBody int64) {
	s := &server{d, outside, maxBody}
	r.Route(Root, func(r chi.Router) {
		r.NotFound(func(w http.ResponseWriter, r *http.Request) {
			fail(w, r, &scim.Error{Status: http.StatusNotFound, Detail: "There is nothing at " + r.URL.Path + "."})
		})
		r.MethodNotAllowed(func(w http.ResponseWriter, r *http.Request) {
			allowed := strings.Join(inner.Allowed(r), ", ")
			w.Header().Set("Allow", allowed)
			fail(
				w,
				r,
				&scim.Error{
					Status: http.StatusMethodNotAllowed,
					Detail: r.Method + " is not understood at " + r.URL.Path + ", but " + allowed + ".",
				},
			)
		})
		r.Use(s.programsOnly, spoken)
		s.discovery(r)
		for _, k := range kinds {
			r.Get(k.Endpoint, s.list(k))
			r.Post(k.Endpoint, s.create(k))
			r.Post(k.Endpoint+"/.search", s.search(k))
			r.Get(k.Endpoint+"/{id}", s.get(k))
			r.Put(k.Endpoint+"/{id}", s.replace(k))
			r.Patch(k.Endpoint+"/{id}", s.patch(k))
			r.Delete(k.Endpoint+"/{id}", s.remove(k))
		}
		r.Get("/", s.list(anything))
		r.Post("/.search", s.search(anything))
		r.Post("/Bulk", s.bulk)
		me := func(w http.ResponseWriter, r *http.Request) {
			fail(
				w,
				r,
				&scim.Error{
					Status: http.StatusNotImplemented,
					Detail: "A token for directories stands for no person, so there is no /Me.",
				},
			)
		}
		r.HandleFunc("/Me", me)
		r.HandleFunc("/Me/*", me)
	})
}

// programsOnly lets in whoever shows a token for directories.
func (s *server) programsOnly(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if _, err := s.directory(r); err != nil {
			w.Header().Set("WWW-Authenticate", `Bearer realm="fachwerk scim"`)
			fail(
				w,
				r,
				&scim.Error{
					Status: http.StatusUnauthorized,
					Detail: account.Unheard(err, "scim"),
				},
			)
			return
		}
		if kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type")); r.ContentLength != 0 &&
			(err != nil || kind != "application/scim+json" && kind != "application/json") {
			fail(
				w,
				r,
				&scim.Error{
					Status: http.StatusUnsupportedMediaType,
					Detail: "Send application/scim+json or application/json.",
				},
			)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// spoken has answers in the media type that was asked for (RFC 7644 §3.1 and §8.1).
func spoken(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		accepted := strings.ToLower(r.Header.Get("Accept"))
		if strings.Contains(accepted, "application/json") && !strings.Contains(accepted, "application/scim+json") {
			w.Header().Set("Content-Type", "application/json")
		}
		next.ServeHTTP(w, r)
	})
}

// directory tells whose token a request shows.
func (s *server) directory(r *http.Request) (by directory.Speaker, err error) {
	scheme, text, _ := strings.Cut(r.Header.Get("Authorization"), " ")
	if !strings.EqualFold(scheme, "Bearer") {
		text = ""
	}
	t, err := s.desk.Program(strings.TrimSpace(text), "scim")
	return directory.Speaker{Name: t.Name, SignIns: t.SignIns}, err
}

// body reads what was sent.
func body(r *http.Request) ([]byte, error) {
	data, err := io.ReadAll(r.Body)
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		return nil, &scim.Error{
			Status: http.StatusRequestEntityTooLarge,
			Detail: "The request is larger than " + strconv.FormatInt(large.Limit, 10) + " bytes.",
		}
	case errors.As(err, new(*inner.TooDeep)):
		return nil, scim.Bad("invalidSyntax", "%s", err)
	case err != nil:
		return nil, scim.Bad("invalidSyntax", "the request ended early: %s", err)
	}
	return data, nil
}

// statusOf is how a desk's refusal is told to a directory.
func statusOf(e *desk.Error) *scim.Error {
	out := &scim.Error{
		Status: http.StatusBadRequest,
		Type:   "invalidValue",
		Detail: strings.Join(append([]string{e.Message}, e.Problems...), " "),
	}
	switch e.Cause {
	case desk.NotFound:
		out.Status, out.Type = http.StatusNotFound, ""
	case desk.Taken:
		out.Status, out.Type = http.StatusConflict, "uniqueness"
	case desk.Conflict:
		out.Status, out.Type = http.StatusConflict, ""
	case desk.NotSignedIn:
		out.Status, out.Type = http.StatusUnauthorized, ""
	case desk.NotAllowed:
		out.Status, out.Type = http.StatusForbidden, ""
	}
	return out
}

// explained is an error as a directory is told it.
func explained(ctx context.Context, err error) *scim.Error {
	var e *scim.Error
	var refused *desk.Error
	switch {
	case errors.As(err, &e):
		return e
	case errors.As(err, &refused):
		inner.OutcomeOf(ctx).Code = refused.Why()
		return statusOf(refused)
	}
	status, _, message := inner.Answer(ctx, err)
	return &scim.Error{Status: status, Detail: message}
}

func problem(e *scim.Error) map[string]any {
	m := map[string]any{"schemas": []string{scim.ErrorSchema}, "status": strconv.Itoa(e.Status), "detail": e.Detail}
	if e.Type != "" {
		m["scimType"] = e.Type
	}
	return m
}

func fail(w http.ResponseWriter, r *http.Request, err error) {
	e := explained(r.Context(), err)
	reply(w, e.Status, problem(e))
}

func reply(w http.ResponseWriter, status int, v any) {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err) // texts, flags and numbers only
	}
	if w.Header().Get("Content-Type") == "" {
		w.Header().Set("Content-Type", "application/scim+json")
	}
	w.WriteHeader(status)
	_, _ = w.Write(append(data, '\n'))
}

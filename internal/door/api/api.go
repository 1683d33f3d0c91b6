// Package api is the application's own HTTP API under /api: what the interface uses, and programs that act for a
// person. It is described by OpenAPI 3.1 at /api/openapi.json; errors are problem details (RFC 9457).
package api

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/later"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"fachwerk/internal/core/code"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// API serves the application's API of one desk.
type API struct {
	desk     *rooms.Desk
	sessions *scs.SessionManager
	outside  inner.Outside
	seenAs   sync.Map // when somebody was last told to look through the eyes of somebody
	later    *later.Answers
	atOnce   map[string]bool // what never goes on behind, by method and path
	huma     huma.API
}

// The keys of a session: its id, and when the password was last given.
const (
	sessionID     = "id"
	sessionProven = "proven"
)

// New makes the API and puts it on a router. Sessions are kept in sessions.
func New(r chi.Router, d *rooms.Desk, sessions scs.Store, outside inner.Outside, version string) *API {
	a := &API{
		desk: d, sessions: scs.New(), outside: outside,
		later: later.New(outside.Path() + pendingPath), atOnce: map[string]bool{},
	}
	a.sessions.Store = sessions
	a.sessions.Lifetime = d.SessionLife
	a.sessions.Cookie.Name = "fachwerk"
	a.sessions.Cookie.Path = outside.Path() + "/"
	switch a.sessions.Cookie.Secure = outside.TLS(); {
	case outside.TLS() && outside.Path() == "":
		a.sessions.Cookie.Name = "__Host-fachwerk" // no neighbouring host plants one (RFC 6265bis, §4.1.3.2)
	case outside.TLS():
		a.sessions.Cookie.Name = "__Secure-fachwerk" // a __Host- cookie has no path (RFC 6265bis, §4.1.3.1)
	}
	a.sessions.Cookie.HttpOnly = true
	a.sessions.Cookie.SameSite = http.SameSiteLaxMode
	a.sessions.HashTokenInStore = true

	huma.DefaultArrayNullable = false // no list that the desk gives is ever null
	config := huma.DefaultConfig("Fachwerk", version)
	config.OpenAPIPath = "/api/openapi"
	config.DocsPath = ""
	config.SchemasPath = ""
	config.CreateHooks = nil
	config.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", nameSchema)
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"session": {
			Type:        "apiKey",
			In:          "cookie",
			Name:        a.sessions.Cookie.Name,
			Description: "The cookie that signing in sets.",
		},
		"token": {
			Type:        "http",
			Scheme:      "bearer",
			Description: "A token made with --for api; it acts as a named user.",
		},
	}
	config.Components.Responses = refused(config.Components.Schemas)
	config.Info.Description = about
	config.Info.License = &huma.License{Name: "Apache 2.0", Identifier: "Apache-2.0"}
	config.Info.Contact = &huma.Contact{Name: "Whoever runs this server"}
	config.Servers = []*huma.Server{{URL: cmp.Or(outside.Path(), "/"), Description: "This server"}}
	for _, p := range parts {
		config.Tags = append(config.Tags, &huma.Tag{Name: p.name, Description: p.about})
	}
	config.Security = []map[string][]string{{"session": {}}, {"token": {}}}
	r.Group(func(r chi.Router) {
		r.Use(http.NewCrossOriginProtection().Handler)
		r.Use(a.later.Offer(func(method, path string) bool { return !a.atOnce[method+" "+path] }))
		r.Use(a.sessions.LoadAndSave)
		a.huma = humachi.New(r, config)
		a.register()
		word(a.huma.OpenAPI())
		exemplify(a.huma.OpenAPI())
	})
	return a
}

// nameSchema names the types of the description. Objects of the design, and what belongs to worklists, are named apart
// from what the desk tells otherwise; what belongs to requests and to who comes, moves or leaves is called so already.
func nameSchema(t reflect.Type, hint string) string {
	name := huma.DefaultSchemaNamer(t, hint)
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	if t.PkgPath() == reflect.TypeFor[model.Design]().PkgPath() {
		return "Design" + name
	}
	if strings.HasSuffix(t.PkgPath(), "/desk/people") && !strings.HasPrefix(t.Name(), "Request") &&
		!strings.HasPrefix(t.Name(), "Leav") && !strings.HasPrefix(t.Name(), "Peer") && !strings.HasPrefix(t.Name(), "Mov") &&
		t.Name() != "NewPost" || strings.HasSuffix(t.PkgPath(), "/core/worklist") {
		return "Worklist" + strings.TrimPrefix(name, "Worklist")
	}
	return name
}

// OpenAPI is the description of the API, as JSON.
func (a *API) OpenAPI() ([]byte, error) { return a.huma.OpenAPI().MarshalJSON() }

// Problem is a refusal as a program reads it (RFC 9457).
type Problem struct {
	huma.ErrorModel
	Code code.Code `json:"code" doc:"What is wrong, or why it was refused, for programs; docs/refusals.md lists the codes"`
}

// statusCodes are the codes of refusals that the description of the API makes by itself, by status.
var statusCodes = map[int]code.Code{
	http.StatusUnauthorized:        code.NotSignedIn,
	http.StatusForbidden:           code.NotAllowed,
	http.StatusNotFound:            code.NotFound,
	http.StatusConflict:            code.Conflict,
	statusGone:                     code.Given,
	http.StatusInternalServerError: code.Internal,
}

// newProblem makes the problem of a status, in place of what huma would.
func newProblem(status int, message string, details ...error) huma.StatusError {
	if large := (*http.MaxBytesError)(nil); errors.As(errors.Join(details...), &large) { // the bound on every request
		status, details = http.StatusRequestEntityTooLarge, nil
		message = fmt.Sprintf("request body is too large limit=%d bytes", large.Limit)
	}
	if deep := (*inner.TooDeep)(nil); errors.As(errors.Join(details...), &deep) {
		status, details, message = http.StatusBadRequest, nil, "The document is not read: "+deep.Error()+"."
	}
	p := &Problem{
		ErrorModel: huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: message},
		Code:       cmp.Or(statusCodes[status], code.Invalid),
	}
	for _, d := range details {
		if d != nil {
			p.Add(d)
		}
	}
	return p
}

func init() { huma.NewError = newProblem }

// failure makes an error of the desk a problem document.
func failure(ctx context.Context, err error) error {
	var e *desk.Error
	if errors.Is(err, context.Canceled) {
		return newProblem(statusGone, "It was stopped before it was done. Nothing was changed.")
	}
	if !errors.As(err, &e) {
		status, why, message := inner.Answer(ctx, err)
		problem := newProblem(status, message).(*Problem)
		problem.Code = why
		return problem
	}
	status := map[desk.Cause]int{desk.NotSignedIn: 401, desk.NotAllowed: 403, desk.NotFound: 404, desk.Invalid: 422,
		desk.Conflict: 409, desk.Taken: 409, desk.Unproven: 403, desk.Busy: 429}[e.Cause]
	var details []error
	for _, p := range e.Problems {
		details = append(details, &huma.ErrorDetail{Message: p})
	}
	for _, x := range e.Details {
		details = append(details, &huma.ErrorDetail{Message: x.Message, Location: x.Where, Value: told{x.Code, x.About}})
	}
	problem := newProblem(status, e.Message, details...).(*Problem)
	problem.Code = e.Why()
	inner.OutcomeOf(ctx).Code = problem.Code
	if e.Cause == desk.Unproven {
		problem.Type = provenProblem
	}
	return problem
}

// told is what a program is told of one thing that is wrong, beside its place and the sentence.
type told struct {
	Code  code.Code  `json:"code"`
	About []desk.Ref `json:"about,omitempty"`
}

func detail(message string) *huma.ErrorDetail { return &huma.ErrorDetail{Message: message} }

// statusGone answers a request that its client has given up, or that was stopped.
const statusGone = 499

// provenProblem is the type of the problem that the password must be given again.
const provenProblem = "urn:fachwerk:problem:password-needed"

// actorKey keeps who acts in a request's context.
type actorKey struct{}

func actor(ctx context.Context) desk.Actor {
	who, _ := ctx.Value(actorKey{}).(desk.Actor)
	return who
}

// identify finds who acts: the session's user, or the user that a token acts as; and how they look.
func (a *API) identify(ctx huma.Context, next func(huma.Context)) {
	who := desk.Actor{As: ctx.Query("as"), Within: ctx.Context(), From: inner.Address(ctx.Context())}
	if err := a.whose(ctx, &who); err != nil {
		if op := ctx.Operation(); op.Security == nil {
			problem := newProblem(http.StatusUnauthorized, err.Error())
			reply(ctx, problem)
			return
		}
	}
	if who.User != "" && who.Token == "" {
		who.Proven = time.Unix(a.sessions.GetInt64(ctx.Context(), sessionProven), 0).UTC()
	}
	if who.As == who.User {
		who.As = ""
	}
	when, err := a.desk.Instant(ctx.Query("when"))
	if err != nil {
		reply(ctx, newProblem(http.StatusUnprocessableEntity, err.Error()))
		return
	}
	who.When = when
	if who.As != "" {
		a.sawAs(who)
	}
	if path := ctx.Operation().Path; who.User != "" && !strings.HasPrefix(path, "/api/me") &&
		!strings.HasPrefix(path, "/api/session") &&
		path != "/api/sign-in" &&
		a.desk.Lacks(who.User) {
		problem := newProblem(http.StatusForbidden, "Whoever holds rights in Fachwerk has a second factor here: set one "+
			"up first, on your own page.").(*Problem)
		problem.Type = enrolProblem
		reply(ctx, problem)
		return
	}
	if who.User != "" {
		later.Claim(ctx.Context(), ownerOf(who))
	}
	next(huma.WithValue(ctx, actorKey{}, who))
}

// whose finds out whose request it is: the session's user, or the user that a token acts as, with what it is called and
// who made it. Its error says why a token that is shown does nothing now.
func (a *API) whose(ctx huma.Context, who *desk.Actor) error {
	text, ok := strings.CutPrefix(ctx.Header("Authorization"), "Bearer ")
	if !ok {
		who.User, _ = a.desk.Within(a.sessions.GetString(ctx.Context(), sessionID))
		return nil
	}
	t, err := a.desk.Program(text, "api")
	if err != nil {
		return err
	}
	who.User, who.Token = t.User, t.Name
	if t.By != t.User {
		who.Maker = t.By
	}
	return nil
}

// sawAs enters in the security log that somebody looks through other eyes, once in a while.
func (a *API) sawAs(who desk.Actor) {
	key, now := [2]string{who.User, who.As}, a.desk.Now()
	if last, ok := a.seenAs.Load(key); ok && now.Sub(last.(time.Time)) < seenAsEvery {
		return
	}
	a.seenAs.Store(key, now)
	a.desk.Happened(who.By(desk.EventSeeAs, "as "+who.As))
}

const seenAsEvery = 30 * time.Minute

// looking are the parameters of every question: the day that is looked at, and whose eyes are looked through.
var looking = []*huma.Param{
	{
		Name:        "when",
		In:          "query",
		Description: "The day (2026-01-31) or instant (RFC 3339) that is looked at; now if absent",
		Schema:      &huma.Schema{Type: huma.TypeString},
	},
	{
		Name:        "as",
		In:          "query",
		Description: "A person through whose eyes the design is seen; one's own if absent",
		Schema:      &huma.Schema{Type: huma.TypeString},
	},
}

// body is a response that has only a body.
type body[T any] struct{ Body T }

// answer makes what the desk gives a response.
func answer[T any](v T, err error) (*body[T], error) {
	if err != nil {
		return nil, err
	}
	return &body[T]{v}, nil
}

// none is a response without a body.
type none struct{}

type operation struct {
	id, method, path, summary string
	public                    bool
	most                      int64 // how many bytes may be sent; 0: a mebibyte
	modelFile                 bool  // what is sent is a model file, which its own reader checks
	status                    int   // what it is answered with if all is well; 0: 200, or 204 without a body
}

// on registers one operation.
func on[I, O any](a *API, o operation, handler func(ctx context.Context, in *I) (*O, error)) {
	op := huma.Operation{
		OperationID:   o.id,
		Method:        o.method,
		Path:          o.path,
		Summary:       o.summary,
		Middlewares:   huma.Middlewares{a.identify},
		MaxBodyBytes:  o.most,
		DefaultStatus: o.status,
	}
	if o.modelFile {
		op.SkipValidateBody = true
		op.RequestBody = &huma.RequestBody{
			Required:    true,
			Description: "A model file (fachwerk-model/1)",
			Content: map[string]*huma.MediaType{
				"application/json": {Schema: &huma.Schema{Type: huma.TypeObject, AdditionalProperties: true}},
			},
		}
	}
	if o.public {
		op.Security = []map[string][]string{}
	} else if o.method == http.MethodGet {
		op.Parameters = slices.Clone(looking)
	}
	register(a, op, handler)
}

// register puts an operation on the API; what the desk refuses, and what goes wrong inside, becomes a problem here
// and nowhere else.
func register[I, O any](a *API, op huma.Operation, handler func(ctx context.Context, in *I) (*O, error)) {
	public, whole := op.Security != nil, reflect.TypeFor[O]() == reflect.TypeFor[huma.StreamResponse]()
	if public || whole || slices.ContainsFunc(ofSessions, func(p string) bool { return below(op.Path, p) }) {
		a.atOnce[op.Method+" "+op.Path] = true
	}
	describe(&op)
	huma.Register(a.huma, op, func(ctx context.Context, in *I) (*O, error) {
		if err := unfit(in); err != nil {
			return nil, err
		}
		out, err := handler(ctx, in)
		if err == nil {
			if _, file := any(out).(*huma.StreamResponse); file && !slices.Contains(noFiles, op.OperationID) {
				e := actor(ctx).By(desk.EventDownload, op.OperationID)
				e.Weighs = slices.Contains(heavy, partOf(op.Path).name)
				a.desk.Happened(e)
			}
			return out, nil
		}
		if known := huma.StatusError(nil); errors.As(err, &known) {
			return nil, err
		}
		if refused := (*desk.Error)(nil); errors.As(err, &refused) && refused.Cause == desk.NotAllowed {
			a.desk.Happened(actor(ctx).By(desk.EventRefused, op.OperationID+": "+refused.Message))
		}
		return nil, failure(ctx, err)
	})
}

// noFiles are operations that are answered by a stream, and yet give nobody a file.
var noFiles = []string{followHistory, pending}

// ofSessions is where requests are about the session itself, or about answers that come later: all are answered at
// once, since the answer may bring a new cookie.
var ofSessions = []string{"/api/session", "/api/me/password", "/api/me/factors", "/api/me/codes", "/api/me/passkeys",
	"/api/me/recovery-codes", "/api/me/sessions", "/api/pending"}

// below tells whether a path is another or continues it.
func below(path, other string) bool { return path == other || strings.HasPrefix(path, other+"/") }

// download is a response that is written as it is made. With a name, browsers save it as a file. What fails before
// anything is written is answered as a failure; what fails later breaks the connection off, so that nobody takes a part
// for the whole.
func download(kind, name string, write func(to io.Writer) error) *huma.StreamResponse {
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		to := &downloading{ctx: ctx, kind: kind, name: name}
		err := write(to)
		if err == nil {
			to.begin() // of nothing too
			return
		}
		slog.Error("a download was broken off", "name", name, "error", err)
		if to.begun {
			panic(http.ErrAbortHandler)
		}
		reply(ctx, failure(ctx.Context(), err).(huma.StatusError))
	}}
}

// reply answers with a problem.
func reply(ctx huma.Context, problem huma.StatusError) {
	ctx.SetHeader("Content-Type", "application/problem+json")
	ctx.SetStatus(problem.GetStatus())
	_ = json.NewEncoder(ctx.BodyWriter()).Encode(problem)
}

// downloading is a download whose headers are sent with its first byte.
type downloading struct {
	ctx        huma.Context
	kind, name string
	begun      bool
}

func (d *downloading) begin() {
	if d.begun {
		return
	}
	d.begun = true
	d.ctx.SetHeader("Content-Type", d.kind)
	d.ctx.SetHeader("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'")
	d.ctx.SetHeader("X-Content-Type-Options", "nosniff")
	if d.name != "" {
		d.ctx.SetHeader("Content-Disposition", `attachment; filename="`+d.name+`"`)
	}
}

// Write implements [io.Writer].
func (d *downloading) Write(p []byte) (int, error) {
	d.begin()
	return d.ctx.BodyWriter().Write(p)
}

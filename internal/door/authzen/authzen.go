// Package authzen is the decision API of the OpenID AuthZEN Authorization API 1.0: programs ask whether somebody
// may do something to a record, and why. docs/decisions.md tells how requests map to a design.
package authzen

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strconv"
	"strings"
	"sync"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/door/inner"

	"github.com/go-chi/chi/v5"
	"github.com/valyala/fastjson"

	"fachwerk/internal/core/model"
)

const (
	maxBody        = 8 << 20
	maxEvaluations = 10_000
)

// Mount puts the decision API of a desk on a router.
func Mount(r chi.Router, d *rooms.Desk, outside inner.Outside) {
	s := &server{d, outside}
	r.Get("/.well-known/authzen-configuration", s.configuration)
	r.Route("/access/v1", func(r chi.Router) {
		r.Use(echoID, s.programsOnly)
		r.Post("/evaluation", s.evaluation)
		r.Post("/evaluations", s.evaluations)
		r.Post("/search/subject", s.searchSubject)
		r.Post("/search/resource", s.searchResource)
		r.Post("/search/action", s.searchAction)
		r.NotFound(func(w http.ResponseWriter, _ *http.Request) {
			fail(w, http.StatusNotFound, "There is no such endpoint; /.well-known/authzen-configuration names them.")
		})
		r.MethodNotAllowed(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Allow", http.MethodPost)
			fail(w, http.StatusMethodNotAllowed, "Ask with POST.")
		})
	})
}

type server struct {
	desk    *rooms.Desk
	outside inner.Outside
}

// echoID gives a request's X-Request-ID back (AuthZEN 1.0, §10.1.3).
func echoID(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if id := r.Header.Get("X-Request-ID"); id != "" {
			w.Header().Set("X-Request-ID", id)
		}
		next.ServeHTTP(w, r)
	})
}

func (s *server) programsOnly(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		scheme, text, _ := strings.Cut(r.Header.Get("Authorization"), " ")
		_, err := s.desk.Program(strings.TrimSpace(text), "decisions")
		if err != nil || !strings.EqualFold(scheme, "Bearer") {
			w.Header().Set("WWW-Authenticate", `Bearer realm="fachwerk decisions"`)
			fail(w, http.StatusUnauthorized, account.Unheard(err, "decisions"))
			return
		}
		next.ServeHTTP(w, r)
	})
}

// fail answers with an error as the standard has it: a status and a message (AuthZEN 1.0, §10.1.2).
func fail(w http.ResponseWriter, status int, message string) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.Header().Set("X-Content-Type-Options", "nosniff")
	w.WriteHeader(status)
	_, _ = io.WriteString(w, message+"\n")
}

// broken is an error that is not the request's.
type broken struct{ error }

// statusOf is the status that an error has over HTTP.
func statusOf(err error) int {
	if errors.As(err, &broken{}) {
		return http.StatusInternalServerError
	}
	return http.StatusBadRequest
}

// refuse answers with what is wrong with a request; an error that is not the request's is logged, and only that
// there was one is told.
func refuse(w http.ResponseWriter, r *http.Request, err error) {
	if errors.As(err, &broken{}) {
		inner.Failed(r.Context(), err)
		fail(w, http.StatusInternalServerError, inner.Message)
		return
	}
	fail(w, http.StatusBadRequest, err.Error())
}

func reply(w http.ResponseWriter, v any) {
	send(w, func(to []byte) []byte {
		data, _ := json.Marshal(v) // texts and numbers only
		return append(to, data...)
	})
}

// send answers with the JSON that write appends.
func send(w http.ResponseWriter, write func(to []byte) []byte) {
	buffer := buffers.Get().(*bytes.Buffer)
	defer buffers.Put(buffer)
	buffer.Reset()
	data := append(write(buffer.AvailableBuffer()), '\n')
	h := w.Header()
	h["Content-Type"], h["Cache-Control"] = jsonType, noStore
	_, _ = w.Write(data)
	if cap(data) > buffer.Cap() { // what grew is kept for the next
		*buffer = *bytes.NewBuffer(data[:0])
	}
}

var jsonType, noStore = []string{"application/json"}, []string{"no-store"}

// configuration is the metadata of the decision point (AuthZEN 1.0, §9).
func (s *server) configuration(w http.ResponseWriter, _ *http.Request) {
	base := s.outside.URL
	reply(w, map[string]string{
		"policy_decision_point":       base,
		"access_evaluation_endpoint":  base + "/access/v1/evaluation",
		"access_evaluations_endpoint": base + "/access/v1/evaluations",
		"search_subject_endpoint":     base + "/access/v1/search/subject",
		"search_resource_endpoint":    base + "/access/v1/search/resource",
		"search_action_endpoint":      base + "/access/v1/search/action",
	})
}

// request is the parts of one. A part that is absent is nil, so that it can be filled in from the defaults.
type request struct{ subject, action, resource, context *fastjson.Value }

func requestIn(v *fastjson.Value) request {
	return request{v.Get("subject"), v.Get("action"), v.Get("resource"), v.Get("context")}
}

// answer is a decision with what is told about it.
type answer struct {
	Decision bool           `json:"decision"`
	Context  map[string]any `json:"context,omitempty"`
}

// write appends an answer. Most say no more than yes or no.
func (a answer) write(to []byte) []byte {
	if a.Context == nil {
		return append(strconv.AppendBool(append(to, `{"decision":`...), a.Decision), '}')
	}
	data, _ := json.Marshal(a) // texts and numbers only
	return append(to, data...)
}

// parsers and buffers are used again from request to request: programs ask much, and each time alike.
var (
	parsers fastjson.ParserPool
	buffers = sync.Pool{New: func() any { return new(bytes.Buffer) }}
)

// body is a request's body, to be given back once it is answered: values hold only until then.
type body struct {
	*fastjson.Value
	parser *fastjson.Parser
}

func (b body) done() { parsers.Put(b.parser) }

// take takes the body in, to be given back by release; it answers and gives nil if it cannot.
func take(w http.ResponseWriter, r *http.Request) *bytes.Buffer {
	if given := r.Header.Get("Content-Type"); given != "application/json" { // §10.1: it must say so
		if media, _, err := mime.ParseMediaType(given); err != nil || media != "application/json" {
			fail(w, http.StatusUnsupportedMediaType, "Send the request as application/json.")
			return nil
		}
	}
	buffer := buffers.Get().(*bytes.Buffer)
	buffer.Reset()
	_, err := buffer.ReadFrom(http.MaxBytesReader(w, r.Body, maxBody))
	var tooLarge *http.MaxBytesError
	switch {
	case err == nil:
		return buffer
	case errors.As(err, &tooLarge):
		fail(w, http.StatusRequestEntityTooLarge, fmt.Sprintf("The request is larger than %d bytes.", tooLarge.Limit))
	default:
		malformed(w, err)
	}
	release(buffer)
	return nil
}

func release(buffer *bytes.Buffer) { buffers.Put(buffer) }

func malformed(w http.ResponseWriter, err error) {
	fail(w, http.StatusBadRequest, "The request is not a JSON object as the standard has it: "+err.Error())
}

// read takes the body in and reads it; it answers and gives false if it is not a JSON object.
func read(w http.ResponseWriter, r *http.Request) (b body, ok bool) {
	buffer := take(w, r)
	if buffer == nil {
		return b, false
	}
	defer release(buffer)
	return parse(w, buffer.Bytes())
}

// parse reads a body, of which it keeps nothing; it answers and gives false if it is not a JSON object.
func parse(w http.ResponseWriter, data []byte) (b body, ok bool) {
	var depth inner.Depth
	if !depth.Follow(data) { // the library goes down by a call a level, without end
		malformed(w, &inner.TooDeep{})
		return b, false
	}
	b.parser = parsers.Get()
	// The parser alone passes over what is wrong within texts and numbers.
	err := fastjson.ValidateBytes(data)
	if err == nil {
		b.Value, err = b.parser.ParseBytes(data)
	}
	if err == nil && b.Type() != fastjson.TypeObject {
		err = fmt.Errorf("it is %s", article(b.Type()))
	}
	if err != nil {
		b.done()
		malformed(w, err)
		return b, false
	}
	return b, true
}

func (s *server) evaluation(w http.ResponseWriter, r *http.Request) {
	buffer := take(w, r)
	if buffer == nil {
		return
	}
	defer release(buffer)
	if p, ok := evaluationIn(buffer.Bytes()); ok {
		a, err := s.ask(asked{Question: p.question()})
		answerWith(w, r, a, err)
		return
	}
	b, ok := parse(w, buffer.Bytes())
	if !ok {
		return
	}
	defer b.done()
	s.single(w, r, requestIn(b.Value))
}

func (s *server) single(w http.ResponseWriter, r *http.Request, q request) {
	a, err := s.decide(q)
	answerWith(w, r, a, err)
}

// answerWith answers a single evaluation.
func answerWith(w http.ResponseWriter, r *http.Request, a answer, err error) {
	if err != nil {
		refuse(w, r, err)
		return
	}
	counted(inner.OutcomeOf(r.Context()), a)
	send(w, func(to []byte) []byte { return a.write(to) })
}

// counted takes a decision into the outcome of a request.
func counted(o *inner.Outcome, a answer) {
	if a.Decision {
		o.Allowed++
	} else {
		o.Denied++
	}
}

// The semantics of a batch (AuthZEN 1.0, §7.1.2.1).
const (
	executeAll          = "execute_all"
	denyOnFirstDeny     = "deny_on_first_deny"
	permitOnFirstPermit = "permit_on_first_permit"
)

func semanticOf(options *fastjson.Value) (string, error) {
	if !present(options) {
		return executeAll, nil
	}
	if err := object(options, "options"); err != nil {
		return "", err
	}
	given, named, err := text(options, "options", "evaluations_semantic")
	switch {
	case err != nil:
		return "", err
	case !named:
		return executeAll, nil
	case given != executeAll && given != denyOnFirstDeny && given != permitOnFirstPermit:
		return "", fmt.Errorf(
			"options.evaluations_semantic: expected %s, %s or %s, not %q",
			executeAll,
			denyOnFirstDeny,
			permitOnFirstPermit,
			given,
		)
	}
	return given, nil
}

func (s *server) evaluations(w http.ResponseWriter, r *http.Request) {
	buffer := take(w, r)
	if buffer == nil {
		return
	}
	defer release(buffer)
	batch := batches.Get().(*[]plain)
	defer batches.Put(batch)
	if list, ok := evaluationsIn(buffer.Bytes(), (*batch)[:0]); ok {
		*batch = list
		answerEach(w, r, executeAll, list, func(p plain) (answer, error) { return s.ask(asked{Question: p.question()}) })
		return
	}
	b, ok := parse(w, buffer.Bytes())
	if !ok {
		return
	}
	defer b.done()
	defaults := requestIn(b.Value)
	semantic, err := semanticOf(b.Get("options"))
	if err != nil {
		fail(w, http.StatusBadRequest, err.Error())
		return
	}
	given := b.Get("evaluations")
	if present(given) && given.Type() != fastjson.TypeArray {
		fail(w, http.StatusBadRequest, "evaluations: expected an array, not "+article(given.Type()))
		return
	}
	list := given.GetArray()
	if len(list) == 0 { // then it is a single evaluation (§7.1)
		s.single(w, r, defaults)
		return
	}
	if len(list) > maxEvaluations {
		fail(
			w,
			http.StatusBadRequest,
			fmt.Sprintf("evaluations: at most %d at once, not %d", maxEvaluations, len(list)),
		)
		return
	}
	answerEach(w, r, semantic, list, func(v *fastjson.Value) (answer, error) { return s.one(v, defaults) })
}

// answerEach answers the evaluations of a batch, as far as its semantic has them made.
func answerEach[T any](
	w http.ResponseWriter, r *http.Request, semantic string, list []T, decide func(T) (answer, error),
) {
	outcome := inner.OutcomeOf(r.Context())
	send(w, func(to []byte) []byte {
		to = append(to, `{"evaluations":[`...)
		for i, v := range list {
			a, err := decide(v)
			if err != nil { // an evaluation that cannot be made is denied, and says why (§7.2.1)
				a = answer{
					Context: map[string]any{"error": map[string]any{"status": statusOf(err), "message": err.Error()}},
				}
			}
			if i > 0 {
				to = append(to, ',')
			}
			to = a.write(to)
			counted(outcome, a)
			if semantic == denyOnFirstDeny && !a.Decision || semantic == permitOnFirstPermit && a.Decision {
				break
			}
		}
		return append(to, "]}"...)
	})
}

// one decides an evaluation of a batch, filled in from the defaults.
func (s *server) one(v *fastjson.Value, defaults request) (answer, error) {
	if err := object(v, "evaluation"); err != nil {
		return answer{}, err
	}
	q := requestIn(v)
	for _, part := range []struct{ to, from **fastjson.Value }{
		{&q.subject, &defaults.subject}, {&q.action, &defaults.action}, {&q.resource, &defaults.resource},
		{&q.context, &defaults.context},
	} {
		if *part.to == nil {
			*part.to = *part.from
		}
	}
	return s.decide(q)
}

func present(v *fastjson.Value) bool { return v != nil && v.Type() != fastjson.TypeNull }

// object tells what is wrong with a part that must be an object.
func object(v *fastjson.Value, name string) error {
	if !present(v) {
		return fmt.Errorf("%s is missing", name)
	}
	if v.Type() != fastjson.TypeObject {
		return fmt.Errorf("%s: expected an object, not %s", name, article(v.Type()))
	}
	return nil
}

// text is a field that must be a text if it is there.
func text(v *fastjson.Value, name, field string) (s string, there bool, err error) {
	b, there, err := letters(v, name, field)
	return string(b), there, err
}

// letters are a field's text as it lies in the request: they hold no longer than that does, and cost nothing.
func letters(v *fastjson.Value, name, field string) (b []byte, there bool, err error) {
	f := v.Get(field)
	if !present(f) {
		return nil, false, nil
	}
	if f.Type() != fastjson.TypeString {
		return nil, false, fmt.Errorf("%s.%s: expected a string, not %s", name, field, article(f.Type()))
	}
	return f.GetStringBytes(), true, nil
}

func article(t fastjson.Type) string {
	switch t {
	case fastjson.TypeObject, fastjson.TypeArray:
		return "an " + t.String()
	case fastjson.TypeTrue, fastjson.TypeFalse:
		return "a boolean"
	case fastjson.TypeNull:
		return "null"
	}
	return "a " + t.String()
}

// parts says which parts of a request must be whole; a search leaves one open.
type parts struct{ subjectID, action, resourceID bool }

// asked is what a request asks.
type asked struct {
	view.Question
	kind, action string // the permission's, apart; which may be open in a search
	explain      bool
}

// question reads a request. Problems are told all at once if parts are missing or of the wrong kind.
func (r request) question(need parts) (q asked, err error) {
	err = errors.Join(object(r.subject, "subject"), object(r.resource, "resource"))
	if need.action {
		err = errors.Join(err, object(r.action, "action"))
	}
	if present(r.context) {
		err = errors.Join(err, object(r.context, "context"))
	}
	if err != nil {
		return q, err
	}
	for _, part := range []struct {
		of   *fastjson.Value
		name string
	}{{r.subject, "subject"}, {r.action, "action"}} {
		if given := part.of.Get("properties"); present(given) && (part.name != "action" || need.action) {
			if err := object(given, part.name+".properties"); err != nil {
				return q, err
			}
		}
	}
	f := fields{}
	subject, _ := f.letters(r.subject, "subject", "type")
	id, identified := f.letters(r.subject, "subject", "id")
	kind, _ := f.letters(r.resource, "resource", "type")
	_, named := f.letters(r.resource, "resource", "id")
	var action []byte
	if need.action {
		action, _ = f.letters(r.action, "action", "name")
	}
	f.record(&q, r.resource.Get("properties"))
	f.circumstances(&q, r.context)
	if f.err != nil {
		return q, f.err
	}
	q.Anonymous = string(subject) == "anonymous"
	q.Known = q.Anonymous || string(subject) == "user"
	if !q.Anonymous {
		q.User = string(id)
	}
	// One piece of memory for the key and its parts.
	key := append(append(append(make([]byte, 0, 64), kind...), ':'), action...)
	q.Permission = string(key)
	q.kind, q.action = q.Permission[:len(kind)], q.Permission[len(kind)+1:]
	switch {
	case len(subject) == 0:
		return q, errors.New("subject.type is missing")
	case need.subjectID && !identified && !q.Anonymous:
		return q, errors.New("subject.id is missing")
	case need.action && len(action) == 0:
		return q, errors.New("action.name is missing")
	case len(kind) == 0:
		return q, errors.New("resource.type is missing")
	case need.resourceID && !named:
		return q, errors.New("resource.id is missing")
	}
	return q, nil
}

// fields reads fields and keeps the first error.
type fields struct{ err error }

func (f *fields) text(v *fastjson.Value, name, field string) (string, bool) {
	s, there, err := text(v, name, field)
	if f.err == nil {
		f.err = err
	}
	return s, there
}

func (f *fields) letters(v *fastjson.Value, name, field string) ([]byte, bool) {
	b, there, err := letters(v, name, field)
	if f.err == nil {
		f.err = err
	}
	return b, there
}

// record reads where the record lies and whose it is.
func (f *fields) record(q *asked, properties *fastjson.Value) {
	if !present(properties) {
		return
	}
	if err := object(properties, "resource.properties"); err != nil {
		f.err = errors.Join(f.err, err)
		return
	}
	if area, there := f.text(properties, "resource.properties", "area"); there {
		q.Record.Area = known(area)
	}
	if owner, there := f.text(properties, "resource.properties", "owner"); there {
		q.Record.Owner = known(owner)
	}
}

// circumstances reads the context.
func (f *fields) circumstances(q *asked, context *fastjson.Value) {
	if !present(context) {
		return
	}
	if at, there := f.text(context, "context", "time"); there {
		t, err := model.ParseInstant(at)
		if (err != nil || t.IsZero()) && f.err == nil {
			f.err = fmt.Errorf("context.time: expected an instant like \"2026-01-31T00:00:00Z\", not %q", at)
		}
		q.Time = t
	}
	// Programs may say more by a context of their own: only false means that it is no use.
	use := context.Get("use")
	q.Unused = use != nil && use.Type() == fastjson.TypeFalse
	switch explain := context.Get("explain"); {
	case !present(explain):
	case explain.Type() == fastjson.TypeTrue:
		q.explain = true
	case explain.Type() != fastjson.TypeFalse && f.err == nil:
		f.err = fmt.Errorf("context.explain: expected a boolean, not %s", article(explain.Type()))
	}
}

func (s *server) decide(r request) (answer, error) {
	q, err := r.question(parts{subjectID: true, action: true, resourceID: true})
	if err != nil {
		return answer{}, err
	}
	return s.ask(q)
}

// ask has a question answered.
func (s *server) ask(q asked) (answer, error) {
	a, err := s.desk.Ask(q.Question, q.explain)
	if err != nil {
		return answer{}, broken{err}
	}
	out := answer{Decision: a.Allowed}
	if q.explain {
		out.Context = map[string]any{"reasons": reasons(a)}
	}
	return out, nil
}

// Decide answers one evaluation, as the standard writes a request, from a desk's design: whether it is permitted. An
// error says what the standard finds malformed in it.
func Decide(d *rooms.Desk, evaluation []byte) (bool, error) {
	if err := fastjson.ValidateBytes(evaluation); err != nil {
		return false, err
	}
	v, err := fastjson.ParseBytes(evaluation)
	if err == nil {
		err = object(v, "request")
	}
	if err != nil {
		return false, err
	}
	a, err := (&server{desk: d}).decide(requestIn(v))
	return a.Decision, err
}

// known keeps an empty id, which no object has, from meaning that none was named.
func known(id string) string {
	if id == "" {
		return " "
	}
	return id
}

// reasons writes the trace or the why-not of an answer.
func reasons(a view.Answer) []map[string]any {
	out := []map[string]any{}
	for _, w := range a.Ways {
		out = append(out, map[string]any{"kind": "way", "steps": steps(w)})
	}
	for _, r := range a.Reasons {
		m := map[string]any{"kind": "obstacle", "obstacle": r.Obstacle, "text": r.Text}
		if r.Way != nil {
			m["steps"] = steps(*r.Way)
		}
		out = append(out, m)
	}
	return out
}

func steps(w view.Way) []map[string]string {
	out := make([]map[string]string, len(w.Joints))
	for i, j := range w.Joints {
		out[i] = map[string]string{"kind": j.Kind, "id": j.ID, "name": j.Name}
		if j.Blocked != "" {
			out[i]["blocked"] = j.Blocked
		}
	}
	return out
}

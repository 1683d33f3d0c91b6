// Package authzen is the decision API of the OpenID AuthZEN Authorization API 1.0: programs ask whether somebody may do something to a
// record, and why. docs/decisions.md tells how requests map to a design.
package authzen

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"fachwerk/internal/desk"
)

const (
	maxBody        = 8 << 20
	maxEvaluations = 10_000
)

// Mount puts the decision API of a desk on a router.
func Mount(r chi.Router, d *desk.Desk) {
	s := &server{d}
	r.Get("/.well-known/authzen-configuration", s.configuration)
	r.Route("/access/v1", func(r chi.Router) {
		r.Use(echoID, s.programsOnly)
		r.Post("/evaluation", s.evaluation)
		r.Post("/evaluations", s.evaluations)
		r.Post("/search/subject", s.searchSubject)
		r.Post("/search/resource", s.searchResource)
		r.Post("/search/action", s.searchAction)
	})
}

type server struct{ desk *desk.Desk }

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
		if _, ok := s.desk.Program(strings.TrimSpace(text), "decisions"); !ok || !strings.EqualFold(scheme, "Bearer") {
			w.Header().Set("WWW-Authenticate", `Bearer realm="fachwerk decisions"`)
			fail(w, http.StatusUnauthorized, "Show a bearer token made with: fachwerk token --for decisions")
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

func reply(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(v)
}

// configuration is the metadata of the decision point (AuthZEN 1.0, §9).
func (s *server) configuration(w http.ResponseWriter, r *http.Request) {
	scheme := "http"
	if r.TLS != nil || r.Header.Get("X-Forwarded-Proto") == "https" {
		scheme = "https"
	}
	base := scheme + "://" + r.Host
	reply(w, map[string]string{
		"policy_decision_point":       base,
		"access_evaluation_endpoint":  base + "/access/v1/evaluation",
		"access_evaluations_endpoint": base + "/access/v1/evaluations",
		"search_subject_endpoint":     base + "/access/v1/search/subject",
		"search_resource_endpoint":    base + "/access/v1/search/resource",
		"search_action_endpoint":      base + "/access/v1/search/action",
	})
}

// The request, with every part raw so that an absent one can be told from an empty one and filled in from the defaults.
type request struct {
	Subject  json.RawMessage `json:"subject"`
	Action   json.RawMessage `json:"action"`
	Resource json.RawMessage `json:"resource"`
	Context  json.RawMessage `json:"context"`
}

type batch struct {
	request
	Evaluations *[]json.RawMessage `json:"evaluations"`
	Options     json.RawMessage    `json:"options"`
}

type response struct {
	Decision bool           `json:"decision"`
	Context  map[string]any `json:"context,omitempty"`
}

// read takes the body in; it answers and gives false if it is not JSON.
func read(w http.ResponseWriter, r *http.Request, to any) bool {
	if given := r.Header.Get("Content-Type"); given != "" {
		if media, _, err := mime.ParseMediaType(given); err != nil || media != "application/json" {
			fail(w, http.StatusUnsupportedMediaType, "Send the request as application/json.")
			return false
		}
	}
	d := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxBody))
	err := d.Decode(to)
	if err == nil && d.More() {
		err = errors.New("there is more after the object")
	}
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		fail(w, http.StatusRequestEntityTooLarge, fmt.Sprintf("The request is larger than %d bytes.", tooLarge.Limit))
		return false
	case err != nil:
		fail(w, http.StatusBadRequest, "The request is not a JSON object as the standard has it: "+err.Error())
		return false
	}
	return true
}

func (s *server) evaluation(w http.ResponseWriter, r *http.Request) {
	var q request
	if !read(w, r, &q) {
		return
	}
	answer, err := s.decide(q)
	if err != nil {
		fail(w, http.StatusBadRequest, err.Error())
		return
	}
	reply(w, answer)
}

// The semantics of a batch (AuthZEN 1.0, §7.1.2.1).
const (
	executeAll          = "execute_all"
	denyOnFirstDeny     = "deny_on_first_deny"
	permitOnFirstPermit = "permit_on_first_permit"
)

func (s *server) evaluations(w http.ResponseWriter, r *http.Request) {
	var q batch
	if !read(w, r, &q) {
		return
	}
	semantic := executeAll
	if present(q.Options) {
		var o struct {
			Semantic *string `json:"evaluations_semantic"`
		}
		if err := object(q.Options, "options", &o); err != nil {
			fail(w, http.StatusBadRequest, err.Error())
			return
		}
		if o.Semantic != nil {
			semantic = *o.Semantic
		}
	}
	if semantic != executeAll && semantic != denyOnFirstDeny && semantic != permitOnFirstPermit {
		fail(w, http.StatusBadRequest, fmt.Sprintf("options.evaluations_semantic: expected %s, %s or %s, not %q", executeAll, denyOnFirstDeny, permitOnFirstPermit, semantic))
		return
	}
	if q.Evaluations == nil || len(*q.Evaluations) == 0 { // then it is a single evaluation (§7.1)
		answer, err := s.decide(q.request)
		if err != nil {
			fail(w, http.StatusBadRequest, err.Error())
			return
		}
		reply(w, answer)
		return
	}
	if len(*q.Evaluations) > maxEvaluations {
		fail(w, http.StatusBadRequest, fmt.Sprintf("evaluations: at most %d at once, not %d", maxEvaluations, len(*q.Evaluations)))
		return
	}
	answers := make([]response, 0, len(*q.Evaluations))
	for _, raw := range *q.Evaluations {
		answer, err := s.one(raw, q.request)
		if err != nil { // an evaluation that cannot be made is denied, and says why (§7.2.1)
			answer = response{Context: map[string]any{"error": map[string]any{"status": http.StatusBadRequest, "message": err.Error()}}}
		}
		answers = append(answers, answer)
		if semantic == denyOnFirstDeny && !answer.Decision || semantic == permitOnFirstPermit && answer.Decision {
			break
		}
	}
	reply(w, map[string]any{"evaluations": answers})
}

// one decides an evaluation of a batch, filled in from the defaults.
func (s *server) one(raw json.RawMessage, defaults request) (response, error) {
	var q request
	if err := object(raw, "evaluation", &q); err != nil {
		return response{}, err
	}
	for _, part := range []struct{ to, from *json.RawMessage }{
		{&q.Subject, &defaults.Subject}, {&q.Action, &defaults.Action}, {&q.Resource, &defaults.Resource}, {&q.Context, &defaults.Context},
	} {
		if *part.to == nil {
			*part.to = *part.from
		}
	}
	return s.decide(q)
}

func present(raw json.RawMessage) bool { return raw != nil && string(raw) != "null" }

// object reads a part that must be an object.
func object(raw json.RawMessage, name string, to any) error {
	if !present(raw) {
		return fmt.Errorf("%s is missing", name)
	}
	if trimmed := strings.TrimLeft(string(raw), " \t\r\n"); !strings.HasPrefix(trimmed, "{") {
		return fmt.Errorf("%s: expected an object", name)
	}
	if err := json.Unmarshal(raw, to); err != nil {
		var wrong *json.UnmarshalTypeError
		if errors.As(err, &wrong) {
			return fmt.Errorf("%s.%s: expected a %s, not a %s", name, wrong.Field, wrong.Type, wrong.Value)
		}
		return fmt.Errorf("%s: %w", name, err)
	}
	return nil
}

// The parts of a request.
type (
	subject struct {
		Type *string `json:"type"`
		ID   *string `json:"id"`
	}
	action struct {
		Name *string `json:"name"`
	}
	resource struct {
		Type       *string `json:"type"`
		ID         *string `json:"id"`
		Properties struct {
			Area  *string `json:"area"`
			Owner *string `json:"owner"`
		} `json:"properties"`
	}
	circumstances struct {
		Time    *string `json:"time"`
		Explain bool    `json:"explain"`
	}
)

// parts says which parts of a request must be whole; a search leaves one open.
type parts struct{ subjectID, action, resourceID bool }

// question reads a request as a question to the desk, but for the permission, which needs both a resource and an action.
func (r request) question(need parts) (q desk.Question, kind, name string, c circumstances, err error) {
	var sub subject
	var act action
	var res resource
	err = errors.Join(object(r.Subject, "subject", &sub), object(r.Resource, "resource", &res))
	if need.action {
		err = errors.Join(err, object(r.Action, "action", &act))
	}
	if present(r.Context) {
		err = errors.Join(err, object(r.Context, "context", &c))
	}
	if err != nil {
		return q, "", "", c, err
	}
	q.Anonymous = sub.Type != nil && *sub.Type == "anonymous"
	switch {
	case sub.Type == nil || *sub.Type == "":
		return q, "", "", c, errors.New("subject.type is missing")
	case need.subjectID && sub.ID == nil && !q.Anonymous:
		return q, "", "", c, errors.New("subject.id is missing")
	case need.action && (act.Name == nil || *act.Name == ""):
		return q, "", "", c, errors.New("action.name is missing")
	case res.Type == nil || *res.Type == "":
		return q, "", "", c, errors.New("resource.type is missing")
	case need.resourceID && res.ID == nil:
		return q, "", "", c, errors.New("resource.id is missing")
	}
	q.Known = q.Anonymous || *sub.Type == "user"
	if !q.Anonymous && sub.ID != nil {
		q.User = *sub.ID
	}
	if p := res.Properties; p.Area != nil {
		q.Record.Area = known(*p.Area)
	}
	if p := res.Properties; p.Owner != nil {
		q.Record.Owner = known(*p.Owner)
	}
	if c.Time != nil {
		if q.Time, err = time.Parse(time.RFC3339, *c.Time); err != nil || q.Time.IsZero() {
			return q, "", "", c, fmt.Errorf("context.time: expected an instant like \"2026-01-31T00:00:00Z\", not %q", *c.Time)
		}
	}
	if act.Name != nil {
		name = *act.Name
	}
	return q, *res.Type, name, c, nil
}

func (s *server) decide(r request) (response, error) {
	q, kind, name, c, err := r.question(parts{subjectID: true, action: true, resourceID: true})
	if err != nil {
		return response{}, err
	}
	q.Permission = kind + ":" + name
	a := s.desk.Ask(q, c.Explain)
	answer := response{Decision: a.Allowed}
	if c.Explain {
		answer.Context = map[string]any{"reasons": reasons(a)}
	}
	return answer, nil
}

// known keeps an empty id, which no object has, from meaning that none was named.
func known(id string) string {
	if id == "" {
		return " "
	}
	return id
}

// reasons writes the trace or the why-not of an answer.
func reasons(a desk.Answer) []map[string]any {
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

func steps(w desk.Way) []map[string]string {
	out := make([]map[string]string, len(w.Joints))
	for i, j := range w.Joints {
		out[i] = map[string]string{"kind": j.Kind, "id": j.ID, "name": j.Name}
		if j.Blocked != "" {
			out[i]["blocked"] = j.Blocked
		}
	}
	return out
}

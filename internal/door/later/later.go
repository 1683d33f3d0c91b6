// Package later answers requests that take long with where their answer will be, for whoever prefers that (RFC 7240,
// sections 4.1 and 4.3): the work goes on behind, can be looked at, and can be stopped.
package later

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"fachwerk/internal/desk"
	"fachwerk/internal/door/inner"
)

const (
	// moment is how long an answer is waited for before its place is told, if the request doesn't say.
	moment = 100 * time.Millisecond
	// longest is how long a request can ask to wait.
	longest = time.Minute
	// kept is how long an answer is there once it is made.
	kept = 2 * time.Minute
	// most is how many requests of one owner go on behind at a time; further ones are waited for.
	most = 4
	// mostKept is how many answers are kept of one owner; the oldest makes room.
	mostKept = 16
)

// Answers are those that are still being made, or were made a short while ago. They are in memory alone: after a
// restart, what was done is in the record and nowhere else.
type Answers struct {
	below   string
	mu      sync.Mutex
	all     map[string]*Answer
	running sync.WaitGroup
}

// New keeps answers, which are told to be below an address.
func New(below string) *Answers { return &Answers{below: below, all: map[string]*Answer{}} }

// Answer is one that goes on behind, or was made there.
type Answer struct {
	id    string
	began time.Time
	owner string
	done  chan struct{}
	stop  context.CancelCauseFunc
	is    response
}

// Pending tells of an answer that is not there yet.
type Pending struct {
	ID    string    `json:"id" doc:"Of the answer, as it ends its address"`
	Began time.Time `json:"began" doc:"When the request came"`
}

// response is an answer as it was made.
type response struct {
	header http.Header
	status int
	body   bytes.Buffer
}

func (r *response) Header() http.Header { return r.header }

func (r *response) WriteHeader(status int) {
	if r.status == 0 {
		r.status = status
	}
}

func (r *response) Write(data []byte) (int, error) {
	r.WriteHeader(http.StatusOK)
	return r.body.Write(data)
}

func (r *response) copyTo(w http.ResponseWriter) {
	for name, values := range r.header {
		w.Header()[name] = values
	}
	w.WriteHeader(r.status)
	_, _ = w.Write(r.body.Bytes()) // whoever has gone reads nothing
}

// claim is where a handler says whose request it is.
type claim struct {
	once  sync.Once
	owner string
	named chan struct{} // closed once the owner is
}

type claimKey struct{}

// Claim says whose the request is that is being answered. Until somebody is named, it is waited for: an answer that
// is nobody's could be fetched by nobody.
func Claim(ctx context.Context, owner string) {
	if c, ok := ctx.Value(claimKey{}).(*claim); ok {
		c.once.Do(func() {
			c.owner = owner
			close(c.named)
		})
	}
}

// Offer lets the requests that may go on behind do so if they prefer it. It belongs behind the router, since what is
// asked for in the path is taken along.
func (a *Answers) Offer(may func(method, pattern string) bool) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			asked, wait := Preference(r.Header)
			route := chi.RouteContext(r.Context())
			if !asked || route == nil || !may(r.Method, route.RoutePattern()) {
				next.ServeHTTP(w, r)
				return
			}
			// The body ends with the request that brought it.
			body, err := io.ReadAll(r.Body)
			r.Body = io.NopCloser(io.MultiReader(bytes.NewReader(body), failing{err}))
			if err != nil {
				next.ServeHTTP(w, r)
				return
			}
			a.offer(w, r, next, wait)
		})
	}
}

// failing is a reader that fails as another has; at its end, if that has not.
type failing struct{ err error }

func (f failing) Read([]byte) (int, error) {
	if f.err != nil {
		return 0, f.err
	}
	return 0, io.EOF
}

func (a *Answers) offer(w http.ResponseWriter, r *http.Request, next http.Handler, wait time.Duration) {
	owned := &claim{named: make(chan struct{})}
	ctx, stop := context.WithCancelCause(context.WithoutCancel(r.Context()))
	one := &Answer{
		id: rand.Text(), began: time.Now(), done: make(chan struct{}), stop: stop,
		is: response{header: http.Header{}},
	}
	// What the request's own goroutine uses again once it has answered is not shared.
	route := *chi.RouteContext(r.Context())
	route.URLParams.Keys = slices.Clone(route.URLParams.Keys)
	route.URLParams.Values = slices.Clone(route.URLParams.Values)
	ctx, outcome := inner.WithOutcome(context.WithValue(ctx, chi.RouteCtxKey, &route))
	ctx = context.WithValue(ctx, claimKey{}, owned)
	a.running.Add(1)
	go func() {
		defer a.running.Done()
		defer close(one.done)
		defer stop(nil)
		err := desk.Guarded(func() error {
			inner.Guard(next).ServeHTTP(&one.is, r.WithContext(ctx))
			return nil
		})
		if err != nil { // a handler that ends its connection has none here
			one.is.status = http.StatusInternalServerError
		}
		one.is.WriteHeader(http.StatusOK)
	}()
	over := time.NewTimer(wait)
	defer over.Stop()
	var named <-chan struct{} // of no account until the wait is over
	for {
		select {
		case <-one.done:
			*inner.OutcomeOf(r.Context()) = *outcome
			one.is.copyTo(w)
			return
		case <-r.Context().Done(): // nobody has been told of it, so nobody waits for it
			stop(nil)
			<-one.done
			return
		case <-over.C:
			named = owned.named
		case <-named:
			if one.owner = owned.owner; !a.keep(one) {
				named = nil
				continue
			}
			go a.end(r, one, outcome)
			w.Header().Set("Preference-Applied", "respond-async")
			a.Tell(w, one)
			return
		}
	}
}

// keep takes an answer in, unless its owner has enough that go on. Of an owner who has many, the oldest is forgotten.
func (a *Answers) keep(one *Answer) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	going, made := 0, 0
	var oldest *Answer
	for _, other := range a.all {
		switch {
		case other.owner != one.owner:
		case !other.Ready():
			going++
		default:
			if made++; oldest == nil || other.began.Before(oldest.began) {
				oldest = other
			}
		}
	}
	if going >= most {
		return false
	}
	if going+made >= mostKept {
		delete(a.all, oldest.id)
	}
	a.all[one.id] = one
	return true
}

// end logs what has been done behind, and forgets its answer after a while.
func (a *Answers) end(r *http.Request, one *Answer, outcome *inner.Outcome) {
	<-one.done
	slog.Info("answered behind", "method", r.Method, "status", one.is.status, "code", outcome.Code,
		"ms", time.Since(one.began).Milliseconds(), "request", middleware.GetReqID(r.Context()))
	time.AfterFunc(kept, func() {
		a.mu.Lock()
		defer a.mu.Unlock()
		delete(a.all, one.id)
	})
}

// Find gives the answer of an id, if it is of that owner, and still kept.
func (a *Answers) Find(owner, id string) (*Answer, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	one := a.all[id]
	if one == nil || one.owner != owner {
		return nil, false
	}
	return one, true
}

// Ready tells whether an answer has been made.
func (one *Answer) Ready() bool {
	select {
	case <-one.done:
		return true
	default:
		return false
	}
}

// Wait waits for an answer, for as long as is asked for.
func (one *Answer) Wait(ctx context.Context, long time.Duration) {
	over := time.NewTimer(long)
	defer over.Stop()
	select {
	case <-one.done:
	case <-over.C:
	case <-ctx.Done():
	}
}

// Write writes an answer that is [Answer.Ready], as it would have been written at once.
func (one *Answer) Write(w http.ResponseWriter) { one.is.copyTo(w) }

// Stop ends what makes an answer, as if whoever asked had gone. What was done already stays, and the answer says so.
func (one *Answer) Stop() { one.stop(desk.ErrStopped) }

// Tell answers with where an answer will be: 202 (Accepted).
func (a *Answers) Tell(w http.ResponseWriter, one *Answer) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Location", a.below+one.id)
	w.Header().Set("Retry-After", "1")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusAccepted)
	_ = json.NewEncoder(w).Encode(Pending{one.id, one.began.UTC()})
}

// Close ends all that goes on behind, and waits until it has ended or the context is done.
func (a *Answers) Close(ctx context.Context) {
	a.mu.Lock()
	for _, one := range a.all {
		one.Stop()
	}
	a.mu.Unlock()
	ended := make(chan struct{})
	go func() { a.running.Wait(); close(ended) }()
	select {
	case <-ended:
	case <-ctx.Done():
	}
}

// Preference tells whether a request prefers to be answered before the work is done (respond-async), and how long it
// will wait for the answer itself (wait, in seconds; a moment if it doesn't say).
func Preference(h http.Header) (async bool, wait time.Duration) {
	wait = moment
	for _, line := range h.Values("Prefer") {
		for part := range strings.SplitSeq(line, ",") {
			part, _, _ = strings.Cut(part, ";") // parameters, of which these preferences have none
			name, value, _ := strings.Cut(part, "=")
			switch strings.ToLower(strings.TrimSpace(name)) {
			case "respond-async":
				async = true
			case "wait":
				if n, err := strconv.Atoi(strings.Trim(strings.TrimSpace(value), `"`)); err == nil && n >= 0 {
					wait = min(time.Duration(min(n, 3600))*time.Second, longest)
				}
			}
		}
	}
	return async, wait
}

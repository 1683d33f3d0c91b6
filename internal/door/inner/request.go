package inner

import (
	"context"
	"crypto/rand"
	"net/http"

	"github.com/go-chi/chi/v5/middleware"

	"fachwerk/internal/core/code"
)

// Numbered gives every request a place for its [Outcome], and an id: the one in its X-Request-Id, if that is of
// printable ASCII and not longer than 128 bytes, or else a random one. The answer repeats it, and so does whatever is
// logged about the request.
func Numbered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := r.Header.Get("X-Request-Id")
		if !plainID(id) {
			id = rand.Text()[:16]
		}
		w.Header().Set("X-Request-Id", id)
		ctx := context.WithValue(r.Context(), middleware.RequestIDKey, id)
		ctx, _ = WithOutcome(ctx)
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

func plainID(id string) bool {
	for _, c := range []byte(id) {
		if c <= ' ' || c > '~' {
			return false
		}
	}
	return id != "" && len(id) <= 128
}

// Outcome is what doors tell of a request beside its status, for the log and the measures. It is written by the one
// goroutine that answers.
type Outcome struct {
	Code            code.Code // why it was refused, or failed; empty if it was not, or the status says it all
	Allowed, Denied int       // decisions that were made
}

type outcomeKey struct{}

// WithOutcome gives whatever is done in a context a place for its outcome.
func WithOutcome(ctx context.Context) (context.Context, *Outcome) {
	o := &Outcome{}
	return context.WithValue(ctx, outcomeKey{}, o), o
}

// OutcomeOf gives the place for a request's outcome; one that nobody reads, if there is none.
func OutcomeOf(ctx context.Context) *Outcome {
	if o, ok := ctx.Value(outcomeKey{}).(*Outcome); ok {
		return o
	}
	return &Outcome{}
}

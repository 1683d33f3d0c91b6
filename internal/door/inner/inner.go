// Package inner is how all doors treat what goes wrong inside: it is logged with the request's id, and hidden from
// whoever asked.
package inner

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"runtime/debug"

	"github.com/go-chi/chi/v5/middleware"

	"fachwerk/internal/core/code"
	"fachwerk/internal/store"
)

// Message is what a caller is told instead of an inner error.
const Message = "Something went wrong in Fachwerk; the log of the server says more. Nothing was changed."

// Failed logs an error that is not the caller's. That nobody waits for the answer any longer is none.
func Failed(ctx context.Context, err error) {
	if errors.Is(err, context.Canceled) {
		return
	}
	OutcomeOf(ctx).Code = code.Internal
	slog.Error("request failed", "code", code.Internal, "request", middleware.GetReqID(ctx), "error", err)
}

// Answer tells how an error that is not the caller's is answered, once it is logged. What went wrong is hidden, but
// that nothing can be recorded at all is told: whoever works with Fachwerk cannot go on.
func Answer(ctx context.Context, err error) (status int, c code.Code, message string) {
	if reason, is := store.WhyUnusable(err); is {
		OutcomeOf(ctx).Code = code.Unusable
		slog.Error("nothing can be recorded", "code", code.Unusable, "request", middleware.GetReqID(ctx), "error", err)
		return http.StatusServiceUnavailable, code.Unusable, reason
	}
	Failed(ctx, err)
	return http.StatusInternalServerError, code.Internal, Message
}

// Guard answers a request whose handling panics, once it is logged. If the answer has begun, the connection ends
// instead, so that nobody takes a part for the whole.
func Guard(next http.Handler) http.Handler {
	return http.HandlerFunc(func(to http.ResponseWriter, r *http.Request) {
		w := middleware.NewWrapResponseWriter(to, r.ProtoMajor)
		defer func() {
			said := recover()
			if said == nil {
				return
			}
			if said == http.ErrAbortHandler {
				panic(said) // how a handler ends a connection on purpose
			}
			Failed(r.Context(), fmt.Errorf("panic: %v\n%s", said, debug.Stack()))
			if w.Status() != 0 {
				panic(http.ErrAbortHandler)
			}
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusInternalServerError)
			_, _ = fmt.Fprintf(
				w,
				`{"title":"Internal Server Error","status":500,"code":%q,"detail":%q}`+"\n",
				code.Internal,
				Message,
			)
		}()
		next.ServeHTTP(w, r)
	})
}

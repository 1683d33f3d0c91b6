package desk

import (
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
)

// errPanic tells that something failed in a way that nobody foresaw. What happened is in the log.
var errPanic = errors.New("an unforeseen failure")

// Guarded runs what others wait for, or what outlives the request that began it. A panic in it is logged and
// becomes an error, so that it ends neither the server nor the waiting of others.
func Guarded(do func() error) (err error) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error("panic", "what", fmt.Sprint(r), "stack", string(debug.Stack()))
			err = errPanic
		}
	}()
	return do()
}

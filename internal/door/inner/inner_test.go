package inner

import (
	"bytes"
	"encoding/json"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/go-chi/chi/v5/middleware"
)

// A panic is logged with the request's id, and the caller learns that something went wrong but not what.
func TestGuard(t *testing.T) {
	var log bytes.Buffer
	before := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&log, nil)))
	t.Cleanup(func() { slog.SetDefault(before) })
	h := middleware.RequestID(
		Guard(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { panic("the secret of the house") })),
	)
	r := httptest.NewRequest("GET", "/", nil)
	r.Header.Set("X-Request-Id", "req-7")
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	var problem map[string]any
	if err := json.Unmarshal(w.Body.Bytes(), &problem); err != nil || w.Code != 500 || problem["code"] != "internal" {
		t.Errorf("the answer is %d %s, %v", w.Code, w.Body, err)
	}
	if strings.Contains(w.Body.String(), "secret") {
		t.Error("the caller is told what happened inside")
	}
	if said := log.String(); !strings.Contains(said, "request=req-7") ||
		!strings.Contains(said, "the secret of the house") ||
		!strings.Contains(said, "inner_test.go") {
		t.Errorf("the log says %s", said)
	}
}

// A part of an answer is never left to be taken for the whole of it.
func TestAnAnswerThatHasBegunIsBrokenOff(t *testing.T) {
	h := Guard(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_, _ = w.Write([]byte("a part"))
		panic("too late")
	}))
	w := httptest.NewRecorder()
	defer func() {
		if said := recover(); said != http.ErrAbortHandler || strings.Contains(w.Body.String(), "500") {
			t.Errorf("it ends by %v, after %q", said, w.Body)
		}
	}()
	h.ServeHTTP(w, httptest.NewRequest("GET", "/", nil))
}

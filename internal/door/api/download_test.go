package api

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"fachwerk/internal/desk"
)

// What fails before anything is written is told as a failure, and what fails later is broken off: neither is ever taken
// for the whole.
func TestADownloadThatFailsIsNeverAnsweredAsDone(t *testing.T) {
	router := chi.NewMux()
	served := humachi.New(router, huma.DefaultConfig("test", "1"))
	for path, write := range map[string]func(to io.Writer) error{
		"/refused": func(io.Writer) error { return desk.Refuse(desk.NotFound, "There is no such review.") },
		"/failed":  func(io.Writer) error { return errors.New("the disk is gone") },
		"/nothing": func(io.Writer) error { return nil },
		"/whole":   func(to io.Writer) error { _, err := io.WriteString(to, "all of it"); return err },
		"/part": func(to io.Writer) error {
			_, _ = io.WriteString(to, strings.Repeat("a part of it\n", 10_000))
			return errors.New("the disk is gone")
		},
	} {
		huma.Get(served, path, func(context.Context, *struct{}) (*huma.StreamResponse, error) {
			return download("text/csv; charset=utf-8", "all.csv", write), nil
		})
	}
	server := httptest.NewServer(router)
	defer server.Close()
	for path, want := range map[string]struct {
		status int
		kind   string
		says   string
		ends   bool // the answer is whole
	}{
		"/refused": {http.StatusNotFound, "application/problem+json", "no such review", true},
		"/failed":  {http.StatusInternalServerError, "application/problem+json", `"status":500`, true},
		"/nothing": {http.StatusOK, "text/csv; charset=utf-8", "", true},
		"/whole":   {http.StatusOK, "text/csv; charset=utf-8", "all of it", true},
		"/part":    {http.StatusOK, "text/csv; charset=utf-8", "a part of it", false},
	} {
		r, err := http.Get(server.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(r.Body)
		_ = r.Body.Close()
		if r.StatusCode != want.status || r.Header.Get("Content-Type") != want.kind ||
			!strings.Contains(string(data), want.says) || (err == nil) != want.ends {
			t.Errorf("%s: %d %s, %.200q, %v", path, r.StatusCode, r.Header.Get("Content-Type"), data, err)
		}
		if named := r.Header.Get("Content-Disposition") != ""; named != (want.status == http.StatusOK) {
			t.Errorf("%s: a file's name is told: %v", path, named)
		}
	}
}

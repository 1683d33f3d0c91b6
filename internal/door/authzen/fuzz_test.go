package authzen_test

import (
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/store"
)

// fuzzed serves a small organisation, to whoever shows the token.
func fuzzed(f *testing.F) (h http.Handler, token string) {
	f.Helper()
	slog.SetDefault(slog.New(slog.DiscardHandler))
	s, err := store.Open(filepath.Join(f.TempDir(), "x.db"), false)
	if err != nil {
		f.Fatal(err)
	}
	f.Cleanup(func() { _ = s.Close() })
	d, err := rooms.Open(s, time.Now)
	if err != nil {
		f.Fatal(err)
	}
	if err := d.Load(model.Build(&model.Design{
		Organisation: &model.Organisation{Name: "N"},
		Users:        model.Table[*model.User]{{ID: "ann", UserName: "ann", DisplayName: "Ann"}},
		Assignments:  model.Table[*model.Assignment]{{ID: "a", Subject: model.Subject{User: "ann"}, Set: model.SetAuditor}},
	}), desk.Begin, "test"); err != nil {
		f.Fatal(err)
	}
	token, err = d.MakeToken(account.NewToken{Name: "test", Purpose: "decisions"})
	if err != nil {
		f.Fatal(err)
	}
	return server.New(d, s, fstest.MapFS{}, inner.Outside{}), token
}

// FuzzEvaluation sends whatever as a request for a decision. It never fails inside; what is answered is a decision, and
// what is no JSON object, by a reader that has nothing to do with ours, never gets one.
func FuzzEvaluation(f *testing.F) {
	h, token := fuzzed(f)
	right := `{"subject": {"type": "user", "id": "ann"}, "action": {"name": "view"}, "resource": {"type": "fachwerk:design", "id": "x"`
	f.Add(right + `}}`)
	f.Add(right + `, "properties": {"area": "root", "owner": "ann"}}, "context": {"time": "2026-01-01T00:00:00Z", "explain": true}}`)
	f.Add(`{"evaluations": [` + right + `}}, {}], "options": {"evaluations_semantic": "deny_on_first_deny"}}`)
	f.Add(`{"subject": {"type": "anonymous"}, "action": {"name": "\ud800"}, "resource": {"type": ":", "id": 1e999}}`)
	f.Add(`[`)
	f.Fuzz(func(t *testing.T, body string) {
		for _, path := range []string{"/evaluation", "/evaluations", "/search/subject", "/search/resource",
			"/search/action"} {
			r := httptest.NewRequest(http.MethodPost, "/access/v1"+path, strings.NewReader(body))
			r.Header.Set("Authorization", "Bearer "+token)
			r.Header.Set("Content-Type", "application/json")
			w := httptest.NewRecorder()
			h.ServeHTTP(w, r)
			if w.Code != http.StatusOK && w.Code != http.StatusBadRequest {
				t.Fatalf("%s %q is answered with %d %s", path, body, w.Code, w.Body)
			}
			if w.Code == http.StatusBadRequest {
				if strings.TrimSpace(w.Body.String()) == "" {
					t.Fatalf("%s %q is refused without a word", path, body)
				}
				continue
			}
			var read any
			decoder := json.NewDecoder(strings.NewReader(body))
			if err := decoder.Decode(&read); err != nil {
				t.Fatalf("%s answers what is no JSON: %q, %v", path, body, err)
			}
			if _, err := decoder.Token(); err != io.EOF {
				t.Fatalf("%s answers what has something behind it: %q", path, body)
			}
			if _, object := read.(map[string]any); !object {
				t.Fatalf("%s answers %q, which is no object", path, body)
			}
			var answer struct {
				Decision    *bool
				Evaluations []struct{ Decision *bool }
				Results     *[]any
			}
			if err := json.Unmarshal(w.Body.Bytes(), &answer); err != nil {
				t.Fatalf("%s %q is answered with %s", path, body, w.Body)
			}
			if answer.Decision == nil && answer.Evaluations == nil && answer.Results == nil {
				t.Fatalf("%s %q is answered with %s, which decides nothing", path, body, w.Body)
			}
			for _, e := range answer.Evaluations {
				if e.Decision == nil {
					t.Fatalf("%s %q is answered with %s", path, body, w.Body)
				}
			}
		}
	})
}

// No body of less than a megabyte takes more than 50 ms, or 20 times what a plain one of its size does.
func FuzzTime(f *testing.F) {
	h, token := fuzzed(f)
	f.Add("", "[", uint32(8<<10), "")
	f.Add("", "[", uint32(1<<20), "")
	f.Add(`{"x":`, `{"x":`, uint32(100_000), "")
	f.Add(`{"subject":"`, `\u00e9`, uint32(100_000), `"}`)
	f.Add(`{"evaluations":[`, `{},`, uint32(100_000), `{}]}`)
	f.Add(`{"x":[`, `1e999,`, uint32(100_000), `1]}`)
	f.Add("", `{"x":1}`, uint32(100_000), "")
	f.Fuzz(func(t *testing.T, begin, unit string, times uint32, end string) {
		body := begin + strings.Repeat(unit, int(min(times, uint32(1<<20/max(len(unit), 1))))) + end
		if len(body) > 1<<20 {
			return
		}
		took := func(path, body string) time.Duration {
			best := time.Hour
			for range 3 { // other work on the machine is no fault
				r := httptest.NewRequest(http.MethodPost, "/access/v1"+path, strings.NewReader(body))
				r.Header.Set("Authorization", "Bearer "+token)
				r.Header.Set("Content-Type", "application/json")
				began := time.Now()
				h.ServeHTTP(httptest.NewRecorder(), r)
				best = min(best, time.Since(began))
			}
			return best
		}
		plain := `{"x":"` + strings.Repeat("x", len(body)) + `"}`
		for _, path := range []string{"/evaluation", "/evaluations", "/search/subject"} {
			if is, may := took(path, body), max(50*time.Millisecond, 20*took(path, plain)); is > may {
				t.Errorf("%s takes %s for %d bytes that begin with %.60q, and may take %s", path, is, len(body), body, may)
			}
		}
	})
}

package server_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"

	"fachwerk/internal/core/model"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/store"
)

var page = "<!doctype html><title>Fachwerk</title>" + strings.Repeat(" ", 2000)

var frontEnd = fstest.MapFS{
	"index.html":         {Data: []byte(page)},
	"mark.svg":           {Data: []byte("<svg/>")},
	"assets/index-a1.js": {Data: []byte("void 0")},
}

// house is a server with the desk behind it.
type house struct {
	*httptest.Server
	desk *rooms.Desk
}

// made makes an owner of an empty house, and a token by which a program acts as them.
func made(t *testing.T, h house) string {
	t.Helper()
	design := model.Build(
		&model.Design{
			Organisation: &model.Organisation{Name: "Outer Skerry"},
			Users: model.Table[*model.User]{
				{ID: "ada", UserName: "ada", DisplayName: "Ada", State: model.UserActive, Source: model.Local},
			},
		},
	)
	if err := h.desk.Load(design, desk.Begin, "a beginning"); err != nil {
		t.Fatal(err)
	}
	if _, err := h.desk.MakeOwner("ada"); err != nil {
		t.Fatal(err)
	}
	token, err := h.desk.MakeToken(account.NewToken{Name: "a program", Purpose: "api", User: "ada"})
	if err != nil {
		t.Fatal(err)
	}
	return token
}

// serve serves an empty house with a front end.
func serve(t *testing.T, files fs.FS) house {
	t.Helper()
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	d, err := rooms.Open(s, time.Now)
	if err != nil {
		t.Fatal(err)
	}
	handler := server.New(d, s, files, inner.Outside{})
	web := httptest.NewServer(handler)
	t.Cleanup(func() {
		web.Close()
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	return house{web, d}
}

// ask sends a request as it is, and gives the answer with its body.
func ask(t *testing.T, method, address string, body io.Reader, header ...string) (*http.Response, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, address, body)
	if err != nil {
		t.Fatal(err)
	}
	for i := 0; i < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	answer, err := (&http.Transport{DisableCompression: true}).RoundTrip(r)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	if err != nil {
		t.Fatal(err)
	}
	return answer, string(data)
}

// Every path leads to one door: to the API, the decisions, the directories' one, a file of the front end, or else
// its page, which reads the path itself.
func TestDoors(t *testing.T) {
	web := serve(t, frontEnd)
	for _, c := range []struct {
		method, path string
		status       int
		kind, says   string
	}{
		{"GET", "/healthz", 200, "text/plain; charset=utf-8", "ok\n"},
		{"GET", "/readyz", 200, "text/plain; charset=utf-8", "ok\n"},
		{"GET", "/livez", 200, "text/plain; charset=utf-8", "ok\n"},
		{"GET", "/readyz/x", 404, "application/problem+json", "no such address"},
		{"GET", "/metrics", 404, "application/problem+json", "no such address"},
		{"GET", "/api", 404, "application/problem+json", "no such address"},
		{"GET", "/access/v2/evaluation", 404, "application/problem+json", `"code":"not-found"`},
		{"GET", "/scim/v3/Users", 404, "application/problem+json", "no such address"},
		{"GET", "/.well-known/ghosts", 404, "application/problem+json", "no such address"},
		{"GET", "/robots.txt", 404, "text/plain; charset=utf-8", "404"},
		{"GET", "/", 200, "text/html; charset=utf-8", page},
		{"GET", "/people/noor.tamsin?permission=quaybook:gate:admit", 200, "text/html; charset=utf-8", page},
		{"GET", "/people/../../etc/passwd", 200, "text/html; charset=utf-8", page},
		{"GET", "/mark.svg", 200, "image/svg+xml", "<svg/>"},
		{"GET", "/assets/index-a1.js", 200, "text/javascript; charset=utf-8", "void 0"},
		{"GET", "/assets/index-00.js", 404, "text/plain; charset=utf-8", "404"},
		{"GET", "/assets", 200, "text/html; charset=utf-8", page}, // a folder is no file
		{"POST", "/people", 405, "text/plain; charset=utf-8", "method not allowed"},
		{"GET", "/api/me", 401, "application/problem+json", "Sign in"},
		{"GET", "/api/ghosts", 404, "application/problem+json", "/api/openapi.json lists them all"},
		{"DELETE", "/api/ghosts", 404, "application/problem+json", "no such address"},
		{"GET", "/api/openapi.json", 200, "application/openapi+json", `"openapi":"3.1`},
		{"POST", "/access/v1/evaluation", 401, "", ""},
		{"GET", "/.well-known/authzen-configuration", 200, "application/json", "access_evaluation_endpoint"},
		{"GET", "/scim/v2/Users", 401, "application/scim+json", `"401"`},
		{"GET", "/scim/v2/Ghosts", 401, "application/scim+json", ""},
	} {
		answer, body := ask(t, c.method, web.URL+c.path, nil)
		if answer.StatusCode != c.status || c.kind != "" && answer.Header.Get("Content-Type") != c.kind ||
			!strings.Contains(body, c.says) {
			t.Errorf(
				"%s %s is answered %s as %s: %.200q",
				c.method,
				c.path,
				answer.Status,
				answer.Header.Get("Content-Type"),
				body,
			)
		}
	}
	if answer, body := ask(t, "HEAD", web.URL+"/people", nil); answer.StatusCode != 200 || body != "" {
		t.Errorf("HEAD is answered %s with %q", answer.Status, body)
	}
}

// What is cached, and what a page may load: only what the binary itself holds.
func TestHeadersOfTheFrontEnd(t *testing.T) {
	web := serve(t, frontEnd)
	for path, cached := range map[string]string{"/": "no-cache", "/roles": "no-cache",
		"/assets/index-a1.js": "public, max-age=31536000, immutable", "/mark.svg": "no-cache"} {
		answer, _ := ask(t, "GET", web.URL+path, nil)
		h := answer.Header
		if h.Get("Cache-Control") != cached {
			t.Errorf("%s is cached by %q, want %q", path, h.Get("Cache-Control"), cached)
		}
		if policy := h.Get("Content-Security-Policy"); !strings.Contains(policy, "default-src 'self'") ||
			!strings.Contains(policy, "frame-ancestors 'none'") ||
			h.Get("X-Content-Type-Options") != "nosniff" ||
			h.Get("Referrer-Policy") != "same-origin" {
			t.Errorf("%s comes with %v", path, h)
		}
	}
	answer, body := ask(t, "GET", web.URL+"/", nil, "Accept-Encoding", "gzip")
	if answer.Header.Get("Content-Encoding") != "gzip" || len(body) >= len(page) {
		t.Fatalf("asked for gzip, it comes as %q, %d bytes", answer.Header.Get("Content-Encoding"), len(body))
	}
	unpacked, err := gzip.NewReader(strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if text, err := io.ReadAll(unpacked); err != nil || string(text) != page {
		t.Errorf("unpacked, it is %d bytes, %v", len(text), err)
	}
}

// Who sends too much is told so, and the server goes on.
func TestTooMuch(t *testing.T) {
	web := serve(t, frontEnd)
	token := made(t, web)
	for _, c := range []struct {
		path        string
		size, wants int // MiB, and the status
	}{{"/api/session", 2, 413}, {"/api/upgrades", 9, 422}, {"/api/upgrades", 13, 413}, {"/api/draft/upgrade", 13, 413},
		{"/api/draft/delete", 2, 413}} {
		large := strings.NewReader(`{"name":"x.json","data":"` + strings.Repeat("eHh4", c.size<<18) + `"}`)
		if answer, body := ask(t, "POST", web.URL+c.path, large, "Content-Type", "application/json", "Authorization",
			"Bearer "+token); answer.StatusCode != c.wants {
			t.Errorf("%d MiB to %s are answered %s: %.200s", c.size, c.path, answer.Status, body)
		}
	}
	if answer, _ := ask(t, "GET", web.URL+"/healthz", nil); answer.StatusCode != 200 {
		t.Errorf("afterwards the server answers %s", answer.Status)
	}
}

func TestWithoutAFrontEnd(t *testing.T) {
	web := serve(t, fstest.MapFS{})
	if answer, body := ask(t, "GET", web.URL+"/", nil); answer.StatusCode != http.StatusNotFound ||
		!strings.Contains(body, "make build") {
		t.Errorf("it is answered %s: %s", answer.Status, body)
	}
	if answer, _ := ask(t, "GET", web.URL+"/healthz", nil); answer.StatusCode != 200 {
		t.Errorf("healthz is answered %s", answer.Status)
	}
}

// Whose database is taken away beneath them is told so, and nothing is acknowledged that nobody keeps.
func TestTheFileBeneathIsGone(t *testing.T) {
	for name, take := range map[string]func(file string) error{
		"removed": os.Remove,
		"replaced": func(file string) error {
			data, err := os.ReadFile(file)
			return errors.Join(err, os.Rename(file, file+".old"), os.WriteFile(file, data, 0o600))
		},
		"log removed": func(file string) error { return os.Remove(file + "-wal") },
	} {
		t.Run(name, func(t *testing.T) {
			file := filepath.Join(t.TempDir(), "x.db")
			s, err := store.Open(file, false)
			if err != nil {
				t.Fatal(err)
			}
			d, err := rooms.Open(s, time.Now)
			if err != nil {
				t.Fatal(err)
			}
			secret, err := d.MakeToken(account.NewToken{Name: "directory", Purpose: "scim"})
			if err != nil {
				t.Fatal(err)
			}
			handler := server.New(d, s, frontEnd, inner.Outside{})
			web := httptest.NewServer(handler)
			defer web.Close()
			user := func(name string) (*http.Response, string) {
				body := `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"` + name + `"}`
				return ask(t, "POST", web.URL+"/scim/v2/Users", strings.NewReader(body),
					"Authorization", "Bearer "+secret, "Content-Type", "application/scim+json")
			}
			if answer, body := user("before"); answer.StatusCode != http.StatusCreated {
				t.Fatal(answer.Status, body)
			}
			if err := take(file); err != nil {
				t.Fatal(err)
			}
			if answer, body := user("after"); answer.StatusCode != http.StatusServiceUnavailable ||
				!strings.Contains(body, "while Fachwerk runs") {
				t.Errorf("a change is answered %s %s", answer.Status, body)
			}
			if answer, body := ask(t, "GET", web.URL+"/readyz", nil); answer.StatusCode != http.StatusServiceUnavailable ||
				!strings.Contains(body, file) {
				t.Errorf("readyz is answered %s %s", answer.Status, body)
			}
			if answer, _ := ask(t, "GET", web.URL+"/livez", nil); answer.StatusCode != http.StatusOK {
				t.Errorf("livez is answered %s", answer.Status)
			}
			if answer, body := ask(t, "GET", web.URL+"/scim/v2/Users", nil, "Authorization",
				"Bearer "+secret); answer.StatusCode !=
				http.StatusOK || !strings.Contains(body, `"before"`) || strings.Contains(body, `"after"`) {
				t.Errorf("what is known is answered %s %s", answer.Status, body)
			}
			_ = s.Close() // whatever it says of files that are not there
		})
	}
}

// Under a path of its host, everything is reached there, whether a proxy takes the path off or not: the page names its
// files from there, and the cookie is for there.
func TestUnderAPath(t *testing.T) {
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	d, err := rooms.Open(s, time.Now)
	if err != nil {
		t.Fatal(err)
	}
	files := fstest.MapFS{
		"index.html":         {Data: []byte(`<head></head><script src="./assets/index-a1.js"></script>`)},
		"assets/index-a1.js": {Data: []byte("void 0")},
	}
	web := httptest.NewServer(server.New(d, s, files, inner.Outside{URL: "https://tools.example/house"}))
	defer web.Close()
	h := house{web, d}
	made(t, h)
	link, err := d.PasswordLink("ada")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.SetPassword(t.Context(), link, "three boats and a lamp", "test"); err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]string{
		"/house/people/ada": `src="/house/assets/index-a1.js"`,
		// as a proxy hands on that takes it off
		"/people/ada":                              `<meta name="fachwerk-path" content="/house" />`,
		"/house/assets/index-a1.js":                "void 0",
		"/house/api/sign-in":                       `"organisation"`,
		"/house/readyz":                            "ok",
		"/house/.well-known/authzen-configuration": `"https://tools.example/house/access/v1/evaluation"`,
	} {
		if answer, body := ask(t, "GET", web.URL+path, nil); answer.StatusCode != 200 || !strings.Contains(body, want) {
			t.Errorf("%s: %d %s, want %s", path, answer.StatusCode, body, want)
		}
	}
	if answer, _ := ask(t, "GET", web.URL+"/house", nil); answer.Header.Get("Location") != "/house/" {
		t.Errorf("its path without a slash: %d to %q", answer.StatusCode, answer.Header.Get("Location"))
	}
	answer, body := ask(t, "POST", web.URL+"/house/api/session",
		strings.NewReader(`{"userName": "ada", "password": "three boats and a lamp"}`), "Content-Type", "application/json")
	if c := answer.Header.Get("Set-Cookie"); !strings.HasPrefix(c, "__Secure-fachwerk=") ||
		!strings.Contains(c, "Path=/house/;") || !strings.Contains(c, "Secure") {
		t.Errorf("signing in: %d %s, the cookie is %q", answer.StatusCode, body, c)
	}
}

// Every answer, an error's too, repeats the request's id, or says which it was given; what is no id is not taken over.
func TestRequestsHaveIDs(t *testing.T) {
	h := serve(t, frontEnd)
	for _, path := range []string{"/", "/api/me", "/api/nothing", "/access/v1/evaluation", "/scim/v2/Users", "/readyz"} {
		if answer, _ := ask(t, "GET", h.URL+path, nil, "X-Request-Id",
			"ticket-7"); answer.Header.Get("X-Request-Id") != "ticket-7" {
			t.Errorf("%s repeats %q", path, answer.Header.Get("X-Request-Id"))
		}
	}
	seen := map[string]bool{}
	for _, sent := range []string{"", "two words", strings.Repeat("x", 129)} {
		answer, _ := ask(t, "GET", h.URL+"/readyz", nil, "X-Request-Id", sent)
		if id := answer.Header.Get("X-Request-Id"); len(id) != 16 || seen[id] {
			t.Errorf("sent %q, the request is called %q", sent, id)
		} else {
			seen[id] = true
		}
	}
}

// What is measured is what happened: requests by route and not by address, refusals by code, decisions, sign-ins, what
// there is and what waits. The log has a line a request, with no address, name or secret in it.
func TestWatched(t *testing.T) {
	var log lockedBuffer
	before := slog.Default()
	slog.SetDefault(slog.New(slog.NewJSONHandler(&log, &slog.HandlerOptions{Level: slog.LevelDebug})))
	t.Cleanup(func() { slog.SetDefault(before) })
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	d, err := rooms.Open(s, time.Now)
	if err != nil {
		t.Fatal(err)
	}
	all := server.New(d, s, frontEnd, inner.Outside{})
	web := httptest.NewServer(all)
	defer web.Close()
	h := house{web, d}
	token := made(t, h)
	decisions, err := d.MakeToken(account.NewToken{Name: "gates", Purpose: "decisions"})
	if err != nil {
		t.Fatal(err)
	}
	sending := func(method, path, body, token string) {
		ask(t, method, web.URL+path, strings.NewReader(body), "Content-Type", "application/json", "Authorization",
			"Bearer "+token)
	}
	sending("GET", "/api/find?q=secret-word", "", token)
	sending("GET", "/api/people/nobody", "", token)
	sending("GET", "/api/welcome/A2SECRETLINK", "", "")
	sending("POST", "/api/session", `{"userName": "ada", "password": "wrong"}`, "")
	sending("BREW", "/api/me", "", token)
	one := `{"subject": {"type": "user", "id": "ada"}, "action": {"name": "view"}, "resource": {"type": "fachwerk:design", "id": "x"}}`
	sending("POST", "/access/v1/evaluation", one, decisions)
	sending("POST", "/access/v1/evaluations", `{"evaluations": [`+one+`,`+strings.Replace(one, "ada", "bea", 1)+`]}`,
		decisions)
	sending("GET", "/people/ada", "", "")
	w := httptest.NewRecorder()
	all.Watch.Handler().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	measures := w.Body.String()
	for _, want := range []string{
		`fachwerk_http_requests_total{method="GET",route="/api/find",status="200"} 1`,
		`fachwerk_http_requests_total{method="GET",route="/api/people/{id}",status="404"} 1`,
		`fachwerk_http_requests_total{method="GET",route="page",status="200"} 1`,
		`fachwerk_http_request_seconds_count{route="/access/v1/evaluation"} 1`,
		`fachwerk_decisions_total{decision="allowed"} 2`,
		`fachwerk_decisions_total{decision="denied"} 1`,
		`fachwerk_refusals_total{code="not-found"} 2`,
		`fachwerk_security_events_total{what="sign-in-failed"} 1`,
		`fachwerk_design_objects{kind="user"} 1`, "fachwerk_revision 2", "fachwerk_ready 1",
		`fachwerk_work_waiting{what="letters"} 0`, `fachwerk_build_info{version="` + server.Version + `"} 1`,
	} {
		if !strings.Contains(measures, want+"\n") {
			t.Errorf("the measures lack %s", want)
		}
	}
	if strings.Contains(measures, "BREW") || !strings.Contains(measures, `method="other"`) {
		t.Error("a method that somebody made up is measured by its name")
	}
	lines := 0
	for line := range strings.Lines(log.String()) {
		var entry struct {
			Msg, Method, Route, Request, Code, Level string
			Status                                   int
		}
		if err := json.Unmarshal([]byte(line), &entry); err != nil {
			t.Errorf("%q: %v", line, err)
		}
		if entry.Msg != "request" {
			continue
		}
		if lines++; entry.Request == "" || entry.Route == "" || entry.Status == 0 {
			t.Errorf("a request is logged as %s", line)
		}
		if entry.Status == 404 && entry.Code != "not-found" {
			t.Errorf("its code is not in %s", line)
		}
		if (entry.Level == "DEBUG") != (entry.Route == "page" || strings.HasPrefix(entry.Route, "/access/")) {
			t.Errorf("the level is not right in %s", line)
		}
		for _, word := range []string{"secret-word", "SECRETLINK", "127.0.0.1", "ada"} {
			if strings.Contains(line, word) {
				t.Errorf("the log tells %q: %s", word, line)
			}
		}
	}
	if lines != 8 {
		t.Errorf("%d requests are logged, not 8", lines)
	}
}

// lockedBuffer can be written to by many.
type lockedBuffer struct {
	sync.Mutex
	bytes.Buffer
}

func (b *lockedBuffer) Write(data []byte) (int, error) {
	b.Lock()
	defer b.Unlock()
	return b.Buffer.Write(data)
}

func (b *lockedBuffer) String() string {
	b.Lock()
	defer b.Unlock()
	return b.Buffer.String()
}

// An address that is there by another method says by which, and HEAD is answered wherever GET is.
func TestMethods(t *testing.T) {
	h := serve(t, frontEnd)
	for _, c := range []struct {
		method, path string
		status       int
		allow        string
	}{
		{"DELETE", "/api/me", http.StatusMethodNotAllowed, "GET, HEAD"},
		{"PUT", "/api/draft/apply", http.StatusMethodNotAllowed, "POST"},
		{"PATCH", "/api/draft", http.StatusMethodNotAllowed, "GET, HEAD, DELETE"},
		{"DELETE", "/api/nothing", http.StatusNotFound, ""},
		{"GET", "/api/draft/apply", http.StatusMethodNotAllowed, "POST"},
		{"HEAD", "/api/openapi.json", http.StatusOK, ""},
		{"HEAD", "/api/me", http.StatusUnauthorized, ""},
		{"HEAD", "/readyz", http.StatusOK, ""},
		{"HEAD", "/.well-known/authzen-configuration", http.StatusOK, ""},
		{"HEAD", "/api/nothing", http.StatusNotFound, ""},
		{"DELETE", "/readyz", http.StatusMethodNotAllowed, "GET, HEAD"},
		{"GET", "/access/v1/evaluation", http.StatusUnauthorized, ""}, // whoever shows no token is told nothing
	} {
		answer, body := ask(t, c.method, h.URL+c.path, nil)
		if answer.StatusCode != c.status || answer.Header.Get("Allow") != c.allow {
			t.Errorf("%s %s: %d, allowed %q, want %d and %q", c.method, c.path, answer.StatusCode,
				answer.Header.Get("Allow"), c.status, c.allow)
		}
		if c.method == http.MethodHead && len(body) > 0 {
			t.Errorf("%s %s has a body: %s", c.method, c.path, body)
		}
	}
}

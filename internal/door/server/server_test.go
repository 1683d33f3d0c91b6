package server_test

import (
	"compress/gzip"
	"errors"
	"io"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

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
	if err := h.desk.Load(design, false, "a beginning"); err != nil {
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
	handler, _ := server.New(d, s, files, inner.Outside{})
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
	for path, cached := range map[string]string{"/": "no-cache", "/roles": "no-cache", "/assets/index-a1.js": "public, max-age=31536000, immutable", "/mark.svg": "no-cache"} {
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
	}{{"/api/session", 2, 413}, {"/api/upgrades", 9, 422}, {"/api/upgrades", 13, 413}, {"/api/draft/upgrade", 13, 413}, {"/api/draft/delete", 2, 413}} {
		large := strings.NewReader(`{"name":"x.json","data":"` + strings.Repeat("eHh4", c.size<<18) + `"}`)
		if answer, body := ask(t, "POST", web.URL+c.path, large, "Content-Type", "application/json", "Authorization", "Bearer "+token); answer.StatusCode != c.wants {
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
			handler, _ := server.New(d, s, frontEnd, inner.Outside{})
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
			if answer, body := ask(t, "GET", web.URL+"/scim/v2/Users", nil, "Authorization", "Bearer "+secret); answer.StatusCode !=
				http.StatusOK || !strings.Contains(body, `"before"`) || strings.Contains(body, `"after"`) {
				t.Errorf("what is known is answered %s %s", answer.Status, body)
			}
			_ = s.Close() // whatever it says of files that are not there
		})
	}
}

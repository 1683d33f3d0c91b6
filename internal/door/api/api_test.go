package api_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"

	"fachwerk/internal/demo"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/store"
)

var day = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

func serve(t *testing.T) (string, *rooms.Desk) {
	t.Helper()
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	if err := demo.Fill(s, day); err != nil {
		t.Fatal(err)
	}
	d, err := rooms.Open(s, func() time.Time { return day })
	if err != nil {
		t.Fatal(err)
	}
	h := server.New(
		d,
		s,
		fstest.MapFS{"index.html": {Data: []byte("the page")}, "assets/a.js": {Data: []byte("code")}},
		inner.Outside{},
	)
	srv := httptest.NewServer(h)
	t.Cleanup(func() { srv.Close(); _ = s.Close() })
	return srv.URL, d
}

// browser keeps cookies, as a browser does.
type browser struct {
	t      *testing.T
	url    string
	client *http.Client
	header http.Header
}

func newBrowser(t *testing.T, url string) *browser {
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &browser{t, url, &http.Client{Jar: jar}, http.Header{}}
}

func (b *browser) send(method, path string, body any) (int, map[string]any, http.Header) {
	b.t.Helper()
	var in io.Reader
	if text, raw := body.(string); raw {
		in = strings.NewReader(text)
	} else if body != nil {
		data, err := json.Marshal(body)
		if err != nil {
			b.t.Fatal(err)
		}
		in = bytes.NewReader(data)
	}
	req, err := http.NewRequest(method, b.url+path, in)
	if err != nil {
		b.t.Fatal(err)
	}
	req.Header = b.header.Clone()
	if in != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	resp, err := b.client.Do(req)
	if err != nil {
		b.t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		b.t.Fatal(err)
	}
	var v map[string]any
	if err := json.Unmarshal(data, &v); err != nil {
		v = map[string]any{"text": string(data)}
	}
	return resp.StatusCode, v, resp.Header
}

func (b *browser) signIn(user string) {
	b.t.Helper()
	if status, v, _ := b.send("POST", "/api/session",
		map[string]string{"userName": user, "password": demo.Password}); status != http.StatusOK {
		b.t.Fatalf("%s is not let in: %d %v", user, status, v)
	}
}

func TestSessions(t *testing.T) {
	url, _ := serve(t)
	b := newBrowser(t, url)
	status, v, header := b.send("GET", "/api/me", nil)
	if status != http.StatusUnauthorized || header.Get("Content-Type") != "application/problem+json" ||
		v["detail"] != "Sign in first." ||
		v["status"] != 401.0 {
		t.Errorf("before signing in: %d %s %v", status, header.Get("Content-Type"), v)
	}
	if status, v, _ = b.send("POST", "/api/session",
		map[string]string{"userName": "signe.halloran", "password": "wrong"}); status != http.StatusUnauthorized {
		t.Errorf("a wrong password: %d %v", status, v)
	}
	_, _, header = b.send(
		"POST",
		"/api/session",
		map[string]string{"userName": "Signe.Halloran", "password": demo.Password},
	)
	if cookie := header.Get("Set-Cookie"); !strings.Contains(cookie, "HttpOnly") ||
		!strings.Contains(cookie, "SameSite=Lax") {
		t.Errorf("the cookie is %q", cookie)
	}
	if status, v, _ = b.send("GET", "/api/me", nil); status != http.StatusOK ||
		v["user"].(map[string]any)["name"] != "Signe Halloran" {
		t.Errorf("signed in: %d %v", status, v)
	}
	if status, _, _ = b.send("DELETE", "/api/session", nil); status != http.StatusNoContent {
		t.Errorf("signing out: %d", status)
	}
	if status, _, _ = b.send("GET", "/api/me", nil); status != http.StatusUnauthorized {
		t.Errorf("signed out: %d", status)
	}
}

// A program reads from a code, and not from English, why it was refused.
func TestRefusalsHaveCodes(t *testing.T) {
	url, _ := serve(t)
	owner, stranger, auditor := newBrowser(t, url), newBrowser(t, url), newBrowser(t, url)
	owner.signIn("signe.halloran")
	auditor.signIn("oona.brandvold")
	supplied := map[string]any{
		"id":          "quaybook-viewer",
		"name":        "Viewer",
		"system":      "quaybook",
		"permissions": []string{},
	}
	_, lists, _ := owner.send("GET", "/api/lists/set?q=system+eq+%22quaybook%22&limit=1", nil)
	if rows, _ := lists["rows"].([]any); len(rows) > 0 {
		supplied["id"] = rows[0].(map[string]any)["id"]
	}
	_, set, _ := owner.send("GET", "/api/sets/"+fmt.Sprint(supplied["id"]), nil)
	for name, c := range map[string]struct {
		who          *browser
		method, path string
		body         any
		code         string
	}{
		"nobody":        {stranger, "GET", "/api/me", nil, "not-signed-in"},
		"no such thing": {owner, "GET", "/api/roles/none", nil, "not-found"},
		"no sense":      {owner, "GET", "/api/frame?focus=nonsense", nil, "invalid"},
		"no right":      {auditor, "POST", "/api/draft/tidy", map[string]any{"group": "north-gate-crew"}, "permitted"},
		"what is supplied": {owner, "PUT", "/api/draft/sets", map[string]any{"before": set["set"], "after": supplied},
			"supplied"},
		"a broken body": {owner, "POST", "/api/draft/tick", map[string]any{"kind": "ship"}, "invalid"},
	} {
		status, v, _ := c.who.send(c.method, c.path, c.body)
		if status < 400 || v["code"] != c.code {
			t.Errorf("%s: %d, code %v, want %s (%v)", name, status, v["code"], c.code, v["detail"])
		}
	}
}

func TestOtherSitesCannotAct(t *testing.T) {
	url, _ := serve(t)
	b := newBrowser(t, url)
	b.signIn("signe.halloran")
	b.header.Set("Sec-Fetch-Site", "cross-site")
	if status, _, _ := b.send("DELETE", "/api/draft", nil); status != http.StatusForbidden {
		t.Errorf("a request of another site is answered %d", status)
	}
	if status, _, _ := b.send("GET", "/api/draft", nil); status != http.StatusOK {
		t.Errorf("a mere look is answered %d", status)
	}
}

// Guessing is slowed down, and shuts nobody out: who signed in well from their own address before still does.
func TestGuessingIsSlowedDown(t *testing.T) {
	address, d := serve(t)
	friend := newBrowser(t, address)
	friend.signIn("signe.halloran")
	guess := func(from, name, password string) error {
		_, err := d.SignIn(t.Context(), name, password, from)
		return err
	}
	stopped := func(err error) bool {
		e := (*desk.Error)(nil)
		return errors.As(err, &e) && e.Cause == desk.Busy
	}
	n := 0
	for ; n < 100 && !stopped(guess("203.0.113.7", "signe.halloran", "a guess of a password")); n++ {
	}
	if n < 5 || n > 20 {
		t.Errorf("%d guesses at one account are let through", n)
	}
	if err := guess("203.0.113.99", "signe.halloran", demo.Password); !stopped(err) {
		t.Errorf("from a strange address, the account answers %v", err)
	}
	if err := guess("127.0.0.1", "signe.halloran", demo.Password); err != nil {
		t.Errorf("from her own address she gets %v", err)
	}
	if err := guess("203.0.113.99", "ruben.adeyemi", demo.Password); err != nil {
		t.Errorf("another account answers %v", err)
	}
	for n = 0; n < 200 && !stopped(guess("203.0.113.8", "nobody"+strconv.Itoa(n), "a guess of a password")); n++ {
	}
	if n < 20 || n > 100 {
		t.Errorf("%d guesses from one address are let through", n)
	}
	b := newBrowser(t, address)
	if status, _, _ := b.send("GET", "/api/sign-in", nil); status != http.StatusOK {
		t.Errorf("the sign-in page is answered %d", status)
	}
}

func TestRefusalsAreProblems(t *testing.T) {
	url, _ := serve(t)
	b := newBrowser(t, url)
	b.signIn("signe.halloran")
	for _, c := range []struct {
		method, path string
		body         any
		status       int
		says         string
	}{
		{"GET", "/api/people/nobody", nil, 404, "no person"},
		{"GET", "/api/frame/user?focus=x", nil, 422, "kind:id"},
		{"GET", "/api/frame/user?limit=9999", nil, 422, "validation"},
		{"POST", "/api/draft/join",
			map[string]any{"from": map[string]string{"kind": "user", "id": "noor.tamsin"},
				"to": map[string]string{"kind": "permission", "id": "quaybook:gate:view"}}, 422, "not given by itself"},
		{"POST", "/api/draft/join",
			map[string]any{"from": map[string]string{"kind": "ship", "id": "x"},
				"to": map[string]string{"kind": "role", "id": "y"}}, 422, "validation"},
		{"POST", "/api/draft/join", "{", 400, ""},
		{"POST", "/api/draft/undo", map[string]int{"revision": 999}, 404, "no revision"},
		{"POST", "/api/draft/apply", map[string]string{"reason": "x", "stamp": "y"}, 422, "nothing in the draft"},
		{"GET", "/api/reviews/77", nil, 404, "no review"},
		{"GET", "/api/nowhere", nil, 404, "no such address"},
		{"GET", "/api/welcome/made-up", nil, 404, "run out"},
		{"POST", "/api/draft/join", `{"from":"` + strings.Repeat("x", 10<<20) + `"}`, 413, ""},
	} {
		status, v, header := b.send(c.method, c.path, c.body)
		detail, _ := v["detail"].(string)
		if status != c.status || !strings.Contains(detail, c.says) ||
			header.Get("Content-Type") != "application/problem+json" {
			t.Errorf(
				"%s %s is answered %d %s %v, want %d and %q",
				c.method,
				c.path,
				status,
				header.Get("Content-Type"),
				v,
				c.status,
				c.says,
			)
		}
	}
}

func TestTheWholeJobOverTheAPI(t *testing.T) {
	url, d := serve(t)
	b := newBrowser(t, url)
	b.signIn("signe.halloran")
	_, v, _ := b.send(
		"POST",
		"/api/draft/join",
		map[string]any{
			"from":  map[string]string{"kind": "user", "id": "noor.tamsin"},
			"to":    map[string]string{"kind": "role", "id": "night-cover"},
			"terms": map[string]string{"area": "terminal-2"},
		},
	)
	if v["gaining"] != 1.0 {
		t.Fatalf("the draft is %v", v)
	}
	_, v, _ = b.send("POST", "/api/draft/apply", map[string]any{"reason": "nights at Terminal 2", "stamp": v["stamp"]})
	if v["revision"] != 61.0 {
		t.Fatalf("applied as %v", v)
	}
	_, v, _ = b.send("GET", "/api/people/noor.tamsin/trace?permission=quaybook:gate:override&where=terminal-2", nil)
	if len(v["ways"].([]any)) != 1 {
		t.Errorf("the trace is %v", v)
	}
	// A program that acts for the auditor sees what the auditor sees, and changes nothing.
	token, err := d.MakeToken(account.NewToken{Name: "audit", Purpose: "api", User: "oona.brandvold"})
	if err != nil {
		t.Fatal(err)
	}
	p := newBrowser(t, url)
	p.header.Set("Authorization", "Bearer "+token)
	if status, v, _ := p.send("GET", "/api/me", nil); status != http.StatusOK || v["revision"] != 61.0 {
		t.Errorf("the program is %d %v", status, v)
	}
	if status, v, _ := p.send("POST", "/api/draft/undo", map[string]int{"revision": 61}); status != http.StatusForbidden {
		t.Errorf("the auditor's program may undo: %d %v", status, v)
	}
	p.header.Set("Authorization", "Bearer made-up")
	if status, _, _ := p.send("GET", "/api/me", nil); status != http.StatusUnauthorized {
		t.Errorf("a made-up token: %d", status)
	}
}

func TestPagesAndFiles(t *testing.T) {
	url, _ := serve(t)
	b := newBrowser(t, url)
	for path, want := range map[string]string{"/": "the page", "/people/noor.tamsin?where=x": "the page",
		"/assets/a.js": "code", "/healthz": "ok\n"} {
		if status, v, _ := b.send("GET", path, nil); status != http.StatusOK || v["text"] != want {
			t.Errorf("%s is answered %d %v", path, status, v)
		}
	}
	if status, _, _ := b.send("GET", "/assets/gone.js", nil); status != http.StatusNotFound {
		t.Errorf("a missing file is answered %d", status)
	}
	_, _, header := b.send("GET", "/", nil)
	if !strings.Contains(header.Get("Content-Security-Policy"), "default-src 'self'") ||
		header.Get("X-Content-Type-Options") != "nosniff" {
		t.Errorf("the page's headers are %v", header)
	}
	if status, v, _ := b.send("GET", "/api/openapi.json", nil); status != http.StatusOK || v["openapi"] != "3.1.0" {
		t.Errorf("the description is answered %d", status)
	}
}

package api_test

import (
	"io"
	"net/http"
	"strings"
	"testing"

	"fachwerk/internal/desk/account"
)

// Whatever is larger than an operation takes is answered 413, by whichever bound it meets first, and whether its length
// is told before or not.
func TestWhatIsTooLarge(t *testing.T) {
	address, _ := serve(t)
	b := newBrowser(t, address)
	b.signIn("signe.halloran")
	operations, _ := everyOperation(t, address)
	asked := 0
	for _, o := range operations {
		if o.method == http.MethodGet || o.method == http.MethodDelete || strings.Contains(o.path, "/session") ||
			strings.HasPrefix(o.path, "/api/imports") || strings.Contains(o.path, "upgrade") || o.body == nil {
			continue // they take none, sign out, or take files
		}
		for _, told := range []bool{true, false} {
			body := io.Reader(strings.NewReader(`{"x":"` + strings.Repeat("x", 9<<20) + `"}`))
			if !told {
				body = io.MultiReader(body)
			}
			req, err := http.NewRequest(o.method, address+strings.NewReplacer("{", "", "}", "").Replace(o.path), body)
			if err != nil {
				t.Fatal(err)
			}
			req.Header.Set("Content-Type", "application/json")
			resp, err := b.client.Do(req)
			if err != nil {
				t.Fatal(err)
			}
			if asked++; resp.StatusCode != http.StatusRequestEntityTooLarge {
				t.Errorf("%s %s with 9 MiB is answered %d", o.method, o.path, resp.StatusCode)
			}
			resp.Body.Close()
		}
	}
	if asked < 60 {
		t.Errorf("only %d were asked", asked)
	}
}

// What is nested deeper than anything needs is refused at every door, soon, and whatever it is.
func TestWhatIsTooDeep(t *testing.T) {
	address, d := serve(t)
	b := newBrowser(t, address)
	b.signIn("signe.halloran")
	token := func(purpose string) string {
		made, err := d.MakeToken(account.NewToken{Name: purpose, Purpose: purpose})
		if err != nil {
			t.Fatal(err)
		}
		return made
	}
	directory, decisions := token("scim"), token("decisions")
	for door, path := range map[string]string{
		"api": "/api/changes", "a model file": "/api/plan", "scim": "/scim/v2/Users", "bulk": "/scim/v2/Bulk",
		"decisions": "/access/v1/evaluation", "a batch": "/access/v1/evaluations", "a search": "/access/v1/search/subject",
	} {
		for deep, body := range map[bool]string{
			true:  `{"x":` + strings.Repeat("[", 4<<20),
			false: `{"x":` + strings.Repeat("[", 31) + strings.Repeat("]", 31) + `,"y":"` + strings.Repeat("[{", 99) + `\"["}`,
		} {
			req, err := http.NewRequest(http.MethodPost, address+path, strings.NewReader(body))
			if err != nil {
				t.Fatal(err)
			}
			req.Header.Set("Content-Type", "application/json")
			switch {
			case strings.HasPrefix(path, "/scim"):
				req.Header.Set("Authorization", "Bearer "+directory)
				req.Header.Set("Content-Type", "application/scim+json")
			case strings.HasPrefix(path, "/access"):
				req.Header.Set("Authorization", "Bearer "+decisions)
			}
			resp, err := b.client.Do(req)
			if err != nil {
				t.Fatal(err)
			}
			text, _ := io.ReadAll(resp.Body)
			resp.Body.Close()
			says := strings.Contains(string(text), "nested more than 32")
			if deep && resp.StatusCode != http.StatusBadRequest || deep != says {
				t.Errorf("%s, too deep %v, is answered %d %.300s", door, deep, resp.StatusCode, text)
			}
		}
	}
}

// What has no form in UTC, or is not seen, is refused with its place, at whichever door.
func TestWhatCannotBeKept(t *testing.T) {
	address, _ := serve(t)
	b := newBrowser(t, address)
	b.signIn("signe.halloran")
	far := "9999-12-31T23:59:59-05:00"
	assign := func(until string) map[string]any {
		return map[string]any{
			"subjects": []any{map[string]string{"kind": "user", "id": "noor.tamsin"}},
			"targets":  []any{map[string]string{"kind": "role", "id": "night-cover"}},
			"terms":    map[string]string{"area": "terminal-1", "until": until},
		}
	}
	for _, c := range []struct {
		method, path string
		body         any
		where        string
	}{
		{"POST", "/api/draft/assign", assign(far), "body.terms.until"},
		{"POST", "/api/reviews", map[string]any{"role": "night-cover", "due": far}, "body.due"},
		{"POST", "/api/reviews", map[string]any{"role": "night-cover", "name": "a\u202eb"}, "body.name"},
		{"POST", "/api/draft/apply", map[string]any{"reason": "a\u0007b", "stamp": "x"}, "body.reason"},
		{"POST", "/api/requests", map[string]any{"kind": "role", "id": "purser", "reason": "\u2066a"}, "body.reason"},
		{"PUT", "/api/me/absence", map[string]any{"instead": "ruben.adeyemi", "until": far}, "body.until"},
	} {
		status, v, _ := b.send(c.method, c.path, c.body)
		errs, _ := v["errors"].([]any)
		if status != http.StatusUnprocessableEntity || len(errs) != 1 ||
			errs[0].(map[string]any)["location"] != c.where {
			t.Errorf("%s %s: %d %v", c.method, c.path, status, v)
		}
	}
	if status, v, _ := b.send("POST", "/api/draft/assign", assign("2027-12-31T23:59:59-05:00")); status != http.StatusOK {
		t.Errorf("what can be kept is answered %d %v", status, v)
	}
	// A password may have any characters, and is wrong only since it is another one.
	if status, _, _ := b.send("POST", "/api/me/prove", map[string]any{"password": "\u202e\u0007"}); status ==
		http.StatusUnprocessableEntity {
		t.Error("a password is held to what texts are")
	}
}

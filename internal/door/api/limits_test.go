package api_test

import (
	"io"
	"net/http"
	"strings"
	"testing"
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

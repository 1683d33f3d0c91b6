package api_test

import (
	"net/http"
	"strings"
	"testing"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
)

// TestAnAnswerThatComesLater asks for a change while somebody else's is being made, prefers not to wait for it, and
// fetches the answer, which is nobody else's: no other person's, no other program's of the same person, and nobody's
// who may no longer sign in.
func TestAnAnswerThatComesLater(t *testing.T) {
	url, d := serve(t)
	p := program(t, url, d, "signe.halloran")
	change := func(person string) map[string]any {
		return map[string]any{"reason": "hands are few", "acts": acts{one("assign", map[string]any{
			"subjects": []any{person}, "grants": []any{"quay-hand"}, "area": "terminal-2",
		})}}
	}
	held, over := make(chan struct{}), make(chan struct{})
	go func() {
		_ = d.Writing(func(*desk.House) error { close(held); <-over; return nil })
	}()
	<-held
	p.header.Set("Prefer", "respond-async, wait=0")
	before := d.Revision()
	told := func(person string) (where string) {
		t.Helper()
		status, v, header := p.send("POST", "/api/changes", change(person))
		where = header.Get("Location")
		if status != http.StatusAccepted || !strings.HasPrefix(where, "/api/pending/") || v["id"] == "" ||
			header.Get("Preference-Applied") != "respond-async" {
			t.Fatalf("answered %d %v %v", status, v, header)
		}
		return where
	}
	where, stopped := told("noor.tamsin"), told("ulla.tannahill")
	if status, _, header := p.send("GET", where, nil); status != http.StatusAccepted || header.Get("Location") != where {
		t.Errorf("while it goes on: %d %v", status, header)
	}
	if status, v, _ := p.send("DELETE", stopped, nil); status != http.StatusNoContent {
		t.Errorf("stopping: %d %v", status, v)
	}
	token, err := d.MakeToken(account.NewToken{Name: "another", Purpose: "api", User: "signe.halloran"})
	if err != nil {
		t.Fatal(err)
	}
	strangers := map[string]*browser{
		"another program of hers": newBrowser(t, url), "her browser": newBrowser(t, url),
		"somebody else": program(t, url, d, "oona.brandvold"),
	}
	strangers["another program of hers"].header.Set("Authorization", "Bearer "+token)
	strangers["her browser"].signIn("signe.halloran")
	for who, b := range strangers {
		for _, method := range []string{"GET", "DELETE"} {
			if status, v, _ := b.send(method, where, nil); status != http.StatusNotFound {
				t.Errorf("%s by %s: %d %v", method, who, status, v)
			}
		}
	}
	if status, _, _ := newBrowser(t, url).send("GET", where, nil); status != http.StatusUnauthorized {
		t.Errorf("by nobody: %d", status)
	}
	close(over)

	p.header.Set("Prefer", "wait=60")
	if status, v, _ := p.send("GET", where, nil); status != http.StatusCreated || v["revision"] != float64(before+1) {
		t.Errorf("the answer: %d %v", status, v)
	}
	if status, v, _ := p.send("GET", stopped, nil); status != 499 || d.Revision() != before+1 ||
		!strings.Contains(v["detail"].(string), "Nothing was changed") {
		t.Errorf("the answer of what was stopped: %d %v, and revision %d", status, v, d.Revision())
	}
	who := desk.Actor{User: "signe.halloran", Proven: day}
	tokens, err := d.Tokens(who)
	if err != nil {
		t.Fatal(err)
	}
	for _, is := range tokens {
		if is.Name == "script of signe.halloran" {
			if err := d.EndToken(who, is.ID); err != nil {
				t.Fatal(err)
			}
		}
	}
	if status, _, _ := p.send("GET", where, nil); status != http.StatusUnauthorized {
		t.Errorf("by a token that has ended: %d", status)
	}
}

// TestWhatIsAnsweredAtOnce holds what never goes on behind: files, and what is about the session itself.
func TestWhatIsAnsweredAtOnce(t *testing.T) {
	url, _ := serve(t)
	b := newBrowser(t, url)
	b.signIn("signe.halloran")
	b.header.Set("Prefer", "respond-async, wait=0")
	for _, path := range []string{"/api/me/sessions", "/api/sign-in", "/api/lists/user/csv", "/api/pending/none"} {
		if status, _, _ := b.send("GET", path, nil); status == http.StatusAccepted {
			t.Errorf("%s is answered later", path)
		}
	}
}

// Package client holds the API's description to what it is for: that whoever has nothing else can work from it.
package client

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"fachwerk/e2e/browser"
	"fachwerk/internal/core/index"
	"fachwerk/internal/desk/account"
)

// asked is what the generator is asked for: of all operations it makes a client too, which takes long to compile.
const asked = `package: generated
generate: {models: true, client: true}
output-options: {include-operation-ids: [putRole, assign, apply, trace]}
`

// A client that a well-known generator makes of the description compiles, and does the whole task.
func TestAGeneratedClientDoesTheTask(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	var env []string
	out := func(what, name string, args ...string) string {
		t.Helper()
		cmd := exec.Command(name, args...)
		cmd.Stderr, cmd.Env = os.Stderr, append(os.Environ(), env...)
		text, err := cmd.Output()
		if err != nil {
			t.Fatalf("%s: %v\n%s", what, err, text)
		}
		return string(text)
	}
	root := strings.TrimSpace(out("the module", "go", "list", "-m", "-f", "{{.Dir}}"))
	code := filepath.Join(folder, "client.go")
	config := filepath.Join(folder, "config.yaml")
	if err := os.WriteFile(config, []byte(asked), 0o600); err != nil {
		t.Fatal(err)
	}
	out("the generator", "go", "tool", "oapi-codegen", "-config", config, "-o", code,
		filepath.Join(root, "web/src/api/openapi.json"))
	// It is laid over the module as if it were part of it, since it rests on the same modules.
	overlay := filepath.Join(folder, "overlay.json")
	laid, err := json.Marshal(map[string]any{"Replace": map[string]string{
		filepath.Join(root, "e2e/client/generated/client.go"): code,
	}})
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(overlay, laid, 0o600); err != nil {
		t.Fatal(err)
	}
	program := filepath.Join(folder, "program")
	out("the program", "go", "build", "-tags", "generated", "-overlay", overlay, "-o", program,
		"fachwerk/e2e/client/program")

	url, desk, stop, err := browser.Demo(folder, browser.NewClock(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = stop() })
	token, err := desk.MakeToken(account.NewToken{Name: "generated", Purpose: "api", User: "signe.halloran"})
	if err != nil {
		t.Fatal(err)
	}
	env = []string{"TOKEN=" + token}
	before := desk.Present().Revision
	if said := out("the task", program, url); !strings.HasPrefix(said, "revision ") {
		t.Errorf("it says %q", said)
	}
	h := desk.Present()
	if h.Revision != before+1 || !h.Index.Allowed("noor.tamsin", "crewtide:overtime:grant",
		index.Record{Area: h.Design().Root()}, desk.Now()) {
		t.Errorf("at revision %d after %d, noor.tamsin does not hold what was assigned", h.Revision, before)
	}
}

// What the book for programs says can be done by curl is done so, line by line.
func TestTheTaskByCurl(t *testing.T) {
	t.Parallel()
	book, err := os.ReadFile("../../docs/programs.md")
	if err != nil {
		t.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(book), "## The whole task by curl")
	_, rest, _ = strings.Cut(rest, "```sh\n")
	script, _, found := strings.Cut(rest, "```")
	if !found {
		t.Fatal("there is no script in the book")
	}
	url, desk, stop, err := browser.Demo(t.TempDir(), browser.NewClock(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = stop() })
	env := append(os.Environ(), "URL="+url)
	for name, token := range map[string]account.NewToken{
		"TOKEN":     {Name: "nights", Purpose: "api", User: "signe.halloran"},
		"DECISIONS": {Name: "gatehouse", Purpose: "decisions"},
	} {
		text, err := desk.MakeToken(token)
		if err != nil {
			t.Fatal(err)
		}
		env = append(env, name+"="+text)
	}
	before := desk.Present().Revision
	// Each answer on a line of its own.
	cmd := exec.Command("sh", "-eu", "-c", strings.ReplaceAll(script, "curl -sS", `curl -w '\n' -sS`))
	cmd.Stderr, cmd.Env = os.Stderr, env
	said, err := cmd.Output()
	if err != nil {
		t.Fatalf("%v\n%s", err, said)
	}
	var got []string
	for line := range strings.Lines(string(said)) {
		if strings.TrimSpace(line) != "" {
			got = append(got, line)
		}
	}
	want := []string{
		`"id":"noor.tamsin"`, `"id":"crewtide:overtime:grant"`, `"decision":false`, `"applied":false`,
		`"revision":`, `"revision":`, `"decision":true`, `"decision":false`, `Night desk`, `"revision":`,
		`"decision":false`, `No nights any longer`,
	}
	if len(got) != len(want) {
		t.Fatalf("%d answers, want %d:\n%s", len(got), len(want), said)
	}
	for i, w := range want {
		if !strings.Contains(got[i], w) {
			t.Errorf("answer %d is without %s: %s", i, w, got[i])
		}
	}
	if got[4] != got[5] {
		t.Errorf("sent again, it is answered %s, after %s", got[5], got[4])
	}
	if after := desk.Present().Revision; after != before+2 {
		t.Errorf("revision %d, after %d", after, before)
	}
}

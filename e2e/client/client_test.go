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

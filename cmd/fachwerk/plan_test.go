package main_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"fachwerk/internal/desk"
)

// A design that is kept in parts: by kind, and one part by who looks after it.
var parts = map[string]string{
	"whole.json": `{"format": "fachwerk-model/1", "name": "Outer Skerry",
		"areas": [{"id": "skerry", "name": "Outer Skerry"}, {"id": "light", "name": "The light", "parent": "skerry"}],
		"systems": [{"id": "lamp", "name": "Lamp", "permissions": [{"key": "lamp:beam:view"},
			{"key": "lamp:beam:dim", "class": "write"}]}]}`,
	"people/keepers.json": `{"format": "fachwerk-model/1",
		"users": [{"id": "ann", "userName": "ann", "displayName": "Ann Lorne"},
			{"id": "bea", "userName": "bea", "displayName": "Bea Marsh"}]}`,
	"roles.json": `{"format": "fachwerk-model/1", "name": "Outer Skerry",
		"roles": [{"id": "keeper", "name": "Keeper", "permissions": ["lamp:beam:view"]}],
		"assignments": [{"id": "a1", "subject": {"user": "ann"}, "role": "keeper", "area": "light"}],
		"guarantees": [{"id": "dark", "name": "Nobody dims", "kind": "nobody", "permissions": ["lamp:beam:dim"]}]}`,
}

func folder(t *testing.T, parts map[string]string) string {
	t.Helper()
	at := t.TempDir()
	for name, text := range parts {
		path := filepath.Join(at, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return at
}

// change gives the parts with one text of one of them replaced.
func changed(t *testing.T, name, old, by string) map[string]string {
	t.Helper()
	out := map[string]string{}
	for n, text := range parts {
		out[n] = text
	}
	if out[name] = strings.Replace(parts[name], old, by, 1); out[name] == parts[name] {
		t.Fatalf("%s has no %s", name, old)
	}
	return out
}

var hashed = regexp.MustCompile(`--plan (\S+)`)

func TestPlanAndApply(t *testing.T) {
	db := filepath.Join(t.TempDir(), "x.db")
	at := folder(t, parts)
	want := func(exit int, stdout, stderr string, args ...string) string {
		t.Helper()
		code, out, errs := run(t, args...)
		if code != exit || !strings.Contains(out, stdout) || !strings.Contains(errs, stderr) {
			t.Fatalf("fachwerk %v: exit %d, %q, %q; want %d, %q, %q", args, code, out, errs, exit, stdout, stderr)
		}
		return out
	}
	want(1, "", "no such file", "plan", "--db", db, at)
	want(0, "", "", "check", at)
	want(0, "", "", "load", "--db", db, at)
	want(0, "Nothing would change", "", "plan", "--db", db, at)

	more := folder(t, changed(t, "people/keepers.json", `"displayName": "Bea Marsh"}`,
		`"displayName": "Bea Marsh"}], "assignments": [{"id": "a2", "subject": {"user": "bea"}, "role": "keeper"}`))
	told := want(3, "Bea Marsh gains lamp:beam:view, everywhere", "", "plan", "--db", db, more)
	if !strings.Contains(told, "1 new, 0 changed, 0 deleted") ||
		!strings.Contains(told, "Bea Marsh gets Keeper over the whole organisation") {
		t.Errorf("the plan says %q", told)
	}
	hash := hashed.FindStringSubmatch(told)
	if hash == nil {
		t.Fatalf("the plan names no hash: %q", told)
	}
	var plan desk.Plan
	if err := json.Unmarshal([]byte(want(3, `"gaining": 1`, "", "plan", "--form", "json", "--db", db, more)),
		&plan); err != nil || plan.Hash != hash[1] || plan.Created != 1 || len(plan.Impact.People) != 1 {
		t.Errorf("as JSON it is %+v, %v", plan, err)
	}
	want(3, "## Who gains and loses: 1 gain, 0 lose\n\n- Bea Marsh gains lamp:beam:view, everywhere\n", "",
		"plan", "--form", "markdown", "--db", db, more)
	want(2, "", "none of text, json and markdown", "plan", "--form", "xml", "--db", db, more)
	want(2, "", "needs --db or --url", "plan", more)
	want(2, "", "needs --plan", "apply", "--db", db, more)

	// Another hash is not this plan; nor is the same once something has moved.
	want(1, "", "plan again", "apply", "--db", db, more, "--plan", "x")
	other := folder(t, changed(t, "roles.json", `"name": "Keeper"`, `"name": "Lamp keeper"`))
	second := hashed.FindStringSubmatch(want(3, "", "", "plan", "--db", db, other))[1]
	want(0, "revision 2: 1 gain, 0 lose", "", "apply", "--db", db, more, "--plan", hash[1], "--reason", "Bea too")
	want(0, "Nothing would change", "", "plan", "--db", db, more)
	want(1, "", "plan again", "apply", "--db", db, other, "--plan", second)
	if out := want(0, "", "", "export", "--db", db); !strings.Contains(out, `"id": "a2"`) ||
		strings.Contains(out, "Lamp keeper") {
		t.Errorf("the design is %s", out)
	}

	// What a promise forbids is told, and is refused.
	dims := folder(t, changed(t, "roles.json", `["lamp:beam:view"]`, `["lamp:beam:view", "lamp:beam:dim"]`))
	told = want(1, "Refused\n", "", "plan", "--db", db, dims)
	if !strings.Contains(told, "“Nobody dims” is not kept: Ann Lorne holds lamp:beam:dim") || hashed.MatchString(told) {
		t.Errorf("the plan says %q", told)
	}
}

func TestPartsOfADesign(t *testing.T) {
	for _, c := range []struct {
		parts map[string]string
		says  []string
	}{
		{changed(t, "people/keepers.json", `"users": [`, `"roles": [{"id": "keeper", "name": "Again"}], "users": [`),
			[]string{`roles.json: roles[0].id: "keeper" stands in `, "keepers.json already, as roles[0]"}},
		{changed(t, "roles.json", `"role": "keeper"`, `"role": "kepper"`),
			[]string{"roles.json: assignments[0].role: expected the id of a role; there is no role \"kepper\""}},
		{changed(t, "roles.json", `"Outer Skerry"`, `"Inner Skerry"`), []string{"roles.json: name: ", "whole.json: name: "}},
		{changed(t, "people/keepers.json", `"format": "fachwerk-model/1"`, `"format": "x"`),
			[]string{"keepers.json: format: "}},
		{changed(t, "people/keepers.json", `"users"`, `"usres"`), []string{"keepers.json: usres: there is no such field"}},
		{changed(t, "people/keepers.json", `{"format"`, `"format"`),
			[]string{"keepers.json: document: this is not valid JSON"}},
		{map[string]string{"a.json": `{"format": "fachwerk-model/1"}`}, []string{"name: is missing"}},
		{map[string]string{"a.txt": ""}, []string{"there is no model file in this folder"}},
	} {
		at := folder(t, c.parts)
		code, _, stderr := run(t, "check", at)
		found := ""
		for _, want := range c.says {
			if strings.Contains(stderr, want) {
				found += want
			}
		}
		if code != 1 || found == "" {
			t.Errorf("it ends with %d and says %q, want %q", code, stderr, c.says)
		}
		for _, line := range strings.Split(strings.TrimSpace(stderr), "\n") {
			if strings.Count(stderr, line) > 1 {
				t.Errorf("it says twice: %s", line)
			}
		}
	}
}

// A running server plans and applies by the authority of whom the token acts for, and its clients see it at once.
func TestPlanOnARunningServer(t *testing.T) {
	db := filepath.Join(t.TempDir(), "x.db")
	at := folder(t, parts)
	owned := folder(t, changed(t, "people/keepers.json", `{"id": "bea"`,
		`{"id": "cy", "userName": "cy", "displayName": "Cy Birch"}, {"id": "bea"`))
	if code, _, stderr := run(t, "load", "--db", db, owned); code != 0 {
		t.Fatal(stderr)
	}
	if code, _, stderr := run(t, "owner", "--db", db, "--user", "ann"); code != 0 {
		t.Fatal(stderr)
	}
	_, owner, _ := run(t, "token", "--db", db, "--name", "ann", "--for", "api")
	_, nobody, _ := run(t, "token", "--db", db, "--name", "cy", "--for", "api")
	_, exported, _ := run(t, "export", "--db", db)
	s := serve(t, "--db", db)
	defer s.end(t)
	whole := file(t, "whole.json", strings.Replace(exported, `"name": "Keeper"`, `"name": "Lamp keeper"`, 1))
	same := file(t, "same.json", exported)
	ask := func(token string, args ...string) (int, string, string) {
		t.Helper()
		t.Setenv("FACHWERK_TOKEN", strings.TrimSpace(token))
		return run(t, append(args, "--url", s.url)...)
	}
	if code, out, stderr := ask(owner, "plan", same); code != 0 || !strings.Contains(out, "Nothing would change") {
		t.Errorf("%d %q %q", code, out, stderr)
	}
	code, out, stderr := ask(owner, "plan", whole)
	hash := hashed.FindStringSubmatch(out)
	if code != 3 || hash == nil {
		t.Fatalf("%d %q %q", code, out, stderr)
	}
	if code, _, stderr := ask(nobody, "plan", whole); code != 1 || !strings.Contains(stderr, "403") {
		t.Errorf("somebody without rights plans: %d %q", code, stderr)
	}
	if code, _, stderr := ask("made-up", "plan", whole); code != 1 || !strings.Contains(stderr, "401") {
		t.Errorf("a made-up token plans: %d %q", code, stderr)
	}
	if code, out, stderr := ask(owner, "apply", whole, "--plan", hash[1]); code != 0 ||
		!strings.Contains(out, "the design is revision 3") {
		t.Errorf("%d %q %q", code, out, stderr)
	}
	// Programs never make critical changes: the file without the owner's rights is refused, and says why.
	if code, out, _ := ask(owner, "plan", at); code != 1 || !strings.Contains(out, "Refused") {
		t.Errorf("%d %q", code, out)
	}
	if code, _, stderr := run(t, "plan", "--url", "skerry", whole); code != 2 || !strings.Contains(stderr, "no address") {
		t.Errorf("%d %q", code, stderr)
	}
	t.Setenv("FACHWERK_TOKEN", "")
	if code, _, stderr := run(t, "plan", "--url", s.url, whole); code != 2 || !strings.Contains(stderr, "FACHWERK_TOKEN") {
		t.Errorf("%d %q", code, stderr)
	}
}

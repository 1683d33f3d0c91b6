package main_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"fachwerk/e2e/binary"
	"fachwerk/internal/demo"
)

func TestMain(m *testing.M) { binary.Main(m) }

func program(t *testing.T, args ...string) *exec.Cmd {
	t.Helper()
	return exec.Command(binary.File(t), args...)
}

// run runs the program to its end.
func run(t *testing.T, args ...string) (code int, stdout, stderr string) {
	t.Helper()
	var out, errs bytes.Buffer
	c := program(t, args...)
	c.Stdout, c.Stderr = &out, &errs
	err := c.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return c.ProcessState.ExitCode(), out.String(), errs.String()
}

const good = `{"format": "fachwerk-model/1", "name": "N", "areas": [{"id": "top", "name": "Top"}], "users": [{"id": "ann", "userName": "ann", "displayName": "Ann"}, {"id": "lou", "userName": "lou", "displayName": "Lou", "state": "locked"}],
	"sets": [{"id": "s", "name": "S", "permissions": ["gone:a:b"]}]}`

func file(t *testing.T, name, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

func TestExitCodes(t *testing.T) {
	goodFile, badFile, db := file(
		t,
		"good.json",
		good,
	), file(
		t,
		"bad.json",
		`{"format": "fachwerk-model/1", "users": [{"id": "A"}]}`,
	), filepath.Join(
		t.TempDir(),
		"x.db",
	)
	other := filepath.Join(t.TempDir(), "y.db")
	promisedFile := file(t, "promised.json", `{"format": "fachwerk-model/1", "name": "N",
		"users": [{"id": "ann", "userName": "ann", "displayName": "Ann"}],
		"assignments": [{"id": "a", "subject": {"user": "ann"}, "set": "fachwerk-auditor"}],
		"guarantees": [{"id": "w", "name": "Watchers", "kind": "nobody", "permissions": ["fachwerk:design:*"]}]}`)
	decision := func(user, name string, permitted bool) string {
		return fmt.Sprintf(`{"name": %q, "decision": %v, "request": {"subject": {"type": "user", "id": %q},
			"action": {"name": "view"}, "resource": {"type": "fachwerk:design", "id": "x"}}}`, name, permitted, user)
	}
	casesFile := file(t, "cases.json", "["+decision("ann", "ann", true)+","+decision("bob", "bob", true)+"]")
	rightFile := file(t, "right.json", "["+decision("lou", "locked", false)+","+decision("bob", "nobody", false)+"]")
	emptyFile := file(t, "empty.json", `{"format": "fachwerk-model/1", "name": "Nobody"}`)
	for _, c := range []struct {
		args           string
		code           int
		stdout, stderr string
	}{
		{"check " + goodFile, 0, "", "sets[0].permissions[0]: warning: dangling"},
		{"check " + badFile, 1, "", "users[0].userName: is missing"},
		{"check " + goodFile + ".none", 1, "", "no such file"},
		{"check", 2, "", "requires at least 1 arg"},
		{"generate --users 20 --seed 3", 0, `"displayName"`, ""},
		{"generate --users many", 2, "", "invalid argument"},
		{"generate --users 0", 2, "", "--users"},
		{"", 2, "", "name a command"},
		{"fly", 2, "", "unknown command"},
		{"export --colour red", 2, "", "unknown flag"},
		{"export", 2, "", "needs --db"},
		{"export --db " + db, 1, "", "no such file"},
		{"load --db " + db + " " + badFile, 1, "", "name: is missing"},
		{"load " + goodFile, 2, "", "needs --db"},
		{"export --db " + db, 1, "", "no such file"}, // the broken file left nothing behind
		{"load --db " + db + " " + goodFile, 0, "", "dangling"},
		{"load --db " + db + " " + goodFile, 1, "", "--replace"},
		{"load --db " + db + " --replace " + goodFile, 0, "", ""},
		{"load --db " + db + " --replace " + emptyFile, 1, "", "--force"},
		{"load --db " + db + " --replace " + promisedFile, 1, "", "“Watchers” is not kept: Ann holds fachwerk:design:view"},
		{"check " + promisedFile, 1, "", "guarantees[0]: “Watchers” is not kept"},
		{"load --db " + other + " " + promisedFile, 0, "", "guarantees[0]: “Watchers” is not kept"},
		{"ask --db " + other + " what can ann do?", 0, "fachwerk:design:view over the whole organisation", ""},
		{"ask --db " + other + " hello", 1, "", "read as no question"},
		{"test --db " + other + " " + casesFile, 1, "", "cases[1]: bob: expected that it is permitted, and it is denied"},
		{"test " + goodFile + " " + rightFile, 0, "0 strict guarantees and 2 decisions hold", ""},
		{"test " + goodFile + " " + badFile, 1, "", "expected a list of cases"},
		{"test " + goodFile, 2, "", "name a database by --db or a model file"},
		{"export --db " + db, 0, `"displayName": "Ann"`, ""},
		{"token --db " + db + " --name x --for decisions", 0, "", ""},
		{"token --db " + db + " --name x --for flying", 2, "", "expected decisions, scim, api"},
		{"token --db " + db + " --for scim", 2, "", "needs --name"},
		{"token --db " + db + " --name zed --for api", 1, "", "no user"},
		{"token --db " + db + " --name ann --for api", 0, "", ""},
		{"owner --db " + db, 2, "", "needs --user"},
		{"owner --db " + db + " --user zed", 1, "", "no user"},
		{"owner --db " + db + " --user ann --url https://x.example/", 0, "https://x.example/welcome/", ""},
		{"owner --db " + db + " --user lou", 0, "/welcome/", "not live (locked)"},
		{"serve --db " + db + " --addr nowhere:99999", 1, "", "listen"},
		{"--help", 0, "serve", ""},
	} {
		code, stdout, stderr := run(t, strings.Fields(c.args)...)
		if code != c.code || !strings.Contains(stdout, c.stdout) || !strings.Contains(stderr, c.stderr) {
			t.Errorf(
				"fachwerk %s: exit %d, %q, %q; want %d, %q, %q",
				c.args,
				code,
				stdout,
				stderr,
				c.code,
				c.stdout,
				c.stderr,
			)
		}
	}
}

func TestAnEmptyDatabaseHasNothingToExport(t *testing.T) {
	db := filepath.Join(t.TempDir(), "x.db")
	s := serve(t, "--db", db)
	s.end(t)
	if code, out, stderr := run(t, "export", "--db", db); code != 1 || out != "" ||
		!strings.Contains(stderr, "load one first") {
		t.Errorf("exit %d, %q, %q", code, out, stderr)
	}
}

func TestEveryErrorIsOneLine(t *testing.T) {
	code, _, stderr := run(
		t,
		"check",
		file(
			t,
			"bad.json",
			`{"format": "x", "colour": 1, "users": [{"id": "A\nB", "userName": "a", "displayName": ""}], "roles": 7}`,
		),
	)
	lines := strings.Split(strings.TrimSpace(stderr), "\n")
	if code != 1 || len(lines) != 6 {
		t.Errorf("exit %d with %d lines:\n%s", code, len(lines), stderr)
	}
	for _, l := range lines {
		if path, _, ok := strings.Cut(l, ": "); !ok || strings.ContainsAny(path, " \t") {
			t.Errorf("the line %q does not begin with a path", l)
		}
	}
}

// served is a running server.
type served struct {
	*exec.Cmd
	url    string
	output *bufio.Reader
}

func serve(t *testing.T, args ...string) *served {
	t.Helper()
	c := program(t, append([]string{"serve", "--addr", "127.0.0.1:0"}, args...)...)
	out, err := c.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	c.Stderr = os.Stderr
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if c.ProcessState == nil {
			_ = c.Process.Kill()
			_ = c.Wait()
		}
	})
	r := bufio.NewReader(out)
	line, err := r.ReadString('\n')
	if err != nil {
		t.Fatal(err)
	}
	at := strings.Index(line, "http://")
	if at < 0 {
		t.Fatalf("the line %q has no URL", line)
	}
	return &served{c, strings.TrimSpace(line[at:]), r}
}

// end asks the server to end, and waits until it has.
func (s *served) end(t *testing.T) {
	t.Helper()
	if err := s.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	if err := s.Wait(); err != nil {
		t.Fatalf("it ends with %v", err)
	}
}

// client is a signed-in browser.
func (s *served) client(t *testing.T, user string) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	c := &http.Client{Jar: jar}
	s.call(t, c, "POST", "/api/session", map[string]string{"userName": user, "password": demo.Password})
	return c
}

func (s *served) call(t *testing.T, c *http.Client, method, path string, body any) map[string]any {
	t.Helper()
	data, err := json.Marshal(body)
	if err != nil {
		t.Fatal(err)
	}
	req, err := http.NewRequest(method, s.url+path, bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	resp, err := c.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	if err != nil || resp.StatusCode != http.StatusOK {
		t.Fatalf("%s %s: %d %s %v", method, path, resp.StatusCode, text, err)
	}
	var v map[string]any
	if err := json.Unmarshal(text, &v); err != nil {
		t.Fatal(err)
	}
	return v
}

// TestAKilledServerLosesNothing kills the server without warning after each acknowledged change.
func TestAKilledServerLosesNothing(t *testing.T) {
	db := filepath.Join(t.TempDir(), "x.db")
	for round := range 3 {
		s := serve(t, "--db", db, "--demo")
		c := s.client(t, "signe.halloran")
		draft := s.call(
			t,
			c,
			"POST",
			"/api/draft/join",
			map[string]any{
				"from":  map[string]string{"kind": "user", "id": "noor.tamsin"},
				"to":    map[string]string{"kind": "role", "id": "night-cover"},
				"terms": map[string]any{"area": []string{"terminal-2", "terminal-1", "ro-ro-ramp"}[round]},
			},
		)
		done := s.call(t, c, "POST", "/api/draft/apply", map[string]any{"reason": "nights", "stamp": draft["stamp"]})
		if done["revision"] != float64(61+round) {
			t.Fatalf("round %d: applied as %v", round, done)
		}
		if err := s.Process.Kill(); err != nil {
			t.Fatal(err)
		}
		_ = s.Wait()
		if _, out, _ := run(t, "export", "--db", db); strings.Count(out, `"role": "night-cover"`) < 10+round {
			t.Errorf("round %d: the assignment is lost", round)
		}
	}
	s := serve(t, "--db", db, "--demo")
	if me := s.call(t, s.client(t, "signe.halloran"), "GET", "/api/me", nil); me["revision"] != 63.0 {
		t.Errorf("after three kills the revision is %v", me["revision"])
	}
}

func TestTheServerEndsCleanly(t *testing.T) {
	for _, signal := range []os.Signal{syscall.SIGTERM, syscall.SIGINT} {
		s := serve(t, "--db", filepath.Join(t.TempDir(), "x.db"))
		resp, err := http.Get(s.url + "/healthz")
		if err != nil || resp.StatusCode != http.StatusOK {
			t.Errorf("healthz: %v %v", resp, err)
		}
		if err := s.Process.Signal(signal); err != nil {
			t.Fatal(err)
		}
		rest, err := io.ReadAll(s.output)
		if err != nil || len(rest) > 0 {
			t.Errorf("beside the line with the URL it writes %q", rest)
		}
		if err := s.Wait(); err != nil {
			t.Errorf("on %v it ends with %v", signal, err)
		}
	}
}

// However slowly somebody sends what they ask, the server ends when it is told to, and ends cleanly.
func TestASlowClientDoesNotHoldTheServer(t *testing.T) {
	db := filepath.Join(t.TempDir(), "x.db")
	s := serve(t, "--db", db)
	code, token, stderr := run(t, "token", "--db", db, "--name", "directory", "--for", "scim")
	if code != 0 {
		t.Fatal(stderr)
	}
	slow, err := net.Dial("tcp", strings.TrimPrefix(s.url, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer slow.Close()
	// The body is begun and never ended: the server reads it until the connection does.
	_, err = io.WriteString(slow, "POST /scim/v2/Users HTTP/1.1\r\nHost: x\r\n"+
		"Authorization: Bearer "+strings.TrimSpace(token)+
		"\r\nContent-Type: application/scim+json\r\nContent-Length: 1000\r\nExpect: 100-continue\r\n\r\n")
	if err != nil {
		t.Fatal(err)
	}
	line, err := bufio.NewReader(slow).ReadString('\n') // now the handler waits for the body
	if err != nil || !strings.Contains(line, "100 Continue") {
		t.Fatalf("%q %v", line, err)
	}
	if err := s.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	ended := make(chan error, 1)
	go func() { ended <- s.Wait() }()
	select {
	case err := <-ended:
		if err != nil {
			t.Errorf("it ends with %v", err)
		}
	case <-time.After(15 * time.Second): // far more than is given to requests, and far less than their own bound
		_ = s.Process.Kill()
		t.Error("it waits for the client")
	}
}

// TestImportAndEffective tries a file, brings it in, and writes out what everybody holds then.
func TestImportAndEffective(t *testing.T) {
	folder := t.TempDir()
	db, model, file := filepath.Join(
		folder,
		"x.db",
	), filepath.Join(
		folder,
		"m.json",
	), filepath.Join(
		folder,
		"people.csv",
	)
	for name, text := range map[string]string{model: `{"format":"fachwerk-model/1","name":"Skerryhaven","areas":[{"id":"top","name":"Skerryhaven"},{"id":"t1","name":"Terminal 1","parent":"top"}],
		"systems":[{"id":"quaybook","name":"Quaybook","permissions":[{"key":"quaybook:gate:view"}]}],"roles":[{"id":"clerk","name":"Gate clerk","permissions":["quaybook:gate:view"]}]}`,
		file: "Staff no;Name;Site;Role;State\n1;Ilse Marrow;Terminal 1;Gate clerk;active\n2;Cy Lorne;Terminal 2;Gate " +
			"clerk;active\n"} {
		if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if code, _, stderr := run(t, "load", "--db", db, model); code != 0 {
		t.Fatal(stderr)
	}
	code, stdout, stderr := run(t, "import", "--db", db, "--apply", file)
	if code != 1 || !strings.Contains(stdout, "line 2: create Ilse Marrow") ||
		!strings.Contains(stdout, "1 error, 1 create, 0 change, 0 same, 0 ignored: tried, nothing is changed") ||
		stderr != "line 3: error Cy Lorne: Site: there is no area “Terminal 2” (did you mean “Terminal 1”?)\n" {
		t.Errorf("%d\n%s%s", code, stdout, stderr)
	}
	if err := os.WriteFile(file, []byte("Staff no;Name;Site;Role;State\n1;Ilse Marrow;Terminal 1;Gate clerk;active\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"1 create, 0 change, 0 same, 0 ignored: applied",
		"0 create, 0 change, 1 same, 0 ignored: nothing to apply"} {
		if code, stdout, stderr = run(t, "import", "--db", db, "--apply", "--quiet", file); code != 0 ||
			!strings.Contains(stdout, want) ||
			strings.Contains(stdout, "line") {
			t.Errorf("%d\n%s%s, want %q", code, stdout, stderr, want)
		}
	}
	if code, stdout, stderr = run(t, "effective", "--db", db); code != 0 ||
		stdout != "user,user name,permission,area,reach\r\nilse.marrow,ilse.marrow,quaybook:gate:view,t1,area\r\n" {
		t.Errorf("%d\n%s%s", code, stdout, stderr)
	}
	if code, stdout, _ = run(t, "effective", "--db", db, "--form", "jsonl"); code != 0 ||
		stdout != `{"user":"ilse.marrow","userName":"ilse.marrow","permission":"quaybook:gate:view","area":"t1","reach":"area"}`+"\n" {
		t.Errorf("%d\n%s", code, stdout)
	}
	next := filepath.Join(folder, "quaybook-2.json")
	if err := os.WriteFile(next,
		[]byte(`{"system":{"id":"quaybook","name":"Quaybook","version":"2","permissions":[{"key":"quaybook:barrier:view"}]},"renames":{"quaybook:gate:view":"quaybook:barrier:view"}}`), 0o600); err != nil {
		t.Fatal(err)
	}
	for i, want := range []string{"tried, nothing is changed", "applied", "it is here already"} {
		args := []string{"import", "--db", db, next}
		if i > 0 {
			args = []string{"import", "--db", db, "--apply", next}
		}
		if code, stdout, stderr = run(t, args...); code != 0 || !strings.Contains(stdout, want) ||
			i < 2 &&
				!strings.Contains(
					stdout,
					"quaybook:gate:view → quaybook:barrier:view is renamed (held by 1)\nrole clerk: 0 dangle, 1 are renamed",
				) {
			t.Errorf("%v: %d\n%s%s", args, code, stdout, stderr)
		}
	}
	if code, stdout, _ = run(t, "effective", "--db", db); !strings.Contains(stdout, "quaybook:barrier:view") {
		t.Errorf("%d\n%s", code, stdout)
	}
	for _, args := range [][]string{{"import", file}, {"import", "--db", db},
		{"import", "--db", db, "--kind", "ships", file}, {"effective", "--db", db, "--form", "xml"},
		{"effective", "--db", db, "--at", "soon"}, {"effective"}} {
		if code, _, stderr := run(t, args...); code != 2 || strings.Count(stderr, "\n") != 1 {
			t.Errorf("%v: %d %s", args, code, stderr)
		}
	}
	if code, _, stderr := run(t, "import", "--db", db, filepath.Join(folder, "none.csv")); code != 1 || stderr == "" {
		t.Errorf("%d %s", code, stderr)
	}
}

// What a model file tells of last uses comes out again as it went in, with a replacement too, and makes no revision of
// its own; one that lies ahead is refused before anything is changed.
func TestLastUsesOfAModelFile(t *testing.T) {
	model := func(at string) string {
		return file(t, "uses.json", `{"format": "fachwerk-model/1", "name": "N", "systems": [{"id": "q", "name": "Q",
			"permissions": [{"key": "q:gate:view"}]}], "users": [{"id": "ann", "userName": "ann", "displayName": "Ann",
			"lastUse": {"q": "`+at+`"}}]}`)
	}
	db := filepath.Join(t.TempDir(), "x.db")
	ahead := model("2999-01-01T00:00:00Z")
	for _, command := range []string{"check", "load --db " + db} {
		if code, _, stderr := run(t, append(strings.Fields(command), ahead)...); code != 1 ||
			!strings.Contains(stderr, "users: ann: lastUse.q: lies more than a day ahead") {
			t.Errorf("%s is %d: %s", command, code, stderr)
		}
	}
	exported := func() string {
		t.Helper()
		code, out, stderr := run(t, "export", "--db", db)
		if code != 0 {
			t.Fatal(stderr)
		}
		_, last, _ := strings.Cut(out, `"lastUse": {`)
		last, _, _ = strings.Cut(last, "}")
		return strings.Join(strings.Fields(last), " ")
	}
	for _, step := range []struct{ load, want string }{
		{"2026-05-01T08:15:30Z", `"q": "2026-05-01T08:15:30Z"`},
		{"2026-04-01T00:00:00Z", `"q": "2026-05-01T08:15:30Z"`}, // it never goes backward
		{"2026-06-01T00:00:00.5Z", `"q": "2026-06-01T00:00:00.5Z"`},
	} {
		if code, _, stderr := run(t, "load", "--db", db, "--replace", model(step.load)); code != 0 {
			t.Fatal(stderr)
		}
		if got := exported(); got != step.want {
			t.Errorf("loaded with %s, it is written as %s", step.load, got)
		}
	}
}

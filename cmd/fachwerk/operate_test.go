package main_test

import (
	"bytes"
	"crypto/tls"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"fachwerk/cmd/fachwerk/certtest"
	"fachwerk/e2e/binary"
)

// A flag counts before the environment, that before the file; what is in force is shown with where it comes from, and
// no secret is. What is wrong is told by name.
func TestSettings(t *testing.T) {
	config := file(t, "fachwerk.toml", "addr = \"127.0.0.1:1\"\nlog-level = \"warn\"\nsession-hours = 8\n"+
		"trusted-proxies = [\"10.0.0.0/8\", \"::1\"]\nsecond-factor = true\n")
	secret := file(t, "secret", "quite secret\n")
	show := func(environ []string, args ...string) (int, string, string) {
		c := program(t, append([]string{"serve", "--show-config"}, args...)...)
		c.Env = append(os.Environ(), environ...)
		var out, errs bytes.Buffer
		c.Stdout, c.Stderr = &out, &errs
		_ = c.Run()
		return c.ProcessState.ExitCode(), out.String(), errs.String()
	}
	code, out, stderr := show([]string{
		"FACHWERK_LOG_LEVEL=error", "FACHWERK_SESSION_HOURS=9", "FACHWERK_DB=from-environment.db",
		"FACHWERK_PORT=tcp://10.0.0.1:80",
		"FACHWERK_OIDC_CLIENT_SECRET_FILE=" + secret,
	}, "--config", config, "--session-hours", "10")
	if code != 0 || stderr != "" {
		t.Fatalf("exit %d: %s", code, stderr)
	}
	for _, want := range []string{
		"session-hours = 10 # --session-hours", "log-level = 'error' # FACHWERK_LOG_LEVEL", "addr = '127.0.0.1:1' # " +
			config,
		"db = 'from-environment.db' # FACHWERK_DB", "trusted-proxies = ['10.0.0.0/8', '::1'] # " + config,
		"second-factor = true # " + config, "invitation-days = 7 # default",
		"# oidc-client-secret: set by FACHWERK_OIDC_CLIENT_SECRET_FILE",
	} {
		if !strings.Contains(out, want+"\n") {
			t.Errorf("it does not show %q in\n%s", want, out)
		}
	}
	if strings.Contains(out, "quite secret") {
		t.Error("the secret is shown")
	}
	// What is shown can be given again as the file, and then means the same.
	again := file(t, "again.toml", out)
	if code, shown, stderr := show(nil, "--config", again); code != 0 || values(shown) != values(out) {
		t.Errorf("given again: exit %d, %s\n%s", code, stderr, shown)
	}
	if _, out, _ := show([]string{"FACHWERK_TRUSTED_PROXIES=192.0.2.1,192.0.2.2",
		"FACHWERK_CONFIG=" + config}); !strings.Contains(
		out, "trusted-proxies = ['192.0.2.1', '192.0.2.2'] # FACHWERK_TRUSTED_PROXIES\n") ||
		!strings.Contains(out, "session-hours = 8 #") {
		t.Errorf("a list from the environment, and a file named by it: %s", out)
	}
	for text, want := range map[string]string{
		`colour = "red"`:                     `no setting "colour"`,
		`oidc-client-secret = "secret"`:      "FACHWERK_OIDC_CLIENT_SECRET_FILE",
		`config = "other.toml"`:              `no setting "config"`,
		`session-hours = "many"`:             "session-hours",
		`session-hours = 0`:                  "--session-hours: expected a number from 1 to 168, not 0",
		`log-level = "loud"`:                 "--log-level",
		`log-format = "xml"`:                 "--log-format",
		`url = "fachwerk.example"`:           "--url",
		`tls-cert = "here.pem"`:              "--tls-key",
		`trusted-proxies = ["x"]`:            "--trusted-proxies",
		`oidc-issuer = "https://id.example"`: "--oidc-client-id",
		`addr = `:                            "cannot be read",
	} {
		if code, _, stderr := show(nil, "--config", file(t, "bad.toml", text)); code == 0 ||
			!strings.Contains(stderr, want) ||
			strings.Count(stderr, "\n") != 1 {
			t.Errorf("%s: exit %d, %q, want %q in one line", text, code, stderr, want)
		}
	}
	if code, _, stderr := show(nil, "--config", config+".none"); code != 1 || !strings.Contains(stderr, "no such file") {
		t.Errorf("a file that is not there: exit %d, %s", code, stderr)
	}
}

// values gives shown settings without where they come from.
func values(shown string) string {
	var out []string
	for line := range strings.Lines(shown) {
		value, _, _ := strings.Cut(line, " # ")
		if !strings.HasPrefix(line, "#") {
			out = append(out, value)
		}
	}
	return strings.Join(out, "\n")
}

// A backup beside a running server holds what was acknowledged, and is put in place only where no server runs; what
// was there is kept. A damaged one is refused, and nothing is put in place.
func TestBackupAndRestore(t *testing.T) {
	folder := t.TempDir()
	db, kept := filepath.Join(folder, "x.db"), filepath.Join(folder, "kept.db")
	s := serve(t, "--db", db, "--demo")
	c := s.client(t, "signe.halloran")
	draft := s.call(t, c, "POST", "/api/draft/join", map[string]any{
		"from":  map[string]string{"kind": "user", "id": "noor.tamsin"},
		"to":    map[string]string{"kind": "role", "id": "night-cover"},
		"terms": map[string]any{"area": "terminal-2"},
	})
	s.call(t, c, "POST", "/api/draft/apply", map[string]any{"reason": "nights", "stamp": draft["stamp"]})
	code, proof, stderr := run(t, "backup", "--db", db, kept)
	if code != 0 || !strings.HasPrefix(proof, "revisions 61 ") || !strings.Contains(proof, "\nsecurity-log ") {
		t.Fatalf("the backup: exit %d, %q, %s", code, proof, stderr)
	}
	if info, err := os.Stat(kept); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the backup's mode is %v, %v", info.Mode(), err)
	}
	if code, _, stderr := run(t, "backup", "--db", db, kept); code != 1 || !strings.Contains(stderr, "there already") {
		t.Errorf("over another backup: exit %d, %s", code, stderr)
	}
	if code, _, stderr := run(t, "restore", "--db", db, kept); code != 1 || !strings.Contains(stderr, "stop it first") {
		t.Errorf("beneath a running server: exit %d, %s", code, stderr)
	}
	other := program(t, "serve", "--db", db, "--addr", "127.0.0.1:0")
	if out, err := other.CombinedOutput(); err == nil || !strings.Contains(string(out), "another server serves") {
		t.Errorf("a second server on the same file: %v, %s", err, out)
	}
	_ = s.Process.Kill() // what it leaves behind is a log beside the file
	_ = s.Wait()
	damaged := filepath.Join(folder, "damaged.db")
	data, err := os.ReadFile(kept)
	if err != nil {
		t.Fatal(err)
	}
	for i := len(data) / 2; i < len(data)/2+9000; i++ {
		data[i] = 0xff
	}
	if err := os.WriteFile(damaged, data, 0o600); err != nil {
		t.Fatal(err)
	}
	if code, _, stderr := run(t, "restore", "--db", db, damaged); code != 1 || !strings.Contains(stderr, "damaged") {
		t.Errorf("a damaged one: exit %d, %s", code, stderr)
	}
	if code, out, stderr := run(t, "restore", "--db", db, kept); code != 0 || out != proof {
		t.Fatalf("restored: exit %d, %q, want %q; %s", code, out, proof, stderr)
	}
	for _, file := range []string{db, db + ".replaced"} {
		if code, out, stderr := run(t, "export", "--db", file); code != 0 || !strings.Contains(out, `"night-cover"`) {
			t.Errorf("%s: exit %d, %s", file, code, stderr)
		}
	}
	empty := filepath.Join(folder, "empty.db")
	if err := os.WriteFile(empty, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if code, _, stderr := run(t, "restore", "--db", db, empty); code != 1 || !strings.Contains(stderr, "no backup") {
		t.Errorf("an empty one: exit %d, %s", code, stderr)
	}
	// What is gone is not an organisation that has yet to begin.
	if err := os.Remove(db); err != nil {
		t.Fatal(err)
	}
	gone := program(t, "serve", "--db", db, "--addr", "127.0.0.1:0")
	if out, err := gone.CombinedOutput(); err == nil || !strings.Contains(string(out), "fachwerk restore") {
		t.Errorf("served without its file: %v, %s", err, out)
	}
	if _, err := os.Stat(db); err == nil {
		t.Error("an empty database was made in place of one that is gone")
	}
	if left, _ := filepath.Glob(filepath.Join(folder, "*.partial*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
	if left, _ := filepath.Glob(filepath.Join(folder, "*.restoring*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

// A damaged database is told at the start, with what can be done.
func TestADamagedDatabaseIsTold(t *testing.T) {
	db := filepath.Join(t.TempDir(), "x.db")
	s := serve(t, "--db", db, "--demo")
	s.end(t)
	data, err := os.ReadFile(db)
	if err != nil {
		t.Fatal(err)
	}
	for i := 8 * 4096; i < len(data)-4096; i += 4096 { // every page but the first ones says that it is no page
		data[i] = 0xff
	}
	if err := os.WriteFile(db, data, 0o600); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{{"serve", "--db", db, "--addr", "127.0.0.1:0"}, {"export", "--db", db},
		{"verify", "--db", db}} {
		if code, _, stderr := run(t, args...); code != 1 || !strings.Contains(stderr, "fachwerk restore") {
			t.Errorf("%v: exit %d, %s", args, code, stderr)
		}
	}
}

// What is written into the design beside the record makes nobody an owner: it is told at the start, what the record
// says is served, nothing is changed, and no backup is made of it, until an operator has decided which is right.
func TestADesignThatWasAlteredBesideTheRecord(t *testing.T) {
	for _, as := range []string{"recorded", "found"} {
		db := filepath.Join(t.TempDir(), "x.db")
		serve(t, "--db", db, "--demo").end(t)
		alter(t, db, `INSERT INTO objects (kind, id, value) VALUES ('assignment', 'mole',
			CAST('{"id":"mole","subject":{"user":"mireille.aster"},"set":"fachwerk-owner"}' AS BLOB))`)
		if code, _, stderr := run(t, "verify", "--db", db); code != 1 ||
			!strings.Contains(stderr, `the assignment "mole" is in the design, and the record knows nothing of it`) {
			t.Errorf("verify: exit %d, %s", code, stderr)
		}
		if code, _, stderr := run(t, "backup", "--db", db, db+".copy"); code != 1 || !strings.Contains(stderr, "mole") {
			t.Errorf("backup: exit %d, %s", code, stderr)
		}
		s := serve(t, "--db", db)
		if me := s.call(t, s.client(t, "mireille.aster"), "GET", "/api/me", nil); len(me["rights"].([]any)) > 0 {
			t.Errorf("who was made an owner beside the record holds %v", me["rights"])
		}
		signe := s.client(t, "signe.halloran")
		draft := s.call(t, signe, "POST", "/api/draft/assign", map[string]any{
			"subjects": []any{map[string]string{"kind": "user", "id": "noor.tamsin"}},
			"targets":  []any{map[string]string{"kind": "role", "id": "night-cover"}},
			"terms":    map[string]string{"area": "terminal-1"},
		})
		resp, err := signe.Post(s.url+"/api/draft/apply", "application/json",
			strings.NewReader(fmt.Sprintf(`{"stamp": %q, "reason": "x"}`, draft["stamp"])))
		if err != nil {
			t.Fatal(err)
		}
		told, err := io.ReadAll(resp.Body)
		if err := errors.Join(err, resp.Body.Close()); err != nil || resp.StatusCode != http.StatusServiceUnavailable ||
			!strings.Contains(string(told), "nothing is changed until") {
			t.Errorf("a change is answered %d %s %v", resp.StatusCode, told, err)
		}
		s.end(t)
		if code, out, stderr := run(t, "mend", "--db", db, "--as", as); code != 0 || !strings.Contains(out, "mole") {
			t.Fatalf("mend: exit %d, %s %s", code, out, stderr)
		}
		if code, out, stderr := run(t, "verify", "--db", db); code != 0 ||
			strings.Contains(out, "revisions 61") != (as == "found") {
			t.Errorf("mended as %s, verify: exit %d, %s %s", as, code, out, stderr)
		}
	}
}

// alter has another program write to a database that nobody serves.
func alter(t *testing.T, file, statement string) {
	t.Helper()
	db, err := sql.Open("sqlite", file)
	if err == nil {
		_, err = db.Exec(statement)
		err = errors.Join(err, db.Close())
	}
	if err != nil {
		t.Fatal(err)
	}
}

// A first start with the demo that is broken off leaves nothing that passes for the demo.
func TestABrokenOffDemoBeginsAnew(t *testing.T) {
	db := filepath.Join(t.TempDir(), "x.db")
	for wait := 5 * time.Millisecond; ; wait += 20 * time.Millisecond {
		c := program(t, "serve", "--db", db, "--demo", "--addr", "127.0.0.1:0")
		if err := c.Start(); err != nil {
			t.Fatal(err)
		}
		// It is killed as soon as it has begun to fill, and at ever later instants of that.
		for began := time.Now(); time.Since(began) < 10*time.Second; time.Sleep(time.Millisecond) {
			if _, err := os.Stat(db + ".filling"); err == nil {
				break
			}
		}
		time.Sleep(wait)
		_ = c.Process.Kill()
		_ = c.Wait()
		if _, err := os.Stat(db + ".filling"); err != nil { // it was quicker
			break
		}
	}
	s := serve(t, "--db", db, "--demo")
	if me := s.call(t, s.client(t, "signe.halloran"), "GET", "/api/me", nil); me["revision"] != 60.0 {
		t.Errorf("the demo has %v revisions", me["revision"])
	}
	if _, err := os.Stat(db + ".filling"); err == nil {
		t.Error("what was begun lies there still")
	}
}

// An empty database that holds a token keeps it when it is filled with the demo.
func TestTheDemoTakesNothingAway(t *testing.T) {
	db := filepath.Join(t.TempDir(), "x.db")
	s := serve(t, "--db", db)
	s.end(t)
	code, token, stderr := run(t, "token", "--db", db, "--name", "gates", "--for", "decisions")
	if code != 0 {
		t.Fatal(stderr)
	}
	s = serve(t, "--db", db, "--demo")
	r, err := http.NewRequest("POST", s.url+"/access/v1/evaluation", strings.NewReader("{}"))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+strings.TrimSpace(token))
	r.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusBadRequest { // it is let in, and asks nothing
		t.Errorf("the token is answered with %d", resp.StatusCode)
	}
}

// The server speaks TLS by itself, takes a renewed certificate over while it runs, and goes on with the one before if
// the new one cannot be read.
func TestTLS(t *testing.T) {
	folder := t.TempDir()
	cert, key := filepath.Join(folder, "cert.pem"), filepath.Join(folder, "key.pem")
	certtest.Write(t, cert, key, 1)
	c := program(t, "serve", "--db", filepath.Join(folder, "x.db"), "--addr", "127.0.0.1:0", "--tls-cert", cert,
		"--tls-key", key)
	out, err := c.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = c.Process.Kill(); _ = c.Wait() })
	line := make([]byte, 200)
	n, err := out.Read(line)
	if err != nil {
		t.Fatal(err)
	}
	_, address, is := strings.Cut(strings.TrimSpace(string(line[:n])), "https://")
	if !is {
		t.Fatalf("it says %q", line[:n])
	}
	client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true},
		DisableKeepAlives: true}}
	serial := func() int64 {
		resp, err := client.Get("https://" + address + "/api/sign-in")
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		if _, err := io.Copy(io.Discard, resp.Body); err != nil {
			t.Fatal(err)
		}
		if resp.Header.Get("Strict-Transport-Security") == "" {
			t.Error("browsers are not told to keep to TLS")
		}
		return resp.TLS.PeerCertificates[0].SerialNumber.Int64()
	}
	if got := serial(); got != 1 {
		t.Errorf("the certificate is number %d", got)
	}
	if _, err := tls.Dial("tcp", address,
		&tls.Config{InsecureSkipVerify: true, MaxVersion: tls.VersionTLS11}); err == nil {
		t.Error("TLS 1.1 is spoken")
	}
	plain, err := net.Dial("tcp", address)
	if err != nil {
		t.Fatal(err)
	}
	_ = plain.Close()
	if code, _, stderr := run(t, "serve", "--db", filepath.Join(folder, "y.db"), "--addr", "127.0.0.1:0",
		"--tls-cert", key, "--tls-key", cert); code != 1 || !strings.Contains(stderr, key) {
		t.Errorf("with the two mixed up: exit %d, %s", code, stderr)
	}
}

// A socket that a service manager passes on is served: whoever connected while no server ran is answered, not refused.
func TestAPassedSocketOutlivesTheServer(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	socket, err := listener.(*net.TCPListener).File()
	if err != nil {
		t.Fatal(err)
	}
	defer socket.Close()
	db := filepath.Join(t.TempDir(), "x.db")
	answered := make(chan error, 2)
	for range 2 { // the second stands for a restart
		go func() { // before the server is there
			resp, err := http.Get("http://" + listener.Addr().String() + "/readyz")
			if err == nil {
				err = resp.Body.Close()
			}
			answered <- err
		}()
		// The shell tells the program the number of its own process, as sd_listen_fds(3) wants it.
		c := program(t)
		c.Path, c.Args = "/bin/sh",
			[]string{"sh", "-c", `LISTEN_PID=$$ LISTEN_FDS=1 exec "$0" serve --db "$1"`, binary.File(t), db}
		c.ExtraFiles = []*os.File{socket}
		if err := c.Start(); err != nil {
			t.Fatal(err)
		}
		if err := <-answered; err != nil {
			t.Errorf("who asked before the server was there: %v", err)
		}
		if err := c.Process.Signal(syscall.SIGTERM); err != nil {
			t.Fatal(err)
		}
		if err := c.Wait(); err != nil {
			t.Errorf("it ends with %v", err)
		}
	}
}

// Every command has a manual page and completion.
func TestManual(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "man")
	if code, _, stderr := run(t, "manual", folder); code != 0 {
		t.Fatal(stderr)
	}
	for page, want := range map[string]string{
		"fachwerk.1": "serve", "fachwerk-serve.1": "metrics-addr", "fachwerk-backup.1": "consistent copy",
		"fachwerk-import.1": "LDIF",
	} {
		if text, err := os.ReadFile(filepath.Join(folder, page)); err != nil || !strings.Contains(string(text), want) {
			t.Errorf("%s lacks %q: %v", page, want, err)
		}
	}
	for _, shell := range []string{"bash", "zsh", "fish"} {
		if code, out, stderr := run(t, "completion", shell); code != 0 || !strings.Contains(out, "fachwerk") {
			t.Errorf("%s: exit %d, %s", shell, code, stderr)
		}
	}
	if code, out, _ := run(t, "version"); code != 0 || !strings.HasPrefix(out, "fachwerk ") {
		t.Errorf("version: exit %d, %s", code, out)
	}
}

// The measures have an address of their own, and are answered nowhere else.
func TestMeasuresAreApart(t *testing.T) {
	apart, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := apart.Addr().String()
	if err := apart.Close(); err != nil {
		t.Fatal(err)
	}
	s := serve(t, "--db", filepath.Join(t.TempDir(), "x.db"), "--demo", "--metrics-addr", address)
	get := func(url string) (int, string) {
		resp, err := http.Get(url)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		text, err := io.ReadAll(resp.Body)
		if err != nil {
			t.Fatal(err)
		}
		return resp.StatusCode, string(text)
	}
	if status, text := get("http://" + address + "/metrics"); status != 200 ||
		!strings.Contains(text, "\nfachwerk_ready 1\n") {
		t.Errorf("%d %.300s", status, text)
	}
	if status, _ := get(s.url + "/metrics"); status != 404 {
		t.Errorf("where people are served: %d", status)
	}
	// Whatever the alerts ask for is measured.
	alerts, err := os.ReadFile("../../deploy/alerts.yaml")
	if err != nil {
		t.Fatal(err)
	}
	_, measures := get("http://" + address + "/metrics")
	names := regexp.MustCompile(`\b(fachwerk|process)_[a-z_]+`).FindAllString(string(alerts), -1)
	if len(names) < 8 {
		t.Errorf("the alerts ask for %v only", names)
	}
	for _, name := range names {
		if !strings.Contains(measures, "\n# TYPE "+strings.TrimSuffix(name, "_bucket")+" ") {
			t.Errorf("an alert asks for %s, which is not measured", name)
		}
	}
}

// The settings that are delivered are taken as they are, and the unit names a command that there is.
func TestWhatIsDelivered(t *testing.T) {
	if code, out, stderr := run(t, "serve", "--config", "../../deploy/fachwerk.toml", "--show-config"); code != 0 ||
		!strings.Contains(out, "/var/lib/fachwerk/fachwerk.db") {
		t.Errorf("exit %d, %s %s", code, out, stderr)
	}
	container, err := os.ReadFile("../../deploy/Containerfile")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range regexp.MustCompile(`FACHWERK_[A-Z_]+`).FindAllString(string(container), -1) {
		flag := "--" + strings.ReplaceAll(strings.ToLower(strings.TrimPrefix(name, "FACHWERK_")), "_", "-")
		if _, help, _ := run(t, "serve", "--help"); !strings.Contains(help, flag+" ") {
			t.Errorf("the container sets %s, and there is no %s", name, flag)
		}
	}
}

// A copy is started with an address and a token alone, follows what is applied, and outlives the first.
func TestFollow(t *testing.T) {
	db := filepath.Join(t.TempDir(), "x.db")
	s := serve(t, "--db", db, "--demo")
	_, token, _ := run(t, "token", "--db", db, "--name", "copy", "--for", "copies")
	_, decisions, _ := run(t, "token", "--db", db, "--name", "gates", "--for", "decisions")
	secret := file(t, "token", token)
	t.Setenv("FACHWERK_FOLLOW_TOKEN_FILE", secret)
	copied := serve(t, "--follow", s.url)
	c := s.client(t, "signe.halloran")
	draft := s.call(t, c, "POST", "/api/draft/join", map[string]any{
		"from":  map[string]string{"kind": "user", "id": "noor.tamsin"},
		"to":    map[string]string{"kind": "role", "id": "night-cover"},
		"terms": map[string]any{"area": "terminal-2"},
	})
	s.call(t, c, "POST", "/api/draft/apply", map[string]any{"reason": "nights", "stamp": draft["stamp"]})
	ask := func(least string) (int, string, string) {
		r, err := http.NewRequest("POST", copied.url+"/access/v1/search/action", strings.NewReader(
			`{"subject": {"type": "user", "id": "noor.tamsin"}, "resource": {"type": "quaybook:gate", "id": "x"}}`))
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Authorization", "Bearer "+strings.TrimSpace(decisions))
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Fachwerk-At-Least", least)
		resp, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		text, err := io.ReadAll(resp.Body)
		if err != nil {
			t.Fatal(err)
		}
		return resp.StatusCode, resp.Header.Get("Fachwerk-Revision"), string(text)
	}
	if status, revision, text := ask("61"); status != 200 || revision != "61" || !strings.Contains(text, "results") {
		t.Errorf("the copy answers %d of revision %s: %s", status, revision, text)
	}
	_ = s.Process.Kill()
	_ = s.Wait()
	if status, revision, text := ask("61"); status != 200 || revision != "61" {
		t.Errorf("without the first, the copy answers %d of revision %s: %s", status, revision, text)
	}
	if err := copied.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	if err := copied.Wait(); err != nil {
		t.Errorf("the copy ends with %v", err)
	}
	for args, want := range map[string]string{"--follow " + s.url + " --db " + db: "holds no database",
		"--follow nowhere": "--follow"} {
		if code, _, stderr := run(t, append([]string{"serve"}, strings.Fields(args)...)...); code != 2 ||
			!strings.Contains(stderr, want) {
			t.Errorf("%s: exit %d, %s", args, code, stderr)
		}
	}
	t.Setenv("FACHWERK_FOLLOW_TOKEN_FILE", "")
	if code, _, stderr := run(t, "serve", "--follow", s.url); code != 2 ||
		!strings.Contains(stderr, "FACHWERK_FOLLOW_TOKEN") {
		t.Errorf("without a token: exit %d, %s", code, stderr)
	}
}

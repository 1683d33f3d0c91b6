// Package torture kills the server again and again while programs write by every door, fills its disk, and tears its
// log; and proves that nothing is lost that was acknowledged. FACHWERK_KILLS says how often it is killed; a few times
// if it is not set.
package torture

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"fachwerk/e2e/binary"
	"fachwerk/internal/exchange/modelfile"
)

func TestMain(m *testing.M) { binary.Main(m) }

// house is a database with a server that comes and goes.
type house struct {
	t       *testing.T
	program string
	db      string
	api     string // a token that acts as the owner
	scim    string // a directory's token

	server *exec.Cmd
	url    string
}

func (h *house) run(args ...string) string {
	h.t.Helper()
	c := exec.Command(h.program, args...)
	var out, errs bytes.Buffer
	c.Stdout, c.Stderr = &out, &errs
	if err := c.Run(); err != nil {
		h.t.Fatalf("fachwerk %v: %v %s", args, err, errs.String())
	}
	return strings.TrimSpace(out.String())
}

// begin makes a database with an owner in it, and tokens.
func begin(t *testing.T, folder string) *house {
	t.Helper()
	h := &house{t: t, program: binary.File(t), db: filepath.Join(folder, "x.db")}
	model := filepath.Join(t.TempDir(), "model.json")
	if err := os.WriteFile(model, []byte(`{"format": "fachwerk-model/1", "name": "Outer Skerry", "users": [
		{"id": "ada", "userName": "ada", "displayName": "Ada"}], "roles": [{"id": "clerk", "name": "Clerk"}]}`),
		0o600); err != nil {
		t.Fatal(err)
	}
	h.run("load", "--db", h.db, model)
	h.run("owner", "--db", h.db, "--user", "ada")
	h.api = h.run("token", "--db", h.db, "--name", "ada", "--for", "api")
	h.scim = h.run("token", "--db", h.db, "--name", "Directory", "--for", "scim")
	return h
}

// start starts the server and waits until it is ready.
func (h *house) start() {
	h.t.Helper()
	h.server = exec.Command(h.program, "serve", "--db", h.db, "--addr", "127.0.0.1:0", "--log-level", "error")
	out, err := h.server.StdoutPipe()
	if err != nil {
		h.t.Fatal(err)
	}
	h.server.Stderr = os.Stderr
	if err := h.server.Start(); err != nil {
		h.t.Fatal(err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	_, h.url, _ = strings.Cut(strings.TrimSpace(line), " at ")
	if err != nil || h.url == "" {
		h.t.Fatalf("the server says %q: %v", line, err)
	}
}

// kill ends the server without a warning.
func (h *house) kill() {
	_ = h.server.Process.Kill()
	_ = h.server.Wait()
}

// send sends a request, and gives the status; 0 if there was no answer.
func send(method, url, token, body string) (status int, answer map[string]any) {
	r, err := http.NewRequest(method, url, strings.NewReader(body))
	if err != nil {
		return 0, nil
	}
	r.Header.Set("Authorization", "Bearer "+token)
	r.Header.Set("Content-Type", "application/json")
	client := &http.Client{Timeout: 20 * time.Second, Transport: &http.Transport{DisableKeepAlives: true}}
	resp, err := client.Do(r)
	if err != nil {
		return 0, nil
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil || json.Unmarshal(data, &answer) != nil && len(data) > 0 {
		return 0, nil // broken off
	}
	return resp.StatusCode, answer
}

// writers are the doors by which somebody is added, each by an id of its own. Each tells whether that was acknowledged.
func (h *house) writers() map[string]func(id string) bool {
	user := func(id string) string { return fmt.Sprintf(`{"id": %q, "userName": %[1]q, "displayName": %[1]q}`, id) }
	return map[string]func(id string) bool{
		"draft": func(id string) bool {
			status, draft := send("PUT", h.url+"/api/draft/people", h.api, `{"after": `+user(id)+`}`)
			if status != http.StatusOK {
				return false
			}
			body, _ := json.Marshal(map[string]any{"reason": "tortured", "stamp": draft["stamp"]})
			status, _ = send("POST", h.url+"/api/draft/apply", h.api, string(body))
			return status == http.StatusOK
		},
		"directory": func(id string) bool {
			status, _ := send("POST", h.url+"/scim/v2/Users", h.scim,
				fmt.Sprintf(`{"schemas": ["urn:ietf:params:scim:schemas:core:2.0:User"], "userName": %q, "displayName": %[1]q}`,
					id))
			return status == http.StatusCreated
		},
		"bulk": func(id string) bool {
			status, answer := send("POST", h.url+"/scim/v2/Bulk", h.scim, fmt.Sprintf(
				`{"schemas": ["urn:ietf:params:scim:api:messages:2.0:BulkRequest"], "Operations": [{"method": "POST", "path": "/Users",
				"bulkId": "a", "data": {"schemas": ["urn:ietf:params:scim:schemas:core:2.0:User"], "userName": %q, "displayName": %[1]q}}]}`, id))
			list, _ := answer["Operations"].([]any)
			if status != http.StatusOK || len(list) != 1 {
				return false
			}
			done, _ := list[0].(map[string]any)
			return done["status"] == "201"
		},
		"command": func(id string) bool {
			file := filepath.Join(h.t.TempDir(), id+".csv")
			if err := os.WriteFile(file, []byte("userName,displayName\n"+id+","+id+"\n"), 0o600); err != nil {
				return false
			}
			return exec.Command(h.program, "import", "--db", h.db, "--bare", "--apply", file).Run() == nil
		},
	}
}

// names gives the user names that the database holds, once its chains are proven.
func (h *house) names() map[string]bool {
	h.t.Helper()
	h.run("verify", "--db", h.db)
	design, problems, err := modelfile.Read(strings.NewReader(h.run("export", "--db", h.db)))
	if err != nil || design == nil {
		h.t.Fatal(problems, err)
	}
	out := map[string]bool{}
	for _, u := range design.Users {
		out[u.UserName] = true
	}
	return out
}

// holds fails if something acknowledged is lost.
func (h *house) holds(acknowledged map[string]string) {
	h.t.Helper()
	names := h.names()
	for id, door := range acknowledged {
		if !names[id] {
			h.t.Errorf("%s was acknowledged by the door %q, and is lost", id, door)
		}
	}
}

// The server is killed at any instant while every door writes. Nothing acknowledged is lost, the chains hold, and what
// was not acknowledged is there whole or not at all.
func TestKilledAgainAndAgain(t *testing.T) {
	kills, _ := strconv.Atoi(os.Getenv("FACHWERK_KILLS"))
	if kills == 0 {
		kills = 4
	}
	h := begin(t, t.TempDir())
	acknowledged := map[string]string{}
	byDoor := map[string]int{}
	for round := range kills {
		h.start()
		var mu sync.Mutex
		var wait sync.WaitGroup
		over := make(chan struct{})
		for door, write := range h.writers() {
			wait.Go(func() {
				for n := 0; ; n++ {
					select {
					case <-over:
						return
					default:
					}
					if id := fmt.Sprintf("%s-%d-%d", door, round, n); write(id) {
						mu.Lock()
						acknowledged[id] = door
						byDoor[door]++
						mu.Unlock()
					}
				}
			})
		}
		time.Sleep(time.Duration(200+rand.IntN(500)) * time.Millisecond) // at any instant, not at one that is waited for
		h.kill()
		close(over)
		wait.Wait()
		h.holds(acknowledged)
		if t.Failed() {
			t.Fatalf("after %d kills", round+1)
		}
	}
	for door := range h.writers() {
		if byDoor[door] == 0 {
			t.Errorf("nothing was acknowledged by the door %q: that proves nothing", door)
		}
	}
	t.Logf("%d kills, acknowledged: %v", kills, byDoor)
}

// On a full disk nothing is acknowledged and what is known is still answered; once there is room, all goes on.
func TestAFullDisk(t *testing.T) {
	folder := t.TempDir()
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=4m", "tmpfs", folder).CombinedOutput(); err != nil {
		t.Skipf("no small disk can be made here: %s", out)
	}
	t.Cleanup(func() {
		if out, err := exec.Command("umount", folder).CombinedOutput(); err != nil {
			t.Errorf("%v: %s", err, out)
		}
	})
	h := begin(t, folder)
	h.start()
	defer h.kill()
	acknowledged := map[string]string{}
	write := h.writers()["directory"]
	for n := range 5 {
		if id := fmt.Sprintf("before-%d", n); write(id) {
			acknowledged[id] = "directory"
		} else {
			t.Fatalf("with room, %s is refused", id)
		}
	}
	filler := filepath.Join(folder, "filler")
	f, err := os.Create(filler)
	if err != nil {
		t.Fatal(err)
	}
	for block := 1 << 16; block > 0; block /= 2 { // to the last byte
		for {
			if _, err := f.Write(make([]byte, block)); err != nil {
				break
			}
		}
	}
	refused := 0
	for n := range 200 {
		id := fmt.Sprintf("full-%d", n)
		status, answer := send("POST", h.url+"/scim/v2/Users", h.scim,
			fmt.Sprintf(`{"schemas": ["urn:ietf:params:scim:schemas:core:2.0:User"], "userName": %q, "displayName": %[1]q}`, id))
		switch status {
		case http.StatusCreated: // the log had room
			acknowledged[id] = "directory"
		case http.StatusServiceUnavailable:
			if refused++; !strings.Contains(fmt.Sprint(answer["detail"]), "full") {
				t.Errorf("the refusal does not say why: %v", answer)
			}
		default:
			t.Errorf("%s is answered with %d %v", id, status, answer)
		}
		if refused == 3 {
			break
		}
	}
	if refused < 3 {
		t.Error("nothing was refused: the disk was not full")
	}
	if status, _ := send("GET", h.url+"/api/people/ada", h.api, ""); status != http.StatusOK {
		t.Errorf("on a full disk, what is known is answered with %d", status)
	}
	if err := errors.Join(f.Close(), os.Remove(filler)); err != nil {
		t.Fatal(err)
	}
	if write("after") {
		acknowledged["after"] = "directory"
	} else {
		t.Error("with room again, it does not go on")
	}
	h.kill()
	h.holds(acknowledged)
}

// A log that ends in the middle of what was being written is read as far as it is whole; what lies beyond was never
// acknowledged.
func TestATornLog(t *testing.T) {
	h := begin(t, t.TempDir())
	h.start()
	acknowledged := map[string]string{}
	write := h.writers()["draft"]
	for n := range 8 {
		if id := fmt.Sprintf("one-%d", n); write(id) {
			acknowledged[id] = "draft"
		}
	}
	h.kill()
	if len(acknowledged) != 8 {
		t.Fatalf("%d were acknowledged", len(acknowledged))
	}
	log, err := os.OpenFile(h.db+"-wal", os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		t.Fatal(err)
	}
	torn := make([]byte, 3000) // most of a page
	for i := range torn {
		torn[i] = byte(i)
	}
	if _, err := log.Write(torn); err != nil {
		t.Fatal(err)
	}
	if err := log.Close(); err != nil {
		t.Fatal(err)
	}
	h.holds(acknowledged)
	h.start()
	if !write("after") {
		t.Error("after that, nothing can be written")
	}
	h.kill()
	acknowledged["after"] = "draft"
	h.holds(acknowledged)
}

// What is replicated continuously to a folder is restored whole, after the server and its disk are gone. It needs the
// replicating program, whose file FACHWERK_LITESTREAM names; make torture gets it.
func TestReplicated(t *testing.T) {
	litestream := os.Getenv("FACHWERK_LITESTREAM")
	if litestream == "" {
		t.Skip("FACHWERK_LITESTREAM names no program")
	}
	h := begin(t, t.TempDir())
	replica := "file://" + filepath.Join(t.TempDir(), "replica")
	h.start()
	replicate := exec.Command(litestream, "replicate", h.db, replica)
	if err := replicate.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = replicate.Process.Kill(); _ = replicate.Wait() }()
	acknowledged := map[string]string{}
	for door, write := range h.writers() {
		for n := range 5 {
			if id := fmt.Sprintf("%s-%d", door, n); write(id) {
				acknowledged[id] = door
			}
		}
	}
	h.kill()
	if len(acknowledged) != 20 {
		t.Fatalf("%d were acknowledged", len(acknowledged))
	}
	// It copies once a second; what comes of it is asked until it is whole.
	for began := time.Now(); ; time.Sleep(200 * time.Millisecond) {
		restored := filepath.Join(t.TempDir(), "restored.db")
		out, err := exec.Command(litestream, "restore", "-o", restored, replica).CombinedOutput()
		if err == nil {
			there := (&house{t: t, program: h.program, db: restored}).names()
			missing := 0
			for id := range acknowledged {
				if !there[id] {
					missing++
				}
			}
			if missing == 0 {
				return
			}
			err = fmt.Errorf("%d are missing", missing)
		}
		if time.Since(began) > 20*time.Second {
			t.Fatalf("%v: %s", err, out)
		}
	}
}

// Load measures the decision API over HTTP: server and load generator on one processor each, on a made-up
// organisation. It prints how many requests a second are answered and how long they take: alone, in batches, and
// while revisions are applied one after another.
//
//	go run ./e2e/load [-users 100000] [-for 10s] [-applies 60s] [-every 250ms] [-copies 2] bin/fachwerk
//
// With copies, it measures what these answer together, how long after a change is acknowledged they have it, and how
// long one takes to catch up that was held for the time of the applies.
package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/generate"
)

const (
	connections = 16
	batch       = 100
)

func main() {
	log.SetFlags(0)
	users := flag.Int("users", 100_000, "how many people the organisation has")
	span := flag.Duration("for", 10*time.Second, "how long each kind of request is sent")
	applies := flag.Duration("applies", time.Minute, "how long revisions are applied")
	copies := flag.Int("copies", 0, "how many copies of the server there are; with any, these are measured instead")
	every := flag.Duration("every", 250*time.Millisecond, "how long from one revision to the next")
	flag.Parse()
	runtime.GOMAXPROCS(1)
	if err := run(flag.Arg(0), *users, *copies, *span, *applies, *every); err != nil {
		log.Fatal(err)
	}
}

func run(program string, users, copies int, span, applies, every time.Duration) error {
	dir, err := os.MkdirTemp("", "load")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	options := generate.Options{Users: users, Seed: 1}
	file, db := filepath.Join(dir, "model.json"), filepath.Join(dir, "x.db")
	out, err := os.Create(file)
	if err != nil {
		return err
	}
	if err := generate.Write(out, options); err != nil {
		return err
	}
	if err := out.Close(); err != nil {
		return err
	}
	d := generate.Design(options)
	start := time.Now()
	if _, err := command(program, "load", "--db", db, file); err != nil {
		return err
	}
	fmt.Printf("%d people are loaded in %.1f s\n", users, time.Since(start).Seconds())
	if _, err := command(program, "owner", "--db", db, "--user", d.Users[0].ID); err != nil {
		return err
	}
	token, err := command(program, "token", "--db", db, "--name", "load", "--for", "decisions")
	if err != nil {
		return err
	}
	apply, err := command(program, "token", "--db", db, "--name", "load", "--for", "api", "--user", d.Users[0].ID)
	if err != nil {
		return err
	}
	first, err := serve(program, "serve", "--db", db)
	if err != nil {
		return err
	}
	defer first.stop()
	url, resident := first.url, first.resident
	fmt.Println("once ready:", resident())
	if copies > 0 {
		follow, err := command(program, "token", "--db", db, "--name", "load", "--for", "copies")
		if err != nil {
			return err
		}
		c := &client{url: url, token: strings.TrimSpace(token)}
		w := newWriter(client{url: url, token: strings.TrimSpace(apply)}, d)
		w.every = every
		return measureCopies(program, copies, strings.TrimSpace(follow), first, c, w, c.requests(d, 1), span, applies)
	}

	c := &client{url: url, token: strings.TrimSpace(token)}
	one, many := c.requests(d, 1), c.requests(d, batch)
	w := newWriter(client{url: url, token: strings.TrimSpace(apply)}, d)
	w.every = every
	d = nil // what the generator keeps in memory would cost it time, which is not the server's
	runtime.GC()
	debug.SetGCPercent(400)
	c.run(time.Second, one) // so that all are warm
	c.run(span, one).tell("evaluation", 1)
	c.run(span, many).tell(fmt.Sprintf("evaluations of %d", batch), batch)

	ctx, cancel := context.WithTimeout(context.Background(), applies)
	defer cancel()
	var wait sync.WaitGroup
	wait.Go(func() { w.run(ctx) })
	c.pace = 1000
	c.run(applies, one).tell("evaluation at a steady 1000 a second while revisions are applied", 1)
	wait.Wait()
	if w.err != nil {
		return w.err
	}
	fmt.Println("at the end:", resident())
	slices.Sort(w.took)
	fmt.Printf(
		"%d revisions were applied; drafting and applying one takes %v in the middle, %v at most\n",
		len(w.took),
		w.took[len(w.took)/2].Round(time.Millisecond),
		w.took[len(w.took)-1].Round(time.Millisecond),
	)
	return nil
}

func command(program string, args ...string) (string, error) {
	cmd := exec.Command(program, args...)
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	return string(out), err
}

// server is one that runs on a processor of its own.
type server struct {
	*exec.Cmd
	url string
}

func (s *server) stop() { _ = s.Process.Signal(os.Interrupt); _ = s.Wait() }

func (s *server) resident() string {
	data, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.Process.Pid))
	var now, most int // in kB, as Linux tells them
	for line := range strings.Lines(string(data)) {
		_, _ = fmt.Sscanf(line, "VmRSS: %d", &now)
		_, _ = fmt.Sscanf(line, "VmHWM: %d", &most)
	}
	return fmt.Sprintf("%d MiB resident, %d MiB at most", now>>10, most>>10)
}

// served is how many servers have been started.
var served int

// serve starts a server and waits until it says that it is ready.
func serve(program string, args ...string) (*server, error) {
	processor := strconv.Itoa(served % runtime.NumCPU())
	served++
	cmd := exec.Command("taskset", append([]string{"-c", processor, program}, append(args, "--addr", "127.0.0.1:0",
		"--log-level", "warn")...)...)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	start := time.Now()
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	s := &server{Cmd: cmd}
	line, err := bufio.NewReader(out).ReadString('\n')
	_, s.url, _ = strings.Cut(strings.TrimSpace(line), " at ")
	if err != nil || s.url == "" {
		s.stop()
		return nil, fmt.Errorf("the server says %q: %w", line, err)
	}
	fmt.Printf("the server is ready after %.1f s\n", time.Since(start).Seconds())
	return s, nil
}

// client sends requests on several connections at once.
type client struct {
	url, token string
	pace       int // requests a second, if not as many as can be
}

// requests are whole HTTP requests with n evaluations each, ready to be sent: making them is not the server's work.
func (c *client) requests(d *model.Design, n int) [][]byte {
	r := rand.New(rand.NewPCG(1, 2))
	var keys []string
	for _, s := range d.Systems {
		for _, p := range s.Permissions {
			keys = append(keys, p.Key)
		}
	}
	out := make([][]byte, 40_000/n)
	for i := range out {
		list := make([]string, n)
		for k := range list {
			key := keys[r.IntN(len(keys))]
			at := strings.LastIndex(key, ":")
			list[k] = fmt.Sprintf(
				`{"subject":{"type":"user","id":%q},"action":{"name":%q},"resource":{"type":%q,"id":"record-%d","properties":{"area":%q}}}`,
				d.Users[r.IntN(len(d.Users))].ID,
				key[at+1:],
				key[:at],
				k,
				d.Areas[r.IntN(len(d.Areas))].ID,
			)
		}
		path, body := "evaluation", list[0]
		if n > 1 {
			path, body = "evaluations", `{"evaluations":[`+strings.Join(list, ",")+`]}`
		}
		out[i] = fmt.Appendf(
			nil,
			"POST /access/v1/%s HTTP/1.1\r\nHost: %s\r\nAuthorization: Bearer %s\r\nContent-Type: "+
				"application/json\r\nContent-Length: %d\r\n\r\n%s",
			path,
			strings.TrimPrefix(c.url, "http://"),
			c.token,
			len(body),
			body,
		)
	}
	return out
}

// connection speaks just enough HTTP to send ready requests and to see that each is answered.
type connection struct {
	net.Conn
	in *bufio.Reader
}

func (c *connection) ask(request []byte) error {
	if _, err := c.Write(request); err != nil {
		return err
	}
	length := 0
	for first := true; ; first = false {
		line, err := c.in.ReadSlice('\n')
		if err != nil {
			return err
		}
		if first && !bytes.HasPrefix(line, []byte("HTTP/1.1 200")) {
			return fmt.Errorf("the answer begins %s", line)
		}
		if value, ok := bytes.CutPrefix(line, []byte("Content-Length: ")); ok {
			if length, err = strconv.Atoi(string(bytes.TrimSpace(value))); err != nil {
				return err
			}
		}
		if len(line) <= 2 {
			if length == 0 {
				return errors.New("the answer has no length")
			}
			_, err := c.in.Discard(length)
			return err
		}
	}
}

// result is what a run measured.
type result struct {
	took  []time.Duration
	whole time.Duration
}

func (c *client) run(span time.Duration, requests [][]byte) result {
	parts := make([][]time.Duration, connections)
	start := time.Now()
	var wait sync.WaitGroup
	for n := range connections {
		wait.Go(func() {
			dialled, err := net.Dial("tcp", strings.TrimPrefix(c.url, "http://"))
			if err != nil {
				log.Fatal(err)
			}
			defer dialled.Close()
			conn := &connection{dialled, bufio.NewReaderSize(dialled, 64<<10)}
			for i := n; time.Since(start) < span; i += connections {
				due := time.Now()
				if c.pace > 0 { // each is due at its time, whether the one before was answered or not
					due = start.Add(time.Duration(i) * time.Second / time.Duration(c.pace))
					time.Sleep(time.Until(due))
				}
				if err := conn.ask(requests[i%len(requests)]); err != nil {
					log.Fatal(err)
				}
				parts[n] = append(parts[n], time.Since(due))
			}
		})
	}
	wait.Wait()
	r := result{slices.Concat(parts...), time.Since(start)}
	slices.Sort(r.took)
	return r
}

func (r result) tell(what string, each int) {
	at := func(share float64) time.Duration {
		return r.took[int(share*float64(len(r.took)-1))].Round(10 * time.Microsecond)
	}
	fmt.Printf(
		"%s: %.0f requests and %.0f decisions a second; 50th percentile %v, 99th %v, 99.9th %v, longest %v\n",
		what,
		float64(
			len(r.took),
		)/r.whole.Seconds(),
		float64(each*len(r.took))/r.whole.Seconds(),
		at(0.5),
		at(0.99),
		at(0.999),
		at(1),
	)
}

// writer applies one revision after another: each adds somebody to a group.
type writer struct {
	client
	users, groups []string
	joined        map[[2]string]bool // who is in which group
	pairs         int                // tried so far
	every         time.Duration      // from one to the next
	took          []time.Duration
	err           error
}

func newWriter(c client, d *model.Design) *writer {
	w := &writer{client: c, joined: map[[2]string]bool{}}
	for _, u := range d.Users[1:] {
		w.users = append(w.users, u.ID)
	}
	for _, g := range d.Groups {
		if g.Type == model.Static && g.Source != model.Directory {
			w.groups = append(w.groups, g.ID)
			for _, u := range g.Users {
				w.joined[[2]string{u, g.ID}] = true
			}
		}
	}
	return w
}

func (w *writer) run(ctx context.Context) {
	for ctx.Err() == nil && w.err == nil {
		start := time.Now()
		w.err = w.one()
		w.took = append(w.took, time.Since(start))
		time.Sleep(time.Until(start.Add(w.every)))
	}
}

// one joins the next two that are not yet joined.
func (w *writer) one() error {
	var user, group string
	for {
		user, group = w.users[w.pairs*37%len(w.users)], w.groups[w.pairs*101%len(w.groups)]
		if w.pairs++; !w.joined[[2]string{user, group}] {
			break
		}
	}
	w.joined[[2]string{user, group}] = true
	data, err := w.post(
		"/api/draft/join",
		map[string]any{
			"from": map[string]string{"kind": "user", "id": user},
			"to":   map[string]string{"kind": "group", "id": group},
		},
	)
	if err != nil {
		return err
	}
	var draft struct{ Stamp string }
	if err := json.Unmarshal(data, &draft); err != nil {
		return err
	}
	_, err = w.post("/api/draft/apply", map[string]string{"reason": "load", "stamp": draft.Stamp})
	return err
}

func (w *writer) post(path string, body any) ([]byte, error) {
	data, err := json.Marshal(body)
	if err != nil {
		return nil, err
	}
	req, err := http.NewRequest(http.MethodPost, w.url+path, bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+w.token)
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	data, err = io.ReadAll(resp.Body)
	if err == nil && resp.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s is answered %d %s", path, resp.StatusCode, data)
	}
	return data, err
}

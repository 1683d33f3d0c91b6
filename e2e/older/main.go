// Older makes the databases that the test of this folder opens: for each version of the schema, the program of that
// time is built from its commit, given a small organisation, used over HTTP as people use it, and stopped. What its own
// export then says is kept beside the database.
//
//	go run ./e2e/older [SCHEMA ...]
//
// It is run once for each version of the schema, when the next one begins, and needs the history of the repository.
package main

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// commits are the last of each version of the schema. The first programs wrote no number: theirs is 1.
var commits = map[int]string{
	1: "e72f4a0", 2: "deb8462", 3: "d1bc836", 4: "4720089", 5: "d5e7ff2", 6: "4881888", 7: "eec4167", 8: "8416a3e",
	9: "9f91670", 10: "031429e", 11: "3b023d2", 12: "3b68a25", 13: "1a0aa0c", 14: "4882ee6", 15: "1164ca8",
	16: "f038c51", 17: "2c3d56e", 18: "57b26fc",
}

// Kept is what is known of a database beside it.
type Kept struct {
	Commit  string            `json:"commit"`
	Schema  int               `json:"schema"`
	Tokens  map[string]string `json:"tokens"`  // by purpose
	Link    string            `json:"link"`    // the way in of somebody who is invited, not yet used
	Refused []string          `json:"refused"` // what that program could not do yet
	Export  json.RawMessage   `json:"export"`
}

// password is that of everybody who has one.
const password = "seven gulls over the quay"

func main() {
	var wanted []int
	for _, arg := range os.Args[1:] {
		n, err := strconv.Atoi(arg)
		if err != nil || commits[n] == "" {
			log.Fatalf("%s: there is no such version of the schema", arg)
		}
		wanted = append(wanted, n)
	}
	if len(wanted) == 0 {
		for n := range commits {
			wanted = append(wanted, n)
		}
		slices.Sort(wanted)
	}
	for _, n := range wanted {
		if err := keep(n, commits[n]); err != nil {
			log.Fatalf("schema %d, commit %s: %v", n, commits[n], err)
		}
	}
}

// keep makes the database of one version of the schema, and writes what is kept of it.
func keep(schema int, commit string) (err error) {
	folder, err := os.MkdirTemp("", "fachwerk-older")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	program, err := build(folder, commit)
	if err != nil {
		return err
	}
	u := &used{program: program, db: filepath.Join(folder, "small.db"),
		kept: Kept{Commit: commit, Schema: schema, Tokens: map[string]string{}}}
	if err := u.use(); err != nil {
		return err
	}
	if _, err := os.Stat(u.db + "-wal"); err == nil {
		return errors.New("the log was not folded into the database when the program was stopped")
	}
	data, err := os.ReadFile(u.db)
	if err != nil {
		return err
	}
	said, err := json.MarshalIndent(u.kept, "", "\t")
	if err != nil {
		return err
	}
	name := filepath.Join("e2e", "older", "testdata", fmt.Sprintf("%02d-%s", schema, commit))
	fmt.Printf("schema %d, commit %s: %d bytes; it could not: %v\n", schema, commit, len(data), u.kept.Refused)
	return errors.Join(os.MkdirAll(filepath.Dir(name), 0o755), pack(name+".db.gz", data), pack(name+".json.gz", said))
}

func pack(file string, data []byte) error {
	var out bytes.Buffer
	z, _ := gzip.NewWriterLevel(&out, gzip.BestCompression)
	_, err := z.Write(data)
	return errors.Join(err, z.Close(), os.WriteFile(file, out.Bytes(), 0o644))
}

// build builds the program of a commit, with the front end of today, which nobody looks at.
func build(folder, commit string) (string, error) {
	source, program := filepath.Join(folder, "source"), filepath.Join(folder, "fachwerk")
	if err := run("git", "worktree", "add", "--detach", source, commit); err != nil {
		return "", err
	}
	defer func() { _ = run("git", "worktree", "remove", "--force", source) }()
	c := exec.Command("go", "build", "-o", program, "./cmd/fachwerk")
	c.Dir, c.Env, c.Stderr = source, append(os.Environ(), "CGO_ENABLED=0"), os.Stderr
	dist := filepath.Join(source, "web", "dist")
	return program, errors.Join(os.RemoveAll(dist), os.CopyFS(dist, os.DirFS(filepath.Join("web", "dist"))), c.Run())
}

func run(name string, args ...string) error {
	out, err := exec.Command(name, args...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("%s %s: %w\n%s", name, strings.Join(args, " "), err, out)
	}
	return nil
}

// used is a program that is used, with what is known of its database.
type used struct {
	program, db, url string
	http             http.Client
	kept             Kept
}

// says runs a command of the program, and gives what it writes.
func (u *used) says(args ...string) (string, error) {
	c := exec.Command(u.program, append(args[:1:1], append([]string{"--db", u.db}, args[1:]...)...)...)
	var out, complaints bytes.Buffer
	c.Stdout, c.Stderr = &out, &complaints
	if err := c.Run(); err != nil {
		return "", fmt.Errorf("%s: %w\n%s", strings.Join(args, " "), err, complaints.Bytes())
	}
	return out.String(), nil
}

// use fills the database by the program's commands, and over HTTP.
func (u *used) use() error {
	if _, err := u.says("load", filepath.Join("e2e", "older", "small.json")); err != nil {
		return err
	}
	for purpose, args := range map[string][]string{"decisions": nil, "scim": nil, "api": {"--user", "signe"}} {
		text, err := u.says(append([]string{"token", "--name", "for-" + purpose, "--for", purpose}, args...)...)
		if err != nil {
			return err
		}
		u.kept.Tokens[purpose] = strings.TrimSpace(text)
	}
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	address := free.Addr().String()
	if err := free.Close(); err != nil {
		return err
	}
	u.url = "http://" + address
	link, err := u.says("owner", "--user", "signe", "--url", u.url)
	if err != nil {
		return err
	}
	server := exec.Command(u.program, "serve", "--db", u.db, "--addr", address)
	var log bytes.Buffer
	server.Stderr, server.Stdout = &log, &log
	if err := server.Start(); err != nil {
		return err
	}
	err = errors.Join(u.work(path.Base(lastLine(link))), server.Process.Signal(syscall.SIGTERM), server.Wait())
	if err != nil {
		return fmt.Errorf("%w\n%s", err, log.Bytes())
	}
	text, err := u.says("export")
	u.kept.Export = json.RawMessage(text)
	return err
}

func lastLine(text string) string {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	return strings.TrimSpace(lines[len(lines)-1])
}

type object = map[string]any

// work does what people do: it comes in, changes and applies, invites, opens a review and decides half of it, and
// leaves a draft open.
func (u *used) work(link string) error {
	for range 100 {
		if r, err := http.Get(u.url + "/api/sign-in"); err == nil {
			_ = r.Body.Close()
			break
		}
		time.Sleep(50 * time.Millisecond) // the program says nothing when it is ready
	}
	if err := u.comesIn("signe", link); err != nil {
		return err
	}
	nia := object{"id": "nia", "userName": "nia", "displayName": "Nia Cairn", "state": "invited", "area": "north"}
	ola := object{"id": "ola", "userName": "ola", "displayName": "Ola Strand", "state": "invited", "area": "north",
		"manager": "ruben"}
	var person, draft, review, invited, items object
	err := errors.Join(
		u.ask(nil, "PUT", "/api/draft/people", object{"after": nia}),
		u.ask(nil, "PUT", "/api/draft/people", object{"after": ola}),
		u.ask(nil, "POST", "/api/draft/assign", object{"subjects": []object{{"kind": "user", "id": "nia"}},
			"targets": []object{{"kind": "role", "id": "gate-clerk"}},
			"terms":   object{"area": "north", "reason": "she begins"}}),
		u.apply("two begin at the north quay"),
		u.ask(&person, "GET", "/api/people/tomas", nil),
	)
	if err != nil {
		return err
	}
	after := clone(person["object"].(object))
	after["title"] = "Gate clerk by night"
	err = errors.Join(
		u.ask(nil, "PUT", "/api/draft/people", object{"before": person["object"], "after": after}),
		u.apply("he works at night"),
		u.ask(&invited, "POST", "/api/people/ola/invitation", object{}),
	)
	if err != nil {
		return err
	}
	if err := u.comesIn("ola", linkOf(invited)); err != nil {
		return err
	}
	u.may("a request", "POST", "/api/requests", object{"kind": "role", "id": "berth-planner", "reason": "I plan berths"})
	err = errors.Join(
		u.signsIn("signe"),
		u.ask(&invited, "POST", "/api/people/nia/invitation", object{}),
		u.ask(&review, "POST", "/api/reviews", object{"role": "night-cover", "by": "person", "person": "signe",
			"fallback": "ruben"}),
	)
	if err != nil {
		return err
	}
	u.kept.Link = linkOf(invited)
	number := fmt.Sprint(review["id"])
	if err := u.ask(&items, "GET", "/api/reviews/"+number+"/items", nil); err != nil || items["rows"] == nil {
		items = object{}
		if err := u.ask(&items, "GET", "/api/reviews/"+number, nil); err != nil {
			return err
		}
	}
	rows, _ := items["rows"].([]any)
	if rows == nil {
		rows, _ = items["items"].([]any)
	}
	if len(rows) != 2 {
		return fmt.Errorf("the review has not two items: %v", items)
	}
	decided := rows[0].(object)
	err = u.ask(nil, "POST", "/api/review-items/decisions", object{"items": []any{decided["id"]}, "decision": "revoke",
		"reason": "no longer needed"})
	u.may("a worklist", "POST", "/api/worklists", object{"name": "The north quay"})
	u.may("an absence", "PUT", "/api/me/absence", object{"instead": "ruben", "from": "2027-01-04T00:00:00Z",
		"until": "2027-01-15T00:00:00Z"})
	series := func(from string) object {
		return object{"review": object{"role": "gate-clerk", "fallback": "signe"}, "rule": "FREQ=MONTHLY;BYMONTHDAY=1",
			"from": from, "days": 14}
	}
	if u.ask(nil, "POST", "/api/series", series("2027-01-01T08:00")) != nil {
		u.may("a series", "POST", "/api/series", series("2027-01-01T08:00:00Z"))
	}
	u.may("letters", "PUT", "/api/me/letters", object{"reminders": false, "tasks": true, "requests": true, "endings": true,
		"criticals": true, "daily": true})
	err = errors.Join(err, u.ask(&person, "GET", "/api/people/per", nil))
	if err != nil {
		return err
	}
	after = clone(person["object"].(object))
	after["title"] = "Berth inspector"
	err = u.ask(nil, "PUT", "/api/draft/people", object{"before": person["object"], "after": after})
	return errors.Join(err, u.ask(&draft, "GET", "/api/draft", nil))
}

// linkOf is the secret of an invitation's link, which the first programs called its path.
func linkOf(invitation object) string {
	if link, ok := invitation["link"].(string); ok {
		return path.Base(link)
	}
	return path.Base(fmt.Sprint(invitation["path"]))
}

func clone(o object) object {
	out := object{}
	for k, v := range o {
		out[k] = v
	}
	return out
}

// comesIn sets somebody's password by a link, and signs them in.
func (u *used) comesIn(user, link string) error {
	u.http.Jar, _ = cookiejar.New(nil)
	return errors.Join(u.ask(nil, "POST", "/api/welcome/"+link, object{"password": password}), u.signsIn(user))
}

func (u *used) signsIn(user string) error {
	u.http.Jar, _ = cookiejar.New(nil)
	return u.ask(nil, "POST", "/api/session", object{"userName": user, "password": password})
}

// apply applies the draft.
func (u *used) apply(reason string) error {
	var draft object
	if err := u.ask(&draft, "GET", "/api/draft", nil); err != nil {
		return err
	}
	return u.ask(nil, "POST", "/api/draft/apply", object{"stamp": draft["stamp"], "reason": reason})
}

// may does what the program perhaps cannot do yet, which is then told.
func (u *used) may(what, method, address string, in any) {
	if err := u.ask(nil, method, address, in); err != nil {
		u.kept.Refused = append(u.kept.Refused, what)
	}
}

// ask asks the program over HTTP.
func (u *used) ask(out any, method, address string, in any) error {
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	request, err := http.NewRequest(method, u.url+address, body)
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	r, err := u.http.Do(request)
	if err != nil {
		return err
	}
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	switch {
	case err != nil:
		return err
	case r.StatusCode >= 300:
		return fmt.Errorf("%s %s: %s %s", method, address, r.Status, text)
	case out == nil:
		return nil
	}
	return json.Unmarshal(text, out)
}

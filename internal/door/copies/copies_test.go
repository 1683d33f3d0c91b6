package copies_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/copies"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/exchange/modelfile"
	"fachwerk/internal/store"
)

var today = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

var signe = desk.Actor{User: "signe.halloran", Proven: today}

// first is a server with a database.
type first struct {
	t       *testing.T
	desk    *rooms.Desk
	store   *store.Store
	address string
	stop    func()

	copies, api, decisions string // tokens
}

func open(t *testing.T) (*rooms.Desk, *store.Store) {
	t.Helper()
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	d, err := rooms.Open(s, func() time.Time { return today })
	if err != nil {
		t.Fatal(err)
	}
	return d, s
}

func begin(t *testing.T) *first {
	t.Helper()
	slog.SetDefault(slog.New(slog.DiscardHandler))
	_, s := open(t)
	if err := demo.Fill(s, today); err != nil {
		t.Fatal(err)
	}
	d, err := rooms.Open(s, func() time.Time { return today })
	if err != nil {
		t.Fatal(err)
	}
	f := &first{t: t, desk: d, store: s}
	token := func(n account.NewToken) string {
		text, err := d.MakeToken(n)
		if err != nil {
			t.Fatal(err)
		}
		return text
	}
	f.copies = token(account.NewToken{Name: "a copy", Purpose: account.ForCopies})
	f.api = token(account.NewToken{Name: "a program", Purpose: "api", User: signe.User})
	f.decisions = token(account.NewToken{Name: "gates", Purpose: "decisions"})
	f.start()
	t.Cleanup(func() { f.stop() })
	return f
}

// start serves the first, at the address that it had before if it had one.
func (f *first) start() {
	f.t.Helper()
	at := f.address
	if at == "" {
		at = "127.0.0.1:0"
	}
	listener, err := net.Listen("tcp", at)
	if err != nil {
		f.t.Fatal(err)
	}
	f.address = listener.Addr().String()
	srv := httptest.NewUnstartedServer(server.New(f.desk, f.store, fstest.MapFS{}, inner.Outside{}))
	_ = srv.Listener.Close()
	srv.Listener = listener
	srv.Start()
	f.stop = func() {
		srv.CloseClientConnections()
		srv.Close()
	}
}

// follow starts a copy and waits until it is ready.
func (f *first) follow() (url string, c *copies.Copy) {
	f.t.Helper()
	d, s := open(f.t)
	c = &copies.Copy{First: "http://" + f.address, Token: f.copies, Desk: d}
	srv := httptest.NewServer(server.NewCopy(d, s, fstest.MapFS{}, inner.Outside{}, c))
	ctx, cancel := context.WithCancel(f.t.Context())
	over := make(chan struct{})
	ready := make(chan struct{})
	go func() {
		defer close(over)
		c.Follow(ctx, func() { close(ready) })
	}()
	f.t.Cleanup(func() {
		cancel()
		<-over
		srv.Close()
	})
	select {
	case <-ready:
	case <-time.After(20 * time.Second):
		f.t.Fatal("the copy is not ready")
	}
	return srv.URL, c
}

// hire has a directory bring somebody in.
func (f *first) hire(name string) {
	f.t.Helper()
	if _, err := f.desk.Feed(directory.Speaker{Name: "Harbour directory"}, func(r *directory.Request) error {
		_, err := r.Put(&model.User{ID: name, UserName: name, DisplayName: name, State: model.UserActive,
			Source: model.Directory}, nil)
		return err
	}); err != nil {
		f.t.Fatal(err)
	}
}

// ask asks a server, for at least a revision if that is not 0.
func ask(t *testing.T, method, url, token, body string, least int) (*http.Response, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, url, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+token)
	r.Header.Set("Content-Type", "application/json")
	if least > 0 {
		r.Header.Set(copies.AtLeastHeader, strconv.Itoa(least))
	}
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return resp, string(text)
}

func decision(user string) string {
	return fmt.Sprintf(`{"subject": {"type": "user", "id": %q}, "action": {"name": "view"},
		"resource": {"type": "fachwerk:design", "id": "x"}}`, user)
}

func written(t *testing.T, d *model.Design) string {
	t.Helper()
	var b bytes.Buffer
	if err := modelfile.Write(&b, d, nil); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// A copy answers what the first does: decisions, searches, sheets and lists, to the byte; it has its design, and tells
// its revision.
func TestACopyAnswersAsTheFirst(t *testing.T) {
	f := begin(t)
	url, c := f.follow()
	if written(t, c.Desk.Design()) != written(t, f.desk.Design()) {
		t.Error("the designs are not the same")
	}
	local := f.desk.Design().Users[slices.IndexFunc(f.desk.Design().Users, func(u *model.User) bool {
		return u.Source == model.Local
	})].ID
	search := `{"subject": {"type": "user"}, "action": {"name": "view"}, "resource": {"type": "quaybook:gate", "id": "x"}}`
	for _, q := range []struct{ method, path, token, body string }{
		{"POST", "/access/v1/evaluation", f.decisions, decision("signe.halloran")},
		{"POST", "/access/v1/evaluation", f.decisions, decision("noor.tamsin")},
		{"POST", "/access/v1/search/subject", f.decisions, search},
		{"GET", "/api/people/" + local, f.api, ""},
		{"GET", "/api/roles/night-cover", f.api, ""},
		{"GET", "/api/lists/user?q=noor", f.api, ""},
		{"GET", "/api/model.json", f.api, ""},
		{"POST", "/api/rules/try", f.api, `{"rule": "title pr"}`},
	} {
		_, want := ask(t, q.method, "http://"+f.address+q.path, q.token, q.body, 0)
		got, text := ask(t, q.method, url+q.path, q.token, q.body, 0)
		if text != want || got.StatusCode != 200 {
			t.Errorf("%s %s: the copy answers %d\n%s\nthe first\n%s", q.method, q.path, got.StatusCode, apart(text, want),
				apart(want, text))
		}
		if n := got.Header.Get(copies.RevisionHeader); n != strconv.Itoa(f.desk.Revision()) {
			t.Errorf("%s: the revision is told as %q", q.path, n)
		}
	}
	if got, text := ask(t, "GET", url+"/readyz", "", "", 0); got.StatusCode != 200 ||
		!strings.Contains(text, "a copy of revision "+strconv.Itoa(f.desk.Revision())) {
		t.Errorf("ready: %d %s", got.StatusCode, text)
	}
}

// A copy changes nothing and shows nothing that it has not: it names the first instead.
func TestACopyOnlyAnswers(t *testing.T) {
	f := begin(t)
	url, c := f.follow()
	before := c.Desk.Revision()
	for _, q := range []struct{ method, path, token string }{
		{"PUT", "/api/draft/people", f.api}, {"POST", "/api/draft/apply", f.api}, {"DELETE", "/api/draft", f.api},
		{"POST", "/api/session", ""}, {"POST", "/scim/v2/Users", f.decisions}, {"GET", "/scim/v2/Users", f.decisions},
		{"GET", "/api/revisions", f.api}, {"GET", "/api/reviews", f.api}, {"GET", "/api/draft", f.api},
		{"GET", "/copies/v1/feed", f.copies},
		{"POST", "/api/people/noor.tamsin/invitation", f.api}, {"POST", "/api/upgrades", f.api},
		{"POST", "/api/forgotten-password", ""},
		{"GET", "/api/tokens", f.api}, {"GET", "/api/security-log", f.api}, {"POST", "/api/tokens", f.api},
	} {
		if got, text := ask(t, q.method, url+q.path, q.token, `{}`, 0); got.StatusCode != http.StatusMisdirectedRequest ||
			!strings.Contains(text, f.address) {
			t.Errorf("%s %s: %d %s", q.method, q.path, got.StatusCode, text)
		}
	}
	if c.Desk.Revision() != before {
		t.Error("the copy has moved by itself")
	}
	// What shows no token, or a wrong one, learns nothing from the first.
	for _, token := range []string{"", f.api, f.decisions, "made up"} {
		if got, text := ask(t, "GET", "http://"+f.address+"/copies/v1/feed", token, "", 0); got.StatusCode != 401 ||
			strings.Contains(text, "{") {
			t.Errorf("the stream is given to %q: %d", token, got.StatusCode)
		}
	}
	if _, err := f.desk.AddToken(signe, account.NewToken{Name: "x", Purpose: account.ForCopies}); err == nil {
		t.Error("an owner lets a copy in")
	}
}

// Whoever has applied a change sees it on a copy that they ask for its revision; for one that does not come, they do
// not wait for ever. Tokens that are withdrawn stop working there too.
func TestReadYourOwnWrites(t *testing.T) {
	f := begin(t)
	url, c := f.follow()
	for i := range 30 {
		name := fmt.Sprintf("hired-%d", i)
		f.hire(name)
		if got, text := ask(t, "GET", url+"/api/people/"+name, f.api, "", f.desk.Revision()); got.StatusCode != 200 {
			t.Fatalf("%s: %d %s", name, got.StatusCode, text)
		}
	}
	if written(t, c.Desk.Design()) != written(t, f.desk.Design()) {
		t.Error("the designs are not the same")
	}
	got, text := ask(t, "GET", url+"/api/people/noor.tamsin", f.api, "", f.desk.Revision()+1)
	if got.StatusCode != 503 || !strings.Contains(text, `"behind"`) || got.Header.Get("Retry-After") == "" {
		t.Errorf("a revision to come: %d %s", got.StatusCode, text)
	}
	if got, _ := ask(t, "GET", url+"/api/areas?x", f.api, "", -1); got.StatusCode != 200 {
		t.Errorf("without one: %d", got.StatusCode)
	}
	list, err := f.desk.Tokens(signe)
	if err != nil {
		t.Fatal(err)
	}
	for _, token := range list {
		if token.Name == "gates" {
			if err := f.desk.EndToken(signe, token.ID); err != nil {
				t.Fatal(err)
			}
		}
	}
	eventually(t, "a withdrawn token stops working", func() bool {
		got, _ := ask(t, "POST", url+"/access/v1/evaluation", f.decisions, decision("ann"), 0)
		return got.StatusCode == 401
	})
}

// eventually waits until something is so that is bound to become so.
func eventually(t *testing.T, what string, is func() bool) {
	t.Helper()
	for began := time.Now(); !is(); time.Sleep(10 * time.Millisecond) {
		if time.Since(began) > 20*time.Second {
			t.Fatalf("%s: not within 20 s", what)
		}
	}
}

// While the first is away, a copy goes on with what it has; then it takes up what it missed, whether little or much, or
// another record altogether.
func TestTheFirstIsAway(t *testing.T) {
	f := begin(t)
	url, c := f.follow()
	f.stop()
	had := c.Desk.Revision()
	if got, text := ask(t, "POST", url+"/access/v1/evaluation", f.decisions, decision("signe.halloran"),
		0); got.StatusCode != 200 || !strings.Contains(text, "true") {
		t.Errorf("while the first is away: %d %s", got.StatusCode, text)
	}
	if got, _ := ask(t, "GET", url+"/readyz", "", "", 0); got.StatusCode != 200 ||
		got.Header.Get(copies.RevisionHeader) != strconv.Itoa(had) {
		t.Errorf("while the first is away, ready: %d", got.StatusCode)
	}
	for i := range 5 {
		f.hire(fmt.Sprintf("missed-%d", i))
	}
	f.start()
	eventually(t, "what was missed comes", func() bool { return c.Desk.Revision() == f.desk.Revision() })
	if written(t, c.Desk.Design()) != written(t, f.desk.Design()) {
		t.Error("after that, the designs are not the same")
	}
	// The first comes back with a backup from before, on which other things were applied since.
	f.stop()
	tokens, err := f.store.AllTokens()
	if err != nil {
		t.Fatal(err)
	}
	f.desk, f.store = open(t)
	if err := f.desk.Load(model.Build(&model.Design{
		Organisation: &model.Organisation{Name: "Another"},
		Users:        model.Table[*model.User]{{ID: "ada", UserName: "ada", DisplayName: "Ada"}},
	}), desk.Begin, "a beginning"); err != nil {
		t.Fatal(err)
	}
	for n := 0; f.desk.Revision() < c.Desk.Revision()+3; n++ { // so many that it has the copy's revision, by another hash
		f.hire(fmt.Sprintf("other-%d", n))
	}
	if err := f.desk.TakeTokens(tokens); err != nil {
		t.Fatal(err)
	}
	f.start()
	eventually(t, "another record is taken over", func() bool { return c.Desk.Design().Organisation.Name == "Another" })
	if written(t, c.Desk.Design()) != written(t, f.desk.Design()) || c.Desk.Revision() != f.desk.Revision() {
		t.Errorf("the copy is at revision %d, and its design is another", c.Desk.Revision())
	}
}

// apart is the part of a text where it begins to differ from another.
func apart(text, other string) string {
	n := 0
	for n < len(text) && n < len(other) && text[n] == other[n] {
		n++
	}
	return text[max(0, n-100):min(len(text), n+200)]
}

package authzen_test

import (
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/generate"
	"fachwerk/internal/store"
)

var now = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

// serve serves a small design and gives a caller with a token for decisions.
func serve(t *testing.T) caller {
	t.Helper()
	return serveDesign(t, small())
}

func small() *model.Design {
	return model.Build(&model.Design{
		Organisation: &model.Organisation{Name: "Small"},
		Areas:        model.Table[*model.Area]{{ID: "top", Name: "Top"}, {ID: "t1", Name: "T1", Parent: "top"}},
		Systems: model.Table[*model.System]{
			{
				ID:   "s",
				Name: "S",
				Permissions: []*model.Permission{
					{Key: "s:gate:view"},
					{Key: "s:gate.log:edit", Class: model.Write},
					{Key: "s:board:view"},
				},
			},
		},
		Sets: model.Table[*model.Set]{
			{ID: "g", Name: "G", Permissions: []string{"s:gate:view", "s:gate.log:edit"}},
			{ID: "b", Name: "B", Permissions: []string{"s:board:view"}},
		},
		Users: model.Table[*model.User]{
			{ID: "ann", UserName: "Ann.A", DisplayName: "Ann"},
			{ID: "bea", UserName: "bea", DisplayName: "Bea", Manager: "ann"},
		},
		Assignments: model.Table[*model.Assignment]{
			{
				ID:      "1",
				Subject: model.Subject{User: "ann"},
				Set:     "g",
				Area:    "t1",
				Until:   now.AddDate(0, 0, 7),
			}, {ID: "2", Subject: model.Subject{Group: model.Public}, Set: "b"},
			{ID: "3", Subject: model.Subject{User: "bea"}, Set: "g", Reach: model.ReachOwn},
		},
	})
}

// serveDesign serves a design.
func serveDesign(t *testing.T, design *model.Design) caller {
	t.Helper()
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	c := caller{t: t, clock: &clock{at: now}}
	d, err := rooms.Open(s, func() time.Time { return c.clock.at })
	if err != nil {
		t.Fatal(err)
	}
	if err := d.Load(design, desk.Begin, "test"); err != nil {
		t.Fatal(err)
	}
	token, err := d.MakeToken(account.NewToken{Name: "test", Purpose: "decisions"})
	if err != nil {
		t.Fatal(err)
	}
	wrong, err := d.MakeToken(account.NewToken{Name: "test", Purpose: "scim"})
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewUnstartedServer(nil)
	srv.Config.Handler = server.New(d, s, fstest.MapFS{}, inner.Outside{URL: "http://" + srv.Listener.Addr().String()})
	srv.Start()
	t.Cleanup(func() { srv.Close(); _ = s.Close() })
	c.desk, c.url, c.token, c.wrong = d, srv.URL, token, wrong
	return c
}

type caller struct {
	t                 *testing.T
	desk              *rooms.Desk
	clock             *clock
	url, token, wrong string
}

// clock tells the desk's time. It is set between requests only.
type clock struct{ at time.Time }

func (c caller) send(method, path, token, contentType, body string) (*http.Response, string) {
	c.t.Helper()
	req, err := http.NewRequest(method, c.url+path, strings.NewReader(body))
	if err != nil {
		c.t.Fatal(err)
	}
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	if contentType != "" {
		req.Header.Set("Content-Type", contentType)
	}
	req.Header.Set("X-Request-ID", "request-7")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		c.t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		c.t.Fatal(err)
	}
	return resp, string(data)
}

func (c caller) ask(path, body string) (int, string) {
	c.t.Helper()
	resp, text := c.send(http.MethodPost, "/access/v1/"+path, c.token, "application/json", body)
	if id := resp.Header.Get("X-Request-ID"); id != "request-7" {
		c.t.Errorf("the request's id comes back as %q", id)
	}
	return resp.StatusCode, strings.TrimSpace(text)
}

func TestEvaluation(t *testing.T) {
	c := serve(t)
	for _, q := range []struct{ body, want string }{
		{`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"area":"t1"}}}`, `{"decision":true}`},
		{`{"subject":{"type":"user","id":"ANN.a"},"action":{"name":"edit"},"resource":{"type":"s:gate.log","id":"","properties":{"area":"t1"}}}`, `{"decision":true}`},
		{`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7"}}`,
			`{"decision":false}`},
		{`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"area":"moon"}}}`, `{"decision":false}`},
		{`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:board","id":"7","properties":{"owner":"zed"}}}`, `{"decision":false}`},
		{`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:board","id":"7","properties":{"area":""}}}`, `{"decision":false}`},
		{`{"subject":{"type":"user","id":"bea"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"owner":"bea"}}}`, `{"decision":true}`},
		{`{"subject":{"type":"user","id":"zed"},"action":{"name":"view"},"resource":{"type":"s:board","id":"7"}}`,
			`{"decision":false}`},
		{`{"subject":{"type":"robot","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:board","id":"7"}}`,
			`{"decision":false}`},
		{`{"subject":{"type":"anonymous"},"action":{"name":"view"},"resource":{"type":"s:board","id":"7"}}`,
			`{"decision":true}`},
		{`{"subject":{"type":"anonymous","id":"x"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7"},"extra":1}`, `{"decision":false}`},
		{`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"area":"t1"}},"context":{"time":"2026-03-11T12:00:00Z"}}`, `{"decision":false}`},
		{`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"area":"t1"}},"context":{"time":"2026-03-11T12:59:59+01:00"}}`, `{"decision":true}`},
		{`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"nonsense","id":"7"}}`,
			`{"decision":false}`},
	} {
		if status, got := c.ask("evaluation", q.body); status != http.StatusOK || got != q.want {
			t.Errorf("%s\nis answered %d %s, want %s", q.body, status, got, q.want)
		}
	}
}

func TestMalformedRequests(t *testing.T) {
	c := serve(t)
	good := `"action":{"name":"view"},"resource":{"type":"s:board","id":"7"}`
	for body, says := range map[string]string{
		``:                                      "JSON",
		`[]`:                                    "JSON",
		`{`:                                     "JSON",
		`{} {}`:                                 "unexpected tail",
		`{` + good + `}`:                        "subject is missing",
		`{"subject":"ann",` + good + `}`:        "subject: expected an object",
		`{"subject":{"id":"ann"},` + good + `}`: "subject.type is missing",
		`{"subject":{"type":"user"},` + good +
			`}`: "subject.id is missing",
		`{"subject":{"type":"user","id":7},` + good +
			`}`: "subject.id: expected a string",
		`{"subject":{"type":"user","id":"ann"},"action":{},"resource":{"type":"s:board","id":"7"}}`:     "action.name is missing",
		`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:board"}}`: "resource.id is missing",
		`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"id":"7"}}`:         "resource.type is missing",
		`{"subject":{"type":"user","id":"ann"},` + good + `,"context":{"time":"noon"}}`:                 "context.time",
		`{"subject":{"type":"user","id":"ann"},` + good + `,"context":{"explain":"yes"}}`:               "context.explain",
	} {
		if status, got := c.ask("evaluation", body); status != http.StatusBadRequest || !strings.Contains(got, says) {
			t.Errorf("%s\nis answered %d %q, want 400 and %q", body, status, got, says)
		}
	}
	if status, _ := c.ask("evaluation", strings.Repeat(" ", 9<<20)); status != http.StatusRequestEntityTooLarge {
		t.Errorf("nine megabytes are answered %d", status)
	}
}

func TestEvaluations(t *testing.T) {
	c := serve(t)
	yes := `{"resource":{"type":"s:board","id":"7"}}`
	no := `{"resource":{"type":"s:none","id":"7"}}`
	head := `{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},`
	for _, q := range []struct{ body, want string }{
		{head + `"evaluations":[` + yes + `,` + no + `,` + yes + `]}`,
			`{"evaluations":[{"decision":true},{"decision":false},{"decision":true}]}`},
		{head + `"evaluations":[` + yes + `,` + no + `,` + yes + `],"options":{"evaluations_semantic":"execute_all"}}`,
			`{"evaluations":[{"decision":true},{"decision":false},{"decision":true}]}`},
		{head + `"evaluations":[` + yes + `,` + no + `,` + yes +
			`],"options":{"evaluations_semantic":"deny_on_first_deny"}}`,
			`{"evaluations":[{"decision":true},{"decision":false}]}`},
		{head + `"evaluations":[` + no + `,` + yes + `,` + no +
			`],"options":{"evaluations_semantic":"permit_on_first_permit"}}`,
			`{"evaluations":[{"decision":false},{"decision":true}]}`},
		// A part of an evaluation takes the place of the default, whole.
		{head + `"resource":{"type":"s:gate","id":"7","properties":{"area":"t1"}},"evaluations":[{},{"resource":{"type":"s:gate","id":"7"}},{"subject":{"type":"anonymous"}},{"action":{"name":"edit"}}]}`, `{"evaluations":[{"decision":true},{"decision":false},{"decision":false},{"decision":false}]}`},
		{head + `"context":{"time":"2026-04-01T00:00:00Z"},"resource":{"type":"s:gate","id":"7","properties":{"area":"t1"}},"evaluations":[{},{"context":{}}]}`, `{"evaluations":[{"decision":false},{"decision":true}]}`},
		// One that cannot be made is denied and says why; the others are made.
		{head + `"evaluations":[{},` + yes + `]}`,
			`{"evaluations":[{"decision":false,"context":{"error":{"message":"resource is missing","status":400}}},{"decision":true}]}`},
		// Without evaluations it is a single one.
		{head + `"resource":{"type":"s:board","id":"7"}}`, `{"decision":true}`},
		{head + `"resource":{"type":"s:board","id":"7"},"evaluations":[]}`, `{"decision":true}`},
	} {
		if status, got := c.ask("evaluations", q.body); status != http.StatusOK || got != q.want {
			t.Errorf("%s\nis answered %d %s, want %s", q.body, status, got, q.want)
		}
	}
	for body, says := range map[string]string{
		head + `"evaluations":[` + yes + `],"options":{"evaluations_semantic":"guess"}}`: "evaluations_semantic",
		head + `"evaluations":{}}`: "evaluations: expected an array, not an object",
		head + `"evaluations":[]}`: "resource is missing",
		head + `"evaluations":[` + strings.Repeat(yes+",", 10_000) + yes + `]}`: "at most",
	} {
		if status, got := c.ask("evaluations", body); status != http.StatusBadRequest || !strings.Contains(got, says) {
			t.Errorf("%.200s\nis answered %d %q, want 400 and %q", body, status, got, says)
		}
	}
}

func TestExplain(t *testing.T) {
	c := serve(t)
	type answer struct {
		Decision bool
		Context  struct {
			Reasons []struct {
				Kind, Obstacle, Text string
				Steps                []map[string]string
			}
		}
	}
	explain := func(user, resource, area string) (a answer) {
		t.Helper()
		_, text := c.ask(
			"evaluation",
			`{"subject":{"type":"user","id":"`+user+`"},"action":{"name":"view"},"resource":{"type":"`+resource+
				`","id":"7","properties":{"area":"`+area+`"}},"context":{"explain":true}}`,
		)
		if err := json.Unmarshal([]byte(text), &a); err != nil {
			t.Fatal(err)
		}
		return a
	}
	a := explain("ann", "s:gate", "t1")
	if !a.Decision || len(a.Context.Reasons) != 1 || a.Context.Reasons[0].Kind != "way" ||
		len(a.Context.Reasons[0].Steps) != 4 ||
		a.Context.Reasons[0].Steps[2]["id"] != "g" {
		t.Errorf("why: %+v", a)
	}
	a = explain("ann", "s:gate", "top")
	if a.Decision || len(a.Context.Reasons) != 1 || a.Context.Reasons[0].Obstacle != "out-of-reach" ||
		len(a.Context.Reasons[0].Steps) == 0 {
		t.Errorf("why not: %+v", a)
	}
	a = explain("zed", "s:none", "t1")
	if a.Decision || len(a.Context.Reasons) != 2 || a.Context.Reasons[0].Obstacle != "unknown-user" {
		t.Errorf("why not for nobody: %+v", a)
	}
}

func TestOnlyProgramsWithTheRightToken(t *testing.T) {
	c := serve(t)
	body := `{"subject":{"type":"anonymous"},"action":{"name":"view"},"resource":{"type":"s:board","id":"7"}}`
	for _, token := range []string{"", "made-up", c.wrong} {
		for _, path := range []string{"/access/v1/evaluation", "/access/v1/evaluations"} {
			resp, _ := c.send(http.MethodPost, path, token, "application/json", body)
			if resp.StatusCode != http.StatusUnauthorized || resp.Header.Get("WWW-Authenticate") == "" {
				t.Errorf("%s with the token %q is answered %d", path, token, resp.StatusCode)
			}
		}
	}
	if resp, _ := c.send(http.MethodGet, "/access/v1/evaluation", c.token, "",
		""); resp.StatusCode != http.StatusMethodNotAllowed {
		t.Errorf("GET is answered %d", resp.StatusCode)
	}
	if resp, _ := c.send(http.MethodPost, "/access/v1/evaluation", c.token, "text/plain",
		body); resp.StatusCode != http.StatusUnsupportedMediaType {
		t.Errorf("a text is answered %d", resp.StatusCode)
	}
	if resp, _ := c.send(http.MethodPost, "/access/v1/evaluation", c.token, "application/json; charset=utf-8",
		body); resp.StatusCode != http.StatusOK {
		t.Errorf("JSON with a charset is answered %d", resp.StatusCode)
	}
}

func TestConfiguration(t *testing.T) {
	c := serve(t)
	resp, text := c.send(http.MethodGet, "/.well-known/authzen-configuration", "", "", "")
	var got map[string]string
	if err := json.Unmarshal([]byte(text), &got); err != nil || resp.StatusCode != http.StatusOK ||
		resp.Header.Get("Content-Type") != "application/json" {
		t.Fatalf("%d %s %v", resp.StatusCode, text, err)
	}
	if got["policy_decision_point"] != c.url || got["access_evaluation_endpoint"] != c.url+"/access/v1/evaluation" ||
		got["access_evaluations_endpoint"] != c.url+"/access/v1/evaluations" {
		t.Errorf("the configuration is %v", got)
	}
}

// results asks a search for all of its pages, n results at a time.
func (c caller) results(path, body string, n int) (out []string) {
	c.t.Helper()
	token := ""
	for range 50 {
		status, text := c.ask(
			"search/"+path,
			strings.TrimSuffix(body, "}")+fmt.Sprintf(`,"page":{"limit":%d,"token":%q}}`, n, token),
		)
		var got struct {
			Results []struct{ Type, ID, Name string }
			Page    struct {
				Next  string `json:"next_token"`
				Count int
				Total int
			}
		}
		if err := json.Unmarshal([]byte(text), &got); err != nil || status != http.StatusOK ||
			got.Page.Count != len(got.Results) ||
			len(got.Results) > n {
			c.t.Fatalf("%s %s is answered %d %s", path, body, status, text)
		}
		for _, r := range got.Results {
			out = append(out, r.Type+"/"+r.ID+r.Name)
		}
		if token = got.Page.Next; token == "" {
			if got.Page.Total != len(out) {
				c.t.Errorf("%d results came, the total says %d", len(out), got.Page.Total)
			}
			return out
		}
	}
	c.t.Fatal("the pages do not end")
	return nil
}

func TestSearches(t *testing.T) {
	c := serve(t)
	for _, q := range []struct{ path, body, want string }{
		{"subject", `{"subject":{"type":"user"},"action":{"name":"view"},"resource":{"type":"s:board","id":"7"}}`,
			"user/ann user/bea"},
		{"subject", `{"subject":{"type":"user","id":"zed"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"area":"t1"}}}`, "user/ann"},
		{"subject", `{"subject":{"type":"user"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"area":"t1","owner":"bea"}}}`, "user/ann user/bea"},
		{"subject", `{"subject":{"type":"user"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"area":"t1"}},"context":{"time":"2026-03-11T12:00:00Z"}}`, ""},
		{"subject", `{"subject":{"type":"robot"},"action":{"name":"view"},"resource":{"type":"s:board","id":"7"}}`, ""},
		{"resource", `{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:gate"}}`,
			"s:gate/t1"},
		{"resource", `{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:board"}}`,
			"s:board/t1 s:board/top"},
		{"resource", `{"subject":{"type":"user","id":"bea"},"action":{"name":"view"},"resource":{"type":"s:gate"}}`, ""},
		{"resource", `{"subject":{"type":"anonymous"},"action":{"name":"view"},"resource":{"type":"s:board"}}`,
			"s:board/t1 s:board/top"},
		{"action", `{"subject":{"type":"user","id":"ANN.A"},"resource":{"type":"s:gate.log","id":"7","properties":{"area":"t1"}}}`, "/edit"},
		{"action", `{"subject":{"type":"user","id":"ann"},"resource":{"type":"s:gate","id":"7"}}`, ""},
		{"action", `{"subject":{"type":"user","id":"zed"},"resource":{"type":"s:board","id":"7"}}`, ""},
		{"action", `{"subject":{"type":"user","id":"ann"},"resource":{"type":"nonsense","id":"7"}}`, ""},
	} {
		for _, n := range []int{1, 100} {
			if got := strings.Join(c.results(q.path, q.body, n), " "); got != q.want {
				t.Errorf("%s %s gives %q by %d, want %q", q.path, q.body, got, n, q.want)
			}
		}
	}
	good := `"action":{"name":"view"},"resource":{"type":"s:board","id":"7"}`
	for body, says := range map[string]string{
		`{` + good + `}`: "subject is missing",
		`{"subject":{"type":"user"},"action":{"name":"view"},"resource":{"type":"s:board"}}`: "resource.id is missing",
		`{"subject":{"type":"user"},` + good + `,"page":{"limit":0}}`:                        "page.limit",
		`{"subject":{"type":"user"},` + good + `,"page":{"token":"bWFkZSB1cA"}}`:             "no token that was given out",
		`{"subject":{"type":"user"},` + good + `,"page":7}`:                                  "page: expected an object",
	} {
		if status, got := c.ask("search/subject", body); status != http.StatusBadRequest ||
			!strings.Contains(got, says) {
			t.Errorf("%s is answered %d %q, want 400 and %q", body, status, got, says)
		}
	}
	if resp, _ := c.send(http.MethodPost, "/access/v1/search/subject", "", "application/json",
		"{}"); resp.StatusCode != http.StatusUnauthorized {
		t.Errorf("without a token a search is answered %d", resp.StatusCode)
	}
}

func TestTheTimeAskedAboutCanBePast(t *testing.T) {
	c := serve(t)
	ask := func(at string) string {
		_, text := c.ask(
			"evaluation",
			`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"area":"t1"}}`+at+`}`,
		)
		return text
	}
	at := func(t time.Time) string { return `,"context":{"time":"` + t.Format(time.RFC3339) + `"}` }
	c.clock.at = now.Add(48 * time.Hour)
	poorer := small()
	poorer.Assignments = poorer.Assignments[1:]
	if err := c.desk.Load(poorer, desk.Replace, "test"); err != nil {
		t.Fatal(err)
	}
	c.clock.at = now.Add(72 * time.Hour)
	for _, q := range []struct{ what, when, want string }{
		{"now", "", `{"decision":false}`},
		{"while the old design held", at(now.Add(time.Hour)), `{"decision":true}`},
		{"a moment before it was replaced", at(now.Add(48*time.Hour - time.Second)), `{"decision":true}`},
		{"as it was replaced", at(now.Add(48 * time.Hour)), `{"decision":false}`},
		{"before the record began, with what is known now", at(now.Add(-time.Hour)), `{"decision":false}`},
		{"in the future", at(now.AddDate(1, 0, 0)), `{"decision":false}`},
		{"while the old design held, once more", at(now.Add(2 * time.Hour)), `{"decision":true}`},
	} {
		if got := ask(q.when); got != q.want {
			t.Errorf("%s: %s, want %s", q.what, got, q.want)
		}
	}
	body := `{"subject":{"type":"user"},"action":{"name":"view"},"resource":{"type":"s:gate","id":"7","properties":{"area":"t1"}}`
	if got := strings.Join(c.results("subject", body+at(now.Add(time.Hour))+`}`, 9), " "); got != "user/ann" {
		t.Errorf("a search in the past gives %q", got)
	}
	if got := strings.Join(c.results("subject", body+`}`, 9), " "); got != "" {
		t.Errorf("the same search now gives %q", got)
	}
}

// TestSearchesAreTheirDecisions holds each search of made-up organisations against deciding one by one.
func TestSearchesAreTheirDecisions(t *testing.T) {
	found, asked := 0, 0
	for seed := range uint64(2) {
		d := generate.Design(generate.Options{Users: 60, Seed: seed})
		c := serveDesign(t, d)
		r := rand.New(rand.NewPCG(seed, 7))
		pick := func(n int) int { return r.IntN(n) }
		var held []string // so that not all answers are empty
		x := index.Compile(d)
		for _, u := range d.Users {
			for _, h := range x.Effective(u.ID, generate.Day) {
				held = append(held, h.Permission)
			}
		}
		context := `"context":{"time":"` + generate.Day.Format(time.RFC3339) + `"}`
		for range 25 {
			key := held[pick(len(held))]
			kind, action := key[:strings.LastIndex(key, ":")], key[strings.LastIndex(key, ":")+1:]
			properties := `{"area":"` + d.Areas[pick(len(d.Areas))].ID + `"}`
			if pick(3) == 0 {
				properties = `{"area":"` + d.Areas[pick(len(d.Areas))].ID + `","owner":"` + d.Users[pick(len(d.Users))].ID + `"}`
			}
			user := d.Users[pick(len(d.Users))].ID
			resource := `"resource":{"type":"` + kind + `","id":"1","properties":` + properties + `}`
			who := `"subject":{"type":"user","id":"` + user + `"}`
			does := `"action":{"name":"` + action + `"}`

			var each, want []string
			for _, u := range d.Users {
				each, want = append(each, `{"subject":{"type":"user","id":"`+u.ID+`"}}`), append(want, "user/"+u.ID)
			}
			got := c.results("subject", `{"subject":{"type":"user"},`+does+`,`+resource+`,`+context+`}`, 7)
			agree(t, "who may "+key, got, c.decided(does+`,`+resource+`,`+context, each, want))
			found, asked = found+len(got), asked+1

			each, want = nil, nil
			for _, a := range d.Areas {
				each, want = append(
					each,
					`{"resource":{"type":"`+kind+`","id":"1","properties":{"area":"`+a.ID+`"}}}`,
				), append(
					want,
					kind+"/"+a.ID,
				)
			}
			got = c.results("resource", `{`+who+`,`+does+`,"resource":{"type":"`+kind+`"},`+context+`}`, 7)
			agree(t, "where "+user+" may "+key, got, c.decided(who+`,`+does+`,`+context, each, want))
			found, asked = found+len(got), asked+1

			each, want = nil, nil
			system, _ := d.Systems.Find(kind[:strings.Index(kind, ":")])
			for _, p := range system.Permissions {
				if name, of := strings.CutPrefix(p.Key, kind+":"); of {
					each, want = append(each, `{"action":{"name":"`+name+`"}}`), append(want, "/"+name)
				}
			}
			got = c.results("action", `{`+who+`,`+resource+`,`+context+`}`, 2)
			agree(t, "what "+user+" may do to "+kind, got, c.decided(who+`,`+resource+`,`+context, each, want))
			found, asked = found+len(got), asked+1
		}
	}
	if found < asked {
		t.Errorf("%d searches found %d results: too few to prove anything", asked, found)
	}
}

func agree(t *testing.T, what string, got, want []string) {
	t.Helper()
	if !slices.Equal(got, want) {
		t.Errorf("%s: the search gives %v, the decisions %v", what, got, want)
	}
}

// decided asks all evaluations at once, and gives the names of those that are allowed.
func (c caller) decided(defaults string, evaluations, names []string) (out []string) {
	c.t.Helper()
	status, text := c.ask("evaluations", `{`+defaults+`,"evaluations":[`+strings.Join(evaluations, ",")+`]}`)
	var got struct{ Evaluations []struct{ Decision bool } }
	if err := json.Unmarshal([]byte(text), &got); err != nil || status != http.StatusOK ||
		len(got.Evaluations) != len(names) {
		c.t.Fatalf("the evaluations are answered %d %.300s", status, text)
	}
	for i, e := range got.Evaluations {
		if e.Decision {
			out = append(out, names[i])
		}
	}
	return out
}

// TestPagesHoldTogetherWhileTheDesignChanges takes the page after one when people before and after it have come and
// gone.
func TestPagesHoldTogetherWhileTheDesignChanges(t *testing.T) {
	people := func(ids ...string) *model.Design {
		d := small()
		for _, id := range ids {
			d.Users = append(d.Users, &model.User{ID: id, UserName: id, DisplayName: id})
		}
		return model.Build(d)
	}
	c := serveDesign(t, people("c", "d", "e", "f"))
	body := `{"subject":{"type":"user"},"action":{"name":"view"},"resource":{"type":"s:board","id":"7"},"page":{"limit":3`
	page := func(token string) (ids []string, next string) {
		t.Helper()
		_, text := c.ask("search/subject", body+token+`}}`)
		var got struct {
			Results []struct{ ID string }
			Page    struct {
				Next string `json:"next_token"`
			}
		}
		if err := json.Unmarshal([]byte(text), &got); err != nil {
			t.Fatal(err)
		}
		for _, r := range got.Results {
			ids = append(ids, r.ID)
		}
		return ids, got.Page.Next
	}
	first, next := page("")
	// The last one shown goes, one before it comes, and one after.
	if err := c.desk.Load(people("b0", "d", "e", "f", "g"), desk.Replace, "test"); err != nil {
		t.Fatal(err)
	}
	second, next := page(`,"token":"` + next + `"`)
	third, end := page(`,"token":"` + next + `"`)
	if got := fmt.Sprint(first, second, third); got != "[ann bea c] [d e f] [g]" || end != "" {
		t.Errorf("the pages are %s, the last token %q", got, end)
	}
}

func TestWhatIsNotThere(t *testing.T) {
	c := serve(t)
	if resp, text := c.send(http.MethodPost, "/access/v1/evaluate", c.token, "application/json",
		"{}"); resp.StatusCode != http.StatusNotFound ||
		!strings.Contains(text, "no such endpoint") {
		t.Errorf("an endpoint that is not there is answered %d %s", resp.StatusCode, text)
	}
	for _, method := range []string{http.MethodGet, http.MethodPut, http.MethodDelete} {
		resp, _ := c.send(method, "/access/v1/search/subject", c.token, "", "")
		if resp.StatusCode != http.StatusMethodNotAllowed || resp.Header.Get("Allow") != http.MethodPost ||
			resp.Header.Get("X-Request-ID") != "request-7" {
			t.Errorf("%s is answered %d, allowed is %q", method, resp.StatusCode, resp.Header.Get("Allow"))
		}
	}
}

// What is permitted to a user about the present counts as a use, once it is kept after the server ends too; not what is
// denied, asked of another day, asked not to count, searched for, or of someone not signed in (docs/semantics.md, §11).
func TestWhatIsPermittedIsAUse(t *testing.T) {
	c := serve(t)
	ask := func(subject, kind, action, context string) {
		t.Helper()
		body := fmt.Sprintf(`{"subject": %s, "action": {"name": %q}, "resource": {"type": %q, "id": "1",
			"properties": {"area": "t1"}}, "context": %s}`, subject, action, kind, context)
		if status, text := c.ask("evaluation", body); status != http.StatusOK {
			t.Fatalf("%d %s", status, text)
		}
	}
	ann, nobody := `{"type": "user", "id": "ANN.a"}`, `{"type": "anonymous", "id": "x"}`
	used := func(user, what string) bool { _, is := c.desk.Uses.Last(user, what); return is }
	ask(ann, "s:gate", "open", `{}`) // which nothing gives
	ask(ann, "s:gate", "view", `{"use": false}`)
	ask(ann, "s:gate", "view", fmt.Sprintf(`{"time": %q}`, now.AddDate(0, 0, 1).Format(time.RFC3339)))
	ask(nobody, "s:board", "view", `{}`)
	c.ask("search/action", `{"subject": `+ann+`, "resource": {"type": "s:gate", "id": "1", "properties": {"area": "t1"}}}`)
	if c.desk.Uses.Len() != 0 {
		t.Errorf("%d uses are noted, want none: %v", c.desk.Uses.Len(), c.desk.Uses.Of("ann"))
	}
	ask(ann, "s:gate", "view", fmt.Sprintf(`{"time": %q}`, now.Add(-20*time.Second).Format(time.RFC3339)))
	c.ask("evaluations", `{"subject": `+ann+`, "evaluations": [
		{"action": {"name": "edit"}, "resource": {"type": "s:gate.log", "id": "1", "properties": {"area": "t1"}}},
		{"action": {"name": "open"}, "resource": {"type": "s:gate", "id": "1", "properties": {"area": "t1"}}}]}`)
	for what, want := range map[string]bool{"s": true, "s:gate:view": true, "s:gate.log:edit": true,
		"s:gate:open": false} {
		if used("ann", what) != want {
			t.Errorf("ann used %s: %v", what, !want)
		}
	}
	bea := `{"type": "user", "id": "bea"}`
	if status, text := c.ask("evaluation", `{"subject": `+bea+`, "action": {"name": "view"}, "resource": {"type": "s:gate",
		"id": "1", "properties": {"owner": "bea"}}, "context": {"use": "billing"}}`); !used("bea", "s:gate:view") {
		t.Errorf("a context that says something else by it keeps it from counting: %d %s", status, text)
	}
	if err := c.desk.KeepUses(); err != nil {
		t.Fatal(err)
	}
	again, err := rooms.Open(c.desk.Store, func() time.Time { return c.clock.at })
	if err != nil {
		t.Fatal(err)
	}
	if at, is := again.Uses.Last("ann", "s:gate:view"); !is || !at.Equal(now) {
		t.Errorf("after a new start, ann used it at %v (%v)", at, is)
	}
}

// What a search for resources gives is evaluated as it is, and is allowed; a page is gone on with by its own question.
func TestWhatIsFoundCanBeEvaluated(t *testing.T) {
	c := serve(t)
	who := `"subject":{"type":"user","id":"ann"},"action":{"name":"view"}`
	ask := func(endpoint, body string) (results []json.RawMessage, next string, status int, text string) {
		t.Helper()
		status, text = c.ask("search/"+endpoint, body)
		var page struct {
			Results []json.RawMessage `json:"results"`
			Page    struct {
				Next string `json:"next_token"`
			} `json:"page"`
		}
		_ = json.Unmarshal([]byte(text), &page)
		return page.Results, page.Page.Next, status, text
	}
	results, next, _, _ := ask("resource", `{`+who+`,"resource":{"type":"s:board"},"page":{"limit":1}}`)
	if len(results) != 1 || next == "" {
		t.Fatalf("the page has %s and goes on with %q", results, next)
	}
	if status, got := c.ask("evaluation", `{`+who+`,"resource":`+string(results[0])+`}`); status != 200 ||
		!strings.Contains(got, `"decision":true`) {
		t.Errorf("%s is answered %d %s", results[0], status, got)
	}
	more := `,"page":{"limit":1,"token":"` + next + `"}}`
	if results, _, status, text := ask("resource", `{`+who+`,"resource":{"type":"s:board"}`+more); status != 200 ||
		len(results) != 1 {
		t.Errorf("the next page is answered %d %s", status, text)
	}
	for endpoint, other := range map[string]string{
		"resource": `{` + who + `,"resource":{"type":"s:gate"}` + more,
		"action":   `{"subject":{"type":"user","id":"ann"},"resource":{"type":"s:board","id":"7"}` + more,
	} {
		if _, _, status, text := ask(endpoint, other); status != 400 || !strings.Contains(text, "another question") {
			t.Errorf("another question with the token is answered %d %s", status, text)
		}
	}
	for _, body := range []string{
		`{"subject":{"type":"user","id":"ann","properties":7},"action":{"name":"view"},"resource":{"type":"s:board","id":"7"}}`,
		`{"subject":{"type":"user","id":"ann"},"action":{"name":"view","properties":[]},"resource":{"type":"s:board","id":"7"}}`,
	} {
		if status, text := c.ask("evaluation", body); status != 400 ||
			!strings.Contains(text, "properties: expected an object") {
			t.Errorf("%s is answered %d %s", body, status, text)
		}
	}
	resp, _ := c.send(http.MethodPost, "/access/v1/evaluation", c.token, "",
		`{`+who+`,"resource":{"type":"s:board","id":"7"}}`)
	if resp.StatusCode != http.StatusUnsupportedMediaType {
		t.Errorf("without a content type it is answered %d", resp.StatusCode)
	}
}

package api_test

import (
	"bufio"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"testing"

	"fachwerk/internal/desk/account"
)

// words joins all texts of an answer, for looking into.
func words(v any) string {
	switch v := v.(type) {
	case string:
		return v
	case []any:
		out := ""
		for _, x := range v {
			out += words(x) + "\n"
		}
		return out
	case map[string]any:
		out := ""
		for _, x := range v {
			out += words(x) + "\n"
		}
		return out
	}
	return ""
}

func TestEveryViewAnswers(t *testing.T) {
	address, _ := serve(t)
	b := newBrowser(t, address)
	b.signIn("signe.halloran")
	for path, says := range map[string]string{
		"/api/lists/role?q=gate&sort=holders&down=true": "Gate clerk", "/api/lists/user?q=" +
			url.QueryEscape(`title eq "Gate clerk"`): "Noor Tamsin",
		"/api/lists/permission?q=override": "quaybook:gate:override", "/api/lists/licence": "Gangway till",
		"/api/roles/site-manager": "Quaybook administrator", "/api/sets/gate-override": "quaybook:gate:override",
		"/api/groups/gate-crews": "North gate crew", "/api/areas/terminal-1": "Mireille Aster",
		"/api/systems/quaybook": "Mole & Lantern",
		"/api/permissions/quaybook:gate:override?where=terminal-1": "Tomasz Oyelaran",
		"/api/conflicts/supplier-payment":                          "Halima Corvane",
		"/api/licences/quaybook-planner":                           "Quaybook Standard", "/api/delegations": "Ruben Adeyemi",
		"/api/delegations/ticketing":                                          "Lucia Fenwick",
		"/api/compare?thing=user:tomasz.oyelaran&thing=user:noor.tamsin":      "Terminal 2",
		"/api/compare/csv?thing=user:tomasz.oyelaran&thing=user:noor.tamsin":  "quaybook:",
		"/api/compare/xlsx?thing=user:tomasz.oyelaran&thing=user:noor.tamsin": "PK",
		"/api/who?what=quaybook:gate:override&where=terminal-1":               "Tomasz Oyelaran",
		"/api/who/csv?what=quaybook:gate":                                     "user name",
		"/api/who/xlsx?what=quaybook":                                         "PK",
		"/api/people/noor.tamsin/repairs?permission=quaybook:gate:override":   "Night cover",
		"/api/people/tomasz.oyelaran/timeline":                                "Gate override",
		"/api/find?q=who+can+override+gates+at+terminal+1":                    "11 people",
		"/api/mentions/role/gate-clerk":                                       "Gate lead",
		"/api/revisions?user=tomasz.oyelaran":                                 "Gate override",
		"/api/revisions/60":                                                   "Crane driver",
		"/api/lists/revision/csv?kind=group":                                  "joins",
		"/api/lists/revision/xlsx?user=tomasz.oyelaran":                       "PK",
		"/api/lists/review/csv":                                               "Signe Halloran",
		"/api/lists/review/xlsx":                                              "PK",
		"/api/lists/delegation/csv?q=north+harbour":                           "Ruben Adeyemi",
		"/api/reviews/3":                                                      "Gate clerk", "/api/review-items/1": "",
		"/api/reviews/3/report.html": "In figures",
		"/api/lists/role/csv?q=gate": "gate-clerk", "/api/capabilities?system=quaybook": "Gate clerk",
		"/api/capabilities/csv?system=quaybook":           "Gate clerk (role)",
		"/api/capabilities/xlsx?system=quaybook&kind=own": "PK",
		"/api/sheets/user/tomasz.oyelaran/csv":            "quaybook:gate:override",
		"/api/sheets/role/gate-clerk/xlsx":                "PK",
		"/api/sheets/set/gate-override/csv":               "quaybook:gate:override",
		"/api/sheets/group/gate-crews/csv":                "Noor Tamsin",
		"/api/sheets/licence/quaybook-planner/csv":        "user name", "/api/sheets/system/quaybook/csv": "held by",
		"/api/sheets/area/terminal-1/csv": "Tomasz Oyelaran", "/api/sheets/conflict/supplier-payment/csv": "Halima Corvane",
		"/api/import-templates/people/csv": "User name", "/api/import-templates/last-use/xlsx": "PK",
		"/api/import-templates/catalogue/csv": "shuttleboard:shuttle:send", "/api/import-templates/catalogue/xlsx": "PK",
		"/api/lists/user/xlsx": "PK", "/api/effective.csv": "noor.tamsin",
		"/api/effective.jsonl":        `"permission":"quaybook:gate:admit"`,
		"/api/people-and-groups.ldif": "uid=noor.tamsin,ou=people", "/api/model.json": "fachwerk-model/1",
		"/api/sheets/review/3/csv": "Tomasz Oyelaran", "/api/sheets/review/3/xlsx": "PK", "/api/review-tasks": "",
		"/api/colleagues?q=noor": "Noor Tamsin", "/api/people/tomasz.oyelaran?when=2026-10-25": "Night cover",
		"/api/me?as=ruben.adeyemi": "Ruben Adeyemi",
	} {
		status, v, _ := b.send("GET", path, nil)
		if status != http.StatusOK || !strings.Contains(words(map[string]any(v)), says) {
			t.Errorf("%s is answered %d, without %q", path, status, says)
		}
	}
	for path, want := range map[string]int{"/api/lists/song": 422, "/api/lists/role?sort=colour": 422,
		"/api/me?when=soon": 422, "/api/me?as=nobody": 404, "/api/me?when=1990-01-01": 404, "/api/roles/none": 404,
		"/api/reviews/99/report.html": 404, "/api/review-tasks/99": 404, "/api/mentions/song/x": 422,
		"/api/sheets/role/none/csv": 404, "/api/sheets/delegation/ticketing/csv": 422} {
		if status, v, header := b.send("GET", path, nil); status != want ||
			header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s is answered %d %v, want %d", path, status, v, want)
		}
	}
}

// What a delegate may not do is refused by every door, with the rule and the object named, and what is not theirs
// is not there.
func TestADelegateIsRefusedByTheAPI(t *testing.T) {
	address, _ := serve(t)
	b := newBrowser(t, address)
	b.signIn("ruben.adeyemi")
	give := func(user, role, area string) (int, map[string]any) {
		status, v, _ := b.send(
			"POST",
			"/api/draft/assign",
			map[string]any{
				"subjects": []any{map[string]string{"kind": "user", "id": user}},
				"targets":  []any{map[string]string{"kind": "role", "id": role}},
				"terms":    map[string]string{"area": area, "until": "2027-01-31T00:00:00Z"},
			},
		)
		return status, v
	}
	if status, v := give("noor.tamsin", "night-cover", "terminal-2"); status != http.StatusOK || v["gaining"] != 1.0 {
		t.Errorf("what is delegated: %d %v", status, v)
	}
	for _, c := range [][4]string{{"noor.tamsin", "payments-lead", "terminal-2", "no role"},
		{"halima.corvane", "gate-clerk", "terminal-2", "no person"}, {"noor.tamsin", "gate-clerk", "ferries", "no area"}} {
		if status, v := give(c[0], c[1], c[2]); status != http.StatusNotFound ||
			!strings.Contains(v["detail"].(string), c[3]) {
			t.Errorf("%v: %d %v", c, status, v)
		}
	}
	for _, path := range []string{"/api/people/halima.corvane", "/api/roles/payments-lead", "/api/areas/ferries",
		"/api/groups/payments-office", "/api/delegations/ticketing"} {
		if status, v, _ := b.send("GET", path, nil); status != http.StatusNotFound {
			t.Errorf("%s: %d %v", path, status, v)
		}
	}
	for _, path := range []string{"/api/effective.csv", "/api/people-and-groups.ldif", "/api/model.json",
		"/api/revisions?after=0", "/api/revisions/events", "/api/revisions", "/api/lists/revision/csv",
		"/api/me?as=noor.tamsin"} {
		if status, v, _ := b.send("GET", path, nil); status != http.StatusForbidden {
			t.Errorf("%s: %d %v", path, status, v)
		}
	}
	for _, path := range []string{"/api/reviews/3", "/api/reviews/3/report.html"} { // as of one that there is not
		if status, v, _ := b.send("GET", path, nil); status != http.StatusNotFound {
			t.Errorf("%s: %d %v", path, status, v)
		}
	}
	// What the API would write for others cannot be written by asking for it directly either.
	status, v, _ := b.send(
		"PUT",
		"/api/draft/assignments",
		map[string]any{
			"after": map[string]any{
				"id":      "",
				"subject": map[string]string{"user": "noor.tamsin"},
				"set":     "fachwerk-owner",
			},
		},
	)
	if status != http.StatusForbidden {
		t.Errorf("full rights by a delegate: %d %v", status, v)
	}
}

func TestThePasswordIsAskedBeforeWhatIsCritical(t *testing.T) {
	address, d := serve(t)
	token, err := d.MakeToken(account.NewToken{Name: "a program", Purpose: "api", User: "signe.halloran"})
	if err != nil {
		t.Fatal(err)
	}
	p := newBrowser(t, address) // a program never gives a password
	p.header.Set("Authorization", "Bearer "+token)
	delegation := map[string]any{
		"after": map[string]any{
			"id":       "",
			"name":     "New",
			"delegate": map[string]string{"user": "noor.tamsin"},
			"people":   map[string]string{"area": "terminal-2"},
			"actions":  []string{"lock"},
		},
	}
	_, v, _ := p.send("PUT", "/api/draft/delegations", delegation)
	if len(v["critical"].([]any)) != 1 {
		t.Fatalf("the draft is %v", v)
	}
	status, v, _ := p.send("POST", "/api/draft/apply", map[string]any{"reason": "x", "stamp": v["stamp"]})
	if status != http.StatusForbidden || v["type"] != "urn:fachwerk:problem:password-needed" {
		t.Errorf("a program applies it: %d %v", status, v)
	}
	b := newBrowser(t, address)
	b.signIn("signe.halloran")
	if status, v, _ := b.send("POST", "/api/session/proof",
		map[string]string{"password": "wrong"}); status != http.StatusForbidden {
		t.Errorf("a wrong password: %d %v", status, v)
	}
	if status, v, _ := b.send("POST", "/api/session/proof",
		map[string]string{"password": "tidewater-lantern"}); status != http.StatusNoContent {
		t.Errorf("the right one: %d %v", status, v)
	}
	_, v, _ = b.send("PUT", "/api/draft/delegations", delegation)
	if status, v, _ = b.send("POST", "/api/draft/apply",
		map[string]any{"reason": "x", "stamp": v["stamp"]}); status != http.StatusOK {
		t.Errorf("just signed in: %d %v", status, v)
	}
}

func TestHostileInputDoesNoHarm(t *testing.T) {
	address, _ := serve(t)
	b := newBrowser(t, address)
	b.signIn("signe.halloran")
	deep := strings.Repeat("(", 10_000) + "title pr" + strings.Repeat(")", 10_000)
	status, v, _ := b.send("GET", "/api/lists/user?q="+url.QueryEscape(deep[:19_000]), nil)
	if trouble, _ := v["trouble"].(string); status != http.StatusOK || !strings.Contains(trouble, "more than 8192") {
		t.Errorf("a filter nested 10,000 deep, in a list: %d %.200v", status, v)
	}
	status, v, _ = b.send("POST", "/api/rules/try", map[string]string{"rule": deep})
	if trouble, _ := v["trouble"].(string); status != http.StatusOK || !strings.Contains(trouble, "deeper than") {
		t.Errorf("as a rule: %d %.200v", status, v)
	}
	if status, v, _ = b.send("PUT", "/api/draft/groups",
		map[string]any{"after": map[string]any{"id": "", "name": "Deep", "kind": "rule",
			"rule": deep}}); status != http.StatusUnprocessableEntity {
		t.Errorf("as a group's rule: %d %.200v", status, v)
	}
	for _, name := range []string{`<script>alert(1)</script>`, "שלום עולם", "\u202eevil",
		strings.Repeat("long name ", 20), `"; DROP TABLE objects; --`, "名前"} {
		if status, v, _ := b.send("PUT", "/api/draft/roles",
			map[string]any{"after": map[string]any{"id": "", "name": name}}); status != http.StatusOK {
			t.Errorf("the name %q: %d %v", name, status, v)
		}
	}
	status, v, _ = b.send("GET", "/api/lists/role?q="+url.QueryEscape("<script>"), nil)
	if rows, _ := v["rows"].([]any); status != http.StatusOK || len(rows) != 1 ||
		rows[0].(map[string]any)["name"] != `<script>alert(1)</script>` {
		t.Errorf("found again: %d %.300v", status, v)
	}
	for _, body := range []string{`{"after":{"id":"","name":"X","colour":"red"}}`, `{"after":{"id":"","name":5}}`,
		`{"after":null}`, `[]`, `{"after":{"id":"","name":"X","sets":["` + strings.Repeat("x", 900_000) + `"]}}`} {
		if status, v, header := b.send("PUT", "/api/draft/roles", body); status < 400 || status >= 500 ||
			header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%.60s: %d %.200v", body, status, v)
		}
	}
	if status, v, _ := b.send("GET", "/api/draft", nil); status != http.StatusOK || len(v["edits"].([]any)) != 6 {
		t.Errorf("the draft holds %d acts, %d", len(v["edits"].([]any)), status)
	}
}

// The record is followed over HTTP: what is there and what comes, each event by its number.
func TestTheRecordIsFollowed(t *testing.T) {
	address, d := serve(t)
	b := newBrowser(t, address)
	if status, _, _ := b.send("GET", "/api/revisions/events", nil); status != http.StatusUnauthorized {
		t.Errorf("a stranger is answered %d", status)
	}
	b.signIn("signe.halloran")
	last := d.Revision()
	status, v, _ := b.send("GET", "/api/revisions?after="+strconv.Itoa(last-2), nil)
	if status != http.StatusOK || strings.Count(v["text"].(string), `"operations":[`) != 2 {
		t.Errorf("two revisions are %d %v", status, v)
	}
	for _, last := range []string{"x", "-1", "1.5"} {
		b.header.Set("Last-Event-ID", last)
		if status, v, _ := b.send("GET", "/api/revisions/events", nil); status != http.StatusBadRequest {
			t.Errorf("after the event %q: %d %v", last, status, v)
		}
	}
	b.header.Del("Last-Event-ID")
	r, err := http.NewRequest("GET", address+"/api/revisions/events?after=0", nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Last-Event-ID", strconv.Itoa(last-1)) // counts more than the address
	resp, err := b.client.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	if kind := resp.Header.Get("Content-Type"); resp.StatusCode != http.StatusOK || kind != "text/event-stream" {
		t.Fatalf("answered %d %s", resp.StatusCode, kind)
	}
	lines := bufio.NewScanner(resp.Body)
	hear := func() (id, data string) {
		t.Helper()
		for lines.Scan() {
			if name, value, ok := strings.Cut(lines.Text(), ": "); ok && name == "id" {
				id = value
			} else if name == "data" {
				return id, value
			}
		}
		t.Fatal("the stream ends", lines.Err())
		return
	}
	if id, data := hear(); id != strconv.Itoa(last) || !strings.Contains(data, `"operations":[{"op":"put"`) {
		t.Errorf("heard %s %s", id, data)
	}
	_, v, _ = b.send(
		"POST",
		"/api/draft/join",
		map[string]any{
			"from":  map[string]string{"kind": "user", "id": "noor.tamsin"},
			"to":    map[string]string{"kind": "role", "id": "night-cover"},
			"terms": map[string]string{"area": "terminal-2"},
		},
	)
	if status, v, _ := b.send("POST", "/api/draft/apply",
		map[string]any{"reason": "nights", "stamp": v["stamp"]}); status != http.StatusOK {
		t.Fatalf("%d %v", status, v)
	}
	if id, data := hear(); id != strconv.Itoa(last+1) || !strings.Contains(data, `"why":"nights"`) {
		t.Errorf("heard %s %s", id, data)
	}
	d.Close()
	if lines.Scan() && strings.HasPrefix(lines.Text(), "id") {
		t.Errorf("after the end comes %s", lines.Text())
	}
}

// A file stays what it was while it is tried: what others send meanwhile never shows in it.
func TestAFileStaysWhatItWas(t *testing.T) {
	address, _ := serve(t)
	b, other := newBrowser(t, address), newBrowser(t, address)
	b.signIn("signe.halloran")
	_, begun, _ := b.send("POST", "/api/imports?name=people.csv&kind=people", "User name;Name\nzed.alm;Zed Alm\n")
	path := "/api/imports/" + begun["id"].(string)
	ready := func() map[string]any {
		for {
			status, v, _ := b.send("GET", path, nil)
			if status != http.StatusOK || v["state"] != "working" {
				return v
			}
		}
	}
	if v := ready(); !strings.Contains(words(v), "Zed Alm") {
		t.Fatalf("it holds %v", v)
	}
	for range 50 {
		other.send("POST", "/api/session", map[string]string{
			"userName": "noor.tamsin", "password": strings.Repeat("the secret of somebody else ", 3),
		})
	}
	b.send("PATCH", path, map[string]any{"reading": map[string]string{"encoding": "Windows-1252", "form": "csv"}})
	if v := ready(); !strings.Contains(words(v), "Zed Alm") || strings.Contains(words(v), "secret") {
		t.Errorf("read again, it holds %v", v)
	}
}

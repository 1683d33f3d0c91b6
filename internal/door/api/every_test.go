package api_test

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/desk"
)

// operation is one of those that the API's own description tells of.
type operation struct {
	id, method, path string
	parameters       []parameter
	body             map[string]any
}

type parameter struct {
	Name     string         `json:"name"`
	In       string         `json:"in"`
	Required bool           `json:"required"`
	Schema   map[string]any `json:"schema"`
}

// everyOperation reads the description that the server itself gives.
func everyOperation(t *testing.T, address string) (out []operation, schemas map[string]any) {
	t.Helper()
	resp, err := http.Get(address + "/api/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return readOperations(t, data)
}

// readOperations reads a description of the API.
func readOperations(tb testing.TB, data []byte) (out []operation, schemas map[string]any) {
	tb.Helper()
	var doc struct {
		Paths map[string]map[string]struct {
			ID          string      `json:"operationId"`
			Parameters  []parameter `json:"parameters"`
			RequestBody struct {
				Content map[string]struct {
					Schema map[string]any `json:"schema"`
				} `json:"content"`
			} `json:"requestBody"`
		} `json:"paths"`
		Components struct {
			Schemas map[string]any `json:"schemas"`
		} `json:"components"`
	}
	if err := json.Unmarshal(data, &doc); err != nil {
		tb.Fatal(err)
	}
	for _, path := range slices.Sorted(maps.Keys(doc.Paths)) {
		for _, method := range slices.Sorted(maps.Keys(doc.Paths[path])) {
			o := doc.Paths[path][method]
			out = append(
				out,
				operation{
					o.ID,
					strings.ToUpper(method),
					path,
					o.Parameters,
					o.RequestBody.Content["application/json"].Schema,
				},
			)
		}
	}
	if len(out) < 60 {
		tb.Fatalf("the description tells of %d operations only", len(out))
	}
	return out, doc.Components.Schemas
}

// maker makes up requests that fit a description, now and then naming what is there.
type maker struct {
	*rand.Rand
	schemas map[string]any
}

var madeUp = []string{
	"",
	"x",
	"noor.tamsin",
	"user:noor.tamsin",
	"gate-clerk",
	"role:gate-clerk",
	"gate-crews",
	"quaybook",
	"quaybook:gate",
	"quaybook:gate:override",
	"terminal-1",
	"2026-11-01",
	"2026-11-01T00:00:00Z",
	`title eq "Gate clerk"`,
	`((`,
	"ü%2F../\x00",
	"-1",
	strings.Repeat("long ", 80),
}

// known are things of the demo, by what names them in an address.
var known = map[string]string{
	"people":       "noor.tamsin",
	"roles":        "gate-clerk",
	"sets":         "gate-override",
	"groups":       "gate-crews",
	"areas":        "terminal-1",
	"systems":      "quaybook",
	"permissions":  "quaybook:gate:override",
	"conflicts":    "supplier-payment",
	"guarantees":   "payments-in-finance",
	"licences":     "quaybook-planner",
	"delegations":  "ticketing",
	"reviews":      "3",
	"revisions":    "60",
	"review-items": "1",
	"review-tasks": "1",
	"where":        "terminal-1",
	"permission":   "quaybook:gate:override",
	"what":         "quaybook:gate",
	"thing":        "user:noor.tamsin",
	"focus":        "role:gate-clerk",
	"when":         "2026-11-01",
	"sort":         "name",
	"q":            "gate",
	"user":         "noor.tamsin",
}

func (m maker) text() string { return madeUp[m.IntN(len(madeUp))] }

func (m maker) value(schema map[string]any, depth int) any {
	if ref, ok := schema["$ref"].(string); ok {
		named, _ := m.schemas[ref[strings.LastIndex(ref, "/")+1:]].(map[string]any)
		return m.value(named, depth)
	}
	if options, ok := schema["enum"].([]any); ok && m.IntN(5) > 0 {
		return options[m.IntN(len(options))]
	}
	kind, _ := schema["type"].(string)
	if kinds, several := schema["type"].([]any); several {
		kind, _ = kinds[m.IntN(len(kinds))].(string)
	}
	switch kind {
	case "object":
		out := map[string]any{}
		required, _ := schema["required"].([]any)
		properties, _ := schema["properties"].(map[string]any)
		for _, name := range slices.Sorted(maps.Keys(properties)) {
			if property, ok := properties[name].(map[string]any); ok && name != "$schema" &&
				(slices.Contains(required, any(name)) || m.IntN(2) == 0) {
				out[name] = m.value(property, depth+1)
			}
		}
		return out
	case "array":
		out := []any{}
		items, _ := schema["items"].(map[string]any)
		for range m.IntN(3) {
			if depth < 6 {
				out = append(out, m.value(items, depth+1))
			}
		}
		return out
	case "integer", "number":
		return m.IntN(70) - 3
	case "boolean":
		return m.IntN(2) == 0
	case "null":
		return nil
	}
	return m.text()
}

func (m maker) request(o operation) (path string, body any) {
	path = o.path
	query := url.Values{}
	for _, p := range o.parameters {
		v := fmt.Sprint(m.value(p.Schema, 0))
		before, _, _ := strings.Cut(o.path, "/{"+p.Name)
		if name, ok := known[before[strings.LastIndex(before, "/")+1:]]; ok && p.In == "path" && m.IntN(4) > 0 {
			v = name
		} else if name, ok := known[p.Name]; ok && p.In == "query" && m.IntN(4) > 0 {
			v = name
		}
		if p.In == "path" {
			if v == "" {
				v = "none"
			}
			path = strings.ReplaceAll(path, "{"+p.Name+"}", url.PathEscape(v))
		} else if p.Required || m.IntN(3) == 0 {
			query.Set(p.Name, v)
		}
	}
	if len(query) > 0 {
		path += "?" + query.Encode()
	}
	if o.body != nil {
		body = m.value(o.body, 0)
	}
	return path, body
}

// open are the operations that someone who is not signed in may use.
var open = []string{
	"/api/forgotten-password",
	"/api/sign-in/provider/callback",
	"/api/session",
	"/api/sign-in",
	"/api/welcome/{token}",
	"/api/openapi.json",
}

// Whatever is asked of any operation, by whomever: it is answered or refused, with a problem that says why, and
// never breaks; who is not signed in gets nothing, and who may only look changes nothing.
func TestEveryOperationHolds(t *testing.T) {
	address, d := serve(t)
	operations, schemas := everyOperation(t, address)
	m := maker{rand.New(rand.NewPCG(4, 4)), schemas}
	stranger, auditor, owner := newBrowser(t, address), newBrowser(t, address), newBrowser(t, address)
	auditor.signIn("oona.brandvold")
	owner.signIn("signe.halloran")
	revision := func() any { _, v, _ := auditor.send("GET", "/api/me", nil); return v["revision"] }
	before := revision()
	if before == nil {
		t.Fatal("no revision is told")
	}
	answered := map[int]int{}
	sound := func(who string, o operation, path string, status int, v map[string]any, header http.Header) {
		t.Helper()
		switch {
		case status >= 500 || status < 200:
			t.Errorf("%s, %s %s: %d %v", who, o.method, path, status, v)
		case status >= 400 &&
			(header.Get("Content-Type") != "application/problem+json" || v["title"] == "" || v["detail"] == ""):
			t.Errorf("%s, %s %s: %d without saying why: %v", who, o.method, path, status, v)
		}
	}
	for _, o := range operations {
		if strings.HasPrefix(o.path, "/api/session") || o.path == "/api/revisions/events" {
			continue // the one would sign out those who ask, the other does not end
		}
		for range 12 {
			path, body := m.request(o)
			status, v, header := stranger.send(o.method, path, body)
			sound("a stranger", o, path, status, v, header)
			if status < 400 && !slices.Contains(open, o.path) {
				t.Errorf("%s %s answers somebody who is not signed in", o.method, path)
			}
			status, v, header = auditor.send(o.method, path, body)
			sound("the auditor", o, path, status, v, header)
			status, v, header = owner.send(o.method, path, body)
			sound("the owner", o, path, status, v, header)
			answered[status/100]++
		}
	}
	if answered[2] < 200 || answered[4] < 200 { // else this looks at nothing
		t.Errorf("of what the owner asks, %d are answered and %d refused", answered[2], answered[4])
	}
	if after := revision(); before != after {
		t.Errorf("what was only looked at and drafted became revision %v", after)
	}
	if _, err := d.Person(desk.Actor{User: "signe.halloran"}, "noor.tamsin", ""); err != nil {
		t.Error(err)
	}
}

package api_test

import (
	"cmp"
	"encoding/json"
	"io"
	"math/rand/v2"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"testing"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// TestTheDescriptionTellsWhoMay asks every operation by somebody who has no right in Fachwerk and to whom nothing is
// delegated: what is said to need a right refuses them; and whatever is answered is one of the answers that are told.
func TestTheDescriptionTellsWhoMay(t *testing.T) {
	address, d := serve(t)
	plain := ""
	for _, u := range d.Design().Users {
		if holds := d.Present().Index.Effective(u.ID, d.Now()); u.State == model.UserActive && u.ID != "noor.tamsin" &&
			!slices.ContainsFunc(holds, func(h index.Holding) bool {
				return strings.HasPrefix(h.Permission, model.OwnSystem+":")
			}) && delegation.Of(d.Present().Ahead(), u.ID, d.Now()).Empty() {
			plain = u.ID
			break
		}
	}
	p := program(t, address, d, plain)
	resp, err := http.Get(address + "/api/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	data, _ := io.ReadAll(resp.Body)
	var doc struct {
		Components struct {
			Schemas map[string]struct {
				Properties map[string]struct {
					Description string `json:"description"`
				} `json:"properties"`
			} `json:"schemas"`
		} `json:"components"`
		Paths map[string]map[string]struct {
			Parameters []struct {
				Name        string `json:"name"`
				Description string `json:"description"`
			} `json:"parameters"`
			ID          string         `json:"operationId"`
			Description string         `json:"description"`
			Tags        []string       `json:"tags"`
			Responses   map[string]any `json:"responses"`
		} `json:"paths"`
	}
	if err := json.Unmarshal(data, &doc); err != nil {
		t.Fatal(err)
	}
	for name, s := range doc.Components.Schemas {
		for field, p := range s.Properties {
			if p.Description == "" {
				t.Errorf("%s.%s is not described: say what it is where it is defined, or in words.go", name, field)
			}
		}
	}
	operations, schemas := readOperations(t, data)
	m := maker{rand.New(rand.NewPCG(7, 7)), schemas}
	refused := 0
	for _, o := range operations {
		said := doc.Paths[o.path][strings.ToLower(o.method)]
		if len(said.Tags) != 1 || said.Tags[0] == "" || !strings.Contains(said.Description, "\n\n") {
			t.Errorf("%s is told of by %q, under %q", o.id, said.Description, said.Tags)
		}
		if strings.HasPrefix(o.path, "/api/session") || o.path == "/api/revisions/events" || o.id == "comeBack" {
			continue // the first sign out whoever asks, the second does not end, the last leads to a page
		}
		for _, parameter := range said.Parameters {
			if parameter.Description == "" {
				t.Errorf("the parameter %s of %s is not described", parameter.Name, o.id)
			}
		}
		needs := strings.Contains(said.Description, "Needs `")
		for range 8 {
			path, body := m.request(o)
			status, v, _ := p.send(o.method, path, body)
			if _, told := said.Responses[strconv.Itoa(status)]; !told && status != http.StatusTooManyRequests {
				t.Errorf("%s %s is answered %d, of which nothing is told: %v", o.method, path, status, v)
			}
			if status < 400 && needs {
				t.Errorf("%s answers %s, who has no right: %.120s", o.id, plain, v)
				break
			}
			refused++
		}
	}
	if refused < 400 {
		t.Errorf("only %d were refused", refused)
	}
}

// Every operation has examples: of what is sent, of what is answered, and of each parameter. Those of the task that
// most programs are written for work as they stand, one after another.
func TestExamplesAreTrue(t *testing.T) {
	address, d := serve(t)
	p := program(t, address, d, "signe.halloran")
	_, doc, _ := p.send("GET", "/api/openapi.json", nil)
	type example struct {
		method, path string
		sent         any
	}
	examples := map[string]example{}
	lacks := func(of any, where string) {
		if content, ok := of.(map[string]any)["application/json"].(map[string]any); ok && content["example"] == nil {
			t.Errorf("%s has no example", where)
		}
	}
	for path, methods := range doc["paths"].(map[string]any) {
		for method, o := range methods.(map[string]any) {
			op := o.(map[string]any)
			id := op["operationId"].(string)
			parameters, _ := op["parameters"].([]any)
			for _, x := range parameters {
				if one := x.(map[string]any); one["example"] == nil {
					t.Errorf("the parameter %s of %s has no example", one["name"], id)
				}
			}
			if body, ok := op["requestBody"].(map[string]any); ok {
				lacks(body["content"], "what is sent to "+id)
				if c, ok := body["content"].(map[string]any)["application/json"].(map[string]any); ok {
					examples[id] = example{strings.ToUpper(method), path, c["example"]}
				}
			}
			for status, r := range op["responses"].(map[string]any) {
				if content := r.(map[string]any)["content"]; content != nil && status[0] == '2' {
					lacks(content, "the answer of "+id)
				}
			}
		}
	}
	// What is not JSON is written in the form that is told.
	for path, in := range map[string]string{
		"/api/effective.csv": "", "/api/effective.jsonl": "", "/api/people-and-groups.ldif": "", "/api/model.json": "",
		"/api/lists/{kind}/{form}": "/api/lists/user/csv", "/api/sheets/{kind}/{id}/{form}": "/api/sheets/role/gate-clerk/xlsx",
		"/api/revisions/events": "", "/api/reviews/{id}/report.html": "/api/reviews/3/report.html",
		"/api/reviews/{id}/pack.zip": "/api/reviews/3/pack.zip",
	} {
		get := doc["paths"].(map[string]any)[path].(map[string]any)["get"].(map[string]any)
		told := get["responses"].(map[string]any)["200"].(map[string]any)["content"].(map[string]any)
		req, err := http.NewRequest("GET", address+cmp.Or(in, path), nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header = p.header.Clone()
		resp, err := p.client.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		form, _, _ := strings.Cut(resp.Header.Get("Content-Type"), ";")
		if resp.StatusCode != http.StatusOK || told[form] == nil {
			t.Errorf("%s is answered %d in %s; told are %v", path, resp.StatusCode, form, told)
		}
	}
	for _, id := range []string{
		"change", "plan", "putRole", "putSet", "putGroup", "putArea", "putPerson", "putAssignment", "putConflict",
		"putGuarantee", "putLicence", "putSystem", "tryDelegation", "tryCeiling", "tryGuarantee", "tryRule", "lookAssign",
		"assign", "join", "cut", "delete", "fit", "previewReview", "openReview",
	} {
		e := examples[id]
		if status, answer, _ := p.send(e.method, e.path, e.sent); status != http.StatusOK && status != http.StatusCreated {
			t.Errorf("%s refuses its example: %d %v", id, status, answer)
		}
	}
	_, draft, _ := p.send("GET", "/api/draft", nil)
	if len(draft["blocks"].([]any)) > 0 || len(draft["edits"].([]any)) < 12 {
		t.Errorf("what the examples draft is blocked: %v", draft["blocks"])
	}
}

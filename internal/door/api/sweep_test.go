package api_test

import (
	"bytes"
	"encoding/json"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/review"
)

// slot stands in a request of the sweep for an id, which takes its place.
const slot = "--slot--"

// slotted makes up requests that fit a description, in which a good part of the texts is a slot, and what is fixed is
// as known says.
type slotted struct {
	maker
	known map[string]string // what names things in an address, by the collection before it
	texts []string          // what texts are otherwise
}

func (m slotted) request(o operation) (method, path string, body []byte) {
	at := m.IntN(3) // where slots stand: in the path, in the query, or in the body
	path = o.path
	query := url.Values{}
	for _, p := range o.parameters {
		v, _ := m.fill(p.Schema, 0, at == 1).(string)
		before, _, _ := strings.Cut(o.path, "/{"+p.Name)
		name, ok := m.known[before[strings.LastIndex(before, "/")+1:]]
		switch {
		case p.In == "path" && at == 0:
			path = strings.ReplaceAll(path, "{"+p.Name+"}", slot)
		case p.In == "path" && ok:
			path = strings.ReplaceAll(path, "{"+p.Name+"}", url.PathEscape(name))
		case p.In == "path" && p.Name == "form":
			path = strings.ReplaceAll(path, "{form}", "csv")
		case p.In == "path":
			path = strings.ReplaceAll(path, "{"+p.Name+"}", "1")
		case p.Schema["type"] == "string" && p.Schema["format"] == nil && (p.Required || m.IntN(2) == 0):
			query.Set(p.Name, v)
		}
	}
	if len(query) > 0 {
		path += "?" + query.Encode()
	}
	if o.body != nil {
		body, _ = json.Marshal(m.fill(o.body, 0, at == 2))
	}
	return o.method, path, body
}

func (m slotted) fill(schema map[string]any, depth int, slots bool) any {
	if ref, ok := schema["$ref"].(string); ok {
		named, _ := m.schemas[ref[strings.LastIndex(ref, "/")+1:]].(map[string]any)
		return m.fill(named, depth, slots)
	}
	if options, ok := schema["oneOf"].([]any); ok {
		option, _ := options[m.IntN(len(options))].(map[string]any)
		return m.fill(option, depth, slots)
	}
	if options, ok := schema["enum"].([]any); ok {
		return options[m.IntN(len(options))]
	}
	kind, _ := schema["type"].(string)
	if kinds, several := schema["type"].([]any); several {
		kind, _ = kinds[0].(string)
	}
	switch kind {
	case "object":
		out := map[string]any{}
		required, _ := schema["required"].([]any)
		properties, _ := schema["properties"].(map[string]any)
		for name, property := range properties {
			p, ok := property.(map[string]any)
			must := false
			for _, r := range required {
				must = must || r == name
			}
			if ok && name != "$schema" && (must || m.IntN(2) == 0) {
				out[name] = m.fill(p, depth+1, slots)
			}
		}
		return out
	case "array":
		items, _ := schema["items"].(map[string]any)
		if depth > 6 {
			return []any{}
		}
		return []any{m.fill(items, depth+1, slots)}
	case "integer", "number":
		return m.IntN(4)
	case "boolean":
		return m.IntN(2) == 0
	case "string":
		if schema["contentEncoding"] != nil {
			return "e30="
		}
		if format, ok := schema["format"].(string); ok && format == "date-time" {
			return "2027-01-01T00:00:00Z"
		}
		if slots && m.IntN(3) > 0 {
			return []string{slot, slot, slot, "user:" + slot, "role:" + slot, "group:" + slot, `id eq "` + slot + `"`}[m.IntN(7)]
		}
		return m.texts[m.IntN(len(m.texts))]
	}
	return nil
}

// TestNothingIsToldOfWhatIsOutOfSight asks every operation of the description, by a delegate, by a manager and by
// somebody without rights, with the id of something that they do not see, and with one that nothing has. Both are
// answered the same, byte for byte but for the id; and never with the name of what is hidden.
func TestNothingIsToldOfWhatIsOutOfSight(t *testing.T) {
	address, d := serve(t)
	signe := desk.Actor{User: "signe.halloran", Proven: day}
	if _, err := d.OpenReview(signe, review.NewReview{Set: model.SetAuditor, Name: "Hidden review of auditors"}); err != nil {
		t.Fatal(err)
	}
	operations, schemas := everyOperation(t, address)
	design := d.Design()
	compared := 0
	askers := map[string]*browser{}
	for _, user := range []string{"ruben.adeyemi", "lucia.fenwick"} {
		askers[user] = newBrowser(t, address)
		askers[user].signIn(user)
	}
	askers["kofi.ostrov"] = program(t, address, d, "kofi.ostrov")
	for user, b := range askers {
		authority := delegation.Of(d.Present().Ahead(), user, d.Now())
		part := &model.Design{}
		if !authority.Empty() {
			part = authority.Part()
		}
		m := slotted{maker{rand.New(rand.NewPCG(13, uint64(len(user)))), schemas}, map[string]string{}, []string{
			"x", "gate", "user", "2026-11-23", "role", "group", "set", "person", "manager", user, "north-harbour", "gate-clerk",
			"ferries",
			"ticket-office", "purser", "ticket-clerk", "aino.brisk", "assign", "edit",
		}}
		for collection, id := range known {
			m.known[collection] = id
		}
		hidden := hiddenFrom(t, design, part, user)
		for _, o := range operations {
			if strings.HasPrefix(o.path, "/api/session") || o.path == "/api/revisions/events" ||
				strings.HasPrefix(o.path, "/api/imports") || strings.HasPrefix(o.path, "/api/welcome") ||
				strings.HasPrefix(o.path, "/api/me/mailbox") || o.id == "comeBack" || o.id == "forgotten" || o.id == "endSessions" {
				continue // these sign out, do not end, lead away, take files, count as guessing, or are the demo's
			}
			for range 45 {
				method, path, body := m.request(o)
				if !strings.Contains(path+string(body), slot) || strings.Contains(path, "when=") {
					continue
				}
				seed := m.Uint64()
				thing := hidden[seed%uint64(len(hidden))]
				if strings.Contains(path+string(body), `"`+thing.id+`"`) || strings.Contains(path, "="+thing.id) ||
					strings.Contains(path, "/"+thing.id) {
					continue // it stands elsewhere too
				}
				ghost := strings.Repeat("q", len(thing.id)-1) + "0"
				if numbered(o) && strings.Contains(strings.SplitN(path, "?", 2)[0], slot) {
					thing, ghost = hiddenThing{id: []string{"1", "2", "3", "4", "5", "40"}[seed%6]}, "987654"
				}
				status1, told1 := raw(t, b, method, path, body, thing.id)
				status2, told2 := raw(t, b, method, path, body, ghost)
				if status1 == http.StatusTooManyRequests || status2 == http.StatusTooManyRequests {
					continue
				}
				// Roles and listed groups can be asked for by anybody, and a reviewer finds colleagues by their names.
				if o.id == "makeRequest" && status1 < 400 || o.id == "beAbsent" && user != "kofi.ostrov" {
					continue
				}
				compared++
				if ghost == "987654" {
					shown, _ := raw(t, b, "GET", path[:strings.Index(path, slot)]+slot, nil, thing.id)
					if shown < 400 || status1 < 400 || bytes.Contains(told1, []byte("validation failed")) {
						continue // it is theirs to see, or nobody looked what it is
					}
				}
				if status1 != status2 || status1 >= 400 && !bytes.Equal(told1, told2) {
					t.Errorf("%s, %s %s %s of %s:\n%d %s\nof nothing:\n%d %s", user, method, path, body, thing.id, status1, told1,
						status2, told2)
				}
				if thing.name != "" && bytes.Contains(told1, []byte(thing.name)) &&
					!strings.Contains(path+string(body), thing.name) {
					t.Errorf("%s, %s %s %s: tells %q: %s", user, method, path, body, thing.name, told1)
				}
			}
			if user != "kofi.ostrov" && strings.HasPrefix(o.path, "/api/draft") {
				raw(t, b, "DELETE", "/api/draft", nil, "")
			}
		}
	}
	if compared < 5000 {
		t.Errorf("only %d answers were compared: too few to prove anything", compared)
	}
}

type hiddenThing struct{ id, name string }

// numbered tells whether the thing in an operation's path is named by a number.
func numbered(o operation) bool {
	for _, p := range o.parameters {
		if p.In == "path" && p.Schema["type"] == "integer" {
			return true
		}
	}
	return false
}

// hiddenFrom gives things of a design that somebody does not see, of each kind.
func hiddenFrom(t *testing.T, design, part *model.Design, user string) (out []hiddenThing) {
	t.Helper()
	for _, kind := range []model.Kind{model.KindUser, model.KindUser, model.KindGroup, model.KindRole, model.KindSet,
		model.KindSystem, model.KindArea, model.KindLicence, model.KindConflict, model.KindGuarantee, model.KindDelegation,
		model.KindAssignment} {
		n := len(out)
		for _, o := range objects(design, kind) {
			title := o.Title()
			if part.Get(kind, o.Ident()) == nil && o.Ident() != user && !model.BuiltIn(kind, o.Ident()) && len(o.Ident()) > 8 {
				if kind == model.KindAssignment {
					title = ""
				}
				if out = append(out, hiddenThing{id: o.Ident(), name: title}); len(out) > n+5 {
					break
				}
			}
		}
	}
	return out
}

func objects(d *model.Design, kind model.Kind) (out []model.Object) {
	d.All(func(o model.Object) {
		if o.Kind() == kind {
			out = append(out, o)
		}
	})
	return out
}

// raw sends a request with an id in its slots, and gives the answer with the id put back.
func raw(t *testing.T, b *browser, method, path string, body []byte, id string) (int, []byte) {
	t.Helper()
	path = strings.ReplaceAll(path, slot, id)
	req, err := http.NewRequest(method, b.url+path, bytes.NewReader(bytes.ReplaceAll(body, []byte(slot), []byte(id))))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("X-Request-ID", "sweep")
	resp, err := b.client.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	told, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return resp.StatusCode, regexp.MustCompile(`\b`+regexp.QuoteMeta(id)+`\b`).ReplaceAll(told, []byte(slot))
}

package scim

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"fachwerk/internal/desk/directory"

	"fachwerk/internal/exchange/scim"
)

// bulkOp is one operation of a bulk request (RFC 7644 §3.7).
type bulkOp struct {
	Method  string          `json:"method"`
	BulkID  string          `json:"bulkId"`
	Path    string          `json:"path"`
	Version string          `json:"version"`
	Data    json.RawMessage `json:"data"`
}

// bulk carries out many operations as one revision. Each stands alone: one that fails leaves the others as they are.
func (s *server) bulk(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Schemas      []string `json:"schemas"`
		FailOnErrors int      `json:"failOnErrors"`
		Operations   []bulkOp `json:"Operations"`
	}
	data, err := body(r)
	if err == nil {
		err = scim.Decode(data, &in)
	}
	if err == nil {
		if !slices.ContainsFunc(in.Schemas, func(s string) bool { return strings.EqualFold(s, scim.BulkSchema) }) {
			err = scim.Bad("invalidValue", "schemas: expected %q", scim.BulkSchema)
		} else if len(in.Operations) > maxBulk {
			err = &scim.Error{Status: http.StatusRequestEntityTooLarge, Detail: fmt.Sprintf("The request has %d operations, "+
				"of %d at most.", len(in.Operations), maxBulk)}
		}
	}
	if err != nil {
		fail(w, r, err)
		return
	}
	var b *bulking
	done := []map[string]any{}
	now, err := s.feed(r, func(f *directory.Request) error {
		b = &bulking{ctx: r.Context(), f: f, base: s.base(), ids: map[string]string{}}
		done = b.all(in.Operations, in.FailOnErrors)
		return nil
	})
	if err != nil {
		fail(w, r, err)
		return
	}
	for _, f := range b.failures {
		s.noteRefusal(r, strings.ToUpper(f.op.Method), Root+f.op.Path, f.err)
	}
	for _, one := range done {
		location, _ := one["location"].(string)
		k, id, ok := kindAt(strings.TrimPrefix(location, s.base()))
		if !ok {
			continue
		}
		if o, err := there(now, k.of[0], id); err == nil { // a later operation may have deleted it
			one["version"] = version(now, o)
		}
	}
	reply(w, http.StatusOK, map[string]any{"schemas": []string{scim.BulkAnswer}, "Operations": done})
}

// bulking is a bulk request while it is carried out.
type bulking struct {
	ctx  context.Context // of the request
	f    *directory.Request
	base string
	ids  map[string]string // of what was made, by bulkId

	failures []failure
}

// failure is an operation that failed.
type failure struct {
	op  bulkOp
	err error
}

// mention is how an operation names what another one makes (RFC 7644 §3.7.2).
var mention = regexp.MustCompile(`bulkId:[^"/\s]+`)

// all carries out operations in their order, but for those that mention what a later one makes: these wait. After
// as many errors as may be, the rest is left.
func (b *bulking) all(ops []bulkOp, mayFail int) []map[string]any {
	results := make([]map[string]any, len(ops))
	failed, left := 0, len(ops)
	for left > 0 {
		progress := false
		for i, o := range ops {
			if results[i] != nil || b.open(o) != "" {
				continue
			}
			results[i] = b.one(o)
			progress, left = true, left-1
			if results[i]["response"] != nil {
				failed++
			}
			if mayFail > 0 && failed >= mayFail {
				left = 0
				break
			}
		}
		if progress {
			continue
		}
		for i, o := range ops { // who waits now waits for what never comes
			if results[i] == nil {
				results[i], left = b.answer(
					o,
					"",
					&scim.Error{
						Status: http.StatusConflict,
						Type:   "invalidValue",
						Detail: b.never(ops, i),
					},
				), left-1
			}
		}
	}
	out := []map[string]any{}
	for _, r := range results {
		if r != nil {
			out = append(out, r)
		}
	}
	return out
}

// open gives the first thing that an operation mentions and nothing has made yet.
func (b *bulking) open(o bulkOp) string {
	for _, text := range []string{o.Path, string(o.Data)} {
		for _, m := range mention.FindAllString(text, -1) {
			if _, made := b.ids[strings.TrimPrefix(m, "bulkId:")]; !made {
				return m
			}
		}
	}
	return ""
}

// never says why what an operation waits for never comes: nothing makes it, or that waits for this one in turn.
func (b *bulking) never(ops []bulkOp, i int) string {
	open := b.open(ops[i])
	chain := []string{open}
	for n := 0; n < len(ops); n++ {
		maker := slices.IndexFunc(ops, func(o bulkOp) bool {
			return strings.EqualFold(o.Method, http.MethodPost) && "bulkId:"+o.BulkID == chain[len(chain)-1]
		})
		if maker < 0 {
			break
		}
		next := b.open(ops[maker])
		if next == "" {
			return "The operation that makes " + chain[len(chain)-1] + " failed."
		}
		if slices.Contains(chain, next) {
			return "These wait for each other, in a circle: " + strings.Join(append(chain, next), ", ") + "."
		}
		chain = append(chain, next)
	}
	return "No operation makes " + chain[len(chain)-1] + "."
}

// named puts ids where things that were made are mentioned.
func (b *bulking) named(text string) string {
	return mention.ReplaceAllStringFunc(text, func(m string) string { return b.ids[strings.TrimPrefix(m, "bulkId:")] })
}

func (b *bulking) one(o bulkOp) map[string]any {
	id, err := b.carry(o)
	if err == nil && o.BulkID != "" && strings.EqualFold(o.Method, http.MethodPost) {
		b.ids[o.BulkID] = id
	}
	return b.answer(o, id, err)
}

// carry carries one operation out and gives the id of what it was about.
func (b *bulking) carry(o bulkOp) (id string, err error) {
	k, id, ok := kindAt(b.named(o.Path))
	if !ok {
		return "", scim.Bad("invalidPath", "path: expected /Users or /Groups, or one of these, not %q", o.Path)
	}
	method, data := strings.ToUpper(o.Method), []byte(b.named(string(o.Data)))
	if (id == "") != (method == http.MethodPost) {
		return id, scim.Bad("invalidPath", "path: %q does not go with %s", o.Path, o.Method)
	}
	var sent scim.Resource
	if method == http.MethodPost || method == http.MethodPut {
		if sent, err = k.Read(data); err != nil {
			return id, err
		}
	}
	switch method {
	case http.MethodPost:
		if o.BulkID == "" {
			return "", scim.Bad("invalidValue", "bulkId: a POST needs one")
		}
		return create(b.f, k, sent)
	case http.MethodPut:
		return id, replace(b.f, k, id, o.Version, sent)
	case http.MethodPatch:
		if text := bytes.TrimSpace(data); len(text) > 0 && text[0] == '[' { // the operations alone (RFC 7644 §3.7.3)
			data = slices.Concat([]byte(`{"schemas":["`+scim.PatchSchema+`"],"Operations":`), text, []byte("}"))
		}
		return id, patch(b.f, k, id, o.Version, data)
	case http.MethodDelete:
		return id, remove(b.f, k, id, o.Version)
	}
	return id, scim.Bad("invalidValue", "method: expected POST, PUT, PATCH or DELETE, not %q", o.Method)
}

// answer tells of an operation what came of it.
func (b *bulking) answer(o bulkOp, id string, err error) map[string]any {
	m := map[string]any{"method": o.Method}
	if o.BulkID != "" {
		m["bulkId"] = o.BulkID
	}
	k, _, ok := kindAt(o.Path)
	if ok && id != "" {
		m["location"] = b.base + k.Endpoint + "/" + id
	}
	status := map[string]int{http.MethodPost: http.StatusCreated,
		http.MethodDelete: http.StatusNoContent}[strings.ToUpper(o.Method)]
	if status == 0 {
		status = http.StatusOK
	}
	if err != nil {
		b.failures = append(b.failures, failure{o, err})
		e := explained(b.ctx, err)
		status, m["response"] = e.Status, problem(e)
	}
	m["status"] = strconv.Itoa(status)
	return m
}

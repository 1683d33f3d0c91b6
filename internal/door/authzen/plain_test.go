package authzen

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"github.com/valyala/fastjson"

	"fachwerk/internal/desk/view"
)

// sameAsWritten holds what is read in plain words against what the standard has a request mean: where it is read so,
// it must mean the very same. It tells how much was read so.
func sameAsWritten(t *testing.T, body string) (read int) {
	t.Helper()
	whole := func(r request) (view.Question, error) {
		q, err := r.question(parts{subjectID: true, action: true, resourceID: true})
		if q.explain {
			t.Errorf("%s is read in plain words, but reasons are asked for", body)
		}
		return q.Question, err
	}
	parsed := func() *fastjson.Value {
		if err := fastjson.Validate(body); err != nil {
			t.Fatalf("%s is read in plain words, but is no JSON: %v", body, err)
		}
		return fastjson.MustParse(body)
	}
	if p, ok := evaluationIn([]byte(body)); ok {
		read++
		if want, err := whole(requestIn(parsed())); err != nil || !reflect.DeepEqual(p.question(), want) {
			t.Errorf("%s\nis read in plain words as %+v\nit means %+v (%v)", body, p.question(), want, err)
		}
	}
	if list, ok := evaluationsIn([]byte(body), nil); ok {
		read++
		v := parsed()
		given := v.GetArray("evaluations")
		if len(given) != len(list) || v.Get("options") != nil {
			t.Fatalf("%s\nis read in plain words as %d evaluations", body, len(list))
		}
		defaults := requestIn(v)
		for i, one := range given {
			r := requestIn(one)
			for _, part := range []struct{ to, from **fastjson.Value }{
				{&r.subject, &defaults.subject}, {&r.action, &defaults.action}, {&r.resource, &defaults.resource},
				{&r.context, &defaults.context},
			} {
				if *part.to == nil {
					*part.to = *part.from
				}
			}
			if want, err := whole(r); err != nil || !reflect.DeepEqual(list[i].question(), want) {
				t.Errorf("%s\nis read in plain words as %+v\nit means %+v (%v)", body, list[i].question(), want, err)
			}
		}
	}
	return read
}

// Requests of every make, most of them strange in some place: those that are read in plain words mean the same as they
// would otherwise, and the plain ones are.
func TestPlainWordsMeanTheSame(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	pick := func(from ...string) string { return from[r.IntN(len(from))] }
	seldom := func(usual string, strange ...string) string {
		if r.IntN(25) == 0 {
			return pick(strange...)
		}
		return usual
	}
	text := func() string {
		return seldom(pick(`"user"`, `"anonymous"`, `"ann"`, `"a:b"`, `"view"`, `"x y"`), `""`, `"é"`, `"\u0061"`, `"\n"`,
			`5`, `null`, `{}`, "\"\x7f\"", "\"\xff\"", `"`)
	}
	object := func(fields ...string) string {
		r.Shuffle(len(fields), func(i, j int) { fields[i], fields[j] = fields[j], fields[i] })
		var out []string
		for _, f := range fields {
			if f = seldom(f, "", f+","+f, `"more": 1,`+f, f+","); f != "" {
				out = append(out, f)
			}
		}
		space := pick("", " ", "\n\t")
		return seldom("{", "[", "") + space + strings.Join(out, seldom(","+space, "", ";")) + seldom("}", "]", "")
	}
	field := func(name, value string) string { return fmt.Sprintf("%q%s%s", name, seldom(":", " : ", ""), value) }
	part := func(name string) string {
		switch name {
		case "subject":
			return field(name, object(field("type", text()), field("id", text())))
		case "action":
			return field(name, object(field("name", text())))
		}
		resource := []string{field("type", text()), field("id", text())}
		if r.IntN(2) == 0 {
			resource = append(resource, field("properties", object(field("area", text()), field("owner", text()))))
		}
		return field("resource", object(resource...))
	}
	evaluation := func() string {
		fields := []string{part("subject"), part("action"), part("resource")}
		if r.IntN(10) == 0 {
			fields = append(fields, field("context", pick(`{}`, `{"explain": true}`, `{"time": "2026-01-01T00:00:00Z"}`, `5`)))
		}
		return object(fields...)
	}
	read := 0
	for range 20_000 {
		body := evaluation()
		if r.IntN(2) == 0 {
			var list []string
			for range r.IntN(4) {
				list = append(list, seldom(evaluation(), "{}", object(part("resource")), "5"))
			}
			fields := []string{field("evaluations", "["+strings.Join(list, seldom(",", "", ",,"))+"]")}
			if r.IntN(3) == 0 {
				fields = append(fields, part(pick("subject", "action", "resource")))
			}
			if r.IntN(10) == 0 {
				fields = append(fields, field("options", `{"evaluations_semantic": "deny_on_first_deny"}`))
			}
			body = object(fields...)
		}
		read += sameAsWritten(t, body)
		if t.Failed() {
			return
		}
	}
	if read < 2_000 {
		t.Errorf("only %d requests are read in plain words", read)
	}
	for _, body := range []string{
		`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"a:b","id":"1"}}`,
		`{"subject":{"type":"user","id":"ann"},"evaluations":[
			{"action":{"name":"view"},"resource":{"type":"a:b","id":"1","properties":{"area":"x","owner":""}}},
			{"action":{"name":"edit"},"resource":{"id":"","type":"a:b"},"subject":{"id":"","type":"anonymous"}}]}`,
	} {
		if sameAsWritten(t, body) != 1 {
			t.Errorf("%s is not read in plain words", body)
		}
	}
	// Of what stands twice, the first counts; that is left to who reads the whole.
	for _, part := range []string{`"subject":{"type":"user","id":"ann","id":"bob"}`,
		`"subject":{"type":"user","id":"ann"},"subject":{"type":"user","id":"bob"}`} {
		sameAsWritten(t, `{`+part+`,"action":{"name":"view"},"resource":{"type":"a:b","id":"1"}}`)
	}
}

// FuzzPlainWords looks for a request that means something else in plain words.
func FuzzPlainWords(f *testing.F) {
	f.Add(`{"subject":{"type":"user","id":"ann"},"action":{"name":"view"},"resource":{"type":"a:b","id":"1"}}`)
	f.Add(`{"action":{"name":"view"},"evaluations":[{"subject":{"type":"user","id":"ann"},` +
		`"resource":{"type":"a:b","id":"1","properties":{"area":"x","owner":"ann"}}}]}`)
	f.Fuzz(func(t *testing.T, body string) { sameAsWritten(t, body) })
}

package scim

import (
	"encoding/json"
	"errors"
	"reflect"
	"strings"
	"testing"
)

func parse(t *testing.T, text string) map[string]any {
	t.Helper()
	var m map[string]any
	if err := json.Unmarshal([]byte(text), &m); err != nil {
		t.Fatalf("%s: %v", text, err)
	}
	return m
}

const brisk = `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"id":"aino.brisk","userName":"aino.brisk","name":{"givenName":"Aino","familyName":"Brisk"},"active":true,
	"emails":[{"value":"aino@work.example","type":"work","primary":true},{"value":"aino@home.example","type":"home"}],
	"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"department":"Gates","manager":{"value":"mira"}}}`

const crew = `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"id":"crew","displayName":"Crew","members":[{"value":"a","type":"User"},{"value":"b","type":"User"},{"value":"g","type":"Group"}]}`

// TestPatch goes through the forms of RFC 7644 §3.5.2, and those that directories are known to send beside them.
// What is not told of stays.
func TestPatch(t *testing.T) {
	const enterprise = `urn:ietf:params:scim:schemas:extension:enterprise:2.0:User`
	for _, c := range []struct{ name, ops, path, want string }{
		{"add one text", `{"op":"add","path":"title","value":"Clerk"}`, "title", `"Clerk"`},
		{"replace one text", `{"op":"replace","path":"userName","value":"a.brisk"}`, "userName", `"a.brisk"`},
		{"names in any case", `{"op":"Replace","path":"USERNAME","value":"a.brisk"}`, "userName", `"a.brisk"`},
		{"with the schema before it",
			`{"op":"replace","path":"urn:ietf:params:scim:schemas:core:2.0:User:title","value":"Lead"}`, "title", `"Lead"`},
		{"a part", `{"op":"replace","path":"name.familyName","value":"Brace"}`, "name",
			`{"givenName":"Aino","familyName":"Brace"}`},
		{"parts by an object", `{"op":"replace","path":"name","value":{"familyName":"Brace"}}`, "name",
			`{"givenName":"Aino","familyName":"Brace"}`},
		{"remove a part", `{"op":"remove","path":"name.givenName"}`, "name", `{"familyName":"Brisk"}`},
		{"remove the last part", `{"op":"remove","path":"name.givenName"},{"op":"remove","path":"name.familyName"}`, "name",
			`null`},
		{"remove all", `{"op":"remove","path":"emails"}`, "emails", `null`},
		{"null takes away", `{"op":"replace","path":"name","value":null}`, "name", `null`},
		{"a flag written as a text", `{"op":"replace","path":"active","value":"False"}`, "active", `false`},
		{"add a value", `{"op":"add","path":"emails","value":[{"value":"x@y.example","type":"other"}]}`, "emails",
			`[{"value":"aino@work.example","type":"work","primary":true},{"value":"aino@home.example","type":"home"},{"value":"x@y.example","type":"other"}]`},
		{"add a value that is there", `{"op":"add","path":"emails","value":[{"value":"aino@home.example","type":"home"}]}`,
			"emails", `[{"value":"aino@work.example","type":"work","primary":true},{"value":"aino@home.example","type":"home"}]`},
		{"a new primary unseats the old", `{"op":"add","path":"emails","value":{"value":"x@y.example","primary":true}}`,
			"emails", `[{"value":"aino@work.example","type":"work"},{"value":"aino@home.example","type":"home"},{"value":"x@y.example","primary":true}]`},
		{"another becomes primary", `{"op":"replace","path":"emails[type eq \"home\"].primary","value":true}`, "emails",
			`[{"value":"aino@work.example","type":"work"},{"value":"aino@home.example","type":"home","primary":true}]`},
		{"replace all values", `{"op":"replace","path":"emails","value":[{"value":"x@y.example"}]}`, "emails",
			`[{"value":"x@y.example"}]`},
		{"replace a chosen value",
			`{"op":"replace","path":"emails[type eq \"work\"]","value":{"value":"n@work.example","type":"work"}}`, "emails",
			`[{"value":"n@work.example","type":"work"},{"value":"aino@home.example","type":"home"}]`},
		{"a part of a chosen value", `{"op":"replace","path":"emails[type eq \"work\"].value","value":"n@work.example"}`,
			"emails", `[{"value":"n@work.example","type":"work","primary":true},{"value":"aino@home.example","type":"home"}]`},
		{"a chosen value that is not there is made",
			`{"op":"add","path":"phoneNumbers[type eq \"mobile\"].value","value":"+1"}`, "phoneNumbers",
			`[{"type":"mobile","value":"+1"}]`},
		{"remove a chosen value", `{"op":"remove","path":"emails[type eq \"work\" and value ew \".example\"]"}`, "emails",
			`[{"value":"aino@home.example","type":"home"}]`},
		{"remove a part of a chosen value", `{"op":"remove","path":"emails[primary eq true].primary"}`, "emails",
			`[{"value":"aino@work.example","type":"work"},{"value":"aino@home.example","type":"home"}]`},
		{"no path", `{"op":"add","value":{"title":"Clerk","nickName":"Ai","ghost":1,"id":"other"}}`, "title", `"Clerk"`},
		{"no path, dotted names", `{"op":"replace","value":{"name.familyName":"Brace"}}`, "name",
			`{"givenName":"Aino","familyName":"Brace"}`},
		{"no path, an extension", `{"op":"add","value":{"` + enterprise + `":{"department":"Ramp","costCenter":"9"}}}`,
			enterprise, `{"department":"Ramp","costCenter":"9","manager":{"value":"mira"}}`},
		{"no path, an attribute of an extension", `{"op":"add","value":{"` + enterprise + `:department":"Ramp"}}`,
			enterprise, `{"department":"Ramp","manager":{"value":"mira"}}`},
		{"an attribute of an extension", `{"op":"replace","path":"` + enterprise + `:manager","value":"tomas"}`, enterprise,
			`{"department":"Gates","manager":{"value":"tomas"}}`},
		{"a part of one", `{"op":"replace","path":"` + enterprise + `:manager.value","value":"tomas"}`, enterprise,
			`{"department":"Gates","manager":{"value":"tomas"}}`},
		{"an extension as a whole", `{"op":"add","path":"` + enterprise + `","value":{"division":"North"}}`, enterprise,
			`{"department":"Gates","division":"North","manager":{"value":"mira"}}`},
		{"an extension removed", `{"op":"remove","path":"` + enterprise + `"}`, enterprise, `null`},
		{"the last attribute of an extension removed",
			`{"op":"remove","path":"` + enterprise + `:department"},{"op":"remove","path":"` + enterprise +
				`:manager"}`, enterprise, `null`},
		{"one after another",
			`{"op":"add","path":"title","value":"A"},{"op":"replace","path":"title","value":"B"},{"op":"remove","path":"emails[type eq \"home\"]"}`, "title", `"B"`},
	} {
		got, err := Users.Patch(parse(t, brisk), []byte(`{"schemas":["`+PatchSchema+`"],"Operations":[`+c.ops+`]}`))
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		var want any
		if err := json.Unmarshal([]byte(c.want), &want); err != nil {
			t.Fatal(c.name, err)
		}
		if !reflect.DeepEqual(got[c.path], want) {
			t.Errorf("%s: %s is %s, want %s", c.name, c.path, shown(got[c.path]), c.want)
		}
		rest := parse(t, brisk)
		for name, v := range got {
			if name != c.path && rest[name] != nil && !reflect.DeepEqual(v, rest[name]) &&
				!strings.Contains(c.ops, name) {
				t.Errorf("%s: %s became %s too", c.name, name, shown(v))
			}
		}
	}
}

func TestPatchMembers(t *testing.T) {
	for ops, want := range map[string]string{
		`{"op":"add","path":"members","value":[{"value":"c"},{"value":"a"}]}`:                          "a b g c",
		`{"op":"add","value":{"members":[{"value":"c"}]}}`:                                             "a b g c",
		`{"op":"remove","path":"members[value eq \"b\"]"}`:                                             "a g",
		`{"op":"remove","path":"members[value eq \"nobody\"]"}`:                                        "a b g",
		`{"op":"remove","path":"members[value eq \"a\" or type eq \"Group\"]"}`:                        "b",
		`{"op":"remove","path":"members","value":[{"value":"a"},{"value":"g"}]}`:                       "b",
		`{"op":"remove","path":"members"}`:                                                             "",
		`{"op":"replace","path":"members","value":[{"value":"c"}]}`:                                    "c",
		`{"op":"replace","path":"members","value":[]}`:                                                 "",
		`{"op":"replace","value":{"displayName":"Crew 2","members":[{"value":"c"},{"value":"d"}]}}`:    "c d",
		`{"op":"add","path":"members","value":"c"}`:                                                    "a b g c",
		`{"op":"remove","path":"members[value eq \"a\"]"},{"op":"add","path":"members","value":["a"]}`: "b g a",
	} {
		got, err := Groups.Patch(parse(t, crew), []byte(`{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[`+ops+`]}`))
		if err != nil {
			t.Errorf("%s: %v", ops, err)
			continue
		}
		var ids []string
		for _, m := range each(got["members"]) {
			ids = append(ids, textOf(m, "value"))
		}
		if list := strings.Join(ids, " "); list != want {
			t.Errorf("%s leaves %q, want %q", ops, list, want)
		}
	}
}

func TestPatchErrors(t *testing.T) {
	for ops, want := range map[string][2]string{
		`{"op":"move","path":"title"}`: {"invalidSyntax",
			"add, replace or remove"},
		`{"op":"remove"}`: {"noTarget",
			"must name"},
		`{"op":"add","value":"x"}`: {"invalidValue",
			"an object"},
		`{"op":"add","path":"ghost","value":"x"}`: {"invalidPath",
			"ghost"},
		`{"op":"add","path":"emails[type eq","value":"x"}`: {"invalidPath",
			"character"},
		`{"op":"replace","path":"userName[value eq \"x\"]","value":"x"}`: {"invalidPath",
			"no parts"},
		`{"op":"replace","path":"name[familyName eq \"Brisk\"]","value":{}}`: {"invalidPath",
			"one value only"},
		`{"op":"replace","path":"emails[type eq \"fax\"].value","value":"x"}`: {"noTarget",
			"emails"},
		`{"op":"add","path":"emails[type ne \"work\" and type ne \"home\"]","value":{"value":"x"}}`: {"noTarget",
			"emails"},
		`{"op":"remove","path":"emails[type eq \"fax\"]"}`: {"noTarget",
			"emails"},
		`{"op":"remove","path":"userName"}`: {"mutability",
			"required"},
		`{"op":"replace","path":"userName","value":null}`: {"mutability",
			"required"},
		`{"op":"replace","path":"userName","value":"  "}`: {"invalidValue",
			"userName"},
		`{"op":"replace","path":"id","value":"x"}`: {"mutability",
			"not the directory's"},
		`{"op":"add","path":"groups","value":[{"value":"x"}]}`: {"mutability",
			"not the directory's"},
		`{"op":"replace","path":"meta.version","value":"x"}`: {"mutability",
			"not the directory's"},
		`{"op":"replace","path":"active","value":"perhaps"}`: {"invalidValue",
			"true or false"},
		`{"op":"replace","path":"title","value":{"a":1}}`: {"invalidValue",
			"a text"},
		`{"op":"replace","path":"name","value":"Aino"}`: {"invalidValue",
			"an object"},
		`{"op":"add","path":"emails","value":[{"value":"a","primary":true},{"value":"b","primary":true}]}`: {"invalidValue",
			"primary"},
		`{"op":"add","path":"title"}`:     {"invalidValue", "value: is missing"},
		`{"op":"replace","path":"title"}`: {"invalidValue", "value: is missing"},
		`{"op":"replace"}`:                {"invalidValue", "value: is missing"},
		``:                                {"invalidValue", "at least one"},
	} {
		before := parse(t, brisk)
		_, err := Users.Patch(before, []byte(`{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[`+ops+`]}`))
		var e *Error
		if !errors.As(err, &e) || e.Type != want[0] || !strings.Contains(e.Detail, want[1]) || e.Status != 400 {
			t.Errorf("%s: %#v, want %v", ops, err, want)
		}
		if !reflect.DeepEqual(before, parse(t, brisk)) {
			t.Errorf("%s changes what it was given", ops)
		}
	}
	for _, text := range []string{``, `[]`, `{"Operations":1}`,
		`{"schemas":["urn:x"],"Operations":[{"op":"add","path":"title","value":"x"}]}`, `{"Operations":[]} {}`} {
		var e *Error
		if _, err := Users.Patch(parse(t, brisk), []byte(text)); !errors.As(err, &e) || e.Status != 400 {
			t.Errorf("%s: %v", text, err)
		}
	}
}

// FuzzPatch looks for patches that break the reader, or that leave something that cannot be read back.
func FuzzPatch(f *testing.F) {
	for _, s := range [][2]string{{"emails[type eq \"work\"].value", `"x"`}, {"name", `{"familyName":"x"}`},
		{"", `{"title":"x","name.givenName":null}`},
		{"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:manager", `"x"`}, {"members[value eq \"a\"]", `[]`}} {
		f.Add("add", s[0], s[1])
		f.Add("replace", s[0], s[1])
		f.Add("remove", s[0], s[1])
	}
	f.Fuzz(func(t *testing.T, op, path, value string) {
		if !json.Valid([]byte(value)) {
			return
		}
		data, err := json.Marshal(
			map[string]any{
				"Operations": []any{map[string]any{"op": op, "path": path, "value": json.RawMessage(value)}},
			},
		)
		if err != nil {
			return
		}
		for kind, text := range map[*Type]string{Users: brisk, Groups: crew} {
			before := parse(t, text)
			got, err := kind.Patch(before, data)
			if !reflect.DeepEqual(before, parse(t, text)) {
				t.Fatalf("%s changes what it was given", data)
			}
			if err != nil {
				continue
			}
			again, err := json.Marshal(got)
			if err != nil {
				t.Fatal(err)
			}
			if _, err := kind.Read(again); err != nil {
				t.Fatalf("%s leaves %s, which cannot be read: %v", data, again, err)
			}
		}
	})
}

package modelfile_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
	"fachwerk/internal/exchange/modelfile"
)

var day = time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)

func write(t testing.TB, d *model.Design) string {
	t.Helper()
	var b bytes.Buffer
	if err := modelfile.Write(&b, d, nil); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func read(t testing.TB, text string) (*model.Design, []model.Problem) {
	t.Helper()
	d, problems, err := modelfile.Read(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	return d, problems
}

func TestWritingThenReadingGivesTheSame(t *testing.T) {
	d, err := demo.Design(day)
	if err != nil {
		t.Fatal(err)
	}
	text := write(t, d)
	again, problems := read(t, text)
	if again == nil {
		t.Fatalf("what was written is refused: %v", problems)
	}
	if second := write(t, again); second != text {
		t.Error("written again, the file differs")
	}
	if len(again.Users) != len(d.Users) || len(again.Assignments) != len(d.Assignments) {
		t.Errorf(
			"%d people and %d assignments became %d and %d",
			len(d.Users),
			len(d.Assignments),
			len(again.Users),
			len(again.Assignments),
		)
	}
}

func TestTheWrittenFormIsCanonical(t *testing.T) {
	given := "\ufeff" + `{
		"users": [{"displayName": "B", "id": "b", "userName": "b", "licences": ["y", "x"], "state": "active", "source": "local", "area": "top", "from": "2026-01-01T01:00:00+01:00"}, {"id": "a", "userName": "a", "displayName": "A & <B>"}],
		"licences": [{"name": "Y", "id": "y"}, {"name": "X", "id": "x", "seats": 0}],
		"areas": [{"id": "top", "name": "Top"}],
		"groups": [{"id": "g", "name": "G", "listed": false, "kind": "static", "users": ["b", "a"]}, {"id": "h", "name": "H", "listed": true}],
		"assignments": [{"id": "1", "subject": {"group": "everyone"}, "set": "fachwerk-auditor", "area": "top", "reach": "area", "mode": "full", "contact": false}],
		"conflicts": [{"id": "c", "name": "C", "items": [], "limit": 1, "where": "same-area"}],
		"name": "N", "format": "fachwerk-model/1"}`
	want := `{
  "format": "fachwerk-model/1",
  "name": "N",
  "licences": [
    {
      "id": "x",
      "name": "X",
      "seats": 0
    },
    {
      "id": "y",
      "name": "Y"
    }
  ],
  "areas": [
    {
      "id": "top",
      "name": "Top"
    }
  ],
  "groups": [
    {
      "id": "g",
      "name": "G",
      "listed": false,
      "users": [
        "a",
        "b"
      ]
    },
    {
      "id": "h",
      "name": "H"
    }
  ],
  "users": [
    {
      "id": "a",
      "userName": "a",
      "displayName": "A & <B>"
    },
    {
      "id": "b",
      "userName": "b",
      "displayName": "B",
      "licences": [
        "x",
        "y"
      ],
      "from": "2026-01-01T00:00:00Z"
    }
  ],
  "assignments": [
    {
      "id": "1",
      "subject": {
        "group": "everyone"
      },
      "set": "fachwerk-auditor"
    }
  ],
  "conflicts": [
    {
      "id": "c",
      "name": "C",
      "items": []
    }
  ]
}
`
	d, problems := read(t, given)
	if d == nil {
		t.Fatal(problems)
	}
	if got := write(t, d); got != want {
		t.Errorf("the file is written as\n%s\nwant\n%s", got, want)
	}
}

func TestASmallFileStaysSmall(t *testing.T) {
	d, problems := read(t, `{"format": "fachwerk-model/1", "name": "Small"}`)
	if d == nil || len(problems) > 0 {
		t.Fatal(problems)
	}
	if got := write(t, d); got != "{\n  \"format\": \"fachwerk-model/1\",\n  \"name\": \"Small\"\n}\n" {
		t.Errorf("it is written as %s", got)
	}
	if d.Root() != model.ImplicitRoot {
		t.Errorf("its root is %q", d.Root())
	}
}

// TestEveryErrorIsNamedByItsPath gives one broken file for each rule; every problem is at its place, and nothing
// else is wrong.
func TestEveryErrorIsNamedByItsPath(t *testing.T) {
	for _, c := range []struct {
		body string // what follows the name
		want []string
	}{
		{`"colour": 1`, []string{"colour: there is no such field"}},
		{`"users": [{"id": "a", "userName": "a", "displayName": "A", "age": 3}]`,
			[]string{"users[0].age: there is no such field"}},
		{`"users": [{"id": "a"}]`, []string{"users[0].userName: is missing", "users[0].displayName: is missing"}},
		{`"users": [{"id": 5, "userName": "a", "displayName": null}]`,
			[]string{"users[0].id: expected a text, not a number", "users[0].displayName: expected a text, not null"}},
		{`"users": [7]`, []string{"users[0]: expected an object, not a number"}},
		{`"users": {}`, []string{"users: expected a list, not an object"}},
		{`"users": [{"id": "A!", "userName": "a", "displayName": "A"}]`, []string{"users[0].id: expected an id"}},
		{`"users": [{"id": "a", "userName": "x", "displayName": "A"}, {"id": "a", "userName": "X", "displayName": "A"}]`,
			[]string{"users[1].id: \"a\" is the id of users[0] already",
				"users[1].userName: \"X\" is the userName of “A” already"}},
		{`"users": [{"id": "a", "userName": "a", "displayName": "A", "manager": "b"}, {"id": "b", "userName": "b", "displayName": "B", "manager": "a"}]`, []string{"users[1].manager: closes a cycle of managers"}},
		{`"users": [{"id": "a", "userName": "a", "displayName": "A", "state": "gone", "area": "x", "licences": ["l"], "from": "today"}]`,
			[]string{"users[0].from: expected an instant", "users[0].area: expected the id of an area",
				"users[0].licences[0]: expected the id of a licence", "users[0].state: expected one of"}},
		{`"users": [{"id": "a", "userName": "a", "displayName": "A", "externalId": "7"}, {"id": "b", "userName": "b", "displayName": "B", "externalId": "7"}]`, []string{"users[1].externalId: \"7\" is the externalId of “A” already"}},
		{`"areas": [{"id": "a", "name": "A"}, {"id": "b", "name": "B"}]`,
			[]string{"areas[1].parent: only one area may be without a parent"}},
		{`"areas": [{"id": "a", "name": "A", "parent": "b"}, {"id": "b", "name": "B", "parent": "a"}]`,
			[]string{"areas: expected exactly one area without a parent",
				"areas[1].parent: closes a cycle of areas: a → b → a"}},
		{`"licences": [{"id": "l", "name": "L", "seats": 1.5}, {"id": "m", "name": " ", "seats": -1, "covers": ["z"]}]`,
			[]string{"licences[0].seats: expected a whole number, not 1.5",
				"licences[1].name: expected a text that is not empty", "licences[1].seats: expected a whole number of 0 or more",
				"licences[1].covers[0]: expected the id of a licence"}},
		{`"systems": [{"id": "fachwerk", "name": "F", "permissions": []}]`,
			[]string{"systems[0].id: \"fachwerk\" is built in"}},
		{`"systems": [{"id": "s", "name": "S", "permissions": [{"key": "s:a:view", "implies": ["s:a:edit"]}, {"key": "s:a:edit", "class": "write", "implies": ["s:a:view"]}, {"key": "t:a:view"}, {"key": "s:a"}, {"key": "s:a:view", "risk": 4, "class": "big", "span": "wide"}]}]`,
			[]string{"systems[0].permissions[0].implies[0]: a read permission may imply only read permissions",
				"systems[0].permissions[2].key: expected a key that begins with the system's id",
				"systems[0].permissions[3].key: expected a key of the form",
				"systems[0].permissions[4].key: \"s:a:view\" is the key of permissions[0]",
				"systems[0].permissions[4].class: expected one of", "systems[0].permissions[4].span: expected one of",
				"systems[0].permissions[4].risk: expected 0",
				"systems[0].permissions[1].implies: closes a cycle of implied permissions"}},
		{`"systems": [{"id": "s", "name": "S", "permissions": [{"key": "s:a:view"}, {"key": "s:b:view", "span": "organisation"}, {"key": "s:a:edit", "implies": ["s:b:view"]}, {"key": "s:c:x", "implies": ["fachwerk:design:view"]}]}]`,
			[]string{"systems[0].permissions[2].implies[0]: a permission of span area may imply only",
				"systems[0].permissions[3].implies[0]: expected a permission of the same system"}},
		{`"sets": [{"id": "fachwerk-mine", "name": "M", "permissions": []}, {"id": "s", "name": "S", "system": "x", "copyOf": {"set": "y"}, "owner": "z", "permissions": ["no:such:key"]}]`,
			[]string{"sets[0].id: ids of sets that begin with", "sets[1].system: expected the id of a system",
				"sets[1].copyOf.set: expected the id of a set", "sets[1].owner: expected the id of a user"}},
		{`"roles": [{"id": "r", "name": "R", "sets": ["x"], "inherits": ["q"]}, {"id": "q", "name": "Q", "inherits": ["r"]}]`, []string{"roles[0].sets[0]: expected the id of a set", "roles[1].inherits: closes a cycle of inherited roles: r → q → r"}},
		{`"roles": [{"id": "r", "name": "R", "inherits": ["r"], "protected": "yes"}]`,
			[]string{"roles[0].protected: expected true or false, not a text",
				"roles[0].inherits: closes a cycle of inherited roles: r → r"}},
		{`"groups": [{"id": "everyone", "name": "E"}, {"id": "g", "name": "G", "kind": "rule"}, {"id": "h", "name": "H", "kind": "rule", "rule": "title is 3", "users": []}, {"id": "i", "name": "I", "rule": "title pr"}, {"id": "j", "name": "J", "groups": ["public"]}]`,
			[]string{"groups[0].id: \"everyone\" is built in", "groups[1].rule: expected the filter",
				"groups[2].rule: at character 7: expected an operator", "groups[3].rule: a static group has no rule",
				"groups[4].groups[0]: expected the id of a group"}},
		{`"groups": [{"id": "g", "name": "G", "groups": ["h"]}, {"id": "h", "name": "H", "groups": ["g"]}]`,
			[]string{"groups[1].groups: closes a cycle of nested groups: g → h → g"}},
		{`"areas": [{"id": "t", "name": "T"}, {"id": "n", "name": "N", "parent": "t"}], "groups": [{"id": "g", "name": "G", "area": "n"}], "assignments": [{"id": "a", "subject": {"group": "g"}, "set": "fachwerk-owner"}]`,
			[]string{"assignments[0].area: the group \"g\" has the home area \"n\""}},
		{`"assignments": [{"id": "a", "subject": {}, "role": "r", "set": "s"}, {"id": "b", "subject": {"user": "u", "group": "g"}}, {"id": "c", "subject": {"group": "everyone"}, "set": "fachwerk-owner", "reach": "far", "mode": "some"}]`,
			[]string{"assignments[0].subject: expected either a user or a group",
				"assignments[0]: expected either a role or a set", "assignments[0].role: expected the id of a role",
				"assignments[0].set: expected the id of a set",
				"assignments[1].subject: expected either", "assignments[1]: expected a role or a set",
				"assignments[2].reach: expected one of", "assignments[2].mode: expected one of"}},
		{`"conflicts": [{"id": "c", "name": "C", "items": [{}, {"role": "r"}], "limit": 0, "exceptions": [{"user": "u", "until": "2026-01-01T00:00:00Z", "reason": ""}]}]`,
			[]string{"conflicts[0].limit: expected a whole number of 1 or more",
				"conflicts[0].items[0]: expected either a permission or a role",
				"conflicts[0].items[1].role: expected the id of a role",
				"conflicts[0].exceptions[0].user: expected the id of a user",
				"conflicts[0].exceptions[0].reason: expected a text"}},
		{`"delegations": [{"id": "d", "name": "D", "delegate": {"group": "everyone"}, "people": {"area": "root", "filter": "x"}, "actions": ["fly"], "maxDays": 0}]`,
			[]string{"delegations[0].delegate.group: expected the id of a group", "delegations[0].people: expected exactly one",
				"delegations[0].people.filter: at character", "delegations[0].actions[0]: expected one of",
				"delegations[0].maxDays: expected a whole number of days"}},
	} {
		d, problems := read(t, `{"format": "fachwerk-model/1", "name": "N", `+c.body+`}`)
		if d != nil {
			t.Errorf("%s is accepted", c.body)
		}
		errs := model.Errors(problems)
		for _, want := range c.want {
			if !slices.ContainsFunc(errs, func(p model.Problem) bool { return strings.HasPrefix(p.String(), want) }) {
				t.Errorf("%s\nlacks the error %q; it has %v", c.body, want, errs)
			}
		}
		if len(errs) != len(c.want) {
			t.Errorf("%s\nhas %d errors, want %d: %v", c.body, len(errs), len(c.want), errs)
		}
	}
}

func TestBrokenDocuments(t *testing.T) {
	for text, want := range map[string]string{
		``:                                   "document: this is not valid JSON",
		`[]`:                                 "document: expected an object, not a list",
		`{"format": "fachwerk-model/1"`:      "not valid JSON",
		`{"format": "other/2", "name": "N"}`: "format: expected \"fachwerk-model/1\", not \"other/2\"",
		`{"name": "N"}`:                      "format: is missing",
		`{"format": "fachwerk-model/1"}`:     "name: is missing",
		`{"format": "fachwerk-model/1", "name": "N"} {}`:           "expected the end of the document",
		`{"format": "fachwerk-model/1", "name": "N", "name": "M"}`: "not valid JSON",
		"{\"format\": \"fachwerk-model/1\", \"name\": \"\xff\"}":   "not valid JSON",
	} {
		d, problems := read(t, text)
		if d != nil || len(problems) == 0 ||
			!slices.ContainsFunc(problems, func(p model.Problem) bool { return strings.Contains(p.String(), want) }) {
			t.Errorf("%s: %v, want something with %q", text, problems, want)
		}
	}
}

func TestDanglingKeysAreWarnings(t *testing.T) {
	d, problems := read(
		t,
		`{"format": "fachwerk-model/1", "name": "N", "systems": [{"id": "s", "name": "S", "permissions": [{"key": "s:a:view", "implies": ["s:gone:view"]}]}],
		"sets": [{"id": "x", "name": "X", "permissions": ["s:gone:view", "nonsense"]}], "roles": [{"id": "r", "name": "R", "permissions": ["a:b:c"], "excludes": ["a:b:d"]}],
		"conflicts": [{"id": "c", "name": "C", "items": [{"permission": "a:b:e"}]}]}`,
	)
	if d == nil {
		t.Fatal(problems)
	}
	var paths []string
	for _, p := range problems {
		if !p.Warning || !strings.Contains(p.String(), "dangling") {
			t.Errorf("%v is no warning of a dangling key", p)
		}
		paths = append(paths, p.Path)
	}
	want := []string{
		"systems[0].permissions[0].implies[0]",
		"sets[0].permissions[0]",
		"sets[0].permissions[1]",
		"roles[0].permissions[0]",
		"roles[0].excludes[0]",
		"conflicts[0].items[0].permission",
	}
	if !slices.Equal(paths, want) {
		t.Errorf("warnings are at %v, want %v", paths, want)
	}
	if text := write(t, d); !strings.Contains(text, "s:gone:view") || !strings.Contains(text, "nonsense") {
		t.Error("a dangling key is not kept")
	}
}

// FuzzRead looks for documents that break the reader, and for ones that it accepts but does not write back to the same.
func FuzzRead(f *testing.F) {
	f.Add(
		`{"format": "fachwerk-model/1", "name": "N", "areas": [{"id": "t", "name": "T"}], "users": [{"id": "a", "userName": "a", "displayName": "A", "qualifications": [{"type": "x", "level": 1e2}], "lastUse": {"fachwerk": "2026-01-01T00:00:00Z"}}]}`,
	)
	f.Add(
		`{"format": "fachwerk-model/1", "name": "N", "delegations": [{"id": "d", "name": "D", "delegate": {"user": "a"}, "people": {"filter": "title pr"}, "actions": ["edit"], "maxDays": 3}], "conflicts": [{"id": "c", "name": "C", "items": [{"role": "r"}], "limit": 2}]}`,
	)
	f.Add(
		`{"format": "fachwerk-model/1", "name": "N", "roles": [{"id": "r", "name": "R", "inherits": ["r"]}], "groups": [{"id": "g", "name": "G", "kind": "rule", "rule": "(("}]}`,
	)
	f.Fuzz(func(t *testing.T, text string) {
		d, problems, err := modelfile.Read(strings.NewReader(text))
		if err != nil {
			t.Fatalf("reading a text fails: %v", err)
		}
		if d == nil {
			if len(model.Errors(problems)) == 0 {
				t.Fatal("it is refused without an error")
			}
			return
		}
		first := write(t, d)
		if !json.Valid([]byte(first)) {
			t.Fatalf("what is written is no JSON: %s", first)
		}
		again, problems, err := modelfile.Read(strings.NewReader(first))
		if err != nil || again == nil {
			t.Fatalf("what was written is refused: %v %v\n%s", problems, err, first)
		}
		if second := write(t, again); second != first {
			t.Fatalf("written again it differs:\n%s\n%s", first, second)
		}
	})
}

func BenchmarkRead(b *testing.B) {
	d, err := demo.Design(day)
	if err != nil {
		b.Fatal(err)
	}
	text := write(b, d)
	b.SetBytes(int64(len(text)))
	b.ReportAllocs()
	for b.Loop() {
		if d, _, err := modelfile.Read(strings.NewReader(text)); d == nil || err != nil {
			b.Fatal(err)
		}
	}
}

// A long list is read in parts, side by side; what is wrong in it is told in its order, by its place in the whole, and
// what repeats is the same.
func TestALongListIsReadInItsOrder(t *testing.T) {
	const many = 20_000
	var b strings.Builder
	b.WriteString(`{"format": "fachwerk-model/1", "name": "Many", "users": [`)
	wrong := map[int]string{
		7: `"title": 5`, 6_000: `"colour": "red"`, 13_333: `"manager": "nobody"`, many - 1: `"from": "soon"`,
	}
	for i := range many {
		if i > 0 {
			b.WriteString(",\n")
		}
		fmt.Fprintf(&b, `{"id": "p%d", "userName": "p%d", "displayName": "Person \u00e9 %d", "department": "Same"`, i, i, i)
		if w := wrong[i]; w != "" {
			b.WriteString(", " + w)
		}
		b.WriteString("}")
	}
	text := b.String() + "]}"
	_, problems, err := modelfile.Read(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, p := range problems {
		got = append(got, p.Path)
	}
	want := []string{"users[7].title", "users[6000].colour", "users[19999].from", "users[13333].manager"}
	if !slices.Equal(got, want) {
		t.Errorf("what is wrong is at %v, want %v", got, want)
	}
	for _, w := range wrong {
		text = strings.Replace(text, ", "+w, "", 1)
	}
	d, problems, err := modelfile.Read(strings.NewReader(text))
	if err != nil || d == nil {
		t.Fatal(problems, err)
	}
	if len(d.Users) != many {
		t.Fatalf("%d people are read, want %d", len(d.Users), many)
	}
	for _, i := range []int{0, 7, 6_000, many - 1} {
		u, ok := d.Users.Find(fmt.Sprint("p", i))
		if !ok || u.DisplayName != fmt.Sprint("Person é ", i) || u.Department != "Same" {
			t.Errorf("person %d is read as %+v", i, u)
		}
	}
	// A list that breaks off tells where, and nothing of what would only look missing.
	_, problems, err = modelfile.Read(strings.NewReader(text[:len(text)/2]))
	if err != nil || len(problems) != 1 || !strings.Contains(problems[0].Message, "not valid JSON") {
		t.Errorf("half of it gives %v (%v)", problems, err)
	}
}

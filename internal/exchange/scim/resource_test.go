package scim

import (
	"encoding/json"
	"errors"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
)

func TestRead(t *testing.T) {
	r, err := Users.Read(
		[]byte(
			`{"SCHEMAS":["urn:ietf:params:scim:schemas:core:2.0:User"],"USERNAME":"a.b","id":"x","meta":{"version":"1"},"groups":[{"value":"g"}],"ghost":{"a":1},"title":"","nickName":null,"emails":"a@b.example","phoneNumbers":[{"value":"1","ghost":2},{"value":"1"}],
		"name":{"GIVENNAME":"A","ghost":"x"},"active":"TRUE","urn:ietf:params:scim:schemas:extension:enterprise:2.0:user":{"manager":"m","department":"D","ghost":1}}`,
		),
	)
	if err != nil {
		t.Fatal(err)
	}
	want := parse(
		t,
		`{"userName":"a.b","emails":[{"value":"a@b.example"}],"phoneNumbers":[{"value":"1"}],"name":{"givenName":"A"},"active":true,"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"manager":{"value":"m"},"department":"D"}}`,
	)
	if !reflect.DeepEqual(map[string]any(r), want) {
		t.Errorf("read as %s", shown(map[string]any(r)))
	}
	for text, says := range map[string]string{
		`{`: "JSON", `[]`: "JSON", `{} x`: "JSON", `{}`: "schemas", `{"userName":" "}`: "userName",
		`{"userName":5}`: "a text", `{"userName":"a","active":3}`: "true or false", `{"userName":"a","name":[]}`: "an object",
		`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"userName":"a"}`:            "schemas",
		`{"userName":"a","emails":[3]}`:                                                         "emails[0]",
		`{"userName":"a","emails":[{"value":{}}]}`:                                              "emails[0].value",
		`{"userName":"a","urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":"x"}`:     "an object",
		`{"userName":"a","emails":[{"value":"a","primary":true},{"value":"b","primary":true}]}`: "only one",
	} {
		var e *Error
		if _, err := Users.Read(claiming(Users, text)); !errors.As(err, &e) || e.Status != 400 ||
			!strings.Contains(e.Detail, says) {
			t.Errorf("%s: %v, want something about %q", text, err, says)
		}
	}
}

func TestChoose(t *testing.T) {
	r := Resource(parse(t, brisk))
	for _, c := range []struct{ only, without, want string }{
		{"", "", `{"schemas":0,"id":0,"userName":0,"name":0,"active":0,"emails":0,"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":0}`},
		{"userName", "", `{"schemas":0,"id":0,"userName":0}`},
		{"USERNAME,ghost", "", `{"schemas":0,"id":0,"userName":0}`},
		{"name.familyName", "", `{"schemas":0,"id":0,"name":{"familyName":"Brisk"}}`},
		{"name.familyName,name.givenName", "", `{"schemas":0,"id":0,"name":{"familyName":"Brisk","givenName":"Aino"}}`},
		{"emails.value", "", `{"schemas":0,"id":0,"emails":[{"value":"aino@work.example"},{"value":"aino@home.example"}]}`},
		{"urn:ietf:params:scim:schemas:core:2.0:User:userName,urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:department", "", `{"schemas":0,"id":0,"userName":0,"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"department":"Gates"}}`},
		{"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User", "",
			`{"schemas":0,"id":0,"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":0}`},
		{"", "emails,urn:ietf:params:scim:schemas:extension:enterprise:2.0:User",
			`{"schemas":0,"id":0,"userName":0,"name":0,"active":0}`},
		{"", "id,schemas,name.givenName,emails,active",
			`{"schemas":0,"id":0,"userName":0,"name":{"familyName":"Brisk"},"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":0}`},
	} {
		split := func(s string) []string { return strings.FieldsFunc(s, func(r rune) bool { return r == ',' }) }
		got := Users.Choose(r, Choice{split(c.only), split(c.without)})
		want := parse(t, c.want)
		for name, v := range want {
			if v == 0.0 { // as it is
				want[name] = r[name]
			}
		}
		if !reflect.DeepEqual(map[string]any(got), want) {
			t.Errorf("only %q, without %q: %s, want %s", c.only, c.without, shown(map[string]any(got)), shown(want))
		}
		if !reflect.DeepEqual(map[string]any(r), parse(t, brisk)) {
			t.Fatal("what is chosen from is changed")
		}
	}
	for _, c := range []struct {
		choice Choice
		want   bool
	}{{Choice{}, true}, {Choice{Only: []string{"userName"}}, false}, {Choice{Only: []string{"groups.value"}}, true},
		{Choice{Without: []string{"Groups"}}, false}, {Choice{Without: []string{"groups.display"}}, true},
		{Choice{Only: []string{CoreUser + ":groups"}}, true}} {
		if got := c.choice.Wants("groups"); got != c.want {
			t.Errorf("%+v wants groups: %v", c.choice, got)
		}
	}
}

func TestSort(t *testing.T) {
	people := []Resource{
		parse(
			t,
			`{"id":"a","userName":"Zed","name":{"familyName":"Ash"},"emails":[{"value":"m@x"},{"value":"a@x","primary":true}]}`,
		),
		parse(t, `{"id":"b","userName":"amy","emails":[{"value":"b@x"}]}`),
		parse(t, `{"id":"c","userName":"Bo","name":{"familyName":"aspen"}}`),
	}
	for by, want := range map[string]string{"userName": "bca", "-userName": "acb", "name.familyName": "acb",
		"-name.familyName": "bca", "emails": "abc", "emails.value": "abc", "id": "abc",
		"urn:ietf:params:scim:schemas:core:2.0:User:id": "abc", "-id": "cba"} {
		name, down := strings.CutPrefix(by, "-")
		compare, err := Users.Sorter(name, down)
		if err != nil {
			t.Errorf("%s: %v", by, err)
			continue
		}
		list := slices.Clone(people)
		slices.SortStableFunc(list, compare)
		got := ""
		for _, r := range list {
			got += r["id"].(string)
		}
		if got != want {
			t.Errorf("by %s: %s, want %s", by, got, want)
		}
	}
	for _, by := range []string{"ghost", "name", "emails[type eq \"work\"]", ""} {
		if _, err := Users.Sorter(by, false); err == nil {
			t.Errorf("%q can be sorted by", by)
		}
	}
}

// What a directory sends is what it gets back, and what becomes of a person when it is sent again as it was read is
// the same.
func TestPeopleComeAndGo(t *testing.T) {
	for _, text := range []string{
		`{"userName":"a","active":true}`,
		`{"userName":"a","externalId":"1","displayName":"A B","active":false,"title":"T","userType":"staff"}`,
		`{"userName":"a","name":{"givenName":"Aino","familyName":"Brisk"},"emails":[{"value":"x@y.example","type":"home"},{"value":"w@y.example","type":"work","primary":true}],"phoneNumbers":[{"value":"+1","type":"mobile"}],"locale":"sv"}`,
		`{"userName":"a","name":{"formatted":"Dr. A"},"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"employeeNumber":"7","department":"D","manager":{"value":"m"}}}`,
		`{"userName":"a","nickName":"Ace","addresses":[{"locality":"Skerryhaven","primary":true}]}`,
	} {
		sent, err := Users.Read(claiming(Users, text))
		if err != nil {
			t.Fatal(err)
		}
		u, extra := ToUser(sent, &model.User{})
		u.ID = "a"
		again := ReadExtra(extra.Bytes())
		back := FromUser(u, again, false)
		for name, v := range sent {
			if !reflect.DeepEqual(back[name], v) {
				t.Errorf("%s: %s comes back as %s", text, name, shown(back[name]))
			}
		}
		u2, extra2 := ToUser(back, u)
		if !reflect.DeepEqual(u, u2) || string(extra.Bytes()) != string(extra2.Bytes()) {
			t.Errorf("%s: sent again it becomes %+v %s, was %+v %s", text, u2, extra2.Bytes(), u, extra.Bytes())
		}
		if data, err := json.Marshal(FromUser(u, again, true)); err != nil ||
			!strings.Contains(string(data), `"displayName"`) ||
			!strings.Contains(string(data), `"formatted"`) {
			t.Errorf("%s: shown as %s, %v", text, data, err)
		}
	}
	name := func(text string) string {
		r, err := Users.Read(claiming(Users, text))
		if err != nil {
			t.Fatal(err)
		}
		u, _ := ToUser(r, &model.User{})
		return u.DisplayName
	}
	for text, want := range map[string]string{`{"userName":"a","displayName":"D","name":{"formatted":"F"}}`: "D",
		`{"userName":"a","name":{"formatted":"F","givenName":"G"}}`:  "F",
		`{"userName":"a","name":{"givenName":"G","familyName":"H"}}`: "G H", `{"userName":"a","nickName":"N"}`: "N",
		`{"userName":"a"}`: "a"} {
		if got := name(text); got != want {
			t.Errorf("%s is called %q, want %q", text, got, want)
		}
	}
}

// What a design says of a person and a directory does not know stays; a lock is not undone by a directory.
func TestWhatADirectoryDoesNotTouch(t *testing.T) {
	until := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)
	was := &model.User{
		ID:             "a",
		UserName:       "a",
		DisplayName:    "A",
		Area:           "t1",
		Licences:       []string{"l"},
		Until:          until,
		Qualifications: []model.Qualification{{Type: "crane"}},
		State:          model.UserLocked,
		Source:         model.Local,
	}
	r, err := Users.Read(claiming(Users, `{"userName":"a2","active":true}`))
	if err != nil {
		t.Fatal(err)
	}
	u, _ := ToUser(r, was)
	if u.Area != "t1" || len(u.Licences) != 1 || !u.Until.Equal(until) || len(u.Qualifications) != 1 ||
		u.State != model.UserLocked ||
		u.Source != model.Directory ||
		u.UserName != "a2" ||
		was.UserName != "a" {
		t.Errorf("it becomes %+v", u)
	}
	for _, c := range []struct {
		was  model.UserState
		sent string
		want model.UserState
	}{
		{model.UserActive, `"active":false`, model.UserDeactivated},
		{model.UserLocked, `"active":false`, model.UserDeactivated},
		{model.UserDeactivated, `"active":true`, model.UserActive}, {model.UserInvited, `"active":true`, model.UserActive},
		{model.UserDeactivated, `"title":"x"`, model.UserDeactivated}, {model.UserActive, `"title":"x"`, model.UserActive},
		{model.UserInvited, `"title":"x"`, model.UserInvited},
	} {
		r, err := Users.Read(claiming(Users, `{"userName":"a",`+c.sent+`}`))
		if err != nil {
			t.Fatal(err)
		}
		was.State = c.was
		if u, _ := ToUser(r, was); u.State != c.want {
			t.Errorf("%s, told %s, becomes %s, want %s", c.was, c.sent, u.State, c.want)
		}
	}
}

func TestGroupsComeAndGo(t *testing.T) {
	known := func(id string) (bool, bool) { return id == "u" || id == "both", id == "g" || id == "both" }
	read := func(text string) Resource {
		r, err := Groups.Read(claiming(Groups, text))
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	g, err := ToGroup(
		read(
			`{"displayName":"Crew","externalId":"9","members":[{"value":"u"},{"value":"g"},{"value":"both"},{"value":"both","type":"Group"},{"value":"u","type":"User"}]}`,
		),
		&model.Group{ID: "crew", Area: "t1", Description: "why"},
		known,
	)
	if err != nil || g.Name != "Crew" || g.ExternalID != "9" || g.Area != "t1" || g.Description != "why" ||
		g.Source != model.Directory ||
		!slices.Equal(g.Users, []string{"both", "u"}) ||
		!slices.Equal(g.Groups, []string{"both", "g"}) {
		t.Errorf("it becomes %+v, %v", g, err)
	}
	if r := FromGroup(g, true); len(r["members"].([]any)) != 4 || r["id"] != "crew" {
		t.Errorf("it is shown as %v", r)
	}
	if r := FromGroup(g, false); r["members"] != nil {
		t.Errorf("its members are shown: %v", r)
	}
	for text, says := range map[string]string{`{"displayName":"x","members":[{"value":"nobody"}]}`: "members[0]: there is no user or group \"nobody\"", `{"displayName":"x","members":[{"value":"u"},{"value":"u","type":"Group"}]}`: "members[1]: there is no group", `{"displayName":"x","members":[{"type":"User"}]}`: "members[0]"} {
		if _, err := ToGroup(read(text), &model.Group{}, known); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want %q", text, err, says)
		}
	}
	rule := &model.Group{ID: "r", Name: "R", Type: model.Rule, Rule: "active eq true"}
	if _, err := ToGroup(read(`{"displayName":"R","members":[{"value":"u"}]}`), rule, known); err == nil ||
		!strings.Contains(err.Error(), "rule") {
		t.Errorf("the members of a rule are set: %v", err)
	}
	if g, err := ToGroup(read(`{"displayName":"R2"}`), rule, known); err != nil || g.Rule != rule.Rule ||
		g.Name != "R2" {
		t.Errorf("%+v %v", g, err)
	}
}

// claiming is what a directory sends, with the schema that it is of.
func claiming(t *Type, text string) []byte {
	if strings.Contains(text, `"schemas"`) || !strings.HasPrefix(text, `{"`) {
		return []byte(text)
	}
	return []byte(`{"schemas":["` + t.schema.ID + `"],` + text[1:])
}

func TestSchemasAreClaimed(t *testing.T) {
	var e *Error
	if _, err := Users.Read([]byte(`{"userName":"a"}`)); !errors.As(err, &e) || e.Status != 400 ||
		!strings.Contains(e.Detail, "schemas: is missing") {
		t.Errorf("without schemas: %v", err)
	}
}

package scim_test

import (
	"fmt"
	"net/url"
	"strings"
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/store"
)

const (
	core       = "urn:ietf:params:scim:schemas:core:2.0:User"
	enterprise = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
)

// crew is a directory with Ann, who reports to Bea, and a group of both.
func crew(t *testing.T) *directory {
	d := begin(t)
	mail := `"emails":[{"type":"work","value":"%@harbour.example","primary":true}]`
	d.do("POST", "/Users", user("bea", strings.ReplaceAll(mail, "%", "bea"))).is(201)
	d.do("POST", "/Users", user("ann", strings.ReplaceAll(mail, "%", "ann"), `"title":"Clerk"`,
		`"roles":[{"value":"first","primary":true},{"value":"second"}]`,
		`"`+enterprise+`":{"manager":{"value":"bea"}}`)).is(201)
	d.do("POST", "/Groups", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"Crew",`+
		`"members":[{"value":"ann"},{"value":"bea"}]}`).is(201, "id", "crew")
	return d
}

// Filters are taken as directories write them, beside how RFC 7644 has them.
func TestFiltersAsTheyAreSent(t *testing.T) {
	d := crew(t)
	for filter, found := range map[string]int{
		`emails[type eq "work"].value eq "ann@harbour.example"`: 1,
		`emails[type eq "home"].value eq "ann@harbour.example"`: 0,
		`roles[primary eq "True"].value eq "first"`:             1,
		`roles[primary eq "false"].value eq "first"`:            0,
		`title eq null`:    2, // Bea, and the owner, who is kept by hand
		`title ne null`:    1,
		`emails eq null`:   1,
		`roles eq null`:    2,
		`not (title pr)`:   2,
		`title eq "Clerk"`: 1,
		strings.ToUpper(core) + `:userName eq "ann"`:       1,
		strings.ToUpper(enterprise) + `:manager.value pr`:  1,
		`manager.value eq "bea" and title ne null`:         1,
		`userName eq "ann" and not (roles[value eq null])`: 1,
	} {
		d.do("GET", "/Users?filter="+url.QueryEscape(filter), "").is(200, "totalResults", found)
	}
	d.do("GET", "/Users?filter="+url.QueryEscape(`active eq "maybe"`), "").is(400, "scimType", "invalidFilter")
}

// A change may name what it is about without an operator, take a manager away by an empty one, and not what is fixed.
func TestPathsAsTheyAreSent(t *testing.T) {
	d := crew(t)
	d.do("PATCH", "/Users/ann", patch(`{"op":"replace","path":"emails[type eq \"work\"].value","value":"a@x.example"}`)).
		is(200, "emails/0/value", "a@x.example", "emails/0/primary", true)
	d.do("PATCH", "/Users/ann", patch(`{"op":"replace","path":"roles[primary eq \"True\"].value","value":"third"}`)).
		is(200, "roles/0/value", "third", "roles/1/value", "second")
	for _, none := range []string{`""`, `null`, `{"value":""}`, `{"Value":null}`} {
		manager := enterprise + ":manager"
		d.do("PATCH", "/Users/ann", patch(`{"op":"add","path":"`+manager+`","value":{"value":"bea"}}`)).
			is(200, enterprise+"/manager/value", "bea")
		d.do("PATCH", "/Users/ann", patch(`{"op":"replace","path":"`+manager+`","value":`+none+`}`)).
			is(200, enterprise+"/manager", nil)
	}
	d.do("PATCH", "/Groups/crew", patch(`{"op":"replace","path":"members[value eq \"ann\"].value","value":"bea"}`)).
		is(400, "scimType", "mutability")
	d.do("GET", "/Groups/crew", "").is(200, "members/0/value", "ann")
}

// A version is of all that the answer says: what others are called, and which groups somebody is in.
func TestVersionsAreOfTheWholeAnswer(t *testing.T) {
	d := crew(t)
	tag := func(path string) string { return d.do("GET", path, "").is(200).header.Get("ETag") }
	for _, c := range []struct{ what, of, at, does string }{
		{"the manager’s name", "/Users/ann", "/Users/bea", `{"op":"replace","path":"displayName","value":"Bea B"}`},
		{"a member’s name", "/Groups/crew", "/Users/bea", `{"op":"replace","path":"displayName","value":"Bea C"}`},
		{"the group’s name", "/Users/ann", "/Groups/crew", `{"op":"replace","path":"displayName","value":"Crew 2"}`},
		{"leaving the group", "/Users/ann", "/Groups/crew", `{"op":"remove","path":"members[value eq \"ann\"]"}`},
	} {
		was := tag(c.of)
		if again := tag(c.of); again != was {
			t.Errorf("%s: unchanged, the version is %s and then %s", c.what, was, again)
		}
		d.do("PATCH", c.at, patch(c.does)).is(200)
		if now := tag(c.of); now == was {
			t.Errorf("%s: the version of %s stays %s", c.what, c.of, was)
		}
		d.do("PATCH", c.of, patch(`{"op":"add","path":"externalId","value":"9"}`), "If-Match", was).is(412)
	}
}

// Whom a directory has deleted is nowhere any longer, and in nobody's way.
func TestTheDeletedAreNowhere(t *testing.T) {
	d := crew(t)
	d.do("DELETE", "/Users/bea", "").is(204)
	d.do("GET", "/Groups/crew", "").is(200, "members/0/value", "ann", "members/1", nil)
	d.do("GET", "/Users/ann", "").is(200, enterprise, nil, "schemas/1", nil)
	for _, filter := range []string{`members.value eq "bea"`, `members[value eq "bea"]`} {
		d.do("GET", "/Groups?filter="+url.QueryEscape(filter), "").is(200, "totalResults", 0)
	}
	d.do("GET", "/Users?filter="+url.QueryEscape(`manager.value eq "bea"`), "").is(200, "totalResults", 0)
	d.do("PATCH", "/Groups/crew", patch(`{"op":"replace","path":"displayName","value":"The crew"}`)).
		is(200, "displayName", "The crew", "members/0/value", "ann")
	d.do("PATCH", "/Groups/crew", patch(`{"op":"add","path":"members","value":[{"value":"bea"}]}`)).is(200, "members/1", nil)
}

func TestHeadAndAllow(t *testing.T) {
	d := crew(t)
	for _, path := range []string{"/Users", "/Users/ann", "/Groups/crew", "/Schemas", "/ServiceProviderConfig"} {
		if g := d.do("HEAD", path, ""); g.status != 200 || g.body != nil {
			t.Errorf("HEAD %s: %d %v", path, g.status, g.body)
		}
	}
	d.do("HEAD", "/Users/nobody", "").is(404)
	for path, allowed := range map[string]string{
		"/Users": "GET, HEAD, POST", "/Users/ann": "GET, HEAD, PUT, PATCH, DELETE", "/Bulk": "POST",
		"/ResourceTypes": "GET, HEAD",
	} {
		method := "DELETE"
		if strings.Contains(allowed, method) {
			method = "POST"
		}
		if g := d.do(method, path, "").is(405); g.header.Get("Allow") != allowed {
			t.Errorf("%s: allowed are %q, want %q", path, g.header.Get("Allow"), allowed)
		}
	}
	d.do("GET", "/Schemas/"+strings.ToUpper(core), "").is(200, "id", core)
}

// An error says what was expected, in words.
func TestErrorsNameNoTypes(t *testing.T) {
	d := crew(t)
	for _, c := range []struct{ method, path, body, says string }{
		{"POST", "/Users", `[]`, "expected an object, not a list"},
		{"PATCH", "/Users/ann", patch(`5`), "Operations: expected an object, not a number"},
		{"PATCH", "/Users/ann", patch(`{"op":true}`), "Operations.op: expected a text, not true or false"},
		{"POST", "/Users/.search", `{"count":"x"}`, "count: expected a whole number, not a text"},
		{"POST", "/Bulk", `{"Operations":"x"}`, "Operations: expected a list, not a text"},
	} {
		g := d.do(c.method, c.path, c.body).is(400, "scimType", "invalidSyntax")
		if says, _ := g.at("detail").(string); !strings.HasSuffix(says, c.says) {
			t.Errorf("%s %s: %q, want %q", c.method, c.body, says, c.says)
		}
	}
}

func TestBulkToTheLetter(t *testing.T) {
	d := crew(t)
	bulk := func(ops string) got {
		return d.do("POST", "/Bulk",
			`{"schemas":["urn:ietf:params:scim:api:messages:2.0:BulkRequest"],"Operations":[`+ops+`]}`)
	}
	g := bulk(`{"method":"PATCH","path":"/Users/ann","data":[{"op":"replace","path":"title","value":"Lead"}]}`).
		is(200, "Operations/0/status", 200)
	now := d.do("GET", "/Users/ann", "").is(200, "title", "Lead")
	if g.at("Operations/0/version") != now.header.Get("ETag") {
		t.Errorf("the version is told as %v, and is %s", g.at("Operations/0/version"), now.header.Get("ETag"))
	}
	group := func(id, member string) string {
		return `{"method":"POST","path":"/Groups","bulkId":"` + id +
			`","data":{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"` + id +
			`","members":[{"type":"Group","value":"bulkId:` + member + `"}]}}`
	}
	bulk(group("one", "two")+","+group("two", "one")+","+group("three", "none")).is(200,
		"Operations/0/status", 409,
		"Operations/0/response/detail", "These wait for each other, in a circle: bulkId:two, bulkId:one, bulkId:two.",
		"Operations/2/status", 409, "Operations/2/response/detail", "No operation makes bulkId:none.")
	d.do("POST", "/Bulk", `{"Operations":[]}`).is(400, "scimType", "invalidValue")
	if list, is := bulk("").is(200).at("Operations").([]any); !is || len(list) != 0 {
		t.Error("nothing to do is not answered with an empty list")
	}
}

func TestTheMediaTypeThatIsAccepted(t *testing.T) {
	d := crew(t)
	for accepted, want := range map[string]string{
		"":                      "application/scim+json",
		"*/*":                   "application/scim+json",
		"application/scim+json": "application/scim+json",
		"application/json, application/scim+json;q=0.5": "application/scim+json",
	} {
		if kind := d.do("GET", "/Users/ann", "", "Accept", accepted).header.Get("Content-Type"); kind != want {
			t.Errorf("accepted is %q, answered with %q", accepted, kind)
		}
	}
	// What is answered is the same; only what it is called differs.
	if kind := d.do("HEAD", "/Users/ann", "", "Accept", "application/json").header.Get("Content-Type"); kind !=
		"application/json" {
		t.Errorf("plain JSON is accepted, and called %q", kind)
	}
}

// Two directories stand side by side, each with a token of its own: neither changes, deletes, brings back, renames or
// takes over what the other keeps, though each sees who is there, and lists in its groups whom it will.
func TestTwoDirectoriesSideBySide(t *testing.T) {
	ours := crew(t)
	token, err := ours.desk.MakeToken(account.NewToken{Name: "Pilots' register", Purpose: "scim"})
	if err != nil {
		t.Fatal(err)
	}
	theirs := *ours
	theirs.token = token
	for _, c := range []struct{ method, path, body string }{
		{"PUT", "/Users/ann", user("ann", `"title":"Pilot"`)},
		{"PATCH", "/Users/ann", patch(`{"op":"replace","path":"title","value":"Pilot"}`)},
		{"PATCH", "/Users/ann", patch(`{"op":"replace","path":"active","value":false}`)},
		{"PUT", "/Groups/crew", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"Crew"}`},
		{"PATCH", "/Groups/crew", patch(`{"op":"remove","path":"members[value eq \"ann\"]"}`)},
		{"DELETE", "/Users/ann", ""},
		{"DELETE", "/Groups/crew", ""},
	} {
		if g := theirs.do(c.method, c.path, c.body).is(403); !strings.Contains(fmt.Sprint(g.body), "another directory") {
			t.Errorf("%s %s: %v", c.method, c.path, g.body)
		}
	}
	theirs.do("POST", "/Users", user("ann")).is(409, "scimType", "uniqueness")
	theirs.do("POST", "/Bulk", `{"schemas":["urn:ietf:params:scim:api:messages:2.0:BulkRequest"],"Operations":[`+
		`{"method":"DELETE","path":"/Users/ann"}]}`).is(200, "Operations/0/status", 403)

	log, err := ours.desk.Store.Events(store.EventSearch{What: desk.EventDirectory, Who: "Pilots' register"}, 0, 20)
	if err != nil || len(log) != 8 || !strings.HasPrefix(log[0].Text, "DELETE /scim/v2/Users/ann: ") {
		t.Errorf("the log of security events tells of %d refusals, %v: %v", len(log), err, log)
	}

	// Whom the one has deleted, the other neither brings back nor renames to have the name.
	ours.do("PATCH", "/Users/ann", patch(`{"op":"add","path":"externalId","value":"7"}`)).is(200)
	ours.do("DELETE", "/Users/ann", "").is(204)
	ours.do("DELETE", "/Users/bea", "").is(204)
	theirs.do("POST", "/Users", user("ann", `"externalId":"7"`)).is(409, "scimType", "uniqueness")
	theirs.do("POST", "/Users", user("bea", `"externalId":"8"`)).is(409, "scimType", "uniqueness")
	for _, id := range []string{"ann", "bea"} {
		u, _ := ours.desk.Design().Users.Find(id)
		if u.State != model.UserDeactivated || u.UserName != id {
			t.Errorf("%s is %s, %s", id, u.UserName, u.State)
		}
	}
	ours.do("POST", "/Users", user("ann", `"externalId":"7"`)).is(201, "id", "ann", "active", true)
	// Nor is one renamed, not even by their own, for somebody who is refused.
	ours.do("POST", "/Bulk", `{"schemas":["urn:ietf:params:scim:api:messages:2.0:BulkRequest"],"Operations":[`+
		`{"method":"POST","path":"/Users","bulkId":"1","data":`+user("bea", `"externalId":"7"`)+`}]}`).
		is(200, "Operations/0/status", 409)
	if u, _ := ours.desk.Design().Users.Find("bea"); u.UserName != "bea" {
		t.Errorf("bea is %s", u.UserName)
	}

	// What each keeps is its own to change still, and may name what the other keeps.
	theirs.do("POST", "/Users", user("cy", `"`+enterprise+`":{"manager":{"value":"ann"}}`)).
		is(201, enterprise+"/manager/value", "ann")
	pilots := func(members string) string {
		return `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"Pilots","members":[` + members + `]}`
	}
	theirs.do("POST", "/Groups", pilots(`{"value":"ann"},{"value":"cy"}`)).is(403)
	theirs.do("POST", "/Groups", pilots(`{"value":"cy"}`)).is(201, "members/0/value", "cy")
	ours.do("PATCH", "/Users/ann", patch(`{"op":"replace","path":"title","value":"Mate"}`)).is(200, "title", "Mate")
	ours.do("PATCH", "/Users/cy", patch(`{"op":"replace","path":"title","value":"Mate"}`)).is(403)
	theirs.do("PATCH", "/Users/cy", patch(`{"op":"replace","path":"title","value":"Pilot"}`)).is(200, "title", "Pilot")
}

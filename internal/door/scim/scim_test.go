package scim_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"

	"fachwerk/internal/core/index"
)

// directory is a program that provisions.
type directory struct {
	t          *testing.T
	url, token string
	desk       *rooms.Desk
}

func begin(t *testing.T) *directory {
	url, token, d := empty(t)
	return &directory{t, url, token, d}
}

// got is an answer.
type got struct {
	status int
	body   map[string]any
	header http.Header
	t      *testing.T
}

// at gives what stands at a path of names and positions, written like "Resources.0.userName".
func (g got) at(path string) any {
	var v any = g.body
	for name := range strings.SplitSeq(path, "/") {
		switch in := v.(type) {
		case map[string]any:
			v = in[name]
		case []any:
			var i int
			if _, err := fmt.Sscan(name, &i); err != nil || i >= len(in) {
				return nil
			}
			v = in[i]
		default:
			return nil
		}
	}
	return v
}

// is checks an answer: its status, and what stands at some paths.
func (g got) is(status int, want ...any) got {
	g.t.Helper()
	if g.status != status {
		g.t.Fatalf("answered %d, want %d: %.2000v", g.status, status, g.body)
	}
	for i := 0; i < len(want); i += 2 {
		if v := g.at(want[i].(string)); fmt.Sprint(v) != fmt.Sprint(want[i+1]) {
			g.t.Errorf("%s is %v, want %v", want[i], v, want[i+1])
		}
	}
	return g
}

func (d *directory) do(method, path, body string, headers ...string) got {
	d.t.Helper()
	r, err := http.NewRequest(method, d.url+path, strings.NewReader(body))
	if err != nil {
		d.t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+d.token)
	if body != "" {
		r.Header.Set("Content-Type", "application/scim+json")
	}
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	resp, err := client.Do(r)
	if err != nil {
		d.t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		d.t.Fatal(err)
	}
	g := got{status: resp.StatusCode, header: resp.Header, t: d.t}
	if len(data) > 0 {
		if kind := resp.Header.Get("Content-Type"); kind != "application/scim+json" {
			d.t.Errorf("%s %s is answered with %s", method, path, kind)
		}
		if err := json.Unmarshal(data, &g.body); err != nil {
			d.t.Fatalf("%s %s: %v: %s", method, path, err, data)
		}
	}
	return g
}

func user(name string, more ...string) string {
	return `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"` + name + `"` + strings.Join(
		append([]string{""}, more...),
		",",
	) + `}`
}

func patch(ops string) string {
	return `{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[` + ops + `]}`
}

func TestPeopleOverSCIM(t *testing.T) {
	d := begin(t)
	made := d.do("POST", "/Users",
		user("aino.brisk", `"externalId":"hx-1"`, `"name":{"givenName":"Aino","familyName":"Brisk"}`,
			`"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"department":"Gates","manager":{"value":"owner"}}`)).
		is(201, "userName", "aino.brisk", "displayName", "Aino Brisk", "active", true, "meta/resourceType", "User",
			"meta/location", d.url+
				"/Users/aino.brisk", "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User/manager/displayName", "Owner")
	if made.header.Get("Location") != d.url+"/Users/aino.brisk" || made.header.Get("ETag") != made.at("meta/version") {
		t.Errorf("the header is %v", made.header)
	}
	if at, err := time.Parse(time.RFC3339, made.at("meta/created").(string)); err != nil ||
		time.Since(at) > time.Minute {
		t.Errorf("it was made at %v", made.at("meta/created"))
	}
	u, _ := d.desk.Design().Users.Find("aino.brisk")
	if u == nil || u.Source != "directory" || u.Department != "Gates" || u.Manager != "owner" {
		t.Fatalf("in the design: %+v", u)
	}
	d.do("POST", "/Users", user("AINO.BRISK")).is(409, "scimType", "uniqueness", "status", "409")
	d.do("POST", "/Users", user("other", `"externalId":"hx-1"`)).is(409, "scimType", "uniqueness")
	d.do("POST", "/Users",
		user("other", `"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"manager":{"value":"nobody"}}`)).
		is(400, "scimType", "invalidValue")
	d.do("POST", "/Users", `{"userName":`).is(400, "scimType", "invalidSyntax")
	d.do("POST", "/Users", `{"displayName":"x"}`).is(400, "scimType", "invalidValue")

	// Versions.
	tag := made.header.Get("ETag")
	if r := d.do("GET", "/Users/aino.brisk", "", "If-None-Match", tag); r.status != 304 || r.header.Get("ETag") != tag {
		t.Errorf("what is known is answered %d %v", r.status, r.header)
	}
	d.do("PATCH", "/Users/aino.brisk", patch(`{"op":"replace","path":"name.familyName","value":"Brace"}`), "If-Match",
		`W/"0"`).
		is(412)
	changed := d.do("PATCH", "/Users/aino.brisk",
		patch(`{"op":"replace","path":"name.familyName","value":"Brace"},{"op":"add","path":"emails[type eq \"work\"].value","value":"aino@skerryhaven.example"}`), "If-Match", tag).
		is(200, "displayName", "Aino Brace", "name/formatted", "Aino Brace", "emails/0/value", "aino@skerryhaven.example",
			"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User/department", "Gates")
	if changed.header.Get("ETag") == tag {
		t.Error("what has changed has the same version")
	}
	d.do("GET", "/Users/aino.brisk", "", "If-None-Match", tag).is(200)
	d.do("PUT", "/Users/aino.brisk", user("aino.brisk"), "If-Match", tag).is(412)
	d.do("DELETE", "/Users/aino.brisk", "", "If-Match", tag).is(412)
	d.do("PUT", "/Users/aino.brisk", user("aino.brace", `"displayName":"A. Brace"`), "If-Match", "*").
		is(200, "id", "aino.brisk", "userName", "aino.brace", "displayName", "A. Brace", "externalId", nil, "emails", nil,
			"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User", nil, "active", true)
	d.do("PATCH", "/Users/aino.brisk", patch(`{"op":"replace","path":"id","value":"x"}`)).
		is(400, "scimType", "mutability")
	d.do("PATCH", "/Users/aino.brisk", patch(`{"op":"remove","path":"emails[type eq \"fax\"]"}`)).
		is(400, "scimType", "noTarget")
	d.do("PATCH", "/Users/nobody", patch(`{"op":"add","path":"title","value":"x"}`)).is(404)
	d.do("PATCH", "/Users/aino.brisk", patch(`{"op":"replace","value":{"active":false}}`)).is(200, "active", false)
	if d.desk.Live("aino.brisk") {
		t.Error("who is not active is live")
	}
	d.do("PATCH", "/Users/aino.brisk", patch(`{"op":"replace","path":"active","value":true}`)).is(200, "active", true)

	// The directory deletes; the record stays, and so does the person when they come again.
	d.do("DELETE", "/Users/aino.brisk", "").is(204)
	d.do("GET", "/Users/aino.brisk", "").is(404)
	d.do("PATCH", "/Users/aino.brisk", patch(`{"op":"replace","path":"active","value":true}`)).is(404)
	d.do("DELETE", "/Users/aino.brisk", "").is(404)
	d.do("GET", "/Users?filter="+url.QueryEscape(`userName eq "aino.brace"`), "").is(200, "totalResults", 0)
	if u, _ := d.desk.Design().Users.Find("aino.brisk"); u == nil || u.State != "deactivated" {
		t.Errorf("deleted by the directory: %+v", u)
	}
	d.do("POST", "/Users", user("aino.brace", `"title":"Clerk"`)).
		is(201, "id", "aino.brisk", "title", "Clerk", "active", true)
}

func TestGroupsOverSCIM(t *testing.T) {
	d := begin(t)
	for _, name := range []string{"ann", "bo", "cy"} {
		d.do("POST", "/Users", user(name)).is(201)
	}
	group := func(name, members string) string {
		return `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"` + name + `","externalId":"x-` +
			name + `","members":[` + members + `]}`
	}
	d.do("POST", "/Groups", group("Crew", `{"value":"ann"},{"value":"bo"}`)).
		is(201, "id", "crew", "members/0/value", "ann", "members/0/display", "ann", "members/0/$ref", d.url+"/Users/ann",
			"members/1/type", "User")
	d.do("POST", "/Groups", group("All", `{"value":"crew","type":"Group"},{"value":"cy"}`)).
		is(201, "members/1/$ref", d.url+"/Groups/crew")
	d.do("POST", "/Groups", group("Crew", ``)).is(409, "scimType", "uniqueness")
	d.do("POST", "/Groups", group("Bad", `{"value":"nobody"}`)).is(400, "scimType", "invalidValue")
	d.do("PATCH", "/Groups/crew", patch(`{"op":"add","path":"members","value":[{"value":"all","type":"Group"}]}`)).
		is(400, "scimType", "invalidValue")
		// a cycle
	d.do("GET", "/Users/ann", "").
		is(200, "groups/0/value", "crew", "groups/0/type", "direct", "groups/1/value", "all", "groups/1/type", "indirect")
	d.do("GET", "/Users/ann?excludedAttributes=groups", "").is(200, "groups", nil, "userName", "ann")
	d.do("PATCH", "/Groups/crew",
		patch(`{"op":"remove","path":"members[value eq \"ann\"]"},{"op":"replace","path":"displayName","value":"The crew"}`)).
		is(200, "members/0/value", "bo", "members/1", nil, "displayName", "The crew", "id", "crew")
	d.do("GET", "/Groups?excludedAttributes=members", "").
		is(200, "totalResults", 2, "Resources/1/members", nil, "Resources/1/displayName", "The crew")
	d.do("GET", "/Groups?filter="+url.QueryEscape(`members.value eq "cy"`), "").
		is(200, "totalResults", 1, "Resources/0/id", "all")
	d.do("GET", "/Users?filter="+url.QueryEscape(`groups.value eq "all"`), "").is(200, "totalResults", 2)
	d.do("PUT", "/Groups/crew", group("Crew", `{"value":"cy"}`)).is(200, "members/0/value", "cy", "members/1", nil)
	// A group goes with what was given to it, and out of the groups that it was in.
	d.do("DELETE", "/Groups/crew", "").is(204)
	d.do("GET", "/Groups/crew", "").is(404)
	d.do("GET", "/Groups/all", "").is(200, "members/0/value", "cy", "members/1", nil)
}

func TestQueriesOverSCIM(t *testing.T) {
	d := begin(t)
	for i := range 7 {
		d.do("POST", "/Users",
			user(fmt.Sprintf("p%d", i), fmt.Sprintf(`"externalId":"X%d"`, i), fmt.Sprintf(`"title":"%c"`, 'G'-i),
				fmt.Sprintf(`"name":{"familyName":"F%d"}`, i%3),
				fmt.Sprintf(`"emails":[{"value":"p%d@skerryhaven.example","type":"work"}]`, i),
				fmt.Sprintf(`"active":%v`, i%2 == 0))).
			is(201)
	}
	d.do("POST", "/Groups", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"Crew"}`).is(201)
	for filter, want := range map[string]int{
		`userName eq "P3"`: 1, `externalId eq "X3"`: 1, `externalId eq "x3"`: 0, `id eq "p3"`: 1, `displayName sw "F"`: 7,
		`name.familyName eq "f1"`: 2, `emails[type eq "work" and value co "p5@"]`: 1, `emails.value ew ".example"`: 7,
		`active eq false`:                 3,
		`active eq true and title gt "C"`: 2, `not (title pr)`: 1, `meta.created gt "2000-01-01T00:00:00Z"`: 8,
		`meta.lastModified lt "2000-01-01T00:00:00Z"`: 0, `schemas eq "urn:ietf:params:scim:schemas:core:2.0:User"`: 8,
		`meta.resourceType eq "User"`: 8,
		`urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:department pr`: 0,
		`urn:ietf:params:scim:schemas:core:2.0:User:userName sw "p"`:               7, `groups pr`: 0,
		`userName eq "p1" or userName eq "p2"`: 2,
	} {
		d.do("GET", "/Users?filter="+url.QueryEscape(filter), "").is(200, "totalResults", want)
	}
	for _, filter := range []string{`ghost eq "x"`, `userName`, `userName eq`, `((`, `emails[type eq "x"`} {
		d.do("GET", "/Users?filter="+url.QueryEscape(filter), "").is(400, "scimType", "invalidFilter")
	}
	d.do("GET", "/Users?sortBy=title&count=2", "").
		is(200, "totalResults", 8, "itemsPerPage", 2, "startIndex", 1, "Resources/0/userName", "p6", "Resources/1/userName",
			"p5")
	d.do("GET", "/Users?sortBy=title&sortOrder=descending&startIndex=2&count=1", "").
		is(200, "itemsPerPage", 1, "startIndex", 2, "Resources/0/userName", "p0", "Resources/1", nil)
	d.do("GET", "/Users?startIndex=-3&count=0", "").
		is(200, "totalResults", 8, "itemsPerPage", 0, "startIndex", 1, "Resources/0", nil)
	d.do("GET", "/Users?startIndex=99", "").is(200, "totalResults", 8, "itemsPerPage", 0)
	d.do("GET", "/Users?count=-1", "").is(200, "itemsPerPage", 0)
	d.do("GET", "/Users?count=x", "").is(400, "scimType", "invalidValue")
	d.do("GET", "/Users?sortBy=ghost", "").is(400, "scimType", "invalidPath")
	d.do("GET", "/Users?sortBy=title&sortOrder=up", "").is(400, "scimType", "invalidValue")
	d.do("GET", "/Users/p1?attributes=title,emails.value", "").
		is(200, "id", "p1", "title", "F", "emails/0/value", "p1@skerryhaven.example", "emails/0/type", nil, "userName", nil,
			"meta", nil)
	d.do("POST", "/Users/.search",
		`{"schemas":["urn:ietf:params:scim:api:messages:2.0:SearchRequest"],"filter":"title gt \"E\"","sortBy":"title","attributes":["userName"],"count":10}`).
		is(200, "totalResults", 2, "Resources/0/userName", "p1", "Resources/0/title", nil)
	d.do("POST", "/.search", `{"filter":"displayName eq \"crew\" or userName eq \"p1\""}`).is(200, "totalResults", 2)
	d.do("GET", "/?filter="+url.QueryEscape(`meta.resourceType eq "Group"`), "").
		is(200, "totalResults", 1, "Resources/0/displayName", "Crew")
	d.do("POST", "/Groups/.search", `{"filter":`).is(400, "scimType", "invalidSyntax")
}

func TestBulk(t *testing.T) {
	d := begin(t)
	before := d.desk.Revision()
	bulk := func(fail int, ops string) got {
		return d.do(
			"POST",
			"/Bulk",
			fmt.Sprintf(
				`{"schemas":["urn:ietf:params:scim:api:messages:2.0:BulkRequest"],"failOnErrors":%d,"Operations":[%s]}`,
				fail,
				ops,
			),
		)
	}
	// The group comes first, and mentions who comes after.
	bulk(
		0,
		`{"method":"POST","path":"/Groups","bulkId":"g","data":{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"Crew","members":[{"value":"bulkId:a"},{"value":"bulkId:b"}]}},
		{"method":"POST","path":"/Users","bulkId":"a","data":`+user(
			"ann",
		)+`},
		{"method":"POST","path":"/Users","bulkId":"b","data":`+user(
			"bo",
			`"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"manager":{"value":"bulkId:a"}}`,
		)+`},
		{"method":"PATCH","path":"/Users/bulkId:a","data":`+patch(
			`{"op":"add","path":"title","value":"Lead"}`,
		)+`},
		{"method":"POST","path":"/Users","bulkId":"c","data":`+user(
			"ann",
		)+`},
		{"method":"DELETE","path":"/Users/nobody"},
		{"method":"POST","path":"/Groups","bulkId":"h","data":{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"Never","members":[{"value":"bulkId:zz"}]}}`,
	).
		is(200, "Operations/0/status", "201", "Operations/0/location", d.url+"/Groups/crew", "Operations/0/bulkId", "g",
			"Operations/1/status", "201", "Operations/3/status", "200", "Operations/4/status", "409",
			"Operations/4/response/scimType", "uniqueness", "Operations/5/status", "404", "Operations/6/status", "409")
	if after := d.desk.Revision(); after != before+1 {
		t.Errorf("one request is %d revisions", after-before)
	}
	d.do("GET", "/Groups/crew", "").is(200, "members/0/value", "ann", "members/1/value", "bo")
	d.do("GET", "/Users/ann", "").is(200, "title", "Lead")
	d.do("GET", "/Users/bo", "").
		is(200, "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User/manager/value", "ann")
	g := bulk(
		1,
		`{"method":"POST","path":"/Users","bulkId":"x","data":{}},{"method":"POST","path":"/Users","bulkId":"y","data":`+user(
			"yes",
		)+`}`,
	).is(200, "Operations/0/status", "400", "Operations/1", nil)
	if g.at("Operations/0/response/schemas/0") != "urn:ietf:params:scim:api:messages:2.0:Error" {
		t.Errorf("the error is %v", g.body)
	}
	bulk(
		0,
		`{"method":"PUT","path":"/Users/ann","version":"W/\"0\"","data":`+user(
			"ann",
		)+`},{"method":"GET","path":"/Users/ann"},{"method":"POST","path":"/Users/ann","bulkId":"q","data":{}},{"method":"POST","path":"/Ships","bulkId":"q"},{"method":"POST","path":"/Users","data":`+user(
			"no",
		)+`}`,
	).
		is(200, "Operations/0/status", "412", "Operations/1/status", "400", "Operations/2/status", "400",
			"Operations/3/status", "400", "Operations/4/status", "400")
	d.do("POST", "/Bulk",
		`{"schemas":["urn:ietf:params:scim:api:messages:2.0:BulkRequest"],"Operations":[`+
			strings.Repeat(`{"method":"DELETE","path":"/Users/x"},`, 1000)+
			`{"method":"DELETE","path":"/Users/x"}]}`).
		is(413)
	d.do("POST", "/Bulk", `{"Operations":7}`).is(400, "scimType", "invalidSyntax")
}

func TestWhatTheServerTellsOfItself(t *testing.T) {
	d := begin(t)
	d.do("GET", "/ServiceProviderConfig", "").
		is(200, "patch/supported", true, "bulk/supported", true, "bulk/maxOperations", 1000, "filter/maxResults", 1000,
			"sort/supported", true, "etag/supported", true, "changePassword/supported", false, "authenticationSchemes/0/type",
			"oauthbearertoken")
	d.do("GET", "/ResourceTypes", "").
		is(200, "totalResults", 2, "Resources/0/endpoint", "/Users", "Resources/0/schemaExtensions/0/schema",
			"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User")
	d.do("GET", "/ResourceTypes/Group", "").is(200, "schema", "urn:ietf:params:scim:schemas:core:2.0:Group")
	d.do("GET", "/Schemas", "").
		is(200, "totalResults", 3, "Resources/0/attributes/0/name", "userName", "Resources/0/attributes/0/required", true,
			"Resources/0/attributes/0/uniqueness", "server")
	d.do("GET", "/Schemas/urn:ietf:params:scim:schemas:extension:enterprise:2.0:User", "").
		is(200, "name", "Enterprise User")
	d.do("GET", "/Schemas/urn:x", "").is(404)
	d.do("GET", "/Schemas?filter=id%20pr", "").is(403)
	d.do("GET", "/Me", "").is(501)
	d.do("PATCH", "/Me/x", "{}").is(501)
	d.do("GET", "/Ships", "").is(404)
	d.do("PUT", "/Users", "{}").is(405)
	d.do("POST", "/Schemas", "{}").is(405)
	d.do("POST", "/Users", user("x"), "Content-Type", "text/plain").is(415)
	d.do("POST", "/Users", user("x"), "Content-Type", "application/json; charset=utf-8").is(201)
	d.do("POST", "/Users", user("y", `"title":"`+strings.Repeat("x", 9<<20)+`"`)).is(413)
	right := d.token
	for _, token := range []string{"", "made-up"} {
		d.token = token
		if r := d.do("GET", "/Users", "").is(401, "status", "401"); r.header.Get("WWW-Authenticate") == "" {
			t.Error("how to sign in is not told")
		}
	}
	token, err := d.desk.MakeToken(account.NewToken{Name: "x", Purpose: "decisions"})
	if err != nil {
		t.Fatal(err)
	}
	d.token = token
	d.do("GET", "/Users", "").is(401)
	d.token = right
	d.do("GET", "/Users", "").is(200)
}

// No directory can lock everybody out, alone or in a crowd; and what is done beside it holds.
func TestADirectoryLocksNobodyOut(t *testing.T) {
	d := begin(t)
	d.do("PATCH", "/Users/owner", patch(`{"op":"replace","path":"active","value":false}`)).is(403)
	d.do("DELETE", "/Users/owner", "").is(403)
	var wait sync.WaitGroup
	statuses := make([]int, 12)
	for i := range statuses {
		wait.Go(func() {
			if i == 5 {
				statuses[i] = d.do("DELETE", "/Users/owner", "").status
			} else {
				statuses[i] = d.do("POST", "/Users", user(fmt.Sprintf("crowd%d", i))).status
			}
		})
	}
	wait.Wait()
	for i, status := range statuses {
		if want := map[bool]int{true: 403, false: 201}[i == 5]; status != want {
			t.Errorf("request %d is answered %d, want %d", i, status, want)
		}
	}
	d.do("GET", "/Users", "").is(200, "totalResults", 12)
	if !d.desk.Live("owner") {
		t.Error("the owner is locked out")
	}
}

// Many at once are recorded one by one, each answered with what it did, and a decision right after knows it.
func TestManyAtOnce(t *testing.T) {
	d := begin(t)
	d.do("POST", "/Groups", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"Crew"}`).is(201)
	before := d.desk.Revision()
	var wait sync.WaitGroup
	for i := range 20 {
		wait.Go(func() {
			name := fmt.Sprintf("m%d", i)
			if r := d.do("POST", "/Users", user(name, fmt.Sprintf(`"title":"T%d"`, i))); r.status != 201 ||
				r.body["id"] != name ||
				r.body["title"] != fmt.Sprintf("T%d", i) {
				t.Errorf("%s is answered %d %v", name, r.status, r.body)
			}
			if !d.desk.Live(name) {
				t.Errorf("%s is answered for and not there", name)
			}
			if r := d.do("PATCH", "/Groups/crew",
				patch(`{"op":"add","path":"members","value":[{"value":"`+name+`"}]}`)); r.status != 200 {
				t.Errorf("%s does not join: %d %v", name, r.status, r.body)
			}
		})
	}
	wait.Wait()
	known, err := d.desk.Known()
	if err != nil {
		t.Fatal(err)
	}
	if members := known.Index().Members("crew"); len(members) != 20 {
		t.Errorf("%d are in", len(members))
	}
	if after := d.desk.Revision(); after != before+40 {
		t.Errorf("40 requests are %d revisions", after-before)
	}
	if fresh := index.Compile(known.Design()); len(fresh.Members("crew")) != 20 {
		t.Error("the design says otherwise than its index")
	}
	d.do("PUT", "/Users/m1", user("m1", `"title":"T1"`)).is(200)
	if after := d.desk.Revision(); after != before+40 {
		t.Error("what changes nothing is a revision")
	}
}

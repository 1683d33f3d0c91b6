package api_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/generate"
	"fachwerk/internal/store"
)

// sample is a request to measure an operation by.
type sample struct {
	query string
	body  any
	once  bool   // it changes something, so that it is asked once only
	last  int    // it takes away what others need, so it comes after them
	in    string // what the parameter in the path is
	// ready makes what the request needs out of what is there; the first thing is the parameter in the path.
	ready func(ask asker) (in string, body any)
	// bare tells that the request is answered by a refusal: what it needs cannot be had here.
	bare bool
}

// asker sends a request and gives the status and the answer.
type asker func(method, path string, body any) (int, []byte, time.Duration)

// field asks for something and gives a text in the answer, by the names and numbers that lead to it.
func (ask asker) field(path string, way ...any) string {
	_, text, _ := ask("GET", path, nil)
	var v any
	_ = json.Unmarshal(text, &v)
	for _, w := range way {
		switch w := w.(type) {
		case string:
			m, _ := v.(map[string]any)
			v = m[w]
		case int:
			list, _ := v.([]any)
			if w >= len(list) {
				return ""
			}
			v = list[w]
		}
	}
	text2, _ := v.(string)
	return text2
}

// samples has a request for every operation of the API, by its id. An operation that has none makes the benchmark fail.
func samples(d *model.Design, holder string) map[string]sample {
	role, set, group, system, licence, area := d.Roles[3], d.Sets[40], largest(
		d,
	), d.Systems[9], d.Licences[2], d.Areas[7]
	key := system.Permissions[4].Key
	person := d.Users[777]
	end := func(kind model.Kind, id string) map[string]any { return map[string]any{"kind": kind, "id": id} }
	put := func(o model.Object) sample {
		data, _ := json.Marshal(o)
		var after map[string]any
		_ = json.Unmarshal(data, &after)
		name := "name"
		if o.Kind() == model.KindUser {
			name = "displayName"
		}
		if o.Kind() == model.KindAssignment {
			name = "reason"
		}
		after[name] = "Otherwise"
		return sample{body: map[string]any{"before": json.RawMessage(data), "after": after}}
	}
	version, _ := json.Marshal(
		map[string]any{"system": map[string]any{
			"id":          system.ID,
			"name":        system.Name,
			"version":     "99",
			"permissions": system.Permissions[:len(system.Permissions)-1],
		}},
	)
	upgrade := map[string]any{"name": "next.json", "data": version}
	return map[string]sample{
		"pending": {in: "none", bare: true}, "stopPending": {in: "none", bare: true},
		"signInPage": {}, "signIn": {bare: true, body: map[string]string{"userName": "nobody", "password": "nothing"}},
		"signOut": {once: true}, "me": {},
		"prove": {bare: true, body: map[string]string{"password": "wrong"}}, "welcome": {in: "none", bare: true},
		"setPassword":     {in: "none", bare: true, body: map[string]string{"password": "none at all"}},
		"askFirstPasskey": {in: "none", bare: true},
		"firstPasskey":    {in: "none", bare: true, body: map[string]any{"name": "x", "answer": map[string]any{}}},
		"sessions":        {}, "endSession": {in: "none", bare: true}, "endSessions": {}, "letters": {},
		"setLetters": {body: map[string]any{"reminders": true, "tasks": true, "requests": true, "endings": true,
			"criticals": true, "daily": true}},
		"changePassword": {bare: true, body: map[string]string{"present": "wrong", "password": "wrong"}},
		"forgotten":      {once: true, body: map[string]string{"userName": d.Users[99].UserName}},
		"factors":        {}, "dropFactor": {in: "none", bare: true}, "beginCodes": {},
		"addCodes": {bare: true, body: map[string]string{"code": "123456"}}, "renewRecovery": {bare: true},
		"beginPasskey":  {bare: true},
		"addPasskey":    {bare: true, body: map[string]any{"name": "x", "answer": map[string]any{}}},
		"signInCode":    {bare: true, body: map[string]string{"code": "123456"}},
		"signInPasskey": {bare: true, body: map[string]any{"answer": map[string]any{}}}, "askPasskey": {bare: true},
		"provePasskey": {bare: true, body: map[string]any{"answer": map[string]any{}}}, "askProof": {bare: true},
		"askProvider": {bare: true}, "comeBack": {bare: true}, "securityLog": {query: "limit=100"},
		"exportTokens": {in: "csv"}, "exportAssignments": {in: "csv"},
		"exportUses": {in: "csv"}, "tokens": {},
		"addToken":  {bare: true, body: map[string]string{"name": "x", "purpose": "decisions"}},
		"endToken":  {bare: true, in: "none"},
		"takeToken": {bare: true, in: "none"}, "untie": {bare: true, in: "none"}, "ties": {in: "none"},
		"delegationCeiling": {in: "d1"}, "personCeiling": {in: holder}, "lowerCeiling": {in: holder}, "draftCeilings": {},
		"tryCeiling": {body: d.Delegations[0]},
		"change": {body: map[string]any{"dryRun": true, "acts": []map[string]any{{"assign": map[string]any{
			"subjects": []string{"user:" + d.Users[505].ID}, "grants": []string{"role:" + d.Roles[4].ID},
		}}}}},
		"plan":      {body: map[string]any{"format": "fachwerk-model/1", "name": "Nothing"}},
		"applyPlan": {query: "hash=x&reason=y", body: map[string]any{"format": "fachwerk-model/1"}, bare: true},
		"areas":     {}, "picture": {query: "focus=role:" + role.ID}, "bay": {in: "user", query: "focus=role:" + role.ID},
		"draft": {}, "keepMine": {in: "none", bare: true}, "discard": {once: true, last: 2}, "restoreDraft": {bare: true},
		"draftEdit": {ready: func(ask asker) (string, any) { return ask.field("/api/draft", "edits", 0, "id"), nil }},
		"putBack":   {bare: true, body: map[string]any{"assignment": "none"}},
		"takeOut": {once: true, ready: func(ask asker) (string, any) {
			ask("POST", "/api/draft/join", map[string]any{
				"from": end(model.KindUser, d.Users[503].ID), "to": end(model.KindRole, d.Roles[4].ID),
			})
			return ask.field("/api/draft", "edits", 1, "id"), nil
		}},
		"join": {
			body: map[string]any{"from": end(model.KindUser, d.Users[501].ID), "to": end(model.KindRole, d.Roles[4].ID)},
			once: true,
		},
		"cut": {once: true, ready: func(ask asker) (string, any) {
			both := map[string]any{"from": end(model.KindUser, d.Users[502].ID), "to": end(model.KindRole, d.Roles[4].ID)}
			ask("POST", "/api/draft/join", both)
			return "", both
		}},
		"undo": {body: map[string]any{"revision": 3}, once: true},
		"apply": {once: true, last: 1, ready: func(ask asker) (string, any) {
			return "", map[string]any{"reason": "test", "stamp": ask.field("/api/draft", "stamp")}
		}},
		"list":   {in: "user", query: "q=" + url.QueryEscape(`title eq "Title 3"`) + "&sort=department&limit=100"},
		"find":   {query: "q=" + url.QueryEscape("who can view object 3")},
		"person": {in: person.ID}, "trace": {in: person.ID, query: "permission=" + url.QueryEscape(key)},
		"invite": {in: "newcomer", body: map[string]any{}}, "role": {in: role.ID}, "set": {in: set.ID}, "group": {in: group},
		"area":   {in: area.ID},
		"system": {in: system.ID}, "permission": {in: key}, "delegations": {}, "delegation": {in: "d1"},
		"tryDelegation": {body: d.Delegations[0]}, "licence": {in: licence.ID}, "conflict": {in: "c1"},
		"guarantee": {in: "w1"}, "tryGuarantee": {body: d.Guarantees[0]},
		"mentions": {in: "area/" + area.ID},
		"delete":   {body: map[string]any{"kind": "role", "id": d.Roles[6].ID}, once: true},
		"tick": {
			body: map[string]any{"kind": "role", "id": role.ID, "keys": []string{key}, "give": true},
			once: true,
		},
		"assign": {body: map[string]any{"subjects": ends(d, 300), "targets": targets(d, 12)}, once: true},
		"engage": {
			body: map[string]any{
				"person": map[string]any{"id": "", "userName": "brandnew", "displayName": "Brand New"},
				"gets":   targets(d, 3),
			},
			once: true,
		},
		"tidy":    {body: map[string]any{"group": group}, once: true},
		"tryRule": {body: map[string]any{"rule": `department eq "Department 3" and title sw "Title 1"`}},
		"putPerson": put(
			person,
		), "putGroup": put(d.Groups[5]), "putRole": put(role), "putSet": put(set), "putArea": put(area),
		"putSystem": put(
			system,
		), "putLicence": put(licence), "putAssignment": put(d.Assignments[500]), "putConflict": put(d.Conflicts[0]),
		"putDelegation": put(d.Delegations[0]),
		"history":       {query: "limit=50"}, "revision": {in: "2"},
		"reviews": {}, "openReview": {body: map[string]any{"name": "Another", "role": role.ID, "fallback": d.Users[9].ID},
			once: true},
		"previewReview": {body: map[string]any{"area": area.ID}},
		"review":        {in: "1"}, "reviewItems": {in: "1", query: "limit=100&offset=5000"}, "reviewOutcome": {in: "1"},
		"reviewAfter": {in: "1"}, "lately": {query: "kind=role&id=" + role.ID}, "putGuarantee": put(d.Guarantees[0]),
		"findings":         {query: "kind=ownerless&limit=100"},
		"repairFindings":   {bare: true, body: map[string]any{"ids": []string{"none"}}},
		"setFindingsAside": {bare: true, body: map[string]any{"ids": []string{"none"}, "reason": "test"}},
		"alike":            {in: "25"},
		"closeReview":      {in: "2", once: true, last: 1, body: map[string]any{"alone": "for the measure"}},
		"remind":           {in: "3", once: true},
		"reviewItem":       {in: "1"}, "decide": {body: map[string]any{"items": []int{21}, "decision": "keep"}},
		"today": {}, "looked": {body: map[string]any{"revision": 1}}, "absence": {}, "fewer": {body: map[string]any{}},
		"draftFewer": {body: map[string]any{}}, "beAbsent": {
			once: true, last: 1, // it hands on what is waiting
			body: map[string]any{"instead": d.Users[2].ID, "until": generate.Day.AddDate(0, 0, 30)},
		},
		"handOn": {
			in:   "5",
			body: map[string]any{"to": d.Users[2].ID, "note": "yours"},
		}, "colleagues": {query: "q=ann"}, "tasks": {}, "task": {in: "1", bare: true},
		"settleTask": {in: "1", bare: true, body: map[string]any{"choice": "leave", "reason": "test"}},
		"fit":        {body: map[string]any{"like": person.ID, "roles": true, "sets": true}},
		"whoCan": {
			query: "what=" + url.QueryEscape(key),
		}, "compare": {query: "thing=user:" + person.ID + "&thing=user:" + d.Users[778].ID},
		"capabilities": {query: "system=" + system.ID}, "timeline": {in: person.ID},
		"repairs": {in: holder, query: "permission=" + url.QueryEscape(key)},
		"repair": {once: true, ready: func(ask asker) (string, any) {
			for _, u := range d.Users[60:] {
				way := "/api/people/" + u.ID + "/repairs?permission=" + url.QueryEscape(key)
				if id := ask.field(way, "repairs", 0, "id"); id != "" {
					return "", map[string]any{"user": u.ID, "permission": key, "id": id}
				}
			}
			return "", nil
		}},
		"cancelInvitations": {once: true, body: map[string]any{"users": []string{"newcomer"}}},
		"mailbox":           {}, "openLetter": {bare: true, in: "1"},
		"invitations": {}, "known": {query: "name=" + url.QueryEscape(d.Users[77].DisplayName)},
		"resendInvitations": {body: map[string]any{"users": []string{"newcomer"}}},
		"extendInvitations": {body: map[string]any{"users": []string{"newcomer"}, "days": 7}},
		"worklists":         {}, "newWorklist": {body: map[string]any{}},
		"worklist":      {ready: listed(d, nil), query: "limit=100"},
		"alterWorklist": {ready: listed(d, map[string]any{"name": "Another"})},
		"gather":        {ready: listed(d, map[string]any{"query": `title eq "Title 3"`})},
		"gatherFile":    {ready: listed(d, []byte(d.Users[77].ID+"\n"+d.Users[78].ID+"\n")), query: "name=people.csv"},
		"dropWorklist":  {once: true, ready: listed(d, nil)}, "draftWorklist": {once: true, ready: listed(d, nil)},
		"carryOutWorklist": {bare: true, ready: listed(d, nil)}, "worklistLog": {bare: true, in: "none"},
		"requests": {}, "canAsk": {query: "q=berth"}, "waysTo": {query: "permission=" + url.QueryEscape(key)},
		"makeRequest": {once: true, body: map[string]any{"kind": "role", "id": role.ID, "reason": "needed"}},
		// Nobody decides what they asked for themselves.
		"request": {in: "999", bare: true}, "weighRequest": {in: "999", bare: true, body: map[string]any{}},
		"grantRequest":  {in: "999", bare: true, body: map[string]any{"stamp": "none"}},
		"draftRequest":  {in: "999", bare: true, body: map[string]any{}},
		"answerRequest": {in: "999", bare: true, body: map[string]any{"does": "withdraw"}},
		"leaver":        {in: person.ID}, "leavers": {}, "draftBack": {bare: true, body: map[string]any{"user": person.ID}},
		"draftLeaving": {body: map[string]any{
			"user": person.ID, "on": "2099-01-01T00:00:00Z", "duties": []any{}, "grants": []any{},
		}},
		"peers": {query: "title=" + url.QueryEscape(person.JobTitle)},
		"move":  {in: person.ID, body: map[string]any{"title": "Title 3", "area": area.ID}},
		"draftMove": {body: map[string]any{
			"user": person.ID, "post": map[string]any{"title": "Title 3", "area": area.ID}, "gives": []any{}, "leaves": []any{},
		}},
		"lookAssign": {body: map[string]any{
			"subjects": []any{end(model.KindUser, person.ID)}, "targets": []any{end(model.KindRole, role.ID)},
		}},
		"seatPools": {}, "seats": {in: licence.ID, query: "part=waiting&limit=100"},
		"giveSeats":   {body: map[string]any{"licence": licence.ID, "seats": 10}},
		"gatherSeats": {in: licence.ID, query: "part=idle", bare: true}, // none can come free
		"seatsNeeded": {body: map[string]any{
			"subjects": []any{end(model.KindGroup, group)}, "targets": []any{end(model.KindRole, role.ID)},
		}},
		"import":        {ready: tried(d, nil), query: "limit=100"},
		"alterImport":   {ready: tried(d, map[string]any{})},
		"correctImport": {ready: tried(d, map[string]any{"row": 0, "column": 0, "text": "somebody"})},
		"draftImport":   {once: true, ready: tried(d, nil)},
		"closeImport":   {once: true, ready: tried(d, nil)},
		"recordUses":    {bare: true, ready: tried(d, nil)},
		"noteUses":      {body: uses(d)},
		"allSeries":     {}, "series": {bare: true, in: "9"},
		"alterSeries": {bare: true, in: "9", body: map[string]any{"does": "pause"}},
		"calendar":    {}, "makeCalendar": {once: true}, "endCalendar": {once: true},
		"readCalendar": {bare: true, in: "none"},
		"makeSeries":   {once: true, body: returning(d, role.ID, "")}, "trySeries": {body: returning(d, "", system.ID)},
		"upgrade": {
			body: upgrade,
		}, "keptUpgrades": {}, "keepUpgrade": {body: upgrade}, "dropUpgrade": {in: "none", bare: true},
		"draftUpgrade": {body: upgrade, once: true}, "directories": {}, "importTemplate": {in: "people/csv"},
	}
}

// listed makes a worklist of a thousand people with two steps, and waits until it is tried.
func listed(d *model.Design, body any) func(ask asker) (string, any) {
	var ids []string
	for _, u := range d.Users[2000:3000] {
		ids = append(ids, u.ID)
	}
	return func(ask asker) (string, any) {
		_, text, _ := ask("POST", "/api/worklists", map[string]any{})
		var v struct {
			ID string `json:"id"`
		}
		_ = json.Unmarshal(text, &v)
		ask("POST", "/api/worklists/"+v.ID+"/people", map[string]any{"people": ids})
		ask("PATCH", "/api/worklists/"+v.ID, map[string]any{"steps": []map[string]any{
			{"do": "assign", "roles": []string{d.Roles[4].ID}}, {"do": "set", "field": "department", "value": "Another"},
		}})
		for ask.field("/api/worklists/"+v.ID, "state") == "working" {
			runtime.Gosched()
		}
		return v.ID, body
	}
}

// returning is a review of a role, or of a system with a discovery, that returns by itself.
func returning(d *model.Design, role, system string) map[string]any {
	out := map[string]any{
		"review": map[string]any{"role": role, "system": system, "area": d.Areas[7].ID, "fallback": d.Users[9].ID},
		"rule":   "FREQ=MONTHLY;INTERVAL=3", "from": "2099-12-19T08:00", "days": 21,
	}
	if system != "" {
		out["discover"] = map[string]any{"days": 90, "ahead": 1, "most": 0}
	}
	return out
}

// uses tells 10,000 uses.
func uses(d *model.Design) (out []map[string]any) {
	for i := range 10_000 {
		out = append(out, map[string]any{
			"user": d.Users[i%len(d.Users)].ID, "system": d.Systems[i%len(d.Systems)].ID, "at": generate.Day,
		})
	}
	return out
}

// tried opens a file of a thousand rows, and waits until they are tried.
func tried(d *model.Design, body any) func(ask asker) (string, any) {
	var csv strings.Builder
	csv.WriteString("userName,displayName,title\n")
	for i, u := range d.Users[:1000] {
		fmt.Fprintf(&csv, "%s,%s,Title %d\n", u.UserName, u.DisplayName, i%7)
	}
	return func(ask asker) (string, any) {
		_, text, _ := ask("POST", "/api/imports?name=people.csv&kind=people", []byte(csv.String()))
		var v struct {
			ID string `json:"id"`
		}
		_ = json.Unmarshal(text, &v)
		for ask.field("/api/imports/"+v.ID, "state") == "working" {
			runtime.Gosched()
		}
		return v.ID, body
	}
}

// wholes are the operations that answer with everything there is, as a file. How long they take is as long as that is.
var wholes = []string{
	"exportList",
	"securityLogFile",
	"exportSheet",
	"worklistTable",
	"exportHistory",
	"reviewReport",
	"reviewPack",
	"exportFindings",
	"exportReview",
	"exportReviews",
	"exportWho",
	"exportCapabilities",
	"exportComparison",
	"effectivecsv",
	"effectivejsonl",
	"exportPeopleAndGroups",
	"exportModel",
	"followHistory",
	"beginImport",
}

func largest(d *model.Design) string {
	g := slices.MaxFunc(d.Groups, func(a, b *model.Group) int { return len(a.Users) - len(b.Users) })
	return g.ID
}

func ends(d *model.Design, n int) (out []map[string]any) {
	for _, u := range d.Users[len(d.Users)/2:][:n] {
		out = append(out, map[string]any{"kind": "user", "id": u.ID})
	}
	return out
}

func targets(d *model.Design, n int) (out []map[string]any) {
	for _, r := range d.Roles[10:][:n] {
		out = append(out, map[string]any{"kind": "role", "id": r.ID})
	}
	return out
}

// BenchmarkOperations asks every operation that the API describes, by somebody who sees all of a large organisation
// and has a draft of 1,000 rows, while five large reviews are open: how long it takes the first time, and after
// that; and how long until it is answered, if only with where its answer will be. FACHWERK_PEOPLE says how many
// people; 100,000 if it is not set.
func BenchmarkOperations(b *testing.B) {
	slog.SetDefault(slog.New(slog.DiscardHandler))
	people, _ := strconv.Atoi(os.Getenv("FACHWERK_PEOPLE"))
	if people == 0 {
		people = 100_000
	}
	design := generate.Design(generate.Options{Users: people, Seed: 1})
	boss := design.Users[0].ID
	limit := 2
	edits := []model.Edit{}
	for _, o := range []model.Object{
		&model.Conflict{ID: "c1", Name: "A conflict",
			Items: []model.Item{{Role: design.Roles[1].ID}, {Role: design.Roles[2].ID}}},
		&model.Guarantee{ID: "w1", Name: "A guarantee", Type: model.AtMost, Count: &limit,
			Permissions: []string{model.EditDesign}},
		&model.Delegation{ID: "d1", Name: "A delegation", Delegate: model.Subject{User: design.Users[3].ID},
			People:  model.People{Area: design.Areas[7].ID},
			Actions: []string{"assign"}, Roles: []string{design.Roles[1].ID}, MaxDays: &limit},
	} {
		edits = append(edits, model.Edit{Kind: o.Kind(), ID: o.Ident(), After: o})
	}
	edits = append(edits, model.Edit{Kind: model.KindUser, ID: "newcomer", After: &model.User{
		ID: "newcomer", UserName: "newcomer", DisplayName: "A Newcomer", State: model.UserInvited, Area: design.Areas[0].ID,
	}})
	design = design.With(edits)
	s, err := store.Open(filepath.Join(b.TempDir(), "x.db"), false)
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	d, err := rooms.Open(s, func() time.Time { return generate.Day })
	if err != nil {
		b.Fatal(err)
	}
	if err := d.Load(design, desk.Begin, "test"); err != nil {
		b.Fatal(err)
	}
	if _, err := d.MakeOwner(boss); err != nil {
		b.Fatal(err)
	}
	token, err := d.MakeToken(account.NewToken{Name: "bench", Purpose: "api", User: boss})
	if err != nil {
		b.Fatal(err)
	}
	handler := server.New(d, s, fstest.MapFS{"index.html": {Data: []byte("the page")}}, inner.Outside{})
	var told time.Duration // how long the last request took until it was answered, if only with where its answer will be
	var ask asker = func(method, path string, body any) (int, []byte, time.Duration) {
		var in bytes.Buffer
		if file, is := body.([]byte); is {
			in.Write(file)
		} else if body != nil {
			if err := json.NewEncoder(&in).Encode(body); err != nil {
				b.Fatal(err)
			}
		}
		send := func(method, path, prefer string) *httptest.ResponseRecorder {
			r := httptest.NewRequest(method, "http://127.0.0.1"+path, &in)
			r.Header.Set("Content-Type", "application/json")
			r.Header.Set("Authorization", "Bearer "+token)
			r.Header.Set("Prefer", prefer)
			w := httptest.NewRecorder()
			handler.ServeHTTP(w, r)
			return w
		}
		began := time.Now()
		w := send(method, path, "respond-async")
		told = time.Since(began)
		for where := w.Header().Get("Location"); w.Code == http.StatusAccepted; {
			w = send("GET", where, "wait=60")
		}
		return w.Code, w.Body.Bytes(), time.Since(began)
	}
	// A group of 15,000 that grows, so that the record has such a change.
	group, _ := design.Groups.Find(largest(design))
	big := model.Clone(group)
	for _, u := range design.Users[:min(15_000, people)] {
		if !slices.Contains(big.Users, u.ID) {
			big.Users = append(big.Users, u.ID)
		}
	}
	who := desk.Actor{User: boss, Proven: generate.Day}
	draft, err := d.Put(who, group, big)
	if err != nil {
		b.Fatal(err)
	}
	if _, err := d.Apply(who, "it grows", draft.Stamp); err != nil {
		b.Fatal(err)
	}
	// Five roles of which a review has as near to 12,000 items as there are.
	off := map[string]int{}
	for _, r := range design.Roles[:40] {
		p, err := d.PreviewReview(who, review.NewReview{Role: r.ID, Fallback: design.Users[9].ID})
		if err != nil {
			b.Fatal(err)
		}
		off[r.ID] = max(12_000-p.Items, p.Items-12_000)
	}
	asked := slices.SortedFunc(maps.Keys(off), func(a, b string) int { return off[a] - off[b] })
	for i := range 5 {
		began := time.Now()
		n := review.NewReview{Name: fmt.Sprintf("Review %d", i), Role: asked[i], Fallback: design.Users[9].ID}
		if i == 0 {
			n.By, n.Person = "person", boss
		}
		r, err := d.OpenReview(who, n)
		if err != nil {
			b.Fatal(err)
		}
		b.Logf("a review of %d items opens in %v", r.Items, time.Since(began))
	}
	began := time.Now()
	d.Warm(b.Context(), true) // as the server does once it is up
	b.Logf("counted ahead in %v", time.Since(began))
	if status, text, took := ask("POST", "/api/draft/assign",
		map[string]any{"subjects": ends(design, 1000), "targets": targets(design, 1)}); status != http.StatusOK {
		b.Fatalf("drafting: %d %s", status, text)
	} else {
		b.Logf("1,000 rows are drafted in %v", took)
	}
	made := samples(d.Design(), design.Users[778].ID)
	var operations []operation
	status, text, _ := ask("GET", "/api/openapi.json", nil)
	if status != http.StatusOK {
		b.Fatal(status)
	}
	operations, _ = readOperations(b, text)
	slices.SortStableFunc(
		operations,
		func(x, y operation) int {
			late := func(o operation) int { return 2*made[o.id].last + boolToInt(made[o.id].once) }
			return late(x) - late(y)
		},
	)
	for _, o := range operations {
		c, known := made[o.id]
		if slices.Contains(wholes, o.id) {
			continue
		}
		if !known {
			b.Errorf("%s (%s %s) has no sample to be measured by", o.id, o.method, o.path)
			continue
		}
		b.Run(o.id, func(b *testing.B) {
			path := o.path
			if c.ready != nil {
				c.in, c.body = c.ready(ask)
			}
			for _, p := range strings.Split(c.in, "/") {
				if i, j := strings.IndexByte(path, '{'), strings.IndexByte(path, '}'); i >= 0 {
					path = path[:i] + url.PathEscape(p) + path[j+1:]
				}
			}
			if c.query != "" {
				path += "?" + c.query
			}
			status, answer, first := ask(o.method, path, c.body)
			answered := told
			if status >= 500 {
				b.Fatalf("%s %s: %d %s", o.method, path, status, answer)
			}
			if (status >= 300) != c.bare {
				b.Errorf("%d %.200s", status, answer)
			}
			for b.Loop() { // also if nothing is asked again: else it all would be run again for more rounds
				if !c.once {
					ask(o.method, path, c.body)
					answered = max(answered, told)
				}
			}
			b.ReportMetric(float64(answered.Microseconds())/1000, "told-ms")
			b.ReportMetric(float64(first.Microseconds())/1000, "first-ms")
			if o.method != http.MethodGet && c.last == 0 && !c.bare { // so that the next is asked beside the 1,000 rows alone
				for id := ask.field("/api/draft", "edits", 1, "id"); id != ""; id = ask.field("/api/draft", "edits", 1, "id") {
					if status, text, _ := ask("DELETE", "/api/draft/edits/"+id, nil); status != http.StatusOK {
						b.Fatalf("taking out: %d %s", status, text)
					}
				}
			}
			b.ReportMetric(float64(status), "status")
		})
	}
}

func boolToInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

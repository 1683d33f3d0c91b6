package api_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"
)

// program is somebody's token for the API.
func program(t *testing.T, url string, d *rooms.Desk, user string) *browser {
	t.Helper()
	token, err := d.MakeToken(account.NewToken{Name: "script of " + user, Purpose: "api", User: user})
	if err != nil {
		t.Fatal(err)
	}
	p := newBrowser(t, url)
	p.header.Set("Authorization", "Bearer "+token)
	return p
}

type acts []map[string]any

func one(act string, of map[string]any) map[string]any { return map[string]any{act: of} }

func TestAChangeInOneCall(t *testing.T) {
	url, d := serve(t)
	p := program(t, url, d, "signe.halloran")
	before := d.Present().Revision
	role := map[string]any{"name": "Tide watcher", "permissions": []string{"quaybook:gate:override"}}
	body := map[string]any{"reason": "a watch for the tide", "dryRun": true, "acts": acts{
		one("put", map[string]any{"kind": "role", "object": role}),
		one("assign", map[string]any{"subjects": []any{"noor.tamsin", map[string]string{"group": "customs"}},
			"grants": []any{"role:tide-watcher"}, "area": "terminal-2"}),
		one("merge", map[string]any{"kind": "roles", "id": "tide-watcher",
			"fields": map[string]any{"description": "Watches", "owner": "signe.halloran"}}),
	}}
	body["acts"].(acts)[1]["assign"].(map[string]any)["subjects"] = []any{"noor.tamsin",
		map[string]string{"group": d.Design().Groups[0].ID}}
	status, v, _ := p.send("POST", "/api/changes", body)
	if status != http.StatusOK || v["applied"] != false || v["revision"] != float64(before) || v["links"] != nil {
		t.Fatalf("the trial is answered %d %v", status, v)
	}
	impact := v["impact"].(map[string]any)
	gains := fmt.Sprint(impact["people"])
	if impact["gaining"].(float64) < 1 || !strings.Contains(gains, "quaybook:gate:override") {
		t.Errorf("the impact is %v", impact)
	}
	if d.Present().Revision != before {
		t.Fatal("a trial made a revision")
	}

	delete(body, "dryRun")
	p.header.Set("Idempotency-Key", "tide-1")
	status, v, _ = p.send("POST", "/api/changes", body)
	if status != http.StatusCreated || v["revision"] != float64(before+1) || v["applied"] != true {
		t.Fatalf("the change is answered %d %v", status, v)
	}
	made := v["acts"].([]any)[0].(map[string]any)
	if made["result"] != "done" || !strings.Contains(fmt.Sprint(made["objects"]), "tide-watcher") {
		t.Errorf("the new role is told as %v", made)
	}
	r, ok := d.Design().Roles.Find("tide-watcher")
	if !ok || r.Description != "Watches" || r.Owner != "signe.halloran" || len(r.Permissions) != 1 {
		t.Errorf("the role is %+v", r)
	}
	given := 0
	for _, a := range d.Design().Assignments {
		if a.Role == "tide-watcher" && a.Area == "terminal-2" && a.Reason == "a watch for the tide" {
			given++
		}
	}
	if given != 2 {
		t.Errorf("%d assignments of the new role, want 2", given)
	}

	// Its links lead to it.
	links := v["links"].(map[string]any)
	req, _ := http.NewRequest("GET", url+links["history"].(string), nil)
	req.Header.Set("Authorization", p.header.Get("Authorization"))
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	var list []map[string]any
	if err := json.NewDecoder(resp.Body).Decode(&list); err != nil || len(list) != 1 ||
		list[0]["number"] != float64(before+1) || !strings.Contains(resp.Header.Get("Link"), `rel="next"`) {
		t.Errorf("%s leads to %v, with the link %q (%v)", links["history"], list, resp.Header.Get("Link"), err)
	}

	// The same again is the same answer, and changes nothing; another change under the key is refused.
	status, again, _ := p.send("POST", "/api/changes", body)
	if status != http.StatusCreated || again["revision"] != float64(before+1) || d.Present().Revision != before+1 {
		t.Errorf("asked again, it is answered %d %v", status, again)
	}
	body["reason"] = "another"
	if status, v, _ = p.send("POST", "/api/changes", body); status != 422 ||
		!strings.Contains(fmt.Sprint(v["detail"]), "idempotency key") {
		t.Errorf("another change under the key: %d %v", status, v)
	}
	p.header.Del("Idempotency-Key")

	// What is so already makes no revision.
	status, v, _ = p.send("POST", "/api/changes", map[string]any{"reason": "again", "acts": acts{
		one("assign", map[string]any{"subjects": []any{"user:noor.tamsin"}, "grants": []any{"tide-watcher"},
			"area": "terminal-2"}),
		one("merge", map[string]any{"kind": "role", "id": "tide-watcher",
			"fields": map[string]any{"description": "Watches"}}),
	}})
	if status != http.StatusOK || v["applied"] != false || fmt.Sprint(v["acts"]) == "" ||
		strings.Count(fmt.Sprint(v["acts"]), "already") != 2 {
		t.Errorf("what is so already is answered %d %v", status, v)
	}

	// It goes only with what becomes of the mentions, or once nothing mentions it.
	gone := one("delete", map[string]any{"kind": "role", "id": "tide-watcher"})
	status, v, _ = p.send("POST", "/api/changes", map[string]any{"reason": "over", "acts": acts{gone}})
	if status != 422 || strings.Count(fmt.Sprint(v["errors"]), "mentions it as role") != 2 ||
		!strings.Contains(fmt.Sprint(v["errors"]), "acts[0]") {
		t.Errorf("a role that is held is deleted: %d %v", status, v)
	}
	status, v, _ = p.send("POST", "/api/changes", map[string]any{"reason": "over", "ifRevision": before + 1, "acts": acts{
		one("revoke", map[string]any{"subjects": []any{"noor.tamsin"}, "grants": []any{"tide-watcher"}}),
		one("delete", map[string]any{"kind": "role", "id": "tide-watcher", "successors": map[string]any{"*": nil}}),
	}})
	if status != http.StatusCreated || d.Design().Get(model.KindRole, "tide-watcher") != nil {
		t.Errorf("the role goes: %d %v", status, v)
	}
	if status, v, _ = p.send("POST", "/api/changes", map[string]any{"reason": "late", "ifRevision": before, "acts": acts{
		one("leave", map[string]any{"group": "berth-crew", "users": []string{"noor.tamsin"}})}}); status != 409 {
		t.Errorf("on a revision that is no longer the latest: %d %v", status, v)
	}
}

// Whatever is wrong is told at once, each with its act; nothing of it is done.
func TestWhatIsWrongWithAChange(t *testing.T) {
	url, d := serve(t)
	p := program(t, url, d, "signe.halloran")
	before := d.Present().Revision
	rule := ""
	for _, g := range d.Design().Groups {
		if g.Type == model.Rule {
			rule = g.ID
		}
	}
	status, v, header := p.send("POST", "/api/changes", map[string]any{"reason": "much", "acts": acts{
		one("put", map[string]any{"kind": "role", "object": map[string]any{"nome": "X"}}),
		one("join", map[string]any{"group": rule, "users": []string{"noor.tamsin"}}),
		one("assign", map[string]any{"subjects": []any{"nobody.here"}, "grants": []any{"night-cover"}}),
		one("put", map[string]any{"kind": "ship", "object": map[string]any{"name": "X"}}),
		one("revoke", map[string]any{"assignment": "a-none"}),
		one("delete", map[string]any{"kind": "set", "id": "fachwerk-owner"}),
	}})
	if status != 422 || header.Get("Content-Type") != "application/problem+json" || d.Present().Revision != before {
		t.Fatalf("it is answered %d %v", status, v)
	}
	at := map[string]string{}
	for _, e := range v["errors"].([]any) {
		e := e.(map[string]any)
		at[fmt.Sprint(e["location"])] += fmt.Sprint(e["message"])
	}
	for where, says := range map[string]string{
		"acts[0].put.object.nome": "no such field", "acts[0].put.object.name": "missing", "acts[1]": "by a rule",
		"acts[2]": "nobody.here", "acts[3].put.object.object": "ship", "acts[4]": "a-none", "acts[5]": "built in",
	} {
		if !strings.Contains(at[where], says) {
			t.Errorf("at %s it says %q, want %q; all: %v", where, at[where], says, at)
		}
	}
	for _, c := range []struct {
		body   map[string]any
		status int
		says   string
	}{
		{map[string]any{"reason": "x", "acts": acts{{}}}, 422, "one of put"},
		{map[string]any{"reason": "x", "acts": acts{}}, 422, "array length >= 1"},
		{map[string]any{"acts": acts{one("join", map[string]any{"group": "customs", "users": []string{"x"}})}}, 422,
			"reason"},
		// A reference that is none, and a circle, are told at their act.
		{map[string]any{"reason": "x", "acts": acts{one("merge", map[string]any{"kind": "role", "id": "night-cover",
			"fields": map[string]any{"sets": []string{"no-such-set"}}})}}, 422, "no-such-set"},
		// Programs never make critical changes (semantics, §10).
		{map[string]any{"reason": "x", "acts": acts{one("assign", map[string]any{"subjects": []any{"noor.tamsin"},
			"grants": []any{"fachwerk-owner"}})}}, 403, "fachwerk"},
		{map[string]any{"reason": "x", "dryRun": true, "acts": acts{one("assign", map[string]any{
			"subjects": []any{"noor.tamsin"}, "grants": []any{"fachwerk-owner"}})}}, 403, "fachwerk"},
	} {
		status, v, _ := p.send("POST", "/api/changes", c.body)
		if all := strings.ToLower(fmt.Sprint(v)); status != c.status || !strings.Contains(all, c.says) {
			t.Errorf("%v is answered %d %v, want %d and %q", c.body, status, v, c.status, c.says)
		}
	}
	if d.Present().Revision != before {
		t.Error("something was applied")
	}
}

// A program works beside the draft of whom it acts for, with a draft of its own.
func TestAProgramHasADraftOfItsOwn(t *testing.T) {
	url, d := serve(t)
	b, p := newBrowser(t, url), program(t, url, d, "signe.halloran")
	b.signIn("signe.halloran")
	join := func(to string) map[string]any {
		return map[string]any{"from": map[string]string{"kind": "user", "id": "noor.tamsin"},
			"to": map[string]string{"kind": "role", "id": to}, "terms": map[string]string{"area": "terminal-2"}}
	}
	if status, v, _ := b.send("POST", "/api/draft/join", join("night-cover")); status != 200 {
		t.Fatalf("%d %v", status, v)
	}
	if _, v, _ := p.send("GET", "/api/draft", nil); len(v["edits"].([]any)) != 0 {
		t.Errorf("the program sees the draft of the browser: %v", v["edits"])
	}
	if status, v, _ := p.send("POST", "/api/changes", map[string]any{"reason": "by a script", "acts": acts{
		one("merge", map[string]any{"kind": "role", "id": "night-cover", "fields": map[string]any{"description": "Nights"}}),
	}}); status != http.StatusCreated {
		t.Fatalf("%d %v", status, v)
	}
	if _, v, _ := b.send("GET", "/api/draft", nil); len(v["edits"].([]any)) != 1 {
		t.Errorf("the draft of the browser is %v", v["edits"])
	}
	for _, a := range d.Design().Assignments {
		if a.Subject.User == "noor.tamsin" && a.Role == "night-cover" {
			t.Error("the script applied what the browser drafted")
		}
	}
	if status, _, _ := p.send("POST", "/api/draft/join", join("gate-clerk")); status != 200 {
		t.Errorf("the program drafts: %d", status)
	}
	if _, v, _ := b.send("GET", "/api/draft", nil); len(v["edits"].([]any)) != 1 {
		t.Errorf("what the program drafts is in the draft of the browser: %v", v["edits"])
	}
}

// A delegate's program gets no further than the delegate, and learns nothing of what is out of their sight.
func TestAChangeByADelegate(t *testing.T) {
	url, d := serve(t)
	delegate := ""
	for _, g := range d.Design().Delegations {
		if g.Delegate.User != "" {
			delegate = g.Delegate.User
			break
		}
	}
	p := program(t, url, d, delegate)
	before := d.Present().Revision
	for _, act := range []map[string]any{
		one("merge", map[string]any{"kind": "user", "id": "signe.halloran", "fields": map[string]any{"title": "x"}}),
		one("assign", map[string]any{"subjects": []any{delegate}, "grants": []any{"fachwerk-owner"}}),
		one("put", map[string]any{"kind": "role", "object": map[string]any{"name": "Mine", "permissions": []string{}}}),
		one("delete", map[string]any{"kind": "user", "id": "signe.halloran", "successors": map[string]any{}}),
		one("put", map[string]any{"kind": "delegation", "object": json.RawMessage(`{"name":"More","delegate":{"user":"` +
			delegate + `"},"people":{"area":"` + d.Design().Root() + `"},"actions":["assign"]}`)}),
	} {
		status, v, _ := p.send("POST", "/api/changes", map[string]any{"reason": "mine", "acts": acts{act}})
		if status != 403 && status != 422 {
			t.Errorf("%v by a delegate is answered %d %v", act, status, v)
		}
		if strings.Contains(fmt.Sprint(v), "Signe") {
			t.Errorf("%v tells of who is out of sight: %v", act, v)
		}
	}
	if d.Present().Revision != before {
		t.Error("a delegate's program changed something")
	}
}

// Every object, put as it stands in the model file, is so already.
func TestPuttingWhatIsThereChangesNothing(t *testing.T) {
	url, d := serve(t)
	p := program(t, url, d, "signe.halloran")
	var list acts
	d.Design().All(func(o model.Object) {
		if o.Kind() != model.KindOrganisation {
			list = append(list, one("put", map[string]any{"kind": string(o.Kind()), "object": o}))
		}
	})
	status, v, _ := p.send("POST", "/api/changes", map[string]any{"dryRun": true, "acts": list})
	if status != http.StatusOK {
		t.Fatalf("%d %v", status, v)
	}
	told := v["acts"].([]any)
	if len(told) != len(list) || len(list) < 500 {
		t.Fatalf("%d acts of %d are told", len(told), len(list))
	}
	for i, a := range told {
		if a.(map[string]any)["result"] != "already" {
			t.Errorf("%v changes: %v", list[i], a)
		}
	}
}

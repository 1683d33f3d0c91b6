package api_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/desk/account"
)

// Programs tell when people used what: all of it is noted or, with each place that is wrong, nothing; never backward.
func TestUsesAreTold(t *testing.T) {
	url, d := serve(t)
	token := func(purpose, user string) string {
		text, err := d.MakeToken(account.NewToken{Name: purpose, Purpose: purpose, User: user})
		if err != nil {
			t.Fatal(err)
		}
		return text
	}
	p := newBrowser(t, url)
	tell := func(with string, list ...map[string]any) (int, map[string]any) {
		t.Helper()
		p.header.Set("Authorization", "Bearer "+with)
		status, v, _ := p.send("POST", "/api/uses", list)
		return status, v
	}
	say := func(user, what string, at time.Time) map[string]any {
		field := "system"
		if strings.Contains(what, ":") {
			field = "permission"
		}
		return map[string]any{"user": user, field: what, "at": at}
	}
	decisions, owner := token("decisions", ""), token("api", "signe.halloran")
	tomorrow := day.Add(20 * time.Hour)
	status, v := tell(decisions, say("Noor.Tamsin", "quaybook", tomorrow),
		say("ruben.adeyemi", "quaybook:gate:override", day),
		say("noor.tamsin", "quaybook", day))
	if status != http.StatusOK || v["noted"] != 2.0 || v["known"] != 1.0 {
		t.Errorf("told by a program: %d %v", status, v)
	}
	for _, system := range []string{"quaybook", "quaybook:gate:override"} {
		if at, is := d.Uses.Last("ruben.adeyemi", system); !is || !at.Equal(day) {
			t.Errorf("%s was used at %v (%v)", system, at, is)
		}
	}
	if status, v = tell(owner, say("noor.tamsin", "quaybook", day)); status != http.StatusOK || v["known"] != 1.0 {
		t.Errorf("told again: %d %v", status, v)
	}
	if at, _ := d.Uses.Last("noor.tamsin", "quaybook"); !at.Equal(tomorrow) {
		t.Errorf("a use went back to %v", at)
	}
	both := say("noor.tamsin", "quaybook:gate:override", day)
	both["system"] = "gangway"
	status, v = tell(owner, say("noor.tamsin", "crewtide", day.Add(time.Minute)), say("nobody", "quaybook", day),
		say("noor.tamsin", "none", day), say("noor.tamsin", "quaybook:gate:none", day),
		say("noor.tamsin", "quaybook", day.Add(25*time.Hour)), map[string]any{"user": "noor.tamsin", "at": day}, both)
	text := fmt.Sprint(v)
	if status != http.StatusUnprocessableEntity {
		t.Errorf("with wrong ones: %d %s", status, text)
	}
	for _, want := range []string{
		"[1].user: there is no user", "[2].system: there is no system", "[3].permission: no catalogue", "[4].at:",
		"[5].system: name a system", "[6].permission:",
	} {
		if !strings.Contains(text, want) {
			t.Errorf("it does not say %q: %s", want, text)
		}
	}
	if at, _ := d.Uses.Last("noor.tamsin", "crewtide"); at.After(day) {
		t.Error("some of it was noted all the same")
	}
	for _, with := range []string{token("scim", ""), token("api", "oona.brandvold"), "none"} {
		if status, v := tell(with, say("noor.tamsin", "quaybook", day)); status != http.StatusForbidden &&
			status != http.StatusUnauthorized {
			t.Errorf("somebody without the right tells of uses: %d %v", status, v)
		}
	}
	before := d.Revision()
	var many []map[string]any
	users := d.Design().Users
	for i := range 10_000 {
		one := say(users[i%len(users)].ID, "quaybook:gate:override", day.Add(time.Hour))
		one["system"] = "quaybook"
		many = append(many, one)
	}
	if status, v := tell(decisions, many...); status != http.StatusOK || v["noted"] != float64(len(users)) {
		t.Errorf("10,000 at once: %d %.200v", status, v)
	}
	if status, v := tell(decisions, make([]map[string]any, 10_001)...); status != http.StatusUnprocessableEntity {
		t.Errorf("more than 10,000: %d %.200v", status, v)
	}
	if d.Revision() != before {
		t.Error("uses made a revision")
	}
}

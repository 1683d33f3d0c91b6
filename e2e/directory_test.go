package e2e

import (
	"net/http"
	"strings"
	"testing"

	"fachwerk/internal/desk/account"
)

// TestADirectoryAndWhomItDeletes has a directory bring somebody, keeps them by hand, has the directory delete
// somebody who owns a role, and tidies up after them.
func TestADirectoryAndWhomItDeletes(t *testing.T) {
	s := walk(t, 1280, 800)
	token, err := s.desk.MakeToken(account.NewToken{Name: "Pilots' register", Purpose: "scim"})
	s.must(err)
	harbour, err := s.desk.MakeToken(account.NewToken{Name: "Harbour directory", Purpose: "scim"})
	s.must(err)
	provision := func(token, method, path, body string, want int) {
		t.Helper()
		r, err := http.NewRequestWithContext(t.Context(), method, s.url+"/scim/v2"+path, strings.NewReader(body))
		s.must(err)
		r.Header.Set("Authorization", "Bearer "+token)
		r.Header.Set("Content-Type", "application/scim+json")
		answer, err := http.DefaultClient.Do(r)
		s.must(err)
		defer answer.Body.Close()
		if answer.StatusCode != want {
			t.Fatalf("%s %s is answered %s", method, path, answer.Status)
		}
	}
	provision(
		token,
		"POST",
		"/Users",
		`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"ada.lorne","displayName":"Ada Lorne","title":"Pilot","active":true}`,
		http.StatusCreated,
	)

	s.signIn("signe.halloran")
	s.open("/directories")
	s.see("[data-directory=\"Pilots' register\"]", "keeps 1 person and 0 groups")
	s.see("[data-directory='Harbour directory']", "has deleted 3 people")
	s.see("[data-leaver='rukmini.sundby']", "owns Invoice writer")

	// What the directory keeps is not edited by hand, until it is taken over.
	s.open("/people/ada.lorne")
	s.click("button", "Do")
	s.click("[role=menuitem]", "Edit")
	s.see("[role=dialog]", "The directory “Pilots' register” keeps this person")
	s.wait(
		"[...document.querySelectorAll('[role=dialog] input')].find(e => " +
			"e.labels?.[0]?.innerText.startsWith('Title')).readOnly",
	)
	s.wait("document.activeElement.type === 'checkbox'") // not in a field that cannot be typed into
	s.press(" ")
	s.typeInto("Title", "Harbour pilot")
	s.click("[role=dialog] button", "Put into the draft")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("the register is behind")
	s.see("main", "Harbour pilot")

	// Deleted there, the account is deactivated here, and told until nothing is tied to it any longer.
	provision(token, "DELETE", "/Users/lucia.fenwick", "", http.StatusForbidden) // another directory keeps her
	provision(harbour, "DELETE", "/Users/lucia.fenwick", "", http.StatusNoContent)
	s.open("/directories")
	s.see("[data-leaver='lucia.fenwick']", "by Harbour directory")
	s.see("button", "4 with something left")
	s.click("[data-leaver='lucia.fenwick'] a", "Lucia Fenwick")
	s.see("main", "deactivated")
	s.see("main", "has deleted this person")
	s.open("/directories")
	s.click("[data-leaver='birgitta.ostrov'] button", "Delete")
	s.see("[role=dialog]", "Delete Birgitta Ostrov")
	s.click("[role=dialog] button", "Put the deletion into the draft")
	s.see("[data-leaver='birgitta.ostrov']", "taken out in the draft")
	s.gone("[data-leaver='birgitta.ostrov']", "Delete")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("she has left for good")
	s.see("button", "3 with something left")
	s.click("button", "all 3")
	s.see("[data-leaver='yusuf.denholm']", "groups list them")
	s.wait("!document.querySelector('[data-leaver=\"birgitta.ostrov\"]')")
}

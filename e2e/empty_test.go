package e2e

import (
	"errors"
	"strings"
	"testing"

	"fachwerk/e2e/browser"
	"fachwerk/internal/demo"
	"fachwerk/internal/exchange/modelfile"
)

// TestAnEmptyHouse is what somebody sees who begins with nothing: every view says what it is for and how to go on,
// and nothing breaks.
func TestAnEmptyHouse(t *testing.T) {
	t.Parallel()
	design, problems, err := modelfile.Read(
		strings.NewReader(
			`{"format":"fachwerk-model/1","name":"Outer Skerry Light","areas":[{"id":"root","name":"Outer Skerry"}],"users":[{"id":"ada","userName":"ada","displayName":"Ada Lorne"}]}`,
		),
	)
	if err != nil || design == nil {
		t.Fatal(problems, err)
	}
	url, served, stop, err := browser.Serve(t.TempDir(), day, design)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := stop(); err != nil {
			t.Error(err)
		}
	})
	_, e1 := served.MakeOwner("ada")
	link, e2 := served.PasswordLink("ada")
	_, e3 := served.SetPassword(t.Context(), link, demo.Password, "test")
	if err := errors.Join(e1, e2, e3); err != nil {
		t.Fatal(err)
	}
	s := (&steps{t: t, url: url, desk: served}).another(1280, 800)
	s.signIn("ada")
	for path, says := range map[string]string{
		"/": "Import what can be granted", "/frame": "Nothing is built here yet", "/systems": "1 system", "/permissions": "10 permissions",
		"/licences": "No system here needs a licence", "/capabilities": "Fachwerk: owner",
		"/upgrade": "Drop a catalogue here", "/roles": "There are no roles yet",
		"/sets": "3 permission sets", "/conflicts": "No separation of duties is defined", "/groups": "2 groups",
		"/people": "1 person", "/areas": "1 area", "/import": "Drop a file here", "/worklists": "You have none yet",
		"/invitations": "There are no invitations", "/letters": "No letter has been written", "/own": "I need to",
		"/requests": "You have asked for nothing yet", "/going": "Nobody is due to leave",
		"/seats": "No licence has a limited number of seats", "/directories": "No directory maintains people and groups here yet",
		"/delegations": "Nothing is delegated yet",
		"/reviews":     "No review is open", "/who": "who can", "/compare": "Choose two to eight",
		"/fit": "Name what somebody needs", "/history": "Ada Lorne gets Fachwerk: owner", "/people/ada": "10 of 10",
		"/areas/root": "Outer Skerry", "/groups/everyone": "Ada Lorne",
	} {
		s.open(path)
		s.must(s.Settled())
		s.wait("document.querySelector('main').innerText.toLowerCase().includes(" + quoted(strings.ToLower(says)) + ")")
		s.wait(
			"document.documentElement.scrollWidth <= innerWidth && document.documentElement.scrollHeight <= innerHeight",
		)
	}
	// The way in leads from the frame to the first catalogue.
	s.open("/frame")
	s.click("[data-plinth] a", "import what can be granted")
	s.see("main", "Drop a catalogue here")
	s.see("[aria-label='Here already']", "Fachwerk")
}

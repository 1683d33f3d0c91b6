package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"fachwerk/e2e/browser"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/store"
)

// A round of a series from its letter to the evidence: the letter leads to the first item, what is revoked by hand goes
// away as the round closes by itself, what a group gives is settled by its owner, and the archive proves itself.
func TestFromTheLetterToTheEvidence(t *testing.T) {
	s := walk(t, 1280, 800)
	signe := desk.Actor{User: "signe.halloran"}
	idle := review.NewSeries{
		Review: review.NewReview{
			Name: "Idle clerks", System: "quaybook", Role: "gate-clerk", By: "person", Person: "lucia.fenwick", Fate: "revoke",
		},
		Rule: "FREQ=MONTHLY", From: "2027-03-01T08:00", Days: 14, Discover: &review.Discovery{Days: 90, Ahead: 1},
	}
	trial, err := s.desk.TrySeries(signe, idle)
	s.must(err)
	if trial.People < 2 {
		t.Fatalf("%d clerks are idle", trial.People)
	}
	// One of them has it by hand as well.
	draft, err := s.desk.Put(signe, nil, &model.Assignment{
		ID: "besides", Subject: model.Subject{User: trial.Found[0].User.ID}, Role: "gate-clerk", Area: "terminal-2",
	})
	s.must(err)
	_, err = s.desk.Apply(signe, "for a while", draft.Stamp)
	s.must(err)
	_, err = s.desk.MakeSeries(signe, idle)
	s.must(err)
	for _, at := range []time.Time{
		time.Date(2027, 2, 28, 9, 0, 0, 0, time.UTC), time.Date(2027, 3, 1, 8, 20, 0, 0, time.UTC),
	} {
		s.clock.Set(at)
		s.must(s.desk.SeriesDue())
	}
	s.signIn("lucia.fenwick")
	s.open("/letters")
	s.click("nav[aria-label=Letters] a", "Idle clerks")
	s.see("article", "The first of them")
	link, err := browser.Eval[string](s.Page,
		`document.querySelector('article').innerText.match(/\/reviews\/\d+\?view=desk/)[0]`)
	s.must(err)
	s.open(link)
	s.see("main", "Item 1 of ")
	s.see("h2", "Should ")
	s.press("r")
	s.wait("document.activeElement.tagName === 'INPUT'")
	s.press("not used since summer", browser.Enter)
	s.see("ul[aria-label=Items] button", "✕ revoked")

	// Whoever runs it sees its end: the round closes by itself, with the fate of what nobody decided.
	s.later(time.Date(2027, 3, 15, 8, 30, 0, 0, time.UTC), "signe.halloran")
	s.open(link[:len(link)-len("?view=desk")])
	s.see("main", "Did it happen?")
	var id int
	_, err = fmt.Sscanf(link, "/reviews/%d", &id)
	s.must(err)
	after, err := s.desk.Afterwards(signe, id)
	s.must(err)
	items, err := s.desk.Store.ReviewItems(id, "")
	s.must(err)
	if _, there := s.desk.Design().Assignments.Find("besides"); there || len(items) < trial.People || after.Back > 0 {
		t.Errorf("what was given by hand is there: %v; of %d items: %+v", there, len(items), after)
	}
	tasks, err := s.desk.Store.Tasks(id, "")
	s.must(err)
	if len(tasks) == 0 || after.Waits == 0 {
		t.Fatalf("nothing is left to owners: %+v", after)
	}
	owner := s.another(1280, 800)
	owner.signIn("mireille.aster") // who owns the crews
	own := slices.IndexFunc(tasks, func(t store.ReviewTask) bool { return t.Owner == "mireille.aster" })
	owner.open(fmt.Sprintf("/review-tasks/%d", tasks[max(0, own)].ID))
	owner.click("section[aria-label='Take the person out'] button", "Take the person out")
	owner.click("[role=alert] button", "Do it")
	owner.see("[role=status]", "Settled")

	pack, err := browser.EvalAsync[string](s.Page,
		fmt.Sprintf(`fetch('/api/reviews/%d/pack.zip').then(r => r.blob()).then(b =>
		new Promise(done => { const f = new FileReader(); f.onload = () => done(
			f.result.split(',')[1]); f.readAsDataURL(b) }))`, id))
	s.must(err)
	proves(t, pack)
}

// proves unpacks an archive, and has the system's own tool check the sums in it.
func proves(t *testing.T, encoded string) {
	t.Helper()
	data, err := base64.StdEncoding.DecodeString(encoded)
	if err != nil {
		t.Fatal(err)
	}
	files, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	folder := t.TempDir()
	for _, f := range files.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(folder, filepath.Base(f.Name)), text, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	check := exec.Command("sha256sum", "--check", "--strict", "SHA256SUMS")
	check.Dir = folder
	if out, err := check.CombinedOutput(); err != nil || len(files.File) < 5 {
		t.Errorf("of %d files sha256sum says: %s %v", len(files.File), out, err)
	}
}

// Delegations under review: what could come of one stands beside the question, and to close it asks for the password,
// since it changes what is delegated. A second reviewer is asked about what the first would keep.
func TestAReviewOfDelegations(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/reviews")
	form := "form[aria-label='Open a review']"
	s.click(form+" button", "people should keep what they have")
	s.click("label", "delegations should go on")
	s.shut()
	s.click(form+" button", "Who decides")
	s.click("label", "one person for all")
	s.pick("Reviewer", "Mireille Aster")
	s.pick("Fallback", "Ruben Adeyemi")
	s.choose("Who decides once more", "one person")
	s.pick("Second reviewer", "Ruben Adeyemi")
	s.choose("Risk from which a second decides", "any risk")
	s.shut()
	s.see(form, "Mireille Aster, then Ruben Adeyemi")
	s.see(form, "would be decided twice")
	s.click("button", "Open the review")
	s.see("h1", "Review of delegations")

	m := s.another(1280, 800)
	m.signIn("mireille.aster")
	m.open("/reviews")
	m.click("a", "Review of delegations")
	m.click("ul[aria-label=Items] button", "IT crews the berth office")
	m.see("h2", "Should IT staff keep the delegation IT crews the berth office and the access keepers?")
	m.see("main", "neither holds nor could assign")
	m.press("r")
	m.wait("document.activeElement.tagName === 'INPUT'")
	m.press("wider than IT itself", browser.Enter)
	m.see("ul[aria-label=Items] button", "✕ revoked")
	m.click("ul[aria-label=Items] button", "Ticketing on all lines")
	m.see("h2", "Lucia Fenwick")
	m.press("k")
	m.click("ul[aria-label=Items] button", "Ticketing on all lines")
	m.see("main", "You would keep it. Ruben Adeyemi decides once more")
	m.click("button", "Take back")
	m.gone("main", "decides once more")

	s.open("/reviews")
	s.click("a", "Review of delegations")
	s.click("button", "Close the review")
	s.see("[role=dialog]", "is deleted")
	s.click("[role=dialog] button", "Close it and revoke 1")
	s.see("[role=status]", "The review is closed. Revision 61 takes away")
	s.see("main", "1 gone")
	s.open("/delegations")
	s.gone("main", "IT crews the berth office")
}

// While somebody is away, another decides in their place.
func TestAway(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("ruben.adeyemi")
	s.open("/account")
	s.click("button", "Name somebody")
	s.typeInto("Who decides for you", "mireille")
	s.click("[role=dialog] li button", "Mireille Aster")
	s.must(s.SetDate("The last day away", time.Date(2026, 12, 4, 0, 0, 0, 0, time.UTC)))
	s.click("[role=dialog] button", "Let Mireille Aster decide")
	s.see("main", "Mireille Aster decides your review items up to and including 4 Dec 2026")
	s.click("button", "I am back")
	s.see("main", "Somebody can decide your review items while you are away")
}

// Package e2e walks through the real interface in a real browser, over the demo organisation.
package e2e

import (
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/demo"
	"fachwerk/internal/desk/rooms"

	"fachwerk/e2e/browser"
)

var day = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

// TestMain leaves the access log out: walks print thousands of its lines, among which a failure is not found.
func TestMain(m *testing.M) {
	slog.SetDefault(slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})))
	os.Exit(m.Run())
}

// walk opens the demo in a browser; the console must stay silent until the test ends.
func walk(t *testing.T, width, height int) *steps {
	t.Helper()
	t.Parallel()
	clock := browser.NewClock(day)
	url, served, stop, err := browser.Demo(t.TempDir(), clock)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := stop(); err != nil {
			t.Error(err)
		}
	})
	return (&steps{t: t, url: url, desk: served, clock: clock}).another(width, height)
}

// another opens one more browser on the same house.
func (s *steps) another(width, height int) *steps {
	s.t.Helper()
	page, end, err := browser.Launch(s.url, width, height)
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() {
		if complaints := page.Complaints(); len(complaints) > 0 {
			s.t.Errorf("the console complains:\n%s", strings.Join(complaints, "\n"))
		}
		end()
	})
	return &steps{t: s.t, Page: page, url: s.url, desk: s.desk, clock: s.clock}
}

// steps ends the test at the first step that cannot be taken.
type steps struct {
	t *testing.T
	*browser.Page
	url   string
	desk  *rooms.Desk
	clock *browser.Clock
}

func (s *steps) must(err error) {
	s.t.Helper()
	if err != nil {
		if shot := os.Getenv("FACHWERK_SHOT"); shot != "" {
			_ = s.Shot(filepath.Join(shot, strings.ReplaceAll(s.t.Name(), "/", "-")+".png"))
		}
		s.t.Fatal(err)
	}
}

func (s *steps) signIn(user string)          { s.t.Helper(); s.must(s.SignIn(user, demo.Password)) }
func (s *steps) open(path string)            { s.t.Helper(); s.must(s.Open(path)) }
func (s *steps) see(selector, text string)   { s.t.Helper(); s.must(s.See(selector, text)) }
func (s *steps) gone(selector, text string)  { s.t.Helper(); s.must(s.Gone(selector, text)) }
func (s *steps) click(selector, text string) { s.t.Helper(); s.must(s.Click(selector, text)) }
func (s *steps) press(keys ...string)        { s.t.Helper(); s.must(s.Press(keys...)) }
func (s *steps) typeInto(label, text string) { s.t.Helper(); s.must(s.Type(label, text)) }
func (s *steps) pick(label, name string)     { s.t.Helper(); s.must(s.Pick(label, name)) }
func (s *steps) upload(label, file string)   { s.t.Helper(); s.must(s.Upload(label, file)) }
func (s *steps) choose(label, option string) { s.t.Helper(); s.must(s.Choose(label, option)) }
func (s *steps) wait(expression string)      { s.t.Helper(); s.must(s.Wait(expression)) }
func (s *steps) brick(key, state string)     { s.t.Helper(); s.wait(brickIs(key, state)) }

// tab goes on by Tab until the focus is on what is named so, at most so many times. It waits until that is there: a
// page that is still on its way would be gone through in vain.
func (s *steps) tab(name string, most int) {
	s.t.Helper()
	s.wait("[...document.querySelectorAll('a[href], button, input, select, textarea, [tabindex]')].some(e => (" +
		named("e") + ").includes(" + quoted(name) + "))")
	var over []string
	for range most {
		s.press("\t")
		on, err := browser.Eval[string](s.Page, focused)
		s.must(err)
		if strings.Contains(on, name) {
			return
		}
		over = append(over, on)
	}
	s.t.Fatalf("%d times Tab did not lead to %s, but over %q", most, name, over)
}

// on waits until the focus is on what is named so.
func (s *steps) on(name string) {
	s.t.Helper()
	s.wait("(" + focused + ").includes(" + quoted(name) + ")")
}

// focused is the name of what has the focus.
var focused = "document.activeElement === document.body ? '' : " + named("document.activeElement")

// named is the name of an element.
func named(e string) string {
	return e + ".getAttribute('aria-label') || " + e + ".labels?.[0]?.innerText || " + e + ".innerText || ''"
}

func (s *steps) apply(reason string) {
	s.t.Helper()
	s.typeInto("Why", reason)
	s.press(browser.Enter)
	s.see("[role=status]", "is applied")
}

// later sets the clock forward, has happen what happens by itself, and signs in anew: a session does not last for days.
func (s *steps) later(at time.Time, user string) {
	s.t.Helper()
	s.Refusals = true // the page asks once more before it sees that its session has ended
	s.clock.Set(at)
	s.must(s.desk.SeriesDue())
	s.must(s.desk.EndDue())
	s.open("/")
	s.see("form", "Sign in")
	s.Refusals = false
	s.signIn(user)
}

// file writes a file to bring in, and gives where it is.
func (s *steps) file(name, text string) string {
	s.t.Helper()
	path := filepath.Join(s.t.TempDir(), name)
	s.must(os.WriteFile(path, []byte(text), 0o600))
	return path
}

// shut closes what a bracket of a sentence has opened.
func (s *steps) shut() {
	s.t.Helper()
	s.press(browser.Esc)
	s.wait(
		"!document.querySelector('[data-radix-popper-content-wrapper]') && document.activeElement !== document.body",
	) // the focus is given back
}

// brickIs is an expression that is true when a brick of the wall says what it should.
func brickIs(key, state string) string {
	return `(document.querySelector('[data-brick="` + key + `"]')?.textContent ?? 'absent').includes("` + state + `")`
}

// TestTheWholeJob is the main job from end to end: joined in the frame, weighed in the sill, applied, traced,
// undone; then reviewed, revoked by a manager, closed, and told by the history.
func TestTheWholeJob(t *testing.T) {
	s := walk(t, 1280, 800)

	// The owner joins a group to a role.
	s.signIn("signe.halloran")
	s.click("a", "To the frame")
	s.see("h2", "Permission sets")
	s.typeInto("Filter roles", "night cover")
	s.wait("document.querySelectorAll('#bay-role [data-row]').length === 1")
	s.click("#bay-role [role=option]", "Night cover")
	s.see("p", "Overrides at the gate")
	s.typeInto("Filter groups", "terminal 2 gate")
	s.wait("document.querySelectorAll('#bay-group [data-row]').length === 1")
	s.must(s.Drag("#bay-group [role=option]", "Terminal 2 gate crew", "#bay-role [role=option]", "Night cover"))
	s.see("[role=dialog]", "Terminal 2 gate crew gets Night cover")
	s.choose("Where", "at Terminal 2")
	s.click("button", "Put into the draft")

	// The sill names who gains what.
	s.see("section[aria-label=Draft]", "1 change")
	s.see("section[aria-label=Draft]", "people gain")
	s.click("section[aria-label=Draft] button", "Apply")
	s.see("section[aria-label='The draft and its impact']", "Terminal 2 gate crew gets Night cover at Terminal 2")
	s.see("section[aria-label='The draft and its impact']", "Noor Tamsin")
	s.see("section[aria-label='The draft and its impact']", "quaybook:gate:override at Terminal 2 critical")
	s.apply("the night shift at Terminal 2 needs it")

	// A member's sheet shows the permission, with its way through the group.
	s.open("/people/noor.tamsin")
	s.brick("quaybook:gate:override", "held at Terminal 2")
	s.click(`[data-brick="quaybook:gate:override"]`, "override")
	s.see("p", "Held at Terminal 2, by 1 way")
	for _, joint := range []string{"Terminal 2 gate crew", "at Terminal 2", "Night cover", "Gate override",
		"quaybook:gate:override"} {
		s.see("[aria-label='Places of work'] ~ *, a, div", joint)
	}
	s.wait(`[...document.querySelectorAll('a[title^="Terminal 2 gate crew"]')].length === 1`)

	// Undone, it is gone.
	s.click("header a", "History")
	s.see("li", "Revision 61")
	s.click("#revision-61 button", "Undo")
	s.see("[role=status]", "is in your draft")
	s.click("section[aria-label=Draft] button", "Open")
	s.see("section[aria-label='The draft and its impact']", "Undoes revision 61")
	s.apply("it was the wrong crew")
	s.see("li", "Revision 62")
	s.see("#revision-61", "undone by revision 62")
	s.open("/people/noor.tamsin?all=1")
	s.brick("quaybook:gate:override", "not held")
	s.open("/people/tomasz.oyelaran")
	s.brick("quaybook:gate:override", "held at Terminal 1")

	// The owner opens a review of the role.
	s.click("header a", "Reviews")
	s.see("h1", "Reviews")
	s.click("form[aria-label='Open a review'] button", "What: what")
	s.pick("Role", "Night cover")
	s.shut()
	s.see("p", "items for")
	s.click("button", "Open the review")
	s.see("h1", "Review of Night cover")
	s.must(s.SignOut())

	// A manager revokes, by key.
	s.signIn("mireille.aster")
	s.click("header a", "Reviews")
	s.see("h1", "Reviews")
	s.click("a", "Review of Night cover")
	s.click("ul[aria-label=Items] button", "Tomasz Oyelaran")
	s.see("h2", "Should Tomasz Oyelaran keep Night cover?")
	s.press("r")
	s.wait("document.activeElement.id && document.activeElement.tagName === 'INPUT'") // the reason is asked for
	s.press("back on days", browser.Enter)
	s.see("ul[aria-label=Items] button", "Tomasz Oyelaran ! Gate clerk · Terminal 1 · Night cover ✕ revoked")
	s.press("k")
	s.see("ul[aria-label=Items] button", "✓ kept")
	s.must(s.SignOut())

	// Closed by the owner, the grant goes. What Tomasz also holds by hand as a set stays, and the sheet says so.
	s.signIn("signe.halloran")
	s.click("header a", "Reviews")
	s.see("h1", "Reviews")
	s.click("a", "Review of Night cover")
	s.click("button", "Close the review")
	s.see("[role=dialog]", "Tomasz Oyelaran loses Night cover at Terminal 1")
	s.click("[role=dialog] button", "Close it and revoke 1")
	s.see("[role=status]", "Revision 63 takes away what was revoked")
	s.open("/people/tomasz.oyelaran?permission=quaybook:gate:override")
	s.see("p", "Held at Terminal 1, by 1 way")
	s.click("button", "Cut Gate override, given by hand")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("the old grant of the same")
	s.open("/people/tomasz.oyelaran?all=1")
	s.brick("quaybook:gate:override", "not held")

	s.click("header a", "History")
	s.see("#revision-63", "Outcome of “Review of Night cover”")
	s.see("#revision-63", "Tomasz Oyelaran loses Night cover at Terminal 1")
}

// TestByKeyboardAlone goes from sign-in to an applied change without the mouse.
func TestByKeyboardAlone(t *testing.T) {
	s := walk(t, 1280, 800)
	s.open("/")
	s.see("button", "Sign in")
	s.wait("document.querySelector('input[autocomplete=username]')")
	s.must(s.Type("User name", "signe.halloran"))
	s.press("\t")
	s.press(demo.Password, browser.Enter)
	s.see("h1", "Today")
	s.wait("document.activeElement.matches('[data-line]')")
	s.press(browser.Down, browser.Up, "f") // the frame is one key away
	s.see("h2", "Permission sets")

	s.typeInto("Filter groups", "berth office")
	s.see("#bay-group", "Berth office")
	s.wait("document.querySelectorAll('#bay-group [data-row]').length === 1")
	s.press(browser.Enter) // from the filter into the list
	s.wait("document.activeElement.id === 'bay-group'")
	s.press(browser.Enter) // and focus
	s.see("aside", "Berth office")
	s.press(browser.Right)
	s.wait("document.activeElement.id === 'bay-role'")
	s.press("/")
	s.wait("document.activeElement.id === 'filter-role'")
	s.press("berth lead")
	s.wait("document.querySelectorAll('#bay-role [data-row]').length === 1")
	s.press(browser.Down)
	s.wait("document.activeElement.id === 'bay-role'")
	s.see("aside", "Berth lead is not joined to Berth office")
	s.press("j")
	s.see("[role=dialog]", "Berth office gets Berth lead")
	s.wait("document.querySelector('[role=dialog]').contains(document.activeElement)")
	for range 20 { // through the sentence to its button
		on, err := browser.Eval[bool](s.Page, "document.activeElement.innerText === 'Put into the draft'")
		s.must(err)
		if on {
			break
		}
		s.press("\t")
	}
	s.press(browser.Enter)
	s.see("section[aria-label=Draft]", "Berth office gets Berth lead")
	s.wait("!document.querySelector('[role=dialog]')")
	s.must(s.PressAlt("d"))
	s.wait("document.activeElement.tagName === 'INPUT' && document.activeElement.placeholder.startsWith('e.g.')")
	s.press("they publish from now on", browser.Enter)
	s.see("[role=status]", "Revision 61 is applied")
	s.open("/history")
	s.see("#revision-61", "Berth office gets Berth lead over the whole organisation")
}

// TestTwoFociesShowOnlyThePaths and the beams that are drawn.
func TestTheFrameDrawsWhatIsConnected(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/frame?focus=role:gate-clerk")
	s.see("#bay-group", "North gate crew")
	s.wait("Number(document.querySelector('svg[data-beams]').dataset.beams) > 10")
	s.see("main", "3 of 62")
	// Twenty-two people come by one group: one beam carries them. Both who come by themselves have theirs.
	s.wait("[...document.querySelectorAll('[data-bundle]')].map(b => b.dataset.bundle).join() === '22'")
	// What is below the fold is told, and comes into view.
	s.see("section", "34 more people below")
	s.click("section button", "34 more people below")
	s.wait("document.querySelector('#bay-user').scrollTop > 300")
	s.see("section", "more people below")
	s.see("section", "2 more permissions below")
	s.click("section button", "2 more permissions below")
	s.wait("!document.querySelector('main').innerText.includes('permissions below')")
	s.open("/frame?focus=user:tomasz.oyelaran&second=permission:quaybook:gate:admit")
	s.see("#bay-role", "Gate clerk")
	s.wait(
		"document.querySelectorAll('#bay-role [data-lit]').length === 1 && document.querySelectorAll('#bay-group " +
			"[data-lit]').length === 1",
	)
	s.wait("Number(document.querySelector('svg[data-beams]').dataset.beams) === 5")
	s.open("/frame?focus=user:noor.tamsin&second=permission:tallyroom:payment:release")
	s.see("main ~ *, div", "no path runs between the two")
	// The area in the context line narrows everything, and stays from view to view.
	s.open("/frame?focus=user:ruben.adeyemi&where=ferries")
	s.see("div", "only what counts somewhere there")
	s.wait("[...document.querySelectorAll('#bay-role [data-lit]')].every(e => !e.innerText.includes('Site manager'))")
	s.click("header a", "People")
	path, err := s.Path()
	s.must(err)
	if path != "/people?where=ferries" {
		t.Errorf("from the frame, the link to the people leads to %s", path)
	}
	// By the mouse a beam to the focus is cut from the row that it leads to, and what is not joined is joined from there.
	s.open("/frame?focus=role:gate-clerk")
	s.see("#bay-set", "Gate additions")
	s.must(s.Hover("#bay-set [role=option]", "Gate additions"))
	s.click("#bay-set [data-act=cut]", "Cut")
	s.see("section[aria-label=Draft]", "Gate additions is taken out of Gate clerk")
	s.see("section[aria-label=Draft]", "people lose")
	s.must(s.Hover("#bay-set [role=option]", "Crewtide crew, lead"))
	s.click("#bay-set [data-act=join]", "Join")
	s.see("section[aria-label=Draft]", "2 changes")
	s.click("section[aria-label=Draft] button", "Open")
	s.click("button", "Discard all")
	s.see("section[aria-label=Draft]", "No draft")

	// Back and forward work, and Escape steps back.
	s.open("/frame?focus=role:gate-clerk&second=user:noor.tamsin")
	s.see("#bay-group", "Terminal 2 gate crew")
	s.press("\t")
	s.wait("document.getElementById('bay-user')")
	_, err = browser.Eval[bool](s.Page, "(document.getElementById('bay-user').focus(), true)")
	s.must(err)
	s.press(browser.Esc)
	s.wait("!location.search.includes('second')")
	s.press(browser.Esc)
	s.wait("!location.search.includes('focus')")
	_, err = browser.Eval[bool](s.Page, "(history.back(), true)")
	s.must(err)
	s.wait("location.search.includes('focus')")
}

func TestWhoSeesWhat(t *testing.T) {
	s := walk(t, 1280, 800)
	// Somebody to whom a part is delegated sees that part, and reads what they may do; their own sheet is open to them.
	s.signIn("mireille.aster")
	s.open("/frame")
	s.see("#bay-user", "Aino Brisk")
	s.gone("aside", "draw with the mouse")
	s.gone("header", "History")
	s.click("header a", "Delegation")
	s.see("h1", "What you may do")
	s.see(
		"li",
		"You may assign and revoke for people of Terminal 1 the role Night cover within Terminal 1 for at most 30 days.",
	)
	s.click("header button", "Mireille Aster")
	s.click("[role=menuitem]", "Your page")
	s.see("h1", "Your page")
	s.click(`[data-brick="quaybook:gate:override"]`, "override")
	s.see("p", "Held at Terminal 1")
	s.must(s.SignOut())
	// The auditor sees everything and is offered no change.
	s.signIn("oona.brandvold")
	s.open("/history")
	s.see("li", "Revision 60")
	s.gone("button", "Undo")
	s.open("/frame?focus=role:gate-clerk")
	s.see("aside", "Gate clerk")
	s.gone("aside", "Join")
	s.open("/no/such/room")
	s.see("h1", "There is no such page")
}

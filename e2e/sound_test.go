package e2e

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/desk"

	"fachwerk/e2e/browser"
)

// sights are the sizes and themes in which each view is looked at: a phone, a desk’s screen at 200 in 100, and two
// screens; with the rules of axe that are asked there, by commas. All of them are asked once; the colours once more by
// night, and what depends on what is shown and what scrolls, in the small windows.
var sights = []struct {
	width, height int
	theme, rules  string
}{
	{1280, 800, "day", "all"}, {1280, 800, "night", "color-contrast"}, {1600, 1000, "day", ""},
	{640, 400, "day", inSmall}, {320, 640, "night", inSmall},
}

const inSmall = "scrollable-region-focusable,aria-hidden-focus,button-name,link-name,label,select-name,nested-interactive," +
	"page-has-heading-one,landmark-one-main,skip-link,bypass"

// TestEveryViewIsSound looks at every view and board in several sizes and both themes: nothing wider than the window,
// and nothing that axe finds against WCAG or good practice.
func TestEveryViewIsSound(t *testing.T) {
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	const parts = 3 // side by side
	for part := range parts {
		t.Run(fmt.Sprintf("views %d", part+1), func(t *testing.T) {
			l := look(t, string(axe))
			paths := slices.Sorted(maps.Keys(l.views()))
			for n, path := range paths {
				if n%parts == part {
					l.open(path)
					l.see("main", l.views()[path])
					l.sound(path)
				}
			}
		})
	}
	t.Run("boards", func(t *testing.T) { look(t, string(axe)).boards() })
}

// looking looks at the demo with axe.
type looking struct {
	*steps
	axe  string
	list string // a worklist
}

func look(t *testing.T, axe string) *looking {
	l := &looking{steps: walk(t, 1280, 800), axe: axe}
	l.open("/")
	l.see("button", "Signe Halloran")
	l.sound("/sign-in")
	l.signIn("signe.halloran")
	lists, err := l.desk.Worklists(desk.Actor{User: "signe.halloran"})
	l.must(err)
	l.list = lists.Lists[0].ID
	return l
}

// sound looks at what the window shows.
func (l *looking) sound(what string) {
	l.t.Helper()
	l.must(l.Settled())
	_, err := browser.Eval[bool](l.Page, l.axe+"; true")
	l.must(err)
	for _, s := range sights {
		in := fmt.Sprintf("%s at %d by %s", what, s.width, s.theme)
		l.must(l.Resize(s.width, s.height))
		_, err := browser.Eval[bool](l.Page, "(document.documentElement.dataset.theme = '"+s.theme+"', true)")
		l.must(err)
		l.must(l.Settled())
		wide, err := browser.Eval[bool](l.Page, "document.documentElement.scrollWidth > innerWidth || "+
			"innerWidth > 900 && document.documentElement.scrollHeight > innerHeight")
		l.must(err)
		if wide {
			l.t.Errorf("%s is larger than the window", in)
		}
		if s.rules == "" {
			continue
		}
		found, err := browser.EvalAsync[[]string](l.Page, `axe.run(document, {resultTypes: ['violations'],
			runOnly: '`+s.rules+`' === 'all' ? undefined : {type: 'rule', values: '`+s.rules+`'.split(',')}}).then(r =>
			r.violations.map(v => v.id + ' (' + v.impact + '): ' + v.nodes.slice(0, 3).map(n =>
				n.html.slice(0, 160) + ' ' + n.failureSummary).join(' | ')))`)
		l.must(err)
		for _, f := range found {
			l.t.Errorf("%s: %s", in, f)
		}
	}
	l.must(l.Resize(sights[0].width, sights[0].height))
}

// views are the addresses of views, with what is seen there.
func (l *looking) views() map[string]string {
	return map[string]string{
		"/": "Answer 2 requests", "/frame": "Who has what", "/frame?focus=role:gate-clerk": "Lets vehicles in", "/people": "420 people",
		`/people?q=title+eq`: "✕ Expected",
		"/people/tomasz.oyelaran?permission=quaybook:gate:override&all=1": "Held at Terminal 1",
		"/people/noor.tamsin?permission=quaybook:berth-plan:view":         "does not hold it",
		"/compare?things=user:tomasz.oyelaran,user:noor.tamsin":           "4 differences",
		"/who?what=quaybook:gate:override&where=terminal-1":               "11 people", "/compare": "Choose two to eight",
		"/fit?need=quaybook:gate:admit": "Gate clerk", "/people/tomasz.oyelaran?tab=record": "Revision 58",
		"/people/tomasz.oyelaran?as=tomasz.oyelaran": "their own sheet",
		"/people/noor.tamsin?when=2026-09-01":        "Terminal 2 gate crew", "/areas": "24 areas",
		"/import": "Drop a file here", "/worklists": "Night crew", "/invitations": "Anouk Valderhaug",
		"/letters": "This demo sends no letters",
		"/own":     "I need to", "/requests": "Eilidh Dalgaard", "/requests/2": "On these terms",
		"/account": "Second factor", "/going": "Nobody is due to leave",
		"/people/ulla.tannahill/leaving": "no successor yet", "/seats": "Hoistkeeper seat",
		"/seats?licence=gangway-till&part=idle": "Gather them", "/worklists/" +
			l.list: "Joins Terminal 2 gate crew", "/upgrade": "Choose a catalogue",
		"/directories": "Harbour directory", "/capabilities?system=quaybook": "Gate clerk",
		"/areas/terminal-1": "Granted at Terminal 1", "/groups": "62 groups",
		"/groups/north-gate-crew": "Held by hand as well",
		"/groups/crane-certified": "matches", "/roles": "45 roles", "/roles/site-manager": "Kept out",
		"/roles/quaybook-administrator": "protected", "/sets": "106 permission sets", "/sets/gate-override": "ticked",
		"/conflicts": "12 conflicts", "/conflicts/bank-payment": "excepted",
		"/systems": "8 systems", "/systems/quaybook": "Supplied sets", "/permissions": "238 permissions",
		"/permissions/quaybook:gate:override": "Roles that give it", "/licences": "5 licences",
		"/delegations": "Ruben Adeyemi may",
		"/reviews":     "whether", "/reviews/3": "Report", "/reviews/3?view=desk": "Should",
		"/reviews/3?view=grid": "Against it", "/history": "Revision 60",
		"/fewer": "Fewer roles", "/findings": "Dormant people", "/guarantees": "guarantees",
		"/guarantees/payments-in-finance": "Payments stay in Finance", "/people/ulla.tannahill/moving": "Ulla Tannahill",
		"/security-log": "Security log", "/tokens": "Tokens", "/series/2": "Idle at Gangway",
		"/licences/gangway-till": "seats", "/no/such/room": "There is no such page",
		"/frame?focus=role:gate-clerk&second=user:noor.tamsin": "Noor Tamsin",
	}
}

// boards looks at what opens above a view.
func (s *looking) boards() {
	s.open("/delegations")
	s.click("[data-delegation=north-harbour-people] button", "Rewrite")
	s.see("aside", "140 people")
	s.sound("the sentence editor")
	for _, c := range [][2]string{
		{"/people", "Invite"}, {"/people/tomasz.oyelaran", "Assign"},
		{"/roles/gate-clerk", "Delete"}, {"/roles/gate-clerk", "Edit"},
		{"/sets/gate-override", "Edit"}, {"/groups/north-gate-crew", "Edit"}, {"/groups", "New group"},
		{"/conflicts", "New conflict"}, {"/roles", "New role"}, {"/sets", "New set"}, {"/areas", "New area"},
		{"/systems", "New system"}, {"/licences", "New licence"}, {"/guarantees", "New guarantee"},
		{"/tokens", "New token"}, {"/tokens", "Withdraw"}, {"/findings", "Set aside"},
		{"/account", "Name somebody"}, {"/reviews/3", "Close the review"},
		{"/invitations", "Invite"},
	} {
		s.open(c[0])
		s.click("main button", c[1])
		s.wait("document.querySelector('[role=dialog]')")
		s.sound("the board of " + c[1] + " at " + c[0])
		s.press(browser.Esc)
		s.wait("!document.querySelector('[role=dialog]')")
		s.wait("document.activeElement.textContent.includes('" + c[1] + "')") // the focus is where it came from
	}
	for kind, drawn := range map[string]string{
		"near-roles": "not edit", "high-ceiling": "lower it",
	} {
		s.open("/findings?kind=" + kind)
		s.click("ul[aria-label=Findings] button", "Show")
		s.see("[data-drawn]", drawn)
		s.sound("the drawing of " + kind)
	}
	s.open("/requests/2")
	s.click("main button", "Refuse")
	s.sound("a request that is refused")
	s.open("/account")
	s.click("main button", "Set up time codes")
	s.sound("time codes")
	s.open("/people/tomasz.oyelaran")
	s.click("main button", "Do")
	s.see("[role=menuitem]", "Lock")
	s.sound("the menu of a person")
	s.open("/people")
	s.click("main button", "Columns")
	s.see("[role=dialog]", "Department")
	s.sound("the columns of a list")
	s.open("/people/tomasz.oyelaran")
	s.click("main button", "Assign")
	s.typeInto("Roles and sets", "gate")
	s.see("[role=option]", "Gate clerk")
	s.sound("a picker")
	s.open("/own")
	s.typeInto("I need to", "gate")
	s.see("[role=option]", "gate")
	s.sound("what can be asked for")
	s.open("/delegations")
	s.click("[data-delegation=north-harbour-people] button", "Rewrite")
	s.click("button[aria-haspopup=dialog]", "Which acts")
	s.wait("document.querySelector('[role=dialog]')")
	s.sound("a bracket of a sentence")
	s.open("/systems")
	s.click("header button", "Find")
	s.typeInto("Find, or ask", "who can override gates")
	s.see("#found", "17 people")
	s.sound("the finder")
	s.open("/frame?focus=role:night-cover")
	s.typeInto("Filter groups", "north-gate-crew")
	s.wait("document.querySelectorAll('#bay-group [data-row]').length === 1")
	s.must(s.Drag("#bay-group [role=option]", "North gate crew", "#bay-role [role=option]", "Night cover"))
	s.see("[role=dialog]", "gets")
	s.sound("the join board")
	s.click("button", "Put into the draft")
	s.click("section[aria-label=Draft] button", "Open")
	s.see("h2", "Who gains")
	s.sound("the open sill")
}

// What is seen is told too: the window is named after the page, what becomes of the draft is announced, and one key
// goes from beam to beam (WCAG 2.4.1, 2.4.2, 4.1.3). All of it is done without the mouse.
func TestWhatIsSeenIsTold(t *testing.T) {
	s := walk(t, 1280, 800)
	s.open("/")
	s.wait("document.title === 'Access of Skerryhaven Harbour Authority · Fachwerk'")
	s.signIn("signe.halloran")
	s.wait("document.title === 'Today · Fachwerk'")
	s.open("/people/tomasz.oyelaran")
	s.wait("document.title === 'Tomasz Oyelaran · Fachwerk'")
	in := func(beam string) { t.Helper(); s.wait("document.activeElement.closest('" + beam + "')") }
	s.press(browser.F6)
	in("header")
	s.press(browser.F6)
	in("[aria-label=\"Where and when\"]")
	s.press(browser.F6)
	in("main")
	s.press(browser.F6)
	in("[aria-label=Draft]")
	s.press(browser.F6)
	in("header")
	s.must(s.PressShift(browser.F6))
	in("[aria-label=Draft]")
	s.must(s.PressShift(browser.F6))
	in("main")
	// By keys alone: a role is assigned, and that is said.
	s.wait("document.querySelector('footer [role=status]').textContent === ''")
	for range 10 {
		s.press("\t")
		if on, err := browser.Eval[string](s.Page, "document.activeElement.textContent"); err != nil ||
			strings.HasPrefix(on, "Assign") {
			break
		}
	}
	s.press(browser.Enter)
	s.wait("document.querySelector('[role=dialog]')")
	s.typeInto("Roles and sets", "quay hand")
	s.see("[role=option]", "Quay hand")
	s.press(browser.Enter)
	s.see("[role=dialog]", "Quay hand")
	s.press(browser.Enter)
	s.gone("[role=dialog]", "Assign")
	s.wait("document.querySelector('footer [role=status]').textContent.startsWith('Put into the draft: ')")
	s.wait("document.querySelector('footer [role=status]').textContent.includes('1 change: ')")
	s.wait("document.activeElement.textContent.startsWith('Assign')") // the focus comes back to where it came from
	s.see("section[aria-label=Draft]", "Tomasz Oyelaran")
	s.press(browser.F6)
	in("[aria-label=Draft]")

	// A board in which something is typed does not go by accident.
	s.click("main button", "Assign")
	s.typeInto("Reason (shown in the trace)", "for the night")
	s.press(browser.Esc)
	s.see("[role=dialog] [role=alert]", "not saved yet")
	s.press(browser.Enter) // Go on
	s.gone("[role=dialog]", "not saved yet")
	s.wait("document.querySelector('[role=dialog] textarea, [role=dialog] input[value=\"for the night\"]')")
	s.press(browser.Esc, browser.Esc) // asked, and not
	s.gone("[role=dialog]", "not saved yet")
	s.press(browser.Esc)
	s.click("[role=dialog] button", "Discard it")
	s.wait("!document.querySelector('[role=dialog]')")
	s.wait("document.activeElement.textContent.startsWith('Assign')")
	s.click("main button", "Assign")
	s.see("[role=dialog]", "gets")
	s.press(browser.Esc) // with nothing typed it goes at once
	s.wait("!document.querySelector('[role=dialog]')")
}

package e2e

import (
	"strings"
	"testing"

	"fachwerk/e2e/browser"
	"fachwerk/internal/demo"
)

// TestARolesWorkshop builds a role on its sheet: from another, ticked and unticked, assigned, weighed, applied;
// then retired and deleted.
func TestARolesWorkshop(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.click("header a", "Roles")
	s.see("main", "45 roles")
	s.click("button", "New role")
	s.typeInto("Name", "Gate lead, nights")
	s.typeInto("Why it exists", "Leads a gate while it is dark.")
	s.pick("Built on", "Gate lead")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "Gate lead, nights")
	s.wait("location.pathname === '/roles/gate-lead-nights'")
	s.see("main", "new in the draft")
	s.see("main", "Gate lead")

	// The wall: what the layer gives is kept out, what it lacks becomes the role's own; a whole object at once.
	s.click(`[data-brick="quaybook:gate:override"]`, "override")
	s.wait(`document.querySelector('[data-brick="quaybook:gate:override"]').dataset.state === 'excluded'`)
	s.see("main", "Kept out 1")
	s.click("main button", "Let in")
	s.wait(`document.querySelector('[data-brick="quaybook:gate:override"]').dataset.state === 'given'`)
	s.typeInto("Find on the wall", "lost-item")
	s.see("[data-wall]", "Gangway") // which it does not touch yet: all systems can be looked through
	s.typeInto("Find on the wall", "berth-plan")
	s.wait(`document.querySelectorAll('[data-wall] [data-brick]').length === 3`)
	s.click("[data-wall] button", "berth-plan")
	s.wait(`[...document.querySelectorAll('[data-wall] [data-brick]')].every(e => e.dataset.state === 'given')`)
	s.see("main", "are its own")
	s.press("\t")

	// Assigned from the role's end.
	s.click("button", "Assign")
	s.pick("People and groups", "Noor Tamsin")
	s.choose("Where", "at Terminal 2")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("main", "In your draft")
	s.see("main", "1 person gains")
	s.click("section[aria-label=Draft] button", "Apply")
	s.see("section[aria-label='The draft and its impact']", "Noor Tamsin gets Gate lead, nights at Terminal 2")
	s.apply("nights need a lead")
	s.open("/people/noor.tamsin?all=1")
	s.brick("quaybook:gate:override", "held at Terminal 2")
	s.brick("quaybook:berth-plan:publish", "withheld: needs licence")

	// Protected and supplied ones are not edited, and offer the other way.
	s.open("/roles/quaybook-administrator")
	s.see("main", "It is protected.")
	s.wait(`document.querySelector('[data-brick="quaybook:gate:override"]').getAttribute('aria-disabled') === 'true'`)
	s.click("main button", "Build a role on it")
	s.see("[role=dialog]", "Quaybook administrator")
	s.press(browser.Esc)
	s.open("/sets/quaybook-gates")
	s.see("main", "It is supplied with Quaybook")
	s.click("main button", "Make a supplement")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "Quaybook: gates: additions")
	s.typeInto("Find on the wall", "gate:override")
	s.click(`[data-brick="quaybook:gate:override"]`, "override")
	s.wait(`document.querySelector('[data-brick="quaybook:gate:override"]').dataset.state === 'given'`)

	// Deleting shows what hangs on it, and asks what becomes of it.
	s.open("/roles/gate-lead-nights")
	s.click("main button", "Delete")
	s.see("[role=dialog]", "1 assignment gives it")
	s.see("[role=dialog]", "Noor Tamsin – Gate lead, nights, at Terminal 2")
	s.pick("Instead, for assignments", "Gate lead")
	s.click("[role=dialog] button", "Put the deletion into the draft")
	s.see("main", "taken out in the draft")
	s.click("section[aria-label=Draft] button", "Apply")
	s.Refusals = true // the sheet of what is gone
	s.apply("one lead is enough")
	s.open("/people/noor.tamsin")
	s.see("main", "Gate lead")
	s.gone("main", "Gate lead, nights")
	s.open("/roles/gate-lead-nights")
	s.see("[role=alert]", "There is no role")
}

// TestGroupsPeopleAndAreas goes through their sheets: a rule as it is typed, members, tidying, an invitation, a
// life in states, an area.
func TestGroupsPeopleAndAreas(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/groups/crane-certified")
	s.typeInto("Rule", `qualifications[type eq "crane" and level ge 5]`)
	s.see("main", "fewer than now")
	s.typeInto("Rule", `qualifications[type eq "crane" and levle ge 5]`)
	s.see("main", "has no part")
	s.click("button", "Back to what it was")
	s.open("/groups/north-gate-crew")
	s.see("main", "Held by hand as well 4")
	s.click("main button", "Tidy away")
	s.see("section[aria-label=Draft]", "nobody’s access changes")
	s.pick("Add a person", "Noor Tamsin")
	s.wait(`document.querySelector('[data-member="noor.tamsin"]').innerText.includes('new in the draft')`)
	s.see("section[aria-label=Draft]", "1 person gains")
	s.typeInto("Filter members", "kofi")
	s.click("button[aria-label='Take Kofi Ostrov out']", "")
	s.wait(`document.querySelector('[data-member="kofi.ostrov"]').innerText.includes('taken out')`)
	s.click("[role=tab]", "What they give a member")
	s.see("main", "Quaybook")
	s.click("section[aria-label=Draft] button", "Open")
	s.click("button", "Discard all")
	s.see("section[aria-label=Draft]", "No draft")

	// One invitation after another without leaving the board, a role at once.
	s.click("header a", "People")
	s.click("button", "Invite")
	s.typeInto("Name", "Ada Lindgren-Moe")
	s.typeInto("E-mail", "ada@skerryhaven.example")
	s.pick("Home area", "Terminal 2")
	s.pick("Roles and sets at once", "Quay hand")
	s.click("[role=dialog] button", "This one, and another")
	s.see("[role=status]", "Ada Lindgren-Moe is in your draft")
	s.typeInto("Name", "Bo Lindgren-Moe")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "Bo Lindgren-Moe")
	s.see("main", "invited")
	s.see("main", "Terminal 2")
	s.see("main", "Quay hand")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("two new hands")
	s.open("/people?q=lindgren")
	s.see("main", "2 of 422")

	// Locked and brought back, with everything in place; deleted only after what they own has a new owner.
	s.open("/people/mireille.aster")
	s.click("button", "Do")
	s.click("[role=menuitem]", "Deactivate")
	s.see("section[aria-label=Draft]", "1 person loses")
	s.click("section[aria-label=Draft] button", "Open")
	s.click("button", "Discard all")
	s.see("section[aria-label=Draft]", "No draft")
	s.see("main header", "active") // the sheet has followed, so the menu stays as it is
	s.click("button", "Do")
	s.click("[role=menuitem]", "Delete")
	s.see("[role=dialog]", "owned by them")
	s.pick("New owner for groups", "Ruben Adeyemi")
	s.pick("New owner for roles", "Ruben Adeyemi")
	s.pick("New manager for persons", "Ulla Tannahill")
	s.click("[role=dialog] button", "Put the deletion into the draft")
	s.click("section[aria-label=Draft] button", "Open")
	s.see("section[aria-label='The draft and its impact']", "Mireille Aster is deleted")
	s.apply("she has left")
	s.open("/groups/north-gate-crew")
	s.see("main", "Owned by Ruben Adeyemi")

	// An area of its own, and what is granted there and from above.
	s.open("/areas/terminal-2")
	s.see("main", "Granted above, and so it applies here too")
	s.click("main button", "New area in it")
	s.typeInto("Name", "Pier C")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "Pier C")
	s.see("main", "Terminal 2")
	s.click("main button", "Assign")
	s.pick("People and groups", "Terminal 2 gate crew")
	s.pick("Roles and sets", "Night cover")
	s.Refusals = true // that group's home is Terminal 2, which Pier C lies in: so it may
	s.click("[role=dialog] button", "Put into the draft")
	s.see("main", "Terminal 2 gate crew has Night cover")
}

// TestListsKeepTheirPlace sorts, filters by words and by a filter, opens a row by key, and comes back to where it was.
func TestListsKeepTheirPlace(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/people")
	s.see("main", "420 people")
	s.typeInto("Filter people", `title eq "Crane driver" and area eq "terminal-1"`)
	s.see("#filter-tells", "read as a filter")
	s.wait(
		`[...document.querySelectorAll('[data-rows] [data-id]')].every(e => e.innerText.includes('Crane driver') && e.innerText.includes('Terminal 1'))`,
	)
	s.typeInto("Filter people", `title eq "Crane driver" and wing eq 2`)
	s.see("main", "There is no attribute")
	s.click("button", "Filters")
	s.click("main button", `state ne "active"`)
	s.see("main", "10 of 420")
	s.click("th button", "State")
	s.wait(`document.querySelector('[data-rows] [data-id]').innerText.includes('deactivated')`)
	s.click("th button", "State")
	s.wait(`document.querySelector('[data-rows] [data-id]').innerText.includes('locked')`)
	// Columns are chosen, and stay chosen.
	s.open("/people")
	s.click("button", "Columns")
	s.click("label", "E-mail")
	s.click("label", "Department")
	s.press(browser.Esc)
	s.see("[data-rows]", "aino.brisk@skerryhaven.example")
	s.open("/people")
	s.see("th", "E-mail")
	s.gone("th", "Department")
	s.click("button", "Columns")
	s.click("button", "As the list comes")
	s.see("th", "Department")
	s.press(browser.Esc)
	s.open("/people?sort=groups&down=1")
	s.see("main", "420 people")
	_, err := browser.Eval[bool](s.Page, "(document.querySelector('[data-rows]').scrollTop = 6000, true)")
	s.must(err)
	s.wait("Number(document.querySelector('[data-rows] [data-id]')?.getAttribute('aria-rowindex')) > 150")
	s.must(s.Settled())
	name, err := browser.Eval[string](
		s.Page,
		"[...document.querySelectorAll('[data-rows] [data-id]')].find(e => e.getBoundingClientRect().top > 300).dataset.id",
	)
	s.must(err)
	s.click(`[data-id="`+name+`"]`, "")
	s.wait("location.pathname === '/people/" + name + "'")
	_, err = browser.Eval[bool](s.Page, "(history.back(), true)")
	s.must(err)
	s.wait(
		"document.querySelector('[data-rows]')?.scrollTop > 5800 && document.querySelector('[data-chosen]')?.dataset.id === '" + name + "'",
	)
	// Words and arrows work together: typed, down, Enter.
	s.click("header a", "Groups")
	s.see("h1", "Groups")
	s.typeInto("Filter groups", "gate crew")
	s.wait("document.querySelectorAll('[data-rows] [data-id]').length === 4")
	s.press(browser.Down, browser.Enter)
	s.wait("location.pathname.startsWith('/groups/')")
}

// TestAskingTheFinder goes by keyboard from a question to its answer.
func TestAskingTheFinder(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.must(s.PressControl("k"))
	s.wait("document.activeElement.labels?.[0]?.textContent === 'Find, or ask'")
	s.press("who can override gates at Terminal 1")
	s.see("#found", "11 people")
	s.press(browser.Enter)
	s.wait("location.pathname === '/who' && location.search === '?what=quaybook%3Agate%3Aoverride&where=terminal-1'")
	s.see("[data-answer]", "11 people")
	s.must(s.PressControl("k"))
	s.press("why can't Noor edit rates")
	s.see("#found", "Why can’t Noor Tamsin change booking: rate")
	s.press(browser.Enter)
	s.see("main", "Noor Tamsin does not hold it")
	s.must(s.PressControl("k"))
	s.press("go to hist")
	s.see("#found", "Go to History")
	s.press(browser.Enter)
	s.see("h1", "History")
	s.must(s.PressControl("k"))
	s.press("zzzz")
	s.see("#found", "Nothing here matches")
	s.press(browser.Esc)
	s.wait("!document.querySelector('#found')")
}

// TestOtherDaysAndOtherEyes looks at the past, at what is to come, and through the eyes of a delegate; nothing can
// be changed meanwhile.
func TestOtherDaysAndOtherEyes(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/people/tomasz.oyelaran?when=2026-10-25")
	s.see("[data-elsewhere]", "As it was on 25 Oct 2026, revision 57")
	s.see("main", "Given by hand 2")
	s.gone("main", "Assign")
	s.gone("main", "Take away")
	s.see("section[aria-label=Draft]", "Nothing can be changed from here")
	s.click("header a", "Roles") // the day stays from view to view
	s.wait("location.search.includes('when=2026-10-25')")
	s.gone("main", "New role")
	s.click("[data-elsewhere] button", "Back to now")
	s.see("main", "New role")
	s.wait("!document.querySelector('[data-elsewhere]')")
	s.open("/people/tomasz.oyelaran?when=2027-03-24")
	s.see("[data-elsewhere]", "As it will be on 24 Mar 2027, if nothing is changed")
	s.see("main", "ended")
	s.open("/history?user=tomasz.oyelaran")
	s.see("main", "Gate override")
	s.click("#revision-58 button", "Before and after")
	s.see("#revision-58", "added")
	s.click("#revision-58 button", "The house then")
	s.see("[data-elsewhere]", "revision 58")
	s.open("/people/ruben.adeyemi")
	s.click("main a", "See as this person")
	s.see("[data-elsewhere]", "Seen as Ruben Adeyemi sees it")
	s.see("main", "This is their own sheet")
	s.gone("header", "History")
	s.click("header a", "People")
	s.see("main", "141 people")
	s.gone("main", "Invite")
	s.click("[data-elsewhere] button", "Back to your own view")
	s.see("main", "420 people")
}

// TestTwoAtOneRole has two administrators edit one role: the second is told what changed beneath, sees both, keeps
// the draft and settles it.
func TestTwoAtOneRole(t *testing.T) {
	s := walk(t, 1280, 800)
	other := s.another(1280, 800)
	s.signIn("signe.halloran")
	s.open("/people/edda.rosenvik")
	s.must(s.Settled())
	let(t, s, "edda.rosenvik")
	other.signIn("edda.rosenvik")

	rename := func(w *steps, name string) {
		w.open("/roles/gate-clerk")
		w.click("main button", "Edit")
		w.typeInto("Name", name)
		w.click("[role=dialog] button", "Put into the draft")
		w.see("section[aria-label=Draft]", "1 change")
	}
	rename(s, "Gate clerk, day")
	rename(other, "Clerk at the gate")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("days and nights are told apart")
	other.open("/roles/gate-clerk") // or by itself, after some seconds
	other.see("section[aria-label=Draft]", "others changed the same")
	other.click("section[aria-label=Draft] button", "Open")
	other.see(
		"section[aria-label='The draft and its impact']",
		"Meanwhile Signe Halloran changed the same, revision 61",
	)
	other.see("section[aria-label='The draft and its impact']", "Gate clerk, day")
	other.see("[role=alert]", "cannot be applied yet")
	other.click("button", "Keep mine")
	other.gone("[role=alert]", "cannot be applied yet")
	other.apply("as the crews call it")
	other.see("h1", "Clerk at the gate")
}

// TestTheTerminalManager assigns a permitted role to one of their people, is offered nothing else, and is refused
// it by the API too.
func TestTheTerminalManager(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("ruben.adeyemi")
	s.click("header a", "People")
	s.see("h1", "People")
	s.see("main", "141 people")
	s.typeInto("Filter people", "noor tamsin")
	s.wait("document.querySelectorAll('[data-rows] [data-id]').length === 1")
	s.press(browser.Enter)
	s.see("h1", "Noor Tamsin")
	s.click("button", "Assign")
	s.typeInto("Roles and sets", "payments")
	s.see("[role=listbox]", "Nothing matches") // what is not theirs to give is not offered
	s.pick("Roles and sets", "Night cover")
	s.choose("Where", "at Terminal 2")
	s.Refusals = true
	s.click("[role=dialog] button", "Put into the draft")
	s.see("[role=alert]", "at most 90 days")
	s.typeInto("Until", "31.1.2027")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("section[aria-label=Draft]", "1 person gains")
	s.gone("[role=alert]", "at most 90 days")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("night cover in January")
	s.gone("[role=status]", "It can be undone in the history") // not by him
	s.open("/people/noor.tamsin")
	s.brick("quaybook:gate:override", "held at Terminal 2")

	// A foreign role, and a foreign person, by the API of the very session.
	for body, says := range map[string]string{
		`{"subjects":[{"kind":"user","id":"noor.tamsin"}],"targets":[{"kind":"role","id":"payments-lead"}],"terms":{"area":"terminal-2","until":"2027-01-31T00:00:00Z"}}`: `There is no role "payments-lead"`,
		`{"subjects":[{"kind":"user","id":"halima.corvane"}],"targets":[{"kind":"role","id":"gate-clerk"}],"terms":{"area":"terminal-2","until":"2027-01-31T00:00:00Z"}}`: `There is no person "halima.corvane"`,
	} {
		answer, err := browser.EvalAsync[string](
			s.Page,
			"fetch('/api/draft/assign', {method: 'POST', headers: {'Content-Type': 'application/json'}, body: "+quoted(
				body,
			)+"}).then(async r => r.status + ' ' + (await r.json()).detail)",
		)
		s.must(err)
		if !strings.HasPrefix(answer, "404 ") || !strings.Contains(answer, says) {
			t.Errorf("the API answers %s", answer)
		}
	}
	s.open("/people/halima.corvane")
	s.see("[role=alert]", "There is no person")
	s.open("/roles/payments-lead")
	s.see("[role=alert]", "There is no role")
}

// TestWritingADelegation writes one as a sentence, told what it covers as it is written; the password is asked when
// it was given long ago.
func TestWritingADelegation(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/delegations")
	s.click("button", "New delegation")
	s.typeInto("Name", "Cold Store, its hands")
	s.click("form button", "Who: a person or group")
	s.pick("Delegate", "Tomasz Oyelaran")
	s.shut()
	s.click("form button", "Which acts")
	s.click("label", "assign")
	s.click("label", "revoke")
	s.shut()
	s.click("form button", "Whom")
	s.pick("People of the area", "Cold Store")
	s.shut()
	s.see("aside", "22 people")
	s.click("form button", "Which roles and sets")
	s.pick("Roles and sets", "Store hand")
	s.shut()
	s.see("aside", "permissions")
	s.click("form button", "Put into the draft")
	s.see(
		"li",
		"Tomasz Oyelaran may assign and revoke for people of Cold Store the role Store hand within the whole organisation.",
	)
	s.see("main", "new in the draft")
	s.click("section[aria-label=Draft] button", "Open")
	s.see("section[aria-label='The draft and its impact']", "Critical")
	s.apply("he runs it for the winter")
	let(t, s, "tomasz.oyelaran")
	s.must(s.SignOut())
	s.signIn("tomasz.oyelaran")
	s.open("/delegations")
	s.see("li", "You may assign and revoke for people of Cold Store")
	s.click("header a", "People")
	s.see("h1", "People")
	s.see("main", "23 people")
}

// quoted writes a text as a script does.
func quoted(s string) string {
	return "'" + strings.ReplaceAll(s, "'", "\\'") + "'"
}

// let gives somebody the demo's password by a link.
func let(t *testing.T, s *steps, user string) {
	t.Helper()
	link, err := s.desk.PasswordLink(user)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.desk.SetPassword(t.Context(), link, demo.Password, "test"); err != nil {
		t.Fatal(err)
	}
}

// TestTheCatalogueByHand makes a system with a permission and a licence, and an invitation that is accepted.
func TestTheCatalogueByHand(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/licences")
	s.click("button", "New licence")
	s.typeInto("Name", "Beacon seat")
	s.typeInto("Seats", "5")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("[data-id=beacon-seat]", "new in the draft")
	s.open("/systems")
	s.click("button", "New system")
	s.typeInto("Name", "Beaconry")
	s.pick("Licence", "Beacon seat")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "Beaconry")
	s.see("main", "0 of 5 seats")
	s.click("main button", "New permission")
	s.typeInto("Object, or object.field", "light")
	s.typeInto("Action", "switch")
	s.choose("Risk", "critical")
	s.choose("Class", "write")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("[data-brick='beaconry:light:switch']", "switch critical 0")
	s.click("[data-brick='beaconry:light:switch']", "switch")
	s.see("h1", "beaconry:light:switch")
	s.click("main button", "Edit")
	s.typeInto("What it does", "Turns a light off that ships steer by.")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("main", "ships steer by")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("the beacons come under our care")
	s.open("/licences/beacon-seat")
	s.see("main", "0 of 5 seats taken")
	s.see("main", "Beaconry")

	s.open("/people?q=invited")
	s.see("main", "5 of 420")
	s.click("[data-id]", "Petra Lind")
	s.click("button", "Do")
	s.click("[role=menuitem]", "Invitation")
	s.click("[role=dialog] button", "Invite once more")
	s.wait("document.querySelector('[role=dialog] input[readonly]')")
	link, err := browser.Eval[string](
		s.Page,
		"new URL(document.querySelector('[role=dialog] input[readonly]').value).pathname",
	)
	s.must(err)
	s.press(browser.Esc)
	s.must(s.SignOut())
	s.open(link)
	s.typeInto("New password", "a lamp in the window")
	s.press(browser.Enter)
	s.see("h1", "Your page")
	s.see("section[aria-label='About you']", "Your groups")
}

// TestNamesThatWouldHarm are shown as what they are: markup stays text, right-to-left stays in its place, and two
// hundred characters break nothing.
func TestNamesThatWouldHarm(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	names := []string{
		`<img src=x onerror="window.harmed = true"><b>bold</b>`,
		"שלום\u202eevil\u202c עולם",
		strings.Repeat("Overlooking", 18),
	}
	for _, name := range names {
		status, err := browser.EvalAsync[float64](
			s.Page,
			"fetch('/api/draft/roles', {method: 'PUT', headers: {'Content-Type': 'application/json'}, body: "+
				"JSON.stringify({after: {id: '', name: "+quoted(
				name,
			)+"}})}).then(r => r.status)",
		)
		s.must(err)
		if status != 200 {
			t.Fatalf("the name %q is refused: %v", name, status)
		}
	}
	for _, path := range []string{"/roles?q=", "/roles/img-src-x-onerror-window.harmed-true-b-bold-b",
		"/roles/" + strings.ToLower(strings.Repeat("overlooking", 18)[:56]),
		"/frame?focus=role:img-src-x-onerror-window.harmed-true-b-bold-b", "/history"} {
		s.open(path)
		s.must(s.Settled())
		s.see("section[aria-label=Draft]", "3 changes")
		s.wait(
			"!window.harmed && document.documentElement.scrollWidth <= innerWidth && document.documentElement.scrollHeight " +
				"<= innerHeight",
		)
	}
	s.open("/roles?q=img")
	s.see("main", `<img src=x onerror="window.harmed = true"><b>bold</b>`)
	s.click("section[aria-label=Draft] button", "Open")
	s.see("section[aria-label='The draft and its impact']", "<b>bold</b>")
	s.wait("!window.harmed")
}

// TestASupplement begins an own set beside a supplied one: the system of that comes first, and its bricks say what it
// has. A set is found by what is in it.
func TestASupplement(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/sets")
	s.typeInto("Filter", "medical:edit")
	s.wait("document.querySelectorAll('[data-rows] [data-id]').length === 1")
	s.see("main", "Crewtide qualifications, lead")
	s.open("/sets/hoistkeeper-faults")
	s.click("button", "Make a supplement …")
	s.click("[role=dialog] button", "Put into the draft")
	s.see("h1", "additions")
	s.see("[data-brick='hoistkeeper:fault:view']", "has it")
	s.wait("document.querySelector('[data-wall] h2').innerText === 'Hoistkeeper'")
	s.wait("!document.querySelector(\"[data-brick='quaybook:gate:view']\").innerText.includes('has it')")
	s.click("[data-brick='hoistkeeper:crane:view']", "")
	s.see("[data-state=given]", "view")
}

package e2e

import (
	"testing"

	"fachwerk/e2e/browser"
)

// TestKnowingWhatThereIsToGrant looks for permissions by name, description, object and field, sees who holds them,
// reads the table of capabilities, and looks at the next version of a catalogue: a wrong file, a table that tells
// little, and what is put away.
func TestKnowingWhatThereIsToGrant(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/permissions")
	s.see("main", "238 permissions")
	only := func(key string, n int) {
		t.Helper()
		s.wait(
			"document.querySelector('[data-id=\"" + key +
				"\"]') && document.querySelectorAll('[data-rows] [data-id]').length === " + string(
				rune('0'+n),
			),
		)
	}
	s.typeInto("Filter permissions", "booking.rate")
	only("quaybook:booking.rate:edit", 2)
	s.typeInto("Filter permissions", "hard to undo gates") // by what it does, and the module that it is in
	s.wait(
		"document.querySelector('[data-id=\"quaybook:gate:override\"]') && document.querySelectorAll('[data-rows] " +
			"[data-id]').length < 5",
	)
	s.typeInto("Filter permissions", `risk eq 3 and name co "gate"`)
	s.see("#filter-tells", "read as a filter")
	only("quaybook:gate:override", 1)
	s.see("[data-rows]", "critical")
	s.see("[data-rows]", "17")
	s.press(browser.Down, browser.Enter)
	s.see("h1", "quaybook:gate:override")
	s.see("main", "Roles that give it")
	s.see("main", "Night cover")

	s.open("/systems/quaybook")
	s.typeInto("Find in the catalogue", "berth-plan")
	s.wait("document.querySelectorAll('main [data-brick]').length === 3")
	s.see("[data-brick='quaybook:berth-plan:publish']", "elevated")

	// Which licence, role or set can do what.
	s.open("/capabilities?system=quaybook")
	s.see("[data-permission='quaybook:gate:override']", "override")
	columns := func(n string) {
		t.Helper()
		s.wait("document.querySelectorAll('[data-capabilities] thead th').length === " + n)
	}
	columns("19")
	s.click("label", "roles")
	columns("9") // two licences and five sets, the object and who holds it
	s.click("label", "licences")
	s.click("label", "supplied sets")
	s.wait(
		"document.querySelector('fieldset input:checked') === null || document.querySelectorAll('fieldset " +
			"input:checked:disabled').length === 1",
	) // the last one stays
	s.choose("What can be done in", "Gangway")
	s.see("[data-capabilities='gangway']", "ticket")
	s.wait("document.querySelector('main a[download]').href.includes('system=gangway')")

	// The next version: what is wrong with a file is told in its place, and nothing is lost.
	s.open("/upgrade")
	s.see("[aria-label='Here already']", "Quaybook 4.2")
	s.Refusals = true
	s.upload(
		"Catalogue to import",
		s.file(
			"broken.json",
			`{"system": {"id": "quaybook", "permissions": [{"key": "quaybook:gate:admit", "colour": "red"}]}}`,
		),
	)
	s.see("[role=alert]", "colour")
	s.see("[role=alert]", "Nothing was changed")
	s.upload("Catalogue to import", s.file("short.csv", "key;label\nladingbook:manifest:view;See manifests\n"))
	s.see("[role=alert]", "does not tell its version")
	s.see("[data-upgrade=ladingbook]", "2.1 → 2.1")
	s.see("[aria-label='Permissions that go away']", "go away")
	s.typeInto("version", "2.2")
	s.see("[data-upgrade=ladingbook]", "2.1 → 2.2")
	s.gone("[role=alert]", "does not tell its version")
	// It can wait, and is found as long as it does.
	s.click("main button", "Keep for later")
	s.see("[aria-label='Waiting to be adopted']", "Ladingbook 2.2")
	s.see("section[aria-label=Draft]", "No draft")
	s.click("[aria-label='Waiting to be adopted'] button", "Crewtide 3.2")
	s.see("[data-upgrade=crewtide]", "3.1 → 3.2")
	s.click("main button", "Put it away")
	s.click("[aria-label='Discard Crewtide 3.2']", "Discard")
	s.wait("!document.querySelector(\"[aria-label='Waiting to be adopted']\").innerText.includes('Crewtide')")
	s.open("/findings?kind=upgrade-waiting")
	s.see("ul[aria-label=Findings]", "Version 2.2 of Ladingbook was brought in, and has not been adopted.")
	s.click("ul[aria-label=Findings] button", "Show")
	s.click("ul[aria-label=Findings] a", "What it would change")
	s.see("[data-upgrade=ladingbook]", "2.1 → 2.2")
	s.click("main button", "Put into the draft")
	s.see("section[aria-label=Draft]", "1 change")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("the supplier's release of the autumn")
	s.open("/findings?kind=upgrade-waiting")
	s.see("ul[aria-label=Findings]", "There are no findings here")
}

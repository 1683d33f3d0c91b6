package e2e

import "testing"

// A promise is written and tried at once; a draft that would break it is told why, and refused. Then what is loose is
// mended from where it is found, and goes away.
func TestGuaranteesAndFindings(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/guarantees")
	s.see("main", "Payments stay in Finance")
	s.click("button", "New guarantee …")
	s.typeInto("Name", "Finance overrides no gate")
	s.choose("What is promised", "nobody of")
	s.click("[role=dialog] button", "whom")
	s.click("label", "an area")
	s.pick("People of the area", "Finance")
	s.shut()
	s.click("[role=dialog] button", "which permissions")
	s.pick("Permissions, or whole systems", "quaybook:gate:override")
	s.shut()
	s.see("section[aria-label='Is it kept?']", "It holds today")
	s.click("[role=dialog] button", "Put into the draft")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("so that it stays so")
	s.open("/guarantees")
	s.click("a", "Finance overrides no gate")
	s.see("header", "✓ kept")

	s.open("/roles/payments-lead")
	s.click("button", "Assign …")
	s.pick("People and groups", "Tomasz Oyelaran")
	s.click("[role=dialog] button", "Put")
	s.click("section[aria-label=Draft] button", "Open")
	s.see("section[aria-label='The draft and its impact']", "Breaks a guarantee")
	s.see("section[aria-label='The draft and its impact']",
		"“Payments stay in Finance” is not kept: Tomasz Oyelaran holds tallyroom:payment-run:start")
	s.wait("[...document.querySelectorAll('button')].some(b => b.innerText.startsWith('Apply') && b.disabled)")
	s.click("button", "Discard all")

	s.open("/findings?kind=by-hand-too")
	s.see("ul[aria-label=Findings]", "“Gate clerk” of Tomasz Oyelaran")
	s.see("section[aria-label='What is found'] h2", "By hand beside a group 6")
	s.click("button", "Choose all 6")
	s.click("button", "Mend in the draft")
	s.see("section[aria-label=Draft]", "6 changes")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("the groups give it")
	s.open("/findings?kind=by-hand-too")
	s.see("ul[aria-label=Findings]", "Nothing is loose here")
	s.open("/findings?kind=broken-guarantee")
	s.click("button", "Set aside")
	s.typeInto("Why it can stay as it is until then", "the bank waits until spring")
	s.must(s.SetDate("Until", day.AddDate(0, 1, 0)))
	s.click("[role=dialog] button", "Set aside")
	s.see("ul[aria-label=Findings]", "Nothing is loose here")
	s.click("button", "Show what is set aside (1)")
	s.see("ul[aria-label=Findings]", "by Signe Halloran: “the bank waits until spring”")
}

package e2e

import (
	"testing"

	"fachwerk/e2e/browser"
)

// past tells what of the page stands out of the window to the right, unless it can be scrolled to.
const past = `(() => {
	const scrolls = e => e && e.id !== 'root' &&
		(/(auto|scroll)/.test(getComputedStyle(e).overflowX) && e.scrollWidth > e.clientWidth || scrolls(e.parentElement));
	return [...document.querySelectorAll('#root :not(svg *)')].filter(e => {
		const r = e.getBoundingClientRect();
		return r.width > 1 && r.height > 1 && r.right > innerWidth + 1 && !scrolls(e.parentElement);
	}).map(e => e.tagName + ' ' + (e.innerText ?? '').slice(0, 40)).slice(0, 3).join('; ');
})()`

// shut tells what holds more than can be seen in so little height that nothing of it can be read.
const shut = `[...document.querySelectorAll('main *')].filter(e =>
	/(auto|scroll)/.test(getComputedStyle(e).overflowY) && e.clientWidth > 60 && e.clientHeight < 40 &&
	e.scrollHeight > e.clientHeight + 30).map(e => e.tagName + ' ' + (e.innerText ?? '').slice(0, 40)).slice(0, 3).join('; ')`

// On a phone, and at 400 in 100 of a desk's screen, the house folds: a reviewer decides, a delegate finds their way,
// and nothing stands where it cannot be reached (WCAG 1.4.10).
func TestNarrow(t *testing.T) {
	s := walk(t, 320, 640)
	fits := func(path string) {
		t.Helper()
		s.must(s.Settled())
		if out, err := browser.Eval[string](s.Page, past); err != nil || out != "" {
			t.Errorf("%s: out of reach are %s %v", path, out, err)
		}
		if out, err := browser.Eval[string](s.Page, shut); err != nil || out != "" {
			t.Errorf("%s: shut are %s %v", path, out, err)
		}
	}
	s.open("/")
	s.see("button", "Signe Halloran")
	fits("sign-in")
	s.signIn("mireille.aster")
	s.see("main", "Decide 10 items")
	fits("/")
	s.click("a", "Decide 10 items")
	s.see("h2", "Should Citlali Juhlsen keep Gate clerk?")
	fits("the desk")
	s.click("button", "Keep")
	s.see("ul[aria-label=Items] button", "✓ kept")
	s.click("header button", "places of work")
	s.click("[role=menuitem]", "People")
	s.see("main", "Tomasz Oyelaran")
	fits("/people")
	for path, says := range map[string]string{
		"/frame": "Gate clerk", "/frame?focus=role:gate-clerk": "Gate clerk", "/seats": "Hoistkeeper seat", "/people/tomasz.oyelaran": "Gate clerk", "/roles/gate-clerk": "Gate clerk",
		"/groups/north-gate-crew": "North gate crew", "/delegations": "Nights at Terminal 1",
		"/reviews": "Review of gate clerks",
		"/own":     "Mireille Aster", "/account": "Password", "/findings": "Dormant people", "/worklists": "Worklists",
		"/who?what=quaybook:gate:override": "Tomasz Oyelaran", "/reviews/3?view=grid": "Deniz Eriksrud",
	} {
		s.open(path)
		s.see("main", says)
		fits(path)
	}
	s.open("/frame?focus=role:gate-clerk")
	s.wait("document.getElementById('bay-user').clientHeight > 150")
	s.wait("Number(document.querySelector('svg[data-beams]').dataset.beams) > 0")
}

package e2e

import (
	"testing"

	"fachwerk/e2e/browser"
)

// The ceiling of the demo's over-wide delegation is found, its way drawn, lowered by what would, and gone.
func TestACeilingThatIsTooHigh(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/findings")
	s.see("main", "Ceilings too high")
	s.open("/delegations")
	s.see("[data-delegation=keepers-whole]", "handed over whole")
	s.click("[data-delegation=keepers-whole] a", "What could come of it")
	s.see("section[aria-label='What could come of it'] [role=status]", "Too high by 2 permissions that Aino Brackwater")

	// Behind a brick, the acts that lead to it; by keys from one to the next.
	s.click("[data-brick='lanternlog:approach:view']", "view")
	s.see("aside[aria-label='The shortest way'] li", "Aino Brackwater puts Dragan Juhlsen into Berth office")
	s.see("[data-lands=beyond]", "Dragan Juhlsen then holds it over the whole organisation")
	s.press(browser.Down)
	s.wait("document.activeElement.dataset.brick === 'lanternlog:channel:view'")

	// While it is written, it is told at once how high it would be.
	s.click("button", "Rewrite")
	s.see("[data-ceiling=told]", "Too high by 2 permissions")
	s.click("button", "Cancel")

	// What would lower it is tried; drafted, the ceiling is what it would be, and applied, the finding is gone.
	s.see("section[aria-label='What would lower it']", "Leave out Berth office")
	s.see("section[aria-label='What would lower it']", "then it is not too high")
	s.click("section[aria-label='What would lower it'] li:has(a[href*='berth-office']) button", "Put into the draft")
	s.see("section[aria-label=Draft]", "1 change")
	s.see("section[aria-label='What could come of it'] [role=status]", "Nothing could come of it")
	s.click("section[aria-label=Draft] button", "Apply")
	s.apply("the berth office chooses its own")
	s.open("/delegations/keepers-whole")
	s.see("section[aria-label='What could come of it'] [role=status]", "Nothing could come of it")

	// A draft by which one rises says so.
	s.click("button", "Rewrite")
	s.click("button", "Access keepers, handed over whole")
	s.pick("Groups", "Berth office")
	s.shut()
	s.see("[data-ceiling=told]", "Too high by 2 permissions")
	s.click("button", "Put into the draft")
	s.click("section[aria-label=Draft] button", "Open")
	s.see("section[aria-label='The draft and its impact']", "A ceiling becomes too high: Aino Brackwater")
}

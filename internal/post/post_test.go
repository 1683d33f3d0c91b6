package post_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/post"
)

var due = time.Date(2026, 12, 9, 0, 0, 0, 0, time.UTC)

func TestLetters(t *testing.T) {
	for name, c := range map[string]struct {
		letter  post.Letter
		subject string
		says    []string
	}{
		"many items": {post.Reminder("Outer Skerry", "Mira", "Gate clerks", "https://x/reviews/3?view=desk", 3, 12, due, false),
			"Gate clerks: 3 of your 12 items wait for your decision",
			[]string{"Dear Mira,",
				"3 of your 12 items wait for your decision in “Gate clerks”. They are due on 9 December 2026.",
				"The first of them:\n\nhttps://x/reviews/3?view=desk\n\n"}},
		"one item, late": {post.Reminder("Outer Skerry", "Mira", "Gate clerks", "https://x/reviews/3", 1, 12, due, true),
			"Gate clerks: 1 of your 12 items waits for your decision",
			[]string{"1 of your 12 items waits", "They were due on 9 December 2026."}},
		"one revocation": {post.Task("Outer Skerry", "Mira", "Gate clerks", "Crew", "https://x/reviews", 1),
			"Gate clerks: 1 revocation in “Crew” for you to settle",
			[]string{"“Gate clerks” is closed. 1 revocation could not", "the group “Crew”, which you own"}},
		"by hand": {post.Task("Outer Skerry", "Mira", "Gate clerks", "", "https://x/reviews", 2),
			"Gate clerks: 2 revocations for you to carry out",
			[]string{"2 revocations could not be made by themselves", "\n\nhttps://x/reviews\n\n"}},
		"two revocations": {post.Task("Outer Skerry", "Mira", "Gate clerks", "Crew", "https://x/reviews", 2),
			"Gate clerks: 2 revocations in “Crew” for you to settle", []string{"2 revocations could not"}},
		"an invitation": {post.Invitation("Outer Skerry", "Ada", "Signe", due), "Your way into Outer Skerry",
			[]string{"Signe has invited you to Outer Skerry.", "once, until the end of 8 December 2026:\n\n" + post.LinkHere + "\n\n"}},
		"one finding": {post.Weekly("Outer Skerry", "Mira", []post.Loose{{Weight: 1, Says: "Nobody is in Crew."}}, ""),
			"1 finding about what you own", []string{"that you own:\n\n- Nobody is in Crew.\n\nOuter Skerry"}},
		"many findings": {post.Weekly("Outer Skerry", "Mira", slices.Repeat([]post.Loose{{Weight: 1, Says: "So it is."}}, 23),
			"https://x/findings"), "23 findings about what you own",
			[]string{strings.Repeat("- So it is.\n\n", 20) + "and 3 more.\n\nMend them", "\n\nhttps://x/findings\n\n"}},
		"a password": {post.Forgotten("Outer Skerry", "Ada"), "A new password for Outer Skerry",
			[]string{"within the hour:\n\n" + post.LinkHere}},
	} {
		if c.letter.Subject != c.subject {
			t.Errorf("%s: the subject is %q, want %q", name, c.letter.Subject, c.subject)
		}
		for _, s := range append(c.says, "Dear ", "\n\nOuter Skerry\n") {
			if !strings.Contains(c.letter.Body, s) {
				t.Errorf("%s does not say %q:\n%s", name, s, c.letter.Body)
			}
		}
		if strings.Contains(c.letter.Body, "%!") || strings.Contains(c.letter.Body, "\r") {
			t.Errorf("%s is written as %q", name, c.letter.Body)
		}
	}
}

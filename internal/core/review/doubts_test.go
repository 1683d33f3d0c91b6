package review

import (
	"slices"
	"strings"
	"testing"
	"time"
)

// What speaks against an item begins exactly where it says: after so many days, with so many peers, with so few alike.
func TestWhereDoubtsBegin(t *testing.T) {
	now := time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		e    Evidence
		says string
	}{
		{Evidence{}, ""},
		{Evidence{Used: true, LastUse: now.AddDate(0, 0, -IdleAfter)}, ""},
		{Evidence{Used: true, LastUse: now.AddDate(0, 0, -IdleAfter-1)}, "not used for 91 days"},
		{Evidence{Peers: 3}, ""},
		{Evidence{Peers: 4}, "only 0 of 4 peers"},
		{Evidence{Peers: 5, Alike: 1}, "only 1 of 5 peers"},
		{Evidence{Peers: 9, Alike: 2}, ""},
		{Evidence{Peers: 10, Alike: 2}, "only 2 of 10 peers"},
		{Evidence{Conflicts: []string{"c"}}, "adds to a conflict"},
	} {
		got := c.e.Doubts(now)
		if c.says == "" && len(got) > 0 || c.says != "" &&
			!slices.ContainsFunc(got, func(s string) bool { return strings.Contains(s, c.says) }) {
			t.Errorf("against %+v speaks %q, want %q", c.e, got, c.says)
		}
	}
}

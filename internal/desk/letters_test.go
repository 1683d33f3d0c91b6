package desk_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// Other owners are told of a critical change, as far as they want; whoever makes it, and who is no owner, is not.
func TestOwnersAreToldOfACriticalChange(t *testing.T) {
	d, s, _ := clocked(t)
	withAddress(t, d, "ann", "bea", "dan", "kay")
	for _, id := range []string{"ann", "dan"} {
		put(t, d, &model.Assignment{ID: "owner-" + id, Subject: model.Subject{User: id}, Set: model.SetOwner, Reason: "x"})
	}
	if err := s.Decline("dan", post.Criticals); err != nil {
		t.Fatal(err)
	}
	before := len(lettersTo(t, s, "ann"))
	put(t, d, &model.Assignment{ID: "keeper-eve", Subject: model.Subject{User: "eve"}, Set: model.SetAdministrator})
	letters := must[[]store.Letter](t)(s.LettersTo("ann", 1))
	if got := lettersTo(t, s, "ann"); len(got) != before+1 || got[0] != "Bea has made a critical change" ||
		!strings.Contains(letters[0].Body, "Eve gains") {
		t.Errorf("the other owner is told %q: %s", got, letters[0].Body)
	}
	for _, id := range []string{"bea", "kay"} {
		if got := lettersTo(t, s, id); len(got) != 0 {
			t.Errorf("%s is told %q", id, got)
		}
	}
	if got := lettersTo(t, s, "dan"); len(got) != 0 {
		t.Errorf("who declined is told %q", got)
	}
	put(t, d, &model.Role{ID: "plain", Name: "Plain"})
	if got := lettersTo(t, s, "ann"); len(got) != before+1 {
		t.Errorf("of what is not critical: %q", got)
	}
}

// Whoever's sign-in is changed is told, whatever letters they want.
func TestASignInThatIsChangedIsTold(t *testing.T) {
	d, s, _ := clocked(t)
	withAddress(t, d, "dan")
	if err := d.SetLetters(dan, account.Letters{}); err != nil {
		t.Fatal(err)
	}
	link := must[string](t)(d.PasswordLink("dan"))
	if _, err := d.SetPassword(t.Context(), link, "seven grey herons", "192.0.2.9"); err != nil {
		t.Fatal(err)
	}
	letters := must[[]store.Letter](t)(s.LettersTo("dan", 5))
	if len(letters) != 1 || letters[0].Subject != "How you sign in: your password was set by a link" || letters[0].Daily ||
		!strings.Contains(letters[0].Body, "from 192.0.2.9") {
		t.Errorf("they are told %+v", letters)
	}
}

// Whoever was given something for a time is told seven days before it ends, once, and again if it ends on another day.
func TestWhatEndsSoonIsTold(t *testing.T) {
	d, s, clock := clocked(t)
	withAddress(t, d, "dan", "cy")
	on := now.AddDate(0, 0, 20).Truncate(24 * time.Hour)
	ends := func(until time.Time) {
		t.Helper()
		was, _ := d.Present().Design().Assignments.Find("dan-night")
		is := model.Clone(was)
		is.Until = until
		put(t, d, is)
	}
	ends(on)
	told := func(at time.Time, want ...string) {
		t.Helper()
		*clock = at
		for range 2 {
			if err := d.EndDue(); err != nil {
				t.Fatal(err)
			}
		}
		if got := lettersTo(t, s, "dan"); !slices.Equal(got, want) {
			t.Errorf("on %s they are told %q, want %q", model.Day(at), got, want)
		}
	}
	told(on.AddDate(0, 0, -8))
	first := "“Night” at Terminal 1 ends on " + on.AddDate(0, 0, -1).Format("2 January 2006") // the last day
	told(on.AddDate(0, 0, -7), first)
	told(on.AddDate(0, 0, -1), first)
	later := on.AddDate(0, 0, 3)
	*clock = now
	ends(later)
	told(on, "“Night” at Terminal 1 ends on "+later.AddDate(0, 0, -1).Format("2 January 2006"), first)
	if got := lettersTo(t, s, "cy"); len(got) != 0 {
		t.Errorf("of what has no end: %q", got)
	}
}

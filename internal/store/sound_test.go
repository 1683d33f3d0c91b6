package store_test

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/store"
)

// What is no part of the record goes once it was kept for long enough, and nothing before, and nothing that is kept for
// good.
func TestWhatIsKeptForLongEnoughGoes(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "x.db"))
	defer s.Close()
	now := time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)
	ago := func(days int) time.Time { return now.AddDate(0, 0, -days) }
	ended := ago(11)
	e := errors.Join(
		s.StartSession(store.SignedIn{ID: "ended", User: "ann", At: ago(12), Seen: ago(12), Ended: &ended}),
		s.StartSession(store.SignedIn{ID: "left", User: "ann", At: ago(40), Seen: ago(11)}),
		s.StartSession(store.SignedIn{ID: "used", User: "ann", At: ago(40), Seen: ago(9)}),
		s.SaveLink(store.Link{Hash: "old", User: "ann", Expires: ago(11)}),
		s.SaveLink(store.Link{Hash: "new", User: "bea", Expires: ago(9)}),
		s.SavePlace(store.Place{User: "ann", Place: "before", At: ago(91)}),
		s.SavePlace(store.Place{User: "ann", Place: "lately", At: ago(89)}),
	)
	closedBefore, closedLately := ago(11), ago(9)
	for _, closed := range []*time.Time{&closedBefore, &closedLately, nil} {
		_, err := s.AddReview(store.Review{Name: "r", Opened: ago(30), Closed: closed},
			[]store.ReviewItem{{User: "ann", Evidence: []byte("{}")}}, nil, nil)
		e = errors.Join(e, err)
	}
	if e != nil {
		t.Fatal(e)
	}
	items := func() (with int) {
		for review := 1; review <= 3; review++ {
			list, err := s.ReviewItems(review, "")
			if err != nil || len(list) != 1 {
				t.Fatal(list, err)
			}
			if len(list[0].Evidence) > 0 {
				with++
			}
		}
		return with
	}
	there := func() (ids string) {
		for _, id := range []string{"ended", "left", "used"} {
			if _, err := s.Session(id); err == nil {
				ids += id + " "
			}
		}
		for _, hash := range []string{"old", "new"} {
			if _, err := s.Link(hash, ago(50)); err == nil {
				ids += hash + " "
			}
		}
		return ids
	}
	if err := s.Forget(store.Retention{}, now); err != nil || there() != "ended left used old new " || items() != 3 {
		t.Errorf("kept for good, there are %s, %d items with evidence, %v", there(), items(), err)
	}
	_, before := s.Place("ann", "before")
	if _, lately := s.Place("ann", "lately"); !errors.Is(before, store.ErrNotFound) || lately != nil {
		t.Errorf("of where somebody signed in, 91 days ago: %v, 89 days ago: %v", before, lately)
	}
	r := store.Retention{SessionDays: 10, LinkDays: 10, LetterDays: 10, EvidenceDays: 10}
	if err := s.Forget(r, now); err != nil || there() != "used new " || items() != 2 {
		t.Errorf("after ten days there are %s, %d items with evidence, %v", there(), items(), err)
	}
}

// A lease is one server's, by whatever name the file goes; it comes free when the server lets go of it.
func TestALeaseIsOneServers(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	l, err := store.TakeLease(file)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := store.TakeLease(file); err == nil || !strings.Contains(err.Error(), "stop it first") {
		t.Errorf("taken twice: %v", err)
	}
	if err := l.Release(); err != nil {
		t.Fatal(err)
	}
	// The database is there now, and has other names.
	_ = open(t, file).Close()
	soft, hard := filepath.Join(t.TempDir(), "soft.db"), filepath.Join(filepath.Dir(file), "hard.db")
	if err := errors.Join(os.Symlink(file, soft), os.Link(file, hard)); err != nil {
		t.Fatal(err)
	}
	if l, err = store.TakeLease(soft); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{file, soft, hard} {
		if _, err := store.TakeLease(name); err == nil || !strings.Contains(err.Error(), "stop it first") {
			t.Errorf("taken twice, as %s: %v", name, err)
		}
	}
	// What is made or put in its place is leased too, once that is said.
	if err := errors.Join(os.Remove(file), os.WriteFile(file, nil, 0o600), l.Renew(file)); err != nil {
		t.Fatal(err)
	}
	if again := filepath.Join(filepath.Dir(file), "again.db"); os.Link(file, again) == nil {
		if _, err := store.TakeLease(again); err == nil {
			t.Error("what was made since is not leased")
		}
	}
	_ = l.Release()
}

// A database that is gone, or empty, is told from one that never was by what lies beside it.
func TestWhatWasServed(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	if beside := store.Served(file); beside != "" {
		t.Errorf("of nothing, %s lies there", beside)
	}
	l, err := store.TakeLease(file)
	if err != nil {
		t.Fatal(err)
	}
	_ = open(t, file).Close()
	if beside := store.Served(file); beside != "" {
		t.Errorf("it is there, and %s is named", beside)
	}
	_ = l.Release()
	for _, gone := range []func() error{
		func() error { return os.Truncate(file, 0) }, func() error { return os.Remove(file) },
	} {
		if err := gone(); err != nil {
			t.Fatal(err)
		}
		if beside := store.Served(file); beside != file+".lease" {
			t.Errorf("it is gone, and %q is named", beside)
		}
	}
}

// A copy of a database that is in use is whole and its own; what is not sound is told by its proof.
func TestCopiesAreProven(t *testing.T) {
	folder := t.TempDir()
	file, to := filepath.Join(folder, "x.db"), filepath.Join(folder, "copy.db")
	s := open(t, file)
	defer s.Close()
	if err := s.Log(store.Event{What: "test", Who: "ann"}, store.Event{What: "test", Who: "bea"}); err != nil {
		t.Fatal(err)
	}
	if err := store.Copy(file, to); err != nil {
		t.Fatal(err)
	}
	p, err := store.Prove(to)
	if err != nil || p.Events != 2 {
		t.Errorf("the copy is proven as %+v, %v", p, err)
	}
	if err := s.Log(store.Event{What: "later"}); err != nil {
		t.Fatal(err)
	}
	if p, err := store.Prove(to); err != nil || p.Events != 2 {
		t.Errorf("what came later is in the copy: %+v, %v", p, err)
	}
	alter(t, to, "DROP TRIGGER events_no_UPDATE", "UPDATE events SET who = 'zoe' WHERE id = 1")
	if _, err := store.Prove(to); !errors.Is(err, store.ErrBroken) {
		t.Errorf("an altered entry: %v", err)
	}
	if err := os.WriteFile(to, []byte("no database"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := store.Prove(to); err == nil {
		t.Error("a text is proven")
	}
	if err := store.Copy(to, filepath.Join(folder, "other.db")); err == nil {
		t.Error("a text is copied")
	}
}

package desk_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/exchange/rows"
)

// A request of a directory that fails in a way that nobody foresaw is answered, and so are those that wait beside it.
func TestAPanicLeavesNobodyWithoutAnAnswer(t *testing.T) {
	d, _ := open(t)
	inside, answered := make(chan bool), make(chan error, 2)
	go func() {
		_, err := d.Feed(directory.Speaker{Name: "dir"}, func(*directory.Request) error {
			<-inside
			panic("a nil where nobody expected one")
		})
		answered <- err
	}()
	inside <- true // the first one is being carried out: what comes now waits
	go func() {
		_, err := d.Feed(directory.Speaker{Name: "dir"}, func(f *directory.Request) error {
			_, err := f.Put(
				&model.User{UserName: "dee", DisplayName: "Dee", State: model.UserActive, Source: model.Directory},
				nil,
			)
			return err
		})
		answered <- err
	}()
	failed := 0
	for range 2 {
		select {
		case err := <-answered:
			if err != nil {
				failed++
			}
		case <-time.After(20 * time.Second):
			t.Fatal("a request is left without an answer")
		}
	}
	if failed != 1 {
		t.Errorf("%d requests failed, want the one that panicked", failed)
	}
	if d.Design().Get(model.KindUser, "dee") == nil {
		t.Error("what waited beside it was not carried out")
	}
}

// Whoever drafts something large makes nobody else wait: not to draft, and not to apply.
func TestADraftIsNobodyElses(t *testing.T) {
	d, _ := open(t)
	inside, done := make(chan bool), make(chan error)
	go func() {
		_, err := d.Alter(bea, func(*desk.House, *desk.Drafted) error {
			inside <- true
			<-inside
			return desk.Refuse(desk.Invalid, "never mind")
		})
		done <- err
	}()
	<-inside
	other := make(chan error)
	go func() {
		kay := desk.Actor{User: "kay", Proven: now}
		draft, err := d.Put(kay, nil, &model.Role{ID: "fresh", Name: "Fresh"})
		if err == nil {
			_, err = d.Apply(kay, "meanwhile", draft.Stamp)
		}
		other <- err
	}()
	select {
	case err := <-other:
		if err != nil {
			t.Error(err)
		}
	case <-time.After(20 * time.Second):
		t.Fatal("somebody waits for another's draft")
	}
	inside <- true
	refused(t, <-done, desk.Invalid, "never mind")
	if d.Design().Get(model.KindRole, "fresh") == nil {
		t.Error("what was applied meanwhile is not there")
	}
}

// A question that nobody waits for any longer stops.
func TestSupersededQuestionsStop(t *testing.T) {
	d, _ := open(t)
	over, cancel := context.WithCancel(context.Background())
	cancel()
	gone := desk.Actor{User: "bea", Within: over}
	if _, err := d.PreviewReview(gone, review.NewReview{Area: "top"}); !errors.Is(err, context.Canceled) {
		t.Errorf("a preview goes on: %v", err)
	}
	if _, err := d.Reviews(gone, ""); !errors.Is(err, context.Canceled) {
		t.Errorf("the store is read on: %v", err)
	}
	if _, err := d.Put(gone, nil, &model.Role{ID: "fresh", Name: "Fresh"}); err != nil {
		t.Errorf("what was asked to be written is broken off: %v", err)
	}
	stopped, stop := context.WithCancelCause(context.Background())
	stop(desk.ErrStopped)
	halted := desk.Actor{User: "bea", Within: stopped, Proven: now}
	if _, err := d.Put(halted, nil, &model.Role{ID: "halted", Name: "Halted"}); !errors.Is(err, context.Canceled) {
		t.Errorf("what was stopped is drafted: %v", err)
	}
	draft := must[*desk.Draft](t)(d.Draft(bea))
	if _, err := d.Apply(halted, "fresh", draft.Stamp); !errors.Is(err, context.Canceled) ||
		d.Design().Get(model.KindRole, "fresh") != nil {
		t.Errorf("what was stopped is applied: %v", err)
	}
}

// An instant that cannot be written again is a fault of its row, and ends nothing.
func TestAnInstantBeyondTheYears(t *testing.T) {
	d, _ := open(t)
	file := "User name;Name;Valid until\nzoe;Zoe;9999-12-31T23:59:59-05:00\nyan;Yan;2027-01-01\n"
	trial, _, err := d.ImportFile(
		"x.csv",
		[]byte(file),
		"people",
		rows.Reading{},
		nil,
		intake.Options{Bare: true},
		false,
	)
	if err != nil {
		t.Fatal(err)
	}
	if trial.Counts[intake.Wrong] != 1 || trial.Counts[intake.Creates] != 1 {
		t.Errorf("the trial says %v", trial.Counts)
	}
	_, err = d.Instant("9999-12-31T23:59:59-05:00")
	if err == nil || !strings.Contains(err.Error(), "2026-01-31") {
		t.Errorf("a day to look at: %v", err)
	}
}

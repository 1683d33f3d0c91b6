// Package rooms opens all rooms of a desk together, for the doors, which call them.
package rooms

import (
	"context"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/ask"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/edit"
	"fachwerk/internal/desk/intake"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/survey"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// Desk is a desk with all its rooms.
type Desk struct {
	*desk.Desk
	*view.Viewer
	*ask.Finder
	*edit.Editor
	*review.Reviewer
	*intake.Intake
	*directory.Keeper
	*account.Accounts
	*people.Office
	*survey.Surveyor
}

// Open makes a desk that serves what is in a store, with all its rooms. now tells the time.
func Open(s *store.Store, now func() time.Time) (*Desk, error) {
	k, err := desk.Open(s, now)
	if err != nil {
		return nil, err
	}
	v := view.New(k)
	accounts, err := account.New(v)
	if err != nil {
		return nil, err
	}
	reviews, office := review.New(v), people.New(v, accounts)
	return &Desk{
		k, v, ask.New(v), edit.New(v), reviews, intake.New(v), directory.New(v), accounts, office,
		survey.New(v, reviews, office),
	}, nil
}

// Warm counts ahead what the first question and the first step of a draft would otherwise wait for; see
// [view.Viewer.Warm].
func (d *Desk) Warm(ctx context.Context, everything bool) {
	d.Viewer.Warm(ctx, everything)
	if ctx.Err() == nil {
		d.Office.Warm()
		_ = d.Surveyor.Warm() // whoever looks at them is told why not
	}
	if ctx.Err() == nil {
		// whom open reviews ask about; the first step tells why not
		_, _ = d.Touched([]change.Op{{Kind: model.KindOrganisation}})
	}
}

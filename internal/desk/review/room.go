// Package review is access reviews: opening them, deciding their items, closing them, and the tasks that they leave.
package review

import (
	"sync"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
)

// Reviewer runs reviews.
type Reviewer struct {
	*view.Viewer
	asked sync.Map // what open reviews ask about, by id
}

// New makes the room beside that of what is looked at. Drafts tell from then on which reviews they touch.
func New(v *view.Viewer) *Reviewer {
	r := &Reviewer{Viewer: v}
	v.Touched = r.reviewsTouched
	v.DecidedAbout = v.Store.DecidedAbout
	return r
}

// hasArea refuses an area that somebody does not see.
func (d *Reviewer) hasArea(who desk.Actor, where string) error {
	if where == "" {
		return nil
	}
	s, err := d.SeePerson(desk.Actor{User: who.User, As: who.As, Token: who.Token, Maker: who.Maker}, who.Eyes())
	if err != nil {
		return err
	}
	return s.HasArea(where)
}

// self is whose items, tasks, reviews and series are somebody's own, to whoever looks.
func (d *Reviewer) self(h *desk.House, who desk.Actor) string {
	return d.Self(h, who, model.ViewReviews)
}

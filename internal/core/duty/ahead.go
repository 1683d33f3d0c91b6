package duty

import (
	"slices"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/model"
)

// Coming is a conflict that a person breaks, or will break by what is already written, from the first instant on.
type Coming struct {
	Violation
	From time.Time
}

// Ahead looks for the conflicts that people break now or at any coming instant; somebody who is invited, locked or
// not yet valid is taken as they will be when live (docs/semantics.md, §10).
type Ahead struct {
	view *ahead.View
	l    *Looker
}

// LookAhead prepares to look at many people, from t on.
func LookAhead(v *ahead.View, t time.Time) *Ahead {
	return &Ahead{v, Look(v.Live(), t)}
}

// Of gives the conflicts that a user breaks or will break, each at the first instant, in the order of these.
func (a *Ahead) Of(user string) (out []Coming) {
	u, ok := a.view.Now().Design().Users.Find(user)
	if !ok || len(a.l.conflicts) == 0 || u.State == model.UserDeactivated { // to bring somebody back is an act of its own
		return nil
	}
	first := a.l.t
	if u.From.After(first) {
		first = u.From
	}
	// What is held can grow only where something begins.
	for _, at := range append([]time.Time{first}, a.view.Live().Begins(user, first)...) {
		if !u.Until.IsZero() && !at.Before(u.Until) {
			break
		}
		l := *a.l
		l.t = at
		for _, v := range l.Of(user) {
			if !slices.ContainsFunc(out, func(c Coming) bool { return c.Conflict == v.Conflict }) {
				out = append(out, Coming{v, at})
			}
		}
	}
	return out
}

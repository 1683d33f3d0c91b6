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
	keys []string // the permissions that tell when something begins
	l    *Looker
}

// LookAhead prepares to look at many people, from t on.
func LookAhead(v *ahead.View, t time.Time) *Ahead {
	a := &Ahead{view: v, l: Look(v.Live(), t)}
	for _, s := range v.Now().Design().Systems {
		for _, p := range s.Permissions {
			a.keys = append(a.keys, p.Key)
		}
	}
	return a
}

// Of gives the conflicts that a user breaks or will break, each at the first instant, in the order of these.
func (a *Ahead) Of(user string) (out []Coming) {
	u, ok := a.view.Now().Design().Users.Find(user)
	if !ok || len(a.l.conflicts) == 0 {
		return nil
	}
	first := a.l.t
	if u.From.After(first) {
		first = u.From
	}
	// What is held can grow only where something begins.
	instants := []time.Time{first}
	for _, s := range a.view.Spans(user, a.keys, first) {
		if s.From.After(first) {
			instants = append(instants, s.From)
		}
	}
	slices.SortFunc(instants, time.Time.Compare)
	if u.State == model.UserDeactivated {
		return nil // to bring somebody back is an act of its own
	}
	for _, at := range slices.CompactFunc(instants, time.Time.Equal) {
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

package review

import (
	"errors"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// Absence says when somebody is away, and who decides their review items in the meantime.
type Absence struct {
	Instead desk.Ref  `json:"instead" doc:"Who decides in their place"`
	From    time.Time `json:"from"`
	Until   time.Time `json:"until" doc:"The instant from which on they decide again"`
	Begun   bool      `json:"begun" doc:"What waited for them has been handed on"`
}

// NewAbsence says when one is away, and who decides in the meantime.
type NewAbsence struct {
	Instead string    `json:"instead" doc:"A person's id; empty: one is not away after all"`
	From    time.Time `json:"from,omitzero" doc:"Now if absent"`
	Until   time.Time `json:"until,omitzero"`
}

// absenceMost is for how long somebody can be away.
const absenceMost = 366 * 24 * time.Hour

// Absent gives when somebody is away, or will be; nil if they are not.
func (d *Reviewer) Absent(who desk.Actor) (*Absence, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	all, err := d.Reading(who).Absences(d.Now())
	a, away := all[d.self(h, who)]
	if err != nil || !away {
		return nil, err
	}
	return &Absence{h.Ref(model.KindUser, a.Instead), a.From, a.Until, a.Begun}, nil
}

// BeAbsent keeps when somebody is away. Once that begins, what waits for them is handed on, and what would come to them
// goes to their substitute; never what is about the substitute's own access.
func (d *Reviewer) BeAbsent(who desk.Actor, n NewAbsence) (*Absence, error) {
	h, now := d.Present(), d.Now()
	if err := d.InPerson(h, who); err != nil {
		return nil, err
	}
	if n.Instead == "" {
		return nil, d.Store.SaveAbsence(store.Absence{User: who.User})
	}
	if err := d.handsOn(h, who); err != nil {
		return nil, err
	}
	if n.From.IsZero() || n.From.Before(now) {
		n.From = now
	}
	switch {
	case n.Instead == who.User:
		return nil, desk.Refuse(desk.Invalid, "Name somebody else: you are away yourself.")
	case !n.Until.After(n.From):
		return nil, desk.Refuse(desk.Invalid, "Say until which day you are away: it must be after the first day.")
	case n.Until.Sub(n.From) > absenceMost:
		return nil, desk.Refuse(desk.Invalid, "An absence lasts a year at most: somebody else should decide for good.")
	case !h.Index.Live(n.Instead, now):
		return nil, desk.Refuse(desk.Invalid, "%s is not known, or not live, so could not decide.",
			d.Named(h, who, model.KindUser, n.Instead).Name)
	}
	a := store.Absence{User: who.User, Instead: n.Instead, From: n.From.UTC(), Until: n.Until.UTC()}
	if err := d.Store.SaveAbsence(a); err != nil {
		return nil, err
	}
	if err := d.AbsencesDue(); err != nil {
		return nil, err
	}
	return d.Absent(who)
}

// away tells who is away at t, and who decides in their place.
func (d *Reviewer) away(t time.Time) (func(user string) (string, bool), error) {
	all, err := d.Store.Absences(t)
	return func(user string) (string, bool) {
		a, away := all[user]
		return a.Instead, away && !t.Before(a.From)
	}, err
}

// AbsencesDue hands on what waits for people whose absence has begun. It is done once for each.
func (d *Reviewer) AbsencesDue() error {
	h, now := d.Present(), d.Now()
	all, err := d.Store.Absences(now)
	if err != nil {
		return err
	}
	own := review.NewChooser(h.Index, now, nil)
	for _, a := range all {
		if a.Begun || now.Before(a.From) || !h.Index.Live(a.Instead, now) {
			continue
		}
		waiting, err := d.Store.Undecided(a.User)
		if err != nil {
			return err
		}
		var items []store.ReviewItem
		var steps []store.Decision
		note := "Away until " + model.Until(a.Until) + "."
		for _, i := range waiting {
			if own.Own(itemOf(store.Review{}, i))(a.Instead) {
				continue
			}
			i.HandedBy, i.Note, i.Reviewer = a.User, note, a.Instead
			items = append(items, i)
			steps = append(steps, store.Decision{Item: i.ID, Reason: note, By: a.User, Handed: a.Instead, At: now})
		}
		if err := d.Store.DecideAll(items, steps); errors.Is(err, store.ErrNotFound) {
			continue // a review closed meanwhile: the rest is handed on the next time
		} else if err != nil {
			return err
		}
		a.Begun = true
		if err := d.Store.SaveAbsence(a); err != nil {
			return err
		}
	}
	return nil
}

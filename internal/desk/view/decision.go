package view

import (
	"io"
	"strings"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/effective"
)

// Question is what a program asks: may this user do this to this record at this time?
type Question struct {
	Anonymous  bool   // someone who is not signed in; User is then of no account
	User       string // a user's id, or else userName
	Known      bool   // false: the subject is of a type that no design has
	Permission string
	Record     index.Record
	Time       time.Time // zero: now
	Unused     bool      // it does not count as a use if it is permitted
}

// Answer is a decision, with the reasons for it if they were asked for.
type Answer struct {
	Allowed bool
	Ways    []Way    // why
	Reasons []Reason // why not
}

// resolve finds the house that a question is asked of, and whom it is about; known is false for somebody whom the
// design does not have.
func (d *Viewer) resolve(q *Question) (h *desk.House, user string, known bool, err error) {
	if h, err = d.houseAt(&q.Time); err != nil {
		return nil, "", false, err
	}
	if q.Anonymous {
		return h, index.Anonymous, true, nil
	}
	user, known = h.Index.UserID(q.User)
	return h, user, known && q.Known, nil
}

// houseAt gives the house of an instant: that of now for one that is coming and, since nothing else is known, for
// one before the record begins. No instant at all means now.
func (d *Viewer) houseAt(t *time.Time) (*desk.House, error) {
	h := d.Present()
	if t.IsZero() {
		*t = d.Now()
		return h, nil
	}
	if !t.Before(h.At) {
		return h, nil
	}
	if first, err := d.firstAt(); err != nil || t.Before(first) {
		return h, err
	}
	return d.Past.At(d.Desk, *t)
}

// firstAt gives the instant when the record begins.
func (d *Viewer) firstAt() (time.Time, error) {
	if at := d.began.Load(); at != nil {
		return *at, nil
	}
	r, err := d.Store.Revision(1)
	if err != nil {
		return time.Time{}, err
	}
	d.began.Store(&r.At)
	return r.At, nil
}

// WhoMay gives the ids of all users who may do what a question asks, sorted; the question's own user takes no part.
func (d *Viewer) WhoMay(q Question) ([]string, error) {
	h, _, _, err := d.resolve(&q)
	out := []string{}
	if err != nil || q.Anonymous || !q.Known {
		return out, err
	}
	for _, u := range h.Index.Holders(index.KindPermission, q.Permission, q.Time) { // all who may anywhere
		if h.Index.Allowed(u, q.Permission, q.Record, q.Time) {
			out = append(out, u)
		}
	}
	return out, nil
}

// WhereMay gives the ids of the areas at which a permission is allowed for records of nobody in particular, sorted;
// the question's own record takes no part.
func (d *Viewer) WhereMay(q Question) ([]string, error) {
	h, user, known, err := d.resolve(&q)
	out := []string{}
	if err != nil || !known {
		return out, err
	}
	for _, a := range h.Design().Areas {
		if h.Index.Allowed(user, q.Permission, index.Record{Area: a.ID}, q.Time) {
			out = append(out, a.ID)
		}
	}
	return out, nil
}

// WhatMay gives the names of the actions that are allowed on a kind of object, "system:object", and the question's
// record, sorted; the question's own permission takes no part.
func (d *Viewer) WhatMay(q Question, kind string) ([]string, error) {
	h, user, known, err := d.resolve(&q)
	out := []string{}
	if err != nil {
		return out, err
	}
	system, object, _ := strings.Cut(kind, ":")
	s, exists := h.Design().Systems.Find(system)
	if !known || !exists {
		return out, nil
	}
	for _, p := range s.Permissions { // sorted by key, so by action within an object
		if _, o, action, _ := model.CutKey(p.Key); o == object && h.Index.Allowed(user, p.Key, q.Record, q.Time) {
			out = append(out, action)
		}
	}
	return out, nil
}

// presently is how far an instant may lie from now for a question about it to be one about the present: programs tell
// the time by clocks of their own.
const presently = time.Minute

// Ask decides a question. It needs no right: the door lets only programs in that hold a token for decisions. What is
// permitted now counts as a use (docs/semantics.md, §11).
func (d *Viewer) Ask(q Question, explain bool) (a Answer, err error) {
	h, user, known, err := d.resolve(&q)
	if err != nil {
		return a, err
	}
	a.Allowed = known && h.Index.Allowed(user, q.Permission, q.Record, q.Time)
	if a.Allowed && !q.Unused && !q.Anonymous {
		if now := d.Now(); q.Time.Sub(now).Abs() <= presently {
			d.Uses.Decided(user, q.Permission, now)
		}
	}
	if !explain {
		return a, nil
	}
	if a.Allowed {
		ways, _ := h.Index.Trace(user, q.Permission, &q.Record, q.Time)
		for _, w := range ways {
			a.Ways = append(a.Ways, way(h, w))
		}
		return a, nil
	}
	if !known {
		a.Reasons = []Reason{{Obstacle: string(index.UnknownUser), Text: "There is no such user: " + q.User + "."}}
		if _, ok := h.Design().Permission(q.Permission); !ok {
			a.Reasons = append(
				a.Reasons,
				Reason{
					Obstacle: string(index.UnknownPermission),
					Text:     "No system has a permission " + q.Permission + ".",
				},
			)
		}
		return a, nil
	}
	a.Reasons = reasons(h, h.Index.WhyNot(user, q.Permission, q.Record, q.Time))
	return a, nil
}

// Design gives the current design, for an operator or a program that writes it out.
func (d *Viewer) Design() *model.Design { return d.Present().Design() }

// EffectiveAt writes what everybody holds at an instant (zero: now), in one of the forms of [effective.Forms].
func (d *Viewer) EffectiveAt(at time.Time, form string, to io.Writer) error {
	h, err := d.houseAt(&at)
	if err != nil {
		return err
	}
	return effective.Write(to, form, h.Index, at)
}

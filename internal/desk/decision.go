package desk

import (
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Question is what a program asks: may this user do this to this record at this time?
type Question struct {
	Anonymous  bool   // someone who is not signed in; User is then of no account
	User       string // a user's id, or else userName
	Known      bool   // false: the subject is of a type that no design has
	Permission string
	Record     index.Record
	Time       time.Time // zero: now
}

// Answer is a decision, with the reasons for it if they were asked for.
type Answer struct {
	Allowed bool
	Ways    []Way    // why
	Reasons []Reason // why not
}

// Ask decides a question. It needs no right: the door lets only programs in that hold a token for decisions.
func (d *Desk) Ask(q Question, explain bool) Answer {
	h := d.house.Load()
	if q.Time.IsZero() {
		q.Time = d.now()
	}
	user, known := index.Anonymous, true
	if !q.Anonymous {
		user, known = h.index.UserID(q.User)
		if !known {
			user = " " // no id has this form
		}
	}
	known = known && q.Known
	a := Answer{Allowed: known && h.index.Allowed(user, q.Permission, q.Record, q.Time)}
	if !explain {
		return a
	}
	if a.Allowed {
		ways, _ := h.index.Trace(user, q.Permission, &q.Record, q.Time)
		for _, w := range ways {
			a.Ways = append(a.Ways, h.way(w))
		}
		return a
	}
	if !known {
		a.Reasons = []Reason{{Obstacle: string(index.UnknownUser), Text: "There is no such user: " + q.User + "."}}
		if _, ok := h.design().Permission(q.Permission); !ok {
			a.Reasons = append(a.Reasons, Reason{Obstacle: string(index.UnknownPermission), Text: "No system has a permission " + q.Permission + "."})
		}
		return a
	}
	for _, r := range h.index.WhyNot(user, q.Permission, q.Record, q.Time) {
		v := Reason{Obstacle: string(r.Obstacle), Text: r.Text}
		if r.Way != nil {
			w := h.way(*r.Way)
			v.Way = &w
		}
		a.Reasons = append(a.Reasons, v)
	}
	return a
}

// Design gives the current design, for an operator or a program that writes it out.
func (d *Desk) Design() *model.Design { return d.house.Load().design() }

package model

import "time"

// Steady gives the longest span around an instant in which nothing begins or ends that is written in a design: whatever
// follows from the design alone is the same at all of it. The span begins at from and ends before until; either is zero
// if there is no end to it on that side.
func (d *Design) Steady(t time.Time) (from, until time.Time) {
	at := func(instants ...time.Time) {
		for _, i := range instants {
			switch {
			case i.IsZero():
			case i.After(t):
				if until.IsZero() || i.Before(until) {
					until = i
				}
			case i.After(from):
				from = i
			}
		}
	}
	for _, u := range d.Users {
		at(u.From, u.Until)
		for _, q := range u.Qualifications {
			at(q.Until)
		}
	}
	for _, a := range d.Assignments {
		at(a.From, a.Until)
	}
	for _, c := range d.Conflicts {
		for _, e := range c.Exceptions {
			at(e.Until)
		}
	}
	for _, g := range d.Delegations {
		at(g.From, g.Until)
	}
	return from, until
}

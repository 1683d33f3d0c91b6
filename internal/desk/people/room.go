// Package people is how people are let in, given what they ask for, and let go; and what is done to many of them at
// once: they are gathered on worklists, steps are tried on them, put into the draft, and what came of it is kept.
package people

import (
	"sync"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/view"
)

// Office keeps worklists, invitations and requests, and does what they say.
type Office struct {
	*view.Viewer
	accounts *account.Accounts
	mu       sync.Mutex
	tried    map[string]*trying // by worklist
}

// New makes the room beside those of what is looked at and of how people get in.
func New(v *view.Viewer, a *account.Accounts) *Office {
	o := &Office{Viewer: v, accounts: a, tried: map[string]*trying{}}
	v.CarryOut = o.carryOut
	a.Asked = o.RequestsWaiting
	return o
}

// mayGather refuses whoever changes nobody: who neither edits people nor is a delegate.
func (d *Office) mayGather(who desk.Actor) (*desk.Sight, error) {
	if err := d.Acts(d.Present(), who); err != nil {
		return nil, err
	}
	return d.See(who)
}

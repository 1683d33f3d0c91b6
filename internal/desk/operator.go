package desk

import (
	"crypto/rand"
	"io"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/effective"
)

// What an operator does at the command line needs no right: whoever can read the database file holds all of it anyway.

// operatorName is who the record names for what was done at the command line.
const operatorName = "Operator"

// Load makes a design the whole of this desk's, as one revision. It is refused if there is a design already, unless it is to be replaced.
func (d *Desk) Load(design *model.Design, replace bool, why string) error {
	d.write.Lock()
	defer d.write.Unlock()
	h := d.house.Load()
	if h.revision > 0 && !replace {
		return refuse(Conflict, "the database holds a design already: use --replace to put this one in its place")
	}
	return d.replace(h, design, operatorName, why)
}

func (d *Desk) replace(h *house, design *model.Design, name, why string) error {
	ops := change.Difference(h.design(), design)
	_, err := d.apply(h, design, ops, applied{name: name, why: why})
	return err
}

// MakeOwner gives a user every right in Fachwerk over the whole organisation, unless they hold these already.
func (d *Desk) MakeOwner(user string) (*model.User, error) {
	d.write.Lock()
	defer d.write.Unlock()
	h := d.house.Load()
	id, ok := h.index.UserID(user)
	if !ok {
		return nil, refuse(NotFound, "there is no user %q", user)
	}
	u, _ := h.design().Users.Find(id)
	for _, a := range h.design().Assignments {
		if a.Subject.User == id && a.Set == model.SetOwner && a.Area == "" && a.Reach == model.ReachArea && a.Mode == model.Full && a.From.IsZero() && a.Until.IsZero() {
			return u, nil
		}
	}
	a := &model.Assignment{ID: "owner-" + strings.ToLower(rand.Text()[:12]), Subject: model.Subject{User: id}, Set: model.SetOwner, Reach: model.ReachArea, Mode: model.Full, Reason: "made an owner at the command line"}
	ops := []change.Op{change.Put(h.design(), a)}
	return u, d.operate(h, ops, u.DisplayName+" becomes an owner")
}

// operate checks and applies what an operator does, as one revision. Even an operator does not lock everybody out. The writer's lock must be held.
func (d *Desk) operate(h *house, ops []change.Op, why string) error {
	after, problems := change.Apply(h.design(), ops)
	if after == nil {
		return problemsOf(problems)
	}
	if at := d.now(); len(h.index.Owners(at)) > 0 && len(h.index.Update(after).Owners(at)) == 0 {
		return refuse(NotAllowed, "this would take away the last live person who holds every right in Fachwerk")
	}
	_, err := d.apply(h, after, ops, applied{name: operatorName, why: why})
	return err
}

// EffectiveAt writes what everybody holds at an instant (zero: now), in one of the forms of [effective.Forms].
func (d *Desk) EffectiveAt(at time.Time, form string, to io.Writer) error {
	h, err := d.houseAt(&at)
	if err != nil {
		return err
	}
	return effective.Write(to, form, h.index, at)
}

// Revision gives the number of the last revision.
func (d *Desk) Revision() int { return d.house.Load().revision }

// Empty tells whether the desk holds no design yet.
func (d *Desk) Empty() bool { return d.house.Load().revision == 0 }

// Live tells whether a user is live now.
func (d *Desk) Live(user string) bool { return d.house.Load().index.Live(user, d.now()) }

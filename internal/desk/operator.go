package desk

import (
	"crypto/rand"
	"fmt"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// What an operator does at the command line needs no right: whoever can read the database file holds all of it anyway.

// operatorName is who the record names for what was done at the command line.
const operatorName = "Operator"

var operator = asker{name: operatorName}

// Load makes a design the whole of this desk's, as one revision. It is refused if there is a design already, unless it is to be replaced.
func (d *Desk) Load(design *model.Design, replace bool, why string) error {
	d.write.Lock()
	defer d.write.Unlock()
	h := d.present()
	if h.revision > 0 && !replace {
		return refuse(Conflict, "the database holds a design already: use --replace to put this one in its place")
	}
	_, err := d.apply(d.checkDesign(h, operator, ByReplacement, design), "", note{why: why})
	return err
}

// MakeOwner gives a user every right in Fachwerk over the whole organisation, unless they hold these already.
func (d *Desk) MakeOwner(user string) (*model.User, error) {
	d.write.Lock()
	defer d.write.Unlock()
	h := d.present()
	id, ok := h.index.UserID(user)
	if !ok {
		return nil, refuse(NotFound, "there is no user %q", user)
	}
	u, _ := h.design().Users.Find(id)
	owner := &model.Assignment{ID: "owner-" + strings.ToLower(rand.Text()[:12]), Subject: model.Subject{User: id}, Set: model.SetOwner, Reach: model.ReachArea, Mode: model.Full, Reason: "made an owner at the command line"}
	for _, a := range h.design().Assignments {
		if a.Key() == owner.Key() {
			return u, nil
		}
	}
	ops := []change.Op{change.Put(h.design(), owner)}
	return u, d.operate(h, ops, u.DisplayName+" becomes an owner")
}

// operate applies what an operator does, as one revision. The writer's lock must be held.
func (d *Desk) operate(h *house, ops []change.Op, why string) error {
	_, err := d.apply(d.check(h, operator, act{door: ByOperator, ops: ops}), "", note{why: why})
	return err
}

// Past is a revision of an invented past.
type Past struct {
	At  time.Time
	Who string // a user's id
	Why string
	Ops []change.Op
}

// Recount records an invented past, as made by the people whom it names, one revision after another. It is refused where there is a design already.
func (d *Desk) Recount(past ...Past) error {
	d.write.Lock()
	defer d.write.Unlock()
	if h := d.present(); h.revision > 0 {
		return refuse(Conflict, "the database holds a design already: a past is only invented where there is none")
	}
	for _, p := range past {
		c := d.check(d.present(), asker{who: Actor{User: p.Who}, then: p.At.UTC()}, act{door: ByAccount, ops: p.Ops})
		if _, err := d.apply(c, "", note{why: p.Why}); err != nil {
			return fmt.Errorf("%s: %w", p.Why, err)
		}
	}
	return nil
}

// Revision gives the number of the last revision.
func (d *Desk) Revision() int { return d.present().revision }

// Empty tells whether the desk holds no design yet.
func (d *Desk) Empty() bool { return d.present().revision == 0 }

// Live tells whether a user is live now.
func (d *Desk) Live(user string) bool { return d.present().index.Live(user, d.Now()) }

package desk

import (
	"crypto/rand"
	"fmt"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/store"
)

// What an operator does at the command line needs no right: whoever can read the database file holds all of it anyway.

// operatorName is who the record names for what was done at the command line.
const operatorName = "Operator"

var operator = Asker{name: operatorName}

// Loading says how a model file comes to be the design.
type Loading int

const (
	Begin   Loading = iota // there is no design yet
	Replace                // in place of the design that is there, as one revision; refused if it breaks a guarantee
	Force                  // in its place, whatever that breaks
)

// Load makes a design the whole of this desk's, as one revision. What its file told of last uses is noted.
func (d *Desk) Load(design *model.Design, how Loading, why string) error {
	door := ByLoading
	if how == Replace {
		door = ByReplacement
	}
	design, uses := use.Taken(design)
	return d.Writing(func(h *House) error {
		if h.Revision > 0 && how == Begin {
			return Refuse(Conflict, "the database holds a design already: use --replace to put this one in its place")
		}
		if err := d.mayBe(uses); err != nil {
			return err
		}
		_, err := d.Commit(d.checkDesign(h, operator, door, design), "", Note{Why: why})
		if err == nil {
			_, err = d.TakeUses(uses)
		}
		return err
	})
}

// MakeOwner gives a user every right in Fachwerk over the whole organisation, unless they hold these already.
func (d *Desk) MakeOwner(user string) (*model.User, error) {
	return Written(d, func(h *House) (*model.User, error) { return d.makeOwner(h, user) })
}

func (d *Desk) makeOwner(h *House, user string) (*model.User, error) {
	id, ok := h.Index.UserID(user)
	if !ok {
		return nil, Refuse(NotFound, "there is no user %q", user)
	}
	u, _ := h.Design().Users.Find(id)
	owner := &model.Assignment{
		ID:      "owner-" + strings.ToLower(rand.Text()[:12]),
		Subject: model.Subject{User: id},
		Set:     model.SetOwner,
		Reach:   model.ReachArea,
		Mode:    model.Full,
		Reason:  "made an owner at the command line",
	}
	for _, a := range h.Design().Assignments {
		if a.Key() == owner.Key() {
			return u, nil
		}
	}
	ops := []change.Op{change.Put(h.Design(), owner)}
	return u, d.Operate(h, ops, u.DisplayName+" becomes an owner")
}

// Operate applies what an operator does, as one revision. The writer's lock must be held.
func (d *Desk) Operate(h *House, ops []change.Op, why string) error {
	_, err := d.Commit(d.Operated(h, ops), "", Note{Why: why})
	return err
}

// Operated checks what an operator would do.
func (d *Desk) Operated(h *House, ops []change.Op) *checked {
	return d.Check(h, operator, Act{Door: ByOperator, Ops: ops})
}

// TakeFound records what was found in the database beside the record as a change of the operator's.
func (d *Desk) TakeFound(altered []store.Altered) error {
	return d.Writing(func(h *House) error {
		var ops []change.Op
		for _, a := range altered {
			switch was := h.Design().Get(a.Kind, a.ID); {
			case a.Found != nil:
				ops = append(ops, change.Put(h.Design(), a.Found))
			case was != nil:
				ops = append(ops, change.Delete(was))
			}
		}
		return d.Operate(h, ops, "Takes over what was found in the database beside the record")
	})
}

// Past is a revision of an invented past.
type Past struct {
	At  time.Time
	Who string // a user's id
	Why string
	Ops []change.Op
}

// Recount records an invented past, as made by the people whom it names, one revision after another. It is refused
// where there is a design already.
func (d *Desk) Recount(past ...Past) error {
	d.Write.Lock()
	defer d.Write.Unlock()
	if h := d.Present(); h.Revision > 0 {
		return Refuse(Conflict, "the database holds a design already: a past is only invented where there is none")
	}
	for _, p := range past {
		c := d.Check(d.Present(), Asker{Who: Actor{User: p.Who}, then: p.At.UTC()}, Act{Door: ByAccount, Ops: p.Ops})
		if _, err := d.Commit(c, "", Note{Why: p.Why}); err != nil {
			return fmt.Errorf("%s: %w", p.Why, err)
		}
	}
	return nil
}

// Revision gives the number of the last revision.
func (d *Desk) Revision() int { return d.Present().Revision }

// Empty tells whether the desk holds no design yet.
func (d *Desk) Empty() bool { return d.Present().Revision == 0 }

// Live tells whether a user is live now.
func (d *Desk) Live(user string) bool { return d.Present().Index.Live(user, d.Now()) }

package account

import (
	"errors"
	"slices"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// accept makes somebody active who was invited and has now come, as a revision of their own. The writer's lock must be
// held.
func (d *Accounts) accept(h *desk.House, u *model.User, along func(*store.Store, int) error) error {
	longer, err := d.fromAcceptance(h, u)
	if err != nil {
		return err
	}
	if len(longer) > 0 {
		// What stands against the longer ends does not keep the person out.
		var refused *desk.Error
		if err := d.acceptWith(h, u, longer, along); !errors.As(err, &refused) {
			return err
		}
	}
	return d.acceptWith(h, u, nil, along)
}

func (d *Accounts) acceptWith(
	h *desk.House, u *model.User, longer []change.Op, along func(*store.Store, int) error,
) error {
	active := change.Clone(u)
	active.State = model.UserActive
	permits := func(o change.Op) string {
		lasts := func(l change.Op) bool { return l.Kind == o.Kind && l.ID == o.ID }
		if o.Kind == model.KindUser && o.ID == u.ID || slices.ContainsFunc(longer, lasts) {
			return ""
		}
		return "Whoever accepts an invitation changes nothing but their own state."
	}
	_, err := d.Commit(
		d.Check(h, desk.Asker{Who: desk.Actor{User: u.ID}}, desk.Act{
			Door: desk.ByInvitation, Ops: append([]change.Op{change.Put(h.Design(), active)}, longer...), Permits: permits,
		}),
		"The invitation cannot be accepted.",
		desk.Note{Why: "Accepts the invitation", Along: func(s *store.Store, revision int) error {
			if along != nil {
				if err := along(s, revision); err != nil {
					return err
				}
			}
			return s.InvitationAccepted(u.ID, d.Now())
		}},
	)
	return err
}

// fromAcceptance gives what moves the ends of what delegates assigned to somebody who is invited: the days that a
// delegation allows count from when the person comes in. It is the delegate's act, so it must be theirs to do now; what
// is not keeps its end, as what began later than it was given does, and what an administrator gave until a day.
func (d *Accounts) fromAcceptance(h *desk.House, u *model.User) (ops []change.Op, err error) {
	for _, g := range h.Index.GrantsOfUser(u.ID) {
		if g.Until.IsZero() || g.From.After(d.Now()) {
			continue
		}
		given, err := d.Store.LastOn(model.KindAssignment, g.ID, 0)
		if errors.Is(err, store.ErrNotFound) {
			continue // it came with the design
		}
		if err != nil {
			return nil, err
		}
		by := desk.Actor{User: given.Who}
		if given.Who == "" || d.May(h, by, model.EditAssignments) {
			continue
		}
		longer := change.Clone(g)
		longer.Until = g.Until.Add(d.Now().Sub(given.At))
		op := change.Put(h.Design(), longer)
		act := desk.Act{Door: desk.ByHand, Ops: []change.Op{op}}
		if d.Check(h, desk.Asker{Who: by}, act).Refusal(d.Now(), "") == nil {
			ops = append(ops, op)
		}
	}
	return ops, nil
}

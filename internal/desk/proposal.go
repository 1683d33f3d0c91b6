package desk

import (
	"encoding/json"
	"slices"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// proposal is the one act of a change that is looked at and applied by itself, beside the draft.
func (d *Desk) proposal(h *House, who Actor, of Origin, ops []change.Op) (*Drafted, error) {
	value, err := json.Marshal(ops)
	if err != nil {
		return nil, err
	}
	return d.lay(h, Asker{Who: who}, []edit{{ID: "proposed", Ops: ops, Origin: of, kept: store.NewDraftEdit(value)}})
}

// Propose tells what an act would come to if it were applied by itself, without the draft of whoever looks.
func (d *Desk) Propose(who Actor, of Origin, ops ...change.Op) (*Draft, error) {
	h := d.Present()
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	p, err := d.proposal(h, who, of, ops)
	if err != nil {
		return nil, err
	}
	return p.view(s.with(who, p)), nil
}

// with is what somebody sees once a change is made that lies in no draft.
func (s *Sight) with(who Actor, p *Drafted) *Sight {
	alone := *s
	alone.Draft, alone.House = p, p.Shown
	if !s.Whole {
		alone.House = p.Shown.partFor(who.Eyes(), s.Authority, nil)
	}
	return &alone
}

// Enact applies an act by itself, without the draft of whoever does it. The stamp must be that of what was proposed.
func (d *Desk) Enact(h *House, who Actor, why, stamp string, of Origin, ops ...change.Op) (*Applied, error) {
	p, err := d.proposal(h, who, of, ops)
	if err != nil {
		return nil, err
	}
	switch blocks := p.blocks(); {
	case len(p.Ops) == 0:
		return nil, Refuse(Conflict, "All of this is already so.")
	case stamp != p.stamp:
		return nil, Refuse(Conflict, "What this comes to has changed since you looked. Look at it again.")
	case len(blocks) > 0:
		return nil, &Error{Cause: NotAllowed, Message: blocks[0], Problems: firstOf(blocks[1:])}
	}
	return d.commitDraft(h, p.checked, p.Edits, Note{Why: why}, func(*store.Store, int) error {
		return nil
	})
}

// Composed is a change that is made of acts in one go, beside the draft of whoever makes it.
type Composed struct {
	*Drafted
	who  Actor
	acts []int // of each edit, which of the acts it is
	ops  [][]change.Op
}

// ComposeChange lays acts on a design one after another, each on what those before it come to, and checks what they
// come to together. What is wrong with an act by itself is the error of its place; the change is nil if there is any.
func (d *Desk) ComposeChange(h *House, who Actor, acts []func(p *Drafted) error) (*Composed, []error, error) {
	if err := d.Acts(h, who); err != nil {
		return nil, nil, err
	}
	own := &Drafted{checked: &checked{house: h}, Shown: h, own: true}
	if !d.May(h, who, model.ViewDesign) {
		authority := d.Authority(h, who)
		if authority.Empty() {
			return nil, nil, d.Need(h, who, model.ViewDesign)
		}
		own.sight = h.partFor(who.User, authority, nil).Design()
	}
	c := &Composed{who: who, ops: make([][]change.Op, len(acts))}
	var edits []edit
	wrong, failed := make([]error, len(acts)), false
	for i, act := range acts {
		n := len(own.Ops)
		if wrong[i] = act(own); wrong[i] != nil {
			failed = true
			own.Ops, own.base = own.Ops[:n], nil
			continue
		}
		if c.ops[i] = slices.Clone(own.Ops[n:]); len(c.ops[i]) == 0 {
			continue
		}
		if own.sight != nil {
			own.sight = change.Lay(own.sight, c.ops[i])
		}
		value, err := json.Marshal(c.ops[i])
		if err != nil {
			return nil, nil, err
		}
		edits = append(edits, edit{ID: Itoa(i), Ops: c.ops[i], kept: store.NewDraftEdit(value)})
		c.acts = append(c.acts, i)
	}
	if failed {
		return nil, wrong, nil
	}
	var err error
	c.Drafted, err = d.lay(h, Asker{Who: who}, edits)
	return c, wrong, err
}

// House is what the change was composed on.
func (c *Composed) House() *House { return c.house }

// OpsOf gives what an act, by its place, does.
func (c *Composed) OpsOf(act int) []change.Op { return c.ops[act] }

// ActOf gives the place of the first act that alters one of some objects; -1 if none does.
func (c *Composed) ActOf(objects []Ref) int {
	return slices.IndexFunc(c.ops, func(ops []change.Op) bool {
		return slices.ContainsFunc(ops, func(o change.Op) bool {
			return slices.ContainsFunc(objects, func(r Ref) bool { return r.Kind == string(o.Kind) && r.ID == o.ID })
		})
	})
}

// Refused is what stands against a change.
type Refused struct {
	Act     int // its place among the acts; -1: the change as a whole
	Concern Concern
	Message string
	About   []Ref // what it is about, as far as that is known
}

// Refused gives all that stands against the change, what a program may not do for want of a proof with it.
func (c *Composed) Refused(now time.Time) (out []Refused) {
	unproven := now.Sub(c.who.Proven) > ProvenFor
	for _, v := range c.verdicts {
		if v.stance != Refuses && !(v.stance == proves && unproven) {
			continue
		}
		r := Refused{Act: -1, Concern: v.concern, Message: v.message}
		if v.act >= 0 {
			r.Act = c.acts[v.act]
		}
		for _, o := range v.about {
			named := slices.ContainsFunc(c.Ops, func(p change.Op) bool { return p.Kind == o.kind && p.ID == o.id })
			if named || !c.partial { // of what else it is about, a delegate may not see
				r.About = append(r.About, c.house.Ref(o.kind, o.id))
			}
		}
		out = append(out, r)
	}
	return out
}

// ImpactOf tells what a composed change comes to, as far as whoever makes it sees it.
func (d *Desk) ImpactOf(c *Composed) (Impact, error) {
	s, err := d.See(c.who)
	if err != nil {
		return Impact{}, err
	}
	return c.view(s.with(c.who, c.Drafted)).Impact, nil
}

// Make applies a composed change on the house that it was composed on, for a reason, and keeps something more in the
// same transaction. The writer's lock must be held.
func (d *Desk) Make(c *Composed, why string, keep func(s *store.Store, revision int) error) (*Applied, error) {
	if d.Present() != c.house {
		return nil, errMoved
	}
	checked := *c.checked
	checked.judge(d)
	return d.commitDraft(c.house, &checked, c.Edits, Note{Why: why}, keep)
}

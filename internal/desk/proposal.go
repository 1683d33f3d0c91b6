package desk

import (
	"encoding/json"

	"fachwerk/internal/core/change"
	"fachwerk/internal/store"
)

// proposal is the one act of a change that is looked at and applied by itself, beside the draft.
func (d *Desk) proposal(h *House, who Actor, of Origin, ops []change.Op) (*Drafted, error) {
	value, err := json.Marshal(ops)
	if err != nil {
		return nil, err
	}
	return d.lay(h, who, []edit{{ID: "proposed", Ops: ops, Origin: of, kept: store.NewDraftEdit(value)}})
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
	alone := *s
	alone.Draft, alone.House = p, p.Shown
	if !s.Whole {
		alone.House = p.Shown.partFor(who.Eyes(), s.Authority, nil)
	}
	return p.view(&alone), nil
}

// Enact applies an act by itself, without the draft of whoever does it. The stamp must be that of what was proposed.
func (d *Desk) Enact(h *House, who Actor, why, stamp string, of Origin, ops ...change.Op) (*Applied, error) {
	p, err := d.proposal(h, who, of, ops)
	if err != nil {
		return nil, err
	}
	switch blocks := p.blocks(); {
	case len(p.Ops) == 0:
		return nil, Refuse(Conflict, "All of it is so already.")
	case stamp != p.stamp:
		return nil, Refuse(Conflict, "What this comes to has changed since you looked. Look at it again.")
	case len(blocks) > 0:
		return nil, &Error{Cause: NotAllowed, Message: blocks[0], Problems: firstOf(blocks[1:])}
	}
	return d.commitDraft(h, p.checked, p.Edits, Note{Why: why}, func(*store.Store) error { return nil })
}

package desk

import (
	"encoding/json"
	"slices"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/store"
)

// Plan is what would change if the design were another one, whole.
type Plan struct {
	Hash     string   `json:"hash" doc:"Names exactly the differences and all that they come to; give it back to apply. Empty if there are none"`
	Revision int      `json:"revision" doc:"The latest revision, which the design is compared with"`
	Created  int      `json:"created" doc:"How many objects are new"`
	Changed  int      `json:"changed" doc:"How many are changed"`
	Deleted  int      `json:"deleted" doc:"How many are deleted"`
	Said     []string `json:"said" doc:"The differences, in sentences; at most 2000"`
	More     int      `json:"more" doc:"How much is not told"`
	Impact   Impact   `json:"impact"`
	Refused  []string `json:"refused" doc:"Why it cannot be applied; empty if it can"`
}

// plannedShown bounds how many differences a plan tells.
const plannedShown = 2000

// planned lays the differences between a design and the present one onto this, as one act. Nobody plans but who sees
// the whole: whatever else there is would be deleted.
func (d *Desk) planned(h *House, who *Actor, design *model.Design) (*Drafted, error) {
	by, door := operator, ByReplacement
	if who != nil {
		if err := d.Acts(h, *who); err != nil {
			return nil, err
		}
		if err := d.Need(h, *who, model.ViewDesign); err != nil {
			return nil, err
		}
		by, door = Asker{Who: *who}, ByHand
	}
	design, _ = use.Taken(design) // uses are no part of a design
	ops := change.Difference(h.Design(), design)
	value, err := json.Marshal(ops)
	if err != nil {
		return nil, err
	}
	return d.lay(h, by, []edit{{ID: "planned", Ops: ops, kept: store.NewDraftEdit(value), by: door}})
}

// PlanDesign tells what would change if a design took the place of the present one: by the authority of somebody, or
// at the command line if who is nil.
func (d *Desk) PlanDesign(who *Actor, design *model.Design) (*Plan, error) {
	h := d.Present()
	p, err := d.planned(h, who, design)
	if err != nil {
		return nil, err
	}
	return d.planOf(h, who, p), nil
}

func (d *Desk) planOf(h *House, who *Actor, p *Drafted) *Plan {
	s := &Sight{House: p.Shown, Present: h, At: d.Now(), Whole: true, Draft: p}
	out := &Plan{Revision: h.Revision, Said: []string{}, Impact: p.view(s).Impact, Refused: firstOf(p.blocks())}
	if who != nil && d.Now().Sub(who.Proven) > ProvenFor {
		out.Refused = firstOf(append(p.blocks(), p.Of(proves)...))
	}
	if len(p.Ops) == 0 {
		return out
	}
	out.Hash = p.stamp
	for _, o := range p.Ops {
		switch {
		case o.Before == nil:
			out.Created++
		case o.After == nil:
			out.Deleted++
		default:
			out.Changed++
		}
	}
	told, more := change.FirstSentences(p.laid[0], change.NamesIn(p.Shown.Design(), h.Design()), plannedShown)
	out.More = more
	for _, said := range told {
		out.Said = append(out.Said, said.String())
	}
	return out
}

// ApplyPlan makes a design the present one as one revision, if it comes to just what was planned: the hash is that of
// the plan. It gives the revision; that is the present one if there was nothing to do.
func (d *Desk) ApplyPlan(who *Actor, design *model.Design, hash, why string) (*Applied, error) {
	return Written(d, func(h *House) (*Applied, error) {
		p, err := d.planned(h, who, design)
		if err != nil {
			return nil, err
		}
		switch blocks := p.blocks(); {
		case len(p.Ops) == 0:
			return &Applied{Revision: h.Revision, Runs: []string{}}, nil
		case hash != p.stamp:
			return nil, Refuse(Conflict, "Something has moved since this was planned, or it is another plan: plan again, "+
				"look at what it comes to, then apply that.")
		case len(blocks) > 0:
			return nil, &Error{Cause: NotAllowed, Message: "The plan cannot be applied.", Problems: firstOf(blocks)}
		}
		if who == nil {
			next, err := d.Commit(p.checked, "", Note{Why: why})
			if err != nil {
				return nil, err
			}
			return &Applied{next.Revision, p.Impact().Gaining, p.Impact().Losing, []string{}}, nil
		}
		return d.commitDraft(h, p.checked, slices.Clone(p.Edits), Note{Why: why}, func(*store.Store, int) error {
			return nil
		})
	})
}

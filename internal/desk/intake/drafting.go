package intake

import (
	"cmp"
	"errors"
	"math"
	"slices"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/rows"
)

// refusing tells what somebody may not do beside their draft. To ask it of a large change takes as long as the trial
// itself; of more than so many operations it is not asked.
func (d *Intake) refusing(p *desk.Drafted, who desk.Actor, most int) func(ops []change.Op) []intake.Refusal {
	return func(ops []change.Op) []intake.Refusal {
		some := func(o change.Op) bool { return d.May(d.Present(), who, model.RightToEdit(o.Kind)) }
		if len(ops) > most || !slices.ContainsFunc(ops, some) { // who may do nothing of it is told so once, by the draft
			return nil
		}
		return refusals(d.Blame(d.With(p, who, ops)))
	}
}

// refusals are what stands in the way of a change; one that is about nothing in particular comes alone.
func refusals(blamed []desk.Blamed, stop string) (out []intake.Refusal) {
	for _, b := range blamed {
		out = append(out, intake.Refusal{Kind: b.Kind, ID: b.ID, User: b.User, Why: b.Why})
	}
	if len(out) == 0 && stop != "" {
		out = append(out, intake.Refusal{Why: stop})
	}
	return out
}

// DraftImport puts what the rows do into the draft, as one act. Rows with errors stay out; so do, of a file too large
// to be asked before, those that would keep the draft from being applied.
func (d *Intake) DraftImport(who desk.Actor, id string) (*desk.Draft, error) {
	im, err := d.imported(who, id)
	if err != nil {
		return nil, err
	}
	im.Lock()
	defer im.Unlock()
	if im.trial == nil || im.file == nil {
		return nil, desk.Refuse(desk.Invalid, "The file has not been tried yet.")
	}
	options := im.options
	options.Columns, options.Lines, options.Over, options.Stop = im.columns, im.file.Lines, im.file.Over, im.stop
	if im.kind == intake.LastUse {
		return nil, desk.Refuse(desk.Invalid, "Last uses are not part of the design, so they do not go into a draft: record them.")
	}
	put := func(most int) (*desk.Draft, error) {
		return d.Alter(who, func(h *desk.House, p *desk.Drafted) error {
			trial := im.trial
			if most > d.Judged || len(p.Ops) > 0 || h.Design() != im.house.Design() { // it was tried on something else
				options.Refused = d.refusing(p, who, most)
				trial, _ = intake.Try(p.Base(), im.kind, im.cells, options, func(int) bool { return true })
			}
			if most > d.Judged { // so that it is told of which rows
				im.trial, im.alike = trial, wrongCells(im.cells, trial)
			}
			switch {
			case trial.Stop != "":
				return desk.Refuse(desk.Invalid, "%s", trial.Stop)
			case len(trial.Ops) == 0:
				return desk.Refuse(desk.Invalid, "The file changes nothing.")
			}
			p.Add(0, trial.Ops...)
			return nil
		})
	}
	draft, err := put(d.Judged)
	if large := len(im.trial.Ops) > d.Judged; large && err == nil && len(draft.Blocks) > 0 {
		if _, err = d.TakeOut(who, draft.Edits[len(draft.Edits)-1].ID); err == nil {
			draft, err = put(math.MaxInt)
		}
	} else if refused := (*desk.Error)(nil); large && errors.As(err, &refused) && refused.Cause == desk.NotAllowed {
		if again, failed := put(math.MaxInt); failed == nil {
			draft, err = again, nil
		}
	}
	if err != nil {
		return nil, err
	}
	return draft, d.rememberColumns(im)
}

// RecordUses notes the last uses that the rows tell. Rows with errors stay out.
func (d *Intake) RecordUses(who desk.Actor, id string) (*desk.UsesNoted, error) {
	im, err := d.imported(who, id)
	if err != nil {
		return nil, err
	}
	if err := d.MayNoteUses(who); err != nil {
		return nil, err
	}
	im.Lock()
	defer im.Unlock()
	switch {
	case im.trial == nil || im.file == nil:
		return nil, desk.Refuse(desk.Invalid, "The file has not been tried yet.")
	case im.kind != intake.LastUse:
		return nil, desk.Refuse(desk.Invalid, "The file does not tell of last uses: put it into the draft.")
	case im.trial.Stop != "":
		return nil, desk.Refuse(desk.Invalid, "%s", im.trial.Stop)
	case len(im.trial.Uses) == 0:
		return nil, desk.Refuse(desk.Invalid, "The file has no use later than those already known.")
	}
	noted, err := d.TakeUses(im.trial.Uses)
	if err != nil {
		return nil, err
	}
	return noted, d.rememberColumns(im)
}

// ImportFile tries a file for an operator and, if it is to be applied and nothing is wrong with it, applies it as
// one revision; last uses are noted.
func (d *Intake) ImportFile(
	name string,
	data []byte,
	kind string,
	how rows.Reading,
	columns map[string]string,
	o intake.Options,
	apply bool,
) (trial *intake.Trial, file *rows.File, err error) {
	said := map[string]string{}
	for title, field := range columns {
		said[intake.Plain(title)] = field
	}
	how.Heads, how.Prefer = heads(map[intake.Kind]map[string]string{"": said}), kind
	if file, err = rows.Read(name, data, how); err != nil {
		return nil, nil, err
	}
	err = d.Writing(func(h *desk.House) error {
		k := intake.Kind(cmp.Or(kind, string(intake.Guess(h.Design(), file.Header, file.Rows, said))))
		o.Lines, o.Over = file.Lines, file.Over
		o.Columns = intake.Match(h.Design(), k, file.Header, file.Rows, said)
		if file.Reading.Form != rows.LDIF {
			o.Stop = intake.Clash(k, file.Header, o.Columns, said)
		}
		o.Uses, o.Now = h.Uses, d.Now()
		o.Refused = func(ops []change.Op) []intake.Refusal { return refusals(d.Blame(d.Operated(h, ops))) }
		trial, _ = intake.Try(h.Design(), k, file.Rows, o, func(int) bool { return true })
		if apply && trial.Stop == "" && trial.Counts[intake.Wrong] == 0 && len(trial.Uses) > 0 {
			_, err := d.TakeUses(trial.Uses)
			return err
		}
		if !apply || trial.Stop != "" || trial.Counts[intake.Wrong] > 0 || len(trial.Ops) == 0 {
			return nil
		}
		return d.Operate(h, trial.Ops, "Brought in from "+name)
	})
	return trial, file, err
}

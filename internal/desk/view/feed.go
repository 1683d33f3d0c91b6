package view

import (
	"context"
	"io"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/effective"
	"fachwerk/internal/exchange/ldif"
	"fachwerk/internal/exchange/modelfile"
)

// feedSize is how many revisions are read at once.
const feedSize = 100

// Changes gives the revisions after a number, earliest first, at most limit of them, each with its operations: who
// has the design of that number and carries these out has the design of the last of them.
func (d *Viewer) Changes(who desk.Actor, after, limit int) ([]Revision, error) {
	h := d.Present()
	for _, right := range []string{model.ViewHistory, model.ViewDesign} {
		if err := d.Need(h, who, right); err != nil {
			return nil, err
		}
	}
	list, err := d.Reading(who).RevisionsAfter(after, limit)
	out := make([]Revision, len(list))
	for i, r := range list {
		ops, err := d.Reading(who).Change(r.Number, 0)
		if err != nil {
			return nil, err
		}
		out[i] = Revision{
			Number:    r.Number,
			At:        r.At,
			Who:       r.WhoName,
			Why:       r.Why,
			Undoes:    r.Undoes,
			Sentences: [][]desk.Phrase{},
		}
		for _, o := range ops {
			op := Operation{Op: "put", Kind: string(o.Kind), ID: o.ID}
			if op.Before, op.After, err = o.Values(); err != nil {
				return nil, err
			}
			if op.After == nil {
				op.Op = "delete"
			}
			out[i].Operations = append(out[i].Operations, op)
		}
	}
	return out, err
}

// idle is how long those who follow the revisions hear nothing before they are told that there is nothing.
const idle = 15 * time.Second

// FollowChanges hands over each revision after a number, those that are there and those that come, until the
// context ends, the desk is closed, or one cannot be handed over. Every 15 seconds without any it tells so.
func (d *Viewer) FollowChanges(
	ctx context.Context,
	who desk.Actor,
	after int,
	each func(Revision) error,
	nothing func() error,
) error {
	tick := time.NewTicker(idle)
	defer tick.Stop()
	for {
		next := d.Moved.Wait() // before looking, so that none is missed
		list, err := d.Changes(who, after, feedSize)
		if err != nil {
			return err
		}
		for _, r := range list {
			if err := each(r); err != nil {
				return err
			}
			after = r.Number
		}
		if len(list) > 0 {
			continue
		}
		if next == nil {
			return nil
		}
		select {
		case <-next:
			tick.Reset(idle)
		case <-tick.C:
			if err := nothing(); err != nil {
				return err
			}
		case <-ctx.Done():
			return nil
		}
	}
}

// Effective writes what everybody holds at the instant that is looked at, in one of the forms of [effective.Forms].
func (d *Viewer) Effective(who desk.Actor, form string, to io.Writer) error {
	s, err := d.See(who)
	if err != nil {
		return err
	}
	if !s.Whole {
		return d.Need(d.Present(), who, model.ViewDesign)
	}
	return effective.Write(to, form, s.Present.Index, s.At)
}

// LDIF writes people and groups as they are at the instant that is looked at.
func (d *Viewer) LDIF(who desk.Actor, to io.Writer) error {
	s, err := d.See(who)
	if err != nil {
		return err
	}
	return ldif.Write(to, s.Present.Design(), s.Present.Index.Members)
}

// Model writes the design of the instant that is looked at as a model file.
func (d *Viewer) Model(who desk.Actor, to io.Writer) error {
	s, err := d.See(who)
	if err != nil {
		return err
	}
	return modelfile.Write(to, s.Present.Design(), s.Uses.Systems)
}

// MayExport refuses whoever does not see the whole design, before anything is written.
func (d *Viewer) MayExport(who desk.Actor) error { return d.Need(d.Present(), who, model.ViewDesign) }

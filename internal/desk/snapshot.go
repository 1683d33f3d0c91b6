package desk

import (
	"context"
	"errors"
	"log/slog"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// To read and compile a large design takes longer than a server may be away. So the design is kept beside the database
// with its index, from time to time; what came since is taken in as what another process has applied.

const (
	// snapshotLeast is how many people and assignments a design has of which a snapshot is kept: of others it is not
	// worth a file.
	snapshotLeast = 20_000
	// snapshotBehind is how many operations may come before the next snapshot. It is less than what is caught up with.
	snapshotBehind = catchUpMost / 4
)

// begin takes in the design: from the snapshot, if there is one that counts, or all of it from the database.
func (d *Desk) begin() error {
	revision, x, err := d.resumed()
	if err != nil {
		if !errors.Is(err, store.ErrNotFound) {
			slog.Warn("the snapshot beside the database cannot be used; the design is compiled anew", "error", err)
		}
		return d.reload()
	}
	if err := d.take(revision, x); err != nil {
		return err
	}
	d.snapshot.Store(int64(revision))
	return d.catchUp()
}

// Hold has nothing be changed, for a reason that whoever asks is told; an empty one lets changes be made again.
func (d *Desk) Hold(why string) {
	if why == "" {
		d.held.Store(nil)
		return
	}
	d.held.Store(&why)
}

// Distrust serves what the record says in place of objects that were altered beside it, and lets nothing be changed
// until somebody has decided what is so.
func (d *Desk) Distrust(found *store.ErrAltered) {
	d.Write.Lock()
	defer d.Write.Unlock()
	d.Hold("The design in the database is not the one that the record leads to, so nothing is changed until whoever runs " +
		"Fachwerk has decided which is right (fachwerk verify, fachwerk mend). What is shown is what the record says.")
	edits := make([]model.Edit, len(found.Objects))
	for i, a := range found.Objects {
		edits[i] = model.Edit{Kind: a.Kind, ID: a.ID, After: a.Recorded}
	}
	h := d.Present()
	next := &House{Revision: h.Revision, At: h.At, Index: h.Index.Update(h.Design().With(edits)), Uses: h.Uses}
	d.enterHouse(next)
}

// resumed gives the index of the snapshot, and its revision.
func (d *Desk) resumed() (revision int, x *index.Index, err error) {
	revision, pieces, err := d.Store.Snapshot(2)
	if err != nil {
		return 0, nil, err
	}
	design, err := model.Unpack(pieces[0])
	if err != nil {
		return 0, nil, err
	}
	x, err = index.Unpack(design, pieces[1])
	return revision, x, err
}

// KeepSnapshot keeps a snapshot of the present design if it is large, unless there is one that is nearly as new. It
// takes some seconds of a million people; ctx ends it early.
func (d *Desk) KeepSnapshot(ctx context.Context) error {
	h := d.Present()
	if len(h.Design().Users)+len(h.Design().Assignments) < snapshotLeast {
		return nil
	}
	kept := int(d.snapshot.Load())
	if n, err := d.Store.OperationsSince(kept, snapshotBehind); err != nil || kept > 0 && n < snapshotBehind {
		return err
	}
	until := func(write func(emit func([]byte) error) error) store.Section {
		return func(emit func([]byte) error) error {
			return write(func(piece []byte) error { return errors.Join(ctx.Err(), emit(piece)) })
		}
	}
	if err := d.Store.KeepSnapshot(h.Revision, until(h.Design().Pack), until(h.Index.Pack)); err != nil {
		if ctx.Err() != nil {
			return nil
		}
		return err
	}
	d.snapshot.Store(int64(h.Revision))
	return nil
}

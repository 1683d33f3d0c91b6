package store

import (
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// longList is how long what two lists have in common must be for it to be left out of the record.
const longList = 64

// wholeEvery is how many revisions lie between those of which all is kept whole, so that to give a reduced operation
// back what was left out of it takes few steps, however long the record is.
const wholeEvery = 64

// reduce leaves out of the values of an operation what their long lists have in common: of a group of thousands, to
// whom one more is added, the record keeps the one. It names the fields of which it did, with commas.
func reduce(o change.Op) (reduced change.Op, fields string) {
	if o.Before == nil || o.After == nil {
		return o, ""
	}
	var names []string
	for _, f := range model.Fields(o.Kind) {
		before, after := f.Lists(o.Before, o.After)
		if len(before) <= longList || len(after) <= longList {
			continue
		}
		gone, come := beyond(before, after), beyond(after, before)
		if len(before)-len(gone) <= longList {
			continue
		}
		o.Before, o.After = f.WithList(o.Before, gone), f.WithList(o.After, come)
		names = append(names, f.Name)
	}
	return o, strings.Join(names, ",")
}

// beyond gives what a list has that another has not.
func beyond(list, other []string) []string {
	in := make(map[string]bool, len(other))
	for _, s := range other {
		in[s] = true
	}
	return slices.DeleteFunc(slices.Clone(list), func(s string) bool { return in[s] })
}

// whole gives back to one value of a reduced operation what was left out of it, from the other one as it was whole.
func whole(kind model.Kind, fields string, value, other, otherWhole model.Object) model.Object {
	if fields == "" || value == nil {
		return value
	}
	for _, name := range strings.Split(fields, ",") {
		f := model.FieldOf(kind, name)
		mine, others := f.Lists(value, other)
		all, _ := f.Lists(otherWhole, nil)
		list := append(beyond(all, others), mine...)
		slices.Sort(list)
		value = f.WithList(value, slices.Compact(list))
	}
	return value
}

// undo gives what an object was before an operation, given what it was after it.
func (row operation) undo(after model.Object) (model.Object, error) {
	op, err := row.op()
	if err != nil {
		return nil, err
	}
	return whole(op.Kind, row.Reduced, op.Before, op.After, after), nil
}

// op is the operation as it is kept.
func (row operation) op() (change.Op, error) {
	return change.FromValues(model.Kind(row.Kind), row.ObjectID, row.Before, row.After)
}

// restore gives an operation whole, by undoing what came after it to the same object: from the next operation on that
// is kept whole, or else from what the object is now.
func (s *Store) restore(row operation) (change.Op, error) {
	op, err := row.op()
	if err != nil || row.Reduced == "" {
		return op, err
	}
	var later []operation
	if err := s.db.Where("kind = ? AND object_id = ? AND revision > ?", row.Kind, row.ObjectID, row.Revision).
		Where(`revision <= coalesce((SELECT min(revision) FROM operations WHERE kind = ? AND object_id = ? AND
			revision > ? AND coalesce(reduced, '') = ''), 9223372036854775807)`, row.Kind, row.ObjectID, row.Revision).
		Order("revision desc").Find(&later).Error; err != nil {
		return op, err
	}
	var now object
	if err := first(s.db, &now, "kind = ? AND id = ?", row.Kind, row.ObjectID); err != nil &&
		(len(later) == 0 || later[0].Reduced != "") {
		return op, err
	}
	var current model.Object
	if len(later) == 0 || later[0].Reduced != "" {
		if current, err = model.Decode(op.Kind, now.Value); err != nil {
			return op, err
		}
	}
	for _, l := range later {
		if current, err = l.undo(current); err != nil {
			return op, err
		}
	}
	return change.Op{Kind: op.Kind, ID: op.ID, Before: whole(op.Kind, row.Reduced, op.Before, op.After, current),
		After: current}, nil
}

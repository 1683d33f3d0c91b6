package view

import (
	"encoding/json"
	"reflect"
	"slices"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/store"
)

// Revision is an applied change, in sentences.
type Revision struct {
	Number    int             `json:"number"`
	At        time.Time       `json:"at"`
	Who       string          `json:"who" doc:"What the person, operator or program was called then"`
	Why       string          `json:"why"`
	Undoes    int             `json:"undoes,omitempty"`
	UndoneBy  int             `json:"undoneBy,omitempty"`
	Sentences [][]desk.Phrase `json:"sentences" doc:"At most 12"`
	More      int             `json:"more" doc:"How many operations are not told"`
	Grants    []string        `json:"grants,omitempty" doc:"The requests that it granted, in words"`
	// Operations are given to programs that follow the record.
	Operations []Operation `json:"operations,omitempty" doc:"All of them; only if revisions after a number are asked for"`
}

// Operation puts or deletes one object.
type Operation struct {
	Op     string          `json:"op" enum:"put,delete"`
	Kind   string          `json:"kind"`
	ID     string          `json:"id"`
	Before json.RawMessage `json:"before,omitempty" doc:"As the model file has it; absent for a new object"`
	After  json.RawMessage `json:"after,omitempty" doc:"As the model file has it; absent for a deleted object"`
}

const operationsTold = 12

// HistorySearch narrows the record.
type HistorySearch struct {
	Kind, ID    string
	User, Who   string
	Words       string
	From, Until time.Time
	Before      int // only revisions below this number; 0: from the last on
	Limit       int
}

func (q HistorySearch) store() store.Search {
	return store.Search{Kind: q.Kind, ID: q.ID, User: q.User, Who: q.Who, Words: q.Words, From: q.From, Until: q.Until}
}

// notAfter keeps to what a past day knew.
func (q *HistorySearch) notAfter(day time.Time) {
	if !day.IsZero() && (q.Until.IsZero() || q.Until.After(day)) {
		q.Until = day.Add(time.Second)
	}
}

// History gives a page of the record, latest first.
func (d *Viewer) History(who desk.Actor, q HistorySearch) ([]Revision, error) {
	h, err := d.Enter(who, model.ViewHistory)
	if err != nil {
		return nil, err
	}
	q.notAfter(who.When)
	list, err := d.Reading(who).Revisions(q.store(), q.Before, q.Limit)
	if err != nil {
		return nil, err
	}
	undone, err := d.Reading(who).Undone()
	if err != nil {
		return nil, err
	}
	numbers := make([]int, len(list))
	for i, r := range list {
		numbers[i] = r.Number
	}
	granted, err := d.Reading(who).GrantedBy(numbers...)
	if err != nil {
		return nil, err
	}
	grants := map[int][]string{}
	for _, g := range granted {
		grants[g.Revision] = append(grants[g.Revision], "request "+desk.Itoa(g.ID)+" of "+h.Ref(model.KindUser, g.User).Name)
	}
	names := change.NamesIn(h.Design())
	out := make([]Revision, len(list))
	for i, r := range list {
		ops, err := d.Reading(who).Told(r.Number, operationsTold)
		if err != nil {
			return nil, err
		}
		told := change.Sentences(ops, names)
		more := r.Size - len(ops)
		if len(told) > operationsTold {
			more += len(told) - operationsTold
			told = told[:operationsTold]
		}
		out[i] = Revision{
			r.Number, r.At, r.WhoName, r.Why, r.Undoes, undone[r.Number], desk.Sentences(told), more,
			grants[r.Number], nil,
		}
	}
	return out, nil
}

// FieldChange is what a revision made of one field of an object.
type FieldChange struct {
	Field  string `json:"field"`
	Before string `json:"before" doc:"As JSON, or empty"`
	After  string `json:"after"`
}

// ObjectChange is what a revision made of one object.
type ObjectChange struct {
	Object desk.Ref      `json:"object"`
	What   string        `json:"what" enum:"added,changed,deleted"`
	Fields []FieldChange `json:"fields"`
}

// RevisionDetail is a revision with all that it changed, before and after.
type RevisionDetail struct {
	Number  int            `json:"number"`
	Objects []ObjectChange `json:"objects" doc:"At most 500"`
	More    int            `json:"more"`
}

const objectsTold = 500

// RevisionDetail gives what a revision changed, before and after.
func (d *Viewer) RevisionDetail(who desk.Actor, number int) (*RevisionDetail, error) {
	h, err := d.Enter(who, model.ViewHistory)
	if err != nil {
		return nil, err
	}
	r, err := d.Reading(who).Revision(number)
	if err != nil {
		return nil, desk.Missing(err, "There is no revision %d.", number)
	}
	ops, err := d.Reading(who).Change(number, objectsTold)
	if err != nil {
		return nil, err
	}
	v := &RevisionDetail{Number: number, Objects: []ObjectChange{}, More: r.Size - len(ops)}
	for _, o := range ops {
		c := ObjectChange{Object: h.Ref(o.Kind, o.ID), What: "changed", Fields: []FieldChange{}}
		if c.Object.Name == o.ID {
			for _, side := range []model.Object{o.After, o.Before} {
				if side != nil {
					c.Object.Name = Mentioned(h, side).Name
					if side.Kind() != model.KindAssignment {
						c.Object.Name = side.Title()
					}
					break
				}
			}
		}
		switch {
		case o.Before == nil:
			c.What = "added"
		case o.After == nil:
			c.What = "deleted"
		}
		before, after, err := o.Values()
		if err != nil {
			return nil, err
		}
		c.Fields = fieldChanges(before, after)
		v.Objects = append(v.Objects, c)
	}
	return v, nil
}

// fieldChanges compares two values field by field.
func fieldChanges(before, after []byte) []FieldChange {
	b, a := map[string]json.RawMessage{}, map[string]json.RawMessage{}
	_ = json.Unmarshal(before, &b) // what the store gives is JSON, or empty
	_ = json.Unmarshal(after, &a)
	names := []string{}
	for _, m := range []map[string]json.RawMessage{b, a} {
		for f := range m {
			if f != "id" && !slices.Contains(names, f) && !reflect.DeepEqual(a[f], b[f]) {
				names = append(names, f)
			}
		}
	}
	slices.Sort(names)
	out := []FieldChange{}
	for _, f := range names {
		out = append(out, FieldChange{f, string(b[f]), string(a[f])})
	}
	return out
}

// HistoryTable gives the record, one row for each sentence, latest first. It is read as it is written.
func (d *Viewer) HistoryTable(who desk.Actor, q HistorySearch) (*table.Table, error) {
	h, err := d.Enter(who, model.ViewHistory)
	if err != nil {
		return nil, err
	}
	q.notAfter(who.When)
	names := change.NamesIn(h.Design())
	t := &table.Table{
		Name: "History",
		Columns: []table.Column{
			{Title: "revision", Width: 10},
			{Title: "at"},
			{Title: "who", Width: 28},
			{Title: "why", Width: 44},
			{Title: "undoes", Width: 8},
			{Title: "what", Width: 90},
		},
	}
	t.Stream = func(yield func(row []any) error) error {
		q := q // it begins anew each time
		for {
			list, err := d.Reading(who).Revisions(q.store(), q.Before, 200)
			if err != nil {
				return err
			}
			for _, r := range list {
				ops, err := d.Reading(who).Told(r.Number, 0)
				if err != nil {
					return err
				}
				var undoes any
				if r.Undoes > 0 {
					undoes = r.Undoes
				}
				for _, s := range change.Sentences(ops, names) {
					if err := yield([]any{r.Number, r.At, r.WhoName, r.Why, undoes, s.String()}); err != nil {
						return err
					}
				}
			}
			if len(list) < 200 {
				return nil
			}
			q.Before = list[len(list)-1].Number
		}
	}
	return t, nil
}

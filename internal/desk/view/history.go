package view

import (
	"encoding/json"
	"maps"
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

// concerned gives those of some sentences that name the person whom a search is for; all of them if none does, or if
// it is for nobody.
func (q HistorySearch) concerned(told []change.Sentence) []change.Sentence {
	var out []change.Sentence
	for _, s := range told {
		if slices.ContainsFunc(s, func(p change.Phrase) bool { return p.Kind == model.KindUser && p.ID == q.User }) {
			out = append(out, s)
		}
	}
	if len(out) == 0 {
		return told
	}
	return out
}

// History gives a page of the record, latest first; of one that is searched for a person, only what concerns them.
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
		ops, err := d.Reading(who).ToldOf(q.store(), r.Number, operationsTold)
		if err != nil {
			return nil, err
		}
		told := q.concerned(change.Sentences(ops, names))
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
	Before string `json:"before" doc:"In words; of a list, what is in it no longer; empty if there is nothing"`
	After  string `json:"after" doc:"In words; of a list, what has come into it"`
	Same   int    `json:"same,omitempty" doc:"Of a list: how many are in it before and after"`
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
	Objects []ObjectChange `json:"objects" doc:"As many as were asked for"`
	More    int            `json:"more"`
}

// RevisionDetail gives what a revision changed, before and after; of so many objects at most.
func (d *Viewer) RevisionDetail(who desk.Actor, number, most int) (*RevisionDetail, error) {
	h, err := d.Enter(who, model.ViewHistory)
	if err != nil {
		return nil, err
	}
	r, err := d.Reading(who).Revision(number)
	if err != nil {
		return nil, desk.Missing(err, "There is no revision %d.", number)
	}
	ops, err := d.Reading(who).Change(number, most)
	if err != nil {
		return nil, err
	}
	v := &RevisionDetail{Number: number, Objects: []ObjectChange{}, More: r.Size - len(ops)}
	names := change.NamesIn(h.Design())
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
		c.Fields = fieldChanges(o.Kind, before, after, names)
		v.Objects = append(v.Objects, c)
	}
	return v, nil
}

// fieldChanges compares two values of a kind field by field. Of lists, what both have is only counted.
func fieldChanges(kind model.Kind, before, after []byte, names change.Names) []FieldChange {
	b, a := map[string]any{}, map[string]any{}
	_ = json.Unmarshal(before, &b) // what the store gives is JSON, or empty
	_ = json.Unmarshal(after, &a)
	out := []FieldChange{}
	for _, name := range slices.Sorted(maps.Keys(b)) {
		if _, both := a[name]; !both {
			a[name] = nil
		}
	}
	for _, name := range slices.Sorted(maps.Keys(a)) {
		if name == "id" || reflect.DeepEqual(a[name], b[name]) {
			continue
		}
		f := model.FieldOf(kind, name)
		c := FieldChange{Field: f.Said}
		was, is := b[name], a[name]
		if w, list := was.([]any); list {
			if i, list := is.([]any); list {
				was, is, c.Same = apart(w, i)
			}
		}
		c.Before, c.After = change.Words(f, was, names), change.Words(f, is, names)
		out = append(out, c)
	}
	return out
}

// apart takes out of two lists what both have, and counts that.
func apart(a, b []any) (onlyA, onlyB []any, same int) {
	key := func(v any) string {
		data, _ := json.Marshal(v) // it was read from JSON
		return string(data)
	}
	inA := map[string]bool{}
	for _, v := range a {
		inA[key(v)] = true
	}
	inB := map[string]bool{}
	for _, v := range b {
		if k := key(v); !inA[k] {
			onlyB = append(onlyB, v)
		} else {
			inB[k] = true
		}
	}
	for _, v := range a {
		if !inB[key(v)] {
			onlyA = append(onlyA, v)
		}
	}
	return onlyA, onlyB, len(inB)
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

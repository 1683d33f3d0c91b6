package desk

import (
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// Revision is an applied change, in sentences.
type Revision struct {
	Number    int       `json:"number"`
	At        time.Time `json:"at"`
	Who       string    `json:"who" doc:"What the person, operator or program was called then"`
	Why       string    `json:"why"`
	Undoes    int       `json:"undoes,omitempty"`
	UndoneBy  int       `json:"undoneBy,omitempty"`
	Sentences [][]Part  `json:"sentences" doc:"At most 12"`
	More      int       `json:"more" doc:"How many operations are not told"`
}

const operationsTold = 12

// History gives a page of the record, latest first: at most limit revisions before a number (0: from the last on).
func (d *Desk) History(who Actor, before, limit int) ([]Revision, error) {
	h, err := d.enter(who, model.ViewHistory)
	if err != nil {
		return nil, err
	}
	list, err := d.store.Revisions(before, limit)
	if err != nil {
		return nil, err
	}
	undone, err := d.store.Undone()
	if err != nil {
		return nil, err
	}
	names := change.NamesIn(h.design())
	out := make([]Revision, len(list))
	for i, r := range list {
		ops, err := d.store.Change(r.Number, operationsTold)
		if err != nil {
			return nil, err
		}
		told := change.Sentences(ops, names)
		more := r.Size - len(ops)
		if len(told) > operationsTold {
			more += len(told) - operationsTold
			told = told[:operationsTold]
		}
		out[i] = Revision{r.Number, r.At, r.WhoName, r.Why, r.Undoes, undone[r.Number], sentences(told), more}
	}
	return out, nil
}

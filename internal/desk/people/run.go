package people

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// Done is a worklist that was applied or carried out, in a list of them.
type Done struct {
	ID       string    `json:"id"`
	Name     string    `json:"name" doc:"Of the worklist"`
	Who      desk.Ref  `json:"who"`
	At       time.Time `json:"at"`
	Revision int       `json:"revision" doc:"By which it was applied; 0 if there was nothing to apply"`
}

// Entry is what became of one person.
type Entry struct {
	User     desk.Ref  `json:"user"`
	Outcomes []Outcome `json:"outcomes" doc:"One a step"`
	Gains    int       `json:"gains"`
	Losses   int       `json:"losses"`
	Notes    []string  `json:"notes"`
}

// Log is what a worklist did to each person.
type Log struct {
	Done
	Steps  []string       `json:"steps" doc:"In words"`
	Counts map[string]int `json:"counts" doc:"How many people each result concerns"`
	Match  int            `json:"match"`
	Rows   []Entry        `json:"rows"`
}

// record is what is kept of a run.
type record struct {
	Steps []string      `json:"steps"`
	Rows  []Entry       `json:"rows"`
	After []worklist.At `json:"after,omitempty"` // what is carried out once it is applied
	Do    []worklist.Do `json:"do"`              // of each step
}

// prepared is a trial that stands on a draft as it is now: the one that was looked at, if that is so.
func (d *Office) prepared(who desk.Actor, s *desk.Sight, p *desk.Drafted, w store.Worklist, c content) (*tried, error) {
	var got *tried
	d.mu.Lock()
	t := d.tried[w.ID]
	d.mu.Unlock()
	if t != nil && t.key == keyOf(w, p) {
		<-t.ready
		got = t.tried
	}
	if got == nil || got.failure {
		got = d.weigh(who, s, p, c, func(int) bool { return true })
	}
	switch {
	case len(c.Steps) == 0 || len(c.People) == 0:
		return nil, desk.Refuse(desk.Invalid, "Gather people and choose a step first.")
	case got.stop != "":
		e := desk.Refuse(desk.Invalid, "%s", got.stop)
		for i, w := range got.wrong {
			if w != "" {
				e.Problems = append(e.Problems, fmt.Sprintf("Step %d: %s", i+1, w))
			}
		}
		return nil, e
	}
	return got, nil
}

// keep keeps what a worklist is about to do.
func (d *Office) keep(who desk.Actor, s *desk.Sight, name string, c content, got *tried) (store.Run, error) {
	r := record{After: got.After}
	for i := range c.Steps {
		r.Steps, r.Do = append(r.Steps, said(s.House, &c.Steps[i])), append(r.Do, c.Steps[i].Do)
	}
	for i, id := range c.People {
		if c.Left[id] {
			continue // nothing is done to them, so the log is not about them
		}
		row := d.row(s, id, none, &got.Rows[i], got)
		r.Rows = append(r.Rows, Entry{row.User, row.Outcomes, row.Gains, row.Losses, row.Notes})
	}
	run := store.Run{ID: strings.ToLower(rand.Text()[:16]), User: who.User, List: name, Made: d.Now()}
	var err error
	if run.Value, err = json.Marshal(r); err == nil {
		err = d.Store.SaveRun(run)
	}
	return run, err
}

// DraftWorklist puts what a worklist does into the draft, as one act; whatever is not possible stays out. What is no
// change of the design is carried out once the draft is applied.
func (d *Office) DraftWorklist(who desk.Actor, id string) (*desk.Draft, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, err
	}
	w, c, err := d.open(who, id)
	if err != nil {
		return nil, err
	}
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		got, err := d.prepared(who, s, p, w, c)
		if err != nil {
			return err
		}
		if len(got.Ops) == 0 {
			return desk.Refuse(desk.Conflict, "There is nothing to put into the draft: all is so already, or is not possible.")
		}
		run, err := d.keep(who, s, w.Name, c, got)
		if err != nil {
			return err
		}
		p.AddOf(desk.Origin{Run: run.ID}, got.Ops...)
		return nil
	})
}

// CarryOutWorklist does at once what is no change of the design: letters, signing out. It is refused where there are
// changes, which go through the draft.
func (d *Office) CarryOutWorklist(who desk.Actor, id string) (*Done, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, err
	}
	w, c, err := d.open(who, id)
	if err != nil {
		return nil, err
	}
	got, err := d.prepared(who, s, s.Draft, w, c)
	if err != nil {
		return nil, err
	}
	switch {
	case len(got.Ops) > 0:
		return nil, desk.Refuse(desk.Conflict, "Some steps change the design: put them into the draft.")
	case len(got.After) == 0:
		return nil, desk.Refuse(desk.Conflict, "There is nothing to carry out.")
	}
	run, err := d.keep(who, s, w.Name, c, got)
	if err != nil {
		return nil, err
	}
	along, then, err := d.carryOut(s.Present, who, desk.Carried{Of: []desk.Origin{{Run: run.ID}}})
	if err == nil {
		err = d.Store.Together(func(s *store.Store) error { return along(s, 0) })
	}
	if err != nil {
		return nil, err
	}
	then()
	return &Done{run.ID, run.List, s.Ref(model.KindUser, who.User), d.Now(), 0}, nil
}

// carryOut prepares what is done along with a change by which runs are applied, requests are granted and people are
// invited: what is no change of the design, a letter to whoever does it or asked for it, what each run is kept to have
// come to, and the invitations.
func (d *Office) carryOut(
	h *desk.House,
	who desk.Actor,
	what desk.Carried,
) (func(*store.Store, int) error, func(), error) {
	all := []*account.Carried{d.accounts.Newcomers(h, who, what.Invited)}
	if len(what.Critical) > 0 {
		letters, err := d.accounts.Warn(h, who, what.Why, what.Critical)
		if err != nil {
			return nil, nil, err
		}
		all = append(all, letters)
	}
	kept := map[string][]byte{}
	var settled []func(*store.Store, int) error
	for _, of := range what.Of {
		if of.Request > 0 {
			settle, letter, err := d.grantedBy(h, who, of)
			if err != nil {
				return nil, nil, err
			}
			settled, all = append(settled, settle), append(all, letter)
		}
		if of.Leaving != "" {
			settle, err := d.leavingApplied(h, who, of.Leaving)
			if err != nil {
				return nil, nil, err
			}
			settled = append(settled, settle)
		}
		if of.Back != "" {
			settle, err := d.backApplied(of.Back)
			if err != nil {
				return nil, nil, err
			}
			settled = append(settled, settle)
		}
		id := of.Run
		if id == "" {
			continue
		}
		run, err := d.Store.Run(id)
		if errors.Is(err, store.ErrNotFound) {
			continue // it is forgotten; what it changes lies in the draft
		}
		if err != nil {
			return nil, nil, err
		}
		var r record
		if err := json.Unmarshal(run.Value, &r); err != nil {
			return nil, nil, err
		}
		place := map[string]int{}
		for i, e := range r.Rows {
			place[e.User.ID] = i
		}
		for n, do := range r.Do {
			var users []string
			for _, at := range r.After {
				if at.Step == n {
					users = append(users, at.User)
				}
			}
			if len(users) == 0 {
				continue
			}
			c := d.accounts.Carry(h, who, account.Reach(do), users...)
			all = append(all, c)
			for user, why := range c.Refused {
				r.Rows[place[user]].Outcomes[n] = Outcome{string(worklist.Not), why}
			}
		}
		r.After = nil
		if kept[id], err = json.Marshal(r); err != nil {
			return nil, nil, err
		}
		n := r.counts()
		all = append(all, d.accounts.Letter(h, who.User, who.User, post.Run(
			h.Design().Organisation.Name, h.Ref(model.KindUser, who.User).Name, run.List,
			d.Outside+"/worklists/log/"+id, n[worklist.Done], n[worklist.Already], n[worklist.Not], r.lines(),
		)))
	}
	along := func(s *store.Store, revision int) error {
		for _, c := range all {
			if err := c.Keep(s); err != nil {
				return err
			}
		}
		for id, value := range kept {
			if err := s.RunApplied(id, revision, d.Now(), value); err != nil {
				return err
			}
		}
		if err := s.ReturnItems(who.User, what.Deleted...); err != nil {
			return err
		}
		for _, settle := range settled {
			if err := settle(s, revision); err != nil {
				return err
			}
		}
		return nil
	}
	return along, func() {
		for _, c := range all {
			c.Tell()
		}
	}, nil
}

// counts tells how many people each result concerns.
func (r *record) counts() map[worklist.Result]int {
	out := map[worklist.Result]int{}
	for _, e := range r.Rows {
		out[e.result()]++
	}
	return out
}

// lines tells what became of each person, in a line each.
func (r *record) lines() (out []string) {
	for _, e := range r.Rows {
		var said []string
		for _, o := range e.Outcomes {
			said = append(said, o.Said)
		}
		out = append(out, e.User.Name+" ("+e.User.ID+"): "+strings.Join(append(said, e.Notes...), " "))
	}
	return out
}

// runsShown bounds how many runs are listed.
const runsShown = 50

// runs lists what was applied: one's own, and for who reads the history, everybody's.
func (d *Office) runs(who desk.Actor) ([]Done, error) {
	h := d.Present()
	user := who.User
	if d.May(h, who, model.ViewHistory) {
		user = ""
	}
	kept, err := d.Store.Runs(user, runsShown)
	out := []Done{}
	for _, r := range kept {
		out = append(out, done(h, r))
	}
	return out, err
}

func done(h *desk.House, r store.Run) Done {
	return Done{r.ID, r.List, h.Ref(model.KindUser, r.User), *r.Applied, r.Revision}
}

// run gives what is kept of a run, to whose it is and to who reads the history.
func (d *Office) run(who desk.Actor, id string) (store.Run, *record, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return store.Run{}, nil, err
	}
	missing := desk.Refuse(desk.NotFound, "There is no such log.")
	run, err := d.Store.Run(id)
	if err != nil {
		return run, nil, desk.Missing(err, "%s", missing.Message)
	}
	if run.Applied == nil || run.User != who.User && !d.May(h, who, model.ViewHistory) {
		return run, nil, missing
	}
	r := &record{}
	return run, r, json.Unmarshal(run.Value, r)
}

// WorklistLog gives what a worklist did, with a window into its rows.
func (d *Office) WorklistLog(who desk.Actor, id string, q Window) (*Log, error) {
	run, r, err := d.run(who, id)
	if err != nil {
		return nil, err
	}
	log := &Log{Done: done(d.Present(), run), Steps: r.Steps, Counts: map[string]int{}, Rows: []Entry{}}
	for _, e := range r.Rows {
		result := string(e.result())
		log.Counts[result]++
		if q.Result != "" && q.Result != result || !desk.HasWords(q.Words, e.User.Name, e.User.ID) {
			continue
		}
		if log.Match >= q.Offset && len(log.Rows) < q.Limit {
			log.Rows = append(log.Rows, e)
		}
		log.Match++
	}
	return log, nil
}

func (e *Entry) result() worklist.Result {
	r := worklist.Row{}
	for _, o := range e.Outcomes {
		r.Outcomes = append(r.Outcomes, worklist.Outcome{Result: worklist.Result(o.Result)})
	}
	return resultOf(&r)
}

// WorklistTable gives what a worklist did to each person, for other programs.
func (d *Office) WorklistTable(who desk.Actor, id string) (*table.Table, error) {
	_, r, err := d.run(who, id)
	if err != nil {
		return nil, err
	}
	t := &table.Table{Name: "worklist", Columns: []table.Column{{Title: "id", Width: 24}, {Title: "name", Width: 32}}}
	for i, s := range r.Steps {
		t.Columns = append(t.Columns, table.Column{Title: fmt.Sprintf("%d %s", i+1, s), Width: 44})
	}
	t.Columns = append(
		t.Columns,
		table.Column{Title: "gains"},
		table.Column{Title: "losses"},
		table.Column{Title: "notes", Width: 60},
	)
	for _, e := range r.Rows {
		row := []any{e.User.ID, e.User.Name}
		for _, o := range e.Outcomes {
			row = append(row, o.Said)
		}
		t.Rows = append(t.Rows, append(row, e.Gains, e.Losses, strings.Join(e.Notes, " ")))
	}
	return t, nil
}

// Package report writes what became of an access review, for people who want evidence that stands by itself: as a
// page to read and print, and as a table.
package report

import (
	_ "embed"
	"html/template"
	"io"
	"time"

	"fachwerk/internal/exchange/table"
)

// Review is all that a report tells. Every figure of its summary counts rows of Items or Tasks.
type Review struct {
	Organisation, Name, About, Deciders, Fate, Opener string
	Opened, Due                                       time.Time
	Closed                                            time.Time // zero: still open
	Revision                                          int       // that closing made, or 0
	Alone                                             string    // why one person was let open, decide and close it
	Written                                           time.Time
	Items                                             []Item
	Tasks                                             []Task
}

// Item is one item with its decision and the evidence for it.
type Item struct {
	Number                     int
	Person, Note, Access, Held string
	Reviewer, HandedBy         string
	Decision                   string // kept, revoked, undecided, or fated
	By, Reason                 string
	Decided                    time.Time
	Since                      time.Time
	GivenBy, LastUse, Peers    string
	Risk, Conflicts, Effect    string
}

// Task is what was left to the owner of a group.
type Task struct {
	Item                         int // the number of the item that it belongs to
	Person, Access, Group, Owner string
	Decision                     string // open, person out, grant off, or left
	By, Reason                   string
	Decided                      time.Time
	Revision                     int
}

// The decisions that a report tells of items.
const (
	Kept      = "kept"
	Revoked   = "revoked"
	Fated     = "revoked by fate"
	Undecided = "undecided"
)

// Of gives the items with a decision, so that a figure can be traced to its items.
func (r Review) Of(decision string) (out []Item) {
	for _, i := range r.Items {
		if i.Decision == decision {
			out = append(out, i)
		}
	}
	return out
}

// Settled gives the tasks with a decision.
func (r Review) Settled(decision string) (out []Task) {
	for _, t := range r.Tasks {
		if t.Decision == decision {
			out = append(out, t)
		}
	}
	return out
}

//go:embed report.html
var page string

var parsed = template.Must(template.New("report").Funcs(template.FuncMap{
	"day": func(t time.Time) string {
		if t.IsZero() {
			return ""
		}
		return t.Format("2 Jan 2006")
	},
	"moment": func(t time.Time) string {
		if t.IsZero() {
			return ""
		}
		return t.Format("2 Jan 2006 15:04") + " UTC"
	},
}).Parse(page))

// HTML writes the report as one page that needs nothing else.
func HTML(w io.Writer, r Review) error { return parsed.Execute(w, r) }

// Table gives the report's items, one row each.
func Table(r Review) *table.Table {
	t := &table.Table{
		Name: r.Name,
		Columns: []table.Column{
			{Title: "item", Width: 6},
			{Title: "person", Width: 28},
			{Title: "access", Width: 28},
			{Title: "held", Width: 28},
			{Title: "reviewer", Width: 28},
			{Title: "handed on by", Width: 20},
			{Title: "decision", Width: 12},
			{Title: "by", Width: 28},
			{
				Title: "decided",
			},
			{Title: "reason", Width: 40},
			{Title: "held since"},
			{Title: "given by", Width: 28},
			{Title: "last use", Width: 24},
			{Title: "peers", Width: 24},
			{Title: "risk", Width: 10},
			{Title: "conflicts", Width: 28},
			{Title: "group tasks", Width: 36},
		},
	}
	tasks := map[int]string{}
	for _, t := range r.Tasks {
		if tasks[t.Item] != "" {
			tasks[t.Item] += "; "
		}
		tasks[t.Item] += t.Group + ": " + t.Decision
	}
	for _, i := range r.Items {
		t.Rows = append(
			t.Rows,
			[]any{
				i.Number,
				i.Person,
				i.Access,
				i.Held,
				i.Reviewer,
				i.HandedBy,
				i.Decision,
				i.By,
				i.Decided,
				i.Reason,
				i.Since,
				i.GivenBy,
				i.LastUse,
				i.Peers,
				i.Risk,
				i.Conflicts,
				tasks[i.Number],
			},
		)
	}
	return t
}

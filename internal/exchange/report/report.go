// Package report writes what became of an access review, for people who want evidence that stands by itself: as a
// page to read and print, and as a table.
package report

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"strings"
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
	Steps                                             []Step
	Heads                                             []Head
}

// Head is where the chain of revisions stood.
type Head struct {
	When     string // in words: before and after closing
	Revision int
	Hash     string // in hex
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
	Risk, Conflicts            string
	Suggested                  string // what the evidence spoke for, and why
	After                      string // what became of a revocation, once the review is closed
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
	"day": day, "moment": moment, "facts": facts, "figures": figures, "evidence": evidence,
}).Parse(page))

func day(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Format("2 Jan 2006")
}

func moment(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format("2 Jan 2006 15:04") + " UTC"
}

// facts are what the head of a report tells, by name.
func facts(r Review) (out [][2]string) {
	say := func(name, format string, args ...any) {
		out = append(out, [2]string{name, fmt.Sprintf(format, args...)})
	}
	say("What was asked about", "%s", r.About)
	say("Who decided", "%s", r.Deciders)
	say("Opened", "%s, by %s", moment(r.Opened), r.Opener)
	say("Due", "%s", day(r.Due))
	switch {
	case r.Closed.IsZero():
		say("Closed", "still open: this report is not final")
	case r.Revision > 0:
		say("Closed", "%s; what was revoked and given by hand was taken away by revision %d", moment(r.Closed), r.Revision)
	default:
		say("Closed", "%s", moment(r.Closed))
	}
	say("Undecided at the end", "%s", r.Fate)
	if r.Alone != "" {
		say("Opened, decided and closed by one person", "since, as the owner says: “%s”", r.Alone)
	}
	for _, h := range r.Heads {
		say("Record "+h.When, "revision %d, %s", h.Revision, h.Hash)
	}
	say("Written", "%s", moment(r.Written))
	return out
}

// figure is a number of items or tasks, of what they are, and where they can be found.
type figure struct {
	N     int
	Of    string
	Look  string // the style of its words
	Items []Item // that it counts, unless it counts all
}

func figures(r Review) []figure {
	undecided := "undecided"
	if !r.Closed.IsZero() {
		undecided += ", so they stayed"
	}
	of := func(decision, words, look string) figure {
		items := r.Of(decision)
		return figure{len(items), words, look, items}
	}
	out := []figure{
		{len(r.Items), "items were asked about", "", nil},
		of(Kept, "kept", "kept"),
		of(Revoked, "revoked by a decision", "revoked"),
		of(Fated, "revoked since nobody decided", "revoked"),
		of(Undecided, undecided, "undecided"),
		{len(r.Tasks), fmt.Sprintf("revocations came by a group, and were left to its owner: %d taken out of the group, "+
			"%d by taking the grant off it, %d left for a reason, %d still open", len(r.Settled("person out")),
			len(r.Settled("grant off")), len(r.Settled("left")), len(r.Settled("open"))), "", nil},
	}
	return out
}

// evidence is what was known of an item when it was decided, in one sentence.
func evidence(i Item) string {
	var parts []string
	if !i.Since.IsZero() {
		since := "since " + day(i.Since)
		if i.GivenBy != "" {
			since += ", by " + i.GivenBy
		}
		parts = append(parts, since)
	}
	for _, p := range []string{i.LastUse, i.Peers} {
		if p != "" {
			parts = append(parts, p)
		}
	}
	if i.Risk != "" {
		parts = append(parts, i.Risk+" risk")
	}
	if i.Conflicts != "" {
		parts = append(parts, "conflicts: "+i.Conflicts)
	}
	if i.Suggested != "" {
		parts = append(parts, "suggested: "+i.Suggested)
	}
	return strings.Join(parts, "; ")
}

// itemCells are what a document tells of an item, column by column.
func itemCells(i Item) []string {
	decision := i.Decision
	switch {
	case i.By != "":
		decision += " by " + i.By + ", " + moment(i.Decided)
	case i.Decision == Undecided:
		decision += "; it was for " + i.Reviewer
	}
	if i.HandedBy != "" {
		decision += "\nhanded on by " + i.HandedBy
	}
	if i.Reason != "" {
		decision += "\n“" + i.Reason + "”"
	}
	return []string{
		fmt.Sprint(i.Number),
		i.Person + "\n" + i.Note,
		i.Access + "\n" + i.Held,
		evidence(i),
		decision,
		i.After,
	}
}

// taskCells are what a document tells of a task, column by column.
func taskCells(t Task) []string {
	became := t.Decision
	if t.By != "" {
		became += " by " + t.By + ", " + moment(t.Decided)
	}
	if t.Revision > 0 {
		became += fmt.Sprintf(", revision %d", t.Revision)
	}
	if t.Reason != "" {
		became += "\n“" + t.Reason + "”"
	}
	return []string{fmt.Sprint(t.Item), t.Person, t.Access, t.Group + "\n" + t.Owner, became}
}

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
			{Title: "suggested", Width: 40},
			{Title: "what became of it", Width: 36},
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
				i.Suggested,
				i.After,
			},
		)
	}
	return t
}

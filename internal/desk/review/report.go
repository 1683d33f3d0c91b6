package review

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/report"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/store"
)

// ReviewReport gathers what became of a review, item by item.
func (d *Reviewer) ReviewReport(who desk.Actor, id int) (*report.Review, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	r, items, tasks, err := d.reviewParts(id)
	if err != nil {
		return nil, err
	}
	if !d.mayRunReview(h, who, r) && !d.May(h, who, model.ViewReviews) {
		if _, err := d.look(who, id, ""); err != nil {
			return nil, err
		}
		return nil, d.Need(h, who, model.ViewReviews)
	}
	v := progressOf(h, r, countsOf(r, items, tasks, d.self(h, who)), who, d.Now())
	out := &report.Review{
		Organisation: h.Design().Organisation.Name,
		Name:         r.Name,
		About:        plain(v.About),
		Deciders:     v.Deciders,
		Opener:       v.Opener.Name,
		Opened:       r.Opened,
		Due:          r.Due,
		Revision:     r.Revision,
		Alone:        r.Alone,
		Written:      d.Now(),
		Fate:         "stays as it is",
	}
	if v.Fate == decisionRevoke {
		out.Fate = "is revoked"
	}
	if r.Closed != nil {
		out.Closed = *r.Closed
	}
	numbers, became := map[int]int{}, map[int]string{}
	if r.Closed != nil {
		after, err := d.after(who, h, r, items)
		if err != nil {
			return nil, err
		}
		for _, a := range after {
			became[a.Item] = afterWords(a)
		}
	}
	for n, i := range items {
		numbers[i.ID] = n + 1
		row := d.reportItem(h, r, i, n+1, who)
		row.After = became[i.ID]
		out.Items = append(out.Items, row)
	}
	if out.Steps, err = d.reportSteps(h, who, id, numbers); err != nil {
		return nil, err
	}
	if out.Heads, err = d.heads(who, r); err != nil {
		return nil, err
	}
	words := map[string]string{"": "open", taskPerson: "person out", taskGrant: "grant off", taskLeave: "left"}
	for _, t := range tasks {
		v := d.task(h, r, t, who)
		row := report.Task{
			Item:     numbers[t.Item],
			Person:   v.Subject.Name,
			Access:   v.Keeps,
			Owner:    v.Owner.Name,
			Decision: words[t.Decision],
			Reason:   t.Reason,
			Revision: t.Revision,
		}
		if v.Group != nil {
			row.Group = v.Group.Name
		}
		if v.By != nil {
			row.By, row.Decided = v.By.Name, *v.Decided
		}
		out.Tasks = append(out.Tasks, row)
	}
	return out, nil
}

// afterWords says what became of a revocation.
func afterWords(a After) string {
	words := map[string]string{
		afterGone: "gone", afterPartly: "in part: still held", afterLeft: "left", afterWaits: "waits for the group’s owner",
		afterBack: "came back",
	}[a.State]
	if a.Note != "" {
		words += ", " + a.Note
	}
	if a.By != nil {
		words += ", by " + a.By.Name
	} else if a.ByName != "" {
		words += ", by " + a.ByName
	}
	if a.At != nil {
		words += ", " + a.At.Format("2 Jan 2006")
	}
	return words
}

// reportSteps are all decisions on the items of a review, which have numbers.
func (d *Reviewer) reportSteps(h *desk.House, who desk.Actor, id int, numbers map[int]int) (out []report.Step,
	err error) {
	list, err := d.Reading(who).DecisionsOf(id)
	words := map[string]string{decisionKeep: report.Kept, decisionRevoke: report.Revoked, "": report.TakenBack}
	for _, s := range list {
		step := report.Step{Item: numbers[s.Item], At: s.At, Decision: words[s.Decision], Reason: s.Reason}
		if s.By != "" {
			step.By = h.Ref(model.KindUser, s.By).Name
		}
		if s.Handed != "" {
			step.Decision, step.Whom = report.HandedOn, h.Ref(model.KindUser, s.Handed).Name
		}
		out = append(out, step)
	}
	return out, err
}

// heads tell where the record stood before and after the review was closed, or when it was opened.
func (d *Reviewer) heads(who desk.Actor, r store.Review) (out []report.Head, err error) {
	say := func(when string, number int) error {
		rev, err := d.Reading(who).Revision(number)
		if err == nil {
			out = append(out, report.Head{When: when, Revision: rev.Number, Hash: rev.Hash})
		}
		return err
	}
	if r.Closed != nil && r.Revision > 0 {
		err := errors.Join(say("before closing", r.Revision-1), say("after closing", r.Revision))
		return out, err
	}
	when, at := "at opening", r.Opened
	if r.Closed != nil {
		when, at = "at closing", *r.Closed
	}
	number, err := d.Reading(who).RevisionAt(at)
	if err != nil || number == 0 {
		return nil, err
	}
	err = say(when, number)
	return out, err
}

// ReviewsTable gives the reviews that [Desk.Reviews] gives, one row each.
func (d *Reviewer) ReviewsTable(who desk.Actor, where string) (*table.Table, error) {
	list, err := d.Reviews(who, where)
	if err != nil {
		return nil, err
	}
	t := &table.Table{
		Name: "Reviews",
		Columns: []table.Column{
			{Title: "id", Width: 6},
			{Title: "name", Width: 40},
			{Title: "about", Width: 40},
			{Title: "decided by", Width: 24},
			{Title: "opened by", Width: 28},
			{Title: "opened"},
			{Title: "due"},
			{Title: "closed"},
			{Title: "revision", Width: 10},
			{
				Title: "items",
				Width: 8,
			},
			{Title: "kept", Width: 8},
			{Title: "revoked", Width: 8},
			{Title: "undecided", Width: 10},
			{Title: "group tasks", Width: 11},
			{Title: "settled", Width: 8},
		},
	}
	for _, r := range list {
		var closed time.Time
		if r.Closed != nil {
			closed = *r.Closed
		}
		var revision any
		if r.Revision > 0 {
			revision = r.Revision
		}
		t.Rows = append(
			t.Rows,
			[]any{
				r.ID,
				r.Name,
				plain(r.About),
				r.Deciders,
				r.Opener.Name,
				r.Opened,
				r.Due,
				closed,
				revision,
				r.Items,
				r.Kept,
				r.Revoked,
				r.Items - r.Kept - r.Revoked,
				r.Tasks,
				r.Settled,
			},
		)
	}
	return t, nil
}

func (d *Reviewer) reportItem(
	h *desk.House,
	r store.Review,
	i store.ReviewItem,
	number int,
	who desk.Actor,
) report.Item {
	v := d.item(h, r, i, who)
	row := report.Item{
		Number:   number,
		Person:   v.Subject.Name,
		Note:     v.Note,
		Access:   v.Keeps,
		Reviewer: v.Reviewer.Name,
		Reason:   v.Reason,
		Decision: report.Undecided,
	}
	var held []string
	if v.ByHand {
		held = append(held, "by hand")
	}
	for _, g := range v.Groups {
		held = append(held, "by "+g.Name)
	}
	row.Held = strings.Join(held, ", ")
	switch {
	case v.Decision == decisionKeep:
		row.Decision = report.Kept
	case v.Decision == decisionRevoke && v.Fated:
		row.Decision = report.Fated
	case v.Decision == decisionRevoke:
		row.Decision = report.Revoked
	}
	if v.By != nil {
		row.By = v.By.Name
	}
	if v.Decided != nil {
		row.Decided = *v.Decided
	}
	if v.HandedBy != nil {
		row.HandedBy = v.HandedBy.Name
	}
	if e := v.Evidence; e != nil {
		if e.Since != nil {
			row.Since = *e.Since
		}
		row.GivenBy, row.Risk = e.GivenBy, desk.Risks[e.Risk]
		row.LastUse = "use not known"
		if e.Never {
			row.LastUse = "never used"
		}
		if e.LastUse != nil {
			row.LastUse = "last used " + e.LastUse.Format("2 Jan 2006")
		}
		row.Peers = fmt.Sprintf("%d of %d peers have it", e.Alike, e.Peers)
		var conflicts []string
		for _, c := range e.Conflicts {
			conflicts = append(conflicts, c.Name)
		}
		row.Conflicts = strings.Join(conflicts, ", ")
		if e.Suggested != "" {
			row.Suggested = e.Suggested + ": " + e.Because
		}
	}
	return row
}

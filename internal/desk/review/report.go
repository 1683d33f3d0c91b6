package review

import (
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
	if !d.mayRunReview(h, who, r) {
		if err := d.Need(h, who, model.ViewReviews); err != nil {
			return nil, err
		}
	}
	v := progressOf(h, r, countsOf(r, items, tasks, who), who, d.Now())
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
	numbers := map[int]int{}
	for n, i := range items {
		numbers[i.ID] = n + 1
		out.Items = append(out.Items, d.reportItem(h, r, i, n+1, who))
	}
	words := map[string]string{"": "open", taskPerson: "person out", taskGrant: "grant off", taskLeave: "left"}
	for _, t := range tasks {
		v := d.task(h, r, t, who)
		row := report.Task{
			Item:     numbers[t.Item],
			Person:   v.User.Name,
			Access:   v.Target.Name,
			Group:    v.Group.Name,
			Owner:    v.Owner.Name,
			Decision: words[t.Decision],
			Reason:   t.Reason,
			Revision: t.Revision,
		}
		if v.By != nil {
			row.By, row.Decided = v.By.Name, *v.Decided
		}
		out.Tasks = append(out.Tasks, row)
	}
	return out, nil
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
		Person:   v.User.Name,
		Note:     v.Note,
		Access:   v.Target.Name,
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
	}
	return row
}

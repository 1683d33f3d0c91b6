package desk

import (
	"fmt"
	"strings"

	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/report"
	"fachwerk/internal/store"
)

// ReviewReport gathers what became of a review, item by item.
func (d *Desk) ReviewReport(who Actor, id int) (*report.Review, error) {
	h := d.house.Load()
	if err := d.signedIn(h, who); err != nil {
		return nil, err
	}
	r, items, tasks, err := d.reviewParts(id)
	if err != nil {
		return nil, err
	}
	if !d.mayRunReview(h, who, r) {
		if err := d.need(h, who, model.ViewReviews); err != nil {
			return nil, err
		}
	}
	v := h.review(r, items, tasks, who, d.now())
	out := &report.Review{Organisation: h.design().Organisation.Name, Name: r.Name, About: plain(v.About), Deciders: v.Deciders, Opener: v.Opener.Name, Opened: r.Opened, Due: r.Due, Revision: r.Revision, Written: d.now(), Fate: "stays as it is"}
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
		row := report.Task{Item: numbers[t.Item], Person: v.User.Name, Access: v.Target.Name, Group: v.Group.Name, Owner: v.Owner.Name, Decision: words[t.Decision], Reason: t.Reason, Revision: t.Revision}
		if v.By != nil {
			row.By, row.Decided = v.By.Name, *v.Decided
		}
		out.Tasks = append(out.Tasks, row)
	}
	return out, nil
}

func (d *Desk) reportItem(h *house, r store.Review, i store.ReviewItem, number int, who Actor) report.Item {
	v := d.item(h, r, i, who)
	row := report.Item{Number: number, Person: v.User.Name, Note: v.Note, Access: v.Target.Name, Reviewer: v.Reviewer.Name, Reason: v.Reason, Decision: report.Undecided}
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
		row.GivenBy, row.Risk = e.GivenBy, risks[e.Risk]
		row.LastUse = "use not known"
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

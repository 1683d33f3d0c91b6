package review

import (
	"fmt"
	"time"

	"fachwerk/internal/desk"
)

// Dated is something that is due on a day.
type Dated struct {
	ID    string // the same as long as it is about the same
	At    time.Time
	Title string
	Text  string
}

// Due gives what is due for somebody, by the right that they have now: reviews that wait for their decisions, and the
// next rounds of series that are theirs.
func (d *Reviewer) Due(user string) ([]Dated, error) {
	who := desk.Actor{User: user}
	reviews, err := d.Reviews(who, "")
	if err != nil {
		return nil, err
	}
	var out []Dated
	for _, r := range reviews {
		if r.Closed == nil && r.Waiting > 0 {
			out = append(out, Dated{
				fmt.Sprintf("review-%d", r.ID), r.Due, "Due: " + r.Name,
				desk.Count(r.Waiting, "item waits", "items wait") + " for your decision.",
			})
		}
	}
	all, err := d.AllSeries(who)
	for _, s := range all {
		if s.Owner.ID != user {
			continue
		}
		for _, at := range s.Next {
			out = append(out, Dated{
				fmt.Sprintf("series-%d-%d", s.ID, at.Unix()), at, "Opens: " + s.Name, "A round opens by itself.",
			})
		}
	}
	return out, err
}

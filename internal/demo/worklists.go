package demo

import (
	"time"

	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
	office "fachwerk/internal/desk/people"
	"fachwerk/internal/desk/rooms"
)

// worklists leaves a worklist half done: gathered, with its steps, and some who were not recognised.
func worklists(d *rooms.Desk, now time.Time) error {
	owner := desk.Actor{User: "signe.halloran"}
	list, err := d.NewWorklist(owner, "Night crew for Terminal 2")
	if err != nil {
		return err
	}
	crew := desk.End{Kind: "group", ID: "north-gate-crew"}
	for _, from := range []office.Source{{Of: &crew}, {Text: "noor.tamsin\nTomas Oyelaran\nkx-9999"}} {
		if _, err := d.Gather(owner, list.ID, from); err != nil {
			return err
		}
	}
	steps := []worklist.Step{
		{
			Do: worklist.Assign, Roles: []string{"night-cover"}, Area: "terminal-2",
			Until: now.AddDate(0, 3, 0).Truncate(24 * time.Hour), Reason: "the winter timetable",
		},
		{Do: worklist.Join, Groups: []string{"terminal-2-gate-crew"}},
	}
	return d.AlterWorklist(owner, list.ID, office.Alteration{Steps: &steps, Leave: []string{"noor.tamsin"}})
}

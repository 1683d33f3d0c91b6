package demo

import (
	"encoding/json"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
	office "fachwerk/internal/desk/people"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/store"
)

// askedFor is who asked for the night cover that ends next week, and askedReason why.
const (
	askedFor    = "femi.cairnduff"
	askedReason = "covers the nights of a colleague on leave"
)

// requests has two people wait for what they asked for, and one have what they asked for until next week.
func requests(d *rooms.Desk, s *store.Store, final *model.Design) error {
	for _, a := range final.Assignments {
		if a.Subject.User != askedFor || a.Role != "night-cover" {
			continue
		}
		given, err := s.LastOn(model.KindAssignment, a.ID, 0)
		if err != nil {
			return err
		}
		steps := []worklist.Step{{
			Do: worklist.Assign, Roles: []string{a.Role}, Area: a.Area, Until: a.Until, Reason: a.Reason,
		}}
		value, err := json.Marshal(map[string]any{"steps": steps, "reason": a.Reason, "to": []string{given.Who}})
		if err != nil {
			return err
		}
		err = s.AddRequest(&store.Request{
			User: askedFor, At: given.At.AddDate(0, 0, -1), Value: value, State: store.RequestGranted, Settled: &given.At,
			By: given.Who, Revision: given.Number, Ends: &a.Until,
		})
		if err != nil {
			return err
		}
	}
	end := d.Now().AddDate(0, 1, 0).Truncate(24 * time.Hour)
	for _, asks := range []struct {
		who  string
		wish office.RequestWish
	}{
		{"eilidh.dalgaard", office.RequestWish{
			Kind: "role", ID: "night-cover", Area: "terminal-1", Until: &end,
			Reason: "I take two nights a week from December on",
		}},
		{"mireille.aster", office.RequestWish{
			Kind: "role", ID: "roster-planner", Area: "terminal-1",
			Reason: "our roster planner left, and the winter roster is due",
		}},
	} {
		if _, err := d.MakeRequest(desk.Actor{User: asks.who}, asks.wish); err != nil {
			return err
		}
	}
	return nil
}

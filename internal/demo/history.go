package demo

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"fachwerk/internal/desk/account"
	deskreview "fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// step is a revision of the demo's history.
type step struct {
	at       time.Time
	who, why string
	ops      []change.Op
	review   int // the past review whose outcome it is, from 1; or 0
}

// revisionsBefore is how many revisions lie between the first load and today.
const revisionsBefore = 59

// history invents how the design came to be what it is: it takes the design apart step by step, so that the steps
// put together again give exactly it. It returns what stood first, and the steps in order.
func history(final *model.Design, now time.Time) (*model.Design, []step) {
	d := final
	var steps []step
	back := func(who, why string, ops ...change.Op) { // ops lead from the older design to d
		steps = append(steps, step{who: who, why: why, ops: ops})
		d = change.Lay(d, change.Invert(ops))
	}
	without := func(list []string, gone ...string) []string {
		return slices.DeleteFunc(slices.Clone(list), func(s string) bool { return slices.Contains(gone, s) })
	}
	// regroup is the operation by which people came to be in a group.
	joined := func(group string, people ...string) change.Op {
		g, _ := d.Groups.Find(group)
		before := change.Clone(g)
		before.Users = without(before.Users, people...)
		return change.Op{Kind: model.KindGroup, ID: group, Before: before, After: g}
	}
	given := func(id string) change.Op {
		a, _ := d.Assignments.Find(id)
		return change.Op{Kind: model.KindAssignment, ID: id, After: a}
	}
	crews := []string{
		"north-gate-crew",
		"terminal-2-gate-crew",
		"ticket-office",
		"quay-crews",
		"deck-crews",
		"manifest-desk",
		"tower-watch",
		"invoice-office",
		"roster-office",
	}
	whys := []string{
		"new in the crew",
		"moved here from another quay",
		"back from leave",
		"replaces somebody who left",
		"for the season",
	}
	byHand := []*model.Assignment{}
	for _, a := range final.Assignments {
		if a.Subject.User != "" && a.Set != model.SetOwner && !a.Contact {
			byHand = append(byHand, a)
		}
	}
	revoked := 0
	for n := revisionsBefore; n > 0; n-- {
		switch {
		case n == 44 || n == 22: // the outcome of a past review: what it took away stood before
			revoked++
			var ops []change.Op
			for i := range 3 {
				g, _ := final.Groups.Find([]string{"ticket-office", "north-gate-crew"}[revoked-1])
				a := &model.Assignment{
					ID:      fmt.Sprintf("past-%d-%d", revoked, i),
					Subject: model.Subject{User: g.Users[i*2]},
					Role:    []string{"refund-clerk", "night-cover"}[revoked-1],
					Area:    []string{"ferries", "terminal-1"}[revoked-1],
					Reach:   model.ReachArea,
					Mode:    model.Full,
				}
				ops = append(ops, change.Op{Kind: model.KindAssignment, ID: a.ID, Before: a})
			}
			back("signe.halloran", "Outcome: "+pastReviews[2-revoked].name, ops...)
			steps[len(steps)-1].review = 3 - revoked
		case n%4 == 1 && len(byHand) > 0:
			a := byHand[len(byHand)-1]
			byHand = byHand[:len(byHand)-1]
			back("signe.halloran", cmp.Or(a.Reason, "asked for by their manager"), given(a.ID))
		case n == 57:
			set, _ := d.Sets.Find("gate-additions")
			before := change.Clone(set)
			before.Permissions = without(before.Permissions, "quaybook:gate-log:export")
			back(
				"signe.halloran",
				"clerks export the gate log for the police",
				change.Op{Kind: model.KindSet, ID: set.ID, Before: before, After: set},
			)
		case n == 40:
			role, _ := d.Roles.Find("site-manager")
			before := change.Clone(role)
			before.Excludes = without(before.Excludes, "quaybook:tariff:publish", "quaybook:booking.rate:edit")
			back(
				"signe.halloran",
				"site managers keep their hands off the rates",
				change.Op{Kind: model.KindRole, ID: role.ID, Before: before, After: role},
			)
		case n == 31:
			role, _ := d.Roles.Find("gate-lead")
			before := change.Clone(role)
			before.Inherits = nil
			back(
				"edda.rosenvik",
				"a lead does what a clerk does",
				change.Op{Kind: model.KindRole, ID: role.ID, Before: before, After: role},
			)
		case n%7 == 3:
			u := final.Users[(n*37)%len(final.Users)]
			current, _ := d.Users.Find(u.ID)
			before := change.Clone(current)
			before.JobTitle = "Trainee"
			back(
				"edda.rosenvik",
				"trained and taken on",
				change.Op{Kind: model.KindUser, ID: u.ID, Before: before, After: current},
			)
		default:
			crew := crews[n%len(crews)]
			g, _ := d.Groups.Find(crew)
			if len(g.Users) < 3 {
				crew = "quay-crews"
				g, _ = d.Groups.Find(crew)
			}
			people := []string{g.Users[(n*5)%len(g.Users)]}
			if n%3 == 0 && len(g.Users) > 3 {
				people = append(people, g.Users[(n*5+1)%len(g.Users)])
			}
			back([]string{"signe.halloran", "edda.rosenvik"}[n%2], whys[n%len(whys)], joined(crew, people...))
		}
	}
	slices.Reverse(steps)
	span := now.Sub(now.AddDate(-1, -6, 0))
	for i := range steps {
		at := now.Add(-span * time.Duration(len(steps)-i) / time.Duration(len(steps)+1)).Truncate(24 * time.Hour)
		steps[i].at = at.Add(time.Duration(8+i*5%9)*time.Hour + time.Duration(i*13%60)*time.Minute)
	}
	return d, steps
}

// pastReviews are the rounds that have been closed.
var pastReviews = []struct {
	name, role, area string
	returns          bool // every six months
}{
	{"Review of night cover at Terminal 1", "night-cover", "terminal-1", false},
	{"Review of refund clerks on the ferries", "refund-clerk", "ferries", true},
}

// fed tells which directory keeps the people and groups of directories, and that those of them who are deactivated
// were deleted there.
func fed(s *store.Store, final *model.Design, now time.Time) error {
	const directory = "Harbour directory"
	d, err := rooms.Open(s, func() time.Time { return now.AddDate(-1, -6, 0) })
	if err != nil {
		return err
	}
	// nobody is told the secret, so nobody has it
	if _, err := d.MakeToken(account.NewToken{Name: directory, Purpose: "scim"}); err != nil {
		return err
	}
	var kept []store.Fed
	gone := 0
	for _, u := range final.Users {
		if u.Source != model.Directory {
			continue
		}
		k := store.Fed{Kind: string(model.KindUser), ID: u.ID, By: directory, Updated: now.Add(-6 * time.Hour)}
		if u.State == model.UserDeactivated {
			gone++
			k.Gone, k.Updated = true, now.AddDate(0, 0, -9*gone)
		}
		kept = append(kept, k)
	}
	for _, g := range final.Groups {
		if g.Source == model.Directory {
			kept = append(
				kept,
				store.Fed{Kind: string(model.KindGroup), ID: g.ID, By: directory, Updated: now.Add(-6 * time.Hour)},
			)
		}
	}
	return s.SaveFed(kept...)
}

// reviews makes the two past rounds and the open one.
func reviews(s *store.Store, final *model.Design, steps []step, now time.Time) error {
	for i, st := range steps {
		if st.review == 0 {
			continue
		}
		past := pastReviews[st.review-1]
		closed := st.at
		r := store.Review{
			Name:      past.name,
			Role:      past.role,
			Area:      past.area,
			DecidedBy: review.ByManager,
			Fate:      "keep",
			Opener:    "signe.halloran",
			Opened:    closed.AddDate(0, 0, -24),
			Due:       closed.AddDate(0, 0, -3),
			Closed:    &closed,
			Revision:  i + 2,
		}
		var items []store.ReviewItem
		decided := closed.AddDate(0, 0, -6)
		for _, o := range st.ops {
			a := o.Before.(*model.Assignment)
			u, _ := final.Users.Find(a.Subject.User)
			items = append(
				items,
				store.ReviewItem{
					User:     u.ID,
					Role:     past.role,
					Reviewer: u.Manager,
					Direct:   []string{a.ID},
					Groups:   []string{},
					Decision: "revoke",
					Reason:   "not needed any longer",
					Decided:  &decided,
					By:       u.Manager,
				},
			)
		}
		id, err := s.AddReview(r, items, nil, nil)
		if err != nil {
			return err
		}
		if past.returns {
			if err := returned(s, r, id, len(items)); err != nil {
				return err
			}
		}
	}
	if err := returns(s, now, deskreview.NewSeries{
		Review: deskreview.NewReview{
			Name: "Idle at Gangway", System: "gangway", Fallback: "signe.halloran", Fate: "revoke",
		},
		Rule: "FREQ=MONTHLY;INTERVAL=3", From: now.AddDate(0, 0, 26).Format("2006-01-02") + "T08:00", Days: 21, Escalate: 50,
		Discover: &deskreview.Discovery{Days: 90, Ahead: 1},
	}, now, nil); err != nil {
		return err
	}
	// The open one is opened as a person would, so that its items come with their evidence.
	opened := now.AddDate(0, 0, -5)
	d, err := rooms.Open(s, func() time.Time { return opened })
	if err != nil {
		return err
	}
	due := now.AddDate(0, 0, 16)
	r, err := d.OpenReview(
		desk.Actor{User: "signe.halloran"},
		deskreview.NewReview{
			Name:     "Review of gate clerks in North Harbour",
			Role:     "gate-clerk",
			Area:     "north-harbour",
			Fallback: "ruben.adeyemi",
			Due:      &due,
		},
	)
	if err != nil {
		return err
	}
	items, err := s.ReviewItems(r.ID, "")
	if err != nil {
		return err
	}
	var decided []store.ReviewItem
	var kept []store.Decision
	for i, item := range items {
		if item.Reviewer != "mireille.aster" && i%3 == 0 {
			at := now.AddDate(0, 0, -2)
			item.Decision, item.Decided, item.By = "keep", &at, item.Reviewer
			decided = append(decided, item)
			kept = append(kept, store.Decision{Item: item.ID, Decision: "keep", By: item.Reviewer, At: at})
		}
	}
	return s.DecideAll(decided, kept)
}

// returned makes a closed review the first round of a series that asks the same every six months.
func returned(s *store.Store, r store.Review, id, items int) error {
	first := time.Date(r.Opened.Year(), r.Opened.Month(), r.Opened.Day(), 8, 0, 0, 0, time.UTC)
	return returns(s, first, deskreview.NewSeries{
		Review: deskreview.NewReview{Name: r.Name, Role: r.Role, Area: r.Area, Fallback: r.Opener, Fate: r.Fate},
		Rule:   "FREQ=MONTHLY;INTERVAL=6", From: first.Format("2006-01-02T15:04"), Days: 21,
	}, first, &store.Round{Opens: first, Opened: &first, Review: id, Items: items})
}

// returns makes a series, with its first round if it had one.
func returns(s *store.Store, made time.Time, n deskreview.NewSeries, since time.Time, first *store.Round) error {
	value, err := json.Marshal(n)
	if err != nil {
		return err
	}
	id, err := s.AddSeries(store.Series{Value: value, Owner: "signe.halloran", Made: made, Since: since})
	if err != nil || first == nil {
		return err
	}
	first.Series = id
	_, err = s.AddRound(*first)
	return err
}

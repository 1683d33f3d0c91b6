// Package demo makes the demo organisation: Skerryhaven Harbour Authority, a port that does not exist, with people
// who do not exist. It is made by a program from a fixed seed, so it is the same every time but for its dates,
// which count back from a given day.
package demo

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// Name is the demo organisation's name.
const Name = "Skerryhaven Harbour Authority"

// Design makes the demo organisation as it stands on a day.
func Design(day time.Time) (*model.Design, error) {
	today := day.UTC().Truncate(24 * time.Hour)
	r := rand.New(rand.NewPCG(7, 1853)) // any seed will do, as long as it stays
	d := &model.Design{Organisation: &model.Organisation{Name: Name}}
	for _, a := range areaRows {
		d.Add(&model.Area{ID: a[0], Name: a[1], Type: a[2], Parent: a[3]})
	}
	d.Systems = systems()
	d.Sets = sets(d.Systems)
	d.Users = people(r, today)
	temper(d.Users, today)
	leaver := ""
	for _, u := range d.Users {
		if u.Area == "finance" && u.State == model.UserDeactivated {
			leaver = u.ID
		}
	}
	d.Roles = roles(leaver)
	d.Groups = groups(d.Users, today)
	d.Assignments = assignments(d.Users, today)
	d.Conflicts = conflicts(today)
	d.Guarantees = guarantees()
	d.Delegations = delegations()
	d.Licences = licences(d.Users)
	seatHoistkeeper(d, today)
	d.Licences = licences(d.Users) // with the seats that were taken since
	if problems := model.Errors(model.Check(d)); len(problems) > 0 {
		return nil, fmt.Errorf("the demo organisation is not well-formed: %v", problems)
	}
	return model.Build(d), nil
}

// seatHoistkeeper gives a seat to everybody whom a grant of Hoistkeeper waits for, but for the last two: these went
// without, since none was left.
func seatHoistkeeper(d *model.Design, today time.Time) {
	const seat = "hoistkeeper-seat"
	built := model.Build(
		&model.Design{
			Organisation: d.Organisation,
			Licences:     slices.Clone(d.Licences),
			Areas:        slices.Clone(d.Areas),
			Systems:      slices.Clone(d.Systems),
			Sets:         slices.Clone(d.Sets),
			Roles:        slices.Clone(d.Roles),
			Groups:       slices.Clone(d.Groups),
			Users:        slices.Clone(d.Users),
			Assignments:  slices.Clone(d.Assignments),
		},
	)
	x := index.Compile(built)
	var waiting []*model.User
	for _, u := range d.Users {
		if slices.Contains(x.WaitsFor(u.ID, today), seat) {
			waiting = append(waiting, u)
		}
	}
	for _, u := range waiting[:len(waiting)-2] {
		u.Licences = append(u.Licences, seat)
		if u.LastUse == nil {
			u.LastUse = map[string]time.Time{"hoistkeeper": today.AddDate(0, 0, -14)}
			continue
		}
		u.LastUse["hoistkeeper"] = u.LastUse["crewtide"]
	}
}

// licences counts seats so that one pool is exhausted, with two people in wait, and the others have some left.
func licences(users []*model.User) []*model.Licence {
	used := map[string]int{}
	for _, u := range users {
		for _, l := range u.Licences {
			used[l]++
		}
	}
	seats := func(l string, spare int) *int { n := used[l] + spare; return &n }
	return []*model.Licence{
		{ID: "quaybook-standard", Name: "Quaybook Standard", Seats: seats("quaybook-standard", 12)},
		{
			ID:     "quaybook-planner",
			Name:   "Quaybook Planner",
			Seats:  seats("quaybook-planner", 3),
			Covers: []string{"quaybook-standard"},
		},
		{ID: "ladingbook-seat", Name: "Ladingbook seat", Seats: seats("ladingbook-seat", 5)},
		{ID: "hoistkeeper-seat", Name: "Hoistkeeper seat", Seats: seats("hoistkeeper-seat", 0)},
		{ID: "gangway-till", Name: "Gangway till", Seats: seats("gangway-till", 4)},
	}
}

// Fill fills an empty database with the demo organisation, its history and its reviews, and lets the people of the
// sign-in page in.
func Fill(s *store.Store, now time.Time) error {
	final, err := Design(now)
	if err != nil {
		return err
	}
	final, uses := use.Taken(final)
	first, steps := history(final, now)
	load := change.Difference(model.Build(&model.Design{}), first)
	d, err := rooms.Open(s, func() time.Time { return now })
	if err != nil {
		return err
	}
	past := []desk.Past{
		{
			At:  now.AddDate(-1, -6, 0),
			Who: "signe.halloran",
			Why: "Brought in from the books that were kept before",
			Ops: load,
		},
	}
	for _, step := range steps {
		past = append(past, desk.Past{At: step.at, Who: step.who, Why: step.why, Ops: step.ops})
	}
	if err := d.Recount(past...); err != nil {
		return err
	}
	d.Uses.Note(uses...)
	if err := d.KeepUses(); err != nil {
		return err
	}
	if err := reviews(s, final, steps, now); err != nil {
		return err
	}
	if err := fed(s, final, now); err != nil {
		return err
	}
	if err := errors.Join(worklists(d, now), invitations(s, final, now), requests(d, s, final),
		waiting(s, final, now)); err != nil {
		return err
	}
	return LetIn(s)
}

// Password is the password of everybody whom the demo lets in.
const Password = "tidewater-lantern"

// Renew has the sign-in page of a database that an earlier program made offer again whom it let in; it tells whether
// there was anything to do.
func Renew(s *store.Store) (bool, error) {
	kept, err := s.Setting("demo")
	if err != nil || kept != "yes" {
		return false, err
	}
	return true, LetIn(s)
}

// LetIn lets those people in whom the sign-in page of the demo offers.
func LetIn(s *store.Store) error {
	return account.OpenHouse{Password: Password, Ways: []account.Way{
		{User: "signe.halloran", As: "Owner: may do everything"},
		{User: "ruben.adeyemi", As: "Manager of North Harbour"},
		{User: "lucia.fenwick", As: "Ticketing lead"},
		{User: "mireille.aster", As: "Line manager with review items waiting"},
		{User: "oona.brandvold", As: "Auditor: sees everything, changes nothing"},
	}}.Invite(s)
}

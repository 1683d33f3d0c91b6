package desk_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/rooms"
)

// mixed makes random acts by whichever door, of which some are permitted.
type mixed struct {
	*rand.Rand
	d     *rooms.Desk
	clock *time.Time
}

func (m mixed) one(list ...string) string { return list[m.IntN(len(list))] }

// somebody is a person as they might be made: another state, title, validity, manager or account.
func (m mixed) somebody(source model.Source) *model.User {
	id := m.one("ann", "cy", "dan", "eve", "lou", "kay", "new1", "new2", "fed1", "fed2")
	u, there := m.d.Design().Users.Find(id)
	if !there {
		u = &model.User{ID: id, UserName: id, DisplayName: id, State: model.UserInvited, Source: source}
	}
	u = change.Clone(u)
	for range 1 + m.IntN(2) {
		switch m.IntN(5) {
		case 0:
			u.State = []model.UserState{model.UserActive, model.UserLocked, model.UserDeactivated, model.UserInvited}[m.IntN(4)]
		case 1:
			u.JobTitle = m.one("", "Head", "Steward", "Auditor", "Clerk")
		case 2:
			u.From, u.Until = time.Time{}, time.Time{}
			if m.IntN(2) == 0 {
				u.Until = m.clock.AddDate(0, 0, m.IntN(20)-10)
			}
		case 3:
			u.Area = m.one("", "t1", "t2")
		case 4:
			u.Manager = m.one("", "ann", "dan", "eve")
		}
	}
	return u
}

// something is an object that somebody might put into a draft.
func (m mixed) something() model.Object {
	switch m.IntN(4) {
	case 0:
		return m.somebody(model.Local)
	case 1:
		a := &model.Assignment{ID: "m" + m.one("1", "2", "3", "4"), Reach: model.ReachArea, Mode: model.Full,
			Subject: model.Subject{User: m.one("ann", "cy", "dan", "eve", "lou", "new1", "fed1")}}
		if m.IntN(3) == 0 {
			a.Subject = model.Subject{Group: m.one("crew", "heads", "stewards", "wardens")}
		}
		a.Set = m.one(model.SetOwner, model.SetAdministrator, model.SetAuditor, "see", "open")
		if m.IntN(3) == 0 {
			a.From = m.clock.AddDate(0, 0, m.IntN(10))
		}
		return a
	case 2:
		g, _ := m.d.Design().Groups.Find(m.one("crew", "wardens", "all", "fed"))
		g = change.Clone(g)
		if id := m.one("ann", "cy", "dan", "eve", "fed1"); !slices.Contains(g.Users, id) {
			g.Users = append(g.Users, id)
			slices.Sort(g.Users)
		}
		return g
	}
	g, _ := m.d.Design().Groups.Find(m.one("heads", "stewards"))
	g = change.Clone(g)
	g.Rule = m.one(`title eq "head"`, `title eq "steward"`, `title pr`, `area eq "t1"`)
	return g
}

// act does something by a door, and tells by which, and whether it was permitted.
func (m mixed) act(token desk.Actor) (door string, permitted bool) {
	drafts := func(who desk.Actor) bool {
		if _, err := m.d.Discard(who); err != nil {
			return false
		}
		o := m.something()
		draft, err := m.d.Put(who, m.d.Design().Get(o.Kind(), o.Ident()), o)
		if err != nil || len(draft.Edits) == 0 {
			return false
		}
		_, err = m.d.Apply(who, "so", draft.Stamp)
		return err == nil
	}
	switch m.IntN(5) {
	case 0:
		return "an administrator", drafts(desk.Actor{User: "kay", Proven: *m.clock})
	case 1:
		return "a delegate", drafts(desk.Actor{User: "dan", Proven: *m.clock})
	case 2:
		return "a token", drafts(token)
	case 3:
		*m.clock = m.clock.Add(time.Duration(m.IntN(72)) * time.Hour)
		return "time", m.d.EndDue() == nil
	}
	_, err := m.d.Feed(directory.Speaker{Name: "Directory"}, func(f *directory.Request) error {
		_, err := f.Put(m.somebody(model.Directory), nil)
		return err
	})
	return "a directory", err == nil
}

// Whatever an administrator without all rights, a delegate, a directory, a token and time do one after another, in
// whichever mix: nobody comes to hold a right that none of them holds, neither now nor once they are woken; a directory
// and a delegate give no right in Fachwerk at all, and a directory makes nobody a delegate.
func TestNoMixOfDoorsGivesWhatNobodyHolds(t *testing.T) {
	did := map[string]int{}
	for seed := range uint64(12) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			d, _, clock := clocked(t)
			put(t, d,
				&model.Group{ID: "heads", Name: "Heads", Type: model.Rule, Rule: `title eq "head"`},
				&model.Group{ID: "stewards", Name: "Stewards", Type: model.Rule, Rule: `title eq "steward"`},
				&model.Group{ID: "wardens", Name: "Wardens"},
				&model.Assignment{ID: "h", Subject: model.Subject{Group: "heads"}, Set: model.SetAdministrator,
					Reach: model.ReachArea, Mode: model.Full},
				&model.Delegation{ID: "s", Name: "S", Delegate: model.Subject{Group: "stewards"},
					People: model.People{Area: "t1"}, Actions: []string{"lock", "edit"}},
				&model.Delegation{ID: "w", Name: "W", Delegate: model.Subject{Group: "wardens"},
					People: model.People{Area: "top"}, Actions: []string{"assign"}, Sets: []string{"open"}},
				&model.Delegation{ID: "d", Name: "D", Delegate: model.Subject{User: "dan"}, People: model.People{Area: "top"},
					Actions: model.DelegableActions, Sets: []string{"see"}, Groups: []string{"crew", "wardens"}},
				&model.User{ID: "fed1", UserName: "fed1", DisplayName: "Fed 1", Source: model.Directory},
			)
			made, err := d.AddToken(desk.Actor{User: "bea", Proven: now},
				account.NewToken{Name: "T", Purpose: "api", User: "kay"})
			if err != nil || made.Secret == "" {
				t.Fatal(err)
			}
			token := desk.Actor{User: "kay", Token: "T", Maker: "bea"}
			m := mixed{rand.New(rand.NewPCG(seed, 36)), d, clock}
			// What only bea holds, who does nothing.
			hers := []string{model.EditDelegations, model.ManageTokens}
			for step := range 250 {
				before := d.Present().Ahead()
				door, permitted := m.act(token)
				if !permitted {
					did[door+" is refused"]++
					continue
				}
				did[door]++
				after := d.Present().Ahead()
				for _, u := range after.Now().Design().Users {
					if held := after.Latent(u.ID, hers, *clock); u.ID != "bea" && len(held) > 0 {
						t.Fatalf("step %d, by %s: %s comes to hold %v", step, door, u.ID, held)
					}
				}
				if door == "a delegate" && len(before.Latent("dan", ahead.Rights(before.Now().Design()), *clock)) > 0 {
					continue // who was made an administrator acts as one
				}
				if door == "a directory" || door == "a delegate" || door == "time" {
					for id, gained := range ahead.Planted(before, after, ahead.Rights(after.Now().Design()), *clock) {
						t.Fatalf("step %d, by %s: %s comes to hold %v", step, door, id, gained)
					}
				}
				if door == "a directory" || door == "time" {
					for id, groups := range ahead.Delegated(before, after, *clock) {
						t.Fatalf("step %d, by %s: %s becomes a delegate by %v", step, door, id, groups)
					}
				}
			}
		})
	}
	for _, door := range []string{"an administrator", "a delegate", "a token", "a directory", "time"} {
		if did[door] < 20 || door != "time" && did[door+" is refused"] < 20 {
			t.Errorf("by %s, %d acts were permitted and %d refused: too few to prove anything", door, did[door],
				did[door+" is refused"])
		}
	}
}

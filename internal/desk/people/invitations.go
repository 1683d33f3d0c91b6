package people

import (
	"cmp"
	"errors"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// How an invitation stands.
const (
	ToSend    = "to-send"
	Sent      = "sent"
	Returned  = "returned"
	Opened    = "opened"
	Accepted  = "accepted"
	RunOut    = "run-out"
	Cancelled = "cancelled"
)

// invitationStates are all, those first that want to be looked at.
var invitationStates = []string{Returned, RunOut, ToSend, Opened, Sent, Accepted, Cancelled}

// Invited is somebody who is or was invited.
type Invited struct {
	User     desk.Ref   `json:"user"`
	State    string     `json:"state" enum:"to-send,sent,returned,opened,accepted,run-out,cancelled"`
	Email    string     `json:"email,omitempty"`
	Title    string     `json:"title,omitempty"`
	Home     string     `json:"home"`
	Gets     []string   `json:"gets" doc:"The roles and sets that are assigned to the person, with where"`
	Groups   []desk.Ref `json:"groups"`
	Licences []desk.Ref `json:"licences"`
	By       *desk.Ref  `json:"by,omitempty" doc:"Who sent it"`
	At       *time.Time `json:"at,omitempty" doc:"When it was sent"`
	Until    *time.Time `json:"until,omitempty" doc:"Until when it is good"`
	Opened   *time.Time `json:"opened,omitempty"`
	Accepted *time.Time `json:"accepted,omitempty"`
	ByHand   bool       `json:"byHand" doc:"Its link goes by hand, and not by a letter"`
	Trouble  string     `json:"trouble,omitempty" doc:"Why its letter was not sent"`
}

// Invitations is a window into the list of invitations.
type Invitations struct {
	Mail   bool           `json:"mail" doc:"Letters are sent; otherwise links go by hand"`
	Counts map[string]int `json:"counts" doc:"How many are in each state"`
	Match  int            `json:"match"`
	Rows   []Invited      `json:"rows"`
}

// invitees gives those who are or were invited and whom somebody may see in this, with how their invitations stand.
func (d *Office) invitees(who desk.Actor) (*desk.Sight, []*model.User, map[string]Invited, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, nil, nil, err
	}
	kept, err := d.Store.Invitations()
	if err != nil {
		return nil, nil, nil, err
	}
	var ids []int
	for _, i := range kept {
		if i.Letter > 0 {
			ids = append(ids, i.Letter)
		}
	}
	letters, err := d.Store.LettersBy(ids)
	if err != nil {
		return nil, nil, nil, err
	}
	var users []*model.User
	out := map[string]Invited{}
	for _, u := range invited(s.Before(), kept) {
		i, invited := kept[u.ID]
		if s.Authority != nil && !s.Authority.Reaches(delegation.Invite, u) {
			continue
		}
		users = append(users, u)
		row := Invited{User: s.Ref(model.KindUser, u.ID)}
		if invited {
			by := s.Ref(model.KindUser, i.By)
			row.By, row.At, row.Until, row.Opened, row.Accepted = &by, &i.At, &i.Until, i.Opened, i.Accepted
			row.ByHand, row.Trouble = i.Letter == 0, letters[i.Letter].Trouble
		}
		row.State = d.stateOf(u, i, invited, letters[i.Letter])
		out[u.ID] = row
	}
	return s, users, out, nil
}

// invited gives who was invited and is not deleted, by id.
func invited(s *desk.Sight, kept map[string]store.Invitation) []*model.User {
	out := slices.Clone(desk.Counted(s, "people who are invited", func() (out []*model.User) {
		for _, u := range s.Design().Users {
			if u.State == model.UserInvited {
				out = append(out, u)
			}
		}
		return out
	}))
	for id := range kept {
		if u, there := s.Design().Users.Find(id); there && u.State != model.UserInvited && u.State != model.UserDeleted {
			out = append(out, u)
		}
	}
	slices.SortFunc(out, func(a, b *model.User) int { return strings.Compare(a.ID, b.ID) })
	return out
}

// stateOf tells how an invitation stands.
func (d *Office) stateOf(u *model.User, i store.Invitation, invited bool, l store.Letter) string {
	switch {
	case u.State != model.UserInvited && i.Accepted != nil:
		return Accepted
	case u.State == model.UserDeactivated:
		return Cancelled
	case u.State != model.UserInvited: // made active by an edit
		return Accepted
	case !invited:
		return ToSend
	case !d.Now().Before(i.Until):
		return RunOut
	case i.Opened != nil:
		return Opened
	case l.State == store.LetterReturned || l.State == store.LetterGivenUp:
		return Returned
	case i.Letter > 0 && l.State != store.LetterSent:
		return ToSend
	}
	return Sent
}

// Over gives the invited people whose invitation came to nothing, with how that is said.
func (d *Office) Over(h *desk.House) (map[string]string, error) {
	kept, err := d.Store.Invitations()
	if err != nil {
		return nil, err
	}
	var ids []int
	for _, i := range kept {
		if i.Letter > 0 {
			ids = append(ids, i.Letter)
		}
	}
	letters, err := d.Store.LettersBy(ids)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for user, i := range kept {
		u, ok := h.Design().Users.Find(user)
		if !ok {
			continue
		}
		switch d.stateOf(u, i, true, letters[i.Letter]) {
		case RunOut:
			out[user] = "ran out on " + model.Day(i.Until)
		case Returned:
			out[user] = "came back"
		}
	}
	return out, nil
}

// Invitations lists invitations: those in a state, with some words.
func (d *Office) Invitations(who desk.Actor, state, words string, offset, limit int) (*Invitations, error) {
	s, users, rows, err := d.invitees(who)
	if err != nil {
		return nil, err
	}
	out := &Invitations{Mail: d.accounts.Mail, Counts: map[string]int{}, Rows: []Invited{}}
	rank := func(u *model.User) int { return slices.Index(invitationStates, rows[u.ID].State) }
	slices.SortStableFunc(users, func(a, b *model.User) int {
		return cmp.Or(rank(a)-rank(b), strings.Compare(model.Fold(a.DisplayName), model.Fold(b.DisplayName)))
	})
	for _, u := range users {
		row := rows[u.ID]
		out.Counts[row.State]++
		if state != "" && state != row.State || !desk.HasWords(words, u.DisplayName, u.UserName, u.Email) {
			continue
		}
		if out.Match >= offset && len(out.Rows) < limit {
			out.Rows = append(out.Rows, fillInvited(s, row, u))
		}
		out.Match++
	}
	return out, nil
}

// fillInvited adds what somebody who is invited will have.
func fillInvited(s *desk.Sight, row Invited, u *model.User) Invited {
	row.Email, row.Title, row.Home = u.Email, u.JobTitle, s.Area(u.Area).Name
	row.Gets, row.Groups, row.Licences = []string{}, []desk.Ref{}, []desk.Ref{}
	for _, g := range s.Present.Index.GrantsOfUser(u.ID) {
		row.Gets = append(row.Gets, view.Target(s.Present, g).Name+" "+s.Present.Terms(g).Where)
	}
	for _, g := range s.Present.Index.GroupsOf(u.ID) {
		if g.Direct && g.Group != model.Everyone && g.Group != model.Public {
			row.Groups = append(row.Groups, s.Ref(model.KindGroup, g.Group))
		}
	}
	for _, l := range u.Licences {
		row.Licences = append(row.Licences, s.Ref(model.KindLicence, l))
	}
	return row
}

// Resent tells what came of sending invitations once more, or of letting them be good for longer.
type Resent struct {
	Done    int       `json:"done"`
	Refused []Refused `json:"refused" doc:"To whom it was not done; at most 100"`
}

// Refused is somebody to whom something was not done, and why.
type Refused struct {
	User desk.Ref `json:"user"`
	Why  string   `json:"why"`
}

// refusedMost bounds of how many it is told why.
const refusedMost = 100

func (d *Office) refusals(h *desk.House, who desk.Actor, users []string, why map[string]string) *Resent {
	out := &Resent{Done: len(users) - len(why), Refused: []Refused{}}
	for _, id := range users {
		if w := why[id]; w != "" && len(out.Refused) < refusedMost {
			out.Refused = append(out.Refused, Refused{d.Named(h, who, model.KindUser, id), w})
		}
	}
	return out
}

// Resend sends invitations once more; links that were made before end.
func (d *Office) Resend(who desk.Actor, users []string) (*Resent, error) {
	if _, err := d.mayGather(who); err != nil {
		return nil, err
	}
	h := d.Present()
	c := d.accounts.Carry(h, who, account.ReachInvite, users...)
	if err := d.Store.Together(c.Keep); err != nil {
		return nil, err
	}
	c.Tell()
	return d.refusals(h, who, users, c.Refused), nil
}

// extendMost is how long an invitation can be made to be good, in days from now.
const extendMost = 90

// Extend lets invitations be good for so many days from now; links that were sent work on.
func (d *Office) Extend(who desk.Actor, users []string, days int) (*Resent, error) {
	if _, err := d.mayGather(who); err != nil {
		return nil, err
	}
	if days < 1 || days > extendMost {
		return nil, desk.Refuse(desk.Invalid, "An invitation is good for 1 to %d days.", extendMost)
	}
	h := d.Present()
	until := d.Now().AddDate(0, 0, days)
	why := map[string]string{}
	err := d.Store.Together(func(s *store.Store) error {
		for _, id := range users {
			u, ok := h.Design().Users.Find(id)
			if !ok {
				why[id] = "There is nobody of this id."
				continue
			}
			if err := d.accounts.MayReach(who, u, account.ReachInvite); err != nil {
				why[id] = err.Error()
				continue
			}
			err := desk.Missing(s.ExtendInvitation(id, until), "%s has not been sent an invitation yet.", u.DisplayName)
			if refused := (*desk.Error)(nil); errors.As(err, &refused) {
				why[id] = refused.Message
			} else if err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for _, id := range users {
		if why[id] == "" {
			d.Happened(who.By(desk.EventLink, "the invitation of "+id+" is good until "+until.Format(time.DateOnly)))
		}
	}
	return d.refusals(h, who, users, why), nil
}

// Cancel drafts that invitations are cancelled, as one act: whoever was invited is deactivated, and their links work no
// more once it is applied.
func (d *Office) Cancel(who desk.Actor, users []string) (*desk.Draft, error) {
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		base := p.Base()
		var ops []change.Op
		for _, id := range users {
			seen, ok := p.Seen().Users.Find(id)
			if !ok {
				return desk.Refuse(desk.NotFound, "There is no person %q.", id)
			}
			if seen.State != model.UserInvited {
				return desk.Refuse(desk.Conflict, "%s is %s, and is not waiting for an invitation.", seen.DisplayName, seen.State)
			}
			whole, _ := base.Users.Find(id)
			after := change.Clone(whole)
			after.State = model.UserDeactivated
			ops = append(ops, change.Put(base, after))
		}
		p.Add(0, change.Compact(ops)...)
		return nil
	})
}

// Known is somebody who is there already, and could be whom somebody else is about to be invited as.
type Known struct {
	User  desk.Ref `json:"user"`
	State string   `json:"state"`
	Title string   `json:"title,omitempty"`
	Home  string   `json:"home"`
	Same  string   `json:"same" enum:"userName,email,externalId,name,similar" doc:"What is the same; similar: only the name, nearly"`
	Gets  []string `json:"gets" doc:"What is assigned to the person, with where; at most 6"`
}

// knownMost bounds who is told as known.
const knownMost = 5

// AlreadyThere tells who is there by a user name, an e-mail address, an external id or nearly the name, the surest
// first.
func (d *Office) AlreadyThere(who desk.Actor, name, userName, email, externalID string) ([]Known, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, err
	}
	out := []Known{}
	add := func(u *model.User, same string) {
		if len(out) == knownMost || slices.ContainsFunc(out, func(k Known) bool { return k.User.ID == u.ID }) {
			return
		}
		k := Known{s.Ref(model.KindUser, u.ID), string(u.State), u.JobTitle, s.Area(u.Area).Name, same, []string{}}
		for _, g := range s.Present.Index.GrantsOfUser(u.ID) {
			if len(k.Gets) < 6 {
				k.Gets = append(k.Gets, view.Target(s.Present, g).Name+" "+s.Present.Terms(g).Where)
			}
		}
		out = append(out, k)
	}
	by := byName(s)
	for _, f := range []struct {
		same, text string
		of         func(u *model.User) string
	}{
		{"userName", userName, func(u *model.User) string { return u.UserName }},
		{"email", email, func(u *model.User) string { return u.Email }},
		{"externalId", externalID, func(u *model.User) string { return u.ExternalID }},
		{"name", name, func(u *model.User) string { return u.DisplayName }},
	} {
		text := strings.TrimSpace(f.text)
		if text == "" {
			continue
		}
		l := by.One(text)
		for _, id := range append(slices.Clone(l.Could), l.User) {
			if u, ok := s.Present.Design().Users.Find(id); ok && filter.Fold(f.of(u)) == filter.Fold(text) {
				add(u, f.same)
			}
		}
		if f.same != "name" {
			continue
		}
		for _, id := range append(slices.Clone(l.Could), l.User, l.Meant) {
			if u, ok := s.Present.Design().Users.Find(id); ok {
				add(u, "similar")
			}
		}
	}
	return out, nil
}

package account

import (
	"cmp"
	"errors"
	"slices"
	"time"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// Invitation is how somebody who is invited gets in.
type Invitation struct {
	User  desk.Ref  `json:"user"`
	Link  string    `json:"link,omitempty" doc:"The link, good once, to hand over; only as long as no mail is set up. That it was seen is in the security log"`
	Until time.Time `json:"until"`
	To    string    `json:"to,omitempty" doc:"The address of the letter in the outbox"`
}

// Invite invites somebody anew: links that were made before end. As long as no mail is set up, whoever invites is given
// the link to hand over.
func (d *Accounts) Invite(who desk.Actor, user, base string) (*Invitation, error) {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return nil, err
	}
	u, ok := h.Design().Users.Find(user)
	if !ok {
		return nil, notThere(user)
	}
	if err := d.mayInvite(h, who, u); err != nil {
		return nil, err
	}
	until := d.Now().Add(d.InvitationLife)
	letter := d.invitation(h, who, u, until)
	if d.Mail && u.Email != "" { // the link is made when the letter is sent; those before end now
		i := store.Invitation{User: u.ID, By: who.User, At: d.Now(), Until: until}
		if err := errors.Join(d.Store.DropLinks(u.ID), d.Store.Invited(i, &letter)); err != nil {
			return nil, err
		}
		d.Happened(who.By(desk.EventLink, "an invitation for "+u.ID+"; its link is made when the letter is sent"))
		return &Invitation{User: h.Ref(model.KindUser, u.ID), Until: until, To: u.Email}, nil
	}
	text, until, err := d.link(u, d.InvitationLife, func(h *desk.House) error {
		u, ok := h.Design().Users.Find(user)
		if !ok {
			return notThere(user)
		}
		if err := d.mayInvite(h, who, u); err != nil {
			return err
		}
		return d.mayBeDelegate(h, who, u)
	})
	if err != nil {
		return nil, err
	}
	if err := d.Store.Invited(store.Invitation{User: u.ID, By: who.User, At: d.Now(), Until: until}, nil); err != nil {
		return nil, err
	}
	d.Happened(who.By(desk.EventLink, "an invitation for "+u.ID+"; no mail is set up, so whoever invited saw the link"))
	return &Invitation{h.Ref(model.KindUser, u.ID), base + "/welcome/" + text, until, u.Email}, nil
}

func notThere(user string) error {
	return desk.Refuse(desk.NotFound, "There is no person %q. If they are only in your draft, apply it first.", user)
}

// mayInvite refuses unless somebody may send a person an invitation, and the person waits for one.
func (d *Accounts) mayInvite(h *desk.House, who desk.Actor, u *model.User) error {
	if !d.May(h, who, model.EditPeople) {
		authority := d.Authority(h, who)
		if !authority.Reaches(delegation.Invite, u) {
			if authority.Empty() {
				return d.Need(h, who, model.EditPeople)
			}
			return notThere(u.ID)
		}
		if r := authority.Check(delegation.Act{Action: delegation.Invite, User: u}); r != nil {
			return desk.Refuse(desk.NotAllowed, "%s", r.Reason)
		}
	}
	if high := d.beyond(h, who, u); high != "" {
		return &desk.Error{
			Cause: desk.NotAllowed,
			Code:  desk.Above,
			Message: u.DisplayName + " will hold the right " + high +
				" in Fachwerk, which you do not, so the invitation is not yours to send.",
		}
	}
	if u.State != model.UserInvited {
		return desk.Refuse(desk.Conflict, "%s is not waiting for an invitation: the account is %s.", u.DisplayName, u.State)
	}
	if !u.Until.IsZero() && !d.Now().Before(u.Until) {
		return desk.Refuse(
			desk.Conflict,
			"The account of %s ended on %s: let it go on first.",
			u.DisplayName,
			model.LastDay(u.Until),
		)
	}
	return nil
}

// mayBeDelegate refuses to show somebody a link by which they could come in as a delegate of what they may neither
// delegate nor is delegated to them.
func (d *Accounts) mayBeDelegate(h *desk.House, who desk.Actor, u *model.User) error {
	if d.May(h, who, model.EditDelegations) {
		return nil
	}
	mine := h.Ahead().Delegations(who.User, d.Now())
	for _, g := range h.Ahead().Delegations(u.ID, d.Now()) {
		if who.Maker != "" || !slices.Contains(mine, g) {
			return &desk.Error{
				Cause: desk.NotAllowed,
				Code:  desk.Above,
				Message: "Something is delegated to " + u.DisplayName + " that is not delegated to you, so the link is not yours to " +
					"see: it goes out by letter, or is shown to somebody who may delegate.",
			}
		}
	}
	return nil
}

// Reach is something that is done to how somebody gets in, without a change of the design.
type Reach string

// What is done.
const (
	ReachInvite   Reach = "invite"       // they are sent an invitation once more
	ReachSignOut  Reach = "sign-out"     // all their sessions end
	ReachPassword Reach = "new-password" // they are asked for a new password, by a letter
)

// MayReach refuses unless somebody may do this to a person. No delegation lets one sign people out, or ask them for
// a new password (docs/semantics.md, §9).
func (d *Accounts) MayReach(who desk.Actor, u *model.User, what Reach) error {
	h := d.Present()
	if what == ReachInvite {
		return d.mayInvite(h, who, u)
	}
	if err := d.Need(h, who, model.EditPeople); err != nil {
		return err
	}
	if high := d.beyond(h, who, u); high != "" && u.ID != who.User {
		return &desk.Error{
			Cause:   desk.NotAllowed,
			Code:    desk.Above,
			Message: u.DisplayName + " holds the right " + high + " in Fachwerk, which you do not, so this is not yours to do.",
		}
	}
	return nil
}

// Carried is what is done to how people get in, as far as whoever asks may: kept in one transaction, then made known.
type Carried struct {
	Refused  map[string]string // why, of those to whom it is not done
	accounts *Accounts
	letters  []store.Letter
	invited  []store.Invitation
	inviting []store.Letter // the letters of these
	unlinked []string       // whose links end
	ended    []string       // whose sessions end
	events   []desk.Event
}

// Carry prepares to do something to how people get in. What goes to them goes by letters.
func (d *Accounts) Carry(h *desk.House, who desk.Actor, what Reach, users ...string) *Carried {
	c := &Carried{Refused: map[string]string{}, accounts: d}
	name := h.Design().Organisation.Name
	for _, id := range users {
		u, ok := h.Design().Users.Find(id)
		err := notThere(id)
		if ok {
			err = d.MayReach(who, u, what)
		}
		if err == nil && what == ReachPassword && (u.State != model.UserActive || u.Email == "") {
			err = desk.Refuse(desk.Conflict, "%s has no way to be asked: the account is %s.", u.DisplayName, u.State)
		}
		if err != nil {
			c.Refused[id] = err.Error()
			continue
		}
		switch what {
		case ReachSignOut:
			c.ended = append(c.ended, id)
			c.events = append(c.events, who.By(desk.EventEnded, "all sessions of "+id))
		case ReachInvite:
			c.unlinked = append(c.unlinked, id)
			c.invite(h, who, u)
			c.events = append(
				c.events,
				who.By(desk.EventLink, "an invitation for "+id+"; its link is made when the letter is sent"),
			)
		case ReachPassword:
			c.letter(u, who, post.Forgotten(name, u.DisplayName))
			c.events = append(
				c.events,
				who.By(desk.EventLink, "a new password for "+id+"; its link is made when the letter is sent"),
			)
		}
	}
	return c
}

func (c *Carried) letter(u *model.User, who desk.Actor, l post.Letter) {
	c.letters = append(c.letters, c.accounts.LetterTo(u, who.User, l))
}

// invite prepares an invitation, with its letter. As long as no mail is set up, its link is made by hand.
func (c *Carried) invite(h *desk.House, who desk.Actor, u *model.User) {
	until := c.accounts.Now().Add(c.accounts.InvitationLife)
	c.invited = append(c.invited, store.Invitation{User: u.ID, By: who.User, At: c.accounts.Now(), Until: until})
	c.inviting = append(c.inviting, c.accounts.invitation(h, who, u, until))
}

// Newcomers prepares the invitations of people whom a change adds, to be kept along with it. As long as no mail is set
// up there is nothing to send, and their links are made by hand.
func (d *Accounts) Newcomers(h *desk.House, who desk.Actor, users []*model.User) *Carried {
	c := &Carried{accounts: d}
	for _, u := range users {
		if d.Mail && u.Email != "" {
			c.invite(h, who, u)
			c.events = append(
				c.events,
				who.By(desk.EventLink, "an invitation for "+u.ID+"; its link is made when the letter is sent"),
			)
		}
	}
	return c
}

// invitation writes to somebody who is invited.
func (d *Accounts) invitation(h *desk.House, who desk.Actor, u *model.User, until time.Time) store.Letter {
	by := h.Ref(model.KindUser, who.User).Name
	return d.LetterTo(u, who.User, post.Invitation(h.Design().Organisation.Name, u.DisplayName, by, until))
}

// Warn prepares letters to the other owners about a critical change that somebody makes.
func (d *Accounts) Warn(h *desk.House, who desk.Actor, why string, critical []string) (*Carried, error) {
	c := &Carried{accounts: d}
	declined, err := d.Store.Declined(post.Criticals)
	by := h.Ref(model.KindUser, who.User).Name
	for _, id := range h.Index.Owners(d.Now()) {
		if u, ok := h.Design().Users.Find(id); ok && id != who.User && u.Email != "" && !declined[id] {
			c.letter(u, who, post.Critical(
				h.Design().Organisation.Name, u.DisplayName, by, why, critical, d.Outside+"/history",
			))
		}
	}
	return c, err
}

// Letter prepares a letter to somebody that somebody causes; nothing if they have no address.
func (d *Accounts) Letter(h *desk.House, to, by string, l post.Letter) *Carried {
	c := &Carried{accounts: d}
	if u, ok := h.Design().Users.Find(to); ok && u.Email != "" {
		c.letter(u, desk.Actor{User: by}, l)
	}
	return c
}

// Keep keeps it, within a transaction; nothing if there is nothing.
func (c *Carried) Keep(s *store.Store) error {
	if c == nil {
		return nil
	}
	for n, i := range c.invited {
		if err := s.Invited(i, &c.inviting[n]); err != nil {
			return err
		}
	}
	return errors.Join(s.DropLinks(c.unlinked...), s.EndSessions(c.accounts.Now(), "", c.ended...), s.WriteAll(c.letters))
}

// Tell makes known what was kept.
func (c *Carried) Tell() {
	c.accounts.forget("", c.ended...)
	for _, e := range c.events {
		c.accounts.Happened(e)
	}
}

// somePermissions is how much of what somebody will be able to do in a system is told.
const somePermissions = 6

// promise tells what somebody who is invited will be able to do once they are in.
func (d *Accounts) promise(h *desk.House, w *Welcome, u *model.User) {
	x := h.Ahead().Live()
	for _, g := range x.GrantsFor(u.ID) {
		if !model.In(d.Now(), g.From, g.Until) {
			continue
		}
		target := view.Target(h, g)
		if said := target.Name + " " + h.Terms(g).Where; !slices.Contains(w.Gets, said) {
			w.Gets = append(w.Gets, said)
		}
	}
	for _, g := range x.GroupsOf(u.ID) {
		if g.Group != model.Everyone && g.Group != model.Public {
			w.Groups = append(w.Groups, h.Ref(model.KindGroup, g.Group).Name)
		}
	}
	held := map[string]bool{}
	for _, e := range x.Widest(u.ID, d.Now()) {
		held[e.Permission] = true
	}
	for _, s := range h.Design().Systems {
		c := Can{System: s.Name, Some: []string{}}
		for _, p := range s.Permissions {
			if held[p.Key] {
				if c.Permissions++; len(c.Some) < somePermissions {
					c.Some = append(c.Some, cmp.Or(p.Label, p.Key))
				}
			}
		}
		if c.Permissions > 0 {
			w.Can = append(w.Can, c)
		}
	}
}

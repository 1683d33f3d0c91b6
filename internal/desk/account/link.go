package account

import (
	"context"
	"errors"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// What a link is for. It works only while its person is in the state that goes with it.
const (
	forInvitation = "invitation" // somebody invited sets a password and becomes active
	forPassword   = "password"   // somebody active sets a new password
)

// linkLife is how long a link is good that lets somebody set a new password.
const linkLife = time.Hour

// link makes a link for a person as they are now, in place of those that they had.
func (d *Accounts) link(u *model.User, life time.Duration) (text string, until time.Time, err error) {
	text, hash := secret()
	l := store.Link{Hash: hash, User: u.ID, For: forPassword, Expires: d.Now().Add(life)}
	if u.State == model.UserInvited {
		l.For = forInvitation
	}
	return text, l.Expires, d.Store.SaveLink(l)
}

// PasswordLink gives the secret of a link by which a user can set a password, once within the hour.
func (d *Accounts) PasswordLink(user string) (string, error) {
	u, ok := d.Present().Design().Users.Find(user)
	if !ok {
		return "", desk.Refuse(desk.NotFound, "There is no person %q.", user)
	}
	text, _, err := d.link(u, linkLife)
	if err == nil {
		d.Happened(
			desk.Event{What: desk.EventLink, Who: "operator", Text: "for " + u.ID + ", printed to the operator, who saw it"},
		)
	}
	return text, err
}

// find gives a link that works now, with whom it is for.
func (d *Accounts) find(link string) (store.Link, *model.User, error) {
	l, err := d.Store.Link(hashSecret(link), d.Now())
	if err != nil {
		return l, nil, desk.Missing(err, "This link has been used or has run out. Ask for a new one.")
	}
	u, ok := d.Present().Design().Users.Find(l.User)
	if !ok {
		return l, nil, desk.Refuse(desk.NotFound, "The person whom this link was made for is no longer there.")
	}
	if !model.In(d.Now(), u.From, u.Until) {
		return l, nil, desk.Refuse(
			desk.NotFound,
			"This account is not open now: ask your access administrator. The link stays good until it runs out.",
		)
	}
	switch {
	case l.For == forInvitation && u.State == model.UserInvited, l.For == forPassword && u.State == model.UserActive:
	case l.For == "" && (u.State == model.UserInvited || u.State == model.UserActive): // made by an earlier program
	default:
		return l, nil, desk.Refuse(desk.NotFound, "This link has been used or has run out. Ask for a new one.")
	}
	return l, u, nil
}

// Welcome is what the page behind a password link shows.
type Welcome struct {
	UserName string `json:"userName" doc:"The name to sign in with"`
	Name     string `json:"name"`
	Shortest int    `json:"shortest" doc:"How many characters a password has at least"`
}

// Welcome looks at a password link.
func (d *Accounts) Welcome(link string) (*Welcome, error) {
	_, u, err := d.find(link)
	if err != nil {
		return nil, err
	}
	return &Welcome{u.UserName, u.DisplayName, MinPassword}, nil
}

// SetPassword uses a link up to set a password. All sessions of the person end. Who is invited becomes active by it, as
// a revision of their own; if that cannot be, the link stays as it was.
func (d *Accounts) SetPassword(ctx context.Context, link, password, from string) (desk.Actor, error) {
	if err := d.tries.may("", from, d.Now()); err != nil {
		return desk.Actor{}, err
	}
	_, u, err := d.find(link)
	if err != nil {
		d.tries.failed("", from, d.Now())
		return desk.Actor{}, err
	}
	c, err := d.credential(ctx, u, password)
	if err != nil {
		return desk.Actor{}, err
	}
	use := func(s *store.Store, _ int) error { return s.UseLink(hashSecret(link), d.Now(), c, nil) }
	err = d.Writing(func(h *desk.House) error {
		if _, u, err = d.find(link); err != nil { // it can have changed while the password was hashed
			return err
		}
		if u.State == model.UserInvited {
			return d.accept(h, u, use)
		}
		return use(d.Store, 0)
	})
	if err != nil {
		return desk.Actor{}, desk.Missing(err, "This link has been used or has run out. Ask for a new one.")
	}
	d.forget("", u.ID)
	who := desk.Actor{User: u.ID, From: from}
	d.Happened(who.By(desk.EventLinkUsed, "to set a password; all sessions before ended"))
	return who, nil
}

// accept makes somebody active who was invited and has now come, as a revision of their own. The writer's lock must be
// held.
func (d *Accounts) accept(h *desk.House, u *model.User, along func(*store.Store, int) error) error {
	active := change.Clone(u)
	active.State = model.UserActive
	op := change.Put(h.Design(), active)
	_, err := d.Commit(
		d.Check(
			h,
			desk.Asker{Who: desk.Actor{User: u.ID}},
			desk.Act{Door: desk.ByInvitation, Ops: []change.Op{op}, Permits: func(o change.Op) string {
				if o.Kind != model.KindUser || o.ID != u.ID {
					return "Whoever accepts an invitation changes nothing but their own state."
				}
				return ""
			}},
		),
		"The invitation cannot be accepted.",
		desk.Note{Why: "Accepts the invitation", Along: along},
	)
	return err
}

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
	letter := d.LetterTo(u, who.User, post.Invitation(
		h.Design().Organisation.Name, u.DisplayName, h.Ref(model.KindUser, who.User).Name, until))
	if d.Mail && u.Email != "" { // the link is made when the letter is sent; those before end now
		if err := errors.Join(d.Store.DropLinks(u.ID), d.Store.Write(letter)); err != nil {
			return nil, err
		}
		d.Happened(who.By(desk.EventLink, "an invitation for "+u.ID+"; its link is made when the letter is sent"))
		return &Invitation{User: h.Ref(model.KindUser, u.ID), Until: until, To: u.Email}, nil
	}
	text, until, err := d.link(u, d.InvitationLife)
	if err != nil {
		return nil, err
	}
	letter.State = store.LetterKept // the link goes by hand
	if err := d.Store.Write(letter); err != nil {
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
		authority := delegation.Of(h.Ahead(), who.User, d.Now())
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
		return desk.Refuse(desk.Conflict, "The account of %s ended on %s: let it go on first.", u.DisplayName, model.Day(u.Until))
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
	unlinked []string // whose links end
	ended    []string // whose sessions end
	events   []desk.Event
}

// Carry prepares to do something to how people get in. What goes to them goes by letters.
func (d *Accounts) Carry(h *desk.House, who desk.Actor, what Reach, users ...string) *Carried {
	c := &Carried{Refused: map[string]string{}, accounts: d}
	name, from := h.Design().Organisation.Name, h.Ref(model.KindUser, who.User).Name
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
			c.letter(u, who, post.Invitation(name, u.DisplayName, from, d.Now().Add(d.InvitationLife)))
			c.events = append(c.events, who.By(desk.EventLink, "an invitation for "+id+"; its link is made when the letter is sent"))
		case ReachPassword:
			c.letter(u, who, post.Forgotten(name, u.DisplayName))
			c.events = append(c.events, who.By(desk.EventLink, "a new password for "+id+"; its link is made when the letter is sent"))
		}
	}
	return c
}

func (c *Carried) letter(u *model.User, who desk.Actor, l post.Letter) {
	c.letters = append(c.letters, c.accounts.LetterTo(u, who.User, l))
}

// Report prepares a letter to whoever does something; nothing if they have no address.
func (d *Accounts) Report(h *desk.House, who desk.Actor, l post.Letter) *Carried {
	c := &Carried{accounts: d}
	if u, ok := h.Design().Users.Find(who.User); ok && u.Email != "" {
		c.letter(u, who, l)
	}
	return c
}

// Keep keeps it, within a transaction.
func (c *Carried) Keep(s *store.Store) error {
	return errors.Join(s.DropLinks(c.unlinked...), s.EndSessions(c.accounts.Now(), "", c.ended...), s.WriteAll(c.letters))
}

// Tell makes known what was kept.
func (c *Carried) Tell() {
	c.accounts.forget("", c.ended...)
	for _, e := range c.events {
		c.accounts.Happened(e)
	}
}

// beyond gives a right in Fachwerk that a person holds, or will hold, and the actor does not; empty if there is none.
func (d *Accounts) beyond(h *desk.House, who desk.Actor, u *model.User) string {
	view, rights := h.Ahead(), ahead.Rights(h.Design())
	if high := view.Beyond(view.Latent(u.ID, rights, d.Now()), view.Present(who.User, rights, d.Now()), d.Now()); len(
		high,
	) > 0 {
		return high[0].Permission
	}
	return ""
}

// Forgotten puts a letter into the outbox for whoever has a user name or e-mail address, by which to set a new
// password. It tells nobody whether there is such a person.
func (d *Accounts) Forgotten(name, from string) error {
	if err := d.tries.may("", from, d.Now()); err != nil {
		return err
	}
	d.tries.failed("", from, d.Now()) // asking is bounded, whatever comes of it
	h := d.Present()
	id, ok := h.Index.UserID(name)
	if !ok {
		return nil
	}
	u, _ := h.Design().Users.Find(id)
	if !h.Index.Live(id, d.Now()) || u.Email == "" {
		return nil
	}
	letter := post.Forgotten(h.Design().Organisation.Name, u.DisplayName)
	d.Happened(
		desk.Event{
			What: desk.EventLink,
			Who:  id,
			From: from,
			Text: "asked for by a forgotten password; it is made when its letter is sent",
		},
	)
	return d.Store.Write(d.LetterTo(u, "", letter))
}

// ErrStale tells that a letter brings a link to somebody to whom it is good for nothing any longer.
var ErrStale = errors.New("whom it is to has no use for its link any longer")

// Compose fills a letter as it goes out: a link that it brings is made now, in place of those before. Where that is good
// for nothing any longer it gives [ErrStale].
func (d *Accounts) Compose(l store.Letter) (post.Filled, string, error) {
	h := d.Present()
	filled := post.Filled{Organisation: h.Design().Organisation.Name, Subject: l.Subject}
	u, ok := h.Design().Users.Find(l.User)
	if !ok {
		return filled, "", ErrStale
	}
	if l.Link != "" {
		life, state := linkLife, model.UserActive
		if l.Link == post.LinkInvitation {
			life, state = d.InvitationLife, model.UserInvited
		}
		if u.State != state || !model.In(d.Now(), u.From, u.Until) {
			return filled, "", ErrStale
		}
		text, _, err := d.link(u, life)
		if err != nil {
			return filled, "", err
		}
		filled.Link = d.Outside + "/welcome/" + text
	}
	filled.Paragraphs = post.Paragraphs(l.Body, filled.Link)
	return filled, u.DisplayName, nil
}

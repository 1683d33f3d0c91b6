package account

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"time"

	"fachwerk/internal/core/ahead"
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

// link makes a link for a person as they are now, in place of those that they had, if may permits it. It is made
// between changes of the design: one that gives its person more of Fachwerk ends those that there are.
func (d *Accounts) link(u *model.User, life time.Duration, may func(h *desk.House) error) (text string,
	until time.Time, err error) {
	text, hash := secret()
	l := store.Link{Hash: hash, User: u.ID, For: forPassword, Expires: d.Now().Add(life)}
	if u.State == model.UserInvited {
		l.For = forInvitation
	}
	err = d.Writing(func(h *desk.House) error {
		if err := may(h); err != nil {
			return err
		}
		return d.Store.SaveLink(l)
	})
	return text, l.Expires, err
}

// anybody permits a link that nobody is shown but its person, or the operator.
func anybody(*desk.House) error { return nil }

// outgrown lets the invitations end of people who come to hold more of Fachwerk than when their links were made. New
// ones go out by letter; where no mail is set up, somebody who holds as much invites them anew.
func (d *Accounts) outgrown(h *desk.House, who desk.Actor, users []string) func(*store.Store) error {
	c := &Carried{accounts: d}
	var over []string
	for _, id := range users {
		u, ok := h.Design().Users.Find(id)
		switch {
		case !ok:
		case d.Mail && u.Email != "" && u.State == model.UserInvited:
			c.invite(h, who, u)
		case d.Mail && u.Email != "" && u.State == model.UserActive:
			c.letter(u, who, post.Forgotten(h.Design().Organisation.Name, u.DisplayName))
		case u.State == model.UserInvited:
			over = append(over, id)
		}
	}
	return func(s *store.Store) error {
		for _, id := range over {
			if err := s.EndInvitation(id, d.Now()); err != nil {
				return err
			}
		}
		return c.Keep(s)
	}
}

// PasswordLink gives the secret of a link by which a user can set a password, once within the hour.
func (d *Accounts) PasswordLink(user string) (string, error) {
	u, ok := d.Present().Design().Users.Find(user)
	if !ok {
		return "", desk.Refuse(desk.NotFound, "There is no person %q.", user)
	}
	text, _, err := d.link(u, linkLife, anybody)
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
	// Of an invitation:
	Organisation string   `json:"organisation"`
	Passkey      bool     `json:"passkey" doc:"A passkey can be made in place of a password"`
	By           string   `json:"by,omitempty" doc:"Who invites"`
	Gets         []string `json:"gets" doc:"The roles and sets that they are given, with where they count"`
	Groups       []string `json:"groups"`
	Can          []Can    `json:"can" doc:"What they will be able to do, a system each"`
}

// Can is how much somebody will be able to do in a system.
type Can struct {
	System      string   `json:"system"`
	Permissions int      `json:"permissions"`
	Some        []string `json:"some" doc:"Some of it, in words"`
}

// Welcome looks at a password link.
func (d *Accounts) Welcome(link string) (*Welcome, error) {
	l, u, err := d.find(link)
	if err != nil {
		return nil, err
	}
	h := d.Present()
	w := &Welcome{
		UserName: u.UserName, Name: u.DisplayName, Shortest: MinPassword, Organisation: h.Design().Organisation.Name,
		Gets: []string{}, Groups: []string{}, Can: []Can{},
	}
	if l.For != forInvitation {
		return w, nil
	}
	_, err = d.passkeys()
	w.Passkey = err == nil
	if i, err := d.Store.Invitation(u.ID); err == nil {
		w.By = h.Ref(model.KindUser, i.By).Name
		if i.Opened == nil {
			if err := d.Store.InvitationOpened(u.ID, d.Now()); err != nil {
				return nil, err
			}
		}
	}
	d.promise(h, w, u)
	return w, nil
}

// SetPassword uses a link up to set a password. All sessions of the person end. Who is invited becomes active by it, as
// a revision of their own; if that cannot be, the link stays as it was.
func (d *Accounts) SetPassword(ctx context.Context, link, password, from string) (desk.Actor, error) {
	u, err := d.follow(link, from)
	if err != nil {
		return desk.Actor{}, err
	}
	c, err := d.credential(ctx, u, password)
	if err != nil {
		return desk.Actor{}, err
	}
	keep := func(s *store.Store) error { return s.SetPassword(c, d.Now(), "") }
	if u, err = d.comeIn(link, keep); err != nil {
		return desk.Actor{}, err
	}
	who := desk.Actor{User: u.ID, From: from}
	d.Happened(who.By(desk.EventLinkUsed, "to set a password; all sessions before ended"))
	if u.State != model.UserInvited { // who comes in for the first time need not be told
		d.notice(who.User, "your password was set by a link", who.From)
	}
	return who, nil
}

// AskFirstPasskey gives what a browser needs to make a passkey for somebody who is invited, and what must be kept until
// it answers.
func (d *Accounts) AskFirstPasskey(link, from string) (options, kept json.RawMessage, err error) {
	u, err := d.invited(link, from)
	if err != nil {
		return nil, nil, err
	}
	return d.askNew(u.ID)
}

// FirstPasskey uses an invitation up by a passkey in place of a password: the person becomes active, and can set a
// password later by a letter. The recovery codes are for when the passkey is lost.
func (d *Accounts) FirstPasskey(link, name, from string, kept, answer json.RawMessage) (desk.Actor, *Recovery, error) {
	u, err := d.invited(link, from)
	if err != nil {
		return desk.Actor{}, nil, err
	}
	f, err := d.made(u.ID, name, kept, answer)
	if err != nil {
		return desk.Actor{}, nil, err
	}
	codes, list := d.recovery(u.ID)
	keep := func(s *store.Store) error { return s.SaveFactors(u.ID, "", append(list, f)...) }
	if _, err := d.comeIn(link, keep); err != nil {
		return desk.Actor{}, nil, err
	}
	who := desk.Actor{User: u.ID, From: from}
	d.Happened(who.By(desk.EventLinkUsed, "to make a passkey, “"+f.Name+"”"))
	return who, &Recovery{Codes: codes}, nil
}

// follow gives whom a link is for; those that are none count as attempts to guess one.
func (d *Accounts) follow(link, from string) (*model.User, error) {
	_, u, err := d.find(link)
	if err != nil {
		if often := d.often("links", from); often != nil {
			return nil, often
		}
	}
	return u, err
}

func (d *Accounts) invited(link, from string) (*model.User, error) {
	u, err := d.follow(link, from)
	if err == nil && u.State != model.UserInvited {
		return nil, desk.Refuse(desk.Invalid, "This link is for a new password: set that first, then add a passkey.")
	}
	return u, err
}

// comeIn uses a link up, and has kept what its person comes in by from now on. It gives the person as they were.
func (d *Accounts) comeIn(link string, keep func(*store.Store) error) (u *model.User, err error) {
	use := func(s *store.Store, _ int) error { return s.UseLink(hashSecret(link), d.Now(), keep) }
	err = d.Writing(func(h *desk.House) error {
		if _, u, err = d.find(link); err != nil { // it can have changed meanwhile
			return err
		}
		if u.State == model.UserInvited {
			return d.accept(h, u, use)
		}
		return use(d.Store, 0)
	})
	if err != nil {
		return nil, desk.Missing(err, "This link has been used or has run out. Ask for a new one.")
	}
	d.forget("", u.ID)
	return u, nil
}

// beyond gives a right in Fachwerk that a person holds, or will hold, and the actor does not; empty if there is none.
func (d *Accounts) beyond(h *desk.House, who desk.Actor, u *model.User) string {
	view, rights := h.Ahead(), ahead.Rights(h.Design())
	holds := view.Latent(u.ID, rights, d.Now())
	for _, user := range []string{who.User, cmp.Or(who.Maker, who.User)} {
		if high := view.Beyond(holds, view.Present(user, rights, d.Now()), d.Now()); len(high) > 0 {
			return high[0].Permission
		}
	}
	return ""
}

// forgottenMost is how many letters somebody gets within an hour since their password is said to be forgotten.
const forgottenMost = 3

// Forgotten puts a letter into the outbox for whoever has a user name or e-mail address, by which to set a new
// password. It tells nobody whether there is such a person: what is done for one is done behind the answer.
func (d *Accounts) Forgotten(name, from string) error {
	if err := d.often("forgotten", from); err != nil {
		return err
	}
	d.behind.Go(func() {
		if err := desk.Guarded(func() error { return d.forgotten(name, from) }); err != nil {
			slog.Error("a letter for a new password was not written", "error", err)
		}
	})
	return nil
}

// Wait waits until what is done behind answers is done.
func (d *Accounts) Wait() { d.behind.Wait() }

func (d *Accounts) forgotten(name, from string) error {
	h := d.Present()
	id, ok := h.Index.UserID(name)
	if !ok {
		return nil
	}
	u, _ := h.Design().Users.Find(id)
	if !h.Index.Live(id, d.Now()) || u.Email == "" {
		return nil
	}
	d.asking.Lock()
	defer d.asking.Unlock()
	lately, err := d.Store.LettersTo(id, 20)
	if err != nil {
		return err
	}
	n := 0
	for _, l := range lately {
		if l.Link == post.LinkPassword && d.Now().Sub(l.Written) < time.Hour {
			n++
		}
	}
	if n >= forgottenMost {
		return nil
	}
	d.Happened(
		desk.Event{
			What: desk.EventLink,
			Who:  id,
			From: from,
			Text: "asked for by a forgotten password; it is made when its letter is sent",
		},
	)
	return d.Store.Write(d.LetterTo(u, "", post.Forgotten(h.Design().Organisation.Name, u.DisplayName)))
}

// ErrStale tells that a letter brings a link to somebody to whom it is good for nothing any longer.
var ErrStale = errors.New("whom it is to has no use for its link any longer")

// Compose fills a letter as it goes out: a link that it brings is made now, in place of those before. Where that is
// good for nothing any longer it gives [ErrStale].
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
		if i, err := d.Store.Invitation(u.ID); err == nil && l.Link == post.LinkInvitation {
			if life = i.Until.Sub(d.Now()); life <= 0 {
				return filled, "", ErrStale
			}
		}
		text, _, err := d.link(u, life, anybody)
		if err != nil {
			return filled, "", err
		}
		filled.Link = d.Outside + "/welcome/" + text
	}
	filled.Paragraphs = post.Paragraphs(l.Body, filled.Link)
	return filled, u.DisplayName, nil
}

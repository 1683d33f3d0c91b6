package account

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// seenEvery is how often it is written down that a session is used: reading writes nothing in between.
const seenEvery = 10 * time.Minute

// session is what is known of one while the server runs.
type session struct {
	sync.Mutex
	user          string
	began         time.Time
	seen, written time.Time
}

// SignIn finds the person with a user name and password, and tells neither which of the two was wrong nor who exists.
func (d *Accounts) SignIn(ctx context.Context, name, password, from string) (desk.Actor, error) {
	name = strings.TrimSpace(name)
	h := d.Present()
	id, known := h.Index.UserID(name)
	trial, err := d.attempt(cmp.Or(id, strings.ToLower(name)), known, from)
	if err != nil {
		return desk.Actor{}, err
	}
	hash := decoy
	if known {
		c, err := d.Store.Credential(id)
		switch {
		case err == nil:
			hash = c.Hash
		case errors.Is(err, store.ErrNotFound):
			known = false
		default:
			return desk.Actor{}, err
		}
	}
	fits := false
	if err := hashed(ctx, func() { fits = len(password) <= maxPassword && passwordFits(hash, password) }); err != nil {
		return desk.Actor{}, err
	}
	if !fits || !known {
		who := ""
		if known {
			who = id
		}
		d.Happened(desk.Event{What: desk.EventFailed, Who: who, From: from, Text: "as “" + name + "”"})
		return desk.Actor{}, d.failed(trial, desk.Refuse(desk.NotSignedIn, "The name or the password is not right."))
	}
	if !h.Index.Live(id, d.Now()) {
		d.Happened(desk.Event{What: desk.EventFailed, Who: id, From: from, Text: "the account is not active"})
		return desk.Actor{}, desk.Refuse(desk.NotSignedIn, "This account is not active. Ask your access administrator.")
	}
	if err := d.closed(id); err != nil {
		return desk.Actor{}, err
	}
	d.passed(trial)
	return desk.Actor{User: id, From: from}, nil
}

// Begin begins a session of somebody who has signed in, and gives its id.
func (d *Accounts) Begin(who desk.Actor, agent string) (id string, err error) {
	id, _ = secret()
	now := d.Now()
	if err := d.Store.StartSession(store.SignedIn{ID: id, User: who.User, At: now, From: who.From, Agent: agent,
		Seen: now}); err != nil {
		return "", err
	}
	d.sessions.Store(id, &session{user: who.User, began: now, seen: now, written: now})
	d.Happened(who.By(desk.EventSignIn, agent))
	return id, nil
}

// Within gives whose session it is, if it has neither ended nor run out.
func (d *Accounts) Within(id string) (user string, ok bool) {
	if id == "" {
		return "", false
	}
	v, known := d.sessions.Load(id)
	if !known {
		kept, err := d.Store.Session(id)
		if err != nil || kept.Ended != nil {
			return "", false
		}
		v, _ = d.sessions.LoadOrStore(id, &session{user: kept.User, began: kept.At, seen: kept.Seen, written: kept.Seen})
	}
	s := v.(*session)
	s.Lock()
	defer s.Unlock()
	now := d.Now()
	if now.Sub(s.began) >= d.SessionLife || now.Sub(s.seen) >= d.SessionIdle {
		return "", false
	}
	if s.seen = now; now.Sub(s.written) >= seenEvery {
		s.written = now
		// Who reads does not wait for whoever writes; and where it cannot be written, nobody is kept from reading.
		go func() { _ = desk.Guarded(func() error { return d.Store.SeenSession(id, now) }) }()
	}
	return s.user, true
}

// Leave ends the session that somebody is in.
func (d *Accounts) Leave(who desk.Actor, id string) error {
	d.sessions.Delete(id)
	err := d.Store.EndSession(who.User, id, d.Now())
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	d.Happened(who.By(desk.EventSignOut, ""))
	return err
}

// forget drops what is known of the sessions of some users, but for one.
func (d *Accounts) forget(stays string, users ...string) {
	d.sessions.Range(func(id, v any) bool {
		if id != stays && slices.Contains(users, v.(*session).user) {
			d.sessions.Delete(id)
		}
		return true
	})
}

// Session is one signing in of somebody, as they see it on their own page.
type Session struct {
	ID    string    `json:"id"`
	At    time.Time `json:"at"`
	Seen  time.Time `json:"seen"`
	From  string    `json:"from" doc:"The address that it came from"`
	Agent string    `json:"agent" doc:"The program, as it calls itself"`
	This  bool      `json:"this" doc:"The one that asks"`
}

// Sessions gives one's own sessions, latest first.
func (d *Accounts) Sessions(who desk.Actor, this string) ([]Session, error) {
	if err := d.SignedIn(d.Present(), who); err != nil {
		return nil, err
	}
	list, err := d.Store.SessionsOf(who.User)
	if err != nil {
		return nil, err
	}
	out := []Session{}
	for _, v := range list {
		if _, alive := d.alive(v); alive {
			out = append(out, Session{v.ID, v.At, v.Seen, v.From, v.Agent, v.ID == this})
		}
	}
	return out, nil
}

// EndSession ends one of one's own sessions, or, if none is named, all but the one that asks.
func (d *Accounts) EndSession(who desk.Actor, id, this string) error {
	if err := d.BySession(d.Present(), who); err != nil {
		return err
	}
	if id == "" {
		if err := d.Store.EndSessions(d.Now(), this, who.User); err != nil {
			return err
		}
		d.forget(this, who.User)
		d.Happened(who.By(desk.EventEnded, "all other sessions"))
		return nil
	}
	d.sessions.Delete(id)
	if err := d.Store.EndSession(who.User, id, d.Now()); err != nil {
		return desk.Missing(err, "This session has ended already.")
	}
	d.Happened(who.By(desk.EventEnded, "one session"))
	return nil
}

// alive tells whether a session that is kept has not run out.
func (d *Accounts) alive(v store.SignedIn) (store.SignedIn, bool) {
	now := d.Now()
	if known, ok := d.sessions.Load(v.ID); ok {
		s := known.(*session)
		s.Lock()
		v.Seen = s.seen
		s.Unlock()
	}
	return v, now.Sub(v.At) < d.SessionLife && now.Sub(v.Seen) < d.SessionIdle
}

// Prove checks the password of somebody who is signed in, before a critical change.
func (d *Accounts) Prove(who desk.Actor, password string) error {
	h := d.Present()
	if err := d.BySession(h, who); err != nil {
		return err
	}
	if _, passkey, err := d.Has(who.User); err != nil || passkey {
		if err == nil {
			err = desk.Refuse(desk.NotAllowed, "You have a passkey: show that, rather than your password.")
		}
		return err
	}
	if err := d.fits(who, password); err != nil {
		return err
	}
	d.Happened(who.By(desk.EventProof, "by password"))
	return nil
}

// fits refuses a password that is not somebody's own.
func (d *Accounts) fits(who desk.Actor, password string) error {
	trial, err := d.attempt(who.User, true, who.From)
	if err != nil {
		return err
	}
	c, err := d.Store.Credential(who.User)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	fits := false
	if err := hashed(who.Within, func() {
		fits = len(password) <= maxPassword && passwordFits(cmp.Or(c.Hash, decoy), password)
	}); err != nil {
		return err
	}
	if !fits || c.Hash == "" {
		d.Happened(who.By(desk.EventNoProof, "a wrong password"))
		return d.failed(trial, desk.Refuse(desk.NotAllowed, "This is not your password."))
	}
	return nil
}

// ChangePassword sets one's own password anew, given the present one. All other sessions end.
func (d *Accounts) ChangePassword(who desk.Actor, present, password, this string) error {
	h := d.Present()
	if err := d.BySession(h, who); err != nil {
		return err
	}
	if err := d.fits(who, present); err != nil {
		return err
	}
	u, _ := h.Design().Users.Find(who.User)
	c, err := d.credential(who.Within, u, password)
	if err != nil {
		return err
	}
	if err := d.Store.SetPassword(c, d.Now(), this); err != nil {
		return err
	}
	d.forget(this, who.User)
	d.Happened(who.By(desk.EventPassword, "by the person; their other sessions ended"))
	d.notice(who.User, "your password was changed", who.From)
	return nil
}

// credential is a password as it is kept, if it is good enough.
func (d *Accounts) credential(ctx context.Context, u *model.User, password string) (c store.Credential, err error) {
	if why := weak(password, u); why != "" {
		return c, desk.Refuse(desk.Invalid, "%s", why)
	}
	c.User = u.ID
	err = hashed(ctx, func() { c.Hash = hashPassword(password) })
	return c, err
}

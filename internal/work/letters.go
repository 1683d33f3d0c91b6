// Package work is what happens by itself, when it is due: letters are sent.
package work

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// Postman sends the letters that lie in the outbox of a desk.
type Postman struct {
	Desk   *rooms.Desk
	Sender post.Sender
	Form   *post.Form
	// Told of each letter that was tried, by what became of it.
	Told func(state string)
}

// How letters are tried again: after so long, each time longer; a letter that is older than it is good for is given
// up.
var again = []time.Duration{
	time.Minute, 5 * time.Minute, 15 * time.Minute, time.Hour, 4 * time.Hour, 8 * time.Hour, 12 * time.Hour,
	24 * time.Hour,
}

// stale is how long after it was written a letter is sent no more: nobody expects it any longer.
const stale = 5 * 24 * time.Hour

// atOnce is how many letters are taken out of the outbox at a time.
const atOnce = 50

// Deliver sends all letters that are due, once, and tells how many were taken by the server. What is wrong with one
// stops none of the others; where the server cannot be reached, it ends and the rest wait.
func (p *Postman) Deliver(ctx context.Context) (sent int, err error) {
	for ctx.Err() == nil {
		list, err := p.Desk.Store.TakeLetters(p.Desk.Now(), atOnce)
		if err != nil || len(list) == 0 {
			return sent, err
		}
		var down error // the server cannot be reached, so the rest need not be tried
		for _, mail := range mails(list) {
			if down == nil {
				err := p.sendAll(ctx, mail)
				if unreachable := (net.Error)(nil); errors.As(err, &unreachable) {
					down = err
				}
				for i, l := range mail {
					if mail[i] = p.settle(l, err); p.Told != nil {
						p.Told(mail[i].State)
					}
					if mail[i].State == store.LetterSent {
						sent++
					}
				}
			} else {
				for i := range mail {
					mail[i].State, mail[i].Due = store.LetterWaits, p.Desk.Now().Add(again[0])
				}
			}
			for _, l := range mail {
				if err := p.Desk.Store.SettleLetter(l); err != nil {
					return sent, err
				}
			}
		}
		if down != nil {
			return sent, fmt.Errorf("the server for mail cannot be reached: %w", down)
		}
	}
	return sent, ctx.Err()
}

// mails puts letters together that go as one: those of the day to one person.
func mails(list []store.Letter) (out [][]store.Letter) {
	daily := map[string]int{}
	for _, l := range list {
		at, known := daily[l.User]
		if l.Daily && known {
			out[at] = append(out[at], l)
			continue
		}
		if l.Daily {
			daily[l.User] = len(out)
		}
		out = append(out, []store.Letter{l})
	}
	return out
}

// errLate tells that a letter comes too late.
var errLate = errors.New("it could not be sent in time")

// errNowhere tells that a letter has no address.
var errNowhere = errors.New("the person has no e-mail address")

// sendAll sends letters as one.
func (p *Postman) sendAll(ctx context.Context, mail []store.Letter) error {
	if len(mail) == 1 {
		return p.send(ctx, mail[0])
	}
	parts := make([]post.Letter, len(mail))
	for i, l := range mail {
		parts[i] = post.Letter{Kind: l.Kind, Subject: l.Subject, Body: l.Body}
	}
	organisation, name := p.Desk.NamesFor(mail[0].User)
	day, all := post.Day(organisation, name, parts), mail[0]
	all.Subject, all.Body = day.Subject, day.Body
	return p.send(ctx, all)
}

func (p *Postman) send(ctx context.Context, l store.Letter) error {
	switch {
	case l.To == "":
		return errNowhere
	case p.Desk.Now().Sub(l.Written) > stale:
		return errLate
	}
	filled, name, err := p.Desk.Compose(l)
	if err != nil {
		return err
	}
	plain, page, err := p.Form.Fill(filled)
	if err != nil {
		return err
	}
	return p.Sender.Send(ctx, post.Mail{
		ID: fmt.Sprintf("%d.%d@%s", l.ID, l.Written.Unix(), p.host()), To: l.To, ToName: name,
		Subject: l.Subject, Plain: plain, Page: page,
	})
}

// host is what ids of letters end in.
func (p *Postman) host() string {
	if u, err := url.Parse(p.Desk.Outside); err == nil && u.Hostname() != "" {
		return u.Hostname()
	}
	return "fachwerk.invalid"
}

// settle tells what became of a letter.
func (p *Postman) settle(l store.Letter, err error) store.Letter {
	now := p.Desk.Now()
	l.Tries++
	refused := (*post.Refused)(nil)
	switch {
	case err == nil:
		l.State, l.Sent, l.Trouble = store.LetterSent, &now, ""
		return l
	case errors.As(err, &refused) && refused.Address:
		l.State = store.LetterReturned
	case errors.As(err, &refused), errors.Is(err, account.ErrStale), errors.Is(err, errLate), errors.Is(err, errNowhere),
		l.Tries > len(again):
		l.State = store.LetterGivenUp
	default:
		l.State, l.Due = store.LetterWaits, now.Add(again[l.Tries-1])
	}
	l.Trouble = err.Error()
	slog.Warn("a letter was not sent", "letter", l.ID, "tries", l.Tries, "state", l.State, "error", err)
	return l
}

// pause is how long the postman waits between two looks into the outbox.
const pause = 5 * time.Second

// Run sends letters as they fall due, until the context ends. Those that were being sent when the program ended before
// are sent again: whether the server took them is not known, and they have the ids that they had.
func (p *Postman) Run(ctx context.Context) {
	if n, err := p.Desk.Store.ReturnLetters(); err != nil || n > 0 {
		slog.Info("letters are tried again that were being sent", "letters", n, "error", err)
	}
	tick := time.NewTicker(pause)
	defer tick.Stop()
	for {
		if err := desk.Guarded(func() error { _, err := p.Deliver(ctx); return err }); err != nil && ctx.Err() == nil {
			slog.Error("letters cannot be sent", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

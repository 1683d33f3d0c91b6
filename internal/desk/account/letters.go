package account

import (
	"errors"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// Delivered is a letter in a list of them.
type Delivered struct {
	ID      int        `json:"id"`
	At      time.Time  `json:"at" doc:"When it was sent; when it was written, if it was not"`
	To      desk.Ref   `json:"to"`
	Address string     `json:"address,omitempty"`
	Subject string     `json:"subject"`
	State   string     `json:"state" enum:"waiting,sending,sent,returned,given-up,kept"`
	Trouble string     `json:"trouble,omitempty" doc:"Why it was not sent"`
	Sent    *time.Time `json:"sent,omitempty"`
}

// Mailbox is the letters that somebody got, latest first; of a demo that sends none, those to everybody.
type Mailbox struct {
	Everybody bool        `json:"everybody" doc:"These are the letters to everybody, of a demo that sends none"`
	Letters   []Delivered `json:"letters" doc:"At most 200"`
}

// Opened is a letter as it arrives.
type Opened struct {
	Delivered
	Paragraphs []string `json:"paragraphs"`
	Link       string   `json:"link,omitempty" doc:"The address that it brings: one of the paragraphs; only in a demo that sends no letters"`
}

// NamesFor gives what the organisation is called, and a person.
func (d *Accounts) NamesFor(user string) (organisation, name string) {
	h := d.Present()
	return h.Design().Organisation.Name, h.Ref(model.KindUser, user).Name
}

// mailboxMost bounds how many letters are listed.
const mailboxMost = 200

// shown tells whether this is a demo that sends no letters, so that they are looked at instead.
func (d *Accounts) shown() bool { return len(d.open.Ways) > 0 && !d.Mail }

// Mailbox gives the letters to whoever asks.
func (d *Accounts) Mailbox(who desk.Actor) (*Mailbox, error) {
	h := d.Present()
	if err := d.BySession(h, who); err != nil {
		return nil, err
	}
	m := &Mailbox{Everybody: d.shown(), Letters: []Delivered{}}
	user := who.User
	if m.Everybody {
		user = ""
	}
	kept, err := d.Store.LettersTo(user, mailboxMost)
	for _, l := range kept {
		m.Letters = append(m.Letters, delivered(h, l))
	}
	return m, err
}

func delivered(h *desk.House, l store.Letter) Delivered {
	out := Delivered{
		ID: l.ID, At: l.Written, To: h.Ref(model.KindUser, l.User), Address: l.To, Subject: l.Subject, State: l.State,
		Trouble: l.Trouble, Sent: l.Sent,
	}
	if l.Sent != nil {
		out.At = *l.Sent
	}
	return out
}

// OpenLetter gives a letter to whoever asks. Its link is not there, since it went with the letter; but a demo that
// sends no letters makes it, as sending would.
func (d *Accounts) OpenLetter(who desk.Actor, id int) (*Opened, error) {
	h := d.Present()
	if err := d.BySession(h, who); err != nil {
		return nil, err
	}
	kept, err := d.Store.LettersBy([]int{id})
	if err != nil {
		return nil, err
	}
	l, ok := kept[id]
	if !ok || l.User != who.User && !d.shown() {
		return nil, desk.Refuse(desk.NotFound, "There is no such letter.")
	}
	out := &Opened{Delivered: delivered(h, l)}
	if d.shown() && l.Link != "" {
		filled, _, err := d.Compose(l)
		if err == nil {
			out.Paragraphs, out.Link = filled.Paragraphs, filled.Link
			return out, nil
		}
		if !errors.Is(err, ErrStale) {
			return nil, err
		}
	}
	out.Paragraphs = append([]string{}, post.Paragraphs(l.Body, "[the link went with the letter]")...)
	return out, nil
}

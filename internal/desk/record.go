package desk

import (
	"cmp"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// What the security log tells of.
const (
	EventSignIn     = "sign-in"
	EventFailed     = "sign-in-failed"
	EventSignOut    = "sign-out"
	EventEnded      = "sessions-ended"
	EventProof      = "proof"
	EventNoProof    = "proof-failed"
	EventLink       = "link-made"
	EventLinkUsed   = "link-used"
	EventPassword   = "password-set"
	EventFactor     = "second-factor"
	EventToken      = "token-made"
	EventTokenEnded = "token-withdrawn"
	EventSeeAs      = "see-as"
	EventDownload   = "download"
	EventSetting    = "setting"
	EventRefused    = "refused"
	EventDirectory  = "directory-refused"
	EventClock      = "clock-moved"
)

// EventKinds are all that the security log tells of, in the order in which a choice of them stands.
var EventKinds = []string{
	EventSignIn, EventFailed, EventSignOut, EventEnded, EventProof, EventNoProof, EventLink, EventLinkUsed, EventPassword,
	EventFactor, EventToken, EventTokenEnded, EventSeeAs, EventDownload, EventSetting, EventRefused, EventDirectory,
	EventClock,
}

// Event is something to be entered in the security log.
type Event struct {
	What string
	Who  string // a user's id, or a program's or operator's name
	From string // an address
	Text string
	// Weighs tells that it is written however many others of its kind were.
	Weighs bool
}

// By is an event that somebody causes.
func (who Actor) By(what, text string) Event {
	if who.Token != "" {
		text = strings.TrimSpace(text + " (by the token “" + who.Token + "”)")
	}
	return Event{What: what, Who: who.User, From: who.From, Text: text}
}

// eventsMost is how many entries of one kind are written in a minute about one person, program or address, of those
// kinds that can be caused without end by whoever is refused, or merely reads.
const eventsMost = 60

// light are these kinds. Every other entry is written, whatever came before it.
var light = map[string]bool{
	EventSignIn: true, EventFailed: true, EventSignOut: true, EventNoProof: true, EventDownload: true, EventRefused: true,
	EventDirectory: true,
}

// flood counts what is entered, so that nobody fills the log.
type flood struct {
	sync.Mutex
	minute time.Time
	count  map[Event]int // by kind, person and address; of downloads, by what was taken out too
}

// lets tells whether an entry is to be written. Once a minute is over, it gives in place of each series of entries that
// were left out in it one that counts them.
func (f *flood) lets(e Event, now time.Time) (yes bool, left []Event) {
	f.Lock()
	defer f.Unlock()
	if minute := now.Truncate(time.Minute); !minute.Equal(f.minute) {
		for key, n := range f.count {
			if n > eventsMost {
				key.Text = strings.TrimSpace(fmt.Sprintf("%s %d more in the minute from %s were left out", key.Text, n-eventsMost,
					f.minute.Format(time.RFC3339)))
				left = append(left, key)
			}
		}
		slices.SortFunc(left, func(a, b Event) int {
			return cmp.Or(strings.Compare(a.What, b.What), strings.Compare(a.Who, b.Who), strings.Compare(a.From, b.From))
		})
		f.minute, f.count = minute, map[Event]int{}
	}
	if e.Weighs || !light[e.What] {
		return e.What != "", left
	}
	key := Event{What: e.What, Who: e.Who, From: e.From}
	if e.What == EventDownload {
		key.Text = e.Text
	}
	f.count[key]++
	return f.count[key] <= eventsMost, left
}

// CountLeftOut enters in the security log what was left out of it, once the minute in which that was is over.
func (d *Desk) CountLeftOut() {
	d.countLeftOut(d.Now())
}

func (d *Desk) countLeftOut(now time.Time) {
	_, left := d.flood.lets(Event{}, now)
	for _, e := range left {
		d.enter(e)
	}
}

// textMost bounds what an entry says, in bytes.
const textMost = 500

// Happened enters something in the security log and tells it on standard error. An entry that cannot be written is
// told there, and stops nothing.
func (d *Desk) Happened(e Event) {
	if d.Watched != nil {
		d.Watched(e)
	}
	yes, left := d.flood.lets(e, d.Now())
	for _, e := range left {
		d.enter(e)
	}
	if yes {
		d.enter(e)
	}
}

// enter writes an entry of the security log.
func (d *Desk) enter(e Event) {
	if len(e.Text) > textMost {
		e.Text = e.Text[:textMost] + " …"
	}
	slog.Info("security", "what", e.What, "who", e.Who, "from", e.From, "text", e.Text)
	if err := d.Store.Log(store.Event{At: d.Now(), What: e.What, Who: e.Who, From: e.From, Text: e.Text}); err != nil {
		slog.Error("an entry of the security log could not be written", "what", e.What, "who", e.Who, "error", err)
	}
}

// lowered gives the ids of those whom a change leaves with less standing: they are no longer live, or have lost a right
// in Fachwerk. Their sessions end with it and do not come back.
func (c *checked) lowered() (out []string) {
	for _, o := range c.Ops {
		if o.Kind == model.KindUser && c.house.Index.Live(o.ID, c.at) && !c.Index.Live(o.ID, c.at) {
			out = append(out, o.ID)
		}
	}
	before, after, rights := c.house.Ahead(), c.ahead(), ahead.Rights(c.house.Design())
	for _, id := range before.Now().GivenAhead(before.Now().Just(rights), c.at) {
		var is []index.Span
		if _, stays := c.After.Users.Find(id); stays {
			is = after.Present(id, rights, c.at)
		}
		if len(before.Beyond(before.Present(id, rights, c.at), is, c.at)) > 0 {
			out = append(out, id)
		}
	}
	return out
}

// outgrown tells for whom there are links that were made, and perhaps shown to somebody, before they hold as much of
// Fachwerk as they do by the change (docs/semantics.md, §10).
func (c *checked) outgrown(s *store.Store) (out []string, err error) {
	linked, err := s.Linked()
	for _, user := range linked {
		if ahead.Outgrown(c.house.Ahead(), c.ahead(), user, c.at) {
			out = append(out, user)
		}
	}
	return out, err
}

// LetterTo makes a letter to somebody, to be put into the outbox; by is who caused it, or nobody.
func (d *Desk) LetterTo(u *model.User, by string, l post.Letter) store.Letter {
	return d.letter(u, by, l, func() bool {
		declined, err := d.Store.DeclinedBy(u.ID)
		return err == nil && !slices.Contains(declined, post.AtOnce)
	})
}

// LetterToEach gives [Desk.LetterTo] to who writes to many: who wants their letters at once is read but once.
func (d *Desk) LetterToEach() func(u *model.User, by string, l post.Letter) store.Letter {
	declined, err := d.Store.Declined(post.AtOnce)
	return func(u *model.User, by string, l post.Letter) store.Letter {
		return d.letter(u, by, l, func() bool { return err == nil && !declined[u.ID] })
	}
}

func (d *Desk) letter(u *model.User, by string, l post.Letter, daily func() bool) store.Letter {
	out := store.Letter{
		Written: d.Now(), User: u.ID, To: u.Email, Subject: l.Subject, Body: l.Body, Kind: l.Kind, Link: l.Link, By: by,
	}
	if post.Daily[l.Kind] && daily() {
		out.Daily, out.Due = true, nextMorning(d.Now(), d.Zone())
	}
	return out
}

// morning is the hour, in the organisation's time zone, when letters of the day go out.
const morning = 6

// nextMorning is when the next letter of the day goes out.
func nextMorning(now time.Time, zone *time.Location) time.Time {
	year, month, day := now.In(zone).Date()
	if at := time.Date(year, month, day, morning, 0, 0, 0, zone); now.Before(at) {
		return at.UTC()
	}
	return time.Date(year, month, day+1, morning, 0, 0, 0, zone).UTC()
}

package desk

import (
	"cmp"
	"context"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Actor is who acts: a signed-in person. Questions can be asked of another day too, and through the eyes of somebody else; nothing can be changed
// meanwhile.
type Actor struct {
	User   string
	As     string    // whose eyes are looked through; empty: one's own
	When   time.Time // the instant that is looked at; zero: now
	Proven time.Time // when the person last gave a password; zero for a program
	// Within is the request that it is done in: once it is over, nobody waits for an answer any longer. Nil: there is no end to it.
	Within context.Context
}

// gone tells that nobody waits for the answer any longer, so that long work can stop.
func (who Actor) gone() error {
	if who.Within == nil {
		return nil
	}
	return who.Within.Err()
}

// eyes is whose sight counts.
func (who Actor) eyes() string { return cmp.Or(who.As, who.User) }

// may tells whether a person holds a right of Fachwerk's own system.
func (d *Desk) may(h *house, who Actor, right string) bool {
	return who.User != "" && h.index.Allowed(who.eyes(), right, index.Record{}, d.Now())
}

// signedIn refuses whoever is not signed in, and whoever looks through the eyes of others without seeing the whole design themselves.
func (d *Desk) signedIn(h *house, who Actor) error {
	if who.User == "" || !h.index.Live(who.User, d.Now()) {
		return refuse(NotSignedIn, "Sign in first.")
	}
	if who.As == "" {
		return nil
	}
	if !h.index.Allowed(who.User, model.ViewDesign, index.Record{}, d.Now()) {
		return refuse(NotAllowed, "Only who sees the whole design may see it as somebody else.")
	}
	if h.design().Get(model.KindUser, who.As) == nil {
		return refuse(NotFound, "There is no person %q to see as.", who.As)
	}
	return nil
}

// need refuses unless the person holds the right.
func (d *Desk) need(h *house, who Actor, right string) error {
	if err := d.signedIn(h, who); err != nil {
		return err
	}
	if !d.may(h, who, right) {
		label := right
		if p, ok := h.design().Permission(right); ok {
			label = p.Label
		}
		if who.As != "" {
			return refuse(NotAllowed, "%s does not see this: it needs the right “%s” (%s) in Fachwerk.", h.ref(model.KindUser, who.As).Name, label, right)
		}
		return refuse(NotAllowed, "This needs the right “%s” (%s) in Fachwerk over the whole organisation, which you do not hold.", label, right)
	}
	return nil
}

// acts refuses whoever would change something while looking at another day or through the eyes of others.
func (d *Desk) acts(h *house, who Actor) error {
	if err := d.signedIn(h, who); err != nil {
		return err
	}
	switch {
	case who.As != "":
		return refuse(NotAllowed, "You are seeing this as %s. Go back to your own eyes to change anything.", h.ref(model.KindUser, who.As).Name)
	case !who.When.IsZero():
		return refuse(NotAllowed, "You are looking at another day. Go back to now to change anything.")
	}
	return nil
}

// enter gives the current house to someone who holds a right.
func (d *Desk) enter(who Actor, right string) (*house, error) {
	h := d.present()
	return h, d.need(h, who, right)
}

// sight is what somebody sees of the design: a house, with their draft laid on it, at an instant. A delegate's house is smaller.
type sight struct {
	*house
	present   *house // without the draft
	at        time.Time
	whole     bool
	authority *delegation.Authority // what a delegate may do; of somebody who sees the whole, nil
	draft     *drafted              // nil while another day or other eyes are looked through
}

// see opens the design to somebody's eyes.
func (d *Desk) see(who Actor) (*sight, error) {
	h := d.present()
	if err := d.signedIn(h, who); err != nil {
		return nil, err
	}
	s := &sight{house: h, present: h, at: d.Now(), whole: d.may(h, who, model.ViewDesign)}
	if !who.When.IsZero() {
		s.at = who.When
		if s.at.Before(d.Now()) {
			past, err := d.past.at(d, s.at)
			if err != nil {
				return nil, err
			}
			s.house, s.present = past, past
		}
	} else if who.As == "" {
		p, err := d.look(h, who)
		if err != nil {
			return nil, err
		}
		s.draft, s.house = p, p.shown
	}
	if s.whole {
		return s, nil
	}
	var some bool
	if s.present, s.authority, some = s.present.partFor(who.eyes(), s.at); !some {
		return nil, d.need(h, who, model.ViewDesign)
	}
	if s.house, _, some = s.house.partFor(who.eyes(), s.at); !some {
		s.house = s.present
	}
	return s, nil
}

// mayRevoke tells whether somebody may take an assignment away, by a right or by a delegation.
func (d *Desk) mayRevoke(s *sight, who Actor, a *model.Assignment) bool {
	if s.draft == nil {
		return false
	}
	if d.may(s.present, who, model.EditAssignments) {
		return true
	}
	u, ok := s.present.design().Users.Find(a.Subject.User)
	return ok && s.authority != nil && s.authority.Check(delegation.Act{Action: delegation.Revoke, User: u, Assignment: a}) == nil
}

// partFor gives what a delegate sees of a house, and what they may do; false if nothing is delegated to them.
func (h *house) partFor(user string, t time.Time) (*house, *delegation.Authority, bool) {
	a := delegation.Of(h.index, user, t)
	if a.Empty() {
		return nil, nil, false
	}
	key := []string{user}
	for _, g := range a.Delegations() {
		key = append(key, g.ID)
	}
	v, ok := h.parts.Load(strings.Join(key, " "))
	if !ok {
		v, _ = h.parts.LoadOrStore(strings.Join(key, " "), &house{revision: h.revision, at: h.at, index: index.Compile(a.Part())})
	}
	return v.(*house), a, true
}

// seePerson opens the design to somebody who looks at one person. Everybody may look at themselves.
func (d *Desk) seePerson(who Actor, user string) (*sight, error) {
	s, err := d.see(who)
	if err == nil {
		return s, nil
	}
	h := d.present()
	if who.When.IsZero() && who.eyes() == user && h.index.Live(user, d.Now()) && d.signedIn(h, who) == nil {
		return &sight{house: h, present: h, at: d.Now()}, nil
	}
	return nil, err
}

// instant is what somebody looks at: now, or another day.
func (d *Desk) instant(who Actor) time.Time {
	if who.When.IsZero() {
		return d.Now()
	}
	return who.When
}

// Now is the desk's present instant.
func (d *Desk) Now() time.Time { return d.clock() }

// Instant reads what is looked at: an instant (RFC 3339), a day, which means its end, or nothing, which means now. Today is now too.
func (d *Desk) Instant(text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	if day, err := time.Parse(time.DateOnly, text); err == nil {
		if day.Equal(d.Now().Truncate(24 * time.Hour)) {
			return time.Time{}, nil
		}
		return day.AddDate(0, 0, 1).Add(-time.Second), nil
	}
	t, err := model.ParseInstant(text)
	if err != nil {
		return time.Time{}, refuse(Invalid, "Expected a day like 2026-01-31 to look at, not %q.", text)
	}
	return t.UTC(), nil
}

// pastHouses keeps the houses of past days that were looked at last.
type pastHouses struct {
	sync.Mutex
	list []*house
}

const pastKept = 4

// at gives the house as it was at an instant.
func (p *pastHouses) at(d *Desk, t time.Time) (*house, error) {
	if h := p.known(t); h != nil {
		return h, nil
	}
	n, err := d.store.RevisionAt(t)
	if err != nil {
		return nil, err
	}
	if h := d.present(); h.revision == n {
		return h, nil
	}
	if n == 0 {
		return nil, refuse(NotFound, "Nothing had been built yet on %s: the record begins later.", t.Format("2 January 2006"))
	}
	p.Lock()
	defer p.Unlock()
	for _, h := range p.list {
		if h.revision == n {
			return h, nil
		}
	}
	now := d.present()
	design, n, err := d.store.DesignAt(now.design(), now.revision, t)
	if err != nil {
		return nil, err
	}
	h := &house{revision: n, index: now.index.Update(design)}
	if r, err := d.store.Revision(n); err == nil {
		h.at = r.At
	}
	if r, err := d.store.Revision(n + 1); err == nil {
		h.until = r.At
	}
	if p.list = append(p.list, h); len(p.list) > pastKept {
		p.list = p.list[1:]
	}
	return h, nil
}

// known gives the house of an instant if it was looked at before.
func (p *pastHouses) known(t time.Time) *house {
	p.Lock()
	defer p.Unlock()
	for _, h := range p.list {
		if !t.Before(h.at) && t.Before(h.until) {
			return h
		}
	}
	return nil
}

// hasArea refuses an area that somebody does not see; empty is the whole organisation.
func (h *house) hasArea(id string) error {
	if id != "" && h.design().Get(model.KindArea, id) == nil {
		return refuse(NotFound, "There is no area %q.", id)
	}
	return nil
}

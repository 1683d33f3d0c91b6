package desk

import (
	"cmp"
	"context"
	"errors"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// Actor is who acts: a signed-in person. Questions can be asked of another day too, and through the eyes of
// somebody else; nothing can be changed meanwhile.
type Actor struct {
	User   string
	As     string    // whose eyes are looked through; empty: one's own
	When   time.Time // the instant that is looked at; zero: now
	Proven time.Time // when the person last gave a password; zero for a program
	From   string    // the address that the request comes from
	Token  string    // of a program that acts for the person: what its token is called
	// Maker is who made the token, if that is somebody else than the person: what they may not do now, it does not do.
	Maker string
	// Within is the request that it is done in: once it is over, nobody waits for an answer any longer. Nil: there is
	// no end to it.
	Within context.Context
}

// Gone tells that nobody waits for the answer any longer, so that long work can stop.
func (who Actor) Gone() error {
	if who.Within == nil {
		return nil
	}
	return who.Within.Err()
}

// ErrStopped is the cause of the end of a request that was stopped on purpose, and not left by a client that went away.
var ErrStopped = errors.New("stopped")

// Stopped tells that whoever asked wants no more of it, so that nothing is to be written either. What a client that
// went away has asked to be written is written still: a page may be closed right after the last click.
func (who Actor) Stopped() error {
	if who.Within == nil || !errors.Is(context.Cause(who.Within), ErrStopped) {
		return nil
	}
	return who.Within.Err()
}

// Reading is the store as it is read within somebody's request: once that is over, so is the reading.
func (d *Desk) Reading(who Actor) *store.Store { return d.Store.Within(who.Within) }

// Eyes is whose sight counts.
func (who Actor) Eyes() string { return cmp.Or(who.As, who.User) }

// May tells whether a person holds a right of Fachwerk's own system in a house, which must be the present one:
// authority is always that of now. Through other eyes it takes the right of both, and so does a token that somebody
// else made.
func (d *Desk) May(h *House, who Actor, right string) bool {
	allowed := func(user string) bool { return h.Index.Allowed(user, right, index.Record{}, d.Now()) }
	return who.User != "" && allowed(who.User) && (who.As == "" || allowed(who.As)) &&
		(who.Maker == "" || allowed(who.Maker))
}

// nobody is no person: no id is like it.
const nobody = "-"

// Self is whose own business is seen: that of whoever looks. Through other eyes, or by a token that somebody else made,
// it is seen only by who would see it by a right; otherwise it is nobody's.
func (d *Desk) Self(h *House, who Actor, right string) string {
	looks := who.answerable()
	if who.As == "" {
		looks = looks[1:]
	}
	for _, user := range looks {
		if !h.Index.Allowed(user, right, index.Record{}, d.Now()) {
			return nobody
		}
	}
	return who.Eyes()
}

// answerable gives everybody by whose authority it is acted: the person, and the maker of their program's token.
func (who Actor) answerable() []string {
	if who.Maker == "" {
		return []string{who.User}
	}
	return []string{who.User, who.Maker}
}

// Authority is what somebody may do by delegation now. A program that somebody else let in has the delegations of its
// person only where its maker could do by right whatever a delegation can permit.
func (d *Desk) Authority(h *House, who Actor) *delegation.Authority {
	if who.Maker != "" {
		maker := Actor{User: who.Maker}
		for _, right := range []string{model.EditPeople, model.EditAssignments, model.EditDesign, model.RunReviews} {
			if !d.May(h, maker, right) {
				return &delegation.Authority{}
			}
		}
	}
	return delegation.Of(h.Ahead(), who.User, d.Now())
}

// SignedIn refuses whoever is not signed in, and whoever looks through the eyes of others without seeing the whole
// design themselves.
func (d *Desk) SignedIn(h *House, who Actor) error {
	if who.User == "" || !h.Index.Live(who.User, d.Now()) {
		return Refuse(NotSignedIn, "Sign in first.")
	}
	if why := d.Asleep(h, who.Maker); why != "" {
		return Refuse(NotSignedIn, "The token “%s” sleeps: %s", who.Token, why)
	}
	if who.As == "" {
		return nil
	}
	if !h.Index.Allowed(who.User, model.ViewDesign, index.Record{}, d.Now()) {
		return Refuse(NotAllowed, "Only somebody who sees the whole design may see it as somebody else.")
	}
	if h.Design().Get(model.KindUser, who.As) == nil {
		return Refuse(NotFound, "There is no person %q to see as.", who.As)
	}
	return nil
}

// Asleep says why what somebody lets do through a token does nothing now, since they could not do it; empty if it does.
func (d *Desk) Asleep(h *House, maker string) string {
	switch {
	case maker == "":
		return ""
	case !h.Index.Live(maker, d.Now()):
		return h.Ref(model.KindUser, maker).Name + ", who made it, is not live. An owner takes it over, or makes another."
	case !h.Index.Allowed(maker, model.ViewDesign, index.Record{}, d.Now()):
		return h.Ref(model.KindUser, maker).Name + ", who made it, does not see the design. " +
			"An owner takes it over, or makes another."
	}
	return ""
}

// InPerson is [Desk.Acts] for what is a person's own business: no program that somebody else let in does it for them.
func (d *Desk) InPerson(h *House, who Actor) error {
	if err := d.Acts(h, who); err != nil {
		return err
	}
	if who.Maker != "" {
		return Refuse(NotAllowed, "This is for %s to do in person: the token “%s” was made by somebody else.",
			h.Ref(model.KindUser, who.User).Name, who.Token)
	}
	return nil
}

// BySession is [Desk.Acts] for how a person gets in: no program does it, whoever made its token.
func (d *Desk) BySession(h *House, who Actor) error {
	if err := d.Acts(h, who); err != nil {
		return err
	}
	if who.Token != "" {
		return Refuse(NotAllowed, "No program changes how %s gets in: they do so themselves, signed in.",
			h.Ref(model.KindUser, who.User).Name)
	}
	return nil
}

// Need refuses unless the person holds the right.
func (d *Desk) Need(h *House, who Actor, right string) error {
	if err := d.SignedIn(h, who); err != nil {
		return err
	}
	if !d.May(h, who, right) {
		label := right
		if p, ok := h.Design().Permission(right); ok {
			label = p.Label
		}
		if who.As != "" {
			return Refuse(
				NotAllowed,
				"%s does not see this: it needs the right “%s” (%s) in Fachwerk.",
				h.Ref(model.KindUser, who.As).Name,
				label,
				right,
			)
		}
		return Refuse(
			NotAllowed,
			"This needs the right “%s” (%s) in Fachwerk over the whole organisation, which you do not hold.",
			label,
			right,
		)
	}
	return nil
}

// Acts refuses whoever would change something while looking at another day or through the eyes of others.
func (d *Desk) Acts(h *House, who Actor) error {
	if err := d.SignedIn(h, who); err != nil {
		return err
	}
	switch {
	case who.As != "":
		return Refuse(
			NotAllowed,
			"You are seeing this as %s. Go back to your own eyes to change anything.",
			h.Ref(model.KindUser, who.As).Name,
		)
	case !who.When.IsZero():
		return Refuse(NotAllowed, "You are looking at another day. Go back to now to change anything.")
	}
	return nil
}

// Enter gives the current house to someone who holds a right.
func (d *Desk) Enter(who Actor, right string) (*House, error) {
	h := d.Present()
	return h, d.Need(h, who, right)
}

// Sight is what somebody sees of the design: a house, with their draft laid on it, at an instant. A delegate's
// house is smaller.
type Sight struct {
	*House
	Present   *House // without the draft
	At        time.Time
	Whole     bool
	Authority *delegation.Authority // what a delegate may do; of somebody who sees the whole, nil
	Draft     *Drafted              // nil while another day or other eyes are looked through
	once      *sync.Map             // what is found out once for this one look; nil: each time
}

// Before is the same look without the draft.
func (s *Sight) Before() *Sight {
	if s.House == s.Present {
		return s
	}
	before := *s
	before.House, before.Draft, before.once = s.Present, nil, nil
	return &before
}

// Once gives what is found out of what is seen under a name, the first time that it is asked for in one look. Unlike
// with [Counted], nothing is kept beyond that, so that it may follow from uses and from how long ago something was.
func Once[T any](s *Sight, name string, find func() T) T {
	if s.once == nil {
		return find()
	}
	v, _ := s.once.LoadOrStore(name, sync.OnceValue(find))
	return v.(func() T)()
}

// See opens the design to somebody's eyes.
func (d *Desk) See(who Actor) (*Sight, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	s := &Sight{House: h, Present: h, At: d.Now(), Whole: d.May(h, who, model.ViewDesign), once: &sync.Map{}}
	if !who.When.IsZero() {
		s.At = who.When
		if s.At.Before(d.Now()) {
			past, err := d.Past.At(d, s.At)
			if err != nil {
				return nil, err
			}
			s.House, s.Present = past, past
		}
	} else if who.As == "" {
		p, err := d.look(h, who)
		if err != nil {
			return nil, err
		}
		s.Draft, s.House = p, p.Shown
	}
	if s.Whole {
		return s, nil
	}
	if s.Authority = delegation.Of(h.Ahead(), who.Eyes(), d.Now()); s.Authority.Empty() {
		return nil, d.Need(h, who, model.ViewDesign)
	}
	now := h.partFor(who.Eyes(), s.Authority, nil)
	switch {
	case s.House == h:
		s.House, s.Present = now, now
	case s.Present == h: // a draft lies on it
		s.House, s.Present = s.House.partFor(who.Eyes(), s.Authority, nil), now
	default:
		s.House = s.House.partFor(who.Eyes(), s.Authority, now)
		s.Present = s.House
	}
	return s, nil
}

// MayRevoke tells whether somebody may take an assignment away, by a right or by a delegation.
func (d *Desk) MayRevoke(s *Sight, who Actor, a *model.Assignment) bool {
	if s.Draft == nil {
		return false
	}
	if d.May(s.Present, who, model.EditAssignments) {
		return true
	}
	u, ok := s.Present.Design().Users.Find(a.Subject.User)
	return ok && s.Authority != nil &&
		s.Authority.Check(delegation.Act{Action: delegation.Revoke, User: u, Assignment: a}) == nil
}

// partFor gives what a delegate sees of a house by the authority that they have now: of a day that is past, nothing of
// people whom they do not see now.
func (h *House) partFor(user string, a *delegation.Authority, now *House) *House {
	key := []string{user}
	var within *model.Design
	if now != nil {
		within = now.Design()
		key = append(key, Itoa(now.Revision))
	}
	for _, g := range a.Delegations() {
		key = append(key, g.ID)
	}
	v, ok := h.parts.Load(strings.Join(key, " "))
	if !ok {
		v, _ = h.parts.LoadOrStore(
			strings.Join(key, " "),
			&House{Revision: h.Revision, At: h.At, Index: index.Compile(a.PartOf(h.Index, within)), Uses: h.Uses},
		)
	}
	return v.(*House)
}

// InSight is what an id can mean to somebody: the design as they see it now, without a draft. It is the one answer, in
// every room, to whether something that they name by its id is there.
func (d *Desk) InSight(h *House, who Actor) *model.Design {
	if d.May(h, who, model.ViewDesign) {
		return h.Design()
	}
	out := &model.Design{Organisation: h.Design().Organisation}
	if a := d.Authority(h, who); !a.Empty() {
		out = h.partFor(who.User, a, nil).Design()
	}
	return out
}

// Named gives what somebody has named by its id: with its name if they see it, and otherwise with the id alone, as if
// nothing had it.
func (d *Desk) Named(h *House, who Actor, kind model.Kind, id string) Ref {
	if id == who.User && kind == model.KindUser || d.InSight(h, who).Get(kind, id) != nil {
		return h.Ref(kind, id)
	}
	return Ref{Kind: string(kind), ID: id, Name: id}
}

// SeePerson opens the design to somebody who looks at one person. Everybody may look at themselves.
func (d *Desk) SeePerson(who Actor, user string) (*Sight, error) {
	s, err := d.See(who)
	if err == nil {
		return s, nil
	}
	h := d.Present()
	if who.When.IsZero() && who.Eyes() == user && h.Index.Live(user, d.Now()) && d.SignedIn(h, who) == nil {
		return &Sight{House: h, Present: h, At: d.Now()}, nil
	}
	return nil, err
}

// Looked is what somebody looks at: now, or another day.
func (d *Desk) Looked(who Actor) time.Time {
	if who.When.IsZero() {
		return d.Now()
	}
	return who.When
}

// Now is the desk's present instant.
func (d *Desk) Now() time.Time { return d.clock() }

// Instant reads what is looked at: an instant (RFC 3339), a day, which means its end, or nothing, which means now.
// Today is now too.
func (d *Desk) Instant(text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	if day, err := time.ParseInLocation(time.DateOnly, text, d.Zone()); err == nil {
		if text == d.Now().In(d.Zone()).Format(time.DateOnly) {
			return time.Time{}, nil
		}
		return day.AddDate(0, 0, 1).Add(-time.Second).UTC(), nil
	}
	t, err := model.ParseInstant(text)
	if err != nil {
		return time.Time{}, Refuse(Invalid, "Expected a day like 2026-01-31 to look at, not %q.", text)
	}
	return t.UTC(), nil
}

// pastHouses keeps the houses of past days that were looked at last.
type pastHouses struct {
	sync.Mutex
	list []*House
}

const pastKept = 4

// At gives the house as it was at an instant.
func (p *pastHouses) At(d *Desk, t time.Time) (*House, error) {
	if h := p.known(t); h != nil {
		return h, nil
	}
	n, err := d.Store.RevisionAt(t)
	if err != nil {
		return nil, err
	}
	if h := d.Present(); h.Revision == n {
		return h, nil
	}
	if n == 0 {
		return nil, Refuse(
			NotFound,
			"Nothing had been built yet on %s: the record begins later.",
			t.Format("2 January 2006"),
		)
	}
	p.Lock()
	defer p.Unlock()
	for _, h := range p.list {
		if h.Revision == n {
			return h, nil
		}
	}
	now := d.Present()
	design, n, err := d.Store.DesignAt(now.Design(), now.Revision, t)
	if err != nil {
		return nil, err
	}
	h := &House{Revision: n, Index: now.Index.Update(design), Uses: now.Uses}
	if r, err := d.Store.Revision(n); err == nil {
		h.At = r.At
	}
	if r, err := d.Store.Revision(n + 1); err == nil {
		h.until = r.At
	}
	if p.list = append(p.list, h); len(p.list) > pastKept {
		p.list = p.list[1:]
	}
	return h, nil
}

// known gives the house of an instant if it was looked at before.
func (p *pastHouses) known(t time.Time) *House {
	p.Lock()
	defer p.Unlock()
	for _, h := range p.list {
		if !t.Before(h.At) && t.Before(h.until) {
			return h
		}
	}
	return nil
}

// HasArea refuses an area that somebody does not see; empty is the whole organisation.
func (h *House) HasArea(id string) error {
	if id != "" && h.Design().Get(model.KindArea, id) == nil {
		return Refuse(NotFound, "There is no area %q.", id)
	}
	return nil
}

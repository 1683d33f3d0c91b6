// Package desk has one method for each thing that a person or a program does with Fachwerk. Who may do it, and what
// happens, is decided here and nowhere else; every door calls only this.
package desk

import (
	"cmp"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/code"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/store"
)

// Desk serves one organisation. Any number of goroutines may use it at once: readers take the current house and
// never wait, writers take turns.
type Desk struct {
	Store *store.Store
	Uses  *use.Book // when people last used what
	// usesRead is up to when uses that were kept have been read, in seconds since 1970.
	usesRead atomic.Int64
	clock    func() time.Time
	house    atomic.Pointer[House]
	Moved    moved
	Write    sync.Mutex
	laid     sync.Map // drafts as they were last laid, by user
	drafts   sync.Map // the locks under which they are altered, by user
	Past     pastHouses
	flood    flood
	// Touched names the open reviews that ask about something that a change touches.
	Touched func(ops []change.Op) ([]string, error)
	// DecidedAbout tells whether a revision carries out what a review decided about a person.
	DecidedAbout func(revision int, user string) (bool, error)
	// Watched is told of every event, also of those that the security log leaves out since there are too many.
	Watched func(e Event)
	// CarryOut gives what is kept and done along with a change that somebody applies, in the same transaction, and what
	// follows once it is acknowledged. Its error is why the change cannot be applied.
	CarryOut func(h *House, who Actor, what Carried) (along func(s *store.Store, revision int) error, then func(),
		err error)
	zone *time.Location // nil: UTC
	// held is why nothing is changed now; nil if it may be.
	held atomic.Pointer[string]
	// snapshot is the revision of the snapshot beside the database; 0 if there is none that counts.
	snapshot atomic.Int64
	// Outside is the address as it is seen from outside, without a slash at the end. It is set before anybody is served.
	Outside string
	// Outgrown gives what is kept along with a change that gives people more of Fachwerk who were sent links, which end.
	Outgrown func(h *House, who Actor, users []string) (along func(*store.Store) error)
	// Ended is told whose sessions have ended with a change.
	Ended func(users []string)

	// Catalogues is how often a version of a catalogue was kept to be adopted later, or discarded: what was found before
	// is of others.
	Catalogues atomic.Int64
}

// Carried is what a change brings with it that is no part of the design.
type Carried struct {
	Of      []Origin      // what its acts come of
	Invited []*model.User // people whom it adds as invited
	Deleted []string      // people whom it deletes
	// Critical says what is critical in it, and Why it is made.
	Critical []string
	Why      string
}

// House is one revision of the design, ready for questions.
type House struct {
	Revision int
	At       time.Time // when it was applied; zero if there is no revision yet
	until    time.Time // when the next one was applied, of a house of the past
	Index    *index.Index
	Uses     *use.Book // when people last used what, up to now

	tallies tallies
	kept    sync.Map // of names: what is kept of it
	follow  sync.Map // of names: what was counted of it person by person, or of a house before
	touched sync.Map // of indexes before: whom what differs touches
	listing sync.Mutex
	lists   map[model.Kind][]Entry
	earlier *earlierPeople
	parts   sync.Map // what delegates see of it, by user and delegations

	looking sync.Mutex
	ahead   *ahead.View
}

// Ahead looks ahead in the house's design.
func (h *House) Ahead() *ahead.View {
	h.looking.Lock()
	defer h.looking.Unlock()
	if h.ahead == nil {
		h.ahead = ahead.Of(h.Index)
	}
	return h.ahead
}

// Becoming is the house as it would be with another design, which has much in common with its own.
func (h *House) Becoming(design *model.Design) *House {
	x := h.Index.Update(design)
	return (&House{Revision: h.Revision, At: h.At, Index: x, Uses: h.Uses, ahead: h.Ahead().Next(x)}).inherit(h)
}

func (h *House) Design() *model.Design { return h.Index.Design() }

// Open makes a desk that serves what is in a store. now tells the time.
func Open(s *store.Store, now func() time.Time) (*Desk, error) {
	d := &Desk{Store: s, Uses: use.NewBook(), clock: func() time.Time { return now().UTC() }}
	if err := d.readUses(); err != nil {
		return d, err
	}
	return d, d.begin()
}

// SetZone says in which time zone the organisation is, before anybody is served.
func (d *Desk) SetZone(zone *time.Location) { d.zone, model.Zone = zone, zone }

// Zone is the organisation's time zone.
func (d *Desk) Zone() *time.Location {
	if d.zone == nil {
		return time.UTC
	}
	return d.zone
}

// Present is the current house.
func (d *Desk) Present() *House { return d.house.Load() }

// reload takes the store's current revision in, with all of the design.
func (d *Desk) reload() error {
	design, n, err := d.Store.Design()
	if err != nil {
		return err
	}
	return d.take(n, index.Compile(design))
}

// catchUp takes in what another process has applied, by what it changed. The writer's lock must be held.
func (d *Desk) catchUp() error {
	h := d.Present()
	edits, n, err := d.Store.Since(h.Revision, catchUpMost)
	switch {
	case err != nil:
		return err
	case n == h.Revision:
		return nil
	case edits == nil || n < h.Revision:
		return d.reload()
	}
	return d.take(n, h.Index.Update(h.Design().With(edits)))
}

// catchUpMost is how many objects may have changed before it is quicker to read all of the design.
const catchUpMost = 20_000

// take makes an index the current one, of a revision.
func (d *Desk) take(n int, x *index.Index) error {
	h := &House{Revision: n, Index: x, Uses: d.Uses}
	if n > 0 {
		r, err := d.Store.Revision(n)
		if err != nil {
			return err
		}
		h.At = r.At
	}
	if before := d.Present(); before != nil {
		h.inherit(before)
	}
	d.enterHouse(h)
	return nil
}

// enterHouse makes a house the current one, and tells those who wait for it.
func (d *Desk) enterHouse(h *House) {
	d.house.Store(h)
	d.laid.Clear() // all were laid on the house before
	d.Moved.tell()
}

// TakeOver makes a design the current one, of a revision that was applied elsewhere: a copy of a desk has no record
// of its own.
func (d *Desk) TakeOver(revision int, at time.Time, design *model.Design) {
	d.Write.Lock()
	defer d.Write.Unlock()
	before := d.Present()
	h := &House{Revision: revision, At: at, Uses: d.Uses}
	if before.Revision == 0 {
		h.Index = index.Compile(design)
	} else {
		h.Index = before.Index.Update(design)
	}
	d.enterHouse(h.inherit(before))
}

// Follow takes in what another process has applied to the same database, if anything.
func (d *Desk) Follow() error {
	if n, err := d.Store.Last(); err != nil || n == d.Present().Revision {
		return err // so that nobody waits for a look
	}
	d.Write.Lock()
	defer d.Write.Unlock()
	return d.catchUp()
}

// writingTries is how often a change is made anew since another process applied one first.
const writingTries = 500

// Writing has do commit a change on the present house, with the writer's lock held. Where another process applies a
// revision first, do is called again on the house that comes of it, so it must begin anew each time.
func (d *Desk) Writing(do func(h *House) error) error {
	d.Write.Lock()
	defer d.Write.Unlock()
	return Again(func() error { return do(d.Present()) })
}

// Again has do commit a change, and do it again as long as another process applies a revision first. The writer's lock
// must be held.
func Again(do func() error) (err error) {
	for range writingTries {
		if err = do(); !errors.Is(err, errMoved) {
			break
		}
	}
	return err
}

// Written is [Desk.Writing] for what gives something back.
func Written[T any](d *Desk, do func(h *House) (T, error)) (v T, err error) {
	err = d.Writing(func(h *House) error {
		v, err = do(h)
		return err
	})
	return v, err
}

// Cause tells why something was refused, as far as it matters to how one goes on.
type Cause = code.Code

// The causes of an [Error].
const (
	NotSignedIn = code.NotSignedIn
	NotAllowed  = code.NotAllowed
	NotFound    = code.NotFound
	Invalid     = code.Invalid
	Conflict    = code.Conflict
	Busy        = code.Busy     // it was tried too often, or too many ask at once
	Unproven    = code.Unproven // the password must be given again first
	Taken       = code.Taken    // a name or id that must be unique is another's
)

// Error is a refusal that the person who asked can understand and act on.
type Error struct {
	Cause    Cause
	Code     code.Code // says more exactly than the cause what is wrong; empty: the cause says it
	Message  string
	Problems []string // what is wrong, one by one, if there is more to say than the message
	Details  []Detail // the same with places, for programs
}

// Detail is one of several things that are wrong with what a program asked.
type Detail struct {
	Where   string // the place in what was asked, as acts[3].put.object.name; may be empty
	Code    code.Code
	Message string
	About   []Ref // the objects concerned
}

// Why gives the most exact code of the refusal.
func (e *Error) Why() code.Code { return cmp.Or(e.Code, e.Cause) }

func (e *Error) Error() string { return e.Message }

func Refuse(c Cause, format string, args ...any) *Error {
	return &Error{Cause: c, Message: fmt.Sprintf(format, args...)}
}

// Missing makes the store's "no such row" a refusal.
func Missing(err error, format string, args ...any) error {
	if errors.Is(err, store.ErrNotFound) {
		return Refuse(NotFound, format, args...)
	}
	return err
}

// ProblemsOf makes the problems of a change a refusal, in sentences.
func ProblemsOf(problems []model.Problem) *Error {
	e := Refuse(Invalid, "The change cannot be applied.")
	for _, p := range model.Errors(problems) {
		e.Problems = append(e.Problems, p.Message+" ("+p.Path+")")
	}
	return e
}

// moved lets programs wait for the next revision.
type moved struct {
	sync.Mutex
	next   chan struct{} // closed when there is one
	closed bool
}

func (m *moved) tell() {
	m.Lock()
	defer m.Unlock()
	if m.next != nil {
		close(m.next)
		m.next = nil
	}
}

// Wait gives a channel that is closed with the next revision; nil if the desk is closed.
func (m *moved) Wait() <-chan struct{} {
	m.Lock()
	defer m.Unlock()
	if m.closed {
		return nil
	}
	if m.next == nil {
		m.next = make(chan struct{})
	}
	return m.next
}

// Close lets go of whoever follows the revisions, and counts what was left out of the security log.
func (d *Desk) Close() {
	d.countLeftOut(d.Now().Add(time.Minute))
	d.Moved.Lock()
	d.Moved.closed = true
	d.Moved.Unlock()
	d.Moved.tell()
}

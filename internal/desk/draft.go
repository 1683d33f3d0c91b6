package desk

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// edit is one act of the person who drafts: what is taken out of a draft goes out edit by edit.
type edit struct {
	ID  string      `json:"id"`
	Ops []change.Op `json:"ops"`
	// Undoes is the revision that the edit undoes, or 0.
	Undoes int `json:"undoes,omitempty"`
	// Catalogue: it takes over a version of a catalogue, so what is supplied changes.
	Catalogue bool `json:"catalogue,omitempty"`
	Origin

	kept store.DraftEdit // as it lies in the store; without a hash if it does not yet
	by   Door            // of what lies in no draft: how it comes; otherwise what it is says so
}

// Origin is what an act comes of that is kept beside the draft, and settled once the act is applied.
type Origin struct {
	Run     string    `json:"run,omitempty"`     // what is kept of a worklist
	Request int       `json:"request,omitempty"` // something that somebody asked for
	Ends    time.Time `json:"ends,omitzero"`     // of a request: when what it gives ends
	Leaving string    `json:"leaving,omitempty"` // how somebody leaves
	Back    string    `json:"back,omitempty"`    // how somebody left who is brought back
}

// door is the way by which the edit changes the design.
func (e edit) door() Door {
	switch {
	case e.by != ByHand:
		return e.by
	case e.Undoes > 0:
		return ByUndo
	case e.Catalogue:
		return ByUpgrade
	}
	return ByHand
}

// impactShown bounds how many people a draft lists one by one, sentencesShown what is told of each act,
// reasonsShown the reasons against it.
const (
	ImpactShown    = 200
	sentencesShown = 30
	reasonsShown   = 50
)

// Drafted is a draft laid onto the current house: a checked change, with how it came to be.
type Drafted struct {
	*checked
	Edits     []edit        // as they were drafted
	laid      [][]change.Op // what became of each on this house
	meanwhile [][]Meanwhile // what was applied beneath each
	clashes   []string      // what others changed too, so that one of the two must be chosen
	// reviews are the names of open reviews that ask about something the draft changes.
	reviews  []string
	later    []laterGain
	clashing []laterClash
	key      string    // names exactly the edits and the revision that they were laid on
	stamp    string    // names exactly the edits and what they come to
	began    time.Time // when it was laid
	took     time.Duration
	Shown    *House        // the house as it would be; the present one if the draft cannot be applied
	sight    *model.Design // while it is altered: what the person sees, if that is not the whole
	base     *model.Design // what the next act starts from; nil: not yet made
	own      bool          // while it is altered: nobody else looks at it
}

// blocks gives what keeps the draft from being applied.
func (p *Drafted) blocks() []string { return append(slices.Clone(p.clashes), p.Of(Refuses)...) }

// fresh is how long a draft that was laid is shown again without weighing it anew: its impact depends on the time.
// A large one that takes long is not weighed all the time, but at most a part (one in freshShare) of it.
const (
	fresh      = 30 * time.Second
	freshShare = 40
)

// look lays a person's draft onto a house. Views ask many times for one draft, so what was laid is kept for a while.
func (d *Desk) look(h *House, who Actor) (*Drafted, error) {
	hash, err := d.Store.DraftHash(who.Drafts())
	if err != nil {
		return nil, err
	}
	key := keyOf(hash, h.Revision)
	if v, ok := d.laid.Load(who.Drafts()); ok {
		if p := v.(*Drafted); p.key == key && p.house == h && d.Now().Sub(p.began) < max(fresh, freshShare*p.took) {
			return p, nil
		}
	}
	edits, err := d.edits(who.Drafts())
	if err != nil {
		return nil, err
	}
	p, err := d.lay(h, Asker{Who: who}, edits)
	if err == nil {
		d.laid.Store(who.Drafts(), p)
	}
	return p, err
}

// edits gives the acts of a draft that is kept.
func (d *Desk) edits(draft string) ([]edit, error) {
	kept, err := d.Store.Draft(draft)
	if err != nil {
		return nil, err
	}
	edits := make([]edit, len(kept))
	for i, k := range kept {
		if err := json.Unmarshal(k.Value, &edits[i]); err != nil {
			return nil, fmt.Errorf("the draft of %s: %w", draft, err)
		}
		edits[i].kept = k
	}
	return edits, nil
}

// keyOf names exactly a draft, by its hash, on exactly a revision.
func keyOf(hash string, revision int) string { return hash + "-" + strconv.Itoa(revision) }

// lay lays the edits of a draft onto a house, and checks what becomes of them.
func (d *Desk) lay(h *House, by Asker, edits []edit) (*Drafted, error) {
	p := &Drafted{Edits: edits, began: d.Now()}
	pile := change.NewPile(h.Design())
	touched := map[[2]string]bool{}
	var acts []Act
	for _, e := range edits {
		ops, clashes := pile.Rebase(e.Ops)
		for _, c := range clashes {
			p.clashes = append(p.clashes, Upper(c.Message)+": keep yours, or take it out of the draft.")
		}
		beneath, err := d.beneath(h, e, clashes, touched)
		if err != nil {
			return nil, err
		}
		p.meanwhile = append(p.meanwhile, beneath)
		p.laid = append(p.laid, ops)
		acts = append(acts, Act{Door: e.door(), Ops: ops})
	}
	if err := by.Who.Stopped(); err != nil {
		return nil, err
	}
	p.checked = d.Check(h, by, acts...)
	if err := by.Who.Stopped(); err != nil { // before what takes longest
		return nil, err
	}
	p.base = p.After
	p.Shown = h
	if p.After != nil && len(p.Ops) > 0 {
		// Both sides look ahead, and so does who looks at it.
		p.Shown = (&House{Revision: h.Revision, At: h.At, Index: p.Index, Uses: h.Uses, ahead: p.ahead()}).inherit(h)
		sides := []func(){
			func() { p.Impact() }, // while one waits for it, not while it is looked at
			func() { p.later, p.clashing = p.checked.later(), p.laterClashes() },
		}
		fan.Out(len(sides), func(_, from, to int) {
			for _, side := range sides[from:to] {
				side()
			}
		})
	}
	var err error
	if d.Touched != nil {
		p.reviews, err = d.Touched(p.Ops)
	}
	hash := hashOf(edits)
	p.key, p.stamp = keyOf(hash, h.Revision), hash+"-"+p.digest()
	p.took = d.Now().Sub(p.began)
	return p, err
}

// hashOf names exactly the edits of a draft.
func hashOf(edits []edit) string {
	kept := make([]store.DraftEdit, len(edits))
	for i, e := range edits {
		kept[i] = e.kept
	}
	return store.HashOf(kept)
}

// beneath tells what others applied to the objects of an edit since it was drafted. Objects in touched are changed
// by an earlier edit of the same draft, which tells it.
func (d *Desk) beneath(h *House, e edit, clashes []change.Clash, touched map[[2]string]bool) ([]Meanwhile, error) {
	out := []Meanwhile{}
	for _, o := range e.Ops {
		key := [2]string{string(o.Kind), o.ID}
		if touched[key] {
			continue
		}
		touched[key] = true
		now := h.Design().Get(o.Kind, o.ID)
		if change.Equal(now, o.Before) {
			continue
		}
		m := Meanwhile{Object: h.Ref(o.Kind, o.ID), Clashes: []string{}}
		if o.After != nil && m.Object.Name == o.ID {
			m.Object.Name = o.After.Title()
		}
		m.Sentences = Sentences(
			change.Sentences(
				[]change.Op{{Kind: o.Kind, ID: o.ID, Before: o.Before, After: now}},
				change.NamesIn(h.Design()),
			),
		)
		for _, c := range clashes {
			if c.Kind == o.Kind && c.ID == o.ID {
				m.Clashes = append(m.Clashes, Upper(c.Message))
			}
		}
		r, err := d.Store.LastOn(o.Kind, o.ID, 0)
		switch {
		case err == nil:
			m.Revision, m.Who, m.At = r.Number, r.WhoName, &r.At
		case !errors.Is(err, store.ErrNotFound):
			return nil, err
		}
		out = append(out, m)
	}
	return out, nil
}

// gainsaid tells which operations change by hand what a directory feeds.
func gainsaid(ops []change.Op, after *model.Design) (out []said) {
	for _, o := range ops {
		var fields []string
		for _, f := range change.Fed(o, after) {
			fields = append(fields, model.FieldOf(o.Kind, f).Said)
		}
		if fields != nil {
			out = append(out, of(o.Kind, o.ID,
				Upper(change.Title(o))+" comes from a directory, and so does what was changed here ("+
					strings.Join(fields, ", ")+"). Change it there, or keep this by hand from now on."))
		}
	}
	return out
}

func Upper(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// Drafts names the draft that somebody works in: their own, or that of the program that acts for them.
func (who Actor) Drafts() string {
	if who.Token != "" {
		return who.User + " by " + who.Token // no id has a blank
	}
	return who.User
}

// discarded names what was discarded last of that draft, which can be restored.
func (who Actor) discarded() string { return "discarded\n" + who.Drafts() } // nothing else has such a name

// Forget drops somebody's draft, and what was discarded of it.
func (d *Desk) Forget(who Actor) error { return forget(d.Store, who) }

func forget(s *store.Store, who Actor) error {
	return errors.Join(s.DropDraft(who.Drafts()), s.DropDraft(who.discarded()))
}

// drafting gives the lock under which a draft is altered. Nobody else waits for it.
func (d *Desk) drafting(draft string) *sync.Mutex {
	lock, _ := d.drafts.LoadOrStore(draft, &sync.Mutex{})
	return lock.(*sync.Mutex)
}

// Alter makes one more step in a person's draft and gives the draft that results. A step that is not the person's
// to make leaves the draft as it was.
func (d *Desk) Alter(who Actor, step func(h *House, p *Drafted) error) (*Draft, error) {
	lock := d.drafting(who.Drafts())
	lock.Lock()
	defer lock.Unlock()
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return nil, err
	}
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	before, err := d.look(h, who)
	if err != nil {
		return nil, err
	}
	own := *before // what is kept is looked at by others meanwhile
	own.own = true
	if !s.Whole {
		own.sight = s.Design()
	}
	ops := *before.checked
	own.checked = &ops
	own.Edits, own.laid, own.Ops = slices.Clone(before.Edits), slices.Clone(before.laid), slices.Clip(before.Ops)
	if err := step(h, &own); err != nil {
		return nil, err
	}
	for i, e := range own.Edits {
		if e.kept.Hash != "" {
			continue
		}
		value, err := json.Marshal(e)
		if err != nil {
			return nil, err
		}
		own.Edits[i].kept = store.NewDraftEdit(value)
	}
	p, err := d.lay(h, Asker{Who: who}, own.Edits)
	if err != nil {
		return nil, err
	}
	old := map[string]bool{}
	for _, e := range before.Edits {
		old[e.ID] = true
	}
	for i, e := range p.Edits {
		if refused := p.refusedOf(i); !old[e.ID] && len(refused) > 0 {
			return nil, &Error{Cause: NotAllowed, Code: p.codeOf(i), Message: refused[0], Problems: firstOf(refused)}
		}
	}
	if faults := p.Of(Refuses, WellFormed); before.After != nil && len(faults) > 0 {
		return nil, &Error{Cause: Invalid, Message: faults[0], Problems: firstOf(faults[1:])}
	}
	kept := make([]store.DraftEdit, len(p.Edits))
	for i, e := range p.Edits {
		kept[i] = e.kept
	}
	if err := d.Store.SaveDraft(who.Drafts(), kept); err != nil {
		return nil, err
	}
	d.laid.Store(who.Drafts(), p)
	return d.Draft(who)
}

// Add puts an act into a draft, before it is laid anew. An act that brings its one object back to what it is leaves
// nothing behind, also where it was one of several assignments of an act.
func (p *Drafted) Add(undoes int, ops ...change.Op) {
	p.Edits = append(p.Edits, edit{ID: strings.ToLower(rand.Text()[:8]), Ops: ops, Undoes: undoes})
	p.laid = append(p.laid, ops)
	p.Ops, p.base = append(p.Ops, ops...), nil
	if len(ops) != 1 {
		return
	}
	is := func(o change.Op) bool { return o.Kind == ops[0].Kind && o.ID == ops[0].ID }
	var all []change.Op
	var ofThis []int // the acts that are of this object
	for i, laid := range p.laid {
		for _, x := range laid {
			if is(x) {
				if len(laid) > 1 && slices.ContainsFunc(laid, func(o change.Op) bool { return o.Kind != model.KindAssignment }) {
					return // that act is of others too, which may hang on this one
				}
				all = append(all, x)
				ofThis = append(ofThis, i)
			}
		}
	}
	if len(all) < 2 || len(change.Compact(all)) > 0 {
		return
	}
	for _, i := range slices.Backward(ofThis) {
		if len(p.laid[i]) == 1 {
			p.Edits, p.laid = slices.Delete(p.Edits, i, i+1), slices.Delete(p.laid, i, i+1)
			continue
		}
		p.laid[i] = slices.DeleteFunc(slices.Clone(p.laid[i]), is)
		p.Edits[i].Ops = slices.DeleteFunc(slices.Clone(p.Edits[i].Ops), is)
		p.Edits[i].kept = store.DraftEdit{}
	}
}

// AddOf puts into a draft what something comes to that is kept beside it, as one act.
func (p *Drafted) AddOf(of Origin, ops ...change.Op) {
	p.Edits = append(p.Edits, edit{ID: strings.ToLower(rand.Text()[:8]), Ops: ops, Origin: of})
	p.laid = append(p.laid, ops)
	p.Ops, p.base = append(p.Ops, ops...), nil
}

// With checks what would come of a draft with one more act by hand, without keeping it.
func (d *Desk) With(p *Drafted, who Actor, ops []change.Op) *checked {
	var acts []Act
	for i, e := range p.Edits {
		acts = append(acts, Act{Door: e.door(), Ops: p.laid[i]})
	}
	return d.Check(p.house, Asker{Who: who}, append(acts, Act{Door: ByHand, Ops: ops})...)
}

// Base is the design that the next act in a draft starts from.
func (p *Drafted) Base() *model.Design {
	if p.base != nil {
		return p.base
	}
	laid := change.Lay(p.house.Design(), p.Ops)
	if p.own {
		p.base = laid
	}
	return laid
}

// Seen is what the person who drafts sees of the design, with the draft made: what they name is looked for there, so
// that nothing out of their sight is told from what does not exist.
func (p *Drafted) Seen() *model.Design {
	if p.sight != nil {
		return p.sight
	}
	return p.Base()
}

// Key names exactly the acts of the draft and the revision that they are laid on.
func (p *Drafted) Key() string { return p.key }

// Partial tells that the person who drafts sees only a part of the design.
func (p *Drafted) Partial() bool { return p.sight != nil }

// TakeOut takes one act out of a draft; later ones are laid anew.
func (d *Desk) TakeOut(who Actor, id string) (*Draft, error) {
	return d.Alter(who, func(_ *House, p *Drafted) error {
		i := slices.IndexFunc(p.Edits, func(e edit) bool { return e.ID == id })
		if i < 0 {
			return Refuse(NotFound, "This is not in your draft any longer.")
		}
		p.Edits = slices.Delete(p.Edits, i, i+1)
		return nil
	})
}

// KeepMine settles what others applied beneath an act of the draft: the act is drafted anew on what is there now,
// and where both changed the same, the person's own value stands.
func (d *Desk) KeepMine(who Actor, id string) (*Draft, error) {
	return d.Alter(who, func(_ *House, p *Drafted) error {
		i := slices.IndexFunc(p.Edits, func(e edit) bool { return e.ID == id })
		if i < 0 {
			return Refuse(NotFound, "This is not in your draft any longer.")
		}
		p.Edits[i].Ops, p.Edits[i].kept = p.laid[i], store.DraftEdit{}
		return nil
	})
}

// Discard empties a draft. What was in it can be restored until more is discarded, or something is applied.
func (d *Desk) Discard(who Actor) (*Draft, error) {
	return d.Alter(who, func(_ *House, p *Drafted) error {
		if len(p.Edits) == 0 {
			return nil
		}
		kept := make([]store.DraftEdit, len(p.Edits))
		for i, e := range p.Edits {
			kept[i] = e.kept
		}
		p.Edits = nil
		return d.Store.SaveDraft(who.discarded(), kept)
	})
}

// Restore puts what was discarded last behind what is in the draft now. It is permitted, or refused, as if it were
// drafted now; what is refused can still be restored later.
func (d *Desk) Restore(who Actor) (*Draft, error) {
	_, err := d.Alter(who, func(_ *House, p *Drafted) error {
		edits, err := d.edits(who.discarded())
		if err != nil {
			return err
		}
		if len(edits) == 0 {
			return Refuse(NotFound, "Nothing that was discarded can be restored.")
		}
		p.Edits = append(p.Edits, edits...)
		return nil
	})
	if err != nil {
		return nil, err
	}
	if err := d.Store.DropDraft(who.discarded()); err != nil {
		return nil, err
	}
	return d.Draft(who)
}

// DraftUndo puts the inverse of a revision into the draft. It is refused if something later touched the same
// objects (docs/semantics.md, §10).
func (d *Desk) DraftUndo(who Actor, revision int) (*Draft, error) {
	return d.Alter(who, func(h *House, p *Drafted) error {
		r, err := d.Store.Revision(revision)
		if err != nil {
			return Missing(err, "There is no revision %d.", revision)
		}
		whole := d.May(h, who, model.ViewHistory)
		if !whole && r.Who != who.User { // who does not see the record sees what they did themselves
			return Refuse(NotFound, "There is no revision %d.", revision)
		}
		if d.DecidedAbout != nil {
			about, err := d.DecidedAbout(revision, who.User)
			if err != nil {
				return err
			}
			if about {
				return Refuse(NotAllowed, "Revision %d carries out what a review decided about you: nobody undoes that themselves.",
					revision)
			}
		}
		later, err := d.Store.LaterOn(revision)
		if err != nil {
			return err
		}
		if len(later) > 0 {
			e := Refuse(
				Conflict,
				"Revision %d cannot be undone: later revisions touched the same things. Undo these first.",
				revision,
			)
			for _, t := range later {
				if !whole {
					break
				}
				name := h.Ref(t.Kind, t.ObjectID).Name
				e.Problems = append(
					e.Problems,
					"Revision "+Itoa(t.Revision)+" changed the "+t.Kind.Word()+" “"+name+"” after it.",
				)
			}
			return e
		}
		if slices.ContainsFunc(p.Edits, func(e edit) bool { return e.Undoes == r.Number }) {
			return Refuse(Conflict, "The undo of revision %d is already in your draft.", revision)
		}
		ops, err := d.Store.Change(revision, 0)
		if err != nil {
			return err
		}
		p.Add(r.Number, change.Invert(ops)...)
		return nil
	})
}

// Applied tells of a change that was applied.
type Applied struct {
	Revision int      `json:"revision"`
	Gaining  int      `json:"gaining"`
	Losing   int      `json:"losing"`
	Runs     []string `json:"runs" doc:"What is kept of worklists that were in the draft, by id"`
}

// Apply applies a draft, whole or not at all, for a reason. The stamp must be that of the draft as it was looked at:
// what others applied since then stands against it only where it changes what the draft does or comes to.
func (d *Desk) Apply(who Actor, reason, stamp string) (*Applied, error) {
	lock := d.drafting(who.Drafts())
	lock.Lock()
	defer lock.Unlock()
	// What takes long is done, and mostly has been, before everybody else has to wait.
	if h := d.Present(); d.Acts(h, who) == nil {
		if _, err := d.look(h, who); err != nil {
			return nil, err
		}
	}
	return Written(d, func(h *House) (*Applied, error) { return d.apply(h, who, reason, stamp) })
}

// invited gives the people whom a change adds as invited.
func (c *checked) invited() (out []*model.User) {
	for _, o := range c.Ops {
		if u, is := o.After.(*model.User); is && o.Before == nil && u.State == model.UserInvited {
			out = append(out, u)
		}
	}
	return out
}

// deleted gives the people whom a change deletes.
func (c *checked) deleted() (out []string) {
	for _, o := range c.Ops {
		was, there := o.Before.(*model.User)
		is, stays := o.After.(*model.User)
		if there && was.State != model.UserDeleted && (!stays || is.State == model.UserDeleted) {
			out = append(out, o.ID)
		}
	}
	return out
}

// apply is [Desk.Apply] on a house, with the locks held.
func (d *Desk) apply(h *House, who Actor, reason, stamp string) (*Applied, error) {
	if err := d.Acts(h, who); err != nil {
		return nil, err
	}
	p, err := d.look(h, who)
	if err != nil {
		return nil, err
	}
	c := *p.checked // what is kept was judged when it was laid
	c.Who = who
	c.judge(d)
	reason = strings.TrimSpace(reason)
	switch {
	case len(c.Ops) == 0:
		return nil, Refuse(Invalid, "There is nothing in the draft to apply.")
	case stamp != p.stamp:
		return nil, Refuse(
			Conflict,
			"The draft, or what it comes to, has changed since you looked. Look at the impact again, then apply.",
		)
	case len(p.clashes)+len(c.Of(Refuses)) > 0:
		return nil, &Error{
			Cause:    Invalid,
			Message:  "The draft cannot be applied yet.",
			Problems: firstOf(append(slices.Clone(p.clashes), c.Of(Refuses)...)),
		}
	case reason == "":
		return nil, Refuse(Invalid, "Give a reason: whoever reads the history will want to know why.")
	}
	e := Note{Why: reason}
	if len(p.Edits) == 1 {
		e.undoes = p.Edits[0].Undoes
	}
	return d.commitDraft(h, &c, p.Edits, e, func(s *store.Store, _ int) error {
		return forget(s, who)
	})
}

// commitDraft applies acts that were checked, with what they come of, and keeps something more in the same transaction.
func (d *Desk) commitDraft(
	h *House,
	c *checked,
	edits []edit,
	note Note,
	keep func(s *store.Store, revision int) error,
) (*Applied, error) {
	what := Carried{Invited: c.invited(), Deleted: c.deleted(), Critical: c.Of(proves), Why: note.Why}
	runs := []string{}
	for _, e := range edits {
		if e.Origin != (Origin{}) {
			what.Of = append(what.Of, e.Origin)
		}
		if e.Run != "" {
			runs = append(runs, e.Run)
		}
	}
	note.Along = keep
	then := func() {}
	if d.CarryOut != nil && len(what.Of)+len(what.Invited)+len(what.Deleted)+len(what.Critical) > 0 {
		carry, after, err := d.CarryOut(h, c.Who, what)
		if err != nil {
			return nil, err
		}
		then = after
		note.Along = func(s *store.Store, revision int) error {
			if err := carry(s, revision); err != nil {
				return err
			}
			return keep(s, revision)
		}
	}
	next, err := d.Commit(c, "", note)
	if err != nil {
		return nil, err
	}
	then()
	return &Applied{next.Revision, c.Impact().Gaining, c.Impact().Losing, runs}, nil
}

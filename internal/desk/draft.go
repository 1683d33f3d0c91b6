package desk

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// edit is one act of the person who drafts: what is taken out of a draft goes out edit by edit.
type edit struct {
	ID  string      `json:"id"`
	Ops []change.Op `json:"ops"`
	// Undoes is the revision that the edit undoes, or 0.
	Undoes int `json:"undoes,omitempty"`
}

// DraftEdit is one act in a draft, in sentences.
type DraftEdit struct {
	ID        string   `json:"id"`
	Sentences [][]Part `json:"sentences"`
	Undoes    int      `json:"undoes,omitempty"`
}

// PersonImpact is what a draft gives one person and takes away.
type PersonImpact struct {
	User   Ref       `json:"user"`
	Gains  []Holding `json:"gains"`
	Losses []Holding `json:"losses"`
}

// Draft is a person's unapplied changes with their impact.
type Draft struct {
	Edits     []DraftEdit    `json:"edits"`
	Gaining   int            `json:"gaining" doc:"How many people gain something"`
	Losing    int            `json:"losing" doc:"How many people lose something"`
	People    []PersonImpact `json:"people" doc:"Those who gain or lose most, at most 200"`
	Conflicts []Clash        `json:"conflicts" doc:"Conflicts that people come to break, and that they no longer break; at most 200"`
	Licences  []Short        `json:"licences" doc:"Licences that the draft leaves short"`
	Touches   []Ref          `json:"touches" doc:"Delegations that mention something the draft changes"`
	Reviews   []string       `json:"reviews" doc:"Open reviews that ask about something the draft changes"`
	Blocks    []string       `json:"blocks" doc:"What keeps the draft from being applied"`
	Revision  int            `json:"revision" doc:"The revision that the impact is compared with"`
	Stamp     string         `json:"stamp" doc:"Names exactly this draft on this revision; give it back to apply"`
}

// Clash is a conflict that a person comes to break, or no longer breaks.
type Clash struct {
	User     Ref      `json:"user"`
	Conflict Ref      `json:"conflict"`
	Items    []string `json:"items" doc:"What meets in one hand"`
	Cleared  bool     `json:"cleared"`
	Excepted bool     `json:"excepted" doc:"An exception lets this person, until a date"`
}

// Short is a licence of which more seats are taken than there are, or that people lack.
type Short struct {
	Licence Ref   `json:"licence"`
	Seats   *int  `json:"seats,omitempty"`
	Used    int   `json:"used"`
	Waiting []Ref `json:"waiting" doc:"People who gain less than they are given, since they lack it; at most 200"`
	Lacking int   `json:"lacking" doc:"How many these are"`
}

// impactShown bounds how many people a draft lists one by one.
const impactShown = 200

// drafted is a draft laid onto the current house.
type drafted struct {
	house  *house
	edits  []edit        // as they were drafted
	laid   [][]change.Op // what became of each on this house
	ops    []change.Op
	blocks []string
	after  *model.Design // nil if the change is not well-formed
	index  *index.Index  // of after
	impact *change.Impact
	// reviews are the names of open reviews that ask about something the draft changes.
	reviews []string
	stamp   string
	at      time.Time // when it was laid
	shown   *house    // the house as it would be; the present one if the draft cannot be applied
}

// fresh is how long a draft that was laid is shown again without weighing it anew: its impact depends on the time.
const fresh = 30 * time.Second

// look lays a person's draft onto a house to show it. Views ask many times for one draft, so what was laid is kept for a while.
func (d *Desk) look(h *house, who Actor) (*drafted, error) {
	kept, err := d.store.Draft(who.User)
	if err != nil {
		return nil, err
	}
	stamp := stampOf(kept.Edits, h.revision)
	if v, ok := d.laid.Load(who.User); ok {
		if p := v.(*drafted); p.stamp == stamp && p.house == h && d.now().Sub(p.at) < fresh {
			return p, nil
		}
	}
	p, err := d.layEdits(h, who, kept.Edits)
	if err == nil {
		d.laid.Store(who.User, p)
	}
	return p, err
}

// stampOf names exactly some edits on exactly a revision.
func stampOf(edits []byte, revision int) string {
	sum := sha256.Sum256(append(slices.Clip(edits), strconv.Itoa(revision)...))
	return hex.EncodeToString(sum[:8])
}

// lay reads a person's draft and lays it onto a house, to alter or apply it.
func (d *Desk) lay(h *house, who Actor) (*drafted, error) {
	kept, err := d.store.Draft(who.User)
	if err != nil {
		return nil, err
	}
	return d.layEdits(h, who, kept.Edits)
}

func (d *Desk) layEdits(h *house, who Actor, kept []byte) (p *drafted, err error) {
	p = &drafted{house: h, at: d.now(), stamp: stampOf(kept, h.revision)}
	if len(kept) > 0 {
		if err := json.Unmarshal(kept, &p.edits); err != nil {
			return nil, err
		}
	}
	now := h.design()
	for _, e := range p.edits {
		ops, clashes := change.Rebase(now, e.Ops)
		for _, c := range clashes {
			p.blocks = append(p.blocks, upper(c.Message)+": take this out of the draft, look again, and draft it anew.")
		}
		p.laid = append(p.laid, ops)
		p.ops = append(p.ops, ops...)
		now = change.Lay(now, ops)
	}
	p.ops = change.Compact(p.ops)
	if len(p.ops) == 0 {
		p.after, p.index, p.impact, p.shown = h.design(), h.index, &change.Impact{}, h
		return p, nil
	}
	p.blocks = append(p.blocks, d.refusals(h, who, p.ops)...)
	if p.reviews, err = d.reviewsTouched(p.ops); err != nil {
		return nil, err
	}
	after, problems := change.Apply(h.design(), p.ops)
	for _, x := range model.Errors(problems) {
		p.blocks = append(p.blocks, upper(x.Message)+".")
	}
	if after == nil {
		p.impact, p.shown = &change.Impact{}, h
		return p, nil
	}
	p.after, p.index = after, index.Compile(after)
	p.shown = &house{revision: h.revision, at: h.at, index: p.index}
	p.impact = change.Weigh(h.index, p.index, p.ops, d.now())
	p.blocks = append(p.blocks, d.forbidden(h, who, p.impact)...)
	return p, nil
}

func upper(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// refusals tells which operations a person may not make.
func (d *Desk) refusals(h *house, who Actor, ops []change.Op) (out []string) {
	told := map[string]bool{}
	for _, o := range ops {
		right := model.RightToEdit(o.Kind)
		if err := d.need(h, who, right); err != nil && !told[right] {
			told[right] = true
			out = append(out, upper(change.Title(o))+": "+err.Error())
		}
	}
	for _, p := range change.EditSupplied(ops) {
		out = append(out, upper(p.Message)+".")
	}
	return out
}

// forbidden tells what no change may do, whoever makes it: lock everybody out, or hand on rights in Fachwerk that its maker does not hold.
func (d *Desk) forbidden(h *house, who Actor, impact *change.Impact) (out []string) {
	if impact.Lockout {
		out = append(out, "This would take away the last live person who holds every right in Fachwerk. Make somebody else an owner first.")
	}
	for _, p := range impact.People {
		for _, g := range p.Gains {
			if strings.HasPrefix(g.Permission, model.OwnSystem+":") && !d.may(h, who, g.Permission) {
				out = append(out, h.ref(model.KindUser, p.User).Name+" would gain "+g.Permission+", which you do not hold yourself, so you cannot hand it on.")
			}
		}
	}
	return out
}

// view makes a draft what the sill shows.
func (p *drafted) view() *Draft {
	v := &Draft{Edits: []DraftEdit{}, People: []PersonImpact{}, Conflicts: []Clash{}, Licences: []Short{}, Touches: []Ref{}, Reviews: []string{}, Blocks: p.blocks, Revision: p.house.revision, Stamp: p.stamp, Gaining: p.impact.Gaining, Losing: p.impact.Losing}
	if v.Blocks == nil {
		v.Blocks = []string{}
	}
	shown := p.shown
	names := change.NamesIn(shown.design(), p.house.design())
	for i, e := range p.edits {
		v.Edits = append(v.Edits, DraftEdit{e.ID, sentences(change.Sentences(p.laid[i], names)), e.Undoes})
	}
	p.sideEffects(v, shown)
	people := slices.Clone(p.impact.People)
	slices.SortStableFunc(people, func(a, b change.PersonImpact) int {
		return len(b.Gains) + len(b.Losses) - len(a.Gains) - len(a.Losses)
	})
	for _, i := range people[:min(len(people), impactShown)] {
		name := shown.ref(model.KindUser, i.User)
		if name.Name == name.ID {
			name = p.house.ref(model.KindUser, i.User)
		}
		v.People = append(v.People, PersonImpact{name, shown.holdings(i.Gains), p.house.holdings(i.Losses)})
	}
	return v
}

// sideEffects adds what a draft does beside giving and taking permissions.
func (p *drafted) sideEffects(v *Draft, shown *house) {
	for _, c := range p.impact.Conflicts[:min(len(p.impact.Conflicts), impactShown)] {
		in := shown
		if c.Cleared {
			in = p.house
		}
		clash := Clash{User: in.ref(model.KindUser, c.User), Conflict: in.ref(model.KindConflict, c.Conflict), Items: []string{}, Cleared: c.Cleared, Excepted: c.Excepted}
		for _, i := range c.Items {
			if i.Role != "" {
				clash.Items = append(clash.Items, in.ref(model.KindRole, i.Role).Name)
			} else {
				clash.Items = append(clash.Items, i.Permission)
			}
		}
		v.Conflicts = append(v.Conflicts, clash)
	}
	for _, l := range p.impact.Licences {
		short := Short{Licence: shown.ref(model.KindLicence, l.Licence), Seats: l.Seats, Used: l.Used, Waiting: []Ref{}, Lacking: len(l.Waiting)}
		for _, u := range l.Waiting[:min(len(l.Waiting), impactShown)] {
			short.Waiting = append(short.Waiting, shown.ref(model.KindUser, u))
		}
		v.Licences = append(v.Licences, short)
	}
	for _, id := range p.impact.Delegations {
		v.Touches = append(v.Touches, shown.ref(model.KindDelegation, id))
	}
	v.Reviews = append(v.Reviews, p.reviews...)
}

// Draft gives a person's draft.
func (d *Desk) Draft(who Actor) (*Draft, error) {
	h, err := d.enter(who, model.ViewDesign)
	if err != nil {
		return nil, err
	}
	p, err := d.look(h, who)
	if err != nil {
		return nil, err
	}
	return p.view(), nil
}

// alter makes one more step in a person's draft and gives the draft that results.
func (d *Desk) alter(who Actor, step func(h *house, p *drafted) error) (*Draft, error) {
	d.write.Lock()
	defer d.write.Unlock()
	h, err := d.enter(who, model.ViewDesign)
	if err != nil {
		return nil, err
	}
	p, err := d.lay(h, who)
	if err != nil {
		return nil, err
	}
	if err := step(h, p); err != nil {
		return nil, err
	}
	data, err := json.Marshal(p.edits)
	if err != nil {
		return nil, err
	}
	if err := d.store.SaveDraft(store.Draft{User: who.User, Edits: data, Updated: d.now()}); err != nil {
		return nil, err
	}
	if p, err = d.look(h, who); err != nil {
		return nil, err
	}
	return p.view(), nil
}

// add puts an act into a draft. An act that brings an object back to what it is leaves nothing behind.
func (d *Desk) add(h *house, who Actor, p *drafted, undoes int, ops ...change.Op) error {
	if refused := d.refusals(h, who, ops); len(refused) > 0 {
		return &Error{Cause: NotAllowed, Message: refused[0], Problems: refused}
	}
	p.edits = append(p.edits, edit{ID: strings.ToLower(rand.Text()[:8]), Ops: ops, Undoes: undoes})
	p.laid = append(p.laid, ops)
	for _, o := range ops {
		var all []change.Op
		alone := true // whether every edit of this object is of this object only
		ofThis := map[string]bool{}
		for i, laid := range p.laid {
			for _, x := range laid {
				if x.Kind == o.Kind && x.ID == o.ID {
					all = append(all, x)
					alone = alone && len(laid) == 1
					ofThis[p.edits[i].ID] = true
				}
			}
		}
		if alone && len(all) > 1 && len(change.Compact(all)) == 0 {
			p.laid = slices.Collect(func(yield func([]change.Op) bool) {
				for i, laid := range p.laid {
					if !ofThis[p.edits[i].ID] && !yield(laid) {
						return
					}
				}
			})
			p.edits = slices.DeleteFunc(p.edits, func(e edit) bool { return ofThis[e.ID] })
		}
	}
	return nil
}

// base is the design that the next act in a draft starts from.
func (p *drafted) base() *model.Design { return change.Lay(p.house.design(), p.ops) }

// TakeOut takes one act out of a draft; later ones are laid anew.
func (d *Desk) TakeOut(who Actor, id string) (*Draft, error) {
	return d.alter(who, func(_ *house, p *drafted) error {
		i := slices.IndexFunc(p.edits, func(e edit) bool { return e.ID == id })
		if i < 0 {
			return refuse(NotFound, "This is not in your draft any longer.")
		}
		p.edits = slices.Delete(p.edits, i, i+1)
		return nil
	})
}

// Discard empties a draft.
func (d *Desk) Discard(who Actor) (*Draft, error) {
	return d.alter(who, func(_ *house, p *drafted) error {
		p.edits = nil
		return nil
	})
}

// DraftUndo puts the inverse of a revision into the draft. It is refused if something later touched the same objects (docs/semantics.md, §10).
func (d *Desk) DraftUndo(who Actor, revision int) (*Draft, error) {
	return d.alter(who, func(h *house, p *drafted) error {
		r, err := d.store.Revision(revision)
		if err != nil {
			return missing(err, "There is no revision %d.", revision)
		}
		later, err := d.store.LaterOn(revision)
		if err != nil {
			return err
		}
		if len(later) > 0 {
			e := refuse(Conflict, "Revision %d cannot be undone: later revisions touched the same things. Undo these first.", revision)
			for _, t := range later {
				name := h.ref(t.Kind, t.ObjectID).Name
				e.Problems = append(e.Problems, "Revision "+itoa(t.Revision)+" changed the "+t.Kind.Word()+" “"+name+"” after it.")
			}
			return e
		}
		if slices.ContainsFunc(p.edits, func(e edit) bool { return e.Undoes == r.Number }) {
			return refuse(Conflict, "The undo of revision %d is in your draft already.", revision)
		}
		ops, err := d.store.Change(revision, 0)
		if err != nil {
			return err
		}
		return d.add(h, who, p, r.Number, change.Invert(ops)...)
	})
}

// Applied tells of a change that was applied.
type Applied struct {
	Revision int `json:"revision"`
	Gaining  int `json:"gaining"`
	Losing   int `json:"losing"`
}

// Apply applies a draft, whole or not at all, for a reason. The stamp must be that of the draft as it was looked at.
func (d *Desk) Apply(who Actor, reason, stamp string) (*Applied, error) {
	d.write.Lock()
	defer d.write.Unlock()
	h, err := d.enter(who, model.ViewDesign)
	if err != nil {
		return nil, err
	}
	p, err := d.lay(h, who)
	if err != nil {
		return nil, err
	}
	switch {
	case len(p.ops) == 0:
		return nil, refuse(Invalid, "There is nothing in the draft to apply.")
	case stamp != p.stamp:
		return nil, refuse(Conflict, "The draft or the design has changed since you looked. Look at the impact again, then apply.")
	case len(p.blocks) > 0:
		return nil, &Error{Cause: Invalid, Message: "The draft cannot be applied yet.", Problems: p.blocks}
	case strings.TrimSpace(reason) == "":
		return nil, refuse(Invalid, "Give a reason: whoever reads the history will want to know why.")
	}
	undoes := 0
	if len(p.edits) == 1 {
		undoes = p.edits[0].Undoes
	}
	next, err := d.apply(h, p.after, p.ops, applied{who: who, why: strings.TrimSpace(reason), undoes: undoes, along: func(s *store.Store, _ int) error {
		return s.DropDraft(who.User)
	}})
	if err != nil {
		return nil, err
	}
	return &Applied{next.revision, p.impact.Gaining, p.impact.Losing}, nil
}

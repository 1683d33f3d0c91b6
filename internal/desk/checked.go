package desk

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/code"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// Door is the way by which a change comes.
type Door int

// The doors. What each does about the verdicts on a change, [stances] says.
const (
	ByHand        Door = iota // an act of a draft
	ByUndo                    // an act of a draft that undoes a revision
	ByUpgrade                 // an act of a draft that takes a version of a catalogue over
	ByReview                  // the outcome of a review that is closed
	ByTask                    // what the owner of a group chose for something that a review revoked
	ByInvitation              // somebody accepts an invitation
	ByOperator                // the command line
	ByReplacement             // a model file in place of the whole design
	ByLoading                 // a model file into an empty database, or in place of the whole design whatever that breaks
	ByDirectory               // requests of directories
	ByProvider                // somebody whom an identity provider vouches for is added
	ByAccount                 // the invented past of the demo organisation
	ByEnding                  // what was given for a time ends
)

// Concern is something that is asked of every change; a verdict on it has its code.
type Concern = code.Code

// The concerns, and what a verdict on each says.
const (
	WellFormed = code.NotFormed // the design would not be well-formed (docs/semantics.md, §10)
	Permitted  = code.Permitted // neither a right nor a delegation lets the actor do it (§9)
	Supplied   = code.Supplied  // it edits what comes with a system, or is protected (§2)
	Fed        = code.Fed       // it gainsays a directory
	Deleted    = code.Deleted   // somebody who is deleted is given something
	Alike      = code.Taken     // a user name looks like somebody else's
	Lockout    = code.Lockout   // nobody would hold every right in Fachwerk any longer (§9)
	Guaranteed = code.Unkept    // it breaks a guarantee, or makes worse how one is broken (§12)
	HandedOn   = code.HandedOn  // it hands on rights in Fachwerk that the actor does not hold
	Above      = code.Above     // it touches the account of somebody with such rights (§9, rule 6)
	Entrusted  = code.Entrusted // it lets a directory fill a group that gives such rights, or a delegation (§10)
	Critical   = code.Critical  // it gives grave rights in Fachwerk, deletes people, delegates or changes a sign-in (§10)
)

// stance is what a door does about a verdict.
type stance int

const (
	Refuses stance = iota // the change is not applied
	proves                // it is applied once the actor has proven who they are
	carries               // it is applied all the same
)

// stances says what each door does about verdicts; a door refuses whatever is not named for it. So a door that is
// added and forgotten here is shut.
var stances = map[Door]map[Concern]stance{
	ByHand: {Critical: proves},
	ByUndo: {
		Critical: proves,
		Supplied: carries,
		Fed:      carries,
		Deleted:  carries,
		Alike:    carries,
	}, // what was can come back, until the directory says otherwise
	ByUpgrade: {Critical: proves, Supplied: carries},
	ByReview:  {Critical: proves},
	ByTask:    {Critical: proves},
	// What an invited person will hold was asked about when it was given.
	ByInvitation: {Fed: carries, HandedOn: carries, Above: carries, Critical: carries},
	// Whoever can read the database file holds all of it anyway.
	ByOperator:    operators,
	ByReplacement: operators,
	ByLoading:     loading,
	ByAccount:     loading,
	// What a directory may do to those with rights in Fachwerk is asked in a way of its own.
	// A guarantee that it breaks becomes a finding (§12).
	ByDirectory: {Permitted: carries, Fed: carries, HandedOn: carries, Above: carries, Guaranteed: carries},
	// A setting of the server lets newcomers into one group. That this gives no right in Fachwerk is asked all the same.
	ByProvider: {Permitted: carries},
	// That it ends was decided when it was given; it is only ever taken away. That time passes is no change (§12).
	ByEnding: {Permitted: carries, Above: carries, Guaranteed: carries},
}

var operators = map[Concern]stance{
	Permitted: carries,
	Supplied:  carries,
	Fed:       carries,
	Deleted:   carries,
	Alike:     carries,
	HandedOn:  carries,
	Above:     carries,
	Entrusted: carries,
	Critical:  carries,
}

// loading is what operators carry, and a design's own breaches: what a file says was so before.
var loading = func() map[Concern]stance {
	out := maps.Clone(operators)
	out[Guaranteed] = carries
	return out
}()

func (d Door) stance(q Concern) stance { return stances[d][q] }

// Act is one thing that somebody does: a revision of its own, or a part of one.
type Act struct {
	Door Door
	Ops  []change.Op
	// SignIns tells that an owner has let the directory change how people with rights in Fachwerk sign in.
	SignIns bool
	// Permits says why an operation is not the actor's to make; empty if it is. Where it is nil, rights and
	// delegations decide.
	Permits func(change.Op) string
}

// verdict is what stands against a change, or asks for proof.
type verdict struct {
	concern Concern
	act     int // which of the acts it is about; -1: the change as a whole
	stance  stance
	message string   // a sentence
	about   []object // what it is about, as far as that is known
}

// object names one of a design.
type object struct {
	kind model.Kind
	id   string
}

// said is what is said of a concern, and of what.
type said struct {
	message string
	about   []object
}

// of says something of one object.
func of(kind model.Kind, id, message string) said { return said{message, []object{{kind, id}}} }

// checked is a change with every verdict on it: who would make it, by which doors, on which design. Nothing else
// can be applied, and only [Desk.check] and [Desk.checkDesign] make one.
type checked struct {
	house *House // the design that it was checked on
	Asker
	acts     []Act
	Ops      []change.Op   // of all acts, compacted
	After    *model.Design // nil if it is not well-formed
	Index    *index.Index  // of after
	at       time.Time     // when the verdicts were given
	verdicts []verdict
	weighed  *change.Impact
	looked   *ahead.View
	warned   []model.Problem    // what prevents nothing, but is probably a mistake
	breaches []guarantee.Breach // of guarantees, once promised
	promised bool
	partial  bool // the actor sees only a part of the design
}

// Asker is who would make a change.
type Asker struct {
	Who  Actor
	name string    // of an operator or program, if who is nobody
	then time.Time // when they made it, of an invented past; zero: now
}

// at is when the change is made.
func (d *Desk) at(by Asker) time.Time {
	if by.then.IsZero() {
		return d.Now()
	}
	return by.then
}

// Check asks all concerns of a change. It costs one update of the index, and one impact if a door asks for what
// needs it.
func (d *Desk) Check(h *House, by Asker, acts ...Act) *checked {
	c := &checked{house: h, Asker: by, acts: acts, partial: by.Who.User != "" && !d.May(h, by.Who, model.ViewDesign)}
	var all []change.Op
	for _, a := range acts {
		all = append(all, a.Ops...)
	}
	if c.Ops = change.Compact(all); len(c.Ops) == 0 {
		c.After, c.Index = h.Design(), h.Index
	} else {
		after, problems := change.Apply(h.Design(), c.Ops)
		c.become(after, problems)
	}
	c.judge(d)
	return c
}

// checkDesign asks all concerns of a design that is to take the place of another.
func (d *Desk) checkDesign(h *House, by Asker, door Door, design *model.Design) *checked {
	ops := change.Difference(h.Design(), design)
	c := &checked{house: h, Asker: by, acts: []Act{{Door: door, Ops: ops}}, Ops: ops}
	c.become(design, model.CheckChange(h.Design(), design))
	c.judge(d)
	return c
}

// become gives the verdict on form: what the design becomes, with its index, or what is wrong with it.
func (c *checked) become(after *model.Design, problems []model.Problem) {
	wrong := model.Errors(problems)
	c.warned = slices.DeleteFunc(slices.Clone(problems), func(p model.Problem) bool { return !p.Warning })
	for _, p := range wrong {
		message := Upper(p.Message) + " (" + p.Path + ")."
		if c.partial {
			message = unnamed(p)
		}
		about := []object{{p.Kind, p.ID}}
		for _, n := range p.Names {
			about = append(about, object{n.Kind, n.ID})
		}
		c.verdicts = append(c.verdicts, verdict{WellFormed, -1, Refuses, message, about})
	}
	for _, o := range c.Ops {
		if u, is := o.After.(*model.User); is && len(u.LastUse) > 0 {
			message := "When " + u.DisplayName + " last used something is no part of the design: bring it in as uses."
			c.verdicts = append(c.verdicts, verdict{WellFormed, -1, Refuses, message, []object{{o.Kind, o.ID}}})
		}
	}
	if len(wrong) == 0 {
		c.After, c.Index = after, c.house.Index.Update(after)
	}
}

// unnamed says what is wrong to somebody who may not see all that the problem names.
func unnamed(p model.Problem) string {
	switch p.Code {
	case code.Taken:
		return "A user name, id or external id that this gives is taken already: choose another."
	case code.Cycle:
		return "This would make a circle."
	case code.Unknown:
		for _, n := range p.Names {
			return fmt.Sprintf("There is no %s %q.", n.Kind.Word(), n.ID)
		}
	}
	return "This would leave a design that is not well-formed (" + string(p.Code) + ")."
}

// judge gives the verdicts but for that on form, by the authority of now.
func (c *checked) judge(d *Desk) {
	c.at, c.promised = d.at(c.Asker), false
	// A list of its own: what was judged before may be looked at meanwhile.
	c.verdicts = slices.DeleteFunc(slices.Clone(c.verdicts), func(v verdict) bool { return v.concern != WellFormed })
	for i, a := range c.acts {
		c.ask(i, Permitted, func() []said { return d.refusals(c, a) })
		c.ask(i, Supplied, func() (out []said) {
			for _, p := range change.SuppliedEdits(a.Ops) {
				out = append(out, of(p.Kind, p.ID, Upper(p.Message)+"."))
			}
			return out
		})
		if c.After != nil {
			c.ask(i, Fed, func() []said { return gainsaid(a.Ops, c.After) })
			c.ask(i, Deleted, func() []said { return c.toDeleted(a.Ops) })
		}
	}
	if c.After == nil || len(c.Ops) == 0 {
		return
	}
	c.ask(-1, Alike, c.alike)
	c.ask(-1, Lockout, c.lockout)
	c.ask(-1, Guaranteed, c.unkept)
	c.ask(-1, HandedOn, c.handedOn)
	c.ask(-1, Above, c.above)
	c.ask(-1, Entrusted, c.entrusted)
	c.ask(-1, Critical, c.critical)
}

// ask puts a concern about one act, or about the change as a whole, unless every door concerned carries whatever
// the answer is.
func (c *checked) ask(i int, q Concern, answers func() []said) {
	strictest := carries
	for n, a := range c.acts {
		if i < 0 || n == i {
			strictest = min(strictest, a.Door.stance(q))
		}
	}
	if strictest == carries {
		return
	}
	for _, a := range answers() {
		c.verdicts = append(c.verdicts, verdict{q, i, strictest, a.message, a.about})
	}
}

// ahead looks ahead in the design after the change; nil if that is not well-formed.
func (c *checked) ahead() *ahead.View {
	if c.looked == nil && c.Index != nil {
		c.looked = c.house.Ahead().Next(c.Index)
	}
	return c.looked
}

// Impact is what the change does to people, as of when it was first asked for.
func (c *checked) Impact() *change.Impact {
	switch {
	case c.weighed != nil:
	case c.After == nil || len(c.Ops) == 0:
		c.weighed = &change.Impact{}
	default:
		c.weighed = change.ImpactOf(c.house.Index, c.Index, c.Ops, c.at)
	}
	return c.weighed
}

// Of gives the messages of verdicts on some concerns; on all if none is given.
func (c *checked) Of(s stance, concerns ...Concern) (out []string) {
	said := map[string]bool{} // a change of everything has a hundred thousand verdicts
	for _, v := range c.verdicts {
		if v.stance == s && (len(concerns) == 0 || slices.Contains(concerns, v.concern)) && !said[v.message] {
			said[v.message] = true
			out = append(out, v.message)
		}
	}
	return out
}

// codeOf gives the concern of the first verdict that stands against an act, or against the change as a whole (-1).
func (c *checked) codeOf(i int) code.Code {
	for _, v := range c.verdicts {
		if v.stance == Refuses && v.act == i {
			return v.concern
		}
	}
	return ""
}

// refusedOf gives what stands against one act.
func (c *checked) refusedOf(i int) (out []string) {
	for _, v := range c.verdicts {
		if v.act == i && v.stance == Refuses {
			out = append(out, v.message)
		}
	}
	return out
}

// ProvenFor is how long after giving the password a person may do what is critical.
const ProvenFor = 10 * time.Minute

// Refusal is why the change cannot be applied now, under a message that is the first reason if it is empty; nil if
// it can.
func (c *checked) Refusal(now time.Time, message string) *Error {
	if blocks := c.Of(Refuses); len(blocks) > 0 {
		e := &Error{Cause: NotAllowed, Message: message, Problems: firstOf(blocks)}
		if slices.ContainsFunc(c.verdicts, func(v verdict) bool { return v.concern == WellFormed }) {
			e.Cause = Invalid
		}
		if message == "" {
			e.Message, e.Problems = blocks[0], firstOf(blocks[1:])
		}
		return e
	}
	if proofs := c.Of(proves); len(proofs) > 0 && now.Sub(c.Who.Proven) > ProvenFor {
		return &Error{
			Cause:    Unproven,
			Code:     Critical,
			Message:  "This needs your password once more, since you last gave it more than ten minutes ago.",
			Problems: firstOf(proofs),
		}
	}
	return nil
}

// refusals tells which operations of an act are not the actor's to make.
func (d *Desk) refusals(c *checked, a Act) (out []said) {
	at := map[string]int{} // of each message, so that it is said once
	add := func(why string, about object) {
		i, told := at[why]
		if !told {
			i = len(out)
			at[why], out = i, append(out, said{message: why})
		}
		out[i].about = append(out[i].about, about)
	}
	if a.Permits != nil {
		for _, o := range a.Ops {
			if why := a.Permits(o); why != "" {
				add(why, object{o.Kind, o.ID})
			}
		}
		return out
	}
	ops := slices.DeleteFunc(slices.Clone(a.Ops), func(o change.Op) bool {
		return d.May(c.house, c.Who, model.RightToEdit(o.Kind))
	})
	if len(ops) == 0 {
		return nil
	}
	authority := d.Authority(c.house, c.Who)
	told := map[string]string{}
	for _, o := range ops {
		if !authority.Empty() {
			for _, r := range authority.Judge([]change.Op{o}, c.ahead()) {
				add(r.Reason, object{o.Kind, o.ID})
			}
			continue
		}
		right := model.RightToEdit(o.Kind)
		if told[right] == "" {
			told[right] = Upper(change.Title(o)) + ": " + d.Need(c.house, c.Who, right).Error()
		}
		add(told[right], object{o.Kind, o.ID})
	}
	return out
}

// Blamed is an object that stands in the way of an act, and why.
type Blamed struct {
	Kind model.Kind
	ID   string
	User string // of a group: whom it is about
	Why  string
}

// Blame tells what stands in the way of the last act, object by object, and of a group person by person; stop is the
// first reason that is about nothing in particular.
func (d *Desk) Blame(c *checked) (list []Blamed, stop string) {
	last := len(c.acts) - 1
	ops := map[object]change.Op{}
	for _, o := range c.acts[last].Ops {
		ops[object{o.Kind, o.ID}] = o
	}
	for _, v := range c.verdicts {
		if v.stance != Refuses || v.act >= 0 && v.act != last {
			continue
		}
		for _, o := range v.about {
			b := Blamed{Kind: o.kind, ID: o.id, Why: v.message}
			members := map[string]*delegation.Refused{}
			if op, in := ops[o]; in && o.kind == model.KindGroup && v.concern == Permitted {
				members = d.Authority(c.house, c.Who).JudgeMembers(op, c.ahead())
			}
			for user, r := range members {
				b.User, b.Why = user, r.Reason
				list = append(list, b)
			}
			if len(members) == 0 {
				list = append(list, b)
			}
		}
		if len(v.about) == 0 {
			stop = cmp.Or(stop, v.message)
		}
	}
	return list, stop
}

// toDeleted tells which operations give something to somebody who is deleted.
func (c *checked) toDeleted(ops []change.Op) (out []said) {
	for _, o := range ops {
		if id := change.ToDeleted(o, c.After); id != "" {
			out = append(out, of(o.Kind, o.ID, c.nameOf(id)+" is deleted and is given nothing: bring them back first."))
		}
	}
	return out
}

// Note is what the record tells of a revision beside its change.
type Note struct {
	Name   string // of a program, if it is not that of the change
	Why    string
	undoes int
	Along  func(s *store.Store, revision int) error // what is kept in the same transaction
}

// Commit records a checked change and makes its design the current one: as one revision, or as one for each of its
// acts if there are as many notes. What it may not do is an [Error] with the message. The writer's lock must be
// held.
func (d *Desk) Commit(c *checked, message string, notes ...Note) (*House, error) {
	h := c.house
	if d.Present() != h {
		return nil, errMoved
	}
	if why := d.held.Load(); why != nil {
		return nil, &store.Unusable{Reason: *why}
	}
	if err := c.Who.Stopped(); err != nil { // it was stopped while it waited for its turn
		return nil, err
	}
	at := d.at(c.Asker)
	if e := c.Refusal(at, message); e != nil {
		return nil, e
	}
	if at.Before(h.At) { // a clock that was set back makes no revision older than the one before it
		d.Happened(Event{What: EventClock, Text: "The clock stands before revision " + Itoa(h.Revision) + ", of " +
			h.At.Format(time.RFC3339) + ": what is applied until then gets that revision's time."})
		at = h.At
	}
	steps := make([]store.Step, len(notes))
	for i, e := range notes {
		ops := c.Ops
		if len(notes) > 1 {
			ops = c.acts[i].Ops
		}
		r := store.Revision{
			Number:  h.Revision + 1 + i,
			At:      at,
			Who:     c.Who.User,
			WhoName: c.name,
			Why:     e.Why,
			Undoes:  e.undoes,
		}
		if e.Name != "" {
			r.WhoName = e.Name
		}
		for _, d := range []*model.Design{c.After, h.Design()} {
			if u, ok := d.Users.Find(c.Who.User); ok {
				r.WhoName = u.DisplayName
				if c.Who.Token != "" {
					r.WhoName = "the token “" + c.Who.Token + "”, for " + u.DisplayName
				}
			}
		}
		steps[i] = store.Step{Revision: r, Ops: ops}
		if e.Along != nil {
			steps[i].Along = func(s *store.Store) error { return e.Along(s, r.Number) }
		}
	}
	// Readers see the new house as soon as it is acknowledged, so it is ready before the record is written.
	next := (&House{Revision: h.Revision + len(notes), At: at, Index: c.Index, Uses: h.Uses,
		ahead: c.ahead()}).inherit(h)
	ended := c.lowered()
	grown, err := c.outgrown(d.Store)
	if err != nil {
		return nil, err
	}
	last := &steps[len(steps)-1]
	if len(ended) > 0 {
		last.Also(func(s *store.Store) error { return s.EndSessions(at, "", ended...) })
	}
	if len(grown) > 0 {
		last.Also(func(s *store.Store) error { return s.DropLinks(grown...) })
		if d.Outgrown != nil {
			last.Also(d.Outgrown(next, c.Who, grown))
		}
	}
	err = d.Store.AppendRevisions(steps...)
	if errors.Is(err, store.ErrMoved) {
		if err := d.catchUp(); err != nil {
			return nil, err
		}
		return nil, errMoved
	}
	if err != nil {
		return nil, fmt.Errorf("the change was not recorded: %w", err)
	}
	d.enterHouse(next)
	if d.Ended != nil && len(ended) > 0 {
		d.Ended(ended)
	}
	return next, nil
}

// errMoved tells that somebody else applied a change while this one was checked.
var errMoved = Refuse(Conflict, "Somebody else applied a change just now. Look again, then repeat what you did.")

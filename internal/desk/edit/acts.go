package edit

import (
	"cmp"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/modelfile"
	"fachwerk/internal/store"
)

// An Act is one thing that a change in one call does; one of its fields is set.
type Act struct {
	Put    *PutAct
	Merge  *MergeAct
	Delete *DeleteAct
	Assign *AssignAct
	Revoke *RevokeAct
	Join   *MembersAct
	Leave  *MembersAct
}

// PutAct says what an object is to be, whole, as it stands in a model file. One without an id is new, and given one.
type PutAct struct {
	Kind   model.Kind
	Object json.RawMessage
}

// MergeAct says what some fields of an object are to be; null takes one away.
type MergeAct struct {
	Kind   model.Kind
	ID     string
	Fields map[string]json.RawMessage
}

// DeleteAct deletes an object. Without successors it is refused while something mentions the object; with them, what
// mentions it in a field ("owner", or "group.owner" of groups alone, or "*" for any other) names the successor
// instead, and an empty one, or none, takes the mention out.
type DeleteAct struct {
	Kind       model.Kind
	ID         string
	Successors map[string]string // nil: nothing may mention it
}

// AssignAct gives each of some people and groups each of some roles and sets.
type AssignAct struct {
	Subjects, Grants []desk.End // the kind of each may be empty: then it is the one of that id that there is
	Terms            JoinTerms
}

// RevokeAct takes an assignment away, or all by hand between some people or groups and some roles or sets, of an area
// or of all.
type RevokeAct struct {
	Assignment       string
	Subjects, Grants []desk.End
	Area             string
}

// MembersAct puts people and groups into a group, or takes them out.
type MembersAct struct {
	Group         string
	Users, Groups []string
}

// Change is what a change in one call is to do.
type Change struct {
	Acts       []Act
	Reason     string
	DryRun     bool   // it is only told what it would come to
	IfRevision *int   // the latest revision must be this one
	Key        string // the same again, with the same key, gives the first answer
	Asked      string // names exactly what was asked, for the key
}

// Changed is what became of a change in one call.
type Changed struct {
	Revision int         `json:"revision" doc:"What it became; if nothing was applied, the latest revision"`
	Applied  bool        `json:"applied" doc:"Whether it made a revision: not if it was only tried, or all was so already"`
	Impact   desk.Impact `json:"impact"`
	Acts     []ActDone   `json:"acts"`
	Links    *Links      `json:"links,omitempty" doc:"Where to look at it; absent if it made no revision"`
}

// ActDone is what one act came to.
type ActDone struct {
	Result  string          `json:"result" enum:"done,already" doc:"already: all of it is so already"`
	Objects []desk.Ref      `json:"objects" doc:"What it makes, changes or deletes, new ones with the ids they got; at most 200"`
	Said    [][]desk.Phrase `json:"said" doc:"In sentences; at most 30"`
}

// Links are addresses that belong to a change.
type Links struct {
	Page    string `json:"page" doc:"The revision in the history, for people"`
	History string `json:"history" doc:"The revision with its operations, for programs"`
	Undo    string `json:"undo" doc:"Where a draft that undoes it is asked for"`
}

// objectsTold and saidOf bound what is told of an act.
const (
	objectsTold = 200
	saidOf      = 30
)

// Change makes a change in one call, whole or not at all, beside any draft, by the authority of whoever asks.
func (d *Editor) Change(who desk.Actor, c Change) (*Changed, error) {
	switch {
	case len(c.Acts) == 0:
		return nil, desk.Refuse(desk.Invalid, "Give at least one act.")
	case strings.TrimSpace(c.Reason) == "" && !c.DryRun:
		return nil, desk.Refuse(desk.Invalid, "Give a reason: whoever reads the history will want to know why.")
	}
	if c.Key != "" && !c.DryRun {
		if again, err := d.answered(who, c); again != nil || err != nil {
			return again, err
		}
	}
	// What takes long is done before others have to wait, and once more only if somebody else was faster.
	composed, err := d.composed(d.Present(), who, c)
	if err != nil {
		return nil, err
	}
	if c.DryRun || len(composed.Ops) == 0 {
		return d.changed(composed, c, composed.House().Revision)
	}
	return desk.Written(d.Desk, func(h *desk.House) (*Changed, error) {
		if composed.House() != h {
			if composed, err = d.composed(h, who, c); err != nil {
				return nil, err
			}
		}
		if c.Key != "" {
			if again, err := d.answered(who, c); again != nil || err != nil {
				return again, err
			}
		}
		if len(composed.Ops) == 0 {
			return d.changed(composed, c, h.Revision)
		}
		done, err := d.changed(composed, c, h.Revision+1)
		if err != nil {
			return nil, err
		}
		done.Applied = true
		page := desk.Itoa(done.Revision)
		done.Links = &Links{
			Page:    "/history?before=" + desk.Itoa(done.Revision+1) + "#revision-" + page,
			History: "/api/revisions?limit=1&after=" + desk.Itoa(done.Revision-1),
			Undo:    "/api/draft/undo",
		}
		_, err = d.Make(composed, strings.TrimSpace(c.Reason), func(s *store.Store, revision int) error {
			if c.Key == "" {
				return nil
			}
			value, err := json.Marshal(done)
			if err != nil {
				return err
			}
			return s.KeepAnswer(store.Answer{
				Who: who.Drafts(), Key: c.Key, Asked: c.Asked, Revision: revision, Value: value, At: d.Now(),
			})
		})
		if err != nil {
			return nil, err
		}
		return done, nil
	})
}

// answered gives what was answered to the same before; nil if nothing was.
func (d *Editor) answered(who desk.Actor, c Change) (*Changed, error) {
	a, err := d.Store.Answered(who.Drafts(), c.Key, d.Now())
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil, nil
	case err != nil:
		return nil, err
	case a.Asked != c.Asked:
		return nil, desk.Refuse(desk.Invalid, "This idempotency key came with another change before: take a new one.")
	}
	var done Changed
	return &done, json.Unmarshal(a.Value, &done)
}

// composed makes a change of its acts, and refuses it with everything that stands against it.
func (d *Editor) composed(h *desk.House, who desk.Actor, c Change) (*desk.Composed, error) {
	if c.IfRevision != nil && *c.IfRevision != h.Revision {
		return nil, desk.Refuse(desk.Conflict, "The latest revision is %d, and not %d: look at what changed, then ask again.",
			h.Revision, *c.IfRevision)
	}
	steps := make([]func(*desk.Drafted) error, len(c.Acts))
	for i, a := range c.Acts {
		steps[i] = func(p *desk.Drafted) error { return a.on(h, p) }
	}
	composed, wrong, err := d.ComposeChange(h, who, steps)
	if err != nil {
		return nil, err
	}
	refused := desk.Refuse(desk.Invalid, "The change cannot be made.")
	for i, err := range wrong {
		if err == nil {
			continue
		}
		var e *desk.Error
		if !errors.As(err, &e) {
			return nil, err
		}
		where := "acts[" + desk.Itoa(i) + "]"
		if len(e.Details) == 0 {
			e.Details = []desk.Detail{{Code: e.Why(), Message: e.Message}}
		}
		for _, x := range e.Details {
			x.Where = strings.TrimSuffix(where+"."+x.Where, ".")
			refused.Details = append(refused.Details, x)
		}
	}
	if len(refused.Details) == 0 {
		against := composed.Refused(d.Now())
		for _, r := range against {
			x := desk.Detail{Code: r.Concern, Message: r.Message, About: r.About}
			if r.Act < 0 {
				r.Act = composed.ActOf(r.About)
			}
			if r.Act >= 0 {
				x.Where = "acts[" + desk.Itoa(r.Act) + "]"
			}
			refused.Details = append(refused.Details, x)
		}
		if len(against) > 0 && !slices.ContainsFunc(against, func(r desk.Refused) bool {
			return r.Concern == desk.WellFormed
		}) {
			refused.Cause = desk.NotAllowed
		}
	}
	if len(refused.Details) == 0 {
		return composed, nil
	}
	refused.Code, refused.Message = refused.Details[0].Code, refused.Details[0].Message
	return nil, refused
}

// changed tells what a composed change comes to.
func (d *Editor) changed(c *desk.Composed, asked Change, revision int) (*Changed, error) {
	impact, err := d.ImpactOf(c)
	if err != nil {
		return nil, err
	}
	out := &Changed{Revision: revision, Impact: impact, Acts: make([]ActDone, len(asked.Acts))}
	names := change.NamesIn(c.Shown.Design(), c.House().Design())
	for i := range asked.Acts {
		ops := c.OpsOf(i)
		a := ActDone{Result: "already", Objects: []desk.Ref{}, Said: [][]desk.Phrase{}}
		if len(ops) > 0 {
			a.Result = "done"
			said, _ := change.FirstSentences(ops, names, saidOf)
			a.Said = desk.Sentences(said)
		}
		for _, o := range ops[:min(len(ops), objectsTold)] {
			ref := desk.Ref{Kind: string(o.Kind), ID: o.ID, Name: o.ID}
			if named := cmp.Or(o.After, o.Before); named != nil {
				ref.Name = named.Title()
			}
			a.Objects = append(a.Objects, ref)
		}
		out.Acts[i] = a
	}
	return out, nil
}

// on puts the act into a change.
func (a Act) on(h *desk.House, p *desk.Drafted) error {
	switch {
	case a.Put != nil:
		return a.Put.on(h, p)
	case a.Merge != nil:
		return a.Merge.on(h, p)
	case a.Delete != nil:
		return a.Delete.on(p)
	case a.Assign != nil:
		subjects, grants, err := ends(p, a.Assign.Subjects, a.Assign.Grants)
		if err != nil {
			return err
		}
		ops, err := assignAll(p, subjects, grants, a.Assign.Terms)
		if err == nil && len(ops) > 0 {
			p.Add(0, ops...)
		}
		return err
	case a.Revoke != nil:
		return a.Revoke.on(p)
	case a.Join != nil:
		return a.Join.on(p, true)
	case a.Leave != nil:
		return a.Leave.on(p, false)
	}
	return desk.Refuse(desk.Invalid, "Give one of put, merge, delete, assign, revoke, join and leave.")
}

func (a *PutAct) on(h *desk.House, p *desk.Drafted) error {
	o, problems := modelfile.ReadObject(a.Kind, a.Object)
	return become(h, p, o, "put.object", problems)
}

// become makes an object that was read what it is in the design. Where names the place that it was read from.
func become(h *desk.House, p *desk.Drafted, o model.Object, where string, problems []model.Problem) error {
	if len(problems) > 0 {
		e := desk.Refuse(desk.Invalid, "The object is not valid.")
		for _, x := range problems {
			e.Details = append(e.Details, desk.Detail{
				Where: where + "." + x.Path, Code: cmp.Or(x.Code, desk.Invalid), Message: desk.Upper(x.Message) + ".",
			})
		}
		return e
	}
	p.Base().Complete(o)
	var before model.Object
	if o.Ident() != "" {
		before = p.Seen().Get(o.Kind(), o.Ident())
	}
	if before == nil {
		return put(h, p, nil, o)
	}
	if change.Equal(before, o) {
		return nil
	}
	return put(h, p, before, o)
}

func (a *MergeAct) on(h *desk.House, p *desk.Drafted) error {
	now := p.Seen().Get(a.Kind, a.ID)
	if now == nil {
		return desk.Refuse(desk.NotFound, "There is no %s %q.", a.Kind.Word(), a.ID)
	}
	data, err := json.Marshal(now)
	if err != nil {
		return err
	}
	fields := map[string]json.RawMessage{}
	if err := json.Unmarshal(data, &fields); err != nil {
		return err
	}
	for name, value := range a.Fields {
		if string(value) == "null" {
			delete(fields, name)
		} else {
			fields[name] = value
		}
	}
	if data, err = json.Marshal(fields); err != nil {
		return err
	}
	o, problems := modelfile.ReadObject(a.Kind, data)
	if o != nil && o.Ident() != a.ID {
		return desk.Refuse(desk.Invalid, "An id cannot be changed: %q cannot become %q.", a.ID, o.Ident())
	}
	return become(h, p, o, "merge.fields", problems)
}

func (a *DeleteAct) on(p *desk.Drafted) error {
	if err := deletable(p, a.Kind, a.ID); err != nil {
		return err
	}
	base := p.Base()
	references := base.References(a.Kind, a.ID)
	if a.Successors == nil && len(references) > 0 {
		return mentioned(p, a, references)
	}
	var choices []change.Choice
	used := map[string]bool{}
	for _, r := range references {
		kind := r.From.Kind()
		for _, name := range []string{string(kind) + "." + r.Field, r.Field, "*"} {
			if to, is := a.Successors[name]; is {
				used[name] = true
				choices = append(choices, change.Choice{From: kind, Field: r.Field, To: to})
				break
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(a.Successors)) {
		to := a.Successors[name]
		switch {
		case !used[name] && name != "*":
			return desk.Refuse(desk.Invalid, "Nothing mentions it in a field %q: name one of those that do, or \"*\".", name)
		case to == a.ID:
			return desk.Refuse(desk.Invalid, "What is deleted cannot be named in its own place.")
		case to != "" && p.Seen().Get(a.Kind, to) == nil:
			return desk.Refuse(desk.NotFound, "There is no %s %q to take its place.", a.Kind.Word(), to)
		}
	}
	p.Add(0, change.Release(base, a.Kind, a.ID, choices)...)
	return nil
}

// mentioned refuses a deletion with the list of what mentions the object, as far as that is seen.
func mentioned(p *desk.Drafted, a *DeleteAct, references []model.Reference) error {
	e := desk.Refuse(desk.Conflict, "The %s %q is mentioned: say by successors what becomes of that.", a.Kind.Word(), a.ID)
	for _, r := range references {
		if p.Seen().Get(r.From.Kind(), r.From.Ident()) == nil {
			continue
		}
		if len(e.Details) == objectsTold {
			break
		}
		e.Details = append(e.Details, desk.Detail{
			Where: "delete", Code: desk.Conflict,
			Message: desk.Upper(r.From.Kind().Word()) + " " + r.From.Ident() + " mentions it as " + r.Field + ".",
			About:   []desk.Ref{{Kind: string(r.From.Kind()), ID: r.From.Ident(), Name: r.From.Title()}},
		})
	}
	return e
}

func (a *RevokeAct) on(p *desk.Drafted) error {
	base := p.Base()
	if a.Assignment != "" {
		if p.Seen().Get(model.KindAssignment, a.Assignment) == nil {
			return desk.Refuse(desk.NotFound, "There is no assignment %q.", a.Assignment)
		}
		p.Add(0, change.Delete(base.Get(model.KindAssignment, a.Assignment)))
		return nil
	}
	subjects, grants, err := ends(p, a.Subjects, a.Grants)
	if err != nil {
		return err
	}
	if err := within(p.Seen(), JoinTerms{Area: a.Area}); err != nil {
		return err
	}
	of, gives := map[desk.End]bool{}, map[string]bool{}
	for _, e := range subjects {
		of[e] = true
	}
	for _, e := range grants {
		gives[e.Kind+":"+e.ID] = true
	}
	var ops []change.Op
	for _, x := range base.Assignments {
		subject := desk.End{Kind: string(model.KindUser), ID: x.Subject.User}
		if x.Subject.User == "" {
			subject = desk.End{Kind: string(model.KindGroup), ID: x.Subject.Group}
		}
		if of[subject] && gives[x.Grant()] && (a.Area == "" || cmp.Or(x.Area, base.Root()) == a.Area) {
			ops = append(ops, change.Delete(x))
		}
	}
	if len(ops) > 0 {
		p.Add(0, ops...)
	}
	return nil
}

func (a *MembersAct) on(p *desk.Drafted, in bool) error {
	if a.Group == "" || len(a.Users)+len(a.Groups) == 0 {
		return desk.Refuse(desk.Invalid, "Name a group, and the users or groups that it is about.")
	}
	named := []desk.End{{Kind: string(model.KindGroup), ID: a.Group}}
	for _, id := range a.Users {
		named = append(named, desk.End{Kind: string(model.KindUser), ID: id})
	}
	for _, id := range a.Groups {
		if id == model.Everyone || id == model.Public {
			return desk.Refuse(desk.Invalid, "A built-in group cannot be nested in another.")
		}
		named = append(named, desk.End{Kind: string(model.KindGroup), ID: id})
	}
	if err := desk.Exists(p.Seen(), named...); err != nil {
		return err
	}
	base := p.Base()
	g, err := fillable(base, a.Group)
	if err != nil {
		return err
	}
	g = change.Clone(g)
	merge := func(list []string, ids []string) []string {
		if in {
			list = append(slices.Clone(list), ids...)
			slices.Sort(list)
			return slices.Compact(list)
		}
		gone := map[string]bool{}
		for _, id := range ids {
			gone[id] = true
		}
		return slices.DeleteFunc(slices.Clone(list), func(id string) bool { return gone[id] })
	}
	g.Users, g.Groups = merge(g.Users, a.Users), merge(g.Groups, a.Groups)
	if op := change.Put(base, g); !change.Equal(op.Before, op.After) {
		p.Add(0, op)
	}
	return nil
}

// ends finds out the kinds of what is named without one.
func ends(p *desk.Drafted, subjects, grants []desk.End) (s, g []desk.End, err error) {
	if len(subjects) == 0 || len(grants) == 0 {
		return nil, nil, desk.Refuse(desk.Invalid, "Name at least one subject and one grant.")
	}
	if s, err = kinds(p, subjects, model.KindUser, model.KindGroup); err != nil {
		return nil, nil, err
	}
	g, err = kinds(p, grants, model.KindRole, model.KindSet)
	return s, g, err
}

func kinds(p *desk.Drafted, list []desk.End, either ...model.Kind) ([]desk.End, error) {
	out := slices.Clone(list)
	for i, e := range out {
		var found []model.Kind
		for _, k := range either {
			if (e.Kind == "" || e.Kind == string(k)) && desk.Exists(p.Seen(), desk.End{Kind: string(k), ID: e.ID}) == nil {
				found = append(found, k)
			}
		}
		switch {
		case len(found) == 1:
			out[i].Kind = string(found[0])
		case len(found) > 1:
			return nil, desk.Refuse(desk.Invalid, "%q is a %s and a %s: write %q or %q.", e.ID, either[0].Word(),
				either[1].Word(), string(either[0])+":"+e.ID, string(either[1])+":"+e.ID)
		case e.Kind != "" && !slices.Contains(either, model.Kind(e.Kind)):
			return nil, desk.Refuse(desk.Invalid, "Expected a %s or a %s, not a %s.", either[0].Word(), either[1].Word(),
				model.Kind(e.Kind).Word())
		default:
			return nil, desk.Refuse(desk.NotFound, "There is no %s or %s %q.", either[0].Word(), either[1].Word(), e.ID)
		}
	}
	return out, nil
}

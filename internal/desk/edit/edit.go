package edit

import (
	"errors"
	"slices"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
)

// Put drafts what an object is to be: a new one if before is nil, else what is to become of the one that was looked
// at as before. What others applied to it since is merged; where both changed the same, it is drafted all the same, and
// one of the two is chosen in the draft. What the person has drafted otherwise meanwhile, on another page, is refused.
func (d *Editor) Put(who desk.Actor, before, after model.Object) (*desk.Draft, error) {
	after = change.Clone(after)
	return d.Alter(who, func(h *desk.House, p *desk.Drafted) error { return put(h, p, before, after) })
}

func put(h *desk.House, p *desk.Drafted, before, after model.Object) error {
	base := p.Base()
	if before == nil {
		if err := name(p, after); err != nil {
			return err
		}
		p.Add(0, change.Put(base, after))
		return nil
	}
	before = change.Clone(before)
	if before.Ident() != after.Ident() {
		return desk.Refuse(
			desk.Invalid,
			"An id cannot be changed: %q cannot become %q.",
			before.Ident(),
			after.Ident(),
		)
	}
	seen := p.Seen().Get(after.Kind(), after.Ident())
	if seen == nil {
		return desk.Refuse(desk.NotFound, "There is no %s %q any longer.", after.Kind().Word(), after.Ident())
	}
	if whole := base.Get(after.Kind(), after.Ident()); p.Partial() && whole != nil {
		var err error
		if before, after, err = change.Lift(seen, whole, before, after); err != nil {
			return err
		}
	}
	drafted := []change.Op{{Kind: after.Kind(), ID: after.Ident(), Before: before, After: after}}
	ops, clashes := change.Rebase(base, drafted)
	if len(clashes) > 0 {
		if _, applied := change.Rebase(h.Design(), drafted); len(applied) == len(clashes) {
			p.Add(0, drafted...)
			return nil
		}
		e := desk.Refuse(
			desk.Conflict,
			"While you were editing, you drafted something else for the same. Look at it again: nothing of this was drafted.",
		)
		for _, c := range clashes {
			if p.Partial() {
				break // it can name what is out of their sight
			}
			e.Problems = append(e.Problems, desk.Upper(c.Message)+".")
		}
		return e
	}
	if len(ops) == 0 {
		return desk.Refuse(desk.Invalid, "Nothing was changed.")
	}
	p.Add(0, ops...)
	return nil
}

// Mention is what stands in one field of one kind of object and names a thing that is to be deleted.
type Mention struct {
	From    string     `json:"from"`
	Field   string     `json:"field"`
	Names   string     `json:"names" doc:"What each of them does with the thing, as \"lists them\""`
	Count   int        `json:"count"`
	Refs    []desk.Ref `json:"refs" doc:"At most 50 of them"`
	Taken   string     `json:"taken" enum:"out,up,deleted" doc:"What becomes of them if the mention is taken out: it goes; it moves to what lies above; they are deleted too"`
	Instead bool       `json:"instead" doc:"Another thing of the same kind can be named instead"`
}

const mentionsShown = 50

// Mentions gives everything that names an object, by field: what a delete must deal with.
func (d *Editor) Mentions(who desk.Actor, kind model.Kind, id string) ([]Mention, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if view.Either(s, kind, id) == nil {
		return nil, desk.Refuse(desk.NotFound, "There is no %s %q.", kind.Word(), id)
	}
	out := []Mention{}
	for _, r := range view.References(s, kind, id) {
		i := slices.IndexFunc(
			out,
			func(m Mention) bool { return m.From == string(r.From.Kind()) && m.Field == r.Field },
		)
		if i < 0 {
			i = len(out)
			f := model.FieldOf(r.From.Kind(), r.Field)
			out = append(out, Mention{string(r.From.Kind()), r.Field, f.Names, 0, []desk.Ref{}, string(f.Gone), !f.Only})
		}
		out[i].Count++
		if len(out[i].Refs) < mentionsShown {
			out[i].Refs = append(out[i].Refs, view.Mentioned(s.House, r.From))
		}
	}
	return out, nil
}

// MentionChoice says what becomes of the mentions in one field of one kind of object.
type MentionChoice struct {
	From  string `json:"from"`
	Field string `json:"field"`
	To    string `json:"to,omitempty" doc:"The id of what is named instead; taken out if absent"`
}

// Delete drafts the deletion of an object, with what becomes of everything that mentions it.
func (d *Editor) Delete(who desk.Actor, kind model.Kind, id string, choices []MentionChoice) (*desk.Draft, error) {
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		if err := deletable(p, kind, id); err != nil {
			return err
		}
		var list []change.Choice
		for _, c := range choices {
			if c.To == id {
				return desk.Refuse(desk.Invalid, "What is deleted cannot be named in its own place.")
			}
			list = append(list, change.Choice{From: model.Kind(c.From), Field: c.Field, To: c.To})
		}
		p.Add(0, change.Release(p.Base(), kind, id, list)...)
		return nil
	})
}

// deletable refuses what is not there to be deleted, or never goes.
func deletable(p *desk.Drafted, kind model.Kind, id string) error {
	gone := p.Seen().Get(kind, id)
	switch {
	case gone == nil:
		return desk.Refuse(desk.NotFound, "There is no %s %q.", kind.Word(), id)
	case kind == model.KindOrganisation || kind == model.KindArea && id == p.Base().Root():
		return desk.Refuse(desk.Invalid, "The whole organisation cannot be deleted.")
	case model.BuiltIn(kind, id):
		return desk.Refuse(
			desk.Invalid,
			"The %s “%s” is built in and cannot be deleted.",
			kind.Word(),
			gone.Title(),
		)
	}
	return nil
}

// Tick drafts that a set or role gives some permissions, or no longer does.
func (d *Editor) Tick(who desk.Actor, kind model.Kind, id string, keys []string, give bool) (*desk.Draft, error) {
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		base := p.Base()
		x := p.Shown.Index
		if p.After == nil {
			return desk.Refuse(
				desk.Conflict,
				"The draft cannot be applied as it stands: take out what blocks it first.",
			)
		}
		for _, k := range keys {
			if _, ok := p.Seen().Permission(k); !ok {
				return desk.Refuse(desk.NotFound, "No system has a permission %q.", k)
			}
		}
		var after model.Object
		switch kind {
		case model.KindSet:
			s, ok := p.Seen().Sets.Find(id)
			if !ok {
				return desk.Refuse(desk.NotFound, "There is no permission set %q.", id)
			}
			after = change.TickSet(x, s, keys, give)
		case model.KindRole:
			r, ok := p.Seen().Roles.Find(id)
			if !ok {
				return desk.Refuse(desk.NotFound, "There is no role %q.", id)
			}
			after = change.TickRole(x, r, keys, give)
		default:
			return desk.Refuse(desk.Invalid, "Only sets and roles give permissions.")
		}
		op := change.Put(base, after)
		if change.Equal(op.Before, op.After) {
			return desk.Refuse(desk.Invalid, "That is already so.")
		}
		p.Add(0, op)
		return nil
	})
}

// mostPairs bounds what one act assigns.
const mostPairs = 20_000

// AssignMany drafts that each of some people and groups gets each of some roles and sets, on the same terms. Who
// has one already on these terms keeps it; if all do, it is refused.
func (d *Editor) AssignMany(who desk.Actor, subjects, targets []desk.End, terms JoinTerms) (*desk.Draft, error) {
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		ops, err := assignAll(p, subjects, targets, terms)
		if err != nil {
			return err
		}
		if len(ops) == 0 {
			return desk.Refuse(desk.Conflict, "All of them already have all of this, on the same terms.")
		}
		p.Add(0, ops...)
		return nil
	})
}

// assignAll is assignEach of what is named by whoever drafts, within bounds.
func assignAll(p *desk.Drafted, subjects, targets []desk.End, terms JoinTerms) ([]change.Op, error) {
	if err := desk.Exists(p.Seen(), slices.Concat(subjects, targets)...); err != nil {
		return nil, err
	}
	if err := within(p.Seen(), terms); err != nil {
		return nil, err
	}
	if n := len(subjects) * len(targets); n > mostPairs {
		return nil, desk.Refuse(
			desk.Invalid,
			"That would be %s assignments at once: make it in parts of at most %s, or assign to a group.",
			desk.Grouped(n),
			desk.Grouped(mostPairs),
		)
	}
	return assignEach(p.Base(), subjects, targets, terms)
}

// assignEach gives each of some subjects each of some targets that they do not have on these terms.
func assignEach(base *model.Design, subjects, targets []desk.End, terms JoinTerms) ([]change.Op, error) {
	var ops []change.Op
	given := grantsGiven(base, subjects...)
	for _, s := range subjects {
		for _, t := range targets {
			if !isSubject(s) || !isGrantable(t) {
				return nil, desk.Refuse(
					desk.Invalid,
					"A role or permission set is assigned to a person or group, not a %s to a %s.",
					model.Kind(t.Kind).Word(),
					model.Kind(s.Kind).Word(),
				)
			}
			op, err := assign(base, given, pair{s, t}, terms)
			var e *desk.Error
			if errors.As(err, &e) && e.Cause == desk.Conflict {
				continue
			}
			if err != nil {
				return nil, err
			}
			ops = append(ops, op)
		}
	}
	return ops, nil
}

// EngageGrant is a role or set on terms of its own.
type EngageGrant struct {
	To    desk.End  `json:"to"`
	Terms JoinTerms `json:"terms"`
}

// Engage drafts a new person together with the roles and sets that they are to have, on terms of their own, and the
// groups that they join: one act, of which either all is drafted or nothing.
func (d *Editor) Engage(who desk.Actor, person *model.User, grants []EngageGrant, groups []string) (*desk.Draft,
	error) {
	person = change.Clone(model.Object(person)).(*model.User)
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		base := p.Base()
		if err := name(p, person); err != nil {
			return err
		}
		ops := []change.Op{change.Put(base, person)}
		self := desk.End{Kind: string(model.KindUser), ID: person.ID}
		for _, g := range grants {
			if err := desk.Exists(p.Seen(), g.To); err != nil {
				return err
			}
			if err := within(p.Seen(), g.Terms); err != nil {
				return err
			}
			given, err := assignEach(base, []desk.End{self}, []desk.End{g.To}, g.Terms)
			if err != nil {
				return err
			}
			ops = append(ops, given...)
		}
		for _, id := range groups {
			g, ok := p.Seen().Groups.Find(id)
			switch {
			case !ok:
				return desk.Refuse(desk.NotFound, "There is no group %q.", id)
			case g.Type == model.Rule:
				return desk.Refuse(desk.Invalid, "“%s” finds its members by a rule: nobody is put into it.", g.Name)
			}
			whole, _ := base.Groups.Find(id)
			after := change.Clone(whole)
			after.Users = append(after.Users, person.ID)
			slices.Sort(after.Users)
			ops = append(ops, change.Put(base, after))
		}
		p.Add(0, ops...)
		return nil
	})
}

// name gives something new an id if it has none, and refuses one that is taken. To who sees only a part, an id that
// something out of their sight has is not refused, since that would tell of it: another is made.
func name(p *desk.Drafted, o model.Object) error {
	base := p.Base()
	if o.Ident() != "" && base.Get(o.Kind(), o.Ident()) != nil && p.Seen().Get(o.Kind(), o.Ident()) == nil {
		model.SetIdent(o, "")
	}
	if o.Ident() == "" {
		desk.NameObject(base, o)
	}
	if base.Get(o.Kind(), o.Ident()) != nil {
		return desk.Refuse(
			desk.Conflict,
			"There is a %s with the id %q already: choose another.",
			o.Kind().Word(),
			o.Ident(),
		)
	}
	return nil
}

// Tidy drafts that what members of a group hold by hand goes away, where the group gives the same.
func (d *Editor) Tidy(who desk.Actor, group string) (*desk.Draft, error) {
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		if p.Seen().Get(model.KindGroup, group) == nil {
			return desk.Refuse(desk.NotFound, "There is no group %q.", group)
		}
		var ops []change.Op
		for _, a := range view.Redundant(p.Shown.Index, group) {
			ops = append(ops, change.Delete(a))
		}
		if len(ops) == 0 {
			return desk.Refuse(desk.Conflict, "Nobody holds by hand what this group gives.")
		}
		p.Add(0, ops...)
		return nil
	})
}

// Rule tells whom a rule matches, or what is wrong with it.
type Rule struct {
	Count   int        `json:"count"`
	People  []desk.Ref `json:"people" doc:"At most 100, by name"`
	Trouble string     `json:"trouble,omitempty" doc:"What is wrong with it"`
	At      int        `json:"at" doc:"Where the trouble begins, in characters from 0"`
}

const rulePeople = 100

// TryRule tells whom a rule matches, as it is typed.
func (d *Editor) TryRule(who desk.Actor, text string) (*Rule, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	r := &Rule{People: []desk.Ref{}}
	f, err := filter.Parse(text)
	if err != nil {
		r.Trouble, r.At = desk.TroubleIn(text, err)
		return r, nil
	}
	for _, u := range s.Design().Users {
		if u.State == model.UserDeleted || !f.Match(index.Person(s.Design(), u)) {
			continue
		}
		r.Count++
		if len(r.People) < rulePeople {
			r.People = append(r.People, s.Ref(model.KindUser, u.ID))
		}
	}
	return r, nil
}

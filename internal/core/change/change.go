// Package change is everything that alters a design: an ordered list of operations that is checked whole, applied
// whole or not at all, inverted, laid anew on a design that moved on, told in sentences, and weighed by its impact
// on people.
package change

import (
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"fachwerk/internal/core/code"
	"fachwerk/internal/core/model"
)

// Op puts or deletes one object. Before is nil for an object that is new, After for one that is deleted.
type Op struct {
	Kind   model.Kind
	ID     string
	Before model.Object
	After  model.Object
}

// Put is the operation that makes an object what after is, on a design.
func Put(d *model.Design, after model.Object) Op {
	return Op{after.Kind(), after.Ident(), d.Get(after.Kind(), after.Ident()), after}
}

// Delete is the operation that deletes an object of a design.
func Delete(before model.Object) Op {
	return Op{before.Kind(), before.Ident(), before, nil}
}

type wireOp struct {
	Op     string          `json:"op"`
	Kind   model.Kind      `json:"kind"`
	ID     string          `json:"id"`
	Before json.RawMessage `json:"before,omitempty"`
	After  json.RawMessage `json:"after,omitempty"`
}

// Values gives the operation's values in the form of the model file, nil where there is none.
func (o Op) Values() (before, after []byte, err error) {
	if o.Before != nil {
		if before, err = json.Marshal(o.Before); err != nil {
			return nil, nil, err
		}
	}
	if o.After != nil {
		after, err = json.Marshal(o.After)
	}
	return before, after, err
}

// FromValues is the operation that gave these values.
func FromValues(kind model.Kind, id string, before, after []byte) (o Op, err error) {
	o = Op{Kind: kind, ID: id}
	for _, side := range []struct {
		from []byte
		to   *model.Object
	}{{before, &o.Before}, {after, &o.After}} {
		if len(side.from) == 0 {
			continue
		}
		if *side.to, err = model.Decode(kind, side.from); err != nil {
			return o, err
		}
		if given := (*side.to).Ident(); given != id {
			return o, fmt.Errorf("the operation names %s %q, its value %q", kind, id, given)
		}
	}
	return o, nil
}

// MarshalJSON writes the operation with its values in the form of the model file.
func (o Op) MarshalJSON() ([]byte, error) {
	w := wireOp{Op: "put", Kind: o.Kind, ID: o.ID}
	if o.After == nil {
		w.Op = "delete"
	}
	var err error
	if w.Before, w.After, err = o.Values(); err != nil {
		return nil, err
	}
	return json.Marshal(w)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (o *Op) UnmarshalJSON(data []byte) error {
	var w wireOp
	if err := json.Unmarshal(data, &w); err != nil {
		return err
	}
	var err error
	if *o, err = FromValues(w.Kind, w.ID, w.Before, w.After); err != nil {
		return err
	}
	if (w.Op == "put") != (o.After != nil) || w.Op != "put" && w.Op != "delete" {
		return fmt.Errorf("the operation on %s %q is neither a whole put nor a whole delete", w.Kind, w.ID)
	}
	return nil
}

// Equal tells whether two objects, either of which may be nil, say the same.
func Equal(a, b model.Object) bool { return model.Same(a, b) }

// encode cannot fail: objects hold only what JSON can write.
func encode(o model.Object) []byte {
	data, err := json.Marshal(o)
	if err != nil {
		panic(err)
	}
	return data
}

// Clone is a copy of an object that may be altered before it becomes part of a design.
func Clone[T model.Object](o T) T { return model.Clone(o) }

// Invert gives the change that undoes a change.
func Invert(ops []Op) []Op {
	out := make([]Op, len(ops))
	for i, o := range ops {
		out[len(ops)-1-i] = Op{o.Kind, o.ID, o.After, o.Before}
	}
	return out
}

// Compact joins the operations on each object into one, drops those that change nothing, and keeps the order of the
// first mention. It may share memory with what it is given.
func Compact(ops []Op) []Op {
	if ordered(ops) && !slices.ContainsFunc(ops, func(o Op) bool { return Equal(o.Before, o.After) }) {
		return ops
	}
	var out []Op
	at := map[[2]string]int{}
	for _, o := range ops {
		key := [2]string{string(o.Kind), o.ID}
		if i, seen := at[key]; seen {
			out[i].After = o.After
			continue
		}
		at[key] = len(out)
		out = append(out, o)
	}
	return slices.DeleteFunc(out, func(o Op) bool { return Equal(o.Before, o.After) })
}

// ordered tells whether operations stand in the order in which a design lists its objects, so that none is on the same
// as another.
func ordered(ops []Op) bool {
	kind := 0
	for i, o := range ops {
		if i > 0 && o.Kind == ops[i-1].Kind {
			if o.ID <= ops[i-1].ID {
				return false
			}
			continue
		}
		next := slices.Index(model.Kinds[kind:], o.Kind)
		if next < 0 || next == 0 && i > 0 {
			return false
		}
		kind += next
	}
	return true
}

// Lay gives the design that operations make of d, unchecked.
func Lay(d *model.Design, ops []Op) *model.Design {
	edits := make([]model.Edit, len(ops))
	for i, o := range ops {
		edits[i] = model.Edit{Kind: o.Kind, ID: o.ID, After: o.After}
	}
	return d.With(edits)
}

// Apply gives the design that a change makes of d, or everything that stands against it: values that are not what
// the change was drafted on, things that must not be edited, and whatever is wrong with the result (§10). The
// result is nil if there are errors.
func Apply(d *model.Design, ops []Op) (*model.Design, []model.Problem) {
	var problems []model.Problem
	say := func(o Op, what code.Code, format string, args ...any) {
		problems = append(
			problems,
			model.Problem{
				Code:    what,
				Kind:    o.Kind,
				ID:      o.ID,
				Path:    string(o.Kind) + " " + o.ID,
				Message: fmt.Sprintf(format, args...),
			},
		)
	}
	current := map[[2]string]model.Object{}
	for _, o := range ops {
		key := [2]string{string(o.Kind), o.ID}
		now, touched := current[key]
		if !touched {
			now = d.Get(o.Kind, o.ID)
		}
		if !Equal(now, o.Before) {
			say(o, code.Moved, "%s has changed since this was drafted", Title(o))
		}
		if model.BuiltIn(o.Kind, o.ID) {
			say(o, code.BuiltIn, "%s is built in and cannot be edited", Title(o))
		}
		if o.Kind == model.KindOrganisation && o.After == nil {
			say(o, code.BuiltIn, "the organisation cannot be deleted")
		}
		current[key] = o.After
	}
	if len(problems) > 0 {
		return nil, problems
	}
	after := Lay(d, ops)
	for _, o := range ops {
		if o.After != nil || after.Get(o.Kind, o.ID) != nil {
			continue
		}
		if refs := after.References(o.Kind, o.ID); len(refs) > 0 {
			say(o, code.ReferredTo, "%s cannot be deleted while something refers to it: %s", Title(o), list(refs))
		}
	}
	if len(problems) > 0 {
		return nil, problems
	}
	if problems = model.CheckChange(d, after); len(model.Errors(problems)) > 0 {
		return nil, problems
	}
	return after, problems
}

// ToDeleted gives somebody who is deleted and to whom an operation assigns something, or whom it lists in a group or
// makes a delegate; empty if there is nobody.
func ToDeleted(o Op, after *model.Design) string {
	deleted := func(id string) bool {
		u, ok := after.Users.Find(id)
		return ok && u.State == model.UserDeleted
	}
	switch is := o.After.(type) {
	case *model.Assignment:
		if was, had := o.Before.(*model.Assignment); deleted(is.Subject.User) && !(had && was.Subject == is.Subject) {
			return is.Subject.User
		}
	case *model.Delegation:
		if was, had := o.Before.(*model.Delegation); deleted(is.Delegate.User) && !(had && was.Delegate == is.Delegate) {
			return is.Delegate.User
		}
	case *model.Group:
		listed := map[string]bool{}
		if was, had := o.Before.(*model.Group); had {
			for _, u := range was.Users {
				listed[u] = true
			}
		}
		for _, u := range is.Users {
			if !listed[u] && deleted(u) {
				return u
			}
		}
	}
	return ""
}

func list(refs []model.Reference) string {
	var names []string
	for _, r := range refs {
		if len(names) == 10 {
			names = append(names, fmt.Sprintf("and %d more", len(refs)-10))
			break
		}
		names = append(names, fmt.Sprintf("%s %q (%s)", r.From.Kind().Word(), r.From.Title(), r.Field))
	}
	return strings.Join(names, ", ")
}

// Title names what an operation is about.
func Title(o Op) string {
	for _, v := range []model.Object{o.After, o.Before} {
		if v != nil {
			return fmt.Sprintf("the %s %q", o.Kind.Word(), v.Title())
		}
	}
	return fmt.Sprintf("the %s %q", o.Kind.Word(), o.ID)
}

// SuppliedEdits tells which operations edit what is supplied or protected: supplied sets and catalogues change only
// with the next version of their catalogue (§2), protected roles not at all.
func SuppliedEdits(ops []Op) []model.Problem {
	var problems []model.Problem
	supplied := func(v model.Object) bool {
		s, ok := v.(*model.Set)
		return ok && s.System != ""
	}
	for _, o := range ops {
		say := func(format string) {
			problems = append(
				problems,
				model.Problem{
					Code:    code.Supplied,
					Kind:    o.Kind,
					ID:      o.ID,
					Path:    string(o.Kind) + " " + o.ID,
					Message: fmt.Sprintf(format, Title(o)),
				},
			)
		}
		if supplied(o.Before) || supplied(o.After) {
			say("%s is supplied with its system and cannot be edited here: make an own set beside it")
		}
		if r, ok := o.Before.(*model.Role); ok && r.Protected {
			say("%s is protected and cannot be edited: make a role that inherits it")
		}
	}
	return problems
}

// Clash is a field that was changed here and elsewhere to different values, or an object that went away or came up
// underneath.
type Clash struct {
	Kind    model.Kind
	ID      string
	Message string
}

// Rebase lays a change that was drafted on an older design onto d. Fields that only one side changed are merged,
// and so are lists that both added to or took from. What cannot be merged keeps the drafted value and is told as a
// clash.
func Rebase(d *model.Design, ops []Op) ([]Op, []Clash) { return NewPile(d).Rebase(ops) }

// Pile is a design with changes that lie on it, one upon the other. To lay one more costs what that one changes, not
// what the design holds.
type Pile struct {
	d   *model.Design
	top map[[2]string]model.Object // what the changes made of what they touched
	ops []Op                       // all of them
}

// NewPile is a design on which nothing lies yet.
func NewPile(d *model.Design) *Pile { return &Pile{d: d, top: map[[2]string]model.Object{}} }

// Get gives what has become of an object; nil if there is none.
func (p *Pile) Get(kind model.Kind, id string) model.Object {
	if o, touched := p.top[[2]string{string(kind), id}]; touched {
		return o
	}
	return p.d.Get(kind, id)
}

func (p *Pile) put(o Op) {
	p.ops = append(p.ops, o)
	if o.After != nil {
		p.d.DropRoot(o.After)
	}
	p.top[[2]string{string(o.Kind), o.ID}] = o.After
}

// Rebase is [Rebase] onto all that lies there already, and lays the outcome upon it.
func (p *Pile) Rebase(ops []Op) ([]Op, []Clash) {
	var out []Op
	var clashes []Clash
	for _, o := range ops {
		now := p.Get(o.Kind, o.ID)
		moved := Op{o.Kind, o.ID, now, o.After}
		clash := func(format string, args ...any) {
			clashes = append(clashes, Clash{o.Kind, o.ID, fmt.Sprintf(format, args...)})
		}
		switch {
		case Equal(now, o.Before):
		case Equal(now, o.After):
			continue // somebody did the very same
		case o.Before == nil:
			clash("%s has been made in the meantime", Title(o))
		case now == nil:
			clash("%s has been deleted in the meantime", Title(o))
		case o.After == nil:
			clash("%s has been changed in the meantime", Title(o))
		default:
			var fields []string
			moved.After, fields = merge(o.Before, o.After, now)
			for _, f := range fields {
				clash("%s of %s has been changed in the meantime", f, Title(o))
			}
		}
		p.put(moved)
		if !Equal(moved.Before, moved.After) {
			out = append(out, moved)
		}
	}
	if slices.ContainsFunc(out, func(o Op) bool { return o.Kind == model.KindArea || o.Kind == model.KindOrganisation }) {
		// The root of the areas, which an absent area means, may be another.
		p.d, p.top, p.ops = Lay(p.d, p.ops), map[[2]string]model.Object{}, nil
	}
	return out, clashes
}

// merge gives what became of an object when one side made after of before and another made now, and the fields that
// both changed.
func merge(before, after, now model.Object) (model.Object, []string) {
	b, a, n := fields(before), fields(after), fields(now)
	var clashes []string
	for _, f := range names(a, b) {
		if reflect.DeepEqual(a[f], b[f]) {
			continue
		}
		if bl, al, nl, ok := lists(b[f], a[f], n[f]); ok {
			n[f] = mergeList(bl, al, nl)
			continue
		}
		if !reflect.DeepEqual(b[f], n[f]) && !reflect.DeepEqual(a[f], n[f]) {
			clashes = append(clashes, f)
		}
		if v, kept := a[f]; kept {
			n[f] = v
		} else {
			delete(n, f)
		}
	}
	data, err := json.Marshal(n)
	if err != nil {
		panic(err)
	}
	merged, err := model.Decode(now.Kind(), data)
	if err != nil {
		return after, append(clashes, err.Error())
	}
	return merged, clashes
}

// Lift carries an edit of something that is seen in part over to the whole of it: what is out of sight, and was not
// edited, is as it was, and what was edited takes the place of what was out of sight. Lists need no such thing, since
// what is put into them or taken out is told by comparison.
func Lift(seen, whole, before, after model.Object) (liftedBefore, liftedAfter model.Object, err error) {
	s, w, b, a := fields(seen), fields(whole), fields(before), fields(after)
	for _, f := range names(s, w) {
		if _, _, _, list := lists(s[f], w[f], nil); list || reflect.DeepEqual(s[f], w[f]) || !reflect.DeepEqual(b[f], s[f]) {
			continue
		}
		if reflect.DeepEqual(a[f], b[f]) {
			a[f] = w[f]
		}
		b[f] = w[f]
	}
	decode := func(m map[string]any) (model.Object, error) {
		data, err := json.Marshal(m)
		if err != nil {
			return nil, err
		}
		return model.Decode(whole.Kind(), data)
	}
	if liftedBefore, err = decode(b); err != nil {
		return nil, nil, err
	}
	liftedAfter, err = decode(a)
	return liftedBefore, liftedAfter, err
}

// names gives the fields that either of two objects has, sorted.
func names(a, b map[string]any) []string {
	both := maps.Clone(a)
	maps.Copy(both, b)
	return slices.Sorted(maps.Keys(both))
}

func fields(o model.Object) map[string]any {
	var m map[string]any
	if err := json.Unmarshal(encode(o), &m); err != nil {
		panic(err)
	}
	return m
}

// lists gives three values as lists of texts if they are such, or absent.
func lists(values ...any) (b, a, n []string, ok bool) {
	out := make([][]string, 3)
	some := false
	for i, v := range values {
		if v == nil {
			continue
		}
		l, isList := v.([]any)
		if !isList {
			return nil, nil, nil, false
		}
		some = true
		for _, e := range l {
			s, isText := e.(string)
			if !isText {
				return nil, nil, nil, false
			}
			out[i] = append(out[i], s)
		}
	}
	return out[0], out[1], out[2], some
}

func mergeList(before, after, now []string) []string {
	was, is, there := setOf(before), setOf(after), setOf(now)
	out := []string{}
	for _, s := range now {
		if !was[s] || is[s] {
			out = append(out, s)
		}
	}
	for _, s := range after {
		if !was[s] && !there[s] {
			out = append(out, s)
		}
	}
	return out
}

func setOf(list []string) map[string]bool {
	set := make(map[string]bool, len(list))
	for _, s := range list {
		set[s] = true
	}
	return set
}

// Difference gives the change that makes one design another.
func Difference(from, to *model.Design) []Op {
	more := 0
	for _, kind := range model.Kinds {
		more += max(0, to.Count(kind)-from.Count(kind))
	}
	ops := make([]Op, 0, more)
	to.All(func(o model.Object) {
		if op := Put(from, o); !Equal(op.Before, o) {
			ops = append(ops, op)
		}
	})
	var gone []Op
	from.All(func(o model.Object) {
		if to.Get(o.Kind(), o.Ident()) == nil {
			gone = append(gone, Delete(o))
		}
	})
	slices.Reverse(gone) // what refers to others goes first
	return append(ops, gone...)
}

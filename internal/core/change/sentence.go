package change

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"fachwerk/internal/core/model"
)

// Phrase is a piece of a sentence: plain text, or the name of an object, which then has a kind and an id.
type Phrase struct {
	Text string
	Kind model.Kind
	ID   string
}

// Sentence tells one thing that a change does.
type Sentence []Phrase

// String is the sentence as plain text.
func (s Sentence) String() string {
	var b strings.Builder
	for _, p := range s {
		b.WriteString(p.Text)
	}
	return b.String()
}

// Names finds what an object is called; an empty name means that it is not known.
type Names func(kind model.Kind, id string) string

// NamesIn finds names in designs, the first that knows the object.
func NamesIn(designs ...*model.Design) Names {
	return func(kind model.Kind, id string) string {
		if kind == model.KindGroup {
			switch id {
			case model.Everyone:
				return "Everyone"
			case model.Public:
				return "Public"
			}
		}
		for _, d := range designs {
			if kind == "permission" {
				if p, ok := d.Permission(id); ok && p.Key != "" {
					return p.Key
				}
				continue
			}
			if o := d.Get(kind, id); o != nil {
				return o.Title()
			}
		}
		return ""
	}
}

// teller writes sentences about one operation.
type teller struct {
	names Names
	out   []Sentence
}

func (t *teller) name(kind model.Kind, id string) Phrase {
	return Phrase{cmp.Or(t.names(kind, id), id), kind, id}
}

// say adds a sentence; its parts are texts and Parts.
func (t *teller) say(parts ...any) {
	var s Sentence
	for _, p := range parts {
		switch p := p.(type) {
		case string:
			if p != "" {
				s = append(s, Phrase{Text: p})
			}
		case Phrase:
			s = append(s, p)
		}
	}
	t.out = append(t.out, s)
}

// Sentences tells what a change does, one sentence for each thing. Names finds the names of objects that are mentioned.
func Sentences(ops []Op, names Names) []Sentence {
	told, _ := FirstSentences(ops, names, math.MaxInt)
	return told
}

// FirstSentences tells what a change does, as [Sentences] does, but no more than the first so many; and how much
// more there is: sentences, and operations that nothing was told of.
func FirstSentences(ops []Op, names Names, most int) (told []Sentence, more int) {
	own := titles(ops)
	t := &teller{names: func(kind model.Kind, id string) string {
		return cmp.Or(own[[2]string{string(kind), id}], names(kind, id))
	}}
	for i, o := range ops {
		if len(t.out) >= most {
			more = len(ops) - i
			break
		}
		t.tell(o)
	}
	if n := len(t.out); n > most {
		return t.out[:most], more + n - most
	}
	return t.out, more
}

// titles gives what the objects of a change are called after it, or were called before.
func titles(ops []Op) map[[2]string]string {
	own := make(map[[2]string]string, len(ops))
	for _, o := range ops {
		for _, v := range []model.Object{o.After, o.Before} {
			if v != nil && o.Kind != model.KindAssignment {
				own[[2]string{string(o.Kind), o.ID}] = v.Title()
				break
			}
		}
	}
	return own
}

func (t *teller) tell(o Op) {
	switch {
	case Equal(o.Before, o.After):
	case o.Kind == model.KindAssignment:
		t.assignment(o)
	case o.Before == nil:
		t.say(t.name(o.Kind, o.ID), " is added as ", article(o.Kind))
		t.contents(o, mustNew(o))
	case o.After == nil:
		t.say(t.name(o.Kind, o.ID), ", ", article(o.Kind), ", is deleted")
	default:
		t.contents(o, o.Before)
	}
}

// mustNew is an empty object to compare a new one with.
func mustNew(o Op) model.Object {
	v, err := model.New(o.Kind)
	if err != nil {
		panic(err)
	}
	return v
}

func article(k model.Kind) string {
	switch k {
	case model.KindArea, model.KindOrganisation:
		return "an " + k.Word()
	}
	return "a " + k.Word()
}

func (t *teller) contents(o Op, before model.Object) {
	b, a := fields(before), fields(o.After)
	self := t.name(o.Kind, o.ID)
	done := map[string]bool{
		"id":          true,
		"name":        o.Before == nil,
		"userName":    o.Before == nil,
		"displayName": o.Before == nil,
	}
	for _, f := range model.Fields(o.Kind) {
		if f.Joins == "" {
			continue
		}
		done[f.Name] = true
		was, is := f.Lists(before, o.After)
		t.members(f.Joins, f.Ref, is, setOf(was), self)
		t.members(f.Leaves, f.Ref, was, setOf(is), self)
	}
	if o.Kind == model.KindSystem {
		done["permissions"] = true
		t.catalogue(self, before.(*model.System), o.After.(*model.System))
	}
	if o.Before == nil {
		return // a new thing's plain fields are on its sheet
	}
	for _, f := range names(a, b) {
		if !done[f] && !reflect.DeepEqual(a[f], b[f]) {
			t.say(self, fmt.Sprintf(": %s %s", model.FieldOf(o.Kind, f).Said, t.become(o.Kind, f, b[f], a[f])))
		}
	}
}

// members tells of each thing in a list that is not among the others what it does.
func (t *teller) members(does string, kind model.Kind, list []string, others map[string]bool, self Phrase) {
	upTo, after, _ := strings.Cut(does, "|")
	for _, id := range list {
		if !others[id] {
			t.say(upTo, t.name(kind, id), after, self)
		}
	}
}

func (t *teller) catalogue(self Phrase, before, after *model.System) {
	was := map[string]*model.Permission{}
	for _, p := range before.Permissions {
		was[p.Key] = p
	}
	for _, p := range after.Permissions {
		if old := was[p.Key]; old == nil {
			t.say(Phrase{p.Key, "permission", p.Key}, " is new in ", self)
		} else if !reflect.DeepEqual(old, p) {
			t.say(Phrase{p.Key, "permission", p.Key}, " is changed in ", self)
		}
		delete(was, p.Key)
	}
	for _, key := range slices.Sorted(maps.Keys(was)) {
		t.say(Phrase{key, "permission", key}, " is gone from ", self)
	}
}

// become tells what becomes of a field; a side that says nothing is nil.
func (t *teller) become(kind model.Kind, field string, before, after any) string {
	f := model.FieldOf(kind, field)
	was, is := f.Means, f.Means
	if before != nil && before != "" {
		was = t.show(f, before)
	}
	if after != nil {
		is = t.show(f, after)
	}
	_, flagged := cmp.Or(after, before).(bool)
	switch {
	case flagged && (is == "" || is == "false"):
		return "no longer holds"
	case flagged:
		return "holds now"
	case is == "":
		return "is emptied, was " + was
	case was == "":
		return "becomes " + is
	}
	return "becomes " + is + ", was " + was
}

func (t *teller) show(f model.Field, v any) string {
	if s, ok := v.(string); ok {
		if said := Words(f, s, t.names); f.Ref != "" || said != s {
			return said
		}
		return "“" + s + "”"
	}
	return Words(f, v, t.names)
}

// Words says what a field holds, as it is read from JSON: by names, not by ids; "" if it holds nothing.
func Words(f model.Field, v any, names Names) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		if f.Ref != "" {
			return cmp.Or(names(f.Ref, v), v)
		}
		if at, err := time.Parse(time.RFC3339, v); err == nil {
			if f.Name == "until" {
				return model.Until(at)
			}
			return model.Day(at)
		}
		return v
	case bool:
		return map[bool]string{true: "yes", false: "no"}[v]
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	case []any:
		between := ", "
		if len(f.Parts()) > 0 {
			between = "; "
		}
		var all []string
		for _, x := range v {
			all = append(all, Words(f, x, names))
		}
		return strings.Join(all, between)
	case map[string]any:
		var all []string
		for _, part := range f.Parts() {
			switch said := Words(part, v[part.Name], names); {
			case said == "":
			case part.Ref != "" || len(v) == 1:
				all = append(all, said)
			default:
				all = append(all, part.Said+" "+said)
			}
		}
		return strings.Join(all, ", ")
	}
	return fmt.Sprint(v)
}

func (t *teller) assignment(o Op) {
	before, _ := o.Before.(*model.Assignment)
	after, _ := o.After.(*model.Assignment)
	a := cmp.Or(after, before)
	subject := t.name(model.KindUser, a.Subject.User)
	if a.Subject.Group != "" {
		subject = t.name(model.KindGroup, a.Subject.Group)
	}
	target := t.name(model.KindSet, a.Set)
	if a.Role != "" {
		target = t.name(model.KindRole, a.Role)
	}
	where, _ := a.Extent(func(string) string { return "" }) // the area stands after it, as a link
	place, id := any(" "+where), any("")
	if a.Area != "" {
		id = t.name(model.KindArea, a.Area)
	}
	switch {
	case before == nil:
		t.say(subject, " gets ", target, place, id, terms(a))
	case after == nil:
		t.say(subject, " loses ", target, place, id)
	default:
		b, n := fields(before), fields(after)
		var changes []string
		for _, f := range []string{"subject", "role", "set", "area", "reach", "mode", "from", "until", "reason", "contact"} {
			if !reflect.DeepEqual(b[f], n[f]) {
				changes = append(
					changes,
					model.FieldOf(model.KindAssignment, f).Said+" "+t.become(model.KindAssignment, f, b[f], n[f]),
				)
			}
		}
		t.say(subject, "’s ", target, place, id, ": "+strings.Join(changes, "; "))
	}
}

// terms says how far and how long an assignment counts, after where it does.
func terms(a *model.Assignment) string {
	_, how := a.Extent(func(id string) string { return id })
	return strings.Join(append([]string{""}, how...), ", ")
}

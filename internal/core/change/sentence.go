package change

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"reflect"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/model"
)

// Part is a piece of a sentence: plain text, or the name of an object, which then has a kind and an id.
type Part struct {
	Text string
	Kind model.Kind
	ID   string
}

// Sentence tells one thing that a change does.
type Sentence []Part

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

func (t *teller) name(kind model.Kind, id string) Part {
	return Part{cmp.Or(t.names(kind, id), id), kind, id}
}

// say adds a sentence; its parts are texts and Parts.
func (t *teller) say(parts ...any) {
	var s Sentence
	for _, p := range parts {
		switch p := p.(type) {
		case string:
			if p != "" {
				s = append(s, Part{Text: p})
			}
		case Part:
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

// FirstSentences tells what a change does, as [Sentences] does, but no more than the first so many; and how much more there is: sentences, and operations that
// nothing was told of.
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

// relations are the lists whose changes have sentences of their own: what joins and what leaves, with the texts around.
type relation struct {
	kind, field string
	of          model.Kind
	joins, cuts [2]string // before the member, and between it and the object
}

var relations = []relation{
	{"group", "users", model.KindUser, [2]string{"", " joins "}, [2]string{"", " leaves "}},
	{"group", "groups", model.KindGroup, [2]string{"", " is nested in "}, [2]string{"", " is no longer nested in "}},
	{"role", "sets", model.KindSet, [2]string{"", " is included in "}, [2]string{"", " is taken out of "}},
	{"role", "inherits", model.KindRole, [2]string{"what ", " gives is inherited by "}, [2]string{"what ", " gives is no longer inherited by "}},
	{"role", "permissions", "permission", [2]string{"", " is put into "}, [2]string{"", " is taken out of "}},
	{"role", "excludes", "permission", [2]string{"", " is excluded from "}, [2]string{"", " is no longer excluded from "}},
	{"set", "permissions", "permission", [2]string{"", " is put into "}, [2]string{"", " is taken out of "}},
	{"user", "licences", model.KindLicence, [2]string{"the licence ", " is given to "}, [2]string{"the licence ", " is taken from "}},
}

func (t *teller) contents(o Op, before model.Object) {
	b, a := fields(before), fields(o.After)
	self := t.name(o.Kind, o.ID)
	done := map[string]bool{"id": true, "name": o.Before == nil, "userName": o.Before == nil, "displayName": o.Before == nil}
	for _, r := range relations {
		if r.kind != string(o.Kind) {
			continue
		}
		done[r.field] = true
		was, is, _, _ := lists(b[r.field], a[r.field], nil)
		for _, id := range is {
			if !slices.Contains(was, id) {
				t.say(r.joins[0], t.name(r.of, id), r.joins[1], self)
			}
		}
		for _, id := range was {
			if !slices.Contains(is, id) {
				t.say(r.cuts[0], t.name(r.of, id), r.cuts[1], self)
			}
		}
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
			t.say(self, fmt.Sprintf(": %s %s", word(f), t.become(o.Kind, f, b[f], a[f])))
		}
	}
}

func (t *teller) catalogue(self Part, before, after *model.System) {
	was := map[string]*model.Permission{}
	for _, p := range before.Permissions {
		was[p.Key] = p
	}
	for _, p := range after.Permissions {
		if old := was[p.Key]; old == nil {
			t.say(Part{p.Key, "permission", p.Key}, " is new in ", self)
		} else if !reflect.DeepEqual(old, p) {
			t.say(Part{p.Key, "permission", p.Key}, " is changed in ", self)
		}
		delete(was, p.Key)
	}
	for _, key := range slices.Sorted(maps.Keys(was)) {
		t.say(Part{key, "permission", key}, " is gone from ", self)
	}
}

// word is a field's name as people say it.
func word(field string) string {
	switch field {
	case "displayName":
		return "name"
	case "userName":
		return "user name"
	case "externalId":
		return "external id"
	case "copyOf":
		return "original"
	case "lastUse":
		return "last use"
	}
	return field
}

// unsaid is what fields mean that say nothing (docs/model-file.md), in words.
var unsaid = map[model.Kind]map[string]string{
	model.KindUser:       {"state": "“active”", "source": "“local”", "area": everywhere},
	model.KindGroup:      {"source": "“local”", "kind": "“static”"},
	model.KindRole:       {"state": "“active”"},
	model.KindSet:        {"state": "“active”"},
	model.KindAssignment: {"area": everywhere, "reach": "“area”", "mode": "“full”"},
	model.KindConflict:   {"limit": "1", "where": "“same-area”"},
	model.KindDelegation: {"area": everywhere},
	model.KindLicence:    {"seats": "unlimited"},
}

const everywhere = "the whole organisation"

// become tells what becomes of a field; a side that says nothing is nil.
func (t *teller) become(kind model.Kind, field string, before, after any) string {
	was, is := unsaid[kind][field], unsaid[kind][field]
	if before != nil && before != "" {
		was = t.show(field, before)
	}
	if after != nil {
		is = t.show(field, after)
	}
	switch {
	case is == "":
		return "is emptied, was " + was
	case was == "":
		return "becomes " + is
	}
	return "becomes " + is + ", was " + was
}

var references = map[string]model.Kind{"owner": model.KindUser, "manager": model.KindUser, "area": model.KindArea, "parent": model.KindArea, "licence": model.KindLicence}

func (t *teller) show(field string, v any) string {
	if s, ok := v.(string); ok {
		if kind, refers := references[field]; refers {
			return cmp.Or(t.names(kind, s), s)
		}
		if field == "from" || field == "until" {
			if at, err := time.Parse(time.RFC3339, s); err == nil {
				return Day(at)
			}
		}
		return "“" + s + "”"
	}
	data, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(data)
}

// Day writes an instant for a sentence: the day, and the time if it is not midnight.
func Day(t time.Time) string {
	t = t.UTC()
	if t.Equal(t.Truncate(24 * time.Hour)) {
		return t.Format("2 January 2006")
	}
	return t.Format("2 January 2006 15:04")
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
	place, id := any(" over the whole organisation"), any("")
	if a.Area != "" {
		place, id = " at ", t.name(model.KindArea, a.Area)
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
				changes = append(changes, word(f)+" "+t.become(model.KindAssignment, f, b[f], n[f]))
			}
		}
		t.say(subject, "’s ", target, place, id, ": "+strings.Join(changes, "; "))
	}
}

// terms says how far and how long an assignment counts.
func terms(a *model.Assignment) string {
	s := ""
	switch a.Reach {
	case model.ReachLine:
		s += ", for records of their line"
	case model.ReachOwn:
		s += ", for their own records"
	}
	if a.Mode == model.ReadOnly {
		s += ", read-only"
	}
	if !a.From.IsZero() {
		s += ", from " + Day(a.From)
	}
	if !a.Until.IsZero() {
		s += ", until " + Day(a.Until)
	}
	return s
}

// Package filter is the rule language of groups and delegations: the filters of RFC 7644 §3.4.2.2, over people; and
// over the rows of lists, which have attributes of their own.
//
// Strings compare without regard to case, except the attributes that are ids. A multi-valued attribute matches if
// any of its values does. An attribute without a value matches nothing but ne.
package filter

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"
	"unicode"
)

// Person is what a filter sees of a user. An empty text is no value.
type Person struct {
	ID, UserName, DisplayName, Email, Title, Department, UserType string
	Active                                                        bool
	Manager                                                       string // the manager's id
	Area                                                          string // the home area's id
	State                                                         string
	Licences                                                      []string
	Qualifications                                                []Qualification
	// More gives the values of attributes that only lists have (see [Listed]); nil: none.
	More Row
}

// Qualification is one value of the attribute "qualifications".
type Qualification struct {
	Type  string
	Level *float64
	Until time.Time // zero: no value
}

// Filter is a parsed filter. It can be used by many goroutines at once.
type Filter struct {
	root node
	more bool
}

// More tells whether the filter looks at attributes that only lists have, which people need then.
func (f *Filter) More() bool { return f.more }

// Match tells whether the filter matches a person.
func (f *Filter) Match(p *Person) bool { return f.root.match(p, nil) }

// Row is what a filter over a list sees of one of its rows: the values of an attribute of the [Schema], each a
// string, float64, bool or time.Time; of an attribute with parts, a Row that gives the values of these. What is
// empty or zero counts as no value, but for numbers and flags.
type Row func(attribute string) []any

// element is one value of an attribute with parts, as a value path looks at it.
type element Row

// MatchRow tells whether the filter matches a row of the list whose schema it was parsed for.
func (f *Filter) MatchRow(r Row) bool { return f.root.match(r, nil) }

// Error is what is wrong with a filter's text.
type Error struct {
	Offset  int // in bytes, from 0, where the trouble begins
	Message string
}

func (e *Error) Error() string { return fmt.Sprintf("at character %d: %s", e.Offset+1, e.Message) }

// A node is an expression. Within a value path, q is the value looked at.
type node interface {
	match(s subject, q *Qualification) bool
}

// subject is a *Person, a Row or an element.
type subject any

type (
	and     struct{ left, right node }
	or      struct{ left, right node }
	not     struct{ inner node }
	present struct{ attr *attribute }
	compare struct {
		attr  *attribute
		op    operator
		value value
	}
	valuePath struct {
		name   string
		values func(p *Person) int // how many values the attribute has; qualifications only have an inner filter
		inner  node
		more   bool // it is an attribute that only lists have
	}
)

func (n and) match(s subject, q *Qualification) bool {
	return n.left.match(s, q) && n.right.match(s, q)
}
func (n or) match(s subject, q *Qualification) bool {
	return n.left.match(s, q) || n.right.match(s, q)
}
func (n not) match(s subject, q *Qualification) bool { return !n.inner.match(s, q) }

func (n present) match(s subject, q *Qualification) bool {
	found := false
	n.attr.each(s, q, func(value) bool { found = true; return false })
	return found
}

func (n compare) match(s subject, q *Qualification) bool {
	any, found := false, false
	n.attr.each(s, q, func(v value) bool {
		any = true
		found = n.op.holds(v, n.value)
		return !found
	})
	if !any {
		return n.op == ne
	}
	return found
}

func (n valuePath) match(s subject, _ *Qualification) bool {
	row, is := s.(Row)
	if n.more && !is {
		row, is = rowOf(s), true
	}
	if is {
		return slices.ContainsFunc(row(n.name), func(v any) bool { return n.inner.match(element(v.(Row)), nil) })
	}
	p := s.(*Person)
	if n.values != nil { // emails: at most one value, which the person stands for
		return n.values(p) > 0 && n.inner.match(p, nil)
	}
	for i := range p.Qualifications {
		if n.inner.match(p, &p.Qualifications[i]) {
			return true
		}
	}
	return false
}

type operator string

const (
	eq operator = "eq"
	ne operator = "ne"
	co operator = "co"
	sw operator = "sw"
	ew operator = "ew"
	gt operator = "gt"
	ge operator = "ge"
	lt operator = "lt"
	le operator = "le"
)

// kind is the type of an attribute.
type kind int

const (
	text kind = iota // compared without regard to case
	exact
	number
	boolean
	instant
	complex_
)

// value is one value of an attribute, or what it is compared with. Texts that compare without regard to case are
// folded.
type value struct {
	kind kind
	null bool
	text string
	num  float64
	flag bool
	time time.Time

	written string // the text before it was folded, of what is compared with
}

func (op operator) holds(have, want value) bool {
	if want.null {
		return op == ne
	}
	c := 0
	switch have.kind {
	case number:
		c = order(have.num, want.num)
	case boolean:
		if have.flag != want.flag {
			c = 1
		}
	case instant:
		c = have.time.Compare(want.time)
	default:
		switch op {
		case co:
			return strings.Contains(have.text, want.text)
		case sw:
			return strings.HasPrefix(have.text, want.text)
		case ew:
			return strings.HasSuffix(have.text, want.text)
		}
		c = strings.Compare(have.text, want.text)
	}
	switch op {
	case eq:
		return c == 0
	case ne:
		return c != 0
	case gt:
		return c > 0
	case ge:
		return c >= 0
	case lt:
		return c < 0
	default:
		return c <= 0
	}
}

func order(a, b float64) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// Fold makes texts equal that differ only in case.
func Fold(s string) string {
	for i := range len(s) {
		if c := s[i]; c >= 0x80 || 'A' <= c && c <= 'Z' {
			return strings.Map(func(r rune) rune { return unicode.ToLower(unicode.ToUpper(r)) }, s)
		}
	}
	return s
}

// Folds tells whether a text is the same as a folded one, but for case.
func Folds(s, folded string) bool {
	for i := range len(s) {
		c := s[i]
		if c >= 0x80 || i < len(folded) && folded[i] >= 0x80 {
			return Fold(s) == folded
		}
		if 'A' <= c && c <= 'Z' {
			c += 'a' - 'A'
		}
		if i >= len(folded) || c != folded[i] {
			return false
		}
	}
	return len(s) == len(folded)
}

// attribute is one name that a filter may use.
type attribute struct {
	name string
	kind kind
	each func(s subject, q *Qualification, yield func(value) bool)
	subs map[string]*attribute // of a complex attribute, by lower-case name
	// values counts the values of a complex attribute that is not qualifications.
	values func(p *Person) int
	more   bool // only lists have it
}

func single(name string, k kind, get func(p *Person) string) *attribute {
	return &attribute{name: name, kind: k, each: func(p subject, _ *Qualification, yield func(value) bool) {
		if s := get(p.(*Person)); s != "" {
			if k == text {
				s = Fold(s)
			}
			yield(value{kind: k, text: s})
		}
	}}
}

func ofQualification(name string, k kind, get func(q *Qualification) (value, bool)) *attribute {
	return &attribute{
		name: "qualifications." + name,
		kind: k,
		each: func(s subject, q *Qualification, yield func(value) bool) {
			p := s.(*Person)
			if q != nil {
				if v, ok := get(q); ok {
					yield(v)
				}
				return
			}
			for i := range p.Qualifications {
				if v, ok := get(&p.Qualifications[i]); ok && !yield(v) {
					return
				}
			}
		},
	}
}

// ofPeople are the names that a filter over people may use, in lower case.
var ofPeople = func() map[string]*attribute {
	email := single("emails.value", text, func(p *Person) string { return p.Email })
	manager := single("manager", exact, func(p *Person) string { return p.Manager })
	list := []*attribute{
		single("id", exact, func(p *Person) string { return p.ID }),
		single("userName", text, func(p *Person) string { return p.UserName }),
		single("displayName", text, func(p *Person) string { return p.DisplayName }),
		{
			name: "emails",
			kind: complex_,
			each: email.each,
			subs: map[string]*attribute{"value": email},
			values: func(p *Person) int {
				if p.Email == "" {
					return 0
				}
				return 1
			},
		},
		single("title", text, func(p *Person) string { return p.Title }),
		single("department", text, func(p *Person) string { return p.Department }),
		single("userType", text, func(p *Person) string { return p.UserType }),
		{name: "active", kind: boolean, each: func(s subject, _ *Qualification, yield func(value) bool) {
			yield(value{kind: boolean, flag: s.(*Person).Active})
		}},
		{name: "manager", kind: exact, each: manager.each, subs: map[string]*attribute{"value": manager}},
		single("area", exact, func(p *Person) string { return p.Area }),
		single("state", text, func(p *Person) string { return p.State }),
		{name: "licences", kind: exact, each: func(s subject, _ *Qualification, yield func(value) bool) {
			for _, l := range s.(*Person).Licences {
				if !yield(value{kind: exact, text: l}) {
					return
				}
			}
		}},
		{name: "qualifications", kind: complex_, each: func(s subject, _ *Qualification, yield func(value) bool) {
			if len(s.(*Person).Qualifications) > 0 {
				yield(value{kind: complex_})
			}
		}, subs: map[string]*attribute{
			"type": ofQualification("type", text, func(q *Qualification) (value, bool) {
				return value{kind: text, text: Fold(q.Type)}, q.Type != ""
			}),
			"level": ofQualification("level", number, func(q *Qualification) (value, bool) {
				if q.Level == nil {
					return value{}, false
				}
				return value{kind: number, num: *q.Level}, true
			}),
			"until": ofQualification("until", instant, func(q *Qualification) (value, bool) {
				return value{kind: instant, time: q.Until}, !q.Until.IsZero()
			}),
		}},
	}
	m := map[string]*attribute{}
	for _, a := range list {
		m[strings.ToLower(a.name)] = a
	}
	return m
}()

// Schema says which attributes the rows of a list have.
type Schema struct {
	names      []string
	attributes map[string]*attribute
	// follows lets a comparison of a part follow the bracket, as in lastUse[system eq "x"].at lt "…": the same as
	// within it.
	follows bool
	loose   bool // see [Schema.AsSent]
}

// AsSent gives the schema for filters as directories write them: a comparison of a part may follow the bracket,
// flags may stand in quotes, and eq null asks for no value at all (RFC 7643 §2.5), ne null for one.
func (s *Schema) AsSent() *Schema {
	return &Schema{names: s.names, attributes: s.attributes, follows: true, loose: true}
}

// Type is the type of an attribute of a list.
type Type int

// The types of attributes: texts that compare without regard to case, ids, numbers, flags and instants.
const (
	Text    = Type(text)
	Exact   = Type(exact)
	Number  = Type(number)
	Boolean = Type(boolean)
	Instant = Type(instant)
)

// Attribute is one attribute of the rows of a list.
type Attribute struct {
	Name  string
	Type  Type
	Parts []Attribute // of an attribute whose values have parts; it has then no type itself
}

// NewSchema makes the schema of a list.
func NewSchema(list ...Attribute) *Schema {
	s := &Schema{attributes: map[string]*attribute{}}
	for _, a := range list {
		made := &attribute{
			name: a.Name,
			kind: kind(a.Type),
			more: true,
			each: func(row subject, _ *Qualification, yield func(value) bool) {
				eachOf(rowOf(row)(a.Name), kind(a.Type), yield)
			},
		}
		if a.Parts == nil {
			s.names = append(s.names, a.Name)
		} else {
			made.kind, made.subs = complex_, map[string]*attribute{}
			made.each = func(row subject, _ *Qualification, yield func(value) bool) {
				if len(rowOf(row)(a.Name)) > 0 {
					yield(value{kind: complex_})
				}
			}
		}
		for _, part := range a.Parts {
			s.names = append(s.names, a.Name+"."+part.Name)
			made.subs[strings.ToLower(part.Name)] = &attribute{
				name: a.Name + "." + part.Name,
				kind: kind(part.Type),
				more: true,
				each: func(row subject, _ *Qualification, yield func(value) bool) {
					if e, within := row.(element); within {
						eachOf(e(part.Name), kind(part.Type), yield)
						return
					}
					for _, v := range rowOf(row)(a.Name) {
						if !eachOf(v.(Row)(part.Name), kind(part.Type), yield) {
							return
						}
					}
				},
			}
		}
		s.attributes[strings.ToLower(a.Name)] = made
	}
	return s
}

// eachOf yields a row's values; false once that is enough.
func eachOf(values []any, k kind, yield func(value) bool) bool {
	for _, v := range values {
		if have, ok := valueOf(k, v); ok && !yield(have) {
			return false
		}
	}
	return true
}

// valueOf makes a row's value one that compares; false if it is none.
func valueOf(k kind, v any) (value, bool) {
	out := value{kind: k}
	switch v := v.(type) {
	case string:
		if out.text = v; k == text {
			out.text = Fold(v)
		}
		return out, v != ""
	case float64:
		out.num = v
	case bool:
		out.flag = v
	case time.Time:
		out.time = v
		return out, !v.IsZero()
	}
	return out, true
}

// rowOf is what gives the values of attributes that only lists have.
func rowOf(s subject) Row {
	if row, is := s.(Row); is {
		return row
	}
	if p, is := s.(*Person); is && p.More != nil {
		return p.More
	}
	return func(string) []any { return nil }
}

// People is the schema of people, as [Parse] uses it.
var People = &Schema{names: Attributes, attributes: ofPeople}

// Listed is the schema of people in lists: what rules look at, and what changes without anybody's doing or would make
// rules rest on one another: the groups that they are in and the roles that they have, by id, and their last uses.
var Listed = People.with(
	Attribute{Name: "groups", Type: Exact}, Attribute{Name: "roles", Type: Exact},
	Attribute{Name: "lastUse", Parts: []Attribute{
		{Name: "system", Type: Exact}, {Name: "permission", Type: Exact}, {Name: "at", Type: Instant},
	}},
)

// with gives a schema that has more attributes.
func (s *Schema) with(list ...Attribute) *Schema {
	more := NewSchema(list...)
	out := &Schema{names: slices.Concat(s.names, more.names), attributes: maps.Clone(s.attributes), follows: true}
	maps.Copy(out.attributes, more.attributes)
	return out
}

// Looks tells whether a text that somebody typed is meant as a filter of this schema rather than as words to search
// for: whether it begins with an attribute and an operator or bracket, after "not" and parentheses if any.
func (s *Schema) Looks(text string) bool {
	t := strings.TrimLeft(text, " \t\r\n(")
	for {
		rest, negated := cutWord(t, "not")
		if !negated || !strings.HasPrefix(strings.TrimLeft(rest, " \t\r\n"), "(") {
			break
		}
		t = strings.TrimLeft(rest, " \t\r\n(")
	}
	n := 0
	for n < len(t) && (nameByte(t[n]) || t[n] == '.' || t[n] == ':') {
		n++
	}
	name := strings.ToLower(t[:n])
	for _, prefix := range schemas {
		name = strings.TrimPrefix(name, prefix)
	}
	main, _, _ := strings.Cut(name, ".")
	if s.attributes[main] == nil {
		return false
	}
	rest := strings.TrimLeft(t[n:], " \t\r\n")
	if strings.HasPrefix(rest, "[") {
		return true
	}
	for _, op := range operators {
		if _, ok := cutWord(rest, string(op)); ok {
			return true
		}
	}
	return false
}

// cutWord cuts a keyword, in any case, off the beginning of a text.
func cutWord(text, word string) (rest string, ok bool) {
	if len(text) < len(word) || !strings.EqualFold(text[:len(word)], word) ||
		len(text) > len(word) && nameByte(text[len(word)]) {
		return text, false
	}
	return text[len(word):], true
}

// operators are the words that may follow an attribute.
var operators = []operator{eq, ne, co, sw, ew, gt, ge, lt, le, "pr"}

// Attributes lists the names that a filter over people may use, as they are written.
var Attributes = []string{
	"id",
	"userName",
	"displayName",
	"emails.value",
	"title",
	"department",
	"userType",
	"active",
	"manager",
	"area",
	"state",
	"licences",
	"qualifications.type",
	"qualifications.level",
	"qualifications.until",
}

// Quote writes a text as a value in a filter: a JSON string (RFC 7644, §3.4.2.2).
func Quote(text string) string {
	var b strings.Builder
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	_ = e.Encode(text) // a text can always be written
	return strings.TrimSuffix(b.String(), "\n")
}

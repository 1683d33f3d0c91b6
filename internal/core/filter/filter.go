// Package filter is the rule language of groups and delegations: the filters of RFC 7644 §3.4.2.2, over people.
//
// Strings compare without regard to case, except the attributes that are ids. A multi-valued attribute matches if any of its values
// does. An attribute without a value matches nothing but ne.
package filter

import (
	"fmt"
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
}

// Match tells whether the filter matches a person.
func (f *Filter) Match(p *Person) bool { return f.root.match(p, nil) }

// Error is what is wrong with a filter's text.
type Error struct {
	Offset  int // in bytes, from 0, where the trouble begins
	Message string
}

func (e *Error) Error() string { return fmt.Sprintf("at character %d: %s", e.Offset+1, e.Message) }

// A node is an expression. Within a value path, q is the value looked at.
type node interface {
	match(p *Person, q *Qualification) bool
}

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
		values func(p *Person) int // how many values the attribute has; qualifications only have an inner filter
		inner  node
	}
)

func (n and) match(p *Person, q *Qualification) bool {
	return n.left.match(p, q) && n.right.match(p, q)
}
func (n or) match(p *Person, q *Qualification) bool  { return n.left.match(p, q) || n.right.match(p, q) }
func (n not) match(p *Person, q *Qualification) bool { return !n.inner.match(p, q) }

func (n present) match(p *Person, q *Qualification) bool {
	found := false
	n.attr.each(p, q, func(value) bool { found = true; return false })
	return found
}

func (n compare) match(p *Person, q *Qualification) bool {
	any, found := false, false
	n.attr.each(p, q, func(v value) bool {
		any = true
		found = n.op.holds(v, n.value)
		return !found
	})
	if !any {
		return n.op == ne
	}
	return found
}

func (n valuePath) match(p *Person, _ *Qualification) bool {
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

// value is one value of an attribute, or what it is compared with. Texts that compare without regard to case are folded.
type value struct {
	kind kind
	null bool
	text string
	num  float64
	flag bool
	time time.Time
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

// attribute is one name that a filter may use.
type attribute struct {
	name string
	kind kind
	each func(p *Person, q *Qualification, yield func(value) bool)
	subs map[string]*attribute // of a complex attribute, by lower-case name
	// values counts the values of a complex attribute that is not qualifications.
	values func(p *Person) int
}

func single(name string, k kind, get func(p *Person) string) *attribute {
	return &attribute{name: name, kind: k, each: func(p *Person, _ *Qualification, yield func(value) bool) {
		if s := get(p); s != "" {
			if k == text {
				s = Fold(s)
			}
			yield(value{kind: k, text: s})
		}
	}}
}

func ofQualification(name string, k kind, get func(q *Qualification) (value, bool)) *attribute {
	return &attribute{name: "qualifications." + name, kind: k, each: func(p *Person, q *Qualification, yield func(value) bool) {
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
	}}
}

// attributes are the names that a filter may use, in lower case.
var attributes = func() map[string]*attribute {
	email := single("emails.value", text, func(p *Person) string { return p.Email })
	manager := single("manager", exact, func(p *Person) string { return p.Manager })
	list := []*attribute{
		single("id", exact, func(p *Person) string { return p.ID }),
		single("userName", text, func(p *Person) string { return p.UserName }),
		single("displayName", text, func(p *Person) string { return p.DisplayName }),
		{name: "emails", kind: complex_, each: email.each, subs: map[string]*attribute{"value": email}, values: func(p *Person) int {
			if p.Email == "" {
				return 0
			}
			return 1
		}},
		single("title", text, func(p *Person) string { return p.Title }),
		single("department", text, func(p *Person) string { return p.Department }),
		single("userType", text, func(p *Person) string { return p.UserType }),
		{name: "active", kind: boolean, each: func(p *Person, _ *Qualification, yield func(value) bool) {
			yield(value{kind: boolean, flag: p.Active})
		}},
		{name: "manager", kind: exact, each: manager.each, subs: map[string]*attribute{"value": manager}},
		single("area", exact, func(p *Person) string { return p.Area }),
		single("state", text, func(p *Person) string { return p.State }),
		{name: "licences", kind: exact, each: func(p *Person, _ *Qualification, yield func(value) bool) {
			for _, l := range p.Licences {
				if !yield(value{kind: exact, text: l}) {
					return
				}
			}
		}},
		{name: "qualifications", kind: complex_, each: func(p *Person, _ *Qualification, yield func(value) bool) {
			if len(p.Qualifications) > 0 {
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

// Attributes lists the names that a filter may use, as they are written.
var Attributes = []string{"id", "userName", "displayName", "emails.value", "title", "department", "userType", "active", "manager", "area", "state", "licences",
	"qualifications.type", "qualifications.level", "qualifications.until"}

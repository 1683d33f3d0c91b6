package model

import (
	"reflect"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"fachwerk/internal/core/code"
)

// values checks what an object holds, whatever it is: that instants can be written, that texts are no longer than
// anybody reads and say only what is seen, and that lists end.
func (c *checker) values(a at, o Object) {
	if c.visitor == nil {
		c.visitor = c.eachValue()
	}
	c.place = a
	c.visitor.each(reflect.ValueOf(o), "")
}

// eachValue looks at the values of the object at c.place.
func (c *checker) eachValue() *visitor {
	var v *visitor
	say := func(of code.Code, format string, args ...any) {
		p := c.say(c.place, of, format, args...)
		p.Path += string(v.path)
	}
	v = &visitor{
		instant: func(t time.Time) {
			if !InYears(t) {
				say(code.Instant, "expected an instant in the years 1 to 9999 (UTC)")
			}
		},
		text: func(field, text string) {
			if field == "id" || field == "key" {
				return // their form is asked for by itself
			}
			most, lines := longest(field)
			if n := len(text); n > most && utf8.RuneCountInString(text) > most {
				say(code.Text, "expected a text of at most %d characters, not %d", most, utf8.RuneCountInString(text))
			}
			if field == "userName" && strings.ContainsFunc(text, func(r rune) bool { return unicode.Is(unicode.Cf, r) }) {
				say(code.Text, "expected a user name without characters that are not seen")
			}
			if i, r := Hidden(text, lines); i >= 0 {
				say(code.Text, "expected a text without control characters; there is one (U+%04X) after %d bytes", r, i)
			}
		},
		list: func(field string, length int) {
			if most, bounded := mostOf[field]; bounded && length > most {
				say(code.Text, "expected at most %d of these, not %d", most, length)
			}
		},
	}
	return v
}

// The most characters of a text, by its field; all others are names.
const (
	nameMost  = 200
	prose     = 4000
	ruleMost  = 20_000
	emailMost = 254 // RFC 5321, §4.5.3.1.3
)

// longest gives how long a text may be, and whether it may have several lines.
func longest(field string) (most int, lines bool) {
	switch field {
	case "description", "reason":
		return prose, true
	case "rule", "filter":
		return ruleMost, true
	case "email":
		return emailMost, false
	}
	return nameMost, false
}

// mostOf bounds lists that people write by hand; members of a group and permissions of a system have no bound.
var mostOf = map[string]int{
	"licences": 500, "qualifications": 200, "covers": 500, "implies": 500, "items": 500, "exceptions": 20_000,
	"inherits": 1000,
	"sets":     5000, "roles": 5000, "actions": 50, "lastUse": 10_000,
}

// Hidden gives where in a text of one line, or of several, something stands that is not seen or turns it round, and
// what; -1 if nothing does. It is the one rule for every text that is kept.
func Hidden(text string, lines bool) (at int, r rune) {
	at = strings.IndexFunc(text, func(r rune) bool {
		return hidden(r) && !(lines && (r == '\n' || r == '\t' || r == '\r'))
	})
	if at >= 0 {
		r, _ = utf8.DecodeRuneInString(text[at:])
	}
	return at, r
}

// hidden tells what is not seen in a text, or turns it round: control characters, and what overrides the direction of
// writing (Unicode TR 36, §2.5).
func hidden(r rune) bool {
	return unicode.IsControl(r) || r >= 0x202A && r <= 0x202E || r >= 0x2066 && r <= 0x2069 || r == 0xFEFF ||
		r == utf8.RuneError
}

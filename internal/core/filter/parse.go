package filter

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"
)

// MaxDepth is how deep parentheses, brackets and nots may nest.
const MaxDepth = 1000

// maxLength bounds a filter's text, in bytes.
const maxLength = 1 << 20

// schemas are the prefixes by which RFC 7643 qualifies the names of attributes.
var schemas = []string{
	"urn:ietf:params:scim:schemas:core:2.0:user:",
	"urn:ietf:params:scim:schemas:core:2.0:group:",
	"urn:ietf:params:scim:schemas:extension:enterprise:2.0:user:",
}

// Parse reads a filter over people. The error, if any, is an [*Error] that tells where the text goes wrong and what
// was expected.
func Parse(text string) (*Filter, error) { return People.Parse(text) }

// Parse reads a filter over the rows of a list. The error, if any, is an [*Error].
func (s *Schema) Parse(text string) (*Filter, error) { return (&parser{text: text, schema: s}).parse() }

// What a filter that somebody asks by may have. Rules that are kept, and were written earlier, may be longer.
const (
	AskedTerms  = 200
	AskedLength = 8 << 10 // bytes
)

// Ask is [Schema.Parse] of a filter that somebody asks by: of at most [AskedTerms] comparisons and [AskedLength] bytes,
// since every row is held against all of it.
func (s *Schema) Ask(text string) (*Filter, error) {
	return (&parser{text: text, schema: s, asked: true}).parse()
}

func (p *parser) parse() (f *Filter, err error) {
	defer p.failed(&err)
	p.begin()
	root := p.or(nil)
	p.space()
	if p.at < len(p.text) {
		p.fail(p.at, "expected \"and\", \"or\" or the end, not %s", p.next())
	}
	return &Filter{root, p.more}, nil
}

// Without gives a filter over people without those of its alternatives that look at one of some attributes, so that
// whoever matches it matched the whole; empty if none of them does, or no other is left.
func Without(text string, attributes []string) string {
	p := &parser{text: text, schema: People}
	if _, err := p.parse(); err != nil {
		return ""
	}
	var left []string
	for _, at := range p.either {
		part := strings.TrimSpace(text[at[0]:at[1]])
		f, err := Parse(part)
		if err != nil {
			return ""
		}
		if !slices.ContainsFunc(f.Attributes(), func(a string) bool { return slices.Contains(attributes, a) }) {
			left = append(left, part)
		}
	}
	if len(left) == len(p.either) {
		return ""
	}
	return strings.Join(left, " or ")
}

// begin refuses a text that need not be looked at.
func (p *parser) begin() {
	if p.asked && len(p.text) > AskedLength {
		p.fail(AskedLength, "the filter has more than %d bytes", AskedLength)
	}
	if len(p.text) > maxLength {
		p.fail(maxLength, "the text is too long")
	}
	if !utf8.ValidString(p.text) {
		p.fail(0, "the text is not valid UTF-8")
	}
}

// failed makes what [parser.fail] told an error.
func (p *parser) failed(err *error) {
	if r := recover(); r != nil {
		e, ours := r.(*Error)
		if !ours {
			panic(r)
		}
		*err = e
	}
}

type parser struct {
	schema *Schema
	text   string
	at     int
	depth  int
	terms  []Term   // as they were read
	either [][2]int // where the alternatives of the whole text begin and end
	more   bool     // something is looked at that only lists have
	asked  bool     // somebody asks by it, so that it is bounded
	count  int      // how many comparisons were read
}

func (p *parser) fail(offset int, format string, args ...any) {
	panic(&Error{offset, fmt.Sprintf(format, args...)})
}

func (p *parser) space() {
	for p.at < len(p.text) && strings.IndexByte(" \t\r\n", p.text[p.at]) >= 0 {
		p.at++
	}
}

// next describes what stands at the current place, for messages.
func (p *parser) next() string {
	rest := p.text[p.at:]
	if rest == "" {
		return "the end"
	}
	n := 0
	for n < len(rest) && nameByte(rest[n]) {
		n++
	}
	if n == 0 {
		_, n = utf8.DecodeRuneInString(rest)
	}
	return fmt.Sprintf("%q", rest[:min(n, 40)])
}

func nameByte(c byte) bool {
	return c == '_' || c == '-' || c == '$' || '0' <= c && c <= '9' || 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z'
}

// word takes a keyword, in any case, if it comes next.
func (p *parser) word(w string) bool {
	p.space()
	end := p.at + len(w)
	if end > len(p.text) || !strings.EqualFold(p.text[p.at:end], w) ||
		end < len(p.text) && (nameByte(p.text[end]) || strings.IndexByte(".:", p.text[end]) >= 0) {
		return false
	}
	p.at = end
	return true
}

func (p *parser) mark(c byte) bool {
	p.space()
	if p.at < len(p.text) && p.text[p.at] == c {
		p.at++
		return true
	}
	return false
}

// or, and, term: precedence is not, and, or. Inside a value path, of is the attribute whose sub-attributes are named.
func (p *parser) or(of *attribute) node {
	one := func() node {
		p.space()
		start := p.at
		n := p.and(of)
		if p.depth == 0 && of == nil {
			p.either = append(p.either, [2]int{start, p.at})
		}
		return n
	}
	n := one()
	for p.word("or") {
		n = or{n, one()}
	}
	return n
}

func (p *parser) and(of *attribute) node {
	n := p.term(of)
	for p.word("and") {
		n = and{n, p.term(of)}
	}
	return n
}

func (p *parser) deeper() {
	if p.depth++; p.depth > MaxDepth {
		p.fail(p.at, "the filter nests deeper than %d levels", MaxDepth)
	}
}

func (p *parser) group(of *attribute) node {
	start := p.at - 1
	p.deeper()
	n := p.or(of)
	if !p.mark(')') {
		p.fail(p.at, "expected \")\" for the \"(\" at character %d, not %s", start+1, p.next())
	}
	p.depth--
	return n
}

func (p *parser) term(of *attribute) node {
	if p.count++; p.asked && p.count > AskedTerms {
		p.fail(p.at, "the filter has more than %d terms", AskedTerms)
	}
	if p.mark('(') {
		return p.group(of)
	}
	if p.word("not") {
		if !p.mark('(') {
			p.fail(p.at, "expected \"(\" after \"not\", not %s", p.next())
		}
		return not{p.group(of)}
	}
	start := p.at
	a := p.attribute(of)
	p.more = p.more || a.more
	if p.at < len(p.text) && p.text[p.at] == '[' {
		return p.valuePath(a, of, start)
	}
	return p.comparison(a, start)
}

// comparison reads what follows the name of an attribute.
func (p *parser) comparison(a *attribute, start int) node {
	p.space()
	opAt := p.at
	for p.at < len(p.text) && nameByte(p.text[p.at]) {
		p.at++
	}
	op := strings.ToLower(p.text[opAt:p.at])
	if op == "pr" {
		return present{a}
	}
	if !slices.Contains(operators, operator(op)) {
		p.at = opAt
		p.fail(
			opAt,
			"expected an operator (eq, ne, co, sw, ew, gt, ge, lt, le or pr) after %q, not %s",
			a.name,
			p.next(),
		)
	}
	if p.schema.loose && (op == "eq" || op == "ne") && p.word("null") {
		if op == "ne" {
			return present{a}
		}
		return not{present{a}}
	}
	if a.kind == complex_ {
		sub, single := a.subs["value"]
		if !single {
			p.fail(start, "%q has parts: name one of %s", a.name, partsOf(a))
		}
		a = sub
	}
	v := p.value(a, operator(op), opAt)
	p.terms = append(p.terms, Term{a.name, op, v.written, p.text[start:p.at], start, p.at})
	return compare{a, operator(op), v}
}

func (p *parser) valuePath(a, of *attribute, start int) node {
	inner := p.bracket(a, of, start)
	if p.at < len(p.text) && p.text[p.at] == '.' {
		if !p.schema.follows {
			p.fail(p.at, "no name may follow the bracket: put the comparison into it")
		}
		p.at++
		inner = and{inner, p.comparison(p.attribute(a), start)}
	}
	return valuePath{a.name, a.values, inner, a.more}
}

// bracket reads the filter within the brackets that follow an attribute.
func (p *parser) bracket(a, of *attribute, start int) node {
	if of != nil {
		p.fail(p.at, "a bracket may not stand within a bracket")
	}
	if a.kind != complex_ {
		p.fail(start, "%q has no parts, so no bracket can follow it", a.name)
	}
	open := p.at
	p.at++
	p.deeper()
	inner := p.or(a)
	if !p.mark(']') {
		p.fail(p.at, "expected \"]\" for the \"[\" at character %d, not %s", open+1, p.next())
	}
	p.depth--
	return inner
}

func (p *parser) attribute(of *attribute) *attribute {
	p.space()
	start := p.at
	rest := strings.ToLower(p.text[p.at:min(len(p.text), p.at+80)])
	for _, s := range schemas {
		if strings.HasPrefix(rest, s) && of == nil {
			p.at += len(s)
		}
	}
	from := p.at
	for p.at < len(p.text) && (nameByte(p.text[p.at]) || p.text[p.at] == '.' || p.text[p.at] == ':') {
		p.at++
	}
	name := p.text[from:p.at]
	if name == "" {
		p.fail(start, "expected the name of an attribute, \"not\" or \"(\", not %s", p.next())
	}
	if of != nil {
		if a := of.subs[strings.ToLower(name)]; a != nil {
			return a
		}
		p.fail(start, "%q has no part %q: name one of %s", of.name, name, partsOf(of))
	}
	main, sub, dotted := strings.Cut(name, ".")
	a := p.schema.attributes[strings.ToLower(main)]
	if a == nil {
		p.fail(start, "there is no attribute %q: name one of %s", name, strings.Join(p.schema.names, ", "))
	}
	if dotted {
		s := a.subs[strings.ToLower(sub)]
		if s == nil {
			p.fail(start, "%q has no part %q%s", a.name, sub, hint(a))
		}
		return s
	}
	return a
}

func hint(a *attribute) string {
	if len(a.subs) == 0 {
		return ""
	}
	return ": name one of " + partsOf(a)
}

func partsOf(a *attribute) string {
	var names []string
	for name, sub := range a.subs {
		if strings.HasPrefix(sub.name, a.name+".") {
			name = sub.name[len(a.name)+1:] // as it is written
		}
		names = append(names, a.name+"."+name)
	}
	slices.Sort(names)
	return strings.Join(names, ", ")
}

// value reads what an attribute is compared with: a JSON string, number, true, false or null.
func (p *parser) value(a *attribute, op operator, opAt int) value {
	p.space()
	start := p.at
	raw := p.scanValue()
	textual := op == co || op == sw || op == ew
	ordered := op == gt || op == ge || op == lt || op == le
	switch {
	case raw == "null":
		if textual || ordered {
			p.fail(start, "%s cannot compare with null", op)
		}
		return value{kind: a.kind, null: true}
	case textual && a.kind != text && a.kind != exact:
		p.fail(opAt, "%s compares texts, and %q is not a text", op, a.name)
	case ordered && a.kind == boolean:
		p.fail(opAt, "%q is true or false, so it can only be compared by eq and ne", a.name)
	}
	v := value{kind: a.kind}
	var err error
	switch a.kind {
	case boolean:
		if unquoted := strings.ToLower(strings.Trim(raw, `"`)); p.schema.loose {
			raw = unquoted
		}
		if raw != "true" && raw != "false" {
			p.fail(start, "expected true or false for %q, not %s", a.name, raw)
		}
		v.flag = raw == "true"
	case number:
		if err = json.Unmarshal([]byte(raw), &v.num); err != nil {
			p.fail(start, "expected a number for %q, not %s", a.name, raw)
		}
	default:
		if err = json.Unmarshal([]byte(raw), &v.text); err != nil {
			p.fail(start, "expected a text in double quotes for %q, not %s", a.name, raw)
		}
		switch a.kind {
		case text:
			v.text, v.written = Fold(v.text), v.text
		case exact:
			v.written = v.text
		case instant:
			if v.time, err = time.Parse(time.RFC3339, v.text); err != nil || v.time.UTC().Year() < 1 ||
				v.time.UTC().Year() > 9999 {
				p.fail(start, "expected an instant like \"2026-01-31T00:00:00Z\" for %q, not %s", a.name, raw)
			}
		}
	}
	return v
}

func (p *parser) scanValue() string {
	start := p.at
	if p.at < len(p.text) && p.text[p.at] == '"' {
		for p.at++; p.at < len(p.text); p.at++ {
			switch p.text[p.at] {
			case '\\':
				p.at++
			case '"':
				p.at++
				raw := p.text[start:p.at]
				if !json.Valid([]byte(raw)) {
					p.fail(start, "%s is not a text as JSON writes it", raw)
				}
				return raw
			}
		}
		p.at = len(p.text)
		p.fail(start, "the text that begins here has no closing quote")
	}
	for p.at < len(p.text) && strings.IndexByte(" \t\r\n()[]", p.text[p.at]) < 0 {
		p.at++
	}
	raw := p.text[start:p.at]
	if !json.Valid([]byte(raw)) {
		p.at = start
		p.fail(start, "expected a text in double quotes, a number, true, false or null, not %s", p.next())
	}
	return raw
}

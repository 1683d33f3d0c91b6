package filter

import "strings"

// Term is one comparison of a filter, as it stands in the filter's text.
type Term struct {
	Attribute string // as the schema writes it
	Operator  string // eq, ne, co, sw, ew, gt, ge, lt or le
	Value     string // the text that it compares with; empty for numbers, flags and null
	Text      string // the whole comparison, as written

	start, end int // of value and text: where the comparison begins, and where it ends
}

// Rewrite gives a filter over people in which other words stand in place of comparisons: those that with gives for
// each, which are a filter themselves. What it gives nothing for stays as it is written. A text that is no filter is
// given back as it is.
func Rewrite(text string, with func(Term) string) string {
	p := &parser{text: text, schema: People}
	if err := p.read(); err != nil {
		return text
	}
	var b strings.Builder
	at := 0
	for _, t := range p.terms {
		words := with(t)
		if words == "" {
			continue
		}
		b.WriteString(text[at:t.start])
		b.WriteString(words)
		at = t.end
	}
	b.WriteString(text[at:])
	return b.String()
}

// read parses the text only for the terms that it has.
func (p *parser) read() (err error) {
	defer p.failed(&err)
	p.begin()
	p.or(nil)
	return nil
}

package filter

import "strings"

// Path names what a change of a resource is about: an attribute, those of its values that a filter matches, and a
// part of it or of these (RFC 7644 §3.5.2).
type Path struct {
	Attribute string // as the schema writes it
	Part      string // as the schema writes it; empty: the whole
	inner     node
}

// ParsePath reads the path of a change. The error, if any, is an [*Error].
func (s *Schema) ParsePath(text string) (path Path, err error) {
	p := &parser{text: text, schema: s, asked: true}
	defer p.failed(&err)
	p.begin()
	p.space()
	start := p.at
	a := p.attribute(nil)
	path.Attribute, path.Part, _ = strings.Cut(a.name, ".")
	if p.at < len(p.text) && p.text[p.at] == '[' {
		path.inner = p.bracket(a, nil, start)
		if p.at < len(p.text) && p.text[p.at] == '.' {
			p.at++
			_, path.Part, _ = strings.Cut(p.attribute(a).name, ".")
		}
	}
	p.space()
	if p.at < len(p.text) {
		p.fail(p.at, "expected the end of the path, not %s", p.next())
	}
	return path, nil
}

// Filtered tells whether the path is about some of the attribute's values only.
func (p Path) Filtered() bool { return p.inner != nil }

// Matches tells whether the path is about one of the attribute's values.
func (p Path) Matches(value Row) bool { return p.inner == nil || p.inner.match(element(value), nil) }

// Equal gives what a value must have in its parts to be matched, if the filter only asks for parts to be equal to
// texts and flags; false if it asks for more.
func (p Path) Equal() (parts map[string]any, ok bool) {
	parts = map[string]any{}
	var walk func(n node) bool
	walk = func(n node) bool {
		switch n := n.(type) {
		case and:
			return walk(n.left) && walk(n.right)
		case compare:
			_, part, _ := strings.Cut(n.attr.name, ".")
			switch {
			case n.op != eq || n.value.null:
				return false
			case n.value.kind == boolean:
				parts[part] = n.value.flag
			case n.value.kind == text || n.value.kind == exact:
				parts[part] = n.value.written
			default:
				return false
			}
			return true
		}
		return false
	}
	return parts, p.inner != nil && walk(p.inner)
}

// Single gives the one attribute that a filter asks to be equal to a text, and the text, if it asks for nothing
// else. A nil filter does not.
func (f *Filter) Single() (attribute, text string, ok bool) {
	if f == nil {
		return "", "", false
	}
	c, is := f.root.(compare)
	if !is || c.op != eq || c.value.null || c.value.written == "" {
		return "", "", false
	}
	return c.attr.name, c.value.written, true
}

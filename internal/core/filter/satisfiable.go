package filter

import "slices"

// settable are the attributes whose values are tried when it is decided whether filters can be satisfied.
var settable = map[string]func(p *Person, to string){
	"title":      func(p *Person, to string) { p.Title = to },
	"department": func(p *Person, to string) { p.Department = to },
	"userType":   func(p *Person, to string) { p.UserType = to },
}

// tries bounds how many combinations of values are tried.
const tries = 1 << 14

// unnamed is a value that no filter names.
const unnamed = "\x00no filter names this"

// Satisfiable tells whether a person could match all of some filters once the attributes in free have other values; of
// nobody in particular (nil), every attribute is free. It is decided on the values that the filters name, no value, and
// one that none names. Where that cannot be decided, it is true.
func Satisfiable(filters []*Filter, p *Person, free []string) bool {
	s := &solver{free: free, all: p == nil, values: map[string][]string{}}
	if p == nil {
		p = &Person{}
	}
	for _, f := range filters {
		s.gather(f.root)
	}
	names := make([]string, 0, len(s.values))
	combinations := 1 << min(s.open, 15)
	for name, values := range s.values {
		names = append(names, name)
		combinations *= len(values)
		if combinations > tries {
			return true
		}
	}
	if combinations > tries {
		return true
	}
	tried := *p
	var with func(at int) bool
	with = func(at int) bool {
		if at < len(names) {
			return slices.ContainsFunc(s.values[names[at]], func(v string) bool {
				settable[names[at]](&tried, v)
				return with(at + 1)
			})
		}
		for s.bits = range uint(1) << s.open {
			s.next = 0
			if !slices.ContainsFunc(filters, func(f *Filter) bool { return !s.holds(f.root, &tried) }) {
				return true
			}
		}
		return false
	}
	return with(0)
}

type solver struct {
	free   []string
	all    bool                // every attribute is free
	values map[string][]string // to be tried, by attribute
	open   int                 // how many parts of the filters may be so or otherwise
	bits   uint                // how they are tried
	next   uint
}

// is tells how a part of a filter that joins no others is decided: by the person as they are, by trying values, or not
// at all.
func (s *solver) is(n node) (name string, free, tried bool) {
	name = attributeOf(n)
	if !s.all && !slices.Contains(s.free, name) {
		return name, false, false
	}
	if settable[name] == nil {
		return name, true, false
	}
	switch n := n.(type) {
	case present:
		return name, true, true
	case compare:
		return name, true, n.op == eq || n.op == ne
	}
	return name, true, false
}

func (s *solver) gather(n node) {
	switch n := n.(type) {
	case and:
		s.gather(n.left)
		s.gather(n.right)
		return
	case or:
		s.gather(n.left)
		s.gather(n.right)
		return
	case not:
		s.gather(n.inner)
		return
	}
	name, free, tried := s.is(n)
	switch {
	case !free:
	case !tried:
		s.open++
	default:
		if s.values[name] == nil {
			s.values[name] = []string{"", unnamed}
		}
		if c, is := n.(compare); is && !slices.Contains(s.values[name], c.value.text) {
			s.values[name] = append(s.values[name], c.value.text)
		}
	}
}

// holds evaluates an expression; what is open takes its bits in the order in which the expression is written.
func (s *solver) holds(n node, p *Person) bool {
	switch n := n.(type) {
	case and:
		left, right := s.holds(n.left, p), s.holds(n.right, p)
		return left && right
	case or:
		left, right := s.holds(n.left, p), s.holds(n.right, p)
		return left || right
	case not:
		return !s.holds(n.inner, p)
	}
	if _, free, tried := s.is(n); free && !tried {
		bit := s.bits >> s.next & 1
		s.next++
		return bit == 1
	}
	return n.match(p, nil)
}

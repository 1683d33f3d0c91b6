package model

import (
	"strconv"
)

// at is a place in the design: one object, and a path within it. Nearly all places are never told, so the path is put
// into words only when one is.
type at struct {
	kind  Kind
	id    string
	path  string // the path up to the steps
	steps [4]step
	n     int // how many steps there are
}

// step is a field, or an element of a list.
type step struct {
	field   string // empty for an element
	element int
}

func place(kind Kind, i int, id string) at {
	return at{kind: kind, id: id, path: kind.Plural()}.element(i)
}

func (a at) field(name string) at { return a.and(step{field: name}) }
func (a at) element(i int) at     { return a.and(step{element: i}) }

func (a at) and(s step) at {
	if a.n == len(a.steps) {
		a.path, a.n = a.String(), 0
	}
	a.steps[a.n] = s
	a.n++
	return a
}

// String is the path.
func (a at) String() string {
	path := []byte(a.path)
	for _, s := range a.steps[:a.n] {
		path = s.append(path)
	}
	return string(path)
}

func (s step) append(path []byte) []byte {
	if s.field != "" {
		return append(append(path, '.'), s.field...)
	}
	return append(strconv.AppendInt(append(path, '['), int64(s.element), 10), ']')
}

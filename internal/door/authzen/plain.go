package authzen

import (
	"sync"

	"fachwerk/internal/desk/view"
)

// Programs ask much, and nearly always in the same plain words. Requests in these are read in one go, straight into
// questions. Whatever else stands in one, were it only an escape in a text, has the whole request read as the standard
// has it; so nothing is taken or refused here that would not be there.

// plain is an evaluation in plain words: what its parts say, as it lies in the request. A part that is absent is nil.
type plain struct {
	subjectType, subjectID   []byte
	action                   []byte
	resourceType, resourceID []byte
	area, owner              []byte
	hasProperties            bool
}

// with fills in the parts that are absent from the defaults of a batch.
func (p plain) with(defaults *plain) plain {
	if p.subjectType == nil {
		p.subjectType, p.subjectID = defaults.subjectType, defaults.subjectID
	}
	if p.action == nil {
		p.action = defaults.action
	}
	if p.resourceType == nil {
		p.resourceType, p.resourceID = defaults.resourceType, defaults.resourceID
		p.area, p.owner = defaults.area, defaults.owner
	}
	return p
}

// whole tells whether nothing is missing.
func (p *plain) whole() bool {
	return len(p.subjectType) > 0 && len(p.action) > 0 && len(p.resourceType) > 0
}

// question is what an evaluation asks that is whole.
func (p *plain) question() (q view.Question) {
	q.Anonymous = string(p.subjectType) == "anonymous"
	q.Known = q.Anonymous || string(p.subjectType) == "user"
	if !q.Anonymous {
		q.User = string(p.subjectID)
	}
	key := append(append(append(make([]byte, 0, 64), p.resourceType...), ':'), p.action...)
	q.Permission = string(key)
	if p.area != nil {
		q.Record.Area = known(string(p.area))
	}
	if p.owner != nil {
		q.Record.Owner = known(string(p.owner))
	}
	return q
}

// words reads a request in plain words.
type words struct {
	rest []byte
	at   int
}

// batches are used again from request to request.
var batches = sync.Pool{New: func() any { return new([]plain) }}

// evaluationsIn reads a batch in plain words: its evaluations, filled in from its defaults, one by one. They are
// appended to some memory.
func evaluationsIn(body []byte, list []plain) ([]plain, bool) {
	w := words{rest: body}
	var defaults plain
	listed := false
	ok := w.object(func(name []byte) bool {
		if string(name) != "evaluations" {
			return w.part(&defaults, name)
		}
		if listed || !w.take('[') {
			return false
		}
		listed = true
		for first := true; !w.take(']'); first = false {
			var p plain
			if !first && !w.take(',') || len(list) == maxEvaluations || !w.evaluation(&p) {
				return false
			}
			list = append(list, p)
		}
		return true
	})
	if !ok || !w.end() || len(list) == 0 {
		return nil, false
	}
	for i := range list {
		if list[i] = list[i].with(&defaults); !list[i].whole() {
			return nil, false
		}
	}
	return list, true
}

// evaluationIn reads a single evaluation in plain words.
func evaluationIn(body []byte) (p plain, ok bool) {
	w := words{rest: body}
	return p, w.evaluation(&p) && w.end() && p.whole()
}

func (w *words) evaluation(p *plain) bool {
	return w.object(func(name []byte) bool { return w.part(p, name) })
}

// part reads a part of an evaluation, if it is one that has not been read.
func (w *words) part(p *plain, name []byte) bool {
	switch string(name) {
	case "subject":
		return p.subjectType == nil && w.object(func(name []byte) bool {
			switch string(name) {
			case "type":
				return w.text(&p.subjectType)
			case "id":
				return w.text(&p.subjectID)
			}
			return false
		}) && p.subjectType != nil && p.subjectID != nil
	case "action":
		return p.action == nil && w.object(func(name []byte) bool {
			return string(name) == "name" && w.text(&p.action)
		}) && p.action != nil
	case "resource":
		return p.resourceType == nil && w.object(func(name []byte) bool {
			switch string(name) {
			case "type":
				return w.text(&p.resourceType)
			case "id":
				return w.text(&p.resourceID)
			case "properties":
				if p.hasProperties {
					return false
				}
				p.hasProperties = true
				return w.object(func(name []byte) bool {
					switch string(name) {
					case "area":
						return w.text(&p.area)
					case "owner":
						return w.text(&p.owner)
					}
					return false
				})
			}
			return false
		}) && p.resourceType != nil && p.resourceID != nil
	}
	return false
}

// object reads an object, of which value reads what each name stands for.
func (w *words) object(value func(name []byte) bool) bool {
	if !w.take('{') {
		return false
	}
	for first := true; !w.take('}'); first = false {
		var name []byte
		if !first && !w.take(',') || !w.text(&name) || !w.take(':') || !value(name) {
			return false
		}
	}
	return true
}

// text reads a text that has not been read: of ASCII, without escapes.
func (w *words) text(to *[]byte) bool {
	if *to != nil || !w.take('"') {
		return false
	}
	start := w.at
	for ; w.at < len(w.rest); w.at++ {
		switch c := w.rest[w.at]; {
		case c == '"':
			*to = w.rest[start:w.at:w.at]
			w.at++
			return true
		case c == '\\' || c < ' ' || c > '~':
			return false
		}
	}
	return false
}

// take takes the next character that is no space, if it is this one.
func (w *words) take(c byte) bool {
	w.space()
	if w.at < len(w.rest) && w.rest[w.at] == c {
		w.at++
		return true
	}
	return false
}

func (w *words) space() {
	for ; w.at < len(w.rest); w.at++ {
		if c := w.rest[w.at]; c != ' ' && c != '\n' && c != '\r' && c != '\t' {
			return
		}
	}
}

// end tells whether nothing more follows.
func (w *words) end() bool {
	w.space()
	return w.at == len(w.rest)
}

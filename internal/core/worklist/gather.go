// Package worklist gathers people by whatever names them, and tells what steps would do to each of them.
package worklist

import (
	"regexp"
	"strings"
	"sync"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/naming"
)

// Line is a piece of a text that was gathered, and whom it names.
type Line struct {
	Text  string
	User  string   // the id of the person; empty if there is nobody, or more than one
	Could []string // the ids of those whom it could mean, if there are several
	Meant string   // the id of whom it most likely means, if there is nobody
}

// People finds people by id, user name, e-mail address, external id and name, also with the family name first.
type People struct {
	mu     sync.Mutex // the finder keeps what it was asked
	finder *naming.Finder
}

// PeopleOf prepares to find the people of a design; the deleted ones are not found.
func PeopleOf(d *model.Design) *People {
	f := naming.New("person")
	for _, u := range d.Users {
		if u.State != model.UserDeleted {
			f.Add(u.ID, u.DisplayName, u.UserName, u.Email, u.ExternalID)
		}
	}
	return &People{finder: f}
}

// inBrackets is an e-mail address behind a name, as programs for mail write it.
var inBrackets = regexp.MustCompile(`^[^<>]*<([^<>\s]+@[^<>\s]+)>$`)

// Read finds whom a text names, one a line or separated by what people use: semicolons, commas, tabs, bars, or blanks
// between things that are no names. Nobody is told twice; whatever is not recognised is told.
func (p *People) Read(text string) (lines []Line) {
	p.mu.Lock()
	defer p.mu.Unlock()
	seen := map[string]bool{}
	add := func(l Line) {
		key := l.User
		if key == "" {
			key = "\x00" + strings.ToLower(l.Text)
		}
		if !seen[key] {
			seen[key] = true
			lines = append(lines, l)
		}
	}
	for line := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == '\n' || r == '\r' }) {
		for _, l := range p.pieces(line, 0) {
			add(l)
		}
	}
	return lines
}

// separators part a line, the surest first. A comma can stand within a name, a blank mostly does.
var separators = []string{";\t|", ",", " "}

// pieces reads a line, or a piece of one, that the separators from a place on can part.
func (p *People) pieces(text string, from int) []Line {
	text = strings.Trim(text, " \t\u00a0\"'`•*;,|")
	if text == "" {
		return nil
	}
	if l := p.find(text); l.User != "" {
		return []Line{l}
	}
	if from == len(separators) {
		return []Line{p.one(text)}
	}
	parts := strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(separators[from], r) })
	if len(parts) == 1 {
		return p.pieces(text, from+1)
	}
	var lines []Line
	for _, part := range parts {
		if from+1 < len(separators) {
			lines = append(lines, p.pieces(part, from+1)...)
			continue
		}
		l := p.find(strings.Trim(part, "\"'"))
		if l.User == "" { // only where each word names somebody is it not one name of several words
			return []Line{p.one(text)}
		}
		lines = append(lines, l)
	}
	return lines
}

// One reads a text that names one person, and says who is meant if it names nobody.
func (p *People) One(text string) Line {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.one(text)
}

func (p *People) one(text string) Line {
	l := p.find(text)
	if l.User == "" && l.Could == nil {
		if ids := p.finder.Called(p.finder.Suggest(text)); len(ids) > 0 {
			l.Meant = ids[0]
		}
	}
	return l
}

// find reads a text that names one person, or could name several.
func (p *People) find(text string) Line {
	l := Line{Text: text}
	tries := []string{text}
	if m := inBrackets.FindStringSubmatch(text); m != nil {
		tries = append(tries, m[1])
	}
	if family, given, two := strings.Cut(text, ","); two {
		tries = append(tries, strings.TrimSpace(given)+" "+strings.TrimSpace(family))
	}
	for _, t := range tries {
		id, could := p.finder.Named(t)
		if id != "" {
			l.User, l.Could = id, nil
			return l
		}
		if l.Could == nil {
			l.Could = could
		}
	}
	return l
}

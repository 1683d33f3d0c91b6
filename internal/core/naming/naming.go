// Package naming finds things by whatever people call them, and says what was most likely meant.
package naming

import (
	"fmt"
	"math/bits"
	"slices"
	"strings"

	"fachwerk/internal/core/filter"
)

// A Finder finds things of a kind by whatever they can be called.
type Finder struct {
	kind string              // in words
	by   map[string][]string // ids by folded texts
	Says map[string]string   // what a thing is called
	near map[string]string   // suggestions that were looked for
	all  []entry             // to look for suggestions among; nil until then
}

// entry is a text, with what tells quickly that another is far from it.
type entry struct {
	text    string
	letters uint64 // which bytes it has, modulo 64
}

// New makes a finder of things of a kind, as it is called in a sentence.
func New(kind string) *Finder {
	return &Finder{kind: kind, by: map[string][]string{}, Says: map[string]string{}, near: map[string]string{}}
}

// Add makes a thing findable by its id, by what it is called, and by other texts.
func (f *Finder) Add(id, called string, texts ...string) {
	f.Says[id] = called
	for _, t := range append([]string{id, called}, texts...) {
		f.Also(id, t)
	}
}

// Also makes a thing findable by one more text.
func (f *Finder) Also(id, text string) {
	if text = filter.Fold(strings.TrimSpace(text)); text != "" && !slices.Contains(f.by[text], id) {
		f.by[text] = append(f.by[text], id)
	}
}

// Called gives the ids of all that are called so, whatever the case.
func (f *Finder) Called(text string) []string { return f.by[filter.Fold(strings.TrimSpace(text))] }

// Named gives the id of what a text names; who is called by an id is found before who is called so by name. If it could
// be several, it gives the ids of these instead.
func (f *Finder) Named(text string) (id string, could []string) {
	text = strings.TrimSpace(text)
	if _, is := f.Says[text]; is {
		return text, nil
	}
	if could = f.Called(text); len(could) == 1 {
		return could[0], nil
	}
	return "", could
}

// Find is Named with what is wrong as an [Unknown], which says what was most likely meant.
func (f *Finder) Find(text string) (string, error) {
	switch id, could := f.Named(text); {
	case id != "":
		return id, nil
	case could == nil:
		return "", &Unknown{fmt.Sprintf("there is no %s “%s”", f.kind, strings.TrimSpace(text)), f.Suggest(text)}
	default:
		return "", &Unknown{
			fmt.Sprintf("“%s” can be %d of them: %s; name one by its id", strings.TrimSpace(text), len(could),
				strings.Join(could[:min(len(could), 4)], ", ")),
			could[0],
		}
	}
}

// Unknown is a text that names nothing, or more than one thing.
type Unknown struct{ Message, Suggestion string }

func (u *Unknown) Error() string { return u.Message }

// suggestionsMost bounds how many texts are looked for, so that a list that names nothing costs little.
const suggestionsMost = 200

// Suggest gives what was most likely meant; empty if nothing is near, or too much was looked for already.
func (f *Finder) Suggest(text string) string {
	key := filter.Fold(text)
	if s, ok := f.near[key]; ok {
		return s
	}
	if len(f.near) >= suggestionsMost {
		return ""
	}
	if len(f.all) != len(f.by) { // some came since
		f.all = f.all[:0]
		for t := range f.by {
			f.all = append(f.all, entry{t, lettersOf(t)})
		}
	}
	letters := lettersOf(key)
	best, least := "", 1+min(4, len(key)/3)
	for _, e := range f.all {
		// Each letter that is changed, added or left out makes at most two differ.
		if d := len(e.text) - len(key); d > least || -d > least || bits.OnesCount64(e.letters^letters) > 2*least {
			continue
		}
		switch d, says := distance(key, e.text, least+1), f.Says[f.by[e.text][0]]; {
		case d < least, d == least && best != "" && says < best:
			best, least = says, d
		}
	}
	f.near[key] = best
	return best
}

func lettersOf(text string) (letters uint64) {
	for _, c := range []byte(text) {
		letters |= 1 << (c & 63)
	}
	return letters
}

// distance is how many letters must be changed, added or left out to make one text the other; most, if it is more.
func distance(a, b string, most int) int {
	if d := len(a) - len(b); d >= most || -d >= most {
		return most
	}
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		before, least := row[0], i+1
		row[0] = i + 1
		for j := range len(b) {
			cost := before
			if a[i] != b[j] {
				cost++
			}
			before = row[j+1]
			row[j+1] = min(cost, row[j]+1, row[j+1]+1)
			least = min(least, row[j+1])
		}
		if least >= most {
			return most
		}
	}
	return min(row[len(b)], most)
}

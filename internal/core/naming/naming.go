// Package naming finds things by whatever people call them, and says what was most likely meant.
package naming

import (
	"fmt"
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
}

func New(kind string) *Finder {
	return &Finder{kind, map[string][]string{}, map[string]string{}, map[string]string{}}
}

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

// Find gives the id of what a text names; who is called by an id is found before who is called so by name.
func (f *Finder) Find(text string) (string, error) {
	text = strings.TrimSpace(text)
	if _, is := f.Says[text]; is {
		return text, nil
	}
	switch ids := f.Called(text); len(ids) {
	case 1:
		return ids[0], nil
	case 0:
		return "", &Unknown{fmt.Sprintf("there is no %s “%s”", f.kind, text), f.Suggest(text)}
	default:
		list := ids[:min(len(ids), 4)]
		return "", &Unknown{
			fmt.Sprintf("“%s” can be %d of them: %s; name one by its id", text, len(ids), strings.Join(list, ", ")),
			ids[0],
		}
	}
}

// Unknown is a text that names nothing, or more than one thing.
type Unknown struct{ Message, Suggestion string }

func (u *Unknown) Error() string { return u.Message }

// Suggest gives what was most likely meant; empty if nothing is near.
func (f *Finder) Suggest(text string) string {
	key := filter.Fold(text)
	if s, ok := f.near[key]; ok {
		return s
	}
	if len(f.near) > 300 && len(f.by) > 5000 {
		return "" // a whole column that names nothing: to look for each would take long and tell little
	}
	best, least := "", 1+min(4, len(key)/3)
	for t, ids := range f.by {
		switch d, says := distance(key, t, least+1), f.Says[ids[0]]; {
		case d < least, d == least && best != "" && says < best:
			best, least = says, d
		}
	}
	f.near[key] = best
	return best
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

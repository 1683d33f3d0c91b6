package intake

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/model"
)

// finder finds things of a kind by whatever they can be called.
type finder struct {
	kind string              // in words
	by   map[string][]string // ids by folded texts
	says map[string]string   // what a thing is called
	near map[string]string   // suggestions that were looked for
}

func newFinder(kind string) *finder {
	return &finder{kind, map[string][]string{}, map[string]string{}, map[string]string{}}
}

func (f *finder) add(id, called string, texts ...string) {
	f.says[id] = called
	for _, t := range append([]string{id, called}, texts...) {
		f.also(id, t)
	}
}

// also makes a thing findable by one more text.
func (f *finder) also(id, text string) {
	if text = filter.Fold(strings.TrimSpace(text)); text != "" && !slices.Contains(f.by[text], id) {
		f.by[text] = append(f.by[text], id)
	}
}

// find gives the id of what a text names; who is called by an id is found before who is called so by name.
func (f *finder) find(text string) (string, error) {
	text = strings.TrimSpace(text)
	if _, is := f.says[text]; is {
		return text, nil
	}
	switch ids := f.by[filter.Fold(text)]; len(ids) {
	case 1:
		return ids[0], nil
	case 0:
		return "", &unknown{fmt.Sprintf("there is no %s “%s”", f.kind, text), f.suggest(text)}
	default:
		list := ids[:min(len(ids), 4)]
		return "", &unknown{
			fmt.Sprintf("“%s” can be %d of them: %s; name one by its id", text, len(ids), strings.Join(list, ", ")),
			ids[0],
		}
	}
}

// unknown is a text that names nothing, or more than one thing.
type unknown struct{ message, suggestion string }

func (u *unknown) Error() string { return u.message }

// suggest gives what was most likely meant; empty if nothing is near.
func (f *finder) suggest(text string) string {
	key := filter.Fold(text)
	if s, ok := f.near[key]; ok {
		return s
	}
	if len(f.near) > 300 && len(f.by) > 5000 {
		return "" // a whole column that names nothing: to look for each would take long and tell little
	}
	best, least := "", 1+min(4, len(key)/3)
	for t, ids := range f.by {
		switch d, says := distance(key, t, least+1), f.says[ids[0]]; {
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

// names finds everything that rows can name.
type names struct {
	users, groups, roles, targets, areas, licences, systems, states *finder
}

func resolver(d *model.Design) *names {
	n := &names{
		newFinder("person"),
		newFinder("group"),
		newFinder("role"),
		newFinder("role or permission set"),
		newFinder("area"),
		newFinder("licence"),
		newFinder("system"),
		newFinder("state"),
	}
	for _, u := range d.Users {
		if u.State != model.UserDeleted {
			n.users.add(u.ID, u.DisplayName, u.UserName, u.Email, u.ExternalID)
		}
	}
	for _, g := range d.Groups {
		n.groups.add(g.ID, g.Name, g.ExternalID)
	}
	for _, r := range d.Roles {
		if r.State == model.Active {
			n.roles.add(r.ID, r.Name)
			n.targets.add("role:"+r.ID, r.Name, r.ID)
		}
	}
	for _, s := range d.Sets {
		if s.State == model.Active {
			n.targets.add("set:"+s.ID, s.Name, s.ID)
		}
	}
	for _, a := range d.Areas {
		n.areas.add(a.ID, a.Name)
	}
	for _, l := range d.Licences {
		n.licences.add(l.ID, l.Name)
	}
	for _, s := range d.Systems {
		n.systems.add(s.ID, s.Name)
	}
	for _, s := range []model.UserState{model.UserInvited, model.UserActive, model.UserLocked, model.UserDeactivated} {
		n.states.add(string(s), string(s))
	}
	for _, word := range []string{"yes", "enabled", "true", "current"} {
		n.states.also(string(model.UserActive), word)
	}
	for _, word := range []string{"no", "inactive", "disabled", "false", "left", "terminated"} {
		n.states.also(string(model.UserDeactivated), word)
	}
	return n
}

// split gives the values of a cell that can hold several.
func split(cell string) (out []string) {
	for one := range strings.FieldsFuncSeq(cell, func(r rune) bool { return r == ';' || r == '|' || r == '\n' }) {
		if one = strings.TrimSpace(one); one != "" {
			out = append(out, one)
		}
	}
	return out
}

// forms are how instants and days are written, the unmistakable ones first.
var forms = []string{
	time.RFC3339,
	"2006-01-02T15:04:05",
	"2006-01-02 15:04:05",
	"2006-01-02 15:04",
	time.DateOnly,
	"02.01.2006 15:04",
	"02.01.2006",
	"2.1.2006",
	"2 January 2006",
	"2 Jan 2006",
	"2006/01/02",
	"20060102150405Z",
	"20060102",
}

// instant reads an instant; a day is its beginning in UTC. With slashes, days and months cannot be told apart, so
// only a year in front is understood.
func instant(text string) (time.Time, error) {
	for _, f := range forms {
		if t, err := time.Parse(f, strings.TrimSpace(text)); err == nil {
			if !model.InYears(t) {
				return time.Time{}, fmt.Errorf("“%s” lies outside the years 1 to 9999", text)
			}
			return t.UTC(), nil
		}
	}
	return time.Time{}, fmt.Errorf("“%s” is no day like 2026-01-31 or 31.01.2026", text)
}

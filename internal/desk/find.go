package desk

import (
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Found is something that the finder offers: a thing, or a question with its answer in short.
type Found struct {
	Kind  string `json:"kind" doc:"Of a thing; \"question\" otherwise"`
	ID    string `json:"id"`
	Name  string `json:"name"`
	Note  string `json:"note"`
	To    string `json:"to" doc:"Where in the interface it is, as a path; empty for a thing, whose kind and id say so"`
	score int
}

const mostFound = 40

// findable are the kinds of thing that can be found, those first that are looked for most.
var findable = []model.Kind{model.KindUser, model.KindRole, model.KindGroup, model.KindSet, index.KindPermission, model.KindArea, model.KindSystem, model.KindDelegation, model.KindConflict, model.KindLicence}

// Find gives what fits the words that somebody types, best first: things by any of their words, and answers to questions like "who can override gates at
// Terminal 1" or "why can't Noor edit rates".
func (d *Desk) Find(who Actor, text string) ([]Found, error) {
	s, err := d.see(who)
	if err != nil {
		return nil, err
	}
	words := strings.Fields(model.Fold(text))
	if len(words) == 0 {
		return []Found{}, nil
	}
	out := s.questions(words)
	for rank, kind := range findable {
		for _, e := range s.entries(kind) {
			if e.has(words) {
				out = append(out, Found{Kind: string(kind), ID: e.node.ID, Name: e.name, score: e.score(words)*len(findable) - rank})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Found) int { return cmp.Compare(b.score, a.score) })
	out = out[:min(len(out), mostFound)]
	for i := range out {
		if out[i].Kind != "question" {
			out[i].Note = s.brief(model.Kind(out[i].Kind), out[i].ID)
		}
	}
	return out, nil
}

// score tells how well a thing that has all the words fits: a name that is or begins with what was typed before one that has a word which does, before the rest.
func (e entry) score(words []string) int {
	typed := strings.Join(words, " ")
	switch {
	case e.sort == typed || model.Fold(e.node.ID) == typed:
		return 5
	case strings.HasPrefix(e.sort, typed):
		return 4
	}
	parts := strings.FieldsFunc(e.sort, func(r rune) bool { return strings.ContainsRune(" -.:_’", r) })
	begins, within := 0, 0
	for _, w := range words {
		if slices.ContainsFunc(parts, func(p string) bool { return strings.HasPrefix(p, w) }) {
			begins++
		} else if strings.Contains(e.sort, w) {
			within++
		}
	}
	switch {
	case begins == len(words):
		return 3
	case begins+within == len(words):
		return 2
	}
	return 1
}

// brief says in a few words what a thing is.
func (s *sight) brief(kind model.Kind, id string) string {
	switch o := s.design().Get(kind, id).(type) {
	case *model.Area:
		return strings.TrimSpace(o.Type + " · " + count(s.atHome(id), "person", "people"))
	case *model.System:
		return count(len(o.Permissions), "permission", "permissions")
	case *model.Delegation:
		return "to " + s.subject(o.Delegate).Name
	case *model.Conflict:
		return strings.Join(s.items(o.Items), " + ")
	}
	return s.summary(index.Node{Kind: kind, ID: id})
}

// questions reads what was typed as a question, and answers it in short.
func (s *sight) questions(words []string) []Found {
	rest := func(openings ...string) ([]string, bool) {
		for _, o := range openings {
			n := len(strings.Fields(o))
			if len(words) > n && strings.Join(words[:n], " ") == o {
				return words[n:], true
			}
		}
		return nil, false
	}
	if w, ok := rest("who can", "who may", "who could", "who has", "who holds"); ok {
		return s.whoCan(w)
	}
	if w, ok := rest("why can't", "why can’t", "why cannot", "why cant", "why can", "why may", "why does", "can", "may"); ok {
		return s.whetherCan(w)
	}
	if w, ok := rest("what can", "what may", "what has", "what does"); ok {
		return s.whatCan(w)
	}
	return nil
}

// fitting are how many readings of a question are offered.
const fitting = 5

// whoCan answers "who can override gates at Terminal 1".
func (s *sight) whoCan(words []string) (out []Found) {
	words, where := s.place(words)
	for i, key := range s.permissionsLike(words) {
		if i == fitting {
			break
		}
		holders := s.holderCount(index.KindPermission, key)
		if where.ID != "" {
			holders = len(s.index.WhoHolds(index.Some{Keys: []string{key}, Area: where.ID}, s.at))
		}
		f := Found{Kind: "question", ID: "who " + key, Name: "Who can " + s.say(key), Note: count(holders, "person", "people"), To: "/who?what=" + url.QueryEscape(key), score: 1000 - i}
		if where.ID != "" {
			f.Name += " at " + where.Name
			f.To += "&where=" + url.QueryEscape(where.ID)
		}
		f.Name += "?"
		out = append(out, f)
	}
	return out
}

// say puts a permission into words after "can".
func (s *sight) say(key string) string {
	p, _ := s.design().Permission(key)
	if p.Label == "" {
		return "use " + key
	}
	return strings.ToLower(p.Label[:1]) + p.Label[1:] + " (" + key + ")"
}

// whetherCan answers "why can't Noor edit rates": the person is the longest beginning that names somebody.
func (s *sight) whetherCan(words []string) (out []Found) {
	words, where := s.place(words)
	if len(words) > 1 && (words[len(words)-1] == "?" || words[len(words)-1] == "have" || words[len(words)-1] == "hold") {
		words = words[:len(words)-1]
	}
	for n := min(3, len(words)-1); n > 0; n-- {
		people := s.named(words[:n])
		if len(people) == 0 {
			continue
		}
		keys := s.permissionsLike(words[n:])
		for i, u := range people[:min(len(people), 3)] {
			for j, key := range keys[:min(len(keys), 3)] {
				to := "/people/" + url.PathEscape(u.ID) + "?all=1&permission=" + url.QueryEscape(key)
				tail := ""
				if where.ID != "" {
					to += "&where=" + url.QueryEscape(where.ID)
					tail = " at " + where.Name
				}
				f := Found{Kind: "question", ID: u.ID + " " + key, To: to, score: 1000 - 10*j - i}
				if s.holdsAt(u.ID, key, cmp.Or(where.ID, s.design().Root())) {
					f.Name, f.Note = fmt.Sprintf("Why can %s %s%s?", u.Name, s.say(key), tail), "held: see every way"
				} else {
					f.Name, f.Note = fmt.Sprintf("Why can’t %s %s%s?", u.Name, s.say(key), tail), "not held"
					if why := s.index.WhyNot(u.ID, key, index.Record{Area: where.ID}, s.at); len(why) > 0 {
						f.Note = "not held: " + obstacleWord(why[0].Obstacle)
					}
				}
				out = append(out, f)
			}
		}
		return out
	}
	return nil
}

// whatCan answers "what can Noor do".
func (s *sight) whatCan(words []string) (out []Found) {
	if last := words[len(words)-1]; len(words) > 1 && (last == "do" || last == "see" || last == "have" || last == "do?") {
		words = words[:len(words)-1]
	}
	words, where := s.place(words)
	for i, u := range s.named(words) {
		if i == fitting {
			break
		}
		f := Found{Kind: "question", ID: "what " + u.ID, Name: "What can " + u.Name + " do?", Note: s.note(index.Node{Kind: model.KindUser, ID: u.ID}), To: "/people/" + url.PathEscape(u.ID), score: 1000 - i}
		if where.ID != "" {
			f.To += "?where=" + url.QueryEscape(where.ID)
		}
		out = append(out, f)
	}
	return out
}

// named gives the people whose names begin with the words, those first who have them as whole names.
func (s *sight) named(words []string) []Ref {
	var whole, begin []Ref
	for _, e := range s.entries(model.KindUser) {
		if len(words) == 0 || e.score(words) < 3 {
			continue
		}
		r := Ref{string(model.KindUser), e.node.ID, e.name}
		if names := strings.Fields(e.sort); slices.ContainsFunc(words, func(w string) bool { return !slices.Contains(names, w) }) {
			begin = append(begin, r)
		} else {
			whole = append(whole, r)
		}
	}
	return append(whole, begin...)
}

// place cuts the area off the end of a question: "at Terminal 1", "in the Cold Store".
func (s *sight) place(words []string) ([]string, Ref) {
	for i := len(words) - 2; i > 0; i-- {
		if words[i] != "at" && words[i] != "in" && words[i] != "on" {
			continue
		}
		name := words[i+1:]
		if name[0] == "the" && len(name) > 1 {
			name = name[1:]
		}
		best, found := entry{}, 0
		for _, e := range s.entries(model.KindArea) {
			if n := e.score(trimmed(name)); e.has(trimmed(name)) && n > found {
				best, found = e, n
			}
		}
		if found > 0 {
			return words[:i], Ref{string(model.KindArea), best.node.ID, best.name}
		}
	}
	return words, Ref{}
}

func trimmed(words []string) []string {
	out := slices.Clone(words)
	out[len(out)-1] = strings.TrimSuffix(out[len(out)-1], "?")
	return slices.DeleteFunc(out, func(w string) bool { return w == "" })
}

// fillers are words of questions that say nothing of a permission.
var fillers = []string{"the", "a", "an", "any", "all", "to", "for", "of", "use", "do"}

// permissionsLike gives the permissions that words are about, those first whose keys have most of them. A word fits in the singular too.
func (s *sight) permissionsLike(words []string) []string {
	words = slices.DeleteFunc(trimmed(words), func(w string) bool { return slices.Contains(fillers, w) })
	if len(words) == 0 {
		return nil
	}
	type hit struct {
		key   string
		score int
	}
	var hits []hit
	for _, e := range s.entries(index.KindPermission) {
		score, all := 0, true
		parts := strings.FieldsFunc(e.sort, func(r rune) bool { return strings.ContainsRune(":.-", r) })
		for _, w := range words {
			n := 0
			for _, form := range singular(w) {
				switch {
				case slices.Contains(parts, form):
					n = max(n, 9)
				case slices.ContainsFunc(parts, func(p string) bool { return strings.HasPrefix(p, form) }):
					n = max(n, 4)
				case strings.Contains(e.sort, form):
					n = max(n, 2)
				case strings.Contains(e.words, form):
					n = max(n, 1)
				}
			}
			score += n
			all = all && n > 0
		}
		if all {
			hits = append(hits, hit{e.node.ID, score*100 - len(e.sort)})
		}
	}
	slices.SortStableFunc(hits, func(a, b hit) int { return b.score - a.score })
	out := make([]string, len(hits))
	for i, h := range hits {
		out[i] = h.key
	}
	return out
}

// singular gives the forms of an English word that a key could have: itself, and without the endings of the plural.
func singular(w string) []string {
	out := []string{w}
	for _, end := range []string{"s", "es"} {
		if s, cut := strings.CutSuffix(w, end); cut && len(s) > 2 {
			out = append(out, s)
		}
	}
	return out
}

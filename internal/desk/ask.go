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
	if w, ok := rest("compare", "how do", "how does", "what differs between"); ok {
		return s.comparing(w)
	}
	if w, ok := rest("closest fit for", "closest fit", "what fits", "which role lets somebody", "which role lets someone", "which role can", "which roles can", "which role gives"); ok {
		return s.fittings(w)
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

// beside are the words that stand between two things that are compared, and after the last.
var beside = []string{"with", "and", "to", "from", "vs", "versus", "beside", "differ", "differ?", "compare", "compare?", ","}

// comparing answers "compare Tomasz with Noor" and "how do Gate clerk and Gate lead differ": each name is taken for what it fits best, and where several fit
// as well, the readings stand below each other.
func (s *sight) comparing(words []string) (out []Found) {
	readings := [][]Ref{nil}
	for _, part := range split(words, beside) {
		var more [][]Ref
		things := s.closest(trimmed(part), model.KindUser, model.KindRole, model.KindGroup, model.KindSet, model.KindLicence)
		for _, r := range readings {
			for _, t := range things {
				if !slices.Contains(r, t) && len(more) < fitting {
					more = append(more, append(slices.Clone(r), t))
				}
			}
		}
		readings = more
	}
	for i, r := range readings {
		if len(r) < 2 || len(r) > mostCompared {
			continue
		}
		var ids, said []string
		for _, t := range r {
			ids, said = append(ids, t.Kind+":"+t.ID), append(said, t.Name)
		}
		last := len(said) - 1
		out = append(out, Found{Kind: "question", ID: "compare " + strings.Join(ids, " "), Name: "How do " + strings.Join(said[:last], ", ") + " and " + said[last] + " differ?", Note: "side by side", To: "/compare?things=" + url.QueryEscape(strings.Join(ids, ",")), score: 1000 - i})
	}
	return out
}

// fittings answers "closest fit for edit rates and view bookings": each part is taken for the permission that it fits best.
func (s *sight) fittings(words []string) []Found {
	var need, said []string
	for _, part := range split(words, []string{"and", ",", "with", "plus"}) {
		keys := s.permissionsLike(part)
		if len(keys) == 0 {
			return nil
		}
		if !slices.Contains(need, keys[0]) {
			need, said = append(need, keys[0]), append(said, s.say(keys[0]))
		}
	}
	if len(need) == 0 {
		return nil
	}
	return []Found{{Kind: "question", ID: "fit", Name: "Which role fits best to " + strings.Join(said, " and to ") + "?", Note: "closest fit", To: "/fit?need=" + url.QueryEscape(strings.Join(need, ",")), score: 1000}}
}

// split cuts words at those that only join; a comma joins too, wherever it stands.
func split(words, joining []string) (parts [][]string) {
	words = strings.Fields(strings.ReplaceAll(strings.Join(words, " "), ",", " , "))
	var part []string
	for _, w := range append(words, joining[0]) {
		if !slices.Contains(joining, w) {
			part = append(part, w)
		} else if part != nil {
			parts, part = append(parts, part), nil
		}
	}
	return parts
}

// closest gives the things of these kinds that words fit best and equally well, the first kind before the next.
func (s *sight) closest(words []string, kinds ...model.Kind) (out []Ref) {
	if len(words) == 0 {
		return nil
	}
	best := 1 // a thing that has the words in its notes alone is not named by them
	for _, k := range kinds {
		for _, e := range s.entries(k) {
			if !e.has(words) {
				continue
			}
			n := e.score(words)
			if n > best {
				best, out = n, nil
			}
			if n == best && n > 1 {
				out = append(out, Ref{string(k), e.node.ID, e.name})
			}
		}
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
		if areas := s.closest(trimmed(name), model.KindArea); len(areas) > 0 {
			return words[:i], areas[0]
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

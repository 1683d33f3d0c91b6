package ask

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
)

// questions reads what was typed as a question, and answers it in short.
func questions(s *desk.Sight, words []string) []Found {
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
		return askWhoCan(s, w)
	}
	if w, ok := rest("why can't", "why can’t", "why cannot", "why cant", "why can", "why may", "why does", "can",
		"may"); ok {
		return whetherCan(s, w)
	}
	if w, ok := rest("what can", "what may", "what has", "what does"); ok {
		return whatCan(s, w)
	}
	if w, ok := rest("compare", "how do", "how does", "what differs between"); ok {
		return comparing(s, w)
	}
	if w, ok := rest("closest fit for", "closest fit", "what fits", "which role lets somebody", "which role lets someone",
		"which role can", "which roles can", "which role gives"); ok {
		return fittings(s, w)
	}
	return nil
}

// fitting are how many readings of a question are offered.
const fitting = 5

// whoCan answers "who can override gates at Terminal 1".
func askWhoCan(s *desk.Sight, words []string) (out []Found) {
	words, where := place(s, words)
	for i, key := range permissionsLike(s, words) {
		if i == fitting {
			break
		}
		holders := view.HolderCount(s, index.KindPermission, key)
		if where.ID != "" {
			holders = len(s.Index.WhoHolds(index.Some{Keys: []string{key}, Area: where.ID}, s.At))
		}
		f := Found{
			Kind:  "question",
			ID:    "who " + key,
			Name:  "Who can " + say(s, key),
			Note:  desk.Count(holders, "person", "people"),
			Asks:  &Asking{About: "who", Permissions: []string{key}, Where: where.ID},
			score: 1000 - i,
		}
		if where.ID != "" {
			f.Name += " at " + where.Name
		}
		f.Name += "?"
		out = append(out, f)
	}
	return out
}

// say puts a permission into words after "can".
func say(s *desk.Sight, key string) string {
	p, _ := s.Design().Permission(key)
	if p.Label == "" {
		return "use " + key
	}
	return strings.ToLower(p.Label[:1]) + p.Label[1:] + " (" + key + ")"
}

// whetherCan answers "why can't Noor edit rates": the person is the longest beginning that names somebody.
func whetherCan(s *desk.Sight, words []string) (out []Found) {
	words, where := place(s, words)
	if len(words) > 1 &&
		(words[len(words)-1] == "?" || words[len(words)-1] == "have" || words[len(words)-1] == "hold") {
		words = words[:len(words)-1]
	}
	for n := min(3, len(words)-1); n > 0; n-- {
		people := named(s, words[:n])
		if len(people) == 0 {
			continue
		}
		keys := permissionsLike(s, words[n:])
		for i, u := range people[:min(len(people), 3)] {
			for j, key := range keys[:min(len(keys), 3)] {
				tail := ""
				if where.ID != "" {
					tail = " at " + where.Name
				}
				f := Found{Kind: "question", ID: u.ID + " " + key, score: 1000 - 10*j - i}
				f.Asks = &Asking{About: "person", Things: []desk.Ref{u}, Permissions: []string{key}, Where: where.ID}
				if view.HoldsAt(s, u.ID, key, cmp.Or(where.ID, s.Design().Root())) {
					f.Name, f.Note = fmt.Sprintf("Why can %s %s%s?", u.Name, say(s, key), tail), "held: see every way"
				} else {
					f.Name, f.Note = fmt.Sprintf("Why can’t %s %s%s?", u.Name, say(s, key), tail), "not held"
					if why := s.Index.WhyNot(u.ID, key, index.Record{Area: where.ID}, s.At); len(why) > 0 {
						f.Note = "not held: " + view.ObstacleWord(why[0].Obstacle)
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
func whatCan(s *desk.Sight, words []string) (out []Found) {
	if last := words[len(words)-1]; len(words) > 1 &&
		(last == "do" || last == "see" || last == "have" || last == "do?") {
		words = words[:len(words)-1]
	}
	words, where := place(s, words)
	for i, u := range named(s, words) {
		if i == fitting {
			break
		}
		out = append(out, Found{
			Kind:  "question",
			ID:    "what " + u.ID,
			Name:  "What can " + u.Name + " do?",
			Note:  s.Note(index.Node{Kind: model.KindUser, ID: u.ID}),
			Asks:  &Asking{About: "person", Things: []desk.Ref{u}, Where: where.ID},
			score: 1000 - i,
		})
	}
	return out
}

// beside are the words that stand between two things that are compared, and after the last.
var beside = []string{
	"with",
	"and",
	"to",
	"from",
	"vs",
	"versus",
	"beside",
	"differ",
	"differ?",
	"compare",
	"compare?",
	",",
}

// comparing answers "compare Tomasz with Noor" and "how do Gate clerk and Gate lead differ": each name is taken for
// what it fits best, and where several fit as well, the readings stand below each other.
func comparing(s *desk.Sight, words []string) (out []Found) {
	readings := [][]desk.Ref{nil}
	for _, part := range split(words, beside) {
		var more [][]desk.Ref
		things := closest(
			s,
			trimmed(part),
			model.KindUser,
			model.KindRole,
			model.KindGroup,
			model.KindSet,
			model.KindLicence,
		)
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
		out = append(
			out,
			Found{
				Kind:  "question",
				ID:    "compare " + strings.Join(ids, " "),
				Name:  "How do " + strings.Join(said[:last], ", ") + " and " + said[last] + " differ?",
				Note:  "side by side",
				Asks:  &Asking{About: "differences", Things: r},
				score: 1000 - i,
			},
		)
	}
	return out
}

// fittings answers "closest fit for edit rates and view bookings": each part is taken for the permission that it
// fits best.
func fittings(s *desk.Sight, words []string) []Found {
	var need, said []string
	for _, part := range split(words, []string{"and", ",", "with", "plus"}) {
		keys := permissionsLike(s, part)
		if len(keys) == 0 {
			return nil
		}
		if !slices.Contains(need, keys[0]) {
			need, said = append(need, keys[0]), append(said, say(s, keys[0]))
		}
	}
	if len(need) == 0 {
		return nil
	}
	return []Found{
		{
			Kind:  "question",
			ID:    "fit",
			Name:  "Which role fits best to " + strings.Join(said, " and to ") + "?",
			Note:  "closest fit",
			Asks:  &Asking{About: "fit", Permissions: need},
			score: 1000,
		},
	}
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
func closest(s *desk.Sight, words []string, kinds ...model.Kind) (out []desk.Ref) {
	if len(words) == 0 {
		return nil
	}
	best := 1 // a thing that has the words in its notes alone is not named by them
	for _, k := range kinds {
		for _, e := range s.Entries(k) {
			if !e.Has(words) {
				continue
			}
			n := e.Score(words)
			if n > best {
				best, out = n, nil
			}
			if n == best && n > 1 {
				out = append(out, desk.Ref{Kind: string(k), ID: e.Node.ID, Name: e.Name})
			}
		}
	}
	return out
}

// named gives the people whose names begin with the words, those first who have them as whole names.
func named(s *desk.Sight, words []string) []desk.Ref {
	var whole, begin []desk.Ref
	for _, e := range s.Entries(model.KindUser) {
		if len(words) == 0 || e.Score(words) < 3 {
			continue
		}
		r := desk.Ref{Kind: string(model.KindUser), ID: e.Node.ID, Name: e.Name}
		if names := strings.Fields(e.Sort); slices.ContainsFunc(
			words,
			func(w string) bool { return !slices.Contains(names, w) },
		) {
			begin = append(begin, r)
		} else {
			whole = append(whole, r)
		}
	}
	return append(whole, begin...)
}

// place cuts the area off the end of a question: "at Terminal 1", "in the Cold Store".
func place(s *desk.Sight, words []string) ([]string, desk.Ref) {
	for i := len(words) - 2; i > 0; i-- {
		if words[i] != "at" && words[i] != "in" && words[i] != "on" {
			continue
		}
		name := words[i+1:]
		if name[0] == "the" && len(name) > 1 {
			name = name[1:]
		}
		if areas := closest(s, trimmed(name), model.KindArea); len(areas) > 0 {
			return words[:i], areas[0]
		}
	}
	return words, desk.Ref{}
}

func trimmed(words []string) []string {
	out := slices.Clone(words)
	out[len(out)-1] = strings.TrimSuffix(out[len(out)-1], "?")
	return slices.DeleteFunc(out, func(w string) bool { return w == "" })
}

// fillers are words of questions that say nothing of a permission.
var fillers = []string{"the", "a", "an", "any", "all", "to", "for", "of", "use", "do"}

// permissionsLike gives the permissions that words are about, those first whose keys have most of them. A word fits
// in the singular too.
func permissionsLike(s *desk.Sight, words []string) []string {
	words = slices.DeleteFunc(trimmed(words), func(w string) bool { return slices.Contains(fillers, w) })
	if len(words) == 0 {
		return nil
	}
	type hit struct {
		key   string
		score int
	}
	var hits []hit
	for _, e := range s.Entries(index.KindPermission) {
		score, all := 0, true
		parts := strings.FieldsFunc(e.Sort, func(r rune) bool { return strings.ContainsRune(":.-", r) })
		for _, w := range words {
			n := 0
			for _, form := range singular(w) {
				switch {
				case slices.Contains(parts, form):
					n = max(n, 9)
				case slices.ContainsFunc(parts, func(p string) bool { return strings.HasPrefix(p, form) }):
					n = max(n, 4)
				case strings.Contains(e.Sort, form):
					n = max(n, 2)
				case strings.Contains(e.Words, form):
					n = max(n, 1)
				}
			}
			score += n
			all = all && n > 0
		}
		if all {
			hits = append(hits, hit{e.Node.ID, score*100 - len(e.Sort)})
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

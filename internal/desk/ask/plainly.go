package ask

import (
	"cmp"
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
)

// Plainly answers a question of the finder in lines of text, for an operator at the command line, who sees all: who can
// do something, why somebody can or cannot, or what somebody can do. The first line says how the question was read, the
// last ones how else it could be.
func (d *Finder) Plainly(question string) ([]string, error) {
	h := d.Present()
	s := &desk.Sight{House: h, Present: h, At: d.Now(), Whole: true}
	words := strings.Fields(model.Fold(strings.TrimRight(question, "? ")))
	found := slices.DeleteFunc(questions(s, words), func(f Found) bool {
		return f.Asks == nil || f.Asks.About != "who" && f.Asks.About != "person"
	})
	if len(found) == 0 {
		return nil, desk.Refuse(
			desk.Invalid,
			"This is read as no question that has an answer here. Ask “who can …”, “why can’t … …” or "+
				"“what can … do”, with names as they are in the design.",
		)
	}
	f := found[0]
	out := []string{f.Name}
	switch ask := f.Asks; {
	case ask.About == "who":
		out = append(out, whoPlainly(s, ask)...)
	case len(ask.Permissions) == 0:
		out = append(out, whatPlainly(s, ask)...)
	default:
		out = append(out, whyPlainly(s, ask)...)
	}
	for _, other := range found[1:] {
		out = append(out, "Or: "+other.Name)
	}
	return out, nil
}

// heldPlainly says where something is held.
func heldPlainly(s *desk.Sight, h index.Holding) string {
	where := "over the whole organisation"
	if h.Area != s.Design().Root() {
		where = "at " + s.Area(h.Area).Name
	}
	if words := h.Reach.Words(); words != "" {
		where += " " + words
	}
	return where
}

// byPlainly says by which assignment something is held.
func byPlainly(s *desk.Sight, a *model.Assignment) string {
	by := "by " + view.Target(s.House, a).Name
	if a.Subject.Group != "" {
		return by + " of " + s.Ref(model.KindGroup, a.Subject.Group).Name
	}
	return by + ", by hand"
}

func whoPlainly(s *desk.Sight, ask *Asking) (out []string) {
	q := index.Some{Keys: ask.Permissions, Area: ask.Where}
	people := s.Index.WhoHolds(q, s.At)
	out = append(out, desk.Count(len(people), "person", "people")+" can.")
	for _, u := range people {
		held, by := s.Index.HeldOf(u, q, s.At)
		var where, ways []string
		for _, h := range held {
			where = append(where, heldPlainly(s, h))
		}
		for _, a := range by {
			if way := byPlainly(s, a); !slices.Contains(ways, way) {
				ways = append(ways, way)
			}
		}
		out = append(
			out,
			"  "+s.Ref(model.KindUser, u).Name+" ("+u+"), "+strings.Join(where, " and ")+": "+strings.Join(ways, "; "),
		)
	}
	return out
}

func whatPlainly(s *desk.Sight, ask *Asking) (out []string) {
	held := s.Index.Widest(ask.Things[0].ID, s.At)
	if ask.Where != "" {
		held = slices.DeleteFunc(held, func(h index.Holding) bool {
			return !s.Index.Near(h.Area, ask.Where)
		})
	}
	out = append(out, desk.Count(len(held), "permission", "permissions")+", the widest of each.")
	for _, h := range held {
		out = append(out, "  "+h.Permission+" "+heldPlainly(s, h))
	}
	return out
}

func whyPlainly(s *desk.Sight, ask *Asking) (out []string) {
	user, key := ask.Things[0].ID, ask.Permissions[0]
	at := index.Record{Area: cmp.Or(ask.Where, s.Design().Root())}
	ways, _ := s.Index.Trace(user, key, &at, s.At)
	if len(ways) > 0 {
		out = append(out, "It is held:")
		for _, w := range ways {
			if w.Assignment != nil {
				out = append(out, "  "+byPlainly(s, w.Assignment)+", "+s.Terms(w.Assignment).Note)
			}
		}
		return out
	}
	out = append(out, "It is not held there:")
	for _, r := range s.Index.WhyNot(user, key, at, s.At) {
		out = append(out, "  "+r.Text)
	}
	return out
}

package ask

import (
	"cmp"
	"slices"
	"strings"

	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
)

// Found is something that the finder offers: a thing, or a question with its answer in short.
type Found struct {
	Kind  string  `json:"kind" doc:"Of a thing; \"question\" otherwise"`
	ID    string  `json:"id"`
	Name  string  `json:"name"`
	Note  string  `json:"note"`
	Asks  *Asking `json:"asks,omitempty" doc:"What a question asks; absent for a thing"`
	score int
}

// Asking is what a question asks: who may do something, what one person may do and why, how things differ, or what
// fits a need.
type Asking struct {
	About       string     `json:"about" enum:"who,person,differences,fit"`
	Things      []desk.Ref `json:"things,omitempty" doc:"The person, or the things that are compared"`
	Permissions []string   `json:"permissions,omitempty"`
	Where       string     `json:"where,omitempty" doc:"An area, if the question names one"`
}

const mostFound = 40

// Find gives what fits the words that somebody types, best first: things by any of their words, and answers to
// questions like "who can override gates at Terminal 1" or "why can't Noor edit rates".
func (d *Finder) Find(who desk.Actor, text string) ([]Found, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	words := strings.Fields(model.Fold(text))
	if len(words) == 0 {
		return []Found{}, nil
	}
	out := append([]Found{}, questions(s, words)...)
	for rank, kind := range view.Findable {
		kept := map[int]int{} // by score: a single letter is in nearly every name
		for _, e := range s.Entries(kind) {
			if !e.Has(words) {
				continue
			}
			score := e.Score(words)*len(view.Findable) - rank
			if kept[score]++; kept[score] <= mostFound {
				out = append(out, Found{Kind: string(kind), ID: e.Node.ID, Name: e.Name, score: score})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Found) int { return cmp.Compare(b.score, a.score) })
	out = out[:min(len(out), mostFound)]
	for i := range out {
		if out[i].Kind != "question" {
			out[i].Note = brief(s, model.Kind(out[i].Kind), out[i].ID)
		}
	}
	return out, d.reviewed(who, s, out)
}

// reviewed tells of people, roles and sets that were found when a review last decided about them, to whoever may see
// that.
func (d *Finder) reviewed(who desk.Actor, s *desk.Sight, found []Found) error {
	if !d.May(s.Present, who, model.ViewReviews) {
		return nil
	}
	for _, kind := range []model.Kind{model.KindUser, model.KindRole, model.KindSet} {
		var ids []string
		for _, f := range found {
			if f.Kind == string(kind) {
				ids = append(ids, f.ID)
			}
		}
		last, err := d.Reading(who).LastReviewed(string(kind), ids, d.Looked(who))
		if err != nil {
			return err
		}
		for i := range found {
			if at, was := last[found[i].ID]; was && found[i].Kind == string(kind) {
				found[i].Note = strings.TrimPrefix(found[i].Note+" · reviewed "+at.Format("2 Jan 2006"), " · ")
			}
		}
	}
	return nil
}

// brief says in a few words what a thing is.
func brief(s *desk.Sight, kind model.Kind, id string) string {
	switch o := s.Design().Get(kind, id).(type) {
	case *model.Area:
		return strings.TrimSpace(o.Type + " · " + desk.Count(view.AtHome(s, id), "person", "people"))
	case *model.System:
		return desk.Count(len(o.Permissions), "permission", "permissions")
	case *model.Delegation:
		return "to " + s.Subject(o.Delegate).Name
	case *model.Guarantee:
		return guarantee.Promise(s.Design(), o)
	case *model.Conflict:
		return strings.Join(view.ItemNames(s.House, o.Items), " + ")
	}
	return s.Summary(index.Node{Kind: kind, ID: id})
}

package desk

import (
	"cmp"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"fachwerk/internal/core/ceiling"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Ref names an object for people and links.
type Ref struct {
	Kind string `json:"kind" enum:"organisation,licence,area,system,set,role,group,user,assignment,conflict,guarantee,delegation,permission"`
	ID   string `json:"id"`
	Name string `json:"name"`
}

// Phrase is a piece of a sentence: plain text, or the name of an object that has a kind and an id.
type Phrase struct {
	Text string `json:"text"`
	Kind string `json:"kind,omitempty" doc:"If it names a thing: its kind; or filter, if it is one"`
	ID   string `json:"id,omitempty"`
}

// Holding is a permission, where it counts, and for which records there.
type Holding struct {
	Permission string `json:"permission"`
	Label      string `json:"label,omitempty"`
	Risk       int    `json:"risk"`
	Area       Ref    `json:"area"`
	Whole      bool   `json:"whole" doc:"Held over the whole organisation, for every record"`
	Reach      string `json:"reach" enum:"area,line,own"`
}

// Terms is what an assignment says beside who and what.
type Terms struct {
	ID      string     `json:"id"`
	Area    Ref        `json:"area"`
	Whole   bool       `json:"whole" doc:"Over the whole organisation"`
	Reach   string     `json:"reach" enum:"area,line,own"`
	Mode    string     `json:"mode" enum:"full,read-only"`
	From    *time.Time `json:"from,omitempty"`
	Until   *time.Time `json:"until,omitempty"`
	Reason  string     `json:"reason,omitempty"`
	Contact bool       `json:"contact,omitempty" doc:"Names a contact of the area"`
	Where   string     `json:"where" doc:"Where it counts, in words"`
	How     string     `json:"how" doc:"How far, in which mode and when, in words; empty if it says nothing of these"`
	Note    string     `json:"note" doc:"All of it in a few words"`
}

func (h *House) Ref(kind model.Kind, id string) Ref {
	name := ""
	switch kind {
	case model.KindGroup:
		name = h.Index.GroupName(id)
	case index.KindPermission:
		name = id
	default:
		if o := h.Design().Get(kind, id); o != nil {
			name = o.Title()
		}
	}
	return Ref{string(kind), id, cmp.Or(name, id)}
}

// Area names an area; an empty id means the root.
func (h *House) Area(id string) Ref { return h.Ref(model.KindArea, cmp.Or(id, h.Design().Root())) }

func (h *House) Holdings(list []index.Holding) []Holding {
	out := make([]Holding, len(list))
	for i, x := range list {
		out[i] = Holding{Permission: x.Permission, Area: h.Area(x.Area), Reach: string(x.Reach),
			Whole: x.Area == h.Design().Root() && x.Reach == model.ReachArea}
		if p, ok := h.Design().Permission(x.Permission); ok {
			out[i].Label, out[i].Risk = p.Label, p.Risk
		}
	}
	return out
}

func (h *House) Terms(a *model.Assignment) Terms {
	t := Terms{
		ID:      a.ID,
		Area:    h.Area(a.Area),
		Whole:   a.Area == "",
		Reach:   string(a.Reach),
		Mode:    string(a.Mode),
		From:    Optional(a.From),
		Until:   Optional(a.Until),
		Reason:  a.Reason,
		Contact: a.Contact,
	}
	where, how := a.Extent(func(string) string { return t.Area.Name })
	t.Where, t.How = where, strings.Join(how, " · ")
	t.Note = strings.Join(append([]string{where}, how...), " · ")
	return t
}

func Optional(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func Sentences(list []change.Sentence) [][]Phrase {
	out := make([][]Phrase, len(list))
	for i, s := range list {
		out[i] = make([]Phrase, len(s))
		for j, p := range s {
			out[i][j] = Phrase{p.Text, string(p.Kind), p.ID}
		}
	}
	return out
}

// risks are the words for the levels of risk.
var Risks = []string{"", "elevated", "high", "critical"}

// Note says in a few words what a thing in a bay is.
func (h *House) Note(n index.Node) string {
	d := h.Design()
	switch n.Kind {
	case model.KindUser:
		if u, ok := d.Users.Find(n.ID); ok {
			notes := []string{}
			if u.JobTitle != "" {
				notes = append(notes, u.JobTitle)
			}
			return strings.Join(append(notes, h.Area(u.Area).Name), " · ")
		}
	case model.KindGroup:
		notes := []string{}
		if g, ok := d.Groups.Find(n.ID); ok {
			if g.Type == model.Rule {
				notes = append([]string{"rule"}, notes...)
			}
			if g.Source == model.Directory {
				notes = append(notes, "directory")
			}
			if len(g.Groups) > 0 {
				notes = append(notes, fmt.Sprintf("nests %d", len(g.Groups)))
			}
		} else {
			notes = append([]string{"built in"}, notes...)
		}
		return strings.Join(notes, " · ")
	case model.KindRole:
		if r, ok := d.Roles.Find(n.ID); ok {
			notes := []string{}
			if len(r.Excludes) > 0 {
				notes = append(notes, fmt.Sprintf("%d excluded", len(r.Excludes)))
			}
			if r.Protected {
				notes = append(notes, "protected")
			}
			return strings.Join(notes, " · ")
		}
	case model.KindSet:
		if s, ok := d.Sets.Find(n.ID); ok {
			notes := []string{"own"}
			if s.System != "" {
				notes[0] = strings.TrimSpace("supplied " + s.Version)
			} else if s.CopyOf != nil {
				notes = append(notes, "begun as a copy")
			}
			return strings.Join(notes, " · ")
		}
	case index.KindPermission:
		if p, ok := d.Permission(n.ID); ok {
			notes := []string{}
			if p.Label != "" {
				notes = append(notes, p.Label)
			}
			if p.Span == model.SpanOrganisation {
				notes = append(notes, "whole organisation only")
			}
			return strings.Join(notes, " · ")
		}
	}
	return ""
}

// Size says how many people are in a group, or how many permissions a role or set gives; empty for other things.
func (h *House) Size(n index.Node) string {
	switch n.Kind {
	case model.KindGroup:
		return Count(h.Index.Size(n.ID), "person", "people")
	case model.KindRole, model.KindSet:
		return Count(len(h.Index.Content(n.Kind, n.ID)), "permission", "permissions")
	}
	return ""
}

// Summary is a thing's note with its size.
func (h *House) Summary(n index.Node) string {
	note, size := h.Note(n), h.Size(n)
	if note == "" || size == "" {
		return note + size
	}
	return note + " · " + size
}

func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// Optional names an object, or nothing.
func (h *House) Optional(kind model.Kind, id string) *Ref {
	if id == "" {
		return nil
	}
	r := h.Ref(kind, id)
	return &r
}

func AreaOr(x *index.Index, area string) string {
	if area == "" {
		return x.Design().Root()
	}
	return area
}

// Subject names who an assignment or a delegation is for.
func (h *House) Subject(s model.Subject) Ref {
	if s.User != "" {
		return h.Ref(model.KindUser, s.User)
	}
	return h.Ref(model.KindGroup, s.Group)
}

// Ceiling is the ceiling of somebody in the design that is seen.
func Ceiling(s *Sight, user string) *ceiling.Ceiling {
	return Asked(s, "ceiling "+user, func() *ceiling.Ceiling { return ceiling.Of(s.Ahead(), user, s.At) })
}

// Step tells an act that leads to a ceiling, in a sentence.
func (h *House) Step(step ceiling.Step) []Phrase {
	text := func(t string) Phrase { return Phrase{Text: t} }
	named := func(kind model.Kind, id, none string) Phrase {
		if id == "" {
			return text(none)
		}
		r := h.Ref(kind, id)
		return Phrase{Text: r.Name, Kind: r.Kind, ID: r.ID}
	}
	by := named(model.KindUser, step.By, "Whoever that is")
	person := named(model.KindUser, step.Person, "them")
	what := named(step.Kind, step.ID, "")
	switch step.Action {
	case delegation.Invite:
		return []Phrase{by, text(" invites somebody new")}
	case delegation.Assign:
		how := ""
		if step.Mode == model.ReadOnly {
			how = ", read-only"
		}
		return []Phrase{by, text(" assigns "), what, text(" to "), person, text(how)}
	case delegation.Membership:
		if g, ok := h.Design().Groups.Find(step.ID); ok && g.Type == model.Rule {
			return []Phrase{by, text(" alters "), person, text(" so that the rule of "), what, text(" finds them")}
		}
		return []Phrase{by, text(" puts "), person, text(" into "), what}
	case delegation.Seat:
		return []Phrase{by, text(" gives "), person, text(" the licence that is lacking")}
	case delegation.Deactivate:
		return []Phrase{by, text(" brings "), person, text(" back")}
	case delegation.Lock:
		return []Phrase{by, text(" makes "), person, text(" valid again")}
	case delegation.Move:
		return []Phrase{by, text(" moves "), person, text(" within reach")}
	}
	return []Phrase{by, text(" alters "), person, text(", who comes within reach")}
}

// TroubleIn gives what is wrong with a filter's text, and where, in characters.
func TroubleIn(text string, err error) (string, int) {
	var e *filter.Error
	if !errors.As(err, &e) {
		return err.Error(), 0
	}
	return Upper(e.Message) + ".", len([]rune(text[:min(e.Offset, len(text))]))
}

// NameObject gives a new object an id that is made from its name, or at random if it has none.
func NameObject(d *model.Design, o model.Object) {
	id := ""
	switch o.(type) {
	case *model.Assignment:
		id = "a-" + strings.ToLower(rand.Text()[:12])
	default:
		id = idFrom(o.Title())
	}
	if u, is := o.(*model.User); is && u.UserName != "" {
		id = idFrom(u.UserName)
	}
	free := id
	for n := 2; d.Get(o.Kind(), free) != nil || free == model.Everyone || free == model.Public ||
		model.BuiltIn(o.Kind(), free); n++ {
		free = fmt.Sprintf("%s-%d", id, n)
	}
	model.SetIdent(o, free)
}

// idFrom makes an id of a name, or one at random if the name has nothing that an id can have.
func idFrom(name string) string {
	return cmp.Or(model.IDFrom(name), "x-"+strings.ToLower(rand.Text()[:8]))
}

// End names one end of a beam.
type End struct {
	Kind string `json:"kind" enum:"user,group,role,set,permission"`
	ID   string `json:"id" minLength:"1"`
}

// Exists refuses ends that a design does not have.
func Exists(d *model.Design, ends ...End) error {
	for _, e := range ends {
		found := false
		switch model.Kind(e.Kind) {
		case index.KindPermission:
			_, found = d.Permission(e.ID)
		case model.KindGroup:
			found = e.ID == model.Everyone || e.ID == model.Public || d.Get(model.KindGroup, e.ID) != nil
		default:
			found = d.Get(model.Kind(e.Kind), e.ID) != nil
		}
		if !found {
			return Refuse(NotFound, "There is no %s %q.", model.Kind(e.Kind).Word(), e.ID)
		}
	}
	return nil
}

func Itoa(n int) string { return strconv.Itoa(n) }

// Names lists things by name.
func (h *House) Names(kind model.Kind, ids []string) string {
	out := make([]string, len(ids))
	for i, id := range ids {
		out[i] = h.Ref(kind, id).Name
	}
	return strings.Join(out, ", ")
}

// People says in words whom a delegation is about.
func (h *House) People(p model.People) string {
	switch {
	case p.Group != "":
		return "members of " + h.Ref(model.KindGroup, p.Group).Name
	case p.Filter != "":
		return "people with " + p.Filter
	}
	return "people of " + h.Area(p.Area).Name
}

// Grouped writes a number with commas.
func Grouped(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// HasWords tells whether some texts have, together, all of some words, whatever the case; words are as they were typed.
func HasWords(typed string, texts ...string) bool {
	words := strings.Fields(model.Fold(typed))
	if len(words) == 0 {
		return true
	}
	all := model.Fold(strings.Join(texts, "\n"))
	return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(all, w) })
}

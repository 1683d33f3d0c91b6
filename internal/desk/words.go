package desk

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Ref names an object for people and links.
type Ref struct {
	Kind string `json:"kind" enum:"organisation,licence,area,system,set,role,group,user,assignment,conflict,delegation,permission"`
	ID   string `json:"id"`
	Name string `json:"name"`
}

// Part is a piece of a sentence: plain text, or the name of an object that has a kind and an id.
type Part struct {
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
	Note    string     `json:"note" doc:"All of it in a few words"`
}

func (h *house) ref(kind model.Kind, id string) Ref {
	name := ""
	switch kind {
	case model.KindGroup:
		name = h.index.GroupName(id)
	case index.KindPermission:
		name = id
	default:
		if o := h.design().Get(kind, id); o != nil {
			name = o.Title()
		}
	}
	return Ref{string(kind), id, cmp.Or(name, id)}
}

// area names an area; an empty id means the root.
func (h *house) area(id string) Ref { return h.ref(model.KindArea, cmp.Or(id, h.design().Root())) }

func (h *house) holdings(list []index.Holding) []Holding {
	out := make([]Holding, len(list))
	for i, x := range list {
		out[i] = Holding{Permission: x.Permission, Area: h.area(x.Area), Reach: string(x.Reach),
			Whole: x.Area == h.design().Root() && x.Reach == model.ReachArea}
		if p, ok := h.design().Permission(x.Permission); ok {
			out[i].Label, out[i].Risk = p.Label, p.Risk
		}
	}
	return out
}

func (h *house) terms(a *model.Assignment) Terms {
	t := Terms{ID: a.ID, Area: h.area(a.Area), Whole: a.Area == "", Reach: string(a.Reach), Mode: string(a.Mode), From: optional(a.From), Until: optional(a.Until), Reason: a.Reason, Contact: a.Contact}
	notes := []string{"whole organisation"}
	if a.Area != "" {
		notes[0] = t.Area.Name
	}
	switch a.Reach {
	case model.ReachLine:
		notes = append(notes, "own line")
	case model.ReachOwn:
		notes = append(notes, "own records")
	}
	if a.Mode == model.ReadOnly {
		notes = append(notes, "read-only")
	}
	if !a.From.IsZero() {
		notes = append(notes, "from "+change.Day(a.From))
	}
	if !a.Until.IsZero() {
		notes = append(notes, "until "+change.Day(a.Until))
	}
	t.Note = strings.Join(notes, " · ")
	return t
}

func optional(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func sentences(list []change.Sentence) [][]Part {
	out := make([][]Part, len(list))
	for i, s := range list {
		out[i] = make([]Part, len(s))
		for j, p := range s {
			out[i][j] = Part{p.Text, string(p.Kind), p.ID}
		}
	}
	return out
}

// risks are the words for the levels of risk.
var risks = []string{"", "elevated", "high", "critical"}

// note says in a few words what a thing in a bay is.
func (h *house) note(n index.Node) string {
	d := h.design()
	switch n.Kind {
	case model.KindUser:
		if u, ok := d.Users.Find(n.ID); ok {
			notes := []string{}
			if u.JobTitle != "" {
				notes = append(notes, u.JobTitle)
			}
			return strings.Join(append(notes, h.area(u.Area).Name), " · ")
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

// size says how many people are in a group, or how many permissions a role or set gives; empty for other things.
func (h *house) size(n index.Node) string {
	switch n.Kind {
	case model.KindGroup:
		return count(h.index.Size(n.ID), "person", "people")
	case model.KindRole, model.KindSet:
		return count(len(h.index.Content(n.Kind, n.ID)), "permission", "permissions")
	}
	return ""
}

// summary is a thing's note with its size.
func (h *house) summary(n index.Node) string {
	note, size := h.note(n), h.size(n)
	if note == "" || size == "" {
		return note + size
	}
	return note + " · " + size
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

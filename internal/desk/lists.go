package desk

import (
	"cmp"
	"slices"
	"strings"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Entry is a thing of a bay or list, with the folded words that it is found by.
type Entry struct {
	Node  index.Node
	Name  string
	Sort  string // the folded name
	Words string
	Place uint // of a person: in the design's table
}

// Has tells whether an entry has all of some folded words.
func (e Entry) Has(words []string) bool {
	return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(e.Words, w) })
}

// Entries gives every thing of a kind in the order of names; made when first asked for, and kept with the house.
func (h *House) Entries(kind model.Kind) []Entry {
	h.listing.Lock()
	defer h.listing.Unlock()
	if h.lists == nil {
		h.lists = map[model.Kind][]Entry{}
	}
	if h.lists[kind] == nil {
		h.lists[kind] = h.list(kind)
	}
	return h.lists[kind]
}

func (h *House) list(kind model.Kind) []Entry {
	out := []Entry{}
	add := func(id, name string, words ...string) {
		out = append(
			out,
			Entry{
				index.Node{Kind: kind, ID: id},
				name,
				model.Fold(name),
				model.Fold(strings.Join(append(words, id, name), " ")),
				0,
			},
		)
	}
	d := h.Design()
	switch kind {
	case model.KindUser:
		for i, u := range d.Users {
			if u.State != model.UserDeleted {
				add(
					u.ID,
					u.DisplayName,
					u.UserName,
					u.Email,
					u.JobTitle,
					u.Department,
					h.Area(u.Area).Name,
					string(u.State),
				)
				out[len(out)-1].Place = uint(i)
			}
		}
	case model.KindGroup:
		for _, g := range d.Groups {
			add(g.ID, g.Name, g.Description)
		}
		add(model.Everyone, h.Index.GroupName(model.Everyone))
		add(model.Public, h.Index.GroupName(model.Public))
	case model.KindRole:
		for _, r := range d.Roles {
			add(r.ID, r.Name, r.Description)
		}
	case model.KindSet:
		for _, s := range d.Sets {
			add(s.ID, s.Name, s.System, s.Description)
		}
	case index.KindPermission:
		for _, s := range d.Systems {
			for _, p := range s.Permissions {
				add(p.Key, p.Key, p.Label, p.Description, p.Module, Risks[p.Risk])
			}
		}
	case model.KindArea:
		for _, a := range d.Areas {
			add(a.ID, a.Name, a.Type)
		}
	case model.KindSystem:
		for _, s := range d.Systems {
			add(s.ID, s.Name, s.Description, s.Supplier)
		}
	case model.KindLicence:
		for _, l := range d.Licences {
			add(l.ID, l.Name)
		}
	case model.KindConflict:
		for _, c := range d.Conflicts {
			add(c.ID, c.Name, c.Description)
		}
	case model.KindDelegation:
		for _, g := range d.Delegations {
			add(
				g.ID,
				g.Name,
				h.Subject(g.Delegate).Name,
				strings.Join(g.Actions, " "),
				h.People(g.People),
				h.Names(model.KindRole, g.Roles),
				h.Names(model.KindSet, g.Sets),
				h.Names(model.KindGroup, g.Groups),
				h.Area(g.Area).Name,
			)
		}
	}
	slices.SortFunc(out, func(a, b Entry) int {
		return cmp.Or(strings.Compare(a.Sort, b.Sort), strings.Compare(a.Node.ID, b.Node.ID))
	})
	return out
}

package desk

import (
	"cmp"
	"slices"
	"strings"
	"unicode/utf8"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
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

// Score tells how well an entry that has all of some folded words fits: a name that is or begins with what was typed
// before one whose words do, before the rest, in which the words are found elsewhere.
func (e Entry) Score(words []string) int {
	typed := strings.Join(words, " ")
	switch {
	case e.Sort == typed || filter.Folds(e.Node.ID, typed):
		return 5
	case strings.HasPrefix(e.Sort, typed):
		return 4
	}
	begins, within := 0, 0
	for _, w := range words {
		if beginsPart(e.Sort, w) {
			begins++
		} else if strings.Contains(e.Sort, w) {
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

// beginsPart tells whether a part of a name, as spaces and signs part it, begins with a word.
func beginsPart(name, word string) bool {
	for from := 0; ; {
		at := strings.Index(name[from:], word)
		if at < 0 {
			return false
		}
		at += from
		if before, _ := utf8.DecodeLastRuneInString(name[:at]); at == 0 || strings.ContainsRune(" -.:_’", before) {
			return true
		}
		_, size := utf8.DecodeRuneInString(name[at:])
		from = at + max(size, 1)
	}
}

// Entries gives every thing of a kind in the order of names; made when first asked for, and kept with the house.
func (h *House) Entries(kind model.Kind) []Entry {
	h.listing.Lock()
	defer h.listing.Unlock()
	if h.lists == nil {
		h.lists = map[model.Kind][]Entry{}
	}
	if h.lists[kind] == nil {
		if kind == model.KindUser && h.earlier != nil {
			h.lists[kind], h.earlier = h.people(h.earlier), nil
		} else {
			h.lists[kind] = h.list(kind)
			sideBySide(h.lists[kind])
		}
	}
	return h.lists[kind]
}

// sideBySide puts the words of entries into one piece of memory, in the order in which they are gone through: of a
// hundred thousand that lie scattered, most of the time goes into fetching them.
func sideBySide(list []Entry) {
	var all strings.Builder
	size := 0
	for i := range list {
		size += len(list[i].Words)
	}
	all.Grow(size)
	for i := range list {
		all.WriteString(list[i].Words)
	}
	rest := all.String()
	for i := range list {
		n := len(list[i].Words)
		list[i].Words, rest = rest[:n], rest[n:]
	}
}

// earlierPeople is everybody as a house before listed them, when the areas were what they are.
type earlierPeople struct {
	users model.Table[*model.User]
	list  []Entry
}

// people lists everybody, and takes over from an earlier list whoever is as they were.
func (h *House) people(earlier *earlierPeople) []Entry {
	now := h.Design().Users
	place := make([]int, len(earlier.users)) // afterwards, one up; 0: they are not what they were
	var came []Entry
	model.EachPair(earlier.users, now, func(i, j int) {
		switch {
		case i >= 0 && j >= 0 && earlier.users[i] == now[j]:
			place[i] = j + 1
		case j >= 0 && now[j].State != model.UserDeleted:
			came = append(came, h.personEntry(j))
		}
	})
	slices.SortFunc(came, inOrder)
	out := make([]Entry, 0, len(earlier.list)+len(came))
	for _, e := range earlier.list {
		if place[e.Place] == 0 {
			continue
		}
		e.Place = uint(place[e.Place] - 1)
		for len(came) > 0 && inOrder(came[0], e) < 0 {
			out, came = append(out, came[0]), came[1:]
		}
		out = append(out, e)
	}
	return append(out, came...)
}

// inOrder orders entries by name.
func inOrder(a, b Entry) int {
	return cmp.Or(strings.Compare(a.Sort, b.Sort), strings.Compare(a.Node.ID, b.Node.ID))
}

func entry(kind model.Kind, id, name string, words ...string) Entry {
	return Entry{
		Node:  index.Node{Kind: kind, ID: id},
		Name:  name,
		Sort:  model.Fold(name),
		Words: model.Fold(strings.Join(append(words, id, name), " ")),
	}
}

// personEntry is the entry of the person at a place in the design.
func (h *House) personEntry(place int) Entry {
	u := h.Design().Users[place]
	e := entry(model.KindUser, u.ID, u.DisplayName,
		u.UserName, u.Email, u.JobTitle, u.Department, h.Area(u.Area).Name, string(u.State))
	e.Place = uint(place)
	return e
}

func (h *House) list(kind model.Kind) []Entry {
	out := []Entry{}
	add := func(id, name string, words ...string) { out = append(out, entry(kind, id, name, words...)) }
	d := h.Design()
	switch kind {
	case model.KindUser:
		parts := make([][]Entry, fan.Parts())
		fan.Out(len(d.Users), func(p, from, to int) {
			for i := from; i < to; i++ {
				if d.Users[i].State != model.UserDeleted {
					parts[p] = append(parts[p], h.personEntry(i))
				}
			}
			slices.SortFunc(parts[p], inOrder)
		})
		return fan.Merged(parts, inOrder)
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
			add(s.ID, s.Name, append([]string{s.System, s.Description}, s.Permissions...)...) // found by what is in it
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
	case model.KindGuarantee:
		for _, g := range d.Guarantees {
			add(g.ID, g.Name, g.Reason, strings.Join(g.Permissions, " "))
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
	slices.SortFunc(out, inOrder)
	return out
}

package guarantee

import (
	"fmt"
	"strings"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// told is how many people or ways a sentence names one by one.
const told = 3

// Promise says in one sentence what a guarantee promises.
func Promise(d *model.Design, g *model.Guarantee) string {
	what, where := strings.Join(g.Permissions, ", "), place(d, g.Area)
	people := People(d, g)
	switch g.Type {
	case model.Nobody:
		if g.People == nil {
			return fmt.Sprintf("Nobody holds %s %s.", what, where)
		}
		return fmt.Sprintf("None of %s hold %s %s.", people, what, where)
	case model.Only:
		return fmt.Sprintf("Nobody but %s holds %s %s.", people, what, where)
	}
	often := "At most"
	if g.Type == model.AtLeast {
		often = "At least"
	}
	switch {
	case g.People != nil:
		people = number(g) + " of " + people
	case number(g) == "1":
		people = "1 person"
	default:
		people = number(g) + " people"
	}
	if len(d.Named(g)) > 1 {
		what = "each of " + what
	}
	where = "over the whole organisation"
	if g.Area != "" {
		where = "at all of " + areaName(d, g.Area)
	}
	hold := "hold"
	if people == "1 person" {
		hold = "holds"
	}
	return fmt.Sprintf("%s %s %s %s %s.", often, people, hold, what, where)
}

func number(g *model.Guarantee) string {
	if g.Count == nil {
		return "?"
	}
	return fmt.Sprint(*g.Count)
}

// People says in words who a guarantee's people are.
func People(d *model.Design, g *model.Guarantee) string {
	switch {
	case g.People == nil:
		return "everybody"
	case g.People.Group != "":
		return groupName(d, g.People.Group)
	case g.People.Filter != "":
		return "people with " + g.People.Filter
	}
	return "those at home in " + areaName(d, g.People.Area)
}

func place(d *model.Design, area string) string {
	if area == "" || area == d.Root() {
		return "anywhere in the organisation"
	}
	return "at " + areaName(d, area)
}

func areaName(d *model.Design, id string) string {
	if a, ok := d.Areas.Find(id); ok {
		return a.Name
	}
	return id
}

func groupName(d *model.Design, id string) string {
	switch id {
	case model.Everyone:
		return "everyone who is signed in"
	case model.Public:
		return "anybody"
	}
	if g, ok := d.Groups.Find(id); ok {
		return g.Name
	}
	return id
}

func personName(d *model.Design, id string) string {
	if id == index.Anonymous {
		return "someone who is not signed in"
	}
	if u, ok := d.Users.Find(id); ok {
		return u.DisplayName
	}
	return id
}

// Says tells in one sentence, without a full stop, how a guarantee is broken: who holds what, where, by which way and
// from when on.
func Says(v *ahead.View, g *model.Guarantee, b Breach) string {
	d := v.Now().Design()
	from := ""
	if !b.From.IsZero() {
		from = ", from " + model.Day(b.From) + " on"
	}
	where := "over the whole organisation"
	if g.Area != "" {
		where = "at " + areaName(d, g.Area)
	}
	switch g.Type {
	case model.AtMost:
		return fmt.Sprintf("%s hold %s %s%s, and at most %s may: %s",
			count(b.Count), b.Permission, where, from, number(g), list(d, b.Holders))
	case model.AtLeast:
		if b.Count == 0 {
			return fmt.Sprintf("nobody holds %s %s%s, and at least %s are to", b.Permission, where, from, number(g))
		}
		return fmt.Sprintf("no more than %s hold %s %s%s, and at least %s are to",
			count(b.Count), b.Permission, where, from, number(g))
	}
	where = "over the whole organisation"
	if b.Holding.Area != d.Root() {
		where = "at " + areaName(d, b.Holding.Area)
	}
	if words := b.Holding.Reach.Words(); words != "" {
		where += " " + words
	}
	return fmt.Sprintf("%s holds %s %s%s%s", personName(d, b.User), b.Permission, where, way(v, b), from)
}

// way says by which assignment somebody holds what breaks a guarantee.
func way(v *ahead.View, b Breach) string {
	d := v.Now().Design()
	grants := v.Live().GrantsFor(b.User)
	if b.User == index.Anonymous {
		grants = v.Live().GrantsTo(model.Public)
	}
	for _, a := range grants {
		if a.Area != b.Holding.Area && (a.Area != "" || b.Holding.Area != d.Root()) || a.Reach != b.Holding.Reach {
			continue
		}
		kind, id := model.KindRole, a.Role
		if id == "" {
			kind, id = model.KindSet, a.Set
		}
		for _, key := range v.Live().Content(kind, id) {
			if key != b.Permission {
				continue
			}
			by := ", by “" + d.Get(kind, id).Title() + "”"
			if a.Subject.Group != "" {
				by += ", given to " + groupName(d, a.Subject.Group)
			}
			return by
		}
	}
	return ""
}

func count(n int) string {
	if n == 1 {
		return "1 person"
	}
	return fmt.Sprintf("%d people", n)
}

func list(d *model.Design, ids []string) string {
	var names []string
	for _, id := range ids[:min(len(ids), told)] {
		names = append(names, personName(d, id))
	}
	out := strings.Join(names, ", ")
	if more := len(ids) - told; more > 0 {
		out += fmt.Sprintf(" and %d more", more)
	}
	return out
}

// Broken says in one sentence how a change, or a design, breaks a guarantee; the breaches are all of that guarantee.
func Broken(v *ahead.View, g *model.Guarantee, breaches []Breach) string {
	var says []string
	for _, b := range breaches[:min(len(breaches), told)] {
		says = append(says, Says(v, g, b))
	}
	out := "“" + g.Name + "” is not kept: " + strings.Join(says, "; ")
	if more := len(breaches) - told; more > 0 {
		out += fmt.Sprintf("; and %d more", more)
	}
	return out + "."
}

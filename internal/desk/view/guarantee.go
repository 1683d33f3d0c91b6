package view

import (
	"time"

	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// GuaranteeSheet is a guarantee with how it is broken.
type GuaranteeSheet struct {
	Ref         desk.Ref         `json:"ref"`
	Guarantee   *model.Guarantee `json:"guarantee"`
	May         bool             `json:"may"`
	Draft       string           `json:"draft,omitempty" enum:"new,changed,gone"`
	Permissions []desk.Ref       `json:"permissions" doc:"As they are written: permissions, and patterns without an id"`
	People      []desk.Phrase    `json:"people" doc:"Whom it is about, in words; empty: everybody"`
	Area        *desk.Ref        `json:"area,omitempty" doc:"Where it holds; the whole organisation if absent"`
	Kept        Kept             `json:"kept"`
}

// Kept tells whether a guarantee is kept, and by what it is broken.
type Kept struct {
	Says    string   `json:"says" doc:"What it promises, in one sentence"`
	Names   int      `json:"names" doc:"How many permissions it is about"`
	Now     int      `json:"now" doc:"In how many ways it is broken now"`
	Later   int      `json:"later" doc:"In how many more it will be, by what is written already or once people are live"`
	Broken  []Broken `json:"broken" doc:"At most 1,000 of these"`
	Trouble string   `json:"trouble,omitempty" doc:"Why it cannot be tried as it is written"`
}

// Broken is one way in which a guarantee is broken.
type Broken struct {
	Says       string     `json:"says" doc:"Who holds what, where, by which way and from when on"`
	Permission desk.Ref   `json:"permission"`
	User       *desk.Ref  `json:"user,omitempty" doc:"Who holds it; absent of one that counts, and of someone who is not signed in"`
	Holders    []desk.Ref `json:"holders" doc:"Of one that lets at most so many: who they are, at most 20"`
	Now        bool       `json:"now" doc:"It is so now; otherwise it will be"`
	From       *time.Time `json:"from,omitempty" doc:"From when on, if that is written"`
}

const (
	brokenShown = 1000
	heldShown   = 20
)

// Guarantee gives the sheet of a guarantee.
func (d *Viewer) Guarantee(who desk.Actor, id string) (*GuaranteeSheet, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	g, ok := Either(s, model.KindGuarantee, id).(*model.Guarantee)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no guarantee %q.", id)
	}
	v := &GuaranteeSheet{
		Ref:         desk.Ref{Kind: string(model.KindGuarantee), ID: id, Name: g.Name},
		Guarantee:   g,
		May:         d.editable(s, who, model.KindGuarantee),
		Draft:       Drafted(s, index.Node{Kind: model.KindGuarantee, ID: id}),
		Permissions: []desk.Ref{},
		People:      []desk.Phrase{},
		Kept:        kept(s, g),
	}
	for _, key := range g.Permissions {
		r := desk.Ref{Kind: string(index.KindPermission), Name: key}
		if _, ok := s.Design().Permission(key); ok {
			r = s.Ref(index.KindPermission, key)
		}
		v.Permissions = append(v.Permissions, r)
	}
	if g.People != nil {
		v.People = peopleWords(s, *g.People)
	}
	if g.Area != "" {
		r := s.Area(g.Area)
		v.Area = &r
	}
	return v, nil
}

// peopleWords says whom something is about, with what it names.
func peopleWords(s *desk.Sight, p model.People) []desk.Phrase {
	named := func(r desk.Ref) desk.Phrase { return desk.Phrase{Text: r.Name, Kind: r.Kind, ID: r.ID} }
	switch {
	case p.Group != "":
		return []desk.Phrase{{Text: "the members of "}, named(s.Ref(model.KindGroup, p.Group))}
	case p.Filter != "":
		return []desk.Phrase{{Text: "people with "}, {Text: p.Filter, Kind: "filter"}}
	}
	return []desk.Phrase{{Text: "people of "}, named(s.Area(p.Area))}
}

// kept tells whether a guarantee is kept in the design that is looked at.
func kept(s *desk.Sight, g *model.Guarantee) Kept {
	view := s.House.Ahead()
	v := Kept{Says: guarantee.Promise(s.Design(), g), Names: len(s.Design().Named(g)), Broken: []Broken{}}
	all := guarantee.Of(view, g, s.At)
	present := map[[2]string]bool{}
	for _, b := range guarantee.Now(view, g, s.At) {
		present[[2]string{b.Permission, b.User}] = true
	}
	for _, b := range all {
		br := Broken{
			Says:       desk.Upper(guarantee.Says(view, g, b)) + ".",
			Permission: s.Ref(index.KindPermission, b.Permission),
			Holders:    []desk.Ref{},
			Now:        b.From.IsZero() && present[[2]string{b.Permission, b.User}],
			From:       desk.Optional(b.From),
		}
		if b.User != index.Anonymous {
			r := s.Ref(model.KindUser, b.User)
			br.User = &r
		}
		for _, u := range b.Holders[:min(len(b.Holders), heldShown)] {
			br.Holders = append(br.Holders, s.Ref(model.KindUser, u))
		}
		if br.Now {
			v.Now++
		} else {
			v.Later++
		}
		if len(v.Broken) < brokenShown {
			v.Broken = append(v.Broken, br)
		}
	}
	return v
}

// TryGuarantee tells whether a guarantee would be kept today, as it is written.
func (d *Viewer) TryGuarantee(who desk.Actor, g *model.Guarantee) (*Kept, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if !s.Whole {
		return nil, desk.Refuse(desk.NotAllowed, "A guarantee is about the whole organisation, of which you see a part.")
	}
	c := model.Clone(g)
	c.ID = "tried"
	after := s.Design().With([]model.Edit{{Kind: model.KindGuarantee, ID: c.ID, After: c}})
	for _, p := range model.Errors(model.CheckChange(s.Design(), after)) {
		if p.Kind == model.KindGuarantee && p.ID == c.ID {
			return &Kept{Trouble: desk.Upper(p.Message) + ".", Broken: []Broken{}}, nil
		}
	}
	v := kept(s, c)
	return &v, nil
}

// brokenNow counts in how many ways a guarantee is broken now.
func brokenNow(s *desk.Sight, g *model.Guarantee) int {
	return desk.Counted(s, "guarantee "+g.ID, func() int { return len(guarantee.Now(s.House.Ahead(), g, s.At)) })
}

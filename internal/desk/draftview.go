package desk

import (
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// DraftEdit is one act in a draft, in sentences.
type DraftEdit struct {
	ID        string     `json:"id"`
	Sentences [][]Phrase `json:"sentences" doc:"The first of them"`
	More      int        `json:"more" doc:"How much is not told"`
	Undoes    int        `json:"undoes,omitempty"`
	// Meanwhile is what others applied to the same objects after this was drafted.
	Meanwhile []Meanwhile `json:"meanwhile"`
}

// Meanwhile tells what somebody else applied to an object that a draft changes too.
type Meanwhile struct {
	Object    Ref        `json:"object"`
	Revision  int        `json:"revision,omitempty" doc:"The last one that touched it"`
	Who       string     `json:"who,omitempty"`
	At        *time.Time `json:"at,omitempty"`
	Sentences [][]Phrase `json:"sentences" doc:"What they changed"`
	Clashes   []string   `json:"clashes" doc:"What both changed, so that one of the two must be chosen"`
}

// PersonImpact is what a draft gives one person and takes away.
type PersonImpact struct {
	User   Ref       `json:"user"`
	Gains  []Holding `json:"gains"`
	Losses []Holding `json:"losses"`
}

// Draft is a person's unapplied changes with their impact.
type Draft struct {
	Edits []DraftEdit `json:"edits"`
	Impact
	Blocks   []string `json:"blocks" doc:"What keeps the draft from being applied"`
	Revision int      `json:"revision" doc:"The revision that the impact is compared with"`
	Critical []string `json:"critical" doc:"Why the password must have been given within ten minutes to apply it"`
	Stamp    string   `json:"stamp" doc:"Names exactly this draft and all that it comes to; give it back to apply"`
	// Discarded is told of an empty draft.
	Discarded int `json:"discarded" doc:"Of an empty draft: how many changes were discarded last, which can be restored"`
}

// Impact is what a change comes to.
type Impact struct {
	Gaining   int            `json:"gaining" doc:"How many people gain something"`
	Losing    int            `json:"losing" doc:"How many people lose something"`
	People    []PersonImpact `json:"people" doc:"Those who gain or lose most, at most 200"`
	Later     []LaterGain    `json:"later" doc:"What people gain later, or once live; of those whom it names, at most 200"`
	Conflicts []Clash        `json:"conflicts" doc:"Conflicts that people come to break, or no longer break; at most 200"`
	Promises  []Promise      `json:"guarantees" doc:"Guarantees that it would break, or make worse"`
	Licences  []Short        `json:"licences" doc:"Licences that it leaves short"`
	Withheld  []Withheld     `json:"withheld" doc:"What is given at an area, or to a narrower reach, and in part counts only over the whole organisation"`
	Warnings  []Warning      `json:"warnings" doc:"What prevents nothing but is probably a mistake, such as a permission key that no catalogue has; at most 200"`
	Seats     []SeatChange   `json:"seats" doc:"Licences of which it takes or frees seats, or leaves some without need"`
	Touches   []Ref          `json:"touches" doc:"Delegations that mention something that it changes"`
	Reviews   []string       `json:"reviews" doc:"Open reviews that ask about something that it changes"`
}

// Warning is something about an object that prevents nothing, but is probably a mistake.
type Warning struct {
	Thing Ref    `json:"thing"`
	Said  string `json:"said"`
}

// Clash is a conflict that a person comes to break, or no longer breaks.
type Clash struct {
	User     Ref      `json:"user"`
	Conflict Ref      `json:"conflict"`
	Items    []string `json:"items" doc:"What meets in one hand"`
	Cleared  bool     `json:"cleared"`
	Excepted bool     `json:"excepted" doc:"An exception lets this person, until a date"`

	From *time.Time `json:"from,omitempty" doc:"When it comes to be broken, if that is not now"`
	Live bool       `json:"live" doc:"The person is live; otherwise they break it once they are"`
}

// SeatChange is a licence of which a draft takes seats, or frees them.
type SeatChange struct {
	Licence Ref `json:"licence"`
	More    int `json:"more" doc:"How many seats more are taken; below nothing, how many come free"`
	Spare   int `json:"spare" doc:"How many people keep a seat that they no longer need"`
}

// Short is a licence of which more seats are taken than there are, or that people lack.
type Short struct {
	Licence Ref   `json:"licence"`
	Seats   *int  `json:"seats,omitempty"`
	Used    int   `json:"used"`
	Waiting []Ref `json:"waiting" doc:"People who gain less than they are given, since they lack it; at most 200"`
	Lacking int   `json:"lacking" doc:"How many these are"`
}

// Withheld is a role or set of which grants at an area, or to a narrower reach, give less than all: some of its
// permissions count only over the whole organisation.
type Withheld struct {
	Target      Ref      `json:"target"`
	Grants      int      `json:"grants" doc:"How many assignments it is about"`
	Permissions []string `json:"permissions" doc:"The keys of those that are withheld; at most 20"`
	Count       int      `json:"count" doc:"How many these are"`
}

// WithheldBy tells what the assignments that a change makes or alters withhold, in the order in which it names them.
func (h *House) WithheldBy(x *index.Index, ops []change.Op) []Withheld {
	out := []Withheld{}
	known := map[string]int{} // where each grant stands; -1: nothing is withheld
	for _, o := range ops {
		a, is := o.After.(*model.Assignment)
		if !is || !x.Narrowed(a) {
			continue
		}
		shape := a.Grant() + " " + string(a.Mode)
		at, seen := known[shape]
		if !seen {
			at = -1
			if keys := x.WholeOnly(a); len(keys) > 0 {
				kind, id, _ := strings.Cut(a.Grant(), ":")
				at = len(out)
				out = append(out, Withheld{h.Ref(model.Kind(kind), id), 0, keys[:min(len(keys), 20)], len(keys)})
			}
			known[shape] = at
		}
		if at >= 0 {
			out[at].Grants++
		}
	}
	return out
}

// firstOf gives the first of some reasons, and how many more there are.
func firstOf(reasons []string) []string {
	out := append([]string{}, reasons[:min(len(reasons), reasonsShown)]...)
	if more := len(reasons) - len(out); more > 0 {
		out = append(out, "And "+Grouped(more)+" more.")
	}
	return out
}

// view makes a draft what the sill shows to who sees the design as s.
func (p *Drafted) view(s *Sight) *Draft {
	v := &Draft{
		Edits: []DraftEdit{},
		Impact: Impact{
			People:    []PersonImpact{},
			Later:     []LaterGain{},
			Conflicts: []Clash{},
			Promises:  []Promise{},
			Licences:  []Short{},
			Withheld:  []Withheld{},
			Warnings:  []Warning{},
			Seats:     []SeatChange{},
			Touches:   []Ref{},
			Reviews:   []string{},
		},
		Blocks:   firstOf(p.blocks()),
		Revision: p.house.Revision,
		Stamp:    p.stamp,
		Critical: firstOf(p.Of(proves)),
	}
	shown := s.House
	names := change.NamesIn(shown.Design(), s.Present.Design())
	for i := range p.Edits {
		v.Edits = append(v.Edits, *p.told(s, i, names, sentencesShown))
	}
	p.sideEffects(v, s)
	for _, l := range p.later {
		if s.knows(model.KindUser, l.user) {
			v.Later = append(
				v.Later,
				LaterGain{shown.Ref(model.KindUser, l.user), shown.Holdings(l.gains), Optional(l.from), l.live},
			)
		}
	}
	people := slices.DeleteFunc(
		slices.Clone(p.Impact().People),
		func(i change.PersonImpact) bool { return !s.knows(model.KindUser, i.User) },
	)
	for _, i := range people {
		if i.Gained > 0 {
			v.Gaining++
		}
		if i.Lost > 0 {
			v.Losing++
		}
	}
	slices.SortStableFunc(people, func(a, b change.PersonImpact) int {
		return b.Gained + b.Lost - a.Gained - a.Lost
	})
	most := make([]string, min(len(people), ImpactShown))
	for n := range most {
		most[n] = people[n].User
	}
	for _, i := range p.Impact().Tell(most...) {
		name := shown.Ref(model.KindUser, i.User)
		if name.Name == name.ID {
			name = s.Present.Ref(model.KindUser, i.User)
		}
		v.People = append(v.People, PersonImpact{name, shown.Holdings(i.Gains), s.Present.Holdings(i.Losses)})
	}
	return v
}

// meanwhile tells what others applied, as far as somebody sees the things that it names.
func (s *Sight) meanwhile(list []Meanwhile) []Meanwhile {
	if s.Whole {
		return list
	}
	out := make([]Meanwhile, len(list))
	for i, m := range list {
		m.Who, m.Sentences = "", slices.DeleteFunc(slices.Clone(m.Sentences), func(sentence []Phrase) bool {
			return slices.ContainsFunc(sentence, func(p Phrase) bool {
				return p.ID != "" && p.Kind != "" && !s.knows(model.Kind(p.Kind), p.ID)
			})
		})
		for n := range m.Clashes {
			m.Clashes[n] = "Somebody else changed the same"
		}
		out[i] = m
	}
	return out
}

// sideEffects adds what a draft does beside giving and taking permissions.
func (p *Drafted) sideEffects(v *Draft, s *Sight) {
	shown := s.House
	tell := func(c change.ConflictImpact, from time.Time, live bool) {
		in := shown
		if c.Cleared {
			in = s.Present
		}
		if len(v.Conflicts) == ImpactShown || !s.knows(model.KindUser, c.User) || !s.knows(model.KindConflict, c.Conflict) {
			return
		}
		clash := Clash{
			User:     in.Ref(model.KindUser, c.User),
			Conflict: in.Ref(model.KindConflict, c.Conflict),
			Items:    []string{},
			Cleared:  c.Cleared,
			Excepted: c.Excepted,
			From:     Optional(from),
			Live:     live,
		}
		for _, i := range c.Items {
			if i.Role != "" {
				clash.Items = append(clash.Items, in.Ref(model.KindRole, i.Role).Name)
			} else {
				clash.Items = append(clash.Items, i.Permission)
			}
		}
		v.Conflicts = append(v.Conflicts, clash)
	}
	for _, c := range p.Impact().Conflicts {
		tell(c, time.Time{}, true)
	}
	for _, c := range p.clashing {
		from := c.From
		if !from.After(p.at) {
			from = time.Time{}
		}
		tell(change.ConflictImpact{User: c.User, Conflict: c.Conflict, Items: c.Items, Excepted: c.Excepted}, from, c.live)
	}
	v.Promises = p.promisesOf(s)
	for _, l := range p.Impact().Licences {
		if !s.knows(model.KindLicence, l.Licence) {
			continue
		}
		short := Short{
			Licence: shown.Ref(model.KindLicence, l.Licence),
			Seats:   l.Seats,
			Used:    l.Used,
			Waiting: []Ref{},
			Lacking: len(l.Waiting),
		}
		for _, u := range l.Waiting[:min(len(l.Waiting), ImpactShown)] {
			short.Waiting = append(short.Waiting, shown.Ref(model.KindUser, u))
		}
		v.Licences = append(v.Licences, short)
	}
	if p.checked != nil && p.Index != nil {
		for _, w := range shown.WithheldBy(p.Index, p.Ops) {
			if s.knows(model.Kind(w.Target.Kind), w.Target.ID) {
				v.Withheld = append(v.Withheld, w)
			}
		}
	}
	if p.checked != nil {
		for _, w := range p.warned {
			if s.knows(w.Kind, w.ID) && len(v.Warnings) < ImpactShown {
				message := strings.TrimPrefix(w.Message, string(w.Code)+": ")
				v.Warnings = append(v.Warnings, Warning{shown.Ref(w.Kind, w.ID), Upper(message) + "."})
			}
		}
	}
	if p.checked != nil && p.After != nil {
		more := change.SeatsMore(p.house.Index, p.Index)
		for _, l := range shown.Design().Licences { // of people out of sight too: the pools are shared
			if spare := p.Impact().Spare[l.ID]; more[l.ID] != 0 || spare > 0 {
				v.Seats = append(v.Seats, SeatChange{shown.Ref(model.KindLicence, l.ID), more[l.ID], spare})
			}
		}
	}
	for _, id := range p.Impact().Delegations {
		if !s.knows(model.KindDelegation, id) {
			continue
		}
		v.Touches = append(v.Touches, shown.Ref(model.KindDelegation, id))
	}
	if s.Whole {
		v.Reviews = append(v.Reviews, p.reviews...)
	}
}

// knows tells whether somebody sees an object at all, as it is or as it would be.
func (s *Sight) knows(kind model.Kind, id string) bool {
	return s.House.Design().Get(kind, id) != nil || s.Present.Design().Get(kind, id) != nil
}

// Draft gives a person's draft. While another day or other eyes are looked through, there is none.
func (d *Desk) Draft(who Actor) (*Draft, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if s.Draft == nil {
		return (&Drafted{checked: &checked{house: s.House}}).view(s), nil
	}
	v := s.Draft.view(s)
	if len(v.Edits) == 0 {
		v.Discarded, err = d.Store.DraftSize(who.discarded())
	}
	return v, err
}

// DraftEdit tells what one act in a person's draft does, in so many sentences at most.
func (d *Desk) DraftEdit(who Actor, id string, most int) (*DraftEdit, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if s.Draft != nil {
		for i, e := range s.Draft.Edits {
			if e.ID == id {
				return s.Draft.told(s, i, change.NamesIn(s.House.Design(), s.Present.Design()), most), nil
			}
		}
	}
	return nil, Refuse(NotFound, "Nothing of that name is in your draft: it was applied or taken out.")
}

// told is one act as it is shown.
func (p *Drafted) told(s *Sight, i int, names change.Names, most int) *DraftEdit {
	told, more := change.FirstSentences(p.laid[i], names, most)
	return &DraftEdit{p.Edits[i].ID, Sentences(told), more, p.Edits[i].Undoes, s.meanwhile(p.meanwhile[i])}
}

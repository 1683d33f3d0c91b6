package view

import (
	"cmp"
	"iter"
	"slices"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk"
)

// SeatPool is a licence as the desk of seats shows it.
type SeatPool struct {
	Pool
	Free   *int     `json:"free,omitempty" doc:"Seats that nobody sits on; absent if there is no end to them"`
	NoUse  int      `json:"noUse" doc:"Seats of whose use nothing is known"`
	Lesser int      `json:"lesser" doc:"Seats whose holder could do with one that this licence covers, or with none"`
	May    bool     `json:"may" doc:"The viewer gives and takes seats"`
	By     []string `json:"systems" doc:"The systems that need it"`
}

// SeatRow is somebody on a seat, or waiting for one.
type SeatRow struct {
	User    desk.Ref   `json:"user"`
	Title   string     `json:"title,omitempty"`
	Home    string     `json:"home"`
	LastUse *time.Time `json:"lastUse,omitempty" doc:"When they last used a system that needs it, if that is known"`
	Never   bool       `json:"never,omitempty" doc:"Uses of these systems are known, but none by this person"`
	Since   *time.Time `json:"since,omitempty" doc:"Of who waits: since when they are given something that needs it"`
	Lacks   []string   `json:"lacks" doc:"Of who waits: what is withheld, at most 100"`
	Lacking int        `json:"lacking" doc:"How much that is"`
	Lesser  *desk.Ref  `json:"lesser,omitempty" doc:"The licence with which they could do; absent if they need none"`
}

// Seats are a window into a pool.
type Seats struct {
	Match int       `json:"match"`
	Rows  []SeatRow `json:"rows"`
}

// The parts of a pool.
const (
	SeatsTaken   = "taken"   // the longest idle first
	SeatsIdle    = "idle"    // not used for so many days
	SeatsWaiting = "waiting" // those first who have waited longest
	SeatsLesser  = "lesser"  // who could do with a lesser one
)

// SeatPools gives all licences with how their seats are taken, those first for which people wait and none is free. A
// seat is idle that was not used for so many days.
func (d *Viewer) SeatPools(who desk.Actor, days int) ([]SeatPool, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	licences, spare := s.Design().Licences, idling(s, days)
	out := make([]SeatPool, len(licences))
	one := func(l *model.Licence) SeatPool {
		taken := seats(s, l.ID, days)
		p := SeatPool{Pool: d.pool(s, l.ID, taken), By: []string{}}
		p.May = s.Draft != nil && (d.May(s.Present, who, model.EditPeople) || s.Authority != nil && mayAnybody(s, "seat"))
		if l.Seats != nil {
			free := max(0, *l.Seats-p.Used-p.Others)
			p.Free = &free
		}
		for _, seat := range taken {
			if seat.LastUse == nil && !seat.Never {
				p.NoUse++
			}
		}
		p.Lesser = len(spare[l.ID])
		for _, o := range neededBy(s, l.ID) {
			p.By = append(p.By, o.Name)
		}
		return p
	}
	fan.Out(len(licences), func(_, from, to int) {
		for i := from; i < to; i++ {
			out[i] = one(licences[i])
		}
	})
	short := func(p SeatPool) int {
		if p.Free != nil && *p.Free == 0 {
			return p.Lacking
		}
		return 0
	}
	slices.SortStableFunc(out, func(a, b SeatPool) int { return cmp.Compare(short(b), short(a)) })
	return out, nil
}

// mayAnybody tells whether a delegate may do something to somebody.
func mayAnybody(s *desk.Sight, action string) bool {
	return slices.ContainsFunc(s.Authority.Delegations(), func(g *model.Delegation) bool {
		return slices.Contains(g.Actions, action)
	})
}

// dispensable tells whether somebody can do without a licence of their own: they hold nothing that needs it or, where
// it is known what of the systems people use, used nothing that needs it within so many days.
type dispensable struct {
	s     *desk.Sight
	limit time.Time
	held  licencesOfEach             // of people on seats: the licences that what they hold needs
	needs map[string]map[string]bool // of licences: the permissions that need them, where it is known which are used
}

func dispensableFor(s *desk.Sight, days int) *dispensable {
	d := &dispensable{s: s, limit: s.At.AddDate(0, 0, -days), needs: map[string]map[string]bool{}}
	d.held = eachLicences(s, "licences that are needed", func(u *model.User) []string {
		if len(u.Licences) == 0 || !s.Index.Live(u.ID, s.At) {
			return nil
		}
		return s.Index.Uses(u.ID, s.At)
	})
	for _, l := range s.Design().Licences {
		needing := map[string]bool{}
		for _, key := range s.Index.Needing(l.ID) {
			if !s.Uses.Detailed(use.SystemOf(key)) {
				needing = nil
				break
			}
			needing[key] = true
		}
		d.needs[l.ID] = needing
	}
	return d
}

// needed gives of some licences those that somebody needs.
func (d *dispensable) needed(user string, of []string) []string {
	return d.neededOf(user, d.held.Of(user), of)
}

// neededOf is that, of the licences that what they hold needs.
func (d *dispensable) neededOf(user string, held licences, of []string) (out []string) {
	var used []use.Use
	for _, l := range of {
		if n, ok := d.s.Design().Licences.Position(l); !ok || !held.has(n) {
			continue
		}
		if d.needs[l] != nil && used == nil {
			used = d.s.Uses.Of(user)
		}
		if d.needs[l] == nil || slices.ContainsFunc(used, func(u use.Use) bool {
			return d.needs[l][u.What] && !u.At.Before(d.limit)
		}) {
			out = append(out, l)
		}
	}
	return out
}

// idling gives, of each licence, who sits on a seat without need of it, by name.
func idling(s *desk.Sight, days int) map[string][]*model.User {
	can := dispensableFor(s, days)
	held, users, entries := can.held.All(), s.Design().Users, s.Entries(model.KindUser)
	parts := make([]map[string][]*model.User, fan.Parts())
	fan.Out(len(entries), func(p, from, to int) {
		parts[p] = map[string][]*model.User{}
		for _, e := range entries[from:to] {
			u := users[e.Place]
			if len(u.Licences) == 0 || !s.Index.Live(u.ID, s.At) {
				continue
			}
			needed := can.neededOf(u.ID, held[e.Place], u.Licences)
			for _, l := range u.Licences {
				if !slices.Contains(needed, l) {
					parts[p][l] = append(parts[p][l], u)
				}
			}
		}
	})
	out := map[string][]*model.User{}
	for _, part := range parts {
		for l, list := range part {
			out[l] = append(out[l], list...)
		}
	}
	return out
}

// lesserFor gives the licence with which somebody could do in place of one; empty if they need none.
func (d *dispensable) lesserFor(l *model.Licence, u *model.User) string {
	for _, c := range d.needed(u.ID, l.Covers) {
		if !slices.Contains(u.Licences, c) {
			return c
		}
	}
	return ""
}

// MostLesser gives the lesser licence with which most of some people could do, by what they used within so many days,
// and those people; none if nobody needs any.
func MostLesser(s *desk.Sight, l *model.Licence, users []*model.User, days int) (lesser string, some []*model.User) {
	by, can := map[string][]*model.User{}, dispensableFor(s, days)
	for _, u := range users {
		if c := can.lesserFor(l, u); c != "" {
			by[c] = append(by[c], u)
		}
	}
	for _, c := range l.Covers {
		if len(by[c]) > len(some) {
			lesser, some = c, by[c]
		}
	}
	return lesser, some
}

// queue is who waits for a seat, with since when.
type queue struct {
	users []*model.User
	since map[string]time.Time
	err   error
}

// waiters gives who waits for a seat, those first who have waited longest, with since when. Who waits only by the draft
// comes last.
func (d *Viewer) waiters(s *desk.Sight, licence string) ([]*model.User, map[string]time.Time, error) {
	q := d.queueFor(s, licence)
	if s == s.Before() || q.err != nil {
		return q.users, q.since, q.err
	}
	var list, late []*model.User
	still := map[string]*model.User{}
	for _, u := range waiting(s, licence) {
		still[u.ID] = u
		if _, waited := q.since[u.ID]; !waited {
			late = append(late, u)
		}
	}
	for _, u := range q.users {
		if now, waits := still[u.ID]; waits {
			list = append(list, now)
		}
	}
	return append(list, late...), q.since, nil
}

// queueFor is the queue for a licence as it is without the draft.
func (d *Viewer) queueFor(s *desk.Sight, licence string) queue {
	before := s.Before()
	return desk.Counted(before, "the queue for "+licence, func() (q queue) {
		q.users, q.since, q.err = d.line(before, licence)
		return q
	})
}

// eachWaiting gives who waits for a seat, in the order of [Viewer.waiters]. To have the first few, nobody else is
// looked at who waits by the draft alone.
func (d *Viewer) eachWaiting(s *desk.Sight, licence string) iter.Seq2[*model.User, error] {
	return func(yield func(*model.User, error) bool) {
		q := d.queueFor(s, licence)
		if q.err != nil {
			yield(nil, q.err)
			return
		}
		waited := make(map[string]bool, len(q.users))
		for _, was := range q.users {
			waited[was.ID] = true
			u, there := s.Design().Users.Find(was.ID)
			if there && slices.Contains(s.Index.WaitsFor(u.ID, s.At), licence) && !yield(u, nil) {
				return
			}
		}
		for _, u := range waiting(s, licence) {
			if !waited[u.ID] && !yield(u, nil) {
				return
			}
		}
	}
}

// line puts those who wait for a seat in their order.
func (d *Viewer) line(s *desk.Sight, licence string) ([]*model.User, map[string]time.Time, error) {
	list := slices.Clone(waiting(s, licence))
	by := make([][]*model.Assignment, len(list))
	fan.Out(len(list), func(_, from, to int) {
		for n, u := range list[from:to] {
			by[from+n] = s.Index.GrantsNeeding(u.ID, licence, s.At)
		}
	})
	var ids []string
	seen := map[*model.Assignment]bool{} // those of groups are many people's
	users := make([]string, len(list))
	for n, u := range list {
		users[n] = u.ID
		for _, a := range by[n] {
			if !seen[a] {
				seen[a] = true
				ids = append(ids, a.ID)
			}
		}
	}
	given, err := d.Store.CameWith(model.KindAssignment, ids...)
	if err != nil {
		return nil, nil, err
	}
	came, err := d.Store.CameWith(model.KindUser, users...)
	if err != nil {
		return nil, nil, err
	}
	since := map[string]time.Time{}
	for n, u := range list {
		arrived, _ := came(u.ID)
		for _, a := range by[n] {
			r, known := given(a.ID)
			if !known {
				continue
			}
			at := r.At
			for _, t := range []time.Time{arrived.At, a.From, u.From} {
				if t.After(at) {
					at = t
				}
			}
			if first, known := since[u.ID]; !known || at.Before(first) {
				since[u.ID] = at
			}
		}
	}
	slices.SortStableFunc(list, func(a, b *model.User) int {
		x, known := since[a.ID]
		y, other := since[b.ID]
		return cmp.Or(cmp.Compare(boolRank(!known), boolRank(!other)), x.Compare(y))
	})
	return list, since, nil
}

// Seats gives a window into a part of a pool.
func (d *Viewer) Seats(who desk.Actor, licence, part string, days, offset, limit int) (*Seats, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	users, since, err := d.PartOfPool(s, licence, part, days)
	if err != nil {
		return nil, err
	}
	l, _ := s.Design().Licences.Find(licence)
	what, known := usesOf(s, licence)
	var can *dispensable
	if part == SeatsLesser {
		can = dispensableFor(s, days)
	}
	out := &Seats{Match: len(users), Rows: []SeatRow{}}
	for _, u := range users[min(offset, len(users)):min(offset+limit, len(users))] {
		row := SeatRow{
			User: s.Ref(model.KindUser, u.ID), Title: u.JobTitle, Home: s.Area(u.Area).Name,
			LastUse: lastUse(s.House, u.ID, what, s.At), Lacks: []string{},
		}
		row.Never = known && row.LastUse == nil && part != SeatsWaiting
		switch part {
		case SeatsWaiting:
			lacks := s.Index.Lacks(u.ID, licence, s.At)
			row.Lacking, row.Lacks = len(lacks), append(row.Lacks, lacks[:min(len(lacks), 100)]...)
			if at, known := since[u.ID]; known {
				row.Since = &at
			}
		case SeatsLesser:
			if c := can.lesserFor(l, u); c != "" {
				ref := s.Ref(model.KindLicence, c)
				row.Lesser = &ref
			}
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// PartOfPool gives those in a part of a pool, in its order; of who waits, since when too.
func (d *Viewer) PartOfPool(s *desk.Sight, licence, part string, days int) (
	[]*model.User, map[string]time.Time, error) {
	l, ok := s.Design().Licences.Find(licence)
	if !ok {
		return nil, nil, desk.Refuse(desk.NotFound, "There is no licence %q.", licence)
	}
	switch part {
	case SeatsWaiting:
		return d.waiters(s, licence)
	case SeatsLesser:
		return idling(s, days)[l.ID], nil, nil
	}
	taken := seats(s, licence, days)
	var out []*model.User
	for _, seat := range taken {
		if part != SeatsIdle || seat.Idle {
			out = append(out, seat.user)
		}
	}
	return out, nil, nil
}

// GiveSeats drafts that those get a seat who have waited longest, as many as are named and free.
func (d *Viewer) GiveSeats(who desk.Actor, licence string, n int) (*desk.Draft, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		base := p.Base()
		l, ok := base.Licences.Find(licence)
		if !ok || p.Seen().Get(model.KindLicence, licence) == nil {
			return desk.Refuse(desk.NotFound, "There is no licence %q.", licence)
		}
		if l.Seats != nil {
			free := *l.Seats - base.SeatsUsed()[licence]
			if free <= 0 {
				return desk.Refuse(desk.Conflict, "No seat of %s is free: all %d are taken.", l.Name, *l.Seats)
			}
			n = min(n, free)
		}
		var ops []change.Op
		for u, err := range d.eachWaiting(s, licence) {
			if err != nil {
				return err
			}
			if len(ops) == n {
				break
			}
			whole, there := base.Users.Find(u.ID)
			if !there || slices.Contains(whole.Licences, licence) ||
				s.Authority != nil && s.Authority.Check(delegation.Act{Action: delegation.Seat, User: whole}) != nil {
				continue // not theirs to give, or given already
			}
			after := change.Clone(whole)
			after.Licences = append(after.Licences, licence)
			slices.Sort(after.Licences)
			ops = append(ops, change.Put(base, after))
		}
		if len(ops) == 0 {
			return desk.Refuse(desk.Conflict, "Nobody waits for a seat of %s.", l.Name)
		}
		p.Add(0, ops...)
		return nil
	})
}

// SeatNeed is a licence that some people need for what they would be assigned.
type SeatNeed struct {
	Licence desk.Ref `json:"licence"`
	People  int      `json:"people" doc:"How many people it is about"`
	Without int      `json:"without" doc:"How many of these have no seat"`
	Free    *int     `json:"free,omitempty" doc:"How many seats are free; absent if there is no end to them"`
}

// SeatsNeeded tells which licences some roles and sets need, and how many of some people and of the members of some
// groups have no seat.
func (d *Viewer) SeatsNeeded(who desk.Actor, subjects, targets []desk.End) ([]SeatNeed, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	people := map[string]bool{}
	for _, e := range subjects {
		switch model.Kind(e.Kind) {
		case model.KindUser:
			people[e.ID] = true
		case model.KindGroup:
			for _, id := range s.Index.Members(e.ID) {
				people[id] = true
			}
		}
	}
	need := map[string]bool{}
	for _, t := range targets {
		if s.Design().Get(model.Kind(t.Kind), t.ID) == nil {
			continue
		}
		for _, l := range s.Index.LicencesFor(model.Kind(t.Kind), t.ID) {
			need[l] = true
		}
	}
	for id := range need { // whoever has one that covers another needs no other
		if l, ok := s.Design().Licences.Find(id); ok {
			for _, c := range l.Covers {
				delete(need, c)
			}
		}
	}
	used := s.Present.Index.SeatsUsed()
	out := []SeatNeed{}
	for _, l := range s.Design().Licences {
		if !need[l.ID] {
			continue
		}
		n := SeatNeed{Licence: s.Ref(model.KindLicence, l.ID), People: len(people)}
		for id := range people {
			if !s.Index.HasLicence(id, l.ID) {
				n.Without++
			}
		}
		if l.Seats != nil {
			free := max(0, *l.Seats-used[l.ID]-d.seatsOfOthers(s, l.ID))
			n.Free = &free
		}
		out = append(out, n)
	}
	return out, nil
}

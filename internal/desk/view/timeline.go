package view

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// Timeline is a person's access over time: what began and ended, and by which revision.
type Timeline struct {
	From  time.Time `json:"from"`
	Until time.Time `json:"until"`
	Now   time.Time `json:"now"`
	Bands []Band    `json:"bands" doc:"What began first comes first"`
	Cut   bool      `json:"cut" doc:"The record goes back further than was looked at"`
}

// Band is one thing that a person has been given, in one way, with the spans in which it was in force.
type Band struct {
	Target desk.Ref  `json:"target"`
	Group  *desk.Ref `json:"group,omitempty" doc:"The group by which it is given; none if by hand"`
	Where  string    `json:"where" doc:"Over what, in words"`
	Spans  []Span    `json:"spans"`
}

// Span is a time in which something was in force.
type Span struct {
	From  time.Time  `json:"from"`
	Until *time.Time `json:"until,omitempty" doc:"None while no end is known"`
	Began *Turn      `json:"began,omitempty" doc:"By what; none if it was so when the record begins, or was looked at first"`
	Ended *Turn      `json:"ended,omitempty"`
}

// Turn is what began or ended something: a revision, or a date that had been set before.
type Turn struct {
	Revision int    `json:"revision,omitempty"`
	Who      string `json:"who,omitempty"`
	Why      string `json:"why,omitempty"`
	Set      bool   `json:"set,omitempty" doc:"Its validity began or ended then"`
}

// mostTurned bounds how many revisions a timeline goes back.
const mostTurned = 400

// bandKey tells bands apart.
type bandKey struct{ target, group, where string }

// Timeline tells what a person has had since an instant, and will have until another.
func (d *Viewer) Timeline(who desk.Actor, user string, from, until time.Time) (*Timeline, error) {
	h, err := d.Enter(who, model.ViewHistory)
	if err != nil {
		return nil, err
	}
	if err := d.Need(h, who, model.ViewDesign); err != nil {
		return nil, err
	}
	if h.Design().Get(model.KindUser, user) == nil {
		return nil, desk.Refuse(desk.NotFound, "There is no person %q.", user)
	}
	now := d.Now()
	if !from.Before(until) {
		return nil, desk.Refuse(desk.Invalid, "The time that is looked at must begin before it ends.")
	}
	revisions, err := d.Reading(who).Revisions(store.Search{}, 0, mostTurned)
	if err != nil {
		return nil, err
	}
	t := &timeline{user: user, from: from, until: until, names: h, bands: map[bandKey]*Band{}}
	x, end := h.Index, until
	var ended *Turn
	for _, r := range revisions { // the latest first; what is now is as the last one left it
		began := &Turn{Revision: r.Number, Who: r.WhoName, Why: r.Why}
		t.lay(x.GrantsFor(user), x.Design(), r.At, end, began, ended)
		end, ended = r.At, began
		if !r.At.After(from) || r.Number == 1 { // before the first there was nothing
			break
		}
		ops, err := d.Reading(who).Change(r.Number, 0)
		if err != nil {
			return nil, err
		}
		x = x.Update(change.Lay(x.Design(), change.Invert(ops)))
	}
	out := &Timeline{
		From:  from,
		Until: until,
		Now:   now,
		Bands: []Band{},
		Cut:   len(revisions) == mostTurned && end.After(from),
	}
	for _, b := range t.bands {
		slices.Reverse(b.Spans)
		for i := range b.Spans {
			if b.Spans[i].Ended == nil {
				b.Spans[i].Until = nil
			}
		}
		out.Bands = append(out.Bands, *b)
	}
	slices.SortFunc(out.Bands, func(a, b Band) int {
		return cmp.Or(
			a.Spans[0].From.Compare(b.Spans[0].From),
			strings.Compare(a.Target.Name, b.Target.Name),
			strings.Compare(a.Where, b.Where),
		)
	})
	return out, nil
}

// timeline gathers bands while time is gone through backwards.
type timeline struct {
	user        string
	from, until time.Time
	names       *desk.House
	bands       map[bandKey]*Band
}

// lay adds what was given while one revision held, from begin to end.
func (t *timeline) lay(list []*model.Assignment, d *model.Design, begin, end time.Time, began, ended *Turn) {
	u, ok := d.Users.Find(t.user)
	if !ok || u.State != model.UserActive {
		return
	}
	spans := map[bandKey][]Span{}
	for _, a := range list {
		s := Span{From: begin, Until: &end, Began: began, Ended: ended}
		for _, v := range []struct{ from, until time.Time }{{a.From, a.Until}, {u.From, u.Until}} {
			if v.from.After(s.From) {
				s.From, s.Began = v.from, &Turn{Set: true}
			}
			if !v.until.IsZero() && v.until.Before(*s.Until) {
				until := v.until
				s.Until, s.Ended = &until, &Turn{Set: true}
			}
		}
		if !s.From.Before(*s.Until) || !s.Until.After(t.from) {
			continue
		}
		key := bandKey{a.Grant(), a.Subject.Group, t.over(d, a)}
		spans[key] = append(spans[key], s)
	}
	for key, list := range spans {
		t.add(key, joined(list))
	}
}

// over says over what an assignment counts.
func (t *timeline) over(d *model.Design, a *model.Assignment) string {
	words := Over(t.names.Holdings([]index.Holding{{Area: cmp.Or(a.Area, d.Root()), Reach: a.Reach}}))
	if a.Mode == model.ReadOnly {
		words += ", read-only"
	}
	return words
}

// joined makes one of spans that touch.
func joined(list []Span) []Span {
	slices.SortFunc(list, func(a, b Span) int { return a.From.Compare(b.From) })
	out := list[:1]
	for _, s := range list[1:] {
		last := &out[len(out)-1]
		if s.From.After(*last.Until) {
			out = append(out, s)
		} else if s.Until.After(*last.Until) {
			last.Until, last.Ended = s.Until, s.Ended
		}
	}
	return out
}

// add puts spans before those that a band has; where they touch, they are one.
func (t *timeline) add(key bandKey, spans []Span) {
	b := t.bands[key]
	if b == nil {
		kind, id, _ := strings.Cut(key.target, ":")
		b = &Band{Target: t.names.Ref(model.Kind(kind), id), Where: key.where}
		if key.group != "" {
			g := t.names.Ref(model.KindGroup, key.group)
			b.Group = &g
		}
		t.bands[key] = b
	}
	for _, s := range slices.Backward(spans) {
		n := len(b.Spans)
		if n > 0 && !s.Until.Before(b.Spans[n-1].From) {
			b.Spans[n-1].From, b.Spans[n-1].Began = s.From, s.Began
		} else {
			b.Spans = append(b.Spans, s)
		}
	}
	if first := &b.Spans[len(b.Spans)-1]; first.From.Before(t.from) {
		first.From, first.Began = t.from, nil
	}
}

// Over says where and how far something is held.
func Over(held []desk.Holding) string {
	places := make([]string, len(held))
	for i, h := range held {
		switch model.Reach(h.Reach) {
		case model.ReachOwn:
			places[i] = h.Area.Name + ", own records"
		case model.ReachLine:
			places[i] = h.Area.Name + ", own line"
		default:
			if places[i] = h.Area.Name; h.Whole {
				places[i] = "everywhere"
			}
		}
	}
	return strings.Join(places, "; ")
}

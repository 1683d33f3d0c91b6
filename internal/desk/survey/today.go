package survey

import (
	"slices"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// Today is what somebody comes back to: what waits for them, what of theirs ends soon, and what changed since they last
// looked. What is loose is told by [Surveyor.Findings].
type Today struct {
	Waits   []Waits         `json:"waits" doc:"The most pressing first"`
	Ends    []EndsSoon      `json:"ends" doc:"What of the viewer's own ends within 30 days"`
	Looked  *time.Time      `json:"looked,omitempty" doc:"When they last looked; absent: they never have"`
	Changes []view.Revision `json:"changes" doc:"What was applied since then, without what they applied themselves, the latest first; at most 8. Nothing for who may not see the history"`
	More    int             `json:"more" doc:"How many more there are"`
	Latest  int             `json:"latest" doc:"The last revision there is: give it back to say that all of this was looked at"`
}

// Waits is something that waits for somebody.
type Waits struct {
	Kind  string     `json:"kind" enum:"begin,review,task,close,request,draft,invitation,letter,series,worklist"`
	ID    string     `json:"id,omitempty" doc:"Of the review, the series or the worklist"`
	Name  string     `json:"name" doc:"What it is called; empty where the kind says it all"`
	Count int        `json:"count" doc:"How many items, tasks, requests, changes or invitations"`
	Of    int        `json:"of,omitempty" doc:"Out of how many"`
	At    *time.Time `json:"at,omitempty" doc:"When it is due, or when it was last touched"`
	Late  bool       `json:"late,omitempty" doc:"It is overdue, or cannot go on"`
	Says  string     `json:"says,omitempty" doc:"What keeps it from going on"`
}

// EndsSoon is an assignment of somebody's own that ends soon.
type EndsSoon struct {
	Target desk.Ref  `json:"target"`
	Where  string    `json:"where"`
	At     time.Time `json:"at"`
}

const (
	changesShown = 8
	endsWithin   = 30 * 24 * time.Hour
	listsShown   = 3
)

// Today gives what somebody comes back to. It writes nothing.
func (d *Surveyor) Today(who desk.Actor) (*Today, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	out := &Today{
		Waits: []Waits{}, Ends: []EndsSoon{}, Changes: []view.Revision{}, Latest: s.Present.Revision,
	}
	for _, find := range []func(desk.Actor, *desk.Sight, *Today) error{
		d.beginning, d.reviewsWait, d.workWaits, d.draftWaits, d.changed,
	} {
		if err := find(who, s, out); err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(out.Waits, func(a, b Waits) int { return urgency(a) - urgency(b) })
	for _, a := range s.Index.GrantsOfUser(who.Eyes()) {
		if model.In(s.At, a.From, a.Until) && !a.Until.IsZero() && a.Until.Sub(s.At) <= endsWithin {
			out.Ends = append(out.Ends, EndsSoon{view.Target(s.House, a), s.Terms(a).Where, a.Until})
		}
	}
	slices.SortStableFunc(out.Ends, func(a, b EndsSoon) int { return a.At.Compare(b.At) })
	return out, nil
}

// urgency orders what waits: what is late, then what others wait for, then what is only one's own.
func urgency(w Waits) int {
	if w.Late {
		return -1
	}
	return slices.Index([]string{
		"begin", "series", "review", "task", "request", "close", "letter", "invitation", "draft", "worklist",
	}, w.Kind)
}

// beginning tells whoever may bring in catalogues that there is nothing to grant yet.
func (d *Surveyor) beginning(who desk.Actor, s *desk.Sight, out *Today) error {
	if d.Acts(s.Present, who) == nil && d.May(s.Present, who, model.EditCatalogue) &&
		!slices.ContainsFunc(s.Design().Systems, func(o *model.System) bool { return o.ID != model.OwnSystem }) {
		out.Waits = append(out.Waits, Waits{Kind: "begin"})
	}
	return nil
}

// reviewsWait tells which reviews wait to be decided, or closed, and which series cannot go on.
func (d *Surveyor) reviewsWait(who desk.Actor, s *desk.Sight, out *Today) error {
	reviews, err := d.reviews.Reviews(who, "")
	if err != nil {
		return err
	}
	for _, r := range reviews {
		if r.Closed != nil {
			continue
		}
		w := Waits{ID: desk.Itoa(r.ID), Name: r.Name, At: &r.Due, Late: r.Overdue}
		if r.Waiting > 0 {
			w.Kind, w.Count, w.Of = "review", r.Waiting, r.Mine
			out.Waits = append(out.Waits, w)
		}
		if r.Opener.ID == who.Eyes() && (r.Overdue || r.Kept+r.Revoked == r.Items) {
			w.Kind, w.Count, w.Of = "close", r.Items-r.Kept-r.Revoked, r.Items
			out.Waits = append(out.Waits, w)
		}
	}
	tasks, err := d.reviews.Tasks(who)
	if err != nil {
		return err
	}
	if len(tasks) > 0 {
		out.Waits = append(out.Waits, Waits{Kind: "task", Count: len(tasks)})
	}
	series, err := d.reviews.AllSeries(who)
	if err != nil {
		return err
	}
	for _, one := range series {
		if one.Trouble != "" && one.May && one.Ended == nil {
			out.Waits = append(out.Waits, Waits{
				Kind: "series", ID: desk.Itoa(one.ID), Name: one.Name, Late: true, Says: one.Trouble,
			})
		}
	}
	return nil
}

// workWaits tells of requests, invitations that came to nothing, and worklists.
func (d *Surveyor) workWaits(who desk.Actor, s *desk.Sight, out *Today) error {
	if d.Acts(s.Present, who) != nil {
		return nil // these are for who acts, not for who looks on
	}
	asked, err := d.office.RequestsWaiting(who)
	if err != nil {
		return err
	}
	if asked > 0 {
		out.Waits = append(out.Waits, Waits{Kind: "request", Count: asked})
	}
	lists, err := d.office.Worklists(who)
	if err != nil {
		return nil // whoever gathers nobody has none, nor invites anybody
	}
	for _, l := range lists.Lists[:min(len(lists.Lists), listsShown)] {
		out.Waits = append(out.Waits, Waits{Kind: "worklist", ID: l.ID, Name: l.Name, At: &l.Changed})
	}
	invited, err := d.office.Invitations(who, "", "", 0, 0)
	if err != nil {
		return err
	}
	if over := invited.Counts[people.RunOut] + invited.Counts[people.Returned]; over > 0 {
		out.Waits = append(out.Waits, Waits{Kind: "invitation", Count: over})
	}
	if unsent := invited.Counts[people.ToSend]; unsent > 0 {
		out.Waits = append(out.Waits, Waits{Kind: "letter", Count: unsent})
	}
	return nil
}

// draftWaits tells of a draft that was left lying.
func (d *Surveyor) draftWaits(who desk.Actor, s *desk.Sight, out *Today) error {
	if s.Draft != nil && len(s.Draft.Edits) > 0 {
		out.Waits = append(out.Waits, Waits{Kind: "draft", Count: len(s.Draft.Edits)})
	}
	return nil
}

// changed tells what others applied since somebody last looked.
func (d *Surveyor) changed(who desk.Actor, s *desk.Sight, out *Today) error {
	looked, err := d.Reading(who).LookedAt(d.Self(s.Present, who, model.ViewHistory))
	if err != nil {
		return err
	}
	out.Looked = desk.Optional(looked.At)
	if !d.May(s.Present, who, model.ViewHistory) || looked.Revision >= s.Present.Revision {
		return nil
	}
	if looked.Revision == 0 { // who has never looked is shown the last ones
		looked.Revision = s.Present.Revision - changesShown
	}
	list, err := d.History(who, view.HistorySearch{Limit: 200})
	if err != nil {
		return err
	}
	for _, r := range list {
		if r.Number <= looked.Revision {
			break
		}
		if own, err := d.Reading(who).Revision(r.Number); err != nil || own.Who == who.Eyes() {
			if err != nil {
				return err
			}
			continue
		}
		if len(out.Changes) < changesShown {
			out.Changes = append(out.Changes, r)
		} else {
			out.More++
		}
	}
	return nil
}

// LookAt keeps that somebody has looked at what changed, up to a revision.
func (d *Surveyor) LookAt(who desk.Actor, revision int) error {
	h := d.Present()
	if err := d.InPerson(h, who); err != nil {
		return err
	}
	if revision < 0 || revision > h.Revision {
		return desk.Refuse(desk.Invalid, "There is no revision %d yet: the last is %d.", revision, h.Revision)
	}
	return d.Store.Look(store.Looked{User: who.User, Revision: revision, At: d.Now()})
}

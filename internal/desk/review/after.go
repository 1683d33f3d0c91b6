package review

import (
	"cmp"
	"errors"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// What became of a revocation, worst first.
const (
	afterBack   = "back"   // given again since
	afterWaits  = "waits"  // the owner of a group has not said what becomes of it
	afterLeft   = "left"   // the owner of a group left it, for a reason
	afterPartly = "partly" // something of it is held in another way
	afterGone   = "gone"
)

var afterOrder = []string{afterBack, afterWaits, afterLeft, afterPartly, afterGone}

// After tells what became of one revocation of a closed review.
type After struct {
	Item    int        `json:"item"`
	Subject desk.Ref   `json:"subject"`
	Target  desk.Ref   `json:"target"`
	Keeps   string     `json:"keeps" doc:"What was revoked, in words"`
	State   string     `json:"state" enum:"gone,partly,left,waits,back" doc:"Nothing of it is held; something is, in another way; the owner of a group left it; waits for that owner; given again"`
	Note    string     `json:"note,omitempty" doc:"In words, what stays and by what"`
	By      *desk.Ref  `json:"by,omitempty" doc:"Who gave it again, left it, or is to say what becomes of it"`
	ByName  string     `json:"byName,omitempty" doc:"What a program or operator was called that gave it again"`
	At      *time.Time `json:"at,omitempty" doc:"When it was given again, or left"`
}

// Afterwards tells what became of what a closed review revoked: whether each is truly gone by now.
type Afterwards struct {
	Gone   int     `json:"gone"`
	Partly int     `json:"partly"`
	Left   int     `json:"left"`
	Waits  int     `json:"waits"`
	Back   int     `json:"back"`
	Rows   []After `json:"rows" doc:"Those that are not gone first; at most 500"`
}

const afterShown = 500

// Afterwards tells what became of what a review revoked. Nothing has, before it is closed.
func (d *Reviewer) Afterwards(who desk.Actor, id int) (*Afterwards, error) {
	l, err := d.look(who, id, "")
	if err != nil {
		return nil, err
	}
	v := &Afterwards{Rows: []After{}}
	if l.r.Closed == nil {
		return v, nil
	}
	items, err := d.Reading(who).ReviewItems(id, "")
	if err != nil {
		return nil, err
	}
	seen := map[int]bool{}
	for _, i := range l.items {
		seen[i.ID] = true
	}
	items = slices.DeleteFunc(items, func(i store.ReviewItem) bool { return !seen[i.ID] })
	list, err := d.after(who, l.h, l.r, items)
	if err != nil {
		return nil, err
	}
	counts := map[string]*int{
		afterGone:   &v.Gone,
		afterPartly: &v.Partly,
		afterLeft:   &v.Left,
		afterWaits:  &v.Waits,
		afterBack:   &v.Back,
	}
	for _, a := range list {
		*counts[a.State]++
	}
	slices.SortStableFunc(list, func(a, b After) int {
		return cmp.Compare(slices.Index(afterOrder, a.State), slices.Index(afterOrder, b.State))
	})
	v.Rows = append(v.Rows, list[:min(len(list), afterShown)]...)
	return v, nil
}

// after tells what became of the revoked ones of some items of a closed review.
func (d *Reviewer) after(who desk.Actor, h *desk.House, r store.Review, items []store.ReviewItem) ([]After, error) {
	tasks, err := d.Reading(who).Tasks(r.ID, "")
	if err != nil {
		return nil, err
	}
	closing := r.Revision
	if closing == 0 {
		if closing, err = d.Reading(who).RevisionAt(*r.Closed); err != nil {
			return nil, err
		}
	}
	left := map[int][]store.ReviewTask{}
	for _, t := range tasks {
		left[t.Item] = append(left[t.Item], t)
	}
	items = slices.DeleteFunc(slices.Clone(items), func(i store.ReviewItem) bool { return i.Decision != decisionRevoke })
	held := make([][]*model.Assignment, len(items)) // what of each item is assigned by now
	var ids []string
	for n, i := range items {
		it := itemOf(r, i)
		if i.Of != "" {
			continue
		}
		for _, a := range h.Index.GrantsFor(i.User) {
			if a.Role == it.Role && a.Set == it.Set && (a.Until.IsZero() || a.Until.After(d.Now())) &&
				h.Index.Near(a.Area, r.Area) {
				held[n] = append(held[n], a)
				ids = append(ids, a.ID)
			}
		}
	}
	slices.Sort(ids)
	made, err := d.Reading(who).CameWith(model.KindAssignment, slices.Compact(ids)...)
	if err != nil {
		return nil, err
	}
	joined := map[string]map[string]store.Revision{}
	var out []After
	for n, i := range items {
		it := itemOf(r, i)
		a := After{
			Item: i.ID, Subject: subjectOf(h, it), Target: targetOf(h, it), Keeps: keepsWords(h, it), State: afterGone,
		}
		again := func(rev store.Revision, note string) {
			at := rev.At
			a.State, a.At, a.By, a.Note = afterBack, &at, h.Optional(model.KindUser, rev.Who), note
			if a.By == nil {
				a.ByName = rev.WhoName
			}
		}
		if i.Of != "" {
			if err := d.afterOther(who, h, it, left[i.ID], again, &a, closing); err != nil {
				return nil, err
			}
			out = append(out, a)
			continue
		}
		for _, g := range held[n] {
			group := g.Subject.Group
			asked := slices.Contains(i.Direct, g.ID) || slices.Contains(i.Given, g.ID)
			if rev, known := made(g.ID); known && (rev.Number > closing || !asked && !rev.At.Before(r.Opened)) {
				note := "given by hand"
				if group != "" {
					note = "given to " + h.Ref(model.KindGroup, group).Name
				}
				again(rev, note)
				break
			}
			if group == "" {
				continue
			}
			if joined[group] == nil {
				if joined[group], err = d.Reading(who).Joinings(group); err != nil {
					return nil, err
				}
			}
			if rev, listed := joined[group][i.User]; listed && rev.Number > closing {
				again(rev, "put into "+h.Ref(model.KindGroup, group).Name+" again")
				break
			}
			t, tasked := taskOf(left[i.ID], group)
			by := "by " + h.Ref(model.KindGroup, group).Name
			switch {
			case !tasked:
				a.State, a.Note = afterPartly, by
			case t.Decision == "":
				a.State, a.Note, a.By = afterWaits, by, h.Optional(model.KindUser, t.Owner)
			case a.State == afterGone || a.State == afterPartly:
				a.State, a.Note, a.By, a.At = afterLeft, by, h.Optional(model.KindUser, t.By), t.Decided
				if t.Reason != "" {
					a.Note += ": " + t.Reason
				}
			}
		}
		if a.State == afterGone {
			if note := d.otherWays(h, r, it); note != "" {
				a.State, a.Note = afterPartly, note
			}
		}
		out = append(out, a)
	}
	return out, nil
}

// afterOther tells what became of a revocation that is not about access: gone unless it still stands, or does again.
func (d *Reviewer) afterOther(who desk.Actor, h *desk.House, i review.Item, tasks []store.ReviewTask,
	again func(store.Revision, string), a *After, closing int) error {
	if i.Keeps.Kind == review.KindAside {
		asides, err := d.Reading(who).Asides(d.Looked(who))
		if err != nil {
			return err
		}
		if aside, is := asides[i.Keeps.ID]; is {
			a.State, a.At, a.By, a.Note = afterBack, &aside.At, h.Optional(model.KindUser, aside.By), "set aside again"
		}
		return nil
	}
	if !review.Stands(h.Design(), i) {
		return nil
	}
	if len(tasks) > 0 { // only a person can carry it out
		t := tasks[0]
		a.State, a.By = afterWaits, h.Optional(model.KindUser, t.Owner)
		if t.Decision != "" {
			a.State, a.Note, a.By, a.At = afterLeft, t.Reason, h.Optional(model.KindUser, t.By), t.Decided
		}
		return nil
	}
	rev, err := d.Reading(who).LastOn(i.Of.Kind, i.Of.ID, 0)
	if err == nil && rev.Number > closing {
		again(rev, "so again")
	} else if errors.Is(err, store.ErrNotFound) {
		err = nil
	}
	return err
}

// taskOf gives what was left to the owner of a group about an item.
func taskOf(tasks []store.ReviewTask, group string) (store.ReviewTask, bool) {
	i := slices.IndexFunc(tasks, func(t store.ReviewTask) bool { return t.Group == group })
	if i < 0 {
		return store.ReviewTask{}, false
	}
	return tasks[i], true
}

// otherWays says how much of an item's role or set its person holds though it is not assigned to them, and by what.
func (d *Reviewer) otherWays(h *desk.House, r store.Review, i review.Item) string {
	keys := h.Index.Content(i.Target())
	held := slices.DeleteFunc(h.Index.Widest(i.User, d.Now()), func(o index.Holding) bool {
		_, of := slices.BinarySearch(keys, o.Permission)
		return !of || !h.Index.Near(o.Area, r.Area)
	})
	if len(held) == 0 {
		return ""
	}
	var of, by []string
	for _, o := range held {
		of = append(of, o.Permission)
	}
	for _, r := range d.staysBy(h, i, held) {
		by = append(by, r.Name)
	}
	slices.Sort(of)
	note := desk.Count(len(slices.Compact(of)), "permission", "permissions") + " of it"
	if len(by) > 0 {
		note += " by " + strings.Join(by, ", ")
	}
	return note
}

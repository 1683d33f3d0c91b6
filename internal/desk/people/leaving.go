package people

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/leaving"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// LeavingDuty is something that somebody answers for, and that another takes over when they leave.
type LeavingDuty struct {
	desk.Ref
	Field string `json:"field" enum:"owner,manager,delegate"`
	Note  string `json:"note,omitempty"`
}

// LeavingGrant is something that is assigned to somebody by hand.
type LeavingGrant struct {
	ID     string     `json:"id"`
	Target desk.Ref   `json:"target"`
	Terms  desk.Terms `json:"terms"`
}

// LeavingSeat is a seat that comes free when somebody leaves.
type LeavingSeat struct {
	Licence desk.Ref `json:"licence"`
	Waiting int      `json:"waiting" doc:"How many wait for one"`
}

// LeavingPerson is somebody who could leave, with all that they leave behind.
type LeavingPerson struct {
	User    desk.Ref        `json:"user"`
	State   string          `json:"state"`
	Title   string          `json:"title,omitempty"`
	Home    string          `json:"home"`
	Manager *desk.Ref       `json:"manager,omitempty" doc:"Who would take over at first sight"`
	Until   *time.Time      `json:"until,omitempty" doc:"Until when the account is valid"`
	Duties  []LeavingDuty   `json:"duties" doc:"What they own, whom they manage, what is delegated to them"`
	Told    []desk.Ref      `json:"told" doc:"Who reports to them by what a directory tells, which is changed there"`
	Grants  []LeavingGrant  `json:"grants" doc:"What they hold by hand"`
	Groups  []desk.Ref      `json:"groups" doc:"Groups that list them, and will not from the day on"`
	Kept    []desk.Ref      `json:"kept" doc:"Groups in which a directory keeps them"`
	Seats   []LeavingSeat   `json:"seats"`
	Items   int             `json:"items" doc:"Undecided items of open reviews that wait for them"`
	MayHand bool            `json:"mayHand" doc:"Whoever looks may give these to somebody else to decide"`
	Planned *LeavingPlanned `json:"planned,omitempty" doc:"How they leave, if that is applied"`
}

// LeavingPlanned is a leaving that was applied.
type LeavingPlanned struct {
	User     desk.Ref  `json:"user"`
	Title    string    `json:"title,omitempty"`
	Home     string    `json:"home"`
	On       time.Time `json:"on"`
	By       desk.Ref  `json:"by"`
	Revision int       `json:"revision"`
	Gone     bool      `json:"gone" doc:"The day has come"`
}

// Leaver tells what somebody would leave behind.
func (d *Office) Leaver(who desk.Actor, user string) (*LeavingPerson, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, err
	}
	u, ok := s.Present.Design().Users.Find(user)
	if !ok || u.State == model.UserDeleted {
		return nil, desk.Refuse(desk.NotFound, "There is no person %q.", user)
	}
	h := s.Present
	out := &LeavingPerson{
		User: h.Ref(model.KindUser, user), State: string(u.State), Title: u.JobTitle, Home: h.Area(u.Area).Name,
		Until: desk.Optional(u.Until), Duties: []LeavingDuty{}, Grants: []LeavingGrant{}, Groups: []desk.Ref{},
		Kept:  []desk.Ref{},
		Seats: []LeavingSeat{}, Told: []desk.Ref{},
	}
	if m, ok := h.Design().Users.Find(u.Manager); ok && m.State == model.UserActive {
		ref := h.Ref(model.KindUser, m.ID)
		out.Manager = &ref
	}
	for _, duty := range leaving.Duties(h.Design(), user) {
		note := ""
		if p, is := h.Design().Get(duty.Kind, duty.ID).(*model.User); is {
			note = p.JobTitle
		}
		out.Duties = append(out.Duties, LeavingDuty{h.Ref(duty.Kind, duty.ID), duty.Field, note})
	}
	for _, id := range leaving.Told(h.Design(), user) {
		out.Told = append(out.Told, h.Ref(model.KindUser, id))
	}
	for _, a := range leaving.ByHand(h.Design(), user, d.Now()) {
		out.Grants = append(out.Grants, LeavingGrant{a.ID, view.Target(h, a), h.Terms(a)})
	}
	for _, g := range h.Design().Groups {
		if !slices.Contains(g.Users, user) {
			continue
		}
		if ref := h.Ref(model.KindGroup, g.ID); g.Source == model.Directory {
			out.Kept = append(out.Kept, ref)
		} else {
			out.Groups = append(out.Groups, ref)
		}
	}
	for _, l := range u.Licences {
		out.Seats = append(out.Seats, LeavingSeat{h.Ref(model.KindLicence, l), len(h.Index.Lacking(l, d.Now()))})
	}
	if out.Items, err = d.Store.Waiting(user); err != nil {
		return nil, err
	}
	out.MayHand = d.May(h, who, model.RunReviews)
	l, err := d.Store.LeavingOf(user)
	if errors.Is(err, store.ErrNotFound) {
		return out, nil
	}
	if err == nil && stands(h, l) {
		p := planned(h, l)
		out.Planned = &p
	}
	return out, err
}

// stands tells whether a leaving that was applied still is as it was planned: nobody undid it since.
func stands(h *desk.House, l store.Leaving) bool {
	u, ok := h.Design().Users.Find(l.User)
	return ok && !u.Until.IsZero() && !l.On.Before(u.Until) && u.State != model.UserDeleted
}

func planned(h *desk.House, l store.Leaving) LeavingPlanned {
	u, _ := h.Design().Users.Find(l.User)
	return LeavingPlanned{
		h.Ref(model.KindUser, l.User), u.JobTitle, h.Area(u.Area).Name, l.On, h.Ref(model.KindUser, l.By), l.Revision,
		l.State == store.LeavingGone,
	}
}

// goneFor is for how long it is told that somebody has left.
const goneFor = 90 * 24 * time.Hour

// Leavers gives those who leave, and who have left within 90 days, as far as somebody sees them; the earliest first.
func (d *Office) Leavers(who desk.Actor) ([]LeavingPlanned, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, err
	}
	kept, err := d.Store.Leavings(d.Now().Add(-goneFor))
	out := []LeavingPlanned{}
	for _, l := range kept {
		if stands(s.Present, l) {
			out = append(out, planned(s.Present, l))
		}
	}
	return out, err
}

// LeavingPlan says how somebody is to leave.
type LeavingPlan struct {
	User   string             `json:"user" maxLength:"200"`
	On     time.Time          `json:"on" doc:"From when on they have nothing any longer"`
	Duties []LeavingHandOver  `json:"duties" doc:"Who takes over what; what is not named stays without anybody"`
	Grants []LeavingHandGrant `json:"grants" doc:"Who is given, from that day on, what they hold by hand"`
	Items  string             `json:"items,omitempty" maxLength:"200" doc:"Who decides what waits for them in open reviews"`
}

// LeavingHandOver hands a duty over.
type LeavingHandOver struct {
	Kind string `json:"kind" enum:"role,set,group,user,delegation"`
	ID   string `json:"id" maxLength:"200"`
	To   string `json:"to" maxLength:"200"`
}

// LeavingHandGrant hands something on that was given by hand.
type LeavingHandGrant struct {
	ID string `json:"id" maxLength:"200"`
	To string `json:"to" maxLength:"200"`
}

// keptLeaving is what is kept of how somebody leaves.
type keptLeaving struct {
	Before leaving.Before
	Gone   leaving.Gone
	Items  string // who decides what waited for them
}

// DraftLeaving drafts that somebody leaves on a day. What happens on the day itself is asked for now: whoever plans it
// must be one who may do it.
func (d *Office) DraftLeaving(who desk.Actor, p LeavingPlan) (*desk.Draft, error) {
	plan := &leaving.Plan{
		User: p.User, On: p.On.UTC(), Duties: map[leaving.Duty]string{}, Grants: map[string]string{},
	}
	return d.Alter(who, func(h *desk.House, draft *desk.Drafted) error {
		seen := draft.Seen()
		if seen.Get(model.KindUser, p.User) == nil {
			return desk.Refuse(desk.NotFound, "There is no person %q.", p.User)
		}
		base := draft.Base()
		to := []string{p.Items}
		for _, duty := range leaving.Duties(base, p.User) {
			for _, over := range p.Duties {
				if over.Kind == string(duty.Kind) && over.ID == duty.ID {
					plan.Duties[duty] = over.To
					to = append(to, over.To)
				}
			}
		}
		for _, over := range p.Grants {
			plan.Grants[over.ID] = over.To
			to = append(to, over.To)
		}
		for _, id := range to {
			if id != "" && seen.Get(model.KindUser, id) == nil {
				return desk.Refuse(desk.NotFound, "There is no person %q.", id)
			}
		}
		if p.Items != "" {
			// Who decides in a review is for those who run it: nobody comes by items because somebody leaves.
			if err := d.Need(h, who, model.RunReviews); err != nil {
				return err
			}
		}
		if p.Items != "" && !h.Index.Live(p.Items, d.Now()) {
			return desk.Refuse(desk.Invalid, "%s is not live, and decides nothing.", h.Ref(model.KindUser, p.Items).Name)
		}
		ops, before, wrong := plan.Ops(base, d.Now())
		if wrong != "" {
			return desk.Refuse(desk.Invalid, "%s", wrong)
		}
		if len(ops) == 0 && p.Items == "" {
			return desk.Refuse(desk.Conflict, "They are already due to leave on that day, and nothing is left to hand over.")
		}
		after := change.Lay(base, ops)
		if blocks := d.With(draft, who,
			append(slices.Clone(ops), leaving.End(after, p.User)...)).Of(desk.Refuses); len(blocks) > 0 {
			return &desk.Error{Cause: desk.NotAllowed, Message: blocks[0], Problems: blocks[1:]}
		}
		value, err := json.Marshal(keptLeaving{Before: before, Items: p.Items})
		if err != nil {
			return err
		}
		l := store.Leaving{
			ID: strings.ToLower(rand.Text()[:16]), User: p.User, By: who.User, Made: d.Now(), On: plan.On,
			State: store.LeavingDrafted, Value: value,
		}
		if err := d.Store.SaveLeaving(l); err != nil {
			return err
		}
		draft.AddOf(desk.Origin{Leaving: l.ID}, ops...)
		return nil
	})
}

// leavingApplied gives what is kept once a change is applied by which somebody leaves.
func (d *Office) leavingApplied(h *desk.House, who desk.Actor, id string) (func(*store.Store, int) error, error) {
	l, err := d.Store.Leaving(id)
	if errors.Is(err, store.ErrNotFound) {
		return func(*store.Store, int) error { return nil }, nil // it is forgotten; what it changes lies in the draft
	}
	if err != nil {
		return nil, err
	}
	k := keptLeaving{}
	if err := json.Unmarshal(l.Value, &k); err != nil {
		return nil, err
	}
	l.State, l.By = store.LeavingPlanned, who.User
	return func(s *store.Store, revision int) error {
		l.Revision = revision
		if err := s.SaveLeaving(l); err != nil {
			return err
		}
		if k.Items != "" && d.May(h, who, model.RunReviews) {
			note := h.Ref(model.KindUser, l.User).Name + " leaves"
			if err := s.HandItems(l.User, k.Items, who.User, note); err != nil {
				return err
			}
		}
		return s.AddComing(store.Coming{
			At: l.On, Do: store.ComingGo, User: l.User, Object: l.ID, By: who.User, Since: revision,
		})
	}, nil
}

// BringBack drafts that somebody who leaves, has left or was deactivated comes back, with all that ended and was not
// given to others. It tells what cannot come back.
func (d *Office) BringBack(who desk.Actor, user string) (*desk.Draft, error) {
	return d.Alter(who, func(_ *desk.House, draft *desk.Drafted) error {
		if draft.Seen().Get(model.KindUser, user) == nil {
			return desk.Refuse(desk.NotFound, "There is no person %q.", user)
		}
		l, err := d.Store.LeavingOf(user)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		k := keptLeaving{}
		if err == nil {
			if err := json.Unmarshal(l.Value, &k); err != nil {
				return err
			}
		}
		ops, _ := leaving.Back(draft.Base(), user, l.On, k.Before, k.Gone)
		if len(ops) == 0 {
			return desk.Refuse(desk.Conflict, "%s neither leaves nor has left.", nameOfUser(draft.Base(), user))
		}
		draft.AddOf(desk.Origin{Back: l.ID}, ops...)
		return nil
	})
}

func nameOfUser(d *model.Design, id string) string {
	if u, ok := d.Users.Find(id); ok {
		return u.DisplayName
	}
	return id
}

// backApplied gives what is kept once somebody is brought back.
func (d *Office) backApplied(id string) (func(*store.Store, int) error, error) {
	l, err := d.Store.Leaving(id)
	if errors.Is(err, store.ErrNotFound) {
		return func(*store.Store, int) error { return nil }, nil
	}
	l.State = store.LeavingCalled
	return func(s *store.Store, _ int) error { return s.SaveLeaving(l) }, err
}

// goAway does what happens on the day on which somebody leaves.
func (d *Office) goAway(h *desk.House, c store.Coming) error {
	l, err := d.Store.Leaving(c.Object)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if err != nil || l.State != store.LeavingPlanned || !stands(h, l) {
		return d.Store.SettleComing(c) // it was called off
	}
	k := keptLeaving{}
	if err := json.Unmarshal(l.Value, &k); err != nil {
		return err
	}
	ops := leaving.End(h.Design(), c.User)
	k.Gone = leaving.Taken(ops, c.User)
	l.State = store.LeavingGone
	if l.Value, err = json.Marshal(k); err != nil {
		return err
	}
	return d.byItself(h, ops, h.Ref(model.KindUser, c.User).Name+" has left, as "+h.Ref(model.KindUser, l.By).Name+
		" planned it with revision "+desk.Itoa(l.Revision), c, func(s *store.Store) error { return s.SaveLeaving(l) })
}

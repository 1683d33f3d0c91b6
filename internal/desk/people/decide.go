package people

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// Request is something that somebody asked for, as far as whoever looks may see it.
type Request struct {
	ID         int           `json:"id"`
	Asker      desk.Ref      `json:"asker"`
	Title      string        `json:"title,omitempty"`
	Home       string        `json:"home"`
	At         time.Time     `json:"at"`
	What       string        `json:"what" doc:"What is asked for, in a few words"`
	Things     []desk.Ref    `json:"things" doc:"The roles, sets, groups and licences"`
	Permission string        `json:"permission,omitempty" doc:"The permission for whose sake"`
	Area       string        `json:"area,omitempty" doc:"Of a role or set: where; empty: over the whole organisation"`
	Reach      string        `json:"reach,omitempty"`
	Mode       string        `json:"mode,omitempty"`
	Until      *time.Time    `json:"until,omitempty" doc:"When it is to end"`
	Terms      bool          `json:"terms" doc:"There is an area to choose: it is a role or set"`
	Reason     string        `json:"reason"`
	State      string        `json:"state" enum:"open,granted,refused,withdrawn"`
	To         []desk.Ref    `json:"to" doc:"Who was written to"`
	Words      []RequestWord `json:"words" doc:"What was said to it, the first first"`
	Mine       bool          `json:"mine"`
	May        bool          `json:"may" doc:"Whoever looks could grant it"`
	Owner      bool          `json:"owner" doc:"Whoever looks owns what is asked for"`
	Settled    *time.Time    `json:"settled,omitempty"`
	Revision   int           `json:"revision,omitempty" doc:"By which it was granted"`
	Ends       *time.Time    `json:"ends,omitempty" doc:"When what was granted ends"`
}

// RequestWord is what somebody said to a request, or did about it.
type RequestWord struct {
	Who  desk.Ref  `json:"who"`
	At   time.Time `json:"at"`
	Does string    `json:"does" enum:"agreed,granted,refused,withdrawn"`
	Text string    `json:"text,omitempty"`
}

// Requests are those that concern somebody.
type Requests struct {
	Waiting []Request `json:"waiting" doc:"For whoever looks to decide, the oldest first"`
	Mine    []Request `json:"mine" doc:"Latest first; at most 100"`
	Settled []Request `json:"settled" doc:"Those of others that whoever looks settled, latest first; at most 100"`
}

const requestsMost = 100

// Requests gives those that concern somebody.
func (d *Office) Requests(who desk.Actor) (*Requests, error) {
	h, _, err := d.asker(who)
	if err != nil {
		return nil, err
	}
	out := &Requests{Waiting: []Request{}, Mine: []Request{}, Settled: []Request{}}
	open, err := d.Store.OpenRequests()
	if err != nil {
		return nil, err
	}
	by := d.decider(h, who)
	for _, r := range open {
		if told, _, sees, err := by.open(r); err != nil {
			return nil, err
		} else if sees && !told.Mine {
			out.Waiting = append(out.Waiting, *told)
		}
	}
	own, err := d.Store.RequestsOf(who.User, 2*requestsMost)
	if err != nil {
		return nil, err
	}
	for _, r := range own {
		told, _, _, err := by.open(r)
		switch {
		case err != nil:
			return nil, err
		case told.Mine && len(out.Mine) < requestsMost:
			out.Mine = append(out.Mine, *told)
		case !told.Mine && len(out.Settled) < requestsMost:
			out.Settled = append(out.Settled, *told)
		}
	}
	return out, nil
}

// RequestsWaiting is how many requests wait for somebody to decide.
func (d *Office) RequestsWaiting(who desk.Actor) (n int, err error) {
	by := d.decider(d.Present(), who)
	open, err := d.Store.OpenRequests()
	for _, r := range open {
		told, _, sees, e := by.open(r)
		if e != nil {
			return 0, e
		}
		if sees && !told.Mine {
			n++
		}
	}
	return n, err
}

// open tells of a request, and whether they see it: those do who asked, who own what is asked for, who could grant it,
// and who settled it.
func (d *decider) open(r store.Request) (*Request, *asked, bool, error) {
	a := &asked{}
	if err := json.Unmarshal(r.Value, a); err != nil {
		return nil, nil, false, fmt.Errorf("request %d: %w", r.ID, err)
	}
	told := d.tellRequest(d.h, d.who, r, a)
	if r.State == store.RequestOpen && !told.Mine {
		if u, ok := d.h.Design().Users.Find(r.User); ok {
			told.Owner = slices.Contains(d.owners(d.h, r.User, a.Steps), d.who.User)
			told.May = d.grants(u, a.Steps)
		}
	}
	return told, a, told.Mine || told.Owner || told.May || r.By == d.who.User, nil
}

// tellRequest describes a request.
func (d *Office) tellRequest(h *desk.House, who desk.Actor, r store.Request, a *asked) *Request {
	out := &Request{
		ID: r.ID, Asker: h.Ref(model.KindUser, r.User), At: r.At, What: wished(h, a.Steps), Things: []desk.Ref{},
		Permission: a.Permission, Until: desk.Optional(endOf(a.Steps)), Reason: a.Reason, State: r.State,
		To: []desk.Ref{}, Words: []RequestWord{}, Mine: r.User == who.User, Settled: r.Settled, Revision: r.Revision,
		Ends: r.Ends,
	}
	if u, ok := h.Design().Users.Find(r.User); ok {
		out.Title, out.Home = u.JobTitle, h.Area(u.Area).Name
	}
	for i := range a.Steps {
		s := &a.Steps[i]
		out.Things = append(out.Things, named(h, s)...)
		if s.Do == worklist.Assign {
			out.Terms, out.Area, out.Reach, out.Mode = true, s.Area, string(s.Reach), string(s.Mode)
		}
	}
	out.Things = slices.DeleteFunc(out.Things, func(t desk.Ref) bool { return t.Kind == string(model.KindArea) })
	for _, id := range a.To {
		out.To = append(out.To, h.Ref(model.KindUser, id))
	}
	for _, w := range a.Words {
		out.Words = append(out.Words, RequestWord{h.Ref(model.KindUser, w.Who), w.At, w.Does, w.Text})
	}
	return out
}

// RequestTerms are the terms on which a request is granted. Those who asked may have asked for others.
type RequestTerms struct {
	Area  string      `json:"area,omitempty" maxLength:"200"`
	Reach model.Reach `json:"reach,omitempty"`
	Mode  model.Mode  `json:"mode,omitempty"`
	Until *time.Time  `json:"until,omitempty"`
}

// on gives the steps of a request on other terms, or what is wrong with these.
func (a *asked) on(h *desk.House, t RequestTerms, now time.Time) ([]worklist.Step, error) {
	steps := slices.Clone(a.Steps)
	for i := range steps {
		s := &steps[i]
		if s.Do == worklist.Assign {
			s.Area, s.Reach, s.Mode = t.Area, t.Reach, t.Mode
		}
		if s.Do != worklist.Seat {
			s.Until = time.Time{}
			if t.Until != nil {
				s.Until = t.Until.UTC()
			}
		}
		if wrong := s.Wrong(h.Design()); wrong != "" {
			return nil, desk.Refuse(desk.Invalid, "%s", wrong)
		}
	}
	if t.Until != nil && !now.Before(*t.Until) {
		return nil, desk.Refuse(desk.Invalid, "It would end in the past: choose a later end, or none.")
	}
	return steps, nil
}

// RequestWeighed is what granting a request on some terms comes to.
type RequestWeighed struct {
	Request  Request     `json:"request"`
	Outcomes []Outcome   `json:"outcomes" doc:"What becomes of each part of it"`
	Impact   *desk.Draft `json:"impact" doc:"What it does, applied by itself; its stamp is given back to grant it"`
	Peers    int         `json:"peers" doc:"Live people with the same title and department, without the person"`
	Alike    int         `json:"alike" doc:"How many of these have what is asked for"`
	Who      []desk.Ref  `json:"who" doc:"The first 100 of these"`
}

// decided opens a request to somebody who sees it.
func (d *Office) decided(who desk.Actor, id int) (*desk.House, *Request, *asked, store.Request, error) {
	h, _, err := d.asker(who)
	if err != nil {
		return nil, nil, nil, store.Request{}, err
	}
	missing := desk.Refuse(desk.NotFound, "There is no request %d.", id)
	r, err := d.Store.Request(id)
	if err != nil {
		return nil, nil, nil, r, desk.Missing(err, "%s", missing.Message)
	}
	told, a, sees, err := d.decider(h, who).open(r)
	if err == nil && !sees {
		err = missing
	}
	return h, told, a, r, err
}

// Request gives a request.
func (d *Office) Request(who desk.Actor, id int) (*Request, error) {
	_, told, _, _, err := d.decided(who, id)
	return told, err
}

// WeighRequest tells what granting a request on some terms would come to.
func (d *Office) WeighRequest(who desk.Actor, id int, t RequestTerms) (*RequestWeighed, error) {
	h, told, a, r, err := d.decided(who, id)
	if err != nil {
		return nil, err
	}
	if err := mayGrant(told); err != nil {
		return nil, err
	}
	steps, err := a.on(h, t, d.Now())
	if err != nil {
		return nil, err
	}
	out := &RequestWeighed{Request: *told, Who: []desk.Ref{}}
	todo, outcomes := ops(h.Design(), r.User, steps)
	out.Outcomes = outcomes
	out.Impact, err = d.Propose(who, desk.Origin{Request: id, Ends: endOf(steps)}, todo...)
	if err != nil {
		return nil, err
	}
	d.peers(h, who, out, r.User, steps)
	return out, nil
}

// peers tells who has the same job and what is asked for, of those whom somebody sees.
func (d *Office) peers(h *desk.House, who desk.Actor, out *RequestWeighed, user string, steps []worklist.Step) {
	s, err := d.See(who)
	u, ok := h.Design().Users.Find(user)
	if err != nil || !ok || u.JobTitle == "" {
		return
	}
	var has []func(id string, place int) bool
	for i := range steps {
		for _, t := range named(h, &steps[i]) {
			switch kind := model.Kind(t.Kind); kind {
			case model.KindRole, model.KindSet:
				holders := h.Index.HeldBy(kind, t.ID, d.Now())
				has = append(has, func(_ string, place int) bool { return holders.Has(place) })
			case model.KindGroup:
				has = append(has, func(id string, _ int) bool { return h.Index.InGroup(id, t.ID) })
			}
		}
	}
	for place, p := range h.Design().Users {
		if p.ID == user || p.JobTitle != u.JobTitle || p.Department != u.Department || !h.Index.Live(p.ID, d.Now()) ||
			s.Present.Design().Get(model.KindUser, p.ID) == nil {
			continue
		}
		out.Peers++
		if len(has) > 0 && !slices.ContainsFunc(has, func(has func(string, int) bool) bool { return !has(p.ID, place) }) {
			if out.Alike++; len(out.Who) < 100 {
				out.Who = append(out.Who, h.Ref(model.KindUser, p.ID))
			}
		}
	}
}

func mayGrant(told *Request) error {
	switch {
	case told.State != store.RequestOpen:
		return desk.Refuse(desk.Conflict, "Request %d is %s.", told.ID, told.State)
	case told.Mine:
		return desk.Refuse(desk.NotAllowed, "Nobody grants what they asked for themselves.")
	case !told.May:
		return desk.Refuse(desk.NotAllowed, "It is not yours to grant: you may agree to it or refuse it.")
	}
	return nil
}

// endOf is when what steps give ends; zero if it does not. Seats stay.
func endOf(steps []worklist.Step) (t time.Time) {
	for _, s := range steps {
		t = cmp.Or(s.Until, t)
	}
	return t
}

// Grant grants a request on some terms at once, as a revision of its own. The stamp must be that of what was weighed.
func (d *Office) Grant(who desk.Actor, id int, t RequestTerms, stamp string) (*desk.Applied, error) {
	return desk.Written(d.Desk, func(h *desk.House) (*desk.Applied, error) {
		_, told, a, r, err := d.decided(who, id)
		if err != nil {
			return nil, err
		}
		if err := mayGrant(told); err != nil {
			return nil, err
		}
		steps, err := a.on(h, t, d.Now())
		if err != nil {
			return nil, err
		}
		todo, outcomes := ops(h.Design(), r.User, steps)
		if why := hindered(outcomes); why != "" {
			return nil, desk.Refuse(desk.Conflict, "%s", why)
		}
		why := fmt.Sprintf("Request %d of %s: %s", id, told.Asker.Name, a.Reason)
		return d.Enact(h, who, why, stamp, desk.Origin{Request: id, Ends: endOf(steps)}, todo...)
	})
}

// hindered tells why not all of a request can be granted; empty if it can.
func hindered(outcomes []Outcome) string {
	for _, o := range outcomes {
		if o.Result == string(worklist.Not) {
			return o.Said
		}
	}
	return ""
}

// DraftGrant puts what a request asks for into the draft, on some terms; it is granted once the draft is applied.
func (d *Office) DraftGrant(who desk.Actor, id int, t RequestTerms) (*desk.Draft, error) {
	_, told, a, r, err := d.decided(who, id)
	if err != nil {
		return nil, err
	}
	if err := mayGrant(told); err != nil {
		return nil, err
	}
	return d.Alter(who, func(h *desk.House, p *desk.Drafted) error {
		steps, err := a.on(h, t, d.Now())
		if err != nil {
			return err
		}
		todo, outcomes := ops(p.Base(), r.User, steps)
		if why := hindered(outcomes); why != "" {
			return desk.Refuse(desk.Conflict, "%s", why)
		}
		if len(todo) == 0 {
			return desk.Refuse(desk.Conflict, "All of this is already so, or in your draft.")
		}
		p.AddOf(desk.Origin{Request: id, Ends: endOf(steps)}, todo...)
		return nil
	})
}

// grantedBy gives what is kept once a change that grants a request is applied, and the letter to whoever asked. It is
// an error if the request is not open any longer.
func (d *Office) grantedBy(h *desk.House, who desk.Actor, of desk.Origin) (
	func(*store.Store, int) error, *account.Carried, error) {
	r, err := d.Store.Request(of.Request)
	if err != nil {
		return nil, nil, err
	}
	a := &asked{}
	if err := json.Unmarshal(r.Value, a); err != nil {
		return nil, nil, err
	}
	name := h.Ref(model.KindUser, r.User).Name
	gone := desk.Refuse(desk.Conflict, "The request %d of %s is not open any longer: take it out of your draft.", r.ID,
		name)
	if r.State != store.RequestOpen {
		return nil, nil, gone
	}
	now := d.Now()
	a.Words = append(a.Words, word{who.User, now, "granted", ""})
	r.State, r.Settled, r.By = store.RequestGranted, &now, who.User
	if r.Value, err = json.Marshal(a); err != nil {
		return nil, nil, err
	}
	ends := of.Ends
	r.Ends = desk.Optional(ends)
	settle := func(s *store.Store, revision int) error {
		r.Revision = revision
		open, err := s.SettleRequest(r)
		if err != nil {
			return err
		}
		if !open {
			return gone
		}
		var coming []store.Coming
		for _, step := range a.Steps {
			if step.Do != worklist.Join || of.Ends.IsZero() {
				continue
			}
			for _, g := range step.Groups {
				coming = append(coming, store.Coming{
					At: of.Ends, Do: store.ComingLeave, User: r.User, Object: g, By: who.User, Since: revision, Request: r.ID,
				})
			}
		}
		return s.AddComing(coming...)
	}
	letter := d.answer(h, who, r, a, "", true, ends)
	return settle, letter, nil
}

// answer writes to whoever asked what became of it.
func (d *Office) answer(
	h *desk.House,
	who desk.Actor,
	r store.Request,
	a *asked,
	words string,
	granted bool,
	ends time.Time,
) *account.Carried {
	return d.accounts.Letter(h, r.User, who.User, post.Answer(
		h.Design().Organisation.Name, h.Ref(model.KindUser, r.User).Name, h.Ref(model.KindUser, who.User).Name,
		wished(h, a.Steps), words, d.requestLink(r.ID), granted, ends,
	))
}

func (d *Office) requestLink(id int) string { return d.Outside + "/requests/" + desk.Itoa(id) }

// askedLetters writes to those to whom a request goes, as far as they want such letters.
func (d *Office) askedLetters(h *desk.House, u *model.User, r store.Request, a *asked) ([]store.Letter, error) {
	declined, err := d.Store.Declined(post.Requests)
	var out []store.Letter
	for _, id := range a.To {
		to, ok := h.Design().Users.Find(id)
		if !ok || to.Email == "" || declined[id] {
			continue
		}
		out = append(out, d.LetterTo(to, u.ID, post.Request(
			h.Design().Organisation.Name, to.DisplayName, u.DisplayName, wished(h, a.Steps), a.Reason, d.requestLink(r.ID),
		)))
	}
	return out, err
}

// AnswerRequest says something to a request: whoever asked withdraws it, whoever owns what is asked for agrees to it,
// and whoever owns it or could grant it refuses it.
func (d *Office) AnswerRequest(who desk.Actor, id int, does, words string) (*Request, error) {
	h, told, a, r, err := d.decided(who, id)
	if err != nil {
		return nil, err
	}
	if told.State != store.RequestOpen {
		return nil, desk.Refuse(desk.Conflict, "Request %d is %s.", id, told.State)
	}
	words = strings.TrimSpace(words)
	now := d.Now()
	r.Settled, r.By = &now, who.User
	var letter *account.Carried
	switch does {
	case "withdraw":
		if !told.Mine {
			return nil, desk.Refuse(desk.NotAllowed, "Only whoever asked withdraws a request.")
		}
		r.State, does = store.RequestWithdrawn, "withdrawn"
	case "refuse":
		switch {
		case told.Mine:
			return nil, desk.Refuse(desk.NotAllowed, "Withdraw your own request instead.")
		case words == "":
			return nil, desk.Refuse(desk.Invalid, "Say why: whoever asked is told it.")
		}
		r.State, does = store.RequestRefused, "refused"
		letter = d.answer(h, who, r, a, words, false, time.Time{})
	case "agree":
		if !told.Owner {
			return nil, desk.Refuse(desk.NotAllowed, "Only whoever owns what is asked for agrees to it.")
		}
		if slices.ContainsFunc(a.Words, func(w word) bool { return w.Who == who.User && w.Does == "agreed" }) {
			return nil, desk.Refuse(desk.Conflict, "You have already agreed.")
		}
		does = "agreed"
	default:
		return nil, desk.Refuse(desk.Invalid, "A request is withdrawn, agreed to or refused.")
	}
	a.Words = append(a.Words, word{who.User, now, does, words})
	if r.Value, err = json.Marshal(a); err != nil {
		return nil, err
	}
	err = d.Store.Together(func(s *store.Store) error {
		open, err := true, error(nil)
		if r.State == store.RequestOpen {
			open, err = s.SaidOfRequest(id, r.Value)
		} else {
			open, err = s.SettleRequest(r)
		}
		if err == nil && !open {
			err = desk.Refuse(desk.Conflict, "Somebody settled request %d just now. Look again.", id)
		}
		return cmp.Or(err, letter.Keep(s))
	})
	if err != nil {
		return nil, err
	}
	if r.State == store.RequestOpen {
		r.Settled, r.By = nil, ""
	}
	told, _, _, err = d.decider(h, who).open(r)
	return told, err
}

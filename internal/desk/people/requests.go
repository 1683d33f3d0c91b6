package people

import (
	"cmp"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/ask"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// RequestWish is what somebody asks for themselves: a role, a permission set or a group on terms; or, of a permission
// that they lack, one of the ways by which they would come to hold it.
type RequestWish struct {
	Permission string     `json:"permission,omitempty" maxLength:"600"`
	Where      string     `json:"where,omitempty" maxLength:"200" doc:"The area in which the permission is asked for; where the person works if absent"`
	Way        string     `json:"way,omitempty" maxLength:"40" doc:"Of a permission: which of the ways"`
	Kind       string     `json:"kind,omitempty" enum:"role,set,group"`
	ID         string     `json:"id,omitempty" maxLength:"200"`
	Area       string     `json:"area,omitempty" maxLength:"200" doc:"Of a role or set: where it is to count"`
	Until      *time.Time `json:"until,omitempty" doc:"When it is to end; it has no end if absent"`
	Reason     string     `json:"reason" maxLength:"500"`
}

// RequestWay is how somebody would come to hold a permission: something that they can ask for.
type RequestWay struct {
	ID     string         `json:"id" doc:"Names exactly this way"`
	What   string         `json:"what" doc:"What would be asked for, in a few words"`
	Extras int            `json:"extras" doc:"How much else the person would gain"`
	Extra  []desk.Holding `json:"extra" doc:"The first twenty of it"`
	Risk   int            `json:"risk" doc:"The highest risk of what else the person would gain"`
}

// RequestWays are how somebody would come to hold a permission.
type RequestWays struct {
	At   desk.Ref     `json:"at" doc:"Where it would count"`
	Held bool         `json:"held" doc:"They hold it there already"`
	Ways []RequestWay `json:"ways" doc:"Those first that give least beside; none if it can only be had otherwise"`
}

// RequestThing is something that can be asked for.
type RequestThing struct {
	desk.Ref
	About string `json:"about,omitempty"`
	Held  bool   `json:"held" doc:"Whoever looks has it already"`
}

// askableMost bounds what is offered at a time, asksMost how many requests of one person may be open.
const (
	askableMost = 20
	asksMost    = 20
	asksADay    = 40 // so that nobody floods those who decide with letters
)

// asker opens the present design to somebody who asks for something themselves. They are told what things are called
// that could be asked for, and nothing about anybody.
func (d *Office) asker(who desk.Actor) (*desk.House, *model.User, error) {
	h := d.Present()
	if err := d.InPerson(h, who); err != nil {
		return nil, nil, err
	}
	u, _ := h.Design().Users.Find(who.User)
	return h, u, nil
}

// offered tells whether a group can be asked for by somebody.
func (d *Office) offered(h *desk.House, who desk.Actor, g *model.Group) bool {
	return g.Type == model.Static && g.Source == model.Local && (!bool(g.Unlisted) || d.May(h, who, model.ViewDesign))
}

// CanAsk finds what somebody could ask for by some words: permissions, roles and groups.
func (d *Office) CanAsk(who desk.Actor, words string) ([]RequestThing, error) {
	h, u, err := d.asker(who)
	if err != nil {
		return nil, err
	}
	out := []RequestThing{}
	if strings.TrimSpace(words) == "" {
		return out, nil
	}
	add := func(kind model.Kind, id, about string, held func() bool, texts ...string) {
		if len(out) < askableMost && desk.HasWords(words, texts...) {
			out = append(out, RequestThing{h.Ref(kind, id), about, held()})
		}
	}
	for _, s := range h.Design().Systems {
		for _, p := range s.Permissions {
			add(index.KindPermission, p.Key, strings.TrimSuffix(cmp.Or(p.Label, p.Description)+" · "+s.Name, " · "),
				func() bool { return len(h.Index.HeldAt(u.ID, p.Key, "", d.Now())) > 0 },
				p.Key, p.Label, p.Description, s.Name)
		}
	}
	list := out
	out = nil
	for _, r := range h.Design().Roles {
		if r.State == model.Active {
			add(model.KindRole, r.ID, r.Description, func() bool { return d.holds(h, u.ID, model.KindRole, r.ID) },
				r.Name, r.Description)
		}
	}
	for _, g := range h.Design().Groups {
		if d.offered(h, who, g) {
			add(model.KindGroup, g.ID, g.Description, func() bool { return h.Index.InGroup(u.ID, g.ID) }, g.Name, g.Description)
		}
	}
	// Roles and groups come first: one asks for a job's whole rather than for a piece of it.
	return append(out, list[:min(len(list), askableMost-len(out))]...), nil
}

// holds tells whether somebody has a role or set in any way.
func (d *Office) holds(h *desk.House, user string, kind model.Kind, id string) bool {
	place, ok := h.Design().Users.Position(user)
	return ok && h.Index.HeldBy(kind, id, d.Now()).Has(place)
}

// WaysTo tells by which ways whoever asks would come to hold a permission in an area (empty: where they work), as far
// as these are something to ask for.
func (d *Office) WaysTo(who desk.Actor, permission, where string) (*RequestWays, error) {
	h, u, err := d.asker(who)
	if err != nil {
		return nil, err
	}
	found, at, err := ask.FindRepairs(h, u.ID, permission, where, d.Now())
	if err != nil {
		return nil, err
	}
	out := &RequestWays{At: h.Area(at), Ways: []RequestWay{}}
	out.Held = h.Index.Allowed(u.ID, permission, index.Record{Area: cmp.Or(at, h.Design().Root())}, d.Now())
	for _, r := range found {
		steps, ok := r.Steps(u.ID)
		if !ok || !d.mayName(h, who, steps) {
			continue
		}
		w := RequestWay{
			ID: ask.NameOf(r.Ops), What: wished(h, steps), Extras: len(r.Extra),
			Extra: h.Holdings(r.Extra[:min(len(r.Extra), 20)]),
		}
		for _, x := range r.Extra {
			if p, ok := h.Design().Permission(x.Permission); ok {
				w.Risk = max(w.Risk, p.Risk)
			}
		}
		out.Ways = append(out.Ways, w)
	}
	return out, nil
}

// mayName tells whether all groups in some steps can be asked for by somebody.
func (d *Office) mayName(h *desk.House, who desk.Actor, steps []worklist.Step) bool {
	for _, s := range steps {
		for _, id := range s.Groups {
			if g, ok := h.Design().Groups.Find(id); !ok || !d.offered(h, who, g) {
				return false
			}
		}
	}
	return true
}

// asked is what is kept of a request.
type asked struct {
	Steps      []worklist.Step `json:"steps"`
	Permission string          `json:"permission,omitempty"`
	Where      string          `json:"where,omitempty"`
	Reason     string          `json:"reason"`
	To         []string        `json:"to"` // who was written to
	Words      []word          `json:"words,omitempty"`
}

// word is what somebody said to a request.
type word struct {
	Who  string    `json:"who"`
	At   time.Time `json:"at"`
	Does string    `json:"does"`
	Text string    `json:"text,omitempty"`
}

// steps gives what a wish comes to, or why nobody can ask for it.
func (d *Office) steps(h *desk.House, who desk.Actor, w RequestWish) ([]worklist.Step, error) {
	var steps []worklist.Step
	switch {
	case w.Permission != "":
		found, _, err := ask.FindRepairs(h, who.User, w.Permission, w.Where, d.Now())
		if err != nil {
			return nil, err
		}
		for _, r := range found {
			if ask.NameOf(r.Ops) == w.Way {
				steps, _ = r.Steps(who.User)
			}
		}
		if len(steps) == 0 || !d.mayName(h, who, steps) {
			return nil, desk.Refuse(desk.Conflict, "The design has changed since this was proposed. Look at the ways again.")
		}
	case w.Kind == string(model.KindRole):
		steps = []worklist.Step{{Do: worklist.Assign, Roles: []string{w.ID}, Area: w.Area}}
	case w.Kind == string(model.KindSet):
		steps = []worklist.Step{{Do: worklist.Assign, Sets: []string{w.ID}, Area: w.Area}}
	case w.Kind == string(model.KindGroup):
		if g, ok := h.Design().Groups.Find(w.ID); !ok || bool(g.Unlisted) && !d.offered(h, who, g) {
			return nil, desk.Refuse(desk.NotFound, "There is no group %q.", w.ID)
		}
		steps = []worklist.Step{{Do: worklist.Join, Groups: []string{w.ID}}}
	default:
		return nil, desk.Refuse(desk.Invalid, "Choose what you ask for: a role, a permission set, a group or a permission.")
	}
	for i := range steps {
		s := &steps[i]
		if s.Do == worklist.Assign {
			s.Reason = strings.TrimSpace(w.Reason)
		}
		if w.Until != nil && s.Do != worklist.Seat {
			s.Until = w.Until.UTC()
		}
		if wrong := s.Wrong(h.Design()); wrong != "" {
			return nil, desk.Refuse(desk.Invalid, "%s", wrong)
		}
	}
	return steps, nil
}

// MakeRequest keeps what somebody asks for themselves, and writes to those who could grant it: the owners of it, the
// delegates who may give it, and where none of these can, the administrators.
func (d *Office) MakeRequest(who desk.Actor, w RequestWish) (*Request, error) {
	h, u, err := d.asker(who)
	if err != nil {
		return nil, err
	}
	w.Reason = strings.TrimSpace(w.Reason)
	switch {
	case w.Reason == "":
		return nil, desk.Refuse(desk.Invalid, "Give a reason: whoever decides will want to know why.")
	case w.Until != nil && !d.Now().Before(*w.Until):
		return nil, desk.Refuse(desk.Invalid, "It would end in the past: choose a later end, or none.")
	}
	steps, err := d.steps(h, who, w)
	if err != nil {
		return nil, err
	}
	trial, _ := worklist.Try(h.Design(), []string{u.ID}, steps, nil, func(int) bool { return true })
	if len(trial.Ops) == 0 && trial.Rows[0].Outcomes[len(steps)-1].Result == worklist.Already {
		return nil, desk.Refuse(desk.Conflict, "You already have it, on these terms.")
	}
	open, err := d.Store.OpenRequests()
	if err != nil {
		return nil, err
	}
	own := 0
	for _, r := range open {
		if r.User != u.ID {
			continue
		}
		own++
		var a asked
		if err := json.Unmarshal(r.Value, &a); err != nil {
			return nil, err
		}
		if sameWish(a.Steps, steps) {
			return nil, desk.Refuse(desk.Conflict, "You have already asked for this, on %s: it waits to be decided.", model.Day(r.At))
		}
	}
	if own >= asksMost {
		return nil, desk.Refuse(desk.Busy, "%d of your requests wait already: withdraw one first.", own)
	}
	made, err := d.Store.RequestsMade(u.ID, d.Now().AddDate(0, 0, -1))
	switch {
	case err != nil:
		return nil, err
	case made >= asksADay:
		return nil, desk.Refuse(desk.Busy, "You have made %d requests within a day: make the next tomorrow.", made)
	}
	a := asked{Steps: steps, Permission: w.Permission, Where: w.Where, Reason: w.Reason}
	a.To = d.deciders(h, u, steps)
	r := store.Request{User: u.ID, At: d.Now(), State: store.RequestOpen}
	if r.Value, err = json.Marshal(a); err != nil {
		return nil, err
	}
	err = d.Store.Together(func(s *store.Store) error {
		if err := s.AddRequest(&r); err != nil {
			return err
		}
		letters, err := d.askedLetters(h, u, r, &a)
		if err != nil {
			return err
		}
		return s.WriteAll(letters)
	})
	if err != nil {
		return nil, err
	}
	return d.tellRequest(h, who, r, &a), nil
}

// sameWish tells whether two wishes are for the same things, on whatever terms.
func sameWish(a, b []worklist.Step) bool {
	return slices.EqualFunc(a, b, func(s, o worklist.Step) bool {
		return s.Do == o.Do && s.Area == o.Area && slices.Equal(s.Roles, o.Roles) && slices.Equal(s.Sets, o.Sets) &&
			slices.Equal(s.Groups, o.Groups) && slices.Equal(s.Licences, o.Licences)
	})
}

// owners gives the live owners of what some steps give, without the person.
func (d *Office) owners(h *desk.House, user string, steps []worklist.Step) (out []string) {
	add := func(id string) {
		if id != "" && id != user && h.Index.Live(id, d.Now()) && !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	for _, s := range steps {
		for _, id := range s.Roles {
			if r, ok := h.Design().Roles.Find(id); ok {
				add(r.Owner)
			}
		}
		for _, id := range s.Sets {
			if set, ok := h.Design().Sets.Find(id); ok {
				add(set.Owner)
			}
		}
		for _, id := range s.Groups {
			if g, ok := h.Design().Groups.Find(id); ok {
				add(g.Owner)
			}
		}
	}
	return out
}

// decider is somebody who might grant what others ask for.
type decider struct {
	*Office
	h         *desk.House
	who       desk.Actor
	authority *delegation.Authority
}

func (d *Office) decider(h *desk.House, who desk.Actor) *decider {
	return &decider{Office: d, h: h, who: who}
}

// delegated tells whether a delegation lets them do this.
func (d *decider) delegated(act delegation.Act) bool {
	if d.authority == nil {
		d.authority = d.Authority(d.h, d.who)
	}
	return !d.authority.Empty() && d.authority.Check(act) == nil
}

// grants tells whether they could grant what some steps give a person, as far as it is seen without trying it.
func (d *decider) grants(u *model.User, steps []worklist.Step) bool {
	if d.who.User == u.ID {
		return false
	}
	for _, s := range steps {
		switch s.Do {
		case worklist.Seat:
			if !d.May(d.h, d.who, model.EditPeople) && !d.delegated(delegation.Act{Action: delegation.Seat, User: u}) {
				return false
			}
		case worklist.Join:
			for _, g := range s.Groups {
				if !d.May(d.h, d.who, model.EditDesign) &&
					!d.delegated(delegation.Act{Action: delegation.Membership, User: u, Group: g}) {
					return false
				}
			}
		case worklist.Assign:
			if d.May(d.h, d.who, model.EditAssignments) {
				continue
			}
			for _, a := range granted(u.ID, &s) {
				if d.delegated(delegation.Act{Action: delegation.Assign, User: u, Assignment: a}) {
					continue
				}
				a.Until = d.Now().Add(time.Minute) // a delegate who may give it for some days only shortens it
				if !d.delegated(delegation.Act{Action: delegation.Assign, User: u, Assignment: a}) {
					return false
				}
			}
		}
	}
	return true
}

// granted gives the assignments that a step makes to a person.
func granted(user string, s *worklist.Step) (out []*model.Assignment) {
	give := func(role, set string) {
		out = append(out, &model.Assignment{
			Subject: model.Subject{User: user}, Role: role, Set: set, Area: s.Area, From: s.From, Until: s.Until,
			Reach: cmp.Or(s.Reach, model.ReachArea), Mode: cmp.Or(s.Mode, model.Full),
		})
	}
	for _, id := range s.Roles {
		give(id, "")
	}
	for _, id := range s.Sets {
		give("", id)
	}
	return out
}

// decidersMost bounds how many are written to about one request.
const decidersMost = 20

// deciders gives those to whom a request goes: the owners of what is asked for and the delegates who could grant it;
// where none of these can, the administrators who can.
func (d *Office) deciders(h *desk.House, u *model.User, steps []worklist.Step) []string {
	out := d.owners(h, u.ID, steps)
	can := slices.ContainsFunc(out, func(id string) bool { return d.decider(h, desk.Actor{User: id}).grants(u, steps) })
	seen := map[string]bool{}
	ask := func(id string) {
		if len(out) >= decidersMost || seen[id] || slices.Contains(out, id) || !h.Index.Live(id, d.Now()) {
			return
		}
		seen[id] = true
		if d.decider(h, desk.Actor{User: id}).grants(u, steps) {
			out, can = append(out, id), true
		}
	}
	for _, g := range h.Design().Delegations {
		if !model.In(d.Now(), g.From, g.Until) || !slices.ContainsFunc(steps, func(s worklist.Step) bool {
			return slices.Contains(g.Actions, delegated[s.Do])
		}) {
			continue
		}
		if g.Delegate.User != "" {
			ask(g.Delegate.User)
			continue
		}
		members := h.Index.Members(g.Delegate.Group)
		for _, id := range members[:min(len(members), decidersMost)] {
			ask(id)
		}
	}
	if !can {
		right := model.EditAssignments
		switch steps[len(steps)-1].Do {
		case worklist.Join:
			right = model.EditDesign
		case worklist.Seat:
			right = model.EditPeople
		}
		for _, id := range h.Index.WholeHolders([]string{right}, d.Now()) {
			ask(id)
		}
	}
	return out
}

// delegated says which action of a delegation lets one grant a step.
var delegated = map[worklist.Do]string{
	worklist.Assign: delegation.Assign, worklist.Join: delegation.Membership, worklist.Seat: delegation.Seat,
}

// wished tells in a few words what is asked for.
func wished(h *desk.House, steps []worklist.Step) string {
	var out []string
	for i := range steps {
		s := &steps[i]
		switch s.Do {
		case worklist.Assign:
			for _, a := range granted("", s) {
				where, how := a.Extent(func(id string) string { return h.Area(id).Name })
				out = append(out, strings.Join(append([]string{"“" + view.Target(h, a).Name + "” " + where}, how...), ", "))
			}
		case worklist.Join:
			for _, g := range s.Groups {
				w := "membership of “" + h.Ref(model.KindGroup, g).Name + "”"
				if !s.Until.IsZero() {
					w += ", until " + model.Until(s.Until)
				}
				out = append(out, w)
			}
		case worklist.Seat:
			for _, l := range s.Licences {
				out = append(out, "the licence “"+h.Ref(model.KindLicence, l).Name+"”")
			}
		}
	}
	slices.Reverse(out) // what is asked for before the seat that it needs
	return strings.Join(out, ", and ")
}

// ops gives what steps come to for a person on the present design, with what is said of each step.
func ops(d *model.Design, user string, steps []worklist.Step) ([]change.Op, []Outcome) {
	trial, _ := worklist.Try(d, []string{user}, steps, nil, func(int) bool { return true })
	out := make([]Outcome, len(steps))
	for i, o := range trial.Rows[0].Outcomes {
		out[i] = Outcome{string(o.Result), o.Said}
	}
	return trial.Ops, out
}

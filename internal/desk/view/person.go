package view

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// Person is a person's sheet.
type Person struct {
	User        desk.Ref     `json:"user"`
	Object      *model.User  `json:"object" doc:"As it is edited"`
	State       string       `json:"state" enum:"invited,active,locked,deactivated,deleted"`
	Live        bool         `json:"live" doc:"Active, and in the time of validity"`
	Validity    string       `json:"validity,omitempty"`
	Area        desk.Ref     `json:"area"`
	Manager     *desk.Ref    `json:"manager,omitempty"`
	Reports     []desk.Ref   `json:"reports" doc:"Who reports to this person directly"`
	Licences    []desk.Ref   `json:"licences"`
	Groups      []Membership `json:"groups"`
	Assignments []Grant      `json:"assignments" doc:"Made to this person directly"`
	Owns        []desk.Ref   `json:"owns" doc:"Roles, sets and groups of which the person is the owner"`
	Conflicts   []Breach     `json:"conflicts" doc:"Conflicts that the person breaks"`
	Systems     []WallPanel  `json:"systems"`
	Where       desk.Ref     `json:"where" doc:"The area that the wall is of"`
	Draft       string       `json:"draft,omitempty" enum:"new,changed,gone"`
	May         []string     `json:"may" doc:"What the viewer may do to this person: invite, edit, lock, deactivate, delete, assign, membership"`
	Whole       bool         `json:"whole" doc:"The viewer sees the whole design"`
	Lock        *Lock        `json:"lock,omitempty" doc:"Who keeps this person, if it is not kept here"`
	Coming      []Coming     `json:"coming" doc:"What will happen to this person by itself, the earliest first"`
}

// Coming is something that will happen to somebody by itself.
type Coming struct {
	At   time.Time `json:"at"`
	Said string    `json:"said"`
}

// Breach is a conflict that somebody breaks.
type Breach struct {
	Conflict desk.Ref  `json:"conflict"`
	Items    []string  `json:"items"`
	Area     *desk.Ref `json:"area,omitempty"`
	Excepted bool      `json:"excepted"`
}

// Membership is a group that a person is in.
type Membership struct {
	Group  desk.Ref `json:"group"`
	Direct bool     `json:"direct" doc:"Listed or found by the group itself, not only through a nested one"`
	Draft  string   `json:"draft,omitempty" enum:"new,cut"`
	May    bool     `json:"may" doc:"The viewer may take the person out of it"`
}

// WallPanel is a system on the wall.
type WallPanel struct {
	System  desk.Ref `json:"system"`
	Held    int      `json:"held"`
	Total   int      `json:"total"`
	Used    *Used    `json:"used,omitempty" doc:"On a person's wall: when they last used the system; absent if nothing is known of its use"`
	Courses []Course `json:"courses"`
}

// Course is an object on the wall.
type Course struct {
	Object string  `json:"object"`
	Bricks []Brick `json:"bricks"`
}

// Brick is an action on the wall.
type Brick struct {
	Key    string         `json:"key"`
	Action string         `json:"action"`
	Label  string         `json:"label,omitempty"`
	Class  string         `json:"class" enum:"read,write,admin"`
	Risk   int            `json:"risk"`
	State  string         `json:"state" enum:"held,withheld,none"`
	Whole  bool           `json:"whole" doc:"Held over the whole organisation, for every record"`
	Note   string         `json:"note,omitempty" doc:"How far it is held, or why it is withheld, in a word or two"`
	Held   []desk.Holding `json:"held"`
	Used   *Used          `json:"used,omitempty" doc:"On a person's wall: when they last used it; absent if it is not known which permissions of the system are used"`
	Draft  string         `json:"draft,omitempty" enum:"new,cut,changed" doc:"What the draft makes of it"`
}

// Person gives a person's sheet, with the wall of what counts in an area (empty: anywhere).
func (d *Viewer) Person(who desk.Actor, user, where string) (*Person, error) {
	s, err := d.SeePerson(who, user)
	if err != nil {
		return nil, err
	}
	u, ok := Either(s, model.KindUser, user).(*model.User)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "There is no person %q.", user)
	}
	if err := s.HasArea(where); err != nil {
		return nil, err
	}
	h := s.House
	if h.Design().Get(model.KindUser, user) == nil {
		h = s.Present // the draft deletes them
	}
	walled := d.own(s, who, user, h)
	bricks, _ := walled.Index.Wall(user, where, s.At)
	p := &Person{
		User:        h.Ref(model.KindUser, u.ID),
		Object:      u,
		State:       string(u.State),
		Live:        h.Index.Live(user, s.At),
		Area:        h.Area(u.Area),
		Licences:    []desk.Ref{},
		Groups:      []Membership{},
		Assignments: []Grant{},
		Reports:     []desk.Ref{},
		Owns:        []desk.Ref{},
		Conflicts:   []Breach{},
		Coming:      []Coming{},
		Where: h.Area(
			where,
		),
		Draft: Drafted(s, index.Node{Kind: model.KindUser, ID: user}),
		May:   d.mayDoTo(s, who, u),
		Whole: s.Whole,
	}
	p.Validity = h.Terms(&model.Assignment{From: u.From, Until: u.Until}).How
	if u.Source == model.Directory {
		p.Lock = d.fedLock(
			model.KindUser,
			user,
			"names, e-mail, title, department and manager come from there.",
			"Change these there, or keep this person by hand from now on.",
		)
	}
	if _, seen := h.Design().Users.Find(u.Manager); seen {
		m := h.Ref(model.KindUser, u.Manager)
		p.Manager = &m
	}
	for _, l := range u.Licences {
		p.Licences = append(p.Licences, h.Ref(model.KindLicence, l))
	}
	d.memberships(s, who, p)
	if err := d.coming(s, who, p); err != nil {
		return nil, err
	}
	for _, a := range merged(h.Index.GrantsOfUser(user), s.Present.Index.GrantsOfUser(user)) {
		p.Assignments = append(p.Assignments, GrantOf(s, d, who, a))
	}
	for _, r := range References(s, model.KindUser, user) {
		switch {
		case r.Field == "manager":
			p.Reports = append(p.Reports, Mentioned(h, r.From))
		case r.Field == "owner":
			p.Owns = append(p.Owns, Mentioned(h, r.From))
		}
	}
	for _, v := range duty.Of(h.Index, user, s.At) {
		b := Breach{Conflict: h.Ref(model.KindConflict, v.Conflict), Items: ItemNames(h, v.Items), Excepted: v.Excepted}
		if v.Area != "" {
			r := h.Area(v.Area)
			b.Area = &r
		}
		p.Conflicts = append(p.Conflicts, b)
	}
	p.Systems = panels(walled, bricks)
	showUses(walled, user, p.Systems, s.At)
	if s.Draft != nil && s.House != s.Present {
		markDrafted(s, p, user, where)
	}
	return p, nil
}

// coming tells what will happen to a person by itself, as far as it is known now.
func (d *Viewer) coming(s *desk.Sight, who desk.Actor, p *Person) error {
	if !who.When.IsZero() {
		return nil
	}
	list, err := d.Reading(who).ComingTo(p.User.ID)
	for _, c := range list {
		switch {
		case c.Do == store.ComingGo && !p.Object.Until.IsZero() && !c.At.Before(p.Object.Until):
			p.Coming = append(p.Coming,
				Coming{c.At, "Leaves: the account is deactivated, seats come free, and groups list them no more."})
		case c.Do == store.ComingLeave && s.Design().Get(model.KindGroup, c.Object) != nil:
			p.Coming = append(p.Coming, Coming{c.At, "Is taken out of “" + s.Ref(model.KindGroup, c.Object).Name + "”."})
		}
	}
	return err
}

// own is the house that somebody's wall stands in: one's own is whole, to delegates too, who otherwise see a part only.
func (d *Viewer) own(s *desk.Sight, who desk.Actor, user string, part *desk.House) *desk.House {
	if h := d.Present(); s.Authority != nil && user == who.Eyes() && who.When.IsZero() {
		return h
	}
	return part
}

// memberships lists the groups of a person, those too that the draft takes away.
func (d *Viewer) memberships(s *desk.Sight, who desk.Actor, p *Person) {
	user := p.User.ID
	add := func(h, other *desk.House, draft string) {
		for _, g := range h.Index.GroupsOf(user) {
			in := other.Index.InGroup(user, g.Group)
			if draft == "cut" && in {
				continue
			}
			m := Membership{Group: h.Ref(model.KindGroup, g.Group), Direct: g.Direct}
			if !in && s.Draft != nil {
				m.Draft = draft
			}
			o, listed := h.Design().Groups.Find(g.Group)
			m.May = listed && m.Draft != "cut" && slices.Contains(o.Users, user) && o.Source == model.Local &&
				slices.Contains(p.May, "membership") &&
				mine(s, index.Node{Kind: model.KindGroup, ID: g.Group}, "membership")
			p.Groups = append(p.Groups, m)
		}
	}
	add(s.House, s.Present, "new")
	if s.House != s.Present {
		add(s.Present, s.House, "cut")
	}
}

// mayDoTo tells what somebody may do to a person, by rights or by delegations.
func (d *Viewer) mayDoTo(s *desk.Sight, who desk.Actor, u *model.User) []string {
	out := []string{}
	if s.Draft == nil {
		return out
	}
	people, assign, design := d.May(
		s.Present,
		who,
		model.EditPeople,
	), d.May(
		s.Present,
		who,
		model.EditAssignments,
	), d.May(
		s.Present,
		who,
		model.EditDesign,
	)
	for _, act := range []struct {
		name  string
		right bool
	}{{delegation.Invite, people}, {delegation.Edit, people}, {delegation.Move, people}, {delegation.Seat, people},
		{delegation.Lock, people}, {delegation.Deactivate, people}, {"delete", people}, {delegation.Assign, assign},
		{delegation.Membership, design}} {
		if act.right || s.Authority != nil && s.Authority.Reaches(act.name, u) && !s.Authority.Above(u.ID) {
			out = append(out, act.name)
		}
	}
	return out
}

// markDrafted marks the bricks that the draft changes.
func markDrafted(s *desk.Sight, p *Person, user, where string) {
	before := map[string][]index.Holding{}
	bricks, _ := s.Present.Index.Wall(user, where, s.At)
	for _, b := range bricks {
		before[b.Permission.Key] = b.Held
	}
	after, _ := s.House.Index.Wall(user, where, s.At)
	now := map[string][]index.Holding{}
	for _, b := range after {
		now[b.Permission.Key] = b.Held
	}
	for i := range p.Systems {
		for j := range p.Systems[i].Courses {
			for k := range p.Systems[i].Courses[j].Bricks {
				b := &p.Systems[i].Courses[j].Bricks[k]
				switch was, is := before[b.Key], now[b.Key]; {
				case slices.Equal(was, is):
				case len(was) == 0:
					b.Draft = "new"
				case len(is) == 0:
					b.Draft = "cut"
				default:
					b.Draft = "changed"
				}
			}
		}
	}
}

// Target is what an assignment gives.
func Target(h *desk.House, a *model.Assignment) desk.Ref {
	if a.Role != "" {
		return h.Ref(model.KindRole, a.Role)
	}
	return h.Ref(model.KindSet, a.Set)
}

func panels(h *desk.House, bricks []index.Brick) []WallPanel {
	out := []WallPanel{}
	for _, b := range bricks {
		system, object, action, _ := model.CutKey(b.Permission.Key)
		if len(out) == 0 || out[len(out)-1].System.ID != system {
			out = append(out, WallPanel{System: h.Ref(model.KindSystem, system), Courses: []Course{}})
		}
		panel := &out[len(out)-1]
		if len(panel.Courses) == 0 || panel.Courses[len(panel.Courses)-1].Object != object {
			panel.Courses = append(panel.Courses, Course{Object: object})
		}
		course := &panel.Courses[len(panel.Courses)-1]
		v := Brick{
			Key:    b.Permission.Key,
			Action: action,
			Label:  b.Permission.Label,
			Class:  string(b.Permission.Class),
			Risk:   b.Permission.Risk,
			State:  "none",
			Held:   h.Holdings(b.Held),
		}
		panel.Total++
		switch {
		case len(b.Held) > 0:
			panel.Held++
			v.State = "held"
			v.Whole = slices.ContainsFunc(v.Held, func(x desk.Holding) bool { return x.Whole })
			if !v.Whole {
				v.Note = extent(v.Held)
			}
		case b.Withheld != "":
			v.State, v.Note = "withheld", ObstacleWord(b.Withheld)
		}
		course.Bricks = append(course.Bricks, v)
	}
	for _, panel := range out {
		for _, c := range panel.Courses { // seeing before changing, the harmless before the dangerous
			slices.SortStableFunc(c.Bricks, func(a, b Brick) int {
				return cmp.Or(cmp.Compare(classRank[a.Class], classRank[b.Class]), cmp.Compare(a.Risk, b.Risk))
			})
		}
	}
	// What is held most comes first: a wall is read from what stands.
	slices.SortStableFunc(out, func(a, b WallPanel) int { return b.Held - a.Held })
	return out
}

var classRank = map[string]int{string(model.Read): 0, string(model.Write): 1, string(model.Admin): 2}

// extent says how far a limited permission is held, in a word or two.
func extent(held []desk.Holding) string {
	note := held[0].Area.Name
	switch held[0].Reach {
	case string(model.ReachOwn):
		note = "own records"
	case string(model.ReachLine):
		note = "own line"
	}
	if len(held) > 1 {
		note += " +" + desk.Itoa(len(held)-1)
	}
	return note
}

// ObstacleWord is a reason in a word or two.
func ObstacleWord(o index.Obstacle) string {
	switch o {
	case index.NotLive:
		return "not live"
	case index.Excluded:
		return "excluded"
	case index.Retired:
		return "retired"
	case index.NotYet:
		return "not yet"
	case index.NoLonger:
		return "ended"
	case index.IsReadOnly:
		return "read-only"
	case index.WholeOnly:
		return "whole only"
	case index.NoLicence:
		return "needs licence"
	}
	return strings.ReplaceAll(string(o), "-", " ")
}

// Joint is a step of a way, for drawing.
type Joint struct {
	Kind    string `json:"kind" enum:"user,group,assignment,role,set,permission"`
	ID      string `json:"id"`
	Name    string `json:"name"`
	Note    string `json:"note"`
	Blocked string `json:"blocked,omitempty" doc:"Why nothing passes here"`
}

// Way is one chain from a person down to a permission.
type Way struct {
	Joints []Joint `json:"joints"`
	Cut    *CutAt  `json:"cut,omitempty" doc:"The assignment that could be cut, if it is made to the person directly"`
}

// CutAt names a beam and one assignment of it.
type CutAt struct {
	From       desk.End `json:"from"`
	To         desk.End `json:"to"`
	Assignment string   `json:"assignment"`
}

// Reason is why a permission is not held.
type Reason struct {
	Obstacle string `json:"obstacle"`
	Text     string `json:"text"`
	Way      *Way   `json:"way,omitempty" doc:"The chain that got furthest"`
}

// Trace tells by which ways a person holds a permission, or why not.
type Trace struct {
	Permission  desk.Ref       `json:"permission"`
	Label       string         `json:"label,omitempty"`
	Description string         `json:"description,omitempty"`
	Class       string         `json:"class"`
	Risk        int            `json:"risk"`
	Held        []desk.Holding `json:"held"`
	Ways        []Way          `json:"ways"`
	More        bool           `json:"more" doc:"There are more ways than are listed"`
	WhyNot      []Reason       `json:"whyNot" doc:"Nearest first; empty if it is held"`
	Used        *Used          `json:"used,omitempty" doc:"When the person last used it; absent if nothing is known of its use"`
	Detailed    bool           `json:"detailed" doc:"It is known which permissions of the system people use; otherwise, the use is of the system"`
}

// Trace tells by which ways a person holds a permission, or why not; asked for in an area (empty: anywhere).
func (d *Viewer) Trace(who desk.Actor, user, permission, where string) (*Trace, error) {
	h, err := d.SeePerson(who, user)
	if err != nil {
		return nil, err
	}
	if h.Design().Get(model.KindUser, user) == nil {
		return nil, desk.Refuse(desk.NotFound, "There is no person %q.", user)
	}
	h.House = d.own(h, who, user, h.House)
	p, ok := h.Design().Permission(permission)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "No system has a permission %q.", permission)
	}
	now := h.At
	t := &Trace{
		Permission:  h.Ref(index.KindPermission, p.Key),
		Label:       p.Label,
		Description: p.Description,
		Class:       string(p.Class),
		Risk:        p.Risk,
		Used:        usedKeys(h.House, user, []string{p.Key}, h.At),
		Detailed:    h.Uses.Detailed(use.SystemOf(p.Key)),
		Held:        []desk.Holding{},
		Ways:        []Way{},
		WhyNot:      []Reason{},
	}
	if err := h.HasArea(where); err != nil {
		return nil, err
	}
	t.Held = h.Holdings(h.Index.HeldAt(user, permission, where, now))
	if len(t.Held) == 0 {
		why := h.Index.Withheld(user, permission, now)
		if why == nil {
			why = h.Index.WhyNot(user, permission, index.Record{Area: where}, now)
		}
		t.WhyNot = reasons(h.House, why)
		return t, nil
	}
	ways, more := h.Index.Trace(user, permission, nil, now)
	t.More = more
	for _, w := range ways {
		t.Ways = append(t.Ways, way(h.House, w))
	}
	return t, nil
}

func reasons(h *desk.House, list []index.Reason) []Reason {
	out := make([]Reason, len(list))
	for i, r := range list {
		out[i] = Reason{Obstacle: string(r.Obstacle), Text: r.Text}
		if r.Way != nil {
			w := way(h, *r.Way)
			out[i].Way = &w
		}
	}
	return out
}

func way(h *desk.House, w index.Way) Way {
	out := Way{Joints: []Joint{}}
	for _, s := range w.Steps {
		j := Joint{Kind: string(s.Kind), ID: s.ID, Name: s.Name, Blocked: obstacleWordOr(s.Blocked)}
		switch s.Kind {
		case model.KindAssignment:
			t := h.Terms(w.Assignment)
			j.Name, j.Note = t.Where, "by group"
			if w.Assignment.Subject.User != "" {
				j.Note = "by hand"
				if w.Assignment.Reason != "" {
					j.Note += ", “" + w.Assignment.Reason + "”"
				}
			}
			if t.How != "" {
				j.Note = t.How + " · " + j.Note
			}
		case model.KindUser:
			if u, ok := h.Design().Users.Find(s.ID); ok {
				j.Note = h.Area(u.Area).Name
			}
		case index.KindPermission:
			j.Note = s.Name
			j.Name = s.ID
			if j.Note == j.Name {
				j.Note = ""
			}
		default:
			j.Note = h.Summary(index.Node{Kind: s.Kind, ID: s.ID})
			if s.Kind == model.KindRole || s.Kind == model.KindSet {
				j.Note = s.Kind.Word() + " · " + j.Note
			}
		}
		out.Joints = append(out.Joints, j)
	}
	if a := w.Assignment; a != nil && a.Subject.User != "" {
		t := Target(h, a)
		out.Cut = &CutAt{
			desk.End{Kind: string(model.KindUser), ID: a.Subject.User},
			desk.End{Kind: t.Kind, ID: t.ID},
			a.ID,
		}
	}
	return out
}

func obstacleWordOr(o index.Obstacle) string {
	if o == "" {
		return ""
	}
	return ObstacleWord(o)
}

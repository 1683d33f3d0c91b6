package people

import (
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/peers"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
)

// PeerShare is something that some people of one job hold.
type PeerShare struct {
	Thing    desk.Ref `json:"thing"`
	Key      string   `json:"key" doc:"Names exactly this"`
	Where    string   `json:"where,omitempty" doc:"Of a role or set: where and how, in words"`
	N        int      `json:"n" doc:"How many hold it"`
	Most     bool     `json:"most" doc:"At least half of them do"`
	ByItself bool     `json:"byItself" doc:"A rule or a directory says who is in the group, so nobody gives it"`
	May      bool     `json:"may" doc:"Whoever looks may give it to somebody, and take it"`
	Home     bool     `json:"home" doc:"Of a role or set: at the home of each"`
	Area     string   `json:"area,omitempty"`
	Reach    string   `json:"reach,omitempty"`
	Mode     string   `json:"mode,omitempty"`
}

// PeerShares are what people of one job hold.
type PeerShares struct {
	People int         `json:"people" doc:"How many they are"`
	Who    []desk.Ref  `json:"who" doc:"The first twelve"`
	Shares []PeerShare `json:"shares" doc:"What most hold first; at most 60"`
}

// peersShown bounds what of peers is told.
const (
	peersShown  = 12
	sharesShown = 60
)

// PeersOf tells what people of a job hold, or one person whom somebody is to be like.
func (d *Office) PeersOf(who desk.Actor, job peers.Job, like string) (*PeerShares, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, err
	}
	var people []*model.User
	if like != "" {
		u, ok := s.Present.Design().Users.Find(like)
		if !ok {
			return nil, desk.Refuse(desk.NotFound, "There is no person %q.", like)
		}
		people = []*model.User{u}
	} else {
		if err := s.HasArea(job.Area); err != nil {
			return nil, err
		}
		people = peers.Of(s.Present.Index, job, "", d.Now())
	}
	return d.shares(s, who, people), nil
}

func (d *Office) shares(s *desk.Sight, who desk.Actor, people []*model.User) *PeerShares {
	out := &PeerShares{People: len(people), Who: []desk.Ref{}, Shares: []PeerShare{}}
	for _, u := range people[:min(len(people), peersShown)] {
		out.Who = append(out.Who, s.Ref(model.KindUser, u.ID))
	}
	list := peers.Shares(s.Present.Index, people, d.Now())
	for _, share := range list[:min(len(list), sharesShown)] {
		out.Shares = append(out.Shares, d.share(s, who, share, len(people)))
	}
	return out
}

func (d *Office) share(s *desk.Sight, who desk.Actor, share peers.Share, of int) PeerShare {
	v := PeerShare{
		Thing: s.Ref(share.Kind, share.ID), Key: keyOfThing(share.Thing), N: share.N, Most: share.Most(of),
		ByItself: share.ByItself, Home: share.Home, Area: share.Area, Reach: string(share.Reach), Mode: string(share.Mode),
	}
	v.May = d.gives(s, who, share.Thing)
	if share.Kind == model.KindRole || share.Kind == model.KindSet {
		a := &model.Assignment{Area: share.Area, Reach: share.Reach, Mode: share.Mode}
		where, how := a.Extent(func(id string) string { return s.Area(id).Name })
		if share.Home {
			where = "at the home of each"
		}
		v.Where = strings.Join(append([]string{where}, how...), " · ")
	}
	return v
}

// gives tells whether somebody may give a thing to anybody, by a right or by a delegation.
func (d *Office) gives(s *desk.Sight, who desk.Actor, t peers.Thing) bool {
	right, action := model.EditAssignments, delegation.Assign
	lists := func(g *model.Delegation) bool { return slices.Contains(g.Roles, t.ID) }
	switch t.Kind {
	case model.KindSet:
		lists = func(g *model.Delegation) bool { return slices.Contains(g.Sets, t.ID) }
	case model.KindGroup:
		right, action = model.EditDesign, delegation.Membership
		lists = func(g *model.Delegation) bool { return slices.Contains(g.Groups, t.ID) }
	case model.KindLicence:
		right, action = model.EditPeople, delegation.Seat
		lists = func(*model.Delegation) bool { return true }
	}
	if d.May(s.Present, who, right) || s.Authority == nil {
		return d.May(s.Present, who, right)
	}
	return slices.ContainsFunc(s.Authority.Delegations(), func(g *model.Delegation) bool {
		return slices.Contains(g.Actions, action) && lists(g)
	})
}

// keyOfThing names exactly a thing.
func keyOfThing(t peers.Thing) string {
	home := t.Area
	if t.Home {
		home = "~"
	}
	return strings.Join([]string{string(t.Kind), t.ID, home, string(t.Reach), string(t.Mode)}, " ")
}

// NewPost is where somebody moves to. What is empty is taken away, but the home, which becomes the whole organisation.
type NewPost struct {
	Title      string `json:"title,omitempty" maxLength:"200"`
	Department string `json:"department,omitempty" maxLength:"200"`
	Area       string `json:"area,omitempty" maxLength:"200" doc:"The new home"`
	Manager    string `json:"manager,omitempty" maxLength:"200"`
}

// MovedThing is something that somebody who moves holds, or would be given.
type MovedThing struct {
	PeerShare
	Old int `json:"old" doc:"How many of the peers of the old post hold it"`
	New int `json:"new" doc:"How many of the peers of the new post do"`
}

// Moving is what somebody's move would bring.
type Moving struct {
	User    desk.Ref     `json:"user"`
	Title   string       `json:"title,omitempty"`
	Home    desk.Ref     `json:"home"`
	Fed     []string     `json:"fed" doc:"What a directory tells of the person, so that it is changed there: title, department, manager"`
	Old     int          `json:"old" doc:"How many peers the old post has"`
	New     int          `json:"new" doc:"How many peers the new post has"`
	Gives   []MovedThing `json:"gives" doc:"What peers of the new post hold and the person does not; those first that most hold"`
	Leaves  []MovedThing `json:"leaves" doc:"What the person holds by hand; most: it is of the old post, and not of the new one"`
	Keeps   int          `json:"keeps" doc:"How much they hold that goes with the new post too"`
	Comings []desk.Ref   `json:"comings" doc:"Groups that they would join by themselves, by a rule"`
	Goings  []desk.Ref   `json:"goings" doc:"Groups that they would leave by themselves"`
}

// move lays a new post onto a person.
func (n NewPost) onto(h *desk.House, u *model.User) *model.User {
	after := change.Clone(u)
	after.JobTitle, after.Department, after.Manager = strings.TrimSpace(n.Title), strings.TrimSpace(n.Department),
		n.Manager
	if after.Area = n.Area; n.Area == h.Design().Root() {
		after.Area = ""
	}
	if u.Source == model.Directory { // which says these
		after.JobTitle, after.Department, after.Manager = u.JobTitle, u.Department, u.Manager
	}
	return after
}

// Move tells what somebody's move would bring: what the new post gives, and what the old one leaves behind.
func (d *Office) Move(who desk.Actor, user string, to NewPost) (*Moving, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, err
	}
	u, ok := s.Present.Design().Users.Find(user)
	if !ok || u.State == model.UserDeleted {
		return nil, desk.Refuse(desk.NotFound, "There is no person %q.", user)
	}
	if err := s.HasArea(to.Area); err != nil {
		return nil, err
	}
	after := to.onto(s.Present, u)
	out := &Moving{
		User: s.Ref(model.KindUser, user), Title: u.JobTitle, Home: s.Area(u.Area), Fed: []string{}, Gives: []MovedThing{},
		Leaves: []MovedThing{}, Comings: []desk.Ref{}, Goings: []desk.Ref{},
	}
	if u.Source == model.Directory {
		out.Fed = []string{"title", "department", "manager"}
	}
	x := s.Present.Index
	job := func(u *model.User) peers.Job {
		return peers.Job{Title: u.JobTitle, Department: u.Department, Area: u.Area}
	}
	before, then := peers.Of(x, job(u), user, d.Now()), peers.Of(x, job(after), user, d.Now())
	out.Old, out.New = len(before), len(then)
	was, is := map[peers.Thing]int{}, map[peers.Thing]int{}
	for _, share := range peers.Shares(x, before, d.Now()) {
		was[share.Thing] = share.N
	}
	offered := peers.Shares(x, then, d.Now())
	for _, share := range offered {
		is[share.Thing] = share.N
	}
	moved := after.Area != u.Area
	holds := map[peers.Thing]bool{}
	for _, thing := range peers.Holds(x, u, d.Now()) {
		stays := thing
		if thing.Home && moved { // it is at the old home, which is not theirs any longer
			stays.Home, stays.Area = false, u.Area
		}
		holds[stays] = true
		g, group := s.Present.Design().Groups.Find(thing.ID)
		if thing.Kind == model.KindGroup && group && (g.Type == model.Rule || g.Source == model.Directory) {
			continue
		}
		old := peers.Share{Thing: thing, N: was[thing]}
		new := peers.Share{Thing: stays, N: is[stays]}
		if len(then) > 0 && new.Most(len(then)) {
			out.Keeps++
			continue
		}
		v := MovedThing{d.share(s, who, old, len(before)), old.N, new.N}
		v.Most = len(before) > 0 && old.Most(len(before)) || thing.Home && moved
		out.Leaves = append(out.Leaves, v)
	}
	for _, share := range offered {
		if !holds[share.Thing] && !share.ByItself && len(out.Gives) < sharesShown {
			out.Gives = append(out.Gives, MovedThing{d.share(s, who, share, len(then)), was[share.Thing], share.N})
		}
	}
	d.byRule(s, u, after, out)
	return out, nil
}

// byRule tells which groups somebody would join and leave by themselves.
func (d *Office) byRule(s *desk.Sight, u, after *model.User, out *Moving) {
	if change.Equal(u, after) {
		return
	}
	moved, _ := change.Apply(s.Present.Design(), []change.Op{change.Put(s.Present.Design(), after)})
	if moved == nil {
		return // a circle, which the draft tells
	}
	y := s.Present.Index.Update(moved)
	for _, g := range s.Present.Design().Groups {
		if was, is := s.Present.Index.InGroup(u.ID, g.ID), y.InGroup(u.ID, g.ID); was != is && g.Type == model.Rule {
			if ref := s.Ref(model.KindGroup, g.ID); is {
				out.Comings = append(out.Comings, ref)
			} else {
				out.Goings = append(out.Goings, ref)
			}
		}
	}
}

// MovingPlan is a move: the new post, what is given and what is left behind, by their keys.
type MovingPlan struct {
	User   string   `json:"user" maxLength:"200"`
	Post   NewPost  `json:"post"`
	Gives  []string `json:"gives" maxItems:"500" doc:"Keys of what the new post gives"`
	Leaves []string `json:"leaves" maxItems:"500" doc:"Keys of what the old one leaves behind"`
}

// DraftMove drafts that somebody moves to another post, as one act.
func (d *Office) DraftMove(who desk.Actor, p MovingPlan) (*desk.Draft, error) {
	m, err := d.Move(who, p.User, p.Post)
	if err != nil {
		return nil, err
	}
	return d.Alter(who, func(h *desk.House, draft *desk.Drafted) error {
		base := draft.Base()
		u, ok := base.Users.Find(p.User)
		if !ok || draft.Seen().Get(model.KindUser, p.User) == nil {
			return desk.Refuse(desk.NotFound, "There is no person %q.", p.User)
		}
		if p.Post.Manager != "" && draft.Seen().Get(model.KindUser, p.Post.Manager) == nil {
			return desk.Refuse(desk.NotFound, "There is no person %q.", p.Post.Manager)
		}
		after := p.Post.onto(h, u)
		var todo []change.Op
		var steps []worklist.Step
		for _, v := range m.Leaves {
			if !slices.Contains(p.Leaves, v.Key) {
				continue
			}
			switch model.Kind(v.Thing.Kind) {
			case model.KindLicence:
				steps = append(steps, worklist.Step{Do: worklist.Unseat, Licences: []string{v.Thing.ID}})
			case model.KindGroup:
				steps = append(steps, worklist.Step{Do: worklist.Leave, Groups: []string{v.Thing.ID}})
			default:
				for _, a := range base.Assignments {
					if a.Subject.User == u.ID && keyOfThing(peers.GivenAt(a, u.Area)) == v.Key && model.In(d.Now(), a.From, a.Until) {
						todo = append(todo, change.Delete(a))
					}
				}
			}
		}
		for _, v := range m.Gives {
			if slices.Contains(p.Gives, v.Key) {
				steps = append(steps, v.step(after.Area))
			}
		}
		if !change.Equal(u, after) {
			todo = append(todo, change.Put(base, after))
		}
		laid := change.Lay(base, todo)
		for i := range steps {
			if wrong := steps[i].Wrong(laid); wrong != "" {
				return desk.Refuse(desk.Invalid, "%s", wrong)
			}
		}
		did, outcomes := ops(laid, u.ID, steps)
		if why := hindered(outcomes); why != "" {
			return desk.Refuse(desk.Conflict, "%s", why)
		}
		todo = change.Compact(append(todo, did...))
		if len(todo) == 0 {
			return desk.Refuse(desk.Conflict, "Nothing would change: name the new post, or choose what is given and left.")
		}
		draft.Add(0, todo...)
		return nil
	})
}

// step is how a share is given to somebody with a home.
func (v *PeerShare) step(home string) worklist.Step {
	switch model.Kind(v.Thing.Kind) {
	case model.KindGroup:
		return worklist.Step{Do: worklist.Join, Groups: []string{v.Thing.ID}}
	case model.KindLicence:
		return worklist.Step{Do: worklist.Seat, Licences: []string{v.Thing.ID}}
	}
	s := worklist.Step{Do: worklist.Assign, Area: v.Area, Reach: model.Reach(v.Reach), Mode: model.Mode(v.Mode)}
	if v.Home {
		s.Area = home
	}
	if v.Thing.Kind == string(model.KindRole) {
		s.Roles = []string{v.Thing.ID}
	} else {
		s.Sets = []string{v.Thing.ID}
	}
	return s
}

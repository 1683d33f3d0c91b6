package ceiling

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// source is an act, or two, that gives people something.
type source struct {
	step   Step         // without the person
	of     []population // the nearest first
	gives  []index.Holding
	listed bool // it is an assignment of what a delegation lists
	each   each // or what it gives a person, by assignment
	done   done
}

// each tells what somebody is given by what they are assigned: of the holdings of each load, those that may be theirs;
// all if may is nil.
type each func(u *model.User, do func(l *load, gives []index.Holding, may func(h index.Holding) bool))

// load is what assignments carry (§6), whoever has them: all those of the same role or set, in the same mode and over
// the same.
type load struct {
	loadKey
	holds   []index.Holding
	needing []index.Holding // of these, what needs a licence
	beneath []index.Holding // of these, what puts nobody above an actor
	even    bool            // over less, nothing more of it puts nobody above them
}

// done is what is told of loads already.
type done struct {
	x     *index.Index
	left  map[*load][]index.Holding // what is not; of those that are not in it, all
	wider map[loadKey][]*load       // those that are even, and of which all is told, by what they are of, wherever
}

// tell goes through what is left of a load, of which tell says whether it is told now.
func (d done) tell(l *load, gives []index.Holding, tell func(h index.Holding) bool) {
	left, known := d.left[l]
	if known {
		left = slices.DeleteFunc(left, tell)
	} else {
		for _, h := range gives { // mostly nothing is left
			if !tell(h) {
				left = append(left, h)
			}
		}
	}
	d.left[l] = left
	if len(left) == 0 && l.even {
		key := l.loadKey.anywhere()
		d.wider[key] = append(d.wider[key], l)
	}
}

// has tells whether all of a load is told, be it as a part of one that is wider.
func (d done) has(l *load) bool {
	left, known := d.left[l]
	if known && len(left) == 0 {
		return true
	}
	if slices.ContainsFunc(d.wider[l.loadKey.anywhere()], func(w *load) bool {
		return d.x.Includes(index.Holding{Area: w.area, Reach: w.reach}, index.Holding{Area: l.area, Reach: l.reach})
	}) {
		d.left[l] = nil
		return true
	}
	return false
}

func (d done) clear() {
	clear(d.left)
	clear(d.wider)
}

// loadKey is what assignments that carry the same have in common.
type loadKey struct {
	role, set, area string
	reach           model.Reach
	mode            model.Mode
}

func (k loadKey) anywhere() loadKey {
	k.area, k.reach = "", ""
	return k
}

// gather finds what an actor could give by a delegation.
func (f *finder) gather(a *actor, g *model.Delegation) {
	of := f.populations(a, g)
	if len(of) == 0 {
		return
	}
	by := a.by(g)
	for _, action := range g.Actions {
		switch action {
		case delegation.Assign:
			for _, kind := range []model.Kind{model.KindRole, model.KindSet} {
				ids := g.Roles
				if kind == model.KindSet {
					ids = g.Sets
				}
				for _, id := range ids {
					for _, mode := range []model.Mode{model.Full, model.ReadOnly} {
						content := f.content(kind, id)
						gives := f.assigned(g, content, mode)
						f.sources = append(f.sources, &source{
							step: Step{By: by, Action: action, Kind: kind, ID: id, Mode: mode, Delegation: g.ID},
							of:   of, gives: gives, listed: true,
						})
						if len(gives) == len(content) {
							break // in the other mode, it gives no more
						}
					}
				}
			}
		case delegation.Membership:
			if !g.GroupsWhole {
				break // what such a group gives can be assigned too, by the same delegate (rule 2)
			}
			for _, id := range g.Groups {
				f.membership(a, g, id, of)
			}
		case delegation.Invite: // what everybody has, somebody new has too
			s := &source{step: Step{By: by, Action: action, Delegation: g.ID}, of: []population{
				{fresh: true, via: a.chains[g.ID]},
			}}
			for _, id := range []string{model.Everyone, model.Public} {
				for _, grant := range f.x.GrantsTo(id) {
					if f.lasts(grant.Until) {
						s.gives = append(s.gives, f.carried(grant).holds...)
					}
				}
			}
			f.sources = append(f.sources, s)
		case delegation.Seat:
			if len(f.needs) > 0 {
				s := &source{step: Step{By: by, Action: action, Delegation: g.ID}, of: of, done: f.noneDone()}
				s.each = f.unlicensed(s.done)
				f.sources = append(f.sources, s)
			}
		case delegation.Deactivate, delegation.Lock:
			s := &source{step: Step{By: by, Action: action, Delegation: g.ID}, of: of, done: f.noneDone()}
			s.each = f.awoken(action, s.done)
			f.sources = append(f.sources, s)
		}
	}
}

// assigned gives what an assignment of a role or set could give by a delegation. Nobody is put above whoever acts (rule
// 6), so one that carries what does so is made only where, as far and in a mode in which these hold it, or without a
// licence for it.
func (f *finder) assigned(
	g *model.Delegation, content []part, mode model.Mode,
) (out []index.Holding) {
	root := f.d.Root()
	within := cmp.Or(g.Area, root)
	areas := []string{within}
	for _, s := range f.holds {
		if f.x.Covers(within, s.Area) {
			areas = append(areas, s.Area)
		}
	}
	if within == root { // below the whole organisation, what counts only there is not carried
		for _, o := range f.d.Areas {
			if o.Parent == root {
				areas = append(areas, o.ID)
			}
		}
	}
	slices.Sort(areas)
	for _, area := range slices.Compact(areas) {
		for _, reach := range []model.Reach{model.ReachArea, model.ReachLine, model.ReachOwn} {
			kept, ok := f.below(f.carrying(content, area, reach, mode))
			switch {
			case !ok:
			case len(kept) == len(content) && area == within && reach == model.ReachArea: // anything narrower is part of it
				return kept
			default:
				out = append(out, kept...)
			}
		}
	}
	return out
}

// below leaves of what would be given to somebody what puts nobody above an actor; it is not given at all if somebody
// would be put above them without a licence.
func (f *finder) below(given []index.Holding) (kept []index.Holding, ok bool) {
	for _, h := range given {
		if !f.high[h.Permission] || f.covers(h) {
			kept = append(kept, h)
		} else if !f.needs[h.Permission] {
			return nil, false
		}
	}
	return kept, true
}

func (f *finder) noneDone() done {
	return done{f.x, map[*load][]index.Holding{}, map[loadKey][]*load{}}
}

// membership finds what somebody could be given by a group whose members a delegation lets one choose whatever it
// gives.
func (f *finder) membership(a *actor, g *model.Delegation, id string, of []population) {
	o, ok := f.d.Groups.Find(id)
	if !ok || o.Type == model.Static && o.Source == model.Directory {
		return // the directory keeps its members
	}
	s := &source{step: Step{
		By: a.by(g), Action: delegation.Membership, Kind: model.KindGroup, ID: id, Delegation: g.ID,
	}, of: of}
	if o.Type == model.Rule {
		if s.of = f.intoRule(g, o, of); len(s.of) == 0 {
			return
		}
	}
	for _, grant := range f.x.GrantsTo(id) {
		if !f.lasts(grant.Until) {
			continue
		}
		kept, ok := f.below(f.carried(grant).holds)
		if !ok {
			return
		}
		s.gives = append(s.gives, kept...)
	}
	f.sources = append(f.sources, s)
}

// covers tells whether an actor holds something that puts people above others as widely as it would be given.
func (f *finder) covers(h index.Holding) bool {
	return slices.ContainsFunc(f.holds, func(s index.Span) bool { return f.x.Includes(s.Holding, h) })
}

func (f *finder) carried(a *model.Assignment) *load {
	if known := f.loads[a]; known != nil {
		return known
	}
	key := loadKey{a.Role, a.Set, cmp.Or(a.Area, f.d.Root()), a.Reach, a.Mode}
	l := f.alike[key]
	if l == nil {
		l = &load{loadKey: key, even: true}
		whole := key.area == f.d.Root() && key.reach == model.ReachArea
		kind, id, _ := strings.Cut(a.Grant(), ":")
		content := f.content(model.Kind(kind), id)
		l.holds = make([]index.Holding, 0, len(content))
		all := true // is beneath
		for _, p := range content {
			if !p.carried(key.mode, whole) {
				continue
			}
			h := index.Holding{Permission: p.Key, Area: key.area, Reach: key.reach}
			l.holds = append(l.holds, h)
			if p.needs {
				l.needing = append(l.needing, h)
			}
			if p.high && !f.covers(h) {
				if all {
					l.beneath, all = slices.Clone(l.holds[:len(l.holds)-1]), false
				}
				l.even = l.even && !f.mine[p.Key]
			} else if !all {
				l.beneath = append(l.beneath, h)
			}
		}
		if all {
			l.beneath = l.holds
		}
		f.alike[key] = l
	}
	f.loads[a] = l
	return l
}

// part is one permission of what a role or set gives.
type part struct {
	*model.Permission
	needs bool // a licence
	high  bool // it puts people above others
}

// carried tells whether an assignment carries it: in a mode, and to the whole organisation or not (§6).
func (p *part) carried(mode model.Mode, whole bool) bool {
	return (mode != model.ReadOnly || p.Class == model.Read) && (p.Span.IsZero() || whole)
}

// content gives what a role or set gives.
func (f *finder) content(kind model.Kind, id string) []part {
	key := string(kind) + " " + id
	list, known := f.contents[key]
	if !known {
		for _, key := range f.x.Content(kind, id) {
			if p, ok := f.d.Permission(key); ok {
				list = append(list, part{p, f.needs[key], f.high[key]})
			}
		}
		f.contents[key] = list
	}
	return list
}

func (f *finder) carrying(content []part, area string, reach model.Reach, mode model.Mode) (out []index.Holding) {
	whole := area == f.d.Root() && reach == model.ReachArea
	for _, p := range content {
		if p.carried(mode, whole) {
			out = append(out, index.Holding{Permission: p.Key, Area: area, Reach: reach})
		}
	}
	return out
}

// unlicensed tells of a person what a licence would give them: what their grants carry, and they have no licence for.
// They get none by which they would come to stand above whoever gives it.
func (f *finder) unlicensed(done done) each {
	return func(u *model.User, do func(*load, []index.Holding, func(index.Holding) bool)) {
		grants := f.v.Live().GrantsFor(u.ID)
		asks := func(g *model.Assignment) bool {
			l := f.carried(g)
			return len(l.needing) > 0 && !done.has(l) && f.lasts(g.Until)
		}
		if !slices.ContainsFunc(grants, asks) {
			return
		}
		lacks := f.lacksOf(u)
		var barred [][]string
		for _, g := range grants {
			l := f.carried(g)
			if len(l.needing) == 0 || len(l.beneath) == len(l.holds) || !f.lasts(g.Until) || !f.counts(g, u) {
				continue
			}
			for _, h := range l.needing {
				if f.high[h.Permission] && !f.covers(h) {
					if list := lacks(h.Permission); len(list) > 0 {
						barred = append(barred, list)
					}
				}
			}
		}
		may := func(h index.Holding) bool {
			list := lacks(h.Permission)
			return len(list) > 0 && !slices.ContainsFunc(barred, func(licences []string) bool {
				return !slices.ContainsFunc(licences, func(l string) bool { return !slices.Contains(list, l) })
			})
		}
		for _, g := range grants {
			if asks(g) {
				do(f.carried(g), f.carried(g).needing, may)
			}
		}
	}
}

// counts tells whether an assignment will count for somebody as they are; not if that can be changed.
func (f *finder) counts(g *model.Assignment, u *model.User) bool { return !f.lock && f.meets(g, u) }

// meets tells whether an assignment will count for somebody within their validity; not for who is deactivated.
func (f *finder) meets(g *model.Assignment, u *model.User) bool {
	if u.State == model.UserDeactivated {
		return false
	}
	from, until := f.t, g.Until
	for _, at := range []time.Time{g.From, u.From} {
		if at.After(from) {
			from = at
		}
	}
	if until.IsZero() || !u.Until.IsZero() && u.Until.Before(until) {
		until = u.Until
	}
	return until.IsZero() || from.Before(until)
}

// lacksOf tells which licences somebody lacks for a permission. All who have the same licences lack the same.
func (f *finder) lacksOf(u *model.User) func(permission string) []string {
	seats := strings.Join(u.Licences, " ")
	known := f.lacks[seats]
	if known == nil {
		known = map[string][]string{}
		f.lacks[seats] = known
	}
	return func(permission string) []string {
		if !f.needs[permission] {
			return nil
		}
		list, is := known[permission]
		if !is {
			for _, l := range f.required(permission) {
				if !f.x.HasLicence(u.ID, l) {
					list = append(list, l)
				}
			}
			known[permission] = list
		}
		return list
	}
}

// required gives the licences that somebody without any lacks for a permission.
func (f *finder) required(permission string) []string {
	list, known := f.requires[permission]
	if !known {
		list = f.x.NeedsLicences(index.Anonymous, permission)
		f.requires[permission] = list
	}
	return list
}

// awoken tells what somebody would hold who is brought back, or whose validity is changed; nothing if they would stand
// above whoever does it.
func (f *finder) awoken(action string, done done) each {
	return func(u *model.User, do func(*load, []index.Holding, func(index.Holding) bool)) {
		if u.State == model.UserDeleted || action == delegation.Deactivate && u.State != model.UserDeactivated ||
			action == delegation.Lock && u.From.IsZero() && u.Until.IsZero() {
			return
		}
		if len(f.v.Beyond(f.v.Latent(u.ID, f.highs, f.t), f.holds, f.t)) > 0 {
			return
		}
		for _, g := range f.v.Live().GrantsFor(u.ID) {
			l := f.carried(g)
			if done.has(l) || !f.lasts(g.Until) || action == delegation.Lock && f.meets(g, u) {
				continue // or they will hold it as they are
			}
			do(l, l.beneath, nil)
		}
	}
}

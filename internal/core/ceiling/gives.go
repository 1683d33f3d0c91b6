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
	step   Step                       // without the person
	of     []population               // the nearest first
	done   map[*model.Assignment]bool // of each: all that it gives somebody is told
	gives  []index.Holding
	listed bool // it is an assignment of what a delegation lists
	// or what it gives a person, by assignment
	each func(u *model.User, do func(g *model.Assignment, holds []index.Holding))
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
						gives := f.assigned(g, f.x.Content(kind, id), mode)
						f.sources = append(f.sources, &source{
							step: Step{By: by, Action: action, Kind: kind, ID: id, Mode: mode, Delegation: g.ID},
							of:   of, gives: gives, listed: true,
						})
						if len(gives) == len(f.x.Content(kind, id)) {
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
						s.gives = append(s.gives, f.carried(grant)...)
					}
				}
			}
			f.sources = append(f.sources, s)
		case delegation.Seat:
			s := &source{step: Step{By: by, Action: action, Delegation: g.ID}, of: of, done: map[*model.Assignment]bool{}}
			if s.each = f.unlicensed(s.done); s.each != nil {
				f.sources = append(f.sources, s)
			}
		case delegation.Deactivate, delegation.Lock:
			s := &source{step: Step{By: by, Action: action, Delegation: g.ID}, of: of, done: map[*model.Assignment]bool{}}
			s.each = func(u *model.User, do func(*model.Assignment, []index.Holding)) { f.awoken(u, action, s.done, do) }
			f.sources = append(f.sources, s)
		}
	}
}

// assigned gives what an assignment of a role or set could give by a delegation. Nobody is put above whoever acts (rule
// 6), so one that carries what does so is made only where, as far and in a mode in which these hold it, or without a
// licence for it.
func (f *finder) assigned(
	g *model.Delegation, content []string, mode model.Mode,
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
		kept, ok := f.below(f.carried(grant))
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

// carried gives what an assignment carries (§6), whoever has it.
func (f *finder) carried(a *model.Assignment) []index.Holding {
	list, known := f.carries[a]
	if !known {
		kind, id, _ := strings.Cut(a.Grant(), ":")
		list = f.carrying(f.x.Content(model.Kind(kind), id), cmp.Or(a.Area, f.d.Root()), a.Reach, a.Mode)
		f.carries[a] = list
	}
	return list
}

func (f *finder) carrying(content []string, area string, reach model.Reach, mode model.Mode) (out []index.Holding) {
	whole := area == f.d.Root() && reach == model.ReachArea
	for _, key := range content {
		p, ok := f.d.Permission(key)
		if !ok || mode == model.ReadOnly && p.Class != model.Read || !p.Span.IsZero() && !whole {
			continue
		}
		out = append(out, index.Holding{Permission: key, Area: area, Reach: reach})
	}
	return out
}

// unlicensed tells of a person what a licence would give them: what their grants carry, and they have no licence for.
// They get none by which they would come to stand above whoever gives it.
func (f *finder) unlicensed(
	done map[*model.Assignment]bool,
) func(u *model.User, do func(*model.Assignment, []index.Holding)) {
	if len(f.needs) == 0 {
		return nil
	}
	needing := map[*model.Assignment][]index.Holding{} // what each carries that needs a licence
	needs := func(g *model.Assignment) []index.Holding {
		list, known := needing[g]
		if !known {
			if f.lasts(g.Until) {
				for _, h := range f.carried(g) {
					if f.needs[h.Permission] {
						list = append(list, h)
					}
				}
			}
			needing[g] = list
		}
		return list
	}
	return func(u *model.User, do func(*model.Assignment, []index.Holding)) {
		grants := f.v.Live().GrantsFor(u.ID)
		if !slices.ContainsFunc(grants, func(g *model.Assignment) bool { return !done[g] && len(needs(g)) > 0 }) {
			return
		}
		lacks := map[string][]string{} // the licences that are lacking, by permission
		lacking := func(h index.Holding) []string {
			list, known := lacks[h.Permission]
			if !known {
				list = f.lacking(u, h.Permission)
				lacks[h.Permission] = list
			}
			return list
		}
		var barred [][]string
		for _, g := range grants {
			for _, h := range needs(g) {
				if f.high[h.Permission] && !f.covers(h) && f.counts(g, u) && len(lacking(h)) > 0 {
					barred = append(barred, lacking(h))
				}
			}
		}
		for _, g := range grants {
			if done[g] || len(needs(g)) == 0 {
				continue
			}
			var gives []index.Holding
			for _, h := range needs(g) {
				if list := lacking(h); len(list) > 0 && !slices.ContainsFunc(barred, func(licences []string) bool {
					return !slices.ContainsFunc(licences, func(l string) bool { return !slices.Contains(list, l) })
				}) {
					gives = append(gives, h)
				}
			}
			do(g, gives)
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

// lacking gives the licences that somebody lacks for a permission.
func (f *finder) lacking(u *model.User, permission string) (out []string) {
	if !f.needs[permission] {
		return nil
	}
	if f.bare == "" { // everybody has one
		return f.x.NeedsLicences(u.ID, permission)
	}
	required, known := f.lacks[permission]
	if !known {
		required = f.x.NeedsLicences(f.bare, permission)
		f.lacks[permission] = required
	}
	if len(u.Licences) == 0 {
		return required
	}
	for _, l := range required {
		if !f.x.HasLicence(u.ID, l) {
			out = append(out, l)
		}
	}
	return out
}

// awoken tells what somebody would hold who is brought back, or whose validity is changed; nothing if they would stand
// above whoever does it.
func (f *finder) awoken(
	u *model.User, action string, done map[*model.Assignment]bool, do func(*model.Assignment, []index.Holding),
) {
	if u.State == model.UserDeleted || action == delegation.Deactivate && u.State != model.UserDeactivated ||
		action == delegation.Lock && u.From.IsZero() && u.Until.IsZero() {
		return
	}
	// With another validity, somebody holds less at a time.
	if !f.lock && len(f.v.Beyond(f.v.Latent(u.ID, f.highs, f.t), f.holds, f.t)) > 0 {
		return
	}
	for _, g := range f.v.Live().GrantsFor(u.ID) {
		if done[g] || !f.lasts(g.Until) || action == delegation.Lock && f.meets(g, u) {
			continue // or they will hold it as they are
		}
		var gives []index.Holding
		for _, h := range f.carried(g) {
			if !f.high[h.Permission] || f.covers(h) {
				gives = append(gives, h)
			}
		}
		do(g, gives)
	}
}

package view

import (
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk"
)

// Used tells of the use of something by somebody. Where nothing at all is known of its use, there is none of it.
type Used struct {
	At   *time.Time `json:"at,omitempty" doc:"When it was last used; absent: never, as far as is known"`
	Idle bool       `json:"idle" doc:"It was not used for 90 days"`
}

// lately tells of the last use of some systems and permissions by somebody.
func lately(h *desk.House, user string, what []string, at time.Time) *Used {
	last := lastUse(h, user, what, at)
	return &Used{last, last == nil || last.Before(at.AddDate(0, 0, -review.IdleAfter))}
}

// usesOf gives what tells of the use of a licence: the systems that need it, or one that it covers, and the permissions
// that need it by themselves, as far as it is known which are used. Known tells whether any use of these is known.
func usesOf(s *desk.Sight, licence string) (what []string, known bool) {
	enough := map[string]bool{}
	var add func(id string)
	add = func(id string) {
		l, ok := s.Design().Licences.Find(id)
		if !ok || enough[id] {
			return
		}
		enough[id] = true
		for _, c := range l.Covers {
			add(c)
		}
	}
	add(licence)
	var keys []string
	for _, o := range s.Design().Systems {
		if enough[o.Licence] {
			what, known = append(what, o.ID), known || s.Uses.Known(o.ID)
			continue
		}
		for _, p := range o.Permissions {
			if enough[p.Licence] {
				keys = append(keys, p.Key)
			}
		}
	}
	more, of := usesOfKeys(s.House, keys)
	return append(what, more...), known || of
}

// usesOfKeys gives what tells of the use of some permissions: they themselves where it is known which are used, else
// their systems. Known tells whether any use of these is known.
func usesOfKeys(h *desk.House, keys []string) (what []string, known bool) {
	for _, key := range keys {
		system := use.SystemOf(key)
		if !h.Uses.Detailed(system) { // that the system is used is all there is to know
			key = system
		}
		if len(what) > 0 && what[len(what)-1] == key { // those of a system follow one another
			continue
		}
		what, known = append(what, key), known || h.Uses.Known(system)
	}
	return what, known
}

// lastUse is when somebody last used one of some systems and permissions; nil if that is not known, or was after the
// instant that is looked at, since what was before is not kept.
func lastUse(h *desk.House, user string, what []string, at time.Time) (last *time.Time) {
	for _, w := range what {
		if used, ok := h.Uses.Last(user, w); ok && !used.After(at.Add(use.AheadMost)) && (last == nil || used.After(*last)) {
			last = &used
		}
	}
	return last
}

// usedKeys tells of the use of some permissions by somebody; nil if nothing is known of their use.
func usedKeys(h *desk.House, user string, keys []string, at time.Time) *Used {
	what, known := usesOfKeys(h, keys)
	if !known {
		return nil
	}
	return lately(h, user, what, at)
}

// usedSystem tells of the use of a system by somebody; nil if nothing is known of its use.
func usedSystem(h *desk.House, user, system string, at time.Time) *Used {
	if !h.Uses.Known(system) {
		return nil
	}
	return lately(h, user, []string{system}, at)
}

// showUses puts onto the panels of somebody's wall when they last used what stands there.
func showUses(h *desk.House, user string, panels []WallPanel, at time.Time) {
	for i := range panels {
		p := &panels[i]
		p.Used = usedSystem(h, user, p.System.ID, at)
		if !h.Uses.Detailed(p.System.ID) {
			continue
		}
		for _, c := range p.Courses {
			for k := range c.Bricks {
				c.Bricks[k].Used = lately(h, user, []string{c.Bricks[k].Key}, at)
			}
		}
	}
}

// Usage is how many of those who have something have used anything of it lately.
type Usage struct {
	Days int `json:"days"`
	Used int `json:"used" doc:"How many people used something of it within so many days"`
}

// usageOf counts who of those who have a role or set used something of it lately; nil if nothing is known of its use.
func usageOf(s *desk.Sight, kind model.Kind, id string) *Usage {
	lately := desk.Once(s, "used lately", func() *review.Lately { return review.UsedLately(s.Index, s.Uses, s.At) })
	n, known := lately.Of(s.Index.HeldBy(kind, id, s.At), s.Index.Content(kind, id))
	if !known {
		return nil
	}
	return &Usage{Days: review.IdleAfter, Used: n}
}

// usedGrant tells of the use of what an assignment gives by whom it is made to; nil if it is to a group, or if nothing
// is known of its use.
func usedGrant(s *desk.Sight, h *desk.House, a *model.Assignment) *Used {
	if a.Subject.User == "" {
		return nil
	}
	of := index.Node{Kind: model.KindRole, ID: a.Role}
	if a.Role == "" {
		of = index.Node{Kind: model.KindSet, ID: a.Set}
	}
	return usedKeys(h, a.Subject.User, h.Index.Content(of.Kind, of.ID), s.At)
}

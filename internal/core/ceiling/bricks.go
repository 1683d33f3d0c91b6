package ceiling

import (
	"cmp"
	"slices"
	"strings"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// bricks tells what the sources give that somebody does not hold already, each by its shortest way.
func (f *finder) bricks(user string) []Brick {
	found := map[string][]Brick{} // by permission
	add := func(b Brick) {
		list := found[b.Permission]
		for _, o := range list {
			if f.x.Includes(o.Holding, b.Holding) && len(o.Chain) <= len(b.Chain) {
				return
			}
		}
		list = slices.DeleteFunc(list, func(o Brick) bool {
			return f.x.Includes(b.Holding, o.Holding) && len(b.Chain) <= len(o.Chain)
		})
		found[b.Permission] = append(list, b)
	}
	for _, s := range f.sources {
		f.told(s, add)
	}
	own := f.x.Effective(user, f.t)
	var out []Brick
	for _, list := range found {
		for _, b := range list {
			b.Held = slices.ContainsFunc(own, func(h index.Holding) bool { return f.x.Includes(h, b.Holding) })
			b.Listed = f.lists(b.Holding)
			out = append(out, b)
		}
	}
	slices.SortFunc(out, func(a, b Brick) int {
		return cmp.Or(strings.Compare(a.Permission, b.Permission), strings.Compare(a.Area, b.Area),
			strings.Compare(string(a.Reach), string(b.Reach)))
	})
	return out
}

// lists tells whether a delegation's own list of roles and sets lets something be assigned.
func (f *finder) lists(h index.Holding) bool {
	return slices.ContainsFunc(f.sources, func(s *source) bool {
		return s.listed && slices.ContainsFunc(s.gives, func(o index.Holding) bool { return f.x.Includes(o, h) })
	})
}

// mostLooked is how many people of a population are looked at for one who does not hold something yet.
const mostLooked = 500

// told tells what a source gives whom.
func (f *finder) told(s *source, add func(Brick)) {
	if s.each != nil {
		for _, p := range s.of {
			for _, person := range p.people {
				for _, h := range s.each(person) {
					chain := s.chain(p, person)
					if s.step.Action != delegation.Seat && len(f.x.NeedsLicences(person, h.Permission)) > 0 {
						if !f.seat {
							continue
						}
						chain = f.seated(chain, person)
					}
					if !f.has(person, h) {
						add(Brick{Holding: h, Person: person, Chain: chain})
					}
				}
			}
		}
		return
	}
	left := slices.Clone(s.gives)
	for _, p := range s.of {
		if p.fresh {
			left = slices.DeleteFunc(left, func(h index.Holding) bool {
				switch {
				case !f.needs[h.Permission]:
					add(Brick{Holding: h, Chain: s.chain(p, "")})
				case f.seat:
					add(Brick{Holding: h, Chain: f.seated(s.chain(p, ""), "")})
				default:
					return false
				}
				return true
			})
		}
		for n, person := range p.people {
			if len(left) == 0 {
				return
			}
			if (person == s.step.By || !f.able(person)) && len(p.people) > 1 {
				continue // nobody acts on themselves
			}
			left = slices.DeleteFunc(left, func(h index.Holding) bool {
				if n < mostLooked && f.has(person, h) {
					return false
				}
				switch {
				case len(f.x.NeedsLicences(person, h.Permission)) == 0:
					add(Brick{Holding: h, Person: person, Chain: s.chain(p, person)})
				case f.seat && n >= len(p.people)-2: // of all of them, nobody has the licence
					add(Brick{Holding: h, Person: person, Chain: f.seated(s.chain(p, person), person)})
				default:
					return false
				}
				return true
			})
		}
	}
}

// seated puts before the last act of a way that the person is given a seat: by a delegation that covers them, if there
// is one.
func (f *finder) seated(chain []Step, person string) []Step {
	var by *Step
	for _, a := range f.actors {
		for _, g := range a.given {
			if !slices.Contains(g.Actions, delegation.Seat) {
				continue
			}
			_, covers := slices.BinarySearch(f.reach(a, g), person)
			if by == nil || covers {
				by = &Step{By: a.by(g), Action: delegation.Seat, Person: person, Delegation: g.ID}
			}
			if covers {
				break
			}
		}
	}
	n := len(chain) - 1
	return append(append(slices.Clone(chain[:n]), *by), chain[n])
}

// able tells whether somebody will hold what is given to them, without being brought back first.
func (f *finder) able(person string) bool {
	u, ok := f.d.Users.Find(person)
	return ok && f.lasts(u.Until) && u.State != model.UserDeactivated && u.State != model.UserDeleted
}

// has tells whether somebody holds something, or will by what is written.
func (f *finder) has(person string, h index.Holding) bool {
	held, known := f.held[person]
	if !known {
		held = map[string][]index.Holding{}
		for _, s := range f.v.AllSpans(person, f.t) {
			held[s.Permission] = append(held[s.Permission], s.Holding)
		}
		f.held[person] = held
	}
	return slices.ContainsFunc(held[h.Permission], func(o index.Holding) bool { return f.x.Includes(o, h) })
}

// Contains tells whether the ceiling contains that a person holds something; of somebody who is not in the design, that
// somebody new could. What people hold, or will hold by what is written, it contains.
func (c *Ceiling) Contains(person string, h index.Holding) bool {
	f := c.f
	_, there := f.d.Users.Find(person)
	if c.Unlimited != "" || there && f.has(person, h) {
		return true
	}
	includes := func(list []index.Holding) bool {
		return slices.ContainsFunc(list, func(o index.Holding) bool { return f.x.Includes(o, h) })
	}
	for _, s := range f.sources {
		for _, p := range s.of {
			_, in := slices.BinarySearch(p.people, person)
			switch {
			case there && !in, !there && !p.fresh:
			case s.each != nil && (!there || !includes(s.each(person))), s.each == nil && !includes(s.gives):
			case !f.needs[h.Permission], f.seat, there && len(f.x.NeedsLicences(person, h.Permission)) == 0:
				return true
			}
		}
	}
	return false
}

package ceiling

import (
	"cmp"
	"slices"
	"strings"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// wall gathers bricks by permission.
type wall map[string][]Brick

// has tells whether somebody could come to hold as much by as short a way.
func (w wall) has(f *finder, h index.Holding, steps int) bool {
	list := w[h.Permission]
	for i := range list { // by place: a brick is large, and this is asked millions of times
		if o := &list[i]; len(o.Chain) <= steps && f.x.Includes(o.Holding, h) {
			return true
		}
	}
	return false
}

func (w wall) add(f *finder, b Brick) {
	if !w.has(f, b.Holding, len(b.Chain)) {
		w[b.Permission] = append(slices.DeleteFunc(w[b.Permission], func(o Brick) bool {
			return len(b.Chain) <= len(o.Chain) && f.x.Includes(b.Holding, o.Holding)
		}), b)
	}
}

// bricks tells what the sources give that somebody does not hold already, each by its shortest way.
func (f *finder) bricks(user string) (out []Brick) {
	found := wall{}
	for _, s := range f.sources {
		f.told(s, found)
	}
	own, listed := map[string][]index.Holding{}, map[string][]index.Holding{}
	for _, h := range f.x.Effective(user, f.t) {
		own[h.Permission] = append(own[h.Permission], h)
	}
	for _, s := range f.sources {
		if s.listed {
			for _, h := range s.gives {
				if !slices.Contains(listed[h.Permission], h) {
					listed[h.Permission] = append(listed[h.Permission], h)
				}
			}
		}
	}
	for _, list := range found {
		for _, b := range list {
			includes := func(o index.Holding) bool { return f.x.Includes(o, b.Holding) }
			b.Held = slices.ContainsFunc(own[b.Permission], includes)
			b.Listed = slices.ContainsFunc(listed[b.Permission], includes)
			out = append(out, b)
		}
	}
	slices.SortFunc(out, func(a, b Brick) int {
		return cmp.Or(strings.Compare(a.Permission, b.Permission), strings.Compare(a.Area, b.Area),
			strings.Compare(string(a.Reach), string(b.Reach)))
	})
	return out
}

// mostLooked is how many people of a population are looked at for one who does not hold something yet; after that, it
// is taken that there is one.
const mostLooked = 50

// told tells what a source gives whom.
func (f *finder) told(s *source, found wall) {
	if s.each != nil {
		f.toldEach(s, found)
		return
	}
	left := slices.Clone(s.gives)
	for _, p := range s.of {
		left = slices.DeleteFunc(left, func(h index.Holding) bool { return found.has(f, h, len(p.via)+1) })
		if p.fresh {
			left = slices.DeleteFunc(left, func(h index.Holding) bool {
				switch {
				case !f.needs[h.Permission]:
					found.add(f, Brick{Holding: h, Chain: s.chain(p, "")})
				case f.seat:
					found.add(f, Brick{Holding: h, Chain: f.seated(s.chain(p, ""), "")})
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
			last := n >= min(len(p.people)-1, 2*mostLooked)
			if (person == s.step.By || !f.able(person)) && len(p.people) > 1 && !last {
				continue // nobody acts on themselves
			}
			u, ok := f.d.Users.Find(person)
			if !ok {
				continue
			}
			lacks := f.lacksOf(u)
			left = slices.DeleteFunc(left, func(h index.Holding) bool {
				if n < mostLooked && f.has(person, h) {
					return false
				}
				switch {
				case len(lacks(h.Permission)) == 0:
					found.add(f, Brick{Holding: h, Person: person, Chain: s.chain(p, person)})
				case f.seat && last: // of all who were looked at, nobody has the licence
					found.add(f, Brick{Holding: h, Person: person, Chain: f.seated(s.chain(p, person), person)})
				default:
					return false
				}
				return true
			})
		}
	}
}

// toldEach tells what a source gives whom that gives everybody something else. Once all that a load could give anybody
// is told, nobody else is asked.
func (f *finder) toldEach(s *source, found wall) {
	for _, p := range s.of {
		for _, person := range p.people {
			u, ok := f.d.Users.Find(person)
			if !ok {
				continue
			}
			lacks := f.lacksOf(u)
			steps := len(p.via) + 1
			s.each(u, func(l *load, gives []index.Holding, may func(index.Holding) bool) {
				s.done.tell(l, gives, func(h index.Holding) bool {
					switch {
					case found.has(f, h, steps):
						return true
					case may != nil && !may(h) || f.has(person, h):
						return false
					}
					b := Brick{Holding: h, Person: person, Chain: s.chain(p, person)}
					if s.step.Action != delegation.Seat && len(lacks(h.Permission)) > 0 {
						if !f.seat {
							return false
						}
						b.Chain = f.seated(b.Chain, person)
					}
					found.add(f, b)
					return true
				})
			})
		}
	}
}

// seated puts before the last act of a way that the person is given a seat: by a delegation that covers them, if there
// is one.
func (f *finder) seated(chain []Step, person string) []Step {
	by := f.seats[person]
	for _, a := range f.actors {
		if by != nil {
			break
		}
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
	f.seats[person] = by
	n := len(chain) - 1
	return append(append(slices.Clone(chain[:n]), *by), chain[n])
}

// licensed tells whether somebody has the licences that a permission needs.
func (f *finder) licensed(person, permission string) bool {
	u, ok := f.d.Users.Find(person)
	return ok && len(f.lacksOf(u)(permission)) == 0
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
	u, there := f.d.Users.Find(person)
	if c.Unlimited != "" || there && f.has(person, h) {
		return true
	}
	includes := func(list []index.Holding) bool {
		return slices.ContainsFunc(list, func(o index.Holding) bool { return f.x.Includes(o, h) })
	}
	each := func(s *source) (does bool) {
		s.done.clear()
		s.each(u, func(_ *load, gives []index.Holding, may func(index.Holding) bool) {
			does = does || slices.ContainsFunc(gives, func(o index.Holding) bool {
				return f.x.Includes(o, h) && (may == nil || may(o))
			})
		})
		return does
	}
	for _, s := range f.sources {
		for _, p := range s.of {
			_, in := slices.BinarySearch(p.people, person)
			switch {
			case there && !in, !there && !p.fresh:
			case s.each != nil && (!there || !each(s)), s.each == nil && !includes(s.gives):
			case !f.needs[h.Permission], f.seat, there && f.licensed(person, h.Permission):
				return true
			}
		}
	}
	return false
}

package desk

import (
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fmt"
	"sync"
)

// holderCount is how many people a role, set or permission reaches.
func (s *sight) holderCount(kind model.Kind, id string) int {
	return counted(s, "holders "+string(kind)+" "+id, func() int { return s.index.HolderCount(kind, id, s.at) })
}

// countHolders counts the holders of many at once.
func (s *sight) countHolders(kind model.Kind, rows []entry) {
	fan.Out(len(rows), func(_, from, to int) {
		for _, e := range rows[from:to] {
			s.holderCount(kind, e.node.ID)
		}
	})
}

// seatsUsed counts the seats that people hold, by licence.
func (s *sight) seatsUsed() map[string]int {
	return counted(s, "seats", func() map[string]int { return change.SeatsUsed(s.design()) })
}

// atHome counts the people whose home lies in an area.
func (s *sight) atHome(area string) int {
	return counted(s, "at home", func() map[string]int {
		direct := map[string]int{}
		for _, u := range s.design().Users {
			if u.State != model.UserDeleted {
				direct[areaOr(s.index, u.Area)]++
			}
		}
		all := map[string]int{}
		for id, n := range direct {
			for range len(s.design().Areas) { // upward, to the root
				all[id] += n
				a, ok := s.design().Areas.Find(id)
				if !ok || a.Parent == "" {
					break
				}
				id = a.Parent
			}
		}
		return all
	})[area]
}

// grantsAt gives the assignments at an area itself.
func (s *sight) grantsAt(area string) []*model.Assignment {
	return counted(s, "grants by area", func() map[string][]*model.Assignment {
		all := map[string][]*model.Assignment{}
		for _, a := range s.design().Assignments {
			id := areaOr(s.index, a.Area)
			all[id] = append(all[id], a)
		}
		return all
	})[area]
}

// crowd is everybody, arranged so that a filter finds its people without looking at each.
type crowd struct {
	sync.Mutex
	*filter.Crowd
}

// matching gives what tells whether a filter over people matches somebody.
func (s *sight) matching(f *filter.Filter) func(e entry) bool {
	c := counted(s, "crowd", func() *crowd {
		d := s.design()
		people := make([]*filter.Person, len(d.Users))
		for i, u := range d.Users {
			people[i] = index.Person(d, u)
		}
		return &crowd{Crowd: filter.NewCrowd(people)}
	})
	c.Lock()
	defer c.Unlock()
	found := c.Match(f)
	return func(e entry) bool { return found.Test(e.place) }
}

// sorted gives all rows of a list in the order of a column.
func (s *sight) sorted(kind model.Kind, c column, down bool) []entry {
	return counted(s, fmt.Sprint("order ", kind, " ", c.id, " ", down), func() []entry {
		all := s.entries(kind)
		if c.id == "holders" {
			s.countHolders(kind, all)
		}
		return s.order(all, c, down)
	})
}

package view

import (
	"fmt"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// HolderCount is how many people a role, set or permission reaches.
func HolderCount(s *desk.Sight, kind model.Kind, id string) int {
	return desk.Counted(s, "holders "+string(kind)+" "+id, func() int { return s.Index.HolderCount(kind, id, s.At) })
}

// countHolders counts the holders of many at once.
func countHolders(s *desk.Sight, kind model.Kind, rows []desk.Entry) {
	fan.Out(len(rows), func(_, from, to int) {
		for _, e := range rows[from:to] {
			HolderCount(s, kind, e.Node.ID)
		}
	})
}

// AtHome counts the people whose home lies in an area.
func AtHome(s *desk.Sight, area string) int {
	return desk.Kept(s, "at home", []model.Kind{model.KindUser}, func() map[string]int {
		direct := map[string]int{}
		for _, u := range s.Design().Users {
			if u.State != model.UserDeleted {
				direct[desk.AreaOr(s.Index, u.Area)]++
			}
		}
		all := map[string]int{}
		for id, n := range direct {
			for range len(s.Design().Areas) { // upward, to the root
				all[id] += n
				a, ok := s.Design().Areas.Find(id)
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
func grantsAt(s *desk.Sight, area string) []*model.Assignment {
	return desk.Kept(s, "grants by area", nil, func() map[string][]*model.Assignment {
		all := map[string][]*model.Assignment{}
		for _, a := range s.Design().Assignments {
			id := desk.AreaOr(s.Index, a.Area)
			all[id] = append(all[id], a)
		}
		return all
	})[area]
}

// References gives what mentions something.
func References(s *desk.Sight, kind model.Kind, id string) []model.Reference {
	return desk.Kept(s, "references "+string(kind)+" "+id, nil, func() []model.Reference {
		return s.Design().References(kind, id)
	})
}

// crowdOf is everybody, arranged so that a filter finds its people without looking at each.
func crowdOf(s *desk.Sight) *filter.Crowd {
	return desk.Kept(s, "crowd", []model.Kind{model.KindUser}, func() *filter.Crowd {
		d := s.Design()
		people := make([]*filter.Person, len(d.Users))
		for i, u := range d.Users {
			people[i] = index.Person(d, u)
		}
		return filter.NewCrowd(people)
	})
}

// matching gives what tells whether a filter over people matches somebody.
func matching(s *desk.Sight, f *filter.Filter) func(e desk.Entry) bool {
	found := crowdOf(s).Match(f)
	return func(e desk.Entry) bool { return found.Test(e.Place) }
}

// sorted gives all rows of a list in the order of a column.
func sorted(s *desk.Sight, kind model.Kind, c column, down bool) []desk.Entry {
	if c.passing {
		return order(s, s.Entries(kind), c, down)
	}
	return desk.Counted(s, fmt.Sprint("order ", kind, " ", c.id, " ", down), func() []desk.Entry {
		all := s.Entries(kind)
		if c.id == "holders" {
			countHolders(s, kind, all)
		}
		return order(s, all, c, down)
	})
}

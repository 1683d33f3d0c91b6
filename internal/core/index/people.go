package index

import (
	"cmp"
	"maps"
	"slices"
	"sync"

	"fachwerk/internal/core/byid"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/sorted"
)

// builtIn is how many groups every design has without naming them.
const builtIn = 2

// everyone is the number of the group of all active users, public that of everybody, signed in or not.
func (x *Index) everyone() int { return len(x.design.Groups) }
func (x *Index) public() int   { return len(x.design.Groups) + 1 }

// matcher is the rule of a group; nil if there is none.
type matcher = *filter.Filter

// Person is what filters see of a user (§5).
func Person(d *model.Design, u *model.User) *filter.Person {
	area := u.Area
	if area == "" {
		area = d.Root()
	}
	p := &filter.Person{
		ID: u.ID, UserName: u.UserName, DisplayName: u.DisplayName, Email: u.Email, Title: u.JobTitle,
		Department: u.Department, UserType: u.UserType,
		Active: u.State == model.UserActive, Manager: u.Manager, Area: area, State: string(u.State), Licences: u.Licences,
	}
	for _, q := range u.Qualifications {
		p.Qualifications = append(p.Qualifications, filter.Qualification{Type: q.Type, Level: q.Level, Until: q.Until})
	}
	return p
}

// people brings the users up to date, but for what they are in and have been given.
func (u *update) people() {
	d, old := u.design.Users, u.old.design.Users
	if slices.Equal(d, old) {
		return
	}
	u.moved = model.MovesOf(old, d)
	if u.moved != nil {
		u.userOf = positions(d)
	}
	if u.moved != nil {
		u.Index.people = newPaged[person](len(d))
		for i, j := range u.moved {
			if j < 0 {
				continue
			}
			p := u.Index.people.edit(int(j))
			*p = *u.old.people.at(i)
			switch {
			case p.manager >= 0 && u.moved[p.manager] >= 0:
				p.manager = u.moved[p.manager]
			case p.manager != noManager:
				p.manager = u.managerOf(p.user)
			}
		}
	}
	u.stale = make([]bool, len(d))
	names := u.moved != nil
	u.seats = maps.Clone(u.seats)
	model.EachChange(old, d, func(i, j int) {
		if i >= 0 {
			old[i].TakeSeats(u.seats, -1)
		}
		if j < 0 {
			return
		}
		d[j].TakeSeats(u.seats, 1)
		user, p := d[j], u.Index.people.edit(j)
		p.user, p.active, p.timed = user, user.State == model.UserActive, !user.From.IsZero() || !user.Until.IsZero()
		p.profile = u.profile(user.Licences)
		p.manager = u.managerOf(user)
		u.stale[j] = true
		names = names || old[i].UserName != user.UserName || old[i].State != user.State
	})
	if names {
		u.names = newNames(d)
	}
}

// What stands for a manager whom the design does not have.
const (
	noManager = -1 // none is named
	unknown   = -2 // one is named, who may yet come
)

func (u *update) managerOf(user *model.User) int32 {
	if user.Manager == "" {
		return noManager
	}
	if m, ok := u.userOf.Find(user.Manager); ok {
		return int32(m)
	}
	return unknown
}

// names finds users by their user names. Few questions name people so, hence it is made when the first does.
type names func() map[string]int

func newNames(users model.Table[*model.User]) names {
	return sync.OnceValue(func() map[string]int {
		byName := make(map[string]int, len(users))
		for i, p := range users {
			if p.State != model.UserDeleted {
				byName[model.Fold(p.UserName)] = i
			}
		}
		return byName
	})
}

// groups brings the groups up to date, and who is in them.
func (u *update) groups() {
	d, old := u.design.Groups, u.old.design.Groups
	if u.stale == nil && slices.Equal(d, old) {
		return
	}
	if u.stale == nil { // the users are the same
		u.stale = make([]bool, u.Index.people.n)
	}
	shift := model.MovesOf(old, d)
	nested := u.placeGroups(shift)
	if nested {
		u.nest()
	}
	m := &members{update: u, shift: shift}
	m.gather()
	m.write()
	u.climb(shift, nested)
}

// placeGroups puts the groups in their new places, and tells whether nesting must be found anew.
func (u *update) placeGroups(shift model.Moves) (nested bool) {
	d, old := u.design.Groups, u.old.design.Groups
	if u.groupOf == nil || shift != nil {
		names := []string{model.Everyone, model.Public}
		u.groupOf = byid.New(len(d)+builtIn, func(i int) string {
			if i < len(d) {
				return d[i].ID
			}
			return names[i-len(d)]
		})
		nested = true
	}
	if shift != nil || u.moved != nil {
		u.moveGroups(shift)
	}
	model.EachChange(old, d, func(i, j int) {
		if j < 0 {
			return
		}
		g := u.Index.groups.edit(j)
		nested = nested || i >= 0 && !slices.Equal(old[i].Groups, d[j].Groups)
		if g.rule = nil; d[j].Type == model.Rule {
			g.rule, _ = filter.Parse(d[j].Rule) // a well-formed design has no faulty one
		}
	})
	return nested
}

// moveGroups writes all groups anew, where they or their members have moved.
func (u *update) moveGroups(shift model.Moves) {
	was, marks := &u.old.groups, u.marks
	n := len(u.design.Groups) + builtIn
	if u.Index.groups = newPaged[group](n); shift != nil {
		u.marks = make([]mark, n)
	}
	gap := n - was.n
	for i := range was.n {
		j := i + gap
		if i < was.n-builtIn {
			j = shift.To(i)
		}
		if j < 0 {
			continue
		}
		g := u.Index.groups.edit(j)
		*g, u.marks[j] = *was.at(i), marks[i]
		g.members = u.moved.List(g.members)
	}
	if shift == nil {
		return
	}
	shift = append(shift, int32(n-builtIn), int32(n-1))
	for j := range u.Index.people.n {
		p := u.Index.people.edit(j)
		p.direct, p.groups = shift.List(p.direct), shift.List(p.groups)
	}
}

// nest finds which groups are in which, and whose members that concerns.
func (u *update) nest() {
	groups := &u.Index.groups
	for i := range groups.n {
		g := groups.edit(i)
		g.parents, g.children = nil, nil
	}
	for i, g := range u.design.Groups {
		for _, child := range u.groupOf.All(g.Groups) {
			at, in := groups.edit(i), groups.edit(child)
			at.children, in.parents = append(at.children, int32(child)), append(in.parents, int32(i))
		}
	}
	done := make([]bool, groups.n)
	var climb func(i int) []int32
	climb = func(i int) []int32 {
		if !done[i] {
			done[i] = true
			above := []int32{int32(i)}
			for _, p := range groups.at(i).parents {
				above = append(above, climb(int(p))...)
			}
			slices.Sort(above)
			groups.edit(i).above = slices.Clip(slices.Compact(above))
		}
		return groups.at(i).above
	}
	for i := range groups.n {
		climb(i)
	}
}

// members finds out who comes into groups and who leaves.
type members struct {
	*update
	shift       model.Moves
	add, drop   []sorted.Entry[int32] // users, by their groups
	changed     []int32               // the users who are new or not the same
	isChanged   []bool                // of users
	crowd, rest func() *crowd         // of those, and of the others; made when a rule first looks for its people
}

// crowd is users among whom rules find theirs. Who is deleted is never found.
type crowd struct {
	users []int32
	*filter.Crowd
}

func (m *members) gather() {
	m.isChanged = slices.Clone(m.stale)
	for j, is := range m.isChanged {
		if is {
			m.changed = append(m.changed, int32(j))
		}
	}
	m.crowd = sync.OnceValue(func() *crowd { return m.crowdOf(m.changed) })
	m.rest = sync.OnceValue(func() *crowd {
		var unchanged []int32
		for j, is := range m.isChanged {
			if !is {
				unchanged = append(unchanged, int32(j))
			}
		}
		return m.crowdOf(unchanged)
	})
	d, old := m.design.Groups, m.old.design.Groups
	walk := model.EachPair[*model.Group]
	if len(m.changed) == 0 {
		walk = model.EachChange[*model.Group]
	}
	var asked []membership
	walk(old, d, func(i, j int) {
		if j < 0 {
			return
		}
		ask := func(changed bool, find func() []int32) {
			asked = append(asked, membership{group: int32(j), find: find, changed: changed})
		}
		same := i >= 0 && old[i] == d[j]
		rule := m.Index.groups.at(j).rule
		switch {
		case rule == nil && !same:
			ask(false, func() []int32 { return listed(m.userOf, d[j]) })
		case rule == nil && m.moved != nil:
			// Who is new may be listed already.
			if len(m.changed) > 0 && len(m.Index.groups.at(j).members) < len(d[j].Users) {
				ask(false, func() []int32 { return listed(m.userOf, d[j]) })
			}
		case rule != nil:
			if i < 0 || old[i].Rule != d[j].Rule || old[i].Type != d[j].Type {
				ask(false, func() []int32 { return m.found(rule, true) })
			} else if len(m.changed) > 0 {
				ask(true, func() []int32 { return m.found(rule, false) })
			}
		}
	})
	fan.Out(len(asked), func(_, from, to int) {
		for k := range asked[from:to] {
			a := &asked[from+k]
			if a.should, a.has = a.find(), m.Index.groups.at(int(a.group)).members; a.changed {
				a.has = m.changedOf(a.has)
			}
		}
	})
	for k := range asked {
		m.compare(int(asked[k].group), asked[k].should, asked[k].has)
		asked[k] = membership{} // of a million people, these lists are long
	}
	m.crowd, m.rest = nil, nil // so is the crowd
	var active []int32
	for _, j := range m.changed {
		if m.Index.people.at(int(j)).active {
			active = append(active, j)
		}
	}
	m.compare(m.everyone(), active, m.changedOf(m.Index.groups.at(m.everyone()).members))
	m.compare(m.public(), m.changed, m.changedOf(m.Index.groups.at(m.public()).members))
}

// membership is a group of which the members are found anew: all of them, or those among the users who changed.
type membership struct {
	group       int32
	changed     bool
	find        func() []int32
	should, has []int32
}

// listed is the users whom a group lists, sorted.
func listed(userOf *byid.Numbers, g *model.Group) []int32 {
	if g.Type == model.Rule {
		return nil
	}
	out := make([]int32, 0, len(g.Users))
	for _, id := range g.Users {
		if u, ok := userOf.Find(id); ok {
			out = append(out, int32(u))
		}
	}
	if !slices.IsSorted(out) {
		slices.Sort(out)
	}
	return slices.Compact(out)
}

// compare notes what differs between the members that a group should have and those that it has.
func (m *members) compare(group int, should, has []int32) {
	g := int32(group)
	for len(should) > 0 || len(has) > 0 {
		switch {
		case len(has) == 0 || len(should) > 0 && should[0] < has[0]:
			m.add = append(m.add, sorted.Entry[int32]{At: g, Item: should[0]})
			should = should[1:]
		case len(should) == 0 || has[0] < should[0]:
			m.drop = append(m.drop, sorted.Entry[int32]{At: g, Item: has[0]})
			has = has[1:]
		default:
			should, has = should[1:], has[1:]
		}
	}
}

// changedOf gives those of some users who are new or not the same.
func (m *members) changedOf(users []int32) (out []int32) {
	if len(m.changed) < 64 {
		for _, j := range m.changed {
			if _, in := slices.BinarySearch(users, j); in {
				out = append(out, j)
			}
		}
		return out
	}
	for _, j := range users {
		if m.isChanged[j] {
			out = append(out, j)
		}
	}
	return out
}

// found gives those whom a rule finds among the changed users, or among all.
func (m *members) found(rule *filter.Filter, all bool) []int32 {
	out := m.crowd().matching(rule)
	if !all || len(m.changed) == len(m.isChanged) {
		return out
	}
	out = append(out, m.rest().matching(rule)...)
	slices.Sort(out)
	return out
}

func (m *members) crowdOf(users []int32) *crowd {
	c := &crowd{users: make([]int32, 0, len(users))}
	people := make([]*filter.Person, 0, len(users))
	for _, j := range users {
		if u := m.design.Users[j]; u.State != model.UserDeleted {
			c.users, people = append(c.users, j), append(people, Person(m.design, u))
		}
	}
	c.Crowd = filter.NewCrowd(people)
	return c
}

func (c *crowd) matching(rule *filter.Filter) []int32 {
	var out []int32
	c.Each(rule, func(i int) { out = append(out, c.users[i]) })
	return out
}

// write writes the changes into the lists of both sides.
func (m *members) write() {
	for _, list := range [][]sorted.Entry[int32]{m.add, m.drop} {
		for _, l := range list {
			m.stale[l.Item] = true
		}
	}
	// The links stand by group; turned round, by user.
	turned := func(links []sorted.Entry[int32]) []sorted.Entry[int32] {
		out := make([]sorted.Entry[int32], len(links))
		for k, l := range links {
			out[k] = sorted.Entry[int32]{At: l.Item, Item: l.At}
		}
		return out
	}
	sorted.Splice(
		m.Index.people.n,
		func(i int) *[]int32 { return &m.Index.people.edit(i).direct },
		turned(m.drop),
		turned(m.add),
		cmp.Compare[int32],
	)
	sorted.Splice(
		m.Index.groups.n,
		func(i int) *[]int32 { return &m.Index.groups.edit(i).members },
		m.drop,
		m.add,
		cmp.Compare[int32],
	)
}

// climb gathers all groups of the users of whom these can have changed, and counts the members of groups anew.
func (u *update) climb(shift model.Moves, nested bool) {
	groups, people := &u.Index.groups, &u.Index.people
	if nested {
		byNew := make([]int32, groups.n) // where a group was
		for j := range byNew {
			byNew[j] = -1
		}
		for i := range u.old.groups.n {
			j := i + groups.n - u.old.groups.n
			if i < u.old.groups.n-builtIn {
				j = shift.To(i)
			}
			if j >= 0 {
				byNew[j] = int32(i)
			}
		}
		all := append(slices.Clone(shift), int32(u.everyone()), int32(u.public()))
		for j := range groups.n {
			i := byNew[j]
			if i >= 0 {
				above := u.old.groups.at(int(i)).above
				if shift != nil {
					above = model.Moves(all).List(above)
				}
				if slices.Equal(above, groups.at(j).above) {
					continue
				}
			}
			for _, p := range groups.at(j).members {
				u.stale[p] = true
			}
		}
	}
	u.leaveGone(shift)
	var was [][]int32
	var stale []int32
	for j, is := range u.stale {
		if is {
			stale = append(stale, int32(j))
			was = append(was, people.edit(j).groups) // edited here, since several write below at once
		}
	}
	grown := make([][]int32, fan.Parts()) // by how many members groups have grown
	fan.Out(len(stale), func(part, from, to int) {
		if from == to {
			return
		}
		by := make([]int32, groups.n)
		seen := sorted.NewNumbers(groups.n)
		var memory []int32
		for k, j := range stale[from:to] {
			for _, d := range people.at(int(j)).direct {
				for _, g := range groups.at(int(d)).above {
					seen.Add(g)
				}
			}
			memory = seen.Drain(memory[:0])
			people.at(int(j)).groups = slices.Clone(memory)
			for _, g := range was[from+k] {
				by[g]--
			}
			for _, g := range memory {
				by[g]++
			}
		}
		grown[part] = by
	})
	for _, by := range grown {
		for g, n := range by {
			if n != 0 {
				groups.edit(g).size += n
			}
		}
	}
	u.countGone(shift)
}

// leaveGone marks the members of groups that are no more: they have left what these were in, too.
func (u *update) leaveGone(shift model.Moves) {
	for i, j := range shift {
		if j >= 0 {
			continue
		}
		for _, p := range u.moved.List(u.old.groups.at(int(i)).members) {
			u.stale[p] = true
		}
	}
}

// countGone takes the users who are no more out of the sizes of groups.
func (u *update) countGone(shift model.Moves) {
	if u.moved == nil {
		return
	}
	gap := u.Index.groups.n - u.old.groups.n
	for i, j := range u.moved {
		if j >= 0 {
			continue
		}
		for _, g := range u.old.people.at(int(i)).groups {
			at := int(g) + gap
			if int(g) < len(u.old.design.Groups) {
				at = shift.To(int(g))
			}
			if at >= 0 {
				u.Index.groups.edit(at).size--
			}
		}
	}
}

package change

import (
	"maps"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// PersonImpact is how much one person gains and loses; [Impact.Tell] tells what.
type PersonImpact struct {
	User         string
	Gained, Lost int
	Sum          index.Sum // stands for exactly what is gained and lost
}

// ConflictImpact is a conflict that a person comes to break, or no longer breaks.
type ConflictImpact struct {
	User     string
	Conflict string
	Items    []model.Item
	Cleared  bool
	Excepted bool
}

// Short is a licence of which a change takes more seats than there are, or lacks one for somebody.
type Short struct {
	Licence string
	Seats   *int // nil: unlimited
	Used    int
	// Waiting are all from whom the change withholds something, since they lack the licence.
	Waiting []string
}

// Impact is the difference that a change makes to effective permissions, and what hangs on them (§10).
type Impact struct {
	People      []PersonImpact // those who gain or lose anything, by id
	Gaining     int            // how many people gain something
	Losing      int            // how many lose something
	Conflicts   []ConflictImpact
	Licences    []Short
	Spare       map[string]int // of licences: how many keep a seat of which nothing they hold has need any longer
	Delegations []string       // those that mention something that the change touches
	Lockout     bool           // the change would take away the last live owner

	before, after *index.Index
	at            time.Time
}

// Tell tells what some people gain and lose, in their order. It costs what these are concerned by: what a change of
// everything would give and take is more than can be kept.
func (im *Impact) Tell(users ...string) []index.Told {
	if len(users) == 0 {
		return nil
	}
	return index.Tell(im.before, im.after, users, im.at)
}

// ImpactOf compares a design before and after a change, at t. What somebody held already by a wider grant is no gain,
// and what a wider grant still gives is no loss.
func ImpactOf(before, after *index.Index, ops []Op, t time.Time) *Impact {
	return impactOf(before, after, ops, t, index.Differences)
}

// CountsOf is [ImpactOf] without sums, for who has no need to tell one impact from another.
func CountsOf(before, after *index.Index, ops []Op, t time.Time) *Impact {
	return impactOf(before, after, ops, t, index.Counts)
}

func impactOf(
	before, after *index.Index, ops []Op, t time.Time,
	compared func(before, after *index.Index, watched []string, t time.Time) ([]index.Difference, []string),
) *Impact {
	im := &Impact{
		Lockout:     len(before.Owners(t)) > 0 && len(after.Owners(t)) == 0,
		Delegations: delegationsTouched(before.Design(), after.Design(), ops),
		Spare:       map[string]int{},
		before:      before,
		after:       after,
		at:          t,
	}
	waiting := map[string][]string{}
	var watched []string // people whose conflicts can have changed
	differences, touched := compared(before, after, conflictItems(before.Design(), after.Design()), t)
	for _, d := range differences {
		if d.Gained > 0 {
			im.Gaining++
		}
		if d.Lost > 0 {
			im.Losing++
			im.spare(before, after, d.User, t)
		}
		if d.Gained+d.Lost > 0 {
			im.People = append(im.People, PersonImpact{d.User, d.Gained, d.Lost, d.Sum})
		}
		for _, l := range d.Waits {
			waiting[l] = append(waiting[l], d.User)
		}
		if d.Watched {
			watched = append(watched, d.User)
		}
	}
	im.conflicts(before, after, watched, touched, t)
	im.licences(before, after, waiting)
	return im
}

// conflictItems are the permissions that conflicts name.
func conflictItems(designs ...*model.Design) (keys []string) {
	for _, d := range designs {
		for _, c := range d.Conflicts {
			for _, i := range c.Items {
				if i.Permission != "" {
					keys = append(keys, i.Permission)
				}
			}
		}
	}
	return keys
}

// conflicts tells what people come to break, or no longer do. Watched are the people whose conflicts can have changed,
// touched the permissions that they can hold otherwise.
func (im *Impact) conflicts(before, after *index.Index, watched, touched []string, t time.Time) {
	b, a := before.Design().Conflicts, after.Design().Conflicts
	// A conflict that stays as it was concerns those whose permissions change; of others, everybody is asked. So it is
	// of one whose items meet by area, when areas come to lie elsewhere.
	moved := !slices.EqualFunc(before.Design().Areas, after.Design().Areas, func(o, p *model.Area) bool {
		return o.ID == p.ID && o.Parent == p.Parent
	})
	stay, went := apart(b, a, moved)
	_, came := apart(a, b, moved)
	stay = slices.DeleteFunc(stay, func(c *model.Conflict) bool {
		return !slices.ContainsFunc(c.Items, func(i model.Item) bool {
			_, is := slices.BinarySearch(touched, i.Permission)
			return is || i.Role != ""
		})
	})
	was, is := violations(before, stay, went, watched, t), violations(after, stay, came, watched, t)
	both := maps.Clone(was)
	maps.Copy(both, is)
	for _, id := range slices.Sorted(maps.Keys(both)) {
		tell := func(list, others []duty.Violation, cleared bool) {
			for _, v := range list {
				same := func(o duty.Violation) bool { return o.Conflict == v.Conflict && o.Excepted == v.Excepted }
				if !slices.ContainsFunc(others, same) {
					im.Conflicts = append(im.Conflicts, ConflictImpact{id, v.Conflict, v.Items, cleared, v.Excepted})
				}
			}
		}
		tell(is[id], was[id], false)
		tell(was[id], is[id], true)
	}
}

// apart gives those of some conflicts that others have just so, and the rest; to which those belong whose items meet
// by area, if areas have moved.
func apart(some, others model.Table[*model.Conflict], moved bool) (both, rest []*model.Conflict) {
	for _, c := range some {
		if o, ok := others.Find(c.ID); ok && o == c && (!moved || c.Where == model.Anywhere) {
			both = append(both, c)
		} else {
			rest = append(rest, c)
		}
	}
	return both, rest
}

// violations gives what people break, by person and then by conflict: of some conflicts those who are watched, of
// others everybody.
func violations(
	x *index.Index, some, others []*model.Conflict, watched []string, t time.Time,
) map[string][]duty.Violation {
	list := duty.Among(x, others, t)
	if len(some) > 0 && len(watched) > len(x.Design().Users)/20 { // then to find all of them takes less
		list = append(list, duty.Among(x, some, t)...)
	} else if len(some) > 0 && len(watched) > 0 {
		l := duty.LookFor(x, some, t)
		for _, id := range watched {
			list = append(list, l.Of(id)...)
		}
	}
	slices.SortStableFunc(list, func(v, w duty.Violation) int { return strings.Compare(v.Conflict, w.Conflict) })
	out := map[string][]duty.Violation{}
	for _, v := range list {
		out[v.User] = append(out[v.User], v)
	}
	return out
}

// licences tells of pools that the change overdraws, and of people whom it leaves without a licence that they need.
func (im *Impact) licences(before, after *index.Index, waiting map[string][]string) {
	more := SeatsMore(before, after)
	if len(waiting) == 0 && len(more) == 0 {
		return
	}
	used := after.SeatsUsed()
	for _, l := range after.Design().Licences {
		over := l.Seats != nil && used[l.ID] > *l.Seats && more[l.ID] > 0
		if over || len(waiting[l.ID]) > 0 {
			im.Licences = append(im.Licences, Short{l.ID, l.Seats, used[l.ID], waiting[l.ID]})
		}
	}
}

// spare counts the seats that somebody keeps and needs no longer.
func (im *Impact) spare(before, after *index.Index, user string, t time.Time) {
	u, ok := after.Design().Users.Find(user)
	if !ok || len(u.Licences) == 0 || !after.Live(user, t) {
		return
	}
	needed, needs := before.Uses(user, t), after.Uses(user, t)
	for _, l := range u.Licences {
		if slices.Contains(needed, l) && !slices.Contains(needs, l) {
			im.Spare[l]++
		}
	}
}

// SeatsMore gives by how many seats more or fewer are used of each licence of which that is so.
func SeatsMore(before, after *index.Index) map[string]int {
	more := maps.Clone(after.SeatsUsed())
	for l, n := range before.SeatsUsed() {
		more[l] -= n
	}
	maps.DeleteFunc(more, func(_ string, n int) bool { return n == 0 })
	return more
}

// delegationsTouched gives the delegations that a change alters, or that name something that it does.
func delegationsTouched(before, after *model.Design, ops []Op) []string {
	touched := make(map[object]bool, len(ops))
	for _, o := range ops {
		touched[object{o.Kind, o.ID}] = true
	}
	found := map[string]bool{}
	for _, d := range []*model.Design{before, after} {
		for _, g := range d.Delegations {
			found[g.ID] = found[g.ID] || touched[object{model.KindDelegation, g.ID}]
			for _, kind := range model.Kinds {
				model.EachMention(g, kind, func(_, id string) { found[g.ID] = found[g.ID] || touched[object{kind, id}] })
			}
		}
	}
	maps.DeleteFunc(found, func(_ string, is bool) bool { return !is })
	return slices.Sorted(maps.Keys(found))
}

// Package generate makes up organisations of any size, to measure on. Their shapes are those of real life: few
// groups are large and many small, groups nest up to eight deep, colleagues are in the same groups, roles build on
// roles, some people are found by rules, and much is limited to a place or a time.
package generate

import (
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
	"fachwerk/internal/exchange/modelfile"
)

// Options say what organisation is wanted. The same options always give the same one.
type Options struct {
	Users int // how many people; at least 1
	Seed  uint64
	// Planted is how many roles people hold what they hold by, though nothing in the design says so: all of it is given
	// by hand. 0: an organisation as usual.
	Planted int
	// Noise is which share of what each person holds by planted roles is left out, and added of something else.
	Noise float64
}

// Day is the day around which validities lie.
var Day = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

// Write writes a model file of the organisation, in canonical form. Of its people, memberships and assignments no
// more than one is in memory at a time.
func Write(out io.Writer, o Options) error {
	g := plan(o)
	w := modelfile.NewWriter(out, g.name())
	if o.Planted > 0 {
		g.planted(w.Add)
	} else {
		g.all(w.Add)
	}
	return w.Close()
}

// PlantedDesign gives an organisation in which roles are planted as a design, with what each of these roles gives.
func PlantedDesign(o Options) (*model.Design, [][]string) {
	g := plan(o)
	d := &model.Design{Organisation: &model.Organisation{Name: g.name()}}
	truth := g.planted(d.Add)
	return model.Build(d), truth
}

// Design gives the organisation as a design.
func Design(o Options) *model.Design {
	g := plan(o)
	d := &model.Design{Organisation: &model.Organisation{Name: g.name()}}
	g.all(d.Add)
	return model.Build(d)
}

// generator knows the sizes, and the relations that several kinds of object tell of.
type generator struct {
	Options
	systems, licences, sets, roles, areas, groups int

	setSystem []int   // of sets: the system that most of it is of
	layer     []uint8 // of groups: how deep what it nests goes
	nests     [][]int // of groups: the groups that it lists
	rules     []int   // of groups: the number of its rule, or -1
}

// The fixed shapes.
const (
	permissionsEach = 40 // of a system: eight objects with five actions
	depth           = 8  // of groups
	titles          = 240
	teamsEach       = 3 // memberships listed for a person, on average
)

func plan(o Options) *generator {
	n := max(o.Users, 1)
	g := &generator{
		Options: Options{n, o.Seed, o.Planted, o.Noise},
		systems: within(n/330, 4, 300),
		sets:    within(n/25, 12, 4000),
		roles:   within(n/33, 12, 3000),
		areas:   within(n/200, 8, 500),
		groups:  max(n/5, 16),
	}
	g.licences = max(g.systems/5, 2)
	r := g.random("plan")
	g.setSystem = make([]int, g.sets)
	for i := range g.setSystem {
		g.setSystem[i] = i * g.systems / g.sets // so that supplied sets stand by their systems
	}
	g.layer, g.nests, g.rules = make([]uint8, g.groups), make([][]int, g.groups), make([]int, g.groups)
	byLayer := make([][]int, depth)
	for i := range g.layer {
		// Three in five list people only; each layer above has fewer.
		l := uint8(0)
		for l < depth-1 && r.Float64() < 0.4 {
			l++
		}
		g.layer[i], g.rules[i] = l, -1
		if l == 0 && r.IntN(30) == 0 {
			g.rules[i] = i
		}
		byLayer[l] = append(byLayer[l], i)
	}
	for l := range depth - 1 {
		if len(byLayer[l+1]) == 0 {
			continue
		}
		for _, i := range byLayer[l] {
			for range []int{0, 1, 1, 1, 1, 1, 1, 1, 1, 1}[r.IntN(10)] {
				above := byLayer[l+1][skewed(r, len(byLayer[l+1]))]
				if !slices.Contains(g.nests[above], i) {
					g.nests[above] = append(g.nests[above], i)
				}
			}
		}
	}
	return g
}

func within(n, least, most int) int { return min(max(n, least), most) }

// skewed draws a number below n, small ones far more often.
func skewed(r *rand.Rand, n int) int { return int(float64(n) * math.Pow(r.Float64(), 1.6)) }

// random gives the source of chance of one kind of thing, so that each can be made without the others.
func (g *generator) random(what string) *rand.Rand {
	h := uint64(14695981039346656037)
	for _, c := range []byte(what) {
		h = (h ^ uint64(c)) * 1099511628211
	}
	return rand.New(rand.NewPCG(g.Seed, h))
}

func (g *generator) name() string {
	return "Skerryhaven, with " + strconv.Itoa(g.Users) + " people"
}

// id is the id of a thing by its number, such that ids sort as numbers do.
func id(prefix string, i, n int) string {
	return fmt.Sprintf("%s%0*d", prefix, len(strconv.Itoa(n-1)), i)
}

func (g *generator) userID(i int) string    { return id("p", i, g.Users) }
func (g *generator) groupID(i int) string   { return id("g", i, g.groups) }
func (g *generator) roleID(i int) string    { return id("r", i, g.roles) }
func (g *generator) setID(i int) string     { return id("s", i, g.sets) }
func (g *generator) areaID(i int) string    { return id("a", i, g.areas) }
func (g *generator) systemID(i int) string  { return id("y", i, g.systems) }
func (g *generator) licenceID(i int) string { return id("l", i, g.licences) }

// place is an area as objects mention it: not at all if it is the root.
func (g *generator) place(i int) string {
	if i == 0 {
		return ""
	}
	return g.areaID(i)
}

func (g *generator) all(add func(model.Object)) {
	for i := range g.licences {
		l := &model.Licence{ID: g.licenceID(i), Name: "Licence " + strconv.Itoa(i)}
		if i%4 == 3 {
			l.Covers = []string{g.licenceID(i - 1)}
		}
		add(l)
	}
	for i := range g.areas {
		a := &model.Area{ID: g.areaID(i), Name: "Area " + strconv.Itoa(i)}
		if i > 0 {
			a.Parent = g.areaID((i - 1) / 6)
		}
		add(a)
	}
	for i := range g.systems {
		add(g.system(i))
	}
	g.eachSet(add)
	g.eachRole(add)
	g.eachGroup(add)
	g.eachUser(add)
	g.eachAssignment(add)
	for i := range within(g.Users/500, 4, 40) {
		c := &model.Conflict{
			ID:    id("c", i, 40),
			Name:  "Conflict " + strconv.Itoa(i),
			Items: []model.Item{{Permission: g.key(i%g.systems, 1, 1)}, {Permission: g.key((i+1)%g.systems, 2, 2)}},
		}
		if i%3 == 2 {
			c.Where = model.Anywhere
		}
		add(c)
	}
	for i := range within(g.Users/500, 4, 40) {
		days := 90
		add(
			&model.Delegation{
				ID:       id("d", i, 40),
				Name:     "Delegation " + strconv.Itoa(i),
				Delegate: model.Subject{Group: g.groupID(i * 7 % g.groups)},
				People:   model.People{Area: g.areaID((i + 1) % g.areas)},
				Actions: []string{
					"assign",
					"revoke",
				},
				Roles:   []string{g.roleID(i * 11 % g.roles)},
				Area:    g.place((i + 1) % g.areas),
				MaxDays: &days,
			},
		)
	}
}

var actions = []struct {
	name    string
	class   model.Class
	risk    int
	span    model.Span
	implies []int
}{
	{"adjust", model.Write, 0, "", []int{4}},
	{"administer", model.Admin, 3, model.SpanOrganisation, []int{0, 2}},
	{"approve", model.Write, 2, "", []int{4}},
	{"export", model.Read, 1, "", []int{4}},
	{"view", model.Read, 0, "", nil},
}

func (g *generator) key(system, object, action int) string {
	return g.systemID(system) + ":object" + strconv.Itoa(object) + ":" + actions[action].name
}

func (g *generator) system(i int) *model.System {
	s := &model.System{ID: g.systemID(i), Name: "System " + strconv.Itoa(i), Version: "1.0"}
	if i%5 < 3 {
		s.Licence = g.licenceID(i % g.licences)
	}
	for object := range permissionsEach / len(actions) {
		for _, a := range actions {
			p := &model.Permission{
				Key:    s.ID + ":object" + strconv.Itoa(object) + ":" + a.name,
				Module: "Module " + strconv.Itoa(object/4),
				Class:  a.class,
				Risk:   a.risk,
				Span:   a.span,
			}
			for _, j := range a.implies {
				p.Implies = append(p.Implies, g.key(i, object, j))
			}
			if a.class == model.Admin && i%7 == 0 {
				p.Licence = g.licenceID((i + 3) % g.licences)
			}
			s.Permissions = append(s.Permissions, p)
		}
	}
	return s
}

// keys draws permissions of a system.
func (g *generator) keys(r *rand.Rand, system, count int) (out []string) {
	for range count {
		action := []int{4, 4, 4, 4, 4, 0, 0, 2, 3, 1}[r.IntN(10)]
		out = append(out, g.key(system, r.IntN(permissionsEach/len(actions)), action))
	}
	return sorted(out)
}

func sorted(list []string) []string {
	slices.Sort(list)
	return slices.Compact(list)
}

func (g *generator) eachSet(add func(model.Object)) {
	r := g.random("sets")
	for i := range g.sets {
		s := &model.Set{
			ID:          g.setID(i),
			Name:        "Set " + strconv.Itoa(i),
			Permissions: g.keys(r, g.setSystem[i], 3+r.IntN(12)),
		}
		if i%3 == 0 {
			s.System, s.Version = g.systemID(g.setSystem[i]), "1.0"
		} else if r.IntN(4) == 0 {
			s.Permissions = sorted(append(s.Permissions, g.keys(r, r.IntN(g.systems), 4)...))
		}
		if r.IntN(100) == 0 {
			s.State = model.Retired
		}
		add(s)
	}
}

func (g *generator) eachRole(add func(model.Object)) {
	r := g.random("roles")
	for i := range g.roles {
		role := &model.Role{ID: g.roleID(i), Name: "Role " + strconv.Itoa(i)}
		for range 1 + r.IntN(4) {
			role.Sets = append(role.Sets, g.setID(r.IntN(g.sets)))
		}
		// A role of a later quarter builds on one or two of the quarter before, so that they inherit at most three deep.
		if quarter := 4 * i / g.roles; quarter > 0 {
			for range r.IntN(3) {
				role.Inherits = append(role.Inherits, g.roleID(g.roles*(quarter-1)/4+r.IntN(max(g.roles/4, 1))))
			}
		}
		if r.IntN(5) == 0 {
			role.Permissions = g.keys(r, r.IntN(g.systems), 2)
		}
		if r.IntN(10) == 0 {
			role.Excludes = g.keys(r, r.IntN(g.systems), 3)
		}
		if r.IntN(100) == 0 {
			role.State = model.Retired
		}
		role.Sets, role.Inherits = sorted(role.Sets), sorted(role.Inherits)
		add(role)
	}
}

func (g *generator) eachGroup(add func(model.Object)) {
	r := g.random("groups")
	for i := range g.groups {
		o := &model.Group{ID: g.groupID(i), Name: "Group " + strconv.Itoa(i)}
		if i%9 == 0 {
			o.Source = model.Directory
		}
		if g.rules[i] >= 0 {
			o.Type, o.Rule = model.Rule, g.rule(r)
			add(o)
			continue
		}
		for _, c := range g.nests[i] {
			o.Groups = append(o.Groups, g.groupID(c))
		}
		slices.Sort(o.Groups)
		// Sizes follow a power law. Most members are neighbours of one another: a team.
		size := min(int(float64(teamsEach)*5/3*math.Pow(1-r.Float64(), -1/1.5)), max(g.Users/8, 1))
		at := r.IntN(g.Users)
		for range size {
			u := at + r.IntN(3*size+1)
			if r.IntN(8) == 0 {
				u = r.IntN(g.Users)
			}
			o.Users = append(o.Users, g.userID(u%g.Users))
		}
		o.Users = sorted(o.Users)
		add(o)
	}
}

func (g *generator) rule(r *rand.Rand) string {
	department, title := r.IntN(g.areas), r.IntN(titles)
	switch r.IntN(10) {
	case 0:
		return fmt.Sprintf(`qualifications[type eq "skill %d" and level ge %d]`, r.IntN(40), 1+r.IntN(5))
	case 1:
		return fmt.Sprintf(`userType eq "contractor" and area eq "%s"`, g.areaID(department))
	case 2:
		return fmt.Sprintf(`department eq "Department %d" or title eq "Title %d"`, department, title)
	case 3:
		return fmt.Sprintf(`department eq "Department %d" and not (title sw "Title 1")`, department)
	case 4, 5, 6:
		return fmt.Sprintf(`title eq "Title %d" and active eq true`, title)
	}
	return fmt.Sprintf(`department eq "Department %d" and title sw "Title %d"`, department, title%100)
}

func (g *generator) eachUser(add func(model.Object)) {
	r := g.random("users")
	for i := range g.Users {
		area := i * g.areas / g.Users
		u := &model.User{
			ID:          g.userID(i),
			DisplayName: demo.PersonName(i),
			JobTitle:    "Title " + strconv.Itoa(skewed(r, titles)),
			Department:  "Department " + strconv.Itoa(area),
			UserType:    "employee",
			Area:        g.place(area),
		}
		u.UserName = u.ID + "@skerryhaven.example"
		u.Email = u.UserName
		if i > 0 {
			u.Manager = g.userID((i - 1) / 8)
		}
		if r.IntN(12) == 0 {
			u.UserType = "contractor"
			u.Until = Day.AddDate(0, 0, r.IntN(400)-60)
		}
		switch r.IntN(60) {
		case 0, 1:
			u.State = model.UserDeactivated
		case 2:
			u.State = model.UserLocked
		case 3:
			u.State = model.UserInvited
		}
		for k := range r.IntN(4) {
			l := (area + k) % g.licences // a department works with the same systems
			if r.IntN(6) == 0 {
				l = r.IntN(g.licences)
			}
			u.Licences = append(u.Licences, g.licenceID(l))
		}
		u.Licences = sorted(u.Licences)
		if r.IntN(8) == 0 {
			level := float64(1 + r.IntN(5))
			u.Qualifications = []model.Qualification{{Type: "skill " + strconv.Itoa(r.IntN(40)), Level: &level}}
		}
		add(u)
	}
}

func (g *generator) eachAssignment(add func(model.Object)) {
	r := g.random("assignments")
	byHand := g.Users / 5
	// Four for each group and some by hand, as many in all as there are people.
	total, given := 2+4*g.groups+byHand, 0
	give := func(s model.Subject) {
		a := &model.Assignment{ID: id("n", given, total), Subject: s}
		given++
		if r.IntN(7) == 0 {
			a.Set = g.setID(r.IntN(g.sets))
		} else {
			a.Role = g.roleID(skewed(r, g.roles))
		}
		if r.IntN(10) >= 3 {
			a.Area = g.areaID(1 + r.IntN(max(g.areas-1, 1)))
		}
		switch r.IntN(20) {
		case 0, 1:
			a.Reach = model.ReachLine
		case 2:
			a.Reach = model.ReachOwn
		case 3, 4:
			a.Mode = model.ReadOnly
		case 5:
			a.Until = Day.AddDate(0, 0, r.IntN(500)-100)
		case 6:
			a.From = Day.AddDate(0, 0, r.IntN(300)-250)
		}
		add(a)
	}
	give(model.Subject{Group: model.Everyone})
	give(model.Subject{Group: model.Public})
	for i := range g.groups {
		for range 4 {
			give(model.Subject{Group: g.groupID(i)})
		}
	}
	for range byHand {
		give(model.Subject{User: g.userID(r.IntN(g.Users))})
	}
}

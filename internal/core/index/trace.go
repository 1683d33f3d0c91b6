package index

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/model"
)

// Step is one joint of a way from a person to a permission.
type Step struct {
	Kind model.Kind // user, group, assignment, role, set, or "permission"
	ID   string
	Name string
	// Blocked says why nothing passes here, in a word; empty on a way that carries.
	Blocked Obstacle
}

// KindPermission is the kind of a step that is a permission.
const KindPermission model.Kind = "permission"

// Way is one chain by which a permission reaches a person (§7): person, groups, assignment, roles, set, and the
// permission, at the end of those that imply it.
type Way struct {
	Steps      []Step
	Assignment *model.Assignment
}

// MaxWays bounds how many ways a trace lists; a wild design can have more than anybody could read.
const MaxWays = 500

// Trace gives every way by which a permission effectively reaches a person at t, or [Anonymous]; shortest ways
// first. If r is not nil, only ways that count for that record. cut tells that there are more than [MaxWays].
func (x *Index) Trace(user, permission string, r *Record, t time.Time) (ways []Way, cut bool) {
	u, ok := x.user(user)
	p, known := x.permissionOf.Find(permission)
	if !ok || !known || u != nobody && !x.live(u, t) || !x.licensed(u).Test(uint(p)) {
		return nil, false
	}
	w := &walker{Index: x, permission: p, most: MaxWays}
	for _, g := range x.grantList(u) {
		if !x.carries(g, p) || !g.in(t) || u == nobody && g.Reach != model.ReachArea ||
			r != nil && !x.counts(g, u, *r) {
			continue
		}
		w.ways(u, g)
	}
	slices.SortStableFunc(w.found, func(a, b Way) int { return cmp.Compare(len(a.Steps), len(b.Steps)) })
	return w.found, w.cut
}

func (x *Index) grantList(u int) (list []*grant) {
	x.grantsOf(u, func(g *grant) bool { list = append(list, g); return true })
	return list
}

// counts tells whether a grant's area and reach include a record that u asks for.
func (x *Index) counts(g *grant, u int, r Record) bool {
	area, ok := x.area(r.Area)
	owner := nobody
	if r.Owner != "" {
		i, known := x.userOf.Find(r.Owner)
		if !known {
			return false
		}
		owner = i
	}
	return ok && x.covers(g.area, area) && x.reaches(g.wide, u, owner)
}

// walker enumerates ways. If loose, it passes through exclusions and retired roles and sets too, and marks them.
type walker struct {
	*Index
	permission int
	loose      bool
	most       int
	found      []Way
	cut        bool
}

func (w *walker) add(steps []Step, a *model.Assignment) bool {
	if len(w.found) >= w.most {
		w.cut = true
		return false
	}
	w.found = append(w.found, Way{slices.Clone(steps), a})
	return true
}

// ways adds every way from u to the permission through one grant.
func (w *walker) ways(u int, g *grant) {
	var heads [][]Step
	if u == nobody {
		heads = [][]Step{{{Kind: model.KindGroup, ID: model.Public, Name: "Public"}}}
	} else {
		person := w.design.Users[u]
		head := []Step{{Kind: model.KindUser, ID: person.ID, Name: person.DisplayName}}
		if g.Subject.User != "" {
			heads = [][]Step{head}
		} else {
			heads = w.nestings(u, w.groupOf.Number(g.Subject.Group), head)
		}
	}
	for _, head := range heads {
		steps := append(head, Step{Kind: model.KindAssignment, ID: g.ID, Name: g.ID})
		done := func(steps []Step) bool { return w.add(steps, g.Assignment) }
		if g.Role != "" {
			i, _ := w.design.Roles.Position(g.Role)
			w.throughRole(i, steps, done)
		} else {
			i, _ := w.design.Sets.Position(g.Set)
			w.throughSet(i, steps, done)
		}
		if w.cut {
			return
		}
	}
}

// nestings gives every chain of groups from those that name u directly up to group g, each after head.
func (w *walker) nestings(u, g int, head []Step) (out [][]Step) {
	var climb func(at int, chain []Step)
	climb = func(at int, chain []Step) {
		if len(out) > w.most {
			return
		}
		chain = append(slices.Clip(chain), w.groupStep(at))
		if at == g {
			out = append(out, chain)
			return
		}
		for _, p := range w.groups.at(int(at)).parents {
			climb(int(p), chain)
		}
	}
	for _, d := range w.people.at(int(u)).direct {
		climb(int(d), head)
	}
	return out
}

// GroupName is what a group is called, the built-in ones included; empty if there is none such.
func (x *Index) GroupName(id string) string {
	switch id {
	case model.Everyone:
		return "Everyone"
	case model.Public:
		return "Public"
	}
	if g, ok := x.design.Groups.Find(id); ok {
		return g.Name
	}
	return ""
}

func (x *Index) groupStep(g int) Step {
	id := x.groupID(g)
	return Step{Kind: model.KindGroup, ID: id, Name: x.GroupName(id)}
}

// groupID is the id of a group by its number; the built-in ones come after those of the design.
func (x *Index) groupID(g int) string {
	switch n := len(x.design.Groups); {
	case g < n:
		return x.design.Groups[g].ID
	case g == n+1:
		return model.Public
	}
	return model.Everyone
}

func (w *walker) of(c *contents) bool {
	if w.loose {
		return c.loose.Test(uint(w.permission))
	}
	return c.exact.Test(uint(w.permission))
}

func (w *walker) throughRole(i int, steps []Step, done func([]Step) bool) bool {
	if !w.of(&w.roles[i].contents) {
		return true
	}
	r := w.design.Roles[i]
	step := Step{Kind: model.KindRole, ID: r.ID, Name: r.Name}
	if w.loose {
		if r.State == model.Retired {
			step.Blocked = Retired
		} else if barred := w.roles[i].barred; barred != nil && has(barred, w.permission) {
			step.Blocked = Excluded
		}
	}
	steps = append(slices.Clip(steps), step)
	if !w.throughKeys(r.Permissions, steps, done) {
		return false
	}
	for _, s := range w.roles[i].sets {
		if !w.throughSet(s, steps, done) {
			return false
		}
	}
	for _, p := range w.roles[i].inherits {
		if !w.throughRole(p, steps, done) {
			return false
		}
	}
	return true
}

func (w *walker) throughSet(i int, steps []Step, done func([]Step) bool) bool {
	if !w.of(&w.sets[i].contents) {
		return true
	}
	s := w.design.Sets[i]
	step := Step{Kind: model.KindSet, ID: s.ID, Name: s.Name}
	if s.State == model.Retired {
		step.Blocked = Retired
	}
	return w.throughKeys(s.Permissions, append(slices.Clip(steps), step), done)
}

// throughKeys follows each listed permission down its implications to the one that is asked about.
func (w *walker) throughKeys(keys []string, steps []Step, done func([]Step) bool) bool {
	var follow func(i int, steps []Step) bool
	follow = func(i int, steps []Step) bool {
		p := w.permissions[i]
		steps = append(slices.Clip(steps), Step{Kind: KindPermission, ID: p.Key, Name: cmp.Or(p.Label, p.Key)})
		if i == w.permission {
			return done(steps)
		}
		for _, j := range w.permissionOf.All(p.Implies) {
			if _, leads := slices.BinarySearch(w.implied[j], w.permission); leads && !follow(j, steps) {
				return false
			}
		}
		return true
	}
	for _, i := range w.permissionOf.All(keys) {
		if _, leads := slices.BinarySearch(w.implied[i], w.permission); leads && !follow(i, steps) {
			return false
		}
	}
	return true
}

// Obstacle is a reason why a permission does not reach a person, as programs see it.
type Obstacle string

// The reasons of §7, in the order in which a grant would meet them.
const (
	UnknownUser       Obstacle = "unknown-user"
	UnknownPermission Obstacle = "unknown-permission"
	UnknownArea       Obstacle = "unknown-area"
	UnknownOwner      Obstacle = "unknown-owner"
	NotLive           Obstacle = "not-live"
	NotAssigned       Obstacle = "not-assigned"
	Excluded          Obstacle = "excluded"
	Retired           Obstacle = "retired"
	NotYet            Obstacle = "not-yet-in-force"
	NoLonger          Obstacle = "no-longer-in-force"
	IsReadOnly        Obstacle = "read-only"
	WholeOnly         Obstacle = "organisation-only"
	NoLicence         Obstacle = "licence-missing"
	OutOfReach        Obstacle = "out-of-reach"
)

var obstacleOrder = []Obstacle{
	UnknownUser,
	UnknownPermission,
	UnknownArea,
	UnknownOwner,
	NotLive,
	NotAssigned,
	Excluded,
	Retired,
	NotYet,
	NoLonger,
	IsReadOnly,
	WholeOnly,
	NoLicence,
	OutOfReach,
}

// Reason is one reason why a permission is not held, or does not count for a record.
type Reason struct {
	Obstacle Obstacle
	Text     string // a sentence
	Way      *Way   // the chain that got furthest, if any grant would carry the permission but for this
}

// Attempt is a way that would carry a permission but for what stands against it.
type Attempt struct {
	Way       Way
	Obstacles []Obstacle
}

// Attempts gives every way that would carry a permission to a person for a record at t, if nothing stood against
// it; nil for what does not exist.
func (x *Index) Attempts(user, permission string, r Record, t time.Time) (out []Attempt) {
	u, ok := x.userOf.Find(user)
	p, known := x.permissionOf.Find(permission)
	if !ok || !known {
		return nil
	}
	for _, b := range x.attempts(u, p, &r, t) {
		a := Attempt{Way: b.way}
		for _, reason := range b.reasons {
			a.Obstacles = append(a.Obstacles, reason.Obstacle)
		}
		out = append(out, a)
	}
	return out
}

// Giving gives the roles and sets that give a permission, as nodes.
func (x *Index) Giving(permission string) (out []Node) {
	p, ok := x.permissionOf.Find(permission)
	if !ok {
		return nil
	}
	for i := range x.roles {
		if has(x.roles[i].exact, p) {
			out = append(out, Node{model.KindRole, x.design.Roles[i].ID})
		}
	}
	for i := range x.sets {
		if has(x.sets[i].exact, p) {
			out = append(out, Node{model.KindSet, x.design.Sets[i].ID})
		}
	}
	return out
}

// blocked is a way with everything that stands against it.
type blocked struct {
	way     Way
	reasons []Reason
}

// WhyNot gives all reasons why a person, or [Anonymous], may not use a permission on a record at t (§7), nearest
// first: reasons of ways that fewest things stand against come first. It is empty if the permission is allowed.
func (x *Index) WhyNot(user, permission string, r Record, t time.Time) []Reason {
	var reasons []Reason
	say := func(o Obstacle, format string, args ...any) {
		reasons = append(reasons, Reason{Obstacle: o, Text: fmt.Sprintf(format, args...)})
	}
	u, ok := x.user(user)
	if !ok {
		say(UnknownUser, "There is no person %q.", user)
	}
	p, known := x.permissionOf.Find(permission)
	if !known {
		say(UnknownPermission, "No system has a permission %q.", permission)
	}
	if _, found := x.area(r.Area); !found {
		say(UnknownArea, "There is no area %q.", r.Area)
	}
	if _, found := x.userOf.Find(r.Owner); r.Owner != "" && !found {
		say(UnknownOwner, "There is no person %q who could own the record.", r.Owner)
	}
	if reasons != nil {
		if ok && u != nobody && !x.live(u, t) {
			say(NotLive, "%s", x.notLive(u, t))
		}
		return reasons
	}
	if x.Allowed(user, permission, r, t) {
		return nil
	}
	return x.nearest(u, p, x.attempts(u, p, &r, t), t)
}

// attempts gives every way that would carry the permission but for what stands against it. Without a record, area and
// reach are no obstacle.
func (x *Index) attempts(u, p int, r *Record, t time.Time) (out []blocked) {
	for _, g := range x.grantList(u) {
		if !has(x.shapes[g.shape].given.loose, p) {
			continue
		}
		w := &walker{Index: x, permission: p, loose: true, most: 50}
		w.ways(u, g)
		common := x.against(u, p, g, r, t)
		for i := range w.found {
			b := blocked{way: w.found[i]}
			for _, o := range b.way.obstacles() {
				at := slices.IndexFunc(b.way.Steps, func(s Step) bool { return s.Blocked == o })
				b.reasons = append(b.reasons, Reason{Obstacle: o, Text: stepReason(b.way.Steps[at])})
			}
			b.reasons = append(b.reasons, common...)
			out = append(out, b)
		}
	}
	return out
}

// obstacles gives what stands against a way in its steps, each once.
func (w *Way) obstacles() (out []Obstacle) {
	for _, s := range w.Steps {
		if s.Blocked != "" && !slices.Contains(out, s.Blocked) {
			out = append(out, s.Blocked)
		}
	}
	return out
}

func stepReason(s Step) string {
	if s.Blocked == Excluded {
		return fmt.Sprintf("The role %s excludes it.", s.Name)
	}
	if s.Kind == model.KindSet {
		return fmt.Sprintf("The permission set %s is retired.", s.Name)
	}
	return fmt.Sprintf("The role %s is retired.", s.Name)
}

// obstacles gives what stands against a grant as a whole.
func (x *Index) obstacles(u, p int, g *grant, r *Record, t time.Time) (out []Obstacle) {
	permission := x.permissions[p]
	for _, o := range []struct {
		stands   bool
		obstacle Obstacle
	}{
		{u != nobody && !x.live(u, t), NotLive},
		{!g.From.IsZero() && t.Before(g.From), NotYet},
		{!g.Until.IsZero() && !t.Before(g.Until), NoLonger},
		{g.Mode == model.ReadOnly && permission.Class != model.Read, IsReadOnly},
		{permission.Span == model.SpanOrganisation && (g.area != x.root || g.Reach != model.ReachArea), WholeOnly},
		{!x.licensed(u).Test(uint(p)), NoLicence},
		{r != nil && !x.counts(g, u, *r), OutOfReach},
	} {
		if o.stands {
			out = append(out, o.obstacle)
		}
	}
	return out
}

// against tells in words what stands against a grant as a whole.
func (x *Index) against(u, p int, g *grant, r *Record, t time.Time) (out []Reason) {
	permission := x.permissions[p]
	for _, o := range x.obstacles(u, p, g, r, t) {
		text := ""
		switch o {
		case NotLive:
			text = x.notLive(u, t)
		case NotYet:
			text = fmt.Sprintf("It is given only from %s on.", model.Day(g.From))
		case NoLonger:
			text = fmt.Sprintf("It was given until %s.", model.Until(g.Until))
		case IsReadOnly:
			text = fmt.Sprintf("It is given read-only, and %s is of class %s.", permission.Key, permission.Class)
		case WholeOnly:
			text = fmt.Sprintf(
				"It cannot be limited: it counts only when given over the whole organisation, not %s.",
				x.Place(g.Assignment),
			)
		case NoLicence:
			text = x.licencesFor(u, p)
		case OutOfReach:
			text = fmt.Sprintf("It is given %s, which does not include the record.", x.Place(g.Assignment))
			if r.Area == "" {
				text = fmt.Sprintf("It is given %s; asked for is the whole organisation.", x.Place(g.Assignment))
			}
		}
		out = append(out, Reason{Obstacle: o, Text: text})
	}
	return out
}

func (x *Index) notLive(u int, t time.Time) string {
	p := x.design.Users[u]
	switch {
	case p.State != model.UserActive:
		return fmt.Sprintf("%s is %s.", p.DisplayName, p.State)
	case !p.From.IsZero() && t.Before(p.From):
		return fmt.Sprintf("The account of %s is valid only from %s on.", p.DisplayName, model.Day(p.From))
	}
	return fmt.Sprintf("The account of %s was valid until %s.", p.DisplayName, model.Until(p.Until))
}

// Place says over which area and which records an assignment counts.
func (x *Index) Place(a *model.Assignment) string {
	where, _ := a.Extent(func(id string) string {
		if area, ok := x.design.Areas.Find(id); ok {
			return area.Name
		}
		return id
	})
	if reach := a.Reach.Words(); reach != "" {
		return where + ", " + reach
	}
	return where
}

// licencesFor says which licences would do for all that the permission needs.
func (x *Index) licencesFor(u, p int) string {
	var names []string
	for _, id := range x.licencesLacking(u, x.bits().Set(uint(p))) {
		l, _ := x.design.Licences.Find(id)
		names = append(names, l.Name)
	}
	return "It needs the licence " + strings.Join(names, " and ") + ", or one that covers it."
}

// holdsLicence tells whether a user has a licence, or one that covers it.
func (x *Index) holdsLicence(u, licence int) bool {
	return u != nobody && x.covering[x.people.at(int(u)).profile][licence]
}

// nearest makes the reasons of blocked ways into one list: each obstacle once, with the way that fewest things
// stand against.
func (x *Index) nearest(u, p int, attempts []blocked, t time.Time) []Reason {
	slices.SortStableFunc(attempts, func(a, b blocked) int { return cmp.Compare(len(a.reasons), len(b.reasons)) })
	var out []Reason
	cost := map[Obstacle]int{}
	for i := range attempts {
		for _, r := range attempts[i].reasons {
			if _, told := cost[r.Obstacle]; !told {
				cost[r.Obstacle] = len(attempts[i].reasons)
				r.Way = &attempts[i].way
				out = append(out, r)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Reason) int {
		return cmp.Or(cmp.Compare(cost[a.Obstacle], cost[b.Obstacle]),
			cmp.Compare(slices.Index(obstacleOrder, b.Obstacle), slices.Index(obstacleOrder, a.Obstacle)))
	})
	if len(attempts) == 0 {
		if u != nobody && !x.live(u, t) {
			out = append(out, Reason{Obstacle: NotLive, Text: x.notLive(u, t)})
		}
		out = append(out, Reason{Obstacle: NotAssigned, Text: "No assignment carries it."})
		if !x.licensed(u).Test(uint(p)) {
			out = append(out, Reason{Obstacle: NoLicence, Text: x.licencesFor(u, p)})
		}
	}
	return out
}

package fit

import (
	"cmp"
	"errors"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Among says from which assignments fewer roles are proposed; what is empty does not narrow. Only what is assigned by
// hand to people, without a beginning or an end, is looked at; never what conflicts count, what is protected, what
// names a contact of an area, or rights in Fachwerk.
type Among struct {
	System string // of what gives something of this system
	Area   string // at this area or below
	Filter string // to people whom this filter matches
}

// Fewer is a proposal of roles in place of what people were given by hand.
type Fewer struct {
	Roles         []Proposed
	Before, After Tally
	Left          int // assignments that stay as they are
	Over, Under   int // permissions that people would hold too much, and lack; none but with Almost
	ends          []*model.Assignment
}

// Tally counts what is to be looked after.
type Tally struct{ Bundles, Assignments int } // roles and sets, and the assignments of these

// Proposed is a role of a proposal.
type Proposed struct {
	Role     *model.Role // a new one, or one that there is
	New      bool
	Keys     []string // what it gives, sorted
	Places   []Place  // who would have it, and where
	Replaces []index.Node
	Like     Likeness
}

// Place is where one person would have a proposed role.
type Place struct {
	User  string
	Area  string
	Reach model.Reach
	Mode  model.Mode
}

// Likeness is whom those who would have a role resemble most: who has a title, in a department or in any.
type Likeness struct {
	Title, Department string
	Have, Of          int    // how many of these would have it, and how many there are
	Filter            string // that would make them a rule group; empty: nobody is resembled
	Exact             bool   // it finds exactly those who would have the role, and all have it at one place
}

// row is what one person was given at one place.
type row struct {
	Place
	given []*model.Assignment
	keys  *bitset.BitSet
	now   []int // proposed roles
}

// stray is which share of a row may be too much or lacking, with Almost.
const stray = 0.1

// ErrStopped tells that a proposal was given up before it was made.
var ErrStopped = errors.New("stopped")

// Propose proposes fewer roles at a price. What a proposal gives is exactly what people hold, now and at any instant to
// come, but with Almost. Names are made of what those who would have a role resemble. Once stopped, which may be nil,
// says so, it ends with [ErrStopped].
func Propose(x *index.Index, among Among, price Price, stopped func() bool) (*Fewer, error) {
	if stopped == nil {
		stopped = func() bool { return false }
	}
	d := x.Design()
	rows, keys, err := rowsOf(x, among)
	if err != nil {
		return nil, err
	}
	out := &Fewer{}
	sets := make([]*bitset.BitSet, len(rows))
	before := map[index.Node]bool{}
	for i, r := range rows {
		sets[i] = r.keys
		out.Before.Assignments += len(r.given)
		for _, a := range r.given {
			before[bundleOf(a)] = true
		}
	}
	out.Before.Bundles = len(before)
	mined := mine(sets, len(keys), price, closing(x, keys), stopped)
	if stopped() {
		return nil, ErrStopped
	}
	for m, role := range mined {
		for _, r := range role.Rows {
			rows[r].now = append(rows[r].now, m)
		}
	}
	given := settle(rows, mined, len(keys), price)
	out.tell(x, rows, given, mined, keys)
	out.name(d)
	return out, nil
}

func bundleOf(a *model.Assignment) index.Node {
	if a.Role != "" {
		return index.Node{Kind: model.KindRole, ID: a.Role}
	}
	return index.Node{Kind: model.KindSet, ID: a.Set}
}

// rowsOf gives what people were given by hand, row by row, and the permissions by number.
func rowsOf(x *index.Index, among Among) (rows []*row, keys []string, err error) {
	d := x.Design()
	var people *filter.Filter
	if among.Filter != "" {
		if people, err = filter.Parse(among.Filter); err != nil {
			return nil, nil, err
		}
	}
	numbers := map[string]int{}
	contents := map[index.Node][]int{} // nil: none of it is looked at
	counted := countedRoles(d)
	content := func(n index.Node) []int {
		list, known := contents[n]
		if known {
			return list
		}
		all := x.Content(n.Kind, n.ID)
		r, _ := d.Roles.Find(n.ID)
		fits := !strings.HasPrefix(n.ID, model.OwnSystem+"-") &&
			(n.Kind != model.KindRole || !counted[n.ID] && !r.Protected) &&
			!slices.ContainsFunc(all, func(k string) bool { return strings.HasPrefix(k, model.OwnSystem+":") }) &&
			(among.System == "" || slices.ContainsFunc(all, func(k string) bool {
				return strings.HasPrefix(k, among.System+":")
			}))
		if fits {
			for _, k := range all {
				n, known := numbers[k]
				if !known {
					n = len(keys)
					numbers[k], keys = n, append(keys, k)
				}
				list = append(list, n)
			}
		}
		contents[n] = list
		return list
	}
	by := map[Place]*row{}
	for _, a := range d.Assignments {
		u, ok := d.Users.Find(a.Subject.User)
		if !ok || u.State == model.UserDeleted || !a.From.IsZero() || !a.Until.IsZero() || a.Contact ||
			among.Area != "" && !x.Covers(among.Area, a.Area) || people != nil && !people.Match(index.Person(d, u)) {
			continue
		}
		list := content(bundleOf(a))
		if len(list) == 0 {
			continue
		}
		at := Place{u.ID, a.Area, a.Reach, a.Mode}
		if by[at] == nil {
			by[at] = &row{Place: at, keys: bitset.New(0)}
			rows = append(rows, by[at])
		}
		by[at].given = append(by[at].given, a)
		for _, n := range list {
			by[at].keys.Set(uint(n))
		}
	}
	return rows, keys, nil
}

// countedRoles are those that a conflict counts, and those that inherit one: whoever is assigned such a role holds it,
// whatever it gives.
func countedRoles(d *model.Design) map[string]bool {
	out := map[string]bool{}
	for _, c := range d.Conflicts {
		for _, i := range c.Items {
			if i.Role != "" {
				out[i.Role] = true
			}
		}
	}
	for more := len(out) > 0; more; {
		more = false
		for _, r := range d.Roles {
			if !out[r.ID] && slices.ContainsFunc(r.Inherits, func(id string) bool { return out[id] }) {
				out[r.ID], more = true, true
			}
		}
	}
	return out
}

// closing completes a set of permissions with what these imply.
func closing(x *index.Index, keys []string) func(*bitset.BitSet) {
	numbers := make(map[string]uint, len(keys))
	for n, k := range keys {
		numbers[k] = uint(n)
	}
	return func(set *bitset.BitSet) {
		var list []string
		for n, ok := set.NextSet(0); ok; n, ok = set.NextSet(n + 1) {
			list = append(list, keys[n])
		}
		for _, k := range x.Closure(list) {
			if n, known := numbers[k]; known {
				set.Set(n)
			}
		}
	}
}

// settle leaves as they are the rows that proposed roles do not give what they hold, and those of roles that then save
// nothing; and gives what the others would be given.
func settle(rows []*row, mined []Mined, width int, price Price) (given map[*row]*bitset.BitSet) {
	sets := make([]*bitset.BitSet, len(mined))
	for m, role := range mined {
		sets[m] = bitset.New(uint(width))
		for _, k := range role.Keys {
			sets[m].Set(uint(k))
		}
	}
	given = map[*row]*bitset.BitSet{}
	for _, r := range rows {
		all := bitset.New(uint(width))
		for _, m := range r.now {
			all.InPlaceUnion(sets[m])
		}
		wrong := float64(all.SymmetricDifference(r.keys).Count())
		if wrong > 0 && (!price.Almost || wrong > stray*float64(r.keys.Count())) || len(r.now) == 0 {
			r.now = nil
			continue
		}
		given[r] = all
	}
	// A role of one person, or of two who were given no more than one thing before, saves nothing.
	for again := true; again; {
		again = false
		saved, used := make([]int, len(mined)), make([]int, len(mined))
		for r := range given {
			for _, m := range r.now {
				saved[m] += len(r.given) - len(r.now)
				used[m]++
			}
		}
		bundles := make([]map[index.Node]bool, len(mined)) // what each is in place of
		for r := range given {
			for _, m := range r.now {
				if bundles[m] == nil {
					bundles[m] = map[index.Node]bool{}
				}
				for _, a := range r.given {
					bundles[m][bundleOf(a)] = true
				}
			}
		}
		for _, r := range rows {
			if given[r] != nil && slices.ContainsFunc(r.now, func(m int) bool {
				return used[m] < 2 || saved[m] <= 0 && len(bundles[m]) < 2
			}) {
				delete(given, r)
				r.now, again = nil, true
			}
		}
	}
	return given
}

// tell tells what a proposal comes to.
func (f *Fewer) tell(x *index.Index, rows []*row, given map[*row]*bitset.BitSet, mined []Mined, keys []string) {
	same := map[string]*model.Role{} // roles that there are, by what they give
	counted := countedRoles(x.Design())
	for _, r := range x.Design().Roles {
		if content := x.Content(model.KindRole, r.ID); r.State == model.Active && len(content) > 0 && !counted[r.ID] &&
			!r.Protected {
			if name := strings.Join(content, " "); same[name] == nil {
				same[name] = r
			}
		}
	}
	proposed := make([]*Proposed, len(mined))
	after := map[index.Node]bool{}
	replaced := make([]map[index.Node]bool, len(mined))
	for _, r := range rows {
		all := given[r]
		if all == nil {
			f.Left += len(r.given)
			f.After.Assignments += len(r.given)
			for _, a := range r.given {
				after[bundleOf(a)] = true
			}
			continue
		}
		f.Over += int(all.DifferenceCardinality(r.keys))
		f.Under += int(r.keys.DifferenceCardinality(all))
		f.After.Assignments += len(r.now)
		f.ends = append(f.ends, r.given...)
		for _, m := range r.now {
			if proposed[m] == nil {
				p := &Proposed{}
				for _, k := range mined[m].Keys {
					p.Keys = append(p.Keys, keys[k])
				}
				slices.Sort(p.Keys)
				if p.Role = same[strings.Join(p.Keys, " ")]; p.Role == nil {
					p.New, p.Role = true, &model.Role{Permissions: p.Keys}
				}
				proposed[m], replaced[m] = p, map[index.Node]bool{}
			}
			proposed[m].Places = append(proposed[m].Places, r.Place)
			for _, a := range r.given {
				replaced[m][bundleOf(a)] = true
			}
		}
	}
	for m, p := range proposed {
		if p == nil {
			continue
		}
		p.Replaces = slices.SortedFunc(maps.Keys(replaced[m]), func(a, b index.Node) int {
			return cmp.Or(strings.Compare(string(a.Kind), string(b.Kind)), strings.Compare(a.ID, b.ID))
		})
		if !p.New {
			after[index.Node{Kind: model.KindRole, ID: p.Role.ID}] = true
		} else {
			f.After.Bundles++
		}
		f.Roles = append(f.Roles, *p)
	}
	f.After.Bundles += len(after)
	slices.SortStableFunc(f.Roles, func(a, b Proposed) int { return len(b.Places) - len(a.Places) })
}

// name finds whom those who would have a role resemble, and names new roles after them.
func (f *Fewer) name(d *model.Design) {
	type post struct{ title, department string }
	people := map[post]int{}
	of := map[string]*model.User{}
	for _, u := range d.Users {
		if u.State != model.UserDeleted && u.JobTitle != "" {
			people[post{u.JobTitle, u.Department}]++
			people[post{u.JobTitle, ""}]++
		}
		of[u.ID] = u
	}
	taken := map[string]bool{}
	for _, r := range d.Roles {
		taken[model.Fold(r.Name)] = true
	}
	for i := range f.Roles {
		p := &f.Roles[i]
		have := map[post]int{}
		seen := map[string]bool{}
		for _, place := range p.Places {
			if u := of[place.User]; !seen[u.ID] && u.JobTitle != "" {
				have[post{u.JobTitle, u.Department}]++
				if u.Department != "" {
					have[post{u.JobTitle, ""}]++
				}
			}
			seen[place.User] = true
		}
		best, most := post{}, 0.0
		for _, at := range slices.SortedFunc(maps.Keys(have), func(a, b post) int {
			return cmp.Or(strings.Compare(a.title, b.title), strings.Compare(a.department, b.department))
		}) {
			if alike := 2 * float64(have[at]) / float64(people[at]+len(seen)); alike > most {
				best, most = at, alike
			}
		}
		if most >= 0.5 {
			l := Likeness{Title: best.title, Department: best.department, Have: have[best], Of: people[best]}
			l.Filter = "title eq " + filter.Quote(best.title)
			if best.department != "" {
				l.Filter += " and department eq " + filter.Quote(best.department)
			}
			first := p.Places[0]
			l.Exact = l.Have == l.Of && l.Have == len(seen) && len(p.Places) == len(seen) &&
				!slices.ContainsFunc(p.Places, func(o Place) bool {
					return o.Area != first.Area || o.Reach != first.Reach || o.Mode != first.Mode
				})
			p.Like = l
		}
		if p.New {
			p.Role.Name = named(d, p, taken)
			taken[model.Fold(p.Role.Name)] = true
		}
	}
}

// named makes a name of the title that is resembled, else of the system that most of the role is of.
func named(d *model.Design, p *Proposed, taken map[string]bool) string {
	counts := map[string]int{}
	for _, k := range p.Keys {
		system, _, _ := strings.Cut(k, ":")
		counts[system]++
	}
	system := ""
	for _, s := range slices.Sorted(maps.Keys(counts)) {
		if counts[s] > counts[system] {
			system = s
		}
	}
	if s, ok := d.Systems.Find(system); ok {
		system = s.Name
	}
	name := system + " user"
	if p.Like.Title != "" {
		name = p.Like.Title + ", " + system
	}
	for n := 2; taken[model.Fold(name)]; n++ {
		name = strings.TrimRight(name, " 0123456789") + " " + strconv.Itoa(n)
	}
	return name
}

// Change gives the change that makes a proposal so: the roles, and assignments of them in place of those that there
// were. With groups, those that a rule finds exactly are made a group that is assigned the role: whoever comes to fit
// the rule then comes to have it. New objects are named by naming, which gives each an id that is free.
func (f *Fewer) Change(groups bool, naming func(model.Object)) (ops []change.Op) {
	type held struct {
		Place
		role string
	}
	there := map[held]bool{} // assignments of roles that stay
	for _, a := range f.ends {
		if a.Role != "" {
			there[held{Place{a.Subject.User, a.Area, a.Reach, a.Mode}, a.Role}] = true
		}
	}
	stays := map[held]bool{}
	add := func(a *model.Assignment) {
		naming(a)
		ops = append(ops, change.Op{Kind: model.KindAssignment, ID: a.ID, After: a})
	}
	for i := range f.Roles {
		p := &f.Roles[i]
		role := p.Role
		if p.New {
			role = model.Clone(p.Role)
			naming(role)
			ops = append(ops, change.Op{Kind: model.KindRole, ID: role.ID, After: role})
		}
		if groups && p.New && p.Like.Exact {
			g := &model.Group{Name: "All who are " + p.Like.Title, Type: model.Rule, Rule: p.Like.Filter}
			naming(g)
			ops = append(ops, change.Op{Kind: model.KindGroup, ID: g.ID, After: g})
			at := p.Places[0]
			add(&model.Assignment{
				Subject: model.Subject{Group: g.ID}, Role: role.ID, Area: at.Area, Reach: at.Reach, Mode: at.Mode,
			})
			continue
		}
		for _, at := range p.Places {
			if h := (held{at, role.ID}); !p.New && there[h] {
				stays[h] = true
				continue
			}
			add(&model.Assignment{
				Subject: model.Subject{User: at.User}, Role: role.ID, Area: at.Area, Reach: at.Reach, Mode: at.Mode,
				Reason: "in place of what was given piece by piece",
			})
		}
	}
	for _, a := range f.ends {
		if h := (held{Place{a.Subject.User, a.Area, a.Reach, a.Mode}, a.Role}); a.Role != "" && stays[h] {
			stays[h] = false // one of several alike is enough
			continue
		}
		ops = append(ops, change.Delete(a))
	}
	return ops
}

// Beside is two roles that stand side by side.
type Beside struct {
	A, B string
	How  string // BesideSame, BesideWithin or BesideTogether
}

// How two roles stand side by side.
const (
	BesideSame     = "same"     // they give the same
	BesideWithin   = "within"   // what the first gives, the second gives too
	BesideTogether = "together" // whoever has one has the other, by the same kind of assignment
)

// Alike gives the active roles that give the same, those of which one is contained in another, and those that at least
// two live people have and nobody has apart.
func Alike(x *index.Index, t time.Time) (out []Beside) {
	type one struct {
		id      string
		keys    []string
		holders index.People
	}
	var all []one
	for _, r := range x.Design().Roles {
		if r.State != model.Active {
			continue
		}
		all = append(all, one{r.ID, x.Content(model.KindRole, r.ID), x.HeldBy(model.KindRole, r.ID, t)})
	}
	// Those that have the same stand one after another once they are sorted.
	same := func(has func(one) bool, compare func(a, b one) int) (groups [][]int) {
		var list []int
		for i, r := range all {
			if has(r) {
				list = append(list, i)
			}
		}
		slices.SortStableFunc(list, func(i, j int) int { return compare(all[i], all[j]) })
		for from, to := 0, 0; from < len(list); from = to {
			for to = from + 1; to < len(list) && compare(all[list[from]], all[list[to]]) == 0; to++ {
			}
			groups = append(groups, list[from:to])
		}
		return groups
	}
	contents := same(func(r one) bool { return len(r.keys) > 0 },
		func(a, b one) int {
			return cmp.Or(cmp.Compare(len(a.keys), len(b.keys)), slices.Compare(a.keys, b.keys))
		})
	holders := same(func(r one) bool { return r.holders.Len() > 1 },
		func(a, b one) int { return a.holders.Compare(b.holders) })
	inherits := func(a, b string) bool {
		r, _ := x.Design().Roles.Find(a)
		return slices.Contains(r.Inherits, b)
	}
	for how, groups := range map[string][][]int{BesideSame: contents, BesideTogether: holders} {
		for _, list := range groups {
			for n := 1; n < len(list); n++ {
				a, b := all[list[0]].id, all[list[n]].id
				if how == BesideSame || !inherits(a, b) && !inherits(b, a) {
					out = append(out, Beside{a, b, how})
				}
			}
		}
	}
	// A role lies within another only if that has its first permission too.
	by := map[string][]int{}
	for i, r := range all {
		for _, k := range r.keys {
			by[k] = append(by[k], i)
		}
	}
	for i, r := range all {
		if len(r.keys) < 2 {
			continue
		}
		rarest := slices.MinFunc(r.keys, func(a, b string) int { return len(by[a]) - len(by[b]) })
		for _, j := range by[rarest] {
			o := all[j]
			if i != j && len(r.keys) < len(o.keys) && !inherits(o.id, r.id) && !slices.ContainsFunc(r.keys, func(k string) bool {
				_, in := slices.BinarySearch(o.keys, k)
				return !in
			}) {
				out = append(out, Beside{r.id, o.id, BesideWithin})
			}
		}
	}
	slices.SortFunc(out, func(a, b Beside) int {
		return cmp.Or(strings.Compare(a.How, b.How), strings.Compare(a.A, b.A), strings.Compare(a.B, b.B))
	})
	return out
}

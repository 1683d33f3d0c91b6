// Package guarantee finds how promises about effective permissions are broken, now or at an instant to come, and which
// of that a change brings about (docs/semantics.md, §12).
package guarantee

import (
	"cmp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/filter"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// Breach is one way in which a guarantee is broken.
type Breach struct {
	Guarantee  string
	Permission string
	// Of one that lets nobody, or only some, hold it: who holds it, which is [index.Anonymous] for someone who is not
	// signed in, and what just so.
	User    string
	Holding index.Holding
	// Of one that counts: how many hold it, and of one that lets at most so many, who.
	Count   int
	Holders []string
	From    time.Time // from when on; zero: now
}

// Counts tells whether a guarantee counts people.
func Counts(g *model.Guarantee) bool { return g.Type == model.AtMost || g.Type == model.AtLeast }

// promise is a guarantee as it stands in a design, ready to be asked about many people.
type promise struct {
	*model.Guarantee
	view *ahead.View
	keys []string
	has  map[string]bool
	rule *filter.Filter
	t    time.Time
	// what somebody holds or will hold, by permission; perhaps more of these
	of func(user string) map[string][]index.Span
}

// reader reads guarantees as they stand in one design. What somebody holds of all that they name is asked once.
func reader(v *ahead.View, t time.Time, all ...*model.Guarantee) func(g *model.Guarantee) *promise {
	var keys []string
	for _, g := range all {
		keys = append(keys, v.Live().Design().Named(g)...)
	}
	slices.Sort(keys)
	named := v.Live().Just(slices.Compact(keys))
	var known sync.Map // by user
	held := func(user string) map[string][]index.Span {
		if by, ok := known.Load(user); ok {
			return by.(map[string][]index.Span)
		}
		var spans []index.Span
		if user == index.Anonymous {
			spans = anonymous(v, t)
		} else {
			spans = v.SpansOf(user, named, t)
		}
		by := map[string][]index.Span{}
		for _, s := range spans {
			by[s.Permission] = append(by[s.Permission], s)
		}
		known.Store(user, by)
		return by
	}
	return func(g *model.Guarantee) *promise { return read(v, g, t, held) }
}

func read(v *ahead.View, g *model.Guarantee, t time.Time, held func(user string) map[string][]index.Span) *promise {
	p := &promise{Guarantee: g, view: v, keys: v.Live().Design().Named(g), has: map[string]bool{}, t: t, of: held}
	for _, k := range p.keys {
		p.has[k] = true
	}
	if g.People != nil && g.People.Filter != "" {
		if f, err := filter.Parse(g.People.Filter); err == nil { // [model.Check] sees to that
			p.rule = f
		}
	}
	return p
}

// among tells whether somebody is one of the guarantee's people, as they are when live.
func (p *promise) among(user string) bool {
	if p.People == nil {
		return true
	}
	x := p.view.Live()
	u, ok := x.Design().Users.Find(user)
	if !ok {
		return user == index.Anonymous && p.People.Group == model.Public
	}
	switch {
	case p.People.Group != "":
		return x.InGroup(user, p.People.Group)
	case p.People.Filter != "":
		return p.rule != nil && p.rule.Match(index.Person(x.Design(), u))
	}
	return x.Covers(p.People.Area, u.Area)
}

// forbidden tells whether somebody may hold none of it.
func (p *promise) forbidden(user string) bool {
	switch p.Type {
	case model.Nobody:
		return p.among(user)
	case model.Only:
		return !p.among(user)
	}
	return false
}

// spans gives what of the guarantee's permissions somebody holds or will hold, at a place inside its area or covering
// it.
func (p *promise) spans(user string) []index.Span {
	x := p.view.Live()
	var out []index.Span
	held := p.of(user)
	if len(held) == 0 {
		return nil
	}
	for _, key := range p.keys {
		for _, s := range held[key] {
			if x.Near(p.Area, s.Area) {
				out = append(out, s)
			}
		}
	}
	return out
}

// anonymous gives what someone holds, or will hold, who is not signed in.
func anonymous(v *ahead.View, t time.Time) (out []index.Span) {
	x := v.Live()
	for _, a := range x.GrantsTo(model.Public) {
		if !a.Until.IsZero() && !t.Before(a.Until) {
			continue
		}
		at := t
		if a.From.After(t) {
			at = a.From
		}
		all := x.Effective(index.Anonymous, at)
		for _, h := range x.Carried([]*model.Assignment{a}, at) {
			if slices.ContainsFunc(all, func(o index.Holding) bool { return x.Includes(o, h) }) {
				s := index.Span{Holding: h, Until: a.Until}
				if at.After(t) {
					s.From = at
				}
				out = append(out, s)
			}
		}
	}
	return out
}

// stretch is a time during which somebody counts.
type stretch struct{ from, until time.Time }

// stretches gives when somebody counts as one who holds a permission with reach area at the guarantee's area whole: of
// a guarantee that lets at most so many, also who is not live yet, as if they were; of one that wants at least so many,
// only who is.
func (p *promise) stretches(user, key string) (out []stretch) {
	if !p.among(user) {
		return nil
	}
	x := p.view.Live()
	if u, ok := p.view.Now().Design().Users.Find(user); !ok || p.Type == model.AtLeast && u.State != model.UserActive {
		return nil
	}
	for _, s := range p.of(user)[key] {
		if s.Reach == model.ReachArea && x.Covers(s.Area, p.Area) {
			out = append(out, stretch{s.From, s.Until})
		}
	}
	return out
}

// tally is who counts for one permission, and when.
type tally struct {
	users []string
	of    [][]stretch
}

func (p *promise) tally(key string) (out tally) {
	if !p.has[key] {
		return out
	}
	holders := p.view.Live().GivenAhead(p.view.Live().Just([]string{key}), p.t)
	parts := make([]tally, fan.Parts())
	fan.Out(len(holders), func(n, from, to int) {
		for _, u := range holders[from:to] {
			if s := p.stretches(u, key); len(s) > 0 {
				parts[n].users, parts[n].of = append(parts[n].users, u), append(parts[n].of, s)
			}
		}
	})
	for _, part := range parts {
		out.users, out.of = append(out.users, part.users...), append(out.of, part.of...)
	}
	return out
}

// instants gives when the number of those who count can change: t and what comes after, in order.
func (c tally) instants(t time.Time) []time.Time {
	out := []time.Time{t}
	for _, of := range c.of {
		for _, s := range of {
			for _, at := range []time.Time{s.from, s.until} {
				if at.After(t) {
					out = append(out, at)
				}
			}
		}
	}
	slices.SortFunc(out, time.Time.Compare)
	return slices.CompactFunc(out, time.Time.Equal)
}

// counts gives how many count at each of some instants, which are in order.
func (c tally) counts(instants []time.Time) []int {
	change := make([]int, len(instants)+1)
	at := func(t time.Time) int {
		n, _ := slices.BinarySearchFunc(instants, t, time.Time.Compare)
		return n
	}
	for _, of := range c.of {
		for _, s := range merged(of) {
			from, until := 0, len(instants)
			if !s.from.IsZero() {
				from = at(s.from)
			}
			if !s.until.IsZero() {
				until = at(s.until)
			}
			if from < until {
				change[from]++
				change[until]--
			}
		}
	}
	out := make([]int, len(instants))
	for n, sum := 0, 0; n < len(out); n++ {
		sum += change[n]
		out[n] = sum
	}
	return out
}

// merged gives stretches that neither meet nor overlap, in order.
func merged(list []stretch) (out []stretch) {
	list = slices.Clone(list)
	slices.SortFunc(list, func(a, b stretch) int { return a.from.Compare(b.from) }) // the zero time comes first
	for _, s := range list {
		if n := len(out) - 1; n >= 0 && (out[n].until.IsZero() || !s.from.After(out[n].until)) {
			if !out[n].until.IsZero() && (s.until.IsZero() || s.until.After(out[n].until)) {
				out[n].until = s.until
			}
			continue
		}
		out = append(out, s)
	}
	return out
}

// at gives who counts at an instant.
func (c tally) at(t time.Time) (out []string) {
	for n, of := range c.of {
		if slices.ContainsFunc(of, func(s stretch) bool { return model.In(t, s.from, s.until) }) {
			out = append(out, c.users[n])
		}
	}
	return out
}

// broken tells whether a number of people breaks the guarantee, and whether it does so more than another number.
func (p *promise) broken(n int) bool {
	if p.Count == nil {
		return false
	}
	return p.Type == model.AtMost && n > *p.Count || p.Type == model.AtLeast && n < *p.Count
}

func (p *promise) worse(n, than int) bool {
	return p.broken(n) && (p.Type == model.AtMost && n > than || p.Type == model.AtLeast && n < than)
}

// counted gives the breach of a guarantee that counts, by one of its permissions, at the first instant at which it is
// broken more than a number that was says it was; was may be nil.
func (p *promise) counted(key string, is tally, was *tally) (Breach, bool) {
	instants := is.instants(p.t)
	if was != nil {
		instants = append(instants, was.instants(p.t)...)
		slices.SortFunc(instants, time.Time.Compare)
		instants = slices.CompactFunc(instants, time.Time.Equal)
	}
	counts := is.counts(instants)
	var before []int
	if was != nil {
		before = was.counts(instants)
	}
	for n, at := range instants {
		if was == nil && p.broken(counts[n]) || was != nil && p.worse(counts[n], before[n]) {
			b := Breach{Guarantee: p.ID, Permission: key, Count: counts[n]}
			if p.Type == model.AtMost {
				b.Holders = is.at(at)
			}
			if at.After(p.t) {
				b.From = at
			}
			return b, true
		}
	}
	return Breach{}, false
}

// Of gives all breaches of a guarantee of a design, now or at an instant to come that is already written, by
// permission and then by person. Somebody who is invited, locked or not yet valid counts as they will when live.
func Of(v *ahead.View, g *model.Guarantee, t time.Time) (out []Breach) {
	p := reader(v, t, g)(g)
	if Counts(g) {
		for _, key := range p.keys {
			if b, is := p.counted(key, p.tally(key), nil); is {
				out = append(out, b)
			}
		}
		return out
	}
	for _, u := range p.suspects() {
		for _, s := range p.spans(u) {
			out = append(out, p.held(u, s))
		}
	}
	return sorted(out)
}

func (p *promise) held(user string, s index.Span) Breach {
	b := Breach{Guarantee: p.ID, Permission: s.Permission, User: user, Holding: s.Holding}
	if s.From.After(p.t) {
		b.From = s.From
	}
	return b
}

// suspects gives those who may hold none of it, and hold or will hold some.
func (p *promise) suspects() (out []string) {
	if p.forbidden(index.Anonymous) {
		out = append(out, index.Anonymous)
	}
	if p.Type == model.Only && p.People == nil || len(p.keys) == 0 {
		return out
	}
	return append(out, slices.DeleteFunc(p.view.Live().GivenAhead(p.view.Live().Just(p.keys), p.t), func(u string) bool {
		return !p.forbidden(u)
	})...)
}

func sorted(list []Breach) []Breach {
	slices.SortStableFunc(list, func(a, b Breach) int {
		return cmp.Or(strings.Compare(a.Permission, b.Permission), strings.Compare(a.User, b.User),
			strings.Compare(a.Holding.Area, b.Holding.Area), a.From.Compare(b.From))
	})
	return slices.CompactFunc(list, func(a, b Breach) bool {
		return a.Permission == b.Permission && a.User == b.User && a.Holding == b.Holding
	})
}

// Now gives the breaches of a guarantee at t alone: of those who are live then, by what they effectively hold.
func Now(v *ahead.View, g *model.Guarantee, t time.Time) (out []Breach) {
	for _, b := range Of(v, g, t) {
		if !b.From.IsZero() {
			continue
		}
		switch {
		case g.Type == model.AtMost:
			b.Holders = slices.DeleteFunc(b.Holders, func(u string) bool { return !v.Now().Live(u, t) })
			if b.Count = len(b.Holders); b.Count <= *g.Count {
				continue
			}
		case !Counts(g) && b.User != index.Anonymous && !v.Now().Live(b.User, t):
			continue
		}
		out = append(out, b)
	}
	return out
}

// Worse gives the breaches that a change from one design to another brings about: of each guarantee of the design
// after it, what was not broken before, as that guarantee would have it. One that is broken already and becomes no
// worse has none. It costs what the change touches.
func Worse(before, after *ahead.View, t time.Time) (out []Breach) {
	d := after.Now().Design()
	if len(d.Guarantees) == 0 || before == after {
		return nil
	}
	users, known := touched(before, after)
	afterwards, once := reader(after, t, d.Guarantees...), reader(before, t, d.Guarantees...)
	for _, g := range d.Guarantees {
		is, was := afterwards(g), once(g)
		if o, ok := before.Now().Design().Guarantees.Find(g.ID); !known || !ok || o != g || !slices.Equal(is.keys, was.keys) {
			out = append(out, wholly(is, was)...)
			continue
		}
		out = append(out, among(is, was, users)...)
	}
	return out
}

// wholly compares a guarantee before and after a change that may touch anybody.
func wholly(is, was *promise) (out []Breach) {
	if !Counts(is.Guarantee) {
		return is.beyond(was, is.suspects())
	}
	for _, key := range is.keys {
		before := was.tally(key)
		if b, worse := is.counted(key, is.tally(key), &before); worse {
			out = append(out, b)
		}
	}
	return out
}

// among compares a guarantee before and after a change that touches some people only.
func among(is, was *promise, users []string) (out []Breach) {
	if !Counts(is.Guarantee) {
		return is.beyond(was, append([]string{index.Anonymous}, users...))
	}
	var touched []string // permissions of which other people count, or at other times
	for _, key := range is.keys {
		var differs atomic.Bool
		fan.Out(len(users), func(_, from, to int) {
			for _, u := range users[from:to] {
				if differs.Load() {
					return
				}
				if !slices.Equal(merged(is.stretches(u, key)), merged(was.stretches(u, key))) {
					differs.Store(true)
				}
			}
		})
		if differs.Load() {
			touched = append(touched, key)
		}
	}
	for _, key := range touched {
		before := was.tally(key)
		if b, worse := is.counted(key, is.tally(key), &before); worse {
			out = append(out, b)
		}
	}
	return out
}

// beyond gives what some people hold or will hold against the guarantee that they did not before.
func (p *promise) beyond(was *promise, users []string) []Breach {
	parts := make([][]Breach, fan.Parts())
	fan.Out(len(users), func(n, from, to int) {
		for _, u := range users[from:to] {
			spans := p.spans(u)
			if len(spans) == 0 || !p.forbidden(u) {
				continue
			}
			var held []index.Span
			if was.forbidden(u) {
				held = was.spans(u)
			}
			for _, s := range p.view.Beyond(spans, held, p.t) {
				parts[n] = append(parts[n], p.held(u, s))
			}
		}
	})
	return sorted(slices.Concat(parts...))
}

// touched gives the people of whom a change may touch what they hold or will hold, or whether a guarantee is about
// them; false if that cannot be told from what changed.
func touched(before, after *ahead.View) ([]string, bool) {
	users, known := index.Touched(before.Live(), after.Live())
	if !known {
		return nil, false
	}
	all := map[string]bool{}
	for _, u := range users {
		all[u] = true
	}
	b, a := before.Now().Design(), after.Now().Design()
	model.EachChange(b.Users, a.Users, func(i, j int) {
		if i >= 0 {
			all[b.Users[i].ID] = true
		}
		if j >= 0 {
			all[a.Users[j].ID] = true
		}
	})
	// A group of a guarantee's people can gain and lose members to whom it gives nothing.
	altered := map[string]bool{}
	model.EachChange(b.Groups, a.Groups, func(i, j int) {
		for _, v := range []struct {
			n    int
			view *ahead.View
		}{{i, before}, {j, after}} {
			if v.n >= 0 {
				for _, up := range v.view.Live().Nesting(v.view.Live().Design().Groups[v.n].ID) {
					altered[up] = true
				}
			}
		}
	})
	for _, g := range a.Guarantees {
		if g.People == nil || !altered[g.People.Group] {
			continue
		}
		delete(altered, g.People.Group) // once for all guarantees
		was, is := before.Live().Members(g.People.Group), after.Live().Members(g.People.Group)
		for _, pair := range [][2][]string{{was, is}, {is, was}} {
			for _, u := range pair[0] {
				if _, both := slices.BinarySearch(pair[1], u); !both {
					all[u] = true
				}
			}
		}
	}
	out := make([]string, 0, len(all))
	for u := range all {
		out = append(out, u)
	}
	slices.Sort(out)
	return out, true
}

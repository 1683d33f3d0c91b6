package review

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
)

// Suggestion is what the evidence about an item speaks for, in the eyes of a rule of thumb. It is a help to whoever
// decides, never a decision.
type Suggestion struct {
	Keep bool
	Why  string // one sentence: what weighs most
}

// Signs are the days and shares at which evidence begins to weigh.
const (
	idleLong    = 180 // days without use that weigh more than [IdleAfter]
	usedLately  = 30  // days within which a use speaks for keeping
	newlyHeld   = 30  // days within which nothing is held against having never used it
	outlierOf   = 8   // peers from which on fewer than one in twenty weighs more
	fewestPeers = 4   // with fewer, what peers have says nothing
	tips        = 2   // the balance from which on something is suggested
)

// sign is one thing that the evidence says, with its weight.
type sign struct {
	weight int
	says   string
}

// against gives what speaks for revoking an item at t.
func (e Evidence) against(t time.Time) (out []sign) {
	days := func(since time.Time) int { return int(t.Sub(since).Hours() / 24) }
	switch idle := days(e.LastUse); {
	case e.Used && idle > idleLong:
		out = append(out, sign{3, fmt.Sprintf("They last used it %d days ago.", idle)})
	case e.Used && idle > IdleAfter:
		out = append(out, sign{2, fmt.Sprintf("They last used it %d days ago.", idle)})
	case e.Never && (e.Since.IsZero() || days(e.Since) > newlyHeld):
		out = append(out, sign{2, "They have never used it, though uses of its system are on record."})
	}
	switch {
	case e.Peers >= outlierOf && e.Alike*20 < e.Peers:
		out = append(
			out,
			sign{3, fmt.Sprintf("Of %d people with the same title and department, %s.", e.Peers, have(e.Alike))},
		)
	case e.Peers >= fewestPeers && e.Alike*5 <= e.Peers:
		out = append(
			out,
			sign{2, fmt.Sprintf("Of %d people with the same title and department, %s.", e.Peers, have(e.Alike))},
		)
	}
	switch {
	case e.Tells && e.Lately == 0:
		out = append(out, sign{3, fmt.Sprintf("Nobody used it within %d days, of %d who have it.", IdleAfter, e.Holders)})
	case e.Tells && e.Lately*10 <= e.Holders:
		out = append(out, sign{2, fmt.Sprintf("Of %d who have it, %s within %d days.", e.Holders, usedIt(e.Lately), IdleAfter)})
	}
	if e.Needless {
		out = append(out, sign{3, "Nothing that it excepts is the case: without it, nothing would be violated."})
	}
	if len(e.Conflicts) > 0 {
		out = append(out, sign{2, "It adds to a conflict of duties."})
	}
	if e.Beside {
		out = append(out, sign{2, "A group gives it as well, for as long and as wide, so nothing would be lost."})
	}
	if !e.Revoked.IsZero() {
		out = append(
			out,
			sign{2, "A review took it away on " + e.Revoked.Format("2 January 2006") + ", and it was given again."},
		)
	}
	return out
}

// pro gives what speaks for keeping an item at t.
func (e Evidence) pro(t time.Time) (out []sign) {
	if e.Used && !e.LastUse.Before(t.AddDate(0, 0, -usedLately)) {
		out = append(out, sign{2, "They used it within the last " + fmt.Sprint(usedLately) + " days."})
	}
	if e.Tells && e.Lately*2 >= e.Holders && e.Lately > 0 {
		out = append(out, sign{2, fmt.Sprintf("Of %d who have it, %s within %d days.", e.Holders, usedIt(e.Lately), IdleAfter)})
	}
	if e.Peers >= fewestPeers && e.Alike*2 >= e.Peers {
		out = append(
			out,
			sign{2, fmt.Sprintf("Of %d people with the same title and department, %s.", e.Peers, have(e.Alike))},
		)
	}
	return out
}

func usedIt(n int) string {
	if n == 1 {
		return "one used it"
	}
	return fmt.Sprintf("%d used it", n)
}

func have(n int) string {
	switch n {
	case 0:
		return "nobody else has it"
	case 1:
		return "one has it"
	}
	return fmt.Sprintf("%d have it", n)
}

// Doubt weighs what speaks against keeping an item at t against what speaks for it: the greater, the more doubtful.
func (e Evidence) Doubt(t time.Time) (sum int) {
	for _, s := range e.against(t) {
		sum += s.weight
	}
	for _, s := range e.pro(t) {
		sum -= s.weight
	}
	return sum
}

// Suggest gives what the evidence about an item speaks for at t; false if it does not speak clearly. What adds to a
// conflict, or was taken away before, is never suggested to be kept.
func (e Evidence) Suggest(t time.Time) (Suggestion, bool) {
	heaviest := func(list []sign) string {
		return slices.MaxFunc(list, func(a, b sign) int { return cmp.Compare(a.weight, b.weight) }).says
	}
	switch doubt := e.Doubt(t); {
	case doubt >= tips:
		return Suggestion{Why: heaviest(e.against(t))}, true
	case doubt <= -tips && len(e.Conflicts) == 0 && e.Revoked.IsZero():
		return Suggestion{Keep: true, Why: heaviest(e.pro(t))}, true
	}
	return Suggestion{}, false
}

// weighOther gathers the evidence for an item that is not about what a person is assigned.
func (s *Scales) weighOther(i Item) Evidence {
	w := s.target(i)
	e := Evidence{Gives: len(w.keys), Risk: s.risks(i)}
	d := s.x.Design()
	switch i.Of.Kind {
	case model.KindUser:
		for _, at := range s.uses.Systems(i.User) {
			e.Used = true
			if at.After(e.LastUse) {
				e.LastUse = at
			}
		}
		e.Never = !e.Used
	case model.KindConflict:
		if c, ok := d.Conflicts.Find(i.Of.ID); ok {
			for _, x := range c.Exceptions {
				if x.User == i.User && x.Until.After(e.Ends) {
					e.Ends = x.Until
				}
			}
		}
		e.Needless = !slices.ContainsFunc(s.breaches[i.User], func(v duty.Violation) bool { return v.Conflict == i.Of.ID })
	case model.KindDelegation:
		if g, ok := d.Delegations.Find(i.Of.ID); ok {
			e.Ends, e.Holders = g.Until, 1
			if g.Delegate.Group != "" {
				e.Holders = s.holders(Target{model.KindGroup, g.Delegate.Group}).Len()
			}
		}
	case model.KindGroup:
		if len(i.Direct) > 0 {
			if a, ok := d.Assignments.Find(i.Direct[0]); ok {
				e.Ends = a.Until
			}
		}
		s.count(&e, s.holders(i.Of), w.keys)
	case model.KindRole:
		s.count(&e, s.holders(i.Of), w.keys)
	}
	return e
}

// holders gives the live members of a group, or holders of a role.
func (s *Scales) holders(of Target) index.People {
	held, known := s.held[of]
	if known {
		return held
	}
	if of.Kind == model.KindGroup {
		var live []string
		for _, u := range s.x.Members(of.ID) {
			if s.x.Live(u, s.t) {
				live = append(live, u)
			}
		}
		held = s.x.Those(live)
	} else {
		held = s.x.HeldBy(of.Kind, of.ID, s.t)
	}
	s.held[of] = held
	return held
}

// count counts some people, and who of them used one of some permissions of late.
func (s *Scales) count(e *Evidence, people index.People, keys []string) {
	if s.lately == nil {
		s.lately = UsedLately(s.x, s.uses, s.t)
	}
	e.Holders = people.Len()
	e.Lately, e.Tells = s.lately.Of(people, keys)
	e.Tells = e.Tells && e.Holders > 0
}

// Lately tells who used what within [IdleAfter] days.
type Lately struct {
	uses *use.Book
	by   map[string]index.People // by system or permission
}

// UsedLately gives who of a design used what within [IdleAfter] days before t.
func UsedLately(x *index.Index, uses *use.Book, t time.Time) *Lately {
	out := &Lately{uses, map[string]index.People{}}
	for what, users := range uses.Between(t.AddDate(0, 0, -IdleAfter), t.Add(use.AheadMost)) {
		out.by[what] = x.Those(users)
	}
	return out
}

// Of counts who of some people used one of some permissions. Where it is not known who used a permission, a use of its
// system counts. Known tells whether any use of these is known.
func (l *Lately) Of(people index.People, keys []string) (n int, known bool) {
	var used []index.People
	seen := map[string]bool{}
	for _, key := range keys {
		what := use.SystemOf(key)
		if !l.uses.Known(what) {
			continue
		}
		if l.uses.Detailed(what) {
			what = key
		}
		if known = true; !seen[what] {
			seen[what], used = true, append(used, l.by[what])
		}
	}
	return people.InAny(used...), known
}

// beside tells whether all that an item has by hand comes by its groups too, for as long and as wide.
func beside(x *index.Index, i Item) bool {
	d := x.Design()
	return len(i.Direct) > 0 && !slices.ContainsFunc(i.Direct, func(direct string) bool {
		a, ok := d.Assignments.Find(direct)
		return !ok || !slices.ContainsFunc(i.Given, func(given string) bool {
			b, ok := d.Assignments.Find(given)
			return ok && asWide(x, b, a)
		})
	})
}

// asWide tells whether an assignment counts wherever and whenever another of the same role or set does, and gives as
// much.
func asWide(x *index.Index, a, b *model.Assignment) bool {
	return x.Covers(a.Area, b.Area) && a.Reach == b.Reach && (a.Mode == b.Mode || b.Mode == model.ReadOnly) &&
		(a.From.IsZero() || !a.From.After(b.From)) && (a.Until.IsZero() || !b.Until.IsZero() && !a.Until.Before(b.Until))
}

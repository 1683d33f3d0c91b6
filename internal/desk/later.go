package desk

import (
	"slices"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// LaterGain is what a draft gives somebody who does not hold it yet: from an instant on, or once they are live.
type LaterGain struct {
	User  Ref        `json:"user"`
	Gains []Holding  `json:"gains"`
	From  *time.Time `json:"from,omitempty" doc:"When it begins"`
	Live  bool       `json:"live" doc:"The person is live; otherwise they hold it once they are"`
}

// laterGain is that before it is put in words.
type laterGain struct {
	user  string
	gains []index.Holding
	from  time.Time
	live  bool
}

// laterShown bounds of how many people it is told, one by one.
const laterShown = 200

// later tells what a change gives to people at coming instants, and to those who are not live yet. It looks at those
// whom the change names: by their account, by an assignment, or by a group.
func (c *checked) later() (out []laterGain) {
	if c.After == nil || len(c.Ops) == 0 {
		return nil
	}
	compared := ahead.Compare(c.house.Ahead(), c.ahead())
	for _, id := range c.named() {
		live := c.Index.Live(id, c.at)
		if live && !c.awaits(id) {
			continue
		}
		by := map[time.Time][]index.Holding{}
		for _, s := range compared.Gains(id, c.at) {
			if !live || s.From.After(c.at) {
				if held := by[s.From]; !slices.Contains(held, s.Holding) {
					by[s.From] = append(held, s.Holding)
				}
			}
		}
		for from, gains := range by {
			out = append(out, laterGain{id, gains, from, live})
		}
		if len(out) >= laterShown {
			break
		}
	}
	slices.SortStableFunc(out, func(a, b laterGain) int { return a.from.Compare(b.from) })
	return out
}

// laterClash is a conflict that a person will come to break.
type laterClash struct {
	duty.Coming
	live bool
}

// laterClashes tells which conflicts a change will have people break at coming instants, or once they are live, sooner
// than they would without it. It looks at the same people as [checked.later].
func (c *checked) laterClashes() (out []laterClash) {
	if c.After == nil || len(c.Ops) == 0 || len(c.After.Conflicts) == 0 {
		return nil
	}
	before, after := duty.LookAhead(c.house.Ahead(), c.at), duty.LookAhead(c.ahead(), c.at)
	for _, id := range c.named() {
		live := c.Index.Live(id, c.at)
		if live && !c.awaits(id) {
			continue
		}
		was := before.Of(id)
		for _, v := range after.Of(id) {
			if live && !v.From.After(c.at) || slices.ContainsFunc(was, func(o duty.Coming) bool {
				return o.Conflict == v.Conflict && o.Excepted == v.Excepted && !o.From.After(v.From)
			}) {
				continue // the impact tells it, or it is to be so without the change
			}
			out = append(out, laterClash{v, live})
		}
	}
	return out
}

// awaits tells whether something that somebody is given has yet to begin.
func (c *checked) awaits(id string) bool { return len(c.ahead().Live().Begins(id, c.at)) > 0 }

// named gives the people whom a change names, in its order, not more than [laterShown].
func (c *checked) named() (out []string) {
	seen := map[string]bool{}
	add := func(ids ...string) {
		for _, id := range ids {
			if id != "" && !seen[id] && len(out) < laterShown {
				seen[id] = true
				out = append(out, id)
			}
		}
	}
	for _, o := range c.Ops {
		switch after := o.After.(type) {
		case *model.User:
			add(after.ID)
		case *model.Assignment:
			add(after.Subject.User)
			if after.Subject.Group != "" {
				add(c.ahead().Live().Members(after.Subject.Group)...)
			}
		case *model.Group:
			before, _ := o.Before.(*model.Group)
			had := map[string]bool{}
			if before != nil {
				for _, u := range before.Users {
					had[u] = true
				}
			}
			for _, u := range after.Users {
				if !had[u] {
					add(u)
				}
			}
		}
	}
	return out
}

package index

import (
	"time"

	"fachwerk/internal/core/model"
)

// Brick is one permission on a person's wall.
type Brick struct {
	Permission *model.Permission
	Held       []Holding // where and how far it is held, widest only; empty: not held
	Withheld   []Reason  // why a grant that has it does not give it; only if it is not held
}

// Wall gives a brick for every permission of the catalogue, in the order of the systems and their keys, for one person at t. If
// where is not empty, only what counts somewhere in that area is held; ok is false if there is no such person or area.
func (x *Index) Wall(user, where string, t time.Time) (bricks []Brick, ok bool) {
	u, ok := x.users[user]
	at, known := x.area(where)
	if !ok || !known {
		return nil, false
	}
	held := map[string][]Holding{}
	for _, h := range x.Widest(user, t) {
		if area := x.areas[h.Area]; x.covers(area, at) || x.covers(at, area) {
			held[h.Permission] = append(held[h.Permission], h)
		}
	}
	loose := x.bits()
	x.grantsOf(u, func(g *grant) bool {
		if x.covers(g.area, at) || x.covers(at, g.area) {
			loose.InPlaceUnion(x.target(g.Assignment).loose)
		}
		return true
	})
	bricks = make([]Brick, len(x.permissions))
	for i, p := range x.permissions {
		bricks[i] = Brick{Permission: p, Held: held[p.Key]}
		if bricks[i].Held == nil && loose.Test(uint(i)) {
			bricks[i].Withheld = x.nearest(u, i, x.attempts(u, i, nil, t), t)
		}
	}
	return bricks, true
}

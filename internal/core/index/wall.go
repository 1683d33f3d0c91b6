package index

import (
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// Brick is one permission on a person's wall.
type Brick struct {
	Permission *model.Permission
	Held       []Holding // where and how far it is held, widest only; empty: not held
	Withheld   Obstacle  // the nearest reason why a grant that has it does not give it; empty if it is held, or no grant has it
}

// Wall gives a brick for every permission of the catalogue, in the order of the systems and their keys, for one person at t. If
// where is not empty, only what counts somewhere in that area is held; ok is false if there is no such person or area. [Index.Withheld] tells all
// reasons of one brick.
func (x *Index) Wall(user, where string, t time.Time) (bricks []Brick, ok bool) {
	u, ok := x.users[user]
	at, known := x.area(where)
	if !ok || !known {
		return nil, false
	}
	bricks = make([]Brick, len(x.permissions))
	for i, p := range x.permissions {
		bricks[i].Permission = p
	}
	for _, h := range x.holdings(x.widestAt(u, at, t)) {
		b := &bricks[x.permissionOf[h.Permission]]
		b.Held = append(b.Held, h)
	}
	grants := x.grantList(u)
	loose := x.bits()
	for _, g := range grants {
		if x.near(g.area, at) {
			loose.InPlaceUnion(x.shapes[g.shape].given.loose)
		}
	}
	for i, ok := loose.NextSet(0); ok; i, ok = loose.NextSet(i + 1) {
		if bricks[i].Held == nil {
			bricks[i].Withheld = x.nearestOf(u, int(i), grants, t)
		}
	}
	return bricks, true
}

// HeldAt gives where and how far a person holds a permission at t, widest only; of what counts somewhere in an area, or anywhere if it is empty.
func (x *Index) HeldAt(user, permission, where string, t time.Time) (out []Holding) {
	u, ok := x.user(user)
	at, known := x.area(where)
	p, there := x.permissionOf[permission]
	if !ok || !known || !there {
		return nil
	}
	one := x.bits().Set(uint(p))
	list := x.widestAt(u, at, t)
	for i := range list {
		list[i].bits = list[i].bits.Intersection(one)
	}
	return x.holdings(list)
}

// Withheld gives all reasons, nearest first, why grants that have a permission do not give it to a person at t; none if the person holds it, or no
// grant has it.
func (x *Index) Withheld(user, permission string, t time.Time) []Reason {
	u, ok := x.users[user]
	p, known := x.permissionOf[permission]
	if !ok || !known || len(x.HeldAt(user, permission, "", t)) > 0 {
		return nil
	}
	attempts := x.attempts(u, p, nil, t)
	if len(attempts) == 0 {
		return nil
	}
	return x.nearest(u, p, attempts, t)
}

// widestAt gives the widest stretches that count somewhere in an area.
func (x *Index) widestAt(u, at int, t time.Time) []stretch {
	return slices.DeleteFunc(x.widestOf(x.stretches(u, t, nil)), func(s stretch) bool { return !x.near(s.area, at) })
}

// near tells whether what counts in one area counts somewhere in the other.
func (x *Index) near(a, b int) bool { return x.covers(a, b) || x.covers(b, a) }

// nearestOf gives the first of the reasons that [Index.nearest] would tell, of some grants. Only where all ways through a role or set are blocked need they
// be walked.
func (x *Index) nearestOf(u, p int, grants []*grant, t time.Time) Obstacle {
	best, cost := Obstacle(""), 0
	consider := func(list []Obstacle) {
		for _, o := range list {
			later := slices.Index(obstacleOrder, o) > slices.Index(obstacleOrder, best)
			if best == "" || len(list) < cost || len(list) == cost && later {
				best, cost = o, len(list)
			}
		}
	}
	for _, g := range grants {
		switch {
		case !has(x.shapes[g.shape].given.loose, p):
		case has(x.shapes[g.shape].given.exact, p):
			consider(x.obstacles(u, p, g, nil, t))
		default:
			w := &walker{Index: x, permission: p, loose: true, most: 50}
			w.ways(u, g)
			common := x.obstacles(u, p, g, nil, t)
			for _, way := range w.found {
				consider(append(way.obstacles(), common...))
			}
		}
	}
	return best
}

func has(b *bitset.BitSet, p int) bool { return b.Test(uint(p)) }

package index

import (
	"cmp"
	mathbits "math/bits"
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// Brick is one permission on a person's wall.
type Brick struct {
	Permission *model.Permission
	Held       []Holding // where and how far it is held, widest only; empty: not held
	// the nearest reason why a grant that has it does not give it; empty if it is held, or no grant has it
	Withheld Obstacle
}

// Wall gives a brick for every permission of the catalogue, in the order of the systems and their keys, for one
// person at t. If where is not empty, only what counts somewhere in that area is held; ok is false if there is no
// such person or area. [Index.Withheld] tells all reasons of one brick.
func (x *Index) Wall(user, where string, t time.Time) (bricks []Brick, ok bool) {
	u, ok := x.userOf.Find(user)
	at, known := x.area(where)
	if !ok || !known {
		return nil, false
	}
	bricks = make([]Brick, len(x.permissions))
	for i, p := range x.permissions {
		bricks[i].Permission = p
	}
	x.lay(bricks, x.widestAt(u, at, t))
	for p, o := range x.withheld(u, at, t) {
		if bricks[p].Held == nil {
			bricks[p].Withheld = o
		}
	}
	return bricks, true
}

// lay writes stretches onto the bricks, the holdings of each in the order of area and reach.
func (x *Index) lay(bricks []Brick, list []stretch) {
	n := 0
	counts := make([]int32, len(bricks))
	for i := range list {
		for p := range list[i].permissions {
			counts[p]++
			n++
		}
	}
	slices.SortFunc(list, func(a, b stretch) int { return cmp.Compare(tailOf(a.area, a.wide), tailOf(b.area, b.wide)) })
	all := make([]Holding, n) // in one piece, of which each brick has its own
	n = 0
	for p, k := range counts {
		if k > 0 {
			bricks[p].Held = all[n : n : n+int(k)]
			n += int(k)
		}
	}
	for i := range list {
		area, reach := x.design.Areas[list[i].area].ID, reaches[wholeArea-list[i].wide]
		for p := range list[i].permissions {
			b := &bricks[p]
			b.Held = append(b.Held, Holding{b.Permission.Key, area, reach})
		}
	}
}

// HeldAt gives where and how far a person holds a permission at t, widest only; of what counts somewhere in an
// area, or anywhere if it is empty.
func (x *Index) HeldAt(user, permission, where string, t time.Time) (out []Holding) {
	u, ok := x.user(user)
	at, known := x.area(where)
	p, there := x.permissionOf.Find(permission)
	if !ok || !known || !there {
		return nil
	}
	for _, s := range x.widestAt(u, at, t) {
		if s.words[p>>6]&(1<<(p&63)) != 0 {
			out = append(out, Holding{permission, x.design.Areas[s.area].ID, reaches[wholeArea-s.wide]})
		}
	}
	slices.SortFunc(out, func(a, b Holding) int {
		return cmp.Or(cmp.Compare(a.Area, b.Area), cmp.Compare(width(b.Reach), width(a.Reach)))
	})
	return out
}

// Withheld gives all reasons, nearest first, why grants that have a permission do not give it to a person at t;
// none if the person holds it, or no grant has it.
func (x *Index) Withheld(user, permission string, t time.Time) []Reason {
	u, ok := x.userOf.Find(user)
	p, known := x.permissionOf.Find(permission)
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
func (x *Index) widestAt(u int, at int32, t time.Time) []stretch {
	return slices.DeleteFunc(x.widestOf(x.stretches(u, t, nil)), func(s stretch) bool { return !x.near(s.area, at) })
}

// obstacles is a set of obstacles, each by its place in the order of §7.
type obstacles uint16

func setOf(o Obstacle) obstacles { return 1 << slices.Index(obstacleOrder, o) }

// nearer tells whether o is less in the way than p: fewer things stand against it or, if as many, later ones.
func (o obstacles) nearer(p obstacles) bool {
	a, b := mathbits.OnesCount16(uint16(o)), mathbits.OnesCount16(uint16(p))
	return a < b || a == b && o.last() > p.last()
}

func (o obstacles) last() int { return mathbits.Len16(uint16(o)) - 1 }

// withheld gives, of every permission that a grant which counts near an area has but does not give, the first of
// the reasons that [Index.Withheld] tells.
func (x *Index) withheld(u int, at int32, t time.Time) map[int]Obstacle {
	notLive, notYet, noLonger, readOnly, wholeOnly, noLicence := setOf(
		NotLive,
	), setOf(
		NotYet,
	), setOf(
		NoLonger,
	), setOf(
		IsReadOnly,
	), setOf(
		WholeOnly,
	), setOf(
		NoLicence,
	)
	excluded, retired := setOf(Excluded), setOf(Retired)
	bent := [3]obstacles{byExclusion: excluded, byRetirement: retired, byBoth: excluded | retired}
	best := make([]obstacles, len(x.permissions))
	near, none := x.bits(), x.bits()
	licensed := x.licensed(u)
	always := obstacles(0)
	if !x.live(u, t) {
		always = notLive
	}
	x.grantsOf(u, func(g *grant) bool {
		s := &x.shapes[g.shape]
		common := always
		if g.timed && !g.From.IsZero() && t.Before(g.From) {
			common |= notYet
		}
		if g.timed && !g.Until.IsZero() && !t.Before(g.Until) {
			common |= noLonger
		}
		consider := func(b, without *bitset.BitSet, o obstacles) {
			out := without.Words()
			for k, word := range b.Words() {
				for word &^= out[k]; word != 0; word &= word - 1 {
					p := 64*k + mathbits.TrailingZeros64(word)
					all := o
					if s.key.readOnly && !has(x.readable, p) {
						all |= readOnly
					}
					if s.key.narrowed && has(x.restricted, p) {
						all |= wholeOnly
					}
					if !has(licensed, p) {
						all |= noLicence
					}
					if best[p] == 0 || all.nearer(best[p]) {
						best[p] = all
					}
				}
			}
		}
		if x.near(g.area, at) {
			near.InPlaceUnion(s.given.loose)
		}
		passing := none // what nothing stands against
		if common == 0 {
			passing = x.carried(g).Intersection(licensed)
		}
		consider(s.given.exact, passing, common)
		for k, b := range s.given.bent {
			if b != nil {
				consider(b, s.given.exact, common|bent[k])
			}
		}
		return true
	})
	out := map[int]Obstacle{}
	for p, ok := near.NextSet(0); ok; p, ok = near.NextSet(p + 1) {
		if best[p] != 0 {
			out[int(p)] = obstacleOrder[best[p].last()]
		}
	}
	return out
}

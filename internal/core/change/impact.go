package change

import (
	"time"

	"fachwerk/internal/core/index"
)

// PersonImpact is what one person gains and loses.
type PersonImpact struct {
	User          string
	Gains, Losses []index.Holding
}

// Impact is the difference that a change makes to effective permissions (§10).
type Impact struct {
	People  []PersonImpact // those who gain or lose anything, by id
	Gaining int            // how many people gain something
	Losing  int            // how many lose something
	Lockout bool           // the change would take away the last live owner
}

// Weigh compares effective permissions before and after a change, at t. What somebody held already by a wider grant is no gain, and what
// a wider grant still gives is no loss.
func Weigh(before, after *index.Index, t time.Time) *Impact {
	im := &Impact{Lockout: len(before.Owners(t)) > 0 && len(after.Owners(t)) == 0}
	for _, id := range index.Affected(before, after) {
		was, is := before.Widest(id, t), after.Widest(id, t)
		p := PersonImpact{User: id, Gains: Beyond(before, is, was), Losses: Beyond(after, was, is)}
		if len(p.Gains) > 0 {
			im.Gaining++
		}
		if len(p.Losses) > 0 {
			im.Losing++
		}
		if len(p.Gains)+len(p.Losses) > 0 {
			im.People = append(im.People, p)
		}
	}
	return im
}

// Beyond gives those holdings that none of the others includes, in the areas of x, the index that the others are of. Both lists are
// sorted by permission.
func Beyond(x *index.Index, holdings, others []index.Holding) (out []index.Holding) {
	j := 0
	for _, h := range holdings {
		for j < len(others) && others[j].Permission < h.Permission {
			j++
		}
		included := false
		for k := j; k < len(others) && others[k].Permission == h.Permission && !included; k++ {
			included = others[k] == h || x.Includes(others[k], h)
		}
		if !included {
			out = append(out, h)
		}
	}
	return out
}

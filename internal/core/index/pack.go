package index

import (
	"math"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/packed"
)

// What takes longest to compile is who is in which groups. So that is what is packed of an index; the rest is compiled
// of the design.

// packedPages is how many pages of people or groups a piece holds.
const packedPages = 16

// Pack writes what takes long to compile, as pieces of which [Unpack] makes the index again, with the same design and
// in the same program. A piece is good until emit returns.
func (x *Index) Pack(emit func(piece []byte) error) error {
	var p packed.Piece
	write := func(n int, lists func(i int)) error {
		for i := range n {
			lists(i)
			if (i+1)%(packedPages*pageSize) != 0 && i+1 != n {
				continue
			}
			if err := emit(p.Bytes()); err != nil {
				return err
			}
			p.Empty()
		}
		return nil
	}
	err := write(x.groups.n, func(i int) {
		g := x.groups.at(i)
		p.Number(uint64(g.size))
		p.Ascending(g.members)
	})
	if err != nil {
		return err
	}
	return write(x.people.n, func(i int) {
		u := x.people.at(i)
		p.Ascending(u.direct)
		p.Ascending(u.groups)
	})
}

// Unpack makes the index of a design of the pieces that [Index.Pack] wrote of it. They are an error if they are not
// whole, and cannot be told from those of another design with as many people and groups.
func Unpack(d *model.Design, pieces []string) (*Index, error) {
	return empty(d).update(d, func(u *update) error {
		u.placeGroups(model.MovesOf(u.old.design.Groups, d.Groups))
		u.nest()
		return u.unpack(pieces)
	})
}

// unpack reads who is in which groups.
func (u *update) unpack(pieces []string) error {
	groups, people := &u.Index.groups, &u.Index.people
	of := func(n int) int { return (n + packedPages*pageSize - 1) / (packedPages * pageSize) }
	ofGroups := of(groups.n)
	if len(pieces) != ofGroups+of(people.n) {
		return packed.ErrBroken
	}
	return fan.Each(len(pieces), func(k int) error {
		r := packed.Read(pieces[k])
		if k < ofGroups {
			eachIn(groups, k, func(g *group, m *packed.Lists) {
				if g.size = int32(min(r.Number(), math.MaxInt32)); int(g.size) > people.n {
					r.Break()
				}
				g.members = r.Ascending(people.n, m)
			})
		} else {
			eachIn(people, k-ofGroups, func(p *person, m *packed.Lists) {
				p.direct = r.Ascending(groups.n, m)
				p.groups = r.Ascending(groups.n, m)
			})
		}
		return r.Err()
	})
}

// eachIn calls do with every item of the pages that a piece is about, page by page with memory for their lists.
func eachIn[T any](p *paged[T], piece int, do func(item *T, m *packed.Lists)) {
	for k := piece * packedPages; k < min((piece+1)*packedPages, len(p.pages)); k++ {
		var m packed.Lists
		for i := range p.pages[k] {
			do(p.edit(k<<pageBits|i), &m)
		}
	}
}

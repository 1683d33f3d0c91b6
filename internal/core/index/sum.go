package index

import (
	"crypto/sha256"
	"slices"
)

// Sum stands for exactly some gains and losses: it is the same whatever index they are of.
type Sum [16]byte

// mark12 stands for the id of a permission or an area: 96 bits of its hash, which nobody finds twice.
type mark12 [12]byte

func markOfID(id string) (m mark12) {
	all := sha256.Sum256([]byte(id))
	copy(m[:], all[:])
	return m
}

// summing makes one sum after another, in the same memory.
type summing struct{ noted []byte }

func (s *summing) holding(x *Index, permission, area int32, wide uint8) {
	s.noted = append(s.noted, x.permissionMarks[permission][:]...)
	s.noted = append(s.noted, x.areaMarks[area][:]...)
	s.noted = append(s.noted, wide)
}

// packed notes holdings as [Index.unpack] takes them, and sorts them.
func (s *summing) packed(x *Index, packed []uint64) {
	slices.Sort(packed)
	for _, k := range packed {
		s.holding(x, x.byRank[k>>32], int32(uint32(k)>>2), wholeArea-uint8(k&3))
	}
}

func (s *summing) holdings(x *Index, list []Holding) {
	for _, h := range list {
		p, _ := x.permissionOf.Find(h.Permission)
		area, _ := x.area(h.Area)
		s.holding(x, int32(p), area, uint8(width(h.Reach)))
	}
}

// between ends the gains, after which the losses follow.
func (s *summing) between() { s.noted = append(s.noted, '/') }

// sum gives the sum of what was noted since the last one.
func (s *summing) sum() (out Sum) {
	if len(s.noted) > 1 { // something beside the mark between
		all := sha256.Sum256(s.noted)
		copy(out[:], all[:])
	}
	s.noted = s.noted[:0]
	return out
}

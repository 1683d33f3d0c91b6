// Package packed writes values in a short form that is read back many times faster than JSON, by the same program that
// wrote it: nothing in it says what it means. It is for what can be had anew, if need be, from where it came.
//
// What is packed comes in pieces, so that they can be read side by side.
package packed

import (
	"encoding/binary"
	"errors"
)

// ErrBroken tells that a piece is not what was written.
var ErrBroken = errors.New("what was packed is broken")

// Piece is a part of what is packed, as it is written. Its zero value is empty.
type Piece struct{ data []byte }

// Bytes is what has been written; it is good until the piece is emptied.
func (p *Piece) Bytes() []byte { return p.data }

// Empty takes out all that was written.
func (p *Piece) Empty() { p.data = p.data[:0] }

// Number writes a whole number that is not negative.
func (p *Piece) Number(n uint64) { p.data = binary.AppendUvarint(p.data, n) }

// Signed writes a whole number.
func (p *Piece) Signed(n int64) { p.data = binary.AppendVarint(p.data, n) }

// Text writes a text, without regard to what was written before.
func (p *Piece) Text(s string) {
	p.Number(uint64(len(s)))
	p.data = append(p.data, s...)
}

// Common is texts of one meaning that a piece has, each of which is written but once. Its zero value is for a piece
// that has none yet.
type Common struct {
	known map[string]int // by their number
	again int            // how often one was met again
}

// Texts of one meaning are remembered up to a number, and no longer sought where few have come again.
const (
	mostKnown = 4096
	trial     = 256
)

// Text writes a text to a piece, whole or as the number of one that was written before.
func (c *Common) Text(to *Piece, s string) {
	seek := len(c.known) < trial || c.again >= len(c.known)
	if seek {
		if n, ok := c.known[s]; ok {
			c.again++
			to.Number(uint64(n) + 1)
			return
		}
		if c.known == nil {
			c.known = map[string]int{}
		}
		if len(c.known) < mostKnown {
			c.known[s] = len(c.known)
		}
	}
	to.Number(0)
	to.Text(s)
}

// Empty forgets all, for the next piece.
func (c *Common) Empty() {
	clear(c.known)
	c.again = 0
}

// Ascending writes a list of numbers, none of them negative, each greater than the one before.
func (p *Piece) Ascending(list []int32) {
	p.Number(uint64(len(list)))
	last := int32(-1)
	for _, n := range list {
		p.Number(uint64(n - last))
		last = n
	}
}

// Reader reads a piece, value by value as they were written. After the first that is not there, all are zero, and
// [Reader.Err] tells so.
type Reader struct {
	rest   string
	broken bool
}

// Read begins to read a piece. The texts that are read of it are parts of it, and keep it in memory.
func Read(piece string) *Reader { return &Reader{rest: piece} }

// Err is [ErrBroken] if something that was read was not there, or more is left.
func (r *Reader) Err() error {
	if r.broken || r.rest != "" {
		return ErrBroken
	}
	return nil
}

// Break says that what was read cannot be: nothing more is there.
func (r *Reader) Break() { r.rest, r.broken = "", true }

// Left is how many bytes are still to be read; no more things than that can follow.
func (r *Reader) Left() int { return len(r.rest) }

// Number reads a whole number that is not negative.
func (r *Reader) Number() (n uint64) {
	for i := 0; i < len(r.rest) && i < binary.MaxVarintLen64; i++ {
		b := r.rest[i]
		n |= uint64(b&0x7f) << (7 * i)
		if b < 0x80 {
			r.rest = r.rest[i+1:]
			return n
		}
	}
	r.Break()
	return 0
}

// Signed reads a whole number.
func (r *Reader) Signed() int64 {
	n := r.Number()
	return int64(n>>1) ^ -int64(n&1)
}

// Length reads how many things follow, each of which takes at least one byte.
func (r *Reader) Length() int {
	n := r.Number()
	if n > uint64(len(r.rest)) {
		r.Break()
		return 0
	}
	return int(n)
}

// Text reads what [Piece.Text] wrote.
func (r *Reader) Text() string {
	n := r.Length()
	s := r.rest[:n]
	r.rest = r.rest[n:]
	return s
}

// Common reads what [Common.Text] wrote. Known is the texts of that meaning that were read of the piece.
func (r *Reader) Common(known *[]string) string {
	n := r.Number()
	switch {
	case n == 0:
		s := r.Text()
		if len(*known) < mostKnown {
			*known = append(*known, s)
		}
		return s
	case n > uint64(len(*known)):
		r.Break()
		return ""
	}
	return (*known)[n-1]
}

// Ascending reads a list of numbers below a bound; nil if there are none.
func (r *Reader) Ascending(below int, memory *Lists) []int32 {
	list, last := memory.take(r.Length()), int64(-1)
	for i := range list {
		step := r.Number()
		if step == 0 || step > uint64(below) || last+int64(step) >= int64(below) {
			r.Break()
			return nil
		}
		last += int64(step)
		list[i] = int32(last)
	}
	return list
}

// Lists is memory for lists: for the garbage collector, that is a few things and not hundreds. What one of them takes
// is free again when none of those that share it is used.
type Lists struct{ free []int32 }

func (l *Lists) take(n int) []int32 {
	const many = 4096
	switch {
	case n == 0:
		return nil
	case n > many/8:
		return make([]int32, n)
	case n > len(l.free):
		l.free = make([]int32, many)
	}
	out := l.free[:n:n]
	l.free = l.free[n:]
	return out
}

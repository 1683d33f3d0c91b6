package rules

import (
	"reflect"
	"testing"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// packedOf gives a design and its index as pieces.
func packedOf(t *testing.T, x *index.Index) (design, compiled []string) {
	t.Helper()
	into := func(to *[]string) func([]byte) error {
		return func(piece []byte) error {
			*to = append(*to, string(piece))
			return nil
		}
	}
	if err := x.Design().Pack(into(&design)); err != nil {
		t.Fatal(err)
	}
	if err := x.Pack(into(&compiled)); err != nil {
		t.Fatal(err)
	}
	return design, compiled
}

// TestWhatIsUnpackedIsTheSame packs designs with their indexes and puts them together again: everything is answered as
// before, also after a change.
func TestWhatIsUnpackedIsTheSame(t *testing.T) {
	turn := 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		if turn++; turn%5 != 0 { // there is much to ask of each
			return
		}
		design, compiled := packedOf(t, x)
		again, err := model.Unpack(design)
		if err != nil {
			t.Fatal(err)
		}
		if !reflect.DeepEqual(again, d) {
			t.Fatalf("the design is not the same:\n%+v\nwas\n%+v", again, d)
		}
		y, err := index.Unpack(again, compiled)
		if err != nil {
			t.Fatal(err)
		}
		for step := range 2 {
			if got, want := answers(y), answers(index.Compile(again)); !reflect.DeepEqual(got, want) {
				for i := range want {
					if got[i] != want[i] {
						t.Fatalf("step %d: the unpacked index answers\n%v\nthe compiled one\n%v", step, got[i], want[i])
					}
				}
			}
			for _, op := range r.edits(again, 2) {
				again = again.With([]model.Edit{{Kind: op.Kind, ID: op.ID, After: op.After}})
			}
			y = y.Update(again)
		}
	})
}

// TestWhatIsBrokenIsNotUnpacked alters pieces bit by bit, and takes some away: that is told, or goes unnoticed, but
// nothing panics.
func TestWhatIsBrokenIsNotUnpacked(t *testing.T) {
	r := newRandom(7)
	d := r.design(t)
	design, compiled := packedOf(t, index.Compile(d))
	ofDesign := func(pieces []string) error {
		_, err := model.Unpack(pieces)
		return err
	}
	ofIndex := func(pieces []string) error {
		x, err := index.Unpack(d, pieces)
		if err == nil {
			answers(x)
		}
		return err
	}
	for _, c := range []struct {
		what   string
		pieces []string
		unpack func(pieces []string) error
		every  int // which bytes are altered
	}{{"the design", design, ofDesign, 1}, {"the index", compiled, ofIndex, 13}} {
		if err := c.unpack(c.pieces); err != nil {
			t.Fatalf("%s as it is: %v", c.what, err)
		}
		with := func(i int, piece string) []string {
			altered := append([]string{}, c.pieces...)
			altered[i] = piece
			return altered
		}
		told := 0
		for i, piece := range c.pieces {
			for at := 0; at < len(piece); at += c.every {
				flipped := []byte(piece)
				flipped[at] ^= 1 << r.IntN(8)
				if c.unpack(with(i, string(flipped))) != nil {
					told++
				}
			}
			if c.unpack(with(i, piece+"x")) == nil {
				t.Errorf("%s, with more in piece %d, is taken", c.what, i)
			}
			if piece != "" && c.unpack(with(i, piece[:len(piece)-1])) == nil {
				t.Errorf("%s, with piece %d cut off, is taken", c.what, i)
			}
		}
		if told == 0 {
			t.Errorf("no damage to %s is told", c.what)
		}
		if c.unpack(c.pieces[:len(c.pieces)-1]) == nil || c.unpack(append(c.pieces, "")) == nil || c.unpack(nil) == nil {
			t.Errorf("%s is taken with a piece too few or too many", c.what)
		}
	}
}

package rules

import (
	"reflect"
	"testing"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// TestComparisonIsOfEverything holds what people come to hold, of which only what can differ is looked at, against
// everything that they will hold before and after.
func TestComparisonIsOfEverything(t *testing.T) {
	gained := 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		ops := r.edits(d, 1+r.IntN(4))
		next, _ := change.Apply(d, ops)
		if r.chance(30) {
			next = r.mixed(d, newRandom(r.Uint64()).design(t))
		}
		if next == nil {
			return
		}
		before := ahead.Of(x)
		after := before.Next(x.Update(next))
		compared := ahead.Compare(before, after)
		for _, u := range next.Users {
			want := after.Beyond(after.AllSpans(u.ID, now), before.AllSpans(u.ID, now), now)
			if got := compared.Gains(u.ID, now); !reflect.DeepEqual(got, want) {
				t.Errorf("%s comes to hold %v, want %v", u.ID, got, want)
			}
			gained += len(want)
		}
	})
	if gained < 100 {
		t.Errorf("%d gains in all: too few to tell", gained)
	}
}

// TestPileIsOneUponTheOther holds a pile of changes against designs that are laid one upon the other, where others
// have changed what lies beneath.
func TestPileIsOneUponTheOther(t *testing.T) {
	clashing, merged := 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		drafted := r.edits(d, 4)
		if r.chance(30) { // another root, which an absent area now means
			top := change.Clone(d.Areas[0])
			top.Name = "Another"
			drafted = append(drafted, change.Put(d, top))
		}
		below := d
		for range r.IntN(3) {
			below = change.Lay(below, r.edits(below, 2))
		}
		pile, laid := change.NewPile(below), below
		for i := range drafted {
			ops, clashes := pile.Rebase(drafted[i : i+1])
			want, wanted := change.Rebase(laid, drafted[i:i+1])
			if !reflect.DeepEqual(ops, want) || !reflect.DeepEqual(clashes, wanted) {
				t.Fatalf("change %d comes to\n%v %v\nwant\n%v %v", i, ops, clashes, want, wanted)
			}
			laid = change.Lay(laid, want)
			clashing += len(clashes)
			if len(ops) > 0 && len(clashes) == 0 && !change.Equal(ops[0].After, drafted[i].After) {
				merged++
			}
		}
		for _, o := range drafted {
			if got, want := pile.Get(o.Kind, o.ID), laid.Get(o.Kind, o.ID); !change.Equal(got, want) {
				t.Errorf("the %s %s is %v, want %v", o.Kind, o.ID, got, want)
			}
		}
	})
	if clashing == 0 || merged == 0 {
		t.Errorf("%d clashes, %d merged: nothing is told", clashing, merged)
	}
}

package generate_test

import (
	"slices"
	"testing"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/fit"
	"fachwerk/internal/core/model"
	"fachwerk/internal/generate"
)

// heldByHand gives what each person of a planted organisation holds, as rows of permissions by number.
func heldByHand(d *model.Design) (rows []*bitset.BitSet, keys []string) {
	numbers := map[string]int{}
	for _, s := range d.Systems {
		for _, p := range s.Permissions {
			numbers[p.Key] = len(keys)
			keys = append(keys, p.Key)
		}
	}
	for _, s := range d.Sets {
		row := bitset.New(uint(len(keys)))
		for _, k := range s.Permissions {
			row.Set(uint(numbers[k]))
		}
		rows = append(rows, row)
	}
	return rows, keys
}

// found counts which planted roles were found, as alike as a Jaccard similarity says.
func found(truth [][]string, mined []fit.Mined, keys []string, alike float64) (n int) {
	for _, want := range truth {
		if slices.ContainsFunc(mined, func(m fit.Mined) bool {
			shared := 0
			for _, k := range m.Keys {
				if _, in := slices.BinarySearch(want, keys[k]); in {
					shared++
				}
			}
			return float64(shared) >= alike*float64(len(want)+len(m.Keys)-shared)
		}) {
			n++
		}
	}
	return n
}

// Planted roles are found again: without noise exactly, with some of it nearly all.
func TestPlantedRolesAreFound(t *testing.T) {
	o := generate.Options{Users: 3000, Seed: 7, Planted: 30}
	d, truth := generate.PlantedDesign(o)
	rows, keys := heldByHand(d)
	mined := fit.Mine(rows, len(keys), fit.Usual, nil)
	if len(mined) > 32 {
		t.Errorf("%d roles are proposed for %d that were planted", len(mined), len(truth))
	}
	left := make([]*bitset.BitSet, len(rows))
	for r := range rows {
		left[r] = rows[r].Clone()
	}
	for _, m := range mined {
		for _, r := range m.Rows {
			for _, k := range m.Keys {
				if !rows[r].Test(uint(k)) {
					t.Fatalf("row %d would gain %s", r, keys[k])
				}
				left[r].Clear(uint(k))
			}
		}
	}
	lacking := 0 // what does not pay as a role is left as it is
	for _, b := range left {
		if b.Any() {
			lacking++
		}
	}
	if lacking*100 > len(rows) {
		t.Errorf("of %d people %d are not given all of what they hold", len(rows), lacking)
	}
	o.Noise = 0.02
	d, truth = generate.PlantedDesign(o)
	rows, keys = heldByHand(d)
	almost := fit.Usual
	almost.Almost = true
	if mined = fit.Mine(rows, len(keys), almost, nil); found(truth, mined, keys, 0.9) < 27 {
		t.Errorf("with noise, of %d planted roles %d are found by %d", len(truth), found(truth, mined, keys, 0.9), len(mined))
	}
}

// What is wanted: 100 roles over 10,000 people and 3,000 permissions; without noise exact and at most 105 roles, with 2
// in 100 at least 90 found; both within 60 s and 2 GiB.
func BenchmarkPlanted(b *testing.B) {
	for name, noise := range map[string]float64{"exact": 0, "noise": 0.02} {
		b.Run(name, func(b *testing.B) {
			d, truth := generate.PlantedDesign(generate.Options{Users: 10_000, Seed: 1, Planted: 100, Noise: noise})
			rows, keys := heldByHand(d)
			price := fit.Usual
			price.Almost = noise > 0
			b.ReportAllocs()
			for b.Loop() {
				mined := fit.Mine(rows, len(keys), price, nil)
				b.ReportMetric(float64(len(mined)), "roles")
				b.ReportMetric(float64(found(truth, mined, keys, 0.9)), "found")
				b.ReportMetric(float64(found(truth, mined, keys, 1)), "exactly")
			}
		})
	}
}

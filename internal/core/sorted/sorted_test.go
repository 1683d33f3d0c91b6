package sorted

import (
	"cmp"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

// Lists are spliced as one would take each apart and put it together again, whatever the order in which the entries
// come, and those that were given stay as they are.
func TestSplice(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, n := range []int{1, 3, 40} {
		for range 50 {
			lists, want := make([][]int, n), make([][]int, n)
			var drop, add []Entry[int]
			for at := range n {
				for item := range 12 {
					had, in := r.IntN(2) == 0, r.IntN(2) == 0
					if had {
						lists[at] = append(lists[at], item)
					}
					switch {
					case had && !in:
						drop = append(drop, Entry[int]{int32(at), item})
					case !had && in:
						add = append(add, Entry[int]{int32(at), item})
					}
					if in {
						want[at] = append(want[at], item)
					}
				}
			}
			// In any order of the lists, but in order for each.
			places := r.Perm(n)
			for _, entries := range [][]Entry[int]{drop, add} {
				slices.SortStableFunc(entries, func(a, b Entry[int]) int { return cmp.Compare(places[a.At], places[b.At]) })
			}
			were := make([][]int, n)
			for i := range lists {
				were[i] = slices.Clone(lists[i])
			}
			given := slices.Clone(lists)
			Splice(n, func(i int) *[]int { return &lists[i] }, drop, add, cmp.Compare[int])
			for i := range n {
				if !slices.Equal(lists[i], want[i]) {
					t.Fatalf("list %d is %v, want %v; it was %v", i, lists[i], want[i], were[i])
				}
			}
			if !reflect.DeepEqual(given, were) {
				t.Fatal("a list that others may share was written to")
			}
		}
	}
}

func TestNumbersAreDrainedSorted(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for _, below := range []int{1, 64, 65, 4096, 100_000} {
		s := NewNumbers(below)
		for range 5 {
			var want []int32
			for range r.IntN(200) {
				n := int32(r.IntN(below))
				s.Add(n)
				want = append(want, n)
			}
			slices.Sort(want)
			want = slices.Compact(want)
			if got := s.Drain(nil); !slices.Equal(got, want) {
				t.Fatalf("below %d, it holds %v, want %v", below, got, want)
			}
		}
	}
}

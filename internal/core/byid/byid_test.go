package byid_test

import (
	"fmt"
	"slices"
	"testing"

	"fachwerk/internal/core/byid"
)

// Both kinds find the same, those that search before and after they have made their table.
func TestNumbersAreFoundByID(t *testing.T) {
	const n = 100
	ids := make([]string, n)
	for i := range ids {
		ids[i] = fmt.Sprintf("id%03d", 2*i)
	}
	id := func(i int) string { return ids[i] }
	searches := 0
	searched := byid.Searched(n, id, func(id string) (int, bool) {
		searches++
		return slices.BinarySearch(ids, id)
	})
	made := byid.New(n, id)
	for range 3 {
		for i := range 2*n + 1 {
			asked := fmt.Sprintf("id%03d", i)
			want, is := i/2, i%2 == 0 && i < 2*n
			if !is {
				want = -1
			}
			for name, d := range map[string]*byid.Numbers{"made": made, "searched": searched} {
				if got, ok := d.Find(asked); got != want || ok != is || d.Number(asked) != want {
					t.Fatalf("%s finds %s as %d, %v", name, asked, got, ok)
				}
			}
		}
	}
	if searches == 0 || searches >= n {
		t.Errorf("it searched %d times", searches)
	}
	if got := made.All([]string{"id002", "none", "id000"}); !slices.Equal(got, []int{1, 0}) {
		t.Errorf("all are %v", got)
	}
	twice := byid.New(2, func(int) string { return "same" })
	if twice.Number("same") != 1 {
		t.Error("of two with one id, it is not the last that is found")
	}
}

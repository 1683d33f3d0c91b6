package fan

import (
	"fmt"
	"strings"
	"testing"
)

func TestEveryThingIsInOnePart(t *testing.T) {
	for _, n := range []int{0, 1, 2, 3, 100, 1001} {
		done := make([]int, n)
		sums := make([]int, Parts())
		Out(n, func(p, from, to int) {
			for i := from; i < to; i++ {
				done[i]++
				sums[p]++
			}
		})
		for i, times := range done {
			if times != 1 {
				t.Errorf("of %d, number %d is done %d times", n, i, times)
			}
		}
		for p, sum := range sums {
			if least := n / Parts(); sum < least || sum > least+1 {
				t.Errorf("of %d, part %d has %d", n, p, sum)
			}
		}
	}
}

func TestAPanicIsTheCallers(t *testing.T) {
	defer func() {
		if said := fmt.Sprint(recover()); !strings.Contains(said, "the third") ||
			!strings.Contains(said, "fan_test.go") {
			t.Errorf("the caller is told %q", said)
		}
	}()
	Out(4, func(_, from, to int) {
		if from <= 3 && 3 < to {
			panic("the third")
		}
	})
	t.Error("nothing is told")
}

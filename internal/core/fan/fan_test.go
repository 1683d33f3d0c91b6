package fan

import (
	"errors"
	"fmt"
	"slices"
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

func TestEachTellsTheFirstError(t *testing.T) {
	for _, n := range []int{0, 1, 5, 100} {
		done := make([]bool, n)
		err := Each(n, func(i int) error {
			done[i] = true
			if i%4 == 3 {
				return fmt.Errorf("number %d", i)
			}
			return nil
		})
		switch {
		case n <= 3 && (err != nil || slices.Contains(done, false)):
			t.Errorf("of %d: %v, done %v", n, err, done)
		case n > 3 && (err == nil || err.Error() != "number 3"):
			t.Errorf("of %d, the error is %v", n, err)
		}
	}
}

func TestAheadUsesInOrder(t *testing.T) {
	for _, c := range []struct {
		failMaking, failUsing int
		want                  string
	}{{-1, -1, "0 1 2 3 4 5 6 7 8 9 <nil>"}, {4, -1, "0 1 2 3 making"}, {-1, 4, "0 1 2 3 using"}, {0, 0, "making"}} {
		var said []string
		err := Ahead(10, func(i int) (int, error) {
			if i == c.failMaking {
				return 0, errors.New("making")
			}
			return 10 * i, nil
		}, func(i, made int) error {
			if i == c.failUsing {
				return errors.New("using")
			}
			said = append(said, fmt.Sprint(made/10))
			return nil
		})
		if got := strings.Join(append(said, fmt.Sprint(err)), " "); got != c.want {
			t.Errorf("it does %q, want %q", got, c.want)
		}
	}
	defer func() {
		if said := fmt.Sprint(recover()); !strings.Contains(said, "the third") {
			t.Errorf("the caller is told %q", said)
		}
	}()
	_ = Ahead(5, func(i int) (int, error) {
		if i == 3 {
			panic("the third")
		}
		return i, nil
	}, func(int, int) error { return nil })
	t.Error("nothing is told of a panic")
}

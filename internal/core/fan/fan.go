// Package fan does work in several parts at once.
package fan

import (
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
)

// parts is how many processors there were for the program when it began.
var parts = runtime.GOMAXPROCS(0)

// Parts is how many parts run at once.
func Parts() int { return parts }

// Out calls do for each of [Parts] parts of n things, side by side: part number p is about those from from up to,
// not including, to. It returns when all are done. A panic in a part becomes one of the caller's, who can recover
// from it, with the stack that it had.
func Out(n int, do func(p, from, to int)) {
	var wait sync.WaitGroup
	failed := make([]error, parts)
	for p := range parts {
		wait.Go(func() { failed[p] = Caught(func() { do(p, n*p/parts, n*(p+1)/parts) }) })
	}
	wait.Wait()
	for _, err := range failed {
		if err != nil {
			panic(err)
		}
	}
}

// Caught calls do, and gives a panic in it as an error, with the stack that it had: in a goroutine of its own, it would
// end the program.
func Caught(do func()) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("%v\n%s", r, debug.Stack())
		}
	}()
	do()
	return nil
}

// Each calls do for each of n things, in [Parts] parts side by side. It gives the first error of a part, which ends
// with it.
func Each(n int, do func(i int) error) error {
	failed := make([]error, Parts())
	Out(n, func(p, from, to int) {
		for i := from; i < to && failed[p] == nil; i++ {
			failed[p] = do(i)
		}
	})
	for _, err := range failed {
		if err != nil {
			return err
		}
	}
	return nil
}

// Ahead makes n things, one after another, and has each used while the next is made. The first error ends it; a panic
// in making one becomes the caller's.
func Ahead[T any](n int, produce func(i int) (T, error), use func(i int, made T) error) error {
	type outcome struct {
		made     T
		err      error
		panicked error
	}
	outcomes, ended := make(chan outcome), make(chan struct{})
	defer close(ended)
	go func() {
		defer close(outcomes)
		for i := range n {
			var o outcome
			o.panicked = Caught(func() { o.made, o.err = produce(i) })
			select {
			case outcomes <- o:
			case <-ended:
				return
			}
		}
	}()
	i := 0
	for o := range outcomes {
		if o.panicked != nil {
			panic(o.panicked)
		}
		if o.err != nil {
			return o.err
		}
		if err := use(i, o.made); err != nil {
			return err
		}
		i++
	}
	return nil
}

// Merged merges the lists that parts have made, each in order, into one; what is alike stays in the order of the parts.
func Merged[T any](lists [][]T, order func(a, b T) int) (out []T) {
	for _, list := range lists {
		if len(out) == 0 {
			out = list
			continue
		}
		both := make([]T, 0, len(out)+len(list))
		for _, e := range list {
			for len(out) > 0 && order(out[0], e) <= 0 {
				both, out = append(both, out[0]), out[1:]
			}
			both = append(both, e)
		}
		out = append(both, out...)
	}
	return out
}

package index

import "slices"

// paged is a long list in pages: one that differs little from another shares most of its memory with it. The list
// that another one was copied from must not be written to any longer.
type paged[T any] struct {
	n     int
	pages [][]T
	owned []bool // of pages: whether they are this list's alone; nil if none is
}

const (
	pageBits = 8
	pageSize = 1 << pageBits
)

func newPaged[T any](n int) paged[T] {
	p := paged[T]{n: n}
	for start := 0; start < n; start += pageSize {
		p.pages, p.owned = append(p.pages, make([]T, min(pageSize, n-start))), append(p.owned, true)
	}
	return p
}

// copied is a list with the same items, to be written to.
func (p *paged[T]) copied() paged[T] { return paged[T]{n: p.n, pages: p.pages} }

// at gives an item to be read.
func (p *paged[T]) at(i int) *T { return &p.pages[i>>pageBits][i&(pageSize-1)] }

// edit gives an item to be written.
func (p *paged[T]) edit(i int) *T {
	if p.owned == nil {
		p.pages, p.owned = slices.Clone(p.pages), make([]bool, len(p.pages))
	}
	k := i >> pageBits
	if !p.owned[k] {
		p.pages[k], p.owned[k] = slices.Clone(p.pages[k]), true
	}
	return &p.pages[k][i&(pageSize-1)]
}

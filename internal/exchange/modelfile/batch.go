package modelfile

import (
	"bytes"
	"maps"
	"reflect"
	"strconv"

	"github.com/go-json-experiment/json/jsontext"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/model"
)

// batch is some objects of a list, one after another: while the document is taken apart, they are read beside it.
type batch struct {
	kind     model.Kind
	first    int // the place of the first in the list
	raw      []byte
	ends     []int // where each ends in raw
	objects  []model.Object
	problems []model.Problem
	bad      map[string]bool
	err      error
	done     chan struct{}
}

// batchSize is how many bytes a batch has, or little more.
const batchSize = 1 << 18

// objects reads a list of objects of a kind into the design.
func (r *reader) objects(kind model.Kind) error {
	if r.workers == nil {
		r.workers = make(chan *reader, fan.Parts())
		for range cap(r.workers) {
			r.workers <- &reader{}
		}
	}
	var begun []*batch // which are being read, in the order of the list
	b := &batch{kind: kind}
	send := func() {
		b.done = make(chan struct{})
		worker := <-r.workers
		go func(b *batch) {
			defer close(b.done)
			defer func() { r.workers <- worker }()
			if err := fan.Caught(func() { worker.batch(b) }); err != nil {
				b.err = err
			}
		}(b)
		begun = append(begun, b)
		b = &batch{kind: kind, first: b.first + len(b.ends)}
	}
	take := func() error {
		b := begun[0]
		begun = begun[1:]
		<-b.done
		for _, o := range b.objects {
			r.design.Add(o) // even a broken one, so that positions stay true
		}
		r.problems = append(r.problems, b.problems...)
		maps.Copy(r.bad, b.bad)
		return b.err
	}
	err := r.list(func() error {
		raw, err := r.dec.ReadValue()
		if err != nil {
			return err
		}
		b.raw, b.ends = append(b.raw, raw...), append(b.ends, len(b.raw)+len(raw))
		if len(b.raw) < batchSize {
			return nil
		}
		if send(); len(begun) > fan.Parts() {
			return take()
		}
		return nil
	})
	if len(b.ends) > 0 {
		send()
	}
	for len(begun) > 0 {
		if e := take(); err == nil {
			err = e
		}
	}
	return err
}

// batch reads the objects of a batch.
func (r *reader) batch(b *batch) {
	r.problems, r.bad = nil, map[string]bool{}
	start := 0
	for i, end := range b.ends {
		o, err := model.New(b.kind)
		if err != nil {
			b.err = err
			return
		}
		if raw := bytes.NewReader(b.raw[start:end]); r.dec == nil {
			r.dec = jsontext.NewDecoder(raw)
		} else {
			r.dec.Reset(raw)
		}
		r.path = append(r.path[:0], b.kind.Plural()...)
		r.path = append(strconv.AppendInt(append(r.path, '['), int64(b.first+i), 10), ']')
		if b.err = r.read(reflect.ValueOf(o).Elem()); b.err != nil {
			return
		}
		b.objects = append(b.objects, o)
		start = end
	}
	b.problems, b.bad = r.problems, r.bad
}

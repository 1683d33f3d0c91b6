package desk_test

import (
	"path/filepath"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// BenchmarkFind and BenchmarkList measure what is asked at every key that is pressed, on the demo organisation.
func BenchmarkFind(b *testing.B) {
	d := benchDesk(b)
	for name, text := range map[string]string{"name": "tomasz oye", "question": "who can override gates at terminal 1", "why not": "why can't noor edit rates", "letter": "a"} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if found, err := d.Find(signe, text); err != nil || len(found) == 0 {
					b.Fatal(found, err)
				}
			}
		})
	}
}

func BenchmarkList(b *testing.B) {
	d := benchDesk(b)
	for name, q := range map[string]desk.Listing{"words": {Kind: model.KindUser, Query: "gate terminal"}, "filter": {Kind: model.KindUser, Query: `title co "clerk"`}, "sorted by a count": {Kind: model.KindRole, Sort: "holders", Down: true}} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				q.Limit = 100
				if _, err := d.List(signe, q); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func benchDesk(b *testing.B) *desk.Desk {
	s, err := store.Open(filepath.Join(b.TempDir(), "x.db"), false)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = s.Close() })
	if err := demo.Fill(s, today); err != nil {
		b.Fatal(err)
	}
	d, err := desk.Open(s, func() time.Time { return today })
	if err != nil {
		b.Fatal(err)
	}
	return d
}

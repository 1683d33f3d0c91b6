package rules_test

import (
	"sync"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/generate"
)

// large is an organisation of 100,000 people, made once for all benchmarks.
var large = sync.OnceValue(func() *model.Design { return generate.Design(generate.Options{Users: 100_000, Seed: 1}) })

var largeIndex = sync.OnceValue(func() *index.Index { return index.Compile(large()) })

func BenchmarkCompile(b *testing.B) {
	d := large()
	b.ReportAllocs()
	for b.Loop() {
		index.Compile(d)
	}
}

// BenchmarkEverybody materialises the effective permissions of all people.
func BenchmarkEverybody(b *testing.B) {
	x := largeIndex()
	b.ReportAllocs()
	for b.Loop() {
		people, n := 0, 0
		for _, list := range x.Everybody(generate.Day) {
			people++
			for _, g := range list {
				n += g.Count()
			}
		}
		b.ReportMetric(float64(people), "people")
		b.ReportMetric(float64(n)/float64(people), "holdings/person")
	}
}

func BenchmarkDecision(b *testing.B) {
	x := largeIndex()
	d := x.Design()
	var keys []string
	for _, s := range d.Systems {
		for _, p := range s.Permissions {
			keys = append(keys, p.Key)
		}
	}
	b.ReportAllocs()
	i, yes := 0, 0
	for b.Loop() {
		if x.Allowed(d.Users[i*7919%len(d.Users)].ID, keys[i*104729%len(keys)], index.Record{Area: d.Areas[i*31%len(d.Areas)].ID}, generate.Day) {
			yes++
		}
		i++
	}
	b.ReportMetric(float64(yes)/float64(i), "allowed")
}

func BenchmarkWhoCan(b *testing.B) {
	x := largeIndex()
	d := x.Design()
	i, n := 0, 0
	for b.Loop() {
		s := d.Systems[i%len(d.Systems)]
		n += len(x.Holders(index.KindPermission, s.Permissions[i*7%len(s.Permissions)].Key, generate.Day))
		i++
	}
	b.ReportMetric(float64(n)/float64(i), "people")
}

func BenchmarkWall(b *testing.B) {
	x := largeIndex()
	i := 0
	for b.Loop() {
		x.Wall(x.Design().Users[i*7919%len(x.Design().Users)].ID, "", generate.Day)
		i++
	}
}

func BenchmarkImpactOfARole(b *testing.B) {
	x := largeIndex()
	// The role that reaches most.
	most, role := 0, ""
	for _, r := range x.Design().Roles[:40] {
		if n := x.HolderCount(model.KindRole, r.ID, generate.Day); n > most {
			most, role = n, r.ID
		}
	}
	before, _ := x.Design().Roles.Find(role)
	after := change.Clone(before)
	after.Permissions = append(after.Permissions, x.Design().Systems[7].Permissions[4].Key)
	ops := []change.Op{{Kind: model.KindRole, ID: role, Before: before, After: after}}
	b.Run("index", func(b *testing.B) {
		for b.Loop() {
			index.Compile(x.Design().With([]model.Edit{{Kind: model.KindRole, ID: role, After: after}}))
		}
	})
	y := index.Compile(x.Design().With([]model.Edit{{Kind: model.KindRole, ID: role, After: after}}))
	b.Run("impact", func(b *testing.B) {
		for b.Loop() {
			im := change.Weigh(x, y, ops, generate.Day)
			b.ReportMetric(float64(im.Gaining), "people")
		}
	})
}

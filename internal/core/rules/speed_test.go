package rules

import (
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/generate"
)

// large is an organisation of 100,000 people, or of as many as FACHWERK_PEOPLE says, made once for all benchmarks.
var large = sync.OnceValue(func() *model.Design {
	n, err := strconv.Atoi(os.Getenv("FACHWERK_PEOPLE"))
	if err != nil {
		n = 100_000
	}
	return generate.Design(generate.Options{Users: n, Seed: 1})
})

var largeIndex = sync.OnceValue(func() *index.Index { return index.Compile(large()) })

func BenchmarkCompile(b *testing.B) {
	d := large()
	b.ReportAllocs()
	for b.Loop() {
		index.Compile(d)
	}
}

// BenchmarkEverybody materialises the effective permissions of all people, in as many parts at once as there are
// processors.
func BenchmarkEverybody(b *testing.B) {
	x := largeIndex()
	b.ReportAllocs()
	for b.Loop() {
		var people, holdings atomic.Int64
		var wait sync.WaitGroup
		parts := runtime.GOMAXPROCS(0)
		for part := range parts {
			wait.Go(func() {
				for _, list := range x.EachUser(part, parts, generate.Day) {
					people.Add(1)
					for _, g := range list {
						holdings.Add(int64(g.Count()))
					}
				}
			})
		}
		wait.Wait()
		b.ReportMetric(float64(people.Load()), "people")
		b.ReportMetric(float64(holdings.Load())/float64(people.Load()), "holdings/person")
	}
}

// question is one that a program might ask.
type question struct {
	user, permission string
	record           index.Record
}

// questions are of many people, permissions and areas, spread evenly; in memory of their own, as those that come in
// by a door.
func questions(d *model.Design, n int) []question {
	var keys []string
	for _, s := range d.Systems {
		for _, p := range s.Permissions {
			keys = append(keys, p.Key)
		}
	}
	out := make([]question, n)
	for i := range out {
		out[i] = question{
			strings.Clone(d.Users[i*7919%len(d.Users)].ID),
			strings.Clone(keys[i*104729%len(keys)]),
			index.Record{Area: strings.Clone(d.Areas[i*31%len(d.Areas)].ID)},
		}
	}
	return out
}

func BenchmarkDecision(b *testing.B) {
	x := largeIndex()
	list := questions(x.Design(), 1<<16)
	b.ReportAllocs()
	i, yes := 0, 0
	for b.Loop() {
		if q := &list[i&(len(list)-1)]; x.Allowed(q.user, q.permission, q.record, generate.Day) {
			yes++
		}
		i++
	}
	b.ReportMetric(float64(yes)/float64(i), "allowed")
}

// BenchmarkOnePerson computes the effective permissions of one person after another: by the index, by a recursive
// query over tables, and by the plain reading.
func BenchmarkOnePerson(b *testing.B) {
	x := largeIndex()
	d := x.Design()
	person := func(i int) string { return d.Users[i*7919%len(d.Users)].ID }
	b.Run("index", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			x.Effective(person(i), generate.Day)
		}
	})
	db := sqlTables(b, d, x)
	b.Run("sql", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			if i < 3 && sqlCount(b, db, person(i), generate.Day) != len(x.Effective(person(i), generate.Day)) {
				b.Fatal("the query computes something else")
			}
			sqlCount(b, db, person(i), generate.Day)
		}
	})
}

// BenchmarkPlain puts the index beside the plain reading of the rules, in an organisation of 1,000: in a large one
// that would not come to an end.
func BenchmarkPlain(b *testing.B) {
	d := generate.Design(generate.Options{Users: 1000, Seed: 1})
	x := index.Compile(d)
	person := func(i int) string { return d.Users[i*37%len(d.Users)].ID }
	b.Run("index", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			x.Effective(person(i), generate.Day)
		}
	})
	b.Run("plain", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			plain{d}.effective(person(i), generate.Day)
		}
	})
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

// BenchmarkUpdate makes small changes: the new design, the new index from the old one, and the same from nothing.
func BenchmarkUpdate(b *testing.B) {
	x := largeIndex()
	d := x.Design()
	system := d.Systems[7]
	group, set, user := change.Clone(d.Groups[1234]), change.Clone(d.Sets[77]), change.Clone(d.Users[4321])
	group.Type, group.Rule, group.Users = model.Static, "", append(slices.Clone(group.Users), d.Users[777].ID)
	set.Permissions = append(set.Permissions, system.Permissions[4].Key)
	user.Department = "Department 3"
	fresh := &model.User{ID: "p-new", UserName: "new@skerryhaven.example", DisplayName: "New", State: model.UserActive}
	for _, c := range []struct {
		name  string
		after model.Object
	}{
		{"member", group},
		{"assignment", &model.Assignment{ID: "x-new", Subject: model.Subject{User: d.Users[99].ID}, Role: d.Roles[9].ID}},
		{"permission", set},
		{"account", user},
		{"newcomer", fresh},
	} {
		edits := []model.Edit{{Kind: c.after.Kind(), ID: c.after.Ident(), After: c.after}}
		b.Run(c.name+"/design", func(b *testing.B) {
			for b.Loop() {
				d.With(edits)
			}
		})
		after := d.With(edits)
		b.Run(c.name+"/index", func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				x.Update(after)
			}
		})
	}
}

// BenchmarkImpact weighs an edit of a role that half of all people hold: the one that comes nearest, given to a
// group of as many more as that takes.
func BenchmarkImpact(b *testing.B) {
	x := largeIndex()
	d := x.Design()
	var role *model.Role
	most, half := 0, len(d.Users)/2
	for _, r := range d.Roles {
		if n := x.HolderCount(model.KindRole, r.ID, generate.Day); n > most && n <= half {
			most, role = n, r
		}
	}
	more := &model.Group{ID: "half", Name: "Half of all", Type: model.Static}
	holding := x.Holders(model.KindRole, role.ID, generate.Day)
	for _, u := range d.Users {
		if _, holds := slices.BinarySearch(holding, u.ID); !holds && len(more.Users) < half-most &&
			x.Live(u.ID, generate.Day) {
			more.Users = append(more.Users, u.ID)
		}
	}
	given := &model.Assignment{ID: "half", Subject: model.Subject{Group: more.ID}, Role: role.ID, Area: d.Root()}
	d = d.With(
		[]model.Edit{
			{Kind: model.KindGroup, ID: more.ID, After: more},
			{Kind: model.KindAssignment, ID: given.ID, After: given},
		},
	)
	x = x.Update(d)
	after := change.Clone(role)
	after.Permissions = append(after.Permissions, unheard(x, role)...)
	edits := []model.Edit{{Kind: model.KindRole, ID: role.ID, After: after}}
	ops := []change.Op{{Kind: model.KindRole, ID: role.ID, Before: role, After: after}}
	y := x.Update(d.With(edits))
	b.ReportAllocs()
	for b.Loop() {
		im := change.ImpactOf(x, y, ops, generate.Day)
		b.ReportMetric(float64(im.Gaining), "people")
	}
	b.ReportMetric(float64(x.HolderCount(model.KindRole, role.ID, generate.Day)), "holders")
}

// unheard gives a permission without a licence that a role has not, of a system that few hold.
func unheard(x *index.Index, role *model.Role) []string {
	has := x.Content(model.KindRole, role.ID)
	best, fewest := "", len(x.Design().Users)
	for _, s := range x.Design().Systems {
		if s.Licence != "" {
			continue
		}
		for _, p := range s.Permissions {
			if n := x.HolderCount(index.KindPermission, p.Key, generate.Day); p.Licence == "" &&
				p.Span != model.SpanOrganisation &&
				len(p.Implies) == 0 &&
				n < fewest &&
				!slices.Contains(has, p.Key) {
				best, fewest = p.Key, n
			}
		}
	}
	return []string{best}
}

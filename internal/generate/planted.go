package generate

import (
	"math/rand/v2"
	"slices"
	"strconv"

	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
)

// The fixed shapes of an organisation in which roles are planted.
const (
	plantedSystems = 75 // of 40 permissions each: 3,000
	leastPlanted   = 15 // permissions of a planted role, before what these imply
	mostPlanted    = 45
)

// planted makes an organisation whose people hold everything by hand, a permission set each, so that the roles by
// which they came to hold it are to be found again. It gives what these roles were: their permissions, with what they
// imply, sorted. Of what each person holds, a share of Noise is left out, and as much is added that no role of theirs
// gives.
func (g *generator) planted(add func(model.Object)) (truth [][]string) {
	add(&model.Area{ID: g.areaID(0), Name: "Area 0"})
	var catalogue []string
	implied := map[string][]string{}
	for i := range plantedSystems {
		s := g.system(i)
		s.Licence = ""
		for _, p := range s.Permissions {
			p.Licence, p.Span = "", ""
			catalogue, implied[p.Key] = append(catalogue, p.Key), p.Implies
		}
		add(s)
	}
	closed := func(keys []string) []string {
		for n := 0; n < len(keys); n++ {
			for _, k := range implied[keys[n]] {
				if !slices.Contains(keys, k) {
					keys = append(keys, k)
				}
			}
		}
		return sorted(keys)
	}
	r := g.random("planted")
	for range g.Planted {
		var keys []string
		systems := r.Perm(plantedSystems)[:3+r.IntN(4)]
		for range leastPlanted + r.IntN(mostPlanted-leastPlanted+1) {
			keys = append(keys, g.keys(r, systems[r.IntN(len(systems))], 1)...)
		}
		truth = append(truth, closed(sorted(keys)))
	}
	// People of one title have the same roles, and one in five of them one more.
	byTitle := make([][]int, max(2, g.Planted/2))
	for t := range byTitle {
		byTitle[t] = r.Perm(g.Planted)[:min(g.Planted, 2+r.IntN(3))]
	}
	titles := make([]int, g.Users)
	for i := range g.Users {
		t := r.IntN(len(byTitle))
		titles[i] = t
		roles := slices.Clone(byTitle[t])
		if r.IntN(5) == 0 {
			roles = append(roles, r.IntN(g.Planted))
		}
		var keys []string
		for _, role := range roles {
			keys = append(keys, truth[role]...)
		}
		add(&model.Set{
			ID: id("h", i, g.Users), Name: "What " + strconv.Itoa(i) + " holds",
			Permissions: g.noisy(r, sorted(keys), catalogue),
		})
	}
	for i := range g.Users {
		u := &model.User{ID: g.userID(i), DisplayName: demo.PersonName(i), JobTitle: "Title " + strconv.Itoa(titles[i]),
			Department: "Department 0"}
		u.UserName = u.ID + "@skerryhaven.example"
		add(u)
	}
	for i := range g.Users {
		add(&model.Assignment{
			ID: id("x", i, g.Users), Subject: model.Subject{User: g.userID(i)}, Set: id("h", i, g.Users),
		})
	}
	return truth
}

// noisy leaves a share out of what somebody holds, and adds as much of the rest of a catalogue.
func (g *generator) noisy(r *rand.Rand, keys, catalogue []string) []string {
	if g.Noise <= 0 {
		return keys
	}
	n := len(keys)
	out := slices.DeleteFunc(keys, func(string) bool { return r.Float64() < g.Noise })
	for range n {
		if r.Float64() < g.Noise {
			out = append(out, catalogue[r.IntN(len(catalogue))])
		}
	}
	return sorted(out)
}

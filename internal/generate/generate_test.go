package generate_test

import (
	"bytes"
	"testing"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/modelfile"
	"fachwerk/internal/generate"
)

func written(t *testing.T, o generate.Options) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := generate.Write(&b, o); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestOrganisations(t *testing.T) {
	for _, n := range []int{1, 7, 100, 5000} {
		file := written(t, generate.Options{Users: n, Seed: 3})
		d, problems, err := modelfile.Read(bytes.NewReader(file))
		if err != nil || len(problems) > 0 {
			t.Fatalf("%d people: %v, %v", n, problems, err)
		}
		if len(d.Users) != n {
			t.Errorf("asked for %d people, %d came", n, len(d.Users))
		}
		var again bytes.Buffer
		if err := modelfile.Write(&again, d, nil); err != nil || !bytes.Equal(file, again.Bytes()) {
			t.Errorf("%d people: the file is not in canonical form (%v)", n, err)
		}
		if !bytes.Equal(file, written(t, generate.Options{Users: n, Seed: 3})) {
			t.Errorf("%d people: the same seed gave another file", n)
		}
		if bytes.Equal(file, written(t, generate.Options{Users: n, Seed: 4})) {
			t.Errorf("%d people: another seed gave the same file", n)
		}
	}
}

// TestShapes holds the shapes against what the package promises.
func TestShapes(t *testing.T) {
	d := generate.Design(generate.Options{Users: 20_000, Seed: 1})
	if problems := model.Check(d); len(problems) > 0 {
		t.Fatal(problems[0])
	}
	x := index.Compile(d)
	deepest, rules, largest, members := 0, 0, 0, 0
	var depth func(g *model.Group) int
	depth = func(g *model.Group) (most int) {
		for _, c := range g.Groups {
			child, _ := d.Groups.Find(c)
			most = max(most, depth(child))
		}
		return most + 1
	}
	for _, g := range d.Groups {
		if g.Type == model.Rule {
			rules++
		}
		deepest, largest, members = max(deepest, depth(g)), max(largest, len(g.Users)), members+len(g.Users)
	}
	if deepest != 8 || rules < len(d.Groups)/100 || largest < 200 {
		t.Errorf(
			"groups nest %d deep, %d of %d have rules, the largest lists %d",
			deepest,
			rules,
			len(d.Groups),
			largest,
		)
	}
	if each := float64(members) / float64(len(d.Users)); each < 2 || each > 4 {
		t.Errorf("a person is listed in %.1f groups", each)
	}
	grants, limited, timed, reach, to := 0, 0, 0, 0, map[string]int{}
	for _, a := range d.Assignments {
		to[a.Subject.Group]++
		if a.Area != "" {
			limited++
		}
		if !a.From.IsZero() || !a.Until.IsZero() {
			timed++
		}
		if a.Reach != model.ReachArea {
			reach++
		}
	}
	for _, u := range d.Users {
		for _, g := range x.GroupsOf(u.ID) {
			grants += to[g.Group]
		}
	}
	if each := float64(grants) / float64(len(d.Users)); each < 50 || each > 80 {
		t.Errorf("a person has %.0f grants by way of groups", each)
	}
	if n := len(d.Assignments); limited < n/2 || timed < n/20 || reach < n/20 {
		t.Errorf("of %d assignments %d are limited to an area, %d to a time, %d by reach", n, limited, timed, reach)
	}
}

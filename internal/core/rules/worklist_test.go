package rules

import (
	"slices"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
)

// step gives a random step on a design with which nothing is wrong.
func (r random) step(d *model.Design) worklist.Step {
	for {
		s := worklist.Step{
			Do:    worklist.Does[r.IntN(len(worklist.Does))],
			Roles: some(r, idsOf(d.Roles), 2),
			Sets:  some(r, idsOf(d.Sets), 2),
			Home:  r.chance(30),
			Field: worklist.Fields[r.IntN(len(worklist.Fields))],
		}
		if r.chance(50) {
			s.Until = r.instant()
		}
		if r.chance(60) {
			s.Groups = some(r, idsOf(d.Groups), 2)
		}
		if r.chance(60) {
			s.Licences = some(r, idsOf(d.Licences), 2)
		}
		if r.chance(60) {
			s.Area = pick(r, d.Areas).ID
		}
		switch {
		case s.Field == "manager" && r.chance(80):
			s.Value = pick(r, d.Users).ID
		case s.Field == "area":
			s.Value = pick(r, d.Areas).ID
		case r.chance(70):
			s.Value = []string{"one", "two"}[r.IntN(2)]
		}
		if s.Do == worklist.Qualify || s.Do == worklist.Unqualify {
			s.Field = "crane"
		}
		if s.Do == worklist.Delete && r.chance(70) {
			s.Successor = pick(r, d.Users).ID
		}
		if s.Wrong(d) == "" {
			return s
		}
	}
}

func distinct(ids []string) []string {
	slices.Sort(ids)
	return slices.Compact(ids)
}

// What a worklist would do is what its steps one by one would do, and leaves a design that is well-formed.
func TestAWorklistIsItsStepsOneByOne(t *testing.T) {
	did := map[worklist.Do]int{}
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		people := distinct(some(r, idsOf(d.Users), 6))
		steps := make([]worklist.Step, 1+r.IntN(4))
		deletes := false // of two that delete, the second is told what the first leaves behind only once that is done
		for i := range steps {
			for steps[i] = r.step(d); deletes && steps[i].Do == worklist.Delete; {
				steps[i] = r.step(d)
			}
			deletes = deletes || steps[i].Do == worklist.Delete
		}
		going := func(int) bool { return true }
		all, _ := worklist.Try(d, people, steps, nil, going)
		now := d
		for n := range steps {
			one, _ := worklist.Try(now, people, steps[n:n+1], nil, going)
			for i, row := range one.Rows {
				if was, is := all.Rows[i].Outcomes[n].Result, row.Outcomes[0].Result; was != is {
					t.Fatalf("step %d (%s) for %s: %+v at once, %+v alone", n+1, steps[n].Do, row.User, all.Rows[i].Outcomes[n],
						row.Outcomes[0])
				}
				if row.Outcomes[0].Result == worklist.Done {
					did[steps[n].Do]++
				}
			}
			now = change.Lay(now, one.Ops)
		}
		atOnce := change.Lay(d, all.Ops)
		if rest := change.Difference(now, atOnce); len(rest) > 0 {
			t.Fatalf(
				"at once differs from one by one: %s %s, from %+v to %+v",
				rest[0].Kind,
				rest[0].ID,
				rest[0].Before,
				rest[0].After,
			)
		}
		if wrong := model.Errors(model.CheckChange(d, atOnce)); len(wrong) > 0 {
			t.Fatal(wrong[0])
		}
		if len(all.Ops) > 0 {
			if _, problems := change.Apply(d, all.Ops); len(model.Errors(problems)) > 0 {
				t.Fatal(problems[0])
			}
		}
	})
	for _, do := range worklist.Does {
		if did[do] == 0 && do != worklist.NewPassword { // for which nobody has an address
			t.Errorf("no step %q ever did anything", do)
		}
	}
}

// What is left out, whole or by a step, changes nothing; the rest is done as it would be without.
func TestWhatIsLeftOutOfAWorklistStaysOut(t *testing.T) {
	each(t, func(t *testing.T, r random, d *model.Design, _ *index.Index) {
		people := distinct(some(r, idsOf(d.Users), 6))
		if len(people) < 2 {
			return
		}
		steps := []worklist.Step{r.step(d), r.step(d)}
		going := func(int) bool { return true }
		but := map[worklist.At]string{{User: people[0], Step: -1}: "not them"}
		got, _ := worklist.Try(d, people, steps, but, going)
		want, _ := worklist.Try(d, people[1:], steps, nil, going)
		if rest := change.Difference(change.Lay(d, want.Ops), change.Lay(d, got.Ops)); len(rest) > 0 {
			t.Fatalf("whom it leaves out makes a difference: %+v", rest[0])
		}
		for _, o := range got.Rows[0].Outcomes {
			if o != (worklist.Outcome{Result: worklist.Not, Said: "not them"}) {
				t.Fatalf("left out, but %+v", o)
			}
		}
	})
}

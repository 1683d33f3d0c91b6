package intake_test

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
)

// cells are what may stand in a cell: what is right, and what is wrong in every way that comes to mind.
var cells = []string{
	"", "", "", "-", "ann", "bo", "fed", "Twin", "gone", "nobody", "Ann Ash", "ann@x.example", "no@no@no", "1", "2", "77",
	"Crew", "From outside", "By rule", "New group", "New group", "Other group", "everyone", "Gate clerk", "Gate lead",
	"Old role",
	"Standard", "Terminal 1", "t2", "Nowhere", "active", "locked", "deleted", "flying", "2026-01-01", "2027-01-01",
	"31.12.2026",
	"9999-12-31T23:59:59-05:00", "0000-00-00", "Ann Ash; bo", "bo; nobody", "ann; bo; Crew", "a\x00b", "\xff", "öäü", "ﬀ",
	"s:gate:view", "Quaybook", "own", "area", "read-only", "x",
}

// Whatever stands in a file: what it changes can be applied, a row with which something is wrong does nothing at all,
// and takes away nothing of what the others do.
func TestBadRowsStayOut(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 7))
	wrong, right := 0, 0
	for round := range 3000 {
		d := organisation()
		kind := intake.Kinds[r.IntN(len(intake.Kinds))]
		var columns []string
		for _, f := range intake.Fields(kind) {
			if f.Required || r.IntN(3) > 0 {
				columns = append(columns, f.Name)
			}
		}
		rows := make([][]string, 1+r.IntN(7))
		for i := range rows {
			for _, c := range columns {
				cell := cells[r.IntN(len(cells))]
				if r.IntN(3) > 0 { // most of a file is right
					cell = likely(r, c)
				}
				rows[i] = append(rows[i], cell)
			}
		}
		o := intake.Options{Columns: columns, Bare: r.IntN(2) == 0}
		if r.IntN(3) == 0 {
			o.Roles = []string{"clerk"}
		}
		trial, _ := intake.Try(d, kind, rows, o, func(int) bool { return true })
		if trial.Stop != "" {
			continue
		}
		if _, problems := change.Apply(d, trial.Ops); len(model.Errors(problems)) > 0 {
			t.Fatalf("round %d: %s %v\n%q cannot be applied: %v", round, kind, columns, rows, problems)
		}
		var left [][]string
		for i, row := range trial.Rows {
			if row.Verdict == intake.Wrong {
				if wrong++; len(row.Faults) == 0 {
					t.Errorf("round %d: row %d is wrong, and nothing says why", round, i)
				}
			} else {
				right++
				left = append(left, rows[i])
			}
		}
		alone, _ := intake.Try(d, kind, left, o, func(int) bool { return true })
		if got, want := told(trial.Ops), told(alone.Ops); got != want {
			t.Fatalf("round %d: %s %v\n%q\nwith the bad rows:\n%s\nwithout:\n%s", round, kind, columns, rows, got, want)
		}
	}
	if wrong < 1000 || right < 1000 {
		t.Errorf("%d rows were wrong and %d right: too few to prove anything", wrong, right)
	}
}

// likely is something that may well stand in a column.
func likely(r *rand.Rand, column string) string {
	of := map[string][]string{
		"displayName": {"Cy Cedar", "Di Dogwood", "Ann Ash"}, "userName": {"cy", "di", "ann"},
		"email":      {"cy@x.example", "di@x.example"},
		"externalId": {"1", "2", "9"}, "area": {"Terminal 1", "Terminal 2"}, "manager": {"ann", "bo", "cy"},
		"licences": {"Standard"},
		"state":    {"active", "invited"}, "roles": {"Gate clerk", "Gate lead"}, "groups": {"Crew"}, "from": {"2026-01-01"},
		"until": {"2027-01-01"},
		"group": {"Crew", "New group", "Other group"}, "members": {"ann", "bo", "ann; bo"},
		"description": {"Who lets vehicles in"}, "owner": {"ann"},
		"subject": {"ann", "bo", "Crew"}, "target": {"Gate clerk", "Gate lead"}, "reach": {"area"}, "mode": {"full"},
		"person": {"ann", "bo"}, "system": {"Quaybook"}, "instant": {"2026-01-02"},
	}[column]
	if of == nil {
		return ""
	}
	return of[r.IntN(len(of))]
}

// numbered are the ids that are made up so that they are new: a row that is wrong keeps the one that it would have.
var numbered = regexp.MustCompile(`-[0-9]+"|in-[0-9a-f]{12}`)

func told(ops []change.Op) string {
	var out []string
	for _, o := range ops {
		_, after, err := o.Values()
		out = append(out, numbered.ReplaceAllString(fmt.Sprintln(o.Kind, string(after), err), `"`))
	}
	slices.Sort(out)
	return strings.Join(out, "")
}

// TestWhatMayNotBeDoneStaysOut tells that some of what a file would do may not be done: it is an error of the rows that
// would do it, of a group of those that put in just that member, and whoever may not leave stays. The others go
// through.
func TestWhatMayNotBeDoneStaysOut(t *testing.T) {
	forbidding := func(list ...intake.Refusal) intake.Options {
		return intake.Options{Bare: true, Missing: true, Share: 100, Refused: func(ops []change.Op) (out []intake.Refusal) {
			for _, r := range list {
				for _, o := range ops {
					in := r.User == ""
					if g, is := o.After.(*model.Group); is && !in {
						in = slices.Contains(g.Users, r.User)
					}
					if o.Kind == r.Kind && o.ID == r.ID && in {
						out = append(out, r)
					}
				}
			}
			return out
		}}
	}
	const people = "External id | Name | Title\n1 | Ann Ash | Lead\n2 | Bo Birch | Lead\n9 | Zoe Yew | Lead\n | Fed |"
	trial := try(t, intake.People, people, forbidding(
		intake.Refusal{Kind: model.KindUser, ID: "bo", Why: "bo is not yours"},
		intake.Refusal{Kind: model.KindUser, ID: "twin2", Why: "the last owner"},
	))
	if trial.Rows[1].Verdict != intake.Wrong || trial.Rows[1].Faults[0].Message != "bo is not yours" ||
		trial.Counts[intake.Wrong] != 1 || trial.Stop != "" {
		t.Errorf("the rows are %+v, %q", trial.Rows, trial.Stop)
	}
	if !slices.Equal(trial.Leaving, []string{"twin1"}) || len(trial.Staying) != 1 || trial.Staying[0].ID != "twin2" ||
		trial.Staying[0].Why != "the last owner" {
		t.Errorf("leaving are %v, staying %v", trial.Leaving, trial.Staying)
	}
	d := after(t, trial)
	for id, title := range map[string]string{"ann": "Lead", "bo": "", "twin2": ""} {
		if u, _ := d.Users.Find(id); u.JobTitle != title || u.State != model.UserActive {
			t.Errorf("%s is %+v", id, u)
		}
	}

	trial = try(t, intake.Memberships, "Group | Member\nCrew | bo\nCrew | twin1", forbidding(
		intake.Refusal{Kind: model.KindGroup, ID: "crew", User: "bo", Why: "bo may not be in it"}))
	if trial.Rows[0].Verdict != intake.Wrong || trial.Rows[1].Verdict != intake.Changes || trial.Stop != "" {
		t.Errorf("the rows are %+v, %q", trial.Rows, trial.Stop)
	}
	if g, _ := after(t, trial).Groups.Find("crew"); !slices.Equal(g.Users, []string{"ann", "twin1"}) {
		t.Errorf("the crew is %v", g.Users)
	}

	// What is no row's stops the file, and nothing of it is done.
	o := forbidding()
	o.Refused = func([]change.Op) []intake.Refusal { return []intake.Refusal{{Why: "not today"}} }
	if trial = try(t, intake.People, people, o); trial.Stop != "not today" || len(trial.Ops) != 0 {
		t.Errorf("stopped by %q, with %d operations", trial.Stop, len(trial.Ops))
	}
}

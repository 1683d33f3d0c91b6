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

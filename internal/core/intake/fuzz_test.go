package intake_test

import (
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
)

// FuzzColumns recognises the columns of whatever file: each field is held by one column, and of its kind; what the rows
// then do can be applied.
func FuzzColumns(f *testing.F) {
	f.Add("Name;E-mail;Role\nCy Cedar;cy@x.example;Gate clerk")
	f.Add("Group;Members\nCrew;ann, bo\nNew;bo")
	f.Add("Person;Role;Area;until\nann;Gate lead;Terminal 1;31.12.2027")
	f.Add(";;\nname;NAME;Náme\n\xff;\x00;")
	f.Fuzz(func(t *testing.T, text string) {
		lines := strings.Split(text, "\n")
		if len(lines) > 30 || len(text) > 2000 {
			return
		}
		header := strings.Split(lines[0], ";")
		var rows [][]string
		for _, l := range lines[1:] {
			cells := strings.Split(l, ";")
			rows = append(rows, cells[:min(len(cells), len(header))])
		}
		d := organisation()
		k := intake.Guess(d, header, rows, nil)
		if !slices.Contains(intake.Kinds, k) {
			t.Fatalf("it is taken for %q", k)
		}
		columns := intake.Match(d, k, header, rows, nil)
		if len(columns) != len(header) {
			t.Fatalf("%d columns are told of %d", len(columns), len(header))
		}
		seen := map[string]bool{}
		for _, c := range columns {
			if c == "" {
				continue
			}
			if seen[c] || !slices.ContainsFunc(intake.Fields(k), func(f intake.Field) bool { return f.Name == c }) {
				t.Fatalf("the columns are %q", columns)
			}
			seen[c] = true
		}
		trial, _ := intake.Try(d, k, rows, intake.Options{Columns: columns, Bare: true}, func(int) bool { return true })
		if _, problems := change.Apply(d, trial.Ops); len(model.Errors(problems)) > 0 {
			t.Fatalf("what it does cannot be applied: %v", problems)
		}
	})
}

package report_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/exchange/report"
	"fachwerk/internal/exchange/table"
)

var opened = time.Date(2026, 5, 4, 9, 30, 0, 0, time.UTC)

// round is a review that has been closed, with an item of each decision.
func round() report.Review {
	return report.Review{
		Organisation: "Outer Skerry",
		Name:         "Gate clerks",
		About:        "the role Gate clerk",
		Deciders:     "the managers",
		Fate:         "is revoked",
		Opener:       "Signe",
		Opened:       opened,
		Due:          opened.AddDate(0, 0, 21),
		Closed:       opened.AddDate(0, 0, 22),
		Revision:     45,
		Written:      opened.AddDate(0, 1, 0),
		Items: []report.Item{
			{
				Number:    1,
				Person:    "Ann",
				Access:    "Gate clerk",
				Held:      "by hand",
				Reviewer:  "Mira",
				Decision:  report.Kept,
				By:        "Mira",
				Decided:   opened.AddDate(0, 0, 3),
				Reason:    "still there",
				Since:     opened.AddDate(-1, 0, 0),
				GivenBy:   "Edda",
				LastUse:   "use not known",
				Peers:     "3 of 5 peers have it",
				Risk:      "high",
				Conflicts: "Two hands",
			},
			{
				Number:   2,
				Person:   "Bea",
				Access:   "Gate clerk",
				Held:     "by Crew",
				Reviewer: "Mira",
				HandedBy: "Ruben",
				Decision: report.Revoked,
				By:       "Mira",
				Decided:  opened.AddDate(0, 0, 4),
			},
			{Number: 3, Person: "Cy", Access: "Gate clerk", Reviewer: "Ruben", Decision: report.Fated},
			{Number: 4, Person: "Di", Access: "Gate clerk", Reviewer: "Ruben", Decision: report.Undecided},
		},
		Tasks: []report.Task{
			{
				Item:     2,
				Person:   "Bea",
				Access:   "Gate clerk",
				Group:    "Crew",
				Owner:    "Mira",
				Decision: "person out",
				By:       "Mira",
				Decided:  opened.AddDate(0, 0, 25),
				Revision: 46,
			},
			{Item: 2, Person: "Bea", Access: "Gate clerk", Group: "Nights", Owner: "Ruben", Decision: "open"},
		},
	}
}

func written(t *testing.T, r report.Review) string {
	t.Helper()
	var page bytes.Buffer
	if err := report.HTML(&page, r); err != nil {
		t.Fatal(err)
	}
	return page.String()
}

// Each figure of the page leads to the items that it counts, and these add up.
func TestThePage(t *testing.T) {
	r := round()
	page := written(t, r)
	total := 0
	for _, decision := range []string{report.Kept, report.Revoked, report.Fated, report.Undecided} {
		list := r.Of(decision)
		total += len(list)
		for _, i := range list {
			if !strings.Contains(page, fmt.Sprintf(`href="#item-%d"`, i.Number)) ||
				!strings.Contains(page, fmt.Sprintf(`id="item-%d"`, i.Number)) {
				t.Errorf("item %d cannot be traced", i.Number)
			}
		}
	}
	if total != len(r.Items) || len(r.Settled("person out")) != 1 || len(r.Settled("open")) != 1 ||
		len(r.Settled("left")) != 0 {
		t.Errorf("%d of %d items have a decision", total, len(r.Items))
	}
	for _, says := range []string{"<title>Gate clerks – report</title>", "4 May 2026 09:30 UTC, by Signe", "25 May 2026",
		"by revision 45", "is revoked", "kept</span> by Mira, 7 May 2026 09:30 UTC", "handed on by Ruben", "“still there”",
		"since 4 May 2025, by Edda; use not known; 3 of 5 peers have it; high risk; conflicts: Two hands",
		"it was for Ruben"} {
		if !strings.Contains(page, says) {
			t.Errorf("the page does not say %q", says)
		}
	}
	if strings.Contains(page, "<script") || strings.Contains(page, "http://") || strings.Contains(page, "https://") {
		t.Error("the page does not stand by itself")
	}
	open := round()
	open.Closed, open.Revision = time.Time{}, 0
	if page := written(t, open); !strings.Contains(page, "this report is not final") ||
		strings.Contains(page, "so they stayed") {
		t.Error("of an open review it is not told that it is not final")
	}
	if page := written(t, report.Review{Name: "Nothing"}); strings.Contains(page, "Left to the owners") {
		t.Error("without tasks, it tells of them")
	}
}

func TestTable(t *testing.T) {
	items := report.Table(round())
	if len(items.Rows) != 4 || len(items.Columns) != len(items.Rows[0]) {
		t.Fatalf("%d rows of %d columns", len(items.Rows), len(items.Columns))
	}
	row := func(n int) map[string]any {
		m := map[string]any{}
		for i, c := range items.Columns {
			m[c.Title] = items.Rows[n][i]
		}
		return m
	}
	if first := row(0); first["item"] != 1 || first["person"] != "Ann" || first["decided"] != opened.AddDate(0, 0, 3) ||
		first["held since"] != opened.AddDate(-1, 0, 0) ||
		first["risk"] != "high" {
		t.Errorf("the first is %v", first)
	}
	if second := row(1); second["group tasks"] != "Crew: person out; Nights: open" ||
		second["handed on by"] != "Ruben" ||
		second["decision"] != "revoked" {
		t.Errorf("the second is %v", second)
	}
	if third := row(2); third["decision"] != "revoked by fate" || third["group tasks"] != "" ||
		!third["decided"].(time.Time).IsZero() {
		t.Errorf("the third is %v", third)
	}
}

// Names are what they are: no markup of the page, and no formulas of a spreadsheet.
func TestNamesAreHarmless(t *testing.T) {
	r := report.Review{
		Name:  `<script>alert(1)</script>`,
		Items: []report.Item{{Number: 1, Person: `=HYPERLINK("x")`, Reason: "<b>bold</b>", Decision: report.Kept}},
	}
	if page := written(t, r); strings.Contains(page, "<script>") || strings.Contains(page, "<b>bold") ||
		!strings.Contains(page, "&lt;b&gt;bold") {
		t.Error("markup in a name becomes markup of the page")
	}
	var csv bytes.Buffer
	if err := table.CSV(&csv, *report.Table(r)); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(csv.String(), `'=HYPERLINK`) {
		t.Error("a formula stays a formula")
	}
}

// A pack is unpacked and proves itself, its files tell what they should, and the same review gives the same bytes.
func TestPack(t *testing.T) {
	r := round()
	r.Items[0].Person = "Łucja Ōta 🚢" // letters beyond Latin-1, and one that no font has
	r.Heads = []report.Head{{When: "after closing", Revision: 45, Hash: strings.Repeat("ab", 32)}}
	r.Steps = []report.Step{
		{Item: 2, At: opened, By: "Ruben", Decision: report.HandedOn, Whom: "Mira", Reason: "she knows"},
		{Item: 3, At: opened, Decision: report.Revoked},
	}
	for n := range 400 { // over many pages
		r.Items = append(
			r.Items,
			report.Item{Number: 5 + n, Person: "Eve", Access: strings.Repeat("Gate clerk ", 1+n%9), Decision: report.Kept},
		)
	}
	var pack, again bytes.Buffer
	if err := errors.Join(report.Pack(&pack, r, "review-7"), report.Pack(&again, r, "review-7")); err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(pack.Bytes(), again.Bytes()) {
		t.Error("the same review gives other bytes")
	}
	z, err := zip.NewReader(bytes.NewReader(pack.Bytes()), int64(pack.Len()))
	if err != nil {
		t.Fatal(err)
	}
	folder := t.TempDir()
	files := map[string]string{}
	for _, f := range z.File {
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(in)
		name, within := strings.CutPrefix(f.Name, "review-7/")
		if err != nil || !within || strings.Contains(name, "/") {
			t.Fatalf("%s: %v", f.Name, err)
		}
		files[name] = string(data)
		if err := os.WriteFile(filepath.Join(folder, name), data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	proof := exec.Command("sha256sum", "--check", "--strict", "SHA256SUMS")
	proof.Dir = folder
	if out, err := proof.CombinedOutput(); err != nil || strings.Count(string(out), ": OK") != len(files)-1 {
		t.Errorf("of %d files sha256sum says: %s %v", len(files), out, err)
	}
	for name, says := range map[string][]string{
		"README.txt": {"Gate clerks", "revision 45, abab", "sha256sum -c SHA256SUMS",
			"fachwerk verify --db FILE --head HASH"},
		"report.html": {"Łucja Ōta 🚢"},
		"report.pdf":  {"%PDF-1.", "/Type /Page\n"},
		"items.csv":   {"Łucja Ōta 🚢", "revoked by fate"},
		"items.xlsx":  {"PK"},
		"decisions.csv": {"2,2026-05-04T09:30:00Z,Ruben,handed on,she knows,Mira",
			"3,2026-05-04T09:30:00Z,nobody: that was its fate,revoked,,"},
	} {
		for _, s := range says {
			if !strings.Contains(files[name], s) {
				t.Errorf("%s does not say %q", name, s)
			}
		}
	}
	if n := strings.Count(files["report.pdf"], "/Type /Page\n"); n < 10 {
		t.Errorf("404 items are on %d pages", n)
	}
}

package table_test

import (
	"bytes"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"fachwerk/internal/exchange/table"
)

var sample = table.Table{
	Name:    "Who can override the gates at Terminal 1",
	Columns: []table.Column{{Title: "person", Width: 24}, {Title: "permissions"}, {Title: "until"}},
	Rows: [][]any{
		{"Noor Tamsin", 3, time.Date(2026, 12, 1, 8, 30, 0, 0, time.UTC)},
		{"=1+1, \"quoted\"", nil, time.Time{}},
	},
}

func TestCSV(t *testing.T) {
	var b bytes.Buffer
	if err := table.CSV(&b, sample); err != nil {
		t.Fatal(err)
	}
	want := "person,permissions,until\r\nNoor Tamsin,3,2026-12-01T08:30:00Z\r\n\"'=1+1, \"\"quoted\"\"\",,\r\n"
	if b.String() != want {
		t.Errorf("the table is\n%q\nwant\n%q", b.String(), want)
	}
}

// A line break within a cell is what it was when it is read back.
func TestLineBreaksStay(t *testing.T) {
	for _, text := range []string{"first\nsecond", "first\r\nsecond", "a\rb", "\n", "ends\n"} {
		var b bytes.Buffer
		if err := table.CSV(&b, table.Table{Columns: []table.Column{{Title: "note"}, {Title: "n"}},
			Rows: [][]any{{text, 1}}}); err != nil {
			t.Fatal(err)
		}
		if want := "note,n\r\n\"" + text + "\",1\r\n"; b.String() != want {
			t.Errorf("%q is written as %q", text, b.String())
		}
	}
}

// Whatever a thing is called, there is a workbook of it, with a sheet that is called nearly so.
func TestSheetsAreCalledAsTheyCanBe(t *testing.T) {
	for name, want := range map[string]string{
		"Roles": "Roles", "": "Table", "Gates / doors: all?": "Gates - doors- all-", "a*b[c]d\\e": "a-b-c-d-e",
		"'quoted'": "quoted", "History": "History-", "HISTORY": "HISTORY-", "tab\tand\nline": "tab-and-line",
		strings.Repeat("é", 40): strings.Repeat("é", 31), strings.Repeat("🛳", 20): strings.Repeat("🛳", 15), "''": "Table",
	} {
		var b bytes.Buffer
		if err := table.XLSX(&b, table.Table{Name: name, Columns: sample.Columns, Rows: sample.Rows}); err != nil {
			t.Errorf("%q: %v", name, err)
			continue
		}
		f, err := excelize.OpenReader(&b)
		if err != nil {
			t.Fatal(err)
		}
		if got := f.GetSheetName(0); got != want {
			t.Errorf("of %q the sheet is called %q, want %q", name, got, want)
		}
		if rows, err := f.GetRows(want); err != nil || len(rows) != 3 {
			t.Errorf("of %q there are %d rows, %v", name, len(rows), err)
		}
		_ = f.Close()
	}
}

// Columns of a kind take what is typed into them for that: an id stays a text, and a day is one.
func TestColumnsHaveKinds(t *testing.T) {
	var b bytes.Buffer
	err := table.XLSX(&b, table.Table{Name: "people", Columns: []table.Column{
		{Title: "id", Kind: table.Text}, {Title: "until", Kind: table.Day}, {Title: "note"},
	}, Rows: [][]any{{"0042", "2027-03-31", "x"}}})
	if err != nil {
		t.Fatal(err)
	}
	f, err := excelize.OpenReader(&b)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	for column, want := range map[string]string{"A": "@", "B": "yyyy-mm-dd", "C": ""} {
		for what, style := range map[string]func() (int, error){
			"the column": func() (int, error) { return f.GetColStyle("people", column) },
			"its cell":   func() (int, error) { return f.GetCellStyle("people", column+"2") },
		} {
			id, err := style()
			if err != nil {
				t.Fatal(err)
			}
			s, err := f.GetStyle(id)
			if err != nil {
				t.Fatal(err)
			}
			got := ""
			if s.CustomNumFmt != nil {
				got = *s.CustomNumFmt
			} else if s.NumFmt == 49 { // built in as “@”
				got = "@"
			}
			if got != want {
				t.Errorf("%s %s has the format %q, want %q", what, column, got, want)
			}
		}
	}
	if v, err := f.GetCellValue("people", "B2", excelize.Options{RawCellValue: true}); err != nil || v != "46477" {
		t.Errorf("the day is %q, %v", v, err)
	}
	if v, err := f.GetCellValue("people", "A2"); err != nil || v != "0042" {
		t.Errorf("the id is %q, %v", v, err)
	}
}

func TestXLSX(t *testing.T) {
	var b bytes.Buffer
	if err := table.XLSX(&b, sample); err != nil {
		t.Fatal(err)
	}
	f, err := excelize.OpenReader(&b)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	sheet := f.GetSheetName(0)
	if sheet != "Who can override the gates at T" {
		t.Errorf("the sheet is called %q", sheet)
	}
	for cell, want := range map[string]string{"A1": "person", "A2": "Noor Tamsin", "B2": "3", "C2": "2026-12-01 08:30",
		"A3": "=1+1, \"quoted\"", "B3": "", "C3": ""} {
		if got, err := f.GetCellValue(sheet, cell); err != nil || got != want {
			t.Errorf("%s is %q, want %q (%v)", cell, got, want, err)
		}
	}
	if formula, err := f.GetCellFormula(sheet, "A3"); err != nil || formula != "" {
		t.Errorf("a text became the formula %q (%v)", formula, err)
	}
	for cell, want := range map[string]excelize.CellType{"B2": excelize.CellTypeUnset,
		"A3": excelize.CellTypeInlineString} {
		if got, err := f.GetCellType(sheet, cell); err != nil || got != want {
			t.Errorf("%s is of type %v, want %v (%v)", cell, got, want, err)
		}
	}
	if panes, err := f.GetPanes(sheet); err != nil || !panes.Freeze || panes.YSplit != 1 {
		t.Errorf("the header does not stay: %+v (%v)", panes, err)
	}
	if width, err := f.GetColWidth(sheet, "A"); err != nil || width != 24 {
		t.Errorf("the first column is %v wide (%v)", width, err)
	}
}

func TestHarmless(t *testing.T) {
	for text, want := range map[string]string{"": "", "plain": "plain", "=1+1": "'=1+1", "@x": "'@x", "-5": "'-5",
		"+x": "'+x", "\tx": "'\tx", "a=b": "a=b"} {
		if got := table.Harmless(text); got != want {
			t.Errorf("%q becomes %q, want %q", text, got, want)
		}
	}
}

// Rows that are too many to be held are written as they come; a workbook has room for so many, and what breaks off
// is told.
func TestStream(t *testing.T) {
	long := table.Table{Name: "long", Columns: []table.Column{{Title: "n"}}, Rows: [][]any{{0}}}
	count := 3
	long.Stream = func(yield func(row []any) error) error {
		for i := range count {
			if err := yield([]any{i + 1}); err != nil {
				return err
			}
		}
		return nil
	}
	var b bytes.Buffer
	if err := table.CSV(&b, long); err != nil || b.String() != "n\r\n0\r\n1\r\n2\r\n3\r\n" {
		t.Errorf("the table is %q, %v", b.String(), err)
	}
	b.Reset()
	if err := table.XLSX(&b, long); err != nil {
		t.Fatal(err)
	}
	f, err := excelize.OpenReader(&b)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if rows, err := f.GetRows("long"); err != nil || len(rows) != 5 || rows[4][0] != "3" {
		t.Errorf("the workbook has %v, %v", rows, err)
	}
	if held, err := long.Held(); err != nil || len(held.Rows) != 4 || held.Stream != nil {
		t.Errorf("held, it has %d rows, %v", len(held.Rows), err)
	}
	count = table.MaxRows
	if _, err := long.Held(); !errors.Is(err, table.ErrTooLong) {
		t.Errorf("one row too many: %v", err)
	}
	count = table.MaxRows - 1
	if held, err := long.Held(); err != nil || len(held.Rows) != table.MaxRows {
		t.Errorf("as many as there is room for: %d, %v", len(held.Rows), err)
	}
	broken := errors.New("the disk is gone")
	long.Stream = func(func(row []any) error) error { return broken }
	for name, err := range map[string]error{"CSV": table.CSV(&b, long), "XLSX": table.XLSX(&b, long)} {
		if !errors.Is(err, broken) {
			t.Errorf("%s of what breaks off: %v", name, err)
		}
	}
}

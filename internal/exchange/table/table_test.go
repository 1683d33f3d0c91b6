package table_test

import (
	"bytes"
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
	for cell, want := range map[string]string{"A1": "person", "A2": "Noor Tamsin", "B2": "3", "C2": "2026-12-01 08:30", "A3": "=1+1, \"quoted\"", "B3": "", "C3": ""} {
		if got, err := f.GetCellValue(sheet, cell); err != nil || got != want {
			t.Errorf("%s is %q, want %q (%v)", cell, got, want, err)
		}
	}
	if formula, err := f.GetCellFormula(sheet, "A3"); err != nil || formula != "" {
		t.Errorf("a text became the formula %q (%v)", formula, err)
	}
	for cell, want := range map[string]excelize.CellType{"B2": excelize.CellTypeUnset, "A3": excelize.CellTypeInlineString} {
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
	for text, want := range map[string]string{"": "", "plain": "plain", "=1+1": "'=1+1", "@x": "'@x", "-5": "'-5", "+x": "'+x", "\tx": "'\tx", "a=b": "a=b"} {
		if got := table.Harmless(text); got != want {
			t.Errorf("%q becomes %q, want %q", text, got, want)
		}
	}
}

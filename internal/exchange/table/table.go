// Package table writes lists and comparisons for other programs: as CSV (RFC 4180) and as a workbook of Office Open
// XML (ISO/IEC 29500).
package table

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/csv"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
)

// Table is rows under a header. Cells are texts, whole numbers (int), instants (time.Time, empty if zero) or nil.
type Table struct {
	Name    string // of the sheet in a workbook, as far as sheets can be called so
	Columns []Column
	Rows    [][]any
	// Stream, if there is one, gives rows after these, which are too many to be held at once. What it is given an
	// error for, it gives back.
	Stream func(yield func(row []any) error) error
}

// ErrTooLong tells that a table has more rows than a workbook has room for.
var ErrTooLong = fmt.Errorf("a workbook has room for %d rows", MaxRows)

// each gives all rows of a table.
func (t Table) each(yield func(row []any) error) error {
	for _, r := range t.Rows {
		if err := yield(r); err != nil {
			return err
		}
	}
	if t.Stream == nil {
		return nil
	}
	return t.Stream(yield)
}

// Held gives the table with all its rows held; [ErrTooLong] if a workbook has no room for them.
func (t Table) Held() (Table, error) {
	held := Table{Name: t.Name, Columns: t.Columns}
	err := t.each(func(row []any) error {
		if len(held.Rows) == MaxRows {
			return ErrTooLong
		}
		held.Rows = append(held.Rows, row)
		return nil
	})
	return held, err
}

// MaxRows is how many rows a workbook has room for below its header (ISO/IEC 29500 leaves it to programs, and they
// agreed on 2^20 lines).
const MaxRows = excelize.TotalRows - 1

// Column is a column's title and, for a workbook, its width in characters; 0 means 16.
type Column struct {
	Title string
	Width float64
	Kind  Kind
}

// Kind is as what a workbook takes whatever is typed into a column.
type Kind int

// The kinds of columns.
const (
	Any  Kind = iota // what it takes it for itself
	Text             // text, so that no leading zero goes, and no number or day is made of an id
	Day              // a day, shown as 2026-11-23
)

// formats are the number formats of the kinds (ISO/IEC 29500-1 §18.8.30).
var formats = map[Kind]string{Text: "@", Day: "yyyy-mm-dd"}

// sheetName makes of a name one that a sheet can have: programs agree on at most 31 characters, as UTF-16 counts them,
// none of them : \ / ? * [ ], no apostrophe at either end, and not “History”, which they keep for themselves.
func sheetName(name string) string {
	var out []rune
	for n, r := range strings.Map(func(r rune) rune {
		if strings.ContainsRune(`:\/?*[]`, r) || unicode.IsControl(r) {
			return '-'
		}
		return r
	}, name) {
		if n = len(utf16.Encode(append(out, r))); n > 31 {
			break
		}
		out = append(out, r)
	}
	name = strings.Trim(string(out), "' ")
	switch {
	case name == "":
		return "Table"
	case strings.EqualFold(name, "History"):
		return name + "-"
	}
	return name
}

// Mark is the byte order mark, by which spreadsheets know that a CSV is in UTF-8.
const Mark = "\ufeff"

// CSV writes the table as CSV with a header, lines ended as the standard has it; line breaks within a cell stay as they
// are. A text that a spreadsheet would take for a formula is made harmless.
func CSV(w io.Writer, t Table) error {
	out := NewLines(w)
	row := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		row[i] = c.Title
	}
	if err := out.Write(row); err != nil {
		return err
	}
	err := t.each(func(cells []any) error {
		for i, cell := range cells {
			row[i] = text(cell)
		}
		return out.Write(row)
	})
	return cmp.Or(err, out.Flush())
}

// Lines writes CSV line by line.
type Lines struct {
	to   *bufio.Writer
	line bytes.Buffer
	csv  *csv.Writer
}

// NewLines writes to w, to which everything has gone once it is flushed.
func NewLines(w io.Writer) *Lines {
	l := &Lines{to: bufio.NewWriter(w)}
	l.csv = csv.NewWriter(&l.line) // which would end the lines within cells otherwise too, if it were to end these so
	return l
}

// Write writes a line; its texts are made harmless.
func (l *Lines) Write(cells []string) error {
	harmless := make([]string, len(cells))
	for i, c := range cells {
		harmless[i] = Harmless(c)
	}
	l.line.Reset()
	if err := l.csv.Write(harmless); err != nil {
		return err
	}
	l.csv.Flush()
	line := bytes.TrimSuffix(l.line.Bytes(), []byte("\n"))
	_, err := l.to.Write(append(line, "\r\n"...))
	return err
}

// Flush writes what has not gone yet.
func (l *Lines) Flush() error { return l.to.Flush() }

func text(cell any) string {
	switch v := cell.(type) {
	case nil:
		return ""
	case int:
		return strconv.Itoa(v)
	case time.Time:
		if v.IsZero() {
			return ""
		}
		return v.UTC().Format(time.RFC3339)
	case string:
		return v
	}
	return fmt.Sprint(cell)
}

// Harmless keeps a spreadsheet from taking a text for a formula.
func Harmless(s string) string {
	if IsFormula(s) {
		return "'" + s
	}
	return s
}

// IsFormula tells whether a spreadsheet would take a text for a formula; some take the full-width forms of the signs
// for these.
func IsFormula(s string) bool {
	r, _ := utf8.DecodeRuneInString(s)
	return s != "" && strings.ContainsRune("=+-@\t\r＝＋－＠", r)
}

// XLSX writes the table as a workbook of one sheet: cells have their types, the header stays in view, and texts are
// never formulas. A table of more than [MaxRows] rows is [ErrTooLong].
func XLSX(w io.Writer, t Table) (err error) {
	f := excelize.NewFile()
	defer func() {
		if e := f.Close(); err == nil {
			err = e
		}
	}()
	sheet := sheetName(t.Name)
	if err := f.SetSheetName("Sheet1", sheet); err != nil {
		return err
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	format := "yyyy-mm-dd hh:mm"
	instant, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
	if err != nil {
		return err
	}
	out, err := f.NewStreamWriter(sheet)
	if err != nil {
		return err
	}
	if err := out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2",
		ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	header, styles := make([]any, len(t.Columns)), make([]int, len(t.Columns))
	for i, c := range t.Columns {
		width := c.Width
		if width == 0 {
			width = 16
		}
		if err := out.SetColWidth(i+1, i+1, width); err != nil {
			return err
		}
		if c.Kind != Any {
			style, err := f.NewStyle(&excelize.Style{CustomNumFmt: new(formats[c.Kind])})
			if err != nil {
				return err
			}
			if err := out.SetColStyle(i+1, i+1, style); err != nil {
				return err
			}
			styles[i] = style
		}
		header[i] = excelize.Cell{StyleID: bold, Value: c.Title}
	}
	if err := out.SetRow("A1", header); err != nil {
		return err
	}
	n := 0
	err = t.each(func(r []any) error {
		if n == MaxRows {
			return ErrTooLong
		}
		row := make([]any, len(r))
		for i, cell := range r {
			switch v := cell.(type) {
			case time.Time:
				if !v.IsZero() {
					row[i] = excelize.Cell{StyleID: instant, Value: v.UTC()}
				}
			default:
				row[i] = cell
				if styles[i] == 0 {
					break
				}
				if day, err := time.Parse(time.DateOnly, fmt.Sprint(cell)); err == nil && t.Columns[i].Kind == Day {
					cell = day
				}
				row[i] = excelize.Cell{StyleID: styles[i], Value: cell}
			}
		}
		n++
		return out.SetRow("A"+strconv.Itoa(n+1), row)
	})
	if err != nil {
		return err
	}
	if err := out.Flush(); err != nil {
		return err
	}
	return f.Write(w)
}

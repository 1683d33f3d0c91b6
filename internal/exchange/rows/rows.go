// Package rows reads the rows of files that other programs wrote: CSV (RFC 4180) with any delimiter and in the
// encodings that are about, workbooks of Office Open XML (ISO/IEC 29500), LDIF (RFC 2849) and JSON Lines. How a
// file is written is recognised, and can be overruled.
package rows

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"

	"fachwerk/internal/exchange/table"
)

// The forms of files.
const (
	CSV  = "csv"
	XLSX = "xlsx"
	LDIF = "ldif"
	JSON = "jsonl"
)

// The encodings of texts.
const (
	UTF8    = "UTF-8"
	UTF16LE = "UTF-16 LE"
	UTF16BE = "UTF-16 BE"
	Western = "Windows-1252"
	Central = "Windows-1250"
	Mac     = "Mac Roman"
)

// Encodings are all of them.
var Encodings = []string{UTF8, UTF16LE, UTF16BE, Western, Central, Mac}

// Delimiters are those that are looked for between cells.
var Delimiters = []string{",", ";", "\t", "|"}

// Reading says how a file is written. What is empty is recognised.
type Reading struct {
	Form      string `json:"form,omitempty" enum:"csv,xlsx,ldif,jsonl"`
	Encoding  string `json:"encoding,omitempty" enum:"UTF-8,UTF-16 LE,UTF-16 BE,Windows-1252,Windows-1250,Mac Roman"`
	Delimiter string `json:"delimiter,omitempty" maxLength:"1"`
	Header    *bool  `json:"header,omitempty" doc:"Whether the first row heads the columns"`
	Sheet     string `json:"sheet,omitempty" doc:"Of a workbook: the sheet that is read; of LDIF with both: people or groups"`

	// Prefer is the part of LDIF that is read if none is chosen and there is such a one.
	Prefer string `json:"-"`
	// Heads tells of a cell whether it is one that heads columns; nil: of none it is known.
	Heads func(cell string) bool `json:"-"`
}

// File is what was read.
type File struct {
	Reading Reading // as it was read: nothing of it is empty that counts for the form
	Sheets  []string
	Header  []string
	Rows    [][]string
	Lines   []int // where in the file each row stands, from 1
	// Over are the rows that have more cells than the head, with how many, where cells stand between delimiters: most
	// likely one of them stands in a cell that is not quoted.
	Over map[int]int
}

// maxCells and maxColumns bound what is read out of one file: a small file can say that it is a large one.
const (
	maxCells   = 2_500_000
	maxColumns = 200
)

func tooMuch(line int) error {
	return fmt.Errorf("at row %d the file has more than %d columns or %d cells: leave out what is not needed, or split it",
		line, maxColumns, maxCells)
}

// Read reads a file. Name tells its form, if nothing else does.
func Read(name string, data []byte, how Reading) (*File, error) {
	if len(data) == 0 {
		return nil, errors.New("the file is empty")
	}
	if is := foreign(name, data); is != "" {
		return nil, fmt.Errorf("this is %s, which cannot be read: save it as .xlsx or as CSV", is)
	}
	if how.Form == "" {
		how.Form = formOf(name, data)
	}
	f := &File{Reading: how}
	var err error
	switch how.Form {
	case XLSX:
		err = f.workbook(data)
	case LDIF:
		err = f.directory(data)
	case JSON:
		err = f.objects(data)
	case CSV:
		err = f.table(data)
	default:
		err = fmt.Errorf("files of the form %q cannot be read", how.Form)
	}
	if err != nil {
		return nil, err
	}
	if len(f.Rows) == 0 {
		return nil, errors.New("the file has no rows")
	}
	return f, nil
}

// foreign names the forms of files that people try and that are not read; empty for others.
func foreign(name string, data []byte) string {
	lower := strings.ToLower(name)
	switch some := data[:min(len(data), 4096)]; {
	case bytes.HasPrefix(data, []byte("%PDF")):
		return "a PDF"
	case bytes.HasPrefix(data, []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1")):
		return "a workbook of the old form (.xls), or one with a password"
	case bytes.HasPrefix(data, []byte("PK\x03\x04")) && bytes.Contains(some, []byte("opendocument")),
		strings.HasSuffix(lower, ".ods"):
		return "an OpenDocument table (.ods)"
	case bytes.HasPrefix(bytes.TrimSpace(some), []byte("<")):
		return "a page or another document with marks"
	}
	return ""
}

func formOf(name string, data []byte) string {
	lower := strings.ToLower(name)
	text := bytes.TrimSpace(data[:min(len(data), 4096)])
	switch {
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		return XLSX
	case strings.HasSuffix(lower, ".ldif"),
		bytes.HasPrefix(text, []byte("version:")),
		bytes.HasPrefix(text, []byte("dn:")):
		return LDIF
	case strings.HasSuffix(lower, ".jsonl"),
		strings.HasSuffix(lower, ".ndjson"),
		bytes.HasPrefix(text, []byte("{")),
		bytes.HasPrefix(text, []byte("[{")),
		bytes.HasPrefix(text, []byte("[\n")),
		strings.HasSuffix(lower, ".json"):
		return JSON
	}
	return CSV
}

func (f *File) table(data []byte) error {
	text, err := f.text(data)
	if err != nil {
		return err
	}
	if !strings.Contains(text, "\n") {
		text = strings.ReplaceAll(text, "\r", "\n") // as old machines ended their lines
	}
	before := 0
	// A first line like “sep=;” tells some programs the delimiter, and is no row.
	if line, rest, ok := strings.Cut(text, "\n"); ok {
		if said := strings.TrimRight(line, "\r"); len(said) == 5 && strings.EqualFold(said[:4], "sep=") {
			f.Reading.Delimiter = cmp.Or(f.Reading.Delimiter, said[4:])
			text, before = rest, 1
		}
	}
	if f.Reading.Delimiter == "" {
		f.Reading.Delimiter = delimiterOf(text)
	}
	if line := unclosed(text, f.Reading.Delimiter[0]); line > 0 {
		return fmt.Errorf("line %d begins a cell with a quotation mark, and none ends it: write the one that is missing, "+
			"or double those that belong to the text", before+line)
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = rune(f.Reading.Delimiter[0]), -1, true
	cells := 0
	var all [][]string
	var lines []int
	for {
		row, err := r.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return fmt.Errorf("the file cannot be read: %w", err)
		}
		line, _ := r.FieldPos(0)
		line += before
		for i, c := range row {
			row[i] = plain(c)
		}
		if cells += len(row); cells > maxCells || len(row) > maxColumns || len(all) == mostRows {
			return tooMuch(line)
		}
		all, lines = append(all, row), append(lines, line)
	}
	f.head(all, lines)
	return nil
}

// plain takes away what keeps spreadsheets from taking a text for a formula (see
// [fachwerk/internal/exchange/table.Harmless]).
func plain(cell string) string {
	if rest, marked := strings.CutPrefix(cell, "'"); marked && table.IsFormula(rest) {
		return rest
	}
	return cell
}

// delimiterOf gives the delimiter by which the first lines have the most cells, and equally many.
func delimiterOf(text string) string {
	best, most := ",", 0
	for _, d := range Delimiters {
		r := csv.NewReader(strings.NewReader(text))
		r.Comma, r.FieldsPerRecord, r.LazyQuotes = rune(d[0]), -1, true
		counts := map[int]int{}
		for range 20 {
			row, err := r.Read()
			if err != nil {
				break
			}
			counts[len(row)]++
		}
		for cells, rows := range counts {
			if score := (cells - 1) * rows; cells > 1 && score > most {
				best, most = d, score
			}
		}
	}
	return best
}

// unclosed gives the line on which a quotation mark begins a cell that none ends; 0 if there is none.
func unclosed(text string, delimiter byte) int {
	line, began := 1, 0
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c == '\n':
			line++
		case c != '"':
		case began == 0:
			if i == 0 || text[i-1] == delimiter || text[i-1] == '\n' {
				began = line
			}
		case i+1 < len(text) && text[i+1] == '"':
			i++
		case i+1 == len(text) || text[i+1] == delimiter || text[i+1] == '\n' || text[i+1] == '\r':
			began = 0
		}
	}
	return began
}

// head tells the header from the rows, and leaves out what stands above it, such as a title.
func (f *File) head(all [][]string, lines []int) {
	for len(all) > 0 && filled(all[0]) == 0 {
		all, lines = all[1:], lines[1:]
	}
	at := f.headAt(all)
	if f.Reading.Header == nil {
		heads := at >= 0
		f.Reading.Header = &heads
	}
	at = max(at, 0)
	width := 0
	for _, r := range all {
		width = max(width, len(r))
	}
	if *f.Reading.Header && len(all) > 0 {
		head := all[at]
		all, lines = all[at+1:], lines[at+1:]
		if f.Reading.Form == CSV {
			for i, r := range all {
				if filled(r[min(len(head), len(r)):]) > 0 {
					if f.Over == nil {
						f.Over = map[int]int{}
					}
					f.Over[i] = len(r)
				}
				all[i] = r[:min(len(head), len(r))]
			}
			width = len(head)
		}
		f.Header = make([]string, width)
		copy(f.Header, head)
	} else {
		f.Header = make([]string, width)
	}
	for i, h := range f.Header {
		f.Header[i] = cmp.Or(strings.TrimSpace(h), fmt.Sprintf("Column %d", i+1))
	}
	f.Rows, f.Lines = all, lines
}

// filled counts the cells of a row that say something.
func filled(row []string) (n int) {
	for _, c := range row {
		if strings.TrimSpace(c) != "" {
			n++
		}
	}
	return n
}

// headWithin is among how many rows the header is looked for: above it may stand a title, a date, a name.
const headWithin = 10

// headAt gives the row that heads the columns, -1 if none does: the one with the most words that are known to head
// columns; or else the first, if it has a text in each that is no number, address or day, and none twice, while below
// it a column has such.
func (f *File) headAt(all [][]string) int {
	best, most := -1, 0
	for i, row := range all[:min(len(all), headWithin)] {
		known := 0
		for _, c := range row {
			if c = strings.TrimSpace(c); c != "" && f.Reading.Heads != nil && f.Reading.Heads(c) {
				known++
			}
		}
		if known > most && (known > 1 || filled(row) <= 2) {
			best, most = i, known
		}
	}
	if best >= 0 || len(all) == 0 {
		return best
	}
	seen := map[string]bool{}
	for _, c := range all[0] {
		if c = strings.TrimSpace(c); c == "" {
			continue
		}
		if seen[c] || telling(c) {
			return -1
		}
		seen[c] = true
	}
	for column := range all[0] {
		tell, said := 0, 0
		for _, row := range all[1:min(len(all), 50)] {
			if column < len(row) && strings.TrimSpace(row[column]) != "" {
				said++
				if telling(strings.TrimSpace(row[column])) {
					tell++
				}
			}
		}
		if tell > 0 && 10*tell >= 7*said {
			return 0
		}
	}
	return -1
}

// telling tells of a text that it is a number, an address or a day, which heads no column.
func telling(c string) bool {
	return strings.Contains(c, "@") || strings.ContainsAny(c[:1], "0123456789")
}

// Package rows reads the rows of files that other programs wrote: CSV (RFC 4180) with any delimiter and in the
// encodings that are about, workbooks of Office Open XML (ISO/IEC 29500), LDIF (RFC 2849) and JSON Lines. How a
// file is written is recognised, and can be overruled.
package rows

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/go-ldap/ldif"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
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
)

// Encodings are all of them.
var Encodings = []string{UTF8, UTF16LE, UTF16BE, Western}

// Delimiters are those that are looked for between cells.
var Delimiters = []string{",", ";", "\t", "|"}

// Reading says how a file is written. What is empty is recognised.
type Reading struct {
	Form      string `json:"form,omitempty" enum:"csv,xlsx,ldif,jsonl"`
	Encoding  string `json:"encoding,omitempty" enum:"UTF-8,UTF-16 LE,UTF-16 BE,Windows-1252"`
	Delimiter string `json:"delimiter,omitempty" maxLength:"1"`
	Header    *bool  `json:"header,omitempty" doc:"Whether the first row heads the columns"`
	Sheet     string `json:"sheet,omitempty" doc:"Of a workbook: the sheet that is read"`
}

// File is what was read.
type File struct {
	Reading Reading // as it was read: nothing of it is empty that counts for the form
	Sheets  []string
	Header  []string
	Rows    [][]string
	Lines   []int // where in the file each row stands, from 1
}

// maxCells and maxColumns bound what is read out of one file: a small file can say that it is a large one.
const (
	maxCells   = 20_000_000
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

// text gives what bytes say, in UTF-8.
func (f *File) text(data []byte) (string, error) {
	if f.Reading.Encoding == "" {
		f.Reading.Encoding = encodingOf(data)
	}
	switch f.Reading.Encoding {
	case UTF8:
		data = bytes.TrimPrefix(data, []byte("\ufeff"))
		if !utf8.Valid(data) {
			at := 0
			for at < len(data) {
				r, n := utf8.DecodeRune(data[at:])
				if r == utf8.RuneError && n == 1 {
					break
				}
				at += n
			}
			return "", fmt.Errorf(
				"line %d is not UTF-8: choose another encoding",
				1+bytes.Count(data[:at], []byte("\n")),
			)
		}
		return string(data), nil
	case Western:
		out, err := charmap.Windows1252.NewDecoder().Bytes(data)
		return string(out), err
	case UTF16LE, UTF16BE:
		order := unicode.LittleEndian
		if f.Reading.Encoding == UTF16BE {
			order = unicode.BigEndian
		}
		out, _, err := transform.Bytes(unicode.UTF16(order, unicode.UseBOM).NewDecoder(), data)
		return string(out), err
	}
	return "", fmt.Errorf("the encoding %q is not known", f.Reading.Encoding)
}

func encodingOf(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte("\xff\xfe")):
		return UTF16LE
	case bytes.HasPrefix(data, []byte("\xfe\xff")):
		return UTF16BE
	}
	some := data[:min(len(data), 4096)]
	even, odd := 0, 0
	for i, b := range some {
		if b == 0 && i%2 == 0 {
			even++
		} else if b == 0 {
			odd++
		}
	}
	switch {
	case odd > len(some)/5:
		return UTF16LE
	case even > len(some)/5:
		return UTF16BE
	case utf8.Valid(data):
		return UTF8
	}
	return Western
}

func (f *File) table(data []byte) error {
	text, err := f.text(data)
	if err != nil {
		return err
	}
	if f.Reading.Delimiter == "" {
		f.Reading.Delimiter = delimiterOf(text)
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
		for i, c := range row {
			row[i] = plain(c)
		}
		if cells += len(row); cells > maxCells || len(row) > maxColumns {
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
	if len(cell) > 1 && cell[0] == '\'' && strings.IndexByte("=+-@\t\r", cell[1]) >= 0 {
		return cell[1:]
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

// head tells the header from the rows.
func (f *File) head(all [][]string, lines []int) {
	for len(all) > 0 && !slices.ContainsFunc(all[0], func(c string) bool { return strings.TrimSpace(c) != "" }) {
		all, lines = all[1:], lines[1:]
	}
	if f.Reading.Header == nil {
		heads := headed(all)
		f.Reading.Header = &heads
	}
	width := 0
	for _, r := range all {
		width = max(width, len(r))
	}
	f.Header = make([]string, width)
	if *f.Reading.Header && len(all) > 0 {
		copy(f.Header, all[0])
		all, lines = all[1:], lines[1:]
	}
	for i, h := range f.Header {
		f.Header[i] = cmp.Or(strings.TrimSpace(h), fmt.Sprintf("Column %d", i+1))
	}
	f.Rows, f.Lines = all, lines
}

// headed tells whether the first row heads the columns: it has a text in each that is no number, address or day,
// and none twice.
func headed(all [][]string) bool {
	if len(all) == 0 {
		return false
	}
	seen := map[string]bool{}
	for _, c := range all[0] {
		c = strings.TrimSpace(c)
		if c == "" {
			continue
		}
		if seen[c] || strings.ContainsAny(c, "@") || strings.ContainsAny(c[:1], "0123456789") {
			return false
		}
		seen[c] = true
	}
	return len(seen) > 0
}

func (f *File) workbook(data []byte) (err error) {
	book, err := excelize.OpenReader(
		bytes.NewReader(data),
		excelize.Options{UnzipSizeLimit: 256 << 20, UnzipXMLSizeLimit: 64 << 20},
	)
	if err != nil {
		return fmt.Errorf("the workbook cannot be opened: %w", err)
	}
	defer func() { err = cmp.Or(err, book.Close()) }()
	if f.Sheets = book.GetSheetList(); len(f.Sheets) == 0 {
		return errors.New("the workbook has no sheets")
	}
	f.Reading.Sheet = cmp.Or(f.Reading.Sheet, f.Sheets[0])
	if !slices.Contains(f.Sheets, f.Reading.Sheet) {
		return fmt.Errorf("the workbook has no sheet %q", f.Reading.Sheet)
	}
	in, err := book.Rows(f.Reading.Sheet)
	if err != nil {
		return err
	}
	var all [][]string
	var lines []int
	cells := 0
	for line := 1; in.Next(); line++ {
		row, err := in.Columns(excelize.Options{RawCellValue: false})
		if err != nil {
			return fmt.Errorf("row %d cannot be read: %w", line, err)
		}
		if cells += len(row); cells > maxCells || len(row) > maxColumns {
			return tooMuch(line)
		}
		all, lines = append(all, row), append(lines, line)
	}
	f.head(all, lines)
	return in.Error()
}

// directory reads the people or groups of LDIF, whichever there are more of, each attribute a column; several
// values stand with ; between.
func (f *File) directory(data []byte) error {
	text, err := f.text(data)
	if err != nil {
		return err
	}
	n := 0
	for line := range strings.Lines(text) {
		n++
		// Such a line has whoever reads it open a file, or ask another server (RFC 2849, value-spec).
		if _, value, ok := strings.Cut(line, ":"); ok && strings.HasPrefix(value, "<") && !strings.HasPrefix(line, " ") {
			return fmt.Errorf(
				"line %d names a file or address to read a value from (:<), which is not done: write the value out",
				n,
			)
		}
	}
	var l ldif.LDIF
	if err := ldif.Unmarshal(strings.NewReader(text), &l); err != nil {
		return fmt.Errorf("the file is not LDIF: %w", err)
	}
	type record struct {
		values map[string][]string
		group  bool
	}
	var list []record
	nameOf := map[string]string{} // what others call an entry by, by its folded name in the directory
	groups := 0
	for _, e := range l.Entries {
		if e.Entry == nil {
			return errors.New("the file has changes of a directory, not its content: write the entries out whole")
		}
		r := record{values: map[string][]string{}}
		for _, a := range e.Entry.Attributes {
			name := strings.ToLower(a.Name)
			name, _, _ = strings.Cut(name, ";") // what follows is the language
			r.values[name] = append(r.values[name], a.Values...)
		}
		is := func(class string) bool {
			return slices.ContainsFunc(
				r.values["objectclass"],
				func(c string) bool { return strings.EqualFold(c, class) },
			)
		}
		r.group = is("groupOfNames") || is("groupOfUniqueNames")
		if !r.group && !is("inetOrgPerson") && !is("person") {
			continue // branches, machines
		}
		if r.group {
			groups++
		}
		if called := first(r.values, "uid", "cn"); called != "" {
			nameOf[strings.ToLower(e.Entry.DN)] = called
			if r.group {
				nameOf[strings.ToLower(e.Entry.DN)] = first(r.values, "cn")
			}
		}
		list = append(list, r)
	}
	wantGroups := 2*groups > len(list)
	columns := map[string]bool{}
	for _, r := range list {
		for name, values := range r.values {
			if r.group != wantGroups || name == "objectclass" {
				continue
			}
			columns[name] = true
			for i, v := range values {
				if called, ok := nameOf[strings.ToLower(v)]; ok {
					values[i] = called
				}
			}
		}
	}
	f.Header = slices.Sorted(maps.Keys(columns))
	for i, r := range list {
		if r.group != wantGroups {
			continue
		}
		row := make([]string, len(f.Header))
		for c, name := range f.Header {
			row[c] = strings.Join(r.values[name], "; ")
		}
		f.Rows, f.Lines = append(f.Rows, row), append(f.Lines, i+1)
	}
	return nil
}

func first(values map[string][]string, names ...string) string {
	for _, n := range names {
		if len(values[n]) > 0 {
			return values[n][0]
		}
	}
	return ""
}

// objects reads JSON Lines: an object a line, each name a column.
func (f *File) objects(data []byte) error {
	text, err := f.text(data)
	if err != nil {
		return err
	}
	list, lines, err := decoded(text)
	if err != nil {
		return err
	}
	at := map[string]int{}
	cells := 0
	for i, o := range list {
		n := lines[i]
		row := make([]string, len(f.Header))
		for _, name := range slices.Sorted(maps.Keys(o)) {
			c, known := at[name]
			if !known {
				if len(at) == maxColumns {
					return tooMuch(n)
				}
				c = len(f.Header)
				at[name], f.Header, row = c, append(f.Header, name), append(row, "")
			}
			switch v := o[name].(type) {
			case nil:
			case string:
				row[c] = v
			default:
				value, _ := json.Marshal(v)
				row[c] = string(value)
			}
		}
		if cells += len(row); cells > maxCells {
			return tooMuch(n)
		}
		f.Rows, f.Lines = append(f.Rows, row), append(f.Lines, n)
	}
	return nil
}

// ErrCatalogue tells that a file holds a catalogue or a whole design, which are no rows.
var ErrCatalogue = errors.New("this is a system's catalogue or a whole design, and no list of rows")

// decoded reads objects, each on a line of its own or all of them in one array, and where each stands: its line, or
// its place in the array, from 1.
func decoded(text string) (list []map[string]any, lines []int, err error) {
	whole := strings.TrimSpace(text)
	if strings.HasPrefix(whole, "[") {
		if err := json.Unmarshal([]byte(whole), &list); err != nil {
			return nil, nil, fmt.Errorf("the file is no array of JSON objects: %w", err)
		}
		for i := range list {
			lines = append(lines, i+1)
		}
		return list, lines, nil
	}
	n := 0
	for line := range strings.Lines(text) {
		n++
		if strings.TrimSpace(line) == "" {
			continue
		}
		var o map[string]any
		if err := json.Unmarshal([]byte(line), &o); err != nil {
			if json.Unmarshal([]byte(whole), &o) == nil { // one object, over many lines
				list, lines = []map[string]any{o}, []int{1}
				break
			}
			return nil, nil, fmt.Errorf("line %d is not an object of JSON: %w", n, err)
		}
		list, lines = append(list, o), append(lines, n)
	}
	if len(list) == 1 {
		for _, name := range []string{"system", "systems", "format"} {
			switch v := list[0][name].(type) {
			case map[string]any, []any:
				return nil, nil, ErrCatalogue
			case string:
				if name == "format" && strings.HasPrefix(v, "fachwerk-model/") {
					return nil, nil, ErrCatalogue
				}
			}
		}
	}
	return list, lines, nil
}

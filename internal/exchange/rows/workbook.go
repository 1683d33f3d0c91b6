package rows

import (
	"archive/zip"
	"bytes"
	"cmp"
	"encoding/binary"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unsafe"
)

// Workbooks (ECMA-376, SpreadsheetML) are read as a stream, part by part: what is kept is the text of the cells, and of
// that no more than the bounds say. A library would keep every element of every part, some hundred times what the file
// weighs.

// What is read of a workbook at most, so that a small file cannot unpack to a large one.
const (
	mostDirectory = 1 << 20   // bytes of the archive's list of parts
	mostSheet     = 96 << 20  // bytes of a sheet, unpacked
	mostStrings   = 96 << 20  // bytes of the part with the texts of cells, unpacked
	mostPart      = 8 << 20   // bytes of any other part, unpacked
	mostElement   = 1 << 20   // bytes from one mark to the next: a name with its attributes, or a text
	mostText      = 40 << 20  // bytes of texts that are kept
	mostTexts     = 1_500_000 // texts that several cells may have
	mostRows      = 1 << 20
	mostStyles    = 65_536
	mostSheets    = 1000
)

// unpacking bounds how many workbooks are unpacked at a time.
var unpacking = make(chan struct{}, 2)

// errTooLarge tells that a workbook unpacks to more than is read.
var errTooLarge = errors.New("the workbook unpacks to more than is read: leave out what is not needed, split it, or save " +
	"it as CSV")

func (f *File) workbook(data []byte) error {
	unpacking <- struct{}{}
	defer func() { <-unpacking }()
	book, err := openBook(data)
	if err != nil {
		return err
	}
	if f.Sheets = book.names(); len(f.Sheets) == 0 {
		return errors.New("the workbook has no sheets")
	}
	f.Reading.Sheet = cmp.Or(f.Reading.Sheet, f.Sheets[0])
	if !slices.Contains(f.Sheets, f.Reading.Sheet) {
		return fmt.Errorf("the workbook has no sheet %q", f.Reading.Sheet)
	}
	if err := book.readStyles(); err != nil {
		return err
	}
	if err := book.readStrings(); err != nil {
		return err
	}
	all, lines, err := book.rows(f.Reading.Sheet)
	if err != nil {
		return err
	}
	f.head(all, lines)
	return nil
}

// book is a workbook that is read.
type book struct {
	parts    map[string]*zip.File
	root     string // the part that lists the sheets
	sheets   []sheet
	from1904 bool
	formats  []string // how each style shows numbers
	texts    []string // that cells share
	kept     int      // bytes of texts so far
	room     []byte   // where the next texts are kept, many in one piece
}

type sheet struct {
	name, part string
	hidden     bool
}

func openBook(data []byte) (*book, error) {
	if directorySize(data) > mostDirectory {
		return nil, errTooLarge
	}
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fmt.Errorf("the workbook cannot be opened: %w", err)
	}
	b := &book{parts: make(map[string]*zip.File, len(archive.File)), root: "xl/workbook.xml"}
	for _, p := range archive.File {
		b.parts[strings.TrimPrefix(strings.ReplaceAll(p.Name, `\`, "/"), "/")] = p
	}
	named, err := b.relations("")
	if err != nil {
		return nil, err
	}
	for _, r := range named {
		if strings.HasSuffix(r.kind, "/officeDocument") {
			b.root = r.target
		}
	}
	if b.parts[b.root] == nil {
		return nil, errors.New("the workbook cannot be opened: it lacks the list of its sheets")
	}
	at, err := b.relations(b.root)
	if err != nil {
		return nil, err
	}
	return b, b.each(b.root, mostPart, func(x *xmlReader) error {
		switch x.name {
		case "workbookPr":
			b.from1904 = x.is("date1904")
		case "sheet":
			b.sheets = append(b.sheets, sheet{x.attribute("name"), at[x.attribute("id")].target, x.attribute("state") != "" &&
				x.attribute("state") != "visible"})
			if len(b.sheets) > mostSheets {
				return errTooLarge
			}
		}
		return nil
	})
}

// directorySize is how long the archive says that the list of its parts is: what a reader of archives takes in whole.
func directorySize(data []byte) uint32 {
	tail := data[max(0, len(data)-1<<16-22):]
	at := bytes.LastIndex(tail, []byte("PK\x05\x06"))
	if at < 0 || at+16 > len(tail) {
		return 0
	}
	return binary.LittleEndian.Uint32(tail[at+12:])
}

// names gives the sheets, those first that are shown.
func (b *book) names() (out []string) {
	for _, hidden := range []bool{false, true} {
		for _, s := range b.sheets {
			if s.hidden == hidden {
				out = append(out, s.name)
			}
		}
	}
	return out
}

type relation struct{ kind, target string }

// relations gives what a part refers to, by id; of the workbook as a whole if it is empty.
func (b *book) relations(part string) (map[string]relation, error) {
	folder, file := path.Split(part)
	name := folder + "_rels/" + file + ".rels"
	out := map[string]relation{}
	if b.parts[name] == nil {
		return out, nil
	}
	return out, b.each(name, mostPart, func(x *xmlReader) error {
		if x.name == "Relationship" {
			target := x.attribute("Target")
			if strings.HasPrefix(target, "/") {
				target = target[1:]
			} else {
				target = path.Join(folder, target)
			}
			out[x.attribute("Id")] = relation{x.attribute("Type"), target}
		}
		return nil
	})
}

// partOf finds a part that the workbook refers to by what it is; empty if there is none.
func (b *book) partOf(kind string) (string, error) {
	at, err := b.relations(b.root)
	for _, r := range at {
		if strings.HasSuffix(r.kind, kind) && b.parts[r.target] != nil {
			return r.target, err
		}
	}
	return "", err
}

// roomFor is how many bytes of texts are kept in one piece: each by itself would cost more than most texts are long.
const roomFor = 64 << 10

// keep keeps a text, within the bounds.
func (b *book) keep(text []byte) (string, error) {
	if b.kept += len(text); b.kept > mostText {
		return "", errTooLarge
	}
	if len(text) == 0 {
		return "", nil
	}
	if len(text) > cap(b.room)-len(b.room) {
		b.room = make([]byte, 0, max(roomFor, len(text)))
	}
	at := len(b.room)
	b.room = append(b.room, text...)
	return unsafe.String(&b.room[at], len(text)), nil // what is kept is never written again
}

func (b *book) readStrings() error {
	part, err := b.partOf("/sharedStrings")
	if err != nil || part == "" {
		return err
	}
	var text []byte
	said, spoken := false, 0
	return b.walk(part, mostStrings, func(x *xmlReader, begins bool) error {
		switch {
		case x.name == "si" && begins:
			text = text[:0]
		case x.name == "si":
			one, err := b.keep(text)
			if b.texts = append(b.texts, one); len(b.texts) > mostTexts {
				err = errTooLarge
			}
			return err
		case x.name == "rPh" && begins: // how it is spoken, which is not what the cell shows
			spoken++
		case x.name == "rPh":
			spoken--
		case x.name == "t":
			said = begins && spoken == 0
		}
		return nil
	}, func(data []byte) error {
		if said && len(text)+len(data) > mostElement {
			return errTooLarge
		}
		if said {
			text = append(text, data...)
		}
		return nil
	})
}

// builtIn are the forms of numbers that a workbook refers to by number alone and that show something other than the
// number itself (ECMA-376, part 1, §18.8.30).
var builtIn = map[int]string{1: "0", 2: "0.00", 3: "#,##0", 4: "#,##0.00", 9: "0%", 10: "0.00%"}

func (b *book) readStyles() error {
	part, err := b.partOf("/styles")
	if err != nil || part == "" {
		return err
	}
	named := map[int]string{}
	within := ""
	return b.walk(part, mostPart, func(x *xmlReader, begins bool) error {
		switch {
		case x.name == "cellXfs" || x.name == "cellStyleXfs":
			if within = ""; begins {
				within = x.name
			}
		case x.name == "numFmt" && begins:
			id, _ := strconv.Atoi(x.attribute("numFmtId"))
			if named[id] = x.attribute("formatCode"); len(named) > mostStyles {
				return errTooLarge
			}
		case x.name == "xf" && begins && within == "cellXfs":
			id, _ := strconv.Atoi(x.attribute("numFmtId"))
			format, own := named[id]
			switch {
			case own:
			case id >= 14 && id <= 22, id >= 27 && id <= 36, id >= 45 && id <= 47, id >= 50 && id <= 58:
				format = "d" // of days, in the form of whoever opens it
			default:
				format = builtIn[id]
			}
			if b.formats = append(b.formats, format); len(b.formats) > mostStyles {
				return errTooLarge
			}
		}
		return nil
	}, nil)
}

// cell is one that is being read.
type cell struct {
	column int
	kind   string
	style  int
	text   []byte
	told   bool // its value is being read
}

func (b *book) rows(name string) (all [][]string, lines []int, err error) {
	at := slices.IndexFunc(b.sheets, func(s sheet) bool { return s.name == name })
	part := b.sheets[at].part
	if b.parts[part] == nil {
		return nil, nil, fmt.Errorf("the workbook lacks the sheet %q", name)
	}
	line, cells := 0, 0
	var row []string
	var c cell
	err = b.walk(part, mostSheet, func(x *xmlReader, begins bool) error {
		switch {
		case x.name == "row" && begins:
			line++
			if n, err := strconv.Atoi(x.attribute("r")); err == nil && n >= line {
				line = n
			}
			row, c.column = row[:0], -1
		case x.name == "row":
			if len(all) == mostRows {
				return tooMuch(line)
			}
			all, lines = append(all, slices.Clone(row)), append(lines, line)
		case x.name == "c" && begins:
			column := c.column + 1
			if ref := x.attribute("r"); ref != "" {
				column = columnOf(ref)
			}
			c = cell{column: column, kind: x.attribute("t"), text: c.text[:0]}
			c.style, _ = strconv.Atoi(x.attribute("s"))
		case x.name == "c":
			if len(c.text) == 0 {
				return nil
			}
			if c.column < 0 || c.column >= maxColumns {
				return tooMuch(line)
			}
			value, err := b.value(c)
			if err != nil {
				return err
			}
			if cells += max(0, c.column+1-len(row)); cells > maxCells {
				return tooMuch(line)
			}
			for len(row) <= c.column {
				row = append(row, "")
			}
			row[c.column] = value
		case x.name == "v", x.name == "t":
			c.told = begins
		}
		return nil
	}, func(data []byte) error {
		if c.told && len(c.text)+len(data) > mostElement {
			return errTooLarge
		}
		if c.told {
			c.text = append(c.text, data...)
		}
		return nil
	})
	return all, lines, err
}

// columnOf gives the place of a column in a reference such as AB12, from 0; -1 if it is none.
func columnOf(ref string) int {
	n := 0
	for _, r := range ref {
		switch {
		case r >= 'A' && r <= 'Z' && n < maxColumns*26:
			n = n*26 + int(r-'A') + 1
		case r >= '0' && r <= '9':
			return n - 1
		default:
			return -1
		}
	}
	return n - 1
}

// value is what a cell says, as it is shown; days and instants are said in one form, whichever it is shown in.
func (b *book) value(c cell) (string, error) {
	switch c.kind {
	case "s":
		if n, err := strconv.Atoi(string(c.text)); err == nil && n >= 0 && n < len(b.texts) {
			return b.texts[n], nil
		}
		return "", nil
	case "b":
		return map[bool]string{true: "TRUE", false: "FALSE"}[string(c.text) == "1"], nil
	case "", "n":
		number, err := strconv.ParseFloat(string(c.text), 64)
		if err != nil {
			return b.keep(c.text)
		}
		format := ""
		if c.style >= 0 && c.style < len(b.formats) {
			format = b.formats[c.style]
		}
		return b.keep([]byte(shown(number, format, b.from1904)))
	}
	return b.keep(c.text)
}

var (
	// literal is what of a form of numbers stands for itself: in quotes, after a backslash, or a colour or condition.
	literal = regexp.MustCompile(`"[^"]*"|\\.|\[[^\]]*\]|_.|\*.`)
	plainly = regexp.MustCompile(`^(#,##)?(0+)(?:\.(0+))?(%)?$`)
)

// shown is a number as a form shows it: a day or instant, or a number with so many digits. Of other forms it is the
// number itself.
func shown(number float64, format string, from1904 bool) string {
	first, _, _ := strings.Cut(literal.ReplaceAllString(format, ""), ";")
	if strings.ContainsAny(strings.ToLower(first), "dmyhs") && !strings.EqualFold(first, "general") {
		return dayOf(number, from1904)
	}
	if m := plainly.FindStringSubmatch(first); m != nil && math.Abs(number) < 1e15 {
		if m[4] != "" {
			number *= 100
		}
		text := strconv.FormatFloat(math.Abs(number), 'f', len(m[3]), 64)
		whole, rest, _ := strings.Cut(text, ".")
		whole = strings.Repeat("0", max(0, len(m[2])-len(whole))) + whole
		if m[1] != "" {
			for i := len(whole) - 3; i > 0; i -= 3 {
				whole = whole[:i] + "," + whole[i:]
			}
		}
		if rest != "" {
			whole += "." + rest
		}
		if number < 0 {
			whole = "-" + whole
		}
		return whole + m[4]
	}
	return strconv.FormatFloat(number, 'f', -1, 64)
}

// dayOf is the day or instant that a number stands for: days since the end of 1899, or since 1904; below 1, a time of
// day.
func dayOf(number float64, from1904 bool) string {
	if number < 0 || number > 2_958_466 { // the end of the year 9999
		return strconv.FormatFloat(number, 'f', -1, 64)
	}
	zero := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	if from1904 {
		zero = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	}
	at := zero.AddDate(0, 0, int(number)).Add(time.Duration((number - math.Floor(number)) * float64(24*time.Hour)))
	switch at = at.Round(time.Second); {
	case number < 1:
		return at.Format(time.TimeOnly)
	case at.Equal(at.Truncate(24 * time.Hour)):
		return at.Format(time.DateOnly)
	}
	return at.Format("2006-01-02 15:04:05")
}

// xmlReader reads a part element by element, and keeps nothing of it.
type xmlReader struct {
	*xml.Decoder
	name       string // of the element that begins or ends, without its prefix
	attributes []xml.Attr
}

func (x *xmlReader) attribute(name string) string {
	for _, a := range x.attributes {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func (x *xmlReader) is(name string) bool {
	v := x.attribute(name)
	return v == "1" || v == "true"
}

// each calls do with every element of a part as it begins.
func (b *book) each(part string, most int64, do func(x *xmlReader) error) error {
	return b.walk(part, most, func(x *xmlReader, begins bool) error {
		if begins {
			return do(x)
		}
		return nil
	}, nil)
}

// walk calls do with every element of a part as it begins and as it ends, and say with the texts between.
func (b *book) walk(
	part string, most int64, do func(x *xmlReader, begins bool) error, say func([]byte) error,
) (err error) {
	in, err := b.parts[part].Open()
	if err != nil {
		return fmt.Errorf("the workbook cannot be read: %w", err)
	}
	defer func() { err = cmp.Or(err, in.Close()) }()
	x := &xmlReader{Decoder: xml.NewDecoder(&bounded{in: in, left: most})}
	x.Strict = false // prefixes are not looked at, and RawToken does not ask whether elements close
	for {
		token, err := x.RawToken()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			if errors.Is(err, errTooLarge) {
				return errTooLarge
			}
			return fmt.Errorf("the workbook cannot be read: %w", err)
		}
		switch t := token.(type) {
		case xml.StartElement:
			x.name, x.attributes = t.Name.Local, t.Attr
			err = do(x, true)
		case xml.EndElement:
			x.name, x.attributes = t.Name.Local, nil
			err = do(x, false)
		case xml.CharData:
			if say != nil {
				err = say(t)
			}
		}
		if err != nil {
			return err
		}
	}
}

// bounded gives what is read of a part, up to a number of bytes in all and from one mark to the next.
type bounded struct {
	in   io.Reader
	left int64
	run  int
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.in.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return 0, errTooLarge
	}
	for rest := p[:n]; ; {
		at := bytes.IndexByte(rest, '<')
		if at < 0 {
			b.run += len(rest)
		} else {
			b.run += at
		}
		if b.run > mostElement {
			return 0, errTooLarge
		}
		if at < 0 {
			return n, err
		}
		b.run, rest = 0, rest[at+1:]
	}
}

package rows_test

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"fachwerk/internal/exchange/rows"
	"fachwerk/internal/exchange/table"
)

// heads knows a few words that head columns.
func heads(cell string) bool {
	return slices.Contains([]string{"name", "title", "note", "e-mail"}, strings.ToLower(cell))
}

func read(t *testing.T, name string, data []byte, how rows.Reading) *rows.File {
	t.Helper()
	how.Heads = heads
	f, err := rows.Read(name, data, how)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return f
}

func flat(f *rows.File) string {
	var lines []string
	for _, r := range append([][]string{f.Header}, f.Rows...) {
		lines = append(lines, strings.Join(r, "|"))
	}
	return strings.Join(lines, "\n")
}

func TestTables(t *testing.T) {
	encode := func(text string) map[string][]byte {
		western, err := charmap.Windows1252.NewEncoder().Bytes([]byte(text))
		if err != nil {
			t.Fatal(err)
		}
		little, err := unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewEncoder().Bytes([]byte(text))
		if err != nil {
			t.Fatal(err)
		}
		big, err := unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().Bytes([]byte(text))
		if err != nil {
			t.Fatal(err)
		}
		return map[string][]byte{
			rows.UTF8:    []byte("\ufeff" + text),
			rows.Western: western,
			rows.UTF16LE: little,
			rows.UTF16BE: big,
		}
	}
	for _, delimiter := range rows.Delimiters {
		text := strings.ReplaceAll(
			"\r\nName;Title;Note\r\nÅse Øst;Mate;\"says \"\"a;b\"\"\r\nand more\"\r\n\r\nBo;;x\r\n",
			";",
			delimiter,
		)
		for encoding, data := range encode(text) {
			f := read(t, "x.csv", data, rows.Reading{})
			if got, want := flat(f),
				strings.ReplaceAll("Name|Title|Note\nÅse Øst|Mate|says \"a;b\"\nand more\nBo||x", ";", delimiter); got != want ||
				f.Reading.Encoding != encoding ||
				f.Reading.Delimiter != delimiter ||
				!*f.Reading.Header ||
				f.Reading.Form != rows.CSV {
				t.Errorf("%q in %s is read as %+v:\n%s", delimiter, encoding, f.Reading, got)
			}
			if !slices.Equal(f.Lines, []int{3, 6}) {
				t.Errorf("the rows stand at %v", f.Lines)
			}
		}
	}
	no := false
	for text, want := range map[string]string{
		"1;ann@x.example\n2;bo@x.example":   "Column 1|Column 2\n1|ann@x.example\n2|bo@x.example",
		"Name\nBo":                          "Name\nBo",
		"Name,,Name 2\na,b":                 "Name|Column 2|Name 2\na|b",
		"Name,Note\nBo,'=1+1\n=2+2,-3\n'x,": "Name|Note\nBo|=1+1\n=2+2|-3\n'x|",
		"a;b;c\n1,5;2;3\n4,5;6;7":           "a|b|c\n1,5|2|3\n4,5|6|7",
	} {
		if got := flat(read(t, "x.csv", []byte(text), rows.Reading{})); got != want {
			t.Errorf("%q is read as\n%s\nwant\n%s", text, got, want)
		}
	}
	if f := read(t, "x", []byte("Name;A,B\nBo;1,2"), rows.Reading{Delimiter: ",", Header: &no}); flat(
		f,
	) != "Column 1|Column 2\nName;A|B\nBo;1|2" {
		t.Errorf("overruled: %s", flat(f))
	}
	for text, says := range map[string]string{"": "empty", "\n\n": "no rows", "Name": "no rows"} {
		if _, err := rows.Read("x.csv", []byte(text), rows.Reading{Heads: heads}); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
	if _, err := rows.Read("x.csv", []byte("Name\nok\nb\xe5d"), rows.Reading{Encoding: rows.UTF8}); err == nil ||
		!strings.Contains(err.Error(), "line 3") {
		t.Errorf("what is not UTF-8: %v", err)
	}
	if _, err := rows.Read("x", []byte("a"), rows.Reading{Form: "pdf"}); err == nil {
		t.Error("any form is read")
	}
}

// Files come as they are: with a title above the head, with a line for other programs, without a head, with lines that
// end as they did on old machines, and in encodings that nobody names.
func TestFilesAsTheyCome(t *testing.T) {
	polish, _ := charmap.Windows1250.NewEncoder().String("Name,Title\nŁukasz Wiśniewski,Główny księgowy\n")
	mac, _ := charmap.Macintosh.NewEncoder().String("Name,Title\nJosé Muñoz,Señor técnico\n")
	western, _ := charmap.Windows1252.NewEncoder().String("Name,Title\nZoë O’Brien,Maître d’hôtel – Café\n")
	for name, c := range map[string]struct {
		text, want, encoding string
		lines                []int
	}{
		"a title above": {"Starters of spring\n\nName,Title\nBo,Mate\n", "Name|Title\nBo|Mate", rows.UTF8, []int{4}},
		"a title as wide": {"Starters,,\nof spring,,\nName,Title,Note\nBo,Mate,\n", "Name|Title|Note\nBo|Mate|",
			rows.UTF8, []int{4}},
		"sep":     {"sep=;\r\nName;Title\r\nBo;a,b\r\n", "Name|Title\nBo|a,b", rows.UTF8, []int{3}},
		"CR":      {"Name,Title\rBo,Mate\rAda,Pilot\r", "Name|Title\nBo|Mate\nAda|Pilot", rows.UTF8, []int{2, 3}},
		"no head": {"Bo Rask,Mate\nAda Lind,Pilot\n", "Column 1|Column 2\nBo Rask|Mate\nAda Lind|Pilot", rows.UTF8, []int{1, 2}},
		"a head of other words": {"Wer,Wo,Seit\nBo,Nord,2026-01-31\n", "Wer|Wo|Seit\nBo|Nord|2026-01-31", rows.UTF8,
			[]int{2}},
		"Central Europe": {polish, "Name|Title\nŁukasz Wiśniewski|Główny księgowy", rows.Central, []int{2}},
		"Mac":            {mac, "Name|Title\nJosé Muñoz|Señor técnico", rows.Mac, []int{2}},
		"Western":        {western, "Name|Title\nZoë O’Brien|Maître d’hôtel – Café", rows.Western, []int{2}},
	} {
		f := read(t, "x.csv", []byte(c.text), rows.Reading{})
		if got := flat(f); got != c.want || f.Reading.Encoding != c.encoding || !slices.Equal(f.Lines, c.lines) {
			t.Errorf("%s is read in %s, from lines %v, as\n%s", name, f.Reading.Encoding, f.Lines, got)
		}
	}
	over := read(t, "x.csv", []byte("Name,Title\nBo,Mate, of the boat\nAda,Pilot,\n"), rows.Reading{})
	if len(over.Over) != 1 || over.Over[0] != 3 || flat(over) != "Name|Title\nBo|Mate\nAda|Pilot" {
		t.Errorf("a row with a cell too many: %v\n%s", over.Over, flat(over))
	}
	for name, c := range map[string]struct{ file, data, says string }{
		"unclosed": {"x.csv", "Name,Title\n\"Bo \"\"B\"\"\",Mate\n\"Ada,Pilot\nCy,Mate\n", "line 3 begins a cell"},
		"PDF":      {"x.pdf", "%PDF-1.7", "a PDF, which cannot be read: save it as .xlsx or as CSV"},
		"old":      {"x.xls", "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "old form (.xls)"},
		"open":     {"x.ods", "PK\x03\x04", "OpenDocument"},
		"page":     {"x.xls", "<html><table>", "a page"},
	} {
		if _, err := rows.Read(c.file, []byte(c.data), rows.Reading{}); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
	list := read(t, "x.json", []byte(`[{"name": "Bo", "teams": ["A", "B"], "n": [1, 2]}]`), rows.Reading{})
	if flat(list) != "n|name|teams\n1; 2|Bo|A; B" {
		t.Errorf("arrays are read as\n%s", flat(list))
	}
}

// A cell that holds a day is read as that day, whatever its format shows and from whatever day the workbook counts; and
// of the sheets those are first that are shown.
func TestDaysInWorkbooks(t *testing.T) {
	for _, from1904 := range []bool{false, true} {
		book := excelize.NewFile()
		if err := book.SetWorkbookProps(&excelize.WorkbookPropsOptions{Date1904: &from1904}); err != nil {
			t.Fatal(err)
		}
		set := func(sheet, cell string, value any, format string, number int) {
			t.Helper()
			style := &excelize.Style{NumFmt: number}
			if format != "" {
				style.CustomNumFmt = &format
			}
			id, err := book.NewStyle(style)
			if err == nil {
				err = errors.Join(book.SetCellValue(sheet, cell, value), book.SetCellStyle(sheet, cell, cell, id))
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		serial := 46116.0 // 4 April 2026, counted from the end of 1899
		if from1904 {
			serial -= 1462
		}
		if _, err := book.NewSheet("People"); err != nil {
			t.Fatal(err)
		}
		if err := errors.Join(book.SetCellValue("Sheet1", "A1", "Name"), book.SetCellValue("Sheet1", "A2", "hidden"),
			book.SetSheetRow("People", "A1", &[]string{"Name", "Title"})); err != nil {
			t.Fatal(err)
		}
		book.SetActiveSheet(1)
		if err := book.SetSheetVisible("Sheet1", false); err != nil {
			t.Fatal(err)
		}
		row := 2
		for _, format := range []string{"", "dd/mm/yyyy", "m/d/yy", "mm.dd.yyyy", "d. mmmm yyyy", "yyyy-mm-dd", "dd-mmm-yy"} {
			number := 0
			if format == "" {
				number = 14 // the short date of whoever opens it
			}
			set("People", fmt.Sprintf("A%d", row), serial, format, number)
			row++
		}
		set("People", fmt.Sprintf("A%d", row), serial+0.75, "dd/mm/yyyy hh:mm", 0)
		set("People", fmt.Sprintf("A%d", row+1), 46116, "", 0)
		set("People", fmt.Sprintf("A%d", row+2), "04.05.2026", "", 0)
		set("People", fmt.Sprintf("A%d", row+3), 1234.5, "#,##0.00", 0)
		var b bytes.Buffer
		if err := book.Write(&b); err != nil {
			t.Fatal(err)
		}
		f := read(t, "x.xlsx", b.Bytes(), rows.Reading{})
		if !slices.Equal(f.Sheets, []string{"People", "Sheet1"}) || f.Reading.Sheet != "People" {
			t.Errorf("the sheets are %v, of which %s is read", f.Sheets, f.Reading.Sheet)
		}
		var got []string
		for _, r := range f.Rows {
			got = append(got, r[0])
		}
		want := append(slices.Repeat([]string{"2026-04-04"}, 7), "2026-04-04 18:00:00", "46116", "04.05.2026", "1,234.50")
		if !slices.Equal(got, want) {
			t.Errorf("from 1904 %v: got\n%q, want\n%q", from1904, got, want)
		}
	}
}

func TestWorkbooks(t *testing.T) {
	book := excelize.NewFile()
	set := func(cell string, v any) {
		if err := book.SetCellValue("Sheet1", cell, v); err != nil {
			t.Fatal(err)
		}
	}
	set("A2", "Name")
	set("B2", "Level")
	set("C2", "Sum")
	set("A3", "Åse")
	set("B3", 3.5)
	set("A4", "=1+1") // a text, not a formula
	if err := book.SetCellFormula("Sheet1", "C3", "1+2"); err != nil {
		t.Fatal(err)
	}
	if _, err := book.NewSheet("Other"); err != nil {
		t.Fatal(err)
	}
	if err := book.SetSheetRow("Other", "A1", &[]any{"Name", "x"}); err != nil {
		t.Fatal(err)
	}
	if err := book.SetSheetRow("Other", "A2", &[]any{"Bo", "y"}); err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := book.Write(&b); err != nil {
		t.Fatal(err)
	}
	f := read(t, "no-ending", b.Bytes(), rows.Reading{})
	if f.Reading.Form != rows.XLSX || f.Reading.Sheet != "Sheet1" ||
		!slices.Equal(f.Sheets, []string{"Sheet1", "Other"}) ||
		!slices.Equal(f.Lines, []int{3, 4}) ||
		f.Rows[0][0] != "Åse" ||
		f.Rows[0][1] != "3.5" ||
		f.Rows[1][0] != "=1+1" {
		t.Errorf("%+v %v %v", f.Reading, f.Lines, f.Rows)
	}
	if f = read(t, "x.xlsx", b.Bytes(), rows.Reading{Sheet: "Other"}); flat(f) != "Name|x\nBo|y" {
		t.Errorf("the other sheet: %s", flat(f))
	}
	for name, data := range map[string][]byte{"broken.xlsx": []byte("PK\x03\x04 and no more"), "sheet": b.Bytes()} {
		if _, err := rows.Read(name, data, rows.Reading{Sheet: "Third"}); err == nil {
			t.Errorf("%s is read", name)
		}
	}
	// What is written here is read here.
	var out bytes.Buffer
	if err := table.XLSX(&out,
		table.Table{Name: "people", Columns: []table.Column{{Title: "Name"}, {Title: "Note"}},
			Rows: [][]any{{"=x", 5}, {"+y", nil}}}); err != nil {
		t.Fatal(err)
	}
	if f = read(t, "x.xlsx", out.Bytes(), rows.Reading{}); flat(f) != "Name|Note\n=x|5\n+y" {
		t.Errorf("a workbook of Fachwerk's is read as %q", flat(f))
	}
	out.Reset()
	if err := table.CSV(&out,
		table.Table{Columns: []table.Column{{Title: "Name"}, {Title: "Note"}},
			Rows: [][]any{{"=x", 5}, {"-y", nil}}}); err != nil {
		t.Fatal(err)
	}
	if f = read(t, "x.csv", out.Bytes(), rows.Reading{}); flat(f) != "Name|Note\n=x|5\n-y|" {
		t.Errorf("a table of Fachwerk's is read as %q", flat(f))
	}
}

const branch = `version: 1

dn: ou=people,o=x
objectClass: organizationalUnit
ou: people

dn: uid=ann,ou=people,o=x
objectClass: inetOrgPerson
uid: ann
cn: Ann Ash
cn;lang-sv: Anna Ask
mail: ann@x.example

dn: uid=bo,ou=people,o=x
objectClass: inetOrgPerson
uid: bo
cn:: QsO4
manager: uid=ann,ou=people,o=x
description: a line
  that goes on
`

func TestDirectories(t *testing.T) {
	f := read(t, "x.ldif", []byte(branch), rows.Reading{})
	if got := flat(f); got != "cn|description|mail|manager|uid\nAnn Ash||ann@x.example||ann\nBø|a line that "+
		"goes on||ann|bo" ||
		f.Reading.Form != rows.LDIF {
		t.Errorf("people are read as\n%s", got)
	}
	groups := branch
	for _, name := range []string{"crew", "night", "day"} {
		groups += "\ndn: cn=" + name + ",o=x\nobjectClass: groupOfUniqueNames\ncn: " + name +
			"\nuniqueMember: uid=bo,ou=people,o=x\nuniqueMember: cn=crew,o=x\n"
	}
	if got := flat(read(t, "x", []byte(groups),
		rows.Reading{})); got != "cn|member\ncrew|bo; crew\nnight|bo; crew\nday|bo; crew" {
		t.Errorf("groups are read as\n%s", got)
	}
	// Both are there, so each can be chosen.
	if f := read(t, "x", []byte(groups), rows.Reading{Sheet: "people"}); f.Header[0] != "cn" || len(f.Rows) != 2 ||
		!slices.Equal(f.Sheets, []string{"groups", "people"}) {
		t.Errorf("chosen, people are %+v", f)
	}
	if f := read(t, "x", []byte(groups), rows.Reading{Prefer: "people"}); len(f.Rows) != 2 || f.Reading.Sheet != "people" {
		t.Errorf("preferred, people are %+v", f)
	}
	if f := read(t, "x", []byte(branch), rows.Reading{Prefer: "groups"}); len(f.Rows) != 2 || f.Sheets != nil {
		t.Errorf("without groups, there are %+v", f)
	}
	if _, err := rows.Read("x.ldif", []byte(groups), rows.Reading{Sheet: "ships"}); err == nil {
		t.Error("ships are read")
	}
	for _, text := range []string{"dn: uid=x\nchangetype: delete\n", "dn: x\n no colon", "version: 1\n"} {
		if f, err := rows.Read("x.ldif", []byte(text), rows.Reading{}); err == nil {
			t.Errorf("%q is read as %+v", text, f)
		}
	}
}

// As ldapsearch writes it: with remarks, where else to ask, what was found below, members listed by both attributes and
// named though they are not in the file, and names in languages.
func TestDirectoriesAsTheyAreAsked(t *testing.T) {
	text := "# extended LDIF\n#\n# LDAPv3\n# base <o=x> with scope subtree\n#\n\n# ann, x\ndn: uid=ann,o=x\n" +
		"objectClass: inetOrgPerson\nuid: ann\ncn;lang-de: Anna Esche\ncn;lang-sv: Anna Ask\nmail: a@x.example\n" +
		"mail;x-work: b@x.example\nmail: a@x.example\n\n# search reference\nref: ldap://other.example/o=y??sub\n\n" +
		"# crew, x\ndn: cn=crew,o=x\nobjectClass: groupOfNames\nobjectClass: groupOfUniqueNames\ncn: crew\n" +
		"member: uid=ann,o=x\nuniqueMember: UID=ANN,o=x\nuniqueMember: uid=noor\\2ctamsin,ou=people,o=y\nmember: plain\n\n" +
		"# search result\nsearch: 2\nresult: 0 Success\n\n# numResponses: 3\n# numEntries: 2\n"
	if got := flat(read(t, "x.ldif", []byte(text), rows.Reading{})); got != "cn|mail|uid\nAnna Esche|a@x.example|ann" {
		t.Errorf("people are read as\n%s", got)
	}
	if got := flat(read(t, "x.ldif", []byte(text), rows.Reading{Sheet: "groups"})); got != "cn|member\ncrew|ann; plain; "+
		"noor,tamsin" {
		t.Errorf("groups are read as\n%s", got)
	}
}

func TestObjects(t *testing.T) {
	f := read(
		t,
		"x.jsonl",
		[]byte(
			"{\"person\":\"ann\",\"system\":\"s\"}\n\n{\"system\":\"t\",\"at\":\"2026-01-01\",\"n\":5,\"none\":null}\n",
		),
		rows.Reading{},
	)
	if got := flat(f); got != "person|system|at|n|none\nann|s\n|t|2026-01-01|5|" ||
		!slices.Equal(f.Lines, []int{1, 3}) {
		t.Errorf("read as\n%s at %v", got, f.Lines)
	}
	// an array, as other programs write it
	for _, text := range []string{`[{"person":"ann","n":1},{"person":"bea"}]`,
		" [\n{\"person\": \"ann\", \"n\": 1},\n{\"person\": \"bea\"}]\n"} {
		if f := read(t, "x.json", []byte(text), rows.Reading{}); f.Reading.Form != rows.JSON || len(f.Rows) != 2 ||
			f.Lines[1] != 2 ||
			f.Rows[1][1] != "bea" {
			t.Errorf("%s is read as %+v", text, f)
		}
	}
	if f := read(t, "x.json", []byte("{\n\"person\": \"ann\"\n}"), rows.Reading{}); len(f.Rows) != 1 ||
		f.Rows[0][0] != "ann" {
		t.Errorf("one object over many lines is read as %+v", f)
	}
	for _, text := range []string{`{"system":{"id":"q"},"sets":[]}`,
		"{\n\"format\": \"fachwerk-model/1\",\n\"name\": \"x\"}", `{"systems":[]}`} {
		if _, err := rows.Read("x.json", []byte(text), rows.Reading{}); !errors.Is(err, rows.ErrCatalogue) {
			t.Errorf("%s: %v", text, err)
		}
	}
	if _, err := rows.Read("x.json", []byte("[1,2]"), rows.Reading{}); err == nil ||
		!strings.Contains(err.Error(), "array") {
		t.Errorf("an array of numbers: %v", err)
	}
	if _, err := rows.Read("x.jsonl", []byte("{}\n[1]"), rows.Reading{}); err == nil ||
		!strings.Contains(err.Error(), "line 2") {
		t.Errorf("%v", err)
	}
}

// FuzzRead looks for files that break the reader, or whose rows do not fit their header.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"Name;Title\nBo;x", "\xff\xfeN\x00", branch, "{\"a\":1}", "PK\x03\x04", "a\tb\n\"",
		"'=1,2\n3"} {
		f.Add("x", []byte(s))
		f.Add("x.ldif", []byte(s))
	}
	f.Fuzz(func(t *testing.T, name string, data []byte) {
		file, err := rows.Read(name, data, rows.Reading{})
		if err != nil {
			if err.Error() == "" {
				t.Fatal("an error says nothing")
			}
			return
		}
		if len(file.Rows) != len(file.Lines) || len(file.Rows) == 0 {
			t.Fatalf("%d rows at %d lines", len(file.Rows), len(file.Lines))
		}
		for _, r := range file.Rows {
			if len(r) > len(file.Header) {
				t.Fatalf("a row of %d under a header of %d", len(r), len(file.Header))
			}
		}
	})
}

// A small file that says it is a large one, or has the server read another, is refused before it does harm.
func TestFilesThatDoHarm(t *testing.T) {
	var names, wide strings.Builder
	for i := range 10_000 {
		fmt.Fprintf(&names, "{\"n%d\":1}\n", i)
	}
	for i := range 400 {
		fmt.Fprintf(&wide, "c%d,", i)
	}
	for name, c := range map[string]struct{ file, data, says string }{
		"a new name in each row": {"x.jsonl", names.String(), "more than 200 columns"},
		"a very wide table":      {"x.csv", wide.String() + "\n1\n", "more than 200 columns"},
		"a file to be read in": {"x.ldif", "dn: uid=a,dc=x\nobjectClass: person\nuid: a\njpegPhoto:< file:///etc/passwd\n",
			"line 4 names a file"},
		"one that does not end": {"x.ldif", "dn: uid=a,dc=x\nobjectClass: person\ncn:< file:///dev/zero\n",
			"line 3 names a file"},
		"an address to be asked": {"x.ldif", "dn: uid=a,dc=x\nobjectClass: person\ncn:<http://192.0.2.1/\n",
			"line 3 names a file"},
	} {
		_, err := rows.Read(c.file, []byte(c.data), rows.Reading{})
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want that it says %q", name, err, c.says)
		}
	}
	f, err := rows.Read(
		"x.ldif",
		[]byte("dn: uid=a,dc=x\nobjectClass: person\nuid: a\ndescription: less <than\n"),
		rows.Reading{},
	)
	if err != nil || len(f.Rows) != 1 {
		t.Errorf("a value with an angle in it: %v", err)
	}
}

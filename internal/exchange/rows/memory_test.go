package rows_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"fachwerk/internal/exchange/rows"
)

const measured = "FACHWERK_MEASURED_FILE"

// TestMeasured is no test of its own: it is the process of the test below in which one file is read.
func TestMeasured(t *testing.T) {
	name := os.Getenv(measured)
	if name == "" {
		return
	}
	data, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := rows.Read(name, data, rows.Reading{}); err != nil {
		fmt.Println("refused:", err)
	}
	status, err := os.ReadFile("/proc/self/status")
	if err != nil {
		t.Fatal(err)
	}
	fmt.Println(regexp.MustCompile(`VmHWM:\s+\d+`).FindString(string(status)))
}

// most gives how many MiB of memory a process of its own took at most to read a file.
func most(t *testing.T, file string) (mib int, said string) {
	t.Helper()
	c := exec.Command(os.Args[0], "-test.run", "^TestMeasured$")
	c.Env = append(os.Environ(), measured+"="+file)
	out, err := c.CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	peak := regexp.MustCompile(`VmHWM:\s+(\d+)`).FindSubmatch(out)
	if peak == nil {
		t.Fatalf("how much it took is not told: %s", out)
	}
	kib, err := strconv.Atoi(string(peak[1]))
	if err != nil {
		t.Fatal(err)
	}
	return kib >> 10, string(out)
}

// packed writes a workbook of one sheet. What repeats takes little room in the file.
func packed(t *testing.T, parts map[string]func(io.Writer)) string {
	t.Helper()
	whole := map[string]func(io.Writer){
		"_rels/.rels":     text(`<Relationships><Relationship Id="r" Type="x/officeDocument" Target="xl/workbook.xml"/></Relationships>`),
		"xl/workbook.xml": text(`<workbook><sheets><sheet name="S" id="a"/></sheets></workbook>`),
		"xl/_rels/workbook.xml.rels": text(`<Relationships><Relationship Id="a" Type="x/worksheet" Target="sheet.xml"/>` +
			`<Relationship Id="b" Type="x/sharedStrings" Target="strings.xml"/>` +
			`<Relationship Id="c" Type="x/styles" Target="styles.xml"/></Relationships>`),
		"xl/sheet.xml": text(`<worksheet><sheetData><row><c t="inlineStr"><is><t>Name</t></is></c></row>` +
			`<row><c t="inlineStr"><is><t>Bo</t></is></c></row></sheetData></worksheet>`),
	}
	for name, write := range parts {
		whole[name] = write
	}
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for name, write := range whole {
		part, err := w.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		write(part)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "x.xlsx")
	if err := os.WriteFile(file, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	return file
}

func text(s string) func(io.Writer) { return func(w io.Writer) { _, _ = io.WriteString(w, s) } }

// times writes a text over and over, n times in all.
func times(begin, s string, n int, end string) func(io.Writer) {
	return func(w io.Writer) {
		_, _ = io.WriteString(w, begin)
		many := []byte(strings.Repeat(s, min(n, 1000)))
		for range n / min(n, 1000) {
			_, _ = w.Write(many)
		}
		_, _ = io.WriteString(w, end)
	}
}

// The worst workbooks are read, or refused, in less than 200 MiB of memory beyond what a small one takes.
func TestTheWorstWorkbooks(t *testing.T) {
	t.Parallel()
	const limit = 200
	small, said := most(t, packed(t, nil))
	if strings.Contains(said, "refused") {
		t.Fatal(said)
	}
	row := `<row><c r="GR1"><v>1</v></c></row>`
	for name, parts := range map[string]map[string]func(io.Writer){
		"many empty texts":      {"xl/strings.xml": times("<sst>", "<si/>", 12_000_000, "</sst>")},
		"many short texts":      {"xl/strings.xml": times("<sst>", "<si><t>abcdefgh</t></si>", 4_000_000, "</sst>")},
		"one long text":         {"xl/strings.xml": times("<sst><si><t>", "lorem ", 15_000_000, "</t></si></sst>")},
		"texts put together":    {"xl/strings.xml": times("<sst><si>", "<r><t>lorem</t></r>", 5_000_000, "</si></sst>")},
		"elements in elements":  {"xl/sheet.xml": times("<worksheet>", "<a>", 30_000_000, "")},
		"many attributes":       {"xl/sheet.xml": times("<worksheet", ` a="b"`, 15_000_000, "/>")},
		"a far column each row": {"xl/sheet.xml": times("<worksheet><sheetData>", row, 2_000_000, "</sheetData></worksheet>")},
		"many empty rows":       {"xl/sheet.xml": times("<worksheet><sheetData>", "<row/>", 20_000_000, "</sheetData></worksheet>")},
		"many numbers": {"xl/sheet.xml": times("<worksheet><sheetData>",
			"<row>"+strings.Repeat("<c><v>1234567</v></c>", 100)+"</row>", 60_000, "</sheetData></worksheet>")},
		"many styles": {"xl/styles.xml": times("<styleSheet><cellXfs>", "<xf/>", 1_600_000, "</cellXfs></styleSheet>")},
		"many sheets": {"xl/workbook.xml": times("<workbook><sheets>", `<sheet name="S" id="a"/>`, 340_000, "</sheets></workbook>")},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			took, said := most(t, packed(t, parts))
			if took-small > limit {
				t.Errorf("it takes %d MiB, and a small one %d: %s", took, small, said)
			}
			t.Logf("%d MiB beyond the %d of a small one; %s", took-small, small, strings.SplitN(said, "\n", 2)[0])
		})
	}
	for name, content := range map[string]string{
		"x.csv":   "name,b\n" + strings.Repeat(strings.Repeat(",", 150)+"\n", 80_000),
		"y.csv":   "name,b\n" + strings.Repeat("\n,", 6_000_000),
		"z.csv":   "name,b\nx,\"" + strings.Repeat("\"\"", 6_000_000) + "\"\n",
		"x.json":  "[" + strings.Repeat(`{"a":1},`, 1_500_000) + `{"a":1}]`,
		"y.json":  `[{"a":` + strings.Repeat("[", 6_000_000) + strings.Repeat("]", 6_000_000) + "}]",
		"z.jsonl": strings.Repeat(`{"a":[1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1,1]}`+"\n", 170_000),
		"w.json":  `[{"a":"` + strings.Repeat(`\u0000`, 2_000_000) + `"}]`,
		"x.ldif":  "version: 1\n\n" + strings.Repeat("dn: uid=a\nuid: a\n\n", 650_000),
		"y.ldif":  "version: 1\n\ndn: uid=a\n" + strings.Repeat("uid: a\n", 1_700_000),
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			file := filepath.Join(t.TempDir(), name)
			if err := os.WriteFile(file, []byte(content), 0o600); err != nil {
				t.Fatal(err)
			}
			took, said := most(t, file)
			if took-small > limit {
				t.Errorf("it takes %d MiB, and a small one %d: %s", took, small, said)
			}
			t.Logf("%d MiB beyond the %d of a small one; %s", took-small, small, strings.SplitN(said, "\n", 2)[0])
		})
	}
	t.Run("many parts", func(t *testing.T) {
		parts := map[string]func(io.Writer){}
		for i := range 100_000 {
			parts["x"+strconv.Itoa(i)] = text("")
		}
		if took, said := most(t, packed(t, parts)); took-small > limit || !strings.Contains(said, "unpacks to more") {
			t.Errorf("it takes %d MiB: %s", took, said)
		}
	})
}

package catalogue_test

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"

	"fachwerk/internal/exchange/catalogue"
	"fachwerk/internal/exchange/table"
)

func TestRead(t *testing.T) {
	for name, text := range map[string]string{
		"json":  `{"system":{"id":"q","name":"Quaybook","version":"5","permissions":[{"key":"q:gate:view"},{"key":"q:gate:open","class":"write","risk":2,"implies":["q:gate:view"],"label":"Open"}]},"sets":[{"id":"q-all","name":"q-all","permissions":["q:gate:view","q:gate:open"]}],"renames":{"q:gate:lift":"q:gate:open"}}`,
		"model": `{"format":"fachwerk-model/1","name":"x","systems":[{"id":"q","name":"Quaybook","version":"5","permissions":[{"key":"q:gate:view"},{"key":"q:gate:open","class":"write","risk":2,"implies":["q:gate:view"],"label":"Open"}]}],"sets":[{"id":"own","name":"Own","permissions":[]},{"id":"q-all","name":"q-all","system":"q","permissions":["q:gate:view","q:gate:open"]},{"id":"other","name":"O","system":"z","permissions":[]}],"renames":{"q:gate:lift":"q:gate:open"}}`,
		"keys":  "Key;Name;Class;Risk;Implies;Sets;Was\nq:gate:view;;;;;q-all;\nq:gate:open;Open;Write;high;gate:view;q-all;q:gate:lift\n",
		"parts": "object,action,label,class,risk,implies,sets,was\ngate,view,,read,0,,q-all,\ngate,open,Open,write,2,q:gate:view,q-all,gate:lift\n,,,,,,,\n",
	} {
		c, err := catalogue.Read(name, []byte(text), "q", "5")
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		s := c.System
		got := fmt.Sprint(s.ID, " ", s.Version, " ", len(s.Permissions), " ", c.Renames)
		for _, p := range s.Permissions {
			got += fmt.Sprintf(" %s/%s/%s/%d/%s/%v", p.Key, p.Label, p.Class, p.Risk, p.Span, p.Implies)
		}
		for _, x := range c.Sets {
			got += fmt.Sprint(" ", x.ID, x.System, x.Version, x.Permissions)
		}
		if want := "q 5 2 map[q:gate:lift:q:gate:open] q:gate:open/Open/write/2/area/[q:gate:view] " +
			"q:gate:view//read/0/area/[] q-allq5[q:gate:open q:gate:view]"; got != want &&
			strings.Replace(got, "[q:gate:view q:gate:open]", "[q:gate:open q:gate:view]", 1) != want {
			t.Errorf("%s is read as\n%s, want\n%s", name, got, want)
		}
	}
	for text, says := range map[string]string{
		`{}`: "expected one system", `{"systems":[{},{}]}`: "not 2", `{"system":{"id":"q","colour":1}}`: "colour",
		`{"system":`: "JSON", `{"system":{"id":"z","permissions":[]}}`: "the catalogue of the system \"z\"",
		`{"system":{"id":"q","permissions":[{"key":"z:a:b"}]}}`:                "permissions[0].key",
		`{"system":{"id":"q","permissions":[]},"sets":[{"id":"Bad Id"}]}`:      "sets[0].id",
		`{"system":{"id":"q","permissions":[]},"sets":[{"id":"a","ghost":1}]}`: "sets[0]",
		"colour,weight\nred,5": "expected a column", "key,risk\nq:a:b,9": "line 2, risk",
		"key,class\nq:a:b,own": "line 2, class", "key\nnonsense": "line 2, key", "key\nq:a:b\nz:a:b": "permissions[1].key",
		"": "empty",
	} {
		if _, err := catalogue.Read("x", []byte(text), "q", "5"); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want something about %q", text, err, says)
		}
	}
	for text, silent := range map[string]string{"key\nq:a:b": "[label description module class risk span implies " +
		"licence] true", "key;Name;Risk;Sets\nq:a:b;;;": "[description module class span implies licence] false",
		`{"system":{"id":"q","permissions":[]}}`: "[] true"} {
		if c, err := catalogue.Read("x", []byte(text), "q", "5"); err != nil ||
			fmt.Sprint(c.Silent, c.Sets == nil) != silent {
			t.Errorf("%s says nothing of %v, %v", text, c.Silent, err)
		}
	}
	western := append([]byte("key;label\nq:a:b;Br"), 0xFC, 'c', 'k', 'e')
	if c, err := catalogue.Read("x.csv", western, "q", "5"); err != nil || c.System.Permissions[0].Label != "Brücke" {
		t.Errorf("of a file in Windows-1252: %v %v", c, err)
	}
	if _, err := catalogue.Read("x", []byte(`{"system":{"id":"fachwerk","permissions":[]}}`), "", ""); err == nil {
		t.Error("Fachwerk's own catalogue is read")
	}
	if _, err := catalogue.Read("x", []byte("object,action\na,b"), "", ""); err == nil ||
		!strings.Contains(err.Error(), "of which system") {
		t.Errorf("a table of no system: %v", err)
	}
	if c, err := catalogue.Read("x", []byte("key\nnew:a:b"), "", ""); err != nil || c.System.ID != "new" {
		t.Errorf("a system that no one named: %+v %v", c, err)
	}
}

// What is given to be filled in can be read, in both forms.
func TestTemplate(t *testing.T) {
	var csv, workbook bytes.Buffer
	if err := errors.Join(table.CSV(&csv, *catalogue.Template()),
		table.XLSX(&workbook, *catalogue.Template())); err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"x.csv": csv.Bytes(), "x.xlsx": workbook.Bytes()} {
		c, err := catalogue.Read(name, data, "", "1.0")
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if c.System.ID != "shuttleboard" || c.System.Version != "1.0" || len(c.System.Permissions) != 3 ||
			len(c.Sets) != 2 ||
			len(c.Sets[1].Permissions) != 3 ||
			c.Renames["shuttleboard:timetable:print"] != "shuttleboard:timetable:publish" ||
			len(c.Silent) != 0 {
			t.Errorf("%s is read as %+v, %+v", name, c.System, c)
		}
	}
}

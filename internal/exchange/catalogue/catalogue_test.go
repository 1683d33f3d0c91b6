package catalogue_test

import (
	"fmt"
	"strings"
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/catalogue"
)

func TestRead(t *testing.T) {
	given := model.System{ID: "q", Name: "Quaybook", Version: "5"}
	for name, text := range map[string]string{
		"json":  `{"system":{"id":"q","name":"Quaybook","version":"5","permissions":[{"key":"q:gate:view"},{"key":"q:gate:open","class":"write","risk":2,"implies":["q:gate:view"],"label":"Open"}]},"sets":[{"id":"q-all","name":"q-all","permissions":["q:gate:view","q:gate:open"]}],"renames":{"q:gate:lift":"q:gate:open"}}`,
		"model": `{"format":"fachwerk-model/1","name":"x","systems":[{"id":"q","name":"Quaybook","version":"5","permissions":[{"key":"q:gate:view"},{"key":"q:gate:open","class":"write","risk":2,"implies":["q:gate:view"],"label":"Open"}]}],"sets":[{"id":"own","name":"Own","permissions":[]},{"id":"q-all","name":"q-all","system":"q","permissions":["q:gate:view","q:gate:open"]},{"id":"other","name":"O","system":"z","permissions":[]}],"renames":{"q:gate:lift":"q:gate:open"}}`,
		"keys":  "Key;Name;Class;Risk;Implies;Sets;Was\nq:gate:view;;;;;q-all;\nq:gate:open;Open;Write;high;gate:view;q-all;q:gate:lift\n",
		"parts": "object,action,label,class,risk,implies,sets,was\ngate,view,,read,0,,q-all,\ngate,open,Open,write,2,q:gate:view,q-all,gate:lift\n,,,,,,,\n",
	} {
		c, err := catalogue.Read(name, []byte(text), given)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		s := c.System
		got := fmt.Sprint(s.ID, " ", s.Name, " ", s.Version, " ", len(s.Permissions), " ", c.Renames)
		for _, p := range s.Permissions {
			got += fmt.Sprintf(" %s/%s/%s/%d/%s/%v", p.Key, p.Label, p.Class, p.Risk, p.Span, p.Implies)
		}
		for _, x := range c.Sets {
			got += fmt.Sprint(" ", x.ID, x.System, x.Version, x.Permissions)
		}
		if want := "q Quaybook 5 2 map[q:gate:lift:q:gate:open] q:gate:open/Open/write/2/area/[q:gate:view] q:gate:view//read/0/area/[] q-allq5[q:gate:open q:gate:view]"; got != want && strings.Replace(got, "[q:gate:view q:gate:open]", "[q:gate:open q:gate:view]", 1) != want {
			t.Errorf("%s is read as\n%s, want\n%s", name, got, want)
		}
	}
	for text, says := range map[string]string{
		`{}`: "expected one system", `{"systems":[{},{}]}`: "not 2", `{"system":{"id":"q","colour":1}}`: "colour", `{"system":`: "JSON", `{"system":{"id":"z","permissions":[]}}`: "the catalogue of the system \"z\"",
		`{"system":{"id":"q","permissions":[{"key":"z:a:b"}]}}`: "permissions[0].key", `{"system":{"id":"q","permissions":[]},"sets":[{"id":"Bad Id"}]}`: "sets[0].id", `{"system":{"id":"q","permissions":[]},"sets":[{"id":"a","ghost":1}]}`: "sets[0]",
		"colour,weight\nred,5": "expected a column", "key,risk\nq:a:b,9": "line 2, risk", "key,class\nq:a:b,own": "line 2, class", "key\nnonsense": "line 2, key", "key\nq:a:b\nz:a:b": "permissions[1].key", "": "empty",
	} {
		if _, err := catalogue.Read("x", []byte(text), given); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want something about %q", text, err, says)
		}
	}
	if _, err := catalogue.Read("x", []byte(`{"system":{"id":"fachwerk","permissions":[]}}`), model.System{}); err == nil {
		t.Error("Fachwerk's own catalogue is read")
	}
	if _, err := catalogue.Read("x", []byte("object,action\na,b"), model.System{}); err == nil || !strings.Contains(err.Error(), "of which system") {
		t.Errorf("a table of no system: %v", err)
	}
	if c, err := catalogue.Read("x", []byte("key\nnew:a:b"), model.System{}); err != nil || c.System.ID != "new" || c.System.Name != "new" {
		t.Errorf("a system that no one named: %+v %v", c, err)
	}
}

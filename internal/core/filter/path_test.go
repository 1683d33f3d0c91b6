package filter

import (
	"errors"
	"maps"
	"strings"
	"testing"
)

var resources = NewSchema(
	Attribute{Name: "userName", Type: Text},
	Attribute{Name: "active", Type: Boolean},
	Attribute{Name: "name", Parts: []Attribute{{Name: "givenName", Type: Text}, {Name: "familyName", Type: Text}}},
	Attribute{
		Name:  "emails",
		Parts: []Attribute{{Name: "value", Type: Text}, {Name: "type", Type: Text}, {Name: "primary", Type: Boolean}},
	},
)

func parts(m map[string]any) Row {
	return func(name string) []any {
		if v, ok := m[name]; ok {
			return []any{v}
		}
		return nil
	}
}

// brisk has two addresses of which only one is for work, and only the other the first to use.
var brisk = Row(func(name string) []any {
	return map[string][]any{"userName": {"aino.brisk"}, "active": {true},
		"name": {parts(map[string]any{"familyName": "Brisk"})}, "emails": {
			parts(map[string]any{"value": "aino@skerryhaven.example", "type": "work"}),
			parts(map[string]any{"value": "brisk@isles.example", "type": "home", "primary": true})}}[name]
})

func TestFiltersOverParts(t *testing.T) {
	for text, want := range map[string]bool{
		`name.familyName eq "BRISK"`: true, `name.givenName pr`: false, `name.givenName ne "x"`: true, `name pr`: true,
		`emails pr`: true, `emails.type eq "home"`: true, `emails eq "brisk@isles.example"`: true,
		`emails co "@tidal"`: false,
		`emails.type eq "work" and emails.primary eq true`: true, `emails[type eq "work" and primary eq true]`: false,
		`emails[type eq "home" and primary eq true]`: true, `emails[not (type eq "work")]`: true,
		`emails[type eq "work" and not (primary eq true)]`: true, `not (emails[type eq "other"])`: true,
		`active eq true and emails[value ew "isles.example"]`:                true,
		`urn:ietf:params:scim:schemas:core:2.0:User:name.familyName sw "br"`: true,
	} {
		f, err := resources.Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
		} else if got := f.MatchRow(brisk); got != want {
			t.Errorf("%s matches: %v, want %v", text, got, want)
		}
	}
	for text, says := range map[string]string{`name eq "x"`: "name.familyName", `emails[colour eq "x"]`: "no part",
		`emails[type eq "work"].value eq "x"`: "no name may follow", `userName[value eq "x"]`: "no parts",
		`emails.type.x eq 1`: "no part"} {
		if _, err := resources.Parse(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want something about %q", text, err, says)
		}
	}
}

func TestPaths(t *testing.T) {
	elements := brisk("emails")
	for text, want := range map[string]struct {
		attribute, part string
		filtered        bool
		matches         string // which of the two addresses
		equal           map[string]any
	}{
		`userName`:         {"userName", "", false, "11", nil},
		` NAME.givenname `: {"name", "givenName", false, "11", nil},
		`urn:ietf:params:scim:schemas:core:2.0:User:name.familyName`: {"name", "familyName", false, "11", nil},
		`emails`:                       {"emails", "", false, "11", nil},
		`emails[type eq "work"]`:       {"emails", "", true, "10", map[string]any{"type": "work"}},
		`emails[type eq "Home"].value`: {"emails", "value", true, "01", map[string]any{"type": "Home"}},
		`emails[type eq "x" and primary eq true].Value`: {"emails", "value", true, "00",
			map[string]any{"type": "x", "primary": true}},
		`emails[type eq "work" or primary eq true]`: {"emails", "", true, "11", nil},
		`emails[type sw "ho"].type`:                 {"emails", "type", true, "01", nil},
	} {
		p, err := resources.ParsePath(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		matches := ""
		for _, e := range elements {
			if p.Matches(e.(Row)) {
				matches += "1"
			} else {
				matches += "0"
			}
		}
		equal, ok := p.Equal()
		if p.Attribute != want.attribute || p.Part != want.part || p.Filtered() != want.filtered ||
			matches != want.matches ||
			ok != (want.equal != nil) ||
			ok && !maps.Equal(equal, want.equal) {
			t.Errorf("%s is %+v, matches %s, asks for %v %v", text, p, matches, equal, ok)
		}
	}
	for text, says := range map[string]string{"": "name of an attribute", "ghost": "no attribute",
		"emails[": "name of an attribute", `emails[type eq "x"`: "expected \"]\"",
		`emails[type eq "x"].`: "name of an attribute", `emails[type eq "x"].ghost`: "no part",
		`emails[type eq "x"] and`: "end of the path", "name.": "no part", "userName eq": "end of the path",
		"[type eq 1]": "name of an attribute", "userName[type eq 1]": "no parts", "\xff": "UTF-8"} {
		var e *Error
		if _, err := resources.ParsePath(text); !errors.As(err, &e) || !strings.Contains(e.Message, says) {
			t.Errorf("%q: %v, want something about %q", text, err, says)
		}
	}
}

// FuzzPath looks for texts that break the parser of paths, and for paths that do not name what they say.
func FuzzPath(f *testing.F) {
	for _, s := range []string{"userName", `emails[type eq "work"].value`, "name.familyName",
		`emails[not (primary eq true)]`, "urn:ietf:params:scim:schemas:core:2.0:User:emails", "emails[", "[]", "."} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		p, err := resources.ParsePath(text)
		if err != nil {
			var e *Error
			if !errors.As(err, &e) || e.Offset < 0 || e.Offset > max(len(text), maxLength) || e.Message == "" {
				t.Fatalf("the error %v does not say where", err)
			}
			return
		}
		for _, v := range brisk("emails") {
			p.Matches(v.(Row))
		}
		p.Equal()
		plain := p.Attribute
		if p.Part != "" {
			plain += "." + p.Part
		}
		again, err := resources.ParsePath(plain)
		if err != nil || again.Attribute != p.Attribute || again.Part != p.Part || again.Filtered() {
			t.Fatalf("%q names %s, which is read as %+v, %v", text, plain, again, err)
		}
	})
}

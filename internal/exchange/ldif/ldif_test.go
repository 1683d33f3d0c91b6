package ldif_test

import (
	"bytes"
	"strings"
	"testing"

	parser "github.com/go-ldap/ldif"

	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/ldif"
)

func TestWrite(t *testing.T) {
	long := "Kari " + strings.Repeat("Vinterberg-", 12) + "Øst"
	d := model.Build(&model.Design{Organisation: &model.Organisation{Name: "Skerryhaven, Harbour"},
		Users: model.Table[*model.User]{
			{
				ID:          "ann",
				UserName:    "ann",
				DisplayName: long,
				Email:       "ann@skerryhaven.example",
				JobTitle:    " Clerk",
				Manager:     "bo",
				ExternalID:  "7",
			},
			{
				ID:          "bo",
				UserName:    "bo",
				DisplayName: "Bo",
			}, {ID: "gone", UserName: "gone", DisplayName: "Gone", State: model.UserDeleted}},
		Groups: model.Table[*model.Group]{
			{ID: "crew", Name: "Crew", Users: []string{"ann", "gone"}},
			{ID: "all", Name: "All", Groups: []string{"crew"}, Description: ": everybody,\nand < all #"},
			{ID: "none", Name: "None"},
			{ID: "rule", Name: "Rule", Type: model.Rule, Rule: "active eq true"},
		}})
	var b bytes.Buffer
	if err := ldif.Write(&b, d); err != nil {
		t.Fatal(err)
	}
	text := b.String()
	for line := range strings.Lines(text) {
		if len(line) > 78 {
			t.Errorf("a line of %d: %s", len(line), line)
		}
	}
	var l parser.LDIF
	if err := parser.Unmarshal(strings.NewReader(text), &l); err != nil {
		t.Fatal(err)
	}
	entries := map[string]map[string][]string{}
	for _, e := range l.Entries {
		m := map[string][]string{}
		for _, a := range e.Entry.Attributes {
			m[a.Name] = a.Values
		}
		entries[e.Entry.DN] = m
	}
	const suffix = `,o=Skerryhaven\, Harbour`
	ann, crew, all := entries["uid=ann,ou=people"+suffix], entries["cn=crew,ou=groups"+suffix],
		entries["cn=all,ou=groups"+suffix]
	if len(entries) != 4 || ann == nil || crew == nil || all == nil {
		t.Fatalf("the entries are %v", entries)
	}
	for what, pair := range map[string][2]string{
		"name": {ann["cn"][0], long}, "family name": {ann["sn"][0], strings.Fields(long)[1]},
		"mail": {ann["mail"][0], "ann@skerryhaven.example"}, "title": {ann["title"][0], "Clerk"},
		"manager": {ann["manager"][0], "uid=bo,ou=people" + suffix},
		"number":  {ann["employeeNumber"][0], "7"}, "class": {ann["objectClass"][3], "inetOrgPerson"},
		"member": {strings.Join(crew["member"], " "), "uid=ann,ou=people" + suffix},
		"nested": {all["member"][0], "cn=crew,ou=groups" + suffix},
		"said":   {all["description"][0], ": everybody,\nand < all #"},
	} {
		if pair[0] != pair[1] {
			t.Errorf("%s is %q, want %q", what, pair[0], pair[1])
		}
	}
}

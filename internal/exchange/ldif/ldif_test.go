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
				UserName:    "bo.birch",
				DisplayName: "Bo",
				Email:       "bö@skerryhaven.example",
				State:       model.UserLocked,
			}, {ID: "gone", UserName: "gone", DisplayName: "Gone", State: model.UserDeleted}},
		Groups: model.Table[*model.Group]{
			{ID: "crew", Name: "Crew", Users: []string{"ann", "gone"}},
			{ID: "all", Name: "All", Groups: []string{"crew"}, Description: ": everybody,\nand < all #"},
			{ID: "none", Name: "None"},
			{ID: "nests-none", Name: "Nests\nNone", Groups: []string{"none"}},
			{ID: "other", Name: "CREW", Users: []string{"bo"}, Groups: []string{"none"}},
			{ID: "rule", Name: "Rule", Type: model.Rule, Rule: "active eq true"},
		}})
	var b bytes.Buffer
	if err := ldif.Write(&b, d, func(string) []string { return []string{"bo", "gone"} }); err != nil {
		t.Fatal(err)
	}
	text := b.String()
	if !strings.HasPrefix(text, "dn: o=") {
		t.Errorf("it begins with something else than what all lies in: %.40s", text)
	}
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
	ann, crew, all := entries["uid=ann,ou=people"+suffix], entries["cn=Crew,ou=groups"+suffix],
		entries["cn=All,ou=groups"+suffix]
	bo, rule, other := entries["uid=bo.birch,ou=people"+suffix], entries["cn=Rule,ou=groups"+suffix],
		entries["cn=CREW \\(other\\),ou=groups"+suffix]
	if other == nil {
		other = entries["cn=CREW (other),ou=groups"+suffix]
	}
	if len(entries) != 9 || ann == nil || crew == nil || all == nil || bo == nil || rule == nil || other == nil {
		t.Fatalf("the entries are %v", entries)
	}
	for i, dn := range []string{"o=Skerryhaven\\, Harbour", "ou=people" + suffix, "ou=groups" + suffix} {
		if got := l.Entries[i].Entry.DN; got != dn {
			t.Errorf("entry %d is %s, and others lie in it", i, got)
		}
	}
	if !strings.Contains(text, "#   None\n") || !strings.Contains(text, "#   Nests None\n") || bo["mail"] != nil {
		t.Errorf("left out are not named, or what no directory takes is there: %s", text[len(text)-200:])
	}
	for what, pair := range map[string][2]string{
		"name": {ann["cn"][0], long}, "family name": {ann["sn"][0], strings.Fields(long)[1]},
		"mail": {ann["mail"][0], "ann@skerryhaven.example"}, "title": {ann["title"][0], "Clerk"},
		"manager": {ann["manager"][0], "uid=bo.birch,ou=people" + suffix},
		"state":   {bo["description"][0], "locked"},
		"rule":    {strings.Join(rule["member"], " "), "uid=bo.birch,ou=people" + suffix},
		"twin":    {other["cn"][0] + strings.Join(other["member"], " "), "CREW (other)uid=bo.birch,ou=people" + suffix},
		"number":  {ann["employeeNumber"][0], "7"}, "class": {ann["objectClass"][3], "inetOrgPerson"},
		"member": {strings.Join(crew["member"], " "), "uid=ann,ou=people" + suffix},
		"nested": {all["member"][0], "cn=Crew,ou=groups" + suffix},
		"said":   {all["description"][0], ": everybody,\nand < all #"},
	} {
		if pair[0] != pair[1] {
			t.Errorf("%s is %q, want %q", what, pair[0], pair[1])
		}
	}
}

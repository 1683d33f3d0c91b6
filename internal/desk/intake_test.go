package desk_test

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/desk/directory"
	deskintake "fachwerk/internal/desk/intake"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"

	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/rows"
	"fachwerk/internal/exchange/table"
)

// tried waits until a file has been tried, and gives all its rows of a verdict.
func tried(t *testing.T, d *rooms.Desk, id, verdict string) *deskintake.Import {
	t.Helper()
	for began := time.Now(); time.Since(began) < time.Minute; {
		if v := must[*deskintake.Import](t)(d.Import(signe, id, verdict, "", 0, 500)); v.State != "working" {
			return v
		}
	}
	t.Fatal("it is tried for ever")
	return nil
}

// Of LDIF with people and groups each is read once the file is said to be about it.
func TestLDIFIsAboutOneOfTwo(t *testing.T) {
	d, _ := openDemo(t)
	const text = "dn: uid=zora,ou=people,o=x\nobjectClass: inetOrgPerson\nuid: zora\ncn: Zora Quist\n\n" +
		"dn: uid=yan,ou=people,o=x\nobjectClass: inetOrgPerson\nuid: yan\ncn: Yan Orlo\n\n" +
		"dn: cn=Night pilots,o=x\nobjectClass: groupOfNames\ncn: Night pilots\n" +
		"member: uid=noor.tamsin,ou=people,o=x\n"
	im := must[*deskintake.Import](t)(d.BeginImport(signe, "all.ldif", "", []byte(text)))
	v := tried(t, d, im.ID, "")
	if v.Kind != "people" || v.Match != 2 || !slices.Equal(v.Sheets, []string{"people", "groups"}) {
		t.Fatalf("tried: %+v", v)
	}
	people, groups := "people", "groups"
	if err := d.AlterImport(signe, im.ID, deskintake.ImportHow{Kind: &groups}); err != nil {
		t.Fatal(err)
	}
	if v = tried(t, d, im.ID, ""); v.Match != 1 || v.Counts["create"] != 1 || v.Reading.Sheet != "groups" {
		t.Errorf("as groups: %+v", v)
	}
	read := v.Reading
	read.Sheet = people
	if err := d.AlterImport(signe, im.ID, deskintake.ImportHow{Reading: &read}); err != nil {
		t.Fatal(err)
	}
	if v = tried(t, d, im.ID, ""); v.Match != 2 || v.Kind != "people" {
		t.Errorf("as people again: %+v", v)
	}
	// An operator says it at once.
	trial, _, err := d.ImportFile("all.ldif", []byte(text), groups, rows.Reading{}, nil, intake.Options{}, true)
	if err != nil || trial.Counts["create"] != 1 {
		t.Fatalf("%v, %+v", err, trial)
	}
	if g, ok := d.Design().Groups.Find("night-pilots"); !ok || !slices.Equal(g.Users, []string{"noor.tamsin"}) {
		t.Errorf("the group is %+v", g)
	}
}

func TestAFileIsBroughtIn(t *testing.T) {
	d, _ := openDemo(t)
	const text = "Number;Name;Mail;Site;Role\nkx-1;Ilse Marrow;ilse@x.example;Terminal 2;Gate clerk\nkx-2;Cy " +
		"Lorne;cy@x.example;Terminal 3;Gate clerk\n"
	im := must[*deskintake.Import](t)(d.BeginImport(signe, "starters.csv", "", []byte(text)))
	v := tried(t, d, im.ID, "")
	if v.State != "ready" || v.Kind != "people" || v.Counts["create"] != 1 || v.Counts["error"] != 1 || v.Match != 2 ||
		v.Reading.Delimiter != ";" ||
		v.Effect["new user"] != 1 ||
		v.Effect["new assignment"] != 1 ||
		v.Rows[1].Line != 3 {
		t.Fatalf("tried: %+v", v)
	}
	if f := v.Rows[1].Faults; len(f) != 1 || f[0].Column != 3 || f[0].Suggestion != "Terminal 1" {
		t.Errorf("the fault is %+v", f)
	}
	if v = tried(t, d, im.ID, "error"); v.Match != 1 || v.Rows[0].Row != 1 {
		t.Errorf("of the errors: %+v", v.Rows)
	}
	if err := d.CorrectImport(signe, im.ID, 1, 3, "Terminal 1", false); err != nil {
		t.Fatal(err)
	}
	if v = tried(t, d, im.ID, ""); v.Counts["create"] != 2 || v.Fixes != 1 ||
		!slices.Equal(v.Rows[1].Fixed, []deskintake.ImportFix{{Column: 3, Was: "Terminal 3"}}) ||
		v.Rows[1].Cells[3] != "Terminal 1" {
		t.Errorf("mended: %+v", v)
	}
	// The kind and the columns can be said otherwise.
	groups := "groups"
	if err := d.AlterImport(signe, im.ID, deskintake.ImportHow{Kind: &groups}); err != nil {
		t.Fatal(err)
	}
	if v = tried(t, d, im.ID, ""); v.Kind != "groups" || v.Stop != "" && !strings.Contains(v.Stop, "holds the field") {
		t.Errorf("as groups: %+v", v)
	}
	people := "people"
	if err := d.AlterImport(signe, im.ID,
		deskintake.ImportHow{Kind: &people, Columns: []string{"", "displayName", "email", "area", "roles"}}); err != nil {
		t.Fatal(err)
	}
	if v = tried(t, d, im.ID, ""); v.Columns[0].Field != "" || v.Counts["create"] != 2 {
		t.Errorf("without the number: %+v", v.Columns)
	}
	draft := must[*desk.Draft](t)(d.DraftImport(signe, im.ID))
	if len(draft.Edits) != 1 || draft.Gaining != 0 { // they are invited, so they hold nothing yet
		t.Errorf("drafted: %d edits, %d gain", len(draft.Edits), draft.Gaining)
	}
	applied := must[*desk.Applied](t)(d.Apply(signe, "the new starters", draft.Stamp))
	if u, ok := d.Design().Users.Find("ilse"); !ok || u.DisplayName != "Ilse Marrow" || u.ExternalID != "" ||
		u.State != model.UserInvited ||
		u.Area != "terminal-2" {
		t.Errorf("Ilse is %+v", u)
	}
	draft = must[*desk.Draft](t)(d.DraftUndo(signe, applied.Revision))
	must[*desk.Applied](t)(d.Apply(desk.Actor{User: signe.User, Proven: today}, "not yet", draft.Stamp))
	if _, there := d.Design().Users.Find("ilse"); there {
		t.Error("undone, Ilse is still there")
	}
	// What was applied meanwhile is seen, and what its columns held is remembered.
	if v = tried(t, d, im.ID, ""); v.Counts["create"] != 2 {
		t.Errorf("after the undo: %+v", v.Counts)
	}
	again := must[*deskintake.Import](t)(d.BeginImport(signe, "more.csv", "", []byte(text)))
	if v = tried(t, d, again.ID, ""); v.Columns[0].Field != "" || v.Columns[1].Field != "displayName" {
		t.Errorf("remembered: %+v", v.Columns)
	}
	if err := d.CloseImport(signe, again.ID); err != nil {
		t.Fatal(err)
	}
	_, err := d.Import(signe, again.ID, "", "", 0, 10)
	refused(t, err, desk.NotFound, "choose it again")
}

// The same mistake in many rows is mended once, only where it is one; and what was mended can be taken back.
func TestTheSameMistakeInManyRows(t *testing.T) {
	d, _ := openDemo(t)
	im := must[*deskintake.Import](
		t,
	)(
		d.BeginImport(
			signe,
			"x.csv",
			"people",
			[]byte(
				"Name;Site;Role\nAd One;Terminal 3;Gate clerk\nBo Two;Terminal 3;Gate clark\nCy Three;Terminal 2;Gate clark\nDi "+
					"Four;Terminal 3;Gate clerk\nEl Five;Terminal 3\n",
			),
		),
	)
	v := tried(t, d, im.ID, "")
	if v.Counts["error"] != 5 || v.Rows[0].Faults[0].Alike != 4 || v.Rows[2].Faults[0].Alike != 2 {
		t.Fatalf("tried: %+v", v.Rows)
	}
	mend := func(row, column int, text string, alike bool, wrong int) {
		t.Helper()
		if err := d.CorrectImport(signe, im.ID, row, column, text, alike); err != nil {
			t.Fatal(err)
		}
		if v = tried(t, d, im.ID, ""); v.Counts["error"] != wrong {
			t.Errorf("%d rows are wrong, not %d: %+v", v.Counts["error"], wrong, v.Rows)
		}
	}
	mend(0, 1, "Terminal 1", true, 3) // of Bo and Cy the role is wrong, El has none
	mend(2, 2, "Gate clerk", true, 1)
	if v.Fixes != 6 || v.Rows[2].Cells[1] != "Terminal 2" {
		t.Errorf("%d cells were mended: %+v", v.Fixes, v.Rows)
	}
	mend(3, 1, v.Rows[3].Fixed[0].Was, true, 2) // one alone is taken back
	mend(3, 1, "Terminal 2", true, 1)
	mend(4, 2, "Gate clerk", false, 0)
	if v.Fixes != 7 || v.Rows[4].Fixed[1] != (deskintake.ImportFix{Column: 2}) {
		t.Errorf("at the end: %+v", v.Rows)
	}
}

func TestWhoBringsWhatIn(t *testing.T) {
	d, _ := openDemo(t)
	ruben := desk.Actor{User: "ruben.adeyemi"}
	_, err := d.BeginImport(ruben, "x.csv", "", []byte("Name\nx"))
	refused(t, err, desk.NotAllowed, "See the design")
	_, err = d.BeginImport(desk.Actor{}, "x.csv", "", []byte("Name\nx"))
	refused(t, err, desk.NotSignedIn, "")
	_, err = d.BeginImport(signe, "x.csv", "ships", []byte("Name\nx"))
	refused(t, err, desk.Invalid, "ships")
	im := must[*deskintake.Import](t)(d.BeginImport(signe, "x.csv", "", []byte("Name\nx")))
	_, err = d.Import(desk.Actor{User: "oona.brandvold"}, im.ID, "", "", 0, 10)
	refused(t, err, desk.NotFound, "")
	refused(t, d.CorrectImport(signe, im.ID, 99, 0, "x", false), desk.NotFound, "no such cell")
	refused(t, d.AlterImport(signe, im.ID, deskintake.ImportHow{Roles: []string{"ghost"}}), desk.NotFound, "ghost")
	tried(t, d, im.ID, "")
	refused(
		t,
		d.AlterImport(signe, im.ID, deskintake.ImportHow{Columns: []string{"a", "b"}}),
		desk.Invalid,
		"number of columns",
	)
	_, err = d.DraftImport(signe, im.ID)
	refused(t, err, desk.Invalid, "changes nothing")
	// The auditor sees everything, so may try a file; but what it does is not theirs to draft.
	oona := desk.Actor{User: "oona.brandvold"}
	theirs := must[*deskintake.Import](
		t,
	)(
		d.BeginImport(oona, "x.csv", "people", []byte("Name;Role\nNew One;Gate clerk")),
	)
	for v := theirs; v.State == "working"; {
		v = must[*deskintake.Import](t)(d.Import(oona, theirs.ID, "", "", 0, 10))
	}
	_, err = d.DraftImport(oona, theirs.ID)
	refused(t, err, desk.NotAllowed, "")
	broken := must[*deskintake.Import](t)(d.BeginImport(signe, "x.xlsx", "", []byte("PK\x03\x04")))
	if v := tried(t, d, broken.ID, ""); v.State != "failed" || !strings.Contains(v.Error, "workbook") {
		t.Errorf("what cannot be read: %+v", v)
	}
	for i := range 4 {
		must[*deskintake.Import](t)(d.BeginImport(signe, fmt.Sprint(i), "", []byte("Name\nx")))
	}
	_, err = d.Import(signe, im.ID, "", "", 0, 10)
	refused(t, err, desk.NotFound, "choose it again")
}

func TestAnOperatorBringsIn(t *testing.T) {
	d, _ := openDemo(t)
	before := d.Revision()
	bring := func(text string, apply bool) *intake.Trial {
		t.Helper()
		trial, _, err := d.ImportFile(
			"x.csv",
			[]byte(text),
			"",
			rows.Reading{},
			map[string]string{"Who": "displayName"},
			intake.Options{},
			apply,
		)
		if err != nil {
			t.Fatal(err)
		}
		return trial
	}
	const good = "Who;Mail;Role\nIlse Marrow;ilse@x.example;Gate clerk\n"
	if trial := bring(good, false); trial.Counts[intake.Creates] != 1 || d.Revision() != before {
		t.Errorf("tried only: %v, revision %d", trial.Counts, d.Revision())
	}
	if trial := bring(good+"Cy;cy@x.example;Gate clark\n", true); trial.Counts[intake.Wrong] != 1 ||
		d.Revision() != before {
		t.Errorf("with an error: %v, revision %d", trial.Counts, d.Revision())
	}
	if bring(good, true); d.Revision() != before+1 {
		t.Errorf("applied: revision %d", d.Revision())
	}
	if trial := bring(good, true); trial.Counts[intake.Same] != 1 || d.Revision() != before+1 {
		t.Errorf("again: %v, revision %d", trial.Counts, d.Revision())
	}
	locking := "User name;Name;State\n"
	for _, id := range must[*directory.Known](t)(d.Known()).Index().Owners(today) {
		u, _ := d.Design().Users.Find(id)
		locking += u.UserName + ";" + u.DisplayName + ";locked\n"
	}
	before = d.Revision()
	trial, _, err := d.ImportFile("x.csv", []byte(locking), "people", rows.Reading{}, nil, intake.Options{}, true)
	if err != nil || trial.Counts[intake.Wrong] == 0 || d.Revision() != before ||
		!strings.Contains(trial.Rows[0].Faults[0].Message, "last live person") {
		t.Errorf("the owner is locked: %v, %+v", err, trial)
	}
}

// TestARowThatMayNotBeApplied brings in, among others, that the owners are deactivated: that is an error of their rows,
// and of nothing else in the file. Whoever is missing in it leaves, but for the last owner.
func TestARowThatMayNotBeApplied(t *testing.T) {
	d, _ := openDemo(t)
	var file strings.Builder
	file.WriteString("User name;Name;State;Role\n")
	owners := d.Present().Index.Owners(d.Now())
	for _, id := range owners {
		u, _ := d.Design().Users.Find(id)
		fmt.Fprintf(&file, "%s;%s;deactivated;\n", u.UserName, u.DisplayName)
	}
	file.WriteString("kx.one;Ilse Marrow;active;Gate clerk\n")
	im := must[*deskintake.Import](t)(d.BeginImport(signe, "x.csv", "people", []byte(file.String())))
	v := tried(t, d, im.ID, "")
	if len(owners) == 0 || v.Counts["error"] != len(owners) || v.Counts["create"] != 1 || v.Stop != "" {
		t.Fatalf("tried: %v, %q", v.Counts, v.Stop)
	}
	if f := v.Rows[0].Faults; len(f) != 1 || !strings.Contains(f[0].Message, "last live person who holds every right") {
		t.Errorf("the fault is %+v", f)
	}
	// Of a large file it is found out when it is drafted, beside what is in the draft.
	d.Judged = 1
	must[*desk.Draft](t)(d.Put(signe, nil, &model.Area{ID: "pier-9", Name: "Pier 9", Parent: d.Design().Root()}))
	large := must[*deskintake.Import](t)(d.BeginImport(signe, "x.csv", "people", []byte(file.String())))
	if v = tried(t, d, large.ID, ""); v.Counts["error"] != 0 {
		t.Errorf("a large file is judged while it is tried: %v", v.Counts)
	}
	draft := must[*desk.Draft](t)(d.DraftImport(signe, large.ID))
	if v = tried(t, d, large.ID, "error"); len(draft.Blocks) > 0 || len(draft.Edits) != 2 || v.Match != len(owners) {
		t.Errorf("a large file: %v in %d acts, and %d errors are told", draft.Blocks, len(draft.Edits), v.Match)
	}
	must[*desk.Draft](t)(d.Discard(signe))
	d.Judged = 1000

	draft = must[*desk.Draft](t)(d.DraftImport(signe, im.ID))
	if len(draft.Blocks) > 0 {
		t.Errorf("the draft cannot be applied: %v", draft.Blocks)
	}
	must[*desk.Applied](t)(d.Apply(signe, "a newcomer", draft.Stamp))
	if u, ok := d.Design().Users.Find("kx.one"); !ok || u.State != model.UserActive {
		t.Errorf("the other row was not applied: %+v", u)
	}

	// At the command line too, where nothing is applied if anything is wrong.
	trial, _, err := d.ImportFile("x.csv", []byte(file.String()), "people", rows.Reading{}, nil, intake.Options{}, true)
	if err != nil || trial.Counts[intake.Wrong] != len(owners) {
		t.Errorf("tried by an operator: %v, %v", trial.Counts, err)
	}

	im = must[*deskintake.Import](t)(
		d.BeginImport(signe, "y.csv", "people", []byte("User name;Name\nnoor.tamsin;Noor Tamsin\n")))
	share, missing := 100, true
	if err := d.AlterImport(signe, im.ID, deskintake.ImportHow{Missing: &missing, Share: &share}); err != nil {
		t.Fatal(err)
	}
	v = tried(t, d, im.ID, "")
	if v.Stop != "" || v.Leave < 300 || len(v.Staying) == 0 || v.Staying[0].Who.ID != owners[0] ||
		!strings.Contains(v.Staying[0].Why, "last live person") {
		t.Errorf("leaving are %d, staying %v, %q", v.Leave, v.Staying, v.Stop)
	}
	if draft = must[*desk.Draft](t)(d.DraftImport(signe, im.ID)); len(draft.Blocks) > 0 {
		t.Errorf("the draft cannot be applied: %v", draft.Blocks)
	}
}

// What Fachwerk writes comes back in, and changes nothing: its lists in every column, its assignments and last uses,
// and its LDIF, as CSV and as workbooks.
func TestOwnFilesComeBackUnchanged(t *testing.T) {
	d, _ := openDemo(t)
	tables := map[string]*table.Table{}
	for kind, columns := range map[model.Kind][]string{model.KindUser: nil, model.KindGroup: nil} {
		tables[string(kind)] = must[*table.Table](t)(d.ListTable(signe, view.Listing{Kind: kind}))
		l := must[*view.List](t)(d.List(signe, view.Listing{Kind: kind, Limit: 1}))
		for _, c := range l.Offered {
			columns = append(columns, c.ID)
		}
		tables[string(kind)+" in every column"] = must[*table.Table](t)(d.ListTable(signe,
			view.Listing{Kind: kind, Columns: columns}))
	}
	tables["assignments"] = must[*table.Table](t)(d.AssignmentsTable(signe))
	tables["last uses"] = must[*table.Table](t)(d.UsesTable(signe))
	files := map[string][]byte{}
	for name, list := range tables {
		var csv, book bytes.Buffer
		if err := errors.Join(table.CSV(&csv, *list), table.XLSX(&book, *list)); err != nil {
			t.Fatal(err)
		}
		files[name+".csv"], files[name+".xlsx"] = csv.Bytes(), book.Bytes()
	}
	var ldif bytes.Buffer
	if err := d.LDIF(signe, &ldif); err != nil {
		t.Fatal(err)
	}
	files["all.ldif"] = ldif.Bytes()
	for name, data := range files {
		trial, file, err := d.ImportFile(name, data, "", rows.Reading{}, nil, intake.Options{}, false)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if trial.Stop != "" || trial.Counts[intake.Same] != len(file.Rows) || len(file.Rows) < 30 {
			t.Errorf("%s: %d of %d rows say what is so already, %v %s", name, trial.Counts[intake.Same], len(file.Rows),
				trial.Counts, trial.Stop)
			for i, r := range trial.Rows {
				if r.Verdict != intake.Same {
					t.Logf("%v %+v", file.Rows[i], r)
					break
				}
			}
		}
	}
	_, err := d.AssignmentsTable(ruben)
	refused(t, err, desk.NotAllowed, "See the design")
	_, err = d.UsesTable(ruben)
	refused(t, err, desk.NotAllowed, "See the design")
}

package intake_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
)

func organisation() *model.Design {
	d := model.Build(&model.Design{
		Areas: model.Table[*model.Area]{
			{ID: "top", Name: "Skerryhaven"},
			{ID: "t1", Name: "Terminal 1", Parent: "top"},
			{ID: "t2", Name: "Terminal 2", Parent: "top"},
		},
		Licences: model.Table[*model.Licence]{{ID: "std", Name: "Standard"}},
		Systems: model.Table[*model.System]{
			{ID: "s", Name: "Quaybook", Permissions: []*model.Permission{{Key: "s:gate:view"}}},
		},
		Roles: model.Table[*model.Role]{
			{ID: "clerk", Name: "Gate clerk"},
			{ID: "lead", Name: "Gate lead"},
			{ID: "old", Name: "Old role", State: model.Retired},
		},
		Groups: model.Table[*model.Group]{
			{ID: "crew", Name: "Crew", ExternalID: "g1", Users: []string{"ann"}},
			{ID: "dir", Name: "From outside", Source: model.Directory},
			{ID: "rule", Name: "By rule", Type: model.Rule, Rule: "active eq true"},
		},
		Users: model.Table[*model.User]{
			{
				ID:          "ann",
				UserName:    "ann@x.example",
				DisplayName: "Ann Ash",
				Email:       "ann@x.example",
				ExternalID:  "1",
				Area:        "t1",
				JobTitle:    "Clerk",
			},
			{ID: "bo", UserName: "bo", DisplayName: "Bo Birch", ExternalID: "2", Manager: "ann"},
			{
				ID:          "fed",
				UserName:    "fed",
				DisplayName: "Fed",
				JobTitle:    "x",
				Source:      model.Directory,
			},
			{ID: "twin1", UserName: "twin1", DisplayName: "Twin"},
			{ID: "twin2", UserName: "twin2", DisplayName: "Twin"},
			{ID: "gone", UserName: "gone", DisplayName: "Gone", State: model.UserDeleted},
		},
		Assignments: model.Table[*model.Assignment]{
			{
				ID:      "a1",
				Subject: model.Subject{User: "ann"},
				Role:    "clerk",
				Area:    "t1",
				Until:   time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC),
			},
		},
	})
	return d
}

// file reads a table that is written with bars between cells.
func file(text string) (header []string, rows [][]string) {
	for line := range strings.Lines(strings.TrimSpace(text)) {
		var row []string
		for cell := range strings.SplitSeq(strings.TrimSpace(line), "|") {
			row = append(row, strings.TrimSpace(cell))
		}
		rows = append(rows, row)
	}
	return rows[0], rows[1:]
}

func try(t *testing.T, k intake.Kind, text string, o intake.Options) *intake.Trial {
	t.Helper()
	header, rows := file(text)
	d := organisation()
	o.Columns = intake.Match(d, k, header, rows, nil)
	trial, whole := intake.Try(d, k, rows, o, func(int) bool { return true })
	if !whole {
		t.Fatal("the trial was broken off")
	}
	if after, problems := change.Apply(d, trial.Ops); after == nil {
		t.Fatalf("what is to be done cannot be: %v", problems)
	}
	return trial
}

func after(t *testing.T, trial *intake.Trial) *model.Design {
	t.Helper()
	d, problems := change.Apply(organisation(), trial.Ops)
	if d == nil {
		t.Fatal(problems)
	}
	return d
}

func TestPeopleComeIn(t *testing.T) {
	trial := try(
		t,
		intake.People,
		`Staff number | First name | Surname | E-mail address | Position | Site | Reports to | Licence | Role | Team | Start date | Valid until
		7  | Ilse | Marrow | ilse@x.example | Clerk | Terminal 2 | 1              | Standard | Gate clerk; lead | crew | 01.12.2026 | 2027-12-01
		8  | Cy   | Lorne  | cy@x.example   | Lead  | T1         | Ilse Marrow    |          | GATE LEAD        |      |            |
		1  |      |        |                | Lead  | Terminal 1 | -              | std      | Gate clerk       | crew |            |
		2  | Bo   | Birch  |                |       |            |                |          |                  |      |            |
		#  | not this one
		   |      |        |                |       |            |                |          |                  |      |            |`,
		intake.Options{},
	)
	if want := map[intake.Verdict]int{intake.Creates: 2, intake.Changes: 1, intake.Same: 1,
		intake.Ignored: 2}; !maps.Equal(
		trial.Counts,
		want,
	) {
		t.Fatalf("the rows are %v: %+v", trial.Counts, trial.Rows)
	}
	d := after(t, trial)
	ilse, _ := d.Users.Find("ilse")
	if ilse == nil || ilse.DisplayName != "Ilse Marrow" || ilse.UserName != "ilse@x.example" ||
		ilse.ExternalID != "7" ||
		ilse.Area != "t2" ||
		ilse.Manager != "ann" ||
		!slices.Equal(ilse.Licences, []string{"std"}) ||
		ilse.State != model.UserInvited ||
		!ilse.From.Equal(time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)) ||
		!ilse.Until.Equal(time.Date(2027, 12, 1, 0, 0, 0, 0, time.UTC)) {
		t.Errorf("Ilse is %+v", ilse)
	}
	cy, _ := d.Users.Find("cy")
	if cy == nil || cy.Manager != "ilse" || cy.Area != "t1" {
		t.Errorf("Cy is %+v", cy)
	}
	ann, _ := d.Users.Find("ann")
	if ann.JobTitle != "Lead" || ann.Email != "ann@x.example" || ann.DisplayName != "Ann Ash" ||
		!slices.Equal(ann.Licences, []string{"std"}) {
		t.Errorf("Ann is %+v", ann)
	}
	given := map[string][]string{}
	for _, a := range d.Assignments {
		given[a.Subject.User] = append(given[a.Subject.User], a.Role+"@"+a.Area)
	}
	slices.Sort(given["ilse"])
	if !slices.Equal(given["ilse"], []string{"clerk@t2", "lead@t2"}) ||
		!slices.Equal(given["cy"], []string{"lead@t1"}) ||
		!slices.Equal(given["ann"], []string{"clerk@t1"}) {
		t.Errorf("given is %v", given)
	}
	if crew, _ := d.Groups.Find("crew"); !slices.Equal(crew.Users, []string{"ann", "ilse"}) {
		t.Errorf("in the crew are %v", crew.Users)
	}
	// Once brought in, the same rows change nothing.
	header, rows := file(`Staff number | Name | E-mail | Site | Role | Team
		7 | Ilse Marrow | ilse@x.example | Terminal 2 | Gate clerk; lead | crew
		  | Cy Lorne | cy@x.example | t1 | lead |`)
	again, _ := intake.Try(
		d,
		intake.People,
		rows,
		intake.Options{Columns: intake.Match(d, intake.People, header, rows, nil)},
		func(int) bool { return true },
	)
	if again.Counts[intake.Same] != 2 || len(again.Ops) != 0 {
		t.Errorf("brought in again: %v %+v", again.Counts, again.Rows)
	}
}

func TestWhatIsWrongWithPeople(t *testing.T) {
	const head = "External id | User name | Name | E-mail | Title | Home area | Manager | Licences | Roles | Groups | " +
		"State | From | Until\n"
	for row, want := range map[string][3]string{ // the field, what is said, what is suggested
		`9 | n | New | n@x.example | | Terminal 3 | | | clerk |`: {"area",
			"there is no area “Terminal 3”", "Terminal 1"},
		`9 | n | New | n@x.example | | t1 | | | Gate clark |`: {"roles",
			"there is no role “Gate clark”", "Gate clerk"},
		`9 | n | New | n@x.example | | t1 | | | Old role |`: {"roles",
			"there is no role “Old role”", ""},
		`9 | n | New | n@x.example | | t1 | | Standart | clerk |`: {"licences",
			"there is no licence “Standart”", "Standard"},
		`9 | n | New | n@x.example | | t1 | nobody at all | | clerk |`: {"manager", "there is no person", ""},
		`9 | n | New | n@x.example | | t1 | Ann Asch | | clerk |`: {"manager",
			"there is no person “Ann Asch”", "Ann Ash"},
		`9 | n | New | n@x.example | | t1 | Twin | | clerk |`: {"manager",
			"“Twin” can be 2 of them: twin1, twin2", "twin1"},
		`9 | n | New | n@x.example | | t1 | | | |`:   {"roles", "would be given nothing", ""},
		`9 | n | | n@x.example | | t1 | | | clerk |`: {"displayName", "needs a name", ""},
		`9 | n | New | n at x | | t1 | | | clerk |`:  {"email", "no e-mail address", ""},
		// it is Bo, who gets an external id
		`9 | bo | New | | | | | | clerk |`: {"", "", ""},
		`1 | bo | New | | | | | | clerk |`: {"userName",
			"the external id is that of Ann Ash, but the user name that of Bo Birch", ""},
		`9 | n | New | n@x.example | | t1 | | | clerk | dir`: {"groups", "comes from a directory",
			""},
		`9 | n | New | n@x.example | | t1 | | | clerk | rule`: {"groups", "by a rule", ""},
		`9 | n | New | n@x.example | | t1 | | | clerk | | activ`: {"state", "there is no state “activ”",
			"active"},
		`9 | n | New | n@x.example | | t1 | | | clerk | | | tomorrow`:                {"from", "no day like", ""},
		`9 | n | New | n@x.example | | t1 | | | clerk | | | 2027-02-01 | 2027-01-01`: {"until", "ends before it begins", ""},
		` | fed | | | Chief`:  {"title", "a directory keeps this field", ""},
		` | | Twin | | | t1 `: {"displayName", "can be 2 of them", "twin1"},
		`1 | | | | | | bo |`:  {"manager", "cycle", ""},
	} {
		trial := try(t, intake.People, head+row, intake.Options{})
		r := trial.Rows[0]
		if want[0] == "" {
			if r.Verdict == intake.Wrong {
				t.Errorf("%s: %+v", row, r.Faults)
			}
			continue
		}
		header, _ := file(head)
		at := slices.Index(intake.Match(organisation(), intake.People, header, nil, nil), want[0])
		found := false
		for _, f := range r.Faults {
			found = found || f.Column == at && strings.Contains(f.Message, want[1]) && f.Suggestion == want[2]
		}
		if r.Verdict != intake.Wrong || !found || len(trial.Ops) != 0 {
			t.Errorf(
				"%s: %s %+v, want %v in column %d; it would do %d things",
				row,
				r.Verdict,
				r.Faults,
				want,
				at,
				len(trial.Ops),
			)
		}
	}
}

func TestRowsThatTouchEachOther(t *testing.T) {
	trial := try(t, intake.People, `External id | Name | E-mail | Manager | Role | Team
		20 | One   | one@x.example   |     | clerk | crew
		20 | One   | one@x.example   |     | clerk |
		21 | Two   | two@x.example   | 22  | clerk |
		22 | Three | three@x.example | 23  | clerk |
		23 | Four  | four@x.example  |     | clark | crew
		24 | Five  | five@x.example  | 20  | lead  |`, intake.Options{Lines: []int{5, 6, 7, 8, 9, 10}})
	for i, want := range []intake.Verdict{intake.Creates, intake.Wrong, intake.Wrong, intake.Wrong, intake.Wrong,
		intake.Creates} {
		if trial.Rows[i].Verdict != want {
			t.Errorf("row %d is %s %+v, want %s", i, trial.Rows[i].Verdict, trial.Rows[i].Faults, want)
		}
	}
	for i, says := range map[int]string{1: "line 5 is about One too", 2: "line 8, about Three, has an error",
		3: "line 9, about Four, has an error"} {
		if !strings.Contains(trial.Rows[i].Faults[0].Message, says) {
			t.Errorf("row %d: %+v, want %q", i, trial.Rows[i].Faults, says)
		}
	}
	if crew, _ := after(t, trial).Groups.Find("crew"); !slices.Equal(crew.Users, []string{"ann", "one"}) {
		t.Errorf("in the crew are %v, though Four does not come", crew.Users)
	}
}

func TestNewPeopleWithoutRoles(t *testing.T) {
	const text = "Name | E-mail\nNew One | n@x.example"
	if trial := try(t, intake.People, text, intake.Options{}); trial.Counts[intake.Wrong] != 1 {
		t.Errorf("who would hold nothing: %v", trial.Counts)
	}
	if trial := try(t, intake.People, text, intake.Options{Bare: true}); trial.Counts[intake.Creates] != 1 ||
		len(trial.Ops) != 1 {
		t.Errorf("who may come with nothing: %v", trial.Counts)
	}
	if trial := try(t, intake.People, text, intake.Options{Roles: []string{"clerk"}}); trial.Counts[intake.Creates] != 1 ||
		len(trial.Ops) != 2 {
		t.Errorf("who gets a role for all: %v", trial.Counts)
	}
}

func TestWhomTheFileDoesNotHave(t *testing.T) {
	const text = "External id | Name\n1 | Ann Ash\n2 | Bo Birch\n | Fed"
	trial := try(t, intake.People, text, intake.Options{Missing: true, Share: 50})
	if !slices.Equal(trial.Leaving, []string{"twin1", "twin2"}) || trial.Stop != "" {
		t.Fatalf("leaving are %v, %q", trial.Leaving, trial.Stop)
	}
	d := after(t, trial)
	for id, want := range map[string]model.UserState{"twin1": model.UserDeactivated, "ann": model.UserActive,
		"gone": model.UserDeleted} {
		if u, _ := d.Users.Find(id); u.State != want {
			t.Errorf("%s is %s, want %s", id, u.State, want)
		}
	}
	if trial = try(t, intake.People, text, intake.Options{Missing: true}); !strings.Contains(
		trial.Stop,
		"lacks 2 of 5 people, more than 10 of a hundred",
	) ||
		len(trial.Ops) != 0 {
		t.Errorf("too many: %q, %d", trial.Stop, len(trial.Ops))
	}
	for share, stops := range map[int]bool{39: true, 40: false} { // two of five
		trial = try(t, intake.People, text, intake.Options{Missing: true, Share: share})
		if (trial.Stop != "") != stops {
			t.Errorf("with a share of %d it stops: %q", share, trial.Stop)
		}
	}
	if trial = try(t, intake.People, text, intake.Options{}); len(trial.Leaving) != 0 {
		t.Errorf("without being asked, %v leave", trial.Leaving)
	}
}

func TestGroupsComeIn(t *testing.T) {
	trial := try(t, intake.Memberships, `Group | Group id | What for | Responsible | Member
		Crew | g1 | | | bo
		Crew | | | | ann
		Night crew | g9 | covers nights | Ann Ash | Bo Birch; crew
		Night crew | | | | twin1
		From outside | | | | bo
		Crew | | | | nobody
		 | | | | bo
		By rule | | who is active | |`, intake.Options{})
	var got []intake.Verdict
	for _, r := range trial.Rows {
		got = append(got, r.Verdict)
	}
	if want := []intake.Verdict{intake.Changes, intake.Same, intake.Creates, intake.Changes, intake.Wrong, intake.Wrong,
		intake.Wrong, intake.Changes}; !slices.Equal(
		got,
		want,
	) {
		t.Errorf("the rows are %v, want %v: %+v", got, want, trial.Rows)
	}
	d := after(t, trial)
	crew, _ := d.Groups.Find("crew")
	night, _ := d.Groups.Find("night-crew")
	if !slices.Equal(crew.Users, []string{"ann", "bo"}) || night == nil || night.ExternalID != "g9" ||
		night.Owner != "ann" ||
		night.Description != "covers nights" ||
		!slices.Equal(night.Users, []string{"bo", "twin1"}) ||
		!slices.Equal(night.Groups, []string{"crew"}) {
		t.Errorf("%+v %+v", crew, night)
	}
	// A cycle is the fault of the row that closes it.
	trial = try(t, intake.Memberships, "Group | Member\nCrew | Night\nNight | crew\nCrew | bo", intake.Options{})
	if trial.Counts[intake.Wrong] == 0 {
		t.Errorf("a cycle: %v %+v", trial.Counts, trial.Rows)
	}
}

func TestAssignmentsComeIn(t *testing.T) {
	trial := try(t, intake.Assignments, `Person | Role | Where | Mode | Valid until | Why
		bo | Gate clerk | Terminal 2 | read-only | 2027-03-31 | winter
		Ann Ash | clerk | t1 | | 2027-06-01 |
		ann | clerk | t1 | | |
		Crew | lead | | | |
		crew | Gate lead | top | | |
		everyone | clerk | t1 | | |
		bo | fachwerk-auditor | | | |
		bo | clerk | t9 | | |
		bo | clerk | t1 | readonly | |
		nobody | clerk | t1 | | |
		bo | | t1 | | |`, intake.Options{})
	var got []intake.Verdict
	for _, r := range trial.Rows {
		got = append(got, r.Verdict)
	}
	want := []intake.Verdict{
		intake.Creates,
		intake.Changes,
		intake.Same,
		intake.Creates,
		intake.Wrong,
		intake.Creates,
		intake.Creates,
		intake.Wrong,
		intake.Wrong,
		intake.Wrong,
		intake.Wrong,
	}
	if !slices.Equal(got, want) {
		t.Fatalf("the rows are %v, want %v: %+v", got, want, trial.Rows)
	}
	for i, says := range map[int]string{4: "line 4 gives the same", 7: "there is no area", 8: "none of full, read-only",
		9: "there is no", 10: "names no role"} {
		if !strings.Contains(fmt.Sprint(trial.Rows[i].Faults), says) {
			t.Errorf("row %d: %+v, want %q", i, trial.Rows[i].Faults, says)
		}
	}
	d := after(t, trial)
	a1, _ := d.Assignments.Find("a1")
	if !a1.Until.Equal(time.Date(2027, 6, 1, 0, 0, 0, 0, time.UTC)) || len(d.Assignments) != 5 {
		t.Errorf("a1 until %s, of %d", a1.Until, len(d.Assignments))
	}
}

func TestLastUsesComeIn(t *testing.T) {
	trial := try(t, intake.LastUse, `User | Application | Last login
		ann | Quaybook | 2026-10-01T08:15:00Z
		1 | s | 2026-09-01
		bo | Quaybok | 2026-09-01
		bo | s | never
		bo | s |`, intake.Options{})
	if want := map[intake.Verdict]int{intake.Changes: 1, intake.Same: 1, intake.Wrong: 3}; !maps.Equal(
		trial.Counts,
		want,
	) {
		t.Errorf("%v: %+v", trial.Counts, trial.Rows)
	}
	want := []use.Use{{User: "ann", What: "s", At: time.Date(2026, 10, 1, 8, 15, 0, 0, time.UTC)}}
	if !slices.Equal(trial.Uses, want) || len(trial.Ops) != 0 {
		t.Errorf("uses are %v, of %d operations", trial.Uses, len(trial.Ops))
	}
	if trial.Rows[2].Faults[0].Suggestion != "Quaybook" {
		t.Errorf("%+v", trial.Rows[2].Faults)
	}
}

func TestColumnsAreRecognised(t *testing.T) {
	d := organisation()
	for _, c := range []struct {
		kind         intake.Kind
		header, rows string
		before       map[string]string
		want         string
	}{
		{intake.People, "Personnel No. | FULL NAME | e-mail address | job title", "", nil,
			"externalId displayName email title"},
		{intake.People, "A | B | C | D", "ann@x.example | Ann Ash | Terminal 1 | Gate clerk", nil,
			"email displayName area roles"},
		{intake.People, "Name | Nickname", "", nil, "displayName "},
		{intake.People, "Haken | Name", "", map[string]string{"haken": "externalId"}, "externalId displayName"},
		{intake.People, "Title | Name", "", map[string]string{"title": ""}, " displayName"},
		{intake.People, "uid | cn | mail | departmentNumber | employeeNumber | manager | sn", "", nil,
			"userName displayName email department externalId manager familyName"},
		{intake.Memberships, "cn | uniqueMember", "", nil, "group members"},
		{intake.LastUse, "x | y | z", "ann | Quaybook | 2026-01-01", nil, "person system instant"},
	} {
		header, rows := file(c.header + "\n" + c.rows)
		if got := strings.Join(intake.Match(d, c.kind, header, rows, c.before), " "); got != c.want {
			t.Errorf("%s are %q, want %q", c.header, got, c.want)
		}
	}
	for text, want := range map[string]intake.Kind{"Name | E-mail | Title\nx|y|z": intake.People,
		"Group | Member\nCrew | bo": intake.Memberships, "Person | Role | Area\nbo | clerk | t1": intake.Assignments,
		"Person | System | Last used\nbo | s | 2026-01-01": intake.LastUse} {
		header, rows := file(text)
		if got := intake.Guess(d, header, rows, nil); got != want {
			t.Errorf("%q is about %s, want %s", text, got, want)
		}
	}
	if trial := try(t, intake.People, "Title\nx", intake.Options{}); !strings.Contains(trial.Stop, "“Name”") ||
		len(trial.Ops) != 0 {
		t.Errorf("without names: %q", trial.Stop)
	}
}

func TestATrialCanBeCalledOff(t *testing.T) {
	var rows [][]string
	for i := range 5000 {
		rows = append(rows, []string{fmt.Sprint("P ", i), fmt.Sprintf("p%d@x.example", i)})
	}
	last := -1
	trial, whole := intake.Try(
		organisation(),
		intake.People,
		rows,
		intake.Options{Columns: []string{"displayName", "email"}, Bare: true},
		func(done int) bool { last = done; return done < 1500 },
	)
	if whole || trial != nil || last != 1500 {
		t.Errorf("it went on: %v %v, to %d", trial != nil, whole, last)
	}
}

// What a template has as its example could come in as it is, in whatever organisation; where there is nothing to
// name, nothing is named.
func TestExamples(t *testing.T) {
	d := organisation()
	for _, k := range intake.Kinds {
		row := intake.Examples(d, k)
		var columns []string
		for _, f := range intake.Fields(k) {
			columns = append(columns, f.Name)
		}
		trial, _ := intake.Try(
			d,
			k,
			[][]string{row},
			intake.Options{Columns: columns, Lines: []int{2}},
			func(int) bool { return true },
		)
		if trial.Stop != "" || trial.Counts[intake.Wrong] != 0 {
			t.Errorf("the example for %s: %q: %s %+v", k, row, trial.Stop, trial.Rows)
		}
	}
	at := func(k intake.Kind, field string, row []string) string {
		return row[slices.IndexFunc(intake.Fields(k), func(f intake.Field) bool { return f.Name == field })]
	}
	if row := intake.Examples(d, intake.People); at(intake.People, "area", row) != "Terminal 1" ||
		at(intake.People, "licences", row) != "Standard" ||
		at(intake.People, "roles", row) != "Gate clerk" ||
		at(intake.People, "manager", row) != "ann@x.example" ||
		at(intake.People, "externalId", row) != "hr-2041" {
		t.Errorf("of people: %q", row)
	}
	empty := model.Build(&model.Design{})
	if row := intake.Examples(empty, intake.Assignments); at(intake.Assignments, "subject", row) != "" ||
		at(intake.Assignments, "target", row) != "" ||
		at(intake.Assignments, "reason", row) == "" {
		t.Errorf("where there is nothing: %q", row)
	}
}

// Days of which it cannot be seen whether the day or the month comes first are asked about, unless another in their
// column shows it; and what is said counts only where nothing shows.
func TestDaysThatCanBeTwo(t *testing.T) {
	const head = "Name|External id|Role|From|Until\n"
	for name, c := range map[string]struct {
		rows, days string
		from       []string // of each row; empty: an error
		twoWays    bool
	}{
		"slashes alone":        {"A A|7|clerk|03/04/2027|", "", []string{""}, true},
		"said to be day first": {"A A|7|clerk|03/04/2027|", intake.DayFirst, []string{"2027-04-03"}, true},
		"and month first":      {"A A|7|clerk|03/04/2027|", intake.MonthFirst, []string{"2027-03-04"}, true},
		"another shows day first": {
			"A A|7|clerk|03/04/2027|\nB B|8|clerk|30/04/2027|", intake.MonthFirst, []string{"2027-04-03", "2027-04-30"}, false,
		},
		"another shows month first, with dots": {
			"A A|7|clerk|03.04.2027|\nB B|8|clerk|04.30.2027|", "", []string{"2027-03-04", "2027-04-30"}, false,
		},
		"dots alone": {"A A|7|clerk|03.04.2027|", "", []string{"2027-04-03"}, false},
		"both": {
			"A A|7|clerk|03/04/2027|\nB B|8|clerk|30/04/2027|\nC C|9|clerk|04/30/2027|", "",
			[]string{"", "2027-04-30", "2027-04-30"}, true,
		},
		"the same either way": {"A A|7|clerk|04/04/2027|", "", []string{"2027-04-04"}, true},
		"with a time":         {"A A|7|clerk|30/04/2027 17:30|", "", []string{"2027-04-30 17:30"}, false},
		"of another column":   {"A A|7|clerk|03/04/2027|30/04/2027", "", []string{""}, true},
		"no day":              {"A A|7|clerk|30/30/2027|", "", []string{""}, true},
	} {
		trial := try(t, intake.People, head+c.rows, intake.Options{Days: c.days})
		users := model.Table[*model.User]{}
		if len(trial.Ops) > 0 {
			users = after(t, trial).Users
		}
		for i, want := range c.from {
			r, got := trial.Rows[i], ""
			if u, ok := users.Find(r.ID); ok && r.Verdict != intake.Wrong {
				got = strings.TrimSuffix(u.From.Format("2006-01-02 15:04"), " 00:00")
			}
			if got != want || want == "" && !strings.Contains(r.Faults[0].Message, "day") {
				t.Errorf("%s: row %d begins %q, want %q; %+v", name, i, got, want, r.Faults)
			}
		}
		if trial.TwoWays != c.twoWays && name != "both" {
			t.Errorf("%s: it is asked %v", name, trial.TwoWays)
		}
	}
}

// What is unclear about columns and rows is told with its place, and what is clear is taken as it is meant.
func TestWhatColumnsHold(t *testing.T) {
	d := organisation()
	for text, want := range map[string]string{
		"Name|Name|Role\nA|B|clerk":      "Columns 1 and 2 are both headed “Name”",
		"Name|Full name|Role\nA|B|clerk": "Columns 1, “Name”, and 2, “Full name”, can both hold the field “Name”",
		"Name|E-mail|Role\nA|B|clerk":    "",
		"Colour|Colour|Name\nA|B|clerk":  "", // neither is taken
	} {
		header, rows := file(text)
		columns := intake.Match(d, intake.People, header, rows, nil)
		got := intake.Clash(intake.People, header, columns, nil)
		if !strings.HasPrefix(got, want) || want == "" && got != "" {
			t.Errorf("%q: it is told %q, want %q", text, got, want)
		}
		said := map[string]string{intake.Plain(header[1]): ""}
		columns = intake.Match(d, intake.People, header, rows, said)
		if got := intake.Clash(intake.People, header, columns, said); got != "" {
			t.Errorf("%q: what was said is asked again: %q", text, got)
		}
	}
	for text, want := range map[string][]string{
		"id|name|groups|licences\nann|Ann Ash|3|1\nbo|Bo Birch|4|0": {"id", "displayName", "", ""}, // counts
		"id|name|groups\n7001|A|Crew\n7002|B|Crew":                  {"externalId", "displayName", "groups"},
		"id|name\nann|Ann Ash":                                      {"id", "displayName"},
	} {
		header, rows := file(text)
		if got := intake.Match(d, intake.People, header, rows, nil); !slices.Equal(got, want) {
			t.Errorf("%q holds %q, want %q", text, got, want)
		}
	}
	if !intake.Heads("E-Mail address") || intake.Heads("Ann Ash") {
		t.Error("heads are not told from others")
	}
	// Several in a cell, with commas, if all of them are things; an id before a name; one that is so already, of several
	// who are called so; and a row that has more cells than the head.
	twin := organisation()
	bo, _ := twin.Users.Find("bo")
	bo.Manager = "twin2"
	header, rows := file("id|name|reports to|groups|qualifications\nbo|Bo Birch|Twin|\"Crew, By rule\"|\n" +
		"bo|Bo Birch|Twin||crane 2 until 2027-05-01; first-aid\nann|Ann Ash|||")
	rows[0][3] = "Crew, Nowhere"
	o := intake.Options{Columns: intake.Match(twin, intake.People, header, rows, nil), Over: map[int]int{2: 9}}
	trial, _ := intake.Try(twin, intake.People, rows[:1], o, func(int) bool { return true })
	if trial.Rows[0].Verdict != intake.Wrong || !strings.Contains(trial.Rows[0].Faults[0].Message, "“Crew, Nowhere”") {
		t.Errorf("one of several that is nothing: %+v", trial.Rows[0])
	}
	rows[0][3] = "Crew"
	trial, _ = intake.Try(twin, intake.People, rows[1:2], o, func(int) bool { return true })
	if r := trial.Rows[0]; r.Verdict != intake.Changes || len(r.Changes) != 1 ||
		r.Changes[0].After != "crane 2 until 2027-05-01; first-aid" {
		t.Errorf("qualifications, and a manager of whose name there are two: %+v", r)
	}
	trial, _ = intake.Try(twin, intake.People, rows, o, func(int) bool { return true })
	if r := trial.Rows[2]; r.Verdict != intake.Wrong || !strings.Contains(r.Faults[0].Message, "9 cells") {
		t.Errorf("a row with too many cells: %+v", r)
	}
	twice := try(t, intake.People, "Name|External id|E-mail|Role\nA A|7|a@x.example|clerk\nB B|8|A@x.example|clerk",
		intake.Options{})
	if r := twice.Rows[1]; r.Verdict != intake.Wrong || !strings.Contains(r.Faults[0].Message, "line 1, about A A, has the same") {
		t.Errorf("two with one address: %+v", r)
	}
}

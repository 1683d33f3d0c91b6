package filter

import (
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"
)

func level(l float64) *float64 { return &l }

var noor = &Person{
	ID: "noor.tamsin", UserName: "Noor.Tamsin", DisplayName: "Noor Tamsin", Email: "noor@skerryhaven.example",
	Title: "Gate clerk", Active: true, Manager: "mira", Area: "terminal-2", State: "active",
	Licences: []string{"standard", "planner"},
	Qualifications: []Qualification{
		{Type: "crane", Level: level(2), Until: time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)},
		{Type: "Radio", Level: level(4)},
		{Type: "first aid"},
	},
}

func TestMatch(t *testing.T) {
	for text, want := range map[string]bool{
		`userName eq "noor.tamsin"`:                       true,  // case does not count
		`id eq "Noor.Tamsin"`:                             false, // but for ids
		`id eq "noor.tamsin"`:                             true,
		`manager eq "MIRA"`:                               false,
		`manager.value eq "mira"`:                         true,
		`area ne "terminal-1"`:                            true,
		`USERNAME EQ "NOOR.TAMSIN"`:                       true, // nor in names and operators
		`title co "CLERK"`:                                true,
		`title sw "gate" and title ew "rk"`:               true,
		`title gt "gate"`:                                 true,
		`title lt "gate"`:                                 false,
		`title ge "gate clerk" and title le "GATE CLERK"`: true,
		`active eq true`:                                  true,
		`active ne true`:                                  false,
		`emails.value ew "skerryhaven.example"`:           true,
		`emails eq "noor@skerryhaven.example"`:            true,
		`emails[value sw "noor"]`:                         true,
		`emails pr`:                                       true,
		`licences eq "planner"`:                           true, // any value
		`licences ne "planner"`:                           true, // another value differs
		`licences eq "Planner"`:                           false,
		`not (licences eq "planner")`:                     false,
		`qualifications pr`:                               true,
		`qualifications.level gt 3`:                       true,
		`qualifications[type eq "crane" and level ge 3]`:  false, // one value must do both
		`qualifications[type eq "CRANE" and level ge 2]`:  true,
		`qualifications.type eq "crane" and qualifications.level ge 3`: true, // here not
		`qualifications[type eq "first aid" and level ne 3]`:           true, // no value matches ne
		`qualifications[type eq "first aid" and not (level ge 1)]`:     true,
		`qualifications[until gt "2026-12-31T23:00:00Z"]`:              true,
		`qualifications[until le "2027-01-01T01:00:00+01:00"]`:         true, // the same instant
		`department pr`:           false,
		`department eq "x"`:       false,
		`department ne "x"`:       true,
		`department eq null`:      false,
		`title ne null`:           true,
		`not (department sw "x")`: true,
		`title eq "x" or title eq "gate clerk" and active eq false`:                    false, // and binds tighter
		`(title eq "gate clerk" or title eq "x") and active eq true`:                   true,
		`not(title eq "x")and(active eq true)`:                                         true,
		`title eq "g\u0061te clerk"`:                                                   true,
		`urn:ietf:params:scim:schemas:core:2.0:User:title pr`:                          true,
		`urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:manager eq "mira"`: true,
		`state eq "ACTIVE"`: true,
	} {
		f, err := Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got := f.Match(noor); got != want {
			t.Errorf("%s matches %v, want %v", text, got, want)
		}
		people := []*Person{
			{},
			noor,
			{Title: "GATE clerk", Active: true, Qualifications: noor.Qualifications[1:]},
			{
				ID:             "x",
				Title:          "gate clerk",
				Licences:       []string{"planner"},
				Qualifications: []Qualification{{Type: "crane"}},
			},
			{},
		}
		crowd := NewCrowd(people)
		for range 2 { // the second time, by what is arranged already
			found := crowd.Match(f)
			for i, p := range people {
				if found.Test(uint(i)) != f.Match(p) {
					t.Errorf("%s: in the crowd, person %d matches %v", text, i, found.Test(uint(i)))
				}
			}
			if n := found.Count(); n > uint(len(people)) {
				t.Errorf("%s: of %d people %d match", text, len(people), n)
			}
		}
	}
}

func TestErrorsNameThePlaceAndTheRemedy(t *testing.T) {
	for _, c := range []struct {
		text   string
		offset int
		says   string
	}{
		{``, 0, "expected the name"},
		{`title`, 5, "expected an operator"},
		{`title is "x"`, 6, "expected an operator"},
		{`colour eq "red"`, 0, "there is no attribute \"colour\""},
		{`title.first eq "x"`, 0, "has no part"},
		{`title eq x`, 9, "double quotes"},
		{`title eq "x`, 9, "no closing quote"},
		{`title eq 5`, 9, "text in double quotes"},
		{`title eq "x" title pr`, 13, "expected \"and\""},
		{`(title pr`, 9, "expected \")\" for the \"(\" at character 1"},
		{`not title pr`, 4, "expected \"(\""},
		{`active gt true`, 7, "eq and ne"},
		{`active eq "true"`, 10, "true or false"},
		{`qualifications eq "crane"`, 0, "has parts"},
		{`qualifications[level ge "3"]`, 24, "expected a number"},
		{`qualifications[level ge 3`, 25, "expected \"]\""},
		{`qualifications[colour pr]`, 15, "has no part"},
		{`qualifications[type eq "a"].level ge 3`, 27, "put the comparison into it"},
		{`qualifications[until gt "tomorrow"]`, 24, "instant"},
		{`qualifications.level co 3`, 21, "not a text"},
		{`title gt null`, 9, "null"},
		{`title[value eq "x"]`, 0, "no bracket"},
		{"title eq \"\xff\"", 0, "UTF-8"},
	} {
		_, err := Parse(c.text)
		var e *Error
		if !errors.As(err, &e) {
			t.Errorf("%s: the error is %v", c.text, err)
			continue
		}
		if e.Offset != c.offset || !strings.Contains(e.Message, c.says) {
			t.Errorf("%s: at %d %q, want at %d something with %q", c.text, e.Offset, e.Message, c.offset, c.says)
		}
	}
}

func TestDeepNestingIsRefusedNotFatal(t *testing.T) {
	deep := strings.Repeat("(", 10_000) + "title pr" + strings.Repeat(")", 10_000)
	if _, err := Parse(deep); err == nil || !strings.Contains(err.Error(), "deeper than") {
		t.Errorf("the error is %v", err)
	}
	fine := strings.Repeat("not (", MaxDepth) + "title pr" + strings.Repeat(")", MaxDepth)
	if f, err := Parse(fine); err != nil || !f.Match(noor) {
		t.Errorf("%d levels: %v", MaxDepth, err)
	}
}

func TestFold(t *testing.T) {
	for _, pair := range [][2]string{{"ABC", "abc"}, {"Ærø", "ÆRØ"}, {"ſ", "S"}, {"Ω", "ω"}} {
		if Fold(pair[0]) != Fold(pair[1]) {
			t.Errorf("%q and %q differ only in case", pair[0], pair[1])
		}
	}
	if Fold("a") == Fold("b") || Fold("é") == Fold("e") {
		t.Error("different letters are made the same")
	}
}

// FuzzParse looks for texts that break the parser, and for filters that do not negate or join as they say.
func FuzzParse(f *testing.F) {
	for _, s := range []string{`title eq "x"`, `not (a.b pr) or qualifications[type eq "a" and level ge 1.5e3]`,
		`(((title pr)))`, `emails.value ew "\u00e9"`, `active eq tru`, `"`, `[`, `urn:x:y eq 1`} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		parsed, err := Parse(text)
		if err != nil {
			var e *Error
			if !errors.As(err, &e) || e.Offset < 0 || e.Offset > max(len(text), maxLength) || e.Message == "" {
				t.Fatalf("the error %v does not say where", err)
			}
			return
		}
		matches := parsed.Match(noor)
		parsed.Match(&Person{})
		if len(text) > 1000 {
			return
		}
		for form, want := range map[string]bool{"not (%)": !matches, "(%) and (%)": matches,
			"(%) or title eq \"never so\"": matches} {
			again, err := Parse(strings.ReplaceAll(form, "%", text))
			if err != nil {
				t.Fatalf("%q is a filter, but within %q it is not: %v", text, form, err)
			}
			if again.Match(noor) != want {
				t.Fatalf("%q within %q gives the wrong answer", text, form)
			}
		}
	})
}

var rows = NewSchema(
	Attribute{Name: "name", Type: Text},
	Attribute{Name: "owner", Type: Exact},
	Attribute{Name: "members", Type: Number},
	Attribute{Name: "retired", Type: Boolean},
	Attribute{Name: "until", Type: Instant},
)

func TestFiltersOverRows(t *testing.T) {
	row := Row(func(name string) []any {
		return map[string][]any{"name": {"Gate Crew"}, "owner": {""}, "members": {float64(0)}, "retired": {false},
			"until": {time.Date(2026, 3, 4, 0, 0, 0, 0, time.UTC)}}[name]
	})
	for text, want := range map[string]bool{
		`name eq "gate crew"`: true, `name co "CREW" and members eq 0`: true, `members gt 0`: false, `members pr`: true,
		`owner pr`: false, `owner ne "ann"`: true,
		`retired eq false`: true, `until lt "2026-04-01T00:00:00Z"`: true, `not (until pr)`: false,
		`NAME sw "gate" or owner eq "x"`: true,
	} {
		f, err := rows.Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
		} else if got := f.MatchRow(row); got != want {
			t.Errorf("%s matches: %v, want %v", text, got, want)
		}
	}
	for text, says := range map[string]string{`title pr`: "name, owner, members", `members eq "x"`: "a number",
		`owner.value eq "x"`: "no part", `name[x eq 1]`: "no parts"} {
		if _, err := rows.Parse(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v, want something about %q", text, err, says)
		}
	}
}

func TestFiltersAreToldFromWords(t *testing.T) {
	for text, want := range map[string]bool{
		`title eq "Clerk"`: true, `title eq`: true, `not (title pr)`: true, `((title co "x"`: true,
		`qualifications[type eq "crane"]`: true, `NOT ( not (area eq "x"))`: true, `emails.value ew ".example"`: true,
		`urn:ietf:params:scim:schemas:core:2.0:User:title eq "x"`: true,
		`title`: false, `gate clerk`: false, `area terminal`: false, `not gates`: false, ``: false, `(`: false,
		`title equals x`: false, `eq pr`: false, `state of the gates`: false, `nothing pr`: false,
	} {
		if got := People.Looks(text); got != want {
			t.Errorf("%q looks like a filter: %v, want %v", text, got, want)
		}
	}
}

func TestFolding(t *testing.T) {
	texts := []string{
		"",
		"a",
		"A",
		"noor",
		"Noor",
		"NOOR",
		"noor.",
		"noo",
		"ÅSE",
		"åse",
		"Åse",
		"straße",
		"STRASSE",
		"İ",
		"i",
		"K",
		"k",
		"noorå",
		"noorÅ",
	}
	for _, a := range texts {
		for _, b := range texts {
			if got, want := Folds(a, Fold(b)), Fold(a) == Fold(b); got != want {
				t.Errorf("%q folds to that of %q: %v, want %v", a, b, got, want)
			}
		}
	}
}

// Lists have attributes that rules have not; a comparison may follow the bracket of one with parts.
func TestWhatOnlyListsHave(t *testing.T) {
	day := func(d int) time.Time { return time.Date(2026, 5, d, 0, 0, 0, 0, time.UTC) }
	use := func(system, permission string, at time.Time) Row {
		return func(part string) []any {
			return []any{map[string]any{"system": system, "permission": permission, "at": at}[part]}
		}
	}
	p := &Person{ID: "ann", Title: "Clerk", Qualifications: []Qualification{{Type: "crane"}},
		More: func(name string) []any {
			return map[string][]any{
				"groups": {"crew", "staff"}, "roles": {"clerk"}, "lastUse": {use("s", "", day(3)), use("t", "t:a:b", day(9))},
			}[name]
		}}
	for text, want := range map[string]bool{
		`groups eq "staff" and roles eq "clerk"`:                      true,
		`groups eq "none"`:                                            false,
		`not (roles eq "lead") and title eq "clerk"`:                  true,
		`lastUse[system eq "s"].at lt "2026-05-04T00:00:00Z"`:         true,
		`lastUse[system eq "t"].at lt "2026-05-04T00:00:00Z"`:         false,
		`lastUse[system eq "s" and at gt "2026-05-04T00:00:00Z"]`:     false,
		`lastUse[permission eq "t:a:b"].at ge "2026-05-09T00:00:00Z"`: true,
		`lastUse.system eq "t"`:                                       true,
		`not (lastUse[system eq "u"])`:                                true,
		`qualifications[type eq "crane"].type sw "cr"`:                true,
		`lastUse pr`: true,
	} {
		f, err := Listed.Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got := f.Match(p); got != want {
			t.Errorf("%s: %v", text, got)
		}
		if f.Match(&Person{}) && strings.HasPrefix(text, "lastUse") {
			t.Errorf("%s matches somebody of whom nothing more is known", text)
		}
		if _, err := Parse(text); err == nil {
			t.Errorf("%s: a rule takes it", text)
		}
	}
	if f, err := Listed.Parse(`title eq "Clerk"`); err != nil || f.More() {
		t.Errorf("what rules look at is more: %v %v", f.More(), err)
	}
	for _, text := range []string{`lastUse[system eq "s"].`, `lastUse[system eq "s"].none eq "x"`,
		`lastUse[system eq "s"].at`} {
		if _, err := Listed.Parse(text); err == nil {
			t.Errorf("%s is taken", text)
		}
	}
}

// Many goroutines ask one crowd, again and again, by memory that they share: each is told what is true.
func TestACrowdIsAskedByMany(t *testing.T) {
	var people []*Person
	for i := range 500 {
		people = append(people, &Person{
			ID: fmt.Sprint("p", i), Title: fmt.Sprint("Title ", i%37), Department: fmt.Sprint("Department ", i%11),
			Active: i%5 != 0,
		})
	}
	crowd := NewCrowd(people)
	var wait sync.WaitGroup
	for k := range 8 {
		wait.Go(func() {
			for i := range 60 {
				text := fmt.Sprintf(`title sw "Title %d" and not (department eq "Department %d") or active eq false`,
					(i+k)%30, i%11)
				f, err := Parse(text)
				if err != nil {
					t.Error(err)
					return
				}
				var found []int
				crowd.Each(f, func(i int) { found = append(found, i) })
				matched := crowd.Match(f)
				next := 0
				for i, p := range people {
					in := next < len(found) && found[next] == i
					if in {
						next++
					}
					if want := f.Match(p); in != want || matched.Test(uint(i)) != want {
						t.Errorf("%s: person %d is found %v and matched %v, want %v", text, i, in, matched.Test(uint(i)), want)
						return
					}
				}
			}
		})
	}
	wait.Wait()
}

// A filter that somebody asks by is bounded, in terms and in bytes; a rule that is kept is not.
func TestWhatIsAskedIsBounded(t *testing.T) {
	terms := func(n int) string { return strings.TrimSuffix(strings.Repeat("title pr or ", n), " or ") }
	for text, wrong := range map[string]string{
		terms(AskedTerms):     "",
		terms(AskedTerms + 1): "more than 200 terms",
		`title eq "` + strings.Repeat("x", AskedLength) + `"`:                       "more than 8192 bytes",
		"emails[" + strings.ReplaceAll(terms(AskedTerms+1), "title", "value") + "]": "more than 200 terms",
		"not (" + terms(AskedTerms/2) + ") and (" + terms(AskedTerms/2+1) + ")":     "more than 200 terms",
		strings.Repeat("(", 150) + terms(AskedTerms-150) + strings.Repeat(")", 150): "",
		strings.Repeat("not (", 250) + "title pr" + strings.Repeat(")", 250):        "more than 200 terms",
	} {
		_, err := People.Ask(text)
		if wrong == "" && err != nil || wrong != "" && (err == nil || !strings.Contains(err.Error(), wrong)) {
			t.Errorf("%.60s …: %v, want %q", text, err, wrong)
		}
		if _, err := People.Parse(text); err != nil && !strings.Contains(text, "emails[") {
			t.Errorf("kept as a rule, %.60s …: %v", text, err)
		}
	}
}

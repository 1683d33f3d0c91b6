// Package intake tries what a file of rows would do to a design: for each row what it creates or changes, or what
// is wrong with it and what would be right; and gives the change that the rows make together.
package intake

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"unicode"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/naming"
)

// Kind is what the rows of a file are about.
type Kind string

// What can be brought in.
const (
	People      Kind = "people"
	Memberships Kind = "groups"
	Assignments Kind = "assignments"
	LastUse     Kind = "last-use"
)

// Kinds are all of them, in the order in which an organisation is brought in.
var Kinds = []Kind{People, Memberships, Assignments, LastUse}

// Field is something that a column can hold.
type Field struct {
	Name     string
	Title    string // as a template heads its column
	Doc      string
	Required bool
	Example  string
	Aliases  []string // other words that columns are headed with
}

var fields = map[Kind][]Field{
	People: {
		{
			"id",
			"Id",
			"The id by which Fachwerk knows the person: as its own lists have it. It is looked at before anything else.",
			false,
			"",
			nil,
		},
		{
			"externalId",
			"External id",
			"The id in the register that the people come from. It is what they are known by first.",
			false,
			"hr-2041",
			[]string{
				"employee number",
				"employee no",
				"personnel number",
				"personnel no",
				"staff no",
				"staff id",
				"staff number",
				"employee id",
				"number",
				"personnr",
				"hr id",
			},
		},
		{
			"userName",
			"User name",
			"What the person signs in by. Made of the e-mail or the name if it is empty.",
			false,
			"ilse.marrow",
			[]string{"login", "account", "sign-in", "uid", "user", "username"},
		},
		{
			"displayName",
			"Name",
			"The whole name.",
			true,
			"Ilse Marrow",
			[]string{"full name", "display name", "cn", "person", "employee"},
		},
		{
			"givenName",
			"Given name",
			"With the family name, in place of the whole name.",
			false,
			"",
			[]string{"first name", "forename"},
		},
		{
			"familyName",
			"Family name",
			"With the given name, in place of the whole name.",
			false,
			"",
			[]string{"last name", "surname", "sn"},
		},
		{
			"email",
			"E-mail",
			"",
			false,
			"ilse.marrow@skerryhaven.example",
			[]string{"mail", "email address", "e-mail address"},
		},
		{
			"title",
			"Title",
			"What the person does.",
			false,
			"Gate clerk",
			[]string{"job title", "position", "function", "job"},
		},
		{"department", "Department", "", false, "North Harbour", []string{"dept", "unit", "department number"}},
		{
			"userType",
			"Kind",
			"How the person belongs to the organisation.",
			false,
			"employee",
			[]string{"type", "employment", "employee type", "user type", "contract"},
		},
		{
			"area",
			"Home area",
			"An area, by id or name.",
			false,
			"Terminal 1",
			[]string{"area", "site", "location", "place", "base", "home"},
		},
		{
			"manager",
			"Manager",
			"A person: by external id, user name, e-mail, id or whole name; one of the file, too.",
			false,
			"mireille.aster",
			[]string{"reports to", "supervisor", "line manager", "boss"},
		},
		{
			"licences",
			"Licences",
			"By id or name, several with ; between.",
			false,
			"Quaybook Standard",
			[]string{"licence", "license", "licenses", "seats"},
		},
		{
			"roles",
			"Roles",
			"Given at the home area: by id or name, several with ; between. Who would hold nothing is an error.",
			false,
			"Gate clerk",
			[]string{"role", "access", "profile"},
		},
		{
			"groups",
			"Groups",
			"By external id, id or name, several with ; between. Who is in is put in; nobody is taken out.",
			false,
			"",
			[]string{"group", "team", "teams", "member of", "crew"},
		},
		{
			"state",
			"State",
			"active, invited, locked or deactivated. New people are invited unless it says otherwise.",
			false,
			"invited",
			[]string{"status", "account state"},
		},
		{
			"qualifications",
			"Qualifications",
			"A kind, with a level and a last day if it has them, several with ; between: dangerous-goods 2 until 2027-03-31. " +
				"They are what the person has from then on.",
			false,
			"",
			[]string{"qualification", "certificates", "certificate", "skills"},
		},
		{
			"from",
			"From",
			"A day: 2026-01-31 or 31.01.2026.",
			false,
			"2026-12-01",
			[]string{"start", "start date", "valid from", "begins", "since", "hired"},
		},
		{
			"until",
			"Until",
			"The first day on which it no longer holds.",
			false,
			"",
			[]string{"end", "end date", "valid until", "valid to", "expires", "leaves"},
		},
	},
	Memberships: {
		{
			"id",
			"Id",
			"The id by which Fachwerk knows the group: as its own lists have it. It is looked at before anything else.",
			false,
			"",
			nil,
		},
		{
			"group",
			"Group",
			"By external id, id or name; made if there is none and its name is new.",
			true,
			"Night crew",
			[]string{"team", "group name", "name", "cn", "crew"},
		},
		{
			"externalId",
			"External id",
			"Of the group, in the register that it comes from.",
			false,
			"grp-77",
			[]string{"group id", "group number"},
		},
		{
			"description",
			"What for",
			"",
			false,
			"Who covers the nights at the gates.",
			[]string{"description", "purpose", "why"},
		},
		{"owner", "Owner", "A person.", false, "mireille.aster", []string{"responsible"}},
		{"area", "Home area", "Where the group can be granted.", false, "", []string{"area", "site", "location", "home"}},
		{
			"members",
			"Member",
			"A person or a group, one a row or several with ; between.",
			false,
			"noor.tamsin",
			[]string{"members", "person", "user", "user name", "email", "unique member", "employee", "who"},
		},
	},
	Assignments: {
		{
			"subject",
			"Who",
			"A person or a group.",
			true,
			"noor.tamsin",
			[]string{"person", "user", "user name", "group", "subject", "email", "employee", "holder", "name"},
		},
		{
			"target",
			"Role",
			"A role; or a permission set.",
			true,
			"Gate clerk",
			[]string{"role", "set", "permission set", "what", "access", "grant"},
		},
		{
			"area",
			"Area",
			"The whole organisation if it is empty.",
			false,
			"Terminal 2",
			[]string{"where", "site", "location", "place"},
		},
		{"reach", "Reach", "area, line or own.", false, "", []string{"records"}},
		{"mode", "Mode", "full or read-only.", false, "", []string{"access mode"}},
		{"from", "From", "", false, "", []string{"start", "start date", "valid from", "begins"}},
		{"until", "Until", "", false, "2027-03-31", []string{"end", "end date", "valid until", "valid to", "expires"}},
		{"reason", "Reason", "", false, "covers the winter", []string{"why", "comment", "note"}},
	},
	LastUse: {
		{
			"person",
			"Person",
			"By external id, user name, e-mail or id.",
			true,
			"noor.tamsin",
			[]string{"user", "user name", "login", "account", "email", "employee", "subject", "who"},
		},
		{
			"system",
			"System",
			"By id or name; or a permission of one, by its key.",
			true,
			"Quaybook",
			[]string{"application", "app", "product", "permission"},
		},
		{
			"instant",
			"Last used",
			"An instant or a day.",
			true,
			"2026-10-01T08:15:00Z",
			[]string{
				"last use",
				"last login",
				"last sign-in",
				"last seen",
				"date",
				"time",
				"when",
				"used",
				"timestamp",
				"at",
			},
		},
	},
}

// Days are the fields that hold days, or instants.
var Days = []string{"from", "until", "instant"}

// Fields are what the columns of a kind can hold.
func Fields(k Kind) []Field { return fields[k] }

// Plain makes the words that head columns comparable: letters and digits only, in small letters.
func Plain(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
}

// Heads tells of a cell whether it is a word that heads columns, of whatever kind.
func Heads(cell string) bool { return headWords()[Plain(cell)] }

// headWords are all words that head columns, made comparable.
var headWords = sync.OnceValue(func() map[string]bool {
	out := map[string]bool{}
	for _, list := range fields {
		for _, f := range list {
			for _, word := range f.words() {
				out[Plain(word)] = true
			}
		}
	}
	return out
})

// words are those that a column of the field is headed with.
func (f Field) words() []string { return append([]string{f.Name, f.Title}, f.Aliases...) }

// heads tells whether a text is one of them.
func (f Field) heads(text string) bool {
	return slices.ContainsFunc(f.words(), func(n string) bool { return Plain(n) == Plain(text) })
}

// Clash tells what is unclear about which columns hold what: two that are headed alike, or that can both hold a field
// of which just one is taken. Empty if nothing is, or if it was said before what they hold.
func Clash(k Kind, header, columns []string, before map[string]string) string {
	said := func(i int) bool { _, is := before[Plain(header[i])]; return is }
	for j := range header {
		for i := range j {
			if said(i) || said(j) || columns[i] == "" && columns[j] == "" {
				continue
			}
			if Plain(header[i]) != "" && Plain(header[i]) == Plain(header[j]) {
				return fmt.Sprintf("Columns %d and %d are both headed “%s”: choose what each of them holds, or head one of them "+
					"otherwise.", i+1, j+1, header[i])
			}
			for _, f := range fields[k] {
				if (columns[i] == f.Name && columns[j] == "" || columns[j] == f.Name && columns[i] == "") &&
					f.heads(header[i]) && f.heads(header[j]) {
					return fmt.Sprintf("Columns %d, “%s”, and %d, “%s”, can both hold the field “%s”: choose which of them does.",
						i+1, header[i], j+1, header[j], f.Title)
				}
			}
		}
	}
	return ""
}

// looked is how many rows are looked at to tell what columns hold.
const looked = 200

// Match tells which field each column of a file holds, empty for none: as it was matched before, by what it is
// headed with, or by what stands in it. No field is given twice.
func Match(d *model.Design, k Kind, header []string, rows [][]string, before map[string]string) []string {
	out := make([]string, len(header))
	taken := map[string]bool{}
	give := func(i int, field string) {
		if field != "" && out[i] == "" && !taken[field] {
			out[i], taken[field] = field, true
		}
	}
	none := map[int]bool{}
	names := resolver(d)
	for i, h := range header {
		f, ok := before[Plain(h)]
		switch {
		case ok && f == "":
			none[i] = true // it was said before that it holds nothing of use
		case slices.ContainsFunc(fields[k], func(x Field) bool { return x.Name == f }):
			give(i, f)
		}
	}
	for _, exactly := range []bool{true, false} {
		for i, h := range header {
			for _, f := range fields[k] {
				fits := f.heads(h)
				if !exactly && len(Plain(h)) >= 5 {
					fits = slices.ContainsFunc(f.words(), func(n string) bool {
						return len(Plain(n)) >= 4 && strings.Contains(Plain(h), Plain(n))
					})
				}
				if fits && !none[i] {
					give(i, names.meant(k, f.Name, column(rows, i)))
				}
			}
		}
	}
	for i := range header {
		if out[i] == "" && !none[i] && !numbers(column(rows, i)) {
			if f := names.holding(k, column(rows, i)); f != "" {
				give(i, f)
			}
		}
	}
	return out
}

// meant gives the field that a column holds that is headed like one, by what stands in it: ids that are not those of
// things here are those of the register that they come from, and numbers where things are named count these.
func (r *names) meant(k Kind, field string, values []string) string {
	in := map[Kind]*naming.Finder{People: r.users, Memberships: r.groups}[k]
	switch {
	case field == "id" && in != nil:
		known := 0
		for _, v := range values {
			if _, is := in.Says[v]; is {
				known++
			}
		}
		if known == 0 && len(values) > 0 {
			return "externalId"
		}
	case numbers(values):
		named := map[string][]*naming.Finder{
			"groups": {r.groups}, "roles": {r.roles}, "licences": {r.licences}, "area": {r.areas},
			"members": {r.users, r.groups},
		}[field]
		if named != nil && !slices.ContainsFunc(values, func(v string) bool {
			return slices.ContainsFunc(named, func(in *naming.Finder) bool { return len(in.Called(v)) > 0 })
		}) {
			return ""
		}
	}
	return field
}

// numbers tells whether all of some values are whole numbers.
func numbers(values []string) bool {
	return len(values) > 0 && !slices.ContainsFunc(values, func(v string) bool {
		return strings.ContainsFunc(v, func(c rune) bool { return c < '0' || '9' < c })
	})
}

// column gives what stands in some rows of a column.
func column(rows [][]string, i int) (out []string) {
	for _, r := range rows[:min(len(rows), looked)] {
		if i < len(r) && strings.TrimSpace(r[i]) != "" {
			out = append(out, strings.TrimSpace(r[i]))
		}
	}
	return out
}

// holding tells which field most of some values are of.
func (r *names) holding(k Kind, values []string) string {
	if len(values) == 0 {
		return ""
	}
	most := func(is func(s string) bool) bool {
		n := 0
		for _, v := range values {
			if is(v) {
				n++
			}
		}
		return 10*n >= 7*len(values)
	}
	found := func(in *naming.Finder) func(s string) bool {
		return func(s string) bool {
			list := split(s)
			return len(list) > 0 &&
				!slices.ContainsFunc(list, func(one string) bool { return len(in.Called(one)) == 0 })
		}
	}
	switch k {
	case People:
		switch {
		case most(func(s string) bool { return strings.Contains(s, "@") && !strings.Contains(s, " ") }):
			return "email"
		case most(found(r.areas)):
			return "area"
		case most(found(r.licences)):
			return "licences"
		case most(found(r.roles)):
			return "roles"
		case most(found(r.groups)):
			return "groups"
		case most(func(s string) bool { return len(strings.Fields(s)) >= 2 && !strings.ContainsAny(s, "0123456789") }):
			return "displayName"
		}
	case Memberships:
		switch {
		case most(found(r.groups)):
			return "group"
		case most(found(r.users)):
			return "members"
		}
	case Assignments:
		switch {
		case most(found(r.targets)):
			return "target"
		case most(found(r.areas)):
			return "area"
		case most(found(r.users)) || most(found(r.groups)):
			return "subject"
		}
	case LastUse:
		switch {
		case most(found(r.users)):
			return "person"
		case most(found(r.systems)):
			return "system"
		case most(func(s string) bool { _, err := instant(s); return err == nil }):
			return "instant"
		}
	}
	return ""
}

// Guess tells what the rows of a file are most likely about: the kind for which most columns hold something, of
// those that nothing is lacking for.
func Guess(d *model.Design, header []string, rows [][]string, before map[string]string) Kind {
	best, most := People, -1
	for _, k := range Kinds {
		columns := Match(d, k, header, rows, before)
		given := 0
		for _, f := range columns {
			if f != "" {
				given += 2
			}
		}
		for _, f := range fields[k] {
			switch {
			case !f.Required:
			case slices.Contains(columns, f.Name):
				given++ // what says more for it than what is merely possible
			case f.Name != "displayName" || !slices.Contains(columns, "familyName"):
				given = math.MinInt32
			}
		}
		if given > most {
			best, most = k, given
		}
	}
	return best
}

// Examples gives a row of a kind as an example, in the order of its fields: where it names things, such as the
// design has, so that the row could come in as it is.
func Examples(d *model.Design, k Kind) []string {
	out := make([]string, len(fields[k]))
	for i, f := range fields[k] {
		if out[i] = f.Example; f.Example != "" && named[f.Name] != "" {
			out[i] = example(d, named[f.Name], f.Example)
		}
	}
	return out
}

// named are the fields that name things, with the kind of these.
var named = map[string]model.Kind{
	"area":     model.KindArea,
	"manager":  model.KindUser,
	"owner":    model.KindUser,
	"members":  model.KindUser,
	"subject":  model.KindUser,
	"person":   model.KindUser,
	"licences": model.KindLicence,
	"roles":    model.KindRole,
	"target":   model.KindRole,
	"system":   model.KindSystem,
}

// example is how a thing of a kind can be named: as it is proposed, if there is one, else the first of them; empty
// if there is none.
func example(d *model.Design, kind model.Kind, proposed string) string {
	var names []string
	switch kind {
	case model.KindArea:
		for _, a := range d.Areas {
			if a.Parent != "" || len(d.Areas) == 1 {
				names = append(names, a.Name)
			}
		}
	case model.KindUser:
		for _, u := range d.Users {
			if u.State == model.UserActive {
				names = append(names, u.UserName)
			}
		}
	case model.KindLicence:
		for _, l := range d.Licences {
			names = append(names, l.Name)
		}
	case model.KindRole:
		for _, r := range d.Roles {
			if r.State != model.Retired {
				names = append(names, r.Name)
			}
		}
	case model.KindSystem:
		for _, s := range d.Systems {
			if s.ID != model.OwnSystem {
				names = append(names, s.Name)
			}
		}
	}
	switch {
	case slices.Contains(names, proposed):
		return proposed
	case len(names) > 0:
		return names[0]
	}
	return ""
}

package intake

import (
	"cmp"
	"errors"
	"fmt"
	"hash/fnv"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/naming"
	"fachwerk/internal/core/use"
)

// Options say how a file is to be taken.
type Options struct {
	Columns []string    // the field that each column holds; empty: none
	Roles   []string    // what new people get whose rows name no role: roles, at their home areas
	Bare    bool        // new people may come without anything that they would hold
	Missing bool        // people whom the file does not have are to be deactivated
	Lines   []int       // where each row stands in its file, to name it; its place, if absent
	Stop    string      // why the file as a whole cannot be taken; empty if it can
	Over    map[int]int // how many cells those rows have that have more than the head
	Days    string      // how days are written of which that cannot be seen: day-first or month-first; empty: it is asked
	Share   int         // but not if these would be more than so many of a hundred; 0: 10

	// Refused tells what of a change may not be done; nil: everything may. It is asked of what all rows do together.
	Refused func(ops []change.Op) []Refusal

	Uses *use.Book // the last uses that are known
	Now  time.Time // so that a use that lies too far ahead is told; zero: none does
}

// Refusal is something that may not be done, and why: with an object, of a group perhaps with a member, or as it is.
type Refusal struct {
	Kind model.Kind
	ID   string
	User string
	Why  string
}

// Verdict is what becomes of a row.
type Verdict string

// The verdicts.
const (
	Creates Verdict = "create"
	Changes Verdict = "change"
	Same    Verdict = "same"    // it says what is so already
	Ignored Verdict = "ignored" // it says nothing
	Wrong   Verdict = "error"
)

// Verdicts are all of them, those first that want to be looked at.
var Verdicts = []Verdict{Wrong, Creates, Changes, Same, Ignored}

// Fault is what is wrong with a cell.
type Fault struct {
	Column     int // -1: the row as a whole
	Value      string
	Message    string
	Suggestion string // what was most likely meant; may be empty
}

// FieldChange is what a row makes of a field.
type FieldChange struct{ Field, Before, After string }

// Row is what a row does.
type Row struct {
	Verdict Verdict
	ID      string // of what it is about; empty if that is unknown
	About   string
	Changes []FieldChange
	Faults  []Fault
}

// Trial is what a file would do.
type Trial struct {
	Rows    []Row
	Counts  map[Verdict]int
	Leaving []string    // the people who would be deactivated, since the file does not have them
	Staying []Refusal   // the people whom it does not have either, and who cannot be
	Stop    string      // why the file as a whole is not taken; empty if it is
	TwoWays bool        // there are days of which it cannot be seen whether the day or the month comes first
	Ops     []change.Op // what the rows do together that nothing is wrong with
	Uses    []use.Use   // the last uses that they tell, which are no change of the design
}

// Step is how many rows are tried between two looks at whether to go on.
const step = 500

// trying is a trial while it is made.
type trying struct {
	d     *model.Design
	kind  Kind
	rows  [][]string
	o     Options
	at    map[string]int // the column of each field
	names *names
	trial *Trial
	ops   [][]change.Op           // of each row
	fresh map[string]*model.Group // groups that rows make, as they begin
	parts []part                  // what rows do to groups with which nothing is wrong
	own   []part                  // what the row that is being tried does to groups
	made  made                    // what the rows so far make of groups
	going func(done int) bool
	after map[string]*model.User // who people will be, of those whom rows have dealt with
	used  map[use.Key]time.Time  // the last uses that rows have told
	gifts map[gift]*model.Assignment
	rowOf map[gift]int      // which row gives something new
	order map[string]order  // how days are written, of each field that holds some
	stays map[string]string // why somebody whom the file does not have stays, by id
}

// part is something that a row does to a group: it puts a member in, or says what a field is to be, or, with neither,
// only that there is the group.
type part struct {
	row          int
	group        string
	user, nested string
	field, value string
}

// made is what rows make of groups: the values of fields, by group and field, and that somebody is a member.
type made map[part]string

// does takes a part in; false if it is so already, by another row.
func (m made) does(p part) bool {
	value := p.value
	p.row, p.value = 0, ""
	was, is := m[p]
	m[p] = value
	return !is || was != value
}

// Try tries rows on a design. Going is told how many rows have been tried, and tells whether to go on; if not,
// there is no trial.
func Try(d *model.Design, k Kind, rows [][]string, o Options, going func(done int) bool) (*Trial, bool) {
	t := &trying{
		d:     d,
		kind:  k,
		rows:  rows,
		o:     o,
		at:    map[string]int{},
		names: resolver(d),
		trial: &Trial{Rows: make([]Row, len(rows)), Counts: map[Verdict]int{}},
		ops:   make([][]change.Op, len(rows)),
		fresh: map[string]*model.Group{},
		made:  made{},
		going: going,
		after: map[string]*model.User{},
		used:  map[use.Key]time.Time{},
		rowOf: map[gift]int{},
		stays: map[string]string{},
		order: map[string]order{},
	}
	for i, f := range o.Columns {
		if f != "" {
			t.at[f] = i
		}
	}
	for _, f := range Days {
		t.order[f] = t.orderOf(f)
	}
	if t.trial.Stop = cmp.Or(o.Stop, t.lacking()); t.trial.Stop == "" && !t.each() {
		return nil, false
	}
	return t.finish(), true
}

// lacking tells which field no column holds that there must be.
func (t *trying) lacking() string {
	for _, f := range fields[t.kind] {
		if _, has := t.at[f.Name]; !f.Required || has {
			continue
		}
		if _, given := t.at["familyName"]; f.Name == "displayName" && given {
			continue
		}
		return fmt.Sprintf("No column holds the field “%s”: choose the one that does.", f.Title)
	}
	return ""
}

func (t *trying) each() bool {
	try := map[Kind]func(i int){People: t.person, Memberships: t.membership, Assignments: t.assignment,
		LastUse: t.use}[t.kind]
	if t.kind == People && !t.gather() {
		return false
	}
	for i := range t.rows {
		if i%step == 0 && !t.going(i) {
			return false
		}
		if t.empty(i) {
			t.trial.Rows[i].Verdict = Ignored
			continue
		}
		if n := t.o.Over[i]; n > 0 {
			t.wrong(i, "", "", fmt.Errorf("the row has %d cells, and the head fewer: a cell that has the delimiter in it must "+
				"stand in quotation marks", n))
		}
		if t.trial.Rows[i].Verdict == "" {
			try(i)
		}
	}
	return true
}

// empty tells whether a row says nothing, or only remarks.
func (t *trying) empty(i int) bool {
	for n, cell := range t.rows[i] {
		if cell = strings.TrimSpace(cell); cell != "" && !(n == 0 && cell[0] == '#') {
			return false
		} else if n == 0 && cell != "" {
			return true
		}
	}
	return true
}

// cell gives what a row has for a field; nothing if it is to have nothing.
func (t *trying) cell(i int, field string) string {
	if text := t.raw(i, field); !slices.Contains(clearing, text) {
		return text
	}
	return ""
}

// clearing is what a cell says to take away what is there. An empty cell says nothing.
var clearing = []string{"-", "–", "—"}

// says tells whether a row says something of a field.
func (t *trying) says(i int, field string) bool { return t.raw(i, field) != "" }

func (t *trying) raw(i int, field string) string {
	if c, has := t.at[field]; has && c < len(t.rows[i]) {
		return strings.TrimSpace(t.rows[i][c])
	}
	return ""
}

// wrong says what is wrong with a row's cell.
func (t *trying) wrong(i int, field, value string, err error) {
	f := Fault{Column: -1, Value: value, Message: err.Error()}
	if c, has := t.at[field]; has {
		f.Column = c
	}
	if u, is := err.(*naming.Unknown); is && u.Suggestion != "" {
		f.Suggestion = u.Suggestion
	}
	r := &t.trial.Rows[i]
	r.Verdict, r.Faults = Wrong, append(r.Faults, f)
}

// find finds what a cell names; without a cell, nothing.
func (t *trying) find(i int, field string, in *naming.Finder) string {
	text := t.cell(i, field)
	if text == "" {
		return ""
	}
	id, err := in.Find(text)
	if err != nil {
		t.wrong(i, field, text, err)
	}
	return id
}

// keep gives what a cell names, which is what there is already, if that is called so: others may be, too.
func (t *trying) keep(i int, field, now string, in *naming.Finder) string {
	if now != "" && slices.Contains(in.Called(t.cell(i, field)), now) {
		return now
	}
	return t.find(i, field, in)
}

// findAll finds each thing that a cell names.
func (t *trying) findAll(i int, field string, in *naming.Finder) (ids []string) {
	for _, text := range splitFor(t.cell(i, field), in) {
		id, err := in.Find(text)
		if err != nil {
			t.wrong(i, field, text, err)
		} else if !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	return ids
}

// conclude gives a row its verdict by what it changes of an object. Nothing is done for a row with which anything is
// wrong.
func (t *trying) conclude(i int, created bool, ops ...change.Op) {
	r := &t.trial.Rows[i]
	own := t.own
	t.own = nil
	if r.Verdict != Wrong {
		for _, p := range own {
			t.made.does(p)
		}
		t.parts = append(t.parts, own...)
	}
	switch {
	case r.Verdict == Wrong:
		return
	case created:
		r.Verdict = Creates
	case len(r.Changes) > 0:
		r.Verdict = Changes
	default:
		r.Verdict = Same
		return
	}
	t.ops[i] = ops
}

// differs tells of a field what a row makes of it, and whether that is something else.
func (t *trying) differs(i int, field, before, after string) bool {
	if before == after {
		return false
	}
	r := &t.trial.Rows[i]
	r.Changes = append(r.Changes, FieldChange{field, before, after})
	return true
}

// group gives a group as it begins; nil if there is none.
func (t *trying) group(id string) *model.Group {
	if g := t.fresh[id]; g != nil {
		return g
	}
	g, _ := t.d.Groups.Find(id)
	return g
}

// join has a row put a member into a group; false if the member is in.
func (t *trying) join(i int, group, user, nested string) bool {
	p := part{row: i, group: group, user: user, nested: nested}
	list, member := t.group(group).Users, user
	if nested != "" {
		list, member = t.group(group).Groups, nested
	}
	if _, in := slices.BinarySearch(list, member); in {
		return false
	}
	t.own = append(t.own, p) // also if another row does it, with which something may turn out to be wrong
	p.row = 0
	_, in := t.made[p]
	return !in
}

// joinable tells why nobody can be put into a group; nil if one can.
func (t *trying) joinable(id string) error {
	g := t.group(id)
	switch {
	case g == nil:
		return nil
	case g.Type == model.Rule:
		return fmt.Errorf("“%s” finds its members by a rule", g.Name)
	case g.Source == model.Directory:
		return fmt.Errorf("“%s” comes from a directory, which keeps its members", g.Name)
	}
	return nil
}

// finish puts the rows' changes together, and finds what is wrong with them only then.
func (t *trying) finish() *Trial {
	for round := 1; ; round++ { // what is wrong with one row can take away what another rests on
		t.follow()
		t.trial.Ops = t.together()
		_, problems := change.Apply(t.d, t.trial.Ops)
		if problems = model.Errors(problems); len(problems) == 0 {
			refused := t.refused()
			if len(refused) == 0 {
				break
			}
			if round == roundsMost || !t.leaveOut(refused) {
				t.trial.Stop, t.trial.Ops = refused[0].Why, nil
				break
			}
			continue
		}
		if round == roundsMost || !t.blame(problems) { // nothing is put into a draft that could not be applied
			t.trial.Stop, t.trial.Ops = problems[0].String(), nil
			break
		}
	}
	t.second()
	for i := range t.trial.Rows {
		t.trial.Counts[t.trial.Rows[i].Verdict]++
	}
	return t.trial
}

// refused adds the people who leave, since the file does not have them, to what the rows do, and tells what of all this
// may not be done.
func (t *trying) refused() []Refusal {
	if t.kind == People && t.o.Missing && t.trial.Stop == "" {
		t.missing()
	}
	if t.trial.Stop != "" || t.o.Refused == nil || len(t.trial.Ops) == 0 {
		return nil
	}
	return t.o.Refused(t.trial.Ops)
}

// leaveOut makes what may not be done an error of the rows that would do it, and lets those stay who may not leave;
// false if nothing of it is any row's or leaver's.
func (t *trying) leaveOut(refused []Refusal) (found bool) {
	leaving := map[string]bool{}
	for _, id := range t.trial.Leaving {
		leaving[id] = true
	}
	var problems []model.Problem
	for _, r := range refused {
		switch {
		case r.Kind == model.KindUser && leaving[r.ID]:
			t.stays[r.ID], found = r.Why, true
		case r.User != "":
			for _, p := range t.parts {
				if p.group == r.ID && p.user == r.User && t.trial.Rows[p.row].Verdict != Wrong {
					t.wrong(p.row, "", "", errors.New(r.Why))
					found = true
				}
			}
		default:
			problems = append(problems, model.Problem{Kind: r.Kind, ID: r.ID, Message: r.Why})
		}
	}
	return t.blame(problems) || found
}

// roundsMost is how often it is looked for what is wrong with rows together.
const roundsMost = 20

// second finds the rows that only said what another did already, with which something turned out to be wrong: now it is
// they that do it.
func (t *trying) second() {
	done := made{}
	for _, p := range t.parts {
		r := &t.trial.Rows[p.row]
		if r.Verdict == Wrong || !done.does(p) || r.Verdict != Same {
			continue
		}
		if member := cmp.Or(p.user, p.nested); member != "" {
			r.Verdict = Changes
			r.Changes = append(r.Changes, FieldChange{
				"members", "", cmp.Or(t.names.users.Says[p.user], t.names.groups.Says[p.nested]),
			})
		}
	}
}

// line names a row by where it stands in the file.
func (t *trying) line(i int) int {
	if i < len(t.o.Lines) {
		return t.o.Lines[i]
	}
	return i + 1
}

// follow finds the rows that name a new manager whose own row is wrong, who therefore does not come.
func (t *trying) follow() {
	rowOf := map[string]int{}
	for i, r := range t.trial.Rows {
		if t.kind == People && r.ID != "" {
			if _, twice := rowOf[r.ID]; !twice {
				rowOf[r.ID] = i
			}
		}
	}
	for found := true; found; {
		found = false
		for i, r := range t.trial.Rows {
			u := t.after[r.ID]
			if r.Verdict == Wrong || u == nil || u.Manager == "" {
				continue
			}
			j, in := rowOf[u.Manager]
			if _, there := t.d.Users.Find(u.Manager); in && !there && t.trial.Rows[j].Verdict == Wrong {
				t.wrong(
					i,
					"manager",
					t.cell(i, "manager"),
					fmt.Errorf(
						"line %d, about %s, has an error, so nobody can report to them yet",
						t.line(j),
						t.trial.Rows[j].About,
					),
				)
				found = true
			}
		}
	}
}

// together gives the change that all rows make that nothing is wrong with.
func (t *trying) together() (ops []change.Op) {
	for i := range t.rows {
		if t.trial.Rows[i].Verdict != Wrong {
			ops = append(ops, t.ops[i]...)
		}
	}
	coming := map[string]bool{}
	for _, o := range ops {
		if o.Kind == model.KindUser {
			coming[o.ID] = true
		}
	}
	groups := map[string]*model.Group{}
	for _, p := range t.parts {
		if t.trial.Rows[p.row].Verdict == Wrong {
			continue
		}
		g := groups[p.group]
		if g == nil {
			g = change.Clone(t.group(p.group))
			groups[p.group] = g
		}
		switch {
		case p.field != "":
			*map[string]*string{
				"description": &g.Description, "externalId": &g.ExternalID, "owner": &g.Owner, "area": &g.Area,
			}[p.field] = p.value
		case p.nested != "":
			g.Groups = append(g.Groups, p.nested)
		case p.user != "":
			g.Users = append(g.Users, p.user)
		}
	}
	for _, id := range sortedKeys(groups) {
		g := groups[id]
		for _, list := range []*[]string{&g.Users, &g.Groups} {
			slices.Sort(*list)
			*list = slices.Compact(*list)
		}
		g.Users = slices.DeleteFunc(g.Users, func(u string) bool { // whose row is wrong does not come
			_, there := t.d.Users.Find(u)
			return !there && !coming[u]
		})
		if op := change.Put(t.d, g); !change.Equal(op.Before, g) {
			ops = append(ops, op)
		}
	}
	return change.Compact(ops)
}

// blame finds the rows that are the cause of problems; false if there are none.
func (t *trying) blame(problems []model.Problem) (found bool) {
	rows := map[[2]string][]int{}
	byGroup := map[string][]int{}
	for _, p := range t.parts {
		if list := byGroup[p.group]; len(list) == 0 || list[len(list)-1] != p.row {
			byGroup[p.group] = append(list, p.row)
		}
	}
	for i, ops := range t.ops {
		for _, o := range ops {
			key := [2]string{string(o.Kind), o.ID}
			rows[key] = append(rows[key], i)
		}
	}
	for _, p := range problems {
		field := p.Path[strings.LastIndexByte(p.Path, '.')+1:]
		list := rows[[2]string{string(p.Kind), p.ID}]
		if p.Kind == model.KindGroup {
			list = append(list, byGroup[p.ID]...)
		}
		isWrong := func(i int) bool { return t.trial.Rows[i].Verdict == Wrong }
		if list = slices.DeleteFunc(slices.Clone(list), isWrong); len(list) == 0 { // of a cycle, any link can be named
			for _, n := range p.Names {
				list = append(list, rows[[2]string{string(n.Kind), n.ID}]...)
				if n.Kind == model.KindGroup {
					list = append(list, byGroup[n.ID]...)
				}
			}
		}
		for _, i := range list {
			if t.trial.Rows[i].Verdict != Wrong {
				t.wrong(i, field, t.cell(i, field), fmt.Errorf("%s", p.Message))
				found = true
			}
		}
	}
	return found
}

// idOf makes an id that is the same for the same texts.
func idOf(prefix string, texts ...string) string {
	h := fnv.New64a()
	for _, s := range texts {
		_, _ = h.Write([]byte(s))
		_, _ = h.Write([]byte{0})
	}
	return fmt.Sprintf("%s-%012x", prefix, h.Sum64()>>16)
}

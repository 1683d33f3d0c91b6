package intake

import (
	"fmt"
	"hash/fnv"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// Options say how a file is to be taken.
type Options struct {
	Columns []string // the field that each column holds; empty: none
	Roles   []string // what new people get whose rows name no role: roles, at their home areas
	Bare    bool     // new people may come without anything that they would hold
	Missing bool     // people whom the file does not have are to be deactivated
	Lines   []int    // where each row stands in its file, to name it; its place, if absent
	Share   int      // but not if these would be more than so many of a hundred; 0: 10
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
	Stop    string      // why the file as a whole is not taken; empty if it is
	Ops     []change.Op // what the rows do together that nothing is wrong with
}

// Step is how many rows are tried between two looks at whether to go on.
const step = 500

// trying is a trial while it is made.
type trying struct {
	d      *model.Design
	kind   Kind
	rows   [][]string
	o      Options
	at     map[string]int // the column of each field
	names  *names
	trial  *Trial
	ops    [][]change.Op // of each row
	groups map[string]*model.Group
	byRow  map[string][]int // which rows put somebody into a group
	going  func(done int) bool
	after  map[string]*model.User // who people will be, of those whom rows have dealt with
	gifts  map[gift]*model.Assignment
	rowOf  map[gift]int // which row gives something new
}

// Try tries rows on a design. Going is told how many rows have been tried, and tells whether to go on; if not,
// there is no trial.
func Try(d *model.Design, k Kind, rows [][]string, o Options, going func(done int) bool) (*Trial, bool) {
	t := &trying{
		d:      d,
		kind:   k,
		rows:   rows,
		o:      o,
		at:     map[string]int{},
		names:  resolver(d),
		trial:  &Trial{Rows: make([]Row, len(rows)), Counts: map[Verdict]int{}},
		ops:    make([][]change.Op, len(rows)),
		groups: map[string]*model.Group{},
		byRow:  map[string][]int{},
		going:  going,
		after:  map[string]*model.User{},
		rowOf:  map[gift]int{},
	}
	for i, f := range o.Columns {
		if f != "" {
			t.at[f] = i
		}
	}
	if t.trial.Stop = t.lacking(); t.trial.Stop == "" && !t.each() {
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
	try := map[Kind]func(i int){People: t.person, Memberships: t.membership, Assignments: t.assignment, LastUse: t.use}[t.kind]
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
	if u, is := err.(*unknown); is && u.suggestion != "" {
		f.Suggestion = u.suggestion
	}
	r := &t.trial.Rows[i]
	r.Verdict, r.Faults = Wrong, append(r.Faults, f)
}

// find finds what a cell names; without a cell, nothing.
func (t *trying) find(i int, field string, in *finder) string {
	text := t.cell(i, field)
	if text == "" {
		return ""
	}
	id, err := in.find(text)
	if err != nil {
		t.wrong(i, field, text, err)
	}
	return id
}

// findAll finds each thing that a cell names.
func (t *trying) findAll(i int, field string, in *finder) (ids []string) {
	for _, text := range split(t.cell(i, field)) {
		id, err := in.find(text)
		if err != nil {
			t.wrong(i, field, text, err)
		} else if !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	return ids
}

// conclude gives a row its verdict by what it changes of an object.
func (t *trying) conclude(i int, created bool, ops ...change.Op) {
	r := &t.trial.Rows[i]
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

// join puts a member into a group for a row; false if the member is in.
func (t *trying) join(i int, group, user, nested string) bool {
	g := t.groups[group]
	if g == nil {
		was, ok := t.d.Groups.Find(group)
		if !ok {
			return false
		}
		g = change.Clone(was)
	}
	list, member := &g.Users, user
	if nested != "" {
		list, member = &g.Groups, nested
	}
	at, in := slices.BinarySearch(*list, member)
	if in {
		return false
	}
	*list = slices.Insert(*list, at, member)
	t.groups[group] = g
	t.byRow[group] = append(t.byRow[group], i)
	return true
}

// joinable tells why nobody can be put into a group; nil if one can.
func (t *trying) joinable(id string) error {
	g := t.groups[id]
	if g == nil {
		g, _ = t.d.Groups.Find(id)
	}
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
	for range 4 { // what is wrong with one row can take away what another rests on
		t.follow()
		t.trial.Ops = t.together()
		_, problems := change.Apply(t.d, t.trial.Ops)
		if problems = model.Errors(problems); len(problems) == 0 || !t.blame(problems) {
			break
		}
	}
	for i := range t.trial.Rows {
		t.trial.Counts[t.trial.Rows[i].Verdict]++
	}
	if t.kind == People && t.o.Missing && t.trial.Stop == "" {
		t.missing()
	}
	return t.trial
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
	for _, id := range sortedKeys(t.groups) {
		g := change.Clone(t.groups[id])
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
			list = append(list, t.byRow[p.ID]...)
		}
		if len(list) == 0 { // of a cycle, any link can be named
			for _, n := range p.Names {
				list = append(list, rows[[2]string{string(n.Kind), n.ID}]...)
				if n.Kind == model.KindGroup {
					list = append(list, t.byRow[n.ID]...)
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

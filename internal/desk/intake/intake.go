package intake

import (
	"bytes"
	"crypto/rand"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/catalogue"
	"fachwerk/internal/exchange/rows"
	"fachwerk/internal/exchange/table"
)

// ImportHow says how a file is to be taken. What is absent stays as it is.
type ImportHow struct {
	Kind    *string       `json:"kind,omitempty" enum:"people,groups,assignments,last-use"`
	Reading *rows.Reading `json:"reading,omitempty" doc:"How the file is written; what is empty in it is recognised"`
	Columns []string      `json:"columns,omitempty" doc:"The field that each column holds; empty: none"`
	Roles   []string      `json:"roles,omitempty" doc:"Roles for new people whose rows name none"`
	NoRoles bool          `json:"noRoles,omitempty" doc:"No roles for these any longer"`
	Bare    *bool         `json:"bare,omitempty" doc:"New people may come without anything that they would hold"`
	Missing *bool         `json:"missing,omitempty" doc:"Whom the file does not have is to be deactivated"`
	Days    *string       `json:"days,omitempty" enum:",day-first,month-first" doc:"How days are written of which the file does not show whether the day or the month comes first"`
	Share   *int          `json:"share,omitempty" minimum:"1" maximum:"100" doc:"But not if these would be more than so many of a hundred"`
}

// ImportField is something that a column can hold.
type ImportField struct {
	Name     string `json:"name"`
	Title    string `json:"title"`
	Doc      string `json:"doc"`
	Required bool   `json:"required"`
}

// ImportColumn is a column of a file.
type ImportColumn struct {
	Title   string   `json:"title"`
	Field   string   `json:"field" doc:"What it holds; empty: nothing of use"`
	Samples []string `json:"samples" doc:"Some of what stands in it"`
}

// ImportFault is what is wrong with a cell.
type ImportFault struct {
	Column     int    `json:"column" doc:"-1: the row as a whole"`
	Value      string `json:"value"`
	Message    string `json:"message"`
	Suggestion string `json:"suggestion,omitempty" doc:"What was most likely meant"`
	Alike      int    `json:"alike" doc:"In how many rows the same cell is wrong by the same text, this one included"`
}

// ImportChange is what a row makes of a field.
type ImportChange struct {
	Field  string `json:"field"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// ImportFix is a cell that was corrected here. To take the correction back, correct it to what it was.
type ImportFix struct {
	Column int    `json:"column"`
	Was    string `json:"was" doc:"As the file has it"`
}

// ImportRow is a row of a file, with what it would do.
type ImportRow struct {
	Row     int            `json:"row" doc:"Its place among the rows, from 0"`
	Line    int            `json:"line" doc:"Where it stands in the file, from 1"`
	Cells   []string       `json:"cells"`
	Fixed   []ImportFix    `json:"fixed" doc:"Which cells were corrected here"`
	Verdict string         `json:"verdict" enum:"create,change,same,ignored,error"`
	About   string         `json:"about"`
	Changes []ImportChange `json:"changes"`
	Faults  []ImportFault  `json:"faults"`
}

// leavingShown is how many of those are told who would be deactivated.
const leavingShown = 1000

// Staying is somebody who cannot be deactivated, and why.
type Staying struct {
	Who desk.Ref `json:"who"`
	Why string   `json:"why"`
}

// Import is a file that is tried.
type Import struct {
	ID      string         `json:"id"`
	Name    string         `json:"name"`
	State   string         `json:"state" enum:"working,ready,failed"`
	Done    int            `json:"done" doc:"How many rows have been tried"`
	Total   int            `json:"total"`
	Error   string         `json:"error,omitempty" doc:"Why the file cannot be read"`
	Kind    string         `json:"kind"`
	Reading rows.Reading   `json:"reading"`
	Sheets  []string       `json:"sheets" doc:"Of a workbook; of LDIF with both, people and groups"`
	Fields  []ImportField  `json:"fields"`
	Columns []ImportColumn `json:"columns"`
	Roles   []desk.Ref     `json:"roles"`
	Bare    bool           `json:"bare"`
	Missing bool           `json:"missing"`
	Days    string         `json:"days" enum:",day-first,month-first" doc:"How days are written, as it was said"`
	TwoWays bool           `json:"twoWays" doc:"There are days of which the file does not show whether the day or the month comes first"`
	Share   int            `json:"share"`
	Counts  map[string]int `json:"counts" doc:"How many rows have each verdict"`
	Fixes   int            `json:"fixes" doc:"How many cells were corrected here"`
	Leaving []desk.Ref     `json:"leaving" doc:"Who would be deactivated; at most 1,000"`
	Leave   int            `json:"leave" doc:"How many these are"`
	Staying []Staying      `json:"staying" doc:"Who is not in the file either, and cannot be deactivated; at most 1,000"`
	Stop    string         `json:"stop,omitempty" doc:"Why the file as a whole is not taken"`
	Effect  map[string]int `json:"effect" doc:"How many objects of each kind would be made or changed"`
	Match   int            `json:"match" doc:"How many rows are of the verdict that is asked for, and have the words"`
	Rows    []ImportRow    `json:"rows"`
}

// importing is a file that somebody is bringing in. It lives as long as the server does.
type importing struct {
	sync.Mutex
	id, name string
	who      string
	touched  time.Time
	turn     int // by which those touched least lately are told
	data     []byte
	how      rows.Reading
	kind     intake.Kind
	columns  []string // nil: to be matched
	chosen   bool     // somebody chose what they hold
	options  intake.Options
	stop     string            // why the file as a whole cannot be taken, by its columns
	fixes    map[[2]int]string // by row and column

	run     int // which trial is the newest
	ready   chan struct{}
	file    *rows.File
	cells   [][]string // with what was corrected
	trial   *intake.Trial
	alike   map[wrongCell][]int // the rows of the trial in which a cell is wrong
	house   *desk.House         // the trial is of its design
	failure string
	done    int
}

// wrongCell is a column and a text in it that is wrong.
type wrongCell struct {
	column int
	text   string
}

// wrongCells finds the rows in which the same is wrong.
func wrongCells(cells [][]string, trial *intake.Trial) map[wrongCell][]int {
	found := map[wrongCell][]int{}
	if trial == nil {
		return found
	}
	for i, r := range trial.Rows {
		for n, f := range r.Faults {
			if f.Column >= 0 && f.Column < len(cells[i]) &&
				!slices.ContainsFunc(r.Faults[:n], func(g intake.Fault) bool { return g.Column == f.Column }) {
				key := wrongCell{f.Column, cells[i][f.Column]}
				found[key] = append(found[key], i)
			}
		}
	}
	return found
}

// imports are the files that are being brought in, by id.
type imports struct {
	sync.Mutex
	open map[string]*importing
	turn int
}

// touch tells that somebody looks at a file; the lock must be held.
func (i *imports) touch(im *importing, now time.Time) {
	i.turn++
	im.touched, im.turn = now, i.turn
}

// importsOpen is how many files one person can have open, and importLife how long one stays open that nobody looks at.
const (
	importsOpen = 3
	importLife  = 12 * time.Hour
)

// MayImport refuses whoever does not see the whole design: a trial tells of all of it.
func (d *Intake) MayImport(who desk.Actor) error {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return err
	}
	return d.Need(h, who, model.ViewDesign)
}

// BeginImport takes a file in and tries it. Kind may be empty, and is then recognised.
func (d *Intake) BeginImport(who desk.Actor, name, kind string, data []byte) (*Import, error) {
	if err := d.MayImport(who); err != nil {
		return nil, err
	}
	if kind != "" && !slices.Contains(intake.Kinds, intake.Kind(kind)) {
		return nil, desk.Refuse(desk.Invalid, "Nothing of the kind %q can be brought in.", kind)
	}
	im := &importing{
		id:      strings.ToLower(rand.Text()[:12]),
		name:    name,
		who:     who.User,
		data:    bytes.Clone(data), // which the door uses again, for other requests
		kind:    intake.Kind(kind),
		fixes:   map[[2]int]string{},
		options: intake.Options{Share: 10},
	}
	d.imports.Lock()
	if d.imports.open == nil {
		d.imports.open = map[string]*importing{}
	}
	var own []*importing
	for id, o := range d.imports.open {
		switch {
		case d.Now().Sub(o.touched) > importLife:
			delete(d.imports.open, id)
		case o.who == who.User:
			own = append(own, o)
		}
	}
	slices.SortFunc(own, func(a, b *importing) int { return a.turn - b.turn })
	for len(own) >= importsOpen {
		delete(d.imports.open, own[0].id)
		own = own[1:]
	}
	d.imports.open[im.id] = im
	d.imports.touch(im, d.Now())
	d.imports.Unlock()
	im.Lock()
	defer im.Unlock()
	if err := d.begin(who, im, true); err != nil {
		return nil, err
	}
	return im.working(), nil
}

// working is what is known of a file while it is tried.
func (im *importing) working() *Import {
	return &Import{
		ID:      im.id,
		Name:    im.name,
		State:   "working",
		Sheets:  []string{},
		Fields:  []ImportField{},
		Columns: []ImportColumn{},
		Roles:   []desk.Ref{},
		Counts:  map[string]int{},
		Leaving: []desk.Ref{},
		Staying: []Staying{},
		Effect:  map[string]int{},
		Rows:    []ImportRow{},
	}
}

// imported finds a file of somebody's.
func (d *Intake) imported(who desk.Actor, id string) (*importing, error) {
	if err := d.MayImport(who); err != nil {
		return nil, err
	}
	d.imports.Lock()
	defer d.imports.Unlock()
	im := d.imports.open[id]
	if im == nil || im.who != who.User {
		return nil, desk.Refuse(desk.NotFound, "This file is not open any longer: choose it again.")
	}
	d.imports.touch(im, d.Now())
	return im, nil
}

// begin begins a new trial in place of the one that is made, if any; read, if the file is to be read anew. The
// file's lock must be held.
func (d *Intake) begin(who desk.Actor, im *importing, read bool) error {
	s, err := d.See(who)
	if err != nil {
		return err
	}
	before := map[intake.Kind]map[string]string{}
	for _, k := range intake.Kinds {
		if before[k], err = d.remembered(k); err != nil {
			return err
		}
	}
	im.run++
	run := im.run
	im.ready, im.done, im.failure = make(chan struct{}), 0, ""
	ready := im.ready
	t := trying{
		im, run, read, before, s.House, im.file, im.kind, im.columns, im.chosen, im.options, im.how, maps.Clone(im.fixes),
	}
	t.options.Now = d.Now()
	who.Within = nil // the trial outlives the request
	if s.Draft != nil {
		t.options.Refused = d.refusing(s.Draft, who, d.Judged)
	}
	going := func(done int) bool {
		im.Lock()
		defer im.Unlock()
		im.done = done
		return im.run == run
	}
	go func() {
		defer close(ready)
		if desk.Guarded(func() error { t.make(going); return nil }) != nil {
			im.Lock()
			defer im.Unlock()
			if im.run == run {
				im.failure = "The file cannot be tried: something unforeseen is in it. The server's log says more; nothing was " +
					"changed."
			}
		}
	}()
	return nil
}

// trying is a trial that is to be made of a file, as the file stood when it began.
type trying struct {
	im      *importing
	run     int
	read    bool // the file is to be read anew
	before  map[intake.Kind]map[string]string
	house   *desk.House
	file    *rows.File
	kind    intake.Kind
	columns []string
	chosen  bool // somebody chose what they hold
	options intake.Options
	how     rows.Reading
	fixes   map[[2]int]string
}

// make makes the trial, for as long as it is wanted.
func (t *trying) make(going func(done int) bool) {
	failure := ""
	if t.read || t.file == nil {
		var err error
		t.how.Heads = heads(t.before)
		if t.file, err = rows.Read(t.im.name, t.im.data, t.how); err != nil {
			failure = desk.Upper(err.Error()) + "."
			if errors.Is(err, rows.ErrCatalogue) {
				failure += " Bring a catalogue in under Catalogue, New version; an operator loads a whole design."
			}
		}
	}
	var trial *intake.Trial
	var cells [][]string
	if failure == "" && going(0) {
		design := t.house.Design()
		cells = fixed(t.file.Rows, t.fixes)
		if t.kind == "" {
			t.kind = intake.Guess(design, t.file.Header, cells, nil)
		}
		if len(t.columns) != len(t.file.Header) {
			t.columns = intake.Match(design, t.kind, t.file.Header, cells, t.before[t.kind])
			t.chosen = false
		}
		t.options.Columns, t.options.Lines, t.options.Over, t.options.Stop = t.columns, t.file.Lines, t.file.Over, ""
		if !t.chosen && t.file.Reading.Form != rows.LDIF { // there several attributes say the same, as they should
			t.options.Stop = intake.Clash(t.kind, t.file.Header, t.columns, t.before[t.kind])
		}
		t.options.Uses = t.house.Uses
		trial, _ = intake.Try(design, t.kind, cells, t.options, going)
	}
	alike := wrongCells(cells, trial)
	im := t.im
	im.Lock()
	defer im.Unlock()
	if im.run == t.run {
		im.file, im.cells, im.kind, im.columns, im.trial, im.alike, im.house, im.failure = t.file, cells, t.kind, t.columns,
			trial, alike, t.house, failure
		im.stop = t.options.Stop
	}
}

// heads tells of a cell whether it heads columns: by the words for fields, or since it headed one before.
func heads(before map[intake.Kind]map[string]string) func(cell string) bool {
	return func(cell string) bool {
		if intake.Heads(cell) {
			return true
		}
		for _, kept := range before {
			if kept[intake.Plain(cell)] != "" {
				return true
			}
		}
		return false
	}
}

// settingColumns is how it is remembered which columns of a kind of file hold which fields, by what heads them.
const settingColumns = "columns of "

// fixed gives the rows with what was corrected in them.
func fixed(all [][]string, fixes map[[2]int]string) [][]string {
	out := slices.Clone(all)
	for at, text := range fixes {
		row := slices.Clone(out[at[0]])
		for len(row) <= at[1] {
			row = append(row, "")
		}
		row[at[1]] = text
		out[at[0]] = row
	}
	return out
}

// Import gives a window into a file that is tried: the rows of a verdict (empty: all) that have some words. While
// it is being tried, it waits a little for that.
func (d *Intake) Import(who desk.Actor, id, verdict, words string, offset, limit int) (*Import, error) {
	im, err := d.imported(who, id)
	if err != nil {
		return nil, err
	}
	im.Lock()
	if im.trial != nil && im.house.Revision != d.Present().Revision { // somebody has applied something since
		if err := d.begin(who, im, false); err != nil {
			im.Unlock()
			return nil, err
		}
	}
	ready := im.ready
	im.Unlock()
	wait := time.NewTimer(400 * time.Millisecond)
	defer wait.Stop()
	working := false
	select {
	case <-ready:
	case <-wait.C:
		working = true
	}
	im.Lock()
	defer im.Unlock()
	v := im.working()
	v.Done = im.done
	if im.file != nil {
		v.Total = len(im.file.Rows)
	}
	switch {
	case im.failure != "" && !working:
		v.State, v.Error = "failed", im.failure
		v.Reading, v.Kind = im.how, string(im.kind)
		return v, nil
	case working || im.trial == nil:
		return v, nil
	}
	v.State = "ready"
	d.describeImport(v, im)
	for i, r := range im.trial.Rows {
		if verdict != "" && string(r.Verdict) != verdict || !desk.HasWords(words, im.cells[i]...) {
			continue
		}
		if v.Match >= offset && len(v.Rows) < limit {
			v.Rows = append(v.Rows, im.row(i))
		}
		v.Match++
	}
	return v, nil
}

// original is what a cell holds in the file; a row can be shorter than the header.
func (im *importing) original(row, column int) string {
	if column < len(im.file.Rows[row]) {
		return im.file.Rows[row][column]
	}
	return ""
}

// row shows a row with what it would do.
func (im *importing) row(i int) ImportRow {
	r := im.trial.Rows[i]
	v := ImportRow{
		Row:     i,
		Line:    im.file.Lines[i],
		Cells:   append([]string{}, im.cells[i]...),
		Fixed:   []ImportFix{},
		Verdict: string(r.Verdict),
		About:   r.About,
		Changes: []ImportChange{},
		Faults:  []ImportFault{},
	}
	for c := range im.file.Header {
		if _, is := im.fixes[[2]int{i, c}]; is {
			v.Fixed = append(v.Fixed, ImportFix{c, im.original(i, c)})
		}
	}
	for _, c := range r.Changes {
		v.Changes = append(v.Changes, ImportChange(c))
	}
	for _, f := range r.Faults {
		told := ImportFault{f.Column, f.Value, f.Message, f.Suggestion, 1}
		if f.Column >= 0 && f.Column < len(v.Cells) {
			told.Alike = max(1, len(im.alike[wrongCell{f.Column, v.Cells[f.Column]}]))
		}
		v.Faults = append(v.Faults, told)
	}
	return v
}

// describeImport tells of a trial as a whole.
func (d *Intake) describeImport(v *Import, im *importing) {
	v.Kind, v.Reading, v.Sheets = string(im.kind), im.file.Reading, append(v.Sheets, im.file.Sheets...)
	v.Days, v.TwoWays = im.options.Days, im.trial.TwoWays
	v.Bare, v.Missing, v.Share, v.Stop, v.Fixes, v.Leave = im.options.Bare, im.options.Missing, im.options.Share,
		im.trial.Stop, len(
			im.fixes,
		), len(
			im.trial.Leaving,
		)
	for _, f := range intake.Fields(im.kind) {
		v.Fields = append(v.Fields, ImportField{f.Name, f.Title, f.Doc, f.Required})
	}
	for c, title := range im.file.Header {
		col := ImportColumn{Title: title, Field: im.columns[c], Samples: []string{}}
		for _, r := range im.cells[:min(len(im.cells), 200)] {
			if c < len(r) && strings.TrimSpace(r[c]) != "" && !slices.Contains(col.Samples, r[c]) &&
				len(col.Samples) < 3 {
				col.Samples = append(col.Samples, r[c])
			}
		}
		v.Columns = append(v.Columns, col)
	}
	for _, id := range im.options.Roles {
		v.Roles = append(v.Roles, im.house.Ref(model.KindRole, id))
	}
	for verdict, n := range im.trial.Counts {
		v.Counts[string(verdict)] = n
	}
	for _, id := range im.trial.Leaving[:min(len(im.trial.Leaving), leavingShown)] {
		v.Leaving = append(v.Leaving, im.house.Ref(model.KindUser, id))
	}
	for _, r := range im.trial.Staying[:min(len(im.trial.Staying), leavingShown)] {
		v.Staying = append(v.Staying, Staying{im.house.Ref(model.KindUser, r.ID), r.Why})
	}
	for _, o := range im.trial.Ops {
		name := string(o.Kind)
		if o.Before == nil {
			name = "new " + name
		}
		v.Effect[name]++
	}
}

// CloseImport closes a file; a trial that is being made ends.
func (d *Intake) CloseImport(who desk.Actor, id string) error {
	im, err := d.imported(who, id)
	if err != nil {
		return err
	}
	im.Lock()
	im.run++
	im.Unlock()
	d.imports.Lock()
	delete(d.imports.open, id)
	d.imports.Unlock()
	return nil
}

// remembered gives which columns of a kind of file held which fields, by what headed them.
func (d *Intake) remembered(k intake.Kind) (map[string]string, error) {
	kept := map[string]string{}
	text, err := d.Store.Setting(settingColumns + string(k))
	if err == nil && text != "" {
		err = json.Unmarshal([]byte(text), &kept)
	}
	return kept, err
}

// rememberColumns keeps which columns held what, for the next file of the kind.
func (d *Intake) rememberColumns(im *importing) error {
	kept, err := d.remembered(im.kind)
	if err != nil {
		return err
	}
	for c, title := range im.file.Header {
		if header := im.file.Reading.Header; header == nil || *header {
			kept[intake.Plain(title)] = im.columns[c]
		}
	}
	data, err := json.Marshal(kept)
	if err != nil {
		return err
	}
	return d.Store.SetSetting(settingColumns+string(im.kind), string(data))
}

// kindCatalogue is the kind of file that is a version of a system's catalogue.
const kindCatalogue = "catalogue"

// ImportTemplate gives a file of a kind to fill in, with an example; also for a catalogue that is a table.
func (d *Intake) ImportTemplate(who desk.Actor, kind string) (*table.Table, error) {
	if err := d.MayImport(who); err != nil {
		return nil, err
	}
	if kind == kindCatalogue {
		return catalogue.Template(), nil
	}
	fields := intake.Fields(intake.Kind(kind))
	if fields == nil {
		return nil, desk.Refuse(desk.NotFound, "Nothing of the kind %q can be brought in.", kind)
	}
	t := &table.Table{Name: kind}
	var row []any
	examples := intake.Examples(d.Present().Design(), intake.Kind(kind))
	for i, f := range fields {
		kind := table.Text
		if slices.Contains(intake.Days, f.Name) {
			kind = table.Day
		}
		t.Columns = append(t.Columns, table.Column{Title: f.Title, Width: 22, Kind: kind})
		row = append(row, examples[i])
	}
	t.Rows = [][]any{row}
	return t, nil
}

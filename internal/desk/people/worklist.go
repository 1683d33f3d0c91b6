package people

import (
	"crypto/rand"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/intake"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/exchange/rows"
	"fachwerk/internal/store"
)

// Head is a worklist in a list of them.
type Head struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Changed time.Time `json:"changed"`
}

// Heads are somebody's worklists, and what came of the last ones.
type Heads struct {
	Lists []Head `json:"lists" doc:"The last changed first"`
	Runs  []Done `json:"runs" doc:"The last applied first; at most 50"`
}

// Unclear is a text that was gathered and names nobody, or more than one.
type Unclear struct {
	Text  string     `json:"text"`
	Could []desk.Ref `json:"could" doc:"Whom it could mean; at most 10"`
	Meant *desk.Ref  `json:"meant,omitempty" doc:"Whom it most likely means"`
}

// content is what is kept of a worklist.
type content struct {
	People  []string        `json:"people"`
	Steps   []worklist.Step `json:"steps"`
	Left    map[string]bool `json:"left,omitempty"`    // who is left out
	Unclear []string        `json:"unclear,omitempty"` // texts that were gathered and name nobody
}

// listsMost, peopleMost and stepsMost bound what one person keeps.
const (
	listsMost   = 50
	peopleMost  = 200_000
	stepsMost   = 20
	unclearMost = 2_000
)

// Worklists gives somebody's worklists.
func (d *Office) Worklists(who desk.Actor) (*Heads, error) {
	if _, err := d.mayGather(who); err != nil {
		return nil, err
	}
	kept, err := d.Store.Worklists(who.User)
	if err != nil {
		return nil, err
	}
	out := &Heads{Lists: []Head{}}
	for _, w := range kept {
		out.Lists = append(out.Lists, Head{w.ID, w.Name, w.Changed})
	}
	out.Runs, err = d.runs(who)
	return out, err
}

// NewWorklist begins a worklist.
func (d *Office) NewWorklist(who desk.Actor, name string) (*Head, error) {
	if _, err := d.mayGather(who); err != nil {
		return nil, err
	}
	kept, err := d.Store.Worklists(who.User)
	if err != nil {
		return nil, err
	}
	if len(kept) >= listsMost {
		return nil, desk.Refuse(desk.Conflict, "You already have %d worklists: delete one that you have finished with first.", len(kept))
	}
	if name = strings.TrimSpace(name); name == "" {
		name = "Worklist of " + model.Day(d.Now().Truncate(24*time.Hour))
		taken := func(name string) bool {
			return slices.ContainsFunc(kept, func(w store.Worklist) bool { return w.Name == name })
		}
		for base, n := name, 2; taken(name); n++ {
			name = fmt.Sprintf("%s (%d)", base, n)
		}
	}
	w := store.Worklist{ID: strings.ToLower(rand.Text()[:12]), User: who.User, Name: name, Changed: d.Now()}
	if w.Value, err = json.Marshal(content{}); err != nil {
		return nil, err
	}
	return &Head{w.ID, w.Name, w.Changed}, d.Store.SaveWorklist(w)
}

// open gives a worklist of somebody's, with what is in it.
func (d *Office) open(who desk.Actor, id string) (w store.Worklist, c content, err error) {
	if w, err = d.Store.Worklist(who.User, id); err != nil {
		return w, c, desk.Missing(err, "You have no such worklist any longer.")
	}
	return w, c, json.Unmarshal(w.Value, &c)
}

// alter changes a worklist of somebody's.
func (d *Office) alter(who desk.Actor, id string, do func(s *desk.Sight, w *store.Worklist, c *content) error) error {
	s, err := d.mayGather(who)
	if err != nil {
		return err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	w, c, err := d.open(who, id)
	if err != nil {
		return err
	}
	if err := do(s, &w, &c); err != nil {
		return err
	}
	if w.Value, err = json.Marshal(c); err != nil {
		return err
	}
	w.Changed = d.Now()
	return d.Store.SaveWorklist(w)
}

// DropWorklist deletes a worklist. Nobody on it is changed by that, and what came of it stays.
func (d *Office) DropWorklist(who desk.Actor, id string) error {
	if _, err := d.mayGather(who); err != nil {
		return err
	}
	d.forget(id)
	return d.Store.DropWorklist(who.User, id)
}

// Alteration says what becomes of a worklist; what is absent stays.
type Alteration struct {
	Name  *string          `json:"name,omitempty" maxLength:"200"`
	Steps *[]worklist.Step `json:"steps,omitempty" maxItems:"20" doc:"In the order in which they are done"`
	// Taking somebody off the list changes nobody.
	Off     []string `json:"off,omitempty" doc:"Who is taken off the list, by id; this changes nobody"`
	Empty   bool     `json:"empty,omitempty" doc:"Everybody is taken off"`
	Leave   []string `json:"leave,omitempty" doc:"Who stays on the list, but is left out of the steps"`
	Include []string `json:"include,omitempty" doc:"Who is left out no longer"`
	Clear   []string `json:"clear,omitempty" doc:"Which unclear texts are done with"`
}

// AlterWorklist changes a worklist.
func (d *Office) AlterWorklist(who desk.Actor, id string, a Alteration) error {
	return d.alter(who, id, func(_ *desk.Sight, w *store.Worklist, c *content) error {
		if a.Name != nil {
			if w.Name = strings.TrimSpace(*a.Name); w.Name == "" {
				return desk.Refuse(desk.Invalid, "Give the worklist a name.")
			}
		}
		if a.Steps != nil {
			if c.Steps = *a.Steps; len(c.Steps) > stepsMost {
				return desk.Refuse(desk.Invalid, "A worklist has at most %d steps.", stepsMost)
			}
		}
		off := map[string]bool{}
		for _, u := range a.Off {
			off[u] = true
		}
		c.People = slices.DeleteFunc(c.People, func(u string) bool { return a.Empty || off[u] })
		if c.Left == nil || a.Empty {
			c.Left = map[string]bool{}
		}
		for _, u := range a.Leave {
			c.Left[u] = true
		}
		for _, u := range slices.Concat(a.Include, a.Off) {
			delete(c.Left, u)
		}
		c.Unclear = slices.DeleteFunc(c.Unclear, func(t string) bool { return slices.Contains(a.Clear, t) })
		return nil
	})
}

// Source says whom to gather: by one of these.
type Source struct {
	Text   string    `json:"text,omitempty" maxLength:"4000000" doc:"Ids, user names, e-mail addresses, external ids or names, one a line or separated"`
	People []string  `json:"people,omitempty" doc:"Ids"`
	Query  string    `json:"query,omitempty" maxLength:"4000" doc:"Words, or a filter (RFC 7644), as the list of people takes them"`
	Where  string    `json:"where,omitempty" doc:"With a query: an area"`
	Of     *desk.End `json:"of,omitempty" doc:"The holders of a role, set or licence; the members of a group; those at home in an area"`
}

// Gathered tells what came of gathering.
type Gathered struct {
	Added   int       `json:"added"`
	Already int       `json:"already" doc:"Who was on the list"`
	Unclear []Unclear `json:"unclear" doc:"What was not recognised, or can be read in more than one way"`
}

// Gather puts people on a worklist.
func (d *Office) Gather(who desk.Actor, id string, from Source) (*Gathered, error) {
	out := &Gathered{Unclear: []Unclear{}}
	return out, d.alter(who, id, func(s *desk.Sight, _ *store.Worklist, c *content) error {
		found, err := d.found(s, from)
		if err != nil {
			return err
		}
		return d.add(s, c, out, found)
	})
}

// GatherFile puts the people whom a file names on a worklist: of each row, by the first cell that names one.
func (d *Office) GatherFile(who desk.Actor, id, name string, data []byte) (*Gathered, error) {
	out := &Gathered{Unclear: []Unclear{}}
	return out, d.alter(who, id, func(s *desk.Sight, _ *store.Worklist, c *content) error {
		file, err := rows.Read(name, data, rows.Reading{Heads: intake.Heads})
		if err != nil {
			return desk.Refuse(desk.Invalid, "%s.", desk.Upper(err.Error()))
		}
		all := byName(s)
		var lines []worklist.Line
		for _, row := range slices.Concat([][]string{file.Header}, file.Rows) {
			first := worklist.Line{}
			for _, cell := range row {
				l := all.One(cell)
				if strings.TrimSpace(cell) == "" {
					continue
				}
				if l.User != "" {
					first = l
					break
				}
				if first.Text == "" {
					first = l
				}
			}
			if first.Text != "" {
				lines = append(lines, first)
			}
		}
		if len(lines) > 0 && lines[0].User == "" && len(lines[0].Could) == 0 {
			lines = lines[1:] // the heads of the columns
		}
		return d.add(s, c, out, lines)
	})
}

// found reads whom a source names, as far as it is in sight.
func (d *Office) found(s *desk.Sight, from Source) ([]worklist.Line, error) {
	var ids []string
	var lines []worklist.Line
	var err error
	switch {
	case from.Of != nil:
		if err := desk.Exists(s.Design(), *from.Of); err != nil {
			return nil, err
		}
		switch kind := model.Kind(from.Of.Kind); kind {
		case model.KindRole, model.KindSet:
			ids = s.Index.Holders(kind, from.Of.ID, s.At)
		case model.KindGroup:
			ids = s.Index.Members(from.Of.ID)
		case model.KindLicence:
			for _, u := range s.Design().Users {
				if u.State != model.UserDeleted && slices.Contains(u.Licences, from.Of.ID) {
					ids = append(ids, u.ID)
				}
			}
		case model.KindArea:
			ids, err = d.Found(s, view.Listing{Kind: model.KindUser, Where: from.Of.ID})
		default:
			err = desk.Refuse(desk.Invalid, "Nobody is gathered by a %s.", kind.Word())
		}
	case from.Query != "" || from.Where != "":
		if err := s.HasArea(from.Where); err != nil {
			return nil, err
		}
		ids, err = d.Found(s, view.Listing{Kind: model.KindUser, Query: from.Query, Where: from.Where})
	case from.Text != "":
		return byName(s).Read(from.Text), nil
	default:
		ids = from.People
	}
	for _, id := range ids {
		l := worklist.Line{Text: id}
		if u, ok := s.Design().Users.Find(id); ok && u.State != model.UserDeleted {
			l.User = id
		}
		lines = append(lines, l)
	}
	return lines, err
}

// add puts people on a worklist who are not on it.
func (d *Office) add(s *desk.Sight, c *content, out *Gathered, lines []worklist.Line) error {
	on := make(map[string]bool, len(c.People))
	for _, u := range c.People {
		on[u] = true
	}
	for _, l := range lines {
		switch {
		case l.User == "":
			out.Unclear = append(out.Unclear, unclear(s, l))
			if !slices.Contains(c.Unclear, l.Text) {
				c.Unclear = append(c.Unclear, l.Text)
			}
		case on[l.User]:
			out.Already++
		default:
			on[l.User] = true
			c.People = append(c.People, l.User)
			out.Added++
		}
	}
	if len(c.People) > peopleMost || len(c.Unclear) > unclearMost {
		return desk.Refuse(desk.Invalid,
			"A worklist holds at most %s people and %s texts that are not recognised: take fewer at once.",
			desk.Grouped(peopleMost), desk.Grouped(unclearMost))
	}
	return nil
}

func unclear(s *desk.Sight, l worklist.Line) Unclear {
	u := Unclear{Text: l.Text, Could: []desk.Ref{}}
	for _, id := range l.Could[:min(len(l.Could), 10)] {
		u.Could = append(u.Could, s.Ref(model.KindUser, id))
	}
	if l.Meant != "" {
		meant := s.Ref(model.KindUser, l.Meant)
		u.Meant = &meant
	}
	return u
}

// byName finds people by whatever names them, as far as they are in sight.
func byName(s *desk.Sight) *worklist.People {
	return desk.Kept(s, "people by name", []model.Kind{model.KindUser}, func() *worklist.People {
		return worklist.PeopleOf(s.Design())
	})
}

// Warm reads ahead how people are called, which takes a while of many.
func (d *Office) Warm() {
	h := d.Present()
	byName(&desk.Sight{House: h, Present: h, At: d.Now(), Whole: true})
}

// SeatWorklist begins a worklist of those whose seats could come free, with the step that frees them: seats that were
// not used for so many days, or those whose holders could do with a lesser licence, which they are given instead.
func (d *Office) SeatWorklist(who desk.Actor, licence, part string, days int) (*Head, error) {
	s, err := d.mayGather(who)
	if err != nil {
		return nil, err
	}
	users, _, err := d.PartOfPool(s, licence, part, days)
	if err != nil {
		return nil, err
	}
	l, ok := s.Design().Licences.Find(licence)
	if !ok || len(users) == 0 {
		return nil, desk.Refuse(desk.Conflict, "There is nobody to gather: none of these seats can come free.")
	}
	name := "Unused seats of " + l.Name
	steps := []worklist.Step{{Do: worklist.Unseat, Licences: []string{licence}}}
	if part == view.SeatsLesser {
		name = "Lesser seats than " + l.Name
		if lesser, some := view.MostLesser(s, l, users, days); lesser != "" {
			users, steps = some, append([]worklist.Step{{Do: worklist.Seat, Licences: []string{lesser}}}, steps...)
		}
	}
	head, err := d.NewWorklist(who, name)
	if err != nil {
		return nil, err
	}
	var ids []string
	for _, u := range users {
		ids = append(ids, u.ID)
	}
	if _, err := d.Gather(who, head.ID, Source{People: ids}); err != nil {
		return nil, err
	}
	return head, d.AlterWorklist(who, head.ID, Alteration{Steps: &steps})
}

// Package survey is the room from which one sees what is loose in the design: findings, what mends them, and which are
// set aside.
package survey

import (
	"slices"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/core/finding"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/upgrade"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/exchange/catalogue"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/store"
)

// Surveyor looks through the design for what is loose.
type Surveyor struct {
	*view.Viewer
	Limits  finding.Thresholds // from when on something is loose; zero ones are as usual
	reviews *review.Reviewer
	office  *people.Office

	mu   sync.Mutex
	last *surveyed // of the present design
	// Of days that are looked at, and of what delegates see; those that were asked for last come last.
	others []*surveyed

	catalogues sync.Map // versions that are kept, as they were read
}

// othersKept is how many of these are kept.
const othersKept = 6

// New makes the room beside those of reviews and of people.
func New(v *view.Viewer, r *review.Reviewer, o *people.Office) *Surveyor {
	return &Surveyor{Viewer: v, reviews: r, office: o}
}

// surveyed is what was found on a house.
type surveyed struct {
	house *desk.House
	at    time.Time
	kept  int64 // [desk.Desk.Catalogues] then
	found *finding.Survey
	list  []finding.Finding
}

// FindingKind is a kind of finding, with how many there are.
type FindingKind struct {
	Kind   string `json:"kind"`
	Name   string `json:"name"`
	Means  string `json:"means" doc:"What is loose, in one sentence"`
	Weight int    `json:"weight" doc:"Of the gravest; 0 if there is none"`
	Count  int    `json:"count" doc:"How many there are, without those set aside"`
	Aside  int    `json:"aside" doc:"How many are set aside"`
	Weeks  []int  `json:"weeks,omitempty" doc:"How many there were at the ends of those weeks"`
}

// FindingRow is one thing that is loose.
type FindingRow struct {
	ID      string     `json:"id" doc:"Names it as long as it is there"`
	Kind    string     `json:"kind"`
	Weight  int        `json:"weight" minimum:"1" maximum:"3"`
	Objects []desk.Ref `json:"objects" doc:"What it is about, the first first of all"`
	Says    string     `json:"says"`
	Repairs []string   `json:"repairs" doc:"What mends it, each a change for the draft"`
	Aside   *SetAside  `json:"aside,omitempty"`
}

// SetAside tells that a finding is set aside.
type SetAside struct {
	Until  time.Time `json:"until"`
	Reason string    `json:"reason"`
	By     desk.Ref  `json:"by"`
	At     time.Time `json:"at"`
}

// Findings are a window into what is loose.
type Findings struct {
	Kinds []FindingKind `json:"kinds"`
	Rows  []FindingRow  `json:"rows"`
	Match int           `json:"match" doc:"How many fit"`
	Weeks []string      `json:"weeks" doc:"The last days of the weeks past that were counted, the oldest first; none for whoever sees a part of the design"`
}

// Wanted says which findings are asked for.
type Wanted struct {
	Kind   string // one of [finding.Kinds]; all if empty
	About  string // a thing, as "role:gate-clerk"
	Weight int    // at least
	Aside  bool   // those that are set aside, in place of those that are not
	Offset int
	Limit  int
}

// delegates are the kinds that a delegate is told of: those that say nothing of anything but a person, and what that
// person has.
var delegates = []finding.Kind{finding.Dormant, finding.SeatIdle, finding.InvitationOver}

// facts gathers what the design does not tell.
func (d *Surveyor) facts(h *desk.House, at time.Time) (finding.Facts, error) {
	f := finding.Facts{
		Uses:    h.Uses,
		Limits:  d.Limits.OrUsual(),
		Managed: map[string]bool{},
		Named:   map[string]bool{},
		Over:    map[string]string{},
	}
	if f.Uses == nil {
		f.Uses = use.NewBook()
	}
	given, err := d.Store.GivenSince(at.AddDate(0, 0, -f.Limits.Idle), at)
	if err != nil {
		return f, err
	}
	f.Recently = finding.Recently(given)
	reviewed, err := d.Store.ReviewedSince(f.Limits.ReviewedSince(at), at)
	if err != nil {
		return f, err
	}
	for _, r := range reviewed {
		f.Reviewed = append(f.Reviewed, finding.Reviewed{User: r[0], Role: r[1], Set: r[2]})
	}
	if f.Managed, f.Named, err = d.reviews.AskedOf(h); err != nil {
		return f, err
	}
	if f.Over, err = d.office.Over(h); err != nil {
		return f, err
	}
	kept, err := d.Store.KeptCatalogues(at)
	for _, k := range kept {
		if c := d.catalogue(&k); c != nil {
			f.Waiting = append(f.Waiting, c)
		}
	}
	return f, err
}

// catalogue reads a version that is kept, once. What can no longer be read, since another program kept it, is nil: the
// page of catalogues leaves it out too.
func (d *Surveyor) catalogue(k *store.KeptCatalogue) *upgrade.Catalogue {
	type key struct {
		system string
		at     time.Time
	}
	if c, known := d.catalogues.Load(key{k.System, k.At}); known {
		return c.(*upgrade.Catalogue)
	}
	c, err := catalogue.Read(k.Name, k.Data, k.System, k.Version)
	if err != nil {
		c = nil
	}
	d.catalogues.Store(key{k.System, k.At}, c)
	return c
}

// survey gives all that is loose in the present design, as of now or of a day that is looked at. What was found counts
// while the design stays the same, for as long as uses and reviews may go on unseen.
func (d *Surveyor) survey(s *desk.Sight) ([]finding.Finding, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	// A person who asks again and again waits for one survey, not for one each.
	known := d.others
	if s.Present == d.Present() {
		known = []*surveyed{d.last}
	}
	for _, l := range known {
		if l != nil && l.house == s.Present && l.kept == d.Catalogues.Load() && s.At.Sub(l.at).Abs() < finding.UsesFor {
			return l.list, nil
		}
	}
	kept := d.Catalogues.Load()
	f, err := d.facts(s.Present, s.At)
	if err != nil {
		return nil, err
	}
	f.Rows = view.RiskRows(s.Before())
	one := &surveyed{house: s.Present, at: s.At, kept: kept}
	if d.last == nil {
		one.found = finding.Look(s.Present.Ahead(), f, s.At)
	} else {
		one.found = d.last.found.Next(s.Present.Ahead(), f, s.At)
	}
	one.list = one.found.All()
	if s.Present == d.Present() {
		d.last = one
	} else {
		d.others = append(d.others[max(0, len(d.others)+1-othersKept):], one)
	}
	return one.list, nil
}

// Warm finds ahead what is loose in the present design, which takes seconds of a large one for the first time.
func (d *Surveyor) Warm() error {
	h := d.Present()
	_, err := d.survey(&desk.Sight{House: h, Present: h, At: d.Now(), Whole: true})
	return err
}

// seen gives those findings that somebody may see.
func (d *Surveyor) seen(who desk.Actor) (*desk.Sight, []finding.Finding, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, nil, err
	}
	list, err := d.survey(s)
	if err != nil || s.Whole {
		return s, list, err
	}
	return s, slices.DeleteFunc(slices.Clone(list), func(f finding.Finding) bool {
		return !slices.Contains(delegates, f.Kind) || slices.ContainsFunc(f.Objects, func(o finding.Object) bool {
			return s.Design().Get(o.Kind, o.ID) == nil
		})
	}), nil
}

// Findings gives a window into what is loose.
func (d *Surveyor) Findings(who desk.Actor, w Wanted) (*Findings, error) {
	s, list, err := d.seen(who)
	if err != nil {
		return nil, err
	}
	asides, err := d.Reading(who).Asides(s.At)
	if err != nil {
		return nil, err
	}
	kind, id, _ := strings.Cut(w.About, ":")
	if w.Kind == "" { // of all kinds together, the gravest first
		list = slices.Clone(list)
		slices.SortStableFunc(list, func(a, b finding.Finding) int { return b.Weight - a.Weight })
	}
	v := &Findings{Kinds: []FindingKind{}, Rows: []FindingRow{}, Weeks: []string{}}
	at := map[finding.Kind]int{}
	for i, a := range finding.Kinds {
		if s.Whole || slices.Contains(delegates, a.Kind) {
			at[a.Kind] = len(v.Kinds)
			v.Kinds = append(v.Kinds, FindingKind{Kind: string(a.Kind), Name: finding.Kinds[i].Name, Means: a.Means})
		}
	}
	for i := range list {
		f := &list[i]
		if w.About != "" && !f.Is(model.Kind(kind), id) {
			continue
		}
		aside, is := asides[f.ID()]
		k := &v.Kinds[at[f.Kind]]
		if is {
			k.Aside++
		} else {
			k.Count++
			k.Weight = max(k.Weight, f.Weight)
		}
		if w.Kind != "" && w.Kind != string(f.Kind) || f.Weight < w.Weight || is != w.Aside {
			continue
		}
		if v.Match++; v.Match <= w.Offset || len(v.Rows) >= w.Limit {
			continue
		}
		v.Rows = append(v.Rows, d.row(s, f, aside, is))
	}
	if s.Whole && w.About == "" {
		return v, d.trend(who, s, v)
	}
	return v, nil
}

func (d *Surveyor) row(s *desk.Sight, f *finding.Finding, aside store.Aside, is bool) FindingRow {
	row := FindingRow{
		ID: f.ID(), Kind: string(f.Kind), Weight: f.Weight, Says: f.Says(), Objects: []desk.Ref{}, Repairs: []string{},
	}
	for _, o := range f.Objects {
		if o.Kind == model.KindAssignment || f.Kind == finding.UpgradeWaiting && s.Design().Get(o.Kind, o.ID) == nil {
			continue // it has no sheet, or not yet; the rest names what it is about
		}
		row.Objects = append(row.Objects, s.Ref(o.Kind, o.ID))
	}
	for _, r := range f.Repairs() {
		row.Repairs = append(row.Repairs, r.Says)
	}
	if is {
		row.Aside = &SetAside{aside.Until, aside.Reason, s.Present.Ref(model.KindUser, aside.By), aside.At}
	}
	return row
}

// FindingsTable gives all findings that somebody may see and that are not set aside, one row each.
func (d *Surveyor) FindingsTable(who desk.Actor, w Wanted) (*table.Table, error) {
	w.Limit, w.Offset = 1<<40, 0
	v, err := d.Findings(who, w)
	if err != nil {
		return nil, err
	}
	t := &table.Table{Name: "Findings", Columns: []table.Column{
		{Title: "kind", Width: 18}, {Title: "weight", Width: 8}, {Title: "finding", Width: 80}, {Title: "about", Width: 40},
	}}
	for _, r := range v.Rows {
		var about []string
		for _, o := range r.Objects {
			about = append(about, o.Kind+" "+o.ID)
		}
		t.Rows = append(t.Rows, []any{r.Kind, r.Weight, r.Says, strings.Join(about, "; ")})
	}
	return t, nil
}

// found finds findings by their names, all or none.
func (d *Surveyor) found(who desk.Actor, ids []string) (*desk.Sight, []*finding.Finding, error) {
	s, list, err := d.seen(who)
	if err != nil {
		return nil, nil, err
	}
	by := make(map[string]*finding.Finding, len(list))
	for i := range list {
		by[list[i].ID()] = &list[i]
	}
	var out []*finding.Finding
	for _, id := range ids {
		f := by[id]
		if f == nil {
			return nil, nil, desk.Refuse(desk.NotFound, "This is not loose any longer: %s. Look again.", id)
		}
		out = append(out, f)
	}
	return s, out, nil
}

// RepairFindings puts what mends some findings into the draft: of each the repair of a number, from 0.
func (d *Surveyor) RepairFindings(who desk.Actor, ids []string, repair int) (*desk.Draft, error) {
	_, list, err := d.found(who, ids)
	if err != nil {
		return nil, err
	}
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		touched := map[string]bool{}
		for _, f := range list {
			repairs := f.Repairs()
			if repair < 0 || repair >= len(repairs) {
				return desk.Refuse(desk.Invalid, "There is no such repair of this: %s", f.Says())
			}
			for _, o := range repairs[repair].Ops {
				name := string(o.Kind) + ":" + o.ID
				if touched[name] {
					return desk.Refuse(desk.Invalid, "Two of these change the same thing: mend them one at a time.")
				}
				touched[name] = true
			}
			p.Add(0, repairs[repair].Ops...)
			p.Edits[len(p.Edits)-1].Catalogue = f.Kind == finding.UpgradeWaiting
		}
		return nil
	})
}

// asideMost is for how long a finding can be set aside.
const asideMost = 366 * 24 * time.Hour

// SetFindingsAside sets findings aside until a day, for a reason; a zero time takes that back.
func (d *Surveyor) SetFindingsAside(who desk.Actor, ids []string, until time.Time, reason string) error {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return err
	}
	if err := d.Need(h, who, model.EditDesign); err != nil {
		return err
	}
	_, list, err := d.found(who, ids)
	if err != nil {
		return err
	}
	reason, now := strings.TrimSpace(reason), d.Now()
	switch {
	case until.IsZero():
	case reason == "":
		return desk.Refuse(desk.Invalid, "Say why this can stay as it is until then.")
	case !until.After(now):
		return desk.Refuse(desk.Invalid, "That day is past: choose a later one.")
	case until.Sub(now) > asideMost:
		return desk.Refuse(desk.Invalid, "A finding is set aside for a year at most, so that somebody looks at it again.")
	}
	var entries []store.Aside
	for _, f := range list {
		entries = append(entries, store.Aside{Finding: f.ID(), Until: until.UTC(), Reason: reason, By: who.User, At: now})
	}
	return d.Store.SetAside(entries)
}

package intake

import (
	"errors"
	"slices"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/upgrade"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/exchange/catalogue"
	"fachwerk/internal/store"
)

// UpgradeFile is a version of a catalogue, as it was sent.
type UpgradeFile struct {
	Kept    string `json:"kept,omitempty" doc:"In place of a file: the id of a system of which a version is kept"`
	Name    string `json:"name,omitempty" maxLength:"300" doc:"The file's name"`
	Data    []byte `json:"data,omitempty" doc:"What is in it: JSON, or a table"`
	System  string `json:"system,omitempty" doc:"The system's id, if the file does not say it"`
	Version string `json:"version,omitempty" maxLength:"60" doc:"The version, if the file does not say it"`
}

// UpgradePermission is a permission that comes, goes or changes.
type UpgradePermission struct {
	Key     string         `json:"key"`
	Label   string         `json:"label,omitempty"`
	Risk    int            `json:"risk"`
	Was     string         `json:"was,omitempty" doc:"Its old key, if it is renamed"`
	Fields  []ImportChange `json:"fields" doc:"What is no longer as it was"`
	Holders int            `json:"holders" doc:"How many people hold it now"`
}

// UpgradeSet is a supplied set that comes, goes or changes.
type UpgradeSet struct {
	Ref     desk.Ref `json:"ref"`
	What    string   `json:"what" enum:"added,changed,deleted"`
	Added   []string `json:"added"`
	Removed []string `json:"removed"`
	Holders int      `json:"holders" doc:"How many people hold something by it now"`
}

// UpgradeResting is something of one's own that rests on what changes.
type UpgradeResting struct {
	Ref      desk.Ref  `json:"ref"`
	Dangling []string  `json:"dangling" doc:"What it names and nothing has any longer"`
	Renamed  []string  `json:"renamed" doc:"What it will name by the new key"`
	Original *desk.Ref `json:"original,omitempty" doc:"The supplied set that it is a copy of, and that changes"`
	Lacks    []string  `json:"lacks" doc:"What the original has come to give, and it does not"`
	Keeps    []string  `json:"keeps" doc:"What the original gives no longer, and it does"`
}

// UpgradeRole is a role that comes to give more or less.
type UpgradeRole struct {
	Ref    desk.Ref `json:"ref"`
	Gains  []string `json:"gains"`
	Losses []string `json:"losses"`
}

// Upgrade is what a version of a catalogue would change.
type Upgrade struct {
	System  desk.Ref            `json:"system"`
	New     bool                `json:"new" doc:"The system is not here yet"`
	From    string              `json:"from"`
	To      string              `json:"to"`
	Comes   []UpgradePermission `json:"comes"`
	Goes    []UpgradePermission `json:"goes"`
	Renamed []UpgradePermission `json:"renamed"`
	Alters  []UpgradePermission `json:"alters"`
	Sets    []UpgradeSet        `json:"sets"`
	Resting []UpgradeResting    `json:"resting"`
	Roles   []UpgradeRole       `json:"roles" doc:"Roles that come to give more or less; a renamed permission is both"`
	Gaining int                 `json:"gaining" doc:"How many people gain something"`
	Losing  int                 `json:"losing" doc:"How many people lose something"`
	Touches []desk.Ref          `json:"touches" doc:"Delegations over something that changes"`
	Misled  []string            `json:"misled" doc:"Hints of renames that name what is not there"`
	Faults  []string            `json:"faults" doc:"Why it cannot be taken over"`
	Doubts  []string            `json:"doubts" doc:"What speaks against the file being what it is taken for; it can be taken over all the same"`
	Changes bool                `json:"changes" doc:"There is something to take over"`
}

// weighUpgrade reads a catalogue and compares it with a design.
func weighUpgrade(d *model.Design, f UpgradeFile) (*upgrade.Catalogue, *upgrade.Report, error) {
	c, err := catalogue.Read(f.Name, f.Data, f.System, f.Version)
	if err != nil {
		return nil, nil, desk.Refuse(desk.Invalid, "The file is not a catalogue: %s.", err)
	}
	return c, upgrade.Compare(d, c), nil
}

// Upgrade tells what a version of a catalogue would change, before it is taken over.
func (d *Intake) Upgrade(who desk.Actor, f UpgradeFile) (*Upgrade, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if err := d.Need(d.Present(), who, model.RightToEdit(model.KindSystem)); err != nil {
		return nil, err
	}
	if f, err = d.keptOr(who, f); err != nil {
		return nil, err
	}
	u, _, err := compareUpgrade(s, f)
	return u, err
}

// keptOr gives a file, or the one that is kept of the system that it names.
func (d *Intake) keptOr(who desk.Actor, f UpgradeFile) (UpgradeFile, error) {
	if f.Kept == "" {
		return f, nil
	}
	list, err := d.Reading(who).KeptCatalogues(d.Now())
	if err != nil {
		return f, err
	}
	for _, k := range list {
		if k.System == f.Kept {
			return fileOf(&k), nil
		}
	}
	return f, desk.Refuse(desk.NotFound, "No version of “%s” is kept: it was adopted, or discarded.", f.Kept)
}

// ImportCatalogue tells an operator what a version of a catalogue would change and, if it is to be applied and
// nothing stands against it, applies it as one revision.
func (d *Intake) ImportCatalogue(f UpgradeFile, apply bool) (u *Upgrade, err error) {
	err = d.Writing(func(h *desk.House) error {
		s := &desk.Sight{House: h, Present: h, At: d.Now(), Whole: true}
		var ops []change.Op
		if u, ops, err = compareUpgrade(s, f); err != nil || !apply || len(u.Faults) > 0 || len(ops) == 0 {
			return err
		}
		return d.Operate(h, ops, u.System.Name+" "+u.To+" is brought in from "+f.Name)
	})
	return u, err
}

// fileOf is a version that is kept, as it was sent.
func fileOf(k *store.KeptCatalogue) UpgradeFile {
	return UpgradeFile{Name: k.Name, Data: k.Data, System: k.System, Version: k.Version}
}

// KeptUpgrade is a version of a catalogue that is kept to be adopted later.
type KeptUpgrade struct {
	System desk.Ref  `json:"system"`
	From   string    `json:"from" doc:"The version that is here"`
	To     string    `json:"to" doc:"The version that waits; empty if its file does not say it"`
	Name   string    `json:"name" doc:"The file's name"`
	By     *desk.Ref `json:"by,omitempty" doc:"Who brought it in; absent for an operator"`
	At     time.Time `json:"at"`
}

// KeepUpgrade keeps a version of a catalogue to be adopted later, in place of the one that was kept of that system. It
// gives what it would change.
func (d *Intake) KeepUpgrade(who desk.Actor, f UpgradeFile) (*Upgrade, error) {
	h := d.Present()
	if err := errors.Join(d.Acts(h, who), d.Need(h, who, model.RightToEdit(model.KindSystem))); err != nil {
		return nil, err
	}
	s, err := d.See(desk.Actor{User: who.User})
	if err != nil {
		return nil, err
	}
	return d.keepUpgrade(s, f, who.User)
}

// KeepCatalogue does for an operator what [Intake.KeepUpgrade] does.
func (d *Intake) KeepCatalogue(f UpgradeFile) (*Upgrade, error) {
	h := d.Present()
	return d.keepUpgrade(&desk.Sight{House: h, Present: h, At: d.Now(), Whole: true}, f, "")
}

func (d *Intake) keepUpgrade(s *desk.Sight, f UpgradeFile, by string) (*Upgrade, error) {
	u, ops, err := compareUpgrade(s, f)
	switch {
	case err != nil:
		return nil, err
	case len(ops) == 0:
		return nil, desk.Refuse(desk.Invalid, "The catalogue is here already: there is nothing to keep it for.")
	}
	defer d.Catalogues.Add(1)
	return u, d.Store.KeepCatalogue(&store.KeptCatalogue{
		System: u.System.ID, Name: f.Name, Data: f.Data, Version: f.Version, By: by, At: d.Now().UTC(),
	})
}

// KeptUpgrades gives the versions of catalogues that wait to be adopted.
func (d *Intake) KeptUpgrades(who desk.Actor) ([]KeptUpgrade, error) {
	s, err := d.See(who)
	if err != nil {
		return nil, err
	}
	if err := d.Need(d.Present(), who, model.RightToEdit(model.KindSystem)); err != nil {
		return nil, err
	}
	list, err := d.Reading(who).KeptCatalogues(s.At)
	if err != nil {
		return nil, err
	}
	out := []KeptUpgrade{}
	for _, k := range list {
		_, r, err := weighUpgrade(s.Design(), fileOf(&k))
		if err != nil || len(r.Ops) == 0 {
			continue // adopted since
		}
		one := KeptUpgrade{
			System: desk.Ref{Kind: string(model.KindSystem), ID: k.System, Name: r.After.Name},
			To:     r.After.Version, Name: k.Name, At: k.At,
		}
		if r.System != nil {
			one.From = r.System.Version
		}
		if k.By != "" {
			by := s.Present.Ref(model.KindUser, k.By)
			one.By = &by
		}
		out = append(out, one)
	}
	return out, nil
}

// DropUpgrade keeps the version of a system no longer.
func (d *Intake) DropUpgrade(who desk.Actor, system string) error {
	h := d.Present()
	if err := errors.Join(d.Acts(h, who), d.Need(h, who, model.RightToEdit(model.KindSystem))); err != nil {
		return err
	}
	was, err := d.Store.DropCatalogue(system)
	d.Catalogues.Add(1)
	if err == nil && !was {
		return desk.Refuse(desk.NotFound, "No version of “%s” is kept: it was adopted, or discarded.", system)
	}
	return err
}

// DropAdopted forgets versions of catalogues that were kept and that the design has come to be like, so that they do
// not wait again when it moves on. It is meant to be called now and again.
func (d *Intake) DropAdopted() error {
	list, err := d.Store.KeptCatalogues(d.Now())
	if err != nil {
		return err
	}
	for _, k := range list {
		_, r, err := weighUpgrade(d.Present().Design(), fileOf(&k))
		if err == nil && len(r.Ops) == 0 {
			if _, err := d.Store.DropCatalogue(k.System); err != nil {
				return err
			}
		}
	}
	return nil
}

// doubts tells what speaks against a file being the next version of a catalogue.
func doubts(r *upgrade.Report) []string {
	out := []string{}
	if r.System == nil || len(r.Ops) == 0 {
		return out
	}
	switch {
	case r.Downgrade:
		out = append(out, "The file is of a lower version than the one that is here.")
	case r.Unsaid:
		out = append(
			out,
			"The file does not tell its version, so that of the system stays what it is. Say it, if it is known.",
		)
	case r.Old:
		out = append(out, "The file says that it is of the version that is here already, and yet it differs.")
	}
	if gone, all := len(r.Gone), len(r.System.Permissions); 2*gone > all {
		out = append(
			out,
			"The file lacks "+desk.Grouped(
				gone,
			)+" of the "+desk.Grouped(
				all,
			)+" permissions that are here: perhaps it is only a part of the catalogue.",
		)
	}
	return out
}

// compareUpgrade weighs a version of a catalogue, and gives the change that takes it over.
func compareUpgrade(s *desk.Sight, f UpgradeFile) (*Upgrade, []change.Op, error) {
	c, r, err := weighUpgrade(s.Design(), f)
	if err != nil {
		return nil, nil, err
	}
	u := &Upgrade{
		System:  desk.Ref{Kind: string(model.KindSystem), ID: r.After.ID, Name: r.After.Name},
		New:     r.System == nil,
		To:      r.After.Version,
		Misled:  append([]string{}, r.Misled...),
		Faults:  []string{},
		Changes: len(r.Ops) > 0,
		Comes:   []UpgradePermission{},
		Goes:    []UpgradePermission{},
		Renamed: []UpgradePermission{},
		Alters:  []UpgradePermission{},
		Sets:    []UpgradeSet{},
		Resting: []UpgradeResting{},
		Roles:   []UpgradeRole{},
		Touches: []desk.Ref{},
	}
	if r.System != nil {
		u.From = r.System.Version
	}
	u.Doubts = doubts(r)
	ops := change.Compact(r.Ops)
	after, problems := change.Apply(s.Design(), ops)
	if after == nil {
		for _, p := range model.Errors(problems) {
			u.Faults = append(u.Faults, desk.Upper(p.Message)+" ("+p.Path+").")
		}
	} else {
		weighed(s, u, ops, s.Index.Update(after))
	}
	upgraded(s, u, c, r)
	return u, ops, nil
}

// weighed fills in which roles come to give more or less, and how many people gain or lose by that.
func weighed(s *desk.Sight, u *Upgrade, ops []change.Op, after *index.Index) {
	impact := change.CountsOf(s.Index, after, ops, s.At)
	u.Gaining, u.Losing = impact.Gaining, impact.Losing
	for _, id := range impact.Delegations {
		u.Touches = append(u.Touches, s.Ref(model.KindDelegation, id))
	}
	for _, r := range s.Design().Roles {
		before, now := s.Index.Content(model.KindRole, r.ID), after.Content(model.KindRole, r.ID)
		x := UpgradeRole{s.Ref(model.KindRole, r.ID), lacking(now, before), lacking(before, now)}
		if len(x.Gains)+len(x.Losses) > 0 {
			u.Roles = append(u.Roles, x)
		}
	}
}

// lacking gives what some keys have that others have not.
func lacking(keys, others []string) []string {
	out := []string{}
	for _, k := range keys {
		if !slices.Contains(others, k) {
			out = append(out, k)
		}
	}
	return out
}

// upgraded fills in what changes.
func upgraded(s *desk.Sight, u *Upgrade, c *upgrade.Catalogue, r *upgrade.Report) {
	coming := map[string]*model.Permission{}
	for _, p := range c.System.Permissions {
		coming[p.Key] = p
	}
	one := func(key string) UpgradePermission {
		p := coming[key]
		if p == nil {
			p, _ = s.Design().Permission(key)
		}
		out := UpgradePermission{Key: key, Label: p.Label, Risk: p.Risk, Fields: []ImportChange{}}
		if _, here := s.Design().Permission(key); here {
			out.Holders = view.HolderCount(s, index.KindPermission, key)
		}
		return out
	}
	for _, k := range r.New {
		u.Comes = append(u.Comes, one(k))
	}
	for _, k := range r.Gone {
		u.Goes = append(u.Goes, one(k))
	}
	for _, pair := range r.Renamed {
		p := one(pair[1])
		p.Was, p.Holders = pair[0], view.HolderCount(s, index.KindPermission, pair[0])
		u.Renamed = append(u.Renamed, p)
	}
	for _, a := range r.Altered {
		p := one(a.Key)
		for _, f := range a.Fields {
			p.Fields = append(p.Fields, ImportChange{f.Name, f.Before, f.After})
		}
		u.Alters = append(u.Alters, p)
	}
	for _, x := range r.Sets {
		set := UpgradeSet{
			Ref:     s.Ref(model.KindSet, x.ID),
			What:    x.What,
			Added:   append([]string{}, x.Added...),
			Removed: append([]string{}, x.Removed...),
		}
		if x.What == "added" {
			for _, n := range c.Sets {
				if n.ID == x.ID {
					set.Ref.Name = n.Name
				}
			}
		} else {
			set.Holders = view.HolderCount(s, model.KindSet, x.ID)
		}
		u.Sets = append(u.Sets, set)
	}
	for _, x := range r.Resting {
		rest := UpgradeResting{
			Ref:      s.Ref(x.Object.Kind(), x.Object.Ident()),
			Dangling: append([]string{}, x.Dangling...),
			Renamed:  append([]string{}, x.Renamed...),
			Lacks:    append([]string{}, x.Lacks...),
			Keeps:    append([]string{}, x.Keeps...),
		}
		if x.Original != "" {
			ref := s.Ref(model.KindSet, x.Original)
			rest.Original = &ref
		}
		u.Resting = append(u.Resting, rest)
	}
}

// DraftUpgrade puts a version of a catalogue into the draft, as one act.
func (d *Intake) DraftUpgrade(who desk.Actor, f UpgradeFile) (*desk.Draft, error) {
	f, err := d.keptOr(who, f)
	if err != nil {
		return nil, err
	}
	return d.Alter(who, func(_ *desk.House, p *desk.Drafted) error {
		_, r, err := weighUpgrade(p.Base(), f)
		switch {
		case err != nil:
			return err
		case len(r.Ops) == 0:
			return desk.Refuse(desk.Invalid, "The catalogue is here already: it changes nothing.")
		}
		p.Add(0, change.Compact(r.Ops)...)
		p.Edits[len(p.Edits)-1].Catalogue = true
		return nil
	})
}

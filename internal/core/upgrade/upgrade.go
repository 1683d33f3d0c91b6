// Package upgrade finds what a new version of a system's catalogue changes, and what rests on what it changes:
// before it is taken over, and as one change.
package upgrade

import (
	"cmp"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

// Catalogue is a version of a system's catalogue, with the sets that come with it.
type Catalogue struct {
	System  *model.System
	Sets    []*model.Set      // nil: those that are there stay, without what the catalogue no longer has
	Renames map[string]string // hints: the new keys of permissions, by the old ones
	// Silent are the fields of permissions, as the model file calls them, that nothing is said of: they stay what they
	// are.
	Silent []string
	// Bare tells that of the system and the sets only what they give is said, and perhaps the version: all else about
	// them stays what it is.
	Bare bool
}

// Field is a field of a permission that is no longer what it was.
type Field struct{ Name, Before, After string }

// Altered is a permission that stays, and what becomes of it.
type Altered struct {
	Key    string
	Fields []Field
}

// Set is what becomes of a supplied set.
type Set struct {
	ID             string
	What           string // added, changed or deleted
	Added, Removed []string
}

// Resting is something of this organisation's that names what goes away, or is a copy of what changes.
type Resting struct {
	Object   model.Object
	Dangling []string // permissions that it names and nothing has any longer
	Renamed  []string // permissions that it names and will name by the new key
	Original string   // the supplied set that it is a copy of and that changes
	Lacks    []string // what the original has come to give, and it does not
	Keeps    []string // what the original gives no longer, and it does
}

// Report is what a new version does.
type Report struct {
	System         *model.System // as it was; nil if it is new
	After          *model.System // as it will be
	New, Gone      []string
	Renamed        [][2]string // old and new
	Altered        []Altered
	Sets           []Set
	Resting        []Resting
	Ops            []change.Op // to take it over
	Misled         []string    // renames that name what is not there
	Downgrade, Old bool        // the version is lower than the present one; the same
	Unsaid         bool        // nothing is said of the version, so it stays
}

// Compare finds what a catalogue changes of a design. What is named by an old key that a hint renames is named by
// the new one from then on.
func Compare(d *model.Design, c *Catalogue) *Report {
	r := &Report{}
	was, exists := d.Systems.Find(c.System.ID)
	now := change.Clone(c.System)
	if exists {
		r.System = was
		if c.Bare {
			r.Unsaid = now.Version == ""
			now.Name, now.Description, now.Supplier, now.Licence, now.Version = was.Name, was.Description, was.Supplier,
				was.Licence, cmp.Or(
					now.Version,
					was.Version,
				)
		}
		order := compareVersions(now.Version, was.Version)
		r.Downgrade, r.Old = order < 0, order == 0 && !r.Unsaid
	} else {
		was = &model.System{ID: now.ID}
	}
	now.Name = cmp.Or(now.Name, now.ID)
	r.After = now
	before, after := byKey(was), byKey(now)
	newKey := map[string]string{}
	for _, old := range slices.Sorted(maps.Keys(c.Renames)) {
		to := c.Renames[old]
		_, had := before[old]
		_, still := after[old]
		if _, has := after[to]; !had || still || !has {
			r.Misled = append(r.Misled, old+" → "+to)
			continue
		}
		newKey[old] = to
		r.Renamed = append(r.Renamed, [2]string{old, to})
	}
	renamedTo := map[string]string{}
	for old, to := range newKey {
		renamedTo[to] = old
	}
	for _, p := range now.Permissions {
		old, ok := before[p.Key]
		if from, renamed := renamedTo[p.Key]; renamed && !ok {
			old, ok = before[from]
		} else if !ok {
			r.New = append(r.New, p.Key)
		}
		if ok {
			c.keep(p, old, func(k string) string {
				k = cmp.Or(newKey[k], k)
				if after[k] == nil {
					return ""
				}
				return k
			})
			if fields := differences(old, p); fields != nil {
				r.Altered = append(r.Altered, Altered{p.Key, fields})
			}
		}
	}
	for _, p := range was.Permissions {
		if _, stays := after[p.Key]; !stays && newKey[p.Key] == "" {
			r.Gone = append(r.Gone, p.Key)
		}
	}
	if op := change.Put(d, now); !change.Equal(op.Before, now) {
		r.Ops = append(r.Ops, op)
	}
	r.sets(d, c, newKey)
	r.resting(d, c.System.ID, newKey)
	return r
}

// keep gives a permission what it was of the fields that nothing is said of. Now tells what has become of a key; ""
// if it is gone.
func (c *Catalogue) keep(p, was *model.Permission, now func(key string) string) {
	for _, field := range c.Silent {
		switch field {
		case "label":
			p.Label = was.Label
		case "description":
			p.Description = was.Description
		case "module":
			p.Module = was.Module
		case "class":
			p.Class = was.Class
		case "risk":
			p.Risk = was.Risk
		case "span":
			p.Span = was.Span
		case "licence":
			p.Licence = was.Licence
		case "implies":
			p.Implies = nil
			for _, k := range was.Implies {
				if k = now(k); k != "" {
					p.Implies = append(p.Implies, k)
				}
			}
			slices.Sort(p.Implies)
		}
	}
}

func byKey(s *model.System) map[string]*model.Permission {
	m := make(map[string]*model.Permission, len(s.Permissions))
	for _, p := range s.Permissions {
		m[p.Key] = p
	}
	return m
}

// differences gives the fields in which two permissions differ, but for the key.
func differences(a, b *model.Permission) (out []Field) {
	read := func(p *model.Permission) map[string]string {
		data, err := json.Marshal(p)
		if err != nil {
			panic(err) // it holds only what JSON can write
		}
		var raw map[string]json.RawMessage
		if err := json.Unmarshal(data, &raw); err != nil {
			panic(err)
		}
		m := map[string]string{
			"class": string(cmp.Or(p.Class, model.Read)),
			"span":  string(cmp.Or(p.Span, model.SpanArea)),
			"risk":  "0",
		}
		for name, v := range raw {
			m[name] = strings.Trim(string(v), `"`)
		}
		delete(m, "key")
		return m
	}
	x, y := read(a), read(b)
	for _, name := range slices.Sorted(maps.Keys(merged(x, y))) {
		if x[name] != y[name] {
			out = append(out, Field{name, x[name], y[name]})
		}
	}
	return out
}

func merged(a, b map[string]string) map[string]string {
	m := maps.Clone(a)
	maps.Copy(m, b)
	return m
}

// renamed gives keys with the old ones renamed.
func renamed(keys []string, newKey map[string]string) (out, old []string) {
	for _, k := range keys {
		if to := newKey[k]; to != "" {
			old = append(old, k)
			k = to
		}
		if !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	slices.Sort(out)
	return out, old
}

// sets finds what becomes of the supplied sets.
func (r *Report) sets(d *model.Design, c *Catalogue, newKey map[string]string) {
	coming := map[string]*model.Set{}
	for _, s := range c.Sets {
		coming[s.ID] = s
	}
	for _, was := range d.Sets {
		if was.System != c.System.ID {
			continue
		}
		s := coming[was.ID]
		switch {
		case s == nil && c.Sets == nil: // nothing is said of them
			now := change.Clone(was)
			now.Permissions, _ = renamed(was.Permissions, newKey)
			now.Permissions = slices.DeleteFunc(
				now.Permissions,
				func(k string) bool { return slices.Contains(r.Gone, k) },
			)
			r.set(d, was, now, newKey)
		case s == nil:
			r.Sets = append(r.Sets, Set{ID: was.ID, What: "deleted", Removed: was.Permissions})
			r.Ops = append(r.Ops, change.Release(change.Lay(d, r.Ops), model.KindSet, was.ID, nil)...)
		default:
			if s = change.Clone(s); c.Bare {
				s.Name, s.Description, s.Owner, s.Version = was.Name, was.Description, was.Owner, cmp.Or(
					s.Version,
					r.After.Version,
				)
			}
			r.set(d, was, s, newKey)
		}
	}
	for _, s := range c.Sets {
		if _, there := d.Sets.Find(s.ID); !there {
			r.Sets = append(r.Sets, Set{ID: s.ID, What: "added", Added: s.Permissions})
			r.Ops = append(r.Ops, change.Op{Kind: model.KindSet, ID: s.ID, After: change.Clone(s)})
		}
	}
}

func (r *Report) set(d *model.Design, was, now *model.Set, newKey map[string]string) {
	now = change.Clone(now)
	now.System = was.System
	before, _ := renamed(was.Permissions, newKey)
	added, removed := without(now.Permissions, before), without(before, now.Permissions)
	if len(added)+len(removed) > 0 {
		r.Sets = append(r.Sets, Set{ID: was.ID, What: "changed", Added: added, Removed: removed})
	}
	if op := change.Put(d, now); !change.Equal(op.Before, now) {
		r.Ops = append(r.Ops, op)
	}
}

func without(list, others []string) (out []string) {
	for _, k := range list {
		if !slices.Contains(others, k) {
			out = append(out, k)
		}
	}
	return out
}

// resting finds what of this organisation's own rests on what changes.
func (r *Report) resting(d *model.Design, system string, newKey map[string]string) {
	gone := map[string]bool{}
	for _, k := range r.Gone {
		gone[k] = true
	}
	changed := map[string]Set{}
	for _, s := range r.Sets {
		changed[s.ID] = s
	}
	laid := change.Lay(d, r.Ops) // what the sets' going away has changed already
	look := func(o model.Object, keys []string, rename func() model.Object) Resting {
		rest := Resting{Object: o}
		for _, k := range keys {
			if gone[k] {
				rest.Dangling = append(rest.Dangling, k)
			}
		}
		if _, rest.Renamed = renamed(keys, newKey); rest.Renamed != nil && laid.Get(o.Kind(), o.Ident()) != nil {
			r.Ops = append(r.Ops, change.Put(laid, rename()))
		}
		return rest
	}
	add := func(rest Resting) {
		if len(rest.Dangling)+len(rest.Renamed)+len(rest.Lacks)+len(rest.Keeps) > 0 {
			r.Resting = append(r.Resting, rest)
		}
	}
	for _, s := range d.Sets {
		if s.System != "" {
			continue
		}
		rest := look(s, s.Permissions, func() model.Object {
			now := current(laid, s)
			now.Permissions, _ = renamed(now.Permissions, newKey)
			return now
		})
		if s.CopyOf != nil {
			if of, is := changed[s.CopyOf.Set]; is && of.What == "changed" {
				own, _ := renamed(s.Permissions, newKey)
				rest.Lacks = without(of.Added, own)
				for _, k := range of.Removed {
					if slices.Contains(own, k) && !gone[k] {
						rest.Keeps = append(rest.Keeps, k)
					}
				}
				if len(rest.Lacks)+len(rest.Keeps) > 0 {
					rest.Original = of.ID
				}
			}
		}
		add(rest)
	}
	for _, o := range d.Roles {
		add(look(o, slices.Concat(o.Permissions, o.Excludes), func() model.Object {
			now := current(laid, o)
			now.Permissions, _ = renamed(now.Permissions, newKey)
			now.Excludes, _ = renamed(now.Excludes, newKey)
			return now
		}))
	}
	for _, o := range d.Conflicts {
		var keys []string
		for _, i := range o.Items {
			if i.Permission != "" {
				keys = append(keys, i.Permission)
			}
		}
		add(look(o, keys, func() model.Object {
			now := current(laid, o)
			for n, i := range now.Items {
				if to := newKey[i.Permission]; to != "" {
					now.Items[n].Permission = to
				}
			}
			return now
		}))
	}
}

// current gives a copy of an object as a design has it.
func current[T model.Object](d *model.Design, o T) T {
	if now, is := d.Get(o.Kind(), o.Ident()).(T); is {
		return change.Clone(now)
	}
	return change.Clone(o)
}

// compareVersions compares versions as people write them: part by part, numbers as numbers.
func compareVersions(a, b string) int {
	parts := func(s string) []string {
		return strings.FieldsFunc(
			strings.ToLower(s),
			func(r rune) bool { return r == '.' || r == '-' || r == ' ' || r == '_' },
		)
	}
	x, y := parts(a), parts(b)
	for i := range max(len(x), len(y)) {
		var p, q string
		if i < len(x) {
			p = x[i]
		}
		if i < len(y) {
			q = y[i]
		}
		if len(p) != len(q) && digits(p) && digits(q) {
			return cmp.Compare(len(p), len(q))
		}
		if c := strings.Compare(p, q); c != 0 {
			return c
		}
	}
	return 0
}

func digits(s string) bool {
	return strings.IndexFunc(s, func(r rune) bool { return r < '0' || r > '9' }) < 0
}

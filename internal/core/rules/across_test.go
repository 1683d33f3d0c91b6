package rules

import (
	"maps"
	"slices"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// upheaval makes a change of catalogues, licences and areas, after which an index has other numbers for these.
func (r random) upheaval(d *model.Design) []change.Op {
	var ops []change.Op
	system := func() *model.System {
		for {
			if s := pick(r, d.Systems); s.ID != model.OwnSystem {
				return model.Clone(s)
			}
		}
	}
	switch r.IntN(6) {
	case 0: // a permission changes
		s := system()
		p := pick(r, s.Permissions)
		switch r.IntN(4) {
		case 0:
			p.Class = pick(r, []model.Class{model.Read, model.Write, model.Admin})
		case 1:
			p.Span = pick(r, []model.Span{model.SpanArea, model.SpanOrganisation})
		case 2:
			p.Licence = pick(r, append([]string{""}, idsOf(d.Licences)...))
		default:
			p.Implies = nil
		}
		ops = append(ops, change.Put(d, s))
	case 1: // one goes
		s := system()
		i := r.IntN(len(s.Permissions))
		gone := s.Permissions[i].Key
		s.Permissions = slices.Delete(s.Permissions, i, i+1)
		for _, p := range s.Permissions {
			p.Implies = slices.DeleteFunc(p.Implies, func(k string) bool { return k == gone })
		}
		ops = append(ops, change.Put(d, s))
	case 2: // one comes, and a set has it
		s := system()
		key := s.ID + ":new:view"
		s.Permissions = append(s.Permissions, &model.Permission{Key: key, Class: model.Read})
		ops = append(ops, change.Put(d, s))
		for _, o := range d.Sets {
			if o.System == "" && r.chance(50) {
				o = model.Clone(o)
				o.Permissions = append(o.Permissions, key)
				ops = append(ops, change.Put(d, o))
			}
		}
	case 3: // a system needs a licence, or none any longer
		s := system()
		s.Licence = pick(r, append([]string{""}, idsOf(d.Licences)...))
		ops = append(ops, change.Put(d, s))
	case 4: // a licence covers others
		if len(d.Licences) > 0 {
			l := model.Clone(pick(r, d.Licences))
			l.Covers = some(r, idsOf(d.Licences), 2)
			ops = append(ops, change.Put(d, l))
		}
	default: // an area moves, or is only called otherwise
		a := model.Clone(pick(r, d.Areas))
		if a.Parent != "" {
			if a.Parent = pick(r, d.Areas).ID; r.chance(20) {
				a.Name += " anew"
			}
			ops = append(ops, change.Put(d, a))
		}
	}
	return ops
}

func idsOf[T model.Object](t model.Table[T]) (out []string) {
	for _, o := range t {
		out = append(out, o.Ident())
	}
	return out
}

// However catalogues, licences and areas change: the differences that are told are those of everybody's holdings, one
// by one, and nobody is left out.
func TestDifferencesAcrossCatalogues(t *testing.T) {
	changed := 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		for range 3 {
			changed += r.across(t, d, x)
		}
	})
	if designs >= 150 && changed < 300 {
		t.Errorf("only %d people gained or lost something: too few to prove anything", changed)
	}
}

// acrossSums are the sums of all such changes.
var acrossSums = newSums()

// across makes one such change, and counts whom it gives or takes something.
func (r random) across(t *testing.T, d *model.Design, x *index.Index) (changed int) {
	ops := change.Compact(slices.Concat(r.upheaval(d), r.edits(d, r.IntN(2))))
	after, _ := change.Apply(d, ops)
	if after == nil {
		return 0 // not every such change is well-formed
	}
	y, anew := x.Update(after), index.Compile(after)
	impact := change.ImpactOf(x, y, ops, now)
	tellsConflicts(t, impact, x, y)
	tellsSpare(t, impact, x, y)
	for range 20 {
		u, p := pick(r, after.Users).ID, pick(r, allKeys(after))
		rec := index.Record{Area: pick(r, after.Areas).ID}
		if got, want := y.Allowed(u, p, rec, now), anew.Allowed(u, p, rec, now); got != want {
			t.Errorf("updated, %s is allowed %s at %s: %v", u, p, rec.Area, got)
		}
	}
	told := map[string]index.Difference{}
	watched := some(r, allKeys(d), 6)
	differences, touched := index.Differences(x, y, watched, now)
	for _, diff := range differences {
		told[diff.User] = diff
	}
	model.EachPair(d.Users, after.Users, func(i, j int) {
		id := ""
		if j >= 0 {
			id = after.Users[j].ID
		} else {
			id = d.Users[i].ID
		}
		was, is := x.Widest(id, now), y.Widest(id, now)
		gains, losses := index.Beyond(x, is, was), index.Beyond(y, was, is)
		if len(gains)+len(losses) > 0 {
			changed++
		}
		untold(t, slices.Concat(gains, losses), watched, touched)
		waits := plain{after}.waits(plain{d}, id, now)
		if !slices.Equal(told[id].Waits, waits) {
			t.Errorf("%s waits for %v, told as %v", id, waits, told[id].Waits)
		}
		list := index.Tell(x, y, []string{id}, now)[0]
		if !slices.Equal(list.Gains, gains) || !slices.Equal(list.Losses, losses) {
			t.Errorf("%s gains %v and loses %v, told as %v and %v", id, gains, losses, list.Gains, list.Losses)
		}
		if diff := told[id]; diff.Gained != len(gains) || diff.Lost != len(losses) {
			t.Errorf("%s gains %d and loses %d, counted as %d and %d", id, len(gains), len(losses), diff.Gained, diff.Lost)
		}
		acrossSums.hold(t, list, told[id].Sum)
	})
	return changed
}

// tellsSpare holds the seats that an impact tells to be without need against what is held before and after.
func tellsSpare(t *testing.T, im *change.Impact, x, y *index.Index) {
	t.Helper()
	want := map[string]int{}
	for _, p := range im.People {
		u, ok := y.Design().Users.Find(p.User)
		if !ok || p.Lost == 0 || !y.Live(p.User, now) {
			continue
		}
		was, is := plain{x.Design()}.uses(p.User), plain{y.Design()}.uses(p.User)
		for _, l := range u.Licences {
			if was[l] && !is[l] {
				want[l]++
			}
		}
	}
	if !maps.Equal(im.Spare, want) {
		t.Errorf("seats without need %v, want %v", im.Spare, want)
	}
}

// tellsConflicts holds the conflicts that an impact tells against those of everybody, before and after.
func tellsConflicts(t *testing.T, im *change.Impact, x, y *index.Index) {
	t.Helper()
	type breach struct {
		user, conflict    string
		excepted, cleared bool
	}
	want, got := map[breach]bool{}, map[breach]bool{}
	for _, v := range duty.All(y, now) {
		want[breach{v.User, v.Conflict, v.Excepted, false}] = true
	}
	for _, v := range duty.All(x, now) {
		still := breach{v.User, v.Conflict, v.Excepted, false}
		if want[still] {
			delete(want, still)
		} else {
			want[breach{v.User, v.Conflict, v.Excepted, true}] = true
		}
	}
	for _, c := range im.Conflicts {
		got[breach{c.User, c.Conflict, c.Excepted, c.Cleared}] = true
	}
	if !maps.Equal(got, want) {
		t.Errorf("conflicts %v, told are %v", want, got)
	}
}

// Who lacks a licence is found as quickly as it is true: just those whom something waits for.
func TestLackingIsWaiting(t *testing.T) {
	lacking := 0
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		for _, l := range d.Licences {
			var want []string
			for _, u := range d.Users {
				if slices.Contains(x.WaitsFor(u.ID, now), l.ID) {
					want = append(want, u.ID)
				}
			}
			got := x.Lacking(l.ID, now)
			if lacking += len(got); !slices.Equal(got, want) {
				t.Errorf("%s is lacking to %v, want %v", l.ID, got, want)
			}
		}
	})
	if designs >= 150 && lacking < 100 {
		t.Errorf("only %d people lack a licence: too few to prove anything", lacking)
	}
}

// needing is the licences that some permissions need.
func (p plain) needing(some keys) keys {
	out := keys{}
	for k := range some {
		for q := range p.cl([]string{k}) {
			if l := p.needs(q); l != "" {
				out[l] = true
			}
		}
	}
	return out
}

// uses is the licences that what somebody holds needs.
func (p plain) uses(user string) keys {
	held := keys{}
	for h := range p.effective(user, now) {
		held[h.Permission] = true
	}
	return p.needing(held)
}

// What needs a licence, of what is held, given and gathered, and how many seats are taken: as the rules say.
func TestWhatNeedsALicence(t *testing.T) {
	used := 0
	each(t, func(t *testing.T, _ random, d *model.Design, x *index.Index) {
		p := plain{d}
		for _, u := range d.Users {
			want := slices.Sorted(maps.Keys(p.uses(u.ID)))
			got := x.Uses(u.ID, now)
			if used += len(got); !slices.Equal(got, want) {
				t.Errorf("what %s holds needs %v, want %v", u.ID, got, want)
			}
			for _, l := range d.Licences {
				var want []*model.Assignment
				for _, a := range x.GrantsFor(u.ID) {
					if model.In(now, a.From, a.Until) && p.needing(p.carried(a))[l.ID] {
						want = append(want, a)
					}
				}
				if got := x.GrantsNeeding(u.ID, l.ID, now); !slices.Equal(got, want) {
					t.Errorf("%s is given what needs %s by %v, want %v", u.ID, l.ID, got, want)
				}
			}
		}
		for _, r := range d.Roles {
			if got, want := x.LicencesFor(model.KindRole, r.ID),
				slices.Sorted(maps.Keys(p.needing(p.role(r.ID)))); !slices.Equal(
				got,
				want,
			) {
				t.Errorf("%s needs %v, want %v", r.ID, got, want)
			}
		}
		if got, want := x.SeatsUsed(), d.SeatsUsed(); !maps.Equal(got, want) {
			t.Errorf("seats %v, want %v", got, want)
		}
	})
	if designs >= 150 && used < 100 {
		t.Errorf("licences are used %d times: too few to prove anything", used)
	}
}

// Rows, and who comes first of those who hold something, tell what each effectively holds; and so do the next rows, by
// whom a change touches.
func TestRowsAreWhatIsHeld(t *testing.T) {
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		keys := some(r, allKeys(d), 6)
		var people, holding []string
		for _, u := range d.Users {
			if r.IntN(3) == 0 {
				people = append(people, u.ID)
				if slices.ContainsFunc(
					x.Effective(u.ID, now),
					func(h index.Holding) bool { return slices.Contains(keys, h.Permission) },
				) {
					holding = append(holding, u.ID)
				}
			}
		}
		most := r.IntN(4)
		if got := x.FirstHolding(people, keys, most, now); !slices.Equal(got, holding[:min(most, len(holding))]) {
			t.Errorf("the first %d of %v who hold some of %v are %v, want of %v", most, people, keys, got, holding)
		}
		rows := x.Rows(keys, now)
		tell := func(what string, x *index.Index, rows *index.Rows) {
			for _, u := range x.Design().Users {
				var want []string
				for _, h := range x.Effective(u.ID, now) {
					if slices.Contains(keys, h.Permission) && !slices.Contains(want, h.Permission) {
						want = append(want, h.Permission)
					}
				}
				row := rows.Of(u.ID)
				for n, key := range rows.Keys() {
					if is := row != nil && row[n/64]>>(n%64)&1 == 1; is != slices.Contains(want, key) {
						t.Errorf("%s: that %s holds %s is %v", what, u.ID, key, is)
					}
				}
				if (row == nil) != (len(want) == 0) || row != nil && !slices.Equal(row, rows.Bits(want)) {
					t.Errorf("%s: the row of %s is %v, want %v", what, u.ID, row, rows.Bits(want))
				}
			}
		}
		tell("at first", x, rows)
		if after, _ := change.Apply(d, r.edits(d, 2)); after != nil {
			y := x.Update(after)
			touched, _ := index.Touched(x, y)
			tell("after a change", y, rows.Next(y, touched, now))
		}
	})
}

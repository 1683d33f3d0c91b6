package finding

import (
	"fmt"
	mathbits "math/bits"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/upgrade"
)

func brokenGuarantees(s *search) (out []Finding) {
	for _, g := range s.d.Guarantees {
		breaches := guarantee.Now(s.v, g, s.t)
		if len(breaches) == 0 {
			continue
		}
		weight := 3
		if g.Lax {
			weight = 2
		}
		out = append(out, Finding{
			Weight: weight, Objects: []Object{{model.KindGuarantee, g.ID}},
			says: func(s *search) string { return guarantee.Broken(s.v, g, breaches) },
		})
	}
	return out
}

// singleHolders are critical permissions that exactly one live person holds.
func singleHolders(s *search) (out []Finding) {
	rows, critical := s.rows(), s.critical()
	asked := critical // of which keys it is asked who holds them
	if s.since == nil {
		s.counts = make([]int32, len(rows.Keys()))
		for _, row := range rows.All() {
			for at, bits := range row {
				for bits &= critical[at]; bits != 0; bits &= bits - 1 {
					s.counts[64*at+mathbits.TrailingZeros64(bits)]++
				}
			}
		}
	} else {
		s.counts, asked = slices.Clone(s.since.was.counts), make([]uint64, len(critical))
		count := func(row []uint64, by int32) {
			for at, bits := range row {
				asked[at] |= bits & critical[at]
				for bits &= critical[at]; bits != 0; bits &= bits - 1 {
					s.counts[64*at+mathbits.TrailingZeros64(bits)] += by
				}
			}
		}
		for _, u := range s.since.touched {
			count(s.since.was.rows().Of(u), -1)
			count(rows.Of(u), 1)
		}
		out = s.since.kept(SingleHolder, func(f *Finding) bool {
			n, _ := slices.BinarySearch(rows.Keys(), f.Objects[0].ID)
			return asked[n/64]>>(n%64)&1 == 0
		})
	}
	for at := range asked {
		for bits := asked[at]; bits != 0; bits &= bits - 1 {
			if n := 64*at + mathbits.TrailingZeros64(bits); s.counts[n] == 1 {
				out = append(out, s.singleHolder(n))
			}
		}
	}
	return out
}

// singleHolder tells of the only one who holds the permission of a bit of the rows.
func (s *search) singleHolder(bit int) Finding {
	key := s.rows().Keys()[bit]
	place := slices.IndexFunc(s.rows().All(), func(row []uint64) bool {
		return row != nil && row[bit/64]>>(bit%64)&1 == 1
	})
	user := s.d.Users[place].ID
	return Finding{
		Weight:  2,
		Objects: []Object{{index.KindPermission, key}, {model.KindUser, user}},
		says: func(s *search) string {
			return fmt.Sprintf("Only %s holds %s, which is critical.", s.name(model.KindUser, user), key)
		},
	}
}

func emptyGroups(s *search) (out []Finding) {
	for _, g := range s.d.Groups {
		if s.x.Size(g.ID) > 0 {
			continue
		}
		out = append(out, Finding{
			Weight: 1, Objects: []Object{{model.KindGroup, g.ID}},
			says: func(*search) string {
				if g.Type == model.Rule {
					return "The rule of " + g.Name + " finds nobody."
				}
				return "Nobody is in " + g.Name + "."
			},
			repairs: func(s *search) []Repair { return s.deletion(model.KindGroup, g.ID) },
		})
	}
	return out
}

// idleGroups give nothing, by what they are nested in either, and nothing rests on them.
func idleGroups(s *search) (out []Finding) {
	rests := map[string]bool{} // something does on the group
	for _, g := range s.d.Delegations {
		rests[g.Delegate.Group], rests[g.People.Group] = true, true
		for _, id := range g.Groups {
			rests[id] = true
		}
	}
	for _, g := range s.d.Guarantees {
		if g.People != nil {
			rests[g.People.Group] = true
		}
	}
	for _, g := range s.x.GiveNothing(s.t) {
		if rests[g.ID] || s.Named[g.ID] {
			continue
		}
		out = append(out, Finding{
			Weight: 1, Objects: []Object{{model.KindGroup, g.ID}},
			says: func(*search) string {
				return g.Name + " gives nothing, and no delegation, guarantee or series of reviews names it."
			},
			repairs: func(s *search) []Repair { return s.deletion(model.KindGroup, g.ID) },
		})
	}
	return out
}

func unheldRoles(s *search) []Finding {
	return each(len(s.d.Roles), func(i int) []Finding {
		r := s.d.Roles[i]
		if s.x.HasHolders(model.KindRole, r.ID, s.t) {
			return nil
		}
		return []Finding{{
			Weight: 1, Objects: []Object{{model.KindRole, r.ID}},
			says:    func(*search) string { return "Nobody has the role “" + r.Name + "”, nor one that builds on it." },
			repairs: func(s *search) []Repair { return s.deletion(model.KindRole, r.ID) },
		}}
	})
}

func unusedSets(s *search) []Finding {
	return each(len(s.d.Sets), func(i int) []Finding {
		o := s.d.Sets[i]
		if model.BuiltIn(model.KindSet, o.ID) || s.x.HasHolders(model.KindSet, o.ID, s.t) {
			return nil
		}
		f := Finding{
			Weight: 1, Objects: []Object{{model.KindSet, o.ID}},
			says: func(*search) string {
				return "Nobody has the permission set “" + o.Name + "”, by itself or by a role."
			},
		}
		if o.System == "" { // what is supplied stays
			f.repairs = func(s *search) []Repair { return s.deletion(model.KindSet, o.ID) }
		}
		return []Finding{f}
	})
}

// nearRoles are pairs of active roles that give nearly the same: they have 90 of a hundred permissions in common
// (Jaccard's index of the two contents).
func nearRoles(s *search) []Finding {
	if s.same(model.KindRole, model.KindSet) {
		return slices.Clone(s.since.parts[NearRoles])
	}
	number := map[string]int{}
	type content struct {
		role  *model.Role
		size  int
		words []uint64
	}
	var all []content
	for _, r := range s.d.Roles {
		keys := s.x.Content(model.KindRole, r.ID)
		if r.State == model.Retired || len(keys) < nearFrom {
			continue
		}
		c := content{role: r, size: len(keys)}
		for _, key := range keys {
			n, known := number[key]
			if !known {
				n = len(number)
				number[key] = n
			}
			for n/64 >= len(c.words) {
				c.words = append(c.words, 0)
			}
			c.words[n/64] |= 1 << (n % 64)
		}
		all = append(all, c)
	}
	// Only roles of nearly the same size can be nearly the same.
	slices.SortFunc(all, func(a, b content) int { return a.size - b.size })
	return each(len(all), func(i int) (out []Finding) {
		a := all[i]
		for _, b := range all[i+1:] {
			if a.size*100 < b.size*s.Limits.Alike {
				break
			}
			both := 0
			for w := range min(len(a.words), len(b.words)) {
				both += mathbits.OnesCount64(a.words[w] & b.words[w])
			}
			either := a.size + b.size - both
			if both*100 < either*s.Limits.Alike {
				continue
			}
			first, second := a.role, b.role
			if second.ID < first.ID {
				first, second = second, first
			}
			out = append(out, Finding{
				Weight: 1, Objects: []Object{{model.KindRole, first.ID}, {model.KindRole, second.ID}},
				says: func(*search) string {
					if both < either {
						return fmt.Sprintf("“%s” and “%s” have %d of %d permissions in common.", first.Name, second.Name, both, either)
					}
					return fmt.Sprintf("“%s” and “%s” give the same %d permissions.", first.Name, second.Name, both)
				},
			})
		}
		return out
	})
}

// dangling are objects that name permissions that no catalogue has.
func dangling(s *search) (out []Finding) {
	if s.same(model.KindSet, model.KindRole, model.KindConflict, model.KindGuarantee, model.KindDelegation) {
		return slices.Clone(s.since.parts[Dangling])
	}
	s.d.EachNaming(index.KindPermission, func(o model.Object) {
		if o.Kind() == model.KindSystem {
			return
		}
		var keys []string
		model.EachMention(o, index.KindPermission, func(_, key string) {
			if _, ok := s.d.Permission(key); !ok && !strings.HasSuffix(key, model.Every) && !slices.Contains(keys, key) {
				keys = append(keys, key)
			}
		})
		if len(keys) == 0 {
			return
		}
		out = append(out, Finding{
			Weight: 1, Objects: []Object{{o.Kind(), o.Ident()}},
			says: func(*search) string {
				return fmt.Sprintf("“%s” names %s, which no catalogue has.", o.Title(), some(keys))
			},
			repairs: func(s *search) []Repair {
				gone := map[string]string{}
				for _, key := range keys {
					gone[key] = ""
				}
				after := change.Clone(o)
				for _, f := range model.Fields(o.Kind()) {
					model.Rename(after, f.Name, index.KindPermission, gone)
				}
				return []Repair{{"Take them out.", []change.Op{change.Put(s.d, after)}}}
			},
		})
	})
	return out
}

// drifted are own sets that give something else than what they were copied from gives now.
func drifted(s *search) (out []Finding) {
	for _, o := range s.d.Sets {
		if o.CopyOf == nil {
			continue
		}
		original, ok := s.d.Sets.Find(o.CopyOf.Set)
		if !ok {
			continue
		}
		mine, theirs := s.x.Closure(o.Permissions), s.x.Closure(original.Permissions)
		missing, extra := beside(theirs, mine), beside(mine, theirs)
		if len(missing)+len(extra) == 0 {
			continue
		}
		var differs []string
		if len(missing) > 0 {
			differs = append(differs, "lacks "+some(missing))
		}
		if len(extra) > 0 {
			differs = append(differs, "has besides "+some(extra))
		}
		out = append(out, Finding{
			Weight: 1, Objects: []Object{{model.KindSet, o.ID}, {model.KindSet, original.ID}},
			says: func(*search) string {
				return fmt.Sprintf("“%s”, a copy of “%s”, %s.", o.Name, original.Name, strings.Join(differs, " and "))
			},
			repairs: func(s *search) []Repair {
				after := change.Clone(o)
				after.Permissions = slices.Clone(original.Permissions)
				return []Repair{{"Make it what the original is now.", []change.Op{change.Put(s.d, after)}}}
			},
		})
	}
	return out
}

// beside gives those of a sorted list that another, which is sorted too, does not have.
func beside(list, other []string) (out []string) {
	for _, key := range list {
		if _, both := slices.BinarySearch(other, key); !both {
			out = append(out, key)
		}
	}
	return out
}

// upgradesWaiting are versions of catalogues that were brought in, and of which something is not yet as they say.
func upgradesWaiting(s *search) (out []Finding) {
	for _, c := range s.Waiting {
		r := upgrade.Compare(s.d, c)
		if len(r.Ops) == 0 {
			continue
		}
		out = append(out, Finding{
			Weight: 2, Objects: []Object{{model.KindSystem, c.System.ID}},
			says: func(*search) string {
				version := "A version"
				if r.After.Version != "" && (r.System == nil || r.After.Version != r.System.Version) {
					version = "Version " + r.After.Version
				}
				return version + " of " + r.After.Name + " was brought in, and has not been adopted."
			},
			repairs: func(s *search) []Repair {
				// The design may have moved since.
				ops := change.Compact(upgrade.Compare(s.d, c).Ops)
				if after, _ := change.Apply(s.d, ops); after == nil || len(ops) == 0 {
					return nil
				}
				return []Repair{{"Adopt it", ops}}
			},
		})
	}
	return out
}

// ownerless are roles, own sets and groups that nobody live looks after.
func ownerless(s *search) (out []Finding) {
	if s.since != nil {
		out = s.since.kept(Ownerless, func(f *Finding) bool {
			return !s.since.owned[f.Objects[0].ID] && !s.since.people[f.by]
		})
	}
	look := func(o model.Object, owner string) {
		if s.since != nil && !s.since.owned[o.Ident()] && (owner == "" || !s.since.people[owner]) ||
			owner != "" && s.x.Live(owner, s.t) {
			return
		}
		out = append(out, Finding{
			Weight: 1, Objects: []Object{{o.Kind(), o.Ident()}}, by: owner,
			says: func(s *search) string {
				if owner == "" {
					return fmt.Sprintf("The %s “%s” has no owner.", o.Kind().Word(), o.Title())
				}
				return fmt.Sprintf("The owner of the %s “%s”, %s, is not live.", o.Kind().Word(), o.Title(),
					s.name(model.KindUser, owner))
			},
		})
	}
	// In the order of their names, so that they need not be sorted.
	for _, o := range s.d.Groups {
		look(o, o.Owner)
	}
	for _, o := range s.d.Sets {
		if o.System == "" {
			look(o, o.Owner)
		}
	}
	for _, o := range s.d.Roles {
		look(o, o.Owner)
	}
	return out
}

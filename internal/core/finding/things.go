package finding

import (
	"fmt"
	"math/bits"
	"slices"
	"strings"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
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
		f := Finding{Weight: weight, Objects: []Object{{model.KindGuarantee, g.ID}}, Says: guarantee.Broken(s.v, g, breaches)}
		out = append(out, f)
	}
	return out
}

// singleHolders are critical permissions that exactly one live person holds.
func singleHolders(s *search) (out []Finding) {
	for _, key := range s.ofRisk(3) {
		var only []int
		for place := range s.risky()[key].All() {
			if only = append(only, place); len(only) > 1 {
				break
			}
		}
		if len(only) != 1 {
			continue
		}
		u := s.d.Users[only[0]]
		out = append(out, Finding{
			Weight:  2,
			Objects: []Object{{index.KindPermission, key}, {model.KindUser, u.ID}},
			Says:    fmt.Sprintf("Only %s holds %s, which is critical.", u.DisplayName, key),
		})
	}
	return out
}

func emptyGroups(s *search) (out []Finding) {
	for _, g := range s.d.Groups {
		if s.x.Size(g.ID) > 0 {
			continue
		}
		says := "Nobody is in " + g.Name + "."
		if g.Type == model.Rule {
			says = "The rule of " + g.Name + " finds nobody."
		}
		out = append(out, Finding{
			Weight: 1, Objects: []Object{{model.KindGroup, g.ID}}, Says: says,
			repairs: func() []Repair { return []Repair{s.deletion(model.KindGroup, g.ID)} },
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
	gives := map[string]bool{}
	for _, a := range s.d.Assignments {
		if a.Subject.Group != "" && (a.Until.IsZero() || s.t.Before(a.Until)) {
			gives[a.Subject.Group] = true
		}
	}
	for _, g := range s.d.Groups {
		if rests[g.ID] || s.Named[g.ID] ||
			slices.ContainsFunc(s.x.Nesting(g.ID), func(id string) bool { return gives[id] }) {
			continue
		}
		out = append(out, Finding{
			Weight: 1, Objects: []Object{{model.KindGroup, g.ID}},
			Says:    g.Name + " gives nothing, and no delegation, guarantee or series of reviews names it.",
			repairs: func() []Repair { return []Repair{s.deletion(model.KindGroup, g.ID)} },
		})
	}
	return out
}

func unheldRoles(s *search) []Finding {
	return each(len(s.d.Roles), func(i int) []Finding {
		r := s.d.Roles[i]
		if s.reaches(model.KindRole, r.ID) || s.x.HolderCount(model.KindRole, r.ID, s.t) > 0 {
			return nil
		}
		return []Finding{{
			Weight: 1, Objects: []Object{{model.KindRole, r.ID}},
			Says:    "Nobody has the role “" + r.Name + "”, nor one that builds on it.",
			repairs: func() []Repair { return []Repair{s.deletion(model.KindRole, r.ID)} },
		}}
	})
}

// reaches tells whether an assignment of a role or set itself reaches somebody live, which for most is the end of the
// question.
func (s *search) reaches(kind model.Kind, id string) bool {
	return slices.ContainsFunc(s.x.GrantsOf(kind, id), func(a *model.Assignment) bool {
		if !s.inForce(a) {
			return false
		}
		if a.Subject.User != "" {
			return s.x.Live(a.Subject.User, s.t)
		}
		return slices.ContainsFunc(s.x.Members(a.Subject.Group), func(u string) bool { return s.x.Live(u, s.t) })
	})
}

func unusedSets(s *search) []Finding {
	return each(len(s.d.Sets), func(i int) []Finding {
		o := s.d.Sets[i]
		if model.BuiltIn(model.KindSet, o.ID) || s.reaches(model.KindSet, o.ID) ||
			s.x.HolderCount(model.KindSet, o.ID, s.t) > 0 {
			return nil
		}
		f := Finding{
			Weight: 1, Objects: []Object{{model.KindSet, o.ID}},
			Says: "Nobody has the permission set “" + o.Name + "”, by itself or by a role.",
		}
		if o.System == "" { // what is supplied stays
			f.repairs = func() []Repair { return []Repair{s.deletion(model.KindSet, o.ID)} }
		}
		return []Finding{f}
	})
}

// nearRoles are pairs of active roles that give nearly the same: they have 90 of a hundred permissions in common
// (Jaccard's index of the two contents).
func nearRoles(s *search) []Finding {
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
			if a.size*100 < b.size*nearPerHundr {
				break
			}
			both := 0
			for w := range min(len(a.words), len(b.words)) {
				both += bits.OnesCount64(a.words[w] & b.words[w])
			}
			either := a.size + b.size - both
			if both*100 < either*nearPerHundr {
				continue
			}
			first, second := a.role, b.role
			if second.ID < first.ID {
				first, second = second, first
			}
			says := fmt.Sprintf("“%s” and “%s” give the same %d permissions.", first.Name, second.Name, both)
			if both < either {
				says = fmt.Sprintf("“%s” and “%s” have %d of %d permissions in common.", first.Name, second.Name, both, either)
			}
			out = append(out, Finding{
				Weight: 1, Objects: []Object{{model.KindRole, first.ID}, {model.KindRole, second.ID}}, Says: says,
			})
		}
		return out
	})
}

// dangling are objects that name permissions that no catalogue has.
func dangling(s *search) (out []Finding) {
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
			Says: fmt.Sprintf("“%s” names %s, which no catalogue has.", o.Title(), some(keys)),
			repairs: func() []Repair {
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
			Says: fmt.Sprintf("“%s”, a copy of “%s”, %s.", o.Name, original.Name, strings.Join(differs, " and ")),
			repairs: func() []Repair {
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

func upgradesWaiting(s *search) (out []Finding) {
	for _, id := range s.Waiting {
		out = append(out, Finding{
			Weight: 2, Objects: []Object{{model.KindSystem, id}},
			Says: "A version of " + s.name(model.KindSystem, id) + " was brought in, and has not been taken over.",
		})
	}
	return out
}

// ownerless are roles, own sets and groups that nobody live looks after.
func ownerless(s *search) (out []Finding) {
	look := func(o model.Object, owner string) {
		if owner != "" && s.x.Live(owner, s.t) {
			return
		}
		f := Finding{Weight: 1, Objects: []Object{{o.Kind(), o.Ident()}}}
		f.Says = fmt.Sprintf("The %s “%s” has no owner.", o.Kind().Word(), o.Title())
		if owner != "" {
			f.Says = fmt.Sprintf("The owner of the %s “%s”, %s, is not live.", o.Kind().Word(), o.Title(),
				s.name(model.KindUser, owner))
		}
		out = append(out, f)
	}
	for _, o := range s.d.Sets {
		if o.System == "" {
			look(o, o.Owner)
		}
	}
	for _, o := range s.d.Roles {
		look(o, o.Owner)
	}
	for _, o := range s.d.Groups {
		look(o, o.Owner)
	}
	return out
}

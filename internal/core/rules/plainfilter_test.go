package rules

import (
	"slices"
	"strings"

	"fachwerk/internal/core/model"
)

// matchers are what the filters of random designs mean, read from RFC 7644 §3.4.2.2 and docs/semantics.md §5 by hand,
// so that the plain reading shares nothing with the filter language that it checks.
var matchers = map[string]func(p plain, u *model.User) bool{
	`title eq "gate clerk"`: func(_ plain, u *model.User) bool { return strings.EqualFold(u.JobTitle, "gate clerk") },
	`not (title pr)`:        func(_ plain, u *model.User) bool { return u.JobTitle == "" },
	// An attribute without a value matches nothing but ne.
	`title ne "Pilot" and active eq true`: func(_ plain, u *model.User) bool {
		return !strings.EqualFold(u.JobTitle, "pilot") && u.State == model.UserActive
	},
	`qualifications[type eq "CRANE" and level ge 2]`: func(_ plain, u *model.User) bool {
		return slices.ContainsFunc(u.Qualifications, func(q model.Qualification) bool {
			return strings.EqualFold(q.Type, "crane") && q.Level != nil && *q.Level >= 2
		})
	},
	// Ids count by the letter.
	`manager eq "u0" or licences eq "l1"`: func(_ plain, u *model.User) bool {
		return u.Manager == "u0" || slices.Contains(u.Licences, "l1")
	},
	`area eq "area1"`: func(p plain, u *model.User) bool { return p.area(u.Area) == "area1" },
	`state eq "locked" or userName sw "name-U1"`: func(_ plain, u *model.User) bool {
		return u.State == model.UserLocked || strings.HasPrefix(strings.ToLower(u.UserName), "name-u1")
	},
	`qualifications.level gt 1 or not (licences pr)`: func(_ plain, u *model.User) bool {
		return len(u.Licences) == 0 || slices.ContainsFunc(u.Qualifications, func(q model.Qualification) bool {
			return q.Level != nil && *q.Level > 1
		})
	},
}

// filters are the texts of all matchers.
var filters = func() (out []string) {
	for text := range matchers {
		out = append(out, text)
	}
	slices.Sort(out)
	return out
}()

func (p plain) matches(text string, u *model.User) bool {
	return u.State != model.UserDeleted && matchers[text](p, u)
}

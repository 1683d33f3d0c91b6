package change

import (
	"slices"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// TickSet gives the own set that results from giving it some permissions, or taking them away with all that cannot
// stand without them. The index is of a design that has the set.
func TickSet(x *index.Index, s *model.Set, keys []string, give bool) *model.Set {
	out := Clone(s)
	if give {
		out.Permissions = union(out.Permissions, keys)
	} else {
		out.Permissions = without(out.Permissions, x.Standing(keys))
	}
	return out
}

// TickRole gives the role that results from giving it some permissions or taking them away. What its sets and
// inherited roles give is excluded and let in again; the rest becomes and ceases to be its own. The index is of a
// design that has the role.
func TickRole(x *index.Index, r *model.Role, keys []string, give bool) *model.Role {
	out := Clone(r)
	if give {
		// An exclusion keeps out whatever needs what is excluded (§3), so all that the permissions need is let in.
		out.Excludes = without(out.Excludes, x.Closure(keys))
		given := below(x, out)
		for _, k := range keys {
			if !slices.Contains(given, k) {
				out.Permissions = union(out.Permissions, []string{k})
			}
		}
		return out
	}
	out.Permissions = without(out.Permissions, x.Standing(keys))
	given := below(x, out)
	for _, k := range keys {
		if slices.Contains(given, k) {
			out.Excludes = union(out.Excludes, []string{k})
		}
	}
	return out
}

// below gives what reaches a role from its sets, inherited roles and own permissions, before its exclusions.
func below(x *index.Index, r *model.Role) []string {
	all := x.Closure(r.Permissions)
	for _, s := range r.Sets {
		all = union(all, x.Content(model.KindSet, s))
	}
	for _, p := range r.Inherits {
		all = union(all, x.Content(model.KindRole, p))
	}
	return all
}

func union(a, b []string) []string {
	out := slices.Concat(a, b)
	slices.Sort(out)
	return slices.Compact(out)
}

func without(a, b []string) []string {
	return slices.DeleteFunc(slices.Clone(a), func(s string) bool { return slices.Contains(b, s) })
}

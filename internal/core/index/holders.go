package index

import (
	"slices"
	"time"

	"github.com/bits-and-blooms/bitset"

	"fachwerk/internal/core/model"
)

// Holders gives the live people whom a role, set or permission reaches at t, sorted by id: who is assigned the role, or one that inherits
// it; who is assigned the set, or a role that includes it; who effectively holds the permission. Nil if there is no such thing.
func (x *Index) Holders(kind model.Kind, id string, t time.Time) []string {
	all := x.holders(kind, id, t)
	if all == nil {
		return nil
	}
	out := make([]string, 0, all.Count())
	for u, ok := all.NextSet(0); ok; u, ok = all.NextSet(u + 1) {
		out = append(out, x.design.Users[u].ID)
	}
	return out
}

// HolderCount is how many people [Index.Holders] gives.
func (x *Index) HolderCount(kind model.Kind, id string, t time.Time) int {
	if all := x.holders(kind, id, t); all != nil {
		return int(all.Count())
	}
	return 0
}

func (x *Index) holders(kind model.Kind, id string, t time.Time) *bitset.BitSet {
	all := bitset.New(uint(len(x.design.Users)))
	add := func(g *grant, fits func(u int) bool) {
		if !model.In(t, g.From, g.Until) {
			return
		}
		each := func(u int) {
			if x.live(u, t) && fits(u) {
				all.Set(uint(u))
			}
		}
		if g.Subject.User != "" {
			each(x.users[g.Subject.User])
			return
		}
		x.eachMember(x.groups[g.Subject.Group], each)
	}
	anyone := func(int) bool { return true }
	switch kind {
	case model.KindRole:
		i, ok := x.design.Roles.Position(id)
		if !ok {
			return nil
		}
		for _, r := range x.heirs([]int{i}) {
			for _, g := range x.up.roles[r] {
				add(&x.grants[g], anyone)
			}
		}
	case model.KindSet:
		i, ok := x.design.Sets.Position(id)
		if !ok {
			return nil
		}
		for _, g := range x.up.sets[i] {
			add(&x.grants[g], anyone)
		}
		for _, r := range x.heirs(x.up.users[i]) {
			for _, g := range x.up.roles[r] {
				add(&x.grants[g], anyone)
			}
		}
	case KindPermission:
		p, ok := x.permissionOf[id]
		if !ok {
			return nil
		}
		for i := range x.grants {
			if x.grants[i].carried.Test(uint(p)) {
				add(&x.grants[i], func(u int) bool { return x.licensed(u).Test(uint(p)) })
			}
		}
	default:
		return nil
	}
	return all
}

// heirs gives some roles with all that inherit them, each once.
func (x *Index) heirs(roles []int) []int {
	out := slices.Clone(roles)
	seen := map[int]bool{}
	for _, r := range out {
		seen[r] = true
	}
	for i := 0; i < len(out); i++ {
		for _, r := range x.up.heirs[out[i]] {
			if !seen[r] {
				seen[r] = true
				out = append(out, r)
			}
		}
	}
	return out
}

// eachMember calls do with the number of every transitive member of a group, some perhaps twice.
func (x *Index) eachMember(group int, do func(u int)) {
	seen := map[int]bool{group: true}
	for todo := []int{group}; len(todo) > 0; {
		g := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		for _, u := range x.up.members[g] {
			do(u)
		}
		for _, c := range x.up.children[g] {
			if !seen[c] {
				seen[c] = true
				todo = append(todo, c)
			}
		}
	}
}

// Closure gives cl of some keys (§1), sorted; keys that no system has are left out.
func (x *Index) Closure(keys []string) []string { return x.keysOf(x.closure(keys)) }

// Standing gives up of some keys (§1): all that cannot stand without one of them, sorted.
func (x *Index) Standing(keys []string) []string { return x.keysOf(x.upward(keys)) }

func (x *Index) keysOf(b *bitset.BitSet) []string {
	keys := []string{}
	for p, ok := b.NextSet(0); ok; p, ok = b.NextSet(p + 1) {
		keys = append(keys, x.permissions[p].Key)
	}
	slices.Sort(keys)
	return keys
}

// Carried gives what assignments carry that are in force at t (§6), whoever has them: the widest only, sorted.
func (x *Index) Carried(assignments []*model.Assignment, t time.Time) []Holding {
	seen := map[Holding]bool{}
	for _, a := range assignments {
		i, ok := x.design.Assignments.Position(a.ID)
		if !ok || !model.In(t, a.From, a.Until) {
			continue
		}
		g := &x.grants[i]
		area := x.design.Areas[g.area].ID
		for p, ok := g.carried.NextSet(0); ok; p, ok = g.carried.NextSet(p + 1) {
			seen[Holding{x.permissions[p].Key, area, g.Reach}] = true
		}
	}
	return x.widest(sorted(seen))
}

// GrantsOf gives every assignment of a role or set, in force or not, by id.
func (x *Index) GrantsOf(kind model.Kind, id string) []*model.Assignment {
	n, ok := x.node(Node{kind, id})
	switch {
	case ok && kind == model.KindRole:
		return x.assignments(x.up.roles[n.i])
	case ok && kind == model.KindSet:
		return x.assignments(x.up.sets[n.i])
	}
	return nil
}

// GrantsOfUser gives every assignment to a user directly, by id.
func (x *Index) GrantsOfUser(user string) []*model.Assignment {
	if u, ok := x.users[user]; ok {
		return x.assignments(x.toUser[u])
	}
	return nil
}

func (x *Index) assignments(list []int) []*model.Assignment {
	out := make([]*model.Assignment, len(list))
	for i, g := range list {
		out[i] = x.grants[g].Assignment
	}
	return out
}

package rules

import (
	"reflect"
	"slices"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/repair"
)

// TestRepairsRepair asks for repairs of what people may not do. Each must be well-formed and do what it says, by
// the plain reading; and where a role or set gives the permission at all, there must be one.
func TestRepairsRepair(t *testing.T) {
	repairs, lifted, joined, assigned := 0, 0, 0, 0
	each(t, func(t *testing.T, r random, d *model.Design, x *index.Index) {
		for range 6 {
			user, key := pick(r, d.Users).ID, pick(r, allKeys(d))
			record := index.Record{Area: pick(r, append(ids("area", 6), ""))}
			found := repair.Find(x, user, key, record, now)
			u, _ := d.Users.Find(user)
			if x.Allowed(user, key, record, now) || u.State == model.UserDeleted {
				if len(found) > 0 {
					t.Errorf("%s may use %s already, or is gone, and there are %d repairs", user, key, len(found))
				}
				continue
			}
			p, _ := d.Permission(key)
			if len(x.Giving(key)) > 0 && len(found) == 0 && (p.Span != model.SpanOrganisation || record.Area == "") {
				t.Errorf("%s gives %s, and nothing repairs it for %s", x.Giving(key)[0].ID, key, user)
			}
			for _, f := range found {
				after, problems := change.Apply(d, f.Ops)
				if after == nil {
					t.Fatalf("a repair is refused: %v", problems)
				}
				if !(plain{after}).allowed(user, key, record, now) {
					t.Errorf("after %v, %s still may not use %s at %q", f.Ops, user, key, record.Area)
				}
				for _, less := range found {
					if len(less.Ops) < len(f.Ops) && part(less.Ops, f.Ops) {
						t.Errorf("%v is offered, of which %v is a part that does", f.Ops, less.Ops)
					}
				}
				others := 0
				for _, o := range d.Users {
					if o.ID != user &&
						len(index.Beyond(x, index.Compile(after).Widest(o.ID, now), x.Widest(o.ID, now))) > 0 {
						others++
					}
				}
				if others != f.Others {
					t.Errorf("by a repair %d others gain, told are %d", others, f.Others)
				}
				if slices.ContainsFunc(f.Extra, func(h index.Holding) bool { return h.Permission == key }) {
					t.Errorf("what is asked for is told as an extra: %v", f.Extra)
				}
				repairs++
				switch first := f.Ops[0]; {
				case first.Before == nil:
					assigned++
				case first.Kind == model.KindGroup:
					joined++
				default:
					lifted++
				}
			}
			if !slices.IsSortedFunc(found, func(a, b repair.Repair) int { return a.Others - b.Others }) {
				t.Error("a repair by which more others gain stands before one by which fewer do")
			}
		}
	})
	if designs >= 150 && (repairs < 500 || lifted < 50 || joined < 25 || assigned < 50) {
		t.Errorf(
			"%d repairs, %d lifted, %d joined and %d assigned: too few to prove anything",
			repairs,
			lifted,
			joined,
			assigned,
		)
	}
}

// part tells whether some operations are all among others.
func part(ops, of []change.Op) bool {
	return !slices.ContainsFunc(ops, func(o change.Op) bool {
		return !slices.ContainsFunc(of, func(p change.Op) bool { return reflect.DeepEqual(o, p) })
	})
}

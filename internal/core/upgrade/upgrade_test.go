package upgrade

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

func permission(key string, alter ...func(p *model.Permission)) *model.Permission {
	p := &model.Permission{Key: key, Class: model.Read, Span: model.SpanArea}
	for _, a := range alter {
		a(p)
	}
	return p
}

func organisation() *model.Design {
	return model.Build(&model.Design{Organisation: &model.Organisation{Name: "Skerryhaven"},
		Systems: model.Table[*model.System]{
			{
				ID:      "q",
				Name:    "Quaybook",
				Version: "3.9",
				Permissions: []*model.Permission{
					permission("q:gate:view"),
					permission("q:gate:open", func(p *model.Permission) { p.Class, p.Risk = model.Write, 1 }),
					permission("q:rate:edit"),
					permission("q:old:see"),
				},
			},
		},
		Sets: model.Table[*model.Set]{
			{
				ID:          "q-clerk",
				Name:        "Clerk",
				System:      "q",
				Version:     "3.9",
				Permissions: []string{"q:gate:view", "q:rate:edit"},
			},
			{ID: "q-gone", Name: "Gone", System: "q", Permissions: []string{"q:old:see"}},
			{
				ID:          "mine",
				Name:        "Mine",
				CopyOf:      &model.CopyOf{Set: "q-clerk", Version: "3.9"},
				Permissions: []string{"q:gate:view", "q:rate:edit"},
			},
			{ID: "loose", Name: "Loose", Permissions: []string{"q:old:see", "q:gate:view"}},
		},
		Roles: model.Table[*model.Role]{
			{
				ID:          "r",
				Name:        "R",
				Sets:        []string{"q-gone", "mine"},
				Permissions: []string{"q:rate:edit"},
				Excludes:    []string{"q:old:see"},
			},
			{ID: "none", Name: "None"},
		},
		Conflicts: model.Table[*model.Conflict]{
			{ID: "c", Name: "C", Items: []model.Item{{Permission: "q:rate:edit"}, {Role: "none"}}, Limit: 1},
		},
	})
}

// next is the version after: a permission comes, one goes, one is renamed, one is more dangerous; a set changes,
// one comes, one goes.
func next() *Catalogue {
	return &Catalogue{
		System: &model.System{
			ID:      "q",
			Name:    "Quaybook",
			Version: "3.10",
			Permissions: []*model.Permission{
				permission("q:gate:view"),
				permission("q:gate:open", func(p *model.Permission) { p.Class, p.Risk = model.Write, 3 }),
				permission("q:tariff:edit"),
				permission("q:gate:close"),
			},
		},
		Sets: []*model.Set{
			{
				ID:          "q-clerk",
				Name:        "Clerk",
				System:      "q",
				Version:     "3.10",
				Permissions: []string{"q:gate:open", "q:tariff:edit"},
			},
			{ID: "q-new", Name: "New", System: "q", Version: "3.10", Permissions: []string{"q:gate:close"}},
		},
		Renames: map[string]string{"q:rate:edit": "q:tariff:edit", "q:ghost:see": "q:gate:view"},
	}
}

func TestCompare(t *testing.T) {
	d := organisation()
	r := Compare(d, next())
	if got := fmt.Sprint(r.New, r.Gone, r.Renamed, r.Misled, r.Downgrade,
		r.Old); got != "[q:gate:close] [q:old:see] [[q:rate:edit q:tariff:edit]] [q:ghost:see → q:gate:view] false false" {
		t.Errorf("the permissions: %s", got)
	}
	if got := fmt.Sprint(r.Altered); got != "[{q:gate:open [{risk 1 3}]}]" {
		t.Errorf("altered: %s", got)
	}
	if got := fmt.Sprint(r.Sets); got != "[{q-clerk changed [q:gate:open] [q:gate:view]} {q-gone deleted [] "+
		"[q:old:see]} {q-new added [q:gate:close] []}]" {
		t.Errorf("the sets: %s", got)
	}
	var resting []string
	for _, x := range r.Resting {
		resting = append(
			resting,
			fmt.Sprintf("%s %v %v %q %v %v", x.Object.Ident(), x.Dangling, x.Renamed, x.Original, x.Lacks, x.Keeps),
		)
	}
	if got := strings.Join(resting,
		"; "); got != `loose [q:old:see] [] "" [] []; mine [] [q:rate:edit] "q-clerk" [q:gate:open] [q:gate:view]; r [q:old:see] [q:rate:edit] "" [] []; c [] [q:rate:edit] "" [] []` {
		t.Errorf("resting on it: %s", got)
	}
	after, problems := change.Apply(d, r.Ops)
	if after == nil {
		t.Fatal(problems)
	}
	q, _ := after.Systems.Find("q")
	role, _ := after.Roles.Find("r")
	mine, _ := after.Sets.Find("mine")
	c, _ := after.Conflicts.Find("c")
	if q.Version != "3.10" || !slices.Equal(role.Sets, []string{"mine"}) ||
		!slices.Equal(role.Permissions, []string{"q:tariff:edit"}) ||
		!slices.Equal(role.Excludes, []string{"q:old:see"}) ||
		!slices.Equal(mine.Permissions, []string{"q:gate:view", "q:tariff:edit"}) ||
		c.Items[0].Permission != "q:tariff:edit" {
		t.Errorf("afterwards: %+v %+v %+v %+v", q, role, mine, c)
	}
	for _, id := range []string{"q-gone"} {
		if after.Get(model.KindSet, id) != nil {
			t.Errorf("%s is still there", id)
		}
	}
	// Taken over, it changes nothing more; and what was taken over can be undone.
	again := Compare(after, &Catalogue{System: next().System, Sets: next().Sets})
	if len(again.Ops) != 0 || len(again.New)+len(again.Gone)+len(again.Altered)+len(again.Sets) != 0 || !again.Old {
		t.Errorf("again: %+v", again)
	}
	back, problems := change.Apply(after, change.Invert(change.Compact(r.Ops)))
	if back == nil || len(change.Difference(back, d)) != 0 {
		t.Errorf("undone: %v", problems)
	}
}

func TestWithoutSets(t *testing.T) {
	c := next()
	c.Sets = nil
	r := Compare(organisation(), c)
	if got := fmt.Sprint(r.Sets); got != "[{q-gone changed [] [q:old:see]}]" {
		t.Errorf("the sets: %s", got)
	}
	after, problems := change.Apply(organisation(), r.Ops)
	if after == nil {
		t.Fatal(problems)
	}
	if s, _ := after.Sets.Find("q-clerk"); !slices.Equal(s.Permissions, []string{"q:gate:view", "q:tariff:edit"}) {
		t.Errorf("the set gives %v", s.Permissions)
	}
}

// What a table has no column for stays as it is, also with what is renamed; what it has one for and leaves empty is
// empty.
func TestWhatNothingIsSaidOf(t *testing.T) {
	d := organisation()
	q, _ := d.Systems.Find("q")
	q = change.Clone(q)
	for _, p := range q.Permissions {
		if p.Key == "q:rate:edit" {
			p.Label, p.Description, p.Module, p.Class, p.Risk, p.Span, p.Implies = "Edit rates", "All of them", "Rates",
				model.Write, 2, model.SpanOrganisation, []string{
					"q:gate:view",
					"q:old:see",
				}
		}
	}
	d = change.Lay(d, []change.Op{change.Put(d, q)})
	c := next()
	c.Silent, c.Bare = []string{"label", "description", "module", "class", "risk", "span", "licence", "implies"}, true
	c.Sets = []*model.Set{{ID: "q-clerk", Name: "q-clerk", Permissions: []string{"q:gate:open"}}}
	c.System.Name, c.System.Version = "", ""
	r := Compare(d, c)
	after, problems := change.Apply(d, r.Ops)
	if after == nil {
		t.Fatal(problems)
	}
	if s, _ := after.Systems.Find("q"); s.Name != "Quaybook" || s.Version != "3.9" || !r.Unsaid || r.Old ||
		r.Downgrade {
		t.Errorf("the system is %s %s: %+v", s.Name, s.Version, r)
	}
	p, _ := after.Permission("q:tariff:edit")
	if got := fmt.Sprint(*p); got != fmt.Sprint(
		model.Permission{
			Key:         "q:tariff:edit",
			Label:       "Edit rates",
			Description: "All of them",
			Module:      "Rates",
			Class:       model.Write,
			Risk:        2,
			Span:        model.SpanOrganisation,
			Implies:     []string{"q:gate:view"},
		},
	) {
		t.Errorf("the renamed permission is %s", got)
	}
	if s, _ := after.Sets.Find("q-clerk"); s.Name != "Clerk" || !slices.Equal(s.Permissions, []string{"q:gate:open"}) {
		t.Errorf("the set is %+v", s)
	}
	c = next()
	c.Silent = []string{"label"}
	if after, _ = change.Apply(d, Compare(d, c).Ops); after == nil {
		t.Fatal("it cannot be taken over")
	}
	if p, _ := after.Permission("q:tariff:edit"); p.Label != "Edit rates" || p.Description != "" || p.Risk != 0 ||
		p.Class != model.Read {
		t.Errorf("what is said to be empty is %+v", p)
	}
}

func TestANewSystem(t *testing.T) {
	c := &Catalogue{
		System: &model.System{
			ID:          "new",
			Name:        "New",
			Version:     "1",
			Permissions: []*model.Permission{permission("new:a:b")},
		},
		Sets: []*model.Set{{ID: "new-all", Name: "All", System: "new", Permissions: []string{"new:a:b"}}},
	}
	r := Compare(organisation(), c)
	if r.System != nil || fmt.Sprint(r.New, r.Gone, r.Sets) != "[new:a:b] [] [{new-all added [new:a:b] []}]" {
		t.Errorf("%+v", r)
	}
	if after, problems := change.Apply(organisation(), r.Ops); after == nil {
		t.Error(problems)
	}
}

func TestVersions(t *testing.T) {
	order := []string{"", "1", "1.0-beta", "1.2", "1.10", "1.10.1", "2", "10.0"}
	for i, a := range order {
		for j, b := range order {
			got := compareVersions(a, b)
			if a == b && got != 0 || i < j && got >= 0 || i > j && got <= 0 {
				t.Errorf("%q to %q is %d", a, b, got)
			}
		}
	}
}

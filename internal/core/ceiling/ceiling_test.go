package ceiling_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/ceiling"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

var now = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

// harbour is a design in which lead administers the people of the quay: by what, each test says.
func harbour(delegations ...*model.Delegation) *model.Design {
	user := func(id, department string) *model.User {
		return &model.User{ID: id, UserName: id, DisplayName: id, Department: department}
	}
	d := &model.Design{
		Licences: []*model.Licence{{ID: "full", Name: "Full"}},
		Areas:    []*model.Area{{ID: "top", Name: "Top"}, {ID: "quay", Name: "Quay", Parent: "top"}},
		Systems: []*model.System{{ID: "s", Name: "S", Permissions: []*model.Permission{
			{Key: "s:gate:view"}, {Key: "s:gate:open", Class: model.Write}, {Key: "s:rate:edit", Licence: "full"},
			{Key: "s:bank:edit", Class: model.Admin, Risk: 3},
		}}},
		Roles: []*model.Role{
			{ID: "viewer", Name: "Viewer", Permissions: []string{"s:gate:view"}},
			{ID: "opener", Name: "Opener", Permissions: []string{"s:gate:open"}},
			{ID: "rater", Name: "Rater", Permissions: []string{"s:rate:edit"}},
			{ID: "banker", Name: "Banker", Permissions: []string{"s:bank:edit", "s:gate:open"}},
		},
		Groups: []*model.Group{
			{ID: "openers", Name: "Openers"}, {ID: "bankers", Name: "Bankers"}, {ID: "deputies", Name: "Deputies"},
			{ID: "finance", Name: "Finance", Type: model.Rule, Rule: `department eq "Finance"`},
		},
		Users: []*model.User{user("lead", "Office"), user("ann", "Quay"), user("bea", "Quay"), user("cy", "Yard")},
		Assignments: []*model.Assignment{
			{ID: "a1", Subject: model.Subject{Group: "openers"}, Role: "opener"},
			{ID: "a2", Subject: model.Subject{Group: "bankers"}, Role: "banker"},
			{ID: "a3", Subject: model.Subject{Group: "finance"}, Role: "opener", Area: "quay"},
			{ID: "a4", Subject: model.Subject{User: "bea"}, Role: "rater"},
		},
		Delegations: delegations,
	}
	return model.Build(d)
}

// quay is a delegation to lead over the people of the quay.
func quay(actions ...string) *model.Delegation {
	return &model.Delegation{
		ID: "quay", Name: "Quay", Delegate: model.Subject{User: "lead"},
		People: model.People{Filter: `department eq "Quay"`}, Actions: actions,
	}
}

// told puts a ceiling into lines: what, how, and the way there.
func told(c *ceiling.Ceiling) (out []string) {
	for _, b := range c.Bricks {
		how := "beyond"
		if b.Held {
			how = "held"
		} else if b.Listed {
			how = "listed"
		}
		var way []string
		for _, s := range b.Chain {
			way = append(way, strings.TrimSpace(fmt.Sprint(s.By, " ", s.Action, " ", s.Person, " ", s.ID)))
		}
		out = append(out, fmt.Sprintf("%s at %s %s: %s", b.Permission, b.Area, how, strings.Join(way, ", ")))
	}
	return out
}

func TestCeilings(t *testing.T) {
	with := func(g *model.Delegation, alter func(g *model.Delegation)) *model.Delegation {
		alter(g)
		return g
	}
	whole := func(groups ...string) func(g *model.Delegation) {
		return func(g *model.Delegation) { g.Groups, g.GroupsWhole = groups, true }
	}
	deputies := &model.Delegation{
		ID: "deputies", Name: "Deputies", Delegate: model.Subject{Group: "deputies"}, People: model.People{Area: "top"},
		Actions: []string{delegation.Membership}, Groups: []string{"openers"}, GroupsWhole: true,
	}
	for name, c := range map[string]struct {
		delegations []*model.Delegation
		want        []string
	}{
		"what is listed can be assigned, within the area": {
			[]*model.Delegation{with(quay(delegation.Assign), func(g *model.Delegation) {
				g.Roles, g.Area = []string{"viewer"}, "quay"
			})},
			[]string{"s:gate:view at quay listed: lead assign ann viewer"},
		},
		"what puts others above the delegate cannot": {
			[]*model.Delegation{with(quay(delegation.Assign), func(g *model.Delegation) { g.Roles = []string{"banker"} })},
			nil,
		},
		"a group that is not handed over whole gives what could be assigned": {
			[]*model.Delegation{with(quay(delegation.Membership), func(g *model.Delegation) { g.Groups = []string{"openers"} })},
			nil,
		},
		"one that is gives whatever it gives": {
			[]*model.Delegation{with(quay(delegation.Membership), whole("openers"))},
			[]string{"s:gate:open at top beyond: lead membership ann openers"},
		},
		"but not what would put its members above the delegate": {
			[]*model.Delegation{with(quay(delegation.Membership), whole("bankers"))}, nil,
		},
		"a rule that the people of the delegation can never meet lets nobody in": {
			[]*model.Delegation{with(quay(delegation.Membership, delegation.Edit), whole("finance"))}, nil,
		},
		"one that they can, does": {
			[]*model.Delegation{with(quay(delegation.Membership, delegation.Edit), func(g *model.Delegation) {
				whole("finance")(g)
				g.People = model.People{Area: "top"}
			})},
			[]string{"s:gate:open at quay beyond: lead membership ann finance"},
		},
		"nobody comes by a rule whose attributes cannot be set": {
			[]*model.Delegation{with(quay(delegation.Membership, delegation.Move), func(g *model.Delegation) {
				whole("finance")(g)
				g.People = model.People{Area: "top"}
			})},
			nil,
		},
		"a seat gives what is withheld": {
			[]*model.Delegation{quay(delegation.Seat)},
			[]string{"s:rate:edit at top beyond: lead seat bea"},
		},
		"who is made a delegate acts too": {
			[]*model.Delegation{with(quay(delegation.Membership), whole("deputies")), deputies},
			[]string{"s:gate:open at top beyond: lead membership ann deputies, ann membership bea openers"},
		},
		"somebody new gets what is assigned": {
			[]*model.Delegation{with(quay(delegation.Invite, delegation.Assign), func(g *model.Delegation) {
				g.Roles, g.People = []string{"opener"}, model.People{Filter: `department eq "Nowhere"`}
			})},
			[]string{"s:gate:open at top listed: lead invite, lead assign  opener"},
		},
	} {
		d := harbour(c.delegations...)
		got := told(ceiling.Of(ahead.Of(index.Compile(d)), "lead", now))
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: got %q, want %q", name, got, c.want)
		}
	}
}

// A ceiling that is too high is lowered by a change that takes an act off the way there.
func TestLowering(t *testing.T) {
	g := quay(delegation.Membership, delegation.Seat)
	g.Groups, g.GroupsWhole = []string{"openers"}, true
	d := harbour(g)
	c := ceiling.Of(ahead.Of(index.Compile(d)), "lead", now)
	if len(c.TooHigh()) != 2 {
		t.Fatalf("the ceiling is %q", told(c))
	}
	var got []string
	for _, l := range c.Lower(func() bool { return false }) {
		got = append(got, fmt.Sprintf("%s%s whole %v: %d left", l.Action, l.Group,
			l.Op.After.(*model.Delegation).GroupsWhole, l.Left))
	}
	want := []string{" whole false: 1 left", "openers whole true: 1 left", "seat whole true: 1 left"}
	if want[0] = "whole false: 1 left"; !slices.Equal(trimmed(got), want) {
		t.Errorf("got %q, want %q", got, want)
	}
	if list := c.Lower(func() bool { return true }); len(list) != 0 {
		t.Errorf("stopped, it still tries: %v", list)
	}
	// Of a group that finds its members by a rule, the act too by which the rule is met.
	rule := quay(delegation.Membership, delegation.Edit)
	rule.Groups, rule.GroupsWhole, rule.People = []string{"finance"}, true, model.People{Area: "top"}
	low := func(d *model.Design) (out []string) {
		for _, l := range ceiling.Of(ahead.Of(index.Compile(d)), "lead", now).Lower(func() bool { return false }) {
			out = append(out, fmt.Sprintf("%s%s %s: %d left", l.Action, l.Group, l.Rule, l.Left))
		}
		return out
	}
	if got := low(harbour(rule)); !slices.Equal(got, []string{" : 0 left", "finance : 0 left", "edit : 0 left"}) {
		t.Errorf("of a group by a rule: %q", got)
	}
	// Or the attribute out of its rule, but only where that lets nobody in.
	for _, c := range []struct{ rule, left string }{
		{`department eq "Finance" or manager eq "cy"`, `manager eq "cy"`},
		{`department eq "Finance" or title sw "C" or manager eq "cy"`, `manager eq "cy"`},
		{`manager eq "cy" or (department eq "Finance" or title pr) and userName pr`, `manager eq "cy"`},
		{`department eq "Finance" and manager pr or department eq "Sales"`, ""},
		{`not (manager pr) and department eq "Finance"`, ""},
	} {
		d := harbour(rule)
		finance, _ := d.Groups.Find("finance")
		finance.Rule = c.rule
		got := slices.DeleteFunc(low(d), func(l string) bool {
			return !strings.HasPrefix(l, "finance ") || l == "finance : 0 left"
		})
		var want []string
		if c.left != "" {
			want = []string{"finance " + c.left + ": 0 left"}
		}
		if !slices.Equal(got, want) {
			t.Errorf("of the rule %s: %q", c.rule, got)
		}
	}
	// There is none for whoever changes designs anyway.
	d = harbour(g, quay(delegation.Lock))
	d.Assignments = append(d.Assignments, &model.Assignment{ID: "o", Subject: model.Subject{User: "lead"},
		Set: model.SetOwner})
	if c := ceiling.Of(ahead.Of(index.Compile(model.Build(d))), "lead", now); c.Unlimited == "" || len(c.Bricks) > 0 {
		t.Errorf("an owner's ceiling is %+v", c)
	}
}

func trimmed(list []string) (out []string) {
	for _, s := range list {
		out = append(out, strings.TrimSpace(s))
	}
	return out
}

// Whoever stands above the delegate is nobody to whom they could do anything.
func TestWhoIsAboveIsOutOfReach(t *testing.T) {
	g := quay(delegation.Assign)
	g.Roles = []string{"viewer"}
	d := harbour(g)
	d.Assignments = append(d.Assignments, &model.Assignment{ID: "b", Subject: model.Subject{User: "ann"}, Role: "banker"})
	v := ahead.Of(index.Compile(model.Build(d)))
	c := ceiling.Of(v, "lead", now)
	if got := told(c); len(got) != 1 || !strings.Contains(got[0], "lead assign bea viewer") {
		t.Errorf("got %q", got)
	}
	view := index.Holding{Permission: "s:gate:view", Area: "top", Reach: model.ReachArea}
	if !c.Contains("bea", view) || c.Contains("ann", view) || c.Contains("lead", view) || c.Contains("cy", view) {
		t.Error("it contains it of others than bea")
	}
}

// What one person lacks a licence for, and another has, is told of whoever lacks it, though one assignment gives it.
func TestOneAssignmentWithholdsSomethingElseFromEachPerson(t *testing.T) {
	d := harbour(quay(delegation.Seat))
	d.Licences = append(d.Licences, &model.Licence{ID: "tolls", Name: "Tolls"})
	system, _ := d.Systems.Find("s")
	system.Permissions = append(system.Permissions, &model.Permission{Key: "s:toll:edit", Licence: "tolls"})
	d.Roles = append(d.Roles, &model.Role{ID: "both", Name: "Both", Permissions: []string{"s:rate:edit", "s:toll:edit"}})
	d.Assignments = append(d.Assignments,
		&model.Assignment{ID: "a5", Subject: model.Subject{Group: "openers"}, Role: "both"})
	openers, _ := d.Groups.Find("openers")
	ann, _ := d.Users.Find("ann")
	bea, _ := d.Users.Find("bea")
	rater, _ := d.Assignments.Find("a4")
	rater.Subject.User = "cy"
	openers.Users, ann.Licences, bea.Licences = []string{"ann", "bea"}, []string{"full"}, []string{"tolls"}
	want := []string{"s:rate:edit at top beyond: lead seat bea", "s:toll:edit at top beyond: lead seat ann"}
	if got := told(ceiling.Of(ahead.Of(index.Compile(model.Build(d))), "lead", now)); !slices.Equal(got, want) {
		t.Errorf("got %q, want %q", got, want)
	}
}

// What is told of an assignment over more is told of one over less only if that gives nothing else: not in another
// mode, nor what puts nobody above the delegate where it counts for less.
func TestLessIsNotAlwaysAPartOfMore(t *testing.T) {
	back := func(d *model.Design, roles map[string]*model.Assignment) []string {
		for user, a := range roles {
			u, _ := d.Users.Find(user)
			if u.ID != "lead" {
				u.State = model.UserDeactivated
			}
			a.ID, a.Subject = "of-"+user, model.Subject{User: user}
			d.Assignments = append(d.Assignments, a)
		}
		return told(ceiling.Of(ahead.Of(index.Compile(model.Build(d))), "lead", now))
	}
	got := back(harbour(quay(delegation.Deactivate)), map[string]*model.Assignment{
		"ann": {Role: "opener", Mode: model.ReadOnly}, "bea": {Role: "opener", Area: "quay"},
	})
	if want := "s:gate:open at quay beyond: lead deactivate bea"; !slices.Contains(got, want) {
		t.Errorf("in another mode: %q is without %q", got, want)
	}
	got = back(harbour(quay(delegation.Deactivate, delegation.Lock)), map[string]*model.Assignment{
		"lead": {Role: "banker", Area: "quay"}, "ann": {Role: "banker"}, "bea": {Role: "banker", Area: "quay"},
	})
	if want := "s:bank:edit at quay held: lead deactivate bea"; !slices.Contains(got, want) {
		t.Errorf("where it counts for less: %q is without %q", got, want)
	}
}

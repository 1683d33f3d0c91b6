package review_test

import (
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/core/use"
)

var now = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

// design: ann and bea are in g, which has r at t1; ann has r by hand at t1 and t2 too; cy has r at t2, a set, and
// what has ended. The nested group n is in g.
func design(t *testing.T) *model.Design {
	t.Helper()
	ended := now.AddDate(0, 0, -1)
	user := func(id, manager, title string) *model.User {
		return &model.User{
			ID:          id,
			UserName:    id,
			DisplayName: strings.ToUpper(id),
			Manager:     manager,
			JobTitle:    title,
			Department:  "D",
		}
	}
	people := []*model.User{
		user("ann", "bea", "clerk"),
		user("bea", "", "clerk"),
		user("cy", "lou", "clerk"),
		user("dan", "", "clerk"),
		user("eve", "", "clerk"),
		user("lou", "", "lead"),
	}
	people[5].State = model.UserLocked
	d := &model.Design{
		Organisation: &model.Organisation{Name: "N"},
		Areas: model.Table[*model.Area]{
			{ID: "top", Name: "Top"},
			{ID: "t1", Name: "T1", Parent: "top"},
			{ID: "t2", Name: "T2", Parent: "top"},
		},
		Systems: model.Table[*model.System]{
			{
				ID:   "s",
				Name: "S",
				Permissions: []*model.Permission{
					{Key: "s:gate:view"},
					{Key: "s:gate:open", Class: model.Write, Risk: 3, Implies: []string{"s:gate:view"}},
				},
			},
			{ID: "z", Name: "Z", Permissions: []*model.Permission{{Key: "z:list:view"}}},
		},
		Sets: model.Table[*model.Set]{{ID: "look", Name: "Look", Permissions: []string{"z:list:view"}, Owner: "eve"}},
		Roles: model.Table[*model.Role]{
			{ID: "r", Name: "R", Permissions: []string{"s:gate:open"}, Owner: "dan"},
			{ID: "other", Name: "Other", Permissions: []string{"s:gate:view"}},
		},
		Groups: model.Table[*model.Group]{
			{ID: "g", Name: "G", Users: []string{"ann", "lou"}, Groups: []string{"n"}, Owner: "eve"},
			{ID: "n", Name: "Nested", Users: []string{"ann", "bea"}},
			{ID: "rule", Name: "By rule", Type: model.Rule, Rule: `title eq "clerk"`},
			{ID: "fed", Name: "Fed", Source: model.Directory, Users: []string{"ann"}},
		},
		Users: people,
		Assignments: model.Table[*model.Assignment]{
			{
				ID:      "1",
				Subject: model.Subject{User: "ann"},
				Role:    "r",
				Area:    "t1",
			}, {ID: "2", Subject: model.Subject{User: "ann"}, Role: "r", Area: "t2"},
			{ID: "3", Subject: model.Subject{Group: "g"}, Role: "r", Area: "t1"},
			{
				ID:      "4",
				Subject: model.Subject{User: "cy"},
				Role:    "r",
				Until:   ended,
			}, {ID: "5", Subject: model.Subject{User: "cy"}, Role: "other"},
			{ID: "6", Subject: model.Subject{User: "cy"}, Role: "r", Area: "t2"},
			{ID: "7", Subject: model.Subject{User: "cy"}, Set: "look"},
		},
		Conflicts: model.Table[*model.Conflict]{
			{ID: "c", Name: "C", Items: []model.Item{{Role: "r"}, {Role: "other"}}},
		},
	}
	if problems := model.Errors(model.Check(d)); len(problems) > 0 {
		t.Fatal(problems)
	}
	return model.Build(d)
}

func TestItems(t *testing.T) {
	x := index.Compile(design(t))
	byGroup := review.Item{User: "bea", Role: "r", Groups: []string{"g"}, Given: []string{"3"}}
	ann := review.Item{User: "ann", Role: "r", Direct: []string{"1", "2"}, Groups: []string{"g"}, Given: []string{"3"}}
	annAt1 := review.Item{User: "ann", Role: "r", Direct: []string{"1"}, Groups: []string{"g"}, Given: []string{"3"}}
	cyR := review.Item{User: "cy", Role: "r", Direct: []string{"6"}}
	cyOther, cyLook := review.Item{
		User:   "cy",
		Role:   "other",
		Direct: []string{"5"},
	}, review.Item{
		User:   "cy",
		Set:    "look",
		Direct: []string{"7"},
	}
	for _, c := range []struct {
		scope review.Scope
		want  []review.Item
	}{
		{review.Scope{Role: "r"}, []review.Item{ann, byGroup, cyR}},
		{review.Scope{Role: "r", Area: "t1"}, []review.Item{annAt1, byGroup}},
		{review.Scope{Role: "r", Area: "t2"}, []review.Item{{User: "ann", Role: "r", Direct: []string{"2"}}, cyR}},
		{review.Scope{}, []review.Item{ann, byGroup, cyLook, cyOther, cyR}},
		{review.Scope{Set: "look"}, []review.Item{cyLook}},
		{review.Scope{System: "z"}, []review.Item{cyLook}},
		{review.Scope{Risk: 2}, []review.Item{ann, byGroup, cyR}},
		{review.Scope{Group: "g"},
			[]review.Item{{User: "ann", Role: "r", Groups: []string{"g"}, Given: []string{"3"}}, byGroup}},
		{review.Scope{Filter: `userName sw "c"`}, []review.Item{cyLook, cyOther, cyR}},
		{review.Scope{Filter: `userName sw "c"`, System: "s", Risk: 3}, []review.Item{cyR}},
	} {
		if err := c.scope.Check(x.Design()); err != nil {
			t.Errorf("%+v: %v", c.scope, err)
		}
		if got, _ := review.Items(x, c.scope, review.Facts{}, now, nil); !reflect.DeepEqual(got, c.want) {
			t.Errorf("for %+v the items are\n%+v, want\n%+v", c.scope, got, c.want)
		}
	}
	for _, scope := range []review.Scope{{Role: "none"}, {System: "none"}, {Group: "none"}, {Area: "none"}, {Set: "none"},
		{Filter: "title qq 1"}} {
		if err := scope.Check(x.Design()); err == nil {
			t.Errorf("%+v is taken", scope)
		}
	}
}

func TestReviewer(t *testing.T) {
	x := index.Compile(design(t))
	for _, c := range []struct {
		item   review.Item
		by     review.Deciders
		others []string
		want   string
		first  bool
	}{
		// the manager
		{review.Item{User: "ann", Role: "r"}, review.Deciders{}, nil, "bea", true},
		// who has none
		{review.Item{User: "bea", Role: "r"}, review.Deciders{Fallback: "cy"}, nil, "cy", false},
		// nobody decides about themselves
		{review.Item{User: "bea", Role: "r"}, review.Deciders{Fallback: "bea"}, []string{"bea", "cy"}, "cy", false},
		// neither does who is not live
		{review.Item{User: "cy", Role: "r"}, review.Deciders{Fallback: "lou"}, []string{"", "ann"}, "ann", false},
		// of the role
		{review.Item{User: "cy", Role: "r"}, review.Deciders{By: review.ByOwner}, nil, "dan", true},
		// of the set
		{review.Item{User: "cy", Set: "look"}, review.Deciders{By: review.ByOwner}, nil, "eve", true},
		// of the group, since dan owns the role
		{review.Item{User: "dan", Role: "r", Groups: []string{"g"}}, review.Deciders{By: review.ByOwner}, nil, "eve", true},
		{review.Item{User: "cy", Role: "r"}, review.Deciders{By: review.ByPerson, Person: "eve"}, nil, "eve", true},
		{review.Item{User: "eve", Role: "r"}, review.Deciders{By: review.ByPerson, Person: "eve", Fallback: "dan"}, nil,
			"dan", false},
		{review.Item{User: "bea", Role: "r"}, review.Deciders{}, []string{"bea"}, "", false},
	} {
		if got, first := review.NewChooser(x, now, nil, c.others...).Reviewer(c.item, c.by); got != c.want ||
			first != c.first {
			t.Errorf("%+v by %+v is for %q (%v), want %q (%v)", c.item, c.by, got, first, c.want, c.first)
		}
	}
}

func TestEvidence(t *testing.T) {
	x := index.Compile(design(t))
	uses := use.NewBook()
	weigh := func(user, role string) review.Evidence {
		scales := review.NewScales(x, uses, review.PostsOf(x, now), duty.All(x, now), now)
		return scales.Weigh(review.Item{User: user, Role: role})
	}
	if ann := weigh("ann", "r"); ann.Used || ann.Never { // nobody tells of uses of its system
		t.Errorf("about ann: %+v", ann)
	}
	uses.Note(
		use.Use{User: "ann", What: "s", At: now.AddDate(0, 0, -100)},
		use.Use{User: "bea", What: "s", At: now.AddDate(0, 0, -2)},
	)
	ann := weigh("ann", "r")
	if ann.Gives != 2 || ann.Risk != 3 || !ann.Used || ann.Never || ann.Peers != 4 || ann.Alike != 2 ||
		len(ann.Conflicts) != 0 {
		t.Errorf("about ann: %+v", ann)
	}
	if doubts := ann.Doubts(now); !slices.Equal(doubts, []string{"not used for 100 days"}) {
		t.Errorf("against ann: %q", doubts)
	}
	if doubts := weigh("bea", "r").Doubts(now); len(doubts) != 0 {
		t.Errorf("against bea: %q", doubts)
	}
	cy := weigh("cy", "other")
	if cy.Used || !cy.Never || !slices.Equal(cy.Conflicts, []string{"c"}) {
		t.Errorf("about cy: %+v", cy)
	}
	if doubts := cy.Doubts(now); !slices.Equal(doubts, []string{"only 0 of 4 peers have it", "it adds to a conflict"}) {
		t.Errorf("against cy: %q", doubts)
	}
}

func TestWhatGoesAndWhatStays(t *testing.T) {
	x := index.Compile(design(t))
	holding := func(p, area string) index.Holding {
		return index.Holding{Permission: p, Area: area, Reach: model.ReachArea}
	}
	i := review.Item{User: "ann", Role: "r", Direct: []string{"1", "2"}, Given: []string{"3"}}
	goes, stays := review.Outcome(x, i, i.Direct, now)
	if want := []index.Holding{holding("s:gate:open", "t2"), holding("s:gate:view", "t2")}; !slices.Equal(goes, want) {
		t.Errorf("by the direct ones alone goes %v, want %v: at t1 the group gives it too", goes, want)
	}
	if want := []index.Holding{holding("s:gate:open", "t1"), holding("s:gate:view", "t1")}; !slices.Equal(stays, want) {
		t.Errorf("then stays %v, want %v", stays, want)
	}
	goes, stays = review.Outcome(x, i, []string{"1", "2", "3"}, now)
	if len(goes) != 4 || len(stays) != 0 {
		t.Errorf("by all goes %v and stays %v", goes, stays)
	}
}

func TestTakingOut(t *testing.T) {
	x := index.Compile(design(t))
	ops, err := review.TakePersonOut(x, "ann", "g")
	if err != nil || len(ops) != 2 || ops[0].ID != "g" || ops[1].ID != "n" {
		t.Fatalf("out of g and of what is nested in it: %+v %v", ops, err)
	}
	for _, o := range ops {
		if slices.Contains(o.After.(*model.Group).Users, "ann") {
			t.Errorf("ann is still listed in %s", o.ID)
		}
	}
	for group, says := range map[string]string{"rule": "by a rule", "fed": "directory", model.Everyone: "built in"} {
		if _, err := review.TakePersonOut(x, "ann", group); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("out of %s: %v", group, err)
		}
	}
	if ops, err := review.TakePersonOut(x, "cy", "g"); err != nil || len(ops) != 0 {
		t.Errorf("who is not in it: %v %v", ops, err)
	}
	if ops := review.TakeGrantOff(x.Design(), []string{"3", "gone"}); len(ops) != 1 || ops[0].ID != "3" ||
		ops[0].After != nil {
		t.Errorf("the grant off the group: %+v", ops)
	}
}

func TestRevokeTakesWhatIsStillThere(t *testing.T) {
	d := design(t)
	ops := review.Revoke(
		d,
		[]review.Item{
			{User: "ann", Direct: []string{"1", "gone"}, Groups: []string{"g"}},
			{User: "bea", Groups: []string{"g"}},
		},
	)
	if len(ops) != 1 || ops[0].ID != "1" || ops[0].After != nil {
		t.Errorf("the change is %+v", ops)
	}
}

package rules

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// example is a small harbour whose answers can be worked out by hand.
func example(t *testing.T) *model.Design {
	t.Helper()
	yesterday, tomorrow := now.AddDate(0, 0, -1), now.AddDate(0, 0, 1)
	d := &model.Design{
		Organisation: &model.Organisation{Name: "Example"},
		Licences: model.Table[*model.Licence]{
			{ID: "std", Name: "Standard"},
			{ID: "pro", Name: "Pro", Covers: []string{"std"}},
		},
		Areas: model.Table[*model.Area]{
			{ID: "top", Name: "Top"},
			{ID: "north", Name: "North", Parent: "top"},
			{ID: "t1", Name: "Terminal 1", Parent: "north"},
			{ID: "south", Name: "South", Parent: "top"},
		},
		Systems: model.Table[*model.System]{{ID: "berths", Name: "Berths", Permissions: []*model.Permission{
			{Key: "berths:booking:view"},
			{Key: "berths:booking:edit", Class: model.Write, Implies: []string{"berths:booking:view"}},
			{Key: "berths:booking:approve", Class: model.Write, Implies: []string{"berths:booking:edit"}},
			{Key: "berths:rate:view", Licence: "std"},
			{Key: "berths:report:view", Span: model.SpanOrganisation},
		}}},
		Sets: model.Table[*model.Set]{
			{ID: "approve", Name: "Approve", Permissions: []string{"berths:booking:approve", "berths:gone:view"}},
			{ID: "rates", Name: "Rates", Permissions: []string{"berths:rate:view"}},
			{ID: "reports", Name: "Reports", Permissions: []string{"berths:report:view"}},
			{ID: "old", Name: "Old", State: model.Retired, Permissions: []string{"berths:booking:view"}},
		},
		Roles: model.Table[*model.Role]{
			{ID: "clerk", Name: "Clerk", Sets: []string{"approve", "rates", "reports"}},
			{ID: "junior", Name: "Junior", Inherits: []string{"clerk"}, Excludes: []string{"berths:booking:edit"}},
			{ID: "retired", Name: "Retired", State: model.Retired, Sets: []string{"approve"}},
			{ID: "past", Name: "Past", Sets: []string{"old"}},
		},
		Groups: model.Table[*model.Group]{
			{
				ID:    "crew",
				Name:  "Crew",
				Users: []string{"ann"},
			}, {ID: "harbour", Name: "Harbour", Groups: []string{"crew"}},
			{ID: "pilots", Name: "Pilots", Type: model.Rule, Rule: `title eq "PILOT"`},
		},
		Users: model.Table[*model.User]{
			{
				ID:          "ann",
				UserName:    "Ann",
				DisplayName: "Ann",
				Manager:     "boss",
			}, {ID: "bea", UserName: "bea", DisplayName: "Bea", Licences: []string{"pro"}},
			{
				ID:          "boss",
				UserName:    "boss",
				DisplayName: "Boss",
			}, {ID: "cy", UserName: "cy", DisplayName: "Cy", JobTitle: "pilot", Manager: "ann"},
			{
				ID:          "dan",
				UserName:    "dan",
				DisplayName: "Dan",
				State:       model.UserLocked,
			}, {ID: "eve", UserName: "eve", DisplayName: "Eve", Until: yesterday},
		},
		Assignments: model.Table[*model.Assignment]{
			{ID: "crew-north", Subject: model.Subject{Group: "harbour"}, Role: "clerk", Area: "north"},
			{ID: "bea-junior", Subject: model.Subject{User: "bea"}, Role: "junior"},
			{ID: "boss-line", Subject: model.Subject{User: "boss"}, Set: "approve", Reach: model.ReachLine},
			{
				ID:      "pilots-read",
				Subject: model.Subject{Group: "pilots"},
				Role:    "clerk",
				Mode:    model.ReadOnly,
				Reach:   model.ReachOwn,
			},
			{ID: "dan-all", Subject: model.Subject{User: "dan"}, Role: "clerk"},
			{ID: "eve-all", Subject: model.Subject{User: "eve"}, Role: "clerk"},
			{ID: "bea-soon", Subject: model.Subject{User: "bea"}, Set: "approve", From: tomorrow},
			{ID: "bea-once", Subject: model.Subject{User: "bea"}, Role: "retired", Until: yesterday},
			{ID: "boss-past", Subject: model.Subject{User: "boss"}, Role: "past"},
			{ID: "all", Subject: model.Subject{Group: model.Public}, Set: "reports"},
			{ID: "mine", Subject: model.Subject{Group: model.Public}, Set: "rates", Reach: model.ReachOwn},
		},
	}
	if problems := model.Errors(model.Check(d)); len(problems) > 0 {
		t.Fatal(problems)
	}
	return model.Build(d)
}

func TestExampleDecisions(t *testing.T) {
	x := index.Compile(example(t))
	tomorrow := now.AddDate(0, 0, 1)
	for _, c := range []struct {
		user, permission string
		record           index.Record
		at               time.Time
		want             bool
		why              string
	}{
		{"ann", "berths:booking:view", index.Record{Area: "t1"}, now, true,
			"implied twice, through a nested group, below the area"},
		{"ann", "berths:booking:approve", index.Record{Area: "north"}, now, true, "the very area"},
		{"ann", "berths:booking:approve", index.Record{Area: "south"}, now, false, "another area"},
		{"ann", "berths:booking:approve", index.Record{}, now, false, "no area means the whole organisation"},
		{"ann", "berths:rate:view", index.Record{Area: "north"}, now, false, "no licence"},
		{"ann", "berths:report:view", index.Record{}, now, true, "signed in or not, the public holds it everywhere"},
		{"bea", "berths:rate:view", index.Record{}, now, true, "the licence is covered by another"},
		{"bea", "berths:booking:view", index.Record{}, now, true,
			"what is excluded takes what stands on it, not what it stands on"},
		{"bea", "berths:booking:approve", index.Record{}, now, false, "it cannot stand without what is excluded"},
		{"bea", "berths:booking:approve", index.Record{}, tomorrow, true, "from is part of the time"},
		{"boss", "berths:booking:edit", index.Record{Owner: "cy"}, now, true, "two below in the line"},
		{"boss", "berths:booking:edit", index.Record{Owner: "boss"}, now, true, "one is in one's own line"},
		{"boss", "berths:booking:edit", index.Record{Owner: "bea"}, now, false, "not in the line"},
		{"boss", "berths:booking:edit", index.Record{}, now, false, "nobody's record"},
		{"cy", "berths:booking:view", index.Record{Owner: "cy"}, now, true, "own record, read"},
		{"cy", "berths:booking:edit", index.Record{Owner: "cy"}, now, false, "read-only"},
		{"dan", "berths:booking:view", index.Record{}, now, false, "locked"},
		{"eve", "berths:booking:view", index.Record{}, now, false, "validity over"},
		{"eve", "berths:booking:view", index.Record{}, now.AddDate(0, 0, -2), true, "validity not over then"},
		{index.Anonymous, "berths:report:view", index.Record{}, now, true, "public"},
		{index.Anonymous, "berths:rate:view", index.Record{Owner: "ann"}, now, false, "nobody has records of their own"},
		{"zed", "berths:report:view", index.Record{}, now, false, "no such user"},
		{"ann", "berths:gone:view", index.Record{}, now, false, "no such permission"},
		{"ann", "berths:report:view", index.Record{Area: "nowhere"}, now, false, "no such area"},
		{"ann", "berths:report:view", index.Record{Owner: "zed"}, now, false, "no such owner"},
	} {
		if got := x.Allowed(c.user, c.permission, c.record, c.at); got != c.want {
			t.Errorf("%s: allowed(%q, %s, %+v) = %v", c.why, c.user, c.permission, c.record, got)
		}
	}
}

func TestExampleWhyNot(t *testing.T) {
	x := index.Compile(example(t))
	for _, c := range []struct {
		user, permission string
		record           index.Record
		want             []index.Obstacle
		says             string
	}{
		{"ann", "berths:booking:edit", index.Record{Area: "south"}, []index.Obstacle{index.OutOfReach}, "at North"},
		{"ann", "berths:rate:view", index.Record{Area: "north"}, []index.Obstacle{index.OutOfReach, index.NoLicence},
			"Standard"},
		{"bea", "berths:booking:approve", index.Record{},
			[]index.Obstacle{index.NotYet, index.Excluded, index.NoLonger, index.Retired}, "Junior excludes it"},
		{"cy", "berths:booking:edit", index.Record{Owner: "cy"}, []index.Obstacle{index.IsReadOnly}, "read-only"},
		{"dan", "berths:booking:edit", index.Record{}, []index.Obstacle{index.NotLive}, "locked"},
		{"eve", "berths:booking:edit", index.Record{}, []index.Obstacle{index.NotLive}, "was valid until"},
		{"boss", "berths:booking:edit", index.Record{Owner: "bea"}, []index.Obstacle{index.OutOfReach}, "own line"},
		{"boss", "berths:rate:view", index.Record{}, []index.Obstacle{index.OutOfReach, index.NoLicence}, "licence"},
		{index.Anonymous, "berths:booking:view", index.Record{}, []index.Obstacle{index.NotAssigned}, "No assignment"},
		{"zed", "berths:none:view", index.Record{Area: "nowhere"},
			[]index.Obstacle{index.UnknownUser, index.UnknownPermission, index.UnknownArea}, "no person"},
	} {
		reasons := x.WhyNot(c.user, c.permission, c.record, now)
		var got []index.Obstacle
		text := ""
		for _, r := range reasons {
			got = append(got, r.Obstacle)
			text += r.Text + " "
		}
		if !sameSet(got, c.want) {
			t.Errorf("why-not(%q, %s, %+v) = %v, want %v", c.user, c.permission, c.record, got, c.want)
		}
		if !strings.Contains(text, c.says) {
			t.Errorf("why-not(%q, %s) says %q, which lacks %q", c.user, c.permission, text, c.says)
		}
	}
	// Nearest first: what is given from tomorrow on lacks one thing only, what was given long ago by a retired role
	// lacks more.
	reasons := x.WhyNot("bea", "berths:booking:approve", index.Record{}, now)
	if last := reasons[len(reasons)-1].Obstacle; last != index.Retired && last != index.NoLonger {
		t.Errorf("the furthest reason is %s", last)
	}
}

func sameSet(a, b []index.Obstacle) bool {
	a, b = slices.Clone(a), slices.Clone(b)
	slices.Sort(a)
	slices.Sort(b)
	return slices.Equal(a, b)
}

func TestExampleTrace(t *testing.T) {
	x := index.Compile(example(t))
	ways, cut := x.Trace("ann", "berths:booking:view", nil, now)
	if len(ways) != 1 || cut {
		t.Fatalf("%d ways, cut %v", len(ways), cut)
	}
	var got []string
	for _, s := range ways[0].Steps {
		got = append(got, s.ID)
	}
	want := "ann crew harbour crew-north clerk approve berths:booking:approve berths:booking:edit berths:booking:view"
	if strings.Join(got, " ") != want {
		t.Errorf("the way is %v, want %s", got, want)
	}
}

func TestOwnersHoldEveryRight(t *testing.T) {
	d := example(t)
	if owners := index.Compile(d).Owners(now); len(owners) != 0 {
		t.Errorf("a design without an owner has the owners %v", owners)
	}
	d = d.With(
		[]model.Edit{
			{
				Kind:  model.KindAssignment,
				ID:    "o",
				After: &model.Assignment{ID: "o", Subject: model.Subject{User: "ann"}, Set: model.SetOwner},
			},
		},
	)
	if owners := index.Compile(d).Owners(now); !slices.Equal(owners, []string{"ann"}) {
		t.Errorf("the owners are %v", owners)
	}
	d = d.With(
		[]model.Edit{
			{
				Kind: model.KindAssignment,
				ID:   "o",
				After: &model.Assignment{
					ID:      "o",
					Subject: model.Subject{User: "ann"},
					Set:     model.SetOwner,
					Mode:    model.ReadOnly,
				},
			},
		},
	)
	if owners := index.Compile(d).Owners(now); len(owners) != 0 {
		t.Errorf("read-only rights make the owners %v", owners)
	}
}

// BenchmarkAllowed puts the index beside the plain reading, in one run: the ratio is what counts.
func BenchmarkAllowed(b *testing.B) {
	d := newRandom(1).design(b)
	x := index.Compile(d)
	b.Run("index", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			x.Allowed("u0", "alpha:o0:a0", index.Record{Area: "area1"}, now)
		}
	})
	b.Run("plain", func(b *testing.B) {
		for b.Loop() {
			plain{d}.allowed("u0", "alpha:o0:a0", index.Record{Area: "area1"}, now)
		}
	})
}

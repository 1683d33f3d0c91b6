package finding_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/change"
	"fachwerk/internal/core/finding"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/upgrade"
	"fachwerk/internal/core/use"
	"fachwerk/internal/generate"
)

var now = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

// office is twelve clerks of one title, of whom one has by hand what no other has.
func office() *model.Design {
	d := &model.Design{
		Organisation: &model.Organisation{Name: "Office"},
		Areas:        model.Table[*model.Area]{{ID: "top", Name: "Top"}},
		Systems: model.Table[*model.System]{{ID: "s", Name: "S", Permissions: []*model.Permission{
			{Key: "s:till:open", Risk: 2}, {Key: "s:till:view"}, {Key: "s:vault:open", Risk: 3},
		}}},
		Roles: model.Table[*model.Role]{
			{ID: "till", Name: "Till", Permissions: []string{"s:till:open", "s:till:view"}, Owner: "p00"},
			{ID: "vault", Name: "Vault", Permissions: []string{"s:vault:open"}, Owner: "p00"},
		},
		Groups: model.Table[*model.Group]{
			{ID: "clerks", Name: "Clerks", Type: model.Rule, Rule: `title eq "Clerk"`, Owner: "p00"},
		},
		Assignments: model.Table[*model.Assignment]{
			{ID: "all", Subject: model.Subject{Group: "clerks"}, Role: "till"},
			{ID: "odd", Subject: model.Subject{User: "p03"}, Role: "vault"},
		},
	}
	for n := range 12 {
		id := fmt.Sprintf("p%02d", n)
		d.Users = append(
			d.Users,
			&model.User{ID: id, UserName: id, DisplayName: "Clerk " + id, JobTitle: "Clerk", Department: "Office"},
		)
	}
	return model.Build(d)
}

// ids names what is found of some kinds.
func ids(list []finding.Finding, kinds ...finding.Kind) (out []string) {
	for _, f := range list {
		for _, k := range kinds {
			if f.Kind == k {
				out = append(out, f.ID())
			}
		}
	}
	return out
}

// What stands in no design of a few people: peers, reviews, invitations, versions that wait, and what was given lately.
func TestWhatTheDesignDoesNotTell(t *testing.T) {
	d := office()
	book := use.NewBook()
	book.Note(use.Use{User: "p01", What: "s", At: now}, use.Use{User: "p02", What: "s", At: now.AddDate(0, 0, -91)})
	find := func(f finding.Facts) []finding.Finding {
		f.Uses = book
		return finding.All(ahead.Of(index.Compile(d)), f, now)
	}
	all := find(finding.Facts{})
	for kind, want := range map[finding.Kind]string{
		finding.Outlier:      "outlier user:p03 assignment:odd role:vault",
		finding.Unreviewed:   "unreviewed user:p03",
		finding.SingleHolder: "single-holder permission:s:vault:open user:p03",
	} {
		if got := ids(all, kind); len(got) != 1 || got[0] != want {
			t.Errorf("of %s is found %q, want %q", kind, got, want)
		}
	}
	if got := ids(all, finding.Dormant); len(got) != 11 { // all but who used it today
		t.Errorf("dormant are %q", got)
	}
	lately := finding.Recently{
		Users: map[string]bool{"p00": true}, Assignments: map[string]bool{"odd": true},
		Members: map[[2]string]bool{{"clerks", "p04"}: true},
	}
	got := strings.Join(ids(find(finding.Facts{Recently: lately}), finding.Dormant), "\n")
	// Who came lately is not, nor who came into the group lately; who has one thing lately and another for long is.
	if strings.Contains(got, "p00") || strings.Contains(got, "p04") || !strings.Contains(got, "p03") ||
		!strings.Contains(got, "p02") {
		t.Errorf("with what was given lately, dormant are\n%s", got)
	}
	d.Users[5].State = model.UserInvited
	s, _ := d.Systems.Find("s")
	next := change.Clone(s)
	next.Version = "next"
	more := find(finding.Facts{
		Reviewed: []finding.Reviewed{{User: "p03", Role: "vault"}},
		Waiting:  []*upgrade.Catalogue{{System: next}, {System: change.Clone(s)}}, // of which the second changes nothing
		Managed:  map[string]bool{"p06": true}, Over: map[string]string{"p05": "ran out on Monday", "p07": "came back"},
	})
	for kind, want := range map[finding.Kind]string{
		finding.UpgradeWaiting: "upgrade-waiting system:s",
		finding.NoManager:      "no-manager user:p06",
		finding.InvitationOver: "invitation-over user:p05",
	} {
		if got := ids(more, kind); len(got) != 1 || got[0] != want {
			t.Errorf("of %s is found %q, want %q", kind, got, want)
		}
	}
	at := slices.IndexFunc(more, func(f finding.Finding) bool { return f.Kind == finding.UpgradeWaiting })
	if says, repairs := more[at].Says(), more[at].Repairs(); !strings.HasPrefix(says, "Version next of ") ||
		len(repairs) != 1 || len(repairs[0].Ops) != 1 || repairs[0].Ops[0].After.(*model.System).Version != "next" {
		t.Errorf("of a version that waits is said %q, and it is mended by %+v", says, repairs)
	}
	if got := ids(more, finding.Unreviewed); len(got) != 0 {
		t.Errorf("what a review decided about is found: %q", got)
	}
	// With as many others who have it as one in twenty, or with too few peers, nobody stands out.
	few := office()
	few.Users = few.Users[:8]
	if got := ids(finding.All(ahead.Of(index.Compile(few)), finding.Facts{}, now), finding.Outlier); len(
		got,
	) != 0 {
		t.Errorf("among seven peers stands out %q", got)
	}
	two := office()
	two.Assignments = append(
		two.Assignments,
		&model.Assignment{ID: "odd2", Subject: model.Subject{User: "p04"}, Role: "vault"},
	)
	if got := ids(finding.All(ahead.Of(index.Compile(model.Build(two))), finding.Facts{}, now),
		finding.Outlier); len(
		got,
	) != 0 {
		t.Errorf("with another of eleven who has it, there stands out %q", got)
	}
}

// What mends a finding makes it go away.
func TestRepairsMend(t *testing.T) {
	d := office()
	d.Assignments = append(d.Assignments,
		&model.Assignment{ID: "too", Subject: model.Subject{User: "p01"}, Role: "till"})
	d.Groups = append(d.Groups, &model.Group{ID: "empty", Name: "Empty"})
	d.Sets = append(d.Sets, &model.Set{ID: "own", Name: "Own", Permissions: []string{"gone:a:b", "s:till:view"}})
	d = model.Build(d)
	mended := 0
	for _, f := range finding.All(ahead.Of(index.Compile(d)), finding.Facts{}, now) {
		for _, r := range f.Repairs() {
			var edits []model.Edit
			for _, o := range r.Ops {
				edits = append(edits, model.Edit{Kind: o.Kind, ID: o.ID, After: o.After})
			}
			after := d.With(edits)
			if wrong := model.Errors(model.CheckChange(d, after)); len(wrong) > 0 {
				t.Errorf("%s: %s %v", f.ID(), r.Says, wrong)
				continue
			}
			for _, g := range finding.All(ahead.Of(index.Compile(after)), finding.Facts{}, now, f.Kind) {
				if g.ID() == f.ID() {
					t.Errorf("%s is still there after %q", f.ID(), r.Says)
				}
			}
			mended++
		}
	}
	if mended < 5 {
		t.Errorf("%d repairs: too few to prove anything", mended)
	}
}

// BenchmarkAll finds all that is loose in an organisation of 100,000 people, some of whom used three of its systems
// lately.
func BenchmarkAll(b *testing.B) {
	d := generate.Design(generate.Options{Users: 100_000, Seed: 1})
	v := ahead.Of(index.Compile(d))
	r := rand.New(rand.NewPCG(1, 1))
	book := use.NewBook()
	for range 300_000 {
		book.Note(use.Use{
			User: d.Users[r.IntN(len(d.Users))].ID, What: d.Systems[1+r.IntN(3)].ID,
			At: generate.Day.AddDate(0, 0, -r.IntN(200)),
		})
	}
	b.Run("all", func(b *testing.B) {
		for range b.N {
			finding.All(v, finding.Facts{Uses: book}, generate.Day)
		}
	})
	for _, a := range finding.Kinds {
		b.Run(string(a.Kind), func(b *testing.B) {
			n := 0
			for range b.N {
				n = len(finding.All(v, finding.Facts{Uses: book}, generate.Day, a.Kind))
			}
			b.ReportMetric(float64(n), "found")
		})
	}
}

// BenchmarkNext finds what is loose after one small change, from what was found before it: somebody is given a role,
// locked, put in a group, or comes; or a role gives something more. The change itself, without the findings, is told
// beside.
func BenchmarkNext(b *testing.B) {
	d := generate.Design(generate.Options{Users: 100_000, Seed: 1})
	x := index.Compile(d)
	v := ahead.Of(x)
	book := use.NewBook()
	y := finding.Look(v, finding.Facts{Uses: book}, generate.Day)
	group := *d.Groups[1200]
	group.Users = append(slices.Clone(group.Users), d.Users[77].ID)
	locked := *d.Users[5000]
	locked.State = model.UserLocked
	role := *d.Roles[2000]
	role.Permissions = append(slices.Clone(role.Permissions), d.Systems[5].Permissions[0].Key)
	for _, c := range []struct {
		what string
		o    model.Object
	}{
		{"assign", &model.Assignment{ID: "zz", Subject: model.Subject{User: d.Users[9000].ID}, Role: d.Roles[77].ID,
			Reach: model.ReachArea, Mode: model.Full}},
		{"lock", &locked},
		{"join", &group},
		{"come", &model.User{ID: "p0zz", UserName: "p0zz", DisplayName: "A New One", Area: d.Areas[3].ID}},
		{"role", &role},
	} {
		after := d.With([]model.Edit{{Kind: c.o.Kind(), ID: c.o.Ident(), After: c.o}})
		b.Run(c.what+"/without", func(b *testing.B) {
			for range b.N {
				v.Next(x.Update(after))
			}
		})
		b.Run(c.what+"/with", func(b *testing.B) {
			for range b.N {
				y.Next(v.Next(x.Update(after)), finding.Facts{Uses: book}, generate.Day)
			}
		})
	}
}

// TestThresholds sets from when on something is loose otherwise than usual.
func TestThresholds(t *testing.T) {
	find := func(d *model.Design, l finding.Thresholds, kind finding.Kind) int {
		return len(ids(finding.All(ahead.Of(index.Compile(d)), finding.Facts{Limits: l}, now), kind))
	}
	for _, c := range []struct {
		limits finding.Thresholds
		want   int
	}{{finding.Thresholds{}, 1}, {finding.Thresholds{Peers: 11}, 1}, {finding.Thresholds{Peers: 13}, 0},
		{finding.Thresholds{Rare: 2}, 1}} {
		if got := find(office(), c.limits, finding.Outlier); got != c.want {
			t.Errorf("with %+v, %d outliers are found, want %d", c.limits, got, c.want)
		}
	}

	d := office()
	roles := model.Table[*model.Role]{{ID: "near", Name: "Near"}, {ID: "nearer", Name: "Nearer"}}
	system := &model.System{ID: "near-system", Name: "Near"}
	for i := range 10 {
		key := fmt.Sprintf("near-system:thing:act%d", i)
		system.Permissions = append(system.Permissions, &model.Permission{Key: key})
		if i < 8 {
			roles[0].Permissions = append(roles[0].Permissions, key)
		}
		roles[1].Permissions = append(roles[1].Permissions, key)
	}
	end := now.AddDate(0, 0, 45)
	d = d.With([]model.Edit{
		{Kind: model.KindSystem, ID: system.ID, After: system},
		{Kind: model.KindRole, ID: "near", After: roles[0]}, {Kind: model.KindRole, ID: "nearer", After: roles[1]},
		{Kind: model.KindAssignment, ID: "ending", After: &model.Assignment{
			ID: "ending", Subject: model.Subject{User: "p01"}, Role: "near", Reach: model.ReachArea, Mode: model.Full,
			Until: end,
		}},
	})
	for _, c := range []struct {
		limits finding.Thresholds
		kind   finding.Kind
		want   int
	}{
		{finding.Thresholds{}, finding.NearRoles, 0}, {finding.Thresholds{Alike: 80}, finding.NearRoles, 1},
		{finding.Thresholds{}, finding.Ending, 0}, {finding.Thresholds{Soon: 46}, finding.Ending, 1},
	} {
		if got := find(d, c.limits, c.kind); got != c.want {
			t.Errorf("with %+v, %d of %s are found, want %d", c.limits, got, c.kind, c.want)
		}
	}
	if since := (finding.Thresholds{Review: 10}).ReviewedSince(now); !since.Equal(now.AddDate(0, 0, -10)) {
		t.Errorf("reviews count since %v", since)
	}
}

package demo_test

import (
	"bytes"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/code"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/demo"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/exchange/modelfile"
	"fachwerk/internal/store"
)

var day = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

func design(t *testing.T, at time.Time) *model.Design {
	t.Helper()
	d, err := demo.Design(at)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func text(t *testing.T, d *model.Design) string {
	t.Helper()
	var b bytes.Buffer
	if err := modelfile.Write(&b, d, nil); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func TestTheSameEveryTime(t *testing.T) {
	if text(t, design(t, day)) != text(t, design(t, day.Add(3*time.Hour))) {
		t.Error("on one day the demo is made differently")
	}
	if text(t, design(t, day)) == text(t, design(t, day.AddDate(0, 0, 1))) {
		t.Error("the dates do not count from the day")
	}
}

// TestEveryScreenHasSomethingTrueToShow holds the demo against what it promises.
func TestEveryScreenHasSomethingTrueToShow(t *testing.T) {
	d := design(t, day)
	x := index.Compile(d)
	for what, n := range map[string]int{"people": len(d.Users), "roles": len(d.Roles), "groups": len(d.Groups),
		"sets": len(d.Sets), "areas": len(d.Areas), "systems": len(d.Systems), "conflicts": len(d.Conflicts),
		"delegations": len(d.Delegations), "licences": len(d.Licences)} {
		want := map[string]int{"people": 420, "roles": 45, "groups": 60, "sets": 106, "areas": 24, "systems": 8,
			"conflicts": 12, "delegations": 9, "licences": 5}[what]
		if n != want {
			t.Errorf("there are %d %s, want %d", n, what, want)
		}
	}
	states := map[model.UserState]int{}
	ended, seasonal := 0, 0
	for _, u := range d.Users {
		states[u.State]++
		if u.UserType == "seasonal" {
			seasonal++
		}
		if !u.Until.IsZero() && u.Until.Before(day) {
			ended++
		}
	}
	if states[model.UserInvited] < 2 || states[model.UserLocked] < 2 || states[model.UserDeactivated] < 2 ||
		ended < 2 ||
		seasonal < 5 {
		t.Errorf("the states are %v, ended %d, seasonal %d", states, ended, seasonal)
	}
	var broken []string
	for _, u := range d.Users {
		for _, v := range duty.Of(x, u.ID, day) {
			broken = append(broken, u.ID+" "+v.Conflict)
		}
	}
	if !slices.Contains(broken, "halima.corvane supplier-payment") {
		t.Errorf("the live violation is missing: %v", broken)
	}
	withheld := map[index.Obstacle]bool{}
	for _, u := range d.Users {
		bricks, _ := x.Wall(u.ID, "", day)
		for _, b := range bricks {
			if b.Withheld != "" {
				for _, r := range x.Withheld(u.ID, b.Permission.Key, day) {
					withheld[r.Obstacle] = true
				}
			}
		}
	}
	for _, o := range []index.Obstacle{index.Excluded, index.NoLonger, index.IsReadOnly, index.WholeOnly, index.NoLicence,
		index.NotLive} {
		if !withheld[o] {
			t.Errorf("nobody has a permission withheld as %s", o)
		}
	}
	if !x.Allowed(index.Anonymous, "gangway:timetable:view", index.Record{}, day) {
		t.Error("the public does not see the timetable")
	}
	var waiting []string
	unused, seats := 0, map[string]int{}
	for _, u := range d.Users {
		if slices.Contains(x.WaitsFor(u.ID, day), "hoistkeeper-seat") {
			waiting = append(waiting, u.ID)
		}
		for _, l := range u.Licences {
			seats[l]++
			system, _, _ := strings.Cut(l, "-")
			if day.Sub(u.LastUse[system]) > 90*24*time.Hour {
				unused++
			}
		}
	}
	if pool, _ := d.Licences.Find("hoistkeeper-seat"); len(waiting) != 2 || seats[pool.ID] != *pool.Seats {
		t.Errorf("of %d seats %d are taken, and these wait: %v", *pool.Seats, seats[pool.ID], waiting)
	}
	if unused != 11 {
		t.Errorf("%d seats are unused for ninety days, want 11", unused)
	}
	deep := x.GroupsOf("noor.tamsin")
	if !slices.ContainsFunc(deep, func(g index.GroupOf) bool { return g.Group == "skerryhaven-staff" && !g.Direct }) {
		t.Errorf("the nesting is flat: %v", deep)
	}
	if x.Size("storm-crew") != 0 || x.Size("crane-certified") == 0 {
		t.Error("the empty group has members, or the rule finds nobody")
	}
	leaver, _ := d.Roles.Find("invoice-writer")
	if u, ok := d.Users.Find(leaver.Owner); !ok || u.State != model.UserDeactivated {
		t.Error("no leaver owns a role")
	}
	// The training office edits qualifications and nothing else, which is told of every such delegation.
	if problems := model.Check(d); len(problems) != 2 || problems[1].Code != code.Narrower ||
		!strings.Contains(problems[0].Message, "quaybook:discount:grant") {
		t.Errorf("beside the set that drifted there are problems: %v", problems)
	}
}

func TestHistoryLeadsToThePresent(t *testing.T) {
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if err := demo.Fill(s, day); err != nil {
		t.Fatal(err)
	}
	d, revision, err := s.Design()
	if err != nil || revision != 60 {
		t.Fatalf("revision %d, %v", revision, err)
	}
	final, uses := use.Taken(design(t, day))
	if text(t, d) != text(t, final) {
		t.Error("the steps of the history do not lead to the demo organisation")
	}
	kept := 0
	if err := s.Uses(0, func(use.Use) { kept++ }); err != nil || kept != len(uses) || kept < 400 {
		t.Errorf("of %d uses %d are kept %v", len(uses), kept, err)
	}
	list, err := s.Revisions(store.Search{}, 0, 100)
	if err != nil {
		t.Fatal(err)
	}
	for i, r := range list {
		if r.Size == 0 || r.Why == "" || r.WhoName == "" || !r.At.Before(day) || i > 0 && !r.At.Before(list[i-1].At) {
			t.Errorf("revision %d is %+v", r.Number, r)
		}
	}
	past, _, err := s.DesignAt(d, len(list), day.AddDate(-1, 0, 0))
	if err != nil || len(past.Users) != len(d.Users) || text(t, past) == text(t, d) {
		t.Errorf("a year ago the design was the same: %v", err)
	}
	for _, design := range []*model.Design{past} {
		if problems := model.Errors(model.Check(design)); len(problems) > 0 {
			t.Errorf("a year ago the design was broken: %v", problems)
		}
	}
	reviews, err := s.Reviews()
	if err != nil || len(reviews) != 3 || reviews[0].Closed != nil || reviews[1].Closed == nil ||
		reviews[2].Closed == nil {
		t.Fatalf("the reviews are %+v, %v", reviews, err)
	}
	if n, err := s.Waiting("mireille.aster"); err != nil || n < 5 {
		t.Errorf("%d items wait for Mireille Aster, %v", n, err)
	}
	for _, r := range reviews[1:] {
		if ops, err := s.Change(r.Revision, 0); err != nil || len(ops) != 3 || ops[0].After != nil {
			t.Errorf("the outcome of %q is %v, %v", r.Name, ops, err)
		}
	}
}

// A demo that an earlier program made, which kept only that it is one, offers its people again.
func TestAnOldDemoOffersItsPeople(t *testing.T) {
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if err := demo.Fill(s, day); err != nil {
		t.Fatal(err)
	}
	if err := s.SetSetting("demo", "yes"); err != nil {
		t.Fatal(err)
	}
	for _, want := range []bool{true, false} {
		if renewed, err := demo.Renew(s); err != nil || renewed != want {
			t.Errorf("renewed: %v, %v, want %v", renewed, err, want)
		}
	}
	d, err := rooms.Open(s, func() time.Time { return day })
	if err != nil {
		t.Fatal(err)
	}
	page := d.SignInPage()
	if len(page.Demo) != 5 || page.DemoPassword != demo.Password {
		t.Errorf("the page offers %+v", page)
	}
	if _, err := d.SignIn(t.Context(), "signe.halloran", demo.Password, "test"); err != nil {
		t.Error(err)
	}
}

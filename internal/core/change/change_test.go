package change_test

import (
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

var now = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

// design is a small house that the tests alter.
func design(t *testing.T) *model.Design {
	t.Helper()
	d := &model.Design{
		Organisation: &model.Organisation{Name: "Small"},
		Licences:     model.Table[*model.Licence]{{ID: "seat", Name: "Seat", Seats: new(int)}},
		Areas:        model.Table[*model.Area]{{ID: "top", Name: "Top"}, {ID: "t1", Name: "Terminal 1", Parent: "top"}},
		Systems: model.Table[*model.System]{
			{
				ID:      "s",
				Name:    "S",
				Version: "1",
				Permissions: []*model.Permission{
					{Key: "s:a:view"},
					{Key: "s:a:pay", Class: model.Write, Licence: "seat"},
				},
			},
		},
		Sets: model.Table[*model.Set]{
			{ID: "supplied", Name: "Supplied", System: "s", Permissions: []string{"s:a:view"}},
			{ID: "own", Name: "Own", Permissions: []string{"s:a:view"}},
		},
		Roles: model.Table[*model.Role]{
			{ID: "clerk", Name: "Gate clerk", Sets: []string{"own"}},
			{ID: "admin", Name: "Admin", Protected: true},
		},
		Groups: model.Table[*model.Group]{{ID: "crew", Name: "Crew", Users: []string{"ann"}, Owner: "ann"}},
		Users: model.Table[*model.User]{
			{ID: "ann", UserName: "ann", DisplayName: "Ann", Manager: "bea"},
			{ID: "bea", UserName: "bea", DisplayName: "Bea"},
		},
		Assignments: model.Table[*model.Assignment]{
			{ID: "a", Subject: model.Subject{Group: "crew"}, Role: "clerk", Area: "t1"},
			{ID: "owner", Subject: model.Subject{User: "bea"}, Set: model.SetOwner},
		},
		Delegations: model.Table[*model.Delegation]{
			{
				ID:       "d",
				Name:     "Terminal people",
				Delegate: model.Subject{User: "bea"},
				People:   model.People{Area: "t1"},
				Actions:  []string{"assign"},
				Roles:    []string{"clerk"},
			},
		},
	}
	if problems := model.Errors(model.Check(d)); len(problems) > 0 {
		t.Fatal(problems)
	}
	return model.Build(d)
}

func get[T model.Object](t *testing.T, d *model.Design, kind model.Kind, id string) T {
	t.Helper()
	o, ok := d.Get(kind, id).(T)
	if !ok {
		t.Fatalf("there is no %s %s", kind, id)
	}
	return o
}

// altered is the operation that alters a copy of an object.
func altered[T model.Object](t *testing.T, d *model.Design, kind model.Kind, id string, alter func(T)) change.Op {
	c := change.Clone(get[T](t, d, kind, id))
	alter(c)
	return change.Put(d, c)
}

func TestApplyRefuses(t *testing.T) {
	d := design(t)
	stale := altered(t, d, model.KindUser, "ann", func(u *model.User) { u.JobTitle = "Clerk" })
	moved, _ := change.Apply(
		d,
		[]change.Op{altered(t, d, model.KindUser, "ann", func(u *model.User) { u.JobTitle = "Lead" })},
	)
	for _, c := range []struct {
		what string
		on   *model.Design
		ops  []change.Op
		says []string
	}{
		{"a value that is no longer so", moved, []change.Op{stale}, []string{`the person "Ann" has changed since`}},
		{"a role in use", d, []change.Op{change.Delete(d.Get(model.KindRole, "clerk"))},
			[]string{`the role "Gate clerk" cannot be deleted`, `assignment "a" (role)`,
				`delegation "Terminal people" (roles)`}},
		{"a person in use", d, []change.Op{change.Delete(d.Get(model.KindUser, "bea"))},
			[]string{`person "Ann" (manager)`, `assignment "owner" (subject)`}},
		{"what is built in", d, []change.Op{change.Delete(d.Get(model.KindSet, model.SetOwner))}, []string{"built in"}},
		{"a reference to nothing", d,
			[]change.Op{change.Put(d, &model.Role{ID: "new", Name: "New", Sets: []string{"none"}})},
			[]string{`there is no set "none"`}},
		{"a cycle", d, []change.Op{altered(t, d, model.KindUser, "bea", func(u *model.User) {
			u.Manager = "ann"
		})}, []string{"closes a cycle of managers"}},
		{"the organisation's end", d, []change.Op{change.Delete(d.Organisation)}, []string{"cannot be deleted"}},
	} {
		before := len(c.on.Users)
		after, problems := change.Apply(c.on, c.ops)
		if after != nil {
			t.Errorf("%s is applied", c.what)
		}
		text := ""
		for _, p := range problems {
			text += p.String() + "\n"
		}
		for _, want := range c.says {
			if !strings.Contains(text, want) {
				t.Errorf("%s: %q lacks %q", c.what, text, want)
			}
		}
		if len(c.on.Users) != before {
			t.Errorf("%s altered the design", c.what)
		}
	}
}

func TestDeletingWithWhatHangsOnItIsFine(t *testing.T) {
	d := design(t)
	ops := []change.Op{
		change.Delete(d.Get(model.KindRole, "clerk")),
		change.Delete(d.Get(model.KindAssignment, "a")),
		altered(t, d, model.KindDelegation, "d", func(x *model.Delegation) { x.Roles = nil }),
	}
	if after, problems := change.Apply(d, ops); after == nil || after.Get(model.KindRole, "clerk") != nil {
		t.Errorf("it is refused: %v", problems)
	}
}

func TestSuppliedAndProtectedCannotBeEdited(t *testing.T) {
	d := design(t)
	for _, c := range []struct {
		op   change.Op
		want int
	}{
		{altered(t, d, model.KindSet, "supplied", func(s *model.Set) { s.Permissions = nil }), 1},
		{change.Delete(d.Get(model.KindSet, "supplied")), 1},
		{altered(t, d, model.KindSet, "own", func(s *model.Set) { s.System = "s" }), 1},
		{change.Put(d, &model.Set{ID: "new", Name: "New", System: "s"}), 1},
		{altered(t, d, model.KindRole, "admin", func(r *model.Role) { r.Sets = []string{"own"} }), 1},
		{altered(t, d, model.KindSet, "own", func(s *model.Set) { s.Permissions = nil }), 0},
		{altered(t, d, model.KindRole, "clerk", func(r *model.Role) { r.Sets = nil }), 0},
	} {
		if got := change.SuppliedEdits([]change.Op{c.op}); len(got) != c.want {
			t.Errorf("%s %s: %v", c.op.Kind, c.op.ID, got)
		}
	}
}

func TestSentences(t *testing.T) {
	d := design(t)
	until := time.Date(2027, 4, 30, 0, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		op   change.Op
		want []string
	}{
		{altered(t, d, model.KindGroup, "crew", func(g *model.Group) {
			g.Users = []string{"bea"}
		}), []string{"Bea joins Crew", "Ann leaves Crew"}},
		{change.Put(d, &model.Assignment{ID: "n", Subject: model.Subject{User: "ann"}, Set: "own", Area: "t1",
			Reach: model.ReachOwn, Mode: model.ReadOnly, Until: until}),
			[]string{"Ann gets Own at Terminal 1, for their own records, read-only, until the end of 29 April 2027"}},
		{change.Delete(d.Get(model.KindAssignment, "a")), []string{"Crew loses Gate clerk at Terminal 1"}},
		{altered(t, d, model.KindAssignment, "a", func(a *model.Assignment) {
			a.Until = until
			a.Area = ""
		}), []string{"Crew’s Gate clerk over the whole organisation: area becomes the whole organisation, was Terminal 1; " +
			"until becomes the end of 29 April 2027"}},
		{altered(t, d, model.KindRole, "clerk", func(r *model.Role) {
			r.Sets, r.Excludes = nil, []string{"s:a:pay"}
		}), []string{"Own is taken out of Gate clerk", "s:a:pay is excluded from Gate clerk"}},
		{altered(t, d, model.KindSet, "own", func(s *model.Set) {
			s.Permissions = append(s.Permissions, "s:a:pay")
		}), []string{"s:a:pay is put into Own"}},
		{altered(t, d, model.KindUser, "ann", func(u *model.User) {
			u.Manager = ""
			u.State = model.UserLocked
		}), []string{"Ann: manager is emptied, was Bea", "Ann: state becomes “locked”, was “active”"}},
		{change.Op{Kind: model.KindUser, ID: "e", Before: &model.User{ID: "e", UserName: "e"},
			After: &model.User{ID: "e", UserName: "e", DisplayName: "Ea"}}, []string{"Ea: name becomes “Ea”"}},
		{change.Put(d, &model.User{ID: "cy", UserName: "cy", DisplayName: "Cy"}), []string{"Cy is added as a person"}},
		{change.Delete(d.Get(model.KindDelegation, "d")), []string{"Terminal people, a delegation, is deleted"}},
		{altered(t, d, model.KindSystem, "s", func(s *model.System) {
			s.Permissions = []*model.Permission{{Key: "s:a:view", Risk: 1}, {Key: "s:b:view"}}
		}), []string{"s:a:view is changed in S", "s:b:view is new in S", "s:a:pay is gone from S"}},
	} {
		var got []string
		for _, s := range change.Sentences([]change.Op{c.op}, change.NamesIn(d)) {
			got = append(got, s.String())
		}
		if strings.Join(got, "\n") != strings.Join(c.want, "\n") {
			t.Errorf("it is told as\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(c.want, "\n"))
		}
	}
}

// Of many sentences the first are told, and how many more there are: what is left of an operation, and operations.
func TestFirstSentences(t *testing.T) {
	d := design(t)
	ops := []change.Op{
		altered(
			t,
			d,
			model.KindGroup,
			"crew",
			func(g *model.Group) { g.Users = []string{"bea", "new"} },
		), // two join, one leaves
		change.Put(d, &model.User{ID: "new", UserName: "new", DisplayName: "Newcomer"}),
		altered(t, d, model.KindUser, "ann", func(u *model.User) { u.State = model.UserLocked }),
	}
	for _, c := range []struct{ most, told, more int }{{0, 0, 3}, {1, 1, 4}, {2, 2, 3}, {3, 3, 2}, {4, 4, 1}, {5, 5, 0},
		{100, 5, 0}} {
		told, more := change.FirstSentences(ops, change.NamesIn(d), c.most)
		if len(told) != c.told || more != c.more {
			t.Errorf(
				"of at most %d, %d are told and %d more counted, want %d and %d",
				c.most,
				len(told),
				more,
				c.told,
				c.more,
			)
		}
	}
	// What only a later operation names is called by its name already.
	if told, _ := change.FirstSentences(ops, change.NamesIn(d), 2); told[1].String() != "Newcomer joins Crew" &&
		told[0].String() != "Newcomer joins Crew" {
		t.Errorf("it is told as %v", told)
	}
	if all := change.Sentences(ops, change.NamesIn(d)); len(all) != 5 {
		t.Errorf("all in all there are %v", all)
	}
	if told, more := change.FirstSentences(nil, change.NamesIn(d), 5); told != nil || more != 0 {
		t.Errorf("of nothing %v is told", told)
	}
}

func TestRebase(t *testing.T) {
	d := design(t)
	titled := func(title string) change.Op {
		return altered(t, d, model.KindUser, "ann", func(u *model.User) { u.JobTitle = title })
	}
	mailed := altered(t, d, model.KindUser, "ann", func(u *model.User) { u.Email = "ann@x.example" })
	joined := altered(t, d, model.KindGroup, "crew", func(g *model.Group) { g.Users = []string{"ann", "bea"} })
	left := altered(t, d, model.KindGroup, "crew", func(g *model.Group) { g.Users = nil })
	for _, c := range []struct {
		what         string
		theirs, mine change.Op
		clashes      int
		check        func(d *model.Design) bool
	}{
		{"different fields", mailed, titled("Lead"), 0, func(d *model.Design) bool {
			u := get[*model.User](t, d, model.KindUser, "ann")
			return u.JobTitle == "Lead" && u.Email == "ann@x.example"
		}},
		{"the same field", titled("Clerk"), titled("Lead"), 1, nil},
		{"the very same", titled("Lead"), titled("Lead"), 0, func(d *model.Design) bool {
			return get[*model.User](t, d, model.KindUser, "ann").JobTitle == "Lead"
		}},
		{"one joins, one leaves", joined, left, 0, func(d *model.Design) bool {
			g := get[*model.Group](t, d, model.KindGroup, "crew")
			return len(g.Users) == 1 && g.Users[0] == "bea"
		}},
		{"edited and deleted", change.Delete(d.Get(model.KindAssignment, "a")),
			altered(t, d, model.KindAssignment, "a", func(a *model.Assignment) { a.Reason = "x" }), 1, nil},
	} {
		theirs, problems := change.Apply(d, []change.Op{c.theirs})
		if theirs == nil {
			t.Fatal(problems)
		}
		moved, clashes := change.Rebase(theirs, []change.Op{c.mine})
		if len(clashes) != c.clashes {
			t.Errorf("%s: %v", c.what, clashes)
			continue
		}
		if c.check == nil {
			continue
		}
		both, problems := change.Apply(theirs, moved)
		if both == nil {
			t.Errorf("%s: refused: %v", c.what, problems)
		} else if !c.check(both) {
			t.Errorf("%s: one of the sides is lost", c.what)
		}
	}
}

func TestImpactTellsWhatHangsOnIt(t *testing.T) {
	d := design(t)
	weigh := func(ops ...change.Op) *change.Impact {
		t.Helper()
		after, problems := change.Apply(d, ops)
		if after == nil {
			t.Fatal(problems)
		}
		return change.ImpactOf(index.Compile(d), index.Compile(after), ops, now)
	}
	if im := weigh(change.Delete(d.Get(model.KindAssignment, "owner"))); !im.Lockout || im.Losing != 1 {
		t.Errorf("taking the last owner away: %+v", im)
	}
	if im := weigh(altered(t, d, model.KindUser, "bea", func(u *model.User) { u.State = model.UserLocked })); !im.Lockout {
		t.Error("locking the last owner is no lockout")
	}
	im := weigh(
		altered(t, d, model.KindSet, "own", func(s *model.Set) { s.Permissions = append(s.Permissions, "s:a:pay") }),
	)
	if len(im.Licences) != 1 || len(im.Licences[0].Waiting) != 1 || im.Licences[0].Waiting[0] != "ann" ||
		im.Gaining != 0 {
		t.Errorf("a permission without a licence: %+v", im)
	}
	im = weigh(altered(t, d, model.KindUser, "ann", func(u *model.User) { u.Licences = []string{"seat"} }))
	if len(im.Licences) != 1 || im.Licences[0].Used != 1 || *im.Licences[0].Seats != 0 {
		t.Errorf("a seat beyond the last: %+v", im.Licences)
	}
	im = weigh(altered(t, d, model.KindRole, "clerk", func(r *model.Role) { r.Sets = nil }))
	if im.Losing != 1 || im.Lockout || len(im.Delegations) != 1 || im.Tell("ann")[0].Losses[0].Area != "t1" {
		t.Errorf("an emptied role: %+v", im)
	}
}

// One mention is enough to keep a thing from being deleted, and a change that deals with it is not refused.
func TestWhatIsReferredToStays(t *testing.T) {
	d := design(t)
	clerk := d.Get(model.KindRole, "clerk")
	var named int
	for _, r := range d.References(model.KindSet, "own") {
		named++
		if r.From.Ident() != "clerk" {
			t.Fatalf("the set is named by %s too", r.From.Ident())
		}
	}
	own := d.Get(model.KindSet, "own")
	if after, problems := change.Apply(d, []change.Op{change.Delete(own)}); named != 1 || after != nil ||
		len(problems) != 1 || problems[0].Code != "referred-to" {
		t.Errorf("with one mention it is deleted: %v", problems)
	}
	bare := change.Clone(clerk.(*model.Role))
	bare.Sets = nil
	if after, problems := change.Apply(d, []change.Op{change.Put(d, bare), change.Delete(own)}); after == nil {
		t.Errorf("dealt with, it is not deleted: %v", problems)
	}
}

// Whoever drafted a deletion is told what others changed of it meanwhile, and so is whoever changed what is gone.
func TestDeletingWhatOthersChangedClashes(t *testing.T) {
	d := design(t)
	own := d.Get(model.KindSet, "own")
	altered := change.Clone(own.(*model.Set))
	altered.Description = "not what it was"
	theirs := d.With([]model.Edit{{Kind: model.KindSet, ID: "own", After: altered}})
	if _, clashes := change.Rebase(theirs, []change.Op{change.Delete(own)}); len(clashes) != 1 ||
		!strings.Contains(clashes[0].Message, "has been changed") {
		t.Errorf("deleting what was changed: %v", clashes)
	}
	gone := d.With([]model.Edit{{Kind: model.KindSet, ID: "own"}})
	if _, clashes := change.Rebase(gone, []change.Op{{Kind: model.KindSet, ID: "own", Before: own, After: altered}}); len(
		clashes,
	) != 1 ||
		!strings.Contains(clashes[0].Message, "has been deleted") {
		t.Errorf("changing what was deleted: %v", clashes)
	}
	if ops, clashes := change.Rebase(gone, []change.Op{change.Delete(own)}); len(ops)+len(clashes) != 0 {
		t.Errorf("deleting what is gone: %v, %v", ops, clashes)
	}
}

// A conflict goes once so few of its items are left that nobody could hold too many.
func TestAConflictThatNobodyCanBreakGoes(t *testing.T) {
	for _, c := range []struct {
		limit model.Limit
		stays bool
	}{{1, true}, {2, false}} {
		d := design(t)
		conflict := &model.Conflict{ID: "c", Name: "C", Limit: c.limit, Items: []model.Item{
			{Role: "clerk"}, {Permission: "s:a:pay"}, {Permission: "s:a:view"},
		}}
		d = d.With([]model.Edit{{Kind: model.KindConflict, ID: "c", After: conflict}})
		after, problems := change.Apply(d, change.Release(d, model.KindRole, "clerk", nil))
		if after == nil {
			t.Fatal(problems)
		}
		if stays := after.Get(model.KindConflict, "c") != nil; stays != c.stays {
			t.Errorf("of three items two are left, of which one may hold %d: it stays: %v", c.limit, stays)
		}
	}
}

// Whoever is locked keeps the seat; whoever is deactivated or deleted leaves it.
func TestWhoTakesASeat(t *testing.T) {
	d := design(t)
	for state, want := range map[model.UserState]int{
		model.UserActive: 1, model.UserLocked: 1, model.UserInvited: 1, model.UserDeactivated: 0, model.UserDeleted: 0,
	} {
		u := &model.User{ID: "ann", UserName: "ann", DisplayName: "Ann", State: state, Licences: []string{"seat"}}
		seated := d.With([]model.Edit{{Kind: model.KindUser, ID: "ann", After: u}})
		if got := seated.SeatsUsed()["seat"]; got != want {
			t.Errorf("somebody %s takes %d seats, want %d", state, got, want)
		}
	}
}

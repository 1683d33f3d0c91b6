package desk_test

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/ask"
	"fachwerk/internal/desk/edit"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"

	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/store"
)

var today = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

// The people of the demo who can sign in.
var (
	signe, ruben, lucia, mireille, oona = desk.Actor{
		User: "signe.halloran",
	}, desk.Actor{
		User: "ruben.adeyemi",
	}, desk.Actor{
		User: "lucia.fenwick",
	}, desk.Actor{
		User: "mireille.aster",
	}, desk.Actor{
		User: "oona.brandvold",
	}
)

// openDemo serves the demo organisation.
func openDemo(t *testing.T) (*rooms.Desk, *store.Store) {
	t.Helper()
	return openDemoBy(t, func() time.Time { return today })
}

// openDemoBy is that, by a clock.
func openDemoBy(t *testing.T, now func() time.Time) (*rooms.Desk, *store.Store) {
	t.Helper()
	s, err := store.Open(filepath.Join(t.TempDir(), "x.db"), false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	if err := demo.Fill(s, today); err != nil {
		t.Fatal(err)
	}
	d, err := rooms.Open(s, now)
	if err != nil {
		t.Fatal(err)
	}
	return d, s
}

func rowNames(l *view.List) (out []string) {
	for _, r := range l.Rows {
		out = append(out, r.Name)
	}
	return out
}

func cell(t *testing.T, l *view.List, row, column string) view.Cell {
	t.Helper()
	c := slices.IndexFunc(l.Columns, func(c view.ListColumn) bool { return c.ID == column })
	r := slices.IndexFunc(l.Rows, func(r view.ListRow) bool { return r.ID == row })
	if c < 1 || r < 0 {
		t.Fatalf("there is no column %q or no row %q", column, row)
	}
	return l.Rows[r].Cells[c-1]
}

func TestLists(t *testing.T) {
	d, _ := openDemo(t)
	list := func(q view.Listing) *view.List {
		t.Helper()
		if q.Limit == 0 {
			q.Limit = 500
		}
		return must[*view.List](t)(d.List(signe, q))
	}
	for kind, total := range map[model.Kind]int{model.KindUser: 420, model.KindGroup: 62, model.KindRole: 45,
		model.KindSet: 106, "permission": 238, model.KindArea: 24, model.KindSystem: 8, model.KindDelegation: 9,
		model.KindConflict: 12, model.KindLicence: 5} {
		l := list(view.Listing{Kind: kind})
		if l.Total != total || l.Matching != total || len(l.Rows) != total || l.Columns[0].ID != "name" ||
			!slices.IsSortedFunc(
				l.Rows,
				func(a, b view.ListRow) int { return strings.Compare(model.Fold(a.Name), model.Fold(b.Name)) },
			) {
			t.Errorf("the list of %ss has %d, shows %d, sorted by name: want %d", kind, l.Total, len(l.Rows), total)
		}
		var all []string
		for _, c := range l.Offered {
			all = append(all, c.ID)
		}
		if full := list(view.Listing{Kind: kind, Columns: all}); len(full.Columns) != len(all)+1 ||
			len(full.Rows[0].Cells) != len(all) ||
			len(all) < len(l.Columns) {
			t.Errorf(
				"of %ss, %d columns are offered and %d come, with %d cells",
				kind,
				len(all),
				len(full.Columns)-1,
				len(full.Rows[0].Cells),
			)
		}
		// every column sorts, both ways, and can be named in a filter
		for _, c := range append(l.Columns[:1:1], l.Offered...) {
			up, down := list(
				view.Listing{Kind: kind, Sort: c.ID},
			), list(
				view.Listing{Kind: kind, Sort: c.ID, Down: true},
			)
			if len(up.Rows) != total || len(down.Rows) != total {
				t.Errorf("sorted by %s, the list of %ss loses rows", c.ID, kind)
			}
			if kind != model.KindUser {
				if f := list(view.Listing{Kind: kind, Query: c.ID + " pr"}); !f.Filter || f.Trouble != "" {
					t.Errorf("%s pr over %ss: %+v", c.ID, kind, f.Trouble)
				}
			}
		}
		for _, e := range l.Examples {
			if f := list(view.Listing{Kind: kind, Query: e}); !f.Filter || f.Trouble != "" {
				t.Errorf("the example %s over %ss: %s", e, kind, f.Trouble)
			}
		}
	}
	if l := list(view.Listing{Kind: model.KindUser, Columns: []string{"licences", "state"}}); len(l.Columns) != 3 ||
		l.Columns[1].ID != "state" ||
		l.Columns[2].ID != "licences" ||
		!l.Columns[2].Spare ||
		cell(t, l, "tomasz.oyelaran", "licences").Text != "Quaybook Standard" {
		t.Errorf("of the chosen columns come %+v", l.Columns)
	}
	if l := list(view.Listing{Kind: model.KindRole, Query: "GATE clerk"}); l.Filter ||
		!slices.Contains(rowNames(l), "Gate clerk") ||
		l.Matching >= l.Total {
		t.Errorf("by words: %v", rowNames(l))
	}
	if l := list(view.Listing{Kind: model.KindRole, Query: `holders eq 0 and risk ge 2`}); !l.Filter ||
		len(l.Rows) == 0 ||
		!slices.Contains(rowNames(l), "Storm watch") {
		t.Errorf("by a filter: %v", rowNames(l))
	}
	l := list(view.Listing{Kind: model.KindUser, Query: `title co "crane" and nonsense`})
	if !l.Filter || l.Matching != 0 || !strings.Contains(l.Trouble, "nonsense") ||
		l.At != len(`title co "crane" and `) {
		t.Errorf("a broken filter: %+v", l)
	}
	all, choice := list(view.Listing{Kind: model.KindUser}), list(view.Listing{Kind: model.KindUser, Choice: true})
	off := list(view.Listing{Kind: model.KindUser, Query: `state eq "deactivated"`})
	if off.Matching == 0 || choice.Matching != all.Matching-off.Matching {
		t.Errorf("to choose from are %d of %d people, of whom %d are deactivated", choice.Matching, all.Matching,
			off.Matching)
	}
	// A first name and the initial of a family name give somebody of such a name, not of a letter in “active”.
	for _, u := range d.Design().Users {
		first, rest, two := strings.Cut(u.DisplayName, " ")
		if !two || u.State == model.UserDeactivated || u.State == model.UserDeleted {
			continue
		}
		initial, _ := utf8.DecodeRuneInString(rest)
		l := list(view.Listing{Kind: model.KindUser, Query: first + " " + string(initial), Choice: true})
		if len(l.Rows) == 0 || !strings.HasPrefix(l.Rows[0].Name, first+" "+string(initial)) {
			t.Fatalf("%s %c gives %v", first, initial, rowNames(l))
		}
	}
	l = list(view.Listing{Kind: model.KindRole, Sort: "holders", Down: true})
	if l.Rows[0].Name != "Everyone’s basics" || cell(t, l, "basics", "holders").Text != "409" {
		t.Errorf("held most: %v", rowNames(l)[:3])
	}
	if got := cell(t, l, "gate-clerk",
		"owner"); got != (view.Cell{Text: "Mireille Aster", Kind: "user", ID: "mireille.aster"}) {
		t.Errorf("the owner of the gate clerk is %+v", got)
	}
	there := list(view.Listing{Kind: model.KindUser, Where: "terminal-1", Limit: 10, Offset: 55})
	if there.Total != 62 || len(there.Rows) != 7 {
		t.Errorf("the end of those at home at Terminal 1: %d of %d", len(there.Rows), there.Total)
	}
	if l := list(view.Listing{Kind: model.KindRole, Where: "ms-fulmar"}); slices.Contains(rowNames(l), "Gate clerk") ||
		!slices.Contains(rowNames(l), "Deck crew") {
		t.Errorf("roles that count aboard: %v", rowNames(l))
	}
	_, err := d.List(signe, view.Listing{Kind: "song", Limit: 1})
	refused(t, err, desk.NotFound, "no list")
	_, err = d.List(signe, view.Listing{Kind: model.KindRole, Sort: "colour", Limit: 1})
	refused(t, err, desk.Invalid, "no column")
	_, err = d.List(signe, view.Listing{Kind: model.KindRole, Columns: []string{"colour"}, Limit: 1})
	refused(t, err, desk.Invalid, `no column "colour" to show`)
	_, err = d.List(signe, view.Listing{Kind: model.KindRole, Where: "moon", Limit: 1})
	refused(t, err, desk.NotFound, "no area")
}

func brick(b *view.BundleSheet, key string) view.LayerBrick {
	for _, s := range b.Systems {
		for _, c := range s.Courses {
			for _, x := range c.Bricks {
				if x.Key == key {
					return x
				}
			}
		}
	}
	return view.LayerBrick{}
}

func TestRoleSheet(t *testing.T) {
	d, _ := openDemo(t)
	b := must[*view.BundleSheet](t)(d.Bundle(signe, model.KindRole, "site-manager", ""))
	if len(b.Layers) != 3 || b.Layers[0].Ref.Name != "Quaybook administrator" || b.Layers[0].Gives != 35 ||
		b.Given != 50 ||
		b.Holders != 8 ||
		len(b.Grants) != 8 ||
		!b.May ||
		b.Lock != nil {
		t.Errorf("the sheet says %+v", b)
	}
	if x := brick(b, "quaybook:tariff:publish"); x.State != "excluded" || x.Layers[0].ID != "quaybook-administrator" {
		t.Errorf("what is kept out: %+v", x)
	}
	if x := brick(b, "quaybook:gate:override"); x.State != "given" || x.Risk != 3 ||
		!slices.ContainsFunc(b.Dangerous, func(d view.LayerBrick) bool { return d.Key == x.Key }) {
		t.Errorf("what is dangerous: %+v", x)
	}
	if b := must[*view.BundleSheet](t)(d.Bundle(oona, model.KindRole, "site-manager", "")); b.May || b.Grants[0].May {
		t.Error("the auditor is offered an edit")
	}
	// Ticking: what is kept out is let in, what a layer gives is kept out, what nothing gives becomes its own.
	must[*desk.Draft](
		t,
	)(
		d.Tick(
			signe,
			model.KindRole,
			"site-manager",
			[]string{"quaybook:tariff:publish", "hoistkeeper:crane:view"},
			true,
		),
	)
	draft := must[*desk.Draft](
		t,
	)(
		d.Tick(signe, model.KindRole, "site-manager", []string{"quaybook:gate:override"}, false),
	)
	b = must[*view.BundleSheet](t)(d.Bundle(signe, model.KindRole, "site-manager", ""))
	for key, want := range map[string][2]string{"quaybook:tariff:publish": {"given", "new"},
		"hoistkeeper:crane:view": {"given", "new"}, "quaybook:gate:override": {"excluded", "cut"},
		"quaybook:gate:admit": {"given", ""}} {
		if x := brick(b, key); x.State != want[0] || x.Draft != want[1] {
			t.Errorf("%s is %s %s, want %v", key, x.State, x.Draft, want)
		}
	}
	if b.Draft != "changed" || draft.Losing == 0 ||
		!slices.Equal(b.Role.Permissions, []string{"hoistkeeper:crane:view"}) ||
		!slices.Contains(b.Role.Excludes, "quaybook:gate:override") ||
		slices.Contains(b.Role.Excludes, "quaybook:tariff:publish") {
		t.Errorf("the drafted role is %+v", b.Role)
	}
	_, err := d.Tick(signe, model.KindRole, "site-manager", []string{"quaybook:gate:override"}, false)
	refused(t, err, desk.Invalid, "already so")
	_, err = d.Tick(signe, model.KindRole, "quaybook-administrator", []string{"quaybook:gate:override"}, false)
	refused(t, err, desk.NotAllowed, "protected")
	_, err = d.Tick(signe, model.KindSet, "quaybook-gates", []string{"quaybook:gate:override"}, true)
	refused(t, err, desk.NotAllowed, "supplied")
	_, err = d.Tick(signe, model.KindRole, "site-manager", []string{"no:such:thing"}, true)
	refused(t, err, desk.NotFound, "No system has")
	whole, there := must[*view.BundleSheet](
		t,
	)(
		d.Bundle(signe, model.KindRole, "gate-clerk", ""),
	), must[*view.BundleSheet](
		t,
	)(
		d.Bundle(signe, model.KindRole, "gate-clerk", "terminal-1"),
	)
	if whole.Elsewhere != 0 || there.Elsewhere == 0 || len(there.Grants)+there.Elsewhere != len(whole.Grants) ||
		there.Holders != whole.Holders {
		t.Errorf(
			"at Terminal 1 %d grants count, %d elsewhere, of %d",
			len(there.Grants),
			there.Elsewhere,
			len(whole.Grants),
		)
	}
	_, err = d.Bundle(signe, model.KindRole, "gate-clerk", "moon")
	refused(t, err, desk.NotFound, "no area")
	if b := must[*view.BundleSheet](t)(d.Bundle(signe, model.KindSet, "quaybook-gates", "")); b.Lock == nil ||
		!strings.Contains(b.Lock.Instead, "beside it") {
		t.Errorf("the supplied set offers %+v", b.Lock)
	}
	drifted := 0
	for _, r := range must[*view.List](t)(d.List(signe,
		view.Listing{Kind: model.KindSet, Query: `origin co "copy"`, Limit: 100})).Rows {
		if b := must[*view.BundleSheet](t)(d.Bundle(signe, model.KindSet, r.ID, "")); b.Drift != nil &&
			len(b.Drift.Missing)+len(b.Drift.Extra) > 0 {
			drifted++
		}
	}
	if drifted == 0 {
		t.Error("no own set has drifted from its original")
	}
	_, err = d.Bundle(signe, model.KindRole, "none", "")
	refused(t, err, desk.NotFound, "no role")
}

func TestGroupSheet(t *testing.T) {
	d, _ := openDemo(t)
	g := must[*view.GroupSheet](t)(d.Group(signe, "north-gate-crew", ""))
	if g.Size != 22 || len(g.Members) != 22 || g.Members[0].Way != "listed" || !g.MayAdd || len(g.NestedIn) != 1 ||
		g.NestedIn[0].Name != "Gate crews" ||
		len(g.Redundant) != 4 {
		t.Errorf("the sheet says %+v", g)
	}
	if len(g.Grants) != 2 || g.Grants[0].By != nil || g.Grants[1].By == nil || g.Grants[1].By.Name != "Operations" {
		t.Errorf("its grants are %+v", g.Grants)
	}
	crews := must[*view.GroupSheet](t)(d.Group(signe, "gate-crews", ""))
	if i := slices.IndexFunc(crews.Members, func(m view.GroupMember) bool { return m.User.ID == "noor.tamsin" }); i < 0 ||
		crews.Members[i].Way != "nested" ||
		crews.Members[i].Via.Name != "Terminal 2 gate crew" {
		t.Errorf("Noor is in the gate crews by %+v", crews.Members)
	}
	if far := must[*view.GroupSheet](t)(d.Group(signe, "north-gate-crew", "ferries")); len(
		far.Grants,
	)+far.Elsewhere != 2 ||
		far.Elsewhere != 1 ||
		far.Size != 22 {
		t.Errorf("of its grants, on the ferries count %+v", far.Grants)
	}
	if rule := must[*view.GroupSheet](t)(d.Group(signe, "contractors", "")); rule.Lock == nil || rule.MayAdd ||
		rule.Members[0].Way != "rule" {
		t.Errorf("a group by rule: %+v", rule.Lock)
	}
	if all := must[*view.GroupSheet](t)(d.Group(signe, model.Everyone, "")); all.Group != nil || all.Size != 410 ||
		all.Lock == nil {
		t.Errorf("everyone: %d %+v", all.Size, all.Lock)
	}
	draft := must[*desk.Draft](t)(d.Tidy(signe, "north-gate-crew"))
	if draft.Losing != 0 || len(told(draft)) != 4 {
		t.Errorf("tidying takes away %d, %q", draft.Losing, told(draft))
	}
	must[*desk.Draft](t)(d.Cut(signe, end("user", "tomasz.oyelaran"), end("group", "north-gate-crew"), ""))
	must[*desk.Draft](t)(d.Join(signe, end("user", "noor.tamsin"), end("group", "north-gate-crew"), edit.JoinTerms{}))
	g = must[*view.GroupSheet](t)(d.Group(signe, "north-gate-crew", ""))
	marks := map[string]string{}
	for _, m := range g.Members {
		marks[m.User.ID] = m.Draft
	}
	if marks["tomasz.oyelaran"] != "cut" || marks["noor.tamsin"] != "new" || len(g.Redundant) != 0 {
		t.Errorf("the draft marks %v", marks)
	}
	_, err := d.Tidy(signe, "north-gate-crew")
	refused(t, err, desk.Conflict, "Nobody holds by hand")
	r := must[*edit.Rule](t)(d.TryRule(signe, `title eq "Gate clerk" and area eq "terminal-1"`))
	if r.Count != 21 && r.Count != 22 || r.Trouble != "" {
		t.Errorf("the rule matches %d", r.Count)
	}
	if r := must[*edit.Rule](t)(d.TryRule(signe, `títle`)); r.Trouble == "" || r.At != 0 {
		t.Errorf("a broken rule: %+v", r)
	}
	_, err = d.Group(signe, "none", "")
	refused(t, err, desk.NotFound, "no group")
}

func TestOtherSheets(t *testing.T) {
	d, _ := openDemo(t)
	a := must[*view.AreaSheet](t)(d.Area(signe, "north-harbour"))
	if len(a.Path) != 1 || len(a.Below) != 3 || a.Below[0].Depth != 1 || a.People != 141 || len(a.Here) == 0 ||
		len(a.Above) == 0 ||
		len(a.Delegations) != 1 {
		t.Errorf("the area's sheet says %+v", a)
	}
	if t1 := must[*view.AreaSheet](t)(d.Area(signe, "terminal-1")); len(t1.Contacts) != 2 {
		t.Errorf("the contacts of Terminal 1 are %+v", t1.Contacts)
	}
	s := must[*view.SystemSheet](t)(d.System(signe, "hoistkeeper"))
	if len(s.Modules) == 0 || len(s.Sets) == 0 || len(s.Roles) == 0 || len(s.Pools) != 1 ||
		*s.Pools[0].Seats != s.Pools[0].Used ||
		s.Pools[0].Lacking != 2 {
		t.Errorf("the system's sheet says %+v", s.Pools)
	}
	seats := must[*view.LicenceSheet](t)(d.Licence(signe, "gangway-till"))
	if n := seats.Pool.Idle; n == 0 || len(seats.Taken) != seats.Pool.Used || !seats.Taken[n-1].Idle ||
		seats.Taken[n].Idle ||
		seats.Taken[0].LastUse == nil ||
		n > 1 && seats.Taken[0].LastUse.After(*seats.Taken[1].LastUse) {
		t.Errorf("the seats are %+v", seats.Taken)
	}
	if full := must[*view.LicenceSheet](t)(d.Licence(signe, "hoistkeeper-seat")); len(full.Without) != 2 ||
		full.Without[0].Name > full.Without[1].Name ||
		len(full.Systems) != 1 {
		t.Errorf("without a seat go %+v", full.Without)
	}
	idle := 0
	for _, system := range []string{"quaybook", "ladingbook", "gangway"} {
		for _, p := range must[*view.SystemSheet](t)(d.System(signe, system)).Pools {
			idle += p.Idle
		}
	}
	if idle != 11 {
		t.Errorf("%d seats were not used for ninety days, want 11", idle)
	}
	p := must[*view.PermissionSheet](t)(d.Permission(signe, "quaybook:gate:override", ""))
	if p.Holders != 17 || len(p.People) != 17 || p.Risk != 3 || len(p.Implies) == 0 || len(p.Roles) == 0 ||
		len(p.Sets) == 0 ||
		p.Licence == nil {
		t.Errorf("the permission's sheet says %+v", p)
	}
	if there := must[*view.PermissionSheet](t)(d.Permission(signe, "quaybook:gate:override",
		"terminal-1")); there.Holders >= p.Holders ||
		there.Holders == 0 {
		t.Errorf("at Terminal 1 %d hold it, of %d", there.Holders, p.Holders)
	}
	broken, excepted := 0, 0
	for _, r := range must[*view.List](t)(d.List(signe, view.Listing{Kind: model.KindConflict, Limit: 50})).Rows {
		c := must[*view.ConflictSheet](t)(d.Conflict(signe, r.ID))
		for _, b := range c.Breakers {
			broken++
			if b.Excepted {
				excepted++
			}
		}
	}
	if broken < 2 || excepted != 1 {
		t.Errorf("%d conflicts are broken, %d with an exception", broken, excepted)
	}
	// a group that is handed over hands on what it holds
	for _, g := range must[[]view.DelegationSheet](t)(d.Delegations(signe)) {
		if g.Delegation.GroupsWhole && (g.Covers.Gives == 0 || g.Covers.Risk != 3 || len(g.Covers.Closed) != 0) {
			t.Errorf("%s covers %d permissions up to risk %d", g.Ref.Name, g.Covers.Gives, g.Covers.Risk)
		}
	}
	for _, err := range []error{second(d.Area(signe, "x")), second(d.System(signe, "x")),
		second(d.Permission(signe, "x:y:z", "")), second(d.Conflict(signe, "x")), second(d.Delegation(signe, "x")),
		second(d.Person(signe, "x", ""))} {
		refused(t, err, desk.NotFound, "")
	}
}

func TestCompare(t *testing.T) {
	d, _ := openDemo(t)
	rows := func(c *ask.Comparison) (keys []string) {
		for _, s := range c.Systems {
			for _, o := range s.Objects {
				for _, r := range o.Rows {
					keys = append(keys, r.Key)
				}
			}
		}
		return keys
	}
	c := must[*ask.Comparison](t)(d.Compare(signe, []string{"user:tomasz.oyelaran", "user:noor.tamsin"}, false))
	if len(c.Systems) != 1 || len(rows(c)) != 4 || c.Differ != 4 || c.Same != 28 {
		t.Errorf("Tomasz and Noor differ in %v, and have %d alike", rows(c), c.Same)
	}
	if all := must[*ask.Comparison](t)(d.Compare(signe, []string{"user:tomasz.oyelaran", "user:noor.tamsin"}, true)); len(
		rows(all),
	) != 32 {
		t.Errorf("with what is alike, these are %d rows", len(rows(all)))
	}
	if c := must[*ask.Comparison](t)(d.Compare(signe, []string{"role:invoice-clerk", "role:invoice-writer"},
		false)); c.Same == 0 ||
		len(c.Systems) > 1 {
		t.Errorf("two nearly equal roles differ in %+v", c.Systems)
	}
	// Each person at two times, beside a licence.
	licence := "licence:" + must[*view.List](t)(d.List(signe, view.Listing{Kind: model.KindLicence, Limit: 1})).Rows[0].ID
	differ := 0
	for _, u := range must[*view.List](t)(d.List(signe, view.Listing{Kind: model.KindUser, Limit: 60})).Rows {
		c = must[*ask.Comparison](
			t,
		)(
			d.Compare(signe, []string{"user:" + u.ID + "@2026-10-01", "user:" + u.ID, licence}, false),
		)
		if len(c.Things) != 3 || c.Things[0].Day != "2026-10-01" || c.Things[0].When == nil ||
			c.Things[1].When != nil ||
			c.Things[2].Permissions == 0 {
			t.Fatalf("the things are %+v", c.Things)
		}
		if c.Things[0].Permissions != c.Things[1].Permissions {
			differ++
		}
	}
	if differ == 0 {
		t.Error("nobody held anything else two months ago")
	}
	table := must[*table.Table](t)(d.CompareTable(signe, []string{"user:tomasz.oyelaran", "user:noor.tamsin"}, false))
	if len(table.Rows) != 4 || len(table.Columns) != 8 || table.Columns[7].Title != "Noor Tamsin" {
		t.Errorf("the table is %+v", table)
	}
	for things, cause := range map[string]desk.Cause{"role:x role:invoice-writer": desk.NotFound,
		"": desk.Invalid, "ship:x role:invoice-writer": desk.Invalid,
		"user:noor.tamsin@yesterday user:noor.tamsin": desk.Invalid} {
		_, err := d.Compare(signe, strings.Fields(things), false)
		refused(t, err, cause, "")
	}
}

// What counts only over the whole organisation is told before it is given at an area, and by the draft that does.
func TestWhatIsWithheldIsTold(t *testing.T) {
	d, _ := openDemo(t)
	who := []desk.End{end("user", "noor.tamsin"), end("user", "tomasz.oyelaran")}
	what := []desk.End{end("set", "quaybook-reader")}
	withheld := func(terms edit.JoinTerms) []desk.Withheld {
		t.Helper()
		return must[*edit.AssignLook](t)(d.LookAssign(signe, who, what, terms)).Withheld
	}
	if got := withheld(edit.JoinTerms{}); len(got) != 0 {
		t.Errorf("over the whole organisation, %+v is withheld", got)
	}
	at := withheld(edit.JoinTerms{Area: "terminal-2"})
	if len(at) != 1 || at[0].Grants != 2 || at[0].Target.ID != "quaybook-reader" || at[0].Count == 0 ||
		!slices.Contains(at[0].Permissions, "quaybook:integration:view") {
		t.Fatalf("at Terminal 2, %+v is withheld", at)
	}
	if own := withheld(edit.JoinTerms{Reach: "own"}); len(own) != 1 || own[0].Count != at[0].Count {
		t.Errorf("of their own records, %+v is withheld", own)
	}
	draft := must[*desk.Draft](t)(d.AssignMany(signe, who, what, edit.JoinTerms{Area: "terminal-2"}))
	if len(draft.Withheld) != 1 || draft.Withheld[0].Grants != 2 || draft.Withheld[0].Count != at[0].Count {
		t.Errorf("the draft tells %+v", draft.Withheld)
	}
}

func TestWhoCan(t *testing.T) {
	d, _ := openDemo(t)
	whoCan := func(what, where, by string) *ask.WhoCan {
		t.Helper()
		return must[*ask.WhoCan](t)(d.WhoCan(signe, ask.WhoAsk{What: what, Where: where, By: by, Limit: 100}))
	}
	one := whoCan("quaybook:gate:override", "terminal-1", "")
	if one.Total != 11 || len(one.Rows) != 11 || one.Permissions != 1 || one.What.Kind != "permission" {
		t.Fatalf("%d can override gates at Terminal 1: %+v", one.Total, one.Rows)
	}
	for _, r := range one.Rows {
		if len(r.By) == 0 || len(r.Places) == 0 || r.Permissions != 1 {
			t.Errorf("%s can, by %v at %v", r.User.Name, r.By, r.Places)
		}
	}
	if all := whoCan("quaybook:gate:override", "", ""); all.Total < one.Total {
		t.Errorf("%d can anywhere, %d at Terminal 1", all.Total, one.Total)
	}
	for what, want := range map[string][2]int{
		"quaybook:gate:override": {0, 0}, "gangway:timetable:view": {1, 1}, "gangway:timetable": {1, 1},
		"crewtide:shift:view": {0, 1}, "crewtide:shift": {0, 2},
	} {
		if got := whoCan(what, "", ""); got.Public != want[0] || got.Everyone != want[1] {
			t.Errorf("%s: %d are open to the public, %d to everyone, want %v", what, got.Public, got.Everyone, want)
		}
	}
	object, system := whoCan("quaybook:gate", "", ""), whoCan("quaybook", "", "")
	if object.What.Kind != "object" || object.Permissions < 2 || system.Permissions <= object.Permissions ||
		system.Total < object.Total ||
		object.Total < one.Total {
		t.Errorf(
			"the object has %d permissions and %d people, the system %d and %d",
			object.Permissions,
			object.Total,
			system.Permissions,
			system.Total,
		)
	}
	// What people have in common narrows to just these.
	for _, c := range one.Common {
		for _, s := range c.Share {
			if got := whoCan("quaybook:gate:override", "terminal-1", s.By); got.Shown != s.Count ||
				got.Total != one.Total {
				t.Errorf("%s is common to %d, narrowed to %d", s.By, s.Count, got.Shown)
			}
		}
	}
	table := must[*table.Table](t)(d.WhoTable(signe, ask.WhoAsk{What: "quaybook:gate:override", Where: "terminal-1"}))
	if len(table.Rows) != 11 || table.Rows[0][5] != 1 || table.Rows[0][7] == "" {
		t.Errorf("the table is %+v", table.Rows)
	}
	for _, bad := range []ask.WhoAsk{{What: "quaybook:ghost"}, {What: "ghost"}, {What: "quaybook", Where: "moon"}} {
		_, err := d.WhoCan(signe, bad)
		refused(t, err, desk.NotFound, "There is no")
	}
}

func second[T any](_ T, err error) error { return err }

func TestFinder(t *testing.T) {
	d, _ := openDemo(t)
	find := func(text string) []ask.Found { t.Helper(); return must[[]ask.Found](t)(d.Find(signe, text)) }
	for text, want := range map[string]string{
		"tomasz oye": "Tomasz Oyelaran", "gate clerk": "Gate clerk", "terminal 1": "Terminal 1",
		"quaybook:gate:override": "quaybook:gate:override", "night cov": "Night cover",
		"ticketing on all": "Ticketing on all lines", "hoistkeeper": "Hoistkeeper",
	} {
		if got := find(text); len(got) == 0 || got[0].Name != want {
			t.Errorf("%q finds first %+v, want %s", text, got[:min(len(got), 2)], want)
		}
	}
	for text, want := range map[string][2]string{
		"who can override gates at Terminal 1": {"Who can override gate (quaybook:gate:override) at " +
			"Terminal 1?", "who  quaybook:gate:override at terminal-1"},
		"who may release payments": {"Who can release payment (tallyroom:payment:release)?",
			"who  tallyroom:payment:release at "},
		"why can't Noor edit rates": {"Why can’t Noor Tamsin change booking: rate " +
			"(quaybook:booking.rate:edit)?", "person user:noor.tamsin quaybook:booking.rate:edit at "},
		"why can tomasz oyelaran override gates": {"Why can Tomasz Oyelaran override gate " +
			"(quaybook:gate:override)?", "person user:tomasz.oyelaran quaybook:gate:override at "},
		"can noor tamsin admit at terminal 2?": {"Why can Noor Tamsin admit gate (quaybook:gate:admit) at " +
			"Terminal 2?", "person user:noor.tamsin quaybook:gate:admit at terminal-2"},
		"what can Noor do": {"What can Noor Tamsin do?", "person user:noor.tamsin  at "},
		"compare Tomasz Oyelaran with Noor": {"How do Tomasz Oyelaran and Noor Tamsin differ?",
			"differences user:tomasz.oyelaran user:noor.tamsin  at "},
		"how do gate clerk, gate lead and night cover differ?": {"How do Gate clerk, Gate lead and Night cover differ?",
			"differences role:gate-clerk role:gate-lead role:night-cover  at "},
		"closest fit for export gate logs and admit gates": {"Which role fits best to export gate log " +
			"(quaybook:gate-log:export) and to admit gate (quaybook:gate:admit)?",
			"fit  quaybook:gate-log:export quaybook:gate:admit at "},
		"which role can release payments": {"Which role fits best to release payment (tallyroom:payment:release)?",
			"fit  tallyroom:payment:release at "},
	} {
		got := find(text)
		asks := ""
		if len(got) > 0 && got[0].Asks != nil {
			q := got[0].Asks
			var things []string
			for _, t := range q.Things {
				things = append(things, t.Kind+":"+t.ID)
			}
			asks = fmt.Sprintf("%s %s %s at %s", q.About, strings.Join(things, " "), strings.Join(q.Permissions, " "), q.Where)
		}
		if len(got) == 0 || got[0].Kind != "question" || got[0].Name != want[0] || asks != want[1] {
			t.Errorf("%q is answered by %+v, which asks %q, want %q", text, got[:min(len(got), 2)], asks, want)
		}
	}
	if got := find("who can override gates at Terminal 1"); got[0].Note != "11 people" {
		t.Errorf("the answer in short is %q", got[0].Note)
	}
	if got := find("compare Tomasz with Noor"); !slices.ContainsFunc(
		got[1:],
		func(f ask.Found) bool { return f.Name == "How do Tomasz Oyelaran and Noor Tamsin differ?" },
	) {
		t.Errorf("of two called Tomasz, one is not offered: %+v", got)
	}
	for _, text := range []string{"", "   ", "zzzzqq", "who can", "who can zzz", "why can't zzz edit",
		"why can't noor zzz", "compare", "compare noor", "compare noor with noor", "compare noor with zzz", "compare ?",
		"compare , and ?", "closest fit for", "closest fit for zzz", "what fits and and"} {
		if got := find(text); slices.ContainsFunc(got, func(f ask.Found) bool { return f.Kind == "question" }) {
			t.Errorf("%q is taken for a question: %+v", text, got)
		}
	}
}

func TestOtherDays(t *testing.T) {
	d, _ := openDemo(t)
	when := func(text string) desk.Actor {
		t.Helper()
		at, err := d.Instant(text)
		if err != nil {
			t.Fatal(err)
		}
		return desk.Actor{User: signe.User, When: at}
	}
	if !when("").When.IsZero() || !when("2026-11-23").When.IsZero() {
		t.Error("today is not now")
	}
	if _, err := d.Instant("soon"); err == nil {
		t.Error("no day is taken for one")
	}
	// Revision 58, on 26 October, gave Tomasz the set of his own.
	before, after := must[*view.Person](
		t,
	)(
		d.Person(when("2026-10-25"), "tomasz.oyelaran", ""),
	), must[*view.Person](
		t,
	)(
		d.Person(when("2026-10-26"), "tomasz.oyelaran", ""),
	)
	if len(before.Assignments)+1 != len(after.Assignments) || len(before.May) != 0 || before.Assignments[0].May {
		t.Errorf(
			"before he had %d by hand, after %d; offered: %v",
			len(before.Assignments),
			len(after.Assignments),
			before.May,
		)
	}
	me := must[*account.Me](t)(d.Me(when("2026-10-25")))
	if me.Revision != 57 || me.Current != 60 || me.Day == "" || me.Coming {
		t.Errorf("on that day: %+v", me)
	}
	if l := must[*view.List](t)(d.List(when("2025-07-01"),
		view.Listing{Kind: model.KindUser, Limit: 1})); l.Total >= 420 &&
		must[*account.Me](t)(d.Me(when("2025-07-01"))).Revision >= 57 {
		t.Error("the past is the present")
	}
	// What ends by itself is gone on a coming day.
	ends := must[*view.Person](t)(d.Person(when("2027-03-24"), "tomasz.oyelaran", ""))
	if i := slices.IndexFunc(ends.Assignments, func(g view.Grant) bool {
		return g.Target.ID == "night-cover"
	}); ends.Assignments[i].Force != "ended" ||
		!must[*account.Me](t)(d.Me(when("2027-03-24"))).Coming {
		t.Errorf("in March his night cover is %+v", ends.Assignments[i])
	}
	_, err := d.Me(when("2020-01-01"))
	refused(t, err, desk.NotFound, "Nothing had been built yet")
	_, err = d.Join(when("2026-10-25"), end("user", "noor.tamsin"), end("group", "north-gate-crew"), edit.JoinTerms{})
	refused(t, err, desk.NotAllowed, "another day")
	if list := must[[]view.Revision](t)(d.History(when("2026-10-25"),
		view.HistorySearch{Limit: 1})); list[0].Number != 57 {
		t.Errorf("that day knew revision %d", list[0].Number)
	}
	// Reviews are as they stood then: not yet opened, open, and with the decisions of that day.
	if list := must[[]review.Review](t)(d.Reviews(when("2026-06-20"), "")); len(list) != 2 || list[0].Closed != nil ||
		list[0].Revision != 0 ||
		list[1].Closed == nil ||
		list[0].Overdue {
		t.Errorf("in June the reviews were %+v", list)
	}
	opened := must[*review.ReviewDetail](t)(d.Review(signe, 3, "")).Review
	first := must[*review.ReviewDetail](t)(d.Review(when(opened.Opened.Format(time.DateOnly)), 3, ""))
	if first.Review.Kept != 0 || opened.Kept == 0 || first.Review.Items != opened.Items || first.MayRun {
		t.Errorf("on its first day %d items were kept, now %d", first.Review.Kept, opened.Kept)
	}
	_, err = d.Review(when("2026-06-20"), 3, "")
	refused(t, err, desk.NotFound, "was opened later")
	if draft := must[*desk.Draft](t)(d.Draft(when("2026-10-25"))); len(draft.Edits) != 0 {
		t.Error("a draft lies on the past")
	}
}

func TestOtherEyes(t *testing.T) {
	d, _ := openDemo(t)
	as := func(user string) desk.Actor { return desk.Actor{User: signe.User, As: user} }
	me := must[*account.Me](t)(d.Me(as("ruben.adeyemi")))
	if me.User.ID != "ruben.adeyemi" || me.SignedIn.ID != signe.User || len(me.Rights) != 0 ||
		!slices.Contains(me.Delegated, "assign") {
		t.Errorf("as Ruben: %+v", me)
	}
	if l := must[*view.List](t)(d.List(as("ruben.adeyemi"),
		view.Listing{Kind: model.KindUser, Limit: 1})); l.Total != 141 {
		t.Errorf("Ruben sees %d people, want those of North Harbour", l.Total)
	}
	p := must[*view.Person](t)(d.Person(as("ruben.adeyemi"), "tomasz.oyelaran", ""))
	if len(p.May) != 0 || p.Assignments[0].May {
		t.Error("through other eyes something is offered")
	}
	_, err := d.History(as("ruben.adeyemi"), view.HistorySearch{Limit: 1})
	refused(t, err, desk.NotAllowed, "Ruben Adeyemi does not see this")
	_, err = d.Join(as("ruben.adeyemi"), end("user", "noor.tamsin"), end("group", "north-gate-crew"), edit.JoinTerms{})
	refused(t, err, desk.NotAllowed, "seeing this as Ruben Adeyemi")
	_, err = d.Me(desk.Actor{User: "ruben.adeyemi", As: signe.User})
	refused(t, err, desk.NotAllowed, "whole design")
	_, err = d.Me(as("nobody"))
	refused(t, err, desk.NotFound, "no person")
	if me := must[*account.Me](t)(d.Me(as("tomasz.oyelaran"))); len(me.Rights)+len(me.Delegated) != 0 {
		t.Errorf("as Tomasz: %+v", me)
	}
	_, err = d.List(as("tomasz.oyelaran"), view.Listing{Kind: model.KindUser, Limit: 1})
	refused(t, err, desk.NotAllowed, "Tomasz Oyelaran does not see this")
	if own := must[*view.Person](t)(d.Person(as("tomasz.oyelaran"), "tomasz.oyelaran", "")); len(own.Systems) == 0 {
		t.Error("as Tomasz, his own sheet is empty")
	}
}

func TestHistoryInDetail(t *testing.T) {
	d, _ := openDemo(t)
	v := must[*view.RevisionDetail](t)(d.RevisionDetail(oona, 60, 100))
	if len(v.Objects) != 1 || v.Objects[0].What != "changed" || len(v.Objects[0].Fields) != 1 ||
		v.Objects[0].Fields[0] != (view.FieldChange{Field: "title", Before: "Trainee", After: "Crane driver"}) {
		t.Errorf("revision 60 in detail: %+v", v)
	}
	if v := must[*view.RevisionDetail](t)(d.RevisionDetail(oona, 1, 500)); len(v.Objects) != 500 || v.More == 0 ||
		v.Objects[1].What != "added" {
		t.Errorf("the first revision tells %d objects and %d more", len(v.Objects), v.More)
	}
	list := must[[]view.Revision](t)(d.History(oona, view.HistorySearch{User: "tomasz.oyelaran", Limit: 50}))
	if len(list) == 0 || len(list) > 10 ||
		!slices.ContainsFunc(list, func(r view.Revision) bool { return r.Number == 58 }) {
		t.Errorf("about Tomasz there are %d revisions", len(list))
	}
	held := func(who desk.Actor, q view.HistorySearch) table.Table {
		t.Helper()
		return must[table.Table](t)(must[*table.Table](t)(d.HistoryTable(who, q)).Held())
	}
	record := held(oona, view.HistorySearch{Kind: "group"})
	twice := must[*table.Table](t)(d.HistoryTable(oona, view.HistorySearch{}))
	if first, second := must[table.Table](t)(twice.Held()), must[table.Table](t)(twice.Held()); len(
		first.Rows,
	) != len(
		second.Rows,
	) ||
		len(first.Rows) < 400 {
		t.Errorf("read twice, it has %d and %d rows", len(first.Rows), len(second.Rows))
	}
	if len(record.Rows) < 10 || record.Columns[0].Title != "revision" ||
		!strings.Contains(record.Rows[0][5].(string), "joins") {
		t.Errorf("as a table: %v %v", record.Columns, record.Rows[:min(len(record.Rows), 2)])
	}
	past := oona
	past.When = today.AddDate(0, 0, -30)
	for _, row := range held(past, view.HistorySearch{}).Rows {
		if row[1].(time.Time).After(past.When.Add(time.Second)) {
			t.Fatalf("a month ago, %v was not known yet", row)
		}
	}
	refused(t, second(d.RevisionDetail(oona, 999, 100)), desk.NotFound, "no revision")
	refused(t, second(d.HistoryTable(mireille, view.HistorySearch{})), desk.NotAllowed, "history")
}

// A change is told by names; of a long list, only what came and went. Whoever looks for a person is told of that
// person.
func TestHistoryTellsByNames(t *testing.T) {
	d, _ := openDemo(t)
	group, _ := d.Design().Groups.Find("north-gate-crew")
	was := len(group.Users)
	after := model.Clone(group)
	after.Users = slices.DeleteFunc(after.Users, func(id string) bool { return id == "citlali.juhlsen" })
	after.Users = append(after.Users, "noor.tamsin", "lucia.fenwick")
	must[*desk.Draft](t)(d.Put(signe, group, after))
	conflict, _ := d.Design().Conflicts.Find("supplier-payment")
	limited := model.Clone(conflict)
	limited.Exceptions = append(limited.Exceptions, model.Exception{
		User: "noor.tamsin", Until: time.Date(2026, 12, 20, 0, 0, 0, 0, time.UTC), Reason: "cover",
	})
	draft := must[*desk.Draft](t)(d.Put(signe, conflict, limited))
	applied := must[*desk.Applied](t)(d.Apply(signe, "a changed crew", draft.Stamp))
	v := must[*view.RevisionDetail](t)(d.RevisionDetail(signe, applied.Revision, 100))
	told := map[string]view.FieldChange{}
	for _, o := range v.Objects {
		for _, f := range o.Fields {
			told[o.Object.ID+" "+f.Field] = f
		}
	}
	want := view.FieldChange{
		Field: "members", Before: "Citlali Juhlsen", After: "Lucia Fenwick, Noor Tamsin", Same: was - 1,
	}
	if got := told["north-gate-crew members"]; got != want {
		t.Errorf("the members: %+v, want %+v", got, want)
	}
	if got := told["supplier-payment exceptions"]; got.Before != "" || got.Same != len(conflict.Exceptions) ||
		got.After != "Noor Tamsin, until the end of 19 December 2026, reason cover" {
		t.Errorf("the exceptions: %+v", got)
	}
	of := func(user string) (out []string) {
		for _, r := range must[[]view.Revision](t)(d.History(signe, view.HistorySearch{User: user, Limit: 1})) {
			for _, s := range r.Sentences {
				out = append(out, text(s))
			}
		}
		return out
	}
	if got := of("lucia.fenwick"); !slices.Equal(got, []string{"Lucia Fenwick joins North gate crew"}) {
		t.Errorf("about Lucia it says %q", got)
	}
	if got := of("citlali.juhlsen"); !slices.Equal(got, []string{"Citlali Juhlsen leaves North gate crew"}) {
		t.Errorf("about Citlali it says %q", got)
	}
}

func TestRepairs(t *testing.T) {
	d, _ := openDemo(t)
	const noor, override = "noor.tamsin", "quaybook:gate:override"
	r := must[*ask.Repairs](t)(d.Repairs(signe, noor, override, ""))
	if r.At.ID != "terminal-2" || r.Whole || len(r.Repairs) < 3 {
		t.Fatalf("the repairs are %+v", r)
	}
	if first := r.Repairs[0]; first.Extras+first.Others+first.Losing+len(first.Conflicts) > 0 ||
		text(first.Sentences[0]) != "Noor Tamsin gets Night cover at Terminal 2" {
		t.Errorf("the smallest is %+v", first)
	}
	last := r.Repairs[len(r.Repairs)-1]
	if last.Extras == 0 || last.Risk == 0 || len(last.Extra) == 0 {
		t.Errorf("the largest is %+v", last)
	}
	if whole := must[*ask.Repairs](t)(d.Repairs(signe, noor, "quaybook:integration:view", "")); !whole.Whole {
		t.Errorf("what cannot be limited is repaired at %s", whole.At.Name)
	}
	draft := must[*desk.Draft](t)(d.DraftRepair(signe, noor, override, "", r.Repairs[0].ID))
	if got := told(draft); len(got) != 1 || got[0] != "Noor Tamsin gets Night cover at Terminal 2" ||
		draft.Gaining != 1 {
		t.Errorf("the draft says %v, and %d gain", got, draft.Gaining)
	}
	if r := must[*ask.Repairs](t)(d.Repairs(signe, noor, override, "")); len(r.Repairs) != 0 {
		t.Errorf("with the repair in the draft, %d more are offered", len(r.Repairs))
	}
	_, err := d.DraftRepair(signe, noor, override, "", r.Repairs[1].ID)
	refused(t, err, desk.Conflict, "Look at the proposals again")
	for _, err := range []error{second(d.Repairs(signe, "ghost", override, "")),
		second(d.Repairs(signe, noor, "a:b:c", "")), second(d.Repairs(signe, noor, override, "moon"))} {
		refused(t, err, desk.NotFound, "")
	}
}

// What is counted of people once is counted anew as soon as somebody is another, and not before.
func TestWhatIsKeptFollowsChanges(t *testing.T) {
	d, _ := openDemo(t)
	titled := func() int {
		q := view.Listing{Kind: model.KindUser, Query: `title eq "Kept tally clerk"`, Limit: 10}
		return must[*view.List](t)(d.List(signe, q)).Matching
	}
	home := func() int { return must[*view.AreaSheet](t)(d.Area(signe, "terminal-1")).People }
	people, clerks := home(), titled()
	if people == 0 || clerks != 0 {
		t.Fatalf("at first %d are at home, and %d have the title", people, clerks)
	}
	role, _ := d.Design().Roles.Find("gate-clerk")
	other := model.Clone(role)
	other.Description = "Another text."
	must[*desk.Draft](t)(d.Put(signe, role, other))
	applyAll(t, d, signe)
	if home() != people || titled() != clerks {
		t.Errorf("a role changed, and %d are at home, %d have the title", home(), titled())
	}
	at := slices.IndexFunc(d.Design().Users, func(u *model.User) bool {
		return u.Source == model.Local && u.Area != "terminal-1"
	})
	local := d.Design().Users[at] // no directory keeps them
	moved := model.Clone(local)
	moved.Area, moved.JobTitle = "terminal-1", "Kept tally clerk"
	must[*desk.Draft](t)(d.Put(signe, local, moved))
	if home() != people+1 || titled() != 1 {
		t.Errorf("with the draft, %d are at home, and %d have the title", home(), titled())
	}
	applyAll(t, d, signe)
	if home() != people+1 || titled() != 1 {
		t.Errorf("somebody moved in, and %d are at home, and %d have the title", home(), titled())
	}
}

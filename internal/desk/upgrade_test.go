package desk_test

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/intake"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/survey"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
)

// newer is the next version of a system's catalogue, as its supplier would send it.
func newer(t *testing.T, d *rooms.Desk, version string, alter func(s *model.System, sets []*model.Set)) []byte {
	t.Helper()
	q, _ := d.Design().Systems.Find("quaybook")
	s := change.Clone(q)
	s.Version = version
	var sets []*model.Set
	for _, x := range d.Design().Sets {
		if x.System == "quaybook" {
			x = change.Clone(x)
			x.Version = version
			sets = append(sets, x)
		}
	}
	alter(s, sets)
	data, err := json.Marshal(
		map[string]any{
			"system":  s,
			"sets":    sets,
			"renames": map[string]string{"quaybook:gate:override": "quaybook:gate:bypass"},
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

func TestANewVersionOfACatalogue(t *testing.T) {
	d, _ := openDemo(t)
	file := intake.UpgradeFile{
		Name: "quaybook.json",
		Data: newer(t, d, "9.0", func(s *model.System, sets []*model.Set) {
			for _, p := range s.Permissions {
				if p.Key == "quaybook:gate:override" {
					p.Key = "quaybook:gate:bypass"
				}
			}
			s.Permissions = append(
				s.Permissions,
				&model.Permission{Key: "quaybook:drone:launch", Class: model.Write, Risk: 2},
			)
			sets[0].Permissions = append(sets[0].Permissions, "quaybook:drone:launch")
			for _, x := range sets {
				for i, k := range x.Permissions {
					if k == "quaybook:gate:override" {
						x.Permissions[i] = "quaybook:gate:bypass"
					}
				}
			}
		}),
	}
	u := must[*intake.Upgrade](t)(d.Upgrade(signe, file))
	if u.From != "4.2" || u.To != "9.0" || len(u.Comes) != 1 || len(u.Goes) != 0 || len(u.Renamed) != 1 ||
		u.Renamed[0].Holders != 17 ||
		len(u.Sets) != 1 ||
		len(u.Faults) != 0 ||
		u.Gaining == 0 ||
		!u.Changes ||
		len(u.Doubts) != 0 {
		t.Fatalf("it changes %+v", u)
	}
	if !slices.ContainsFunc(
		u.Resting,
		func(r intake.UpgradeResting) bool { return r.Ref.ID == "gate-override" && len(r.Renamed) == 1 },
	) ||
		!slices.ContainsFunc(u.Roles, func(r intake.UpgradeRole) bool {
			return r.Ref.ID == "night-cover" && len(r.Gains) == 1 && len(r.Losses) == 1
		}) {
		t.Errorf("resting on it: %+v, %+v", u.Resting, u.Roles)
	}
	// What is supplied cannot be edited, but by the next version; and that can be undone.
	set, _ := d.Design().Sets.Find(u.Sets[0].Ref.ID)
	edited := change.Clone(set)
	edited.Description = "mine"
	_, err := d.Put(signe, set, edited)
	refused(t, err, desk.NotAllowed, "supplied with its system")
	draft := must[*desk.Draft](t)(d.DraftUpgrade(signe, file))
	if draft.Gaining != u.Gaining || draft.Losing != u.Losing || len(draft.Blocks) != 0 {
		t.Errorf(
			"the draft: %d gain, %d lose, %v; told before: %d, %d",
			draft.Gaining,
			draft.Losing,
			draft.Blocks,
			u.Gaining,
			u.Losing,
		)
	}
	before := d.Design()
	applied := must[*desk.Applied](t)(d.Apply(signe, "Quaybook 9", draft.Stamp))
	known := must[*directory.Known](t)(d.Known())
	if !known.Index().Allowed("tomasz.oyelaran", "quaybook:gate:bypass", index.Record{Area: "terminal-1"}, today) ||
		known.Index().Allowed("tomasz.oyelaran", "quaybook:gate:override", index.Record{Area: "terminal-1"}, today) {
		t.Error("who could override gates cannot bypass them")
	}
	again := must[*intake.Upgrade](t)(d.Upgrade(signe, file))
	if again.Changes || len(again.Misled) != 1 {
		t.Errorf("again: %+v", again)
	}
	_, err = d.DraftUpgrade(signe, file)
	refused(t, err, desk.Invalid, "here already")
	draft = must[*desk.Draft](t)(d.DraftUndo(signe, applied.Revision))
	must[*desk.Applied](t)(d.Apply(signe, "too soon", draft.Stamp))
	if diff := change.Difference(d.Design(), before); len(diff) != 0 {
		t.Errorf("undone, %d things are otherwise", len(diff))
	}
}

func TestWhatIsNoUpgrade(t *testing.T) {
	d, _ := openDemo(t)
	for text, says := range map[string]string{"": "empty", "{}": "one system", "key\nnonsense": "line 2"} {
		_, err := d.Upgrade(signe, intake.UpgradeFile{Name: "x", Data: []byte(text), System: "quaybook"})
		refused(t, err, desk.Invalid, says)
	}
	_, err := d.Upgrade(desk.Actor{User: "oona.brandvold"}, intake.UpgradeFile{Name: "x", Data: []byte("key\nx:a:b")})
	refused(t, err, desk.NotAllowed, "catalogue")
	old := must[*intake.Upgrade](
		t,
	)(
		d.Upgrade(signe, intake.UpgradeFile{Name: "x", Data: newer(t, d, "1.0", func(*model.System, []*model.Set) {})}),
	)
	if len(old.Doubts) != 1 || !strings.Contains(old.Doubts[0], "lower version") {
		t.Errorf("a lower version: %q", old.Doubts)
	}
	part := must[*intake.Upgrade](
		t,
	)(
		d.Upgrade(signe, intake.UpgradeFile{Name: "x", Data: []byte("key\nquaybook:gate:admit\nquaybook:gate:view")}),
	)
	if len(part.Doubts) != 2 || !strings.Contains(part.Doubts[0], "does not tell its version") ||
		!strings.Contains(part.Doubts[1], "lacks 33 of the 35 permissions") {
		t.Errorf("a part: %q", part.Doubts)
	}
	u := must[*intake.Upgrade](
		t,
	)(
		d.Upgrade(signe, intake.UpgradeFile{Name: "x", Data: []byte("key,implies\nnew:a:b,new:a:c\nnew:a:c,new:a:b")}),
	)
	if len(u.Faults) == 0 || !u.New {
		t.Errorf("a cycle: %+v", u)
	}
}

func TestCapabilities(t *testing.T) {
	d, _ := openDemo(t)
	x := must[*directory.Known](t)(d.Known()).Index()
	c := must[*view.Capabilities](t)(d.Capabilities(signe, "quaybook", nil))
	if len(c.Rows) != 35 || len(c.Columns) < 10 {
		t.Fatalf("%d by %d", len(c.Rows), len(c.Columns))
	}
	seen := map[string]bool{}
	for i, col := range c.Columns {
		seen[col.Ref.Kind] = true
		gives := x.Licensed(col.Ref.ID)
		if col.Ref.Kind != "licence" {
			gives = x.Content(model.Kind(col.Ref.Kind), col.Ref.ID)
		}
		n := 0
		for _, r := range c.Rows {
			if slices.Contains(r.By, i) != slices.Contains(gives, r.Key) {
				t.Errorf("%s and %s: %v", col.Ref.ID, r.Key, slices.Contains(r.By, i))
			}
			if slices.Contains(r.By, i) {
				n++
			}
		}
		if n != col.Gives || n == 0 {
			t.Errorf("%s gives %d, told %d", col.Ref.ID, n, col.Gives)
		}
	}
	if !seen["licence"] || !seen["role"] || !seen["set"] {
		t.Errorf("the columns are of %v", seen)
	}
	own := must[*view.Capabilities](t)(d.Capabilities(signe, "quaybook", []string{"own"}))
	for _, col := range own.Columns {
		if s, ok := d.Design().Sets.Find(col.Ref.ID); !ok || s.System != "" {
			t.Errorf("among own sets: %+v", col)
		}
	}
	table := must[*table.Table](t)(d.CapabilityTable(signe, "quaybook", nil))
	if len(table.Rows) != 35 || len(table.Columns) != 7+len(c.Columns) || len(table.Rows[0]) != len(table.Columns) {
		t.Errorf("the table is %d by %d", len(table.Rows), len(table.Columns))
	}
	_, err := d.Capabilities(signe, "ghost", nil)
	refused(t, err, desk.NotFound, "ghost")
}

// A version that is brought in can wait: it is found as long as it is not adopted, by a draft or by a finding's repair,
// and it does not come back when the design moves on.
func TestACatalogueThatWaits(t *testing.T) {
	d, s := openDemo(t)
	version := func(to string) intake.UpgradeFile {
		return intake.UpgradeFile{Name: to + ".json", Data: newer(t, d, to, func(s *model.System, _ []*model.Set) {
			s.Permissions = append(s.Permissions,
				&model.Permission{Key: "quaybook:drone:v" + to, Class: model.Write, Risk: 2})
		})}
	}
	waits := func() []survey.FindingRow {
		return must[*survey.Findings](t)(d.Findings(signe, survey.Wanted{Kind: "upgrade-waiting",
			About: "system:quaybook", Limit: 9})).Rows
	}
	kept := func() []intake.KeptUpgrade { return must[[]intake.KeptUpgrade](t)(d.KeptUpgrades(signe)) }
	nine := version("9.0")
	for _, who := range []desk.Actor{oona, ruben} {
		_, err := d.KeepUpgrade(who, nine)
		refused(t, err, desk.NotAllowed, "catalogue")
		_, err = d.KeptUpgrades(who)
		refused(t, err, desk.NotAllowed, "catalogue")
		refused(t, d.DropUpgrade(who, "quaybook"), desk.NotAllowed, "catalogue")
	}
	_, err := d.KeepUpgrade(signe, intake.UpgradeFile{Name: "x.json", Data: []byte("{")})
	refused(t, err, desk.Invalid, "not a catalogue")
	before := len(kept())
	for _, f := range []intake.UpgradeFile{version("8.0"), nine} { // the second in place of the first
		if u := must[*intake.Upgrade](t)(d.KeepUpgrade(signe, f)); u.To+".json" != f.Name || len(u.Comes) != 1 {
			t.Errorf("it would change %+v", u)
		}
	}
	list := kept()
	at := slices.IndexFunc(list, func(k intake.KeptUpgrade) bool { return k.System.ID == "quaybook" })
	if len(list) != before+1 || list[at].From != "4.2" || list[at].To != "9.0" || list[at].By.ID != signe.User {
		t.Fatalf("waiting: %+v", list)
	}
	found := waits()
	if len(found) != 1 || found[0].Says != "Version 9.0 of Quaybook was brought in, and has not been adopted." {
		t.Fatalf("found: %+v", found)
	}
	if u := must[*intake.Upgrade](t)(d.Upgrade(signe, intake.UpgradeFile{Kept: "quaybook"})); u.To != "9.0" {
		t.Errorf("what is kept would change %+v", u)
	}
	one := must[*desk.Draft](t)(d.DraftUpgrade(signe, intake.UpgradeFile{Kept: "quaybook"}))
	must[*desk.Draft](t)(d.Discard(signe))
	other := must[*desk.Draft](t)(d.RepairFindings(signe, []string{found[0].ID}, 0))
	if len(other.Blocks) != 0 || other.Gaining != one.Gaining || len(other.Edits) != 1 {
		t.Errorf("by the repair %d gain, blocked by %v; by the draft of what is kept %d", other.Gaining, other.Blocks,
			one.Gaining)
	}
	if must[*desk.Applied](t)(d.Apply(signe, "Quaybook 9", other.Stamp)); len(waits()) != 0 || len(kept()) != before {
		t.Errorf("adopted, it waits still: %+v, %+v", waits(), kept())
	}
	if err := d.DropAdopted(); err != nil {
		t.Fatal(err)
	}
	if list := must[[]store.KeptCatalogue](t)(s.KeptCatalogues(today)); len(list) != before {
		t.Errorf("adopted, it is kept still, and would wait again: %+v", list)
	}
	_, err = d.KeepUpgrade(signe, nine)
	refused(t, err, desk.Invalid, "here already")
	_, err = d.Upgrade(signe, intake.UpgradeFile{Kept: "quaybook"})
	refused(t, err, desk.NotFound, "No version")
	must[*intake.Upgrade](t)(d.KeepUpgrade(signe, version("9.1")))
	if err := d.DropUpgrade(signe, "quaybook"); err != nil || len(waits()) != 0 {
		t.Errorf("discarded, it waits still: %v, %+v", err, waits())
	}
	refused(t, d.DropUpgrade(signe, "quaybook"), desk.NotFound, "No version")
}

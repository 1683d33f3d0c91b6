package repair_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/repair"
)

var day = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

// gates is a design with one person for each reason why somebody lacks something.
func gates() *model.Design {
	to := func(user string) model.Subject { return model.Subject{User: user} }
	live := func(id string, alter ...func(u *model.User)) *model.User {
		u := &model.User{
			ID:          id,
			UserName:    id,
			DisplayName: id,
			State:       model.UserActive,
			Source:      model.Local,
			Licences:    []string{"seat"},
		}
		for _, a := range alter {
			a(u)
		}
		return u
	}
	return model.Build(&model.Design{Organisation: &model.Organisation{Name: "Outer Skerry"},
		Areas: model.Table[*model.Area]{
			{ID: "root", Name: "Outer Skerry"},
			{ID: "east", Name: "East", Parent: "root"},
			{ID: "west", Name: "West", Parent: "root"},
		},
		Licences: model.Table[*model.Licence]{{ID: "seat", Name: "Seat"}},
		Systems: model.Table[*model.System]{
			{
				ID:      "q",
				Name:    "Q",
				Licence: "seat",
				Permissions: []*model.Permission{
					{Key: "q:gate:view", Class: model.Read, Span: model.SpanArea},
					{Key: "q:gate:open", Class: model.Write, Span: model.SpanArea, Implies: []string{"q:gate:view"}},
					{Key: "q:log:wipe", Class: model.Admin, Span: model.SpanOrganisation},
				},
			},
		},
		Sets: model.Table[*model.Set]{
			{ID: "opens", Name: "Opens", Permissions: []string{"q:gate:open"}},
			{ID: "wipes", Name: "Wipes", Permissions: []string{"q:log:wipe"}},
		},
		Roles: model.Table[*model.Role]{{ID: "clerk", Name: "Clerk", Sets: []string{"opens"}}},
		Groups: model.Table[*model.Group]{
			{ID: "crew", Name: "Crew", Type: model.Static, Source: model.Local, Users: []string{"member"}},
		},
		Users: model.Table[*model.User]{
			live("member"),
			live("nobody"),
			live("locked", func(u *model.User) { u.State = model.UserLocked }),
			live("ended", func(u *model.User) { u.Until = day.AddDate(0, 0, -1) }),
			live(
				"seatless",
				func(u *model.User) { u.Licences = nil },
			),
			live("reader"),
			live("expired"),
			live("elsewhere"),
			live("gone", func(u *model.User) { u.State = model.UserDeleted }),
		},
		Assignments: model.Table[*model.Assignment]{
			{
				ID:      "crew",
				Subject: model.Subject{Group: "crew"},
				Role:    "clerk",
				Area:    "east",
				Reach:   model.ReachArea,
				Mode:    model.Full,
			},
			{
				ID:      "locked",
				Subject: to("locked"),
				Role:    "clerk",
				Area:    "east",
				Reach:   model.ReachArea,
				Mode:    model.Full,
			},
			{ID: "ended", Subject: to("ended"), Role: "clerk", Area: "east", Reach: model.ReachArea, Mode: model.Full},
			{
				ID:      "seatless",
				Subject: to("seatless"),
				Role:    "clerk",
				Area:    "east",
				Reach:   model.ReachArea,
				Mode:    model.Full,
			},
			{
				ID:      "reader",
				Subject: to("reader"),
				Role:    "clerk",
				Area:    "east",
				Reach:   model.ReachArea,
				Mode:    model.ReadOnly,
			},
			{
				ID:      "expired",
				Subject: to("expired"),
				Role:    "clerk",
				Area:    "east",
				Reach:   model.ReachArea,
				Mode:    model.Full,
				Until:   day.AddDate(0, 0, -1),
			},
			{
				ID:      "elsewhere",
				Subject: to("elsewhere"),
				Role:    "clerk",
				Area:    "west",
				Reach:   model.ReachArea,
				Mode:    model.Full,
			},
		},
	})
}

// told writes a repair in a line: its operations, who else gains, and what is gained beside.
func told(x *index.Index, r repair.Repair) string {
	var out []string
	for _, s := range change.Sentences(r.Ops, change.NamesIn(x.Design())) {
		out = append(out, s.String())
	}
	for _, h := range r.Extra {
		out = append(out, "+"+h.Permission+"@"+h.Area)
	}
	return strings.Join(out, "; ")
}

// What is nearest to what somebody has already comes first: what stands in the way of a grant of theirs is lifted.
func TestTheNearestRepair(t *testing.T) {
	x := index.Compile(gates())
	for user, first := range map[string]string{
		"nobody":    "nobody joins Crew; +q:gate:view@east",
		"locked":    "locked: state becomes “active”, was “locked”; +q:gate:view@east",
		"seatless":  "the licence Seat is given to seatless; +q:gate:view@east",
		"reader":    "reader’s Clerk at East: mode becomes “full”, was “read-only”",
		"elsewhere": "elsewhere’s Clerk at East: area becomes East, was West; +q:gate:view@east",
	} {
		found := repair.Find(x, user, "q:gate:open", index.Record{Area: "east"}, day)
		if len(found) == 0 {
			t.Errorf("nothing helps %s", user)
			continue
		}
		all := []string{}
		for _, r := range found {
			all = append(all, told(x, r))
		}
		if !slices.Contains(all, first) {
			t.Errorf("for %s there are\n%s\nnot\n%s", user, strings.Join(all, "\n"), first)
		}
	}
	for user, says := range map[string]string{"ended": "ended: until becomes the end of 20 February 2027, was 22 November 2026",
		"expired": "until becomes the end of 20 February 2027"} {
		all := []string{}
		for _, r := range repair.Find(x, user, "q:gate:open", index.Record{Area: "east"}, day) {
			all = append(all, told(x, r))
		}
		if !slices.ContainsFunc(all, func(s string) bool { return strings.Contains(s, says) }) {
			t.Errorf("nothing says %q for %s:\n%s", says, user, strings.Join(all, "\n"))
		}
	}
}

// Every repair that is offered does what it says, whoever asks; and no more are offered than can be read.
func TestWhatIsOfferedHelps(t *testing.T) {
	d := gates()
	x := index.Compile(d)
	for _, u := range d.Users {
		found := repair.Find(x, u.ID, "q:gate:open", index.Record{Area: "east"}, day)
		if len(found) > repair.Most {
			t.Errorf("%d repairs are offered for %s", len(found), u.ID)
		}
		for i, r := range found {
			after, problems := change.Apply(d, r.Ops)
			if after == nil {
				t.Fatalf("%s: %v", told(x, r), problems)
			}
			if !index.Compile(after).Allowed(u.ID, "q:gate:open", index.Record{Area: "east"}, day) {
				t.Errorf("after “%s” %s still may not", told(x, r), u.ID)
			}
			if i > 0 && r.Others < found[i-1].Others {
				t.Errorf("for %s, “%s” comes after what more others gain by", u.ID, told(x, r))
			}
		}
	}
}

func TestWhereThereIsNoRepair(t *testing.T) {
	x := index.Compile(gates())
	for _, c := range []struct{ user, permission, area string }{
		{"member", "q:gate:open", "east"}, // may already
		{"nobody", "q:gate:burn", "east"}, // no such permission
		{"stranger", "q:gate:open", "east"},
		{"gone", "q:gate:open", "east"},
		{"nobody", "q:log:wipe", "east"}, // nothing limited to an area gives what shows the whole organisation
	} {
		for _, r := range repair.Find(x, c.user, c.permission, index.Record{Area: c.area}, day) {
			if c.permission != "q:log:wipe" || !strings.Contains(told(x, r), "over the whole organisation") {
				t.Errorf("%v is repaired by “%s”", c, told(x, r))
			}
		}
	}
}

// A repair puts nobody into a group whose members a directory or a rule keeps, and none is offered after which nobody
// would hold every right in Fachwerk any longer.
func TestNoRepairGoesIntoWhatOthersKeep(t *testing.T) {
	for name, alter := range map[string]func(g *model.Group){
		"by hand":      func(*model.Group) {},
		"a directory":  func(g *model.Group) { g.Source = model.Directory },
		"a rule keeps": func(g *model.Group) { g.Type, g.Users, g.Rule = model.Rule, nil, `userName eq "member"` },
	} {
		d := gates()
		crew, _ := d.Groups.Find("crew")
		crew = model.Clone(crew)
		alter(crew)
		d = d.With([]model.Edit{{Kind: model.KindGroup, ID: "crew", After: crew}})
		x := index.Compile(d)
		joins := false
		for _, r := range repair.Find(x, "nobody", "q:gate:open", index.Record{Area: "east"}, day) {
			for _, o := range r.Ops {
				joins = joins || o.Kind == model.KindGroup
			}
		}
		if want := name == "by hand"; joins != want {
			t.Errorf("where %s it, somebody joins: %v", name, joins)
		}
	}
}

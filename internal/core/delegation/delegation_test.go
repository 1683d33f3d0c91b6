package delegation_test

import (
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

var now = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

// design: mia manages terminal 1 by delegation; pat works there, sid elsewhere; zoe holds something critical.
func design(t *testing.T) *model.Design {
	t.Helper()
	days := 90
	user := func(id, area string) *model.User {
		return &model.User{ID: id, UserName: id, DisplayName: strings.ToUpper(id[:1]) + id[1:], Area: area}
	}
	d := &model.Design{
		Organisation: &model.Organisation{Name: "N"},
		Areas: model.Table[*model.Area]{
			{ID: "top", Name: "Top"},
			{ID: "t1", Name: "Terminal 1", Parent: "top"},
			{ID: "t2", Name: "Terminal 2", Parent: "top"},
		},
		Systems: model.Table[*model.System]{
			{
				ID:   "s",
				Name: "S",
				Permissions: []*model.Permission{
					{Key: "s:gate:view"},
					{Key: "s:gate:break", Class: model.Write, Risk: 3},
				},
			},
			{ID: "far", Name: "Far", Permissions: []*model.Permission{{Key: "far:thing:view"}}},
		},
		Roles: model.Table[*model.Role]{
			{ID: "clerk", Name: "Clerk", Permissions: []string{"s:gate:view"}},
			{ID: "boss", Name: "Boss", Permissions: []string{"s:gate:break"}},
			{ID: "remote", Name: "Remote", Permissions: []string{"far:thing:view"}},
		},
		Groups: model.Table[*model.Group]{
			{ID: "crew", Name: "Crew", Users: []string{"pat"}, Owner: "sid"},
			{ID: "elite", Name: "Elite"},
			{ID: "dark", Name: "Dark", Unlisted: true, Users: []string{"pat"}},
			{ID: "away", Name: "Away", Users: []string{"sid"}},
		},
		Users: model.Table[*model.User]{user("mia", "t1"), user("pat", "t1"), user("sid", "t2"), user("zoe", "t1")},
		Assignments: model.Table[*model.Assignment]{
			{ID: "z", Subject: model.Subject{User: "zoe"}, Role: "boss"},
			{ID: "c", Subject: model.Subject{Group: "crew"}, Role: "clerk", Area: "t1", Until: now.AddDate(0, 0, 80)},
			{
				ID:      "e",
				Subject: model.Subject{Group: "elite"},
				Role:    "boss",
				Area:    "t1",
			},
			{ID: "k", Subject: model.Subject{Group: "dark"}, Role: "clerk"},
			{ID: "r", Subject: model.Subject{User: "sid"}, Role: "remote"},
		},
		Delegations: model.Table[*model.Delegation]{
			{
				ID:       "site",
				Name:     "The site",
				Delegate: model.Subject{User: "mia"},
				People:   model.People{Area: "t1"},
				Actions:  []string{"assign", "revoke", "invite", "edit", "lock", "membership"},
				Roles:    []string{"clerk"},
				Groups:   []string{"crew", "elite"},
				Area:     "t1",
				MaxDays:  &days,
			},
			{
				ID:       "over",
				Name:     "Over",
				Delegate: model.Subject{User: "mia"},
				People:   model.People{Area: "top"},
				Actions:  []string{"deactivate"},
				Until:    now,
			},
		},
	}
	if problems := model.Errors(model.Check(d)); len(problems) > 0 {
		t.Fatal(problems)
	}
	return model.Build(d)
}

func TestRefusalsNameTheRuleAndTheObject(t *testing.T) {
	d := design(t)
	a := delegation.Of(index.Compile(d), "mia", now)
	user := func(id string) *model.User { u, _ := d.Users.Find(id); return u }
	give := func(role, area string, days int) *model.Assignment {
		return &model.Assignment{Role: role, Area: area, Until: now.AddDate(0, 0, days)}
	}
	for _, c := range []struct {
		act  delegation.Act
		says string // empty: permitted
	}{
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: give("clerk", "t1", 90)}, ""},
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: give("clerk", "t1", 91)}, "at most 90 days"},
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: &model.Assignment{Role: "clerk", Area: "t1"}}, "must end by 2 June 2026"},
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: give("clerk", "t2", 1)}, "within Terminal 1, and Terminal 2 lies outside"},
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: give("clerk", "", 1)}, "the whole organisation lies outside"},
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: give("boss", "t1", 1)}, "the role “Boss” is not among those"},
		{delegation.Act{Action: "assign", User: user("sid"), Assignment: give("clerk", "t1", 1)}, "Sid is not among the people"},
		{delegation.Act{Action: "assign", User: user("mia"), Assignment: give("clerk", "t1", 1)}, "Nobody acts on themselves"},
		{delegation.Act{Action: "lock", User: user("zoe")}, "Zoe holds the critical permission s:gate:break"},
		{delegation.Act{Action: "revoke", User: user("pat"), Assignment: &model.Assignment{Role: "clerk", Area: "t1"}}, ""},
		{delegation.Act{Action: "membership", User: user("pat"), Group: "crew"}, ""},
		{delegation.Act{Action: "membership", User: user("pat"), Group: "elite"}, "gives “Boss”, which you could not assign"},
		{delegation.Act{Action: "membership", User: user("pat"), Group: "away"}, "“Away” is not among those"},
		{delegation.Act{Action: "deactivate", User: user("pat")}, "the action “deactivate”"}, // that delegation has ended
		{delegation.Act{Action: "review", User: user("pat")}, "“The site” does not cover this"},
	} {
		r := a.Check(c.act)
		if c.says == "" && r != nil || c.says != "" && (r == nil || !strings.Contains(r.Reason, c.says)) {
			t.Errorf(
				"to %s %s (%+v, %s): %v, want %q",
				c.act.Action,
				c.act.User.ID,
				c.act.Assignment,
				c.act.Group,
				r,
				c.says,
			)
		}
	}
	if r := delegation.Of(index.Compile(d), "pat", now).Check(delegation.Act{Action: "lock", User: user("sid")}); r == nil ||
		!strings.Contains(r.Reason, "Nothing that is delegated to you") {
		t.Errorf("somebody without a delegation: %v", r)
	}
}

func TestWhatAChangeMayDo(t *testing.T) {
	d := design(t)
	x := index.Compile(d)
	a := delegation.Of(x, "mia", now)
	edited := func(id string, do func(u *model.User)) change.Op {
		u, _ := d.Users.Find(id)
		u = change.Clone(u)
		do(u)
		return change.Put(d, u)
	}
	crew, _ := d.Groups.Find("crew")
	renamed, joined, nested := change.Clone(crew), change.Clone(crew), change.Clone(crew)
	renamed.Name = "Other"
	joined.Users = []string{"pat", "sid"}
	nested.Groups = []string{"away"}
	other, _ := d.Assignments.Find("c")
	for name, c := range map[string]struct {
		op   change.Op
		says string
	}{
		"edit":                {edited("pat", func(u *model.User) { u.JobTitle = "Gate clerk" }), ""},
		"lock":                {edited("pat", func(u *model.User) { u.State = model.UserLocked }), ""},
		"deactivate":          {edited("pat", func(u *model.User) { u.State = model.UserDeactivated }), "deactivate"},
		"delete by state":     {edited("pat", func(u *model.User) { u.State = model.UserDeleted }), "cannot be deleted"},
		"move out of reach":   {edited("pat", func(u *model.User) { u.Area = "t2" }), "Pat is not among the people"},
		"bring into reach":    {edited("sid", func(u *model.User) { u.Area = "t1" }), "Sid is not among the people"},
		"delete":              {change.Delete(d.Users[1]), "cannot be deleted"},
		"invite":              {change.Put(d, &model.User{ID: "new", UserName: "new", DisplayName: "New", Area: "t1", State: model.UserInvited}), ""},
		"invite elsewhere":    {change.Put(d, &model.User{ID: "new", UserName: "new", DisplayName: "New", Area: "t2", State: model.UserInvited}), "New is not among the people"},
		"make active at once": {change.Put(d, &model.User{ID: "new", UserName: "new", DisplayName: "New", Area: "t1", State: model.UserActive}), "can only be invited"},
		"rename a group":      {change.Put(d, renamed), "only which people are listed"},
		"nest a group":        {change.Put(d, nested), "only which people are listed"},
		"list a stranger":     {change.Put(d, joined), "Sid is not among the people"},
		"delete a group":      {change.Delete(crew), "only its members changed"},
		"revoke from a group": {change.Delete(other), "“Crew” is a group"},
		"edit a role":         {change.Put(d, &model.Role{ID: "own", Name: "Own"}), "cannot be changed through a delegation"},
		"assign":              {change.Put(d, &model.Assignment{ID: "n", Subject: model.Subject{User: "pat"}, Role: "clerk", Area: "t1", Until: now.AddDate(0, 1, 0)}), ""},
		"assign to nobody":    {change.Put(d, &model.Assignment{ID: "n", Subject: model.Subject{User: "ghost"}, Role: "clerk"}), "no person"},
	} {
		after := change.Lay(d, []change.Op{c.op})
		var ax *index.Index
		if len(model.Errors(model.Check(after))) == 0 {
			ax = index.Compile(after)
		}
		r := a.CheckOp(c.op, ax)
		if c.says == "" && r != nil || c.says != "" && (r == nil || !strings.Contains(r.Reason, c.says)) {
			t.Errorf("%s: %v, want %q", name, r, c.says)
		}
	}
}

func TestPart(t *testing.T) {
	d := design(t)
	part := delegation.Of(index.Compile(d), "mia", now).Part()
	for kind, want := range map[model.Kind]string{model.KindUser: "mia pat zoe", model.KindGroup: "crew elite not-listed-1", model.KindRole: "boss clerk", model.KindArea: "t1 top", model.KindDelegation: "site"} {
		var got []string
		part.All(func(o model.Object) {
			if o.Kind() == kind {
				got = append(got, o.Ident())
			}
		})
		if strings.Join(got, " ") != want {
			t.Errorf("of each %s she sees %v, want %s", kind, got, want)
		}
	}
	if _, far := part.Systems.Find("far"); far {
		t.Error("she sees a system of which nothing is hers")
	}
	if crew, _ := part.Groups.Find("crew"); crew.Owner != "" {
		t.Errorf("the owner %s of the crew is not hers to see", crew.Owner)
	}
	if dark, _ := part.Groups.Find("not-listed-1"); strings.Contains(dark.Name, "Dark") || len(dark.Users) != 1 {
		t.Errorf("a group that is not listed stands as %+v", dark)
	}
	if got := delegation.Covered(index.Compile(d), &model.Delegation{ID: "x", People: model.People{Filter: `area eq "t2"`}}); len(
		got,
	) != 1 ||
		got[0] != "sid" {
		t.Errorf("a filter covers %v", got)
	}
	if got := delegation.Covered(index.Compile(d), &model.Delegation{ID: "x", People: model.People{Filter: `area qq`}}); got != nil {
		t.Errorf("what is no filter covers %v", got)
	}
}

// Each change of state takes the action that it is: nobody comes out of a lock, or into an account, by another one.
func TestChangesOfState(t *testing.T) {
	for _, c := range []struct {
		was, is model.UserState
		actions []string
		refused bool
	}{
		{model.UserLocked, model.UserActive, []string{"lock"}, false},
		{model.UserLocked, model.UserActive, []string{"deactivate"}, true},
		{model.UserLocked, model.UserDeactivated, []string{"deactivate"}, true}, // from where it would come back active
		{model.UserDeactivated, model.UserLocked, []string{"deactivate"}, true},
		{model.UserLocked, model.UserDeactivated, []string{"deactivate", "lock"}, false},
		{model.UserDeactivated, model.UserActive, []string{"deactivate"}, false},
		{model.UserDeactivated, model.UserActive, []string{"lock", "edit"}, true},
		{model.UserInvited, model.UserActive, []string{"edit", "lock", "deactivate", "invite"}, true},
		{model.UserActive, model.UserInvited, []string{"edit", "lock", "deactivate", "invite"}, true},
		{model.UserInvited, model.UserLocked, []string{"edit", "lock", "deactivate", "invite"}, true},
	} {
		d := design(t)
		site, _ := d.Delegations.Find("site")
		site = change.Clone(site)
		site.Actions = c.actions
		pat, _ := d.Users.Find("pat")
		pat = change.Clone(pat)
		pat.State = c.was
		d = d.With([]model.Edit{
			{Kind: model.KindDelegation, ID: "site", After: site},
			{Kind: model.KindUser, ID: "pat", After: pat},
		})
		now1 := change.Clone(pat)
		now1.State = c.is
		op := change.Put(d, now1)
		after := index.Compile(change.Lay(d, []change.Op{op}))
		r := delegation.Of(index.Compile(d), "mia", now).CheckOp(op, after)
		if (r != nil) != c.refused {
			t.Errorf("with %v, from %s to %s: %v", c.actions, c.was, c.is, r)
		}
	}
}

// A delegate reads of the people in sight only what concerns systems in sight, and of a conflict nobody who is out of sight.
func TestPartTellsNothingOfWhatIsOutOfSight(t *testing.T) {
	d := design(t)
	pat, _ := d.Users.Find("pat")
	pat = change.Clone(pat)
	pat.LastUse = map[string]time.Time{"s": now, "far": now}
	conflict := &model.Conflict{ID: "c", Name: "C", Items: []model.Item{{Role: "clerk"}, {Permission: "s:gate:view"}},
		Exceptions: []model.Exception{
			{User: "pat", Until: now.AddDate(1, 0, 0), Reason: "short of people"},
			{User: "sid", Until: now.AddDate(1, 0, 0), Reason: "a secret of sid's"},
		}}
	d = d.With([]model.Edit{
		{Kind: model.KindUser, ID: "pat", After: pat},
		{Kind: model.KindConflict, ID: "c", After: conflict},
	})
	part := delegation.Of(index.Compile(d), "mia", now).Part()
	seen, _ := part.Users.Find("pat")
	if _, far := seen.LastUse["far"]; far || len(seen.LastUse) != 1 {
		t.Errorf("of pat's uses are seen %v", seen.LastUse)
	}
	c, ok := part.Conflicts.Find("c")
	if !ok || len(c.Exceptions) != 1 || c.Exceptions[0].User != "pat" {
		t.Errorf("of the conflict is seen %+v", c)
	}
}

package delegation_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/ahead"
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
	a := delegation.Of(ahead.Of(index.Compile(d)), "mia", now)
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
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: &model.Assignment{Role: "clerk", Area: "t1"}},
			"must end by 2 June 2026"},
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: give("clerk", "t2", 1)},
			"within Terminal 1, and that area lies outside"},
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: give("clerk", "", 1)},
			"the whole organisation lies outside"},
		{delegation.Act{Action: "assign", User: user("pat"), Assignment: give("boss", "t1", 1)},
			"the role “Boss” is not among those"},
		{delegation.Act{Action: "assign", User: user("sid"), Assignment: give("clerk", "t1", 1)},
			"Sid is not among the people"},
		{delegation.Act{Action: "assign", User: user("mia"), Assignment: give("clerk", "t1", 1)},
			"Nobody acts on themselves"},
		{delegation.Act{Action: "lock", User: user("zoe")}, "Zoe holds the critical permission s:gate:break"},
		{delegation.Act{Action: "revoke", User: user("pat"), Assignment: &model.Assignment{Role: "clerk", Area: "t1"}}, ""},
		{delegation.Act{Action: "membership", User: user("pat"), Group: "crew"}, ""},
		{delegation.Act{Action: "membership", User: user("pat"), Group: "elite"},
			"gives the role “Boss”, which you could not assign"},
		{delegation.Act{Action: "membership", User: user("pat"), Group: "away"}, "that group is not among those"},
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
	if r := delegation.Of(ahead.Of(index.Compile(d)), "pat",
		now).Check(delegation.Act{Action: "lock", User: user("sid")}); r == nil ||
		!strings.Contains(r.Reason, "Nothing that is delegated to you") {
		t.Errorf("somebody without a delegation: %v", r)
	}
}

func TestWhatAChangeMayDo(t *testing.T) {
	d := design(t)
	x := index.Compile(d)
	a := delegation.Of(ahead.Of(x), "mia", now)
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
		"edit":              {edited("pat", func(u *model.User) { u.JobTitle = "Gate clerk" }), ""},
		"lock":              {edited("pat", func(u *model.User) { u.State = model.UserLocked }), ""},
		"deactivate":        {edited("pat", func(u *model.User) { u.State = model.UserDeactivated }), "deactivate"},
		"delete by state":   {edited("pat", func(u *model.User) { u.State = model.UserDeleted }), "cannot be deleted"},
		"move out of reach": {edited("pat", func(u *model.User) { u.Area = "t2" }), "no area"},
		"bring into reach":  {edited("sid", func(u *model.User) { u.Area = "t1" }), "not among what is delegated"},
		"delete":            {change.Delete(d.Users[1]), "cannot be deleted"},
		"invite": {change.Put(d,
			&model.User{ID: "new", UserName: "new", DisplayName: "New", Area: "t1", State: model.UserInvited}), ""},
		"invite elsewhere": {change.Put(d,
			&model.User{ID: "new", UserName: "new", DisplayName: "New", Area: "t2", State: model.UserInvited}), "no area"},
		"make active at once": {change.Put(d,
			&model.User{ID: "new", UserName: "new", DisplayName: "New", Area: "t1", State: model.UserActive}),
			"can only be invited"},
		"rename a group":      {change.Put(d, renamed), "only which people are listed"},
		"nest a group":        {change.Put(d, nested), "only which people are listed"},
		"list a stranger":     {change.Put(d, joined), "no person"},
		"delete a group":      {change.Delete(crew), "only its members changed"},
		"revoke from a group": {change.Delete(other), "not to a group"},
		"edit a role":         {change.Put(d, &model.Role{ID: "own", Name: "Own"}), "cannot be changed through a delegation"},
		"assign": {change.Put(d,
			&model.Assignment{ID: "n", Subject: model.Subject{User: "pat"}, Role: "clerk", Area: "t1",
				Until: now.AddDate(0, 1, 0)}), ""},
		"assign to nobody": {change.Put(d, &model.Assignment{ID: "n", Subject: model.Subject{User: "ghost"}, Role: "clerk"}),
			"no person"},
	} {
		after := change.Lay(d, []change.Op{c.op})
		var view *ahead.View
		if len(model.Errors(model.Check(after))) == 0 {
			view = ahead.Of(index.Compile(after))
		}
		against := a.Judge([]change.Op{c.op}, view)
		if c.says == "" && len(against) > 0 ||
			c.says != "" && (len(against) == 0 || !strings.Contains(against[0].Reason, c.says)) {
			t.Errorf("%s: %v, want %q", name, against, c.says)
		}
	}
}

func TestPart(t *testing.T) {
	d := design(t)
	part := delegation.Of(ahead.Of(index.Compile(d)), "mia", now).Part()
	for kind, want := range map[model.Kind]string{model.KindUser: "mia pat zoe",
		model.KindGroup: "crew elite not-listed-1", model.KindRole: "boss clerk", model.KindArea: "t1 top",
		model.KindDelegation: "site"} {
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
	if got := delegation.Covered(index.Compile(d),
		&model.Delegation{ID: "x", People: model.People{Filter: `area eq "t2"`}}); len(
		got,
	) != 1 ||
		got[0] != "sid" {
		t.Errorf("a filter covers %v", got)
	}
	if got := delegation.Covered(index.Compile(d),
		&model.Delegation{ID: "x", People: model.People{Filter: `area qq`}}); got != nil {
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
		after := ahead.Of(index.Compile(change.Lay(d, []change.Op{op})))
		against := delegation.Of(ahead.Of(index.Compile(d)), "mia", now).Judge([]change.Op{op}, after)
		if (len(against) > 0) != c.refused {
			t.Errorf("with %v, from %s to %s: %v", c.actions, c.was, c.is, against)
		}
	}
}

// A delegate reads of a conflict nothing about people who are out of sight.
func TestPartTellsNothingOfWhatIsOutOfSight(t *testing.T) {
	d := design(t)
	conflict := &model.Conflict{ID: "c", Name: "C", Items: []model.Item{{Role: "clerk"}, {Permission: "s:gate:view"}},
		Exceptions: []model.Exception{
			{User: "pat", Until: now.AddDate(1, 0, 0), Reason: "short of people"},
			{User: "sid", Until: now.AddDate(1, 0, 0), Reason: "a secret of sid's"},
		}}
	d = d.With([]model.Edit{
		{Kind: model.KindConflict, ID: "c", After: conflict},
	})
	part := delegation.Of(ahead.Of(index.Compile(d)), "mia", now).Part()
	c, ok := part.Conflicts.Find("c")
	if !ok || len(c.Exceptions) != 1 || c.Exceptions[0].User != "pat" {
		t.Errorf("of the conflict is seen %+v", c)
	}
}

// Each of these once made a delegate more than they were given.
func TestAttacksOfADelegate(t *testing.T) {
	base := design(t)
	person := func(d *model.Design, id string, do func(u *model.User)) change.Op {
		u, _ := d.Users.Find(id)
		u = change.Clone(u)
		do(u)
		return change.Put(d, u)
	}
	invited := func(do func(u *model.User)) func(d *model.Design) change.Op {
		return func(d *model.Design) change.Op {
			u := &model.User{ID: "new", UserName: "new", DisplayName: "New", Area: "t1", State: model.UserInvited}
			do(u)
			return change.Put(d, u)
		}
	}
	edited := func(id string, do func(u *model.User)) func(d *model.Design) change.Op {
		return func(d *model.Design) change.Op { return person(d, id, do) }
	}
	listed := func(group, user string) func(d *model.Design) change.Op {
		return func(d *model.Design) change.Op {
			g, _ := d.Groups.Find(group)
			g = change.Clone(g)
			g.Users = append(g.Users, user)
			return change.Put(d, g)
		}
	}
	rule := func(id, text string) model.Edit {
		return model.Edit{
			Kind:  model.KindGroup,
			ID:    id,
			After: &model.Group{ID: id, Name: "Chosen", Type: model.Rule, Rule: text},
		}
	}
	gives := func(a *model.Assignment) model.Edit {
		return model.Edit{Kind: model.KindAssignment, ID: a.ID, After: a}
	}
	site := func(do func(g *model.Delegation)) model.Edit {
		g, _ := base.Delegations.Find("site")
		g = change.Clone(g)
		g.Actions = append(g.Actions, "move", "seat", "deactivate")
		do(g)
		return model.Edit{Kind: model.KindDelegation, ID: "site", After: g}
	}
	more := site(func(*model.Delegation) {})
	user := func(u *model.User) model.Edit { return model.Edit{Kind: model.KindUser, ID: u.ID, After: u} }
	at := func(id, area string) *model.User {
		return &model.User{ID: id, UserName: id, DisplayName: id, Area: area}
	}
	gift := func(subject string) *model.Assignment {
		return &model.Assignment{ID: "b" + subject, Subject: model.Subject{Group: subject}, Role: "remote", Area: "t1"}
	}
	for name, c := range map[string]struct {
		with []model.Edit
		op   func(d *model.Design) change.Op
		says string // empty: permitted
	}{
		"an invitation whose title a rule group matches": {
			[]model.Edit{rule("rg", `title eq "boss"`), gives(gift("rg"))},
			invited(func(u *model.User) { u.JobTitle = "Boss" }), "by its rule",
		},
		"an edit of a title that a rule group matches": {
			[]model.Edit{rule("rg", `title eq "boss"`), gives(gift("rg"))},
			edited("pat", func(u *model.User) { u.JobTitle = "Boss" }), "by its rule",
		},
		"a rule group whose gift begins later": {
			[]model.Edit{rule("rg", `title eq "boss"`), gives(&model.Assignment{
				ID: "later", Subject: model.Subject{Group: "rg"}, Role: "remote", Area: "t1", From: now.AddDate(1, 0, 0),
			})},
			edited("pat", func(u *model.User) { u.JobTitle = "Boss" }), "by its rule",
		},
		"a rule group that asks for live people": {
			[]model.Edit{rule("rg", `title eq "boss" and active eq true`), gives(gift("rg"))},
			invited(func(u *model.User) { u.JobTitle = "Boss" }), "by its rule",
		},
		"a rule group that gives something critical": {
			[]model.Edit{rule("rg", `title eq "boss"`),
				gives(&model.Assignment{ID: "c2", Subject: model.Subject{Group: "rg"}, Role: "boss"})},
			invited(func(u *model.User) { u.JobTitle = "Boss" }), "will hold the critical permission",
		},
		"a rule group on which nothing hangs": {
			[]model.Edit{rule("rg", `title eq "boss"`)},
			edited("pat", func(u *model.User) { u.JobTitle = "Boss" }), "",
		},
		"a rule group that is theirs to fill": {
			[]model.Edit{rule("rg", `title eq "clerk"`), site(func(g *model.Delegation) { g.Groups = append(g.Groups, "rg") })},
			edited("pat", func(u *model.User) { u.JobTitle = "Clerk" }), "",
		},
		"a second account of one's own": {
			[]model.Edit{user(func() *model.User { u := at("mia", "t1"); u.Email = "mia@n.example"; return u }())},
			invited(func(u *model.User) { u.Email = "MIA@n.example" }), "your own e-mail address",
		},
		"widening one's reach by a title": {
			[]model.Edit{more, {Kind: model.KindDelegation, ID: "pilots", After: &model.Delegation{
				ID: "pilots", Name: "Pilots", Delegate: model.Subject{User: "mia"}, Actions: []string{"assign"},
				People: model.People{Filter: `title eq "pilot"`}, Roles: []string{"boss"},
			}}},
			edited("pat", func(u *model.User) { u.JobTitle = "Pilot" }), "whether your own delegation",
		},
		"a group that another delegation is given to": {
			[]model.Edit{more, {Kind: model.KindDelegation, ID: "z", After: &model.Delegation{
				ID: "z", Name: "Z", Delegate: model.Subject{Group: "crew"}, Actions: []string{"lock"},
				People: model.People{Area: "top"},
			}}, user(at("quy", "t1"))},
			listed("crew", "quy"), "gives a delegation",
		},
		"an end in the past by edit alone": {
			[]model.Edit{site(func(g *model.Delegation) { g.Actions = []string{"edit"} })},
			edited("pat", func(u *model.User) { u.Until = now.AddDate(0, 0, -1) }), "change the validity of",
		},
		"a move by edit alone": {
			[]model.Edit{site(func(g *model.Delegation) { g.Actions = []string{"edit"} })},
			edited("pat", func(u *model.User) { u.Manager = "mia" }), "“move”",
		},
		"another e-mail address": {[]model.Edit{more}, edited("pat", func(u *model.User) {
			u.Email = "x@n.example"
		}), "e-mail address"},
		"another user name": {[]model.Edit{more}, edited("pat", func(u *model.User) {
			u.UserName = "root"
		}), "the user name"},
		"a directory's person": {[]model.Edit{more}, edited("pat", func(u *model.User) {
			u.Source = model.Directory
		}), "who keeps the account"},
		"a licence without seat": {[]model.Edit{{Kind: model.KindLicence, ID: "l",
			After: &model.Licence{ID: "l", Name: "L"}}}, invited(func(u *model.User) {
			u.Licences = []string{"l"}
		}), "no licence"},
		"above oneself elsewhere": {
			// Mia holds the same at terminal 2 only.
			[]model.Edit{more, gives(&model.Assignment{ID: "m", Subject: model.Subject{User: "mia"}, Role: "boss", Area: "t2"})},
			edited("zoe", func(u *model.User) { u.State = model.UserLocked }), "holds the critical permission",
		},
		"above oneself over one's own records": {
			[]model.Edit{more, gives(&model.Assignment{ID: "m", Subject: model.Subject{User: "mia"}, Role: "boss",
				Reach: model.ReachOwn})},
			edited("zoe", func(u *model.User) { u.State = model.UserLocked }), "holds the critical permission",
		},
		"as high as oneself": {
			[]model.Edit{more, gives(&model.Assignment{ID: "m", Subject: model.Subject{User: "mia"}, Role: "boss"})},
			edited("zoe", func(u *model.User) { u.State = model.UserLocked }), "",
		},
		"above oneself from next year on": {
			[]model.Edit{more, gives(&model.Assignment{
				ID: "m", Subject: model.Subject{User: "pat"}, Role: "boss", Area: "t1", From: now.AddDate(1, 0, 0),
			})},
			edited("pat", func(u *model.User) { u.State = model.UserLocked }), "will hold the critical permission",
		},
		"above oneself in Fachwerk": {
			[]model.Edit{more, gives(&model.Assignment{ID: "m", Subject: model.Subject{User: "pat"}, Set: model.SetAuditor})},
			edited("pat", func(u *model.User) { u.State = model.UserLocked }), "the right in Fachwerk",
		},
		"a manager who comes to hold a line": {
			[]model.Edit{more, user(at("lin", "t1")), gives(&model.Assignment{
				ID: "m", Subject: model.Subject{User: "lin"}, Role: "clerk", Area: "top", Reach: model.ReachLine,
			})},
			edited("pat", func(u *model.User) { u.Manager = "lin" }), "over the records of their line",
		},
		"a manager below one who comes to hold a line": {
			[]model.Edit{more, user(func() *model.User {
				u := at("lin", "t1")
				u.Manager = "sid"
				return u
			}()), gives(&model.Assignment{
				ID: "m", Subject: model.Subject{User: "sid"}, Role: "clerk", Area: "t1", Reach: model.ReachLine,
				Until: now.AddDate(0, 0, 5),
			})},
			edited("pat", func(u *model.User) { u.Manager = "lin" }), "over the records of their line",
		},
		"a manager to whom one could assign the line": {
			[]model.Edit{more, user(at("lin", "t1")), gives(&model.Assignment{
				ID: "m", Subject: model.Subject{User: "lin"}, Role: "clerk", Area: "t1", Reach: model.ReachLine,
				Until: now.AddDate(0, 0, 5),
			})},
			edited("pat", func(u *model.User) { u.Manager = "lin" }), "",
		},
	} {
		d := base.With(c.with)
		view := ahead.Of(index.Compile(d))
		op := c.op(d)
		after, problems := change.Apply(d, []change.Op{op})
		if after == nil {
			t.Fatalf("%s: %v", name, problems)
		}
		against := delegation.Of(view, "mia", now).Judge([]change.Op{op}, view.Next(index.Compile(after)))
		if c.says == "" && len(against) > 0 ||
			c.says != "" && (len(against) == 0 || !strings.Contains(against[0].Reason, c.says)) {
			t.Errorf("%s: %v, want %q", name, against, c.says)
		}
	}
}

// While a delegation is written, it is told into which rule groups its people could be brought by its actions.
func TestBackDoors(t *testing.T) {
	d := design(t)
	rule := func(id, text string) model.Edit {
		return model.Edit{Kind: model.KindGroup, ID: id, After: &model.Group{ID: id, Name: id, Type: model.Rule, Rule: text}}
	}
	gives := func(group string) model.Edit {
		return model.Edit{Kind: model.KindAssignment, ID: "a-" + group, After: &model.Assignment{
			ID: "a-" + group, Subject: model.Subject{Group: group}, Role: "clerk",
		}}
	}
	d = d.With([]model.Edit{
		rule("bare", `title eq "x"`), rule("by-area", `area eq "t1"`), rule("by-state", `active eq true`),
		rule("by-title", `title eq "x" and not (licences pr)`), rule("named", `department eq "y"`),
		gives("by-area"), gives("by-state"), gives("by-title"), gives("named"),
	})
	v := ahead.Of(index.Compile(d))
	for _, c := range []struct {
		actions []string
		want    string
	}{
		{[]string{"edit"}, "by-title[edit] named[edit]"}, // a group is named only together with the action that names it
		{[]string{"move", "lock"}, "by-area[move]"},
		{[]string{"seat"}, "by-title[seat]"},
		{[]string{"invite", "edit", "seat", "membership"}, "by-area[invite] by-title[invite edit seat]"},
		{[]string{"edit", "invite"}, "by-area[invite] by-title[invite edit] named[invite edit]"},
		{[]string{"lock", "assign"}, ""},
	} {
		var got []string
		for _, b := range delegation.BackDoors(v, &model.Delegation{ID: "n", Actions: c.actions, Groups: []string{"named"}},
			now) {
			got = append(got, fmt.Sprintf("%s%v", b.Group, b.Actions))
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("with %v: %v, want %s", c.actions, got, c.want)
		}
	}
}

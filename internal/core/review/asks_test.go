package review_test

import (
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
	"fachwerk/internal/core/use"
)

// wider is the design of these tests with delegations and exceptions, and with uses of s: ann's of late, dan's long
// ago.
func wider(t *testing.T) (*index.Index, *use.Book) {
	t.Helper()
	d := design(t)
	role := change.Clone(d.Roles[slices.IndexFunc(d.Roles, func(r *model.Role) bool { return r.ID == "r" })])
	role.Sets, role.Inherits = []string{"look"}, []string{"extra"}
	conflict := change.Clone(d.Conflicts[0])
	conflict.Exceptions = []model.Exception{
		{User: "cy", Until: now.AddDate(0, 1, 0), Reason: "for a month"},
		{User: "bea", Until: now.AddDate(0, 0, 2), Reason: "not needed"},
		{User: "dan", Until: now.AddDate(0, 0, -1), Reason: "over"},
	}
	fed := change.Clone(d.Users[slices.IndexFunc(d.Users, func(u *model.User) bool { return u.ID == "cy" })])
	fed.Source = model.Directory
	after, problems := change.Apply(d, []change.Op{
		change.Put(d, &model.Role{ID: "extra", Name: "Extra", Permissions: []string{"z:list:view"}}),
		change.Put(d, role), change.Put(d, conflict), change.Put(d, fed),
		change.Put(d, &model.Delegation{ID: "d1", Name: "D1", Delegate: model.Subject{Group: "g"},
			People: model.People{Area: "t1"}, Actions: []string{"edit"}, Area: "t1"}),
		change.Put(d, &model.Delegation{ID: "d2", Name: "D2", Delegate: model.Subject{User: "ann"},
			People: model.People{Area: "t2"}, Actions: []string{"assign"}, Roles: []string{"r"}, Area: "t2"}),
		change.Put(d, &model.Delegation{ID: "d3", Name: "D3", Delegate: model.Subject{User: "ann"},
			People: model.People{Area: "t2"}, Actions: []string{"edit"}, Until: now.AddDate(0, 0, -1)}),
	})
	if errors := model.Errors(problems); len(errors) > 0 {
		t.Fatal(errors)
	}
	uses := use.NewBook()
	uses.Note(use.Use{User: "ann", What: "s", At: now.AddDate(0, 0, -3)},
		use.Use{User: "bea", What: "s", At: now.AddDate(0, 0, -review.IdleAfter-1)})
	return index.Compile(after), uses
}

// said tells an item in short: what it is about, and what that keeps.
func said(i review.Item) string {
	out := string(i.Of.Kind) + ":" + i.Of.ID
	if i.Keeps.Kind != "" {
		out += " " + string(i.Keeps.Kind) + ":" + i.Keeps.ID
	}
	return strings.Join(append([]string{out}, i.Direct...), " #")
}

func ask(t *testing.T, scope review.Scope) (x *index.Index, uses *use.Book, items []review.Item) {
	t.Helper()
	x, uses = wider(t)
	if err := scope.Check(x.Design()); err != nil {
		t.Fatal(err)
	}
	asides := []review.Aside{{Finding: "broken-duty conflict:c", Of: review.Target{Kind: "conflict", ID: "c"}, By: "eve"}}
	items, _ = review.Items(x, scope, review.Facts{Uses: uses, Asides: asides}, now, nil)
	return x, uses, items
}

// A role may name a permission that no catalogue has any longer; that is asked about like the rest of the role.
func TestAPermissionThatNoCatalogueHas(t *testing.T) {
	x, uses := wider(t)
	r, _ := x.Design().Roles.Find("r")
	gone := model.Clone(r)
	gone.Permissions = append(gone.Permissions, "s:former:view")
	x = index.Compile(x.Design().With([]model.Edit{{Kind: model.KindRole, ID: "r", After: gone}}))
	for scope, want := range map[review.Scope]bool{
		{Ask: review.AskRoles}: true, {Ask: review.AskRoles, System: "s"}: true, {Ask: review.AskRoles, System: "z"}: false,
		{Ask: review.AskRoles, Risk: 1}: false,
	} {
		items, _ := review.Items(x, scope, review.Facts{Uses: uses}, now, nil)
		at := slices.IndexFunc(items, func(i review.Item) bool { return i.Keeps.ID == "s:former:view" })
		if at >= 0 != want {
			t.Errorf("%+v asks about it: %v, want %v", scope, at >= 0, want)
		}
		if at < 0 {
			continue
		}
		if risk := review.Risks(x)(items[at]); risk != 0 {
			t.Errorf("its risk is %d; it gives nothing", risk)
		}
		if e := review.NewScales(x, uses, review.PostsOf(x, now), nil, now).Weigh(items[at]); e.Gives != 0 || e.Risk != 0 {
			t.Errorf("it is weighed as %+v; it gives nothing", e)
		}
	}
}

func TestWhatOtherReviewsAsk(t *testing.T) {
	for _, c := range []struct {
		scope review.Scope
		want  []string
	}{
		{review.Scope{Ask: review.AskGroups}, []string{"group:g role:r #3", `group:rule rule:title eq "clerk"`}},
		{review.Scope{Ask: review.AskGroups, Group: "rule"}, []string{`group:rule rule:title eq "clerk"`}},
		{review.Scope{Ask: review.AskGroups, Area: "t1"}, []string{"group:g role:r #3"}},
		{review.Scope{Ask: review.AskGroups, Area: "t2"}, nil},
		{review.Scope{Ask: review.AskGroups, Risk: 3}, []string{"group:g role:r #3"}},
		{review.Scope{Ask: review.AskGroups, Set: "look"}, nil},
		{review.Scope{Ask: review.AskRoles}, []string{"role:extra permission:z:list:view",
			"role:other permission:s:gate:view", "role:r permission:s:gate:open", "role:r role:extra", "role:r set:look"}},
		{review.Scope{Ask: review.AskRoles, Role: "other"}, []string{"role:other permission:s:gate:view"}},
		{review.Scope{Ask: review.AskRoles, System: "z"}, []string{"role:extra permission:z:list:view", "role:r role:extra",
			"role:r set:look"}},
		{review.Scope{Ask: review.AskRoles, Risk: 1}, []string{"role:r permission:s:gate:open"}},
		{review.Scope{Ask: review.AskRoles, Set: "look"}, []string{"role:r set:look"}},
		{review.Scope{Ask: review.AskDelegations}, []string{"delegation:d1", "delegation:d2"}},
		{review.Scope{Ask: review.AskDelegations, Group: "g"}, []string{"delegation:d1"}},
		{review.Scope{Ask: review.AskDelegations, Area: "t2"}, []string{"delegation:d2"}},
		{review.Scope{Ask: review.AskExceptions}, []string{"conflict:c aside:broken-duty conflict:c", "conflict:c user:bea",
			"conflict:c user:cy"}},
		{review.Scope{Ask: review.AskExceptions, Filter: `userName eq "cy"`}, []string{"conflict:c user:cy"}},
		// ann uses s, of z nothing is known, and the others hold nothing by themselves.
		{review.Scope{Ask: review.AskAccounts}, []string{"user:bea", "user:cy"}},
		{review.Scope{Ask: review.AskAccounts, Filter: `userName eq "cy"`}, []string{"user:cy"}},
		{review.Scope{Ask: review.AskAccounts, Area: "t2"}, nil},
	} {
		_, _, items := ask(t, c.scope)
		var got []string
		for _, i := range items {
			got = append(got, said(i))
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%+v asks %q, want %q", c.scope, got, c.want)
		}
	}
	x, _ := wider(t)
	for _, wrong := range []review.Scope{
		{Ask: "x"}, {Ask: review.AskAccounts, Risk: 1}, {Ask: review.AskDelegations, Filter: `userName eq "cy"`},
		{Ask: review.AskRoles, Area: "t1"}, {Ask: review.AskExceptions, Role: "r"}, {Ask: review.AskGroups, Group: "no"},
	} {
		if wrong.Check(x.Design()) == nil {
			t.Errorf("%+v can be asked", wrong)
		}
	}
}

func TestWhatOtherRevocationsTakeAway(t *testing.T) {
	for _, c := range []struct {
		ask  review.Ask
		item string
		gone string // what is told of it
	}{
		{review.AskGroups, "group:g role:r #3", "G loses R at T1"},
		{review.AskRoles, "role:r set:look", "Look is taken out of R"},
		{review.AskRoles, "role:r role:extra", "what Extra gives is no longer inherited by R"},
		{review.AskRoles, "role:r permission:s:gate:open", "s:gate:open is taken out of R"},
		{review.AskDelegations, "delegation:d2", "D2"},
		{review.AskExceptions, "conflict:c user:bea", "C"},
		{review.AskAccounts, "user:bea", "deactivated"},
		{review.AskGroups, `group:rule rule:title eq "clerk"`, ""}, // only somebody can say what it should be
		{review.AskAccounts, "user:cy", ""},                        // a directory keeps them
		{review.AskExceptions, "conflict:c aside:broken-duty conflict:c", ""},
	} {
		x, _, items := ask(t, review.Scope{Ask: c.ask})
		n := slices.IndexFunc(items, func(i review.Item) bool { return said(i) == c.item })
		if n < 0 {
			t.Fatalf("nothing asks %s", c.item)
		}
		i := items[n]
		byHand := i.Keeps.Kind == review.KindRule || i.User == "cy" && c.ask == review.AskAccounts
		if review.ByHand(x.Design(), i) != byHand {
			t.Errorf("%s by hand: %v", c.item, !byHand)
		}
		ops := review.Revoke(x.Design(), []review.Item{i})
		if c.gone == "" {
			if len(ops) > 0 {
				t.Errorf("%s is carried out: %v", c.item, ops)
			}
			continue
		}
		var told strings.Builder
		for _, s := range change.Sentences(ops, change.NamesIn(x.Design())) {
			for _, p := range s {
				told.WriteString(p.Text)
			}
		}
		if !strings.Contains(strings.ToLower(told.String()), strings.ToLower(c.gone)) {
			t.Errorf("%s comes to %q, want %q", c.item, told.String(), c.gone)
		}
		after, problems := change.Apply(x.Design(), ops)
		if len(model.Errors(problems)) > 0 {
			t.Fatal(problems)
		}
		if !review.Stands(x.Design(), i) || review.Stands(after, i) {
			t.Errorf("%s stands before: %v, after: %v", c.item, review.Stands(x.Design(), i), review.Stands(after, i))
		}
	}
	// Several parts of one role go in one.
	x, _, items := ask(t, review.Scope{Ask: review.AskRoles, Role: "r"})
	ops := review.Revoke(x.Design(), items)
	if r, ok := ops[0].After.(*model.Role); len(ops) != 1 || !ok || len(r.Sets)+len(r.Inherits)+len(r.Permissions) > 0 {
		t.Errorf("all parts of a role come to %+v", ops)
	}
}

func TestWhoDecidesOtherItems(t *testing.T) {
	byOwner := review.Deciders{By: review.ByOwner, Fallback: "eve"}
	for _, c := range []struct {
		ask    review.Ask
		item   string
		who    review.Deciders
		want   string
		second string // by one person, eve
	}{
		{review.AskGroups, "group:g role:r #3", byOwner, "eve", ""},
		{review.AskGroups, "group:g role:r #3", review.Deciders{By: review.ByPerson, Person: "bea", Fallback: "dan"}, "dan",
			"eve"},
		{review.AskRoles, "role:r set:look", byOwner, "dan", "eve"},
		{review.AskRoles, "role:r set:look", review.Deciders{By: review.ByPerson, Person: "ann", Fallback: "dan"}, "dan",
			"eve"},
		{review.AskDelegations, "delegation:d1", review.Deciders{By: review.ByPerson, Person: "bea", Fallback: "dan"},
			"dan", "eve"},
		{review.AskDelegations, "delegation:d1", byOwner, "eve", ""},
		{review.AskDelegations, "delegation:d2", review.Deciders{}, "bea", "eve"}, // ann's manager
		{review.AskExceptions, "conflict:c user:bea", review.Deciders{Fallback: "bea"}, "", "eve"},
		{review.AskExceptions, "conflict:c aside:broken-duty conflict:c", byOwner, "", ""}, // eve set it aside
		{review.AskAccounts, "user:bea", review.Deciders{Fallback: "dan"}, "dan", "eve"},
	} {
		x, _, items := ask(t, review.Scope{Ask: c.ask})
		i := items[slices.IndexFunc(items, func(i review.Item) bool { return said(i) == c.item })]
		chooser := review.NewChooser(x, now, nil)
		got, _ := chooser.Reviewer(i, c.who)
		second := chooser.Second(i, review.Deciders{By: review.ByPerson, Person: "eve"}, got)
		if got != c.want || second != c.second {
			t.Errorf("%s by %+v is for %q and then %q, want %q and %q", c.item, c.who, got, second, c.want, c.second)
		}
	}
	// Who is away is represented, but never by whose own it is.
	x, _, items := ask(t, review.Scope{Ask: review.AskAccounts})
	away := func(user string) (string, bool) {
		return map[string]string{"dan": "bea", "eve": "ann"}[user], user != "ann"
	}
	if got, _ := review.NewChooser(x, now, away, "eve").Reviewer(items[0],
		review.Deciders{Fallback: "dan"}); got != "ann" {
		t.Errorf("with dan represented by bea, whose own it is, and eve by ann, %q decides", got)
	}
	// What everybody has is nobody's own.
	everyone := review.Item{Of: review.Target{Kind: model.KindGroup, ID: model.Everyone}, Direct: []string{"9"}}
	if got, _ := review.NewChooser(x, now, nil).Reviewer(everyone, review.Deciders{Fallback: "dan"}); got != "dan" {
		t.Errorf("what everybody has is decided by %q", got)
	}
}

func TestEvidenceOfOtherItems(t *testing.T) {
	weigh := func(ask_ review.Ask, item string) review.Evidence {
		x, uses, items := ask(t, review.Scope{Ask: ask_})
		i := items[slices.IndexFunc(items, func(i review.Item) bool { return said(i) == item })]
		return review.NewScales(x, uses, review.PostsOf(x, now), duty.All(x, now), now).Weigh(i)
	}
	// ann and bea are live in g (lou is locked); one of them used s of late.
	if e := weigh(review.AskGroups, "group:g role:r #3"); e.Holders != 2 || e.Lately != 1 || !e.Tells || e.Risk != 3 {
		t.Errorf("of a group: %+v", e)
	}
	// ann, bea and cy hold r. Of z nothing is known, so that nobody can be said not to use it.
	if e := weigh(review.AskRoles, "role:r set:look"); e.Holders != 3 || e.Lately != 0 || e.Tells ||
		len(e.Doubts(now)) > 0 {
		t.Errorf("of a part of which no use is known: %+v", e)
	}
	if e := weigh(review.AskRoles, "role:r permission:s:gate:open"); e.Holders != 3 || e.Lately != 1 || !e.Tells {
		t.Errorf("of a part: %+v", e)
	}
	// cy breaks the conflict, bea does not.
	if e := weigh(review.AskExceptions, "conflict:c user:cy"); e.Needless || !e.Ends.Equal(now.AddDate(0, 1, 0)) {
		t.Errorf("of an exception that is needed: %+v", e)
	}
	e := weigh(review.AskExceptions, "conflict:c user:bea")
	if s, clear := e.Suggest(now); !e.Needless || !clear || s.Keep {
		t.Errorf("of an exception that is not needed: %+v suggests %+v", e, s)
	}
	if e := weigh(review.AskAccounts, "user:bea"); !e.Used || e.Never || len(e.Doubts(now)) != 1 {
		t.Errorf("of an account of which a use is known: %+v", e)
	}
	if e := weigh(review.AskAccounts, "user:cy"); e.Used || !e.Never {
		t.Errorf("of an account without any: %+v", e)
	}
}

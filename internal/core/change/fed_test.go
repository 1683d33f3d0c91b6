package change_test

import (
	"slices"
	"testing"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
)

func TestWhatADirectoryFeeds(t *testing.T) {
	fed := model.User{
		ID:          "a",
		UserName:    "a",
		DisplayName: "A",
		JobTitle:    "Clerk",
		Manager:     "m",
		Source:      model.Directory,
	}
	crew := model.Group{ID: "g", Name: "G", Users: []string{"a", "b"}, Groups: []string{"h"}, Source: model.Directory}
	there := model.Build(
		&model.Design{
			Users: model.Table[*model.User]{
				{ID: "a", UserName: "a", DisplayName: "A"},
				{ID: "b", UserName: "b", DisplayName: "B", State: model.UserDeleted},
				{ID: "m", UserName: "m", DisplayName: "M"},
			},
			Groups: model.Table[*model.Group]{{ID: "h", Name: "H"}},
		},
	)
	gone := model.Build(&model.Design{})
	user := func(alter func(u *model.User)) model.Object { u := fed; alter(&u); return &u }
	group := func(alter func(g *model.Group)) model.Object { g := crew; alter(&g); return &g }
	for name, c := range map[string]struct {
		before, after model.Object
		in            *model.Design
		want          []string
	}{
		"a title": {&fed, user(func(u *model.User) {
			u.JobTitle = "Lead"
		}), there, []string{"title"}},
		"name and title": {&fed, user(func(u *model.User) {
			u.JobTitle, u.DisplayName = "", "B"
		}), there, []string{"displayName", "title"}},
		"what no directory says": {&fed, user(func(u *model.User) {
			u.Area, u.Licences, u.State = "t", []string{"l"}, model.UserLocked
		}), there, nil},
		"another manager": {&fed, user(func(u *model.User) {
			u.Manager = "b"
		}), there, []string{"manager"}},
		"another manager as the first is gone": {&fed, user(func(u *model.User) { u.Manager = "b" }), gone, nil},
		"taken over": {&fed, user(func(u *model.User) {
			u.JobTitle, u.Source = "Lead", model.Local
		}), there, nil},
		"deleted, but for the record": {&fed, user(func(u *model.User) {
			u.State, u.Manager = model.UserDeleted, ""
		}), there, nil},
		"new":     {nil, &fed, there, nil},
		"deleted": {&fed, nil, there, nil},
		"of one kept by hand": {user(func(u *model.User) {
			u.Source = model.Local
		}), user(func(u *model.User) { u.Source, u.JobTitle = model.Local, "x" }), there, nil},
		"a member more": {&crew, group(func(g *model.Group) {
			g.Users = []string{"a", "b", "m"}
		}), there, []string{"users"}},
		"a member less": {&crew, group(func(g *model.Group) {
			g.Users = []string{"b"}
		}), there, []string{"users"}},
		"a member less who is deleted": {&crew, group(func(g *model.Group) { g.Users = []string{"a"} }), there, nil},
		"a nested group less": {&crew, group(func(g *model.Group) {
			g.Groups = nil
		}), there, []string{"groups"}},
		"a nested group less that is gone": {&crew, group(func(g *model.Group) { g.Groups, g.Users = nil, nil }), gone, nil},
		"what is said of it": {&crew, group(func(g *model.Group) {
			g.Description, g.Area, g.Owner, g.Users = "x", "t", "m", []string{"a"}
		}), there, nil},
	} {
		o := change.Op{Kind: model.KindUser, ID: "a", Before: c.before, After: c.after}
		if _, is := c.before.(*model.Group); is {
			o.Kind, o.ID = model.KindGroup, "g"
		}
		if c.before == nil {
			o.Before = nil
		}
		if got := change.Fed(o, c.in); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}

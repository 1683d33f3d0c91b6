package duty_test

import (
	"testing"
	"time"

	"fachwerk/internal/core/duty"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

var now = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

func TestWhereItemsMeet(t *testing.T) {
	make := func(where model.Where, limit model.Limit, areas ...string) *index.Index {
		d := &model.Design{
			Organisation: &model.Organisation{Name: "N"},
			Areas: model.Table[*model.Area]{
				{ID: "top", Name: "Top"},
				{ID: "north", Name: "North", Parent: "top"},
				{ID: "t1", Name: "T1", Parent: "north"},
				{ID: "south", Name: "South", Parent: "top"},
			},
			Systems: model.Table[*model.System]{
				{ID: "s", Name: "S", Permissions: []*model.Permission{{Key: "s:a:make"}, {Key: "s:a:pay"}}},
			},
			Sets: model.Table[*model.Set]{
				{ID: "make", Name: "Make", Permissions: []string{"s:a:make"}},
				{ID: "pay", Name: "Pay", Permissions: []string{"s:a:pay"}},
			},
			Roles: model.Table[*model.Role]{
				{ID: "base", Name: "Base"},
				{ID: "lead", Name: "Lead", Inherits: []string{"base"}},
			},
			Users: model.Table[*model.User]{{ID: "ann", UserName: "ann", DisplayName: "Ann"}},
			Conflicts: model.Table[*model.Conflict]{
				{
					ID:         "c",
					Name:       "C",
					Where:      where,
					Limit:      limit,
					Items:      []model.Item{{Permission: "s:a:make"}, {Permission: "s:a:pay"}, {Role: "base"}},
					Exceptions: []model.Exception{{User: "ann", Until: now.AddDate(0, 0, 1), Reason: "one day more"}},
				},
			},
		}
		for i, what := range []model.Assignment{{Set: "make"}, {Set: "pay"}, {Role: "lead"}} {
			if i < len(areas) && areas[i] != "" {
				a := what
				a.ID, a.Subject.User, a.Area = string(rune('x'+i)), "ann", areas[i]
				d.Add(&a)
			}
		}
		if problems := model.Check(d); len(problems) > 0 {
			t.Fatal(problems)
		}
		return index.Compile(model.Build(d))
	}
	for _, c := range []struct {
		what  string
		x     *index.Index
		area  string
		items int // 0: no violation
	}{
		{"nothing", make("", 1), "", 0},
		{"one alone", make("", 1, "top"), "", 0},
		{"both in one place", make("", 1, "t1", "t1"), "t1", 2},
		{"one above the other", make("", 1, "top", "t1"), "t1", 2},
		{"side by side", make("", 1, "north", "south"), "", 0},
		{"side by side, but anywhere counts", make(model.Anywhere, 1, "north", "south"), "", 2},
		{"an inherited role", make("", 1, "north", "", "t1"), "t1", 2},
		{"two where two are allowed", make("", 2, "t1", "t1"), "", 0},
		{"three where two are allowed", make("", 2, "t1", "north", "top"), "t1", 3},
	} {
		got := duty.Of(c.x, "ann", now)
		if c.items == 0 {
			if len(got) != 0 {
				t.Errorf("%s: %+v", c.what, got)
			}
			continue
		}
		if len(got) != 1 || got[0].Area != c.area || len(got[0].Items) != c.items || !got[0].Excepted {
			t.Errorf("%s: %+v, want %d items at %q", c.what, got, c.items, c.area)
		}
	}
	late := duty.Of(make("", 1, "t1", "t1"), "ann", now.AddDate(0, 0, 1))
	if len(late) != 1 || late[0].Excepted {
		t.Errorf("when the exception has run out: %+v", late)
	}
	if got := duty.Of(make("", 1, "t1", "t1"), "zed", now); got != nil {
		t.Errorf("nobody breaks %+v", got)
	}
}

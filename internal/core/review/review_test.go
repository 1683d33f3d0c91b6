package review_test

import (
	"reflect"
	"testing"
	"time"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/review"
)

var now = time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)

func design(t *testing.T) *model.Design {
	t.Helper()
	ended := now.AddDate(0, 0, -1)
	d := &model.Design{
		Organisation: &model.Organisation{Name: "N"},
		Areas:        model.Table[*model.Area]{{ID: "top", Name: "Top"}, {ID: "t1", Name: "T1", Parent: "top"}, {ID: "t2", Name: "T2", Parent: "top"}},
		Roles:        model.Table[*model.Role]{{ID: "r", Name: "R"}, {ID: "other", Name: "Other"}},
		Groups:       model.Table[*model.Group]{{ID: "g", Name: "G", Users: []string{"ann", "bea", "lou"}}},
		Users: model.Table[*model.User]{{ID: "ann", UserName: "ann", DisplayName: "Ann", Manager: "bea"}, {ID: "bea", UserName: "bea", DisplayName: "Bea"}, {ID: "cy", UserName: "cy", DisplayName: "Cy", Manager: "lou"},
			{ID: "lou", UserName: "lou", DisplayName: "Lou", State: model.UserLocked}},
		Assignments: model.Table[*model.Assignment]{
			{ID: "1", Subject: model.Subject{User: "ann"}, Role: "r", Area: "t1"}, {ID: "2", Subject: model.Subject{User: "ann"}, Role: "r", Area: "t2"}, {ID: "3", Subject: model.Subject{Group: "g"}, Role: "r", Area: "t1"},
			{ID: "4", Subject: model.Subject{User: "cy"}, Role: "r", Until: ended}, {ID: "5", Subject: model.Subject{User: "cy"}, Role: "other"}, {ID: "6", Subject: model.Subject{User: "cy"}, Role: "r", Area: "t2"},
		},
	}
	if problems := model.Check(d); len(problems) > 0 {
		t.Fatal(problems)
	}
	return model.Build(d)
}

func TestItems(t *testing.T) {
	x := index.Compile(design(t))
	for where, want := range map[string][]review.Item{
		"":   {{User: "ann", Direct: []string{"1", "2"}, Groups: []string{"g"}}, {User: "bea", Groups: []string{"g"}}, {User: "cy", Direct: []string{"6"}}},
		"t1": {{User: "ann", Direct: []string{"1"}, Groups: []string{"g"}}, {User: "bea", Groups: []string{"g"}}},
		"t2": {{User: "ann", Direct: []string{"2"}}, {User: "cy", Direct: []string{"6"}}},
	} {
		if got := review.Items(x, "r", where, now); !reflect.DeepEqual(got, want) {
			t.Errorf("at %q the items are %+v, want %+v", where, got, want)
		}
	}
}

func TestReviewer(t *testing.T) {
	x := index.Compile(design(t))
	for _, c := range []struct {
		user      string
		fallbacks []string
		want      string
	}{
		{"ann", nil, "bea"},                       // the manager
		{"bea", []string{"bea", "cy"}, "cy"},      // nobody decides about themselves
		{"cy", []string{"lou", "", "ann"}, "ann"}, // neither does who is not live
		{"bea", []string{"bea"}, ""},
	} {
		if got := review.Reviewer(x, c.user, now, c.fallbacks...); got != c.want {
			t.Errorf("%s is reviewed by %q, want %q", c.user, got, c.want)
		}
	}
}

func TestRevokeTakesWhatIsStillThere(t *testing.T) {
	d := design(t)
	ops := review.Revoke(d, []review.Item{{User: "ann", Direct: []string{"1", "gone"}, Groups: []string{"g"}}, {User: "bea", Groups: []string{"g"}}})
	if len(ops) != 1 || ops[0].ID != "1" || ops[0].After != nil {
		t.Errorf("the change is %+v", ops)
	}
}

package desk_test

import (
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/review"
	"fachwerk/internal/store"
)

// The owner of a group decides what becomes of what it gives, but not that nobody holds every right any longer.
func TestSettlingLocksNobodyOut(t *testing.T) {
	d, s := open(t)
	full := model.Build(&model.Design{
		Organisation: &model.Organisation{Name: "Small"},
		Groups:       model.Table[*model.Group]{{ID: "bosses", Name: "Bosses", Owner: "ann", Users: []string{"bea"}}},
		Users: model.Table[*model.User]{
			{ID: "ann", UserName: "ann", DisplayName: "Ann"},
			{ID: "bea", UserName: "bea", DisplayName: "Bea", Manager: "ann"},
		},
		Assignments: model.Table[*model.Assignment]{
			{ID: "b", Subject: model.Subject{Group: "bosses"}, Set: model.SetOwner},
		},
	})
	if err := d.Load(full, desk.Replace, "test"); err != nil {
		t.Fatal(err)
	}
	r := must[*review.Review](t)(d.OpenReview(bea, review.NewReview{Set: model.SetOwner}))
	ann := desk.Actor{User: "ann", Proven: now}
	item := itemsOf(t, d, ann, r.ID)[0]
	must[*review.ReviewItem](t)(d.Decide(ann, item.ID, "revoke", "not needed"))
	must[*review.Review](t)(d.CloseReview(bea, r.ID, ""))
	tasks := must[[]store.ReviewTask](t)(s.Tasks(r.ID, ""))
	if len(tasks) != 1 || tasks[0].Owner != "ann" {
		t.Fatalf("the tasks are %+v", tasks)
	}
	for _, choice := range []string{"person", "grant"} {
		_, err := d.SettleTask(ann, tasks[0].ID, choice, "as was decided")
		refused(t, err, desk.NotAllowed, "last live person")
	}
	must[*review.ReviewTask](t)(d.SettleTask(ann, tasks[0].ID, "leave", "she is the last one"))
}

// A delegate reviews the people whom the delegation names, and nobody else; and what was revoked goes away by them only
// if they could have taken it away.
func TestADelegateReviewsTheirOwn(t *testing.T) {
	for _, mayRevoke := range []bool{false, true} {
		d, _ := open(t)
		actions := []string{"review"}
		if mayRevoke {
			actions = append(actions, "revoke")
		}
		// What cy holds is critical, so eve must hold it too to act on him.
		put(t, d, &model.Delegation{
			ID: "site", Name: "Site", Delegate: model.Subject{User: "eve"}, People: model.People{Area: "t1"},
			Actions: actions, Roles: []string{"night"}, Area: "t1",
		}, &model.Assignment{ID: "eve-night", Subject: model.Subject{User: "eve"}, Role: "night", Reach: model.ReachArea,
			Mode: model.Full})
		eve := desk.Actor{User: "eve", Proven: now}
		r := must[*review.Review](t)(d.OpenReview(eve, review.NewReview{Role: "night", Fallback: "ann"}))
		items := itemsOf(t, d, eve, r.ID)
		if len(items) != 1 || items[0].Subject.ID != "cy" {
			t.Fatalf("a delegate over t1 reviews %+v", items)
		}
		must[*review.ReviewItem](t)(d.Decide(desk.Actor{User: "ann"}, items[0].ID, "revoke", "not needed"))
		_, err := d.CloseReview(eve, r.ID, "")
		if mayRevoke {
			if err != nil || d.Design().Get(model.KindAssignment, "cy-night") != nil {
				t.Errorf("with the action, what was revoked stays: %v", err)
			}
			continue
		}
		refused(t, err, desk.NotAllowed, "cannot be applied")
		if d.Design().Get(model.KindAssignment, "cy-night") == nil {
			t.Error("without the action, it is taken away")
		}
	}
}

// No directory takes away the last owner: neither alone, nor in a crowd, of which the others are carried out.
func TestADirectoryLocksNobodyOut(t *testing.T) {
	d, _ := open(t)
	for _, id := range []string{"bea", "dan"} {
		u, _ := d.Design().Users.Find(id)
		u = model.Clone(u)
		u.Source = model.Directory
		put(t, d, u)
	}
	_, err := d.Feed(directory.Speaker{Name: "dir"}, func(f *directory.Request) error { return f.Leave("bea") })
	refused(t, err, desk.NotAllowed, "last live person")
	if _, err := d.Feed(directory.Speaker{Name: "dir"}, func(f *directory.Request) error {
		return f.Leave("dan")
	}); err != nil {
		t.Error(err)
	}
}

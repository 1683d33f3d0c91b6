package desk_test

import (
	"fmt"
	"slices"
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/peers"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/rooms"
)

// posted is the small organisation with two posts: hands at Terminal 1, who open gates at home and are in the crew; and
// clerks at Terminal 2, who see them there, and most of whom are in a group of their own.
func posted(t *testing.T) *rooms.Desk {
	t.Helper()
	d, _ := open(t)
	x := design()
	person := func(id, title, home string) {
		x.Users = append(x.Users, &model.User{ID: id, UserName: id, DisplayName: id, JobTitle: title, Area: home})
	}
	give := func(id, role, area string) {
		x.Assignments = append(x.Assignments, &model.Assignment{
			ID: id + "-" + role, Subject: model.Subject{User: id}, Role: role, Area: area,
		})
	}
	crew, _ := x.Groups.Find("crew")
	office := &model.Group{ID: "office", Name: "Office"}
	for i := range 4 {
		hand, clerk := fmt.Sprintf("hand%d", i), fmt.Sprintf("clerk%d", i)
		person(hand, "Hand", "t1")
		person(clerk, "Clerk", "t2")
		give(hand, "night", "t1")
		give(clerk, "clerk", "t2")
		crew.Users = append(crew.Users, hand)
		if i < 3 {
			office.Users = append(office.Users, clerk)
		}
	}
	give("clerk0", "lead", "")
	give("hand0", "lead", "") // which is of no post
	x.Groups = append(x.Groups, office)
	if err := d.Load(model.Build(x), desk.Replace, "posts"); err != nil {
		t.Fatal(err)
	}
	return d
}

func things(list []people.MovedThing) (out []string) {
	for _, m := range list {
		out = append(out, fmt.Sprint(m.Key, " ", m.Old, " ", m.New, " ", m.Most))
	}
	return out
}

// Somebody who moves is given what the new post gives, and leaves behind what was of the old one only.
func TestAMove(t *testing.T) {
	d := posted(t)
	owner := desk.Actor{User: "bea", Proven: now}
	to := people.NewPost{Title: "Clerk", Area: "t2", Manager: "ann"}
	m := must[*people.Moving](t)(d.Move(owner, "hand0", to))
	if m.Old != 3 || m.New != 4 {
		t.Errorf("there are %d and %d peers", m.Old, m.New)
	}
	if got, want := things(m.Gives), []string{
		"role clerk ~ area full 0 4 true", "group office    0 3 true",
	}; !slices.Equal(got, want) {
		t.Errorf("the new post gives %q, want %q", got, want)
	}
	if got, want := things(m.Leaves), []string{
		"role lead  area full 0 1 false", "role night ~ area full 3 0 true", "group crew    3 0 true",
	}; !slices.Equal(got, want) {
		t.Errorf("the old post leaves %q, want %q", got, want)
	}
	plan := people.MovingPlan{User: "hand0", Post: to}
	for _, g := range m.Gives {
		plan.Gives = append(plan.Gives, g.Key)
	}
	for _, l := range m.Leaves {
		if l.Most {
			plan.Leaves = append(plan.Leaves, l.Key)
		}
	}
	draft := must[*desk.Draft](t)(d.DraftMove(owner, plan))
	if len(draft.Edits) != 1 {
		t.Errorf("a move is %d acts", len(draft.Edits))
	}
	applyAll(t, d, owner)
	u, _ := d.Present().Design().Users.Find("hand0")
	if u.JobTitle != "Clerk" || u.Area != "t2" || u.Manager != "ann" || allowed(d, "hand0", "s:gate:open", "t1") ||
		!allowed(d, "hand0", "s:gate:view", "t2") || d.Present().Index.InGroup("hand0", "crew") ||
		!d.Present().Index.InGroup("hand0", "office") {
		t.Errorf("they have moved as %+v", u)
	}
	m = must[*people.Moving](t)(d.Move(owner, "hand0", to))
	if len(m.Gives) != 0 {
		t.Errorf("once there, the post gives %q", things(m.Gives))
	}
	_, err := d.DraftMove(owner, people.MovingPlan{User: "hand0", Post: to})
	refused(t, err, desk.Conflict, "Nothing would change")
	_, err = d.Move(owner, "nobody", to)
	refused(t, err, desk.NotFound, "There is no person")
	_, err = d.Move(owner, "hand1", people.NewPost{Area: "none"})
	refused(t, err, desk.NotFound, "There is no area")
	_, err = d.Move(cy, "hand1", to)
	refused(t, err, desk.NotAllowed, "")
}

// What peers hold is told with how many of them, and a delegate is told of their own people only.
func TestWhatPeersHold(t *testing.T) {
	d := posted(t)
	shares := must[*people.PeerShares](t)(d.PeersOf(bea, peers.Job{Title: "Clerk"}, ""))
	var got []string
	for _, s := range shares.Shares {
		got = append(got, fmt.Sprint(s.Thing.Name, " ", s.Where, " ", s.N, " ", s.Most))
	}
	want := []string{
		"By rule  4 true", "Clerk at the home of each 4 true", "Office  3 true", "Lead over the whole organisation 1 false",
	}
	if shares.People != 4 || !slices.Equal(got, want) {
		t.Errorf("%d clerks hold %q, want %q", shares.People, got, want)
	}
	if like := must[*people.PeerShares](t)(d.PeersOf(bea, peers.Job{}, "hand0")); like.People != 1 ||
		len(like.Shares) != 4 || !like.Shares[1].ByItself {
		t.Errorf("one person holds %+v", like)
	}
	if none := must[*people.PeerShares](t)(d.PeersOf(bea, peers.Job{}, "")); none.People != 0 || len(none.Shares) != 0 {
		t.Errorf("of no job: %+v", none)
	}
	put(t, d, &model.Delegation{
		ID: "d", Name: "Terminal 1", Delegate: model.Subject{User: "ann"}, People: model.People{Area: "t1"},
		Actions: []string{"invite", "assign"}, Roles: []string{"night"}, Area: "t1",
	})
	if other := must[*people.PeerShares](t)(d.PeersOf(ann, peers.Job{Title: "Clerk"}, "")); other.People != 0 {
		t.Errorf("a delegate learns of others: %+v", other)
	}
	own := must[*people.PeerShares](t)(d.PeersOf(ann, peers.Job{Title: "Hand"}, ""))
	may := map[string]bool{}
	for _, share := range own.Shares {
		may[share.Thing.ID] = share.May
	}
	if own.People != 4 || !may["night"] || may["crew"] {
		t.Errorf("a delegate learns of their own: %+v, and may give %v", own, may)
	}
	_, err := d.PeersOf(ann, peers.Job{}, "clerk0")
	refused(t, err, desk.NotFound, "There is no person")
}

// What somebody holds at their home does not move with them: at the new home it is given anew.
func TestWhatIsHeldAtHomeStaysBehind(t *testing.T) {
	d := posted(t)
	put(t, d, &model.Assignment{ID: "h", Subject: model.Subject{User: "hand1"}, Role: "clerk", Area: "t1"})
	m := must[*people.Moving](t)(d.Move(bea, "hand1", people.NewPost{Title: "Clerk", Area: "t2"}))
	if !slices.Contains(things(m.Leaves), "role clerk ~ area full 0 0 true") ||
		!slices.Contains(things(m.Gives), "role clerk ~ area full 0 4 true") {
		t.Errorf("the old home leaves %q, the new one gives %q", things(m.Leaves), things(m.Gives))
	}
}

package desk_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/desk/view"
)

// seated is the small organisation with seats: opening a gate needs gold, which covers plain, which viewing one needs.
func seated(t *testing.T) (*rooms.Desk, *time.Time) {
	t.Helper()
	d, _, clock := clocked(t)
	one, four := 1, 4
	x := design()
	x.Licences = model.Table[*model.Licence]{
		{ID: "gold", Name: "Gold", Seats: &four, Covers: []string{"plain"}}, {ID: "plain", Name: "Plain", Seats: &one},
	}
	x.Systems[slices.IndexFunc(x.Systems, func(s *model.System) bool {
		return s.ID == "s"
	})].Permissions = []*model.Permission{
		{Key: "s:gate:open", Class: model.Write, Risk: 3, Implies: []string{"s:gate:view"}, Licence: "gold"},
		{Key: "s:gate:view", Licence: "plain"},
	}
	for _, id := range []string{"cy", "eve", "bea"} { // eve holds nothing of it
		u, _ := x.Users.Find(id)
		u.Licences = []string{"gold"}
	}
	x.Assignments = append(x.Assignments,
		&model.Assignment{ID: "bea-clerk", Subject: model.Subject{User: "bea"}, Role: "clerk"})
	if err := d.Load(model.Build(x), desk.Replace, "seats"); err != nil {
		t.Fatal(err)
	}
	return d, clock
}

// names gives the people of rows.
func seatRows(t *testing.T, d *rooms.Desk, who desk.Actor, licence, part string) (out []string) {
	t.Helper()
	for _, r := range must[*view.Seats](t)(d.Seats(who, licence, part, 90, 0, 100)).Rows {
		out = append(out, r.User.ID)
	}
	return out
}

// The desk of seats tells who sits, who waits and since when, what is withheld, and who could do with less; the next
// free seats go to those who have waited longest, and what is idle comes free through a worklist.
func TestTheDeskOfSeats(t *testing.T) {
	d, clock := seated(t)
	for id, days := range map[string]int{"cy": 3, "eve": 100, "bea": 5} {
		d.Uses.Note(use.Use{User: id, What: "s", At: now.AddDate(0, 0, -days)})
	}
	owner := desk.Actor{User: "bea"}
	assign := func(id string) {
		owner.Proven = *clock
		must[*desk.Draft](t)(d.Put(owner, nil, &model.Assignment{
			ID: id + "-clerk", Subject: model.Subject{User: id}, Role: "clerk", Area: "t2",
		}))
		applyAll(t, d, owner)
	}
	for _, id := range []string{"kay", "ann"} { // not in the order of their names
		*clock = clock.Add(24 * time.Hour)
		assign(id)
	}
	pools := must[[]view.SeatPool](t)(d.SeatPools(owner, 90))
	if len(pools) != 2 || pools[0].Licence.ID != "gold" || pools[0].Used != 3 || *pools[0].Free != 1 ||
		pools[0].Idle != 1 ||
		pools[0].NoUse != 0 || pools[0].Lacking != 1 || pools[0].Lesser != 2 || pools[1].Lacking != 3 || !pools[0].May {
		t.Errorf("the pools are %+v", pools)
	}
	for part, want := range map[string][]string{
		"gold taken": {"eve", "bea", "cy"}, "gold idle": {"eve"}, "gold waiting": {"dan"}, "gold lesser": {"bea", "eve"},
		"plain waiting": {"dan", "kay", "ann"}, "plain taken": nil,
	} {
		licence, which, _ := cut(part)
		if got := seatRows(t, d, owner, licence, which); !slices.Equal(got, want) {
			t.Errorf("%s: %q, want %q", part, got, want)
		}
	}
	waits := must[*view.Seats](t)(d.Seats(owner, "plain", "waiting", 90, 1, 1))
	if waits.Match != 3 || len(waits.Rows) != 1 || waits.Rows[0].User.ID != "kay" || waits.Rows[0].Lacking != 1 ||
		!slices.Equal(waits.Rows[0].Lacks, []string{"s:gate:view"}) || !waits.Rows[0].Since.Equal(now.Add(24*time.Hour)) {
		t.Errorf("who waits: %+v", waits)
	}
	lesser := must[*view.Seats](t)(d.Seats(owner, "gold", "lesser", 90, 0, 100))
	if lesser.Rows[0].Lesser == nil || lesser.Rows[0].Lesser.ID != "plain" || lesser.Rows[1].Lesser != nil {
		t.Errorf("who could do with less: %+v", lesser.Rows)
	}

	// Assigning tells who has no seat, before it is assigned.
	need := must[[]view.SeatNeed](t)(d.SeatsNeeded(owner,
		[]desk.End{end("user", "cy"), end("user", "dan"), end("group", "crew")}, []desk.End{end("role", "night")}))
	if len(need) != 1 || need[0].Licence.ID != "gold" || need[0].People != 2 || need[0].Without != 1 ||
		*need[0].Free != 1 {
		t.Errorf("what is needed: %+v", need)
	}

	draft := must[*desk.Draft](t)(d.GiveSeats(owner, "plain", 5))
	if got := told(draft); len(got) != 1 || got[0] != "the licence Plain is given to Dan" || len(draft.Seats) != 1 ||
		draft.Seats[0].More != 1 {
		t.Errorf("the next free seats: %q, %+v", got, draft.Seats)
	}
	_, err := d.GiveSeats(owner, "plain", 1)
	refused(t, err, desk.Conflict, "No seat of Plain is free")
	must[*desk.Draft](t)(d.Discard(owner))

	head := must[*people.Head](t)(d.SeatWorklist(owner, "gold", "idle", 90))
	if got := rowsOf(look(t, d, owner, head.ID, people.Window{})); !slices.Equal(got, []string{
		"eve does; Gives back the seat of Gold.",
	}) {
		t.Errorf("the worklist is %q", got)
	}
	draft = must[*desk.Draft](t)(d.DraftWorklist(owner, head.ID))
	if len(draft.Seats) != 1 || draft.Seats[0].More != -1 {
		t.Errorf("it frees %+v", draft.Seats)
	}
	applyAll(t, d, owner)
	head = must[*people.Head](t)(d.SeatWorklist(owner, "gold", "lesser", 90))
	if got := rowsOf(look(t, d, owner, head.ID, people.Window{})); !slices.Equal(got, []string{
		"bea does; Is given a seat of Plain.; Gives back the seat of Gold.",
	}) {
		t.Errorf("the worklist of lesser seats is %q", got)
	}
	_, err = d.SeatWorklist(owner, "gold", "idle", 90)
	refused(t, err, desk.Conflict, "nobody to gather")
	_, err = d.Seats(owner, "none", "taken", 90, 0, 10)
	refused(t, err, desk.NotFound, "There is no licence")
	_, err = d.SeatPools(cy, 90)
	refused(t, err, desk.NotAllowed, "")
}

// cut parts two words.
func cut(words string) (a, b string, ok bool) { return strings.Cut(words, " ") }

// A delegate who gives seats gives them to their own people, and sees nobody else wait.
func TestSeatsOfADelegate(t *testing.T) {
	d, _ := seated(t)
	owner := desk.Actor{User: "bea", Proven: now}
	for _, o := range []model.Object{
		&model.Assignment{ID: "ann-clerk", Subject: model.Subject{User: "ann"}, Role: "clerk", Area: "t1"},
		&model.User{ID: "gus", UserName: "gus", DisplayName: "Gus", Area: "t1"},
		&model.Assignment{ID: "gus-clerk", Subject: model.Subject{User: "gus"}, Role: "clerk", Area: "t1"},
		&model.Delegation{
			ID: "seats", Name: "Seats", Delegate: model.Subject{User: "ann"}, People: model.People{Area: "t1"},
			Actions: []string{"seat", "assign"}, Roles: []string{"clerk"}, Area: "t1",
		},
	} {
		must[*desk.Draft](t)(d.Put(owner, nil, o))
	}
	applyAll(t, d, owner)
	if got := seatRows(t, d, ann, "plain", "waiting"); slices.Contains(got, "dan") || !slices.Contains(got, "gus") {
		t.Errorf("a delegate sees wait %q", got)
	}
	// What is free is free for everybody; of whom they do not see, a delegate is told how many sit there.
	whole := map[string]view.SeatPool{}
	for _, p := range must[[]view.SeatPool](t)(d.SeatPools(owner, 90)) {
		whole[p.Licence.ID] = p
	}
	others := 0
	for _, p := range must[[]view.SeatPool](t)(d.SeatPools(ann, 90)) {
		all := whole[p.Licence.ID]
		if p.Used+p.Others != all.Used || all.Others != 0 || (p.Free == nil) != (all.Free == nil) ||
			p.Free != nil && *p.Free != *all.Free {
			t.Errorf("a delegate is told %+v, who sees all %+v", p, all)
		}
		others += p.Others
	}
	if others == 0 {
		t.Error("nobody outside the delegate's part has a seat")
	}
	need := must[[]view.SeatNeed](t)(d.SeatsNeeded(ann, []desk.End{end("user", "gus")}, []desk.End{end("role", "clerk")}))
	if len(need) != 1 || *need[0].Free != *whole[need[0].Licence.ID].Free {
		t.Errorf("what a delegate's grant needs: %+v", need)
	}
	draft := must[*desk.Draft](t)(d.GiveSeats(ann, "plain", 5))
	if got := told(draft); len(got) != 1 || got[0] != "the licence Plain is given to Gus" {
		t.Errorf("a delegate gives %q", got)
	}
}

// A seat is idle where uses of what needs it are known, and none by who sits there for so long; where none is known, it
// is not said to be. Where it is known which permissions are used, these decide.
func TestWhetherASeatIsUsed(t *testing.T) {
	d, _ := seated(t)
	owner := desk.Actor{User: "bea"}
	put(t, d, altered(d, model.KindUser, "kay", func(u *model.User) { u.Licences = []string{"gold"} }))
	pool := func() view.SeatPool { return must[[]view.SeatPool](t)(d.SeatPools(owner, 90))[0] }
	if p := pool(); p.NoUse != 4 || p.Idle != 0 {
		t.Errorf("nothing is known: %+v", p)
	}
	d.Uses.Note(use.Use{User: "cy", What: "s", At: now})
	if p := pool(); p.NoUse != 0 || p.Idle != 3 {
		t.Errorf("others use it: %+v", p)
	}
	idle := seatRows(t, d, owner, "gold", "idle")
	if rows := must[*view.Seats](t)(d.Seats(owner, "gold", "idle", 90, 0, 9)).Rows; len(rows) != 3 || !rows[0].Never {
		t.Errorf("idle are %q", idle)
	}
	// Cy holds what needs gold and only ever uses what needs plain.
	if lesser := seatRows(t, d, owner, "gold", "lesser"); slices.Contains(lesser, "cy") {
		t.Errorf("could do with less: %q", lesser)
	}
	d.Uses.Note(use.Use{User: "cy", What: "s:gate:view", At: now})
	rows := must[*view.Seats](t)(d.Seats(owner, "gold", "lesser", 90, 0, 9)).Rows
	if i := slices.IndexFunc(rows, func(r view.SeatRow) bool {
		return r.User.ID == "cy"
	}); i < 0 || rows[i].Lesser == nil ||
		rows[i].Lesser.ID != "plain" {
		t.Errorf("could do with less: %+v", rows)
	}
	d.Uses.Note(use.Use{User: "cy", What: "s:gate:open", At: now.AddDate(0, 0, -80)})
	if lesser := seatRows(t, d, owner, "gold", "lesser"); slices.Contains(lesser, "cy") {
		t.Errorf("used what needs gold, and could do with less: %q", lesser)
	}
}

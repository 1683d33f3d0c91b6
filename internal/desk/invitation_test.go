package desk_test

import (
	"slices"
	"strings"
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/worklist"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/edit"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/store"
)

// statesOf tells how invitations stand, by person.
func statesOf(t *testing.T, d *rooms.Desk, who desk.Actor) (out []string) {
	t.Helper()
	list := must[*people.Invitations](t)(d.Invitations(who, "", "", 0, 100))
	for _, r := range list.Rows {
		out = append(out, r.User.ID+" "+r.State)
	}
	return out
}

// An invitation stands as its letter, its link and its person do, from the draft that adds somebody to their first day.
func TestInvitationsStandAsTheyAre(t *testing.T) {
	d, s, clock := clocked(t)
	d.Outside = "https://small.example"
	d.Set(account.Settings{Mail: true})
	owner := desk.Actor{User: "bea", Proven: now}
	person := func(id, email string) *model.User {
		return &model.User{
			ID:          id,
			UserName:    id,
			DisplayName: strings.ToUpper(id),
			Email:       email,
			State:       model.UserInvited,
			Area:        "t1",
		}
	}
	put(t, d, person("ada", "ada@small.example"), person("bo", "bo@small.example"), person("cem", ""),
		&model.Assignment{ID: "ada", Subject: model.Subject{User: "ada"}, Role: "clerk", Area: "t1"})
	states := func(want ...string) {
		t.Helper()
		if got := statesOf(t, d, owner); !slices.Equal(got, want) {
			t.Errorf("the invitations are %q, want %q", got, want)
		}
	}
	// The letters went into the outbox with the change, and nobody clicked for them.
	states("ada to-send", "bo to-send", "cem to-send")
	taken := must[[]store.Letter](t)(s.TakeLetters(now, 10))
	if len(taken) != 2 || taken[0].Link == "" {
		t.Fatalf("the letters are %+v", taken)
	}
	filled, _, err := d.Compose(taken[0])
	if err != nil {
		t.Fatal(err)
	}
	taken[0].State = store.LetterSent
	taken[1].State, taken[1].Trouble = store.LetterReturned, "no such mailbox"
	for _, l := range taken {
		if err := s.SettleLetter(l); err != nil {
			t.Fatal(err)
		}
	}
	states("bo returned", "cem to-send", "ada sent")
	link := strings.TrimPrefix(filled.Link, "https://small.example/welcome/")
	w := must[*account.Welcome](t)(d.Welcome(link))
	if w.By != "Bea" || w.Organisation != "Small" || !slices.Equal(w.Gets, []string{"Clerk at Terminal 1"}) ||
		len(w.Can) != 1 ||
		w.Can[0].Permissions != 1 {
		t.Errorf("what the invited person sees: %+v", w)
	}
	states("bo returned", "cem to-send", "ada opened")
	*clock = now.AddDate(0, 0, 8)
	states("ada run-out", "bo run-out", "cem to-send")
	if _, err := d.Welcome(link); err == nil {
		t.Error("the link works once the invitation has run out")
	}
	got := must[*people.Resent](t)(d.Extend(owner, []string{"ada", "cem", "nobody"}, 5))
	if got.Done != 1 || len(got.Refused) != 2 || !strings.Contains(got.Refused[0].Why, "has not been sent") {
		t.Errorf("extended: %+v", got)
	}
	states("bo run-out", "cem to-send", "ada opened")
	if _, err := d.SetPassword(t.Context(), link, "seven grey herons", "192.0.2.1"); err != nil {
		t.Errorf("the link that was sent, once it is good for longer: %v", err)
	}
	if got := must[*people.Resent](t)(d.Resend(owner, []string{"bo", "ada"})); got.Done != 1 ||
		got.Refused[0].User.ID != "ada" {
		t.Errorf("sent once more: %+v", got)
	}
	states("bo to-send", "cem to-send", "ada accepted")
	id := newList(t, d, owner, "bo", worklist.Step{Do: worklist.Cancel})
	must[*desk.Draft](t)(d.DraftWorklist(owner, id))
	applyAll(t, d, owner)
	states("cem to-send", "ada accepted", "bo cancelled")
	must[*desk.Draft](t)(d.Cancel(owner, []string{"cem"}))
	applyAll(t, d, owner)
	states("ada accepted", "bo cancelled") // nobody ever wrote to the third
	_, err = d.Cancel(owner, []string{"ada"})
	refused(t, err, desk.Conflict, "is not waiting for an invitation")
	_, err = d.Extend(owner, []string{"ada"}, 1000)
	refused(t, err, desk.Invalid, "1 to 90")
}

// A delegate sees and sends the invitations of their own people, and learns nothing of others.
func TestInvitationsOfADelegate(t *testing.T) {
	d, _, _ := clocked(t)
	put(
		t,
		d,
		&model.User{
			ID:          "ada",
			UserName:    "ada",
			DisplayName: "Ada",
			Email:       "ada@small.example",
			State:       model.UserInvited,
			Area:        "t1",
		},
		&model.User{
			ID:          "bo",
			UserName:    "bo",
			DisplayName: "Bo",
			Email:       "bo@small.example",
			State:       model.UserInvited,
			Area:        "t2",
		},
		&model.Delegation{
			ID: "cy", Name: "Of Terminal 1", Delegate: model.Subject{User: "cy"}, People: model.People{Area: "t1"},
			Actions: []string{"invite"}, Area: "t1",
		},
	)
	if got := statesOf(t, d, cy); !slices.Equal(got, []string{"ada to-send"}) {
		t.Errorf("a delegate sees %q", got)
	}
	got := must[*people.Resent](t)(d.Resend(cy, []string{"ada", "bo", "nobody"}))
	if got.Done != 1 || strings.ReplaceAll(got.Refused[0].Why, "bo", "nobody") != got.Refused[1].Why {
		t.Errorf("sent: %+v", got)
	}
	must[*desk.Draft](t)(d.Cancel(cy, []string{"ada"}))
	_, err := d.Cancel(cy, []string{"bo"})
	refused(t, err, desk.NotFound, `no person "bo"`)
	if known := must[[]people.Known](t)(d.AlreadyThere(cy, "", "", "bo@small.example", "")); len(known) != 0 {
		t.Errorf("somebody out of sight is known: %+v", known)
	}
	_, err = d.Invitations(ann, "", "", 0, 10)
	refused(t, err, desk.NotAllowed, "")
}

func TestWhoIsThereAlready(t *testing.T) {
	d, _, _ := clocked(t)
	put(
		t,
		d,
		&model.User{ID: "ada", UserName: "ada.l", DisplayName: "Ada Lind", Email: "ada@small.example", ExternalID: "47"},
	)
	for _, c := range []struct{ name, userName, email, external, want string }{
		{"", "ADA.L", "", "", "ada userName"},
		{"", "", "Ada@small.example", "", "ada email"},
		{"", "", "", "47", "ada externalId"},
		{"ada lind", "", "", "", "ada name"},
		{"Ada Lindt", "", "", "", "ada similar"},
		{"Lind, Ada", "", "", "", "ada similar"},
		{"Somebody Else", "other", "other@small.example", "48", ""},
		{"", "", "", "", ""},
	} {
		var got []string
		for _, k := range must[[]people.Known](t)(d.AlreadyThere(bea, c.name, c.userName, c.email, c.external)) {
			got = append(got, k.User.ID+" "+k.Same)
		}
		if strings.Join(got, ", ") != c.want {
			t.Errorf("%+v is known as %q", c, got)
		}
	}
}

// Everybody reads their own letters and nobody else's, and a link that a letter brought is not told again.
func TestLettersAreReadByThoseTheyAreTo(t *testing.T) {
	d, s, _ := clocked(t)
	d.Outside = "https://small.example"
	d.Set(account.Settings{Mail: true})
	if err := s.WriteAll([]store.Letter{
		{Written: now, User: "ann", To: "ann@small.example", Subject: "One",
			Body: "Dear Ann,\n\n[the link is made when this letter is sent]\n", Link: "password"},
		{Written: now, User: "cy", Subject: "Two", Body: "Dear Cy\n"},
	}); err != nil {
		t.Fatal(err)
	}
	box := must[*account.Mailbox](t)(d.Mailbox(ann))
	if box.Everybody || len(box.Letters) != 1 || box.Letters[0].Subject != "One" {
		t.Fatalf("the letters to Ann: %+v", box)
	}
	l := must[*account.Opened](t)(d.OpenLetter(ann, box.Letters[0].ID))
	if l.Link != "" || !slices.Equal(l.Paragraphs, []string{"Dear Ann,", "[the link went with the letter]"}) {
		t.Errorf("opened: %+v", l)
	}
	_, err := d.OpenLetter(bea, box.Letters[0].ID)
	refused(t, err, desk.NotFound, "no such letter")
	_, err = d.OpenLetter(desk.Actor{User: "bea", As: "ann"}, box.Letters[0].ID)
	refused(t, err, desk.NotAllowed, "seeing this as")
}

// An invitation is good until its day, however late its letter goes out.
func TestALateLetterMakesAnInvitationNoLonger(t *testing.T) {
	d, s, clock := clocked(t)
	d.Outside = "https://small.example"
	d.Set(account.Settings{Mail: true})
	put(
		t,
		d,
		&model.User{ID: "ada", UserName: "ada", DisplayName: "Ada", Email: "ada@small.example", State: model.UserInvited},
	)
	taken := must[[]store.Letter](t)(s.TakeLetters(now, 10))
	*clock = now.AddDate(0, 0, 4)
	filled, _, err := d.Compose(taken[0])
	if err != nil {
		t.Fatal(err)
	}
	link := strings.TrimPrefix(filled.Link, "https://small.example/welcome/")
	*clock = now.AddDate(0, 0, 6)
	must[*account.Welcome](t)(d.Welcome(link))
	*clock = now.AddDate(0, 0, 8)
	_, err = d.Welcome(link)
	refused(t, err, desk.NotFound, "has run out")
	if _, _, err := d.Compose(taken[0]); err == nil {
		t.Error("a letter goes out once its invitation has run out")
	}
}

// Nobody who is deleted is given anything, by whatever act of a draft; to bring them back by an undo gives all back.
func TestWhoIsDeletedIsGivenNothing(t *testing.T) {
	d, _, _ := clocked(t)
	owner := desk.Actor{User: "bea", Proven: now}
	must[*desk.Draft](t)(d.Delete(owner, model.KindUser, "cy", nil))
	gone := applyAll(t, d, owner)
	crew := d.Design().Get(model.KindGroup, "crew").(*model.Group)
	for what, err := range map[string]error{
		"joined": second(d.Join(owner, end("user", "cy"), end("role", "clerk"), edit.JoinTerms{})),
		"assigned": second(d.AssignMany(owner, []desk.End{end("user", "cy"), end("user", "dan")},
			[]desk.End{end("role", "clerk")}, edit.JoinTerms{})),
		"listed": second(d.Put(owner, crew, &model.Group{
			ID: crew.ID, Name: crew.Name, Users: append(slices.Clone(crew.Users), "cy"), Groups: crew.Groups,
		})),
		"delegated": second(d.Put(owner, nil, &model.Delegation{
			Name: "D", Delegate: model.Subject{User: "cy"}, People: model.People{Area: "t1"}, Actions: []string{"lock"},
		})),
	} {
		if err == nil || !strings.Contains(err.Error(), "is deleted and is given nothing") {
			t.Errorf("%s: %v", what, err)
		}
	}
	must[*desk.Draft](t)(d.DraftUndo(owner, gone.Revision))
	applyAll(t, d, owner)
	if !d.Live("cy") || len(d.Present().Index.GrantsOfUser("cy")) == 0 {
		t.Error("an undo brings nobody back")
	}
}

// The days that a delegation allows count from when somebody who is invited comes in; not what an administrator gave,
// nor what is no longer the delegate's to give.
func TestDaysCountFromAcceptance(t *testing.T) {
	limit := 30
	left := func(withdraw bool) map[string]int {
		t.Helper()
		d, _, clock := clocked(t)
		put(t, d, &model.Delegation{
			ID: "cy", Name: "Of Terminal 1", Delegate: model.Subject{User: "cy"}, People: model.People{Area: "t1"},
			Actions: []string{"invite", "assign", "revoke"}, Roles: []string{"clerk"}, Area: "t1", MaxDays: &limit,
		})
		until := clock.AddDate(0, 0, 30)
		terms := edit.JoinTerms{Area: "t1", Until: &until}
		to := desk.End{Kind: "role", ID: "clerk"}
		ada := &model.User{UserName: "ada", DisplayName: "Ada", State: model.UserInvited, Area: "t1"}
		must[*desk.Draft](t)(d.Engage(cy, ada, []edit.EngageGrant{{To: to, Terms: terms}}, nil))
		applyAll(t, d, cy)
		put(t, d, &model.Assignment{
			ID: "lead", Subject: model.Subject{User: "ada"}, Role: "lead", Area: "t1", Until: until,
		})
		if withdraw {
			put(t, d, altered(d, model.KindDelegation, "cy", func(g *model.Delegation) { g.Until = *clock }))
		}
		*clock = clock.AddDate(0, 0, 5)
		link := must[*account.Invitation](t)(d.Invite(bea, "ada", "")).Link
		link = link[strings.LastIndex(link, "/")+1:]
		if _, err := d.SetPassword(t.Context(), link, "seven grey herons at dusk", ""); err != nil {
			t.Fatal(err)
		}
		days := map[string]int{}
		for _, g := range d.Design().Assignments {
			if g.Subject.User == "ada" {
				days[g.Role] = int(g.Until.Sub(*clock).Hours() / 24)
			}
		}
		return days
	}
	if got := left(false); got["clerk"] != 30 || got["lead"] != 25 {
		t.Errorf("left of 30 days: %v; the delegate's begin now, the owner's five days ago", got)
	}
	if got := left(true); got["clerk"] != 25 {
		t.Errorf("left by a delegation that has ended: %v", got)
	}
}

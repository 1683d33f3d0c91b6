package desk_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/store"
)

// withAddress gives people an e-mail address.
func withAddress(t *testing.T, d *rooms.Desk, ids ...string) {
	t.Helper()
	var list []model.Object
	for _, id := range ids {
		u, _ := d.Present().Design().Users.Find(id)
		with := model.Clone(u)
		with.Email = id + "@small.example"
		list = append(list, with)
	}
	put(t, d, list...)
}

// lettersTo gives the subjects of the letters to somebody, the latest first.
func lettersTo(t *testing.T, s *store.Store, user string) (out []string) {
	t.Helper()
	for _, l := range must[[]store.Letter](t)(s.LettersTo(user, 100)) {
		out = append(out, l.Subject)
	}
	return out
}

// numbers gives those of some requests.
func numbers(list []people.Request) (out []int) {
	for _, r := range list {
		out = append(out, r.ID)
	}
	return out
}

// What somebody lacks is asked for, granted for a time, told of before its end, and ends by itself.
func TestARequestFromWhyNotToItsEnd(t *testing.T) {
	d, s, clock := clocked(t)
	d.Outside = "https://small.example"
	d.Set(account.Settings{Mail: true})
	withAddress(t, d, "ann", "kay")
	ways := must[*people.RequestWays](t)(d.WaysTo(ann, "s:gate:view", "t1"))
	join := slices.IndexFunc(ways.Ways, func(w people.RequestWay) bool { return w.What == "membership of “Crew”" })
	if ways.Held || join < 0 || ways.At.ID != "t1" {
		t.Fatalf("the ways are %+v", ways)
	}
	ends := time.Date(2026, 4, 3, 0, 0, 0, 0, time.UTC)
	wish := people.RequestWish{
		Permission: "s:gate:view", Where: "t1", Way: ways.Ways[join].ID, Until: &ends, Reason: "  the audit of gates ",
	}
	r := must[*people.Request](t)(d.MakeRequest(ann, wish))
	if r.What != "membership of “Crew”, until the end of 2 April 2026" || r.State != "open" || !r.Mine ||
		r.Reason != "the audit of gates" {
		t.Errorf("the request is %+v", r)
	}
	_, err := d.MakeRequest(ann, wish)
	refused(t, err, desk.Conflict, "asked for this, on 4 March 2026")

	// It goes to those who can grant it, and nobody else sees it.
	if got := lettersTo(t, s, "kay"); len(got) != 1 || got[0] != "Ann asks for "+r.What {
		t.Errorf("the letters to who could grant it are %q", got)
	}
	for who, sees := range map[*desk.Actor]bool{&kay: true, &bea: true, &eve: false, &cy: false} {
		list := must[*people.Requests](t)(d.Requests(*who))
		if (len(list.Waiting) == 1) != sees {
			t.Errorf("for %s wait %v", who.User, numbers(list.Waiting))
		}
		me := must[*account.Me](t)(d.Me(*who))
		if (me.Asked == 1) != sees {
			t.Errorf("%s is told that %d wait", who.User, me.Asked)
		}
		if _, err := d.Request(*who, r.ID); (err == nil) != sees {
			t.Errorf("%s opens it: %v", who.User, err)
		}
	}
	_, err = d.WeighRequest(ann, r.ID, people.RequestTerms{})
	refused(t, err, desk.NotAllowed, "asked for themselves")

	terms := people.RequestTerms{Until: &ends}
	w := must[*people.RequestWeighed](t)(d.WeighRequest(kay, r.ID, terms))
	if len(w.Impact.People) != 1 || w.Impact.People[0].User.ID != "ann" || w.Outcomes[0].Said != "Joins Crew." {
		t.Errorf("granting it comes to %+v", w)
	}
	_, err = d.Grant(kay, r.ID, terms, "another stamp")
	refused(t, err, desk.Conflict, "changed since you looked")
	done := must[*desk.Applied](t)(d.Grant(kay, r.ID, terms, w.Impact.Stamp))
	if !allowed(d, "ann", "s:gate:view", "t1") {
		t.Error("what was granted is not held")
	}
	record := must[store.Revision](t)(s.Revision(done.Revision))
	if record.Why != "Request 1 of Ann: the audit of gates" || record.Who != "kay" {
		t.Errorf("the record says %+v", record)
	}
	got := must[*people.Request](t)(d.Request(ann, r.ID))
	if got.State != "granted" || got.Revision != done.Revision || got.Ends == nil || !got.Ends.Equal(ends) ||
		len(got.Words) != 1 || got.Words[0].Who.ID != "kay" {
		t.Errorf("who asked sees %+v", got)
	}
	if got := lettersTo(t, s, "ann"); len(got) != 1 || !strings.HasPrefix(got[0], "Granted: membership") {
		t.Errorf("the letters to who asked are %q", got)
	}
	_, err = d.Grant(kay, r.ID, terms, w.Impact.Stamp)
	refused(t, err, desk.Conflict, "is granted")

	// Seven days before its end who asked is told, once; at its end it ends.
	due := func(at time.Time) {
		t.Helper()
		*clock = at
		for range 2 {
			if err := d.EndDue(); err != nil {
				t.Fatal(err)
			}
		}
	}
	due(ends.AddDate(0, 0, -8))
	if got := lettersTo(t, s, "ann"); len(got) != 1 {
		t.Errorf("eight days before the end: %q", got)
	}
	due(ends.AddDate(0, 0, -7))
	if got := lettersTo(t, s, "ann"); len(got) != 2 || !strings.HasSuffix(got[0], "ends on 2 April 2026") {
		t.Errorf("seven days before the end: %q", got)
	}
	last := must[[]store.Letter](t)(s.LettersTo("ann", 1))
	if !strings.Contains(last[0].Body, "https://small.example/own?again=1") {
		t.Errorf("the letter leads nowhere: %s", last[0].Body)
	}
	due(ends.Add(-time.Second))
	if !allowed(d, "ann", "s:gate:view", "t1") {
		t.Error("it ended early")
	}
	due(ends)
	if allowed(d, "ann", "s:gate:view", "t1") {
		t.Error("it did not end")
	}
	record = must[store.Revision](t)(s.Revision(done.Revision + 1))
	if record.WhoName != "Fachwerk, by itself" || record.Why != "Request 1: Ann was in “Crew” until the end of 2 April 2026" {
		t.Errorf("the end is recorded as %+v", record)
	}
	if d.Revision() != done.Revision+1 {
		t.Errorf("%d revisions, want one for the end", d.Revision()-done.Revision)
	}
}

// Somebody who is put into a group anew, by hand, stays in it when what they were once given ends.
func TestAnEndLeavesALaterMembershipAlone(t *testing.T) {
	d, _, clock := clocked(t)
	ends := now.AddDate(0, 0, 30)
	r := must[*people.Request](t)(d.MakeRequest(ann,
		people.RequestWish{Kind: "group", ID: "crew", Until: &ends, Reason: "x"}))
	terms := people.RequestTerms{Until: &ends}
	w := must[*people.RequestWeighed](t)(d.WeighRequest(kay, r.ID, terms))
	must[*desk.Applied](t)(d.Grant(kay, r.ID, terms, w.Impact.Stamp))
	for _, users := range [][]string{{"cy"}, {"ann", "cy"}} {
		g, _ := d.Present().Design().Groups.Find("crew")
		again := model.Clone(g)
		again.Users = users
		put(t, d, again)
	}
	*clock = ends
	if err := d.EndDue(); err != nil {
		t.Fatal(err)
	}
	if !d.Present().Index.InGroup("ann", "crew") {
		t.Error("the later membership was ended too")
	}
}

// What lies in a draft is granted once that is applied, unless it has been settled by then.
func TestARequestInADraft(t *testing.T) {
	d, _ := open(t)
	owner := desk.Actor{User: "bea", Proven: now}
	first := must[*people.Request](t)(d.MakeRequest(ann,
		people.RequestWish{Kind: "role", ID: "clerk", Area: "t1", Reason: "x"}))
	second := must[*people.Request](t)(d.MakeRequest(ann,
		people.RequestWish{Kind: "role", ID: "night", Area: "t2", Reason: "y"}))
	must[*desk.Draft](t)(d.DraftGrant(owner, first.ID, people.RequestTerms{Area: "t2"}))
	must[*desk.Draft](t)(d.DraftGrant(owner, second.ID, people.RequestTerms{Area: "t2"}))
	_, err := d.DraftGrant(owner, first.ID, people.RequestTerms{Area: "t2"})
	refused(t, err, desk.Conflict, "or in your draft")
	must[*people.Request](t)(d.AnswerRequest(ann, second.ID, "withdraw", ""))
	draft := must[*desk.Draft](t)(d.Draft(owner))
	_, err = d.Apply(owner, "asked for", draft.Stamp)
	refused(t, err, desk.Conflict, "request 2 of Ann is not open any longer")
	if allowed(d, "ann", "s:gate:open", "t2") {
		t.Error("a part of a draft that was refused is applied")
	}
	must[*desk.Draft](t)(d.TakeOut(owner, draft.Edits[1].ID))
	done := applyAll(t, d, owner)
	got := must[*people.Request](t)(d.Request(ann, first.ID))
	if got.State != "granted" || got.Revision != done.Revision || !allowed(d, "ann", "s:gate:view", "t2") ||
		allowed(d, "ann", "s:gate:view", "t1") {
		t.Errorf("granted on the terms of the draft: %+v", got)
	}
	list := must[*people.Requests](t)(d.Requests(ann))
	if !slices.Equal(numbers(list.Mine), []int{2, 1}) || len(list.Waiting) != 0 {
		t.Errorf("who asked sees %v", numbers(list.Mine))
	}
	if list := must[*people.Requests](t)(d.Requests(owner)); !slices.Equal(numbers(list.Settled), []int{1}) {
		t.Errorf("who granted it sees %v", numbers(list.Settled))
	}
}

// A delegate grants what their delegation lets them, on terms that it covers; owners without a right have a say.
func TestWhoDecidesRequests(t *testing.T) {
	d, _ := open(t)
	days := 30
	clerk, _ := d.Present().Design().Roles.Find("clerk")
	owned := model.Clone(clerk)
	owned.Owner = "eve"
	put(t, d, owned, &model.Delegation{
		ID: "d", Name: "Terminal 1", Delegate: model.Subject{User: "dan"}, People: model.People{Area: "t1"},
		Actions: []string{"assign"}, Roles: []string{"clerk"}, Area: "t1", MaxDays: &days,
	})
	far := now.AddDate(1, 0, 0)
	ask := func(who desk.Actor, role, area string) int {
		t.Helper()
		return must[*people.Request](t)(
			d.MakeRequest(who, people.RequestWish{Kind: "role", ID: role, Area: area, Until: &far, Reason: "x"})).ID
	}
	clerkThere, clerkElse, night := ask(cy, "clerk", "t1"), ask(cy, "clerk", "t2"), ask(cy, "night", "t1")
	own := ask(dan, "clerk", "t1")
	waits := func(who desk.Actor, want ...int) {
		t.Helper()
		if got := numbers(must[*people.Requests](t)(d.Requests(who)).Waiting); !slices.Equal(got, want) {
			t.Errorf("for %s wait %v, want %v", who.User, got, want)
		}
	}
	waits(dan, clerkThere) // not elsewhere, not another role, not their own
	waits(eve, clerkThere, clerkElse, own)
	waits(kay, clerkThere, clerkElse, night, own)
	waits(ann)

	w := must[*people.RequestWeighed](t)(d.WeighRequest(dan, clerkThere, people.RequestTerms{Area: "t1", Until: &far}))
	if len(w.Impact.Blocks) == 0 {
		t.Error("a delegate gives it for longer than they may")
	}
	_, err := d.Grant(dan, clerkThere, people.RequestTerms{Area: "t1", Until: &far}, w.Impact.Stamp)
	refused(t, err, desk.NotAllowed, "30 days")
	soon := now.AddDate(0, 0, 20)
	terms := people.RequestTerms{Area: "t1", Until: &soon}
	w = must[*people.RequestWeighed](t)(d.WeighRequest(dan, clerkThere, terms))
	must[*desk.Applied](t)(d.Grant(dan, clerkThere, terms, w.Impact.Stamp))

	_, err = d.WeighRequest(eve, clerkElse, people.RequestTerms{})
	refused(t, err, desk.NotAllowed, "not yours to grant")
	agreed := must[*people.Request](t)(d.AnswerRequest(eve, clerkElse, "agree", "she runs the gate"))
	if agreed.State != "open" || agreed.Words[0].Does != "agreed" || agreed.Words[0].Text != "she runs the gate" {
		t.Errorf("an owner agrees: %+v", agreed)
	}
	_, err = d.AnswerRequest(eve, clerkElse, "agree", "")
	refused(t, err, desk.Conflict, "already agreed")
	_, err = d.AnswerRequest(kay, night, "agree", "")
	refused(t, err, desk.NotAllowed, "Only whoever owns")
	_, err = d.AnswerRequest(kay, night, "refuse", " ")
	refused(t, err, desk.Invalid, "Say why")
	_, err = d.AnswerRequest(kay, night, "withdraw", "")
	refused(t, err, desk.NotAllowed, "Only whoever asked")
	_, err = d.AnswerRequest(cy, night, "refuse", "no")
	refused(t, err, desk.NotAllowed, "Withdraw your own")
	no := must[*people.Request](t)(d.AnswerRequest(kay, night, "refuse", "not at night"))
	if no.State != "refused" || no.Words[0].Text != "not at night" {
		t.Errorf("refused: %+v", no)
	}
	_, err = d.AnswerRequest(kay, night, "refuse", "once more")
	refused(t, err, desk.Conflict, "is refused")
	if _, err := d.Request(dan, night); err == nil {
		t.Error("a delegate sees a request that was never theirs")
	}
}

// What cannot be asked for is said, and what is hidden is not told of.
func TestWhatCannotBeAskedFor(t *testing.T) {
	d, _ := open(t)
	put(t, d, &model.Group{ID: "hidden", Name: "Hidden keepers", Unlisted: true, Users: []string{"kay"}},
		&model.Assignment{ID: "hidden", Subject: model.Subject{Group: "hidden"}, Role: "night", Area: "t2"})
	past := now.Add(-time.Hour)
	for _, c := range []struct {
		who   desk.Actor
		wish  people.RequestWish
		cause desk.Cause
		says  string
	}{
		{ann, people.RequestWish{Kind: "role", ID: "clerk"}, desk.Invalid, "Give a reason"},
		{ann, people.RequestWish{Reason: "x"}, desk.Invalid, "Choose what you ask for"},
		{ann, people.RequestWish{Kind: "role", ID: "clerk", Until: &past, Reason: "x"}, desk.Invalid, "in the past"},
		{ann, people.RequestWish{Kind: "role", ID: "none", Reason: "x"}, desk.Invalid, "There is no role"},
		{ann, people.RequestWish{Kind: "role", ID: "clerk", Area: "none", Reason: "x"}, desk.Invalid, "There is no area"},
		{ann, people.RequestWish{Kind: "group", ID: "rule", Reason: "x"}, desk.Invalid, "finds its members by a rule"},
		{ann, people.RequestWish{Kind: "group", ID: "fed", Reason: "x"}, desk.Invalid, "comes from a directory"},
		{ann, people.RequestWish{Kind: "group", ID: "hidden", Reason: "x"}, desk.NotFound, "There is no group"},
		{cy, people.RequestWish{Kind: "role", ID: "night", Area: "t1", Reason: "x"}, desk.Conflict, "already have it"},
		{ann, people.RequestWish{Permission: "s:gate:view", Way: "none", Reason: "x"}, desk.Conflict,
			"Look at the ways again"},
		{desk.Actor{User: "bea", As: "ann"}, people.RequestWish{Kind: "role", ID: "clerk", Reason: "x"}, desk.NotAllowed,
			"own eyes"},
		{stranger, people.RequestWish{Kind: "role", ID: "clerk", Reason: "x"}, desk.NotSignedIn, "Sign in"},
	} {
		_, err := d.MakeRequest(c.who, c.wish)
		refused(t, err, c.cause, c.says)
	}
	for _, w := range must[*people.RequestWays](t)(d.WaysTo(ann, "s:gate:open", "t2")).Ways {
		if strings.Contains(w.What, "Hidden") {
			t.Errorf("a way tells of a hidden group: %q", w.What)
		}
	}
	found := must[[]people.RequestThing](t)(d.CanAsk(ann, "hidden keepers"))
	if len(found) != 0 {
		t.Errorf("a hidden group is offered: %+v", found)
	}
	found = must[[]people.RequestThing](t)(d.CanAsk(cy, "night"))
	if len(found) != 1 || found[0].ID != "night" || !found[0].Held {
		t.Errorf("a role is offered as %+v", found)
	}
	for n := range 20 {
		id := "extra-" + desk.Itoa(n)
		put(t, d, &model.Role{ID: id, Name: id, Sets: []string{"see"}})
		must[*people.Request](t)(d.MakeRequest(ann, people.RequestWish{Kind: "role", ID: id, Reason: "x"}))
	}
	_, err := d.MakeRequest(ann, people.RequestWish{Kind: "role", ID: "clerk", Reason: "x"})
	refused(t, err, desk.Busy, "withdraw one first")
}

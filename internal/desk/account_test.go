package desk_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"

	"fachwerk/e2e/provider"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/store"
)

// clocked opens the small design with a clock that the test moves.
func clocked(t *testing.T) (d *rooms.Desk, s *store.Store, clock *time.Time) {
	t.Helper()
	_, s = open(t)
	at := now
	return must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return at })), s, &at
}

// A session ends when its person is locked or loses a right in Fachwerk, and does not come back; with their password;
// by itself; and for a server that is started anew, too.
func TestSessionsEnd(t *testing.T) {
	d, s, clock := clocked(t)
	begin := func(user string) string {
		return must[string](t)(d.Begin(desk.Actor{User: user, From: "192.0.2.1"}, "a browser"))
	}
	in := func(id, want, when string) {
		t.Helper()
		user, ok := d.Within(id)
		if user != want || ok != (want != "") {
			t.Errorf("%s, the session is of %q, want %q", when, user, want)
		}
	}
	kay, ann := begin("kay"), begin("ann")
	in(kay, "kay", "begun")
	in("made up", "", "made up")
	put(t, d, altered(d, model.KindUser, "kay", func(u *model.User) { u.State = model.UserLocked }))
	in(kay, "", "locked")
	put(t, d, altered(d, model.KindUser, "kay", func(u *model.User) { u.State = model.UserActive }))
	in(kay, "", "unlocked again")
	kay = begin("kay")
	draft := must[*desk.Draft](t)(d.Delete(desk.Actor{User: "bea", Proven: now}, model.KindAssignment, "keeper", nil))
	must[*desk.Applied](t)(d.Apply(desk.Actor{User: "bea", Proven: now}, "no longer", draft.Stamp))
	in(kay, "", "with fewer rights")
	in(ann, "ann", "others stay")

	first, second := begin("ann"), begin("ann")
	link := must[string](t)(d.PasswordLink("ann"))
	must[desk.Actor](t)(d.SetPassword(t.Context(), link, "seven grey herons", "192.0.2.1"))
	for _, id := range []string{ann, first, second} {
		in(id, "", "with a new password")
	}
	first, second = begin("ann"), begin("ann")
	who := desk.Actor{User: "ann", Proven: now}
	if err := d.ChangePassword(who, "seven grey herons", "eight grey herons", first); err != nil {
		t.Fatal(err)
	}
	in(first, "ann", "the one that changed it stays")
	in(second, "", "by one's own page")
	refused(t, d.ChangePassword(who, "a wrong password", "nine grey herons", first), desk.NotAllowed, "not your password")
	second = begin("ann")
	if list := must[[]account.Session](t)(d.Sessions(who, first)); len(list) != 2 {
		t.Errorf("her sessions are %+v", list)
	}
	refused(t, d.EndSession(desk.Actor{User: "dan"}, second, ""), desk.NotFound, "ended already")
	if err := d.EndSession(who, "", first); err != nil {
		t.Fatal(err)
	}
	in(second, "", "ended from another")

	again := must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return *clock }))
	for id, want := range map[string]string{first: "ann", second: "", kay: ""} {
		if user, _ := again.Within(id); user != want {
			t.Errorf("to a server that is started anew, a session is of %q, want %q", user, want)
		}
	}
	*clock = now.Add(119 * time.Minute)
	in(first, "ann", "after two hours, nearly")
	*clock = clock.Add(121 * time.Minute)
	in(first, "", "after two hours without use")
}

// A link is good once, for one purpose and in one state; a new one ends those before.
func TestLinks(t *testing.T) {
	d, _, clock := clocked(t)
	put(
		t,
		d,
		&model.User{ID: "ivy", UserName: "ivy", DisplayName: "Ivy", State: model.UserInvited, Email: "ivy@small.example"},
	)
	kay := desk.Actor{User: "kay", Proven: now}
	cy := desk.Actor{User: "cy", Proven: now}
	_, err := d.Invite(cy, "ivy", "")
	refused(t, err, desk.NotAllowed, "Edit people")
	put(t, d, &model.Delegation{
		ID: "cy", Name: "Of Terminal 1", Delegate: model.Subject{User: "cy"}, People: model.People{Area: "t1"},
		Actions: []string{"invite"}, Area: "t1",
	})
	_, err = d.Invite(cy, "ivy", "") // whose home is elsewhere, so she is out of sight
	refused(t, err, desk.NotFound, "no person")
	invite := func(who desk.Actor) string {
		t.Helper()
		i := must[*account.Invitation](t)(d.Invite(who, "ivy", "https://small.example"))
		secret, ok := strings.CutPrefix(i.Link, "https://small.example/welcome/")
		if !ok {
			t.Fatalf("the link is %s", i.Link)
		}
		return secret
	}
	first := invite(kay)
	second := invite(kay)
	use := func(link string) error {
		_, err := d.SetPassword(t.Context(), link, "seven grey herons", "192.0.2.1")
		return err
	}
	refused(t, use(first), desk.NotFound, "used or has run out")
	*clock = now.AddDate(0, 0, 8)
	refused(t, use(second), desk.NotFound, "used or has run out")
	*clock = now
	if err := use(second); err != nil || !d.Live("ivy") {
		t.Fatalf("the second one: %v", err)
	}
	refused(t, use(second), desk.NotFound, "used or has run out")
	_, err = d.Invite(kay, "ivy", "")
	refused(t, err, desk.Conflict, "the account is active")
	// A link is for one state: what was to begin an account is no way into one that goes on by other means.
	put(t, d, &model.User{ID: "uli", UserName: "uli", DisplayName: "Uli", State: model.UserInvited})
	i := must[*account.Invitation](t)(d.Invite(kay, "uli", ""))
	put(t, d, altered(d, model.KindUser, "uli", func(u *model.User) { u.State = model.UserActive }))
	refused(t, use(strings.TrimPrefix(i.Link, "/welcome/")), desk.NotFound, "used or has run out")
	// An owner's invitation is not an administrator's to send: with its link she would be the owner.
	put(
		t,
		d,
		&model.User{ID: "una", UserName: "una", DisplayName: "Una", State: model.UserInvited},
		&model.Assignment{
			ID:      "una",
			Subject: model.Subject{User: "una"},
			Set:     model.SetOwner,
			Reach:   model.ReachArea,
			Mode:    model.Full,
		},
	)
	_, err = d.Invite(kay, "una", "")
	refused(t, err, desk.NotAllowed, "not yours to send")
	// Nobody goes from active back to invited, to come in by another's hand.
	blocked(
		t,
		d,
		desk.Actor{User: "bea", Proven: now},
		altered(d, model.KindUser, "ann", func(u *model.User) { u.State = model.UserInvited }),
		"back to invited",
	)
	must[*desk.Draft](t)(d.Discard(desk.Actor{User: "bea", Proven: now}))
	// A password link dies with the state that it was made for.
	link := must[string](t)(d.PasswordLink("ann"))
	put(t, d, altered(d, model.KindUser, "ann", func(u *model.User) { u.State = model.UserLocked }))
	refused(t, use(link), desk.NotFound, "used or has run out")
}

// Who manages tokens makes none that can do more than they can.
func TestTokensThatPeopleMake(t *testing.T) {
	d, _, clock := clocked(t)
	put(
		t,
		d,
		&model.Role{ID: "keys", Name: "Keys", Permissions: []string{model.ManageTokens, model.ViewDesign}},
		&model.Assignment{
			ID:      "ann-keys",
			Subject: model.Subject{User: "ann"},
			Role:    "keys",
			Reach:   model.ReachArea,
			Mode:    model.Full,
		},
	)
	ann, bea := desk.Actor{User: "ann", Proven: now}, desk.Actor{User: "bea", Proven: now}
	add := func(who desk.Actor, purpose, user string, expires *time.Time) (string, error) {
		made, err := d.AddToken(who, account.NewToken{Name: "A program", Purpose: purpose, User: user, Expires: expires})
		if err != nil {
			return "", err
		}
		return made.Secret, nil
	}
	for _, c := range []struct {
		who           desk.Actor
		purpose, user string
		cause         desk.Cause
		says          string
	}{
		{desk.Actor{User: "kay", Proven: now}, "decisions", "", desk.NotAllowed, "Manage tokens"},
		{desk.Actor{User: "ann"}, "decisions", "", desk.Unproven, "password once more"},
		{ann, "scim", "", desk.NotAllowed, "Only an owner"},
		{ann, "api", "bea", desk.NotAllowed, "which you do not"},
		{ann, "api", "eve", desk.NotAllowed, "which you do not"},
		{ann, "api", "nobody", desk.Invalid, "whom the token acts as"},
	} {
		_, err := add(c.who, c.purpose, c.user, nil)
		refused(t, err, c.cause, c.says)
	}
	soon := now.Add(time.Hour)
	secret := must[string](t)(add(ann, "api", "dan", &soon))
	other := must[string](t)(add(bea, "scim", "", nil))
	if got, err := d.Program(secret, "api"); err != nil || got.User != "dan" {
		t.Errorf("the token acts as %+v, %v", got, err)
	}
	if _, err := d.Program(secret, "scim"); err == nil {
		t.Error("a token of one purpose serves another")
	}
	if _, err := d.Program(other, "scim"); err != nil {
		t.Error("a directory's token does not work")
	}
	list := must[[]account.Token](t)(d.Tokens(bea))
	if len(list) != 2 || list[0].ID == list[1].ID || strings.Contains(secret+other, list[0].ID) {
		t.Errorf("the tokens are %+v", list)
	}
	*clock = soon
	if _, err := d.Program(secret, "api"); err == nil {
		t.Error("a token that has run out still works")
	}
	for _, v := range list {
		if v.Purpose == "scim" {
			if err := d.EndToken(desk.Actor{User: "bea", Proven: soon}, v.ID); err != nil {
				t.Fatal(err)
			}
			refused(t, d.EndToken(desk.Actor{User: "bea", Proven: soon}, v.ID), desk.NotFound, "withdrawn already")
		}
	}
	if _, err := d.Program(other, "scim"); err == nil {
		t.Error("a token that was withdrawn still works")
	}
}

// A time code is good once, a recovery code is good once, and a wrong one is neither.
func TestCodes(t *testing.T) {
	d, _, clock := clocked(t)
	ann := desk.Actor{User: "ann", Proven: now}
	codes := must[*account.NewCodes](t)(d.BeginCodes(ann))
	code := func() string {
		t.Helper()
		return must[string](t)(totp.GenerateCode(codes.Secret, *clock))
	}
	_, err := d.AddCodes(ann, codes.Secret, "000000x")
	refused(t, err, desk.Invalid, "not the code")
	_, err = d.AddCodes(desk.Actor{User: "ann"}, codes.Secret, code())
	refused(t, err, desk.Unproven, "")
	recovery := must[*account.Recovery](t)(d.AddCodes(ann, codes.Secret, code()))
	if len(recovery.Codes) != 10 {
		t.Fatalf("the recovery codes are %v", recovery.Codes)
	}
	check := func(text string) error { return d.CheckCode("ann", text, "192.0.2.1") }
	refused(t, check(code()), desk.NotSignedIn, "not a code") // the one that it was set up with
	*clock = clock.Add(time.Minute)
	stale := code() // and not used in its time
	*clock = clock.Add(5 * time.Minute)
	refused(t, check(stale), desk.NotSignedIn, "not a code")
	if err := check(code()); err != nil {
		t.Errorf("a fresh code: %v", err)
	}
	refused(t, check(code()), desk.NotSignedIn, "not a code")
	if err := check(strings.ToUpper(recovery.Codes[3])); err != nil {
		t.Errorf("a recovery code: %v", err)
	}
	refused(t, check(recovery.Codes[3]), desk.NotSignedIn, "not a code")
	if err := d.CheckCode("dan", recovery.Codes[4], "192.0.2.1"); err == nil {
		t.Error("the code of one serves another")
	}
	f := must[*account.Factors](t)(d.Factors(ann))
	if !f.Codes || f.Recovery != 9 {
		t.Errorf("her factors are %+v", f)
	}
	if err := d.DropFactor(ann, f.CodesID); err != nil {
		t.Fatal(err)
	}
	if f = must[*account.Factors](t)(d.Factors(ann)); f.Codes || f.Recovery != 0 {
		t.Errorf("with the last factor, the recovery codes stay: %+v", f)
	}
	// Demanded of who holds rights in Fachwerk, and of nobody else.
	d.Set(account.Settings{SecondFactor: true})
	for user, want := range map[string]bool{"bea": true, "eve": true, "ann": false} {
		if got := d.Lacks(user); got != want {
			t.Errorf("of %s a second factor is missing: %v", user, got)
		}
	}
}

// Whoever the identity provider vouches for is added only into the group that a setting names, once, and never comes
// to rights in Fachwerk or to a delegation that way.
func TestNewcomersByTheProvider(t *testing.T) {
	d, _ := open(t)
	p := must[*provider.Provider](t)(provider.Serve(func() time.Time { return now },
		provider.Person{Subject: "fay", Email: "fay@small.example", Verified: true},
		provider.Person{Subject: "gus", Email: "gus@small.example"},
		provider.Person{Subject: "hal", Email: "hal@small.example", Verified: true},
	))
	t.Cleanup(p.Close)
	put(
		t,
		d,
		&model.Group{ID: "juniors", Name: "Juniors"},
		&model.Group{ID: "heads", Name: "Heads", Users: []string{"dan"}, Groups: []string{"juniors"}},
		&model.Group{ID: "mailed", Name: "Mailed", Type: model.Rule, Rule: `userName sw "hal"`},
		&model.Delegation{
			ID: "d", Name: "D", Delegate: model.Subject{Group: "mailed"}, People: model.People{Area: "top"},
			Actions: []string{"lock"},
		},
		&model.Assignment{
			ID:      "h",
			Subject: model.Subject{Group: "heads"},
			Set:     model.SetAuditor,
			Reach:   model.ReachArea,
			Mode:    model.Full,
		},
	)
	come := func(person int, into, proof string) (string, error) {
		d.Outside = "http://127.0.0.1"
		d.Set(account.Settings{Provider: account.Provider{
			Issuer: p.URL, ClientID: p.ClientID, ClientSecret: p.ClientSecret, Name: "the office", Newcomers: into,
		}})
		to, kept, err := d.AskProvider(t.Context(), proof)
		if err != nil {
			t.Fatal(err)
		}
		state, code, err := p.Choose(to, person)
		if err != nil {
			t.Fatal(err)
		}
		who, _, err := d.ComeBack(t.Context(), kept, state, code, "192.0.2."+strconv.Itoa(person+1))
		return who.User, err
	}
	for _, c := range []struct {
		person            int
		into, proof, says string
	}{
		{0, "", "", "nobody here is you"},
		{0, "crew", "dan", "nobody here is you"}, // a proof adds nobody
		{1, "crew", "", "nobody here is you"},
		{0, "heads", "", "could not be added"},
		{0, "juniors", "", "could not be added"}, // nested in one that gives rights
		{0, "none", "", "could not be added"},
		{0, "fed", "", "could not be added"},  // the directory says who is in it
		{2, "crew", "", "could not be added"}, // the rule would make a delegate of them
	} {
		_, err := come(c.person, c.into, c.proof)
		refused(t, err, desk.NotSignedIn, c.says)
	}
	people := len(d.Present().Design().Users)
	first := must[string](t)(come(0, "crew", ""))
	again := must[string](t)(come(0, "crew", ""))
	u, _ := d.Present().Design().Users.Find(first)
	if first != again || u == nil || u.Email != "fay@small.example" || u.State != model.UserActive ||
		!d.Present().Index.InGroup(first, "crew") || len(d.Present().Design().Users) != people+1 {
		t.Errorf("the newcomer is %q, then %q: %+v", first, again, u)
	}
}

// Letters that a person declined are not written, but what somebody sends by hand is.
func TestLetters(t *testing.T) {
	d, _ := open(t)
	put(t, d, altered(d, model.KindUser, "ann", func(u *model.User) { u.Email = "ann@small.example" }))
	if l := must[*account.Letters](t)(d.Letters(ann)); !l.Reminders || !l.Tasks || l.To != "ann@small.example" {
		t.Errorf("at first, she gets %+v", l)
	}
	for _, c := range []struct{ wanted account.Letters }{{account.Letters{Tasks: true}},
		{account.Letters{Reminders: true}}, {}} {
		if err := d.SetLetters(ann, c.wanted); err != nil {
			t.Fatal(err)
		}
		if l := must[*account.Letters](t)(d.Letters(ann)); l.Reminders != c.wanted.Reminders || l.Tasks != c.wanted.Tasks {
			t.Errorf("she gets %+v, and wanted %+v", l, c.wanted)
		}
	}
	if l := must[*account.Letters](t)(d.Letters(bea)); !l.Reminders || !l.Tasks {
		t.Errorf("another gets %+v", l)
	}
	refused(t, d.SetLetters(desk.Actor{User: "bea", As: "ann"}, account.Letters{}), desk.NotAllowed, "")
}

// Whoever guesses is slowed down, wherever they guess from; and nobody can lock somebody out by guessing.
func TestGuessing(t *testing.T) {
	d, _, clock := clocked(t)
	try := func(password, from string) error {
		_, err := d.SignIn(t.Context(), "ann", password, from)
		return err
	}
	right := "eleven blue barges"
	link := must[string](t)(d.PasswordLink("ann"))
	if _, err := d.SetPassword(t.Context(), link[strings.LastIndex(link, "/")+1:], right, "192.0.2.7"); err != nil {
		t.Fatal(err)
	}
	if err := try(right, "192.0.2.1"); err != nil {
		t.Fatal(err)
	}
	for range 10 {
		refused(t, try("wrong", "198.51.100.9"), desk.NotSignedIn, "not right")
	}
	refused(t, try(right, "198.51.100.9"), desk.Busy, "too many failed") // even if it is guessed now
	refused(t, try(right, "203.0.113.5"), desk.Busy, "too many failed")  // from elsewhere, too
	if err := try(right, "192.0.2.1"); err != nil {
		t.Errorf("where she has signed in before, she is locked out: %v", err)
	}
	*clock = clock.Add(16 * time.Minute)
	if err := try(right, "198.51.100.9"); err != nil {
		t.Errorf("after a while: %v", err)
	}
}

// Nobody is locked out by what others try: names that nobody has, from an address that many share, or one account from
// there. Where somebody signed in from is remembered when the server starts anew, and in no readable form.
func TestNobodyIsLockedOutByOthers(t *testing.T) {
	d, s, clock := clocked(t)
	right := "eleven blue barges"
	for _, user := range []string{"ann", "dan", "cy"} {
		link := must[string](t)(d.PasswordLink(user))
		if _, err := d.SetPassword(t.Context(), link, right, "192.0.2.7"); err != nil {
			t.Fatal(err)
		}
	}
	try := func(name, password, from string) error {
		_, err := d.SignIn(t.Context(), name, password, from)
		return err
	}
	const shared = "198.51.100.9"
	if err := try("ann", right, shared); err != nil {
		t.Fatal(err)
	}
	n := 0
	for ; n < 100; n++ {
		if e := (*desk.Error)(nil); errors.As(try("nobody"+strconv.Itoa(n), "wrong", shared), &e) && e.Cause == desk.Busy {
			break
		}
	}
	if n != 60 {
		t.Errorf("%d names that nobody has are tried from one address", n)
	}
	if err := try("ann", right, shared); err != nil {
		t.Errorf("who signed in from there before is refused: %v", err)
	}
	if err := try("dan", right, shared); err != nil {
		t.Errorf("a right password is refused since others tried names that nobody has: %v", err)
	}
	// There, a wrong password is answered as a name that nobody has.
	there, nobody := try("cy", "wrong", shared), try("nobody at all", "wrong", shared)
	if there.Error() != nobody.Error() {
		t.Errorf("somebody who is there is answered %q, somebody who is not %q", there, nobody)
	}
	refused(t, there, desk.Busy, "too many failed")

	// Accounts that are there count, too; whoever came from there before gets in all the same.
	for n := range 80 {
		_ = try([]string{"bea", "eve", "kay", "lou", "cy", "dan", "ann", "x"}[n%8], "wrong", "203.0.113.1")
	}
	for n := range 20 {
		_ = try("ann", "wrong", "203.0.113."+strconv.Itoa(n+2))
	}
	again := must[*rooms.Desk](t)(rooms.Open(s, func() time.Time { return *clock }))
	for n := range 20 {
		_, _ = again.SignIn(t.Context(), "ann", "wrong", "203.0.113."+strconv.Itoa(n+2))
	}
	if _, err := again.SignIn(t.Context(), "ann", right, "203.0.113.77"); err == nil {
		t.Error("an account that is guessed at is open to everybody")
	}
	if _, err := again.SignIn(t.Context(), "ann", right, shared); err != nil {
		t.Errorf("after a start, who signed in from there before is refused: %v", err)
	}

	// Of IPv6, a network of 64 bits counts as one.
	n = 0
	for ; n < 100; n++ {
		err := try("nobody"+strconv.Itoa(n), "wrong", fmt.Sprintf("2001:db8:1:2::%x", n))
		if e := (*desk.Error)(nil); errors.As(err, &e) && e.Cause == desk.Busy {
			break
		}
	}
	if n != 60 {
		t.Errorf("%d names are tried from one network", n)
	}
	refused(t, try("somebody", "wrong", "2001:db8:1:3::1"), desk.NotSignedIn, "not right")
	refused(t, try("somebody", "wrong", "::ffff:"+shared), desk.Busy, "too many")
}

// A forgotten password brings three letters an hour at most, and the answer tells nothing.
func TestForgottenOverAndOver(t *testing.T) {
	d, s, clock := clocked(t)
	put(t, d, altered(d, model.KindUser, "ann", func(u *model.User) { u.Email = "ann@small.example" }))
	for range 30 {
		for _, name := range []string{"ann", "nobody"} {
			if err := d.Forgotten(name, "192.0.2.1"); err != nil {
				t.Fatal(err)
			}
		}
	}
	refused(t, d.Forgotten("ann", "192.0.2.1"), desk.Busy, "too many")
	d.Wait()
	if letters := lettersTo(t, s, "ann"); len(letters) != 3 {
		t.Errorf("she got %d letters", len(letters))
	}
	*clock = clock.Add(2 * time.Hour)
	if err := d.Forgotten("ann", "192.0.2.1"); err != nil {
		t.Fatal(err)
	}
	d.Wait()
	if letters := lettersTo(t, s, "ann"); len(letters) != 4 {
		t.Errorf("two hours later she has %d letters", len(letters))
	}
}

// What the provider sends somebody back with must answer what was asked; and an address that it did not verify says
// nothing.
func TestTheProvidersAnswer(t *testing.T) {
	d, _ := open(t)
	p := must[*provider.Provider](t)(provider.Serve(func() time.Time { return now },
		provider.Person{Subject: "1", Email: "ann@small.example", Verified: true},
		provider.Person{Subject: "2", Email: "dan@small.example"},
	))
	t.Cleanup(p.Close)
	put(t, d,
		altered(d, model.KindUser, "ann", func(u *model.User) { u.Email = "ann@small.example" }),
		altered(d, model.KindUser, "dan", func(u *model.User) { u.Email = "dan@small.example" }),
	)
	d.Outside = "http://127.0.0.1"
	d.Set(account.Settings{Provider: account.Provider{
		Issuer: p.URL, ClientID: p.ClientID, ClientSecret: p.ClientSecret, Name: "the office",
	}})
	ask := func(person int) (kept []byte, state, code string) {
		t.Helper()
		to, kept, err := d.AskProvider(t.Context(), "")
		if err != nil {
			t.Fatal(err)
		}
		if state, code, err = p.Choose(to, person); err != nil {
			t.Fatal(err)
		}
		return kept, state, code
	}
	back := func(kept []byte, state, code string) error {
		_, _, err := d.ComeBack(t.Context(), kept, state, code, "192.0.2.1")
		return err
	}
	kept, state, code := ask(0)
	refused(t, back(kept, state+"x", code), desk.NotSignedIn, "does not fit")
	refused(t, back(kept, "", code), desk.NotSignedIn, "does not fit")
	// The answer to what was asked in another browser: its code is good, but what it vouches for was asked there.
	var mine, theirs map[string]any
	other, otherState, otherCode := ask(0)
	if err := errors.Join(json.Unmarshal(kept, &mine), json.Unmarshal(other, &theirs)); err != nil {
		t.Fatal(err)
	}
	theirs["Nonce"] = mine["Nonce"]
	mixed := must[[]byte](t)(json.Marshal(theirs))
	refused(t, back(mixed, otherState, otherCode), desk.NotSignedIn, "does not fit")
	if err := back(kept, state, code); err != nil {
		t.Errorf("what fits: %v", err)
	}
	refused(t, back(ask(1)), desk.NotSignedIn, "nobody here is you")
}

// What an identity provider says is taken for no more than it is: a token that names nobody, a second subject with an
// address that is tied to another, an old sign-in as a proof, an account that was invited with somebody else's address.
func TestTheProviderIsTakenAtItsWord(t *testing.T) {
	d, s, _ := clocked(t)
	p := must[*provider.Provider](t)(provider.Serve(func() time.Time { return now },
		provider.Person{Subject: "", Email: "ann@small.example", Verified: true},
		provider.Person{Subject: "ann-1", Email: "ann@small.example", Verified: true},
		provider.Person{Subject: "ann-2", Email: "ANN@small.example", Verified: true},
	))
	t.Cleanup(p.Close)
	put(t, d,
		altered(d, model.KindUser, "ann", func(u *model.User) { u.Email = "ann@small.example" }),
		altered(d, model.KindUser, "bea", func(u *model.User) { u.Email = "bea@small.example" }),
		&model.User{ID: "mole", UserName: "mole", DisplayName: "Mole", Email: "ann@small.example", State: model.UserInvited},
	)
	d.Outside = "http://127.0.0.1"
	d.Set(account.Settings{Provider: account.Provider{
		Issuer: p.URL, ClientID: p.ClientID, ClientSecret: p.ClientSecret, Name: "the office",
	}})
	comes := func(person int, proof string) (desk.Actor, bool, error) {
		t.Helper()
		to, kept, err := d.AskProvider(t.Context(), proof)
		if err != nil {
			t.Fatal(err)
		}
		if asks := proof != ""; strings.Contains(to, "max_age=0") != asks || strings.Contains(to, "prompt=login") != asks {
			t.Errorf("somebody is sent to %s", to)
		}
		state, code, err := p.Choose(to, person)
		if err != nil {
			t.Fatal(err)
		}
		return d.ComeBack(t.Context(), kept, state, code, "192.0.2.1")
	}
	_, _, err := comes(0, "")
	refused(t, err, desk.NotSignedIn, "does not fit")

	// The live account wins over the one that was invited with the same address, and owners are told, once.
	for range 2 {
		if who, _, err := comes(1, ""); err != nil || who.User != "ann" {
			t.Fatalf("comes in as %q: %v", who.User, err)
		}
	}
	if letters := lettersTo(t, s, "bea"); len(letters) != 1 || !strings.Contains(letters[0], "Several accounts") {
		t.Errorf("the owner is told %q", letters)
	}
	_, _, err = comes(2, "")
	refused(t, err, desk.NotSignedIn, "nobody here is you")

	// A proof is one only if the provider says that the person signed in after they were sent there.
	if who, proof, err := comes(1, "ann"); err != nil || !proof || who.User != "ann" {
		t.Errorf("a proof: %+v %v %v", who, proof, err)
	}
	before := now.Add(-5 * time.Minute)
	p.AuthTime = &before
	_, _, err = comes(1, "ann")
	refused(t, err, desk.NotSignedIn, "this proves nothing")
	p.AuthTime, p.Silent = nil, true
	_, _, err = comes(1, "ann")
	refused(t, err, desk.NotSignedIn, "this proves nothing")
	if who, _, err := comes(1, ""); err != nil || !who.Proven.IsZero() {
		t.Errorf("who merely signs in needs no auth_time, and has proven nothing: %+v, %v", who, err)
	}
	p.AuthTime, p.Silent = &before, false
	if who, _, err := comes(1, ""); err != nil || !who.Proven.Equal(before) {
		t.Errorf("a sign-in that the provider remembers proves as much as that one did: %+v, %v", who, err)
	}

	// An owner unties the account, and nobody else; then another subject is tied to it.
	refused(t, d.Untie(desk.Actor{User: "kay", Proven: now}, "ann"), desk.NotAllowed, "Only an owner")
	refused(t, d.Untie(desk.Actor{User: "bea"}, "ann"), desk.Unproven, "password")
	_, err = d.Ties(desk.Actor{User: "kay"}, "ann")
	refused(t, err, desk.NotAllowed, "Only an owner")
	ties := must[[]account.Tie](t)(d.Ties(desk.Actor{User: "bea"}, "ann"))
	if len(ties) != 1 || ties[0].Subject != "ann-1" {
		t.Errorf("ann is tied by %+v", ties)
	}
	if err := d.Untie(desk.Actor{User: "bea", Proven: now}, "ann"); err != nil {
		t.Fatal(err)
	}
	if ties := must[[]account.Tie](t)(d.Ties(desk.Actor{User: "bea"}, "ann")); len(ties) != 0 {
		t.Errorf("untied, ann is tied by %+v", ties)
	}
	if who, _, err := comes(2, ""); err != nil || who.User != "ann" {
		t.Errorf("untied, ann-2 comes in as %q: %v", who.User, err)
	}
	_, _, err = comes(1, "")
	refused(t, err, desk.NotSignedIn, "nobody here is you")
}

// Where Fachwerk is reached at an address and not by a name, passkeys are refused with the remedy, to who is not signed
// in yet, too.
func TestPasskeysNeedAName(t *testing.T) {
	d, _ := open(t)
	for outside, says := range map[string]string{
		"": "--url", "http://192.0.2.7:8080": "at an address (192.0.2.7)", "https://[2001:db8::7]": "at an address (2001:db8::7)",
	} {
		d.Outside = outside
		_, _, err := d.AskPasskey("")
		refused(t, err, desk.Invalid, says)
		_, _, err = d.BeginPasskey(desk.Actor{User: "bea", Proven: now})
		refused(t, err, desk.Invalid, says)
	}
	d.Outside = "https://access.small.example"
	if _, _, err := d.AskPasskey(""); err != nil {
		t.Error(err)
	}
}

package e2e

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"fachwerk/e2e/provider"
	"fachwerk/internal/desk/account"

	"github.com/pquerna/otp/totp"

	"fachwerk/e2e/browser"
	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
)

// value gives what stands in the field with a label.
func (s *steps) value(label string) string {
	s.t.Helper()
	find := "[...document.querySelectorAll('input')].find(e => (e.labels?.[0]?.innerText ?? " +
		"e.getAttribute('aria-label') ?? '').includes(" +
		quoted(
			label,
		) + "))"
	s.wait(find + "?.value")
	v, err := browser.Eval[string](s.Page, find+".value")
	s.must(err)
	return v
}

// own opens one's own page by the menu.
func (s *steps) own() {
	s.t.Helper()
	s.click("header button", "▾")
	s.click("[role=menuitem]", "How you sign in")
	s.see("h1", "Signing in")
}

func (s *steps) signOut() {
	s.t.Helper()
	s.click("header button", "▾")
	s.click("[role=menuitem]", "Sign out")
	s.see("button", "Sign in")
}

// Whoever signs in is in at once: the house takes who they are from the answer, and does not ask again first.
func TestSignedInAtOnce(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	asked, err := browser.Eval[int](
		s.Page,
		"performance.getEntriesByType('resource').filter(e => new URL(e.name).pathname === '/api/me').length",
	)
	s.must(err)
	if asked != 1 { // before anybody was signed in
		t.Errorf("the page asked %d times who is signed in, want once", asked)
	}
}

// TestFromAnInvitationToAPasskey lets somebody in from the first link to a sign-in without a password.
func TestFromAnInvitationToAPasskey(t *testing.T) {
	s := walk(t, 1280, 800)
	var invited *model.User
	for _, u := range s.desk.Design().Users {
		if u.State == model.UserInvited && u.Until.IsZero() {
			invited = u
			break
		}
	}
	s.signIn("signe.halloran")
	links := make([]string, 2)
	for i := range links { // the second one ends the first
		s.open("/people/" + invited.ID)
		s.click("button", "Do")
		s.click("[role=menuitem]", "nvit")
		s.click("[role=dialog] button", "Invite once more")
		links[i] = s.value("Link, until")
	}
	s.open("/security-log?what=link-made")
	s.see("[data-entry=link-made]", "an invitation for "+invited.ID)
	s.see("[data-entry=link-made]", "saw the link")

	p := s.another(1280, 800)
	p.Refusals = true
	p.must(p.Authenticator())
	p.open(strings.TrimPrefix(links[0], s.url))
	p.see("[role=alert]", "used or has run out")
	p.open(strings.TrimPrefix(links[1], s.url))
	p.see("p", invited.DisplayName+", Signe Halloran invites you to")
	p.typeInto("New password", "passwordpassword1")
	p.press(browser.Enter)
	p.see("[role=alert]", "words that many people use")
	p.typeInto("New password", "seven grey herons at dusk")
	p.press(browser.Enter)
	p.wait("!!document.querySelector('header')")
	p.own()
	p.see("section", "None yet")
	p.click("button", "Add a passkey")
	p.typeInto("Name", "grey key")
	p.press(browser.Enter)
	p.see("[aria-label='Recovery codes'] li", "-")
	code, err := browser.Eval[string](
		p.Page,
		"document.querySelector('[aria-label=\"Recovery codes\"] li').innerText.trim()",
	)
	p.must(err)
	p.click("[role=dialog] button", "I have them")
	p.see("li", "grey key")
	p.see("li", "10 recovery codes are left")

	// By the passkey alone; then by password and a recovery code, which is good once.
	p.signOut()
	p.must(p.Settled())
	p.click("button", "Sign in with a passkey")
	p.wait("!!document.querySelector('header')")
	for _, good := range []bool{true, false} {
		p.signOut()
		p.typeInto("User name", invited.UserName)
		p.typeInto("Password", "seven grey herons at dusk")
		p.press(browser.Enter)
		p.see("button", "Show your passkey")
		p.typeInto("recovery code", code)
		p.press(browser.Enter)
		if good {
			p.wait("!!document.querySelector('header')")
			continue
		}
		p.see("[role=alert]", "nor one of your recovery codes")
	}
	p.click("button", "Show your passkey")
	p.wait("!!document.querySelector('header')")
	p.own()
	p.see("li", "9 recovery codes are left")
}

// TestAForgottenPassword asks for a letter, sets another password, and finds all other sessions ended.
func TestAForgottenPassword(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("ruben.adeyemi")
	p := s.another(1280, 800)
	p.Refusals = true
	p.open("/")
	p.see("section", "Sign in to the demo as")                        // the page is whole
	for _, name := range []string{"nobody.at.all", "ruben.adeyemi"} { // the answer is the same
		p.click("button", "Forgotten the password?")
		p.typeInto("Your user name", name)
		p.press(browser.Enter)
		p.see("[role=status]", "If there is an active account of that name")
		p.click("button", "Back to signing in")
	}
	link, err := s.desk.PasswordLink("ruben.adeyemi") // as the letter has it when it is sent
	p.must(err)
	p.open("/welcome/" + link)
	p.typeInto("New password", "the fourth buoy rings twice")
	p.press(browser.Enter)
	p.wait("!!document.querySelector('header')")
	p.own()
	p.see("section", "this one")
	s.Refusals = true
	s.open("/people")
	s.see("button", "Sign in") // that session has ended
	s.typeInto("User name", "ruben.adeyemi")
	s.typeInto("Password", demo.Password)
	s.press(browser.Enter)
	s.see("[role=alert]", "not right")
	s.typeInto("Password", "the fourth buoy rings twice")
	s.press(browser.Enter)
	s.wait("!!document.querySelector('header')")

	// On one's own page: the present one is known, another is ended, and the password is changed.
	s.own()
	s.click("button", "End all others")
	s.gone("button", "End all others")
	p.open("/people")
	p.see("button", "Sign in")
	s.typeInto("Present password", "the fourth buoy rings twice")
	s.typeInto("New password", "ruben adeyemi ruben")
	s.press(browser.Enter)
	s.see("[role=alert]", "your own names")
	s.typeInto("New password", "the fifth buoy rings once")
	s.press(browser.Enter)
	s.see("[role=status]", "Your password is changed")
}

// TestATokensLife makes a token for a directory, sees it used, and withdraws it.
func TestATokensLife(t *testing.T) {
	s := walk(t, 1280, 800)
	s.signIn("signe.halloran")
	s.open("/tokens")
	s.see("tr", "Harbour directory")
	s.click("button", "New token")
	s.typeInto("Name of the program", "Pilots' register")
	s.choose("What it does", "a directory: brings in people and groups")
	s.click("[role=dialog] button", "Make it")
	token := s.value("Token")
	ask := func() int {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.url+"/scim/v2/Users?count=1", nil)
		s.must(err)
		r.Header.Set("Authorization", "Bearer "+token)
		answer, err := http.DefaultClient.Do(r)
		s.must(err)
		defer answer.Body.Close()
		return answer.StatusCode
	}
	if got := ask(); got != http.StatusOK {
		t.Fatalf("with the token, the answer is %d", got)
	}
	s.click("[role=dialog] button", "The program has it")
	s.open("/tokens")
	s.see("tr", "by Signe Halloran")
	s.wait(
		"[...document.querySelectorAll('tr')].find(e => e.innerText.includes('register')).innerText.includes('never') === " +
			"false",
	)
	s.click("tr button", "Withdraw")
	s.click("[role=dialog] button", "Withdraw it")
	s.see("tr", "withdrawn")
	if got := ask(); got != http.StatusUnauthorized {
		t.Errorf("withdrawn, it is answered %d", got)
	}
	s.open("/security-log")
	s.see("[data-entry=token-withdrawn]", "Pilots' register")
	s.see("[data-entry=token-made]", "Signe Halloran")
	s.choose("What", "token made")
	s.wait("[...document.querySelectorAll('[data-entry]')].every(e => e.dataset.entry === 'token-made')")

	// An auditor reads the log, and manages no tokens.
	a := s.another(1280, 800)
	a.signIn("oona.brandvold")
	a.open("/security-log")
	a.see("[data-entry=token-withdrawn]", "Pilots' register")
	a.gone("nav a", "Tokens")
}

// TestSigningInByAProvider lets people in by an identity provider: found by a verified address, known from then on, and
// nobody made out of nothing.
func TestSigningInByAProvider(t *testing.T) {
	s := walk(t, 1280, 800)
	s.Refusals = true
	p, err := provider.Serve(
		s.desk.Now,
		provider.Person{Subject: "ruben", Email: "Ruben.Adeyemi@skerryhaven.example", Verified: true},
		provider.Person{
			Subject: "mallory",
			Email:   "signe.halloran@skerryhaven.example",
		}, // says so, and nobody has seen to it
		provider.Person{Subject: "stranger", Email: "stranger@elsewhere.example", Verified: true},
	)
	s.must(err)
	t.Cleanup(p.Close)
	s.desk.Outside = s.url
	s.desk.Set(account.Settings{Provider: account.Provider{
		Issuer: p.URL, ClientID: p.ClientID, ClientSecret: p.ClientSecret, Name: "the port office", OnlyOwners: true,
	}})
	s.open("/")
	for _, nobody := range []string{"mallory", "stranger"} {
		s.click("a", "Sign in with the port office")
		s.click("a", nobody)
		s.see("[role=alert]", "nobody here is you")
	}
	// Nothing that the provider did not ask for brings anybody in.
	s.open("/api/sign-in/provider/callback?state=x&code=y")
	s.see("[role=alert]", "does not fit what was asked")
	for range 2 { // the second time by what the provider calls them
		s.click("a", "Sign in with the port office")
		s.click("a", "ruben")
		s.see("header", "Ruben Adeyemi")
		s.signOut()
	}
	s.typeInto("User name", "ruben.adeyemi")
	s.typeInto("Password", demo.Password)
	s.press(browser.Enter)
	s.see("[role=alert]", "passwords are for owners only")
	s.typeInto("User name", "signe.halloran")
	s.press(browser.Enter)
	s.see("header", "Signe Halloran")
	s.open("/security-log?q=provider")
	s.see("[data-entry=sign-in-failed]", "nobody here is “stranger”")
	s.see("[data-entry=sign-in]", "known to the identity provider from now on")

	// An owner unties the account on the person's sheet; the next sign-in there finds it by the address again.
	s.open("/people/ruben.adeyemi")
	s.see("section", "ruben")
	s.click("button", "Untie")
	s.see("[role=status]", "is asked anew who Ruben Adeyemi is")
	s.gone("button", "Untie")
	s.open("/people/noor.tamsin")
	s.see("h1", "Noor Tamsin")
	s.gone("button", "Untie")
}

// TestASecondFactorIsDemanded shows nothing but one's own page to who holds rights and has no second factor; with time
// codes, everything, and from then on the password alone brings nobody in.
func TestASecondFactorIsDemanded(t *testing.T) {
	s := walk(t, 1280, 800)
	s.desk.Outside = s.url
	s.desk.Set(account.Settings{SecondFactor: true})
	s.signIn("signe.halloran")
	s.see("[role=alert]", "here these need a second factor")
	s.open("/people")
	s.see("h1", "Signing in")
	s.click("button", "Set up time codes")
	s.see("[role=dialog]", "Or type this into it")
	secret, err := browser.Eval[string](s.Page, "document.querySelector('[role=dialog] p.font-mono').innerText.trim()")
	s.must(err)
	code := func(later time.Duration) string {
		text, err := totp.GenerateCode(secret, s.desk.Now().Add(later))
		s.must(err)
		return text
	}
	s.typeInto("The code it shows", code(0))
	s.press(browser.Enter)
	s.see("[aria-label='Recovery codes'] li", "-")
	s.click("[role=dialog] button", "I have them")
	s.gone("[role=alert]", "second factor")
	s.open("/people")
	s.see("h1", "People")

	s.Refusals = true
	for _, c := range []struct {
		code string
		good bool
	}{{code(0), false}, {code(30 * time.Second), true}} { // the first was used to set them up
		s.signOut()
		s.typeInto("User name", "signe.halloran")
		s.typeInto("Password", demo.Password)
		s.press(browser.Enter)
		s.typeInto("A code of your authenticator", c.code)
		s.press(browser.Enter)
		if !c.good {
			s.see("[role=alert]", "code")
			s.click("button", "Sign in as somebody else")
			s.see("button", "Sign in")
			s.open("/people") // nobody is in
			s.see("button", "Sign in")
			s.signIn("ruben.adeyemi") // holds nothing in Fachwerk but a delegation
			continue
		}
		s.see("header", "Signe Halloran")
	}
}

// TestADelegateEditsWhatTheyMay shows, to who may edit but not move, lock or invite, which fields are theirs.
func TestADelegateEditsWhatTheyMay(t *testing.T) {
	s := walk(t, 1280, 800)
	design := s.desk.Design()
	office, _ := design.Groups.Find("training-office")
	var officer string
	for _, id := range append(office.Users, s.desk.Present().Index.Members(office.ID)...) {
		if u, _ := design.Users.Find(id); u.State == model.UserActive {
			officer = id
		}
	}
	let(t, s, officer)
	var hand *model.User
	for _, id := range s.desk.Present().Index.Members("hands") {
		if u, _ := design.Users.Find(id); u.State == model.UserActive && u.Source != model.Directory && id != officer {
			hand = u
			break
		}
	}
	s.signIn(officer)
	s.open("/people/" + hand.ID)
	s.click("button", "Do")
	s.click("[role=menuitem]", "Edit")
	field := func(label string) string {
		return "[...document.querySelectorAll('[role=dialog] input')].find(e => e.labels?.[0]?.innerText.startsWith(" +
			quoted(
				label,
			) + "))"
	}
	for label, theirs := range map[string]bool{
		"Name": true, "Title": true, "Department": true, "User name": false, "E-mail": false, "External id": false,
		"From": false, "Until": false,
	} {
		kept := "(" + field(label) + ")?.readOnly"
		if theirs {
			kept += " === false"
		}
		s.wait(kept)
	}
	s.typeInto("Title", "Quay hand, certified")
	s.click("[role=dialog] button", "draft")
	s.click("section[aria-label=Draft] button", "Open")
	s.see("section[aria-label='The draft and its impact']", "Quay hand, certified")
	s.apply("passed the course")
	s.see("main", "Quay hand, certified")
}

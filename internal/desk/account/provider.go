package account

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// Provider is an identity provider by which people sign in (OpenID Connect Core 1.0, the authorization code flow with
// PKCE).
type Provider struct {
	Issuer, ClientID, ClientSecret string
	Name                           string // what the button says; the issuer if empty
	// OnlyOwners closes sign-in by password but for owners, who get in when the provider does not answer.
	OnlyOwners bool
	// Newcomers is the id of a group into which the provider may bring people whom nobody has added; empty: none.
	Newcomers string
}

// provider is one that has been asked what it can do.
type provider struct {
	sync.Mutex
	Provider
	known *oidc.Provider
}

// callback is where the provider sends people back to.
const callback = "/api/sign-in/provider/callback"

// reach gives what is needed to talk to the provider, asking it the first time.
func (d *Accounts) reach(ctx context.Context) (*oidc.Provider, *oauth2.Config, error) {
	p := &d.provider
	if p.Issuer == "" {
		return nil, nil, desk.Refuse(desk.NotFound, "No identity provider is set up.")
	}
	p.Lock()
	defer p.Unlock()
	if p.known == nil {
		known, err := oidc.NewProvider(context.WithoutCancel(ctx), p.Issuer)
		if err != nil {
			d.Happened(desk.Event{What: desk.EventFailed, Text: "the identity provider does not answer: " + err.Error()})
			return nil, nil, desk.Refuse(desk.Busy, "The identity provider is not answering. Try again in a moment.")
		}
		p.known = known
	}
	return p.known, &oauth2.Config{
		ClientID:     p.ClientID,
		ClientSecret: p.ClientSecret,
		Endpoint:     p.known.Endpoint(),
		RedirectURL:  d.Outside + callback,
		Scopes:       []string{oidc.ScopeOpenID, "email", "profile"},
	}, nil
}

// asked is what is kept of a sign-in at the provider until the person comes back.
type askedProvider struct {
	State, Nonce, Verifier string
	Proof                  string // whose proof is asked for; empty: somebody signs in
	At                     time.Time
}

// AskProvider gives the address at which the provider asks who somebody is, and what must be kept until they come back.
// For a proof it asks anew, whoever is signed in there.
func (d *Accounts) AskProvider(ctx context.Context, proof string) (to string, kept []byte, err error) {
	_, config, err := d.reach(ctx)
	if err != nil {
		return "", nil, err
	}
	q := askedProvider{rand.Text(), rand.Text(), oauth2.GenerateVerifier(), proof, d.Now()}
	options := []oauth2.AuthCodeOption{oidc.Nonce(q.Nonce), oauth2.S256ChallengeOption(q.Verifier)}
	if proof != "" {
		options = append(options, oauth2.SetAuthURLParam("prompt", "login"), oauth2.SetAuthURLParam("max_age", "0"))
	}
	kept, err = json.Marshal(q)
	return config.AuthCodeURL(q.State, options...), kept, err
}

// ComeBack takes what the provider sent somebody back with. It gives who they are, and whether it was asked for as a
// proof. People are found by what the provider calls them; the first time by a verified e-mail address, or an external
// id. Nobody is made out of nothing, unless a setting says into which group.
func (d *Accounts) ComeBack(
	ctx context.Context,
	kept []byte,
	state, code, from string,
) (who desk.Actor, proof bool, err error) {
	wrong := func(text string) (desk.Actor, bool, error) {
		d.Happened(desk.Event{What: desk.EventFailed, From: from, Text: "by the identity provider: " + text})
		return desk.Actor{}, false, desk.Refuse(
			desk.NotSignedIn,
			"The identity provider's answer does not fit what was asked: sign in again.",
		)
	}
	var q askedProvider
	if json.Unmarshal(kept, &q) != nil || q.State == "" || state != q.State || code == "" {
		return wrong("another state")
	}
	known, config, err := d.reach(ctx)
	if err != nil {
		return who, false, err
	}
	token, err := config.Exchange(ctx, code, oauth2.VerifierOption(q.Verifier))
	if err != nil {
		return wrong("the code is refused")
	}
	raw, _ := token.Extra("id_token").(string)
	id, err := known.VerifierContext(ctx, &oidc.Config{ClientID: config.ClientID, Now: d.Now}).Verify(ctx, raw)
	if err != nil || id.Nonce != q.Nonce {
		return wrong("the token does not hold")
	}
	if id.Subject == "" { // it is required (OpenID Connect Core 1.0, §2), and nobody would be known by it
		return wrong("the token names nobody")
	}
	var claims struct {
		Email    string   `json:"email"`
		Verified bool     `json:"email_verified"`
		Name     string   `json:"name"`
		AuthTime *float64 `json:"auth_time"`
	}
	if err := id.Claims(&claims); err != nil {
		return wrong("the claims cannot be read")
	}
	if q.Proof != "" && !freshlyAuthenticated(claims.AuthTime, q.At, d.Now()) {
		d.Happened(desk.Event{What: desk.EventNoProof, Who: q.Proof, From: from,
			Text: "by the identity provider: it does not say that the person signed in there anew"})
		return who, false, desk.Refuse(desk.NotSignedIn, "The identity provider let you through without asking who you are, "+
			"so this proves nothing. Whoever runs it sees to it that it honours “max_age”; meanwhile, use your password here.")
	}
	user, several, err := d.identified(id.Issuer, id.Subject, claims.Email, claims.Verified)
	if err != nil {
		return who, false, err
	}
	if user == "" && !several && claims.Verified && q.Proof == "" {
		if user, err = d.newcomer(id.Issuer, id.Subject, claims.Email, claims.Name); err != nil {
			d.Happened(
				desk.Event{
					What: desk.EventFailed,
					From: from,
					Text: "by the identity provider: “" + id.Subject + "” was not added: " + err.Error(),
				},
			)
			return who, false, desk.Refuse(
				desk.NotSignedIn,
				"The identity provider knows you, and you could not be added here. Ask your access administrator.",
			)
		}
	}
	if user == "" {
		d.Happened(
			desk.Event{
				What: desk.EventFailed,
				From: from,
				Text: "by the identity provider: nobody here is “" + id.Subject + "”",
			},
		)
		return who, false, desk.Refuse(
			desk.NotSignedIn,
			"The identity provider knows you, and nobody here is you. Ask your access administrator.",
		)
	}
	if q.Proof != "" && q.Proof != user {
		return wrong("somebody else proved who they are")
	}
	if err := d.welcome(user); err != nil {
		return who, false, err
	}
	if !d.Present().Index.Live(user, d.Now()) {
		return who, false, desk.Refuse(desk.NotSignedIn, "This account is not active. Ask your access administrator.")
	}
	who = desk.Actor{User: user, From: from}
	if claims.AuthTime != nil && !time.Unix(int64(*claims.AuthTime), 0).After(d.Now()) {
		who.Proven = time.Unix(int64(*claims.AuthTime), 0).UTC() // a sign-in that the provider remembered proves no more
	}
	d.passed(trial{account: user, known: true, place: placeOf(from)})
	if q.Proof != "" {
		d.Happened(who.By(desk.EventProof, "by the identity provider"))
	}
	return who, q.Proof != "", nil
}

// freshlyAuthenticated tells whether the provider says that somebody signed in there after they were sent to it (OpenID
// Connect Core 1.0, §2 and §3.1.2.1: with max_age, a token has auth_time). The two clocks may differ by a little.
func freshlyAuthenticated(authTime *float64, asked, now time.Time) bool {
	const apart = 30 * time.Second
	if authTime == nil {
		return false
	}
	at := time.Unix(int64(*authTime), 0)
	return !at.Before(asked.Add(-apart)) && !at.After(now.Add(apart))
}

// identified finds whom the provider means; nobody if several could be meant. The first time it is whoever is live and
// has the verified address or the external id, before anybody who is only invited; and never an account that the
// provider knows by another subject already.
func (d *Accounts) identified(issuer, subject, email string, verified bool) (user string, several bool, err error) {
	i, err := d.Store.Identity(issuer, subject)
	switch {
	case err == nil:
		return i.User, false, nil
	case !errors.Is(err, store.ErrNotFound):
		return "", false, err
	}
	var found []string
	for _, u := range d.Present().Design().Users {
		if u.State != model.UserDeleted && (u.ExternalID != "" && u.ExternalID == subject ||
			verified && email != "" && strings.EqualFold(u.Email, email)) {
			found = append(found, u.ID)
		}
	}
	if len(found) > 1 {
		d.doubled(email, found)
		h := d.Present()
		found = slices.DeleteFunc(found, func(id string) bool { return !h.Index.Live(id, d.Now()) })
		if len(found) != 1 { // of two with one address, nobody knows which
			return "", true, nil
		}
	}
	if len(found) == 0 {
		return "", false, nil
	}
	switch other, err := d.Store.IdentityOf(issuer, found[0]); {
	case err == nil:
		d.Happened(desk.Event{What: desk.EventFailed, Who: found[0], Text: "by the identity provider: “" + subject +
			"” has the address of this account, which is tied to “" + other.Subject + "” there"})
		return "", true, nil
	case !errors.Is(err, store.ErrNotFound):
		return "", false, err
	}
	return found[0], false, d.identify(issuer, subject, found[0])
}

// doubled tells the owners, once, that several accounts have an address by which somebody signs in.
func (d *Accounts) doubled(email string, users []string) {
	h := d.Present()
	slices.Sort(users)
	var names []string
	for _, id := range users {
		u, _ := h.Design().Users.Find(id)
		names = append(names, u.DisplayName+" ("+u.UserName+", "+string(u.State)+")")
	}
	what := []string{"doubled " + strings.Join(users, " ")}
	if new, err := d.Store.Untold(what); err != nil || len(new) == 0 {
		return
	}
	var letters []store.Letter
	for _, id := range h.Index.Owners(d.Now()) {
		if u, ok := h.Design().Users.Find(id); ok && u.Email != "" {
			letters = append(letters, d.LetterTo(u, "",
				post.Doubled(h.Design().Organisation.Name, u.DisplayName, email, names, d.Outside+"/people/"+users[0])))
		}
	}
	if err := d.Store.Tell(d.Now(), what, letters); err != nil {
		slog.Error("owners were not told of several accounts with one address", "error", err)
	}
	d.Happened(desk.Event{What: desk.EventFailed, Who: users[0],
		Text: "by the identity provider: the address " + email + " is that of several accounts: " + strings.Join(users, ", ")})
}

// Tie is how the identity provider knows somebody.
type Tie struct {
	Issuer  string    `json:"issuer" doc:"Which provider: its issuer's address"`
	Subject string    `json:"subject" doc:"What the provider calls the person"`
	Since   time.Time `json:"since" doc:"When the person first came in by it"`
}

// Ties gives how identity providers know somebody, to an owner; empty if none does, and through the eyes of somebody
// who is no owner.
func (d *Accounts) Ties(who desk.Actor, user string) ([]Tie, error) {
	h := d.Present()
	if err := cmp.Or(d.SignedIn(h, who), d.owns(h, who.User)); err != nil {
		return nil, err
	}
	if d.owns(h, who.Eyes()) != nil {
		return []Tie{}, nil
	}
	kept, err := d.Store.Identities(user)
	out := make([]Tie, len(kept))
	for i, k := range kept {
		out[i] = Tie{k.Issuer, k.Subject, k.Since}
	}
	return out, err
}

// owns refuses whoever is no owner.
func (d *Accounts) owns(h *desk.House, user string) error {
	if !slices.Contains(h.Index.Owners(d.Now()), user) {
		return desk.Refuse(desk.NotAllowed, "Only an owner unties an account from the identity provider.")
	}
	return nil
}

// Untie forgets by which subject the identity provider knows somebody, as an owner: whoever comes with their verified
// address, or as their external id, is they from then on.
func (d *Accounts) Untie(who desk.Actor, user string) error {
	h := d.Present()
	if err := cmp.Or(d.BySession(h, who), d.owns(h, who.User), d.fresh(who)); err != nil {
		return err
	}
	n, err := d.Store.DropIdentities(user)
	if err == nil && n == 0 {
		err = desk.Refuse(desk.NotFound, "No account of %q is tied to the identity provider.", user)
	}
	if err == nil {
		d.Happened(who.By(desk.EventFactor, user+" is untied from the identity provider"))
		d.notice(user, "the identity provider no longer knows you by what it called you", who.From)
	}
	return err
}

// identify keeps what the provider calls somebody.
func (d *Accounts) identify(issuer, subject, user string) error {
	err := d.Store.SaveIdentity(store.Identity{Issuer: issuer, Subject: subject, User: user, Since: d.Now()})
	if err == nil {
		d.Happened(
			desk.Event{
				What: desk.EventSignIn,
				Who:  user,
				Text: "known to the identity provider from now on as “" + subject + "”",
			},
		)
	}
	return err
}

// newcomer adds somebody whom the provider vouches for and nobody here knows, into the group that the setting names;
// nobody if it names none. Rights in Fachwerk, and delegations, never come that way.
func (d *Accounts) newcomer(issuer, subject, email, name string) (string, error) {
	into := d.provider.Newcomers
	if into == "" {
		return "", nil
	}
	return desk.Written(
		d.Desk,
		func(h *desk.House) (string, error) { return d.addTo(h, into, issuer, subject, email, name) },
	)
}

// addTo is [Accounts.newcomer] for a group, on a house, with the writer's lock held.
func (d *Accounts) addTo(h *desk.House, into, issuer, subject, email, name string) (string, error) {
	g, ok := h.Design().Groups.Find(into)
	if !ok {
		return "", desk.Refuse(desk.NotFound, "there is no group %q for newcomers", into)
	}
	if h.Ahead().Privileged(d.Now())[into] {
		return "", desk.Refuse(desk.NotAllowed, "the group %q gives rights in Fachwerk, or a delegation", g.Name)
	}
	u := &model.User{
		UserName:    email,
		DisplayName: cmp.Or(strings.TrimSpace(name), email),
		Email:       email,
		State:       model.UserActive,
	}
	desk.NameObject(h.Design(), u)
	g = change.Clone(g)
	g.Users = append(g.Users, u.ID)
	c := d.Check(
		h,
		desk.Asker{},
		desk.Act{Door: desk.ByProvider, Ops: []change.Op{change.Put(h.Design(), u), change.Put(h.Design(), g)}},
	)
	for id := range h.Ahead().Privileged(d.Now()) { // by a rule too
		if c.Index != nil && c.Index.InGroup(u.ID, id) {
			return "", desk.Refuse(
				desk.NotAllowed,
				"the group %q gives rights in Fachwerk, or a delegation",
				c.Index.GroupName(id),
			)
		}
	}
	_, err := d.Commit(c, "", desk.Note{
		Name: cmp.Or(d.provider.Name, issuer),
		Why:  "Adds " + u.DisplayName + ", who signed in by the identity provider",
		Along: func(s *store.Store, _ int) error {
			return s.SaveIdentity(store.Identity{Issuer: issuer, Subject: subject, User: u.ID, Since: d.Now()})
		},
	})
	return u.ID, err
}

// welcome makes somebody active who was invited and comes by the provider.
func (d *Accounts) welcome(user string) error {
	return d.Writing(func(h *desk.House) error {
		u, ok := h.Design().Users.Find(user)
		if !ok || u.State != model.UserInvited || !model.In(d.Now(), u.From, u.Until) {
			return nil
		}
		return d.accept(h, u, nil)
	})
}

// closed refuses to let somebody in by password where only owners may.
func (d *Accounts) closed(user string) error {
	if d.provider.Issuer == "" || !d.provider.OnlyOwners || slices.Contains(d.Present().Index.Owners(d.Now()), user) {
		return nil
	}
	return desk.Refuse(desk.NotSignedIn, "Sign in by the identity provider: here, passwords are for owners only.")
}

package account

import (
	"bytes"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"image/png"
	"log/slog"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/desk"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// The kinds of factor.
const (
	kindCode     = "code"
	kindPasskey  = "passkey"
	kindRecovery = "recovery"
	// recoveryCodes is how many codes are made to get in by when a factor is lost.
	recoveryCodes = 10
	// codeStep is how long a time code is good, in seconds (RFC 6238, §5.2).
	codeStep = 30
)

// Factors are what somebody shows beside a password, as they see it on their own page.
type Factors struct {
	Codes    bool      `json:"codes" doc:"Time codes are set up"`
	CodesID  string    `json:"codesId,omitempty"`
	Passkeys []Passkey `json:"passkeys"`
	Recovery int       `json:"recovery" doc:"How many recovery codes are left"`
	Demanded bool      `json:"demanded" doc:"A second factor must be set up, since this person holds rights in Fachwerk"`
}

// Passkey is one of somebody's passkeys (WebAuthn).
type Passkey struct {
	ID   string     `json:"id"`
	Name string     `json:"name"`
	Made time.Time  `json:"made"`
	Used *time.Time `json:"used,omitempty"`
}

// Has tells which kinds of factor somebody has.
func (d *Accounts) Has(user string) (code, passkey bool, err error) {
	list, err := d.Store.Factors(user)
	for _, f := range list {
		code, passkey = code || f.Kind == kindCode, passkey || f.Kind == kindPasskey
	}
	return code, passkey, err
}

// Factors gives one's own factors.
func (d *Accounts) Factors(who desk.Actor) (*Factors, error) {
	if err := d.SignedIn(d.Present(), who); err != nil {
		return nil, err
	}
	list, err := d.Store.Factors(who.User)
	if err != nil {
		return nil, err
	}
	out := &Factors{Passkeys: []Passkey{}, Demanded: d.Demanded(who.User)}
	for _, f := range list {
		switch f.Kind {
		case kindCode:
			out.Codes, out.CodesID = true, f.ID
		case kindPasskey:
			out.Passkeys = append(out.Passkeys, Passkey{f.ID, f.Name, f.Made, f.Used})
		case kindRecovery:
			out.Recovery++
		}
	}
	return out, nil
}

// Demanded tells whether a second factor is demanded of somebody: where the setting says so, of whoever holds rights in
// Fachwerk.
func (d *Accounts) Demanded(user string) bool {
	if !d.Settings.SecondFactor {
		return false
	}
	h := d.Present()
	return len(h.Ahead().Present(user, ahead.Rights(h.Design()), d.Now())) > 0
}

// Lacks tells whether somebody must set up a second factor before anything else.
func (d *Accounts) Lacks(user string) bool {
	if !d.Demanded(user) {
		return false
	}
	code, passkey, err := d.Has(user)
	return err != nil || !code && !passkey
}

// NewCodes is what an authenticator is told to make time codes.
type NewCodes struct {
	Secret string `json:"secret" doc:"To be typed where the picture cannot be read"`
	Image  string `json:"image" doc:"A picture that an authenticator reads, as a data URL"`
}

// BeginCodes makes the secret of time codes; it is kept only once a code has been given.
func (d *Accounts) BeginCodes(who desk.Actor) (*NewCodes, error) {
	h := d.Present()
	if err := d.BySession(h, who); err != nil {
		return nil, err
	}
	u, _ := h.Design().Users.Find(who.User)
	key, err := totp.Generate(
		totp.GenerateOpts{Issuer: "Fachwerk, " + h.Design().Organisation.Name, AccountName: u.UserName},
	)
	if err != nil {
		return nil, err
	}
	picture, err := key.Image(220, 220)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := png.Encode(&b, picture); err != nil {
		return nil, err
	}
	return &NewCodes{key.Secret(), "data:image/png;base64," + base64.StdEncoding.EncodeToString(b.Bytes())}, nil
}

// Recovery is a list of codes by which one gets in when a factor is lost, each once. It is told this once.
type Recovery struct {
	Codes []string `json:"codes"`
}

// stepOf gives the step of a time code, if it is good at an instant or one step beside it.
func stepOf(secret, code string, at time.Time) (int64, bool) {
	for _, skew := range []int64{0, -1, 1} {
		step := at.Unix()/codeStep + skew
		want, err := totp.GenerateCodeCustom(secret, time.Unix(step*codeStep, 0), totp.ValidateOpts{
			Period: codeStep, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1,
		})
		if err == nil && want == code {
			return step, true
		}
	}
	return 0, false
}

// AddCodes sets time codes up, once one of them has been given.
func (d *Accounts) AddCodes(who desk.Actor, secret, code string) (*Recovery, error) {
	if err := d.BySession(d.Present(), who); err != nil {
		return nil, err
	}
	if err := d.fresh(who); err != nil {
		return nil, err
	}
	step, fits := stepOf(secret, strings.ReplaceAll(code, " ", ""), d.Now())
	if secret == "" || !fits {
		return nil, desk.Refuse(desk.Invalid, "This is not the code that is shown now. Wait for the next one, and type that.")
	}
	f := store.Factor{
		ID:   rand.Text(),
		User: who.User,
		Kind: kindCode,
		Name: "time codes",
		Data: []byte(secret),
		Made: d.Now(),
		Step: step,
	}
	return d.added(who, kindCode, f)
}

// added keeps a factor, with recovery codes if there are none yet.
func (d *Accounts) added(who desk.Actor, drop string, f store.Factor) (*Recovery, error) {
	list, err := d.Store.Factors(who.User)
	if err != nil {
		return nil, err
	}
	out := &Recovery{Codes: []string{}}
	kept := []store.Factor{f}
	if !slices.ContainsFunc(list, func(f store.Factor) bool { return f.Kind == kindRecovery }) {
		var codes []store.Factor
		out.Codes, codes = d.recovery(who.User)
		kept = append(kept, codes...)
	}
	if err := d.Store.SaveFactors(who.User, drop, kept...); err != nil {
		return nil, err
	}
	d.Happened(who.By(desk.EventFactor, "added: "+f.Kind+" “"+f.Name+"”"))
	d.notice(who.User, "a second factor was added: "+f.Name, who.From)
	return out, nil
}

func (d *Accounts) recovery(user string) (codes []string, kept []store.Factor) {
	for range recoveryCodes {
		text := strings.ToLower(rand.Text()[:12])
		code := text[:4] + "-" + text[4:8] + "-" + text[8:]
		id, _ := secret()
		codes = append(codes, code)
		kept = append(
			kept,
			store.Factor{ID: id, User: user, Kind: kindRecovery, Data: []byte(hashSecret(code)), Made: d.Now()},
		)
	}
	return codes, kept
}

// RenewRecovery makes recovery codes in place of those that there were.
func (d *Accounts) RenewRecovery(who desk.Actor) (*Recovery, error) {
	if err := d.BySession(d.Present(), who); err != nil {
		return nil, err
	}
	if err := d.fresh(who); err != nil {
		return nil, err
	}
	codes, kept := d.recovery(who.User)
	if err := d.Store.SaveFactors(who.User, kindRecovery, kept...); err != nil {
		return nil, err
	}
	d.Happened(who.By(desk.EventFactor, "recovery codes made anew"))
	d.notice(who.User, "your recovery codes were made anew", who.From)
	return &Recovery{codes}, nil
}

// DropFactor forgets one of one's factors.
func (d *Accounts) DropFactor(who desk.Actor, id string) error {
	if err := d.BySession(d.Present(), who); err != nil {
		return err
	}
	if err := d.fresh(who); err != nil {
		return err
	}
	if err := d.Store.DropFactor(who.User, id); err != nil {
		return desk.Missing(err, "There is no such factor any longer.")
	}
	d.Happened(who.By(desk.EventFactor, "taken away"))
	d.notice(who.User, "a second factor was taken away", who.From)
	return nil
}

// CheckCode takes a time code or a recovery code of somebody who has given their password.
func (d *Accounts) CheckCode(user, code, from string) error {
	trial, err := d.attempt(user, true, from)
	if err != nil {
		return err
	}
	list, err := d.Store.Factors(user)
	if err != nil {
		return err
	}
	code = strings.ToLower(strings.ReplaceAll(strings.TrimSpace(code), " ", ""))
	for _, f := range list {
		if f.Kind != kindCode {
			continue
		}
		if step, fits := stepOf(string(f.Data), code, d.Now()); fits {
			if err = d.Store.UseStep(f.ID, step, d.Now()); err == nil {
				return nil
			}
		}
	}
	if err = d.Store.UseRecovery(user, hashSecret(code)); err == nil {
		d.Happened(desk.Event{What: desk.EventFactor, Who: user, From: from, Text: "a recovery code was used up"})
		d.notice(user, "one of your recovery codes was used", from)
		return nil
	}
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	d.Happened(desk.Event{What: desk.EventFailed, Who: user, From: from, Text: "a wrong code"})
	return d.failed(trial, desk.Refuse(
		desk.NotSignedIn,
		"This is not a code that is good now, nor one of your recovery codes that is left.",
	))
}

// holder is somebody as a passkey knows them.
type holder struct {
	id, name, display string
	keys              []webauthn.Credential
}

func (h holder) WebAuthnID() []byte                         { return []byte(h.id) }
func (h holder) WebAuthnName() string                       { return h.name }
func (h holder) WebAuthnDisplayName() string                { return h.display }
func (h holder) WebAuthnCredentials() []webauthn.Credential { return h.keys }

// passkeys is the party that passkeys are for: the host as it is seen from outside.
func (d *Accounts) passkeys() (*webauthn.WebAuthn, error) {
	u, err := url.Parse(d.Outside)
	if err != nil || u.Hostname() == "" {
		return nil, desk.Refuse(
			desk.Invalid,
			"Passkeys need the address that Fachwerk is reached at: whoever runs the server sets it by --url.",
		)
	}
	if _, err := netip.ParseAddr(u.Hostname()); err == nil { // WebAuthn, §5.1.3: a domain, and no address
		return nil, desk.Refuse(desk.Invalid,
			"Passkeys are made for a name, and Fachwerk is reached at an address (%s) here: whoever runs the server gives it a "+
				"name by --url.", u.Hostname())
	}
	return webauthn.New(&webauthn.Config{
		RPID:          u.Hostname(),
		RPDisplayName: "Fachwerk",
		RPOrigins:     []string{d.Outside},
		AuthenticatorSelection: protocol.AuthenticatorSelection{
			ResidentKey:      protocol.ResidentKeyRequirementPreferred,
			UserVerification: protocol.VerificationRequired,
		},
	})
}

func (d *Accounts) holder(user string) (holder, error) {
	u, ok := d.Present().Design().Users.Find(user)
	if !ok {
		return holder{}, desk.Refuse(desk.NotSignedIn, "Sign in first.")
	}
	h := holder{id: u.ID, name: u.UserName, display: u.DisplayName}
	list, err := d.Store.Factors(user)
	for _, f := range list {
		var c webauthn.Credential
		if f.Kind == kindPasskey && json.Unmarshal(f.Data, &c) == nil {
			h.keys = append(h.keys, c)
		}
	}
	return h, err
}

// BeginPasskey gives what a browser needs to make a passkey, and what must be kept until it answers.
func (d *Accounts) BeginPasskey(who desk.Actor) (options, kept json.RawMessage, err error) {
	if err := d.BySession(d.Present(), who); err != nil {
		return nil, nil, err
	}
	if err := d.fresh(who); err != nil {
		return nil, nil, err
	}
	return d.askNew(who.User)
}

// askNew asks for a passkey of somebody that they do not have yet.
func (d *Accounts) askNew(user string) (options, kept json.RawMessage, err error) {
	w, err := d.passkeys()
	if err != nil {
		return nil, nil, err
	}
	h, err := d.holder(user)
	if err != nil {
		return nil, nil, err
	}
	creation, session, err := w.BeginRegistration(
		h,
		webauthn.WithExclusions(webauthn.Credentials(h.keys).CredentialDescriptors()),
	)
	if err != nil {
		return nil, nil, err
	}
	return both(creation, session)
}

func both(a, b any) (x, y json.RawMessage, err error) {
	if x, err = json.Marshal(a); err == nil {
		y, err = json.Marshal(b)
	}
	return x, y, err
}

// AddPasskey keeps the passkey that a browser has made.
func (d *Accounts) AddPasskey(who desk.Actor, name string, kept, answer json.RawMessage) (*Recovery, error) {
	if err := d.BySession(d.Present(), who); err != nil {
		return nil, err
	}
	f, err := d.made(who.User, name, kept, answer)
	if err != nil {
		return nil, err
	}
	return d.added(who, "", f)
}

// made reads the passkey that a browser made when it was asked.
func (d *Accounts) made(user, name string, kept, answer json.RawMessage) (f store.Factor, err error) {
	w, err := d.passkeys()
	if err != nil {
		return f, err
	}
	h, err := d.holder(user)
	if err != nil {
		return f, err
	}
	var session webauthn.SessionData
	if json.Unmarshal(kept, &session) != nil {
		return f, desk.Refuse(desk.Invalid, "That took too long: start again.")
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(answer)
	if err != nil {
		return f, desk.Refuse(desk.Invalid, "What the browser answered cannot be read: start again.")
	}
	c, err := w.CreateCredential(h, session, parsed)
	if err != nil {
		return f, desk.Refuse(desk.Invalid, "The passkey was not made for this address and this moment: begin again.")
	}
	data, err := json.Marshal(c)
	if err != nil {
		return f, err
	}
	id, _ := secret()
	if name = strings.TrimSpace(name); name == "" {
		name = "passkey of " + d.Now().Format("2 January 2006")
	}
	return store.Factor{ID: id, User: user, Kind: kindPasskey, Name: name, Data: data, Made: d.Now()}, nil
}

// AskPasskey gives what a browser needs to show a passkey: of somebody, or, if nobody is named, of whoever has one for
// this address.
func (d *Accounts) AskPasskey(user string) (options, kept json.RawMessage, err error) {
	w, err := d.passkeys()
	if err != nil {
		return nil, nil, err
	}
	if user == "" {
		assertion, session, err := w.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
		if err != nil {
			return nil, nil, err
		}
		return both(assertion, session)
	}
	h, err := d.holder(user)
	if err != nil {
		return nil, nil, err
	}
	if len(h.keys) == 0 {
		return nil, nil, desk.Refuse(desk.Invalid, "No passkey is set up for this account.")
	}
	assertion, session, err := w.BeginLogin(h, webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return nil, nil, err
	}
	return both(assertion, session)
}

// ShowPasskey takes the answer of a passkey, and gives whose it is: the user that was named when it was asked for, or
// whoever has it.
func (d *Accounts) ShowPasskey(user string, kept, answer json.RawMessage, from string) (string, error) {
	trial, err := d.attempt(user, user != "", from)
	if err != nil {
		return "", err
	}
	wrong := func() (string, error) {
		d.Happened(
			desk.Event{
				What: desk.EventFailed,
				Who:  user,
				From: from,
				Text: "a passkey that is not known, or not for this moment",
			},
		)
		return "", d.failed(trial, desk.Refuse(desk.NotSignedIn,
			"This passkey is not known here, or it took too long: try again."))
	}
	w, err := d.passkeys()
	if err != nil {
		return "", err
	}
	var session webauthn.SessionData
	parsed, err := protocol.ParseCredentialRequestResponseBytes(answer)
	if err != nil || json.Unmarshal(kept, &session) != nil {
		return wrong()
	}
	var c *webauthn.Credential
	if user != "" {
		h, err := d.holder(user)
		if err != nil {
			return "", err
		}
		if c, err = w.ValidateLogin(h, session, parsed); err != nil {
			return wrong()
		}
	} else {
		var found webauthn.User
		found, c, err = w.ValidatePasskeyLogin(func(_, handle []byte) (webauthn.User, error) {
			return d.holder(string(handle))
		}, session, parsed)
		if err != nil {
			return wrong()
		}
		user = string(found.WebAuthnID())
	}
	if c.Authenticator.CloneWarning {
		d.Happened(
			desk.Event{What: desk.EventFailed, Who: user, From: from, Text: "a passkey that seems to have been copied"},
		)
		return "", desk.Refuse(
			desk.NotSignedIn,
			"This passkey seems to have been copied, so it is not taken. Ask your access administrator.",
		)
	}
	if !d.Present().Index.Live(user, d.Now()) {
		return "", desk.Refuse(desk.NotSignedIn, "This account is not active. Ask your access administrator.")
	}
	list, err := d.Store.Factors(user)
	if err != nil {
		return "", err
	}
	for _, f := range list {
		var known webauthn.Credential
		if f.Kind != kindPasskey || json.Unmarshal(f.Data, &known) != nil || !bytes.Equal(known.ID, c.ID) {
			continue
		}
		now := d.Now()
		f.Used = &now
		if f.Data, err = json.Marshal(c); err != nil {
			return "", err
		}
		if err := d.Store.SaveFactors(user, "", f); err != nil {
			return "", err
		}
	}
	trial.account, trial.known = user, true
	d.passed(trial)
	return user, nil
}

// notice writes to somebody that how they sign in was changed. Where it cannot be written, what was done stands.
func (d *Accounts) notice(user, what, from string) {
	h := d.Present()
	u, ok := h.Design().Users.Find(user)
	if !ok || u.Email == "" {
		return
	}
	l := post.Notice(h.Design().Organisation.Name, u.DisplayName, what, from, d.Now())
	if err := d.Store.Write(d.LetterTo(u, "", l)); err != nil {
		slog.Error("a notice was not written", "to", user, "error", err)
	}
}

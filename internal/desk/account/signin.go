package account

import (
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"

	"fachwerk/internal/core/change"
	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

// The cost of a password hash: one pass over 19 MiB twice over, the least that is recommended for argon2id.
const (
	hashTime, hashMemory, hashThreads, hashLength = 2, 19 * 1024, 1, 32
	// MinPassword is how many characters a password has at least (NIST SP 800-63B, §5.1.1.2).
	MinPassword = 8
	maxPassword = 256
	linkLife    = time.Hour
)

func hashPassword(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	key := argon2.IDKey([]byte(password), salt, hashTime, hashMemory, hashThreads, hashLength)
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, hashMemory, hashTime, hashThreads,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(key))
}

func passwordFits(hash, password string) bool {
	var version, memory, passes int
	var threads uint8
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &passes, &threads); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, uint32(passes), uint32(memory), threads, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}

// decoy makes an unknown name take as long to refuse as a wrong password.
var decoy = hashPassword("nobody has this")

// SignIn finds the person with a user name and password. It does not tell which of the two was wrong.
func (d *Accounts) SignIn(name, password string) (desk.Actor, error) {
	h := d.Present()
	wrong := desk.Refuse(desk.NotSignedIn, "The name or the password is not right.")
	hash := decoy
	id, known := h.Index.UserID(strings.TrimSpace(name))
	if known {
		c, err := d.Store.Credential(id)
		switch {
		case err == nil:
			hash = c.Hash
		case errors.Is(err, store.ErrNotFound):
			known = false
		default:
			return desk.Actor{}, err
		}
	}
	if len(password) > maxPassword || !passwordFits(hash, password) || !known {
		return desk.Actor{}, wrong
	}
	if !h.Index.Live(id, d.Now()) {
		return desk.Actor{}, desk.Refuse(desk.NotSignedIn, "This account is not active. Ask your access administrator.")
	}
	return desk.Actor{User: id}, nil
}

// Prove checks the password of somebody who is signed in, before a critical change.
func (d *Accounts) Prove(who desk.Actor, password string) error {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return err
	}
	u, _ := h.Design().Users.Find(who.User)
	if _, err := d.SignIn(u.UserName, password); err != nil {
		return desk.Refuse(desk.NotAllowed, "This is not your password.")
	}
	return nil
}

func secret() (text, hash string) {
	text = rand.Text()
	return text, hashSecret(text)
}

func hashSecret(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:])
}

// PasswordLink gives the secret of a link by which a user can set a password, once within the hour.
func (d *Accounts) PasswordLink(user string) (string, error) {
	text, hash := secret()
	return text, d.Store.SaveLink(store.Link{Hash: hash, User: user, Expires: d.Now().Add(linkLife)})
}

// Welcome is what the page behind a password link shows.
type Welcome struct {
	UserName string `json:"userName" doc:"The name to sign in with"`
	Name     string `json:"name"`
	Shortest int    `json:"shortest" doc:"How many characters a password has at least"`
}

// Welcome looks at a password link.
func (d *Accounts) Welcome(link string) (*Welcome, error) {
	l, err := d.Store.Link(hashSecret(link), d.Now())
	if err != nil {
		return nil, desk.Missing(err, "This link has been used or has run out. Ask for a new one.")
	}
	u, ok := d.Present().Design().Users.Find(l.User)
	if !ok {
		return nil, desk.Refuse(desk.NotFound, "The person whom this link was made for is no longer there.")
	}
	return &Welcome{u.UserName, u.DisplayName, MinPassword}, nil
}

// SetPassword uses a link up to set a password, and signs its user in.
func (d *Accounts) SetPassword(link, password string) (desk.Actor, error) {
	l, err := d.Store.Link(hashSecret(link), d.Now())
	if err != nil {
		return desk.Actor{}, desk.Missing(err, "This link has been used or has run out. Ask for a new one.")
	}
	if n := utf8.RuneCountInString(password); n < MinPassword || len(password) > maxPassword {
		return desk.Actor{}, desk.Refuse(
			desk.Invalid,
			"A password has at least %d characters and at most %d bytes; this one has %d characters.",
			MinPassword,
			maxPassword,
			n,
		)
	}
	c := store.Credential{User: l.User, Hash: hashPassword(password)}
	if err := d.Store.UseLink(hashSecret(link), d.Now(), c); err != nil {
		return desk.Actor{}, desk.Missing(err, "This link has been used or has run out. Ask for a new one.")
	}
	return desk.Actor{User: l.User}, d.accept(l.User)
}

// accept makes somebody active who was invited and has now come, as a revision of their own.
func (d *Accounts) accept(user string) error {
	d.Write.Lock()
	defer d.Write.Unlock()
	h := d.Present()
	u, ok := h.Design().Users.Find(user)
	if !ok || u.State != model.UserInvited {
		return nil
	}
	active := change.Clone(u)
	active.State = model.UserActive
	op := change.Put(h.Design(), active)
	_, err := d.Commit(
		d.Check(
			h,
			desk.Asker{Who: desk.Actor{User: user}},
			desk.Act{Door: desk.ByInvitation, Ops: []change.Op{op}, Permits: func(o change.Op) string {
				if o.Kind != model.KindUser || o.ID != user {
					return "Whoever accepts an invitation changes nothing but their own state."
				}
				return ""
			}},
		),
		"The invitation cannot be accepted.",
		desk.Note{Why: "Accepts the invitation"},
	)
	return err
}

// invitationLife is how long an invitation is good.
const invitationLife = 7 * 24 * time.Hour

// Invitation is how somebody who is invited gets in.
type Invitation struct {
	User  desk.Ref  `json:"user"`
	Path  string    `json:"path" doc:"Where the link leads; good once"`
	Until time.Time `json:"until"`
	To    string    `json:"to,omitempty" doc:"The address of the letter in the outbox"`
}

// Invite makes a link by which somebody who is invited sets a password and so becomes active, and puts a letter
// with it into the outbox. A link that was made before stays good until it runs out.
func (d *Accounts) Invite(who desk.Actor, user, base string) (*Invitation, error) {
	h := d.Present()
	if err := d.Acts(h, who); err != nil {
		return nil, err
	}
	u, ok := h.Design().Users.Find(user)
	if !ok {
		return nil, desk.Refuse(
			desk.NotFound,
			"There is no person %q. If they are only in your draft, apply it first.",
			user,
		)
	}
	if !d.May(h, who, model.EditPeople) {
		if r := delegation.Of(h.Ahead(), who.User, d.Now()).Check(delegation.Act{Action: delegation.Invite, User: u}); r != nil {
			return nil, desk.Refuse(desk.NotAllowed, "%s", r.Reason)
		}
	}
	if u.State != model.UserInvited {
		return nil, desk.Refuse(
			desk.Conflict,
			"%s is not waiting for an invitation: the account is %s.",
			u.DisplayName,
			u.State,
		)
	}
	text, hash := secret()
	until := d.Now().Add(invitationLife)
	if err := d.Store.SaveLink(store.Link{Hash: hash, User: user, Expires: until}); err != nil {
		return nil, err
	}
	path := "/welcome/" + text
	letter := post.Invitation(
		h.Design().Organisation.Name,
		u.DisplayName,
		h.Ref(model.KindUser, who.User).Name,
		base+path,
		until,
	)
	if err := d.Store.Write(store.Letter{Written: d.Now(), User: u.ID, To: u.Email, Subject: letter.Subject, Body: letter.Body}); err != nil {
		return nil, err
	}
	return &Invitation{h.Ref(model.KindUser, u.ID), path, until, u.Email}, nil
}

// Purposes are what a token can be for.
var Purposes = []string{"decisions", "scim", "api"}

// MakeToken makes a token for a program and gives its secret, which is not kept. One for the application's API acts
// as a user.
func (d *Accounts) MakeToken(name, purpose, user string) (string, error) {
	text, hash := secret()
	if purpose == "api" {
		id, ok := d.Present().Index.UserID(user)
		if !ok {
			return "", desk.Refuse(desk.Invalid, "There is no user %q for the token to act as.", user)
		}
		user = id
	}
	return text, d.Store.SaveToken(store.Token{Hash: hash, Name: name, Purpose: purpose, User: user, Made: d.Now()})
}

// Program finds the token that a program shows, if it is for a purpose.
func (d *Accounts) Program(text, purpose string) (store.Token, bool) {
	hash := hashSecret(text)
	v, ok := d.known.Load(hash)
	if !ok {
		t, err := d.Store.Token(hash)
		if err != nil {
			return store.Token{}, false
		}
		d.known.Store(hash, t)
		v = t
	}
	t := v.(store.Token)
	return t, t.Purpose == purpose
}

// DemoSignIn is a way into the demo organisation, shown on the sign-in page.
type DemoSignIn struct {
	UserName string `json:"userName"`
	Name     string `json:"name"`
	As       string `json:"as" doc:"What this person does in the demo organisation"`
}

// SignInPage is what the sign-in page shows.
type SignInPage struct {
	Organisation string       `json:"organisation"`
	Demo         []DemoSignIn `json:"demo" doc:"Ways into the demo organisation; empty for a real one"`
	DemoPassword string       `json:"demoPassword,omitempty"`
	Empty        bool         `json:"empty" doc:"Nobody can sign in yet, since the design holds no people"`
}

// SignInPage gives what the sign-in page shows.
func (d *Accounts) SignInPage() *SignInPage {
	design := d.Present().Design()
	p := &SignInPage{Organisation: design.Organisation.Name, Demo: []DemoSignIn{}, Empty: len(design.Users) == 0}
	for _, w := range d.open.Ways {
		if u, ok := design.Users.Find(w.User); ok {
			p.Demo = append(p.Demo, DemoSignIn{u.UserName, u.DisplayName, w.As})
		}
	}
	if len(p.Demo) > 0 {
		p.DemoPassword = d.open.Password
	}
	return p
}

// Me is what the interface knows of who is signed in.
type Me struct {
	User         desk.Ref `json:"user" doc:"Whose eyes are looked through; the signed-in person, if nobody else"`
	SignedIn     desk.Ref `json:"signedIn"`
	Organisation string   `json:"organisation"`
	Rights       []string `json:"rights" doc:"Rights in Fachwerk that are held over the whole organisation"`
	Delegated    []string `json:"delegated" doc:"Actions that one delegation or another lets this person do"`
	Waiting      int      `json:"waiting" doc:"Review items that wait for this person's decision"`
	Tasks        int      `json:"tasks" doc:"Tasks of reviews that wait for this person as the owner of a group"`
	Revision     int      `json:"revision" doc:"The one that is looked at"`
	Applied      string   `json:"applied,omitempty" doc:"When that revision was applied (RFC 3339)"`
	Current      int      `json:"current" doc:"The last revision there is"`
	Day          string   `json:"day,omitempty" doc:"The day that is looked at (RFC 3339), if it is not now"`
	Coming       bool     `json:"coming" doc:"That day is still to come"`
}

// Me gives what the interface knows of who is signed in.
func (d *Accounts) Me(who desk.Actor) (*Me, error) {
	h := d.Present()
	if err := d.SignedIn(h, who); err != nil {
		return nil, err
	}
	u, _ := h.Design().Users.Find(who.Eyes())
	me := &Me{
		User:         h.Ref(model.KindUser, u.ID),
		SignedIn:     h.Ref(model.KindUser, who.User),
		Organisation: h.Design().Organisation.Name,
		Rights:       []string{},
		Delegated:    []string{},
		Revision:     h.Revision,
		Current:      h.Revision,
	}
	at := h.At
	if !who.When.IsZero() {
		me.Day, me.Coming = who.When.Format(time.RFC3339), who.When.After(d.Now())
		if !me.Coming {
			past, err := d.Past.At(d.Desk, who.When)
			if err != nil {
				return nil, err
			}
			me.Revision, at = past.Revision, past.At
		}
	}
	if !at.IsZero() {
		me.Applied = at.Format(time.RFC3339)
	}
	own, _ := h.Design().Systems.Find(model.OwnSystem)
	for _, p := range own.Permissions {
		if d.May(h, who, p.Key) {
			me.Rights = append(me.Rights, p.Key)
		}
	}
	for _, g := range delegation.Of(h.Ahead(), who.Eyes(), d.Now()).Delegations() {
		for _, action := range g.Actions {
			if !slices.Contains(me.Delegated, action) {
				me.Delegated = append(me.Delegated, action)
			}
		}
	}
	waiting, err := d.Store.Waiting(who.Eyes())
	if err != nil {
		return nil, err
	}
	tasks, err := d.Store.Tasks(0, who.Eyes())
	me.Waiting, me.Tasks = waiting, len(tasks)
	return me, err
}

// OpenHouse is what the sign-in page tells everybody, of an organisation that is only shown: a password, and whom it lets in.
type OpenHouse struct {
	Password string `json:"password"`
	Ways     []Way  `json:"ways"`
}

// Way is one person whom the password lets in, and what they do.
type Way struct {
	User string `json:"user"`
	As   string `json:"as"`
}

// settingOpen is where a database keeps its open house, as JSON; empty in that of a real organisation.
const settingOpen = "demo"

// Invite keeps an open house in a database, and lets those in whom it names, as far as they are there.
func (o OpenHouse) Invite(s *store.Store) error {
	d, _, err := s.Design()
	if err != nil {
		return err
	}
	hash := hashPassword(o.Password)
	for _, w := range o.Ways {
		if d.Get(model.KindUser, w.User) == nil {
			continue
		}
		if err := s.SaveCredential(store.Credential{User: w.User, Hash: hash}); err != nil {
			return err
		}
	}
	text, err := json.Marshal(o)
	if err != nil {
		return err
	}
	return s.SetSetting(settingOpen, string(text))
}

package account

import (
	"cmp"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"fachwerk/internal/core/delegation"
	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/post"
	"fachwerk/internal/store"
)

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
	Provider     string       `json:"provider,omitempty" doc:"What the identity provider is called; absent if there is none"`
	Told         string       `json:"told,omitempty" doc:"Why the identity provider brought nobody in"`
	Empty        bool         `json:"empty" doc:"Nobody can sign in yet, since the design holds no people"`
}

// SignInPage gives what the sign-in page shows.
func (d *Accounts) SignInPage() *SignInPage {
	design := d.Present().Design()
	p := &SignInPage{Organisation: design.Organisation.Name, Demo: []DemoSignIn{}, Empty: len(design.Users) == 0}
	if by := d.provider.Provider; by.Issuer != "" {
		p.Provider = cmp.Or(by.Name, by.Issuer)
	}
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
	Owner        bool     `json:"owner" doc:"Holds every right in Fachwerk over the whole organisation, for good"`
	Delegated    []string `json:"delegated" doc:"Actions that one delegation or another lets this person do"`
	Waiting      int      `json:"waiting" doc:"Review items that wait for this person's decision"`
	Tasks        int      `json:"tasks" doc:"Tasks of reviews that wait for this person as the owner of a group"`
	Asked        int      `json:"asked" doc:"Requests of others that wait for this person's decision"`
	Revision     int      `json:"revision" doc:"The one that is looked at"`
	Applied      string   `json:"applied,omitempty" doc:"When that revision was applied (RFC 3339)"`
	Current      int      `json:"current" doc:"The last revision there is"`
	Day          string   `json:"day,omitempty" doc:"The day that is looked at (RFC 3339), if it is not now"`
	Coming       bool     `json:"coming" doc:"That day is still to come"`
	Now          string   `json:"now" doc:"What time it is (RFC 3339)"`
	Zone         string   `json:"zone" doc:"The organisation's time zone, in which its days begin and end (tz database)"`
	Lacks        bool     `json:"lacks" doc:"A second factor must be set up before anything else"`
	Provider     string   `json:"provider,omitempty" doc:"By whom one can prove who one is; absent if there is no identity provider"`
	Passkey      bool     `json:"passkey" doc:"Critical acts are proven by a passkey"`
}

// Me gives what the interface knows of who is signed in.
func (d *Accounts) Me(who desk.Actor) (*Me, error) {
	h := d.Present()
	err := d.SignedIn(h, who)
	if err != nil {
		return nil, err
	}
	u, _ := h.Design().Users.Find(who.Eyes())
	me := &Me{
		User:         h.Ref(model.KindUser, u.ID),
		SignedIn:     h.Ref(model.KindUser, who.User),
		Organisation: h.Design().Organisation.Name,
		Rights:       []string{},
		Owner:        slices.Contains(h.Index.Owners(d.Now()), u.ID),
		Delegated:    []string{},
		Revision:     h.Revision,
		Current:      h.Revision,
		Now:          d.Now().Format(time.RFC3339),
		Zone:         d.Zone().String(),
	}
	if _, me.Passkey, err = d.Has(who.User); err != nil {
		return nil, err
	}
	me.Lacks = d.Lacks(who.User)
	if by := d.provider.Provider; by.Issuer != "" {
		me.Provider = cmp.Or(by.Name, by.Issuer)
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
	self := d.Self(h, who, model.ViewReviews)
	waiting, err := d.Store.Waiting(self)
	if err != nil {
		return nil, err
	}
	tasks, err := d.Store.Tasks(0, self)
	me.Waiting, me.Tasks = waiting, len(tasks)
	if d.Asked != nil && err == nil && who.When.IsZero() && who.As == "" && who.Maker == "" {
		me.Asked, err = d.Asked(desk.Actor{User: who.User})
	}
	return me, err
}

// Letters are what a person wants to be written to about. Invitations, and links by which to set a password, come in
// any case.
type Letters struct {
	To        string `json:"to,omitempty" readOnly:"true" doc:"The address that letters go to; absent if there is none"`
	Reminders bool   `json:"reminders" doc:"When review items wait: as the review opens, at half time, in the days before its end and after it"`
	Tasks     bool   `json:"tasks" doc:"When a review leaves something to settle in a group that they own"`
	Requests  bool   `json:"requests" doc:"When somebody asks for something that they could grant"`
	Endings   bool   `json:"endings" doc:"When something that they were given for a time ends soon"`
	Findings  *bool  `json:"findings,omitempty" doc:"Once a week, what is loose about the roles, sets and groups that they own; absent: yes"`
	Criticals bool   `json:"criticals" doc:"Of an owner: when another makes a critical change"`
	Daily     bool   `json:"daily" doc:"What is not urgent comes in one letter a day; otherwise each at once"`
}

// kinds are the letters that one may decline.
func (l *Letters) kinds() map[string]*bool {
	if l.Findings == nil {
		wanted := true
		l.Findings = &wanted
	}
	return map[string]*bool{
		post.Reminders: &l.Reminders, post.Tasks: &l.Tasks, post.Requests: &l.Requests, post.Endings: &l.Endings,
		post.Findings: l.Findings, post.Criticals: &l.Criticals, post.AtOnce: &l.Daily,
	}
}

// Letters gives which letters whoever is signed in wants.
func (d *Accounts) Letters(who desk.Actor) (*Letters, error) {
	u, ok := d.Present().Design().Users.Find(who.User)
	if !ok {
		return nil, desk.Refuse(desk.NotSignedIn, "Sign in first.")
	}
	declined, err := d.Store.DeclinedBy(who.User)
	l := &Letters{To: u.Email}
	for kind, wanted := range l.kinds() {
		*wanted = !slices.Contains(declined, kind)
	}
	return l, err
}

// SetLetters keeps which letters whoever is signed in wants.
func (d *Accounts) SetLetters(who desk.Actor, l Letters) error {
	if err := d.InPerson(d.Present(), who); err != nil {
		return err
	}
	var declined []string
	for kind, wanted := range l.kinds() {
		if !*wanted {
			declined = append(declined, kind)
		}
	}
	return d.Store.Decline(who.User, declined...)
}

// OpenHouse is what the sign-in page tells everybody, of an organisation that is only shown: a password, and whom it
// lets in.
type OpenHouse struct {
	Password string `json:"password"`
	Ways     []Way  `json:"ways"`
}

// Way is one person whom the password lets in, and what they do.
type Way struct {
	User string `json:"user"`
	As   string `json:"as"`
}

// CloseHouse lets nobody in by what the sign-in page told, and shows nobody's letters, as long as this server runs.
func (d *Accounts) CloseHouse() { d.open = OpenHouse{} }

// EndOpenHouse ends the open house of a database for good: its password, which everybody knows, is nobody's any longer.
func (d *Accounts) EndOpenHouse() error {
	if len(d.open.Ways) == 0 {
		return nil
	}
	for _, w := range d.open.Ways {
		c, err := d.Store.Credential(w.User)
		if errors.Is(err, store.ErrNotFound) || err == nil && !passwordFits(c.Hash, d.open.Password) {
			continue // they have one of their own
		}
		if err == nil {
			err = d.Store.DropCredential(w.User)
		}
		if err != nil {
			return err
		}
	}
	d.CloseHouse()
	return d.Store.SetSetting(settingOpen, "")
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

package account

import (
	"errors"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
	"fachwerk/internal/store"
)

// Purposes are what a token can be for. One for copies lets read all there is, so only operators make it.
var Purposes = []string{"decisions", "scim", "api", ForCopies}

// ForCopies is what a token is for by which a copy follows this server.
const ForCopies = "copies"

// usedEvery is how often it is written down that a token is used.
const usedEvery = time.Hour

// MakeToken makes a token for a program, as an operator, and gives its secret, which is not kept. One for the
// application's API acts as a user.
func (d *Accounts) MakeToken(n NewToken) (string, error) { return d.makeToken(desk.Actor{}, n) }

func (d *Accounts) makeToken(who desk.Actor, n NewToken) (string, error) {
	text, hash := secret()
	t := store.Token{Hash: hash, Name: n.Name, Purpose: n.Purpose, Made: d.Now(), By: who.User, Expires: n.Expires}
	t.SignIns = n.SignIns && n.Purpose == "scim"
	if n.Purpose == "api" {
		var ok bool
		if t.User, ok = d.Present().Index.UserID(n.User); !ok {
			return "", desk.Refuse(desk.Invalid, "There is no user %q for the token to act as.", n.User)
		}
	}
	if err := d.Store.SaveToken(t); err != nil {
		return "", err
	}
	by := who
	if by.User == "" {
		by.User = "operator"
	}
	d.Happened(by.By(desk.EventToken, "“"+t.Name+"” for "+t.Purpose+actsAs(t)))
	return text, nil
}

// TakeTokens makes some tokens all that there are: those of the desk that this one is a copy of.
func (d *Accounts) TakeTokens(list []store.Token) error {
	if err := d.Store.ReplaceTokens(list); err != nil {
		return err
	}
	d.known.Clear()
	return nil
}

func actsAs(t store.Token) string {
	switch {
	case t.SignIns:
		return ", which may change how people with rights in Fachwerk sign in"
	case t.User == "":
		return ""
	}
	return ", acting as " + t.User
}

// Program finds the token that a program shows, if it is for a purpose and has neither run out nor been withdrawn. Its
// error says why it does nothing now: that it sleeps is told, and otherwise nothing.
func (d *Accounts) Program(text, purpose string) (store.Token, error) {
	t, ok := d.program(text, purpose)
	if !ok {
		return store.Token{}, errNoToken
	}
	if why := d.asleep(d.Present(), t); why != "" {
		return store.Token{}, desk.Refuse(desk.NotSignedIn, "The token “%s” sleeps: %s", t.Name, why)
	}
	return t, nil
}

// errNoToken says of a token that it is none, without a word on why.
var errNoToken = desk.Refuse(desk.NotSignedIn, "There is no such token, or it has run out or was withdrawn.")

// Unheard says to a program that shows no token for a purpose which one it needs, or why its own sleeps.
func Unheard(err error, purpose string) string {
	if err == nil || errors.Is(err, errNoToken) {
		return "Show a bearer token made with: fachwerk token --for " + purpose
	}
	return err.Error()
}

// asleep says why a token does nothing now, since its maker could not do it; empty if it does. One that an operator
// made never sleeps.
func (d *Accounts) asleep(h *desk.House, t store.Token) string {
	switch now := d.Now(); {
	case t.By == "" || t.By == t.User && h.Index.Live(t.By, now):
		return ""
	case t.Purpose == "scim" && h.Index.Live(t.By, now):
		if !slices.Contains(h.Index.Owners(now), t.By) {
			return h.Ref(model.KindUser, t.By).Name +
				", who made it, is no longer an owner. An owner takes it over, or makes another."
		}
		return ""
	}
	return d.Asleep(h, t.By)
}

func (d *Accounts) program(text, purpose string) (store.Token, bool) {
	hash := hashSecret(text)
	v, ok := d.known.Load(hash)
	if !ok {
		t, err := d.Store.Token(hash)
		if err != nil {
			return store.Token{}, false
		}
		v, _ = d.known.LoadOrStore(hash, &token{Token: t})
	}
	t := v.(*token)
	t.Lock()
	defer t.Unlock()
	now := d.Now()
	if t.Purpose != purpose || t.Ended != nil || t.Expires != nil && !now.Before(*t.Expires) {
		return store.Token{}, false
	}
	if t.Used == nil || now.Sub(*t.Used) >= usedEvery {
		t.Used = &now
		// A decision waits for no writer, and is given even where nothing can be written.
		go func() { _ = desk.Guarded(func() error { return d.Store.SeenToken(hash, now) }) }()
	}
	return t.Token, true
}

// Token is one by which a program gets in, as the page of tokens shows it. Its secret is not kept.
type Token struct {
	ID      string     `json:"id"`
	Name    string     `json:"name"`
	Purpose string     `json:"purpose" enum:"decisions,scim,api,copies,calendar"`
	User    *desk.Ref  `json:"user,omitempty" doc:"Whom it acts as"`
	Made    time.Time  `json:"made"`
	By      string     `json:"by" doc:"Who made it"`
	Expires *time.Time `json:"expires,omitempty"`
	Used    *time.Time `json:"used,omitempty" doc:"When it was last used, to the hour or so"`
	Ended   *time.Time `json:"ended,omitempty" doc:"When it was withdrawn"`
	SignIns bool       `json:"signIns" doc:"The directory may change how people with rights in Fachwerk sign in"`
	Asleep  string     `json:"asleep,omitempty" doc:"Why it does nothing now: it does only what its maker could do"`
}

// idOf names a token without telling anything of its secret.
func idOf(hash string) string { return hash[:16] }

// Tokens gives all tokens, latest first, to who may manage them.
func (d *Accounts) Tokens(who desk.Actor) ([]Token, error) {
	h, err := d.Enter(who, model.ManageTokens)
	if err != nil {
		return nil, err
	}
	list, err := d.Store.AllTokens()
	if err != nil {
		return nil, err
	}
	out := []Token{}
	for _, t := range list {
		if v, ok := d.known.Load(t.Hash); ok {
			t = v.(*token).copy()
		}
		row := Token{
			ID:      idOf(t.Hash),
			Name:    t.Name,
			Purpose: t.Purpose,
			Made:    t.Made,
			By:      "an operator",
			Expires: t.Expires,
			Used:    t.Used,
			Ended:   t.Ended,
			SignIns: t.SignIns,
		}
		if t.Ended == nil {
			row.Asleep = d.asleep(h, t)
		}
		if t.By != "" {
			row.By = h.Ref(model.KindUser, t.By).Name
		}
		if t.User != "" {
			as := h.Ref(model.KindUser, t.User)
			row.User = &as
		}
		out = append(out, row)
	}
	return out, nil
}

// NewToken says what a token is to be.
type NewToken struct {
	Name    string     `json:"name" minLength:"1" maxLength:"200"`
	Purpose string     `json:"purpose" enum:"decisions,scim,api"`
	User    string     `json:"user,omitempty" doc:"Whom one for the API acts as"`
	Expires *time.Time `json:"expires,omitempty"`
	SignIns bool       `json:"signIns,omitempty" doc:"A directory may change how people with rights in Fachwerk sign in"`
}

// MadeToken is a new token with its secret, which is told this once.
type MadeToken struct {
	Secret string `json:"secret"`
}

// AddToken makes a token for a program. It can act only as somebody who holds no right in Fachwerk that its maker
// lacks.
func (d *Accounts) AddToken(who desk.Actor, n NewToken) (*MadeToken, error) {
	h, err := d.Enter(who, model.ManageTokens)
	if err != nil {
		return nil, err
	}
	if err := d.Acts(h, who); err != nil {
		return nil, err
	}
	if err := d.fresh(who); err != nil {
		return nil, err
	}
	n.Name = strings.TrimSpace(n.Name)
	switch {
	case n.Name == "":
		return nil, desk.Refuse(desk.Invalid, "Say what the token is for, by a name.")
	case n.Expires != nil && !n.Expires.After(d.Now()):
		return nil, desk.Refuse(desk.Invalid, "The token would have run out already: choose a later day.")
	case n.Purpose == ForCopies:
		return nil, desk.Refuse(desk.NotAllowed, "Only whoever runs the server lets a copy in, by a command.")
	case n.Purpose == "scim" && !slices.Contains(h.Index.Owners(d.Now()), who.User):
		return nil, desk.Refuse(desk.NotAllowed, "Only an owner lets a directory in.")
	}
	if why := d.asleep(h, store.Token{Purpose: n.Purpose, User: n.User, By: who.User}); why != "" {
		return nil, desk.Refuse(desk.NotAllowed, "A token does nothing that its maker could not do, so one of yours needs the "+
			"right to see the design.")
	}
	if n.Purpose == "api" {
		u, ok := h.Design().Users.Find(n.User)
		if !ok {
			return nil, desk.Refuse(desk.Invalid, "Say whom the token acts as.")
		}
		if high := d.beyond(h, who, u); high != "" {
			return nil, &desk.Error{
				Cause: desk.NotAllowed,
				Code:  desk.Above,
				Message: u.DisplayName + " holds the right " + high +
					" in Fachwerk, which you do not, so no token of yours acts as them.",
			}
		}
	}
	text, err := d.makeToken(who, n)
	if err != nil {
		return nil, err
	}
	return &MadeToken{text}, nil
}

// fresh refuses who has not proven lately who they are.
func (d *Accounts) fresh(who desk.Actor) error {
	if d.Now().Sub(who.Proven) > desk.ProvenFor {
		return &desk.Error{
			Cause:    desk.Unproven,
			Code:     desk.Critical,
			Message:  "This needs your password once more, since you last gave it more than ten minutes ago.",
			Problems: []string{"A program is let in, or shut out."},
		}
	}
	return nil
}

// managed gives a token that works to who may manage it, and has proven lately who they are.
func (d *Accounts) managed(who desk.Actor, id string) (*desk.House, store.Token, error) {
	h, err := d.Enter(who, model.ManageTokens)
	if err != nil {
		return nil, store.Token{}, err
	}
	if err := d.Acts(h, who); err != nil {
		return nil, store.Token{}, err
	}
	if err := d.fresh(who); err != nil {
		return nil, store.Token{}, err
	}
	list, err := d.Store.AllTokens()
	if err != nil {
		return nil, store.Token{}, err
	}
	i := slices.IndexFunc(list, func(t store.Token) bool { return idOf(t.Hash) == id })
	if i < 0 || list[i].Ended != nil {
		return nil, store.Token{}, errNotManaged
	}
	return h, list[i], nil
}

var errNotManaged = desk.Refuse(desk.NotFound, "There is no such token, or it is withdrawn already.")

// EndToken withdraws a token: it works no longer, at once.
func (d *Accounts) EndToken(who desk.Actor, id string) error {
	_, t, err := d.managed(who, id)
	if err != nil {
		return err
	}
	return d.endToken(who, t)
}

// TakeToken makes an owner the maker of a token, so that it does what they could do.
func (d *Accounts) TakeToken(who desk.Actor, id string) error {
	h, t, err := d.managed(who, id)
	switch {
	case err != nil:
		return err
	case t.Purpose == ForCalendar || t.Purpose == ForCopies:
		return errNotManaged
	case !slices.Contains(h.Index.Owners(d.Now()), who.User):
		return desk.Refuse(desk.NotAllowed, "Only an owner takes a token over.")
	}
	t.By = who.User
	if err := d.Store.AlterToken(t); err != nil {
		return err
	}
	if v, ok := d.known.Load(t.Hash); ok {
		known := v.(*token)
		known.Lock()
		known.By = who.User
		known.Unlock()
	}
	d.Happened(who.By(desk.EventToken, "“"+t.Name+"” for "+t.Purpose+actsAs(t)+", taken over"))
	return nil
}

func (d *Accounts) endToken(who desk.Actor, t store.Token) error {
	now := d.Now()
	t.Ended = &now
	if err := d.Store.AlterToken(t); err != nil {
		return err
	}
	if err := d.Forget(desk.Actor{User: t.User, Token: t.Name}); err != nil {
		return err
	}
	if v, ok := d.known.Load(t.Hash); ok {
		known := v.(*token)
		known.Lock()
		known.Ended = &now
		known.Unlock()
	}
	d.Happened(who.By(desk.EventTokenEnded, "“"+t.Name+"” for "+t.Purpose+actsAs(t)))
	return nil
}

// ForCalendar is what a token is for by which a person's calendar reads what is due for them. Nobody makes one but for
// themselves.
const ForCalendar = "calendar"

// HasCalendar tells whether somebody's calendar has an address.
func (d *Accounts) HasCalendar(who desk.Actor) (bool, error) {
	list, err := d.calendars(who)
	return len(list) > 0, err
}

func (d *Accounts) calendars(who desk.Actor) ([]store.Token, error) {
	if err := d.SignedIn(d.Present(), who); err != nil {
		return nil, err
	}
	list, err := d.Store.AllTokens()
	return slices.DeleteFunc(list, func(t store.Token) bool {
		return t.Purpose != ForCalendar || t.User != who.User || t.Ended != nil
	}), err
}

// MakeCalendar makes an address for somebody's calendar, in place of one that they had, and gives its secret.
func (d *Accounts) MakeCalendar(who desk.Actor) (string, error) {
	if err := d.EndCalendar(who); err != nil {
		return "", err
	}
	text, hash := secret()
	t := store.Token{Hash: hash, Name: "Calendar", Purpose: ForCalendar, User: who.User, Made: d.Now(), By: who.User}
	if err := d.Store.SaveToken(t); err != nil {
		return "", err
	}
	d.Happened(who.By(desk.EventToken, "“"+t.Name+"” for "+t.Purpose+actsAs(t)))
	return text, nil
}

// EndCalendar withdraws the address of somebody's calendar.
func (d *Accounts) EndCalendar(who desk.Actor) error {
	if err := d.BySession(d.Present(), who); err != nil {
		return err
	}
	list, err := d.calendars(who)
	for _, t := range list {
		if err := d.endToken(who, t); err != nil {
			return err
		}
	}
	return err
}

// TokensTable gives every token, those that have ended too, without their secrets.
func (d *Accounts) TokensTable(who desk.Actor) (*table.Table, error) {
	list, err := d.Tokens(who)
	if err != nil {
		return nil, err
	}
	t := &table.Table{Name: "tokens", Columns: []table.Column{
		{Title: "id", Width: 14}, {Title: "name", Width: 30}, {Title: "for", Width: 12}, {Title: "acts as", Width: 26},
		{Title: "made", Width: 20}, {Title: "made by", Width: 26}, {Title: "expires", Width: 20},
		{Title: "last used", Width: 20}, {Title: "ended", Width: 20},
	}}
	for _, k := range list {
		as := ""
		if k.User != nil {
			as = k.User.ID
		}
		row := []any{k.ID, k.Name, k.Purpose, as, k.Made, k.By}
		for _, at := range []*time.Time{k.Expires, k.Used, k.Ended} {
			if at == nil {
				row = append(row, nil)
			} else {
				row = append(row, *at)
			}
		}
		t.Rows = append(t.Rows, row)
	}
	return t, nil
}

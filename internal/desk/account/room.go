// Package account is how people and programs get in: passwords, sessions, links, invitations, tokens; and the log of
// what concerns these.
package account

import (
	"cmp"
	"encoding/json"
	"strings"
	"sync"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// Accounts lets people and programs in.
type Accounts struct {
	*view.Viewer
	known    sync.Map // tokens that programs have shown, by hash
	sessions sync.Map // sessions that were asked about, by id
	tries    tries
	behind   sync.WaitGroup // what is done after its answer was given
	asking   sync.Mutex     // one letter for a forgotten password is written at a time
	open     OpenHouse
	provider provider
	Settings
	// Asked tells how many requests wait for somebody's decision.
	Asked func(who desk.Actor) (int, error)
}

// Settings are what whoever runs the server decides about getting in.
type Settings struct {
	Mail         bool // letters are sent
	SecondFactor bool // whoever holds rights in Fachwerk must have a second factor
	Provider     Provider
	// How long an invitation is good; how long somebody stays signed in, and how long without doing anything.
	InvitationLife           time.Duration
	SessionLife, SessionIdle time.Duration
}

// usual are the settings where nothing is decided: somebody stays signed in over a working day, less if nothing is
// done.
var usual = Settings{InvitationLife: 7 * 24 * time.Hour, SessionLife: 12 * time.Hour, SessionIdle: 2 * time.Hour}

// Set takes settings over, before anybody is served. Durations that are zero are the usual ones.
func (d *Accounts) Set(s Settings) {
	s.InvitationLife = cmp.Or(s.InvitationLife, usual.InvitationLife)
	s.SessionLife, s.SessionIdle = cmp.Or(s.SessionLife, usual.SessionLife), cmp.Or(s.SessionIdle, usual.SessionIdle)
	d.Settings, d.provider.Provider = s, s.Provider
}

// token is one that a program has shown.
type token struct {
	sync.Mutex
	store.Token
}

func (t *token) copy() store.Token {
	t.Lock()
	defer t.Unlock()
	return t.Token
}

// New makes the room beside that of what is looked at.
func New(v *view.Viewer) (*Accounts, error) {
	a := &Accounts{Viewer: v, Settings: usual}
	v.Outgrown = a.outgrown
	v.Ended = func(users []string) { a.forget("", users...) }
	text, err := v.Store.Setting(settingOpen)
	if err == nil && strings.HasPrefix(text, "{") { // an earlier program kept only that there is one
		err = json.Unmarshal([]byte(text), &a.open)
	}
	return a, err
}

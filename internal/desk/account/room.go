// Package account is how people and programs get in: passwords, sessions, links, invitations, tokens; and the log of
// what concerns these.
package account

import (
	"encoding/json"
	"strings"
	"sync"

	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// Accounts lets people and programs in.
type Accounts struct {
	*view.Viewer
	known    sync.Map // tokens that programs have shown, by hash
	sessions sync.Map // sessions that were asked about, by id
	tries    tries
	open     OpenHouse
	outside  string // the address as it is seen from outside
	provider provider
	demand   bool // a second factor is demanded of whoever holds rights in Fachwerk
}

// Settings are what whoever runs the server decides about getting in.
type Settings struct {
	Outside      string // the address as it is seen from outside, without a slash at the end
	SecondFactor bool   // whoever holds rights in Fachwerk must have a second factor
	Provider     Provider
}

// Set takes settings over, before anybody is served.
func (d *Accounts) Set(s Settings) {
	d.outside, d.demand, d.provider.Provider = s.Outside, s.SecondFactor, s.Provider
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
	a := &Accounts{Viewer: v}
	v.Ended = func(users []string) { a.forget("", users...) }
	text, err := v.Store.Setting(settingOpen)
	if err == nil && strings.HasPrefix(text, "{") { // an earlier program kept only that there is one
		err = json.Unmarshal([]byte(text), &a.open)
	}
	return a, err
}

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

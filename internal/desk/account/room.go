// Package account is how people and programs get in: passwords, links, invitations, tokens.
package account

import (
	"encoding/json"
	"strings"
	"sync"

	"fachwerk/internal/desk/view"
)

// Accounts lets people and programs in.
type Accounts struct {
	*view.Viewer
	known sync.Map // tokens that programs have shown, by hash
	open  OpenHouse
}

// New makes the room beside that of what is looked at.
func New(v *view.Viewer) (*Accounts, error) {
	a := &Accounts{Viewer: v}
	text, err := v.Store.Setting(settingOpen)
	if err == nil && strings.HasPrefix(text, "{") { // an earlier program kept only that there is one
		err = json.Unmarshal([]byte(text), &a.open)
	}
	return a, err
}

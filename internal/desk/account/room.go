// Package account is how people and programs get in: passwords, links, invitations, tokens.
package account

import (
	"sync"

	"fachwerk/internal/desk/view"
)

// Accounts lets people and programs in.
type Accounts struct {
	*view.Viewer
	known sync.Map // tokens that programs have shown, by hash
	demo  bool
}

// New makes the room beside that of what is looked at.
func New(v *view.Viewer) (*Accounts, error) {
	demo, err := v.Store.Setting(settingDemo)
	return &Accounts{Viewer: v, demo: demo != ""}, err
}

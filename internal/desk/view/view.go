// Package view is what is looked at: the frame, sheets, lists, the history, and what goes out as tables.
// It changes nothing but drafts that are asked for.
package view

import (
	"sync/atomic"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// Viewer answers whoever looks.
type Viewer struct {
	*desk.Desk
	began atomic.Pointer[time.Time] // when the record begins
	// FedBy gives what is kept of a person or group that a directory feeds; false if none does.
	FedBy func(kind model.Kind, id string) (store.Fed, bool)
}

// New makes the room over a desk.
func New(d *desk.Desk) *Viewer { return &Viewer{Desk: d} }

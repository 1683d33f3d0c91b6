// Package edit is what is drafted by hand: things put, deleted, joined and cut, permissions ticked, roles assigned.
package edit

import "fachwerk/internal/desk/view"

// Editor drafts what somebody edits.
type Editor struct{ *view.Viewer }

// New makes the room beside that of what is looked at.
func New(v *view.Viewer) *Editor { return &Editor{v} }

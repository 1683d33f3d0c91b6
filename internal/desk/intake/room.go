// Package intake is what is brought in from files: people, groups and assignments, and the next versions of catalogues.
package intake

import "fachwerk/internal/desk/view"

// Intake tries files and drafts or applies what they say.
type Intake struct {
	*view.Viewer
	imports imports
}

// New makes the room beside that of what is looked at.
func New(v *view.Viewer) *Intake { return &Intake{Viewer: v} }

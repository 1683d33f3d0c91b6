// Package intake is what is brought in from files: people, groups and assignments, and the next versions of catalogues.
package intake

import "fachwerk/internal/desk/view"

// Intake tries files and drafts or applies what they say.
type Intake struct {
	*view.Viewer
	// Judged is of how many operations a trial is asked whether they may be done; of more, it is asked once a draft with
	// them turns out not to be applicable.
	Judged  int
	imports imports
}

// New makes the room beside that of what is looked at.
func New(v *view.Viewer) *Intake { return &Intake{Viewer: v, Judged: 20_000} }

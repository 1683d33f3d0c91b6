// Package ask answers questions: the finder, who can, how things differ, what fits most tightly, and what would give
// somebody a permission that they do not have.
package ask

import "fachwerk/internal/desk/view"

// Finder answers whoever asks.
type Finder struct{ *view.Viewer }

// New makes the room beside what is looked at.
func New(v *view.Viewer) *Finder { return &Finder{v} }

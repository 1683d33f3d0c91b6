// Package directory is what directories keep: their requests, carried out one after another and recorded together,
// and whom they have deleted.
package directory

import (
	"sync"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/store"
)

// Keeper carries out what directories ask for.
type Keeper struct {
	*view.Viewer
	fed   kept
	queue sync.Mutex
	feeds []*feeding // requests of directories that wait for the writer's lock; queue guards them
}

// New makes the room beside that of what is looked at. Sheets tell from then on which directory keeps a thing.
func New(v *view.Viewer) *Keeper {
	k := &Keeper{Viewer: v}
	v.FedBy = func(kind model.Kind, id string) (store.Fed, bool) {
		known, err := k.Known()
		if err != nil {
			return store.Fed{}, false
		}
		return known.Fed(kind, id)
	}
	return k
}

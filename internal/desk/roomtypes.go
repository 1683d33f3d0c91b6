package desk

import (
	"sync"
	"sync/atomic"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/store"
)

// Viewer is what is looked at.
type Viewer struct {
	*Desk
	began atomic.Pointer[time.Time]                          // when the record begins
	fedBy func(kind model.Kind, id string) (store.Fed, bool) // what is kept of what directories feed
}

// Editor is what is drafted by hand.
type Editor struct{ *Viewer }

// Reviewer is reviews.
type Reviewer struct {
	*Viewer
	asked sync.Map // what open reviews ask about, by id
}

// Intake is what is brought in.
type Intake struct {
	*Viewer
	imports imports
}

// Keeper is directories.
type Keeper struct {
	*Viewer
	fed   fed
	queue sync.Mutex
	feeds []*feeding // requests of directories that wait for the writer's lock; queue guards them
}

// Accounts is sign-ins.
type Accounts struct {
	*Viewer
	known sync.Map // tokens that programs have shown, by hash
	demo  bool
}

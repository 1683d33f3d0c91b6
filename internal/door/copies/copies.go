// Package copies lets other servers answer from the design of this one: the first keeps the database, copies hold none.
// A copy takes the whole design from the first, then each revision as it is applied, and decides by the same code.
//
// What goes from the first to a copy is one stream of lines, each a JSON object ([line]): the whole design or what a
// revision changes, as a head that is followed by so many objects; the tokens that programs show, hashed; and beats, by
// which a copy knows that the first is there.
package copies

import (
	"encoding/json"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/store"
)

// path is where the first gives the stream, from the revision and head that the query names.
const path = "/copies/v1/feed"

// The headers by which a program learns of which revision an answer is, and asks for one of at least some revision.
const (
	RevisionHeader = "Fachwerk-Revision"
	AtLeastHeader  = "Fachwerk-At-Least"
)

// line is one line of the stream. Of its parts, one is there.
type line struct {
	Design   *head         `json:"design,omitempty"`   // the whole design comes, in place of all that came before
	Revision *head         `json:"revision,omitempty"` // what changed since the revision before comes
	Object   *object       `json:"object,omitempty"`
	Tokens   []store.Token `json:"tokens,omitempty"` // all of them
	Uses     []use.Use     `json:"uses,omitempty"`   // last uses that have been kept since
	Beat     *time.Time    `json:"beat,omitempty"`
}

// head says of which revision the objects are that follow, and how many.
type head struct {
	Number  int       `json:"number"`
	At      time.Time `json:"at"`
	Hash    string    `json:"hash"` // of the chain of revisions up to this one
	Objects int       `json:"objects"`
}

// object is one object of the design in the form of the model file; without a value, it is deleted.
type object struct {
	Kind  model.Kind      `json:"kind"`
	ID    string          `json:"id"`
	Value json.RawMessage `json:"value,omitempty"`
}

// beatEvery is how often the first lets a copy know that it is there.
const beatEvery = 2 * time.Second

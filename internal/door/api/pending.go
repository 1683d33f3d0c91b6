package api

import (
	"context"
	"net/http"

	"fachwerk/internal/desk"
	"fachwerk/internal/door/later"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
)

// pendingPath is where the answers are that go on behind; pending is the operation that asks for one.
const (
	pendingPath = "/api/pending/"
	pending     = "pending"
)

// ownerOf names whose an answer is: nobody else's, and no other program's, though it acts for the same person. A token
// that is made anew under its name is the same program, as it is for its draft.
func ownerOf(who desk.Actor) string { return who.User + "\x00" + who.Token }

// pending serves what goes on behind, because whoever asked prefers not to wait.
func (a *API) pending() {
	type pendingInput struct {
		ID     string `path:"id" doc:"Of the answer, as the address ends that was told"`
		Prefer string `header:"Prefer" doc:"wait=N: up to N seconds are waited for the answer, a minute at most"`
	}
	find := func(ctx context.Context, id string) (*later.Answer, error) {
		who := actor(ctx)
		if who.User == "" {
			return nil, desk.Refuse(desk.NotSignedIn, "Sign in first.")
		}
		one, ok := a.later.Find(ownerOf(who), id)
		if !ok {
			return nil, newProblem(http.StatusNotFound, "There is no such answer of yours: answers are kept for two minutes, "+
				"and not over a restart. Look at what is there before you ask again.")
		}
		return one, nil
	}
	on(a, operation{
		id: pending, method: http.MethodGet, path: pendingPath + "{id}",
		summary: "The answer to a request that preferred not to wait (Prefer: respond-async, RFC 7240): " +
			"202 while it goes on, and then what the request would have been answered",
	}, func(ctx context.Context, in *pendingInput) (*huma.StreamResponse, error) {
		one, err := find(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		_, wait := later.Preference(http.Header{"Prefer": {in.Prefer}})
		one.Wait(ctx, wait)
		return &huma.StreamResponse{Body: func(to huma.Context) {
			_, w := humachi.Unwrap(to)
			if one.Ready() {
				one.Write(w)
				return
			}
			a.later.Tell(w, one)
		}}, nil
	})
	on(a, operation{
		id: "stopPending", method: http.MethodDelete, path: pendingPath + "{id}",
		summary: "Stop what goes on behind; its answer then says that it was stopped, or that it was done already",
	}, func(ctx context.Context, in *struct {
		ID string `path:"id" doc:"Of the answer, as the address ends that was told"`
	}) (*none, error) {
		one, err := find(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		one.Stop()
		return nil, nil
	})
}

// Close ends what goes on behind, and waits until it has ended or the context is done.
func (a *API) Close(ctx context.Context) { a.later.Close(ctx) }

package api

import (
	"context"
	"errors"
	"net/http"

	"fachwerk/internal/desk"
	"fachwerk/internal/door/inner"
)

// What a session keeps until somebody comes back from the identity provider, and what they are then told.
const (
	sessionProvider = "provider"
	sessionTold     = "told"
)

// elsewhere sends a browser to another address.
type elsewhere struct {
	Status   int
	Location string `header:"Location"`
}

func sendTo(address string) *elsewhere { return &elsewhere{http.StatusSeeOther, address} }

func (a *API) provider() {
	type askInput struct {
		Proof bool `query:"proof" doc:"Not to sign in, but to prove who one is before something critical"`
	}
	on(
		a,
		operation{
			id:      "askProvider",
			method:  http.MethodGet,
			path:    "/api/sign-in/provider",
			summary: "To the identity provider, to sign in",
			public:  true,
		},
		func(ctx context.Context, in *askInput) (*elsewhere, error) {
			proof := ""
			if in.Proof {
				if proof = actor(ctx).User; proof == "" {
					return nil, desk.Refuse(desk.NotSignedIn, "Sign in first.")
				}
			}
			to, kept, err := a.desk.AskProvider(ctx, proof)
			if err != nil {
				return nil, err
			}
			a.sessions.Put(ctx, sessionProvider, kept)
			return sendTo(to), nil
		},
	)
	type backInput struct {
		AgentInput
		State string `query:"state" maxLength:"500"`
		Code  string `query:"code" maxLength:"4000"`
		Error string `query:"error" maxLength:"200"`
	}
	on(
		a,
		operation{
			id:      "comeBack",
			method:  http.MethodGet,
			path:    "/api/sign-in/provider/callback",
			summary: "Back from the identity provider",
			public:  true,
		},
		func(ctx context.Context, in *backInput) (*elsewhere, error) {
			kept := a.sessions.PopBytes(ctx, sessionProvider)
			if in.Error != "" { // the person changed their mind there
				return sendTo(a.outside.Path() + "/"), nil
			}
			who, proof, err := a.desk.ComeBack(ctx, kept, in.State, in.Code, inner.Address(ctx))
			if refused := (*desk.Error)(nil); errors.As(err, &refused) { // a browser comes here, so it is told on a page
				a.sessions.Put(ctx, sessionTold, refused.Message)
				return sendTo(a.outside.Path() + "/"), nil
			}
			if err != nil {
				return nil, err
			}
			if proof {
				if actor(ctx).User != who.User {
					return nil, desk.Refuse(desk.NotSignedIn, "Sign in first.")
				}
				return sendTo(a.outside.Path() + "/"), a.proven(ctx)
			}
			if _, err := a.enter(ctx, who, in.Agent, nil); err != nil {
				return nil, err
			}
			a.sessions.Put(ctx, sessionProven, max(0, who.Proven.Unix()))
			return sendTo(a.outside.Path() + "/"), nil
		},
	)
}

package api

import (
	"context"
	"encoding/json"
	"net/http"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/door/inner"
)

// What a session keeps between two requests of one signing in: who has given the password and must show a second
// factor, and what a passkey was asked.
const (
	sessionHalf     = "half"
	sessionHalfAt   = "half-at"
	sessionQuestion = "question"
	sessionSecret   = "codes"
	halfLife        = 10 * time.Minute
)

// The types of the problems that a second factor is asked for, or must be set up first.
const (
	factorProblem = "urn:fachwerk:problem:second-factor"
	enrolProblem  = "urn:fachwerk:problem:set-up-second-factor"
)

// half gives who has given the password and is still to show a second factor.
func (a *API) half(ctx context.Context) string {
	if a.desk.Now().Sub(time.Unix(a.sessions.GetInt64(ctx, sessionHalfAt), 0)) > halfLife {
		return ""
	}
	return a.sessions.GetString(ctx, sessionHalf)
}

// begin lets in who has given the password, or asks for a second factor if they have one.
func (a *API) begin(ctx context.Context, who desk.Actor, agent string, err error) (*body[*account.Me], error) {
	if err != nil {
		return nil, err
	}
	code, passkey, err := a.desk.Has(who.User)
	if err != nil {
		return nil, err
	}
	if !code && !passkey {
		return a.enter(ctx, who, agent, nil)
	}
	if err := a.sessions.RenewToken(ctx); err != nil {
		return nil, err
	}
	a.sessions.Put(ctx, sessionHalf, who.User)
	a.sessions.Put(ctx, sessionHalfAt, a.desk.Now().Unix())
	problem := newProblem(http.StatusUnauthorized, "Now show your second factor.").(*Problem)
	problem.Type = factorProblem
	for kind, has := range map[string]bool{"code": code, "passkey": passkey} {
		if has {
			problem.Errors = append(problem.Errors, detail(kind))
		}
	}
	return nil, problem
}

// PasskeyQuestion is what a browser hands to a passkey, as WebAuthn has it.
type PasskeyQuestion struct {
	Options json.RawMessage `json:"options"`
}

// PasskeyInput is what a passkey answered, as WebAuthn has it.
type PasskeyInput struct {
	AgentInput
	Body struct {
		Name   string          `json:"name,omitempty" maxLength:"100"`
		Answer json.RawMessage `json:"answer"`
	}
}

// asked keeps what a passkey was asked until it answers.
func (a *API) asked(ctx context.Context, options, kept json.RawMessage, err error) (*body[*PasskeyQuestion], error) {
	if err != nil {
		return nil, err
	}
	a.sessions.Put(ctx, sessionQuestion, []byte(kept))
	return &body[*PasskeyQuestion]{&PasskeyQuestion{options}}, nil
}

func (a *API) question(ctx context.Context) json.RawMessage {
	return a.sessions.PopBytes(ctx, sessionQuestion)
}

func (a *API) factors() {
	type codeInput struct {
		AgentInput
		Body struct {
			Code string `json:"code" minLength:"1" maxLength:"40"`
		}
	}
	on(
		a,
		operation{
			id:      "signInCode",
			method:  http.MethodPost,
			path:    "/api/session/code",
			summary: "Sign in: the second factor, by a code",
			public:  true,
		},
		func(ctx context.Context, in *codeInput) (*body[*account.Me], error) {
			user := a.half(ctx)
			if user == "" {
				return nil, desk.Refuse(desk.NotSignedIn, "Give your name and password first.")
			}
			from := inner.Address(ctx)
			err := a.desk.CheckCode(user, in.Body.Code, from)
			return a.enter(ctx, desk.Actor{User: user, From: from}, in.Agent, err)
		},
	)
	on(
		a,
		operation{
			id:      "askPasskey",
			method:  http.MethodPost,
			path:    "/api/session/passkey/question",
			summary: "Sign in by a passkey: what the browser needs",
			public:  true,
		},
		func(ctx context.Context, _ *struct{}) (*body[*PasskeyQuestion], error) {
			options, kept, err := a.desk.AskPasskey(a.half(ctx))
			return a.asked(ctx, options, kept, err)
		},
	)
	on(
		a,
		operation{
			id:      "signInPasskey",
			method:  http.MethodPost,
			path:    "/api/session/passkey",
			summary: "Sign in by a passkey",
			public:  true,
		},
		func(ctx context.Context, in *PasskeyInput) (*body[*account.Me], error) {
			from := inner.Address(ctx)
			user, err := a.desk.ShowPasskey(a.half(ctx), a.question(ctx), in.Body.Answer, from)
			return a.enter(ctx, desk.Actor{User: user, From: from}, in.Agent, err)
		},
	)
	on(
		a,
		operation{
			id:      "askProof",
			method:  http.MethodPost,
			path:    "/api/session/proof/passkey/question",
			summary: "Prove by a passkey: what the browser needs",
		},
		func(ctx context.Context, _ *struct{}) (*body[*PasskeyQuestion], error) {
			options, kept, err := a.desk.AskPasskey(actor(ctx).User)
			return a.asked(ctx, options, kept, err)
		},
	)
	on(
		a,
		operation{
			id:      "provePasskey",
			method:  http.MethodPost,
			path:    "/api/session/proof/passkey",
			summary: "Show a passkey, before a critical change",
		},
		func(ctx context.Context, in *PasskeyInput) (*none, error) {
			who := actor(ctx)
			if _, err := a.desk.ShowPasskey(who.User, a.question(ctx), in.Body.Answer, who.From); err != nil {
				return nil, err
			}
			a.desk.Happened(who.By(desk.EventProof, "by passkey"))
			return nil, a.proven(ctx)
		},
	)
	on(
		a,
		operation{id: "factors", method: http.MethodGet, path: "/api/me/factors", summary: "Your second factors"},
		func(ctx context.Context, _ *struct{}) (*body[*account.Factors], error) {
			return answer(a.desk.Factors(actor(ctx)))
		},
	)
	type factorInput struct {
		ID string `path:"id" maxLength:"100"`
	}
	on(
		a,
		operation{
			id:      "dropFactor",
			method:  http.MethodDelete,
			path:    "/api/me/factors/{id}",
			summary: "Take one of your second factors away",
		},
		func(ctx context.Context, in *factorInput) (*none, error) {
			return nil, a.desk.DropFactor(actor(ctx), in.ID)
		},
	)
	on(
		a,
		operation{
			id:      "beginCodes",
			method:  http.MethodPost,
			path:    "/api/me/codes/secret",
			summary: "What an authenticator needs to make time codes",
		},
		func(ctx context.Context, _ *struct{}) (*body[*account.NewCodes], error) {
			codes, err := a.desk.BeginCodes(actor(ctx))
			if err == nil {
				a.sessions.Put(ctx, sessionSecret, codes.Secret)
			}
			return answer(codes, err)
		},
	)
	type addCodesInput struct {
		Body struct {
			Code string `json:"code" maxLength:"20"`
		}
	}
	on(
		a,
		operation{
			id:      "addCodes",
			method:  http.MethodPost,
			path:    "/api/me/codes",
			summary: "Set time codes up, by giving one",
		},
		func(ctx context.Context, in *addCodesInput) (*body[*account.Recovery], error) {
			return answer(a.desk.AddCodes(actor(ctx), a.sessions.GetString(ctx, sessionSecret), in.Body.Code))
		},
	)
	on(
		a,
		operation{
			id:      "beginPasskey",
			method:  http.MethodPost,
			path:    "/api/me/passkeys/question",
			summary: "What a browser needs to make a passkey",
		},
		func(ctx context.Context, _ *struct{}) (*body[*PasskeyQuestion], error) {
			options, kept, err := a.desk.BeginPasskey(actor(ctx))
			return a.asked(ctx, options, kept, err)
		},
	)
	on(
		a,
		operation{
			id:      "addPasskey",
			method:  http.MethodPost,
			path:    "/api/me/passkeys",
			summary: "Keep the passkey that was made",
		},
		func(ctx context.Context, in *PasskeyInput) (*body[*account.Recovery], error) {
			return answer(a.desk.AddPasskey(actor(ctx), in.Body.Name, a.question(ctx), in.Body.Answer))
		},
	)
	on(
		a,
		operation{
			id:      "renewRecovery",
			method:  http.MethodPost,
			path:    "/api/me/recovery-codes",
			summary: "Recovery codes in place of those that there were",
		},
		func(ctx context.Context, _ *struct{}) (*body[*account.Recovery], error) {
			return answer(a.desk.RenewRecovery(actor(ctx)))
		},
	)
}

// proven keeps that somebody has just proven who they are, under a new token.
func (a *API) proven(ctx context.Context) error {
	if err := a.sessions.RenewToken(ctx); err != nil {
		return err
	}
	a.sessions.Put(ctx, sessionProven, a.desk.Now().Unix())
	return nil
}

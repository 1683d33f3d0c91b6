package api

import (
	"context"
	"net/http"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/edit"
	"fachwerk/internal/desk/view"
	"fachwerk/internal/door/inner"

	"fachwerk/internal/desk"
)

// Looking is how a request says what the frame shows.
type Looking struct {
	Focus  string `query:"focus" doc:"What to look at, as kind:id"`
	Second string `query:"second" doc:"A second thing: only what lies between the two is shown"`
	Where  string `query:"where" doc:"An area; the whole organisation if absent"`
}

func (v Looking) view() view.View { return view.View{Focus: v.Focus, Second: v.Second, Where: v.Where} }

func (a *API) register() {
	a.signIn()
	a.uses()
	a.series()
	a.calendars()
	a.accounts()
	a.factors()
	a.provider()
	a.frame()
	a.draft()
	a.reviews()
	a.sheets()
	a.questions()
	a.guarantees()
	a.findings()
	a.objects()
	a.history()
	a.changes()
	a.plans()
	a.imports()
	a.worklists()
	a.requests()
	a.seats()
	a.pending()
}

// AgentInput tells what program somebody signs in with.
type AgentInput struct {
	Agent string `header:"User-Agent" maxLength:"300"`
}

func (a *API) signIn() {
	on(
		a,
		operation{
			id:      "signInPage",
			method:  http.MethodGet,
			path:    "/api/sign-in",
			summary: "What the sign-in page shows",
			public:  true,
		},
		func(ctx context.Context, _ *struct{}) (*body[*account.SignInPage], error) {
			page := a.desk.SignInPage()
			page.Told = a.sessions.PopString(ctx, sessionTold)
			return answer(page, nil)
		},
	)
	type signInInput struct {
		AgentInput
		Body struct {
			UserName string `json:"userName" maxLength:"200"`
			Password string `json:"password" maxLength:"1000"`
		}
	}
	on(a, operation{id: "signIn", method: http.MethodPost, path: "/api/session", summary: "Sign in", public: true},
		func(ctx context.Context, in *signInInput) (*body[*account.Me], error) {
			who, err := a.desk.SignIn(ctx, in.Body.UserName, in.Body.Password, inner.Address(ctx))
			return a.begin(ctx, who, in.Agent, err)
		})
	on(a, operation{id: "signOut", method: http.MethodDelete, path: "/api/session", summary: "Sign out", public: true},
		func(ctx context.Context, _ *struct{}) (*none, error) {
			if who := actor(ctx); who.User != "" {
				if err := a.desk.Leave(who, a.sessions.GetString(ctx, sessionID)); err != nil {
					return nil, err
				}
			}
			return nil, a.sessions.Destroy(ctx)
		})
	on(
		a,
		operation{id: "me", method: http.MethodGet, path: "/api/me", summary: "Who is signed in, and what they may do"},
		func(ctx context.Context, _ *struct{}) (*body[*account.Me], error) {
			return answer(a.desk.Me(actor(ctx)))
		},
	)
	type proveInput struct {
		Body struct {
			Password string `json:"password" maxLength:"1000"`
		}
	}
	on(
		a,
		operation{
			id:      "prove",
			method:  http.MethodPost,
			path:    "/api/session/proof",
			summary: "Give the password again, before a critical change",
		},
		func(ctx context.Context, in *proveInput) (*none, error) {
			if err := a.desk.Prove(actor(ctx), in.Body.Password); err != nil {
				return nil, err
			}
			return nil, a.proven(ctx)
		},
	)
	type WelcomeInput struct {
		Link string `path:"link"`
	}
	on(
		a,
		operation{
			id:      "welcome",
			method:  http.MethodGet,
			path:    "/api/welcome/{link}",
			summary: "Whom a password link is for",
			public:  true,
		},
		func(_ context.Context, in *WelcomeInput) (*body[*account.Welcome], error) {
			return answer(a.desk.Welcome(in.Link))
		},
	)
	type passwordInput struct {
		WelcomeInput
		AgentInput
		Body struct {
			Password string `json:"password" maxLength:"1000"`
		}
	}
	on(
		a,
		operation{
			id:      "setPassword",
			method:  http.MethodPost,
			path:    "/api/welcome/{link}",
			summary: "Set a password and sign in",
			public:  true,
		},
		func(ctx context.Context, in *passwordInput) (*body[*account.Me], error) {
			who, err := a.desk.SetPassword(ctx, in.Link, in.Body.Password, inner.Address(ctx))
			return a.begin(ctx, who, in.Agent, err)
		},
	)
	on(
		a,
		operation{
			id:      "askFirstPasskey",
			method:  http.MethodPost,
			path:    "/api/welcome/{link}/passkey/question",
			summary: "Accept an invitation by a passkey: what the browser needs to make one",
			public:  true,
		},
		func(ctx context.Context, in *WelcomeInput) (*body[*PasskeyQuestion], error) {
			options, kept, err := a.desk.AskFirstPasskey(in.Link, inner.Address(ctx))
			return a.asked(ctx, options, kept, err)
		},
	)
	type firstPasskeyInput struct {
		WelcomeInput
		PasskeyInput
	}
	on(
		a,
		operation{
			id:      "firstPasskey",
			method:  http.MethodPost,
			path:    "/api/welcome/{link}/passkey",
			summary: "Accept an invitation by the passkey that was made, and sign in",
			public:  true,
		},
		func(ctx context.Context, in *firstPasskeyInput) (*body[*CameIn], error) {
			who, codes, err := a.desk.FirstPasskey(
				in.Link, in.Body.Name, inner.Address(ctx), a.question(ctx), in.Body.Answer,
			)
			me, err := a.enter(ctx, who, in.Agent, err)
			if err != nil {
				return nil, err
			}
			return &body[*CameIn]{&CameIn{Me: me.Body, Recovery: codes.Codes}}, nil
		},
	)
}

// CameIn is somebody who came in by a passkey for the first time.
type CameIn struct {
	Me       *account.Me `json:"me"`
	Recovery []string    `json:"recovery" doc:"Codes to come in by if the passkey is lost, shown this once"`
}

// enter begins a session, under a new token so that none can be planted.
func (a *API) enter(ctx context.Context, who desk.Actor, agent string, err error) (*body[*account.Me], error) {
	if err != nil {
		return nil, err
	}
	me, err := a.desk.Me(who)
	if err != nil {
		return nil, err
	}
	if err := a.sessions.RenewToken(ctx); err != nil {
		return nil, err
	}
	id, err := a.desk.Begin(who, agent)
	if err != nil {
		return nil, err
	}
	for _, key := range []string{sessionHalf, sessionHalfAt, sessionQuestion} {
		a.sessions.Remove(ctx, key)
	}
	a.sessions.Put(ctx, sessionID, id)
	a.sessions.Put(ctx, sessionProven, a.desk.Now().Unix())
	return &body[*account.Me]{me}, nil
}

func (a *API) frame() {
	on(
		a,
		operation{
			id:      "areas",
			method:  http.MethodGet,
			path:    "/api/areas",
			summary: "All areas, each after the one that it lies in",
		},
		func(ctx context.Context, _ *struct{}) (*body[[]view.Area], error) {
			return answer(a.desk.Areas(actor(ctx)))
		},
	)
	type pictureInput struct{ Looking }
	on(a, operation{id: "picture", method: http.MethodGet, path: "/api/frame", summary: "The beams around a focus"},
		func(ctx context.Context, in *pictureInput) (*body[*view.Picture], error) {
			return answer(a.desk.Picture(actor(ctx), in.view()))
		})
	type bayInput struct {
		Looking
		Kind   string `path:"kind" enum:"user,group,role,set,permission"`
		Words  string `query:"q" maxLength:"200" doc:"Words that the name must have"`
		Offset int    `query:"offset" minimum:"0"`
		Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
	}
	on(
		a,
		operation{
			id:      "bay",
			method:  http.MethodGet,
			path:    "/api/frame/{kind}",
			summary: "A window into one of the frame's lists",
		},
		func(ctx context.Context, in *bayInput) (*body[*view.Bay], error) {
			return answer(a.desk.Bay(actor(ctx), in.Kind, in.view(), in.Words, in.Offset, in.Limit))
		},
	)
}

func (a *API) draft() {
	on(a, operation{id: "draft", method: http.MethodGet, path: "/api/draft", summary: "Your draft with its impact"},
		func(ctx context.Context, _ *struct{}) (*body[*desk.Draft], error) {
			return answer(a.desk.Draft(actor(ctx)))
		})
	on(a, operation{id: "discard", method: http.MethodDelete, path: "/api/draft", summary: "Empty your draft"},
		func(ctx context.Context, _ *struct{}) (*body[*desk.Draft], error) {
			return answer(a.desk.Discard(actor(ctx)))
		})
	on(a, operation{id: "restoreDraft", method: http.MethodPost, path: "/api/draft/restore",
		summary: "Put back what was discarded last"},
		func(ctx context.Context, _ *struct{}) (*body[*desk.Draft], error) {
			return answer(a.desk.Restore(actor(ctx)))
		})
	type editInput struct {
		ID string `path:"id"`
	}
	type toldInput struct {
		ID string `path:"id"`
		SentencesInput
	}
	on(
		a,
		operation{
			id:      "draftEdit",
			method:  http.MethodGet,
			path:    "/api/draft/edits/{id}",
			summary: "What one act in your draft does",
		},
		func(ctx context.Context, in *toldInput) (*body[*desk.DraftEdit], error) {
			return answer(a.desk.DraftEdit(actor(ctx), in.ID, in.Limit))
		},
	)
	on(
		a,
		operation{
			id:      "takeOut",
			method:  http.MethodDelete,
			path:    "/api/draft/edits/{id}",
			summary: "Take one act out of your draft",
		},
		func(ctx context.Context, in *editInput) (*body[*desk.Draft], error) {
			return answer(a.desk.TakeOut(actor(ctx), in.ID))
		},
	)
	on(
		a,
		operation{
			id:      "keepMine",
			method:  http.MethodPost,
			path:    "/api/draft/edits/{id}/keep",
			summary: "Draft an act anew on what others applied beneath it",
		},
		func(ctx context.Context, in *editInput) (*body[*desk.Draft], error) {
			return answer(a.desk.KeepMine(actor(ctx), in.ID))
		},
	)
	type joinInput struct {
		Body struct {
			From  desk.End       `json:"from"`
			To    desk.End       `json:"to"`
			Terms edit.JoinTerms `json:"terms,omitempty"`
		}
	}
	on(
		a,
		operation{
			id:      "join",
			method:  http.MethodPost,
			path:    "/api/draft/join",
			summary: "Draft a beam between two things",
		},
		func(ctx context.Context, in *joinInput) (*body[*desk.Draft], error) {
			return answer(a.desk.Join(actor(ctx), in.Body.From, in.Body.To, in.Body.Terms))
		},
	)
	type cutInput struct {
		Body struct {
			From       desk.End `json:"from"`
			To         desk.End `json:"to"`
			Assignment string   `json:"assignment,omitempty" doc:"Only this one of the assignments between the two"`
		}
	}
	on(a, operation{id: "cut", method: http.MethodPost, path: "/api/draft/cut", summary: "Draft the cutting of a beam"},
		func(ctx context.Context, in *cutInput) (*body[*desk.Draft], error) {
			return answer(a.desk.Cut(actor(ctx), in.Body.From, in.Body.To, in.Body.Assignment))
		})
	type putBackInput struct {
		Body struct {
			Assignment string `json:"assignment" doc:"Its id"`
		}
	}
	on(a, operation{id: "putBack", method: http.MethodPost, path: "/api/draft/put-back",
		summary: "Leave an assignment as it is that the draft takes away or alters"},
		func(ctx context.Context, in *putBackInput) (*body[*desk.Draft], error) {
			return answer(a.desk.PutBack(actor(ctx), in.Body.Assignment))
		})
	type undoInput struct {
		Body struct {
			Revision int `json:"revision" minimum:"1"`
		}
	}
	on(
		a,
		operation{
			id:      "undo",
			method:  http.MethodPost,
			path:    "/api/draft/undo",
			summary: "Draft the undoing of a revision",
		},
		func(ctx context.Context, in *undoInput) (*body[*desk.Draft], error) {
			return answer(a.desk.DraftUndo(actor(ctx), in.Body.Revision))
		},
	)
	type applyInput struct {
		Body struct {
			Reason string `json:"reason" maxLength:"1000"`
			Stamp  string `json:"stamp" doc:"Of the draft as it was looked at"`
		}
	}
	on(
		a,
		operation{
			id:      "apply",
			method:  http.MethodPost,
			path:    "/api/draft/apply",
			summary: "Apply your draft as one revision",
		},
		func(ctx context.Context, in *applyInput) (*body[*desk.Applied], error) {
			return answer(a.desk.Apply(actor(ctx), in.Body.Reason, in.Body.Stamp))
		},
	)
}

// SentencesInput says how many sentences are told.
type SentencesInput struct {
	Limit int `query:"limit" minimum:"1" maximum:"10000" default:"200" doc:"How many sentences are told"`
}

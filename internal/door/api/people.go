package api

import (
	"context"
	"net/http"

	"fachwerk/internal/core/peers"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
)

// RequestInput names a request.
type RequestInput struct {
	ID int `path:"id" minimum:"1"`
}

// requests are what people ask for, and how it is decided.
func (a *API) requests() {
	on(a, operation{
		id: "requests", method: http.MethodGet, path: "/api/requests",
		summary: "What you asked for, and what waits for you to grant",
	}, func(ctx context.Context, _ *struct{}) (*body[*people.Requests], error) {
		return answer(a.desk.Requests(actor(ctx)))
	})
	type wishInput struct{ Body people.RequestWish }
	on(a, operation{
		id: "makeRequest", method: http.MethodPost, path: "/api/requests",
		summary: "Ask for something for yourself; those who could grant it are written to",
	}, func(ctx context.Context, in *wishInput) (*body[*people.Request], error) {
		return answer(a.desk.MakeRequest(actor(ctx), in.Body))
	})
	type wordsInput struct {
		Words string `query:"q" required:"true" maxLength:"300"`
	}
	on(a, operation{
		id: "canAsk", method: http.MethodGet, path: "/api/askable",
		summary: "What could be asked for, found by words: roles, groups, permissions; at most 20",
	}, func(ctx context.Context, in *wordsInput) (*body[[]people.RequestThing], error) {
		return answer(a.desk.CanAsk(actor(ctx), in.Words))
	})
	type waysInput struct {
		Permission string `query:"permission" required:"true" maxLength:"600"`
		Where      string `query:"where" maxLength:"200" doc:"An area; where you work if absent"`
	}
	on(a, operation{
		id: "waysTo", method: http.MethodGet, path: "/api/askable/ways",
		summary: "By which ways you would come to hold a permission, as far as they can be asked for",
	}, func(ctx context.Context, in *waysInput) (*body[*people.RequestWays], error) {
		return answer(a.desk.WaysTo(actor(ctx), in.Permission, in.Where))
	})
	on(a, operation{
		id: "request", method: http.MethodGet, path: "/api/requests/{id}",
		summary: "One request",
	}, func(ctx context.Context, in *RequestInput) (*body[*people.Request], error) {
		return answer(a.desk.Request(actor(ctx), in.ID))
	})
	type termsInput struct {
		RequestInput
		Body people.RequestTerms
	}
	on(a, operation{
		id: "weighRequest", method: http.MethodPost, path: "/api/requests/{id}/weigh",
		summary: "What granting a request on some terms would come to; nothing is changed",
	}, func(ctx context.Context, in *termsInput) (*body[*people.RequestWeighed], error) {
		return answer(a.desk.WeighRequest(actor(ctx), in.ID, in.Body))
	})
	type grantInput struct {
		RequestInput
		Body struct {
			people.RequestTerms
			Stamp string `json:"stamp" maxLength:"200" doc:"Of what was weighed"`
		}
	}
	on(a, operation{
		id: "grantRequest", method: http.MethodPost, path: "/api/requests/{id}/grant",
		summary: "Grant a request at once, as a revision of its own",
	}, func(ctx context.Context, in *grantInput) (*body[*desk.Applied], error) {
		return answer(a.desk.Grant(actor(ctx), in.ID, in.Body.RequestTerms, in.Body.Stamp))
	})
	on(a, operation{
		id: "draftRequest", method: http.MethodPost, path: "/api/requests/{id}/draft",
		summary: "Put what a request asks for into the draft; it is granted once that is applied",
	}, func(ctx context.Context, in *termsInput) (*body[*desk.Draft], error) {
		return answer(a.desk.DraftGrant(actor(ctx), in.ID, in.Body))
	})
	type answerInput struct {
		RequestInput
		Body struct {
			Does  string `json:"does" enum:"withdraw,refuse,agree"`
			Words string `json:"words,omitempty" maxLength:"1000"`
		}
	}
	on(a, operation{
		id: "answerRequest", method: http.MethodPost, path: "/api/requests/{id}/answer",
		summary: "Withdraw your own request, refuse one, or agree to one for what you own",
	}, func(ctx context.Context, in *answerInput) (*body[*people.Request], error) {
		return answer(a.desk.AnswerRequest(actor(ctx), in.ID, in.Body.Does, in.Body.Words))
	})
	a.leavings()
}

// leavings are how people leave, and come back.
func (a *API) leavings() {
	type personInput struct {
		ID string `path:"id" maxLength:"200"`
	}
	on(a, operation{
		id: "leaver", method: http.MethodGet, path: "/api/people/{id}/leaving",
		summary: "What somebody would leave behind: what they answer for, what they hold by hand, the seats that come free",
	}, func(ctx context.Context, in *personInput) (*body[*people.LeavingPerson], error) {
		return answer(a.desk.Leaver(actor(ctx), in.ID))
	})
	on(a, operation{
		id: "leavers", method: http.MethodGet, path: "/api/leavers",
		summary: "Who leaves, and who has left within 90 days",
	}, func(ctx context.Context, _ *struct{}) (*body[[]people.LeavingPlanned], error) {
		return answer(a.desk.Leavers(actor(ctx)))
	})
	type planInput struct{ Body people.LeavingPlan }
	on(a, operation{
		id: "draftLeaving", method: http.MethodPost, path: "/api/draft/leaving",
		summary: "Draft that somebody leaves on a day, and who takes over what",
	}, func(ctx context.Context, in *planInput) (*body[*desk.Draft], error) {
		return answer(a.desk.DraftLeaving(actor(ctx), in.Body))
	})
	type backInput struct {
		Body struct {
			User string `json:"user" maxLength:"200"`
		}
	}
	on(a, operation{
		id: "draftBack", method: http.MethodPost, path: "/api/draft/back",
		summary: "Draft that somebody who leaves, has left or was deactivated comes back, with all that ended then",
	}, func(ctx context.Context, in *backInput) (*body[*desk.Draft], error) {
		return answer(a.desk.BringBack(actor(ctx), in.Body.User))
	})
	a.movings()
}

// movings are what peers hold, for who comes and who moves.
func (a *API) movings() {
	type peersInput struct {
		Title      string `query:"title" maxLength:"200"`
		Department string `query:"department" maxLength:"200"`
		Area       string `query:"area" maxLength:"200" doc:"They are at home there or below"`
		Like       string `query:"like" maxLength:"200" doc:"A person, in place of a job"`
	}
	on(a, operation{
		id: "peers", method: http.MethodGet, path: "/api/peers",
		summary: "What people of a job hold, with how many of them; or what one person holds",
	}, func(ctx context.Context, in *peersInput) (*body[*people.PeerShares], error) {
		job := peers.Job{Title: in.Title, Department: in.Department, Area: in.Area}
		return answer(a.desk.PeersOf(actor(ctx), job, in.Like))
	})
	type moveInput struct {
		ID   string `path:"id" maxLength:"200"`
		Body people.NewPost
	}
	on(a, operation{
		id: "move", method: http.MethodPost, path: "/api/people/{id}/moving",
		summary: "What somebody's move would bring: what the new post gives, what the old one leaves behind. Nothing is " +
			"changed",
	}, func(ctx context.Context, in *moveInput) (*body[*people.Moving], error) {
		return answer(a.desk.Move(actor(ctx), in.ID, in.Body))
	})
	type planInput struct{ Body people.MovingPlan }
	on(a, operation{
		id: "draftMove", method: http.MethodPost, path: "/api/draft/moving",
		summary: "Draft that somebody moves to another post, with what that gives and what they leave behind",
	}, func(ctx context.Context, in *planInput) (*body[*desk.Draft], error) {
		return answer(a.desk.DraftMove(actor(ctx), in.Body))
	})
}

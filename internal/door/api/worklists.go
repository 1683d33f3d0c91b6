package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
)

// maxGathered bounds what is pasted or sent to gather people by, in bytes.
const maxGathered = 16 << 20

// WorklistInput names a worklist, or a log of one.
type WorklistInput struct {
	ID string `path:"id" maxLength:"40"`
}

// RowsInput is a window into the rows of a worklist.
type RowsInput struct {
	Result string `query:"result" enum:"does,already,not,none,left" doc:"Only rows with this result"`
	Words  string `query:"q" maxLength:"300"`
	Offset int    `query:"offset" minimum:"0"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
}

func (r RowsInput) window() people.Window {
	return people.Window{Result: r.Result, Words: r.Words, Offset: r.Offset, Limit: r.Limit}
}

// worklists gather people and do something to all of them.
func (a *API) worklists() {
	on(a, operation{
		id: "worklists", method: http.MethodGet, path: "/api/worklists",
		summary: "One's worklists, and what came of the last ones",
	}, func(ctx context.Context, _ *struct{}) (*body[*people.Heads], error) {
		return answer(a.desk.Worklists(actor(ctx)))
	})
	type newInput struct {
		Body struct {
			Name string `json:"name,omitempty" maxLength:"200" doc:"Named by the day if absent"`
		}
	}
	on(a, operation{
		id: "newWorklist", method: http.MethodPost, path: "/api/worklists",
		summary: "Begin a worklist",
	}, func(ctx context.Context, in *newInput) (*body[*people.Head], error) {
		return answer(a.desk.NewWorklist(actor(ctx), in.Body.Name))
	})
	type lookInput struct {
		WorklistInput
		RowsInput
	}
	on(a, operation{
		id: "worklist", method: http.MethodGet, path: "/api/worklists/{id}",
		summary: "A worklist with what its steps would do: a window into its rows",
	}, func(ctx context.Context, in *lookInput) (*body[*people.Worklist], error) {
		return answer(a.desk.Worklist(actor(ctx), in.ID, in.window()))
	})
	type alterInput struct {
		WorklistInput
		Body people.Alteration
	}
	on(a, operation{
		id: "alterWorklist", method: http.MethodPatch, path: "/api/worklists/{id}",
		summary: "Change a worklist: its name, its steps, who is on it. Nobody on it is changed",
		most:    maxGathered,
	}, func(ctx context.Context, in *alterInput) (*none, error) {
		return nothing(a.desk.AlterWorklist(actor(ctx), in.ID, in.Body))
	})
	on(a, operation{
		id: "dropWorklist", method: http.MethodDelete, path: "/api/worklists/{id}",
		summary: "Delete a worklist. Nobody on it is changed",
	}, func(ctx context.Context, in *WorklistInput) (*none, error) {
		return nothing(a.desk.DropWorklist(actor(ctx), in.ID))
	})
	type gatherInput struct {
		WorklistInput
		Body people.Source
	}
	on(a, operation{
		id: "gather", method: http.MethodPost, path: "/api/worklists/{id}/people",
		summary: "Put people on a worklist: by a text, a filter, or what they hold or belong to",
		most:    maxGathered,
	}, func(ctx context.Context, in *gatherInput) (*body[*people.Gathered], error) {
		return answer(a.desk.Gather(actor(ctx), in.ID, in.Body))
	})
	type fileInput struct {
		WorklistInput
		Name    string `query:"name" required:"true" maxLength:"300" doc:"The file's name"`
		RawBody []byte `contentType:"application/octet-stream"`
	}
	on(a, operation{
		id: "gatherFile", method: http.MethodPost, path: "/api/worklists/{id}/file",
		summary: "Put the people whom a file names on a worklist",
		most:    MaxImport,
	}, func(ctx context.Context, in *fileInput) (*body[*people.Gathered], error) {
		return answer(a.desk.GatherFile(actor(ctx), in.ID, in.Name, in.RawBody))
	})
	on(a, operation{
		id: "draftWorklist", method: http.MethodPost, path: "/api/worklists/{id}/draft",
		summary: "Put what a worklist does into the draft, as one act; what is not possible stays out",
	}, func(ctx context.Context, in *WorklistInput) (*body[*desk.Draft], error) {
		return answer(a.desk.DraftWorklist(actor(ctx), in.ID))
	})
	on(a, operation{
		id: "carryOutWorklist", method: http.MethodPost, path: "/api/worklists/{id}/carry-out",
		summary: "Do at once what is no change of the design: letters, signing out",
	}, func(ctx context.Context, in *WorklistInput) (*body[*people.Done], error) {
		return answer(a.desk.CarryOutWorklist(actor(ctx), in.ID))
	})
	on(a, operation{
		id: "worklistLog", method: http.MethodGet, path: "/api/worklist-logs/{id}",
		summary: "What a worklist did to each person: a window into its rows",
	}, func(ctx context.Context, in *lookInput) (*body[*people.Log], error) {
		return answer(a.desk.WorklistLog(actor(ctx), in.ID, in.window()))
	})
	type tableInput struct {
		WorklistInput
		FormInput
	}
	on(a, operation{
		id: "worklistTable", method: http.MethodGet, path: "/api/worklist-logs/{id}/{form}",
		summary: "What a worklist did to each person, as a table",
	}, func(ctx context.Context, in *tableInput) (*huma.StreamResponse, error) {
		t, err := a.desk.WorklistTable(actor(ctx), in.ID)
		return tableAs(in.FormInput, "fachwerk-worklist", t, err)
	})
	type invitationsInput struct {
		State  string `query:"state" enum:"to-send,sent,returned,opened,accepted,run-out,cancelled"`
		Words  string `query:"q" maxLength:"300"`
		Offset int    `query:"offset" minimum:"0"`
		Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
	}
	on(a, operation{
		id: "invitations", method: http.MethodGet, path: "/api/invitations",
		summary: "Who is or was invited, and how each invitation stands",
	}, func(ctx context.Context, in *invitationsInput) (*body[*people.Invitations], error) {
		return answer(a.desk.Invitations(actor(ctx), in.State, in.Words, in.Offset, in.Limit))
	})
	type usersInput struct {
		Body struct {
			Users []string `json:"users" minItems:"1" maxItems:"10000"`
		}
	}
	on(a, operation{
		id: "resendInvitations", method: http.MethodPost, path: "/api/invitations/resend",
		summary: "Send invitations once more; links that were made before end",
	}, func(ctx context.Context, in *usersInput) (*body[*people.Resent], error) {
		return answer(a.desk.Resend(actor(ctx), in.Body.Users))
	})
	on(a, operation{
		id: "cancelInvitations", method: http.MethodPost, path: "/api/draft/cancel-invitations",
		summary: "Draft that invitations are cancelled",
	}, func(ctx context.Context, in *usersInput) (*body[*desk.Draft], error) {
		return answer(a.desk.Cancel(actor(ctx), in.Body.Users))
	})
	type extendInput struct {
		Body struct {
			Users []string `json:"users" minItems:"1" maxItems:"10000"`
			Days  int      `json:"days" minimum:"1" maximum:"90" doc:"From now"`
		}
	}
	on(a, operation{
		id: "extendInvitations", method: http.MethodPost, path: "/api/invitations/extend",
		summary: "Let invitations be good for so many days from now",
	}, func(ctx context.Context, in *extendInput) (*body[*people.Resent], error) {
		return answer(a.desk.Extend(actor(ctx), in.Body.Users, in.Body.Days))
	})
	type knownInput struct {
		Name       string `query:"name" maxLength:"300"`
		UserName   string `query:"userName" maxLength:"300"`
		Email      string `query:"email" maxLength:"300"`
		ExternalID string `query:"externalId" maxLength:"300"`
	}
	on(a, operation{
		id: "known", method: http.MethodGet, path: "/api/known-people",
		summary: "Who is there already by these, before somebody is invited as new",
	}, func(ctx context.Context, in *knownInput) (*body[[]people.Known], error) {
		return answer(a.desk.AlreadyThere(actor(ctx), in.Name, in.UserName, in.Email, in.ExternalID))
	})
}

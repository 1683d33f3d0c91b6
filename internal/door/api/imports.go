package api

import (
	"context"
	"net/http"

	"fachwerk/internal/desk/directory"
	"fachwerk/internal/desk/intake"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
)

// MaxImport bounds a file that is brought in, in bytes.
const MaxImport = 256 << 20

// MaxCatalogue bounds a version of a catalogue as it is sent, in bytes; a file of 8 MiB is that.
const MaxCatalogue = 12 << 20

// ImportInput names a file that is brought in.
type ImportInput struct {
	ID string `path:"id"`
}

// imports bring files in, by way of a trial.
func (a *API) imports() {
	type beginInput struct {
		Name    string `query:"name" required:"true" maxLength:"300" doc:"The file's name"`
		Kind    string `query:"kind" enum:"people,groups,assignments,last-use" doc:"What its rows are about; recognised if absent"`
		RawBody []byte `contentType:"application/octet-stream"`
	}
	register(
		a,
		huma.Operation{
			OperationID:  "beginImport",
			Method:       http.MethodPost,
			Path:         "/api/imports",
			Summary:      "Try a file: CSV, a workbook, LDIF or JSON Lines",
			Middlewares:  huma.Middlewares{a.identify, a.importersOnly},
			MaxBodyBytes: MaxImport,
		},
		func(ctx context.Context, in *beginInput) (*body[*intake.Import], error) {
			return answer(a.desk.BeginImport(actor(ctx), in.Name, in.Kind, in.RawBody))
		},
	)
	type windowInput struct {
		ImportInput
		Verdict string `query:"verdict" enum:"create,change,same,ignored,error"`
		Words   string `query:"q" maxLength:"300"`
		Offset  int    `query:"offset" minimum:"0"`
		Limit   int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
	}
	on(
		a,
		operation{
			id:      "import",
			method:  http.MethodGet,
			path:    "/api/imports/{id}",
			summary: "A file that is tried, with a window into its rows and what each would do",
		},
		func(ctx context.Context, in *windowInput) (*body[*intake.Import], error) {
			return answer(a.desk.Import(actor(ctx), in.ID, in.Verdict, in.Words, in.Offset, in.Limit))
		},
	)
	type alterInput struct {
		ImportInput
		Body intake.ImportHow
	}
	on(
		a,
		operation{
			id:      "alterImport",
			method:  http.MethodPatch,
			path:    "/api/imports/{id}",
			summary: "Take a file otherwise: how it is read, what its columns hold",
		},
		func(ctx context.Context, in *alterInput) (*none, error) {
			return nothing(a.desk.AlterImport(actor(ctx), in.ID, in.Body))
		},
	)
	type correctInput struct {
		ImportInput
		Body struct {
			Row    int    `json:"row" minimum:"0"`
			Column int    `json:"column" minimum:"0"`
			Text   string `json:"text" maxLength:"10000"`
			Alike  bool   `json:"alike,omitempty" doc:"In every row in which the cell is wrong by the same text"`
		}
	}
	on(
		a,
		operation{
			id:      "correctImport",
			method:  http.MethodPut,
			path:    "/api/imports/{id}/cell",
			summary: "Correct a cell of a file, here and not in the file",
		},
		func(ctx context.Context, in *correctInput) (*none, error) {
			return nothing(
				a.desk.CorrectImport(actor(ctx), in.ID, in.Body.Row, in.Body.Column, in.Body.Text, in.Body.Alike),
			)
		},
	)
	on(
		a,
		operation{
			id:      "draftImport",
			method:  http.MethodPost,
			path:    "/api/imports/{id}/draft",
			summary: "Put what the rows do into the draft; those with errors stay out",
		},
		func(ctx context.Context, in *ImportInput) (*body[*desk.Draft], error) {
			return answer(a.desk.DraftImport(actor(ctx), in.ID))
		},
	)
	on(
		a,
		operation{
			id:      "closeImport",
			method:  http.MethodDelete,
			path:    "/api/imports/{id}",
			summary: "Close a file; a trial that is being made ends",
		},
		func(ctx context.Context, in *ImportInput) (*none, error) {
			return nothing(a.desk.CloseImport(actor(ctx), in.ID))
		},
	)
	type upgradeInput struct{ Body intake.UpgradeFile }
	on(
		a,
		operation{
			id:      "upgrade",
			method:  http.MethodPost,
			path:    "/api/upgrades",
			summary: "What a version of a system's catalogue would change",
			most:    MaxCatalogue,
		},
		func(ctx context.Context, in *upgradeInput) (*body[*intake.Upgrade], error) {
			return answer(a.desk.Upgrade(actor(ctx), in.Body))
		},
	)
	on(
		a,
		operation{
			id:      "keptUpgrades",
			method:  http.MethodGet,
			path:    "/api/upgrades",
			summary: "The versions of catalogues that wait to be adopted",
		},
		func(ctx context.Context, _ *none) (*body[[]intake.KeptUpgrade], error) {
			return answer(a.desk.KeptUpgrades(actor(ctx)))
		},
	)
	on(
		a,
		operation{
			id:      "keepUpgrade",
			method:  http.MethodPost,
			path:    "/api/upgrades/keep",
			summary: "Keep a version of a system's catalogue to be adopted later",
			most:    MaxCatalogue,
		},
		func(ctx context.Context, in *upgradeInput) (*body[*intake.Upgrade], error) {
			return answer(a.desk.KeepUpgrade(actor(ctx), in.Body))
		},
	)
	on(
		a,
		operation{
			id:      "dropUpgrade",
			method:  http.MethodDelete,
			path:    "/api/upgrades/{id}",
			summary: "Discard the version that is kept of a system",
		},
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
		}) (*none, error) {
			return nothing(a.desk.DropUpgrade(actor(ctx), in.ID))
		},
	)
	on(
		a,
		operation{
			id:      "draftUpgrade",
			method:  http.MethodPost,
			path:    "/api/draft/upgrade",
			summary: "Draft that a version of a system's catalogue is taken over",
			most:    MaxCatalogue,
		},
		func(ctx context.Context, in *upgradeInput) (*body[*desk.Draft], error) {
			return answer(a.desk.DraftUpgrade(actor(ctx), in.Body))
		},
	)
	type directoriesInput struct {
		All    bool `query:"all" doc:"Those too to whom nothing is tied any longer"`
		Offset int  `query:"offset" minimum:"0"`
		Limit  int  `query:"limit" minimum:"1" maximum:"500" default:"100"`
	}
	on(
		a,
		operation{
			id:      "directories",
			method:  http.MethodGet,
			path:    "/api/directories",
			summary: "What directories keep, and a window into the people whom they have deleted",
		},
		func(ctx context.Context, in *directoriesInput) (*body[*directory.Directories], error) {
			return answer(a.desk.Directories(actor(ctx), in.All, in.Offset, in.Limit))
		},
	)
	type templateInput struct {
		Kind string `path:"kind" enum:"people,groups,assignments,last-use,catalogue"`
		FormInput
	}
	on(
		a,
		operation{
			id:      "importTemplate",
			method:  http.MethodGet,
			path:    "/api/import-templates/{kind}/{form}",
			summary: "A file to fill in, with an example",
		},
		func(ctx context.Context, in *templateInput) (*huma.StreamResponse, error) {
			var t *table.Table
			t, err := a.desk.ImportTemplate(actor(ctx), in.Kind)
			return tableAs(in.FormInput, "fachwerk-"+in.Kind, t, err)
		},
	)
}

// importersOnly refuses others before the file is read, which can be large.
func (a *API) importersOnly(ctx huma.Context, next func(huma.Context)) {
	if err := a.desk.MayImport(actor(ctx.Context())); err != nil {
		reply(ctx, failure(ctx.Context(), err).(huma.StatusError))
		return
	}
	next(ctx)
}

// nothing answers with nothing but that it is done.
func nothing(err error) (*none, error) {
	if err != nil {
		return nil, err
	}
	return nil, nil
}

package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/survey"
)

// FindingsInput says which findings are asked for.
type FindingsInput struct {
	Kind   string `query:"kind" doc:"Only of this kind"`
	About  string `query:"about" doc:"Only those that name this thing, as “role:gate-clerk”"`
	Weight int    `query:"weight" doc:"Only of at least this weight" minimum:"0" maximum:"3"`
	Aside  bool   `query:"aside" doc:"Those that are set aside, in place of those that are not"`
}

func (in FindingsInput) wanted() survey.Wanted {
	return survey.Wanted{Kind: in.Kind, About: in.About, Weight: in.Weight, Aside: in.Aside}
}

// findings are what is loose in the design.
func (a *API) findings() {
	on(a,
		operation{
			id:      "today",
			method:  http.MethodGet,
			path:    "/api/today",
			summary: "What you come back to: what waits for you, what of yours ends soon, and what changed since you last looked",
		},
		func(ctx context.Context, _ *struct{}) (*body[*survey.Today], error) {
			return answer(a.desk.Today(actor(ctx)))
		},
	)
	type lookedInput struct {
		Body struct {
			Revision int `json:"revision" minimum:"0" doc:"The last one that was looked at"`
		}
	}
	on(a,
		operation{
			id:      "looked",
			method:  http.MethodPut,
			path:    "/api/today/looked",
			summary: "Say that you have looked at what changed, up to a revision",
		},
		func(ctx context.Context, in *lookedInput) (*struct{}, error) {
			if err := a.desk.LookAt(actor(ctx), in.Body.Revision); err != nil {
				return nil, failure(ctx, err)
			}
			return nil, nil
		},
	)
	type listInput struct {
		FindingsInput
		Offset int `query:"offset" minimum:"0"`
		Limit  int `query:"limit" minimum:"0" maximum:"10000" default:"100"`
	}
	on(
		a,
		operation{
			id:      "findings",
			method:  http.MethodGet,
			path:    "/api/findings",
			summary: "What is loose in the design: how many of each kind, and a window into them, the gravest first",
		},
		func(ctx context.Context, in *listInput) (*body[*survey.Findings], error) {
			w := in.wanted()
			w.Offset, w.Limit = in.Offset, in.Limit
			return answer(a.desk.Findings(actor(ctx), w))
		},
	)
	type tableInput struct {
		FindingsInput
		FormInput
	}
	on(
		a,
		operation{
			id:      "exportFindings",
			method:  http.MethodGet,
			path:    "/api/findings/table/{form}",
			summary: "What is loose in the design as a table",
		},
		func(ctx context.Context, in *tableInput) (*huma.StreamResponse, error) {
			t, err := a.desk.FindingsTable(actor(ctx), in.wanted())
			return tableAs(in.FormInput, "fachwerk-findings", t, err)
		},
	)
	type mendInput struct {
		Body struct {
			IDs    []string `json:"ids" minItems:"1" maxItems:"1000" doc:"The names of findings"`
			Repair int      `json:"repair,omitempty" minimum:"0" doc:"Which of the repairs of each, from 0"`
		}
	}
	on(
		a,
		operation{
			id:      "repairFindings",
			method:  http.MethodPost,
			path:    "/api/findings/repair",
			summary: "Put what mends some findings into the draft",
		},
		func(ctx context.Context, in *mendInput) (*body[*desk.Draft], error) {
			return answer(a.desk.RepairFindings(actor(ctx), in.Body.IDs, in.Body.Repair))
		},
	)
	type setAsideInput struct {
		Body struct {
			IDs    []string   `json:"ids" minItems:"1" maxItems:"1000" doc:"The names of findings"`
			Until  *time.Time `json:"until,omitempty" doc:"Until when; absent: they are not set aside any longer"`
			Reason string     `json:"reason,omitempty" maxLength:"1000"`
		}
	}
	on(
		a,
		operation{
			id:      "setFindingsAside",
			method:  http.MethodPost,
			path:    "/api/findings/aside",
			summary: "Set findings aside until a day, for a reason, or take that back",
		},
		func(ctx context.Context, in *setAsideInput) (*struct{}, error) {
			var until time.Time
			if in.Body.Until != nil {
				until = *in.Body.Until
			}
			return nil, a.desk.SetFindingsAside(actor(ctx), in.Body.IDs, until, in.Body.Reason)
		},
	)
}

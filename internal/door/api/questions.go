package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk/ask"
	"fachwerk/internal/desk/view"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/desk"
	"fachwerk/internal/exchange/table"
)

// WhoInput asks who can do something.
type WhoInput struct {
	What  string `query:"what" required:"true" maxLength:"500" doc:"A permission's key, an object like system:object, or a system's id"`
	Where string `query:"where" doc:"An area; anywhere if absent"`
	By    string `query:"by" maxLength:"500" doc:"Only those who have it by this, as the answer names it"`
}

// CompareInput names things to set side by side.
type CompareInput struct {
	Thing []string `query:"thing,explode" required:"true" minItems:"1" maxItems:"8" doc:"People, groups, roles, sets or licences: kind:id, or kind:id@day"`
	All   bool     `query:"all" doc:"What all hold alike, too"`
}

// FormInput says how a table is wanted.
type FormInput struct {
	Form string `path:"form" enum:"csv,xlsx"`
	Mark bool   `query:"mark" doc:"Begin a CSV with a byte order mark, by which spreadsheets know that it is in UTF-8"`
}

// questions are the pages that answer one.
func (a *API) questions() {
	a.repairs()
	a.timelines()
	a.exports()
	type ceilingInput struct {
		ID   string `path:"id"`
		User string `query:"user" doc:"Of several delegates, whom it is about; the first if absent"`
	}
	on(
		a,
		operation{
			id:      "delegationCeiling",
			method:  http.MethodGet,
			path:    "/api/delegations/{id}/ceiling",
			summary: "What could come of a delegation, with all else that is delegated to one of its delegates",
		},
		func(ctx context.Context, in *ceilingInput) (*body[*ask.CeilingSheet], error) {
			return answer(a.desk.Ceiling(actor(ctx), in.ID, in.User))
		},
	)
	type personCeilingInput struct {
		ID string `path:"id"`
	}
	on(
		a,
		operation{
			id:      "personCeiling",
			method:  http.MethodGet,
			path:    "/api/people/{id}/ceiling",
			summary: "What could come of all that is delegated to a person",
		},
		func(ctx context.Context, in *personCeilingInput) (*body[*ask.CeilingSheet], error) {
			return answer(a.desk.CeilingOf(actor(ctx), in.ID))
		},
	)
	on(
		a,
		operation{
			id:      "lowerCeiling",
			method:  http.MethodGet,
			path:    "/api/people/{id}/ceiling/lower",
			summary: "By which changes of delegations the ceiling of a person would be lower",
		},
		func(ctx context.Context, in *personCeilingInput) (*body[[]ask.Lowering], error) {
			return answer(a.desk.Lower(actor(ctx), in.ID))
		},
	)
	on(
		a,
		operation{
			id:      "draftCeilings",
			method:  http.MethodGet,
			path:    "/api/draft/ceilings",
			summary: "Which ceilings of delegates rise by your draft",
		},
		func(ctx context.Context, _ *struct{}) (*body[[]ask.Rise], error) {
			return answer(a.desk.Rises(actor(ctx)))
		},
	)
	type tryCeilingInput struct{ Body model.Delegation }
	on(
		a,
		operation{
			id:      "tryCeiling",
			method:  http.MethodPost,
			path:    "/api/delegations/try/ceiling",
			summary: "What could come of a delegation, as it is written",
		},
		func(ctx context.Context, in *tryCeilingInput) (*body[*ask.CeilingSheet], error) {
			return answer(a.desk.TryCeiling(actor(ctx), &in.Body))
		},
	)
	type fitInput struct{ Body ask.FitAsk }
	on(
		a,
		operation{
			id:      "fit",
			method:  http.MethodPost,
			path:    "/api/fit",
			summary: "Which roles and sets, alone or up to three together, fit a need most closely",
		},
		func(ctx context.Context, in *fitInput) (*body[*ask.FitAnswer], error) {
			return answer(a.desk.Fit(actor(ctx), in.Body))
		},
	)
	type fewerInput struct{ Body ask.FewerAsk }
	on(a,
		operation{
			id:      "fewer",
			method:  http.MethodPost,
			path:    "/api/fewer",
			summary: "Fewer roles in place of what people were given by hand: exactly the same, or almost at a price",
		},
		func(ctx context.Context, in *fewerInput) (*body[*ask.FewerAnswer], error) {
			return answer(a.desk.Fewer(actor(ctx), in.Body))
		},
	)
	type draftFewerInput struct {
		Body struct {
			ask.FewerAsk
			Groups bool `json:"groups,omitempty" doc:"Those whom a filter finds exactly become a rule group that is assigned the role"`
		}
	}
	on(a,
		operation{
			id:      "draftFewer",
			method:  http.MethodPost,
			path:    "/api/draft/fewer",
			summary: "Put a proposal of fewer roles into the draft, as one act",
		},
		func(ctx context.Context, in *draftFewerInput) (*body[*desk.Draft], error) {
			return answer(a.desk.DraftFewer(actor(ctx), in.Body.FewerAsk, in.Body.Groups))
		},
	)
	type whoInput struct {
		WhoInput
		Offset int `query:"offset" minimum:"0"`
		Limit  int `query:"limit" minimum:"1" maximum:"500" default:"100"`
	}
	on(
		a,
		operation{
			id:      "whoCan",
			method:  http.MethodGet,
			path:    "/api/who",
			summary: "Who can do something, by which ways, and what these people have in common",
		},
		func(ctx context.Context, in *whoInput) (*body[*ask.WhoCan], error) {
			return answer(
				a.desk.WhoCan(
					actor(ctx),
					ask.WhoAsk{What: in.What, Where: in.Where, By: in.By, Offset: in.Offset, Limit: in.Limit},
				),
			)
		},
	)
	type whoTableInput struct {
		WhoInput
		FormInput
	}
	on(
		a,
		operation{
			id:      "exportWho",
			method:  http.MethodGet,
			path:    "/api/who/{form}",
			summary: "Everybody who can do something, as a table",
		},
		func(ctx context.Context, in *whoTableInput) (*huma.StreamResponse, error) {
			t, err := a.desk.WhoTable(actor(ctx), ask.WhoAsk{What: in.What, Where: in.Where, By: in.By})
			return tableAs(in.FormInput, "fachwerk-who-can", t, err)
		},
	)
	on(
		a,
		operation{
			id:      "compare",
			method:  http.MethodGet,
			path:    "/api/compare",
			summary: "How things differ in what they hold or give",
		},
		func(ctx context.Context, in *CompareInput) (*body[*ask.Comparison], error) {
			return answer(a.desk.Compare(actor(ctx), in.Thing, in.All))
		},
	)
	type capabilityInput struct {
		System string   `query:"system" required:"true"`
		Kinds  []string `query:"kind,explode" maxItems:"4" enum:"licence,role,set,own" doc:"Which columns: licences, roles, supplied sets, own sets; all but the last if absent"`
	}
	on(
		a,
		operation{
			id:      "capabilities",
			method:  http.MethodGet,
			path:    "/api/capabilities",
			summary: "What each licence, role and set can do in a system",
		},
		func(ctx context.Context, in *capabilityInput) (*body[*view.Capabilities], error) {
			return answer(a.desk.Capabilities(actor(ctx), in.System, in.Kinds))
		},
	)
	type capabilityTableInput struct {
		System string   `query:"system" required:"true"`
		Kinds  []string `query:"kind,explode" maxItems:"4" enum:"licence,role,set,own"`
		FormInput
	}
	on(
		a,
		operation{
			id:      "exportCapabilities",
			method:  http.MethodGet,
			path:    "/api/capabilities/{form}",
			summary: "The same as a table",
		},
		func(ctx context.Context, in *capabilityTableInput) (*huma.StreamResponse, error) {
			t, err := a.desk.CapabilityTable(actor(ctx), in.System, in.Kinds)
			return tableAs(in.FormInput, "fachwerk-capabilities", t, err)
		},
	)
	type compareTableInput struct {
		CompareInput
		FormInput
	}
	on(
		a,
		operation{
			id:      "exportComparison",
			method:  http.MethodGet,
			path:    "/api/compare/{form}",
			summary: "A comparison as a table",
		},
		func(ctx context.Context, in *compareTableInput) (*huma.StreamResponse, error) {
			t, err := a.desk.CompareTable(actor(ctx), in.Thing, in.All)
			return tableAs(in.FormInput, "fachwerk-comparison", t, err)
		},
	)
}

// exports write out a design for other programs.
func (a *API) exports() {
	whole := func(id, path, summary, kind, name string, write func(ctx context.Context, to io.Writer) error) {
		on(a, operation{id: id, method: http.MethodGet, path: path, summary: summary},
			func(ctx context.Context, _ *struct{}) (*huma.StreamResponse, error) {
				if err := a.desk.MayExport(actor(ctx)); err != nil {
					return nil, err // before anything is written
				}
				return download(kind, name, func(to io.Writer) error { return write(ctx, to) }), nil
			})
	}
	for form, kind := range map[string]string{"csv": "text/csv; charset=utf-8", "jsonl": "application/jsonl"} {
		whole(
			"effective"+form,
			"/api/effective."+form,
			"What everybody effectively holds, as "+form,
			kind,
			"fachwerk-effective."+form,
			func(ctx context.Context, to io.Writer) error {
				return a.desk.Effective(actor(ctx), form, to)
			},
		)
	}
	whole(
		"exportPeopleAndGroups",
		"/api/people-and-groups.ldif",
		"People and groups as LDIF (RFC 2849)",
		"text/plain; charset=utf-8",
		"fachwerk-people-and-groups.ldif",
		func(ctx context.Context, to io.Writer) error {
			return a.desk.LDIF(actor(ctx), to)
		},
	)
	whole(
		"exportModel",
		"/api/model.json",
		"The whole design as a model file",
		"application/json",
		"fachwerk-model.json",
		func(ctx context.Context, to io.Writer) error {
			return a.desk.Model(actor(ctx), to)
		},
	)
}

// timelines are what people had and will have.
func (a *API) timelines() {
	type timelineInput struct {
		PlaceInput
		From  time.Time `query:"from" doc:"A year ago if absent"`
		Until time.Time `query:"until" doc:"In three months if absent"`
	}
	on(
		a,
		operation{
			id:      "timeline",
			method:  http.MethodGet,
			path:    "/api/people/{id}/timeline",
			summary: "A person's access over time: what began and ended, and by which revision",
		},
		func(ctx context.Context, in *timelineInput) (*body[*view.Timeline], error) {
			if in.From.IsZero() {
				in.From = a.desk.Now().AddDate(-1, 0, 0)
			}
			if in.Until.IsZero() {
				in.Until = a.desk.Now().AddDate(0, 3, 0)
			}
			return answer(a.desk.Timeline(actor(ctx), in.ID, in.From.UTC(), in.Until.UTC()))
		},
	)
}

// repairs are what would give somebody what they lack.
func (a *API) repairs() {
	type repairsInput struct {
		PlaceInput
		Permission string `query:"permission" required:"true"`
	}
	on(
		a,
		operation{
			id:      "repairs",
			method:  http.MethodGet,
			path:    "/api/people/{id}/repairs",
			summary: "The smallest changes by which a person would hold a permission, with what else each does",
		},
		func(ctx context.Context, in *repairsInput) (*body[*ask.Repairs], error) {
			return answer(a.desk.Repairs(actor(ctx), in.ID, in.Permission, in.Where))
		},
	)
	type repairInput struct {
		Body struct {
			User       string `json:"user"`
			Permission string `json:"permission"`
			Where      string `json:"where,omitempty"`
			ID         string `json:"id" doc:"As the proposal names itself"`
		}
	}
	on(a, operation{id: "repair", method: http.MethodPost, path: "/api/draft/repair", summary: "Draft a repair"},
		func(ctx context.Context, in *repairInput) (*body[*desk.Draft], error) {
			return answer(a.desk.DraftRepair(actor(ctx), in.Body.User, in.Body.Permission, in.Body.Where, in.Body.ID))
		})
}

// tableAs answers with a table as CSV or as a workbook.
func tableAs(form FormInput, name string, t *table.Table, err error) (*huma.StreamResponse, error) {
	if err != nil {
		return nil, err // before anything is written
	}
	if form.Form == "csv" {
		return download(
			"text/csv; charset=utf-8",
			name+".csv",
			func(to io.Writer) error {
				if form.Mark {
					if _, err := io.WriteString(to, table.Mark); err != nil {
						return err
					}
				}
				return table.CSV(to, *t)
			},
		), nil
	}
	held, err := t.Held()
	switch {
	case errors.Is(err, table.ErrTooLong):
		return nil, huma.Error422UnprocessableEntity(
			fmt.Sprintf(
				"A workbook has room for %d rows, and there are more. Take CSV, or narrow what is asked.",
				table.MaxRows,
			),
		)
	case err != nil:
		return nil, err
	}
	return download(
		"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
		name+".xlsx",
		func(to io.Writer) error { return table.XLSX(to, held) },
	), nil
}

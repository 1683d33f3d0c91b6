package api

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"

	"fachwerk/internal/desk/review"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/report"
)

// NumberInput names a review, an item or a task.
type NumberInput struct {
	ID int `path:"id" minimum:"1"`
}

// WhereInput names the area that is looked at.
type WhereInput struct {
	Where string `query:"where" doc:"An area; the whole organisation if absent"`
}

// reviews are opened, decided, closed, and told.
func (a *API) reviews() {
	type oneInput struct {
		NumberInput
		WhereInput
	}
	on(a, operation{id: "reviews", method: http.MethodGet, path: "/api/reviews", summary: "Reviews, latest first"},
		func(ctx context.Context, in *WhereInput) (*body[[]review.Review], error) {
			return answer(a.desk.Reviews(actor(ctx), in.Where))
		})
	type newInput struct{ Body review.NewReview }
	on(a, operation{id: "openReview", method: http.MethodPost, path: "/api/reviews", summary: "Open a review"},
		func(ctx context.Context, in *newInput) (*body[*review.Review], error) {
			return answer(a.desk.OpenReview(actor(ctx), in.Body))
		})
	on(
		a,
		operation{
			id:      "previewReview",
			method:  http.MethodPost,
			path:    "/api/reviews/preview",
			summary: "What opening a review would ask, and whom",
		},
		func(ctx context.Context, in *newInput) (*body[*review.ReviewPreview], error) {
			return answer(a.desk.PreviewReview(actor(ctx), in.Body))
		},
	)
	on(
		a,
		operation{
			id:      "review",
			method:  http.MethodGet,
			path:    "/api/reviews/{id}",
			summary: "A review: how far it is, who decides, and what it left to do",
		},
		func(ctx context.Context, in *oneInput) (*body[*review.ReviewDetail], error) {
			return answer(a.desk.Review(actor(ctx), in.ID, in.Where))
		},
	)
	type itemsInput struct {
		NumberInput
		WhereInput
		Only   string `query:"only" enum:"open,mine" doc:"Only those that are undecided, or yours to decide"`
		After  int    `query:"after" minimum:"-1" default:"-1" doc:"The place of which the next undecided one is asked for"`
		Offset int    `query:"offset" minimum:"0"`
		Limit  int    `query:"limit" minimum:"0" maximum:"200" default:"100"`
	}
	on(
		a,
		operation{
			id:      "reviewItems",
			method:  http.MethodGet,
			path:    "/api/reviews/{id}/items",
			summary: "A window into the items of a review that you may see",
		},
		func(ctx context.Context, in *itemsInput) (*body[*review.ReviewItems], error) {
			return answer(a.desk.Items(actor(ctx), in.ID, review.ItemsAsk{
				Where: in.Where, Only: in.Only, After: in.After, Offset: in.Offset, Limit: in.Limit,
			}))
		},
	)
	type outcomeInput struct {
		NumberInput
		SentencesInput
	}
	on(
		a,
		operation{
			id:      "reviewOutcome",
			method:  http.MethodGet,
			path:    "/api/reviews/{id}/outcome",
			summary: "What closing a review now would do",
		},
		func(ctx context.Context, in *outcomeInput) (*body[*review.ReviewOutcome], error) {
			return answer(a.desk.Outcome(actor(ctx), in.ID, in.Limit))
		},
	)
	on(
		a,
		operation{
			id:      "alike",
			method:  http.MethodGet,
			path:    "/api/review-items/{id}/alike",
			summary: "Those of your undecided items that are alike one of them, by id; at most as many as one decision takes",
		},
		func(ctx context.Context, in *NumberInput) (*body[[]int], error) {
			return answer(a.desk.Alike(actor(ctx), in.ID))
		},
	)
	on(a,
		operation{
			id:      "absence",
			method:  http.MethodGet,
			path:    "/api/me/absence",
			summary: "When you are away, and who decides your review items in the meantime; null if you are not",
		},
		func(ctx context.Context, _ *struct{}) (*body[*review.Absence], error) {
			return answer(a.desk.Absent(actor(ctx)))
		},
	)
	type absenceInput struct{ Body review.NewAbsence }
	on(a,
		operation{
			id:      "beAbsent",
			method:  http.MethodPut,
			path:    "/api/me/absence",
			summary: "Say when you are away and who decides in the meantime: what waits for you is handed on as it begins",
		},
		func(ctx context.Context, in *absenceInput) (*body[*review.Absence], error) {
			return answer(a.desk.BeAbsent(actor(ctx), in.Body))
		},
	)
	type closeInput struct {
		NumberInput
		Body struct {
			Alone string `json:"alone,omitempty" maxLength:"1000" doc:"Why it is enough that one person opened, decided and closes it; an owner may say so, and the report repeats it"`
		}
	}
	on(
		a,
		operation{
			id:      "closeReview",
			method:  http.MethodPost,
			path:    "/api/reviews/{id}/close",
			summary: "Close a review and apply its outcome",
		},
		func(ctx context.Context, in *closeInput) (*body[*review.Review], error) {
			return answer(a.desk.CloseReview(actor(ctx), in.ID, in.Body.Alone))
		},
	)
	type reminded struct {
		Letters int `json:"letters" doc:"How many went into the outbox"`
	}
	on(
		a,
		operation{
			id:      "remind",
			method:  http.MethodPost,
			path:    "/api/reviews/{id}/remind",
			summary: "Remind those whose decisions are missing",
		},
		func(ctx context.Context, in *NumberInput) (*body[reminded], error) {
			n, err := a.desk.Remind(actor(ctx), in.ID)
			return answer(reminded{n}, err)
		},
	)
	on(
		a,
		operation{
			id:      "reviewReport",
			method:  http.MethodGet,
			path:    "/api/reviews/{id}/report.html",
			summary: "What became of a review, as a page to read and print",
		},
		func(ctx context.Context, in *NumberInput) (*huma.StreamResponse, error) {
			r, err := a.desk.ReviewReport(actor(ctx), in.ID)
			if err != nil {
				return nil, err
			}
			return download(
				"text/html; charset=utf-8",
				"",
				func(to io.Writer) error { return report.HTML(to, *r) },
			), nil
		},
	)
	on(
		a,
		operation{
			id:      "reviewPack",
			method:  http.MethodGet,
			path:    "/api/reviews/{id}/pack.zip",
			summary: "All evidence of a review in one archive: report, items, decisions, and digests that prove it",
		},
		func(ctx context.Context, in *NumberInput) (*huma.StreamResponse, error) {
			r, err := a.desk.ReviewReport(actor(ctx), in.ID)
			if err != nil {
				return nil, err
			}
			name := fmt.Sprintf("fachwerk-review-%d", in.ID)
			var pack bytes.Buffer // so that nothing that failed is answered as done
			if err := report.Pack(&pack, *r, name); err != nil {
				return nil, err
			}
			return download("application/zip", name+".zip", func(to io.Writer) error {
				_, err := to.Write(pack.Bytes())
				return err
			}), nil
		},
	)
	on(
		a,
		operation{
			id:      "reviewAfter",
			method:  http.MethodGet,
			path:    "/api/reviews/{id}/after",
			summary: "What became of what a closed review revoked: whether it is truly gone, and what came back",
		},
		func(ctx context.Context, in *NumberInput) (*body[*review.Afterwards], error) {
			return answer(a.desk.Afterwards(actor(ctx), in.ID))
		},
	)
	type latelyInput struct {
		Kind string `query:"kind" required:"true" enum:"user,role,set"`
		Of   string `query:"id" required:"true" doc:"Of the person, role or set"`
	}
	on(
		a,
		operation{
			id:      "lately",
			method:  http.MethodGet,
			path:    "/api/reviews/lately",
			summary: "What reviews last said of a person, role or set",
		},
		func(ctx context.Context, in *latelyInput) (*body[*review.Lately], error) {
			return answer(a.desk.Lately(actor(ctx), model.Kind(in.Kind), in.Of))
		},
	)
	type tableInput struct {
		NumberInput
		FormInput
	}
	on(
		a,
		operation{
			id:      "exportReview",
			method:  http.MethodGet,
			path:    "/api/sheets/review/{id}/{form}",
			summary: "The items of a review with what became of them, as a table",
		},
		func(ctx context.Context, in *tableInput) (*huma.StreamResponse, error) {
			r, err := a.desk.ReviewReport(actor(ctx), in.ID)
			if err != nil {
				return nil, err
			}
			return tableAs(in.FormInput, fmt.Sprintf("fachwerk-review-%d", in.ID), report.Table(*r), nil)
		},
	)
	type listInput struct {
		WhereInput
		FormInput
	}
	on(
		a,
		operation{
			id:      "exportReviews",
			method:  http.MethodGet,
			path:    "/api/lists/review/{form}",
			summary: "The reviews as a table, latest first",
		},
		func(ctx context.Context, in *listInput) (*huma.StreamResponse, error) {
			t, err := a.desk.ReviewsTable(actor(ctx), in.Where)
			return tableAs(in.FormInput, "fachwerk-reviews", t, err)
		},
	)
	on(
		a,
		operation{
			id:      "reviewItem",
			method:  http.MethodGet,
			path:    "/api/review-items/{id}",
			summary: "An item with what a revocation would really do",
		},
		func(ctx context.Context, in *NumberInput) (*body[*review.ItemDetail], error) {
			return answer(a.desk.ReviewItem(actor(ctx), in.ID))
		},
	)
	type decideInput struct {
		Body struct {
			Items    []int  `json:"items" minItems:"1" maxItems:"1000" doc:"If several, they must be alike"`
			Decision string `json:"decision" enum:",keep,revoke"`
			Reason   string `json:"reason,omitempty" maxLength:"1000"`
		}
	}
	on(
		a,
		operation{
			id:      "decide",
			method:  http.MethodPost,
			path:    "/api/review-items/decisions",
			summary: "Decide items, or take decisions back",
		},
		func(ctx context.Context, in *decideInput) (*body[[]review.ReviewItem], error) {
			return answer(a.desk.DecideMany(actor(ctx), in.Body.Items, in.Body.Decision, in.Body.Reason))
		},
	)
	type handInput struct {
		NumberInput
		Body struct {
			To   string `json:"to" minLength:"1" doc:"The id of who decides instead"`
			Note string `json:"note,omitempty" maxLength:"1000"`
		}
	}
	on(
		a,
		operation{
			id:      "handOn",
			method:  http.MethodPost,
			path:    "/api/review-items/{id}/hand",
			summary: "Give an item to somebody else to decide",
		},
		func(ctx context.Context, in *handInput) (*body[*review.ReviewItem], error) {
			return answer(a.desk.HandOn(actor(ctx), in.ID, in.Body.To, in.Body.Note))
		},
	)
	type colleaguesInput struct {
		Words string `query:"q" maxLength:"200"`
	}
	on(
		a,
		operation{
			id:      "colleagues",
			method:  http.MethodGet,
			path:    "/api/colleagues",
			summary: "People to whom an item can be handed",
		},
		func(ctx context.Context, in *colleaguesInput) (*body[[]review.Colleague], error) {
			return answer(a.desk.Colleagues(actor(ctx), in.Words))
		},
	)
	on(
		a,
		operation{
			id:      "tasks",
			method:  http.MethodGet,
			path:    "/api/review-tasks",
			summary: "Tasks that wait for you as the owner of a group",
		},
		func(ctx context.Context, _ *struct{}) (*body[[]review.ReviewTask], error) {
			return answer(a.desk.Tasks(actor(ctx)))
		},
	)
	on(
		a,
		operation{
			id:      "task",
			method:  http.MethodGet,
			path:    "/api/review-tasks/{id}",
			summary: "A task with the ways to settle it, each with its impact",
		},
		func(ctx context.Context, in *NumberInput) (*body[*review.TaskDetail], error) {
			return answer(a.desk.Task(actor(ctx), in.ID))
		},
	)
	type settleInput struct {
		NumberInput
		Body struct {
			Choice string `json:"choice" enum:"person,grant,leave"`
			Reason string `json:"reason,omitempty" maxLength:"1000"`
		}
	}
	on(
		a,
		operation{id: "settleTask", method: http.MethodPost, path: "/api/review-tasks/{id}", summary: "Settle a task"},
		func(ctx context.Context, in *settleInput) (*body[*review.ReviewTask], error) {
			return answer(a.desk.SettleTask(actor(ctx), in.ID, in.Body.Choice, in.Body.Reason))
		},
	)
}

package api

import (
	"context"
	"net/http"

	"fachwerk/internal/desk/review"
)

// series are reviews that return by themselves.
func (a *API) series() {
	type seriesInput struct {
		ID int `path:"id" minimum:"1"`
	}
	type newInput struct{ Body review.NewSeries }
	on(a, operation{
		id: "allSeries", method: http.MethodGet, path: "/api/series",
		summary: "Reviews that return by themselves, round by round",
	}, func(ctx context.Context, _ *struct{}) (*body[[]review.Series], error) {
		return answer(a.desk.AllSeries(actor(ctx)))
	})
	on(a, operation{
		id: "makeSeries", method: http.MethodPost, path: "/api/series",
		summary: "Have a review return by itself",
	}, func(ctx context.Context, in *newInput) (*body[*review.Series], error) {
		return answer(a.desk.MakeSeries(actor(ctx), in.Body))
	})
	on(a, operation{
		id: "trySeries", method: http.MethodPost, path: "/api/series/trial",
		summary: "When a series would open its rounds, and what one would find and ask today",
	}, func(ctx context.Context, in *newInput) (*body[*review.SeriesTrial], error) {
		return answer(a.desk.TrySeries(actor(ctx), in.Body))
	})
	on(a, operation{
		id: "series", method: http.MethodGet, path: "/api/series/{id}",
		summary: "One series, round by round",
	}, func(ctx context.Context, in *seriesInput) (*body[*review.Series], error) {
		return answer(a.desk.OneSeries(actor(ctx), in.ID))
	})
	type alterInput struct {
		ID   int `path:"id" minimum:"1"`
		Body review.Altered
	}
	on(a, operation{
		id: "alterSeries", method: http.MethodPatch, path: "/api/series/{id}",
		summary: "Change a series, pause it, let it go on, end it or take it over; its rounds stay as they are",
	}, func(ctx context.Context, in *alterInput) (*body[*review.Series], error) {
		return answer(a.desk.AlterSeries(actor(ctx), in.ID, in.Body))
	})
}

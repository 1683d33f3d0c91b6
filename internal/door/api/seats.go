package api

import (
	"context"
	"net/http"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/people"
	"fachwerk/internal/desk/view"
)

// DaysInput says after how many days without use a seat is idle.
type DaysInput struct {
	Days int `query:"days" minimum:"1" maximum:"3650" default:"90"`
}

// LicenceInput names a licence.
type LicenceInput struct {
	ID string `path:"id" maxLength:"200"`
}

// seats are the pools of licences: who sits in them, who waits, and what could come free.
func (a *API) seats() {
	on(a, operation{
		id: "seatPools", method: http.MethodGet, path: "/api/seats",
		summary: "All licences with how their seats are taken, those first that run short",
	}, func(ctx context.Context, in *DaysInput) (*body[[]view.SeatPool], error) {
		return answer(a.desk.SeatPools(actor(ctx), in.Days))
	})
	type partInput struct {
		LicenceInput
		DaysInput
		Part   string `query:"part" enum:"taken,idle,waiting,lesser" default:"taken"`
		Offset int    `query:"offset" minimum:"0"`
		Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
	}
	on(a, operation{
		id: "seats", method: http.MethodGet, path: "/api/seats/{id}",
		summary: "A window into a pool: who sits in it, whose seat is idle, who waits, who could do with a lesser licence",
	}, func(ctx context.Context, in *partInput) (*body[*view.Seats], error) {
		return answer(a.desk.Seats(actor(ctx), in.ID, in.Part, in.Days, in.Offset, in.Limit))
	})
	type giveInput struct {
		Body struct {
			Licence string `json:"licence" maxLength:"200"`
			Seats   int    `json:"seats" minimum:"1" maximum:"10000"`
		}
	}
	on(a, operation{
		id: "giveSeats", method: http.MethodPost, path: "/api/draft/seats",
		summary: "Draft that those get a seat who have waited longest, as many as are free",
	}, func(ctx context.Context, in *giveInput) (*body[*desk.Draft], error) {
		return answer(a.desk.GiveSeats(actor(ctx), in.Body.Licence, in.Body.Seats))
	})
	type gatherInput struct {
		LicenceInput
		DaysInput
		Part string `query:"part" enum:"idle,lesser" required:"true"`
	}
	on(a, operation{
		id: "gatherSeats", method: http.MethodPost, path: "/api/seats/{id}/worklist",
		summary: "Begin a worklist of those whose seats could come free, with the steps that free them",
	}, func(ctx context.Context, in *gatherInput) (*body[*people.Head], error) {
		return answer(a.desk.SeatWorklist(actor(ctx), in.ID, in.Part, in.Days))
	})
	type needInput struct {
		Body struct {
			Subjects []desk.End `json:"subjects" maxItems:"10000"`
			Targets  []desk.End `json:"targets" maxItems:"1000"`
		}
	}
	on(a, operation{
		id: "seatsNeeded", method: http.MethodPost, path: "/api/seats-needed",
		summary: "Which licences some roles and sets need, and how many of some people have no seat. Nothing is changed",
	}, func(ctx context.Context, in *needInput) (*body[[]view.SeatNeed], error) {
		return answer(a.desk.SeatsNeeded(actor(ctx), in.Body.Subjects, in.Body.Targets))
	})
}

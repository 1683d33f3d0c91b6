package api

import (
	"context"
	"net/http"
	"time"

	ics "github.com/arran4/golang-ical"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
)

// CalendarAddress is the address of somebody's calendar.
type CalendarAddress struct {
	There   bool   `json:"there" doc:"There is an address"`
	Address string `json:"address,omitempty" doc:"Told once, as it is made"`
}

// calendars are the addresses by which people have what is due for them in their own calendar (RFC 5545).
func (a *API) calendars() {
	on(a, operation{
		id: "calendar", method: http.MethodGet, path: "/api/me/calendar",
		summary: "Whether your calendar has an address",
	}, func(ctx context.Context, _ *struct{}) (*body[*CalendarAddress], error) {
		there, err := a.desk.HasCalendar(actor(ctx))
		return answer(&CalendarAddress{There: there}, err)
	})
	on(a, operation{
		id: "makeCalendar", method: http.MethodPost, path: "/api/me/calendar",
		summary: "Make an address for your calendar, in place of one that you had",
	}, func(ctx context.Context, _ *struct{}) (*body[*CalendarAddress], error) {
		secret, err := a.desk.MakeCalendar(actor(ctx))
		return answer(&CalendarAddress{true, a.desk.Outside + "/api/calendar/" + secret}, err)
	})
	on(a, operation{
		id: "endCalendar", method: http.MethodDelete, path: "/api/me/calendar",
		summary: "Withdraw the address of your calendar",
	}, func(ctx context.Context, _ *struct{}) (*none, error) {
		return nil, a.desk.EndCalendar(actor(ctx))
	})
	type readInput struct {
		Secret string `path:"secret" maxLength:"100"`
	}
	type file struct {
		Type string `header:"Content-Type"`
		Body []byte
	}
	on(a, operation{
		id: "readCalendar", method: http.MethodGet, path: "/api/calendar/{secret}", public: true,
		summary: "What is due for whoever has this address, as a calendar (RFC 5545)",
	}, func(_ context.Context, in *readInput) (*file, error) {
		t, err := a.desk.Program(in.Secret, account.ForCalendar)
		if err != nil {
			return nil, desk.Refuse(desk.NotFound, "This calendar is withdrawn, or was never there.")
		}
		due, err := a.desk.Due(t.User)
		if err != nil {
			return nil, err
		}
		calendar := ics.NewCalendarFor("Fachwerk")
		calendar.SetMethod(ics.MethodPublish)
		calendar.SetXWRCalName("Fachwerk")
		for _, e := range due {
			event := calendar.AddEvent(e.ID + "@fachwerk")
			event.SetDtStampTime(a.desk.Now())
			event.SetStartAt(e.At)
			event.SetEndAt(e.At.Add(time.Hour))
			event.SetSummary(e.Title)
			event.SetDescription(e.Text)
			event.SetURL(a.desk.Outside + "/reviews")
		}
		return &file{"text/calendar; charset=utf-8", []byte(calendar.Serialize())}, nil
	})
}

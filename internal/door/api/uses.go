package api

import (
	"context"
	"net/http"
	"strings"

	"fachwerk/internal/desk"
)

// maxUses is how large 10,000 uses may be, in bytes.
const maxUses = 8 << 20

// uses are when people last used what.
func (a *API) uses() {
	type usesInput struct {
		Authorization string         `header:"Authorization" doc:"A token made with --for api or --for decisions"`
		Body          []desk.UseTold `minItems:"1" maxItems:"10000"`
	}
	on(a, operation{
		id: "noteUses", method: http.MethodPost, path: "/api/uses", public: true, most: maxUses,
		summary: "Tell when people used systems and permissions: all of it is noted, or nothing if anything is wrong",
	}, func(ctx context.Context, in *usesInput) (*body[*desk.UsesNoted], error) {
		text, bearer := strings.CutPrefix(in.Authorization, "Bearer ")
		if _, err := a.desk.Program(strings.TrimSpace(text), "decisions"); !bearer || err != nil {
			if err := a.desk.MayNoteUses(actor(ctx)); err != nil {
				return nil, err
			}
		}
		return answer(a.desk.NoteUses(in.Body))
	})
	on(a, operation{
		id: "recordUses", method: http.MethodPost, path: "/api/imports/{id}/uses",
		summary: "Note the last uses that the rows of a file tell; those with errors stay out",
	}, func(ctx context.Context, in *ImportInput) (*body[*desk.UsesNoted], error) {
		return answer(a.desk.RecordUses(actor(ctx), in.ID))
	})
}

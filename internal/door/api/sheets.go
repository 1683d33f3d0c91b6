package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/ask"
	"fachwerk/internal/desk/edit"
	"fachwerk/internal/desk/view"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// PlaceInput names a thing, and the area that is looked at.
type PlaceInput struct {
	ID string `path:"id" maxLength:"500"`
	WhereInput
}

// sheets are the pages of single things, the lists of them, and the finder.
func (a *API) sheets() {
	type listInput struct {
		Kind    string   `path:"kind" enum:"user,group,role,set,permission,area,system,delegation,conflict,guarantee,licence"`
		Query   string   `query:"q" maxLength:"20000" doc:"Words that a row must have, or a filter (RFC 7644, section 3.4.2.2) over its columns"`
		Columns []string `query:"columns,explode" maxItems:"40" doc:"The columns to show, by id, besides the name; those that are not spare if absent"`
		Sort    string   `query:"sort" doc:"A column's id; by name if absent"`
		Down    bool     `query:"down" doc:"The greatest first"`
		Where   string   `query:"where" doc:"An area; the whole organisation if absent"`
		Mine    string   `query:"mine" doc:"Only those to or with which the viewer may do this"`
		Choice  bool     `query:"choice" doc:"Only what can be chosen for something new: nobody who is deactivated"`
		Offset  int      `query:"offset" minimum:"0"`
		Limit   int      `query:"limit" minimum:"1" maximum:"500" default:"100"`
	}
	type listTableInput struct {
		Kind    string   `path:"kind" enum:"user,group,role,set,permission,area,system,delegation,conflict,guarantee,licence"`
		Query   string   `query:"q" maxLength:"20000"`
		Columns []string `query:"columns,explode" maxItems:"40"`
		Sort    string   `query:"sort"`
		Down    bool     `query:"down"`
		Where   string   `query:"where"`
		FormInput
	}
	on(
		a,
		operation{
			id:      "exportList",
			method:  http.MethodGet,
			path:    "/api/lists/{kind}/{form}",
			summary: "The list of a kind of thing, as it is filtered and sorted, as a table",
		},
		func(ctx context.Context, in *listTableInput) (*huma.StreamResponse, error) {
			t, err := a.desk.ListTable(
				actor(ctx),
				view.Listing{
					Kind:    model.Kind(in.Kind),
					Query:   in.Query,
					Columns: in.Columns,
					Sort:    in.Sort,
					Down:    in.Down,
					Where:   in.Where,
				},
			)
			return tableAs(in.FormInput, "fachwerk-"+model.Kind(in.Kind).Plural(), t, err)
		},
	)
	type sheetTableInput struct {
		Kind string `path:"kind" enum:"user,role,set,group,licence,system,area,conflict"`
		ID   string `path:"id" maxLength:"500"`
		FormInput
	}
	on(
		a,
		operation{
			id:      "exportSheet",
			method:  http.MethodGet,
			path:    "/api/sheets/{kind}/{id}/{form}",
			summary: "What a sheet is mainly about, as a table",
		},
		func(ctx context.Context, in *sheetTableInput) (*huma.StreamResponse, error) {
			t, err := a.desk.SheetTable(actor(ctx), model.Kind(in.Kind), in.ID)
			return tableAs(in.FormInput, "fachwerk-"+in.Kind, t, err)
		},
	)
	on(
		a,
		operation{
			id:      "list",
			method:  http.MethodGet,
			path:    "/api/lists/{kind}",
			summary: "A window into the list of a kind of thing",
		},
		func(ctx context.Context, in *listInput) (*body[*view.List], error) {
			return answer(
				a.desk.List(
					actor(ctx),
					view.Listing{
						Kind:    model.Kind(in.Kind),
						Query:   in.Query,
						Columns: in.Columns,
						Sort:    in.Sort,
						Down:    in.Down,
						Where:   in.Where,
						Mine:    in.Mine,
						Choice:  in.Choice,
						Offset:  in.Offset,
						Limit:   in.Limit,
					},
				),
			)
		},
	)
	type findInput struct {
		Text string `query:"q" maxLength:"300"`
	}
	on(
		a,
		operation{
			id:      "find",
			method:  http.MethodGet,
			path:    "/api/find",
			summary: "Things by any of their words, and questions with their answers in short",
		},
		func(ctx context.Context, in *findInput) (*body[[]ask.Found], error) {
			return answer(a.desk.Find(actor(ctx), in.Text))
		},
	)
	on(
		a,
		operation{
			id:      "person",
			method:  http.MethodGet,
			path:    "/api/people/{id}",
			summary: "A person's sheet with the wall",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.Person], error) {
			return answer(a.desk.Person(actor(ctx), in.ID, in.Where))
		},
	)
	type traceInput struct {
		PlaceInput
		Permission string `query:"permission" required:"true"`
	}
	on(
		a,
		operation{
			id:      "trace",
			method:  http.MethodGet,
			path:    "/api/people/{id}/trace",
			summary: "By which ways a person holds a permission, or why not",
		},
		func(ctx context.Context, in *traceInput) (*body[*view.Trace], error) {
			return answer(a.desk.Trace(actor(ctx), in.ID, in.Permission, in.Where))
		},
	)
	on(
		a,
		operation{
			id:      "invite",
			method:  http.MethodPost,
			path:    "/api/people/{id}/invitation",
			summary: "Invite somebody anew: a letter, and as long as no mail is set up a link to hand over",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*account.Invitation], error) {
			return answer(a.desk.Invite(actor(ctx), in.ID, a.outside.URL))
		},
	)
	on(
		a,
		operation{
			id:      "role",
			method:  http.MethodGet,
			path:    "/api/roles/{id}",
			summary: "A role's sheet: stack, wall, holders",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.BundleSheet], error) {
			return answer(a.desk.Bundle(actor(ctx), model.KindRole, in.ID, in.Where))
		},
	)
	on(
		a,
		operation{
			id:      "set",
			method:  http.MethodGet,
			path:    "/api/sets/{id}",
			summary: "A permission set's sheet: wall, holders, drift",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.BundleSheet], error) {
			return answer(a.desk.Bundle(actor(ctx), model.KindSet, in.ID, in.Where))
		},
	)
	on(
		a,
		operation{
			id:      "group",
			method:  http.MethodGet,
			path:    "/api/groups/{id}",
			summary: "A group's sheet: members, nesting, rule, grants",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.GroupSheet], error) {
			return answer(a.desk.Group(actor(ctx), in.ID, in.Where))
		},
	)
	on(
		a,
		operation{
			id:      "area",
			method:  http.MethodGet,
			path:    "/api/areas/{id}",
			summary: "An area's sheet: the tree, what is granted there and from above, contacts",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.AreaSheet], error) {
			return answer(a.desk.Area(actor(ctx), in.ID))
		},
	)
	on(
		a,
		operation{
			id:      "system",
			method:  http.MethodGet,
			path:    "/api/systems/{id}",
			summary: "A system's sheet: its catalogue, sets and licences",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.SystemSheet], error) {
			return answer(a.desk.System(actor(ctx), in.ID))
		},
	)
	on(
		a,
		operation{
			id:      "permission",
			method:  http.MethodGet,
			path:    "/api/permissions/{id}",
			summary: "A permission's sheet: what gives it and who holds it",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.PermissionSheet], error) {
			return answer(a.desk.Permission(actor(ctx), in.ID, in.Where))
		},
	)
	on(
		a,
		operation{
			id:      "delegations",
			method:  http.MethodGet,
			path:    "/api/delegations",
			summary: "All delegations that the viewer sees, with what each covers now",
		},
		func(ctx context.Context, _ *struct{}) (*body[[]view.DelegationSheet], error) {
			return answer(a.desk.Delegations(actor(ctx)))
		},
	)
	on(
		a,
		operation{
			id:      "delegation",
			method:  http.MethodGet,
			path:    "/api/delegations/{id}",
			summary: "A delegation with what it covers now",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.DelegationSheet], error) {
			return answer(a.desk.Delegation(actor(ctx), in.ID))
		},
	)
	type tryInput struct{ Body model.Delegation }
	on(
		a,
		operation{
			id:      "tryDelegation",
			method:  http.MethodPost,
			path:    "/api/delegations/try",
			summary: "What a delegation would cover, as it is written",
		},
		func(ctx context.Context, in *tryInput) (*body[*view.Coverage], error) {
			return answer(a.desk.TryDelegation(actor(ctx), &in.Body))
		},
	)
	on(
		a,
		operation{
			id:      "licence",
			method:  http.MethodGet,
			path:    "/api/licences/{id}",
			summary: "A licence's sheet: its seats, and what needs it",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.LicenceSheet], error) {
			return answer(a.desk.Licence(actor(ctx), in.ID))
		},
	)
	on(
		a,
		operation{
			id:      "conflict",
			method:  http.MethodGet,
			path:    "/api/conflicts/{id}",
			summary: "A conflict's sheet: who breaks it, and who may",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.ConflictSheet], error) {
			return answer(a.desk.Conflict(actor(ctx), in.ID))
		},
	)
}

// guarantees are promises about effective permissions.
func (a *API) guarantees() {
	on(
		a,
		operation{
			id:      "guarantee",
			method:  http.MethodGet,
			path:    "/api/guarantees/{id}",
			summary: "A guarantee's sheet: what it promises, and how it is broken, now or by what is written to come",
		},
		func(ctx context.Context, in *PlaceInput) (*body[*view.GuaranteeSheet], error) {
			return answer(a.desk.Guarantee(actor(ctx), in.ID))
		},
	)
	type tryInput struct{ Body model.Guarantee }
	on(
		a,
		operation{
			id:      "tryGuarantee",
			method:  http.MethodPost,
			path:    "/api/guarantees/try",
			summary: "Whether a guarantee would be kept today, as it is written",
		},
		func(ctx context.Context, in *tryInput) (*body[*view.Kept], error) {
			return answer(a.desk.TryGuarantee(actor(ctx), &in.Body))
		},
	)
}

// objects are edited whole: what was looked at, and what it is to become.
func (a *API) objects() {
	putting[model.User](a, "Person", "people", "a person")
	putting[model.Group](a, "Group", "groups", "a group")
	putting[model.Role](a, "Role", "roles", "a role")
	putting[model.Set](a, "Set", "sets", "a permission set")
	putting[model.Area](a, "Area", "areas", "an area")
	putting[model.Assignment](a, "Assignment", "assignments", "an assignment")
	putting[model.Conflict](a, "Conflict", "conflicts", "a conflict")
	putting[model.Guarantee](a, "Guarantee", "guarantees", "a guarantee")
	putting[model.System](a, "System", "systems", "a system with its permissions")
	putting[model.Licence](a, "Licence", "licences", "a licence")
	putting[model.Delegation](a, "Delegation", "delegations", "a delegation")

	type mentionsInput struct {
		Kind string `path:"kind" enum:"user,group,role,set,area,system,assignment,conflict,guarantee,delegation,licence"`
		ID   string `path:"id"`
	}
	on(
		a,
		operation{
			id:      "mentions",
			method:  http.MethodGet,
			path:    "/api/mentions/{kind}/{id}",
			summary: "Everything that names an object: what a delete must deal with",
		},
		func(ctx context.Context, in *mentionsInput) (*body[[]edit.Mention], error) {
			return answer(a.desk.Mentions(actor(ctx), model.Kind(in.Kind), in.ID))
		},
	)
	type deleteInput struct {
		Body struct {
			Kind    string               `json:"kind" enum:"user,group,role,set,area,system,assignment,conflict,guarantee,delegation,licence"`
			ID      string               `json:"id" minLength:"1"`
			Choices []edit.MentionChoice `json:"choices,omitempty"`
		}
	}
	on(
		a,
		operation{
			id:      "delete",
			method:  http.MethodPost,
			path:    "/api/draft/delete",
			summary: "Draft the deletion of an object, and what becomes of what names it",
		},
		func(ctx context.Context, in *deleteInput) (*body[*desk.Draft], error) {
			return answer(a.desk.Delete(actor(ctx), model.Kind(in.Body.Kind), in.Body.ID, in.Body.Choices))
		},
	)
	type tickInput struct {
		Body struct {
			Kind string   `json:"kind" enum:"role,set"`
			ID   string   `json:"id" minLength:"1"`
			Keys []string `json:"keys" minItems:"1" maxItems:"5000"`
			Give bool     `json:"give"`
		}
	}
	on(
		a,
		operation{
			id:      "tick",
			method:  http.MethodPost,
			path:    "/api/draft/tick",
			summary: "Draft that a role or set gives some permissions, or no longer does",
		},
		func(ctx context.Context, in *tickInput) (*body[*desk.Draft], error) {
			return answer(a.desk.Tick(actor(ctx), model.Kind(in.Body.Kind), in.Body.ID, in.Body.Keys, in.Body.Give))
		},
	)
	type assignInput struct {
		Body struct {
			Subjects []desk.End     `json:"subjects" minItems:"1" maxItems:"2000"`
			Targets  []desk.End     `json:"targets" minItems:"1" maxItems:"200"`
			Terms    edit.JoinTerms `json:"terms,omitempty"`
		}
	}
	on(
		a,
		operation{
			id:      "assign",
			method:  http.MethodPost,
			path:    "/api/draft/assign",
			summary: "Draft that each of some people and groups gets each of some roles and sets",
		},
		func(ctx context.Context, in *assignInput) (*body[*desk.Draft], error) {
			return answer(a.desk.AssignMany(actor(ctx), in.Body.Subjects, in.Body.Targets, in.Body.Terms))
		},
	)
	on(
		a,
		operation{
			id:      "lookAssign",
			method:  http.MethodPost,
			path:    "/api/assign-look",
			summary: "What that would do: who has it already, how many have each before and after. Nothing is drafted",
		},
		func(ctx context.Context, in *assignInput) (*body[*edit.AssignLook], error) {
			return answer(a.desk.LookAssign(actor(ctx), in.Body.Subjects, in.Body.Targets, in.Body.Terms))
		},
	)
	type engageInput struct {
		Body struct {
			Person model.User         `json:"person" doc:"Without an id, one is made of the name"`
			Gets   []desk.End         `json:"gets,omitempty" doc:"Roles and sets, all on the same terms" maxItems:"200"`
			Terms  edit.JoinTerms     `json:"terms,omitempty"`
			Grants []edit.EngageGrant `json:"grants,omitempty" doc:"Further roles and sets, each on terms of its own" maxItems:"500"`
			Groups []string           `json:"groups,omitempty" doc:"Groups that they join" maxItems:"500"`
		}
	}
	on(
		a,
		operation{
			id:      "engage",
			method:  http.MethodPost,
			path:    "/api/draft/engage",
			summary: "Draft a new person together with the roles and sets that they get, and the groups that they join",
		},
		func(ctx context.Context, in *engageInput) (*body[*desk.Draft], error) {
			grants := in.Body.Grants
			for _, to := range in.Body.Gets {
				grants = append(grants, edit.EngageGrant{To: to, Terms: in.Body.Terms})
			}
			return answer(a.desk.Engage(actor(ctx), &in.Body.Person, grants, in.Body.Groups))
		},
	)
	type tidyInput struct {
		Body struct {
			Group string `json:"group" minLength:"1"`
		}
	}
	on(
		a,
		operation{
			id:      "tidy",
			method:  http.MethodPost,
			path:    "/api/draft/tidy",
			summary: "Draft that what members hold by hand goes away, where their group gives the same",
		},
		func(ctx context.Context, in *tidyInput) (*body[*desk.Draft], error) {
			return answer(a.desk.Tidy(actor(ctx), in.Body.Group))
		},
	)
	type ruleInput struct {
		Body struct {
			Rule string `json:"rule" maxLength:"100000"`
		}
	}
	on(
		a,
		operation{
			id:      "tryRule",
			method:  http.MethodPost,
			path:    "/api/rules/try",
			summary: "Whom a rule matches, as it is typed",
		},
		func(ctx context.Context, in *ruleInput) (*body[*edit.Rule], error) {
			return answer(a.desk.TryRule(actor(ctx), in.Body.Rule))
		},
	)
}

// Put says what an object was, and what it is to be.
type Put[T any] struct {
	Before *T `json:"before,omitempty" doc:"As it was looked at; absent for a new one"`
	After  T  `json:"after" doc:"A new one without an id is given one that is made of its name"`
}

// putting registers the drafting of one kind of object.
func putting[T any, P interface {
	*T
	model.Object
}](a *API, name, plural, words string) {
	type putInput struct{ Body Put[T] }
	op := operation{
		id:      "put" + name,
		method:  http.MethodPut,
		path:    "/api/draft/" + plural,
		summary: "Draft what " + words + " is to be",
	}
	on(a, op, func(ctx context.Context, in *putInput) (*body[*desk.Draft], error) {
		after := P(&in.Body.After)
		if in.Body.Before == nil {
			return answer(a.desk.Put(actor(ctx), nil, after))
		}
		return answer(a.desk.Put(actor(ctx), P(in.Body.Before), after))
	})
}

// followHistory is the operation that streams revisions as they come.
const followHistory = "followHistory"

// HistoryInput narrows the record.
type HistoryInput struct {
	Kind  string    `query:"kind" doc:"Only what touched things of this kind"`
	ID    string    `query:"id" doc:"Only what touched this one of the kind"`
	User  string    `query:"user" doc:"Only what concerned this person"`
	Who   string    `query:"who" doc:"Only what this person (by id), operator or program (by name) did"`
	Words string    `query:"q" maxLength:"300" doc:"Words that the reason or the name of who did it must have"`
	From  time.Time `query:"from"`
	Until time.Time `query:"until"`
}

func (in HistoryInput) search() view.HistorySearch {
	return view.HistorySearch{
		Kind:  in.Kind,
		ID:    in.ID,
		User:  in.User,
		Who:   in.Who,
		Words: in.Words,
		From:  in.From,
		Until: in.Until,
	}
}

func (a *API) history() {
	type historyInput struct {
		HistoryInput
		Before int `query:"before" minimum:"0" doc:"Only revisions below this number; 0: from the last on"`
		Limit  int `query:"limit" minimum:"1" maximum:"200" default:"50"`
		After  int `query:"after" minimum:"-1" default:"-1" doc:"If given: all revisions above this number, earliest first, with their operations"`
	}
	type historyOutput struct {
		Link string `header:"Link" doc:"Of what came after a revision: where the next page is, if there may be one (RFC 8288)"`
		Body []view.Revision
	}
	on(
		a,
		operation{
			id:      "history",
			method:  http.MethodGet,
			path:    "/api/revisions",
			summary: "The record, latest first; or what came after a revision, to follow it",
		},
		func(ctx context.Context, in *historyInput) (*historyOutput, error) {
			if in.After >= 0 {
				list, err := a.desk.Changes(actor(ctx), in.After, in.Limit)
				out := &historyOutput{Body: list}
				if len(list) == in.Limit { // there may be more
					out.Link = fmt.Sprintf("</api/revisions?after=%d&limit=%d>; rel=\"next\"", list[len(list)-1].Number, in.Limit)
				}
				return out, err
			}
			q := in.search()
			q.Before, q.Limit = in.Before, in.Limit
			list, err := a.desk.History(actor(ctx), q)
			return &historyOutput{Body: list}, err
		},
	)
	type eventsInput struct {
		After int    `query:"after" minimum:"0" doc:"The last revision that is known"`
		Last  string `header:"Last-Event-ID" doc:"The same, as a browser tells it when it comes back"`
	}
	on(
		a,
		operation{
			id:      followHistory,
			method:  http.MethodGet,
			path:    "/api/revisions/events",
			summary: "What comes after a revision, as it comes, with its operations (server-sent events)",
		},
		func(ctx context.Context, in *eventsInput) (*huma.StreamResponse, error) {
			after := in.After
			if in.Last != "" {
				n, err := strconv.Atoi(in.Last)
				if err != nil || n < 0 {
					return nil, newProblem(http.StatusBadRequest, "Last-Event-ID: expected the number of a revision.",
						&huma.ErrorDetail{Location: "header.Last-Event-ID", Message: "expected a whole number", Value: in.Last})
				}
				after = n
			}
			who := actor(ctx)
			if _, err := a.desk.Changes(who, after, 1); err != nil {
				return nil, err // before anything is written
			}
			return &huma.StreamResponse{Body: func(to huma.Context) { a.follow(to, who, after) }}, nil
		},
	)
	type revisionInput struct {
		Number int `path:"number" minimum:"1"`
		Limit  int `query:"limit" minimum:"1" maximum:"10000" default:"100" doc:"Of how many objects it is told"`
	}
	on(
		a,
		operation{
			id:      "revision",
			method:  http.MethodGet,
			path:    "/api/revisions/{number}",
			summary: "What a revision changed, before and after",
		},
		func(ctx context.Context, in *revisionInput) (*body[*view.RevisionDetail], error) {
			return answer(a.desk.RevisionDetail(actor(ctx), in.Number, in.Limit))
		},
	)
	type exportInput struct {
		HistoryInput
		FormInput
	}
	on(
		a,
		operation{
			id:      "exportHistory",
			method:  http.MethodGet,
			path:    "/api/lists/revision/{form}",
			summary: "The record as a table, one row for each sentence",
		},
		func(ctx context.Context, in *exportInput) (*huma.StreamResponse, error) {
			t, err := a.desk.HistoryTable(actor(ctx), in.search())
			return tableAs(in.FormInput, "fachwerk-history", t, err)
		},
	)
}

// errEnded ends a stream whose session or token has ended.
var errEnded = errors.New("the session or token has ended")

// follow writes revisions as server-sent events, each named by its number, until the session or token ends.
func (a *API) follow(to huma.Context, who desk.Actor, after int) {
	to.SetHeader("Content-Type", "text/event-stream")
	to.SetHeader("Cache-Control", "no-store")
	w := to.BodyWriter()
	write := func(text string) error {
		var now desk.Actor
		if a.whose(to, &now) != nil || now.User != who.User {
			return errEnded
		}
		_, err := io.WriteString(w, text)
		if f, ok := w.(http.Flusher); ok {
			f.Flush()
		}
		return err
	}
	if write(": revisions after "+strconv.Itoa(after)+"\n\n") != nil {
		return
	}
	err := a.desk.FollowChanges(to.Context(), who, after, func(r view.Revision) error {
		data, err := json.Marshal(r)
		if err != nil {
			return err
		}
		return write("id: " + strconv.Itoa(r.Number) + "\nevent: revision\ndata: " + string(data) + "\n\n")
	}, func() error { return write(": nothing new\n\n") })
	if err != nil {
		slog.Info("somebody no longer follows the record", "error", err)
	}
}

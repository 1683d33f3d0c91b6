package api

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/edit"
	"fachwerk/internal/exchange/modelfile"
)

// changeBytes bounds what may be sent with a change.
const changeBytes = 16 << 20

// ActEnd is somebody, a group, a role or a set as an act names it: by its id alone, as "user:ID", or as {"user": ID}.
type ActEnd struct{ desk.End }

// Schema describes the three ways of writing it.
func (ActEnd) Schema(huma.Registry) *huma.Schema {
	text := &huma.Schema{Type: huma.TypeString, MinLength: new(1),
		Description: "The id, or kind:id where ids of two kinds are the same"}
	object := &huma.Schema{
		Type: huma.TypeObject, MinProperties: new(1), MaxProperties: new(1), AdditionalProperties: false,
		Properties: map[string]*huma.Schema{},
	}
	for _, kind := range []string{"user", "group", "role", "set"} {
		object.Properties[kind] = &huma.Schema{Type: huma.TypeString, Description: "The id of the " + kind}
	}
	for _, s := range []*huma.Schema{text, object} {
		s.PrecomputeMessages()
	}
	return &huma.Schema{OneOf: []*huma.Schema{text, object}}
}

// UnmarshalJSON reads any of the three ways.
func (e *ActEnd) UnmarshalJSON(data []byte) error {
	var id string
	if json.Unmarshal(data, &id) == nil {
		if kind, rest, is := strings.Cut(id, ":"); is {
			e.End = desk.End{Kind: kind, ID: rest}
		} else {
			e.End = desk.End{ID: id}
		}
		return nil
	}
	var by map[string]string
	if err := json.Unmarshal(data, &by); err != nil || len(by) != 1 {
		return errors.New("expected an id, kind:id, or an object with one of user, group, role and set")
	}
	for kind, id := range by {
		e.End = desk.End{Kind: kind, ID: id}
	}
	return nil
}

func endsOf(list []ActEnd) []desk.End {
	out := make([]desk.End, len(list))
	for i, e := range list {
		out[i] = e.End
	}
	return out
}

// ChangeAct is one act of a change; one of its properties is given.
type ChangeAct struct {
	Put    *ActPut     `json:"put,omitempty" doc:"What an object is to be, whole"`
	Merge  *ActMerge   `json:"merge,omitempty" doc:"What some fields of an object are to be"`
	Delete *ActDelete  `json:"delete,omitempty" doc:"Deletes an object"`
	Assign *ActAssign  `json:"assign,omitempty" doc:"Gives each of the subjects each of the grants, unless they have it so"`
	Revoke *ActRevoke  `json:"revoke,omitempty" doc:"Takes assignments away"`
	Join   *ActMembers `json:"join,omitempty" doc:"Puts people and groups into a group"`
	Leave  *ActMembers `json:"leave,omitempty" doc:"Takes people and groups out of a group"`
}

// ActPut says what an object is to be.
type ActPut struct {
	Kind   string          `json:"kind" doc:"The kind, as user, or its list's name in a model file, as users"`
	Object json.RawMessage `json:"object" doc:"As it stands in a model file; without an id it is new and given one"`
}

// ActMerge says what some fields of an object are to be.
type ActMerge struct {
	Kind   string                     `json:"kind"`
	ID     string                     `json:"id"`
	Fields map[string]json.RawMessage `json:"fields" doc:"By name, as in a model file; null takes a field away"`
}

// ActDelete deletes an object.
type ActDelete struct {
	Kind       string             `json:"kind"`
	ID         string             `json:"id"`
	Successors map[string]*string `json:"successors,omitempty" doc:"What is named instead of it: by field (owner), by kind and field (group.owner), or * for any other; null, and what is not named, takes the mention out. Absent: refused while anything mentions it"`
}

// ActAssign gives some people and groups some roles and sets.
type ActAssign struct {
	Subjects []ActEnd   `json:"subjects" minItems:"1" doc:"People and groups"`
	Grants   []ActEnd   `json:"grants" minItems:"1" doc:"Roles and sets"`
	Area     string     `json:"area,omitempty" doc:"Where; the whole organisation if absent"`
	Reach    string     `json:"reach,omitempty" enum:"area,line,own"`
	Mode     string     `json:"mode,omitempty" enum:"full,read-only"`
	From     *time.Time `json:"from,omitempty"`
	Until    *time.Time `json:"until,omitempty"`
	Reason   string     `json:"reason,omitempty" maxLength:"500" doc:"Why they get it; otherwise the reason of the change"`
}

// ActRevoke takes one assignment away, or all between some people or groups and some roles or sets.
type ActRevoke struct {
	Assignment string   `json:"assignment,omitempty" doc:"Its id; otherwise subjects and grants"`
	Subjects   []ActEnd `json:"subjects,omitempty"`
	Grants     []ActEnd `json:"grants,omitempty"`
	Area       string   `json:"area,omitempty" doc:"Only those at just this area"`
}

// ActMembers names members of a group.
type ActMembers struct {
	Group  string   `json:"group"`
	Users  []string `json:"users,omitempty"`
	Groups []string `json:"groups,omitempty"`
}

func (c ChangeAct) act(reason string) (a edit.Act, err error) {
	given := 0
	if x := c.Put; x != nil {
		given++
		a.Put = &edit.PutAct{Kind: kindOf(x.Kind), Object: x.Object}
	}
	if x := c.Merge; x != nil {
		given++
		a.Merge = &edit.MergeAct{Kind: kindOf(x.Kind), ID: x.ID, Fields: x.Fields}
	}
	if x := c.Delete; x != nil {
		given++
		a.Delete = &edit.DeleteAct{Kind: kindOf(x.Kind), ID: x.ID}
		if x.Successors != nil {
			a.Delete.Successors = map[string]string{}
			for field, to := range x.Successors {
				if to == nil {
					to = new("")
				}
				a.Delete.Successors[field] = *to
			}
		}
	}
	if x := c.Assign; x != nil {
		given++
		terms := edit.JoinTerms{Area: x.Area, Reach: x.Reach, Mode: x.Mode, From: x.From, Until: x.Until, Reason: x.Reason}
		if terms.Reason == "" {
			terms.Reason = reason
		}
		a.Assign = &edit.AssignAct{Subjects: endsOf(x.Subjects), Grants: endsOf(x.Grants), Terms: terms}
	}
	if x := c.Revoke; x != nil {
		given++
		a.Revoke = &edit.RevokeAct{
			Assignment: x.Assignment, Subjects: endsOf(x.Subjects), Grants: endsOf(x.Grants), Area: x.Area,
		}
	}
	for _, m := range []struct {
		from *ActMembers
		to   **edit.MembersAct
	}{{c.Join, &a.Join}, {c.Leave, &a.Leave}} {
		if x := m.from; x != nil {
			given++
			*m.to = &edit.MembersAct{Group: x.Group, Users: x.Users, Groups: x.Groups}
		}
	}
	if given != 1 {
		return a, errors.New("expected one of put, merge, delete, assign, revoke, join and leave")
	}
	return a, nil
}

// kindOf reads a kind, or the name of its list.
func kindOf(name string) model.Kind {
	for _, k := range model.Kinds {
		if name == string(k) || name == k.Plural() {
			return k
		}
	}
	return model.Kind(name)
}

// ChangeInput is a change in one call.
type ChangeInput struct {
	Key  string `header:"Idempotency-Key" maxLength:"200" doc:"Names the call: asked again with the same, within a week, it is answered as the first time and changes nothing"`
	Body struct {
		Acts       []ChangeAct `json:"acts" minItems:"1" maxItems:"10000" doc:"What it does, one after another; each builds on those before it"`
		Reason     string      `json:"reason,omitempty" maxLength:"1000" doc:"Why; needed unless it is only tried"`
		DryRun     bool        `json:"dryRun,omitempty" doc:"Only tells what it would come to"`
		IfRevision *int        `json:"ifRevision,omitempty" minimum:"0" doc:"The latest revision must be this one"`
	}
}

type changeOutput struct {
	Status int
	Body   *edit.Changed
}

// planBytes bounds a model file that is sent.
const planBytes = 256 << 20

// readDesign reads a model file that was sent whole, for who sees the whole design: for others, not so much as a look
// is taken at it.
func (a *API) readDesign(ctx context.Context, data []byte) (*model.Design, error) {
	if err := a.desk.MayExport(actor(ctx)); err != nil {
		return nil, err
	}
	design, problems, err := modelfile.Read(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	if design == nil {
		wrong := desk.Refuse(desk.Invalid, "The model file has errors.")
		for _, p := range model.Errors(problems) {
			wrong.Details = append(wrong.Details, desk.Detail{
				Where: p.Path, Code: cmp.Or(p.Code, desk.Invalid), Message: desk.Upper(p.Message) + ".",
			})
		}
		return nil, wrong
	}
	return design, nil
}

func (a *API) plans() {
	type planInput struct {
		RawBody []byte `contentType:"application/json"`
	}
	on(
		a,
		operation{
			id:      "plan",
			method:  http.MethodPost,
			path:    "/api/plan",
			summary: "What would change if the design were as a model file says, with its impact",
			most:    planBytes, modelFile: true,
		},
		func(ctx context.Context, in *planInput) (*body[*desk.Plan], error) {
			design, err := a.readDesign(ctx, in.RawBody)
			if err != nil {
				return nil, err
			}
			who := actor(ctx)
			return answer(a.desk.PlanDesign(&who, design))
		},
	)
	type applyPlanInput struct {
		Hash    string `query:"hash" required:"true" minLength:"1" maxLength:"200" doc:"Of the plan as it was looked at"`
		Reason  string `query:"reason" required:"true" minLength:"1" maxLength:"1000"`
		RawBody []byte `contentType:"application/json"`
	}
	on(
		a,
		operation{
			id:      "applyPlan",
			method:  http.MethodPost,
			path:    "/api/plan/apply",
			summary: "Make the design what a model file says, if nothing has moved since it was planned",
			most:    planBytes, modelFile: true,
		},
		func(ctx context.Context, in *applyPlanInput) (*body[*desk.Applied], error) {
			design, err := a.readDesign(ctx, in.RawBody)
			if err != nil {
				return nil, err
			}
			who := actor(ctx)
			return answer(a.desk.ApplyPlan(&who, design, in.Hash, in.Reason))
		},
	)
}

func (a *API) changes() {
	on(
		a,
		operation{
			id:      "change",
			method:  http.MethodPost,
			path:    "/api/changes",
			summary: "Change the design in one call, whole or not at all",
			most:    changeBytes,
			status:  http.StatusCreated,
		},
		func(ctx context.Context, in *ChangeInput) (*changeOutput, error) {
			c := edit.Change{
				Reason: in.Body.Reason, DryRun: in.Body.DryRun, IfRevision: in.Body.IfRevision, Key: in.Key,
			}
			wrong := desk.Refuse(desk.Invalid, "The change cannot be made.")
			for i, x := range in.Body.Acts {
				one, err := x.act(in.Body.Reason)
				if err != nil {
					wrong.Details = append(wrong.Details, desk.Detail{
						Where: fmt.Sprintf("acts[%d]", i), Code: desk.Invalid, Message: desk.Upper(err.Error()) + ".",
					})
				}
				c.Acts = append(c.Acts, one)
			}
			if len(wrong.Details) > 0 {
				wrong.Message = wrong.Details[0].Message
				return nil, wrong
			}
			if asked, err := json.Marshal(in.Body); err == nil {
				sum := sha256.Sum256(asked)
				c.Asked = hex.EncodeToString(sum[:])
			}
			done, err := a.desk.Change(actor(ctx), c)
			if err != nil {
				return nil, err
			}
			status := http.StatusOK
			if done.Applied {
				status = http.StatusCreated
			}
			return &changeOutput{status, done}, nil
		},
	)
}

package api

import (
	"cmp"
	"net/http"
	"reflect"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/core/model"
)

// about tells of the API as a whole, in its description.
const about = `Everything that the interface of Fachwerk does, for programs.

A program sends a token made with ` + "`fachwerk token --for api`" + ` as a bearer token, and acts as a named person: it may
do what that person may, and sees what they see. It has a draft of its own, and never makes critical changes.

Lists are windows: ` + "`offset` and `limit`" + ` choose one, and ` + "`match` or `total`" + ` tells how much there is. Questions take
` + "`when`" + `, the day that is looked at, and ` + "`as`" + `, through whose eyes. Whatever takes long need not be waited for
(` + "`Prefer: respond-async`" + `). Refusals are problem details (RFC 9457) with a code.`

// part is a part of the API: what its operations are about, and how their paths begin.
type part struct {
	name, about string
	paths       []string
	needs       string // what whoever asks needs
}

// What whoever asks needs, in words.
var (
	needsNothing = "Nobody need be signed in."
	needsSelf    = "For whoever is signed in: it is about themselves."
	needsSight   = "Needs `" + model.ViewDesign + "`; a delegate sees their part."
	needsWhole   = "Needs `" + model.ViewDesign + "`."
	needsDraft   = "For whoever may change something: what each act changes takes the right to edit it (`" + model.EditDesign +
		"`, `" + model.EditPeople + "`, `" + model.EditAssignments + "`, `" + model.EditDelegations + "`, `" +
		model.EditCatalogue + "`), or a delegation that covers it."
	needsRecord  = "Needs `" + model.ViewHistory + "`, or the right to see what was changed: a delegate sees their part."
	needsReviews = "For reviewers, of what is asked of them; otherwise needs `" + model.ViewReviews + "`, and `" +
		model.RunReviews + "` to open, remind and close, or a delegation that permits reviews."
	needsTokens = "Needs `" + model.ManageTokens + "`."
)

// parts are the parts of the API. The longest path that an operation's begins with decides.
var parts = []part{
	{"Signing in", "Sessions, links, passwords, passkeys.", []string{"/api/session", "/api/sign-in", "/api/welcome",
		"/api/forgotten-password"}, needsNothing},
	{"Oneself", "Who is signed in, how they sign in, what waits for them.", []string{"/api/me", "/api/today",
		"/api/calendar", "/api/pending"}, needsSelf},
	{"Requests", "What people ask for, and what becomes of it.", []string{"/api/requests", "/api/askable"}, needsSelf},
	{"Sheets", "One thing of the design, with what hangs on it.", []string{"/api/people", "/api/groups", "/api/roles",
		"/api/sets", "/api/permissions", "/api/areas", "/api/systems", "/api/licences", "/api/conflicts",
		"/api/guarantees", "/api/sheets", "/api/mentions", "/api/seats", "/api/seats-needed", "/api/rules",
		"/api/assign-look", "/api/known-people", "/api/invitations", "/api/leavers", "/api/peers"}, needsSight},
	{"Lists and the frame", "Many things, in windows and as tables.", []string{"/api/lists", "/api/frame", "/api/find"},
		needsSight},
	{"Questions", "Who can, how things differ, what fits, what is loose.", []string{"/api/who", "/api/compare", "/api/fit",
		"/api/fewer", "/api/capabilities", "/api/findings"}, needsSight},
	{"Delegation", "Who may administer which part, and what could come of it.", []string{"/api/delegations"}, needsSight},
	{"Draft", "What is to be changed, act by act, with its impact.", []string{"/api/draft"}, needsDraft},
	{"Changes", "A whole change, or a whole design, in one call.", []string{"/api/changes", "/api/plan"}, needsDraft},
	{"Import", "Files of rows and catalogues, tried and then drafted.", []string{"/api/imports", "/api/import-templates",
		"/api/upgrades"}, needsWhole},
	{"Worklists", "The same done to many people.", []string{"/api/worklists", "/api/worklist-logs"}, needsDraft},
	{"Reviews", "Who should keep what they have.", []string{"/api/reviews", "/api/review-items", "/api/review-tasks",
		"/api/series", "/api/colleagues", "/api/lists/review", "/api/sheets/review"}, needsReviews},
	{"Record", "What was changed, and who got in.", []string{"/api/revisions", "/api/lists/revision"}, needsRecord},
	{"Whole design", "Everything, as files.", []string{"/api/model.json", "/api/effective.csv", "/api/effective.jsonl",
		"/api/people-and-groups.ldif"}, needsWhole},
	{"Directories and programs", "What has a token, what directories keep, and what was used.", []string{
		"/api/directories", "/api/tokens", "/api/security-log", "/api/uses"}, needsWhole},
}

// heavy are the parts whose files are of weight: that one was taken out is always in the security log.
var heavy = []string{"Whole design", "Directories and programs", "Reviews"}

// needs is what some operations need otherwise than their part.
var needs = map[string]string{
	"prove": needsSelf, "askProof": needsSelf, "provePasskey": needsSelf, "signOut": needsSelf,
	"readCalendar": "Whoever has the address reads it: no other sign-in is needed.",
	"noteUses":     "Needs a token made for `api` whose person holds `" + model.EditDesign + "`, or one made for `decisions`.",
	"exportTokens": needsTokens, "exportAssignments": needsWhole, "exportUses": needsWhole,
	"tokens": needsTokens, "addToken": needsTokens, "endToken": needsTokens, "takeToken": needsTokens, "untie": "Needs all rights in Fachwerk, as an owner holds them.",
	"securityLog": needsTokens, "securityLogFile": needsTokens,
	"areas": needsSelf,
	"plan":  needsWhole, "applyPlan": needsDraft + " The whole design must be in sight.",
}

// partOf gives the part of the API that an operation belongs to.
func partOf(path string) (of part) {
	longest := ""
	for _, p := range parts {
		for _, begin := range p.paths {
			if len(begin) > len(longest) && below(path, begin) {
				longest, of = begin, p
			}
		}
	}
	return of
}

// refusals are why an operation may be refused, by status: the name of the response, and what it means.
var refusals = map[int]struct{ name, says string }{
	http.StatusBadRequest:          {"Malformed", "What was sent cannot be read, or is missing."},
	http.StatusUnauthorized:        {"NotSignedIn", "Nobody is signed in, or the token is not valid."},
	http.StatusForbidden:           {"NotAllowed", "Neither a right nor a delegation permits it, or a proof of who asks is needed."},
	http.StatusNotFound:            {"NotFound", "There is no such thing, or none that whoever asks may see."},
	http.StatusConflict:            {"Conflict", "Somebody else was first, or it is so already."},
	http.StatusUnprocessableEntity: {"Invalid", "What was sent makes no sense; each fault is told with its place."},
}

// describe adds to an operation what a program needs to know beside its parameters: what it is about, who may ask it,
// and how it may be refused.
func describe(op *huma.Operation) {
	public := op.Security != nil
	of := partOf(op.Path)
	op.Tags = []string{of.name}
	need := cmp.Or(needs[op.OperationID], of.needs)
	if public && needs[op.OperationID] == "" {
		need = needsNothing
	}
	op.Description = op.Summary + ".\n\n" + need
	statuses := []int{http.StatusUnauthorized, http.StatusForbidden, http.StatusNotFound, http.StatusUnprocessableEntity}
	if op.Method != http.MethodGet {
		statuses = append(statuses, http.StatusBadRequest, http.StatusConflict)
	}
	if op.Responses == nil {
		op.Responses = map[string]*huma.Response{}
	}
	for _, status := range statuses {
		op.Responses[strconv.Itoa(status)] = &huma.Response{Ref: "#/components/responses/" + refusals[status].name}
	}
	op.Responses["default"] = &huma.Response{Ref: "#/components/responses/Otherwise"}
}

// refused gives the responses that operations refer to.
func refused(schemas huma.Registry) map[string]*huma.Response {
	problem := schemas.Schema(reflect.TypeFor[Problem](), true, "Problem")
	says := func(text string) *huma.Response {
		return &huma.Response{
			Description: text, Content: map[string]*huma.MediaType{"application/problem+json": {Schema: problem}},
		}
	}
	out := map[string]*huma.Response{
		"Otherwise": says("Another refusal, or a failure inside; `code` tells which, and docs/refusals.md lists the codes."),
	}
	for _, r := range refusals {
		out[r.name] = says(r.says)
	}
	return out
}

// written is what is answered that is not JSON of a schema: by the end of the path, or by the form that the path names.
var written = map[string]struct {
	form    string
	schema  *huma.Schema
	example any
}{
	"csv": {"text/csv", aText, "\uFEFFid,name,state\r\ngate-clerk,Gate clerk,active\r\n"},
	"xlsx": {
		"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", raw, nil,
	},
	"jsonl": {"application/jsonl", aText, "{\"id\":\"gate-clerk\",\"name\":\"Gate clerk\"}\n"},
	"ldif":  {"text/plain", aText, "dn: uid=noor.tamsin,ou=people\nobjectClass: inetOrgPerson\nuid: noor.tamsin\n"},
	"zip":   {"application/zip", raw, nil},
	"html":  {"text/html", aText, "<!doctype html>"},
	"json":  {"application/json", &huma.Schema{Type: huma.TypeObject, AdditionalProperties: true}, nil},
	"events": {"text/event-stream", &huma.Schema{
		Type: huma.TypeString,
		Description: "Server-sent events: of each revision its number as `id`, `revision` as `event`, and as `data` what a " +
			"`Revision` is; comments in between keep the connection open",
	}, "id: 62\nevent: revision\ndata: {\"number\":62}\n\n"},
}

var (
	aText = &huma.Schema{Type: huma.TypeString}
	raw   = &huma.Schema{Type: huma.TypeString, Format: "binary"}
)

// write tells of an operation whose answer has no schema in which forms it is written.
func write(op *huma.Operation) {
	r := op.Responses["200"]
	if r == nil || len(r.Content) > 0 {
		return
	}
	var forms []string
	for _, p := range op.Parameters {
		if p.Name == "form" && p.In == "path" {
			for _, form := range p.Schema.Enum {
				forms = append(forms, form.(string))
			}
		}
	}
	if len(forms) == 0 {
		forms = []string{op.Path[strings.LastIndexAny(op.Path, "./")+1:]}
	}
	for _, form := range forms {
		if w, ok := written[form]; ok {
			if r.Content == nil {
				r.Content = map[string]*huma.MediaType{}
			}
			r.Content[w.form] = &huma.MediaType{Schema: w.schema, Example: w.example}
		}
	}
}

// word gives each parameter and field that says nothing of itself its word.
func word(doc *huma.OpenAPI) {
	for _, s := range doc.Components.Schemas.Map() {
		for name, p := range s.Properties {
			if p.Description == "" {
				p.Description = words[name]
			}
		}
	}
	for _, path := range doc.Paths {
		for _, op := range []*huma.Operation{path.Get, path.Put, path.Post, path.Patch, path.Delete} {
			if op == nil {
				continue
			}
			write(op)
			if op.RequestBody != nil {
				if c := op.RequestBody.Content["application/json"]; c != nil && c.Schema.Format == "binary" {
					// What is read raw, since it may be large, is an object all the same.
					c.Schema = &huma.Schema{Type: huma.TypeObject, AdditionalProperties: true}
				}
			}
			for _, p := range op.Parameters {
				if p.Description == "" {
					p.Description = words[p.Name]
				}
			}
		}
	}
}

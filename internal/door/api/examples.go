package api

import (
	"encoding/json"
	"maps"
	"slices"

	"github.com/danielgtaylor/huma/v2"
)

// tasks are examples of what is sent, by operation, where it takes more than one field to make sense: together they do
// the task that most programs are written for.
var tasks = map[string]string{
	"change": `{"reason": "the night watch", "dryRun": true, "acts": [
		{"put": {"kind": "role", "object": {"name": "Night watch", "permissions": ["quaybook:gate:view"]}}},
		{"assign": {"subjects": ["noor.tamsin"], "grants": ["role:night-watch"], "area": "terminal-2"}}]}`,
	"plan":      `{"format": "fachwerk-model/1", "name": "Skerryhaven Harbour Authority", "roles": []}`,
	"applyPlan": `{"format": "fachwerk-model/1", "name": "Skerryhaven Harbour Authority", "roles": []}`,
	"putRole":   `{"after": {"id": "", "name": "Night watch", "permissions": ["quaybook:gate:view"]}}`,
	"putSet":    `{"after": {"id": "", "name": "See gates", "permissions": ["quaybook:gate:view"]}}`,
	"putGroup":  `{"after": {"id": "", "name": "Night watch", "users": ["noor.tamsin"]}}`,
	"putArea":   `{"after": {"id": "", "name": "Pilot station", "kind": "site", "parent": "skerryhaven"}}`,
	"putPerson": `{"after": {"id": "", "userName": "ada.lindqvist", "displayName": "Ada Lindqvist",
		"email": "ada.lindqvist@skerryhaven.example", "state": "invited"}}`,
	"putAssignment": `{"after": {"id": "", "subject": {"user": "noor.tamsin"}, "role": "gate-clerk",
		"area": "terminal-1"}}`,
	"putConflict": `{"after": {"id": "", "name": "Plan and approve shifts",
		"items": [{"permission": "crewtide:shift:plan"}, {"permission": "crewtide:shift:approve"}]}}`,
	"putGuarantee": `{"after": {"id": "", "name": "Nobody waives", "reason": "the insurer asks for it",
		"kind": "nobody", "permissions": ["quaybook:gate:override"], "area": "terminal-2"}}`,
	"putLicence": `{"after": {"id": "", "name": "Crewtide seat", "seats": 40}}`,
	"putSystem": `{"after": {"id": "pilotage", "name": "Pilotage", "version": "1.0",
		"permissions": [{"key": "pilotage:order:view"}]}}`,
	"putDelegation": `{"after": {"id": "", "name": "Terminal 2 gates", "delegate": {"user": "ruben.adeyemi"},
		"people": {"area": "terminal-2"}, "actions": ["assign", "revoke"], "roles": ["gate-clerk"],
		"area": "terminal-2", "maxDays": 90}}`,
	"tryDelegation": `{"id": "", "name": "Terminal 2 gates", "delegate": {"user": "ruben.adeyemi"},
		"people": {"area": "terminal-2"}, "actions": ["assign", "revoke"], "roles": ["gate-clerk"]}`,
	"tryCeiling": `{"id": "", "name": "Terminal 2 gates", "delegate": {"user": "ruben.adeyemi"},
		"people": {"area": "terminal-2"}, "actions": ["assign", "revoke"], "roles": ["gate-clerk"]}`,
	"tryGuarantee": `{"id": "", "name": "Nobody waives", "reason": "the insurer asks for it", "kind": "nobody",
		"permissions": ["quaybook:gate:override"], "area": "terminal-2"}`,
	"tryRule": `{"rule": "title eq \"Crane driver\" and department eq \"Yard\""}`,
	"assign": `{"subjects": [{"kind": "user", "id": "noor.tamsin"}],
		"targets": [{"kind": "role", "id": "gate-clerk"}],
		"terms": {"area": "terminal-1", "until": "2027-03-31T00:00:00Z"}}`,
	"lookAssign": `{"subjects": [{"kind": "user", "id": "noor.tamsin"}],
		"targets": [{"kind": "role", "id": "gate-clerk"}], "terms": {"area": "terminal-1"}}`,
	"join": `{"from": {"kind": "user", "id": "noor.tamsin"}, "to": {"kind": "group", "id": "ramp-gate-crew"}}`,
	"cut": `{"from": {"kind": "user", "id": "tomasz.oyelaran"},
		"to": {"kind": "group", "id": "north-gate-crew"}}`,
	"delete":        `{"kind": "role", "id": "night-cover"}`,
	"apply":         `{"reason": "the night watch", "stamp": "61-5f1d3a"}`,
	"fit":           `{"need": ["quaybook:gate:admit"], "roles": true, "sets": false}`,
	"openReview":    `{"name": "Gates at Terminal 1", "system": "quaybook", "area": "terminal-1", "by": "manager"}`,
	"previewReview": `{"name": "Gates at Terminal 1", "system": "quaybook", "area": "terminal-1", "by": "manager"}`,
	"addToken":      `{"name": "Harbour directory", "purpose": "scim"}`,
	"signIn":        `{"userName": "signe.halloran", "password": "tidewater-lantern"}`,
}

// texts are what fields and parameters are like, by name, where they are not one of a few; others are like “text”.
var texts = map[string]string{
	"action":          "admit",
	"address":         "noor.tamsin@skerryhaven.example",
	"area":            "terminal-1",
	"as":              "noor.tamsin",
	"assignment":      "a-17",
	"by":              "signe.halloran",
	"code":            "123456",
	"columns":         "name",
	"day":             "2026-11-23",
	"delegated":       "terminal-1-people",
	"delimiter":       ";",
	"department":      "Terminal operations",
	"description":     "Lets vehicles in",
	"displayName":     "Noor Tamsin",
	"email":           "noor.tamsin@skerryhaven.example",
	"externalId":      "e-1043",
	"field":           "title",
	"filter":          `title eq "Gate clerk"`,
	"focus":           "role:gate-clerk",
	"group":           "ramp-gate-crew",
	"groups":          "ramp-gate-crew",
	"hash":            "08f3baae1b8e0c40a20325dd",
	"home":            "terminal-1",
	"id":              "gate-clerk",
	"Idempotency-Key": "night-watch-1",
	"ids":             "noor.tamsin",
	"include":         "noor.tamsin",
	"key":             "quaybook:gate:admit",
	"keys":            "quaybook:gate:admit",
	"label":           "Admit vehicles",
	"licence":         "quaybook-standard",
	"licences":        "quaybook-standard",
	"like":            "tomasz.oyelaran",
	"link":            "7QWMEZQ5C2HRYAQ3W6FLTVN4OE",
	"manager":         "ruben.adeyemi",
	"module":          "Gates",
	"name":            "Gate clerk",
	"need":            "quaybook:gate:admit",
	"now":             "2026-11-23",
	"object":          "gate",
	"organisation":    "Skerryhaven Harbour Authority",
	"owner":           "lucia.fenwick",
	"password":        "a long sentence of one’s own",
	"people":          "noor.tamsin",
	"permission":      "quaybook:gate:admit",
	"permissions":     "quaybook:gate:admit",
	"person":          "noor.tamsin",
	"Prefer":          "respond-async, wait=5",
	"present":         "the one of before",
	"q":               "gate",
	"query":           "gate",
	"reason":          "for the winter",
	"role":            "gate-clerk",
	"roles":           "gate-clerk",
	"rule":            `title eq "Gate clerk"`,
	"second":          "user:noor.tamsin",
	"set":             "gate-override",
	"sets":            "gate-override",
	"some":            "noor.tamsin",
	"sort":            "name",
	"stamp":           "61-5f1d3a",
	"subject":         "user:noor.tamsin",
	"system":          "quaybook",
	"systems":         "quaybook",
	"thing":           "role:gate-clerk",
	"title":           "Gate clerk",
	"to":              "terminal-1",
	"user":            "noor.tamsin",
	"userName":        "noor.tamsin",
	"users":           "noor.tamsin",
	"version":         "4.2",
	"weeks":           "2026-11-22",
	"what":            "quaybook:gate:admit",
	"when":            "2026-11-01",
	"where":           "terminal-1",
	"who":             "noor.tamsin",
	"words":           "gate",
	"zone":            "Europe/Oslo",
}

// exampleDeep is how deep an example goes: what lies deeper is there only if it must be.
const exampleDeep = 4

// exemplify gives every operation examples: of what is sent to it and of what it answers, and of its parameters.
func exemplify(doc *huma.OpenAPI) {
	e := exampler{schemas: doc.Components.Schemas}
	sent := exampler{schemas: doc.Components.Schemas, sent: true}
	for _, path := range doc.Paths {
		for _, op := range []*huma.Operation{path.Get, path.Put, path.Post, path.Patch, path.Delete} {
			if op == nil {
				continue
			}
			for _, p := range op.Parameters {
				if p.Schema != nil && p.Example == nil {
					p.Example = e.of(p.Schema, p.Name, 0)
				}
			}
			if op.RequestBody != nil {
				for form, c := range op.RequestBody.Content {
					switch task := tasks[op.OperationID]; {
					case form != "application/json":
						continue
					case task != "":
						c.Example = json.RawMessage(task)
					default:
						c.Example = sent.of(c.Schema, "", 0)
					}
				}
			}
			for status, r := range op.Responses {
				if c := r.Content["application/json"]; c != nil && status[0] == '2' {
					c.Example = e.of(c.Schema, "", 0)
				}
			}
		}
	}
}

// exampler makes examples of schemas.
type exampler struct {
	schemas huma.Registry
	sent    bool // what is only ever answered is left out
}

// of gives an example of a schema; of what a field is like its name tells.
func (e exampler) of(s *huma.Schema, name string, deep int) any {
	for s.Ref != "" {
		s = e.schemas.SchemaFromRef(s.Ref)
	}
	switch {
	case len(s.Examples) > 0:
		return s.Examples[0]
	case len(s.Enum) > 0:
		return s.Enum[0]
	case len(s.OneOf) > 0:
		return e.of(s.OneOf[0], name, deep)
	}
	switch s.Type {
	case huma.TypeBoolean:
		return true
	case huma.TypeInteger, huma.TypeNumber:
		n := 1
		if s.Minimum != nil {
			n = max(n, int(*s.Minimum))
		}
		if s.Maximum != nil {
			n = min(n, int(*s.Maximum))
		}
		return n
	case huma.TypeString:
		return text(s, name)
	case huma.TypeArray:
		least := 0
		if s.MinItems != nil {
			least = *s.MinItems
		}
		if deep >= exampleDeep && least == 0 {
			return []any{}
		}
		list := []any{e.of(s.Items, name, deep+1)}
		for len(list) < least {
			list = append(list, list[0])
		}
		return list
	case huma.TypeObject:
		object := map[string]any{}
		for _, field := range slices.Sorted(maps.Keys(s.Properties)) {
			p := s.Properties[field]
			if must := slices.Contains(s.Required, field); !(e.sent && p.ReadOnly) && (must || deep < exampleDeep-1) {
				object[field] = e.of(p, field, deep+1)
			}
		}
		if more, ok := s.AdditionalProperties.(*huma.Schema); ok {
			object["noor.tamsin"] = e.of(more, name, deep+1)
		}
		return object
	}
	return map[string]any{} // anything
}

// text gives an example of a text.
func text(s *huma.Schema, name string) any {
	switch s.Format {
	case "date-time":
		return "2026-11-23T08:00:00Z"
	case "date":
		return "2026-11-23"
	case "uri":
		return "https://access.skerryhaven.example/api"
	}
	if s.ContentEncoding == "base64" {
		return "a2V5O2xhYmVsCg=="
	}
	if like := texts[name]; like != "" && (s.MaxLength == nil || len(like) <= *s.MaxLength) {
		return like
	}
	return "text"
}

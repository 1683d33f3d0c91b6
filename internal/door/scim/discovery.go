package scim

import (
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"fachwerk/internal/exchange/scim"
)

// The bounds that the server tells (RFC 7643 §5).
const (
	maxBulk    = 1000
	maxResults = 1000
)

// discovery is what the server tells of itself (RFC 7644 §4).
func (s *server) discovery(r chi.Router) {
	meta := func(r *http.Request, kind, path string) map[string]string {
		return map[string]string{"resourceType": kind, "location": s.base() + path}
	}
	r.Get("/ServiceProviderConfig", func(w http.ResponseWriter, r *http.Request) {
		can := func(yes bool) map[string]any { return map[string]any{"supported": yes} }
		reply(w, http.StatusOK, map[string]any{
			"schemas":        []string{"urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig"},
			"patch":          can(true),
			"bulk":           map[string]any{"supported": true, "maxOperations": maxBulk, "maxPayloadSize": s.maxBody},
			"filter":         map[string]any{"supported": true, "maxResults": maxResults},
			"changePassword": can(false),
			"sort":           can(true),
			"etag":           can(true),
			"authenticationSchemes": []any{
				map[string]any{"type": "oauthbearertoken", "name": "Bearer token", "primary": true,
					"description": "A token that an operator made with: fachwerk token --for scim",
					"specUri":     "https://www.rfc-editor.org/info/rfc6750"},
			},
			"meta": meta(r, "ServiceProviderConfig", "/ServiceProviderConfig"),
		})
	})
	shown := func(r *http.Request, k kind) map[string]any {
		m := map[string]any{
			"schemas":  []string{"urn:ietf:params:scim:schemas:core:2.0:ResourceType"},
			"id":       k.Name,
			"name":     k.Name,
			"endpoint": k.Endpoint,
			"schema":   k.Schema(),
			"meta":     meta(r, "ResourceType", "/ResourceTypes/"+k.Name),
		}
		if x := k.Extension(); x != "" {
			m["schemaExtensions"] = []any{map[string]any{"schema": x, "required": false}}
		}
		return m
	}
	each(r, "/ResourceTypes", kinds, func(k kind) string { return k.Name }, shown)
	type described struct {
		scim.Schema
		Schemas []string          `json:"schemas"`
		Meta    map[string]string `json:"meta"`
	}
	each(
		r,
		"/Schemas",
		scim.Schemas(),
		func(s scim.Schema) string { return s.ID },
		func(r *http.Request, s scim.Schema) described {
			return described{
				s,
				[]string{"urn:ietf:params:scim:schemas:core:2.0:Schema"},
				meta(r, "Schema", "/Schemas/"+s.ID),
			}
		},
	)
}

// each answers with all things of a kind, and with each alone. They cannot be filtered (RFC 7644 §4).
func each[T, V any](r chi.Router, path string, all []T, id func(T) string, show func(*http.Request, T) V) {
	r.Get(path, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Query().Has("filter") {
			fail(w, r, &scim.Error{Status: http.StatusForbidden, Detail: "This list cannot be filtered."})
			return
		}
		var list []any
		for _, t := range all {
			list = append(list, show(r, t))
		}
		reply(w, http.StatusOK, listed(list, len(list), 1))
	})
	r.Get(path+"/{id}", func(w http.ResponseWriter, r *http.Request) {
		for _, t := range all {
			if strings.EqualFold(id(t), chi.URLParam(r, "id")) {
				reply(w, http.StatusOK, show(r, t))
				return
			}
		}
		fail(w, r, &scim.Error{Status: http.StatusNotFound, Detail: "There is no " + r.URL.Path + "."})
	})
}

// listed is the answer to a query (RFC 7644 §3.4.2).
func listed[T any](page []T, total, start int) map[string]any {
	if page == nil {
		page = []T{}
	}
	return map[string]any{
		"schemas":      []string{scim.ListSchema},
		"totalResults": total,
		"startIndex":   start,
		"itemsPerPage": len(page),
		"Resources":    page,
	}
}

// base is where the server is reached.
func (s *server) base() string { return s.outside.URL + Root }

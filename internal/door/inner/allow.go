package inner

import (
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"
)

// Allowed gives the methods that are understood at the address of a request, of those that are not its own (RFC 9110
// §10.2.1); HEAD wherever GET is.
func Allowed(r *http.Request) (methods []string) {
	routes := chi.RouteContext(r.Context()).Routes
	for _, m := range []string{
		http.MethodGet, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete,
	} {
		if routes.Match(chi.NewRouteContext(), m, r.URL.EscapedPath()) {
			methods = append(methods, m)
		}
	}
	if slices.Contains(methods, http.MethodGet) {
		methods = slices.Insert(methods, 1, http.MethodHead)
	}
	return methods
}

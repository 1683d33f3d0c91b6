package inner

import (
	"net/http"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"
)

// finds tells whether a method has a route of its own at the address of a request; one that takes whatever lies below
// an address is none.
func finds(r *http.Request, method string, but ...string) bool {
	found := chi.NewRouteContext()
	routes := chi.RouteContext(r.Context()).Routes
	return routes.Match(found, method, r.URL.EscapedPath()) && !strings.HasSuffix(found.RoutePattern(), "/*") &&
		!slices.Contains(but, found.RoutePattern())
}

// Allowed gives the methods that are understood at the address of a request (RFC 9110 §10.2.1), HEAD wherever GET is;
// some addresses are there for no method.
func Allowed(r *http.Request, none ...string) (methods []string) {
	for _, m := range []string{
		http.MethodGet, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete,
	} {
		if finds(r, m, none...) {
			methods = append(methods, m)
		}
	}
	if slices.Contains(methods, http.MethodGet) {
		methods = slices.Insert(methods, 1, http.MethodHead)
	}
	return methods
}

// Head has HEAD answered as GET is, without the body, which the server leaves out (RFC 9110 §9.3.2). What streams
// without an end is left to itself.
func Head(but ...string) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.Method == http.MethodHead && !slices.Contains(but, r.URL.Path) && finds(r, http.MethodGet) {
				chi.RouteContext(r.Context()).RouteMethod = http.MethodGet
			}
			next.ServeHTTP(w, r)
		})
	}
}

package inner

import (
	"context"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
)

// Outside is how the server is seen from outside. Nothing that it says of its own addresses comes from a request.
type Outside struct {
	URL     string         // where it is reached, without a slash at the end
	Proxies []netip.Prefix // those whose word on who asks is taken
}

// TLS tells whether the outside is reached by TLS.
func (o Outside) TLS() bool { return strings.HasPrefix(o.URL, "https://") }

// Path is the path under which the server is reached, without a slash at the end; empty if it is the host's root.
func (o Outside) Path() string {
	u, err := url.Parse(o.URL)
	if err != nil {
		return ""
	}
	return strings.TrimRight(u.Path, "/")
}

type addressKey struct{}

// Address gives the address that a request comes from.
func Address(ctx context.Context) string {
	from, _ := ctx.Value(addressKey{}).(string)
	return from
}

// Addressed finds out where a request comes from: the last address in X-Forwarded-For that is not one of the proxies
// that are trusted, if it comes from one of these; or else the one that it comes from.
func (o Outside) Addressed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), addressKey{}, o.address(r))))
	})
}

func (o Outside) address(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	if !o.trusts(host) {
		return host
	}
	list := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(list) - 1; i >= 0; i-- {
		at, err := netip.ParseAddr(strings.TrimSpace(list[i]))
		if err != nil {
			break
		}
		if host = at.Unmap().String(); !o.trusts(host) {
			break
		}
	}
	return host
}

func (o Outside) trusts(host string) bool {
	at, err := netip.ParseAddr(host)
	if err != nil {
		return false
	}
	for _, p := range o.Proxies {
		if p.Contains(at.Unmap()) {
			return true
		}
	}
	return false
}

// Headed puts on every answer what keeps browsers from being turned against who uses them.
func (o Outside) Headed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
		h.Set("Cache-Control", "no-store")
		if o.TLS() {
			h.Set("Strict-Transport-Security", "max-age=63072000; includeSubDomains")
		}
		next.ServeHTTP(w, r)
	})
}

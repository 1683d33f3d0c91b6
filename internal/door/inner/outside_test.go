package inner

import (
	"net/http"
	"net/http/httptest"
	"net/netip"
	"testing"
)

// Whoever asks is known by the address that they come from; only proxies that are trusted are believed otherwise.
func TestWhereARequestComesFrom(t *testing.T) {
	o := Outside{Proxies: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("::1/128")}}
	for _, c := range []struct{ from, forwarded, want string }{
		{"192.0.2.7:4711", "", "192.0.2.7"},
		{"192.0.2.7:4711", "203.0.113.9", "192.0.2.7"}, // anybody can say that
		{"10.1.2.3:80", "203.0.113.9", "203.0.113.9"},
		{"10.1.2.3:80", "198.51.100.1, 203.0.113.9", "203.0.113.9"}, // what stands before it, the client has written
		{"10.1.2.3:80", "203.0.113.9, 10.9.9.9", "203.0.113.9"},
		{"10.1.2.3:80", "no address", "10.1.2.3"},
		{"10.1.2.3:80", "", "10.1.2.3"},
		{"[::1]:80", "2001:db8::5", "2001:db8::5"},
		{"[::ffff:10.1.2.3]:80", "203.0.113.9", "203.0.113.9"},
	} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr = c.from
		if c.forwarded != "" {
			r.Header.Set("X-Forwarded-For", c.forwarded)
		}
		got := ""
		o.Addressed(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { got = Address(r.Context()) })).
			ServeHTTP(httptest.NewRecorder(), r)
		if got != c.want {
			t.Errorf("from %s, forwarded %q: %s, want %s", c.from, c.forwarded, got, c.want)
		}
	}
}

// Every answer keeps browsers from being turned against who uses them; the one about TLS only where there is TLS.
func TestHeadersOnEveryAnswer(t *testing.T) {
	for url, tls := range map[string]bool{"https://fachwerk.example": true, "http://127.0.0.1:8080": false} {
		w := httptest.NewRecorder()
		Outside{URL: url}.Headed(http.NotFoundHandler()).ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/", nil))
		for name, want := range map[string]string{
			"X-Content-Type-Options": "nosniff", "Cache-Control": "no-store", "Referrer-Policy": "same-origin",
			"Content-Security-Policy": "default-src 'none'; frame-ancestors 'none'",
		} {
			if got := w.Header().Get(name); got != want {
				t.Errorf("%s: %s is %q", url, name, got)
			}
		}
		if got := w.Header().Get("Strict-Transport-Security") != ""; got != tls {
			t.Errorf("%s: that TLS is kept to is told: %v", url, got)
		}
	}
}

package inner

import (
	"fmt"
	"io"
	"net/http"
	"strings"
)

// Deepest is how deep the objects and arrays of a JSON document may be nested, at every door. Nothing here needs a
// third of it; a document that goes deeper is made to exhaust whoever reads it.
const Deepest = 32

// TooDeep is why a JSON document is not read.
type TooDeep struct{}

func (*TooDeep) Error() string {
	return fmt.Sprintf("its objects and arrays are nested more than %d deep", Deepest)
}

// Depth follows how deep a JSON document goes, as its bytes come. Whether it is one at all is for others to find out.
type Depth struct {
	depth           int
	within, escaped bool // a text; a character of it
}

// Follow takes the next bytes, and tells whether they stay within [Deepest].
func (d *Depth) Follow(data []byte) bool {
	for _, c := range data {
		switch {
		case d.escaped:
			d.escaped = false
		case d.within:
			d.escaped, d.within = c == '\\', c != '"'
		case c == '"':
			d.within = true
		case c == '{' || c == '[':
			if d.depth++; d.depth > Deepest {
				return false
			}
		case c == '}' || c == ']':
			d.depth--
		}
	}
	return true
}

// Shallow has the reading of every body of JSON fail with [TooDeep] where it goes too deep.
func Shallow(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if kind := r.Header.Get("Content-Type"); r.Body != nil && (kind == "" || strings.Contains(kind, "json")) {
			r.Body = &shallow{ReadCloser: r.Body}
		}
		next.ServeHTTP(w, r)
	})
}

type shallow struct {
	io.ReadCloser
	Depth
}

func (s *shallow) Read(p []byte) (int, error) {
	n, err := s.ReadCloser.Read(p)
	if !s.Follow(p[:n]) {
		return 0, &TooDeep{}
	}
	return n, err
}

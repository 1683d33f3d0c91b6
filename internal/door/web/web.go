// Package web serves the embedded front end. Every path that is no file of it gets the application's page, which
// reads the path itself: a pasted link works.
package web

import (
	"html"
	"io/fs"
	"net/http"
	"path"
	"strings"
)

// policy lets pages load only what the binary itself holds.
const policy = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; " +
	"frame-ancestors 'none'; base-uri 'none'; form-action 'self'"

// Handler serves the files of a built front end, under a path of the host without a slash at the end, or empty. The
// page names its files from there, and is told that path.
func Handler(files fs.FS, under string) http.Handler {
	at := html.EscapeString(under)
	placed := strings.NewReplacer(`="./`, `="`+at+`/`, "<head>", `<head><meta name="fachwerk-path" content="`+at+`" />`)
	server := http.FileServerFS(files)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			w.Header().Set("Allow", "GET, HEAD")
			http.Error(w, "method not allowed", http.StatusMethodNotAllowed)
			return
		}
		h := w.Header()
		h.Set("Content-Security-Policy", policy)
		name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
		if info, err := fs.Stat(files, name); err == nil && !info.IsDir() {
			h.Set("Cache-Control", "no-cache")
			if strings.HasPrefix(name, "assets/") { // their names change with their contents
				h.Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			server.ServeHTTP(w, r)
			return
		}
		// No page has a name like /robots.txt; an id further down can have dots.
		if strings.HasPrefix(name, "assets/") || strings.Contains(name, ".") && !strings.Contains(name, "/") {
			http.NotFound(w, r)
			return
		}
		page, err := fs.ReadFile(files, "index.html")
		if err != nil {
			http.Error(w, "This binary was built without its front end: run make build.", http.StatusNotFound)
			return
		}
		h.Set("Content-Type", "text/html; charset=utf-8")
		h.Set("Cache-Control", "no-cache")
		_, _ = placed.WriteString(w, string(page))
	})
}

package copies

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"fachwerk/internal/core/code"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/inner"
)

// patience is how long a request waits at most for the revision that it asks for.
const patience = 2 * time.Second

// Revisioned tells with every answer of which revision it is, at least, and lets a request wait for one: whoever has
// just applied a change asks for its revision, and sees it wherever they ask.
func Revisioned(d *rooms.Desk) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if text := r.Header.Get(AtLeastHeader); text != "" {
				n, err := strconv.Atoi(text)
				if err != nil || n < 0 {
					refuse(w, r, http.StatusBadRequest, code.Invalid, AtLeastHeader+": expected the number of a revision.")
					return
				}
				if !reached(d, r, n) {
					w.Header().Set("Retry-After", "1")
					refuse(w, r, http.StatusServiceUnavailable, code.Behind, fmt.Sprintf(
						"Revision %d is not here yet; this is revision %d. Ask again, or ask the first.", n, d.Revision()))
					return
				}
			}
			w.Header().Set(RevisionHeader, strconv.Itoa(d.Revision()))
			next.ServeHTTP(w, r)
		})
	}
}

// reached waits until a revision is there.
func reached(d *rooms.Desk, r *http.Request, n int) bool {
	late := time.NewTimer(patience)
	defer late.Stop()
	for {
		moved := d.Moved.Wait()
		if d.Revision() >= n {
			return true
		}
		select {
		case <-moved:
		case <-late.C:
			return false
		case <-r.Context().Done():
			return false
		}
	}
}

// reading are the requests by which nothing is changed though they are no GET.
var reading = []string{"/access/v1/", "/api/rules/try", "/api/fit", "/api/fewer", "/api/delegations/try",
	"/api/guarantees/try", "/api/pending/"}

// elsewhere are the addresses below which answers rest on more than the design, which only the first has.
var elsewhere = []string{
	"/scim/", "/copies/", "/api/revisions", "/api/reviews", "/api/review-", "/api/draft", "/api/imports", "/api/session",
	"/api/series", "/api/security-log", "/api/tokens", "/api/directories", "/api/lists/revision", "/api/lists/review",
	"/api/welcome",
	"/api/me/", "/api/find", "/api/calendar/", "/api/today",
}

// Guard lets through what a copy can answer: decisions and searches, and what follows from the design. All else is for
// the first, whose address is told.
func (c *Copy) Guard(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		within := func(list []string) bool {
			for _, p := range list {
				if strings.HasPrefix(r.URL.Path, p) {
					return true
				}
			}
			return false
		}
		asks := r.Method == http.MethodGet || r.Method == http.MethodHead || r.Method == http.MethodPost && within(reading)
		if !asks || within(elsewhere) {
			refuse(
				w,
				r,
				http.StatusMisdirectedRequest,
				code.Copy,
				"This is a copy, which only answers from the design: ask the first, at "+
					c.First+".",
			)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// State says of which revision the copy is, and how long the first has not been heard.
func (c *Copy) State() string {
	heard := "the first was never heard"
	if ago := c.Heard(); ago >= 0 {
		heard = "the first was heard " + ago.Round(100*time.Millisecond).String() + " ago"
	}
	return fmt.Sprintf("a copy of revision %d; %s", c.Desk.Revision(), heard)
}

func refuse(w http.ResponseWriter, r *http.Request, status int, why code.Code, detail string) {
	inner.OutcomeOf(r.Context()).Code = why
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_, _ = fmt.Fprintf(
		w,
		`{"title":%q,"status":%d,"code":%q,"detail":%q}`+"\n",
		http.StatusText(status),
		status,
		why,
		detail,
	)
}

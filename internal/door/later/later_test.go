package later_test

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"

	"fachwerk/internal/core/code"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/later"
)

// house is a router whose work is held up until it is let go on, or stopped.
type house struct {
	t       *testing.T
	http    *httptest.Server
	answers *later.Answers
	goOn    chan struct{}
	stopped atomic.Int32
}

func open(t *testing.T) *house {
	h := &house{t: t, answers: later.New("/pending/"), goOn: make(chan struct{})}
	r := chi.NewRouter()
	r.Use(inner.Numbered)
	r.Group(func(r chi.Router) {
		r.Use(h.answers.Offer(func(_, pattern string) bool { return pattern != "/at-once" }))
		work := func(w http.ResponseWriter, r *http.Request) {
			later.Claim(r.Context(), r.Header.Get("Owner"))
			select {
			case <-h.goOn:
			case <-r.Context().Done():
				h.stopped.Add(1)
			}
			body, err := io.ReadAll(r.Body)
			if err != nil {
				t.Error(err)
			}
			if string(body) == "panic" {
				panic("as it is told")
			}
			inner.OutcomeOf(r.Context()).Code = code.Conflict
			w.Header().Set("Colour", "oak")
			w.WriteHeader(http.StatusConflict)
			_, _ = io.WriteString(w, chi.URLParam(r, "thing")+": "+string(body))
		}
		r.Post("/work/{thing}", work)
		r.Post("/at-once", work)
		r.Post("/nobodys", func(w http.ResponseWriter, r *http.Request) { <-h.goOn })
	})
	r.Get("/quick/{other}", func(w http.ResponseWriter, r *http.Request) {})
	h.http = httptest.NewServer(r)
	t.Cleanup(func() {
		h.http.CloseClientConnections()
		h.http.Close()
	})
	return h
}

func (h *house) ask(ctx context.Context, path, owner, prefer, body string) (*http.Response, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, h.http.URL+path, strings.NewReader(body))
	if err != nil {
		h.t.Fatal(err)
	}
	r.Header.Set("Owner", owner)
	r.Header.Set("Prefer", prefer)
	return http.DefaultClient.Do(r)
}

// told asks for what goes on behind, and gives its id.
func (h *house) told(path, owner, body string) string {
	h.t.Helper()
	w, err := h.ask(context.Background(), path, owner, "respond-async, wait=0", body)
	if err != nil {
		h.t.Fatal(err)
	}
	defer w.Body.Close()
	var p later.Pending
	if err := json.NewDecoder(w.Body).Decode(&p); err != nil {
		h.t.Fatal(err)
	}
	if w.StatusCode != http.StatusAccepted || w.Header.Get("Location") != "/pending/"+p.ID ||
		w.Header.Get("Preference-Applied") != "respond-async" || p.ID == "" || p.Began.IsZero() {
		h.t.Fatalf("told %d %v %+v", w.StatusCode, w.Header, p)
	}
	return p.ID
}

// TestAnAnswerIsFetchedLater also sends other requests in between, which use again what the router gave the first.
func TestAnAnswerIsFetchedLater(t *testing.T) {
	h := open(t)
	id := h.told("/work/beam", "anna", "long")
	for range 50 {
		if _, err := http.Get(h.http.URL + "/quick/elsewhere"); err != nil {
			t.Fatal(err)
		}
	}
	one, ok := h.answers.Find("anna", id)
	if _, others := h.answers.Find("berta", id); !ok || others || one.Ready() {
		t.Fatalf("found by its owner %v, by others %v", ok, others)
	}
	close(h.goOn)
	one.Wait(t.Context(), time.Minute)
	for range 2 { // it can be read again
		w := httptest.NewRecorder()
		one.Write(w)
		if w.Code != http.StatusConflict || w.Body.String() != "beam: long" || w.Header().Get("Colour") != "oak" {
			t.Errorf("answered %d %q %v", w.Code, w.Body, w.Header())
		}
	}
}

func TestAnAnswerInTimeIsGivenAtOnce(t *testing.T) {
	h := open(t)
	close(h.goOn)
	for _, prefer := range []string{"respond-async, wait=30", "wait=0", ""} {
		w, err := h.ask(t.Context(), "/work/beam", "anna", prefer, "short")
		if err != nil {
			t.Fatal(err)
		}
		text, _ := io.ReadAll(w.Body)
		if w.StatusCode != http.StatusConflict || string(text) != "beam: short" {
			t.Errorf("%q: answered %d %q", prefer, w.StatusCode, text)
		}
	}
}

// TestWhatIsWaitedFor holds what never goes on behind: what may not, what is nobody's, and more than a few of one
// owner.
func TestWhatIsWaitedFor(t *testing.T) {
	h := open(t)
	for range 4 {
		h.told("/work/beam", "anna", "")
	}
	h.told("/work/beam", "berta", "")
	answered := make(chan int)
	for _, path := range []string{"/at-once", "/nobodys", "/work/beam"} {
		go func() {
			w, err := h.ask(t.Context(), path, "anna", "respond-async, wait=0", "")
			if err != nil {
				t.Error(err)
				answered <- 0
				return
			}
			answered <- w.StatusCode
		}()
	}
	select {
	case status := <-answered:
		t.Errorf("answered %d before it was done", status)
	case <-time.After(300 * time.Millisecond): // an answer now would be wrong; that there is none yet proves nothing more
	}
	close(h.goOn)
	for range 3 {
		if status := <-answered; status == http.StatusAccepted {
			t.Error("went on behind")
		}
	}
}

func TestWhatNobodyWaitsForStops(t *testing.T) {
	h := open(t)
	ctx, cancel := context.WithCancel(t.Context())
	left := make(chan error)
	go func() {
		_, err := h.ask(ctx, "/work/beam", "anna", "respond-async, wait=60", "")
		left <- err
	}()
	cancel()
	if err := <-left; err == nil {
		t.Fatal("answered though it was held up")
	}
	id := h.told("/work/beam", "anna", "")
	one, _ := h.answers.Find("anna", id)
	if one.Ready() {
		t.Error("what was told of stopped with its request")
	}
	one.Stop()
	one.Wait(t.Context(), time.Minute)
	if _, there := h.answers.Find("anna", id); !there || !one.Ready() {
		t.Error("what is stopped goes on, or cannot say how it ended")
	}
	other, _ := h.answers.Find("anna", h.told("/work/beam", "anna", ""))
	h.answers.Close(t.Context())
	if !other.Ready() {
		t.Error("something goes on though all is closed")
	}
	if n := h.stopped.Load(); n < 2 {
		t.Errorf("%d were stopped", n)
	}
}

func TestAPanicBehindIsAnswered(t *testing.T) {
	h := open(t)
	one, _ := h.answers.Find("anna", h.told("/work/beam", "anna", "panic"))
	close(h.goOn)
	one.Wait(t.Context(), time.Minute)
	w := httptest.NewRecorder()
	one.Write(w)
	if w.Code != http.StatusInternalServerError || !strings.Contains(w.Body.String(), inner.Message) {
		t.Errorf("answered %d %q", w.Code, w.Body)
	}
}

// TestAnAnswersRoomIsBounded makes one answer after another: only the last of an owner are kept, and others' stay.
func TestAnAnswersRoomIsBounded(t *testing.T) {
	h := open(t)
	others := h.told("/work/beam", "berta", "")
	var ids []string
	for range 20 {
		id := h.told("/work/beam", "anna", "")
		ids = append(ids, id)
		one, _ := h.answers.Find("anna", id)
		one.Stop()
		one.Wait(t.Context(), time.Minute)
	}
	kept := 0
	for _, id := range ids {
		if _, there := h.answers.Find("anna", id); there {
			kept++
		}
	}
	if _, first := h.answers.Find("anna", ids[0]); kept != 16 || first {
		t.Errorf("%d are kept, the first too: %v", kept, first)
	}
	if _, there := h.answers.Find("berta", others); !there {
		t.Error("another's is forgotten")
	}
}

func TestPreference(t *testing.T) {
	for _, c := range []struct {
		header []string
		async  bool
		wait   time.Duration
	}{
		{nil, false, 100 * time.Millisecond},
		{[]string{"respond-async"}, true, 100 * time.Millisecond},
		{[]string{"Respond-Async , WAIT = 7"}, true, 7 * time.Second},
		{[]string{"wait=10", "handling=lenient, respond-async"}, true, 10 * time.Second},
		{[]string{"respond-async; x=y, wait=4;z"}, true, 4 * time.Second},
		{[]string{`respond-async, wait="3"`}, true, 3 * time.Second},
		{[]string{"respond-async, wait=99999999"}, true, time.Minute},
		{[]string{"respond-async, wait=-1"}, true, 100 * time.Millisecond},
		{[]string{"respond-asynchronously, wait=soon"}, false, 100 * time.Millisecond},
	} {
		async, wait := later.Preference(http.Header{"Prefer": c.header})
		if async != c.async || wait != c.wait {
			t.Errorf("%q: %v, %v", c.header, async, wait)
		}
	}
}

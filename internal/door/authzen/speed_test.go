package authzen_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"

	"fachwerk/internal/core/model"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/generate"
	"fachwerk/internal/store"
)

// BenchmarkDoor measures a decision with all that the server does for it but the network: one alone, and one of a
// hundred.
func BenchmarkDoor(b *testing.B) {
	d := generate.Design(generate.Options{Users: 10_000, Seed: 1})
	s, err := store.Open(filepath.Join(b.TempDir(), "x.db"), false)
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	k, err := rooms.Open(s, time.Now)
	if err != nil {
		b.Fatal(err)
	}
	if err := k.Load(d, desk.Begin, "test"); err != nil {
		b.Fatal(err)
	}
	token, err := k.MakeToken(account.NewToken{Name: "test", Purpose: "decisions"})
	if err != nil {
		b.Fatal(err)
	}
	h := server.New(k, s, fstest.MapFS{}, inner.Outside{})
	one := evaluationsOf(d, 1000)
	many := `{"evaluations":[` + strings.Join(one[:100], ",") + `]}`
	ask := func(path, body string) {
		r := httptest.NewRequest(http.MethodPost, path, strings.NewReader(body))
		r.Header.Set("Authorization", "Bearer "+token)
		r.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		if w.Code != http.StatusOK {
			b.Fatal(w.Code, w.Body)
		}
	}
	// The second counts as no use: what a use costs is the difference.
	for name, context := range map[string]string{"one": `}`, "one, no use": `,"context":{"use":false}}`} {
		b.Run(name, func(b *testing.B) {
			b.ReportAllocs()
			for i := 0; b.Loop(); i++ {
				ask("/access/v1/evaluation", strings.TrimSuffix(one[i%len(one)], "}")+context)
			}
		})
	}
	b.Run("hundred", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			ask("/access/v1/evaluations", many)
		}
		b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/100, "ns/decision")
	})
}

// evaluationsOf are questions about many people, permissions and areas.
func evaluationsOf(d *model.Design, n int) (out []string) {
	for i := range n {
		s := d.Systems[i%len(d.Systems)]
		kind, action := s.Permissions[i%len(s.Permissions)].Key, ""
		at := strings.LastIndex(kind, ":")
		kind, action = kind[:at], kind[at+1:]
		out = append(
			out,
			fmt.Sprintf(
				`{"subject":{"type":"user","id":%q},"action":{"name":%q},"resource":{"type":%q,"id":"%d","properties":{"area":%q}}}`,
				d.Users[i*7919%len(d.Users)].ID,
				action,
				kind,
				i,
				d.Areas[i*31%len(d.Areas)].ID,
			),
		)
	}
	return out
}

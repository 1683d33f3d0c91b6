package scim_test

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"

	"fachwerk/internal/core/model"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/store"
)

// BenchmarkFirstSync brings a directory of 10,000 people and 500 groups with 50,000 memberships in, over HTTP, one
// request each: by one client that waits for each answer, and by eight side by side.
func BenchmarkFirstSync(b *testing.B) {
	const people, teams, memberships = 10_000, 500, 50_000
	for _, clients := range []int{1, 8} {
		b.Run(fmt.Sprintf("clients=%d", clients), func(b *testing.B) {
			for b.Loop() {
				url, token, _ := empty(b)
				began := time.Now()
				send := func(n int, method string, request func(i int) (path, body string)) {
					var wait sync.WaitGroup
					for c := range clients {
						wait.Go(func() {
							for i := c; i < n; i += clients {
								path, body := request(i)
								r, err := http.NewRequest(method, url+path, bytes.NewReader([]byte(body)))
								if err != nil {
									b.Error(err)
									return
								}
								r.Header.Set("Authorization", "Bearer "+token)
								r.Header.Set("Content-Type", "application/scim+json")
								resp, err := client.Do(r)
								if err != nil {
									b.Error(err)
									return
								}
								_, _ = io.Copy(io.Discard, resp.Body)
								_ = resp.Body.Close()
								if resp.StatusCode >= 300 {
									b.Errorf("%s %s: %s", method, path, resp.Status)
									return
								}
							}
						})
					}
					wait.Wait()
				}
				stage := func(name string, n int, method string, request func(i int) (path, body string)) {
					start := time.Now()
					send(n, method, request)
					b.ReportMetric(float64(n)/time.Since(start).Seconds(), name+"/s")
				}
				stage("people", people, http.MethodPost, func(i int) (string, string) {
					return "/Users", fmt.Sprintf(
						`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"p%d","externalId":"x%d","name":{"givenName":"Person","familyName":"No %d"},"active":true,"emails":[{"value":"p%d@skerryhaven.example","type":"work","primary":true}],"title":"Clerk"}`,
						i,
						i,
						i,
						i,
					)
				})
				stage("groups", teams, http.MethodPost, func(i int) (string, string) {
					return "/Groups", fmt.Sprintf(
						`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"g%d","externalId":"y%d"}`,
						i,
						i,
					)
				})
				stage("memberships", memberships, http.MethodPatch, func(i int) (string, string) {
					return fmt.Sprintf(
							"/Groups/g%d",
							i%teams,
						), fmt.Sprintf(
							`{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[{"op":"add","path":"members","value":[{"value":"p%d"}]}]}`,
							i*7%people,
						)
				})
				b.ReportMetric((people+teams+memberships)/time.Since(began).Seconds(), "requests/s")
			}
		})
	}
}

var client = &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16}}

// empty serves a design with nobody in it but an owner, and makes a token for directories.
func empty(tb testing.TB) (url, token string, d *rooms.Desk) {
	tb.Helper()
	s, err := store.Open(filepath.Join(tb.TempDir(), "x.db"), false)
	if err != nil {
		tb.Fatal(err)
	}
	d, err = rooms.Open(s, time.Now)
	if err != nil {
		tb.Fatal(err)
	}
	owner := &model.User{ID: "owner", UserName: "owner", DisplayName: "Owner"}
	if err := d.Load(model.Build(&model.Design{Organisation: &model.Organisation{Name: "Skerryhaven"},
		Users: model.Table[*model.User]{owner},
		Assignments: model.Table[*model.Assignment]{{ID: "owner", Subject: model.Subject{User: "owner"},
			Set: model.SetOwner}}}), desk.Begin, "test"); err != nil {
		tb.Fatal(err)
	}
	if token, err = d.MakeToken(account.NewToken{Name: "Harbour directory", Purpose: "scim"}); err != nil {
		tb.Fatal(err)
	}
	srv := httptest.NewUnstartedServer(nil)
	srv.Config.Handler = server.New(d, s, fstest.MapFS{}, inner.Outside{URL: "http://" + srv.Listener.Addr().String()})
	srv.Start()
	tb.Cleanup(func() { srv.Close(); _ = s.Close() })
	return srv.URL + "/scim/v2", token, d
}

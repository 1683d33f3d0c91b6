package scim_test

import (
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"testing"
)

// FuzzBulk sends whatever as a bulk request. It never fails inside; each operation that is answered has a status, and
// there are no more answers than operations.
func FuzzBulk(f *testing.F) {
	slog.SetDefault(slog.New(slog.DiscardHandler))
	url, token, _ := empty(f)
	const head = `{"schemas": ["urn:ietf:params:scim:api:messages:2.0:BulkRequest"], "Operations": [`
	const user = `{"schemas": ["urn:ietf:params:scim:schemas:core:2.0:User"], "userName": "x", "displayName": "X"}`
	f.Add(head + `{"method": "POST", "path": "/Users", "bulkId": "a", "data": ` + user + `}]}`)
	f.Add(head + `{"method": "POST", "path": "/Groups", "bulkId": "b", "data": {"displayName": "G", "members": [{"value": "bulkId:a"}]}},
		{"method": "POST", "path": "/Users", "bulkId": "a", "data": ` + user + `}]}`)
	f.Add(head + `{"method": "PATCH", "path": "/Users/x", "data": {"Operations": [{"op": "remove"}]}}], "failOnErrors": 1}`)
	f.Add(head + `{"method": "DELETE", "path": "/Users/bulkId:a"}, {"method": "PUT", "path": "//"}, 7, null]}`)
	f.Fuzz(func(t *testing.T, body string) {
		r, err := http.NewRequest(http.MethodPost, url+"/Bulk", strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Authorization", "Bearer "+token)
		r.Header.Set("Content-Type", "application/scim+json")
		resp, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		text, err := io.ReadAll(resp.Body)
		if err != nil {
			t.Fatal(err)
		}
		if resp.StatusCode >= 500 {
			t.Fatalf("%q is answered with %d %s", body, resp.StatusCode, text)
		}
		if resp.StatusCode != http.StatusOK {
			return
		}
		var sent struct{ Operations []any }
		var got struct {
			Operations []struct{ Status string }
		}
		if err := json.Unmarshal([]byte(body), &sent); err != nil {
			t.Fatalf("what is no JSON is carried out: %q, %v", body, err)
		}
		if err := json.Unmarshal(text, &got); err != nil || len(got.Operations) > len(sent.Operations) {
			t.Fatalf("%q is answered with %s, %v", body, text, err)
		}
		for _, o := range got.Operations {
			if len(o.Status) != 3 || o.Status[0] == '5' {
				t.Fatalf("%q is answered with %s", body, text)
			}
		}
	})
}
